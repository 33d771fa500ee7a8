"""Looking at a folder for what a first gribble.toml could say: catalogues, rigs and sources."""

from __future__ import annotations

import os
import re
from pathlib import Path

from msgspec import Struct

from gribble.core.base.names import is_trash
from gribble.core.base.paths import MEMORY_FOLDER, is_link
from gribble.core.catalogue.sheets import SHEET_ENDING, load_catalogue
from gribble.core.records.sheet import Sheet

DEPTH = 3
"""How many folders deep is looked."""


class Discovery(Struct, frozen=True, kw_only=True):
    """What was found, as paths relative to the folder: rigs by name with path and emulators."""

    catalogues: tuple[str, ...]
    rigs: dict[str, tuple[str, tuple[str, ...]]]
    sources: tuple[str, ...]


def discover(folder: Path) -> Discovery:
    """What lies below a folder. A rig is a folder in which some sheet's folders exist."""
    folders = [path for path in _folders_below(folder) if path != folder]
    catalogues = [path for path in folders if any(child.name.endswith(SHEET_ENDING) for child in _children(path))]
    sheets = load_catalogue(catalogues).sheets
    rigs: dict[str, tuple[str, tuple[str, ...]]] = {}
    taken = list(catalogues)
    for path in folders:
        if any(path.is_relative_to(other) for other in taken):
            continue
        emulators = tuple(name for name, sheet in sorted(sheets.items()) if is_rig_of(path, sheet))
        if emulators:
            name = re.sub(r"[^A-Za-z0-9_-]+", "-", path.name).strip("-") or "rig"
            while name in rigs:
                name += "-2"
            rigs[name] = (_relative(path, folder), emulators)
            taken.append(path)
    sources = [
        child
        for child in _children(folder)
        if os.path.isdir(child) and child.name[0] != "." and not any(other.is_relative_to(child) for other in taken)
    ]
    return Discovery(
        catalogues=tuple(_relative(path, folder) for path in catalogues),
        rigs=rigs,
        sources=tuple(_relative(path, folder) for path in sources),
    )


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
