"""What every kind of archive shares: its members, where its bytes come from, and how much it may unpack to."""

from __future__ import annotations

import io
import os
from collections.abc import Callable, Iterator
from pathlib import Path
from types import TracebackType
from typing import BinaryIO, Protocol

from msgspec import Struct

from gribble.core.base.budget import ARCHIVE, MEMBER_NAME, Budget
from gribble.core.base.errors import reason_of
from gribble.core.base.kinds import MOST_NUMBER
from gribble.core.base.regular import check_regular
from gribble.core.base.threads import go_on

FREE_BYTES = 256 << 20
"""Below this many unpacked bytes no ratio is suspicious."""


class ArchiveError(Exception):
    """An archive, or one member of it, cannot be read; the text says why."""


class Member(Struct, frozen=True, gc=False):
    """One file in an archive, with the size in bytes and CRC-32 that the archive claims for it.

    Where it claims none, `size` is None and `crc32` empty. `fault` says why the content cannot be read.
    """

    name: str
    size: int | None
    crc32: str = ""
    fault: str = ""

    @property
    def as_it_can_be(self) -> Member:
        """The same; with a fault, and no size, where it claims one that no file has, or a name that is none."""
        if len(self.name) > MEMBER_NAME:
            return Member(self.name[:MEMBER_NAME], None, "", f"has a name of {len(self.name):,} characters")
        if self.size is not None and not 0 <= self.size <= MOST_NUMBER:
            return Member(self.name, None, "", f"claims to have {self.size:,} bytes, which no file has")
        return self


Chooser = Callable[[Member], bool]


class Archive(Protocol):
    """One opened archive."""

    def scan(self, choose: Chooser) -> Iterator[tuple[Member, Iterator[bytes] | None]]:
        """Every file in the archive's order, in one pass, with the content of the chosen ones.

        A content must be taken before the next member is asked for. Raises ArchiveError.
        """


_FLAGS = os.O_RDONLY | getattr(os, "O_BINARY", 0) | getattr(os, "O_NONBLOCK", 0)
_PREAD = getattr(os, "pread", None)


class Span:
    """The bytes of an archive: a file, or a member held in memory. Reads at any place without moving anything."""

    __slots__ = ("_data", "_handle", "_streams", "size")

    def __init__(self, source: str | Path | bytes) -> None:
        self._data = source if isinstance(source, bytes) else None
        self._handle = -1
        self._streams: list[BinaryIO] = []
        if isinstance(source, bytes):
            self.size = len(source)
        else:
            try:
                self._handle = os.open(source, _FLAGS)
                self.size = check_regular(self._handle, source).st_size
            except OSError as error:
                self.close()
                raise ArchiveError(f"cannot be read: {reason_of(error)}") from error

    def __enter__(self) -> Span:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the file."""
        for stream in self._streams:
            stream.close()
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1

    def read(self, offset: int, length: int) -> bytes:
        """Bytes from a place; fewer where the archive ends before. Raises ArchiveError, and LeftError if nobody
        waits for them any more."""
        if offset < 0 or length < 0:
            raise ArchiveError("is damaged: it points outside itself")
        go_on()
        if self._data is not None:
            return self._data[offset : offset + length]
        try:
            if _PREAD:
                data: bytes = _PREAD(self._handle, length, offset)
                return data
            os.lseek(self._handle, offset, os.SEEK_SET)
            return os.read(self._handle, length)
        except OSError as error:
            raise ArchiveError(f"cannot be read: {reason_of(error)}") from error

    def blocks(self, offset: int, length: int, size: int = 1 << 18) -> Iterator[bytes]:
        """A stretch of the archive, block by block. Raises ArchiveError if it ends too soon."""
        while length:
            block = self.read(offset, min(size, length))
            if not block:
                raise ArchiveError("is cut short")
            yield block
            offset += len(block)
            length -= len(block)

    def stream(self) -> BinaryIO:
        """The whole archive as a file object that libraries can read; closed with the span."""
        if self._data is not None:
            return io.BytesIO(self._data)
        stream = os.fdopen(os.dup(self._handle), "rb")
        stream.seek(0)
        self._streams.append(stream)
        return stream


def budget_of(span: Span) -> Budget:
    """What may come out of an archive, and of all that is nested in it."""
    return Budget(ARCHIVE, ArchiveError, span.size)


def check_ratio(packed: int, unpacked: int, greatest: int) -> None:
    """Raise ArchiveError where bytes claim to unpack to more than their method can honestly yield."""
    if unpacked > FREE_BYTES and unpacked > packed * greatest:
        raise ArchiveError(f"claims to unpack {packed:,} bytes to {unpacked:,}; skipped as a bomb")


def numbered(names: list[str]) -> list[str]:
    """Names made unlike one another: of several alike, the later ones get a number."""
    seen: dict[str, int] = {}
    unlike = []
    for name in names:
        seen[name] = times = seen.get(name, 0) + 1
        unlike.append(name if times == 1 else f"{name} [{times}]")
    return unlike
