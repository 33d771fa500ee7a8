"""Long answers: the beginning and the end of one, or all of it page by page."""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any, TextIO

MOST_LINES = 130
"""How many lines an answer has at most, unless more is asked for."""
LAST_LINES = 12
"""How many of the last ones stay: there the counts stand, and the next command."""


class Folding(io.TextIOBase):
    """A stream that lets the first lines of an answer through and holds the rest back until it is known how much there
    is; `whole` answers pass as they are, `paged` ones are shown page by page where a terminal is."""

    def __init__(
        self, stream: TextIO, *, whole: bool = False, paged: bool = False, begins: Callable[[], None] = lambda: None
    ) -> None:
        """`begins` is called before anything is said."""
        self._stream, self._whole, self._paged, self._begins = stream, whole, paged, begins
        self._told = 0
        self._held = ""

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)

    @property
    def encoding(self) -> str:  # type: ignore[override]
        """The encoding of the stream below."""
        return self._stream.encoding

    def isatty(self) -> bool:
        """Whether somebody reads along."""
        return self._stream.isatty()

    def fileno(self) -> int:
        """That of the stream below."""
        return self._stream.fileno()

    def write(self, text: str) -> int:
        """Say something of the answer."""
        self._begins()
        if self._paged:
            self._held += text
        elif self._whole:
            self._stream.write(text)
        else:
            self._held += text
            room = MOST_LINES - LAST_LINES - 1 - self._told
            if room > 0:
                lines = self._held.splitlines(keepends=True)
                now = lines[:room]
                self._told += sum(line.endswith("\n") for line in now)
                self._stream.write("".join(now))
                self._held = "".join(lines[len(now) :])
        return len(text)

    def raw(self, text: str) -> None:
        """Hand on what is no answer for a reader, as it is."""
        self._begins()
        self.done()
        self._stream.write(text)

    def raw_bytes(self, data: bytes) -> None:
        """The same for what has an encoding of its own."""
        self._begins()
        self.done()
        if hasattr(self._stream, "buffer"):
            self._stream.flush()
            self._stream.buffer.write(data)
        else:
            self._stream.write(data.decode())

    def flush(self) -> None:
        """Hand on what passes."""
        self._stream.flush()

    def done(self) -> None:
        """The answer is at its end, or waits for one of the user's: say what is held back, folded if it is long."""
        held, self._held = self._held, ""
        told, self._told = self._told, 0
        if self._paged and held and self._stream.isatty():
            from pydoc import pager  # which loads half the library

            pager(held)
        elif self._paged or not told:
            self._stream.write(held)
        else:
            lines = held.splitlines(keepends=True)
            if len(lines) > LAST_LINES + 1:
                more = len(lines) - LAST_LINES
                lines = [f"  … {more:,} lines more: -v shows them all, --pager page by page\n", *lines[-LAST_LINES:]]
            self._stream.write("".join(lines))
        self._stream.flush()
