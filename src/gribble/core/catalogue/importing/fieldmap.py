"""The field map: where a list has its records, which field is what, and how values are converted."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Any

from msgspec import Struct, field

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import MistakesError
from gribble.core.base.suggest import suggest
from gribble.core.base.tables import Mistakes, read_table, read_toml

MAP_VERSION = 1


class ListFormat(StrEnum):
    """The formats of lists."""

    CSV = "csv"
    TSV = "tsv"
    JSON = "json"
    JSONL = "jsonl"
    XML = "xml"
    HTML = "html"


class Field(Struct, frozen=True, kw_only=True):
    """Where one value comes from and how it is converted.

    `prefix` and `suffix` fall away; `pad` puts back the zeros that a spreadsheet dropped; `unit` is what a number
    counts (B, KiB, kB, …); `values` says what a word stands for; `split` parts a value that is a list.
    """

    from_: str = field(name="from")
    prefix: str = ""
    suffix: str = ""
    pad: bool = False
    unit: str = ""
    values: dict[str, str] = {}
    split: str = ""
    default: str | None = None


class Inner(Struct, frozen=True, kw_only=True):
    """Records inside a record, such as the files or discs of a set; `records` is their path from it."""

    records: str
    fields: dict[str, Field] = {}


class FieldMap(Struct, frozen=True, kw_only=True):
    """A field map as the user wrote it."""

    map: int
    records: str = ""
    format: ListFormat | None = None
    encoding: str = "utf-8-sig"
    delimiter: str = ""
    table: int | None = None
    fields: dict[str, Field] = {}
    files: Inner | None = None
    discs: Inner | None = None
    sheet: dict[str, Any] = {}
    roster: dict[str, Any] = {}

    @property
    def row_keys(self) -> tuple[str, ...]:
        """The attributes that make up a file, where the map takes nothing else of it and takes them as they are."""
        if self.files is None or not self.files.records or "/" in self.files.records:
            return ()
        keys = tuple(plain_attribute(name, one) for name, one in self.files.fields.items())
        return keys if all(keys) else ()


def plain_attribute(name: str, field: Field) -> str:
    """The attribute (or column) that a field takes as it is; empty where it has to be looked for or changed."""
    changed = (field.prefix, field.suffix, field.unit, field.values, field.split, field.default)
    plain = changed == ("", "", "", {}, "", None) and field.from_.startswith("@") and "/" not in field.from_
    return field.from_[1:] if plain and name in PLAIN_FIELDS else ""


UNITS = {
    "B": 1, "kB": 1000, "MB": 1000**2, "GB": 1000**3, "KiB": 1024, "MiB": 1024**2, "GiB": 1024**3,
}  # fmt: skip
"""How many bytes the units of sizes stand for."""

CONTENT_FIELDS = ("size", *HEX_LENGTHS)
SHEET_FIELDS = (
    "id", "name", "folder", "title", "kind", "level", "why", "choice", "label", "region", "version", *CONTENT_FIELDS,
)  # fmt: skip
"""What a field of a sheet's list can be: of the need or, from `label` on, of its accept."""

SET_FIELDS = ("set", "title", "year", "maker", "parent", "bios", "devices", "kind", "plays", "note")
"""What a field of a roster's list can be: of the set."""

FILE_FIELDS = ("name", "parent_name", "bios_name", "state", "optional", "choice", *CONTENT_FIELDS)
"""The same of a set's file."""

PLAIN_FIELDS = (
    "name",
    "parent_name",
    "bios_name",
    "choice",
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


def load_map(path: Path, target: str) -> FieldMap:
    """The field map in a file, for a list that becomes a "sheet" or a "roster". Raises MistakesError."""
    mistakes = Mistakes(str(path))
    tables = read_toml(path, mistakes)
    made = read_table(FieldMap, _long_form(tables), "", mistakes) if tables is not None else None
    if made is not None:
        _check(made, target, mistakes)
    if made is None or mistakes.found:
        raise MistakesError(mistakes.found)
    return made


def _long_form(tables: dict[str, Any]) -> dict[str, Any]:
    """`name = "@n"` written out as `name = { from = "@n" }`, at the record and inside."""
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
    return {name: {"from": value} if isinstance(value, str) else value for name, value in fields.items()}


def _check(made: FieldMap, target: str, mistakes: Mistakes) -> None:
    if made.map != MAP_VERSION:
        mistakes.add("map", f"this Gribble reads version {MAP_VERSION}, not {made.map}")
    if target == "sheet":
        _check_fields(made.fields, SHEET_FIELDS, "fields", mistakes)
        if "name" not in made.fields:
            mistakes.add("fields.name", "is missing: what is each file called?")
    else:
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
    if target == "sheet" and not isinstance(made.sheet.get("emulator"), str):
        mistakes.add("sheet.emulator", "is missing")


def _check_fields(fields: dict[str, Field], known: tuple[str, ...], where: str, mistakes: Mistakes) -> None:
    for name, one in fields.items():
        if name not in known:
            mistakes.add(f"{where}.{name}", f"is no field here{suggest(name, list(known))}")
        if one.unit and one.unit not in UNITS:
            mistakes.add(f"{where}.{name}.unit", f'"{one.unit}" should be one of {", ".join(UNITS)}')
        if not one.from_:
            mistakes.add(f"{where}.{name}.from", "is empty")
