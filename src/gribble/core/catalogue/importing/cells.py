"""What the text of a cell looks like: a digest, the name of a file, a number, a size, a year, or nothing."""

from __future__ import annotations

import re

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.catalogue.importing.words import BINARY_UNITS, BLANKS

_LENGTHS = "|".join(f"[0-9a-f]{{{length}}}" for length in sorted(HEX_LENGTHS.values(), reverse=True))
DIGEST = re.compile(rf"(?<![0-9a-z])(?:0x)?({_LENGTHS})(?![0-9a-z])", re.IGNORECASE)
"""What has as many hex digits as a digest, even if it is a number."""
_FILE = re.compile(r"^[^\s<>\"|?*:=][^<>\"|?*:=\n]*\.[A-Za-z0-9_]{1,8}$")
_VERSION = re.compile(r"(^|\s)[vV]?\d+([.,]\d+)+\w?$")
_NUMBER = re.compile(r"^[\d., '\u00a0\u202f]*\d$|^0x[0-9a-f]+$", re.IGNORECASE)
_SIZE = re.compile(r"^(?P<digits>\d[\d., '\u00a0\u202f]*?)\s*(?P<unit>[^\W\d_]+)\.?$")
_YEAR = re.compile(r"^(19[4-9]|20[0-4])[0-9?]\??$|^(19|20)\?\?$")
_BEGINS = re.compile(
    r"(?:\s*(?:\[(?:\d{1,2}|[a-z]|note \d+|edit|bearbeiten|modifier|editar|modifica|bewerken|編集)\]"
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
    return bool(_FILE.match(text)) and not _VERSION.search(text) and len(text) < 200


def is_number(text: str) -> bool:
    """Whether it is a plain number."""
    return bool(_NUMBER.match(text.strip()))


def size_unit(text: str) -> str | None:
    """The unit of a size as it is there, empty for a plain number; None if it is no size."""
    if is_number(text):
        return ""
    match = _SIZE.match(text.strip())
    return match["unit"] if match and match["unit"].lower() in BINARY_UNITS else None


def is_year(text: str) -> bool:
    """Whether it is a year, perhaps one that is not known for sure."""
    return bool(_YEAR.match(text.strip()))


def is_datum(text: str) -> bool:
    """Whether it can are in a table's body only, not in its head."""
    return bool(digests_in(text)) or is_file_name(text) or size_unit(text) is not None
