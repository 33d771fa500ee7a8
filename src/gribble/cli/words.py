"""`gribble words`: the words of Gribble, a sentence and an example each."""

from __future__ import annotations

from gribble.cli.command import Call, command
from gribble.core.base.errors import ExitCode
from gribble.views.words import show_words, words_json


@command("words", takes="json")
def words(call: Call) -> int:
    """The words of Gribble, each with an example.

    What is meant by rig, source, sheet, need, sound, astray and the others.

    Example: gribble words
    """
    if call.json:
        call.screen.json(words_json())
    else:
        show_words(call.screen)
    return ExitCode.CLEAN
