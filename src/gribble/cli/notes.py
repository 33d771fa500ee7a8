"""What is told beside the answer, after it, on standard error."""

from __future__ import annotations

from collections.abc import Iterable

from gribble.core.records.holding import Skipped
from gribble.views.looks import count, shorten
from gribble.views.screen import Screen


class Notes:
    """Lines that wait until the answer is out."""

    def __init__(self, screen: Screen) -> None:
        self._screen = screen
        self._lines: list[str] = []
        self._passed_over: list[str] = []
        self.hushed = False

    def aside(self, *lines: str) -> None:
        """Note something to be told."""
        self._lines += lines

    def hush(self) -> None:
        """Tell nothing after all."""
        self.hushed = True

    def passed_over(self, passed: Iterable[Skipped], told: int | None) -> None:
        """Note what could not be looked into: all of it, or as many as `told`, and how many others there are."""
        passed = list(passed)
        named = passed if told is None else passed[:told]
        for skipped in named:
            where = shorten(skipped.path) + (f": {skipped.member}" if skipped.member else "")
            self._passed_over.append(f"passed over {where}: {skipped.why}")
        if rest := len(passed) - len(named):
            what = f"{rest:,} more" if named else count(rest, "file")
            self._passed_over.append(f"passed over {what} that cannot be looked into; gribble check -v says which")

    def nothing_lacks(self) -> None:
        """What could not be looked into is no news: nothing is missing that could be in there."""
        self._passed_over = []

    def tell(self) -> None:
        """Tell them, below a blank line."""
        lines = [] if self.hushed else [*self._passed_over, *self._lines]
        self._screen.flush()
        if lines:
            self._screen.tell("")
        for line in lines:
            self._screen.tell(line)
        self._lines, self._passed_over = [], []
