"""Where the layout of a sheet is on a rig, and whether it has been moved."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from msgspec import structs

from gribble.core.base.names import plain
from gribble.core.base.paths import fold
from gribble.core.catalogue.config import fit_sheet
from gribble.core.records.config import Installed, Rig
from gribble.core.records.rig_seen import RigSeen, UnknownEmulator
from gribble.core.records.sheet import Sheet
from gribble.core.survey.whereabouts import Sought, seems_moved


def looks_in(sheet: Sheet, installed: Installed) -> str:
    """Where an emulator's own folder is on a rig; empty for the rig's root."""
    return installed.place(sheet.own_folder)


def sought_for(sheet: Sheet, rig: Rig, sheets: Mapping[str, Sheet]) -> Sought:
    """What tells where an emulator looks on a rig: its names, its files, and the folders of the others there."""
    return sought_by(sheet)._replace(others=folders_of_others(rig, sheets, sheet.emulator))


def sought_by(sheet: Sheet) -> Sought:
    """The same on a rig without other emulators."""
    names = (sheet.emulator, sheet.title)
    first, _, rest = sheet.own_folder.partition("/")
    is_called = plain(first) in {plain(name) for name in names}
    return Sought(names, wanted_by(sheet), inside=rest if is_called else sheet.own_folder)


def wanted_by(sheet: Sheet) -> tuple[str, ...] | None:
    """The paths of the files that a sheet names, below the emulator's own folder; None for one of sets alone."""
    own = sheet.own_folder
    places = fit_sheet(sheet).places.values()
    paths = dict.fromkeys(place.path for group in places for place in group if not place.any_name)
    return tuple(path[len(own) :].lstrip("/") for path in paths) if paths or not sheet.arcade else None


def folders_of_others(rig: Rig, sheets: Mapping[str, Sheet], emulator: str = "") -> dict[str, str]:
    """The own folders of the other emulators on a rig, with whose they are."""
    named = {name: one for name, one in rig.emulators.items() if name != emulator and name in sheets}
    return {folder: name for name, one in named.items() if (folder := looks_in(sheets[name], one))}


def called(word: str, sheets: Iterable[Sheet]) -> list[Sheet]:
    """The sheets of the emulators that somebody means by a word: a name, a title or a machine, folded."""
    sheets = list(sheets)
    exact = [one for one in sheets if one.emulator == word]
    named = [one for one in sheets if plain(word) in (plain(one.emulator), plain(one.title))]
    return exact or named or [one for one in sheets if fold(word) in map(fold, one.machines)]


def without_moved(seen: RigSeen, rig: Rig, sheets: Mapping[str, Sheet]) -> RigSeen:
    """A rig without the emulators whose folder is not where gribble.toml has it, and seems to be elsewhere now: of them
    nothing can be said, and nothing is placed where they were."""
    gone = {}
    for one in () if seen.away or seen.new else seen.emulators:
        sheet, at = sheets[one.emulator], looks_in(sheets[one.emulator], rig.emulators[one.emulator])
        if at in seen.folders or any(folder in seen.folders for folder in one.folders.values()):
            continue
        files = [holding.path for holding in seen.holdings.opened if holding.member is None]
        if now := seems_moved(seen.folders, files, sought_for(sheet, rig, sheets), at):
            why = f"{at} is not there; it seems to have moved to {now}"
            gone[one.emulator] = UnknownEmulator(one.emulator, one.release, why, moved_to=now)
    left = tuple(one for one in seen.emulators if one.emulator not in gone)
    return structs.replace(seen, emulators=left, unknown=(*seen.unknown, *gone.values())) if gone else seen
