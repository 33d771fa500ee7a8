"""Zip archives: a quick reader of the central directory; contents are unpacked by the standard library's decoders.

Source: the ZIP application note (end of central directory 4.3.16, its Zip64 forms 4.3.14 and 4.3.15, central
directory headers 4.3.12, Zip64 extra field 4.5.3).
"""

from __future__ import annotations

import struct
import zipfile
from collections.abc import Iterator
from typing import NamedTuple

from msgspec import Struct, structs

from gribble.core.base.budget import DIRECTORY, Budget, size_words
from gribble.core.files.archives.common import ArchiveError, Chooser, Member, Span, budget_of, check_ratio, numbered
from gribble.core.files.archives.sevens import BZIP2, LZMA, Coder, PackedFolder, decoded
from gribble.core.files.hashing import BLOCK_BYTES
from gribble.core.files.inflating import INFLATE_ERRORS, crc32, inflated

_END = struct.Struct("<4s4H2LH")
_END64_PLACE = struct.Struct("<4sLQL")
_END64 = struct.Struct("<4sQ2H2L4Q")
_HEADER = struct.Struct("<4s4xH6x3L3H12x")
_ENTRY = struct.Struct("<4s4x2H4x3L3H8xL")
"""The same with the method and the offset."""
_LOCAL = struct.Struct("<26x2H")
_LZMA_HEAD = struct.Struct("<2xH")
"""Before bytes packed by LZMA: how many bytes of properties follow (5.8.8)."""
_FIRST_READ = 4096
_LONGEST_TAIL = 65_535 + _END.size
_BIG = 0xFFFFFFFF
DEFLATE_RATIO = 1_032
"""No deflate stream unpacks to more than this many times its size."""


class _Entry(NamedTuple):
    """What a directory says of how a member is in its archive; `offset` is that of its local header."""

    method: int
    encrypted: bool
    crc32: int
    packed: int
    size: int
    offset: int
    name: bytes


class _Directory(NamedTuple):
    """The central directory: the files in it, and where in its bytes each has its header. `shift` is how many bytes lie
    before the zip."""

    members: list[Member]
    headers: list[int]
    data: bytes
    shift: int

    def entry(self, number: int) -> _Entry:
        """How a member is in its archive."""
        at = self.headers[number]
        _, flags, method, crc, packed, size, name_length, extra_length, _, offset = _ENTRY.unpack_from(self.data, at)
        start = at + _ENTRY.size
        extra = self.data[start + name_length : start + name_length + extra_length]
        numbers = iter(_long_numbers(extra))
        size = next(numbers, size) if size == _BIG else size
        packed = next(numbers, packed) if packed == _BIG else packed
        offset = next(numbers, offset) if offset == _BIG else offset
        name = self.data[start : start + name_length]
        return _Entry(method, bool(flags & 1), crc, packed, size, offset + self.shift, name)


class Zip:
    """One zip archive."""

    def __init__(self, span: Span, budget: Budget) -> None:
        self._span = span
        self._budget = budget

    def scan(self, choose: Chooser) -> Iterator[tuple[Member, Iterator[bytes] | None]]:
        """Every file in the directory's order; the contents of chosen ones. Raises ArchiveError."""
        directory = _directory(self._span, self._budget)
        chosen = [not member.fault and choose(member) for member in directory.members]
        for number, (member, wanted) in enumerate(zip(directory.members, chosen, strict=True)):
            blocks = self._content(directory.entry(number), member.name) if wanted else None
            yield member, self._budget.spend(blocks) if blocks else None

    def _content(self, entry: _Entry, name: str) -> Iterator[bytes]:
        computed, size = 0, 0
        try:
            for block in self._unpacked(entry, name):
                computed, size = crc32(block, computed), size + len(block)
                if size > entry.size:
                    break
                yield block
        except INFLATE_ERRORS as error:
            raise ArchiveError(f"{name} cannot be unpacked: {error}") from error
        if (size, computed) != (entry.size, entry.crc32):
            raise ArchiveError(f"{name} cannot be unpacked: Bad CRC-32, its content is not what the archive says")

    def _unpacked(self, entry: _Entry, name: str) -> Iterator[bytes]:
        """A member's content as it comes out, whatever it claims to be. Raises ArchiveError."""
        at = _place(self._span, entry, name)
        if entry.method in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
            raw = self._span.blocks(at, entry.packed)
            return inflated(raw, BLOCK_BYTES) if entry.method else raw
        if entry.method == zipfile.ZIP_BZIP2:
            coder, length = Coder(BZIP2, b""), 0
        elif entry.method == zipfile.ZIP_LZMA:
            head = self._span.read(at, _LZMA_HEAD.size)
            length = _LZMA_HEAD.size + (_LZMA_HEAD.unpack(head)[0] if len(head) == _LZMA_HEAD.size else 0)
            coder = Coder(LZMA, self._span.read(at + _LZMA_HEAD.size, length - _LZMA_HEAD.size))
        else:
            raise ArchiveError(f"{name} is packed by a method that Gribble cannot unpack (number {entry.method})")
        folder = PackedFolder([coder], [entry.size], True, 0, offset=at + length, packed_bytes=entry.packed - length)
        if fault := folder.fault():
            raise ArchiveError(f"{name} {fault}")
        return decoded(self._span, folder)


def _place(span: Span, entry: _Entry, name: str) -> int:
    """Where a member's bytes begin, behind its local header. Raises ArchiveError."""
    head = span.read(entry.offset, _LOCAL.size + len(entry.name))
    if len(head) < _LOCAL.size or not head.startswith(b"PK\x03\x04"):
        raise ArchiveError(f"is a broken zip file: {name} is not where its directory says")
    name_length, extra_length = _LOCAL.unpack_from(head)
    if head[_LOCAL.size : _LOCAL.size + name_length] != entry.name:
        raise ArchiveError(
            f"is a broken zip file: its directory calls a member {name}, but the member has another name"
        )
    return int(entry.offset + _LOCAL.size + name_length + extra_length)


class RawMember(Struct, frozen=True):
    """A member as it is in its archive, packed or stored: what it claims, and its bytes as they are."""

    deflated: bool
    crc32: int
    size: int
    packed: int
    blocks: Iterator[bytes]


class RawZip:
    """A zip whose members can be taken as they are there, without being unpacked and packed again."""

    def __init__(self, span: Span) -> None:
        """Raises ArchiveError."""
        self._span = span
        self._directory = _directory(span, budget_of(span))
        self._numbers = {member.name: number for number, member in enumerate(self._directory.members)}

    def take(self, name: str) -> RawMember | None:
        """A member; None if it is not there, encrypted, or packed by another method than deflate."""
        number = self._numbers.get(name)
        if number is None:
            return None
        entry = self._directory.entry(number)
        if entry.encrypted or entry.method not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
            return None
        return RawMember(
            deflated=entry.method == zipfile.ZIP_DEFLATED,
            crc32=entry.crc32,
            size=entry.size,
            packed=entry.packed,
            blocks=self._span.blocks(_place(self._span, entry, name), entry.packed),
        )


def list_zip(span: Span, budget: Budget) -> list[Member]:
    """The files of a zip by its directory alone. Raises ArchiveError."""
    return _directory(span, budget).members


def _directory(span: Span, budget: Budget) -> _Directory:
    """The central directory. Raises ArchiveError."""
    data, count, shift = _directory_bytes(span)
    if count > DIRECTORY.items:
        raise ArchiveError(f"says that it has {count:,} entries; Gribble does not believe that and stops there")
    members: list[Member] = []
    headers: list[int] = []
    unpack, width, at, total = _HEADER.unpack_from, _HEADER.size, 0, 0
    lying = 0
    try:
        for _ in range(count):
            header = at
            signature, flags, crc, packed, size, name_length, extra_length, comment_length = unpack(data, at)
            if signature != b"PK\x01\x02":
                raise ArchiveError("is a broken zip file: its directory is damaged")
            start = at + width
            at = start + name_length
            raw = data[start:at]
            at += extra_length + comment_length
            if raw.endswith(b"/"):
                continue
            if size == _BIG or packed == _BIG:
                numbers = _long_numbers(data[start + name_length : start + name_length + extra_length])
                long = iter(numbers)
                size = next(long, size) if size == _BIG else size
                packed = next(long, packed) if packed == _BIG else packed
            total += size
            lying += packed
            if raw.isascii():
                name = raw.decode("ascii")
            else:
                name = raw.decode("utf-8", "surrogateescape") if flags & 0x800 else raw.decode("cp437")
            members.append(Member(name, size, f"{crc:08x}", "is encrypted" if flags & 1 else ""))
            headers.append(header)
    except struct.error as error:
        raise ArchiveError("is a broken zip file: its directory is cut short") from error
    budget.count(len(members))
    check_ratio(span.size, total, DEFLATE_RATIO)
    if lying > span.size:
        raise ArchiveError("has members that overlap; skipped as a bomb")
    if len({member.name for member in members}) < len(members):
        names = numbered([member.name for member in members])
        members = [structs.replace(member, name=name) for member, name in zip(members, names, strict=True)]
    return _Directory(members, headers, data, shift)


def _directory_bytes(span: Span) -> tuple[bytes, int, int]:
    """The bytes of the central directory, its number of entries, and how many bytes lie before the zip."""
    length = min(_FIRST_READ, span.size)
    tail = span.read(span.size - length, length)
    end = len(tail) - _END.size  # nearly always: no comment, nothing behind
    if not tail.startswith(b"PK\x05\x06", max(end, 0)) or not tail.endswith(b"\0\0"):
        end = _find_end(tail, surely=span.size > length)
    if end < 0 and span.size > length:
        length = min(_LONGEST_TAIL, span.size)
        tail = span.read(span.size - length, length)
        end = _find_end(tail, surely=False)
    if end < 0:
        raise ArchiveError("is a broken zip file: its end is missing (was the download cut short?)")
    _, disk, first_disk, _, count, size, offset, _ = _END.unpack_from(tail, end)
    end_place = span.size - length + end
    if 0xFFFF in (count, disk) or _BIG in (size, offset):
        count, size, offset, end_place = _end64(span, end_place, count, size, offset)
    elif disk or first_disk:
        raise ArchiveError("is one part of several; join the parts first")
    if size > DIRECTORY.bytes:
        raise ArchiveError(
            f"has a directory of more than {size_words(DIRECTORY.bytes)}; Gribble does not believe that and stops there"
        )
    start = end_place - size  # bytes before the zip (a program that unpacks it) move everything; this does not mind
    if start < 0:
        raise ArchiveError("is a broken zip file: its directory is missing (was the download cut short?)")
    if start >= span.size - length and start - (span.size - length) + size <= len(tail):
        return tail[start - (span.size - length) :][:size], count, start - offset
    return span.read(start, size), count, start - offset


def _find_end(tail: bytes, *, surely: bool) -> int:
    """Where the end record begins; a comment may hold what looks like one, and bytes may follow the zip.

    `surely` takes only one whose comment ends where the file does.
    """
    candidates = []
    at = tail.rfind(b"PK\x05\x06", 0, max(len(tail) - _END.size + 4, 0))
    while at >= 0:
        if at + _END.size + int.from_bytes(tail[at + 20 : at + 22], "little") == len(tail):
            return at
        candidates.append(at)
        at = tail.rfind(b"PK\x05\x06", 0, at)
    return candidates[0] if candidates and not surely else -1


def _end64(span: Span, end_place: int, count: int, size: int, offset: int) -> tuple[int, int, int, int]:
    """Number of entries, size, offset and end of a Zip64 directory."""
    place = span.read(end_place - _END64_PLACE.size, _END64_PLACE.size) if end_place >= _END64_PLACE.size else b""
    if not place.startswith(b"PK\x06\x07"):
        return count, size, offset, end_place  # a plain zip that happens to have 65,535 entries
    _, _, record_offset, disks = _END64_PLACE.unpack(place)
    if disks > 1:
        raise ArchiveError("is one part of several; join the parts first")
    for at in (record_offset, end_place - _END64_PLACE.size - _END64.size):
        record = span.read(at, _END64.size) if at >= 0 else b""
        if record.startswith(b"PK\x06\x06") and len(record) == _END64.size:
            *_, total, length, start = _END64.unpack(record)
            return total, length, start, at
    raise ArchiveError("is a broken zip file: its Zip64 end is damaged")


def _long_numbers(extra: bytes) -> tuple[int, ...]:
    """The numbers of a Zip64 extra field: those that the header has no room for, size, packed size and offset."""
    at = 0
    while at + 4 <= len(extra):
        kind, length = struct.unpack_from("<HH", extra, at)
        if kind == 1:
            many = min(length, len(extra) - at - 4) // 8
            return struct.unpack_from(f"<{many}Q", extra, at + 4)
        at += 4 + length
    return ()
