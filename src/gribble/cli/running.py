"""What placing and undoing share on the command line: asking, and telling how a run goes."""

from __future__ import annotations

import sys
from datetime import datetime
from pathlib import Path

from gribble.cli.session import Session
from gribble.core.audit.findings import RigAudit
from gribble.core.errors import ExitCode
from gribble.core.placing.journal import Run
from gribble.core.placing.plan import Plan, Step
from gribble.core.placing.run import check_room, new_run_number
from gribble.core.world import Scope, rig_root
from gribble.stores.local import LocalRig
from gribble.views.looks import count
from gribble.views.plan import show_plan
from gribble.views.screen import Screen, styled


def ask(screen: Screen, question: str, yes: bool) -> bool:
    """A yes from the user, or from `--yes`. No answer means no."""
    if yes:
        return True
    screen.say(styled(f"{question} [y/N] ", "bold"))
    try:
        answer = input()
    except EOFError:
        answer = ""
    if answer.strip().lower() in ("y", "yes"):
        return True
    screen.say("Nothing was changed." + ("" if sys.stdin.isatty() else " (--yes answers for you.)"))
    return False


def place_plan(session: Session, scope: Scope, audits: tuple[RigAudit, ...], plan: Plan, yes: bool) -> int:
    """Show a plan, ask, and carry it out; the exit status."""
    show_plan(session.screen, plan, audits)
    failed: int = ExitCode.CLEAN
    if plan.steps:
        session.screen.out.print()
        if not ask(session.screen, "Carry out this plan?", yes):
            return ExitCode.ATTENTION
        failed = carry_out(session, scope, plan)
        more = f"; {count(len(plan.obtain), 'gap')} still to fill" if plan.obtain else ""
        session.screen.next("gribble check", f"or gribble undo, to take this run back{more}")
    if failed or any(found.away for found in audits):
        return failed or ExitCode.FAILED
    return ExitCode.ATTENTION if plan.obtain or plan.refused else ExitCode.CLEAN


def carry_out(session: Session, scope: Scope, plan: Plan) -> int:
    """Carry out a plan, rig by rig, under one run number. Nothing is begun where the room does not suffice."""
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


def run_forward(screen: Screen, rig: LocalRig, run: Run) -> int:
    """Carry out or finish a run; each refused step is told with its reason."""
    refused: list[tuple[Step, str]] = []

    def told(step: Step, reason: str) -> None:
        if reason:
            refused.append((step, reason))

    rig.runner(run, told).carry_out(run)
    screen.say(
        styled("Done", "bold"), f": {count(len(run.done), 'step')} of {len(run.steps)} on {rig.name}, run {run.number}."
    )
    for step, reason in refused:
        screen.say(f"  not done: {step.step} {step.to or step.from_}: {reason}")
    return ExitCode.FAILED if refused else ExitCode.CLEAN


def finish_open_runs(session: Session, scope: Scope) -> int | None:
    """Finish every run (or undo) that was cut short on the rigs in scope; None where there is none."""
    code: int | None = None
    for rig in session.local_rigs(scope):
        for run in rig.open_runs():
            with rig.locked():
                if run.undoing:
                    session.screen.say(f"Finishing the undo of run {run.number} on {rig.name}, which was cut short.")
                    rig.runner(run).take_back(run)
                    code = code or ExitCode.CLEAN
                else:
                    session.screen.say(f"Finishing run {run.number} on {rig.name}, which was cut short.")
                    code = max(code or 0, run_forward(session.screen, rig, run))
    return code
