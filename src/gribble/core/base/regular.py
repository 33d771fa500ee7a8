"""Opening files that may be anything: only regular ones are read, and nothing is ever waited for."""

from __future__ import annotations

import errno
import io
import os
import stat
from pathlib import Path
from typing import TextIO

NO_LINKS = getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0)
"""No file of Gribble's own is opened through a link."""
MOST_TEXT = 64 << 20
"""A larger text is not read whole, in bytes."""


def open_regular(path: str | Path, *, through_links: bool = True) -> io.BufferedReader:
    """A regular file opened for reading; one that is none is refused at once. Raises OSError."""
    return os.fdopen(_opened(path, through_links=through_links), "rb")


def open_raw(path: str | Path, *, devices: bool = False) -> io.FileIO:
    """The same without a buffer; with `devices` it may be a disk. Raises OSError."""
    return os.fdopen(_opened(path, devices=devices), "rb", 0)


def _opened(path: str | Path, *, through_links: bool = True, devices: bool = False) -> int:
    flags = os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0) | getattr(os, "O_CLOEXEC", 0)
    handle = os.open(path, flags if through_links else flags | NO_LINKS)
    try:
        if not (devices and stat.S_ISBLK(os.fstat(handle).st_mode)):
            check_regular(handle, path)
    except BaseException:
        os.close(handle)
        raise
    return handle


def check_regular(handle: int, path: str | Path) -> os.stat_result:
    """What the system says of an open file. Raises OSError if it is none, but a folder, a pipe or a device."""
    status = os.fstat(handle)
    if not stat.S_ISREG(status.st_mode):
        folder = stat.S_ISDIR(status.st_mode)
        what = "is a folder, not a file" if folder else "is not a regular file (but a pipe, a socket or a device)"
        raise OSError(errno.EINVAL, what, os.fspath(path))
    return status


def open_text(path: str | Path, encoding: str, *, errors: str = "strict", newline: str | None = None) -> TextIO:
    """A regular file opened for reading as text. Raises OSError, and UnicodeDecodeError if it is read."""
    return io.TextIOWrapper(open_regular(path), encoding, errors, newline)


def read_text(path: str | Path, most: int, encoding: str, *, errors: str = "strict") -> str:
    """The text of a regular file of at most so many bytes, with plain line ends. Raises OSError, UnicodeDecodeError."""
    text = read_regular(path, most).decode(encoding, errors)
    return text.replace("\r\n", "\n").replace("\r", "\n")


def read_regular(path: str | Path, most: int, *, through_links: bool = True) -> bytes:
    """The content of a regular file of at most so many bytes. Raises OSError, for a larger one, too.

    No more memory is taken than the file has bytes: reading "at most" some takes room for all of them.
    """
    with open_regular(path, through_links=through_links) as stream:
        size = os.fstat(stream.fileno()).st_size
        if size > most:
            raise OSError(errno.EFBIG, f"is larger than {most >> 20:,} MiB", os.fspath(path))
        return stream.read(size + 1)
