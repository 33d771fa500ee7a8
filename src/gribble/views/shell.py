"""Commands as they are typed: words quoted for the shell in which a hint is read.

Sources: the POSIX shell's "Quoting"; Microsoft's "cmd" and PowerShell's "about_Quoting_Rules".
"""

from __future__ import annotations

import os
import re
import shlex
from collections.abc import Iterable, Mapping
from enum import StrEnum

from gribble.core.answers.next import FilePath, Words
from gribble.core.base.changing import WINDOWS
from gribble.views.looks import shorten


class Shell(StrEnum):
    """A kind of shell, by how its words are quoted."""

    POSIX = "posix"
    CMD = "cmd"
    POWERSHELL = "powershell"


_PLAIN = re.compile(r"[A-Za-z0-9_+=:./\\-]+")
_OWN_MODULES = 3
"""PowerShell puts the user's own folder of modules in front of the two that every program of Windows is told of."""


def shell_of(env: Mapping[str, str], *, windows: bool) -> Shell:
    """The shell that a program was most likely started from."""
    if not windows or env.get("SHELL") or env.get("MSYSTEM"):
        return Shell.POSIX
    modules = [one for one in env.get("PSModulePath", "").split(";") if one]
    return Shell.POWERSHELL if len(modules) >= _OWN_MODULES else Shell.CMD


HERE = shell_of(os.environ, windows=WINDOWS)
"""The shell of this process."""


def quoted(word: str, shell: Shell = HERE) -> str:
    """A word as it is typed, so that it reaches a program as it is."""
    if shell is Shell.POSIX:
        return shlex.quote(word)
    if _PLAIN.fullmatch(word):
        return word
    if shell is Shell.POWERSHELL:
        return "'" + word.replace("'", "''") + "'"
    return '"' + word.replace('"', '\\"') + '"'


def typed(words: Iterable[str], shell: Shell = HERE) -> str:
    """Words as they are typed one after the other."""
    return " ".join(quoted(word, shell) for word in words)


def behind(words: Iterable[str]) -> str:
    """Words as they are typed behind a command, with a blank in front of each."""
    return "".join(f" {quoted(word)}" for word in words)


def written(words: Words) -> str:
    """A command as it is typed, its paths relative to the working folder where that is shorter."""
    return typed(shorten(word) if isinstance(word, FilePath) else word for word in words)


def then(first: str, second: str, shell: Shell = HERE) -> str:
    """Two commands on one line, one after the other."""
    return f"{first}; {second}" if shell is Shell.POWERSHELL else f"{first} && {second}"


def with_variable(name: str, value: str, command: str, shell: Shell = HERE) -> str:
    """A command with a variable of its own."""
    if shell is Shell.POSIX:
        return f"{name}={shlex.quote(value)} {command}"
    if shell is Shell.POWERSHELL:
        return f"$env:{name}={quoted(value, shell)}; {command}"
    return f'set "{name}={value}" && {command}'
