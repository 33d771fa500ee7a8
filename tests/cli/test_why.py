"""One thing broken at a time in a world that is right: `why` names it first, and says what to do next."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from gribble.demo.sheets import content, key_file
from gribble.demo.world import build_world
from tests.conftest import Gribble

Break = Callable[[Path], None]


def gone(path: str) -> Break:
    return lambda rigs: (rigs / path).unlink()


def holds(path: str, data: bytes) -> Break:
    def change(rigs: Path) -> None:
        (rigs / path).write_bytes(data)

    return change


def says(path: str, old: str, new: str) -> Break:
    def change(rigs: Path) -> None:
        text = (rigs / path).read_text()
        assert old in text
        (rigs / path).write_text(text.replace(old, new))

    return change


def installed(old: str, new: str) -> Break:
    return says("../gribble.toml", old, new)


SYSTEM, CURLEW = "lighthouse/redshank/system", "lighthouse/curlew"
CASES: dict[str, tuple[str, Break, str, str, str]] = {
    # name: emulator, what is broken, what stands first, its verdict, words of its reason
    "no BIOS": ("avocet", gone("lighthouse/avocet/rom/skerry-boot.rom"), "skerry-boot", "missing", "not found"),
    "wrong BIOS": ("avocet", holds("lighthouse/avocet/rom/skerry-boot.rom", content("clock")), "skerry-boot", "imposter", "sandpiper's Clock"),
    "no image, which is only better": ("redshank", gone(f"{SYSTEM}/petrel.slab"), "petrel-disk", "missing", "not found"),
    "no firmware": ("redshank", gone(f"{SYSTEM}/petrel.fw"), "petrel-firmware", "missing", "not found"),
    "firmware too new": ("redshank", installed('redshank = "2.4"', 'redshank = "1.5"'), "petrel-firmware", "unfit", ">=2.0"),
    "a key that the firmware requires": ("redshank", holds(f"{SYSTEM}/petrel.keys", key_file("seal_a", "seal_b")), "petrel-firmware", "unfit", "needs seal_c"),
    "a key missing": ("redshank", holds(f"{SYSTEM}/petrel.keys", key_file("seal_a", "seal_c")), "petrel-keys", "damaged", "seal_b is missing"),
    "a key wrong": ("redshank", holds(f"{SYSTEM}/petrel.keys", key_file("seal_a", "seal_c", seal_b="00" * 16)), "petrel-keys", "imposter", "seal_b is not the right one"),
    "both of a choice": ("curlew", gone(f"{CURLEW}/bios/fulmar-us.rom"), "fulmar-eu", "missing", "not found"),
    "one of many files": ("curlew", gone(f"{CURLEW}/desk/desk.dat"), "fulmar-desk", "missing", "4 of 5 files are right; 1 missing (desk.dat)"),
    "ini": ("sandpiper", says("lighthouse/sandpiper/sandpiper.ini", "tern16.rom", "tern99.rom"), "paths.tern16_rom", "wrong", "tern99.rom, and there is nothing"),
    "ini, a folder": ("sandpiper", says("lighthouse/sandpiper/sandpiper.ini", "carts = sand", "carts = hand"), "paths.carts", "wrong", "not to sandpiper/carts"),
    "toml": ("dunlin", says("lighthouse/apps/dunlin/dunlin.toml", "lumen.bin", "LUMEN.BIN"), "roms.boot", "wrong", "spelled lumen.bin"),
    "json": ("redshank", says("lighthouse/redshank/redshank.json", "petrel.fw", "petrel.slab"), "system.firmware", "wrong", "but it is really redshank's Petrel system disk"),
    "yaml": ("whimbrel", says("stick/WHIMBREL/WHIMBREL.YAML", "/media/stick", "/media/card"), "machine.boot", "wrong", "leads out of the rig"),
    "xml": ("curlew", says(f"{CURLEW}/voice.xml", "voice-eu", "voice-xx"), "voice.rom", "wrong", "voice-xx"),
    "volume": ("whimbrel", installed('volume = "fat32"', 'volume = "ntfs"'), "stick", "wrong", "is ntfs, but must be fat32"),
    "label": ("whimbrel", installed('label = "GAMESROOM"', 'label = "ROOM"'), "stick", "wrong", 'must be "GAMESROOM"'),
    "a release unheard of": ("redshank", lambda rigs: (installed('"2.4"', '"x"')(rigs), gone(f"{SYSTEM}/petrel.fw")(rigs))[0], "redshank", "unproven", "is not a version number"),
}  # fmt: skip


@pytest.fixture(scope="module")
def right(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The world with every file in its place, nothing else held, and no fault in the game folders."""
    world = tmp_path_factory.mktemp("why") / "world"
    build_world(world)
    shutil.copytree(world / "drawer", world / "held")
    (world / "held/sound").write_bytes(content("vesper-sound"))
    return world


def test_why_names_the_broken_thing_first(gribble: Gribble, right: Path) -> None:
    config = right / "gribble.toml"
    config.write_text(config.read_text().replace('sources = ["drawer"]', 'sources = ["held"]'))
    gribble("place", "--yes", cwd=right)
    gribble("attic", "empty", "--yes", cwd=right)  # what was displaced would be held
    config.write_text(
        re.sub(r"^(knot|redshank = \"1.9\").*\n", "", config.read_text().replace('["held"]', "[]"), flags=re.M)
    )
    for path in ("lighthouse/redshank/games", f"{CURLEW}/disks", "stick/redshank"):
        shutil.rmtree(right / "rigs" / path)
    for emulator in ("avocet", "redshank", "curlew", "sandpiper", "dunlin", "whimbrel"):
        assert "It is ready" in gribble("why", emulator, cwd=right, code=0).out
    shutil.copytree(right, right.parent / "kept", symlinks=True)
    for name, (emulator, broken, first, verdict, words) in CASES.items():
        broken(right / "rigs")
        answer = gribble("why", emulator, "--json", cwd=right, code=1).json
        reason = answer["reasons"][0]
        subject = next(
            reason[kind]
            for kind in ("need", "setting", "rig", "release")
            if kind in reason and (kind != "rig" or not {"need", "setting", "release"} & reason.keys())
        )
        assert (subject, reason["verdict"]) == (first, verdict), name
        assert words in reason["reason"], name
        shutil.rmtree(right / "rigs")
        shutil.copytree(right.parent / "kept/rigs", right / "rigs", symlinks=True)
        shutil.copy(right.parent / "kept/gribble.toml", config)
