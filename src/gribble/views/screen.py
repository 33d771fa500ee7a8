"""Where views write: results to standard output, all else to standard error, and nothing hostile to either.

Names come from archives, disks and catalogues; control characters, lone surrogates and marks that turn the writing
direction are shown as escapes, and no name is ever taken for markup.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from typing import Any, TextIO, cast

import msgspec
from rich.console import Console
from rich.text import Text
from rich.theme import Theme

from gribble.views.clean import clean
from gribble.views.folding import Folding
from gribble.views.looks import NEXT, QUIET, STATES, VERDICTS
from gribble.views.plain import is_utf8
from gribble.views.progress import Activity, Bar


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


class Screen:
    """Two consoles, one a stream; `env` are the variables that say how wide they are, and whether in colour."""

    def __init__(
        self, out: TextIO, err: TextIO, env: Mapping[str, str], *, whole: bool = False, paged: bool = False
    ) -> None:
        """A long answer is folded, unless it is to be shown `whole` or `paged`."""
        self.err = _console(err, env)
        self.activity = Activity(self.err)
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
        """Rows under one another, columns aligned, the last one wrapped into what is left of the width."""
        table = [[cell if isinstance(cell, Text) else styled(cell) for cell in row] for row in rows]
        if not table:
            return
        widths = [max(cell.cell_len for cell in column) for column in list(zip(*table, strict=True))[:-1]]
        start = indent + sum(widths) + 2 * len(widths)
        room = max(self.out.width - start, 20)
        for row in table:
            head = Text(" " * indent)
            for cell, width in zip(row, widths, strict=False):
                head.append_text(cell).append(" " * (width - cell.cell_len + 2))
            for line in row[-1].wrap(self.out, room, overflow="fold"):
                line.rstrip()
                head.append_text(line)
                head.rstrip()
                self.out.print(head, soft_wrap=True)
                head = Text(" " * start)

    def next(self, command: str, why: str = "") -> None:
        """The command to type next."""
        self.out.print()
        self.say(Text("Next: ", style="bold"), styled(command, NEXT), styled(f"   {why}" if why else "", QUIET))

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
    if not console.is_terminal and console.width < 80:
        console.width = 80
    return console
