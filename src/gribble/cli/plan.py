"""`gribble plan`: the steps, and what they would change."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.command import Call, command
from gribble.cli.options import (
    ByNameOption,
    GamesOption,
    HiddenOption,
    OnlyOption,
    ReplaceOption,
    SkipOption,
)
from gribble.cli.running import narrowing, planned, stamped
from gribble.cli.session import Session
from gribble.cli.surveying import MOST_PASSED_OVER, survey
from gribble.core.base.errors import ExitCode
from gribble.core.base.filewriter import check_target, write_file
from gribble.core.placing.planfile import PLAN, plan_bytes, plan_record
from gribble.core.records.findings import State
from gribble.views.looks import kept_words, shorten
from gribble.views.plan import show_plan
from gribble.views.shell import behind, quoted


@command("plan", takes="emulators rig from_ at json config")
def plan(
    call: Call,
    only: OnlyOption = None,
    skip: SkipOption = None,
    by_name: ByNameOption = False,
    games: GamesOption = False,
    out: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option(metavar="FILE", help="Write the plan to a file, as JSON.", show_default=False),
    ] = None,
    replace: ReplaceOption = False,
    hidden: HiddenOption = False,
) -> int:
    """The steps that would put things right.

    Nothing is written to a rig.

    Example: gribble plan --rig lighthouse
    """
    scope = call.scope
    with Session(call, strict=True) as session:
        if out:
            session.loaded.refuse_source(call.environment.path(out), "--out FILE")
            check_target(call.environment.path(out), PLAN, replace_other=replace)
        session.rigs.hidden = hidden
        session.tell_idle()
        audits = survey(session, scope, told=MOST_PASSED_OVER).audit(scope, games=games, packing=True)
        made = session.rigs.guard(planned(session, audits, only, skip, by_name=by_name), scope)
        if not made.obtain:
            session.notes.nothing_lacks()
        if out or call.json:
            made = stamped(session, scope, made)
        if out:
            path = call.environment.path(out)
            if kept := write_file(path, [plan_bytes(made)], own=PLAN, replace_other=replace):
                session.notes.aside(f"note: {shorten(str(path))} is written{kept_words(kept)}")
        if call.json:
            session.screen.json(plan_record(made))
        else:
            show_plan(session.screen, made, audits, verbose=call.verbose)
            if made.steps:
                narrowed = behind(scope.words) + narrowing(only, skip, by_name=by_name, games=games, hidden=hidden)
                words = f" --plan {quoted(out)}{' --hidden' * hidden}" if out else narrowed
                session.screen.next(f"gribble place{words}", "shows this plan, asks, and carries it out")
        if made.steps or made.obtain or made.refused or made.away:
            return ExitCode.ATTENTION
        return ExitCode.FAILED if State.AWAY in {found.state for found in audits} else ExitCode.CLEAN
