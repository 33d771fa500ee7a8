"""`gribble needs`: what is needed, for what, under which names."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.command import Call, command
from gribble.cli.completing import subjects
from gribble.cli.families import show_families
from gribble.cli.session import Session
from gribble.cli.surveying import survey
from gribble.core.answers.needed import needed_by_sheets, needed_in_world, read_words
from gribble.core.base.errors import ExitCode
from gribble.views.needs import needs_json, show_needs


@command("needs", takes="rig json config")
def needs(
    call: Call,
    names: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Argument(
            metavar="[EMULATOR | MACHINE | SET]...", help="Only these.", show_default=False, autocompletion=subjects
        ),
    ] = None,
    catalogue: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Option(metavar="DIR", help="Read this catalogue; no configuration needed.", show_default=False),
    ] = None,
    tree: Annotated[bool, typer.Option("--tree", help="Sets, with their families.")] = False,
) -> int:
    """What each emulator needs, and which of it is held.

    Names, places, what for, and the contents that will do.

    Example: gribble needs sandpiper --catalogue catalogue
    """
    with Session(call, catalogue=catalogue or ()) as session:
        sheets = session.loaded.catalogue.sheets
        known = {*sheets, *(machine for sheet in sheets.values() for machine in sheet.machines)}
        sets = bool(names) and bool(session.loaded.catalogue.rosters) and known.isdisjoint(names or ())
        if (tree or sets) and names and not catalogue:
            return show_families(session, call.scope, names, call.json, known)
        words = read_words(names or (), sheets)
        if catalogue:
            wanted = needed_by_sheets(sheets, words)
        else:
            scope = call.scope
            session.tell_idle()
            wanted = needed_in_world(survey(session, scope), sheets, words, scope.rigs)
        if call.json:
            session.screen.json(needs_json(wanted))
        else:
            show_needs(session.screen, wanted, verbose=call.verbose)
        return ExitCode.USAGE if session.loaded.catalogue.mistakes else ExitCode.CLEAN
