"""From a file to its archive: by content, whatever its ending; nested archives included."""

from __future__ import annotations

import itertools
import re
from collections.abc import Generator, Iterator
from pathlib import Path
from typing import NamedTuple, Protocol

from gribble.core.base.budget import MEMBER_NAME, NESTED, NESTED_BYTES, NESTED_DEPTH, Budget, size_words
from gribble.core.base.regular import open_raw
from gribble.core.files.archives import sevens, streams, zips
from gribble.core.files.archives.common import Archive, ArchiveError, Member, Span, budget_of

HEAD_BYTES = 512


class Kind(NamedTuple):
    """A kind of archive: how its files begin and what their names end in. `opened` says that Gribble looks into them,
    `for_sets` that emulators read sets and games from them."""

    name: str
    starts: tuple[bytes, ...]
    endings: tuple[str, ...]
    opened: bool = True
    for_sets: bool = False


KINDS = (
    Kind("zip", (b"PK\x03\x04", b"PK\x05\x06", b"PK\x07\x08PK"), (".zip",), for_sets=True),
    Kind("7z", (sevens.MAGIC,), (".7z",), for_sets=True),
    Kind("tar", (), (".tar",)),
    Kind("gz", (b"\x1f\x8b\x08",), (".gz", ".tgz")),
    Kind("bz2", (b"BZh",), (".bz2", ".tbz2")),
    Kind("xz", (b"\xfd7zXZ\x00",), (".xz", ".txz")),
    Kind("rar", (b"Rar!\x1a\x07",), (".rar",), opened=False),
    Kind("zst", (), (".zst",), opened=False),
)
"""Every kind of archive; all lists of endings are made of it."""
ARCHIVE_ENDINGS = tuple(ending for kind in KINDS for ending in kind.endings)
SET_KINDS = tuple(kind.name for kind in KINDS if kind.for_sets)
SET_ENDINGS = tuple(ending for kind in KINDS if kind.for_sets for ending in kind.endings)
_STARTS = {start: kind.name for kind in KINDS for start in kind.starts}
_FIRST = frozenset(start[:1] for start in _STARTS)
_ENDINGS = tuple(ending for kind in KINDS if kind.opened for ending in kind.endings)
_PART = re.compile(r"\.(7z|zip|tar|gz|rar)\.\d{2,3}$|\.[zr]\d{2}$|\.part\d+\.rar$", re.IGNORECASE)


def archive_kind(head: bytes, name: str) -> str:
    """The kind of archive that a file is by its first bytes, or by being one part of one; empty for none."""
    if _PART.search(name):
        return "part"
    for start, kind in _STARTS.items() if head[:1] in _FIRST else ():
        if head.startswith(start):
            return kind
    if streams.is_tar(head):
        return "tar"
    return "zip" if name.lower().endswith(".zip") else "7z" if name.lower().endswith(".7z") else ""


def open_archive(span: Span, kind: str, name: str, budget: Budget) -> Archive:
    """The archive in some bytes. Raises ArchiveError for a kind that cannot be unpacked."""
    match kind:
        case "zip":
            return zips.Zip(span, budget)
        case "7z":
            return sevens.Seven(span, budget)
        case "tar":
            return streams.Tar(span, budget)
        case "gz" | "bz2" | "xz":
            return streams.Packed(span, budget, kind, name)
        case "part":
            raise ArchiveError("is one part of several; join the parts first")
        case _:
            raise ArchiveError(f"is a {kind} archive, which Gribble cannot unpack; unpack it yourself")


class FoundMember:
    """One file met in an archive or in one nested in it: its path inside, and its content if it was chosen."""

    def __init__(self, path: str, member: Member, blocks: Iterator[bytes] | None) -> None:
        self.path = path
        self.member = member
        self.blocks = blocks


class Choice(Protocol):
    """What of an archive is of interest, by the path inside."""

    def wants(self, path: str, _member: Member, /) -> bool:
        """Whether the content of a member is wanted."""

    def enters(self, path: str) -> bool:
        """Whether a member that is an archive itself is to be looked into."""


def scan(path: Path, kind: str, choice: Choice, budget: Budget | None = None) -> Generator[FoundMember, None, None]:
    """Every file in an archive and in those nested in it, to a depth of three, in one pass over each; what comes out is
    taken from a `budget`, if there is one already.

    What cannot be read in a nested archive is a member with a fault. Raises ArchiveError for the outermost one.
    """
    with Span(path) as span:
        nested = Budget(NESTED, ArchiveError, span.size)
        way = _Way(choice, budget or budget_of(span), nested, NESTED_DEPTH)
        yield from _scan(span, kind, path.name, "", way)


class _Way(NamedTuple):
    """What is of interest in an archive, how much it may unpack to, and how large and deep archives may are in it."""

    choice: Choice
    budget: Budget
    nested: Budget
    depth: int


def _scan(span: Span, kind: str, name: str, prefix: str, way: _Way) -> Iterator[FoundMember]:
    archive, choice = open_archive(span, kind, name, way.budget), way.choice

    def nests(member: Member) -> bool:
        return may_nest(member) and choice.enters(prefix + member.name)

    for member, blocks in archive.scan(lambda member: choice.wants(prefix + member.name, member) or nests(member)):
        if member.as_it_can_be is not member:
            yield FoundMember(prefix + member.name[:MEMBER_NAME], member.as_it_can_be, None)
            continue
        path = prefix + member.name
        if blocks is not None and nests(member):
            yield from _scan_nested(path, member, blocks, way._replace(depth=way.depth - 1))
        else:
            yield FoundMember(path, member, blocks)


def may_be_archive(name: str) -> bool:
    """Whether a file is an archive, by its name alone."""
    return name.lower().endswith(_ENDINGS) or bool(_PART.search(name))


def may_be_listed(name: str) -> bool:
    """Whether a file is an archive with a directory at its end, by its name alone."""
    return name.lower().endswith((".zip", ".7z"))


def may_nest(member: Member) -> bool:
    """Whether a member is an archive itself, by its name."""
    return may_be_archive(member.name)


def _scan_nested(path: str, member: Member, blocks: Iterator[bytes], way: _Way) -> Iterator[FoundMember]:
    """An archive in an archive, held in memory while it is looked at."""
    fault, choice = "", way.choice
    if way.depth <= 0:
        fault = "is too deep in other archives; unpack the outer one yourself"
    elif (member.size or 0) > NESTED_BYTES:
        fault = f"is too large ({member.size:,} bytes) to look into inside an archive; unpack the outer one yourself"
    if fault:
        yield FoundMember(path, Member(member.name, member.size, member.crc32, fault), None)
        return
    data = bytearray()
    try:
        for block in blocks:
            if not data and not archive_kind(block[:HEAD_BYTES], ""):  # looked at before it is unpacked whole
                wanted = choice.wants(path, member)
                yield FoundMember(path, member, itertools.chain([block], blocks) if wanted else None)
                return
            data += block
            way.nested.take(len(block))
            if len(data) > NESTED_BYTES:
                raise ArchiveError(f"unpacks to more than {size_words(NESTED_BYTES)}; unpack the outer one yourself")
    except ArchiveError as error:
        yield FoundMember(path, Member(member.name, member.size, member.crc32, str(error)), None)
        return
    content = bytes(data)
    del data
    yield FoundMember(path, member, iter([content]) if choice.wants(path, member) else None)
    kind = archive_kind(content[:HEAD_BYTES], member.name)
    if not kind:
        return
    try:
        yield from _scan(Span(content), kind, member.name, f"{path}/", way)
    except ArchiveError as error:
        yield FoundMember(path, Member(member.name, member.size, member.crc32, str(error)), None)


def peek(path: str | Path) -> bytes:
    """The first bytes of a file. Raises OSError."""
    with open_raw(path) as stream:
        return stream.read(HEAD_BYTES)


def listing(path: str | Path, kind: str) -> list[Member] | None:
    """The members of an archive where its directory alone tells them quickly, else None; nested ones are not met.

    Raises ArchiveError.
    """
    if kind != "zip":
        return None
    with Span(path) as span:
        return [member.as_it_can_be for member in zips.list_zip(span, budget_of(span))]


def _nothing() -> Generator[FoundMember, None, None]:
    yield from ()


class MemberReader:
    """Reads members of archives for who asks for many: as long as they are asked for in an archive's order, it is gone
    through once, and all that is read of it comes out of one budget."""

    def __init__(self) -> None:
        self._path = Path()
        self._member = ""
        self._passing: Generator[FoundMember, None, None] = _nothing()
        self._budgets: dict[Path, Budget] = {}

    def blocks(self, path: Path, member: str) -> Iterator[bytes]:
        """The content of one member, by its path inside, block by block; no more of it once another is asked for.

        Raises ArchiveError and OSError.
        """
        again, why = path != self._path, f"{member} is no longer in it"
        self._member = member
        while True:
            if again:
                self.close()
                if path not in self._budgets:
                    with Span(path) as span:
                        self._budgets[path] = budget_of(span)
                self._path, kind = path, archive_kind(peek(path), path.name)
                self._passing = scan(path, kind, self, self._budgets[path])
            for found in self._passing:
                if found.path == member and found.blocks is not None:
                    yield from found.blocks
                    return
                if found.path == member and found.member.fault:
                    raise ArchiveError(found.member.fault)
                if found.member.fault and self.enters(found.path):
                    why = found.member.fault
            self.close()
            if again:
                raise ArchiveError(why)
            again = True  # it may lie before the one that was asked for last

    def close(self) -> None:
        """Let go of the archive that is open: another program, or a step, may want to replace it."""
        self._passing.close()
        self._passing, self._path = _nothing(), Path()

    def wants(self, path: str, _member: Member) -> bool:  # noqa: ARG002  (whatever may be asked for next)
        """Every content: which one is read is told by who asks."""
        return True

    def enters(self, path: str) -> bool:
        """An archive in which the member lies that is asked for."""
        return self._member.startswith(f"{path}/")


def member_blocks(path: Path, member: str) -> Iterator[bytes]:
    """The content of one member, by its path inside, block by block. Raises ArchiveError and OSError."""
    reader = MemberReader()
    try:
        yield from reader.blocks(path, member)
    finally:
        reader.close()
