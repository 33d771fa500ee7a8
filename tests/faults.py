"""The program in a process of its own, with a fault before one of its acts."""

from __future__ import annotations

import os
import signal
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import filelock  # noqa: F401  (here, so that no child has to)

import gribble.cli.history  # noqa: F401
from gribble.cli.main import main

ACTS = ("fsync", "replace", "rename", "link", "mkdir", "unlink", "rmdir")
"""The calls by which a run changes a disk."""


def pull_out(world: Path) -> None:
    """Take a rig away while a run is at work on it."""
    os.rename(world / "rigs/lighthouse", world / "pulled out")


FAULTS: dict[str, Callable[[Path], None]] = {
    "kill": lambda _world: os.kill(os.getpid(), signal.SIGKILL),
    "ctrl-c": lambda _world: os.kill(os.getpid(), signal.SIGINT),
    "pull out": pull_out,
}


def run_in_child(world: Path, *words: str, kill_before: int = 0, fault: str = "kill") -> int:
    """Run the program in a process of its own, with a fault before its n-th act (0: none). Gives the wait status."""
    child = os.fork()
    if child:
        return os.waitpid(child, 0)[1]
    os.chdir(world)
    sink = os.open(os.devnull, os.O_WRONLY)
    os.dup2(sink, 1)
    os.dup2(sink, 2)
    sys.stdin, sys.stdout, sys.stderr = (open(n, "w" if n else "r") for n in range(3))  # noqa: SIM115
    count = 0

    def counted(real: Callable[..., Any]) -> Callable[..., Any]:
        def act(*args: Any, **kwargs: Any) -> Any:
            nonlocal count
            count += 1
            if count == kill_before:
                FAULTS[fault](world)
            return real(*args, **kwargs)

        return act

    code = 70
    try:
        for name in ACTS:
            # A kill loses nothing that was written, only a power cut does: flushing is counted, not done.
            setattr(os, name, counted((lambda _handle: None) if name == "fsync" else getattr(os, name)))
        sys.argv = ["gribble", *words]
        main()
    except SystemExit as ended:
        code = int(ended.code or 0)
    finally:
        os._exit(code)
