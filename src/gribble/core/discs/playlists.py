"""Playlists of discs that belong together: grouped by title, from the usual habits of naming. Pure.

Known markers, in brackets or not, in any case: `Disc 1`, `Disk 2 of 4`, `CD2`, `Side B`, `Disk 1 Side A`, `Part 3`.
Numbers are read as numbers, sides A and B as first and second.
"""

from __future__ import annotations

import posixpath
import re
from collections.abc import Iterable, Mapping

from msgspec import Struct

from gribble.core.base.paths import fold, join, parent
from gribble.core.records.discs import Playlist

_MARK = re.compile(
    r"[\s_.,-]*[(\[]?\s*\b(?P<kind>disc|disk|diskette|cd|part|side)[\s_#.]*(?P<number>\d{1,3}|[a-h](?![a-z]))"
    r"(?:[\s_]*(?:of|/)[\s_]*(?P<total>\d{1,3}))?\b\s*[)\]]?",
    re.IGNORECASE,
)
_SHEETS = (".cue", ".gdi", ".ccd")
"""Of a disc with a sheet the playlist names the sheet."""
_NO_DISCS = (".m3u", ".txt", ".sub", ".jpg", ".png", ".pdf", ".xml", ".json", ".nfo", ".sha256", ".md5", ".sfv")
"""Endings of what may bear a disc's number, but is none."""
MOST_DISCS = 200


class NamedDisc(Struct, frozen=True):
    """What a file's name says of it: its title, its place (disc, side), and how many discs there are, if it says so."""

    path: str
    title: str
    place: tuple[int, int]
    total: int


def group(paths: Iterable[str]) -> list[Playlist]:
    """The playlists that some files make; a title needs two discs, or a name that says there are more."""
    titles: dict[tuple[str, str], list[NamedDisc]] = {}
    for path in paths:
        if path.lower().endswith(_NO_DISCS):
            continue
        disc = disc_of(path)
        if disc is not None:
            titles.setdefault((parent(path), fold(disc.title)), []).append(disc)
    found = [_playlist(folder, discs) for (folder, _), discs in titles.items()]
    return sorted((one for one in found if len(one.discs) > 1 or one.total > 1), key=lambda one: fold(one.path))


def named(paths: Iterable[str], names: Mapping[str, str]) -> tuple[list[Playlist], list[str]]:
    """A playlist of its own for each title that is installed under an id, and the ids that nothing bears.

    What bears an id is the outermost folder of that name, else the file of that stem.
    """
    places: dict[str, str] = {}
    for path in sorted(paths, key=lambda path: path.count("/")):
        parts = path.split("/")
        for depth, part in enumerate(parts[:-1]):
            places.setdefault(fold(part), "/".join(parts[: depth + 1]))
        places.setdefault(fold(posixpath.splitext(parts[-1])[0]), path)
    found = {id_: places[fold(id_)] for id_ in names if fold(id_) in places}
    lists = [
        Playlist(path=join(parent(place), f"{names[id_]}.m3u"), title=names[id_], discs=(place,), total=1)
        for id_, place in found.items()
    ]
    return lists, [id_ for id_ in names if id_ not in found]


def disc_of(path: str) -> NamedDisc | None:
    """The title and the number in a file's name; None where it has no number."""
    stem = posixpath.splitext(path.rpartition("/")[2])[0]
    number = side = total = 0
    for match in _MARK.finditer(stem):
        word = match["number"].lower()
        value = int(word) if word.isdecimal() else ord(word) - ord("a") + 1
        if match["kind"].lower() == "side":
            side = value
        else:
            number = value
        total = max(total, int(match["total"] or 0))
    if not (number or side) or max(number, side, total) > MOST_DISCS:
        return None
    title = re.sub(r"\s+", " ", _MARK.sub(" ", stem)).strip(" _.,-") or parent(path).rpartition("/")[2]
    return NamedDisc(path, title, (number or 1, side), total) if title else None


def _playlist(folder: str, discs: list[NamedDisc]) -> Playlist:
    """One title's discs in order; of several files for one disc, the sheet, else the first by name."""
    chosen: dict[tuple[int, int], str] = {}
    for disc in sorted(discs, key=lambda one: (one.place, not one.path.lower().endswith(_SHEETS), one.path)):
        chosen.setdefault(disc.place, disc.path)
    numbers = {number for number, _ in chosen}
    sides_alone = numbers == {1} and len(chosen) > 1
    present = {side for _, side in chosen} if sides_alone else numbers
    total = max(max(present), *(disc.total for disc in discs))
    title = min(disc.title for disc in discs)
    return Playlist(
        path=join(folder, f"{title}.m3u"),
        title=title,
        discs=tuple(chosen[place] for place in sorted(chosen)),
        missing=tuple(number for number in range(1, total + 1) if number not in present),
        total=total,
    )


def lines_of(entries: list[str], former: Iterable[str]) -> list[str]:
    """The lines of a playlist of these entries, merged with those it had.

    Comments come first; entries that are none of these discs stay, last.
    """
    kept = [line.strip() for line in former if line.strip()]
    comments = [line for line in kept if line.startswith("#")]
    others = [line for line in kept if not line.startswith("#") and line.replace("\\", "/") not in entries]
    return [*comments, *entries, *dict.fromkeys(others)]
