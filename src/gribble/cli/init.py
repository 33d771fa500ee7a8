"""`gribble init`: a first gribble.toml from what is on disk."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Annotated

import typer

from gribble.cli.command import Call, command
from gribble.cli.finding import CONFIG_NAME
from gribble.core.answers.again import added, news, told
from gribble.core.answers.discover import discover
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.base.texts import text_of
from gribble.core.catalogue.config import load_config
from gribble.core.catalogue.sheets import load_catalogue
from gribble.stores.local import write_over
from gribble.views.init import config_text
from gribble.views.looks import count


@command("init")
def init(
    call: Call,
    again: Annotated[bool, typer.Option("--again", help="Add what is new to the gribble.toml there is.")] = False,
) -> int:
    """Write a gribble.toml from what is on disk.

    It looks at this folder, and explains each line in a comment.

    With --again, what is new is added to the one that is here; all that stands in it stays, comments too.

    Example: gribble init
    """
    folder = call.environment.cwd
    if again:
        return _again(call, folder)
    found = discover(folder)
    try:
        with (folder / CONFIG_NAME).open("x", encoding="utf-8") as stream:
            stream.write(config_text(found))
    except FileExistsError:
        raise GribbleError(f"{CONFIG_NAME} is here already", fix="gribble init --again adds what is new.") from None
    except OSError as error:
        raise GribbleError(
            f"{CONFIG_NAME} cannot be written here: {reason_of(error)}",
            fix="Run gribble init in a folder that you may write to.",
        ) from error
    screen = call.screen
    screen.say(
        f"Wrote {CONFIG_NAME}: {count(len(found.sources), 'source')}, {count(len(found.catalogues), 'catalogue')}, "
        f"{count(len(found.rigs), 'rig')}."
    )
    screen.say("Open it: check the paths, and write down the release of each emulator.")
    if not found.catalogues:
        screen.say(
            "What an emulator needs stands in sheets, and none is here yet. You have a page, a table or a list of it: "
            "gribble catalogue import THAT makes it one. You have a setup that works: gribble catalogue capture. A "
            "friend has sheets: gribble catalogue add."
        )
    if found.rigs:
        screen.next("gribble check", "what each emulator needs, and which of it is right")
    else:
        screen.next("gribble doctor", "what is still missing; gribble demo shows the whole job on made-up files")
    return ExitCode.CLEAN


def _again(call: Call, folder: Path) -> int:
    """Add what is new to the gribble.toml of a folder. Raises GribbleError."""
    path = folder / CONFIG_NAME
    if not os.path.isfile(path):
        raise GribbleError(f"there is no {CONFIG_NAME} here to add to", fix="gribble init writes one.")
    config = load_config(path, call.environment.home, call.environment.env)
    catalogue = load_catalogue([Path(place) for place in config.catalogues])
    text = text_of(path.read_bytes())
    new = news(discover(folder), config, catalogue, folder, text)
    screen = call.screen
    if not new:
        screen.say(f"Nothing is new: {CONFIG_NAME} says all that is to be seen here.")
        screen.next("gribble check", "what each emulator needs, and which of it is right")
        return ExitCode.CLEAN
    write_over(Path(os.path.realpath(path)), iter([added(text, new).encode()]))
    screen.say(f"Added to {CONFIG_NAME}, and changed nothing else in it:")
    screen.grid([(words,) for words in told(new)])
    screen.next("gribble check", "what that brings, and what it needs")
    return ExitCode.CLEAN
