"""How a list names its sets: in a column, above its tables, or in the paths of files."""

from __future__ import annotations

import itertools
import re
from collections.abc import Collection
from typing import Any

from msgspec import structs

from gribble.core.catalogue.importing.columns import Column
from gribble.core.catalogue.importing.nodes import HEADING
from gribble.core.catalogue.importing.rules import rules_for
from gribble.core.catalogue.importing.tables import OUTER
from gribble.core.catalogue.importing.values import in_part
from gribble.core.catalogue.importing.words import EXACT, head_points
from gribble.core.files.archives.opening import SET_ENDINGS
from gribble.core.records.imported import Degree, Field, Guess

ABOVE, OUTER_HEADING = "the heading above", f"^{OUTER}"
SIMILAR = "there are similar tables below it"
_PARTS = (("name", "title"), ("in brackets", "before brackets"))
"""In which parts of a heading the name of a set and its title can be."""


def naming_of(columns: list[Column], taken: Collection[str] = (), field: str = "set") -> list[Guess]:
    """The column that names each record: short, of each another, best one whose head says so."""
    free = [
        one for one in columns
        if one.name not in taken and len(one.words) == one.rows and one.fit("set") >= 0 and not one.digests
    ]  # fmt: skip
    best = max(free, key=lambda one: (head_points(one.head, "set"), head_points(one.head, "name")), default=None)
    if best is None:
        return []
    headed = head_points(best.head, "set") or head_points(best.head, "name")
    return [
        Guess(field=field, column=best.name, rules=(Field(from_=best.name),), reason="names each record",
              degree=Degree.SURE if headed else Degree.LIKELY, samples=tuple(itertools.islice(best.words, 3)))
    ]  # fmt: skip


def with_sets_named(guesses: list[Guess], columns: list[Column]) -> list[Guess]:
    """The guesses, with a column of short names beside that of files as the set, where nothing else is."""
    taken = {one.column for one in guesses if one.field != "title"}
    for column in () if any(one.field == "set" for one in guesses) else columns:
        if column.name not in taken and head_points(column.head, "name") == EXACT and column.fit("set") > 0:
            rules, words, _, _ = rules_for("set", column)
            named = Guess(field="set", column=column.name, rules=rules, words=words, degree=Degree.LIKELY,
                          reason="called so, short names", samples=tuple(column.words)[:3])  # fmt: skip
            return [named, *(one for one in guesses if one.column != column.name)]
    return guesses


def sets_in_paths(guesses: list[Guess], columns: list[Column], *, archives: bool = False) -> list[Guess]:
    """The sets as the first folders of the paths of files, and the names of these as the rest; none if not all paths
    have such a folder, or with `archives` if these are none."""
    name = next((one for one in guesses if one.field == "name"), None)
    column = next((one for one in columns if name and one.name == name.column), None)
    if name is None or column is None:
        return []
    before = _folder_before(list(column.words))
    first = [in_part(word.removeprefix(before), "first") for word in column.words]
    ending = next((one for one in SET_ENDINGS if all(word.endswith(one) for word in first)), "")
    if not all(first) or (archives and not ending):
        return []
    samples = tuple(itertools.islice(dict.fromkeys(word.removesuffix(ending) for word in first), 3))
    rules = (
        Field(from_=column.name, prefix=before, part="first", suffix=ending),
        Field(from_=column.name, prefix=before, part="rest"),
    )
    return [
        Guess(field="set", column=column.name, rules=rules[:1], degree=Degree.LIKELY, samples=samples,
              reason=f"the {'archives' if ending else 'folders'} that the files are in"),
        structs.replace(name, rules=rules[1:]),
    ]  # fmt: skip


def _folder_before(paths: list[str]) -> str:
    """What all paths have before the folders of the sets, of which each has at least one, perhaps an archive."""
    folders = [re.split(r"[\\/]", path)[:-2] for path in paths]
    alike = itertools.takewhile(lambda same: len(set(same)) == 1, zip(*folders, strict=False))
    shared = itertools.takewhile(lambda name: not name.endswith(SET_ENDINGS), (same[0] for same in alike))
    return paths[0][: sum(len(name) + 1 for name in shared)] if paths else ""


def sets_above(rows: list[dict[str, Any]]) -> list[Guess]:
    """The sets that tables have above them, by their names or by name and title, or by a name above a title; none if a
    heading names no set."""
    for place in (HEADING, OUTER_HEADING):
        headings = [str(one) for one in dict.fromkeys(row.get(place, "") for row in rows)]
        begin, end = _shared_words(headings)
        bare = [one.removeprefix(begin).removesuffix(end) for one in headings]
        if len(bare) < _FEWEST or (parts := _parts_of(bare)) is None:
            continue
        rules = [("set", Field(from_=place, prefix=begin, suffix=end, part=parts[0]))]
        if any(in_part(one, parts[1]) for one in bare):
            rules.append(("title", Field(from_=place, prefix=begin, suffix=end, part=parts[1])))
        elif place != HEADING:
            rules.append(("title", Field(from_=HEADING)))
        return [
            Guess(field=field, column=ABOVE, rules=(rule,), degree=Degree.LIKELY, reason=SIMILAR,
                  samples=tuple(filter(None, (in_part(one, rule.part) for one in bare)))[:3])
            for field, rule in rules
        ]  # fmt: skip
    return []


_FEWEST = 2


def _parts_of(headings: list[str]) -> tuple[str, str] | None:
    """In which parts of some headings the names of sets and their titles are, each another name: best where all are in
    small letters, as names are and titles are not. None if they are in none."""
    good: list[tuple[bool, int, tuple[str, str]]] = []
    for parts in _PARTS:
        names = {in_part(one, parts[0]) for one in headings}
        if len(names) == len(headings) and "" not in names:
            good.append((any(name != name.lower() for name in names), len(good), parts))
    return min(good)[2] if good else None


def _shared_words(headings: list[str]) -> tuple[str, str]:
    """The words with which all headings begin, and with which all end."""
    words = [heading.split() for heading in headings]
    begin, end = (
        list(itertools.takewhile(lambda same: len(set(same)) == 1, zip(*each, strict=False)))
        for each in (words, [one[::-1] for one in words])
    )
    shared = [" ".join(one[0] for one in same) for same in (begin, end[::-1])]
    return f"{shared[0]} " if shared[0] else "", f" {shared[1]}" if shared[1] else ""
