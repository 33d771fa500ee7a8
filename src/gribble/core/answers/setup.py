"""A setup that works, read so that a sheet can be written from it."""

from __future__ import annotations

import os
import re
import tomllib
from collections.abc import Collection, Container, Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from msgspec import Struct

from gribble.core.answers.capture import FoundFile, sheet_fault, why_left_out
from gribble.core.answers.entering import near_in, seen_in
from gribble.core.audit.judging.keys import read_keys
from gribble.core.base.budget import KEYS_BYTES
from gribble.core.base.digests import ALGORITHMS
from gribble.core.base.errors import GribbleError, no_such, reason_of
from gribble.core.base.names import is_litter, is_trash
from gribble.core.base.paths import MEMORY_FOLDER, is_link, is_text
from gribble.core.base.regular import open_regular, read_regular
from gribble.core.catalogue.configfile import Keys, changed, toml
from gribble.core.catalogue.sheets import SHEET_ENDING, is_listed, load_catalogue
from gribble.core.files.archives.opening import ARCHIVE_ENDINGS
from gribble.core.files.hashing import digest_file
from gribble.core.records.config import Config
from gribble.core.records.sheet import Sheet
from gribble.core.survey.arriving import Listener
from gribble.core.survey.walking import Entry, walk
from gribble.core.survey.whereabouts import PROGRAMS, SETTINGS


class Setup(NamedTuple):
    """The files that an emulator could need, those that were left out, by the reason, and those whose names no sheet
    can have."""

    files: list[FoundFile]
    left_out: dict[str, list[str]]
    no_names: list[str]


def read_setup(root: Path, chosen: list[Path], listener: Listener) -> Setup:
    """Every file below a rig's root, or the `chosen` ones, with all digests. Raises GribbleError."""
    if not os.path.isdir(root):
        raise no_such(root, "folder", "Name the root of the rig, then the files in it.")
    for path in chosen:
        if not os.path.exists(path) or not path.is_relative_to(root):
            raise GribbleError(f"{path} is not in {root}", fix="Name files and folders that are in the setup.")
    entries = [entry for folder in walk(root) for entry in folder.files]
    if chosen:
        entries = [one for one in entries if any((root / one.path).is_relative_to(path) for path in chosen)]
    setup = Setup([], {}, [])
    listener.expect(sum(entry.size for entry in entries))
    for entry in entries:
        place = root / entry.path
        if fault := sheet_fault(entry.path):
            if place in chosen:
                raise GribbleError(f"{place} {fault}", fix="Give the file a plain name first.")
            setup.no_names.append(entry.path)
        elif place not in chosen and (why := why_left_out(entry.path, entry.size)):
            setup.left_out.setdefault(why, []).append(entry.path)
        else:
            setup.files.append(_found_file(root, entry, listener))
    if not setup.files:
        raise GribbleError(f"{root} has no file that could be captured", fix="Name the files to take.")
    return setup


def _found_file(root: Path, entry: Entry, listener: Listener) -> FoundFile:
    """A file with all its digests, and what is in it if that is a key file. Raises GribbleError."""
    place = root / entry.path
    try:
        _, digests = digest_file(place, entry.size, ALGORITHMS, listener.advance)
        keys = read_keys(read_regular(place, KEYS_BYTES)) if entry.size <= KEYS_BYTES else None
    except OSError as error:
        raise GribbleError(
            f"{place} cannot be read: {reason_of(error)}", fix="Nothing was written. Check its permissions."
        ) from error
    good = keys is not None and not keys.fault and any(not one.fault for one in keys.entries.values())
    return FoundFile(path=entry.path, size=entry.size, digests=digests, keys=keys if good else None)


_BACKUPS = frozenset({"backup", "backups", "bak", "old", "copy", "kopie", "sicherung"})
"""Words by which people call a copy of a rig."""
Entries = Mapping[str, Mapping[str, Any]]
"""Emulators of a rig, each with what gribble.toml is to say of it."""
DEPTH = 3
"""How many folders deep is looked."""


_LISTS = (".html", ".htm", ".xlsx", ".ods", ".csv", ".tsv", ".xml")


class Discovery(Struct, frozen=True, kw_only=True):
    """What was found, as paths relative to the folder: rigs by name with path and emulators. A rig without one is told
    by what emulators leave: `signs` says by which file."""

    catalogues: tuple[str, ...]
    rigs: dict[str, tuple[str, Entries]]
    sources: tuple[str, ...]
    signs: dict[str, str]
    lists: tuple[str, ...] = ()
    """Files that could say what an emulator needs: pages, tables, exports, outside rigs and sources."""
    no_names: tuple[str, ...] = ()
    """Folders that gribble.toml cannot name."""


def discover(folder: Path, elsewhere: Iterable[Path] = ()) -> Discovery:
    """What is below a folder. A rig is a folder in which the folders of some sheet exist (of one here, or of the
    catalogues `elsewhere`), else one just below in which settings or programs lie, as emulators have them."""
    folders = [path for path in _folders_below(folder) if path != folder]
    catalogues = [path for path in folders if is_catalogue(path)]
    sheets = load_catalogue(list(dict.fromkeys([*catalogues, *elsewhere]))).sheets
    rigs = _rigs_in(folder, folders, catalogues, sheets)
    taken = [*catalogues, *(folder / path for path, _ in rigs.values())]
    sources, signs = [], {}
    children = _children(folder)
    lists = [one for one in children if one.name.lower().endswith(_LISTS)]
    below = [one for one in children if os.path.isdir(one) and one.name[0] != "."]
    for child in (one for one in below if is_text(one.name)):
        if any(other.is_relative_to(child) for other in taken):
            continue
        if not is_backup(Path(child.name)) and (sign := sign_of_rig(child)):
            name = rig_name(child.name, rigs)
            rigs[name], signs[name] = (_relative(child, folder), {}), f"{child.name}/{sign}"
        elif within := _lists_in(child):
            lists += within
        else:
            sources.append(child)
    return Discovery(
        catalogues=_all_relative(catalogues, folder),
        rigs=rigs,
        sources=_all_relative(sources, folder),
        signs=signs,
        lists=_all_relative(lists, folder),
        no_names=tuple(one.name for one in below if not is_text(one.name)),
    )


def _rigs_in(
    folder: Path, folders: Iterable[Path], catalogues: Iterable[Path], sheets: Mapping[str, Sheet]
) -> dict[str, tuple[str, Entries]]:
    """Those of some folders in which the folders of a sheet's emulator are, but copies and what is within another."""
    rigs: dict[str, tuple[str, Entries]] = {}
    taken = list(catalogues)
    for path in folders:
        if any(path.is_relative_to(other) for other in taken) or is_backup(path.relative_to(folder)):
            continue
        if emulators := emulators_of(path, sheets):
            rigs[rig_name(path.name, rigs)] = (_relative(path, folder), emulators)
            taken.append(path)
    return rigs


def _all_relative(paths: Iterable[Path], folder: Path) -> tuple[str, ...]:
    return tuple(_relative(path, folder) for path in paths)


def _lists_in(folder: Path) -> list[Path]:
    """The pages, tables and exports of a folder that holds nothing else."""
    files = [file for file in _children(folder) if not is_litter(file.name)]
    return files if all(file.name.lower().endswith(_LISTS) for file in files) else []


def is_catalogue(path: Path) -> bool:
    """Whether sheets are in a folder."""
    return any(is_listed(child.name, SHEET_ENDING) for child in _children(path))


def emulators_of(path: Path, sheets: Mapping[str, Sheet]) -> Entries:
    """The emulators whose folders a rig has, each with what is to be entered of it."""
    near = near_in(path)
    found = ((name, seen_in(path, sheet, near)) for name, sheet in sorted(sheets.items()))
    return {name: entry for name, entry in found if entry is not None}


def rig_name(called: str, taken: Collection[str]) -> str:
    """A name for a rig in a folder or on a server that is `called` so, which no other has."""
    name = re.sub(r"[^A-Za-z0-9_-]+", "-", called).strip("-") or "rig"
    while name in taken:
        name += "-2"
    return name


def sign_of_rig(path: Path) -> str:
    """A file, relative to a folder, that emulators leave there or in a folder of it: settings, a program. Empty where
    there is none, or only where archives are beside it, as in what was downloaded."""
    for folder in (path, *(child for child in _children(path) if os.path.isdir(child) and not is_link(child))):
        names = [file.name for file in _children(folder) if file.name[0] != "." and not is_litter(file.name)]
        if not any(name.lower().endswith(ARCHIVE_ENDINGS) for name in names):
            for name in names:
                if name.lower().endswith((*SETTINGS, *PROGRAMS)) or _is_program(folder / name):
                    return _relative(folder / name, path)
    return ""


def _is_program(path: Path) -> bool:
    """Whether a file without an ending begins like a program of Linux (ELF) or macOS (Mach-O, 64 bit)."""
    if path.suffix or not os.path.isfile(path):
        return False
    try:
        with open_regular(path) as stream:
            return stream.read(4) in (b"\x7fELF", b"\xcf\xfa\xed\xfe")
    except OSError:
        return False


def is_backup(path: Path) -> bool:
    """Whether a folder is called like a copy that somebody keeps, or is in one: it is no rig."""
    words = {word for part in path.parts for word in re.split(r"[\W_\d]+", part.casefold())}
    return not words.isdisjoint(_BACKUPS)


def _folders_below(folder: Path) -> list[Path]:
    found, level = [folder], [folder]
    for _ in range(DEPTH):
        level = [
            child
            for path in level
            for child in _children(path)
            if os.path.isdir(child) and not is_link(child) and not is_trash(child.name)
        ]
        level = [one for one in level if one.name != MEMORY_FOLDER and one.name[0] != "." and is_text(one.name)]
        found += level
    return found


def _children(folder: Path) -> list[Path]:
    try:
        return sorted(child for child in folder.iterdir() if not is_trash(child.name))
    except OSError:
        return []


def _relative(path: Path, folder: Path) -> str:
    return os.fspath(path.relative_to(folder)).replace(os.sep, "/")


def config_text(found: Discovery) -> str:
    """A commented gribble.toml that says what was found, with examples for what was not."""
    lines = [
        "# Gribble's configuration. Paths are relative to this file; ~ is your home folder.",
        "",
        "# Folders where you keep files. They are only ever read.",
        f"sources = {toml(found.sources)}",
        "",
        "# Folders with sheets: what each emulator needs.",
        f"catalogues = {toml(found.catalogues)}",
        "",
        "# Regions you prefer, best first, where several contents will do.",
        '# regions = ["EU", "US"]',
        "",
        "# A rig is one playing setup: a folder with emulators on it.",
    ]
    for name, (path, emulators) in found.rigs.items():
        lines += [f"[rig.{name}]", f"at = {toml(path)}", '# volume = "fat32"       # rules for names; default: auto']
        lines += ["", f"[rig.{name}.emulators]"]
        lines += [
            f"{emulator} = {toml(entry)}" + ("" if entry else f'           # better: {emulator} = "3.1", its release')
            for emulator, entry in emulators.items()
        ]
        lines += [] if emulators else ['# sandpiper = "3.1"     # an emulator that has a sheet, and its release']
        lines.append("")
    if not found.rigs:
        lines += ["# [rig.den]", '# at = "rigs/den"', "#", "# [rig.den.emulators]", '# sandpiper = "3.1"', ""]
    return "\n".join(lines)


class News(Struct, frozen=True, kw_only=True):
    """What a gribble.toml does not say yet: sources and catalogues as paths relative to it, new rigs by name with path
    and emulators, and new emulators on rigs that it has, each with what is to be entered of it. `no_sources` are the
    numbers of the sources that are rigs now."""

    no_sources: tuple[int, ...] = ()
    sources: tuple[str, ...] = ()
    catalogues: tuple[str, ...] = ()
    rigs: Mapping[str, tuple[str, Entries]] = {}
    emulators: Mapping[str, Entries] = {}

    def __bool__(self) -> bool:
        return bool(self.sources or self.catalogues or self.rigs or self.emulators)


class Said(NamedTuple):
    """Folders that the user named, as typed; rigs with the names that they gave them (or none), which may be on other
    machines. `taken_out` are places, and emulators ("den: plover"), that they once took out of gribble.toml."""

    sources: Sequence[str] = ()
    rigs: Mapping[str, str] = {}
    catalogues: Sequence[str] = ()
    taken_out: Container[str] = ()

    def __bool__(self) -> bool:
        return bool(self.sources or self.rigs or self.catalogues)


def news(found: Discovery, config: Config, sheets: Mapping[str, Sheet], folder: Path, text: str, said: Said) -> News:
    """What was found below a folder and is not in the configuration of that folder, whose `text` may leave emulators
    out that another rig has. Rigs that were said are believed, whatever they were before; what was taken out stays
    out."""
    written = tomllib.loads(text).get("rig", {})
    rigs = {name: Path(rig.at) for name, rig in config.rig.items() if not rig.far}
    far = [rig.at for rig in config.rig.values() if rig.far]
    catalogues = [one.at for one in config.catalogues]
    known = [Path(place) for place in (*config.source_folders, *catalogues)] + list(rigs.values())

    def is_new(path: str) -> bool:
        place = Path(os.path.normpath(folder / path))
        if path in said.rigs:
            return place not in rigs.values() and path not in far
        if str(place) in said.taken_out and path not in said.sources:
            return False
        return not any(place.is_relative_to(one) or one.is_relative_to(place) for one in known)

    def new_on(root: Path, rig: str) -> Entries:
        """The emulators on a rig of which there is a sheet, and nothing in the configuration."""
        told = {*config.rig[rig].emulators, *written[rig].get("emulators", {})}
        told |= {name for name in sheets if f"{rig}: {name}" in said.taken_out}
        return emulators_of(root, {name: one for name, one in sheets.items() if name not in told})

    named: dict[str, tuple[str, Entries]] = {}
    for name, (path, emulators) in found.rigs.items():
        if is_new(path):
            while name in config.rig or name in named:
                name += "-2"
            named[name] = (path, emulators)
    named_rigs = {Path(os.path.normpath(folder / path)) for path in said.rigs if "://" not in path}
    return News(
        no_sources=tuple(n for n, one in enumerate(config.sources) if Path(one.known_at) in named_rigs),
        sources=tuple(filter(is_new, found.sources)),
        catalogues=tuple(filter(is_new, found.catalogues)),
        rigs=named,
        emulators={name: new for name, root in rigs.items() if (new := new_on(root, name))},
    )


def added(text: str, new: News) -> str:
    """The text of a gribble.toml with what is new in it, all else as it was, comments too. Raises GribbleError if
    the file is written in a way to which that cannot be added."""
    before = tomllib.loads(text)
    changes: dict[Keys, Any] = {}
    sources = [one for number, one in enumerate(before.get("sources", [])) if number not in new.no_sources]
    if new.sources or new.no_sources:
        changes["sources",] = [*sources, *new.sources]
    if new.catalogues:
        changes["catalogues",] = [*before.get("catalogues", []), *new.catalogues]
    for rig, entries in new.emulators.items():
        changes |= {("rig", rig, "emulators", name): entry for name, entry in entries.items()}
    changes |= {("rig", name): {"at": path, "emulators": {**entries}} for name, (path, entries) in new.rigs.items()}
    return changed(text, changes)


def told(new: News) -> list[str]:
    """What is new, in words."""
    words = [f"source {place}" for place in new.sources] + [f"catalogue {place}" for place in new.catalogues]
    for name, (path, emulators) in new.rigs.items():
        words.append(f"rig {name} at {path}" + (f" ({', '.join(emulators)})" if emulators else ""))
    words += [f"{', '.join(entries)} on {rig}" for rig, entries in new.emulators.items()]
    words += ["a folder that was a source is now a rig"] if new.no_sources else []
    return words
