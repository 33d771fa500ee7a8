"""`gribble needs`: what is needed, for what, under which names."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.options import ConfigOption, JsonOption, RigOption


@command("needs")
def needs(
    names: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Argument(metavar="[EMULATOR | MACHINE | SET]...", help="Only these.", show_default=False),
    ] = None,
    rig: RigOption = None,
    catalogue: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Option(metavar="DIR", help="Read this catalogue; no configuration needed.", show_default=False),
    ] = None,
    tree: Annotated[bool, typer.Option("--tree", help="Sets, with their families.")] = False,
    json: JsonOption = False,
    config: ConfigOption = None,
) -> int:
    """What each emulator needs: names, places, what for, and the contents that will do.

    Example: gribble needs sandpiper --catalogue catalogue
    """
    from gribble.cli.session import Session, scope_of
    from gribble.cli.sets import asking, show_families
    from gribble.core.errors import ExitCode
    from gribble.core.needed import needed_by_sheets, needed_in_world, read_words
    from gribble.views.needs import needs_json, show_needs

    with Session(config, catalogue=catalogue or ()) as session:
        sheets = session.catalogue.sheets
        if tree and names and not catalogue:
            scope = scope_of(rig)
            world = session.look(scope)
            for name in names:
                show_families(session, asking(world, [name]), scope.rigs, name)
            return ExitCode.USAGE if session.catalogue.mistakes else ExitCode.CLEAN
        words = read_words(names or (), sheets)
        if catalogue:
            wanted = needed_by_sheets(sheets, words)
        else:
            scope = scope_of(rig)
            wanted = needed_in_world(session.look(scope), sheets, words, scope.rigs)
        if json:
            session.screen.json(needs_json(wanted))
        else:
            show_needs(session.screen, wanted)
        return ExitCode.USAGE if session.catalogue.mistakes else ExitCode.CLEAN
