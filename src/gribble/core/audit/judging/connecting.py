"""What only a source that is away can fill: held there, and neither missing nor to be obtained."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from msgspec import structs

from gribble.core.arcade.cabinet import having
from gribble.core.audit.judging.judge import proof_of
from gribble.core.records.facts import HeldAway
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
from gribble.core.records.sheet import Accept, Need
from gribble.core.survey.holdings import Stock

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
