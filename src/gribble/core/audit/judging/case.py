"""What an audit is given, and what the auditors of one rig go by."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import NamedTuple

from msgspec import Struct, field

from gribble.core.audit.judging.judge import Judge
from gribble.core.diagnosis.nearmisses import NearMisses
from gribble.core.records.config import Ask
from gribble.core.records.holding import Away, Holding
from gribble.core.records.rig_seen import Obstacles, Readings, RigSeen
from gribble.core.records.sheet import Accept
from gribble.core.survey.holdings import Shelf, Stock
from gribble.core.survey.matching import KnownContents


class Given(Struct, frozen=True, kw_only=True):
    """What an audit is given beside rigs and holdings: what was asked, which contents are known, the near misses, and
    the contents that were read beforehand. `away` are the sources that are not here, with what they hold; `sets` are
    the names that each arcade emulator is asked for, by rig and emulator, where it is not asked for the wanted ones,
    and `among` those to which the wanted ones are narrowed."""

    known: KnownContents
    ask: Ask = Ask()
    near: NearMisses = field(default_factory=NearMisses)
    readings: Readings = Readings()
    away: tuple[Away, ...] = ()
    sets: dict[tuple[str, str], tuple[str, ...]] = {}
    among: dict[tuple[str, str], frozenset[str]] = {}


class RigCase(NamedTuple):
    """One rig under audit; `led` are the right files to which settings lead, by emulator and need."""

    rig: RigSeen
    shelf: Shelf
    stock: Stock
    judge: Judge
    obstacles: Obstacles
    given: Given
    led: Mapping[tuple[str, str], tuple[Holding, ...]] = MappingProxyType({})


class KeysInPlay(NamedTuple):
    """The keys that the firmware of an emulator requires, and those it will have once its key files are put right;
    `unmet` are the needs known already that no plan meets."""

    required: frozenset[str] = frozenset()
    after: frozenset[str] = frozenset()
    unmet: frozenset[str] = frozenset()

    def lets_work(self, accept: Accept) -> bool:
        """Whether a content has the keys and the needs that it requires, or will have them."""
        return self.after.issuperset(accept.requires_keys) and self.unmet.isdisjoint(accept.requires)
