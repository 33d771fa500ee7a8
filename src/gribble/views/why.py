"""The answer of `gribble why`, for the terminal and as `why/1`."""

from __future__ import annotations

import shlex
from typing import Any

from msgspec import Struct
from rich.text import Text

from gribble.core.answers.why import Order, Reason, reasons, set_reasons
from gribble.core.records.findings import FIXABLE, EmulatorAudit, Remedy, RigAudit, SetAudit, State, worst
from gribble.views.check import way_words
from gribble.views.looks import QUIET, shorten
from gribble.views.screen import Screen, remedy, state, styled, verdict


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


def show_why(screen: Screen, found: list[Answer]) -> None:
    """Each reason with what to do about it, first things first."""
    for number, answer in enumerate(found):
        if number:
            screen.out.print()
        if answer.emulator is None:
            screen.say(styled(answer.rig.rig, "bold"), "  ", state(State.AWAY))
            screen.say(f"  {answer.rig.away}. Nothing can be said of what is on it.")
            screen.say("  ", remedy(_away_next(answer.rig)))
            continue
        release = f" {answer.emulator.release}" if answer.emulator.release else ""
        where = styled(f"  on {answer.rig.rig}  ", QUIET)
        who = f"{answer.one.set}  {answer.one.title}  for " if answer.one else ""
        screen.say(styled(f"{who}{answer.emulator.title}{release}", "bold"), where, state(answer.state))
        if not answer.reasons:
            more = "" if answer.one else ", and every setting leads to it"
            screen.say(f"  Nothing stands in its way: every file is right{more}.")
        rows: list[tuple[str | Text, ...]] = [
            (f"{place}.", verdict(reason.verdict), _account(answer, reason))
            for place, reason in enumerate(answer.reasons, start=1)
        ]
        screen.grid(rows)
        if any(reason.order is not Order.BETTER for reason in answer.reasons) and answer.state is State.READY:
            screen.say("  It runs all the same: games do not change its state.")


def _account(answer: Answer, reason: Reason) -> Text:
    finding = reason.finding
    if finding:
        title = f"{finding.need.called}: {reason.file}"
    else:
        title = f"{reason.file}: {reason.subject}" if reason.kind == "setting" else shorten(reason.file)
        if reason.kind == "set" and reason.file != reason.subject and not answer.one:
            title = f"{reason.subject}: {reason.file}"
    text = Text.assemble(styled(title, "bold"), "\n", styled(reason.words))
    if finding and finding.need.why:
        text.append_text(styled(f"\n{finding.need.why}", QUIET))
    if finding and finding.instead:
        text.append_text(styled(f"\nor, as well: {', '.join(finding.instead)}; one is enough"))
    for way in finding.ways if finding else ():
        text.append_text(styled(f"\n· {way_words(answer.rig, way)}"))
    if finding and finding.chief.refusal and not finding.met:
        text.append("\n").append_text(remedy(f"{finding.chief.refusal.fix}, then:"))
    if command := next_command(answer, reason):
        text.append("\n").append_text(remedy(command))
    return text


def next_command(answer: Answer, reason: Reason) -> str:
    """The command that leads on: to the remedy or, where only the user's own hands help, to another look."""
    assert answer.emulator is not None
    name, on = answer.emulator.emulator, f"--rig {answer.rig.rig}"
    if reason.merge:
        files = " ".join(shlex.quote(shorten(holding.where)) for holding in reason.merge)
        return f"gribble keys merge {files} --out merged.keys --emulator {name}"
    if reason.kind == "set":
        whole = not any(each.subject == reason.subject and each.remedy is Remedy.OBTAIN for each in answer.reasons)
        verb = "pack" if whole and reason.remedy in FIXABLE else "show"  # a set is not packed in part
        return f"gribble sets {verb} {reason.subject} {on}"
    if reason.kind in ("media", "pair"):
        return f"gribble check {name} {on} --games"
    if reason.remedy in FIXABLE:
        return f"gribble place {name} {on}"
    if reason.finding and reason.finding.lacks and any(way.held for way in reason.finding.ways if way.change == "keys"):
        return f"gribble place {name} {on}"
    if reason.remedy is Remedy.OBTAIN:
        return f"gribble needs {name} {on}"
    return f"gribble check {name} {on}"


def _away_next(rig: RigAudit) -> str:
    return f"gribble check --rig {rig.rig} --at PATH, where PATH is where it is today"


def why_json(subject: str, found: list[Answer]) -> dict[str, Any]:
    """`why/1` (DESIGN.md section 12)."""
    return {
        "gribble": "why/1",
        "subject": subject,
        "state": worst(answer.state for answer in found),
        "reasons": [
            {
                reason.kind: reason.subject,
                "rig": answer.rig.rig,
                "file": reason.file,
                "verdict": reason.verdict,
                "reason": reason.words,
                "next": next_command(answer, reason),
            }
            for answer in found
            for reason in answer.reasons
        ]
        + [
            {
                "rig": answer.rig.rig,
                "file": answer.rig.root,
                "verdict": "away",
                "reason": answer.rig.away,
                "next": _away_next(answer.rig),
            }
            for answer in found
            if answer.emulator is None
        ],
    }
