"""`gribble init --again`: what is new on disk is added to a gribble.toml, and nothing else in it changes."""

from __future__ import annotations

import tomllib
from pathlib import Path

import pytest

from tests.conftest import Gribble
from tests.making import A, files, need, sheet, small_world

HEAD = """\
# My own words.
sources = [
    "drawer",   # the deep one
]
catalogues = ["catalogue"]

[rig.rig]            # in the den
at = "rig"
"""
PLOVER = '\n[rig.rig.emulators]\nplover = "1"      # since spring\n'


def told(world: Path) -> dict[str, object]:
    return tomllib.loads((world / "gribble.toml").read_text())


def test_what_is_new_is_added_and_comments_stay(gribble: Gribble, world: Path) -> None:
    before = (world / "gribble.toml").read_text()
    (world / "gribble.toml").write_text(before + "# the end")
    ended = gribble("init", "--again", cwd=world, code=0)
    assert "source discs" in ended.out
    text = (world / "gribble.toml").read_text()
    assert told(world) == {**tomllib.loads(before), "sources": ["drawer", "discs"]}
    for line in before.splitlines():
        assert line in text or line.startswith("sources = ")
    assert "# the end" in text
    gribble("check", "--quiet", cwd=world, code=1)
    assert "Nothing is new" in gribble("init", "--again", cwd=world, code=0).out
    assert (world / "gribble.toml").read_text() == text


@pytest.mark.parametrize("end", ["\n", "\r\n"])
@pytest.mark.parametrize("emulators", ["", PLOVER, '\n[rig.rig.emulators.plover]\nrelease = "1"\n'])
def test_rigs_and_emulators_are_added_however_the_file_is_written(
    gribble: Gribble, tmp_path: Path, end: str, emulators: str
) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A, "rig/firmware/x": A, "other/firmware/y": A, "more/z": A})
    sheet(world, need("a", A), emulator="dunlin", folder="firmware")
    written = (HEAD + emulators).replace("\n", end).encode()
    (world / "gribble.toml").write_bytes(written)
    gribble("init", "--again", cwd=world, code=0)
    added = (world / "gribble.toml").read_bytes()
    rig = tomllib.loads(written.decode())["rig"]["rig"].get("emulators", {})
    assert told(world) == {
        "sources": ["drawer", "more"],
        "catalogues": ["catalogue"],
        "rig": {
            "rig": {"at": "rig", "emulators": {**rig, "dunlin": {}}},
            "other": {"at": "other", "emulators": {"dunlin": {}}},
        },
    }
    assert added.count(b"\r\n") == (added.count(b"\n") if end == "\r\n" else 0)
    for comment in (b"# My own words.", b"# the deep one", b"# in the den"):
        assert comment in added
    gribble("check", "--quiet", cwd=world, code=1)


def test_what_a_rig_leaves_out_stays_out(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(
        tmp_path / "small", {"drawer/x": A, "rig/firmware/x": A, "twin/boot/x": A, "twin/firmware/y": A}
    )
    sheet(world, need("a", A), emulator="dunlin", folder="firmware")
    text = (
        HEAD
        + PLOVER
        + 'dunlin = "2"\n\n[rig.twin]\nat = "twin"\nlike = "rig"\n\n[rig.twin.emulators]\ndunlin = false\n'
    )
    (world / "gribble.toml").write_text(text)
    assert "Nothing is new" in gribble("init", "--again", cwd=world, code=0).out
    rigs = gribble("check", "--json", cwd=world, code=1).json["rigs"]
    assert [[one["emulator"] for one in rig["emulators"]] for rig in rigs] == [["plover", "dunlin"], ["plover"]]


def test_bad_input_is_told_and_nothing_is_written(gribble: Gribble, tmp_path: Path) -> None:
    assert "gribble init writes one" in gribble("init", "--again", cwd=tmp_path, code=2).err
    world = small_world(tmp_path / "small", {"drawer/x": A})
    files(world, {"more/x": A})
    (world / "gribble.toml").write_text("sources = 3\n")
    assert "sources" in gribble("init", "--again", cwd=world, code=2).err
    assert (world / "gribble.toml").read_text() == "sources = 3\n"
