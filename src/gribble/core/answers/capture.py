"""Capturing: a sheet written from a setup that works. Pure: what lies there is read beforehand."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct, structs

from gribble.core.base.digests import Digests
from gribble.core.base.errors import Mistake
from gribble.core.base.paths import base, fold, join
from gribble.core.base.regular import open_regular
from gribble.core.catalogue.rosters import ROSTER_ENDING, read_head
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.catalogue.writing import Draft, DraftSheet, folder_keys, need_lines, slug, split_place, write_sheet
from gribble.core.records.keyfile import KeyFile
from gribble.core.records.roster import RosterHead
from gribble.core.records.sheet import Accept, Key, Sheet

SETTINGS_ENDINGS = (
    ".ini", ".cfg", ".conf", ".toml", ".json", ".xml", ".yaml", ".yml", ".log", ".txt", ".md", ".htm", ".html", ".pdf",
)  # fmt: skip
"""Files with these endings change, or are for people: they are left out unless they are named."""

WRITTEN_TO = "If the emulator itself writes to the file, say changes = true in its stead"
IMAGE_ENDINGS = (".img", ".raw", ".hdd", ".dsk", ".disk")
"""Files with these endings may be disks that the emulator writes to."""

LARGEST_BYTES = 256 << 20
"""Larger files are taken for games and left out unless they are named."""


SHORTEST_KEY_BYTES = 8
"""Shorter keys are left out: from their fingerprint the value could be found by trying all."""


class FoundFile(Struct, frozen=True, kw_only=True):
    """One file of the setup: path below the rig's root, size in bytes, every digest, and its keys if it has any."""

    path: str
    size: int
    digests: Digests
    keys: KeyFile | None = None


class Captured(Struct, frozen=True):
    """What became of the files: the sheet's new text, and counts of what is new in it and what it knew already."""

    text: str
    needs: int
    accepts: int
    known: int


def why_left_out(path: str, size: int) -> str:
    """Why a file of the setup is not what an emulator needs as far as its name tells; empty if it may be."""
    name = fold(base(path))
    if name.endswith(SETTINGS_ENDINGS):
        return "settings, or text for people"
    if name.startswith("."):
        return "hidden"
    if size > LARGEST_BYTES:
        return f"larger than {LARGEST_BYTES >> 20} MiB, and so a game"
    return "empty" if size == 0 else ""


def new_sheet(files: Iterable[FoundFile], emulator: str, release: str) -> Captured:
    """A sheet with every file: one need for each content, further copies as `also`."""
    drafts = _drafts(files)
    remarks = [f"Captured from a setup of {emulator} {release} that works. What only a person knows is marked."]
    text = write_sheet(DraftSheet(emulator=emulator, release=release, needs=drafts, remarks=remarks))
    return Captured(text, len(drafts), sum(len(draft.accepts) for draft in drafts), 0)


def _drafts(files: Iterable[FoundFile]) -> list[Draft]:
    drafts: dict[object, Draft] = {}
    for file in files:
        folder, name = split_place(file.path)
        content = (file.size, file.digests)
        if content in drafts and not file.keys:
            drafts[content].also.append((folder, name))
            continue
        draft = Draft(name=name, folder=folder, also=[])
        if file.keys:
            draft.keys = [
                Key(name=label, bytes=entry.bytes, sha256=entry.sha256)
                for label, entry in file.keys.entries.items()
                if not entry.fault and not entry.conflicting and entry.bytes >= SHORTEST_KEY_BYTES
            ]
        else:
            draft.accepts = [_accept(file)]
            draft.changes = fold(file.path).endswith(IMAGE_ENDINGS)
        drafts[content if not file.keys else file.path] = draft
    return list(drafts.values())


def _accept(file: FoundFile) -> Accept:
    return structs.replace(Accept(size=file.size), **file.digests.known())


def extended(text: str, sheet: Sheet, files: Iterable[FoundFile], release: str) -> Captured:
    """An existing sheet's text with the contents that it did not know. Comments and order stay.

    At a place that the sheet knows they become new accepts, elsewhere new needs.
    """
    import tomlkit

    document: Any = tomlkit.parse(text)
    places = {
        (join(sheet.folders[need.folder], name)): number
        for number, need in enumerate(sheet.need)
        for name in need.names
        if not need.file
    }
    known = new = 0
    fresh: list[FoundFile] = []
    for file in files:
        number = places.get(file.path)
        need = sheet.need[number] if number is not None else None
        contents = [*need.accept, *need.reject] if need else [a for one in sheet.need for a in one.accept]
        if need and need.key:
            more = [key for key in _drafts([file])[0].keys if key.name not in {other.name for other in need.key}]
            for key in more:  # the sheet did without them, so they are extras
                _append(document["need"][number], "key", {**_known_of(key), "level": "extra"})
            known, new = known + (not more), new + bool(more)
        elif any(content.agrees(file.digests) for content in contents) or (need and need.changes):
            known += 1
        elif number is None:
            fresh.append(file)
        else:
            content = {"size": file.size, **file.digests.known()}
            _append(
                document["need"][number],
                "accept",
                content,
                f"fill in: label; seen working with release {release}. {WRITTEN_TO}",
            )
            new += 1
    drafts = _drafts(fresh)
    changed = tomlkit.dumps(document)
    if drafts:
        changed = _with_needs(changed, sheet, drafts)
    return Captured(changed, len(drafts), new + sum(len(draft.accepts) for draft in drafts), known)


def merged(text: str, sheet: Sheet, draft: DraftSheet) -> Captured:
    """An existing sheet's text with what a list says and it did not know. Comments and order stay, and so does what the
    sheet says of a need that it has."""
    import tomlkit

    document: Any = tomlkit.parse(text)
    places = {
        fold(join(sheet.folders[need.folder], name)): number
        for number, need in enumerate(sheet.need)
        for name in need.names
        if not need.file
    }
    known = new = 0
    fresh = []
    for one in draft.needs:
        numbers = (places.get(fold(join(one.folder, name))) for name in (one.name, *one.aliases))
        number = next((found for found in numbers if found is not None), None)
        if number is None:
            fresh.append(one)
            continue
        need = sheet.need[number]
        for accept in one.accepts:
            if any(content.agrees(accept) for content in (*need.accept, *need.reject)) or not accept.known():
                known += 1
                continue
            names = ("label", "region", "version", "size")
            values = {name: value for name in names if (value := getattr(accept, name)) not in (None, "")}
            _append(document["need"][number], "accept", {**values, **accept.known()})
            new += 1
    changed = tomlkit.dumps(document)
    if fresh:
        changed = _with_needs(changed, sheet, fresh)
    return Captured(changed, len(fresh), new + sum(len(one.accepts) for one in fresh), known)


def _known_of(key: Key) -> dict[str, Any]:
    return {name: value for name in ("name", "bytes", "sha256") if (value := getattr(key, name)) is not None}


def _append(need: Any, name: str, values: dict[str, Any], remark: str = "") -> None:
    """Add a table to a need's list, in the form that the list has: `[[need.accept]]`, or `accept = [{ … }]`."""
    import tomlkit

    there = need.setdefault(name, tomlkit.aot())
    if isinstance(there, tomlkit.items.Array):
        table: Any = tomlkit.inline_table()
        table.update(values)
    else:
        table = tomlkit.table()
        if remark:
            table.add(tomlkit.comment(remark))
        table.update(values)
    there.append(table)


def _with_needs(text: str, sheet: Sheet, drafts: list[Draft]) -> str:
    """The sheet with new needs at its end, and new folders where they want some."""
    import tomlkit

    keys = {folder: key for key, folder in sheet.folders.items()}
    wanted = [place for draft in drafts for place in (draft.folder, *(folder for folder, _ in draft.also))]
    missing = [folder for folder in dict.fromkeys(wanted) if (folder or ".") not in keys and folder not in keys]
    document: Any = tomlkit.parse(text)
    for folder, key in folder_keys([*keys, *missing]).items():
        if folder in missing:
            word = key if key not in sheet.folders else f"{key}-{slug(folder)}"
            document["folders"][word] = folder or "."
            keys[folder] = word
    if "." in keys:
        keys.setdefault("", keys["."])
    taken = {need.id for need in sheet.need}
    lines = [line for draft in drafts for line in ("", *need_lines(draft, keys, taken))]
    return tomlkit.dumps(document).rstrip("\n") + "\n" + "\n".join(lines) + "\n"


class KnownEmulator(Struct, frozen=True):
    """What the catalogues hold: sheets, heads of rosters with the number of sets, and what could not be used."""

    sheets: list[Sheet]
    rosters: list[tuple[RosterHead, int, str]]
    mistakes: tuple[Mistake, ...]


def read_known(catalogue: Catalogue, folders: list[Path]) -> KnownEmulator:
    """What some folders hold, whose sheets are loaded already; of rosters the head is read, the lines are counted."""
    rosters, mistakes = [], list(catalogue.mistakes)
    for folder in folders:
        for path in sorted(folder.glob(f"[!.]*{ROSTER_ENDING}")) if os.path.isdir(folder) else ():
            try:
                with open_regular(path) as stream:
                    lines = sum(block.count(b"\n") for block in iter(lambda: stream.read(1 << 20), b""))
                rosters.append((read_head(path), lines - 1, str(path)))
            except (OSError, msgspec.MsgspecError) as error:
                mistakes.append(Mistake(str(path), "", f"cannot be used: {error}"))
    return KnownEmulator([sheet for _, sheet in sorted(catalogue.sheets.items())], rosters, tuple(mistakes))


def proofs_of(sheet: Sheet) -> Counter[str]:
    """How many contents are known by which strongest digest."""
    accepts = [accept for need in sheet.need for part in need.parts() for accept in part.accept]
    keys = [key for need in sheet.need for key in need.key]
    proofs = Counter(accept.strongest() or "no digest" for accept in accepts)
    proofs.update("fingerprint" if key.sha256 else "no fingerprint" for key in keys)
    return proofs
