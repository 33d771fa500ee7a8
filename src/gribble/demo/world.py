"""Building the Lighthouse Games Room in an empty folder."""

from __future__ import annotations

import gzip
import io
import os
import tarfile
import zipfile
from pathlib import Path

from msgspec import Struct

from gribble.core.errors import GribbleError, reason_of
from gribble.demo.contents import content, noise, with_digests
from gribble.demo.sheets import CONFIG, SHEETS

_WHEN = 1_000_000_000
"""Every made-up file dates from then (seconds since 1970)."""

_ZIP_WHEN = (1998, 3, 1, 12, 0, 0)


class Fault(Struct, frozen=True):
    """One thing seeded in the world, with the verdict it must get: `remedy` is what would put it right."""

    rig: str
    emulator: str
    need: str
    verdict: str
    remedy: str
    story: str


FAULTS = (
    Fault("lighthouse", "sandpiper", "tern8-boot", "sound", "none", "in its place, under its name"),
    Fault("lighthouse", "sandpiper", "tern16-boot", "astray", "place", "in capitals, and its second place is empty"),
    Fault("lighthouse", "sandpiper", "tern16-font", "astray", "place", "zipped, under another name"),
    Fault("lighthouse", "sandpiper", "tern-drive", "imposter", "replace", "a debug revision renamed to look right"),
    Fault("lighthouse", "sandpiper", "tern-clock", "missing", "obtain", "nobody here has it"),
    Fault("lighthouse", "sandpiper", "tern-test", "sound", "none", "any name will do"),
    Fault("lighthouse", "dunlin", "lumen-boot", "imposter", "replace", "really another machine's boot ROM"),
    Fault("lighthouse", "dunlin", "lumen-us", "missing", "obtain", "a gap that the volunteers accept"),
    Fault("lighthouse", "dunlin", "lumen-charset", "unproven", "none", "the sheet gives no digest"),
    Fault("lighthouse", "dunlin", "lumen-disk", "astray", "place", "in another folder of the rig"),
    Fault("stick", "whimbrel", "vesper-boot", "misnamed", "rename", "in lower case, which the stick forgives"),
    Fault("stick", "whimbrel", "vesper-sound", "missing", "obtain", "nobody here has it"),
    Fault("stick", "whimbrel", "vesper-bank-a", "imposter", "replace", "swapped with bank B"),
    Fault("stick", "whimbrel", "vesper-bank-b", "imposter", "replace", "swapped with bank A"),
)
"""Every need on the rigs with its expected verdict, written by hand."""

_RIGS = {
    "rigs/lighthouse/sandpiper/boot/tern8.rom": "tern8-b",
    "rigs/lighthouse/sandpiper/boot/TERN16.ROM": "tern16-c",
    "rigs/lighthouse/sandpiper/drive/drive.rom": "drive-debug",
    "rigs/lighthouse/sandpiper/carts/cartridge from the attic.bin": "test-cart",
    "rigs/lighthouse/apps/dunlin/System/lumen.bin": "tern8-b",
    "rigs/lighthouse/apps/dunlin/System/letters.bin": "lumen-charset",
    "rigs/lighthouse/apps/dunlin/System/lumdisk.bin": "lumen-disk",
    "rigs/stick/WHIMBREL/SYSTEM/vesper.bin": "vesper",
    "rigs/stick/WHIMBREL/SYSTEM/BANK-A.BIN": "vesper-bank-b",
    "rigs/stick/WHIMBREL/SYSTEM/BANK-B.BIN": "vesper-bank-a",
}
"""Files on the rigs, and what they really are."""

_DRAWER = {
    "old backup/drv_rev2.bin": "drive-2",
    "old backup/drv_rev2 (copy).bin": "drive-2",
    "old backup/T8.ROM": "tern8-b",
    "Tern 16 rev D.bin": "tern16-d",
    "vesper NEW!!.bin": "vesper-debug",
}
"""Loose files in the drawer."""

_ARCHIVES: dict[str, dict[str, str | None]] = {
    "tern pack (complete).zip": {"FONTS/T16FNT.BIN": "tern16-font", "ROMS/TERN8.BIN": "tern8-b", "readme.txt": None},
    "LUMEN_BIOS_EU.ZIP": {"LUMEN1.ROM": "lumen-eu"},
    "misnamed archive.rom": {"inside.bin": "drive-2"},
}
"""Zips in the drawer: member and what it is (None: something unknown)."""


def build_world(folder: Path) -> None:
    """Build the whole world in a folder, which must be empty or absent. Raises GribbleError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if any(folder.iterdir()):
            raise GribbleError(
                f"{folder} is not empty", fix="Name another folder: gribble demo FOLDER, or remove this one first."
            )
        for path, data in _files():
            _write(folder / path, data)
    except OSError as error:
        raise GribbleError(f"{folder} cannot be written: {reason_of(error)}", fix="Name another folder.") from error


def _files() -> list[tuple[str, bytes]]:
    """Every file of the world and its bytes."""
    files = [("gribble.toml", CONFIG.encode())]
    files += [(f"catalogue/{name}.sheet.toml", with_digests(text).encode()) for name, text in SHEETS.items()]
    files += [(path, content(name)) for path, name in _RIGS.items()]
    files += [("rigs/lighthouse/sandpiper/boot/notes from Ada.txt", b"Do not touch the red switch.\n")]
    files += [(f"drawer/{path}", content(name)) for path, name in _DRAWER.items()]
    files += [(f"drawer/{path}", _zip(members)) for path, members in _ARCHIVES.items()]
    files += [(f"drawer/photos/beach {number}.jpg", noise(f"photo {number}", 3_000)) for number in range(1, 6)]
    broken = _zip({"LUMEN.ROM": "lumen-us"})
    files.append(("drawer/broken download.zip", broken[: len(broken) // 2]))
    nested = _zip({"drivers.txt": None}, {"font/t16.tar.xz": _tar_xz({"t16 font.bin": "tern16-font"})})
    files.append(("drawer/pack of packs.zip", nested))
    files.append(("drawer/old backup/T8.ROM.gz", gzip.compress(content("tern8-b"), mtime=0)))
    files.append(("drawer/big set.7z.001", noise("first part", 2_000)))
    files.append(("drawer/locked.zip", _locked(_zip({"secret.rom": "clock"}))))
    return files


def _tar_xz(members: dict[str, str]) -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w:xz") as archive:
        for name, what in members.items():
            info = tarfile.TarInfo(name)
            info.size = len(content(what))
            archive.addfile(info, io.BytesIO(content(what)))
    return buffer.getvalue()


def _locked(data: bytes) -> bytes:
    """A zip whose members are marked as encrypted, in the local and the central header."""
    marked = bytearray(data)
    for header, flags in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        marked[marked.index(header) + flags] |= 1
    return bytes(marked)


def _zip(members: dict[str, str | None], more: dict[str, bytes] | None = None) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, what in members.items():
            data = content(what) if what else noise(name, 700)
            archive.writestr(zipfile.ZipInfo(name, _ZIP_WHEN), data)
        for name, data in (more or {}).items():
            archive.writestr(zipfile.ZipInfo(name, _ZIP_WHEN), data)
    return buffer.getvalue()


def _write(path: Path, data: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
    os.utime(path, (_WHEN, _WHEN))
