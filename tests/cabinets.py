"""Arcade worlds on disk: rosters of some releases, archives on a rig, and what is in a drawer."""

from __future__ import annotations

import io
import json
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from tests.making import files

SHEET = """\
sheet = 1
emulator = "knot"
title = "Knot"
[folders]
sets = "sets"
[arcade]
rosters = "knot-*.roster.jsonl"
folder = "sets"
archives = ["zip"]
"""
Contents = Mapping[str, str | Mapping[str, str]]
"""Files by place; of an archive its members."""


def file(what: str, name: str = "", **more: Any) -> dict[str, Any]:
    """A file of a roster that is known by its content."""
    data = what.encode()
    return {"name": name or f"{what}.bin", "size": len(data), "crc32": f"{zlib.crc32(data):08x}", **more}


def arcade_world(
    world: Path,
    releases: Mapping[str, list[dict[str, Any]]],
    contents: Contents,
    installed: str = '"2"',
    sheet: str = SHEET,
) -> Path:
    """A rig `den` with an arcade emulator, its rosters by release, and what is on the rig and in the drawer."""
    (world / "drawer").mkdir(parents=True)
    (world / "den/sets").mkdir(parents=True)
    rosters = {f"catalogue/knot-{release}.roster.jsonl": lines(release, sets) for release, sets in releases.items()}
    there = {place: zipped(what) if isinstance(what, Mapping) else what.encode() for place, what in contents.items()}
    files(world, {**rosters, "catalogue/knot.sheet.toml": sheet.encode(), **there})
    (world / "gribble.toml").write_text(
        'sources = ["drawer"]\ncatalogues = ["catalogue"]\n'
        f'[rig.den]\nat = "den"\n[rig.den.emulators]\nknot = {installed}\n'
    )
    return world


def lines(release: str, sets: list[dict[str, Any]]) -> bytes:
    head = {"roster": 1, "emulator": "knot", "release": release}
    return "".join(json.dumps(line) + "\n" for line in (head, *sets)).encode()


def zipped(members: Mapping[str, str]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        for name, what in members.items():
            archive.writestr(zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0)), what)
    return buffer.getvalue()


SHARED = [{**file(f"mum{n}"), "parent_name": f"mum{n}.bin"} for n in range(2)]
SETS: list[dict[str, Any]] = [
    {"set": "quay", "title": "Quay System", "kind": "bios", "files": [file("boot2", "boot.bin"), file("font")]},
    {"set": "mill", "title": "Millrace (World)", "year": 1986, "maker": "Weirworks", "bios": "quay",
     "files": [file(f"mum{n}") for n in range(9)]},
    {"set": "millj", "title": "Millrace (Japan)", "parent": "mill", "files": [file("kid1"), *SHARED]},
    {"set": "kiln2", "title": "Kiln 2", "year": 1988, "maker": "Potshed", "files": [file("kiln2")]},
    {"set": "kiln", "title": "Kiln", "files": [file("kiln1")]},
    {"set": "weir", "title": "Wéir  Runner!", "year": 1990, "maker": "Sluice", "files": [file("weir")]},
    {"set": "weirb", "title": "Weir Runner", "year": 1991, "maker": "Copyists", "files": [file("weirb")]},
]  # fmt: skip
OLD: list[dict[str, Any]] = [
    {"set": "quay", "kind": "bios", "files": [file("boot1", "boot.bin")]},
    {"set": "mill", "bios": "quay", "files": [file("old mill", "mum0.bin"), *(file(f"mum{n}") for n in range(1, 7))]},
]
LYING = {
    "den/sets/quay.zip": {"boot.bin": "boot1"},
    "den/sets/mill.zip": {"mum0.bin": "old mill", **{f"mum{n}.bin": f"mum{n}" for n in range(1, 7)}},
    "den/sets/kiln2.zip": {"kiln2.bin": "kiln2"},
}
