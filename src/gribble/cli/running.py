"""What placing and undoing share on the command line: asking, and telling how a run goes."""

from __future__ import annotations

import sys

from gribble.cli.session import Session
from gribble.core.errors import ExitCode
from gribble.core.placing.journal import Run
from gribble.core.placing.plan import Step
from gribble.core.world import Scope
from gribble.stores.local import LocalRig
from gribble.views.looks import count
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
