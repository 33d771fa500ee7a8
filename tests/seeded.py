"""What the made-up world must be found to be: each seeded fault, set and disc with its verdict, written by hand."""

from __future__ import annotations

from msgspec import Struct


class SeededFault(Struct, frozen=True):
    """One thing seeded in the world, with the verdict it must get: `remedy` is what would put it right."""

    rig: str
    emulator: str
    need: str
    verdict: str
    remedy: str
    story: str


FAULTS = (
    SeededFault("lighthouse", "sandpiper", "tern8-boot", "sound", "none", "in its place, under its name"),
    SeededFault(
        "lighthouse", "sandpiper", "tern16-boot", "astray", "place", "in capitals, and its second place is empty"
    ),
    SeededFault("lighthouse", "sandpiper", "tern16-font", "astray", "place", "zipped, under another name"),
    SeededFault(
        "lighthouse", "sandpiper", "tern-drive", "imposter", "replace", "a debug revision renamed to look right"
    ),
    SeededFault("lighthouse", "sandpiper", "tern-clock", "missing", "obtain", "nobody here has it"),
    SeededFault("lighthouse", "sandpiper", "tern-test", "sound", "none", "any name will do"),
    SeededFault("lighthouse", "dunlin", "lumen-boot", "imposter", "replace", "really another machine's boot ROM"),
    SeededFault("lighthouse", "dunlin", "lumen-us", "missing", "obtain", "a gap that the volunteers accept"),
    SeededFault("lighthouse", "dunlin", "lumen-charset", "unproven", "none", "the sheet gives no digest"),
    SeededFault("lighthouse", "dunlin", "lumen-disk", "astray", "place", "in another folder of the rig"),
    SeededFault("lighthouse", "avocet", "skerry-boot", "damaged", "mend", "with a copier's header"),
    SeededFault("lighthouse", "avocet", "skerry-font", "damaged", "mend", "padded to a round size"),
    SeededFault("lighthouse", "avocet", "skerry-menu", "damaged", "mend", "twice over"),
    SeededFault("lighthouse", "avocet", "skerry-sound", "damaged", "mend", "bytes swapped in pairs"),
    SeededFault("lighthouse", "avocet", "skerry-video", "damaged", "mend", "even bytes first, odd bytes after"),
    SeededFault("lighthouse", "avocet", "skerry-logic", "damaged", "mend", "in place, with its last bytes lost"),
    SeededFault("lighthouse", "avocet", "skerry-bank", "damaged", "mend", "two halves in two files"),
    SeededFault("lighthouse", "avocet", "skerry-tiles", "damaged", "mend", "even and odd bytes in two files"),
    SeededFault("lighthouse", "avocet", "skerry-tape", "damaged", "mend", "through a text-mode transfer"),
    SeededFault("lighthouse", "avocet", "skerry-lock", "astray", "place", "the key file itself"),
    SeededFault("lighthouse", "avocet", "skerry-secret", "damaged", "mend", "locked by the key file"),
    SeededFault("lighthouse", "avocet", "skerry-clock", "damaged", "mend", "in place, with one flipped bit"),
    SeededFault(
        "lighthouse", "avocet", "skerry-disk", "damaged", "replace", "in place, cut short; a whole one is held"
    ),
    SeededFault("lighthouse", "avocet", "skerry-modem", "imposter", "obtain", "in place, a web page"),
    SeededFault(
        "lighthouse", "redshank", "petrel-keys", "unfit", "replace", "lacks the key that the firmware requires"
    ),
    SeededFault("lighthouse", "redshank", "petrel-firmware", "unfit", "none", "in place, but its key is not"),
    SeededFault("lighthouse", "redshank", "petrel-disk", "sound", "none", "in its place"),
    SeededFault("lighthouse", "curlew", "fulmar-eu", "astray", "none", "held, but the American one is enough"),
    SeededFault("lighthouse", "curlew", "fulmar-us", "sound", "none", "one of a choice"),
    SeededFault("lighthouse", "curlew", "fulmar-voice-us", "astray", "none", "held, but the European one is preferred"),
    SeededFault("lighthouse", "curlew", "fulmar-voice-eu", "astray", "place", "zipped; preferred by region"),
    SeededFault("lighthouse", "curlew", "fulmar-drive", "misnamed", "rename", "an image under its old name"),
    SeededFault(
        "lighthouse", "curlew", "fulmar-desk", "imposter", "replace", "of five files one is wrong, one in the drawer"
    ),
    SeededFault("lighthouse", "curlew", "fulmar-help", "sound", "none", "all three files"),
    SeededFault("stick", "redshank", "petrel-keys", "imposter", "replace", "one key is wrong"),
    SeededFault("stick", "redshank", "petrel-firmware", "unfit", "replace", "too new for this release"),
    SeededFault("stick", "redshank", "petrel-disk", "astray", "place", "on the other rig only"),
    SeededFault("stick", "knot", "gannet-keys", "sound", "none", "its one key is proven"),
    SeededFault("stick", "knot", "gannet-firmware", "sound", "none", "with the key it requires"),
    SeededFault("stick", "knot", "gannet-tape-a", "missing", "obtain", "one of a choice that you do not have"),
    SeededFault("stick", "knot", "gannet-tape-b", "missing", "none", "the other of that choice"),
    SeededFault("stick", "whimbrel", "vesper-boot", "misnamed", "rename", "in lower case, which the stick forgives"),
    SeededFault("stick", "whimbrel", "vesper-sound", "missing", "obtain", "nobody here has it"),
    SeededFault("stick", "whimbrel", "vesper-bank-a", "imposter", "replace", "swapped with bank B"),
    SeededFault("stick", "whimbrel", "vesper-bank-b", "imposter", "replace", "swapped with bank A"),
    SeededFault("annex", "godwit", "sander-boot", "sound", "none", "the open one, which requires nothing"),
    SeededFault("annex", "godwit", "sander-lock", "missing", "obtain", "of the locked one, which is not used"),
    SeededFault("annex", "godwit", "sander-sound", "sound", "none", "locked, in place"),
    SeededFault("annex", "godwit", "sound-lock", "astray", "place", "an extra that the locked one requires"),
    SeededFault("annex", "godwit", "sander-font", "misnamed", "rename", "in capitals, which the device minds"),
    SeededFault("annex", "godwit", "sander-menu", "sound", "none", "two revisions, of which the newer is used"),
    SeededFault("annex", "godwit", "sander-voice", "astray", "place", "two revisions, of which the newer is taken"),
    SeededFault("annex", "godwit", "sander-disk", "unproven", "none", "in use, with a saved game in it"),
    SeededFault("annex", "godwit", "sander-card", "imposter", "replace", "empty, and a fresh one is held"),
    SeededFault("annex", "godwit", "sander-firmware", "imposter", "replace", "with a part of an older version"),
    SeededFault("annex", "godwit", "sander-pages", "sound", "none", "nothing else is there"),
)
"""Every need on the rigs with its expected verdict, written by hand."""

HANDHELD_FAULTS = (
    SeededFault(
        "handheld", "sandpiper", "tern16-boot", "astray", "place", "under another name; its second place is empty"
    ),
    SeededFault("handheld", "sandpiper", "tern16-font", "astray", "place", "zipped in the drawer"),
    SeededFault("handheld", "sandpiper", "tern-drive", "imposter", "replace", "a debug revision renamed to look right"),
    SeededFault("handheld", "sandpiper", "tern-clock", "missing", "obtain", "a gap that the volunteers accept"),
    SeededFault("handheld", "sandpiper", "tern-test", "astray", "place", "on the PC only"),
    SeededFault("handheld", "sandpiper", "paths.tern16_rom", "wrong", "point", "leads out of the handheld's card"),
    SeededFault("handheld", "sandpiper", "paths.carts", "sound", "none", "as the handheld calls it"),
)
"""The same of the rig behind the simulated server: blocked, and ready once all of it is placed."""

SETTINGS = (
    SeededFault("lighthouse", "sandpiper", "paths.tern16_rom", "wrong", "point", "leads to last year's folder"),
    SeededFault("lighthouse", "sandpiper", "paths.carts", "wrong", "point", "leads to another folder"),
    SeededFault("lighthouse", "dunlin", "roms.boot", "wrong", "point", "leads to another machine's boot ROM"),
    SeededFault("lighthouse", "redshank", "system.firmware", "wrong", "point", "leads to a file that is not there"),
    SeededFault(
        "lighthouse", "curlew", "paths.boot_rom", "sound", "none", "leads to the one of the choice that is there"
    ),
    SeededFault("lighthouse", "curlew", "desk.folder", "sound", "none", "leads to the folder"),
    SeededFault("lighthouse", "curlew", "voice.rom", "wrong", "point", "leads to a place where nothing is"),
    SeededFault("stick", "whimbrel", "machine.boot", "wrong", "point", "is a path of the PC, not of the console"),
    SeededFault("stick", "redshank", "system.firmware", "sound", "none", "leads to the right place"),
    SeededFault("stick", "knot", "system.firmware", "sound", "none", "relative to the settings file"),
    SeededFault("stick", "knot", "device.@firmware", "sound", "none", "as the console calls it"),
    SeededFault("stick", "knot", "paths.0", "sound", "none", "relative to the root"),
)
"""Every setting on the rigs with its expected verdict; `need` is its key."""

GAMES = (
    SeededFault("lighthouse", "redshank", "redshank/games/tide pool.crate", "missing", "none", "no licence of its id"),
    SeededFault("lighthouse", "redshank", "redshank/games/pier.sealed", "imposter", "none", "still sealed"),
    SeededFault(
        "lighthouse", "redshank", "redshank/games/PTR-00099.tag", "unproven", "none", "a licence without its game"
    ),
    SeededFault("lighthouse", "redshank", "redshank/games/harbour 1.2.update", "unproven", "none", "1.10 is newer"),
    SeededFault("lighthouse", "curlew", "curlew/disks/sandbar.tdf", "astray", "place", "in no folder of its own"),
    SeededFault(
        "lighthouse", "curlew", "curlew/disks/Kelp Maze/kelp maze.tdf", "misnamed", "rename", "its folder's name"
    ),
    SeededFault(
        "lighthouse", "curlew", "curlew/disks/Fulmar - Groyne/groyne.chd", "imposter", "none", "cannot be read"
    ),
    SeededFault("lighthouse", "curlew", "curlew/disks/Fulmar - Lugworm/lugworm.zip", "imposter", "replace", "zipped"),
    SeededFault(
        "lighthouse",
        "curlew",
        "curlew/disks/Fulmar - Herring Run/read me.txt",
        "unproven",
        "none",
        "of no known ending",
    ),
    SeededFault("lighthouse", "curlew", "curlew/disks/Fulmar - Big Wave/big wave.tdf", "imposter", "none", "too large"),
    SeededFault("stick", "knot", "KNOT/REELS/eel.reel", "imposter", "replace", "loose where it must be zipped"),
    SeededFault("stick", "knot", "KNOT/REELS/gull.slip", "missing", "none", "its tag is missing"),
    SeededFault("annex", "godwit", "godwit/games/ketch.crate", "astray", "place", "its tag lies in the drawer"),
)
"""What is wrong in game folders; `need` is the file."""

FIRST_REASONS = {
    ("lighthouse", "sandpiper"): "tern16-boot",
    ("lighthouse", "dunlin"): "lumen-disk",
    ("lighthouse", "avocet"): "skerry-lock",
    ("lighthouse", "redshank"): "petrel-firmware",
    ("lighthouse", "curlew"): "fulmar-voice-eu",
    ("stick", "whimbrel"): "vesper-sound",
    ("stick", "redshank"): "petrel-firmware",
    ("stick", "knot"): "stick",
    ("annex", "godwit"): "sound-lock",
}
"""What stands first among the reasons why each emulator does not run: what must be fixed before all else."""

STATES = {
    "saltpan": "ready", "saltpanj": "ready", "herring": "ready", "herringj": "ready", "herringu": "ready",
    "lugworm": "ready", "groynej": "blocked", "sandbar": "blocked", "tidepool": "blocked", "breakwat": "blocked",
    "seawall": "blocked", "limpet": "limited", "mudflatj": "ready", "driftnet": "blocked", "pontoon": "ready",
    "shingle": "ready", "estuary": "blocked", "pebble": "ready", "cobble": "limited", "heronry": "ready",
    "ferry": "limited", "gangway": "ready",
    "winkle": "ready", "razor": "blocked", "bollard": "ready", "oldpier": "blocked", "cockle": "blocked",
}  # fmt: skip
"""Every wanted set with its expected state, written by hand."""

CURED = {"groynej": "ready", "breakwat": "ready", "driftnet": "ready", "razor": "ready"}
"""What placing makes of those that it puts right."""

FIRST_SET_REASONS = {
    "groynej": ("groyne2.2b", "astray", "looks: groyne2.2b in arcade/groyne.zip"),
    "sandbar": ("sandbar1.1a", "imposter", "bytes long, not"),
    "tidepool": ("quay.rom", "imposter", "it is from release 1.6"),
    "breakwat": ("tone.1", "astray", "its device jettytone: you have it, but not where"),
    "seawall": ("seawall1.1a", "damaged", "its end is missing"),
    "limpet": ("limpet", "unproven", "does not play it well: The water"),
    "driftnet": ("driftnet.chd", "imposter", "its header says that it is another image"),
    "estuary": ("estuary", "unplayable", "does not play it: Its protection"),
    "cobble": ("cobble2.2b", "unproven", "the only known dump is a poor one"),
    "ferry": ("ferry", "unproven", "runs with the south version of ferryrom, not north"),
    "oldpier": ("oldpier", "missing", "release 1.8 does not have this set; release 1.6 does"),
    "cockle": ("cockle", "missing", "release 1.8 calls this set cocklesh"),
    "razor": ("razor1.1a", "imposter", "you have a right one: arcade/razor1 better.bin"),
}
"""What stands first among the reasons of each broken set: file, verdict, words."""

DISCS = {
    "Herring Run/Herring Run.cue": ("sound", ""),
    "Salt Pan/Salt Pan.cue": ("damaged", "other-case"),
    "Mudflat/Mudflat.cue": ("damaged", "missing"),
    "Groyne/Groyne.gdi": ("damaged", "track-count"),
    "Lugworm/Lugworm.cue": ("damaged", "byte-order-mark"),
    "Sandbar/Sandbar.cue": ("damaged", "length"),
    "Tidepool.m3u": ("sound", ""),
    "Old Pier.m3u.txt": ("damaged", "ending"),
    "Shore songs.cue": ("imposter", "no-sheet"),
    "Limpet.iso": ("damaged", "length"),
    "Pontoon (Disc 1).iso": ("sound", ""),
    "Pontoon (Disc 2).iso": ("sound", ""),
    "spare/cobble.bin": ("unproven", "no-sheet-for-it"),
    "spare/whelk.bin": ("unproven", "no-sheet-for-it"),
    "Winkle/Winkle.cue": ("damaged", "missing"),
    "Razor/Razor.cue": ("damaged", "missing"),
    "Bollard/Bollard.ccd": ("sound", ""),
    "Cockle/Cockle.ccd": ("damaged", "length"),
    "Driftwood.chd": ("sound", ""),
    "Flotsam.chd": ("damaged", "length"),
    "Kelp Maze.m3u": ("damaged", "missing"),
    "Backwards.m3u": ("damaged", "order"),
    "Foghorn.cue": ("damaged", "absolute"),
    "Flood Tide (Disc 1) (Ebb Disc).iso": ("sound", ""),
    "Flood Tide (Disc 2) (Flood Disc).iso": ("sound", ""),
}
"""Every sheet and image with its expected verdict and first fault, written by hand."""

MENDED = {
    "Old Pier.m3u": "",
    "Lugworm/Lugworm.cue": "Lugworm.bin",
    "Salt Pan/Salt Pan.cue": "Salt Pan.bin",
    "Winkle/Winkle.cue": "winkle (1998 reissue).bin",
    "Razor/Razor.cue": "razor-02.bin",
    "Kelp Maze.m3u": "Pontoon (Disc 2).iso",
    "spare/whelk.cue": "whelk.bin",
    "Backwards.m3u": "Pontoon (Disc 1).iso",
    "Foghorn.cue": '"Foghorn.bin"',
}
"""Every sheet that can be put right beyond doubt, with a name that is in it afterwards."""
