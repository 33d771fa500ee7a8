"""Where the records of XML and JSON are: what repeats, has a name, and has digests in it or below it."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterable, Iterator
from pathlib import Path
from typing import Any

from msgspec import Struct

from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.blocks import sample_blocks
from gribble.core.catalogue.importing.nodes import Node, NoRecordsError
from gribble.core.catalogue.importing.streams import json_data, json_node, read_jsonl, sample_xml, toml_data, yaml_data
from gribble.core.catalogue.importing.values import digests_in, is_blank
from gribble.core.catalogue.importing.words import head_points, is_label, meaning
from gribble.core.records.imported import ListFormat, Looks

MOST_RECORDS = 10_000
"""So many records of JSON are looked at."""

MOST_DEPTH = 12
"""Nothing deeper is looked at."""


class Tree(Struct, kw_only=True):
    """The records of a list: their path, and what each says by path.

    `inner` is the path of the files within a record, None if each record is one; `flat_rows` are these files with
    what their record says, under `^`. `variants` is the path of a BIOS set's variants.
    """

    records: str
    rows: list[dict[str, str]]
    inner: str | None = None
    inner_rows: list[dict[str, str]] = []
    flat_rows: list[dict[str, str]] = []
    discs: str = ""
    disc_rows: list[dict[str, str]] = []
    others: dict[str, list[dict[str, str]]] = {}
    common: dict[str, str] = {}
    root: str = ""
    title: str = ""
    keyed: bool = False
    """Whether its records are in lists by a key."""
    left: list[str] = []
    """Where other records with digests are, that are not taken."""


def nested_tree(path: Path, looks: Looks, *, plays: bool = False) -> Tree:
    """The records of an XML list, or of one in blocks, of files or of what `plays`. Raises GribbleError, OSError and
    UnicodeDecodeError."""
    is_xml = looks.format is ListFormat.XML
    root = sample_xml(path) if is_xml else sample_blocks(path, looks.encoding, MOST_RECORDS)
    places: dict[tuple[str, ...], list[tuple[Node, tuple[Node, ...]]]] = {}
    for way, node, above in _walk(root, (), (root,)):
        places.setdefault(way, []).append((node, above))
    found = _plain_records(path, places) if plays else _records(path, places)
    found.root = root.tag
    found.common = {name: str(value) for name, value in root.attributes.items()}
    found.common |= {
        child.tag: child.text.strip() for child in root.children if not child.children and child.text.strip()
    }
    found.title = next((found.common[name] for name in ("title", "name", "description") if name in found.common), "")
    return found


def json_tree(path: Path, looks: Looks, *, plays: bool = False) -> Tree:
    """The records of JSON or JSON Lines, of files or of what `plays`. Raises GribbleError, OSError and
    UnicodeDecodeError."""
    tells = _says_plays if plays else _has_digests_below
    if looks.format is ListFormat.JSONL:
        nodes = [
            node for node, _ in zip(read_jsonl(path, looks.encoding, [], _untold), range(MOST_RECORDS), strict=False)
        ]
        return _json_records("", nodes, {})
    readers = {ListFormat.YAML: yaml_data, ListFormat.TOML: toml_data}
    data = readers.get(looks.format, json_data)(path, looks.encoding, _untold)
    root, inside = "", data
    if isinstance(data, dict) and len(data) == 1 and isinstance(one := next(iter(data.values())), dict):
        root, inside = next(iter(data)), one
    said = inside if isinstance(inside, dict) else {}
    common = {key: str(value) for key, value in said.items() if isinstance(value, (str, int, float))}
    try:
        found = [
            ("/".join(way), nodes, count)
            for way, nodes, count in _json_lists(data, [])
            if sum(map(tells, nodes[:500])) > 0.2 * len(nodes[:500])
        ]
    except RecursionError:
        raise GribbleError(f"{path} is nested too deeply", fix="Turn it into JSON Lines, one record a line.") from None
    if not found:
        what = "that say what plays" if plays else "with digests"
        raise NoRecordsError(f"{path} has no records {what}", fix=BY_HAND)
    (way, nodes, _), *others = sorted(found, key=lambda one: -one[2])
    tree = _json_records(way, nodes, common)
    tree.left += [f"{way} ({count:,})" for way, _, count in others]
    tree.root = root
    tree.keyed = way.endswith("*") and len({node.attributes.get("key") for node in nodes}) < len(nodes)
    return tree


BY_HAND = "gribble schema map shows what a map can say; --map MAP uses one."
"""What to do where a list says too little."""


def _untold(_bytes: int) -> None:
    pass


def _json_lists(data: Any, way: list[str]) -> Iterator[tuple[list[str], list[Node], int]]:
    """Everything in JSON that could be a list of records, the outermost first: its path, the first of its records, and
    how many it has."""
    if len(way) > MOST_DEPTH:
        return
    if isinstance(data, list):
        records = [one for one in data if isinstance(one, dict)]
        if records:
            yield way, [json_node("", one) for one in records[:MOST_RECORDS]], len(records)
    elif isinstance(data, dict):
        yield from _lists_in_object(data, way)


def _lists_in_object(data: dict[str, Any], way: list[str]) -> Iterator[tuple[list[str], list[Node], int]]:
    """The same in an object: it may be a list by names itself, or one of lists."""
    lists = [one for one in data.values() if isinstance(one, list) and one and isinstance(one[0], dict)]
    of_lists = len(lists) > 1 and len(lists) == len(data)
    if of_lists and all(_has_digests_below(json_node("", one[0])) for one in lists):
        yield [*way, "*"], list(itertools.islice(_keyed(data), MOST_RECORDS)), sum(map(len, lists))
        return
    inner = [one for one in data.values() if isinstance(one, dict)]
    if len(inner) > 1 and len(inner) == len(data) and set.intersection(*map(set, inner)):
        nodes = [json_node("", one) for one in inner[:MOST_RECORDS]]
        for key, node in zip(data, nodes, strict=False):
            node.attributes["key"] = key
        yield [*way, "*"], nodes, len(inner)
        return
    for key, one in data.items():
        if isinstance(one, (list, dict)):
            yield from _json_lists(one, [*way, key])


def _keyed(data: dict[str, Any]) -> Iterator[Node]:
    """The records of several lists, each with the key of its list."""
    for key, group in data.items():
        for one in group:
            node = json_node("", one)
            node.attributes["key"] = key
            yield node


def _json_records(records: str, nodes: list[Node], common: dict[str, str]) -> Tree:
    places: dict[tuple[str, ...], list[tuple[Node, tuple[Node, ...]]]] = {(): [(node, ()) for node in nodes]}
    for record in nodes:
        for way, node, above in _walk(record, (), (record,)):
            places.setdefault(way, []).append((node, above))
    within = [way for way in _digest_places(places) if way]
    title = next((common[name] for name in ("title", "name", "description") if name in common), "")
    alone = bool(within) and len(places[within[0]]) == len(nodes) and not _names_itself(places[()])
    if not within or alone or () in _digest_places(places):
        return Tree(records=records, rows=[_own(node) for node in nodes], common=common, title=title)
    inner = within[0]
    tree = _tree(records, nodes, inner, places[inner], within[1:], places)
    tree.common, tree.title = common, title
    return tree


def _walk(
    node: Node, way: tuple[str, ...], above: tuple[Node, ...]
) -> Iterator[tuple[tuple[str, ...], Node, tuple[Node, ...]]]:
    """Every inner node with something in it, with its path and what it is in."""
    if len(way) > MOST_DEPTH:
        return
    for child in node.children:
        if child.attributes or child.children:
            yield (*way, child.tag), child, above
            yield from _walk(child, (*way, child.tag), (*above, child))


Places = dict[tuple[str, ...], list[tuple[Node, tuple[Node, ...]]]]


def _digest_places(places: Places) -> list[tuple[str, ...]]:
    """The paths at which nodes have digests of their own, or in the only node of their kind within them, the most
    frequent first."""
    shares = {
        way: sum(_has_digest(node) for node, _ in group[:2000]) / len(group[:2000]) for way, group in places.items()
    }
    found = dict.fromkeys(_outward(way, places) for way, share in shares.items() if share >= 0.3)
    return sorted(found, key=lambda way: -len(places[way]))


def _outward(way: tuple[str, ...], places: Places) -> tuple[str, ...]:
    """The path of what each is in by itself, such as a record with its digests in a node of their own."""
    while way[:-1] in places and _names_itself(places[way[:-1]]):
        group = places[way]
        alone = len(places[way[:-1]]) == len(group) or all(_says_kind(node) for node, _ in group)
        if _names_itself(group) or not alone:
            break
        way = way[:-1]
    return way


def _says_kind(node: Node) -> bool:
    """Whether a node only has digests and says of which kind they are."""
    words = [*map(str, node.attributes.values()), *(one.text for one in node.children)]
    return any(map(is_label, words)) and all(is_label(word) or digests_in(word) for word in words)


def _names_itself(group: list[tuple[Node, tuple[Node, ...]]]) -> bool:
    """Whether nodes have a value of their own that names each."""
    names = [_own_name(node) for node, _ in group[:500]]
    return all(names)


def _own_name(node: Node) -> str:
    values = [*map(str, node.attributes.values()), *(one.text.strip() for one in node.children if not one.children)]
    return next((one for one in values if one and not (digests_in(one) or one.isdigit() or is_label(one))), "")


def _has_digest(node: Node) -> bool:
    """Whether a node has a digest, as an attribute or as the text of a child."""
    values = [*map(str, node.attributes.values()), *(child.text for child in node.children if not child.children)]
    return bool(any(len(value) >= 8 and digests_in(value) for value in values))


def _has_digests_below(node: Node, depth: int = 4) -> bool:
    return _has_digest(node) or (depth > 0 and any(_has_digests_below(one, depth - 1) for one in node.children))


def _records(path: Path, places: Places) -> Tree:
    """The records of a tree below its root."""
    ways = _digest_places(places)
    if not ways:
        shown = ", ".join("/".join(way) for way in list(places)[:8])
        raise GribbleError(f"{path} has no records with digests", fix=f"It has: {shown or 'nothing below its root'}.")
    files = ways[0]
    for depth in range(len(files) - 1, 0, -1):
        above = places.get(files[:depth], [])
        names = [_name_of(node, files[depth]) for node, _ in above]
        several = len(above) > 1 or (len(above) == 1 and _is_set(above[0][0]))
        if several and all(names) and len(set(names)) == len(names):
            way = files[:depth]
            tree = _tree("/".join(way), [node for node, _ in above], files[depth:], places[files],
                         [one[depth:] for one in ways[1:] if one[:depth] == way], _below(places, way))  # fmt: skip
            tree.left += _others(places, [one for one in ways[1:] if one[:depth] != way])
            return tree
    tree = Tree(records="/".join(files), rows=[_own(node) for node, _ in places[files]])
    tree.left = _others(places, ways[1:])
    return tree


def _says_plays(node: Node) -> bool:
    """Whether a node says how something plays."""
    return any(meaning(value, "plays") for value in _own(node).values())


def _plain_records(path: Path, places: Places) -> Tree:
    """The records of a tree that say what plays, whatever is in them. Raises GribbleError if none do."""
    shares = {way: sum(_says_plays(node) for node, _ in group) / len(group) for way, group in places.items()}
    ways = sorted(
        (way for way, share in shares.items() if share > _SOME), key=lambda way: (len(way), -len(places[way]))
    )
    if not ways:
        raise GribbleError(f"{path} has no records that say what plays", fix=BY_HAND)
    return Tree(records="/".join(ways[0]), rows=[_own(node) for node, _ in places[ways[0]]])


_SOME = 0.2


def _is_set(node: Node) -> bool:
    """Whether a node that stands alone is plainly a set of an arcade emulator: it says more than its name."""
    heads = [name.lstrip("@").rpartition("/")[2] for name in _own(node)]
    return (
        sum(any(head_points(head, field) == 3 for head in heads) for field in ("year", "maker", "parent", "bios")) > 1
    )


def _others(places: Places, ways: list[tuple[str, ...]]) -> list[str]:
    return [f"{'/'.join(way)} ({len(places[way]):,})" for way in ways]


def _below(places: Places, way: tuple[str, ...]) -> Places:
    return {one[len(way) :]: group for one, group in places.items() if one[: len(way)] == way}


def _name_of(node: Node, inner: str) -> str:
    """The first of a node's own values that could name it, but for those of some inner nodes."""
    own = _own(node, (inner,))
    return next((value for value in own.values() if value and len(value) < 60 and not digests_in(value)), "")


def _tree(
    records: str, nodes: list[Node], inner: tuple[str, ...], files: list[tuple[Node, tuple[Node, ...]]],
    more: Iterable[tuple[str, ...]], places: Places,
) -> Tree:  # fmt: skip
    more = list(more)
    aside = {inner[0], *(way[0] for way in more)}
    tree = Tree(records=records, rows=[_own(node, aside) for node in nodes], inner="/".join(inner))
    tree.inner_rows = [_own(node) for node, _ in files]
    owns = {id(node): row for node, row in zip(nodes, tree.rows, strict=True)}
    for row, (_, above) in zip(tree.inner_rows, files, strict=True):
        own = next((owns[id(one)] for one in reversed(above) if id(one) in owns), {})
        said = {f"^{name.lstrip('@')}": value for name, value in own.items() if "/" not in name}
        tree.flat_rows.append({**said, **row})
    for way in more:
        rows = [_own(node) for node, _ in places[way]]
        if not tree.discs and not any(set(digests_in(value)) & {"crc32"} for row in rows for value in row.values()):
            tree.discs, tree.disc_rows = "/".join(way), rows
        else:
            tree.left.append(f"{'/'.join(way)} ({len(rows):,})")
    for way, group in places.items():
        if way and way not in (inner, *more) and len(way) == 1 and way != inner[:1]:
            tree.others["/".join(way)] = [_own(node) for node, _ in group]
    return tree


def _own(node: Node, skip: Collection[str] = (), prefix: str = "") -> dict[str, str]:
    """What a node says itself, by path; of several values at one path a line each."""
    found: dict[str, str] = {}
    texts = {child.tag: child.text for child in node.children}
    if not prefix and node.text.strip() and node.tag:
        found["."] = node.text.strip()
    for name, value in node.attributes.items():
        if texts.get(name) != value:  # JSON gives its values as both
            found[f"{prefix}@{name}"] = str(value)
    for child in node.children:
        if child.tag in skip:
            continue
        inner: Iterable[tuple[str, str]] = _own(child, (), f"{prefix}{child.tag}/").items()
        if child.text.strip() and not child.children:
            inner = [(prefix + child.tag, child.text.strip()), *inner]
        for name, value in inner:
            if not is_blank(value):
                found[name] = f"{found[name]}\n{value}" if found.get(name) else value
    return found
