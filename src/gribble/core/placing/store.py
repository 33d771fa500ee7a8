"""The small interface behind which a rig lives. Paths are relative to its root, with forward slashes.

The attic of a store keeps displaced files in *slots*, named by relative paths of their own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Protocol

Content = Callable[[], Iterator[bytes]]
"""Gives a content block by block, from its beginning each time."""


class StoreError(Exception):
    """The store could not do what was asked; the text says why."""


class StoreLost(StoreError):
    """The rig cannot be reached any more: what was asked last may have been done or not, and nothing more can be."""


class Store(Protocol):
    """A rig's files and its attic. Every method may raise StoreError."""

    def exists(self, path: str) -> bool:
        """Whether a file is there under exactly this spelling."""

    def read(self, path: str, member: str | None = None) -> Iterator[bytes]:
        """The content of a file, or of a member of an archive, block by block."""

    @property
    def reads_back(self) -> bool:
        """Whether what was written is to be proven by reading it back; else its bytes prove it on their way."""

    def write(self, path: str, content: Content, like: str | None = None) -> None:
        """Write a new file and flush it to the disk; what was there under this name is written over.

        It gets the permissions of the file `like`, which it is going to replace, where the store has any.
        """

    def read_back(self, path: str) -> Iterator[bytes]:
        """What lies at a path now, block by block; nothing else may be asked of the store meanwhile."""

    def rename(self, old: str, new: str) -> None:
        """Rename a file over whatever is at the new name, in one instant, and flush the folders."""

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

    def displace(self, path: str, slot: str) -> None:
        """Move a file into the attic; half-way there, only the rest is done."""

    def half_kept(self, path: str, slot: str, /) -> bool:
        """Whether a file is in a slot and still in its place, since its displacing was cut short."""

    def bring_back(self, slot: str, path: str) -> None:
        """Move a file from the attic over whatever is at a path, in one instant; it may be done again."""

    def kept(self, slot: str) -> bool:
        """Whether a slot of the attic is filled."""

    def read_kept(self, slot: str, member: str | None = None) -> Iterator[bytes]:
        """The content of a slot of the attic, or of a member of the archive in it, block by block."""

    def slots(self) -> Iterator[tuple[str, int]]:
        """Every filled slot of the attic, with the size of its file in bytes."""

    def forget(self, slot: str) -> None:
        """Delete the file in a slot of the attic, and folders of the attic that are empty then. Only the user's word
        makes that happen."""

    def size(self, path: str) -> int:
        """The size of a file in bytes; 0 where there is none."""

    def link(self, source: Path, path: str, /) -> bool:
        """Give a file of this machine a second name on the rig; False where that cannot be."""

    def local(self, path: str) -> Path:
        """A file on this machine with the content of a path: the file itself, or a copy that was fetched."""

    def local_kept(self, slot: str) -> Path:
        """The same for a slot of the attic."""

    def free_bytes(self) -> int | None:
        """The room left, in bytes; None where nobody says."""
