"""Capturing: a sheet written from a setup that works. Pure: what is there is read beforehand."""

from __future__ import annotations

import os
import re
from collections import Counter
from collections.abc import Iterable
from pathlib import Path
from typing import Any, NamedTuple

import msgspec
from msgspec import Struct, structs

from gribble.core.answers.merging import append, places_of, with_needs
from gribble.core.base.digests import Digests
from gribble.core.base.errors import Mistake
from gribble.core.base.paths import base, fold, is_text, join, lies_below, parent, path_fault
from gribble.core.base.regular import open_regular
from gribble.core.catalogue.ranges import concerns, release_fault
from gribble.core.catalogue.rosters import ROSTER_ENDING, read_head
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.catalogue.writing import Draft, DraftSheet, slug, split_place, write_sheet
from gribble.core.records.keyfile import KeyFile
from gribble.core.records.roster import RosterHead
from gribble.core.records.sheet import Accept, Key, Level, Need, Sheet

SETTINGS_ENDINGS = (
    ".ini", ".cfg", ".conf", ".toml", ".json", ".xml", ".yaml", ".yml", ".log", ".txt", ".md", ".htm", ".html", ".pdf",
)  # fmt: skip
"""Files with these endings change, or are for people: they are left out unless they are named."""

WRITTEN_TO = "If the emulator itself writes to the file, write changes = true instead"
IMAGE_ENDINGS = (".img", ".raw", ".hdd", ".dsk", ".disk")
"""Files with these endings may be disks that the emulator writes to."""

MANY = 12
"""So many files in one folder are one need with a checksum list."""
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
    """What became of the files: the sheet's new text, and counts of what is new in it and what it knew already. `own`
    is the folder of the setup in which the sheet begins, `outside` are files that do not are in it; `lists` are the
    checksum lists that go beside the sheet, by name."""

    text: str
    needs: int
    accepts: int
    known: int
    own: str = ""
    outside: tuple[str, ...] = ()
    lists: dict[str, str] = {}


def why_left_out(path: str, size: int) -> str:
    """Why a file of the setup is not what an emulator needs as far as its name tells; empty if it may be."""
    name = fold(base(path))
    if name.endswith(SETTINGS_ENDINGS):
        return "settings, or text for people"
    if name.startswith("."):
        return "hidden"
    if size > LARGEST_BYTES:
        return f"larger than {LARGEST_BYTES >> 20} MiB, so probably a game"
    return "empty" if size == 0 else ""


def sheet_fault(path: str) -> str | None:
    """Why a sheet cannot name a file, or None."""
    return path_fault(path) if is_text(path) else "has a name that is not UTF-8"


def new_sheet(files: Iterable[FoundFile], emulator: str, release: str) -> Captured:
    """A sheet with every file, its folders relative to the one in which all of them lie: one need for each content,
    further copies as `also`."""
    files = list(files)
    own = _common(files)
    below = [structs.replace(file, path=_below(file.path, own)) for file in files]
    many, single = _many(below)
    lists = {f"{emulator}-{slug(folder)}.sha256": group for folder, group in many.items()}
    drafts = [_draft_of_many(name, folder) for name, folder in zip(lists, many, strict=True)] + _drafts(single)
    remarks = [f"Captured from a setup of {emulator} {release} that works. What only a person knows is marked."]
    text = write_sheet(DraftSheet(emulator=emulator, release=release, needs=drafts, remarks=remarks))
    accepts = sum(len(draft.accepts) for draft in drafts)
    texts = {name: _checksums(many[folder], folder) for name, folder in zip(lists, many, strict=True)}
    return Captured(text, len(drafts), accepts, 0, own, lists=texts)


def _many(files: list[FoundFile]) -> tuple[dict[str, list[FoundFile]], list[FoundFile]]:
    """The folders in which so many files lie that a checksum list says it better, with these; and all other files."""
    folders: dict[str, list[FoundFile]] = {}
    for file in files:
        folders.setdefault(parent(file.path), []).append(file)
    many = {
        folder: group for folder, group in folders.items() if len(group) >= MANY and not any(one.keys for one in group)
    }
    return many, [file for file in files if parent(file.path) not in many]


def _draft_of_many(list_: str, folder: str) -> Draft:
    return Draft(id=list_.removesuffix(".sha256"), name="", folder=folder, also=[], manifest=list_)


def _checksums(files: Iterable[FoundFile], folder: str) -> str:
    """A checksum list as `sha256sum` writes it, of files below a folder."""
    return "".join(f"{file.digests.sha256}  {_below(file.path, folder)}\n" for file in files)


def _common(files: list[FoundFile]) -> str:
    """The folder in which all of some files lie."""
    return join(os.path.commonpath([f"/{parent(file.path)}" for file in files]))


def _below(path: str, folder: str) -> str:
    return path[len(folder) :].lstrip("/")


def _captured_in(sheet: Sheet, files: list[FoundFile]) -> str:
    """The folder of a setup in which a sheet begins: the one below which most files lie where the sheet has them."""
    places = places_of(sheet)
    first = "" if sheet.own_folder else _common(files)
    above = [parent(file.path).split("/") for file in files]
    folders = dict.fromkeys("/".join(parts[:depth]) for parts in above for depth in range(len(parts) + 1))

    def known(folder: str) -> int:
        below = (file.path for file in files if not folder or file.path.startswith(f"{folder}/"))
        return sum(fold(_below(path, folder)) in places for path in below)

    return max((first, *folders), key=known)


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
                Key(name=label, bytes=entry.bytes, sha256=entry.sha256, level=_key_level(label))
                for label, entry in file.keys.entries.items()
                if not entry.fault and not entry.conflicting and entry.bytes >= SHORTEST_KEY_BYTES
            ]
        else:
            draft.accepts = [_accept(file)]
            draft.changes = fold(file.path).endswith(IMAGE_ENDINGS)
        drafts[content if not file.keys else file.path] = draft
    return list(drafts.values())


def _key_level(name: str) -> Level:
    """A key that is called by a number of many digits is one of a single title, which nothing else waits for."""
    return Level.EXTRA if re.search(r"[0-9A-Fa-f]{8}", name) else Level.MUST


def _accept(file: FoundFile) -> Accept:
    return structs.replace(Accept(size=file.size), **file.digests.known())


class Ranges(NamedTuple):
    """The releases that new contents of a sheet concern, and those that its contents of before do; empty for all."""

    new: str = ""
    before: str = ""


def ranges_of(sheet: Sheet, release: str) -> Ranges | None:
    """Which contents concern which releases, where a sheet is extended by a setup of another one than it was written
    for: what works from now on, and what did up to it. None if the sheet does not tell which is the older."""
    if sheet.release == release:
        return Ranges()
    if not sheet.release or release_fault(release, sheet.order) or release_fault(sheet.release, sheet.order):
        return None
    if concerns(f">={release}", sheet.release, sheet.order):  # the captured one is the older
        return Ranges(f"<={release}", f">{release}")
    return Ranges(f">={release}", f"<{release}")


def extended(text: str, sheet: Sheet, files: Iterable[FoundFile], release: str, ranges: Ranges) -> Captured:
    """An existing sheet's text with the contents that it did not know. Comments and order stay.

    At a place that the sheet knows they become new accepts, elsewhere new needs; the files of a folder of which the
    sheet has a checksum list become one need with a list of its own. What is new concerns the releases of the `ranges`,
    and so do the contents of before in whose place it comes.
    """
    import tomlkit

    document: Any = tomlkit.parse(text)
    files = list(files)
    places, own = places_of(sheet), _captured_in(sheet, files)
    outside = tuple(file.path for file in files if own and not file.path.startswith(f"{own}/"))
    kept = [structs.replace(one, path=_below(one.path, own)) for one in files if one.path not in outside]
    drafts, lists, known = _of_lists(document, sheet, kept, release, ranges)
    listed = [join(sheet.folders[need.folder]) for need in sheet.need if need.file]
    kept = [one for one in kept if not any(lies_below(one.path, folder) for folder in listed)]
    fresh = [one for one in kept if fold(one.path) not in places and not _is_accepted(one, sheet.need)]
    new = 0
    for file in (one for one in kept if fold(one.path) in places):
        number = places[fold(file.path)]
        new += _extend(document["need"][number], sheet.need[number], file, release, ranges)
    known += len(kept) - len(fresh) - new
    for draft in _drafts(fresh):
        draft.releases = ranges.new
        drafts.append(draft)
    changed = tomlkit.dumps(document)
    if drafts:
        changed = with_needs(changed, sheet, drafts)
    accepts = new + sum(len(draft.accepts) for draft in drafts)
    return Captured(changed, len(drafts), accepts, known, own, outside, lists)


def _is_accepted(file: FoundFile, needs: Iterable[Need]) -> bool:
    """Whether a file is a content that some needs accept."""
    return any(accept.agrees(file.digests) for need in needs for accept in need.accept)


def _extend(table: Any, need: Need, file: FoundFile, release: str, ranges: Ranges) -> bool:
    """Add to a need's table what a file at its place says and it does not; whether that is anything."""
    if need.key:
        known = {key.name for key in need.key}
        more = [key for key in _drafts([file])[0].keys if key.name not in known]
        for key in more:  # the sheet did without them, so they are extras
            append(table, "key", {**_known_of(key), "level": "extra"})
        return bool(more)
    if need.changes or any(content.agrees(file.digests) for content in (*need.accept, *need.reject)):
        return False
    _bound(table.get("accept", []), ranges.before)
    content = {"size": file.size, **file.digests.known(), **({"releases": ranges.new} if ranges.new else {})}
    append(table, "accept", content, f"fill in: label; seen working with release {release}. {WRITTEN_TO}")
    return True


def _of_lists(
    document: Any, sheet: Sheet, files: list[FoundFile], release: str, ranges: Ranges
) -> tuple[list[Draft], dict[str, str], int]:
    """A need with a checksum list of its own for each folder of which the sheet has one and in which other files lie
    now; and how many files were known."""
    drafts, lists, known = [], {}, 0
    for number, need in enumerate(sheet.need):
        folder = join(sheet.folders[need.folder])
        there = [file for file in files if need.file and lies_below(file.path, folder)]
        agree = [file for file in there if _is_listed(need, _below(file.path, folder), file)]
        known += len(agree)
        if len(agree) == len(there):
            continue
        _bound([document["need"][number]], ranges.before)
        name = f"{need.id}-{slug(release)}.sha256"
        lists[name] = _checksums(there, folder)
        draft = _draft_of_many(name, folder)
        draft.releases, draft.title, draft.level, draft.kind = ranges.new, need.title, need.level, need.kind
        drafts.append(draft)
    return drafts, lists, known


def _is_listed(need: Need, path: str, file: FoundFile) -> bool:
    return any(fold(one.name) == fold(path) and one.agrees(file.digests) for one in need.file)


def _bound(tables: Iterable[Any], releases: str) -> None:
    """Let some tables of a sheet concern only some releases, but those that say themselves which."""
    for table in tables if releases else ():
        if "releases" not in table:
            table["releases"] = releases


def _known_of(key: Key) -> dict[str, Any]:
    return {name: value for name in ("name", "bytes", "sha256") if (value := getattr(key, name)) is not None}


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
