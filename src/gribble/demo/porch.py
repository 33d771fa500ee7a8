"""The porch: a small rig whose files come from a NAS that goes away, and a file that changes by itself."""

from __future__ import annotations

import os
from pathlib import Path

from gribble.demo.arcade import archive
from gribble.demo.lists import list_files
from gribble.demo.sheets import content
from gribble.demo.world import build_small

FOLDER = "porch"
"""Where it is in the Lighthouse Games Room."""

_CONFIG = """\
# The porch: one old terminal for visitors who wait for the ferry.
sources = [{ at = "nas/roms", name = "nas" }]     # the keeper switches it off at night
catalogues = ["../catalogue"]

[rig.terminal]
at = "terminal"

[rig.terminal.emulators.sandpiper]
release = "3.1"
machines = ["Tern 8"]
ignore = ["tern-clock", "tern-test"]
"""
_FILES = {
    "nas/roms/Tern/T8.ROM": "tern8-b",
    "nas/roms/Tern/drv_rev2.bin": "drive-2",
}
_INI = b"[paths]\ncarts = sandpiper/carts\n"


def build_porch(world: Path) -> Path:
    """Build the porch in the world's folder, and say where. Raises GribbleError."""
    made = {path: content(name) for path, name in _FILES.items()}
    made |= {"gribble.toml": _CONFIG.encode(), "terminal/sandpiper/sandpiper.ini": _INI}
    return build_small(world / FOLDER, made, "terminal/sandpiper/carts")


def switch_off(porch: Path) -> None:
    """The NAS goes away."""
    (porch / "nas").rename(porch / ".nas, switched off")


def switch_on(porch: Path) -> None:
    """The NAS is there again."""
    (porch / ".nas, switched off").rename(porch / "nas")


def rot(porch: Path) -> None:
    """A byte of the boot ROM that was placed changes, and its date does not."""
    place = porch / "terminal/sandpiper/boot/tern8.rom"
    status, data = place.stat(), bytearray(place.read_bytes())
    data[len(data) // 3] ^= 0x10
    with place.open("r+b") as stream:
        stream.write(data)
    os.utime(place, ns=(status.st_atime_ns, status.st_mtime_ns))


EVENTS = {"off": switch_off, "on": switch_on, "rot": rot}
"""What happens between the stops of the chapter."""


VISITOR = "visitor"
"""Where it is in the Lighthouse Games Room."""


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
    return build_small(world / VISITOR, _files())
