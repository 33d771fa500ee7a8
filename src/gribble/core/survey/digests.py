"""Digests of byte streams: one read feeds every digest wanted."""

from __future__ import annotations

import hashlib
import zlib
from collections.abc import Callable, Iterable

from gribble.core.catalogue.records import Digests

BLOCK_BYTES = 1 << 20
"""How much is read at a time, in bytes."""


class Digester:
    """Takes a content block by block and gives its size in bytes and its digests."""

    def __init__(self, algorithms: Iterable[str]) -> None:
        wanted = set(algorithms)
        self.size = 0
        self._crc = 0 if "crc32" in wanted else None
        self._hashes = {name: hashlib.new(name, usedforsecurity=False) for name in sorted(wanted - {"crc32"})}

    def update(self, block: bytes) -> None:
        """Take the next block."""
        self.size += len(block)
        if self._crc is not None:
            self._crc = zlib.crc32(block, self._crc)
        for hasher in self._hashes.values():
            hasher.update(block)

    def digests(self) -> Digests:
        """The digests of all that was taken."""
        found = {name: hasher.hexdigest() for name, hasher in self._hashes.items()}
        if self._crc is not None:
            found["crc32"] = f"{self._crc:08x}"
        return Digests(**found)


def digest_blocks(
    blocks: Iterable[bytes], algorithms: Iterable[str], progress: Callable[[int], None] | None = None
) -> tuple[int, Digests]:
    """Size in bytes and digests of a content. `progress` is told the bytes of each block."""
    digester = Digester(algorithms)
    for block in blocks:
        digester.update(block)
        if progress:
            progress(len(block))
    return digester.size, digester.digests()
