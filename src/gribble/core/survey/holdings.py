"""What a survey holds: files as they are, and archives that are unpacked only when they are asked; and one rig's loose
files, found by path, by folder, and by spelling where the volume folds case.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from fnmatch import fnmatchcase
from functools import cached_property
from itertools import chain

from gribble.core.base.digests import NO_DIGESTS, Digests
from gribble.core.base.names import ANY_NAME
from gribble.core.base.paths import fold, folders_above, join, parent
from gribble.core.records.holding import Archived, Holding, Holdings, Skipped, Why, nearness
from gribble.core.records.place import Place
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.sheet import Accept
from gribble.core.survey.facts import UNREADABLE, KnownMember, Sketch, word_of
from gribble.core.survey.matching import is_content


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
        """Its members as holdings; none if what was remembered makes no sense."""
        if self._members is None:
            own = self.holding
            self._members = tuple(
                Holding(
                    rig=own.rig,
                    root=own.root,
                    path=own.path,
                    member=one.name.decode("utf-8", ANY_NAME),
                    size=one.size or 0,
                    digests=Digests(crc32=one.crc32),
                    carried=True,
                )
                for one in self._known()
            )
        return self._members

    def listed(self) -> frozenset[tuple[str, str | None, int | None]]:
        """Its members by name, CRC-32 and size, for a look that needs no more."""
        members = self._known()
        return frozenset([(one.name.decode("utf-8", ANY_NAME), one.crc32, one.size) for one in members])

    def _known(self) -> tuple[KnownMember, ...]:
        try:
            return self._sketch.unpacked()
        except UNREADABLE:
            return ()


class HeldHere(Holdings):
    """What is held in one folder, in the order in which it was met."""

    def __init__(self, opened: Iterable[Holding] = (), archives: Iterable[Archived] = (), root: str = "") -> None:
        self.opened, self.archives, self.root = tuple(opened), tuple(archives), root
        self._expected: frozenset[str] = frozenset()
        self._stems = Column((), lambda one: one.stems)

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

    def with_digest(self, algorithm: str, digest: str) -> Iterator[Holding]:
        """Those with a digest, links aside, which are never copied or moved."""
        yield from self._by_digest.get((algorithm, digest), ())
        if algorithm == "crc32" and self.archives:
            try:
                number = int(digest, 16)
            except ValueError:
                return
            for archive in self._by_checksum.of(number):
                yield from (one for one in archive.members if one.digests.crc32 == digest)

    def with_stem(self, stem: str) -> Iterator[Holding]:
        """Those whose folded name is this up to the first dot, links aside."""
        there = self._by_stem.get(hash(stem), ())
        yield from (one for one in ((there,) if isinstance(there, Holding) else there) if stem_of(one) == stem)
        if self.archives:
            self.expect((stem,))
            for archive in self._stems.of(word_of(stem)):
                yield from (one for one in archive.members if stem_of(one) == stem)

    def expect(self, stems: Iterable[str]) -> None:
        """Be ready for these stems to be asked for in archives; each other one costs a look at every sketch."""
        asked = frozenset(stems)
        if self.archives and not self._expected.issuperset(asked):
            self._expected |= asked
            among = frozenset(map(word_of, self._expected))
            self._stems = Column(self.archives, lambda one: one.stems, among)

    @cached_property
    def _by_digest(self) -> dict[tuple[str, str], list[Holding]]:
        found: dict[tuple[str, str], list[Holding]] = {}
        for holding in self.opened:
            if holding.digests is not NO_DIGESTS and not holding.fixed:
                for pair in holding.digests.known().items():
                    found.setdefault(pair, []).append(holding)
        return found

    @cached_property
    def _by_stem(self) -> dict[int, Holding | list[Holding]]:
        """By the hash of a stem: there may be a million of them, most of them once, and few are asked for."""
        found: dict[int, Holding | list[Holding]] = {}
        for holding in self.opened:
            path = holding.path if holding.member is None else holding.member
            stem = path[path.rfind("/") + 1 :].partition(".")[0]  # as stem_of, for hundreds of thousands
            if not holding.fixed:
                key = hash(stem.lower() if stem.isascii() else stem_of(holding))
                there = found.setdefault(key, holding)
                if isinstance(there, list):
                    there.append(holding)
                elif there is not holding:
                    found[key] = [there, holding]
        return found

    @cached_property
    def _by_checksum(self) -> Column:
        return Column(self.archives, lambda one: one.checksums)


class Column:
    """Archives by what their sketches have in one column. Most have a thing alone; of the others all but the first
    stand apart, so that the many are put in order at once."""

    def __init__(
        self,
        archives: Iterable[Archived],
        column: Callable[[Archived], Sequence[int]],
        among: frozenset[int] | None = None,
    ) -> None:
        """Only what is `among` some values is asked for later, if these are given."""
        self._first: dict[int, Archived] = {}
        self._others: dict[int, list[Archived]] = {}
        for archive in archives:
            there = column(archive) if among is None else among.intersection(column(archive))
            own = dict.fromkeys(there, archive)
            for value in self._first.keys() & own.keys():
                self._others.setdefault(value, []).append(archive)
                del own[value]
            self._first.update(own)

    def of(self, value: int) -> Iterator[Archived]:
        """The archives that have a value, in order."""
        if (first := self._first.get(value)) is not None:
            yield first
            yield from self._others.get(value, ())


def stem_of(holding: Holding) -> str:
    """A holding's folded name up to the first dot."""
    path = holding.path if holding.member is None else holding.member
    return fold(path[path.rfind("/") + 1 :]).partition(".")[0]


class Stock:
    """Holdings by digest and by name.

    Links are left out: they are never copied or moved.
    """

    def __init__(self, holdings: Iterable[Holdings]) -> None:
        self._holdings = tuple(holdings)

    def copies(self, accept: Accept, rig: str) -> list[Holding]:
        """Every holding proven to be this content, as near to the rig and as safe as can be first."""
        strongest = accept.strongest()
        if strongest is None:
            return []
        digest = accept.get(strongest) or ""
        found = (one for each in self._holdings for one in each.with_digest(strongest, digest))
        right = [holding for holding in found if is_content(accept, holding.size, holding.digests)]
        return sorted(right, key=lambda holding: nearness(holding, rig))

    def expect(self, names: Iterable[str]) -> None:
        """Be ready for these names to be asked for; each other one costs a look at every archive's sketch."""
        stems = {fold(name).partition(".")[0] for name in names}
        for each in self._holdings:
            each.expect(stems)

    def stems(self, name: str) -> list[Holding]:
        """Holdings whose name is this one up to the first dot, whatever the case and the ending."""
        stem = fold(name).partition(".")[0]
        return [one for each in self._holdings for one in each.with_stem(stem)]

    def namesakes(self, names: Iterable[str], rig: str, *, here: bool = False) -> list[Holding]:
        """Holdings outside the rig, or `here` as well, that go by one of these names, whatever they contain."""
        found = (holding for name in names for holding in self.stems(name) if fold(holding.name) == fold(name))
        return sorted((one for one in found if here or one.rig != rig), key=lambda one: nearness(one, rig))

    def like(self, pattern: str) -> list[Holding]:
        """Holdings whose names, folded, are like a pattern."""
        everything = (one for each in self._holdings for one in each if not one.fixed)
        return [one for one in everything if fnmatchcase(fold(one.name), fold(pattern))]


def as_on_disk(folders: Collection[str]) -> Callable[[str], str]:
    """What spells a path as the folders of a volume that folds case are spelled, as far as they are there."""
    there = {fold(folder): folder for folder in sorted(folders)}
    exact = frozenset(folders)

    def spelled(path: str) -> str:
        above = path
        while above and above not in exact and fold(above) not in there:
            above = parent(above)
        if not above or above in exact:
            return path
        return there[fold(above)] + path[len(above) :]

    return spelled


class Shelf:
    """A rig's loose files by place. Paths are relative to its root."""

    def __init__(self, rig: RigSeen) -> None:
        self._rig = rig
        self.loose = {holding.path: holding for holding in rig.holdings.opened if holding.member is None}
        self._by_folder: dict[str, list[Holding]] = {}
        for path, holding in self.loose.items():
            self._by_folder.setdefault(self.key(parent(path)), []).append(holding)
        self._contents: dict[str, dict[tuple[str, str], list[Holding]]] = {}  # of folders that were asked for one

    @cached_property
    def _spellings(self) -> dict[str, list[str]]:
        found: dict[str, list[str]] = {}
        for path in self.loose:
            found.setdefault(fold(path), []).append(path)
        return found

    @property
    def folders(self) -> frozenset[str]:
        """Every folder that holds a file, at any depth, and the root."""
        return frozenset({"", *folders_above(self.loose)})

    def folder(self, path: str) -> list[Holding]:
        """The files directly in a folder."""
        return self._by_folder.get(self.key(path), [])

    def having(self, folder: str, accept: Accept) -> list[Holding]:
        """The files in a folder that are a content."""
        key, strongest = self.key(folder), accept.strongest()
        if key not in self._contents:
            found = self._contents[key] = {}
            for holding in self._by_folder.get(key, ()):
                for pair in holding.digests.known().items():
                    found.setdefault(pair, []).append(holding)
        likely = self._contents[key].get((strongest, accept.get(strongest) or ""), []) if strongest else []
        return [one for one in likely if accept.size in (None, one.size)]

    def below(self, path: str) -> Iterator[Holding]:
        """The files in a folder and in those below it."""
        within = self.key(path)
        for folder, files in self._by_folder.items():
            if not within or folder == within or folder.startswith(f"{within}/"):
                yield from files

    def at(self, path: str) -> Holding | None:
        """The file at a path, whatever its case where the volume folds it."""
        if path in self.loose:
            return self.loose[path]
        return self.in_other_case(path) if self._rig.volume.folds_case else None

    def in_other_case(self, path: str) -> Holding | None:
        """A file whose path differs at most in case."""
        found = self._spellings.get(fold(path))
        return self.loose[found[0]] if found else None

    def at_names(self, folder: str, names: Iterable[str]) -> Iterator[Holding]:
        """The files at some names of a folder."""
        for name in names:
            if holding := self.at(join(folder, name)):
                yield holding

    def serving(self, place: Place) -> Iterable[Holding]:
        """The files at a place, under any of its names."""
        folders = (place.folder, *place.too)
        if place.any_name:
            return chain.from_iterable(map(self.folder, folders))
        return chain.from_iterable(self.at_names(folder, place.names) for folder in folders)

    def key(self, path: str) -> str:
        """The form in which two spellings of one place on this rig are equal."""
        return fold(path) if self._rig.volume.folds_case else path

    def spelled(self, folder: str) -> str:
        """A folder as it is spelled on disk, as far as it is there."""
        return self._spelled(folder) if self._rig.volume.folds_case else folder

    @cached_property
    def _spelled(self) -> Callable[[str], str]:
        return as_on_disk(self._rig.folders)

    def unread(self, path: str) -> str:
        """Why a place could not be looked at, if it or a folder above it could not."""
        at = path
        while at and not ((odd := self._odd(at)) and odd.kind is Why.UNREAD):
            at = parent(at)
        if not at:
            return ""
        odd = self._odd(at)
        assert odd is not None
        return f"could not be examined: {at if at != path else 'it'} {odd.why}"

    def _odd(self, path: str) -> Skipped | None:
        return self._odd_things.get(self.key(path))

    @cached_property
    def _odd_things(self) -> dict[str, Skipped]:
        return {self.key(path): odd for path, odd in self._rig.odd.items()}

    @cached_property
    def _folder_keys(self) -> dict[str, str]:
        return {self.key(path): path for path in self._rig.folders}

    def thing(self, path: str) -> tuple[str, str] | None:
        """What is at a place and is no file, spelled as on disk, and what it is."""
        odd = self._odd(path)
        if odd and odd.kind in (Why.THING, Why.OUT):
            return odd.path, odd.why
        folder = self._folder_keys.get(self.key(path))
        return (folder, "is a folder, not a file") if folder is not None and path else None

    def loose_end(self, path: str) -> str:
        """The link at a place that leads nowhere, spelled as on disk; empty if there is none."""
        odd = self._odd(path)
        return odd.path if odd and odd.kind is Why.NOWHERE else ""

    @cached_property
    def leaned_on(self) -> frozenset[str]:
        """The places on the rig to which its links lead: what is there, or below, is not to be moved away."""
        return frozenset(self._rig.links.inward.values())

    def leans(self, path: str) -> bool:
        """Whether a link of the rig needs a file where it lies."""
        at = path
        while at and at not in self.leaned_on:
            at = parent(at)
        return bool(at)
