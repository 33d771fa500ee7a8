"""A rig in a local folder, with its attic beside it in `.gribble/attic`."""

from __future__ import annotations

import contextlib
import os
import stat
import time
from collections.abc import Iterable, Iterator
from functools import cached_property
from pathlib import Path

from msgspec import structs

from gribble.core.base.changing import (
    PERMISSIONS,
    WINDOWS,
    at_any_length,
    flush_file,
    flush_folder,
    remove,
    remove_folder,
    replace,
    usual,
)
from gribble.core.base.digests import NO_DIGESTS, Digests
from gribble.core.base.filewriter import PRIVATE, usual_mode
from gribble.core.base.names import composed
from gribble.core.base.paths import MEMORY_FOLDER, is_link, lies_in, parent
from gribble.core.files.hashing import digest_blocks
from gribble.core.files.volumes import Told
from gribble.core.placing.store import Content, Free, Stamp, StoreError
from gribble.core.survey.index import SETTLED_NS
from gribble.core.survey.walking import store_fault
from gribble.stores.files import (
    NO_PERMISSIONS,
    AtticFolder,
    copy_whole,
    free_at,
    give_owner,
    move,
    part_beside,
    read_blocks,
    same_content,
    same_file,
    told,
)

OWN_FOLDER = 0o700
"""The folders of Gribble's own: what they hold is nobody else's business."""
_NEW_FILE = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0)


_NO_LINK = (OSError, NotImplementedError, AttributeError)
"""What comes of asking for a second name where there are none: refused, not as wished, no such function."""


class LocalStore(AtticFolder):
    """Files below a root folder; no path leads out of it, not even through a link, and none into a source."""

    at_once = 4
    reads_back = False  # a local disk says itself where a file could not be written and flushed

    def __init__(self, root: Path, *, folds_case: bool = False, sources: Iterable[Path] = ()) -> None:
        """`sources` are folders never to be written, under whatever name a path leads into them; one in which the root
        lies ends there."""
        super().__init__(root / MEMORY_FOLDER / "attic")
        self.root = root
        self._folds_case = folds_case
        self._sources = tuple(sources)
        self._no_source: set[str] = set()  # folders, links resolved, that are in none
        self._resolved_as: dict[Path, tuple[tuple[int, int], str]] = {}  # by folder: which one it is, links resolved
        self._unflushed: dict[Path, None] | None = None  # folders that are flushed later
        self._named: set[Path] = set()  # folders of Gribble's own whose names are flushed
        self._digests: dict[str, tuple[Told, Digests]] = {}  # by path, with what the file was told by

    @cached_property
    def _real_root(self) -> str:
        return _real(self.root)

    def _slot(self, slot: str) -> Path:
        """The place of a slot; no part of the way there may be a link."""
        at = str(self.root)
        for part in (MEMORY_FOLDER, "attic", *slot.split("/")[:-1]):
            at = f"{at}/{part}"
            if is_link(at):
                raise StoreError(f"{at} is a link, and the attic is never reached through one")
        return at_any_length(super()._slot(slot))

    def _at(self, path: str) -> Path:
        if fault := store_fault(path):
            raise StoreError(f'"{path}" {fault}')
        if WINDOWS and ":" in path:
            raise StoreError(f"{path}: a name with a colon means a stream of a file on Windows")
        place = at_any_length(self.root / path)
        folder = self._resolved(place.parent)
        if folder != self._real_root and not folder.startswith(f"{self._real_root.rstrip(os.sep)}{os.sep}"):
            raise StoreError(f"{path}: a link on the way leads out of the rig")
        return place

    def _resolved(self, folder: Path) -> str:
        """A folder with links resolved. That takes a call for each part of its path: while several files are placed at
        once, only where another folder is there than a moment ago. Later it could be the same one by way of a link."""
        if self._unflushed is None:
            return _real(folder)
        try:
            status = os.stat(folder)
        except OSError:
            return _real(folder)
        there = (status.st_dev, status.st_ino)
        known = self._resolved_as.get(folder)
        if known is None or known[0] != there or not status.st_ino:
            known = self._resolved_as[folder] = there, _real(folder)
        return known[1]

    def _to(self, path: str) -> Path:
        """The place of something that is to be changed."""
        place = self._at(path)
        if self._sources and (folder := self._resolved(place.parent)) not in self._no_source:
            if source := lies_in(Path(folder), self._sources, ends=[self.root]):
                raise StoreError(f"{path} is in the source {source}, and Gribble never writes to a source")
            self._no_source.add(folder)
        return place

    @told
    def exists(self, path: str) -> bool:
        """Whether a file is there under exactly this spelling."""
        place = self._at(path)
        if not os.path.lexists(place):
            return False
        return not self._folds_case or composed(place.name) in map(composed, os.listdir(place.parent))

    def stamp(self, path: str) -> Stamp | None:
        """What a glance tells of a file, or of a link as a link; None if nothing is."""
        try:
            status = self._at(path).lstat()
        except OSError:
            return None
        return status.st_size, status.st_mtime_ns

    def read(self, path: str, member: str | None = None) -> Iterator[bytes]:
        """The content of a file, or of a member of an archive, block by block."""
        return read_blocks(self.local(path), member)

    def read_setting(self, path: str) -> Iterator[bytes]:
        """The content of a settings file, as its emulator sees it, also through a link."""
        return read_blocks(self._at(path))

    @told
    def digests(self, path: str, algorithms: Iterable[str]) -> Digests:
        """The digests of a file; those that are known are taken as long as nothing can have been written into it.

        A change shows in its times, unless they were of this very moment when it was read.
        """
        wanted, now, place = set(algorithms), time.time_ns(), self._at(path)
        state = _state(place)
        before = self._digests.get(path)
        known = before[1] if before and before[0] == state else NO_DIGESTS
        if missing := wanted - known.known().keys():
            known = structs.replace(known, **digest_blocks(self.read(path), missing)[1].known())
            if max(state[1:3]) + SETTLED_NS <= now and _state(place) == state:
                self._digests[path] = state, known
        return known

    @told
    def write(self, path: str, content: Content, like: str | None = None) -> None:  # noqa: ARG002
        """Write a new file that nobody else can read yet, and flush it to the disk; what was there under this name is
        written over."""
        place = self._to(path)
        remove(place, missing_ok=True)  # never through it: it could be a second name of a source
        with os.fdopen(os.open(place, _NEW_FILE, PRIVATE), "wb") as stream:
            for block in content():
                stream.write(block)
            stream.flush()
            flush_file(stream.fileno())

    @told
    def dress(self, path: str, slot: str = "", mode: int | None = None) -> None:
        """Give a new file at its place a mode, else the mode and owner of the file in a slot, else what is usual."""
        place = self._to(path)
        there = place.lstat()
        if not stat.S_ISREG(there.st_mode) or there.st_nlink > 1:
            return
        former = self._slot(slot).lstat() if slot and self.kept(slot) else None
        if former and stat.S_ISREG(former.st_mode):
            give_owner(place, former, PERMISSIONS)
            mode = stat.S_IMODE(former.st_mode) if mode is None else mode
        try:
            os.chmod(place, usual_mode() if mode is None else mode & PERMISSIONS)
        except OSError as error:
            if error.errno not in NO_PERMISSIONS:
                raise

    def set_time(self, path: str, modified: int) -> None:
        """Give a file its time of modification, in nanoseconds since 1970."""
        with contextlib.suppress(OSError):
            os.utime(self._to(path), ns=(modified, modified))

    @told
    def mode(self, path: str) -> int | None:
        """The permissions of a file."""
        return mode_of(self._at(path))

    def read_back(self, path: str) -> Iterator[bytes]:
        """What is at a path now, block by block."""
        return self.read(path)

    @told
    def rename(self, old: str, new: str) -> None:
        """Rename a file over whatever is at the new name, in one instant, and flush the folders."""
        source, target = self._to(old), self._to(new)
        move(source, target, part_beside(target))
        self._flush(target.parent, source.parent)

    @contextlib.contextmanager
    def flushing_once(self) -> Iterator[None]:
        """The folders in which something is made or renamed meanwhile are flushed at the end, each once."""
        assert self._unflushed is None, "one in another would flush too late"
        self._unflushed = unflushed = dict[Path, None]()
        try:
            yield
        finally:
            self._unflushed = None
            self._resolved_as.clear()
            self._flush(*unflushed)

    def _flush(self, *folders: Path) -> None:
        for folder in dict.fromkeys(folders):
            if self._unflushed is None:
                flush_folder(folder)
            else:
                self._unflushed[folder] = None

    @told
    def tidy(self, path: str) -> None:
        """Remove what moving a file here from another volume has left, where that was cut off in the middle."""
        remove(part_beside(self._to(path)), missing_ok=True)

    @told
    def discard(self, path: str) -> None:
        """Remove a work file of Gribble's own, if it is there."""
        remove(self._to(path), missing_ok=True)

    @told
    def missing_folders(self, path: str) -> list[str]:
        """The folders above a path that are still to be made, outermost first."""
        missing = []
        folder = parent(path)
        while folder and not os.path.isdir(self._at(folder)):
            if os.path.lexists(self._at(folder)):
                what = "a link that leads nowhere" if is_link(self._at(folder)) else "a file, not a folder"
                raise StoreError(f"{folder} is {what}; move it away")
            missing.append(folder)
            folder = parent(folder)
        return missing[::-1]

    @told
    def make_folder(self, path: str) -> None:
        """Make one folder, if it is not there."""
        place = self._to(path)
        place.mkdir(exist_ok=True)
        self._flush(place.parent)

    def remove_folder(self, path: str) -> None:
        """Remove a folder if it is empty."""
        with contextlib.suppress(OSError):
            remove_folder(self._to(path))

    @told
    def keep(self, path: str, slot: str) -> None:
        """Put a file into the attic as well, leaving it in place; a slot that is filled stays as it is.

        A link costs no room; where the file system has none, the file is copied with its times.
        """
        source, target = self._to(path), self._slot(slot)
        if self.kept(slot):
            return
        self._make_below_root(target.parent)
        try:
            os.link(source, target, follow_symlinks=False)
        except _NO_LINK:
            part = part_beside(target)
            copy_whole(source, part)
            replace(part, target)
        self._flush(target.parent)

    @told
    def same(self, path: str, slot: str) -> bool:
        """Whether what is at a path is what is in a slot."""
        return same_content(self._at(path), self._slot(slot))

    @told
    def make_slot(self, slot: str) -> None:
        """Make the folder of a slot. Nothing is lost where a power cut undoes that."""
        self._make_below_root(self._slot(slot).parent, flush=False)

    def _make_below_root(self, folder: Path, *, flush: bool = True) -> None:
        """Make folders of Gribble's own, and flush their names. Never the root itself: it may have been pulled out."""
        try:
            os.mkdir(folder, OWN_FOLDER)
        except FileNotFoundError:
            if folder.parent == self.root:
                raise
            self._make_below_root(folder.parent, flush=False)
            os.mkdir(folder, OWN_FOLDER)
            self._named.discard(folder)
        except FileExistsError:
            pass
        else:
            self._named.discard(folder)
        while flush and folder != self.root and folder not in self._named:
            self._flush(folder.parent)
            self._named.add(folder)
            folder = folder.parent

    @told
    def displace(self, path: str, slot: str) -> None:
        """Move a file into the attic; half-way there, only the rest is done."""
        source, target = self._to(path), self._slot(slot)
        if self.kept(slot):
            if not same_content(source, target):
                raise StoreError(f"{path} is not the file that Gribble put into the attic before")
            remove(source)
            flush_folder(source.parent)
            return
        self._make_below_root(target.parent)
        move(source, target, part_beside(target))
        self._flush(target.parent, source.parent)

    def half_kept(self, path: str, slot: str) -> bool:
        """Whether a file is in a slot and still in its place, since its moving to another volume was cut short."""
        return self.kept(slot) and self.exists(path) and self.same(path, slot)

    @told
    def bring_back(self, slot: str, path: str) -> None:
        """Move a file from the attic over whatever is at a path, in one instant; what never left its place only leaves
        the attic."""
        source, target = self._slot(slot), self._to(path)
        if os.path.lexists(target) and _untouched(source.lstat(), target.lstat()) and same_content(source, target):
            remove(source)
            flush_folder(source.parent)
        else:
            move(source, target, part_beside(target))
            self._flush(target.parent, source.parent)

    def size(self, path: str) -> int:
        """The size of a file in bytes; 0 if there is none."""
        try:
            return self._at(path).stat().st_size
        except OSError:
            return 0

    @told
    def link(self, source: Path, path: str) -> bool:
        """Give a file of this machine a second name on the rig; False if that cannot be (another volume, say)."""
        target = self._to(path)
        remove(target, missing_ok=True)
        try:
            os.link(source, target, follow_symlinks=False)
        except _NO_LINK:
            return False
        flush_folder(target.parent)
        return True

    def protect_kept(self, slot: str, mode: int) -> None:
        """Give a file in a slot its permissions back."""
        _protect(self._slot(slot), mode)

    def protect(self, path: str, mode: int) -> None:
        """The same for a file at its place."""
        _protect(self._to(path), mode)

    def local(self, path: str) -> Path:
        """The file at a path, on this machine, to be read. A link is read through within the rig alone: whoever made it
        could have it lead to any file of this machine."""
        place = self._at(path)
        if is_link(place):
            real = Path(_real(place))
            if not real.is_relative_to(self._real_root) or MEMORY_FOLDER in real.relative_to(self._real_root).parts:
                raise StoreError(f"{path} is a link that leads out of the rig, and is not read through")
        return place

    @told
    def free(self, path: str) -> Free | None:
        """The room left where a path is to lie: a rig can have other volumes in its folders."""
        return free_at(self._at(path).parent)


def _real(place: Path) -> str:
    """A place with links resolved, in the usual form of paths."""
    return usual(os.path.realpath(place))


def _protect(place: Path, mode: int) -> None:
    with contextlib.suppress(OSError):
        if stat.S_ISREG(place.lstat().st_mode):
            os.chmod(place, mode)


def _state(place: Path) -> Told:
    there = os.stat(place)
    return there.st_size, there.st_mtime_ns, there.st_ctime_ns, there.st_ino


def _untouched(one: os.stat_result, other: os.stat_result) -> bool:
    return same_file(one, other) or one.st_mtime_ns == other.st_mtime_ns


def mode_of(path: Path) -> int | None:
    """The permissions of a file; None if it is not there."""
    try:
        return stat.S_IMODE(path.stat().st_mode)
    except OSError:
        return None
