"""In which folder of a rig an emulator looks for its files: every folder that something speaks for, best first."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from pathlib import Path
from typing import NamedTuple

from gribble.core.base.names import is_litter, is_trash, plain
from gribble.core.base.paths import base, fold, is_link, join, lies_below, parent
from gribble.core.base.suggest import nearest
from gribble.core.files.archives.opening import SET_ENDINGS

FOLDER_DEPTH = 4
"""How many folders deep is looked."""
USUAL = ("bios", "boot", "firmware", "system", "rom")
"""What emulators call a folder of files that they need."""
USUAL_SETS = ("roms", "sets", "games")
"""What they call one of games."""
SETTINGS = (".ini", ".cfg", ".conf", ".toml", ".yaml", ".yml")
"""Endings of settings files."""
PROGRAMS = (".exe", ".app", ".appimage")
"""Endings of programs."""

Listing = Mapping[str, Collection[str]]
"""The folders below a root, each with the names of the files in it; the root is the empty path."""


class Likely(NamedTuple):
    """A folder below a rig's root in which an emulator may look, and what speaks for it.

    `weight` is 3 for its own folder with a program, settings or files that it wants in it, 2 for what else speaks for a
    folder, 1 where nothing does, 0 for another emulator's folder. `files` are the wanted ones that are there.
    """

    folder: str
    why: str
    weight: int
    files: tuple[str, ...] = ()
    own: bool = False

    def beats(self, other: Likely) -> bool:
        """Whether it is plainly the better of two."""
        if self.weight != other.weight:
            return self.weight > other.weight
        return self.own == other.own and len(self.files) > len(other.files)


class Sought(NamedTuple):
    """What is looked for: an emulator by its `names`, the paths that it `wanted` below the folder where it looks (None:
    archives of sets), the `others`: folders of other emulators, each with whose it is, and that folder as the sheet has
    it `inside` one that is called like the emulator."""

    names: tuple[str, ...]
    wanted: tuple[str, ...] | None
    others: Mapping[str, str] = {}
    inside: str = ""


def likely_folders(
    listing: Listing, sought: Sought, root_name: str = "", settings: Callable[[str], str] = lambda _path: ""
) -> list[Likely]:
    """The folders in which an emulator may look, best first; never none. `settings` has the text of a settings file."""
    names = {plain(name) for name in sought.names} - {""}
    files = _wanted_in(listing, sought.wanted)
    owns = _owns(listing, names, root_name)
    taken = {fold(folder): whose for folder, whose in sought.others.items()}
    found = [_within(listing, own, sought, files, settings) for own in owns]
    found += _elsewhere(files, owns, taken)
    if not found and sought.wanted is not None:
        tops = [one for one in listing if "/" not in one and fold(one) in USUAL and fold(one) not in taken]
        found += [Likely(one, "such files are usually in a folder of that name", 2) for one in tops]
    if not any(one.weight > 1 for one in found):
        new = join(sought.names[0], sought.inside)
        found.insert(0, Likely(new, "a new folder: none there is called like it or has its files", 1, own=True))
    return sorted(found, key=lambda one: (-one.weight, -len(one.files), not one.own, one.folder.count("/")))


def _owns(listing: Listing, names: Collection[str], root_name: str) -> list[str]:
    """The folders that are called like an emulator, else those in which its program is; none within another."""
    owns = [folder for folder in listing if plain(base(folder) if folder else root_name) in names]
    owns = owns or [folder for folder, there in listing.items() if folder and not programs_in(there).isdisjoint(names)]
    return [one for one in owns if not any(one != other and lies_below(one, other) for other in owns if other)]


def _elsewhere(
    files: Mapping[str, tuple[str, ...]], owns: Collection[str], taken: Mapping[str, str]
) -> Iterator[Likely]:
    """The folders beside an emulator's own in which files lie that it wants; those that are `taken` are another's."""
    for folder, there in files.items():
        if there and not any(lies_below(folder, own) for own in owns if own):
            whose = next((one for other, one in taken.items() if other and lies_below(fold(folder), other)), "")
            why = _lie_there(there) + (f", but it is {whose}'s folder" if whose else "")
            yield Likely(folder, why, 0 if whose else 2, there)


def _within(
    listing: Listing,
    own: str,
    sought: Sought,
    files: Mapping[str, tuple[str, ...]],
    settings: Callable[[str], str],
) -> Likely:
    """Where an emulator looks within the folder that is called like it."""
    within = _below(listing, own)
    best = max(within, key=lambda folder: (len(files[folder]), -folder.count("/")))
    if files[best]:
        return Likely(best, _lie_there(files[best]), 3, files[best], own=True)
    inner = [folder for folder in within if folder != own and parent(folder) == own]
    names = {plain(name) for name in sought.names}
    signs = [join(folder, name) for folder in (own, *inner) for name in listing[folder] if _is_sign(name, names)]
    is_called = plain(base(own)) in names or not own
    weight = 3 if signs else 2
    sign = f", and {base(signs[0])} is there" if signs else ""
    why = f"it is called like the emulator{sign}" if is_called else "its program is there"
    whose = f"{base(own) or 'the rig'} {'is called like it' if is_called else 'has its program'}"
    if named := _only(one for one in inner if any(_names_folder(settings(path), base(one)) for path in signs)):
        return Likely(named, f"{base(signs[0])} names it", weight, own=True)
    if sought.inside:
        return Likely(join(own, sought.inside), f"{whose}{sign}", weight, own=True)
    if usual := _only(one for one in inner if fold(base(one)) in _usual(sought)):
        return Likely(usual, f"{whose} and has this folder", weight, own=True)
    return Likely(own, why, weight, own=True)


def _only(folders: Iterable[str]) -> str:
    """The one of some folders; empty if there is none, or are several."""
    first, *more = (*folders, "")
    return first if len(more) == 1 else ""


def _usual(sought: Sought) -> tuple[str, ...]:
    return USUAL if sought.wanted is not None else USUAL_SETS


def _below(listing: Listing, own: str) -> list[str]:
    return [folder for folder in listing if not own or lies_below(folder, own)]


def _is_sign(name: str, names: set[str]) -> bool:
    """Whether a file is a program or settings, as an emulator of these names has them in its folder."""
    return name.lower().endswith((*SETTINGS, *PROGRAMS)) or ("." not in name and plain(name) in names)


def programs_in(files: Iterable[str]) -> set[str]:
    """What the programs among some files are called (see `plain`)."""
    return {plain(name.rpartition(".")[0]) for name in files if name.lower().endswith(PROGRAMS)}


def seems_moved(folders: Collection[str], files: Collection[str], sought: Sought, at: str) -> str:
    """Where an emulator's own folder seems to be now, if nothing is at `at`, where it was: one that is called like it,
    with a program, settings or files of it in it. Empty where it is there, or no other or more than one is."""
    if at in folders or not at:
        return ""
    names = {plain(name) for name in sought.names} - {""}
    above = ["/".join(at.split("/")[:depth]) for depth in range(1, at.count("/") + 1)]
    if any(one in folders and plain(base(one)) in names for one in above):
        return ""  # its folder is there, and what is in it is still to be made
    listing: dict[str, list[str]] = {one: [] for one in ("", *folders) if one.count("/") < FOLDER_DEPTH}
    for path in files:
        if parent(path) in listing:
            listing[parent(path)].append(base(path))
    found = [one for one in likely_folders(listing, sought) if one.own and one.weight == 3]
    return found[0].folder if len(found) == 1 else ""


def listing_of(root: Path) -> dict[str, list[str]]:
    """The folders of a rig that is on this machine, nearest first, as deep as emulators are looked for."""
    found: dict[str, list[str]] = {}
    level = [""]
    for _ in range(FOLDER_DEPTH):
        deeper = []
        for folder in level:
            found[folder] = []
            for entry in _entries(root / folder):
                path = join(folder, entry.name)
                if entry.is_dir():
                    if entry.name[0] != "." and not is_trash(entry.name) and not is_link(root / path):
                        deeper.append(path)
                elif not is_litter(entry.name):
                    found[folder].append(entry.name)
        level = deeper
    for folder in level:
        found[folder] = []
    return found


def _entries(place: Path) -> list[os.DirEntry[str]]:
    try:
        with os.scandir(place) as listing:
            return sorted(listing, key=lambda entry: entry.name)
    except OSError:
        return []


def _wanted_in(listing: Listing, wanted: Collection[str] | None) -> dict[str, tuple[str, ...]]:
    """By folder, those of the wanted files that are below it in the layout in which they are wanted; the archives in
    it, where nothing is known of what is wanted."""
    if wanted is None:
        return {
            folder: tuple(name for name in names if name.lower().endswith(SET_ENDINGS))
            for folder, names in listing.items()
        }
    places: dict[str, dict[str, str]] = {}  # by folded folder within the layout, what is wanted in it, by folded name
    for path in wanted:
        places.setdefault(fold(parent(path)), {})[fold(base(path))] = path
    found: dict[str, dict[str, None]] = {folder: {} for folder in listing}
    for folder, names in listing.items():
        there = {fold(name) for name in names}
        parts = folder.split("/") if folder else []
        for depth in range(len(parts) + 1):
            for name, path in places.get(fold("/".join(parts[depth:])), {}).items():
                if name in there:
                    found["/".join(parts[:depth])][path] = None
    return {folder: tuple(files) for folder, files in found.items()}


def _lie_there(files: tuple[str, ...]) -> str:
    return f"{files[0]} is there" if len(files) == 1 else f"{files[0]} and {len(files) - 1:,} more are there"


def _names_folder(text: str, name: str) -> bool:
    """Whether a value in a settings file leads to a folder of that name."""
    value = rf"""[=:]\s*["']?[^"'\n]*\b{re.escape(name)}[\\/]?["']?\s*(?:$|[,\]}}])"""
    return re.search(value, text, re.MULTILINE | re.IGNORECASE) is not None


def near_folder(place: Path, known: Collection[Path] = ()) -> Path | None:
    """A folder beside one that is not there, of nearly the same name: what was meant, it may be. None of those that are
    `known` to be something else."""
    try:
        names = [name for name in os.listdir(place.parent) if os.path.isdir(place.parent / name)]
    except OSError:
        return None
    names = [name for name in names if place.parent / name not in known]
    near = nearest(place.name, names)
    return place.parent / near if near else None
