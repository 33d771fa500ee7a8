"""The index: what earlier surveys found out about files, in SQLite, so that nothing unchanged is read again.

What is remembered is believed only while path, size, modification time, change time and inode are what they were, and
only if the file was at least two seconds old when it was read (a coarse clock could hide a later change). An inode says
nothing if a listing has none (Windows), nor on volumes that number their files again at each mounting (FAT, shares);
Windows' "change time" is that of creation. The index is never the proof for a write. It has a row for each file, and is
only ever written row by row.
"""

from __future__ import annotations

import contextlib
import errno
import os
import sqlite3
from collections.abc import Callable, Container, Iterable, Iterator, Mapping
from functools import cached_property
from pathlib import Path
from types import MappingProxyType
from typing import Any

import msgspec
from msgspec import Struct, structs

from gribble.core.base.changing import remove
from gribble.core.base.digests import NO_DIGESTS, Digests
from gribble.core.base.names import ANY_NAME
from gribble.core.base.paths import is_link
from gribble.core.base.regular import NO_LINKS
from gribble.core.files.volumes import is_share, keeps_inodes, unchanged
from gribble.core.survey.facts import PLAIN, Facts, keep, kept
from gribble.core.survey.walking import Entry, merged, packed_state, told_of, unpacked_state

_PROOFS = """
CREATE TABLE IF NOT EXISTS proof_2 (folder INTEGER, name BLOB, state BLOB, digests BLOB, read INTEGER, looked INTEGER,
    PRIMARY KEY (folder, name)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS round_1 (of TEXT PRIMARY KEY, begun INTEGER);
"""
_BELOW = """
SELECT folder_2.path, name, state, digests, read, looked FROM folder_2 JOIN proof_2 ON proof_2.folder = folder_2.id
WHERE (path = ? OR (path > ? AND path < ?)) AND typeof(name) = 'blob' AND instr(name, x'00') = 0
"""
_DIGESTS = msgspec.msgpack.Decoder(Digests)
_ENCODE = msgspec.msgpack.Encoder().encode


class Proof(Struct, frozen=True, gc=False):
    """What a file was when it was read whole at a time (nanoseconds since 1970; 0: nobody knows when): its size, times
    and inode, and digests of all of it. `looked` is when that was last tried, be it that it failed or found another
    content."""

    entry: Entry
    digests: Digests
    read: int
    looked: int

    def follows(self, former: Proof) -> bool:
        """Whether this one may take the place of a former: not where the content is another under the same date, which
        somebody has to be told."""
        if (self.entry.size, self.entry.modified) != (former.entry.size, former.entry.modified):
            return True
        return self.digests.agrees(former.digests)


class Proofs:
    """The proofs in a database; whoever makes it deals with sqlite3.DatabaseError."""

    def __init__(self, database: sqlite3.Connection) -> None:
        self._database = database

    def below(self, root: bytes) -> Iterator[tuple[str, Proof]]:
        """The proofs of all files below a folder, with their paths relative to it."""
        start = len(root) + 1
        for folder, name, *told in self._database.execute(_BELOW, (root, root + b"/", root + b"0")):
            path = os.fsdecode(folder[start:] + b"/") if len(folder) >= start else ""
            if proof := _proof(path + name.decode("utf-8", ANY_NAME), *told):
                yield proof.entry.path, proof

    def keep(self, folder: int, proofs: Iterable[Proof]) -> None:
        """Keep proofs of files in a folder, by its number, where they may follow those that are there."""
        for proof in proofs:
            name = proof.entry.path.rpartition("/")[2].encode("utf-8", ANY_NAME)
            question = "SELECT state, digests, read, looked FROM proof_2 WHERE folder = ? AND name = ?"
            row = self._database.execute(question, (folder, name)).fetchone()
            former = _proof(proof.entry.path, *row) if row else None
            if former is None or proof.follows(former):
                digests = merged(former.digests, proof.digests) if former and _same(former, proof) else proof.digests
                values = (folder, name, packed_state(proof.entry), _ENCODE(digests), proof.read, proof.looked)
                self._database.execute("INSERT OR REPLACE INTO proof_2 VALUES (?, ?, ?, ?, ?, ?)", values)

    def read_at(self, folder: bytes, name: bytes) -> int:
        """When a file was last read whole, in nanoseconds since 1970; 0 if nobody knows."""
        question = "SELECT read FROM proof_2 JOIN folder_2 ON folder = id WHERE path = ? AND name = ?"
        return _time(self._database.execute(question, (folder, name)).fetchone())

    def look(self, folder: int, name: bytes, when: int) -> None:
        """Note that a file was looked at, and not proven."""
        self._database.execute("UPDATE proof_2 SET looked = ? WHERE folder = ? AND name = ?", (when, folder, name))

    def drop(self, folder: int, name: bytes) -> None:
        """Forget the proof of a file that is gone."""
        self._database.execute("DELETE FROM proof_2 WHERE folder = ? AND name = ?", (folder, name))

    def begun(self, of: str) -> int:
        """When a round of scrubbing was begun that has not come to its end, in nanoseconds since 1970; 0 for none."""
        return _time(self._database.execute("SELECT begun FROM round_1 WHERE of = ?", (_text(of),)).fetchone())

    def begin(self, of: str, when: int) -> None:
        """Note that a round was begun; 0 that it has come to its end."""
        self._database.execute("DELETE FROM round_1 WHERE of = ?", (_text(of),))
        if when:
            self._database.execute("INSERT INTO round_1 VALUES (?, ?)", (_text(of), when))


def _text(path: str) -> str:
    """A path so that SQLite takes it, whatever its bytes are."""
    return path.encode(errors="backslashreplace").decode()


def _time(row: tuple[object, ...] | None) -> int:
    """The time in a row; 0 if there is none, or what no version of ours wrote."""
    return row[0] if row and isinstance(row[0], int) else 0


def _same(former: Proof, proof: Proof) -> bool:
    return (former.entry.size, former.entry.modified) == (proof.entry.size, proof.entry.modified)


def _proof(path: str, state: bytes, digests: bytes, read: object, looked: object) -> Proof | None:
    """A proof as it was kept; None if that makes no sense."""
    try:
        size, modified, changed, inode = unpacked_state(state)
        known = _DIGESTS.decode(digests) if digests else NO_DIGESTS
        return Proof(Entry(path, size, modified, changed, inode), known, int(str(read)), int(str(looked)))
    except (ValueError, msgspec.MsgspecError, TypeError):
        return None


MOST_ROW = 16 << 20
"""The longest list of members that is remembered, in bytes; an archive with a longer one is read again each time."""
SETTLED_NS = 2_000_000_000
FINE_NS, COARSE_NS = 12_000_000, 1_000_000
"""A proof is one as soon as a file is older than the grain of a fine clock (a tick of the system, 10 ms at most), which
shows in what its times end on."""
MOST_MADE = 100_000
"""Of more attempts to make something out of files none is remembered."""
NEVER = -1
"""A change time that no file has."""
_SCHEMA = """
PRAGMA synchronous = NORMAL;
DROP TABLE IF EXISTS folder_1;
CREATE TABLE IF NOT EXISTS folder_2 (id INTEGER PRIMARY KEY, path BLOB UNIQUE);
CREATE TABLE IF NOT EXISTS made_1 (what BLOB PRIMARY KEY, digests BLOB) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS file_2 (folder INTEGER, name BLOB, state BLOB, said BLOB, members BLOB, sketch BLOB,
    PRIMARY KEY (folder, name)) WITHOUT ROWID;
"""
_RIGHT = f"""
typeof(name) = 'blob' AND instr(name, x'00') = 0 AND typeof(state) = 'blob'
AND coalesce(length(members), 0) <= {MOST_ROW}
"""
"""What no row of ours lacks, whoever has had a hand in the file."""
_FOLDERS = """
SELECT path, id FROM folder_2 WHERE (path = ? OR (path > ? AND path < ?))
AND EXISTS (SELECT 1 FROM file_2 WHERE folder = id)
"""
_ROWS = f"""
SELECT name, state, said, members, sketch FROM file_2
WHERE folder = ? AND {_RIGHT}
ORDER BY name
"""


_EVERYTHING = f"""
SELECT folder_2.path, name, state, said, members, sketch FROM folder_2 JOIN file_2 ON file_2.folder = folder_2.id
WHERE (path = ? OR (path > ? AND path < ?)) AND {_RIGHT}
ORDER BY path, name
"""


def _ready(path: Path | None, *settings: str) -> sqlite3.Connection:
    """A database with the index's tables, in a file or in memory, under some settings. Raises sqlite3.DatabaseError."""
    database = sqlite3.connect(path or ":memory:", timeout=10)
    try:
        for setting in settings:
            database.execute(f"PRAGMA {setting}").fetchall()
        database.executescript(_SCHEMA + _PROOFS)
        database.execute("SELECT count(*) FROM (SELECT 1 FROM file_2 LIMIT 1)").fetchone()
    except sqlite3.DatabaseError:
        database.close()
        raise
    return database


class Index:
    """Facts by file, kept in a database file (or in memory, where `path` is None)."""

    def __init__(self, path: Path | None) -> None:
        self.note = ""
        try:
            self._database = self._open(path)
        except (sqlite3.DatabaseError, OSError) as error:
            self._database = self._start_anew(path, error)

    def _open(self, path: Path | None) -> sqlite3.Connection:
        if path is not None:
            path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            for ending in ("", "-wal", "-shm", "-journal"):
                if is_link(f"{path}{ending}"):
                    raise OSError(errno.ELOOP, "is a link, and Gribble does not follow links to its own files")
            if not path.exists():
                return self._begin(path)
        try:
            return _ready(path)
        except sqlite3.OperationalError as error:
            if error.sqlite_errorcode == sqlite3.SQLITE_BUSY:
                raise
            # Perhaps it was made where it could share memory, and cannot here.
            return _ready(path, "locking_mode = EXCLUSIVE", "journal_mode = DELETE", "locking_mode = NORMAL")

    def _begin(self, path: Path) -> sqlite3.Connection:
        """A new index. Where processes have no memory in common, or several machines may have it at once, it keeps its
        journal in a file of its own (SQLite's "Write-Ahead Logging", 1)."""
        os.close(os.open(path, os.O_WRONLY | os.O_CREAT | NO_LINKS, 0o600))
        if not is_share(path.parent):
            with contextlib.suppress(sqlite3.OperationalError):
                return _ready(path, "journal_mode = WAL")
        return _ready(path)

    def _start_anew(self, path: Path | None, error: Exception) -> sqlite3.Connection:
        """A damaged index is put aside and begun again; one that cannot be written lives in memory."""
        if path is not None and not isinstance(error, (OSError, sqlite3.OperationalError)):
            self.note = f"the index {path} was damaged ({error}), so Gribble made a new one"
            with contextlib.suppress(OSError, sqlite3.DatabaseError):
                for ending in ("", "-wal", "-shm", "-journal"):
                    remove(Path(f"{path}{ending}"), missing_ok=True)
                return self._open(path)
        self.note = f"the index {path} cannot be used ({error}); this run remembers nothing"
        return self._open(None)

    def memory(self, root: Path | str, *, blank: bool = False, at: Path | None = None) -> Memory:
        """What is remembered of the files below a folder or an address, which lies `at` another place now; `blank`
        begins with nothing, and remembers over it."""
        return Memory(self, os.fsencode(root), blank=blank, at=at)

    def folders(self, root: bytes) -> dict[bytes, int]:
        """The folders at and below one that have files which are remembered, with their numbers."""
        return dict(self._ask(_FOLDERS, root, root + b"/", root + b"0"))

    def rows(self, folder: int) -> list[tuple[Any, ...]]:
        """What is remembered of the files of a folder."""
        return self._ask(_ROWS, folder)

    def everything(self, root: bytes) -> list[tuple[Any, ...]]:
        """What is remembered of all files at and below a folder, with the folder of each, in order."""
        return self._ask(_EVERYTHING, root, root + b"/", root + b"0")

    def knows(self, root: str) -> bool:
        """Whether files of a folder are remembered."""
        return bool(self.folders(os.fsencode(root)))

    def forget(self, folders: Iterable[int], *, proofs: bool = False) -> None:
        """Forget the files of folders that are no more; with their `proofs`, too, nobody is told that they are gone."""
        with self._writing() as database:
            for folder in folders:
                database.execute("DELETE FROM file_2 WHERE folder = ?", (folder,))
                if proofs:
                    database.execute("DELETE FROM proof_2 WHERE folder = ?", (folder,))

    @contextlib.contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        """What is written within is there as a whole, or not at all, and noted."""
        try:
            with self._database:
                yield self._database
        except (sqlite3.DatabaseError, OverflowError) as error:
            self.note = f"the index cannot be written ({error}); this run is remembered in part"

    def _ask(self, question: str, *values: object) -> list[Any]:
        try:
            return self._database.execute(question, values).fetchall()
        except sqlite3.DatabaseError as error:
            self.note = f"the index cannot be read ({error}), so Gribble reads the files again"
            return []

    def write(
        self,
        rows: dict[bytes, list[tuple[object, ...]]],
        gone: dict[bytes, list[bytes]],
        proofs: dict[bytes, list[Proof]],
        dropped: Mapping[bytes, Iterable[bytes]] = MappingProxyType({}),
        looked: Mapping[bytes, Iterable[tuple[bytes, int]]] = MappingProxyType({}),
    ) -> None:
        """Remember files by folder with the proofs of those that were read whole; forget those that are no more, and
        proofs that are `dropped`. What was `looked` at, and when, is not proven."""
        keeper = Proofs(self._database)
        with self._writing() as database:
            for path in rows.keys() | gone.keys() | proofs.keys() | looked.keys():
                database.execute("INSERT OR IGNORE INTO folder_2 (path) VALUES (?)", (path,))
                (folder,) = database.execute("SELECT id FROM folder_2 WHERE path = ?", (path,)).fetchone()
                names = ((folder, name) for name in gone.get(path, ()))
                database.executemany("DELETE FROM file_2 WHERE folder = ? AND name = ?", names)
                database.executemany(
                    "INSERT OR REPLACE INTO file_2 VALUES (?, ?, ?, ?, ?, ?)",
                    ((folder, *row) for row in rows.get(path, ())),
                )
                keeper.keep(folder, proofs.get(path, ()))
                for name in dropped.get(path, ()):
                    keeper.drop(folder, name)
                for name, when in looked.get(path, ()):
                    keeper.look(folder, name, when)

    def note_round(self, of: str, begun: int) -> None:
        """Note that a round of scrubbing was begun, in nanoseconds since 1970; 0 that it has come to its end."""
        with self._writing():
            self.proofs.begin(of, begun)

    def made(self, what: bytes) -> object:
        """What came of an attempt, as it was noted; None if nothing is remembered of it."""
        rows = self._ask("SELECT digests FROM made_1 WHERE what = ?", what)
        return rows[0][0] if rows else None

    def note_made(self, made: Mapping[bytes, bytes]) -> None:
        """Remember what came of some attempts."""
        with self._writing() as database:
            if database.execute("SELECT count(*) FROM made_1").fetchone()[0] + len(made) > MOST_MADE:
                database.execute("DELETE FROM made_1")
            database.executemany("INSERT OR REPLACE INTO made_1 VALUES (?, ?)", made.items())

    @property
    def proofs(self) -> Proofs:
        """The proofs of files that were read whole."""
        return Proofs(self._database)

    def close(self) -> None:
        """Let go of the file."""
        self._database.close()


def _facts(row: tuple[Any, ...]) -> Facts | None:
    return PLAIN if row[2] is None else kept(*row[2:])


def holds_files_of(path: Path | None, root: str) -> bool:
    """Whether the index in a file remembers files of a folder. Nothing is written, nothing repaired."""
    if path is None or not os.path.isfile(path):
        return False
    try:
        with contextlib.closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)) as database:
            beyond = (os.fsencode(root), os.fsencode(root) + b"/", os.fsencode(root) + b"0")
            return database.execute(_FOLDERS, beyond).fetchone() is not None
    except sqlite3.DatabaseError:
        return False


class Memory:
    """What is remembered of the files below one folder, asked folder by folder."""

    def __init__(self, index: Index, root: bytes, *, blank: bool = False, at: Path | None = None) -> None:
        self._index, self._root, self._at = index, root, at
        self._folders = {} if blank else index.folders(root)
        self._rows: dict[bytes, list[tuple[object, ...]]] = {}
        self._gone: dict[bytes, list[bytes]] = {}
        self._proofs: dict[bytes, list[Proof]] = {}

    def _key(self, folder: str) -> bytes:
        return self._root + b"/" + os.fsencode(folder) if folder else self._root

    def believe(self, folder: str, entries: list[Entry], *, whole: bool = False) -> list[Facts | None]:
        """For each file of a folder the remembered facts, if they are certain to hold for it as it is now.

        Where these are the `whole` folder, what else is remembered of it is forgotten.
        """
        key = self._key(folder)
        number = self._folders.get(key)
        remembered = self._index.rows(number) if number is not None else []
        if not remembered:
            return [None] * len(entries)
        start = len(folder) + 1 if folder else 0
        names = [entry.path[start:].encode("utf-8", ANY_NAME) for entry in entries]
        states = list(map(packed_state, entries))
        if names == [row[0] for row in remembered] and states == [row[1] for row in remembered]:
            return [_facts(row) for row in remembered]  # nothing has changed, as in most folders
        rows = {row[0]: row for row in remembered}
        believed: list[Facts | None] = []
        for entry, name, state in zip(entries, names, states, strict=True):
            row = rows.pop(name, None)
            believed.append(_facts(row) if row is not None and self._holds(row[1], state, entry) else None)
        if whole and rows:
            self._gone[key] = list(rows)
        return believed

    def _holds(self, state: bytes, now: bytes, entry: Entry) -> bool:
        """Whether a file is in the state in which it was remembered."""
        if state == now:
            return True
        try:
            return unchanged(unpacked_state(state), told_of(entry), lambda: self._keeps_inodes)
        except ValueError:
            return False

    @cached_property
    def _keeps_inodes(self) -> bool:
        return keeps_inodes(self._at or Path(os.fsdecode(self._root)))

    def everything(self) -> Iterator[tuple[Entry, Facts | None]]:
        """Every file that is remembered, as it was, with its facts."""
        start = len(self._root) + 1
        for folder, name, state, *told in self._index.everything(self._root):
            path = os.fsdecode(folder[start:] + b"/") if len(folder) >= start else ""
            try:
                size, modified, changed, inode = unpacked_state(state)
                entry = Entry(path + name.decode("utf-8", ANY_NAME), size, modified, changed, inode)
            except ValueError:
                continue  # which no version of ours wrote
            yield entry, _facts((name, state, *told))

    def keep_only(self, there: Container[str], exists: Callable[[str], bool]) -> None:
        """Forget the folders that were not met and do not exist any more."""
        start = len(self._root) + 1
        names = {os.fsdecode(key[start:]): number for key, number in self._folders.items()}
        gone = [number for name, number in names.items() if name not in there and not exists(name)]
        if gone:
            self._index.forget(gone)

    def remember(self, entry: Entry, read_at: int, facts: Facts, *, whole: bool = False) -> None:
        """Keep the facts of a file that was read at a time (nanoseconds since 1970), and a proof where it was read
        `whole`. Facts of one that was not settled then are never believed, but say what was there."""
        told = keep(facts)
        folder, _, name = entry.path.rpartition("/")
        age = read_at - entry.modified
        if len(told[1] or b"") <= MOST_ROW:
            state = packed_state(entry if age >= SETTLED_NS else structs.replace(entry, changed=NEVER))
            self._rows.setdefault(self._key(folder), []).append((name.encode("utf-8", ANY_NAME), state, *told))
        fine = entry.modified % COARSE_NS != 0 and age >= FINE_NS
        if whole and (age >= SETTLED_NS or fine):
            self._proofs.setdefault(self._key(folder), []).append(Proof(entry, facts.digests, read_at, read_at))

    def save(self) -> None:
        """Make what was remembered last."""
        if self._rows or self._gone or self._proofs:
            self._index.write(self._rows, self._gone, self._proofs)
            self._rows, self._gone, self._proofs = {}, {}, {}
