"""Text files as people and systems write them: UTF-8 with a mark or without it, or UTF-16 as some editors do."""

from __future__ import annotations

import codecs
from typing import NamedTuple

_MARKS = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))


class NoTextError(ValueError):
    """A file is no text of these; it says which byte, counted from 0, is none."""


def encoding_of(data: bytes) -> tuple[int, str]:
    """How long the byte-order mark of a text is, and its encoding. Where there is none, a text in UTF-16 has zeros
    for every Latin letter, and one in UTF-8 has none."""
    for mark, encoding in _MARKS:
        if data.startswith(mark):
            return len(mark), encoding
    if len(data) > 1 and data.count(0) > len(data) // 8:
        return 0, "utf-16-le" if data[1::2].count(0) > data[::2].count(0) else "utf-16-be"
    return 0, "utf-8"


def text_of(data: bytes, *, errors: str = "strict") -> str:
    """The text of a file without its byte-order mark. Raises NoTextError, unless `errors` says otherwise."""
    skip, encoding = encoding_of(data)
    try:
        return data[skip:].decode(encoding, errors)
    except UnicodeDecodeError as error:
        what = "UTF-8" if encoding == "utf-8" else "UTF-16"
        raise NoTextError(f"is not {what} text (byte {skip + error.start})") from error


class Typed(NamedTuple):
    """A text as somebody typed it, and what writes it back so: its byte-order mark and its encoding."""

    text: str
    mark: bytes = b""
    encoding: str = "utf-8"

    @classmethod
    def of(cls, data: bytes) -> Typed:
        """The text of a file: UTF-8 or UTF-16, else the letters that Windows writes in the West."""
        skip, encoding = encoding_of(data)
        for each in (encoding, "cp1252"):
            try:
                return cls(data[skip:].decode(each), data[:skip], each)
            except UnicodeDecodeError:
                continue
        return cls(data.decode("latin-1"), b"", "latin-1")  # which has a letter for every byte

    def written(self, text: str) -> bytes:
        """Another text in the same encoding, in UTF-8 where that has not all of its letters."""
        try:
            return self.mark + text.encode(self.encoding)
        except UnicodeEncodeError:
            return text.encode()
