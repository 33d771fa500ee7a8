"""The answer of `gribble check`, for the terminal and as `check/1`."""

from __future__ import annotations

import os
from collections import Counter
from typing import Any, assert_never

from rich.text import Text

from gribble.core.audit.findings import (
    EmulatorAudit,
    Finding,
    PlaceFinding,
    Remedy,
    RigAudit,
    State,
    Verdict,
    worst,
)
from gribble.core.paths import base
from gribble.core.placing.plan import FIXABLE
from gribble.core.survey.survey import Holding
from gribble.views.looks import QUIET, count
from gribble.views.screen import Screen, state, styled, verdict

SPARE_SHOWN = 5


def show_check(screen: Screen, audits: tuple[RigAudit, ...], *, verbose: bool) -> None:
    """The answer first, then each rig with what is wrong on it, then the next command."""
    emulators = [emulator for found in audits for emulator in found.emulators]
    screen.say(_answer(audits, emulators))
    for found in audits:
        screen.out.print()
        where = f"  {shorten(found.root)}{'  (will be made)' if found.new else ''}"
        screen.say(styled(found.rig, "bold"), styled(where, QUIET), "  ", state(found.state))
        if found.away:
            screen.say(f"  away: {found.away}. Nothing is said of its needs.")
        for emulator in found.emulators:
            _show_emulator(screen, found, emulator, verbose)
    show_next(screen, audits)


def _answer(audits: tuple[RigAudit, ...], emulators: list[EmulatorAudit]) -> Text:
    overall = worst(found.state for found in audits)
    tally = Counter(emulator.state for emulator in emulators)
    parts = [f"{tally[kind]} {kind}" for kind in (State.READY, State.LIMITED, State.BLOCKED) if tally[kind]]
    away = sum(1 for found in audits if found.away)
    if away:
        parts.append(f"{count(away, 'rig')} away")
    detail = f"  {count(len(emulators), 'emulator')}: {', '.join(parts)}" if parts else "  no emulators"
    return Text.assemble(state(overall), styled(detail))


def _show_emulator(screen: Screen, rig: RigAudit, emulator: EmulatorAudit, verbose: bool) -> None:
    screen.out.print()
    release = f" {emulator.release}" if emulator.release else ""
    screen.say("  ", styled(emulator.title + release, "bold"), "  ", state(emulator.state))
    if emulator.note:
        screen.say(f"    {emulator.note}")
    quiet = [finding for finding in emulator.findings if _is_quiet(finding)]
    rows: list[tuple[str | Text, ...]] = []
    for finding in emulator.findings:
        if verbose or not _is_quiet(finding):
            rows += _rows(rig, finding)
    screen.grid(rows, indent=4)
    if quiet and not verbose:
        names = ", ".join(finding.need.id for finding in quiet)
        screen.grid([(verdict(Verdict.SOUND), styled(f"{len(quiet)} of {len(emulator.findings)}: {names}"))], indent=4)
    if emulator.spare:
        shown = emulator.spare if verbose else emulator.spare[:SPARE_SHOWN]
        more = len(emulator.spare) - len(shown)
        text = ", ".join(shown) + (f" and {more} more (-v shows them)" if more else "")
        screen.grid([("· spare   ", styled(f"{text}; unknown to every sheet, left alone", QUIET))], indent=4)


def _is_quiet(finding: Finding) -> bool:
    return all(place.verdict is Verdict.SOUND for place in finding.places)


def _rows(rig: RigAudit, finding: Finding) -> list[tuple[str | Text, ...]]:
    """One row for each place, quiet places of an otherwise faulty need left out."""
    faulty = [place for place in finding.places if place.verdict is not Verdict.SOUND] or finding.places[:1]
    return [(verdict(place.verdict), finding.need.id, _account(rig, finding, place)) for place in faulty]


def _account(rig: RigAudit, finding: Finding, place: PlaceFinding) -> Text:
    """The place, the reason, what is lost without it, and the remedy, a line each."""
    label = f" ({place.accept.label})" if place.accept and place.accept.label and place.found is place.use else ""
    text = Text.assemble(styled(place.expected, "bold"), "\n", styled(place.reason + label))
    if finding.ignored:
        return text.append("; you accept this gap")
    if not place.met and finding.need.why:
        level = "" if finding.need.level == "must" else f"{finding.need.level}: "
        text.append_text(styled(f"\n{level}{finding.need.why}", QUIET))
    if remedy := remedy_words(rig, place):
        text.append_text(Text("\n↳ ", "bold #3d8fb8")).append_text(styled(remedy))
    return text


def remedy_words(rig: RigAudit, place: PlaceFinding) -> str:
    """What would put a place right, in words."""
    use = say_holding(place.use, rig.rig) if place.use else ""
    match place.remedy:
        case Remedy.NONE:
            return ""
        case Remedy.RENAME:
            return f"rename {base(place.use.path) if place.use else ''} to {base(place.expected)}"
        case Remedy.PLACE:
            return f"take it from {use}"
        case Remedy.REPLACE if place.use and place.use.path == place.expected:
            return f"put {', '.join(map(base, place.in_way))} into the attic"
        case Remedy.REPLACE:
            return f"replace it with {use}"
        case Remedy.MEND:
            return _mend_words(rig, place)
        case Remedy.OBTAIN:
            return "obtain it; nothing held will do"
        case _:
            assert_never(place.remedy)


def _mend_words(rig: RigAudit, place: PlaceFinding) -> str:
    if place.mend is None:
        return "mend it"
    partner = f" with {say_holding(place.mend.partner, rig.rig)}" if place.mend.partner else ""
    return f"mend {say_holding(place.mend.holding, rig.rig)}{partner}"


def say_holding(holding: Holding, rig: str | None) -> str:
    """Where a holding lies, as the user knows it: on this rig by its path there, else by its place on this machine."""
    path = holding.path if holding.rig == rig else shorten(str(holding.place))
    return f"{holding.member} in {path}" if holding.member is not None else path


def shorten(path: str) -> str:
    """A path relative to the working folder, where that is shorter."""
    try:
        relative = os.path.relpath(path)
    except (ValueError, OSError):
        return path
    return relative if len(relative) < len(path) else path


def show_next(screen: Screen, audits: tuple[RigAudit, ...], detail: str = "") -> None:
    """The command that leads on; `detail` is one to read first, if there is anything to read."""
    places = [
        place
        for found in audits
        for emulator in found.emulators
        for finding in emulator.findings
        if not finding.ignored
        for place in finding.places
    ]
    fixable = sum(place.remedy in FIXABLE for place in places)
    gaps = sum(place.remedy is Remedy.OBTAIN for place in places)
    if detail and (fixable or gaps):
        screen.next(detail, "what is wrong, and why")
    elif fixable:
        more = f"; {gaps} still to obtain" if gaps else ""
        screen.next("gribble plan", f"what you hold puts {count(fixable, 'place')} right{more}")
    elif gaps:
        screen.next("gribble needs", f"{count(gaps, 'file')} to obtain: names, sizes and digests")


def check_json(audits: tuple[RigAudit, ...]) -> dict[str, Any]:
    """`check/1` (DESIGN.md section 6)."""
    return {
        "gribble": "check/1",
        "state": worst(found.state for found in audits),
        "rigs": [
            {
                "rig": found.rig,
                "state": found.state,
                **({"away": found.away} if found.away else {}),
                "emulators": [_emulator_json(found.rig, emulator) for emulator in found.emulators],
            }
            for found in audits
        ],
    }


def _emulator_json(rig: str, emulator: EmulatorAudit) -> dict[str, Any]:
    return {
        "emulator": emulator.emulator,
        "release": emulator.release,
        "state": emulator.state,
        "note": emulator.note,
        "needs": [_finding_json(rig, finding) for finding in emulator.findings],
        "sets": [],
        "settings": [],
        "media": [],
        "spare": list(emulator.spare),
    }


def _finding_json(rig: str, finding: Finding) -> dict[str, Any]:
    answer = {
        "need": finding.need.id,
        "level": finding.need.level,
        "kind": finding.need.kind,
        **place_json(rig, finding.chief),
        "ignored": finding.ignored,
    }
    if len(finding.places) > 1:
        answer["places"] = [place_json(rig, place) for place in finding.places]
    return answer


def place_json(rig: str, place: PlaceFinding) -> dict[str, Any]:
    """One place: `found` is relative to the rig's root for files on it, absolute for others."""
    found, use = place.found, place.use
    return {
        "verdict": place.verdict,
        "remedy": place.remedy,
        "accept": (place.accept.label or None) if place.accept else None,
        "expected": place.expected,
        "found": _path_json(rig, found) if found else None,
        "member": found.member if found else None,
        "proof": place.proof,
        "reason": place.reason,
        "use": {"path": _path_json(rig, use), "member": use.member} if use else None,
    }


def _path_json(rig: str, holding: Holding) -> str:
    return holding.path if holding.rig == rig else str(holding.place)
