"""Tables of web pages and of workbooks, as grids of text."""

from __future__ import annotations

import datetime
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from gribble.core.base.budget import BOOK_BYTES, TABLE_COLUMNS, TABLES, Budget, size_words
from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.shapes import without_marks
from gribble.core.catalogue.importing.tables import Row, check_row

MOST_SPAN = 1000
"""No cell spans more rows or columns (HTML Standard, "Tables")."""

_HEADINGS = ("h1", "h2", "h3", "h4", "h5", "h6")
_GONE = ("script", "style", "template", "noscript", "tfoot", "sup")
_BREAKS = ("br", "p", "li", "div")


def page_rows(text: str, path: Path) -> Iterator[Row]:
    """The title of a page, as the heading of an empty row, and the rows of its tables, cells that span several repeated
    in each; what is hidden, in a foot or a footnote mark falls away. Source: HTML Standard, "Forming a table".

    Raises GribbleError."""
    heading, number, budget = "", 0, _budget(path)
    tree = _tree(text)
    yield Row([], 0, _title(tree))
    for element in tree.iter(*_HEADINGS, "table"):
        if element.tag != "table":
            if not any(above.tag == "table" for above in element.iterancestors()):
                heading = _words(element)
            continue
        number += 1
        caption = next((one for one in element if one.tag == "caption"), None)
        title = _words(caption) if caption is not None else heading
        for cells, is_head in _grid(element):
            yield _taken(Row(cells, number, title, is_head), budget)


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
    return without_marks("\n".join(line for line in lines if line))


def _gather(element: Any, words: list[str]) -> None:
    words.append((element.text or "").replace("\n", " "))
    for child in element:
        if child.tag in _BREAKS:
            words.append("\n")
        if child.tag != "table":
            _gather(child, words)
        words.append((child.tail or "").replace("\n", " "))


def book_rows(path: Path) -> Iterator[Row]:
    """The rows of a workbook's sheets (xlsx, xls, ods). Raises GribbleError."""
    import python_calamine

    budget = _budget(path)
    if zipfile.is_zipfile(path):
        with zipfile.ZipFile(path) as packed:
            if sum(one.file_size for one in packed.infolist()) > BOOK_BYTES:
                raise GribbleError(
                    f"{path} unpacks to more than {size_words(BOOK_BYTES)}, which no list does",
                    fix="Save the sheet as CSV.",
                )
    try:
        with python_calamine.load_workbook(str(path)) as book:
            for number, name in enumerate(book.sheet_names, start=1):
                for cells in book.get_sheet_by_name(name).iter_rows():
                    yield _taken(Row([_shown(cell) for cell in cells], number, name), budget)
    except (python_calamine.CalamineError, OSError) as error:
        raise GribbleError(f"{path} is no workbook that can be read: {error}", fix="Save it as CSV.") from error


def _shown(cell: Any) -> str:
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    if isinstance(cell, (datetime.datetime, datetime.date)):
        return cell.isoformat()
    return str(cell)
