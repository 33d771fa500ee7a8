"""The tabletop machine in the annex: a folder of sets that is still empty, and an untidy list."""

from __future__ import annotations

import json
from typing import Any

from gribble.demo.arcade import archive, file_of

DOTTEREL = """\
sheet = 1
emulator = "dotterel"
title = "Dotterel"
machines = ["Tabletop boards"]

[folders]
sets = "dotterel/sets"

[arcade]
rosters = "dotterel-*.roster.jsonl"
folder = "sets"
archives = ["zip"]
"""

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
