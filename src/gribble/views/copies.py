"""The answer of `gribble identify --copies`, for the terminal and as `copies/1`."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from gribble.core.answers.copies import Copies
from gribble.core.records.holding import Holding
from gribble.views.looks import QUIET, count, shorten, size
from gribble.views.screen import Screen, styled

CONTENTS_SHOWN = 20
FILES_SHOWN = 6


def show_copies(screen: Screen, found: list[Copies], called: Callable[[Copies], str], *, verbose: bool) -> None:
    """The counts first, then each content with its files; `called` is what a content is known as."""
    if not found:
        screen.say("Nothing is held more than once.")
        return
    files, room = sum(len(one.files) for one in found), sum(one.room for one in found)
    screen.say(
        styled(f"{count(len(found), 'content')} held more than once", "bold"),
        f": {count(files, 'file')}; all but one of each take {size(room)}.",
    )
    for one in found if verbose else found[:CONTENTS_SHOWN]:
        name = called(one)
        screen.say(
            styled(f"\n  {count(len(one.files), 'time')}  {size(one.bytes)}", "bold"),
            f"  {name}" if name else "",
            styled("" if one.room else "  one file under several names", QUIET),
        )
        shown = one.files if verbose or len(one.files) <= FILES_SHOWN + 1 else one.files[:FILES_SHOWN]
        screen.grid([(styled(_whose(file), QUIET), shorten(file.where)) for file in shown], indent=4)
        if len(shown) < len(one.files):
            screen.say(styled(f"    … {count(len(one.files) - len(shown), 'file')} more: -v", QUIET))
    if not verbose and len(found) > CONTENTS_SHOWN:
        rest = found[CONTENTS_SHOWN:]
        screen.say(f"\n… {count(len(rest), 'content')} more, {size(sum(one.room for one in rest))}: -v shows them")
    screen.say(styled("\nNothing is deleted: which of them go is yours to say.", QUIET))


def _whose(file: Holding) -> str:
    return f"on {file.rig}" if file.rig else "held"


def copies_json(found: list[Copies], called: Callable[[Copies], str]) -> dict[str, Any]:
    """The answer as `copies/1`."""
    return {
        "gribble": "copies/1",
        "copies": [
            {
                "sha1": one.sha1,
                "bytes": one.bytes,
                "room": one.room,
                "known_as": called(one) or None,
                "files": [{"path": file.where, "rig": file.rig or None} for file in one.files],
            }
            for one in found
        ],
        "room": sum(one.room for one in found),
    }
