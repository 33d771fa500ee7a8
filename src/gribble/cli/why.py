"""`gribble why`: the reasons why an emulator will not run."""

from __future__ import annotations

from typing import Annotated

import typer

from gribble.cli.app import command
from gribble.cli.options import AtOption, ConfigOption, FromOption, JsonOption, RigOption


@command("why")
def why(
    emulator: Annotated[str, typer.Argument(metavar="EMULATOR", help="The emulator that will not run.")],
    rig: RigOption = None,
    from_: FromOption = None,
    at: AtOption = None,
    json: JsonOption = False,
    config: ConfigOption = None,
) -> int:
    """Why an emulator will not run: first things first, each with the next step.

    Example: gribble why sandpiper
    """
    from gribble.cli.session import Session, scope_of
    from gribble.views.why import answers, show_why, why_json

    scope = scope_of(rig, [emulator], from_, at)
    with Session(config) as session:
        found = answers(session.look(scope).audit(scope, games=True))
        found = [one for one in found if one.emulator or emulator in session.config.rig[one.rig.rig].emulators]
        if json:
            session.screen.json(why_json(emulator, found))
        else:
            show_why(session.screen, found)
        return session.ended(answer.state for answer in found)
