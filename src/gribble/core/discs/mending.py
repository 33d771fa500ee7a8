"""Mending track sheets: a file that was renamed is found again where case, length and track order leave no doubt.

What a sheet's new line rests on is told: another case, the only image left whose length fits, track numbers that fit
one to one, or a disc's title and number. Nothing is guessed: where two files would do, the sheet stays as it is.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Container, Iterable, Iterator, Mapping
from functools import cached_property

from gribble.core.base.paths import climb_fault, fold, parent
from gribble.core.discs.check import IMAGES, absolute_beside, is_absolute, kind_of, named_by
from gribble.core.discs.images import Volume
from gribble.core.discs.playlists import NamedDisc, disc_of, one_title
from gribble.core.discs.sheets import DiscSheet, SheetFile, decoded
from gribble.core.records.discs import Mended

_TRACK_NUMBER = re.compile(r"(?:track|trk|t)?[\s_.-]*0*(\d{1,2})\D*$", re.IGNORECASE)
POSTGAP = 150
"""Sectors that may lie behind the end of a volume: two seconds."""


class Around:
    """The files that lie around sheets, by what one that was renamed is found again by; put in order once for all."""

    def __init__(
        self,
        sizes: Mapping[str, int],
        folded: Mapping[str, str],
        named: Container[str],
    ) -> None:
        """`sizes` are all files by path, in bytes, `folded` the same paths by folded form, `named` all that a sheet
        names."""
        self.sizes = sizes
        self.folded = folded
        self.named = named
        self._images: dict[tuple[str, tuple[int, int] | None], list[str]] = {}
        self._numbered: dict[tuple[str, tuple[int, int] | None, int], list[str]] = {}
        for one in sizes:
            if one.lower().endswith(IMAGES) and one not in named:
                place = parent(one), _place(one)
                self._images.setdefault(place, []).append(one)
                self._numbered.setdefault((*place, _number(one)), []).append(one)

    def images(self, folder: str, file: SheetFile, number: int | None = None) -> list[str]:
        """The images of a folder that could be a missing one: of the same disc of several, and of a track number."""
        place = folder, _place(file.name)
        return self._images.get(place, []) if number is None else self._numbered.get((*place, number), [])

    def discs(self, folder: str, wanted: NamedDisc) -> list[str]:
        """The files of a folder that bear a disc's title and number."""
        return self._discs.get((folder, fold(wanted.title), wanted.place), [])

    @cached_property
    def _discs(self) -> dict[tuple[str, str, tuple[int, int]], list[str]]:
        found: dict[tuple[str, str, tuple[int, int]], list[str]] = {}
        for one in self.sizes:
            disc = disc_of(one.rpartition("/")[2]) if kind_of(one) != "m3u" else None
            if disc is not None:
                found.setdefault((parent(one), fold(disc.title), disc.place), []).append(one)
        return found


def mend_sheet(path: str, sheet: DiscSheet, data: bytes, around: Around) -> Mended | None:
    """A sheet put right as far as that is beyond doubt; None if there is nothing to change."""
    sizes = around.sizes
    if sheet.kind == "ccd" or any(fault.fault == "no-sheet" for fault in sheet.faults):
        return None  # a ccd names no file: its own name is theirs
    found = _found_names(path, sheet, around)
    text, changes = decoded(data), [f"line {line}: {name}, {why}" for line, (name, why) in sorted(found.items())]
    lines = text.splitlines(keepends=True)
    by_line = {file.line: file.name for file in sheet.files}
    for line, (name, _) in found.items():
        lines[line - 1] = _renamed(lines[line - 1], by_line[line], name, quote=sheet.kind != "m3u")
    text = "".join(lines)
    all_there = all(file.line in found or named_by(path, sheet.kind, file.name) in sizes for file in sheet.files)
    faults = {fault.fault for fault in sheet.faults}
    if "byte-order-mark" in faults:
        changes.append("without the byte-order mark")
    if "encoding" in faults:
        if not all_there:
            return None  # the encoding is guessed; only names that are found prove it
        changes.append("in UTF-8")
    right = path[: -len(".txt")] if path.lower().endswith(".txt") else path
    if right != path:
        if right in sizes or path in around.named:  # a playlist would not find it any more
            right = path
        else:
            changes.append("without the further ending .txt")
    if not changes:
        return None
    names = {by_line[line]: name for line, (name, _) in found.items()}
    return Mended(path=right, text=text, changes=tuple(changes), before=path, names=names)


def _found_names(path: str, sheet: DiscSheet, around: Around) -> dict[int, tuple[str, str]]:
    """The right name for each line that names a file wrongly, and why, as far as that is beyond doubt."""
    sizes = around.sizes
    found = dict(_in_other_case(path, sheet, sizes, around.folded))
    found.update(_beside(path, sheet, sizes))
    lost = (file for file in sheet.files if named_by(path, sheet.kind, file.name) not in sizes)
    missing = [file for file in lost if file.line not in found]
    if sheet.kind == "m3u":
        found.update(_discs(path, missing, around) if missing else _in_order(sheet, found))
    else:
        found.update(_images(parent(path), sheet, missing, around))
    return found


def sheet_for(image: str, size: int, volume: Volume | None, taken: Iterable[str]) -> Mended | None:
    """A cue sheet for an image that has none, where its one track is beyond doubt: its volume fills its raw sectors."""
    path = f"{image.rpartition('.')[0]}.cue"
    if volume is None or volume.sector_bytes != 2352 or size % 2352 or path in taken:
        return None
    if not volume.sectors <= size // 2352 <= volume.sectors + POSTGAP:
        return None  # more tracks behind it, or a part of it lacks
    name = image.rpartition("/")[2]
    if '"' in name:
        return None
    text = f'FILE "{name}" BINARY\n  TRACK 01 {volume.mode}\n    INDEX 01 00:00:00\n'
    return Mended(path=path, text=text, changes=("a track sheet with one track, which its volume fills",), before="")


def _renamed(line: str, old: str, new: str, *, quote: bool) -> str:
    """A line with another name in it, in quotation marks where it had them or needs them."""
    if f'"{old}"' in line:
        return line.replace(f'"{old}"', f'"{new}"', 1)
    before, _, after = line.rpartition(old)
    return f'{before}"{new}"{after}' if quote and " " in new else f"{before}{new}{after}"


def _in_other_case(
    path: str, sheet: DiscSheet, sizes: Mapping[str, int], folded: Mapping[str, str]
) -> Iterator[tuple[int, tuple[str, str]]]:
    folder = parent(path)
    for file in sheet.files:
        target = named_by(path, sheet.kind, file.name)
        there = folded.get(fold(target))
        if target in sizes or there is None or climb_fault(file.name.replace("\\", "/")):
            continue
        if not folder or there.startswith(f"{folder}/"):
            yield file.line, (there[len(folder) + bool(folder) :], "the name of the file")


def _beside(path: str, sheet: DiscSheet, sizes: Mapping[str, int]) -> Iterator[tuple[int, tuple[str, str]]]:
    """Files that are named by absolute paths and are beside the sheet."""
    for file in sheet.files:
        if is_absolute(file.name) and (name := absolute_beside(path, file.name, sizes)):
            yield file.line, (name, "a file beside it")


def _in_order(sheet: DiscSheet, found: Mapping[int, tuple[str, str]]) -> Iterator[tuple[int, tuple[str, str]]]:
    """The entries of a playlist in the order of their numbers, where all are discs of one title."""
    names = [found[file.line][0] if file.line in found else file.name for file in sheet.files]
    discs = one_title([disc for name in names if (disc := disc_of(name.replace("\\", "/")))])
    if len(discs) < len(names) or len({disc.title for disc in discs}) != 1:
        return
    ordered = [name for _, name in sorted(zip((disc.place for disc in discs), names, strict=True))]
    for file, name, right in zip(sheet.files, names, ordered, strict=True):
        if name != right:
            yield file.line, (right, "in the order of their numbers")


def _images(
    folder: str, sheet: DiscSheet, missing: list[SheetFile], around: Around
) -> Iterator[tuple[int, tuple[str, str]]]:
    """The images that missing ones of a cue or gdi sheet are now: by length alone where one is left, else by number."""
    ends = _ends(sheet)

    def fitting(file: SheetFile, number: int | None = None) -> list[str]:
        """One image that fits, or two where it could be several."""
        there = around.images(folder, file, number)
        fit = (one for one in there if _fits(sheet.kind, file, around.sizes[one], ends.get(file.line)))
        return list(itertools.islice(fit, 2))

    if len(missing) == 1 and len(left := fitting(missing[0])) == 1:
        yield missing[0].line, (left[0].rpartition("/")[2], "the only image left whose length fits")
        return
    chosen: dict[int, str] = {}
    for file in missing:
        numbered = fitting(file, file.tracks[0].number if file.tracks else 0)
        if len(numbered) != 1:
            return
        chosen[file.line] = numbered[0]
    if len(set(chosen.values())) == len(chosen) and len(chosen) > 1:
        for line, one in chosen.items():
            yield line, (one.rpartition("/")[2], "by its track number, and its length fits")


def _ends(sheet: DiscSheet) -> dict[int, int]:
    """The most sectors that a file of a gdi sheet can have, by line: the next track begins then."""
    if sheet.kind != "gdi":
        return {}
    starts = [(file.line, file.tracks[0].start) for file in sheet.files if file.tracks]
    return {line: after - start for (line, start), (_, after) in itertools.pairwise(starts)}


def _fits(kind: str, file: SheetFile, size: int, most: int | None) -> bool:
    """Whether a file of a length in bytes can be what a sheet says of one: in whole sectors, neither too short for its
    last track nor too long for the next file's first."""
    if not file.tracks or size == 0:
        return False
    sectors = {track.sector_bytes for track in file.tracks}
    if len(sectors) > 1 or not min(sectors) or size % min(sectors):
        return False
    held = size // min(sectors)
    last = max(track.start for track in file.tracks) if kind == "cue" else 0
    return held > last and (most is None or held <= most)


def _place(name: str) -> tuple[int, int] | None:
    """Which disc of several a file is, by its name: the image of another disc is not the one that lacks."""
    disc = disc_of(name)
    return disc.place if disc else None


def _number(path: str) -> int:
    """The track number at the end of a file's name; 0 for none."""
    match = _TRACK_NUMBER.search(path.rpartition("/")[2].rpartition(".")[0])
    return int(match[1]) if match else 0


def _discs(path: str, missing: list[SheetFile], around: Around) -> Iterator[tuple[int, tuple[str, str]]]:
    """The discs that missing entries of a playlist are now, by title and number."""
    for file in missing:
        wanted = disc_of(file.name.replace("\\", "/"))
        if wanted is None or "/" in file.name.replace("\\", "/"):
            continue
        same = around.discs(parent(path), wanted)
        same = [one for one in same if kind_of(one)] or same  # of a disc with a sheet the sheet
        if len(same) == 1:
            yield file.line, (same[0].rpartition("/")[2], "the same title and number")
