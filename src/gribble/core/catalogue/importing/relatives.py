"""How records of a list belong together: which column names them, and which names their parents, BIOS sets, devices,
variants and shared files. Told by what the values refer to, whatever the columns are called."""

from __future__ import annotations

import itertools
import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from msgspec import structs

from gribble.core.catalogue.importing.build import Values, read_fields
from gribble.core.catalogue.importing.columns import Column
from gribble.core.catalogue.importing.nodes import Node
from gribble.core.catalogue.importing.rules import rules_for
from gribble.core.catalogue.importing.trees import Tree
from gribble.core.catalogue.importing.values import in_part
from gribble.core.catalogue.importing.words import head_points, meaning, plain
from gribble.core.records.imported import Degree, Field, FieldMap, Guess, Tally
from gribble.core.records.roster import ArcadeSet, Plays, Roster

_FLAGS = {"bios": "bios", "device": "devices"}


def related(guesses: list[Guess], columns: list[Column], kinds: Mapping[str, str]) -> list[Guess]:
    """Parents and BIOS sets: the columns that name sets of the list, told apart by what they name. Of two, the one that
    repeats the other and says more is the BIOS set's."""
    others = [one for one in guesses if one.field not in ("parent", "bios")]
    naming = _referring(guesses, columns, {one.column for one in others})
    said = [one for one in guesses if one.field in ("parent", "bios")]
    within = [one for one in naming if "/" in one.name and one.name not in {each.column for each in said}]
    refer = [one for one in naming if one not in within]
    if within and not any(one.field == "devices" for one in others):
        samples = tuple(itertools.islice(within[0].words, 3))
        others.append(
            Guess(field="devices", column=within[0].name, rules=(Field(from_=within[0].name),), degree=Degree.LIKELY,
                  reason="names sets, several to a record", samples=samples)
        )  # fmt: skip
    names = {column.name for column in naming}
    doubted = [
        structs.replace(one, degree=Degree.DOUBTFUL, reason=f"{one.reason}, but names no sets of the list")
        for one in said
        if one.column not in names
    ]
    return [_without_ending(one, others) for one in (*others, *_told_apart(refer, guesses, kinds), *doubted)]


def _without_ending(one: Guess, guesses: list[Guess]) -> Guess:
    """A guess of what names other sets, from whose names the ending falls away that falls away from the sets' own."""
    own = next((each.rules[0].suffix for each in guesses if each.field == "set"), "")
    if not own or one.field not in ("parent", "bios", "devices"):
        return one
    rules = tuple(structs.replace(rule, suffix=own) for rule in one.rules)
    return structs.replace(one, rules=rules, words=f"{own} behind them falls away")


def _told_apart(refer: list[Column], guesses: list[Guess], kinds: Mapping[str, str]) -> list[Guess]:
    """What the columns are that name sets."""
    if len(refer) == 1:
        return _alone(refer[0], guesses, kinds)
    if len(refer) == 2:
        fewer, more = sorted(refer, key=lambda one: len(one.values))
        return _both(fewer, more, guesses)
    names = {column.name for column in refer}
    return [one for one in guesses if one.column in names]


_SOUNDS = (".wav", ".flac", ".ogg", ".mp3", ".aiff", ".aif")


def samples_of(columns: list[Column]) -> list[Guess]:
    """The sound samples that a set plays: files of sound, or what is called so; and whose archive has them."""
    found: dict[str, Guess] = {}
    for column in columns:
        head = re.sub(r"\W+", " ", column.name)
        sounds = column.share(lambda text: all(one.lower().endswith(_SOUNDS) for one in text.split("\n"))) > 0.9
        headed = head_points(head, "sample set") > head_points(head, "samples")
        field = "sample_set" if headed else "samples" if sounds or head_points(head, "samples") else ""
        if not column.values or column.digests or not field or field in found:
            continue
        found[field] = Guess(
            field=field,
            column=column.name,
            rules=rules_for("devices", column).rules if field == "samples" else (Field(from_=column.name),),
            degree=Degree.LIKELY,
            reason="names sound samples" if field == "samples" else "says whose sound samples are played",
            samples=tuple(" / ".join(word.split("\n")) for word in itertools.islice(column.words, 3)),
        )
    return list(found.values()) if "samples" in found else []


def _referring(guesses: list[Guess], columns: list[Column], taken: set[str]) -> list[Column]:
    """The columns, but those taken, of which at least half the values are names of sets of the list."""
    chosen = next((one.column for one in guesses if one.field == "set"), None)
    names: set[str] = next((set(one.words) for one in columns if chosen and one.name == chosen), set())
    return [one for one in columns if one.name not in taken and one.words and one.refers_to(names) >= 0.5]


def _alone(column: Column, guesses: list[Guess], kinds: Mapping[str, str]) -> list[Guess]:
    """The one column that names sets: parents, BIOS sets, or both, each told by the kind of what it names."""
    said = {kinds.get(word, "game") for word in column.words}
    headed = next((one for one in guesses if one.column == column.name), None)
    if said == {"game", "bios"}:
        reason = "names of sets, of games and BIOS sets"
        made = [("parent", Field(from_=column.name, kind="game")), ("bios", Field(from_=column.name, kind="bios"))]
    else:
        word = "bios" if said == {"bios"} else headed.field if headed and not kinds else "parent"
        reason = f"names of {'BIOS sets' if word == 'bios' else 'sets'}"
        made = [(word, Field(from_=column.name))]
    degree = (
        Degree.SURE if headed else Degree.LIKELY if column.refers_to(kinds or column.words) >= 0.9 else Degree.DOUBTFUL
    )
    samples = tuple(itertools.islice(column.words, 3))
    return [
        Guess(field=field, column=column.name, rules=(rule,), degree=degree, reason=reason, samples=samples)
        for field, rule in made
    ]


def _both(fewer: Column, more: Column, guesses: list[Guess]) -> list[Guess]:
    """Parent and BIOS set, of two columns that name sets."""
    heads = {one.column: one.field for one in guesses if one.field in ("parent", "bios")}
    pairs = [(a, b) for a, b in zip(fewer.every, more.every, strict=False) if a and b]
    alike = sum(a == b for a, b in pairs) >= 0.8 * max(1, len(pairs)) and bool(pairs)
    swapped = heads.get(fewer.name) == "bios" or (heads.get(more.name) == "parent" and fewer.name not in heads)
    if alike and not swapped:
        degree, reason = Degree.LIKELY, "names BIOS sets, and repeats the parent, which is left out"
    elif heads.get(fewer.name) != heads.get(more.name) and heads:
        degree, reason = Degree.LIKELY, "names of sets"
    else:
        degree, reason = Degree.DOUBTFUL, "two columns name sets"
    order = (more, fewer) if swapped else (fewer, more)
    return [
        Guess(
            field=field, column=column.name, rules=(Field(from_=column.name),), degree=degree,
            reason=reason if field == "bios" else "names of sets",
            samples=tuple(itertools.islice(column.words, 3)),
        )
        for field, column in zip(("parent", "bios"), order, strict=True)
    ]  # fmt: skip


def kinds_of(guesses: list[Guess], rows: Sequence[Mapping[str, str]]) -> dict[str, str]:
    """The kind of each set, where the list says it."""
    fields = {one.field: one for one in guesses}
    if "set" not in fields or "kind" not in fields:
        return {}
    kinds = {}
    for row in rows:
        said = (rule.values.get(row.get(rule.from_, ""), "") for rule in fields["kind"].rules)
        kinds[row.get(fields["set"].column, "")] = next(filter(None, said), "game")
    return kinds


def flagged_kinds(columns: list[Column], taken: set[str]) -> list[Guess]:
    """The kind by columns of yes and no, each for one kind."""
    rules, found = [], []
    for kind, field in _FLAGS.items():
        for column in columns:
            head = column.head.lower()
            says = head_points(column.head, field) or kind in head or (kind == "bios" and "system" in head)
            if column.name not in taken and column.fit("optional") > 0 and says:
                values = {word: kind if meaning(word, "yes or no") == "yes" else "" for word in column.words}
                rules.append(Field(from_=column.name, values=values))
                found.append(column)
    if not rules:
        return []
    names = " and ".join(column.name for column in found)
    words = ", ".join(f"{rule.from_} {word} is {kind}" for rule in rules for word, kind in rule.values.items() if kind)
    return [
        Guess(field="kind", column=names, rules=tuple(rules), degree=Degree.LIKELY, words=words,
              reason="says yes or no")
    ]  # fmt: skip


def shared_names(files: list[Guess], within: list[Column], tree: Tree, sets: list[Guess]) -> list[Guess]:
    """The column that says which file of the parent or BIOS set one is: it names files, and only where there is one."""
    fields = {one.field: one for one in files}
    relatives = [f"^{one.column.lstrip('@')}" for one in sets if one.field in ("parent", "bios")]
    if "name" not in fields or "parent_name" in fields or not relatives:
        return []
    names = {row.get(fields["name"].column, "") for row in tree.inner_rows}
    for column in within:
        if column.name in {one.column for one in files} or not column.values or column.refers_to(names) < 0.9:
            continue
        rows = [row for row in tree.flat_rows if row.get(column.name)]
        if all(any(map(row.get, relatives)) for row in rows):
            return [
                Guess(field="parent_name", column=column.name, rules=(Field(from_=column.name),), degree=Degree.LIKELY,
                      reason="names files, and only of sets that have a parent or BIOS set",
                      samples=tuple(itertools.islice(column.words, 3)))
            ]  # fmt: skip
    return []


def variants_of(tree: Tree, within: list[Column]) -> tuple[Guess, Guess] | None:
    """The variants of BIOS sets: records beside the files whose names stand with files, one perhaps marked as usual."""
    for way, rows in tree.others.items():
        for name in dict.fromkeys(name for row in rows for name in row):
            known = {row.get(name, "") for row in rows} - {""}
            column = next((one for one in within if one.values and known and one.refers_to(known) == 1), None)
            if column is None or column.fit("name") > 2:
                continue
            usual = [
                Column(one, [row.get(one, "") for row in rows]) for one in dict.fromkeys(n for row in rows for n in row)
            ]
            first = next((one.name for one in usual if one.name != name and one.fit("optional") > 0), "")
            words = f"the one with yes at {first} comes first" if first else "the first is the default"
            rule = Field(from_=f"{way}/{name}", first=first)
            samples = tuple(itertools.islice(dict.fromkeys(row.get(name, "") for row in rows), 3))
            degree = Degree.LIKELY if first else Degree.ASSUMED
            reason = "files name them"
            return (
                Guess(field="variants", column=rule.from_, rules=(rule,), degree=degree, reason=reason, words=words,
                      samples=samples),
                Guess(field="variant", column=column.name, rules=(Field(from_=column.name),), degree=Degree.LIKELY,
                      reason="names of variants", samples=samples),
            )  # fmt: skip
    return None


def said_of_each(columns: list[Column], taken: set[str]) -> list[Guess]:
    """The one column that says something in words of every record, and of nearly each another thing."""
    free = [
        one for one in columns
        if one.name not in taken and len(one.values) == one.rows and len(one.words) >= 0.9 * one.rows
        and one.fit("title") > 0 and one.share(lambda text: len(text) < 60) == 1
    ]  # fmt: skip
    if len(free) != 1:
        return []
    return [
        Guess(field="title", column=free[0].name, rules=(Field(from_=free[0].name),), degree=Degree.LIKELY,
              reason="says something of each set", samples=tuple(itertools.islice(free[0].words, 3)))
    ]  # fmt: skip


def _meant(text: str, sets: Collection[str], titles: Mapping[str, list[str]]) -> list[str]:
    """The sets that a text means: by a name, or a title, either perhaps with the other one in brackets behind it."""
    for one in (text, *(in_part(text, part) for part in ("in brackets", "before brackets", "name", "title"))):
        if found := [one] if one in sets else titles.get(plain(one), []) if one else []:
            return found
    return []


class Merged(NamedTuple):
    """A roster's sets with what a list says of them; how many it says something new of, and what matched none or
    several."""

    sets: list[ArcadeSet]
    changed: int
    known: int
    unmatched: list[str]


def read_plays(nodes: Iterable[Node], made: FieldMap, tally: Tally) -> Iterator[Values]:
    """What a list says of sets: by name or title, how they play, and a note; mistakes are told."""
    for where, values in read_fields(nodes, made, tally):
        if "plays" in values and values["plays"] not in tuple(Plays):
            said = f'"{values["plays"]}" should be one of {", ".join(Plays)}; say in the map what it stands for'
            tally.fault(where, said, field="plays", of_map=True)
        elif not {"set", "title"} & values.keys():
            tally.fault(where, "has no name of a set and no title")
        elif "plays" in values:
            yield values


def with_plays(roster: Roster, said: Iterable[Values]) -> Merged:
    """A roster's sets with what is said of them. A set is meant by its name, else by its title where it is the only
    one."""
    titles: dict[str, list[str]] = {}
    for one in roster.sets.values():
        titles.setdefault(plain(one.title), []).append(one.set)
    sets = dict(roster.sets)
    changed = known = 0
    unmatched = []
    for values in said:
        name, title = values.get("set", ""), values.get("title", "")
        meant = next(filter(None, (_meant(one, sets, titles) for one in (name, title))), [])
        if len(meant) != 1:
            unmatched.append(f"{name or title}{' (several)' if meant else ''}")
            continue
        one = sets[meant[0]]
        new = structs.replace(one, plays=Plays(values["plays"]), note=values.get("note", one.note))
        changed, known = changed + (new != one), known + (new == one)
        sets[meant[0]] = new
    return Merged(list(sets.values()), changed, known, unmatched)
