"""The rules by which a drafted map takes a field from a column."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterable
from typing import NamedTuple

from gribble.core.base.paths import folder_of_all
from gribble.core.catalogue.importing.columns import HEAD_UNIT, HEX_HEAD, MOST_WORDS, Column
from gribble.core.catalogue.importing.values import ValueFault, in_bytes, number, size_unit
from gribble.core.catalogue.importing.words import meaning
from gribble.core.files.archives.opening import SET_ENDINGS
from gribble.core.records.imported import Field, Rules

_EXACT = re.compile(r"[KMG]i", re.IGNORECASE)
_COUNTS_BYTES = re.compile(r"^@|byte|octet|バイト", re.IGNORECASE)
"""A head that says what it counts; the attributes of an export count bytes."""
_TURNED = {"unneeded": {"yes": "extra", "no": "must"}, "works": {"yes": "good", "no": "suspect"}}
"""What yes and no mean in columns that say a field in other words."""
_REQUIRED = {"yes": "must", "no": "extra"}


class Ruled(NamedTuple):
    """The rules, what they do in words, whether something is assumed, and why they are not sure."""

    rules: Rules
    words: str = ""
    assumed: bool = False
    unsure: str = ""


def rules_for(field: str, column: Column) -> Ruled:
    """How a field is taken from a column."""
    if field in _WORDS:
        return _worded(field, column)
    if field in ("name", "aliases"):
        return _named(field, column)
    if field == "size":
        return _sized(column)
    if field == "optional":
        return _optional(column)
    if field == "machine" and _stands_for_below(column):
        return Ruled(
            (Field(from_=column.name, down=True),), "an empty cell means the same as the one above", assumed=True
        )
    if field == "set" and (ending := _ending_of_all(column.words)):
        return Ruled((Field(from_=column.name, suffix=ending),), f"{ending} behind them falls away")
    if field == "set" and len(column.values) < column.rows and column.every and column.every[0].strip():
        return Ruled(
            (Field(from_=column.name, down=True),), "an empty cell means the same as the one above", assumed=True
        )
    if field == "devices":
        signs = tuple(sign for sign in ("\n", ";", ",", "/", " ") if any(sign in word for word in column.words))[:1]
        return Ruled((Field(from_=column.name, split=signs),), f"parted at {signs[0]!r}" if signs else "")
    return Ruled((Field(from_=column.name),))


def _ending_of_all(names: Iterable[str]) -> str:
    """The ending of an archive that all names have; empty if they do not."""
    endings = {next((ending for ending in SET_ENDINGS if name.endswith(ending)), "") for name in names}
    return endings.pop() if len(endings) == 1 else ""


def _stands_for_below(column: Column) -> bool:
    """Whether a cell stands for the empty ones below it: the first says something, and none what the one above says."""
    said = [value.strip() for value in column.every if value.strip()]
    alike = any(one == other for one, other in itertools.pairwise(said))
    return len(said) < column.rows and bool(column.every[0].strip()) and len(said) > 1 and not alike


_WORDS = {
    "level": "level", "unneeded": "yes or no", "works": "yes or no", "kind": "kind", "set kind": "set kind",
    "plays": "plays", "state": "state",
}  # fmt: skip
"""Fields that have only some words, and which of the lists of words says what they mean."""


def _worded(field: str, column: Column) -> Ruled:
    """Each word of the column with what it stands for."""
    values, unknown = {}, []
    for word in list(column.words)[: MOST_WORDS + 1]:
        means = meaning(word, _WORDS[field])
        if field in _TURNED:
            means = _TURNED[field].get(means, "")
        elif not means and field == "level":
            means = _REQUIRED.get(meaning(word, "yes or no"), "")
        values[word] = means
        unknown += [] if means else [word]
    words = ", ".join(f"{word} is {means}" for word, means in values.items() if means)
    if field in ("level", "unneeded") and len(column.values) < column.rows and len(said := set(values.values())) == 1:
        empty = {"must": "extra", "extra": "must"}.get(next(iter(said)), "")
        rule = Field(from_=column.name, values=values, default=empty or None)
        return Ruled(
            (rule,),
            f"{words}, an empty cell is {empty}",
            assumed=True,
            unsure="" if empty else "its words say one thing",
        )
    unsure = f'"{unknown[0]}" is not a word that Gribble knows' if unknown else ""
    if field in ("level", "unneeded") and len(column.values) < column.rows:
        rule = Field(from_=column.name, values=values)
        return Ruled((rule,), f"{words}, an empty cell says nothing", assumed=True, unsure=unsure)
    return Ruled((Field(from_=column.name, values=values),), words, unsure=unsure)


def _named(field: str, column: Column) -> Ruled:
    signs = column.signs_of_names
    labels = any(re.search(r"\.\w+\s*[(\[][^()\[\]]+[)\]]$", word) for word in column.words)
    words = "further names in a cell are aliases" if signs and field == "name" else ""
    elsewhere = folder_of_all(column.words)
    words = f"{elsewhere} before them falls away" if elsewhere else words
    return Ruled((Field(from_=column.name, split=signs, labels=labels, prefix=elsewhere),), words)


def _sized(column: Column) -> Ruled:
    """A size: its unit, what parts its figures, and whether a K is taken for 1,024."""
    signs = column.signs_between(lambda text: size_unit(text.strip()) is not None)
    signs = tuple(sign for sign in signs if sign not in (",", ", "))
    texts = [in_bytes(piece) for word in column.words for piece in _pieces(word, signs)]
    units = {unit for text in texts if (unit := size_unit(text))}
    if HEX_HEAD.search(column.head):
        return Ruled((Field(from_=column.name, hex=True, split=signs),), "in hex")
    head = HEAD_UNIT.search(column.head)
    decimal, unsure = _decimal(texts)
    counts = {unit for unit in units if not re.fullmatch(r"b(ytes?|ajt)?|oct(ets?)?|バイト", unit, re.IGNORECASE)}
    assumed = bool(head or counts) and not all(map(_EXACT.match, counts or {head[1] if head else ""}))
    unit = head[1] if head and "" in {size_unit(text) for text in texts} else ""
    rule = Field(
        from_=column.name,
        unit=_spelled(unit),
        binary=(bool(units - {"", "B"}) and not unit) or "bit" in unit.lower(),
        decimal=decimal,
        split=signs,
    )
    words = "Gribble takes a K for 1,024 bytes" if assumed else ""
    says_unit = bool(units or head or _COUNTS_BYTES.search(column.name))
    return Ruled((rule,), words, assumed, unsure or _doubt(texts, rule, says_unit=says_unit))


def _doubt(texts: list[str], rule: Field, *, says_unit: bool) -> str:
    """Why some sizes may not be what they seem; empty if nothing tells."""
    if any(_is_rounded(text, rule) for text in texts):
        return "some are rounded"
    return "so small that they may be kilobytes" if not says_unit and _could_count_kilobytes(texts) else ""


def _could_count_kilobytes(texts: list[str]) -> bool:
    """Whether sizes are all powers of two below a kilobyte, as ROMs have them in kilobytes."""
    numbers = [int(re.sub(r"\D", "", text[:40]) or 0) for text in texts]
    return bool(numbers) and all(0 < one < 1024 and not one & (one - 1) for one in numbers)


def _is_rounded(text: str, rule: Field) -> bool:
    """Whether a size has a fraction of a byte, as only a rounded one has."""
    if size_unit(text) is None:
        return False
    try:
        number(text, rule)
    except ValueFault:
        return True
    return False


def _pieces(text: str, signs: tuple[str, ...]) -> list[str]:
    pieces = [text]
    for sign in signs:
        pieces = [piece for one in pieces for piece in one.split(sign)]
    return [piece.strip() for piece in pieces if piece.strip()]


def _spelled(unit: str) -> str:
    """A unit of a column's head as a map spells it."""
    if "bit" in unit.lower():
        return unit.capitalize()
    return {"k": "KiB", "m": "MiB", "g": "GiB"}[unit[0].lower()] if unit else ""


def _decimal(texts: list[str]) -> tuple[str, str]:
    """The sign before the fraction, told by the column as a whole, and why it cannot be told."""
    signs: dict[str, set[str]] = {".": set(), ",": set()}
    for text in texts:
        for sign in ".,":
            if sign in text:
                groups = re.fullmatch(rf"\d{{1,3}}(?:[{sign}]\d{{3}})+\D*", text)
                signs[sign].add("groups" if groups and not text.startswith("0") else "fraction")
    fractions = [sign for sign, kinds in signs.items() if "fraction" in kinds]
    if len(fractions) > 1:
        return "", "both a point and a comma stand before a fraction"
    if fractions and "groups" in signs[fractions[0]] and len(signs[fractions[0]]) > 1:
        return fractions[0], ""
    return (fractions[0] if fractions else ""), ""


def _optional(column: Column) -> Ruled:
    values = {word: meaning(word, "yes or no") for word in column.words}
    return Ruled((Field(from_=column.name, values=values),))
