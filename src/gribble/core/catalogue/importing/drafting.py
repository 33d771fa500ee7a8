"""Drafting a field map: where a list has its records, and which field is what, each with its reason."""

from __future__ import annotations

import itertools
import re
from collections.abc import Collection, Iterable, Iterator
from pathlib import Path
from typing import Any

from msgspec import structs

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
from gribble.core.catalogue.importing.found import SAMPLE_ROWS, Asked, Found, columns_of, head_of
from gribble.core.catalogue.importing.guessing import NOTHING, Said, as_said, guess_fields, in_order, refuse_unmet
from gribble.core.catalogue.importing.lists import (
    TABULAR,
    checksum_nodes,
    key_nodes,
    parted,
    whole_text,
)
from gribble.core.catalogue.importing.naming import emulator_of, release_of
from gribble.core.catalogue.importing.nodes import HEADING, SECTION, NoRecordsError, flat
from gribble.core.catalogue.importing.plaintext import title_above
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
    SIMILAR,
    naming_of,
    sets_above,
    sets_in_paths,
    with_sets_named,
)
from gribble.core.catalogue.importing.sniffing import looks_like
from gribble.core.catalogue.importing.streams import SAMPLE_BYTES, words_of
from gribble.core.catalogue.importing.tabled import FIELDS_OF_PLAYS, FIELDS_OF_SHEETS, MAY_LIST, found_in_tables
from gribble.core.catalogue.importing.trees import BY_HAND, Tree, json_tree, nested_tree
from gribble.core.catalogue.importing.values import digests_in, is_file_name, parts
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
_MOSTLY = 0.5

_SET_FIELDS = ("set", "title", "year", "maker", "parent", "bios", "devices", "set kind", "plays", "note")
_FILE_FIELDS = ("name", "size", "parent_name", "state", "optional", "variant", "choice")
_THOUSANDS = re.compile(r"\b1\s?[kK](?:i?[bB](?:yte)?)?\s*(?:=|is|means|are|sind|ist|vaut|es)\s*1[ .,']?000\b")
"""What a list says that counts by thousands."""


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
    if looks.format not in MAY_LIST or looks.format in TABULAR:
        return None
    try:
        asked = asked._replace(to=asked.to or "sheet")
        looks, found = found_in_tables(path, looks._replace(format=ListFormat.LIST), asked)
        drafted = _of_rows(path, looks, asked, found)
    except (GribbleError, RecursionError):
        return None
    return drafted if any(_has(drafted.guesses, name) for name in (*HEX_LENGTHS, "plays")) else None


def _as_it_looks(path: Path, looks: Looks, asked: Asked) -> Drafted:
    if looks.format in TABULAR:
        looks, found = found_in_tables(path, looks, asked)
        return _of_rows(path, looks, asked, found)
    if looks.format is ListFormat.CHECKSUMS:
        rows = [node.attributes for node in itertools.islice(checksum_nodes(path), SAMPLE_ROWS)]
        title = title_above(whole_text(path, looks, lambda _bytes: None))
        of_sets = asked.to == "roster" or any(said.means("path") for said in asked.fields)
        name = () if of_sets else (Said("path", "name"),)
        return _of_rows(path, looks, asked._replace(fields=(*asked.fields, *name)), Found(rows, title=title))
    if looks.format is ListFormat.KEYS:
        return _of_rows(path, looks, asked, _of_keys(path, looks))
    if looks.format in (ListFormat.XML, ListFormat.BLOCKS):
        return _of_tree(path, looks, asked, nested_tree(path, looks, plays=asked.to == "plays"))
    return _of_tree(path, looks, asked, json_tree(path, looks, plays=asked.to == "plays"))


def _of_keys(path: Path, looks: Looks) -> Found:
    """The records of a file of keys and values. Raises GribbleError if there are none."""
    nodes = list(itertools.islice(key_nodes(path, looks, lambda _bytes: None), SAMPLE_ROWS))
    rows, others = ([node.attributes for node in some] for some in parted(nodes))
    if not rows:
        raise NoRecordsError(f"{path} has no records: neither sections nor numbered keys", fix=BY_HAND)
    common = {key: word for one in others for key, word in one.items() if key != SECTION}
    title = next((one[SECTION] for one in others if SECTION in one), "")
    return Found(rows, common=common, title=title or title_above(whole_text(path, looks, lambda _bytes: None)))


def _of_rows(path: Path, looks: Looks, asked: Asked, found: Found) -> Drafted:
    """A map for records that are one file each."""
    found, only, others = _of_asked(path, found, asked)
    above = [name for name in (HEADING, found.above) if name]  # whatever is said of these is what is guessed
    asked = asked._replace(fields=tuple(one for one in asked.fields if not any(map(one.means, above))))
    columns = [one for one in columns_of(found.rows) if not found.above or not one.name.startswith(("^", found.above))]
    if asked.to == "plays":
        return _of_plays(path, looks, asked, columns, found)
    to, guesses = _guessed(asked.to, columns, found)
    columns = columns if to == "roster" else _of_files(columns, found)
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


def _guessed(to: str, columns: list[Column], found: Found) -> tuple[str, list[Guess]]:
    """What records become, if nobody says it, and which fields their columns are."""
    sets = guess_fields(columns, dict.fromkeys((*_SET_FIELDS, *_FILE_FIELDS)))
    if to == "roster" or (not to and _is_roster(sets, columns, found)):
        return "roster", _of_sets(sets, columns, found)
    return "sheet", guess_fields(_of_files(columns, found), FIELDS_OF_SHEETS)


def _of_asked(path: Path, found: Found, asked: Asked) -> tuple[Found, dict[str, str], tuple[str, ...]]:
    """The records of the emulator that is asked for, in a list of several, what these say where, and the other
    emulators. Raises GribbleError for a list of several emulators of which none is asked for."""
    for name in dict.fromkeys(name for row in found.rows for name in row):
        if any(said.means(name, head_of(name)) for said in asked.fields):
            continue
        told = _each_says([str(row.get(name, "")).strip() for row in found.rows])
        words = tuple(word for word in dict.fromkeys(told) if word)
        own = [word for word in words if _is_called(word, asked.emulator)]
        of_emulators = len(words) > 1 and head_points(head_of(name), "emulator") == EXACT
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


def _that_say(found: Found, name: str, told: list[str], own: str) -> Found:
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


def _of_sets(guesses: list[Guess], columns: list[Column], found: Found) -> list[Guess]:
    """What columns are in a list of sets, how these are related, and their sound samples."""
    rows = found.rows
    if not _has(guesses, "set") and (paths := sets_in_paths(guesses, columns)):
        guesses = [*(one for one in guesses if one.field != "name"), *paths]
    if not _has(guesses, "set") and (above := sets_above(rows)):
        guesses = [*guesses, *(one for one in above if not _has(guesses, one.field))]
        rule = above[0].rules[0]
        rows = [{**row, ABOVE: next((one.text for one in parts(flat(row), rule)), "")} for row in rows]
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


def _said_above(found: Found, fields: set[str]) -> list[Guess]:
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


def _flat(to: str, looks: Looks, columns: list[Column], found: Found, guesses: list[Guess]) -> Drafted:
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


def _of_plays(path: Path, looks: Looks, asked: Asked, columns: list[Column], found: Found) -> Drafted:
    """A map for a list of what runs and how well."""
    found_ = guess_fields(columns, FIELDS_OF_PLAYS)
    if not _has(found_, "set"):
        found_ += naming_of(columns, {one.column for one in found_ if one.field != "title"})
    guesses, met = as_said(found_, columns, asked.fields, PLAYS_FIELDS)
    refuse_unmet(asked.fields, met, [one.name for one in columns])
    fields = {one.field for one in guesses}
    if "plays" not in fields or not fields & {"set", "title"}:
        raise NoRecordsError(f"{path}: Gribble cannot tell which columns name a set and say how it plays", fix=BY_HAND)
    return _flat("plays", looks, columns, found, guesses)


def _of_files(columns: list[Column], found: Found) -> list[Column]:
    """The columns without what lines above tables say of the sets that these are, or once for the whole list."""
    return [one for one in columns if one.name not in found.said or _is_of_files(one)]


def _is_of_files(column: Column) -> bool:
    """Whether what lines above tables say is said of the files in each of them."""
    each = len(column.values) == column.rows and len(column.words) > 1
    fields = ("machine", "region", "folder") if each else ("folder",)
    return any(head_points(column.head, field) == EXACT for field in fields)


def _is_roster(guesses: list[Guess], columns: list[Column], found: Found) -> bool:
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
        found = Found(
            tree.rows, tree.records, tree.common, tree.title, notes=_left_notes(tree), above=above, root=tree.root
        )
        return _of_rows(path, looks, asked, found)
    columns, within = columns_of(tree.rows), columns_of(tree.inner_rows)
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
    called = [tree.records.rpartition("/")[2], *([head_of(named.column)] if named else [])]
    points = (head_points(one, head) for one in called for head in ("system", "emulator"))
    if EXACT in points and not {one.field for one in sets} & _OF_SETS:
        return "sheet"
    names_sets = any(named and named.column == one.name and one.fit("set") >= 0 for one in columns)
    return "roster" if names_sets else "sheet"


def _flattened(tree: Tree, columns: list[Column]) -> Found:
    """The inner records of a tree, as rows of their own."""
    way = f"{tree.records}/{tree.inner}" if tree.records else tree.inner or ""
    telling = [one for one in columns if len(one.words) == one.rows and not one.digests]
    naming = max(telling, key=lambda one: head_points(one.head.lstrip("@"), "title")).name if telling else ""
    above = f"^{naming.lstrip('@')}" if naming and "/" not in naming else ""
    return Found(tree.flat_rows, way, tree.common, tree.title, notes=_left_notes(tree), above=above, root=tree.root)


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
    discs = guess_fields(columns_of(tree.disc_rows), ("name", "state", "optional")) if tree.discs else []
    if tree.discs and not _has(discs, "name"):
        discs += naming_of(columns_of(tree.disc_rows), {one.column for one in discs}, "name")
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
