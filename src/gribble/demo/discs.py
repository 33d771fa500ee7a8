"""A shelf of discs: track sheets, playlists and images, right and wrong, none of them on a rig."""

from __future__ import annotations

import struct

from gribble.demo.contents import noise

SECTOR = 2352
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
}
"""Every sheet and image with its expected verdict and first fault, written by hand."""


def _cue(*files: tuple[str, int]) -> bytes:
    """A cue sheet of one track in each file; the numbers are those of the tracks."""
    lines = []
    for name, number in files:
        mode = "MODE1/2352" if number == 1 else "AUDIO"
        lines += [f'FILE "{name}" BINARY', f"  TRACK {number:02} {mode}", "    INDEX 01 00:00:00"]
    return "".join(f"{line}\n" for line in lines).encode()


def _image(label: str, sectors: int, held: int) -> bytes:
    """An image whose volume says it has so many sectors, and so many that are there."""
    head = b"\x01CD001\x01\0" + b"TERN".ljust(32) + label.encode().ljust(32) + bytes(8)
    head += struct.pack("<I", sectors) + struct.pack(">I", sectors)
    return (bytes(16 << 11) + head).ljust(held << 11, b"\0")


def disc_files() -> dict[str, bytes]:
    """The files of the shelf, by their paths in the world."""
    track = noise("a track", SECTOR * 4)
    files = {
        "Herring Run/Herring Run.cue": _cue(("Herring Run (Track 1).bin", 1), ("Herring Run (Track 2).bin", 2)),
        "Herring Run/Herring Run (Track 1).bin": track,
        "Herring Run/Herring Run (Track 2).bin": track,
        "Salt Pan/Salt Pan.cue": _cue(("SALT PAN.BIN", 1)),
        "Salt Pan/Salt Pan.bin": track,
        "Mudflat/Mudflat.cue": _cue(("Mudflat (Track 1).bin", 1), ("Mudflat (Track 2).bin", 2)),
        "Mudflat/Mudflat (Track 1).bin": track,
        "Groyne/Groyne.gdi": b"3\n1 0 4 2352 groyne01.bin 0\n2 600 0 2352 groyne02.raw 0\n",
        "Groyne/groyne01.bin": track,
        "Groyne/groyne02.raw": track,
        "Lugworm/Lugworm.cue": b"\xef\xbb\xbf" + _cue(("Lugworm.bin", 1)),
        "Lugworm/Lugworm.bin": track,
        "Sandbar/Sandbar.cue": _cue(("Sandbar.bin", 1)),
        "Sandbar/Sandbar.bin": track[:-700],
        "Tidepool.m3u": b"Pontoon (Disc 1).iso\nPontoon (Disc 2).iso\n",
        "Old Pier.m3u.txt": b"Pontoon (Disc 1).iso\n",
        "Shore songs.cue": b"<html>Not found</html>\n",
        "Limpet.iso": _image("LIMPET", 60, 24),
        "Pontoon (Disc 1).iso": _image("PONTOON_1", 20, 20),
        "Pontoon (Disc 2).iso": _image("PONTOON_2", 22, 22),
        "spare/cobble.bin": track,
    }
    return {f"discs/{name}": data for name, data in files.items()}
