"""One need at each of its places: verdict, reason and remedy."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from msgspec import structs

from gribble.core.audit.judging.case import KeysInPlay, RigCase
from gribble.core.audit.judging.judge import Judgement, best_liked, proof_of
from gribble.core.audit.judging.serving import Serving
from gribble.core.base.paths import base, fold, parent
from gribble.core.records import facts as f
from gribble.core.records.facts import Fact
from gribble.core.records.findings import (
    FIXABLE,
    Finding,
    NeedFinding,
    PlaceFinding,
    Proof,
    Remedy,
    Standing,
    Verdict,
    standing,
)
from gribble.core.records.holding import Holding, in_words, is_named_oddly, key_of
from gribble.core.records.place import Fitted, Place
from gribble.core.records.recipes import Mending
from gribble.core.records.sheet import Accept, Need


class _Instead(NamedTuple):
    """What would stand in the place of a wrong file: a file with its content, or a mended one; `by_name` is said of
    one that only its name speaks for, or of several that differ."""

    use: Holding | None = None
    accept: Accept | None = None
    mend: Mending | None = None
    by_name: Fact | None = None

    @property
    def remedy(self) -> Remedy:
        """What puts it there."""
        return Remedy.REPLACE if self.use else Remedy.MEND if self.mend else Remedy.OBTAIN


class NeedsAuditor:
    """Audits the needs of one rig, one by one."""

    def __init__(self, case: RigCase, serving: Serving) -> None:
        self._rig, self._shelf, self._stock, self._judge = case.rig, case.shelf, case.stock, case.judge
        self._near, self._obstacles, self._prefer = case.given.near, case.obstacles, case.given.ask.prefer
        self._serving, self._led = serving, case.led

    def find(self, fitted: Fitted, need: Need, keys: KeysInPlay) -> NeedFinding:
        """One need at each of its places."""
        places: list[PlaceFinding] = []
        for place in fitted.places[need.id]:
            found = self._led_to(place) if need.by_setting and not places else None
            found = found or (self._find_any_name if place.any_name else self._find_named)(place, keys)
            found = self._contended(self._exactly(found))
            places.append(self._with_required_keys(need, found, keys.required) if need.key else found)
        if need.nothing_else:
            places += self._surplus(fitted, need)
        finding = NeedFinding(need=need, places=tuple(places), ignored=need.id in fitted.installed.ignore)
        if need.id in self._prefer and finding.in_place and not need.file:
            return self._with_another(finding, keys)
        if need.key:
            return structs.replace(finding, merge=self._merge(finding, keys.required))
        return structs.replace(finding, redundant=tuple(self._redundant(finding))) if need.accept else finding

    def _with_another(self, finding: NeedFinding, keys: KeysInPlay) -> NeedFinding:
        """A need that is met, with the content that is asked for in place of the one that is there, if it is held."""
        need, label = finding.need, self._prefer[finding.need.id]
        for accept in self.preferred(need, keys):
            if accept == finding.chief.accept or (label and not self._is_asked(need, accept)):
                break
            if copies := self._stock.copies(accept, self._rig.name):
                return structs.replace(finding, places=tuple(self._exchanged(finding.places, copies[0], accept)))
        return finding

    def _exchanged(self, places: Iterable[PlaceFinding], use: Holding, accept: Accept) -> Iterator[PlaceFinding]:
        """Places that are right, with another content to be put there."""
        movable = standing(movable=self._serving.movable(use))
        for place in places:
            new = structs.replace(
                place, remedy=Remedy.REPLACE, use=use, accept=accept, standing=place.standing | movable
            )
            yield self._contended(structs.replace(new, occupied=place.found.path if place.found else None))

    def _is_asked(self, need: Need, accept: Accept) -> bool:
        """Whether a content is the one that is asked for by its label."""
        return bool(label := self._prefer.get(need.id)) and label in (accept.label, accept.version)

    def _surplus(self, fitted: Fitted, need: Need) -> Iterable[PlaceFinding]:
        """Files in the folder of many that are none of them, and nobody else's."""
        own = {self._shelf.key(place.path) for place in fitted.places[need.id]}
        folder = fitted.folders[need.folder]
        for holding in self._shelf.below(folder):
            path = holding.path
            place = Place(
                emulator=fitted.emulator, need=need, folder=folder, names=(path[len(folder) + bool(folder) :],)
            )
            if self._shelf.key(path) in own or self._serving.concerns(holding, place):
                continue
            known = self._judge.known_as(holding)
            yield Finding(
                subject=place,
                expected=path,
                verdict=Verdict.IMPOSTER,
                remedy=Remedy.REPLACE,
                facts=(f.Surplus(known),),
                proof=Proof.DIGEST if known else Proof.NONE,
                found=holding,
                occupied=path,
                in_way=(path,),
                standing=standing(surplus=True),
                refusal=self._obstacles.at(path),
            )

    def _redundant(self, finding: NeedFinding) -> Iterable[tuple[Holding, Accept]]:
        """Other files in the folder of a right one that would do as well, and serve nobody else."""
        used = {place.found.path for place in finding.places if place.found}
        place, folder = finding.places[0].subject, parent(finding.places[0].expected)
        right: dict[str, tuple[Holding, Accept]] = {}
        for accept in place.need.accept if finding.in_place and not place.need.key else ():
            for holding in self._shelf.having(folder, accept):
                if holding.path not in used and not self._serving.another(holding, place):
                    right.setdefault(holding.path, (holding, accept))
        return [right[path] for path in sorted(right)]

    def _exactly(self, found: PlaceFinding) -> PlaceFinding:
        """A place in a folder that the volume finds, but a device that compares names exactly does not."""
        folder = found.subject.folder
        there = self._shelf.spelled(folder)
        if not found.subject.exact or there == folder:
            return found
        refusal = f.FolderSpelled(there, folder)
        if found.met:
            facts = (f.FolderSpelled(there, folder, right=True),)
            return structs.replace(found, verdict=Verdict.MISNAMED, facts=facts, refusal=refusal)
        return structs.replace(found, facts=(*found.facts, refusal), refusal=refusal)

    def _contended(self, place: PlaceFinding) -> PlaceFinding:
        """A place with the other needs that want it for another content: whatever is there, one of them is unmet."""
        use = place.mend.holding if place.mend else place.use if place.remedy is not Remedy.OBTAIN else None
        if place.met or place.mend or place.accept is None:
            use = None
        path = place.occupied or place.expected
        if rivals := self._serving.rivals(place.subject, path, use):
            refusal = f.Contended(rivals, path)
            return structs.replace(place, facts=(*place.facts, refusal), refusal=refusal)
        if (
            place.remedy in FIXABLE
            and not place.refusal
            and (why := self._obstacles.at(place.expected) or self._obstacles.at(path) or self._untakable(place))
        ):
            return structs.replace(place, facts=(*place.facts, why), refusal=why)
        return place

    def _untakable(self, place: PlaceFinding) -> Fact | None:
        """Why what a place is to be put right from cannot be taken from where it is."""
        if place.mend:
            odd = [one for one in (place.mend.holding, place.mend.partner) if one and is_named_oddly(one)]
            return f.NamedOddly(odd[0].path) if odd else None
        if place.use is None or not is_named_oddly(place.use):
            return None
        movable = self._serving.movable(place.use) and not place.occupied
        return f.NamedOddly(place.use.path, place.expected if movable else "")

    def _merge(self, finding: NeedFinding, required: frozenset[str]) -> tuple[Holding, ...]:
        """The key files to be merged, where no single one is enough."""
        place = finding.chief
        there = place.lying(self._rig.name)
        judged = self._judge.keys(finding.need, there) if there else None
        enough = judged is not None and required <= judged.usable and place.met
        if enough or place.remedy not in (Remedy.NONE, Remedy.OBTAIN):
            return ()
        return self._judge.covering(finding.need, required, there)

    def _with_required_keys(self, need: Need, place: PlaceFinding, required: frozenset[str]) -> PlaceFinding:
        """A key file that lacks keys required by firmware is replaced by one that has them and loses none."""
        judged = self._judge.keys(need, place.found) if place.found else None
        if not place.met or place.found is None or judged is None or required <= judged.usable:
            return place
        best = self._judge.best_keys(need, required, self._judge.names(place.found))
        if best is None or not required <= self._judge.names(best[0]):
            return place
        return structs.replace(
            place,
            remedy=Remedy.REPLACE,
            facts=(*place.facts, f.LacksKeys(tuple(sorted(required - judged.usable)))),
            use=structs.replace(best[0], digests=best[1].digests),
            standing=place.standing - {Standing.MOVABLE} | standing(movable=self._serving.movable(best[0])),
            occupied=place.found.path,
        )

    def _led_to(self, place: Place) -> PlaceFinding | None:
        """A file that is in its place since a setting leads to it."""
        there = self._led.get((place.emulator, place.need.id), ())
        return _sound(place, there[0].path, there[0], self._judge.judge(place, there[0])) if there else None

    def _find_any_name(self, place: Place, keys: KeysInPlay) -> PlaceFinding:
        need, folder, expected = place.need, place.folder, place.path
        judged = [(holding, self._judge.judge(place, holding)) for holding in self._shelf.serving(place)]
        proven = [pair for pair in judged if pair[1].accepted and pair[1].proof is not Proof.NONE]
        if proven:
            best = best_liked(self.preferred(need, keys), proven)
            return _sound(place, best[0].path, *best)
        if why := self._shelf.unread(expected):
            return _unexamined(place, expected, why)
        there = next(self._shelf.at_names(folder, [need.name]), None)
        if there and need.changes and (judgement := self._judge.judge(place, there)).accepted:
            return _sound(place, there.path, there, judgement)
        occupied = there.path if there else None
        found = self._find_elsewhere(place, keys, occupied)
        others = (one for one in self._shelf.folder(folder) if one.path != occupied)
        rejected = ((one, self._judge.rejected(need, one)) for one in others)
        told = [structs.replace(fact, name=base(one.path)) for one, fact in rejected if fact]
        return structs.replace(found, facts=(*found.facts, *told)) if told else found

    def _find_named(self, place: Place, keys: KeysInPlay) -> PlaceFinding:
        present = list(self._present(place))
        right = [(holding, judgement) for holding, judgement in present if judgement.accepted]
        if wrong := self._wrong(place, [pair for pair in present if not pair[1].accepted], alone=not right):
            return self._imposter(place, keys, right, wrong)
        if spelled := [pair for pair in right if pair[0].path in place.paths]:
            best = best_liked(self.preferred(place.need, keys), spelled)
            return _sound(place, best[0].path, *best)
        if right:
            return _wrong_case(place, *right[0])
        for path in place.paths:
            if why := self._shelf.unread(path):
                return _unexamined(place, path, why)
        for path in place.paths:
            if thing := self._shelf.thing(path):
                return self._no_file(place, keys, path, *thing)
        return self._find_elsewhere(place, keys, None)

    def _wrong(
        self, place: Place, others: list[tuple[Holding, Judgement]], *, alone: bool
    ) -> list[tuple[Holding, Judgement]]:
        """Of the files at a place that are not right, those that are imposters. What is sound for another need is none
        under an alias, but fills the need's own place; it counts where it is `alone`, without a right one."""
        wrong = [pair for pair in others if not self._serving.another(pair[0], place)]
        if alone:
            wrong += [pair for pair in others if pair not in wrong and self._is_at(pair[0], place.path)]
        return wrong

    def _present(self, place: Place) -> Iterator[tuple[Holding, Judgement]]:
        """The files under the names of a place, judged; what is wrong in a folder that is only looked in, too, is in
        nobody's way."""
        for holding in self._shelf.serving(place):
            if not self._shelf.unread(holding.path):
                judgement = self._judge.judge(place, holding)
                if judgement.accepted or parent(holding.path) not in place.too:
                    yield holding, judgement

    def _is_at(self, holding: Holding, path: str) -> bool:
        return self._shelf.key(holding.path) == self._shelf.key(path)

    def _no_file(self, place: Place, keys: KeysInPlay, expected: str, there: str, what: str) -> PlaceFinding:
        """A place where something is that is no file."""
        best = self.best_copy(place.need, keys)
        return Finding(
            subject=place,
            expected=expected,
            verdict=Verdict.IMPOSTER,
            remedy=Remedy.REPLACE if best else Remedy.OBTAIN,
            facts=(f.NoFile(base(there), what),),
            accept=best[1] if best else None,
            use=best[0] if best else None,
            occupied=there,
        )

    def _imposter(
        self,
        place: Place,
        keys: KeysInPlay,
        right: list[tuple[Holding, Judgement]],
        wrong: list[tuple[Holding, Judgement]],
    ) -> PlaceFinding:
        need, expected = place.need, place.path
        holding, judgement = wrong[0]
        if (accept := self._near.missized.get(key_of(holding))) and not right:
            note = f.SizeMistaken(holding.size, accept.size or 0)
            return _sound(place, holding.path, holding, Judgement(accept=accept, proof=Proof.DIGEST, note=note))
        instead = self._instead(place, keys, right)
        occupied = next((other.path for other, _ in wrong if self._is_at(other, expected)), None)
        in_way = tuple(other.path for other, _ in wrong if right or other.path != occupied)
        if right:
            expected = next(path for path in place.paths if self._is_at(right[0][0], path))
        damage = self._near.of(self._rig.name, place.emulator, need, holding)
        beside = f.Beside(base(right[0][0].path)) if right else None
        facts = (self._really(need, holding, damage) or judgement.fault, beside, instead.by_name)
        return Finding(
            subject=place,
            expected=expected,
            verdict=Verdict.DAMAGED if damage else judgement.verdict,
            remedy=instead.remedy,
            facts=tuple(filter(None, facts)),
            mend=instead.mend,
            proof=judgement.proof,
            accept=instead.accept,
            found=holding,
            use=instead.use,
            standing=standing(
                movable=bool(right or (instead.use and self._serving.movable(instead.use))),
                by_name=bool(instead.use and instead.by_name),
            ),
            occupied=occupied,
            in_way=in_way,
        )

    def _instead(self, place: Place, keys: KeysInPlay, right: list[tuple[Holding, Judgement]]) -> _Instead:
        """What may stand in the place of a wrong file: a right one that is there, too, a copy from elsewhere, a mended
        one, else what only its name speaks for."""
        if right:
            return _Instead(right[0][0], right[0][1].accept)
        if best := self.best_copy(place.need, keys, place):
            return _Instead(*best)
        if mend := self._near.best(self._rig.name, place.emulator, place.need):
            return _Instead(mend=mend)
        namesake, by_name = self._namesake(place.need)
        return _Instead(namesake, by_name=by_name)

    def _really(self, need: Need, holding: Holding, damage: Mending | None) -> f.Fact | None:
        """What a wrong content is, as far as it is known."""
        if damage:
            return f.Damaged(damage.recipe, holding.size)
        return None if need.key else self._near.no_dumps.get(key_of(holding))

    def _find_elsewhere(self, place: Place, keys: KeysInPlay, occupied: str | None) -> PlaceFinding:
        """A place where no right file is: misnamed in its folder, held elsewhere, or missing. A link that leads nowhere
        is no file, but in the way."""
        need, folder, expected = place.need, place.folder, place.path
        best = self._misnamed(need, folder, keys) or self.best_copy(need, keys, place)
        loose_end = self._shelf.loose_end(expected)
        if best is None:
            found = self._missing(place, occupied)
            return _at_loose_end(found, loose_end) if loose_end else found
        holding, accept = best
        fact: Fact
        if self._serving.movable(holding) and parent(holding.path) == folder:
            verdict, remedy, fact = Verdict.MISNAMED, Remedy.RENAME, f.WrongName()
        elif occupied:
            verdict, remedy = Verdict.IMPOSTER, Remedy.REPLACE
            fact = self._judge.wrong(need, self._shelf.loose[occupied])
        else:
            verdict, remedy, fact = Verdict.ASTRAY, Remedy.PLACE, f.Elsewhere(holding.attic)
        found = Finding(
            subject=place,
            expected=expected,
            verdict=verdict,
            remedy=remedy,
            facts=(fact,),
            proof=proof_of(accept, holding) if accept else Proof.DIGEST,
            accept=accept,
            found=self._shelf.loose[occupied] if verdict is Verdict.IMPOSTER and occupied else holding,
            use=holding,
            standing=standing(movable=self._serving.movable(holding)),
            occupied=occupied,
        )
        return _at_loose_end(found, loose_end) if loose_end else found

    def _missing(self, place: Place, occupied: str | None) -> PlaceFinding:
        need, expected = place.need, place.path
        namesake, by_name = (None, None) if place.unmeetable else self._namesake(need)
        mend = self._near.best(self._rig.name, place.emulator, need)
        if mend:
            return Finding(
                subject=place,
                expected=expected,
                verdict=Verdict.IMPOSTER if occupied else Verdict.DAMAGED,
                remedy=Remedy.MEND,
                facts=(f.Damaged(mend.recipe, mend.holding.size, mend.holding.name),),
                proof=Proof.DIGEST,
                accept=mend.accept,
                found=mend.holding,
                mend=mend,
                occupied=occupied,
            )
        wrong = self._shelf.loose[occupied] if occupied else None
        facts: list[Fact] = [self._judge.wrong(need, wrong)] if wrong else []
        if by_name:
            facts.append(by_name)
        elif not wrong:
            nowhere = f.Nowhere(by_name=not _provable(need))
            facts += [f.NoneWorks()] if place.unmeetable else [nowhere, *self._other_content(need)]
        remedy = Remedy.REPLACE if wrong else Remedy.PLACE
        return Finding(
            subject=place,
            expected=expected,
            verdict=Verdict.IMPOSTER if wrong else Verdict.MISSING,
            remedy=remedy if namesake else Remedy.OBTAIN,
            facts=tuple(facts),
            found=wrong,
            use=namesake,
            standing=standing(by_name=namesake is not None),
            occupied=occupied,
        )

    def _namesake(self, need: Need) -> tuple[Holding | None, Fact | None]:
        """A file of the right name (and size, where one is known) for a need whose contents no digest can prove, and
        what is to be said of it; of several that differ none."""
        if _provable(need):
            return None, None
        sizes = {accept.size for accept in need.accept}
        named = self._stock.namesakes(need.names, self._rig.name)
        found = [one for one in named if not sizes or None in sizes or one.size in sizes]
        found = [one for one in found if self._judge.no_dump(need, one) is None]
        contents = {(one.size, self._near.contents.get(key_of(one), "")) for one in found}
        if len(contents) > 1:
            return None, f.Namesakes(tuple(in_words(one.where, one.member) for one in found))
        return (found[0], f.OnlyItsName(found[0].name)) if found else (None, None)

    def _other_content(self, need: Need) -> Iterator[Fact]:
        """The nearest file that has the name of a need and another content that no sheet knows."""
        if need.key or not _provable(need):
            return
        for one in self._stock.namesakes(need.names, self._rig.name, here=True):
            why = self._judge.wrong(need, one)
            read = isinstance(why, f.OtherSize) or one.digests.known()
            if read and not one.attic and not isinstance(why, f.Really):
                yield f.WrongNamesake(in_words(one.where, one.member), why, one.name.lower().endswith((".zip", ".7z")))
                return

    def _misnamed(self, need: Need, folder: str, keys: KeysInPlay) -> tuple[Holding, Accept | None] | None:
        """A right file in the very folder, under a name that serves nobody."""

        def is_free(holding: Holding) -> bool:
            return self._serving.movable(holding) and not is_named_oddly(holding)

        if need.key:
            best = self._best_keys(need, keys)
            here = {holding.path for holding in self._shelf.folder(folder) if is_free(holding)} if best else ()
            return best if best and best[0].path in here else None
        found = ((one, accept) for accept in self.preferred(need, keys) for one in self._shelf.having(folder, accept))
        return next((pair for pair in found if is_free(pair[0])), None)

    def best_copy(
        self, need: Need, keys: KeysInPlay, place: Place | None = None
    ) -> tuple[Holding, Accept | None] | None:
        """The content to take for a need; for a place that other needs want, too, one that serves them all if there is
        one."""
        if need.key:
            return self._best_keys(need, keys)
        copies = ((self._stock.copies(accept, self._rig.name), accept) for accept in self.preferred(need, keys))
        held = ((found[0], accept) for found, accept in copies if found)
        if place is None or not self._serving.contested(place.path):
            return next(held, None)
        return min(held, key=lambda pair: len(self._serving.rivals(place, place.path, pair[0])), default=None)

    def _best_keys(self, need: Need, keys: KeysInPlay) -> tuple[Holding, None] | None:
        best = self._judge.best_keys(need, keys.required, frozenset())
        return (structs.replace(best[0], digests=best[1].digests), None) if best else None

    def preferred(self, need: Need, keys: KeysInPlay) -> list[Accept]:
        """The accepted contents as they are liked, but those first that have what they require, and before all the one
        that is asked for."""
        return sorted(need.accept, key=lambda one: (not self._is_asked(need, one), not keys.lets_work(one)))


def _wrong_case(place: Place, holding: Holding, judgement: Judgement) -> PlaceFinding:
    """Right content on a volume that folds case, under a name that differs in case, which an exact device does not
    forgive."""
    return Finding(
        subject=place,
        expected=next(path for path in place.paths if fold(path) == fold(holding.path)),
        verdict=Verdict.MISNAMED,
        remedy=Remedy.RENAME,
        facts=(f.OtherCase(minds=place.exact),),
        proof=judgement.proof,
        accept=judgement.accept,
        found=holding,
        use=holding,
        occupied=holding.path,
        standing=standing(movable=True, harmless=not place.exact),
    )


def _unexamined(place: Place, path: str, why: str) -> PlaceFinding:
    return Finding(
        subject=place,
        expected=path,
        verdict=Verdict.UNPROVEN,
        remedy=Remedy.NONE,
        facts=(f.Unexamined(why),),
        standing=standing(unexamined=True),
    )


def _at_loose_end(found: PlaceFinding, link: str) -> PlaceFinding:
    """A place where a link leads nowhere: nothing is there, and the link has to make room."""
    facts = (f.LooseEnd(base(link)), *found.facts)
    return structs.replace(found, verdict=Verdict.MISSING, facts=facts, occupied=link)


def _sound(place: Place, expected: str, holding: Holding, judgement: Judgement) -> PlaceFinding:
    proven = judgement.proof is not Proof.NONE
    return Finding(
        subject=place,
        expected=expected,
        verdict=Verdict.SOUND if proven else Verdict.UNPROVEN,
        remedy=Remedy.NONE,
        facts=(judgement.note or f.InPlace(proven),),
        proof=judgement.proof,
        accept=judgement.accept,
        found=holding,
    )


def _provable(need: Need) -> bool:
    """Whether a digest could prove any content of a need."""
    return any(accept.strongest() for accept in need.accept) or any(key.sha256 for key in need.key)
