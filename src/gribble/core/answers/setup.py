"""A setup that works, read so that a sheet can be written from it."""

from __future__ import annotations

import json
import os
import re
import tomllib
from collections.abc import Collection, Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any, NamedTuple

import tomlkit
from msgspec import Struct

from gribble.core.answers.capture import FoundFile, why_left_out
from gribble.core.audit.judging.keys import read_keys
from gribble.core.base.budget import KEYS_BYTES
from gribble.core.base.digests import ALGORITHMS
from gribble.core.base.errors import GribbleError, reason_of
from gribble.core.base.names import is_litter, is_trash
from gribble.core.base.paths import MEMORY_FOLDER, fold, is_link, join
from gribble.core.base.regular import read_regular
from gribble.core.catalogue.sheets import SHEET_ENDING, Catalogue, is_listed, load_catalogue
from gribble.core.files.archives.opening import ARCHIVE_ENDINGS, SET_ENDINGS
from gribble.core.files.hashing import digest_file
from gribble.core.records.config import Config
from gribble.core.records.sheet import Sheet
from gribble.core.survey.arriving import Listener
from gribble.core.survey.walking import walk


class Setup(NamedTuple):
    """The files that an emulator could need, and those that were left out, by the reason."""

    files: list[FoundFile]
    left_out: dict[str, list[str]]


def read_setup(root: Path, chosen: list[Path], listener: Listener) -> Setup:
    """Every file below a rig's root, or the `chosen` ones, with all digests. Raises GribbleError."""
    if not os.path.isdir(root):
        raise GribbleError(f"{root} is no folder", fix="Name the root of the rig, then the files in it.")
    for path in chosen:
        if not os.path.exists(path) or not path.is_relative_to(root):
            raise GribbleError(f"{path} is not in {root}", fix="Name files and folders of the setup.")
    entries = [entry for folder in walk(root) for entry in folder.files]
    if chosen:
        entries = [one for one in entries if any((root / one.path).is_relative_to(path) for path in chosen)]
    setup = Setup([], {})
    listener.expect(sum(entry.size for entry in entries))
    for entry in entries:
        place = root / entry.path
        why = "" if place in chosen else why_left_out(entry.path, entry.size)
        if why:
            setup.left_out.setdefault(why, []).append(entry.path)
            continue
        try:
            _, digests = digest_file(place, entry.size, ALGORITHMS, listener.advance)
            keys = read_keys(read_regular(place, KEYS_BYTES)) if entry.size <= KEYS_BYTES else None
        except OSError as error:
            raise GribbleError(
                f"{place} cannot be read: {reason_of(error)}", fix="Nothing was written. Check its permissions."
            ) from error
        good = keys is not None and not keys.fault and any(not one.fault for one in keys.entries.values())
        setup.files.append(FoundFile(path=entry.path, size=entry.size, digests=digests, keys=keys if good else None))
    if not setup.files:
        raise GribbleError(f"{root} has no file to capture", fix="Name the files to take.")
    return setup


DEPTH = 3
"""How many folders deep is looked."""


_SETTINGS = (".ini", ".cfg", ".conf", ".toml", ".yaml", ".yml")
_PROGRAMS = (".exe", ".app", ".appimage")
_LISTS = (".html", ".htm", ".xlsx", ".ods", ".csv", ".tsv", ".xml")


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
        if not any(name.lower().endswith(ARCHIVE_ENDINGS) for name in names):
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


class News(Struct, frozen=True, kw_only=True):
    """What a gribble.toml does not say yet: sources and catalogues as paths relative to it, new rigs by name with path
    and emulators, and new emulators on rigs that it has, each with its release (or empty)."""

    sources: tuple[str, ...] = ()
    catalogues: tuple[str, ...] = ()
    rigs: Mapping[str, tuple[str, tuple[str, ...]]] = {}
    emulators: Mapping[str, Mapping[str, str]] = {}

    def __bool__(self) -> bool:
        return bool(self.sources or self.catalogues or self.rigs or self.emulators)


def news(found: Discovery, config: Config, catalogue: Catalogue, folder: Path, text: str) -> News:
    """What was found below a folder and is not in the configuration of that folder, whose `text` may leave emulators
    out that another rig has."""
    written = tomllib.loads(text).get("rig", {})
    rigs = {name: Path(rig.at) for name, rig in config.rig.items() if not rig.far}
    known = [Path(place) for place in (*config.source_folders, *config.catalogues)] + list(rigs.values())

    def is_new(path: str) -> bool:
        place = Path(os.path.normpath(folder / path))
        return not any(place.is_relative_to(one) or one.is_relative_to(place) for one in known)

    def new_on(root: Path, rig: str) -> dict[str, str]:
        """The emulators on a rig of which there is a sheet, and nothing in the configuration."""
        told = {*config.rig[rig].emulators, *written[rig].get("emulators", {})}
        sheets = sorted(catalogue.sheets.items())
        return {name: "" for name, sheet in sheets if name not in told and is_rig_of(root, sheet)}

    named: dict[str, tuple[str, tuple[str, ...]]] = {}
    for name, (path, emulators) in found.rigs.items():
        if is_new(path):
            while name in config.rig or name in named:
                name += "-2"
            named[name] = (path, emulators)
    return News(
        sources=tuple(filter(is_new, found.sources)),
        catalogues=tuple(filter(is_new, found.catalogues)),
        rigs=named,
        emulators={name: new for name, root in rigs.items() if (new := new_on(root, name))},
    )


def added(text: str, new: News) -> str:
    """The text of a gribble.toml with what is new in it, all else as it was, comments too. Raises GribbleError where
    the file is written in a way to which that cannot be added."""
    before = tomllib.loads(text)
    windows = text.count("\r\n") == text.count("\n")
    text = text.replace("\r\n", "\n") if windows else text
    document: Any = tomlkit.parse(text)
    for key, places in (("sources", new.sources), ("catalogues", new.catalogues)):
        if places and key not in document:
            document[key] = []
        for place in places:
            document[key].append(place)
    for rig, releases in new.emulators.items():
        table = document["rig"][rig]
        if "emulators" not in table:
            table["emulators"] = tomlkit.table()
        for emulator, release in releases.items():
            table["emulators"][emulator] = release or tomlkit.inline_table()
    changed = tomlkit.dumps(document)
    changed += "" if changed.endswith("\n") or not changed else "\n"
    for name, (path, emulators) in new.rigs.items():
        lines = ["", f"[rig.{name}]", f"at = {json.dumps(path, ensure_ascii=False)}", "", f"[rig.{name}.emulators]"]
        changed += "\n".join([*lines, *(f"{emulator} = {{}}" for emulator in emulators), ""])
    try:
        right = tomllib.loads(changed) == _expected(before, new)
    except tomllib.TOMLDecodeError:
        right = False
    if not right:
        raise GribbleError(
            "gribble.toml is written in a way to which nothing can be added by itself",
            fix=f"Add it yourself: {'; '.join(told(new))}.",
        )
    return changed.replace("\n", "\r\n") if windows else changed


def _expected(before: dict[str, Any], new: News) -> dict[str, Any]:
    """What the file should say afterwards."""
    after: dict[str, Any] = json.loads(json.dumps(before, default=str))
    for key, places in (("sources", new.sources), ("catalogues", new.catalogues)):
        if places:
            after[key] = [*after.get(key, []), *places]
    rigs = after.setdefault("rig", {}) if new.rigs or new.emulators else after.get("rig", {})
    for rig, releases in new.emulators.items():
        rigs[rig].setdefault("emulators", {}).update({name: release or {} for name, release in releases.items()})
    for name, (path, emulators) in new.rigs.items():
        rigs[name] = {"at": path, "emulators": {emulator: {} for emulator in emulators}}
    return after


def told(new: News) -> list[str]:
    """What is new, in words."""
    words = [f"source {place}" for place in new.sources] + [f"catalogue {place}" for place in new.catalogues]
    for name, (path, emulators) in new.rigs.items():
        words.append(f"rig {name} at {path}" + (f" ({', '.join(emulators)})" if emulators else ""))
    for rig, releases in new.emulators.items():
        words.append(f"{', '.join(f'{name} {release}'.rstrip() for name, release in releases.items())} on {rig}")
    return words


FOLDER_DEPTH = 4
"""How many folders deep is looked."""
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
        folder: tuple(file for file in files if file.lower().endswith(SET_ENDINGS)) for folder, files in _folders(root)
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
    for _ in range(FOLDER_DEPTH):
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
