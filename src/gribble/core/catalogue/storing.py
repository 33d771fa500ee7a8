"""Making the store of a roster: its lines in pieces, each set in outline, and which set has which contents."""

from __future__ import annotations

import contextlib
import hashlib
import io
import os
import secrets
import sqlite3
import zlib
from array import array
from collections.abc import Callable
from itertools import accumulate, count, repeat
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct

from gribble.core.base.changing import flush_file, remove, replace
from gribble.core.base.errors import Mistake
from gribble.core.base.regular import NO_LINKS
from gribble.core.catalogue.outlines import tell
from gribble.core.catalogue.rosters import CHUNK_BYTES, RosterReader
from gribble.core.records.roster import FileSize, RosterHead

FORM = 2
"""The version of what a store holds; one of another version is made anew."""
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
    "name": "CREATE TABLE name (number INTEGER PRIMARY KEY, name TEXT, start INTEGER, length INTEGER, piece INTEGER)",
    "names": "CREATE UNIQUE INDEX names ON name (name)",
    "piece": "CREATE TABLE piece (number INTEGER PRIMARY KEY, lines BLOB, outlines BLOB)",
}
"""All that a store is made of."""
_ENCODER = msgspec.msgpack.Encoder()


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
            rows = zip(count(number), [one.set for one in outlines], ends, map(len, piece), repeat(number))
            database.executemany("INSERT INTO name VALUES (?, ?, ?, ?, ?)", rows)
            values = (number, b"".join(piece), _ENCODER.encode(outlines))
            database.execute("INSERT INTO piece VALUES (?, ?, ?)", values)
            number += len(piece)
    database.execute(TABLES["names"])
    return sizes, array("Q", sorted(found)).tobytes()
