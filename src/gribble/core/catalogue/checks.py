"""What makes sense in a sheet: every mistake that its shape alone does not show, with its key path."""

from __future__ import annotations

from collections.abc import Iterable

from gribble.core.base.digests import HEX_LENGTHS, Digests
from gribble.core.base.kinds import VOLUMES
from gribble.core.base.paths import name_fault, path_fault
from gribble.core.base.suggest import suggest
from gribble.core.base.tables import Mistakes
from gribble.core.catalogue.ranges import range_fault
from gribble.core.files.archives.opening import SET_KINDS
from gribble.core.records.sheet import Arcade, Key, Kind, Media, Need, Pair, Setting, Sheet

SHEET_VERSION = 1
MOST_ID_BYTES = 256
"""Longest id that a pair may read from a file, in bytes."""


def check_sheet(sheet: Sheet, mistakes: Mistakes) -> None:
    """Note every mistake of a sheet."""
    if sheet.sheet != SHEET_VERSION:
        mistakes.add("sheet", f"this Gribble reads version {SHEET_VERSION}, not {sheet.sheet}")
    if fault := name_fault(sheet.emulator):
        mistakes.add("emulator", f'"{sheet.emulator}" {fault}')
    further = [(key, folder) for key, too in sheet.more_folders.items() for folder in too]
    for key, folder in (*sheet.folders.items(), *further):
        if fault := path_fault(folder):
            mistakes.add(f"folders.{key}", f'"{folder}" {fault}')
    for number, volume in enumerate(sheet.root.volume):
        if volume not in VOLUMES:
            mistakes.add(f"root.volume[{number}]", f'"{volume}" should be one of {", ".join(VOLUMES)}')
    _check_needs(sheet, mistakes)
    for number, setting in enumerate(sheet.setting):
        _check_setting(setting, sheet, f"setting[{number}]", mistakes)
    for number, media in enumerate(sheet.media):
        _check_media(media, sheet, f"media[{number}]", mistakes)
    for number, pair in enumerate(sheet.pair):
        _check_pair(pair, sheet, f"pair[{number}]", mistakes)
    if sheet.arcade is not None:
        _check_arcade(sheet.arcade, sheet, mistakes)


def _check_needs(sheet: Sheet, mistakes: Mistakes) -> None:
    ids: dict[str, int] = {}
    for number, need in enumerate(sheet.need):
        if need.id in ids:
            mistakes.add(f"need[{number}].id", f'"{need.id}" is the id of need[{ids[need.id]}] too')
        ids.setdefault(need.id, number)
        _check_need(need, sheet, f"need[{number}]", mistakes)
    _check_named(sheet, mistakes)
    _check_places(sheet, mistakes)
    _check_choices(sheet, mistakes)
    _check_requires(sheet, mistakes)
    _check_unlock(sheet, mistakes)


def _check_arcade(arcade: Arcade, sheet: Sheet, mistakes: Mistakes) -> None:
    _check_folder(arcade.folder, sheet, "arcade.folder", mistakes)
    if arcade.samples:
        _check_folder(arcade.samples, sheet, "arcade.samples", mistakes)
    for number, ending in enumerate(arcade.archives):
        if ending not in SET_KINDS:
            mistakes.add(f"arcade.archives[{number}]", f'"{ending}" should be "zip" or "7z"')
    if "/" in arcade.rosters or not arcade.rosters.endswith(".roster.jsonl"):
        mistakes.add("arcade.rosters", f'"{arcade.rosters}" should be a pattern such as knot-*.roster.jsonl')
    if fault := path_fault(arcade.disc_folder.replace("{set}", "x")):
        mistakes.add("arcade.disc_folder", f'"{arcade.disc_folder}" {fault}')


def _check_places(sheet: Sheet, mistakes: Mistakes) -> None:
    """Two needs that can be wanted at once must not want one place."""
    places: dict[tuple[str, str], Need] = {}
    for number, need in enumerate(sheet.need):
        for part in need.parts():
            for place in [(need.folder, part.name), *((copy.folder, copy.name) for copy in need.also)]:
                other = places.setdefault(place, need)
                if other.id != need.id and _same_releases(need, other):
                    mistakes.add(f"need[{number}].name", f'"{part.name}" is the place of need "{other.id}" too')


def _same_releases(one: Need, other: Need) -> bool:
    """Whether two needs can be wanted at once, as far as their ranges and machines tell."""
    apart = one.machines and other.machines and not set(one.machines) & set(other.machines)
    return one.releases == other.releases and not apart


def _check_choices(sheet: Sheet, mistakes: Mistakes) -> None:
    choices: dict[str, list[int]] = {}
    for number, need in enumerate(sheet.need):
        if need.choice is not None:
            choices.setdefault(need.choice, []).append(number)
    for choice, members in choices.items():
        where = f"need[{members[0]}].choice"
        if len(members) == 1:
            mistakes.add(
                where, f'"{choice}" has only this one need; give another need the same choice, or delete the choice'
            )
        levels = sorted({sheet.need[number].level for number in members})
        if len(levels) > 1:
            mistakes.add(where, f'the members of "{choice}" differ in level: {", ".join(levels)}')


def _check_requires(sheet: Sheet, mistakes: Mistakes) -> None:
    """What a content requires must be other needs, and never in a circle."""
    by_id = {need.id: need for need in sheet.need}
    for number, need in enumerate(sheet.need):
        for place, accept in enumerate(need.accept):
            for at, word in enumerate(accept.requires):
                where = f"need[{number}].accept[{place}].requires[{at}]"
                if word == need.id:
                    mistakes.add(where, f'"{word}" is this need itself')
                elif word not in by_id:
                    mistakes.add(where, f'"{word}" is not a need of this sheet{suggest(word, list(by_id))}')
                elif way := _way_back(word, need.id, by_id):
                    mistakes.add(where, f"goes in a circle: {need.id} needs {', which needs '.join(way)}")


def _way_back(start: str, goal: str, needs: dict[str, Need]) -> list[str]:
    """The needs by which one requires another, itself first; none if it does not."""
    ways = [[start]]
    seen = {start}
    for way in ways:
        for id_ in sorted(needs[way[-1]].requires & needs.keys()):
            if id_ == goal:
                return [*way, goal]
            if id_ not in seen:
                seen.add(id_)
                ways.append([*way, id_])
    return []


def _check_unlock(sheet: Sheet, mistakes: Mistakes) -> None:
    ids = [need.id for need in sheet.need]
    for number, rule in enumerate(sheet.unlock):
        for key, word in (("need", rule.need), ("key_need", rule.key_need)):
            if word not in ids:
                mistakes.add(f"unlock[{number}].{key}", f'"{word}" is not a need of this sheet{suggest(word, ids)}')
        if rule.skip < 0:
            mistakes.add(f"unlock[{number}].skip", f"{rule.skip} is below zero")


def _check_need(need: Need, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    many = bool(need.file) or need.manifest is not None
    if many:
        _check_manifest(need, where, mistakes)
    elif not need.name:
        mistakes.add(f"{where}.name", "is missing")
    names = [(need.name, "name")] if need.name else []
    for name, key in [*names, *((alias, f"aliases[{n}]") for n, alias in enumerate(need.aliases))]:
        if fault := name_fault(name):
            mistakes.add(f"{where}.{key}", f'"{name}" {fault}')
    _check_folder(need.folder, sheet, f"{where}.folder", mistakes)
    for number, copy in enumerate(need.also):
        _check_folder(copy.folder, sheet, f"{where}.also[{number}].folder", mistakes)
        if fault := path_fault(copy.name):
            mistakes.add(f"{where}.also[{number}].name", f'"{copy.name}" {fault}')
    _check_machines(need, sheet, where, mistakes)
    _check_range(need.releases, sheet, f"{where}.releases", mistakes)
    if not many:
        _check_is_one(need, where, mistakes)
    _check_any_name(need, where, mistakes)
    _check_contents(need, sheet, where, mistakes)
    _check_keys(need, where, mistakes)


def _check_is_one(need: Need, where: str, mistakes: Mistakes) -> None:
    for key in ("nothing_else", "requires_keys"):
        if getattr(need, key):
            mistakes.add(f"{where}.{key}", "is only for many files: a manifest, or files listed in the sheet")


def _check_any_name(need: Need, where: str, mistakes: Mistakes) -> None:
    if need.any_name and need.kind is not Kind.KEYS and not any(accept.strongest() for accept in need.accept):
        mistakes.add(f"{where}.any_name", "needs an accept with a digest, because any name is allowed")


def _check_machines(need: Need, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    for number, machine in enumerate(need.machines or ()):
        if machine not in sheet.machines:
            mistakes.add(
                f"{where}.machines[{number}]",
                f'"{machine}" is not one of the sheet\'s machines{suggest(machine, list(sheet.machines))}',
            )


def _check_manifest(need: Need, where: str, mistakes: Mistakes) -> None:
    given = {"name": need.name, "aliases": need.aliases, "any_name": need.any_name, "by_setting": need.by_setting,
             "also": need.also, "accept": need.accept, "key": need.key}  # fmt: skip
    for key, value in given.items():
        if value:
            mistakes.add(f"{where}.{key}", "cannot be used for many files; each file has its own name and digest")
    for number, file in enumerate(need.file):
        path = f"{where}.file[{number}]"
        _check_digests(file, file.size, path, mistakes)
        if fault := path_fault(file.name):
            mistakes.add(f"{path}.name", f'"{file.name}" {fault}')
        if not file.strongest():
            mistakes.add(path, f"has no digest; give one of {', '.join(HEX_LENGTHS)}")


def _check_named(sheet: Sheet, mistakes: Mistakes) -> None:
    """What needs name of the sheet's keys and settings has to be there."""
    declared = dict.fromkeys(key.name for need in sheet.need for key in need.key)
    led_to = {setting.need for setting in sheet.setting}
    for number, need in enumerate(sheet.need):
        if need.by_setting and need.id not in led_to:
            mistakes.add(f"need[{number}].by_setting", "needs a setting that leads to the file")
        asked = [(f"need[{number}]", need.requires_keys)]
        asked += [(f"need[{number}].accept[{n}]", accept.requires_keys) for n, accept in enumerate(need.accept)]
        for where, names in asked:
            for place, name in enumerate(names):
                if name not in declared:
                    at = f"{where}.requires_keys[{place}]"
                    mistakes.add(at, f'"{name}" is not a key of this sheet{suggest(name, list(declared))}')


def _check_contents(need: Need, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    for number, accept in enumerate(need.accept):
        path = f"{where}.accept[{number}]"
        _check_digests(accept, accept.size, path, mistakes)
        _check_range(accept.releases, sheet, f"{path}.releases", mistakes)
    for number, reject in enumerate(need.reject):
        path = f"{where}.reject[{number}]"
        _check_digests(reject, reject.size, path, mistakes)
        if not reject.strongest():
            mistakes.add(path, f"has no digest; give one of {', '.join(HEX_LENGTHS)}")


def _check_keys(need: Need, where: str, mistakes: Mistakes) -> None:
    if need.key and need.kind is not Kind.KEYS:
        mistakes.add(f"{where}.key", f'only needs of kind "keys" have keys, but this is of kind "{need.kind}"')
    elif need.key and need.accept:
        mistakes.add(f"{where}.accept", "cannot be used together with keys; each key is proven by itself")
    for number, twin in _twins(key.name for key in need.key):
        mistakes.add(f"{where}.key[{number}].name", f'"{twin}" is there twice')
    for number, key in enumerate(need.key):
        _check_key(key, f"{where}.key[{number}]", mistakes)


def _check_key(key: Key, where: str, mistakes: Mistakes) -> None:
    if not key.name.strip() or "=" in key.name:
        mistakes.add(f"{where}.name", f'"{key.name}" cannot be used before an equals sign')
    if key.bytes is not None and key.bytes < 1:
        mistakes.add(f"{where}.bytes", f"{key.bytes} is below one")
    if key.sha256 is not None:
        _check_digests(Digests(sha256=key.sha256), None, where, mistakes)


def _check_setting(setting: Setting, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    if fault := path_fault(setting.file):
        mistakes.add(f"{where}.file", f'"{setting.file}" {fault}')
    if not all(setting.key.split(".")):
        mistakes.add(f"{where}.key", f'"{setting.key}" should be words with dots between them, such as paths.boot_rom')
    if (setting.need is None) == (setting.folder is None):
        mistakes.add(where, "should have either a need or a folder that the value leads to")
    ids = [need.id for need in sheet.need if not need.file]
    if setting.relative_to is not None:
        _check_folder(setting.relative_to, sheet, f"{where}.relative_to", mistakes)
    if setting.need is not None and setting.need not in ids:
        mistakes.add(f"{where}.need", f'"{setting.need}" is not a need with one file{suggest(setting.need, ids)}')
    if setting.folder is not None:
        _check_folder(setting.folder, sheet, f"{where}.folder", mistakes)


def _check_media(media: Media, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    _check_folder(media.folder, sheet, f"{where}.folder", mistakes)
    _check_range(media.releases, sheet, f"{where}.releases", mistakes)
    if not media.accepts:
        mistakes.add(f"{where}.accepts", "is empty; give at least one ending")
    endings = [*((f"accepts[{n}]", ending) for n, ending in enumerate(media.accepts))]
    endings += [(f"refuses[{n}].ending", refusal.ending) for n, refusal in enumerate(media.refuses)]
    for key, ending in endings:
        if not ending.startswith(".") or "/" in ending:
            mistakes.add(f"{where}.{key}", f'"{ending}" should be an ending with its dot, such as .iso')
    for number, twin in _twins(ending.lower() for _, ending in endings):
        mistakes.add(f"{where}.{endings[number][0]}", f'"{twin}" is there twice')
    if media.folder_name is not None and not media.own_folder:
        mistakes.add(f"{where}.folder_name", "is only for own_folder = true")
    if media.max_bytes is not None and media.max_bytes < 1:
        mistakes.add(f"{where}.max_bytes", f"{media.max_bytes} is below one")


def _check_pair(pair: Pair, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    _check_folder(pair.folder, sheet, f"{where}.folder", mistakes)
    if "/" in pair.each or not pair.each:
        mistakes.add(f"{where}.each", f'"{pair.each}" should be a pattern for names, such as *.crate')
    plain = pair.wants.replace("{stem}", "x").replace("{id}", "x")
    if plain == pair.wants:
        mistakes.add(f"{where}.wants", f'"{pair.wants}" should contain {{stem}} or {{id}}')
    if fault := path_fault(plain) or ("has one brace too many" if set(plain) & set("{}") else None):
        mistakes.add(f"{where}.wants", f'"{pair.wants}" {fault}')
    if pair.wants_folder is not None:
        _check_folder(pair.wants_folder, sheet, f"{where}.wants_folder", mistakes)
    _check_ids(pair, where, mistakes)


def _check_ids(pair: Pair, where: str, mistakes: Mistakes) -> None:
    """What a pair says of where ids and versions are in its files."""
    if "{id}" in pair.wants and pair.id_at is None:
        mistakes.add(f"{where}.id_at", "needs {id} in wants; it says where the id is")
    elif pair.id_at and "{id}" not in pair.wants and not (pair.wants_id_at or pair.version_at):
        mistakes.add(f"{where}.id_at", "needs {id} in wants, or wants_id_at")
    if pair.version_at and not pair.id_at:
        mistakes.add(f"{where}.version_at", "needs id_at, because versions are compared for one id")
    places = (("id_at", pair.id_at), ("version_at", pair.version_at), ("wants_id_at", pair.wants_id_at))
    for key, at in places:
        if at and (at.offset < 0 or not 1 <= at.length <= MOST_ID_BYTES):
            mistakes.add(f"{where}.{key}", f"should have an offset from 0 and a length from 1 to {MOST_ID_BYTES}")


def _twins(words: Iterable[str]) -> list[tuple[int, str]]:
    """The words that are there a second time, with their places."""
    seen: set[str] = set()
    twins = []
    for number, word in enumerate(words):
        if word in seen:
            twins.append((number, word))
        seen.add(word)
    return twins


def _check_folder(folder: str, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    if folder not in sheet.folders:
        mistakes.add(where, f'"{folder}" is not a key of [folders]{suggest(folder, list(sheet.folders))}')


def _check_range(releases: str | None, sheet: Sheet, where: str, mistakes: Mistakes) -> None:
    if releases is not None and (fault := range_fault(releases, sheet.order)):
        mistakes.add(where, f'"{releases}" {fault}')


def _check_digests(content: Digests, size: int | None, where: str, mistakes: Mistakes) -> None:
    if size is not None and size < 0:
        mistakes.add(f"{where}.size", f"{size} is below zero")
    for name, digest in content.known().items():
        if len(digest) != HEX_LENGTHS[name]:
            mistakes.add(f"{where}.{name}", f"should have {HEX_LENGTHS[name]} hex digits, but has {len(digest)}")
        elif not set(digest) <= set("0123456789abcdef"):
            mistakes.add(f"{where}.{name}", f'"{digest}" has characters that are not hex digits')
