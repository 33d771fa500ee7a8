"""`gribble needs`: what is needed, for what, under which names."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.options import ConfigOption, EmulatorsArgument, JsonOption, RigOption


@command("needs")
def needs(
    emulators: EmulatorsArgument = None,
    rig: RigOption = None,
    catalogue: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Option(metavar="DIR", help="Read this catalogue; no configuration needed.", show_default=False),
    ] = None,
    json: JsonOption = False,
    config: ConfigOption = None,
) -> int:
    """What each emulator needs: names, places, what for, and the contents that will do.

    Example: gribble needs sandpiper --catalogue catalogue
    """
    from gribble.cli.session import Session, scope_of
    from gribble.core.errors import ExitCode
    from gribble.views.needs import needs_json, show_needs, wanted_by_sheets, wanted_on_rigs

    with Session(config, catalogue=catalogue or ()) as session:
        if catalogue:
            wanted = wanted_by_sheets(session.catalogue.sheets, emulators or [])
        else:
            scope = scope_of(rig, emulators)
            world = session.look(scope)
            wanted = wanted_on_rigs(world.rigs, world.audit(scope))
        if json:
            session.screen.json(needs_json(wanted))
        else:
            show_needs(session.screen, wanted)
        return ExitCode.USAGE if session.catalogue.mistakes else ExitCode.CLEAN
