"""`gribble init`: a first gribble.toml from what is on disk."""

from __future__ import annotations

from gribble.cli.command import Call, command
from gribble.cli.finding import CONFIG_NAME
from gribble.core.answers.discover import discover
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.views.init import config_text
from gribble.views.looks import count


@command("init")
def init(call: Call) -> int:
    """Look at this folder and write a commented gribble.toml to begin with.

    Example: gribble init
    """
    folder = call.environment.cwd
    found = discover(folder)
    try:
        with (folder / CONFIG_NAME).open("x", encoding="utf-8") as stream:
            stream.write(config_text(found))
    except FileExistsError:
        raise GribbleError(f"{CONFIG_NAME} is here already", fix="Edit it, or move it away first.") from None
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
