"""The attic, for the terminal and as `attic/1`."""

from __future__ import annotations

from typing import Any

from rich.text import Text

from gribble.core.placing.attic import Kept
from gribble.views.looks import QUIET, count, size
from gribble.views.screen import Screen, styled


def show_attic(screen: Screen, kept: list[Kept]) -> None:
    """How much there is, then each file with the run that put it there."""
    if not kept:
        screen.say("The attic is empty: no run has displaced anything.")
        return
    total = sum(one.size for one in kept)
    screen.say(styled(count(len(kept), "file"), "bold"), f" in the attic, {size(total)}.")
    rows: list[tuple[str | Text, ...]] = [
        tuple(styled(title, "bold") for title in ("run", "rig", "file", "size", "")),
        *(
            (
                str(one.run),
                one.rig,
                one.path,
                size(one.size),
                styled("taken away by the undo" if one.undone else "" if one.needed else "the run is undone", QUIET),
            )
            for one in kept
        ),
    ]
    screen.grid(rows, indent=0)
    screen.next("gribble attic restore FILE", "brings one back; gribble attic empty deletes them, and asks first")


def attic_json(kept: list[Kept]) -> dict[str, Any]:
    """`attic/1`."""
    return {
        "gribble": "attic/1",
        "files": [
            {
                "rig": one.rig,
                "run": one.run,
                "path": one.path,
                "bytes": one.size,
                "undone": one.undone,
                "needed": one.needed,
            }
            for one in kept
        ],
        "bytes": sum(one.size for one in kept),
    }
