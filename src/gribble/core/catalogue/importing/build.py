"""From records to the sets of a roster or the needs of a sheet; every record that cannot be taken over is told."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

import msgspec
from msgspec import structs

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.paths import base, join, name_fault, parent, path_fault
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.importing.fieldmap import Field, FieldMap, Inner, plain_attribute
from gribble.core.catalogue.importing.lists import Node
from gribble.core.catalogue.importing.values import ValueFault, digest, number, text, texts, yes
from gribble.core.catalogue.rosters import set_faults
from gribble.core.catalogue.writing import Draft, DraftSheet
from gribble.core.records.imported import Tally
from gribble.core.records.roster import ArcadeSet
from gribble.core.records.sheet import Accept, ManifestFile

Values = dict[str, Any]
Rows = list[tuple[str | None, ...]]


class _Reader:
    """Reads the fields of one kind of record."""

    def __init__(self, fields: dict[str, Field]) -> None:
        self._fields = [(name, field, _converter(name, field)) for name, field in fields.items()]
        self._attributes = {name: plain_attribute(name, field) for name, field in fields.items()}

    def read(self, node: Node, where: str, tally: Tally) -> Values:
        """The values of a record; a mistake is noted with the record and the field."""
        values: Values = {}
        for name, field, convert in self._fields:
            attribute = self._attributes[name]
            if attribute and attribute not in node.attributes:
                continue
            try:
                raw: Any = node.attributes[attribute] if attribute else None
                if not raw or raw[0] == "=" or raw != raw.strip():
                    raw = tuple(texts(node, field)) if name == "devices" else text(node, field)
                if raw:
                    values[name] = convert(raw)
            except ValueFault as fault:
                tally.fault(f"{where}, {name}", str(fault))
        return values

    def read_all(self, nodes: list[Node], where: str, tally: Tally) -> list[Values]:
        """The values of many records; at once where all of them are as they should be, as nearly all of a list are."""
        keys = tuple(self._attributes.values())
        if all(keys):
            return self.read_rows([tuple(map(node.attributes.get, keys)) for node in nodes], where, tally)
        return [self.read(node, f"{where} {place}", tally) for place, node in enumerate(nodes, start=1)]

    def read_rows(self, rows: Rows, where: str, tally: Tally) -> list[Values]:
        """The same of rows that hold nothing but the attributes of the fields, in their order."""
        if clean := self._read_clean(rows):
            return clean
        keys = self._attributes.values()
        there = ({key: raw for key, raw in zip(keys, row, strict=True) if raw is not None} for row in rows)
        return [self.read(Node("", one), f"{where} {place}", tally) for place, one in enumerate(there, start=1)]

    def _read_clean(self, rows: Rows) -> list[Values]:
        """The values column by column, each looked over in one go; empty where any needs a closer look."""
        columns: list[Iterable[Any]] = []
        if not rows:
            return []
        for name, column in zip(self._attributes, zip(*rows, strict=True), strict=True):
            there = [raw for raw in column if raw]
            if name in HEX_LENGTHS:
                if len(there) < len(column) or set(map(len, there)) != {HEX_LENGTHS[name]}:
                    return []
                joined = " ".join(there).lower()
                try:
                    bytes.fromhex(joined)
                except ValueError:
                    return []
                columns.append(joined.split(" "))
            elif name == "size":
                if len(there) < len(column) or not all(map(str.isdecimal, there)):
                    return []
                columns.append(map(int, there))
            elif list(map(str.strip, there)) != there or "=" in "".join(there):
                return []
            else:
                columns.append(column)
        names = tuple(self._attributes)
        return [dict(zip(names, row)) for row in zip(*columns)]  # noqa: B905  (checking lengths takes twice as long)


def _converter(name: str, field: Field) -> Callable[[Any], Any]:
    if name in HEX_LENGTHS:
        return lambda raw: digest(raw, name, field)
    if name in ("size", "year"):
        return lambda raw: number(raw, field)
    if name == "optional":
        return yes
    return tuple if name == "devices" else str


def _say_absent(node: Node, name: str, made: FieldMap) -> str:
    path = made.fields[name].from_
    known = list(node.names())
    hint = "" if path in known or f"@{path}" in known else f"; the map takes it from {path}{suggest(path, known)}"
    return f"has no {name}{hint}"


def _note_left_over(node: Node, used: frozenset[str], tally: Tally) -> None:
    tally.left_over.update(name for name in node.names() if name not in used)


def _used(made: FieldMap) -> frozenset[str]:
    """Every path that the map takes something from."""
    paths = {field.from_ for field in made.fields.values()}
    for inner in (made.files, made.discs):
        if inner:
            prefix = f"{inner.records}/" if inner.records else ""
            paths |= {prefix + field.from_ for field in inner.fields.values()}
    names = {path.removesuffix("/.") for path in paths}
    return frozenset(names | {f"@{name}" for name in names} | {name.removeprefix("@") for name in names})


# Rosters


def read_sets(nodes: Iterable[Node], made: FieldMap, tally: Tally, *, preview: bool = False) -> Iterator[ArcadeSet]:
    """The sets of a list, streamed; rows that are one file each are gathered by set where they follow one another."""
    if made.files or made.discs:
        yield from _nested_sets(nodes, made, tally, preview)
    else:
        yield from _flat_sets(nodes, made, tally, preview)


def _nested_sets(nodes: Iterable[Node], made: FieldMap, tally: Tally, preview: bool) -> Iterator[ArcadeSet]:
    of_set, used = _Reader(made.fields), _used(made)
    inner = [(name, one, _Reader(one.fields)) for name, one in (("files", made.files), ("discs", made.discs)) if one]
    seen: dict[str, int] = {}
    for node in nodes:
        tally.records += 1
        where = f"record {tally.records:,}"
        values = of_set.read(node, where, tally)
        for name, one, reader in inner:
            values[name] = _inner(node, node.rows if name == "files" else [], one, reader, where, tally)
        if preview or tally.records <= 100:
            _note_left_over(node, used, tally)
        if "set" not in values:
            tally.fault(where, _say_absent(node, "set", made))
        elif made_set := _made_set(values, where, seen, tally):
            yield made_set


def _inner(node: Node, rows: Rows, inner: Inner, reader: _Reader, where: str, tally: Tally) -> list[Values]:
    within = f"{where}, {inner.records}"
    nodes = [] if rows else node.inner(inner.records)
    found = reader.read_rows(rows, within, tally) if rows else reader.read_all(nodes, within, tally)
    names = {values.get("name") for values in found}
    if len(names) == len(found):
        return found
    kept: dict[Any, Values] = {}
    for values in found:
        known = kept.setdefault(values.get("name"), values)
        if known is not values and known == values:
            tally.duplicates += 1
        elif known is not values:
            tally.fault(where, f'{inner.records} "{values.get("name")}" is there twice, differently')
    return list(kept.values())


_SET_NAMES = ("set", "title", "year", "maker", "parent", "bios", "devices", "plays", "note")


def _flat_sets(nodes: Iterable[Node], made: FieldMap, tally: Tally, preview: bool) -> Iterator[ArcadeSet]:
    """Sets from rows of one file each: all rows are held, since those of one set may lie apart."""
    reader, used = _Reader(made.fields), _used(made)
    sets: dict[str, Values] = {}
    for node in nodes:
        tally.records += 1
        where = f"record {tally.records:,}"
        values = reader.read(node, where, tally)
        if preview or tally.records <= 100:
            _note_left_over(node, used, tally)
        if "set" not in values:
            tally.fault(where, _say_absent(node, "set", made))
            continue
        of_set = {name: values.pop(name) for name in (*_SET_NAMES, "kind") if name in values}
        one = sets.setdefault(of_set["set"], {**of_set, "files": []})
        if values in one["files"]:
            tally.duplicates += 1
        elif any(file.get("name") == values.get("name") for file in one["files"]):
            tally.fault(where, f'"{values.get("name")}" of {of_set["set"]} is there twice, differently')
        else:
            one["files"].append(values)
    for values in sets.values():
        if made_set := _made_set(values, values["set"], {}, tally):
            yield made_set


def _made_set(values: Values, where: str, seen: dict[str, int], tally: Tally) -> ArcadeSet | None:
    for file in values.get("files", ()):
        if not file.get("name"):
            tally.fault(where, f"{values['set']}: a file has no name")
            return None
    try:
        made = msgspec.convert(values, ArcadeSet)
    except msgspec.ValidationError as error:
        tally.fault(where, str(error).replace("`", "'").replace("$.", ""))
        return None
    print_ = hash(made)
    if seen.setdefault(made.set, print_) != print_:
        tally.fault(where, f'the set "{made.set}" is there twice, differently')
        return None
    faults = list(set_faults(made, digests=False))  # they were read as such
    for fault in faults:
        tally.fault(where, fault)
    return None if faults else made


# Sheets


def read_rows(nodes: Iterable[Node], made: FieldMap, tally: Tally) -> Iterator[Values]:
    """The rows of a list for a sheet: each one accept, with what is said of its need."""
    reader, used = _Reader(made.fields), _used(made)
    for node in nodes:
        tally.records += 1
        _note_left_over(node, used, tally)
        values = reader.read(node, f"record {tally.records:,}", tally)
        if "name" not in values:
            tally.fault(f"record {tally.records:,}", _say_absent(node, "name", made))
        else:
            yield values


def draft_of(rows: Iterable[Values], made: FieldMap, tally: Tally) -> DraftSheet:
    """The sheet of some rows: rows with one id, or with one place, are accepts of one need."""
    known = made.sheet
    draft = DraftSheet(
        emulator=str(known["emulator"]),
        title=str(known.get("title", "")),
        release=str(known.get("release", "")),
        machines=tuple(map(str, known.get("machines", ()))),
    )
    needs: dict[object, Draft] = {}
    for values in rows:
        folder = values.get("folder", known.get("folder", ""))
        name = values["name"]
        if fault := (path_fault(folder) if folder else None) or name_fault(name):
            tally.fault(f'"{name}"', str(fault))
            continue
        accept = structs.replace(
            Accept(**{key: values[key] for key in ("label", "region", "version", "size") if key in values}),
            **{key: values[key] for key in HEX_LENGTHS if key in values},
        )
        need = needs.get(key := values.get("id") or (folder, name))
        if need is None:
            words = {key: values.get(key, known.get(key, "")) for key in ("title", "kind", "level", "why", "choice")}
            words["title"] = values.get("title", "")
            needs[key] = Draft(name=name, folder=folder, id=values.get("id", ""), **words, accepts=[accept], also=[])
        elif accept in need.accepts:
            tally.duplicates += 1
        else:
            need.accepts.append(accept)
    draft.needs = list(needs.values())
    return draft


def draft_of_checksums(files: Iterable[ManifestFile], emulator: str, folder: str) -> DraftSheet:
    """The sheet of a checksum list: each file a need, in the folders that the list's paths say."""
    draft = DraftSheet(emulator=emulator)
    for file in files:
        accept = structs.replace(Accept(size=file.size), **file.known())
        place = join(folder, parent(file.name))
        draft.needs.append(Draft(name=base(file.name), folder=place, accepts=[accept], also=[]))
    return draft
