"""`gribble demo`: the whole job on a made-up world."""

from __future__ import annotations

import os
import shutil
import sys
import threading
from contextlib import chdir
from pathlib import Path
from typing import Annotated

import typer

from gribble.cli.app import run
from gribble.cli.command import Call, command
from gribble.cli.environment import Environment
from gribble.core.base.addresses import parse_address
from gribble.core.base.changing import WINDOWS
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.catalogue.config import load_config
from gribble.demo import kiosk, loft, porch
from gribble.demo.handheld import free_port, handheld
from gribble.demo.kiosk import build_kiosk
from gribble.demo.loft import build_loft
from gribble.demo.porch import build_porch, build_visitor
from gribble.demo.sheets import HANDHELD_PASSWORD
from gribble.demo.tour import CHAPTERS, SHORT, Chapter, Stop
from gribble.demo.world import build_world
from gribble.stores.opening import variable_of
from gribble.views.looks import NEXT, QUIET, shorten
from gribble.views.screen import Screen, styled
from gribble.views.shell import HERE, Shell, quoted, then, with_variable

FOLDER = "lighthouse-games-room"
"""Where the world is built if no folder is named: here, or under the next number that is free."""


@command("demo")
def demo(
    call: Call,
    folder: Annotated[str | None, typer.Argument(help="Where to build it: a new or an empty folder.")] = None,
    all_: Annotated[bool, typer.Option("--all", help="The whole tour, in chapters.")] = False,
    chapter: Annotated[
        str | None, typer.Option("--chapter", help=f"One chapter of it: {', '.join(CHAPTERS)}.", metavar="NAME")
    ] = None,
    step: Annotated[bool, typer.Option("--step", help="Wait for Enter before each command.")] = False,
    wake: Annotated[
        bool, typer.Option("--wake", help="Only switch on the handheld of a world built before, until Ctrl-C.")
    ] = False,
) -> int:
    """See how Gribble works, on made-up files.

    It builds the made-up Lighthouse Games Room in a folder of its own, and puts an emulator right in five commands.
    --all goes through everything.

    One rig is a handheld behind an FTP server. Gribble simulates the server on this machine while the command runs.

    Example: gribble demo --chapter know
    """
    screen = call.screen
    walked = _walked(all_, chapter)
    if wake:
        folder = folder or FOLDER
        return _wake(call.environment.path(folder), folder, screen)
    folder = folder or _free(call)
    root = call.environment.path(folder)
    port = free_port()
    build_world(root, port)
    own = {porch.FOLDER: build_porch, porch.VISITOR: build_visitor, loft.FOLDER: build_loft, kiosk.FOLDER: build_kiosk}
    places = {"": root, **{name: build(root) for name, build in own.items()}}
    screen.say(styled("The Lighthouse Games Room", "bold"), f", made up, and built in {folder}:")
    screen.say("a PC, a stick, an arcade cabinet, a handheld on the network, a drawer of files.")
    with handheld(root / "handheld", port):
        for name, (look, stops, place) in walked.items():
            if name:
                screen.out.print()
                screen.say(styled(f"Chapter {name}", "bold"), f": {look}")
            with chdir(places[place]):
                for stop in stops:
                    if stop.event:
                        _EVENTS[stop.event](places[place])
                    _stop(call, places[place], stop, step)
    screen.out.print()
    _rule(screen)
    _farewell(call, folder, untouched=not any(one.place for one in walked.values()))
    return ExitCode.CLEAN


_EVENTS = {**porch.EVENTS, **kiosk.EVENTS}


def _walked(all_: bool, chapter: str | None) -> dict[str, Chapter]:
    """The chapters to walk through, by name; the short walk has none. Raises GribbleError."""
    if chapter is not None and all_:
        raise GribbleError("--all and --chapter do not go together", fix="Use one of them.")
    if chapter is not None and chapter not in CHAPTERS:
        raise GribbleError(f"no chapter {chapter}", fix=f"There are {', '.join(CHAPTERS)}.")
    if chapter is not None:
        return {chapter: CHAPTERS[chapter]}
    return CHAPTERS if all_ else {"": Chapter("", SHORT)}


def _free(call: Call) -> str:
    """A name for the world's folder that is free, so that a second walk needs no thought."""
    names = (FOLDER, *(f"{FOLDER}-{number}" for number in range(2, 1000)))
    return next((name for name in names if not os.path.lexists(call.environment.path(name))), FOLDER)


def _rule(screen: Screen, words: str = "") -> None:
    """A line across the page, with what comes below it."""
    width = min(screen.out.width, 80)
    head = f"── {words} " if words else ""
    screen.say(styled(head[:3], QUIET), styled(head[3:], "bold"), styled("─" * max(width - len(head), 2), QUIET))


def _stop(call: Call, root: Path, stop: Stop, step: bool) -> None:
    """One stop of a walk: what is asked, the command, and its answer. Raises GribbleError if it fails."""
    screen = call.screen
    words = stop.words
    screen.out.print()
    _rule(screen, stop.question)
    screen.say(styled(f"$ gribble {words}".rstrip(), NEXT))
    if step:
        call.environment.answer()
    screen.flush()
    code = run(_in_world(call, root, words))
    if code not in (ExitCode.CLEAN, ExitCode.ATTENTION):
        raise GribbleError(
            f"gribble {words} ended with status {code}",
            fix="The lines above say why. The demo's files stay as they are.",
            code=ExitCode.FAILED,
        )


def _farewell(call: Call, folder: str, *, untouched: bool) -> None:
    """Three things to try, each as it is typed."""
    screen = call.screen
    place = quoted(folder)
    left = "Everything is back as it was." if untouched else "The games room is back as it was."
    screen.say(styled(f"{left} Three things to try:", "bold"))
    for typed, why in (
        (_activated(then(f"cd {place}", "gribble check")), "everything that is wrong in this room"),
        ("gribble demo --all", "the whole tour; --step waits, --chapter NAME shows a part"),
        ("gribble init", "in the folder of your own games: looks and asks"),
    ):
        screen.say(styled(f"  {typed}", NEXT), styled(f"   {why}", QUIET))
    screen.say(f"The handheld is switched off now. To switch it on: gribble demo {place} --wake, in another terminal.")


def _in_world(call: Call, root: Path, command: str) -> Environment:
    """What a command of the tour finds around it: the world, and the handheld's password; nothing of the user's."""
    own = ("GRIBBLE_CONFIG", "GRIBBLE_HOME")
    env = {name: value for name, value in call.environment.env.items() if name not in own}
    env[variable_of("handheld")] = HANDHELD_PASSWORD
    return call.environment._replace(argv=tuple(command.split()), cwd=root, env=env)


def _activated(command: str) -> str:
    """A command as it is typed, after what must be typed first where the shell does not find the program, since it was
    started from its environment."""
    scripts = Path(sys.prefix) / ("Scripts" if WINDOWS else "bin")
    script = scripts / "activate"
    if shutil.which("gribble") or not os.path.isfile(script):
        return command
    place = quoted(shorten(str(script)))
    return then(f". {place}" if HERE is Shell.POSIX else f"& {place}" if HERE is Shell.POWERSHELL else place, command)


def _wake(root: Path, folder: str, screen: Screen) -> int:
    """Serve the handheld of a world until Ctrl-C."""
    rig = load_config(root / "gribble.toml", root).rig.get("handheld")
    if rig is None or not rig.far or not os.path.isdir(root / "handheld"):
        raise GribbleError(
            f"{folder} is not a folder that gribble demo built with a handheld", fix="gribble demo FOLDER builds one."
        )
    try:
        with handheld(root / "handheld", parse_address(rig.at).port):
            screen.say(f"The handheld is on at {rig.at}. Ctrl-C switches it off.")
            check = "gribble check --rig handheld"
            screen.next(with_variable(variable_of("handheld"), HANDHELD_PASSWORD, check))
            for_ever = threading.Event()
            while not for_ever.wait(1):  # without an end to the waiting Windows would not hear Ctrl-C
                pass
    except OSError as error:
        raise GribbleError(
            f"{rig.at} cannot be served: {reason_of(error)}",
            fix="Perhaps the handheld is already on in another terminal. Ctrl-C there switches it off.",
            code=ExitCode.FAILED,
        ) from error
    except KeyboardInterrupt:
        screen.say("Asleep.")
    return ExitCode.CLEAN
