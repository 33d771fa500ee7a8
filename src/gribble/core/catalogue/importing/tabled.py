"""Which tables of a list are its records, by what their columns have."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from msgspec import structs

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.found import SAMPLE_ROWS, Asked, Found, columns_of
from gribble.core.catalogue.importing.guessing import guess_fields
from gribble.core.catalogue.importing.lists import ALL_TABLES, page_rows, table_rows, whole_text
from gribble.core.catalogue.importing.nodes import HEADING
from gribble.core.catalogue.importing.plaintext import text_title
from gribble.core.catalogue.importing.sniffing import is_page
from gribble.core.catalogue.importing.tables import Head
from gribble.core.catalogue.importing.values import digests_in, is_file_name
from gribble.core.records.imported import Degree, ListFormat, Looks

FIELDS_OF_SHEETS = (
    "name", "title", "level", "unneeded", "state", "works", "kind", "machine", "folder", "size", "region", "version",
    "label", "aliases", "why", "choice",
)  # fmt: skip
FIELDS_OF_PLAYS = ("set", "title", "plays", "note")
_ONE_TABLE = (ListFormat.CSV, ListFormat.TSV)
MAY_LIST = (
    ListFormat.HTML, ListFormat.MARKDOWN, ListFormat.TEXT, ListFormat.LIST, ListFormat.CSV, ListFormat.TSV,
    ListFormat.KEYS, ListFormat.JSON, ListFormat.YAML,
)  # fmt: skip
"""What may be a list of entries, where it has no table and no records."""

_DEFAULT_SHEETS = re.compile(
    r"^(sheet|tabelle|feuil|feuille|hoja|foglio|planilha|folha|blad|シート)\s*\d*$", re.IGNORECASE
)


_Table = tuple[tuple[str, ...], list[tuple[Head, list[str]]]]
"""A table: the names of its columns, and its rows."""


def found_in_tables(path: Path, looks: Looks, asked: Asked) -> tuple[Looks, Found]:
    """The records in the tables of a list, and how the file was read for them. Raises GribbleError if none or several
    could be the list, OSError and UnicodeDecodeError."""
    bad: dict[str, None] = {}
    looks, good = _good_tables(path, looks, asked, bad)
    found, rows, others = _together(good, asked)
    if any(len(one[1]) * 3 >= len(rows) for one in others):
        raise GribbleError(
            f"{path} has several tables that could be the list. They are: {_shown(good[:5])}",
            fix=f"Say which: --table {rows[0][0].number}",
        )
    notes = tuple(f"table {rest[0][0].number} ({', '.join(head[:4])}) is left out" for head, rest in others)
    notes += tuple(f"what is below {heading} is left out" for heading in bad)
    headings = dict.fromkeys(head.heading for head, _ in rows if head.heading)
    usual = tuple(one for one in headings if not _DEFAULT_SHEETS.match(one))
    of_all = len(usual) == 1 and all(head.heading == usual[0] for head, _ in rows)
    title = _title(path, looks) or (usual[0] if of_all else "")
    text = "" if looks.format in (*_ONE_TABLE, ListFormat.WORKBOOK) else whole_text(path, looks, lambda _bytes: None)
    return looks, structs.replace(found, title=title, headings=usual, notes=notes, text=text)


def _good_tables(path: Path, looks: Looks, asked: Asked, bad: dict[str, None]) -> tuple[Looks, list[_Table]]:
    """The tables that could be the list, the longest first, and how the file was read for them; `bad` are the headings
    under which nothing is taken. Raises GribbleError if there are none."""
    groups = _tables_of(path, looks, asked, bad)
    good = [one for one in groups.items() if _is_list(*one, asked) and not _is_shifted(*one)]
    if not good and looks.format in MAY_LIST:
        listed = looks._replace(format=ListFormat.LIST)
        entries = _tables_of(path, listed, asked, bad)
        good = [one for one in entries.items() if _is_list(*one, asked)]
        if good or not any(groups.values()):
            looks, groups = listed, entries
    if not good and asked.to in ("", "sheet"):
        good = [one for one in groups.items() if _names_files(*one)]
    if not good:
        raise _no_table(path, looks, asked, groups.items())
    return looks, sorted(good, key=lambda one: -len(one[1]))


def _no_table(path: Path, looks: Looks, asked: Asked, tables: Iterable[_Table]) -> GribbleError:
    """What is to be said of a list none of whose tables can be taken over."""
    shown = _shown(one for one in tables if one[1])
    said = "that says what plays" if asked.to == "plays" else "with names of files and their digests"
    what = f"has no table {said}" if shown else "has no table"
    return GribbleError(f"{path} {what}", fix=f"It has: {shown}." if shown else _looked_for(path, looks))


def _together(good: list[_Table], asked: Asked) -> tuple[Found, list[tuple[Head, list[str]]], list[_Table]]:
    """The longest table read together with those whose columns mean the same: their records, and all their rows. The
    tables that do not fit it come last."""
    (names, own), *others = good
    rows, records = own, _records(names, own)
    also: dict[str, dict[str, None]] = {}
    for head, more in list(others) if asked.to in ("", "sheet") else ():
        if (meant := _meaning_of(head, more, names, own)) is not None:
            records += _records(tuple(meant.get(name, name) for name in head), more)
            rows = [*rows, *more]
            others.remove((head, more))
            for name, to in meant.items():
                also.setdefault(to, {})[name] = None
    table = ALL_TABLES if rows is not own else asked.table
    said = frozenset(f"^{name}" for head, _ in rows for name, _ in head.said)
    return Found(records, table=table, also=also, said=said), rows, others


def _looked_for(path: Path, looks: Looks) -> str:
    """What was looked for in a text or page in which there is nothing, and the nearest thing that there is."""
    sought = (
        "Gribble looks for names of files, such as boot.rom, if possible with digests of 8, 32, 40 or 64 hex digits"
    )
    if looks.format is ListFormat.WORKBOOK:
        return f"{sought}."
    lines = [re.sub(r"<[^<>]*>", " ", line) for line in whole_text(path, looks, lambda _bytes: None).splitlines()]
    for near in (digests_in, lambda line: any(map(is_file_name, line.split()))):
        for number, line in enumerate(lines, start=1):
            if near(line):
                return f"{sought}; the nearest is line {number}: {' '.join(line.split())[:60]}"
    return f"{sought}; there are none."


def _records(names: tuple[str, ...], rows: list[tuple[Head, list[str]]]) -> list[dict[str, Any]]:
    """The rows of a table by its columns, with what is above each."""
    return [
        {
            HEADING: head.heading,
            **dict(zip(names, cells, strict=False)),
            **{f"^{name}": said for name, said in head.said},
        }
        for head, cells in rows
    ]


def _meaning_of(
    head: tuple[str, ...], rows: list[tuple[Head, list[str]]], names: tuple[str, ...], own: list[tuple[Head, list[str]]]
) -> dict[str, str] | None:
    """The columns of a table that are called otherwise than those of another one that mean the same; None if the
    two do not both have names of files and digests."""
    fields, known = ({
        one.field: one for one in guess_fields(columns_of(_records(*each)), FIELDS_OF_SHEETS)
    } for each in ((head, rows), (names, own)))  # fmt: skip
    proofs = all(set(HEX_LENGTHS) & each.keys() for each in (fields, known))
    if head[0] == "column 1" != names[0]:
        return None  # without a head it says too little
    sure = all(one.degree is not Degree.DOUBTFUL for each in (fields, known) for one in each.values())
    if not (sure and proofs and "name" in fields and "name" in known):
        return None
    meant = {one.column: known[field].column for field, one in fields.items() if field in known}
    mixed = [field for field, one in fields.items() if field not in known and one.column in names]
    return None if mixed else {name: to for name, to in meant.items() if name != to}


def _tables_of(
    path: Path, looks: Looks, asked: Asked, bad: dict[str, None]
) -> dict[tuple[str, ...], list[tuple[Head, list[str]]]]:
    """The first rows of each table, or of the one that is asked for, by the names of its columns; `bad` are the
    headings under which nothing is taken."""
    groups: dict[tuple[str, ...], list[tuple[Head, list[str]]]] = {}
    rows = table_rows(path, looks, lambda _bytes: None, bad, plays=asked.to == "plays")
    for head, cells in itertools.islice(rows, SAMPLE_ROWS if looks.format in _ONE_TABLE else None):
        if asked.table in (None, head.number):
            group = groups.setdefault(head.names, [])
            if cells and len(group) < SAMPLE_ROWS:
                group.append((head, cells))
    return groups


def _title(path: Path, looks: Looks) -> str:
    """What is above all tables of a page or text."""
    if looks.format not in MAY_LIST or looks.format in _ONE_TABLE:
        return ""
    if looks.format is ListFormat.HTML or is_page(whole_text(path, looks, lambda _bytes: None)):
        return next(page_rows(path, looks._replace(format=ListFormat.HTML), lambda _bytes: None)).heading
    return text_title(whole_text(path, looks, lambda _bytes: None))


def _shown(groups: Iterable[tuple[tuple[str, ...], list[tuple[Head, list[str]]]]]) -> str:
    return "; ".join(f"table {rows[0][0].number}: {', '.join(names[:6])}" for names, rows in groups)


def _is_list(names: tuple[str, ...], rows: list[tuple[Head, list[str]]], asked: Asked) -> bool:
    """Whether a table has names of files, or of sets, and digests; or says what plays."""
    columns = columns_of([dict(zip(names, cells, strict=False)) for _, cells in rows])
    said = {one.field for one in asked.fields if any(one.means(name) for name in names)}
    if asked.to == "plays":
        return "plays" in said | {one.field for one in guess_fields(columns, FIELDS_OF_PLAYS)}
    fields = said | {one.field for one in guess_fields(columns, ("name", "set"))}
    return bool(fields & {"name", "set"}) and bool(fields & set(HEX_LENGTHS))


def _is_shifted(names: tuple[str, ...], rows: list[tuple[Head, list[str]]]) -> bool:
    """Whether digests of one kind are in different columns of a table without a head: what parts its columns parts
    something in them, too, such as a size of 8,192 bytes."""
    if names[0] != "column 1":
        return False
    places = [[(kind, at) for at, cell in enumerate(cells) for kind in digests_in(cell)] for _, cells in rows]
    once = all(len({kind for kind, _ in each}) == len(each) for each in places)
    found = {place for each in places for place in each}
    return once and len({kind for kind, _ in found}) < len(found)


def _names_files(names: tuple[str, ...], rows: list[tuple[Head, list[str]]]) -> bool:
    """Whether a table has plainly names of files, though no digests."""
    columns = columns_of([dict(zip(names, cells, strict=False)) for _, cells in rows])
    return any(
        one.field == "name" and one.degree in (Degree.SURE, Degree.LIKELY) for one in guess_fields(columns, ("name",))
    )
