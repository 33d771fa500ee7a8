"""Why an emulator will not run: its findings in the order in which they are best put right."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from enum import IntEnum

from msgspec import Struct

from gribble.core.records.findings import (
    FIXABLE,
    EmulatorAudit,
    GameFinding,
    Home,
    NeedFinding,
    Remedy,
    RigAudit,
    RootFinding,
    SetAudit,
    SetProblem,
    SettingFinding,
    Standing,
    State,
    Verdict,
)
from gribble.core.records.holding import Holding
from gribble.core.records.sheet import Kind, Level
from gribble.core.sayings.facts import root_words, say_all
from gribble.core.sayings.remedies import archive_words


class Order(IntEnum):
    """What must be fixed first."""

    RIG = 0
    RELEASE = 1
    MISSING = 2
    WRONG = 3
    KEYS = 4
    SETTINGS = 5
    MEDIA = 6
    BETTER = 7


class Reason(Struct, frozen=True, kw_only=True):
    """One reason: what it is about (`kind`: rig, release, sheet, need, set, setting, media or pair), where, what helps.

    `files` are all that one reason is of; of an `archive` that has to be got `parts` tell of each. `about` is the need
    that a setting leads to, or the name by which a release knows a set; `mends` says that mending discs puts it right;
    `source` is one that is away and could.
    """

    order: Order
    kind: str
    subject: str
    file: str
    verdict: str
    words: str
    remedy: Remedy = Remedy.NONE
    finding: NeedFinding | None = None
    files: tuple[str, ...] = ()
    about: str = ""
    mends: bool = False
    source: str = ""
    archive: str = ""
    parts: tuple[str, ...] = ()


def reasons(rig: RigAudit, emulator: EmulatorAudit) -> tuple[Reason, ...]:
    """Every reason, first things first. Extras are none, and an emulator that is ready has none but its games."""
    return tuple(sorted(_reasons(rig, emulator), key=lambda reason: reason.order))


def _reasons(rig: RigAudit, emulator: EmulatorAudit) -> Iterator[Reason]:
    yield from (_of_root(rig, demand) for demand in emulator.root if not demand.met)
    if emulator.note and emulator.state is not State.READY:
        yield Reason(
            order=Order.RELEASE,
            kind="sheet" if emulator.unknown else "release",
            subject=emulator.emulator,
            file=emulator.emulator if emulator.unknown else "",
            verdict=Verdict.UNPROVEN,
            words=emulator.note,
        )
    yield from (reason_of(one) for one in emulator.findings if not one.met and one.need.level is not Level.EXTRA)
    sources = {finding.need.id: finding.chief.source for finding in emulator.findings}
    for setting in emulator.settings:
        if not setting.met and setting.subject.level is not Level.EXTRA:
            yield _of_setting(setting, sources.get(setting.subject.setting.need or "", ""))
    for one in emulator.sets:
        yield from set_reasons(one, emulator.release)
    if emulator.arcade.idle:
        yield Reason(
            order=Order.BETTER,
            kind="wanted",
            subject=emulator.emulator,
            file=emulator.emulator,
            verdict=Verdict.UNPROVEN,
            words=f"{emulator.arcade.note}; write in gribble.toml which sets you want",
        )
    yield from (_of_game(game) for game in emulator.games or () if Standing.REMARK not in game.standing)


def _of_root(rig: RigAudit, demand: RootFinding) -> Reason:
    return Reason(
        order=Order.RIG,
        kind="rig",
        subject=rig.rig,
        file=rig.root,
        verdict=demand.verdict,
        words=root_words(demand),
    )


def _of_game(game: GameFinding) -> Reason:
    return Reason(
        order=Order.MEDIA,
        kind=game.subject.rule,
        subject=game.subject.file,
        file=game.subject.file,
        verdict=game.verdict,
        words=say_all(game.facts),
        remedy=game.remedy,
        mends=Standing.MENDS in game.standing,
    )


def set_reasons(one: SetAudit, release: str | None) -> Iterator[Reason]:
    """Why a set does not run: what its release cannot do first, then the archives that have to be got, then wrong
    files; files with one reason together."""
    to_get = one.to_get
    groups: dict[object, list[SetProblem]] = dict(to_get.items())
    for problem in one.problems:
        if problem.subject.state is not State.READY and not (
            problem.remedy is Remedy.OBTAIN and problem.subject.home in to_get
        ):
            groups.setdefault((problem.verdict, problem.facts, problem.remedy), []).append(problem)
    for key, problems in groups.items():
        problem = problems[0]
        absent = problem.verdict in (Verdict.MISSING, Verdict.ASTRAY)
        order = Order.RELEASE if not problem.subject.file else Order.MISSING if absent else Order.WRONG
        yield Reason(
            order=Order.BETTER if problem.subject.state is State.LIMITED else order,
            kind="set",
            subject=one.set,
            file=problem.subject.file or one.set,
            files=tuple(dict.fromkeys(each.subject.file for each in problems if each.subject.file)),
            verdict=problem.verdict,
            words=archive_words(key, problems, release) if isinstance(key, Home) else say_all(problem.facts),
            remedy=problem.remedy,
            about=problem.subject.renamed,
            source=problem.source,
            archive=key.name if isinstance(key, Home) else "",
            parts=tuple(f"{each.subject.file}: {say_all(each.facts)}" for each in problems),
        )


def reason_of(finding: NeedFinding) -> Reason:
    """A need that is not met, as a reason."""
    place = finding.chief
    return Reason(
        order=_order(finding),
        kind="need",
        subject=finding.need.id,
        file=place.told,
        verdict=finding.verdict_at(place),
        words=say_all(finding.facts),
        remedy=Remedy.NONE if place.refusal else place.remedy,
        finding=finding,
        source=place.source,
    )


def _order(finding: NeedFinding) -> Order:
    place = finding.chief
    if finding.need.level is Level.BETTER:
        return Order.BETTER
    if finding.need.kind is Kind.KEYS or finding.lacks:
        return Order.KEYS
    if place.remedy is Remedy.OBTAIN and any(way.change == "release" for way in finding.ways):
        return Order.RELEASE
    return Order.MISSING if place.verdict in (Verdict.MISSING, Verdict.ASTRAY) else Order.WRONG


def _of_setting(found: SettingFinding, source: str) -> Reason:
    """A setting; one that leads to what a `source` which is away holds waits for that."""
    return Reason(
        order=Order.BETTER if found.subject.level is Level.BETTER else Order.SETTINGS,
        kind="setting",
        subject=found.subject.setting.key,
        file=found.subject.file,
        verdict=found.verdict,
        words=say_all(found.facts),
        remedy=found.remedy,
        about=found.subject.setting.need or "",
        source=source if found.remedy not in FIXABLE else "",
    )


class Answer(Struct, frozen=True):
    """One emulator (or one set) on one rig, and the reasons why it will not run; none if the rig is away."""

    rig: RigAudit
    emulator: EmulatorAudit | None
    reasons: tuple[Reason, ...]
    one: SetAudit | None = None

    @property
    def state(self) -> State:
        """The set's state, or the emulator's, or that the rig is away."""
        return self.one.state if self.one else self.emulator.state if self.emulator else State.AWAY


def answers(audits: tuple[RigAudit, ...]) -> list[Answer]:
    """The reasons for each emulator on each rig."""
    found = []
    for rig in audits:
        if rig.away:
            found.append(Answer(rig, None, ()))
        found += [Answer(rig, emulator, reasons(rig, emulator)) for emulator in rig.emulators]
    return found


def set_answers(audits: tuple[RigAudit, ...]) -> list[Answer]:
    """The reasons for each set that was asked for on each rig with an emulator that has a roster."""
    return [
        Answer(rig, emulator, tuple(sorted(set_reasons(one, emulator.release), key=lambda reason: reason.order)), one)
        for rig in audits
        for emulator in rig.emulators
        for one in emulator.sets
    ]


class Cause(Struct, frozen=True, kw_only=True):
    """What several sets have in common that do not run as they should: the files of one relative (`owner`), or one
    kind of fault of their own. `held` are right copies of these files, one for each place, `sources` those that hold
    some and are away; `whole` says that what is held puts all of it right; `to_get` are the archives that have to be
    got, each with its files that nobody here has."""

    owner: str
    verdict: Verdict
    state: State
    files: tuple[str, ...]
    held: tuple[Holding, ...]
    sets: tuple[str, ...]
    sources: tuple[str, ...]
    whole: bool
    of_release: bool
    to_get: dict[Home, tuple[SetProblem, ...]] = {}


def causes_of(sets: Iterable[SetAudit]) -> list[Cause]:
    """The causes, those that block first, then those of the most sets."""
    groups: dict[tuple[str, Verdict, State, bool, bool], list[tuple[str, SetProblem]]] = {}
    for one in sets:
        for problem in one.problems:
            whose = problem.subject.home.owner or problem.subject.owner
            owner = whose if problem.subject.file and whose != one.set else ""
            got = problem.remedy is Remedy.OBTAIN
            key = (owner, problem.verdict, problem.subject.state, not problem.subject.file, got)
            groups.setdefault(key, []).append((one.set, problem))
    causes = [_cause(*key[:4], problems) for key, problems in groups.items()]
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
        files=tuple(dict.fromkeys(problem.subject.file for _, problem in problems if problem.subject.file)),
        held=tuple(places.values()),
        sets=tuple(dict.fromkeys(name for name, _ in problems)),
        sources=tuple(dict.fromkeys(problem.source for _, problem in problems if problem.source)),
        whole=all(problem.remedy in FIXABLE for _, problem in problems),
        of_release=of_release,
        to_get=_to_get(problem for _, problem in problems),
    )


def _to_get(problems: Iterable[SetProblem]) -> dict[Home, tuple[SetProblem, ...]]:
    found: dict[Home, list[SetProblem]] = {}
    for problem in problems:
        if problem.remedy is Remedy.OBTAIN and problem.subject.home.of:
            found.setdefault(problem.subject.home, []).append(problem)
    return {home: tuple(group) for home, group in found.items()}
