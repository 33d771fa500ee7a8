"""What gribble.toml has to say of an emulator on a rig, so that its sheet's layout lies where it is there."""

from __future__ import annotations

import os
import tomllib
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any, NamedTuple

from gribble.core.audit.layout import called, looks_in, sought_by
from gribble.core.base.errors import GribbleError
from gribble.core.base.names import plain
from gribble.core.base.paths import base, fold, join, parent
from gribble.core.base.suggest import nearest, suggest
from gribble.core.catalogue.config import fit_sheet
from gribble.core.catalogue.configfile import REMOVED, Keys
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.records.config import Config, Installed, Rig
from gribble.core.records.sheet import Sheet
from gribble.core.survey.whereabouts import Likely, Listing, likely_folders, listing_of, programs_in


def put_at(own: str, folder: str) -> dict[str, Any]:
    """The keys that say that a folder of the sheet, its `own` one, is `folder` of a rig."""
    if not own:
        return {"at": folder}
    if folder == own or folder.endswith(f"/{own}"):
        return {"at": folder[: -len(own)].rstrip("/")}
    return {"at": "", "moved": {own: folder or "."}}


class Near(NamedTuple):
    """The folders of a rig, by what they are called and by what the programs in them are called (see `plain`)."""

    called: dict[str, list[str]]
    with_program: dict[str, list[str]]


def near_in(root: Path) -> Near:
    """The folders of a rig that is on this machine."""
    near = Near({}, {})
    for folder in (name for name in _names_in(root) if os.path.isdir(root / name)):
        near.called.setdefault(plain(folder), []).append(folder)
        for program in programs_in(_names_in(root / folder)):
            near.with_program.setdefault(program, []).append(folder)
    return near


def _names_in(folder: Path) -> list[str]:
    try:
        return sorted(os.listdir(folder))
    except OSError:
        return []


def seen_in(root: Path, sheet: Sheet, near: Near) -> dict[str, Any] | None:
    """What is to be entered of an emulator whose own folder is on a rig; None if there is no sign of it."""
    own = sheet.own_folder
    named = (folder for folder in sheet.folders.values() if "/" in folder or len(folder) > 4)
    if own and any(os.path.isdir(root / folder) for folder in named):
        return {}
    names = {plain(sheet.emulator), plain(sheet.title)} - {""}
    called = [folder for name in names for folder in near.called.get(name, ())]
    like = called or [folder for name in names for folder in near.with_program.get(name, ())]
    if not like:
        return None
    listing: Listing = {"": ()}
    for child in like:
        listing = {**listing, **{join(child, folder): files for folder, files in listing_of(root / child).items()}}
    first = likely_folders(listing, sought_by(sheet))[0]
    entry = put_at(own, first.folder)
    return {key: value for key, value in entry.items() if value or not own} if first.weight == 3 else None


class Said(NamedTuple):
    """What somebody says of an emulator on a rig; None leaves it as it is. `folder` is its own folder there, `folders`
    are those of its sheet by key, an empty one as the sheet has it."""

    folder: str | None = None
    release: str | None = None
    folders: Mapping[str, str] = {}
    machines: tuple[str, ...] | None = None
    wanted: tuple[str, ...] | str | None = None
    style: str | None = None


def entered(
    text: str, rig: str, sheet: Sheet, said: Said, *, begins: str | None = None, inherited: bool
) -> dict[Keys, Any]:
    """The change to a gribble.toml that enters an emulator as it is said, or changes what is said of it; none if
    it says that already. The folder that is said is that in which the sheet `begins` (its own one). `inherited` is what
    the rig has from another that it is like."""
    there = tomllib.loads(text).get("rig", {}).get(rig, {}).get("emulators", {}).get(sheet.emulator)
    now: dict[str, Any] = {"release": there} if isinstance(there, str) else dict(there or {})
    kept = _as_said(now, said, sheet.own_folder if begins is None else begins)
    if inherited and said.folder == "":
        kept["at"] = ""
    value = kept["release"] if set(kept) == {"release"} else kept
    if there is not None and there is not False and value == there:
        return {}
    return {("rig", rig, "emulators", sheet.emulator): value}


def _as_said(now: Mapping[str, Any], said: Said, own: str) -> dict[str, Any]:
    """What an entry says `now`, changed as it is said, in order and without what is empty; `own` is the emulator's own
    folder in its sheet."""
    new = dict(now)
    if said.folder is not None:
        new["moved"] = {start: target for start, target in now.get("moved", {}).items() if start.strip("/") != own}
        keys = put_at(own, said.folder)
        new |= {**keys, "moved": {**new["moved"], **keys.get("moved", {})}}
    if said.folders:
        folders = {**now.get("folders", {}), **said.folders}
        new["folders"] = {key: folder for key, folder in folders.items() if folder}
    more = {"release": said.release, "machines": said.machines, "wanted": said.wanted, "style": said.style}
    new |= {key: list(one) if isinstance(one, tuple) else one for key, one in more.items() if one is not None}
    if new.get("wanted") in (["all"], ["held"]):
        new["wanted"] = new["wanted"][0]
    order = ("release", "at", "moved", "folders", "machines", *new)
    return {key: new[key] for key in order if key in new and new[key] not in ("", {}, [])}


def left(config: Config, text: str, rig: str, emulator: str) -> dict[Keys, Any]:
    """The change to a gribble.toml that takes an emulator out of a rig; one that it has from a rig that it is like is
    said to be none of its."""
    keys = ("rig", rig, "emulators", emulator)
    rigs = tomllib.loads(text).get("rig", {})
    like = config.rig[rig].like
    if like in config.rig and emulator in config.rig[like].emulators:
        return {keys: False}
    return {keys: REMOVED} if emulator in rigs.get(rig, {}).get("emulators", {}) else {}


def named_emulator(word: str, sheets: Mapping[str, Sheet]) -> Sheet:
    """The sheet of an emulator by its name, title or a machine, as it is printed, folded. Raises GribbleError with the
    nearest names, or with all that fit."""
    found = called(word, sheets.values())
    if len(found) == 1:
        return found[0]
    if found:
        raise GribbleError(
            f"'{word}' could be {' or '.join(one.emulator for one in found)}",
            fix="Name one of them as it is written here.",
        )
    raise GribbleError(
        f"there is no sheet for an emulator '{word}'{suggest(word, list(sheets))}",
        fix="gribble catalogue list shows all sheets; gribble catalogue import LIST makes one from a list.",
    )


def named_rig(word: str, rigs: Mapping[str, Rig]) -> str:
    """The name of a rig, folded. Raises GribbleError with the nearest."""
    if word in rigs:
        return word
    found = [name for name in rigs if fold(name) == fold(word)]
    if len(found) != 1:
        raise GribbleError(
            f"'{word}' is not a rig in gribble.toml{suggest(word, list(rigs))}",
            fix="gribble rigs lists them; gribble rigs add NAME PLACE adds one.",
        )
    return found[0]


def near_within(folder: str, listing: Iterable[str]) -> str:
    """The same for a folder of a rig, by its path; empty if there is none."""
    beside = [base(one) for one in listing if one and parent(one) == parent(folder)]
    near = "" if base(folder) in beside else nearest(base(folder), beside)
    return join(parent(folder), near) if near else ""


def choice_of(found: list[Likely]) -> Likely | None:
    """The folder that is plainly the best of several; None if another is as likely."""
    return found[0] if all(found[0].beats(other) for other in found[1:]) else None


class OnRig(NamedTuple):
    """An emulator on a rig as gribble.toml and its sheet place it: its own folder there and each folder of the sheet,
    by key, with whether it is there (None: nobody has looked). `said` is what else gribble.toml says of it."""

    emulator: str
    release: str | None
    folder: str
    there: bool | None = None
    folders: tuple[tuple[str, str, bool | None], ...] = ()
    said: Mapping[str, str] = {}
    no_sheet: bool = False

    @property
    def called(self) -> str:
        """Its name and release."""
        return f"{self.emulator} {self.release or ''}".rstrip()


def emulators_on(rig: Rig, catalogue: Catalogue, *, away: bool = False) -> list[OnRig]:
    """The emulators of a rig, each with the folders where it looks. One that is on another machine is not looked at."""

    def is_there(folder: str) -> bool | None:
        return None if rig.far or away else os.path.isdir(Path(rig.at, folder))

    found = []
    for name, one in rig.emulators.items():
        sheet = catalogue.sheets.get(name)
        said = {
            "machines": ", ".join(one.machines or ()),
            "wanted": _in_short(one.wanted or ()),
            "style": one.style or "",
        }
        said = {key: words for key, words in said.items() if words}
        if sheet is None:
            found.append(OnRig(name, one.release, one.at, said=said, no_sheet=True))
            continue
        placed = fit_sheet(sheet, one).folders
        own = looks_in(sheet, one)
        folders = tuple((key, folder or ".", is_there(folder)) for key, folder in placed.items())
        found.append(OnRig(name, one.release, own, is_there(own), folders, said))
    return found


def _in_short(words: tuple[str, ...]) -> str:
    more = len(words) - 5
    return ", ".join(words[:5]) + (f" and {more:,} more" if more > 0 else "")


def files_there(root: Path, sheet: Sheet, installed: Installed) -> tuple[int, int]:
    """How many of the files that a sheet names are at their places on a rig, by name alone, and how many it names."""
    places = [place for group in fit_sheet(sheet, installed).places.values() for place in group if not place.any_name]
    there = sum(any(os.path.isfile(root / path) for path in place.paths) for place in places)
    return there, len(places)
