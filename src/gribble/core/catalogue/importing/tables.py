"""Tables within a grid of cells: where the head is, which rows are titles, and where the next table begins.

A person's table has a title above it, a head over two rows, lines that only name a group, and its head again on the
next page. What is no such thing is a row.
"""

from __future__ import annotations

import datetime
import re
import zipfile
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

from gribble.core.base.budget import BOOK_BYTES, ROW_CHARACTERS, TABLE_COLUMNS, TABLES, Budget, size_words
from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import GribbleError, package
from gribble.core.catalogue.importing.values import digests_in, is_blank, is_datum, is_file_name, without_marks
from gribble.core.catalogue.importing.words import EXACT, has_word, head_points
from gribble.core.files.archives.opening import SET_ENDINGS

LOOK_AHEAD = 60
"""So many rows are looked at to find the head."""


Said = tuple[tuple[str, str], ...]
"""What lines above rows say of all of these, by name."""


class Row(NamedTuple):
    """One row of a grid: `grid` numbers the grids of a list from 1, `heading` is what is above it, and `said` what else
    is said there; `is_head` says that its format marks it as a head, `line` is where it is in a file of lines."""

    cells: list[str]
    grid: int = 1
    heading: str = ""
    is_head: bool = False
    line: int = 0
    said: Said = ()

    @property
    def words(self) -> list[str]:
        """The different things that it says."""
        return list(dict.fromkeys(cell.strip() for cell in self.cells if cell.strip()))


class Line(NamedTuple):
    """One line of a text or page: how deep it lies, what it says, whether it is an entry of a list, or a heading."""

    depth: int
    text: str
    entry: bool = False
    heading: bool = False


class Head(NamedTuple):
    """The head of a table: its number in the list from 1, what is above it, its columns' names, and what lines above
    say of its rows."""

    number: int
    heading: str
    names: tuple[str, ...]
    said: Said = ()

    def below(self, heading: str) -> Head:
        """The same below another heading."""
        heading, said = heading_parts(heading)
        return self._replace(heading=heading, said=said)

    def with_line(self, text: str, *, after_rows: bool) -> Head:
        """The head of the rows below one more line. The line says something of these rows, or is a heading. With
        `after_rows` it begins a new part of the list; else the heading before it is kept as the outer one."""
        if told := said_in(text):
            return self._replace(said=(told,) if after_rows else (*self.said, told))
        if head_points(text, "name") == EXACT:  # such as "Files:", which says no more than what follows
            return self
        below = self.below(text)
        if after_rows:
            return below
        outer = ((OUTER, self.heading),) if self.heading else ()
        return below._replace(said=(*outer, *self.said, *below.said))


OUTER = "outer heading"
"""Under this name is said which heading is right above another one."""
NOTHING_ABOVE = Head(0, "", ())
_LABELLED = re.compile(r"\W*([^\W\d][^:=|\n]{0,40}?)\s*[:=]\s*(\S.{0,200})")
_OF_ALL = (
    "set", "title", "kind", "parent", "bios", "devices", "year", "maker", "plays", "machine", "folder", "region",
)  # fmt: skip
"""What may be said of all that is below."""
_RELATED = re.compile(
    r"^(?P<before>.*?\S)(?:\s*[,;(\[–—]\s*|\s+-\s+|(?<=[)\]])\s+)"
    r"(?P<word>[^\W\d]+(?: [^\W\d]+)?)[: ]\s*(?P<value>[\w.+!-]+)[)\]]?$"
)
"""A relative behind the name of a set and a sign, or in brackets: no words within a sentence."""
_RELATIONS = ("parent", "bios", "devices")


def label_of(text: str) -> tuple[str, str] | None:
    """The label and the value of a line such as `**System:** Tern 8`, without marks; None if it has no label."""
    match = _LABELLED.fullmatch(text.strip())
    return (match[1].strip("*_` "), match[2].strip("*_` ")) if match else None


def said_in(text: str) -> tuple[str, str] | None:
    """What a line says of all below it, as `name: value`; None if it is no such line."""
    label = label_of(text)
    if label is None or not any(head_points(label[0], field) == EXACT for field in _OF_ALL):
        return None
    value = label[1]
    names_file = is_file_name(value) and not value.endswith(SET_ENDINGS)
    return None if is_blank(value) or digests_in(value) or names_file else label


def heading_parts(text: str) -> tuple[str, Said]:
    """A heading, and what it says itself: "Machine: Tern 8", "saltpanj (Salt Pan), clone of saltpan"."""
    said: Said = (told,) if (told := said_in(text)) else ()
    while len(text) < _LONGEST_HEADING and (match := _RELATED.match(text)):
        if not any(head_points(match["word"], field) == EXACT for field in _RELATIONS):
            break
        text, said = match["before"], ((match["word"], match["value"]), *said)
    return text, said


_LONGEST_HEADING = 200


def _pairs_in(rows: list[Row]) -> Said:
    """What a table of two columns says of the table below it, a word and its value a row; nothing if it is no such."""
    if len(rows) < _FEWEST or any(len(row.cells) != 2 or any(map(digests_in, row.cells)) for row in rows):
        return ()
    said = tuple(filter(None, (said_in(": ".join(row.cells)) for row in rows)))
    known = sum(any(head_points(row.cells[0], field) == EXACT for field in _OF_ALL) for row in rows)
    return said if known > len(rows) / 2 else ()


_FEWEST = 2


def tables_of(rows: Iterable[Row], is_data: IsData = is_datum) -> Iterator[tuple[Head, list[str]]]:
    """Every row of every table, with the head of its table as it is there; a table begins with an empty row. What
    `is_data` is in no head."""
    finder = _Finder(is_data)
    for row in rows:
        yield from finder.take(row)
    yield from finder.settle()


IsData = Callable[[str], object]
"""Tells the values of a table from what can be in its head."""


class _Finder:
    """Takes row after row; until it knows where the head is they wait."""

    def __init__(self, is_data: IsData) -> None:
        self._is_data = is_data
        self._waiting: list[Row] = []
        self._head: Head | None = None
        self._grid = 0
        self._tables = 0
        self._gap = False
        self._turned: list[Row] = []
        self._has_rows = False
        self._pairs: Said = ()

    def take(self, row: Row) -> Iterator[tuple[Head, list[str]]]:
        """What is known for sure after one more row."""
        check_row(row)
        if row.grid != self._grid:
            yield from self.settle()
            self._head, self._grid = None, row.grid
        if not row.words:
            self._gap = True
            return
        if self._turned or (self._head is None and not self._waiting and _names_columns(row)):
            self._turned.append(row)  # its columns may be the records
            if len(self._turned) <= MOST_TURNED:
                return
            yield from self._turn()
            return
        yield from self._take(row)

    def _turn(self) -> Iterator[tuple[Head, list[str]]]:
        """The rows that wait since their columns may be the records: turned if they are, else as they are there."""
        waiting, self._turned = self._turned, []
        heads = [row.cells[0] for row in waiting[1:]]
        if len(waiting) <= MOST_TURNED and any(map(_is_head_of_digests, heads)):
            waiting = _turned(waiting)
        for row in waiting:
            yield from self._take(row)

    def _take(self, row: Row) -> Iterator[tuple[Head, list[str]]]:
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
            self._head = self._head.with_line(row.words[0], after_rows=self._has_rows)
            self._head = self._head._replace(said=row.said or self._head.said)
            self._has_rows = False
        elif not self._is_again(row) and not _sums_up(row):
            _refuse_more(row, self._head)
            self._has_rows = True
            yield self._head, _fitted(row.cells, self._head)

    def settle(self) -> Iterator[tuple[Head, list[str]]]:
        """Decide where the head is among the rows that wait."""
        yield from self._turn()
        waiting, self._waiting = self._waiting, []
        if not waiting:
            return
        at, depth = _find_head(waiting, self._is_data)
        above = NOTHING_ABOVE._replace(heading=waiting[0].heading, said=(*waiting[0].said, *self._pairs))
        self._pairs = _pairs_in(waiting)
        if self._pairs:
            return
        for row in waiting[: max(at, 0)]:
            above = above.with_line(row.words[0], after_rows=False) if len(row.words) == 1 else above
        lines = waiting[at : at + depth] if depth and waiting[0].line else waiting
        width = max(len(row.cells) for row in lines)
        names = _names(waiting[at : at + depth], width)
        self._tables += 1
        self._head = above._replace(number=self._tables, names=names)
        yield self._head, []
        for row in waiting[at + depth :]:
            yield from self._take(row)

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
    raise GribbleError(what, fix="Remove the parts that are not a list.")


MOST_TURNED = 12
"""A table has so few rows if its columns are the records."""


def _names_columns(row: Row) -> bool:
    """Whether a row names files, a column each, behind nothing or a word for that."""
    first, *others = row.cells or [""]
    return bool(others) and all(map(is_file_name, others)) and (is_blank(first) or head_points(first, "name") == 3)


def _is_head_of_digests(word: str) -> bool:
    return any(head_points(word, field) for field in (*HEX_LENGTHS, "checked"))


def _turned(rows: list[Row]) -> list[Row]:
    """A table with its columns as rows, which have the names of files under the name of what they are."""
    width = max(len(row.cells) for row in rows)
    full = [row.cells + [""] * (width - len(row.cells)) for row in rows]
    if is_blank(full[0][0]):
        full[0][0] = "File"
    return [rows[0]._replace(cells=list(cells), is_head=not at) for at, cells in enumerate(zip(*full, strict=True))]


def _could_be_head(row: Row) -> bool:
    return len(row.words) >= 2 and not any(map(is_datum, row.cells)) and not any(map(is_blank, row.cells))


def _is_title(row: Row, head: Head) -> bool:
    return len(row.words) == 1 and len(head.names) > 1 and not is_datum(row.words[0]) and not is_file_name(row.words[0])


def _sums_up(row: Row) -> bool:
    """Whether a row says what all above it come to."""
    return has_word(row.words[0], "total") and not any(map(digests_in, row.cells)) and not is_file_name(row.words[0])


def _find_head(rows: list[Row], is_data: IsData) -> tuple[int, int]:
    """Where the head begins, and how many rows it has: none if the first row is data already."""
    marked = [place for place, row in enumerate(rows) if row.is_head and len(row.words) > 1]
    first = marked[0] if marked else next((n for n, row in enumerate(rows) if _may_head(row, is_data)), None)
    data = next((n for n, row in enumerate(rows) if any(map(is_data, row.cells))), len(rows))
    if first is None or first > data:
        return next((n for n, row in enumerate(rows) if len(row.words) > 1), data), 0
    depth = 1
    while first + depth < len(rows) and _goes_on(rows, first + depth, first, is_data):
        depth += 1
    return first, depth


def _may_head(row: Row, is_data: IsData) -> bool:
    return len(row.words) >= 2 and not any(map(is_data, row.cells))


def _goes_on(rows: list[Row], place: int, first: int, is_data: IsData) -> bool:
    """Whether a head goes on in the next row: marked so, or below cells that span several columns."""
    row, above = rows[place], rows[first]
    if len(row.words) == 1:
        return False
    if row.is_head and above.is_head:
        return True
    spans = len(above.words) < sum(bool(cell.strip()) for cell in above.cells) or not all(map(str.strip, above.cells))
    more = sum(bool(cell.strip()) for cell in row.cells)
    return spans and not above.is_head and place == first + 1 and _may_head(row, is_data) and more > len(above.words)


def _names(rows: list[Row], width: int) -> tuple[str, ...]:
    """The columns' names: what is in the head above each, once."""
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


MOST_SPAN = 1000
"""No cell spans more rows or columns (HTML Standard, "Tables")."""

_HEADINGS = ("h1", "h2", "h3", "h4", "h5", "h6", "summary")
_GONE = ("script", "style", "template", "noscript", "tfoot", "sup", "del", "s", "strike")
_BREAKS = ("br", "p", "li", "div")


def page_rows(text: str, path: Path) -> Iterator[Row]:
    """The title of a page, as the heading of an empty row, and the rows of its tables, cells that span several repeated
    in each; what is hidden, in a foot or a footnote mark falls away. Source: HTML Standard, "Forming a table".

    Raises GribbleError."""
    head, has_rows, budget = NOTHING_ABOVE, False, _budget(path)
    tree = _tree(text)
    yield Row([], 0, _title(tree))
    for element in tree.iter(*_HEADINGS, *_ENTRIES, "p", "table"):
        if element.tag == "table":
            caption = next((one for one in element if one.tag == "caption"), None)
            above = head if caption is None else head.with_line(_words(caption), after_rows=False)
            head, has_rows = head._replace(number=head.number + 1), True
            for cells, is_head in _grid(element):
                yield _taken(Row(cells, head.number, above.heading, is_head, said=above.said), budget)
        elif not any(above.tag == "table" for above in element.iterancestors()):
            if element.tag in _HEADINGS:
                head, has_rows = head.below(_words(element)), False
            for line in filter(said_in, () if element.tag in _HEADINGS else _lines_in(element)):
                head, has_rows = head.with_line(line, after_rows=has_rows), False


_ENTRIES = ("li", "dt")


def page_lines(text: str) -> Iterator[Line]:
    """The lines of a page: the entries of its lists, each as deep as it lies, what is said of them, and headings."""
    for element in _tree(text).iter(*_HEADINGS, *_ENTRIES, "dd", "p", "pre", "td"):
        lists = sum(above.tag in ("ul", "ol", "dl") for above in element.iterancestors())
        depth = 2 * lists + (element.tag == "dd")
        if element.tag == "pre":
            yield from (Line(depth, line.strip()) for line in "".join(element.itertext()).splitlines() if line.strip())
            continue
        for number, line in enumerate(_lines_in(element)):
            first = number == 0
            yield Line(depth + (not first), line, first and element.tag in _ENTRIES, element.tag in _HEADINGS)


def _lines_in(element: Any) -> list[str]:
    """What an element says without the lists and blocks in it; a term and what is told of it, if that is said of more
    than it, are one line."""
    lines = _own_lines(element)
    if element.tag == "dd" and (term := element.getprevious()) is not None and term.tag == "dt":
        return [line for line in lines if not said_in(f"{_words(term)}: {line}")]
    if element.tag == "dt" and (told := element.getnext()) is not None and told.tag == "dd":
        lines = [line if said_in(line := f"{one}: {_words(told)}") else one for one in lines]
    return lines


def _own_lines(element: Any) -> list[str]:
    """What an element says without the lists and blocks in it, a line for each `br`."""
    words: list[str] = []
    _gather(element, words, _OF_THEIR_OWN)
    return [line for line in (" ".join(line.split()) for line in "".join(words).split("\n")) if line]


_OF_THEIR_OWN = ("table", "ul", "ol", "dl", "p", "pre", "dd", "dt", "li")


def _budget(path: Path) -> Budget:
    return Budget(TABLES, lambda words: GribbleError(f"{path} {words}", fix="Save the table as CSV."))


def _taken(row: Row, budget: Budget) -> Row:
    """A row, once it is known to be one that a list has. Raises GribbleError."""
    check_row(row)
    budget.count(len(row.cells))
    budget.take(sum(map(len, row.cells)))
    return row


def _title(tree: Any) -> str:
    """The first heading of a page, else its title."""
    found = next(tree.iter("h1"), None)
    found = found if found is not None else next(tree.iter("title"), None)
    return _words(found) if found is not None else ""


def _tree(text: str) -> Any:
    """A page without what nobody sees; nesting deeper than browsers follow is cut off by the parser."""
    from lxml import etree, html

    parser = html.HTMLParser(encoding="utf-8", remove_comments=True, remove_pis=True)
    try:
        tree = html.document_fromstring(text.encode("utf-8", "replace"), parser=parser)
    except (etree.ParserError, etree.XMLSyntaxError):  # nothing in it
        return html.Element("html")
    for element in tree.iter():
        hidden = "display:none" in (element.get("style") or "").replace(" ", "").lower()
        if (hidden or "hidden" in element.attrib) and element is not tree:
            element.tag = _GONE[0]
    etree.strip_elements(tree, *_GONE, with_tail=False)
    return tree


def _words(element: Any) -> str:
    return " ".join("".join(element.itertext()).split())


def _grid(table: Any) -> Iterator[tuple[list[str], bool]]:
    """The rows of one table, without those of tables within."""
    open_cells: dict[int, tuple[int, str]] = {}  # column: rows that are left, text
    for line in _lines(table):
        cells: list[str] = []
        own = [cell for cell in line if cell.tag in ("td", "th")]
        queue = [(_text(cell), _span(cell, "colspan"), _span(cell, "rowspan")) for cell in reversed(own)]
        end = max(open_cells, default=-1)
        while queue or len(cells) <= end:
            column = len(cells)
            if column > TABLE_COLUMNS:
                break  # no list has such a row, which whoever takes it will say
            if column in open_cells:
                left, text = open_cells.pop(column)
                cells.append(text)
                if left > 1:
                    open_cells[column] = (left - 1, text)
            elif queue:
                text, across, down = queue.pop()
                for place in range(column, column + across):
                    cells.append(text)
                    if down > 1:
                        open_cells[place] = (down - 1, text)
            else:
                cells.append("")
        yield cells, bool(own) and all(cell.tag == "th" for cell in own)


def _lines(table: Any) -> Iterator[Any]:
    for child in table:
        if child.tag == "tr":
            yield child
        elif child.tag in ("thead", "tbody"):
            yield from (line for line in child if line.tag == "tr")


def _span(cell: Any, name: str) -> int:
    value = (cell.get(name) or "1").strip()
    return max(1, min(int(value), MOST_SPAN)) if value.isascii() and value.isdigit() and len(value) < 9 else 1


def _text(cell: Any) -> str:
    """What a cell says: a line for each `br` and block, nothing of tables within."""
    words: list[str] = []
    _gather(cell, words)
    lines = (" ".join(line.split()) for line in "".join(words).split("\n"))
    shown = without_marks("\n".join(line for line in lines if line))
    whole, begins = " ".join((cell.get("title") or "").split()), shown.rstrip("….")
    return whole if begins != shown and whole.startswith(begins) else shown  # a long one is often cut short


def _gather(element: Any, words: list[str], without: tuple[str, ...] = ("table",)) -> None:
    words.append((element.text or "").replace("\n", " "))
    for child in element:
        if child.tag in _BREAKS:
            words.append("\n")
        if child.tag not in without:
            _gather(child, words, without)
        words.append((child.tail or "").replace("\n", " "))


def book_rows(path: Path) -> Iterator[Row]:
    """The rows of a workbook's sheets (xlsx, xls, ods). Raises GribbleError."""
    python_calamine = package("python_calamine", "reading a workbook")
    budget = _budget(path)
    if zipfile.is_zipfile(path):
        with zipfile.ZipFile(path) as packed:
            if sum(one.file_size for one in packed.infolist()) > BOOK_BYTES:
                raise GribbleError(
                    f"{path} unpacks to more than {size_words(BOOK_BYTES)}; a list never does",
                    fix="Save the sheet as CSV.",
                )
    try:
        with python_calamine.load_workbook(str(path)) as book:
            for number, name in enumerate(book.sheet_names, start=1):
                for cells in book.get_sheet_by_name(name).iter_rows():
                    yield _taken(Row([_shown(cell) for cell in cells], number, name), budget)
    except (python_calamine.CalamineError, OSError) as error:
        raise GribbleError(f"{path} is not a workbook that Gribble can read: {error}", fix="Save it as CSV.") from error


def _shown(cell: Any) -> str:
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    if isinstance(cell, (datetime.datetime, datetime.date)):
        return cell.isoformat()
    return str(cell)
