"""Which needs count: choices, of which one is enough, requirements, and what is spared; and what only a source that is
away can fill, which is neither missing nor to be obtained.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator
from itertools import chain

from msgspec import structs

from gribble.core.arcade.cabinet import having
from gribble.core.audit.judging.judge import proof_of
from gribble.core.catalogue.ranges import by_liking
from gribble.core.records.config import Liking
from gribble.core.records.facts import HeldAway, Spared
from gribble.core.records.findings import (
    NeedFinding,
    PlaceFinding,
    Proof,
    Remedy,
    SetAudit,
    SetProblem,
    State,
    Verdict,
)
from gribble.core.records.holding import Away, Holding, in_words
from gribble.core.records.roster import SetFile
from gribble.core.records.sheet import Accept, Level, Need
from gribble.core.survey.holdings import Stock


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
    works -= {None}
    required: dict[str, str] = {}
    for finding in findings:
        need, content = finding.need, finding.content
        spared = finding.spared or finding.ignored or need.choice in works
        if content and not spared and need.level is not Level.EXTRA:
            words = f"{need.called} ({content.called})" if content.called else need.called
            for id_ in content.requires:
                required.setdefault(id_, words)
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

    settled: dict[str, NeedFinding] = {}
    for members in _choices(findings):
        wanted = [finding for finding in members if not finding.ignored]
        accepted = next((finding for finding in members if finding.ignored), None)
        if accepted is not None and not any(finding.met for finding in wanted):
            by = Spared(accepted.need.called, "accepted")
            settled |= {one.need.id: _spared(one, by) for one in wanted if one.need.id not in kept}
        elif wanted:
            chosen = min(best_liked(wanted, liking), key=order)
            settled |= {one.need.id: one for one in _settled(wanted, chosen, kept)}
    return tuple(settled.get(finding.need.id, finding) for finding in findings)


def _choices(findings: Iterable[NeedFinding]) -> Iterable[list[NeedFinding]]:
    """The needs of each choice, of which one is enough."""
    choices: dict[str, list[NeedFinding]] = {}
    for finding in findings:
        if finding.need.choice is not None:
            choices.setdefault(finding.need.choice, []).append(finding)
    return choices.values()


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


Preferred = Callable[[Need], Iterable[Accept]]
"""The accepted contents of a need, the best first."""


class AwaySources:
    """The sources that are away, asked for what nobody here has."""

    def __init__(self, away: Iterable[Away]) -> None:
        self._away = {one.at: one for one in away}
        self._stock = Stock([one.holdings for one in self._away.values()])

    def __bool__(self) -> bool:
        return bool(self._away)

    def expect(self, names: Iterable[str]) -> None:
        """Be ready for these names to be asked for."""
        self._stock.expect(names)

    # Needs

    def connected(self, finding: NeedFinding, preferred: Preferred) -> NeedFinding:
        """A finding with those of its places that a source which is away can fill."""
        if not self._away or not any(place.remedy is Remedy.OBTAIN for place in finding.places):
            return finding
        places = tuple(
            self._connected(place, preferred) if place.remedy is Remedy.OBTAIN else place for place in finding.places
        )
        done = structs.replace(finding, places=places)
        return structs.replace(done, ways=()) if done.connectable and not finding.lacks else done

    def _connected(self, place: PlaceFinding, preferred: Preferred) -> PlaceFinding:
        part = place.subject.need
        for accept in preferred(part):
            for holding in self._stock.copies(accept, ""):
                return self._filled(place, holding, accept, proof_of(accept, holding))
        if not place.subject.unmeetable and (namesake := self._namesake(part)):
            return self._filled(place, namesake, None, Proof.NONE)
        return place

    def _filled(self, place: PlaceFinding, holding: Holding, accept: Accept | None, proof: Proof) -> PlaceFinding:
        """A place that a holding fills as soon as its source is here."""
        source = self._away[holding.root]
        nothing_there = place.verdict is Verdict.MISSING and place.found is None and place.occupied is None
        astray = nothing_there and accept is not None
        fact = HeldAway(source.source, source.since, right=astray, by_name=accept is None)
        return structs.replace(
            place,
            verdict=Verdict.ASTRAY if astray else place.verdict,
            remedy=Remedy.CONNECT,
            facts=(fact,) if nothing_there else (*place.facts, fact),
            proof=proof if astray else place.proof,
            accept=accept or place.accept,
            found=holding if nothing_there else place.found,
            use=holding,
            source=source.source,
        )

    def _namesake(self, part: Need) -> Holding | None:
        """A file of a right name of which the index does not know whether it is a right one."""
        sizes = {accept.size for accept in part.accept}
        digests = {accept.strongest() for accept in part.accept} - {None}
        for one in self._stock.namesakes(part.names, "", here=True):
            fits = part.key or not sizes or None in sizes or one.size in sizes
            if fits and digests.isdisjoint(one.digests.known()):
                return one
        return None

    # Sets

    def connected_set(self, one: SetAudit) -> SetAudit:
        """A set with those of its problems that a source which is away puts right."""
        if not self._away or not any(problem.remedy is Remedy.OBTAIN for problem in one.problems):
            return one
        return structs.replace(one, problems=tuple(map(self._connected_problem, one.problems)))

    def _connected_problem(self, problem: SetProblem) -> SetProblem:
        if problem.remedy is not Remedy.OBTAIN or problem.subject.wants is None:
            return problem
        holding = self._file(problem.subject.wants)
        if holding is None:
            return problem
        source = self._away[holding.root]
        missing = problem.verdict is Verdict.MISSING
        fact = HeldAway(source.source, source.since, file=in_words(holding.path, holding.member))
        return structs.replace(
            problem,
            verdict=Verdict.ASTRAY if missing else problem.verdict,
            remedy=Remedy.CONNECT,
            facts=(fact,) if missing else (*problem.facts, fact),
            found=holding if missing else problem.found,
            proof=Proof.ARCHIVE if missing and holding.carried else problem.proof,
            source=source.source,
            use=holding,
        )

    def _file(self, wanted: SetFile) -> Holding | None:
        if found := next(having(wanted, [away.holdings for away in self._away.values()]), None):
            return found
        unread = (one for one in self._stock.namesakes([wanted.name], "", here=True) if not one.digests.known())
        return next((one for one in unread if wanted.size in (None, one.size)), None)

    def waiting_for(self, one: SetAudit) -> str:
        """The sources that a set waits for; empty if it is blocked by something else, too."""
        wanting = [problem for problem in one.problems if problem.subject.state is State.BLOCKED]
        sources = dict.fromkeys(problem.source for problem in wanting if problem.remedy is Remedy.CONNECT)
        return "" if any(problem.remedy is Remedy.OBTAIN for problem in wanting) else " and ".join(sources)
