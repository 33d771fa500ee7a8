"""Which of several accepted contents a person would rather have."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import TypeVar

from packaging.version import InvalidVersion, Version

from gribble.core.records.config import Liking
from gribble.core.records.sheet import Accept

T = TypeVar("T")
_PARTS = re.compile(r"\d+|[^\W\d_]+")


def by_liking(accepts: Iterable[Accept], liking: Liking) -> list[Accept]:
    """Contents by the person's regions, then, where the newest is wished, by version, then as they stand.

    Versions are compared by PEP 440 where all of them are versions of that kind, else by their numbers and words in
    turn; a content without a version comes last of its region.
    """
    found = list(accepts)
    if liking.newest:
        ages = dict(zip(map(id, found), _ages([accept.version for accept in found]), strict=True))
        found.sort(key=lambda accept: ages[id(accept)], reverse=True)
    return sorted(found, key=lambda accept: _rank(accept, liking.regions))


def _rank(accept: Accept, regions: tuple[str, ...]) -> int:
    return regions.index(accept.region) if accept.region in regions else len(regions)


def _ages(versions: list[str | None]) -> list[int]:
    """How new each of some versions is among them: 0 for none at all."""
    told = {version for version in versions if version}
    try:
        order = _places({version: Version(version) for version in told})
    except InvalidVersion:
        order = _places({version: _natural(version) for version in told})
    return [order[version] if version else 0 for version in versions]


def _places(keys: dict[str, T]) -> dict[str, int]:
    distinct = sorted(set(keys.values()))  # type: ignore[type-var]
    return {version: distinct.index(key) + 1 for version, key in keys.items()}


def _natural(version: str) -> tuple[tuple[int, int, str], ...]:
    """Its numbers and words in turn; at one place a number is more than a word."""
    parts = _PARTS.findall(version)
    return tuple((1, int(part), "") if part.isdecimal() else (0, 0, part.casefold()) for part in parts)
