"""What runs and how well, by a list of its own, brought into a roster."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from msgspec import structs

from gribble.core.catalogue.importing.build import Values, read_fields
from gribble.core.catalogue.importing.nodes import Node
from gribble.core.catalogue.importing.words import plain
from gribble.core.records.fieldmap import FieldMap
from gribble.core.records.imported import Tally
from gribble.core.records.roster import ArcadeSet, Plays, Roster


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
            tally.fault(where, "names no set and no title")
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
        meant = [name] if name in sets else titles.get(plain(title or name), [])
        if len(meant) != 1:
            unmatched.append(f"{name or title}{' (several)' if meant else ''}")
            continue
        one = sets[meant[0]]
        new = structs.replace(one, plays=Plays(values["plays"]), note=values.get("note", one.note))
        changed, known = changed + (new != one), known + (new == one)
        sets[meant[0]] = new
    return Merged(list(sets.values()), changed, known, unmatched)
