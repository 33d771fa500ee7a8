"""Sets by what a person calls them: their names, as names of archives or in other letters, and their titles."""

from __future__ import annotations

import re
from collections.abc import Container, Iterable
from typing import NamedTuple

from gribble.core.base.paths import fold
from gribble.core.records.roster import Sets

_COMMENT = re.compile(r"(^|\s)#(?!\d).*")
"""A title may have a number behind a #."""
SPECIAL = ("all", "held")
"""What stands for sets in place of their names."""


def sets_called(sets: Sets, word: str) -> list[str]:
    """The sets that a word could mean, in order: by name, else by title. Of a parent and its clones of one title it
    means the parent."""
    if name := set_called(sets, word):
        return [name]
    found = sets.titled(word)
    tops = [name for name in found if sets[name].parent not in found]
    return tops if len(tops) == 1 else found


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
