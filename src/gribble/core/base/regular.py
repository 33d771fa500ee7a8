"""Opening files that may be anything: only regular ones are read, and nothing is ever waited for."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path
from typing import BinaryIO

NO_LINKS = getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0)
"""No file of Gribble's own is opened through a link."""


def open_regular(path: str | Path, *, through_links: bool = True, devices: bool = False) -> BinaryIO:
    """A regular file opened for reading (or a disk, with `devices`); one that is none is refused at once. Raises
    OSError."""
    flags = os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0) | getattr(os, "O_CLOEXEC", 0)
    handle = os.open(path, flags if through_links else flags | NO_LINKS)
    try:
        mode = os.fstat(handle).st_mode
        if not stat.S_ISREG(mode) and not (devices and stat.S_ISBLK(mode)):
            what = "is a folder, not a file" if stat.S_ISDIR(mode) else "is no regular file (a pipe, socket or device)"
            raise OSError(errno.EINVAL, what, os.fspath(path))
        return os.fdopen(handle, "rb")
    except BaseException:
        os.close(handle)
        raise


def read_regular(path: str | Path, most: int, *, through_links: bool = True) -> bytes:
    """The content of a regular file of at most so many bytes. Raises OSError, for a larger one, too.

    No more memory is taken than the file has bytes: reading "at most" some takes room for all of them.
    """
    with open_regular(path, through_links=through_links) as stream:
        size = os.fstat(stream.fileno()).st_size
        if size > most:
            raise OSError(errno.EFBIG, f"is larger than {most >> 20:,} MiB", os.fspath(path))
        return stream.read(size + 1)
