"""From records to the needs of a sheet; every record that cannot be taken over is told."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence

from msgspec import structs

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.paths import base, join, name_fault, parent, path_fault
from gribble.core.catalogue.importing.build import (
    Reader,
    Values,
    called,
    each_file,
    has_place,
    note_left_over,
    say_absent,
    used_by,
)
from gribble.core.catalogue.importing.nodes import Node
from gribble.core.catalogue.importing.values import Part, ValueFault
from gribble.core.catalogue.importing.words import level_said
from gribble.core.catalogue.writing import Draft, DraftSheet
from gribble.core.records.imported import FieldMap, Preview, Tally, Understood
from gribble.core.records.roster import FileState
from gribble.core.records.sheet import Accept, Kind, Level

_OF_FILES = frozenset(["name", "size", *HEX_LENGTHS])
"""What says something of a file."""
SHEET_WORDS = {"level": tuple(Level), "kind": tuple(Kind)}
"""The words that a need can have."""


def read_rows(nodes: Iterable[Node], made: FieldMap, tally: Tally) -> Iterator[Values]:
    """The rows of a list for a sheet: each some accepts, with what is said of their need."""
    reader, used = Reader(made.fields, several=True), used_by(made)
    for node in nodes:
        tally.records += 1
        where, before = f"record {tally.records:,}", tally.faulty
        note_left_over(node, used, tally)
        values = reader.read(node, where, tally)
        for field in ("level", "kind"):
            if (word := values.get(field)) and word not in SHEET_WORDS[field]:
                said = ", ".join(SHEET_WORDS[field])
                what = f'"{word}" should be one of {said}; write in the map what it means: values = {{ … }}'
                tally.fault(f"{where} ({called(values)})", what, field=field, of_map=True)
        if not values.keys() & _OF_FILES and tally.faulty == before and has_place(node, "name", made):
            continue  # such as a machine that needs none
        if "name" not in values and tally.faulty == before:
            digest = next((f" ({kind} {values[kind][0].text})" for kind in HEX_LENGTHS if kind in values), "")
            tally.fault(f"{where}{digest}", say_absent(node, "name", made))
        if tally.faulty == before:
            yield values


class _Said:
    """What the rows of one need have said so far, each thing once and in order."""

    def __init__(self) -> None:
        self.aliases: dict[str, None] = {}
        self.machines: dict[str, None] = {}
        self.accepts: dict[Accept, None] = {}


def draft_of(rows: Iterable[Values], made: FieldMap, tally: Tally) -> DraftSheet:
    """The sheet of some rows: rows with one id, or with one place, are accepts of one need."""
    known = made.sheet
    draft = DraftSheet(
        emulator=str(known["emulator"]),
        title=str(known.get("title", "")),
        release=str(known.get("release", "")),
        machines=tuple(map(str, known.get("machines", ()))),
    )
    needs: dict[object, Draft] = {}
    said: dict[object, _Said] = {}
    for values in (one for row in rows for one in _files_of(row)):
        names = [one.text.replace("\\", "/") for one in values["name"]]
        folder, name = (join(values.get("folder", known.get("folder", "")), parent(names[0])), base(names[0]))
        aliases = [base(one) for one in (*names[1:], *values.get("aliases", ())) if base(one) != name]
        faults = [path_fault(folder) if folder else None, path_fault(names[0]), *map(name_fault, (name, *aliases))]
        if fault := next(filter(None, faults), None):
            tally.fault(f'"{names[0]}"', str(fault))
            continue
        try:
            good = values.get("state", FileState.GOOD) == FileState.GOOD
            accepts = _accepts(values) if good else []
            tally.bad += not good
        except ValueFault as fault:
            tally.fault(f'"{names[0]}"', str(fault))
            continue
        key = values.get("id") or _key((folder, name), values, accepts, said)
        need = needs.get(key)
        if need is None:
            words = {key: values.get(key, known.get(key, "")) for key in ("title", "kind", "level", "why", "choice")}
            words["title"] = values.get("title", "")
            needs[key] = need = Draft(name=name, folder=folder, id=values.get("id", ""), **words, accepts=[], also=[])
            said[key] = _Said()
        of = said[key]
        of.aliases.update(dict.fromkeys(aliases))
        of.machines.update(dict.fromkeys(filter(None, [values.get("machine")])))
        tally.duplicates += sum(one in of.accepts for one in accepts)
        of.accepts.update(dict.fromkeys(accepts))
    for key, need in needs.items():
        of = said[key]
        need.aliases, need.machines, need.accepts = list(of.aliases), list(of.machines), list(of.accepts)
    draft.needs = list(needs.values())
    draft.machines = tuple(dict.fromkeys((*draft.machines, *(one for need in draft.needs for one in need.machines))))
    return draft


def _key(place: tuple[str, str], values: Values, accepts: list[Accept], said: Mapping[object, _Said]) -> object:
    """What tells a need apart: its place and, where another machine wants another content there, the machine."""
    of, machine = said.get(place), values.get("machine")
    if of is None or not machine or not accepts or not of.machines or machine in of.machines:
        return place
    return place if of.accepts.keys() & set(accepts) else (*place, machine)


def _files_of(values: Values) -> list[Values]:
    """The files of a row. A word in brackets behind a name may say how much the file is needed."""
    names = values["name"]
    if "level" not in values and (said := next(filter(None, (level_said(one.label) for one in names)), "")):
        values = {**values, "level": said}
    return each_file(values)


def preview_of(needs: Sequence[Draft], most: int) -> Preview:
    """What is shown of some needs before they are written."""
    rest, odd = needs[most:], _oddest(needs)
    last = rest[-1] if rest else None
    shown = odd if any(odd is one for one in rest[:-1]) else None
    return Preview(
        first=list(map(understood, needs[:most])),
        last=understood(last) if last else None,
        odd=understood(shown) if shown else None,
        total=len(needs),
        levels=Counter(need.level for need in needs if need.level),
        bare=sum(not any(one.strongest() for one in need.accepts) for need in needs),
    )


def _oddest(needs: Sequence[Draft]) -> Draft | None:
    """The need that is least like the others, the first of several; None if all are alike."""
    said = [_said_of(need) for need in needs]
    times = [Counter(column) for column in zip(*said, strict=True)]
    rare = [sum(1 / times[at][word] for at, word in enumerate(one)) for one in said]
    return needs[rare.index(max(rare))] if needs and max(rare) > min(rare) else None


def _said_of(need: Draft) -> tuple[object, ...]:
    """By what a need is compared with others: which of its fields say something, and how much."""
    proofs = tuple(sorted({one.strongest() or "" for one in need.accepts}))
    sized = all(one.size is not None for one in need.accepts)
    filled = (bool(need.title), bool(need.folder), bool(need.why), len(need.machines), len(need.aliases))
    return (*filled, need.level, need.kind, len(need.accepts), proofs, sized, need.name.rpartition(".")[2])


def understood(need: Draft) -> Understood:
    """What was understood of a need, in short."""
    called = f"also called {', '.join(need.aliases)}" if need.aliases else ""
    facts = filter(None, (need.title, *need.machines, need.kind, need.level, called))
    return Understood(join(need.folder, need.name), tuple(facts), tuple(need.accepts))


def _accepts(values: Values) -> list[Accept]:
    """The contents of a row. Raises ValueFault if it does not say which of several values belong together."""
    digests = {name: values[name] for name in HEX_LENGTHS if name in values}
    count = max((len(found) for found in digests.values()), default=1)
    if odd := next((name for name, found in digests.items() if len(found) != count), None):
        raise ValueFault(
            f"has {count} contents by one digest, but {len(digests[odd])} by its {odd}: which of them belong together?"
        )
    others = {name: _one_for_each(name, values[name], count) for name in _OF_CONTENT if values.get(name)}
    made = []
    for place in range(count):
        more: Values = {name: found[place].text for name, found in others.items()}
        if said := next((found[place].label for found in digests.values() if found[place].label), ""):
            more.setdefault("label", said)
        known = {name: found[place].text for name, found in digests.items()}
        if more or known:  # else nothing is known of it
            made.append(structs.replace(Accept(**more), **known))
    return made


_OF_CONTENT = ("label", "region", "version", "size")


def _one_for_each(name: str, found: list[Part], count: int) -> list[Part]:
    """What a row says of its contents, once for each of them. Raises ValueFault if it says too little or too much."""
    if len(found) not in (1, count):
        raise ValueFault(f"has {count} contents, but {len(found)} values of {name}: which of them belong together?")
    return found if len(found) == count else found * count
