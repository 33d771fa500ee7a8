"""Drafting a field map: where a list has its records, and which field is what, each with its reason."""

from __future__ import annotations

import itertools
import re
from collections.abc import Collection, Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from msgspec import Struct, structs

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.columns import Column
from gribble.core.catalogue.importing.fieldmap import (
    FILE_FIELDS,
    MAP_VERSION,
    PLAYS_FIELDS,
    SET_FIELDS,
    SHEET_FIELDS,
)
from gribble.core.catalogue.importing.guessing import NOTHING, Said, as_said, guess_fields, in_order, refuse_unmet
from gribble.core.catalogue.importing.lists import (
    ALL_TABLES,
    TABULAR,
    checksum_nodes,
    key_nodes,
    page_rows,
    parted,
    table_rows,
    whole_text,
)
from gribble.core.catalogue.importing.naming import emulator_of, release_of
from gribble.core.catalogue.importing.nodes import HEADING, SECTION, NoRecordsError
from gribble.core.catalogue.importing.plaintext import text_title, title_above
from gribble.core.catalogue.importing.relatives import (
    flagged_kinds,
    kinds_of,
    related,
    said_of_each,
    samples_of,
    shared_names,
    variants_of,
)
from gribble.core.catalogue.importing.rules import rules_for
from gribble.core.catalogue.importing.setnames import (
    ABOVE,
    OUTER_HEADING,
    SIMILAR,
    naming_of,
    sets_above,
    sets_in_paths,
    with_sets_named,
)
from gribble.core.catalogue.importing.sniffing import is_page, looks_like
from gribble.core.catalogue.importing.streams import SAMPLE_BYTES, words_of
from gribble.core.catalogue.importing.tables import Head
from gribble.core.catalogue.importing.trees import BY_HAND, Tree, json_tree, nested_tree
from gribble.core.catalogue.importing.values import digests_in, is_file_name
from gribble.core.catalogue.importing.words import EXACT, has_word, head_points, level_said, plain
from gribble.core.records.imported import (
    Degree,
    Drafted,
    Field,
    FieldMap,
    Guess,
    Inner,
    ListFormat,
    Looks,
    Named,
    Weight,
)

NAMES_ALONE = "the list has no digests, so Gribble can only go by the names of files, which proves nothing"
SAMPLE_ROWS = 10_000
_MOSTLY = 0.5
"""So many records of a table are looked at."""

_ONE_TABLE = (ListFormat.CSV, ListFormat.TSV)
_MAY_LIST = (
    ListFormat.HTML, ListFormat.MARKDOWN, ListFormat.TEXT, ListFormat.LIST, ListFormat.CSV, ListFormat.TSV,
    ListFormat.KEYS, ListFormat.JSON, ListFormat.YAML,
)  # fmt: skip
"""What may be a list of entries, where it has no table and no records."""

_SHEET_FIELDS = (
    "name", "title", "level", "unneeded", "state", "works", "kind", "machine", "folder", "size", "region", "version",
    "label", "aliases", "why", "choice",
)  # fmt: skip
_SET_FIELDS = ("set", "title", "year", "maker", "parent", "bios", "devices", "set kind", "plays", "note")
_PLAYS_FIELDS = ("set", "title", "plays", "note")
_FILE_FIELDS = ("name", "size", "parent_name", "state", "optional", "variant", "choice")
_DEFAULT_SHEETS = re.compile(
    r"^(sheet|tabelle|feuil|feuille|hoja|foglio|planilha|folha|blad|シート)\s*\d*$", re.IGNORECASE
)


_THOUSANDS = re.compile(r"\b1\s?[kK](?:i?[bB](?:yte)?)?\s*(?:=|is|means|are|sind|ist|vaut|es)\s*1[ .,']?000\b")
"""What a list says that counts by thousands."""


class Asked(NamedTuple):
    """What the user said of a list that is to be drafted."""

    to: str = ""
    emulator: str = ""
    release: str = ""
    folder: str = ""
    table: int | None = None
    fields: tuple[Said, ...] = ()


def draft_map(path: Path, asked: Asked) -> Drafted:
    """The map of a list as far as it can be told. Raises GribbleError if it has nothing to be taken over, or too
    much to choose from, OSError and UnicodeDecodeError."""
    looks = looks_like(path)
    try:
        return _as_it_looks(path, looks, asked)
    except NoRecordsError:
        if (drafted := _as_entries(path, looks, asked)) is None:
            raise
        return drafted


def _as_entries(path: Path, looks: Looks, asked: Asked) -> Drafted | None:
    """The map of a file that has no records as it looks, but an entry with digests for each file all the same."""
    if looks.format not in _MAY_LIST or looks.format in TABULAR:
        return None
    try:
        drafted = _of_tables(path, looks._replace(format=ListFormat.LIST), asked._replace(to=asked.to or "sheet"))
    except (GribbleError, RecursionError):
        return None
    return drafted if any(_has(drafted.guesses, name) for name in (*HEX_LENGTHS, "plays")) else None


def _as_it_looks(path: Path, looks: Looks, asked: Asked) -> Drafted:
    if looks.format in TABULAR:
        return _of_tables(path, looks, asked)
    if looks.format is ListFormat.CHECKSUMS:
        rows = [node.attributes for node in itertools.islice(checksum_nodes(path), SAMPLE_ROWS)]
        title = title_above(whole_text(path, looks, lambda _bytes: None))
        of_sets = asked.to == "roster" or any(said.means("path") for said in asked.fields)
        name = () if of_sets else (Said("path", "name"),)
        return _of_rows(path, looks, asked._replace(fields=(*asked.fields, *name)), _Found(rows, title=title))
    if looks.format is ListFormat.KEYS:
        return _of_rows(path, looks, asked, _of_keys(path, looks))
    if looks.format in (ListFormat.XML, ListFormat.BLOCKS):
        return _of_tree(path, looks, asked, nested_tree(path, looks, plays=asked.to == "plays"))
    return _of_tree(path, looks, asked, json_tree(path, looks, plays=asked.to == "plays"))


def _of_keys(path: Path, looks: Looks) -> _Found:
    """The records of a file of keys and values. Raises GribbleError if there are none."""
    nodes = list(itertools.islice(key_nodes(path, looks, lambda _bytes: None), SAMPLE_ROWS))
    rows, others = ([node.attributes for node in some] for some in parted(nodes))
    if not rows:
        raise NoRecordsError(f"{path} has no records: neither sections nor numbered keys", fix=BY_HAND)
    common = {key: word for one in others for key, word in one.items() if key != SECTION}
    title = next((one[SECTION] for one in others if SECTION in one), "")
    return _Found(rows, common=common, title=title or title_above(whole_text(path, looks, lambda _bytes: None)))


class _Found(Struct, frozen=True):
    """Records that are one file each, and what is said beside them."""

    rows: list[dict[str, Any]]
    records: str = ""
    common: dict[str, str] = {}
    title: str = ""
    headings: tuple[str, ...] = ()
    table: int | None = None
    notes: tuple[str, ...] = ()
    above: str = ""
    """Where the name of what the files are in is."""
    text: str = ""
    """All of a page or text."""
    root: str = ""
    also: dict[str, dict[str, None]] = {}
    """What columns are called in other tables that are read together with the first."""
    said: frozenset[str] = frozenset()
    """The columns of which only lines above the tables tell."""


# Tables


_Table = tuple[tuple[str, ...], list[tuple[Head, list[str]]]]
"""A table: the names of its columns, and its rows."""


def _of_tables(path: Path, looks: Looks, asked: Asked) -> Drafted:
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
    return _of_rows(path, looks, asked, structs.replace(found, title=title, headings=usual, notes=notes, text=text))


def _good_tables(path: Path, looks: Looks, asked: Asked, bad: dict[str, None]) -> tuple[Looks, list[_Table]]:
    """The tables that could be the list, the longest first, and how the file was read for them; `bad` are the headings
    under which nothing is taken. Raises GribbleError if there are none."""
    groups = _tables_of(path, looks, asked, bad)
    good = [one for one in groups.items() if _is_list(*one, asked) and not _is_shifted(*one)]
    if not good and looks.format in _MAY_LIST:
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


def _together(good: list[_Table], asked: Asked) -> tuple[_Found, list[tuple[Head, list[str]]], list[_Table]]:
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
    return _Found(records, table=table, also=also, said=said), rows, others


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
        one.field: one for one in guess_fields(_columns(_records(*each)), _SHEET_FIELDS)
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
    if looks.format not in _MAY_LIST or looks.format in _ONE_TABLE:
        return ""
    if looks.format is ListFormat.HTML or is_page(whole_text(path, looks, lambda _bytes: None)):
        return next(page_rows(path, looks._replace(format=ListFormat.HTML), lambda _bytes: None)).heading
    return text_title(whole_text(path, looks, lambda _bytes: None))


def _shown(groups: Iterable[tuple[tuple[str, ...], list[tuple[Head, list[str]]]]]) -> str:
    return "; ".join(f"table {rows[0][0].number}: {', '.join(names[:6])}" for names, rows in groups)


def _is_list(names: tuple[str, ...], rows: list[tuple[Head, list[str]]], asked: Asked) -> bool:
    """Whether a table has names of files, or of sets, and digests; or says what plays."""
    columns = _columns([dict(zip(names, cells, strict=False)) for _, cells in rows])
    said = {one.field for one in asked.fields if any(one.means(name) for name in names)}
    if asked.to == "plays":
        return "plays" in said | {one.field for one in guess_fields(columns, _PLAYS_FIELDS)}
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
    columns = _columns([dict(zip(names, cells, strict=False)) for _, cells in rows])
    return any(
        one.field == "name" and one.degree in (Degree.SURE, Degree.LIKELY) for one in guess_fields(columns, ("name",))
    )


def _columns(rows: Sequence[dict[str, Any]]) -> list[Column]:
    names = dict.fromkeys(name for row in rows for name in row)
    return [
        Column(name, [str(row.get(name, "")) for row in rows], head=_head(name))
        for name in names
        if name not in (HEADING, OUTER_HEADING)
    ]


def _head(name: str) -> str:
    """What a path is called: its last part."""
    return name.rpartition("/")[2].lstrip("@^")


def _of_rows(path: Path, looks: Looks, asked: Asked, found: _Found) -> Drafted:
    """A map for records that are one file each."""
    found, only, others = _of_asked(path, found, asked)
    above = [name for name in (HEADING, found.above) if name]  # whatever is said of these is what is guessed
    asked = asked._replace(fields=tuple(one for one in asked.fields if not any(map(one.means, above))))
    columns = [one for one in _columns(found.rows) if not found.above or not one.name.startswith(("^", found.above))]
    if asked.to == "plays":
        return _of_plays(path, looks, asked, columns, found)
    to, guesses = _guessed(asked.to, columns, found)
    columns = [one for one in columns if to == "roster" or one.name not in found.said or _is_of_files(one)]
    known = (*SET_FIELDS, *FILE_FIELDS) if to == "roster" else SHEET_FIELDS
    guesses, met = as_said(guesses, columns, asked.fields, tuple(dict.fromkeys(known)))
    guesses = list(map(_by_thousands, guesses)) if _THOUSANDS.search(found.text) else guesses
    if _lacks_proof(path, to, {one.field for one in guesses}, columns):
        found = structs.replace(found, notes=(*found.notes, NAMES_ALONE))
    if to == "sheet":
        guesses += _said_above(found, {one.field for one in guesses})
    guesses, gone = _taken_out(guesses, asked.fields)
    refuse_unmet(asked.fields, met | gone, [one.name for one in columns])
    guesses = [_with_names(one, found.also) for one in guesses]
    drafted = _flat(to, looks, columns, found, guesses)
    drafted = structs.replace(drafted, made=structs.replace(drafted.made, only=only), others=others)
    return _named(drafted, path, asked, found.common, found.title, found.root)


def _guessed(to: str, columns: list[Column], found: _Found) -> tuple[str, list[Guess]]:
    """What records become, if nobody says it, and which fields their columns are."""
    sets = guess_fields(columns, dict.fromkeys((*_SET_FIELDS, *_FILE_FIELDS)))
    if to == "roster" or (not to and _is_roster(sets, columns, found)):
        return "roster", _of_sets(sets, columns, found)
    return "sheet", guess_fields(
        [one for one in columns if one.name not in found.said or _is_of_files(one)], _SHEET_FIELDS
    )


def _of_asked(path: Path, found: _Found, asked: Asked) -> tuple[_Found, dict[str, str], tuple[str, ...]]:
    """The records of the emulator that is asked for, in a list of several, what these say where, and the other
    emulators. Raises GribbleError for a list of several emulators of which none is asked for."""
    for name in dict.fromkeys(name for row in found.rows for name in row):
        if any(said.means(name, _head(name)) for said in asked.fields):
            continue
        told = _each_says([str(row.get(name, "")).strip() for row in found.rows])
        words = tuple(word for word in dict.fromkeys(told) if word)
        own = [word for word in words if _is_called(word, asked.emulator)]
        of_emulators = len(words) > 1 and head_points(_head(name), "emulator") == EXACT
        if of_emulators and not own:
            raise GribbleError(
                f"{path} is a list of several emulators: {', '.join(words[:8])}", fix="Say which: --emulator NAME"
            )
        files = any(is_file_name(word) or digests_in(word) for word in words)  # such a column names no emulators
        groups = not files and (of_emulators or len(words) < len(told) or name in (HEADING, found.above))
        if groups and len(own) == 1 < len(words):
            others = tuple(word for word in words if word not in own)
            return _that_say(found, name, told, own[0]), {name: own[0]}, others
    return found, {}, ()


def _that_say(found: _Found, name: str, told: list[str], own: str) -> _Found:
    """The records that say a word in a column, without that column."""
    rows = [row for row, word in zip(found.rows, told, strict=True) if word == own]
    return structs.replace(
        found,
        rows=[{key: value for key, value in row.items() if key != name} for row in rows],
        above="" if name == found.above else found.above,
        headings=() if name == HEADING else found.headings,
    )


def _each_says(column: list[str]) -> list[str]:
    """What each record says in a column, where an empty cell says what the one above it does."""
    told = ""
    return [told := word or told for word in column]


def _is_called(word: str, emulator: str) -> bool:
    """Whether a word begins with the name of an emulator: there may be a release behind it, or what it is about."""
    return bool(emulator) and f"{plain(word)} ".startswith(f"{plain(emulator)} ")


def _taken_out(guesses: list[Guess], said: Iterable[Said]) -> tuple[list[Guess], set[Said]]:
    """The guesses without those of which somebody says that they are nothing, and what of that was met."""
    nothing = [one for one in said if one.field == NOTHING]
    gone = {one for one in nothing if any(one.means(guess.column) for guess in guesses)}
    return [guess for guess in guesses if not any(one.means(guess.column) for one in gone)], gone


def _of_sets(guesses: list[Guess], columns: list[Column], found: _Found) -> list[Guess]:
    """What columns are in a list of sets, how these are related, and their sound samples."""
    rows = found.rows
    if not _has(guesses, "set") and (paths := sets_in_paths(guesses, columns)):
        guesses = [*(one for one in guesses if one.field != "name"), *paths]
    if not _has(guesses, "set") and (above := sets_above(rows)):
        guesses = [*guesses, *(one for one in above if not _has(guesses, one.field))]
        rule = above[0].rules[0]
        rows = [{**row, ABOVE: rule.values.get(row.get(rule.from_, ""), "")} for row in rows]
        columns = [*columns, Column(ABOVE, [row[ABOVE] for row in rows])]
    guesses = with_sets_named(guesses, columns)
    sounds = samples_of(columns)
    taken = {one.column for one in sounds}
    guesses = [one for one in guesses if one.column not in taken]
    return [*related(guesses, columns, kinds_of(guesses, rows)), *sounds]


def _lacks_proof(path: Path, to: str, fields: set[str], columns: list[Column]) -> bool:
    """Whether there are names of files alone, and no digests. Raises GribbleError where these do not do, and for a list
    of which nobody can tell what is in it."""
    alone = not fields & set(HEX_LENGTHS)
    if alone and (to == "roster" or "name" not in fields):
        raise NoRecordsError(f"{path} has no digests, so Gribble could not prove any file", fix=BY_HAND)
    if needed := {"roster": {"set", "name"}, "sheet": {"name"}}[to] - fields:
        names = [one.name for one in columns if one.values][:12]
        raise NoRecordsError(
            f"{path}: Gribble cannot tell which column is the {' and the '.join(sorted(needed))}",
            fix=f"Write --field COLUMN={min(needed)}. Its columns are {', '.join(names)}.",
        )
    return alone


def _said_above(found: _Found, fields: set[str]) -> list[Guess]:
    """What the headings say, and the names of what the files are in."""
    guesses = _standing_above("the heading above", HEADING, found.headings, fields) if found.headings else []
    if found.above:
        words = tuple(dict.fromkeys(str(row.get(found.above, "")) for row in found.rows))
        guesses += _standing_above(found.above, found.above, words, fields | {one.field for one in guesses})
    return guesses


def _with_names(one: Guess, also: dict[str, dict[str, None]]) -> Guess:
    """A guess with rules for what its column is called in other tables, too."""
    names = also.get(one.column, {})
    return structs.replace(one, rules=(*one.rules, *(structs.replace(one.rules[0], from_=name) for name in names)))


def _by_thousands(size: Guess) -> Guess:
    """A guess in a list that says that its K is 1,000, if it is of a size."""
    if size.field != "size" or not ((rule := size.rules[0]).binary or rule.unit):
        return size
    rule = structs.replace(rule, binary=True, kilo=1000, unit=rule.unit if "bit" in rule.unit else rule.unit[:1])
    words = "a K is 1,000 bytes, as the list says"
    degree = Degree.LIKELY if size.degree is Degree.ASSUMED else size.degree
    return structs.replace(size, rules=(rule,), words=words, degree=degree)


def _standing_above(column: str, from_: str, words: tuple[str, ...], fields: set[str]) -> list[Guess]:
    """What the words say that are above records: how much these are needed, else on which machines."""
    levels = {word: level_said(word) for word in words}
    others = tuple(word for word in words if not levels[word])
    guesses = []
    if any(levels.values()) and not fields & {"level", "unneeded"}:
        told = ", ".join(f"{word} is {level}" for word, level in levels.items() if level)
        rule = Field(from_=from_, values={**levels, "*": ""})
        guesses.append(Guess(field="level", column=column, rules=(rule,), degree=Degree.LIKELY,
                             reason="says how much the files are needed", words=told))  # fmt: skip
    return [*guesses, *_grouping(column, from_, others, fields, mixed=len(others) < len(words))] if others else guesses


def _grouping(column: str, from_: str, words: tuple[str, ...], fields: set[str], *, mixed: bool) -> Iterator[Guess]:
    """The folders, else the machines, that some words above records are; among others if they are `mixed`."""
    if "folder" not in fields and all(word.endswith("/") for word in words):
        rule, field, reason = Field(from_=from_, suffix="/"), "folder", "folders with files below them"
    elif "machine" not in fields and (len(words) > 1 or from_ != HEADING):
        rule = Field(from_=from_, values={**{word: word for word in words}, "*": ""} if mixed else {})
        field = "machine"
        reason = SIMILAR if from_ == HEADING else "there are files in it"
    else:
        return
    yield Guess(field=field, column=column, rules=(rule,), degree=Degree.LIKELY, reason=reason, samples=words[:3])


def _flat(to: str, looks: Looks, columns: list[Column], found: _Found, guesses: list[Guess]) -> Drafted:
    """The map of records without others within, whoever's it is."""
    guesses = in_order(guesses)
    used = {one.column for one in guesses}
    left = _by_weight(_left_over([one for one in columns if one.name != SECTION], used, _names(guesses, columns)))
    made = FieldMap(
        map=MAP_VERSION, records=found.records, format=looks.format, encoding=looks.encoding if looks.guessed else "",
        delimiter=looks.delimiter if looks.format is ListFormat.CSV else "", table=found.table,
        fields={one.field: one.rules for one in guesses},
    )  # fmt: skip
    return Drafted(to=to, made=made, guesses=tuple(guesses), left=left, notes=found.notes, looks=looks)


def _names(guesses: list[Guess], columns: list[Column]) -> frozenset[str]:
    """What the records of a list are called: its sets, else its files."""
    called = {one.field: one.column for one in guesses}
    naming = called.get("set") or called.get("name")
    return frozenset(word for one in columns if one.name == naming for word in one.words)


def _of_plays(path: Path, looks: Looks, asked: Asked, columns: list[Column], found: _Found) -> Drafted:
    """A map for a list of what runs and how well."""
    found_ = guess_fields(columns, _PLAYS_FIELDS)
    if not _has(found_, "set"):
        found_ += naming_of(columns, {one.column for one in found_ if one.field != "title"})
    guesses, met = as_said(found_, columns, asked.fields, PLAYS_FIELDS)
    refuse_unmet(asked.fields, met, [one.name for one in columns])
    fields = {one.field for one in guesses}
    if "plays" not in fields or not fields & {"set", "title"}:
        raise NoRecordsError(f"{path}: Gribble cannot tell which columns name a set and say how it plays", fix=BY_HAND)
    return _flat("plays", looks, columns, found, guesses)


def _is_of_files(column: Column) -> bool:
    """Whether what lines above tables say is said of files, and not of the set that these are in."""
    return any(head_points(column.head, field) == EXACT for field in ("machine", "folder", "region", "version"))


def _is_roster(guesses: list[Guess], columns: list[Column], found: _Found) -> bool:
    """Whether rows are files of sets: a set's name is in several, and something else speaks for sets; or parents or
    devices are named above them."""
    fields = {one.field: one for one in guesses}
    if any(fields[one].column in found.said for one in ("parent", "devices") if one in fields):
        return True
    if "set" not in fields and sets_in_paths(guesses, columns, archives=True):
        return True
    if "set" not in fields or "name" not in fields or fields["set"].degree is Degree.DOUBTFUL:
        return False
    column = next(one for one in columns if one.name == fields["set"].column)
    related = {"parent", "bios", "devices", "year", "maker", "plays", "parent_name"} & fields.keys()
    return len(column.words) < column.rows or bool(related)


def _named(drafted: Drafted, path: Path, asked: Asked, common: dict[str, str], title: str, root: str = "") -> Drafted:
    """The map with emulator, release and folder: as asked, else as the list says, else from its file's name."""
    emulator = Named(asked.emulator, "--emulator") if asked.emulator else emulator_of(common, title, path, root)
    release = Named(asked.release, "--release") if asked.release else release_of(common, title, path)
    if emulator is None:
        raise GribbleError(f"Gribble cannot tell which emulator {path} is for", fix="Say so: --emulator NAME")
    top: dict[str, Any] = {"emulator": emulator.name, **({"release": release.name} if release else {})}
    if drafted.to == "sheet" and asked.folder:
        top["folder"] = asked.folder
    named = {"emulator": emulator, **({"release": release} if release else {})}
    made = structs.replace(drafted.made, **{drafted.to: top})
    return structs.replace(drafted, made=made, named=named)


# Records within records


def _of_tree(path: Path, looks: Looks, asked: Asked, tree: Tree) -> Drafted:
    if tree.inner is None:
        above = "@key" if tree.keyed else ""
        found = _Found(
            tree.rows, tree.records, tree.common, tree.title, notes=_left_notes(tree), above=above, root=tree.root
        )
        return _of_rows(path, looks, asked, found)
    columns, within = _columns(tree.rows), _columns(tree.inner_rows)
    sets, files = _set_guesses(columns, tree), _file_guesses(within)
    if (asked.to or _likely_target(columns, sets, tree)) == "sheet":
        return _of_rows(path, looks, asked._replace(to="sheet"), _flattened(tree, columns))
    files += shared_names(files, within, tree, sets)
    variants = variants_of(tree, within)
    if variants and not _has(sets, "variants"):
        sets.append(variants[0])
        files = [one for one in files if one.field != "variant"] + [variants[1]]
    sets, met = as_said(sets, columns, asked.fields, SET_FIELDS)
    files, met_within = as_said(files, within, asked.fields, FILE_FIELDS, tree.inner)
    paths = [*(one.name for one in columns), *(f"{tree.inner}/{one.name.lstrip('@')}" for one in within)]
    refuse_unmet(asked.fields, met | met_within, paths)
    if lacking := next((one for one, group in (("set", sets), ("name", files)) if not _has(group, one)), ""):
        raise GribbleError(
            f"{path}: Gribble cannot tell which field is the {lacking}",
            fix=f"Write --field COLUMN={lacking}. Its fields are {', '.join(paths[:12])}.",
        )
    if looks.format is ListFormat.XML and path.stat().st_size > SAMPLE_BYTES:
        record = tree.records.rpartition("/")[2]
        sets, files = _all_words(path, sets, record), _all_words(path, files, tree.inner.rpartition("/")[2])
    sets, files, discs = in_order(sets), in_order(files), in_order(_disc_guesses(tree))
    drafted = Drafted(
        to="roster",
        made=_tree_map(looks, tree, sets, files, discs),
        guesses=tuple(sets),
        inner=tuple(files),
        discs=tuple(discs),
        left=_by_weight(_left_of_tree(columns, within, sets, files, tree.inner)),
        notes=_left_notes(tree),
        looks=looks,
    )
    return _named(drafted, path, asked, tree.common, tree.title, tree.root)


def _left_of_tree(
    columns: list[Column], within: list[Column], sets: list[Guess], files: list[Guess], inner: str
) -> dict[str, Weight]:
    """What nothing is taken from, of sets and of the records within them, with what it could be."""
    used = {one.column for one in sets} | {_beside(rule) for one in sets for rule in one.rules if rule.first}
    names = _names(sets, columns)
    return _left_over(columns, used, names) | _left_over(within, {one.column for one in files}, names, f"{inner}/")


_OF_SETS = frozenset(["parent", "bios", "devices", "year", "maker", "plays", "variants"])
"""What only sets have; systems with none of it are machines, and what is in them their files."""


def _likely_target(columns: list[Column], sets: list[Guess], tree: Tree) -> str:
    """What a tree becomes where nobody says: a roster if its records have names of sets, and are no systems."""
    named = next((one for one in sets if one.field == "set"), None)
    called = [tree.records.rpartition("/")[2], *([_head(named.column)] if named else [])]
    points = (head_points(one, head) for one in called for head in ("system", "emulator"))
    if EXACT in points and not {one.field for one in sets} & _OF_SETS:
        return "sheet"
    names_sets = any(named and named.column == one.name and one.fit("set") >= 0 for one in columns)
    return "roster" if names_sets else "sheet"


def _flattened(tree: Tree, columns: list[Column]) -> _Found:
    """The inner records of a tree, as rows of their own."""
    way = f"{tree.records}/{tree.inner}" if tree.records else tree.inner or ""
    telling = [one for one in columns if len(one.words) == one.rows and not one.digests]
    naming = max(telling, key=lambda one: head_points(one.head.lstrip("@"), "title")).name if telling else ""
    above = f"^{naming.lstrip('@')}" if naming and "/" not in naming else ""
    return _Found(tree.flat_rows, way, tree.common, tree.title, notes=_left_notes(tree), above=above, root=tree.root)


def _has(guesses: Iterable[Guess], field: str) -> bool:
    """Whether a field is among those that are guessed."""
    return any(one.field == field for one in guesses)


def _set_guesses(columns: list[Column], tree: Tree) -> list[Guess]:
    """The fields of sets, by their columns."""
    sounds = samples_of(columns)
    aside = {one.column for one in sounds} | _parts_of_whole(columns)
    columns = [one for one in columns if one.name not in aside]
    sets = naming_of(columns)
    names = next((one.words for one in columns if sets and one.name == sets[0].column), ())
    others = [one for one in columns if not sets or one.name != sets[0].column]
    sets += guess_fields([one for one in others if not _names_device(one, names)], _SET_FIELDS)
    if len({one.field for one in sets}) < len(sets):  # a head says set, and another column names the records
        sets = guess_fields(columns, _SET_FIELDS)
    if not _has(sets, "title"):
        sets += said_of_each(columns, {one.column for one in sets})
    if not _has(sets, "kind"):
        sets += flagged_kinds(columns, {one.column for one in sets})
    return [*related(sets, columns, kinds_of(sets, tree.rows)), *sounds]


def _names_device(column: Column, names: Collection[str]) -> bool:
    """Whether a column of records within sets names other sets, and no head says as what."""
    said = any(head_points(column.head, field) == EXACT for field in ("parent", "bios", "devices"))
    return "/" in column.name and not said and column.refers_to(names) >= _MOSTLY


def _parts_of_whole(columns: list[Column]) -> set[str]:
    """The columns that say how parts of a set play, where one beside them says it of the whole."""
    saying = [one for one in columns if "/" in one.name and head_points(one.head, "plays") == 3]
    whole = {one.name.rpartition("/")[0] for one in saying if has_word(one.head, "whole")}
    return {one.name for one in saying if one.name.rpartition("/")[0] in whole and not has_word(one.head, "whole")}


def _file_guesses(within: list[Column]) -> list[Guess]:
    """The fields of the files of sets."""
    files = guess_fields(within, _FILE_FIELDS)
    if not _has(files, "name"):
        files += naming_of(within, {one.column for one in files}, "name")
    return files


def _disc_guesses(tree: Tree) -> list[Guess]:
    """The fields of the discs of sets, if there are any."""
    discs = guess_fields(_columns(tree.disc_rows), ("name", "state", "optional")) if tree.discs else []
    if tree.discs and not _has(discs, "name"):
        discs += naming_of(_columns(tree.disc_rows), {one.column for one in discs}, "name")
    return discs


def _left_over(
    columns: Iterable[Column], used: set[str], names: Collection[str], before: str = ""
) -> dict[str, Weight]:
    """The columns that say something and are no field, with what makes each matter; `names` are the records' own."""
    return {
        f"{before}{one.name.lstrip('@') if before else one.name}": _weight(one, names)
        for one in columns
        if one.name not in used and one.values
    }


def _by_weight(left: dict[str, Weight]) -> dict[str, Weight]:
    """Columns with those first that matter most."""
    return {name: each for weight in Weight for name, each in left.items() if each is weight}


def _weight(column: Column, names: Collection[str]) -> Weight:
    """How much a column looks like something that matters."""
    for weight, share in (
        (Weight.NAMES, column.share(lambda text: text in names)),
        (Weight.DIGESTS, max(column.digests.values(), default=0)),
        (Weight.FILES, column.file_share),
        (Weight.LEVELS, column.share(level_said)),
    ):
        if share >= _MOSTLY:
            return weight
    return Weight.LITTLE


def _tree_map(looks: Looks, tree: Tree, sets: list[Guess], files: list[Guess], discs: list[Guess]) -> FieldMap:
    """The map of a tree of sets with their files and discs."""
    return FieldMap(
        map=MAP_VERSION,
        records=tree.records,
        format=looks.format,
        fields={one.field: one.rules for one in sets},
        files=Inner(records=tree.inner or "", fields={one.field: one.rules for one in files}),
        discs=Inner(records=tree.discs, fields={one.field: one.rules for one in discs}) if tree.discs else None,
    )


def _all_words(path: Path, guesses: list[Guess], tag: str) -> list[Guess]:
    """Guesses of fields with words, by every word that the list has: a sample may lack some."""
    worded = {one.field: one for one in guesses if len(one.rules) == 1 and one.rules[0].values and one.column[0] == "@"}
    met = words_of(path, {(tag, one.column[1:]) for one in worded.values()}) if worded else {}
    found = []
    for one in guesses:
        words = met.get((tag, one.column[1:]), []) if one.field in worded else []
        if new := [word for word in words if word.strip() and word not in one.rules[0].values]:
            ruled = rules_for(one.field, Column(one.column, [*one.rules[0].values, *new]))
            unsure = {"degree": Degree.DOUBTFUL, "reason": f"{one.reason}; {ruled.unsure}"} if ruled.unsure else {}
            one = structs.replace(one, rules=ruled.rules, words=ruled.words, **unsure)
        found.append(one)
    return found


def _beside(rule: Field) -> str:
    """The path at which a rule looks for what comes first."""
    return f"{rule.from_.rpartition('/')[0]}/{rule.first}"


def _left_notes(tree: Tree) -> tuple[str, ...]:
    return tuple(f"the records at {one} are left out" for one in tree.left)
