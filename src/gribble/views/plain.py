"""Answers where standard output does not speak UTF-8: plain signs for the glyphs, escapes for other characters."""

from __future__ import annotations

import codecs
import contextlib
from typing import TextIO

from gribble.core.base.paths import visible

HANDLER = "gribble.plain"
"""What is done about a character that an encoding has not, by its name in `codecs`."""
_PLAIN = str.maketrans(
    {
        "●": "*", "◌": ".", "≈": "~", "→": ">", "◐": "/", "▲": "!", "○": "o", "·": "-", "◆": "+", "◇": "-",
        "■": "#", "□": "_", "△": "?", "▣": "#", "✎": ":", "↑": "^", "↳": ">", "↻": "~", "─": "-", "━": "-", "–": "-",
        "—": "-", "×": "x", "…": "...", "✓": "+", "✗": "x", "▼": "v", "’": "'", "‘": "'", "“": '"', "”": '"',
    }
)  # fmt: skip
"""Signs of one column for those that are in columns."""


def _plain(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    lost = error.object[error.start : error.end]
    return "".join(one if one.isascii() else escape(one) for one in lost.translate(_PLAIN)), error.end


codecs.register_error(HANDLER, _plain)


def never_fail(*streams: TextIO) -> None:
    """From here on a character that a stream's encoding has not is written plain, and what is typed is always text."""
    for stream in streams:
        if hasattr(stream, "reconfigure"):
            with contextlib.suppress(ValueError, OSError):
                stream.reconfigure(errors=HANDLER if stream.writable() else "replace")


def is_utf8(encoding: str | None) -> bool:
    """Whether an encoding, by any of its names, is UTF-8; none said is."""
    try:
        return codecs.lookup(encoding or "utf-8").name == "utf-8"
    except LookupError:
        return False


def clean(text: str) -> str:
    """The text with everything that could play tricks on a terminal shown as an escape."""
    return visible(text, escape)


def escape(char: str) -> str:
    """A character as an escape; a byte of a name that is not UTF-8 as that byte."""
    code = ord(char)
    if 0xDC80 <= code <= 0xDCFF:
        return f"\\x{code - 0xDC00:02x}"
    return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}" if code < 1 << 16 else f"\\U{code:08x}"
