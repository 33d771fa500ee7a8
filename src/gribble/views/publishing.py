"""What is said of catalogues that travel: what one offers, and what an update would do."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from gribble.core.answers.changes import SheetEffect
from gribble.core.answers.following import Update
from gribble.core.base.amounts import count, size
from gribble.core.base.errors import GribbleError, MistakesError
from gribble.core.records.published import Index
from gribble.views.catalogue import changes_json, show_compare, show_effects
from gribble.views.looks import QUIET
from gribble.views.screen import Screen, styled

NAMES_SHOWN, MISTAKES_SHOWN = 12, 5


def show_offer(screen: Screen, index: Index, theirs: Iterable[str], mine: Iterable[str], fetched: int) -> None:
    """What a catalogue has, what of its emulators is new, and what one has already."""
    theirs, mine = list(theirs), set(mine)
    files = f"{count(len(index.files), 'file')}, {size(fetched)} fetched"
    screen.say(styled(index.title, "bold"), styled(f"  number {index.number} of {index.date}: {files}", QUIET))
    new = [name for name in theirs if name not in mine]
    both = [name for name in theirs if name in mine]
    rows: list[tuple[str, str]] = []
    if new:
        rows.append(("new to you", _named(new)))
    if both:
        rows.append(("you have", f"{_named(both)}: your own sheets come first, and Gribble goes on using them"))
    screen.grid(rows)


def _named(names: Iterable[str]) -> str:
    names = list(names)
    more = f" and {len(names) - NAMES_SHOWN} more" if len(names) > NAMES_SHOWN else ""
    return f"{', '.join(names[:NAMES_SHOWN])}{more}"


def show_update(screen: Screen, one: Update) -> None:
    """What is new in a followed catalogue, and what that does to the rigs."""
    if one.error:
        screen.say(styled(one.name, "bold"), f"  {_why(one.error)}")
        screen.say(f"  {one.error.fix}")
        return
    if one.version is None or one.offer is None:
        screen.say(styled(one.name, "bold"), f"  has nothing new: number {one.number}")
        return
    fetched = f", {size(one.fetched)} fetched" if one.fetched else ""
    head = f"  number {one.number} → {one.offer.index.number} of {one.offer.index.date}{fetched}"
    screen.say(styled(one.name, "bold"), styled(head, QUIET))
    if one.signed_by:
        screen.say(f"It is signed now, by {one.signed_by}. Gribble will refuse any other key.")
    if one.changes or not (one.rosters or one.lists or one.unused):
        show_compare(screen, one.changes, list(one.effects))
    else:
        show_effects(screen, one.effects)
    for each in one.rosters:
        parts = [(each.new, "new"), (each.changed, "changed"), (each.gone, "gone")]
        said = ", ".join(f"{number:,} {word}" for number, word in parts if number) or "only its first line differs"
        screen.say(styled(each.name, "bold"), f"  sets: {said}")
    if one.unused:
        screen.say(f"Changed too, but another sheet of yours comes first: {_named(one.unused)}.")
    for name in one.lists:
        screen.say(styled(name, "bold"), "  has other checksums")


def _why(error: GribbleError) -> str:
    """What is wrong; of many mistakes the first ones."""
    return "; ".join(map(str, error.mistakes[:MISTAKES_SHOWN])) if isinstance(error, MistakesError) else error.what


def update_json(found: Iterable[Update]) -> dict[str, Any]:
    """`update/1`."""
    return {
        "gribble": "update/1",
        "catalogues": [
            {
                "name": one.name,
                "from": one.number,
                "to": one.offer.index.number if one.version and one.offer else one.number,
                "fetched": one.fetched,
                "changes": {
                    "emulators": changes_json(one.changes),
                    "rosters": [each._asdict() for each in one.rosters],
                    "lists": list(one.lists),
                    "unused": list(one.unused),
                },
                "effects": [_effect_json(effect) for effect in one.effects],
                "done": one.done,
                **({"error": _why(one.error), "fix": one.error.fix} if one.error else {}),
            }
            for one in found
        ],
    }


def _effect_json(effect: SheetEffect) -> dict[str, Any]:
    held, obtain = effect.wanted
    return {
        "rig": effect.rig,
        "emulator": effect.new.emulator,
        "was": effect.old.state,
        "is": effect.new.state,
        "lacks": [*held, *obtain],
    }
