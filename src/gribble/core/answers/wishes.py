"""What a friend lacks, and which of it one has: told by digests alone."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import NamedTuple

import msgspec

from gribble.core.base.cells import unguarded_cell
from gribble.core.base.digests import HEX_LENGTHS, with_zeros
from gribble.core.base.errors import Mistake, MistakesError
from gribble.core.base.regular import MOST_TEXT, read_text
from gribble.core.records.holding import Holding, key_of, nearness
from gribble.core.records.sheet import Accept, Need, Sheet
from gribble.core.survey.holdings import Stock

COLUMNS = ("emulator", "for", "file", "size", *HEX_LENGTHS)
"""What is read of the table that `gribble report --obtain` writes."""
MOST_WISHES = 100_000


class Wish(NamedTuple):
    """A file that a friend lacks, with the contents that would do, and those of one's own files that have one."""

    emulator: str
    what: str
    need: Need
    held: tuple[Holding, ...] = ()


def read_wishes(path: Path) -> list[Wish]:
    """The files of a table that `gribble report --obtain` wrote, also as a spreadsheet has saved it. Raises OSError,
    MistakesError."""
    text = read_text(path, MOST_TEXT, "utf-8-sig", errors="replace")
    head = text.partition("\n")[0]
    rows = csv.DictReader(io.StringIO(text, newline=""), delimiter=max(",;\t", key=head.count))
    if missing := [name for name in COLUMNS if name not in (rows.fieldnames or ())]:
        raise _wrong(Mistake(str(path), "", f"has no column {', '.join(missing)}"))
    found: list[Wish] = []
    try:
        for number, row in enumerate(rows, start=2):
            emulator, what, file = (unguarded_cell(row[name] or "") for name in ("emulator", "for", "file"))
            accept = _content(path, number, row)
            if (row.get("content") or "").startswith("or ") and found:  # another content for the row above
                last = found.pop()
                need = Need(id=last.need.id, folder="", name=last.need.name, accept=(*last.need.accept, accept))
                found.append(Wish(last.emulator, last.what, need))
            else:
                found.append(Wish(emulator, what, Need(id=str(number), folder="", name=file, accept=(accept,))))
            if len(found) > MOST_WISHES:
                raise _wrong(Mistake(str(path), "", f"has more than {MOST_WISHES:,} files"))
    except csv.Error as error:
        raise _wrong(Mistake(str(path), f"line {rows.line_num}", f"is no row of a table: {error}")) from None
    return found


def _content(path: Path, number: int, row: dict[str, str]) -> Accept:
    """What a row says of a content. A digest that a spreadsheet spoiled is left out where there is another one."""
    known: dict[str, str] = {}
    fault = ""
    for name, length in HEX_LENGTHS.items():
        value = (row[name] or "").lower()
        if value.isdecimal():
            value = with_zeros(value, length)
        if len(value) == length and not value.strip("0123456789abcdef"):
            known[name] = value
        elif value:
            fault = f"{value[:80]} is no {name}"
    if fault and not known:
        raise _wrong(Mistake(str(path), f"line {number}", fault))
    size = row["size"] or ""
    if size and not (size.isascii() and size.isdigit() and len(size) < 19):
        raise _wrong(Mistake(str(path), f"line {number}", f"{size[:80]} is no size in bytes"))
    return msgspec.convert({**known, "size": int(size) if size else None}, Accept)


def _wrong(mistake: Mistake) -> MistakesError:
    return MistakesError([mistake], fix="Name a table that gribble report --obtain FILE has written.")


def as_sheet(wishes: Iterable[Wish]) -> Sheet:
    """A sheet that wants all of it, so that a survey looks for it."""
    return Sheet(sheet=1, emulator="", folders={}, need=tuple(one.need for one in wishes))


def granted(wishes: Iterable[Wish], stock: Stock) -> Iterator[Wish]:
    """The wishes with the files that fulfil them, the nearest first."""
    for wish in wishes:
        held = {key_of(one): one for accept in wish.need.accept for one in stock.copies(accept, "")}
        yield wish._replace(held=tuple(sorted(held.values(), key=lambda one: nearness(one, ""))))
