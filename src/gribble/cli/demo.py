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
from gribble.demo.handheld import free_port, handheld
from gribble.demo.porch import EVENTS, build_porch
from gribble.demo.sheets import HANDHELD_PASSWORD
from gribble.demo.tour import KEEPING, TOUR
from gribble.demo.world import build_world
from gribble.stores.credentials import variable_of
from gribble.views.looks import NEXT, QUIET, shorten
from gribble.views.screen import Screen, styled
from gribble.views.shell import HERE, Shell, quoted, then, with_variable


@command("demo")
def demo(
    call: Call,
    folder: Annotated[str, typer.Argument(help="Where to build it; empty or absent.")] = "lighthouse-games-room",
    step: Annotated[bool, typer.Option("--step", help="Wait for Enter before each command.")] = False,
    wake: Annotated[
        bool, typer.Option("--wake", help="Only switch on the handheld of a world built before, until Ctrl-C.")
    ] = False,
) -> int:
    """Walk through the whole job on made-up files.

    It builds the made-up Lighthouse Games Room in a folder of its own.

    One rig is a handheld behind an FTP server, which is simulated on this machine while the command runs.

    Example: gribble demo --step
    """
    screen = call.screen
    root = call.environment.path(folder)
    if wake:
        return _wake(root, folder, screen)
    port = free_port()
    build_world(root, port)
    screen.say(styled("The Lighthouse Games Room", "bold"), f", built in {folder}")
    screen.say("Volunteers keep made-up machines running for visitors: a PC in the games room, a")
    screen.say("USB stick for the console by the door, a handheld reached over the network, an")
    screen.say("arcade cabinet in the corner, and a drawer of files nobody has sorted.")
    with handheld(root / "handheld", port), chdir(root):
        for question, words in TOUR:
            _stop(call, root, question, words, step)
    porch = build_porch(root)
    with chdir(porch):
        for event, question, words in KEEPING:
            if event:
                EVENTS[event](porch)
            _stop(call, porch, question, words, step)
    screen.out.print()
    screen.say(styled("─" * min(screen.out.width, 80), QUIET))
    screen.say("The world stays for you to try things on:")
    screen.next(_activated(then(f"cd {quoted(folder)}", "gribble check")))
    wake_it = f"gribble demo {quoted(folder)} --wake"
    screen.say(f"The handheld is asleep again (away). {wake_it}, in another terminal, wakes it.")
    return ExitCode.CLEAN


def _stop(call: Call, root: Path, question: str, words: str, step: bool) -> None:
    """One stop of a tour: what is asked, the command, and its answer. Raises GribbleError where it fails."""
    screen = call.screen
    screen.out.print()
    screen.say(styled("─" * min(screen.out.width, 80), QUIET))
    screen.say(styled(question, "bold"))
    screen.say(styled(f"$ gribble {words}".rstrip(), NEXT))
    screen.out.print()
    if step:
        call.environment.answer()
    screen.flush()
    code = run(_in_world(call, root, words))
    if code not in (ExitCode.CLEAN, ExitCode.ATTENTION):
        raise GribbleError(
            f"gribble {words} ended with status {code}",
            fix="What it says above tells why. The world stays as it is.",
            code=ExitCode.FAILED,
        )


def _in_world(call: Call, root: Path, words: str) -> Environment:
    """What a command of the tour finds around it: the world, and the handheld's password; nothing of the user's."""
    own = ("GRIBBLE_CONFIG", "GRIBBLE_HOME")
    env = {name: value for name, value in call.environment.env.items() if name not in own}
    env[variable_of("handheld")] = HANDHELD_PASSWORD
    return call.environment._replace(argv=tuple(words.split()), cwd=root, env=env)


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
            f"{folder} is no world of gribble demo with a handheld", fix="gribble demo FOLDER builds one."
        )
    try:
        with handheld(root / "handheld", parse_address(rig.at).port):
            screen.say(f"The handheld is awake at {rig.at}; Ctrl-C puts it to sleep.")
            check = "gribble check --rig handheld"
            screen.next(with_variable(variable_of("handheld"), HANDHELD_PASSWORD, check))
            for_ever = threading.Event()
            while not for_ever.wait(1):  # without an end to the waiting Windows would not hear Ctrl-C
                pass
    except OSError as error:
        raise GribbleError(
            f"{rig.at} cannot be served: {reason_of(error)}",
            fix="Perhaps it is awake already, in another terminal; Ctrl-C there puts it to sleep.",
            code=ExitCode.FAILED,
        ) from error
    except KeyboardInterrupt:
        screen.say("Asleep.")
    return ExitCode.CLEAN
