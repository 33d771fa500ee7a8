"""`gribble demo`: the whole job on a made-up world."""

from __future__ import annotations

from typing import Annotated

import typer

from gribble.cli.app import command


@command("demo")
def demo(
    folder: Annotated[str, typer.Argument(help="Where to build it; empty or absent.")] = "lighthouse-games-room",
    step: Annotated[bool, typer.Option("--step", help="Wait for Enter before each command.")] = False,
) -> int:
    """Build the made-up Lighthouse Games Room and walk through the whole job on it.

    Example: gribble demo --step
    """
    import os
    import subprocess
    import sys
    from pathlib import Path

    from gribble.core.errors import ExitCode, GribbleError
    from gribble.demo.tour import TOUR
    from gribble.demo.world import build_world
    from gribble.views.screen import Screen, styled

    screen = Screen()
    root = Path(folder).absolute()
    build_world(root)
    screen.say(styled("The Lighthouse Games Room", "bold"), f", built in {folder}")
    screen.say("Volunteers keep made-up machines running for visitors: a PC in the games room, a")
    screen.say("USB stick for the console by the door, and a drawer of files nobody has sorted.")
    own = ("GRIBBLE_CONFIG", "GRIBBLE_HOME")
    environment = {name: value for name, value in os.environ.items() if name not in own}
    environment["COLUMNS"] = str(screen.out.width)
    if screen.out.is_terminal:
        environment["FORCE_COLOR"] = "1"
    for question, words in TOUR:
        screen.out.print()
        screen.say(styled("─" * min(screen.out.width, 80), "#7f8a96"))
        screen.say(styled(question, "bold"))
        screen.say(styled(f"$ gribble {words}".rstrip(), "bold #3d8fb8"))
        screen.out.print()
        if step:
            input()
        sys.stdout.flush()
        done = subprocess.run([sys.executable, "-m", "gribble", *words.split()], cwd=root, env=environment, check=False)
        if done.returncode not in (ExitCode.CLEAN, ExitCode.ATTENTION):
            raise GribbleError(f"gribble {words} ended with status {done.returncode}", code=ExitCode.FAILED)
    screen.out.print()
    screen.say(styled("─" * min(screen.out.width, 80), "#7f8a96"))
    screen.say("The world stays for you to try things on:")
    screen.next(f"cd {folder} && gribble check")
    return ExitCode.CLEAN
