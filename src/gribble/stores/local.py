"""A rig in a local folder, with its attic beside it in `.gribble/attic`."""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Callable, Iterator
from datetime import datetime
from functools import wraps
from pathlib import Path
from typing import ParamSpec, TypeVar

from gribble.core.errors import ExitCode, GribbleError, reason_of
from gribble.core.paths import parent, path_fault
from gribble.core.placing.journal import Journal, Run, runs_in
from gribble.core.placing.plan import Step
from gribble.core.placing.run import Runner, Told
from gribble.core.placing.store import StoreError
from gribble.core.placing.volumes import folds_case
from gribble.core.survey.archives.common import ArchiveError
from gribble.core.survey.archives.opening import member_blocks
from gribble.core.survey.digests import BLOCK_BYTES
from gribble.core.survey.walking import MEMORY_FOLDER

P = ParamSpec("P")
T = TypeVar("T")


def _told(method: Callable[P, T]) -> Callable[P, T]:
    """Errors of the operating system as StoreError, with path and reason."""

    @wraps(method)
    def wrapper(*args: P.args, **kwargs: P.kwargs) -> T:
        try:
            return method(*args, **kwargs)
        except OSError as error:
            raise StoreError(f"{error.filename or args[1:] or ''}: {reason_of(error)}") from error

    return wrapper


class LocalStore:
    """Files below a root folder; no path leads out of it, not even through a link."""

    def __init__(self, root: Path, *, folds_case: bool = False) -> None:
        self.root = root
        self._folds_case = folds_case
        self._attic = root / MEMORY_FOLDER / "attic"

    def _at(self, path: str) -> Path:
        if fault := path_fault(path):
            raise StoreError(f'"{path}" {fault}')
        place = self.root / path
        if not place.parent.resolve().is_relative_to(self.root.resolve()):
            raise StoreError(f"{path}: a link on the way leads out of the rig")
        return place

    def _slot(self, slot: str) -> Path:
        return self._attic / slot

    @_told
    def exists(self, path: str) -> bool:
        """Whether a file is there under exactly this spelling."""
        place = self._at(path)
        if not os.path.lexists(place):
            return False
        return not self._folds_case or place.name in os.listdir(place.parent)

    def read(self, path: str, member: str | None = None) -> Iterator[bytes]:
        """The content of a file, or of a member of an archive, block by block."""
        return read_blocks(self._at(path), member)

    @_told
    def write(self, path: str, blocks: Iterator[bytes], like: str | None = None) -> None:
        """Write a new file and flush it to the disk, with the permissions of the file `like`; what was there under
        this name is written over."""
        place = self._at(path)
        place.unlink(missing_ok=True)  # never through it: it could be a second name of a source
        with place.open("xb") as stream:
            for block in blocks:
                stream.write(block)
            stream.flush()
            os.fsync(stream.fileno())
        if like is not None:
            with contextlib.suppress(OSError):  # a volume without permissions keeps none
                shutil.copymode(self._at(like), place)

    @_told
    def rename(self, old: str, new: str) -> None:
        """Rename a file over whatever is at the new name, in one instant, and flush the folders."""
        _move(self._at(old), self._at(new))

    @_told
    def discard(self, path: str) -> None:
        """Remove a work file of Gribble's own, if it is there."""
        self._at(path).unlink(missing_ok=True)

    def missing_folders(self, path: str) -> list[str]:
        """The folders above a path that are still to be made, outermost first."""
        missing = []
        folder = parent(path)
        while folder and not self._at(folder).is_dir():
            missing.append(folder)
            folder = parent(folder)
        return missing[::-1]

    @_told
    def make_folder(self, path: str) -> None:
        """Make one folder, if it is not there."""
        place = self._at(path)
        place.mkdir(exist_ok=True)
        _flush_folder(place.parent)

    def remove_folder(self, path: str) -> None:
        """Remove a folder if it is empty."""
        with contextlib.suppress(OSError):
            self._at(path).rmdir()

    @_told
    def keep(self, path: str, slot: str) -> None:
        """Put a file into the attic as well, leaving it in place; a slot that is filled stays as it is.

        A link costs no room; where the file system has none, the file is copied with its times.
        """
        source, target = self._at(path), self._slot(slot)
        if target.exists():
            return
        self._make_below_root(target.parent)
        try:
            os.link(source, target, follow_symlinks=False)
        except OSError:
            part = target.with_name(target.name + ".part")
            shutil.copy2(source, part)
            with part.open("rb+") as stream:
                os.fsync(stream.fileno())
            part.replace(target)
        _flush_folder(target.parent)

    def _make_below_root(self, folder: Path) -> None:
        """Make folders of Gribble's own; never the root itself, which may have been pulled out."""
        for place in (*reversed(folder.relative_to(self.root).parents), folder.relative_to(self.root)):
            if place != Path():
                (self.root / place).mkdir(exist_ok=True)

    @_told
    def displace(self, path: str, slot: str) -> None:
        """Move a file into the attic."""
        target = self._slot(slot)
        self._make_below_root(target.parent)
        _move(self._at(path), target)

    @_told
    def bring_back(self, slot: str, path: str) -> None:
        """Move a file from the attic over whatever is at a path, in one instant."""
        source, target = self._slot(slot), self._at(path)
        if target.exists() and source.samefile(target):
            source.unlink()  # two links to one file: renaming one over the other would leave both
        else:
            _move(source, target)

    def kept(self, slot: str) -> bool:
        """Whether a slot of the attic is filled."""
        return os.path.lexists(self._slot(slot))

    def read_kept(self, slot: str, member: str | None = None) -> Iterator[bytes]:
        """The content of a slot of the attic, or of a member of the archive in it, block by block."""
        return read_blocks(self._slot(slot), member)

    def slots(self) -> Iterator[tuple[str, int]]:
        """Every filled slot of the attic, with the size of its file in bytes."""
        for folder, _, names in os.walk(self._attic):
            for name in names:
                place = Path(folder, name)
                if not name.endswith(".part"):
                    yield place.relative_to(self._attic).as_posix(), place.lstat().st_size

    @_told
    def forget(self, slot: str) -> None:
        """Delete the file in a slot of the attic, and folders of the attic that are empty then."""
        place = self._slot(slot)
        place.unlink(missing_ok=True)
        for folder in place.parents:
            if folder == self._attic:
                break
            with contextlib.suppress(OSError):
                folder.rmdir()

    def size(self, path: str) -> int:
        """The size of a file in bytes; 0 where there is none."""
        try:
            return self._at(path).stat().st_size
        except OSError:
            return 0

    @_told
    def link(self, source: Path, path: str) -> bool:
        """Give a file of this machine a second name on the rig; False where that cannot be (another volume, say)."""
        target = self._at(path)
        target.unlink(missing_ok=True)
        try:
            os.link(source, target, follow_symlinks=False)
        except OSError:
            return False
        _flush_folder(target.parent)
        return True

    def local(self, path: str) -> Path:
        """The file at a path, on this machine."""
        return self._at(path)

    def local_kept(self, slot: str) -> Path:
        """The file in a slot of the attic, on this machine."""
        return self._slot(slot)

    @_told
    def free_bytes(self) -> int:
        """The room left, in bytes."""
        return shutil.disk_usage(self.root).free


class LocalRig:
    """A rig in a local folder: its files, its journals and its lock."""

    def __init__(self, name: str, root: Path, volume: str) -> None:
        self.name = name
        self.root = root
        self.journals = root / MEMORY_FOLDER / "runs"
        self.store = LocalStore(root, folds_case=folds_case(volume, root))

    def runs(self) -> list[Run]:
        """Every run on this rig, oldest first."""
        return runs_in(self.journals)

    def open_runs(self) -> list[Run]:
        """The runs that were cut short."""
        return [run for run in self.runs() if run.state == "open"]

    def start(self, number: int, when: str, steps: tuple[Step, ...]) -> Run:
        """Begin the journal of a new run."""
        return Journal(self.journals / f"{number:04d}.jsonl").start(number, self.name, when, steps)

    def runner(self, run: Run, told: Told | None = None, watch: Callable[[int], None] = lambda _bytes: None) -> Runner:
        """What carries out, finishes or takes back a run."""
        return Runner(self.store, Journal(run.path), read_blocks, told, watch)

    @contextlib.contextmanager
    def locked(self) -> Iterator[None]:
        """Keep every other Gribble off this rig. Raises GribbleError where another is at work, or nothing can be
        written."""
        from filelock import FileLock, Timeout

        path = self.root / MEMORY_FOLDER / "lock"
        try:
            path.parent.mkdir(exist_ok=True)  # not the root, which may have been pulled out
            lock = FileLock(path, timeout=0)
            lock.acquire()
        except Timeout:
            raise GribbleError(
                f"another Gribble is at work on {self.name}{self._holder()}",
                fix="Wait until it has ended, then run the command again.",
                code=ExitCode.FAILED,
            ) from None
        except OSError as error:
            raise GribbleError(
                f"rig {self.name} cannot be written: {self.root}: {reason_of(error)}",
                fix="Nothing was changed. Give write permission, or remove the write protection.",
                code=ExitCode.FAILED,
            ) from error
        with contextlib.suppress(OSError):
            self._holder_file.write_text(f"process {os.getpid()} since {datetime.now():%Y-%m-%d %H:%M:%S}")
        try:
            yield
        finally:
            with contextlib.suppress(OSError):
                self._holder_file.unlink()
            lock.release()

    @property
    def _holder_file(self) -> Path:
        return self.root / MEMORY_FOLDER / "lock.held"

    def _holder(self) -> str:
        """Who holds the lock, in words, as far as that one has said so."""
        try:
            return f": {self._holder_file.read_text()[:80]}"
        except OSError:
            return ""


def read_blocks(path: Path, member: str | None = None) -> Iterator[bytes]:
    """The content of a local file, or of a member of a local archive, block by block. Raises StoreError."""
    try:
        if member is not None:
            yield from member_blocks(path, member)
            return
        with path.open("rb") as stream:
            while block := stream.read(BLOCK_BYTES):
                yield block
    except OSError as error:
        raise StoreError(f"{path}: {reason_of(error)}") from error
    except ArchiveError as error:
        raise StoreError(f"{path} {error}") from error


def write_new(target: Path, data: bytes) -> None:
    """Write a new file whole, beside its place first. Raises GribbleError where one is there already."""
    write_new_stream(target, iter([data]))


def write_new_stream(target: Path, blocks: Iterator[bytes]) -> None:
    """The same with content that comes block by block; where the blocks end in an error, nothing is left behind."""
    target = target.absolute()
    if os.path.lexists(target):
        raise GribbleError(f"{target} is there already", fix="Move it away, or name another.")
    _write_beside(target, blocks)


def replace_file(target: Path, data: bytes) -> Path:
    """Write over a file of the user's in one instant; the former one is kept beside it, and its path returned."""
    target = target.absolute()
    number = 1
    while os.path.lexists(kept := target.with_name(f"{target.name}.before-{number}")):
        number += 1
    try:
        shutil.copy2(target, kept)
    except OSError as error:
        raise GribbleError(f"{kept} cannot be written: {reason_of(error)}", code=ExitCode.FAILED) from error
    _write_beside(target, iter([data]))
    return kept


def _write_beside(target: Path, blocks: Iterator[bytes]) -> None:
    work = ".gribble-0-0.part"
    store = LocalStore(target.parent)
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        try:
            store.write(work, blocks)
        except BaseException:
            store.discard(work)
            raise
        store.rename(work, target.name)
    except (OSError, StoreError) as error:
        reason = reason_of(error) if isinstance(error, OSError) else str(error)
        raise GribbleError(f"{target} cannot be written: {reason}", code=ExitCode.FAILED) from error


def _move(source: Path, target: Path) -> None:
    source.replace(target)
    _flush_folder(target.parent)
    if source.parent != target.parent:
        _flush_folder(source.parent)


def _flush_folder(folder: Path) -> None:
    """Flush a folder's entries to the disk, where the system can (Windows cannot open folders)."""
    if not hasattr(os, "O_DIRECTORY"):
        return
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        with contextlib.suppress(OSError):
            os.fsync(handle)
    finally:
        os.close(handle)
