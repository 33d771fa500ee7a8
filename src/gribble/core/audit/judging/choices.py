"""Choices, of which one need is enough, and requirements: which needs count, and which are spared."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from itertools import chain

from msgspec import structs

from gribble.core.catalogue.ranges import by_liking
from gribble.core.records.config import Liking
from gribble.core.records.facts import Spared
from gribble.core.records.findings import NeedFinding, Remedy
from gribble.core.records.sheet import Accept, Level


def best_liked(members: Iterable[NeedFinding], liking: Liking) -> list[NeedFinding]:
    """Needs by what there is of them, or could be, the best liked first."""
    members = list(members)
    contents = [_contents(finding) for finding in members]
    order = {id(accept): place for place, accept in enumerate(by_liking(chain.from_iterable(contents), liking))}
    ranks = {
        id(finding): min((order[id(accept)] for accept in accepts), default=len(order))
        for finding, accepts in zip(members, contents, strict=True)
    }
    return sorted(members, key=lambda finding: ranks[id(finding)])


def _contents(finding: NeedFinding) -> tuple[Accept, ...]:
    accept = finding.chief.accept
    return (accept,) if accept else finding.need.accept


def settle(findings: tuple[NeedFinding, ...], liking: Liking, asked: Collection[str] = ()) -> tuple[NeedFinding, ...]:
    """The findings with choices and requirements settled: of each choice one need counts, and what a content requires
    counts like a `must`, choice or not; so does a need that is `asked` for."""
    required = _required(_settle_choices(findings, liking, frozenset(asked)))
    findings = _settle_choices(findings, liking, frozenset((*asked, *required)))
    return tuple(
        structs.replace(finding, need=structs.replace(finding.need, level=Level.MUST), required_by=by)
        if (by := required.get(finding.need.id))
        else finding
        for finding in findings
    )


def _required(findings: Iterable[NeedFinding]) -> dict[str, str]:
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


def _settle_choices(findings: tuple[NeedFinding, ...], liking: Liking, kept: frozenset[str]) -> tuple[NeedFinding, ...]:
    """The findings with every choice settled: one of its needs counts, the others are spared, but for those `kept`.

    Where one is met as it is, none raises an alarm. Else the one counts that held files can put right; of several, and
    where there is none, one that a source which is away can, and else the one that is liked best. One whose
    content requires what cannot be had comes last.
    """
    hopeless = {finding.need.id for finding in findings if not (finding.met or finding.fixable)}

    def order(finding: NeedFinding) -> tuple[bool, bool, bool, bool]:
        in_vain = finding.content is not None and not hopeless.isdisjoint(finding.content.requires)
        return (in_vain, not finding.met, not finding.fixable, not finding.connectable)

    choices: dict[str, list[NeedFinding]] = {}
    for finding in findings:
        if finding.need.choice is not None:
            choices.setdefault(finding.need.choice, []).append(finding)
    settled: dict[str, NeedFinding] = {}
    for members in choices.values():
        wanted = [finding for finding in members if not finding.ignored]
        accepted = next((finding for finding in members if finding.ignored), None)
        if accepted is not None and not any(finding.met for finding in wanted):
            by = Spared(accepted.need.called, "accepted")
            settled |= {one.need.id: _spared(one, by) for one in wanted if one.need.id not in kept}
        elif wanted:
            chosen = min(best_liked(wanted, liking), key=order)
            settled |= {one.need.id: one for one in _settled(wanted, chosen, kept)}
    return tuple(settled.get(finding.need.id, finding) for finding in findings)


def _settled(members: list[NeedFinding], chosen: NeedFinding, kept: frozenset[str]) -> Iterator[NeedFinding]:
    """The needs of a choice that read differently now that one of them is chosen."""
    if not chosen.met and not chosen.connectable:
        others = tuple(finding.need.called for finding in members if finding is not chosen)
        yield structs.replace(chosen, instead=others)
    for finding in members:
        if finding is not chosen and finding.need.id not in kept and not (finding.met and chosen.met):
            yield _spare(finding, chosen, members)


def _spare(finding: NeedFinding, chosen: NeedFinding, members: list[NeedFinding]) -> NeedFinding:
    name = chosen.need.called
    if chosen.met:
        return _spared(finding, Spared(name, "there", len(members)))
    return _spared(finding, Spared(name, "chosen" if chosen.connectable else "as well", len(members)))


def _spared(finding: NeedFinding, by: Spared) -> NeedFinding:
    places = tuple(structs.replace(place, remedy=Remedy.NONE, in_way=()) for place in finding.places)
    return structs.replace(finding, places=places, spared=by)
