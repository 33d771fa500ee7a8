"""What an audit is asked, and what the auditors of one rig go by."""

from __future__ import annotations

from typing import NamedTuple

from msgspec import Struct, field

from gribble.core.audit.judging.judge import Judge
from gribble.core.diagnosis.nearmisses import NearMisses
from gribble.core.records.away import Away
from gribble.core.records.obstacles import Obstacles
from gribble.core.records.readings import Readings
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.sheet import Accept
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.shelf import Shelf
from gribble.core.survey.stock import Stock


class Ask(Struct, frozen=True, kw_only=True):
    """What an audit is asked with: which contents are known, the near misses, and the contents that were read
    beforehand. `games` adds game folders, `packing` what would put sets right; `away` are the sources that are not
    here, with what they hold."""

    known: KnownContents
    near: NearMisses = field(default_factory=NearMisses)
    readings: Readings = Readings()
    games: bool = False
    packing: bool = False
    away: tuple[Away, ...] = ()


class RigCase(NamedTuple):
    """One rig under audit."""

    rig: RigSeen
    shelf: Shelf
    stock: Stock
    judge: Judge
    obstacles: Obstacles
    ask: Ask


class KeysInPlay(NamedTuple):
    """The keys that the firmware of an emulator requires, and those it will have once its key files are put right;
    `unmet` are the needs known already that no plan meets."""

    required: frozenset[str] = frozenset()
    after: frozenset[str] = frozenset()
    unmet: frozenset[str] = frozenset()

    def lets_work(self, accept: Accept) -> bool:
        """Whether a content has the keys and the needs that it requires, or will have them."""
        return self.after.issuperset(accept.requires_keys) and self.unmet.isdisjoint(accept.requires)
