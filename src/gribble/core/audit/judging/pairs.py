"""Files that only work together: each one's partner, known by its name or by the id inside it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from msgspec import structs

from gribble.core.audit.judging.case import RigCase
from gribble.core.base.names import is_like
from gribble.core.base.paths import base, climb_fault, join, name_fault, parent
from gribble.core.records.facts import (
    Fact,
    NoId,
    NoVersion,
    OldUpdate,
    Orphan,
    PartnerNamed,
    PartnerWhy,
    WantsPartner,
)
from gribble.core.records.findings import Finding, Game, GameFinding, Remedy, Verdict
from gribble.core.records.holding import Holding, in_words, key_of, nearness
from gribble.core.records.place import Fitted
from gribble.core.records.set_remedies import Loose, SetRemedies
from gribble.core.records.sheet import IdAt, Pair


def partner_pattern(pair: Pair) -> str:
    """The names that a partner may have, whoever's it is."""
    return pair.wants.replace("{stem}", "*").replace("{id}", "*")


def paired_names(fitted: Fitted, pair: Pair) -> tuple[tuple[str, str], ...]:
    """The names of which a pair speaks, each with the folder on the rig."""
    others = fitted.folders[pair.wants_folder or pair.folder]
    return (fitted.folders[pair.folder], pair.each), (others, base(partner_pattern(pair)))


class _One(NamedTuple):
    """One rule for pairs as it holds for one emulator: where the files lie, and where their partners."""

    fitted: Fitted
    pair: Pair
    folder: str
    others: str


class _Wish(NamedTuple):
    """A file's partner: the id it is known by, its name, and the places where it may lie, the first for a new one."""

    id: str
    name: str
    places: tuple[str, ...]


class PairsAuditor:
    """Audits the pairs in the game folders of one rig."""

    def __init__(self, case: RigCase) -> None:
        self._rig, self._shelf, self._stock = case.rig, case.shelf, case.stock
        self._ids = case.given.readings.ids

    def audit(self, fitted: Fitted) -> Iterator[GameFinding]:
        """What is wrong with an emulator's pairs."""
        rules = []
        for pair in fitted.sheet.pair:
            folder = fitted.folders[pair.folder]
            rules.append(_One(fitted, pair, folder, fitted.folders[pair.wants_folder] if pair.wants_folder else folder))
        for rule in rules:
            each = self._each(rule)
            for holding in each:
                if found := self._partner_fault(rule, holding):
                    yield found
            if rule.pair.version_at:
                yield from self._old_updates(rule, each)
        yield from self._without_id(rules)
        yield from self._orphans(rules)

    def _each(self, rule: _One) -> list[Holding]:
        return [one for one in self._shelf.below(rule.folder) if self._is_like(rule, base(one.path), rule.pair.each)]

    def _candidates(self, rule: _One) -> Iterator[Holding]:
        """The files that could be partners, by where they lie and what they are called."""
        pattern = base(partner_pattern(rule.pair))
        for holding in self._shelf.below(rule.others):
            name = base(holding.path)
            like_each = rule.others == rule.folder and self._is_like(rule, name, rule.pair.each)
            if self._is_like(rule, name, pattern) and not like_each:
                yield holding

    def _is_like(self, rule: _One, name: str, pattern: str) -> bool:
        folds = self._rig.volume.folds_case and not rule.fitted.root.exact_names
        return is_like(name, pattern, folds=folds)

    def _said(self, holding: Holding, at: IdAt | None) -> str:
        """What a file says at a place."""
        return self._ids.get((key_of(holding), at.offset, at.length), "") if at else ""

    # A file and its partner

    def _wish(self, rule: _One, holding: Holding) -> _Wish | None:
        """The partner that a file wants; None if its id cannot be read."""
        pair, path = rule.pair, holding.path
        stem = base(path).rpartition(".")[0] or base(path)
        id_ = self._said(holding, pair.id_at) if pair.id_at else stem
        if pair.id_at and (not id_ or ("{id}" in pair.wants and name_fault(id_))):
            return None
        name = pair.wants.replace("{stem}", stem).replace("{id}", id_)
        beside = rule.others + parent(path)[len(rule.folder) :] if rule.others else parent(path)
        return _Wish(id_, name, tuple(dict.fromkeys((join(beside, name), join(rule.others, name)))))

    def _partner_fault(self, rule: _One, holding: Holding) -> GameFinding | None:
        pair, wish = rule.pair, self._wish(rule, holding)
        if wish is None:
            offset = pair.id_at.offset if pair.id_at else 0
            return self._finding(rule, holding, Verdict.DAMAGED, NoId(offset, partner=True))
        if fault := climb_fault(wish.name):
            return self._finding(rule, holding, Verdict.DAMAGED, PartnerNamed(wish.name, fault))
        if pair.wants_id_at:
            return self._by_id(rule, holding, wish)
        exact = rule.fitted.root.exact_names
        there = [one for place in wish.places if (one := self._shelf.at(place))]
        if any(one.path in wish.places or not exact for one in there):
            return None
        wants = WantsPartner(wish.name, self._said(holding, pair.id_at))
        for place in wish.places:
            if twin := self._shelf.in_other_case(place):
                fact = structs.replace(wants, spelled=base(twin.path))
                fix = Loose(owner=holding.path, to=place, holding=twin, movable=True)
                return self._finding(rule, holding, Verdict.MISNAMED, fact, fix)
        held = self._stock.namesakes([base(wish.name)], self._rig.name, here=True)
        return self._absent(rule, holding, wish, wants, held)

    def _by_id(self, rule: _One, holding: Holding, wish: _Wish) -> GameFinding | None:
        """The same where the partner is known by the id inside it, whatever it is called."""
        at = rule.pair.wants_id_at
        candidates = list(self._candidates(rule))
        if any(self._said(one, at) == wish.id for one in candidates):
            return None
        namesake = next((one for one in candidates if one.path in wish.places), None)
        other = self._said(namesake, at) if namesake else ""
        wants = WantsPartner(
            base(partner_pattern(rule.pair)),
            wish.id,
            by_id=True,
            namesake=(base(namesake.path), other) if namesake and other else None,
        )
        held = [one for one in self._elsewhere(rule) if self._said(one, at) == wish.id]
        return self._absent(rule, holding, wish, wants, held)

    def _elsewhere(self, rule: _One) -> list[Holding]:
        """What is held outside the partners' folder, read, and called as a partner may be; nearest first."""
        found = self._stock.like(base(partner_pattern(rule.pair)))
        outside = (one for one in found if one.rig != self._rig.name or not _lies_in(one.path, rule.others))
        return sorted(outside, key=lambda one: nearness(one, self._rig.name))

    def _absent(
        self, rule: _One, holding: Holding, wish: _Wish, wants: WantsPartner, held: list[Holding]
    ) -> GameFinding | None:
        """A partner that is not where it should be: held elsewhere, or nowhere."""
        if rule.pair.optional:
            return None
        wants = structs.replace(wants, where="beside it" if rule.others == rule.folder else f"in {rule.others}")
        if not held:
            return self._finding(rule, holding, Verdict.MISSING, wants)
        fix = None
        if not self._shelf.at(wish.places[0]):
            fix = Loose(owner=holding.path, to=wish.places[0], holding=held[0])
        fact = structs.replace(wants, held=in_words(held[0].path, held[0].member))
        return self._finding(rule, holding, Verdict.ASTRAY, fact, fix)

    def _finding(
        self, rule: _One, holding: Holding, verdict: Verdict, fact: Fact, fix: Loose | None = None
    ) -> GameFinding:
        why = (PartnerWhy(rule.pair.why),) if rule.pair.why and verdict is not Verdict.DAMAGED else ()
        remedy = Remedy.RENAME if verdict is Verdict.MISNAMED else Remedy.PLACE
        return Finding(
            subject=Game(
                rule="pair",
                folder=rule.folder,
                file=holding.path,
                fix=SetRemedies(loose=(fix,)) if fix else None,
            ),
            verdict=verdict,
            facts=(fact, *why),
            remedy=remedy if fix else Remedy.NONE,
        )

    # What else is there

    def _without_id(self, rules: Iterable[_One]) -> Iterator[GameFinding]:
        """Files that are called like partners, but hold no id to be known by."""
        told = set()
        for rule in rules:
            at = rule.pair.wants_id_at
            for holding in self._candidates(rule) if at else ():
                if at and not self._said(holding, at) and holding.path not in told:
                    told.add(holding.path)
                    short = holding.size < at.offset + at.length
                    facts = (NoId(at.offset, size=holding.size if short else None),)
                    yield Finding(
                        subject=Game(rule="pair", folder=rule.others, file=holding.path),
                        verdict=Verdict.DAMAGED,
                        facts=facts,
                    )

    def _orphans(self, rules: Iterable[_One]) -> Iterator[GameFinding]:
        """Partners that no file of any pair wants."""
        rules = list(rules)
        wishes = [(rule, wish) for rule in rules for one in self._each(rule) if (wish := self._wish(rule, one))]
        wanted = {self._shelf.key(path) for rule, wish in wishes if not rule.pair.wants_id_at for path in wish.places}
        ids = {wish.id for _, wish in wishes}
        like: dict[tuple[str, str], list[_One]] = {}  # folder and pattern of partners: what would want them
        for rule in rules:
            if "/" not in rule.pair.wants:
                like.setdefault((rule.others, partner_pattern(rule.pair)), []).append(rule)
        for (folder, _), alike in like.items():
            facts = (Orphan(tuple(dict.fromkeys(rule.pair.each for rule in alike))),)
            by_id = [rule.pair.wants_id_at for rule in alike if rule.pair.wants_id_at]
            for holding in self._candidates(alike[0]):
                said = {self._said(holding, at) for at in by_id}
                lone = self._shelf.key(holding.path) not in wanted and said.isdisjoint({*ids, ""})
                if lone and not self._wants_too(alike, holding):
                    subject = Game(rule="pair", folder=folder, file=holding.path)
                    yield Finding(subject=subject, verdict=Verdict.UNPROVEN, facts=facts)

    def _wants_too(self, rules: Iterable[_One], holding: Holding) -> bool:
        """Whether a partner is itself one that wants partners, which lie in the same folder."""
        own = (rule for rule in rules if rule.others == rule.folder)
        return any(self._is_like(rule, base(holding.path), rule.pair.each) for rule in own)

    def _old_updates(self, rule: _One, each: list[Holding]) -> Iterator[GameFinding]:
        """Updates of which a newer one for the same id is there."""
        pair, folder = rule.pair, rule.folder
        newest: dict[str, tuple[tuple[int, ...], str]] = {}
        found = []
        for holding in each:
            id_, version = self._said(holding, pair.id_at), self._said(holding, pair.version_at)
            numbers = tuple(int(part) for part in re.findall(r"\d+", version)[:8])
            if not numbers:
                none = (NoVersion(pair.version_at.offset if pair.version_at else 0),)
                yield Finding(
                    subject=Game(rule="pair", folder=folder, file=holding.path), verdict=Verdict.DAMAGED, facts=none
                )
                continue
            found.append((holding, id_, numbers, version))
            newest[id_] = max(newest.get(id_, ((), "")), (numbers, version))
        for holding, id_, numbers, version in found:
            if numbers < newest[id_][0]:
                old = (OldUpdate(version, newest[id_][1]),)
                yield Finding(
                    subject=Game(rule="pair", folder=folder, file=holding.path), verdict=Verdict.UNPROVEN, facts=old
                )


def _lies_in(path: str, folder: str) -> bool:
    return not folder or path.startswith(f"{folder}/")
