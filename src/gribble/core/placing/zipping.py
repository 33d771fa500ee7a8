"""Writing zip archives: members in the order given, fixed times, the same bytes for the same contents every time.

A member that lies deflated or stored in another zip is taken over as it is there, not packed again. Every content is
unpacked and proven by its digests on the way. Source: the ZIP application note (local headers 4.3.7, central
directory 4.3.12, its end 4.3.16, Zip64 forms 4.3.14, 4.3.15 and 4.5.3).
"""

from __future__ import annotations

import struct
import tempfile
import zlib
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import IO

from gribble.core.base.errors import reason_of
from gribble.core.base.regular import open_regular
from gribble.core.files.archives.common import ArchiveError, Member, Span
from gribble.core.files.archives.opening import archive_kind, peek, scan
from gribble.core.files.archives.zips import RawMember, RawZip
from gribble.core.files.hashing import BLOCK_BYTES, Digester
from gribble.core.files.inflating import INFLATE_ERRORS, crc32, inflated
from gribble.core.placing.store import StoreError
from gribble.core.records.holding import in_words
from gribble.core.records.steps import PackMember

_LOCAL = struct.Struct("<4s5H3L2H")
_CENTRAL = struct.Struct("<4s6H3L5H2L")
_END64 = struct.Struct("<4sQ2H2L4Q")
_END64_PLACE = struct.Struct("<4sLQL")
_END = struct.Struct("<4s4H2LH")
_BIG = 0xFFFFFFFF
_MANY = 0xFFFF
_TIME, _DATE = 0, 0x0021
"""Midnight of 1 January 1980, the first moment that a zip can tell."""
_IN_MEMORY = 8 << 20
"""A packed member waits in memory up to this size in bytes, then in a temporary file."""


def zipped(
    members: Iterable[PackMember], locate: Callable[[str], Path], watch: Callable[[int], None] = lambda _bytes: None
) -> Iterator[bytes]:
    """The bytes of a zip. `locate` gives the local file for a `from_`; `watch` may raise while a content is got ready,
    which can take long. Raises StoreError."""
    members = tuple(members)
    with ExitStack() as stack:
        sources = _Sources(members, locate, stack, watch)
        directory: list[bytes] = []
        offset = 0
        for member in members:
            name = member.name.encode("utf-8", "surrogateescape")
            try:
                raw, close = sources.take(member)
                local, central = _headers(name, member.name.isascii(), raw, offset)
                yield local
                written = 0
                for block in _proven(member, raw):
                    written += len(block)
                    yield block
                if written != raw.packed:
                    raise StoreError(f"{member.name} in {member.from_} ends too soon")
                if close:
                    close.close()
            except ArchiveError as error:
                raise StoreError(f"{member.from_} {error}") from error
            except INFLATE_ERRORS as error:
                raise StoreError(f"{member.from_} is damaged: {member.member} cannot be unpacked") from error
            except OSError as error:
                raise StoreError(f"{member.from_}: {reason_of(error)}") from error
            directory.append(central)
            offset += len(local) + raw.packed
        size = sum(map(len, directory))
        yield from directory
        yield _ending(len(directory), size, offset)


class _Sources:
    """The files that members are taken from, each opened once."""

    def __init__(
        self,
        members: tuple[PackMember, ...],
        locate: Callable[[str], Path],
        stack: ExitStack,
        watch: Callable[[int], None],
    ) -> None:
        self._members = members
        self._locate = locate
        self._stack = stack
        self._watch = watch
        self._zips: dict[str, RawZip | None] = {}
        self._unpacked: dict[str, dict[str, IO[bytes]]] = {}

    def take(self, member: PackMember) -> tuple[RawMember, IO[bytes] | None]:
        """A member ready to be written, and what is to be closed after it."""
        if member.member is not None:
            found = self._zip(member.from_)
            raw = found.take(member.member) if found else None
            if raw is not None:
                return raw, None
            return self._pack(self._content(member.from_, member.member))
        with open_regular(self._locate(member.from_)) as stream:
            return self._pack(stream)

    def _zip(self, from_: str) -> RawZip | None:
        """The zip at a path, None for another kind of archive."""
        if from_ not in self._zips:
            path = self._locate(from_)
            kind = archive_kind(peek(path), path.name)
            self._zips[from_] = RawZip(self._stack.enter_context(Span(path))) if kind == "zip" else None
        return self._zips[from_]

    def _content(self, from_: str, name: str) -> IO[bytes]:
        """A member of another archive; all that is wanted of it is unpacked in one pass."""
        if from_ not in self._unpacked:
            path = self._locate(from_)
            wanted = {one.member for one in self._members if one.from_ == from_ and one.member is not None}
            contents = self._unpacked[from_] = {}
            for found in scan(path, archive_kind(peek(path), path.name), _Wanted(wanted)):
                if found.path in wanted and found.blocks is not None:
                    spool = contents[found.path] = self._spool()
                    for block in found.blocks:
                        self._watch(0)
                        spool.write(block)
        try:
            spool = self._unpacked[from_][name]
        except KeyError:
            raise ArchiveError(f"does not have {name} any more") from None
        spool.seek(0)
        return spool

    def _pack(self, stream: IO[bytes]) -> tuple[RawMember, IO[bytes]]:
        """A content deflated into a temporary file, since a zip tells a member's packed size before its bytes."""
        spool = self._spool()
        crc, size, packed = 0, 0, 0
        packer = zlib.compressobj(wbits=-zlib.MAX_WBITS)
        while block := stream.read(BLOCK_BYTES):
            self._watch(0)
            crc, size = crc32(block, crc), size + len(block)
            packed += spool.write(packer.compress(block))
        packed += spool.write(packer.flush())
        spool.seek(0)
        blocks = iter(lambda: spool.read(BLOCK_BYTES), b"")
        return RawMember(deflated=True, crc32=crc, size=size, packed=packed, blocks=blocks), spool

    def _spool(self) -> IO[bytes]:
        return self._stack.enter_context(tempfile.SpooledTemporaryFile(_IN_MEMORY))


class _Wanted:
    """The choice of some members by their paths inside."""

    def __init__(self, paths: set[str]) -> None:
        self._paths = paths

    def wants(self, path: str, _member: Member) -> bool:
        return path in self._paths

    def enters(self, path: str) -> bool:
        return any(one.startswith(f"{path}/") for one in self._paths)


def _proven(member: PackMember, raw: RawMember) -> Iterator[bytes]:
    """A member's bytes as they are, while its content is unpacked beside them and proven."""
    digester = Digester({"crc32", *member.digests.known()})
    taken: deque[bytes] = deque()  # what was read of the archive and not handed on yet

    def read() -> Iterator[bytes]:
        for block in raw.blocks:
            taken.append(block)
            yield block

    source = read()
    for content in inflated(source, BLOCK_BYTES) if raw.deflated else source:
        digester.update(content)
        while taken:
            yield taken.popleft()
        if digester.size > raw.size:
            break
    for _ in source:
        while taken:
            yield taken.popleft()
    yield from taken
    digests = digester.digests()
    if digester.size != raw.size or digests.crc32 != f"{raw.crc32:08x}":
        raise ArchiveError(
            f"is damaged: {member.member or member.name} does not have the checksum that the archive says"
        )
    if any(digests.get(name) != digest for name, digest in member.digests.known().items()):
        what = in_words(member.from_, member.member)
        raise StoreError(f"{what} is not {member.name}: its digest is another one; nothing was written")


def _headers(name: bytes, ascii_: bool, raw: RawMember, offset: int) -> tuple[bytes, bytes]:
    """A member's local header and its entry in the directory."""
    long = raw.size >= _BIG or raw.packed >= _BIG
    size, packed = (_BIG, _BIG) if long else (raw.size, raw.packed)
    sizes = struct.pack("<2Q", raw.size, raw.packed) if long else b""
    version, flags, method = 45 if long or offset >= _BIG else 20, 0 if ascii_ else 0x800, 8 if raw.deflated else 0
    common = (version, flags, method, _TIME, _DATE, raw.crc32, packed, size, len(name))
    extra = struct.pack("<2H", 1, len(sizes)) + sizes if sizes else b""
    local = _LOCAL.pack(b"PK\x03\x04", *common, len(extra)) + name + extra
    if offset >= _BIG:
        sizes += struct.pack("<Q", offset)
        extra = struct.pack("<2H", 1, len(sizes)) + sizes
    central = _CENTRAL.pack(b"PK\x01\x02", version, *common, len(extra), 0, 0, 0, 0, min(offset, _BIG))
    return local, central + name + extra


def _ending(count: int, size: int, offset: int) -> bytes:
    """What follows the directory, with its Zip64 form where the numbers are too great."""
    end64 = b""
    if count >= _MANY or size >= _BIG or offset >= _BIG:
        end64 = _END64.pack(b"PK\x06\x06", _END64.size - 12, 45, 45, 0, 0, count, count, size, offset)
        end64 += _END64_PLACE.pack(b"PK\x06\x07", 0, offset + size, 1)
    few = min(count, _MANY)
    return end64 + _END.pack(b"PK\x05\x06", 0, 0, few, few, min(size, _BIG), min(offset, _BIG), 0)
