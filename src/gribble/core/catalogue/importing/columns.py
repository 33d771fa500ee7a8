"""What a column of a list is like: the shapes of its values, and how well each field of ours fits it."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Sequence
from functools import cached_property

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.catalogue.importing.values import digests_in, is_blank, is_file_name, is_year, one_digest, size_unit
from gribble.core.catalogue.importing.words import head_points, meaning

MOST_WORDS = 24
"""A column of words has no more different ones."""

_VERSION = re.compile(r"^[vV]?\d+(\.\d+)+[a-z]?$|^[vV]\d+$|^r\d+$")
_SIGNS = (
    "\n", ";", " / ", "/", ", ", ",", "、", " or ", " oder ", " ou ", " of ", " o ", " または ", "または", " | ", " + ",
)  # fmt: skip
"""What may stand between several values in a cell."""

HEX_HEAD = re.compile(r"\bhex(adecimal)?\b|\b0x\b", re.IGNORECASE)
HEAD_UNIT = re.compile(r"[(\[]?\s*\b(KiB|MiB|GiB|KB|MB|GB|Kbit|Mbit|Ko|Mo|Kbytes?|Mbytes?)\b\s*[)\]]?", re.IGNORECASE)
"""A unit in a column's head."""

NEVER = -9
"""The points of what a column cannot be."""


class Column:
    """One column: `name` is what a map calls it, `head` what the list does; `values` are those that say something."""

    def __init__(self, name: str, values: Sequence[str], *, head: str | None = None) -> None:
        self.name = name
        self.head = name if head is None else head
        self.every = values
        self.rows = len(values)
        self.values = [value for value in values if not is_blank(value)]
        self.words = Counter(value.strip() for value in self.values)

    def share(self, holds: Callable[[str], object]) -> float:
        """The share of its values of which something is true."""
        if not self.values:
            return 0.0
        return sum(count for word, count in self.words.items() if holds(word)) / len(self.values)

    @cached_property
    def digests(self) -> dict[str, float]:
        """The share of values that hold a digest of each kind; eight figures count where others have letters, too."""
        counts = Counter(dict.fromkeys(HEX_LENGTHS, 0))
        own = next((length for name, length in HEX_LENGTHS.items() if head_points(self.head, name) == 3), 0)
        for word, count in self.words.items():
            counts.update(dict.fromkeys(digests_in(one_digest(word, own)), count))
        found = {name: count / max(1, len(self.values)) for name, count in counts.items()}
        if found["crc32"] or head_points(self.head, "crc32"):
            figures = re.compile(r"^(0x)?[0-9a-fA-F]{8}$")
            found["crc32"] = max(found["crc32"], self.share(lambda text: figures.match(text)))
        return {name: share for name, share in found.items() if share}

    @cached_property
    def file_share(self) -> float:
        """The share of values that look like names of files, alone or several."""
        return self.share(lambda text: all(map(is_file_name, split_names(text, self.signs_of_names))))

    @cached_property
    def signs_of_names(self) -> tuple[str, ...]:
        """What stands between several names in a cell."""
        return tuple(
            sign
            for sign in _SIGNS
            if any(
                len(found := [one for one in split_names(word, (sign,)) if one]) > 1 and all(map(is_file_name, found))
                for word in self.words
                if sign in word
            )
        )

    def signs_between(self, holds: Callable[[str], object]) -> tuple[str, ...]:
        """What stands between several values of which something is true."""
        return tuple(
            sign
            for sign in _SIGNS
            if any(sign in word and all(map(holds, filter(None, word.split(sign)))) for word in self.words)
        )

    def sparser_than(self, other: Column) -> bool:
        """Whether it says something in fewer records, and the other in all."""
        return len(other.values) == other.rows and len(self.values) < self.rows

    def fit(self, field: str) -> int:
        """How well the shapes of its values suit a field: from 3 down to `NEVER`."""
        if not self.values:
            return NEVER
        if self.digests and field not in HEX_LENGTHS:
            return NEVER
        suits = _SUITS.get(field)
        return suits(self) if suits else (0 if self.share(is_file_name) < 0.5 else -2)

    def known(self, *what: str) -> float:
        """The share of its different words that stand for one of ours."""
        return sum(any(meaning(word, one) for one in what) for word in self.words) / max(1, len(self.words))

    def refers_to(self, names: Collection[str]) -> float:
        """The share of its values that are names of records."""
        return self.share(lambda text: text in names)


def split_names(text: str, signs: Sequence[str]) -> list[str]:
    """The names in a cell, without words in brackets behind them."""
    pieces = [text]
    for sign in signs:
        pieces = [piece for one in pieces for piece in one.split(sign)]
    return [re.sub(r"(?<=\w)\s*[(\[][^()\[\]]*[)\]]$", "", piece.strip()) for piece in pieces if piece.strip()]


def _name(column: Column) -> int:
    if column.file_share >= 0.7:
        return 3
    if column.share(lambda text: len(text.split()) > 3) > 0.3:
        return -3
    return 1 if column.file_share >= 0.4 else 0


def _size(column: Column) -> int:
    if HEX_HEAD.search(column.head):
        return 2 if column.share(lambda text: re.fullmatch(r"(0x|\$)?[0-9a-f]+h?", text, re.IGNORECASE)) == 1 else NEVER
    units = [size_unit(line) for value in column.values for line in value.split("\n")]
    if sum(unit is not None for unit in units) < 0.6 * len(units):
        return NEVER
    if sum(map(bool, units)) > 0.5 * len(units):
        return 3
    if HEAD_UNIT.search(column.head):
        return 2
    figures = [int(re.sub(r"\D", "", value[:40]) or 0) for value in column.values]
    if sum(one >= 16 for one in figures) < 0.5 * len(figures):
        return -1
    return 2 if sum(one > 0 and one % 256 == 0 for one in figures) >= 0.6 * len(figures) else 0


def _year(column: Column) -> int:
    return 3 if column.share(is_year) >= 0.7 else NEVER


def _words(what: str) -> Callable[[Column], int]:
    def suits(column: Column) -> int:
        if len(column.words) > MOST_WORDS:
            return NEVER
        share = column.known(what, *(["yes or no"] if what == "level" else []))
        if share == 1:
            return 3 if column.known(what) == 1 else 1
        return -1 if share >= 0.4 else -3

    return suits


def _yes_or_no(column: Column) -> int:
    return 1 if column.known("yes or no") == 1 else NEVER


def _folder(column: Column) -> int:
    if column.share(lambda text: "/" in text or "\\" in text) > 0.5 and column.file_share < 0.3:
        return 2
    return 0 if column.share(lambda text: len(text.split()) < 4) > 0.7 and column.file_share < 0.5 else -3


def _short(column: Column) -> int:
    return 1 if column.share(lambda text: len(text) <= 40) > 0.8 and column.file_share < 0.5 else -2


def _version(column: Column) -> int:
    return 2 if column.share(lambda text: _VERSION.match(text)) > 0.5 else _short(column) - 1


def _title(column: Column) -> int:
    if column.file_share >= 0.4 or column.share(lambda text: re.fullmatch(r"[\d.,\s]+", text)) > 0.5:
        return -4
    return 1 if column.share(lambda text: " " in text) > 0.3 else 0


def _prose(column: Column) -> int:
    return 0 if column.file_share < 0.5 else -4


def _aliases(column: Column) -> int:
    return 2 if column.file_share >= 0.6 else -2


def _short_name(column: Column) -> int:
    if column.known("yes or no") == 1:
        return NEVER
    if column.share(lambda text: re.fullmatch(r"[\w.+!-]+", text)) < 0.8:
        return -3
    return 1 if len(column.words) < len(column.values) or column.share(lambda text: "." not in text) == 1 else 0


_SUITS: dict[str, Callable[[Column], int]] = {
    "name": _name,
    "aliases": _aliases,
    "size": _size,
    "year": _year,
    "level": _words("level"),
    "unneeded": _yes_or_no,
    "works": _yes_or_no,
    "kind": _words("kind"),
    "set kind": _words("set kind"),
    "plays": _words("plays"),
    "state": _words("state"),
    "optional": _yes_or_no,
    "folder": _folder,
    "label": _short,
    "version": _version,
    "region": _short,
    "machine": _short,
    "choice": _short,
    "variant": _short,
    "title": _title,
    "why": _prose,
    "note": _prose,
    "maker": _prose,
    "set": _short_name,
    "parent": _short_name,
    "devices": lambda column: NEVER if column.known("yes or no") == 1 else 0,
    "bios": _short_name,
    "parent_name": _name,
}
