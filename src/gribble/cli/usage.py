"""What is wrong with a command line, said as every other message is."""

from __future__ import annotations

import re
from typing import Any

import typer

from gribble.core.base.suggest import suggest
from gribble.views.clean import clean

UsageError: Any = typer.BadParameter.__mro__[2]
"""The base of all that the parser finds wrong. Typer has no name of its own for it."""


_DOES = {
    "gribble": ("status", "state", "overview", "dashboard"),
    "gribble needs": ("roms", "bios", "firmware", "need", "require", "requirements", "list", "ls", "show", "requires"),
    "gribble check": ("scan", "verify", "audit", "test", "validate", "analyse", "analyze", "inspect", "compare"),
    "gribble check --only missing": ("missing", "lacks", "lack", "absent"),
    "gribble identify": ("find", "search", "what", "hash", "recognise", "recognize", "lookup", "info", "file", "which"),
    "gribble identify --copies": ("dupes", "duplicates", "dedupe", "copies", "duplicate"),
    "gribble why": ("explain", "diagnose", "reason", "reasons", "debug"),
    "gribble plan": ("dry-run", "dryrun", "preview", "simulate", "todo", "steps", "diff"),
    "gribble place": ("fix", "rename", "install", "copy", "move", "apply", "put", "sort", "organise", "organize", "run",
                      "sync", "deploy", "go", "resume", "clean", "tidy", "cleanup"),
    "gribble undo": ("revert", "rollback", "back", "reset"),
    "gribble history": ("log", "runs", "journal"),
    "gribble attic list": ("backup", "backups", "trash", "displaced"),
    "gribble attic empty": ("purge", "prune", "clear", "delete", "remove", "rm"),
    "gribble attic restore": ("restore", "recover"),
    "gribble mend": ("repair", "heal", "patch", "rebuild"),
    "gribble sets check": ("games", "arcade", "set"),
    "gribble sets pack": ("pack", "zip", "merge", "split", "repack"),
    "gribble catalogue import": ("import", "convert", "download", "fetch", "load"),
    "gribble catalogue add": ("add", "update", "upgrade"),
    "gribble catalogue list": ("sheets", "rosters", "emulators", "catalog", "catalogues", "systems", "machines"),
    "gribble init": ("setup", "configure", "new", "create", "begin", "start"),
    "gribble doctor": ("config", "settings", "health", "diagnostics", "sources", "rigs"),
    "gribble report": ("export", "html", "csv", "markdown", "share"),
    "gribble watch": ("monitor", "listen", "daemon"),
    "gribble scrub": ("rot", "bitrot", "checksum"),
    "gribble words": ("glossary", "terms", "dictionary"),
    "gribble demo": ("tour", "example", "tutorial", "try"),
    "gribble --help": ("help", "commands", "usage", "man"),
    "gribble --version": ("version",),
}  # fmt: skip
MEANT = {word: f"{line} does that" for line, words in _DOES.items() for word in words}
"""What people type, and the command that does it."""


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
        if context.parent is None and (meant := MEANT.get(match[1].lower())):
            return f"there is no command '{clean(match[1])}'; {meant}"
        return f"there is no command '{clean(match[1])}'{suggest(match[1], known)}"
    return clean(text[:1].lower() + text[1:].removesuffix("."))
