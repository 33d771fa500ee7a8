"""The audit: every need of a rig against everything held. Pure: no disk, no clock, no printing."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from itertools import chain

from msgspec import structs

from gribble.core.arcade.cabinet import cabinet_of
from gribble.core.arcade.discs import Discs, samples_of
from gribble.core.arcade.packing import HowPacked, in_use, pack_sets
from gribble.core.arcade.sets import asks_others, audit_set, lying_aside, nothing_wanted, wanted_sets
from gribble.core.arcade.wanting import variant_faults
from gribble.core.audit.judging.case import Given, KeysInPlay, RigCase
from gribble.core.audit.judging.choices import AwaySources, settle
from gribble.core.audit.judging.firmware import FirmwareFitter
from gribble.core.audit.judging.games import GamesAuditor
from gribble.core.audit.judging.judge import Judge
from gribble.core.audit.judging.needs import NeedsAuditor
from gribble.core.audit.judging.serving import Serving, spare_files
from gribble.core.audit.judging.settings import SettingsAuditor, check_root
from gribble.core.records.findings import ArcadeAudit, Aside, EmulatorAudit, NeedFinding, RigAudit, SetAudit
from gribble.core.records.holding import Holdings, Why
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import Obstacles, RigSeen, UnknownEmulator
from gribble.core.records.set_remedies import SetRemedies
from gribble.core.records.sheet import Need
from gribble.core.survey.holdings import Shelf, Stock


class SetsAuditor:
    """Audits the sets of a rig's arcade emulators; `elsewhere` is what is held on no part of it."""

    def __init__(self, case: RigCase, elsewhere: list[Holdings], away: AwaySources) -> None:
        self._case, self._rig, self._shelf = case, case.rig, case.shelf
        self._elsewhere, self._away = elsewhere, away

    def audit(self, fitted: Fitted) -> ArcadeAudit:
        """The wanted sets, what would put them right, and whether other releases' rosters could say more of them."""
        arcade, ask = self._rig.arcade.get(fitted.emulator), self._case.given.ask
        style = ask.style or fitted.installed.style
        if fitted.arcade is None or arcade is None or arcade.roster is None:
            return ArcadeAudit(note=arcade.note if arcade else "", style=style)
        roster, cabinet = arcade.roster, cabinet_of(self._rig, fitted, self._elsewhere)
        headers = list(self._case.given.readings.discs)
        discs = Discs(fitted.arcade, cabinet.folder, self._shelf.loose, headers, self._rig.name)
        samples = samples_of(self._rig, fitted, self._elsewhere)
        wanted = wanted_sets(fitted.installed.wanted, roster, cabinet, arcade.others, discs.digests)
        named, among = self._given(fitted)
        narrowed = named is not None or among is not None
        asked = [name for name in (wanted if named is None else named) if among is None or name in among]
        sets = tuple(
            self._away.connected_set(audit_set(roster, name, cabinet, arcade.others, discs, samples)) for name in asked
        )
        asks = bool(arcade.unread) and asks_others(named or fitted.installed.wanted, roster, sets, cabinet)
        notes = [*filter(None, [arcade.note]), *variant_faults(roster, fitted.installed.variants)]
        aside = Aside() if narrowed else lying_aside(roster, cabinet, wanted)
        found = ArcadeAudit(sets=sets, asks_others=asks, note="; ".join(notes), style=style, aside=aside)
        if not wanted and named is None:
            notes.append(nothing_wanted(roster, cabinet, discs))
            return structs.replace(found, idle=True, note="; ".join(notes))
        if not ask.packing and style is None:
            return found
        how = HowPacked(style, ask.stubs or fitted.installed.stubs, ask.lean)
        uses = in_use(roster, {*wanted, *asked}, cabinet) if ask.packing and self._shared_out() else frozenset()
        remedies = pack_sets(roster, sets, cabinet, how, discs, samples)
        return structs.replace(found, remedies=self._awaited(remedies, sets), uses=uses)

    def _given(self, fitted: Fitted) -> tuple[tuple[str, ...] | None, frozenset[str] | None]:
        """The sets that the question names, and those among which it asks; each None where it does not say."""
        here = (self._rig.name, fitted.emulator)
        return self._case.given.sets.get(here), self._case.given.among.get(here)

    def _shared_out(self) -> bool:
        """Whether several emulators of the rig have sets, which may have archives in common."""
        return sum(arcade.roster is not None for arcade in self._rig.arcade.values()) > 1

    def _awaited(self, remedies: SetRemedies, sets: Iterable[SetAudit]) -> SetRemedies:
        """The same, where a set waits for a source that is away."""
        awaited = {one.set: words for one in sets if (words := self._away.waiting_for(one))}
        waiting = tuple(
            structs.replace(one, reason=f"not packed in part: the rest is in {awaited[one.set]}, which is away")
            if one.set in awaited
            else one
            for one in remedies.waiting
        )
        return structs.replace(remedies, waiting=waiting)


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
        links=rig.links,
        folds_case=rig.volume.folds_case,
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
            return RigAudit(rig=rig.name, root=rig.root, away=rig.away, folds_case=rig.volume.folds_case)
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
            folds_case=rig.volume.folds_case,
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
