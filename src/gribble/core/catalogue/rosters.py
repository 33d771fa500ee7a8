"""Rosters: JSON Lines files with the sets that one release of an arcade emulator knows (docs/formats.md).

The first line says whose roster it is; each further line is one set.
"""

from __future__ import annotations

import errno
import io
import os
import re
import struct
import zlib
from bisect import bisect_left
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from contextlib import suppress
from functools import cached_property
from pathlib import Path
from typing import Any, NamedTuple

import msgspec
from packaging.version import InvalidVersion, Version

from gribble.core.base.budget import ROSTER, ROSTER_BYTES, size_words
from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import Mistake, reason_of, record_fault
from gribble.core.base.names import title_key
from gribble.core.base.paths import name_fault, path_fault, plain_paths
from gribble.core.base.regular import encoding_of, open_regular
from gribble.core.records.roster import (
    ArcadeSet,
    ArcadeWorld,
    Content,
    FileSize,
    FileState,
    Outline,
    Roster,
    RosterHead,
    SetFile,
    Sets,
)

_MOST_SIZE = 1 << 32
"""From this size on, in bytes, a file is told by its digest alone, not in an outline."""
_GOOD = FileState.GOOD
NUMBER_BITS = 24
"""How many bits the number of a set takes."""


class Told(NamedTuple):
    """Some sets in outline, the sizes of their files, and by which contents each is found: the first 32 bits of a
    digest, behind which stands the set's number."""

    outlines: list[Outline]
    sizes: set[FileSize]
    found: list[int]


def tell(sets: Sequence[ArcadeSet], first: int = 0) -> Told:
    """What is told of some sets, which are numbered from the `first`. Most are plain: they are told in bulk, at a
    fraction of the cost."""
    plain = [one for one in sets if _is_plain(one)]
    files = [file for one in plain for file in one.files]
    sizes = [file.size or 0 for file in files]
    if (heads := _numbers([file.crc32 or "" for file in files], sizes)) is None:
        plain, files, sizes, heads = [], [], [], ()
    keys = [head << 32 | size for head, size in zip(heads, sizes, strict=True)]
    theirs = [file.parent_name is not None or file.bios_name is not None for file in files]
    told, start, waiting = Told([], _sizes_of(files), []), 0, iter(plain)
    following = next(waiting, None)
    for number, one in enumerate(sets, first):
        own: tuple[int, ...] | None = None
        shared: tuple[int, ...] | None = None
        if one is following:
            end = start + len(one.files)
            own, shared, is_theirs = tuple(keys[start:end]), (), theirs[start:end]
            told.found.extend([key >> 32 << NUMBER_BITS | number for key in own])
            if True in is_theirs:
                shared = tuple([key for key, other in zip(own, is_theirs, strict=True) if other])
                own = tuple([key for key, other in zip(own, is_theirs, strict=True) if not other])
            start, following = end, next(waiting, None)
        else:
            told.found.extend(head_of(content) << NUMBER_BITS | number for content in one.contents)
            told.sizes.update(_sizes_of(one.files))
        told.outlines.append(Outline(one.set, one.kind, one.plays, one.parent, one.bios, one.devices, own, shared))
    return told


def _is_plain(one: ArcadeSet) -> bool:
    """Whether every file of a set is required, and known by a CRC-32 and a size."""
    return not one.discs and not [
        file
        for file in one.files
        if file.crc32 is None
        or file.size is None
        or file.optional
        or file.choice is not None
        or file.variant is not None
        or file.state is not _GOOD
    ]


def _numbers(checksums: list[str], sizes: list[int]) -> Sequence[int] | None:
    """CRC-32s as numbers; None if one is malformed, and matches nothing, or a size is none of a file."""
    if not checksums or min(sizes) < 0 or max(sizes) >= _MOST_SIZE:
        return None if checksums else ()
    joined = "".join(checksums)
    with suppress(ValueError):
        packed = bytes.fromhex(joined)
        if packed.hex() == joined and set(map(len, checksums)) <= {8}:
            return struct.unpack(f">{len(checksums)}I", packed)
    return None


def _sizes_of(files: Sequence[SetFile]) -> set[FileSize]:
    """The sizes of some files that have one. Most have a CRC-32 and a SHA-1."""
    other = [one for one in files if not one.sha1 or one.sha256 is not None or one.crc32 is None]
    known = {(one.size, one.crc32 is not None, one.strongest()) for one in other}
    if len(other) < len(files):
        usual = [one for one in files if one.sha1 and one.sha256 is None and one.crc32 is not None] if other else files
        known |= {(size, True, "sha1") for size in {one.size for one in usual}}
    return {FileSize(size, crc32, strongest) for size, crc32, strongest in known if size}


def head_of(content: Content) -> int:
    """32 bits by which a content is found: the first of its digest, or made of what is said to be one."""
    digest = content[2]
    try:
        return int(digest[:8], 16) & 0xFFFFFFFF
    except ValueError:
        return zlib.crc32(digest.encode(errors="surrogatepass"))


class LoadedSets(Sets):
    """All sets of a roster in memory."""

    def __init__(self, sets: dict[str, ArcadeSet]) -> None:
        self._sets = sets

    def __getitem__(self, name: str) -> ArcadeSet:
        return self._sets[name]

    def __contains__(self, name: object) -> bool:
        return name in self._sets

    def __iter__(self) -> Iterator[str]:
        return iter(self._sets)

    def __len__(self) -> int:
        return len(self._sets)

    @cached_property
    def _told(self) -> Told:
        return tell(list(self._sets.values()))

    def outlines(self) -> Iterable[Outline]:
        """Every set in outline."""
        return self._told.outlines

    @cached_property
    def _keys(self) -> list[tuple[str, int, str]]:
        sets = enumerate(self._sets.values())
        return sorted((title_key(one.title), number, one.set) for number, one in sets if one.title)

    def with_key(self, key: str, *, begins: bool = False) -> list[str]:
        """The sets whose title has a key, or one that begins so, in order."""
        first = bisect_left(self._keys, (key,))
        last = bisect_left(self._keys, (key + (chr(0x10FFFF) if begins else "\0"),))
        return [name for _, name in sorted(one[1:] for one in self._keys[first:last])]

    def having(self, contents: Collection[Content]) -> Iterator[ArcadeSet]:
        """The sets that list one of some contents, in order."""
        wanted = frozenset(contents)
        return (one for one in self._sets.values() if not wanted.isdisjoint(one.contents))

    def sizes(self) -> Collection[FileSize]:
        """The sizes of files that a survey has to look out for."""
        return self._told.sizes


ROSTER_ENDING = ".roster.jsonl"
ROSTER_VERSION = 1
MOST_MISTAKES = 50
"""How many mistakes of one roster are told."""


UNREADABLE = (msgspec.MsgspecError, RecursionError, UnicodeDecodeError, OverflowError)
"""What the decoding of a line may raise."""
CHUNK_BYTES = 1 << 20
"""How many bytes of lines are decoded in one go."""

_HEAD = msgspec.json.Decoder(RosterHead)
_SET = msgspec.json.Decoder(ArcadeSet)
_RIGHT = {name: re.compile(f"[0-9a-f]{{{length}}}").fullmatch for name, length in HEX_LENGTHS.items()}
_ENCODER = msgspec.json.Encoder()


def open_roster(path: Path) -> io.BufferedReader:
    """The file of a roster. Raises OSError, for one that is too large, too."""
    stream = open_regular(path)
    if os.fstat(stream.fileno()).st_size > ROSTER_BYTES:
        stream.close()
        raise OSError(errno.EFBIG, f"is larger than {size_words(ROSTER_BYTES)}, which no roster is", os.fspath(path))
    return stream


def read_head(path: Path) -> RosterHead:
    """The first line of a roster. Raises OSError, or what is `UNREADABLE`."""
    with open_roster(path) as stream:
        return _HEAD.decode(stream.readline(1 << 16).removeprefix(b"\xef\xbb\xbf"))


def set_of(line: bytes) -> ArcadeSet:
    """The set in a line of a roster. Raises what is `UNREADABLE`."""
    return _SET.decode(line)


def sets_of(lines: Iterable[bytes]) -> list[ArcadeSet]:
    """The sets in some lines. Raises what is `UNREADABLE`."""
    return _SET.decode_lines(b"".join(lines))


class RosterReader:
    """Reads a roster from an open file, some lines at a time; `mistakes` are those met so far.

    A set with a mistake is left out. Only if `strict` names and digests are looked at one by one, which takes several
    times as long; a wrong digest matches nothing, and whoever writes under a name checks it first.
    """

    def __init__(self, stream: io.BufferedReader[Any], path: Path, *, strict: bool = False) -> None:
        self._stream, self._path, self._strict = stream, str(path), strict
        self._names: set[str] = set()
        self._line = 1
        self._mistakes: list[Mistake] = []

    @property
    def mistakes(self) -> list[Mistake]:
        """The first mistakes."""
        return self._mistakes[:MOST_MISTAKES]

    def head(self) -> RosterHead | None:
        """The first line; None if it is no head, or that of another version. Raises OSError."""
        line = self._stream.readline(1 << 16).removeprefix(b"\xef\xbb\xbf")
        try:
            head = _HEAD.decode(line)
        except UNREADABLE as error:
            coded = encoding_of(line)[1] != "utf-8"
            why = "it is written in UTF-16, and rosters are UTF-8" if coded else record_fault(error)
            self._mistakes.append(Mistake(self._path, "line 1", f"is not the first line of a roster: {why}"))
            return None
        if head.roster != ROSTER_VERSION:
            self._mistakes.append(
                Mistake(
                    self._path,
                    "line 1: roster",
                    f"this Gribble reads version {ROSTER_VERSION}, not {head.roster}",
                )
            )
            return None
        return head

    def sets(self) -> Iterator[tuple[list[bytes], list[ArcadeSet]]]:
        """The sets, some at a time, each with its line. Raises OSError."""
        met = 0
        while lines := self._lines():
            met += len(lines)
            if met > ROSTER.items:
                most, where = f"{ROSTER.items:,}", f"line {self._line + 1}"
                self._mistakes.append(Mistake(self._path, where, f"there are more than {most} sets before this line"))
                return
            yield self._all_right(lines) or self._one_by_one(lines)
            self._line += len(lines)

    def _lines(self) -> list[bytes]:
        """Some lines. A line that goes on without end ends the roster there, which is a mistake."""
        data = self._stream.read(CHUNK_BYTES)
        if data and not data.endswith(b"\n"):
            data += self._stream.readline(ROSTER.bytes)
            if not data.endswith(b"\n") and self._stream.peek(1):
                lines = io.BytesIO(data).readlines()
                most, where = size_words(ROSTER.bytes), f"line {self._line + len(lines)}"
                self._mistakes.append(Mistake(self._path, where, f"has more than {most}; the rest is left out"))
                while self._stream.read(CHUNK_BYTES):  # whoever keeps the roster knows it by all of it
                    pass
                return lines[:-1]
        return io.BytesIO(data).readlines()

    def _all_right(self, lines: list[bytes]) -> tuple[list[bytes], list[ArcadeSet]] | None:
        """The sets of lines without any mistake; None if there is one, which only line by line can be told."""
        try:
            sets = sets_of(lines) if not self._strict else []
        except UNREADABLE:
            return None
        names = {one.set for one in sets}
        if len(names) != len(lines) or len(sets) != len(lines) or not self._names.isdisjoint(names):
            return None
        self._names |= names
        return lines, sets

    def _one_by_one(self, lines: list[bytes]) -> tuple[list[bytes], list[ArcadeSet]]:
        right: tuple[list[bytes], list[ArcadeSet]] = [], []
        for number, line in enumerate(lines, self._line + 1):
            try:
                one = set_of(line)
            except UNREADABLE as error:
                if line.strip():
                    self._mistakes.append(Mistake(self._path, f"line {number}", f"is not a set: {record_fault(error)}"))
                continue
            if one.set in self._names:
                self._mistakes.append(Mistake(self._path, f"line {number}", f'the set "{one.set}" is there already'))
                continue
            faults = list(set_faults(one)) if self._strict else ()
            for fault in faults:
                self._mistakes.append(Mistake(self._path, f"line {number}", fault))
            if not faults:
                self._names.add(one.set)
                right[0].append(line)
                right[1].append(one)
        return right


def load_roster(path: Path, *, strict: bool = False) -> tuple[Roster | None, list[Mistake]]:
    """The roster in a file, all of it in memory, and its mistakes, each with its line; None if its head cannot be
    read. See `RosterReader` for what `strict` says."""
    try:
        with open_roster(path) as stream:
            reader = RosterReader(stream, path, strict=strict)
            head = reader.head()
            sets = {one.set: one for _, some in reader.sets() for one in some} if head else {}
    except OSError as error:
        return None, [Mistake(str(path), "", f"cannot be read: {reason_of(error)}")]
    return Roster(head, LoadedSets(sets), str(path)) if head else None, reader.mistakes


def set_faults(one: ArcadeSet, *, digests: bool = True) -> Iterator[str]:
    """What is wrong with one set by itself; its digests are looked at unless they are known to be well formed."""
    if fault := name_fault(one.set):
        yield f'the name "{one.set}" {fault}'
    if not plain_paths([file.name for file in one.files]):
        for file in one.files:
            if fault := path_fault(file.name):
                yield f'{one.set}: the file name "{file.name}" {fault}'
    for file in one.files if digests else ():
        for name, right in _RIGHT.items():
            digest = getattr(file, name)
            if digest is not None and not right(digest):
                yield f"{one.set}: {file.name}: {name} should have {HEX_LENGTHS[name]} hex digits in lower case"
    for disc in one.discs:
        if fault := name_fault(disc.name):
            yield f'{one.set}: the disc name "{disc.name}" {fault}'
    for name in (one.samples.set, *one.samples.files) if one.samples else ():
        if fault := name_fault(name):
            yield f'{one.set}: the sample name "{name}" {fault}'


def write_roster(head: RosterHead, sets: Iterable[ArcadeSet]) -> Iterator[bytes]:
    """The lines of a roster."""
    yield _ENCODER.encode(head) + b"\n"
    for one in sets:
        yield _ENCODER.encode(one) + b"\n"


Load = Callable[[Path], tuple[Roster | None, list[Mistake]]]
"""What has the roster in a file and its mistakes: `load_roster`, or a store's."""


def _first(error: Exception) -> str:
    return reason_of(error) if isinstance(error, OSError) else record_fault(error)


def choose_roster(
    paths: tuple[Path, ...], release: str | None, order: tuple[str, ...], load: Load = load_roster
) -> ArcadeWorld:
    """The roster of a release, else of the nearest older one, which is said; without a release the newest."""
    heads: list[tuple[RosterHead, Path]] = []
    mistakes = []
    for path in paths:
        try:
            heads.append((read_head(path), path))
        except (OSError, *UNREADABLE) as error:
            mistakes.append(Mistake(str(path), "line 1", f"is not the first line of a roster: {_first(error)}"))
    if not heads:
        return ArcadeWorld(roster=None, note="no roster says which sets there are", mistakes=tuple(mistakes))
    heads.sort(key=lambda pair: _age(pair[0].release, order))
    chosen, note = heads[-1], ""
    if release is not None:
        older = [pair for pair in heads if _age(pair[0].release, order) <= _age(release, order)]
        exact = [pair for pair in heads if pair[0].release == release]
        chosen = exact[0] if exact else older[-1] if older else heads[0]
        if not exact:
            note = f"no roster of release {release}; that of {chosen[0].release} is taken"
    roster, found = load(chosen[1])
    unread = tuple(path for head, path in reversed(heads) if path != chosen[1])
    return ArcadeWorld(roster=roster, unread=unread, note=note, mistakes=(*mistakes, *found))


def with_others(arcade: ArcadeWorld, load: Load = load_roster) -> ArcadeWorld:
    """The same with the rosters of the other releases read; one that cannot be read is left out."""
    others = tuple(roster for path in arcade.unread if (roster := load(path)[0]))
    return msgspec.structs.replace(arcade, others=(*arcade.others, *others), unread=())


def _age(release: str, order: tuple[str, ...]) -> tuple[int, Version]:
    """What releases are sorted by: the sheet's order, else PEP 440; what is unknown counts as newest."""
    if order:
        return (order.index(release) if release in order else len(order), Version("0"))
    try:
        return (0, Version(release))
    except InvalidVersion:
        return (1, Version("0"))
