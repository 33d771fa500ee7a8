"""What commands and options were called in the release before. The former names go on working in this one."""

from __future__ import annotations

from collections.abc import Iterable

COMMANDS = {("catalogue", "schema"): ("schema",)}
OPTIONS = {
    "check": {"--only": "--show"},
    "sets check": {"--only": "--show"},
    "identify": {"--only": "--show"},
    "sets fit": {"--bytes": "--room"},
    "scrub": {"--bytes": "--at-most"},
    "catalogue add": {"--to": "--into"},
}
"""The options that were renamed, by command."""
BARE = {"sets compare": {"--csv": "-"}, "why": {"--emulator": "", "--set": ""}}
"""The options that took no value, with the value that stands for that: `--csv` wrote to standard output, and
`gribble why NAME --set` said what NAME is."""


def current_command(words: Iterable[str]) -> tuple[list[str], list[str]]:
    """Return the words of a call with the command under its present name, and what to say about it."""
    words = list(words)
    for former, now in COMMANDS.items():
        if tuple(words[: len(former)]) == former:
            return [*now, *words[len(former) :]], [_renamed(f"gribble {' '.join(former)}", f"gribble {' '.join(now)}")]
    return words, []


def current_options(command: str, words: Iterable[str]) -> tuple[list[str], list[str]]:
    """Return the words of a call of `command` with the options under their present names, and what to say about it."""
    renamed, bare = OPTIONS.get(command, {}), BARE.get(command, {})
    words = list(words)
    current: list[str] = []
    told: list[str] = []
    for at, word in enumerate(words):
        if word == "--":
            return [*current, *words[at:]], told
        option, equals, value = word.partition("=")
        if option in renamed:
            told.append(_renamed(option, renamed[option]))
            word = renamed[option] + equals + value
        elif word in bare and (at + 1 == len(words) or words[at + 1].startswith("--")):
            word = f"{word}={bare[word]}"
        current.append(word)
    return current, list(dict.fromkeys(told))


def _renamed(former: str, now: str) -> str:
    return f"note: {former} is now called {now}. The next release will not know {former} any more."
