"""Reading lists record by record, whatever their format, and what a list becomes by a map: the needs of a sheet, or the
sets of a roster.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path

from gribble.core.base.budget import LIST_BYTES
from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import GribbleError, unreadable
from gribble.core.base.regular import read_text
from gribble.core.catalogue.importing.apart import read_apart, rows_apart
from gribble.core.catalogue.importing.blocks import read_blocks
from gribble.core.catalogue.importing.build import read_kinds, read_sets
from gribble.core.catalogue.importing.entries import entry_rows, lines_of, lines_of_data, plays_rows, unfolded
from gribble.core.catalogue.importing.needs import draft_of, read_rows
from gribble.core.catalogue.importing.nodes import HEADING, SECTION, Advance, Node, flat
from gribble.core.catalogue.importing.plaintext import (
    aligned_rows,
    key_rows,
    pipe_rows,
    with_whole_folders,
    without_branches,
)
from gribble.core.catalogue.importing.sniffing import is_page, looks_like, without_forum_marks
from gribble.core.catalogue.importing.streams import (
    csv_rows,
    json_data,
    read_json,
    read_jsonl,
    read_toml,
    read_yaml,
    yaml_data,
)
from gribble.core.catalogue.importing.tables import Head, Line, Row, tables_of
from gribble.core.catalogue.importing.values import digests_in, is_datum, is_file_name
from gribble.core.catalogue.importing.words import head_points, meaning
from gribble.core.catalogue.sheets import read_checksums
from gribble.core.catalogue.writing import DraftSheet
from gribble.core.records.imported import FieldMap, ListFormat, Looks, SetsSeen, Tally
from gribble.core.records.roster import ArcadeSet, FileState, SetKind

TABULAR = frozenset({
    ListFormat.CSV, ListFormat.TSV, ListFormat.HTML, ListFormat.MARKDOWN, ListFormat.TEXT, ListFormat.WORKBOOK,
    ListFormat.LIST,
})  # fmt: skip
"""The formats that have tables."""


ALL_TABLES = 0
"""What a map numbers where every table is read that has names of files and digests."""
_READERS = {
    ListFormat.JSON: read_json,
    ListFormat.JSONL: read_jsonl,
    ListFormat.YAML: read_yaml,
    ListFormat.TOML: read_toml,
    ListFormat.BLOCKS: read_blocks,
}
_WHOLE = {ListFormat.JSON: json_data, ListFormat.YAML: yaml_data}


def read_list(path: Path, made: FieldMap, advance: Callable[[int], None] | None = None) -> Iterator[Node]:
    """The records of a list; `advance` is told of bytes read. Raises GribbleError if it cannot be read on."""
    nodes = _read_list(path, made, advance)
    return _that_say(nodes, made.only) if made.only else nodes


def _that_say(nodes: Iterable[Node], only: Mapping[str, str]) -> Iterator[Node]:
    """The records that say what they have to at some paths; one that says nothing says what the one before it does."""
    said = dict.fromkeys(only, "")
    for node in nodes:
        for path in only:
            said[path] = next((value.strip() for value in node.values(path) if value.strip()), said[path])
        if all(said[path].casefold() == word.casefold() for path, word in only.items()):
            yield node


def _read_list(path: Path, made: FieldMap, advance: Callable[[int], None] | None) -> Iterator[Node]:
    told = advance or (lambda _bytes: None)
    try:
        looks = looks_like(path, encoding=made.encoding, format_=made.format, delimiter=made.delimiter)
        if looks.format in TABULAR:
            yield from _table_nodes(path, made, table_rows(path, looks, told, plays=made.target == "plays"))
        elif looks.format is ListFormat.XML:
            yield from read_apart(path, made, told)
        elif looks.format is ListFormat.KEYS:
            yield from parted(list(key_nodes(path, looks, told)))[0]
        elif looks.format is ListFormat.CHECKSUMS:
            yield from checksum_nodes(path)
        else:
            way = made.records.split("/") if made.records else []
            yield from _READERS[looks.format](path, looks.encoding, way, told)
    except RecursionError:
        raise GribbleError(f"{path} is nested too deeply", fix="Turn it into JSON Lines, one record a line.") from None
    except OSError as error:
        raise unreadable(path, error) from error
    except UnicodeDecodeError as error:
        raise GribbleError(
            f"{path} is not {looks.encoding} text (byte {error.start:,})",
            fix='Write the right encoding in the map, for example encoding = "cp1252".',
        ) from error


def table_rows(
    path: Path, looks: Looks, advance: Advance, left: dict[str, None] | None = None, *, plays: bool = False
) -> Iterator[tuple[Head, list[str]]]:
    """Every row of the tables in a list of files, or of what `plays`, with the head of its table; each begins with an
    empty row. What stands under a heading that says that it is bad is `left` out. Raises GribbleError, OSError,
    UnicodeDecodeError."""
    rows = _rows(path, looks, advance)
    if plays and looks.format is ListFormat.LIST:
        rows = plays_rows(lines_of(whole_text(path, looks, advance)))
    try:
        bad: dict[str, bool] = {}
        for head, cells in unfolded(tables_of(rows, _says_how if plays else is_datum)):
            if head.heading not in bad:
                bad[head.heading] = bool(head_points(head.heading, "bad dumps"))
            if not bad[head.heading]:
                yield head, cells
            elif left is not None:
                left[head.heading] = None
    except GribbleError as error:
        raise (error if str(path) in error.what else GribbleError(f"{path}, {error.what}", fix=error.fix)) from error


def _says_how(cell: str) -> bool:
    """Whether a cell says how something plays, and is not what a column of that is called."""
    return is_datum(cell) or (bool(meaning(cell, "plays")) and not head_points(cell, "plays"))


def _rows(path: Path, looks: Looks, advance: Advance) -> Iterable[Row]:
    """The rows of a list's tables, as its format has them."""
    match looks.format:
        case ListFormat.WORKBOOK:
            return rows_apart(path, looks.format)
        case ListFormat.CSV | ListFormat.TSV:
            return csv_rows(path, looks.encoding, looks.delimiter, advance)
        case ListFormat.HTML:
            return (row for row in page_rows(path, looks, advance) if row.grid)
    text = whole_text(path, looks, advance)
    if looks.format is ListFormat.LIST:
        return rows_apart(path, looks.format, looks.encoding) if is_page(text) else entry_rows(_lines(path, text))
    return pipe_rows(text) if looks.format is ListFormat.MARKDOWN else aligned_rows(text)


def _lines(path: Path, text: str) -> Iterator[Line]:
    """The lines of a text, those of what it says if it is JSON or YAML."""
    looks = looks_like(path)
    whole = _WHOLE.get(looks.format)
    return lines_of_data(whole(path, looks.encoding, lambda _bytes: None)) if whole else lines_of(text)


def page_rows(path: Path, looks: Looks, advance: Advance) -> Iterator[Row]:
    """The rows of a page, with its title as the heading of an empty one before them. Raises GribbleError, OSError,
    UnicodeDecodeError."""
    whole_text(path, looks, advance)  # what is wrong with it as a text is told here
    return rows_apart(path, ListFormat.HTML, looks.encoding)


def whole_text(path: Path, looks: Looks, advance: Advance) -> str:
    """A list's text. Raises GribbleError, OSError, UnicodeDecodeError."""
    size = path.stat().st_size
    if size > LIST_BYTES:
        raise GribbleError(
            f"{path} is larger than {LIST_BYTES >> 20} MiB, and Gribble can only read such a list as a whole",
            fix="Save the table as CSV.",
        )
    text = read_text(path, LIST_BYTES, looks.encoding)
    advance(size)
    if looks.format is ListFormat.HTML or is_page(text):
        return text
    return with_whole_folders(without_branches(without_forum_marks(text)))


def key_nodes(path: Path, looks: Looks, advance: Advance) -> Iterator[Node]:
    """The records of `key = value`, what belongs to none of them first."""
    for name, values in key_rows(whole_text(path, looks, advance)):
        yield flat({**values, **({SECTION: name} if name else {})})


def parted(nodes: list[Node]) -> tuple[list[Node], list[Node]]:
    """The sections that are records, and those that say something of all: where some name a file or have a digest, a
    section that shares no key with these."""
    sections = [node for node in nodes if SECTION in node.attributes]
    plain = [one for one in sections if any(is_file_name(word) or digests_in(word) for word in one.attributes.values())]
    keys = {key for one in plain or sections for key in one.attributes} - {SECTION}
    known = set(map(id, plain))
    records = [one for one in sections if keys & one.attributes.keys() or id(one) in known]
    taken = set(map(id, records))
    return records, [one for one in nodes if id(one) not in taken]


def checksum_nodes(path: Path) -> Iterator[Node]:
    """The files of a checksum list. Raises GribbleError if a line is none of it."""
    files, faults = read_checksums(path, amid_words=True)
    if faults:
        raise GribbleError(f"{path}, {faults[0]}", fix="Correct the line; each has a digest and a path.")
    for file in files:
        yield flat({"path": file.name, **file.known()})


def _table_nodes(path: Path, made: FieldMap, rows: Iterator[tuple[Head, list[str]]]) -> Iterator[Node]:
    """The rows of the table that the map numbers, or of all with names of files and digests; else of the first that has
    every column the map names, and of all with the same head."""
    rules = [rules[0] for rules in made.fields.values()]
    named = {rule.from_.removeprefix("@") for rule in rules if rule.default is None} - {HEADING}
    wanted = {name for name in named if name[0] != "^"}
    chosen: tuple[str, ...] | None = None
    heads: dict[int, Head] = {}
    for head, cells in rows:
        heads.setdefault(head.number, head)
        if made.table == ALL_TABLES:
            fits = _has_columns(head, made)
        else:
            fits = head.number == made.table if made.table is not None else wanted <= set(head.names)
        if chosen is None and fits:
            chosen = head.names
        if cells and (head.names == chosen or made.table == ALL_TABLES) and (made.table is None or fits):
            node = flat({**dict(zip(head.names, cells, strict=False))})
            node.attributes.setdefault(HEADING, head.heading)
            node.attributes |= {f"^{name}": value for name, value in head.said}
            yield node
    if chosen is None:
        shown = "; ".join(f"table {one.number}: {', '.join(one.names[:8])}" for one in list(heads.values())[:5])
        raise GribbleError(
            f"{path} has no table with the columns {', '.join(sorted(wanted))}", fix=f"It has: {shown or 'no table'}."
        )


def _has_columns(head: Head, made: FieldMap) -> bool:
    """Whether a table has the names of files and a digest under any of the heads that a map takes for them."""

    def has(field: str) -> bool:
        return any(rule.from_.removeprefix("@") in head.names for rule in made.fields.get(field, ()))

    return has("name") and any(map(has, HEX_LENGTHS))


def read_sheet(path: Path, made: FieldMap, tally: Tally, advance: Advance | None = None) -> DraftSheet:
    """The sheet that a list becomes; `advance` is told of bytes read. Raises GribbleError."""
    return draft_of(read_rows(read_list(path, made, advance), made, tally), made, tally)


def read_roster(
    path: Path, made: FieldMap, tally: Tally, advance: Advance | None = None, *, preview: bool = False
) -> Iterator[ArcadeSet]:
    """The sets that a list becomes, as they come. Raises GribbleError."""
    kinds = read_kinds(read_list(path, made), made) if made.asks_kinds else None
    return read_sets(read_list(path, made, advance), made, tally, preview=preview, kinds=kinds)


class SetsMet:
    """The sets of a list as they come: how many of what, the last one, and the one least like the others."""

    def __init__(self) -> None:
        self.counts: Counter[str] = Counter()
        self._last: ArcadeSet | None = None
        self._alike: Counter[tuple[object, ...]] = Counter()
        self._first: dict[tuple[object, ...], ArcadeSet] = {}

    def counted(self, sets: Iterable[ArcadeSet]) -> Iterator[ArcadeSet]:
        """The same sets, counted as they are handed on."""
        for one in sets:
            self.counts["set"] += 1
            states = frozenset([file.state for file in one.files])
            for what, number in _kinds_of(one, states):
                self.counts[what] += number
            proven = all(file.crc32 or file.sha1 or file.md5 or file.sha256 for file in one.files)
            says = (*_filled(one), one.kind, one.plays, states, proven)
            self._alike[says] += 1
            if says not in self._first:
                self._first[says] = one
            self._last = one
            yield one

    @property
    def seen(self) -> SetsSeen:
        """What has come so far."""
        rarest = min(self._alike, key=lambda says: self._alike[says]) if len(self._alike) > 1 else None
        return SetsSeen(self.counts, self._last, self._first[rarest] if rarest else None)


def _kinds_of(one: ArcadeSet, states: frozenset[FileState]) -> Iterator[tuple[str, int]]:
    """What a set is counted among, and how often; `states` are those of its files."""
    if one.parent is not None:
        yield "clone", 1
    if one.kind is not SetKind.GAME:
        yield "BIOS set" if one.kind is SetKind.BIOS else "device", 1
    if one.samples:
        yield "list of sound samples", 1
    if one.discs:
        yield "disc", len(one.discs)
    for state in states - {FileState.GOOD}:
        what = "undumped file" if state is FileState.UNDUMPED else "poor dump"
        yield what, sum(file.state is state for file in one.files)


def _filled(one: ArcadeSet) -> tuple[bool, ...]:
    """Which fields of a set say something, by which it is compared with others."""
    fields = (one.title, one.year, one.maker, one.parent, one.bios, one.devices, one.variants, one.samples, one.discs)
    return tuple([bool(value) for value in fields])
