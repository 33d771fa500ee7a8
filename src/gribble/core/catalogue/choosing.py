"""Which roster goes with an installed release, and which of its sets are wanted."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec
from packaging.version import InvalidVersion, Version

from gribble.core.base.errors import Mistake
from gribble.core.catalogue.rosters import UNREADABLE, load_roster, read_head
from gribble.core.records.roster import ArcadeWorld, Roster, RosterHead

Load = Callable[[Path], tuple[Roster | None, list[Mistake]]]
"""What has the roster in a file and its mistakes: `load_roster`, or a store's."""


def choose_roster(
    paths: tuple[Path, ...], release: str | None, order: tuple[str, ...], load: Load = load_roster
) -> ArcadeWorld:
    """The roster of a release, else of the nearest older one, which is said; without a release the newest."""
    heads: list[tuple[RosterHead, Path]] = []
    mistakes = []
    for path in paths:
        try:
            heads.append((read_head(path), path))
        except (OSError, *UNREADABLE) as error:
            mistakes.append(Mistake(str(path), "line 1", f"is no head of a roster: {error}"))
    if not heads:
        return ArcadeWorld(roster=None, note="no roster says which sets there are", mistakes=tuple(mistakes))
    heads.sort(key=lambda pair: _age(pair[0].release, order))
    chosen, note = heads[-1], ""
    if release is not None:
        older = [pair for pair in heads if _age(pair[0].release, order) <= _age(release, order)]
        exact = [pair for pair in heads if pair[0].release == release]
        chosen = exact[0] if exact else older[-1] if older else heads[0]
        if not exact:
            note = f"no roster of release {release}; that of {chosen[0].release} is taken"
    roster, found = load(chosen[1])
    unread = tuple(path for head, path in reversed(heads) if path != chosen[1])
    return ArcadeWorld(roster=roster, unread=unread, note=note, mistakes=(*mistakes, *found))


def with_others(arcade: ArcadeWorld, load: Load = load_roster) -> ArcadeWorld:
    """The same with the rosters of the other releases read; one that cannot be read is left out."""
    others = tuple(roster for path in arcade.unread if (roster := load(path)[0]))
    return msgspec.structs.replace(arcade, others=(*arcade.others, *others), unread=())


def _age(release: str, order: tuple[str, ...]) -> tuple[int, Version]:
    """What releases are sorted by: the sheet's order, else PEP 440; what is unknown counts as newest."""
    if order:
        return (order.index(release) if release in order else len(order), Version("0"))
    try:
        return (0, Version(release))
    except InvalidVersion:
        return (1, Version("0"))
