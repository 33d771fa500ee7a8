"""Random worlds on disk, judged by an oracle that knows nothing of the program: what is held is never to be obtained, what is no
dump never ready, an answer does not hang on what was asked before, and what is placed is right and can be taken back."""

from __future__ import annotations

import hashlib
import io
import json
import os
import random
import shutil
import struct
import zipfile
import zlib
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Gribble, tree
from tests.making import files

WORLDS = 250 if os.environ.get("GRIBBLE_SOAK") else 10
"""How many worlds each part of the test looks at; each is checked, placed, checked and undone."""
KEY = b"neap tide"


def junk(dice: random.Random) -> bytes:
    """What is plainly no dump."""
    cut = packed({"x": bytes(range(200))})[:-30]
    return dice.choice([b"", b"\xff" * 512, b"<!DOCTYPE html><title>404</title>" * 9, cut])


def packed(members: dict[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return buffer.getvalue()


def locked(content: bytes) -> bytes:
    stream = KEY * (len(content) // len(KEY) + 1)
    return b"LOCKED" + bytes(one ^ other for one, other in zip(content, stream, strict=False))


TIDE, LATER = "ab" * 20, b"known to a later release alone"
DISC = struct.pack(">8sII", bytes.fromhex("4d436f6d70724844"), 124, 5) + bytes(68) + bytes.fromhex(TIDE) + bytes(60)
ROSTERS = {
    "1": [{"set": "tide", "files": [], "discs": [{"name": "tide", "sha1": TIDE}]}],
    "2": [{"set": "ebb", "files": [{"name": "e.1", "size": len(LATER), "crc32": f"{zlib.crc32(LATER):08x}"}]}],
}
"""What the arcade emulator's releases know, of which the first is installed."""
TURN = 'turn = { release = "1", wanted = ["tide"] }\n'


class World:
    """One or two rigs with one emulator; each need has a content of its own, or none that a digest proves."""

    def __init__(self, seed: int) -> None:
        dice = self.dice = random.Random(seed)
        self.rigs = ["one", "two"][: dice.randint(1, 2)]
        self.contents = [dice.randbytes(dice.randint(300, 900)) for _ in range(4)]
        self.known = [dice.choice(["sha1 and size", "md5", "crc32 and size", "sha1", "nothing"]) for _ in self.contents]
        self.alias = [dice.random() < 0.4 for _ in self.contents]
        self.there: dict[tuple[str, str], bytes] = {}
        for rig in self.rigs:
            for number in range(len(self.contents)):
                for ending in (".rom", ".bin") if self.alias[number] else (".rom",):
                    if dice.random() < 0.5:
                        what = [self.contents[number], dice.choice(self.contents), junk(dice), dice.randbytes(64)]
                        self.there[rig, f"n{number}{ending}"] = dice.choice(what)
        self.drawer: dict[str, bytes] = {"readme.md": b"all that washed up\n" * 9}
        self.held, self.misled = set[int](), set[int]()
        self.disc = {rig: dice.choice(["", "sets/tide.chd", "sets/tide/tide.chd"]) for rig in self.rigs}
        self.disc_held = dice.random() < 0.5
        for number, content in enumerate(self.contents):
            self._hold(number, content)

    def _hold(self, number: int, content: bytes) -> None:
        how = self.dice.choice(["not", "loose", "zipped", "zipped under its name", "locked", "wrong zip"])
        name = f"washed up {number}"
        match how:
            case "loose":
                self.drawer[f"{name}.dat"] = content
            case "zipped":
                self.drawer[f"{name}.zip"] = packed({"deep/x.bin": content, "y": b"other" * 9})
            case "zipped under its name":
                self.drawer[f"n{number}.rom.zip"] = packed({"x.bin": content})
            case "locked":
                self.drawer |= {f"{name}/n{number}.rom": locked(content), f"{name}/any.thing": KEY}
            case "wrong zip":
                self.drawer[f"n{number}.zip"] = packed({f"n{number}.rom": b"another" * 40})
                self.misled.add(number)
        if how not in ("not", "wrong zip"):
            self.held.add(number)

    def build(self, root: Path) -> None:
        """The world on disk, the sheet with what it knows of each content."""
        files(root, {f"{rig}/boot/{name}": data for (rig, name), data in self.there.items()})
        files(root, {f"drawer/{name}": data for name, data in self.drawer.items()})
        for rig in self.rigs:
            (root / rig / "boot").mkdir(parents=True, exist_ok=True)
            files(root, {f"{rig}/{self.disc[rig]}": DISC} if self.disc[rig] else {})
        files(root, {"drawer/t.chd": DISC} if self.disc_held else {})
        for release, sets in ROSTERS.items():
            lines = [{"roster": 1, "emulator": "turn", "release": release}, *sets]
            files(
                root,
                {
                    f"catalogue/turn-{release}.roster.jsonl": "".join(
                        map("{}\n".format, map(json.dumps, lines))
                    ).encode()
                },
            )
        arcade = 'sheet = 1\nemulator = "turn"\n[folders]\nsets = "sets"\n[arcade]\nrosters = "turn-*.roster.jsonl"\nfolder = "sets"\n'
        files(root, {"catalogue/turn.sheet.toml": arcade.encode(), "drawer/later.bin": LATER})
        text = 'sheet = 1\nemulator = "plover"\n[folders]\nboot = "boot"\n'
        for number, content in enumerate(self.contents):
            aliases = f'aliases = ["n{number}.bin"]\n' if self.alias[number] else ""
            text += f'[[need]]\nid = "n{number}"\nfolder = "boot"\nname = "n{number}.rom"\n{aliases}'
            text += self._accept(self.known[number], content)
        files(root, {"catalogue/plover.sheet.toml": text.encode()})
        rigs = "".join(f'[rig.{rig}]\nat = "{rig}"\n[rig.{rig}.emulators]\nplover = {{}}\n{TURN}' for rig in self.rigs)
        (root / "gribble.toml").write_text(f'sources = ["drawer"]\ncatalogues = ["catalogue"]\n{rigs}')

    def _accept(self, known: str, content: bytes) -> str:
        digests = {
            "sha1": hashlib.sha1(content, usedforsecurity=False).hexdigest(),
            "md5": hashlib.md5(content, usedforsecurity=False).hexdigest(),
            "crc32": f"{zlib.crc32(content):08x}",
        }
        word = known.partition(" ")[0]
        if word not in digests:
            return ""
        size = f"size = {len(content)}\n" if "size" in known else ""
        return f'[[need.accept]]\n{size}{word} = "{digests[word]}"\n'


class Oracle:
    """What is true of a world, found the slow way."""

    def __init__(self, world: World) -> None:
        self.world = world
        everywhere = [*world.there.values()]
        self.held = {number for number, one in enumerate(world.contents) if number in world.held or one in everywhere}

    def at(self, rig: str, number: int) -> list[bytes]:
        """What is under the names of a need."""
        names = (f"n{number}.rom", f"n{number}.bin") if self.world.alias[number] else (f"n{number}.rom",)
        return [data for name in names if (data := self.world.there.get((rig, name))) is not None]

    def met(self, rig: str, number: int) -> bool:
        """Whether the emulator has what it wants, as far as a digest or common sense tell."""
        there = self.at(rig, number)
        if self.world.known[number] == "nothing":
            return bool(there) and not any(map(self._is_junk, there))
        return bool(there) and all(one == self.world.contents[number] for one in there)

    def wrong_beside_right(self, rig: str, number: int) -> str:
        """The name under which a wrong file is beside the right one; empty if that is not so."""
        names = [f"n{number}.rom", f"n{number}.bin"] if self.world.known[number] != "nothing" else []
        there = {name: data for name in names if (data := self.world.there.get((rig, name))) is not None}
        wrong = [name for name, data in there.items() if data != self.world.contents[number]]
        return wrong[0] if len(there) == 2 and len(wrong) == 1 and self.world.alias[number] else ""

    def _is_junk(self, data: bytes) -> bool:
        return not data or len(set(data)) == 1 or data.startswith(b"<!DOCTYPE")  # what is packed may be what is wanted


def looked(gribble: Gribble, root: Path) -> dict[str, Any]:
    """The answer of check, by rig and need."""
    answer = gribble("check", "--json", cwd=root).json
    return {
        f"{rig['rig']} {one['need']}": {key: what for key, what in one.items() if key != "proven"}
        for rig in answer["rigs"]
        for each in rig["emulators"]
        for one in each["needs"]
    }


@pytest.mark.parametrize("part", range(4))
def test_what_is_said_placed_and_undone_is_right(gribble: Gribble, tmp_path: Path, part: int) -> None:
    for seed in range(part * WORLDS, (part + 1) * WORLDS):
        world, root = World(seed), tmp_path / str(seed)
        world.build(root)
        oracle, before = Oracle(world), tree(root)
        found = looked(gribble, root)
        assert looked(gribble, root) == found, f"world {seed}: the second answer is another"
        for rig in world.rigs:
            for number in range(len(world.contents)):
                one = found[f"{rig} n{number}"]
                met = one["verdict"] in ("sound", "unproven")
                assert met == oracle.met(rig, number), f"world {seed}, {rig} n{number}: {one}"
                if world.known[number] != "nothing" and not met:
                    obtain = one["remedy"] == "obtain"
                    assert obtain == (number not in oracle.held), f"world {seed}, {rig} n{number}: {one}"
                    if one["verdict"] == "missing" and number in world.misled:
                        assert f"n{number}." in one["reason"], f"world {seed}, {rig} n{number}: {one}"
                if wrong := oracle.wrong_beside_right(rig, number):
                    assert one["found"] == f"boot/{wrong}", f"world {seed}, {rig} n{number}: {one}"
        done = gribble("place", "--yes", cwd=root)
        assert "refused" not in done.out, f"world {seed}: {done.out}"
        after = looked(gribble, root)
        for key, one in after.items():
            number = int(key.rpartition("n")[2])
            right = world.known[number] != "nothing" and number in oracle.held
            assert not right or one["verdict"] == "sound", f"world {seed}, {key}: {found[key]}; then {one}"
        discs = world.disc_held or any(world.disc.values())
        for rig, at in world.disc.items():
            assert (root / rig / "sets/tide/tide.chd").exists() == discs, f"world {seed}: {rig}"
            assert at == "sets/tide/tide.chd" or not at or not (root / rig / at).exists(), f"world {seed}: a stray"
        if "Done" in done.out:
            gribble("undo", "--yes", cwd=root, code=0)
        now = {path: what for path, what in tree(root).items() if ".gribble" not in path}
        assert now == {path: what for path, what in before.items() if ".gribble" not in path}, f"world {seed}"
        shutil.rmtree(root)


@pytest.mark.parametrize("part", range(2))
def test_an_answer_does_not_hang_on_what_was_asked_before(gribble: Gribble, tmp_path: Path, part: int) -> None:
    """Lists arrive between the questions, in any order, and the last answer is that of who asks it first."""
    for seed in range(part * WORLDS, (part + 1) * WORLDS):
        world, root, fresh = World(seed), tmp_path / f"{seed}", tmp_path / f"{seed} fresh"
        world.build(root)
        world.build(fresh)
        whole = (root / "catalogue/plover.sheet.toml").read_text()
        needs = whole.split("[[need]]")
        for count in world.dice.sample(range(1, len(needs)), 2):
            (root / "catalogue/plover.sheet.toml").write_text("[[need]]".join(needs[:count]))
            question = world.dice.choice([("check",), ("identify", "drawer"), ("needs",), ("plan",)])
            gribble(*question, cwd=root)
        (root / "catalogue/plover.sheet.toml").write_text(whole)
        asked, first = looked(gribble, root), looked(gribble, fresh)
        text = str(asked).replace(str(root), "")
        assert text == str(first).replace(str(fresh), ""), f"world {seed}"
        told = gribble("identify", "drawer", "--json", cwd=root).json
        assert told["counts"]["elsewhere"] == 1, f"world {seed}: what the later release knows"
        shutil.rmtree(root)
        shutil.rmtree(fresh)


@pytest.mark.parametrize("part", range(2))
def test_what_is_captured_is_ready_where_it_was_and_two_releases_are_not_mixed(
    gribble: Gribble, tmp_path: Path, part: int
) -> None:
    for seed in range(part * WORLDS, (part + 1) * WORLDS):
        dice, root = random.Random(seed), tmp_path / str(seed)
        names = dice.sample("abcdef", dice.randint(2, 5))
        first = {f"{name}.rom": dice.randbytes(40) for name in names}
        second = {name: data if dice.random() < 0.5 else dice.randbytes(40) for name, data in first.items()}
        second |= {"new.rom": dice.randbytes(40)} if dice.random() < 0.5 else {}
        for rig, there in (("one", first), ("two", second)):
            files(root, {f"{rig}/copy/{name}": data for name, data in there.items()})
        (root / "catalogue").mkdir()
        rigs = "".join(f'[rig.{rig}]\nat = "{rig}"\n' for rig in ("one", "two"))
        (root / "gribble.toml").write_text(f'catalogues = ["catalogue"]\n{rigs}')
        words = ("--emulator", "copy", "--release")
        gribble("catalogue", "capture", "one", *words, "1", "--out", "catalogue/copy.sheet.toml", cwd=root, code=0)
        gribble("catalogue", "capture", "two", *words, "2", "--into", "catalogue/copy.sheet.toml", cwd=root, code=0)
        for rig, release in (("one", "1"), ("two", "2")):
            gribble("rigs", "enter", "copy", "--rig", rig, "--release", release, "--yes", cwd=root, code=0)
        answer = gribble("check", "--json", cwd=root).json
        assert answer["state"] == "ready", f"world {seed}: {answer}"
        mixed = gribble("check", "copy", "--rig", "one", "--as", "copy=2", "--json", cwd=root).json
        assert (mixed["state"] == "ready") == (first == second), f"world {seed}"
        shutil.rmtree(root)
