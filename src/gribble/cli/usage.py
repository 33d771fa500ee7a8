"""What is wrong with a command line, said as every other message is."""

from __future__ import annotations

import re
from typing import Any

import typer

from gribble.core.base.suggest import suggest
from gribble.views.clean import clean

UsageError: Any = typer.BadParameter.__mro__[2]
"""The base of all that the parser finds wrong. Typer has no name of its own for it."""


def usage_words(error: Any) -> str:
    """What is wrong with the words or options, and how to see which there are; for no words at all, the help."""
    context = getattr(error, "ctx", None)
    if type(error).__name__ == "NoArgsIsHelpError":
        return f"{error.format_message()}\n"
    path = context.command_path if context is not None else "gribble"
    return f"gribble: {_what(error, context)}\n  {path} --help shows how it is used.\n"


def _what(error: Any, context: Any) -> str:
    command = context.command if context is not None else None
    text = error.format_message()
    if option := getattr(error, "option_name", None):
        if text.startswith("No such option"):
            known = [name for one in command.params for name in one.opts if name.startswith("--")] if command else []
            return f"there is no option {clean(option)}{suggest(option, known)}"
    elif match := re.match(r"No such command '(.*)'\.", text, re.DOTALL):
        known = list(getattr(command, "commands", ()))
        return f"there is no command '{clean(match[1])}'{suggest(match[1], known)}"
    return clean(text[:1].lower() + text[1:].removesuffix("."))
