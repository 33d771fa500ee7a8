"""What placing and undoing share on the command line: asking, and telling how a run goes."""

from __future__ import annotations

import shlex
import signal
import sys
import threading
from datetime import datetime
from pathlib import Path
from types import FrameType, TracebackType
from typing import Any

from gribble.cli.session import Session
from gribble.core.audit.findings import RigAudit
from gribble.core.catalogue.tables import suggest
from gribble.core.errors import ExitCode, GribbleError, reason_of
from gribble.core.placing.journal import Run
from gribble.core.placing.plan import Plan, Step, make_plan, narrowed
from gribble.core.placing.run import Stopped, check_room, new_run_number
from gribble.core.placing.volumes import cluster_of
from gribble.core.scope import Scope, rig_root
from gribble.stores.rigs import RigHome
from gribble.views.looks import count
from gribble.views.plan import show_plan
from gribble.views.progress import Bar
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


def narrowing(only: list[str] | None, skip: list[str] | None, *, by_name: bool) -> str:
    """How a plan is narrowed, as it is typed behind a command, with a blank in front."""
    words = [
        word for option, given in (("--only", only), ("--skip", skip)) for one in given or () for word in (option, one)
    ]
    return "".join(f" {shlex.quote(word)}" for word in [*words, *(["--by-name"] if by_name else [])])


def planned(
    session: Session,
    audits: tuple[RigAudit, ...],
    only: list[str] | None,
    skip: list[str] | None,
    *,
    by_name: bool = False,
    sets_only: bool = False,
) -> Plan:
    """The plan for some rigs, narrowed. Raises GribbleError for a word that no step answers to."""
    volumes = session.volumes(audits)
    plan = make_plan(audits, by_name=by_name, sets_only=sets_only, volumes=volumes)
    for name, volume in volumes.items():
        if not volume and plan.on(name):
            session.aside(
                f"note: {name} lies on a volume of unknown kind; what it can hold is not checked beforehand "
                f'(volume = "fat32", say, under rig.{name} in gribble.toml tells it)'
            )
    return narrow(plan, only, skip)


def narrow(plan: Plan, only: list[str] | None, skip: list[str] | None) -> Plan:
    """Only some steps of a plan. Raises GribbleError for a word that no step answers to."""
    try:
        return narrowed(plan, only or (), skip or ())
    except ValueError as error:
        words = sorted({word for step in plan.steps for word in (step.rig, step.emulator, step.need) if word})
        raise GribbleError(
            f"no step of the plan answers to '{error}'{suggest(str(error), words)}",
            fix="A rig, an emulator, a need, a set, a kind of step, or a pattern for the place: '*/boot/*'.",
        ) from error


def place_plan(session: Session, scope: Scope, audits: tuple[RigAudit, ...], plan: Plan, yes: bool) -> int:
    """Show a plan, ask, and carry it out; the exit status."""
    show_plan(session.screen, plan, audits)
    failed: int = ExitCode.CLEAN
    if plan.steps:
        session.screen.out.print()
        if any(step.link for step in plan.steps):
            session.screen.say(
                "Mind: a linked file is the source itself under a second name. An emulator that writes into it alters "
                "the source."
            )
        if not ask(session.screen, "Carry out this plan?", yes):
            return ExitCode.ATTENTION
        failed = carry_out(session, scope, plan, frozenset(found.rig for found in audits if found.new))
        if failed == ExitCode.INTERRUPTED:
            return failed
        more = f"; {count(len(plan.obtain), 'gap')} still to fill" if plan.obtain else ""
        session.screen.next("gribble check", f"or gribble undo, to take this run back{more}")
    if failed or any(found.away for found in audits):
        return failed or ExitCode.FAILED
    return ExitCode.ATTENTION if plan.obtain or plan.refused else ExitCode.CLEAN


def carry_out(session: Session, scope: Scope, plan: Plan, new: frozenset[str]) -> int:
    """Carry out a plan, rig by rig, under one run number; rigs that are `new` are made.

    Nothing is begun where the room does not suffice, or a rig has gone.
    """
    for name in dict.fromkeys(step.rig for step in plan.steps):
        root = rig_root(name, session.config.rig[name], scope)
        try:
            if name in new:
                Path(root).mkdir(exist_ok=True)
        except OSError as error:
            raise GribbleError(
                f"rig {name} cannot be written: {root}: {reason_of(error)}",
                fix="Nothing was changed. Check its permissions; gribble doctor looks at every rig.",
                code=ExitCode.FAILED,
            ) from error
    here = {rig.name: rig for rig in session.rigs(scope)}
    rigs = {}
    for name in dict.fromkeys(step.rig for step in plan.steps):
        why = here[name].away() if name in here else "is not there any more"
        if why:
            raise GribbleError(
                f"rig {name}: {why}",
                fix="Nothing was changed. Reach it, then run the command again.",
                code=ExitCode.FAILED,
            )
        rigs[name] = here[name]
    everywhere = [*here.values(), *session.rigs(Scope())]  # so that a number means one run, whatever rigs it was for
    number = new_run_number([rig.journals for rig in everywhere])
    for name, rig in rigs.items():
        volume = session.volume(name, rig.root)
        cluster = cluster_of(volume, Path(rig.root))
        check_room(rig.store, name, plan.on(name), session.elsewhere(), volume, cluster)
    when = datetime.now().isoformat(sep=" ", timespec="seconds")
    code: int = ExitCode.CLEAN
    for name, rig in rigs.items():
        with rig.locked():
            code = max(code, run_forward(session, rig, rig.start(number, when, plan.on(name))))
        if code == ExitCode.INTERRUPTED:
            break
    return code


class Interruption:
    """Turns the first Ctrl-C into a wish to stop at the next block; the second one stops at once."""

    def __init__(self) -> None:
        self._asked = False
        self._former: Any = None

    def __enter__(self) -> Interruption:
        if threading.current_thread() is threading.main_thread():
            self._former = signal.signal(signal.SIGINT, self._ask)
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._former is not None:
            signal.signal(signal.SIGINT, self._former)

    def _ask(self, _signal: int, _frame: FrameType | None) -> None:
        if self._asked:
            raise KeyboardInterrupt
        self._asked = True

    def check(self) -> None:
        """Raise Stopped where the user has asked for it."""
        if self._asked:
            raise Stopped


def run_forward(session: Session, rig: RigHome, run: Run) -> int:
    """Carry out or finish a run; each refused step is told with its reason."""
    screen = session.screen
    refused: list[tuple[Step, str]] = []

    def told(step: Step, reason: str) -> None:
        if reason:
            refused.append((step, reason))

    with Interruption() as interruption, Bar(screen.err, "Placing") as bar:
        times = 2 if rig.store.reads_back else 1
        bar.expect(times * sum(step.bytes for number, step in enumerate(run.steps) if number not in run.done))

        def watch(bytes_: int) -> None:
            interruption.check()
            bar.advance(bytes_)

        stopped = False
        try:
            rig.runner(run, session.elsewhere(), told, watch).carry_out(run)
        except Stopped:
            stopped = True
    if stopped:
        words = f": {len(run.done)} of {count(len(run.steps), 'step')} done on {rig.name}, run {run.number}"
        screen.say(styled("Stopped", "bold"), f"{words}; the file under way is as it was.")
        screen.next("gribble place --resume", "finishes this run; gribble undo takes it back")
        return ExitCode.INTERRUPTED
    screen.say(
        styled("Done", "bold"), f": {count(len(run.done), 'step')} of {len(run.steps)} on {rig.name}, run {run.number}."
    )
    for step, reason in refused:
        screen.say(f"  not done: {step.step} {step.to or step.from_}: {reason}")
    if rig.remote and rig.remote.trust_size:
        screen.say("  What was sent was not read back (--trust-size): only sizes were compared.")
    return ExitCode.FAILED if refused else ExitCode.CLEAN


def finish_open_runs(session: Session, scope: Scope) -> int | None:
    """Finish every run (or undo) that was cut short on the rigs in scope; None where there is none."""
    code: int | None = None
    for rig in session.rigs(scope):
        open_runs = rig.open_runs()
        if open_runs and (why := rig.away()):
            session.aside(f"note: run {open_runs[0].number} on {rig.name} stays open: {why}")
            continue
        for run in open_runs:
            with rig.locked():
                if run.undoing:
                    session.screen.say(f"Finishing the undo of run {run.number} on {rig.name}, which was cut short.")
                    rig.runner(run, session.elsewhere()).take_back(run)
                    code = code or ExitCode.CLEAN
                else:
                    session.screen.say(f"Finishing run {run.number} on {rig.name}, which was cut short.")
                    code = max(code or 0, run_forward(session, rig, run))
                    if code == ExitCode.INTERRUPTED:
                        return code
    return code
