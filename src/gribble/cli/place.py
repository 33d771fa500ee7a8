"""`gribble place`: the plan carried out."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Optional

import typer

from gribble.cli.command import Call, command
from gribble.cli.options import (
    ByNameOption,
    GamesOption,
    HiddenOption,
    LinkOption,
    OnlyOption,
    SkipOption,
    TrustOption,
    YesOption,
)
from gribble.cli.running import finish_open_runs, narrow, place_plan, planned, refuse_to_resume
from gribble.cli.session import Session
from gribble.cli.surveying import MOST_PASSED_OVER, survey
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.placing.narrowing import linked
from gribble.core.placing.planfile import judged, read_plan


@command("place", takes="emulators rig from_ at config")
def place(
    call: Call,
    only: OnlyOption = None,
    skip: SkipOption = None,
    plan: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option(metavar="FILE", help="Carry out a plan that was written before.", show_default=False),
    ] = None,
    link: LinkOption = None,
    trust_size: TrustOption = False,
    yes: YesOption = False,
    resume: Annotated[bool, typer.Option("--resume", help="Only finish a run that was cut short.")] = False,
    by_name: ByNameOption = False,
    games: GamesOption = False,
    hidden: HiddenOption = False,
) -> int:
    """Put things right: shows the plan, asks, does it.

    Nothing is deleted: what is displaced goes to the attic, and `gribble undo` takes the run back.

    Example: gribble place --rig lighthouse
    """
    if plan and (call.scope.emulators or call.scope.sources or by_name or games):
        raise GribbleError("--plan carries out a plan as it was written", fix="Narrow it by --rig, --only and --skip.")
    scope = call.scope
    with Session(call, strict=not resume, lenient=resume) as session:
        session.rigs.trust_size = trust_size
        session.rigs.hidden = hidden
        finished = finish_open_runs(session, scope, yes or resume)
        if resume or finished in (ExitCode.INTERRUPTED, ExitCode.ATTENTION):
            if finished is None:
                refuse_to_resume(session, scope)
                session.screen.say("No run was cut short: nothing to finish.")
            return finished or ExitCode.CLEAN
        if plan:
            path = call.environment.path(plan)
            read = judged(read_plan(path, session.loaded.config.rig), Path(plan), session.rigs.readable())
            made = session.rigs.reachable(narrow(read, only, skip), scope)
            code = place_plan(session, scope, (), linked(made) if link else made, yes)
        else:
            session.tell_idle()
            audits = survey(session, scope, told=MOST_PASSED_OVER).audit(scope, games=games, packing=True)
            made = planned(session, audits, only, skip, by_name=by_name)
            if not made.obtain:
                session.notes.nothing_lacks()
            code = place_plan(session, scope, audits, linked(made) if link else made, yes)
        return finished or code or (ExitCode.FAILED if session.closed else ExitCode.CLEAN)
