"""Files as they arrive: who says that something changes in a folder, and when a file has come to rest.

A file has come to rest when its size and time have stood still for two seconds and it opens. What programs call a
download that is not whole yet is waited for, and so is the file beside which such a one lies.
"""

from __future__ import annotations

import os
import re
import stat
import threading
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from queue import SimpleQueue
from typing import NamedTuple, Protocol

from msgspec import Struct

from gribble.core.base.changing import WINDOWS, at_any_length
from gribble.core.base.errors import package
from gribble.core.base.names import is_litter, is_trash
from gribble.core.base.paths import MEMORY_FOLDER, is_work_file
from gribble.core.base.regular import open_regular
from gribble.core.files.volumes import is_share
from gribble.core.survey.walking import Entry, Folder


class Tally(Struct):
    """What a survey has cost: files met, files opened, bytes read."""

    files: int = 0
    opened: int = 0
    bytes_read: int = 0


class Listener(Protocol):
    """Who is told of a survey's progress."""

    def expect(self, bytes_: int) -> None:
        """So many more bytes are going to be read."""

    def advance(self, bytes_: int) -> None:
        """So many bytes have been read."""

    def say(self, words: str) -> None:
        """What is going on now, where bytes do not tell it."""


class Ground(Protocol):
    """A rig on another machine, as a survey needs it: little is asked of it, and nothing twice."""

    root: str
    """Its address."""

    def away(self) -> str:
        """Why it cannot be reached now; empty if it can."""

    def walk(self) -> Iterator[Folder]:
        """Every file, folder by folder, with size and time as far as the server says; neither change time nor inode.

        Raises GribbleError if the connection is lost.
        """

    def dated(self, entry: Entry) -> Entry:
        """An entry with its time, where the listing had none but the server has."""

    def fetch(self, path: str, progress: Callable[[int], None] | None = None) -> Path:
        """A copy of a file on this machine. Raises OSError."""

    def directory(self, entry: Entry) -> Path | None:
        """A file that is the archive where its directory is, and empty elsewhere; None if that cannot be had."""

    def part(self, path: str, offset: int, length: int) -> bytes:
        """Some bytes of a file, fewer where it ends before. Raises OSError."""

    def let_go(self, path: str) -> None:
        """The copy of a file is not needed now; a small one may be kept for later."""

    def folds_case(self, volume: str) -> bool:
        """Whether it takes two spellings of a name for one: by the kind of volume, else tried on a name it listed."""


REST_SECONDS = 2.0
"""How long a file's size and time have to stand still."""
LOOK_MS = 1000
"""Where the system tells of no changes: how often to look, in milliseconds."""
LOOKED_AT_A_MS = 20
"""So many files give a millisecond between two looks: those at 100,000 are five seconds apart."""
_STEP_MS, _GATHER_MS = 200, 400
"""How often the system is asked for what it has to tell, and how long what belongs together is gathered."""
_PARTIAL = re.compile(r"\.(part|partial|crdownload|download|opdownload|tmp|temp|filepart)$", re.IGNORECASE)
_BESIDE = (".part", ".partial", ".crdownload", ".filepart")

State = tuple[int, int]
"""What has to stand still: a file's size in bytes, and its time in nanoseconds since 1970."""
BUSY: State = (-1, 0)
"""The state of a file that is not whole yet."""


def is_partial(name: str) -> bool:
    """Whether programs call a download that is not whole yet like this."""
    return _PARTIAL.search(name) is not None


def is_of_interest(path: str) -> bool:
    """Whether a path is a file of the user's: none of Gribble's own, no litter, nothing that was thrown away, and no
    download that is not whole yet."""
    *folders, name = path.replace(os.sep, "/").split("/")
    if MEMORY_FOLDER in folders or any(map(is_trash, folders)):
        return False
    return not (is_litter(name) or is_work_file(name) or is_partial(name))


class Arrivals:
    """Files that have changed and are not known to have come to rest."""

    def __init__(self, glance: Callable[[str], State | None]) -> None:
        """`glance` tells a file's state: None if there is none, `BUSY` where it is not whole yet."""
        self._glance = glance
        self._waiting: dict[str, tuple[State | None, float]] = {}
        self._told: dict[str, State] = {}

    def __len__(self) -> int:
        return len(self._waiting)

    def touch(self, path: str, now: float) -> None:
        """Something has changed at a place, at a time in seconds by a clock that never jumps."""
        self._waiting[path] = (self._glance(path), now)

    def at_rest(self, now: float) -> list[str]:
        """The files that have come to rest, each once as it is now; what is no longer there is forgotten."""
        rested = []
        for path, (state, since) in list(self._waiting.items()):
            there = self._glance(path)
            if there != state or there == BUSY:
                self._waiting[path] = (there, now)
            elif now - since >= REST_SECONDS:
                del self._waiting[path]
                if there is None:
                    self._told.pop(path, None)
                elif self._told.get(path) != there:
                    self._told[path] = there
                    rested.append(path)
        return sorted(rested)


def glance(path: str) -> State | None:
    """The state of a regular file: busy where it does not open, or a part of it is still to come beside it."""
    place = at_any_length(Path(path))
    try:
        status = os.stat(place)
        if not stat.S_ISREG(status.st_mode):
            return None
        if any(os.path.lexists(f"{place}{ending}") for ending in _BESIDE):
            return BUSY
    except OSError:
        return None
    try:
        with open_regular(place):
            return status.st_size, status.st_mtime_ns
    except PermissionError:
        return BUSY if WINDOWS else None  # there, whoever writes it may keep others from it
    except OSError:
        return None


def files_at(path: str) -> Iterator[str]:
    """A file, or all files in a folder, which can come whole."""
    if not os.path.isdir(path) or os.path.islink(path):
        yield path
        return
    for folder, folders, names in os.walk(path):
        folders[:] = [name for name in folders if name != MEMORY_FOLDER and not is_trash(name)]
        yield from (os.path.join(folder, name) for name in names)


class Word(NamedTuple):
    """Word of a watched folder: what changed in it, or (None) that it is watched no more."""

    root: Path
    paths: frozenset[str] | None


class FolderWatch:
    """Watches one folder in a thread of its own, by the system's events; where there are none (shares, or too many
    folders), by looking every second, or more seldom where that takes long."""

    def __init__(self, root: Path, changes: SimpleQueue[Word], *, look: bool = False, files: int = 0) -> None:
        """`look` does so whatever the system could tell; the more `files` there are, the more seldom."""
        package("watchfiles", "watching a folder")
        self.root = root
        self._look_ms = max(LOOK_MS, files // LOOKED_AT_A_MS)
        self.looks = look or is_share(root)
        self._changes = changes
        self._stop = threading.Event()
        threading.Thread(target=self._watch, daemon=True).start()

    def stop(self) -> None:
        """Watch no more."""
        self._stop.set()

    def _watch(self) -> None:
        for looks in (False, True):
            if self.looks and not looks:
                continue
            self.looks = looks
            try:
                for paths in self._told():
                    self._changes.put(Word(self.root, frozenset(paths)))
                break
            except Exception:  # whatever the system cannot do, looking can
                if self._stop.is_set() or not os.path.isdir(self.root):
                    break
        self._changes.put(Word(self.root, None))

    def _told(self) -> Iterator[Iterable[str]]:
        from watchfiles import Change, watch

        for changes in watch(
            self.root,
            watch_filter=None,
            debounce=_GATHER_MS,
            step=_STEP_MS,
            stop_event=self._stop,
            rust_timeout=LOOK_MS,
            raise_interrupt=False,
            force_polling=self.looks,
            poll_delay_ms=self._look_ms,
            ignore_permission_denied=True,
        ):
            # What changes in a folder is told by itself; only of one that was moved here, nothing of what is in it.
            yield {path for what, path in changes if what == Change.added or not os.path.isdir(path)}
