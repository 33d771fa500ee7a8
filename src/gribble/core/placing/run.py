"""Carrying out a plan, finishing a run that was cut short, and taking a run back.

Each step is made of acts that can be repeated: after a kill, finishing a step looks at what is there and does the
rest. At every moment a place holds the old file or the whole new one (a rename in case alone, by way of a third name,
excepted). DESIGN.md section 9.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path
from typing import Protocol

from msgspec import Struct

from gribble.core.base.digests import Digests
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.paths import UNDONE, base, fold, join, outside, parent
from gribble.core.files.hashing import Digester
from gribble.core.files.settingsfile import SettingError, value_of, with_value
from gribble.core.placing.journal import Begin, Journal, Run, displaced_by
from gribble.core.placing.store import Stamp, Store, StoreError, StoreFull, StoreLost
from gribble.core.placing.zipping import zipped
from gribble.core.records.plan import Step, StepKind
from gribble.core.records.recipes import mended

SHA1_DIGITS = 40
"""A longer digest in a journal is a SHA-256."""
KEYS_MODE = 0o600
"""The permissions of a key file: nobody else reads it."""


class Elsewhere(Protocol):
    """The files that a rig's steps take from outside it, by absolute path or address. May raise StoreError."""

    def read(self, path: str, member: str | None) -> Iterator[bytes]:
        """The content of a file, or of a member of an archive."""

    def local(self, path: str) -> Path:
        """A file on this machine with that content."""

    def size(self, path: str) -> int:
        """The size of a file in bytes; 0 where it is not there."""

    def mode(self, path: str) -> int | None:
        """The permissions of a file on this machine; None where it has none that count here."""

    def modified(self, path: str) -> int | None:
        """A file's time of modification, in nanoseconds since 1970; None where that is not known."""


Told = Callable[[Step, str], None]
"""Told of each step as it ends, with the reason if it was refused."""


class Changed(Struct, frozen=True):
    """A file that is not as a run left it, and what is there instead."""

    path: str
    why: str


class Stopped(Exception):
    """A run was asked to stop: the step under way is taken back, the run stays open."""


class _StepError(Exception):
    """A step cannot be carried out; it has changed nothing."""


class Runner:
    """Carries out and takes back the runs of one rig."""

    def __init__(
        self,
        store: Store,
        journal: Journal,
        elsewhere: Elsewhere,
        told: Told | None = None,
        watch: Callable[[int], None] = lambda _bytes: None,
        seen: Mapping[str, Stamp] | None = None,
    ) -> None:
        """`watch` is told before each step and of the bytes of each block; it may raise Stopped. `seen` are stamps of
        files as they were when the user was asked: one that is another by then is not displaced."""
        self._seen = seen or {}
        self._watch = watch
        self._store = store
        self._journal = journal
        self._elsewhere = elsewhere
        self._told = told or (lambda _step, _reason: None)
        self.copied = 0
        """How many files that were to be linked had to be copied."""

    # Forwards

    def carry_out(self, run: Run) -> None:
        """Do every step of a run that is not done yet, one that was cut short included, and close the run.

        A step that cannot be done is put back and noted with its reason, and the others go on. Raises GribbleError
        where the journal cannot be written, the rig is lost, or a step can neither be finished nor put back; the run
        then stays open.
        Raises Stopped where its watch does; the step under way is put back, and the run stays open, too.
        """
        for number, step in enumerate(run.steps):
            if number in run.done or number in run.failed:
                continue
            try:
                self._watch(0)
                sha1 = self._do(run, number, step)
            except Stopped:
                self._put_back(run, number, step)
                raise
            except StoreLost as error:
                raise _lost(error, "gribble place --resume finishes the run, gribble undo takes it back") from error
            except (StoreError, _StepError) as error:
                self._put_back(run, number, step)
                self._journal.failed(run, number, str(error))
                self._told(step, str(error))
            else:
                self._journal.done(run, number, sha1)
                self._told(step, "")
        self._journal.end(run, "done")

    def _do(self, run: Run, number: int, step: Step) -> str:
        resumed = number in run.begun
        if not resumed:
            if step.step is StepKind.DISPLACE:
                self._check_replaced(run, step)
            self._check_unchanged(step)
            makes = tuple(self._store.missing_folders(step.to)) if step.to else ()
            self._journal.begin(run, number, Begin(makes=makes))
        for folder in run.begun[number].makes:
            self._store.make_folder(folder)
        if step.step is StepKind.DISPLACE:
            if not self._store.kept(run.slot(number)) or self._store.half_kept(step.from_, run.slot(number)):
                self._store.displace(step.from_, run.slot(number))
            return ""
        assert step.to is not None
        self._store.make_slot(_undo_slot(run, number, step.to))  # so that taking back needs no room for it
        if resumed:
            self._store.tidy(step.replaces or step.to)
            self._finish_spelling(run, number, step.to)
            if sha1 := self._arrived(run, number, step, step.to):
                return sha1
            self._check_meanwhile(run, number, step)
        if step.step is StepKind.RENAME:
            return self._rename(run, number, step, step.to)
        return self._bring(run, number, step, step.to)

    def _finish_spelling(self, run: Run, number: int, to: str) -> None:
        """Do the rest of a renaming by a third name that was cut short."""
        third = _third_name(to, run, number)
        if self._store.exists(third):
            self._store.rename(third, to)

    def _arrived(self, run: Run, number: int, step: Step, to: str) -> str:
        """The digest of a step's content where it lies in its place already, and the old one in the attic; else
        nothing."""
        if step.replaces and not self._store.kept(run.slot(number)):
            return ""
        if step.step is StepKind.RENAME and self._store.exists(step.from_):
            return ""  # on its way from another volume, or not begun
        if not (self._store.exists(to) and self._ours(run, number, step, to)):
            return ""
        if step.step is not StepKind.RENAME:
            self._dress(run, number, step, to)
        return self._sha1(self._store.read(to))

    def _ours(self, run: Run, number: int, step: Step, path: str) -> bool:
        """Whether what lies at a path is what a step put there, or was about to."""
        digest = run.done.get(number) or run.wrote.get(number) or step.digests.sha1 or step.digests.sha256
        if digest:
            return self._digest(self._store.read(path), _algorithm(digest)) == digest
        known = step.digests.known()
        return bool(known) and self._digests(path, known) == step.digests

    def _check_meanwhile(self, run: Run, number: int, step: Step) -> None:
        """Refuse to go on with a step where, since it was cut short, somebody else has put a file in its place."""
        place = step.replaces or step.to or ""
        if not self._store.exists(place):
            if step.replaces and not self._store.kept(run.slot(number)):
                raise _StepError(f"{place} is gone since the plan was made; make a new plan")
            return
        if step.replaces and not self._store.kept(run.slot(number)):
            return  # still as it was: nothing of it was begun
        if (step.replaces and self._store.same(place, run.slot(number))) or self._ours(run, number, step, place):
            return
        more = ", and what lay there before is in the attic" if step.replaces else ""
        raise _StepError(f"{place} has come there since the run was cut short; it stays{more}")

    def _check_replaced(self, run: Run, step: Step) -> None:
        """Refuse to displace what another step of the same need or set was to take the place of, but could not."""
        for number in run.failed:
            failed = run.steps[number]
            if failed.need and (failed.emulator, failed.need) == (step.emulator, step.need):
                raise _StepError(f"stays, since {failed.to or failed.from_} could not be put in its stead")

    def _check_unchanged(self, step: Step) -> None:
        """Refuse a step whose world is not the plan's."""
        displaced = displaced_by(step)
        if displaced and not self._store.exists(displaced):
            raise _StepError(f"{displaced} is gone since the plan was made; make a new plan")
        if displaced and displaced in self._seen and self._store.stamp(displaced) != self._seen[displaced]:
            raise _StepError(f"{displaced} was changed after the plan was shown; make a new plan")
        if step.to and step.to not in (step.replaces, step.from_):
            self._check_free(step.to)

    def _check_free(self, to: str) -> None:
        if self._store.exists(to):
            raise _StepError(f"{to} is there now, but was not when the plan was made; make a new plan")

    def _bring(self, run: Run, number: int, step: Step, to: str) -> str:
        """Write the new content beside its place, prove it, keep the old file, and rename over it."""
        work = _work_name(to, run, number)
        digests = self._write(run, number, step, work)
        if not _agrees(digests, step):
            raise _StepError(f"{step.from_} has changed since it was looked at; run gribble plan again")
        sha1 = digests.sha1 or digests.sha256 or ""
        self._journal.wrote(run, number, sha1)
        if step.replaces:
            self._check_kept(run, number, step, step.replaces)
        else:
            self._check_free(to)  # writing may have taken a while
        self._store.rename(work, step.replaces or to)
        if step.replaces and step.replaces != to:
            self._rename_by_third(step.replaces, to, run, number)
        self._dress(run, number, step, to)
        return sha1

    def _check_kept(self, run: Run, number: int, step: Step, place: str) -> None:
        """Keep the file that a step takes the place of; where its slot is filled, see that it is that very file."""
        if not self._store.kept(run.slot(number)):
            self._store.keep(place, run.slot(number))
        elif self._store.exists(place):
            self._check_meanwhile(run, number, step)

    def _dress(self, run: Run, number: int, step: Step, to: str) -> None:
        """Permissions come last, since a read-only file cannot be replaced everywhere."""
        mode = KEYS_MODE if step.private else None
        if mode is None and not step.replaces and step.from_ and not step.points:
            mode = self._elsewhere.mode(step.from_) if outside(step.from_) else self._store.mode(step.from_)
        self._store.dress(to, run.slot(number) if step.replaces else "", mode)

    def _write(self, run: Run, number: int, step: Step, work: str) -> Digests:
        """Write a step's content into its work file; the digests of what is there then."""
        store, known = self._store, step.digests.known()
        wanted = known if step.digests.sha1 or step.digests.sha256 else {"sha1", *known}
        if step.link and outside(step.from_):
            if store.link(Path(step.from_), work):
                return self._digested(store.read(work), wanted)
            self.copied += 1
        sent = Digester(())

        def content() -> Iterator[bytes]:
            nonlocal sent  # anew each time: a connection that broke wants it again
            sent = Digester(() if store.reads_back and known else wanted)
            return self._fed(self._content(run, number, step), sent)

        store.write(work, content, like=step.replaces)
        if step.dated and (modified := self._elsewhere.modified(step.from_)) is not None:
            store.set_time(work, modified)
        if not store.reads_back:
            return sent.digests()
        arrived = self._digested(store.read_back(work), wanted)
        if known and not _agrees(arrived, step):  # which of the two is it?
            sent = Digester(wanted)
            for block in self._content(run, number, step):
                sent.update(block)
        elif known:
            return arrived
        if sent.digests() != arrived:
            raise _StepError("did not arrive as it was sent. Is the rig's storage full or failing?")
        return arrived

    def _digested(self, blocks: Iterator[bytes], algorithms: Iterable[str]) -> Digests:
        digester = Digester(algorithms)
        for _ in self._fed(blocks, digester):
            pass
        return digester.digests()

    def _fed(self, blocks: Iterator[bytes], digester: Digester) -> Iterator[bytes]:
        for block in blocks:
            self._watch(len(block))
            digester.update(block)
            yield block

    def _rename(self, run: Run, number: int, step: Step, to: str) -> str:
        if not self._store.exists(step.from_):
            raise _StepError(f"{step.from_} is gone since the plan was made; make a new plan")
        digests = self._digests(step.from_, {"sha1", *step.digests.known()})
        if not _agrees(digests, step):
            raise _StepError(f"{step.from_} has changed since it was looked at; run gribble plan again")
        self._journal.wrote(run, number, digests.sha1 or "")
        if step.replaces:
            self._check_kept(run, number, step, step.replaces)
        if fold(step.from_) == fold(to):
            self._rename_by_third(step.from_, to, run, number)
        else:
            self._store.rename(step.from_, to)
        return digests.sha1 or ""

    def _rename_by_third(self, old: str, new: str, run: Run, number: int) -> None:
        """Rename where the two names may be one to the volume."""
        third = _third_name(new, run, number)
        self._store.rename(old, third)
        self._store.rename(third, new)

    def _content(self, run: Run, number: int, step: Step) -> Iterator[bytes]:
        """What a step writes: the content it takes as it is, or what its recipe or its new value makes of it."""
        if step.points:
            return iter([self._pointed(step)])
        if step.step is StepKind.WRITE:
            return iter([step.text.encode("utf-8", "surrogateescape")])
        if step.step is StepKind.PACK:
            places = {path: self._locate(run, number, path) for path in {member.from_ for member in step.members}}
            return zipped(step.members, places.__getitem__)
        blocks = self._open(run, number, step.from_, step.member)
        if step.recipe is None:
            return _at_most(blocks, step)
        partner = self._open(run, number, step.partner, step.partner_member) if step.partner else iter(())
        return iter([mended(b"".join(blocks), step.recipe, b"".join(partner))])

    def _pointed(self, step: Step) -> bytes:
        """A settings file with its new values; it may have them already, where a run was cut short."""
        data = b"".join(self._store.read(step.from_))
        try:
            for point in step.points:
                if value_of(data, point.format, point.key) not in (point.was, point.value):
                    raise _StepError(f"{point.key} in {step.from_} has changed since; run gribble plan again")
                data = with_value(data, point.format, point.key, point.value)
        except SettingError as error:
            raise _StepError(f"{step.from_} {error}") from error
        return data

    def _open(self, run: Run, number: int, path: str, member: str | None) -> Iterator[bytes]:
        """A content that a step takes; what this run has displaced before is read from the attic."""
        if outside(path):
            return self._elsewhere.read(path, member)
        slot = self._displaced(run, number, path)
        return self._store.read_kept(slot, member) if slot else self._store.read(path, member)

    def _locate(self, run: Run, number: int, path: str) -> Path:
        """The same as a file on this machine. The step itself may have displaced it, where a run was cut short."""
        if outside(path):
            return self._elsewhere.local(path)
        slot = self._displaced(run, number + 1, path)
        return self._store.local_kept(slot) if slot else self._store.local(path)

    def _displaced(self, run: Run, number: int, path: str) -> str:
        """The slot of the attic into which the steps before a number have put a file; empty if none has."""
        for earlier in range(number):
            if (
                earlier in run.begun
                and displaced_by(run.steps[earlier]) == path
                and self._store.kept(run.slot(earlier))
            ):
                return run.slot(earlier)
        return ""

    def _holds(self, path: str, step: Step) -> bool:
        """Whether a file has the content of a step."""
        return self._digests(path, step.digests.known()) == step.digests

    def _digests(self, path: str, algorithms: Iterable[str]) -> Digests:
        digester = Digester(algorithms)
        for block in self._store.read(path):
            digester.update(block)
        return digester.digests()

    def _sha1(self, blocks: Iterator[bytes]) -> str:
        return self._digest(blocks, "sha1")

    def _digest(self, blocks: Iterator[bytes], algorithm: str) -> str:
        digester = Digester({algorithm})
        for block in blocks:
            digester.update(block)
        return digester.digests().get(algorithm) or ""

    def _put_back(self, run: Run, number: int, step: Step) -> None:
        """Undo what a refused step has begun, so that it has changed nothing."""
        if number not in run.begun:
            return
        try:
            self._undo(run, number, step)
        except StoreLost as error:
            raise _lost(error, "gribble place --resume finishes the run, gribble undo takes it back") from error
        except StoreError as error:
            raise GribbleError(
                f"{step.to or step.from_} could neither be finished nor put back: {error}",
                fix="Remove the cause, then run gribble place --resume, or gribble undo.",
                code=ExitCode.FAILED,
            ) from error

    # Back

    def changed_since(self, run: Run) -> list[Changed]:
        """Every file that is not as the run left it, so that taking the run back would lose something."""
        after: dict[str, str] = {}
        under_way: set[str] = set()
        changed: dict[str, Changed] = {}
        for number, step in enumerate(run.steps):
            if number not in run.begun or number in run.failed or number in run.back:
                continue
            if number in run.turned or number not in run.done:
                under_way.update(path for path in (step.from_, step.to, step.replaces) if path)
                changed.update(self._unexplained(run, number, step))
                continue
            for path in (step.from_ if step.step in (StepKind.RENAME, StepKind.DISPLACE) else "", step.replaces):
                if path:
                    after[path] = ""
            if step.to:
                after[step.to] = run.done[number]
        for path, sha1 in after.items():
            if path not in under_way and (why := self._change(path, sha1)):
                changed[path] = Changed(path, why)
        return list(changed.values())

    def _change(self, path: str, sha1: str) -> str:
        """What is not as a run left it at a place, where it left a content or, without a digest, nothing."""
        there = self._store.exists(path)
        if sha1 and not there:
            return "is gone"
        if there and not sha1:
            return "is a new file that the run did not put there"
        try:
            if there and self._digest(self._store.read(path), _algorithm(sha1)) != sha1:
                return "has another content than the run put there"
        except StoreLost:
            raise
        except StoreError as error:
            return f"cannot be compared: {error}"
        return ""

    def _unexplained(self, run: Run, number: int, step: Step) -> Iterator[tuple[str, Changed]]:
        """The place of a step that was cut short, where something lies there that is neither the old nor the new file,
        and would have to make room for the old one."""
        place = displaced_by(step)
        slot = run.slot(number)
        if not place or not self._store.kept(slot) or not self._store.exists(place):
            return
        try:
            if self._store.same(place, slot) or (step.to and self._ours(run, number, step, place)):
                return
            why = "is a file that the run did not put there"
        except StoreLost:
            raise
        except StoreError as error:
            why = f"cannot be compared: {error}"
        yield place, Changed(place, why)

    def take_back(
        self, run: Run, leave: frozenset[str] = frozenset(), made_before: frozenset[str] = frozenset()
    ) -> None:
        """Undo every step, last first; files named in `leave` stay as they are. Raises GribbleError on a failure.

        `made_before` are the folders that runs have made which are undone by now: where this one was the last to have a
        file in one, it goes, too.
        """
        for number in reversed(range(len(run.steps))):
            step = run.steps[number]
            if number not in run.begun or number in run.back or number in run.failed:
                continue
            if leave & {step.to, step.from_, step.replaces}:
                self._clear(run, number, step)
                self._told(step, "left as it is")
                continue
            if number not in run.turned:
                self._journal.turn(run, number)
            try:
                self._undo_in_any_room(run, number, step)
            except StoreLost as error:
                raise _lost(error, "gribble undo goes on with it") from error
            except StoreError as error:
                raise GribbleError(
                    f"taking back stopped at {step.to or step.from_}: {error}",
                    fix="What was taken back stays so. Remove the cause, then run gribble undo again.",
                    code=ExitCode.FAILED,
                ) from error
            self._journal.back(run, number)
            self._told(step, "")
            self._remove_folders(step, made_before)
        self._journal.end(run, "undone")
        self._store.prune(run.number)

    def _undo_in_any_room(self, run: Run, number: int, step: Step) -> None:
        """Undo a step; where the disk is full, in the room that was set aside for that."""
        try:
            self._undo(run, number, step)
        except StoreFull:
            self._journal.drop_ballast()
            self._undo(run, number, step)

    def _remove_folders(self, step: Step, made_before: frozenset[str]) -> None:
        folder = parent(step.to or "")
        while folder:
            if folder in made_before:
                self._store.remove_folder(folder)
            folder = parent(folder)

    def _undo(self, run: Run, number: int, step: Step) -> None:
        store = self._store
        if step.step is StepKind.DISPLACE:
            if store.kept(run.slot(number)):
                self._return(run.slot(number), step.from_)
            return
        assert step.to is not None
        self._clear(run, number, step)
        third = _third_name(step.to, run, number)
        if step.step is StepKind.RENAME:
            self._undo_rename(run, number, step, step.to, third)
        else:
            self._undo_bring(run, number, step, step.to, third)
        for folder in reversed(run.begun[number].makes):
            store.remove_folder(folder)

    def _clear(self, run: Run, number: int, step: Step) -> None:
        """Remove what a step that was cut short has left beside its place."""
        if step.to is not None:
            self._store.discard(_work_name(step.to, run, number))
            self._store.tidy(step.replaces or step.to)

    def _return(self, slot: str, path: str) -> None:
        """Bring a file back to a place where nothing is, or just its content; what else is there stays."""
        if not self._store.exists(path) or self._store.same(path, slot):
            self._store.bring_back(slot, path)

    def _undo_bring(self, run: Run, number: int, step: Step, to: str, third: str) -> None:
        """The new file goes to the attic, the old one comes back over it; what is neither of them stays."""
        store, old = self._store, step.replaces
        if old and old != to:
            for path in (to, third):
                if store.exists(path):
                    store.rename(path, third)
                    store.rename(third, old)
        if old is None:
            if store.exists(to) and self._ours(run, number, step, to):
                store.displace(to, self._spare_slot(run, number, to, to))
        elif store.kept(run.slot(number)):
            if store.exists(old) and not store.same(old, run.slot(number)) and self._ours(run, number, step, old):
                self._exchange(run, number, to, run.slot(number), old)
            else:
                self._return(run.slot(number), old)

    def _exchange(self, run: Run, number: int, to: str, slot: str, path: str) -> None:
        """What lies at a path goes to the attic, and what is in a slot comes over it in one instant.

        Where nothing more fits and the attic cannot hold it beside, the place is empty for a moment; the journal knows.
        """
        spare = self._spare_slot(run, number, to, path)
        try:
            self._store.keep(path, spare)
        except StoreFull:
            self._store.displace(path, spare)
        self._store.bring_back(slot, path)

    def _spare_slot(self, run: Run, number: int, to: str, path: str) -> str:
        """A slot for what an undo takes away from a path: an empty one, or the one that has that very file already."""
        first = _undo_slot(run, number, to)
        slots = (first if turn == 1 else _undo_slot(run, number, to, turn) for turn in itertools.count(1))
        return next(slot for slot in slots if not self._store.kept(slot) or self._store.same(path, slot))

    def _undo_rename(self, run: Run, number: int, step: Step, to: str, third: str) -> None:
        store = self._store
        if store.exists(third):
            store.rename(third, step.from_)
        way = _undo_slot(run, number, to)
        if step.replaces and store.kept(run.slot(number)):
            if not store.exists(step.replaces) or store.same(step.replaces, run.slot(number)):
                self._return(run.slot(number), step.replaces)
            elif self._ours(run, number, step, step.replaces):
                if not store.exists(step.from_):
                    store.keep(step.replaces, way)
                store.bring_back(run.slot(number), step.replaces)
        if step.replaces:
            if store.kept(way):
                self._return(way, step.from_)
        elif store.exists(to) and (fold(to) == fold(step.from_) or self._ours(run, number, step, to)):
            if fold(to) == fold(step.from_):
                if not store.exists(step.from_):
                    store.rename(to, third)
                    store.rename(third, step.from_)
            elif store.exists(step.from_):  # on its way to another volume
                store.displace(to, self._spare_slot(run, number, to, to))
            else:
                store.rename(to, step.from_)


def lost(store: Store, run: Run) -> list[str]:
    """The places whose former file is not in the attic any more, so that a run cannot be taken back whole."""
    found = []
    for number in run.done.keys() - run.back:
        displaced = displaced_by(run.steps[number])
        if displaced and number not in run.turned and not store.kept(run.slot(number)):
            found.append(displaced)
    return sorted(found)


def new_run_number(folders: list[Path]) -> int:
    """One more than the highest number of any journal in these folders."""
    names = [path.stem for folder in folders if folder.is_dir() for path in folder.iterdir()]
    return 1 + max((int(name) for name in names if name.isdecimal()), default=0)


def _agrees(digests: Digests, step: Step) -> bool:
    """Whether a content has every digest that a step knows."""
    return all(digests.get(name) == digest for name, digest in step.digests.known().items())


def _at_most(blocks: Iterator[bytes], step: Step) -> Iterator[bytes]:
    """A step's content, which is left as soon as it is longer than the step says."""
    left = step.bytes
    for block in blocks:
        left -= len(block)
        if left < 0:
            raise _StepError(f"{step.from_} is longer than the {step.bytes:,} bytes of the plan; make a new plan")
        yield block


def _lost(error: StoreLost, next_: str) -> GribbleError:
    return GribbleError(str(error), fix=f"No file is lost. When it is back, {next_}.", code=ExitCode.FAILED)


def _work_name(to: str, run: Run, number: int) -> str:
    return join(parent(to), f".gribble-{run.number}-{number}.part")


def _third_name(to: str, run: Run, number: int) -> str:
    return join(parent(to), f".gribble-{run.number}-{number}.third")


def _undo_slot(run: Run, number: int, to: str, turn: int = 1) -> str:
    return f"{run.number:04d}{UNDONE}/{number}{f'.{turn}' if turn > 1 else ''}/{base(to)}"


def _algorithm(digest: str) -> str:
    return "sha256" if len(digest) > SHA1_DIGITS else "sha1"
