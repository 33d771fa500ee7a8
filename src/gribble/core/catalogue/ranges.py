"""Which releases a range names, and which of several accepted contents a person would rather have."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterable
from typing import TypeVar

from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.version import InvalidVersion, Version

from gribble.core.records.config import Liking
from gribble.core.records.sheet import Accept

_CLAUSE = re.compile(r"^(>=|<=|==|!=|>|<)\s*(.+)$")
_OPERATORS: dict[str, Callable[[int, int], bool]] = {
    ">=": operator.ge, "<=": operator.le, "==": operator.eq, "!=": operator.ne, ">": operator.gt, "<": operator.lt,
}  # fmt: skip


def release_fault(release: str, order: tuple[str, ...]) -> str | None:
    """Why a release cannot be compared, or None."""
    if order:
        return None if release in order else f"is not in the sheet's order: {', '.join(order)}"
    try:
        Version(release)
    except InvalidVersion:
        return "is not a version number (such as 3.1), and the sheet has no order of releases"
    return None


def range_fault(releases: str, order: tuple[str, ...]) -> str | None:
    """Why a range of releases cannot be used, or None."""
    if not order:
        try:
            SpecifierSet(releases)
        except InvalidSpecifier:
            return "is not a range of releases (such as >=3.0,<4)"
        return None
    for clause in releases.split(","):
        match = _CLAUSE.match(clause.strip())
        if not match:
            return "is not a range of releases (such as >=r98)"
        if match[2] not in order:
            return f"names {match[2]}, which is not in the sheet's order: {', '.join(order)}"
    return None


def concerns(releases: str | None, release: str | None, order: tuple[str, ...]) -> bool:
    """Whether a range of releases holds this one.

    An absent range holds every release. An unknown release (None, or one that cannot be compared) counts as the
    newest known: the last of `order`, else newer than every bound.
    """
    if releases is None:
        return True
    if order:
        place = order.index(release) if release in order else len(order) - 1
        matches = [_CLAUSE.match(clause.strip()) for clause in releases.split(",")]
        return all(_OPERATORS[match[1]](place, order.index(match[2])) for match in matches if match)
    if release is None or release_fault(release, order):
        release = "999999"
    return SpecifierSet(releases).contains(release, prereleases=True)


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
