"""The sets and the list to obtain of a report's page: as they are, or where they are many folded, with what is to be
unfolded as compact JSON inside the page."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable
from typing import Any, NamedTuple

from markupsafe import Markup

from gribble.core.answers.report import EmulatorReport, Report, SetFault, ToObtain
from gribble.core.base.paths import visible
from gribble.core.records.findings import State, Verdict
from gribble.views.causes import kind_words
from gribble.views.looks import count

MOST_CELLS = 300
"""Of more sets than so many each has no cell of its own."""
MOST_OPEN = 40
"""More files to obtain than so many are folded by archive, and unfolded from JSON."""
MOST_EMBEDDED = 30_000
"""So many files to obtain stand in a page at most; a table has all."""
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
    """The sets of an emulator folded by what is at fault, with their names as JSON; None where they are few."""
    cells = [cell for family in one.families for cell in family]
    if len(cells) <= MOST_CELLS:
        return None
    faults = [fault for _, fault, _ in set_lines(one)]
    alike = Counter(fault.reason for fault in faults if not fault.file)
    groups: dict[tuple[str, str], list[list[str]]] = {}
    for fault in faults:
        of_kind = kind_words(Verdict(fault.verdict), of_release=not fault.file)
        if fault.file and fault.owner != fault.set:
            of_kind = f"want files of {fault.owner}: {fault.reason}"
        elif alike[fault.reason] >= ALIKE:
            of_kind = fault.reason
        entry = [visible(text, " ") for text in (fault.set, fault.title, fault.file, fault.reason)]
        groups.setdefault((fault.state, of_kind), []).append(entry)
    ready = [[visible(cell.set, " "), visible(cell.title, " ")] for cell in cells if cell.state is State.READY]
    if ready:
        groups[State.READY, ""] = ready
    data = {str(number): entries for number, entries in enumerate(groups.values())}
    lines = [
        Folded(word, count(len(entries), "set"), words, str(number))
        for number, ((word, words), entries) in enumerate(groups.items())
    ]
    order = sorted(lines, key=lambda line: (line.word != "blocked", line.word == "ready"))
    return order, _json(data)


def folded_obtain(report: Report) -> tuple[list[Folded], Markup, str] | None:
    """What is to be obtained for sets, an archive in a line, with the files as JSON and what was left out.

    None where it is little.
    """
    wanted = [one for one in report.obtain if one.archive]
    if len(wanted) <= MOST_OPEN:
        return None
    archives: dict[tuple[str, str], list[ToObtain]] = {}
    for one in wanted[:MOST_EMBEDDED]:
        archives.setdefault((one.emulator, one.archive or ""), []).append(one)
    lines, data = [], {}
    for number, ((emulator, archive), files) in enumerate(archives.items()):
        rigs = ", ".join(dict.fromkeys(rig for one in files for rig in one.rigs))
        lines.append(
            Folded(archive, count(len(files), "file"), f"{files[0].title}, {emulator} on {rigs}", f"o{number}")
        )
        data[f"o{number}"] = [
            [visible(one.file, " "), "" if one.size is None else f"{one.size:,} bytes", " ".join(_digests(one))]
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
