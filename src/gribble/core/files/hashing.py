"""Digests of byte streams: one read feeds every digest wanted."""

from __future__ import annotations

import hashlib
import io
import itertools
import os
import sys
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from gribble.core.base.digests import Digests
from gribble.core.files.inflating import crc32

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
            self._crc = crc32(block, self._crc)
        for hasher in self._hashes.values():
            hasher.update(block)

    def digests(self) -> Digests:
        """The digests of all that was taken."""
        found = {name: hasher.hexdigest() for name, hasher in self._hashes.items()}
        if self._crc is not None:
            found["crc32"] = f"{self._crc:08x}"
        return Digests(**found)


def digest_file(
    path: Path,
    size: int,
    algorithms: Iterable[str],
    progress: Callable[[int], None] | None = None,
    *,
    fresh: bool = False,
) -> tuple[int, Digests]:
    """Size in bytes and digests of a file, read once. A lone large file gets a thread for each digest.

    `size` is what it is expected to be; a `fresh` one comes from the disk, not from what the system has in memory of
    it, where that can be asked for (posix_fadvise(2)). Raises OSError.
    """
    algorithms = tuple(algorithms)
    with path.open("rb", buffering=0) as stream:
        if fresh and sys.platform == "linux":
            os.posix_fadvise(stream.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
        if len(algorithms) == 1 or size < THREADED_BYTES:
            return digest_blocks(_buffered(stream, min(size + 1, BLOCK_BYTES), 1), algorithms, progress)
        return _digest_threaded(stream, algorithms, progress)


def _buffered(stream: io.RawIOBase | io.FileIO, size: int, buffers: int) -> Iterator[memoryview]:
    """The blocks of a stream, of at most so many bytes, in buffers by turns: with two, a block is good until the
    next but one is asked for."""
    views = [memoryview(bytearray(size)) for _ in range(buffers)]
    for turn in itertools.count():
        view = views[turn % buffers]
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
        for block in _buffered(stream, BLOCK_BYTES, 2):
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
