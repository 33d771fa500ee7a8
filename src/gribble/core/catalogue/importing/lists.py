"""Reading lists record by record: CSV, TSV, JSON, JSON Lines, XML and HTML tables.

Every record is a `Node`: its own values by name, and records inside it. XML and HTML are streamed: no more than one
record is held. XML entities are refused, nothing outside the file is ever read. Formats: RFC 4180 (CSV), RFC 8259
(JSON), XML 1.0, HTML tables as browsers read them.
"""

from __future__ import annotations

import csv
import json
from collections.abc import Callable, Iterator
from html.parser import HTMLParser
from pathlib import Path
from typing import Any, NoReturn
from xml.parsers import expat

from gribble.core.base.errors import GribbleError, reason_of
from gribble.core.catalogue.importing.fieldmap import FieldMap, ListFormat

MOST_JSON_BYTES = 256 << 20
"""JSON is read whole, so a larger file is refused (JSON Lines has no limit)."""

WHOLE_RECORDS = 100
"""So many records are read whole, whatever of them is wanted, so that what is left over can be told."""

_CHUNK_BYTES = 1 << 16


class Node:
    """One record, or one inside another: values by name (attributes as `@name`) and inner nodes by name.

    `rows` are inner records of which nothing but some attributes is wanted (`FieldMap.row_keys`): these, and no nodes.
    """

    __slots__ = ("attributes", "children", "rows", "tag", "text")

    def __init__(self, tag: str, attributes: dict[str, Any]) -> None:
        self.tag = tag
        self.attributes = attributes
        self.children: list[Node] = []
        self.rows: list[tuple[str | None, ...]] = []
        self.text = ""

    def values(self, path: str) -> list[str]:
        """Every value at a path: `@name`, `inner`, `inner/@name`; `.` is the node's own text."""
        if "/" not in path and path[0] not in "@.":
            if not self.children and path in self.attributes:  # a column
                return [self.attributes[path]]
            return [child.text.strip() for child in self.children if child.tag == path]
        way, _, last = path.rpartition("/")
        nodes = self.inner(way) if way else [self]
        if last.startswith("@"):
            name = last[1:]
            return [node.attributes[name] for node in nodes if name in node.attributes]
        if last == ".":
            return [node.text.strip() for node in nodes]
        return [child.text.strip() for node in nodes for child in node.children if child.tag == last]

    def inner(self, path: str) -> list[Node]:
        """Every inner node at a path; the node itself at an empty one."""
        if path and "/" not in path:
            return [child for child in self.children if child.tag == path]
        nodes = [self]
        for word in path.split("/") if path else ():
            nodes = [child for node in nodes for child in node.children if child.tag == word]
        return nodes

    def names(self, prefix: str = "") -> Iterator[str]:
        """Every path at which it has a value."""
        mark = "@" if self.tag or self.children else ""  # columns are called by their name alone
        yield from (f"{prefix}{mark}{name}" for name in self.attributes)
        for child in self.children:
            if child.text.strip():
                yield prefix + child.tag
            yield from child.names(f"{prefix}{child.tag}/")


def list_format(path: Path, made: FieldMap) -> ListFormat:
    """The format of a list: as the map says, else by the file's ending. Raises GribbleError."""
    if made.format:
        return made.format
    ending = path.suffix.lower().removeprefix(".")
    known = {
        **{one.value: one for one in ListFormat},
        "htm": ListFormat.HTML,
        "txt": ListFormat.TSV,
        "ndjson": ListFormat.JSONL,
    }
    if ending not in known:
        raise GribbleError(
            f"{path}: its format cannot be told from its ending", fix='Say it in the map: format = "csv" (or …).'
        )
    return known[ending]


def read_list(path: Path, made: FieldMap, advance: Callable[[int], None] | None = None) -> Iterator[Node]:
    """The records of a list; `advance` is told of bytes read. Raises GribbleError where it cannot be read on."""
    readers = {
        ListFormat.CSV: _read_csv,
        ListFormat.TSV: _read_csv,
        ListFormat.JSON: _read_json,
        ListFormat.JSONL: _read_jsonl,
        ListFormat.XML: _read_xml,
        ListFormat.HTML: _read_html,
    }
    try:
        yield from readers[list_format(path, made)](path, made, advance or (lambda _bytes: None))
    except OSError as error:
        raise GribbleError(f"{path} cannot be read: {reason_of(error)}", fix="Check the path.") from error
    except UnicodeDecodeError as error:
        raise GribbleError(
            f"{path} is not {made.encoding} text (byte {error.start:,})",
            fix='Say the right one in the map, for example encoding = "cp1252".',
        ) from error
    except LookupError as error:
        raise GribbleError(
            f'encoding = "{made.encoding}" is not known', fix='For example: "utf-8", "cp1252".'
        ) from error


Advance = Callable[[int], None]


def _flat(values: dict[str, Any]) -> Node:
    """A node of columns; a column is reached by its name, with or without an @."""
    return Node("", values)


def _read_csv(path: Path, made: FieldMap, advance: Advance) -> Iterator[Node]:
    tabs = list_format(path, made) is ListFormat.TSV
    with path.open(encoding=made.encoding, newline="") as stream:
        head = stream.readline()
        delimiter = made.delimiter or ("\t" if tabs else ";" if head.count(";") > head.count(",") else ",")
        stream.seek(0)
        rows = csv.reader(stream, delimiter=delimiter, strict=True)
        try:
            names = [name.strip() for name in next(rows, [])]
            for row in rows:
                advance(sum(map(len, row)) + len(row))
                if not any(row):
                    continue
                if len(row) > len(names):
                    raise GribbleError(
                        f"{path}, line {rows.line_num}: has {len(row)} columns, but the first line has {len(names)}",
                        fix="Correct the line, or the delimiter in the map.",
                    )
                yield _flat(dict(zip(names, row, strict=False)))
        except csv.Error as error:
            raise GribbleError(
                f"{path}, line {rows.line_num}: {error}", fix="Correct the quoting of that line."
            ) from error


def _node(tag: str, value: Any) -> Node:
    """A JSON value as a node: what is no list and no object is its text."""
    if not isinstance(value, dict):
        node = Node(tag, {})
        node.text = "" if value is None else value if isinstance(value, str) else json.dumps(value)
        return node
    node = Node(tag, {})
    for name, inner in value.items():
        for one in inner if isinstance(inner, list) else [inner]:
            child = _node(name, one)
            node.children.append(child)
            if not isinstance(one, dict):
                node.attributes[name] = child.text
    return node


def _read_json(path: Path, made: FieldMap, advance: Advance) -> Iterator[Node]:
    size = path.stat().st_size
    if size > MOST_JSON_BYTES:
        raise GribbleError(
            f"{path} is larger than {MOST_JSON_BYTES >> 20} MiB, and JSON has to be read whole",
            fix="Turn it into JSON Lines, one record a line.",
        )
    try:
        data = json.loads(path.read_text(encoding=made.encoding))
    except json.JSONDecodeError as error:
        raise GribbleError(f"{path}, line {error.lineno}: {error.msg}", fix="Correct the file.") from error
    except RecursionError:
        raise GribbleError(f"{path} is nested too deeply", fix="Turn it into JSON Lines, one record a line.") from None
    advance(size)
    way = made.records.split("/") if made.records else []
    yield from _json_records(data, way)


def _json_records(data: Any, way: list[str]) -> Iterator[Node]:
    """The records at a path; an object whose values are records gives its keys as `@key`."""
    if isinstance(data, list):
        for one in data:
            yield from _json_records(one, way)
    elif way and isinstance(data, dict):
        if way[0] == "*":
            for key, one in data.items():
                for node in _json_records(one, way[1:]):
                    node.attributes["key"] = key
                    yield node
        elif way[0] in data:
            yield from _json_records(data[way[0]], way[1:])
    elif not way:
        yield _node("", data)


def _read_jsonl(path: Path, made: FieldMap, advance: Advance) -> Iterator[Node]:
    way = made.records.split("/") if made.records else []
    with path.open(encoding=made.encoding) as stream:
        for number, line in enumerate(stream, start=1):
            advance(len(line))
            if not line.strip():
                continue
            try:
                data = json.loads(line)
            except (json.JSONDecodeError, RecursionError) as error:
                raise GribbleError(f"{path}, line {number}: is not JSON: {error}", fix="Correct the line.") from error
            yield from _json_records(data, way)


class _XmlRecords:
    """Collects the elements at a path below the root as they end."""

    def __init__(self, way: list[str], row_tag: str = "", row_keys: tuple[str, ...] = ()) -> None:
        self._way = way
        self._row_tag = row_tag if row_keys else None
        self._row_keys = row_keys
        self._row = Node("", {})  # stands for every row that is open; what text it has is not wanted
        self._whole = WHOLE_RECORDS
        self._names: list[str] = []
        self._open: list[Node] = []
        self.ready: list[Node] = []
        self.met: dict[str, int] = {}
        self.parser = expat.ParserCreate()
        self.parser.buffer_text = True
        self.parser.StartElementHandler = self._start
        self.parser.EndElementHandler = self._end
        self.parser.EntityDeclHandler = self._refuse

    def _refuse(self, *_: object) -> NoReturn:
        raise GribbleError("it declares entities, which are never read", fix="Take the declaration out of the file.")

    def _start(self, name: str, attributes: dict[str, str]) -> None:
        if self._open:
            if name == self._row_tag and len(self._open) == 1 and not self._whole:
                self._open[0].rows.append(tuple(map(attributes.get, self._row_keys)))
                self._open.append(self._row)
                return
            node = Node(name, attributes)
            self._open[-1].children.append(node)
            self._open.append(node)
            return
        self._names.append(name)
        if self._names[1:] == self._way:
            self._open.append(Node(name, attributes))
            self.parser.CharacterDataHandler = self._text
        elif len(self.met) < 40:
            path = "/".join(self._names[1:])
            self.met[path] = self.met.get(path, 0) + 1

    def _text(self, text: str) -> None:
        if self._open[-1] is not self._row:
            self._open[-1].text += text

    def _end(self, _name: str) -> None:
        if not self._open:
            self._names.pop()
            return
        node = self._open.pop()
        if not self._open:
            self._names.pop()
            self.parser.CharacterDataHandler = None
            self.ready.append(node)
            self._whole = max(0, self._whole - 1)


def _read_xml(path: Path, made: FieldMap, advance: Advance) -> Iterator[Node]:
    row_tag = made.files.records if made.files else ""
    records = _XmlRecords(made.records.split("/") if made.records else [], row_tag, made.row_keys)
    found = False
    try:
        with path.open("rb") as stream:
            while chunk := stream.read(_CHUNK_BYTES):
                records.parser.Parse(chunk, False)
                advance(len(chunk))
                if records.ready:
                    found = True
                    yield from records.ready
                    records.ready.clear()
            records.parser.Parse(b"", True)
    except expat.ExpatError as error:
        raise GribbleError(
            f"{path}, line {error.lineno}: is not XML: {expat.ErrorString(error.code)}", fix="Correct the file."
        ) from error
    except GribbleError as error:
        raise GribbleError(f"{path}: {error.what}", fix=error.fix) from error
    yield from records.ready
    if not found and not records.ready:
        paths = ", ".join(path for path in records.met if path) or "nothing below its root"
        raise GribbleError(
            f'{path} has no record at "{made.records}"', fix=f"The path begins below the root; it has: {paths}."
        )


class _HtmlTables(HTMLParser):
    """Collects the rows of the tables of a page, cells as text."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.rows: list[tuple[int, list[str]]] = []
        self._table = 0
        self._depth = 0
        self._row: list[str] | None = None
        self._cell: list[str] | None = None

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:  # noqa: ARG002  (its interface)
        if tag == "table":
            self._depth += 1
            self._table += 1
        elif tag == "tr" and self._depth:
            self._end_row()
            self._row = []
        elif tag in ("td", "th") and self._row is not None:
            self._end_cell()
            self._cell = []

    def handle_endtag(self, tag: str) -> None:
        if tag in ("td", "th"):
            self._end_cell()
        elif tag == "tr":
            self._end_row()
        elif tag == "table" and self._depth:
            self._end_row()
            self._depth -= 1

    def handle_data(self, data: str) -> None:
        if self._cell is not None:
            self._cell.append(data)

    def _end_cell(self) -> None:
        if self._cell is not None and self._row is not None:
            self._row.append(" ".join("".join(self._cell).split()))
        self._cell = None

    def _end_row(self) -> None:
        self._end_cell()
        if self._row:
            self.rows.append((self._table, self._row))
        self._row = None


def _read_html(path: Path, made: FieldMap, advance: Advance) -> Iterator[Node]:
    """The rows of the table that the map numbers (from 1), else of the first whose head has every field it names."""
    wanted = {field.from_.removeprefix("@") for field in made.fields.values() if field.default is None}
    parser, names, chosen = _HtmlTables(), [], 0
    heads: dict[int, list[str]] = {}
    with path.open(encoding=made.encoding) as stream:
        for chunk in iter(lambda: stream.read(_CHUNK_BYTES), ""):
            parser.feed(chunk)
            advance(len(chunk))
            for table, row in parser.rows:
                if table not in heads:
                    heads[table] = row
                    fits = table == made.table if made.table is not None else wanted <= set(row)
                    if fits and not chosen:
                        chosen, names = table, row
                elif table == chosen:
                    yield _flat(dict(zip(names, row, strict=False)))
            parser.rows.clear()
    if not chosen:
        shown = "; ".join(f"table {number}: {', '.join(head[:8])}" for number, head in list(heads.items())[:5])
        raise GribbleError(
            f"{path} has no table with the columns {', '.join(sorted(wanted))}", fix=f"It has: {shown or 'no table'}."
        )
