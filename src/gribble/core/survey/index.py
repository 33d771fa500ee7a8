"""The index: what earlier surveys found out about files, in SQLite, so that nothing unchanged is read again.

A row is believed only while path, size, modification time, change time and inode are what they were, and only if the
file was at least two seconds old when it was read (a coarse clock could hide a later change). The index is never the
proof for a write.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
from pathlib import Path

import msgspec
from msgspec import Struct

from gribble.core.catalogue.records import Digests
from gribble.core.survey.walking import Entry

SETTLED_NS = 2_000_000_000
_SCHEMA = """
CREATE TABLE IF NOT EXISTS file_1 (
    path BLOB PRIMARY KEY, size INTEGER, modified INTEGER, changed INTEGER, inode INTEGER, read_at INTEGER,
    facts BLOB
) WITHOUT ROWID
"""


class KnownMember(Struct, frozen=True, array_like=True):
    """What is known of one member of an archive; the name as bytes, since names may not be text."""

    name: bytes
    size: int
    crc32: str
    fault: str
    digests: Digests


class Facts(Struct, frozen=True, array_like=True):
    """What reading a file has told: its digests and, of an archive, its members or why it has none."""

    digests: Digests = Digests()
    members: tuple[KnownMember, ...] | None = None
    fault: str = ""


class Index:
    """Facts by file, kept in a database file (or in memory, where `path` is None)."""

    def __init__(self, path: Path | None) -> None:
        self._encode = msgspec.msgpack.Encoder().encode
        self._decode = msgspec.msgpack.Decoder(Facts).decode
        self.note = ""
        try:
            self._database = self._open(path)
        except (sqlite3.DatabaseError, OSError) as error:
            self._database = self._start_anew(path, error)

    def _open(self, path: Path | None) -> sqlite3.Connection:
        if path is not None:
            path.parent.mkdir(parents=True, exist_ok=True)
        database = sqlite3.connect(path or ":memory:", timeout=10)
        try:
            database.execute("PRAGMA journal_mode = WAL")
            database.execute("PRAGMA synchronous = NORMAL")
            database.execute(_SCHEMA)
            database.execute("SELECT count(*) FROM (SELECT 1 FROM file_1 LIMIT 1)").fetchone()
        except sqlite3.DatabaseError:
            database.close()
            raise
        return database

    def _start_anew(self, path: Path | None, error: Exception) -> sqlite3.Connection:
        """A damaged index is put aside and begun again; one that cannot be written lives in memory."""
        if path is not None and not isinstance(error, (OSError, sqlite3.OperationalError)):
            self.note = f"the index {path} was damaged ({error}) and has been begun anew"
            with contextlib.suppress(OSError, sqlite3.DatabaseError):
                for ending in ("", "-wal", "-shm"):
                    Path(f"{path}{ending}").unlink(missing_ok=True)
                return self._open(path)
        self.note = f"the index {path} cannot be used ({error}); this run remembers nothing"
        return self._open(None)

    def below(self, root: Path) -> dict[bytes, tuple[Entry, int, bytes]]:
        """Every remembered file below a folder, by path bytes: its entry, when it was read, and its packed facts."""
        start = os.fsencode(root) + os.sep.encode()
        end = start[:-1] + bytes([start[-1] + 1])
        try:
            rows = self._database.execute(
                "SELECT path, size, modified, changed, inode, read_at, facts FROM file_1 WHERE path >= ? AND path < ?",
                (start, end),
            )
            return {row[0]: (Entry("", *row[1:5]), row[5], row[6]) for row in rows}
        except sqlite3.DatabaseError as error:
            self.note = f"the index cannot be read ({error}); files are read anew"
            return {}

    def believe(self, remembered: tuple[Entry, int, bytes] | None, entry: Entry) -> Facts | None:
        """The remembered facts, if they are certain to hold for the file as it is now."""
        if remembered is None:
            return None
        then, read_at, facts = remembered
        same = (then.size, then.modified, then.changed, then.inode) == (
            entry.size, entry.modified, entry.changed, entry.inode,
        )  # fmt: skip
        if not same or read_at - entry.modified < SETTLED_NS:
            return None
        try:
            return self._decode(facts)
        except msgspec.DecodeError:
            return None

    def remember(self, path: Path, entry: Entry, read_at: int, facts: Facts) -> None:
        """Keep the facts of a file that was read at a time (nanoseconds since 1970)."""
        row = (os.fsencode(path), entry.size, entry.modified, entry.changed, entry.inode, read_at, self._encode(facts))
        self._try("INSERT OR REPLACE INTO file_1 VALUES (?, ?, ?, ?, ?, ?, ?)", row)

    def save(self) -> None:
        """Make what was remembered last."""
        with contextlib.suppress(sqlite3.DatabaseError):
            self._database.commit()

    def close(self) -> None:
        """Save, and let go of the file."""
        self.save()
        self._database.close()

    def _try(self, statement: str, row: tuple[object, ...]) -> None:
        try:
            self._database.execute(statement, row)
        except sqlite3.DatabaseError as error:
            self.note = f"the index cannot be written ({error}); this run is remembered in part"
