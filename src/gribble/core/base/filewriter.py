"""The one way in which files beside rigs are written: gribble.toml, sheets, rosters, reports, plans and the like.

Each writer has a work file of its own, hidden beside the place. The content is written there and flushed; then, under
the lock of the folder, the work file takes its place in one instant. What is there by then is refused, kept beside the
place or replaced, as the caller says. Whatever stops a writer, the place holds the old file or the whole new one, and
the next writer removes the work file that was left.
"""

from __future__ import annotations

import contextlib
import errno
import json
import os
import secrets
import stat
import time
from collections.abc import Callable, Iterable, Iterator
from functools import cached_property
from pathlib import Path
from typing import Any, NamedTuple, Self

from gribble.core.base.changing import WINDOWS, flush_file, flush_folder, remove, replace
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.base.paths import FOLDER_LOCK, is_link, is_new_file, relative
from gribble.core.base.regular import NO_LINKS, check_regular, open_regular, read_regular

LOCK_SECONDS = 10.0
"""How long a writer waits for another one in the same folder."""
RECORD_SECONDS = 1.0
"""How long another one is waited for that writes a record of Gribble's own: no answer hangs on it."""
PRIVATE = 0o600
"""What nobody but the user may read."""
_MOST_RECORD = 16 << 20
"""A larger record of Gribble's own is none, in bytes."""
_NO_LOCKS = frozenset({errno.ENOLCK, errno.EOPNOTSUPP, errno.ENOTSUP, errno.EINVAL})
"""What a volume without locks says."""
_POLL_SECONDS = 0.02
_REFUSED = (OSError, NotImplementedError, AttributeError)
"""What comes of asking for a second name where there are none: refused, not as wished, no such function."""
_UNWRITTEN = "Nothing was changed there. Name another place, or give yourself write permission."


class Stamp(NamedTuple):
    """What tells whether a file is still the one that was looked at."""

    inode: int
    size: int
    modified: int


class Own(NamedTuple):
    """The form that a command writes, and so may write over: how a file of that form begins, and what it is called."""

    begins: bytes
    what: str


class ThereError(GribbleError):
    """Something is at the place where a new file was to come."""


def usual_mode() -> int:
    """The permissions that a new file of this process has."""
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask


def write_file(
    target: Path,
    blocks: Iterable[bytes],
    *,
    own: Own | None = None,
    replace_other: bool | None = None,
    mode: int | None = None,
    modified: int | None = None,
) -> Path | None:
    """Write a file: a new one, or over an earlier one of the same form (`own`). What else is there is refused or, with
    `replace_other`, kept beside: its new path is returned then. (None: the command has no option for that.)

    `mode` are the permissions (without them, those of the former file, or the usual ones), `modified` the time in
    nanoseconds since 1970. Raises ThereError for what is refused, GribbleError if nothing can be written.
    """
    place = _place_of(target)
    with _writing(target, place):
        _look(target, place, own, replace_other)  # before anything is made
        with _Work(_made(place.parent), blocks) as work, locked(place.parent):
            former, is_kept = _look(target, place, own, replace_other)
            kept = _keep_beside(place) if is_kept else None
            work.come(place, former, mode, modified)
            return kept


def keep_aside(path: Path) -> Path:
    """Give a file whose place another one has taken, under another name, the name of a former file; its new path.
    Raises GribbleError."""
    with _writing(path, path), locked(path.parent):
        kept = _keep_beside(path)
        path.unlink()
        flush_folder(path.parent)
        return kept


def check_target(target: Path, own: Own | None = None, *, replace_other: bool | None = None) -> None:
    """Raise what `write_file` would raise for what is at the target now: so a refusal comes before the work."""
    place = _place_of(target)
    with _writing(target, place):
        _look(target, place, own, replace_other)


class Changing:
    """A file that is read, changed and written back while no other Gribble writes into its folder."""

    def __init__(self, target: Path, place: Path) -> None:
        self._target, self._place, self._former = target, place, stamp_of(place)

    @cached_property
    def data(self) -> bytes:
        """What the file says now. Raises OSError."""
        with open_regular(self._place) as stream:
            return stream.read()

    def write(self, blocks: Iterable[bytes], *, keep: bool, mode: int | None = None) -> Path | None:
        """Write the file. With `keep` the former file is kept beside it, and its new path returned. `mode` are the new
        permissions, if they are not to stay as they are.

        Raises GribbleError if some other program has changed the file since it was read.
        """
        with _writing(self._target, self._place), _Work(self._place.parent, blocks) as work:
            if stamp_of(self._place) != self._former:
                raise changed(self._target)
            kept = _keep_beside(self._place) if keep and self._former else None
            work.come(self._place, self._former, mode)
            self._former = stamp_of(self._place)
            return kept

    def beside(self, place: Path, blocks: Iterable[bytes]) -> None:
        """Write another file of the same folder, which goes with this one; what is there is kept beside it. Raises
        GribbleError."""
        place = _place_of(place)
        with _writing(place, place), _Work(self._place.parent, blocks) as work:
            former = stamp_of(place)
            if former:
                _keep_beside(place)
            work.come(place, former)


@contextlib.contextmanager
def changing(target: Path) -> Iterator[Changing]:
    """A file to be read and written back; a link is followed to the file it leads to. Raises GribbleError."""
    place = _place_of(target)
    with contextlib.ExitStack() as held:
        with _writing(target, place):
            held.enter_context(locked(place.parent))
            file = Changing(target, place)
        yield file


def note_record(path: Path, made: Callable[[Any], Any], *, flushed: bool = True) -> None:
    """Change a small record of Gribble's own, a file of JSON: `made` makes the new value from the old one, which is
    None if none can be read. Where it cannot be written, nothing is lost but what it would have said. Unless it is
    `flushed`, a power cut may lose that, too."""
    with contextlib.suppress(OSError, UnicodeEncodeError, GribbleError):
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        if is_link(path.parent) or is_link(path):
            return  # what is Gribble's own is never reached through a link
        with locked(path.parent, RECORD_SECONDS):
            put_own(path, json.dumps(made(read_record(path)), sort_keys=True).encode(), flushed=flushed)


def put_own(path: Path, data: bytes, *, flushed: bool = True) -> None:
    """Write a small file of Gribble's own, in a folder that is `locked` or a rig's that is. Raises OSError."""
    with _Work(path.parent, [data], flushed=flushed) as work:
        work.come(path, stamp_of(path), PRIVATE)


def read_record(path: Path) -> Any:
    """The value in a small record of Gribble's own; None if there is none, or none that can be read."""
    try:
        return json.loads(read_regular(path, _MOST_RECORD, through_links=False)) if not is_link(path.parent) else None
    except (OSError, ValueError, RecursionError):
        return None


class BusyError(Exception):
    """Another process holds a lock."""


@contextlib.contextmanager
def file_lock(path: Path, seconds: float = 0.0) -> Iterator[None]:
    """Hold the lock in a file, which is made where it is missing; another process is waited for so many seconds.

    Raises BusyError if that one holds it for longer, OSError where there is no locking.
    """
    from filelock import FileLock, Timeout  # of which only writers have need

    os.close(_open_lock(path, os.O_RDWR | os.O_CREAT, PRIVATE))
    lock = FileLock(path)
    try:
        lock.acquire(timeout=seconds)
    except Timeout:
        raise BusyError from None
    try:
        yield
    finally:
        lock.release()


@contextlib.contextmanager
def locked(folder: Path, seconds: float | None = None) -> Iterator[None]:
    """Keep every other Gribble from writing into a folder, and remove what killed writers have left in it.

    Raises OSError if the folder cannot be written, GribbleError where another Gribble writes there for longer than
    some `seconds`.
    """
    lock, until = folder / FOLDER_LOCK, time.monotonic() + (LOCK_SECONDS if seconds is None else seconds)
    while (handle := _folder_lock(lock)) is None:
        if time.monotonic() > until:
            place = _shown(folder)
            raise GribbleError(
                f"another Gribble is writing in {place}",
                fix="This command changed nothing. Run it again when the other Gribble has ended.",
                code=ExitCode.FAILED,
            )
        time.sleep(_POLL_SECONDS)
    try:
        _sweep(folder)
        yield
    finally:
        with contextlib.suppress(OSError):  # some systems refuse while it is open, here or by who waits: then it stays
            if not WINDOWS:
                os.unlink(lock)  # while it is held: who waits for it sees that it is gone, and makes another one
        os.close(handle)
        with contextlib.suppress(OSError):
            if WINDOWS:
                os.unlink(lock)


def _folder_lock(path: Path) -> int | None:
    """The open lock of a folder, which lasts until it is closed; None if another process has it.

    A volume without locks has only the exchange in one instant. Raises OSError if the folder cannot be written.
    """
    try:
        handle = _open_lock(path, os.O_RDWR | os.O_CREAT, 0o666)
    except PermissionError:
        if not os.path.lexists(path):
            raise
        handle = _open_lock(path, os.O_RDONLY)  # what another user, who was killed, has left
    try:
        # By its name it must still be this very file: some volumes only hide a file that is removed while it is open.
        if claimed(handle) is not False and os.path.samestat(os.fstat(handle), os.lstat(path)):
            return handle
    except FileNotFoundError:
        pass
    except BaseException:
        os.close(handle)
        raise
    os.close(handle)
    return None


def _open_lock(path: Path, flags: int, mode: int = 0) -> int:
    """The open file of a lock, which nothing but a regular file can be: a pipe would be waited for. Raises OSError."""
    handle = os.open(path, flags | getattr(os, "O_NONBLOCK", 0) | NO_LINKS, mode)
    try:
        check_regular(handle, path)
    except BaseException:
        os.close(handle)
        raise
    return handle


def stamp_of(place: Path) -> Stamp | None:
    """The stamp of a regular file; None if nothing is. Raises OSError for anything else."""
    try:
        status = os.lstat(place)
    except FileNotFoundError:
        return None
    if not stat.S_ISREG(status.st_mode):
        what = "is a folder, not a file" if stat.S_ISDIR(status.st_mode) else "is not a regular file"
        raise OSError(errno.EINVAL, what, os.fspath(place))
    return Stamp(status.st_ino, status.st_size, status.st_mtime_ns)


def take_place(staged: Path, place: Path, former: Stamp | None) -> Path | None:
    """Let a file that is written and flushed, on the same volume, take a place in a folder that is `locked`. A former
    file is kept beside: its new path is returned. Raises OSError, and ThereError if something has come there."""
    kept = _keep_beside(place) if former else None
    with contextlib.suppress(OSError):  # a volume without permissions
        os.chmod(staged, stat.S_IMODE(os.lstat(place).st_mode) if former else usual_mode())
    if former:
        replace(staged, place)
    else:
        _come_new(staged, place)
        _drop(staged)
    flush_folder(place.parent)
    return kept


def put_away(place: Path) -> Path:
    """Take a file from its place in a folder that is `locked`, and keep it beside: its new path. Raises OSError."""
    kept = _keep_beside(place)
    remove(place)
    flush_folder(place.parent)
    return kept


def stamp_at(target: Path) -> Stamp | None:
    """The stamp of the file that a path leads to; None if there is none. Raises GribbleError for what is no file."""
    place = _place_of(target)
    with _writing(target, place):
        return stamp_of(place)


class _Work:
    """A work file with a content, written and flushed (unless all of it can be made again); at the end it has come to
    its place, or is gone."""

    def __init__(self, folder: Path, blocks: Iterable[bytes], *, flushed: bool = True) -> None:
        self._flushed = flushed
        self._path, handle = _create(folder)
        self._stream = os.fdopen(handle, "wb")
        try:
            for block in blocks:
                self._stream.write(block)
            self._stream.flush()
            if flushed:
                flush_file(handle)
        except BaseException:
            self._drop()
            raise

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_error: object) -> None:
        self._drop()

    def _drop(self) -> None:
        self._stream.close()
        _drop(self._path)

    def _dress(self, mode: int, modified: int | None) -> None:
        """Give the file its permissions and, in nanoseconds since 1970, its time."""
        self._stream.close()  # else some systems refuse to rename it; its folder is locked, so nobody takes it for left
        with contextlib.suppress(OSError):  # a volume without permissions
            os.chmod(self._path, mode)
        if modified is not None:
            os.utime(self._path, ns=(modified, modified))

    def come(self, place: Path, former: Stamp | None, mode: int | None = None, modified: int | None = None) -> None:
        """Take the place of the former file, with its owner and, unless others are given, its permissions; or come to a
        place where nothing is. Raises ThereError if something has come there meanwhile."""
        if former is None:
            self._dress(usual_mode() if mode is None else mode, modified)
            _come_new(self._path, place)
        else:
            status = os.lstat(place)
            self._dress(stat.S_IMODE(status.st_mode) if mode is None else mode, modified)
            if hasattr(os, "chown"):
                with contextlib.suppress(OSError):
                    os.chown(self._path, status.st_uid, status.st_gid)
            replace(self._path, place)
        if self._flushed:
            flush_folder(place.parent)


def _come_new(path: Path, place: Path) -> None:
    """Give a file a place where nothing is; its former name may be gone then. Raises ThereError if something has
    come there."""
    try:
        os.link(path, place)  # which, other than renaming, never takes another file's place
    except FileExistsError:
        raise _there(place) from None
    except _REFUSED:
        if os.path.lexists(place):
            raise _there(place) from None
        replace(path, place)


def _drop(path: Path) -> None:
    with contextlib.suppress(OSError):
        remove(path, missing_ok=True)


def _create(folder: Path) -> tuple[Path, int]:
    """A new work file and its open handle, which holds a lock: by that a killed writer's file is told from a living
    one's. Raises OSError."""
    while True:
        path = folder / f".gribble-new-{secrets.token_hex(8)}.part"
        handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL | NO_LINKS, PRIVATE)
        claimed(handle)
        with contextlib.suppress(FileNotFoundError):
            if os.path.samestat(os.fstat(handle), os.lstat(path)):
                return path, handle
        os.close(handle)  # taken for a killed writer's before it was claimed


def claimed(handle: int) -> bool | None:
    """Whether the lock of an open file could be had; None if the volume has no locks. Raises OSError."""
    from filelock import lock_descriptor

    try:
        return lock_descriptor(handle, blocking=False)
    except OSError as error:
        if error.errno not in _NO_LOCKS:
            raise
        return None


def _sweep(folder: Path) -> None:
    """Remove the work files of writers that are no more. Their folder is locked."""
    with contextlib.suppress(OSError), os.scandir(folder) as listing:
        left = [child.path for child in listing if is_new_file(child.name)]
        for path in left:
            with contextlib.suppress(OSError):
                handle = os.open(path, os.O_RDWR | getattr(os, "O_NONBLOCK", 0) | NO_LINKS)
                try:
                    dead = claimed(handle) is True
                finally:
                    os.close(handle)
                if dead:
                    os.unlink(path)


def _keep_beside(place: Path) -> Path:
    """Give a file that is about to be replaced a second name, or copy it; its path. Raises OSError."""
    number = 0
    while True:
        number += 1
        kept = place.with_name(f"{place.name}.before-{number}")
        if os.path.lexists(kept):
            if stamp_of(kept) == stamp_of(place):
                return kept  # by a writer that was killed before it went on
            continue
        try:
            os.link(place, kept)
        except FileExistsError:
            continue
        except _REFUSED:
            status = place.stat()
            with open_regular(place) as stream, _Work(place.parent, iter(lambda: stream.read(1 << 20), b"")) as work:
                work.come(kept, None, stat.S_IMODE(status.st_mode), status.st_mtime_ns)
        flush_folder(kept.parent)
        return kept


def _look(target: Path, place: Path, own: Own | None, replace_other: bool | None) -> tuple[Stamp | None, bool]:
    """What is at a place: its stamp, and whether it is to be kept. Raises ThereError for what may not be replaced,
    OSError for what is no file."""
    former = stamp_of(place)
    if former is None and os.path.lexists(target):
        raise OSError(errno.ENOENT, "is a link that leads nowhere", os.fspath(target))
    if former is None or (own and (not former.size or _begins(place, own))):
        return former, False
    if not replace_other:
        raise _there(target, own, replaceable=replace_other is not None)
    return former, True


def _begins(place: Path, own: Own) -> bool:
    with open_regular(place) as stream:
        return stream.read(len(own.begins)) == own.begins


def _place_of(target: Path) -> Path:
    """Where a file is written: links are followed to the file they lead to, so that they stay links."""
    return Path(os.path.realpath(target.absolute()))


def _made(folder: Path) -> Path:
    """A folder that is made where it is missing. Raises OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    return folder


@contextlib.contextmanager
def _writing(target: Path, place: Path) -> Iterator[None]:
    """What the system says against writing a file, as a GribbleError."""
    try:
        yield
    except OSError as error:
        file = _shown(target) if place == target.absolute() else f"{_shown(target)} ({place})"
        raise GribbleError(
            f"{file} cannot be written: {reason_of(error)}", fix=_UNWRITTEN, code=ExitCode.FAILED
        ) from error


def _shown(path: Path) -> str:
    """A path as seen from the working folder, where that is shorter."""
    return min(str(path), relative(path, os.curdir), key=len)


def _there(target: Path, own: Own | None = None, *, replaceable: bool = False) -> ThereError:
    """`replaceable` says that the command has an option for that."""
    file, fix = _shown(target), "Nothing was changed. Name another file, or move it away."
    if replaceable:
        fix = "Nothing was changed. Name another file, or add --replace: the former file is then kept beside it."
    if own is None:
        return ThereError(f"{file} is there already", fix=fix)
    return ThereError(f"{file} is there already, and Gribble did not write it as a {own.what}", fix=fix)


def changed(target: Path) -> GribbleError:
    """The error for a file that is not the one that was read any more."""
    file = _shown(target)
    return GribbleError(
        f"another program changed {file} after Gribble had read it",
        fix="Gribble changed nothing. Run the command again.",
        code=ExitCode.FAILED,
    )
