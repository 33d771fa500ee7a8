"""`gribble history`: the runs."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.asking import ask
from gribble.cli.command import Call, command
from gribble.cli.options import YesOption
from gribble.cli.running import runs_are_away
from gribble.cli.session import Session
from gribble.core.audit.scope import Scope
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.placing.journal import adopt
from gribble.views.looks import count
from gribble.views.plan import history_json, show_history, step_row


@command("history", takes="rig at json config")
def history(
    call: Call,
    adopt: Annotated[
        Optional[int],  # noqa: UP045
        typer.Option("--adopt", metavar="RUN", help="Trust a run that came with a rig, once you have seen its steps."),
    ] = None,
    yes: YesOption = False,
) -> int:
    """Every run on your rigs, newest first.

    Example: gribble history --rig lighthouse
    """
    scope = call.scope
    with Session(call, lenient=True) as session:
        if adopt is not None:
            return _adopt(session, scope, adopt, yes)
        runs = [run for where in session.rigs_with_runs(scope) for run in where.runs()]
        away = session.rigs.away_with_runs(scope)
        if not runs:
            session.refuse_closed()
        runs.sort(key=lambda run: (run.when, run.number), reverse=True)
        if call.json:
            session.screen.json(history_json(runs, away))
        else:
            show_history(session.screen, runs, away)
        return ExitCode.FAILED if away and not runs else ExitCode.CLEAN


def _adopt(session: Session, scope: Scope, number: int, yes: bool) -> int:
    """Show every step of a run that came with a rig, ask, and sign its journal."""
    found = [(where, run) for where in session.rigs_with_runs(scope) for run in where.runs() if run.number == number]
    foreign = [(where, run) for where, run in found if run.foreign]
    if not found and (away := session.rigs.away_with_runs(scope)):
        raise runs_are_away(away, f"run {number} is not on the rigs that are here")
    if not foreign:
        what = f"run {number} was begun on this machine" if found else f"there is no run {number}"
        raise GribbleError(f"{what}: nothing is to be adopted", fix="gribble history lists the runs.")
    if len(foreign) > 1:
        raise GribbleError(
            f"there is a run {number} on {', '.join(where.name for where, _ in foreign)}", fix="Name one: --rig RIG."
        )
    (where, run), screen = foreign[0], session.screen
    if not run.steps:
        raise GribbleError(
            f"run {number} on {where.name} cannot be adopted: {run.foreign}",
            fix="Nothing was changed. Its journal stays where it is, and is never carried out.",
            code=ExitCode.FAILED,
        )
    screen.say(f"Run {number} on {where.name}, of {run.when}, {run.state}: {count(len(run.steps), 'step')}.")
    screen.grid([step_row(step) for step in run.steps])
    screen.say("Adopted, it can be finished or taken back; it then reads from your sources and this rig only.")
    if not ask(session.call, "Do you trust it?", yes):
        return ExitCode.ATTENTION
    with where.locked() as held:
        now = next((one for one in held.runs() if one.number == number), None)
        if now is None or (now.steps, now.code) != (run.steps, run.code):
            raise GribbleError(
                f"the journal of run {number} on {where.name} was changed while you were asked",
                fix="Nothing was changed. Look at it again: gribble history --adopt RUN.",
                code=ExitCode.FAILED,
            )
        adopt(now, where.seal)
    screen.say(f"Adopted: run {number} on {where.name}.")
    return ExitCode.CLEAN
