"""The stock: every holding of sources and rigs, found by content or by name, nearest and safest copy first."""

from __future__ import annotations

from collections.abc import Iterable
from fnmatch import fnmatchcase
from functools import cached_property

from gribble.core.base.paths import fold
from gribble.core.records.holding import Holding, nearness
from gribble.core.records.sheet import Accept
from gribble.core.survey.matching import is_content


class Stock:
    """Holdings by digest and by folded name, put in order at the first question.

    Links are left out: they are never copied or moved.
    """

    def __init__(self, holdings: Iterable[Holding]) -> None:
        self._holdings = holdings

    @cached_property
    def _by_digest(self) -> dict[tuple[str, str], list[Holding]]:
        found: dict[tuple[str, str], list[Holding]] = {}
        for holding in self._holdings:
            for pair in () if holding.fixed else holding.digests.known().items():
                found.setdefault(pair, []).append(holding)
        return found

    @cached_property
    def _by_name(self) -> dict[str, list[Holding]]:
        found: dict[str, list[Holding]] = {}
        for holding in self._holdings:
            if not holding.fixed:
                found.setdefault(fold(holding.name), []).append(holding)
        return found

    @cached_property
    def _by_stem(self) -> dict[str, list[Holding]]:
        found: dict[str, list[Holding]] = {}
        for name, holdings in self._by_name.items():
            found.setdefault(name.partition(".")[0], []).extend(holdings)
        return found

    def copies(self, accept: Accept, rig: str) -> list[Holding]:
        """Every holding proven to be this content, as near to the rig and as safe as can be first."""
        strongest = accept.strongest()
        if strongest is None:
            return []
        found = self._by_digest.get((strongest, accept.get(strongest) or ""), ())
        right = [holding for holding in found if is_content(accept, holding.size, holding.digests)]
        return sorted(right, key=lambda holding: nearness(holding, rig))

    def stems(self, name: str) -> list[Holding]:
        """Holdings whose name is this one up to the first dot, whatever the case and the ending."""
        return self._by_stem.get(fold(name).partition(".")[0], [])

    def namesakes(self, names: Iterable[str], rig: str, *, here: bool = False) -> list[Holding]:
        """Holdings outside the rig, or `here` as well, that go by one of these names, whatever they contain."""
        found = (holding for name in names for holding in self._by_name.get(fold(name), ()))
        return sorted((one for one in found if here or one.rig != rig), key=lambda one: nearness(one, rig))

    def like(self, pattern: str) -> list[Holding]:
        """Holdings whose names, folded, are like a pattern."""
        return [one for name, group in self._by_name.items() if fnmatchcase(name, fold(pattern)) for one in group]
