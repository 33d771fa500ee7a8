"""The program: every command registered, and the bare call."""

from __future__ import annotations

import gc
import os
import sys
from typing import Annotated

import typer

from gribble.cli import (
    attic,
    capture,
    catalogue,
    check,
    demo,
    discs,
    doctor,
    history,
    identify,
    importing,
    init,
    keys,
    mend,
    needs,
    place,
    plan,
    releases,
    report,
    sets,
    undo,
    why,
)
from gribble.cli.app import app, ending, run
from gribble.cli.options import ConfigOption
from gribble.core.base.version import VERSION

__all__ = [
    "attic", "capture", "catalogue", "check", "demo", "discs", "doctor", "history", "identify", "importing", "init",
    "keys", "main", "mend", "needs", "place", "plan", "releases", "report", "sets", "undo", "why",
]  # fmt: skip


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"gribble {VERSION}")
        raise typer.Exit


@app.callback(invoke_without_command=True)
def gribble(
    context: typer.Context,
    config: ConfigOption = None,
    _version_wanted: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    """Says what emulators need, proves what you have, and puts it in the right place, with an undo.

    Without a command: the state of things in a few lines, and the next command.
    """
    if config:
        os.environ["GRIBBLE_CONFIG"] = config  # so that it holds for the command that follows, too
    if context.invoked_subcommand is None:
        from gribble.cli.status import show_status

        ending(show_status)(config)


def main() -> None:
    """Run the program."""
    gc.set_threshold(
        200_000, 20, 20
    )  # hardly anything here forms circles; looking for some takes a quarter of the time
    sys.exit(run())
