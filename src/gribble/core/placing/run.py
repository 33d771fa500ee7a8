"""Carrying out a plan, finishing a run that was cut short, and taking a run back.

Each step is made of acts that can be repeated: after a kill, finishing a step looks at what is there and does the
rest. At every moment a place holds the old file or the whole new one (a rename in case alone, by way of a third name,
excepted). DESIGN.md section 9.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Protocol

from msgspec import Struct

from gribble.core.catalogue.records import Digests
from gribble.core.diagnosis.recipes import mended
from gribble.core.errors import ExitCode, GribbleError
from gribble.core.paths import base, fold, join, outside, parent
from gribble.core.placing.attic import UNDONE
from gribble.core.placing.journal import Begin, Journal, Run
from gribble.core.placing.plan import Step, StepKind
from gribble.core.placing.store import Store, StoreError, StoreLost
from gribble.core.placing.volumes import WITHOUT_LINKS
from gribble.core.placing.zipping import zipped
from gribble.core.settings.values import SettingError, value_of, with_value
from gribble.core.survey.digests import Digester

HEADER_BYTES = 256
"""What a zip takes for each member beside its content, at most: two headers, two names of usual length."""
SHA1_DIGITS = 40
"""A longer digest in a journal is a SHA-256."""


class Elsewhere(Protocol):
    """The files that a rig's steps take from outside it, by absolute path or address. May raise StoreError."""

    def read(self, path: str, member: str | None) -> Iterator[bytes]:
        """The content of a file, or of a member of an archive."""

    def local(self, path: str) -> Path:
        """A file on this machine with that content."""

    def size(self, path: str) -> int:
        """The size of a file in bytes; 0 where it is not there."""


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
    ) -> None:
        """`watch` is told before each step and of the bytes of each block; it may raise Stopped."""
        self._watch = watch
        self._store = store
        self._journal = journal
        self._elsewhere = elsewhere
        self._told = told or (lambda _step, _reason: None)

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
        if step.step is StepKind.DISPLACE and not resumed:
            self._check_replaced(run, step)
        if not resumed:
            self._check_unchanged(step)
            makes = tuple(self._store.missing_folders(step.to)) if step.to else ()
            slot = f"{run.number:04d}/{number}/{step.from_ if step.step is StepKind.DISPLACE else step.replaces or ''}"
            self._journal.begin(run, number, Begin(slot=slot, makes=makes))
        begin = run.begun[number]
        for folder in begin.makes:
            self._store.make_folder(folder)
        if step.step is StepKind.DISPLACE:
            if not self._store.kept(begin.slot) or self._store.half_kept(step.from_, begin.slot):
                self._store.displace(step.from_, begin.slot)
            return ""
        if resumed and step.replaces:
            self._store.tidy(step.replaces)
        assert step.to is not None
        if step.step is StepKind.RENAME:
            return self._rename(run, number, step, step.to, begin)
        if resumed and step.digests.strongest() and self._store.exists(step.to) and self._holds(step.to, step):
            return self._sha1(self._store.read(step.to))
        return self._bring(run, number, step, step.to, begin)

    def _check_replaced(self, run: Run, step: Step) -> None:
        """Refuse to displace what another step of the same need or set was to take the place of, but could not."""
        for number in run.failed:
            failed = run.steps[number]
            if failed.need and (failed.emulator, failed.need) == (step.emulator, step.need):
                raise _StepError(f"stays, since {failed.to or failed.from_} could not be put in its stead")

    def _check_unchanged(self, step: Step) -> None:
        """Refuse a step whose world is not the plan's."""
        if step.replaces and not self._store.exists(step.replaces):
            raise _StepError(f"{step.replaces} is gone since the plan was made; make a new plan")
        if step.to and step.to not in (step.replaces, step.from_) and self._store.exists(step.to):
            raise _StepError(f"{step.to} is there now, but was not when the plan was made; make a new plan")

    def _bring(self, run: Run, number: int, step: Step, to: str, begin: Begin) -> str:
        """Write the new content beside its place, prove it, keep the old file, and rename over it."""
        work = _work_name(to, run, number)
        digests = self._write(run, number, step, work)
        if not _agrees(digests, step):
            raise _StepError(f"{step.from_} has changed since it was looked at; run gribble plan again")
        if step.replaces:
            self._store.keep(step.replaces, begin.slot)
        self._store.rename(work, step.replaces or to)
        if step.replaces and step.replaces != to:
            self._rename_by_third(step.replaces, to, run, number)
        return digests.sha1 or digests.sha256 or ""

    def _write(self, run: Run, number: int, step: Step, work: str) -> Digests:
        """Write a step's content into its work file; the digests of what is there then."""
        store, known = self._store, step.digests.known()
        wanted = known if step.digests.sha1 or step.digests.sha256 else {"sha1", *known}
        if step.link and outside(step.from_) and store.link(Path(step.from_), work):
            return self._digested(store.read(work), wanted)
        sent = Digester(())

        def content() -> Iterator[bytes]:
            nonlocal sent  # anew each time: a connection that broke wants it again
            sent = Digester(() if store.reads_back and known else wanted)
            return self._fed(self._content(run, number, step), sent)

        store.write(work, content, like=step.replaces)
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

    def _rename(self, run: Run, number: int, step: Step, to: str, begin: Begin) -> str:
        third = _third_name(to, run, number)
        if self._store.exists(third):
            self._store.rename(third, to)
            return self._sha1(self._store.read(to))
        if self._store.exists(step.from_):
            digests = self._digests(step.from_, {"sha1", *step.digests.known()})
            if not _agrees(digests, step):
                raise _StepError(f"{step.from_} has changed since it was looked at; run gribble plan again")
            if step.replaces:
                self._store.keep(step.replaces, begin.slot)
            if fold(step.from_) == fold(to):
                self._rename_by_third(step.from_, to, run, number)
            else:
                self._store.rename(step.from_, to)
            return digests.sha1 or ""
        if not (self._store.exists(to) and self._holds(to, step)):
            raise _StepError(f"{step.from_} is gone since the plan was made; make a new plan")
        return self._sha1(self._store.read(to))

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
            return blocks
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
            begin = run.begun.get(earlier)
            other = run.steps[earlier]
            displaced = other.from_ if other.step is StepKind.DISPLACE else other.replaces
            if begin and displaced == path and self._store.kept(begin.slot):
                return begin.slot
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
        begin = run.begun.get(number)
        if begin is None:
            return
        try:
            self._undo(run, number, step, begin)
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
        turned = [run.steps[number] for number in run.turned]
        under_way = {path for step in turned for path in (step.from_, step.to, step.replaces)}
        for number, step in enumerate(run.steps):
            if number not in run.done or number in run.turned:
                continue
            for path in (step.from_ if step.step in (StepKind.RENAME, StepKind.DISPLACE) else "", step.replaces):
                if path:
                    after[path] = ""
            if step.to:
                after[step.to] = run.done[number]
        changed = []
        for path, sha1 in after.items():
            if path in under_way:
                continue  # an undo that was cut short has it in hand
            there = self._store.exists(path)
            if sha1 and not there:
                changed.append(Changed(path, "is gone"))
            elif there and not sha1:
                changed.append(Changed(path, "is a new file that the run did not put there"))
            elif (
                there and self._digest(self._store.read(path), "sha256" if len(sha1) > SHA1_DIGITS else "sha1") != sha1
            ):
                changed.append(Changed(path, "has another content than the run put there"))
        return changed

    def lost(self, run: Run) -> list[str]:
        """The places whose former file is not in the attic any more, so that the run cannot be taken back whole."""
        lost = []
        for number in run.done.keys() - run.back:
            step, begin = run.steps[number], run.begun[number]
            displaced = step.from_ if step.step is StepKind.DISPLACE else step.replaces
            if displaced and number not in run.turned and not self._store.kept(begin.slot):
                lost.append(displaced)
        return sorted(lost)

    def take_back(self, run: Run, leave: frozenset[str] = frozenset()) -> None:
        """Undo every step, last first; files named in `leave` stay as they are. Raises GribbleError on a failure."""
        for number in reversed(range(len(run.steps))):
            step = run.steps[number]
            if number not in run.begun or number in run.back or number in run.failed:
                continue
            if leave & {step.to, step.from_, step.replaces}:
                self._told(step, "left as it is")
                continue
            if number not in run.turned:
                self._journal.turn(run, number)
            try:
                self._undo(run, number, step, run.begun[number])
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
        self._journal.end(run, "undone")

    def _undo(self, run: Run, number: int, step: Step, begin: Begin) -> None:
        store = self._store
        if step.step is StepKind.DISPLACE:
            if store.kept(begin.slot):
                store.bring_back(begin.slot, step.from_)
            return
        assert step.to is not None
        store.discard(_work_name(step.to, run, number))
        if step.replaces:
            store.tidy(step.replaces)
        third = _third_name(step.to, run, number)
        if step.step is StepKind.RENAME:
            self._undo_rename(run, number, step, step.to, begin, third)
        else:
            self._undo_bring(run, number, step, step.to, begin, third)
        for folder in reversed(begin.makes):
            store.remove_folder(folder)

    def _undo_bring(self, run: Run, number: int, step: Step, to: str, begin: Begin, third: str) -> None:
        """The new file goes to the attic, the old one comes back over it."""
        store, spare_slot = self._store, _undo_slot(run, number, to)
        old = step.replaces
        if old and old != to:
            for path in (to, third):
                if store.exists(path):
                    store.rename(path, third)
                    store.rename(third, old)
        if old is None:
            if store.exists(to) and (number in run.done or self._holds(to, step)):
                store.displace(to, spare_slot)
        elif store.kept(begin.slot):
            if store.exists(old):
                store.keep(old, spare_slot)
            store.bring_back(begin.slot, old)

    def _undo_rename(self, run: Run, number: int, step: Step, to: str, begin: Begin, third: str) -> None:
        store, way = self._store, _undo_slot(run, number, to)
        if store.exists(third):
            store.rename(third, step.from_)
        if not step.replaces:
            if not store.exists(step.from_) and store.exists(to):
                if fold(to) == fold(step.from_):
                    store.rename(to, third)
                    store.rename(third, step.from_)
                else:
                    store.rename(to, step.from_)
            return
        if store.kept(begin.slot):
            if not store.exists(step.from_):
                store.keep(to, way)
            store.bring_back(begin.slot, step.replaces)
        if store.kept(way):
            store.bring_back(way, step.from_)


def new_run_number(folders: list[Path]) -> int:
    """One more than the highest number of any journal in these folders."""
    names = [path.stem for folder in folders if folder.is_dir() for path in folder.iterdir()]
    return 1 + max((int(name) for name in names if name.isdecimal()), default=0)


def check_room(
    store: Store, rig: str, steps: tuple[Step, ...], elsewhere: Elsewhere, volume: str = "", cluster: int = 1
) -> None:
    """Raise GribbleError where a rig has too little room for what the steps write, in whole clusters of some bytes.

    What is displaced stays in the attic, which takes room of its own on a volume without links.
    """

    def clusters(size: int) -> int:
        return -(-size // cluster) * cluster

    free = store.free_bytes()
    if free is None:
        return
    wanted = sum(clusters(_written(store, step, elsewhere)) for step in steps)
    if volume in WITHOUT_LINKS:
        wanted += sum(clusters(store.size(step.replaces)) for step in steps if step.replaces)
    if wanted > free:
        raise GribbleError(
            f"{rig} has too little room: {wanted:,} bytes are to be written, {free:,} are free",
            fix="Nothing was changed. Make room, or narrow the plan to some emulators.",
            code=ExitCode.FAILED,
        )


def _written(store: Store, step: Step, elsewhere: Elsewhere) -> int:
    """At most how many bytes a step writes. Members of zips are taken over as they lie there, packed."""
    if step.step is not StepKind.PACK:
        return step.bytes
    around = HEADER_BYTES * len(step.members)
    zips = {member.from_ for member in step.members if member.member is not None}
    if not all(path.lower().endswith(".zip") for path in zips):
        return step.bytes + around
    sizes = [elsewhere.size(path) if outside(path) else store.size(path) for path in zips]
    loose = sum(member.size for member in step.members if member.member is None)
    return min(step.bytes, sum(sizes) + loose if all(sizes) else step.bytes) + around


def _agrees(digests: Digests, step: Step) -> bool:
    """Whether a content has every digest that a step knows."""
    return all(digests.get(name) == digest for name, digest in step.digests.known().items())


def _lost(error: StoreLost, next_: str) -> GribbleError:
    return GribbleError(str(error), fix=f"No file is lost. When it is back, {next_}.", code=ExitCode.FAILED)


def _work_name(to: str, run: Run, number: int) -> str:
    return join(parent(to), f".gribble-{run.number}-{number}.part")


def _third_name(to: str, run: Run, number: int) -> str:
    return join(parent(to), f".gribble-{run.number}-{number}.third")


def _undo_slot(run: Run, number: int, to: str) -> str:
    return f"{run.number:04d}{UNDONE}/{number}/{base(to)}"
