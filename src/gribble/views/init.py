"""What a first gribble.toml says, and what was understood of a list."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any

from rich.cells import cell_len
from rich.text import Text

from gribble.core.answers.doctor import Examined, Health
from gribble.core.answers.setup import Discovery
from gribble.core.base.amounts import count, size
from gribble.core.records.imported import Degree, Drafted, Guess, Preview, Understood
from gribble.core.records.sheet import Accept, Level
from gribble.views.looks import DIGEST_NAMES, QUIET, STATES, VERDICTS, shorten
from gribble.views.screen import Screen, remedy, styled
from gribble.views.shell import typed


def show_written(screen: Screen, name: str, found: Discovery, *, doubted: bool) -> None:
    """What a first gribble.toml says, a line each; rigs told by a sign are `doubted` where nobody was asked."""
    screen.say(styled(f"{name} is written.", "bold"), " It says:")
    rows = [("source", path, "only read") for path in found.sources]
    rows += [("catalogue", path, "sheets, which say what emulators need") for path in found.catalogues]
    for rig, (path, emulators) in found.rigs.items():
        what = ", ".join(emulators) or (f"it has {found.signs[rig]}" if rig in found.signs else "")
        rows.append(("rig", path, what))
    screen.grid([(kind, styled(path, "bold"), styled(what, QUIET)) for kind, path, what in rows])
    if found.no_names:
        screen.say(f"Left out, since their names are not UTF-8: {', '.join(found.no_names)}.")
    if found.signs and doubted:
        screen.say(
            "A rig is a folder with emulators. If this is a folder of your own files, name it in sources instead."
        )


_FORMATS = {
    "csv": "CSV", "tsv": "TSV", "json": "JSON", "jsonl": "JSON Lines", "xml": "XML", "html": "a web page",
    "markdown": "a table with bars", "text": "a table aligned by blanks", "keys": "key = value",
    "workbook": "a workbook",
    "checksums": "a checksum list", "list": "a list with an entry for each file", "yaml": "YAML", "toml": "TOML",
    "blocks": "words with brackets behind them",
}  # fmt: skip
_GUESS_LINE, _LONG_COLUMN = 80, 28
"""A guess takes one line of so many columns, and the name of its column no more than so many."""
_SURE, _UNSURE = VERDICTS["sound"][1], VERDICTS["misnamed"][1]
_COLOURS = {Degree.SURE: _SURE, Degree.LIKELY: _SURE, Degree.ASSUMED: _UNSURE, Degree.DOUBTFUL: _UNSURE}


def show_drafted(screen: Screen, drafted: Drafted, source: str, *, numbered: bool = False) -> None:
    """What the list is taken for: whose, and which column is which field, with the reason; with numbers by which it can
    be said that one is something else."""
    numbers = itertools.count(1)
    made, looks = drafted.made, drafted.looks
    top = getattr(made, drafted.to, {})
    facts = [_FORMATS[looks.format]]
    facts += [f"parted by {looks.delimiter!r}" if looks.delimiter.strip() else ""] if looks.format == "csv" else []
    facts += [f"{looks.encoding}{', by its letters' if looks.guessed else ''}" if looks.encoding else ""]
    facts += [f"records at {made.records}" if made.records else ""]
    release = f" {top['release']}" if "release" in top else ""
    what = f"A {drafted.to} of {top['emulator']}{release}" if top else "What plays"
    screen.say(styled(what, "bold"), f" from {source}")
    said = [f"{key} from {named.source}" for key, named in drafted.named.items()]
    screen.say(styled("; ".join(filter(None, [", ".join(filter(None, facts)), ", ".join(said)])), QUIET))
    for title, group in (("", drafted.guesses), ("files", drafted.inner), ("discs", drafted.discs)):
        if group:
            screen.out.print()
            if title:
                inner = getattr(made, title)
                screen.say(styled(f"{title}, at {inner.records}", "bold"))
            screen.grid(_guess_rows(group, numbers if numbered else None))
    if drafted.left or drafted.notes:
        screen.out.print()
    if drafted.left:
        left = [
            f"{f'{next(numbers)} ' if numbered else ''}{one}{f' (which {weight})' if weight else ''}"
            for one, weight in drafted.left.items()
        ]
        screen.say(f"Nothing is taken from {', '.join(left)}.")
    for note in drafted.notes:
        screen.say(f"{note[:1].upper()}{note[1:]}.")
    for column, own in made.only.items():
        others, all_ = ", ".join(drafted.others), typed(["--field", f"{column}=machine"])
        screen.out.print()
        screen.say(f"Only the files of {own} are taken. The list also has those of {others}; {all_} takes all.")
    if numbered:
        screen.say(
            styled("To change one, answer with its number and field: 3 = title, 4 = nothing; or: to roster.", QUIET)
        )


def _guess_rows(group: Iterable[Guess], numbers: Iterator[int] | None) -> list[tuple[str | Text, ...]]:
    """A line of at most 80 columns for each guess, with its number where these are asked for. What is done with the
    values is told first where there is no room for the reason."""
    heads, said = [], []
    for one in group:
        number = (str(next(numbers)),) if numbers else ()
        heads.append((*number, f"{_cut(one.column, _LONG_COLUMN)} → {one.field}", str(one.degree)))
        samples = ", ".join(sample if len(sample) <= 24 else f"{sample[:12]}…" for sample in one.samples[:2])
        said.append((f"{one.reason}; {one.words}", one.words) if one.words else (f"{one.reason}: {samples}",) * 2)
    room = _GUESS_LINE - 2 - sum(2 + max(map(cell_len, column)) for column in zip(*heads, strict=True))
    return [
        (
            *head[:-1],
            styled(head[-1], _COLOURS[Degree(head[-1])]),
            _cut(whole if cell_len(whole) <= room else short, room),
        )
        for head, (whole, short) in zip(heads, said, strict=True)
    ]


def _cut(text: str, width: int) -> str:
    shown = Text(text.replace("\n", " "))
    shown.truncate(max(width, 1), overflow="ellipsis")
    return shown.plain


def show_some_needs(screen: Screen, shown: Preview) -> None:
    """How many needs there are and what is said of them; the first as they were understood, the last, the oddest."""
    facts = [f"{shown.levels[level]:,} {level}" for level in Level if level in shown.levels]
    facts += [f"{shown.bare:,} without a digest"] if 0 < shown.bare < shown.total else []
    told = f" ({', '.join(facts)})" if facts else ""
    screen.say(styled(count(shown.total, "need"), "bold"), f"{told}{', the first:' if shown.last else ':'}")
    screen.grid(map(_need_row, shown.first))
    for words, one in (("the last", shown.last), ("the one least like the others", shown.odd)):
        if one is not None:
            screen.say(f"{words}:")
            screen.grid([_need_row(one)])


def _need_row(one: Understood) -> tuple[str, ...]:
    return one.place, ", ".join(one.facts), "; ".join(map(_content, one.accepts))


def show_plays(screen: Screen, said: list[dict[str, Any]], total: int) -> None:
    """What the first records say of how sets play."""
    screen.say(styled(count(total, "record"), "bold"), ", the first:" if total > len(said) else ":")
    screen.grid([(one.get("set") or one.get("title", ""), one["plays"], one.get("note", "")) for one in said])


def _content(accept: Accept) -> str:
    word = accept.strongest()
    known = [f"{DIGEST_NAMES[word]} {str(accept.get(word))[:12]}"] if word else ["no digest"]
    known += [size(accept.size)] if accept.size is not None else []
    known += [one for one in (accept.label, accept.version, accept.region) if one]
    return ", ".join(known)


_LOOKS = {Health.RIGHT: VERDICTS["sound"], Health.LOOK: STATES["limited"], Health.WRONG: VERDICTS["imposter"]}


def show_doctor(screen: Screen, found: list[Examined]) -> None:
    """The answer, then everything that was looked at, each with what to do about it."""
    tally = Counter(one.health for one in found)
    look, right = tally[Health.LOOK], tally[Health.RIGHT]
    parts = [f"{right} {'is' if right == 1 else 'are'} right"] if right else []
    parts += [f"{look} {'needs' if look == 1 else 'need'} a look"] if look else []
    parts += (
        [f"{tally[Health.WRONG]} {'is' if tally[Health.WRONG] == 1 else 'are'} wrong"] if tally[Health.WRONG] else []
    )
    screen.say(styled(f"{count(len(found), 'thing')} checked", "bold"), f": {', '.join(parts)}")
    rows: list[tuple[str | Text, ...]] = []
    for one in found:
        glyph, colour = _LOOKS[one.health]
        text = Text.assemble(
            styled(shorten(one.what) if "/" in one.what else one.what, "bold"), styled(f"  {one.words}")
        )
        if one.fix:
            text.append("\n").append_text(remedy(one.fix))
        rows.append((styled(f"{glyph} {one.health}", colour), styled(one.area), text))
    screen.grid(rows)
    if not tally[Health.WRONG] and not tally[Health.LOOK]:
        screen.next("gribble check", "what each emulator needs, and what of it is right")


def doctor_json(found: list[Examined]) -> dict[str, Any]:
    """`doctor/1`."""
    return {
        "gribble": "doctor/1",
        "checks": [
            {"area": one.area, "what": one.what, "health": one.health, "words": one.words, "fix": one.fix or None}
            for one in found
        ],
    }
