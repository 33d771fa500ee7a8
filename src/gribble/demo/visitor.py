"""A visitor's own folder: what was downloaded, three emulators and three lists, and no gribble.toml yet."""

from __future__ import annotations

from pathlib import Path

from gribble.core.base.errors import GribbleError, reason_of
from gribble.demo.arcade import archive
from gribble.demo.contents import content
from gribble.demo.lists import list_files
from gribble.demo.world import write_made

FOLDER = "visitor"
"""Where it lies in the Lighthouse Games Room."""


def _files() -> dict[str, bytes]:
    return {
        "downloads/T8 (rev b).BIN": content("tern8-b"),
        "downloads/old/font16.rom": content("tern16-font"),
        "downloads/fulmar e.bin": content("fulmar-eu"),
        "downloads/plover-setup.exe": b"MZ",
        "downloads/whelk.zip": archive([(name, name) for name in ("whelk1.1a", "whelk2.2b")]),
        "emulators/plover/plover.ini": b"[paths]\nsystem = system\n",
        "emulators/plover/system/t8.rom": content("tern8-b")[:-9],
        "emulators/phalarope/phalarope.cfg": b"bios = bios\n",
        "emulators/phalarope/bios/put files here.txt": b"\n",
        "emulators/dotterel/sets/cuttle.zip": archive([("cuttle1.1a", "cuttle1.1a")]),
        **{f"lists/{name}": data for name, data in list_files().items()},
    }


def build_visitor(world: Path) -> Path:
    """Build the visitor's folder in the world's, and say where. Raises GribbleError."""
    visitor = world / FOLDER
    try:
        for path, data in _files().items():
            write_made(visitor / path, data)
    except OSError as error:
        raise GribbleError(f"{visitor} cannot be written: {reason_of(error)}", fix="Name another folder.") from error
    return visitor
