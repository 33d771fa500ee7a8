"""Why an emulator will not run: its findings in the order in which they are best put right (DESIGN.md section 13)."""

from __future__ import annotations

import shlex
from collections.abc import Callable, Iterator
from enum import IntEnum

from msgspec import Struct

from gribble.core.records.findings import (
    FIXABLE,
    EmulatorAudit,
    Finding,
    Remedy,
    RigAudit,
    SetAudit,
    SettingFinding,
    State,
    Verdict,
)
from gribble.core.records.holding import Holding
from gribble.core.records.sheet import Kind, Level


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

    `merge` are key files that would help together.
    """

    order: Order
    kind: str
    subject: str
    file: str
    verdict: str
    words: str
    remedy: Remedy = Remedy.NONE
    finding: Finding | None = None
    merge: tuple[Holding, ...] = ()


def reasons(rig: RigAudit, emulator: EmulatorAudit) -> tuple[Reason, ...]:
    """Every reason, first things first. Extras are none, and an emulator that is ready has none but its games."""
    return tuple(sorted(_reasons(rig, emulator), key=lambda reason: reason.order))


def _reasons(rig: RigAudit, emulator: EmulatorAudit) -> Iterator[Reason]:
    for demand in emulator.root:
        if not demand.met:
            words = f"the {'volume' if demand.demand == 'volume' else 'label of the volume'} {demand.reason}"
            yield Reason(
                order=Order.RIG, kind="rig", subject=rig.rig, file=rig.root, verdict=demand.verdict, words=words
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
    for setting in emulator.settings:
        if not setting.met and setting.level is not Level.EXTRA:
            yield _of_setting(setting)
    for one in emulator.sets:
        yield from set_reasons(one)
    for game in emulator.games or ():
        yield Reason(
            order=Order.MEDIA,
            kind=game.rule,
            subject=game.file,
            file=game.file,
            verdict=game.verdict,
            words=game.reason,
        )


def set_reasons(one: SetAudit) -> Iterator[Reason]:
    """Why a set does not run: what its release cannot do first, then files that are missing, then wrong ones."""
    told: set[tuple[str, str]] = set()
    for problem in one.problems:
        if problem.state is State.READY or (problem.verdict, problem.reason) in told:
            continue  # one broken archive is one reason, however many files are in it
        told.add((problem.verdict, problem.reason))
        absent = problem.verdict in (Verdict.MISSING, Verdict.ASTRAY)
        order = Order.RELEASE if not problem.file else Order.MISSING if absent else Order.WRONG
        yield Reason(
            order=Order.BETTER if problem.state is State.LIMITED else order,
            kind="set",
            subject=one.set,
            file=problem.file or one.set,
            verdict=problem.verdict,
            words=problem.reason,
            remedy=problem.remedy,
        )


def _of_need(finding: Finding) -> Reason:
    place = finding.chief
    return Reason(
        order=_order(finding),
        kind="need",
        subject=finding.need.id,
        file=place.expected,
        verdict=place.verdict,
        words=finding.reason,
        remedy=Remedy.NONE if place.refusal else place.remedy,
        finding=finding,
        merge=finding.merge,
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


def _of_setting(found: SettingFinding) -> Reason:
    return Reason(
        order=Order.BETTER if found.level is Level.BETTER else Order.SETTINGS,
        kind="setting",
        subject=found.setting.key,
        file=found.file,
        verdict=found.verdict,
        words=found.reason,
        remedy=found.remedy,
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


def next_command(answer: Answer, reason: Reason, shown: Callable[[str], str] = str) -> str:
    """The command that leads on: to the remedy or, where only the user's own hands help, to another look; paths as they
    are `shown`."""
    assert answer.emulator is not None
    name, on = answer.emulator.emulator, f"--rig {answer.rig.rig}"
    if reason.merge:
        files = " ".join(shlex.quote(shown(holding.where)) for holding in reason.merge)
        return f"gribble keys merge {files} --out merged.keys --emulator {name}"
    if reason.kind == "set":
        whole = not any(each.subject == reason.subject and each.remedy is Remedy.OBTAIN for each in answer.reasons)
        verb = "pack" if whole and reason.remedy in FIXABLE else "show"  # a set is not packed in part
        return f"gribble sets {verb} {reason.subject} {on}"
    if reason.kind == "sheet":
        unknown = answer.emulator.unknown
        return "gribble catalogue lint" if unknown and unknown.faulty else "gribble catalogue list"
    if reason.kind in ("media", "pair"):
        return f"gribble check {name} {on} --games"
    if reason.remedy in FIXABLE:
        by_name = " --by-name" if reason.finding and reason.finding.chief.by_name else ""
        return f"gribble place {name} {on}{by_name}"
    if reason.finding and reason.finding.lacks and any(way.held for way in reason.finding.ways if way.change == "keys"):
        return f"gribble place {name} {on}"
    if reason.remedy is Remedy.OBTAIN:
        return f"gribble needs {name} {on}"
    return f"gribble check {name} {on}"
