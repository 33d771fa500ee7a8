"""Building the Lighthouse Games Room in an empty folder."""

from __future__ import annotations

import gzip
import hashlib
import io
import os
import tarfile
import zipfile
from collections.abc import Mapping
from pathlib import Path

from gribble.core.base.errors import GribbleError, reason_of
from gribble.core.catalogue.sheets import write_checksums
from gribble.core.records.sheet import ManifestFile
from gribble.demo.annex import annex_files
from gribble.demo.arcade import arcade_files, tabletop_files
from gribble.demo.discs import disc_files
from gribble.demo.lists import list_files
from gribble.demo.sheets import content, key_file, noise, room_config, room_sheets

_WHEN = 1_000_000_000
"""Every made-up file dates from then (seconds since 1970)."""

_ZIP_WHEN = (1998, 3, 1, 12, 0, 0)

DESK = {1: "desk.dat", 2: "icons/boat.pic", 3: "icons/buoy.pic", 4: "icons/gull.pic", 5: "sounds/bell.snd"}
"""The files of the Fulmar's desk."""

_RIGS = {
    "rigs/lighthouse/sandpiper/boot/tern8.rom": "tern8-b",
    "rigs/lighthouse/sandpiper/boot/TERN16.ROM": "tern16-c",
    "rigs/lighthouse/sandpiper/drive/drive.rom": "drive-debug",
    "rigs/lighthouse/sandpiper/carts/cartridge from the attic.bin": "test-cart",
    "rigs/lighthouse/apps/dunlin/System/lumen.bin": "tern8-b",
    "rigs/lighthouse/apps/dunlin/System/letters.bin": "lumen-charset",
    "rigs/lighthouse/apps/dunlin/System/lumdisk.bin": "lumen-disk",
    "rigs/lighthouse/redshank/system/petrel.fw": "petrel-50",
    "rigs/lighthouse/redshank/system/petrel.slab": "petrel-disk",
    "rigs/lighthouse/curlew/bios/fulmar-us.rom": "fulmar-us",
    "rigs/lighthouse/curlew/bios/drive.old": "fulmar-drive",
    **{f"rigs/lighthouse/curlew/desk/{DESK[n]}": f"desk-{n}" for n in (1, 2, 3)},
    f"rigs/lighthouse/curlew/desk/{DESK[4]}": "help-1",
    **{f"rigs/lighthouse/curlew/help/page{n}.txt": f"help-{n}" for n in (1, 2, 3)},
    "rigs/stick/redshank/system/petrel.fw": "petrel-50",
    "rigs/stick/KNOT/SYSTEM/GANNET.FW": "gannet-20",
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
    "petrel/update 4.1.bin": "petrel-41",
    "fulmar/f_eu.bin": "fulmar-eu",
    "fulmar/voice_us.bin": "fulmar-voice-us",
    "fulmar/gull.pic": "desk-4",
}
"""Loose files in the drawer."""

_ARCHIVES: dict[str, dict[str, str | None]] = {
    "tern pack (complete).zip": {"FONTS/T16FNT.BIN": "tern16-font", "ROMS/TERN8.BIN": "tern8-b", "readme.txt": None},
    "LUMEN_BIOS_EU.ZIP": {"LUMEN1.ROM": "lumen-eu"},
    "fulmar/voices.zip": {"VOICE.EU": "fulmar-voice-eu"},
    "fulmar/desk sounds.zip": {"bell.snd": "desk-5"},
    "misnamed archive.rom": {"inside.bin": "drive-2"},
}
"""Zips in the drawer: member and what it is (None: something unknown)."""


def build_world(folder: Path, handheld_port: int | None = None) -> None:
    """Build the whole world in a folder, which must be empty or absent. Raises GribbleError.

    With a port the handheld belongs to it, whose card is the world's folder `handheld`, to be served there.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if any(folder.iterdir()):
            raise GribbleError(
                f"{folder} is not empty", fix="Name another folder: gribble demo FOLDER, or remove it first."
            )
        for path, data in _files():
            write_made(folder / path, data)
        if handheld_port is not None:
            for path, data in _handheld().items():
                write_made(folder / "handheld" / path, data)
            write_made(folder / "gribble.toml", room_config(handheld_port).encode())
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


def _settings() -> dict[str, str]:
    """The emulators' own settings files on the rigs."""
    return {
        "lighthouse/sandpiper/sandpiper.ini": "; Sandpiper\r\n[paths]\r\ntern8_rom = sandpiper/boot/tern8.rom\r\n"
        "tern16_rom = sandpiper/boot 2025/tern16.rom  ; moved?\r\ncarts = sandpiper/carts 2025\r\n"
        "\r\n[screen]\r\nscale = 2\r\n",
        "lighthouse/apps/dunlin/dunlin.toml": "# Dunlin\n[roms]\nboot = '../../sandpiper/boot/tern8.rom'  # which?\n",
        "lighthouse/redshank/redshank.json": '{\n  "system": { "firmware": "system/petrel-3.fw", "volume": 7 }\n}\n',
        "lighthouse/curlew/curlew.ini": "[paths]\nboot_rom = curlew/bios/fulmar-us.rom\n",
        "lighthouse/curlew/curlew.yaml": "desk:\n  folder: ./desk   # as it comes\n",
        "lighthouse/curlew/voice.xml": "<curlew>\n  <!-- the voice -->\n  <voice><rom>bios/speech.rom</rom></voice>\n"
        "</curlew>\n",
        "stick/WHIMBREL/WHIMBREL.YAML": "machine:\n  boot: /home/ada/stick/VESPER.BIN\n  screen: green\n",
        "stick/redshank/redshank.json": '{"system": {"firmware": "/media/stick/redshank/system/petrel.fw"}}\n',
        "stick/KNOT/KNOT.TOML": '[system]\nfirmware = "SYSTEM/GANNET.FW"\n',
        "stick/KNOT/KNOT.XML": "<knot><device firmware='/media/stick/KNOT/SYSTEM/GANNET.FW'/></knot>\n",
        "stick/KNOT/KNOT.JSON": '{"paths": ["KNOT/SYSTEM/GANNET.FW"]}\n',
    }


def _games() -> dict[str, bytes]:
    """Game folders on the rigs."""

    def game(name: str, size: int = 2_000) -> bytes:
        return noise(f"game {name}", size)

    def crate(id_: str) -> bytes:
        return b"CRTE" + id_.encode().ljust(12, b"\0") + game(id_)

    def update(id_: str, version: str) -> bytes:
        return b"UPDT" + id_.encode().ljust(12, b"\0") + version.encode().ljust(8, b"\0") + game(id_ + version)

    disks, reels = "lighthouse/curlew/disks", "stick/KNOT/REELS"
    return {
        "lighthouse/redshank/games/harbour.crate": crate("PTR-00017"),
        "lighthouse/redshank/games/PTR-00017.tag": game("licence", 64),
        "lighthouse/redshank/games/harbour 1.2.update": update("PTR-00017", "1.2"),
        "lighthouse/redshank/games/harbour 1.10.update": update("PTR-00017", "1.10"),
        "lighthouse/redshank/games/PTR-00099.tag": game("old licence", 64),
        "lighthouse/redshank/games/tide pool.crate": crate("PTR-00021"),
        "lighthouse/redshank/games/pier.sealed": game("pier"),
        f"{disks}/Fulmar - Herring Run/herring run.tdf": game("herring"),
        f"{disks}/Fulmar - Herring Run/read me.txt": b"Joystick in port 2.\n",
        f"{disks}/sandbar.tdf": game("sandbar"),
        f"{disks}/Kelp Maze/kelp maze.tdf": game("kelp"),
        f"{disks}/Fulmar - Groyne/groyne.chd": game("groyne"),
        f"{disks}/Fulmar - Lugworm/lugworm.zip": _zip({}, {"lugworm.tdf": game("lugworm")}),
        f"{disks}/Fulmar - Big Wave/big wave.tdf": game("wave", 9_001),
        f"{reels}/crab.zip": _zip({}, {"crab.reel": game("crab")}),
        f"{reels}/eel.reel": game("eel"),
        f"{reels}/crab.slip": game("crab slip", 40),
        f"{reels}/crab.tag": game("crab tag", 40),
        f"{reels}/gull.slip": game("gull slip", 40),
    }


def _handheld() -> dict[str, bytes]:
    """What is on the handheld: its card, and a folder beside it that is none of Gribble's business."""
    return {
        "card/sandpiper/boot/tern sixteen.rom": content("tern16-c"),
        "card/sandpiper/drive/drive.rom": content("drive-debug"),
        "card/sandpiper/carts/limpet.car": noise("limpet", 40_000),
        "card/sandpiper/carts/kelp forest.car": noise("kelp forest", 60_000),
        "card/sandpiper/sandpiper.ini": b"[paths]\ntern16_rom = /mnt/old card/tern16.rom\n"
        b"carts = /mnt/card/sandpiper/carts\n",
        "card/music/foghorn.ogg": noise("foghorn", 90_000),
        "settings/owner.txt": b"If found, bring it to the lighthouse.\n",
    }


def _key_files() -> dict[str, bytes]:
    """Key files on the rigs and in the drawer; the values are as made up as everything else."""
    return {
        "rigs/lighthouse/redshank/system/petrel.keys": key_file("seal_a", "seal_b", "tide"),
        "rigs/stick/redshank/system/petrel.keys": key_file("seal_a", seal_b=noise("wrong", 16).hex()),
        "rigs/stick/KNOT/SYSTEM/GANNET.KEYS": key_file("lid"),
        "drawer/petrel/keys from Ada.txt": key_file("tide", "seal_a", "seal_b", "seal_c", other_machine="00ff"),
        "drawer/petrel/half.keys": key_file("seal_b", seal_c="not hex at all"),
    }


def _manifests() -> dict[str, str]:
    """The checksum lists beside Curlew's sheet, one in each of two forms."""
    desk = [
        ManifestFile(name=name, sha256=hashlib.sha256(content(f"desk-{n}")).hexdigest()) for n, name in DESK.items()
    ]
    pages = ((n, hashlib.md5(content(f"help-{n}"), usedforsecurity=False).hexdigest()) for n in (1, 2, 3))
    return {
        "fulmar-desk.sha256": write_checksums(desk),
        "fulmar-help.md5": "".join(f"MD5 (page{n}.txt) = {digest}\n" for n, digest in pages),
    }


def _files() -> list[tuple[str, bytes]]:
    """Every file of the world and its bytes."""
    files = [("gribble.toml", room_config().encode())]
    files += [(f"catalogue/{name}.sheet.toml", text.encode()) for name, text in room_sheets().items()]
    files += [(path, content(name)) for path, name in _RIGS.items()]
    files += [(f"catalogue/{name}", text.encode()) for name, text in _manifests().items()]
    files += [(f"rigs/{path}", text.encode()) for path, text in _settings().items()]
    files += [(f"rigs/{path}", data) for path, data in _games().items()]
    files += _key_files().items()
    files += arcade_files().items()
    files += tabletop_files().items()
    files += list_files().items()
    files += annex_files().items()
    files += disc_files().items()
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


def build_small(folder: Path, made: Mapping[str, bytes], *empty: str) -> Path:
    """Build a small world: files by their paths in its `folder`, and folders that are `empty`. Raises GribbleError."""
    try:
        for path, data in made.items():
            write_made(folder / path, data)
        for path in empty:
            (folder / path).mkdir(parents=True)
    except OSError as error:
        raise GribbleError(f"{folder} cannot be written: {reason_of(error)}", fix="Name another folder.") from error
    return folder


def write_made(path: Path, data: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
    os.utime(path, (_WHEN, _WHEN))
