"""What a friend lacks and one has, for the terminal and as JSON."""

from __future__ import annotations

from typing import Any

from rich.text import Text

from gribble.core.answers.wishes import Wish
from gribble.core.base.amounts import count
from gribble.core.records.holding import Holding
from gribble.views.looks import QUIET, shorten
from gribble.views.screen import Screen, styled

WISHES_SHOWN = 20


def show_wishes(screen: Screen, wishes: list[Wish], *, verbose: bool) -> None:
    """How many one can give, then each of them with its place."""
    have = [one for one in wishes if one.held]
    screen.say(styled(f"You can give {len(have):,} of {count(len(wishes), 'file')}.", "bold"))
    shown = have if verbose else have[:WISHES_SHOWN]
    rows: list[tuple[str | Text, ...]] = []
    for one in shown:
        whose = styled(f"for {one.what} ({one.emulator})" if one.what else f"for {one.emulator}", QUIET)
        rows.append((styled(one.need.name, "bold"), Text.assemble(styled(_where(one.held[0])), "\n", whose)))
    screen.grid(rows)
    if len(shown) < len(have):
        screen.say(styled(f"… {count(len(have) - len(shown), 'file')} more: -v shows them", QUIET))


def _where(one: Holding) -> str:
    return f"{one.member} in {shorten(one.where)}" if one.member else shorten(one.where)


def wishes_json(wishes: list[Wish]) -> dict[str, Any]:
    """`against/1`."""
    return {
        "gribble": "against/1",
        "files": [
            {
                "emulator": one.emulator,
                "what": one.what,
                "file": one.need.name,
                "have": [f"{held.where}: {held.member}" if held.member else held.where for held in one.held],
            }
            for one in wishes
        ],
    }
