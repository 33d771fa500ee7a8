"""What a plan has put on rigs so far: where another rig is to be given the same, it is taken from there, so that each
source is read once, however many rigs want it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from msgspec import structs

from gribble.core.base.digests import Digests
from gribble.core.base.paths import outside
from gribble.core.base.regular import open_raw
from gribble.core.files.hashing import BLOCK_BYTES
from gribble.core.placing.contents import algorithm_of
from gribble.core.records.steps import Brought, Copy, Extract, Mend, Pack


class TwinError(Exception):
    """What was put on another rig cannot be read there now."""


class Twin(NamedTuple):
    """A file on a rig of this machine, and the digest that was proven of it when it was put there."""

    path: Path
    digest: str

    def blocks(self) -> Iterator[bytes]:
        """Its content. Raises TwinError."""
        try:
            with open_raw(self.path) as stream:
                while block := stream.read(BLOCK_BYTES):
                    yield block
        except OSError as error:
            raise TwinError(str(error)) from error

    @property
    def algorithm(self) -> str:
        """What its digest was made by."""
        return algorithm_of(self.digest)

    def is_like(self, digests: Digests) -> bool:
        """Whether a content is still what was proven."""
        return digests.get(self.algorithm) == self.digest


class Twins:
    """The files of one plan that are in their places, by what they were made of."""

    def __init__(self) -> None:
        self._there: dict[Brought, Twin] = {}

    def note(self, root: str, step: Brought, digest: str) -> None:
        """A step has been done on the rig with a root."""
        if digest and "://" not in root and (made := _made_of(step)) is not None:
            self._there.setdefault(made, Twin(Path(root, step.to), digest))

    def of(self, step: Brought) -> Twin | None:
        """What the same was put as on another rig."""
        made = _made_of(step) if self._there else None
        return self._there.get(made) if made is not None else None

    def forget(self, step: Brought) -> None:
        """What was put there is not to be relied on."""
        if (made := _made_of(step)) is not None:
            self._there.pop(made, None)


def _made_of(step: Brought) -> Brought | None:
    """A step but for where it puts what it makes; None if that depends on the rig."""
    if not isinstance(step, Copy | Extract | Mend | Pack) or not all(map(outside, step.sources)):
        return None
    made = structs.replace(step, rig="", emulator="", need="", to="", replaces=None)
    return structs.replace(made, surplus=(), left_out=()) if isinstance(made, Pack) else made
