"""The loft: a pack of sets for a new arcade emulator, lists of two of its releases, and forty favourites."""

from __future__ import annotations

from pathlib import Path

from gribble.demo.arcade import archive, chip
from gribble.demo.lists import part
from gribble.demo.world import build_small

FOLDER = "loft"
"""Where it is in the Lighthouse Games Room."""

_WORDS = (
    "Anchor", "Beacon", "Bowline", "Breaker", "Capstan", "Cleat", "Clipper", "Davit", "Drifter", "Fender", "Foghorn",
    "Galley", "Gannet", "Grapnel", "Gunwale", "Halyard", "Hawser", "Keelson", "Lanyard", "Mizzen", "Oarlock", "Pilot",
    "Rudder", "Sextant", "Spinnaker", "Stanchion", "Tiller", "Topsail", "Windlass", "Yawl",
)  # fmt: skip
_DEEP = frozenset(_WORDS[::3])
"""The games that need the system's boot ROM, and list it among their own files."""
_JUNK = {"beacon2.2b", "davitj1.1a"}
"""Files that the pack has wrong, of which a right one is elsewhere."""
_LOST = {"galley1.1a", "mizzenj1.1a"}
"""Files that the pack has wrong, and nobody right."""


def _export(release: str) -> bytes:
    """What the emulator says of its sets. Release 2.1 wants another boot ROM, calls Yawl otherwise, has another dump of
    a chip of Anchor, and no longer knows Windlass."""
    new = release == "2.1"
    games = [f'<game id="loftsys" system="yes"><called>Loft system</called>{_boot(release)}</game>']
    for number, word in enumerate(_WORDS):
        name = "yawl2" if new and word == "Yawl" else word.lower()
        if new and word == "Windlass":
            continue
        about = f"<built>{1980 + number // 3}</built><by>Shore Works</by>"
        first = part(f"{word.lower()}1.1a", of="anchor1 second" if new and word == "Anchor" else "")
        shared = part(f"{word.lower()}2.2b")
        base, boot = (' base="loftsys"', _boot(release)) if word in _DEEP else ("", "")
        games.append(f'<game id="{name}"{base}><called>{word} Run</called>{about}{first}{shared}{boot}</game>')
        own = part(f"{word.lower()}j1.1a")
        told = f"<called>{word} Run (j)</called>{about}{own}{shared}{boot}"
        games.append(f'<game id="{name}j" of="{name}"{base}>{told}</game>')
    lines = "\n".join(games)
    return f'<?xml version="1.0"?>\n<export emulator="Whimbrel" build="{release}">\n{lines}\n</export>\n'.encode()


def _boot(release: str) -> str:
    return part("loft.rom", of=f"loft {release}")


def _pack() -> dict[str, bytes]:
    """Merged archives: a parent and its clone in one."""
    packed = {}
    for word in map(str.lower, _WORDS):
        members = [f"{word}1.1a", f"{word}2.2b", f"{word}j1.1a"]
        found = [(name, f"junk {name}" if name in _JUNK | _LOST else name) for name in members]
        packed[f"{word}.zip"] = archive(found)
    packed["keelson.zip"] = packed["keelson.zip"][:-60]
    packed["pilot (1).zip"] = packed["pilot.zip"]
    return packed


def _favourites() -> str:
    """Forty titles as somebody types them."""
    parents = [f"{word} Run" if number % 4 else f"{word.upper()} RUN!" for number, word in enumerate(_WORDS)]
    return "".join(f"{title}\n" for title in (*parents, *(f"{word} run (J)" for word in _WORDS[:10])))


def build_loft(world: Path) -> Path:
    """Build the loft in the world's folder, and say where. Raises GribbleError."""
    files = {
        **{f"downloads/pack/{name}": data for name, data in _pack().items()},
        **{f"downloads/singles/{name}": chip(name) for name in _JUNK},
        "downloads/singles/anchor, new dump.bin": chip("anchor1 second"),
        "downloads/singles/loft.bin": chip("loft 2.0"),
        "lists/whimbrel-2.0.xml": _export("2.0"),
        "lists/whimbrel-2.1.xml": _export("2.1"),
        "lists/favourites.txt": _favourites().encode(),
        "emulators/whimbrel/whimbrel.ini": b"[paths]\nsets = sets\n",
    }
    return build_small(world / FOLDER, files, "emulators/whimbrel/sets")
