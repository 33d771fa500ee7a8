"""The audit: every need of a rig against everything held. Pure: no disk, no clock, no printing."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec import Struct

from gribble.core.audit.findings import (
    EmulatorAudit,
    Finding,
    PlaceFinding,
    Proof,
    Remedy,
    RigAudit,
    Verdict,
)
from gribble.core.audit.stock import Stock
from gribble.core.catalogue.config import Fitted
from gribble.core.catalogue.records import Accept, Need, Reject
from gribble.core.diagnosis.nearmisses import NearMisses, key_of
from gribble.core.matching import KnownContents, is_content
from gribble.core.paths import base, fold, join, parent
from gribble.core.survey.survey import Holding


class RigWorld(Struct, frozen=True, kw_only=True):
    """One rig as the survey met it: its emulators and files; `hidden` are paths that could not be looked into."""

    name: str
    root: str
    emulators: tuple[Fitted, ...]
    holdings: tuple[Holding, ...] = ()
    hidden: dict[str, str] = {}
    folds_case: bool = False
    away: str = ""
    new: bool = False


def audit(
    rigs: Iterable[RigWorld],
    sources: Iterable[Holding],
    known: KnownContents,
    regions: tuple[str, ...] = (),
    near: NearMisses | None = None,
) -> tuple[RigAudit, ...]:
    """The audit of each rig; what other rigs hold counts as elsewhere. `near` are the near misses known of."""
    rigs = tuple(rigs)
    stock = Stock([*sources, *(holding for rig in rigs for holding in rig.holdings)])
    return tuple(_Auditor(rig, stock, known, regions, near or NearMisses()).audit() for rig in rigs)


class Judgement(Struct, frozen=True):
    """What a file is to a need: an accepted content, one it only could be, or no such thing, and why."""

    accept: Accept | None
    proof: Proof
    fault: str = ""

    @property
    def accepted(self) -> bool:
        """Whether nothing speaks against it."""
        return not self.fault


class _Auditor:
    """Audits one rig: first which files serve where they lie, then each need with that knowledge."""

    def __init__(
        self, rig: RigWorld, stock: Stock, known: KnownContents, regions: tuple[str, ...], near: NearMisses
    ) -> None:
        self._rig = rig
        self._near = near
        self._stock = stock
        self._known = known
        self._regions = regions
        self._loose = {holding.path: holding for holding in rig.holdings if holding.member is None}
        self._by_folder: dict[str, list[Holding]] = {}
        self._spellings: dict[str, list[str]] = {}
        for path, holding in self._loose.items():
            self._by_folder.setdefault(parent(path), []).append(holding)
            self._spellings.setdefault(fold(path), []).append(path)
        self._serving: set[str] = set()
        self._accepted_places: set[str] = set()

    def audit(self) -> RigAudit:
        rig = self._rig
        if rig.away:
            return RigAudit(rig=rig.name, root=rig.root, away=rig.away, folds_case=rig.folds_case)
        for fitted in rig.emulators:
            for need in fitted.needs:
                self._note_serving(fitted, need)
        findings = [tuple(self._find(fitted, need) for need in fitted.needs) for fitted in rig.emulators]
        spare = self._spare([finding for group in findings for finding in group])
        emulators = tuple(
            EmulatorAudit(
                emulator=fitted.emulator,
                title=fitted.title,
                release=fitted.release,
                note=fitted.note,
                findings=group,
                spare=tuple(spare.get(fitted.emulator, ())),
            )
            for fitted, group in zip(rig.emulators, findings, strict=True)
        )
        return RigAudit(rig=rig.name, root=rig.root, emulators=emulators, new=rig.new, folds_case=rig.folds_case)

    # Which files serve where they lie

    def _note_serving(self, fitted: Fitted, need: Need) -> None:
        for folder, names in _places(fitted, need):
            self._accepted_places.update(self._key(join(folder, name)) for name in names)
            serving = self._by_folder.get(folder, ()) if need.any_name else self._at_names(folder, names)
            for holding in serving:
                if self._judge(fitted, need, holding).accepted:
                    self._serving.add(holding.path)
                    if need.any_name:
                        break

    def _at_names(self, folder: str, names: Iterable[str]) -> Iterator[Holding]:
        """The files at accepted names, whatever their case where the volume folds it."""
        for name in names:
            path = join(folder, name)
            if path in self._loose:
                yield self._loose[path]
            elif self._rig.folds_case:
                yield from (self._loose[other] for other in self._spellings.get(fold(path), ())[:1])

    def _key(self, path: str) -> str:
        return fold(path) if self._rig.folds_case else path

    # What a file is to a need

    def _judge(self, fitted: Fitted, need: Need, holding: Holding) -> Judgement:
        for accept in need.accept:
            if is_content(accept, holding.size, holding.digests):
                return Judgement(accept, _proof(accept, holding))
        for reject in need.reject:
            if is_content(reject, holding.size, holding.digests):
                return Judgement(None, Proof.DIGEST, _say_reject(reject))
        undigested = [accept for accept in need.accept if accept.strongest() is None]
        for accept in undigested:
            if accept.size in (None, holding.size):
                return Judgement(accept, Proof.NONE)
        if not need.accept and need.id not in fitted.unmeetable:
            return Judgement(None, Proof.NONE)
        told = any(accept.strongest() for accept in need.accept)
        return Judgement(None, Proof.DIGEST if told else Proof.NONE, self._say_wrong(need, holding))

    def _say_wrong(self, need: Need, holding: Holding) -> str:
        """What a file that no accept fits really is, as far as that is known."""
        matches = self._known.matches(holding.size, holding.digests)
        if matches:
            other = matches[0]
            label = f" ({other.content.label})" if other.content.label else ""
            return f"it is really {other.emulator}'s {other.need.title or other.need.id}{label}"
        sizes = sorted({accept.size for accept in need.accept if accept.size is not None})
        if sizes and holding.size not in sizes and len(sizes) == len({accept.size for accept in need.accept}):
            wanted = " or ".join(f"{size:,}" for size in sizes)
            return f"it has {holding.size:,} bytes where {wanted} are right"
        if not need.accept:
            return "no content known works with this release"
        return "no sheet knows its content"

    # One need

    def _find(self, fitted: Fitted, need: Need) -> Finding:
        ignored = need.id in fitted.ignore
        places = tuple(
            self._find_any_name(fitted, need, folder)
            if need.any_name
            else self._find_named(fitted, need, folder, names)
            for folder, names in _places(fitted, need)
        )
        return Finding(need=need, places=places, ignored=ignored)

    def _find_any_name(self, fitted: Fitted, need: Need, folder: str) -> PlaceFinding:
        expected = join(folder, need.name)
        for holding in self._by_folder.get(folder, ()):
            judgement = self._judge(fitted, need, holding)
            if judgement.accept and judgement.proof is not Proof.NONE:
                return _sound(holding.path, holding, judgement)
        occupied = next(self._at_names(folder, [need.name]), None)
        return self._find_elsewhere(fitted, need, folder, expected, occupied.path if occupied else None)

    def _find_named(self, fitted: Fitted, need: Need, folder: str, names: tuple[str, ...]) -> PlaceFinding:
        present = [(holding, self._judge(fitted, need, holding)) for holding in self._at_names(folder, names)]
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
            if why := self._hidden(path):
                return PlaceFinding(expected=path, verdict=Verdict.UNPROVEN, remedy=Remedy.NONE, reason=why)
        return self._find_elsewhere(fitted, need, folder, paths[0], None)

    def _hidden(self, path: str) -> str:
        """Why a place could not be looked at, if it or a folder above it could not."""
        at = path
        while at and at not in self._rig.hidden:
            at = parent(at)
        if not at:
            return ""
        return f"could not be examined: {at if at != path else 'it'} {self._rig.hidden[at]}"

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
        occupied = next((other.path for other, _ in wrong if self._key(other.path) == self._key(expected)), None)
        in_way = tuple(other.path for other, _ in wrong if other.path != occupied)
        use, accept = None, None
        if right:
            use, accept = right[0][0], right[0][1].accept
            reason += f"; the right one lies beside it as {base(use.path)}"
            in_way = tuple(other.path for other, _ in wrong)
        elif best := self._best_copy(need):
            use, accept = best
        damage = self._near.of(self._rig.name, fitted.emulator, need.id, holding)
        mend = None if use else self._near.best(self._rig.name, fitted.emulator, need.id)
        if damage:
            reason = f"it {damage.words}"
        elif key_of(holding) in self._near.no_dumps:
            reason = self._near.no_dumps[key_of(holding)]
        return PlaceFinding(
            expected=right[0][0].path if right else expected,
            verdict=Verdict.DAMAGED if damage else Verdict.IMPOSTER,
            remedy=Remedy.REPLACE if use else Remedy.MEND if mend else Remedy.OBTAIN,
            reason=reason,
            mend=mend,
            proof=judgement.proof,
            accept=accept,
            found=holding,
            use=use,
            movable=use is not None and self._movable(use),
            occupied=occupied,
            in_way=in_way,
        )

    def _find_elsewhere(
        self, fitted: Fitted, need: Need, folder: str, expected: str, occupied: str | None
    ) -> PlaceFinding:
        """A place where no right file is: misnamed in its folder, held elsewhere, or missing."""
        best = self._misnamed(need, folder) or self._best_copy(need)
        if best is None:
            return self._missing(fitted, need, expected, occupied)
        holding, accept = best
        if self._movable(holding) and parent(holding.path) == folder:
            verdict, remedy, reason = Verdict.MISNAMED, Remedy.RENAME, "right content, wrong name"
        elif occupied:
            verdict, remedy = Verdict.IMPOSTER, Remedy.REPLACE
            reason = self._say_wrong(need, self._loose[occupied])
        else:
            verdict, remedy, reason = Verdict.ASTRAY, Remedy.PLACE, "right content, but not here"
        return PlaceFinding(
            expected=expected,
            verdict=verdict,
            remedy=remedy,
            reason=reason,
            proof=_proof(accept, holding),
            accept=accept,
            found=self._loose[occupied] if verdict is Verdict.IMPOSTER and occupied else holding,
            use=holding,
            movable=self._movable(holding),
            occupied=occupied,
        )

    def _movable(self, holding: Holding) -> bool:
        """Whether a holding may be moved to where it is wanted: loose on this rig, and serving nobody."""
        return holding.rig == self._rig.name and holding.member is None and holding.path not in self._serving

    def _missing(self, fitted: Fitted, need: Need, expected: str, occupied: str | None) -> PlaceFinding:
        reason = "nowhere here"
        namesake = None
        mend = self._near.best(self._rig.name, fitted.emulator, need.id)
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
        elif not any(accept.strongest() for accept in need.accept):
            namesake = next(iter(self._stock.namesakes(need.names, self._rig.name)), None)
            reason = "nowhere here, by its name"
            if namesake:
                name = base(namesake.member or namesake.path)
                reason = f"{name} is held, but no digest can prove it; place --by-name takes it"
        return PlaceFinding(
            expected=expected,
            verdict=Verdict.IMPOSTER if occupied else Verdict.MISSING,
            remedy=Remedy.OBTAIN,
            reason=self._say_wrong(need, self._loose[occupied]) if occupied else reason,
            found=self._loose[occupied] if occupied else None,
            use=namesake,
            occupied=occupied,
        )

    def _misnamed(self, need: Need, folder: str) -> tuple[Holding, Accept] | None:
        """A right file in the very folder, under a name that serves nobody."""
        here = [holding for holding in self._by_folder.get(folder, ()) if self._movable(holding) and not holding.link]
        for accept in self._preferred(need):
            for holding in here:
                if is_content(accept, holding.size, holding.digests):
                    return holding, accept
        return None

    def _best_copy(self, need: Need) -> tuple[Holding, Accept] | None:
        for accept in self._preferred(need):
            copies = self._stock.copies(accept, self._rig.name)
            if copies:
                return copies[0], accept
        return None

    def _preferred(self, need: Need) -> list[Accept]:
        """The accepted contents, those of the user's regions first, else in the sheet's order."""

        def rank(accept: Accept) -> int:
            return self._regions.index(accept.region) if accept.region in self._regions else len(self._regions)

        return sorted(need.accept, key=rank)

    # Files nobody knows

    def _spare(self, findings: list[Finding]) -> dict[str, list[str]]:
        named = {place.found.path for finding in findings for place in finding.places if place.found}
        named |= {path for finding in findings for place in finding.places for path in place.in_way}
        folders = {
            folder: fitted.emulator
            for fitted in reversed(self._rig.emulators)
            for need in fitted.needs
            for folder in {fitted.folders[need.folder], *(fitted.folders[copy.folder] for copy in need.also)}
        }
        spare: dict[str, list[str]] = {}
        for path, holding in self._loose.items():
            folder = parent(path)
            while folder and folder not in folders:
                folder = parent(folder)
            if folder not in folders or path in named or self._key(path) in self._accepted_places:
                continue
            if not self._known.matches(holding.size, holding.digests):
                spare.setdefault(folders[folder], []).append(path)
        return spare


def _places(fitted: Fitted, need: Need) -> list[tuple[str, tuple[str, ...]]]:
    """Each place of a need: its folder on the rig, and the names accepted there."""
    places = [(fitted.folders[need.folder], need.names)]
    for copy in need.also:
        path = join(fitted.folders[copy.folder], copy.name)
        places.append((parent(path), (base(path),)))
    return places


def _sound(expected: str, holding: Holding, judgement: Judgement) -> PlaceFinding:
    proven = judgement.proof is not Proof.NONE
    return PlaceFinding(
        expected=expected,
        verdict=Verdict.SOUND if proven else Verdict.UNPROVEN,
        remedy=Remedy.NONE,
        reason="right content, right name" if proven else "right name; the sheet gives no digest to prove it",
        proof=judgement.proof,
        accept=judgement.accept,
        found=holding,
    )


def _proof(accept: Accept, holding: Holding) -> Proof:
    return Proof.ARCHIVE if accept.strongest() == "crc32" and holding.carried else Proof.DIGEST


def _say_reject(reject: Reject) -> str:
    name = f"it is the {reject.label}" if reject.label else "it is a content known not to work"
    return f"{name}: {reject.why}".rstrip(". ") if reject.why else name
