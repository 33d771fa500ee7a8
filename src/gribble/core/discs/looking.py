"""Looking through folders for track sheets, playlists and disc images, and checking each."""

from __future__ import annotations

import errno
import os
from collections.abc import Callable, Container, Iterable, Iterator, Mapping
from pathlib import Path

from msgspec import structs

from gribble.core.base.budget import TRACKS_BYTES
from gribble.core.base.errors import reason_of
from gribble.core.base.paths import base, fold, folders_above, join, parent
from gribble.core.base.regular import open_regular
from gribble.core.discs.check import BARE, IMAGES, check_sheet, folded_paths, kind_of, lone_images, named_by
from gribble.core.discs.images import COMPRESSED, Volume, check_compressed, image_faults, read_volume
from gribble.core.discs.mending import Around, mend_sheet, sheet_for
from gribble.core.discs.sheets import DiscSheet, read_sheet
from gribble.core.files.discheaders import HEADER_BYTES
from gribble.core.records.discs import MENDS, Checked, DiscFault, Mended
from gribble.core.records.holding import Skipped
from gribble.core.survey.walking import walk

PartReader = Callable[[str, int, int], bytes]
"""Gives some bytes of a file by path, offset and length, fewer where it ends before. Raises OSError, for a folder
IsADirectoryError. A path may lead out of the root, as `../…`: a playlist may name anything."""


def sizes_below(root: Path, skipped: list[Skipped]) -> dict[str, int]:
    """The files below a folder and their sizes in bytes; what cannot be read is `skipped`."""
    sizes: dict[str, int] = {}
    for folder in walk(root):
        skipped += folder.skipped
        sizes.update((entry.path, entry.size) for entry in folder.files)
    return sizes


def reader_below(root: Path) -> PartReader:
    """What reads the files of a folder of this machine."""

    def read(path: str, offset: int, length: int) -> bytes:
        if os.path.isdir(root / path):
            raise no_such_part(path, is_folder=True)
        with open_regular(root / path) as stream:
            stream.seek(offset)
            return stream.read(length)

    return read


def no_such_part(path: str, *, is_folder: bool) -> OSError:
    """What a `PartReader` raises for what is not there, or is a folder."""
    number = errno.EISDIR if is_folder else errno.ENOENT
    return OSError(number, os.strerror(number), path)


class _Looked:
    """The sheets among some files, read, and the images that no sheet names. `sizes` are those of all files, and of
    what playlists name that is there (as 0): folders, and what is beyond the root."""

    def __init__(self, sizes: Mapping[str, int], reader: PartReader) -> None:
        self.folded = folded_paths(sizes)
        self.sheets: dict[str, tuple[DiscSheet, bytes]] = {}
        named, listed = set[str](), set[str]()
        for path in sizes:
            if kind := kind_of(path):
                self.sheets[path] = sheet, _ = _read(reader, path, kind)
                found = [named_by(path, kind, file.name.replace("\\", "/")) for file in sheet.files]
                named.update(found)
                listed.update(found if kind == "m3u" else ())
        absent = listed.difference(sizes)
        folders = folders_above(sizes) if absent else set[str]()
        there = (path for path in absent if path in folders or (path.startswith("../") and _is_there(reader, path)))
        self.sizes = {**sizes, **dict.fromkeys(there, 0)}
        folded = set(map(fold, named))
        self.named = frozenset(path for path in sizes if fold(path) in folded)


def check_files(
    sizes: Mapping[str, int], reader: PartReader, only: str = "", *, folds_case: bool = False
) -> Iterator[Checked]:
    """Every sheet and image among some files, of which paths and sizes (in bytes) are given. Sheets come first.

    With `only`, the one file of that path, against all that lies around it; `folds_case` says what their volume does.
    """
    looked = _Looked(sizes, reader)
    mends = {one.before: one for one in _mends(looked, only) if one.before}
    for path, (sheet, _) in looked.sheets.items():
        if only in ("", path):
            checked = check_sheet(path, sheet, looked.sizes, looked.folded, folds_case=folds_case)
            yield _with_remedies(checked, mends[path]) if path in mends else checked
    named = looked.named | _to_be_named(mends.values(), sizes)
    lone = {checked.path: checked for checked in lone_images(sizes, named)}
    for path in sizes:
        if only not in ("", path):
            continue
        if path.lower().endswith(COMPRESSED):
            yield check_compressed(path, sizes[path], _start(reader, path))
        if path.lower().endswith(IMAGES) and (image := _check_image(path, sizes, reader, named, lone.get(path))):
            yield image


def _check_image(
    path: str, sizes: Mapping[str, int], reader: PartReader, named: Container[str], lone: Checked | None
) -> Checked | None:
    """One image, of which `lone` says that no sheet names it; None where its sheet says all that there is to say."""
    volume = _volume(reader, path)
    faults = tuple(image_faults(path, sizes[path], volume))
    label = f"{volume.label} ({volume.system})" if volume and volume.system else volume.label if volume else ""
    if faults:
        return Checked(path=path, verdict="damaged", findings=faults, label=label)
    if lone:
        new = sheet_for(path, sizes[path], volume, sizes)
        remedy = f"{MENDS} writes {base(new.path)}" if new else ""
        findings = tuple(structs.replace(fault, remedy=remedy, mends=bool(new)) for fault in lone.findings)
        return Checked(path=path, verdict="unproven", findings=findings, label=label)
    if path in named and path.lower().endswith(BARE):
        return None
    return Checked(path=path, verdict="sound" if volume else "unproven", label=label)


def mend_files(sizes: Mapping[str, int], reader: PartReader, only: str = "") -> list[Mended]:
    """The sheets among some files that can be put right beyond doubt, and those that lack for lone images."""
    looked = _Looked(sizes, reader)
    mends = list(_mends(looked, only))
    for checked in lone_images(sizes, looked.named | _to_be_named(mends, sizes)):
        if only in ("", checked.path):
            new = sheet_for(checked.path, sizes[checked.path], _volume(reader, checked.path), sizes)
            mends += [new] if new else []
    return mends


def _to_be_named(mends: Iterable[Mended], sizes: Mapping[str, int]) -> frozenset[str]:
    """The images that a sheet names once it is mended."""
    used = {fold(join(parent(one.path), name)) for one in mends for name in one.names.values()}
    return frozenset(path for path in sizes if fold(path) in used)


def _mends(looked: _Looked, only: str) -> Iterator[Mended]:
    around = Around(looked.sizes, looked.folded, looked.named)
    for path, (sheet, data) in looked.sheets.items():
        mended = mend_sheet(path, sheet, data, around) if only in ("", path) else None
        if mended is not None:
            yield mended


def _with_remedies(checked: Checked, mended: Mended) -> Checked:
    """A sheet's findings with what mending would do about each."""
    findings = []
    for fault in checked.findings:
        if fault.file in mended.names:
            remedy = f"{MENDS} corrects it to {mended.names[fault.file]}"
            fault = structs.replace(fault, remedy=remedy, mends=True)
        elif fault.fault in ("byte-order-mark", "encoding", "ending") and not fault.remedy:
            fault = structs.replace(fault, remedy=f"{MENDS} corrects it", mends=True)
        findings.append(fault)
    return structs.replace(checked, findings=tuple(findings))


def could_be_discs(paths: Iterable[str], reader: PartReader) -> list[str]:
    """Of some files those that could be discs: all but those that a track sheet names."""
    paths = list(paths)
    named = {
        fold(join(parent(path), file.name))
        for path in paths
        if kind_of(path) in ("cue", "gdi")
        for file in _read(reader, path, kind_of(path))[0].files
    }
    return [path for path in paths if fold(path) not in named]


def _read(reader: PartReader, path: str, kind: str) -> tuple[DiscSheet, bytes]:
    try:
        data = reader(path, 0, TRACKS_BYTES + 1)
        return read_sheet(kind, data, base(path)), data
    except OSError as error:
        fault = DiscFault(fault="no-sheet", reason=f"cannot be read: {reason_of(error)}")
        return DiscSheet(kind=kind, files=(), faults=(fault,)), b""


def _is_there(reader: PartReader, path: str) -> bool:
    try:
        reader(path, 0, 1)
    except IsADirectoryError:
        return True
    except OSError:
        return False
    return True


def _start(reader: PartReader, path: str) -> bytes:
    try:
        return reader(path, 0, HEADER_BYTES)
    except OSError:
        return b""


def _volume(reader: PartReader, path: str) -> Volume | None:
    try:
        return read_volume(lambda at, length: reader(path, at, length))
    except OSError:
        return None
