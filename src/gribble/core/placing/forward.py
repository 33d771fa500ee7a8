"""The way forward of each step: acts that can be repeated, so that one cut short is finished by doing the rest.

At every moment a place holds the old file or the whole new one (a rename in case alone, by way of a third name,
excepted). docs/safety.md.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from threading import Lock
from typing import assert_never

from gribble.core.base.digests import Digests
from gribble.core.base.paths import fold, outside
from gribble.core.base.threads import side_by_side
from gribble.core.files.hashing import Digester, beside
from gribble.core.placing.contents import Contents, StepError, agrees
from gribble.core.placing.journal import Begin, Journal, Run
from gribble.core.placing.store import (
    Elsewhere,
    Stamp,
    Store,
    StoreError,
    StoreFull,
    StoreLost,
    third_name,
    undo_slot,
    work_name,
)
from gribble.core.placing.twins import TwinError, Twins
from gribble.core.records.steps import (
    Brought,
    Copy,
    Displace,
    Extract,
    Mend,
    Pack,
    Point,
    Rename,
    Step,
    Taking,
    Write,
    Writing,
)

WRITABLE = 0o200
"""The permission without which a file is read-only."""
KEYS_MODE = 0o600
"""The permissions of a key file: nobody else reads it."""
Ended = str | StepError | StoreError
"""How a step ended: the digest of what is at its place then, empty for none, or why it was refused."""


class Forward:
    """Does the steps of one rig's runs."""

    def __init__(
        self,
        store: Store,
        journal: Journal,
        elsewhere: Elsewhere,
        watch: Callable[[int], None],
        seen: Mapping[str, Stamp],
        twins: Twins,
    ) -> None:
        """`watch` is told of the bytes of each block; it may raise Stopped. `seen` are stamps of files as they were
        when the user was asked: one that is another by then is not displaced. `twins` have what other rigs
        were given."""
        self._store = store
        self._journal = journal
        self._elsewhere = elsewhere
        self._contents = Contents(store, elsewhere, watch)
        self._watch = watch
        self._seen = seen
        self._twins = twins
        self._stamps: dict[int, Stamp | None] = {}  # by step: what it displaces, as it was when it was begun
        self._lock = Lock()  # of what threads that write side by side tell
        self.copied = 0
        """How many files that were to be linked had to be copied."""

    def do(self, run: Run, numbers: Sequence[int], ended: dict[int, Ended]) -> None:
        """Do a step, or what was not done of it yet, or a batch of them side by side; how each `ended` is noted.

        Raises StoreLost if the rig is gone, GribbleError where the journal fails, and what the watch raises.
        """
        if len(numbers) > 1:
            self._do_together(run, numbers, ended)
            return
        (number,) = numbers
        with _refusing(ended, number):
            ended[number] = self._do(run, number, run.steps[number])

    def _do(self, run: Run, number: int, step: Step) -> str:
        resumed = number in run.begun
        if not resumed:
            self._journal.begin(run, {number: self._intent(run, number, step)})
        self._make_way(run, number, step, set())
        if resumed and not isinstance(step, Displace) and (sha1 := self._taken_up(run, number, step)):
            return sha1
        if resumed:
            self._note_stamp(number, step)
        if isinstance(step, Displace):
            return self._displace(run, number, step)
        match step:
            case Rename():
                return self._rename(run, number, step)
            case Copy() | Extract() | Mend() | Point() | Pack() | Write():
                return self._bring(run, number, step)
            case _:
                assert_never(step)

    def _do_together(self, run: Run, numbers: Sequence[int], ended: dict[int, Ended]) -> None:
        """Do a batch: the intents are flushed in one go, the contents written side by side; then each file takes its
        place in turn, and each folder is flushed once."""
        begun: dict[int, Begin] = {}
        for number in numbers:
            with _refusing(ended, number):
                begun[number] = self._intent(run, number, run.steps[number])
        self._journal.begin(run, begun)
        made: set[str] = set()
        with self._store.flushing_once():
            for number in begun:
                with _refusing(ended, number):
                    self._make_way(run, number, run.steps[number], made)
            steps = {number: _brought(run, number) for number in begun if number not in ended}
            written = self._written_together(run, steps, ended)
        self._journal.wrote(run, written)
        with self._store.flushing_once():  # what is kept is safe before anything takes its place
            for number in written:
                with _refusing(ended, number):
                    self._keep_former(run, number, steps[number])
        with self._store.flushing_once():
            for number in [one for one in written if one not in ended]:
                with _refusing(ended, number):
                    self._exchange(run, number, steps[number])
                    ended[number] = written[number]
        self._bring_again(run, steps, ended)

    def _written_together(self, run: Run, steps: Mapping[int, Brought], ended: dict[int, Ended]) -> dict[int, str]:
        """Write the contents of several steps in parallel. Return the digest of each step whose content is proven."""
        written: dict[int, str] = {}
        with side_by_side(self._store.at_once) as pool:
            writing = {number: pool.submit(self._write, run, number, step) for number, step in steps.items()}
            for number, step in steps.items():
                with _refusing(ended, number):
                    written[number] = _proven(step, writing[number].result())
        return written

    def _bring_again(self, run: Run, steps: Mapping[int, Brought], ended: dict[int, Ended]) -> None:
        full = [number for number in steps if isinstance(ended.get(number), StoreFull)]
        for number in full:  # what found no room beside the others may find it when they are through
            with _refusing(ended, number):
                self._store.discard(work_name(steps[number].to, run, number))
        for number in full:
            with _refusing(ended, number):
                ended[number] = self._bring(run, number, steps[number])

    def _intent(self, run: Run, number: int, step: Step) -> Begin:
        """What a step is going to do, once its world is the plan's."""
        if isinstance(step, Displace):
            _check_replaced(run, step)
        self._check_unchanged(step)
        self._note_stamp(number, step)
        mode = self._store.mode(step.displaces) if step.displaces else None
        return Begin(
            makes=tuple(self._store.missing_folders(step.to)) if isinstance(step, Writing) else (),
            mode=mode if mode is not None and not mode & WRITABLE else None,
        )

    def _note_stamp(self, number: int, step: Step) -> None:
        if step.displaces:
            self._stamps[number] = self._store.stamp(step.displaces)

    def _check_still(self, number: int, step: Step) -> None:
        """Refuse a step if another program has saved the file that it displaces while the step was under way."""
        if step.displaces and self._store.stamp(step.displaces) != self._stamps[number]:
            raise StepError(f"{step.displaces} was changed while this step was under way; it stays. Make a new plan")

    def _make_way(self, run: Run, number: int, step: Step, made: set[str]) -> None:
        """Make the folders that a step needs and that are not `made` yet, and the slot that its undoing would fill, so
        that it needs no room for that."""
        for folder in run.begun[number].makes:
            if folder not in made:
                self._store.make_folder(folder)
                made.add(folder)
        if isinstance(step, Writing):
            self._store.make_slot(undo_slot(run, number, step.to))

    def _taken_up(self, run: Run, number: int, step: Rename | Brought) -> str:
        """Look what is there of a step that was cut short: the digest of its content where nothing is left to do but
        the finish, else nothing. Raises StepError if somebody else has put a file in its place."""
        self._store.tidy(step.replaces or step.to)
        self._finish_spelling(run, number, step.to)
        if sha1 := self._arrived(run, number, step):
            return sha1
        self._check_meanwhile(run, number, step)
        return ""

    # Into the attic

    def _displace(self, run: Run, number: int, step: Displace) -> str:
        if not self._store.kept(run.slot(number)) or self._store.half_kept(step.from_, run.slot(number)):
            self._check_still(number, step)
            self._store.displace(step.from_, run.slot(number))
        return ""

    # On the rig

    def _rename(self, run: Run, number: int, step: Rename) -> str:
        if not self._store.exists(step.from_):
            raise StepError(f"{step.from_} is gone since the plan was made; make a new plan")
        digests = self._store.digests(step.from_, {"sha1", *step.digests.known()})
        if not agrees(digests, step.digests):
            raise StepError(f"{step.from_} has changed since Gribble looked at it; run gribble plan again")
        self._journal.wrote(run, {number: digests.sha1 or ""})
        self._keep_former(run, number, step)
        self._check_still(number, step)
        if fold(step.from_) == fold(step.to):
            self._rename_by_third(step.from_, step.to, run, number)
        else:
            self._store.rename(step.from_, step.to)
        self._give_mark_back(run, number)
        return digests.sha1 or ""

    def _rename_by_third(self, old: str, new: str, run: Run, number: int) -> None:
        """Rename where the two names may be one to the volume."""
        third = third_name(new, run, number)
        self._store.rename(old, third)
        self._store.rename(third, new)

    def _finish_spelling(self, run: Run, number: int, to: str) -> None:
        """Do the rest of a renaming by a third name that was cut short."""
        third = third_name(to, run, number)
        if self._store.exists(third):
            self._store.rename(third, to)

    # Onto the rig

    def _bring(self, run: Run, number: int, step: Brought) -> str:
        """Write the new content beside its place, prove it, keep the old file, and rename over it."""
        sha1 = _proven(step, self._write(run, number, step))
        self._journal.wrote(run, {number: sha1})
        self._keep_former(run, number, step)
        self._exchange(run, number, step)
        return sha1

    def _exchange(self, run: Run, number: int, step: Brought) -> None:
        """Let what is written and noted take its place, once the former file is kept. Writing may have taken a while:
        what is there must still be what was there before."""
        if step.replaces:
            self._check_still(number, step)
        else:
            self._check_free(step.to)
        self._store.rename(work_name(step.to, run, number), step.replaces or step.to)
        if step.replaces and step.replaces != step.to:
            self._rename_by_third(step.replaces, step.to, run, number)
        self._give_mark_back(run, number)
        self._dress(run, number, step)

    def _give_mark_back(self, run: Run, number: int) -> None:
        """Where a read-only mark had to be taken off a file so that another could replace it, its name in the attic has
        lost the mark, too."""
        mode = run.begun[number].mode
        if mode is not None:
            self._store.protect_kept(run.slot(number), mode)

    def _write(self, run: Run, number: int, step: Brought) -> Digests:
        """Write a step's content into its work file; the digests of what is there then. This is what threads do side by
        side."""
        work = work_name(step.to, run, number)
        store, known = self._store, step.proof.known()
        wanted = known if step.proof.sha1 or step.proof.sha256 else {"sha1", *known}
        if isinstance(step, Copy) and step.link and outside(step.from_):
            if store.link(Path(step.from_), work):
                return self._digested(store.read(work), wanted, step.bytes)
            with self._lock:
                self.copied += 1
        if twin := self._twins.of(step):
            try:
                digests = self._sent(step, work, twin.blocks, {*wanted, twin.algorithm}, known)
                if twin.is_like(digests):
                    return digests
            except TwinError:
                pass
            self._twins.forget(step)
        return self._sent(step, work, lambda: self._contents.of(run, number, step), wanted, known)

    def _sent(
        self,
        step: Brought,
        work: str,
        blocks: Callable[[], Iterator[bytes]],
        wanted: Iterable[str],
        known: Mapping[str, str],
    ) -> Digests:
        """Write a content into a work file; the digests of what is there then."""
        store = self._store
        sent = Digester(())

        def content() -> Iterator[bytes]:
            nonlocal sent  # again each time: a connection that broke wants it again
            sent = Digester(() if store.reads_back and known else wanted)
            return self._fed(blocks(), sent, step.bytes)

        store.write(work, content, like=step.replaces)
        if isinstance(step, Copy) and step.dated:
            modified = self._elsewhere.modified(step.from_)
            if modified is not None:
                store.set_time(work, modified)
        if not store.reads_back:
            return sent.digests()
        arrived = self._digested(store.read_back(work), wanted, step.bytes)
        if known and not agrees(arrived, step.proof):  # which of the two is it?
            sent = Digester(wanted)
            for block in blocks():
                sent.update(block)
        elif known:
            return arrived
        if sent.digests() != arrived:
            raise StepError("did not arrive as it was sent. Is the rig's storage full or failing?")
        return arrived

    def _digested(self, blocks: Iterator[bytes], algorithms: Iterable[str], size: int) -> Digests:
        digester = Digester(algorithms)
        for _ in self._fed(blocks, digester, size):
            pass
        return digester.digests()

    def _fed(self, blocks: Iterator[bytes], digester: Digester, size: int) -> Iterator[bytes]:
        with beside(digester, size) as take:
            for block in blocks:
                with self._lock:
                    self._watch(len(block))
                take(block)
                yield block

    def _dress(self, run: Run, number: int, step: Brought) -> None:
        """Permissions come last, since a read-only file cannot be replaced everywhere."""
        mode = KEYS_MODE if isinstance(step, Copy | Extract) and step.private else None
        if mode is None and not step.replaces and isinstance(step, Taking):
            mode = self._elsewhere.mode(step.from_) if outside(step.from_) else self._store.mode(step.from_)
        self._store.dress(step.to, run.slot(number) if step.replaces else "", mode)

    # Whether the world is the plan's

    def _check_unchanged(self, step: Step) -> None:
        """Refuse a step whose world is not the plan's."""
        displaced = step.displaces
        if displaced and not self._store.exists(displaced):
            raise StepError(f"{displaced} is gone since the plan was made; make a new plan")
        if displaced and displaced in self._seen and self._store.stamp(displaced) != self._seen[displaced]:
            raise StepError(f"{displaced} was changed after the plan was shown; make a new plan")
        if (
            isinstance(step, Writing)
            and step.to != step.replaces
            and not (isinstance(step, Taking) and step.to == step.from_)
        ):
            self._check_free(step.to)

    def _check_free(self, to: str) -> None:
        if self._store.exists(to):
            raise StepError(f"{to} is there now, but was not when the plan was made; make a new plan")

    def _keep_former(self, run: Run, number: int, step: Rename | Brought) -> None:
        """Keep the file that a step takes the place of; where its slot is filled, see that it is that very file."""
        if not step.replaces:
            return
        if not self._store.kept(run.slot(number)):
            self._store.keep(step.replaces, run.slot(number))
        elif self._store.exists(step.replaces):
            self._check_meanwhile(run, number, step)

    def _arrived(self, run: Run, number: int, step: Rename | Brought) -> str:
        """The digest of a step's content where it is in its place already, and the old one in the attic; else
        nothing."""
        if step.replaces and not self._store.kept(run.slot(number)):
            return ""
        if isinstance(step, Rename) and self._store.exists(step.from_):
            return ""  # on its way from another volume, or not begun
        if not (self._store.exists(step.to) and self._contents.ours(run, number, step, step.to)):
            return ""
        self._give_mark_back(run, number)
        if not isinstance(step, Rename):
            self._dress(run, number, step)
        return self._store.digests(step.to, {"sha1"}).sha1 or ""

    def _check_meanwhile(self, run: Run, number: int, step: Rename | Brought) -> None:
        """Refuse to go on with a step where, since it was cut short, somebody else has put a file in its place."""
        place = step.replaces or step.to
        if not self._store.exists(place):
            if step.replaces and not self._store.kept(run.slot(number)):
                raise StepError(f"{place} is gone since the plan was made; make a new plan")
            return
        if step.replaces and not self._store.kept(run.slot(number)):
            return  # still as it was: nothing of it was begun
        if step.replaces and self._store.same(place, run.slot(number)):
            return
        if self._contents.ours(run, number, step, place):
            return
        more = ", and what lay there before is in the attic" if step.replaces else ""
        raise StepError(f"{place} has come there since the run was cut short; it stays{more}")


def _proven(step: Brought, digests: Digests) -> str:
    """The digest of what a step has written, as the journal notes it. Raises StepError if it is not the plan's."""
    if not agrees(digests, step.proof):
        what = step.from_ if isinstance(step, Taking) else step.to
        raise StepError(f"{what} has changed since Gribble looked at it; run gribble plan again")
    return digests.sha1 or digests.sha256 or ""


def _brought(run: Run, number: int) -> Brought:
    step = run.steps[number]
    assert not isinstance(step, Displace | Rename), "no such step is in a batch"
    return step


@contextmanager
def _refusing(ended: dict[int, Ended], number: int) -> Iterator[None]:
    """Note why a step is refused; a rig that is lost is no matter of one step."""
    try:
        yield
    except StoreLost:
        raise
    except (StepError, StoreError) as error:
        ended[number] = error


def _check_replaced(run: Run, step: Displace) -> None:
    """Refuse to displace what another step of the same need or set was to take the place of, but could not."""
    for number in run.failed:
        failed = run.steps[number]
        if failed.need and (failed.emulator, failed.need) == (step.emulator, step.need):
            raise StepError(f"stays, because {failed.place} could not be put in its place")
