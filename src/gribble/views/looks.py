"""Gribble's looks: a glyph, a word and a colour for every verdict and state, never colour alone.

The colours are a palette of our own, chosen to stay apart for colour-blind eyes (by lightness as well as by hue) and
to be readable on dark and light backgrounds alike (contrast of about 4 to white and to near black).
"""

from __future__ import annotations

import os
from datetime import UTC, datetime
from pathlib import Path

from gribble.core.base.names import words_of
from gribble.core.records.findings import State, Verdict

VERDICTS: dict[str, tuple[str, str]] = {
    Verdict.SOUND: ("●", "#3688b1"),
    Verdict.UNPROVEN: ("◌", "#73808d"),
    Verdict.MISNAMED: ("≈", "#977c26"),
    Verdict.ASTRAY: ("→", "#8a72c6"),
    Verdict.DAMAGED: ("◐", "#b2722f"),
    Verdict.UNFIT: ("▼", "#a0608f"),
    Verdict.IMPOSTER: ("▲", "#c5588d"),
    Verdict.MISSING: ("○", "#b5654a"),
    Verdict.UNSET: ("○", "#b5654a"),
    Verdict.WRONG: ("▲", "#c5588d"),
    Verdict.UNPLAYABLE: ("▲", "#c5588d"),
    "known": ("●", "#3688b1"),
    "rejected": ("▲", "#c5588d"),
    "unknown": ("·", "#73808d"),
}
"""Glyph and colour of each verdict."""

TALLIED = (State.READY, State.LIMITED, State.BLOCKED, State.UNKNOWN)
"""The states that are counted, as they are told."""

STATES: dict[str, tuple[str, str]] = {
    State.READY: ("◆", "#3688b1"),
    State.LIMITED: ("◇", "#977c26"),
    State.BLOCKED: ("■", "#c5588d"),
    State.AWAY: ("□", "#73808d"),
    State.UNKNOWN: ("△", "#c5588d"),
}
"""Glyph and colour of each state."""

DIGEST_NAMES = {"crc32": "CRC-32", "md5": "MD5", "sha1": "SHA-1", "sha256": "SHA-256"}
"""Digest algorithms as people write them."""

QUIET = "#73808d"
"""Colour of what matters less."""

NEXT = "bold #3688b1"
"""Style of what to do next."""


SIXTEEN = {
    "#3688b1": "bright_blue", "#73808d": "bright_black", "#977c26": "magenta", "#8a72c6": "bright_magenta",
    "#b2722f": "red", "#a0608f": "magenta", "#c5588d": "bright_red", "#b5654a": "red",
}  # fmt: skip
"""What stands for each colour where there are only sixteen: those that can be read on white and on black alike."""


def iso(when: int) -> str | None:
    """A time in nanoseconds since 1970 as ISO 8601; None for none."""
    try:
        return datetime.fromtimestamp(when / 10**9, UTC).isoformat(timespec="seconds") if when > 0 else None
    except (ValueError, OverflowError, OSError):
        return None


def zoned(when: str) -> str:
    """A local time as a journal has it, with its zone, as ISO 8601; what is no time as it is."""
    try:
        return datetime.fromisoformat(when).astimezone().isoformat(timespec="seconds")
    except (ValueError, OverflowError, OSError):
        return when


def with_title(name: str, title: str) -> str:
    """A set by its name, with its title where that says more."""
    return f"{name} ({title})" if title and words_of(title) != name else name


def kept_words(kept: Path | None) -> str:
    """Where the former file is, to follow the name of the one that took its place; empty if there was none."""
    return f" (the former file is kept as {kept.name})" if kept else ""


def shorten(path: str) -> str:
    """A path relative to the working folder, where that is shorter; an address as it is."""
    if "://" in path:
        return path
    try:
        relative = os.path.relpath(path)
    except (ValueError, OSError):
        return path
    return relative if len(relative) < len(path) else path
