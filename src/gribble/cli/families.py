"""The families of sets, as `gribble sets show` and `gribble needs` tell them."""

from __future__ import annotations

from collections.abc import Iterable

from gribble.cli.session import Session
from gribble.cli.surveying import survey
from gribble.core.answers.families import Tree
from gribble.core.audit.asked import asking, sets_of
from gribble.core.audit.scope import Scope
from gribble.core.base.errors import ExitCode
from gribble.core.catalogue.families import family_of
from gribble.views.sets import families_json, show_family, show_unknown


def show_families(session: Session, scope: Scope, names: list[str], as_json: bool, also: Iterable[str] = ()) -> int:
    """The families of some sets on each rig whose roster knows them; the exit status. Raises GribbleError."""
    world = survey(session, scope, sets=names, also=also)
    rosters = {(one.name, emulator): arcade.roster for one in world.rigs for emulator, arcade in one.arcade.items()}
    known = [(roster, name) for roster in rosters.values() if roster for name in names if name in roster.sets]
    relatives = {relative for roster, name in known for relative in family_of(roster, name).path}
    everyone = sets_of(asking(world, [*names, *sorted(relatives - set(names))]).audit(scope))
    audits = {(found.rig, one.emulator, each.set): each for found, one, each in everyone}
    trees, unknown = [], []
    for found, emulator, one in (pair for pair in everyone if pair[2].set in names):
        roster = rosters[found.rig, emulator.emulator]
        if roster and one.set in roster.sets:
            around = {name: each for (*place, name), each in audits.items() if place == [found.rig, emulator.emulator]}
            trees.append(Tree(found.rig, emulator, family_of(roster, one.set), one, around))
        else:
            unknown.append((found.rig, emulator, one))
    if as_json:
        session.screen.json(families_json(trees, unknown))
    for number, tree in enumerate(() if as_json else trees):
        if number:
            session.screen.out.print()
        show_family(session.screen, tree)
    for rig, emulator, one in () if as_json else unknown:
        show_unknown(session.screen, rig, emulator, one)
    return ExitCode.USAGE if session.loaded.catalogue.mistakes else ExitCode.CLEAN
