"""A world with other wishes than its configuration has: these sets, or another way of packing."""

from __future__ import annotations

from collections.abc import Collection, Container, Iterable

from msgspec import structs

from gribble.core.arcade.cabinet import contents_of
from gribble.core.audit.world import World
from gribble.core.base.errors import GribbleError
from gribble.core.base.style import Style
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.choosing import Load, with_others
from gribble.core.catalogue.rosters import load_roster
from gribble.core.records.findings import EmulatorAudit, RigAudit, SetAudit
from gribble.core.records.fitted import Fitted
from gribble.core.records.holding import Holding
from gribble.core.records.roster import ArcadeWorld, Content, Roster, SetKind


def require_sets(
    arcades: Iterable[ArcadeWorld],
    names: Iterable[str],
    emulators: Container[str] = (),
    also: Iterable[str] = (),
    load: Load = load_roster,
) -> None:
    """Raise GribbleError, with the nearest name of a set or of `also`, for a name that no roster knows, of whatever
    release; that of one of the `emulators` is told for what it is."""
    arcades = tuple(arcades)
    in_use = [one.roster.sets for one in arcades if one.roster]
    for name in names:
        if any(name in sets for sets in in_use):
            continue
        if any(name in other.sets for one in arcades for other in with_others(one, load).others):
            continue
        also = tuple(also)
        if not also and name in emulators:
            raise GribbleError(f"'{name}' is an emulator, no set", fix=f"gribble check {name} tells of its sets.")
        known = sorted({*also, *(known for sets in in_use for known in sets)})
        raise GribbleError(
            f"'{name}' is no {'emulator and no ' if also else ''}set of any roster{suggest(name, known)}",
            fix="gribble sets check --verbose lists every set that is wanted.",
        )


def asking(world: World, names: Collection[str]) -> World:
    """The world in which these sets are asked for, each of every arcade emulator that wants it or whose roster knows
    it; what no roster in use knows, of those of which another release knows it."""
    if not names:
        return world
    in_use = [arcade.roster.sets for rig in world.rigs for arcade in rig.arcade.values() if arcade.roster]
    known = {name for name in names if any(name in sets for sets in in_use)}
    if len(known) < len(names):
        world = world.knowing_other_releases()
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


def _concerning(fitted: Fitted, arcade: ArcadeWorld, names: Collection[str], known: Container[str]) -> tuple[str, ...]:
    """Those of some sets that one emulator is asked for; `known` are those that any roster in use has."""
    own, wanted = arcade.roster.sets if arcade.roster else {}, frozenset(fitted.wanted or ())
    return tuple(
        name
        for name in names
        if name in own or name in wanted or (name not in known and any(name in other.sets for other in arcade.others))
    )


def concerning(world: World, holdings: Iterable[Holding]) -> World:
    """The world in which of the wanted sets only those are judged that could use one of some holdings."""
    contents = {content for holding in holdings for content in contents_of(holding)}
    rigs = []
    for rig in world.rigs:
        group = tuple(
            structs.replace(fitted, among=_users_of(arcade.roster, contents)) if arcade and arcade.roster else fitted
            for fitted in rig.emulators
            for arcade in [rig.arcade.get(fitted.emulator)]
        )
        rigs.append(structs.replace(rig, emulators=group))
    return structs.replace(world, rigs=tuple(rigs))


def _users_of(roster: Roster, contents: Collection[Content]) -> frozenset[str]:
    """The sets that list one of some contents, and those that such a BIOS set or device belongs to."""
    listing = list(roster.sets.having(contents))
    users = {one.set for one in listing}
    if all(one.kind is SetKind.GAME for one in listing):
        return frozenset(users)
    more = -1
    while more != len(users):  # a clone takes BIOS and devices from its parent, a device may need others
        more = len(users)
        for one in roster.sets.outlines():
            if one.bios in users or one.parent in users or not users.isdisjoint(one.devices):
                users.add(one.set)
    return frozenset(users)


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
