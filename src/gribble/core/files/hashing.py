"""Digests of byte streams: one read feeds every digest wanted."""

from __future__ import annotations

import hashlib
import io
import os
import sys
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import ExitStack, contextmanager
from pathlib import Path

from gribble.core.base.digests import Digests
from gribble.core.base.regular import open_raw
from gribble.core.base.threads import go_on
from gribble.core.files.inflating import crc32

BLOCK_BYTES = 1 << 20
"""How much is read at a time, in bytes."""

THREADED_BYTES = 16 << 20
"""From this size on a file is worth several threads, in bytes."""

RING, RING_BYTES = 4, 4 << 20
"""How many buffers such a file is read into by turns, and their size in bytes."""


class Digester:
    """Takes a content block by block and gives its size in bytes and its digests."""

    def __init__(self, algorithms: Iterable[str]) -> None:
        wanted = set(algorithms)
        self.size = 0
        self._crc = 0 if "crc32" in wanted else None
        self._hashes = {name: hashlib.new(name, usedforsecurity=False) for name in sorted(wanted - {"crc32"})}

    def update(self, block: bytes | memoryview) -> None:
        """Take the next block. Raises LeftError if nobody wants the digests any more."""
        go_on()
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


@contextmanager
def beside(digester: Digester, size: int) -> Iterator[Callable[[bytes], None]]:
    """What takes the blocks of a content of so many bytes: those of a large one in a thread, a few blocks behind. All
    are taken at the end."""
    if size < THREADED_BYTES:
        yield digester.update
        return
    with ThreadPoolExecutor(1) as thread:
        waiting = deque[Future[None]]()

        def update(block: bytes) -> None:
            if len(waiting) == RING:
                waiting.popleft().result()
            waiting.append(thread.submit(digester.update, block))

        yield update


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
    with open_raw(path) as stream:
        if fresh and sys.platform == "linux":
            os.posix_fadvise(stream.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
        if len(algorithms) == 1 or size < THREADED_BYTES:
            return digest_blocks(_buffered(stream, min(size + 1, BLOCK_BYTES)), algorithms, progress)
        return _digest_threaded(stream, algorithms, progress)


def _buffered(stream: io.FileIO, size: int) -> Iterator[memoryview]:
    """The blocks of a stream, of at most so many bytes; each is good until the next is asked for."""
    view = memoryview(bytearray(size))
    while length := stream.readinto(view):
        yield view[:length]


def _digest_threaded(
    stream: io.FileIO, algorithms: tuple[str, ...], progress: Callable[[int], None] | None
) -> tuple[int, Digests]:
    """One digester a thread, each at its own pace, a few buffers behind what is read."""
    digesters = [Digester([name]) for name in algorithms]
    with ExitStack() as stack:
        threads = [stack.enter_context(ThreadPoolExecutor(1)) for _ in digesters]
        ring = deque((memoryview(bytearray(RING_BYTES)), list[Future[None]]()) for _ in range(RING))
        while True:
            buffer, working = ring.popleft()
            for future in working:  # nobody needs what is in it any more
                future.result()
            length = stream.readinto(buffer)
            if not length:
                break
            go_on()
            block = buffer[:length]
            working = [
                thread.submit(digester.update, block) for thread, digester in zip(threads, digesters, strict=True)
            ]
            ring.append((buffer, working))
            if progress:
                progress(length)
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
