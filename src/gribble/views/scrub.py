"""The answer of `gribble scrub`, for the terminal and as `scrub/1`."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from rich.text import Text

from gribble.core.answers.scrub import Copy, Finding, Scrub
from gribble.core.base.amounts import since_words
from gribble.core.records.holding import in_words
from gribble.core.records.scrubbed import Fault, Found
from gribble.views.check_json import away_json
from gribble.views.looks import VERDICTS, count, iso, shorten, size
from gribble.views.screen import Screen, remedy, styled

_LOOKS = {
    Fault.ROTTED: VERDICTS["damaged"],
    Fault.ALTERED: VERDICTS["imposter"],
    Fault.UNREADABLE: VERDICTS["unproven"],
    Fault.GONE: VERDICTS["missing"],
}
SHOWN = 20


def show_scrub(screen: Screen, answer: Scrub, called: Callable[[Found], str], *, verbose: bool) -> None:
    """The counts first, then each fault with a good copy, then what is left; `called` is what a file was known as."""
    done, findings = answer.done, answer.findings
    tally = {fault: sum(one.found.fault is fault for one in findings) for fault in Fault}
    told = ", ".join(f"{number:,} {fault}" for fault, number in tally.items() if number)
    what = f"{count(done.read, 'file')} read whole, {size(done.bytes)}"
    if not done.read and not findings and not done.left:
        screen.say(styled("Nothing to read: nothing here was proven that long ago.", "bold"))
    else:
        screen.say(styled(told or "Every one is as it was.", "bold"), f"  {what}")
    if findings:
        screen.out.print()
        screen.grid([_row(one, called(one.found)) for one in (findings if verbose else findings[:SHOWN])])
        if len(findings) > SHOWN and not verbose:
            screen.say(f"  and {len(findings) - SHOWN:,} more (-v shows them)")
    if done.left:
        screen.out.print()
        stopped = "Stopped: " if done.stopped else ""
        screen.say(
            f"{stopped}{count(done.left, 'file')}, {size(done.left_bytes)}, left; gribble scrub goes on with them."
        )
        if done.too_large:
            screen.say(f"{count(done.too_large, 'file')} of them alone is more than --bytes lets be read.")
    if any(one.found.fault in (Fault.ROTTED, Fault.ALTERED) for one in findings):
        screen.next("gribble check", "what that means for your rigs; a source is yours to put right")


def _row(one: Finding, title: str) -> tuple[str | Text, ...]:
    found = one.found
    glyph, colour = _LOOKS[found.fault]
    since = since_words(found.since / 10**9, time.time())
    text = Text.assemble(styled(shorten(found.path), "bold"))
    text.append_text(styled(f"\n{found.fault} {since}: {found.reason}" if since else f"\n{found.reason}"))
    if title:
        text.append_text(styled(f"\nit was {title}"))
    if one.copy:
        text.append("\n").append_text(remedy(f"a good copy is held: {_where(one.copy)}"))
    elif found.fault is not Fault.UNREADABLE:
        text.append("\n").append_text(remedy("no other copy is held here"))
    return Text(f"{glyph} {found.fault}", style=colour), text


def _where(copy: Copy) -> str:
    away = f", in {copy.source}, which is away" if copy.source else ""
    return in_words(shorten(copy.path), copy.member) + away


def scrub_json(answer: Scrub) -> dict[str, Any]:
    """`scrub/1`; `since` is when a file was last read whole and right."""
    done = answer.done
    return {
        "gribble": "scrub/1",
        "read": done.read,
        "bytes": done.bytes,
        "findings": [
            {
                "path": one.found.path,
                "fault": one.found.fault,
                "since": iso(one.found.since),
                "reason": one.found.reason,
                "size": one.found.size,
                "copy": one.copy.path if one.copy else None,
                "member": one.copy.member if one.copy else None,
                **away_json(one.copy.source if one.copy else ""),
            }
            for one in answer.findings
        ],
        "left": done.left,
        "left_bytes": done.left_bytes,
        "stopped": done.stopped,
    }
