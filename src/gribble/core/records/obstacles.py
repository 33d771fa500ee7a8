"""What on a rig keeps a path from being written or displaced: files where folders should be, links out, sources."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

from msgspec import Struct

from gribble.core.base.paths import fold, parent
from gribble.core.records.facts import Fact, FileAbove, InSource, IsFolder, IsThing, LinkOut


class Obstacles(Struct, frozen=True, kw_only=True, dict=True):
    """The paths of a rig at which something is that is in the way, as they are spelled on disk.

    `files` are its files, in which nothing can lie, `folders` its folders, over which nothing is written; `things` are
    neither, with what they are. `outward` are links that lead out of the rig, and `sources` its folders that are
    sources, each with where that is; `inward` are links that stay in it, with the path of what they lead to. `serving`
    are the files that are sound for a need where they lie, with the needs in words, `for_sets` the archives and files
    that an emulator's wanted sets have, by emulator.
    """

    files: frozenset[str] = frozenset()
    folders: frozenset[str] = frozenset()
    things: dict[str, str] = {}
    outward: dict[str, str] = {}
    sources: dict[str, str] = {}
    inward: dict[str, str] = {}
    serving: dict[str, tuple[str, ...]] = {}
    for_sets: dict[str, frozenset[str]] = {}
    folds_case: bool = False

    def _key(self, path: str) -> str:
        return fold(path) if self.folds_case else path

    @cached_property
    def _files(self) -> dict[str, str]:
        return {self._key(path): path for path in self.files}

    @cached_property
    def _folders(self) -> dict[str, str]:
        return {self._key(path): path for path in self.folders}

    def real(self, path: str) -> str:
        """The file that is written where a path is a link that stays in the rig: what it leads to."""
        return self.inward.get(path, path)

    def at(self, path: str) -> Fact | None:
        """Why nothing can be written to a path, nor taken away from there; None where it can."""
        if (key := self._key(path)) in self._folders:
            return IsFolder(self._folders[key])
        for place, what in self.things.items():
            if self._key(place) == key:
                return IsThing(place, what)
        for above in _above(path):
            key = self._key(above)
            if key in self._files:
                return FileAbove(self._files[key])
            for place, where in self.outward.items():
                if self._key(place) == key:
                    return LinkOut(place, where)
            for place, where in self.sources.items():
                if self._key(place) == key:
                    return InSource(place, where)
        return None


def _above(path: str) -> Iterator[str]:
    """The folders above a path, innermost first."""
    folder = parent(path)
    while folder:
        yield folder
        folder = parent(folder)
