"""Files of this machine: read in blocks, moved and flushed, with errors that the stores share; and attics, folders in
which slots hold what runs have displaced.
"""

from __future__ import annotations

import contextlib
import errno
import os
import shutil
import stat
import zlib
from collections.abc import Callable, Iterator
from functools import wraps
from pathlib import Path
from typing import ParamSpec, TypeVar

from gribble.core.base.changing import WINDOWS, at_any_length, flush_file, flush_folder, remove, remove_folder, replace
from gribble.core.base.errors import reason_of
from gribble.core.base.names import ANY_NAME, escaped, unescaped
from gribble.core.base.paths import UNDONE, fold, is_link, is_work_file
from gribble.core.base.regular import open_regular
from gribble.core.files.archives.common import ArchiveError
from gribble.core.files.archives.opening import member_blocks
from gribble.core.files.hashing import BLOCK_BYTES
from gribble.core.placing.store import Free, StoreError, StoreFull

P = ParamSpec("P")
T = TypeVar("T")

NO_PERMISSIONS = frozenset({errno.EPERM, errno.EACCES, errno.ENOSYS, errno.ENOTSUP, errno.EINVAL})
"""What the system says where a volume keeps no permissions."""
FULL = frozenset({errno.ENOSPC, errno.EDQUOT})
"""What the system says where neither a byte nor a name goes in any more."""


def told(method: Callable[P, T]) -> Callable[P, T]:
    """Errors of the operating system as StoreError, with path and reason; a full disk as StoreFull."""

    @wraps(method)
    def wrapper(*args: P.args, **kwargs: P.kwargs) -> T:
        try:
            return method(*args, **kwargs)
        except OSError as error:
            path = error.filename if isinstance(error.filename, str | bytes | os.PathLike) else ""
            where = os.fsdecode(path) or next((one for one in args[1:] if isinstance(one, str)), "")
            words = f"{where}: {reason_of(error)}" if where else reason_of(error)
            raise (StoreFull if error.errno in FULL else StoreError)(words) from error
        except UnicodeEncodeError as error:
            raise StoreError("this system cannot write a name that is not text") from error

    return wrapper


def read_blocks(path: Path, member: str | None = None) -> Iterator[bytes]:
    """The content of a local file, or of a member of a local archive, block by block. Raises StoreError."""
    path = at_any_length(path)
    try:
        with open_regular(path) as stream:
            while member is None and (block := stream.read(BLOCK_BYTES)):
                yield block
        if member is not None:
            yield from member_blocks(path, member)
    except OSError as error:
        raise StoreError(f"{path}: {reason_of(error)}") from error
    except ArchiveError as error:
        raise StoreError(f"{path} {error}") from error


def same_file(one: os.stat_result, other: os.stat_result) -> bool:
    """Whether two files are one under two names, as far as the system tells: an inode of 0 tells nothing."""
    return bool(one.st_ino) and (one.st_dev, one.st_ino) == (other.st_dev, other.st_ino)


def same_content(one: Path, other: Path) -> bool:
    """Whether two files are alike: one file, equal bytes, or links that say the same. Raises OSError."""
    first, second = one.lstat(), other.lstat()
    if same_file(first, second):
        return True
    if stat.S_ISLNK(first.st_mode) or stat.S_ISLNK(second.st_mode):
        links = stat.S_ISLNK(first.st_mode) and stat.S_ISLNK(second.st_mode)
        return links and os.readlink(one) == os.readlink(other)
    if first.st_size != second.st_size or not (stat.S_ISREG(first.st_mode) and stat.S_ISREG(second.st_mode)):
        return False
    with open_regular(one) as left, open_regular(other) as right:
        while block := left.read(BLOCK_BYTES):
            if block != right.read(BLOCK_BYTES):
                return False
        return not right.read(1)


def move(source: Path, target: Path, part: Path) -> None:
    """Rename a file over whatever is at the target, in one instant; its folders are still to be flushed then.

    To another volume it is copied to `part` beside the target first, which then takes the target's place in one
    instant; cut short, it is in both places, and moving it again does the rest. Raises OSError.
    """
    try:
        replace(source, target)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        copy_whole(source, part)
        replace(part, target)
        flush_folder(target.parent)
        remove(source)
    else:
        alike = source.parent == target.parent and fold(source.name) == fold(target.name)
        if not alike and os.path.lexists(source):
            remove(source)  # two names of one file: renaming one over the other does nothing (POSIX, rename)


def part_beside(target: Path) -> Path:
    """The work file beside a place for what comes to it from another volume, or from a server."""
    return target.with_name(f".gribble-0-{zlib.crc32(target.name.encode('utf-8', ANY_NAME))}.part")


def make_folders(folder: Path, mode: int = 0o777) -> None:
    """Make a folder and those above it that are missing, and flush their names. Raises OSError."""
    missing = [folder] if not os.path.isdir(folder) else []
    while missing and not os.path.isdir(missing[-1].parent):
        missing.append(missing[-1].parent)
    for one in reversed(missing):
        with contextlib.suppress(FileExistsError):
            os.mkdir(one, mode)
        flush_folder(one.parent)


def copy_whole(source: Path, target: Path) -> None:
    """Copy a file, or a link as the link it is, with its times, mode and owner as far as the system lets us, and flush
    it. Where that fails, nothing is left behind. Raises OSError."""
    remove(target, missing_ok=True)
    try:
        shutil.copyfile(source, target, follow_symlinks=False)
        status = source.lstat()
        if stat.S_ISREG(status.st_mode):
            with target.open("rb+") as copied:  # before it takes over a read-only mark, with which nothing is flushed
                flush_file(copied.fileno())
        try:
            shutil.copystat(source, target, follow_symlinks=False)
        except OSError:  # a volume without permissions; it may have times
            with contextlib.suppress(OSError):
                os.utime(target, ns=(status.st_atime_ns, status.st_mtime_ns), follow_symlinks=False)
        give_owner(target, status)
    except BaseException:
        with contextlib.suppress(OSError):
            remove(target, missing_ok=True)
        raise


def give_owner(path: Path, like: os.stat_result, bits: int = 0o7777) -> None:
    """Give a file the owner of another and some `bits` of its mode, where there are owners and we may."""
    there = path.lstat()
    if hasattr(os, "chown") and (there.st_uid, there.st_gid) != (like.st_uid, like.st_gid):
        with contextlib.suppress(OSError):
            os.chown(path, like.st_uid, like.st_gid, follow_symlinks=False)
            if not stat.S_ISLNK(like.st_mode):
                os.chmod(path, stat.S_IMODE(like.st_mode) & bits)  # a new owner can cost a file its special bits


def free_at(path: Path) -> Free | None:
    """The room left where a path is, or would be; None if the file system does not say. Raises OSError.

    A file system that counts no bytes, or no files, says that it has none at all.
    """
    place = next((one for one in (path, *path.parents) if os.path.isdir(one)), path)
    device, files = os.stat(place).st_dev, None
    if hasattr(os, "statvfs"):
        volume = os.statvfs(place)
        files = volume.f_favail if volume.f_files else None
    usage = shutil.disk_usage(place)
    return Free(device, usage.free, files) if usage.total else None


class AtticFolder:
    """The slots of one rig's attic; what is still being written has the name of a work file."""

    def __init__(self, folder: Path, *, escapes: bool = False) -> None:
        """An attic `escapes` names where it is on another volume than the rig, which may not hold them all."""
        self._attic = folder
        self._escapes = escapes

    def _slot(self, slot: str) -> Path:
        place = self._attic / slot
        if not self._escapes or (form := escaped(slot)) == slot:
            return place
        return (
            place if not WINDOWS and os.path.lexists(place) else self._attic / form
        )  # versions before escaped nothing

    @property
    def attic(self) -> Path:
        """The folder of the attic, which need not be there."""
        return self._attic

    def kept(self, slot: str) -> bool:
        """Whether a slot of the attic is filled."""
        return os.path.lexists(self._slot(slot))

    def read_kept(self, slot: str, member: str | None = None) -> Iterator[bytes]:
        """The content of a slot of the attic, or of a member of the archive in it, block by block."""
        return read_blocks(self.local_kept(slot), member)

    def local_kept(self, slot: str) -> Path:
        """The file in a slot of the attic, on this machine. A link there is never read through: on a stick that was
        borrowed it could lead anywhere. Raises StoreError."""
        place = self._slot(slot)
        if is_link(place):
            raise StoreError(f"{place} is a link, and the attic is never read through one")
        return place

    def slots(self) -> Iterator[tuple[str, int]]:
        """Every filled slot of the attic, with the size of its file in bytes."""
        for folder, _, names in os.walk(self._attic) if not is_link(self._attic) else ():
            for name in names:
                place = Path(folder, name)
                if not is_work_file(name):
                    slot = place.relative_to(self._attic).as_posix()
                    yield unescaped(slot) if self._escapes else slot, place.lstat().st_size

    @told
    def forget(self, slot: str) -> None:
        """Delete the file in a slot of the attic, and folders of the attic that are empty then."""
        place = self._slot(slot)
        remove(place, missing_ok=True)
        for folder in place.parents:
            if folder == self._attic:
                break
            with contextlib.suppress(OSError):
                remove_folder(folder)

    def prune(self, run: int) -> None:
        """Remove what a run has left of empty folders in the attic."""
        for top in (f"{run:04d}", f"{run:04d}{UNDONE}"):
            for folder, _, _ in os.walk(self._attic / top, topdown=False):
                with contextlib.suppress(OSError):
                    remove_folder(Path(folder))

    @told
    def free_attic(self) -> Free | None:
        """The room left where the attic is."""
        return free_at(self._attic)
