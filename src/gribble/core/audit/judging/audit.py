"""The audit: every need of a rig against everything held. Pure: no disk, no clock, no printing."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from itertools import chain

from msgspec import structs

from gribble.core.audit.judging.case import Given, KeysInPlay, RigCase
from gribble.core.audit.judging.choices import settle
from gribble.core.audit.judging.connecting import AwaySources
from gribble.core.audit.judging.firmware import FirmwareFitter
from gribble.core.audit.judging.games import GamesAuditor
from gribble.core.audit.judging.judge import Judge
from gribble.core.audit.judging.needs import NeedsAuditor
from gribble.core.audit.judging.serving import Serving
from gribble.core.audit.judging.sets import SetsAuditor
from gribble.core.audit.judging.settings import SettingsAuditor, check_root
from gribble.core.audit.judging.spare import spare_files
from gribble.core.records.findings import EmulatorAudit, NeedFinding, RigAudit
from gribble.core.records.holding import Holdings, Why
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import Obstacles, RigSeen, UnknownEmulator
from gribble.core.records.sheet import Need
from gribble.core.survey.holdings import Stock
from gribble.core.survey.shelf import Shelf


def audit(rigs: Iterable[RigSeen], elsewhere: Iterable[Holdings], given: Given) -> tuple[RigAudit, ...]:
    """The audit of each rig. `elsewhere` is what is held on none of them; what other rigs hold counts, too."""
    rigs, elsewhere = tuple(rigs), list(elsewhere)
    stock = Stock([*elsewhere, *(rig.holdings for rig in rigs)])
    places = chain.from_iterable(group for rig in rigs for one in rig.emulators for group in one.places.values())
    names = [name for place in places for name in place.need.names]
    away = AwaySources(given.away)
    stock.expect(names)
    away.expect(names)
    judge = Judge(given.known, given.readings, given.near.no_dumps)
    found = []
    for rig in rigs:
        shelf = Shelf(rig)
        case = RigCase(rig, shelf, stock, judge, _obstacles(rig, shelf), given)
        others = (other.holdings for other in rigs if other is not rig)
        found.append(_Auditor(case, [*elsewhere, *others], away).audit())
    return tuple(found)


def _obstacles(rig: RigSeen, shelf: Shelf) -> Obstacles:
    """What is in the way on a rig."""
    return Obstacles(
        files=frozenset(shelf.loose),
        folders=rig.folders,
        things={path: odd.why for path, odd in rig.odd.items() if odd.kind in (Why.THING, Why.OUT)},
        outward=rig.outward,
        inward=rig.inward,
        sources=rig.sources,
        folds_case=rig.folds_case,
    )


class _Auditor:
    """Audits one rig in stages. First it notes which files serve where they lie. Then it judges each need by what is
    there, what is held, and what others want of the same place. It checks whether firmware, keys and release fit, and
    looks for what is missing in sources that are away. Choices come last, when every need is known."""

    def __init__(self, case: RigCase, elsewhere: list[Holdings], away: AwaySources) -> None:
        self._settings = SettingsAuditor(case)
        led = ((one.emulator, self._settings.led_to(one)) for one in case.rig.emulators)
        case = case._replace(led={(name, id_): there for name, found in led for id_, there in found.items()})
        self._case, self._rig, self._away = case, case.rig, away
        self._serving = Serving(case)
        self._needs = NeedsAuditor(case, self._serving)
        self._firmware = FirmwareFitter(case, self._needs, self._serving)
        self._sets = SetsAuditor(case, elsewhere, away)
        self._games = GamesAuditor(case) if case.given.ask.games else None

    def audit(self) -> RigAudit:
        """Sets first, as nothing beside them matters to some questions."""
        rig = self._rig
        if rig.away:
            return RigAudit(rig=rig.name, root=rig.root, away=rig.away, folds_case=rig.folds_case)
        emulators = [
            EmulatorAudit(
                emulator=fitted.emulator,
                title=fitted.title,
                release=fitted.release,
                note=fitted.note,
                findings=(),
                arcade=self._sets.audit(fitted),
            )
            for fitted in rig.emulators
        ]
        if not self._case.given.ask.sets_only:
            emulators = self._with_needs(emulators)
        return RigAudit(
            rig=rig.name,
            root=rig.root,
            emulators=(*emulators, *map(_unknown, rig.unknown)),
            new=rig.new,
            folds_case=rig.folds_case,
            obstacles=structs.replace(
                self._case.obstacles,
                serving=self._serving.owners,
                for_sets={one.emulator: one.arcade.uses for one in emulators},
            ),
        )

    def _with_needs(self, emulators: list[EmulatorAudit]) -> list[EmulatorAudit]:
        """The emulators with all that is wanted beside sets, and the files that no sheet knows."""
        findings = [self._needs_of(fitted) for fitted in self._rig.emulators]
        spare = spare_files(self._case, self._serving, chain.from_iterable(findings))
        return [
            structs.replace(
                one,
                findings=group,
                settings=self._settings.audit(fitted, group),
                root=check_root(fitted, self._rig, self._case.shelf),
                games=self._games.audit(fitted) if self._games else None,
                spare=tuple(spare.get(fitted.emulator, ())),
            )
            for one, fitted, group in zip(emulators, self._rig.emulators, findings, strict=True)
        ]

    def _needs_of(self, fitted: Fitted) -> tuple[NeedFinding, ...]:
        """The needs of an emulator, in such an order that it is known of each what it requires: keys first, since
        firmware may require them, and what a content requires before it."""
        keys = KeysInPlay(self._firmware.required(fitted))
        of_keys = {need.id: self._needs.find(fitted, need, keys) for need in fitted.needs if need.key}
        now, after = self._firmware.keys_of(of_keys.values())
        keys = keys._replace(after=after)
        found: dict[str, NeedFinding] = {}
        for need in _requirements_first(fitted.needs):
            one = of_keys.get(need.id) or self._firmware.fit(fitted, self._needs.find(fitted, need, keys), keys, now)
            one = found[need.id] = self._away.connected(one, partial(self._needs.preferred, keys=keys))
            if not (one.met or one.fixable):
                keys = keys._replace(unmet=keys.unmet | {need.id})
        return settle(tuple(found[need.id] for need in fitted.needs), fitted.liking, self._case.given.ask.prefer)


def _unknown(one: UnknownEmulator) -> EmulatorAudit:
    """What is true of an emulator without a sheet: nothing that could be said."""
    return EmulatorAudit(
        emulator=one.emulator, title=one.emulator, release=one.release, note=one.why, findings=(), unknown=one
    )


def _requirements_first(needs: Iterable[Need]) -> Iterable[Need]:
    """Needs in such an order that each comes after those which one of its contents requires."""
    by_id = {need.id: need for need in needs}
    told: set[str] = set()

    def tell(need: Need) -> Iterable[Need]:
        if need.id not in told:
            told.add(need.id)
            for id_ in sorted(need.requires & by_id.keys()):
                yield from tell(by_id[id_])
            yield need

    for need in by_id.values():
        yield from tell(need)
