"""The field map: where a list has its records, which field is what, and how values are converted."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

from msgspec import Struct, field


class ListFormat(StrEnum):
    """The formats of lists."""

    CSV = "csv"
    TSV = "tsv"
    JSON = "json"
    JSONL = "jsonl"
    XML = "xml"
    HTML = "html"
    MARKDOWN = "markdown"
    TEXT = "text"
    KEYS = "keys"
    WORKBOOK = "workbook"
    CHECKSUMS = "checksums"


class Field(Struct, frozen=True, kw_only=True):
    """A rule: where one value comes from and how it is converted.

    `prefix` and `suffix` fall away; `pad` puts back the zeros that a spreadsheet dropped; `unit` is what a number
    counts (B, KiB, kB, …), with `binary` a K is 1,024 in any spelling, and `decimal` is the sign before its fraction;
    `values` says what a word stands for, "*" any other; `split` are what stands between several values; `labels` says
    that words in brackets behind a value are its label; `pick` takes digests out of a longer text. `kind` takes
    only what names a set of that kind, of `variants` those come first that say yes at `first`, a path beside theirs;
    with `down` a record that says nothing is as the one before it.
    """

    from_: str = field(name="from")
    prefix: str = ""
    suffix: str = ""
    pad: bool = False
    unit: str = ""
    values: dict[str, str] = {}
    binary: bool = False
    decimal: str = ""
    split: tuple[str, ...] = ()
    labels: bool = False
    pick: bool = False
    kind: str = ""
    first: str = ""
    down: bool = False
    default: str | None = None


Rules = tuple[Field, ...]
"""The rules of a field, of which the first that gives a value wins."""


class Inner(Struct, frozen=True, kw_only=True):
    """Records inside a record, such as the files or discs of a set; `records` is their path from it."""

    records: str
    fields: dict[str, Rules] = {}


class FieldMap(Struct, frozen=True, kw_only=True):
    """A field map as the user wrote it."""

    map: int
    records: str = ""
    format: ListFormat | None = None
    encoding: str = ""
    delimiter: str = ""
    table: int | None = None
    fields: dict[str, Rules] = {}
    files: Inner | None = None
    discs: Inner | None = None
    sheet: dict[str, Any] = {}
    roster: dict[str, Any] = {}

    @property
    def target(self) -> str:
        """What a list becomes by it: a roster where it names one, else a sheet."""
        return "roster" if self.roster and not self.sheet else "sheet"

    @property
    def asks_kinds(self) -> bool:
        """Whether a rule takes only what names sets of one kind, so that the kinds of all have to be known before."""
        return any(rule.kind for rules in self.fields.values() for rule in rules)

    @property
    def says_above(self) -> bool:
        """Whether it takes anything from what a record lies in (`^name`)."""
        return any(rule.from_.startswith("^") for rules in self.fields.values() for rule in rules)
