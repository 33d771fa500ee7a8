"""The index: what earlier surveys found out about files, in SQLite, so that nothing unchanged is read again.

What is remembered is believed only while path, size, modification time, change time and inode are what they were, and
only if the file was at least two seconds old when it was read (a coarse clock could hide a later change). The index is
never the proof for a write.
"""

from __future__ import annotations

import contextlib
import errno
import os
import sqlite3
from collections.abc import Callable
from pathlib import Path

import msgspec
from msgspec import Struct

from gribble.core.base.digests import Digests
from gribble.core.base.regular import NO_LINKS
from gribble.core.survey.walking import Entry

MOST_ROW = 16 << 20
"""The longest row of a folder, in bytes; what would not fit is read again each time."""
SETTLED_NS = 2_000_000_000
_SCHEMA = "CREATE TABLE IF NOT EXISTS folder_1 (folder BLOB PRIMARY KEY, files BLOB) WITHOUT ROWID"


class KnownMember(Struct, frozen=True, array_like=True):
    """What is known of one member of an archive; the name as bytes, since names may not be text.

    `size` is in bytes, None while neither the archive claims it nor anybody has read the member. `beyond` is how many
    bytes of it were read before it was left, since nothing so long was wanted; 0 where it was not.
    """

    name: bytes
    size: int | None
    crc32: str
    fault: str
    digests: Digests
    beyond: int = 0


class Facts(Struct, frozen=True, array_like=True, gc=False):
    """What reading a file has told: its digests and, of an archive, its members or why it has none.

    `kind` is the kind of archive, empty for none, None where nobody has looked.
    """

    digests: Digests = Digests()
    kind: str | None = None
    members: tuple[KnownMember, ...] | None = None
    fault: str = ""


class _Remembered(Struct, frozen=True, array_like=True, gc=False):
    """The state of a file when it was read, and what that told."""

    size: int
    modified: int
    changed: int
    inode: int
    read_at: int
    facts: Facts


class Index:
    """Facts by file, a row for each folder, kept in a database file (or in memory, where `path` is None)."""

    def __init__(self, path: Path | None) -> None:
        self.note = ""
        try:
            self._database = self._open(path)
        except (sqlite3.DatabaseError, OSError) as error:
            self._database = self._start_anew(path, error)

    def _open(self, path: Path | None) -> sqlite3.Connection:
        if path is not None:
            path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            for ending in ("", "-wal", "-shm"):
                if os.path.islink(f"{path}{ending}"):
                    raise OSError(errno.ELOOP, "is a link, and what is Gribble's own is never reached through one")
            if not path.exists():
                os.close(os.open(path, os.O_WRONLY | os.O_CREAT | NO_LINKS, 0o600))
        database = sqlite3.connect(path or ":memory:", timeout=10)
        try:
            database.execute("PRAGMA journal_mode = WAL")
            database.execute("PRAGMA synchronous = NORMAL")
            database.execute(_SCHEMA)
            database.execute("SELECT count(*) FROM (SELECT 1 FROM folder_1 LIMIT 1)").fetchone()
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

    def memory(self, root: Path | str, *, blank: bool = False) -> Memory:
        """What is remembered of the files below a folder or an address; `blank` begins with nothing, and remembers
        over it."""
        packed: dict[bytes, bytes] = {}
        start = os.fsencode(root)
        try:
            if not blank:
                rows = self._database.execute(
                    "SELECT folder, files FROM folder_1 WHERE (folder = ? OR (folder > ? AND folder < ?)) "
                    "AND typeof(files) = 'blob' AND length(files) <= ?",
                    (start, start + b"/", start + b"0", MOST_ROW),
                )
                packed = dict(rows.fetchall())
        except sqlite3.DatabaseError as error:
            self.note = f"the index cannot be read ({error}); files are read anew"
        return Memory(start, packed, self._save)

    def _save(self, rows: list[tuple[bytes, bytes]]) -> None:
        try:
            with self._database:
                self._database.executemany("INSERT OR REPLACE INTO folder_1 VALUES (?, ?)", rows)
        except sqlite3.DatabaseError as error:
            self.note = f"the index cannot be written ({error}); this run is remembered in part"

    def close(self) -> None:
        """Let go of the file."""
        self._database.close()


class Memory:
    """What is remembered of the files below one folder, unpacked folder by folder as it is asked for."""

    def __init__(
        self, root: bytes, packed: dict[bytes, bytes], save: Callable[[list[tuple[bytes, bytes]]], None]
    ) -> None:
        self._root = root
        self._packed = packed
        self._save = save
        self._decode = msgspec.msgpack.Decoder(dict[bytes, _Remembered]).decode
        self._folders: dict[str, dict[bytes, _Remembered]] = {}
        self._changed: set[str] = set()

    def _files(self, folder: str) -> dict[bytes, _Remembered]:
        files = self._folders.get(folder)
        if files is None:
            try:
                files = self._decode(self._packed.pop(self._key(folder), b"\x80"))
            except (msgspec.DecodeError, UnicodeDecodeError, RecursionError, OverflowError):
                files = {}
            self._folders[folder] = files
        return files

    def _key(self, folder: str) -> bytes:
        return self._root + b"/" + os.fsencode(folder) if folder else self._root

    def believe(self, folder: str, entries: list[Entry]) -> list[Facts | None]:
        """For each file of a folder the remembered facts, if they are certain to hold for it as it is now."""
        recall = self._files(folder).get
        start = len(folder) + 1 if folder else 0
        believed: list[Facts | None] = []
        for entry in entries:
            then = recall(entry.path[start:].encode("utf-8", "surrogateescape"))
            sure = (
                then is not None
                and then.changed == entry.changed
                and then.size == entry.size
                and then.modified == entry.modified
                and then.inode == entry.inode
                and then.read_at - then.modified >= SETTLED_NS
            )
            believed.append(then.facts if sure and then else None)
        return believed

    def remember(self, entry: Entry, read_at: int, facts: Facts) -> None:
        """Keep the facts of a file that was read at a time (nanoseconds since 1970)."""
        folder, _, name = entry.path.rpartition("/")
        self._files(folder)[name.encode("utf-8", "surrogateescape")] = _Remembered(
            entry.size, entry.modified, entry.changed, entry.inode, read_at, facts
        )
        self._changed.add(folder)

    def save(self) -> None:
        """Make what was remembered last."""
        if self._changed:
            encode = msgspec.msgpack.Encoder().encode
            rows = [(self._key(folder), encode(self._folders[folder])) for folder in sorted(self._changed)]
            self._save([row for row in rows if len(row[1]) <= MOST_ROW])
            self._changed.clear()
