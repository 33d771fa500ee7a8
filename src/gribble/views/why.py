"""The answer of `gribble why`, for the terminal and as `why/1`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from rich.text import Text

from gribble.core.answers.next import YOURS, Turn, next_turn
from gribble.core.answers.why import Answer, Order, Reason, causes_of
from gribble.core.records.findings import EmulatorAudit, RigAudit, State, Verdict, worst
from gribble.core.sayings.facts import fix_words, say
from gribble.core.sayings.remedies import way_words
from gribble.views.causes import cause_rows
from gribble.views.check_json import away_json
from gribble.views.looks import QUIET, shorten
from gribble.views.screen import Screen, remedy, state, styled, verdict
from gribble.views.shell import written

SETS_SHOWN = 12
"""The reasons of more sets are told by cause."""
REASONS_SHOWN = 20


def show_why(screen: Screen, found: list[Answer], *, verbose: bool = False) -> None:
    """Each reason with what to do about it, first things first; many sets by what is at fault."""
    for number, answer in enumerate(found):
        if number:
            screen.out.print()
        if answer.emulator is None:
            screen.say(styled(answer.rig.rig, "bold"), "  ", state(State.AWAY))
            screen.say(f"  {answer.rig.away}. Gribble cannot see what is on it.")
            screen.say("  ", remedy(_away_next(answer.rig)))
        else:
            _show_answer(screen, answer, answer.emulator, verbose=verbose)


def _show_answer(screen: Screen, answer: Answer, emulator: EmulatorAudit, *, verbose: bool) -> None:
    release = f" {emulator.release}" if emulator.release else ""
    where = styled(f"  on {answer.rig.rig}  ", QUIET)
    who = f"{answer.one.set}  {answer.one.title}  for " if answer.one else ""
    screen.say(styled(f"{who}{emulator.title}{release}", "bold"), where, state(answer.state))
    if not answer.reasons:
        more = "" if answer.one else ", and every setting leads to it"
        screen.say(f"  It is ready: every file is right{more}.")
        for note in map(say, answer.one.packing if answer.one else ()):
            screen.say(styled(f"  note: {note}", QUIET))
    others = tuple(reason for reason in answer.reasons if reason.kind != "set")
    folded = len(answer.reasons) - len(others) > SETS_SHOWN and not answer.one and not verbose
    _show_reasons(screen, answer, others if folded else answer.reasons, verbose=verbose)
    if folded:
        faulty = [one for one in emulator.sets if one.state is not State.READY]
        fix = f"gribble place {emulator.emulator}"
        screen.grid(cause_rows(causes_of(faulty), f" --rig {answer.rig.rig}", emulator.release, fix))
    if any(reason.order is not Order.BETTER for reason in answer.reasons) and answer.state is State.READY:
        screen.say("  It runs all the same: games are counted apart.")


def _show_reasons(screen: Screen, answer: Answer, told: Sequence[Reason], *, verbose: bool) -> None:
    """The reasons one by one. A command that several of them share is told once, below them."""
    rest = () if verbose else told[REASONS_SHOWN:]
    told = told[: len(told) - len(rest)]
    shared: dict[str, list[int]] = {}
    for place, reason in enumerate(told, start=1):
        if command := _command(answer, reason):
            shared.setdefault(command, []).append(place)
    screen.grid(
        (f"{place}.", verdict(reason.verdict), _account(answer, reason, verbose, shared))
        for place, reason in enumerate(told, start=1)
    )
    if rest:
        screen.say(styled(f"  and {len(rest):,} more reasons (-v shows them)", QUIET))
    for command, places in shared.items():
        if len(places) > 1:
            screen.say("  ", remedy(command), styled(f"   for {numbers(places)}", QUIET))


def numbers(places: list[int]) -> str:
    """Ascending numbers as they are said: 1 to 4 and 6."""
    runs: list[list[int]] = []
    for place in places:
        if runs and place == runs[-1][-1] + 1:
            runs[-1].append(place)
        else:
            runs.append([place])
    said = [word for run in runs for word in ([f"{run[0]} to {run[-1]}"] if len(run) > 2 else map(str, run))]
    return " and ".join([", ".join(said[:-1]), said[-1]] if len(said) > 1 else said)


def _command(answer: Answer, reason: Reason) -> str:
    """The command that is the next step for a reason; empty if a person has to do something."""
    finding = reason.finding
    if reason.source or (finding and finding.chief.refusal and not finding.met):
        return ""
    command = next_turn(answer, reason).command
    return written(command) if command else ""


def _account(answer: Answer, reason: Reason, verbose: bool, shared: dict[str, list[int]]) -> Text:
    """What a reason is, and what to do about it; the command where no other reason has the same."""
    finding = reason.finding
    text = Text.assemble(styled(_title(answer, reason), "bold"), "\n", styled(reason.words))
    for part in reason.parts if reason.archive and verbose else ():
        text.append_text(styled(f"\n· {part}"))
    if finding and finding.need.why:
        text.append_text(styled(f"\n{finding.need.why}", QUIET))
    if finding and finding.instead:
        text.append_text(styled(f"\nor one of these: {', '.join(finding.instead)}"))
    for way in finding.ways if finding else ():
        text.append_text(styled(f"\n· {way_words(answer.rig, way, shorten)}"))
    command = _command(answer, reason)
    if finding and finding.chief.refusal and not finding.met:
        text.append("\n").append_text(remedy(f"for you to do: {fix_words(finding.chief.refusal)}"))
    elif reason.source:
        text.append("\n").append_text(
            remedy(f"connect {reason.source} (switch it on, or plug it in), then gribble check")
        )
    elif command:
        if len(shared[command]) == 1:
            text.append("\n").append_text(remedy(command))
    elif reason.verdict != Verdict.UNPROVEN:  # else it only wants to be known
        text.append("\n").append_text(remedy("only you can do this"))
    return text


def _title(answer: Answer, reason: Reason) -> str:
    """What a reason is about."""
    if reason.finding:
        return f"{reason.finding.need.called}: {reason.file}"
    if reason.kind == "setting":
        return f"{reason.file}: {reason.subject}"
    title = reason.archive or (", ".join(reason.files) if len(reason.files) > 1 else shorten(reason.file))
    alone = reason.kind != "set" or answer.one or reason.file == reason.subject
    return title if alone else f"{reason.subject}: {title}"


def _away_next(rig: RigAudit) -> str:
    return f"gribble check --rig {rig.rig} --at PATH, where PATH is where it is today"


def _turn_json(turn: Turn) -> dict[str, Any]:
    return {"next": written(turn.command) if turn.command else None, **({"yours": True} if turn.yours else {})}


def why_json(subject: str, found: list[Answer]) -> dict[str, Any]:
    """`why/1`."""
    return {
        "gribble": "why/1",
        "subject": subject,
        "state": worst(answer.state for answer in found),
        "reasons": [
            {
                reason.kind: reason.subject,
                "rig": answer.rig.rig,
                "file": reason.file,
                **({"files": list(reason.files)} if len(reason.files) > 1 else {}),
                **({"archive": reason.archive, "details": list(reason.parts)} if reason.archive else {}),
                "verdict": reason.verdict,
                "reason": reason.words,
                **_turn_json(next_turn(answer, reason)),
                **away_json(reason.source),
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
                **_turn_json(YOURS),
            }
            for answer in found
            if answer.emulator is None
        ],
    }
