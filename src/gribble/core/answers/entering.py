"""Where an emulator that is new to a rig looks for its files, by what lies there."""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator
from pathlib import Path

from msgspec import Struct

from gribble.core.base.names import is_trash
from gribble.core.base.paths import fold, is_link, join

DEPTH = 4
"""How many folders deep is looked."""
_ARCHIVES = (".zip", ".7z")
_USUAL = ("bios", "boot", "firmware", "system")
"""What emulators call a folder of such files."""


class Whereabouts(Struct, frozen=True, kw_only=True):
    """A folder below a rig's root (empty is the root itself), and the files that speak for it, if any."""

    folder: str
    files: tuple[str, ...] = ()


def whereabouts(root: Path, emulator: str, wanted: Collection[str]) -> Whereabouts:
    """Where an emulator looks for files that its sheet wants, given by their paths below there: in the folder in which
    most of them lie by name, else in one that is called like the emulator or the one within it that has a usual name,
    else in the root."""
    names = {fold(path): path for path in wanted}
    best = Whereabouts(folder="")
    own = None
    for folder, files in _folders(root):
        own = folder if own is None and fold(os.path.basename(folder)) == fold(emulator) else own
        found = {file: join(folder, file) for file in files}
        there = [path for key, path in names.items() if _is_there(root, folder, key, found)]
        if len(there) > len(best.files):
            best = Whereabouts(folder=folder, files=tuple(there))
    if best.files or own is None:
        return best
    usual = [name for name in _listed(root / own) if fold(name) in _USUAL and os.path.isdir(root / own / name)]
    return Whereabouts(folder=join(own, usual[0]) if len(usual) == 1 else own)


def set_whereabouts(root: Path, emulator: str) -> Whereabouts:
    """Where an emulator looks for archives of sets: in the folder with most archives among those below one that is
    called like it, if there are any, else among all."""
    archives = {
        folder: tuple(file for file in files if file.lower().endswith(_ARCHIVES)) for folder, files in _folders(root)
    }
    own = {one: files for one, files in archives.items() if fold(emulator) in map(fold, one.split("/"))}
    for group in (own, archives):
        folder = max(group, key=lambda one: len(group[one]), default="")
        if group.get(folder):
            return Whereabouts(folder=folder, files=group[folder])
    return Whereabouts(folder=min(own, key=len, default=""))


def _is_there(root: Path, folder: str, path: str, found: Collection[str]) -> bool:
    """Whether a path, folded, is there below a folder whose own files were `found`."""
    if "/" not in path:
        return any(fold(file) == path for file in found)
    head, _, rest = path.partition("/")
    for child in _listed(root / folder):
        if fold(child) == head and os.path.isdir(root / folder / child):
            within = join(folder, child)
            return _is_there(root, within, rest, _listed(root / within))
    return False


def _folders(root: Path) -> Iterator[tuple[str, list[str]]]:
    """The folders below a root with the names in them, nearest first."""
    level = [""]
    for _ in range(DEPTH):
        deeper = []
        for folder in level:
            names = _listed(root / folder)
            yield folder, names
            paths = (join(folder, name) for name in names if name[0] != "." and not is_trash(name))
            deeper += [path for path in paths if os.path.isdir(root / path) and not is_link(root / path)]
        level = deeper


def _listed(place: Path) -> list[str]:
    try:
        return sorted(os.listdir(place))
    except OSError:
        return []
