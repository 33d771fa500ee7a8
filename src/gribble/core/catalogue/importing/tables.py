"""Tables within a grid of cells: where the head is, which rows are titles, and where the next table begins.

A person's table has a title above it, a head over two rows, lines that only name a group, and its head again on the
next page. What is no such thing is a row.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from gribble.core.base.budget import ROW_CHARACTERS, TABLE_COLUMNS
from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.shapes import digests_in, is_blank, is_datum, is_file_name

LOOK_AHEAD = 60
"""So many rows are looked at to find the head."""


class Row(NamedTuple):
    """One row of a grid: `grid` numbers the grids of a list from 1, `heading` is what stands above it; `is_head` says
    that its format marks it as a head, `line` is where it stands in a file of lines."""

    cells: list[str]
    grid: int = 1
    heading: str = ""
    is_head: bool = False
    line: int = 0

    @property
    def words(self) -> list[str]:
        """The different things that it says."""
        return list(dict.fromkeys(cell.strip() for cell in self.cells if cell.strip()))


class Head(NamedTuple):
    """The head of a table: its number in the list from 1, what stands above it, and its columns' names."""

    number: int
    heading: str
    names: tuple[str, ...]


def tables_of(rows: Iterable[Row]) -> Iterator[tuple[Head, list[str]]]:
    """Every row of every table, with the head of its table as it is there; a table begins with an empty row."""
    finder = _Finder()
    for row in rows:
        yield from finder.take(row)
    yield from finder.settle()


class _Finder:
    """Takes row after row; until it knows where the head is they wait."""

    def __init__(self) -> None:
        self._waiting: list[Row] = []
        self._head: Head | None = None
        self._grid = 0
        self._tables = 0
        self._gap = False

    def take(self, row: Row) -> Iterator[tuple[Head, list[str]]]:
        """What is known for sure after one more row."""
        check_row(row)
        if row.grid != self._grid:
            yield from self.settle()
            self._head, self._grid = None, row.grid
        if not row.words:
            self._gap = True
            return
        marked = row.is_head and len(row.words) > 1  # else it names a group
        parted = self._gap and not row.line and _could_be_head(row)  # CSV is one table: a row is never lost to a head
        if self._head and (marked or parted) and not self._is_again(row):
            self._head = None
        self._gap = False
        if self._head is None:
            self._waiting.append(row)
            if any(map(digests_in, row.cells)) or len(self._waiting) >= LOOK_AHEAD:
                yield from self.settle()
        elif _is_title(row, self._head):
            self._head = self._head._replace(heading=row.words[0])
        elif not self._is_again(row):
            _refuse_more(row, self._head)
            yield self._head, _fitted(row.cells, self._head)

    def settle(self) -> Iterator[tuple[Head, list[str]]]:
        """Decide where the head is among the rows that wait."""
        waiting, self._waiting = self._waiting, []
        if not waiting:
            return
        at, depth = _find_head(waiting)
        titles = [row.words[0] for row in waiting[: max(at, 0)] if len(row.words) == 1]
        heading = titles[-1] if titles else waiting[0].heading
        lines = waiting[at : at + depth] if depth and waiting[0].line else waiting
        width = max(len(row.cells) for row in lines)
        names = _names(waiting[at : at + depth], width)
        self._tables += 1
        self._head = Head(self._tables, heading, names)
        yield self._head, []
        for row in waiting[at + depth :]:
            yield from self.take(row)

    def _is_again(self, row: Row) -> bool:
        assert self._head is not None
        return tuple(cell.strip() for cell in _fitted(row.cells, self._head)) == self._head.names


def check_row(row: Row) -> None:
    """Raise GribbleError where a row is none that a list has."""
    if len(row.cells) > TABLE_COLUMNS:
        what = f"a table has more than {TABLE_COLUMNS:,} columns"
    elif sum(map(len, row.cells)) > ROW_CHARACTERS:
        what = f"a row of a table has more than {ROW_CHARACTERS:,} characters"
    else:
        return
    raise GribbleError(what, fix="Take what is no list out of it.")


def _could_be_head(row: Row) -> bool:
    return len(row.words) >= 2 and not any(map(is_datum, row.cells)) and not any(map(is_blank, row.cells))


def _is_title(row: Row, head: Head) -> bool:
    return len(row.words) == 1 and len(head.names) > 1 and not is_datum(row.words[0]) and not is_file_name(row.words[0])


def _find_head(rows: list[Row]) -> tuple[int, int]:
    """Where the head begins, and how many rows it has: none where the first row is data already."""
    marked = [place for place, row in enumerate(rows) if row.is_head and len(row.words) > 1]
    first = marked[0] if marked else next((n for n, row in enumerate(rows) if _may_head(row)), None)
    data = next((n for n, row in enumerate(rows) if any(map(is_datum, row.cells))), len(rows))
    if first is None or first > data:
        return next((n for n, row in enumerate(rows) if len(row.words) > 1), data), 0
    depth = 1
    while first + depth < len(rows) and _goes_on(rows, first + depth, first):
        depth += 1
    return first, depth


def _may_head(row: Row) -> bool:
    return len(row.words) >= 2 and not any(map(is_datum, row.cells))


def _goes_on(rows: list[Row], place: int, first: int) -> bool:
    """Whether a head goes on in the next row: marked so, or below cells that span several columns."""
    row, above = rows[place], rows[first]
    if len(row.words) == 1:
        return False
    if row.is_head and above.is_head:
        return True
    spans = len(above.words) < sum(bool(cell.strip()) for cell in above.cells) or not all(map(str.strip, above.cells))
    more = sum(bool(cell.strip()) for cell in row.cells)
    return spans and not above.is_head and place == first + 1 and _may_head(row) and more > len(above.words)


def _names(rows: list[Row], width: int) -> tuple[str, ...]:
    """The columns' names: what stands in the head above each, once."""
    names: list[str] = []
    for column in range(width):
        words = [row.cells[column].strip() for row in rows if column < len(row.cells) and row.cells[column].strip()]
        name = " ".join(" ".join(dict.fromkeys(words)).split()) or f"column {column + 1}"
        number = 2
        while name in names:
            name, number = f"{name.removesuffix(f' {number - 1}')} {number}", number + 1
        names.append(name)
    return tuple(names)


def _refuse_more(row: Row, head: Head) -> None:
    if row.line and any(cell.strip() for cell in row.cells[len(head.names) :]):
        columns = f"has {len(row.cells)} columns, but the head has {len(head.names)}"
        raise GribbleError(f"line {row.line}: {columns}", fix="Correct the line, or the delimiter in the map.")


def _fitted(cells: list[str], head: Head) -> list[str]:
    """As many cells as there are columns."""
    return cells[: len(head.names)] + [""] * (len(head.names) - len(cells))
