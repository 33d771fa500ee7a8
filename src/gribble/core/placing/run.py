"""Carrying out a plan, finishing a run that was cut short, and taking a run back: each step in turn, the intent noted
before it and the outcome after it."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import count
from pathlib import Path
from typing import NamedTuple

from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.paths import run_number, run_of
from gribble.core.base.threads import keep_freed
from gribble.core.placing.back import Back
from gribble.core.placing.contents import Contents
from gribble.core.placing.displaced import Changed, changed_since, touched
from gribble.core.placing.forward import Ended, Forward
from gribble.core.placing.journal import Journal, Run
from gribble.core.placing.room import batches
from gribble.core.placing.store import Elsewhere, Stamp, Store, StoreError, StoreLost
from gribble.core.placing.twins import Twins
from gribble.core.records.steps import Displace, Rename, Step

Told = Callable[[Step, str], None]
"""Told of each step as it ends, with the reason if it was refused."""


class Stopped(Exception):
    """A run was asked to stop: what is under way is taken back, the run stays open."""


class Listener(NamedTuple):
    """Who follows a run: `watch` is told before each step and of the bytes of each block, and may raise Stopped; `told`
    of each step that has ended."""

    watch: Callable[[int], None] = lambda _bytes: None
    told: Told = lambda _step, _reason: None


class Runner:
    """Carries out and takes back the runs of one rig."""

    def __init__(
        self,
        store: Store,
        journal: Journal,
        elsewhere: Elsewhere,
        listener: Listener = Listener(),  # noqa: B008  (frozen)
        seen: Mapping[str, Stamp] | None = None,
        twins: tuple[Twins, str] | None = None,
    ) -> None:
        """`seen` are stamps of files as they were when the user was asked: one that is another by then is not
        displaced. `twins` are what is put on other rigs at the same time, with the root of this one: they hear
        what is put here."""
        self._twins, self._root = twins or (Twins(), "")
        self._store = store
        self._journal = journal
        self._watch, self._told = listener.watch, listener.told
        self._contents = Contents(store, elsewhere)
        self._forward = Forward(store, journal, elsewhere, listener.watch, seen or {}, self._twins)
        self._back = Back(store, journal, self._contents)

    @property
    def copied(self) -> int:
        """How many files that were to be linked had to be copied."""
        return self._forward.copied

    def carry_out(self, run: Run) -> None:
        """Do every step of a run that is not done yet, one that was cut short included, and close the run.

        A step that cannot be done is put back and noted with its reason, and the others go on. Raises GribbleError
        where the journal cannot be written, the rig is lost, or a step can neither be finished nor put back; the run
        then stays open.
        Raises Stopped if its watch does; what is under way is put back, and the run stays open, too.
        """
        for _ in self.each(run):
            pass

    def each(self, run: Run) -> Iterator[Sequence[int]]:
        """The same, batch by batch, so that the runs of several rigs go on side by side."""
        keep_freed()
        for batch in batches(run, self._store.at_once):
            ended: dict[int, Ended] = {}
            try:
                self._watch(0)
                self._forward.do(run, batch, ended)
            except Stopped:
                self._note(run, ended)
                for number in batch:
                    if number not in ended:
                        self._put_back(run, number, run.steps[number])
                raise
            except StoreLost as error:
                raise _lost(error, "gribble place --resume finishes the run, gribble undo takes it back") from error
            self._note(run, ended)
            yield batch
        self._journal.end(run, "done")

    def _note(self, run: Run, ended: Mapping[int, Ended]) -> None:
        """Note how steps ended; those that were refused are put back."""
        self._journal.done(run, {number: end for number, end in ended.items() if isinstance(end, str)})
        for number, end in sorted(ended.items()):
            step = run.steps[number]
            if not isinstance(end, str):
                self._put_back(run, number, step)
                self._journal.failed(run, number, str(end))
                self._told(step, str(end))
            else:
                self._told(step, "")
                if self._root and not isinstance(step, Displace | Rename):
                    self._twins.note(self._root, step, end)

    def _put_back(self, run: Run, number: int, step: Step) -> None:
        """Undo what a refused step has begun, so that it has changed nothing."""
        if number not in run.begun:
            return
        try:
            self._back.undo(run, number, step)
        except StoreLost as error:
            raise _lost(error, "gribble place --resume finishes the run, gribble undo takes it back") from error
        except StoreError as error:
            raise GribbleError(
                f"{step.place} could not be finished and could not be put back: {error}",
                fix="Remove the cause, then run gribble place --resume, or gribble undo.",
                code=ExitCode.FAILED,
            ) from error

    def changed_since(self, run: Run) -> list[Changed]:
        """Every file that is not as the run left it, so that taking the run back would lose something."""
        return changed_since(run, self._store, self._contents, self._watch)

    def take_back(
        self, run: Run, leave: frozenset[str] = frozenset(), made_before: frozenset[str] = frozenset()
    ) -> list[str]:
        """Undo every step, last first; files named in `leave` stay as they are. Raises GribbleError on a failure.

        Returns the places, beside those, that stay as they are since somebody has saved a file there meanwhile. The
        steps of both can be taken back later: the journal says which they are. Raises Stopped between two steps, if
        its watch does.

        `made_before` are the folders that runs have made which are undone by now: where this one was the last to have a
        file in one, it goes, too.
        """
        saved: list[str] = []
        for number in reversed(range(len(run.steps))):
            step = run.steps[number]
            if number not in run.begun or number in run.back or number in run.failed:
                continue
            if leave & touched(step):
                self._back.clear(run, number, step)
                self._journal.left(run, number)
                self._told(step, "left as it is")
                continue
            self._watch(step.bytes)
            if number not in run.turned:
                self._journal.turn(run, number)
            try:
                left = self._back.undo_in_any_room(run, number, step)
            except StoreLost as error:
                raise _lost(error, "gribble undo goes on with it") from error
            except StoreError as error:
                raise GribbleError(
                    f"the undo stopped at {step.place}: {error}",
                    fix="The steps that are already undone stay undone. Remove the cause, then run gribble undo again.",
                    code=ExitCode.FAILED,
                ) from error
            if left:
                saved += left
                self._journal.left(run, number)
            else:
                self._journal.back(run, number)
            self._told(step, "left as it is" if left else "")
            self._back.remove_folders(step, made_before)
        self._journal.end(run, "undone")
        self._store.prune(run.number)
        return saved


def new_run_number(folders: list[Path]) -> int:
    """One more than the highest number of any journal or slot in these folders: an attic can outlast its journals."""
    names = [path.name for folder in folders if os.path.isdir(folder) for path in folder.iterdir()]
    taken = {run_of(name.partition(".")[0]) for name in names}
    number = 1 + max(taken, default=0)
    if run_number(str(number)):
        return number
    return next(number for number in count(1) if number not in taken)  # somebody has put the last number there


def _lost(error: StoreLost, next_: str) -> GribbleError:
    return GribbleError(str(error), fix=f"No file is lost. When it is back, {next_}.", code=ExitCode.FAILED)
