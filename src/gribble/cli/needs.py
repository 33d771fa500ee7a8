"""`gribble needs`: what is needed, for what, under which names."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Annotated

import typer
from msgspec import structs

from gribble.cli.command import Call, command
from gribble.cli.completing import wanted_words
from gribble.cli.session import Session
from gribble.cli.surveying import sets_named, survey
from gribble.core.answers.needed import Tree, needed_by_sheets, needed_in_world, read_words
from gribble.core.audit.asked import check_scope, sets_of
from gribble.core.audit.layout import called
from gribble.core.audit.world import World
from gribble.core.base.errors import ExitCode
from gribble.core.catalogue.families import family_of
from gribble.core.records.config import Ask, Scope
from gribble.core.records.findings import EmulatorAudit, SetAudit
from gribble.core.records.roster import Roster
from gribble.views.needs import needs_json, show_needs
from gribble.views.sets import families_json, show_family, show_unknown
from gribble.views.words import show_words, words_json


@command("needs", takes="rig json config")
def needs(
    call: Call,
    names: Annotated[
        list[str] | None,
        typer.Argument(metavar="[EMULATOR | MACHINE | SET]...", help="Only these.", autocompletion=wanted_words),
    ] = None,
    catalogue: Annotated[
        list[str] | None, typer.Option(metavar="DIR", help="Read this catalogue; no configuration needed.")
    ] = None,
    tree: Annotated[bool, typer.Option("--tree", help="Show sets with their families.")] = False,
) -> int:
    """What each emulator needs, and what you have of it.

    It shows names, places, what each file is for, and the contents that will do.

    Example: gribble needs sandpiper --catalogue catalogue
    """
    with Session(call, catalogue=catalogue or ()) as session:
        sheets = session.loaded.catalogue.sheets
        known = {*sheets, *(machine for sheet in sheets.values() for machine in sheet.machines)}
        meant = any(called(name, sheets.values()) for name in names or ())
        sets = bool(names) and bool(session.loaded.catalogue.rosters) and not meant
        if (tree or sets) and names and not catalogue:
            return show_families(session, call.scope, names, call.json, known)
        words = read_words(names or (), sheets)
        if catalogue:
            wanted = needed_by_sheets(sheets, words)
        else:
            scope = call.scope
            if scope.rigs:
                check_scope(session.loaded.config, structs.replace(scope, emulators=words.emulators))
            session.tell_idle()
            world = survey(session, scope)
            session.notes.aside(*_nothing_said(world, scope.rigs))
            wanted = needed_in_world(world, sheets, words, scope.rigs)
        if call.json:
            session.screen.json(needs_json(wanted))
        else:
            show_needs(session.screen, wanted, verbose=call.verbose)
        return ExitCode.USAGE if session.loaded.catalogue.mistakes else ExitCode.CLEAN


def _nothing_said(world: World, rigs: tuple[str, ...]) -> Iterator[str]:
    """The rigs and emulators of which nothing can be said, each with the reason."""
    for rig in world.rigs:
        if rig.away and (not rigs or rig.name in rigs):
            yield f"note: {rig.name} is away: {rig.away}"
        elif not rigs or rig.name in rigs:
            yield from (f"note: {one.emulator} on {rig.name}: {one.why}" for one in rig.unknown)


@command("words", takes="json")
def words(call: Call) -> int:
    """The words of Gribble, each with an example.

    It explains rig, source, sheet, need, sound, astray and the others.

    Example: gribble words
    """
    if call.json:
        call.screen.json(words_json())
    else:
        show_words(call.screen)
    return ExitCode.CLEAN


def show_families(session: Session, scope: Scope, names: list[str], as_json: bool, also: Iterable[str] = ()) -> int:
    """The families of some sets on each rig whose roster knows them; the exit status. Raises GribbleError."""
    asked = sets_named(session, scope, names, also)
    world = survey(session, scope)
    rosters = {(one.name, emulator): arcade.roster for one in world.rigs for emulator, arcade in one.arcade.items()}
    trees, unknown = _families_of(world, rosters, scope, asked)
    if as_json:
        session.screen.json(families_json(trees, unknown))
        return ExitCode.USAGE if session.loaded.catalogue.mistakes else ExitCode.CLEAN
    for number, tree in enumerate(trees):
        if number:
            session.screen.out.print()
        show_family(session.screen, tree, verbose=session.call.wordy)
    for rig, emulator, one in unknown:
        show_unknown(session.screen, rig, emulator, one)
    return ExitCode.USAGE if session.loaded.catalogue.mistakes else ExitCode.CLEAN


def _families_of(
    world: World, rosters: Mapping[tuple[str, str], Roster | None], scope: Scope, asked: tuple[str, ...]
) -> tuple[list[Tree], list[tuple[str, EmulatorAudit, SetAudit]]]:
    """The families of some sets, by rig and emulator, with what is true of their relatives; and the sets of which the
    roster there knows nothing."""
    known = [(roster, name) for roster in rosters.values() if roster for name in asked if name in roster.sets]
    relatives = {relative for roster, name in known for relative in family_of(roster, name).path}
    names_and_relatives = (*asked, *sorted(relatives - set(asked)))
    everyone = sets_of(world.audit(Ask(scope=scope, sets_only=True, sets=names_and_relatives)))
    around: dict[tuple[str, str], dict[str, SetAudit]] = {}
    for found, emulator, one in everyone:
        around.setdefault((found.rig, emulator.emulator), {})[one.set] = one
    trees, unknown = [], []
    for found, emulator, one in (each for each in everyone if each[2].set in asked):
        here = found.rig, emulator.emulator
        roster = rosters[here]
        if roster and one.set in roster.sets:
            trees.append(Tree(found.rig, emulator, family_of(roster, one.set), one, around[here]))
        else:
            unknown.append((found.rig, emulator, one))
    return trees, unknown
