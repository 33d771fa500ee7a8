"""What can go wrong, as facts from which the top of the program makes its message."""

from __future__ import annotations

import os
from enum import IntEnum
from importlib import import_module
from pathlib import Path
from types import ModuleType

from msgspec import Struct

from gribble.core.base.suggest import nearest


class ExitCode(IntEnum):
    """Exit status of every command."""

    CLEAN = 0  # all is well
    ATTENTION = 1  # something needs attention
    USAGE = 2  # bad usage, configuration or catalogue
    FAILED = 3  # a step failed, or a rig is away
    INTERRUPTED = 130


class GribbleError(Exception):
    """What stops a command: one sentence on what and where, one on what to do (docs/messages.md lists them all)."""

    def __init__(self, what: str, *, fix: str, code: ExitCode = ExitCode.USAGE) -> None:
        super().__init__(what)
        self.what = what
        self.fix = fix
        self.code = code


class StoreError(Exception):
    """The storage of a rig could not do what was asked; the text says why."""


ALIKE = 0.75
"""How like a wrong name one in the same folder must be to be proposed."""
MOST_COMPARED = 1000
"""Names in a folder that are compared with a wrong one, which takes a moment."""
_LONG = 300
"""A mistake is told in so many characters at most."""


class Mistake(Struct, frozen=True):
    """One mistake in one file: where (key path or line, may be empty) and what."""

    file: str
    where: str
    what: str

    def __str__(self) -> str:
        what = self.what
        if len(what) > _LONG:  # what is wrong is at the end, behind what a file says
            what = f"{what[: _LONG // 2]}…{what[-_LONG // 2 :]}"
        return ": ".join(part for part in (self.file, self.where, what) if part)


class MistakesError(GribbleError):
    """Every mistake of the files that were read, all at once."""

    def __init__(self, mistakes: list[Mistake], fix: str = "") -> None:
        many = f"{len(mistakes):,} mistakes" if len(mistakes) != 1 else "1 mistake"
        files = ", ".join(dict.fromkeys(mistake.file for mistake in mistakes))
        again = "Correct the lines named above, then run the command again."
        super().__init__(f"{many} in {files}", fix=fix or again)
        self.mistakes = mistakes


def no_such(path: object, kind: str = "file or folder", fix: str = "") -> GribbleError:
    """Return the error for a path where nothing is, with a name that is nearly the same in the same folder."""
    place = Path(str(path))
    try:
        names = os.listdir(place.parent)
    except OSError:
        names = []
    near = nearest(place.name, names, ALIKE) if len(names) <= MOST_COMPARED else ""
    meant = f"; did you mean '{place.with_name(near)}'?" if near else ""
    return GribbleError(f"there is no {kind} called {path}{meant}", fix=fix or "Check the name.")


def unreadable(path: object, error: OSError, fix: str = "") -> GribbleError:
    """Return the error for a path that cannot be read: that nothing is there, or the reason."""
    if isinstance(error, FileNotFoundError):
        return no_such(path, fix=fix)
    return GribbleError(f"{path} cannot be read: {reason_of(error)}", fix=fix or "Check its permissions.")


def package(name: str, use: str) -> ModuleType:
    """Return a Python package that Gribble does without where a system has no wheel of it. Raises GribbleError."""
    try:
        return import_module(name)
    except ImportError:
        called = name.replace("_", "-")
        raise GribbleError(
            f"{use} needs the Python package {called}, which is not installed",
            fix=f"Where Gribble is installed, run pip install {called}",
        ) from None


def reason_of(error: OSError) -> str:
    """The operating system's reason in a few words, without errno or path."""
    words = error.strerror or str(error) or type(error).__name__
    return words[:1].lower() + words[1:]
