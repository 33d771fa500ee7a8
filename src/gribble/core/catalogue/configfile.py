"""Changes to the text of a gribble.toml: what is not meant stays as it was, comments too."""

from __future__ import annotations

import copy
import re
import tomllib
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import tomlkit
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AoT, InlineTable, Table

from gribble.core.base.errors import GribbleError
from gribble.core.base.paths import is_text
from gribble.core.catalogue.writing import quoted

Keys = tuple[str, ...]
"""The keys that lead to a value, outermost first."""
REMOVED: Any = object()
"""In place of a value that is to be taken out."""

_HEADER = re.compile(r"^\s*\[[^\[\]]+\]\s*(#.*)?$")
_PLAIN_KEY = re.compile(r"^[A-Za-z0-9_-]+$")


def changed(text: str, changes: Mapping[Keys, Any]) -> str:
    """The text with some values set or taken out. A table or list of tables is never replaced as a whole.

    Raises GribbleError if the file is written in a way to which that cannot be done, with the lines to write.
    """
    after = tomllib.loads(text)
    windows = "\r\n" in text and text.count("\r\n") == text.count("\n")
    new = text.replace("\r\n", "\n") if windows else text
    for keys, value in changes.items():
        _put(after, keys, value)
    try:
        for keys, value in changes.items():
            new = _without(new, keys) if value is REMOVED else _with(new, keys, value)
        right = _alike(tomllib.loads(new)) == _alike(after)
    except (ValueError, TypeError, TOMLKitError):  # what cannot be read back, or not be put there
        right = False
    if not right:
        words = ", ".join(f"{dotted(keys)} {'out' if value is REMOVED else f'= {toml(value)}'}"
                          for keys, value in changes.items())  # fmt: skip
        raise GribbleError(
            "Gribble cannot make this change in gribble.toml by itself",
            fix=f"Nothing was written. Change it yourself: {words}.",
        )
    return new.replace("\n", "\r\n") if windows else new


def toml(value: Any) -> str:
    """A value as TOML, in one line. Raises GribbleError for a path that is not UTF-8."""
    if isinstance(value, dict):
        return f"{{ {', '.join(f'{_key(key)} = {toml(one)}' for key, one in value.items())} }}" if value else "{}"
    if isinstance(value, list | tuple):
        return f"[{', '.join(map(toml, value))}]"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str) and not is_text(value):
        raise GribbleError(
            f"{value} has a name that is not UTF-8, so gribble.toml cannot name it", fix="Give it a plain name first."
        )
    return quoted(value) if isinstance(value, str) else str(value)


def dotted(keys: Keys) -> str:
    """Keys as they are written: `rig.den.at`."""
    return ".".join(map(_key, keys))


def _key(word: str) -> str:
    return word if _PLAIN_KEY.match(word) else quoted(word)


def _alike(tables: dict[str, Any]) -> dict[str, Any]:
    """The same, so that it does not matter whether a rig without emulators has an empty table for them, or a source is
    written as a table."""
    tables = copy.deepcopy(tables)
    for key in ("sources", "catalogues"):
        if isinstance(places := tables.get(key), list):
            tables[key] = [{"at": one} if isinstance(one, str) else one for one in places]
    rigs = tables.setdefault("rig", {})
    for rig in rigs.values() if isinstance(rigs, dict) else ():
        if isinstance(rig, dict):
            rig.setdefault("emulators", {})
    return tables


def _put(tables: dict[str, Any], keys: Keys, value: Any) -> None:
    """The same change to what the text says."""
    for key in keys[:-1]:
        tables = tables.setdefault(key, {})
    if value is REMOVED:
        tables.pop(keys[-1], None)
    else:
        tables[keys[-1]] = list(value) if isinstance(value, tuple) else value


class _Line(NamedTuple):
    """A line, the table that it is in or begins, and the keys that it sets there by itself (none: by no means, or
    together with others)."""

    text: str
    table: Keys
    header: bool = False
    sets: Keys | None = None


def _lines(text: str) -> list[_Line]:
    found: list[_Line] = []
    table: Keys = ()
    for line in text.splitlines(keepends=True):
        if _HEADER.match(line) and (keys := _path(line)):
            table = keys
            found.append(_Line(line, table, header=True))
        elif line.lstrip().startswith("[["):
            table = (line.strip(),)
            found.append(_Line(line, table))
        else:
            found.append(_Line(line, table, sets=_path(line)))
    return found


def _path(line: str) -> Keys | None:
    """The one path of keys that a line of TOML leads down; down to a value, for a line that sets one."""
    try:
        tables: Any = tomllib.loads(line)
    except tomllib.TOMLDecodeError:
        return None
    left = line.partition("=")[0]
    depth = len(re.findall(r'"[^"]*"|\'[^\']*\'|[^.\s]+', left)) if not _HEADER.match(line) else 99
    keys: list[str] = []
    while isinstance(tables, dict) and len(tables) == 1 and len(keys) < depth:
        (key,) = tables
        keys.append(key)
        tables = tables[key]
    return tuple(keys) or None


def _with(text: str, keys: Keys, value: Any) -> str:
    """The text with one value set: in place where there is one, else in a line of its own."""
    document: Any = tomlkit.parse(text)
    at, depth = document, 0
    while depth < len(keys) - 1 and isinstance(at, dict) and keys[depth] in at:
        at, depth = at[keys[depth]], depth + 1
    if depth == len(keys) - 1 and isinstance(at, dict) and keys[-1] in at:
        if isinstance(at[keys[-1]], AoT):
            return _with_tables(text, keys[-1], at[keys[-1]], value)
        return _replaced(document, at, keys[-1], value)
    inline = isinstance(document.get("rig"), InlineTable)
    if keys[:1] == ("rig",) and len(keys) == 2 and isinstance(value, dict) and not inline:
        return _with_rig(text, keys, value)
    if inserted := _inserted(text, keys, value):
        return inserted
    if len(keys) == 1:  # it must are above all tables
        return f"{dotted(keys)} = {toml(value)}\n{text}"
    if isinstance(at, dict):
        for key in keys[depth:-1]:
            at = at.setdefault(key, {})
        at[keys[-1]] = _item(value)
    return str(tomlkit.dumps(document))


def _replaced(document: Any, at: Any, key: str, value: Any) -> str:
    now = at[key]
    if isinstance(now, list) and isinstance(value, list | tuple):
        _replace_in_list(now, value)
    elif isinstance(now, Table) and isinstance(value, dict):
        for word in [word for word in now if word not in value]:
            del now[word]
        for word, one in value.items():
            if now.get(word) != one:
                now[word] = _item(one)
    else:
        at[key] = _item(value)
    return str(tomlkit.dumps(document))


def _replace_in_list(now: Any, value: Sequence[Any]) -> None:
    """Take out and append what differs; what stays stays as it is written."""
    for number in reversed(range(len(now))):
        if now[number] not in value:
            del now[number]
    for one in value:
        if one not in now:
            now.append(_item(one))


def _with_tables(text: str, key: str, now: list[Any], value: list[Any]) -> str:
    """The text with other sources, where each has a table: those that are gone left out, new ones at the end."""
    gone = {number for number, one in enumerate(now) if one not in value}
    kept: list[str] = []
    number, within = -1, False
    for line in _lines(text):
        if line.header or line.text.lstrip().startswith("[["):
            own = line.table == (f"[[{key}]]",)
            number += own
            within = own and number in gone
            if within:
                _drop_blank(kept)
        if not (within and _holds(line)):
            kept.append(line.text)
    left = "".join(kept)
    more = "".join(f"\n[[{key}]]\nat = {toml(one)}\n" for one in value if isinstance(one, str))
    return f"{left if left.endswith(chr(10)) else left + chr(10)}{more}"


def _drop_blank(kept: list[str]) -> None:
    """Take back the blank line that set off what is left out now."""
    if kept and not kept[-1].strip():
        kept.pop()


def _item(value: Any) -> Any:
    return tomlkit.value(toml(value))


def _with_rig(text: str, keys: Keys, value: dict[str, Any]) -> str:
    """A table for a new rig at the end."""
    lines = [f"[{dotted(keys)}]", *(f"{_key(key)} = {toml(one)}" for key, one in value.items() if key != "emulators")]
    lines += ["", f"[{dotted((*keys, 'emulators'))}]"]
    lines += [f"{_key(name)} = {toml(one)}" for name, one in value.get("emulators", {}).items()]
    before = text if text.endswith("\n") or not text else f"{text}\n"
    return f"{before}\n" + "\n".join(lines) + "\n"


def _inserted(text: str, keys: Keys, value: Any) -> str:
    """The text with a line more behind the last value of the innermost table that it has for the keys; empty if it
    has none with a header of its own."""
    lines = _lines(text)
    for depth in range(len(keys) - 1, 0, -1):
        within = [number for number, line in enumerate(lines) if line.table == keys[:depth]]
        if not any(lines[number].header for number in within):
            continue
        last = max(number for number in within if lines[number].header or _holds(lines[number]))
        if not lines[last].text.endswith("\n"):
            lines[last] = lines[last]._replace(text=lines[last].text + "\n")
        new = _Line(f"{dotted(keys[depth:])} = {toml(value)}\n", keys[:depth])
        return "".join(line.text for line in (*lines[: last + 1], new, *lines[last + 1 :]))
    return ""


def _holds(line: _Line) -> bool:
    """Whether a line has more than a comment."""
    return bool(line.text.strip()) and not line.text.lstrip().startswith("#")


def _without(text: str, keys: Keys) -> str:
    """The text without a value, or without a table and those in it; comments stay."""
    kept: list[str] = []
    gone = False
    for line in _lines(text):
        own = line.table[: len(keys)] == keys
        if own and line.header:
            _drop_blank(kept)
            gone = True
        elif (own and _holds(line)) or (line.sets is not None and (*line.table, *line.sets) == keys):
            gone = True
        else:
            kept.append(line.text)
    if gone:
        return "".join(kept)
    document: Any = tomlkit.parse(text)
    at = document
    for key in keys[:-1]:
        at = at.get(key, {})
    if keys[-1] in at:
        del at[keys[-1]]
    return str(tomlkit.dumps(document))
