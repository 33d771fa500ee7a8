"""Rules of other systems, laid over this one: they change the functions of `os` for as long as they are laid.

Each is documented behaviour: Python's manual of `os` (what Windows fills in of a stat, what it lacks), Microsoft's
"CreateFile" (a file that is open is neither moved nor removed), "Naming Files, Paths, and Namespaces", and
"FlushFileBuffers" (a handle that may write is wanted).
"""

from __future__ import annotations

import builtins
import errno
import fcntl
import io
import os
import re
import shutil
import stat
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, NamedTuple

MISSING: Any = object()
RULES: dict[str, Callable[[Laid], None]] = {}
REFUSALS = 3
"""How often a scanner or an indexer holds on to a file before it lets go."""


class Ground(NamedTuple):
    """What another system does: the rules of its functions, and the habits of its volumes (None: those of this one)."""

    rules: tuple[str, ...] = ()
    habits: tuple[str, ...] | None = None


GROUNDS = {
    "windows": Ground(("listing", "birth", "held", "readonly", "scanner", "flushing", "lacking", "names"), ()),
    "mac": Ground((), ("decomposing",)),
    "card": Ground(("unflushed", "permissionless"), ("coarse", "renumbered", "unmapped")),
}


class Laid:
    """What was put in the place of something, so that it can be taken away again."""

    def __init__(self) -> None:
        self._before: list[tuple[Any, str, Any]] = []

    def put(self, name: str, instead: Any, of: Any = os) -> None:
        self._before.append((of, name, getattr(of, name, MISSING)))
        if instead is MISSING:
            if hasattr(of, name):
                delattr(of, name)
        else:
            setattr(of, name, instead)

    def take_away(self) -> None:
        for of, name, before in reversed(self._before):
            if before is not MISSING:
                setattr(of, name, before)


@contextmanager
def laid(*rules: str) -> Iterator[None]:
    """Lay rules for the time of a block."""
    all_ = Laid()
    try:
        for rule in rules:
            RULES[rule](all_)
        yield
    finally:
        all_.take_away()


def rule(function: Callable[[Laid], None]) -> Callable[[Laid], None]:
    RULES[function.__name__] = function
    return function


_KEPT = [
    f"st_{one}" for one in ["atime", "mtime", "ctime", "atime_ns", "mtime_ns", "ctime_ns", "blksize", "blocks", "rdev"]
]


def changed(status: os.stat_result, **values: int) -> os.stat_result:
    """What the system says of a file, with some of it otherwise."""
    first = ["st_mode", "st_ino", "st_dev", "st_nlink"]
    ten = [values.get(name, one) for name, one in zip(first, status[:4], strict=True)] + list(status[4:10])
    return os.stat_result(ten, {name: values.get(name, getattr(status, name)) for name in _KEPT})


class _Entry:
    """An entry of a listing; `told` is what it says of its file."""

    def __init__(self, entry: Any, told: Callable[[os.stat_result], os.stat_result]) -> None:
        self._entry, self._told = entry, told
        self.name, self.path = entry.name, entry.path
        self.is_dir, self.is_file, self.is_symlink = entry.is_dir, entry.is_file, entry.is_symlink
        self.inode = entry.inode

    def __fspath__(self) -> str:
        return str(self.path)

    def stat(self, *, follow_symlinks: bool = True) -> os.stat_result:
        return self._told(self._entry.stat(follow_symlinks=follow_symlinks))


class _Listing:
    def __init__(self, listing: Any, told: Callable[[os.stat_result], os.stat_result]) -> None:
        self._listing, self._told = listing, told
        self.close = listing.close

    def __iter__(self) -> _Listing:
        return self

    def __next__(self) -> _Entry:
        return _Entry(next(self._listing), self._told)

    def __enter__(self) -> _Listing:
        return self

    def __exit__(self, *_error: object) -> None:
        self.close()


def _listings(laid: Laid, told: Callable[[os.stat_result], os.stat_result]) -> None:
    scandir = os.scandir
    laid.put("scandir", lambda path=".": _Listing(scandir(path), told))


@rule
def listing(laid: Laid) -> None:
    """A listing has no inode, device and number of links."""
    _listings(laid, lambda status: changed(status, st_ino=0, st_dev=0, st_nlink=0))


@rule
def unnumbered(laid: Laid) -> None:
    """Nothing has an inode at all, as on some shares."""
    _everywhere(laid, lambda status: changed(status, st_ino=0))


@rule
def birth(laid: Laid) -> None:
    """The time of change is that of creation: it stays what it is."""
    born = {"st_ctime": 1_000_000_000, "st_ctime_ns": 10**18}
    _everywhere(laid, lambda status: changed(status, **born))


def _everywhere(laid: Laid, told: Callable[[os.stat_result], os.stat_result]) -> None:
    _listings(laid, told)
    for name in ("stat", "lstat", "fstat"):
        real = getattr(os, name)
        laid.put(name, lambda *words, _real=real, **more: told(_real(*words, **more)))


def _open_files() -> set[str]:
    handles = "/proc/self/fd"
    return {os.readlink(f"{handles}/{one}") for one in os.listdir(handles) if os.path.lexists(f"{handles}/{one}")}


def _moves(laid: Laid, refuse: Callable[[Any], None], *, both: bool = False) -> None:
    """Ask before a file is put in another's place, or removed."""
    moved = {name: getattr(os, name) for name in ("replace", "rename")}
    removed = {name: getattr(os, name) for name in ("unlink", "remove")}

    def move(real: Any, source: Any, target: Any, **more: Any) -> Any:
        for path in (source, target) if both else (target,):
            if os.path.lexists(path):
                refuse(path)
        return real(source, target, **more)

    def remove(real: Any, path: Any, **more: Any) -> Any:
        probing = "filelock-probe" in os.fsdecode(path)  # by the library's lock of this system, which others have not
        if not more.get("dir_fd") and not probing and os.path.lexists(path):
            refuse(path)
        return real(path, **more)

    for name, real in moved.items():
        laid.put(name, lambda *words, _real=real, **more: move(_real, *words, **more))
    for name, real in removed.items():
        laid.put(name, lambda *words, _real=real, **more: remove(_real, *words, **more))


def _denied(path: Any, why: str) -> PermissionError:
    return PermissionError(errno.EACCES, f"Permission denied ({why})", os.fspath(path))


@rule
def held(laid: Laid) -> None:
    """A file that is open is neither moved nor removed, and nothing put in its place."""

    def refuse(path: Any) -> None:
        folder, name = os.path.split(os.path.abspath(os.fspath(path)))
        if os.path.join(os.path.realpath(folder), name) in _open_files():
            raise _denied(path, "it is open")

    _moves(laid, refuse, both=True)


@rule
def readonly(laid: Laid) -> None:
    """A file that is marked read-only is not removed, and nothing put in its place."""

    def refuse(path: Any) -> None:
        status = os.lstat(path)
        if stat.S_ISREG(status.st_mode) and not status.st_mode & stat.S_IWRITE:
            raise _denied(path, "it is read-only")

    _moves(laid, refuse)


@rule
def scanner(laid: Laid) -> None:
    """Every file is being looked at by something else when it is to be moved or removed for the first times."""
    seen: dict[str, int] = {}

    def refuse(path: Any) -> None:
        seen[os.fspath(path)] = seen.get(os.fspath(path), 0) + 1
        if seen[os.fspath(path)] <= REFUSALS:
            raise _denied(path, "a scanner has it")

    _moves(laid, refuse, both=True)


@rule
def flushing(laid: Laid) -> None:
    """Only a handle that may write is flushed."""
    real = os.fsync

    def fsync(handle: Any) -> None:
        number = handle if isinstance(handle, int) else handle.fileno()
        if fcntl.fcntl(number, fcntl.F_GETFL) & os.O_ACCMODE == os.O_RDONLY:
            raise OSError(errno.EBADF, "Bad file descriptor")
        real(number)

    laid.put("fsync", fsync)


@rule
def unflushed(laid: Laid) -> None:
    """Nothing is flushed but files: folders cannot be, as on some shares."""
    real = os.fsync

    def fsync(handle: Any) -> None:
        if stat.S_ISDIR(os.fstat(handle).st_mode):
            raise OSError(errno.EINVAL, "Invalid argument")
        real(handle)

    laid.put("fsync", fsync)


@rule
def lacking(laid: Laid) -> None:
    """What Python has not on Windows."""
    kind, volume = type(shutil.disk_usage("/")), os.statvfs

    def usage(path: Any) -> Any:
        there = volume(path)
        return kind(there.f_blocks * there.f_frsize, 0, there.f_bavail * there.f_frsize)

    laid.put("disk_usage", usage, of=shutil)
    for name in ("O_DIRECTORY", "O_NOFOLLOW", "statvfs", "pread", "fchmod", "chown", "sync"):
        laid.put(name, MISSING)


@rule
def unlinked(laid: Laid) -> None:
    """No file has a second name."""

    def link(*_words: Any, **_more: Any) -> None:
        raise OSError(errno.EPERM, "Operation not permitted")

    laid.put("link", link)


@rule
def permissionless(laid: Laid) -> None:
    """A volume keeps no permissions, as some shares and FUSE volumes say."""

    def chmod(path: Any, *_words: Any, **_more: Any) -> None:
        raise OSError(errno.ENOTSUP, "Operation not supported", path)

    laid.put("chmod", chmod)


@rule
def linkless(laid: Laid) -> None:
    """There is no such function at all."""
    laid.put("link", MISSING)


@rule
def roomless(laid: Laid) -> None:
    """Of the room on a volume, nothing is known: it has none, of none."""
    usage = type(shutil.disk_usage("/"))
    laid.put("disk_usage", lambda _path: usage(0, 0, 0), of=shutil)


_DEVICE = re.compile(r"^(con|prn|aux|nul|conin\$|conout\$|(com|lpt)[1-9\u00b9\u00b2\u00b3])$", re.IGNORECASE)


def is_no_name(name: str) -> bool:
    """Whether Windows has no file of such a name."""
    return (
        bool(re.search(r'[<>:"|?*\\\x00-\x1f]', name))
        or name != name.rstrip(". ")
        or bool(_DEVICE.match(name.partition(".")[0].rstrip(" ")))
    )


@rule
def names(laid: Laid) -> None:
    """No file and folder is made under a name that is none."""

    def check(path: Any) -> None:
        if isinstance(path, int):
            return
        name = os.path.basename(os.fsdecode(path).rstrip("/"))
        if name not in ("", ".", "..") and is_no_name(name):
            raise OSError(errno.EINVAL, "Invalid argument", os.fsdecode(path))

    opened, os_open, mkdir = builtins.open, os.open, os.mkdir

    def open_(file: Any, mode: str = "r", *words: Any, **more: Any) -> Any:
        if set(mode) & set("wxa"):
            check(file)
        return opened(file, mode, *words, **more)

    def open_handle(path: Any, flags: int, *words: Any, **more: Any) -> int:
        if flags & os.O_CREAT:
            check(path)
        return os_open(path, flags, *words, **more)

    def made(path: Any, *words: Any, **more: Any) -> None:
        check(path)
        mkdir(path, *words, **more)

    for module in (builtins, io):
        laid.put("open", open_, of=module)
    laid.put("open", open_handle)
    laid.put("mkdir", made)
    for name in ("replace", "rename", "link"):
        real = getattr(os, name)

        def moved(source: Any, target: Any, _real: Any = real, **more: Any) -> Any:
            check(target)
            return _real(source, target, **more)

        laid.put(name, moved)
