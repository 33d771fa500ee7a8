"""Rosters: JSON Lines files with the sets that one release of an arcade emulator knows (docs/formats.md).

The first line says whose roster it is; each further line is one set.
"""

from __future__ import annotations

import errno
import io
import os
import re
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import msgspec

from gribble.core.base.budget import ROSTER, ROSTER_BYTES, size_words
from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import Mistake, reason_of
from gribble.core.base.paths import name_fault, path_fault, plain_paths
from gribble.core.base.regular import open_regular
from gribble.core.base.texts import encoding_of
from gribble.core.catalogue.outlines import LoadedSets
from gribble.core.records.roster import ArcadeSet, Roster, RosterHead

ROSTER_ENDING = ".roster.jsonl"
ROSTER_VERSION = 1
MOST_MISTAKES = 50
"""How many mistakes of one roster are told."""


UNREADABLE = (msgspec.MsgspecError, RecursionError, UnicodeDecodeError, OverflowError)
"""What the decoding of a line may raise."""
CHUNK_BYTES = 1 << 20
"""How many bytes of lines are decoded in one go."""

_UNKNOWN = re.compile(r"Object contains unknown field '(?P<key>.*?)'(?: - at '(?P<where>.*)')?$", re.DOTALL)
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
        """The first line; None where it is no head, or that of another version. Raises OSError."""
        line = self._stream.readline(1 << 16).removeprefix(b"\xef\xbb\xbf")
        try:
            head = _HEAD.decode(line)
        except UNREADABLE as error:
            coded = encoding_of(line)[1] != "utf-8"
            why = "it is written in UTF-16, and rosters are UTF-8" if coded else _say(error)
            self._mistakes.append(Mistake(self._path, "line 1", f"is no head of a roster: {why}"))
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
        """The sets of lines without any mistake; None where there is one, which only line by line can be told."""
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
                    self._mistakes.append(Mistake(self._path, f"line {number}", f"is no set: {_say(error)}"))
                continue
            if one.set in self._names:
                self._mistakes.append(
                    Mistake(self._path, f"line {number}", f'the set "{one.set}" stands there already')
                )
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
    """The roster in a file, all of it in memory, and its mistakes, each with its line; None where its head cannot be
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


def write_roster(head: RosterHead, sets: Iterable[ArcadeSet]) -> Iterator[bytes]:
    """The lines of a roster."""
    yield _ENCODER.encode(head) + b"\n"
    for one in sets:
        yield _ENCODER.encode(one) + b"\n"


def _say(error: Exception) -> str:
    words = str(error).replace("`", "'").replace("$.", "")
    if unknown := _UNKNOWN.match(words):
        where = f"{unknown['where']}: " if unknown["where"] else ""
        return f"{where}unknown key '{unknown['key']}'"
    return words
