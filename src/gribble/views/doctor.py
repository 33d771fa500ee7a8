"""The answer of `gribble doctor`, for the terminal and as `doctor/1`."""

from __future__ import annotations

from collections import Counter
from typing import Any

from rich.text import Text

from gribble.core.answers.doctor import Examined, Health
from gribble.views.looks import STATES, VERDICTS, count, shorten
from gribble.views.screen import Screen, remedy, styled

_LOOKS = {Health.RIGHT: VERDICTS["sound"], Health.MIND: STATES["limited"], Health.WRONG: VERDICTS["imposter"]}


def show_doctor(screen: Screen, found: list[Examined]) -> None:
    """The answer, then everything that was looked at, each with what to do about it."""
    tally = Counter(one.health for one in found)
    words = {Health.RIGHT: "right", Health.MIND: "to mind", Health.WRONG: "wrong"}
    parts = [f"{tally[health]} {words[health]}" for health in Health if tally[health]]
    screen.say(styled(f"{count(len(found), 'thing')} looked at", "bold"), f": {', '.join(parts)}")
    rows: list[tuple[str | Text, ...]] = []
    for one in found:
        glyph, colour = _LOOKS[one.health]
        text = Text.assemble(
            styled(shorten(one.what) if "/" in one.what else one.what, "bold"), styled(f"  {one.words}")
        )
        if one.fix:
            text.append("\n").append_text(remedy(one.fix))
        rows.append((styled(f"{glyph} {one.health}", colour), styled(one.area), text))
    screen.grid(rows)
    if not tally[Health.WRONG] and not tally[Health.MIND]:
        screen.next("gribble check", "what each emulator needs, and which of it is right")


def doctor_json(found: list[Examined]) -> dict[str, Any]:
    """`doctor/1`."""
    return {
        "gribble": "doctor/1",
        "checks": [
            {"area": one.area, "what": one.what, "health": one.health, "words": one.words, "fix": one.fix or None}
            for one in found
        ],
    }
