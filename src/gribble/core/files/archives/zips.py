"""Zip archives: a quick reader of the central directory; contents are unpacked by the standard library.

Source: the ZIP application note (end of central directory 4.3.16, its Zip64 forms 4.3.14 and 4.3.15, central
directory headers 4.3.12, Zip64 extra field 4.5.3).
"""

from __future__ import annotations

import struct
import zipfile
import zlib
from collections.abc import Iterator

from msgspec import Struct, structs

from gribble.core.files.archives.common import ArchiveError, Budget, Chooser, Member, Span, check_ratio, numbered
from gribble.core.files.hashing import BLOCK_BYTES

_END = struct.Struct("<4s4H2LH")
_END64_PLACE = struct.Struct("<4sLQL")
_END64 = struct.Struct("<4sQ2H2L4Q")
_HEADER = struct.Struct("<4s4xH6x3L3H12x")
_LOCAL = struct.Struct("<26x2H")
_FIRST_READ = 4096
_LONGEST_TAIL = 65_535 + _END.size
_BIG = 0xFFFFFFFF
MOST_ENTRIES = 500_000
"""Files and folders in one directory."""
MOST_DIRECTORY = 64 << 20
"""The largest directory that is read, in bytes."""
DEFLATE_RATIO = 1_032
"""No deflate stream unpacks to more than this many times its size."""


class Zip:
    """One zip archive."""

    def __init__(self, span: Span, budget: Budget) -> None:
        self._span = span
        self._budget = budget

    def scan(self, choose: Chooser) -> Iterator[tuple[Member, Iterator[bytes] | None]]:
        """Every file in the directory's order; the contents of chosen ones. Raises ArchiveError."""
        members, places = _directory(self._span, self._budget)
        chosen = [not member.fault and choose(member) for member in members]
        archive = self._open() if any(chosen) else None
        try:
            infos = archive.infolist() if archive else []
            for member, place, wanted in zip(members, places, chosen, strict=True):
                blocks = _content(archive, infos[place], member.name) if wanted and archive else None
                yield member, self._budget.spend(blocks) if blocks else None
        finally:
            if archive:
                archive.close()

    def _open(self) -> zipfile.ZipFile:
        try:
            return zipfile.ZipFile(self._span.stream())
        except (zipfile.BadZipFile, ValueError, EOFError, NotImplementedError, OSError) as error:
            raise ArchiveError(f"is no sound zip: {error}") from error


def _content(archive: zipfile.ZipFile, info: zipfile.ZipInfo, name: str) -> Iterator[bytes]:
    try:
        with archive.open(info) as stream:
            while block := stream.read(BLOCK_BYTES):
                yield block
    except (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, NotImplementedError, OSError) as error:
        raise ArchiveError(f"{name} cannot be unpacked: {error}") from error


class RawMember(Struct, frozen=True):
    """A member as it lies in its archive, packed or stored: what it claims, and its bytes as they are."""

    deflated: bool
    crc32: int
    size: int
    packed: int
    blocks: Iterator[bytes]


class RawZip:
    """A zip whose members can be taken as they lie there, without being unpacked and packed again."""

    def __init__(self, span: Span) -> None:
        """Raises ArchiveError."""
        self._span = span
        budget = Budget(span.size)
        with Zip(span, budget)._open() as archive:
            infos = archive.infolist()
        members, places = _directory(span, budget)
        self._infos = {member.name: infos[place] for member, place in zip(members, places, strict=True)}

    def take(self, name: str) -> RawMember | None:
        """A member; None where it is not there, encrypted, or packed by another method than deflate."""
        info = self._infos.get(name)
        if info is None or info.flag_bits & 1 or info.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
            return None
        head = self._span.read(info.header_offset, _LOCAL.size)
        if len(head) < _LOCAL.size or not head.startswith(b"PK\x03\x04"):
            raise ArchiveError(f"is no sound zip: {name} is not where its directory says")
        start = info.header_offset + _LOCAL.size + sum(_LOCAL.unpack(head))
        return RawMember(
            deflated=info.compress_type == zipfile.ZIP_DEFLATED,
            crc32=info.CRC,
            size=info.file_size,
            packed=info.compress_size,
            blocks=self._span.blocks(start, info.compress_size),
        )


def list_zip(span: Span, budget: Budget) -> list[Member]:
    """The files of a zip by its directory alone. Raises ArchiveError."""
    return _directory(span, budget)[0]


def _directory(span: Span, budget: Budget) -> tuple[list[Member], list[int]]:
    """The files of the central directory, and the place of each among all entries (folders count)."""
    data, count = _directory_bytes(span)
    if count > MOST_ENTRIES:
        raise ArchiveError(f"has more than {MOST_ENTRIES:,} entries; skipped as a bomb")
    members: list[Member] = []
    places: list[int] = []
    unpack, width, at, total = _HEADER.unpack_from, _HEADER.size, 0, 0
    try:
        for place in range(count):
            signature, flags, crc, packed, size, name_length, extra_length, comment_length = unpack(data, at)
            if signature != b"PK\x01\x02":
                raise ArchiveError("is no sound zip: its directory is damaged")
            start = at + width
            at = start + name_length
            raw = data[start:at]
            at += extra_length + comment_length
            if raw.endswith(b"/"):
                continue
            if size == _BIG or packed == _BIG:
                size = _long_size(data[start + name_length : start + name_length + extra_length], size)
            total += size
            if raw.isascii():
                name = raw.decode("ascii")
            else:
                name = raw.decode("utf-8", "surrogateescape") if flags & 0x800 else raw.decode("cp437")
            members.append(Member(name, size, f"{crc:08x}", "is encrypted" if flags & 1 else ""))
            places.append(place)
    except struct.error as error:
        raise ArchiveError("is no sound zip: its directory is cut short") from error
    budget.count(len(members))
    check_ratio(span.size, total, DEFLATE_RATIO)
    if len({member.name for member in members}) < len(members):
        names = numbered([member.name for member in members])
        members = [structs.replace(member, name=name) for member, name in zip(members, names, strict=True)]
    return members, places


def _directory_bytes(span: Span) -> tuple[bytes, int]:
    """The bytes of the central directory and its number of entries."""
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
        raise ArchiveError("is no sound zip: its end is missing (cut short?)")
    _, disk, first_disk, _, count, size, offset, _ = _END.unpack_from(tail, end)
    end_place = span.size - length + end
    if 0xFFFF in (count, disk) or _BIG in (size, offset):
        count, size, end_place = _end64(span, end_place, count, size)
    elif disk or first_disk:
        raise ArchiveError("is one part of several; join them first")
    if size > MOST_DIRECTORY:
        raise ArchiveError(f"has a directory of more than {MOST_DIRECTORY >> 20} MiB; skipped as a bomb")
    start = end_place - size  # bytes before the zip (a program that unpacks it) move everything; this does not mind
    if start < 0:
        raise ArchiveError("is no sound zip: its directory is missing (cut short?)")
    if start >= span.size - length and start - (span.size - length) + size <= len(tail):
        return tail[start - (span.size - length) :][:size], count
    return span.read(start, size), count


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


def _end64(span: Span, end_place: int, count: int, size: int) -> tuple[int, int, int]:
    """Number of entries, size and end of a Zip64 directory."""
    place = span.read(end_place - _END64_PLACE.size, _END64_PLACE.size) if end_place >= _END64_PLACE.size else b""
    if not place.startswith(b"PK\x06\x07"):
        return count, size, end_place  # a plain zip that happens to have 65,535 entries
    _, _, offset, disks = _END64_PLACE.unpack(place)
    if disks > 1:
        raise ArchiveError("is one part of several; join them first")
    for at in (offset, end_place - _END64_PLACE.size - _END64.size):
        record = span.read(at, _END64.size) if at >= 0 else b""
        if record.startswith(b"PK\x06\x06") and len(record) == _END64.size:
            *_, total, length, _ = _END64.unpack(record)
            return total, length, at
    raise ArchiveError("is no sound zip: its Zip64 end is damaged")


def _long_size(extra: bytes, size: int) -> int:
    """A size from the Zip64 extra field, where the header's own is too small for it."""
    at = 0
    while at + 4 <= len(extra):
        kind, length = struct.unpack_from("<HH", extra, at)
        if kind == 1 and size == _BIG and length >= 8:
            return int(struct.unpack_from("<Q", extra, at + 4)[0])
        at += 4 + length
    return size
