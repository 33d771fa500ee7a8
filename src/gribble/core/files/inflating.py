"""Inflate and CRC-32, by the fastest library that is there: isal where it can be had, else zlib. Both say the same of
every sound stream; of a damaged one zlib refuses more codes, which the checksum behind it refuses anyhow.

Source: RFC 1951 (deflate), RFC 1952 (CRC-32).
"""

from __future__ import annotations

import zlib
from collections.abc import Iterable, Iterator
from typing import cast

try:
    from isal import isal_zlib as fast
except ImportError:  # there is no wheel for this machine
    import zlib as fast  # type: ignore[no-redef]

crc32 = fast.crc32
INFLATE_ERRORS = (zlib.error, cast(type[Exception], fast.error))
"""What a damaged stream raises."""


def gzipped(blocks: Iterable[bytes]) -> Iterator[bytes]:
    """Return the gzip stream of some blocks, packed as quickly as may be: digests hardly pack. Source: RFC 1952."""
    packer = fast.compressobj(1, zlib.DEFLATED, zlib.MAX_WBITS | 16)
    for block in blocks:
        yield packer.compress(block)
    yield packer.flush()


def inflated(blocks: Iterable[bytes], most: int) -> Iterator[bytes]:
    """The content of a raw deflate stream, at most so many bytes at a time. It ends where the stream does, or where
    the blocks do. Raises one of `INFLATE_ERRORS` where the stream makes no sense."""
    unpacker = fast.decompressobj(-zlib.MAX_WBITS)
    for block in blocks:
        rest = block
        while not unpacker.eof:
            content = unpacker.decompress(rest, most)
            if content:
                yield content
            stuck = not content and len(unpacker.unconsumed_tail) == len(rest)
            rest = unpacker.unconsumed_tail
            if stuck or (not rest and len(content) < most):
                break
        if unpacker.eof:
            return
    if content := unpacker.flush():
        yield content
