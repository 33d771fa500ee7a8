"""The stock: every holding of sources and rigs, found by content or by name, nearest and safest copy first."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from fnmatch import fnmatchcase
from functools import cached_property

from gribble.core.base.paths import fold
from gribble.core.records.holding import Holding, Holdings, nearness
from gribble.core.records.sheet import Accept
from gribble.core.survey.facts import word_of
from gribble.core.survey.matching import is_content


class Stock:
    """Holdings by digest and by folded name, put in order at the first question.

    Links are left out: they are never copied or moved.
    """

    def __init__(self, holdings: Iterable[Holdings]) -> None:
        self._holdings = tuple(holdings)

    @cached_property
    def _by_digest(self) -> dict[tuple[str, str], list[Holding]]:
        found: dict[tuple[str, str], list[Holding]] = {}
        for holding in self._opened():
            for pair in holding.digests.known().items():
                found.setdefault(pair, []).append(holding)
        return found

    @cached_property
    def _by_stem(self) -> dict[str, list[Holding]]:
        found: dict[str, list[Holding]] = {}
        for holding in self._opened():
            found.setdefault(_stem(holding), []).append(holding)
        return found

    def _opened(self) -> Iterator[Holding]:
        """What is there as it is; members of archives that are sketched are asked for one by one."""
        return (one for each in self._holdings for one in each.opened if not one.fixed)

    def copies(self, accept: Accept, rig: str) -> list[Holding]:
        """Every holding proven to be this content, as near to the rig and as safe as can be first."""
        strongest = accept.strongest()
        if strongest is None:
            return []
        digest = accept.get(strongest) or ""
        found = list(self._by_digest.get((strongest, digest), ()))
        if strongest == "crc32":
            found += self.carrying(digest)
        right = [holding for holding in found if is_content(accept, holding.size, holding.digests)]
        return sorted(right, key=lambda holding: nearness(holding, rig))

    def carrying(self, crc32: str) -> Iterator[Holding]:
        """The members of sketched archives that have a CRC-32."""
        try:
            word = int(crc32, 16)
        except ValueError:
            return
        for archive in (archive for each in self._holdings for archive in each.carrying(word)):
            yield from (one for one in archive.members if one.digests.crc32 == crc32)

    def stems(self, name: str) -> list[Holding]:
        """Holdings whose name is this one up to the first dot, whatever the case and the ending."""
        stem = fold(name).partition(".")[0]
        archives = (archive for each in self._holdings for archive in each.with_stem(word_of(stem)))
        inside = (one for archive in archives for one in archive.members if _stem(one) == stem)
        return [*self._by_stem.get(stem, ()), *inside]

    def namesakes(self, names: Iterable[str], rig: str, *, here: bool = False) -> list[Holding]:
        """Holdings outside the rig, or `here` as well, that go by one of these names, whatever they contain."""
        found = (holding for name in names for holding in self.stems(name) if fold(holding.name) == fold(name))
        return sorted((one for one in found if here or one.rig != rig), key=lambda one: nearness(one, rig))

    def like(self, pattern: str) -> list[Holding]:
        """Holdings whose names, folded, are like a pattern."""
        everything = (one for each in self._holdings for one in each if not one.fixed)
        return [one for one in everything if fnmatchcase(fold(one.name), fold(pattern))]


def _stem(holding: Holding) -> str:
    return fold(holding.name).partition(".")[0]
