"""`gribble place`: the plan carried out."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from gribble.cli.app import command
from gribble.cli.options import AtOption, ConfigOption, EmulatorsArgument, FromOption, RigOption, YesOption

if TYPE_CHECKING:
    from gribble.cli.session import Session
    from gribble.core.placing.plan import Plan
    from gribble.core.world import Scope


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
    from gribble.cli.running import ask, finish_open_runs
    from gribble.cli.session import Session, scope_of
    from gribble.core.errors import ExitCode
    from gribble.core.placing.plan import make_plan
    from gribble.views.looks import count
    from gribble.views.plan import show_plan

    scope = scope_of(rig, emulators, from_, at)
    with Session(config, strict=True) as session:
        finished = finish_open_runs(session, scope)
        if resume:
            if finished is None:
                session.screen.say("No run was cut short: nothing to finish.")
            return finished or ExitCode.CLEAN
        audits = session.look(scope).audit(scope)
        plan = make_plan(audits, by_name=by_name)
        show_plan(session.screen, plan, audits)
        failed = finished or ExitCode.CLEAN
        if plan.steps:
            session.screen.out.print()
            if not ask(session.screen, "Carry out this plan?", yes):
                return ExitCode.ATTENTION
            failed = max(failed, _carry_out(session, scope, plan))
            more = f"; {count(len(plan.obtain), 'need')} still to obtain" if plan.obtain else ""
            session.screen.next("gribble check", f"or gribble undo, to take this run back{more}")
        if failed:
            return failed
        if any(found.away for found in audits):
            return ExitCode.FAILED
        return ExitCode.ATTENTION if plan.obtain or plan.refused else ExitCode.CLEAN


def _carry_out(session: Session, scope: Scope, plan: Plan) -> int:
    """Carry out a plan, rig by rig, under one run number. Nothing is begun where the room does not suffice."""
    from datetime import datetime
    from pathlib import Path

    from gribble.cli.running import run_forward
    from gribble.core.errors import ExitCode
    from gribble.core.placing.run import check_room, new_run_number
    from gribble.core.world import rig_root

    for name in dict.fromkeys(step.rig for step in plan.steps):
        root = Path(rig_root(name, session.config.rig[name], scope))
        root.mkdir(exist_ok=True)
    rigs = {rig.name: rig for rig in session.local_rigs(scope)}
    number = new_run_number([rig.journals for rig in rigs.values()])
    for name, rig in rigs.items():
        check_room(rig.store, name, plan.on(name))
    when = datetime.now().isoformat(sep=" ", timespec="seconds")
    code: int = ExitCode.CLEAN
    for name, rig in rigs.items():
        if plan.on(name):
            with rig.locked():
                code = max(code, run_forward(session.screen, rig, rig.start(number, when, plan.on(name))))
    return code
