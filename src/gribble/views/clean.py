"""Text from outside, made harmless for a terminal."""

from __future__ import annotations

from gribble.core.base.paths import visible


def clean(text: str) -> str:
    """The text with everything that could play tricks on a terminal shown as an escape."""
    return visible(text, escape)


def escape(char: str) -> str:
    """A character as an escape; a byte of a name that is not UTF-8 as that byte."""
    code = ord(char)
    if 0xDC80 <= code <= 0xDCFF:
        return f"\\x{code - 0xDC00:02x}"
    return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}" if code < 1 << 16 else f"\\U{code:08x}"
