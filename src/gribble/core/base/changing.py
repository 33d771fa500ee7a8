"""Changing files of this machine where systems refuse for a while: what is open elsewhere, or marked read-only.

Sources: Microsoft's "CreateFile" (sharing modes), "Maximum Path Length Limitation" and "FlushFileBuffers"; Apple's
manual page of fcntl (F_FULLFSYNC).
"""

from __future__ import annotations

import contextlib
import errno
import ntpath
import os
import stat
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

_fcntl: Any
try:
    import fcntl as _fcntl
except ImportError:  # on Windows
    _fcntl = None

WINDOWS = os.name == "nt"
"""Whether this system goes by Windows' rules."""
PATIENCE_SECONDS = 2.0
"""How long a virus scanner, an indexer or another program is waited for that holds on to a file."""
_FULLY = getattr(_fcntl, "F_FULLFSYNC", None)
_FIRST_WAIT_SECONDS = 0.005
_HELD = frozenset({errno.EACCES, errno.EBUSY, errno.ETXTBSY})
"""What systems say of a file that something else has open."""
_LONGEST = 247
"""The longest path that every function of Windows takes as it is, in characters."""


def replace(source: Path, target: Path) -> None:
    """Put a file in the place of whatever is at the target, in one instant. Where a read-only mark has to be taken off
    the file at the target, another name of that file loses it, too. Raises OSError."""
    insist(lambda: os.replace(source, target), target, source)


PERMISSIONS = 0o777
"""What of a file's mode is anybody's permission. Other bits (to run as its owner) never come with a content."""


def remove(path: Path, *, missing_ok: bool = False) -> None:
    """Remove a file, read-only or not. Raises OSError."""
    try:
        insist(lambda: os.unlink(path), path)
    except (FileNotFoundError, NotADirectoryError):
        if not missing_ok:
            raise


def remove_folder(path: Path) -> None:
    """Remove an empty folder. Raises OSError."""
    insist(lambda: os.rmdir(path), path)


def insist(act: Callable[[], object], in_the_way: Path, moved: Path | None = None) -> None:
    """Do what a read-only mark may forbid, or another program that has the file open. The mark is taken off the file in
    the way, and put back if that did not help; the other program is waited for, however long each try takes. Raises
    OSError."""
    marks, waited, wait = None, 0.0, _FIRST_WAIT_SECONDS
    try:
        while True:
            try:
                act()
                return
            except OSError as error:
                if marks is None and isinstance(error, PermissionError):
                    marks = _take_mark_off(in_the_way)
                    if marks is not None:
                        continue
                if waited > PATIENCE_SECONDS or not _may_pass(error, in_the_way, moved):
                    raise
            time.sleep(wait)
            waited += wait
            wait *= 1.5
    except BaseException:
        if marks is not None:
            with contextlib.suppress(OSError):
                os.chmod(in_the_way, marks)
        raise


def _take_mark_off(path: Path) -> int | None:
    """Make a read-only file one that can be written; the permissions that it had, None if it is none."""
    try:
        mode = path.lstat().st_mode
        if not stat.S_ISREG(mode) or mode & stat.S_IWRITE:
            return None
        os.chmod(path, stat.S_IMODE(mode) | stat.S_IWRITE)
    except OSError:
        return None
    return stat.S_IMODE(mode)


def _may_pass(error: OSError, *paths: Path | None) -> bool:
    """Whether a refusal may be one for the moment: where folders cannot be written at all, it stays."""
    return error.errno in _HELD and all(os.access(path.parent, os.W_OK | os.X_OK) for path in paths if path)


def flush_file(handle: int) -> None:
    """Flush an open file to the disk itself, past the disk's own memory where the system can. Raises OSError."""
    if _FULLY is not None:
        with contextlib.suppress(OSError):  # a volume that cannot do that is flushed as usual
            _fcntl.fcntl(handle, _FULLY)
            return
    os.fsync(handle)


def flush_folder(folder: Path) -> None:
    """Flush a folder's entries to the disk, where the system can (Windows cannot open folders, some shares refuse)."""
    if not hasattr(os, "O_DIRECTORY"):
        return
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            flush_file(handle)
        finally:
            os.close(handle)


def at_any_length(path: Path) -> Path:
    """A path in the form in which Windows takes it whatever its length; elsewhere as it is."""
    return Path(verbatim(str(path))) if WINDOWS else path


def verbatim(path: str) -> str:
    """A path of Windows that is longer than its functions take, in the form that they do; a shorter one as it is."""
    if len(path) <= _LONGEST or path.startswith("\\\\?\\"):
        return path
    whole = ntpath.normpath(path)
    return f"\\\\?\\UNC\\{whole[2:]}" if whole.startswith("\\\\") else f"\\\\?\\{whole}"


def usual(path: str) -> str:
    """The same path in its usual form."""
    if path.startswith("\\\\?\\UNC\\"):
        return "\\\\" + path.removeprefix("\\\\?\\UNC\\")
    return path.removeprefix("\\\\?\\") if path.startswith("\\\\?\\") else path
