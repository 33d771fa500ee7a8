"""The command that leads on where nothing is wanted yet."""

from __future__ import annotations

from collections.abc import Sequence

from gribble.views.screen import Screen
from gribble.views.shell import quoted

LISTS = "a page, a table or an export of what an emulator needs becomes its sheet"


def show_first_step(screen: Screen, rigs: Sequence[str], list_: str = "", *, sources: bool = True) -> None:
    """How to come by a first emulator: on one of the rigs there are, from a list that is at hand, if one is."""
    if not rigs:
        missing = ("" if sources else " --source FOLDER") + " --rig FOLDER"
        where = "where your emulators lie" if sources else "where your files and your emulators lie"
        screen.next(f"gribble init --again{missing}", where)
        return
    screen.next(f"gribble catalogue import {quoted(list_) if list_ else 'LIST'} --rig {rigs[0]}", LISTS)
    screen.say(
        "Or take over a friend's sheets: gribble catalogue add; or write down a setup that works: gribble catalogue "
        "capture."
    )
