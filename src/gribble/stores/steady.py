"""A link that is made again when it breaks: what was under way is gone on with, and nothing is done twice.

A command that was cut off may have been done or not; before it is sent again, what is there is looked at.
"""

from __future__ import annotations

import contextlib
import itertools
import time
from collections.abc import Callable, Iterator
from typing import TypeVar

from gribble.core.base.budget import UNSIZED_BYTES
from gribble.core.base.paths import join
from gribble.core.placing.store import Content, StoreError, StoreLost
from gribble.stores.link import Aborted, Denied, Link, LinkLost, Listed, TooSlow, tame

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
        """Rename a file; StoreError where the server does not, be it because there is one of the new name."""

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
