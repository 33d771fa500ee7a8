"""Where views write: results to standard output, all else to standard error, and nothing hostile to either.

Names come from archives, disks and catalogues; control characters, lone surrogates and marks that turn the writing
direction are shown as escapes, and no name is ever taken for markup.
"""

from __future__ import annotations

import io
import json
import re
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from types import TracebackType
from typing import TYPE_CHECKING, Any, TextIO, cast

import msgspec
from rich.cells import cell_len
from rich.console import Console
from rich.style import Style
from rich.text import Text
from rich.theme import Theme

from gribble.views.looks import NEXT, QUIET, SIXTEEN, STATES, VERDICTS
from gribble.views.plain import clean, is_utf8

MOST_LINES = 130
"""How many lines an answer has at most, unless more is asked for."""
LAST_LINES, NEXT_LINES = 12, 3
"""How many of the last ones stay, for there the counts are; and how many the next command takes below the notes."""


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
            room = MOST_LINES - NEXT_LINES - LAST_LINES - 1 - self._told
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


def styled(text: str, style: str = "") -> Text:
    """Cleaned text in a style; a leading line break is the view's own and kept."""
    lead = "\n" if text.startswith("\n") else ""
    return Text(lead + clean(text.removeprefix("\n")), style=style)


def verdict(word: str) -> Text:
    """A verdict with its glyph."""
    glyph, colour = VERDICTS[word]
    return Text(f"{glyph} {word}", style=colour)


def state(word: str) -> Text:
    """A state with its glyph."""
    glyph, colour = STATES[word]
    return Text(f"{glyph} {word}", style=f"bold {colour}")


def remedy(words: str) -> Text:
    """What to do about a finding: the command to type, or what it would do."""
    return Text("↳ ", NEXT).append_text(styled(words))


LEAST_WIDTH = 12
"""Characters that a column keeps, however little room there is."""
_SEPARATORS = "/\\-_.,: "


def shrunk(widths: Iterable[int], room: int) -> list[int]:
    """The widths of some columns, the widest made smaller until all fit into the room or have the least width."""
    now = list(widths)
    while now and sum(now) > room and max(now) > LEAST_WIDTH:
        now[now.index(max(now))] -= 1
    return now


def wrapped(console: Console, text: Text, room: int) -> list[Text]:
    """A text in lines that fit into the room. A name that does not fit is broken at its separators where it can be."""
    if text.cell_len <= room and "\n" not in text.plain:
        return [text]
    cuts = [cut for word in re.finditer(r"\S+", text.plain) for cut in _cuts(word, room)]
    whole = Text("\n").join(text.divide(cuts)) if cuts else text
    lines = list(whole.wrap(console, room, overflow="fold"))
    for line in lines:
        line.rstrip()
    return lines


def _cuts(word: re.Match[str], room: int) -> Iterator[int]:
    """Where a word is cut, as offsets in its text, so that no part is wider than the room."""
    start, last, width = word.start(), 0, 0
    if cell_len(word[0]) <= room:
        return
    for at in range(start, word.end()):
        width += cell_len(word.string[at])
        if width > room:
            cut = last or at
            yield cut
            start, last, width = cut, 0, cell_len(word.string[cut : at + 1])
        if word.string[at] in _SEPARATORS:
            last = at + 1


class Screen:
    """Two consoles, one a stream; `env` are the variables that say how wide they are, and whether in colour."""

    def __init__(
        self, out: TextIO, err: TextIO, env: Mapping[str, str], *, whole: bool = False, paged: bool = False
    ) -> None:
        """A long answer is folded, unless it is to be shown `whole` or `paged`."""
        self.err = _console(err, env)
        self.activity = Activity(self.err)
        self._next: list[tuple[str, str]] = []
        self._answer = Folding(out, whole=whole, paged=paged, begins=self.activity.rest)
        self.out = _console(cast(TextIO, self._answer), env)

    def say(self, *parts: str | Text, style: str = "") -> None:
        """One line of the result; parts are joined as they are."""
        line = Text()
        for part in parts:
            line.append_text(part if isinstance(part, Text) else styled(part, style))
        for row in line.wrap(self.out, self.out.width, overflow="fold") or [line]:
            row.rstrip()
            self.out.print(row, soft_wrap=True)

    def grid(self, rows: Iterable[tuple[str | Text, ...]], *, indent: int = 2) -> None:
        """Rows under one another, columns aligned. The last column has at least half the width, and wraps; the others
        are as wide as they need to be, as far as that leaves room."""
        table = [[cell if isinstance(cell, Text) else styled(cell) for cell in row] for row in rows]
        if not table:
            return
        needed = [max(cell.cell_len for cell in column) for column in list(zip(*table, strict=True))[:-1]]
        widths = shrunk(needed, self.out.width // 2 - indent - 2 * len(needed))
        start = indent + sum(widths) + 2 * len(widths)
        widths.append(max(self.out.width - start, 20))
        for row in table:
            cells = [wrapped(self.out, cell, width) for cell, width in zip(row, widths, strict=True)]
            for number in range(max(map(len, cells))):
                line = Text(" " * indent)
                for lines, width in zip(cells, widths, strict=True):
                    part = lines[number] if number < len(lines) else Text()
                    line.append_text(part).append(" " * (width - part.cell_len + 2))
                line.rstrip()
                self.out.print(line, soft_wrap=True)

    def next(self, command: str, why: str = "") -> None:
        """The command to type next; it is the last line of the answer, below the notes."""
        self._next.append((command, why))

    def end(self) -> None:
        """The answer is complete."""
        self.flush()
        for command, why in self._next:
            self.out.print()
            self.say(Text("Next: ", style="bold"), styled(command, NEXT), styled(f"   {why}" if why else "", QUIET))
        self._next.clear()
        self.flush()

    def json(self, answer: dict[str, Any]) -> None:
        """The answer as one JSON object; names that are not UTF-8 keep their bytes as lone surrogates."""
        try:
            if not is_utf8(self._answer.encoding):
                raise ValueError  # whoever reads it takes it for UTF-8, of which ASCII is a part
            text = msgspec.json.format(msgspec.json.encode(answer), indent=1).decode()
        except ValueError:
            text = json.dumps(answer, indent=1)
        self._answer.raw_bytes(f"{text}\n".encode())

    def json_line(self, record: dict[str, Any]) -> None:
        """One of many JSON objects, in a line, at once."""
        self.raw(f"{json.dumps(record)}\n")
        self.flush()

    def raw(self, text: str) -> None:
        """What another program is to read, as it is."""
        self._answer.raw(text)

    def bar(self, what: str, expected: int = 0) -> Bar:
        """A part of the work, of so many bytes as far as they are known, which is told while it takes more than a
        second."""
        return Bar(self.activity, what, expected)

    def flush(self) -> None:
        """Hand on what was said so far; what is said from here on is an answer of its own."""
        self.activity.rest()
        self._answer.done()
        self._answer.flush()

    def tell(self, *parts: str | Text, style: str = "") -> None:
        """One line beside the result, on standard error."""
        line = Text()
        for part in parts:
            line.append_text(part if isinstance(part, Text) else styled(part, style))
        self.activity.rest()
        self.err.print(line, soft_wrap=True)


def _console(stream: TextIO, env: Mapping[str, str]) -> Console:
    theme = Theme({f"progress.{part}": QUIET for part in ("download", "data.speed", "remaining", "percentage")})
    console = Console(file=stream, theme=theme, highlight=False, markup=False, emoji=False, _environ=env)
    if console.color_system in ("standard", "windows"):
        near = {colour: Style.parse(other) for colour, other in SIXTEEN.items()}
        bold = {f"bold {colour}": Style.parse(f"bold {other}") for colour, other in SIXTEEN.items()}
        console.push_theme(Theme({**near, **bold}))
    if not console.is_terminal and console.width < 80:
        console.width = 80
    return console
