"""A connection to a rig on another machine: the few things that every kind of server can do.

Paths are relative to the rig's root, with forward slashes; the root itself is the empty path. Names that are not UTF-8
carry their bytes as surrogates. One thing at a time: a read must be ended before the next command.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager
from functools import wraps
from types import TracebackType
from typing import Any, Protocol, TypeVar, cast

from msgspec import Struct

from gribble.core.base.budget import LISTING
from gribble.core.base.paths import visible

BLOCK_BYTES = 1 << 18
"""How much is asked of a server at a time, in bytes."""
M = TypeVar("M", bound=Callable[..., Any])

PATIENCE = 10
"""How many times `timeout` an answer may take from its first byte to its last."""
LEAST_PER_SECOND = 1024
"""What a transfer must bring at least, in bytes a second, over `PATIENCE` times `timeout`."""
SHOWN = 100
"""How many characters of what is in a message are shown at most."""
NONSENSE = "it answers what makes no sense"
ENDLESS = f"it lists more than {LISTING.items:,} entries, which no folder has"


class LinkLost(Exception):
    """The connection broke, or what came back makes no sense: what was asked may have been done or not."""


class TooSlow(LinkLost):
    """A transfer comes on so slowly that it is given up: another try would be no faster."""


class Aborted(LinkLost):
    """The server ended a transfer and says so: the connection may be bad, or the server full."""


class Denied(Exception):
    """The server understood, and said no; the text is its reason."""


class ServerRefused(Exception):
    """The server does not let this user in, or cannot be trusted; asking again will not help. The text says why, `fix`
    what to do."""

    def __init__(self, why: str, fix: str = "") -> None:
        super().__init__(why)
        self.fix = fix


class Listed(Struct, frozen=True):
    """One entry of a folder as the server lists it.

    `size` is in bytes, -1 where the server does not say; `modified` in nanoseconds since 1970, 0 if it does not say.
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
        """Rename a file, over another one if the server does that."""

    def delete(self, path: str) -> None:
        """Remove a file."""

    def make_folder(self, path: str) -> None:
        """Make one folder."""

    def remove_folder(self, path: str) -> None:
        """Remove an empty folder."""

    def set_time(self, path: str, modified: int) -> bool:
        """Set a file's time of modification, in nanoseconds since 1970; False if the server cannot."""

    def take_mode(self, path: str, like: str) -> None:
        """Give a file the permissions of another one, where the server knows any."""

    def set_mode(self, path: str, mode: int) -> None:
        """Give a file its permissions, where the server knows any."""

    def close(self) -> None:
        """Say good-bye; raises nothing."""


class Deadline:
    """Ends what a server draws out: after some seconds the connection is cut, whatever trickles in meanwhile."""

    def __init__(self, seconds: float, cut: Callable[[], None]) -> None:
        self._seconds = seconds
        self._cut = cut
        self._due = 0.0
        self._depth = 0
        self._over = threading.Event()
        self.cut_off = False
        """Whether an answer took too long."""
        self._watch: threading.Thread | None = None

    def __enter__(self) -> Deadline:
        if not self._depth:
            self._due = time.monotonic() + self._seconds
        self._depth += 1
        if self._watch is None:
            self._watch = threading.Thread(target=self._run, daemon=True)
            self._watch.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._depth -= 1
        if not self._depth:
            self._due = 0.0

    def _run(self) -> None:
        while not self._over.wait(min(1.0, self._seconds / 10)):
            if self._due and time.monotonic() > self._due:
                self._due, self.cut_off = 0.0, True
                with contextlib.suppress(Exception):
                    self._cut()

    def close(self) -> None:
        """Nothing is to be watched any more."""
        self._over.set()


class Timed(Protocol):
    """What has a deadline for its answers."""

    deadline: Deadline


def timed(translating: Callable[[], AbstractContextManager[None]]) -> Callable[[M], M]:
    """For methods that are a command and its answer: errors are translated, and no answer is drawn out."""

    def decorate(method: M) -> M:
        @wraps(method)
        def wrapper(self: Timed, *args: Any) -> Any:
            try:
                with translating(), self.deadline:
                    return method(self, *args)
            except LinkLost as error:
                if self.deadline.cut_off:
                    raise TooSlow("what it answers does not come to an end") from error
                raise

        return cast(M, wrapper)

    return decorate


class Pace:
    """Whether a transfer comes on at all: less than a KiB a second over some seconds is given up."""

    def __init__(self, seconds: float) -> None:
        self._seconds = seconds
        self._since = time.monotonic()
        self._bytes = 0

    def note(self, size: int) -> None:
        """So many bytes have come. Raises LinkLost."""
        self._bytes += size
        now = time.monotonic()
        if now - self._since > self._seconds:
            if self._bytes < LEAST_PER_SECOND * (now - self._since):
                raise TooSlow("it sends next to nothing")
            self._since, self._bytes = now, 0


def tame(text: str) -> str:
    """Words of others as one short line without control characters. Of a server no words are told once it may know a
    password: it could give it back in them, in whatever form."""
    words = " ".join(visible(text, " ").split())
    return words if len(words) <= SHOWN else words[: SHOWN - 1] + "…"
