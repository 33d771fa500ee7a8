"""An attic: a folder on this machine in which slots hold what runs have displaced."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from pathlib import Path

from gribble.core.base.changing import WINDOWS, remove, remove_folder
from gribble.core.base.names import escaped, unescaped
from gribble.core.base.paths import UNDONE, is_link, is_work_file
from gribble.core.placing.store import Free, StoreError
from gribble.stores.files import free_at, read_blocks, told


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
