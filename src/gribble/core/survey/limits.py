"""How far a content of unknown size is read, and how much is read at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

from gribble.core.base.digests import Digests

AT_ONCE, AT_ONCE_BYTES = 32, 4 << 20
"""How many files, and how many bytes, a thread is given at a time."""
T = TypeVar("T")


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


def together(files: Iterable[T], size: Callable[[T], int]) -> Iterator[list[T]]:
    """Files in their order, small ones several at once, since handing each to a thread takes longer than reading it;
    `size` tells how many bytes one has."""
    several: list[T] = []
    bytes_ = 0
    for one in files:
        several.append(one)
        bytes_ += size(one)
        if bytes_ >= AT_ONCE_BYTES or len(several) >= AT_ONCE:
            yield several
            several, bytes_ = [], 0
    if several:
        yield several
