"""Who watches a survey, what it cost, and how a rig on another machine is surveyed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Protocol

from msgspec import Struct

from gribble.core.survey.walking import Entry, Folder


class Tally(Struct):
    """What a survey has cost: files met, files opened, bytes read."""

    files: int = 0
    opened: int = 0
    bytes_read: int = 0


class Listener(Protocol):
    """Who is told of a survey's progress."""

    def expect(self, bytes_: int) -> None:
        """So many more bytes are going to be read."""

    def advance(self, bytes_: int) -> None:
        """So many bytes have been read."""

    def say(self, words: str) -> None:
        """What is going on now, where bytes do not tell it."""


class Ground(Protocol):
    """A rig on another machine, as a survey needs it: little is asked of it, and nothing twice."""

    root: str
    """Its address."""

    def away(self) -> str:
        """Why it cannot be reached now; empty where it can."""

    def walk(self) -> Iterator[Folder]:
        """Every file, folder by folder, with size and time as far as the server says; neither change time nor inode.

        Raises GribbleError where the connection is lost.
        """

    def dated(self, entry: Entry) -> Entry:
        """An entry with its time, where the listing had none but the server has."""

    def fetch(self, path: str, progress: Callable[[int], None] | None = None) -> Path:
        """A copy of a file on this machine. Raises OSError."""

    def directory(self, entry: Entry) -> Path | None:
        """A file that is the archive where its directory is, and empty elsewhere; None where that cannot be had."""

    def part(self, path: str, offset: int, length: int) -> bytes:
        """Some bytes of a file, fewer where it ends before. Raises OSError."""

    def let_go(self, path: str) -> None:
        """The copy of a file is not needed now; a small one may be kept for later."""

    def folds_case(self, volume: str) -> bool:
        """Whether it takes two spellings of a name for one: by the kind of volume, else tried on a name it listed."""
