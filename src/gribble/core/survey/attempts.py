"""What came of trying to make something right out of files, remembered in the index.

The index has the digests of all that an attempt made. As long as the files do not change and none of these digests is
wanted, the attempt need not be made again. What is wanted is made again, and proven.
"""

from __future__ import annotations

import hashlib
import os
import time
from collections.abc import Callable, Collection, Mapping
from functools import cached_property
from pathlib import Path

import msgspec

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.files.volumes import keeps_inodes
from gribble.core.records.holding import Holding
from gribble.core.records.recipes import RECIPES_VERSION
from gribble.core.survey.index import SETTLED_NS, Index

MOST_DIGESTS = 4096
"""Nothing is remembered of an attempt that made more."""
SAVE_SECONDS = 5.0
"""How much work a kill can cost, in seconds."""
_DIGESTS = msgspec.msgpack.Decoder(dict[str, bytes])
_ENCODE = msgspec.msgpack.Encoder().encode


class Attempts:
    """What earlier attempts have come to; without an index, nothing is remembered."""

    def __init__(self, open_index: Callable[[], Index] | None = None, *, blank: bool = False) -> None:
        """The index is opened when it is first asked; `blank` begins with nothing, and remembers over it."""
        self._open, self._blank = open_index, blank
        self._new: dict[bytes, bytes] = {}
        self._saved = time.monotonic()
        self._keeps: dict[str, bool] = {}  # whether a folder's files keep their inodes

    def mark(self, holding: Holding) -> str:
        """What a file is known by as it is now; empty for one of which nothing is remembered, since it is on another
        machine, or changed just now."""
        if self._open is None or "://" in holding.root:
            return ""
        try:
            there = os.stat(holding.place)
        except (OSError, ValueError):
            return ""
        if time.time_ns() - there.st_mtime_ns < SETTLED_NS:
            return ""
        if holding.root not in self._keeps:
            self._keeps[holding.root] = keeps_inodes(Path(holding.root))
        inode = there.st_ino if self._keeps[holding.root] else 0
        state = there.st_size, there.st_mtime_ns, there.st_ctime_ns, inode
        return repr((os.fspath(holding.place), holding.member, state))

    def in_vain(self, marks: tuple[str, ...], what: str, wanted: Mapping[str, Collection[str]]) -> bool:
        """Whether an attempt on some marked files has been made before, and nothing that is wanted now came of it.
        `wanted` are digests by algorithm."""
        made = self._made(marks, what) if all(marks) else {}
        return made.keys() >= wanted.keys() and all(made[name].isdisjoint(wanted[name]) for name in wanted)

    def note(self, marks: tuple[str, ...], what: str, made: Mapping[str, Collection[str]]) -> None:
        """Remember an attempt by the digests of all that came of it, by algorithm, beside those of other algorithms."""
        if self._open and all(marks) and sum(map(len, made.values())) <= MOST_DIGESTS:
            made = {**self._made(marks, what), **made}
            packed = {name: b"".join(map(bytes.fromhex, digests)) for name, digests in made.items()}
            self._new[_key(marks, what)] = _ENCODE(packed)
            if time.monotonic() - self._saved > SAVE_SECONDS:
                self._save()

    def _save(self) -> None:
        if self._new and self._index:
            self._index.note_made(self._new)
        self._new, self._saved = {}, time.monotonic()

    def close(self) -> None:
        """Make what was remembered last, and let go of the index."""
        self._save()
        if (index := self.__dict__.pop("_index", None)) is not None:
            index.close()

    @cached_property
    def _index(self) -> Index | None:
        return self._open() if self._open else None

    def _made(self, marks: tuple[str, ...], what: str) -> dict[str, frozenset[str]]:
        """The digests of all that came of an attempt; none if nothing is remembered of it, or it makes no sense."""
        data = self._index.made(_key(marks, what)) if self._index and not self._blank else None
        try:
            made = _DIGESTS.decode(data) if isinstance(data, bytes) else {}
            return {name: _split(digests, HEX_LENGTHS[name] // 2) for name, digests in made.items()}
        except (msgspec.MsgspecError, KeyError):
            return {}


def _key(marks: tuple[str, ...], what: str) -> bytes:
    told = repr((RECIPES_VERSION, marks, what))
    return hashlib.sha256(told.encode("utf-8", "surrogatepass")).digest()


def _split(digests: bytes, length: int) -> frozenset[str]:
    """Digests in hex, each so many bytes long, out of a row of them."""
    return frozenset(digests[at : at + length].hex() for at in range(0, len(digests), length))
