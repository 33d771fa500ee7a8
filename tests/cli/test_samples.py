"""Sound samples: archives beside those of the sets, told by names, without which a set is limited."""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

import pytest

from tests.cabinets import SHEET, arcade_world, file
from tests.conftest import Gribble

SOUNDS = {"set": "bells", "files": ["hit.wav", "Miss.wav"]}
SETS: list[dict[str, Any]] = [
    {"set": "kiln", "title": "Kiln", "files": [file("kiln1")], "samples": SOUNDS},
    {"set": "kilnj", "title": "Kiln (Japan)", "parent": "kiln", "files": [file("kiln2")], "samples": SOUNDS},
]
GAMES = {"den/sets/kiln.zip": {"kiln1.bin": "kiln1"}, "den/sets/kilnj.zip": {"kiln2.bin": "kiln2"}}
WHOLE = {"hit.wav": "hit", "miss.wav": "miss", "more.wav": "more"}
SPOKEN = SHEET.replace('sets = "sets"', 'sets = "sets"\nsounds = "sounds"') + 'samples = "sounds"\n'


def den(tmp_path: Path, more: dict[str, Any], sheet: str = SPOKEN) -> Path:
    return arcade_world(tmp_path / "world", {"2": SETS}, {**GAMES, **more}, sheet=sheet)


@pytest.mark.parametrize(
    ("lying", "state", "said"),
    [
        ({"den/sounds/bells.zip": WHOLE}, "ready", "its 2 sound samples were checked by name only"),
        ({"den/sounds/bells/hit.wav": "hit", "den/sounds/bells/miss.wav": "miss"}, "ready", "checked by name only"),
        ({}, "limited", "obtain bells.zip (sound samples, release 2): none of its 2 files is here"),
        ({"den/sounds/bells.zip": {"hit.wav": "hit"}}, "limited",
         "obtain bells.zip (sound samples, release 2): 1 of its 2 files is missing"),
        ({"den/sounds/bells.zip": "no archive"}, "limited", "obtain bells.zip (sound samples, release 2): yours is broken"),
        ({"drawer/bells.zip": WHOLE}, "limited", "bells.zip"),
        ({"drawer/Bells.zip": {"hit.wav": "hit"}}, "limited", "none of its 2 files is here"),
    ],
)  # fmt: skip
def test_a_set_plays_without_its_samples_and_says_so(
    gribble: Gribble, tmp_path: Path, lying: dict[str, Any], state: str, said: str
) -> None:
    world = den(tmp_path, lying)
    (rig,) = gribble("sets", "check", "--json", cwd=world).json["rigs"]
    assert {one["set"]: one["state"] for one in rig["emulators"][0]["sets"]} == {"kiln": state, "kilnj": state}
    assert said in gribble("why", "kiln", cwd=world).words


@pytest.mark.parametrize("style", ["", ', style = "split"'])
def test_an_archive_of_samples_is_brought_once_and_nothing_of_the_one_in_its_place_is_lost(
    gribble: Gribble, tmp_path: Path, style: str
) -> None:
    world = den(tmp_path, {"den/sounds/bells.zip": {"hit.wav": "old", "own.wav": "own"}, "drawer/x/bells.zip": WHOLE})
    config = (world / "gribble.toml").read_text()
    (world / "gribble.toml").write_text(config.replace('"2"', f'{{ release = "2"{style} }}'))
    steps = gribble("plan", "--json", cwd=world).json["steps"]
    assert [one["to"] for one in steps if "to" in one] == ["sounds/bells.zip"]
    gribble("place", "--yes", cwd=world, code=0)
    with zipfile.ZipFile(world / "den/sounds/bells.zip") as archive:
        assert sorted(archive.namelist()) == ["hit.wav", "miss.wav", "more.wav", "own.wav"]
    assert "2 ready" in gribble("sets", "check", cwd=world, code=0).words
    assert gribble("plan", "--json", cwd=world, code=0).json["steps"] == []
    gribble("undo", "--yes", cwd=world, code=0)
    with zipfile.ZipFile(world / "den/sounds/bells.zip") as archive:
        assert archive.read("hit.wav") == b"old"


def test_without_a_folder_for_samples_nobody_looks_for_them_and_lint_says_so(gribble: Gribble, tmp_path: Path) -> None:
    world = den(tmp_path, {}, SHEET)
    assert "2 ready" in gribble("sets", "check", cwd=world, code=0).words
    assert "sound samples" in gribble("catalogue", "lint", cwd=world).words
    (world / "catalogue/knot.sheet.toml").write_text(SHEET + 'samples = "sounds"\n')
    assert "arcade.samples" in gribble("catalogue", "lint", cwd=world, code=2).words
    assert "sound samples" not in gribble("catalogue", "lint", cwd=den(tmp_path / "2", {})).words


def test_samples_are_taken_from_a_list(gribble: Gribble, tmp_path: Path) -> None:
    sets = "".join(
        f"<machine name='g{n}'{' sampleof=' + chr(39) + 'bells' + chr(39) if n % 2 else ''}><description>Game {n}</description>"
        f"<rom name='r{n}.bin' size='{n * 4096}' crc='{n * 0x1234567:08x}'/>"
        f"{'<sample name=' + chr(39) + 'hit' + chr(39) + '/><sample name=' + chr(39) + 'miss' + chr(39) + '/>' if n > 2 else ''}"
        "</machine>"
        for n in range(1, 6)
    )
    world = den(tmp_path, {"den/sounds/bells.zip": WHOLE, "den/sounds/g4.zip": {"HIT.wav": "1"}})
    (world / "list.xml").write_text(f"<knot build='3'>{sets}</knot>")
    gribble(
        "catalogue",
        "import",
        "list.xml",
        "--emulator",
        "knot",
        "--out",
        "catalogue/knot-3.roster.jsonl",
        "--yes",
        cwd=world,
        code=0,
    )
    lines = (world / "catalogue/knot-3.roster.jsonl").read_text().splitlines()
    told = [line.partition('"samples":')[2] for line in lines[1:]]
    assert told == ["", "", '{"set":"bells","files":["hit","miss"]}}', '{"set":"g4","files":["hit","miss"]}}',
                    '{"set":"bells","files":["hit","miss"]}}']  # fmt: skip
