"""A rig as the survey met it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cached_property

from msgspec import Struct

from gribble.core.base.digests import DiscHeader
from gribble.core.base.paths import fold, parent, path_fault
from gribble.core.records.discs import Checked
from gribble.core.records.facts import Fact, FileAbove, InSource, IsFolder, IsThing, LinkOut, NamedOddly
from gribble.core.records.holding import FileKey, Holding, Holdings, Skipped
from gribble.core.records.keyfile import KeyFile
from gribble.core.records.place import Fitted
from gribble.core.records.roster import ArcadeWorld


class UnknownEmulator(Struct, frozen=True):
    """An emulator of which nothing can be said, and why: it has no sheet that can be used (`faulty` where one has
    mistakes), or its folder seems to be elsewhere now, where it is `moved_to`."""

    emulator: str
    release: str | None
    why: str
    faulty: bool = False
    moved_to: str = ""


class RigVolume(Struct, frozen=True, kw_only=True):
    """What is known of the volume that a rig is on: its kind and its label, empty if that is nothing, and whether names
    that differ in case alone are one there."""

    kind: str = ""
    label: str = ""
    folds_case: bool = False


class RigLinks(Struct, frozen=True, kw_only=True):
    """Paths of a rig behind which something else lies: links that stay in it (`inward`), with the path of what they
    lead to; links that lead out (`outward`) and folders that are `sources`, each with where that is."""

    inward: dict[str, str] = {}
    outward: dict[str, str] = {}
    sources: dict[str, str] = {}


class RigSeen(Struct, frozen=True, kw_only=True):
    """One rig as the survey met it: its emulators and files; `hidden` are paths that could not be looked into.

    `seen_as` is the root as the device calls it; `arcade` are the rosters of its arcade emulators, `unknown` the
    emulators of which nothing can be said, with why. `variables` are those of this machine, None if the rig is on
    another. `odd` are the paths at which there is something that is no readable file, `folders` its folders.
    """

    name: str
    root: str
    emulators: tuple[Fitted, ...]
    holdings: Holdings
    hidden: dict[str, str] = {}
    odd: dict[str, Skipped] = {}
    folders: frozenset[str] = frozenset()
    links: RigLinks = RigLinks()
    volume: RigVolume = RigVolume()
    away: str = ""
    new: bool = False
    seen_as: str = ""
    variables: Mapping[str, str] | None = None
    arcade: dict[str, ArcadeWorld] = {}
    unknown: tuple[UnknownEmulator, ...] = ()

    @property
    def names(self) -> list[str]:
        """The names of its emulators, those without a sheet included."""
        return [*(one.emulator for one in self.emulators), *(one.emulator for one in self.unknown)]

    @property
    def read_through(self) -> dict[str, str]:
        """The links that were read through, with what they lead to."""
        there = self.folders.union(holding.path for holding in self.holdings.opened)
        links = {**self.links.inward, **self.links.outward}
        return {path: where for path, where in links.items() if path in there}


class Unread(Struct, frozen=True):
    """Why a settings file was not read; the words follow its name. `absent` says that it is not there at all."""

    why: str
    absent: bool = False


ABSENT = Unread("is not there", absent=True)


class Readings(Struct, frozen=True, kw_only=True):
    """Contents that were read for one audit.

    `key_files` are all that could be key files, nearest first; `settings` are settings files by rig and path, or why
    they could not be read; `ids` are what files say of themselves, by file, offset and length; `discs` are the headers
    of disc images, nearest first; `sheets` are the track sheets and images of game folders that do not hold, by rig and
    folder.
    """

    key_files: tuple[tuple[Holding, KeyFile], ...] = ()
    settings: dict[tuple[str, str], bytes | Unread] = {}
    ids: dict[tuple[FileKey, int, int], str] = {}
    discs: tuple[tuple[Holding, DiscHeader], ...] = ()
    sheets: dict[tuple[str, str], tuple[Checked, ...]] = {}


class Obstacles(Struct, frozen=True, kw_only=True, dict=True):
    """The paths of a rig at which something is that is in the way, as they are spelled on disk.

    `files` are its files, in which nothing can lie, `folders` its folders, over which nothing is written; `things` are
    neither, with what they are. `serving` are the files that are sound for a need where they lie, with the needs in
    words, `for_sets` the archives and files that an emulator's wanted sets have, by emulator.
    """

    files: frozenset[str] = frozenset()
    folders: frozenset[str] = frozenset()
    things: dict[str, str] = {}
    links: RigLinks = RigLinks()
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
        return self.links.inward.get(path, path)

    def at(self, path: str) -> Fact | None:
        """Why nothing can be written to a path, nor taken away from there; None if it can."""
        if path_fault(path):
            return NamedOddly(path)
        if (key := self._key(path)) in self._folders:
            return IsFolder(self._folders[key])
        for place, what in self.things.items():
            if self._key(place) == key:
                return IsThing(place, what)
        for above in _above(path):
            key = self._key(above)
            if key in self._files:
                return FileAbove(self._files[key])
            for place, where in self.links.outward.items():
                if self._key(place) == key:
                    return LinkOut(place, where)
            for place, where in self.links.sources.items():
                if self._key(place) == key:
                    return InSource(place, where)
        return None


def _above(path: str) -> Iterator[str]:
    """The folders above a path, innermost first."""
    folder = parent(path)
    while folder:
        yield folder
        folder = parent(folder)
