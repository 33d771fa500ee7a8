"""Loading sheets: shape first, then sense, with every mistake of a file told at once."""

from __future__ import annotations

from pathlib import Path

import msgspec
from msgspec import Struct

from gribble.core.catalogue.records import HEX_LENGTHS, Accept, Digests, Need, Reject, Sheet
from gribble.core.catalogue.releases import range_fault
from gribble.core.catalogue.tables import Mistakes, read_table, read_toml, suggest
from gribble.core.errors import Mistake, reason_of
from gribble.core.paths import name_fault, path_fault

SHEET_ENDING = ".sheet.toml"
SHEET_VERSION = 1


class Catalogue(Struct, frozen=True):
    """The sheets of all catalogues by emulator, and the mistakes of those that could not be used."""

    sheets: dict[str, Sheet]
    mistakes: tuple[Mistake, ...] = ()


def load_catalogue(folders: list[Path]) -> Catalogue:
    """Every sheet of the folders. Where two folders know one emulator, the folder named first wins."""
    sheets: dict[str, Sheet] = {}
    mistakes: list[Mistake] = []
    for folder in folders:
        seen: dict[str, Path] = {}
        try:
            paths = sorted(path for path in folder.iterdir() if path.name.endswith(SHEET_ENDING))
        except OSError as error:
            mistakes.append(Mistake(str(folder), "", f"this catalogue folder cannot be read: {reason_of(error)}"))
            continue
        for path in paths:
            sheet, found = load_sheet(path)
            mistakes += found
            if sheet is None:
                continue
            if sheet.emulator in seen:
                twin = seen[sheet.emulator].name
                mistakes.append(Mistake(str(path), "emulator", f'"{sheet.emulator}" has a sheet already: {twin}'))
                continue
            seen[sheet.emulator] = path
            sheets.setdefault(sheet.emulator, sheet)
    return Catalogue(sheets, tuple(mistakes))


def load_sheet(path: Path) -> tuple[Sheet | None, list[Mistake]]:
    """The sheet in a file, digests in lower case; None, with the mistakes, if it has any."""
    mistakes = Mistakes(str(path))
    tables = read_toml(path, mistakes)
    sheet = read_table(Sheet, tables, "", mistakes) if tables is not None else None
    if sheet is not None:
        sheet = _lower_digests(sheet)
        _check_sheet(sheet, mistakes)
    return (None if mistakes.found else sheet), mistakes.found


def _lower_digests(sheet: Sheet) -> Sheet:
    def lower(content: Accept | Reject) -> Accept | Reject:
        return msgspec.structs.replace(content, **{name: hex_.lower() for name, hex_ in content.known().items()})

    needs = tuple(
        msgspec.structs.replace(need, accept=tuple(map(lower, need.accept)), reject=tuple(map(lower, need.reject)))
        for need in sheet.need
    )
    return msgspec.structs.replace(sheet, need=needs)


def _check_sheet(sheet: Sheet, mistakes: Mistakes) -> None:
    if sheet.sheet != SHEET_VERSION:
        mistakes.add("sheet", f"this Gribble reads version {SHEET_VERSION}, not {sheet.sheet}")
    if fault := name_fault(sheet.emulator):
        mistakes.add("emulator", f'"{sheet.emulator}" {fault}')
    for key, folder in sheet.folders.items():
        if fault := path_fault(folder):
            mistakes.add(f"folders.{key}", f'"{folder}" {fault}')
    _check_unlock(sheet, mistakes)
    ids: dict[str, int] = {}
    places: dict[tuple[str, str], str] = {}
    for number, need in enumerate(sheet.need):
        where = f"need[{number}]"
        if need.id in ids:
            mistakes.add(f"{where}.id", f'"{need.id}" is the id of need[{ids[need.id]}] too')
        ids.setdefault(need.id, number)
        _check_need(need, sheet, where, mistakes)
        for place in [(need.folder, need.name), *((copy.folder, copy.name) for copy in need.also)]:
            other = places.setdefault(place, need.id)
            if other != need.id and _same_releases(need, next(n for n in sheet.need if n.id == other)):
                mistakes.add(f"{where}.name", f'"{need.name}" is the place of need "{other}" too')


def _check_unlock(sheet: Sheet, mistakes: Mistakes) -> None:
    ids = [need.id for need in sheet.need]
    for number, rule in enumerate(sheet.unlock):
        for key, word in (("need", rule.need), ("key_need", rule.key_need)):
            if word not in ids:
                mistakes.add(f"unlock[{number}].{key}", f'"{word}" is no need of this sheet{suggest(word, ids)}')
        if rule.skip < 0:
            mistakes.add(f"unlock[{number}].skip", f"{rule.skip} is below zero")


def _same_releases(one: Need, other: Need) -> bool:
    """Whether two needs can be wanted at once, as far as their ranges and machines tell."""
    apart = one.machines and other.machines and not set(one.machines) & set(other.machines)
    return one.releases == other.releases and not apart


def _check_need(need: Need, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    for name, key in [(need.name, "name"), *((a, f"aliases[{n}]") for n, a in enumerate(need.aliases))]:
        if fault := name_fault(name):
            mistakes.add(f"{where}.{key}", f'"{name}" {fault}')
    _check_folder(need.folder, sheet, f"{where}.folder", mistakes)
    for number, copy in enumerate(need.also):
        _check_folder(copy.folder, sheet, f"{where}.also[{number}].folder", mistakes)
        if fault := path_fault(copy.name):
            mistakes.add(f"{where}.also[{number}].name", f'"{copy.name}" {fault}')
    for number, machine in enumerate(need.machines or ()):
        if machine not in sheet.machines:
            what = f'"{machine}" is not one of the sheet\'s machines{suggest(machine, list(sheet.machines))}'
            mistakes.add(f"{where}.machines[{number}]", what)
    _check_range(need.releases, sheet, f"{where}.releases", mistakes)
    if need.any_name and not any(accept.strongest() for accept in need.accept):
        mistakes.add(f"{where}.any_name", "needs an accept with a digest, since the name tells nothing")
    for number, accept in enumerate(need.accept):
        _check_content(accept, accept.size, f"{where}.accept[{number}]", mistakes)
        _check_range(accept.releases, sheet, f"{where}.accept[{number}].releases", mistakes)
    for number, reject in enumerate(need.reject):
        path = f"{where}.reject[{number}]"
        _check_content(reject, reject.size, path, mistakes)
        if not reject.strongest():
            mistakes.add(path, f"has no digest; give one of {', '.join(HEX_LENGTHS)}")


def _check_folder(folder: str, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    if folder not in sheet.folders:
        mistakes.add(where, f'"{folder}" is not a key of [folders]{suggest(folder, list(sheet.folders))}')


def _check_range(releases: str | None, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    if releases is not None and (fault := range_fault(releases, sheet.order)):
        mistakes.add(where, f'"{releases}" {fault}')


def _check_content(content: Digests, size: int | None, where: str, mistakes: Mistakes) -> None:
    if size is not None and size < 0:
        mistakes.add(f"{where}.size", f"{size} is below zero")
    for name, digest in content.known().items():
        if len(digest) != HEX_LENGTHS[name]:
            mistakes.add(f"{where}.{name}", f"should have {HEX_LENGTHS[name]} hex digits, but has {len(digest)}")
        elif not set(digest) <= set("0123456789abcdef"):
            mistakes.add(f"{where}.{name}", f'"{digest}" holds characters that are not hex digits')
