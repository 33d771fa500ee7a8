"""The rig in the annex, whose device is particular: exact names, files that change, locks, strict folders."""

from __future__ import annotations

import hashlib

from gribble.core.catalogue.checksums import write_checksums
from gribble.core.records.sheet import ManifestFile
from gribble.demo.contents import content, noise

GODWIT = """\
sheet = 1
emulator = "godwit"
title = "Godwit"
machines = ["Sanderling"]

[folders]
system = "godwit/system"
menus = "godwit/menus"
firmware = "godwit/firmware"
pages = "godwit/pages"
games = "godwit/games"
tags = "godwit/tags"
updates = "godwit/updates"

[root]
exact_names = true

[[need]]
id = "sander-boot"
title = "Sanderling boot ROM"
kind = "bios"
level = "must"
folder = "system"
name = "sander.rom"

[[need.accept]]
label = "open"
@sander-open

[[need.accept]]
label = "locked"
requires = ["sander-lock"]
@sander-locked

[[need]]
id = "sander-lock"
title = "Key file of the locked boot ROM"
kind = "data"
level = "extra"
folder = "system"
name = "sander.lock"

[[need.accept]]
@sander-lock

[[need]]
id = "sander-sound"
title = "Sanderling sound ROM"
kind = "bios"
level = "must"
folder = "system"
name = "sound.rom"

[[need.accept]]
label = "locked"
requires = ["sound-lock"]
@sander-sound

[[need]]
id = "sound-lock"
title = "Key file of the locked sound ROM"
kind = "data"
level = "extra"
folder = "system"
name = "sound.lock"

[[need.accept]]
@sound-lock

[[need]]
id = "sander-font"
title = "Sanderling font ROM"
kind = "bios"
level = "must"
why = "Without its letters the device shows a black screen."
folder = "system"
name = "font.rom"

[[need.accept]]
@sander-font

[[need]]
id = "sander-menu"
title = "Sanderling menu"
kind = "bios"
level = "must"
folder = "menus"
name = "menu.rom"
any_name = true

[[need.accept]]
version = "1.9"
@menu-19

[[need.accept]]
version = "1.10"
@menu-110

[[need]]
id = "sander-voice"
title = "Sanderling voice ROM"
kind = "bios"
level = "must"
folder = "system"
name = "voice.rom"

[[need.accept]]
version = "1.9"
@voice-19

[[need.accept]]
version = "1.10"
@voice-110

[[need]]
id = "sander-disk"
title = "Sanderling hard disk"
kind = "image"
level = "must"
folder = "system"
name = "disk.img"
changes = true

[[need.accept]]
label = "fresh"
@sander-disk

[[need]]
id = "sander-card"
title = "Sanderling memory card"
kind = "image"
level = "better"
folder = "system"
name = "card.img"
changes = true

[[need.accept]]
label = "fresh"
@sander-card

[[need]]
id = "sander-firmware"
title = "Sanderling firmware"
kind = "firmware"
level = "must"
why = "Parts of two versions in one folder, and the device restarts over and over."
folder = "firmware"
manifest = "sander-firmware.sha256"
nothing_else = true

[[need]]
id = "sander-pages"
title = "Sanderling help pages"
kind = "data"
level = "extra"
folder = "pages"
manifest = "sander-pages.sha256"
nothing_else = true

[[media]]
folder = "games"
accepts = [".crate"]

[[pair]]                         # known by the id inside it, whatever the tag is called
folder = "games"
each = "*.crate"
wants = "{stem}.tag"
wants_folder = "tags"
id_at = { offset = 4, length = 12 }
wants_id_at = { offset = 4, length = 12 }
why = "without its tag a game is shown, but does not start"

[[pair]]                         # a game without an update alarms nobody
folder = "games"
each = "*.crate"
wants = "{stem}.update"
wants_folder = "updates"
optional = true
"""

ANNEX = """
[rig.annex]                     # the hand-built machine in the annex
at = "rigs/annex"
volume = "fat32"

[rig.annex.emulators]
godwit = { release = "2", prefer = "newest" }
dotterel = "5"                  # the tabletop machine: none of its sets is wanted yet
"""

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
