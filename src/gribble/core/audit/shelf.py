"""One rig's loose files, found by path, by folder, and by spelling where the volume folds case."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cached_property

from msgspec import Struct

from gribble.core.arcade.cabinet import Cabinet
from gribble.core.arcade.choosing import ArcadeWorld
from gribble.core.catalogue.config import Fitted
from gribble.core.paths import fold, join, parent
from gribble.core.survey.survey import Holding


class RigWorld(Struct, frozen=True, kw_only=True):
    """One rig as the survey met it: its emulators and files; `hidden` are paths that could not be looked into.

    `volume` and `label` are what is known of the volume, empty where that is nothing; `seen_as` is the root as the
    device calls it; `arcade` are the rosters of its arcade emulators.
    """

    name: str
    root: str
    emulators: tuple[Fitted, ...]
    holdings: tuple[Holding, ...] = ()
    hidden: dict[str, str] = {}
    folds_case: bool = False
    away: str = ""
    new: bool = False
    seen_as: str = ""
    volume: str = ""
    label: str = ""
    arcade: dict[str, ArcadeWorld] = {}

    def cabinet(self, fitted: Fitted, elsewhere: Iterable[Holding]) -> Cabinet:
        """What lies here for an arcade emulator, and what is held elsewhere."""
        assert fitted.arcade is not None
        return Cabinet(
            fitted.folders[fitted.arcade.folder],
            fitted.arcade.archives,
            self.name,
            self.holdings,
            elsewhere,
            self.hidden,
            self.folds_case,
        )


class Shelf:
    """A rig's loose files by place. Paths are relative to its root."""

    def __init__(self, rig: RigWorld) -> None:
        self._rig = rig
        self.loose = {holding.path: holding for holding in rig.holdings if holding.member is None}
        self._by_folder: dict[str, list[Holding]] = {}
        for path, holding in self.loose.items():
            self._by_folder.setdefault(parent(path), []).append(holding)

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
        for folder in self._by_folder:
            while folder not in found:
                found.add(folder)
                folder = parent(folder)
        return frozenset(found)

    def folder(self, path: str) -> list[Holding]:
        """The files directly in a folder."""
        return self._by_folder.get(path, [])

    def below(self, path: str) -> Iterator[Holding]:
        """The files in a folder and in those below it."""
        for folder, files in self._by_folder.items():
            if folder == path or folder.startswith(f"{path}/"):
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

    def key(self, path: str) -> str:
        """The form in which two spellings of one place on this rig are equal."""
        return fold(path) if self._rig.folds_case else path

    def hidden(self, path: str) -> str:
        """Why a place could not be looked at, if it or a folder above it could not."""
        at = path
        while at and at not in self._rig.hidden:
            at = parent(at)
        if not at:
            return ""
        return f"could not be examined: {at if at != path else 'it'} {self._rig.hidden[at]}"
