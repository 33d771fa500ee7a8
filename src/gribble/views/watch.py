"""What `gribble watch` says of files as they come to rest: a line for each, or an object of `watch/1`."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from rich.text import Text

from gribble.core.answers.identify import Arrived, Line
from gribble.core.answers.scrub import Copy, Scrub, ScrubFinding
from gribble.core.base.amounts import count, since_words, size
from gribble.core.records.findings import RigAudit
from gribble.core.records.holding import in_words
from gribble.core.records.scrubbed import Fault, Found
from gribble.views.check_json import away_json
from gribble.views.looks import QUIET, VERDICTS, iso, shorten
from gribble.views.screen import Screen, remedy, state, styled
from gribble.views.shell import quoted

LINES_SHOWN = 6
"""Of an archive with more known contents so many are told."""


def show_arrived(screen: Screen, arrived: Iterable[Arrived]) -> None:
    """A line for each file that says something, and one for all others."""
    noise = 0
    for file in arrived:
        noise += not file.lines
        for line in file.lines[:LINES_SHOWN]:
            glyph, colour = VERDICTS[line.verdict]
            text = Text(f"{glyph} ", style=colour).append_text(styled(shorten(file.path), "bold"))
            text.append_text(styled(f": {line.words}"))
            if line.next:
                text.append_text(styled(f"; {_typed(line, file.path)}", QUIET))
            screen.say(text)
        if (rest := len(file.lines) - LINES_SHOWN) and rest > 0:
            path = quoted(shorten(file.path))
            screen.say(styled(f"  and {count(rest, 'more content')} in it: gribble identify {path}", QUIET))
    if noise:
        screen.say(styled(f"· {count(noise, 'file')} that is in no sheet", QUIET))
    screen.flush()


def _typed(line: Line, path: str) -> str:
    """A command as it is typed, with the file's path where it wants one."""
    return line.next.replace("{path}", quoted(shorten(path)))


def arrived_json(arrived: Iterable[Arrived]) -> Iterator[dict[str, Any]]:
    """Each file, or member of an archive, as `watch/1`."""
    for file in arrived:
        for line in file.lines or (Line("unknown", "", None, "", ()),):
            yield {
                "gribble": "watch/1",
                "path": file.path,
                "member": line.member,
                "verdict": line.verdict,
                "matches": [
                    {
                        "emulator": match.emulator,
                        **({"set": match.set, "file": match.need} if match.set else {"need": match.need}),
                        "rig": match.rig or None,
                        "to": match.to,
                        "needed": match.needed,
                        "rejected": match.rejected,
                    }
                    for match in line.matches
                ],
                "words": line.words,
                "next": line.next.replace("{path}", file.path) or None,
            }


def show_rig(screen: Screen, found: RigAudit) -> None:
    """A rig that is here now: its state, and what shows why."""
    tally = [f"{one.title} {one.state}" for one in found.emulators]
    told = ", ".join(tally[:LINES_SHOWN]) + (" …" if len(tally) > LINES_SHOWN else "")
    words = f" is here: {told or 'no emulators'}; gribble check --rig {found.rig}"
    screen.say(styled(found.rig, "bold"), " ", state(found.state), styled(words))
    screen.flush()


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
        screen.say(styled("Nothing to read: every file was proven more recently than that.", "bold"))
    else:
        screen.say(styled(told or "None of them has changed.", "bold"), f"  {what}")
    if findings:
        screen.out.print()
        screen.grid([_row(one, called(one.found)) for one in (findings if verbose else findings[:SHOWN])])
        if len(findings) > SHOWN and not verbose:
            screen.say(f"  and {len(findings) - SHOWN:,} more (-v shows them)")
    if done.left:
        screen.out.print()
        stopped = "Stopped: " if done.stopped else ""
        screen.say(
            f"{stopped}{count(done.left, 'file')}, {size(done.left_bytes)}, left. gribble scrub goes on with them."
        )
        if done.too_large:
            screen.say(f"{count(done.too_large, 'file')} is larger than --at-most allows.")
    if any(one.found.fault in (Fault.ROTTED, Fault.ALTERED) for one in findings):
        screen.next("gribble check", "what that means for your rigs; only you can put a source right")


def _row(one: ScrubFinding, title: str) -> tuple[str | Text, ...]:
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
