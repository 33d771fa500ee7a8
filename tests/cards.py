"""A random collection of sets in a drawer, and a card for it."""

from __future__ import annotations

import hashlib
import io
import json
import random
import struct
import zipfile
import zlib
from pathlib import Path
from typing import Any

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

    def __init__(self, folder: Path, seed: int, style: str, *, untidy: bool = False) -> None:
        """An `untidy` one lacks files, has poor, undumped, optional and choice files, variants and discs, and is on the
        card in part."""
        dice = self.dice = random.Random(seed)
        self.untidy = untidy
        self.folder = folder
        self.contents: dict[str, bytes] = {}
        shared = [self._file(f"shared{n}") for n in range(2)]
        sets: list[dict[str, Any]] = [
            self._bios(),
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
        for one in sets if untidy else []:
            self._roughen(one)
        self.games = [one["set"] for one in sets if "kind" not in one]
        lines = [{"roster": 1, "emulator": "knot", "release": "1"}, *sets]
        self._write("catalogue/knot-1.roster.jsonl", "".join(json.dumps(one) + "\n" for one in lines).encode())
        self._write("catalogue/knot.sheet.toml", SHEET.encode())
        self._hold()
        (folder / "card").mkdir(exist_ok=True)
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

    def _bios(self) -> dict[str, Any]:
        files = [self._file("boot"), {**self._file("boot2"), "optional": True}]
        if self.untidy and self.dice.random() < 0.6:
            more = [{**self._file(f"v{n}"), "variant": name} for n, name in enumerate(("eu", "us", "us"))]
            return {"set": "sys", "kind": "bios", "variants": ["eu", "us"], "files": [*files, *more]}
        return {"set": "sys", "kind": "bios", "files": files}

    def _roughen(self, one: dict[str, Any]) -> None:
        """Make some files of a set odd, and give it a disc."""
        for file in one["files"]:
            if "parent_name" in file or "variant" in file:
                continue
            odd = self.dice.choice(["", "", "", "undumped", "suspect", "optional", "choice"])
            more: dict[str, Any] = {"state": odd} if odd in ("undumped", "suspect") else {}
            more |= {"optional": True} if odd == "optional" else {"choice": "c"} if odd == "choice" else {}
            file.update(more)
        if "kind" not in one and self.dice.random() < 0.3:
            sha1 = hashlib.sha1(one["set"].encode(), usedforsecurity=False).digest()
            one["discs"] = [{"name": one["set"], "sha1": sha1.hex()}]
            if self.dice.random() < 0.7:
                head = bytes.fromhex("4d436f6d70724844") + struct.pack(">II", 124, 5)
                place = self.dice.choice([f"card/sets/{one['set']}/{one['set']}.chd", f"drawer/{one['set']}.chd"])
                self._write(place, head.ljust(84, b"\0") + sha1 + bytes(20))

    def _hold(self) -> None:
        """Some loose, some in archives of several kinds of packing."""
        packs: dict[str, list[str]] = {}
        places = ["", "a", "b", "c"]
        if self.untidy:
            places += [f"card/sets/{name}" for name in self.dice.sample(self.games, len(self.games) // 2 + 1)] + [
                "none"
            ]
        for name in self.contents:
            packs.setdefault(self.dice.choice(places), []).append(name)
        packs.pop("none", None)
        for pack, names in packs.items():
            buffer = io.BytesIO()
            with zipfile.ZipFile(buffer, "w", self.dice.choice([zipfile.ZIP_DEFLATED, zipfile.ZIP_STORED])) as archive:
                for name in names:
                    archive.writestr(name, self.contents[name])
                    if not pack:
                        self._write(f"drawer/{name}", self.contents[name])
            if pack:
                self._write(f"{pack}.zip" if "/" in pack else f"drawer/{pack}.zip", buffer.getvalue())

    def _write(self, path: str, data: bytes) -> None:
        (self.folder / path).parent.mkdir(parents=True, exist_ok=True)
        (self.folder / path).write_bytes(data)

    @property
    def taken(self) -> int:
        files = [path for path in (self.folder / "card").rglob("*") if path.is_file() and ".gribble" not in path.parts]
        return sum(-(-path.stat().st_size // CLUSTER) * CLUSTER for path in files)
