"""The index of a published catalogue: `catalogue.json`."""

from __future__ import annotations

import datetime
from collections.abc import Iterator

from msgspec import Struct

FORMAT = "catalogue/1"
INDEX, SIGNATURE = "catalogue.json", "catalogue.sig"
"""The names of the index and of its signature."""


class Block(Struct, frozen=True, array_like=True):
    """A packed piece of a file: the SHA-256 and the size of what comes out of it, and its own size, in bytes."""

    sha256: str
    size: int
    packed: int


class Piece(Struct, frozen=True):
    """What is fetched as one file: where it is, its size, and the size and SHA-256 of what it brings."""

    path: str
    packed: int
    size: int
    sha256: str
    is_packed: bool


class Listed(Struct, frozen=True, omit_defaults=True):
    """A file of the catalogue: its name, size and SHA-256. With `blocks` it travels in packed pieces, in that order."""

    path: str
    size: int
    sha256: str
    blocks: tuple[Block, ...] = ()

    @property
    def pieces(self) -> Iterator[Piece]:
        """What is fetched for it."""
        if not self.blocks:
            yield Piece(self.path, self.size, self.size, self.sha256, is_packed=False)
        for one in self.blocks:
            yield Piece(f"{self.path}.parts/{one.sha256[:20]}.gz", one.packed, one.size, one.sha256, is_packed=True)


class Index(Struct, frozen=True, omit_defaults=True):
    """The index. `number` grows with each publishing; `date` is a day; `needs_gribble` is a range of versions, such as
    >=0.2; `signer` is `ed25519:` and the public key in base64."""

    gribble: str
    title: str
    number: int
    date: datetime.date
    needs_gribble: str
    files: tuple[Listed, ...]
    signer: str | None = None

    @property
    def bytes(self) -> int:
        """What is fetched for all of it, in bytes."""
        return sum(piece.packed for one in self.files for piece in one.pieces)
