"""A report as a page, a table, Markdown, or `report/1`; what it names is hostile until it is escaped. Its charts are
bars of HTML and CSS, each with its figures as text.
"""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from typing import Any, NamedTuple

import msgspec
from markupsafe import Markup, escape

from gribble.core.answers.report import EmulatorReport, Report, RigReport, SetFault, SourceAway, ToObtain
from gribble.core.answers.rows import Row
from gribble.core.base.amounts import count, size
from gribble.core.base.filewriter import Own
from gribble.core.base.paths import visible
from gribble.core.records.findings import State, Verdict
from gribble.views.causes import kind_words
from gribble.views.looks import DIGEST_NAMES, STATES, TALLIED, VERDICTS, shorten, zoned
from gribble.views.set_releases import written_csv


class Bar(NamedTuple):
    """One bar: what it is of, its length in percent of the longest, its pieces by word, and the same in words."""

    label: str
    percent: float
    pieces: tuple[tuple[str, int], ...]
    words: str


class Chart(NamedTuple):
    """A chart for the page: its title and its bars."""

    title: str
    bars: tuple[Bar, ...]


def whole_of(report: Report) -> Bar | None:
    """The one bar of everything: all needs by verdict; None if nothing is needed."""
    tally = sum((Counter(one.verdicts) for _, one in report.emulators), Counter[str]())
    return _bars([("All needs", tally)])[0] if tally else None


def charts_of(report: Report) -> list[Chart]:
    """The charts that have something to show."""
    kinds: dict[str, Counter[str]] = {}
    for _, one in report.emulators:
        for row in one.rows:
            kinds.setdefault(row.kind, Counter())[row.verdict] += 1
    needs = [(f"{one.title} on {rig.rig}", one.verdicts) for rig, one in report.emulators if one.rows]
    sets = [(f"{one.title} on {rig.rig}", one.sets) for rig, one in report.emulators if one.sets]
    found = [
        Chart("The needs of each emulator", _bars(needs)),
        Chart("The needs of each kind", _bars(sorted(kinds.items())) if len(kinds) > 1 else ()),
        Chart("Arcade sets", _bars(sets)),
        Chart("How well your files fit each release", tuple(_shares(report))),
        Chart("How much is on each rig", tuple(_room(report))),
    ]
    return [chart for chart in found if chart.bars]


def _bars(rows: Iterable[tuple[str, Mapping[str, int]]]) -> tuple[Bar, ...]:
    """A bar for each row, with a piece for each verdict or state that occurs."""
    order = [*map(str, VERDICTS), *map(str, STATES)]
    told = [(label, tuple((word, tally[word]) for word in order if tally.get(word))) for label, tally in rows]
    most = max((sum(number for _, number in pieces) for _, pieces in told), default=0) or 1
    return tuple(
        Bar(
            label,
            100 * sum(number for _, number in pieces) / most,
            pieces,
            ", ".join(f"{number:,} {word}" for word, number in pieces),
        )
        for label, pieces in told
        if pieces
    )


def _shares(report: Report) -> Iterable[Bar]:
    for one in report.releases:
        percent = round(100 * one.share)
        label = f"{one.emulator} {one.release}{' (installed)' if one.installed else ''}"
        yield Bar(label, percent, (("sound", 1),), f"{percent} %")


def _room(report: Report) -> Iterable[Bar]:
    most = max((rig.bytes for rig in report.rigs), default=0)
    for rig in report.rigs:
        if rig.bytes:
            yield Bar(rig.rig, 100 * rig.bytes / most, (("sound", 1),), size(rig.bytes))


MARK = "gribble report"
"""What a page or a text of `gribble report` says at its beginning, so that a later one may replace it."""
HTML = Own(
    (
        '<!DOCTYPE html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n'
        '<meta name="viewport" content="width=device-width, initial-scale=1">\n'
        f'<meta name="generator" content="{MARK}">\n'
    ).encode(),
    "report",
)
MARKDOWN = Own(f"<!-- {MARK} -->\n".encode(), "Markdown report")
CSV = Own(b"rig,emulator,release,state,kind,name,title,level,", "report table")
OBTAIN = Own(b"emulator,for,level,archive,file,", "table of what to obtain")

MOST_NAMED = 12
"""So many files to obtain are named in a summary."""


def answer_of(report: Report) -> str:
    """The answer in one sentence."""
    tally = Counter(one.state for _, one in report.emulators)
    away = sum(1 for rig in report.rigs if rig.away)
    parts = [f"{tally[kind]} {kind}" for kind in TALLIED if tally[kind]]
    parts += [f"{count(away, 'rig')} away"] if away else []
    parts += [f"{one.source} away" for one in report.away]
    return f"{count(len(report.emulators), 'emulator')}: {', '.join(parts) or 'none'}"


def away_words(one: SourceAway) -> str:
    """A source that is away, in words."""
    since = f"{one.since}; " if one.since else ""
    return f"{since}what is known of it ({count(one.files, 'file')}) counts as yours"


def report_json(report: Report) -> dict[str, Any]:
    """`report/1`: the whole as one object; its schema is `gribble schema report`."""
    record = msgspec.to_builtins(report)
    changes = [{**one, "when": zoned(one["when"])} for one in record["changes"]]
    return {"gribble": "report/1", **record, "when": zoned(report.when), "changes": changes}


def report_csv(report: Report) -> str:
    """A row for each thing that is wanted, on every rig."""
    titles = ["rig", "emulator", "release", "state", "kind", "name", "title", "level", "verdict", "remedy", "reason"]
    titles += ["place", "found", "proof", "archive", "file", "size", "crc32", "sha1", "proven", "do", "md5", "sha256"]
    rows: list[list[str]] = []
    for rig, one in report.emulators:
        head = [rig.rig, one.emulator, one.release, str(one.state)]
        for row in one.rows:
            rows.append(
                [*head, row.kind, row.name, row.title, row.level, row.verdict, row.remedy, row.reason, row.place,
                 row.found, row.proof, *_last_columns(_wanted_by(report, one.emulator, row), row.proven, row.do)]
            )  # fmt: skip
        for fault in one.faults:
            size = "" if fault.size is None else str(fault.size)
            rows.append(
                [*head, "set", fault.set, fault.title, "", fault.verdict, fault.remedy, fault.reason, "", "", "",
                 fault.archive, fault.file, size, fault.crc32 or "", fault.sha1 or "", "", fault.do, "", ""]
            )  # fmt: skip
        for cell in (cell for family in one.families for cell in family if cell.state is State.READY):
            rows.append([*head, "set", cell.set, cell.title, "", str(cell.state), *[""] * 14])
    return written_csv(titles, rows)


def _wanted_by(report: Report, emulator: str, row: Row) -> ToObtain | None:
    """The file that is to be obtained for a row: of a need of many files the one that belongs there."""
    if row.remedy != "obtain":
        return None
    found = [one for one in report.obtain if (one.emulator, one.need) == (emulator, row.name)]
    if len(found) == 1:  # at a further place it may have another name
        return found[0]
    return next((one for one in found if f"/{row.place}".endswith(f"/{one.file}")), None)


def _last_columns(wanted: ToObtain | None, proven: str, do: str) -> list[str]:
    """What a file is known by, with the columns between."""
    if wanted is None:
        return ["", "", "", "", "", proven, do, "", ""]
    size = "" if wanted.size is None else str(wanted.size)
    return [
        "",
        wanted.file,
        size,
        wanted.crc32 or "",
        wanted.sha1 or "",
        proven,
        do,
        wanted.md5 or "",
        wanted.sha256 or "",
    ]


def obtain_csv(report: Report) -> str:
    """A row for each file that nobody here has, to hand to others: no name of one's own is in it. Further contents that
    would do follow, with `or` in front."""
    titles = [
        "emulator",
        "for",
        "level",
        "archive",
        "file",
        "size",
        "crc32",
        "md5",
        "sha1",
        "sha256",
        "content",
    ]
    rows: list[list[str]] = []
    for one in sorted(report.obtain, key=lambda one: (one.emulator, one.archive or "")):
        head = [one.emulator, one.set or one.title, one.level, one.archive or "", one.file]
        contents = [("", one.size, one.known())] + [(f"or {o.label}", o.size, o.digests.known()) for o in one.others]
        for content, bytes_, known in contents:
            digests = [known.get(name, "") for name in ("crc32", "md5", "sha1", "sha256")]
            rows.append([*head, "" if bytes_ is None else str(bytes_), *digests, content])
    return written_csv(titles, rows)


def report_brief(report: Report) -> str:
    """A summary in Markdown, short enough for a message: each emulator that does not run, and what to obtain."""
    lines = [f"**{_md(answer_of(report))}** ({_md(report.when[:10])})", ""]
    for rig, one in report.emulators:
        if one.state is not State.READY:
            name = f"{one.title} {one.release}".rstrip()
            lines.append(f"- {_md(name)} on {_md(rig.rig)}: {one.state}; {_md(one.todo)}")
    ready = [one.title for _, one in report.emulators if one.state is State.READY]
    lines += [f"- {_md(', '.join(ready))}: ready"] if ready else []
    if report.obtain:
        names = [one.archive or one.file or one.title for one in report.obtain]
        names = list(dict.fromkeys(names))
        more = f" and {len(names) - MOST_NAMED:,} more" if names[MOST_NAMED:] else ""
        lines += ["", f"To obtain: {_md(', '.join(names[:MOST_NAMED]))}{more}"]
    return "\n".join(lines) + "\n"


def brief_markdown(report: Report) -> str:
    """The same as a file, which a later report may replace."""
    return f"<!-- {MARK} -->\n{report_brief(report)}"


def report_markdown(report: Report) -> str:
    """The answer, a table of emulators, what is wrong with each, and the list of what to obtain."""
    lines = [f"<!-- {MARK} -->", f"# {_md(answer_of(report))}", "", _md(report.when), *_md_rigs(report)]
    if report.oldest:
        lines += ["", f"The oldest proof is of {_md(report.oldest)}."]
    if report.since:
        lines += ["", f"## What changed since {_md(_since(report))}", ""]
        for change in report.changes:
            places = ", ".join(map(_md, change.places)) or "no place"
            lines.append(f"- run {change.run} on {_md(change.rig)}, {_md(change.when)}, {change.state}: {places}")
        if not report.changes:
            lines.append("No runs since then.")
    for rig, one in report.emulators:
        lines += _md_wrong(rig, one)
    return "\n".join([*lines, *_md_obtain(report)]) + "\n"


def _md_rigs(report: Report) -> Iterator[str]:
    """A table of the rigs with their emulators, and of what is away."""
    yield from ("", "## Rigs and emulators", "", "| rig | emulator | state | what to do |", "|---|---|---|---|")
    for rig in report.rigs:
        if rig.away:
            yield f"| {_md(rig.rig)} | | away | {_md(rig.away)} |"
        for one in rig.emulators:
            name = f"{one.title} {one.release}".rstrip()
            yield f"| {_md(rig.rig)} | {_md(name)} | {one.state} | {_md(one.todo)} |"
    yield from (f"| {_md(one.source)} | | away | {_md(away_words(one))} |" for one in report.away)


def _md_wrong(rig: RigReport, one: EmulatorReport) -> Iterator[str]:
    """What is wrong with an emulator, a line for each need and set."""
    wrong = [row for row in one.rows if row.verdict not in ("sound", "unproven")]
    cells = [cell for family in one.families for cell in family if cell.state is not State.READY]
    if wrong or cells:
        yield from ("", f"## {_md(one.title)} on {_md(rig.rig)}", "")
    for row in wrong:
        do = f"; {_md(row.do)}" if row.do else ""
        yield f"- **{row.verdict}** {_md(row.title or row.name)}: {_md(row.reason)}{do}"
    told = {name: _md(words) for name, _, words in set_lines(one)}
    yield from (f"- **{cell.state}** {_md(cell.set)}: {told.get(cell.set, _md(cell.reason))}" for cell in cells)


def _md_obtain(report: Report) -> Iterator[str]:
    """A table of what is to be obtained, with what it is known by."""
    if report.obtain:
        yield from ("", "## To obtain", "", "| for | archive | file | size | digests |", "|---|---|---|---|---|")
    for wanted in report.obtain:
        what = f"{wanted.set or wanted.title} ({wanted.level}, {wanted.emulator} on {', '.join(wanted.rigs)})"
        where = f"{_md(wanted.archive or '')} | {_md(wanted.file)}"
        yield f"| {_md(what)} | {where} | {_md_known(wanted.size, wanted.known())} |"
        for content in wanted.others:
            yield f"| or {_md(content.label)} | | | {_md_known(content.size, content.digests.known())} |"


def _md_known(size: int | None, known: Mapping[str, str]) -> str:
    """What a content is known by, in two cells."""
    digests = ", ".join(f"{DIGEST_NAMES[name]} `{value}`" for name, value in known.items())
    return f"{'' if size is None else f'{size:,} bytes'} | {digests}"


def _since(report: Report) -> str:
    """Since when, in words: a run by its number, or a day."""
    return f"run {report.since}" if report.since.isdigit() else report.since


def _md(text: str) -> str:
    """Text that Markdown takes for nothing else."""
    plain = visible(text, " ")
    return "".join(f"\\{char}" if char in r"\`*_[]<>|#~!&" else char for char in plain)


def report_html(report: Report, title: str = "") -> str:
    """One page in one file, under a title of the user's if there is one: nothing is loaded from anywhere."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("gribble.views"), autoescape=True, undefined=StrictUndefined, trim_blocks=False
    )
    environment.finalize = _printable
    environment.filters["near"] = shorten
    environment.filters["counted"] = count
    environment.filters["breaking"] = _breaking
    environment.filters["worst_first"] = _worst_first
    page = environment.get_template("report.html")
    looks = {str(word): look for word, look in {**VERDICTS, **STATES}.items()}
    return page.render(
        report=report,
        answer=answer_of(report),
        since=_since(report),
        title=title,
        whole=whole_of(report),
        charts=charts_of(report),
        looks=looks,
        digest_names=DIGEST_NAMES,
        set_lines=set_lines,
        obtain_tables=obtain_tables,
        away_words=away_words,
        folded_sets=cache(folded_sets),
        folded_obtain=cache(folded_obtain),
    )


def _breaking(name: str) -> Markup:
    """A name that may break behind its separators, and nowhere else."""
    return Markup(re.sub(r"([/_.-])", r"\1<wbr>", str(escape(visible(name, "\ufffd")))))


def _worst_first(rows: Iterable[Row]) -> list[Row]:
    """Rows with what is wrong before what is right."""
    return sorted(rows, key=lambda row: row.verdict in (Verdict.SOUND, Verdict.UNPROVEN))


def _printable(value: Any) -> Any:
    """What is put into the page, without control characters and lone surrogates."""
    if isinstance(value, str) and not hasattr(value, "__html__"):
        return visible(value, "\ufffd")
    return value


MOST_CELLS = 300
"""Of more sets than so many each has no cell of its own."""
MOST_OPEN = 40
"""More files to obtain than so many are folded by archive, and unfolded from JSON."""
MOST_LINES = 100
"""The sets of an emulator are folded into about so many lines."""
MOST_ARCHIVES = 300
"""The files of more archives are folded by emulator: a browser draws some hundred lines at once."""
MOST_EMBEDDED = 30_000
"""So many files to obtain are in a page at most; a table has all."""
MOST_FAULTS = 4
"""So many faults of a set are told one by one."""
ALIKE = 3
"""Where so many sets have one reason, that is told for all of them."""


class Folded(NamedTuple):
    """One line that stands for many: its word, how many, what is said of them, and which entry of the JSON they are."""

    word: str
    counted: str
    words: str
    key: str


def set_lines(one: EmulatorReport) -> list[tuple[str, SetFault, str]]:
    """The sets that do not run as they should, each with its first fault, and all that is wrong with it in words."""
    faults: dict[str, list[SetFault]] = {}
    for fault in one.faults:
        faults.setdefault(fault.set, []).append(fault)
    lines = []
    for name, group in faults.items():
        words = [f"{fault.file}: {fault.reason}" if fault.file else fault.reason for fault in group[:MOST_FAULTS]]
        words += [f"{len(group) - MOST_FAULTS:,} more"] if group[MOST_FAULTS:] else []
        do = dict.fromkeys(fault.do for fault in group if fault.do)
        lines.append((name, group[0], "; ".join([*words, *do])))
    return lines


def obtain_tables(report: Report) -> list[tuple[str, str, list[ToObtain]]]:
    """What is to be obtained, by emulator and archive: what an emulator needs by itself first."""
    groups: dict[tuple[str, str], list[ToObtain]] = {}
    for one in report.obtain:
        groups.setdefault((one.emulator, one.archive or ""), []).append(one)
    return [
        (emulator, archive, files) for (emulator, archive), files in sorted(groups.items(), key=lambda group: group[0])
    ]


def folded_sets(one: EmulatorReport) -> tuple[list[Folded], Markup] | None:
    """The sets of an emulator folded by what is at fault, with their names as JSON; None if they are few."""
    cells = [cell for family in one.families for cell in family]
    if len(cells) <= MOST_CELLS:
        return None
    faults = [fault for _, fault, _ in set_lines(one)]
    alike = Counter(fault.reason for fault in faults if not fault.file)

    def kind(fault: SetFault) -> str:
        return kind_words(Verdict(fault.verdict), of_release=not fault.file)

    def words(fault: SetFault) -> str:
        """What is said of a fault, as far as that is no more than its kind."""
        if fault.file and fault.owner != fault.set:
            return f"need files of {fault.owner}: {fault.reason}"
        return fault.reason if alike[fault.reason] >= ALIKE else kind(fault)

    shared = Counter((fault.state, words(fault)) for fault in faults)
    told = {group for group, _ in shared.most_common(MOST_LINES)}
    groups: dict[tuple[str, str], list[list[str]]] = {}
    for fault in faults:
        group = fault.state, words(fault)
        entry = [visible(text, " ") for text in (fault.set, fault.title, fault.file, fault.reason)]
        groups.setdefault(group if group in told else (fault.state, kind(fault)), []).append(entry)
    ready = [[visible(cell.set, " "), visible(cell.title, " ")] for cell in cells if cell.state is State.READY]
    if ready:
        groups[State.READY, ""] = ready
    data = {str(number): entries for number, entries in enumerate(groups.values())}
    lines = [
        Folded(word, count(len(entries), "set"), said, str(number))
        for number, ((word, said), entries) in enumerate(groups.items())
    ]
    order = sorted(lines, key=lambda line: (line.word != "blocked", line.word == "ready"))
    return order, _json(data)


def folded_obtain(report: Report) -> tuple[list[Folded], Markup, str] | None:
    """What is to be obtained for sets, an archive in a line (of very many, an emulator), with the files as JSON and
    what was left out.

    None if it is little.
    """
    wanted = [one for one in report.obtain if one.archive]
    if len(wanted) <= MOST_OPEN:
        return None
    embedded = wanted[:MOST_EMBEDDED]
    many = len({(one.emulator, one.archive) for one in embedded}) > MOST_ARCHIVES
    groups: dict[tuple[str, str], list[ToObtain]] = {}
    for one in embedded:
        groups.setdefault((one.emulator, "" if many else one.archive or ""), []).append(one)
    lines, data = [], {}
    for number, ((emulator, archive), files) in enumerate(groups.items()):
        rigs = ", ".join(dict.fromkeys(rig for one in files for rig in one.rigs))
        of_archives = f"in {count(len({one.archive for one in files}), 'archive')}, on {rigs}"
        words = f"{files[0].title}, {emulator} on {rigs}" if archive else of_archives
        lines.append(Folded(archive or emulator, count(len(files), "file"), words, f"o{number}"))
        data[f"o{number}"] = [
            [
                visible(one.file if archive else f"{one.archive}: {one.file}", " "),
                "" if one.size is None else f"{one.size:,} bytes",
                " ".join(_digests(one)),
            ]
            for one in files
        ]
    left = len(wanted) - MOST_EMBEDDED
    rest = f"and {left:,} more files, which gribble report --csv FILE lists" if left > 0 else ""
    return lines, _json(data), rest


def _digests(one: ToObtain) -> Iterable[str]:
    known = one.known()
    return [known["crc32"]] if "crc32" in known else list(known.values())


def _json(data: dict[str, Any]) -> Markup:
    """JSON that nothing in a page takes for markup."""
    text = json.dumps(data, separators=(",", ":"))
    return Markup(text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026"))
