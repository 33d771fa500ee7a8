"""The values of a list: what the text of a cell looks like (a digest, the name of a file, a number, a size, a year, or
nothing), and converting it: numbers with units, digests in any dress, words for yes and no.

Spreadsheets mangle what looks like a number: leading zeros fall away, digests turn into powers of ten. What can be told
is told; nothing is guessed.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from decimal import Decimal, InvalidOperation
from typing import NamedTuple

from gribble.core.base.digests import HEX_LENGTHS, with_zeros
from gribble.core.base.kinds import MOST_NUMBER
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.importing.fieldmap import PARTS, UNITS
from gribble.core.catalogue.importing.nodes import Node
from gribble.core.catalogue.importing.words import BINARY_UNITS, BLANKS
from gribble.core.records.imported import Field

POWER = re.compile(r"^\d+([.,]\d+)?[eE][+-]?\d+$")
_DATE = re.compile(r"^\d{4}-\d\d-\d\d([T ]|$)")
_AMOUNT = re.compile(r"^(\d[\d .,'\u00a0\u202f]*?)\s*([^\W\d_]*)\.?$")
_GROUPS = re.compile(r"[ .,'\u00a0\u202f](?=\d{3}(?!\d))")
_FORMULA = re.compile(r'^="(.*)"$')
_BEHIND = re.compile(r"^(?P<value>.*?\S)\s*[(\[](?P<label>[^()\[\]]+)[)\]]$", re.DOTALL)
_LONGEST_NAMED = 1000
"""No name with what is said of it in brackets has so many characters."""
_YES = {"yes": True, "true": True, "1": True, "y": True, "no": False, "false": False, "0": False, "n": False, "": False}
NOT_CUT = r"(?![0-9A-Za-z]|\s?(?:…|\.\.))"
"""What is behind a digest that is not cut short."""
_DIGEST = {
    length: re.compile(rf"(?<![0-9A-Za-z])(?:0[xX])?(?P<digest>[0-9A-Fa-f]{{{length}}}){NOT_CUT}")
    for length in HEX_LENGTHS.values()
}


class ValueFault(Exception):
    """A value cannot be taken over; the text says why. `of_map` says that the map is at fault, not the list; `spoiled`
    that a spreadsheet has made another number of it."""

    def __init__(self, what: str, *, of_map: bool = False, spoiled: bool = False) -> None:
        super().__init__(what)
        self.of_map, self.spoiled = of_map, spoiled


class Part(NamedTuple):
    """One of the values of a field in a record, and what is said of it in brackets."""

    text: str
    label: str = ""


def parts(node: Node, rule: Field, algorithm: str = "") -> Iterator[Part]:
    """The values that a rule finds in a record, stripped and translated. Raises ValueFault for a word that its values
    do not have."""
    found = False
    for raw in _usual_first(node, rule) if rule.first else node.values(rule.from_):
        for one in _split(raw, rule.split):
            for part in _picked(one, algorithm) if rule.pick and algorithm else (_labelled(one, rule),):
                text = _plain(part.text, rule)
                if text:
                    found = True
                    yield part._replace(text=text)
    if not found and rule.default:
        yield Part(rule.default)


def _usual_first(node: Node, rule: Field) -> list[str]:
    """The values of a rule, those first that say yes at the path beside."""
    way, _, last = rule.from_.rpartition("/")
    nodes = node.inner(way) if way else [node]
    usual = [one for one in nodes if any(_YES.get(word.lower()) for word in one.values(rule.first))]
    return [value for one in (*usual, *(one for one in nodes if one not in usual)) for value in one.values(last)]


def _split(raw: str, signs: tuple[str, ...]) -> list[str]:
    pieces = [raw]
    for sign in signs:
        pieces = [piece for one in pieces for piece in one.split(sign)]
    return pieces


def _picked(text: str, algorithm: str) -> Iterator[Part]:
    """The digests of one kind that are in a text, each with the words in brackets behind it. Raises ValueFault if
    it says something, and has no digest of any kind."""
    text = one_digest(text, HEX_LENGTHS[algorithm])
    matches = list(_DIGEST[HEX_LENGTHS[algorithm]].finditer(text))
    if not matches and text.strip().casefold() not in BLANKS and not any(one.search(text) for one in _DIGEST.values()):
        digest(text.strip(), algorithm, Field(from_=""))
    for match, after in zip(matches, [*matches[1:], None], strict=False):
        behind = text[match.end() : after.start() if after else len(text)]
        label = re.match(r"\s*[(\[]([^()\[\]]+)[)\]]", behind)
        yield Part(match["digest"], label[1].strip() if label else "")


def _labelled(text: str, rule: Field) -> Part:
    match = _BEHIND.match(text.strip()) if rule.labels and len(text) < _LONGEST_NAMED else None
    return Part(match["value"], match["label"].strip()) if match else Part(text)


def _plain(text: str, rule: Field) -> str:
    """A value without what falls away, translated. Raises ValueFault for a word that `values` does not have."""
    text = text.strip()
    if text.casefold() in BLANKS and text not in rule.values:
        return ""
    if text.startswith("=") and (match := _FORMULA.match(text)):
        text = match[1]
    if rule.prefix or rule.suffix or rule.part:
        text = in_part(text.removeprefix(rule.prefix).removesuffix(rule.suffix), rule.part)
        text = text.removesuffix(rule.suffix if rule.part else "").strip()  # the first of a path has it, too
    if not rule.values or not text:
        return text
    for word in (text, "*"):
        if word in rule.values:
            return rule.values[word]
    folded = {word.casefold(): one for word, one in rule.values.items()}
    if text.casefold() in folded:
        return folded[text.casefold()]
    raise ValueFault(
        f'"{text}" is not one of the words that the map knows{suggest(text, list(rule.values))}; '
        '"*" stands for all other words',
        of_map=True,
    )


_NAME = r"[\w.+!-]+"
_NAME_AND_TITLE = re.compile(rf"(?P<name>{_NAME})(?:\s*[:–—-]\s+(\S.*)|\s+\((\S.*)\)|\s+\"([^\"]+)\".*)?")
_TITLE_AND_NAME = re.compile(rf"(\S.*?)\s+[(\[](?P<name>{_NAME})[)\]]")
_LONGEST_HEADING = 200


def in_part(text: str, part: str) -> str:
    """A part of a text, which is empty if it has none, or all of it: of a path its first folder, which may be an
    archive, and what is in it; of a name with a title behind it both, also where the name is in brackets behind."""
    if part in ("first", "rest"):
        first, _, rest = text.replace("\\", "/").removeprefix("./").partition("/")
        return rest if part == "rest" else first if rest else ""
    if part not in PARTS:
        return text
    text = text[:_LONGEST_HEADING]
    match = _NAME_AND_TITLE.fullmatch(text) if part in ("name", "title") else _TITLE_AND_NAME.fullmatch(text)
    if part in ("name", "in brackets"):
        return match["name"] if match else text if re.fullmatch(_NAME, text) else ""
    return next((one for one in match.groups() if one and one != match["name"]), "") if match else ""


def single(found: list[Part]) -> str | None:
    """The one value of a field; None if it has none. Raises ValueFault if it has several."""
    words = list(dict.fromkeys(one.text for one in found))
    if len(words) > 1:
        raise ValueFault(f"has {len(words)} values ({words[0]}, {words[1]} …) where there should be one", of_map=True)
    return words[0] if words else None


LONGEST_NUMBER = 40
"""No number with its unit has more characters."""


def number(value: str, rule: Field) -> int:
    """A whole number, or a size with its unit, in bytes. Raises ValueFault."""
    value = in_bytes(value)
    if len(value) > LONGEST_NUMBER:
        raise ValueFault(f'"{value[:LONGEST_NUMBER]}…" is not a number')
    found = _number(value, rule)
    if found > MOST_NUMBER:
        raise ValueFault(f'"{value}" is more than any file can have')
    return found


def in_bytes(text: str) -> str:
    """Of a size that is told twice, such as 512 KB (524,288 bytes), the one in bytes; else the text as it is."""
    match = _TWICE.match(text[: 2 * LONGEST_NUMBER])
    return next((one for one in match.groups() if _BYTES.match(one)), text) if match else text


_TWICE = re.compile(r"^\s*(\d[^()=/]*?)\s*[(=/]\s*(\d[^()=/]*?)\s*\)?\s*$")
_BYTES = re.compile(r"^\d[\d., '\u00a0\u202f]*\s*(?:b|bytes?|octets?|バイト)$", re.IGNORECASE)


def _number(value: str, rule: Field) -> int:
    if rule.hex:
        return _hexadecimal(value)
    if value.isdecimal() and not rule.unit:
        return int(value)
    if value.lower().startswith("0x"):
        return _hexadecimal(value)
    match = _AMOUNT.match(value)
    if match is None:
        raise ValueFault(f'"{value}" is not a number')
    return _whole(match[1].strip(), rule.decimal, _bits(value, match[2] or rule.unit, rule), value)


def _hexadecimal(value: str) -> int:
    """A number to the base of sixteen, as `2000`, `0x2000`, `$2000` or `2000h`."""
    match = re.fullmatch(r"(?:0[xX]|\$)?([0-9A-Fa-f]+)[hH]?", value.strip())
    if match is None:
        raise ValueFault(f'"{value}" is not a number')
    return int(match[1], 16)


def _bits(value: str, unit: str, rule: Field) -> int:
    """How many bits a unit counts."""
    if rule.binary and unit.lower() in BINARY_UNITS:
        bits = BINARY_UNITS[unit.lower()]
        power = (bits.bit_length() - 1) // 10  # 8 of 8 << 10
        return int(bits // 1024**power * rule.kilo**power)
    if unit and unit not in UNITS:
        hint = "; binary = true lets Gribble read it" if unit.lower() in BINARY_UNITS else ""
        raise ValueFault(f'"{value}" has a unit that is none of {", ".join(UNITS)}{hint}', of_map=True)
    return UNITS[unit or "B"] * 8


def _whole(digits: str, decimal: str, bits: int, value: str) -> int:
    """The number of bytes that some digits stand for, without the signs between groups of three."""
    if decimal:
        whole, _, fraction = digits.rpartition(decimal) if decimal in digits else (digits, "", "")
        digits = f"{_GROUPS.sub('', whole)}.{fraction or '0'}"
    else:
        digits = _GROUPS.sub("", digits)
    try:
        found = Decimal(digits) * bits / 8
    except InvalidOperation:
        raise ValueFault(f'"{value}" is not a whole number') from None
    if found != int(found):
        raise ValueFault(f'"{value}" is not a whole number{" of bytes" if bits > 8 else ""}')
    return int(found)


def one_digest(text: str, length: int) -> str:
    """A digest of so many figures that is broken over lines, as one; else the text as it is."""
    shown = "".join(text.split())
    return shown if len(shown) == length and not set(shown.lower()) - set("0123456789abcdef") else text


def digest(value: str, algorithm: str, field: Field) -> str:
    """A digest in lower-case hexadecimal. Raises ValueFault."""
    length = HEX_LENGTHS[algorithm]
    shown = re.sub(r"^0[xX]|[\s:-]", "", value).lower()
    if set(shown) <= set("0123456789abcdef") and len(shown) == length:
        return shown
    if _DATE.match(value):
        raise ValueFault(f'"{value}" was turned into a date by a spreadsheet; export the column as text', spoiled=True)
    if POWER.match(value) or (field.pad and not shown.strip("0")):  # 0 was 00e00001, or anything like that
        raise ValueFault(
            f'"{value}" was turned into a number by a spreadsheet; export the column as text', spoiled=True
        )
    if not set(shown) <= set("0123456789abcdef"):
        raise ValueFault(f'"{value}" has characters that are not hex digits')
    if len(shown) < length and field.pad:
        return with_zeros(shown, length)
    hint = "; if a spreadsheet dropped leading zeros, pad = true adds them" if len(shown) < length else ""
    spoiled = value.isdecimal() and len(shown) < length
    raise ValueFault(f'"{value}" has {len(shown)} hex digits, not {length}{hint}', spoiled=spoiled)


def yes(value: str) -> bool:
    """A word for yes or no. Raises ValueFault."""
    if value.lower() not in _YES:
        raise ValueFault(
            f'"{value}" is neither yes nor no; write in the map what it means: values = {{ … }}', of_map=True
        )
    return _YES[value.lower()]


_LENGTHS = "|".join(f"[0-9a-f]{{{length}}}" for length in sorted(HEX_LENGTHS.values(), reverse=True))
DIGEST = re.compile(rf"(?<![0-9a-z])(?:0x)?({_LENGTHS}){NOT_CUT}", re.IGNORECASE)
"""What has as many hex digits as a digest, even if it is a number."""
_FILE = re.compile(r"^(?:[A-Za-z]:[\\/])?[^\s<>\"|?*:=][^<>\"|?*:=\n]*\.[A-Za-z0-9_]{1,8}$")
_VERSION = re.compile(r"(^|\s)[vV]?\d+([.,]\d+)+\w?$")
_NUMBER = re.compile(r"^[\d., '\u00a0\u202f]*\d$|^0x[0-9a-f]+$", re.IGNORECASE)
_SIZE = re.compile(r"^(?P<digits>\d[\d., '\u00a0\u202f]*?)\s*(?P<unit>[^\W\d_]+)\.?$")
_YEAR = re.compile(r"^(19[4-9]|20[0-4])[0-9?]\??$|^(19|20)\?\?$")
_BEGINS = re.compile(
    r"(?<!\s)(?:\s*(?:\[(?:\d{1,2}|[a-z]|note \d+|edit|bearbeiten|modifier|editar|modifica|bewerken|編集)\]"
    r"|[¹²³⁴⁵⁶⁷⁸⁹†‡]|(?<=\w)\*))+$",
    re.MULTILINE | re.IGNORECASE,
)
_HEX = re.compile(r"^[0-9A-Fa-f]+$")
_HEX_NUMBER = re.compile(r"^\d{8}$")


def without_marks(text: str) -> str:
    """A cell without the marks of footnotes behind its words; what is nothing else stays."""
    return _BEGINS.sub("", text) or text


def is_blank(text: str) -> bool:
    """Whether nothing is said."""
    return not text.strip() or text.strip().casefold() in BLANKS


def digests_in(text: str) -> dict[str, int]:
    """How many digests of each kind are in a text; eight figures alone are none."""
    found: dict[str, int] = {}
    for match in DIGEST.finditer(_joined(text)):
        if not _HEX_NUMBER.match(match[1]):
            name = next(name for name, length in HEX_LENGTHS.items() if length == len(match[1]))
            found[name] = found.get(name, 0) + 1
    return found


def _joined(text: str) -> str:
    """A digest in groups (`0A-1B-2C-3D`), or broken over lines, without what stands between them."""
    groups = re.split(r"[ :-]", text.strip())
    alike = len(groups) > 1 and len({len(group) for group in groups}) == 1 and len(groups[0]) <= 8
    shown = "".join(groups)
    if not alike:
        groups = text.split()
        shown = "".join(groups)
        alike = len(groups) > 1 and len(shown) >= 32 and {len(one) for one in groups}.isdisjoint(HEX_LENGTHS.values())
    return shown if alike and len(shown) in HEX_LENGTHS.values() and _HEX.match(shown) else text


def is_file_name(text: str) -> bool:
    """Whether it looks like the name of a file, perhaps with folders: it has an ending, and is no number or version."""
    text = text.strip()
    return len(text) < 200 and bool(_FILE.match(text)) and not _VERSION.search(text)


def is_number(text: str) -> bool:
    """Whether it is a plain number."""
    return bool(_NUMBER.match(text.strip()))


def size_unit(text: str) -> str | None:
    """The unit of a size as it is there, empty for a plain number; None if it is no size."""
    if is_number(text := in_bytes(text)):
        return ""
    if len(text) > LONGEST_NUMBER:
        return None
    match = _SIZE.match(text.strip())
    return match["unit"] if match and match["unit"].lower() in BINARY_UNITS else None


def is_year(text: str) -> bool:
    """Whether it is a year, perhaps one that is not known for sure."""
    return bool(_YEAR.match(text.strip()))


def is_datum(text: str) -> bool:
    """Whether it can are in a table's body only, not in its head."""
    return bool(digests_in(text)) or is_file_name(text) or size_unit(text) is not None
