"""One rig's loose files, found by path, by folder, and by spelling where the volume folds case."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator
from functools import cached_property
from itertools import chain

from gribble.core.base.paths import fold, join, parent
from gribble.core.records.holding import Holding, Skipped, Why
from gribble.core.records.place import Place
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.sheet import Accept


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
        found = {""}
        for folder in {parent(path) for path in self.loose}:
            while folder not in found:
                found.add(folder)
                folder = parent(folder)
        return frozenset(found)

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
        return self.in_other_case(path) if self._rig.folds_case else None

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
        return fold(path) if self._rig.folds_case else path

    def spelled(self, folder: str) -> str:
        """A folder as it is spelled on disk, as far as it is there."""
        return self._spelled(folder) if self._rig.folds_case else folder

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
        return frozenset(self._rig.inward.values())

    def leans(self, path: str) -> bool:
        """Whether a link of the rig needs a file where it lies."""
        at = path
        while at and at not in self.leaned_on:
            at = parent(at)
        return bool(at)
