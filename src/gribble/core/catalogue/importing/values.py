"""Converting the values of a list: numbers with units, digests in any dress, words for yes and no.

Spreadsheets mangle what looks like a number: leading zeros fall away, digests turn into powers of ten. What can be told
is told; nothing is guessed.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.catalogue.importing.fieldmap import UNITS, Field
from gribble.core.catalogue.importing.lists import Node

_POWER = re.compile(r"^\d+([.,]\d+)?[eE][+-]?\d+$")
_NUMBER = re.compile(r"^(\d[\d ,.']*?)\s*([A-Za-z]*)$")
_FORMULA = re.compile(r'^="(.*)"$')
_YES = {"yes": True, "true": True, "1": True, "y": True, "no": False, "false": False, "0": False, "n": False, "": False}


class ValueFault(Exception):
    """A value cannot be taken over; the text says why."""


def texts(node: Node, field: Field) -> Iterator[str]:
    """The values of a field in a record, stripped and translated."""
    found = node.values(field.from_)
    if not found and field.default is not None:
        found = [field.default]
    for raw in found:
        for part in raw.split(field.split) if field.split else (raw,):
            text = part.strip()
            if text.startswith("=") and (match := _FORMULA.match(text)):
                text = match[1]
            if field.prefix or field.suffix:
                text = text.removeprefix(field.prefix).removesuffix(field.suffix).strip()
            if field.values:
                text = field.values.get(text, text)
            if text:
                yield text


def text(node: Node, field: Field) -> str | None:
    """The one value of a field; None where it has none. Raises ValueFault where it has several."""
    raw = node.values(field.from_)
    if (
        len(raw) == 1
        and raw[0]
        and raw[0][0] != "="
        and not (field.values or field.prefix or field.suffix or field.split)
    ):
        return raw[0].strip() or None  # the short way
    found = list(texts(node, field))
    if len(found) > 1 and len(found := list(dict.fromkeys(found))) > 1:
        raise ValueFault(f"has {len(found)} values ({found[0]}, {found[1]} …) where one is right")
    return found[0] if found else None


def number(value: str, field: Field) -> int:
    """A whole number, or a size with its unit, in bytes. Raises ValueFault."""
    if value.isdecimal() and not field.unit:
        return int(value)
    if value.lower().startswith("0x"):
        try:
            return int(value, 16)
        except ValueError:
            raise ValueFault(f'"{value}" is no number') from None
    match = _NUMBER.match(value)
    if match is None:
        raise ValueFault(f'"{value}" is no number')
    digits, unit = match[1].strip(), match[2] or field.unit
    if unit and unit not in UNITS:
        raise ValueFault(f'"{value}" has a unit that is none of {", ".join(UNITS)}')
    whole = re.sub(r"[ ,.'](?=\d{3}(\D|$))", "", digits)
    if not whole.isdecimal():
        raise ValueFault(f'"{value}" is no whole number')
    return int(whole) * UNITS[unit or "B"]


def digest(value: str, algorithm: str, field: Field) -> str:
    """A digest in lower-case hexadecimal. Raises ValueFault."""
    length = HEX_LENGTHS[algorithm]
    shown = re.sub(r"^0[xX]|[\s:-]", "", value).lower()
    if set(shown) <= set("0123456789abcdef") and len(shown) == length:
        return shown
    if _POWER.match(value):
        raise ValueFault(f'"{value}" was turned into a number by a spreadsheet; export the column as text')
    if not set(shown) <= set("0123456789abcdef"):
        raise ValueFault(f'"{value}" holds characters that are not hex digits')
    if len(shown) < length and field.pad:
        return shown.rjust(length, "0")
    hint = "; if a spreadsheet dropped leading zeros, pad = true puts them back" if len(shown) < length else ""
    raise ValueFault(f'"{value}" has {len(shown)} hex digits where {length} are right{hint}')


def yes(value: str) -> bool:
    """A word for yes or no. Raises ValueFault."""
    if value.lower() not in _YES:
        raise ValueFault(f'"{value}" is neither yes nor no; say in the map what it stands for: values = {{ … }}')
    return _YES[value.lower()]
