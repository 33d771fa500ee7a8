"""Looking at a folder for what a first gribble.toml could say: catalogues, rigs and sources."""

from __future__ import annotations

import os
import re
from collections.abc import Collection, Iterable, Mapping
from pathlib import Path

from msgspec import Struct

from gribble.core.base.names import is_litter, is_trash
from gribble.core.base.paths import MEMORY_FOLDER, is_link
from gribble.core.catalogue.sheets import SHEET_ENDING, is_listed, load_catalogue
from gribble.core.records.sheet import Sheet

DEPTH = 3
"""How many folders deep is looked."""


_SETTINGS = (".ini", ".cfg", ".conf", ".toml", ".yaml", ".yml")
_PROGRAMS = (".exe", ".app", ".appimage")
_LISTS = (".html", ".htm", ".xlsx", ".ods", ".csv", ".tsv", ".xml")
_ARCHIVES = (".zip", ".7z", ".rar", ".gz", ".xz", ".bz2", ".zst")


class Discovery(Struct, frozen=True, kw_only=True):
    """What was found, as paths relative to the folder: rigs by name with path and emulators. A rig without one is told
    by what emulators leave: `signs` says by which file."""

    catalogues: tuple[str, ...]
    rigs: dict[str, tuple[str, tuple[str, ...]]]
    sources: tuple[str, ...]
    signs: dict[str, str]
    lists: tuple[str, ...] = ()
    """Files that could say what an emulator needs: pages, tables, exports, outside rigs and sources."""


def discover(folder: Path, elsewhere: Iterable[Path] = ()) -> Discovery:
    """What lies below a folder. A rig is a folder in which the folders of some sheet exist (of one here, or of the
    catalogues `elsewhere`), else one just below in which settings or programs lie, as emulators have them."""
    folders = [path for path in _folders_below(folder) if path != folder]
    catalogues = [path for path in folders if is_catalogue(path)]
    sheets = load_catalogue(list(dict.fromkeys([*catalogues, *elsewhere]))).sheets
    rigs: dict[str, tuple[str, tuple[str, ...]]] = {}
    taken = list(catalogues)
    for path in folders:
        if any(path.is_relative_to(other) for other in taken):
            continue
        if emulators := emulators_of(path, sheets):
            rigs[rig_name(path, rigs)] = (_relative(path, folder), emulators)
            taken.append(path)
    sources, signs = [], {}
    lists = [one for one in _children(folder) if one.name.lower().endswith(_LISTS)]
    for child in _children(folder):
        if os.path.isdir(child) and child.name[0] != "." and not any(other.is_relative_to(child) for other in taken):
            if sign := sign_of_rig(child):
                name = rig_name(child, rigs)
                rigs[name], signs[name] = (_relative(child, folder), ()), f"{child.name}/{sign}"
            elif within := _lists_in(child):
                lists += within
            else:
                sources.append(child)
    return Discovery(
        catalogues=tuple(_relative(path, folder) for path in catalogues),
        rigs=rigs,
        sources=tuple(_relative(path, folder) for path in sources),
        signs=signs,
        lists=tuple(_relative(path, folder) for path in lists),
    )


def _lists_in(folder: Path) -> list[Path]:
    """The pages, tables and exports of a folder that holds nothing else."""
    files = [file for file in _children(folder) if not is_litter(file.name)]
    return files if all(file.name.lower().endswith(_LISTS) for file in files) else []


def is_catalogue(path: Path) -> bool:
    """Whether sheets lie in a folder."""
    return any(is_listed(child.name, SHEET_ENDING) for child in _children(path))


def emulators_of(path: Path, sheets: Mapping[str, Sheet]) -> tuple[str, ...]:
    """The emulators whose folders a rig has."""
    return tuple(name for name, sheet in sorted(sheets.items()) if is_rig_of(path, sheet))


def rig_name(path: Path, taken: Collection[str]) -> str:
    """A name for a rig in a folder, which no other has."""
    name = re.sub(r"[^A-Za-z0-9_-]+", "-", path.name).strip("-") or "rig"
    while name in taken:
        name += "-2"
    return name


def sign_of_rig(path: Path) -> str:
    """A file, relative to a folder, that emulators leave there or in a folder of it: settings, a program. Empty where
    there is none, or only where archives lie beside it, as in what was downloaded."""
    for folder in (path, *(child for child in _children(path) if os.path.isdir(child) and not is_link(child))):
        names = [file.name for file in _children(folder) if file.name[0] != "." and not is_litter(file.name)]
        if not any(name.lower().endswith(_ARCHIVES) for name in names):
            for name in names:
                if name.lower().endswith((*_SETTINGS, *_PROGRAMS)):
                    return _relative(folder / name, path)
    return ""


def is_rig_of(path: Path, sheet: Sheet) -> bool:
    """Whether a folder has one that only a sheet's emulator has."""
    return any(os.path.isdir(path / folder) for folder in sheet.folders.values() if "/" in folder or len(folder) > 4)


def _folders_below(folder: Path) -> list[Path]:
    found, level = [folder], [folder]
    for _ in range(DEPTH):
        level = [
            child
            for path in level
            for child in _children(path)
            if os.path.isdir(child) and not is_link(child) and not is_trash(child.name)
        ]
        level = [child for child in level if child.name != MEMORY_FOLDER and child.name[0] != "."]
        found += level
    return found


def _children(folder: Path) -> list[Path]:
    try:
        return sorted(child for child in folder.iterdir() if not is_trash(child.name))
    except OSError:
        return []


def _relative(path: Path, folder: Path) -> str:
    return os.fspath(path.relative_to(folder)).replace(os.sep, "/")
