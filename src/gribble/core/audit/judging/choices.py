"""Choices: needs of which one is enough. Which of them counts, and which are spared."""

from __future__ import annotations

from msgspec import structs

from gribble.core.records.findings import Finding, Remedy
from gribble.core.records.sheet import Accept


def rank(accept: Accept | None, regions: tuple[str, ...]) -> int:
    """How much a content is to the user's liking: the place of its region among theirs, lowest first."""
    region = accept.region if accept else None
    return regions.index(region) if region in regions else len(regions)


def settle_choices(findings: tuple[Finding, ...], regions: tuple[str, ...]) -> tuple[Finding, ...]:
    """The findings with every choice settled: one of its needs counts, the others are spared.

    Where one is met as it is, none raises an alarm. Else the one counts that held files can put right; of several, and
    where there is none, the user's regions decide, then the sheet's order.
    """
    choices: dict[str, list[Finding]] = {}
    for finding in findings:
        if finding.need.choice is not None:
            choices.setdefault(finding.need.choice, []).append(finding)
    settled: dict[str, Finding] = {}
    for members in choices.values():
        accepted = next((finding for finding in members if finding.ignored), None)
        members = [finding for finding in members if not finding.ignored]
        if not members:
            continue
        chosen = _chosen(members, regions)
        if accepted is not None and not any(finding.met for finding in members):
            words = f"you accept the gap of {accepted.need.called}, and one of them is enough"
            settled |= {finding.need.id: _spared(finding, words) for finding in members}
            continue
        if not chosen.met and not _fixable(chosen):
            others = tuple(finding.need.called for finding in members if finding is not chosen)
            settled[chosen.need.id] = structs.replace(chosen, instead=others)
        for finding in members:
            if finding is not chosen and not (finding.met and chosen.met):
                settled[finding.need.id] = _spare(finding, chosen, members)
    return tuple(settled.get(finding.need.id, finding) for finding in findings)


def _chosen(members: list[Finding], regions: tuple[str, ...]) -> Finding:
    def liking(finding: Finding) -> int:
        place = finding.chief
        accepts = [place.accept] if place.accept else list(finding.need.accept)
        return min((rank(accept, regions) for accept in accepts), default=len(regions))

    def order(finding: Finding) -> tuple[bool, bool, int]:
        return (not finding.met, not _fixable(finding), liking(finding))

    return min(members, key=order)


def _fixable(finding: Finding) -> bool:
    return all(place.met or place.fixable for place in finding.places)


def _spare(finding: Finding, chosen: Finding, members: list[Finding]) -> Finding:
    name = chosen.need.called
    if chosen.met:
        words = f"{name} is there, and one of the {len(members)} is enough"
    elif _fixable(chosen):
        words = f"{name} is chosen, and one of the {len(members)} is enough"
    else:
        words = f"would do as well as {name}; one of the {len(members)} is enough"
    return _spared(finding, words)


def _spared(finding: Finding, words: str) -> Finding:
    places = tuple(structs.replace(place, remedy=Remedy.NONE, in_way=()) for place in finding.places)
    return structs.replace(finding, places=places, spared=words)
