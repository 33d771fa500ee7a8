"""The shapes of single values: what is a digest, a file's name, a size, a year."""

from __future__ import annotations

import re

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.catalogue.importing.values import BINARY_UNITS, BLANKS

_LENGTHS = "|".join(f"[0-9a-f]{{{length}}}" for length in sorted(HEX_LENGTHS.values(), reverse=True))
_DIGEST = re.compile(rf"(?<![0-9a-z])(?:0x)?({_LENGTHS})(?![0-9a-z])", re.IGNORECASE)
_FILE = re.compile(r"^[^\s<>\"|?*:=][^<>\"|?*:=\n]*\.[A-Za-z0-9_]{1,8}$")
_NUMBER = re.compile(r"^[\d., '\u00a0\u202f]*\d$|^0x[0-9a-f]+$", re.IGNORECASE)
_SIZE = re.compile(r"^(?P<digits>\d[\d., '\u00a0\u202f]*?)\s*(?P<unit>[^\W\d_]+)\.?$")
_YEAR = re.compile(r"^(19[4-9]|20[0-4])[0-9?]\??$|^(19|20)\?\?$")
_MARKS = re.compile(r"(?:\s*(?:\[\d{1,2}\]|[¹²³⁴⁵⁶⁷⁸⁹†‡]|(?<=\w)\*))+$", re.MULTILINE)
_HEX = re.compile(r"^[0-9A-Fa-f]+$")
_HEX_NUMBER = re.compile(r"^\d{8}$")


def without_marks(text: str) -> str:
    """A cell without the marks of footnotes behind its words; what is nothing else stays."""
    return _MARKS.sub("", text) or text


def is_blank(text: str) -> bool:
    """Whether nothing is said."""
    return not text.strip() or text.strip().casefold() in BLANKS


def digests_in(text: str) -> dict[str, int]:
    """How many digests of each kind stand in a text; eight figures alone are none."""
    found: dict[str, int] = {}
    for match in _DIGEST.finditer(_joined(text)):
        if not _HEX_NUMBER.match(match[1]):
            name = next(name for name, length in HEX_LENGTHS.items() if length == len(match[1]))
            found[name] = found.get(name, 0) + 1
    return found


def _joined(text: str) -> str:
    """A digest in groups of equal length (`0A-1B-2C-3D`) without what stands between them."""
    groups = re.split(r"[ :-]", text.strip())
    alike = len(groups) > 1 and len({len(group) for group in groups}) == 1 and len(groups[0]) <= 8
    shown = "".join(groups)
    return shown if alike and len(shown) in HEX_LENGTHS.values() and _HEX.match(shown) else text


def is_file_name(text: str) -> bool:
    """Whether it looks like the name of a file, perhaps with folders: it has an ending, and is no number or version."""
    text = text.strip()
    return bool(_FILE.match(text)) and not re.fullmatch(r"[vV]?\d+([.,]\d+)+\w?", text) and len(text) < 200


def is_number(text: str) -> bool:
    """Whether it is a plain number."""
    return bool(_NUMBER.match(text.strip()))


def size_unit(text: str) -> str | None:
    """The unit of a size as it stands there, empty for a plain number; None where it is no size."""
    if is_number(text):
        return ""
    match = _SIZE.match(text.strip())
    return match["unit"] if match and match["unit"].lower() in BINARY_UNITS else None


def is_year(text: str) -> bool:
    """Whether it is a year, perhaps one that is not known for sure."""
    return bool(_YEAR.match(text.strip()))


def is_datum(text: str) -> bool:
    """Whether it can stand in a table's body only, not in its head."""
    return bool(digests_in(text)) or is_file_name(text) or size_unit(text) is not None
