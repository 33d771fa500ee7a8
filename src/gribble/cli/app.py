"""The table of commands, the program made of it for one call, and the one way in which a call ends."""

from __future__ import annotations

import contextlib
import errno
import inspect
import os
import re
import sys
from collections.abc import Iterator
from contextlib import nullcontext
from functools import cache
from importlib import import_module
from typing import Annotated, Any

import typer
from typer._click.exceptions import UsageError  # of all that the parser finds wrong, which typer has no name for
from typer.core import TyperCommand, TyperGroup
from typer.main import get_command

from gribble.cli.completing import values_apart
from gribble.cli.environment import Environment
from gribble.cli.former import current_command, current_options
from gribble.cli.options import MADE, RARE, ConfigOption
from gribble.core.base.suggest import suggest
from gribble.core.base.version import VERSION
from gribble.views.plain import clean, never_fail

USAGE = 2
FAILED = 3
INTERRUPTED = 130
NO_OUTPUT = (errno.ENOSPC, errno.EIO, errno.EBADF, errno.EDQUOT, errno.EFBIG)
"""How the system says that nothing more can be printed where standard output leads."""

COMMANDS = {
    "words": ("needs", "The words of Gribble, each with an example."),
    "needs": ("needs", "What each emulator needs, and what you have of it."),
    "identify": ("identify", "What files are, and where they belong."),
    "check": ("check", "What is right or wrong on your rigs, and the cure."),
    "why": ("check", "Why an emulator or a set will not run, in order."),
    "plan": ("place", "The steps that would put things right."),
    "place": ("place", "Put things right: show the plan, ask, do it."),
    "undo": ("history", "Undo a run, to the last byte and date."),
    "history": ("history", "Every run on your rigs, newest first."),
    "attic": ("", "Files that runs replaced: list, restore, delete."),
    "attic list": ("attic", "Every file in the attics, newest run first."),
    "attic restore": ("attic", "Bring a replaced file back to its place."),
    "attic empty": ("attic", "Delete the files in the attic; it asks first."),
    "mend": ("identify", "Rebuild damaged files that can be proven right."),
    "sets": ("", "Arcade sets: which run, and what others need."),
    "sets check": ("sets", "Which sets run, and what is wrong in the others."),
    "sets pack": ("sets", "Build and repack archives from your files."),
    "sets show": ("sets", "A set and its family, file by file."),
    "sets wanted": ("sets", "The list of sets that you want: show, change."),
    "sets match": ("sets", "Which release your files fit best."),
    "sets compare": ("sets", "What an update of the emulator means for sets."),
    "sets fit": ("sets", "The best selection of wanted sets for a card."),
    "discs": ("", "Track sheets, playlists, images: are they right?"),
    "discs check": ("discs", "Whether track sheets and images are right."),
    "discs mend": ("discs", "Correct track sheets that name renamed files."),
    "discs playlist": ("discs", "Playlists for titles of several discs."),
    "keys": ("", "Key files, checked and merged, never shown."),
    "keys check": ("keys", "Which keys of a file are right, and which wrong."),
    "keys merge": ("keys", "Put the keys of several files into one."),
    "demo": ("demo", "See how Gribble works, on made-up files."),
    "init": ("init", "Write a gribble.toml from what is on disk."),
    "rigs": ("", "Where the rigs are, and where emulators look."),
    "rigs show": ("arranging", "Where the rigs are, and where emulators look."),
    "rigs add": ("arranging", "Add a rig: a folder, or an address."),
    "rigs enter": ("arranging", "Enter an emulator for a rig, or change its entry."),
    "rigs move": ("arranging", "Say where a rig is now."),
    "rigs leave": ("arranging", "Take an emulator out of a rig in gribble.toml."),
    "rigs forget": ("arranging", "Take a rig out of gribble.toml."),
    "sources": ("", "The folders that are only read."),
    "sources show": ("arranging", "The folders that are only read."),
    "sources add": ("arranging", "Add a folder with your files."),
    "sources forget": ("arranging", "Take a folder out of the sources."),
    "catalogue": ("", "Sheets and rosters: make, check, compare, share."),
    "catalogue list": ("catalogue", "What the catalogues know, and how well."),
    "catalogue lint": ("catalogue", "Every mistake of a catalogue, with file and key."),
    "catalogue compare": ("catalogue", "What another version of a sheet changes."),
    "catalogue add": ("catalogue", "Add sheets and rosters to your catalogue."),
    "catalogue capture": ("catalogue", "Write a sheet from a setup that works."),
    "catalogue import": ("importing", "Take over a list that some program or person made."),
    "catalogue refresh": ("refreshing", "Look again at the lists behind your sheets."),
    "catalogue publish": ("publishing", "Write a copy that others can follow."),
    "catalogue follow": ("publishing", "Use a catalogue that somebody publishes."),
    "catalogue update": ("publishing", "Look for new versions of what you follow."),
    "schema": ("catalogue", "The JSON Schema of a file or an answer."),
    "doctor": ("doctor", "Check the set-up, each fault with its fix."),
    "watch": ("watch", "Say what new files are, as they arrive."),
    "scrub": ("watch", "Read proven files again, to find damage."),
    "report": ("report", "What runs and what is missing: a page, a table."),
}
"""Every command: the module of this folder that has it, and the first paragraph of its help. A group has no module."""


def program(named: str = "", *, all_: bool = False) -> typer.Typer:
    """The program with the one command ready that is `named` ("sets check"), or `all_`; of the others with their line
    for the help, since making all ready takes longer than most of them run."""
    app = typer.Typer(
        name="gribble",
        cls=Program,
        add_completion=True,
        pretty_exceptions_enable=False,
        rich_markup_mode=None,
        context_settings={"help_option_names": ["-h", "--help"]},
    )
    app.callback(invoke_without_command=True)(_bare)
    groups: dict[str, typer.Typer] = {}
    for name, (module, line) in COMMANDS.items():
        group, _, word = name.rpartition(" ")
        parent = groups.get(group, app)
        if not module:
            if all_ or not named or named.partition(" ")[0] == name:
                bare = name in SHOWN
                cls = Shown if bare else TyperGroup
                groups[name] = typer.Typer(cls=cls, no_args_is_help=not bare, rich_markup_mode=None, help=line)
                app.add_typer(groups[name], name=name)
        elif all_ or name == named:
            import_module(f"gribble.cli.{module}")
            about, _, example = inspect.cleandoc(MADE[name].__doc__ or "").partition("\n\nExample: ")
            epilog = f"Example: {example}" if example else None
            parent.command(word, cls=Command, help=about, epilog=epilog)(MADE[name])
        elif not named or (group and group == named):
            parent.command(word, help=line)(_not_ready)
    return app


@cache
def _ready(named: str) -> Any:
    """The program for the parser, made once for all calls in this process that name the same command."""
    return get_command(program(named))


def _not_ready() -> None:
    """Stands for a command of which only the line is wanted."""


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"gribble {VERSION}")
        raise typer.Exit


def _bare(
    context: typer.Context,
    config: ConfigOption = None,
    json: Annotated[bool, typer.Option("--json", help="Without a command: one JSON object.")] = False,
    _version_wanted: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    """Says what emulators need, proves what you have, and puts it in the right place, with an undo.

    Without a command: the state of things in a few lines, and the next command.
    """
    environment: Environment = context.obj
    if config:  # so that it holds for the command that follows, too
        environment = environment._replace(env={**environment.env, "GRIBBLE_CONFIG": config})
        context.obj = environment
    if context.invoked_subcommand is None:
        raise typer.Exit(import_module("gribble.cli.check").show_status(environment, config, json=json))
    if json:
        from gribble.core.base.errors import GribbleError

        raise GribbleError("--json comes after the command", fix=f"gribble {context.invoked_subcommand} --json")


def run(environment: Environment) -> int:
    """One call of the program, to its exit status; every error becomes a message, and no traceback reaches the user."""
    with _streams(environment):
        try:
            environment = _under_present_names(environment)
            with values_apart(environment.stdout) if "_GRIBBLE_COMPLETE" in environment.env else nullcontext():
                code = _ready(named_in(environment))(
                    args=list(environment.argv), prog_name="gribble", standalone_mode=False, obj=environment
                )
            environment.stdout.flush()
            return int(code or 0)
        except UsageError as error:
            return _tell(environment, usage_words(error), USAGE)
        except (KeyboardInterrupt, typer.Abort):
            return _tell(environment, "\nInterrupted.\n", INTERRUPTED)
        except SystemExit as ended:  # by which the parser answers a shell that asks what could be typed
            return int(ended.code or 0)
        except BrokenPipeError:
            _silence(environment)  # the reader of the pipe has gone
            return FAILED
        except Exception as error:
            return _ended_by(environment, error)


def _under_present_names(environment: Environment) -> Environment:
    """The call with commands and options under the names they have now; which were renamed is told."""
    argv, told = current_command(environment.argv)
    argv, more = current_options(named_in(environment._replace(argv=tuple(argv))), argv)
    if told or more:
        _tell(environment, "".join(f"{line}\n" for line in [*told, *more]), 0)
    return environment._replace(argv=tuple(argv))


def named_in(environment: Environment) -> str:
    """The command or group that a call names, as the table has it; empty if it names none, as for a help."""
    words = list(environment.argv)
    if "_GRIBBLE_COMPLETE" in environment.env:  # a shell asks what could be typed next
        words = environment.env.get("_TYPER_COMPLETE_ARGS", environment.env.get("COMP_WORDS", "")).split()[1:]
    named = ""
    rest = iter(words)
    for word in rest:
        if word == "--config":
            next(rest, "")  # its value is no command
        elif not word.startswith("-"):
            longer = f"{named} {word}".strip()
            if longer not in COMMANDS or COMMANDS[longer][0]:
                named = longer if longer in COMMANDS else named
                break
            named = longer
    return f"{named} {SHOW}" if named in SHOWN and not {"--help", "-h"}.intersection(words) else named


@contextlib.contextmanager
def _streams(environment: Environment) -> Iterator[None]:
    """The parser writes helps to the process's own streams: where the call has others, to those."""
    never_fail(environment.stdin, environment.stdout, environment.stderr)
    with contextlib.ExitStack() as stack:
        if environment.stdout is not sys.stdout:
            stack.enter_context(contextlib.redirect_stdout(environment.stdout))
        if environment.stderr is not sys.stderr:
            stack.enter_context(contextlib.redirect_stderr(environment.stderr))
        yield


def _ended_by(environment: Environment, error: Exception) -> int:
    from gribble.core.base.errors import (  # which --version has no use for
        GribbleError,
        MistakesError,
        StoreError,
        reason_of,
    )
    from gribble.views.plain import clean

    if isinstance(error, GribbleError):
        mistakes = error.mistakes if isinstance(error, MistakesError) else []
        lines = [*map(str, mistakes), f"gribble: {error.what}", *([f"  {error.fix}"] if error.fix else [])]
        return _tell(environment, "".join(f"{clean(line)}\n" for line in lines), int(error.code))
    if isinstance(error, StoreError):
        words = "Nothing more was changed. Remove the cause, then run the command again."
        return _tell(environment, f"gribble: {clean(str(error))}\n  {words}\n", FAILED)
    if environment.env.get("GRIBBLE_TRACEBACK"):
        raise error
    if isinstance(error, OSError) and error.errno == errno.EINVAL and error.filename is None and _closed(environment):
        _silence(environment)  # how Windows says that the reader of the pipe has gone
        return FAILED
    if isinstance(error, OSError) and error.errno in NO_OUTPUT and error.filename is None:
        _silence(environment)
        return _tell(
            environment,
            f"gribble: the answer cannot be written: {reason_of(error)}\n"
            "  Make room, or send it elsewhere; a run that was under way is told by gribble history.\n",
            FAILED,
        )
    if isinstance(error, OSError) and isinstance(error.filename, str | bytes):  # a place that went away, say
        place = clean(os.fsdecode(error.filename))
        words = f"gribble: {place}: {reason_of(error)}\n  See that it is there and yours, then try again.\n"
        return _tell(environment, words, FAILED)
    return _tell(
        environment,
        f"gribble: a fault of its own: {type(error).__name__}: {clean(str(error))}\n"
        "Please report it, with what GRIBBLE_TRACEBACK=1 in front of the same command prints.\n",
        FAILED,
    )


def _tell(environment: Environment, words: str, code: int) -> int:
    """Say something on standard error, if that is there, and hand the exit status on."""
    with contextlib.suppress(OSError):
        environment.stderr.write(words)
        environment.stderr.flush()
    return code


def _closed(environment: Environment) -> bool:
    """Whether nothing can be said on standard output any more."""
    try:
        environment.stdout.flush()
        environment.stdout.write("")
        environment.stdout.flush()
    except (OSError, ValueError):
        return True
    return False


def _silence(environment: Environment) -> None:
    """Let what is still to be printed go nowhere, so that ending the program does not fail on it again."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), environment.stdout.fileno())


GROUPS = {
    "Know": ("words", "needs", "identify"),
    "Look": ("check", "why", "plan"),
    "Put right": ("place", "undo", "history", "attic", "mend"),
    "Arcade sets, discs, keys": ("sets", "discs", "keys"),
    "Set up": ("demo", "init", "rigs", "sources", "catalogue", "doctor"),
    "Keep": ("watch", "scrub", "report", "schema"),
}
"""The commands by what they are for."""


SHOWN = ("rigs", "sources")
"""The groups that show what there is where none of their commands is named."""
SHOW = "show"
"""The command of a group that is meant where none of its others is named."""


class Shown(TyperGroup):
    """A group of commands that shows what there is where none of them is named."""

    def parse_args(self, ctx: Any, args: list[str]) -> Any:
        """Take the words apart, the command put in that is meant by none."""
        first = next((word for word in args if not word.startswith("-")), "")
        if first not in self.commands and not {"--help", "-h"}.intersection(args):
            args = [SHOW, *args]
        return super().parse_args(ctx, args)


class Command(TyperCommand):
    """A command, in whose help the options that hardly anybody needs come last."""

    def format_options(self, ctx: Any, formatter: Any) -> None:
        """Write the options, those under "Rarely needed" below the others."""
        every, rare = self.params, [one for one in self.params if getattr(one, "rich_help_panel", None) == RARE]
        self.params = [one for one in every if one not in rare]
        super().format_options(ctx, formatter)
        self.params = every
        if rare:
            with formatter.section(RARE):
                formatter.write_dl([one.get_help_record(ctx) for one in rare])


class Program(TyperGroup):
    """The program, whose help has a section for each group of commands, and a word for Ctrl-C."""

    def invoke(self, ctx: Any) -> Any:
        """Carry out a command. Raises Abort on Ctrl-C, which the parser would make a bare exit status of."""
        try:
            return super().invoke(ctx)
        except KeyboardInterrupt:
            raise typer.Abort from None

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Write the commands, group by group."""
        width = max(map(len, self.commands)) + 2
        for title, names in GROUPS.items():
            rows = [(name.ljust(width - 2), self._line(ctx, name)) for name in names if name in self.commands]
            with formatter.section(title):
                formatter.write_dl(rows)

    def _line(self, ctx: Any, name: str) -> str:
        command = self.get_command(ctx, name)
        return command.get_short_help_str(60) if command else ""


_DOES = {
    "gribble": ("status", "state", "overview", "dashboard"),
    "gribble needs": ("roms", "bios", "firmware", "need", "require", "requirements", "list", "ls", "show", "requires"),
    "gribble check": ("scan", "verify", "audit", "test", "validate", "analyse", "analyze", "inspect", "compare"),
    "gribble check --show missing": ("missing", "lacks", "lack", "absent"),
    "gribble identify": ("find", "search", "what", "hash", "recognise", "recognize", "lookup", "info", "file", "which"),
    "gribble identify --copies": ("dupes", "duplicates", "dedupe", "copies", "duplicate"),
    "gribble why": ("explain", "diagnose", "reason", "reasons", "debug"),
    "gribble plan": ("dry-run", "dryrun", "preview", "simulate", "todo", "steps", "diff"),
    "gribble place": ("fix", "rename", "install", "copy", "move", "apply", "put", "sort", "organise", "organize", "run",
                      "sync", "deploy", "go", "resume", "clean", "tidy", "cleanup"),
    "gribble undo": ("revert", "rollback", "back", "reset"),
    "gribble history": ("log", "runs", "journal"),
    "gribble attic list": ("backup", "backups", "trash", "displaced"),
    "gribble attic empty": ("purge", "prune", "clear"),
    "gribble attic restore": ("restore", "recover"),
    "gribble mend": ("repair", "heal", "patch", "rebuild"),
    "gribble sets check": ("games", "arcade", "set"),
    "gribble sets wanted": ("favourites", "wanted", "wish", "list"),
    "gribble sets pack": ("pack", "zip", "merge", "split", "repack"),
    "gribble catalogue import": ("import", "convert", "download", "fetch", "load"),
    "gribble catalogue add": ("add", "upgrade"),
    "gribble catalogue refresh": ("renew", "reload", "again"),
    "gribble catalogue publish": ("publish", "sign"),
    "gribble catalogue follow": ("follow", "subscribe"),
    "gribble catalogue update": ("update",),
    "gribble catalogue list": ("sheets", "rosters", "emulators", "catalog", "catalogues", "systems", "machines"),
    "gribble init": ("setup", "configure", "new", "create", "begin", "start"),
    "gribble doctor": ("config", "settings", "health", "diagnostics"),
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
