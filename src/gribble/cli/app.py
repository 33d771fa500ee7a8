"""The Typer application, and the one way in which a command ends."""

from __future__ import annotations

import contextlib
import errno
import functools
import os
import sys
from collections.abc import Callable
from typing import ParamSpec

import typer

P = ParamSpec("P")

USAGE = 2
FAILED = 3
INTERRUPTED = 130
NO_OUTPUT = (errno.ENOSPC, errno.EIO, errno.EBADF, errno.EDQUOT, errno.EFBIG)
"""How the system says that nothing more can be printed where standard output leads."""

app = typer.Typer(
    name="gribble",
    no_args_is_help=False,
    add_completion=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)


_groups: dict[str, typer.Typer] = {}


def command(name: str, *, group: str = "", about: str = "") -> Callable[[Callable[P, int]], Callable[P, None]]:
    """Register a function as a command, or as one of a group; what it returns is the exit status."""

    def register(function: Callable[P, int]) -> Callable[P, None]:
        wrapped = ending(function)
        (_group(group, about) if group else app).command(name)(wrapped)
        return wrapped

    return register


def _group(name: str, about: str) -> typer.Typer:
    if name not in _groups:
        _groups[name] = typer.Typer(no_args_is_help=True, rich_markup_mode=None, help=about)
        app.add_typer(_groups[name], name=name)
    return _groups[name]


def ending(function: Callable[P, int]) -> Callable[P, None]:
    """What a function returns is the exit status."""

    @functools.wraps(function)
    def wrapper(*args: P.args, **kwargs: P.kwargs) -> None:
        raise typer.Exit(function(*args, **kwargs))

    return wrapper


def run() -> int:
    """Run the program to its exit status; every error becomes a message, and no traceback reaches the user."""
    from gribble.cli.usage import UsageError, usage_words

    if sys.stdout is None:  # closed by whoever called
        sys.stdout = open(os.devnull, "w")  # noqa: SIM115  (as long as the program runs)
    try:
        _make_ready(sys.argv[1:])
        code = int(app(prog_name="gribble", standalone_mode=False) or 0)
        sys.stdout.flush()
        return code
    except UsageError as error:
        return _tell(usage_words(error), USAGE)
    except (KeyboardInterrupt, typer.Abort):
        return _tell("\nInterrupted.\n", INTERRUPTED)
    except BrokenPipeError:
        _silence()  # the reader of the pipe has gone
        return FAILED
    except Exception as error:
        return _ended_by(error)


def _make_ready(words: list[str]) -> None:
    """Keep only the command that is named, since making all of them ready takes longer than most of them run.

    All are kept for a help, a wrong word, and a shell that completes one.
    """
    rest, named = iter(words), ""
    for word in rest:
        if word == "--config":
            next(rest, "")  # its value is no command
        elif not word.startswith("-"):
            named = word
            break
    known = {one.name for one in app.registered_commands} | {one.name for one in app.registered_groups}
    if "_GRIBBLE_COMPLETE" not in os.environ and (named in known or words == ["--version"]):
        app.registered_commands = [one for one in app.registered_commands if one.name == named]
        app.registered_groups = [one for one in app.registered_groups if one.name == named]


def _ended_by(error: Exception) -> int:
    from gribble.core.base.errors import GribbleError, MistakesError, reason_of
    from gribble.views.screen import clean

    if isinstance(error, GribbleError):
        mistakes = error.mistakes if isinstance(error, MistakesError) else []
        lines = [*map(str, mistakes), f"gribble: {error.what}", *([f"  {error.fix}"] if error.fix else [])]
        return _tell("".join(f"{clean(line)}\n" for line in lines), int(error.code))
    if os.environ.get("GRIBBLE_TRACEBACK"):
        raise error
    if isinstance(error, OSError) and error.errno in NO_OUTPUT and error.filename is None:
        _silence()
        return _tell(
            f"gribble: the answer cannot be written: {reason_of(error)}\n"
            "  Make room, or send it elsewhere; a run that was under way is told by gribble history.\n",
            FAILED,
        )
    return _tell(
        f"gribble: a fault of its own: {type(error).__name__}: {clean(str(error))}\n"
        "Please report it, with what GRIBBLE_TRACEBACK=1 in front of the same command prints.\n",
        FAILED,
    )


def _tell(words: str, code: int) -> int:
    """Say something on standard error, if that is there, and hand the exit status on."""
    with contextlib.suppress(OSError, AttributeError):
        sys.stderr.write(words)
        sys.stderr.flush()
    return code


def _silence() -> None:
    """Let what is still to be printed go nowhere, so that ending the program does not fail on it again."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
