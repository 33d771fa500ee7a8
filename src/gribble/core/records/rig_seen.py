"""A rig as the survey met it."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from gribble.core.records.fitted import Fitted
from gribble.core.records.holding import Holdings, Skipped
from gribble.core.records.roster import ArcadeWorld


class UnknownEmulator(Struct, frozen=True):
    """An emulator in gribble.toml without a sheet that can be used, and why; `faulty` where one has mistakes."""

    emulator: str
    release: str | None
    why: str
    faulty: bool = False


class RigSeen(Struct, frozen=True, kw_only=True):
    """One rig as the survey met it: its emulators and files; `hidden` are paths that could not be looked into.

    `volume` and `label` are what is known of the volume, empty where that is nothing; `seen_as` is the root as the
    device calls it; `arcade` are the rosters of its arcade emulators, `unknown` the emulators whose sheets cannot be
    used, with why. `variables` are those of this machine, None where the rig is on another.

    `odd` are the paths at which there is something that is no readable file, `folders` its folders, `inward` its links
    that stay in it, with the path of what they lead to, `outward` those that lead out, and `sources` its folders that
    are sources, each with where that is.
    """

    name: str
    root: str
    emulators: tuple[Fitted, ...]
    holdings: Holdings
    hidden: dict[str, str] = {}
    odd: dict[str, Skipped] = {}
    folders: frozenset[str] = frozenset()
    inward: dict[str, str] = {}
    outward: dict[str, str] = {}
    sources: dict[str, str] = {}
    folds_case: bool = False
    away: str = ""
    new: bool = False
    seen_as: str = ""
    volume: str = ""
    label: str = ""
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
        return {path: where for path, where in {**self.inward, **self.outward}.items() if path in there}
