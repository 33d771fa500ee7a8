"""What a list becomes by a map: the needs of a sheet, or the sets of a roster."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from pathlib import Path

from gribble.core.catalogue.importing.build import read_kinds, read_sets
from gribble.core.catalogue.importing.lists import read_list
from gribble.core.catalogue.importing.needs import draft_of, read_rows
from gribble.core.catalogue.importing.nodes import Advance
from gribble.core.catalogue.writing import DraftSheet
from gribble.core.records.imported import FieldMap, SetsSeen, Tally
from gribble.core.records.roster import ArcadeSet, FileState, SetKind


def read_sheet(path: Path, made: FieldMap, tally: Tally, advance: Advance | None = None) -> DraftSheet:
    """The sheet that a list becomes; `advance` is told of bytes read. Raises GribbleError."""
    return draft_of(read_rows(read_list(path, made, advance), made, tally), made, tally)


def read_roster(
    path: Path, made: FieldMap, tally: Tally, advance: Advance | None = None, *, preview: bool = False
) -> Iterator[ArcadeSet]:
    """The sets that a list becomes, as they come. Raises GribbleError."""
    kinds = read_kinds(read_list(path, made), made) if made.asks_kinds else None
    return read_sets(read_list(path, made, advance), made, tally, preview=preview, kinds=kinds)


class SetsMet:
    """The sets of a list as they come: how many of what, the last one, and the one least like the others."""

    def __init__(self) -> None:
        self.counts: Counter[str] = Counter()
        self._last: ArcadeSet | None = None
        self._alike: Counter[tuple[object, ...]] = Counter()
        self._first: dict[tuple[object, ...], ArcadeSet] = {}

    def counted(self, sets: Iterable[ArcadeSet]) -> Iterator[ArcadeSet]:
        """The same sets, counted as they are handed on."""
        for one in sets:
            self.counts["set"] += 1
            states = frozenset([file.state for file in one.files])
            for what, number in _kinds_of(one, states):
                self.counts[what] += number
            proven = all(file.crc32 or file.sha1 or file.md5 or file.sha256 for file in one.files)
            says = (*_filled(one), one.kind, one.plays, states, proven)
            self._alike[says] += 1
            if says not in self._first:
                self._first[says] = one
            self._last = one
            yield one

    @property
    def seen(self) -> SetsSeen:
        """What has come so far."""
        rarest = min(self._alike, key=lambda says: self._alike[says]) if len(self._alike) > 1 else None
        return SetsSeen(self.counts, self._last, self._first[rarest] if rarest else None)


def _kinds_of(one: ArcadeSet, states: frozenset[FileState]) -> Iterator[tuple[str, int]]:
    """What a set is counted among, and how often; `states` are those of its files."""
    if one.parent is not None:
        yield "clone", 1
    if one.kind is not SetKind.GAME:
        yield "BIOS set" if one.kind is SetKind.BIOS else "device", 1
    if one.samples:
        yield "list of sound samples", 1
    if one.discs:
        yield "disc", len(one.discs)
    for state in states - {FileState.GOOD}:
        what = "undumped file" if state is FileState.UNDUMPED else "poor dump"
        yield what, sum(file.state is state for file in one.files)


def _filled(one: ArcadeSet) -> tuple[bool, ...]:
    """Which fields of a set say something, by which it is compared with others."""
    fields = (one.title, one.year, one.maker, one.parent, one.bios, one.devices, one.variants, one.samples, one.discs)
    return tuple([bool(value) for value in fields])
