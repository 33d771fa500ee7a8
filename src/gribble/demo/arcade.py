"""The arcade cabinet of the Games Room: two rosters, and archives of every packing, right and wrong."""

from __future__ import annotations

import hashlib
import io
import json
import struct
import zipfile
import zlib
from typing import Any

from gribble.demo.sheets import noise

_FOLDER = "rigs/cabinet/turnstone/sets"
_WHEN = (1998, 3, 1, 12, 0, 0)

_GAMES = (
    "saltpan", "herring", "lugworm", "groyne", "sandbar", "tidepool", "breakwat", "seawall", "limpet", "mudflat",
    "driftnet", "pontoon", "shingle", "estuary", "pebble", "cobble", "heronry",
)  # fmt: skip
_MORE: dict[str, dict[str, Any]] = {
    "tidepool": {"bios": "quaybios"},
    "breakwat": {"bios": "boardrom", "devices": ["jettytone"]},
    "limpet": {"plays": "flawed", "note": "The water is drawn over the boats."},
    "estuary": {"plays": "no", "note": "Its protection is not understood yet."},
}


def file_of(name: str, content: str | None = None, **more: Any) -> dict[str, Any]:
    """The entry of a made-up chip in a roster."""
    data = chip(content or name)
    digests = {"crc32": f"{zlib.crc32(data):08x}", "sha1": hashlib.sha1(data, usedforsecurity=False).hexdigest()}
    return {"name": name, "size": len(data), **digests, **more}


def chip(name: str) -> bytes:
    """The content of a made-up chip."""
    return noise(f"chip {name}", 700 + 8 * (zlib.crc32(name.encode()) % 40))


def disc(name: str) -> bytes:
    """A made-up disc image: an open header of version 5, and little behind it."""
    sha1 = hashlib.sha1(name.encode(), usedforsecurity=False).digest()
    head = bytes.fromhex("4d436f6d70724844") + struct.pack(">II", 124, 5)
    return head.ljust(84, b"\0") + sha1 + bytes(20) + noise(f"disc {name}", 300)


def _sets(release: str) -> list[dict[str, Any]]:
    """The sets of a release: two BIOS sets, two devices, and games with their clones."""
    old = release == "1.6"
    sets: list[dict[str, Any]] = [
        {"set": "quaybios", "title": "Quay system", "kind": "bios", "files": [file_of("quay.rom", f"quay {release}")]},
        {"set": "boardrom", "title": "Board system", "kind": "bios", "variants": ["us", "eu"],
         "files": [file_of("board-eu.rom", variant="eu"), file_of("board-us.rom", variant="us")]},
        {"set": "ferryrom", "title": "Ferry system", "kind": "bios", "variants": ["north", "south"],
         "files": [file_of("ferry-n.rom", variant="north"), file_of("ferry-s.rom", variant="south")]},
        {"set": "jettytone", "title": "Jetty tone board", "kind": "device", "files": [file_of("tone.1")]},
        {"set": "padboard", "title": "Pad board", "kind": "device", "files": [file_of("pad.1")]},
    ]  # fmt: skip
    for number, name in enumerate(_GAMES):
        files = [file_of(f"{name}1.1a"), file_of(f"{name}2.2b")]
        if name == "pebble":
            files.append({"name": "pebble.key", "size": 64, "state": "undumped"})
        if name == "cobble":
            files[1]["state"] = "suspect"
        if name == "heronry":
            files += [
                file_of("heronry.pal", choice="colours"),
                file_of("heronry.alt", choice="colours"),
                file_of("heronry.opt", optional=True),
            ]
        one = {
            "set": name,
            "title": name.title(),
            "year": 1980 + number,
            "maker": "Shore Works",
            **_MORE.get(name, {}),
            "files": files,
        }
        if name in ("driftnet", "pontoon"):
            one["discs"] = [{"name": name, "sha1": disc(name)[84:104].hex()}]
        sets.append(one)
        if number < 10:
            for mark in "ju":
                own = file_of(f"{name}1{mark}.1a")
                sets.append(
                    {
                        "set": f"{name}{mark}",
                        "title": f"{name.title()} ({mark})",
                        "parent": name,
                        **({"bios": name} if name == "herring" else {}),  # some lists say so of the parent
                        "files": [own, file_of(f"{name}2.2b", parent_name=f"{name}2.2b")],
                    }
                )
    return sets + _of_release_alone(old)


def _of_release_alone(old: bool) -> list[dict[str, Any]]:
    """Sets that the two releases know otherwise: gone, new, renamed, named otherwise inside, and with a better dump."""
    winkle, razor = ("winkle1.1a", "razor1 first dump") if old else ("wk-1.ic1", "razor1.1a")
    sets: list[dict[str, Any]] = [
        {"set": "winkle", "title": "Winkle", "files": [file_of(winkle, "winkle1.1a")]},
        {"set": "ferry", "title": "Ferry", "bios": "ferryrom", "files": [file_of("ferry1.1a")]},
        {"set": "gangway", "title": "Gangway", "files": [{**file_of("gangway1.1a"), "crc32": None}]},
        {"set": "razor", "title": "Razor Shell", "files": [file_of("razor1.1a", razor), file_of("razor2.2b")]},
        {"set": "cockle" if old else "cocklesh", "title": "Cockle", "files": [file_of("cockle1.1a")]},
    ]
    if old:
        return [*sets, {"set": "oldpier", "title": "Old Pier", "files": [file_of("pier.1")]}]
    return [*sets, {"set": "bollard", "title": "Bollard", "files": [file_of("bollard1.1a")]}]


def _roster(release: str) -> bytes:
    head = {"roster": 1, "emulator": "turnstone", "release": release, "title": "Turnstone sets"}
    return "".join(json.dumps(line) + "\n" for line in [head, *_sets(release)]).encode()


def archive(members: list[tuple[str, str]]) -> bytes:
    """A zip of made-up chips: name of the member, and what it really is."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, what in members:
            archive.writestr(zipfile.ZipInfo(name, _WHEN), chip(what))
    return buffer.getvalue()


def _plain(*names: str) -> bytes:
    return archive([(name, name) for name in names])


def _game(name: str) -> bytes:
    return _plain(f"{name}1.1a", f"{name}2.2b")


def arcade_files() -> dict[str, bytes]:
    """The sheet's rosters, the cabinet's archives, and what is in the drawer for them."""
    herring = ["herring1.1a", "herring2.2b", "herring1u.1a"]
    seawall = _game("seawall")
    cabinet = {
        "saltpan.zip": _game("saltpan"),
        "saltpanj.zip": _plain("saltpan1j.1a"),
        "herring.zip": archive([*((name, name) for name in herring), ("herringj/herring1j.1a", "herring1j.1a"),
            ("herringu/herring1u.1a", "something else")]),
        "lugworm/lugworm1.1a": chip("lugworm1.1a"),
        "lugworm/lugworm2.2b": chip("lugworm2.2b"),
        "groynej.zip": _plain("groyne1j.1a"),
        "sandbar.zip": archive([("sandbar1.1a", "something else"), ("sandbar2.2b", "sandbar2.2b")]),
        "quaybios.zip": archive([("quay.rom", "quay 1.6")]),
        "boardrom.zip": _plain("board-us.rom"),
        "seawall.zip": seawall[: len(seawall) - 60],
        "mudflatj.zip": _plain("mudflat1j.1a", "mudflat2.2b"),
        "shingle.zip": archive([("SHINGLE.ONE", "shingle1.1a"), ("shingle2.2b", "shingle2.2b")]),
        "heronry.zip": _plain("heronry1.1a", "heronry2.2b", "heronry.alt"),
        "oldpier.zip": _plain("pier.1"),
        "cockle.zip": _plain("cockle1.1a"),
        "winkle.zip": _plain("winkle1.1a"),
        "ferry.zip": _plain("ferry1.1a"),
        "ferryrom.zip": _plain("ferry-s.rom"),
        "gangway.zip": _plain("gangway1.1a"),
        "razor.zip": archive([("razor1.1a", "razor1 first dump"), ("razor2.2b", "razor2.2b")]),
        "bollard.zip": _plain("bollard1.1a"),
        "driftnet/driftnet.chd": disc("another"),
        "pontoon/pontoon.chd": disc("pontoon"),
        **{f"{name}.zip": _game(name) for name in ("tidepool", "breakwat", "limpet", "driftnet", "pontoon")},
        **{f"{name}.zip": _game(name) for name in ("estuary", "pebble", "cobble")},
    }  # fmt: skip
    return {
        "catalogue/turnstone-1.6.roster.jsonl": _roster("1.6"),
        "catalogue/turnstone-1.8.roster.jsonl": _roster("1.8"),
        **{f"{_FOLDER}/{name}": data for name, data in cabinet.items()},
        "drawer/arcade/groyne.zip": _game("groyne"),
        "drawer/arcade/sounds.zip": archive([("TONE", "tone.1")]),
        "drawer/arcade/driftnet (good).chd": disc("driftnet"),
        "drawer/arcade/razor1 better.bin": chip("razor1.1a"),
    }


_SETS: list[dict[str, Any]] = [
    {"set": "whelk", "title": "Whelk", "year": 1988, "files": [file_of("whelk1.1a"), file_of("whelk2.2b")]},
    {
        "set": "whelkj",
        "title": "Whelk (j)",
        "parent": "whelk",
        "files": [file_of("whelk1j.1a")],
    },  # none of whelk
    {"set": "cuttle", "title": "Cuttle", "year": 1989, "bios": "whelk", "files": [file_of("cuttle1.1a")]},  # is none
]
_HEAD = {"roster": 1, "emulator": "dotterel", "release": "5", "title": "Dotterel sets"}


def tabletop_files() -> dict[str, bytes]:
    """The roster, and what the drawer has for it; the machine's own folder is empty."""
    return {
        "catalogue/dotterel-5.roster.jsonl": "".join(json.dumps(line) + "\n" for line in [_HEAD, *_SETS]).encode(),
        "drawer/arcade/tabletop/whelk.zip": archive([("whelk1.1a", "whelk1.1a"), ("whelk2.2b", "whelk2.2b")]),
        "drawer/arcade/tabletop/whelk from japan.zip": archive([("whelk1j.1a", "whelk1j.1a")]),
    }
