"""Amounts, times and texts as people write and read them."""

from __future__ import annotations

import re
from datetime import datetime

from gribble.core.base.errors import GribbleError

_BYTES = re.compile(r"^(\d+(?:\.\d+)?)\s*(|[KMGT]i?)B?$", re.IGNORECASE)
_POWERS = {"": 0, "K": 1, "M": 2, "G": 3, "T": 4}
LATEST = 4_102_444_800
"""The year 2100, in seconds since 1970: no time of ours is later."""
_DAYS = re.compile(r"^(\d{1,5})\s*(|d|w|days?|weeks?)$", re.IGNORECASE)


def read_bytes(text: str) -> int:
    """A size in bytes: "8GB" is decimal, "8GiB" binary. Raises GribbleError."""
    match = _BYTES.match(text.strip())
    if not match:
        raise GribbleError(f"'{text}' is not a size", fix="Write 8GB (decimal), 8GiB (binary) or a number of bytes.")
    number, unit = match.groups()
    base = 1024 if unit[1:] else 1000
    return int(float(number) * base ** _POWERS[unit[:1].upper()])


def read_days(text: str) -> int:
    """A span in days: "90d", "6w", or a number of days. Raises GribbleError."""
    match = _DAYS.match(text.strip())
    if not match:
        raise GribbleError(f"'{text}' is not a number of days", fix="Write 90d (days) or 6w (weeks).")
    number, unit = match.groups()
    return int(number) * (7 if unit.lower().startswith("w") else 1)


def since_words(when: float, now: float) -> str:
    """A time in seconds since 1970 as in "since 3 November", with the year where it is another than now's; empty for
    none, and for what is still to come."""
    if not 0 < when < LATEST or when > now + 60:
        return ""
    year = datetime.fromtimestamp(now).year
    return f"since {day_words(when).removesuffix(f' {year}')}"


def day_words(when: float) -> str:
    """The day of a time in seconds since 1970, as in "3 November 2025"."""
    then = datetime.fromtimestamp(when)
    return f"{then.day} {then:%B} {then.year}"


def count(number: int, one: str, many: str = "") -> str:
    """A number with its noun: "1 file", "3 files", "12,000 files"."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def size(bytes_: int) -> str:
    """A size in binary units: "512 B", "256 KiB", "1.4 MiB"."""
    if bytes_ < 1024:
        return f"{bytes_} B"
    value = float(bytes_)
    for unit in ("KiB", "MiB", "GiB", "TiB"):
        value /= 1024
        if value < 1024 or unit == "TiB":
            break
    return f"{value:.0f} {unit}" if value >= 100 or value == int(value) else f"{value:.1f} {unit}"
