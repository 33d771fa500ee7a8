"""Known contents: which sizes and digests any sheet asks for, and what a file with them is."""

from __future__ import annotations

from collections.abc import Container, Iterable

from msgspec import Struct

from gribble.core.base.digests import Digests
from gribble.core.records.sheet import Accept, Need, Reject, Sheet

UNSIZED_BYTES = 1 << 30
"""Nothing that is known by its digest alone is taken to be longer, in bytes."""


class Known(Struct, frozen=True):
    """One content that a sheet knows, and the need that accepts or rejects it."""

    emulator: str
    need: Need
    content: Accept | Reject

    @property
    def rejected(self) -> bool:
        """Whether the sheet knows it as not working."""
        return isinstance(self.content, Reject)


_ANY = "any"
"""Stands for every CRC-32, where a file's is not known."""


class KnownContents:
    """Every content that the sheets know by a digest, looked up by size and strongest digest.

    This is what keeps a survey quick: `algorithms` tells which digests of a file could matter at all, from its
    size and, where an archive carries it, its CRC-32.
    """

    def __init__(self, sheets: Iterable[Sheet]) -> None:
        self._by_size: dict[int | None, dict[str | None, set[str]]] = {}  # the algorithms, by CRC-32 and for `_ANY`
        self._by_digest: dict[tuple[str, str], list[Known]] = {}
        self._set_sizes: dict[int, frozenset[str]] = {}  # the algorithms for files of sets, by size
        for sheet in sheets:
            for need in (part for whole in sheet.need for part in whole.parts()):
                contents: tuple[Accept | Reject, ...] = (*need.accept, *need.reject)
                for content in contents:
                    self._add(Known(sheet.emulator, need, content))

    def _add(self, known: Known) -> None:
        content = known.content
        strongest = content.strongest()
        if strongest is None:
            return
        sized = self._by_size.setdefault(content.size, {})
        for crc32 in (content.crc32, _ANY):
            sized.setdefault(crc32, set()).add(strongest)
        self._by_digest.setdefault((strongest, content.get(strongest) or ""), []).append(known)

    def want_sets(self, sizes: Iterable[int], algorithms: Iterable[str] = ()) -> None:
        """Files of these sizes may belong to sets: told by CRC-32 and size, and proven by further `algorithms`."""
        wanted = frozenset({"crc32", *algorithms})
        for size in sizes:
            self._set_sizes[size] = self._set_sizes.get(size, wanted) | wanted

    def sized(self) -> KnownContents:
        """The same but for contents of unknown size, which any file at all could be."""
        copy = KnownContents(())
        copy.__dict__.update(self.__dict__)
        copy._by_size = {size: algorithms for size, algorithms in self._by_size.items() if size is not None}
        return copy

    def largest(self) -> int:
        """The size of the largest content that anything wants, in bytes; where one of unknown size is wanted, at least
        `UNSIZED_BYTES`."""
        sizes = (size for size in (*self._by_size, *self._set_sizes) if size is not None)
        return max(*sizes, UNSIZED_BYTES if None in self._by_size else 0, 0)

    def concerned(self) -> Container[int | None]:
        """The sizes that a file could have that is anything known at all."""
        return _Everything() if None in self._by_size else frozenset((*self._set_sizes, *self._by_size))

    def concerns(self, size: int) -> bool:
        """Whether a file of this size could be anything known at all."""
        return self.gives(size) or None in self._by_size

    def gives(self, size: int) -> bool:
        """Whether a sheet or roster gives this very size of a content."""
        return size in self._set_sizes or size in self._by_size

    def algorithms(self, size: int, crc32: str | None = None) -> frozenset[str]:
        """The digests that decide what a file of this size is; empty if nothing known can match.

        `crc32` is a checksum that an archive carries: contents known by another one are ruled out.
        """
        wanted = self._set_sizes.get(size, frozenset())
        for sized in (self._by_size.get(size), self._by_size.get(None)):
            if sized:
                wanted = wanted.union(*(sized.get(one, ()) for one in ((_ANY,) if crc32 is None else (None, crc32))))
        return wanted

    def beyond_crc(self) -> Container[int | None]:
        """The sizes of files that could want another digest than their CRC-32."""
        if None in self._by_size:
            return _Everything()
        more = (size for size, algorithms in self._set_sizes.items() if len(algorithms) > 1)
        return frozenset(self._by_size).union(more, [None])

    def every_algorithm(self) -> frozenset[str]:
        """The digests that decide what a file of unknown size is."""
        for_sets = frozenset[str]().union(*set(self._set_sizes.values()))
        return for_sets.union(algorithm for algorithm, _ in self._by_digest)

    def matches(self, size: int, digests: Digests) -> tuple[Known, ...]:
        """Every known content that a file with this size and these digests is."""
        return tuple(
            known
            for algorithm, digest in digests.known().items()
            for known in self._by_digest.get((algorithm, digest), ())
            if known.content.size in (None, size)
        )


class _Everything:
    """All sizes."""

    def __contains__(self, _size: object) -> bool:
        return True


def is_content(content: Accept | Reject, size: int, digests: Digests) -> bool:
    """Whether a file is this content, proven by the strongest digest the content is known by."""
    strongest = content.strongest()
    if strongest is None or content.size not in (None, size):
        return False
    return digests.get(strongest) == content.get(strongest)
