"""Comparing releases: by PEP 440 with pre-releases allowed, else by the sheet's own `order`."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable

from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.version import InvalidVersion, Version

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
        return "is no version number (such as 3.1), and the sheet gives no order of releases"
    return None


def range_fault(releases: str, order: tuple[str, ...]) -> str | None:
    """Why a range of releases cannot be used, or None."""
    if not order:
        try:
            SpecifierSet(releases)
        except InvalidSpecifier:
            return "is no range of releases (such as >=3.0,<4)"
        return None
    for clause in releases.split(","):
        match = _CLAUSE.match(clause.strip())
        if not match:
            return "is no range of releases (such as >=r98)"
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
