"""What placing and undoing share on the command line: asking, and telling how a run goes."""

from __future__ import annotations

import contextlib
import signal
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import ExitStack
from pathlib import Path
from types import FrameType, TracebackType
from typing import Any, NamedTuple

from msgspec import structs

from gribble.cli.command import Call
from gribble.cli.session import Session, ask
from gribble.core.audit.asked import rig_root
from gribble.core.base.amounts import count
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.base.filewriter import changed, keep_aside, stamp_at, write_file
from gribble.core.base.paths import is_link
from gribble.core.base.suggest import suggest
from gribble.core.files.volumes import cluster_of
from gribble.core.placing.contents import Text, encoded, steps_of
from gribble.core.placing.displaced import Changed
from gribble.core.placing.journal import Run
from gribble.core.placing.plan import by_ids, make_plan, narrowed
from gribble.core.placing.planfile import plan_record
from gribble.core.placing.room import check_room
from gribble.core.placing.run import Listener, Stopped, new_run_number
from gribble.core.placing.store import Stamp, StoreError
from gribble.core.placing.twins import Twins
from gribble.core.records.config import Scope
from gribble.core.records.findings import RigAudit
from gribble.core.records.steps import Copy, Plan, Step
from gribble.stores.rigs import HeldRig, Mark, RigHome, moved_by
from gribble.views.looks import kept_words, shorten
from gribble.views.plan import run_json, show_plan, step_row, undone_json
from gribble.views.screen import styled
from gribble.views.shell import behind


def narrowing(only: list[str] | None, skip: list[str] | None, *, by_name: bool, games: bool, hidden: bool) -> str:
    """How a plan is narrowed, as it is typed behind a command, with a blank in front."""
    words = [
        word for option, given in (("--only", only), ("--skip", skip)) for one in given or () for word in (option, one)
    ]
    words += ["--by-name"] * by_name + ["--games"] * games + ["--hidden"] * hidden
    return behind(words)


def planned(
    session: Session,
    audits: tuple[RigAudit, ...],
    only: list[str] | None,
    skip: list[str] | None,
    *,
    by_name: bool = False,
) -> Plan:
    """The plan for some rigs, narrowed. Raises GribbleError for a word that no step answers to."""
    volumes = session.rigs.volumes(audits)
    only, skip = (by_ids(audits, words or ()) for words in (only, skip))
    plan = make_plan(audits, by_name=by_name, only=only or (), volumes=volumes)
    for name, volume in volumes.items():
        if not volume and plan.on(name):
            session.notes.aside(
                f"note: {name} is on a volume of unknown kind, so Gribble cannot check what fits on it "
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
            f"no step of the plan matches '{error}'{suggest(str(error), words)}",
            fix="Name a rig, an emulator, a need, a set, a kind of step, or a pattern for the place: '*/boot/*'.",
        ) from error


def place_plan(
    session: Session, scope: Scope, audits: tuple[RigAudit, ...], plan: Plan, yes: bool, *, narrowed: bool = False
) -> int:
    """Show a plan, ask, and carry it out; the exit status. A `narrowed` one does not say what is left besides."""
    plan = session.rigs.guard(plan, scope)
    if session.call.facts is not None:
        session.call.facts |= {key: fact for key, fact in plan_record(plan).items() if key != "gribble"}
    show_plan(session.screen, plan, audits, verbose=session.call.verbose, narrowed=narrowed)
    if plan.steps:
        session.screen.out.print()
        if any(isinstance(step, Copy) and step.link for step in plan.steps):
            session.screen.say(
                "Careful: a linked file is the source file itself. If an emulator writes to it, your source changes."
            )
        seen = _seen(session, scope, plan)
        if not ask(session.call, "Carry out this plan?", yes):
            return ExitCode.ATTENTION
        failed = carry_out(session, scope, plan, frozenset(found.rig for found in audits if found.new), seen)
        if failed == ExitCode.INTERRUPTED:
            return failed
        more = f"; {count(len(plan.obtain), 'file')} still to obtain" if plan.obtain else ""
        session.screen.next("gribble check", f"or gribble undo, to undo this run{more}")
        if failed:
            return failed
    return _left_by(plan, audits, narrowed=narrowed)


def _left_by(plan: Plan, audits: tuple[RigAudit, ...], *, narrowed: bool) -> int:
    """The exit status for what a plan leaves when it is done."""
    if any(found.away for found in audits):
        return ExitCode.FAILED
    stays = any(found.unready for found in audits) and not (plan.steps or narrowed)
    return ExitCode.ATTENTION if plan.obtain or plan.refused or plan.away or stays else ExitCode.CLEAN


class _Seen(NamedTuple):
    """What a plan was shown by: how far the journals of its rig had come, and the files that it would displace."""

    mark: Mark
    stamps: dict[str, Stamp]


def _seen(session: Session, scope: Scope, plan: Plan) -> dict[str, _Seen]:
    """The same for each rig of a plan that is there. What a plan's file says goes before what is there now."""
    found = {}
    for rig in session.rigs.in_scope(scope):
        written = {path: stamp for (name, path), stamp in plan.stamps.items() if name == rig.name}
        found[rig.name] = _Seen(session.rigs.mark(rig), {**_stamps(rig, plan), **written})
    return found


def _stamps(rig: RigHome, plan: Plan) -> dict[str, Stamp]:
    paths = (step.displaces for step in plan.on(rig.name))
    try:
        return {path: stamp for path in paths if path and (stamp := rig.store.stamp(path))}
    except StoreError:
        return {}  # a step through a link that leads out, say: it will say so itself


def stamped(session: Session, scope: Scope, plan: Plan) -> Plan:
    """A plan that says what its steps displace as it is now, so that it can be carried out later."""
    rigs = session.rigs.in_scope(scope)
    stamps = {(rig.name, path): stamp for rig in rigs for path, stamp in _stamps(rig, plan).items()}
    return structs.replace(plan, stamps=stamps)


def carry_out(session: Session, scope: Scope, plan: Plan, new: frozenset[str], seen: dict[str, _Seen]) -> int:
    """Carry out a plan, rig by rig, under one run number; rigs that are `new` are made.

    On a rig nothing is begun where the room does not suffice, it has gone, something of Gribble's own is a link there,
    or another Gribble was at work on it since the plan was made: that is told, and the other rigs go on. Raises
    GribbleError where there is no other.
    """
    names = list(dict.fromkeys(step.rig for step in plan.steps))
    hindered: dict[str, GribbleError] = {}
    with ExitStack() as stack:
        held = {}
        for name in names:
            try:
                if name in new:
                    _make_rig(session, scope, name)
                rig = _ready(session, scope, plan, name)
                one = stack.enter_context(rig.locked())
                if name in seen and rig.mark() != seen[name].mark:
                    raise GribbleError(
                        f"another Gribble changed {name} after this plan was made",
                        fix="Nothing was changed. Run the command again. It looks at the rig again.",
                        code=ExitCode.FAILED,
                    )
                held[name] = one
            except GribbleError as error:
                hindered[name] = error
        for name, why in hindered.items() if held else ():
            session.screen.tell(f"gribble: {why}\n  Nothing was changed on {name}. The other rigs go on.")
        if not held:
            raise next(iter(hindered.values()))
        number = 0
        going = []
        for name, one in held.items():
            if number:
                run = one.start(number, _now(session), plan.on(name))
            else:
                run = _first(session, one, plan.on(name), scope)
                number = run.number
            going.append(Going(one, run, seen[name].stamps if name in seen else {}))
        return run_forward(session, going) or (ExitCode.FAILED if hindered else ExitCode.CLEAN)


def _make_rig(session: Session, scope: Scope, name: str) -> None:
    """Make the folder of a new rig. Raises GribbleError."""
    root = rig_root(name, session.loaded.config.rig[name], scope)
    try:
        Path(root).mkdir(exist_ok=True)
    except OSError as error:
        raise GribbleError(
            f"rig {name} cannot be written: {root}: {reason_of(error)}",
            fix="Nothing was changed. Check its permissions; gribble doctor checks every rig.",
            code=ExitCode.FAILED,
        ) from error


def _ready(session: Session, scope: Scope, plan: Plan, name: str) -> RigHome:
    """A rig that is there and has room for its steps. Raises GribbleError."""
    rig = next((one for one in session.rigs.in_scope(scope) if one.name == name), None)
    if why := rig.away() if rig else "is no longer there":
        raise GribbleError(
            f"rig {name}: {why}",
            fix="Nothing was changed. Connect it, then run the command again.",
            code=ExitCode.FAILED,
        )
    assert rig is not None
    volume = session.rigs.volume(name, rig.root)
    try:
        check_room(rig.store, name, plan.on(name), session.rigs.elsewhere(), volume, cluster_of(volume, Path(rig.root)))
    except StoreError as error:
        raise GribbleError(f"rig {name}: {error}", fix="Nothing was changed.", code=ExitCode.FAILED) from error
    return rig


def _now(session: Session) -> str:
    return session.call.environment.clock().isoformat(sep=" ", timespec="seconds")


def _first(session: Session, held: HeldRig, steps: tuple[Step, ...], scope: Scope) -> Run:
    """The first journal of a run, under a number that counts over all rigs, so that it means one run, whatever rigs
    it was for, and whoever begins another one on another rig at this moment."""
    with session.rigs.numbering():
        rigs = (*session.rigs.in_scope(scope), *session.rigs.in_scope(Scope()))
        number = new_run_number([folder for rig in rigs for folder in (rig.journals, rig.attic)])
        return held.start(number, _now(session), steps)


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


class Going(NamedTuple):
    """A run on a rig whose lock is held, and the files that it would displace, as they were when the user was asked."""

    held: HeldRig
    run: Run
    seen: Mapping[str, Stamp] = {}


def run_forward(session: Session, going: list[Going]) -> int:
    """Carry out or finish the runs of some rigs side by side, so that each source is read once; each refused step is
    told with its reason. Where a rig is lost, the others go on. Raises GribbleError for one that was."""
    refused: dict[str, list[tuple[Step, str]]] = {one.held.name: [] for one in going}
    with Interruption() as interruption, session.screen.bar("Placing") as bar:

        def watch(bytes_: int) -> None:
            interruption.check()
            bar.advance(bytes_)

        twins = Twins() if len(going) > 1 else None
        now = moved_by((one.held.home, one.run) for one in going) if len(going) > 1 else str
        runners = {}
        for one in going:
            times = 2 if one.held.home.store.reads_back else 1
            left = (step for number, step in enumerate(one.run.steps) if number not in one.run.done)
            bar.expect(times * sum(step.bytes for step in left))
            listener = Listener(watch, _teller(refused[one.held.name]))
            elsewhere = session.rigs.elsewhere(one.run, one.held.home, now)
            runners[one.held.name] = one.held.runner(one.run, elsewhere, listener, one.seen, twins)
        open_, lost = _side_by_side({one.held.name: runners[one.held.name].each(one.run) for one in going})
    code: int = ExitCode.CLEAN
    for one in going:
        session.call.did("runs", run_json(one.run, refused[one.held.name]))
        if one.held.name in open_:
            _say_stopped(session, one)
        elif one.run.state == "done":
            code = max(code, _say_done(session, one, refused[one.held.name], runners[one.held.name].copied))
    if open_:
        session.screen.next("gribble place --resume", "finishes this run; gribble undo undoes it")
        return ExitCode.INTERRUPTED
    if lost:
        for other in lost[1:]:
            session.screen.tell(f"gribble: {other}")
        raise lost[0]
    return code


def _side_by_side(live: dict[str, Iterator[object]]) -> tuple[set[str], list[GribbleError]]:
    """Carry out the steps of some rigs by turns: the rigs whose runs stay open since they were stopped, and why others
    were lost."""
    lost: list[GribbleError] = []
    while live:
        for name, steps in list(live.items()):
            try:
                if next(steps, None) is None:
                    del live[name]
            except Stopped:
                return set(live), lost
            except GribbleError as error:
                lost.append(error)
                del live[name]
    return set(), lost


def _teller(refused: list[tuple[Step, str]]) -> Callable[[Step, str], None]:
    """What notes the steps that were refused."""

    def told(step: Step, reason: str) -> None:
        if reason:
            refused.append((step, reason))

    return told


def _say_stopped(session: Session, one: Going) -> None:
    run = one.run
    words = f": {len(run.done):,} of {count(len(run.steps), 'step')} done on {one.held.name}, run {run.number}"
    session.screen.say(styled("Stopped", "bold"), f"{words}. The step that was under way was put back.")


def _say_done(session: Session, one: Going, refused: list[tuple[Step, str]], copied: int) -> int:
    """What a run that has come to its end has done, and what not."""
    screen, run, held = session.screen, one.run, one.held
    screen.say(
        styled("Done", "bold"),
        f": {count(len(run.done), 'step')} of {len(run.steps):,} on {held.name}, run {run.number}.",
    )
    for step, reason in refused:
        screen.say(f"  not done: {step.kind} {step.place}: {reason}")
    if copied:
        files = count(copied, "file")
        screen.say(f"  {files} could not be linked (other volume, or no links there), so they were copied.")
    if held.home.remote and held.home.remote.trust_size:
        screen.say("  Only the sizes of the sent files were compared (--trust-size).")
    return ExitCode.FAILED if refused else ExitCode.CLEAN


def finish_open_runs(session: Session, scope: Scope, yes: bool) -> int | None:
    """Finish every run (or undo) that was cut short on the rigs in scope, shown and asked before; None if there is
    none."""
    code: int | None = None
    for rig in session.rigs_with_runs(scope):
        told = [run for run in rig.open_runs() if not run.foreign]
        if told and (why := rig.away()):
            session.notes.aside(f"note: run {told[0].number} on {rig.name} stays open: {why}")
            continue
        if not told:
            continue
        if not yes and not _shown_and_asked(session, rig, told):
            return ExitCode.ATTENTION
        mark = rig.mark()
        with rig.locked() as held:
            if rig.mark() != mark:
                raise GribbleError(
                    f"another Gribble changed {rig.name} while you were asked",
                    fix="Nothing was changed. Run the command again. It looks at the rig again.",
                    code=ExitCode.FAILED,
                )
            for run in held.open_runs():
                code = max(code or 0, _finish_undo(session, held, run) if run.undoing else _finish(session, held, run))
                if code == ExitCode.INTERRUPTED:
                    return code
    return code


def refuse_to_resume(session: Session, scope: Scope) -> None:
    """Raise GribbleError where there is no run to finish here, but one that somebody else began, or a rig is away with
    its runs."""
    for rig in session.rigs_with_runs(scope):
        for run in rig.open_runs():
            if run.foreign:
                raise GribbleError(
                    f"run {run.number} on {rig.name} was cut short, and Gribble does not finish it: {run.foreign}",
                    fix=f"gribble history --adopt {run.number} shows what it would do, and asks whether you trust it.",
                    code=ExitCode.FAILED,
                )
    session.refuse_closed()
    if away := session.rigs.away_with_runs(scope):
        raise runs_are_away(away, "no run was cut short on the rigs that are here")


def runs_are_away(away: Mapping[str, str], what: str) -> GribbleError:
    """That nothing can be done here, since the runs are on rigs that are away, each with the reason."""
    rigs = "; ".join(f"{rig} is away, and its runs are on it ({why})" for rig, why in away.items())
    return GribbleError(
        f"{what}. {rigs}",
        fix="Nothing was changed. Plug it in, then run the command again.",
        code=ExitCode.FAILED,
    )


def _shown_and_asked(session: Session, rig: RigHome, runs: list[Run]) -> bool:
    """What is still to be done of the runs of a rig, and whether that is wished."""
    for run in runs:
        ended = run.back if run.undoing else run.done.keys() | run.failed.keys()
        left = [number for number in range(len(run.steps)) if number not in ended]
        what = "The undo of run" if run.undoing else "Run"
        session.screen.say(f"{what} {run.number} on {rig.name} was cut short; {count(len(left), 'step')} to go:")
        session.screen.grid([step_row(run.steps[number]) for number in left])
    return ask(session.call, "Finish it?" if len(runs) == 1 else "Finish them?", yes=False)


def _finish(session: Session, held: HeldRig, run: Run) -> int:
    session.screen.say(f"Finishing run {run.number} on {held.name}, which was cut short.")
    return run_forward(session, [Going(held, run)])


def take_back(session: Session, held: HeldRig, run: Run, changed: Iterable[Changed]) -> int:
    """Take a run back; what was `changed` since stays as it is, and so does what somebody saves meanwhile, which is
    told, with status 3. Ctrl-C stops it between two steps. Raises GribbleError."""
    to_do = run.begun.keys() - run.back - run.failed.keys()
    left = sum(run.steps[number].bytes for number in to_do)
    with Interruption() as interruption, session.screen.bar("Undoing", left) as bar:

        def watch(bytes_: int) -> None:
            interruption.check()
            bar.advance(bytes_)

        elsewhere = session.rigs.elsewhere(run, held.home)
        saved = None
        with contextlib.suppress(Stopped):
            saved = held.take_back(run, elsewhere, frozenset(change.path for change in changed), watch)
    stays = {one.path: one.why for one in changed} | dict.fromkeys(saved or (), "another program has changed it")
    session.call.did("undone", undone_json(run, stays))
    if saved is not None:
        for path in saved:
            session.screen.say(f"  left as it is: another program has changed {path}")
        if saved:
            session.screen.next(f"gribble undo {run.number}", "undoes the rest after you have moved that away")
        return ExitCode.FAILED if saved else ExitCode.CLEAN
    steps = f"{len(to_do & run.back)} of {count(len(to_do), 'step')}"
    session.screen.say(styled("Stopped", "bold"), f": {steps} undone on {held.name}, run {run.number}.")
    session.screen.next(f"gribble undo {run.number}", "goes on with it")
    return ExitCode.INTERRUPTED


def _finish_undo(session: Session, held: HeldRig, run: Run) -> int:
    """The rest of an undo. What the user has put somewhere meanwhile stays there, and is told."""
    session.screen.say(f"Finishing the undo of run {run.number} on {held.name}, which was cut short.")
    with session.screen.bar("Comparing", run.bytes) as bar:
        changed = held.runner(run, session.rigs.elsewhere(run, held.home), Listener(bar.advance)).changed_since(run)
    code = take_back(session, held, run, changed)
    if code == ExitCode.INTERRUPTED:
        return code
    for change in changed:
        session.screen.say(f"  left as it is: {change.path} {change.why}")
    return ExitCode.FAILED if changed else code


def write_texts(call: Call, texts: list[Text], session: Session | None, yes: bool, option: str) -> int:
    """Show, ask and write; the exit status. `option` is what to name instead of a place in a source.

    Raises GribbleError for a place in a source, before anything is written.
    """
    here = [(Path(one.path), one) for one in texts if not one.rig]
    for target, _ in here:
        if session:
            session.loaded.refuse_source(target, option)
    code: int = ExitCode.CLEAN
    if steps := [step for one in texts if one.rig for step in steps_of(one)]:
        assert session is not None  # what is on a rig is known from a configuration
        code = place_plan(session, call.scope, (), Plan(steps=tuple(steps)), yes)
    if not here:
        return code
    folders = {target.parent for target, _ in here}
    before = {target: stamp_at(target) for target, _ in here}
    where = f" to {shorten(str(folders.pop()))}" if len(folders) == 1 else ""
    if not ask(
        call,
        f"Write {count(len(here), 'file')}{where}? If a file is there already, it is kept next to the new one.",
        yes,
    ):
        return ExitCode.ATTENTION
    for target, one in here:
        if stamp_at(target) != before[target]:
            raise changed(target)
        kept = write_file(target, [encoded(one)], replace_other=True)
        if one.former and (former := Path(one.former)) != target and not is_link(former):
            kept = keep_aside(former)
        call.screen.say(f"written: {shorten(str(target))}{kept_words(kept)}")
    return code
