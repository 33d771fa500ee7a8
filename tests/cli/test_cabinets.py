"""Arcade sets as a person asks for them: which archive, by which title, and nothing passed over."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.cabinets import LYING, OLD, SETS, arcade_world
from tests.conftest import Gribble


@pytest.fixture
def den(tmp_path: Path) -> Path:
    return arcade_world(tmp_path / "world", {"2": SETS, "1": OLD}, LYING)


def test_the_archive_to_get_is_said_first_and_its_files_only_when_asked_for(gribble: Gribble, den: Path) -> None:
    archive = (
        "obtain mill.zip (release 2): 2 of its 9 files are missing, 1 of its 9 files is wrong. Yours is release 1's"
    )
    bios = "obtain quay.zip (BIOS set, release 2): 1 of its 2 files is missing, 1 of its 2 files is wrong. Yours is release 1's"
    for words, code in (
        (("why", "mill"), 1),
        (("sets", "check", "mill"), 1),
        (("needs", "mill"), 0),
        (("sets", "check"), 1),
    ):
        said = gribble(*words, cwd=den, code=code).words
        assert archive in said, words
        assert bios in said, words
    assert "mum8.bin" not in gribble("why", "mill", cwd=den, code=1).out
    assert "mum8.bin" in gribble("why", "mill", "-v", cwd=den, code=1).out
    kid = gribble("why", "millj", cwd=den, code=1).words
    assert "obtain millj.zip (release 2): its only file is missing" in kid
    assert "obtain mill.zip (parent, release 2): 1 of its 9 files is wrong" in kid
    plan = gribble("plan", cwd=den, code=1).words
    assert "mill.zip release 2: 2 of its 9 files are missing" in plan
    assert "mum8.bin" not in plan
    assert "mum8.bin: 4 bytes, CRC-32" in gribble("plan", "-v", cwd=den, code=1).words
    reasons = gribble("why", "mill", "--json", cwd=den, code=1).json["reasons"]
    assert [one["archive"] for one in reasons] == ["mill.zip", "quay.zip"]


def test_several_archives_of_another_release_lead_to_sets_match(gribble: Gribble, den: Path) -> None:
    said = gribble("sets", "check", cwd=den, code=1).out
    assert "Next: gribble sets match" in said
    assert "release 1's" in said
    assert "1" in gribble("sets", "match", cwd=den, code=1).out


@pytest.mark.parametrize(
    ("word", "means"),
    [("kiln2", "kiln2"), ("KILN2.zip", "kiln2"), ("kiln 2", "kiln2"), ("KILN", "kiln"), ("Millrace", "mill"),
     ("millrace (japan)", "millj"), ("Quay System", "quay")],
)  # fmt: skip
def test_titles_are_names(gribble: Gribble, den: Path, word: str, means: str) -> None:
    for words in (("why", word), ("sets", "show", word), ("needs", word), ("sets", "check", word)):
        assert f"{means} " in gribble(*words, cwd=den).out, words


def test_a_title_of_several_sets_is_told_with_what_tells_them_apart(gribble: Gribble, den: Path) -> None:
    said = gribble("why", "weir runner", cwd=den, code=2).err
    assert "is the title of 2 sets" in said
    assert "weir (Wéir  Runner!; 1990, Sluice); weirb (Weir Runner; 1991, Copyists)" in " ".join(said.split("\n"))
    assert "did you mean weir (" in gribble("sets", "show", "runner", cwd=den, code=2).err


def test_a_list_of_wanted_sets_has_titles_and_weights(gribble: Gribble, den: Path) -> None:
    (den / "favourites.txt").write_text("Kiln 2  # not kiln with a weight\nkiln 2.5\nMillrace (Japan) 3\nKiln\n")
    text = (den / "gribble.toml").read_text()
    (den / "gribble.toml").write_text(text.replace('"2"', '{ release = "2", wanted = "favourites.txt" }'))
    (rig,) = gribble("sets", "check", "--json", cwd=den, code=1).json["rigs"]
    assert [one["set"] for one in rig["emulators"][0]["sets"]] == ["kiln2", "kiln", "millj"]


ASIDE: dict[str, Any] = {
    "den/sets/kiln2 (1).zip": {"kiln2.bin": "kiln2"},
    "den/sets/holiday.zip": {"photo": "a photo"},
    "den/sets/readme.txt": "hello",
    "den/sets/weir.7z": "no archive at all",
    "den/sets/kiln.zip": {"kiln1.bin": "kiln1"},
}


@pytest.mark.parametrize("wanted", [None, ["kiln2"]])
def test_nothing_in_a_folder_of_sets_is_passed_over(gribble: Gribble, tmp_path: Path, wanted: list[str] | None) -> None:
    installed = f'{{ release = "2"{f", wanted = {json.dumps(wanted)}" if wanted else ""} }}'
    den = arcade_world(tmp_path / "world", {"2": SETS}, {**LYING, **ASIDE}, installed)
    said = gribble("sets", "check", cwd=den, code=1 if wanted is None else 0).words
    assert "2 archives that belong to no set: holiday.zip, kiln2 (1).zip (has files of kiln2)" in said
    assert "1 other file: readme.txt" in said
    assert ("3 sets that you do not want: kiln, mill, weir" in said) == (wanted is not None)
    emulator = gribble("sets", "check", "--json", cwd=den).json["rigs"][0]["emulators"][0]
    assert emulator["aside"]["strays"][1] == {"path": "sets/kiln2 (1).zip", "set": "kiln2"}
    told = {one["set"]: one["state"] for one in emulator["sets"]}
    if wanted is None:  # weir is there, in a form that the emulator cannot read
        assert told == {"mill": "blocked", "kiln2": "ready", "kiln": "ready", "weir": "blocked"}


def test_a_newer_roster_says_what_is_installed_and_how_to_change_it(gribble: Gribble, den: Path) -> None:
    (den / "new.csv").write_text(
        "set,title,file,size,crc32\n"
        + "".join(f"kiln{n},Kiln {n},k{n}.bin,{n * 4096},{n * 0x1234567:08x}\n" for n in range(1, 5))
    )
    said = gribble("catalogue", "import", "new.csv", "--to", "roster", "--emulator", "knot", "--release", "3",
                   "--out", "catalogue/knot-3.roster.jsonl", "--yes", cwd=den, code=0).words  # fmt: skip
    assert "knot 2 is installed on den" in said
    assert "gribble rigs enter knot --rig den --release 3" in said
    assert "Next: gribble sets compare 2 3 --rig den --emulator knot" in said
    gribble("sets", "compare", "2", "3", "--rig", "den", "--emulator", "knot", cwd=den, code=1)


def test_a_release_without_a_number_is_asked_about(gribble: Gribble, den: Path) -> None:
    rows = "".join(
        f"<game name='g{n}'><rom name='r{n}.bin' size='{n * 4096}' crc='{n * 0x1234567:08x}'/></game>"
        for n in range(1, 4)
    )
    for build, release in (("0.84 (unknown)", "0.84"), ("unknown", ""), ("nightly", "")):
        (den / "list.xml").write_text(f"<knot build='{build}'>{rows}</knot>")
        words = ("catalogue", "import", "list.xml", "--emulator", "knot")
        if release:
            assert f"knot-{release}.roster.jsonl" in gribble(*words, "--preview", "1", cwd=den, code=0).out
            continue
        refused = gribble(*words, "--out", "catalogue/knot-9.roster.jsonl", "--yes", cwd=den, code=2).err
        assert "Say it: --release RELEASE" in refused
        asked = gribble(*words, "--out", f"catalogue/knot-9{build}.roster.jsonl", stdin=b"9\ny\n", asks=True, cwd=den)
        assert "Which is it?" in asked.out
        assert "3 sets of knot 9" in asked.out, asked.out + asked.err


@pytest.mark.parametrize("stored", [False, True])
def test_a_shell_is_offered_sets_by_the_beginning_of_their_titles(gribble: Gribble, den: Path, stored: bool) -> None:
    if stored:
        gribble("why", "mill", cwd=den)
    for begun, offered in (
        ("mill", {"mill", "millj"}),
        ("Mill", {"Millrace (World)", "Millrace (Japan)"}),
        ("weir r", {"weir runner"}),
        ("wéir ", {"wéir  Runner!"}),
        ("Millx", set()),
    ):
        line = f'gribble why "{begun}'
        said = gribble(cwd=den, _GRIBBLE_COMPLETE="complete_bash", COMP_WORDS=line, COMP_CWORD="2").out
        assert ({*said.splitlines()} - {""}, any(den.rglob("*.sqlite"))) == (offered, stored)
