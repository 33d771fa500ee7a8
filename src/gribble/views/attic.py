"""The attic, for the terminal and as `attic/1`."""

from __future__ import annotations

from itertools import groupby
from typing import Any

from gribble.core.placing.displaced import Kept
from gribble.views.looks import QUIET, count, size
from gribble.views.screen import Screen, styled

FILES_SHOWN = 8
"""How many files of one run are shown before the rest is folded."""


def show_attic(screen: Screen, kept: list[Kept], *, folded: bool = True) -> None:
    """How much there is, then run by run the files, the rest of a long list folded."""
    if not kept:
        screen.say("The attic is empty: no run has displaced anything.")
        return
    screen.say(styled(count(len(kept), "file"), "bold"), f" in the attic, {size(sum(one.size for one in kept))}.")
    for (run, rig, what), group in groupby(kept, key=lambda one: (one.run, one.rig, _what(one))):
        files = list(group)
        screen.out.print()
        weight = f"{count(len(files), 'file')}, {size(sum(one.size for one in files))}"
        screen.say(styled(f"run {run}  {rig}", "bold"), styled(f"  {what}: {weight}", QUIET))
        shown = files[:FILES_SHOWN] if folded and len(files) > FILES_SHOWN + 1 else files
        screen.grid([(one.path, size(one.size)) for one in shown])
        if len(shown) < len(files):
            screen.say(styled(f"  … and {len(files) - len(shown):,} more: gribble attic list --run {run}", QUIET))
    screen.next("gribble attic restore FILE", "brings one back; gribble attic empty deletes them, and asks first")


def _what(one: Kept) -> str:
    """Why a file lies in the attic."""
    if one.undone:
        return "taken away by the undo"
    return "displaced" if one.needed else "displaced, and the run is undone"


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
