"""The answer of bare `gribble`: a line for each emulator, and where to begin."""

from __future__ import annotations

from rich.text import Text

from gribble.core.records.findings import EmulatorAudit, RigAudit, State
from gribble.core.records.sheet import Level
from gribble.views.check import answer_of, show_next
from gribble.views.looks import QUIET, count, shorten
from gribble.views.screen import Screen, state, styled


def show_start(screen: Screen) -> None:
    """What to do without a configuration."""
    screen.say(styled("No gribble.toml here or in any folder above.", "bold"))
    screen.out.print()
    screen.grid(
        [
            ("gribble init", "look at this folder, ask, and write one"),
            ("gribble demo", "see the job on made-up files"),
            ("gribble --help", "all commands"),
        ]
    )


def show_state(screen: Screen, audits: tuple[RigAudit, ...]) -> None:
    """Each rig and emulator in a line, then the next command."""
    screen.say(answer_of(audits))
    for found in audits:
        screen.out.print()
        own = state(found.state) if found.emulators or found.away else styled("no emulators", QUIET)
        screen.say(styled(found.rig, "bold"), styled(f"  {shorten(found.root)}", QUIET), "  ", own)
        rows: list[tuple[str | Text, ...]] = [
            (
                state(emulator.state),
                styled(f"{emulator.title} {emulator.release or ''}".rstrip()),
                styled(_in_short(emulator)),
            )
            for emulator in found.emulators
        ]
        screen.grid(rows)
        if found.away:
            screen.say(f"  away: {found.away}")
    if all(found.state == State.READY and found.emulators for found in audits) and audits:
        screen.next("gribble check", "shows each need with its proof")
    else:
        show_next(screen, audits, detail="gribble check")


def _in_short(emulator: EmulatorAudit) -> str:
    """How many of the files it must have are right, how many settings are not, how many sets run."""
    if emulator.unknown:
        return emulator.note
    musts = [one for one in emulator.findings if one.need.level is Level.MUST and not one.spared]
    parts = [f"{sum(one.met for one in musts)} of {count(len(musts), 'needed file')} right"] if musts else []
    wrong = [one for one in emulator.settings if not one.met]
    if wrong:
        parts.append(f"{count(len(wrong), 'setting')} wrong")
    if not all(one.met for one in emulator.root):
        parts.append("wrong volume or label")
    if emulator.sets:
        ready = sum(one.state is not State.BLOCKED for one in emulator.sets)
        parts.append(f"{ready:,} of {count(len(emulator.sets), 'set')} run")
    if emulator.idle:
        parts.append("no set is wanted")
    return ", ".join(parts) or "needs nothing"
