"""From records to values, and to the sets of a roster; every record that cannot be taken over is told."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from typing import Any

import msgspec
from msgspec import structs

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import record_fault
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.importing.fieldmap import SET_FIELDS, WORDED_FIELDS, plain_attribute
from gribble.core.catalogue.importing.nodes import HEADING, SECTION, Node
from gribble.core.catalogue.importing.values import Part, ValueFault, digest, number, parts, single, yes
from gribble.core.catalogue.importing.words import BLANKS
from gribble.core.catalogue.rosters import set_faults
from gribble.core.records.imported import Field, FieldMap, Rules, Tally
from gribble.core.records.roster import ArcadeSet, FileState, SetFile, SetKind

YEAR_DIGITS, SIZE_DIGITS = 4, 18
AT_ONCE = 64
"""So many records are looked over in one go."""

Values = dict[str, Any]
Rows = list[tuple[str | None, ...]]


_MANY = ("devices", "variants", "aliases", "samples")
"""Fields that are lists."""

_SEVERAL = ("name", "label", "region", "version", "size", *HEX_LENGTHS)
"""Fields of which a row of a sheet's list may have several values: names, and contents that will do."""


class Reader:
    """Reads the fields of one kind of record; `several` says that those of contents are read as lists of values, each
    with its label."""

    def __init__(self, fields: dict[str, Rules], *, several: bool = False) -> None:
        self._fields = list(fields.items())
        self._several = _SEVERAL if several else ()
        self._attributes = {name: "" if several else plain_attribute(name, rules) for name, rules in fields.items()}
        self._meant = {name: _meant(name, rules[0]) for name, rules in fields.items() if name in WORDED_FIELDS}
        self._above: dict[str, list[Part]] = {}
        self._plain = {
            name: rules[0].from_
            for name, rules in fields.items()
            if not several and name not in _MANY and rules == (Field(from_=rules[0].from_),)
        }

    def read(self, node: Node, where: str, tally: Tally, owner: str = "") -> Values:
        """The values of a record; a mistake is noted with the record (and the set that it is in) and the field."""
        values: Values = {}
        faults: list[tuple[str, ValueFault]] = []
        for name, rules in self._fields:
            attribute = self._attributes[name]
            if attribute and attribute not in node.attributes:
                continue
            try:
                raw: Any = node.attributes[attribute] if attribute else None
                if not attribute and name in self._plain and len(texts := node.values(self._plain[name])) == 1:
                    raw = texts[0].strip()
                if (
                    raw
                    and name not in self._meant
                    and raw[0] != "="
                    and raw == raw.strip()
                    and raw.casefold() not in BLANKS
                ):
                    values[name] = _converted(name, raw, rules[0])
                else:
                    self._read_long(node, name, rules, values)
            except Unsure:
                tally.unsure += 1
            except ValueFault as fault:
                faults.append((name, fault))
        for field, wrong in faults:
            if wrong.spoiled and _has_stronger(field, values):
                tally.spoiled += 1
                continue
            place = f"{where} ({', '.join(filter(None, [owner, called(values)]))})".removesuffix(" ()")
            tally.fault(place, str(wrong), field=field, of_map=wrong.of_map)
        return values

    def _read_long(self, node: Node, name: str, rules: Rules, values: Values) -> None:
        """The value of a field by the first rule that gives one. Raises ValueFault and Unsure."""
        algorithm = name if name in HEX_LENGTHS else ""
        for rule in rules:
            found = list(parts(node, rule, algorithm))
            if rule.down:
                found = self._above[name] = found or self._above.get(name, [])
            if not found:
                continue
            if name in _MANY:
                values[name] = tuple(dict.fromkeys(one.text for one in found))
            elif name in self._several:
                values[name] = [Part(_converted(name, one.text, rule), one.label) for one in found]
            else:
                values[name] = _converted(name, single(found) or "", rule)
            return

    def read_all(self, nodes: list[Node], where: str, tally: Tally, owner: str) -> list[Values]:
        """The values of many records; at once where all of them are as they should be, as nearly all of a list are."""
        keys = tuple(self._attributes.values())
        if all(keys):
            return self.read_rows([tuple(map(node.attributes.get, keys)) for node in nodes], where, tally, owner)
        return [self.read(node, f"{where} {place}", tally, owner) for place, node in enumerate(nodes, start=1)]

    def read_rows(self, rows: Rows, where: str, tally: Tally, owner: str) -> list[Values]:
        """The same of rows that hold nothing but the attributes of the fields, in their order."""
        if clean := self.read_clean(rows):
            return clean
        keys = self._attributes.values()
        there = ({key: raw for key, raw in zip(keys, row, strict=True) if raw is not None} for row in rows)
        return [self.read(Node("", one), f"{where} {place}", tally, owner) for place, one in enumerate(there, start=1)]

    def read_clean(self, rows: Rows) -> list[Values]:
        """The values column by column, each looked over in one go; empty if any needs a closer look."""
        if not rows:
            return []
        columns: list[Iterable[Any]] = []
        for name, column in zip(self._attributes, zip(*rows, strict=True), strict=True):
            if (clean := self._clean(name, column)) is None:
                return []
            columns.append(clean)
        names = tuple(self._attributes)
        return [dict(zip(names, row)) for row in zip(*columns)]  # noqa: B905  (checking lengths takes twice as long)

    def _clean(self, name: str, column: Sequence[str]) -> Iterable[Any] | None:
        """The values of one column; None if any needs a closer look."""
        there = [raw for raw in column if raw]
        if name in HEX_LENGTHS:
            return _clean_digests(there, HEX_LENGTHS[name]) if len(there) == len(column) else None
        if name == "size":
            plain = len(there) == len(column) and all(map(str.isdecimal, there))
            return map(int, there) if plain and max(map(len, there), default=0) <= SIZE_DIGITS else None
        if name in self._meant:
            meant = self._meant[name]
            return [meant[raw] if raw else _UNSAID[name] for raw in column] if meant.keys() >= set(there) else None
        return column if list(map(str.strip, there)) == there and "=" not in "".join(there) else None


def _has_stronger(name: str, values: Values) -> bool:
    """Whether a record proves its content by a better digest than this one."""
    order = list(HEX_LENGTHS)
    return any(map(values.get, order[order.index(name) + 1 :]))


_UNSAID = {"state": FileState.GOOD, "optional": False}
"""What a file is of which a list says nothing."""


def _meant(name: str, rule: Field) -> dict[str, Any]:
    """What each word of a list means. A word without a valid meaning is left out, and `read` tells the mistake."""
    meant: dict[str, Any] = {}
    for raw, word in rule.values.items():
        with suppress(ValueFault):
            meant[raw] = _converted(name, word, rule) if word else _UNSAID[name]
    return meant


def called(values: Values) -> str:
    """What a record is called, as far as it is known: its set and its file."""
    name = values.get("name", "")
    return ", ".join(filter(None, [values.get("set", ""), name[0].text if isinstance(name, list) else name]))


class Unsure(Exception):
    """A value that its list marks as a guess, which is left out."""


def _converted(name: str, raw: str, rule: Field) -> Any:
    """A field's value. Raises ValueFault, and Unsure for a year that is not known for sure."""
    if name in HEX_LENGTHS:
        return digest(raw, name, rule)
    if name == "year":
        if not raw.isdecimal() or len(raw) > YEAR_DIGITS:
            raise Unsure
        return int(raw)
    if name == "size":
        return number(raw, rule)
    return yes(raw) if name == "optional" else raw


def has_place(node: Node, name: str, made: FieldMap) -> bool:
    """Whether a record has the place of a field, whatever it says there."""
    known = set(node.names())
    return any(rule.from_ in known or f"@{rule.from_}" in known for rule in made.fields[name])


def say_absent(node: Node, name: str, made: FieldMap) -> str:
    """That a record lacks a field, and what the map may have misspelled."""
    path = made.fields[name][0].from_
    hint = "" if has_place(node, name, made) else f"; the map takes it from {path}{suggest(path, list(node.names()))}"
    return f"has no {name}{hint}"


def note_left_over(node: Node, used: frozenset[str], tally: Tally) -> None:
    """Note what a record says and the map takes nothing of."""
    tally.left_over.update(
        name for name in node.names() if name not in used and not name.startswith((HEADING, SECTION, "^", "@^"))
    )


def used_by(made: FieldMap) -> frozenset[str]:
    """Every path that the map takes something from."""
    paths = {rule.from_ for rules in made.fields.values() for rule in rules}
    for inner in (made.files, made.discs):
        if inner:
            prefix = f"{inner.records}/" if inner.records else ""
            paths |= {prefix + rule.from_ for rules in inner.fields.values() for rule in rules}
    names = {path.removesuffix("/.") for path in paths}
    return frozenset(names | {f"@{name}" for name in names} | {name.removeprefix("@") for name in names})


# Rosters


def read_kinds(nodes: Iterable[Node], made: FieldMap) -> dict[str, str]:
    """The kind of every set, for a map that asks for it: as the list says, else by what other sets have them for. What
    is wrong with them is told later."""
    told = ("set", "kind") if "kind" in made.fields else ("bios", "devices", "parent")
    fields = {name: rules for name, rules in made.fields.items() if name in told}
    reader, nobody = Reader(fields), Tally()
    kinds: dict[str, str] = {}
    for values in (reader.read(node, "", nobody) for node in nodes):
        if "kind" in made.fields:
            kinds[values.get("set", "")] = values.get("kind", SetKind.GAME)
        else:
            kinds |= dict.fromkeys(values.get("devices", ()), SetKind.DEVICE)
            if (bios := values.get("bios")) and bios != values.get("parent"):
                kinds[bios] = SetKind.BIOS
    return kinds


def read_sets(
    nodes: Iterable[Node],
    made: FieldMap,
    tally: Tally,
    *,
    preview: bool = False,
    kinds: Mapping[str, str] | None = None,
) -> Iterator[ArcadeSet]:
    """The sets of a list, streamed; rows that are one file each are gathered by set where they follow one another.
    `kinds` are those of all sets (`read_kinds`)."""
    for one in _read_sets(nodes, made, tally, preview):
        yield _related(one, made, kinds or {})


def _clean_digests(there: list[str], length: int) -> list[str] | None:
    """Digests of so many hex digits in small letters; None if any is none."""
    if set(map(len, there)) != {length}:
        return None
    joined = " ".join(there).lower()
    try:
        bytes.fromhex(joined)
    except ValueError:
        return None
    return joined.split(" ")


def _related(one: ArcadeSet, made: FieldMap, kinds: Mapping[str, str]) -> ArcadeSet:
    """A set whose parent and BIOS set are of the kinds that the map asks for; a BIOS set that is the parent falls
    away."""
    changed: dict[str, Any] = {
        name: None
        for name in ("parent", "bios")
        for wanted in [made.fields[name][0].kind if name in made.fields else ""]
        if wanted and (other := getattr(one, name)) and kinds.get(other, wanted) != wanted
    }
    if one.bios and one.bios == one.parent and not changed:
        changed = {"bios": None}
    if "kind" not in made.fields and one.set in kinds:
        changed["kind"] = SetKind(kinds[one.set])
    one = structs.replace(one, **changed) if changed else one
    if one.parent is None and one.bios and any(file.parent_name for file in one.files):
        one = structs.replace(one, files=tuple(map(_of_bios, one.files)))
    return one


def _of_bios(file: SetFile) -> SetFile:
    """A file that is shared, of a set without a parent: it is its BIOS set's."""
    return structs.replace(file, parent_name=None, bios_name=file.parent_name) if file.parent_name else file


def _read_sets(nodes: Iterable[Node], made: FieldMap, tally: Tally, preview: bool) -> Iterator[ArcadeSet]:
    if made.files or made.discs:
        yield from _nested_sets(nodes, made, tally, preview)
    else:
        yield from _flat_sets(nodes, made, tally, preview)


def _nested_sets(nodes: Iterable[Node], made: FieldMap, tally: Tally, preview: bool) -> Iterator[ArcadeSet]:
    of_set, used = Reader(made.fields), used_by(made)
    inner = [(name, one, Reader(one.fields)) for name, one in (("files", made.files), ("discs", made.discs)) if one]
    seen: dict[str, int] = {}
    for node, clean in _many_at_once(nodes, inner[0][2]):
        tally.records += 1
        where, before = f"record {tally.records:,}", tally.faulty
        values = of_set.read(node, where, tally)
        owner = str(values.get("set", ""))
        for name, one, reader in inner:
            rows = node.rows if name == "files" else []
            found = clean if rows and clean else _inner(node, rows, (one.records, reader), where, (tally, owner))
            values[name] = _each_once(found, one.records, where, tally)
        if preview or tally.records <= 100:
            note_left_over(node, used, tally)
        if "set" not in values:
            tally.fault(where, say_absent(node, "set", made))
        elif tally.faulty == before and (made_set := _made_set(values, where, seen, tally)):
            yield made_set


def _inner(node: Node, rows: Rows, inner: tuple[str, Reader], where: str, of: tuple[Tally, str]) -> list[Values]:
    """The inner records of a record, which are called and read in one way, told `of` an owner."""
    records, reader = inner
    within = f"{where}, {records}"
    return reader.read_rows(rows, within, *of) if rows else reader.read_all(node.inner(records), within, *of)


def _many_at_once(nodes: Iterable[Node], reader: Reader) -> Iterator[tuple[Node, list[Values]]]:
    """Records, each with its files where those of many are clean, which are looked over in one go; else with none."""
    stream = iter(nodes)
    while chunk := list(itertools.islice(stream, AT_ONCE)):
        clean = reader.read_clean([row for node in chunk for row in node.rows])
        place = 0
        for node in chunk:
            end = place + len(node.rows)
            yield node, clean[place:end] if clean else []
            place = end


def _each_once(found: list[Values], records: str, where: str, tally: Tally) -> list[Values]:
    """Inner records without those that are there twice."""
    names = {values.get("name") for values in found}
    if len(names) == len(found):
        return found
    kept: dict[Any, Values] = {}
    for values in found:
        known = kept.setdefault(values.get("name"), values)
        if known is not values and known == values:
            tally.duplicates += 1
        elif known is not values:
            tally.fault(where, f'{records} "{values.get("name")}" is there twice, differently')
    return list(kept.values())


def _flat_sets(nodes: Iterable[Node], made: FieldMap, tally: Tally, preview: bool) -> Iterator[ArcadeSet]:
    """Sets from rows of one file each: all rows are held, since those of one set may lie apart."""
    several = any(rule.split for rule in made.fields.get("name", ()))
    reader, used = Reader(made.fields, several=several), used_by(made)
    sets: dict[str, Values] = {}
    files: dict[str, dict[object, Values]] = {}  # of each set, by name
    broken: set[str] = set()
    for node in nodes:
        tally.records += 1
        where, before = f"record {tally.records:,}", tally.faulty
        values = reader.read(node, where, tally)
        if preview or tally.records <= 100:
            note_left_over(node, used, tally)
        if "set" not in values:
            tally.fault(where, say_absent(node, "set", made))
            continue
        of_set = {name: values.pop(name) for name in SET_FIELDS if name in values}
        sets.setdefault(of_set["set"], of_set)
        for file in [_alone(one, where, tally) for one in each_file(values)] if several else [values]:
            name = file.get("name")
            known = files.setdefault(of_set["set"], {}).setdefault(name, file)
            if known is not file and known == file:
                tally.duplicates += 1
            elif known is not file:
                tally.fault(where, f'"{name}" of {of_set["set"]} is there twice, differently')
        broken.update([of_set["set"]] if tally.faulty > before else [])
    for values in sets.values():
        values["files"] = list(files[values["set"]].values())
        if values["set"] not in broken and (made_set := _made_set(values, values["set"], {}, tally)):
            yield made_set


def each_file(values: Values) -> list[Values]:
    """The files of a row: several where it names as many as it has digests of each kind; else what it says, each thing
    once."""
    names = values.get("name", ())
    several = {name: values[name] for name in (*HEX_LENGTHS, "size") if len(values.get(name, ())) > 1}
    digests = [values[name] for name in HEX_LENGTHS if name in values]
    if len(names) < 2 or not digests or {len(one) for one in (*digests, *several.values())} != {len(names)}:
        return [{key: list(dict.fromkeys(one)) if isinstance(one, list) else one for key, one in values.items()}]
    return [
        {**values, "name": [name], **{key: [found[at]] for key, found in several.items()}}
        for at, name in enumerate(names)
    ]


def _alone(values: Values, where: str, tally: Tally) -> Values:
    """The values of a row that may have several, each by itself; what has more is told."""
    for name, found in values.items():
        if isinstance(found, list) and len({one.text for one in found}) > 1:
            what = f"has {len(found)} values ({found[0].text}, {found[1].text} …) where there should be one"
            tally.fault(f"{where} ({called(values)})", what, field=name, of_map=True)
    return {name: found[0].text if isinstance(found, list) else found for name, found in values.items()}


def _made_set(values: Values, where: str, seen: dict[str, int], tally: Tally) -> ArcadeSet | None:
    for file in values.get("files", ()):
        if not file.get("name"):
            tally.fault(where, f"{values['set']}: one file has no name")
            return None
    owner = values.pop("sample_set", None) or values["set"]
    if names := values.pop("samples", None):
        values["samples"] = {"set": owner, "files": names}
    try:
        made = msgspec.convert(values, ArcadeSet)
    except msgspec.ValidationError as error:
        tally.fault(where, record_fault(error))
        return None
    print_ = hash(made)
    if made.set in seen:
        if seen[made.set] == print_:
            tally.duplicates += 1
        else:
            tally.fault(where, f'the set "{made.set}" is there twice, differently')
        return None
    seen[made.set] = print_
    faults = list(set_faults(made, digests=False))  # they were read as such
    for fault in faults:
        tally.fault(where, fault)
    return None if faults else made


def read_fields(nodes: Iterable[Node], made: FieldMap, tally: Tally) -> Iterator[tuple[str, Values]]:
    """The values of records without mistakes, each with where it stands."""
    reader = Reader(made.fields)
    for node in nodes:
        tally.records += 1
        where, before = f"record {tally.records:,}", tally.faulty
        values = reader.read(node, where, tally)
        if tally.faulty == before:
            yield where, values
