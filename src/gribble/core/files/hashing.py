"""Digests of byte streams: one read feeds every digest wanted."""

from __future__ import annotations

import hashlib
import io
import itertools
import zlib
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from gribble.core.base.digests import Digests

BLOCK_BYTES = 1 << 20
"""How much is read at a time, in bytes."""

THREADED_BYTES = 16 << 20
"""From this size on a file is worth several threads, in bytes."""


class Digester:
    """Takes a content block by block and gives its size in bytes and its digests."""

    def __init__(self, algorithms: Iterable[str]) -> None:
        wanted = set(algorithms)
        self.size = 0
        self._crc = 0 if "crc32" in wanted else None
        self._hashes = {name: hashlib.new(name, usedforsecurity=False) for name in sorted(wanted - {"crc32"})}

    def update(self, block: bytes | memoryview) -> None:
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


def digest_file(
    path: Path, size: int, algorithms: Iterable[str], progress: Callable[[int], None] | None = None
) -> tuple[int, Digests]:
    """Size in bytes and digests of a file, read once. A lone large file gets a thread for each digest.

    `size` is what it is expected to be. Raises OSError.
    """
    algorithms = tuple(algorithms)
    with path.open("rb", buffering=0) as stream:
        if len(algorithms) == 1 or size < THREADED_BYTES:
            return digest_blocks(_buffered(stream), algorithms, progress)
        return _digest_threaded(stream, algorithms, progress)


def _buffered(stream: io.RawIOBase | io.FileIO) -> Iterator[memoryview]:
    """The blocks of a stream, in two buffers by turns: a block is good until the next but one is asked for."""
    buffers = [bytearray(BLOCK_BYTES), bytearray(BLOCK_BYTES)]
    for turn in itertools.count():
        view = memoryview(buffers[turn % 2])
        length = stream.readinto(view)
        if not length:
            return
        yield view[:length]


def _digest_threaded(
    stream: io.RawIOBase | io.FileIO, algorithms: tuple[str, ...], progress: Callable[[int], None] | None
) -> tuple[int, Digests]:
    """One digester a thread; while they work on a block the next one is read."""
    digesters = [Digester([name]) for name in algorithms]
    with ThreadPoolExecutor(len(digesters)) as pool:
        working: list[Future[None]] = []
        for block in _buffered(stream):
            for future in working:
                future.result()
            working = [pool.submit(digester.update, block) for digester in digesters]
            if progress:
                progress(len(block))
    found = {name: value for digester in digesters for name, value in digester.digests().known().items()}
    return digesters[0].size, Digests(**found)


def digest_blocks(
    blocks: Iterable[bytes | memoryview], algorithms: Iterable[str], progress: Callable[[int], None] | None = None
) -> tuple[int, Digests]:
    """Size in bytes and digests of a content. `progress` is told the bytes of each block."""
    digester = Digester(algorithms)
    for block in blocks:
        digester.update(block)
        if progress:
            progress(len(block))
    return digester.size, digester.digests()
