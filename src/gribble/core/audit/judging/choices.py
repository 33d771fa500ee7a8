"""Choices, of which one need is enough, and requirements: which needs count, and which are spared."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import chain

from msgspec import structs

from gribble.core.catalogue.liking import by_liking
from gribble.core.records.config import Liking
from gribble.core.records.facts import Spared
from gribble.core.records.findings import Finding, Remedy
from gribble.core.records.sheet import Accept, Level


def best_liked(members: Iterable[Finding], liking: Liking) -> list[Finding]:
    """Needs by what there is of them, or could be, the best liked first."""
    members = list(members)
    contents = [_contents(finding) for finding in members]
    order = {id(accept): place for place, accept in enumerate(by_liking(chain.from_iterable(contents), liking))}
    ranks = {
        id(finding): min((order[id(accept)] for accept in accepts), default=len(order))
        for finding, accepts in zip(members, contents, strict=True)
    }
    return sorted(members, key=lambda finding: ranks[id(finding)])


def _contents(finding: Finding) -> tuple[Accept, ...]:
    accept = finding.chief.accept
    return (accept,) if accept else finding.need.accept


def settle(findings: tuple[Finding, ...], liking: Liking) -> tuple[Finding, ...]:
    """The findings with choices and requirements settled: of each choice one need counts, and what a content requires
    counts like a `must`, choice or not."""
    required = _required(_settle_choices(findings, liking, frozenset()))
    findings = _settle_choices(findings, liking, frozenset(required))
    return tuple(
        structs.replace(finding, need=structs.replace(finding.need, level=Level.MUST), required_by=by)
        if (by := required.get(finding.need.id))
        else finding
        for finding in findings
    )


def _required(findings: Iterable[Finding]) -> dict[str, str]:
    """The needs that a content in place, or about to be, requires, each with that content in words. One that is an
    extra, or that nobody waits for, requires nothing; nor does one of a choice of which another works as it is."""
    findings = list(findings)
    met = {finding.need.id for finding in findings if finding.met}
    works = {one.need.choice for one in findings if one.met and one.content and met.issuperset(one.content.requires)}
    required: dict[str, str] = {}
    for finding in findings:
        content = finding.content
        spared = finding.spared or finding.ignored or (finding.need.choice is not None and finding.need.choice in works)
        if content and not spared and finding.need.level is not Level.EXTRA:
            label = f" ({content.called})" if content.called else ""
            required |= {id_: f"{finding.need.called}{label}" for id_ in content.requires if id_ not in required}
    return required


def _settle_choices(findings: tuple[Finding, ...], liking: Liking, kept: frozenset[str]) -> tuple[Finding, ...]:
    """The findings with every choice settled: one of its needs counts, the others are spared, but for those `kept`.

    Where one is met as it is, none raises an alarm. Else the one counts that held files can put right; of several, and
    where there is none, one that a source which is away can, and else the one that is liked best. One whose
    content requires what cannot be had comes last.
    """
    hopeless = {finding.need.id for finding in findings if not (finding.met or finding.fixable)}

    def order(finding: Finding) -> tuple[bool, bool, bool, bool]:
        in_vain = finding.content is not None and not hopeless.isdisjoint(finding.content.requires)
        return (in_vain, not finding.met, not finding.fixable, not finding.connectable)

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
        chosen = min(best_liked(members, liking), key=order)
        if accepted is not None and not any(finding.met for finding in members):
            by = Spared(accepted.need.called, "accepted")
            settled |= {one.need.id: _spared(one, by) for one in members if one.need.id not in kept}
            continue
        if not chosen.met and not chosen.connectable:
            others = tuple(finding.need.called for finding in members if finding is not chosen)
            settled[chosen.need.id] = structs.replace(chosen, instead=others)
        for finding in members:
            if finding is not chosen and finding.need.id not in kept and not (finding.met and chosen.met):
                settled[finding.need.id] = _spare(finding, chosen, members)
    return tuple(settled.get(finding.need.id, finding) for finding in findings)


def _spare(finding: Finding, chosen: Finding, members: list[Finding]) -> Finding:
    name = chosen.need.called
    if chosen.met:
        return _spared(finding, Spared(name, "there", len(members)))
    return _spared(finding, Spared(name, "chosen" if chosen.connectable else "as well", len(members)))


def _spared(finding: Finding, by: Spared) -> Finding:
    places = tuple(structs.replace(place, remedy=Remedy.NONE, in_way=()) for place in finding.places)
    return structs.replace(finding, places=places, spared=by)
