"""What reading a file has told: its digests and, of an archive, its members, all of them or in a sketch."""

from __future__ import annotations

import zlib
from array import array
from collections.abc import Iterator, Sequence

import msgspec
from msgspec import Struct

from gribble.core.base.digests import NO_DIGESTS, Digests
from gribble.core.base.names import ANY_NAME
from gribble.core.base.paths import base, climb_fault, fold, plain_names
from gribble.core.records.holding import Holding, Holdings, Skipped, Why
from gribble.core.survey.walking import Entry

UNREADABLE = (msgspec.MsgspecError, UnicodeDecodeError, RecursionError, OverflowError, TypeError)
"""What the decoding of something remembered may raise."""
_MOST_SIZE = 1 << 32
_COLUMNS = 4
_CRC_DIGITS = 8
_ENCODE = msgspec.msgpack.Encoder().encode


class KnownMember(Struct, frozen=True, array_like=True, gc=False):
    """What is known of one member of an archive; the name as bytes, since names may not be text.

    `size` is in bytes, None while neither the archive claims it nor anybody has read the member. `beyond` is how many
    bytes of it were read before it was left, since nothing so long was wanted; 0 if it was not.
    """

    name: bytes
    size: int | None
    crc32: str
    fault: str
    digests: Digests
    beyond: int = 0


_MEMBERS = msgspec.msgpack.Decoder(tuple[KnownMember, ...])


class Sketch(Struct, frozen=True, gc=False):
    """An archive of which nothing matters but what its directory says: its members as they are remembered, and in four
    columns 32 bits for each one's CRC-32, size, stem and ending. What no sketch has, no member is."""

    packed: bytes
    columns: bytes

    def _column(self, number: int) -> memoryview[int]:
        length = len(self.columns) // _COLUMNS
        return memoryview(self.columns)[number * length : (number + 1) * length].cast("I")

    @property
    def checksums(self) -> memoryview[int]:
        """The members' CRC-32s."""
        return self._column(0)

    @property
    def sizes(self) -> memoryview[int]:
        """Their sizes in bytes."""
        return self._column(1)

    @property
    def stems(self) -> memoryview[int]:
        """Their names up to the first dot, folded, as `word_of` has them."""
        return self._column(2)

    @property
    def endings(self) -> memoryview[int]:
        """What stands behind the last dot of their names, folded, as `word_of` has it."""
        return self._column(3)

    def unpacked(self) -> tuple[KnownMember, ...]:
        """The members. Raises what msgspec does if it was no sketch."""
        return _MEMBERS.decode(self.packed)


class Facts(Struct, frozen=True, gc=False):
    """What reading a file has told: its digests and, of an archive, its members or why it has none.

    `kind` is the kind of archive, empty for none, None if nobody has looked. The members are all there, or a sketch
    stands for them.
    """

    digests: Digests = NO_DIGESTS
    kind: str | None = None
    members: tuple[KnownMember, ...] | None = None
    fault: str = ""
    sketch: Sketch | None = None

    @property
    def looked_into(self) -> bool:
        """Whether the members are known."""
        return self.members is not None or self.sketch is not None

    def unpacked(self) -> Facts:
        """The same with all members."""
        if self.sketch is None:
            return self
        return Facts(self.digests, self.kind, self.sketch.unpacked(), self.fault)

    def sketched(self) -> Facts:
        """The same with a sketch of its members, if nothing of them matters but what their archive's directory says."""
        if not self.members or (columns := _columns(self.members)) is None:
            return self
        return Facts(self.digests, self.kind, None, self.fault, Sketch(_ENCODE(self.members), columns))


def _columns(members: Sequence[KnownMember]) -> bytes | None:
    """What a sketch has of members; None if something else of one matters."""
    paths = [member.name.decode("utf-8", ANY_NAME) for member in members]
    if not plain_names([member.name for member in members]) and any(map(climb_fault, paths)):
        return None  # which has to be said
    checksums, sizes = array("I"), array("I")
    for member in members:
        if member.fault or member.beyond or member.size is None or not 0 <= member.size < _MOST_SIZE:
            return None
        if len(member.crc32) != _CRC_DIGITS or member.digests != NO_DIGESTS:
            return None
        checksums.append(int(member.crc32, 16))
        sizes.append(member.size)
    names = [fold(base(path)) for path in paths]
    stems = array("I", [word_of(name.partition(".")[0]) for name in names])
    endings = array("I", [word_of(name.rpartition(".")[2]) for name in names])
    return b"".join(column.tobytes() for column in (checksums, sizes, stems, endings))


def word_of(folded: str) -> int:
    """32 bits by which a folded word is found."""
    return zlib.crc32(folded.encode("utf-8", "surrogatepass"))


class Kept(Struct, frozen=True, array_like=True, gc=False):
    """What the index keeps of facts beside the members."""

    digests: Digests
    kind: str | None
    fault: str
    members: bool


_KEPT = msgspec.msgpack.Decoder(Kept)
PLAIN = Facts(kind="")
"""What most files are: no archive, and of no size that matters."""


def keep(facts: Facts) -> tuple[bytes | None, bytes | None, bytes | None]:
    """Facts as the index keeps them: of most files nothing."""
    if facts == PLAIN:
        return None, None, None
    said = _ENCODE(Kept(facts.digests, facts.kind, facts.fault, facts.looked_into))
    if facts.sketch:
        return said, facts.sketch.packed, facts.sketch.columns
    return said, None if facts.members is None else _ENCODE(facts.members), None


def kept(said: object, packed: object, columns: object) -> Facts | None:
    """Facts that were kept; None if they make no sense."""
    if said is None:
        return PLAIN
    try:
        there = _KEPT.decode(said)  # type: ignore[arg-type]
        if not there.members:
            return Facts(there.digests, there.kind, None, there.fault)
        if columns is None:
            return Facts(there.digests, there.kind, _MEMBERS.decode(packed), there.fault)  # type: ignore[arg-type]
    except UNREADABLE:
        return None
    if not isinstance(packed, bytes) or not isinstance(columns, bytes) or len(columns) % (4 * _COLUMNS):
        return None
    return Facts(there.digests, there.kind, None, there.fault, Sketch(packed, columns))


class Survey(Struct, frozen=True):
    """What one folder holds, and what was passed over and why; its folders, and where the links in it lead."""

    root: str
    holdings: Holdings
    skipped: tuple[Skipped, ...]
    folders: frozenset[str] = frozenset()
    links: dict[str, str] = {}


class MetFile(Struct, gc=False):
    """One file under survey: what is known of it, and why it was passed over, if it was."""

    entry: Entry
    facts: Facts
    everything: bool
    any_size: bool = False
    read_at: int = 0
    bytes_read: int = 0
    told: int = 0  # bytes of progress told so far
    fault: str = ""
    whole: bool = False  # all of it has been read now


def unread_holding(rig: str, root: str, entry: Entry) -> Holding:
    """A file of which nobody has to know more than that it is there."""
    path, size = entry.path, entry.size
    return Holding(rig=rig, root=root, path=path, member=None, size=size, digests=NO_DIGESTS, fixed=entry.fixed)


def loose_holding(root: str, rig: str, file: MetFile) -> Holding:
    """The file itself as a holding."""
    entry = file.entry
    return Holding(
        rig=rig,
        root=root,
        path=entry.path,
        member=None,
        size=entry.size,
        digests=file.facts.digests,
        fixed=entry.fixed,
    )


def member_holdings(root: str, rig: str, file: MetFile) -> Iterator[Holding]:
    """The members of an archive as holdings."""
    path = file.entry.path
    for member in file.facts.members or ():
        size, crc32, digests = member.size, member.crc32, member.digests
        if member.fault or size is None:
            continue
        carried = bool(crc32) and not digests.crc32
        if carried:
            digests = Digests(crc32=crc32, md5=digests.md5, sha1=digests.sha1, sha256=digests.sha256)
        name = member.name.decode("utf-8", ANY_NAME)
        yield Holding(rig=rig, root=root, path=path, member=name, size=size, digests=digests, carried=carried)


def notes_of(file: MetFile) -> Iterator[Skipped]:
    """What was passed over in one file, and why."""
    path, facts = file.entry.path, file.facts
    if file.fault or facts.fault:
        yield Skipped(path, file.fault or facts.fault, kind=Why.UNREAD if file.fault else Why.CONTENT)
    members = facts.members or ()
    plain = plain_names([member.name for member in members])
    for member in members:
        if member.beyond:
            why = f"is longer than anything that is wanted; left after {member.beyond:,} bytes"
            yield Skipped(path, why, member.name.decode("utf-8", ANY_NAME))
        if member.fault or not plain:
            name = member.name.decode("utf-8", ANY_NAME)
            if why := member.fault or _name_note(name):
                yield Skipped(path, why, name)


def _name_note(name: str) -> str:
    fault = climb_fault(name)
    return f"its name {fault}; the content is looked at, the name is never used to write" if fault else ""
