"""`gribble place`: the plan carried out."""

from __future__ import annotations

from typing import Annotated

import typer

from gribble.cli.app import command
from gribble.cli.options import AtOption, ConfigOption, EmulatorsArgument, FromOption, RigOption, YesOption


@command("place")
def place(
    emulators: EmulatorsArgument = None,
    rig: RigOption = None,
    from_: FromOption = None,
    at: AtOption = None,
    yes: YesOption = False,
    resume: Annotated[bool, typer.Option("--resume", help="Only finish a run that was cut short.")] = False,
    by_name: Annotated[
        bool, typer.Option("--by-name", help="Also take files that no digest can prove, by their name.")
    ] = False,
    config: ConfigOption = None,
) -> int:
    """Put things right: shows the plan, asks, and carries it out. `gribble undo` takes it back.

    Example: gribble place --rig lighthouse
    """
    from gribble.cli.running import finish_open_runs, place_plan
    from gribble.cli.session import Session, scope_of
    from gribble.core.errors import ExitCode
    from gribble.core.placing.plan import make_plan

    scope = scope_of(rig, emulators, from_, at)
    with Session(config, strict=True) as session:
        finished = finish_open_runs(session, scope)
        if resume:
            if finished is None:
                session.screen.say("No run was cut short: nothing to finish.")
            return finished or ExitCode.CLEAN
        audits = session.look(scope).audit(scope, packing=True)
        code = place_plan(session, scope, audits, make_plan(audits, by_name=by_name), yes)
        return finished or code
