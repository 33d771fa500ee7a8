"""Proofs: when each file was last read whole, and what its digests were then, so that what changes without a new date
is noticed. Kept in the index's database, beside what surveys know, and outlasting it.
"""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterable, Iterator

import msgspec
from msgspec import Struct

from gribble.core.base.digests import NO_DIGESTS, Digests
from gribble.core.base.names import ANY_NAME
from gribble.core.survey.limits import merged
from gribble.core.survey.walking import Entry, packed_state, unpacked_state

SCHEMA = """
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
        """When a file was last read whole, in nanoseconds since 1970; 0 where nobody knows."""
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
        return _time(self._database.execute("SELECT begun FROM round_1 WHERE of = ?", (of,)).fetchone())

    def begin(self, of: str, when: int) -> None:
        """Note that a round was begun; 0 that it has come to its end."""
        self._database.execute("DELETE FROM round_1 WHERE of = ?", (of,))
        if when:
            self._database.execute("INSERT INTO round_1 VALUES (?, ?)", (of, when))


def _time(row: tuple[object, ...] | None) -> int:
    """The time in a row; 0 where there is none, or what no version of ours wrote."""
    return row[0] if row and isinstance(row[0], int) else 0


def _same(former: Proof, proof: Proof) -> bool:
    return (former.entry.size, former.entry.modified) == (proof.entry.size, proof.entry.modified)


def _proof(path: str, state: bytes, digests: bytes, read: object, looked: object) -> Proof | None:
    """A proof as it was kept; None where that makes no sense."""
    try:
        size, modified, changed, inode = unpacked_state(state)
        known = _DIGESTS.decode(digests) if digests else NO_DIGESTS
        return Proof(Entry(path, size, modified, changed, inode), known, int(str(read)), int(str(looked)))
    except (ValueError, msgspec.MsgspecError, TypeError):
        return None
