"""What `gribble watch` says of files as they come to rest: a line for each, or an object of `watch/1`."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from rich.text import Text

from gribble.core.answers.arrived import Arrived, Line
from gribble.core.records.findings import RigAudit
from gribble.views.looks import QUIET, VERDICTS, count, shorten
from gribble.views.screen import Screen, state, styled
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
        screen.say(styled(f"· {count(noise, 'file')} that no sheet knows", QUIET))
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
