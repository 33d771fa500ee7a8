"""`gribble history`: the runs."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from typing import Annotated, NamedTuple

import typer

from gribble.cli.command import Call, command
from gribble.cli.completing import runs
from gribble.cli.options import YesOption
from gribble.cli.running import runs_are_away, take_back
from gribble.cli.session import Session, ask
from gribble.core.base.amounts import count
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.placing.displaced import Changed, lost
from gribble.core.placing.journal import adopt
from gribble.core.placing.run import Listener
from gribble.core.records.config import Scope
from gribble.stores.rigs import HeldRig, Mark, RigHome
from gribble.views.plan import history_json, show_history, step_row
from gribble.views.screen import Screen, styled


@command("history", takes="rig at json config")
def history(
    call: Call,
    adopt: Annotated[
        int | None,
        typer.Option(
            "--adopt",
            metavar="RUN",
            help="Trust a run that came with a rig, after you have seen its steps.",
            autocompletion=runs,
        ),
    ] = None,
    yes: YesOption = False,
) -> int:
    """Every run on your rigs, newest first.

    Example: gribble history --rig lighthouse
    """
    with Session(call, lenient=True) as session:
        scope = call.scope
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
        raise GribbleError(f"{what}: there is nothing to adopt", fix="gribble history lists the runs.")
    if len(foreign) > 1:
        raise GribbleError(
            f"there is a run {number} on {', '.join(where.name for where, _ in foreign)}", fix="Name one: --rig RIG."
        )
    (where, run), screen = foreign[0], session.screen
    if not run.steps:
        raise GribbleError(
            f"run {number} on {where.name} cannot be adopted: {run.foreign}",
            fix="Nothing was changed. Its journal stays where it is. Gribble never carries it out.",
            code=ExitCode.FAILED,
        )
    screen.say(f"Run {number} on {where.name}, of {run.when}, {run.state}: {count(len(run.steps), 'step')}.")
    screen.grid([step_row(step) for step in run.steps])
    screen.say("After that Gribble can finish or undo it. It only reads from your sources and this rig.")
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


@command("undo", takes="rig at json config")
def undo(
    call: Call,
    run: Annotated[
        int | None,
        typer.Argument(metavar="[RUN]", help="Number of the run (default: the newest).", autocompletion=runs),
    ] = None,
    yes: YesOption = False,
    leave_changed: Annotated[
        bool, typer.Option("--leave-changed", help="Leave out files that have changed since; undo the rest.")
    ] = False,
) -> int:
    """Undo a run, to the last byte and date.

    Afterwards the rig is as it was before: names, bytes and file times.

    Example: gribble undo 1
    """
    return call.done_as("undo/1", lambda call: _undo(call, run, yes=yes, leave_changed=leave_changed), undone=[])


def _undo(call: Call, run: int | None, *, yes: bool, leave_changed: bool) -> int:
    with Session(call, lenient=True) as session:
        rigs = session.rigs_with_runs(call.scope)
        number = run if run is not None else _newest(session, rigs, yes)
        chosen = [where for where in rigs if number is not None and any(where.to_take_back(number))]
        if number is None or not chosen:
            raise _nothing_to_undo(session, run)
        session.notes.aside(*session.rigs.left_out(call.scope))
        for where in chosen:
            if why := where.away():
                raise GribbleError(
                    f"run {number} cannot be undone on {where.name} now: {why}",
                    fix=f"Nothing was changed. Connect it, then run gribble undo {number} again.",
                    code=ExitCode.FAILED,
                )
        with _locked(chosen) as held:
            seen = _examine(session, held, number)
            _show_examined(session.screen, number, seen, leave_changed=leave_changed)
            if yes:
                return _take_back(session, held, seen)
        if not ask(session.call, "Undo it?", yes):
            return ExitCode.ATTENTION
        with _locked(chosen) as held:
            if _examine(session, held, number) != seen:
                raise GribbleError(
                    f"run {number} is not undone: something there changed while you were asked",
                    fix="This command changed nothing. gribble history shows the runs; run gribble undo again to see.",
                    code=ExitCode.FAILED,
                )
            return _take_back(session, held, seen)


def _nothing_to_undo(session: Session, run: int | None) -> GribbleError:
    """Why no run, or not this one, can be undone. Raises GribbleError itself where a rig lets nobody in."""
    session.refuse_closed()
    what = "no run to undo" if run is None else f"no run {run} to undo"
    if away := session.rigs.away_with_runs(session.call.scope):
        return runs_are_away(away, f"there is {what} on the rigs that are here")
    return GribbleError(
        f"{what} on {', '.join(session.loaded.config.rig) or 'any rig'}", fix="gribble history lists them."
    )


def _show_examined(screen: Screen, number: int, seen: list[_Examined], *, leave_changed: bool) -> None:
    """What an undo would do. Raises GribbleError if files have changed, and are not to be left."""
    for one in seen:
        for change in one.changed:
            screen.tell(f"{one.rig}: {change.path} {change.why}")
    files = sum(len(one.changed) for one in seen)
    if files and not leave_changed:
        raise GribbleError(
            f"run {number} is not undone: {count(files, 'file')} changed since",
            fix="Nothing was changed. Move away what you want to keep, or use gribble undo --leave-changed.",
            code=ExitCode.FAILED,
        )
    for one in seen:
        screen.say(f"Run {number} on {one.rig}: {count(one.steps, 'step')} to undo.")


class _Examined(NamedTuple):
    """What taking a run back on one rig means as it is now: the journals' mark, its steps, and what has changed."""

    rig: str
    number: int
    mark: Mark
    steps: int
    changed: list[Changed]


def _newest(session: Session, rigs: list[RigHome], yes: bool) -> int | None:
    """The newest run. Where it cannot be taken back, an older one that can, which is told.

    With `--yes` nobody would see that, and GribbleError is raised.
    """

    def hindrance(number: int) -> str:
        for where in rigs:
            for run in where.to_take_back(number):
                if run.foreign:
                    return f"{run.foreign} (gribble history --adopt {number} shows it)"
                if lost(where.store, run):
                    return "the files that it replaced are no longer in the attic"
        return ""

    newest = max((next((run.number for run in where.to_take_back()), 0) for where in rigs), default=0)
    why = hindrance(newest)
    if not why:
        return newest or None
    numbers = sorted({run.number for where in rigs for run in where.to_take_back()}, reverse=True)
    older = next((number for number in numbers if not hindrance(number)), None)
    what = f"run {newest} cannot be undone: {why}"
    if older is None or yes:
        fix = f"gribble undo {older} takes the run before it back." if older else "gribble history lists the runs."
        raise GribbleError(what, fix=f"Nothing was changed. {fix}", code=ExitCode.FAILED)
    session.screen.say(f"{what[0].upper()}{what[1:]}. This is run {older}, the newest one that can be:")
    return older


@contextmanager
def _locked(rigs: list[RigHome]) -> Iterator[list[HeldRig]]:
    """All of some rigs under their locks."""
    with ExitStack() as stack:
        yield [stack.enter_context(where.locked()) for where in rigs]


def _examine(session: Session, held: list[HeldRig], number: int) -> list[_Examined]:
    """Look at a run again, under the lock. Raises GribbleError if it cannot be taken back."""
    found = []
    for where in held:
        run = where.to_take_back(number)
        if run is None:
            raise GribbleError(
                f"run {number} on {where.name} was undone by another Gribble",
                fix="This command changed nothing. gribble history shows the runs.",
                code=ExitCode.FAILED,
            )
        with session.screen.bar("Comparing", run.bytes) as bar:
            runner = where.runner(run, session.rigs.elsewhere(run, where.home), Listener(bar.advance))
            if gone := lost(where.home.store, run):
                raise GribbleError(
                    f"run {number} cannot be undone on {where.name}: the files that it replaced are no longer "
                    f"in the attic ({', '.join(gone[:3])}{', …' if len(gone) > 3 else ''})",
                    fix="Nothing was changed. gribble history lists the other runs.",
                    code=ExitCode.FAILED,
                )
            changed = runner.changed_since(run)
        found.append(
            _Examined(
                where.name, number, where.home.mark(), len(run.begun.keys() - run.back - run.failed.keys()), changed
            )
        )
    return found


def _take_back(session: Session, held: list[HeldRig], seen: list[_Examined]) -> int:
    worst: int = ExitCode.CLEAN
    for where, one in zip(held, seen, strict=True):
        run = where.to_take_back(one.number)
        assert run is not None, "it was examined under this lock"
        code = take_back(session, where, run, one.changed)
        if code == ExitCode.INTERRUPTED:
            return ExitCode.INTERRUPTED
        worst = max(worst, code)
        left = f", but for {count(len(run.left), 'step')} left as it is" if run.left else ""
        session.screen.say(styled("Undone", "bold"), f": run {one.number} on {where.name}{left}.")
        remote = where.home.remote
        if remote and remote.untimed:
            files = count(remote.untimed, "file")
            session.screen.say(f"  The server cannot set times: {files} came back whole, but with today's time.")
    return worst
