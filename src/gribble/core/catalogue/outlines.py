"""What is told of sets in outline, for many at once; and the sets of a roster that is all in memory."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Collection, Iterable, Iterator, Sequence
from contextlib import suppress
from functools import cached_property
from typing import NamedTuple

from gribble.core.records.roster import ArcadeSet, Content, FileSize, FileState, Outline, SetFile, Sets

_MOST_SIZE = 1 << 32
"""From this size on, in bytes, a file is told by its digest alone, not in an outline."""
_GOOD = FileState.GOOD
NUMBER_BITS = 24
"""How many bits the number of a set takes."""


class Told(NamedTuple):
    """Some sets in outline, the sizes of their files, and by which contents each is found: the first 32 bits of a
    digest, behind which stands the set's number."""

    outlines: list[Outline]
    sizes: set[FileSize]
    found: list[int]


def tell(sets: Sequence[ArcadeSet], first: int = 0) -> Told:
    """What is told of some sets, which are numbered from the `first`. Most are plain: they are told in bulk, at a
    fraction of the cost."""
    plain = [one for one in sets if _is_plain(one)]
    files = [file for one in plain for file in one.files]
    sizes = [file.size or 0 for file in files]
    if (heads := _numbers([file.crc32 or "" for file in files], sizes)) is None:
        plain, files, sizes, heads = [], [], [], ()
    keys = [head << 32 | size for head, size in zip(heads, sizes, strict=True)]
    theirs = [file.parent_name is not None or file.bios_name is not None for file in files]
    told, start, waiting = Told([], _sizes_of(files), []), 0, iter(plain)
    following = next(waiting, None)
    for number, one in enumerate(sets, first):
        own: tuple[int, ...] | None = None
        shared: tuple[int, ...] | None = None
        if one is following:
            end = start + len(one.files)
            own, shared, is_theirs = tuple(keys[start:end]), (), theirs[start:end]
            told.found.extend([key >> 32 << NUMBER_BITS | number for key in own])
            if True in is_theirs:
                shared = tuple([key for key, other in zip(own, is_theirs, strict=True) if other])
                own = tuple([key for key, other in zip(own, is_theirs, strict=True) if not other])
            start, following = end, next(waiting, None)
        else:
            told.found.extend(head_of(content) << NUMBER_BITS | number for content in one.contents)
            told.sizes.update(_sizes_of(one.files))
        told.outlines.append(Outline(one.set, one.kind, one.plays, one.parent, one.bios, one.devices, own, shared))
    return told


def _is_plain(one: ArcadeSet) -> bool:
    """Whether every file of a set is required, and known by a CRC-32 and a size."""
    return not one.discs and not [
        file
        for file in one.files
        if file.crc32 is None
        or file.size is None
        or file.optional
        or file.choice is not None
        or file.variant is not None
        or file.state is not _GOOD
    ]


def _numbers(checksums: list[str], sizes: list[int]) -> Sequence[int] | None:
    """CRC-32s as numbers; None where one is malformed, and matches nothing, or a size is none of a file."""
    if not checksums or min(sizes) < 0 or max(sizes) >= _MOST_SIZE:
        return None if checksums else ()
    joined = "".join(checksums)
    with suppress(ValueError):
        packed = bytes.fromhex(joined)
        if packed.hex() == joined and set(map(len, checksums)) <= {8}:
            return struct.unpack(f">{len(checksums)}I", packed)
    return None


def _sizes_of(files: Sequence[SetFile]) -> set[FileSize]:
    """The sizes of some files that have one. Most have a CRC-32 and a SHA-1."""
    other = [one for one in files if not one.sha1 or one.sha256 is not None or one.crc32 is None]
    known = {(one.size, one.crc32 is not None, one.strongest()) for one in other}
    if len(other) < len(files):
        usual = [one for one in files if one.sha1 and one.sha256 is None and one.crc32 is not None] if other else files
        known |= {(size, True, "sha1") for size in {one.size for one in usual}}
    return {FileSize(size, crc32, strongest) for size, crc32, strongest in known if size}


def head_of(content: Content) -> int:
    """32 bits by which a content is found: the first of its digest, or made of what is said to be one."""
    digest = content[2]
    try:
        return int(digest[:8], 16) & 0xFFFFFFFF
    except ValueError:
        return zlib.crc32(digest.encode(errors="surrogatepass"))


class LoadedSets(Sets):
    """All sets of a roster in memory."""

    def __init__(self, sets: dict[str, ArcadeSet]) -> None:
        self._sets = sets

    def __getitem__(self, name: str) -> ArcadeSet:
        return self._sets[name]

    def __contains__(self, name: object) -> bool:
        return name in self._sets

    def __iter__(self) -> Iterator[str]:
        return iter(self._sets)

    def __len__(self) -> int:
        return len(self._sets)

    @cached_property
    def _told(self) -> Told:
        return tell(list(self._sets.values()))

    def outlines(self) -> Iterable[Outline]:
        """Every set in outline."""
        return self._told.outlines

    def having(self, contents: Collection[Content]) -> Iterator[ArcadeSet]:
        """The sets that list one of some contents, in order."""
        wanted = frozenset(contents)
        return (one for one in self._sets.values() if not wanted.isdisjoint(one.contents))

    def sizes(self) -> Collection[FileSize]:
        """The sizes of files that a survey has to look out for."""
        return self._told.sizes
