"""What a survey holds: files as they are, and archives that are unpacked only when they are asked."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property

from gribble.core.base.digests import Digests
from gribble.core.records.holding import Archived, Holding, Holdings
from gribble.core.survey.facts import UNREADABLE, Sketch


class SketchedArchive(Archived):
    """An archive that is known by a sketch."""

    __slots__ = ("_members", "_sketch", "holding")

    def __init__(self, holding: Holding, sketch: Sketch) -> None:
        self.holding, self._sketch = holding, sketch
        self._members: tuple[Holding, ...] | None = None

    @property
    def checksums(self) -> Sequence[int]:  # type: ignore[override]
        """The members' CRC-32s."""
        return self._sketch.checksums

    @property
    def sizes(self) -> Sequence[int]:  # type: ignore[override]
        """Their sizes in bytes."""
        return self._sketch.sizes

    @property
    def stems(self) -> Sequence[int]:  # type: ignore[override]
        """The words of their stems."""
        return self._sketch.stems

    @property
    def endings(self) -> Sequence[int]:  # type: ignore[override]
        """The words of their endings."""
        return self._sketch.endings

    @property
    def members(self) -> tuple[Holding, ...]:
        """Its members as holdings; none where what was remembered makes no sense."""
        if self._members is None:
            try:
                known = self._sketch.unpacked()
            except UNREADABLE:
                known = ()
            own = self.holding
            self._members = tuple(
                Holding(
                    rig=own.rig,
                    root=own.root,
                    path=own.path,
                    member=one.name.decode("utf-8", "surrogateescape"),
                    size=one.size or 0,
                    digests=Digests(crc32=one.crc32),
                    carried=True,
                )
                for one in known
            )
        return self._members


class HeldHere(Holdings):
    """What is held in one folder, in the order in which it was met."""

    def __init__(self, opened: Iterable[Holding] = (), archives: Iterable[Archived] = (), root: str = "") -> None:
        self.opened, self.archives, self.root = tuple(opened), tuple(archives), root

    def __iter__(self) -> Iterator[Holding]:
        inside = {one.holding.path: one for one in self.archives}
        for holding in self.opened:
            yield holding
            if inside and holding.member is None and (archive := inside.get(holding.path)):
                yield from archive.members

    def __len__(self) -> int:
        return len(self.opened) + sum(len(one.checksums) for one in self.archives)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, HeldHere) and list(self) == list(other)

    __hash__ = None  # type: ignore[assignment]

    def carrying(self, crc32: int) -> Sequence[Archived]:
        """The archives with a member that has this CRC-32."""
        return self._by_checksum.get(crc32, ())

    def with_stem(self, word: int) -> Sequence[Archived]:
        """The archives with a member that has this stem."""
        return self._by_stem.get(word, ())

    @cached_property
    def _by_checksum(self) -> dict[int, Sequence[Archived]]:
        return archives_by(self.archives, lambda one: one.checksums)

    @cached_property
    def _by_stem(self) -> dict[int, Sequence[Archived]]:
        return archives_by(self.archives, lambda one: one.stems)


def archives_by(
    archives: Iterable[Archived], column: Callable[[Archived], Sequence[int]]
) -> dict[int, Sequence[Archived]]:
    """Archives, in order, by what they have in a column; most have a thing alone, and it takes no list."""
    found: dict[int, Sequence[Archived]] = {}
    for archive in archives:
        alone = (archive,)
        for value in column(archive):
            there = found.setdefault(value, alone)
            if there is not alone:
                if isinstance(there, list):
                    if there[-1] is not archive:
                        there.append(archive)
                elif there[0] is not archive:
                    found[value] = [*there, archive]
    return found


NOTHING_HELD = HeldHere()
