"""Lists that are read line by line: CSV and TSV (RFC 4180), JSON Lines; and JSON (RFC 8259), which is read whole."""

from __future__ import annotations

import csv
import json
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from gribble.core.base.budget import JSON_BYTES, JSON_VALUES, TOML_BYTES
from gribble.core.base.errors import GribbleError
from gribble.core.base.parsers import json_fault, toml_fault
from gribble.core.base.regular import open_text, read_text
from gribble.core.catalogue.importing.nodes import Advance, Node
from gribble.core.catalogue.importing.tables import Row
from gribble.core.files.settingsfile import yaml_reader


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
    if not isinstance(value, dict):
        node = Node(tag, {})
        node.text = "" if value is None else value if isinstance(value, str) else json.dumps(value)
        return node
    node = Node(tag, {})
    for name, inner in value.items():
        for one in inner if isinstance(inner, list) else [inner]:
            child = json_node(name, one)
            node.children.append(child)
            if not isinstance(one, dict):
                node.attributes[name] = child.text
    return node


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
        node = json_node("", data)
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
