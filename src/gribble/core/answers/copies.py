"""What is held more than once: whole files of one content, where they lie, and the room that the others take."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable

from msgspec import Struct

from gribble.core.base.paths import identity
from gribble.core.records.holding import Holding


class Copies(Struct, frozen=True, kw_only=True):
    """One content that several files have, proven by SHA-1: its size in bytes, the files nearest first, and the room in
    bytes that all of them but one take. Second names of one file take none."""

    sha1: str
    bytes: int
    files: tuple[Holding, ...]
    room: int


def doubtful_sizes(holdings: Iterable[Holding]) -> frozenset[int]:
    """The sizes, in bytes, that several of the files have: only these can have copies."""
    tally = Counter(one.size for one in _files(holdings))
    return frozenset(size for size, count in tally.items() if count > 1)


def copies(holdings: Iterable[Holding], about: frozenset[str] = frozenset()) -> list[Copies]:
    """Every content that several files have, those that take most room first; where places are named, only what is at
    or below one of them as well."""
    by_content: dict[tuple[int, str], dict[str, Holding]] = {}
    for one in _files(holdings):
        if one.digests.sha1:
            by_content.setdefault((one.size, one.digests.sha1), {}).setdefault(one.where, one)
    found = []
    places = frozenset(map(os.path.realpath, about))
    for (size, sha1), several in by_content.items():
        if len(several) < 2:
            continue
        files = {os.path.realpath(where): one for where, one in several.items()}  # a folder can be met by two ways
        if len(files) < 2 or (places and not any(_lies_at(where, places) for where in files)):
            continue
        apart = {identity(where) or where for where in files}
        ordered = tuple(sorted(files.values(), key=lambda one: (one.rig, one.root, one.path)))
        found.append(Copies(sha1=sha1, bytes=size, files=ordered, room=size * (len(apart) - 1)))
    return sorted(found, key=lambda one: (-one.room, one.files[0].where))


def _files(holdings: Iterable[Holding]) -> Iterable[Holding]:
    """Whole files that have a content, those aside that are read through a link, and what runs have displaced."""
    return (one for one in holdings if one.member is None and one.size and not one.fixed and not one.attic)


def _lies_at(where: str, places: frozenset[str]) -> bool:
    return any(where == place or where.startswith(f"{place}/") for place in places)
