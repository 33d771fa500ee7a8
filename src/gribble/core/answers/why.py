"""Why an emulator will not run: its findings in the order in which they are best put right."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from enum import IntEnum
from typing import NamedTuple

from msgspec import Struct

from gribble.core.records.discs import MENDS
from gribble.core.records.facts import Facts
from gribble.core.records.findings import (
    FIXABLE,
    EmulatorAudit,
    Finding,
    Remedy,
    RigAudit,
    SetAudit,
    SetProblem,
    SettingFinding,
    State,
    Verdict,
)
from gribble.core.records.sheet import Kind, Level
from gribble.core.sayings.facts import root_words, say_all


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

    `files` are all that one reason is of. `about` is the need that a setting leads to, or the name by which a release
    knows a set; `mends` says that mending discs puts it right; `source` is one that is away and could.
    """

    order: Order
    kind: str
    subject: str
    file: str
    verdict: str
    words: str
    remedy: Remedy = Remedy.NONE
    finding: Finding | None = None
    files: tuple[str, ...] = ()
    about: str = ""
    mends: bool = False
    source: str = ""


def reasons(rig: RigAudit, emulator: EmulatorAudit) -> tuple[Reason, ...]:
    """Every reason, first things first. Extras are none, and an emulator that is ready has none but its games."""
    return tuple(sorted(_reasons(rig, emulator), key=lambda reason: reason.order))


def _reasons(rig: RigAudit, emulator: EmulatorAudit) -> Iterator[Reason]:
    for demand in emulator.root:
        if not demand.met:
            yield Reason(
                order=Order.RIG,
                kind="rig",
                subject=rig.rig,
                file=rig.root,
                verdict=demand.verdict,
                words=root_words(demand),
            )
    if emulator.note and emulator.state is not State.READY:
        yield Reason(
            order=Order.RELEASE,
            kind="sheet" if emulator.unknown else "release",
            subject=emulator.emulator,
            file=emulator.emulator if emulator.unknown else "",
            verdict=Verdict.UNPROVEN,
            words=emulator.note,
        )
    for finding in emulator.findings:
        if not finding.met and finding.need.level is not Level.EXTRA:
            yield _of_need(finding)
    sources = {finding.need.id: finding.chief.source for finding in emulator.findings}
    for setting in emulator.settings:
        if not setting.met and setting.level is not Level.EXTRA:
            yield _of_setting(setting, sources.get(setting.setting.need or "", ""))
    for one in emulator.sets:
        yield from set_reasons(one)
    if emulator.idle:
        yield Reason(
            order=Order.BETTER,
            kind="wanted",
            subject=emulator.emulator,
            file=emulator.emulator,
            verdict=Verdict.UNPROVEN,
            words=f"{emulator.sets_note}; say in gribble.toml which are wanted",
        )
    for game in (one for one in emulator.games or () if not one.remark):
        yield Reason(
            order=Order.MEDIA,
            kind=game.rule,
            subject=game.file,
            file=game.file,
            verdict=game.verdict,
            words=say_all(game.facts),
            remedy=game.remedy,
            mends=game.mends,
        )


def set_reasons(one: SetAudit) -> Iterator[Reason]:
    """Why a set does not run: what its release cannot do first, then files that are missing, then wrong ones; files
    with one reason together."""
    groups: dict[tuple[str, Facts, str], list[SetProblem]] = {}
    for problem in one.problems:
        if problem.state is not State.READY:
            groups.setdefault((problem.verdict, problem.facts, problem.remedy), []).append(problem)
    for problems in groups.values():
        problem = problems[0]
        absent = problem.verdict in (Verdict.MISSING, Verdict.ASTRAY)
        order = Order.RELEASE if not problem.file else Order.MISSING if absent else Order.WRONG
        yield Reason(
            order=Order.BETTER if problem.state is State.LIMITED else order,
            kind="set",
            subject=one.set,
            file=problem.file or one.set,
            files=tuple(dict.fromkeys(each.file for each in problems if each.file)),
            verdict=problem.verdict,
            words=say_all(problem.facts),
            remedy=problem.remedy,
            about=problem.renamed,
            source=problem.source,
        )


def _of_need(finding: Finding) -> Reason:
    place = finding.chief
    return Reason(
        order=_order(finding),
        kind="need",
        subject=finding.need.id,
        file=place.expected,
        verdict=place.verdict,
        words=say_all(finding.facts),
        remedy=Remedy.NONE if place.refusal else place.remedy,
        finding=finding,
        source=place.source,
    )


def _order(finding: Finding) -> Order:
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
        order=Order.BETTER if found.level is Level.BETTER else Order.SETTINGS,
        kind="setting",
        subject=found.setting.key,
        file=found.file,
        verdict=found.verdict,
        words=say_all(found.facts),
        remedy=found.remedy,
        about=found.setting.need or "",
        source=source if found.remedy not in FIXABLE else "",
    )


class Answer(Struct, frozen=True):
    """One emulator (or one set) on one rig, and the reasons why it will not run; none where the rig is away."""

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


def set_answers(audits: tuple[RigAudit, ...], name: str) -> list[Answer]:
    """The reasons for one set on each rig with an emulator that has a roster."""
    return [
        Answer(rig, emulator, tuple(sorted(set_reasons(one), key=lambda reason: reason.order)), one)
        for rig in audits
        for emulator in rig.emulators
        for one in emulator.sets
        if one.set == name
    ]


class Turn(NamedTuple):
    """Whose turn it is: the command that leads on, None where there is none, and whether only the person can go on."""

    command: str | None
    yours: bool = False


YOURS = Turn(None, yours=True)


def next_turn(answer: Answer, reason: Reason, shown: Callable[[str], str] = str) -> Turn:
    """What leads on from a reason: the command that is its remedy, the list of what is to be got, or the person's own
    hands; paths as they are `shown`, to be typed."""
    assert answer.emulator is not None
    name, on = answer.emulator.emulator, f"--rig {answer.rig.rig}"
    match reason.kind:
        case "set":
            return _for_set(answer, reason, on)
        case "sheet":
            unknown = answer.emulator.unknown
            return Turn(f"gribble catalogue {'lint' if unknown and unknown.faulty else 'list'}", yours=True)
        case "media" | "pair":
            return _for_game(answer, reason, f"gribble place {name} {on} --games", shown)
        case "need":
            return _for_need(reason, name, on, shown)
        case "setting":
            if reason.remedy in FIXABLE:
                return Turn(f"gribble place {name} {on}")
            need = next((one for one in answer.emulator.findings if one.need.id == reason.about), None)
            return _for_need(_of_need(need), name, on, shown) if need and not need.met else YOURS
        case _:  # the volume, its label, the release
            return YOURS


def _for_set(answer: Answer, reason: Reason, on: str) -> Turn:
    """A set is not packed in part; one that the release knows by another name is packed under that."""
    if reason.about:
        return Turn(f"gribble sets pack {reason.about} {on}")
    alike = [each.remedy for each in answer.reasons if each.subject == reason.subject]
    whole = not {Remedy.OBTAIN, Remedy.CONNECT}.intersection(alike)
    if Remedy.CONNECT in alike and Remedy.OBTAIN not in alike:
        return YOURS
    if whole and reason.remedy in FIXABLE:
        return Turn(f"gribble sets pack {reason.subject} {on}")
    return Turn(f"gribble sets show {reason.subject} {on}", yours=True)


def _for_game(answer: Answer, reason: Reason, place: str, shown: Callable[[str], str]) -> Turn:
    if reason.remedy in FIXABLE:
        return Turn(place)
    if reason.mends and "://" not in answer.rig.root:
        return Turn(f"{MENDS} {shown(f'{answer.rig.root}/{reason.file}')}")
    return YOURS


def _for_need(reason: Reason, name: str, on: str, shown: Callable[[str], str]) -> Turn:
    finding = reason.finding
    assert finding is not None
    place = finding.chief
    if finding.merge:
        files = " ".join(shown(holding.where) for holding in finding.merge)
        return Turn(f"gribble keys merge {files} --out merged.keys --emulator {name}")
    if reason.remedy in FIXABLE:
        by_name = " --by-name" if place.by_name else ""
        only = f" --only {finding.need.id}" if place.surplus else ""
        return Turn(f"gribble place {name} {on}{by_name}{only}")
    if place.refusal:
        return YOURS
    if finding.lacks and any(way.held for way in finding.ways if way.change == "keys"):
        return Turn(f"gribble place {name} {on}")
    if reason.remedy is Remedy.OBTAIN or finding.lacks:
        return Turn(f"gribble needs {name} {on}", yours=True)
    return YOURS
