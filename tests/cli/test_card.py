"""What fits a card is really placed, and fits: fit and place count the same in every style and without one."""

from __future__ import annotations

import hashlib
import io
import json
import os
import random
import zipfile
import zlib
from pathlib import Path
from typing import Any

import pytest

from gribble.core.base.style import Style
from tests.conftest import Gribble

CARDS = 100 if os.environ.get("GRIBBLE_SOAK") else 6
CLUSTER = 4096
SHEET = """\
sheet = 1
emulator = "knot"
[folders]
sets = "sets"
[arcade]
rosters = "knot-*.roster.jsonl"
folder = "sets"
"""


class Card:
    """A random collection in a drawer, and an empty card for it."""

    def __init__(self, folder: Path, seed: int, style: str) -> None:
        dice = self.dice = random.Random(seed)
        self.folder = folder
        self.contents: dict[str, bytes] = {}
        shared = [self._file(f"shared{n}") for n in range(2)]
        sets: list[dict[str, Any]] = [
            {"set": "sys", "kind": "bios", "files": [self._file("boot"), {**self._file("boot2"), "optional": True}]},
            {"set": "tone", "kind": "device", "files": [self._file("tone")]},
        ]
        for mum in range(dice.randint(1, 3)):
            more: dict[str, Any] = {"bios": "sys"} if dice.random() < 0.5 else {}
            more |= {"devices": ["tone"]} if dice.random() < 0.3 else {}
            own = [self._file(f"m{mum}-{n}") for n in range(dice.randint(1, 3))]
            sets.append({"set": f"mum{mum}", **more, "files": [*own, *(shared if dice.random() < 0.5 else [])]})
            for kid in range(dice.randint(0, 3)):
                files = [self._file(f"k{mum}{kid}-{n}") for n in range(dice.randint(1, 2))]
                if dice.random() < 0.6:
                    files += [{**one, "parent_name": one["name"]} for one in own[:1]]
                sets.append({"set": f"kid{mum}{kid}", "parent": f"mum{mum}", "files": files})
        self.games = [one["set"] for one in sets if "kind" not in one]
        lines = [{"roster": 1, "emulator": "knot", "release": "1"}, *sets]
        self._write("catalogue/knot-1.roster.jsonl", "".join(json.dumps(one) + "\n" for one in lines).encode())
        self._write("catalogue/knot.sheet.toml", SHEET.encode())
        self._hold()
        (folder / "card").mkdir()
        self.config(style, self.games)

    def config(self, style: str, wanted: list[str]) -> None:
        more = f', style = "{style}", stubs = true' if style else ""
        self._write(
            "gribble.toml",
            f'sources = ["drawer"]\ncatalogues = ["catalogue"]\n[rig.card]\nat = "card"\n[rig.card.emulators]\n'
            f'knot = {{ release = "1", wanted = {json.dumps(wanted)}{more} }}\n'.encode(),
        )

    def _file(self, name: str) -> dict[str, Any]:
        data = self.dice.randbytes(self.dice.choice([10, 500, 5_000, 40_000]))
        self.contents[name] = data if self.dice.random() < 0.5 else data[: len(data) // 10].ljust(len(data), b"x")
        data = self.contents[name]
        sha1 = hashlib.sha1(data, usedforsecurity=False).hexdigest()
        return {"name": f"{name}.bin", "size": len(data), "crc32": f"{zlib.crc32(data):08x}", "sha1": sha1}

    def _hold(self) -> None:
        """Some loose, some in archives of several kinds of packing."""
        packs: dict[str, list[str]] = {}
        for name in self.contents:
            packs.setdefault(self.dice.choice(["", "a", "b", "c"]), []).append(name)
        for pack, names in packs.items():
            buffer = io.BytesIO()
            with zipfile.ZipFile(buffer, "w", self.dice.choice([zipfile.ZIP_DEFLATED, zipfile.ZIP_STORED])) as archive:
                for name in names:
                    archive.writestr(name, self.contents[name])
                    if not pack:
                        self._write(f"drawer/{name}", self.contents[name])
            if pack:
                self._write(f"drawer/{pack}.zip", buffer.getvalue())

    def _write(self, path: str, data: bytes) -> None:
        (self.folder / path).parent.mkdir(parents=True, exist_ok=True)
        (self.folder / path).write_bytes(data)

    @property
    def taken(self) -> int:
        files = [path for path in (self.folder / "card").rglob("*") if path.is_file() and ".gribble" not in path.parts]
        return sum(-(-path.stat().st_size // CLUSTER) * CLUSTER for path in files)


@pytest.mark.parametrize("style", ["", *Style])
def test_every_selection_is_placed_and_fits(gribble: Gribble, tmp_path: Path, style: str) -> None:
    for seed in range(CARDS):
        card = Card(tmp_path / str(seed), seed, style)
        budget = card.dice.choice([20_000, 60_000, 120_000, 400_000])
        words = ("sets", "fit", "--bytes", str(budget), "--cluster", str(CLUSTER), "--json", "--out", "card.txt")
        answer = gribble(*words, cwd=card.folder).json
        assert answer["bytes"] <= budget
        card.config(style, answer["chosen"])
        if not answer["chosen"]:
            continue
        gribble("place", "--yes", cwd=card.folder, code=0)
        assert card.taken <= answer["bytes"], f"card {seed}: {answer['bytes']:,} said, {card.taken:,} written"
        found = gribble("sets", "check", "--json", cwd=card.folder, code=0).json
        assert [one["state"] for one in found["rigs"][0]["emulators"][0]["sets"]] == ["ready"] * len(answer["chosen"])
