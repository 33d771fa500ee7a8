"""The rig in the annex, whose device is particular: exact names, files that change, locks, strict folders."""

from __future__ import annotations

import hashlib

from gribble.core.catalogue.sheets import write_checksums
from gribble.core.records.sheet import ManifestFile
from gribble.demo.sheets import content, noise

_RIG = {
    "system/sander.rom": "sander-open",
    "system/sound.rom": "sander-sound",
    "system/FONT.ROM": "sander-font",
    "menus/menu the older.rom": "menu-19",
    "menus/menu the newer.rom": "menu-110",
    "firmware/base.part": "firmware-1",
    "firmware/drivers.part": "firmware-2",
    "firmware/drivers-1.part": "firmware-old",
    "pages/first.txt": "page-1",
    "pages/second.txt": "page-2",
}
_DRAWER = {
    "sound lock.bin": "sound-lock",
    "voice 1.9.bin": "voice-19",
    "voice 1.10.bin": "voice-110",
    "card fresh.img": "sander-card",
}


def annex_files() -> dict[str, bytes]:
    """Every file of the annex, and what the drawer and the catalogue have for it."""

    def tagged(kind: str, id_: str) -> bytes:
        return kind.encode() + id_.encode().ljust(12, b"\0") + noise(f"{kind} {id_}", 300)

    rig = {path: content(name) for path, name in _RIG.items()}
    rig["system/disk.img"] = content("sander-disk")[:-64] + noise("a saved game", 64)
    rig["system/card.img"] = b""
    rig["games/skiff.crate"], rig["tags/whatever.tag"] = tagged("CRTE", "SND-00001"), tagged("TAGS", "SND-00001")
    rig["games/ketch.crate"] = tagged("CRTE", "SND-00002")
    lists = {
        "sander-firmware": {"base.part": "firmware-1", "drivers.part": "firmware-2"},
        "sander-pages": {"first.txt": "page-1", "second.txt": "page-2"},
    }
    return {
        **{f"rigs/annex/godwit/{path}": data for path, data in rig.items()},
        **{f"drawer/sanderling/{path}": content(name) for path, name in _DRAWER.items()},
        "drawer/sanderling/ketch, old.tag": tagged("TAGS", "SND-00002"),
        **{f"catalogue/{name}.sha256": _checksums(files).encode() for name, files in lists.items()},
    }


def _checksums(files: dict[str, str]) -> str:
    return write_checksums(
        [ManifestFile(name=name, sha256=hashlib.sha256(content(what)).hexdigest()) for name, what in files.items()]
    )
