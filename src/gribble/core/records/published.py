"""The index of a published catalogue: `catalogue.json`."""

from __future__ import annotations

import datetime

from msgspec import Struct

FORMAT = "catalogue/1"
INDEX, SIGNATURE = "catalogue.json", "catalogue.sig"
"""The names of the index and of its signature."""


class Inside(Struct, frozen=True):
    """What is in a packed file: the file of the catalogue that it is, or is a part of, and the size and SHA-256 of what
    comes out. Several parts of one file stand in the index in their order."""

    path: str
    size: int
    sha256: str


class Part(Struct, frozen=True, omit_defaults=True):
    """One published file, below the folder of the index; without `of` it is a file of the catalogue as it is."""

    path: str
    size: int
    sha256: str
    of: Inside | None = None

    @property
    def inside(self) -> Inside:
        """What comes out of it."""
        return self.of or Inside(self.path, self.size, self.sha256)


class Index(Struct, frozen=True, omit_defaults=True):
    """The index. `number` grows with each publishing; `date` is a day; `needs_gribble` is a range of
    versions, such as >=0.2; `signer` is `ed25519:` and the public key in base64."""

    gribble: str
    title: str
    number: int
    date: datetime.date
    needs_gribble: str
    files: tuple[Part, ...]
    signer: str | None = None

    @property
    def contents(self) -> dict[str, list[Part]]:
        """The files of the catalogue by name, each with its parts in their order."""
        found: dict[str, list[Part]] = {}
        for part in self.files:
            found.setdefault(part.inside.path, []).append(part)
        return found

    @property
    def bytes(self) -> int:
        """What is fetched for all of it, in bytes."""
        return sum(part.size for part in self.files)
