"""Whom a set needs, and which files it needs of them (a clone takes BIOS and devices from its parent); and what a
person calls a set: by its name, as the name of an archive or in other letters, or by its title.
"""

from __future__ import annotations

import re
from collections.abc import Container, Iterable, Iterator
from typing import NamedTuple

from msgspec import Struct

from gribble.core.base.names import SAID_OF, title_key
from gribble.core.base.paths import fold
from gribble.core.records.facts import RosterGap
from gribble.core.records.roster import ArcadeSet, FileState, Roster, SetFile, SetKind, Sets


class Family(Struct, frozen=True, kw_only=True):
    """A set with its relatives, nearest first; `gaps` are relatives that the roster lacks, or that run in a circle."""

    one: ArcadeSet
    parents: tuple[ArcadeSet, ...] = ()
    bios: tuple[ArcadeSet, ...] = ()
    devices: tuple[ArcadeSet, ...] = ()
    gaps: tuple[RosterGap, ...] = ()

    @property
    def path(self) -> tuple[str, ...]:
        """The sets in whose archives the emulator looks for the files, in its order."""
        found = (self.one, *self.parents, *self.bios, *self.devices)
        return tuple(dict.fromkeys(one.set for one in found))

    def role(self, name: str) -> str:
        """What a set of the path is to this one, in words."""
        if name == self.one.set:
            return ""
        for word, group in (("parent", self.parents), ("BIOS set", self.bios), ("device", self.devices)):
            if any(one.set == name for one in group):
                return word
        return "relative"


class Part(Struct, frozen=True, gc=False):
    """One file that a set needs, and the set whose file it is."""

    file: SetFile
    owner: str


def family_of(roster: Roster, name: str) -> Family:
    """The family of a set. Raises KeyError for a set that the roster does not know."""
    one = roster.sets[name]
    if one.parent is None and one.bios is None and not one.devices:
        return Family(one=one)
    gaps: list[RosterGap] = []
    parents = _chain(roster, one, gaps)
    bios_name = next((named for relative in (one, *parents) if (named := bios_of(relative))), None)
    bios: tuple[ArcadeSet, ...] = ()
    if bios_name is not None and bios_name != name:
        if bios_name in roster.sets:
            bios = (roster.sets[bios_name], *_chain(roster, roster.sets[bios_name], gaps))
        else:
            gaps.append(RosterGap("BIOS set", bios_name))
    wanted = next((relative.devices for relative in (one, *parents) if relative.devices), ())
    devices = tuple(_devices(roster, wanted, gaps, {name}))
    return Family(one=one, parents=parents, bios=bios, devices=devices, gaps=tuple(gaps))


def bios_of(one: ArcadeSet) -> str | None:
    """A set's BIOS set; lists in which one attribute means the parent of a clone name that, which says nothing."""
    return one.bios if one.bios not in (one.parent, one.set) else None


def _chain(roster: Roster, one: ArcadeSet, gaps: list[RosterGap]) -> tuple[ArcadeSet, ...]:
    """The parents of a set, nearest first; a circle is left where it closes."""
    found: list[ArcadeSet] = []
    seen = {one.set}
    parent = one.parent
    while parent is not None:
        if parent in seen:
            gaps.append(RosterGap("circle", one.set))
            break
        if (above := roster.sets.get(parent)) is None:
            gaps.append(RosterGap("parent", parent))
            break
        seen.add(parent)
        found.append(above)
        parent = above.parent
    return tuple(found)


def _devices(roster: Roster, names: tuple[str, ...], gaps: list[RosterGap], seen: set[str]) -> Iterator[ArcadeSet]:
    """Devices, and the devices that these need."""
    for name in names:
        if name in seen:
            continue
        seen.add(name)
        if name not in roster.sets:
            gaps.append(RosterGap("device", name))
            continue
        device = roster.sets[name]
        yield device
        yield from _chain(roster, device, gaps)
        yield from _devices(roster, device.devices, gaps, seen)


def owned_files(family: Family) -> Iterator[tuple[str, tuple[SetFile, ...]]]:
    """The files of a set (those of its parent included), of its BIOS set and its devices, each with whose they are.

    What is named as a BIOS set, but is none, is looked into and not asked for.
    """
    yield family.one.set, family.one.files
    bios = (relative for relative in family.bios[:1] if relative.kind is SetKind.BIOS)
    for relative in (*bios, *family.devices):
        yield relative.set, relative.files


def parts_of(family: Family) -> list[Part]:
    """Every file that a set needs to run: its own (those of its parent included), its BIOS set's and its devices'.

    Files that nobody has dumped count for nothing.
    """
    parts: list[Part] = []
    for name, files in owned_files(family):
        parts += [Part(file, name) for file in files if file.state is not FileState.UNDUMPED]
    return parts


_COMMENT = re.compile(r"(^|\s)#(?!\d).*")
"""A title may have a number behind a #."""
SPECIAL = ("all", "held")
"""What stands for sets in place of their names."""


def sets_called(sets: Sets, word: str) -> list[str]:
    """The sets that a word could mean, in order: by name, else by title; a name in other letters that is the title of
    another set could mean both. Of a parent and its clones of one title it means the parent."""
    named = set_called(sets, word)
    if set_name(word) == named:
        return [named]
    found = sets.titled(word)
    if named and (named in found or all(SAID_OF in title_key(sets[name].title) for name in found)):
        return [named]
    tops = [name for name in found if sets[name].parent not in found]
    found = tops if len(tops) == 1 else found
    return [named, *found] if named else found


def set_called(sets: Container[str], word: str) -> str:
    """The set of a name, as it is, as an archive's or in other letters; empty if there is none."""
    names = (word, set_name(word), fold(set_name(word)))
    return next((name for name in names if name in sets), "")


def set_name(word: str) -> str:
    """The name of a set as somebody writes it who thinks of its archive."""
    return re.sub(r"(?i)(?<=.)\.(zip|7z)$", "", word)


def entry_of(line: str) -> str:
    """The entry on a line of a list of wanted sets, without its comment."""
    return _COMMENT.sub("", line).strip()


class Wish(NamedTuple):
    """One entry of a list of wanted sets: the words, the sets that they could mean, and how much it is worth."""

    words: str
    sets: tuple[str, ...]
    weight: float = 1.0


def read_wish(words: str, sets: Sets | None) -> Wish:
    """An entry: a name or a title and, where all of it is none, how much the set is worth behind it. Without a roster,
    or where it knows nothing of it, the words are taken for a name."""
    name, _, last = words.rpartition(" ")
    weight = _weight(last) if name else None
    if sets is not None and (found := sets_called(sets, words)):
        return Wish(words, tuple(found))
    if weight is None:
        return Wish(words, (set_name(words),))
    found = sets_called(sets, name.strip()) if sets is not None else []
    return Wish(words, tuple(found) or (set_name(name.strip()),), weight)


def _weight(word: str) -> float | None:
    try:
        weight = float(word)
    except ValueError:
        return None
    return weight if 0 <= weight < float("inf") else None


def read_wishes(entries: Iterable[str], sets: Sets | None) -> dict[str, float]:
    """The sets that the entries of a list mean, each with what it is worth; of an entry that could mean several all are
    meant, since none that was wished for may be missing."""
    weights: dict[str, float] = {}
    for wish in (read_wish(words, sets) for words in entries):
        for name in wish.sets:
            weights.setdefault(name, wish.weight)
    return weights
