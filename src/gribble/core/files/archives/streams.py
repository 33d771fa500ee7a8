"""Tar archives, plain or packed, and single files packed as gz, bz2 or xz: read from front to back."""

from __future__ import annotations

import bz2
import gzip
import itertools
import lzma
import struct
import tarfile
import zlib
from collections.abc import Callable, Iterator
from typing import IO, cast

from gribble.core.base.budget import DICTIONARY_BYTES, TAR_ENTRIES, TAR_HEADER_BYTES, Budget
from gribble.core.base.errors import reason_of
from gribble.core.base.threads import go_on
from gribble.core.files.archives.common import ArchiveError, Chooser, Member, Span
from gribble.core.files.hashing import BLOCK_BYTES

_ERRORS = (
    OSError, EOFError, zlib.error, lzma.LZMAError, tarfile.TarError, ValueError, struct.error, KeyError, IndexError,
    OverflowError, TypeError, AttributeError, RecursionError,
)  # fmt: skip
"""What the standard library raises where bytes make no sense; some of it by accident."""


MOST_INDEX = 1 << 20
"""The longest index of an xz that is read, in bytes; some hundred thousand blocks."""
HEAD_BYTES = 512
"""The header of a tar's member, in bytes."""
XZ_BITS = 63
"""No number in an xz has more bits."""


class _Info(tarfile.TarInfo):
    """A member's header whose extensions (long names, extended headers, maps of holes) stay within bounds."""

    def _bounded(self) -> None:
        if self.size > TAR_HEADER_BYTES:
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
        head = b"".join(itertools.islice(self._unpacked(HEAD_BYTES), 2))  # which may be two streams joined
        if is_tar(head[:HEAD_BYTES]):
            stream = cast(IO[bytes], _Stream(self._unpacked()))  # tarfile reads, and does no more
            yield from _scan_tar(stream, "r|", choose, self._budget, lambda blocks: blocks)  # it has been taken already
            return
        member = self._member()
        if member.size is not None and member.size < len(head):
            member = Member(member.name, None)  # what it claims is less than there is: only reading tells
        self._budget.count(1)
        yield member, self._named(member.name) if choose(member) else None

    def _unpacked(self, most: int = BLOCK_BYTES) -> Iterator[bytes]:
        """All that is inside, at most so many bytes at a time, as far as what is packed can honestly yield. Raises
        ArchiveError."""
        try:
            for block in self._blocks(most):
                go_on()
                self._budget.take(len(block))
                yield block
        except _ERRORS as error:
            raise ArchiveError(f"is a broken {self._kind} file: {_say(error)}") from error

    def _blocks(self, most: int) -> Iterator[bytes]:
        if self._kind == "gz":
            with gzip.GzipFile(fileobj=self._span.stream()) as stream:
                yield from iter(lambda: stream.read(most), b"")
        else:
            make = bz2.BZ2Decompressor if self._kind == "bz2" else _xz_decompressor
            yield from _joined(self._span.blocks(0, self._span.size), make, most)

    def _named(self, name: str) -> Iterator[bytes]:
        try:
            yield from self._unpacked()
        except ArchiveError as error:
            raise ArchiveError(f"{name} cannot be unpacked: it {error}") from error

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


def _xz_decompressor() -> lzma.LZMADecompressor:
    return lzma.LZMADecompressor(lzma.FORMAT_XZ, memlimit=2 * DICTIONARY_BYTES)


def _joined(
    blocks: Iterator[bytes], make: Callable[[], lzma.LZMADecompressor | bz2.BZ2Decompressor], most: int
) -> Iterator[bytes]:
    """What is packed as one stream or several, one behind the other; what follows them and is none does not count.

    Raises what the decompressors do, and EOFError if a stream is cut short.
    """
    decoder, ended, given = make(), False, False
    for block in blocks:
        rest = block
        while rest or not (decoder.needs_input or decoder.eof):
            if decoder.eof:
                rest = rest.lstrip(b"\0")  # streams of an xz may have zeros between them
                if not rest:
                    break
                decoder, ended, given = make(), True, False
            try:
                content = decoder.decompress(rest, most)
            except (OSError, lzma.LZMAError):
                if ended and not given:
                    return
                raise
            rest = decoder.unused_data if decoder.eof else b""
            given = given or bool(content)
            if content:
                yield content
    if not decoder.eof and not (ended and not given):
        raise EOFError("it is cut short")


class Tar:
    """A plain tar archive."""

    def __init__(self, span: Span, budget: Budget) -> None:
        self._span = span
        self._budget = budget

    def scan(self, choose: Chooser) -> Iterator[tuple[Member, Iterator[bytes] | None]]:
        """Every regular file in the archive's order. Raises ArchiveError."""
        with self._span.stream() as stream:
            yield from _scan_tar(stream, "r:", choose, self._budget, self._budget.spend)


def _scan_tar(
    stream: IO[bytes], mode: str, choose: Chooser, budget: Budget, spend: Callable[[Iterator[bytes]], Iterator[bytes]]
) -> Iterator[tuple[Member, Iterator[bytes] | None]]:
    names: dict[str, int] = {}
    try:
        with tarfile.open(fileobj=stream, mode=mode, errors="surrogateescape", tarinfo=_Info) as archive:  # type: ignore[call-overload]
            for entries in itertools.count(1):
                info = archive.next()
                archive.members.clear()  # it would keep them all
                if info is None:
                    break
                if entries > TAR_ENTRIES:
                    raise ArchiveError(f"has more than {TAR_ENTRIES:,} entries; skipped as a bomb")
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
                yield member, spend(_read(content, info.name)) if content else None
    except _ERRORS as error:
        raise ArchiveError(f"is a broken tar file: {_say(error)}") from error


def _read(stream: IO[bytes], name: str) -> Iterator[bytes]:
    try:
        while block := stream.read(BLOCK_BYTES):
            yield block
    except _ERRORS as error:
        raise ArchiveError(f"{name} cannot be unpacked: {_say(error)}") from error


class _Stream:
    """Blocks as a file that is read from front to back."""

    def __init__(self, blocks: Iterator[bytes]) -> None:
        self._blocks = blocks
        self._block, self._at = b"", 0

    def read(self, size: int) -> bytes:
        """At most so many bytes."""
        if self._at >= len(self._block):
            self._block, self._at = next(self._blocks, b""), 0
        self._at += size
        return self._block[self._at - size : self._at]


def _xz_size(span: Span) -> int | None:
    """The unpacked size that the index at the end of an xz claims; None if it has several streams or padding.

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
