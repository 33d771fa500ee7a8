"""A rig in a local folder, with its attic beside it in `.gribble/attic`."""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

from gribble.core.errors import ExitCode, GribbleError, reason_of
from gribble.core.paths import parent, path_fault
from gribble.core.placing.store import Content, StoreError
from gribble.core.survey.walking import MEMORY_FOLDER
from gribble.stores.attic import AtticFolder
from gribble.stores.files import flush_folder, move, read_blocks, told


class LocalStore(AtticFolder):
    """Files below a root folder; no path leads out of it, not even through a link."""

    reads_back = False  # a local disk says itself where a file could not be written and flushed

    def __init__(self, root: Path, *, folds_case: bool = False) -> None:
        super().__init__(root / MEMORY_FOLDER / "attic")
        self.root = root
        self._folds_case = folds_case

    def _at(self, path: str) -> Path:
        if fault := path_fault(path):
            raise StoreError(f'"{path}" {fault}')
        place = self.root / path
        if not place.parent.resolve().is_relative_to(self.root.resolve()):
            raise StoreError(f"{path}: a link on the way leads out of the rig")
        return place

    @told
    def exists(self, path: str) -> bool:
        """Whether a file is there under exactly this spelling."""
        place = self._at(path)
        if not os.path.lexists(place):
            return False
        return not self._folds_case or place.name in os.listdir(place.parent)

    def read(self, path: str, member: str | None = None) -> Iterator[bytes]:
        """The content of a file, or of a member of an archive, block by block."""
        return read_blocks(self._at(path), member)

    @told
    def write(self, path: str, content: Content, like: str | None = None) -> None:
        """Write a new file and flush it to the disk, with the permissions of the file `like`; what was there under
        this name is written over."""
        place = self._at(path)
        place.unlink(missing_ok=True)  # never through it: it could be a second name of a source
        with place.open("xb") as stream:
            for block in content():
                stream.write(block)
            stream.flush()
            os.fsync(stream.fileno())
        if like is not None:
            with contextlib.suppress(OSError):  # a volume without permissions keeps none
                shutil.copymode(self._at(like), place)

    def read_back(self, path: str) -> Iterator[bytes]:
        """What lies at a path now, block by block."""
        return self.read(path)

    @told
    def rename(self, old: str, new: str) -> None:
        """Rename a file over whatever is at the new name, in one instant, and flush the folders."""
        move(self._at(old), self._at(new))

    def tidy(self, path: str) -> None:
        """Nothing is left: one file takes the place of another in one instant."""

    @told
    def discard(self, path: str) -> None:
        """Remove a work file of Gribble's own, if it is there."""
        self._at(path).unlink(missing_ok=True)

    def missing_folders(self, path: str) -> list[str]:
        """The folders above a path that are still to be made, outermost first."""
        missing = []
        folder = parent(path)
        while folder and not self._at(folder).is_dir():
            missing.append(folder)
            folder = parent(folder)
        return missing[::-1]

    @told
    def make_folder(self, path: str) -> None:
        """Make one folder, if it is not there."""
        place = self._at(path)
        place.mkdir(exist_ok=True)
        flush_folder(place.parent)

    def remove_folder(self, path: str) -> None:
        """Remove a folder if it is empty."""
        with contextlib.suppress(OSError):
            self._at(path).rmdir()

    @told
    def keep(self, path: str, slot: str) -> None:
        """Put a file into the attic as well, leaving it in place; a slot that is filled stays as it is.

        A link costs no room; where the file system has none, the file is copied with its times.
        """
        source, target = self._at(path), self._slot(slot)
        if target.exists():
            return
        self._make_below_root(target.parent)
        try:
            os.link(source, target, follow_symlinks=False)
        except OSError:
            part = target.with_name(target.name + ".part")
            shutil.copy2(source, part)
            with part.open("rb+") as stream:
                os.fsync(stream.fileno())
            part.replace(target)
        flush_folder(target.parent)

    def _make_below_root(self, folder: Path) -> None:
        """Make folders of Gribble's own; never the root itself, which may have been pulled out."""
        for place in (*reversed(folder.relative_to(self.root).parents), folder.relative_to(self.root)):
            if place != Path():
                (self.root / place).mkdir(exist_ok=True)

    @told
    def displace(self, path: str, slot: str) -> None:
        """Move a file into the attic."""
        target = self._slot(slot)
        self._make_below_root(target.parent)
        move(self._at(path), target)

    def half_kept(self, _path: str, _slot: str) -> bool:
        """False: a file is moved in one instant."""
        return False

    @told
    def bring_back(self, slot: str, path: str) -> None:
        """Move a file from the attic over whatever is at a path, in one instant."""
        source, target = self._slot(slot), self._at(path)
        if target.exists() and source.samefile(target):
            source.unlink()  # two links to one file: renaming one over the other would leave both
        else:
            move(source, target)

    def size(self, path: str) -> int:
        """The size of a file in bytes; 0 where there is none."""
        try:
            return self._at(path).stat().st_size
        except OSError:
            return 0

    @told
    def link(self, source: Path, path: str) -> bool:
        """Give a file of this machine a second name on the rig; False where that cannot be (another volume, say)."""
        target = self._at(path)
        target.unlink(missing_ok=True)
        try:
            os.link(source, target, follow_symlinks=False)
        except OSError:
            return False
        flush_folder(target.parent)
        return True

    def local(self, path: str) -> Path:
        """The file at a path, on this machine."""
        return self._at(path)

    @told
    def free_bytes(self) -> int:
        """The room left, in bytes."""
        return shutil.disk_usage(self.root).free


_UNWRITTEN = "Nothing was changed there. Name another place, or give write permission."


def write_new(target: Path, data: bytes) -> None:
    """Write a new file whole, beside its place first. Raises GribbleError where one is there already."""
    write_new_stream(target, iter([data]))


def write_new_stream(target: Path, blocks: Iterator[bytes]) -> None:
    """The same with content that comes block by block; where the blocks end in an error, nothing is left behind."""
    target = target.absolute()
    if os.path.lexists(target):
        raise GribbleError(f"{target} is there already", fix="Move it away, or name another.")
    write_over(target, blocks)


def refuse_foreign(target: Path, ours: Callable[[bytes], bool], what: str) -> None:
    """Raise GribbleError where a file lies at the target whose beginning does not show that it is ours to write over.

    `what` names our own kind: a report, say.
    """
    try:
        start = _start(target) if os.path.lexists(target) else b""
    except OSError as error:
        raise GribbleError(f"{target} cannot be written: {reason_of(error)}", fix="Name another file.") from error
    if start and not ours(start):
        raise GribbleError(f"{target} is there already, and is no {what}", fix="Name another file.")


def _start(path: Path) -> bytes:
    with path.open("rb") as stream:
        return stream.read(1000)


def replace_file(target: Path, data: bytes) -> Path:
    """Write over a file of the user's in one instant; the former one is kept beside it, and its path returned."""
    target = target.absolute()
    number = 1
    while os.path.lexists(kept := target.with_name(f"{target.name}.before-{number}")):
        number += 1
    try:
        shutil.copy2(target, kept)
    except OSError as error:
        raise GribbleError(
            f"{kept} cannot be written: {reason_of(error)}", fix=_UNWRITTEN, code=ExitCode.FAILED
        ) from error
    write_over(target, iter([data]))
    return kept


def write_over(target: Path, blocks: Iterator[bytes]) -> None:
    """Write a file whole, beside its place first, over whatever is there. Raises GribbleError."""
    target = target.absolute()
    work = ".gribble-0-0.part"
    store = LocalStore(target.parent)
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        try:
            store.write(work, lambda: blocks)
        except BaseException:
            store.discard(work)
            raise
        store.rename(work, target.name)
    except (OSError, StoreError) as error:
        reason = reason_of(error) if isinstance(error, OSError) else str(error)
        raise GribbleError(f"{target} cannot be written: {reason}", fix=_UNWRITTEN, code=ExitCode.FAILED) from error
