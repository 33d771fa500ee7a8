"""The places where emulators want files, made once when a sheet is fitted to a rig."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cached_property
from types import MappingProxyType

from msgspec import Struct, structs

from gribble.core.base.paths import base, join, parent
from gribble.core.records.config import Installed, Liking
from gribble.core.records.sheet import Accept, Arcade, Media, Need, Root, Setting, Sheet


class Place(Struct, frozen=True, kw_only=True):
    """One place where an emulator wants a file. `need` says what is wanted there; of a manifest it is one file alone.

    `folder` is relative to the rig's root, `names` are accepted in it, the one that placing writes first, and in the
    folders that are looked in `too`. `ignored`
    says that the user lives without, `unmeetable` that no known content works with the release, `exact` that the device
    compares names exactly, whatever the volume does.
    """

    emulator: str
    need: Need
    folder: str
    names: tuple[str, ...]
    too: tuple[str, ...] = ()
    ignored: bool = False
    unmeetable: bool = False
    exact: bool = False

    @property
    def path(self) -> str:
        """Where the file is written."""
        return join(self.folder, self.names[0])

    @property
    def paths(self) -> list[str]:
        """Every path under which it is accepted, unless any name will do."""
        return [join(folder, name) for folder in (self.folder, *self.too) for name in self.names]

    @property
    def any_name(self) -> bool:
        """Whether any name in the folder will do."""
        return self.need.any_name

    @property
    def words(self) -> str:
        """Whose place it is: "sandpiper's Tern 8 boot ROM"."""
        return f"{self.emulator}'s {self.need.called}"

    def is_same(self, other: Place) -> bool:
        """Whether two places are of one need, or of parts of one."""
        return (self.emulator, self.need.id) == (other.emulator, other.need.id)

    def is_instead(self, other: Place) -> bool:
        """Whether one of two needs is enough."""
        choice = self.need.choice
        return self.emulator == other.emulator and choice is not None and choice == other.need.choice

    def is_apart(self, other: Place) -> bool:
        """Whether two needs are known to have no content in common."""
        one, two = self.need, other.need
        if one.key or two.key or not one.accept or not two.accept:
            return False
        known = all(accept.strongest() for accept in (*one.accept, *two.accept))
        return known and not any(mine.agrees(theirs) for mine in one.accept for theirs in two.accept)


def places_of(
    emulator: str, folders: Mapping[str, str], need: Need, more: Mapping[str, tuple[str, ...]] = MappingProxyType({})
) -> Iterator[Place]:
    """Each place of a need: one for each file of a manifest, else its own and those where copies are wanted. `folders`
    are the sheet's, as they are on the rig, and `more` are looked in, too."""
    too = more.get(need.folder, ())
    if not need.file:
        yield Place(emulator=emulator, need=need, folder=folders[need.folder], names=need.names, too=too)
    single = [(need, join(folders[copy.folder], copy.name)) for copy in need.also]
    for part, path in [(part, join(folders[need.folder], part.name)) for part in need.parts()] if need.file else single:
        inner = parent(part.name)
        others = tuple(join(folder, inner) for folder in too) if need.file else ()
        yield Place(emulator=emulator, need=part, folder=parent(path), names=(base(path),), too=others)


class Fitted(Struct, frozen=True, kw_only=True, dict=True):
    """A sheet fitted to one rig and release: folders as they are there, only the needs that concern it.

    `unmeetable` are needs none of whose known contents works with the release; `other_releases` are the contents, by
    need, that work with other releases only. `installed` is what the person says of it, `sheet` holds for every
    rig. Accepts are in the order of `liking`, preferred first.
    """

    emulator: str
    title: str
    sheet: Sheet
    folders: dict[str, str]
    more_folders: dict[str, tuple[str, ...]] = {}
    needs: tuple[Need, ...]
    unmeetable: frozenset[str] = frozenset()
    other_releases: dict[str, tuple[Accept, ...]] = {}
    setting: tuple[Setting, ...] = ()
    media: tuple[Media, ...] = ()
    root: Root = Root()
    arcade: Arcade | None = None
    installed: Installed = Installed()
    liking: Liking = Liking()
    note: str = ""

    @property
    def release(self) -> str | None:
        """The release that is installed; None is the newest."""
        return self.installed.release

    @cached_property
    def places(self) -> dict[str, tuple[Place, ...]]:
        """Where each need wants its files, by need."""
        return {need.id: tuple(self._places(need)) for need in self.needs}

    def _places(self, need: Need) -> Iterator[Place]:
        ignored, unmeetable = need.id in self.installed.ignore, need.id in self.unmeetable
        for place in places_of(self.emulator, self.folders, need, self.more_folders):
            yield structs.replace(place, ignored=ignored, unmeetable=unmeetable, exact=self.root.exact_names)
