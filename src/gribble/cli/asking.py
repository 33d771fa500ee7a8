"""The question before anything is changed."""

from __future__ import annotations

from gribble.cli.command import Call
from gribble.views.screen import styled


def ask(call: Call, question: str, yes: bool) -> bool:
    """A yes from the user, or from `--yes`. No answer means no."""
    if yes:
        return True
    call.screen.say(styled(f"{question} [y/N] ", "bold"))
    call.screen.flush()
    if call.environment.answer().strip().lower() in ("y", "yes"):
        return True
    call.screen.say("Nothing was changed." + ("" if call.environment.is_terminal else " (--yes answers for you.)"))
    return False
