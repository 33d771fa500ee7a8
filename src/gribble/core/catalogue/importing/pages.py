"""Tables of web pages and of workbooks, as grids of text."""

from __future__ import annotations

import datetime
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.shapes import without_marks
from gribble.core.catalogue.importing.tables import Row

MOST_BOOK_BYTES = 128 << 20
"""A workbook that unpacks to more is not read."""
MOST_SPAN = 1000
"""No cell spans more rows or columns (HTML Standard, "Tables")."""
MOST_CELLS = 4_000_000
"""A page with more cells, counted where they span, is not read."""

_HEADINGS = ("h1", "h2", "h3", "h4", "h5", "h6")
_GONE = ("script", "style", "template", "noscript", "tfoot", "sup")
_BREAKS = ("br", "p", "li", "div")


def page_rows(text: str, path: Path) -> Iterator[Row]:
    """The rows of the tables of a page, cells that span several repeated in each; what is hidden, in a foot or a
    footnote mark falls away. Source: HTML Standard, "Forming a table". Raises GribbleError."""
    heading, number, cells_met = "", 0, 0
    for element in _tree(text).iter(*_HEADINGS, "table"):
        if element.tag != "table":
            if not any(above.tag == "table" for above in element.iterancestors()):
                heading = _words(element)
            continue
        number += 1
        caption = next((one for one in element if one.tag == "caption"), None)
        title = _words(caption) if caption is not None else heading
        for cells, is_head in _grid(element):
            cells_met += len(cells)
            if cells_met > MOST_CELLS:
                raise GribbleError(f"{path} has more than {MOST_CELLS:,} cells", fix="Save the table as CSV.")
            yield Row(cells, number, title, is_head)


def page_title(text: str) -> str:
    """The first heading of a page, else its title."""
    tree = _tree(text)
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
    everything: list[Any] = list(tree.iter())
    for element in everything:
        hidden = "display:none" in (element.get("style") or "").replace(" ", "").lower()
        if (element.tag in _GONE or hidden or "hidden" in element.attrib) and element.getparent() is not None:
            element.drop_tree()
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
        while queue or any(column >= len(cells) for column in open_cells):
            column = len(cells)
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

    if zipfile.is_zipfile(path):
        with zipfile.ZipFile(path) as packed:
            if sum(one.file_size for one in packed.infolist()) > MOST_BOOK_BYTES:
                raise GribbleError(
                    f"{path} unpacks to more than {MOST_BOOK_BYTES >> 20} MiB, which no list does",
                    fix="Save the sheet as CSV.",
                )
    try:
        with python_calamine.load_workbook(str(path)) as book:
            for number, name in enumerate(book.sheet_names, start=1):
                for cells in book.get_sheet_by_name(name).to_python(skip_empty_area=False):
                    yield Row([_shown(cell) for cell in cells], number, name)
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
