"""Answers where standard output does not speak UTF-8: plain signs for the glyphs, escapes for other characters."""

from __future__ import annotations

import codecs
import contextlib
from typing import TextIO

from gribble.views.clean import escape

HANDLER = "gribble.plain"
"""What is done about a character that an encoding has not, by its name in `codecs`."""
_PLAIN = str.maketrans(
    {
        "●": "*", "◌": ".", "≈": "~", "→": ">", "◐": "/", "▲": "!", "○": "o", "·": "-", "◆": "+", "◇": "-",
        "■": "#", "□": "_", "△": "?", "▣": "#", "✎": ":", "↑": "^", "↳": ">", "↻": "~", "─": "-", "━": "-", "–": "-",
        "—": "-", "×": "x", "…": "...", "✓": "+", "✗": "x", "▼": "v", "’": "'", "‘": "'", "“": '"', "”": '"',
    }
)  # fmt: skip
"""Signs of one column for those that stand in columns."""


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
