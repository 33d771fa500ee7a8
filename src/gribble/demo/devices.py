"""The sheets with firmware, keys, alternatives, settings and game folders; `@name` and `$name` stand for digests."""

from __future__ import annotations

REDSHANK = """\
sheet = 1
emulator = "redshank"
title = "Redshank"
machines = ["Petrel"]

[folders]
system = "redshank/system"
games = "redshank/games"

[[need]]
id = "petrel-keys"
title = "Petrel key file"
kind = "keys"
level = "must"
why = "Nothing that is sealed opens without it."
folder = "system"
name = "petrel.keys"

[[need.key]]
name = "seal_a"
bytes = 16
$seal_a

[[need.key]]
name = "seal_b"
bytes = 16
$seal_b

[[need.key]]
name = "seal_c"                  # firmware from version 5 on is sealed with it
bytes = 16
level = "extra"
$seal_c

[[need.key]]
name = "tide"
bytes = 8
level = "better"

[[need]]
id = "petrel-firmware"
title = "Petrel firmware"
kind = "firmware"
level = "must"
why = "The Petrel shows nothing without it."
folder = "system"
name = "petrel.fw"

[[need.accept]]
version = "4.1"
@petrel-41

[[need.accept]]
version = "5.0"
releases = ">=2.0"
requires_keys = ["seal_c"]
@petrel-50

[[need]]
id = "petrel-disk"
title = "Petrel system disk"
kind = "image"
level = "better"
why = "Without it the menu of the device is missing, and three games have no sound."
folder = "system"
name = "petrel.slab"

[[need.accept]]
@petrel-disk

[[setting]]
file = "redshank/redshank.json"
format = "json"
key = "system.firmware"
need = "petrel-firmware"

[[media]]
folder = "games"
accepts = [".crate"]
refuses = [{ ending = ".sealed", why = "Games must be opened with the device's own tool first." }]
max_bytes = 9000

[[pair]]
folder = "games"
each = "*.crate"
wants = "{id}.tag"
id_at = { offset = 4, length = 12 }
why = "without its licence the game ends at the title"

[[pair]]                         # updates: the licence of their title, and of several for one title the newest
folder = "games"
each = "*.update"
wants = "{id}.tag"
id_at = { offset = 4, length = 12 }
version_at = { offset = 16, length = 8 }
"""

CURLEW = """\
sheet = 1
emulator = "curlew"
title = "Curlew"
machines = ["Fulmar"]

[folders]
boot = "curlew/bios"
desk = "curlew/desk"
help = "curlew/help"
disks = "curlew/disks"

[[need]]
id = "fulmar-eu"
title = "Fulmar boot ROM, European"
kind = "bios"
level = "must"
choice = "fulmar-boot"
folder = "boot"
name = "fulmar-eu.rom"

[[need.accept]]
region = "EU"
@fulmar-eu

[[need]]
id = "fulmar-us"
title = "Fulmar boot ROM, American"
kind = "bios"
level = "must"
choice = "fulmar-boot"
folder = "boot"
name = "fulmar-us.rom"

[[need.accept]]
region = "US"
@fulmar-us

[[need]]
id = "fulmar-voice-us"
title = "Fulmar voice ROM, American"
kind = "bios"
level = "must"
choice = "fulmar-voice"
why = "The Fulmar waits for its voice and never starts."
folder = "boot"
name = "voice-us.rom"

[[need.accept]]
region = "US"
@fulmar-voice-us

[[need]]
id = "fulmar-voice-eu"
title = "Fulmar voice ROM, European"
kind = "bios"
level = "must"
choice = "fulmar-voice"
why = "The Fulmar waits for its voice and never starts."
folder = "boot"
name = "voice-eu.rom"

[[need.accept]]
region = "EU"
@fulmar-voice-eu

[[need]]
id = "fulmar-drive"
title = "Fulmar drive image"
kind = "image"
level = "must"
folder = "boot"
name = "drive.slab"

[[need.accept]]
@fulmar-drive

[[need]]
id = "fulmar-desk"
title = "Fulmar desk"
kind = "data"
level = "must"
why = "The desk that every game is started from."
folder = "desk"
manifest = "fulmar-desk.sha256"

[[need]]
id = "fulmar-help"
title = "Fulmar help pages"
kind = "data"
level = "extra"
folder = "help"
manifest = "fulmar-help.md5"

[[setting]]
file = "curlew/curlew.ini"
format = "ini"
key = "paths.boot_rom"
need = "fulmar-eu"

[[setting]]
file = "curlew/curlew.yaml"
format = "yaml"
key = "desk.folder"
folder = "desk"

[[setting]]
file = "curlew/voice.xml"
format = "xml"
key = "voice.rom"
need = "fulmar-voice-eu"

[[media]]
folder = "disks"
accepts = [".tdf"]
refuses = [{ ending = ".chd", why = "This release cannot read it." }]
packing = "loose"
own_folder = true
folder_name = "Fulmar - *"
max_bytes = 9000
"""

KNOT = """\
sheet = 1
emulator = "knot"
title = "Knot"
machines = ["Gannet"]

[folders]
system = "KNOT/SYSTEM"
reels = "KNOT/REELS"

[root]
volume = ["exfat"]
label = "KNOTBOX"

[[need]]
id = "gannet-keys"
title = "Gannet key file"
kind = "keys"
level = "must"
folder = "system"
name = "GANNET.KEYS"

[[need.key]]
name = "lid"
bytes = 16
$lid

[[need]]
id = "gannet-firmware"
title = "Gannet firmware"
kind = "firmware"
level = "must"
folder = "system"
name = "GANNET.FW"

[[need.accept]]
version = "2.0"
requires_keys = ["lid"]
@gannet-20

[[need]]
id = "gannet-tape-a"
title = "Gannet tape ROM, first issue"
kind = "bios"
level = "must"
choice = "gannet-tape"
why = "No tape loads without it."
folder = "system"
name = "TAPE-A.ROM"

[[need.accept]]
@gannet-tape-a

[[need]]
id = "gannet-tape-b"
title = "Gannet tape ROM, second issue"
kind = "bios"
level = "must"
choice = "gannet-tape"
why = "No tape loads without it."
folder = "system"
name = "TAPE-B.ROM"

[[need.accept]]
@gannet-tape-b

[[setting]]
file = "KNOT/KNOT.TOML"
format = "toml"
key = "system.firmware"
need = "gannet-firmware"

[[setting]]
file = "KNOT/KNOT.XML"
format = "xml"
key = "device.@firmware"
need = "gannet-firmware"

[[setting]]
file = "KNOT/KNOT.JSON"
format = "json"
key = "paths.0"
need = "gannet-firmware"

[[media]]
folder = "reels"
accepts = [".reel"]
packing = "zipped"

[[pair]]
folder = "reels"
each = "*.slip"
wants = "{stem}.tag"
"""
