"""Lists that are read piece by piece: CSV and TSV (RFC 4180), JSON Lines, and XML 1.0, of which no more than one record
is held, entities are refused, and nothing outside the file is ever read. JSON (RFC 8259) is read whole.
"""

from __future__ import annotations

import csv
import json
import tomllib
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NoReturn
from xml.parsers import expat

from gribble.core.base.budget import JSON_BYTES, JSON_VALUES, TOML_BYTES, XML_DEPTH
from gribble.core.base.errors import GribbleError, json_fault, toml_fault
from gribble.core.base.regular import open_regular, open_text, read_text
from gribble.core.catalogue.importing.fieldmap import row_keys
from gribble.core.catalogue.importing.nodes import Advance, Node
from gribble.core.catalogue.importing.tables import Row
from gribble.core.catalogue.importing.values import is_file_name
from gribble.core.files.settingsfile import yaml_reader
from gribble.core.records.imported import FieldMap


def csv_rows(path: Path, encoding: str, delimiter: str, advance: Advance) -> Iterator[Row]:
    """The rows of CSV or TSV. Raises GribbleError if its quoting is broken."""
    with open_text(path, encoding, newline="") as stream:
        rows = csv.reader(stream, delimiter=delimiter, strict=True)
        try:
            for row in rows:
                advance(sum(map(len, row)) + len(row))
                yield Row(row, line=rows.line_num)
        except csv.Error as error:
            raise GribbleError(f"line {rows.line_num}: {error}", fix="Correct the quoting of that line.") from error


def json_node(tag: str, value: Any) -> Node:
    """A JSON value as a node: what is no list and no object is its text."""
    if isinstance(value, list) and value and not any(isinstance(one, (dict, list)) for one in value):
        value = {str(place): one for place, one in enumerate(value, start=1)}  # a row of plain values
    if not isinstance(value, dict):
        node = Node(tag, {})
        node.text = "" if value is None else value if isinstance(value, str) else json.dumps(value)
        return node
    node = Node(tag, {})
    for name, inner in value.items():
        for one in inner if isinstance(inner, list) else _by_file(inner) or [inner]:
            child = json_node(name, one)
            node.children.append(child)
            if not isinstance(one, dict):
                node.attributes[name] = child.text
    return node


def _by_file(inner: Any) -> list[dict[str, Any]]:
    """What is said of each file by its name, as records with the name as their key; empty for anything else."""
    if not (isinstance(inner, dict) and inner and all(map(is_file_name, inner))):
        return []
    return [{"key": name, **_said_of(one)} for name, one in inner.items()]


def _said_of(one: Any) -> dict[str, Any]:
    if isinstance(one, list):
        return {str(place): value for place, value in enumerate(one, start=1)}
    return one if isinstance(one, dict) else {"value": one}


def read_json(path: Path, encoding: str, way: list[str], advance: Advance) -> Iterator[Node]:
    """The records of JSON at a path. Raises GribbleError."""
    yield from _json_records(json_data(path, encoding, advance), way)


def read_yaml(path: Path, encoding: str, way: list[str], advance: Advance) -> Iterator[Node]:
    """The records of YAML at a path. Raises GribbleError."""
    yield from _json_records(yaml_data(path, encoding, advance), way)


def yaml_data(path: Path, encoding: str, advance: Advance) -> Any:
    """All of a YAML file (YAML 1.2), every value a text as it is there: a release is no number, and a digest of
    figures none either. Raises GribbleError."""
    yaml = yaml_reader()
    text, loader = _whole(path, encoding, "YAML"), getattr(yaml, "CBaseLoader", yaml.BaseLoader)
    try:
        for number, event in enumerate(yaml.parse(text, Loader=loader)):
            if number > JSON_VALUES:
                raise _too_many(path, "YAML")
            if isinstance(event, yaml.AliasEvent):  # which could stand for any size
                raise GribbleError(
                    f"{path}, line {event.start_mark.line + 1}: *{event.anchor} refers to another part of the file",
                    fix="Write it out in full; Gribble does not follow such references.",
                )
        data = yaml.load(text, Loader=loader)
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        where = f", line {mark.line + 1}" if mark else ""
        raise GribbleError(
            f"{path}{where}: {getattr(error, 'problem', None) or 'is not YAML'}", fix="Correct the file."
        ) from error
    except RecursionError:
        raise GribbleError(f"{path} is nested too deeply", fix="Turn it into JSON Lines, one record a line.") from None
    advance(path.stat().st_size)
    return data


def toml_data(path: Path, encoding: str, advance: Advance) -> Any:
    """All of a TOML file, numbers with a point as they are there. Raises GribbleError."""
    if path.stat().st_size > TOML_BYTES:
        raise GribbleError(
            f"{path} is larger than {TOML_BYTES >> 20} MiB, and TOML can only be read as a whole",
            fix="Turn it into JSON Lines, one record a line.",
        )
    try:
        text = read_text(path, TOML_BYTES, encoding)
        data = tomllib.loads(text, parse_float=str)
    except tomllib.TOMLDecodeError as error:
        fault = toml_fault(error, text)
        raise GribbleError(f"{path}, line {fault.line}: {fault}", fix="Correct the file.") from error
    except RecursionError:
        raise GribbleError(f"{path} is nested too deeply", fix="Turn it into JSON Lines, one record a line.") from None
    advance(path.stat().st_size)
    return data


def read_toml(path: Path, encoding: str, way: list[str], advance: Advance) -> Iterator[Node]:
    """The records of TOML at a path. Raises GribbleError."""
    yield from _json_records(toml_data(path, encoding, advance), way)


def _whole(path: Path, encoding: str, what: str) -> str:
    if path.stat().st_size > JSON_BYTES:
        raise GribbleError(
            f"{path} is larger than {JSON_BYTES >> 20} MiB, and {what} can only be read as a whole",
            fix="Turn it into JSON Lines, one record a line.",
        )
    return read_text(path, JSON_BYTES, encoding)


def _too_many(path: Path, what: str) -> GribbleError:
    return GribbleError(
        f"{path} has more than {JSON_VALUES:,} values, and {what} can only be read as a whole",
        fix="Turn it into JSON Lines, one record a line.",
    )


def json_data(path: Path, encoding: str, advance: Advance) -> Any:
    """All of a JSON file. Raises GribbleError."""
    try:
        text = _whole(path, encoding, "JSON")
        if sum(map(text.count, ",[{")) > JSON_VALUES:
            raise _too_many(path, "JSON")
        data = json.loads(text)
    except json.JSONDecodeError as error:
        raise GribbleError(
            f"{path}, line {error.lineno}: is not JSON: {json_fault(error)}", fix="Correct the file."
        ) from error
    except RecursionError:
        raise GribbleError(f"{path} is nested too deeply", fix="Turn it into JSON Lines, one record a line.") from None
    advance(path.stat().st_size)
    return data


def _json_records(data: Any, way: list[str], above: dict[str, str] | None = None) -> Iterator[Node]:
    """The records at a path, with what they are in says under `^`; an object whose values are records gives its keys as
    `@key`."""
    above = above or {}
    if isinstance(data, list):
        for one in data:
            yield from _json_records(one, way, above)
    elif way and isinstance(data, dict):
        above = {**above, **{f"^{key}": str(one) for key, one in data.items() if isinstance(one, (str, int, float))}}
        if way[0] == "*":
            for key, one in data.items():
                for node in _json_records(one, way[1:], above):
                    node.attributes["key"] = key
                    yield node
        elif way[0] in data:
            yield from _json_records(data[way[0]], way[1:], above)
    elif not way:
        for one in _by_file(data) or [data]:
            node = json_node("", one)
            node.attributes.update(above)
            yield node


def read_jsonl(path: Path, encoding: str, way: list[str], advance: Advance) -> Iterator[Node]:
    """The records of JSON Lines at a path in each line. Raises GribbleError."""
    with open_text(path, encoding) as stream:
        for number, line in enumerate(stream, start=1):
            advance(len(line))
            if not line.strip():
                continue
            try:
                data = json.loads(line)
            except (json.JSONDecodeError, RecursionError) as error:
                why = f"is not JSON: {json_fault(error)}"
                raise GribbleError(f"{path}, line {number}: {why}", fix="Correct the line.") from error
            yield from _json_records(data, way)


WHOLE_RECORDS = 100
"""So many records are read whole, whatever of them is wanted, so that what is left over can be told."""

SAMPLE_BYTES = 2 << 20
"""So much of a list is looked at to tell where its records are."""

_CHUNK_BYTES = 1 << 16


class _XmlRecords:
    """Collects the elements at a path below the root as they end."""

    def __init__(
        self, way: list[str], row_tag: str = "", row_keys: tuple[str, ...] = (), *, says_above: bool = False
    ) -> None:
        """With `says_above` a record has the attributes of what it is in, too, under `^`."""
        self._way = way
        self._above: list[dict[str, str]] | None = [] if says_above else None
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

    @property
    def outermost(self) -> Node | None:
        """The record that is open."""
        return self._open[0] if self._open else None

    def _refuse(self, *_: object) -> NoReturn:
        raise GribbleError(
            "it declares entities, and Gribble never reads those", fix="Take the declaration out of the file."
        )

    def _start(self, name: str, attributes: dict[str, str]) -> None:
        if self._open:
            if name == self._row_tag and len(self._open) == 1 and not self._whole:
                self._open[0].rows.append(tuple(map(attributes.get, self._row_keys)))
                self._open.append(self._row)
                return
            if len(self._open) > XML_DEPTH:
                raise GribbleError("a record is nested too deeply", fix="Is this file a list? Check it.")
            node = Node(name, attributes)
            self._open[-1].children.append(node)
            self._open.append(node)
            return
        self._names.append(name)
        if self._above is not None:
            if self._names[1:] == self._way:
                said = {f"^{key}": value for one in self._above for key, value in one.items()}
                attributes = {**said, **attributes}
            self._above.append(attributes)
        if self._names[1:] == self._way:
            self._open.append(Node(name, attributes))
            self.parser.CharacterDataHandler = self._text
        elif len(self.met) < 40:
            path = "/".join(self._names[1:])
            self.met[path] = self.met.get(path, 0) + 1

    def _text(self, text: str) -> None:
        if self._open[-1] is not self._row:
            self._open[-1].text += text

    def _left(self) -> None:
        self._names.pop()
        if self._above is not None:
            self._above.pop()

    def _end(self, _name: str) -> None:
        if not self._open:
            self._left()
            return
        node = self._open.pop()
        if not self._open:
            self._left()
            self.parser.CharacterDataHandler = None
            self.ready.append(node)
            self._whole = max(0, self._whole - 1)


@contextmanager
def _telling(path: Path) -> Iterator[None]:
    """What is wrong with a list, said with its name."""
    try:
        yield
    except expat.ExpatError as error:
        raise GribbleError(
            f"{path}, line {error.lineno}: is not XML: {expat.ErrorString(error.code)}", fix="Correct the file."
        ) from error
    except GribbleError as error:
        raise GribbleError(f"{path}: {error.what}", fix=error.fix) from error


def read_xml(path: Path, made: FieldMap, advance: Advance) -> Iterator[Node]:
    row_tag = made.files.records if made.files else ""
    records = _XmlRecords(
        made.records.split("/") if made.records else [], row_tag, row_keys(made), says_above=made.says_above
    )
    found = False
    with _telling(path), open_regular(path) as stream:
        while chunk := stream.read(_CHUNK_BYTES):
            records.parser.Parse(chunk, False)
            advance(len(chunk))
            if records.ready:
                found = True
                yield from records.ready
                records.ready.clear()
        records.parser.Parse(b"", True)
    yield from records.ready
    if not found and not records.ready:
        paths = ", ".join(path for path in records.met if path) or "nothing below its root"
        raise GribbleError(
            f'{path} has no record at "{made.records}"', fix=f"The path begins below the root; it has: {paths}."
        )


def sample_xml(path: Path) -> Node:
    """The root with what is in it, as far as the first megabytes go. Raises GribbleError and OSError."""
    records = _XmlRecords([])
    root: Node | None = None
    with _telling(path), open_regular(path) as stream:
        left = SAMPLE_BYTES
        while left > 0 and (chunk := stream.read(min(_CHUNK_BYTES, left))):
            records.parser.Parse(chunk, False)
            left -= len(chunk)
            root = root or records.outermost
        if left > 0:
            records.parser.Parse(b"", True)
    found = root or records.outermost or next(iter(records.ready), None)
    if found is None:
        raise GribbleError(f"{path} has nothing in it", fix="Check the path.")
    return found


def words_of(path: Path, attributes: Collection[tuple[str, str]]) -> dict[tuple[str, str], list[str]]:
    """Every value that some attributes have, by tag and name, in all of a list. Raises GribbleError and OSError."""
    found: dict[tuple[str, str], dict[str, None]] = {one: {} for one in attributes}
    tags: dict[str, list[str]] = {}
    for tag, name in attributes:
        tags.setdefault(tag, []).append(name)

    def start(tag: str, said: dict[str, str]) -> None:
        for name in tags.get(tag, ()):
            if (value := said.get(name)) is not None:
                found[tag, name][value] = None

    parser = expat.ParserCreate()
    parser.StartElementHandler = start
    with _telling(path), open_regular(path) as stream:
        parser.ParseFile(stream)
    return {one: list(words) for one, words in found.items()}
