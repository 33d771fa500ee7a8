"""Why many sets do not run: grouped by what is at fault, so that one answer stands for all that have it in common."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from gribble.core.records.findings import FIXABLE, SetAudit, SetProblem, State, Verdict
from gribble.core.records.holding import Holding


class Cause(Struct, frozen=True, kw_only=True):
    """What several sets have in common that do not run as they should: the files of one relative (`owner`), or one
    kind of fault of their own. `held` are right copies of these files, one for each place, `sources` those that hold
    some and are away; `whole` says that what is held puts all of it right."""

    owner: str
    verdict: Verdict
    state: State
    files: tuple[str, ...]
    held: tuple[Holding, ...]
    sets: tuple[str, ...]
    sources: tuple[str, ...]
    whole: bool
    of_release: bool


def causes_of(sets: Iterable[SetAudit]) -> list[Cause]:
    """The causes, those that block first, then those of the most sets."""
    groups: dict[tuple[str, Verdict, State, bool], list[tuple[str, SetProblem]]] = {}
    for one in sets:
        for problem in one.problems:
            owner = problem.owner if problem.file and problem.owner != one.set else ""
            key = (owner, problem.verdict, problem.state, not problem.file)
            groups.setdefault(key, []).append((one.set, problem))
    causes = [_cause(*key, problems) for key, problems in groups.items()]
    return sorted(causes, key=lambda one: (one.state is not State.BLOCKED, -len(one.sets), one.owner))


def _cause(
    owner: str, verdict: Verdict, state: State, of_release: bool, problems: list[tuple[str, SetProblem]]
) -> Cause:
    places: dict[tuple[str, str], Holding] = {}
    for _, problem in problems:
        if problem.verdict is Verdict.ASTRAY and (found := problem.found):
            places.setdefault((found.root, found.path), found)
    return Cause(
        owner=owner,
        verdict=verdict,
        state=state,
        files=tuple(dict.fromkeys(problem.file for _, problem in problems if problem.file)),
        held=tuple(places.values()),
        sets=tuple(dict.fromkeys(name for name, _ in problems)),
        sources=tuple(dict.fromkeys(problem.source for _, problem in problems if problem.source)),
        whole=all(problem.remedy in FIXABLE for _, problem in problems),
        of_release=of_release,
    )
