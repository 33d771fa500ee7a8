"""A progress bar on standard error for work of more than a second; silent in a pipe."""

from __future__ import annotations

import time
from types import TracebackType
from typing import TYPE_CHECKING

from rich.console import Console

from gribble.views.looks import NEXT, QUIET

if TYPE_CHECKING:
    from rich.progress import Progress

PATIENCE = 1.0
"""Seconds of work before a bar appears."""


class Bar:
    """Listens to a survey or a run, and shows bytes, rate and time left once it takes a while."""

    def __init__(self, console: Console, what: str) -> None:
        self._console = console
        self._what = what
        self._started = time.monotonic()
        self._expected = 0
        self._done = 0
        self._progress: Progress | None = None
        self._shows = console.is_terminal  # asked once: it takes longer than to tell of a file

    def __enter__(self) -> Bar:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._progress:
            self._progress.stop()

    def expect(self, bytes_: int) -> None:
        """So many more bytes are going to be handled."""
        self._expected += bytes_
        if self._progress:
            self._progress.update(self._progress.task_ids[0], total=self._expected)

    def advance(self, bytes_: int) -> None:
        """So many bytes have been handled."""
        self._done += bytes_
        if self._progress:
            self._progress.update(self._progress.task_ids[0], completed=self._done)
        elif self._shows and time.monotonic() - self._started > PATIENCE:
            self._start()

    def say(self, words: str) -> None:
        """What is going on now, where bytes do not tell it."""
        self._what = words
        self.advance(0)
        if self._progress:
            self._progress.update(self._progress.task_ids[0], description=words)

    def _start(self) -> None:
        from rich.progress import (  # which only work that takes a while has use for
            BarColumn,
            DownloadColumn,
            Progress,
            TextColumn,
            TimeRemainingColumn,
            TransferSpeedColumn,
        )

        self._progress = Progress(
            TextColumn("{task.description}"),
            BarColumn(style=QUIET, complete_style=NEXT, finished_style=NEXT),
            DownloadColumn(binary_units=True),
            TransferSpeedColumn(),
            TimeRemainingColumn(),
            console=self._console,
            transient=True,
        )
        self._progress.start()
        self._progress.add_task(self._what, total=self._expected or None, completed=self._done)
