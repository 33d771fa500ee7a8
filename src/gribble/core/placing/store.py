"""The small interface behind which a rig lives. Paths are relative to its root, with forward slashes.

The attic of a store keeps displaced files in *slots*, named by relative paths of their own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Protocol

from msgspec import Struct

from gribble.core.base.digests import Digests
from gribble.core.base.errors import StoreError as StoreError
from gribble.core.base.paths import UNDONE, base, join, parent
from gribble.core.placing.journal import Run

Content = Callable[[], Iterator[bytes]]
"""Gives a content block by block, from its beginning each time."""


class StoreLost(StoreError):
    """The rig cannot be reached any more: what was asked last may have been done or not, and nothing more can be."""


class StoreFull(StoreError):
    """No room is left for a byte or a name."""


Stamp = tuple[int, int]
"""What a glance tells of a file: its size in bytes, its time of modification in nanoseconds since 1970."""


class Free(Struct, frozen=True):
    """The room left where a path lies: its volume, in bytes, and in files (None if they are not counted)."""

    device: int
    bytes: int
    files: int | None = None


class Store(Protocol):
    """A rig's files and its attic. Every method may raise StoreError."""

    def exists(self, path: str) -> bool:
        """Whether a file is there under exactly this spelling."""

    def stamp(self, path: str) -> Stamp | None:
        """What a glance tells of a file, or of a link as a link; None if nothing is."""

    def read(self, path: str, member: str | None = None) -> Iterator[bytes]:
        """The content of a file, or of a member of an archive, block by block."""

    def read_setting(self, path: str) -> Iterator[bytes]:
        """The content of a settings file, as its emulator sees it: a link at its place was judged by what it leads to,
        and is read through."""

    def digests(self, path: str, algorithms: Iterable[str]) -> Digests:
        """The digests of a file; it is not read again where it was read before, and nothing can have been written into
        it since."""

    @property
    def at_once(self) -> int:
        """How many files it may be asked to write, or to give digests of, at a time."""

    @property
    def reads_back(self) -> bool:
        """Whether what was written is to be proven by reading it back; else its bytes prove it on their way."""

    def write(self, path: str, content: Content, like: str | None = None) -> None:
        """Write a new file and flush it to the disk; what was there under this name is written over.

        Where only the store itself can copy permissions, the file gets those of `like`, which it is going to replace;
        elsewhere nobody else can read it before it is dressed.
        """

    def dress(self, path: str, slot: str = "", mode: int | None = None) -> None:
        """Give a new file at its place its permissions, last of all: a mode, else those (and the owner) of the file in
        a slot, else what is usual. One with a second name, which could be a source, stays as it is."""

    def set_time(self, path: str, modified: int) -> None:
        """Give a file its time of modification, in nanoseconds since 1970, where that can be."""

    def mode(self, path: str) -> int | None:
        """The permissions of a file; None if there are none."""

    def read_back(self, path: str) -> Iterator[bytes]:
        """What is at a path now, block by block; nothing else may be asked of the store meanwhile."""

    def rename(self, old: str, new: str) -> None:
        """Rename a file over whatever is at the new name, in one instant, and flush the folders. Between volumes it is
        copied first; cut short, it is in both places, and doing it again does the rest."""

    def flushing_once(self) -> AbstractContextManager[None]:
        """The folders in which something is renamed meanwhile are flushed at the end, each once."""

    def tidy(self, path: str) -> None:
        """Remove what a renaming over this place that was cut short has left beside it."""

    def discard(self, path: str) -> None:
        """Remove a work file of Gribble's own, if it is there."""

    def missing_folders(self, path: str) -> list[str]:
        """The folders above a path that are still to be made, outermost first."""

    def make_folder(self, path: str) -> None:
        """Make one folder, if it is not there."""

    def remove_folder(self, path: str) -> None:
        """Remove a folder if it is empty."""

    def keep(self, path: str, slot: str) -> None:
        """Put a file into the attic as well, leaving it in place; a slot that is filled stays as it is."""

    def same(self, path: str, slot: str) -> bool:
        """Whether what is at a path is what is in a slot: one file, equal bytes, or links that say the same."""

    def make_slot(self, slot: str) -> None:
        """Make the folder of a slot, so that filling it needs no more room than a name."""

    def displace(self, path: str, slot: str) -> None:
        """Move a file into the attic; half-way there, only the rest is done."""

    def half_kept(self, path: str, slot: str, /) -> bool:
        """Whether a file is in a slot and still in its place, since its displacing was cut short."""

    def bring_back(self, slot: str, path: str) -> None:
        """Move a file from the attic over whatever is at a path, in one instant; it may be done again."""

    def kept(self, slot: str) -> bool:
        """Whether a slot of the attic is filled."""

    def protect_kept(self, slot: str, mode: int) -> None:
        """Give a file in a slot its permissions back, where a read-only mark had to be taken off another name of it."""

    def protect(self, path: str, mode: int) -> None:
        """The same for a file at its place."""

    def read_kept(self, slot: str, member: str | None = None) -> Iterator[bytes]:
        """The content of a slot of the attic, or of a member of the archive in it, block by block."""

    def slots(self) -> Iterator[tuple[str, int]]:
        """Every filled slot of the attic, with the size of its file in bytes."""

    def forget(self, slot: str) -> None:
        """Delete the file in a slot of the attic, and folders of the attic that are empty then. Only the user's word
        makes that happen, or that the very same content is still at its place."""

    def prune(self, run: int) -> None:
        """Remove what a run has left of empty folders in the attic."""

    def size(self, path: str) -> int:
        """The size of a file in bytes; 0 if there is none."""

    def link(self, source: Path, path: str, /) -> bool:
        """Give a file of this machine a second name on the rig; False if that cannot be."""

    def local(self, path: str) -> Path:
        """A file on this machine with the content of a path: the file itself, or a copy that was fetched."""

    def local_kept(self, slot: str) -> Path:
        """The same for a slot of the attic."""

    def free(self, path: str) -> Free | None:
        """The room left where a path is to lie; None if nobody says."""

    def free_attic(self) -> Free | None:
        """The room left where the attic and the journals are."""


class Elsewhere(Protocol):
    """The files that a rig's steps take from outside it, by absolute path or address. May raise StoreError."""

    def read(self, path: str, member: str | None) -> Iterator[bytes]:
        """The content of a file, or of a member of an archive."""

    def local(self, path: str) -> Path:
        """A file on this machine with that content."""

    def size(self, path: str) -> int:
        """The size of a file in bytes; 0 if it is not there."""

    def mode(self, path: str) -> int | None:
        """The permissions of a file on this machine; None if it has none that count here."""

    def modified(self, path: str) -> int | None:
        """A file's time of modification, in nanoseconds since 1970; None if that is not known."""


def work_name(to: str, run: Run, number: int) -> str:
    """The file in which a step's content is written before it takes its place."""
    return join(parent(to), f".gribble-{run.number}-{number}.part")


def third_name(to: str, run: Run, number: int) -> str:
    """The name by way of which a file is renamed where old and new name may be one to the volume."""
    return join(parent(to), f".gribble-{run.number}-{number}.third")


def undo_slot(run: Run, number: int, to: str, turn: int = 1) -> str:
    """A slot of the attic for what the undoing of a step takes away."""
    return f"{run.number:04d}{UNDONE}/{number}{f'.{turn}' if turn > 1 else ''}/{base(to)}"
