"""Looking through folders for track sheets, playlists and disc images, and checking each."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from gribble.core.discs.check import BARE, IMAGES, Checked, check_sheet, folded_paths, kind_of, lone_images
from gribble.core.discs.images import Volume, image_faults, read_volume
from gribble.core.discs.sheets import MAX_SHEET_BYTES, DiscSheet, Fault, read_sheet
from gribble.core.errors import reason_of
from gribble.core.paths import fold, join, parent
from gribble.core.survey.walking import Skipped, walk


def check_folder(root: Path, skipped: list[Skipped], only: str = "") -> Iterator[Checked]:
    """Every sheet and image below a folder, paths relative to it; what cannot be read is `skipped`.

    With `only`, the one file of that path, against all that lies around it. Sheets come first in each folder.
    """
    sizes: dict[str, int] = {}
    for folder in walk(root):
        skipped += folder.skipped
        sizes.update((entry.path, entry.size) for entry in folder.files)
    folded = folded_paths(sizes)
    named: set[str] = set()
    for path in sizes:
        kind = kind_of(path)
        if not kind:
            continue
        sheet = _read(root / path, kind)
        targets = [join(parent(path), file.name.replace("\\", "/")) for file in sheet.files]
        named.update(fold(target) for target in targets)
        if only in ("", path):
            yield check_sheet(path, sheet, sizes, folded)
    named_paths = frozenset(path for path in sizes if fold(path) in named)
    lone = {checked.path: checked for checked in lone_images(sizes, named_paths)}
    for path, size in sizes.items():
        if not path.lower().endswith(IMAGES) or only not in ("", path):
            continue
        volume = _volume(root / path)
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
    paths = []
    for folder in walk(root):
        skipped += folder.skipped
        paths += [entry.path for entry in folder.files]
    named = {
        fold(join(parent(path), file.name))
        for path in paths
        if kind_of(path) in ("cue", "gdi")
        for file in _read(root / path, kind_of(path)).files
    }
    return [path for path in paths if fold(path) not in named]


def _read(path: Path, kind: str) -> DiscSheet:
    try:
        with path.open("rb") as stream:
            return read_sheet(kind, stream.read(MAX_SHEET_BYTES + 1))
    except OSError as error:
        fault = Fault(fault="no-sheet", reason=f"cannot be read: {reason_of(error)}")
        return DiscSheet(kind=kind, files=(), faults=(fault,))


def _volume(path: Path) -> Volume | None:
    try:
        with path.open("rb") as stream:

            def read(at: int, length: int) -> bytes:
                stream.seek(at)
                return stream.read(length)

            return read_volume(read)
    except OSError:
        return None
