"""Looking through folders for track sheets, playlists and disc images, and checking each."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

from gribble.core.discs.check import BARE, IMAGES, Checked, check_sheet, folded_paths, kind_of, lone_images
from gribble.core.discs.images import Volume, image_faults, read_volume
from gribble.core.discs.sheets import MAX_SHEET_BYTES, DiscSheet, Fault, read_sheet
from gribble.core.errors import reason_of
from gribble.core.paths import fold, join, parent
from gribble.core.survey.walking import Skipped, walk

Reader = Callable[[str, int, int], bytes]
"""Gives some bytes of a file by path, offset and length, fewer where it ends before; may raise OSError."""


def check_folder(root: Path, skipped: list[Skipped], only: str = "") -> Iterator[Checked]:
    """Every sheet and image below a folder, paths relative to it; what cannot be read is `skipped`.

    With `only`, the one file of that path, against all that lies around it.
    """
    sizes: dict[str, int] = {}
    for folder in walk(root):
        skipped += folder.skipped
        sizes.update((entry.path, entry.size) for entry in folder.files)
    yield from check_files(sizes, reader_below(root), only)


def reader_below(root: Path) -> Reader:
    """What reads the files of a folder of this machine."""

    def read(path: str, offset: int, length: int) -> bytes:
        with (root / path).open("rb") as stream:
            stream.seek(offset)
            return stream.read(length)

    return read


def check_files(sizes: Mapping[str, int], reader: Reader, only: str = "") -> Iterator[Checked]:
    """The same for files that are listed already: their paths and sizes in bytes. Sheets come first."""
    folded = folded_paths(sizes)
    named: set[str] = set()
    for path in sizes:
        kind = kind_of(path)
        if not kind:
            continue
        sheet = _read(reader, path, kind)
        targets = [join(parent(path), file.name.replace("\\", "/")) for file in sheet.files]
        named.update(fold(target) for target in targets)
        if only in ("", path):
            yield check_sheet(path, sheet, sizes, folded)
    named_paths = frozenset(path for path in sizes if fold(path) in named)
    lone = {checked.path: checked for checked in lone_images(sizes, named_paths)}
    for path, size in sizes.items():
        if not path.lower().endswith(IMAGES) or only not in ("", path):
            continue
        volume = _volume(reader, path)
        faults = tuple(image_faults(path, size, volume))
        label = f"{volume.label} ({volume.system})" if volume and volume.system else volume.label if volume else ""
        if path in lone and not faults:
            yield Checked(path=path, verdict="unproven", findings=lone[path].findings, label=label)
        elif faults:
            yield Checked(path=path, verdict="damaged", findings=faults, label=label)
        elif path not in named_paths or not path.lower().endswith(BARE):
            yield Checked(path=path, verdict="sound" if volume else "unproven", label=label)


def discs_below(root: Path, skipped: list[Skipped]) -> list[str]:
    """The files below a folder that could be discs: all but those that a track sheet names."""
    paths, reader = [], reader_below(root)
    for folder in walk(root):
        skipped += folder.skipped
        paths += [entry.path for entry in folder.files]
    named = {
        fold(join(parent(path), file.name))
        for path in paths
        if kind_of(path) in ("cue", "gdi")
        for file in _read(reader, path, kind_of(path)).files
    }
    return [path for path in paths if fold(path) not in named]


def _read(reader: Reader, path: str, kind: str) -> DiscSheet:
    try:
        return read_sheet(kind, reader(path, 0, MAX_SHEET_BYTES + 1))
    except OSError as error:
        fault = Fault(fault="no-sheet", reason=f"cannot be read: {reason_of(error)}")
        return DiscSheet(kind=kind, files=(), faults=(fault,))


def _volume(reader: Reader, path: str) -> Volume | None:
    try:
        return read_volume(lambda at, length: reader(path, at, length))
    except OSError:
        return None
