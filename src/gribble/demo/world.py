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
    Fault("lighthouse", "avocet", "skerry-boot", "damaged", "mend", "with a copier's header"),
    Fault("lighthouse", "avocet", "skerry-font", "damaged", "mend", "padded to a round size"),
    Fault("lighthouse", "avocet", "skerry-menu", "damaged", "mend", "twice over"),
    Fault("lighthouse", "avocet", "skerry-sound", "damaged", "mend", "bytes swapped in pairs"),
    Fault("lighthouse", "avocet", "skerry-video", "damaged", "mend", "even bytes first, odd bytes after"),
    Fault("lighthouse", "avocet", "skerry-logic", "damaged", "mend", "in place, with its last bytes lost"),
    Fault("lighthouse", "avocet", "skerry-bank", "damaged", "mend", "two halves in two files"),
    Fault("lighthouse", "avocet", "skerry-tiles", "damaged", "mend", "even and odd bytes in two files"),
    Fault("lighthouse", "avocet", "skerry-tape", "damaged", "mend", "through a text-mode transfer"),
    Fault("lighthouse", "avocet", "skerry-lock", "astray", "place", "the key file itself"),
    Fault("lighthouse", "avocet", "skerry-secret", "damaged", "mend", "locked by the key file"),
    Fault("lighthouse", "avocet", "skerry-clock", "damaged", "mend", "in place, with one flipped bit"),
    Fault("lighthouse", "avocet", "skerry-disk", "damaged", "replace", "in place, cut short; a whole one is held"),
    Fault("lighthouse", "avocet", "skerry-modem", "imposter", "obtain", "in place, a web page"),
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


_PAGE = b"<!DOCTYPE html>\n<title>The Lighthouse Games Room</title>\n<p>That file is not here.</p>\n"


def _damaged() -> dict[str, bytes]:
    """Near misses of every kind, in the drawer and on the PC."""
    sound, video, bank, tiles = (content(f"skerry-{part}") for part in ("sound", "video", "bank", "tiles"))
    key, clock = content("skerry-lock"), content("skerry-clock")
    pairs = b"".join(sound[at : at + 2][::-1] for at in range(0, len(sound), 2))
    locked = bytes(byte ^ key[at % len(key)] for at, byte in enumerate(content("skerry-secret")))
    drawer = {
        "SKERRY.COPIER": noise("copier", 512) + content("skerry-boot"),
        "skf.bin": content("skerry-font").ljust(16_384, b"\xff"),
        "skm x2.bin": content("skerry-menu") * 2,
        "sks.swp": pairs,
        "skv.bin": video[0::2] + video[1::2],
        "skb.1": bank[: len(bank) // 2],
        "skb.2": bank[len(bank) // 2 :],
        "skt.even": tiles[0::2],
        "skt.odd": tiles[1::2],
        "skerry-tape.txt": content("skerry-tape").replace(b"\n", b"\r\n"),
        "skl.key": key,
        "sksec.locked": b"LOCKED" + locked,
        "whole disk.bin": content("skerry-disk"),
    }
    place = {
        "skerry-logic.rom": content("skerry-logic").rstrip(b"\0"),
        "skerry-clock.rom": clock[:1000] + bytes([clock[1000] ^ 4]) + clock[1001:],
        "skerry-disk.rom": content("skerry-disk")[:20_000],
        "skerry-modem.rom": _PAGE,
    }
    return {
        **{f"drawer/skerry/{name}": data for name, data in drawer.items()},
        **{f"rigs/lighthouse/avocet/rom/{name}": data for name, data in place.items()},
    }


def _files() -> list[tuple[str, bytes]]:
    """Every file of the world and its bytes."""
    files = [("gribble.toml", CONFIG.encode())]
    files += [(f"catalogue/{name}.sheet.toml", with_digests(text).encode()) for name, text in SHEETS.items()]
    files += [(path, content(name)) for path, name in _RIGS.items()]
    files += _damaged().items()
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
