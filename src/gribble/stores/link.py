"""A connection to a rig on another machine: the few things that every kind of server can do.

Paths are relative to the rig's root, with forward slashes; the root itself is the empty path. Names that are not UTF-8
carry their bytes as surrogates. One thing at a time: a read must be ended before the next command.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Protocol

from msgspec import Struct

BLOCK_BYTES = 1 << 18
"""How much is asked of a server at a time, in bytes."""
SHOWN = 100
"""How many characters of a server's answer are repeated at most."""


class LinkLost(Exception):
    """The connection broke, or what came back makes no sense: what was asked may have been done or not."""


class Aborted(LinkLost):
    """The server ended a transfer and says so: the connection may be bad, or the server full."""


class Denied(Exception):
    """The server understood, and said no; the text is its reason."""


class Refused(Exception):
    """The server does not let this user in, or cannot be trusted; asking again will not help. The text says why, `fix`
    what to do."""

    def __init__(self, why: str, fix: str = "") -> None:
        super().__init__(why)
        self.fix = fix


class Listed(Struct, frozen=True):
    """One entry of a folder as the server lists it.

    `size` is in bytes, -1 where the server does not say; `modified` in nanoseconds since 1970, 0 where it does not say.
    `odd` says why this is neither a file nor a folder that can be used.
    """

    name: str
    folder: bool = False
    size: int = -1
    modified: int = 0
    odd: str = ""


class Link(Protocol):
    """One connection. Every method may raise LinkLost and Denied."""

    def entries(self, folder: str) -> list[Listed]:
        """What is in a folder, in the server's order; hidden names as far as it shows them."""

    def look_up(self, path: str) -> Listed | None:
        """What is at a path, None for nothing. A server that folds case finds other spellings, too."""

    def read(self, path: str, offset: int = 0, length: int | None = None) -> Iterator[bytes]:
        """A file's bytes from a place on, all or as many as wanted."""

    def write(self, path: str, blocks: Iterable[bytes], offset: int = 0) -> None:
        """Write a file over whatever is there or, with an offset, go on with one."""

    def rename(self, old: str, new: str) -> None:
        """Rename a file, over another one where the server does that."""

    def delete(self, path: str) -> None:
        """Remove a file."""

    def make_folder(self, path: str) -> None:
        """Make one folder."""

    def remove_folder(self, path: str) -> None:
        """Remove an empty folder."""

    def set_time(self, path: str, modified: int) -> bool:
        """Set a file's time of modification, in nanoseconds since 1970; False where the server cannot."""

    def take_mode(self, path: str, like: str) -> None:
        """Give a file the permissions of another one, where the server knows any."""

    def set_mode(self, path: str, mode: int) -> None:
        """Give a file its permissions, where the server knows any."""

    def close(self) -> None:
        """Say good-bye; raises nothing."""


def tame(text: str) -> str:
    """A server's words as one short line without control characters."""
    words = " ".join("".join(char if char.isprintable() else " " for char in text).split())
    return words if len(words) <= SHOWN else words[: SHOWN - 1] + "…"
