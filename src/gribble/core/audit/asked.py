"""A world with other wishes than its configuration has: these sets, or another way of packing."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import structs

from gribble.core.audit.world import World
from gribble.core.base.errors import GribbleError
from gribble.core.base.style import Style
from gribble.core.base.suggest import suggest
from gribble.core.records.findings import EmulatorAudit, RigAudit, SetAudit
from gribble.core.records.fitted import Fitted
from gribble.core.records.roster import ArcadeWorld


def asking(world: World, names: list[str], also: Iterable[str] = ()) -> World:
    """The world in which these sets are asked for, each of every arcade emulator that wants it or whose roster knows
    it; what no roster in use knows, of those of which another release knows it.

    Raises GribbleError, with the nearest name of a set or of `also`.
    """
    if not names:
        return world
    known = {
        name for rig in world.rigs for arcade in rig.arcade.values() if arcade.roster for name in arcade.roster.sets
    }
    if not known.issuperset(names):
        world = world.knowing_other_releases()
    others = [other for rig in world.rigs for arcade in rig.arcade.values() for other in arcade.others]
    for name in names:
        if name not in known and not any(name in other.sets for other in others):
            if not also and any(name in rig.names for rig in world.rigs):
                raise GribbleError(f"'{name}' is an emulator, no set", fix=f"gribble check {name} tells of its sets.")
            raise GribbleError(
                f"'{name}' is no {'emulator and no ' if also else ''}set of any roster"
                f"{suggest(name, sorted(known.union(also)))}",
                fix="gribble sets check --verbose lists every set that is wanted.",
            )
    rigs = []
    for rig in world.rigs:
        group = tuple(
            structs.replace(fitted, asked=_concerning(fitted, rig.arcade[fitted.emulator], names, known))
            if fitted.emulator in rig.arcade
            else fitted
            for fitted in rig.emulators
        )
        rigs.append(structs.replace(rig, emulators=group))
    return structs.replace(world, rigs=tuple(rigs))


def _concerning(fitted: Fitted, arcade: ArcadeWorld, names: list[str], known: set[str]) -> tuple[str, ...]:
    """Those of some sets that one emulator is asked for; `known` are all that any roster in use has."""
    wants = {*(arcade.roster.sets if arcade.roster else ()), *(fitted.wanted or ())}
    other = {name for one in arcade.others for name in one.sets} - known
    return tuple(name for name in names if name in wants or name in other)


def packed_as(world: World, style: Style | None, stubs: bool, lean: bool) -> World:
    """The world with another way of packing, where one is given; what no wanted set needs goes with `lean`."""
    rigs = []
    for rig in world.rigs:
        group = tuple(
            structs.replace(fitted, style=style or fitted.style, stubs=stubs or fitted.stubs, lean=lean)
            for fitted in rig.emulators
        )
        rigs.append(structs.replace(rig, emulators=group))
    return structs.replace(world, rigs=tuple(rigs))


def sets_of(audits: tuple[RigAudit, ...]) -> list[tuple[RigAudit, EmulatorAudit, SetAudit]]:
    """Every audited set with its rig and emulator."""
    return [(rig, emulator, one) for rig in audits for emulator in rig.emulators for one in emulator.sets]
