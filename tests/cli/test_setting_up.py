"""From a folder of one's own to the first answer: init, catalogue import, check, and whatever lies between."""

from __future__ import annotations

import shutil
import tomllib
from pathlib import Path
from typing import Any

import pytest

from gribble.demo.porch import build_visitor
from tests.conftest import Gribble
from tests.making import A, files, need, sheet


@pytest.fixture
def own(tmp_path: Path) -> Path:
    """A visitor's folder, without a world around it."""
    return build_visitor(tmp_path)


def config(world: Path) -> dict[str, Any]:
    return tomllib.loads((world / "gribble.toml").read_text())


def states(gribble: Gribble, world: Path) -> dict[str, str]:
    rigs = gribble("check", "--json", cwd=world).json["rigs"]
    return {one["emulator"]: one["state"] for rig in rigs for one in rig["emulators"]}


def test_three_commands_lead_to_the_first_answer_and_two_more_to_an_emulator_that_runs(
    gribble: Gribble, own: Path
) -> None:
    first = gribble("init", cwd=own, code=0)
    assert config(own)["sources"] == ["downloads"], "neither emulators nor lists are files to choose from"
    assert config(own)["rig"] == {"emulators": {"at": "emulators", "emulators": {}}}
    assert "gribble catalogue import lists/dotterel-6.xml --rig emulators" in first.words
    (own / "gribble.toml").write_text("# mine\n" + (own / "gribble.toml").read_text())
    taken = gribble("catalogue", "import", "lists/plover.html", "--rig", "emulators", "--yes", cwd=own, code=0)
    assert "plover looks in plover/system (t8.rom is there)" in taken.words
    assert "Next: gribble check plover --rig emulators" in taken.out
    assert "◐ damaged t8-rom plover/system/t8.rom" in gribble("check", "plover", cwd=own, code=1).words
    gribble("place", "plover", "--yes", cwd=own)
    assert states(gribble, own) == {"plover": "ready"}
    for name in ("phalarope.xlsx", "dotterel-6.xml"):
        gribble("catalogue", "import", f"lists/{name}", "--rig", "emulators", "--yes", cwd=own)
    assert config(own)["rig"]["emulators"]["emulators"] == {
        "plover": {"release": "1.2", "at": "plover/system"},
        "phalarope": {"at": "phalarope/bios"},
        "dotterel": {"release": "6", "at": "dotterel/sets"},
    }
    assert (own / "gribble.toml").read_text().startswith("# mine\n")
    folders = {
        name: tomllib.loads((own / f"catalogue/{name}.sheet.toml").read_text())["folders"]
        for name in ("plover", "phalarope", "dotterel")
    }
    assert [list(one.values()) for one in folders.values()] == [["."], ["."], ["."]], "true of every rig"
    gribble("place", "--yes", cwd=own)
    assert states(gribble, own) == {"plover": "ready", "phalarope": "ready", "dotterel": "blocked"}
    assert "Next: gribble report --obtain wanted.csv" in gribble("needs", cwd=own, code=0).out, "not back to check"
    assert "cuttle" in gribble("sets", "check", "--json", cwd=own, code=1).out


def test_init_asks_at_a_terminal_and_takes_what_is_said(gribble: Gribble, own: Path, tmp_path: Path) -> None:
    files(tmp_path, {"elsewhere/x": A, "home/more/y": A})
    answers = "nowhere\ndownloads, ../elsewhere, ~/more\n\nlists/plover.html\n"
    asked = gribble("init", cwd=own, code=0, asks=True, stdin=answers.encode())
    assert "nowhere: not there." in asked.out
    assert config(own)["sources"] == ["downloads", "../elsewhere", str(tmp_path / "home/more")]
    assert "Next: gribble catalogue import lists/plover.html --rig emulators" in asked.words
    (own / "gribble.toml").unlink()
    gribble("init", cwd=own, code=0, asks=True, stdin=b"emulators\n-\n\n")
    assert config(own)["sources"] == ["emulators"]
    assert "rig" not in config(own), "a folder is what it is said to be"
    (own / "gribble.toml").unlink()
    gribble("init", "--yes", cwd=own, code=0, asks=True)
    assert config(own)["sources"] == ["downloads"]


def test_a_friends_catalogue_is_taken_at_its_word(gribble: Gribble, own: Path, tmp_path: Path) -> None:
    friend = tmp_path / "friend"
    friend.mkdir()
    sheet(friend, need("a", A), emulator="plover", folder="plover/system")
    asked = gribble("init", cwd=own, code=0, asks=True, stdin=b"\n\n../friend/catalogue\n")
    assert config(own)["catalogues"] == ["../friend/catalogue"]
    assert config(own)["rig"]["emulators"]["emulators"] == {"plover": {}}
    assert "Next: gribble check" in asked.out
    (own / "gribble.toml").unlink()
    named = ("--rig", "../visitor/emulators", "--catalogue", "../friend/catalogue")
    gribble("init", *named, cwd=own, code=0)
    assert [one["emulators"] for one in config(own)["rig"].values()] == [{"plover": {}}], "once, as it is called"
    assert not (own / "catalogue").exists(), "there is one already"


STARTS: dict[str, tuple[dict[str, bytes], str]] = {
    "nothing": ({}, "gribble rigs add NAME FOLDER"),
    "files only": ({"roms/x.bin": A}, "gribble rigs add NAME FOLDER"),
    "rigs only": ({"den/plover/plover.ini": b"-"}, "gribble catalogue import LIST --rig den"),
    "a catalogue only": ({"catalogue/-": b""}, "gribble rigs add NAME FOLDER"),
    "all but a list": ({"roms/x.bin": A, "den/plover/p.cfg": b"-"}, "gribble catalogue import LIST --rig den"),
    "all": ({"roms/x.bin": A, "den/plover/bios/x": b"-", "catalogue/-": b""}, "gribble check"),
}


@pytest.mark.parametrize("start", STARTS)
def test_every_start_leads_on_and_doctor_agrees_with_check(gribble: Gribble, tmp_path: Path, start: str) -> None:
    there, following = STARTS[start]
    world = tmp_path / "start"
    world.mkdir()
    files(world, there)
    if "catalogue/-" in there:
        sheet(world, need("a", A), emulator="plover", folder="plover/bios")
    assert f"Next: {following}" in gribble("init", cwd=world, code=0).words
    written = (world / "gribble.toml").read_bytes()
    assert "gribble init --again adds what is new" in gribble("init", cwd=world, code=2).words
    assert f"Next: {following}" in gribble("init", "--again", cwd=world, code=0).words
    assert (world / "gribble.toml").read_bytes() == written
    looked, checked = gribble("doctor", cwd=world), gribble("check", cwd=world)
    assert checked.code == 1, "nothing is ready where nothing is wanted"
    assert looked.code == (0 if start == "all" else 1)
    if start != "all":
        assert "so nothing is needed" in checked.words
        assert "ready" not in checked.words
        assert "◇ look" in looked.out


def test_what_is_named_later_is_added(gribble: Gribble, tmp_path: Path) -> None:
    world = tmp_path / "start"
    files(world, {"roms/x.bin": A, "home/x": b"-"})
    files(tmp_path, {"far/plover/bios/x": b"-"})
    sheet(world, need("a", A), emulator="plover", folder="plover/bios")
    gribble("init", "--source", "roms", cwd=world, code=0)
    added = gribble("init", "--again", "--rig", "../far", cwd=world, code=0)
    assert config(world)["rig"] == {"far": {"at": "../far", "emulators": {"plover": {}}}}
    assert "Next: gribble check" in added.out
    assert (
        "there is no folder called nowhere" in gribble("init", "--again", "--source", "nowhere", cwd=world, code=2).err
    )


def test_where_an_emulator_looks_is_asked_where_nothing_speaks_for_it(gribble: Gribble, own: Path) -> None:
    gribble("init", cwd=own, code=0)
    words = ("catalogue", "import", "lists/phalarope.xlsx", "--rig", "emulators")
    shutil.rmtree(own / "emulators/phalarope")
    before = (own / "gribble.toml").read_bytes()
    assert "Nothing was changed" in gribble(*words, cwd=own, code=1, asks=True, stdin=b"\nn\n").out
    assert (own / "gribble.toml").read_bytes() == before
    assert not any((own / "catalogue").iterdir())
    said = gribble(*words, cwd=own, code=0, asks=True, stdin=b"../out\nphalarope/cards\ny\n")
    assert "1 phalarope a new folder: none there is called like it or has its files" in said.words
    assert "climbs out" in said.words
    again = gribble(*words, "--yes", cwd=own, code=0)
    assert "0 new needs and 0 new accepts" in again.words
    assert config(own)["rig"]["emulators"]["emulators"] == {"phalarope": {"at": "phalarope/cards"}}


def test_the_root_of_a_rig_may_be_where_an_emulator_looks(gribble: Gribble, own: Path) -> None:
    files(own, {"flat/t8.rom": A, "flat/whelk.zip": (own / "downloads/whelk.zip").read_bytes()})
    gribble("init", "--rig", "flat", cwd=own, code=0)
    for name in ("plover.html", "dotterel-6.xml", "plover.html"):
        words = ("catalogue", "import", f"lists/{name}", "--rig", "flat", "--yes")
        assert "looks in its root" in gribble(*words, cwd=own).words or name == "plover.html"
    for name in ("plover", "dotterel"):
        assert tomllib.loads((own / f"catalogue/{name}.sheet.toml").read_text())["folders"] in (
            {"main": "."},
            {"sets": "."},
        )
    assert len(tomllib.loads((own / "catalogue/plover.sheet.toml").read_text())["need"]) == 3, "nothing came twice"
    sets = gribble("sets", "check", "--json", cwd=own).json["rigs"]
    assert "whelk" in [one["set"] for rig in sets for each in rig["emulators"] for one in each["sets"]]


def test_a_rig_that_is_none_is_told_before_anything_is_read(gribble: Gribble, own: Path) -> None:
    words = ("catalogue", "import", "lists/plover.html", "--rig", "emulator")
    assert "gribble init writes one" in gribble(*words, cwd=own, code=2).err
    gribble("init", cwd=own, code=0)
    told = gribble(*words, cwd=own, code=2)
    assert "did you mean 'emulators'?" in told.err
    assert "plover" not in told.out


def test_what_is_named_is_believed_whatever_it_was(gribble: Gribble, tmp_path: Path) -> None:
    world = tmp_path / "start"
    files(world, {"den/x.bin": A, "roms/y": A, "pc/plover/p.ini": b"-", "pc backup/plover/p.ini": b"-"})
    files(world, {"apps/plover/plover": b"\x7fELF"})
    gribble("init", cwd=world, code=0)
    assert [one["at"] for one in config(world)["rig"].values()] == ["apps", "pc"], "neither a backup nor files"
    assert config(world)["sources"] == ["den", "pc backup", "roms"]
    said = gribble("init", "--again", "--rig", "den", "--rig", "hand=ftp://ada@driftwood.local/card", cwd=world, code=0)
    assert config(world)["sources"] == ["pc backup", "roms"]
    assert config(world)["rig"]["den"] == {"at": "den", "emulators": {}}
    assert config(world)["rig"]["hand"] == {"at": "ftp://ada@driftwood.local/card", "emulators": {}}
    assert "a folder that was a source is now a rig" in said.words
    (world / "gribble.toml").unlink()
    gribble("init", "--rig", ".", "--source", "roms", cwd=world, code=0)
    assert [one["at"] for one in config(world)["rig"].values()] == ["."], "the proposals below it are in it"
    assert config(world)["sources"] == ["roms"]
    assert (
        "cannot be the name of a rig" in gribble("init", "--again", "--rig", "a b=ftp://x/y", cwd=world, code=2).words
    )


def test_what_was_taken_out_stays_out_until_it_is_named(gribble: Gribble, tmp_path: Path) -> None:
    world = tmp_path / "start"
    files(world, {"roms/y": A, "pc/plover/system/a.rom": A, "more/plover/system/a.rom": A})
    sheet(world, need("a", A), emulator="plover", folder="plover/system")
    gribble("init", cwd=world, code=0)
    for words in (
        ("rigs", "leave", "plover", "--rig", "pc"),
        ("rigs", "forget", "more"),
        ("sources", "forget", "roms"),
    ):
        gribble(*words, "--yes", cwd=world, code=0)
    before = (world / "gribble.toml").read_bytes()
    again = gribble("init", "--again", cwd=world, code=0)
    assert (world / "gribble.toml").read_bytes() == before
    assert "Nothing is new" in again.words
    assert "Next: gribble init" not in again.words
    gribble("init", "--again", "--source", "roms", "--rig", "more", cwd=world, code=0)
    gribble("rigs", "enter", "plover", "--rig", "pc", "--yes", cwd=world, code=0)
    assert config(world)["sources"] == ["roms"]
    assert config(world)["rig"]["more"]["emulators"] == {"plover": {}}
    assert config(world)["rig"]["pc"]["emulators"] == {"plover": {}}
