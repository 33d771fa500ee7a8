"""`gribble discs check` on the shelf of the made-up world, and on what is no disc at all."""

from __future__ import annotations

from pathlib import Path

import pytest

from gribble.demo.discs import DISCS
from tests.conftest import Gribble, tree


def test_every_seeded_disc_gets_its_verdict(gribble: Gribble, world: Path) -> None:
    before = tree(world)
    answer = gribble("discs", "check", "discs", "--json", cwd=world, code=1).json
    assert answer["gribble"] == "discs/1"
    found = {
        one["path"].removeprefix("discs/"): (one["verdict"], one["findings"][0]["fault"] if one["findings"] else "")
        for one in answer["files"]
    }
    assert found == DISCS
    shown = gribble("discs", "check", "discs", cwd=world, code=1, COLUMNS="200").out
    assert "13 sheets and images: 4 sound, 1 unproven, 7 damaged, 1 imposter" in shown
    assert "line 1: is there as Salt Pan.bin, in another case" in shown
    assert "rename it to Old Pier.m3u" in shown
    assert "PONTOON_1 (TERN)" in gribble("discs", "check", "discs", "-v", cwd=world, code=1, COLUMNS="200").out
    assert tree(world) == before


def test_one_sheet_and_the_game_folders_of_the_rigs(gribble: Gribble, world: Path) -> None:
    one = gribble("discs", "check", "discs/Herring Run/Herring Run.cue", "--json", cwd=world, code=0).json
    assert [(each["path"], each["verdict"]) for each in one["files"]] == [
        ("discs/Herring Run/Herring Run.cue", "sound")
    ]
    assert gribble("discs", "check", "--json", cwd=world).json["gribble"] == "discs/1"


def test_check_with_games_tells_of_sheets_in_game_folders(gribble: Gribble, world: Path) -> None:
    (world / "rigs/stick/KNOT/REELS/wave.cue").write_text('FILE "wave.bin" BINARY\nTRACK 01 AUDIO\nINDEX 01 00:00:00\n')
    media = [
        one
        for rig in gribble("check", "--games", "--json", cwd=world, code=1).json["rigs"]
        for emulator in rig["emulators"]
        for one in emulator["media"]
    ]
    assert ("damaged", "wave.bin: line 1: is not there") in [
        (one["verdict"], one["reason"]) for one in media if one["file"].endswith("wave.cue")
    ]


@pytest.mark.parametrize(
    ("words", "say"),
    [(("discs", "check", "nowhere"), "there is no nowhere"), (("discs", "check", "--rig", "nowhere"), "is no rig")],
)
def test_bad_input(gribble: Gribble, world: Path, words: tuple[str, ...], say: str) -> None:
    assert say in gribble(*words, cwd=world, code=2).err


def test_playlists_are_listed_then_written_merged_and_undone(gribble: Gribble, world: Path) -> None:
    answer = gribble("discs", "playlist", "discs", "--json", cwd=world, code=0).json
    assert [(one["path"], one["missing"]) for one in answer["playlists"]] == [("discs/Pontoon.m3u", [])]
    assert not (world / "discs/Pontoon.m3u").exists()
    shown = gribble("discs", "playlist", "discs", "--into", "lists", cwd=world, code=1).out
    assert "Write 1 to lists?" in shown
    gribble("discs", "playlist", "discs", "--into", "lists", "--yes", cwd=world, code=0)
    written = world / "lists/Pontoon.m3u"
    assert written.read_bytes() == b"../discs/Pontoon (Disc 1).iso\n../discs/Pontoon (Disc 2).iso\n"
    assert "say the same" in gribble("discs", "playlist", "discs", "--into", "lists", "--yes", cwd=world, code=0).out
    written.write_text("# mine\nother.iso\n")
    gribble("discs", "playlist", "discs", "--into", "lists", "--yes", cwd=world, code=0)
    assert written.read_text().splitlines()[0] == "# mine"
    assert (world / "lists/Pontoon.m3u.before-1").read_text() == "# mine\nother.iso\n"
    assert (
        "sources are never written" in gribble("discs", "playlist", "discs", "--into", "drawer", cwd=world, code=2).err
    )
    before = tree(world / "rigs")
    gribble("discs", "playlist", "discs", "--into", "rigs/stick/lists", "--yes", cwd=world, code=0)
    assert (world / "rigs/stick/lists/Pontoon.m3u").read_text().startswith("../../../discs/Pontoon")
    gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world / "rigs") == before
    assert "is no folder" in gribble("discs", "playlist", "nowhere", cwd=world, code=2).err
    assert "Use one of the two" in gribble("discs", "playlist", "discs", "--into", "x", "--json", cwd=world, code=2).err
