"""Tables of web pages and of workbooks, as grids of text."""

from __future__ import annotations

import datetime
import warnings
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.tables import Row

if TYPE_CHECKING:
    from bs4 import Tag

MOST_PAGE_BYTES = 64 << 20
"""A larger page is not read: it is held whole."""
MOST_BOOK_BYTES = 512 << 20
"""A workbook that unpacks to more is not read."""
MOST_SPAN = 1000
"""No cell spans more rows or columns (HTML Standard, "Tables")."""


def page_rows(text: str, path: Path) -> Iterator[Row]:
    """The rows of the tables of a page, cells that span several repeated in each; what is hidden, in a foot or a
    footnote mark falls away. Source: HTML Standard, "Forming a table". Raises GribbleError."""
    from bs4 import BeautifulSoup

    if len(text) > MOST_PAGE_BYTES:
        raise GribbleError(
            f"{path} is larger than {MOST_PAGE_BYTES >> 20} MiB, and a page has to be read whole",
            fix="Save the table as CSV.",
        )
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        soup = BeautifulSoup(text, "html5lib")
    for gone in soup.select("script, style, template, noscript, tfoot, sup, [hidden]"):
        gone.decompose()
    for one in soup.select("[style]"):
        if not one.decomposed and "display:none" in str(one["style"]).replace(" ", "").lower():
            one.decompose()
    for number, table in enumerate(soup.find_all("table"), start=1):
        heading = _heading(table)
        for cells, is_head in _grid(table):
            yield Row(cells, number, heading, is_head)


def page_title(text: str) -> str:
    """The first heading of a page, else its title."""
    from bs4 import BeautifulSoup

    soup = BeautifulSoup(text[:MOST_PAGE_BYTES], "html5lib")
    found = soup.find("h1") or soup.find("title")
    return " ".join(found.get_text(" ").split()) if found else ""


def _heading(table: Tag) -> str:
    caption = table.find("caption")
    found = caption if caption and caption.find_parent("table") is table else None
    above = table.find_previous(["h1", "h2", "h3", "h4", "h5", "h6"])
    if found is None and above is not None and above.find_parent("table") is None:
        before = table.find_previous("table")
        found = above if before is None or above in before.find_all_next(above.name) or above.name != "h1" else None
    return " ".join(found.get_text(" ").split()) if found else ""


def _grid(table: Tag) -> Iterator[tuple[list[str], bool]]:
    """The rows of one table, without those of tables within."""
    open_cells: dict[int, tuple[int, str]] = {}  # column: rows that are left, text
    for line in table.find_all("tr"):
        if line.find_parent("table") is not table:
            continue
        cells: list[str] = []
        own = [cell for cell in line.find_all(["td", "th"]) if cell.find_parent("tr") is line]
        queue = [(_text(cell), _span(cell, "colspan"), _span(cell, "rowspan")) for cell in own]
        while queue or any(column >= len(cells) for column in open_cells):
            column = len(cells)
            if column in open_cells:
                left, text = open_cells.pop(column)
                cells.append(text)
                if left > 1:
                    open_cells[column] = (left - 1, text)
            elif queue:
                text, across, down = queue.pop(0)
                for place in range(column, column + across):
                    cells.append(text)
                    if down > 1:
                        open_cells[place] = (down - 1, text)
            else:
                cells.append("")
        yield cells, bool(own) and all(cell.name == "th" for cell in own)


def _span(cell: Tag, name: str) -> int:
    value = str(cell.get(name, "1")).strip()
    return max(1, min(int(value), MOST_SPAN)) if value.isascii() and value.isdigit() else 1


def _text(cell: Tag) -> str:
    """What a cell says: a line for each `br` and block, nothing of tables within."""
    from bs4 import NavigableString

    words: list[str] = []
    for one in cell.descendants:
        name = getattr(one, "name", None)
        if name in ("br", "p", "li", "div"):
            words.append("\n")
        elif type(one) is NavigableString and one.find_parent("table") is cell.find_parent("table"):
            words.append(" ".join(str(one).split("\n")))
    lines = (" ".join(line.split()) for line in "".join(words).split("\n"))
    return "\n".join(line for line in lines if line)


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
