"""Reading and changing one value of a settings file: ini, toml, json, xml or yaml.

A value is found by its place in the text, and only that place is rewritten: comments, order, spacing, quotes and line
ends stay. Keys are words with dots between; in lists a number counts from 0, and in XML the path starts below the root
element and may end in `@attribute`. Formats: TOML 1.0, RFC 8259 (JSON), XML 1.0, YAML 1.1; ini has no standard, so read
is what most programs write: `[section]` lines, `key = value` or `key: value`, comments after `#` or `;`.
"""

from __future__ import annotations

import json
import re
import tomllib
from collections.abc import Callable
from functools import cache, lru_cache
from typing import Any, NoReturn
from xml.parsers import expat

from msgspec import Struct

from gribble.core.base.budget import MOST_SETTINGS, SETTINGS, size_words
from gribble.core.base.errors import json_fault, toml_fault
from gribble.core.base.kinds import Format
from gribble.core.base.tables import deep_key

MOST_VALUE = 1024
"""A longer value is no path, in characters."""
SHOWN = 60
"""How many characters of what is no text are shown."""
_BOM = b"\xef\xbb\xbf"


class SettingError(Exception):
    """A value cannot be read or changed; the text says why, to follow the file's name."""


class NoSuchKey(SettingError):
    """A settings file has nothing at a key; the text follows the file's name."""


class _Spot(Struct, frozen=True):
    """Where a value is in the text (of XML: in the bytes), what it is, and how another is written there."""

    start: int
    end: int
    value: str
    write: Callable[[str], str]


def value_of(data: bytes, format_: Format, key: str) -> str:
    """The value at a key. Raises SettingError."""
    try:
        value = _value_of(data, format_, key)
        if len(value) > MOST_VALUE:
            raise SettingError(f"says {len(value):,} characters at {key}, which no path has")
        return value
    except SettingError:
        raise
    except RecursionError:
        raise SettingError("is nested too deeply") from None
    except Exception as error:  # whatever a file holds, it stops nothing but itself
        raise SettingError(f"cannot be understood ({type(error).__name__}: {error})") from error


def _value_of(data: bytes, format_: Format, key: str) -> str:
    if len(data) > SETTINGS[format_]:
        raise SettingError(f"is larger than {size_words(SETTINGS[format_])}, which no settings file of its kind is")
    if format_ is Format.TOML and deep_key(data.decode(errors="replace")):
        raise SettingError("has a key of too many parts")
    if format_ is Format.XML:
        return _xml(_checked(data), key).value
    text = _text(data, format_)
    return _toml_value(text, key) if format_ is Format.TOML else _SPOTS[format_](text, key).value


def with_value(data: bytes, format_: Format, key: str, value: str) -> bytes:
    """The file with another value at a key and all else as it was. Raises SettingError."""
    if any(ord(char) < 32 for char in value):
        raise SettingError(f"cannot take {value!r} as a value")
    if format_ is Format.XML:
        spot = _xml(_checked(data), key)
        changed = data[: spot.start] + spot.write(value).encode() + data[spot.end :]
    else:
        text = _text(data, format_)
        if format_ is Format.TOML:
            text = _toml_edit(text, key, value)
        else:
            spot = _SPOTS[format_](text, key)
            text = text[: spot.start] + spot.write(value) + text[spot.end :]
        how = "surrogateescape" if format_ is Format.INI else "strict"
        try:
            changed = (_BOM if data.startswith(_BOM) else b"") + text.encode(errors=how)
        except UnicodeEncodeError:
            raise SettingError(f"cannot take {value!a} as the value of {key}") from None
    if value_of(changed, format_, key) != value:
        raise SettingError(f"cannot take {value!r} as the value of {key}")
    return changed


def _checked(data: bytes) -> bytes:
    if len(data) > MOST_SETTINGS:
        raise SettingError(f"is larger than {size_words(MOST_SETTINGS)}; a settings file is never that large")
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise SettingError("is UTF-16 text, which is not read here")
    if b"\0" in data:
        raise SettingError("is not a text file")
    return data


def _text(data: bytes, format_: Format) -> str:
    """The text without its byte-order mark. Bytes of an ini file that are not UTF-8 are kept as they are."""
    try:
        how = "surrogateescape" if format_ is Format.INI else "strict"
        return _checked(data).removeprefix(_BOM).decode(errors=how)
    except UnicodeDecodeError as error:
        raise SettingError(f"is not UTF-8 text (byte {error.start})") from None


def _no_key(key: str) -> NoReturn:
    raise NoSuchKey(f"has no {key}")


def _twice(key: str) -> NoReturn:
    raise SettingError(f"has {key} twice, and which one counts is not known")


# ini

_SECTION = re.compile(r"^\s*\[([^\]]*)\]")
_LINE = re.compile(r"^(\s*)([^\s=:#;\[][^=:]*)([=:][ \t]*)(.*)$")
_QUOTED = re.compile(r"""^(["'])(.*?)\1(?=[ \t]*(?:[;#].*)?$)""")
_REMARK = re.compile(r"(?<=[ \t])[;#].*$")


def _ini(text: str, key: str) -> _Spot:
    section, _, name = key.rpartition(".")
    found = [spot for there, spot in _ini_spots(text) if there == (section, name)]
    if not found:  # most programs read names in any case
        found = [spot for (a, b), spot in _ini_spots(text) if (a.lower(), b.lower()) == (section.lower(), name.lower())]
    if len(found) > 1:
        _twice(key)
    return found[0] if found else _no_key(key)


@lru_cache(maxsize=1)  # a file of many values is taken apart once
def _ini_spots(text: str) -> list[tuple[tuple[str, str], _Spot]]:
    spots = []
    section, at = "", 0
    for line in text.splitlines(keepends=True):
        bare = line.rstrip("\r\n")
        if match := _SECTION.match(bare):
            section = match[1].strip()
        elif match := _LINE.match(bare):
            spots.append(((section, match[2].strip()), _ini_spot(at + match.start(4), match[4].rstrip(" \t"))))
        at += len(line)
    return spots


def _ini_spot(start: int, rest: str) -> _Spot:
    """The spot of a value from what stands behind the equals sign: without remark, and without quotes."""
    if quoted := _QUOTED.match(rest):
        return _Spot(start + 1, start + 1 + len(quoted[2]), quoted[2], str)
    raw = _REMARK.sub("", rest).rstrip(" \t")
    return _Spot(start, start + len(raw), raw, str)


# toml


def _toml_value(text: str, key: str) -> str:
    try:
        at: Any = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        fault = toml_fault(error, text)
        raise SettingError(f"is not TOML: {fault.words} (line {fault.line})") from None
    except RecursionError:
        raise SettingError("is nested too deeply") from None
    for word in key.split("."):
        if isinstance(at, dict) and word in at:
            at = at[word]
        elif isinstance(at, list) and word.isdecimal() and int(word) < len(at):
            at = at[int(word)]
        else:
            _no_key(key)
    return _scalar(at, key)


def _toml_edit(text: str, key: str, value: str) -> str:
    import tomlkit
    from tomlkit.items import String, StringType

    before = _toml_value(text, key)  # its mistakes are told here
    document = tomlkit.parse(text)
    *way, last = key.split(".")
    at: Any = document
    for word in way:
        at = at[int(word)] if isinstance(at, list) else at[word]
    place = int(last) if isinstance(at, list) else last
    old = at[place]
    literal = isinstance(old, String) and old._t in (StringType.SLL, StringType.MLL) and "'" not in value
    new = tomlkit.string(value, literal=literal)
    if hasattr(old, "trivia"):
        new.trivia.indent, new.trivia.comment_ws = old.trivia.indent, old.trivia.comment_ws
        new.trivia.comment, new.trivia.trail = old.trivia.comment, old.trivia.trail
    at[place] = new
    changed = tomlkit.dumps(document)
    at[place] = tomlkit.string(before)
    if tomllib.loads(tomlkit.dumps(document)) != tomllib.loads(text):
        raise SettingError(f"cannot be changed at {key} without touching something else")
    return changed


# json


def _json(text: str, key: str) -> _Spot:
    try:
        json.loads(text)
    except json.JSONDecodeError as error:
        raise SettingError(f"is not JSON: {json_fault(error)} (line {error.lineno})") from None
    except RecursionError:
        raise SettingError("is nested too deeply") from None
    at = _skip(text, 0)
    for word in key.split("."):
        found = _json_step(text, at, word)
        if len(found) > 1:
            _twice(key)
        at = found[0] if found else _no_key(key)
    value, end = json.JSONDecoder().raw_decode(text, at)
    return _Spot(at, end, _scalar(value, key), lambda new: json.dumps(new, ensure_ascii=False))


_SPACE = re.compile(r"[ \t\r\n]*")


def _skip(text: str, at: int) -> int:
    match = _SPACE.match(text, at)
    return match.end() if match else at


def _json_step(text: str, at: int, word: str) -> list[int]:
    """Where the values of a name (or the element of a number) begin in the object (or list) that begins here."""
    opens, found = text[at], []
    if opens not in "{[":
        return []
    at, number, decoder = _skip(text, at + 1), 0, json.JSONDecoder()
    while text[at] not in "}]":
        name = str(number)
        if opens == "{":
            name, at = decoder.raw_decode(text, at)
            at = _skip(text, _skip(text, at) + 1)
        if name == word:
            found.append(at)
        at = _skip(text, decoder.raw_decode(text, at)[1])
        if text[at] == ",":
            at = _skip(text, at + 1)
        number += 1
    return found


# yaml


@cache
def yaml_reader() -> Any:
    """The library, which is loaded for those that have such a file."""
    import yaml

    return yaml


def _composed(text: str) -> tuple[Any, set[int]]:
    """The tree of a text, and where its values begin that are shared by an anchor. Raises SettingError."""
    yaml = yaml_reader()
    try:
        loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
        node = yaml.compose(text, Loader=loader)
        events: Any = yaml.parse(text, Loader=loader)
        return node, {event.start_mark.index for event in events if getattr(event, "anchor", "")}
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        where = f" (line {mark.line + 1})" if mark else ""
        if "nesting depth" in str(getattr(error, "problem", "")):
            raise SettingError("is nested too deeply") from None
        raise SettingError(f"is not YAML: {getattr(error, 'problem', None) or 'not readable'}{where}") from None
    except RecursionError:
        raise SettingError("is nested too deeply") from None


def _yaml(text: str, key: str) -> _Spot:
    node, shared = _composed(text)
    for word in key.split("."):
        kind = node.id if node else ""
        if kind == "mapping":
            found = [value for name, value in node.value if name.value == word]
        elif kind == "sequence":
            found = [value for number, value in enumerate(node.value) if str(number) == word]
        else:
            found = []
        if len(found) > 1:
            _twice(key)
        node = found[0] if found else _no_key(key)
    if node is None or node.id != "scalar":
        raise SettingError(f"has more than one value at {key}")
    if node.style in ("|", ">"):
        raise SettingError(f"has a text of several lines at {key}")
    start, end = node.start_mark.index, node.end_mark.index
    if start in shared:
        raise SettingError(f"shares the value of {key} by an anchor; change it by hand")
    plain = "" if node.tag == "tag:yaml.org,2002:null" else node.value
    style = node.style or ""

    def write(new: str) -> str:
        if style == '"':
            return json.dumps(new, ensure_ascii=False)
        space = " " if start == end and start and text[start - 1] == ":" else ""
        safe = (
            not style
            and re.fullmatch(r"[A-Za-z0-9/._~][A-Za-z0-9/._~ +()-]*", new)
            and yaml_reader().safe_load(new) == new
        )
        return space + (new if safe else "'" + new.replace("'", "''") + "'")

    return _Spot(start, end, plain, write)


# xml


def _xml(data: bytes, key: str) -> _Spot:
    way = key.split(".")
    attribute = way.pop()[1:] if way[-1].startswith("@") else ""
    open_: list[str] = []
    tags: list[int] = []
    spots: list[_Spot] = []
    texts: list[str] = []
    parents: set[int] = set()
    parser = expat.ParserCreate()

    def is_there() -> bool:
        return len(open_) == len(way) + 1 and open_[1:] == way  # most elements lie deeper: no list is made for those

    def start(name: str, attributes: dict[str, str]) -> None:
        at = parser.CurrentByteIndex
        parents.update(tags[-1:])
        open_.append(name)
        tags.append(at)
        if is_there():
            texts.clear()
            if attribute in attributes and attribute:
                spots.append(_xml_attribute(data, at, attribute, attributes[attribute]))

    def end(_name: str) -> None:
        at = tags.pop()
        if is_there() and not attribute:
            if at in parents:
                raise SettingError(f"has more than one value at {key}")
            spots.append(_xml_content(data, at, parser.CurrentByteIndex, "".join(texts)))
        open_.pop()

    def entity(*_: object) -> NoReturn:
        raise SettingError("declares entities, which are not read")

    parser.StartElementHandler, parser.EndElementHandler = start, end
    parser.CharacterDataHandler = texts.append
    parser.EntityDeclHandler = entity
    declared = re.match(rb"<\?xml[^>]*encoding=[\"']([^\"']+)", data.removeprefix(_BOM))
    if declared and declared[1].lower() not in (b"utf-8", b"us-ascii", b"ascii"):
        raise SettingError(f"is in the encoding {declared[1].decode('ascii', 'replace')}; only UTF-8 is changed here")
    try:
        parser.Parse(data, True)
    except expat.ExpatError as error:
        raise SettingError(f"is not XML: {expat.ErrorString(error.code)} (line {error.lineno})") from None
    if len(spots) > 1:
        _twice(key)
    return spots[0] if spots else _no_key(key)


_TAG = re.compile(rb"<[^\s/>]+(?:\s+[^\s=]+\s*=\s*(?:\"[^\"]*\"|'[^']*'))*\s*(/?)>")


def _xml_content(data: bytes, at: int, end: int, text: str) -> _Spot:
    """What stands between the start tag that begins here and its end tag."""
    tag = _TAG.match(data, at)
    assert tag is not None
    if tag[1]:  # <name/>: opened up to hold a value
        name = re.split(rb"[\s/>]", tag[0][1:], maxsplit=1)[0].decode()
        return _Spot(tag.end() - 2, tag.end(), "", lambda new: f">{_escaped(new)}</{name}>")
    inner = data[tag.end() : end].decode()
    if "<" in inner:  # a comment, a processing instruction, a CDATA section
        return _Spot(tag.end(), end, text.strip(), _refuse_markup)
    left, right = len(inner) - len(inner.lstrip()), len(inner) - len(inner.rstrip())
    if not inner.strip():
        return _Spot(tag.end(), end, "", _escaped)
    return _Spot(tag.end() + left, end - right, text.strip(), _escaped)


def _escaped(text: str) -> str:
    from xml.sax.saxutils import escape  # which loads a web client, so only where something is written

    return escape(text)


def _quoted(text: str) -> str:
    from xml.sax.saxutils import quoteattr

    return quoteattr(text)


def _refuse_markup(_new: str) -> str:
    raise SettingError("has markup within the value; change it by hand")


def _xml_attribute(data: bytes, at: int, name: str, value: str) -> _Spot:
    tag = _TAG.match(data, at)
    found = re.search(rb"\s" + re.escape(name.encode()) + rb"\s*=\s*(\"[^\"]*\"|'[^']*')", tag[0] if tag else b"")
    if found is None:
        raise SettingError(f"has @{name} in a form that is not read")
    return _Spot(at + found.start(1), at + found.end(1), value, _quoted)


def _scalar(value: object, key: str) -> str:
    if isinstance(value, dict | list):
        raise SettingError(f"has more than one value at {key}")
    if not isinstance(value, str):
        raise SettingError(f"has no text at {key}, but {json.dumps(value, default=str)[:SHOWN]}")
    return value


_SPOTS: dict[Format, Callable[[str, str], _Spot]] = {Format.INI: _ini, Format.JSON: _json, Format.YAML: _yaml}
