"""The sets of a roster asked of its store."""

from __future__ import annotations

import contextlib
import hashlib
import io
import os
import secrets
import sqlite3
import zlib
from array import array
from bisect import bisect_left
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence, ValuesView
from functools import cached_property
from itertools import accumulate, count, repeat
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct

from gribble.core.base.changing import flush_file, remove, replace
from gribble.core.base.errors import Mistake
from gribble.core.base.names import title_key
from gribble.core.base.regular import NO_LINKS
from gribble.core.catalogue.rosters import (
    CHUNK_BYTES,
    NUMBER_BITS,
    UNREADABLE,
    LoadedSets,
    RosterReader,
    head_of,
    load_roster,
    set_of,
    sets_of,
    tell,
)
from gribble.core.records.roster import ArcadeSet, Content, FileSize, Outline, Roster, RosterHead, Sets

FORM = 4
"""The version of what a store holds; one of another version is made again."""
_PIECE_SETS = 64
_SCHEMA = """
PRAGMA page_size = 32768;
PRAGMA journal_mode = OFF;
PRAGMA synchronous = OFF;
PRAGMA locking_mode = EXCLUSIVE;
BEGIN;
"""
TABLES = {
    "about": "CREATE TABLE about (what TEXT PRIMARY KEY, value BLOB)",
    "name": (
        "CREATE TABLE name "
        "(number INTEGER PRIMARY KEY, name TEXT, title TEXT, start INTEGER, length INTEGER, piece INTEGER)"
    ),
    "names": "CREATE UNIQUE INDEX names ON name (name)",
    "titles": "CREATE INDEX titles ON name (title)",
    "piece": "CREATE TABLE piece (number INTEGER PRIMARY KEY, lines BLOB, outlines BLOB)",
}
"""All that a store is made of."""
_ENCODER = msgspec.msgpack.Encoder()


class Titled(Struct, frozen=True):
    """What the line of a set says first."""

    set: str = ""
    title: str = ""


class About(Struct, frozen=True):
    """What a store says of its roster."""

    head: RosterHead
    mistakes: tuple[Mistake, ...]
    sizes: tuple[FileSize, ...]
    contents_crc32: int


def name_of(digest: str) -> str:
    """What the store of a roster is called, by the SHA-1 of the roster's content."""
    return f"{digest}-{FORM}.sqlite"


def digest_of(stream: io.BufferedReader) -> str:
    """The SHA-1 of a roster's content. Raises OSError."""
    return hashlib.file_digest(stream, "sha1").hexdigest()


def make_store(
    folder: Path, stream: io.BufferedReader, path: Path, told: Callable[[int], None]
) -> tuple[str, list[Mistake]]:
    """Make the store of a roster in a folder: the digest of what was read; for a file that is no roster no digest, but
    its mistakes. `told` is how many bytes more are done. Raises OSError, sqlite3.DatabaseError."""
    part = folder / f"{secrets.token_hex(8)}.part"
    os.close(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | NO_LINKS, 0o600))
    try:
        digesting = _Digesting(stream, told)
        with io.BufferedReader(digesting, CHUNK_BYTES) as buffered:
            reader = RosterReader(buffered, path)
            if (head := reader.head()) is None:
                return "", reader.mistakes
            with contextlib.closing(sqlite3.connect(part, isolation_level=None)) as database:
                database.executescript(_SCHEMA)
                for name in ("about", "name", "piece"):
                    database.execute(TABLES[name])
                sizes, contents = _fill(database, reader)
                database.execute("INSERT INTO about VALUES ('contents', ?)", (contents,))
                about = About(head, tuple(reader.mistakes), tuple(sorted(sizes, key=str)), zlib.crc32(contents))
                database.execute("INSERT INTO about VALUES ('about', ?)", (msgspec.json.encode(about),))
                database.execute("COMMIT")
        with part.open("rb+") as written:
            flush_file(written.fileno())
        digest = digesting.digest.hexdigest()
        place = folder / name_of(digest)
        try:
            replace(part, place)
        except PermissionError:
            if not place.exists():  # else another Gribble has made the same one meanwhile, and has it open
                raise
    finally:
        remove(part, missing_ok=True)
    return digest, []


class _Digesting(io.RawIOBase):
    """A stream that is digested as it is read."""

    def __init__(self, stream: io.BufferedReader, told: Callable[[int], None]) -> None:
        self._stream, self._told = stream, told
        self.digest = hashlib.sha1(usedforsecurity=False)

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        count = self._stream.readinto(buffer)
        self.digest.update(memoryview(buffer)[:count])
        self._told(count)
        return count


def _fill(database: sqlite3.Connection, reader: RosterReader) -> tuple[set[FileSize], bytes]:
    """Write the sets; the sizes of their files, and by which contents each is found, in order."""
    found, sizes, number = array("Q"), set[FileSize](), 0
    for lines, sets in reader.sets():
        told = tell(sets, number)
        sizes |= told.sizes
        found.extend(told.found)
        for first in range(0, len(sets), _PIECE_SETS):
            piece, outlines = lines[first : first + _PIECE_SETS], told.outlines[first : first + _PIECE_SETS]
            ends = list(accumulate(map(len, piece), initial=0))
            keys = [title_key(one.title) for one in sets[first : first + _PIECE_SETS]]
            rows = zip(count(number), [one.set for one in outlines], keys, ends, map(len, piece), repeat(number))
            database.executemany("INSERT INTO name VALUES (?, ?, ?, ?, ?, ?)", rows)
            values = (number, b"".join(piece), _ENCODER.encode(outlines))
            database.execute("INSERT INTO piece VALUES (?, ?, ?)", values)
            number += len(piece)
    database.execute(TABLES["names"])
    database.execute(TABLES["titles"])
    return sizes, array("Q", sorted(found)).tobytes()


_BY_NAME = """
SELECT substr(piece.lines, name.start + 1, name.length) FROM name, piece
WHERE name.name = ? AND piece.number = name.piece
"""
_LAST = chr(0x10FFFF)
_BY_TITLE = """
SELECT substr(piece.lines, name.start + 1, name.length) FROM name, piece
WHERE name.title >= ? AND name.title < ? AND piece.number = name.piece ORDER BY name.title LIMIT ?
"""
_TITLED = msgspec.json.Decoder(Titled)
_SOME = 100
"""Of a roster of which so many sets are found by content, all names are read at once."""
_OUTLINES = msgspec.msgpack.Decoder(list[Outline])
_MOST_BYTES = 256 << 20
"""No row of a store is longer, in bytes."""
_MANY = 5000
"""Of a roster of which so many sets are asked for, all are read at once, which is quicker from there on."""


def _connected(place: Path) -> sqlite3.Connection:
    """A store, which nobody ever changes. Raises sqlite3.DatabaseError."""
    address = f"{place.absolute().as_uri()}?mode=ro&immutable=1"
    database = sqlite3.connect(address, uri=True, isolation_level=None, check_same_thread=False)
    database.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, _MOST_BYTES)
    return database


def names_in(place: Path, beginning: str, most: int) -> list[str]:
    """Some names of sets in a store that begin like this, in order, else the titles that do. Raises
    sqlite3.DatabaseError and what is `UNREADABLE`."""
    with contextlib.closing(_connected(place)) as database:
        question = "SELECT name FROM name WHERE name >= ? AND name < ? ORDER BY name LIMIT ?"
        if found := [name for (name,) in database.execute(question, (beginning, beginning + _LAST, most))]:
            return found
        key = title_key(beginning)
        lines = database.execute(_BY_TITLE, (key, key + _LAST, most)) if key else ()
        return list(dict.fromkeys(_TITLED.decode(line).title for (line,) in lines))


def open_store(place: Path, path: Path) -> tuple[Roster, list[Mistake]]:
    """A roster asked of its store. Raises sqlite3.DatabaseError, OSError and what is `UNREADABLE`."""
    database = _connected(place)
    there = database.execute("SELECT name, sql FROM sqlite_master WHERE sql IS NOT NULL ORDER BY name").fetchall()
    if there != sorted(TABLES.items()):
        database.close()
        raise sqlite3.DatabaseError("is no store")  # a view, say, could keep whoever asks it busy for ever
    (data,) = database.execute("SELECT value FROM about WHERE what = 'about'").fetchone()
    about = msgspec.json.decode(data, type=About)
    return Roster(about.head, StoredSets(database, about, path), str(path)), [
        msgspec.structs.replace(one, file=str(path)) for one in about.mistakes
    ]


class StoredSets(Sets):
    """The sets of a roster asked of its store; what has been asked once is kept.

    Should the store turn out to be damaged, the roster is read from its file after all.
    """

    def __init__(self, database: sqlite3.Connection, about: About, path: Path) -> None:
        self._database, self._about, self._path = database, about, path
        self._known: dict[str, ArcadeSet] = {}
        self._complete = False

    def close(self) -> None:
        """Let go of the file."""
        self._database.close()

    @cached_property
    def _file(self) -> Sets:
        """The roster's own file, read where the store is damaged."""
        roster = load_roster(self._path)[0]
        return roster.sets if roster else LoadedSets({})

    def _ask(self, question: str, *values: object) -> list[Any] | None:
        """The rows that answer a question; None if the store is damaged."""
        try:
            return self._database.execute(question, values).fetchall()
        except UnicodeEncodeError:  # what somebody typed, or a disk has, and no roster
            return []
        except sqlite3.DatabaseError:
            return None

    def __getitem__(self, name: str) -> ArcadeSet:
        if (one := self._known.get(name)) is not None:
            return one
        if self._complete:
            raise KeyError(name)
        if len(self._known) >= _MANY:
            self._read_all()
            return self[name]
        rows = self._ask(_BY_NAME, name)
        if rows == []:
            raise KeyError(name)
        with contextlib.suppress(*UNREADABLE):
            one = set_of(rows[0][0]) if rows else None
        self._known[name] = one = one or self._file[name]
        return one

    def _read_all(self) -> None:
        """Make all sets known at once."""
        rows = self._ask("SELECT lines FROM piece ORDER BY number")
        try:
            sets = [one for lines in rows for one in sets_of(lines)] if rows is not None else self._file.values()
        except UNREADABLE:
            sets = self._file.values()
        self._known, self._complete = {one.set: one for one in sets}, True

    def values(self) -> ValuesView[ArcadeSet]:
        """Every set, all of them read at once."""
        if not self._complete:
            self._read_all()
        return self._known.values()

    def __contains__(self, name: object) -> bool:
        if name in self._known or self._complete:
            return name in self._known
        rows = self._ask("SELECT 1 FROM name WHERE name = ?", name)
        return bool(rows) if rows is not None else name in self._file

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)

    @cached_property
    def _names(self) -> list[str]:
        rows = self._ask("SELECT name FROM name ORDER BY number")
        return [name for (name,) in rows] if rows is not None else list(self._file)

    def _name(self, number: int) -> str:
        """The name of a set by its number, without all others."""
        rows = self._ask("SELECT name FROM name WHERE number = ?", number)
        return rows[0][0] if rows else self._names[number]

    def outlines(self) -> Iterable[Outline]:
        """Every set in outline."""
        return self._outlines

    @cached_property
    def _outlines(self) -> Iterable[Outline]:
        rows = self._ask("SELECT outlines FROM piece ORDER BY number")
        with contextlib.suppress(*UNREADABLE):
            if rows is not None:
                return [one for (data,) in rows for one in _OUTLINES.decode(data)]
        return self._file.outlines()

    def with_key(self, key: str, *, begins: bool = False) -> list[str]:
        """The sets whose title has a key, or one that begins so, in order."""
        asked = "title >= ? AND title < ?" if begins else "title = ?"
        values = (key, key + chr(0x10FFFF)) if begins else (key,)
        rows = self._ask(f"SELECT name FROM name WHERE {asked} ORDER BY number", *values)
        return [name for (name,) in rows] if rows is not None else self._file.with_key(key, begins=begins)

    def having(self, contents: Collection[Content]) -> Iterator[ArcadeSet]:
        """The sets that list one of some contents, in order."""
        wanted = frozenset(contents)
        if (found := self._found) is None:
            yield from self._file.having(wanted)
            return
        numbers: set[int] = set()
        for head in set(map(head_of, wanted)):
            at = bisect_left(found, head << NUMBER_BITS)
            while at < len(found) and found[at] >> NUMBER_BITS == head:
                numbers.add(found[at] & ((1 << NUMBER_BITS) - 1))
                at += 1
        if len(numbers) > _MANY and not self._complete:
            self._read_all()
        name_of = self._names.__getitem__ if len(numbers) > _SOME else self._name
        for number in sorted(numbers):
            one = self[name_of(number)]
            if not wanted.isdisjoint(one.contents):
                yield one

    @cached_property
    def _found(self) -> Sequence[int] | None:
        """By which contents sets are found, and their numbers; None if the store is damaged."""
        rows = self._ask("SELECT value FROM about WHERE what = 'contents'")
        if not rows or zlib.crc32(rows[0][0]) != self._about.contents_crc32:
            return None
        return memoryview(rows[0][0]).cast("Q")

    def sizes(self) -> Collection[FileSize]:
        """The sizes of files that a survey has to look out for."""
        return self._about.sizes
