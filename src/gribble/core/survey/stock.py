"""The stock: every holding of sources and rigs, found by content or by name, nearest and safest copy first."""

from __future__ import annotations

from collections.abc import Iterable
from fnmatch import fnmatchcase

from gribble.core.base.paths import fold
from gribble.core.records.holding import Holding, Holdings, nearness
from gribble.core.records.sheet import Accept
from gribble.core.survey.matching import is_content


class Stock:
    """Holdings by digest and by name.

    Links are left out: they are never copied or moved.
    """

    def __init__(self, holdings: Iterable[Holdings]) -> None:
        self._holdings = tuple(holdings)

    def copies(self, accept: Accept, rig: str) -> list[Holding]:
        """Every holding proven to be this content, as near to the rig and as safe as can be first."""
        strongest = accept.strongest()
        if strongest is None:
            return []
        digest = accept.get(strongest) or ""
        found = (one for each in self._holdings for one in each.with_digest(strongest, digest))
        right = [holding for holding in found if is_content(accept, holding.size, holding.digests)]
        return sorted(right, key=lambda holding: nearness(holding, rig))

    def expect(self, names: Iterable[str]) -> None:
        """Be ready for these names to be asked for; each other one costs a look at every archive's sketch."""
        stems = {fold(name).partition(".")[0] for name in names}
        for each in self._holdings:
            each.expect(stems)

    def stems(self, name: str) -> list[Holding]:
        """Holdings whose name is this one up to the first dot, whatever the case and the ending."""
        stem = fold(name).partition(".")[0]
        return [one for each in self._holdings for one in each.with_stem(stem)]

    def namesakes(self, names: Iterable[str], rig: str, *, here: bool = False) -> list[Holding]:
        """Holdings outside the rig, or `here` as well, that go by one of these names, whatever they contain."""
        found = (holding for name in names for holding in self.stems(name) if fold(holding.name) == fold(name))
        return sorted((one for one in found if here or one.rig != rig), key=lambda one: nearness(one, rig))

    def like(self, pattern: str) -> list[Holding]:
        """Holdings whose names, folded, are like a pattern."""
        everything = (one for each in self._holdings for one in each if not one.fixed)
        return [one for one in everything if fnmatchcase(fold(one.name), fold(pattern))]
