"""Whether what a track sheet says holds: its files against those that are there. Pure, but for parts of files."""

from __future__ import annotations

import posixpath
import re
from collections.abc import Iterable, Iterator, Mapping
from itertools import pairwise

from gribble.core.base.paths import base, climb_fault, fold, join, parent
from gribble.core.discs.playlists import disc_of, one_title
from gribble.core.discs.sheets import RAW_BYTES, SUBCHANNEL_BYTES, DiscSheet, SheetFile
from gribble.core.records.discs import Checked, DiscFault

ENDINGS = {
    ".cue": "cue",
    ".gdi": "gdi",
    ".ccd": "ccd",
    ".m3u": "m3u",
    ".m3u.txt": "m3u",
    ".cue.txt": "cue",
    ".gdi.txt": "gdi",
}
"""The kinds of sheets by their endings; what is saved with a further .txt is told."""
_ABSOLUTE = re.compile(r"[A-Za-z]:|[/\\]")
IMAGES = (".bin", ".img", ".raw", ".iso")
BARE = (".bin", ".img", ".raw")
"""Images that do not work without a sheet."""


def kind_of(path: str) -> str:
    """The kind of sheet by its ending; empty for another file."""
    lower = path.lower()
    return next((kind for ending, kind in ENDINGS.items() if lower.endswith(ending)), "")


def folded_paths(paths: Iterable[str]) -> dict[str, str]:
    """Paths by their folded form, by which one that differs in case is found; put in order once for many sheets."""
    folded: dict[str, str] = {}
    for path in paths:
        folded.setdefault(fold(path), path)
    return folded


def check_sheet(
    path: str, sheet: DiscSheet, sizes: Mapping[str, int], folded: Mapping[str, str], *, folds_case: bool = False
) -> Checked:
    """A sheet against the files that are there; `path` and the keys of `sizes` (in bytes) are below one root.

    `folded` are the same paths by their folded form; on a volume that folds case any of their spellings will do.
    """
    faults = list(sheet.faults)
    if path.lower().endswith(".txt"):
        right = path[: -len(".txt")]
        remedy = f"rename it to {base(right)}" if right not in sizes else f"{base(right)} is there as well; keep one"
        faults.append(DiscFault(fault="ending", reason="has the extra ending .txt", remedy=remedy))
    for file in sheet.files:
        faults += _file_faults(path, sheet, file, sizes, folded, folds_case)
    faults += _order_faults(sheet)
    if any(fault.fault == "no-sheet" for fault in faults):
        return Checked(path=path, verdict="imposter", findings=tuple(faults))
    return Checked(path=path, verdict="damaged" if faults else "sound", findings=tuple(faults))


def _file_faults(
    path: str,
    sheet: DiscSheet,
    file: SheetFile,
    sizes: Mapping[str, int],
    folded: Mapping[str, str],
    folds_case: bool,
) -> Iterator[DiscFault]:
    where = f"line {file.line}: "
    if is_absolute(file.name):
        beside = absolute_beside(path, file.name, sizes)
        remedy = f"write {beside} instead" if beside else ""
        reason = f"{where}has an absolute path, which other machines do not have"
        yield DiscFault(fault="absolute", file=file.name, reason=reason, remedy=remedy)
        return
    if fault := climb_fault(_inward(file.name) if sheet.kind == "m3u" else file.name):
        yield DiscFault(fault="leaves-folder", file=file.name, reason=f"{where}the name {fault}")
        return
    target = named_by(path, sheet.kind, file.name)
    if target == path:
        yield DiscFault(fault="lists-itself", file=file.name, reason=f"{where}it lists itself")
        return
    if folds_case:
        target = folded.get(fold(target), target)
    if target not in sizes:
        there = folded.get(fold(target))
        if there:
            right = there.rpartition("/")[2]
            reason = f"{where}is called {right}, with other capitals"
            yield DiscFault(fault="other-case", file=file.name, reason=reason, remedy=f"write {right} instead")
        else:
            yield DiscFault(fault="missing", file=file.name, reason=f"{where}is not there")
        return
    yield from _track_faults(file, sizes[target], sheet.kind)
    if sheet.kind == "ccd":
        yield from _ccd_faults(file, target, sizes)


def named_by(path: str, kind: str, name: str) -> str:
    """Where the file lies that a sheet names. A playlist's may lie outside the root, at `../…`."""
    if kind != "m3u":
        return join(parent(path), name)
    return posixpath.normpath(posixpath.join(parent(path), name.replace("\\", "/")))


def _inward(name: str) -> str:
    """A playlist's entry without the steps up: playlists often lie in a folder of their own."""
    return "/".join(part for part in name.replace("\\", "/").split("/") if part != "..")


def is_absolute(name: str) -> bool:
    """Whether a name in a sheet is an absolute path, of whatever system."""
    return _ABSOLUTE.match(name.strip()) is not None


def absolute_beside(path: str, name: str, sizes: Mapping[str, int]) -> str:
    """The file of an absolute path's last name that is beside a sheet; empty if there is none."""
    last = name.strip().replace("\\", "/").rpartition("/")[2]
    return last if last and join(parent(path), last) in sizes else ""


def _order_faults(sheet: DiscSheet) -> Iterator[DiscFault]:
    """Discs of one title that a playlist lists in another order than their numbers."""
    names = [file.name.replace("\\", "/") for file in sheet.files] if sheet.kind == "m3u" else []
    discs = one_title([disc for name in names if (disc := disc_of(name))])
    lines = {file.name.replace("\\", "/"): file for file in sheet.files}
    for first, second in pairwise(discs):
        if first.title == second.title and second.place < first.place:
            file = lines[second.path]
            reason = f"line {file.line}: comes after {base(first.path)}, but its number is lower"
            yield DiscFault(fault="order", file=file.name, reason=reason)


def _track_faults(file: SheetFile, size: int, kind: str) -> Iterator[DiscFault]:
    """Tracks against the length of their file: sectors that do not divide it, places that overlap or are outside."""
    if not file.tracks:
        return
    sectors = {track.sector_bytes for track in file.tracks}
    if len(sectors) == 1 and (sector := next(iter(sectors))) and size % sector:
        reason = f"has {size:,} bytes, which is not a whole number of sectors of {sector:,} bytes. Was it cut short?"
        yield DiscFault(fault="length", file=file.name, reason=reason)
    if kind != "cue" or not all(sectors):
        return
    before = -1
    place = 0
    last = 0
    for number, track in enumerate(file.tracks):
        if track.start <= before:
            reason = f"line {track.line}: track {track.number} begins before track {track.number - 1} does"
            yield DiscFault(fault="overlap", file=file.name, reason=reason)
            return
        if number:
            place += (track.start - last) * file.tracks[number - 1].sector_bytes
        else:
            place = track.start * track.sector_bytes
        if place >= size:
            reason = f"line {track.line}: track {track.number} begins after the end of the file"
            yield DiscFault(fault="length", file=file.name, reason=reason)
            return
        before = last = track.start


def _ccd_faults(file: SheetFile, target: str, sizes: Mapping[str, int]) -> Iterator[DiscFault]:
    """The length of a ccd sheet's image, and of the file of subchannels beside it, if there is one."""
    held = sizes[target] // RAW_BYTES
    if held < file.sectors:
        reason = f"is too short: the disc needs {file.sectors:,} sectors, but the file has {held:,}"
        yield DiscFault(fault="length", file=file.name, reason=reason)
    beside = f"{target.rpartition('.')[0]}.sub"
    if beside in sizes and sizes[beside] != held * SUBCHANNEL_BYTES:
        wanted = f"{held * SUBCHANNEL_BYTES:,}: {SUBCHANNEL_BYTES} for each of {held:,} sectors"
        reason = f"has {sizes[beside]:,} bytes; it should have {wanted}"
        yield DiscFault(fault="length", file=base(beside), reason=reason)


def lone_images(paths: Mapping[str, int], named: frozenset[str]) -> Iterator[Checked]:
    """Images that need a sheet and that no sheet names."""
    for path in paths:
        if path.lower().endswith(BARE) and path not in named:
            reason = "no track sheet names this image, and it does not work without one"
            yield Checked(
                path=path, verdict="unproven", findings=(DiscFault(fault="no-sheet-for-it", file=path, reason=reason),)
            )
