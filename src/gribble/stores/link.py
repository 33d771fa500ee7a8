"""A connection to a rig on another machine: the few things that every kind of server can do; and one that is made again
when it breaks: what was under way is gone on with, and nothing is done twice.

Paths are relative to the rig's root, with forward slashes; the root itself is the empty path. Names that are not UTF-8
carry their bytes as surrogates. One thing at a time: a read must be ended before the next command. A command that was
cut off may have been done or not; before it is sent again, what is there is looked at.
"""

from __future__ import annotations

import contextlib
import itertools
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager
from functools import wraps
from types import TracebackType
from typing import Any, Protocol, TypeVar, cast

from msgspec import Struct

from gribble.core.base.budget import LISTING, UNSIZED_BYTES
from gribble.core.base.paths import join, visible
from gribble.core.placing.store import Content, StoreError, StoreLost

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


T = TypeVar("T")

PAUSES = (0.2, 1.0, 3.0)
"""How long is waited before each new try, in seconds."""
RESUMED_BYTES = 1 << 20
"""A file of which less than this has arrived is sent again, in bytes."""


class Resumable:
    """A content on its way out, which can be sent again from any place, since it can be had again."""

    def __init__(self, content: Content) -> None:
        self._content = content
        self._ready: tuple[bytes, Iterator[bytes]] | None = None

    def begin(self) -> None:
        """Take the first block before anything is sent: it may ask something of the very link that is to carry it."""
        blocks = self._content()
        self._ready = next(blocks, b""), blocks

    def since(self, offset: int) -> Iterator[bytes]:
        """The content from an offset on."""
        if self._ready is None:
            self.begin()
        assert self._ready is not None
        (first, rest), self._ready = self._ready, None
        for block in itertools.chain([first], rest):
            if offset < len(block):
                yield block[offset:] if offset else block
            offset = max(0, offset - len(block))


class SteadyLink:
    """One connection, made when it is first needed and again when it breaks. Raises StoreError and StoreLost."""

    def __init__(self, connect: Callable[[], Link], name: str, pauses: tuple[float, ...] = PAUSES) -> None:
        """`connect` raises LinkLost, and whatever else shall not be tried again; `name` is the rig's."""
        self._connect = connect
        self._name = name
        self._pauses = pauses
        self._link: Link | None = None
        self._sizes: dict[str, int] = {}  # as they were listed or sent
        self.received = 0

    def open(self) -> None:
        """Connect now, at one try. Raises StoreLost."""
        if self._link is None:
            try:
                self._link = self._connect()
            except (LinkLost, Denied) as error:
                raise StoreLost(str(error)) from error

    def close(self) -> None:
        """Say good-bye."""
        if self._link is not None:
            self._link.close()
            self._link = None

    def _do(self, act: Callable[[Link, bool], T], path: str) -> T:
        """Do something; `act` is told whether it was tried before."""
        again = False
        for pause in (*self._pauses, None):
            try:
                if self._link is None:
                    self._link = self._connect()
                return act(self._link, again)
            except LinkLost as error:
                self._lose()
                again = True
                if pause is None or isinstance(error, TooSlow):
                    raise self._given_up(error, path) from error
                time.sleep(pause)
            except Denied as error:
                raise StoreError(f"{tame(path) or 'the root'}: {error}") from error
        raise AssertionError("the last try ends the loop")

    def _given_up(self, error: LinkLost, path: str) -> StoreError:
        """A server that ends every transfer of one file is there, but will not have it: full, perhaps."""
        if isinstance(error, Aborted):
            return StoreError(f"{tame(path) or 'the root'}: {error}")
        return StoreLost(f"the connection to {self._name} is lost: {error}")

    def _lose(self) -> None:
        if self._link is not None:
            with contextlib.suppress(Exception):
                self._link.close()
            self._link = None

    def entries(self, folder: str) -> list[Listed]:
        """What is in a folder."""
        found = self._do(lambda link, _: link.entries(folder), folder)
        self._sizes.update((join(folder, one.name), one.size) for one in found if not one.folder)
        return found

    def look_up(self, path: str) -> Listed | None:
        """What is at a path, None for nothing."""
        there = self._do(lambda link, _: link.look_up(path), path)
        if there is None or there.folder:
            self._sizes[path] = -1
        elif there.size >= 0 or path not in self._sizes:  # what a listing said holds where this says nothing
            self._sizes[path] = there.size
        return there

    def read(self, path: str, offset: int = 0, length: int | None = None) -> Iterator[bytes]:
        """A file's bytes; after a break the rest is asked for. Nothing else may be asked of the link meanwhile.

        Raises StoreError for a whole file that is longer than it was listed, or than one without a size may be.
        """
        if path not in self._sizes:
            self.look_up(path)
        listed = self._sizes[path]
        size = listed if listed >= offset else UNSIZED_BYTES
        bounded = length is None
        if bounded:
            length = size - offset + 1
        at, failures, failed_at = offset, 0, offset
        while True:
            try:
                if self._link is None:
                    self._link = self._connect()
                left = None if length is None else offset + length - at
                for block in self._from(self._link, path, at, left):
                    at += len(block)
                    self.received += len(block)
                    if bounded and at > size:
                        listed_words = f"the {size:,} bytes that were listed"
                        unsized = f"{size:,} bytes, and the server does not say its size"
                        raise StoreError(
                            f"{tame(path)} did not arrive as a whole: it goes on beyond "
                            f"{listed_words if listed >= offset else unsized}"
                        )
                    yield block
                return
            except LinkLost as error:
                self._lose()
                failures = 0 if at - failed_at >= RESUMED_BYTES else failures
                if failures == len(self._pauses) or isinstance(error, TooSlow):
                    raise self._given_up(error, path) from error
                time.sleep(self._pauses[failures])
                failures, failed_at = failures + 1, at
            except Denied as error:
                raise StoreError(f"{tame(path)}: {error}") from error

    def _from(self, link: Link, path: str, at: int, left: int | None) -> Iterator[bytes]:
        """A file from a place on; where the server cannot begin there, all before it is let go by."""
        if not at:
            yield from link.read(path, 0, left)
            return
        begun = False
        try:
            for block in link.read(path, at, left):
                begun = True
                yield block
            return
        except Denied:
            if begun:
                raise
        skip = at
        for block in link.read(path, 0, None if left is None else at + left):
            if skip < len(block):
                yield block[skip:]
            skip = max(0, skip - len(block))

    def write(self, path: str, content: Content, *, resume: bool) -> int:
        """Write a file over whatever is there, and give its size in bytes; after a break the rest is sent where
        `resume` allows, else all again."""
        size = 0

        def sized(blocks: Iterator[bytes]) -> Iterator[bytes]:
            nonlocal size
            for block in blocks:
                size += len(block)
                yield block

        def act(link: Link, again: bool) -> None:
            nonlocal size
            resumable = Resumable(content)
            resumable.begin()
            there = link.look_up(path) if again and resume else None
            size = there.size if there is not None and there.size >= RESUMED_BYTES else 0
            try:
                link.write(path, sized(resumable.since(size)), size)
            except Denied:
                if not size:
                    raise
                size = 0  # a server that cannot go on with a file
                resumable = Resumable(content)
                resumable.begin()
                link.write(path, sized(resumable.since(0)))

        self._do(act, path)
        self._sizes[path] = size
        return size

    def rename(self, old: str, new: str) -> None:
        """Rename a file. Raises StoreError if the server refuses, for example because the new name is taken."""

        def act(link: Link, again: bool) -> None:
            try:
                link.rename(old, new)
            except Denied:
                if not (again and link.look_up(old) is None and link.look_up(new) is not None):
                    raise  # else it had been done before the connection broke

        self._do(act, new)
        self._sizes.pop(new, None)
        if old in self._sizes:
            self._sizes[new] = self._sizes.pop(old)

    def delete(self, path: str) -> None:
        """Remove a file, if it is there."""

        def act(link: Link, _again: bool) -> None:
            try:
                link.delete(path)
            except Denied:
                if link.look_up(path) is not None:
                    raise

        self._do(act, path)

    def make_folder(self, path: str) -> None:
        """Make one folder, if it is not there."""

        def act(link: Link, _again: bool) -> None:
            try:
                link.make_folder(path)
            except Denied:
                there = link.look_up(path)
                if there is None or not there.folder:
                    raise

        self._do(act, path)

    def remove_folder(self, path: str) -> None:
        """Remove a folder if it is empty; a server that would remove a full one is not asked to."""

        def act(link: Link, _again: bool) -> None:
            there = link.look_up(path)
            if there is not None and there.folder and not link.entries(path):
                with contextlib.suppress(Denied):  # something hidden is in it
                    link.remove_folder(path)

        self._do(act, path)

    def set_time(self, path: str, modified: int) -> bool:
        """Set a file's time of modification, in nanoseconds since 1970; False if the server cannot."""
        return self._do(lambda link, _: link.set_time(path, modified), path)

    def take_mode(self, path: str, like: str) -> None:
        """Give a file the permissions of another one, where the server knows any."""
        self._do(lambda link, _: link.take_mode(path, like), path)

    def set_mode(self, path: str, mode: int) -> None:
        """Give a file its permissions, where the server knows any."""
        self._do(lambda link, _: link.set_mode(path, mode), path)
