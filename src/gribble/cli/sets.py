"""`gribble sets check|show`: arcade sets, and whether they run."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.completing import sets as set_names
from gribble.cli.options import (
    AtOption,
    ConfigOption,
    FromOption,
    JsonOption,
    OnlyOption,
    RereadOption,
    RigOption,
    SkipOption,
    SortOption,
    VerboseOption,
    YesOption,
    sorted_audits,
)
from gribble.core.base.style import Style

if TYPE_CHECKING:
    from collections.abc import Iterable

    from gribble.cli.session import Session
    from gribble.core.audit.scope import Scope
    from gribble.core.audit.world import World
    from gribble.core.records.findings import EmulatorAudit, RigAudit, SetAudit

SetsArgument = Annotated[
    Optional[list[str]],  # noqa: UP045
    typer.Argument(
        metavar="[SET]...", help="Only these (default: those wanted).", show_default=False, autocompletion=set_names
    ),
]

ABOUT = "Arcade sets: which of them run, and what the others lack."


@command("check", group="sets", about=ABOUT)
def check(
    names: SetsArgument = None,
    rig: RigOption = None,
    from_: FromOption = None,
    at: AtOption = None,
    reread: RereadOption = False,
    sort: SortOption = None,
    json: JsonOption = False,
    verbose: VerboseOption = False,
    config: ConfigOption = None,
) -> int:
    """Which sets run on your rigs; of the others each file at fault, and where a right one is held.

    Example: gribble sets check --sort worst
    """
    from gribble.cli.session import Session, scope_of
    from gribble.core.base.errors import ExitCode
    from gribble.views.sets import sets_json, show_checked

    scope = scope_of(rig, None, from_, at)
    with Session(config) as session:
        world = session.look(scope, reread=reread, verbose=verbose)
        with_sets = {found.name for found in world.rigs if any(one.arcade for one in found.emulators)}
        audits = tuple(found for found in asking(world, names or []).audit(scope) if found.rig in with_sets)
        audits = sorted_audits(audits, sort)
        if json:
            session.screen.json(sets_json(audits))
        else:
            show_checked(session.screen, audits, verbose=verbose or bool(names))
        states = [one.state for found in audits for emulator in found.emulators for one in emulator.sets]
        code = session.ended(states)
        return ExitCode.FAILED if code == ExitCode.CLEAN and any(found.away for found in audits) else code


@command("pack", group="sets", about=ABOUT)
def pack(
    names: SetsArgument = None,
    style: Annotated[
        Optional[Style],  # noqa: UP045
        typer.Option(metavar="STYLE", help="split, merged or full (default: the rig's own).", show_default=False),
    ] = None,
    stubs: Annotated[bool, typer.Option("--stubs", help="Leave an empty archive for each merged clone.")] = False,
    lean: Annotated[bool, typer.Option("--lean", help="Leave out what no wanted set needs.")] = False,
    only: OnlyOption = None,
    skip: SkipOption = None,
    rig: RigOption = None,
    from_: FromOption = None,
    at: AtOption = None,
    yes: YesOption = False,
    config: ConfigOption = None,
) -> int:
    """Build, rename and repack archives from whatever is held; without a style, only what sets lack is brought.

    Example: gribble sets pack --style merged
    """
    from gribble.cli.running import finish_open_runs, place_plan, planned
    from gribble.cli.session import MOST_PASSED_OVER, Session, scope_of
    from gribble.core.base.errors import ExitCode, GribbleError

    if lean and names:
        raise GribbleError(
            "--lean leaves out what no wanted set needs, so it looks at all of them",
            fix="Leave the names of sets away.",
        )
    scope = scope_of(rig, None, from_, at)
    with Session(config, strict=True) as session:
        finished = finish_open_runs(session, scope, yes)
        if finished in (ExitCode.INTERRUPTED, ExitCode.ATTENTION):
            return finished
        world = packed_as(asking(session.look(scope, told=MOST_PASSED_OVER), names or []), style, stubs, lean)
        audits = world.audit(scope, packing=True)
        code = place_plan(session, scope, audits, planned(session, audits, only, skip, sets_only=True), yes)
        return finished or code


@command("show", group="sets", about=ABOUT)
def show(
    name: Annotated[str, typer.Argument(metavar="SET", help="The set.", autocompletion=set_names)],
    rig: RigOption = None,
    json: JsonOption = False,
    config: ConfigOption = None,
) -> int:
    """A set's family: its files, its parent's, its BIOS set's and devices', each held or at fault.

    Example: gribble sets show saltpan
    """
    from gribble.cli.session import Session, scope_of

    with Session(config) as session:
        return show_families(session, scope_of(rig), [name], json)


def show_families(session: Session, scope: Scope, names: list[str], as_json: bool, also: Iterable[str] = ()) -> int:
    """The families of some sets on each rig whose roster knows them; the exit status. Raises GribbleError."""
    from gribble.core.answers.families import Tree
    from gribble.core.base.errors import ExitCode
    from gribble.core.catalogue.families import family_of
    from gribble.views.sets import families_json, show_family

    world = asking(session.look(scope), names, also)
    rosters = {(one.name, emulator): arcade.roster for one in world.rigs for emulator, arcade in one.arcade.items()}
    trees = []
    for found, emulator, one in sets_of(world.audit(scope)):
        roster = rosters[found.rig, emulator.emulator]
        if roster and one.set in roster.sets:
            trees.append(Tree(found.rig, emulator, family_of(roster, one.set), one))
    if as_json:
        session.screen.json(families_json(trees))
    for number, tree in enumerate(() if as_json else trees):
        if number:
            session.screen.out.print()
        show_family(session.screen, tree)
    return ExitCode.USAGE if session.catalogue.mistakes else ExitCode.CLEAN


def asking(world: World, names: list[str], also: Iterable[str] = ()) -> World:
    """The world with these sets wanted, on every arcade emulator whose roster knows one.

    Raises GribbleError, with the nearest name of a set or of `also`.
    """
    from msgspec import structs

    from gribble.core.base.errors import GribbleError
    from gribble.core.base.tables import suggest

    if not names:
        return world
    known = {
        name for rig in world.rigs for arcade in rig.arcade.values() if arcade.roster for name in arcade.roster.sets
    }
    if not known.issuperset(names):
        world = world.knowing_other_releases()
    for name in names:
        others = [other for rig in world.rigs for arcade in rig.arcade.values() for other in arcade.others]
        if name not in known and not any(name in other.sets for other in others):
            raise GribbleError(
                f"'{name}' is no {'emulator and no ' if also else ''}set of any roster"
                f"{suggest(name, sorted(known.union(also)))}",
                fix="gribble sets check --verbose lists every set that is wanted.",
            )
    rigs = []
    for rig in world.rigs:
        group = tuple(
            structs.replace(fitted, wanted=tuple(names)) if fitted.emulator in rig.arcade else fitted
            for fitted in rig.emulators
        )
        rigs.append(structs.replace(rig, emulators=group))
    return structs.replace(world, rigs=tuple(rigs))


def packed_as(world: World, style: Style | None, stubs: bool, lean: bool) -> World:
    """The world with another way of packing, where one is given; what no wanted set needs goes with `lean`."""
    from msgspec import structs

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
