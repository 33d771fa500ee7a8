"""Firmware, keys and release must fit one another: what the ways are where they do not."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec import structs

from gribble.core.audit.judging.case import KeysInPlay, RigCase
from gribble.core.audit.judging.judge import Judge
from gribble.core.audit.judging.needs import NeedsAuditor
from gribble.core.audit.judging.serving import Serving
from gribble.core.records.facts import HasKeys, WorksHere, WorksWith, WouldFit
from gribble.core.records.findings import NeedFinding, PlaceFinding, Remedy, Standing, Way, standing
from gribble.core.records.place import Fitted
from gribble.core.records.sheet import Accept, Kind, Need
from gribble.core.survey.matching import is_content


class FirmwareFitter:
    """Sees to it that firmware, the keys that it requires, and the emulator's release fit one another."""

    def __init__(self, case: RigCase, needs: NeedsAuditor, serving: Serving) -> None:
        self._case, self._rig, self._shelf, self._judge = case, case.rig, case.shelf, case.judge
        self._needs, self._serving = needs, serving

    def required(self, fitted: Fitted) -> frozenset[str]:
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

    def keys_of(self, findings: Iterable[NeedFinding]) -> tuple[frozenset[str], frozenset[str]]:
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

    def fit(self, fitted: Fitted, finding: NeedFinding, keys: KeysInPlay, now: frozenset[str]) -> NeedFinding:
        """A firmware's finding with the keys that it lacks, and the ways to make firmware, keys and release fit."""
        need, place = finding.need, finding.chief
        others = fitted.other_releases.get(need.id, ())
        if not others and not need.requires_keys and not any(accept.requires_keys for accept in need.accept):
            return finding
        accept = place.accept if finding.in_place else None
        lacks = frozenset(accept.requires_keys) - now if accept else frozenset()
        if lacks - keys.after and not need.file:
            finding = self._refit(finding, keys)
        if finding.in_place and not lacks:
            return finding
        accept = accept or self._of_other_release(place, others)
        if accept is None and place.remedy is not Remedy.OBTAIN:
            return finding  # nothing that is there is in the way, and something that fits is held
        ways = _ways(self._case, fitted, need, accept, lacks)
        return structs.replace(finding, lacks=tuple(sorted(lacks)), ways=ways)

    def _of_other_release(self, place: PlaceFinding, others: Iterable[Accept]) -> Accept | None:
        """The content for another release that lies at a place; None if there is none."""
        here = place.lying(self._rig.name)
        return next((one for one in others if here and is_content(one, here.size, here.digests)), None)

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


def _requires(accept: Accept | None) -> set[str]:
    return set(accept.requires_keys) if accept else set()


def _ways(case: RigCase, fitted: Fitted, need: Need, in_place: Accept | None, lacks: frozenset[str]) -> tuple[Way, ...]:
    """The ways to make a firmware fit: another firmware, more keys, another release of the emulator.

    `in_place` is the content that is there, which the release or the keys do not fit; `lacks` are the names it
    requires in vain.
    """
    return (
        *_firmware(case, need, in_place),
        *_keys(case.judge, fitted, lacks),
        *_release(case, fitted, need, in_place),
    )


def _firmware(case: RigCase, need: Need, in_place: Accept | None) -> Iterator[Way]:
    others = [accept for accept in need.accept if accept != in_place]
    for accept in others:
        copies = case.stock.copies(accept, case.rig.name)
        if copies:
            fact = WorksHere(accept.called or need.called, accept.requires_keys)
            yield Way(change=_what(need), fact=fact, held=copies[0])
    if others and not any(case.stock.copies(accept, case.rig.name) for accept in others):
        yield Way(change=_what(need), fact=WouldFit(tuple(accept.called or need.called for accept in others)))


def _what(need: Need) -> str:
    return "firmware" if need.kind == Kind.FIRMWARE else "file"


def _keys(judge: Judge, fitted: Fitted, lacks: frozenset[str]) -> Iterator[Way]:
    if not lacks:
        return
    names = tuple(sorted(lacks))
    for need in fitted.needs:
        if need.kind is Kind.KEYS and (best := judge.best_keys_with(need, lacks)):
            yield Way(change="keys", fact=HasKeys(names, held=True), held=best)
            return
    yield Way(change="keys", fact=HasKeys(names, held=False))


def _release(case: RigCase, fitted: Fitted, need: Need, in_place: Accept | None) -> Iterator[Way]:
    for accept in fitted.other_releases.get(need.id, ()):
        held = case.stock.copies(accept, case.rig.name)
        if accept == in_place or held:
            fact = WorksWith(accept.called or need.called, accept.releases or "", fitted.title)
            yield Way(change="release", fact=fact, held=held[0] if held else None)
