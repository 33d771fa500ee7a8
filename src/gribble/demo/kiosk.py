"""The kiosk: Bo's one emulator, and the sheets that Ada publishes."""

from __future__ import annotations

from pathlib import Path

from gribble.demo.sheets import content
from gribble.demo.world import build_small

FOLDER = "kiosk"
"""Where it is in the Lighthouse Games Room."""

_CONFIG = """\
# The kiosk: Bo has one emulator and follows the sheets of a friend.
sources = ["shelf"]
catalogues = []

[rig.kiosk]
at = "machine"

[rig.kiosk.emulators.sandpiper]
release = "3.1"
machines = ["Tern 8"]
ignore = ["tern-test"]
"""
_INI = b"[paths]\ncarts = sandpiper/carts\n"
_FILES = {
    "machine/sandpiper/boot/tern8.rom": "tern8-b",
    "machine/sandpiper/drive/drive.rom": "drive-2",
    "shelf/clock.bin": "clock",
}
SHEET = "ada/terns/sandpiper.sheet.toml"


def build_kiosk(world: Path) -> Path:
    """Build the kiosk in the world's folder, and say where. Raises GribbleError."""
    made = {path: content(name) for path, name in _FILES.items()}
    made |= {"gribble.toml": _CONFIG.encode(), "machine/sandpiper/sandpiper.ini": _INI}
    made[SHEET] = (world / "catalogue/sandpiper.sheet.toml").read_bytes()
    return build_small(world / FOLDER, made, "machine/sandpiper/carts")


def correct(kiosk: Path) -> None:
    """Ada has learned that a file is needed more than she thought."""
    sheet = kiosk / SHEET
    head, name, rest = sheet.read_text(encoding="utf-8").partition('id = "tern-clock"')
    sheet.write_text(head + name + rest.replace('level = "extra"', 'level = "must"', 1), encoding="utf-8")


EVENTS = {"correct": correct}
"""What happens between the stops of the chapter."""
