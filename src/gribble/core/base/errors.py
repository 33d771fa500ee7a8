"""What can go wrong, as facts from which the top of the program makes its message; and what parsers say of a text that
they cannot read, in plain words: where it is, what is wrong, and what to write.
"""

from __future__ import annotations

import os
import re
from enum import IntEnum
from importlib import import_module
from pathlib import Path
from types import ModuleType
from typing import NamedTuple

from msgspec import Struct

from gribble.core.base.suggest import nearest


class ExitCode(IntEnum):
    """Exit status of every command."""

    CLEAN = 0  # all is well
    ATTENTION = 1  # something needs attention
    USAGE = 2  # bad usage, configuration or catalogue
    FAILED = 3  # a step failed, or a rig is away
    INTERRUPTED = 130


class GribbleError(Exception):
    """What stops a command: one sentence on what and where, one on what to do (docs/messages.md lists them all)."""

    def __init__(self, what: str, *, fix: str, code: ExitCode = ExitCode.USAGE) -> None:
        super().__init__(what)
        self.what = what
        self.fix = fix
        self.code = code


class StoreError(Exception):
    """The storage of a rig could not do what was asked; the text says why."""


ALIKE = 0.75
"""How like a wrong name one in the same folder must be to be proposed."""
MOST_COMPARED = 1000
"""Names in a folder that are compared with a wrong one, which takes a moment."""
_LONG = 300
"""A mistake is told in so many characters at most."""


class Mistake(Struct, frozen=True):
    """One mistake in one file: where (key path or line, may be empty) and what."""

    file: str
    where: str
    what: str

    def __str__(self) -> str:
        what = self.what
        if len(what) > _LONG:  # what is wrong is at the end, behind what a file says
            what = f"{what[: _LONG // 2]}…{what[-_LONG // 2 :]}"
        return ": ".join(part for part in (self.file, self.where, what) if part)


class MistakesError(GribbleError):
    """Every mistake of the files that were read, all at once."""

    def __init__(self, mistakes: list[Mistake], fix: str = "") -> None:
        many = f"{len(mistakes):,} mistakes" if len(mistakes) != 1 else "1 mistake"
        files = ", ".join(dict.fromkeys(mistake.file for mistake in mistakes))
        again = "Correct the lines named above, then run the command again."
        super().__init__(f"{many} in {files}", fix=fix or again)
        self.mistakes = mistakes


def no_such(path: object, kind: str = "file or folder", fix: str = "") -> GribbleError:
    """Return the error for a path where nothing is, with a name that is nearly the same in the same folder."""
    place = Path(str(path))
    try:
        names = os.listdir(place.parent)
    except OSError:
        names = []
    near = nearest(place.name, names, ALIKE) if len(names) <= MOST_COMPARED else ""
    meant = f"; did you mean '{place.with_name(near)}'?" if near else ""
    return GribbleError(f"there is no {kind} called {path}{meant}", fix=fix or "Check the name.")


def unreadable(path: object, error: OSError, fix: str = "") -> GribbleError:
    """Return the error for a path that cannot be read: that nothing is there, or the reason."""
    if isinstance(error, FileNotFoundError):
        return no_such(path, fix=fix)
    return GribbleError(f"{path} cannot be read: {reason_of(error)}", fix=fix or "Check its permissions.")


def package(name: str, use: str) -> ModuleType:
    """Return a Python package that Gribble does without where a system has no wheel of it. Raises GribbleError."""
    try:
        return import_module(name)
    except ImportError:
        called = name.replace("_", "-")
        raise GribbleError(
            f"{use} needs the Python package {called}, which is not installed",
            fix=f"Where Gribble is installed, run pip install {called}",
        ) from None


def reason_of(error: OSError) -> str:
    """The operating system's reason in a few words, without errno or path."""
    words = error.strerror or str(error) or type(error).__name__
    return words[:1].lower() + words[1:]


WRITE_SLASHES = "write C:/roms or 'C:\\roms'"
"""How a path of Windows is written in a file of ours."""
MOST_SHOWN = 60
"""Characters of a line that are shown."""
_SETTING = re.compile(r"""\s*([\w."'-]+)\s*=\s*([^"'\[{#\s][^"'\[{#]*?)\s*(?:#.*)?""")
_PLACE = re.compile(r" \(at (?:line (\d+), column (\d+)|end of document)\)$")
_TWICE = "is there twice. Delete one of the two"


class Fault(NamedTuple):
    """What is wrong in a TOML text: the number of the line, the line as it is shown, and what is wrong there."""

    line: int
    shown: str
    words: str

    def __str__(self) -> str:
        return f"`{self.shown}` is not TOML: {self.words}"


_TOML = {
    r"Unescaped '\\'|Invalid hex value|Escaped character":
        f"in double quotes a backslash begins an escape: {WRITE_SLASHES}",
    r"Illegal character '\\[nr]|Unterminated string|Expected \"'|Expected '\"": "the closing quote is missing",
    r"(?:Illegal|Found invalid) character (.*)": "the character {0} is not allowed here. Delete it",
    r"Cannot overwrite a value": f"what this line sets {_TWICE}",
    r"Duplicate inline table key '(.*)'": f"{{0}} {_TWICE}",
    r"Cannot declare (.*) twice": "[{0}] is there twice. Put the keys of both below one heading",
    r"Cannot (?:mutate immutable|redefine) namespace (.*)": f"{{0}} {_TWICE}",
    r"Expected '(\]+)' at the end of": "a heading ends with {0}",
    r"Expected '=' after a key": 'after a key come = and a value, such as release = "3.1"',
    r"Unclosed array": "a list has commas between its values, and ] at its end",
    r"Unclosed inline table": "what begins with { has commas between its parts, and ends with } in the same line",
    r"Invalid (?:initial character for a key part|statement)": 'a line begins with a key, such as release = "3.1"',
    r"Expected newline or end of document": "after the value there is more. Put the whole value in quotes",
    r"Invalid value": "this is not a value. Put text in quotes",
    r"Invalid date or datetime": "there is no such date",
}  # fmt: skip
"""What `tomllib` says, and what is said in its place."""


def toml_fault(error: Exception, text: str) -> Fault:
    """Return where a text is not TOML and what to do about it; `error` is what `tomllib` has raised."""
    said, lines = str(error), text.splitlines() or [""]
    place = _PLACE.search(said)
    said = said[: place.start()] if place else said
    last = max((number for number, line in enumerate(lines, 1) if line.strip()), default=1)
    number = min(int(place[1]), len(lines)) if place and place[1] else last
    whole = lines[number - 1]
    line = re.sub(r"\s\s+#.*", "", whole[:_LONG]).strip()  # what is behind that is not shown
    setting = _SETTING.fullmatch(line) if len(whole) <= _LONG else None
    if said == "Invalid value" and place and place[2] and not whole[: int(place[2]) - 1].strip():
        words = "the list above it has no ] at its end"
    elif setting and said.startswith(("Invalid value", "Expected newline")):
        words = f'put the value in quotes: {setting[1]} = "{setting[2]}"'
    else:
        words = _said_by(_TOML, said)
    return Fault(number, f"{line[:MOST_SHOWN]}…" if len(line) > MOST_SHOWN else line, words)


_RECORD = {
    r"Object missing required field [`'](.*)[`']": "the key {0} is missing",
    r"Object contains unknown field [`'](.*)[`']": "unknown key '{0}'",
    r"Expected [`'](.*)[`'], got [`'](.*)[`']": "should be {0}, but is {1}",
    r"Expected [`'](.*)[`'] (<=?|>=?) (.*)": "should be {0} {1} {2}",
    r"Invalid (?:enum )?value (.*)": "cannot be {0}",
    r"Input data was truncated": "the line ends too early",
    r"Invalid UTF-8": "it is not UTF-8 text",
    r"JSON is malformed: (.*?)(?: \(byte \d+\))?$": "it is not JSON: {0}",
}
"""What msgspec says, and what is said in its place."""
_KINDS = {
    "str": "text in quotes", "int": "a whole number", "float": "a number", "bool": "true or false",
    "array": "a list", "object": "an object in braces",
}  # fmt: skip


def record_fault(error: Exception) -> str:
    """Return what is wrong with a record, behind the key where it is; `error` is what msgspec has raised."""
    said, _, place = str(error).partition(" - at `")
    where = place.rstrip("`").removeprefix("$").removeprefix(".")
    words = _said_by(_RECORD, said)
    return f"{where}: {words}" if where else words


_JSON = {
    r"Expecting ',' delimiter": "a comma or a closing bracket is missing",
    r"Expecting ':' delimiter": "a colon is missing after a key",
    r"Expecting value": "a value is missing",
    r"Expecting property name|Illegal trailing comma": "a key in double quotes is missing, or a comma is too many",
    r"Unterminated string|Invalid control character": "the closing quote is missing",
    r"Invalid \\": "a backslash in a text must be written twice",
    r"Extra data": "after the end there is more",
}
"""What `json` says, and what is said in its place."""


def json_fault(error: Exception) -> str:
    """Return what is wrong with a text that is not JSON, without the place; `error` is what `json` has raised."""
    return _said_by(_JSON, getattr(error, "msg", str(error)))


def _said_by(table: dict[str, str], said: str) -> str:
    for pattern, words in table.items():
        if found := re.match(pattern, said):
            return words.format(*map(_plain, found.groups())) if found.groups() else words
    return said.replace("`", "'")


def _plain(word: str) -> str:
    """A parser's name of a key or of kinds of values, as a person would write it."""
    if word.startswith("("):
        return ".".join(re.findall(r"'([^']*)'", word))
    return " or ".join(_KINDS.get(one, one) for one in word.split(" | ") if one != "null") or "null"
