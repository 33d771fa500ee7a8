"""The audit: every need of a rig against everything held. Pure: no disk, no clock, no printing."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable
from itertools import chain
from typing import NamedTuple

from msgspec import structs

from gribble.core.arcade.cabinet import cabinet_of
from gribble.core.arcade.discs import Discs
from gribble.core.arcade.packing import HowPacked, in_use, pack_sets
from gribble.core.arcade.samples import samples_of
from gribble.core.arcade.sets import asks_others, audit_set, lying_aside, nothing_wanted, wanted_sets
from gribble.core.arcade.wanting import variant_faults
from gribble.core.audit.judging.case import Given, KeysInPlay, RigCase
from gribble.core.audit.judging.choices import settle
from gribble.core.audit.judging.connecting import AwaySources
from gribble.core.audit.judging.firmware import ways_to_fit
from gribble.core.audit.judging.games import GamesAuditor
from gribble.core.audit.judging.judge import Judge
from gribble.core.audit.judging.needs import NeedsAuditor
from gribble.core.audit.judging.pairs import paired_names
from gribble.core.audit.judging.serving import Serving
from gribble.core.audit.judging.settings import SettingsAuditor, check_root
from gribble.core.base.names import is_like
from gribble.core.base.paths import base, parent
from gribble.core.records.findings import (
    Aside,
    EmulatorAudit,
    NeedFinding,
    Remedy,
    RigAudit,
    SetAudit,
    Standing,
    standing,
)
from gribble.core.records.holding import Holdings, Why
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import Obstacles, RigSeen, UnknownEmulator
from gribble.core.records.set_remedies import SetRemedies
from gribble.core.records.sheet import Accept, Need
from gribble.core.survey.holdings import Stock
from gribble.core.survey.matching import is_content
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


class _Sets(NamedTuple):
    """The sets of an arcade emulator: those that are wanted, what would put them right, whether other releases' rosters
    could say more, what is to be said of all of them, whether none is wanted, and the archives and files they have."""

    found: tuple[SetAudit, ...] = ()
    remedies: SetRemedies = SetRemedies()
    asks: bool = False
    note: str = ""
    idle: bool = False
    uses: frozenset[str] = frozenset()
    aside: Aside = Aside()


class _Auditor:
    """Audits one rig: first which files serve where they lie, then each need with that knowledge."""

    def __init__(self, case: RigCase, elsewhere: list[Holdings], away: AwaySources) -> None:
        self._settings = SettingsAuditor(case)
        led = ((one.emulator, self._settings.led_to(one)) for one in case.rig.emulators)
        case = case._replace(led={(name, id_): there for name, found in led for id_, there in found.items()})
        self._away = away
        self._case, self._rig, self._shelf, self._judge = case, case.rig, case.shelf, case.judge
        self._elsewhere = elsewhere
        self._serving = Serving(case)
        self._needs = NeedsAuditor(case, self._serving)
        self._games = GamesAuditor(case) if case.given.ask.games else None

    def audit(self) -> RigAudit:
        rig = self._rig
        if rig.away:
            return RigAudit(rig=rig.name, root=rig.root, away=rig.away, folds_case=rig.folds_case)
        findings = [self._find_all(fitted) for fitted in rig.emulators]
        spare = self._spare([finding for group in findings for finding in group])
        sets = {fitted.emulator: self._sets(fitted) for fitted in rig.emulators}
        emulators = tuple(
            EmulatorAudit(
                emulator=fitted.emulator,
                title=fitted.title,
                release=fitted.release,
                note=fitted.note,
                findings=group,
                settings=self._settings.audit(fitted, group),
                root=check_root(fitted, rig, self._shelf),
                games=self._games.audit(fitted) if self._games else None,
                sets=sets[fitted.emulator].found,
                style=self._case.given.ask.style or fitted.style,
                set_remedies=sets[fitted.emulator].remedies,
                asks_others=sets[fitted.emulator].asks,
                sets_note=sets[fitted.emulator].note,
                idle=sets[fitted.emulator].idle,
                aside=sets[fitted.emulator].aside,
                spare=tuple(spare.get(fitted.emulator, ())),
            )
            for fitted, group in zip(rig.emulators, findings, strict=True)
        )
        return RigAudit(
            rig=rig.name,
            root=rig.root,
            emulators=(*emulators, *map(_unknown, rig.unknown)),
            new=rig.new,
            folds_case=rig.folds_case,
            obstacles=structs.replace(
                self._case.obstacles,
                serving=self._serving.owners,
                for_sets={name: one.uses for name, one in sets.items()},
            ),
        )

    # The sets of an arcade emulator

    def _sets(self, fitted: Fitted) -> _Sets:
        """The wanted sets, what would put them right, and whether other releases' rosters could say more of them."""
        arcade = self._rig.arcade.get(fitted.emulator)
        if fitted.arcade is None or arcade is None or arcade.roster is None:
            return _Sets(note=arcade.note if arcade else "")
        cabinet = cabinet_of(self._rig, fitted, self._elsewhere)
        headers = list(self._case.given.readings.discs)
        discs = Discs(fitted.arcade, cabinet.folder, self._shelf.loose, headers, self._rig.name)
        samples = samples_of(self._rig, fitted, self._elsewhere)
        wanted = wanted_sets(fitted.wanted, arcade.roster, cabinet, arcade.others, discs.digests)
        here, ask = (self._rig.name, fitted.emulator), self._case.given.ask
        named, among = self._case.given.sets.get(here), self._case.given.among.get(here)
        asked = [name for name in (wanted if named is None else named) if among is None or name in among]
        sets = tuple(
            self._away.connected_set(audit_set(arcade.roster, name, cabinet, arcade.others, discs, samples))
            for name in asked
        )
        asks = bool(arcade.unread) and asks_others(named or fitted.wanted, arcade.roster, sets, cabinet)
        notes = [*filter(None, [arcade.note]), *variant_faults(arcade.roster, fitted.variants)]
        aside = lying_aside(arcade.roster, cabinet, wanted) if named is None and among is None else Aside()
        found = _Sets(sets, asks=asks, note="; ".join(notes), aside=aside)
        if not wanted and named is None:
            notes.append(nothing_wanted(arcade.roster, cabinet, discs))
            return found._replace(idle=True, note="; ".join(notes))
        style = ask.style or fitted.style
        if not ask.packing and style is None:
            return found
        how = HowPacked(style, ask.stubs or fitted.stubs, ask.lean)
        uses = in_use(arcade.roster, {*wanted, *asked}, cabinet) if ask.packing and self._shared_out() else frozenset()
        remedies = pack_sets(arcade.roster, sets, cabinet, how, discs, samples)
        return found._replace(remedies=self._awaited(remedies, sets), uses=uses)

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

    # The needs of one emulator

    def _find_all(self, fitted: Fitted) -> tuple[NeedFinding, ...]:
        """Keys first, since firmware may require them, and what a content requires before it; then choices, once each
        need is known."""
        keys = KeysInPlay(self._required(fitted))
        found: dict[str, NeedFinding] = {}
        away = self._away
        for need in fitted.needs:
            if need.key:
                found[need.id] = self._needs.find(fitted, need, keys)
        now, after = self._keys_of(found.values())
        keys = keys._replace(after=after)
        for need in _requirements_first(fitted.needs):
            if need.id not in found:
                found[need.id] = self._fit(fitted, self._needs.find(fitted, need, keys), keys, now)
            found[need.id] = away.connected(found[need.id], self._preferred(keys))
            if not (found[need.id].met or found[need.id].fixable):
                keys = keys._replace(unmet=keys.unmet | {need.id})
        prefer = self._case.given.ask.prefer
        return settle(tuple(found[need.id] for need in fitted.needs), fitted.liking, prefer)

    def _preferred(self, keys: KeysInPlay) -> Callable[[Need], list[Accept]]:
        return lambda need: self._needs.preferred(need, keys)

    def _required(self, fitted: Fitted) -> frozenset[str]:
        """The keys that the firmware in place requires or, where there is none, the firmware that would be taken."""
        required: set[str] = set()
        parts = (part for need in fitted.needs for part in need.parts())
        for need in parts:
            if not any(accept.requires_keys for accept in need.accept):
                continue
            there = ((place, one) for place in fitted.places[need.id] for one in self._shelf.serving(place))
            accepts = [accept for pair in there if (accept := self._judge.judge(*pair).accept)]
            preferred = self._needs.preferred(need, KeysInPlay())
            accepts += [accept for accept in preferred if self._case.stock.copies(accept, self._rig.name)]
            if accepts:
                required.update(accepts[0].requires_keys)
        return frozenset(required)

    def _keys_of(self, findings: Iterable[NeedFinding]) -> tuple[frozenset[str], frozenset[str]]:
        """The names of usable keys in the key files in place, now and once their remedies are carried out."""
        now: set[str] = set()
        after: set[str] = set()
        for finding in findings:
            place = finding.chief
            there = place.lying(self._rig.name)
            for holding, names in ((there, now), (place.use or there, after)):
                judged = self._judge.keys(finding.need, holding) if holding else None
                names.update(judged.usable if judged else ())
        return frozenset(now), frozenset(after)

    def _fit(self, fitted: Fitted, finding: NeedFinding, keys: KeysInPlay, now: frozenset[str]) -> NeedFinding:
        """A firmware's finding with the keys that it lacks, and the ways to make firmware, keys and release fit."""
        need, place = finding.need, finding.chief
        others = fitted.other_releases.get(need.id, ())
        if not others and not need.requires_keys and not any(accept.requires_keys for accept in need.accept):
            return finding
        accept = place.accept if finding.in_place else None
        lacks = frozenset(accept.requires_keys) - now if accept else frozenset()
        if lacks and lacks - keys.after and not need.file:
            finding = self._refit(finding, keys)
        if finding.in_place and not lacks:
            return finding
        here = place.lying(self._rig.name)
        if accept is None and here is not None:
            accept = next((one for one in others if is_content(one, here.size, here.digests)), None)
        if accept is None and place.remedy is not Remedy.OBTAIN:
            return finding  # nothing that is there is in the way, and something that fits is held
        ways = ways_to_fit(self._case, fitted, need, accept, lacks)
        return structs.replace(finding, lacks=tuple(sorted(lacks)), ways=ways)

    def _refit(self, finding: NeedFinding, keys: KeysInPlay) -> NeedFinding:
        """Firmware whose keys nobody has: replaced by a held one that does with the keys there are, else to obtain."""
        best = self._needs.best_copy(finding.need, keys)
        places = []
        for place in finding.places:
            if best is None or _requires(best[1]) - keys.after:
                places.append(structs.replace(place, remedy=Remedy.OBTAIN))
            else:
                use, accept = best
                occupied = place.found.path if place.found else None
                places.append(
                    structs.replace(
                        place,
                        remedy=Remedy.REPLACE,
                        use=use,
                        accept=accept,
                        standing=place.standing - {Standing.MOVABLE} | standing(movable=self._serving.movable(use)),
                        occupied=occupied,
                        expected=occupied or place.expected,
                    )
                )
        return structs.replace(finding, places=tuple(places))

    # Files nobody knows

    def _spare(self, findings: list[NeedFinding]) -> dict[str, list[str]]:
        """The files that no sheet of the rig knows, in every folder of an emulator but those for games and sets."""
        emulators = self._rig.emulators
        named = {place.found.path for finding in findings for place in finding.places if place.found}
        named |= {path for finding in findings for place in finding.places for path in place.in_way}
        owners = {path: one for one in reversed(emulators) for path in one.folders.values()}
        aside = {one.folders[media.folder] for one in emulators for media in one.media}
        arcades = [(one, one.arcade.folder) for one in emulators if one.arcade]
        aside |= {path for one, key in arcades for path in (one.folders[key], *one.more_folders.get(key, ()))}
        spare: dict[str, list[str]] = {}
        for path, holding in self._shelf.loose.items():
            folder = _owned(path, owners)
            if folder is None or folder in aside or path in named or self._serving.looks_at(path):
                continue
            if not self._is_partner(folder, path) and not self._case.given.known.matches(holding.size, holding.digests):
                spare.setdefault(owners[folder].emulator, []).append(path)
        return spare

    def _is_partner(self, folder: str, path: str) -> bool:
        """Whether a file in a folder is called as a pair says."""
        pairs = (name for one in self._rig.emulators for pair in one.pair for name in paired_names(one, pair))
        name, folds = base(path), self._rig.folds_case
        return any(folder == one and is_like(name, pattern, folds=folds) for one, pattern in pairs)


def _owned(path: str, owners: Container[str]) -> str | None:
    """The innermost folder above a path that is among some; None if none is."""
    folder = parent(path)
    while folder and folder not in owners:
        folder = parent(folder)
    return folder if folder in owners else None


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


def _requires(accept: Accept | None) -> set[str]:
    return set(accept.requires_keys) if accept else set()
