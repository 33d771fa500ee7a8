"""Opening files that may be anything: only regular ones are read, and nothing is ever waited for. And their texts as
people and systems write them: UTF-8 with a mark or without it, or UTF-16 as some editors do.
"""

from __future__ import annotations

import codecs
import errno
import io
import os
import stat
from pathlib import Path
from typing import NamedTuple, TextIO

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


_MARKS = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))


class NoTextError(ValueError):
    """A file is no text of these; it says which byte, counted from 0, is none."""


def encoding_of(data: bytes) -> tuple[int, str]:
    """How long the byte-order mark of a text is, and its encoding. Where there is none, a text in UTF-16 has zeros
    for every Latin letter, and one in UTF-8 has none."""
    for mark, encoding in _MARKS:
        if data.startswith(mark):
            return len(mark), encoding
    if len(data) > 1 and data.count(0) > len(data) // 8:
        return 0, "utf-16-le" if data[1::2].count(0) > data[::2].count(0) else "utf-16-be"
    return 0, "utf-8"


def text_of(data: bytes, *, errors: str = "strict") -> str:
    """The text of a file without its byte-order mark. Raises NoTextError, unless `errors` says otherwise."""
    skip, encoding = encoding_of(data)
    try:
        return data[skip:].decode(encoding, errors)
    except UnicodeDecodeError as error:
        what = "UTF-8" if encoding == "utf-8" else "UTF-16"
        raise NoTextError(f"is not {what} text (byte {skip + error.start})") from error


class Typed(NamedTuple):
    """A text as somebody typed it, and what writes it back so: its byte-order mark and its encoding."""

    text: str
    mark: bytes = b""
    encoding: str = "utf-8"

    @classmethod
    def of(cls, data: bytes) -> Typed:
        """The text of a file: UTF-8 or UTF-16, else the letters that Windows writes in the West."""
        skip, encoding = encoding_of(data)
        for each in (encoding, "cp1252"):
            try:
                return cls(data[skip:].decode(each), data[:skip], each)
            except UnicodeDecodeError:
                continue
        return cls(data.decode("latin-1"), b"", "latin-1")  # which has a letter for every byte

    def written(self, text: str) -> bytes:
        """Another text in the same encoding, in UTF-8 where that has not all of its letters."""
        try:
            return self.mark + text.encode(self.encoding)
        except UnicodeEncodeError:
            return text.encode()
