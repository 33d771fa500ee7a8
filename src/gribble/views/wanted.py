"""The list of wanted sets, and what a change makes of it: for the terminal and as `wanted/1`."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from gribble.core.answers.wishing import Look
from gribble.core.base.amounts import count
from gribble.views.causes import named
from gribble.views.looks import QUIET, with_title
from gribble.views.screen import Screen, styled

NAMES_SHOWN = 24


def show_list(screen: Screen, look: Look) -> None:
    """The sets that are wanted now."""
    _say_counts(screen, look)
    if look.now:
        screen.say(f"  {_names(look, look.now)}")
    else:
        screen.next(
            "gribble sets wanted --held", "takes the sets that you have whole; --list FILE takes titles from a text"
        )


def show_picked(screen: Screen, look: Look) -> None:
    """What a change makes of the list: what comes to it and what leaves it, what nobody knows, and what is unclear."""
    _say_counts(screen, look)
    changes = (("+", look.added), ("-", look.removed))
    screen.grid([(f"{sign} {len(names):,}", _names(look, names)) for sign, names in changes if names])
    if look.is_same:
        screen.say(styled("  The list does not change.", QUIET))
    picked = look.picked
    if picked.unclear:
        screen.say(f"{count(len(picked.unclear), 'line')} could mean several sets. Name the one that you mean:")
        screen.grid(
            [(wish.words, "; ".join(look.sets[name].described for name in wish.sets)) for wish in picked.unclear]
        )
    if picked.unknown:
        screen.say(f"No set has such a name or title: {named(picked.unknown, NAMES_SHOWN)}")


def _say_counts(screen: Screen, look: Look) -> None:
    after = look.after
    held = sum(name in look.whole for name in after)
    screen.say(
        styled(f"{count(len(after), 'set')} wanted", "bold"),
        f" of {look.emulator} on {look.rig}{f'; you have {held:,} of them whole' if after else ''}",
    )


def _names(look: Look, names: Iterable[str]) -> str:
    return named((with_title(name, look.title(name)) for name in names), NAMES_SHOWN)


def wanted_json(look: Look) -> dict[str, Any]:
    """`wanted/1`: the list as it would be."""
    return {
        "gribble": "wanted/1",
        "rig": look.rig,
        "emulator": look.emulator,
        "wanted": [{"set": name, "title": look.title(name), "whole": name in look.whole} for name in look.after],
        "added": look.added,
        "removed": look.removed,
        "unclear": [{"line": wish.words, "sets": list(wish.sets)} for wish in look.picked.unclear],
        "unknown": list(look.picked.unknown),
    }
