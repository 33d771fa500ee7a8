"""Reading lists record by record, whatever their format."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

from gribble.core.base.budget import LIST_BYTES
from gribble.core.base.errors import GribbleError, reason_of
from gribble.core.base.regular import read_text
from gribble.core.catalogue.importing.apart import read_apart, rows_apart
from gribble.core.catalogue.importing.nodes import HEADING, SECTION, Advance, Node, flat
from gribble.core.catalogue.importing.plaintext import aligned_rows, key_rows, pipe_rows
from gribble.core.catalogue.importing.sniffing import looks_like
from gribble.core.catalogue.importing.streams import csv_rows, read_json, read_jsonl
from gribble.core.catalogue.importing.tables import Head, Row, tables_of
from gribble.core.catalogue.sheets import read_checksums
from gribble.core.records.imported import FieldMap, ListFormat, Looks

TABULAR = frozenset({
    ListFormat.CSV, ListFormat.TSV, ListFormat.HTML, ListFormat.MARKDOWN, ListFormat.TEXT, ListFormat.WORKBOOK,
})  # fmt: skip
"""The formats that have tables."""


def read_list(path: Path, made: FieldMap, advance: Callable[[int], None] | None = None) -> Iterator[Node]:
    """The records of a list; `advance` is told of bytes read. Raises GribbleError where it cannot be read on."""
    told = advance or (lambda _bytes: None)
    try:
        looks = looks_like(path, encoding=made.encoding, format_=made.format, delimiter=made.delimiter)
        if looks.format in TABULAR:
            yield from _table_nodes(path, made, table_rows(path, looks, told))
        elif looks.format is ListFormat.XML:
            yield from read_apart(path, made, told)
        elif looks.format is ListFormat.KEYS:
            yield from (node for node in key_nodes(path, looks, told) if SECTION in node.attributes)
        elif looks.format is ListFormat.CHECKSUMS:
            yield from _checksum_nodes(path)
        else:
            way = made.records.split("/") if made.records else []
            reader = read_jsonl if looks.format is ListFormat.JSONL else read_json
            yield from reader(path, looks.encoding, way, told)
    except RecursionError:
        raise GribbleError(f"{path} is nested too deeply", fix="Turn it into JSON Lines, one record a line.") from None
    except OSError as error:
        raise GribbleError(f"{path} cannot be read: {reason_of(error)}", fix="Check the path.") from error
    except UnicodeDecodeError as error:
        raise GribbleError(
            f"{path} is not {looks.encoding} text (byte {error.start:,})",
            fix='Say the right one in the map, for example encoding = "cp1252".',
        ) from error


def table_rows(path: Path, looks: Looks, advance: Advance) -> Iterator[tuple[Head, list[str]]]:
    """Every row of the tables in a list, with the head of its table; each begins with an empty row. Raises
    GribbleError, OSError, UnicodeDecodeError."""
    rows: Iterable[Row]
    if looks.format is ListFormat.WORKBOOK:
        rows = rows_apart(path, looks.format)
    elif looks.format in (ListFormat.CSV, ListFormat.TSV):
        rows = csv_rows(path, looks.encoding, looks.delimiter, advance)
    elif looks.format is ListFormat.HTML:
        rows = (row for row in page_rows(path, looks, advance) if row.grid)
    else:
        text = whole_text(path, looks, advance)
        rows = pipe_rows(text) if looks.format is ListFormat.MARKDOWN else aligned_rows(text)
    try:
        yield from tables_of(rows)
    except GribbleError as error:
        raise (error if str(path) in error.what else GribbleError(f"{path}, {error.what}", fix=error.fix)) from error


def page_rows(path: Path, looks: Looks, advance: Advance) -> Iterator[Row]:
    """The rows of a page, with its title as the heading of an empty one before them. Raises GribbleError, OSError,
    UnicodeDecodeError."""
    whole_text(path, looks, advance)  # what is wrong with it as a text is told here
    return rows_apart(path, ListFormat.HTML, looks.encoding)


def whole_text(path: Path, looks: Looks, advance: Advance) -> str:
    """A list's text. Raises GribbleError, OSError, UnicodeDecodeError."""
    size = path.stat().st_size
    if size > LIST_BYTES:
        raise GribbleError(
            f"{path} is larger than {LIST_BYTES >> 20} MiB, and such a list has to be read whole",
            fix="Save the table as CSV.",
        )
    text = read_text(path, LIST_BYTES, looks.encoding)
    advance(size)
    return text


def key_nodes(path: Path, looks: Looks, advance: Advance) -> Iterator[Node]:
    """The records of `key = value`, what belongs to none of them first."""
    for name, values in key_rows(whole_text(path, looks, advance)):
        yield flat({**values, **({SECTION: name} if name else {})})


def _checksum_nodes(path: Path) -> Iterator[Node]:
    files, faults = read_checksums(path)
    if faults:
        raise GribbleError(f"{path}, {faults[0]}", fix="Correct the line; each has a digest and a path.")
    for file in files:
        yield flat({"path": file.name, **file.known()})


def _table_nodes(path: Path, made: FieldMap, rows: Iterator[tuple[Head, list[str]]]) -> Iterator[Node]:
    """The rows of the table that the map numbers, else of the first that has every column the map names, and of all
    with the same head."""
    rules = [rules[0] for rules in made.fields.values()]
    wanted = {rule.from_.removeprefix("@") for rule in rules if rule.default is None} - {HEADING}
    chosen: tuple[str, ...] | None = None
    heads: dict[int, Head] = {}
    for head, cells in rows:
        heads.setdefault(head.number, head)
        fits = head.number == made.table if made.table is not None else wanted <= set(head.names)
        if chosen is None and fits:
            chosen = head.names
        if cells and head.names == chosen and (made.table is None or fits):
            node = flat({**dict(zip(head.names, cells, strict=False))})
            node.attributes.setdefault(HEADING, head.heading)
            yield node
    if chosen is None:
        shown = "; ".join(f"table {one.number}: {', '.join(one.names[:8])}" for one in list(heads.values())[:5])
        raise GribbleError(
            f"{path} has no table with the columns {', '.join(sorted(wanted))}", fix=f"It has: {shown or 'no table'}."
        )
