"""Rosters in a form that can be asked: a SQLite file for each, so that of a large one only what is asked is read.

A store is named by the digest of the roster's content and the version of its form, is made whole beside its place
before it takes it, and is never changed after that: two commands at once, a kill, a full disk and a roster that is
replaced meanwhile all find a whole one or none. Where none can be kept, the roster is read from its file.
"""

from __future__ import annotations

import contextlib
import errno
import io
import os
import sqlite3
import time
from pathlib import Path
from typing import Protocol

import msgspec
from msgspec import Struct

from gribble.core.base.errors import Mistake, reason_of
from gribble.core.base.filewriter import note_record, read_record
from gribble.core.base.paths import is_link
from gribble.core.catalogue.rosters import UNREADABLE, load_roster, open_roster
from gribble.core.catalogue.storedsets import StoredSets, digest_of, make_store, name_of, names_in, open_store
from gribble.core.files.volumes import keeps_inodes, unchanged
from gribble.core.records.roster import Roster

SETTLED_NS = 2_000_000_000
"""A roster that was changed later than so long before it was read may change again without a trace."""
STORES_FOLDER = "rosters"
"""What the folder of the stores is called, beside the index."""
_OLD_PART_SECONDS = 3600


class Listener(Protocol):
    """Who is told how far the making of a store has come."""

    def expect(self, bytes_: int) -> None:
        """So many more bytes are going to be read."""

    def advance(self, bytes_: int) -> None:
        """So many bytes have been read."""


class _Seen(Struct, frozen=True, array_like=True):
    """A roster's file as it was when its digest was computed; times in nanoseconds since 1970."""

    size: int
    modified: int
    changed: int
    inode: int
    read_at: int
    digest: str

    @staticmethod
    def of(status: os.stat_result, read_at: int, digest: str) -> _Seen:
        """A file as it was before it was read."""
        return _Seen(status.st_size, status.st_mtime_ns, status.st_ctime_ns, status.st_ino, read_at, digest)

    def holds(self, status: os.stat_result, folder: Path) -> bool:
        """Whether a file in a folder is certain to be as it was."""
        now = (status.st_size, status.st_mtime_ns, status.st_ctime_ns, status.st_ino)
        settled = self.read_at - self.modified >= SETTLED_NS
        return settled and unchanged(
            (self.size, self.modified, self.changed, self.inode), now, lambda: keeps_inodes(folder)
        )


class _Notes(Struct, frozen=True):
    """The rosters whose digests are known, by path, and the stores as they were made, by name: size, time of the last
    change of content and of anything, inode."""

    rosters: dict[str, _Seen] = {}
    stores: dict[str, tuple[int, int, int, int]] = {}


class RosterStore:
    """Where rosters are asked for, each made ready once; `note` is what is to be said of stores that cannot be kept."""

    def __init__(self, folder: Path | None) -> None:
        """Stores are in a folder of Gribble's own; without one every roster is read from its file."""
        self._folder = folder
        self._loaded: dict[Path, tuple[Roster | None, list[Mistake]]] = {}
        self.note = ""

    def load(self, path: Path, listener: Listener | None = None) -> tuple[Roster | None, list[Mistake]]:
        """The roster in a file and its mistakes, as `load_roster` has them; the same for as long as a command runs."""
        if path not in self._loaded:
            self._loaded[path] = self._load(path, listener)
        return self._loaded[path]

    def _load(self, path: Path, listener: Listener | None) -> tuple[Roster | None, list[Mistake]]:
        if self._folder is None:
            return load_roster(path)
        try:
            self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            if is_link(self._folder):
                raise OSError(errno.ELOOP, "is a link, and Gribble does not follow links to its own files")
            with open_roster(path) as stream:
                return self._stored(self._folder, path, stream, listener)
        except (OSError, sqlite3.DatabaseError, msgspec.MsgspecError, OverflowError, MemoryError) as error:
            found = load_roster(path)
            if found[0] is not None:
                words = reason_of(error) if isinstance(error, OSError) else error
                self.note = f"the rosters cannot be kept in {self._folder} ({words}); they are read whole each time"
            return found

    def _stored(
        self, folder: Path, path: Path, stream: io.BufferedReader, listener: Listener | None
    ) -> tuple[Roster | None, list[Mistake]]:
        """A roster by its store, which is made first where there is none. Raises OSError, sqlite3.DatabaseError."""
        memo, status, now = _Memo(folder), os.fstat(stream.fileno()), time.time_ns()
        digest, fresh = memo.digest(path, status), None
        if digest is None and memo.stores:
            fresh = _Seen.of(status, now, digest_of(stream))
            digest = fresh.digest
            stream.seek(0)
        if digest and memo.is_as_made(digest):
            if fresh:
                memo.note(path, fresh)
            with contextlib.suppress(sqlite3.DatabaseError, OSError, *UNREADABLE):
                return open_store(folder / name_of(digest), path)
        if listener:
            listener.expect(status.st_size)
        digest, mistakes = make_store(folder, stream, path, listener.advance if listener else lambda _done: None)
        if not digest:
            return None, mistakes
        memo.note(path, _Seen.of(status, now, digest), made=True)
        return open_store(folder / name_of(digest), path)

    def names(self, path: Path, beginning: str, most: int) -> list[str] | None:
        """Some names of sets that begin like this, as far as the roster's store is at hand; None if it is not.

        Nothing is made or written, and nothing raised.
        """
        with contextlib.suppress(sqlite3.DatabaseError, OSError, *UNREADABLE):
            if self._folder is not None:
                memo = _Memo(self._folder)
                digest = memo.digest(path, path.stat())
                if digest and memo.is_as_made(digest):
                    return names_in(self._folder / name_of(digest), beginning, most)
        return None

    def close(self) -> None:
        """Let go of the stores."""
        for roster, _ in self._loaded.values():
            if roster and isinstance(roster.sets, StoredSets):
                roster.sets.close()
        self._loaded.clear()


class _Memo:
    """What is remembered of rosters and stores, in a small file beside the stores."""

    def __init__(self, folder: Path) -> None:
        self._folder, self._place = folder, folder / "known.json"
        self._notes = _notes_of(read_record(self._place))

    @property
    def stores(self) -> bool:
        """Whether any store is remembered."""
        return bool(self._notes.stores)

    def digest(self, path: Path, status: os.stat_result) -> str | None:
        """The digest of a roster's file; None if it may have changed since that was computed."""
        seen = self._notes.rosters.get(os.path.abspath(path))
        return seen.digest if seen and seen.holds(status, path.parent) else None

    def is_as_made(self, digest: str) -> bool:
        """Whether the store of a roster is there, and nobody has changed it since it was made."""
        with contextlib.suppress(OSError):
            made = self._notes.stores.get(name_of(digest))
            return made is not None and unchanged(
                made, _state(self._folder / name_of(digest)), lambda: keeps_inodes(self._folder)
            )
        return False

    def note(self, path: Path, seen: _Seen, *, made: bool = False) -> None:
        """Remember a roster, and its store if that was `made`; rosters that are no more are forgotten, their stores are
        removed, and so is what a kill has left. Where this cannot be written, there is only more to do the next time.
        Raises OSError if the store is gone."""
        new = {name_of(seen.digest): _state(self._folder / name_of(seen.digest))} if made else {}

        def changed(found: object) -> object:
            before = _notes_of(found)
            rosters = {name: one for name, one in before.rosters.items() if os.path.exists(name)}
            rosters[os.path.abspath(path)] = seen
            needed = {name_of(one.digest) for one in rosters.values()}
            stores = {name: one for name, one in before.stores.items() if name in needed}
            if made:
                self._clear(needed)
            self._notes = _Notes(rosters, {**stores, **new})
            return msgspec.to_builtins(self._notes)

        note_record(self._place, changed, flushed=False)

    def _clear(self, needed: set[str]) -> None:
        for other in self._folder.iterdir():
            with contextlib.suppress(OSError):
                old = other.suffix == ".part" and time.time() - other.lstat().st_mtime > _OLD_PART_SECONDS
                if old or (other.suffix == ".sqlite" and other.name not in needed):
                    other.unlink()


def _notes_of(found: object) -> _Notes:
    """What a memo says; nothing if it is none."""
    try:
        return msgspec.convert(found, _Notes)
    except UNREADABLE:
        return _Notes()


def _state(place: Path) -> tuple[int, int, int, int]:
    """What a store's file is told by. Raises OSError."""
    status = place.lstat()
    return status.st_size, status.st_mtime_ns, status.st_ctime_ns, status.st_ino
