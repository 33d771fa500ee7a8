"""What a call of the program finds around it: words, variables, folder, streams and clock, handed in as one value."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from typing import NamedTuple, TextIO

from gribble.core.base.changing import WINDOWS


class Environment(NamedTuple):
    """The surroundings of one call. `argv` are the words behind the program's name; `clock` gives the local time."""

    argv: tuple[str, ...]
    env: Mapping[str, str]
    cwd: Path
    stdin: TextIO
    stdout: TextIO
    stderr: TextIO
    clock: Callable[[], datetime]
    is_terminal: bool
    """Whether somebody is there to answer a question."""

    @classmethod
    def of_process(cls) -> Environment:
        """That of this process. A stream that whoever called has closed leads nowhere."""
        nowhere = os.devnull
        streams = [stream or open(nowhere, "r+", encoding="utf-8") for stream in (sys.stdin, sys.stdout, sys.stderr)]  # noqa: SIM115
        stdin, stdout, stderr = streams
        try:
            cwd = Path.cwd()
        except FileNotFoundError:
            cwd = Path(os.environ.get("PWD") or os.sep)  # it was deleted meanwhile
        return cls(tuple(sys.argv[1:]), os.environ, cwd, stdin, stdout, stderr, datetime.now, stdin.isatty())

    @property
    def home(self) -> Path:
        """The user's own folder."""
        return Path(self.env.get("USERPROFILE" if WINDOWS else "HOME") or Path.home())  # HOME is some shells' there

    def path(self, word: str) -> Path:
        """A path as it was typed, made absolute."""
        return self.cwd / word

    def answer(self) -> str:
        """The next line that is typed, without its end; empty if none comes."""
        self.stdout.flush()
        return self.stdin.readline().rstrip("\n")
