"""The Typer application, and the one way in which a command ends."""

from __future__ import annotations

import functools
import os
import sys
from collections.abc import Callable
from typing import ParamSpec

import typer

P = ParamSpec("P")

INTERRUPTED = 130
FAILED = 3

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
    """Run a function to its exit status; every error becomes a message, and no traceback reaches the user."""

    @functools.wraps(function)
    def wrapper(*args: P.args, **kwargs: P.kwargs) -> None:
        raise typer.Exit(_ended(lambda: function(*args, **kwargs)))

    return wrapper


def _ended(call: Callable[[], int]) -> int:
    from gribble.core.errors import GribbleError

    try:
        code = call()
        sys.stdout.flush()
    except GribbleError as error:
        return _tell(error)
    except KeyboardInterrupt:
        sys.stderr.write("\nInterrupted.\n")
        return INTERRUPTED
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # the reader of the pipe has gone
        return FAILED
    except Exception as error:
        if os.environ.get("GRIBBLE_TRACEBACK"):
            raise
        sys.stderr.write(f"gribble: a fault of its own: {type(error).__name__}: {error}\n")
        sys.stderr.write("Please report it, with what GRIBBLE_TRACEBACK=1 in front of the same command prints.\n")
        return FAILED
    return int(code)


def _tell(error: Exception) -> int:
    from gribble.core.errors import GribbleError, MistakesError
    from gribble.views.screen import Screen

    assert isinstance(error, GribbleError)
    screen = Screen()
    if isinstance(error, MistakesError):
        for mistake in error.mistakes:
            screen.tell(str(mistake))
    screen.tell(f"gribble: {error.what}")
    if error.fix:
        screen.tell(f"  {error.fix}")
    return int(error.code)
