"""How far a content of unknown size is read."""

from __future__ import annotations

from collections.abc import Iterator

from gribble.core.base.digests import Digests


class TooLong(Exception):
    """A content is longer than anything that is wanted."""


def at_most(blocks: Iterator[bytes], limit: int) -> Iterator[bytes]:
    """A content of unknown size, as long as it may still be one that is wanted. Raises TooLong."""
    for block in blocks:
        limit -= len(block)
        if limit < 0:
            raise TooLong
        yield block


def merged(one: Digests, other: Digests) -> Digests:
    """The digests that either knows."""
    return Digests(**{**one.known(), **other.known()})
