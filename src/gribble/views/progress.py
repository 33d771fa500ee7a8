"""What is under way, on standard error: told once it takes more than a second, gone when the answer begins, silent in a
pipe."""

from __future__ import annotations

import threading
from types import TracebackType
from typing import TYPE_CHECKING

from rich.console import Console

from gribble.views.looks import NEXT, QUIET

if TYPE_CHECKING:
    from rich.progress import Progress

PATIENCE = 1.0
"""Seconds of work before anything is shown."""


class Activity:
    """The one line in which a screen tells what is under way: with bytes, rate and time left where it is known how much
    there is to do, else with the time that it has taken."""

    def __init__(self, console: Console) -> None:
        self._console = console
        self._shows = console.is_terminal  # asked once: it takes longer than to tell of a file
        self._lock = threading.RLock()
        self._timer: threading.Timer | None = None
        self._progress: Progress | None = None
        self._counted = False
        self._what, self._expected, self._done = "", 0, 0

    def begin(self, what: str, expected: int = 0) -> None:
        """Something else is under way from here on, of so many bytes as far as they are known."""
        if not self._shows:
            return
        with self._lock:
            self._what, self._expected, self._done = what, expected, 0
            if self._progress:
                self.show()
            elif self._timer is None:
                self._timer = threading.Timer(PATIENCE, self.show)
                self._timer.daemon = True
                self._timer.start()

    def rest(self) -> None:
        """Nothing is under way, or its answer begins."""
        if not self._shows:
            return
        with self._lock:
            if self._timer:
                self._timer.cancel()
                self._timer = None
            self._hide()

    def expect(self, bytes_: int) -> None:
        """So many more bytes are going to be handled."""
        self._expected += bytes_
        if self._progress:
            with self._lock:
                if not self._progress:
                    return
                if not self._counted:
                    self.show()
                self._progress.update(self._progress.task_ids[0], total=self._expected)

    def advance(self, bytes_: int) -> None:
        """So many bytes have been handled."""
        self._done += bytes_
        if progress := self._progress:
            progress.update(progress.task_ids[0], completed=self._done)

    def say(self, words: str) -> None:
        """What is going on now, where bytes do not tell it."""
        self._what = words
        if progress := self._progress:
            progress.update(progress.task_ids[0], description=words)

    def _hide(self) -> None:
        if self._progress:
            self._progress.stop()
            self._progress = None

    @property
    def is_shown(self) -> bool:
        """Whether the line is there now."""
        return self._progress is not None

    def show(self) -> None:
        """Show what is under way, in the columns that fit it; nothing if that has come to rest."""
        from rich.progress import (  # which only work that takes a while has use for
            BarColumn,
            DownloadColumn,
            Progress,
            ProgressColumn,
            SpinnerColumn,
            TextColumn,
            TimeElapsedColumn,
            TimeRemainingColumn,
            TransferSpeedColumn,
        )

        with self._lock:
            if self._timer is None and self._progress is None:
                return
            self._hide()
            self._timer = None
            self._counted = self._expected > 0
            words = TextColumn("{task.description}")
            columns: tuple[ProgressColumn, ...] = (SpinnerColumn("line", style=NEXT), words, TimeElapsedColumn())
            if self._counted:
                bar = BarColumn(style=QUIET, complete_style=NEXT, finished_style=NEXT)
                columns = (words, bar, DownloadColumn(binary_units=True), TransferSpeedColumn(), TimeRemainingColumn())
            progress = Progress(*columns, console=self._console, transient=True)
            progress.add_task(self._what, total=self._expected or None, completed=self._done)
            progress.start()
            self._progress = progress


class Bar:
    """A part of the work, by its name: listens to a survey or a run."""

    def __init__(self, activity: Activity, what: str, expected: int) -> None:
        self._activity, self._what, self._expected = activity, what, expected
        self.expect, self.advance, self.say = activity.expect, activity.advance, activity.say

    def __enter__(self) -> Bar:
        self._activity.begin(self._what, self._expected)
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """What comes next has no name; a failure has no more to do."""
        if error:
            self._activity.rest()
        else:
            self._activity.begin("Working")
