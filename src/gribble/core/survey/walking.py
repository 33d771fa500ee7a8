"""Walking a folder: its regular files in a fixed order, and what was passed over and why."""

from __future__ import annotations

import operator
import os
import struct
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import NamedTuple, TypeVar

from msgspec import Struct

from gribble.core.base.changing import WINDOWS, at_any_length
from gribble.core.base.digests import Digests
from gribble.core.base.errors import reason_of
from gribble.core.base.names import ODD_BEGINS, composed, is_litter, is_trash
from gribble.core.base.paths import (
    MEMORY_FOLDER,
    base,
    identity,
    is_junction,
    is_work_file,
    leads_out,
    path_fault,
    spelling,
)
from gribble.core.files.volumes import Told
from gribble.core.records.holding import Skipped, Why

AT_ONCE, AT_ONCE_BYTES = 32, 4 << 20
"""How many files, and how many bytes, a thread is given at a time."""
T = TypeVar("T")


class TooLong(Exception):
    """A content is longer than anything that is wanted."""


def at_most(blocks: Iterator[bytes], limit: int) -> Iterator[bytes]:
    """A content of unknown size, as long as it may still be one that is wanted. Raises TooLong."""
    for block in blocks:
        limit -= len(block)
        if limit < 0:
            raise TooLong
        yield block


def merged(one: Digests, other: Digests) -> Digests:
    """The digests that either knows."""
    return Digests(**{**one.known(), **other.known()})


def together(files: Iterable[T], size: Callable[[T], int]) -> Iterator[list[T]]:
    """Files in their order, small ones several at once, since handing each to a thread takes longer than reading it;
    `size` tells how many bytes one has."""
    several: list[T] = []
    bytes_ = 0
    for one in files:
        several.append(one)
        bytes_ += size(one)
        if bytes_ >= AT_ONCE_BYTES or len(several) >= AT_ONCE:
            yield several
            several, bytes_ = [], 0
    if several:
        yield several


_NAME = operator.attrgetter("name")


class Entry(Struct, frozen=True, gc=False):
    """One regular file: path relative to the walked root with forward slashes, and what the system says of it.

    Size is in bytes, times are in nanoseconds since 1970. `fixed` marks one that is reached by a link, or is in a
    folder that is never written: it shows what is there, and is not to be moved.
    """

    path: str
    size: int
    modified: int
    changed: int
    inode: int
    fixed: bool = False


class Folder(Struct, gc=False):
    """One folder's files, its path relative to the walked root, and what was passed over in it.

    `links` are the links in it by path, with the real places to which they lead.
    """

    path: str
    files: list[Entry]
    skipped: list[Skipped]
    links: dict[str, str] = {}


class Walk(Struct, frozen=True, kw_only=True):
    """What a walk enters. `leave_out` are folders that it does not, under whatever name it meets them (other rigs).

    `through` are places, relative to the root, at which a link is read through: those where an emulator looks, and the
    folders above them (None: nobody looks, as in a source); in `all_through` it looks at every file. `fixed` are
    folders that are never written (sources in a rig): they are entered only at such places.
    """

    leave_out: frozenset[Path] = frozenset()
    through: frozenset[str] | None = None
    all_through: frozenset[str] = frozenset()
    fixed: frozenset[Path] = frozenset()

    def looks(self, path: str) -> bool:
        """Whether an emulator looks at a place."""
        return self.through is not None and path in self.through


def walk(root: Path, way: Walk = Walk()) -> Iterator[Folder]:  # noqa: B008  (frozen)
    """Every regular file below the root, folder by folder in name order; links out of the root are followed only where
    an emulator looks. Raises nothing.

    A link to a file below the root is met as a file of its own there, too. Each place is entered once, so that links
    in a circle end.
    """
    walker = _Walker(root, way, _Marked(way.leave_out), _Marked(way.fixed))
    waiting = [("", False)]
    while waiting:
        path, held = waiting.pop()
        folder = Folder(path, [], [], {})
        inner = walker.enter(folder, held)
        yield folder
        waiting.extend(reversed(inner))


class _Walker(NamedTuple):
    """Walks a folder in one way."""

    root: Path
    way: Walk
    left_out: _Marked
    fixed: _Marked

    def enter(self, folder: Folder, held: bool) -> list[tuple[str, bool]]:
        """Note what is in a folder; the folders in it that are to be entered, each with whether it is held fast."""
        path = folder.path
        try:
            with os.scandir(at_any_length(self.root / path)) as listing:
                children = sorted(listing, key=_NAME)
        except OSError as error:
            why = f"folder cannot be read: {reason_of(error)}"
            folder.skipped.append(Skipped(path or ".", why, kind=Why.UNREAD))
            return []
        prefix = f"{path}/" if path else ""
        inner: list[tuple[str, bool]] = []
        names: frozenset[str] = frozenset()
        looks, note = self.way.looks, folder.files.append
        for child in children:
            name = child.name
            if not name.isascii():
                names = names or frozenset(one.name for one in children)
                name = _as_asked(self.root / path, name, names)
            at = prefix + name
            try:
                if child.is_file(follow_symlinks=False):
                    if name[0] in ODD_BEGINS and (is_work_file(name) or (is_litter(name) and not looks(at))):
                        continue
                    there = child.stat(follow_symlinks=False)
                    note(Entry(at, there.st_size, there.st_mtime_ns, there.st_ctime_ns, there.st_ino, held))
                elif (found := self._other(folder, child, at, held)) is not None:
                    inner.append((at, found))
            except OSError as error:
                folder.skipped.append(Skipped(at, f"cannot be read: {reason_of(error)}", kind=Why.UNREAD))
        return inner

    def _other(self, folder: Folder, child: os.DirEntry[str], at: str, held: bool) -> bool | None:
        """Whether what is no file is held fast, where it is to be entered; else None. Raises OSError."""
        looked_at = self.way.looks(at)
        if child.is_dir(follow_symlinks=False) and not _is_junction(child):
            left_out = base(at) == MEMORY_FOLDER or (is_trash(base(at)) and not looked_at) or child in self.left_out
            if left_out or (child in self.fixed and not looked_at):
                return None
            return held if child not in self.fixed else True
        if child.is_symlink() or _is_junction(child):
            return True if _meet_link(self.root, at, child, folder, self.way, self.left_out) else None
        folder.skipped.append(Skipped(at, "is not a regular file (but a pipe, a socket or a device)", kind=Why.THING))
        return None


def _as_asked(folder: Path, name: str, names: frozenset[str]) -> str:
    """A name as it is asked for and compared: composed, where the volume finds it so and there is no other of that
    name. (HFS+ gives names back decomposed.)"""
    form = composed(name)
    return form if form not in names and os.path.lexists(folder / form) else name


def _is_junction(child: os.DirEntry[str]) -> bool:
    return WINDOWS and is_junction(child.stat(follow_symlinks=False))


def _meet_link(root: Path, path: str, child: os.DirEntry[str], folder: Folder, way: Walk, left_out: _Marked) -> bool:
    """A link: whether it leads to a folder that is to be entered. One to a file is met as a file of its own.

    Raises OSError if the system does not let us see.
    """
    try:
        target = (root / path).resolve(strict=True)
    except PermissionError:
        raise
    except (OSError, RuntimeError):
        folder.skipped.append(Skipped(path, "is a link that leads nowhere", kind=Why.NOWHERE))
        return False
    folder.links[path] = str(target)
    through = way.looks(path) or (folder.path in way.all_through and child.is_file())
    if leads_out(root, target) and not through:
        why = "is a link that leads out of the folder; links are not followed"
        folder.skipped.append(Skipped(path, why, kind=Why.OUT))
    elif child.is_file():
        if way.through is not None:  # on a rig; in a source, what it leads to is met at its own place
            folder.files.append(entry_of(path, child.stat(), fixed=True))
    elif child.is_dir():
        return through and child not in left_out
    else:
        why = "is a link to no regular file (a pipe, socket or device)"
        folder.skipped.append(Skipped(path, why, kind=Why.THING))
    return False


class _Marked:
    """Some folders, recognised under any name: by device and inode or, where there are none, by their spelling."""

    def __init__(self, folders: frozenset[Path]) -> None:
        known = {folder: identity(folder) for folder in folders}
        self._identities = frozenset(there for there in known.values() if there)
        self._spellings = frozenset(spelling(folder) for folder, there in known.items() if not there)
        self._any = bool(folders)

    def __contains__(self, child: os.DirEntry[str]) -> bool:
        if not self._any:
            return False
        there = identity(child.path)
        return there in self._identities if there else spelling(child.path) in self._spellings


_STATE = struct.Struct("<QqqQ")


def told_of(entry: Entry) -> Told:
    """What a file is believed by."""
    return entry.size, entry.modified, entry.changed, entry.inode


def packed_state(entry: Entry) -> bytes:
    """The same in a few bytes."""
    try:
        return _STATE.pack(entry.size, entry.modified, entry.changed, entry.inode)  # not by told_of: there are many
    except struct.error:  # a time beyond the year 2262
        return b"%d %d %d %d" % told_of(entry)


def unpacked_state(state: bytes) -> Told:
    """The same, read back. Raises ValueError for what it cannot be."""
    if len(state) == _STATE.size:
        size, modified, changed, inode = _STATE.unpack(state)
    else:
        size, modified, changed, inode = map(int, state.split())
    return size, modified, changed, inode


def store_fault(path: str) -> str | None:
    """Why a store must not touch a path, or None: like `path_fault`, but for the work files that are its own."""
    folder, _, name = path.rpartition("/")
    return (path_fault(folder) if folder else None) if is_work_file(name) else path_fault(path)


def is_as_met(entry: Entry, status: os.stat_result) -> bool:
    """Whether a file still is as a walk met it; by its inode, too, where the system has told one both times."""
    now = (status.st_size, status.st_mtime_ns, status.st_ctime_ns)
    same = not (entry.inode and status.st_ino) or entry.inode == status.st_ino
    return same and now == (entry.size, entry.modified, entry.changed)


def entry_of(path: str, status: os.stat_result, *, fixed: bool = False) -> Entry:
    """The entry of a file, from what the system says of it."""
    return Entry(path, status.st_size, status.st_mtime_ns, status.st_ctime_ns, status.st_ino, fixed)
