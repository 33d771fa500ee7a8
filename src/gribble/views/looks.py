"""Gribble's looks: a glyph, a word and a colour for every verdict and state, never colour alone.

The colours are a palette of our own, chosen to stay apart for colour-blind eyes (by lightness as well as by hue) and
to be readable on dark and light backgrounds alike.
"""

from __future__ import annotations

from gribble.core.audit.findings import State, Verdict

VERDICTS: dict[str, tuple[str, str]] = {
    Verdict.SOUND: ("●", "#3d8fb8"),
    Verdict.UNPROVEN: ("◌", "#7f8a96"),
    Verdict.MISNAMED: ("≈", "#a98c32"),
    Verdict.ASTRAY: ("→", "#8f78c9"),
    Verdict.DAMAGED: ("◐", "#bf7f3a"),
    Verdict.IMPOSTER: ("▲", "#c95f93"),
    Verdict.MISSING: ("○", "#b5654a"),
    "known": ("●", "#3d8fb8"),
    "rejected": ("▲", "#c95f93"),
    "unknown": ("·", "#7f8a96"),
}
"""Glyph and colour of each verdict."""

STATES: dict[str, tuple[str, str]] = {
    State.READY: ("◆", "#3d8fb8"),
    State.LIMITED: ("◇", "#a98c32"),
    State.BLOCKED: ("■", "#c95f93"),
    State.AWAY: ("□", "#7f8a96"),
}
"""Glyph and colour of each state."""

DIGEST_NAMES = {"crc32": "CRC-32", "md5": "MD5", "sha1": "SHA-1", "sha256": "SHA-256"}
"""Digest algorithms as people write them."""

QUIET = "#7f8a96"
"""Colour of what matters less."""


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
