"""How a list names its sets: in a column, above its tables, or in the paths of files."""

from __future__ import annotations

import itertools
import re
from collections.abc import Collection
from typing import Any

from msgspec import structs

from gribble.core.base.paths import folder_of_all
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
_NAME = re.compile(r"[\w.+!-]+")
_FORMS = (
    re.compile(rf"(?P<name>{_NAME.pattern})(?:\s*[:–—-]\s+(?P<a>\S.*)|\s+\((?P<b>\S.*)\)|\s+\"(?P<c>[^\"]+)\".*)"),
    re.compile(rf"(?P<a>\S.*?)\s+[(\[](?P<name>{_NAME.pattern})[)\]]"),
)
"""How a heading has the name of a set and its title."""


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
    before = folder_of_all(column.words)
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


def sets_above(rows: list[dict[str, Any]]) -> list[Guess]:
    """The sets that tables have above them, by their names or by name and title, or by a name above a title; none if a
    heading names no set."""
    for place in (HEADING, OUTER_HEADING):
        names, titles = _named([str(one) for one in dict.fromkeys(row.get(place, "") for row in rows)])
        if len(names) < _FEWEST:
            continue
        made = [("set", Field(from_=place, values=names))]
        if titles:
            made.append(("title", Field(from_=place, values={**titles, "*": ""})))
        elif place != HEADING:
            made.append(("title", Field(from_=HEADING)))
        return [
            Guess(field=field, column=ABOVE, rules=(rule,), degree=Degree.LIKELY, reason=SIMILAR,
                  samples=tuple(rule.values.values())[:3])
            for field, rule in made
        ]  # fmt: skip
    return []


_FEWEST, _LONGEST = 2, 200


def _named(headings: list[str]) -> tuple[dict[str, str], dict[str, str]]:
    """The names of the sets in some headings, and their titles; nothing if not each heading has another name."""
    begin, end = _shared_words(headings)
    found: tuple[dict[str, str], dict[str, str]] = {}, {}
    for form in _FORMS:
        names, titles = {}, {}
        for heading in headings:
            shown = heading[:_LONGEST].removeprefix(begin).removesuffix(end)
            if match := form.fullmatch(shown):
                names[heading] = match["name"]
                titles[heading] = next(word for key, word in match.groupdict().items() if word and key != "name")
            elif _NAME.fullmatch(shown):
                names[heading] = shown
        small = all(name == name.lower() for name in names.values())  # as names of sets are, and titles are not
        if len(set(names.values())) == len(headings) and (small or not found[0]):
            found = names, titles
        if small and found[0]:
            break
    return found


def _shared_words(headings: list[str]) -> tuple[str, str]:
    """The words with which all headings begin, and with which all end."""
    words = [heading.split() for heading in headings]
    begin, end = (
        list(itertools.takewhile(lambda same: len(set(same)) == 1, zip(*each, strict=False)))
        for each in (words, [one[::-1] for one in words])
    )
    shared = [" ".join(one[0] for one in same) for same in (begin, end[::-1])]
    return f"{shared[0]} " if shared[0] else "", f" {shared[1]}" if shared[1] else ""
