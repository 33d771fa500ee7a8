"""Linting a catalogue: mistakes that keep a file from being used, and remarks on what is weak or doubtful."""

from __future__ import annotations

import os
import re
from collections import Counter
from collections.abc import Container, Iterable, Iterator, Mapping
from pathlib import Path
from typing import cast

from msgspec import Struct
from packaging.version import InvalidVersion, Version

from gribble.core.audit.judging.serving import claims_of, meetings
from gribble.core.base.errors import Mistake, reason_of
from gribble.core.base.paths import fold, hidden_part, join
from gribble.core.base.regular import MOST_TEXT, read_regular, text_of
from gribble.core.base.tables import Mistakes, read_toml
from gribble.core.catalogue.families import bios_of, family_of
from gribble.core.catalogue.ranges import concerns
from gribble.core.catalogue.rosters import ROSTER_ENDING, load_roster
from gribble.core.catalogue.sheets import SHEET_ENDING, correct, is_listed, load_any
from gribble.core.catalogue.writing import FILL_IN
from gribble.core.files.volumes import name_trouble
from gribble.core.placing.planfile import OWN_NAMES
from gribble.core.records.place import places_of
from gribble.core.records.roster import ArcadeSet, Roster, SetKind
from gribble.core.records.sheet import Accept, Corrections, Need, Reject, Sheet
from gribble.core.sayings.facts import say

LIST_ENDINGS = (".sha256", ".sha1", ".md5", ".sfv")
"""Endings of checksum lists."""

MOST_OF_A_ROSTER = 50
"""How many remarks on one roster are told."""


class Remark(Struct, frozen=True):
    """One thing found: file, key path or line, what is wrong, and whether the file cannot be used for it."""

    file: str
    where: str
    what: str
    mistake: bool = False

    def __str__(self) -> str:
        return ": ".join(part for part in (self.file, self.where, self.what) if part)


def mistakes_in(remarks: Iterable[Remark]) -> list[Mistake]:
    """Those of them that are mistakes."""
    return [Mistake(one.file, one.where, one.what) for one in remarks if one.mistake]


def lint(paths: Iterable[Path], beside: Iterable[Path] = ()) -> list[Remark]:
    """Everything found in some catalogue folders and files, which may correct sheets in folders `beside`. Pure but for
    reading them."""
    corrections: list[tuple[Path, Corrections]] = []
    found: list[Remark] = []
    sheets: list[tuple[str, Sheet]] = []
    sounding = set[str]()
    for path in paths:
        for file in _files(path, found):
            if file.name.endswith(ROSTER_ENDING):
                roster, mistakes = load_roster(file, strict=True)
                found += [Remark(one.file, one.where, one.what, True) for one in mistakes]
                found += _roster_remarks(roster) if roster else []
                if roster and any(one.samples for one in roster.sets.values()):
                    sounding.add(roster.head.emulator)
            elif file.name.endswith(SHEET_ENDING):
                sheet, mistakes = load_any(file)
                found += [Remark(one.file, one.where, one.what, True) for one in mistakes]
                if isinstance(sheet, Corrections):
                    corrections.append((file, sheet))
                elif sheet is not None:
                    found += _second_sheet(str(file), sheet, sheets)
                    sheets.append((str(file), sheet))
                    found += _sheet_remarks(str(file), sheet)
                    found += _marks(file)
        found += _unused_lists(path, [sheet for file, sheet in sheets if Path(file).parent == path])
    known = {**_sheets_in(beside), **{one.emulator: one for _, one in reversed(sheets)}}
    for file, ours in corrections:
        found += _correction_remarks(file, ours, known)
    return [*found, *_silent(sheets, sounding), *_contradictions(sheets), *_shared_places(sheets)]


def _silent(sheets: Iterable[tuple[str, Sheet]], sounding: Container[str]) -> Iterator[Remark]:
    """Sheets that do not say where sound samples are, of emulators that are `sounding`."""
    for file, one in sheets:
        if one.arcade is not None and not one.arcade.samples and one.emulator in sounding:
            what = "is missing: it names the folder of the sound samples that the sets play"
            yield Remark(file, "arcade.samples", what)


def _sheets_in(folders: Iterable[Path]) -> dict[str, Sheet]:
    """The sheets of some folders as they are written, not corrected; of two for one emulator, the first."""
    found: dict[str, Sheet] = {}
    for file in (file for folder in folders for file in sorted(folder.glob(f"*{SHEET_ENDING}"))):
        sheet, _ = load_any(file)
        if isinstance(sheet, Sheet):
            found.setdefault(sheet.emulator, sheet)
    return found


def _correction_remarks(file: Path, ours: Corrections, known: Mapping[str, Sheet]) -> Iterator[Remark]:
    """The mistakes of a sheet as it is corrected, and corrections that change nothing."""
    if ours.extends not in known:
        yield Remark(str(file), "extends", f'there is no sheet for "{ours.extends}" here, so nobody can check this')
        return
    _, mistakes = correct(file, ours, known)
    yield from (Remark(one.file, one.where, one.what, True) for one in mistakes)
    ids = {need.id for need in known[ours.extends].need}
    for number, gone in enumerate(ours.without):
        if gone not in ids:
            yield Remark(str(file), f"without[{number}]", f'"{gone}" is no need of {ours.extends}')


def _second_sheet(file: str, sheet: Sheet, before: list[tuple[str, Sheet]]) -> Iterator[Remark]:
    """That another folder has a sheet of the same emulator, which wins."""
    for other, known in before:
        if known.emulator == sheet.emulator and Path(other).parent != Path(file).parent:
            yield Remark(
                file, "emulator", f'"{sheet.emulator}" has another sheet already, and Gribble uses that one: {other}'
            )


def _files(path: Path, found: list[Remark]) -> list[Path]:
    if not os.path.isdir(path):
        return [path]
    try:
        files = sorted(one for one in path.iterdir() if is_listed(one.name, (SHEET_ENDING, ROSTER_ENDING)))
    except OSError as error:
        found.append(Remark(str(path), "", f"cannot be read: {reason_of(error)}", True))
        return []
    if not files:
        found.append(Remark(str(path), "", f"has no sheet (*{SHEET_ENDING}) and no roster (*{ROSTER_ENDING})"))
    return files


# Sheets


def _sheet_remarks(file: str, sheet: Sheet) -> Iterator[Remark]:
    for number, need in enumerate(sheet.need):
        where = f"need[{number}]"
        yield from (Remark(file, f"{where}{key}", what) for key, what in _need_remarks(sheet, need))
    unsized = [
        f"need[{number}].accept[{place}]"
        for number, need in enumerate(sheet.need)
        for place, accept in enumerate(need.accept)
        if accept.size is None and accept.strongest()
    ]
    if unsized:
        more = f", as {len(unsized) - 1} more" if len(unsized) > 1 else ""
        yield Remark(file, unsized[0], f"has no size{more}: without it damaged files are harder to find")
    for where, place in _places(sheet):
        for kind in sheet.root.volume or ("fat32",):
            if trouble := name_trouble(place, kind):
                yield Remark(file, where, f'"{place}" {trouble}')
    folded: dict[str, str] = {}
    for where, place in _places(sheet):
        if hidden_part(place)[0] or place.endswith(OWN_NAMES):
            yield Remark(
                file,
                where,
                f'"{place}" is hidden, or a file of Gribble itself: a plan does not write it unless you ask',
            )
        other = folded.setdefault(fold(place), place)
        if other != place:
            yield Remark(
                file,
                where,
                f'"{place}" and "{other}" are the same name on a volume that does not tell upper from lower case',
            )


def _places(sheet: Sheet) -> list[tuple[str, str]]:
    return [
        (f"need[{number}].{'file' if need.file else 'name'}", join(sheet.folders[need.folder], name))
        for number, need in enumerate(sheet.need)
        for name in ([part.name for part in need.parts()] if need.file else need.names)
    ]


def _need_remarks(sheet: Sheet, need: Need) -> Iterator[tuple[str, str]]:
    if not need.parts()[0].accept and not need.key:
        yield ".accept", "has no content: the file can only be unproven"
    yield from _accept_remarks(need)
    yield from _key_remarks(need)
    if need.machines == ():
        yield ".machines", "is empty, so no machine has this need and nothing can meet it"
    if not _meetable(need, sheet.order):
        yield ".releases", "has no content for any of its releases, so nothing can meet it"
    yield from _twin_remarks(need)


def _accept_remarks(need: Need) -> Iterator[tuple[str, str]]:
    """What weakens the contents that a need accepts."""
    for number, accept in enumerate(need.accept):
        strongest = accept.strongest()
        if strongest is None:
            yield f".accept[{number}]", "has no digest: the file can only be unproven"
        elif strongest == "crc32":
            yield f".accept[{number}]", "has only a CRC-32, which is weak proof"
        if accept.version and not any(map(str.isdigit, accept.version)):
            yield f".accept[{number}].version", f'"{accept.version}" has no number: prefer = "newest" cannot order it'
        for reject in need.reject:
            if strongest and accept.get(strongest) == reject.get(strongest):
                yield f".accept[{number}]", f"is rejected by the same need ({reject.label or 'no label'})"


def _key_remarks(need: Need) -> Iterator[tuple[str, str]]:
    """What a need says of keys and of files that change, and that says nothing."""
    if need.changes and need.key:
        yield ".changes", "has no effect: a key file does not change when it is used"
    elif need.changes and not any(accept.strongest() for accept in need.accept):
        yield ".changes", "has no effect: there is no digest of a new file"
    if need.key and not any(key.sha256 for key in need.key):
        yield ".key", "no key has a fingerprint: the file can only be unproven"


def _twin_remarks(need: Need) -> Iterator[tuple[str, str]]:
    """Contents that are accepted twice."""
    for word in ("crc32", "md5", "sha1", "sha256"):
        twins = [number for number, accept in enumerate(need.accept) if accept.get(word)]
        values = [need.accept[number].get(word) for number in twins]
        for place, value in enumerate(values):
            first = values.index(value)
            if first != place and need.accept[twins[first]].known() == need.accept[twins[place]].known():
                yield f".accept[{twins[place]}]", f"is the same content as accept[{twins[first]}]"


_VERSION = re.compile(r"[0-9][0-9A-Za-z.!+-]*")


def _meetable(need: Need, order: tuple[str, ...]) -> bool:
    """Whether some release that a need concerns has an accepted content; tried on, between and around all bounds."""
    if not need.accept:
        return True
    ranges = [need.releases, *(accept.releases for accept in need.accept)]
    if order:
        samples = list(order)
    else:
        bounds = {bound for text in ranges if text for bound in _VERSION.findall(text)}
        samples = ["0.0.1", "99999999", *(near for bound in bounds for near in _around(bound))]
    return any(
        concerns(need.releases, release, order) and any(concerns(a.releases, release, order) for a in need.accept)
        for release in samples
    )


def _around(bound: str) -> list[str]:
    """A version, one just before it and one just after."""
    try:
        release = Version(bound).release
    except InvalidVersion:
        return []
    low = [*release]
    while len(low) > 1 and low[-1] == 0:
        low.pop()
    before = [*low[:-1], max(low[-1] - 1, 0), 999]
    return [bound, f"{bound}.0.1" if bound[-1].isdigit() else bound, ".".join(map(str, before))]


def _marks(file: Path) -> Iterator[Remark]:
    """What a person still has to fill in: how many lines, by key; and what is assumed where nothing is said."""
    lines = list(enumerate(text_of(read_regular(file, MOST_TEXT)).splitlines(), start=1))
    marks = [(number, line.lstrip("# ").partition(" ")[0]) for number, line in lines if FILL_IN in line]
    if marks:
        tally = ", ".join(f"{key} ({count})" for key, count in Counter(key for _, key in marks).items())
        yield Remark(str(file), f"line {marks[0][0]}", f"from here on something is still to be filled in: {tally}")
    marked = {key for _, key in marks}
    tables = read_toml(file, Mistakes(str(file))) or {}
    for number, need in enumerate(tables.get("need", ())):
        for key, default in (("kind", "data"), ("level", "must")):
            if key not in need and key not in marked:
                yield Remark(str(file), f"need[{number}].{key}", f'is missing, so Gribble assumes "{default}"')


def _unused_lists(folder: Path, sheets: list[Sheet]) -> Iterator[Remark]:
    """Checksum lists that no need names."""
    if not os.path.isdir(folder):
        return
    named = {need.manifest for sheet in sheets for need in sheet.need}
    for path in sorted(folder.iterdir()):
        if path.suffix in LIST_ENDINGS and path.name not in named:
            yield Remark(str(path), "", "is not used by any need of a sheet here")


# Across sheets


def _contradictions(sheets: list[tuple[str, Sheet]]) -> Iterator[Remark]:
    """Contents that cannot both be right: the same CRC-32 and size, or the same SHA-1, and another digest differing."""
    seen: dict[tuple[str, str, int | None], tuple[str, Accept | Reject]] = {}
    for file, sheet in sheets:
        for number, need in enumerate(sheet.need):
            for name, contents in (("accept", need.accept), ("reject", need.reject)):
                for place, content in enumerate(cast(tuple[Accept | Reject, ...], contents)):
                    where = f"need[{number}].{name}[{place}]"
                    yield from _contradiction(file, where, content, seen)


def _contradiction(
    file: str,
    where: str,
    content: Accept | Reject,
    seen: dict[tuple[str, str, int | None], tuple[str, Accept | Reject]],
) -> Iterator[Remark]:
    for word, value in content.known().items():
        size = content.size if word == "crc32" else None
        first, other = seen.setdefault((word, value, size), (f"{file}: {where}", content))
        if other is content:
            continue
        for stronger, digest in content.known().items():
            if other.get(stronger) not in (None, digest):
                yield Remark(file, where, f"has the {word} of {first}, but another {stronger}")
                return
        if word != "crc32" and None not in (content.size, other.size) and content.size != other.size:
            yield Remark(file, where, f"has the {word} of {first}, but another size")
            return


def _shared_places(sheets: list[tuple[str, Sheet]]) -> Iterator[Remark]:
    """Names and aliases under which needs of one emulator, or of two, want contents that have nothing in common."""
    files = {sheet.emulator: (file, sheet) for file, sheet in sheets}
    claims = (
        claim
        for _, sheet in sheets
        if sheet.own_folder or len(sheets) == 1  # else its places are relative to where the emulator is on a rig
        for need in sheet.need
        for claim in claims_of(places_of(sheet.emulator, sheet.folders, need))
    )
    for other, claim in meetings(claims, folds_case=True):
        file, sheet = files[claim.place.emulator]
        number = next(number for number, need in enumerate(sheet.need) if need.id == claim.place.need.id)
        key = "aliases" if claim.alias else "name"
        what = f'"{claim.path}" is also {other.words}, with a different content'
        yield Remark(file, f"need[{number}].{key}", f"{what} ({files[other.place.emulator][0]})")


# Rosters


def _roster_remarks(roster: Roster) -> Iterator[Remark]:
    told = 0
    for name, what in lineage_faults(roster):
        told += 1
        if told <= MOST_OF_A_ROSTER:
            yield Remark(roster.path, f'set "{name}"', what)
    if told > MOST_OF_A_ROSTER:
        yield Remark(roster.path, "", f"and {told - MOST_OF_A_ROSTER:,} more of this kind")
    weak = sum(
        1
        for one in roster.sets.values()
        for file in one.files
        if file.state != "undumped" and file.strongest() in (None, "crc32")
    )
    if weak:
        yield Remark(roster.path, "", f"{weak:,} files have only a CRC-32 or no digest, which is weak proof")


def lineage_faults(roster: Roster) -> Iterator[tuple[str, str]]:
    """Sets whose family does not hold together, each with what is wrong; what it has from its parent is told there."""
    gaps = {name: family_of(roster, name).gaps for name in roster.sets}
    for one in roster.sets.values():
        inherited = gaps.get(one.parent, ()) if one.parent is not None else ()
        yield from ((one.set, say(gap)) for gap in gaps[one.set] if gap not in inherited)
        yield from ((one.set, gap) for gap in (*_file_gaps(roster, one), *_bios_gaps(roster, one), *_variant_gaps(one)))


def _bios_gaps(roster: Roster, one: ArcadeSet) -> Iterator[str]:
    """What is named as a BIOS set and is none."""
    if one.bios == one.set:
        yield "names itself as its BIOS set"
    elif (
        bios_of(one)
        and one.bios is not None
        and one.bios in roster.sets
        and roster.sets[one.bios].kind is not SetKind.BIOS
    ):
        yield f'its BIOS set "{one.bios}" is of kind {roster.sets[one.bios].kind}, so its files are not needed'


def _variant_gaps(one: ArcadeSet) -> Iterator[str]:
    """Variants that are listed and have no file, and those that files have and are not listed."""
    there = dict.fromkeys(file.variant for file in one.files if file.variant is not None)
    if one.kind is not SetKind.BIOS:
        return  # a game lists those of its BIOS set
    for number, name in enumerate(one.variants):
        if name not in there:
            yield f'its {"default " if not number else ""}variant "{name}" has no file'
    for name in there:
        if name not in one.variants:
            yield f'files have the variant "{name}", which is not listed'


def _file_gaps(roster: Roster, one: ArcadeSet) -> Iterator[str]:
    """Files that claim to be their parent's or BIOS set's, which has none of that name."""
    for word, relative, names in (
        ("parent", one.parent, [(file.name, file.parent_name) for file in one.files]),
        ("BIOS set", one.bios, [(file.name, file.bios_name) for file in one.files]),
    ):
        shared = [(name, theirs) for name, theirs in names if theirs is not None]
        if shared and relative is None:
            yield f"{shared[0][0]} should be in its {word}, but it has none"
        elif relative is not None and relative in roster.sets:
            there = {file.name for file in roster.sets[relative].files}
            for name, theirs in shared:
                if theirs not in there:
                    yield f'{name} is said to be "{theirs}" of its {word} {relative}, which has no such file'
