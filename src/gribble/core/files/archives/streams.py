"""Tar archives, plain or packed, and single files packed as gz, bz2 or xz: read from front to back."""

from __future__ import annotations

import bz2
import gzip
import itertools
import lzma
import struct
import tarfile
import zlib
from collections.abc import Iterator
from typing import IO, Any, BinaryIO, cast

from gribble.core.base.errors import reason_of
from gribble.core.base.threads import go_on
from gribble.core.files.archives.common import (
    STREAMED_BYTES,
    STREAMED_RATIO,
    ArchiveError,
    Budget,
    Chooser,
    Member,
    Span,
)
from gribble.core.files.hashing import BLOCK_BYTES

_ERRORS = (
    OSError, EOFError, zlib.error, lzma.LZMAError, tarfile.TarError, ValueError, struct.error, KeyError, IndexError,
    OverflowError, TypeError, AttributeError, RecursionError,
)  # fmt: skip
"""What the standard library raises where bytes make no sense; some of it by accident."""


MOST_INDEX = 1 << 20
"""The longest index of an xz that is read, in bytes; some hundred thousand blocks."""
XZ_BITS = 63
"""No number in an xz has more bits."""
MOST_HEADER = 1 << 20
"""The longest name or extended header of a tar's member, in bytes."""
MOST_ENTRIES = 100_000
"""Files, folders and links in one tar."""


class _Info(tarfile.TarInfo):
    """A member's header whose extensions (long names, extended headers, maps of holes) stay within bounds."""

    def _bounded(self) -> None:
        if self.size > MOST_HEADER:
            raise tarfile.ReadError(f"a header of {self.size:,} bytes; skipped as a bomb")

    def _proc_gnulong(self, tar: tarfile.TarFile) -> tarfile.TarInfo:
        self._bounded()
        return cast(tarfile.TarInfo, super()._proc_gnulong(tar))  # type: ignore[misc]

    def _proc_pax(self, tar: tarfile.TarFile) -> tarfile.TarInfo:
        self._bounded()
        return cast(tarfile.TarInfo, super()._proc_pax(tar))  # type: ignore[misc]


def is_tar(head: bytes) -> bool:
    """Whether the first 512 bytes are a tar header: by its mark, or by its checksum in the oldest form."""
    if head[257:262] == b"ustar":
        return True
    if len(head) < 512 or not head[0]:
        return False
    try:
        told = int(head[148:156].split(b"\0")[0].strip() or b"x", 8)
    except ValueError:
        return False
    return told == sum(head[:148]) + 8 * 32 + sum(head[156:512])


class Packed:
    """A file packed by itself, or a tar packed as a whole. `kind` is gz, bz2 or xz."""

    def __init__(self, span: Span, budget: Budget, kind: str, name: str) -> None:
        self._span = span
        self._budget = budget
        self._kind = kind
        self._name = name

    def scan(self, choose: Chooser) -> Iterator[tuple[Member, Iterator[bytes] | None]]:
        """The one file inside, or those of the tar inside. Raises ArchiveError."""
        head = self._head()
        if is_tar(head):
            with self._open() as stream:
                bounded = cast(IO[bytes], _Bounded(stream, self._span.size))  # tarfile reads, and does no more
                yield from _scan_tar(bounded, "r|", choose, self._budget)
            return
        member = self._member()
        self._budget.count(1)
        yield member, self._budget.spend(self._blocks(member.name)) if choose(member) else None

    def _open(self) -> Any:
        source: BinaryIO = self._span.stream()
        if self._kind == "gz":
            return gzip.GzipFile(fileobj=source)
        return bz2.BZ2File(source) if self._kind == "bz2" else lzma.LZMAFile(source)

    def _head(self) -> bytes:
        try:
            with self._open() as stream:
                head: bytes = stream.read(512)
                return head
        except _ERRORS as error:
            raise ArchiveError(f"is no sound {self._kind}: {_say(error)}") from error

    def _member(self) -> Member:
        """The file inside, with the size and CRC-32 that the packing claims.

        A gz that is several joined claims only those of its last part; one that would have grown by packing is
        taken for such, or for one beyond 4 GiB, and claims nothing.
        """
        name = self._name[: -len(self._kind) - 1] if self._name.lower().endswith(f".{self._kind}") else self._name
        if self._kind == "gz" and self._span.size >= 18:
            crc, size = struct.unpack("<LL", self._span.read(self._span.size - 8, 8))
            if size * 1.01 + 64 >= self._span.size:
                return Member(name, size, f"{crc:08x}")
        if self._kind == "xz":
            return Member(name, _xz_size(self._span))
        return Member(name, None)

    def _blocks(self, name: str) -> Iterator[bytes]:
        try:
            with self._open() as stream:
                bounded = _Bounded(stream, self._span.size)
                while block := bounded.read(BLOCK_BYTES):
                    yield block
        except _ERRORS as error:
            raise ArchiveError(f"{name} cannot be unpacked: {_say(error)}") from error


class Tar:
    """A plain tar archive."""

    def __init__(self, span: Span, budget: Budget) -> None:
        self._span = span
        self._budget = budget

    def scan(self, choose: Chooser) -> Iterator[tuple[Member, Iterator[bytes] | None]]:
        """Every regular file in the archive's order. Raises ArchiveError."""
        with self._span.stream() as stream:
            yield from _scan_tar(stream, "r:", choose, self._budget)


def _scan_tar(
    stream: IO[bytes], mode: str, choose: Chooser, budget: Budget
) -> Iterator[tuple[Member, Iterator[bytes] | None]]:
    names: dict[str, int] = {}
    try:
        with tarfile.open(fileobj=stream, mode=mode, errors="surrogateescape", tarinfo=_Info) as archive:  # type: ignore[call-overload]
            for entries in itertools.count(1):
                info = archive.next()
                archive.members.clear()  # it would keep them all
                if info is None:
                    break
                if entries > MOST_ENTRIES:
                    raise ArchiveError(f"has more than {MOST_ENTRIES:,} entries; skipped as a bomb")
                if not info.isreg():
                    continue
                budget.count(1)
                times = names[info.name] = names.get(info.name, 0) + 1
                holes = "is stored with holes; unpack it yourself" if info.issparse() else ""
                member = Member(info.name if times == 1 else f"{info.name} [{times}]", info.size, "", holes)
                if holes:
                    yield member, None
                    continue
                content = archive.extractfile(info) if choose(member) else None
                yield member, budget.spend(_read(content, info.name)) if content else None
    except _ERRORS as error:
        raise ArchiveError(f"is no sound tar: {_say(error)}") from error


def _read(stream: IO[bytes], name: str) -> Iterator[bytes]:
    try:
        while block := stream.read(BLOCK_BYTES):
            yield block
    except _ERRORS as error:
        raise ArchiveError(f"{name} cannot be unpacked: {_say(error)}") from error


class _Bounded:
    """A stream that stops with ArchiveError where it unpacks to more than its bytes can honestly yield."""

    def __init__(self, stream: IO[bytes], packed: int) -> None:
        self._stream = stream
        self._packed = packed
        self._unpacked = 0

    def read(self, size: int = -1) -> bytes:
        """At most so many bytes, and never more than a block."""
        go_on()
        data = self._stream.read(min(size, BLOCK_BYTES) if size > 0 else BLOCK_BYTES)
        self._unpacked += len(data)
        if self._unpacked > max(STREAMED_BYTES, STREAMED_RATIO * self._packed):
            raise ArchiveError(
                f"unpacks to more than {STREAMED_BYTES >> 30} GiB and {STREAMED_RATIO} times its size; left there"
            )
        return data


def _xz_size(span: Span) -> int | None:
    """The unpacked size that the index at the end of an xz claims; None where it has several streams or padding.

    Source: The .xz File Format, sections 2.1.2 (footer) and 4 (index).
    """
    footer = span.read(span.size - 12, 12) if span.size >= 32 else b""
    if footer[-2:] != b"YZ":
        return None
    length = (struct.unpack_from("<L", footer, 4)[0] + 1) * 4
    index = span.read(span.size - 12 - length, length) if length < span.size - 12 else b""
    if not index or index[0]:
        return None
    numbers = list(_xz_numbers(index[1:-4])) if length <= MOST_INDEX else []
    if not numbers:
        return None
    records = numbers[1 : 1 + 2 * numbers[0]]
    packed = sum(-(-size // 4) * 4 for size in records[0::2])
    if len(records) != 2 * numbers[0] or packed + length + 24 != span.size:
        return None
    return sum(records[1::2])


def _xz_numbers(data: bytes) -> Iterator[int]:
    value = shift = 0
    for byte in data:
        value |= (byte & 0x7F) << shift
        shift += 7
        if not byte & 0x80:
            yield value
            value = shift = 0
        elif shift >= XZ_BITS:
            return


def _say(error: BaseException) -> str:
    return reason_of(error) if isinstance(error, OSError) else str(error) or "cut short"
