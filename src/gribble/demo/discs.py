"""A shelf of discs: track sheets, playlists and images, right and wrong, none of them on a rig."""

from __future__ import annotations

import struct

from gribble.demo.sheets import noise

SECTOR = 2352


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


def _raw(label: str, sectors: int) -> bytes:
    """The same in raw sectors, of which its volume fills every one."""
    plain = _image(label, sectors, sectors)
    pieces = (plain[at : at + 2048] for at in range(0, len(plain), 2048))
    return b"".join(bytes(16) + piece + bytes(SECTOR - 2064) for piece in pieces)


def _ccd(tracks: int, sectors: int) -> bytes:
    """A ccd sheet of some tracks of two sectors each, on a disc that ends at a sector."""
    places = [(number, 2 * (number - 1)) for number in range(1, tracks + 1)] + [(0xA2, sectors)]
    lines = ["[Disc]", f"TocEntries={len(places)}", "Sessions=1"]
    for number, (point, place) in enumerate(places):
        lines += [f"[Entry {number}]", "Session=1", f"Point=0x{point:02x}", "Control=0x04", f"PLBA={place}"]
    return "".join(f"{line}\r\n" for line in lines).encode()


def _compressed(size: int, map_at: int) -> bytes:
    """A compressed image by its header (version 5): where its map begins, and how long the file is."""
    head = bytes.fromhex("4d436f6d70724844") + struct.pack(">II", 124, 5) + bytes(16)
    head += struct.pack(">QQQ", 1 << 20, map_at, 0) + bytes(28) + noise("compressed", 20) + bytes(20)
    return head.ljust(size, b"\1")[:size]


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
        "spare/whelk.bin": _raw("WHELK", 20),
        "Winkle/Winkle.cue": _cue(("winkle.bin", 1)),
        "Winkle/winkle (1998 reissue).bin": track,
        "Razor/Razor.cue": _cue(("Razor (Track 1).bin", 1), ("Razor (Track 2).bin", 2)),
        "Razor/razor-01.bin": track,
        "Razor/razor-02.bin": track,
        "Bollard/Bollard.ccd": _ccd(2, 4),
        "Bollard/Bollard.img": track,
        "Bollard/Bollard.sub": noise("subchannels", 4 * 96),
        "Cockle/Cockle.ccd": _ccd(2, 9),
        "Cockle/Cockle.img": track,
        "Driftwood.chd": _compressed(1_000, 700),
        "Flotsam.chd": _compressed(600, 7_000),
        "Kelp Maze.m3u": b"Pontoon (Disc 1).iso\nPontoon Disk 2.iso\n",
        "Backwards.m3u": b"Pontoon (Disc 2).iso\nPontoon (Disc 1).iso\n",
        "Foghorn.cue": _cue(("D:\\games\\Foghorn.bin", 1)),
        "Foghorn.bin": track,
        "Flood Tide (Disc 1) (Ebb Disc).iso": _image("EBB", 20, 20),
        "Flood Tide (Disc 2) (Flood Disc).iso": _image("FLOOD", 21, 21),
        "installed/PTR-00017/main.prg": noise("installed", 500),
        "installed/PTR-00021.prg": noise("installed too", 500),
        "names.txt": b"# id, and the name its playlist shall have\nPTR-00017 Harbour Nights\nPTR-00021 Tide Pool\n"
        b"PTR-00033 Fog Signal\n",
    }
    return {f"discs/{name}": data for name, data in files.items()}
