"""Tables of data as people write them, every mistake told at once; and a guess at what a wrong word was meant to be."""

from __future__ import annotations

import enum
import re
import tomllib
import types
import typing
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

import msgspec
from msgspec import NODEFAULT, Struct

from gribble.core.base.budget import TOML_BYTES, TOML_PARTS
from gribble.core.base.errors import Mistake, reason_of, toml_fault
from gribble.core.base.kinds import MOST_NUMBER
from gribble.core.base.regular import NoTextError, read_regular, text_of
from gribble.core.base.suggest import suggest

T = TypeVar("T", bound=Struct)
_TOKEN = re.compile(r"""[A-Za-z0-9_-]+|"[^"]*"|'[^']*'|[^\s]""")
_PART = re.compile(r"""[A-Za-z0-9_-]+|"[^"]*"|'[^']*'""")


class _Written(float):
    """A number that knows how it is written, for 3.10 is not 3.1 where a release is meant."""

    def __new__(cls, text: str) -> _Written:
        made = super().__new__(cls, text)
        made.text = text
        return made

    text: str


class Mistakes:
    """The mistakes found so far in one file."""

    def __init__(self, file: str) -> None:
        self.file = file
        self.found: list[Mistake] = []

    def add(self, where: str, what: str) -> None:
        """Note one mistake at a key path."""
        self.found.append(Mistake(self.file, where, what))


def read_toml(path: Path, mistakes: Mistakes, text: str | None = None) -> dict[str, Any] | None:
    """The file's tables, or None with a mistake that says why they cannot be read. With a `text`, that is what the file
    is going to say."""
    try:
        text = text_of(read_regular(path, TOML_BYTES)) if text is None else text
        if line := deep_key(text):
            mistakes.add(f"line {line}", f"has a key of more than {TOML_PARTS} parts")
            return None
        return tomllib.loads(text, parse_float=_Written)
    except OSError as error:
        mistakes.add("", f"cannot be read: {reason_of(error)}")
    except NoTextError as error:
        mistakes.add("", str(error))
    except tomllib.TOMLDecodeError as error:
        fault = toml_fault(error, text or "")
        mistakes.add(f"line {fault.line}", str(fault))
    except (RecursionError, ValueError) as error:
        what = "is nested too deeply" if isinstance(error, RecursionError) else f"is not TOML: {error}"
        mistakes.add("", what)
    return None


def deep_key(text: str) -> int:
    """The line in which a dotted key has too many parts (reading it takes memory by their square); 0 for none."""
    for number, line in enumerate(text.splitlines(), start=1):
        if line.count(".") < TOML_PARTS or line.lstrip().startswith("#"):
            continue
        parts = 0
        for token in _TOKEN.findall(line):
            if token == ".":
                parts += 1
                if parts == TOML_PARTS:
                    return number
            elif not _PART.fullmatch(token):
                parts = 0
    return 0


def read_table(kind: type[T], table: object, where: str, mistakes: Mistakes) -> T | None:
    """A record from a table; None, with at least one mistake noted, where it does not fit."""
    if not isinstance(table, dict):
        mistakes.add(where, f"should be a table{_not(table)}")
        return None
    fields = _fields(kind)
    before = len(mistakes.found)
    values: dict[str, object] = {}
    for key, value in table.items():
        path = f"{where}.{key}" if where else str(key)
        if key in fields:
            values[fields[key].name] = _read_value(fields[key].type, value, path, mistakes)
        else:
            mistakes.add(path, f"unknown key{suggest(key, list(fields))}")
    for key, field in fields.items():
        if field.default is NODEFAULT and field.default_factory is NODEFAULT and key not in table:
            mistakes.add(f"{where}.{key}" if where else key, "is missing")
    return kind(**values) if len(mistakes.found) == before else None


MORE = "more_folders"
"""The field for the further folders where one key names several."""


def first_and_more(table: Any) -> Any:
    """A table whose `folders` may name several for a key, as the records have it: the first under the key, the others
    apart."""
    if isinstance(table, dict) and MORE in table:  # which is no key of any file
        return {(MORE.replace("_", " ") if key == MORE else key): value for key, value in table.items()}
    folders = table.get("folders") if isinstance(table, dict) else None
    if not isinstance(folders, dict) or not any(isinstance(one, list) and one for one in folders.values()):
        return table
    first = {key: one[0] if isinstance(one, list) and one else one for key, one in folders.items()}
    more = {key: one[1:] for key, one in folders.items() if isinstance(one, list) and one}
    return {**table, "folders": first, MORE: more}


@cache
def _fields(kind: type[Struct]) -> dict[str, msgspec.structs.FieldInfo]:
    """The fields of a record by their keys; finding them out takes longer than all else that is done with a table."""
    return {field.encode_name: field for field in msgspec.structs.fields(kind)}


def _read_value(kind: Any, value: object, where: str, mistakes: Mistakes) -> object:
    kind = _without_none(kind)
    origin, args = typing.get_origin(kind), typing.get_args(kind)
    if isinstance(kind, type) and issubclass(kind, Struct):
        return read_table(kind, value, where, mistakes)
    if origin is tuple and isinstance(value, list):
        items = [_read_value(args[0], item, f"{where}[{n}]", mistakes) for n, item in enumerate(value)]
        return tuple(items)
    if origin is dict and isinstance(value, dict):
        return {key: _read_value(args[1], item, f"{where}.{key}", mistakes) for key, item in value.items()}
    if type(value) is int and not -MOST_NUMBER <= value <= MOST_NUMBER:
        mistakes.add(where, "is larger than any number in a file can be")
        return None
    try:
        return msgspec.convert(float(value) if isinstance(value, _Written) else value, kind)
    except msgspec.ValidationError:
        if kind is str and not isinstance(value, dict | list):
            mistakes.add(where, put_in_quotes(where, value))
        else:
            mistakes.add(where, f"should be {_say_kind(kind)}{_not(value)}")
        return None


def put_in_quotes(where: str, value: object) -> str:
    """What to write in place of a number, a date or true, where a text is wanted."""
    return f'put the value in quotes: {where.rpartition(".")[2]} = "{_say_value(value)}"'


def _not(value: object) -> str:
    return f", but is {_say_value(value)}"


def _without_none(kind: Any) -> Any:
    if typing.get_origin(kind) in (types.UnionType, typing.Union):
        return next(arg for arg in typing.get_args(kind) if arg is not type(None))
    return kind


def _say_kind(kind: Any) -> str:
    if isinstance(kind, type) and issubclass(kind, enum.Enum):
        return "one of " + ", ".join(f'"{member.value}"' for member in kind)
    if typing.get_origin(kind) is tuple:
        return "a list"
    if typing.get_origin(kind) is dict:
        return "a table"
    return {str: "text in quotes", int: "a whole number", bool: "true or false"}.get(kind, str(kind))


def _say_value(value: object) -> str:
    match value:
        case bool():
            return str(value).lower()
        case str():
            return f'"{value}"' if len(value) <= 40 else "a long text"
        case dict():
            return "a table"
        case list():
            return "a list"
        case _Written():
            return value.text
        case _:
            return str(value)
