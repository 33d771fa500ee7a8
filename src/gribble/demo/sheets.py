"""The sheets and the configuration of the Lighthouse Games Room; `@name` lines stand for digests."""

from __future__ import annotations

from gribble.demo.annex import ANNEX, GODWIT
from gribble.demo.arcade import TURNSTONE
from gribble.demo.devices import CURLEW, KNOT, REDSHANK
from gribble.demo.tabletop import DOTTEREL

SANDPIPER = """\
sheet = 1
emulator = "sandpiper"
title = "Sandpiper"
machines = ["Tern 8", "Tern 16"]

[folders]
boot = "sandpiper/boot"
drive = "sandpiper/drive"
carts = "sandpiper/carts"

[[need]]
id = "tern8-boot"
title = "Tern 8 boot ROM"
kind = "bios"
level = "must"
machines = ["Tern 8"]
why = "The Tern 8 does not start without it."
folder = "boot"
name = "tern8.rom"

[[need.accept]]
label = "revision B"
region = "EU"
@tern8-b

[[need.reject]]
label = "debug revision"
why = "Stops at a blank screen."
@tern8-debug

[[need]]
id = "tern16-boot"
title = "Tern 16 boot ROM"
kind = "bios"
level = "must"
machines = ["Tern 16"]
why = "The Tern 16 does not start without it."
folder = "boot"
name = "tern16.rom"
aliases = ["Tern 16 Boot (Rev C).rom"]
also = [{ folder = "drive", name = "start/rom/tern16.rom" }]

[[need.accept]]
label = "revision C"
region = "EU"
releases = "<4"
@tern16-c

[[need.accept]]
label = "revision D"
region = "US"
releases = ">=3.2"
@tern16-d

[[need]]
id = "tern16-font"
title = "Tern 16 font ROM"
kind = "bios"
level = "better"
machines = ["Tern 16"]
why = "Without it the built-in letters are used, and two games show boxes."
folder = "boot"
name = "tern16.fnt"

[[need.accept]]
label = "only revision"
@tern16-font

[[need]]
id = "tern-drive"
title = "Disk drive ROM"
kind = "bios"
level = "must"
why = "No disk loads without it."
folder = "drive"
name = "drive.rom"

[[need.accept]]
label = "revision 2"
@drive-2

[[need.reject]]
label = "debug revision"
why = "Stops at a blank screen."
@drive-debug

[[need]]
id = "tern-clock"
title = "Clock cartridge ROM"
kind = "bios"
level = "extra"
why = "Keeps the date in three games."
folder = "boot"
name = "clock.rom"

[[need.accept]]
label = "only revision"
@clock

[[need]]
id = "tern-test"
title = "Test cartridge"
kind = "bios"
level = "extra"
why = "Checks a real machine's memory."
folder = "carts"
name = "test.rom"
any_name = true

[[need.accept]]
label = "1986 issue"
@test-cart

[[setting]]
file = "sandpiper/sandpiper.ini"
format = "ini"
key = "paths.tern16_rom"
need = "tern16-boot"

[[setting]]
file = "sandpiper/sandpiper.ini"
format = "ini"
key = "paths.carts"
folder = "carts"
"""

DUNLIN = """\
sheet = 1
emulator = "dunlin"
title = "Dunlin"
machines = ["Lumen", "Lumen II"]

[folders]
boot = "dunlin/boot"
disk = "dunlin/disk"

[[need]]
id = "lumen-boot"
title = "Lumen boot ROM"
kind = "bios"
level = "must"
machines = ["Lumen"]
why = "The Lumen does not start without it."
folder = "boot"
name = "lumen.bin"

[[need.accept]]
label = "US"
region = "US"
@lumen-us

[[need.accept]]
label = "EU"
region = "EU"
@lumen-eu

[[need]]
id = "lumen-us"
title = "Lumen boot ROM, American issue"
kind = "bios"
level = "better"
machines = ["Lumen"]
why = "Some American games refuse the European one."
folder = "boot"
name = "lumen-us.bin"

[[need.accept]]
label = "US"
@lumen-us

[[need]]
id = "lumen-ii-boot"
title = "Lumen II boot ROM"
kind = "bios"
level = "must"
machines = ["Lumen II"]
folder = "boot"
name = "lumen2.bin"

[[need.accept]]
@lumen-ii

[[need]]
id = "lumen-charset"
title = "Lumen character set"
kind = "bios"
level = "must"
why = "Draws the letters."
folder = "boot"
name = "letters.bin"

[[need]]
id = "lumen-disk"
title = "Lumen disk controller ROM"
kind = "bios"
level = "must"
why = "No disk loads without it."
folder = "disk"
name = "controller.bin"

[[need.accept]]
label = "only revision"
@lumen-disk weak

[[setting]]
file = "dunlin/dunlin.toml"
format = "toml"
key = "roms.boot"
need = "lumen-boot"
"""

WHIMBREL = """\
sheet = 1
emulator = "whimbrel"
title = "Whimbrel"
machines = ["Vesper"]
order = ["r5", "r6", "r7"]

[folders]
system = "WHIMBREL/SYSTEM"

[[need]]
id = "vesper-boot"
title = "Vesper boot ROM"
kind = "bios"
level = "must"
why = "The Vesper does not start without it."
folder = "system"
name = "VESPER.BIN"

[[need.accept]]
label = "revision 1"
@vesper

[[need.reject]]
label = "debug revision"
why = "Wants a debugger on the other end."
@vesper-debug

[[need]]
id = "vesper-sound"
title = "Vesper sound ROM"
kind = "bios"
level = "must"
why = "Games wait for the sound chip and never start."
folder = "system"
name = "SOUND.BIN"

[[need.accept]]
label = "only revision"
@vesper-sound

[[need]]
id = "vesper-bank-a"
title = "Vesper bank A"
kind = "bios"
level = "must"
releases = ">=r6"
why = "Half of the system software."
folder = "system"
name = "BANK-A.BIN"

[[need.accept]]
@vesper-bank-a

[[need]]
id = "vesper-bank-b"
title = "Vesper bank B"
kind = "bios"
level = "must"
releases = ">=r6"
why = "The other half of the system software."
folder = "system"
name = "BANK-B.BIN"

[[need.accept]]
@vesper-bank-b

[[setting]]
file = "WHIMBREL/WHIMBREL.YAML"
format = "yaml"
key = "machine.boot"
need = "vesper-boot"

[root]
volume = ["fat32"]
label = "GAMESROOM"
"""

_SKERRY = {
    "boot": "Skerry boot ROM",
    "font": "Skerry font ROM",
    "menu": "Skerry menu ROM",
    "sound": "Skerry sound ROM",
    "video": "Skerry video ROM",
    "logic": "Skerry logic array",
    "bank": "Skerry bank ROM",
    "tiles": "Skerry tile ROM",
    "tape": "Skerry tape loader",
    "lock": "Skerry lock key",
    "secret": "Skerry secret ROM",
    "clock": "Skerry clock ROM",
    "disk": "Skerry disk ROM",
    "modem": "Skerry modem ROM",
}

AVOCET = """\
sheet = 1
emulator = "avocet"
title = "Avocet"
machines = ["Skerry"]

[folders]
rom = "avocet/rom"

[[unlock]]
need = "skerry-secret"
key_need = "skerry-lock"
skip = 6
""" + "".join(
    f"""
[[need]]
id = "skerry-{part}"
title = "{title}"
kind = "bios"
level = "{"extra" if part == "modem" else "must"}"
folder = "rom"
name = "skerry-{part}.rom"

[[need.accept]]
@skerry-{part}
"""
    for part, title in _SKERRY.items()
)

CONFIG = (
    """\
# The Lighthouse Games Room: made-up machines, kept running by volunteers.
sources = ["drawer"]
catalogues = ["catalogue"]
regions = ["EU", "US"]

[rig.lighthouse]                # the PC in the games room
at = "rigs/lighthouse"

[rig.lighthouse.emulators]
sandpiper = "3.1"
avocet = "1.4"
redshank = "2.4"
curlew = "0.9"

[rig.lighthouse.emulators.dunlin]
release = "2.0"
at = "apps"
folders = { boot = "dunlin/System" }
machines = ["Lumen"]
ignore = ["lumen-us"]

[rig.stick]                     # the USB stick for the mini console by the door
at = "rigs/stick"
seen_as = "/media/stick"        # as the mini console calls it
volume = "fat32"
label = "GAMESROOM"

[rig.stick.emulators]
whimbrel = "r7"
redshank = "1.9"
knot = "4"

[rig.cabinet]                   # the arcade cabinet in the corner
at = "rigs/cabinet"

[rig.cabinet.emulators]
turnstone = "1.8"
"""
    + ANNEX
)

HANDHELD_USER = "keeper"
HANDHELD_PASSWORD = "lamp oil"
"""Of the demo's handheld; as made up as everything else there."""

HANDHELD = """
[rig.handheld]                  # lies on the sofa; GRIBBLE_PASSWORD_HANDHELD has its password
at = "ftp://@user@127.0.0.1:@port/card"
seen_as = "/mnt/card"
volume = "fat32"

[rig.handheld.emulators]
sandpiper = { release = "3.1", machines = ["Tern 16"], ignore = ["tern-clock"] }
"""
"""The rig behind the simulated server, in a world that has one; its port is another one every time."""

SHEETS = {
    "sandpiper": SANDPIPER,
    "dunlin": DUNLIN,
    "whimbrel": WHIMBREL,
    "avocet": AVOCET,
    "redshank": REDSHANK,
    "curlew": CURLEW,
    "knot": KNOT,
    "turnstone": TURNSTONE,
    "dotterel": DOTTEREL,
    "godwit": GODWIT,
}
"""Sheet templates by emulator."""
