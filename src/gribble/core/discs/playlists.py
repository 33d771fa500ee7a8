"""Playlists of discs that belong together: grouped by title, from the usual habits of naming. Pure.

Known markers, in brackets or not, in any case: `Disc 1`, `Disk 2 of 4`, `CD2`, `_disc1`, `Side B`, `Disk 1 Side A`,
`Disc II`, `Disc Two`, `Part 3`. Numbers are read as numbers, sides A and B as first and second.
"""

from __future__ import annotations

import posixpath
import re
from collections import Counter
from collections.abc import Iterable, Mapping

from msgspec import Struct, structs

from gribble.core.base.paths import climb_fault, fold, join, parent
from gribble.core.records.discs import Playlist

_ORDINALS = {
    word: number
    for number, spellings in enumerate(
        ("one i", "two ii", "three iii", "four iv", "five v", "six vi", "seven vii", "eight viii", "nine ix", "ten x"),
        start=1,
    )
    for word in spellings.split()
}
"""Numbers as words and in Roman figures, as discs and sides have them; parts of a title have them in its name."""
_MARK = re.compile(
    r"[\s_.,-]*[(\[]?\s*(?<![^\W_])(?P<kind>disc|disk|diskette|cd|part|side)[\s_#.]*"
    rf"(?P<number>\d{{1,3}}|{'|'.join(sorted(_ORDINALS, key=len, reverse=True))}|[a-h])"
    r"(?:[\s_]*(?:of|/)[\s_]*(?P<total>\d{1,3}))?(?![^\W_])\s*[)\]]?",
    re.IGNORECASE,
)
_LABEL = re.compile(r"\s*[(\[][^()\[\]]*[)\]]")
"""Something in brackets: a disc's own label, a region, a revision."""
_NO_LABEL = re.compile(
    r"^\s*.(?:[A-Z]{2}(?:[,+ -]+[A-Z]{2})*|usa|europe|japan|world|asia|rev.*|v?[\d.]+).$", re.IGNORECASE
)
"""What keeps titles apart though it is in brackets: regions and revisions."""
_SHEETS = (".cue", ".gdi", ".ccd")
"""Of a disc with a sheet the playlist names the sheet."""
_NO_DISCS = (".m3u", ".txt", ".sub", ".jpg", ".png", ".pdf", ".xml", ".json", ".nfo", ".sha256", ".md5", ".sfv")
"""Endings of what may bear a disc's number, but is none."""
MOST_DISCS = 200


class NamedDisc(Struct, frozen=True):
    """What a file's name says of it: its title, its place (disc, side), and how many discs there are, if it says so.

    `behind` is what of the title stands behind the number.
    """

    path: str
    title: str
    place: tuple[int, int]
    total: int
    behind: str = ""


def group(paths: Iterable[str]) -> list[Playlist]:
    """The playlists that some files make; a title needs two discs, or a name that says there are more."""
    folders: dict[str, list[NamedDisc]] = {}
    for path in paths:
        disc = None if path.lower().endswith(_NO_DISCS) else disc_of(path)
        if disc is not None:
            folders.setdefault(parent(path), []).append(disc)
    titles: dict[tuple[str, str], list[NamedDisc]] = {}
    for folder, discs in folders.items():
        for disc in one_title(discs):
            titles.setdefault((folder, fold(disc.title)), []).append(disc)
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
    """The title and the number in a file's name; None if it has no number."""
    stem = posixpath.splitext(path.rpartition("/")[2])[0]
    marks = [match for match in _MARK.finditer(stem) if _value(match)]
    if any(match["kind"].lower() != "part" for match in marks):
        marks = [match for match in marks if match["kind"].lower() != "part"]  # a part of a title, not a disc of it
    number = side = total = 0
    for match in marks:
        if match["kind"].lower() == "side":
            side = _value(match)
        else:
            number = _value(match)
        total = max(total, int(match["total"] or 0))
    if not (number or side) or max(number, side, total) > MOST_DISCS:
        return None
    rest, at = "", 0
    for match in marks:
        rest, at = f"{rest}{stem[at : match.start()]} ", match.end()
    title = re.sub(r"\s+", " ", rest + stem[at:]).strip(" _.,-") or parent(path).rpartition("/")[2]
    behind = re.sub(r"\s+", " ", stem[at:]).strip(" _.,-")
    return NamedDisc(path, title, (number or 1, side), total, behind) if title else None


def _value(match: re.Match[str]) -> int:
    """The number that a mark gives; 0 if it is none."""
    word = match["number"].lower()
    if word.isdecimal():
        return int(word)
    if match["kind"].lower() == "part":
        return 0 if word in _ORDINALS else ord(word) - ord("a") + 1
    return _ORDINALS.get(word) or ord(word) - ord("a") + 1


def one_title(discs: list[NamedDisc]) -> list[NamedDisc]:
    """Discs of one folder with those put under one title that only a label behind their number keeps apart: each alone
    under its own, and with a number of its own under what is left of it without the label."""
    titles = Counter(fold(one.title) for one in discs)
    alone = [one for one in discs if titles[fold(one.title)] == 1]
    groups: dict[str, list[NamedDisc]] = {}
    for disc in alone:
        start = len(disc.title) - len(disc.behind)
        for match in _LABEL.finditer(disc.title, start) if disc.title.endswith(disc.behind) else ():
            if _NO_LABEL.search(match[0]):
                continue
            short = (disc.title[: match.start()] + disc.title[match.end() :]).strip()
            groups.setdefault(fold(short), []).append(structs.replace(disc, title=short))
    renamed: dict[str, NamedDisc] = {}
    for group in sorted(groups.values(), key=len, reverse=True):
        group = [disc for disc in group if disc.path not in renamed]
        if len(group) > 1 and len({disc.place for disc in group}) == len(group):
            renamed |= {disc.path: disc for disc in group}
    return [renamed.get(disc.path, disc) for disc in discs]


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


def can_be_listed(path: str) -> bool:
    """Whether the path of a file can stand on a line of a playlist, and be read again as what it is."""
    return climb_fault(path) is None and path.splitlines() == [path.rstrip()]


def as_entry(path: str) -> str:
    """A relative path as a line of a playlist, in which a sign at its beginning means nothing."""
    return f"./{path}" if path.startswith(("#", " ", "\ufeff")) else path


def lines_of(entries: list[str], former: Iterable[str]) -> list[str]:
    """The lines of a playlist of these entries, merged with those it had.

    Comments come first; entries that are none of these discs stay, last.
    """
    kept = [line.strip() for line in former if line.strip()]
    comments = [line for line in kept if line.startswith("#")]
    others = [line for line in kept if not line.startswith("#") and line.replace("\\", "/") not in entries]
    return [*comments, *entries, *dict.fromkeys(others)]
