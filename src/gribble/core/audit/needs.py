"""One need at each of its places: verdict, reason and remedy."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import structs

from gribble.core.audit.choices import rank
from gribble.core.audit.findings import Finding, PlaceFinding, Proof, Remedy, Verdict
from gribble.core.audit.judging import Judge, Judgement, proof_of
from gribble.core.audit.shelf import RigWorld, Shelf
from gribble.core.audit.stock import Stock
from gribble.core.catalogue.config import Fitted
from gribble.core.catalogue.records import Accept, Need
from gribble.core.diagnosis.nearmisses import NearMisses, key_of
from gribble.core.matching import is_content
from gribble.core.paths import base, fold, join, parent
from gribble.core.survey.survey import Holding


class NeedsAuditor:
    """Audits the needs of one rig, one by one. Every need that is to be audited must have been noted before.

    `required_keys` are the keys that the firmware of the emulator under audit requires; `keys_after` those it will have
    once its key files are put right.
    """

    def __init__(
        self, rig: RigWorld, shelf: Shelf, stock: Stock, judge: Judge, near: NearMisses, regions: tuple[str, ...]
    ) -> None:
        self._rig = rig
        self._shelf = shelf
        self._stock = stock
        self._judge = judge
        self._near = near
        self._regions = regions
        self._serving: set[str] = set()
        self.accepted_places: set[str] = set()
        self.required_keys: frozenset[str] = frozenset()
        self.keys_after: frozenset[str] = frozenset()

    def note_serving(self, fitted: Fitted, need: Need) -> None:
        """Note which files serve a need where they lie, so that they are copied and never moved."""
        for part, folder, names in places_of(fitted, need):
            self.accepted_places.update(self._shelf.key(join(folder, name)) for name in names)
            serving = self._shelf.folder(folder) if need.any_name else self._shelf.at_names(folder, names)
            for holding in serving:
                if self._judge.judge(fitted, part, holding).accepted:
                    self._serving.add(holding.path)
                    if need.any_name:
                        break

    def at_places(self, fitted: Fitted, need: Need) -> Iterable[Holding]:
        """The files at the places of a need."""
        for _, folder, names in places_of(fitted, need):
            yield from self._shelf.folder(folder) if need.any_name else self._shelf.at_names(folder, names)

    def find(self, fitted: Fitted, need: Need) -> Finding:
        """One need at each of its places."""
        places = []
        for part, folder, names in places_of(fitted, need):
            if need.any_name:
                place = self._find_any_name(fitted, part, folder)
            else:
                place = self._find_named(fitted, part, folder, names)
            places.append(self._with_required_keys(need, place) if need.key else place)
        finding = Finding(need=need, places=tuple(places), ignored=need.id in fitted.ignore)
        return structs.replace(finding, merge=self._merge(finding)) if need.key else finding

    def _merge(self, finding: Finding) -> tuple[Holding, ...]:
        """The key files to be merged, where no single one is enough."""
        place = finding.chief
        there = place.lying(self._rig.name)
        judged = self._judge.keys(finding.need, there) if there else None
        enough = judged is not None and self.required_keys <= judged.usable and place.met
        if enough or place.remedy not in (Remedy.NONE, Remedy.OBTAIN):
            return ()
        return self._judge.covering(finding.need, self.required_keys, there)

    def _with_required_keys(self, need: Need, place: PlaceFinding) -> PlaceFinding:
        """A key file that lacks keys required by firmware is replaced by one that has them and loses none."""
        required = self.required_keys
        judged = self._judge.keys(need, place.found) if place.found else None
        if not place.met or place.found is None or judged is None or required <= judged.usable:
            return place
        best = self._judge.best_keys(need, required, self._judge.names(place.found))
        if best is None or not required <= self._judge.names(best[0]):
            return place
        names = ", ".join(sorted(required - judged.usable))
        return structs.replace(
            place,
            remedy=Remedy.REPLACE,
            reason=f"{place.reason}; but it has no {names}, which the firmware requires",
            use=structs.replace(best[0], digests=best[1].digests),
            movable=self.movable(best[0]),
            occupied=place.found.path,
        )

    def _find_any_name(self, fitted: Fitted, need: Need, folder: str) -> PlaceFinding:
        expected = join(folder, need.name)
        for holding in self._shelf.folder(folder):
            judgement = self._judge.judge(fitted, need, holding)
            if judgement.accepted and judgement.proof is not Proof.NONE:
                return _sound(holding.path, holding, judgement)
        occupied = next(self._shelf.at_names(folder, [need.name]), None)
        return self._find_elsewhere(fitted, need, folder, expected, occupied.path if occupied else None)

    def _find_named(self, fitted: Fitted, need: Need, folder: str, names: tuple[str, ...]) -> PlaceFinding:
        present = [
            (holding, self._judge.judge(fitted, need, holding)) for holding in self._shelf.at_names(folder, names)
        ]
        right = [(holding, judgement) for holding, judgement in present if judgement.accepted]
        wrong = [(holding, judgement) for holding, judgement in present if not judgement.accepted]
        paths = [join(folder, name) for name in names]
        if wrong:
            return self._imposter(fitted, need, paths[0], right, wrong)
        for holding, judgement in right:
            if holding.path in paths:
                return _sound(holding.path, holding, judgement)
        if right:
            return self._wrong_case(paths, *right[0])
        for path in paths:
            if why := self._shelf.hidden(path):
                return PlaceFinding(expected=path, verdict=Verdict.UNPROVEN, remedy=Remedy.NONE, reason=why)
        return self._find_elsewhere(fitted, need, folder, paths[0], None)

    def _wrong_case(self, paths: list[str], holding: Holding, judgement: Judgement) -> PlaceFinding:
        """Right content on a volume that folds case, under a name that differs in case."""
        expected = next(path for path in paths if fold(path) == fold(holding.path))
        return PlaceFinding(
            expected=expected,
            verdict=Verdict.MISNAMED,
            remedy=Remedy.RENAME,
            reason="right content; the name differs in case, which this volume forgives",
            proof=judgement.proof,
            accept=judgement.accept,
            found=holding,
            use=holding,
            movable=True,
            occupied=holding.path,
            harmless=True,
        )

    def _imposter(
        self,
        fitted: Fitted,
        need: Need,
        expected: str,
        right: list[tuple[Holding, Judgement]],
        wrong: list[tuple[Holding, Judgement]],
    ) -> PlaceFinding:
        holding, judgement = wrong[0]
        reason = judgement.fault
        occupied = next(
            (other.path for other, _ in wrong if self._shelf.key(other.path) == self._shelf.key(expected)), None
        )
        in_way = tuple(other.path for other, _ in wrong if other.path != occupied)
        use, accept = None, None
        if right:
            use, accept = right[0][0], right[0][1].accept
            reason += f"; the right one lies beside it as {base(use.path)}"
            in_way = tuple(other.path for other, _ in wrong)
        elif best := self.best_copy(need):
            use, accept = best
        damage = self._near.of(self._rig.name, fitted.emulator, need, holding)
        mend = None if use else self._near.best(self._rig.name, fitted.emulator, need)
        if damage:
            reason = f"it {damage.words}"
        elif key_of(holding) in self._near.no_dumps and not need.key:
            reason = self._near.no_dumps[key_of(holding)]
        return PlaceFinding(
            expected=right[0][0].path if right else expected,
            verdict=Verdict.DAMAGED if damage else judgement.verdict,
            remedy=Remedy.REPLACE if use else Remedy.MEND if mend else Remedy.OBTAIN,
            reason=reason,
            mend=mend,
            proof=judgement.proof,
            accept=accept,
            found=holding,
            use=use,
            movable=use is not None and self.movable(use),
            occupied=occupied,
            in_way=in_way,
        )

    def _find_elsewhere(
        self, fitted: Fitted, need: Need, folder: str, expected: str, occupied: str | None
    ) -> PlaceFinding:
        """A place where no right file is: misnamed in its folder, held elsewhere, or missing."""
        best = self._misnamed(need, folder) or self.best_copy(need)
        if best is None:
            return self._missing(fitted, need, expected, occupied)
        holding, accept = best
        if self.movable(holding) and parent(holding.path) == folder:
            verdict, remedy, reason = Verdict.MISNAMED, Remedy.RENAME, "right content, wrong name"
        elif occupied:
            verdict, remedy = Verdict.IMPOSTER, Remedy.REPLACE
            reason = self._judge.say_wrong(need, self._shelf.loose[occupied])
        else:
            verdict, remedy, reason = Verdict.ASTRAY, Remedy.PLACE, "right content, but not here"
        return PlaceFinding(
            expected=expected,
            verdict=verdict,
            remedy=remedy,
            reason=reason,
            proof=proof_of(accept, holding) if accept else Proof.DIGEST,
            accept=accept,
            found=self._shelf.loose[occupied] if verdict is Verdict.IMPOSTER and occupied else holding,
            use=holding,
            movable=self.movable(holding),
            occupied=occupied,
        )

    def movable(self, holding: Holding) -> bool:
        """Whether a holding may be moved to where it is wanted: loose on this rig, and serving nobody."""
        return holding.rig == self._rig.name and holding.member is None and holding.path not in self._serving

    def _missing(self, fitted: Fitted, need: Need, expected: str, occupied: str | None) -> PlaceFinding:
        reason = "nowhere here"
        namesake = None
        mend = self._near.best(self._rig.name, fitted.emulator, need)
        if mend:
            return PlaceFinding(
                expected=expected,
                verdict=Verdict.IMPOSTER if occupied else Verdict.DAMAGED,
                remedy=Remedy.MEND,
                reason=f"{base(mend.holding.member or mend.holding.path)} {mend.words}",
                proof=Proof.DIGEST,
                accept=mend.accept,
                found=mend.holding,
                mend=mend,
                occupied=occupied,
            )
        if need.id in fitted.unmeetable:
            reason = "no content known works with this release"
        elif not any(accept.strongest() for accept in need.accept) and not any(key.sha256 for key in need.key):
            namesake = next(iter(self._stock.namesakes(need.names, self._rig.name)), None)
            reason = "nowhere here, by its name"
            if namesake:
                name = base(namesake.member or namesake.path)
                reason = f"{name} is held, but no digest can prove it; place --by-name takes it"
        return PlaceFinding(
            expected=expected,
            verdict=Verdict.IMPOSTER if occupied else Verdict.MISSING,
            remedy=Remedy.OBTAIN,
            reason=self._judge.say_wrong(need, self._shelf.loose[occupied]) if occupied else reason,
            found=self._shelf.loose[occupied] if occupied else None,
            use=namesake,
            occupied=occupied,
        )

    def _misnamed(self, need: Need, folder: str) -> tuple[Holding, Accept | None] | None:
        """A right file in the very folder, under a name that serves nobody."""
        here = [holding for holding in self._shelf.folder(folder) if self.movable(holding) and not holding.link]
        if need.key:
            best = self._best_keys(need)
            return best if best and best[0].path in {holding.path for holding in here} else None
        for accept in self.preferred(need):
            for holding in here:
                if is_content(accept, holding.size, holding.digests):
                    return holding, accept
        return None

    def best_copy(self, need: Need) -> tuple[Holding, Accept | None] | None:
        if need.key:
            return self._best_keys(need)
        for accept in self.preferred(need):
            copies = self._stock.copies(accept, self._rig.name)
            if copies:
                return copies[0], accept
        return None

    def _best_keys(self, need: Need) -> tuple[Holding, None] | None:
        best = self._judge.best_keys(need, self.required_keys, frozenset())
        return (structs.replace(best[0], digests=best[1].digests), None) if best else None

    def preferred(self, need: Need) -> list[Accept]:
        """The accepted contents: those first for which the keys are there, then by the user's regions, then the
        sheet's order."""
        return sorted(
            need.accept,
            key=lambda accept: (bool(set(accept.requires_keys) - self.keys_after), rank(accept, self._regions)),
        )


def places_of(fitted: Fitted, need: Need) -> list[tuple[Need, str, tuple[str, ...]]]:
    """Each place of a need: what is wanted there, its folder on the rig, and the names accepted in it."""
    places: list[tuple[Need, str, tuple[str, ...]]] = []
    if need.file:
        for part in need.parts():
            path = join(fitted.folders[need.folder], part.name)
            places.append((part, parent(path), (base(path),)))
        return places
    places.append((need, fitted.folders[need.folder], need.names))
    for copy in need.also:
        path = join(fitted.folders[copy.folder], copy.name)
        places.append((need, parent(path), (base(path),)))
    return places


def _sound(expected: str, holding: Holding, judgement: Judgement) -> PlaceFinding:
    proven = judgement.proof is not Proof.NONE
    reason = "right content, right name" if proven else "right name; the sheet gives no digest to prove it"
    return PlaceFinding(
        expected=expected,
        verdict=Verdict.SOUND if proven else Verdict.UNPROVEN,
        remedy=Remedy.NONE,
        reason=judgement.reason or reason,
        proof=judgement.proof,
        accept=judgement.accept,
        found=holding,
    )
