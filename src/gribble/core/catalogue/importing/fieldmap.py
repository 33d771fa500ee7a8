"""Loading field maps: every mistake at once, and which fields there are."""

from __future__ import annotations

import json
import re
from collections.abc import Collection, Iterator
from pathlib import Path
from typing import Any

from msgspec import structs

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import MistakesError
from gribble.core.base.regular import MOST_TEXT, read_regular, text_of
from gribble.core.base.suggest import suggest
from gribble.core.base.tables import Mistakes, read_table, read_toml
from gribble.core.catalogue.writing import quoted
from gribble.core.records.imported import Degree, Drafted, Field, FieldMap, Guess, Rules
from gribble.core.records.roster import FileState, Plays, SetKind
from gribble.core.records.sheet import Kind, Level

MAP_VERSION = 1


def plain_attribute(name: str, rules: Rules) -> str:
    """The attribute (or column) that a field takes as it is, or by its words alone; empty if it has to be looked for or
    changed."""
    from_, values = rules[0].from_, rules[0].values if name in WORDED_FIELDS else {}
    plain = rules == (Field(from_=from_, values=values),) and from_.startswith("@") and "/" not in from_
    return from_[1:] if plain and (values or name in PLAIN_FIELDS) else ""


def row_keys(made: FieldMap) -> tuple[str, ...]:
    """The attributes that make up a file, where the map takes nothing else of it and takes them as they are."""
    if made.files is None or not made.files.records or "/" in made.files.records:
        return ()
    keys = tuple(plain_attribute(name, one) for name, one in made.files.fields.items())
    return keys if all(keys) else ()


UNITS = {
    "B": 1, "kB": 1000, "MB": 1000**2, "GB": 1000**3, "KiB": 1024, "MiB": 1024**2, "GiB": 1024**3,
}  # fmt: skip
"""How many bytes the units of sizes stand for."""

_OF_BINARY = ("K", "M", "G", "Kbit", "Mbit")
"""What else a number may count where a K is 1,024, or what the rule says."""

PARTS = ("first", "rest", "name", "title", "in brackets", "before brackets")
"""The parts of a text that a rule can take."""

WORDS: dict[str, tuple[str, ...]] = {
    "level": tuple(Level),
    "kind": tuple(dict.fromkeys((*Kind, *SetKind))),
    "state": tuple(FileState),
    "plays": tuple(Plays),
}
"""The words that a field can have, where only some will do."""

CONTENT_FIELDS = ("size", *HEX_LENGTHS)
SHEET_FIELDS = (
    "id", "name", "aliases", "folder", "title", "machine", "kind", "level", "why", "choice", "label", "region",
    "version", "state", *CONTENT_FIELDS,
)  # fmt: skip
"""What a field of a sheet's list can be: of the need or, from `label` on, of its accept."""

SET_FIELDS = (
    "set", "title", "year", "maker", "parent", "bios", "devices", "kind", "plays", "note", "variants", "samples",
    "sample_set",
)  # fmt: skip
"""What a field of a roster's list can be: of the set."""

PLAYS_FIELDS = ("set", "title", "plays", "note")
"""What a field of a list of what runs can be."""

FILE_FIELDS = ("name", "parent_name", "bios_name", "state", "optional", "choice", "variant", *CONTENT_FIELDS)
"""The same of a set's file."""

WORDED_FIELDS = ("state", "optional")
"""Fields of which the map says what each word of the list means."""

PLAIN_FIELDS = (
    "name",
    "parent_name",
    "bios_name",
    "choice",
    "variant",
    "set",
    "title",
    "parent",
    "bios",
    "maker",
    *CONTENT_FIELDS,
)
"""Fields that are texts, sizes or digests, and need no converting where the list has them as they should be."""

DISC_FIELDS = ("name", "sha1", "state", "optional")
"""The same of a set's disc."""


def load_map(path: Path, target: str | None = None) -> FieldMap:
    """The field map in a file, for a list that becomes a "sheet" or a "roster" or says what "plays"; without a word as
    the map itself says. Raises MistakesError."""
    mistakes = Mistakes(str(path))
    tables = read_toml(path, mistakes)
    made = read_table(FieldMap, _long_form(tables), "", mistakes) if tables is not None else None
    if made is not None:
        _check(made, target or made.target, mistakes)
    if made is None or mistakes.found:
        raise MistakesError(mistakes.found)
    return made


def map_line(path: Path, field: str) -> int:
    """The line of a map in which a field stands; 0 if it cannot be told. Raises OSError."""
    lines = text_of(read_regular(path, MOST_TEXT), errors="replace").splitlines()
    says = re.compile(rf'^\s*(\w+\.)?"?{re.escape(field)}"?\s*=')
    return next((number for number, line in enumerate(lines, start=1) if says.match(line)), 0)


def _long_form(tables: dict[str, Any]) -> dict[str, Any]:
    """`name = "@n"` written out as `name = [{ from = "@n" }]`, at the record and inside."""
    tables = dict(tables)
    if isinstance(tables.get("fields"), dict):
        tables["fields"] = _long_fields(tables["fields"])
    for key in ("files", "discs"):
        if isinstance(tables.get(key), dict):
            inner = dict(tables[key])
            records = inner.pop("records", "")
            tables[key] = {"records": records, "fields": _long_fields(inner)}
    return tables


def _long_fields(fields: dict[str, Any]) -> dict[str, Any]:
    return {
        name: [_long_rule(one) for one in (value if isinstance(value, list) else [value])]
        for name, value in fields.items()
    }


def _long_rule(rule: Any) -> Any:
    if isinstance(rule, str):
        return {"from": rule}
    if isinstance(rule, dict) and isinstance(rule.get("split"), str):
        return {**rule, "split": [rule["split"]]}
    return rule


def _check(made: FieldMap, target: str, mistakes: Mistakes) -> None:
    if made.map != MAP_VERSION:
        mistakes.add("map", f"this Gribble reads version {MAP_VERSION}, not {made.map}")
    if target == "plays":
        _check_fields(made.fields, PLAYS_FIELDS, "fields", mistakes)
        if "plays" not in made.fields:
            mistakes.add("fields.plays", "is missing: how does it play?")
    elif target == "sheet":
        _check_fields(made.fields, SHEET_FIELDS, "fields", mistakes)
        if "name" not in made.fields:
            mistakes.add("fields.name", "is missing: what is each file called?")
        if not isinstance(made.sheet.get("emulator"), str):
            mistakes.add("sheet.emulator", "is missing")
    else:
        _check_roster(made, mistakes)


def _check_roster(made: FieldMap, mistakes: Mistakes) -> None:
    known = SET_FIELDS if made.files else (*SET_FIELDS, *FILE_FIELDS)
    _check_fields(made.fields, known, "fields", mistakes)
    if "set" not in made.fields:
        mistakes.add("fields.set", "is missing: which set is it?")
    if made.files:
        _check_fields(made.files.fields, FILE_FIELDS, "files", mistakes)
    if made.discs:
        _check_fields(made.discs.fields, DISC_FIELDS, "discs", mistakes)
    for key in ("emulator", "release"):
        if not isinstance(made.roster.get(key), str):
            mistakes.add(f"roster.{key}", "is missing")


def _check_fields(fields: dict[str, Rules], known: tuple[str, ...], where: str, mistakes: Mistakes) -> None:
    for name, rules in fields.items():
        if name not in known:
            mistakes.add(f"{where}.{name}", f"is not a field here{suggest(name, list(known))}")
        for one in rules:
            _check_rule(one, WORDS.get(name, ()), f"{where}.{name}", mistakes)
        if not rules:
            mistakes.add(f"{where}.{name}", "has no rule")


def _check_rule(rule: Field, words: Collection[str], where: str, mistakes: Mistakes) -> None:
    """One rule of a field, which takes some `words` only, if any."""
    if rule.unit and rule.unit not in UNITS and not (rule.binary and rule.unit in _OF_BINARY):
        mistakes.add(f"{where}.unit", f'"{rule.unit}" should be one of {", ".join(UNITS)}')
    if rule.decimal not in ("", ".", ","):
        mistakes.add(f"{where}.decimal", 'should be "." or ","')
    if rule.part and rule.part not in PARTS:
        mistakes.add(f"{where}.part", f"should be one of {', '.join(PARTS)}")
    if "" in rule.split:
        mistakes.add(f"{where}.split", "is empty")
    if not rule.from_:
        mistakes.add(f"{where}.from", "is empty")
    for word in rule.values.values() if words else ():
        if word and word not in words:
            mistakes.add(f"{where}.values", f'"{word}" should be one of {", ".join(words)}')


def with_said(text: str, to: str, said: dict[str, str]) -> str:
    """The text of a map with what the user says beside it of emulator, release or folder."""
    import tomlkit

    document: Any = tomlkit.parse(text)
    for key, value in said.items():
        document.setdefault(to, tomlkit.table())[key] = value
    return tomlkit.dumps(document) if said else text


def write_map(drafted: Drafted, source: str) -> str:
    """The map's text; what is doubtful is there as a comment."""
    made = drafted.made
    lines = [f"# The fields of {source}, as Gribble understands them. Correct what is wrong.", f"map = {made.map}"]
    for key in ("records", "format", "encoding", "delimiter", "table"):
        if (value := getattr(made, key)) not in (None, ""):
            lines.append(f"{key} = {value if isinstance(value, int) else quoted(str(value))}")
    lines += [f"only = {_value(made.only)}  # the records that say so"] if made.only else []
    top = getattr(made, drafted.to, {})
    lines += ["", f"[{drafted.to}]"] if top else []
    for key, value in top.items():
        named = drafted.named.get(key)
        lines.append(f"{key} = {quoted(str(value))}" + (f"  # from {named.source}" if named else ""))
    lines += ["", "[fields]", *_fields(drafted.guesses)]
    for name, inner, guesses in (("files", made.files, drafted.inner), ("discs", made.discs, drafted.discs)):
        if inner:
            lines += ["", f"[{name}]", f"records = {quoted(inner.records)}", *_fields(guesses)]
    if drafted.left:
        lines += ["", f"# Nothing is taken from: {', '.join(drafted.left)}"]
    return "\n".join(lines) + "\n"


def _fields(guesses: tuple[Guess, ...]) -> Iterator[str]:
    for one in guesses:
        samples = f"; such as {', '.join(one.samples)}" if one.samples else ""
        yield f"# {one.degree}: {one.reason}{samples}".replace("\n", " ")
        yield f"{'# ' if one.degree is Degree.DOUBTFUL else ''}{one.field} = {_rules(one.rules)}"


def _rules(rules: Rules) -> str:
    return _rule(rules[0]) if len(rules) == 1 else f"[{', '.join(map(_rule, rules))}]"


def _rule(rule: Field) -> str:
    """A rule in its shortest form."""
    if rule == Field(from_=rule.from_):
        return quoted(rule.from_)
    said = {**structs.asdict(rule), "from": rule.from_}
    default = structs.asdict(Field(from_=""))
    keys = ["from", *(key for key in default if key != "from_" and said[key] != default[key])]
    return f"{{ {', '.join(f'{key} = {_value(said[key])}' for key in keys)} }}"


def _value(value: object) -> str:
    if isinstance(value, dict):
        return f"{{ {', '.join(f'{quoted(word)} = {quoted(means)}' for word, means in value.items())} }}"
    if isinstance(value, tuple):
        return json.dumps(list(value), ensure_ascii=False)
    return quoted(value) if isinstance(value, str) else str(value).lower()
