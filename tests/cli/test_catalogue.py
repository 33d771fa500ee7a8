"""`gribble catalogue`: captured, linted, compared, imported, added; nothing is ever half-written."""

from __future__ import annotations

import json
import os
import re
import shutil
import zipfile
from pathlib import Path
from typing import Any

import pytest

from gribble.core.answers.capture import MANY
from gribble.core.catalogue.sheets import load_sheet
from gribble.demo.sheets import content
from tests.conftest import Gribble, tree
from tests.lists import ENTRIES, LANGUAGES, SHAPES, grid_of
from tests.making import A, B, C, files, need


def test_a_captured_setup_is_restored_from_the_sources_by_its_sheet_alone(gribble: Gribble, world: Path) -> None:
    gribble("place", "--yes", cwd=world, code=1)
    rig = world / "rigs/lighthouse"
    parts = ["redshank/system", "curlew/bios", "curlew/desk"]
    gribble("catalogue", "capture", str(rig), *(str(rig / part) for part in parts), "--emulator", "redshank",
            "--release", "2.4", "--out", "mine/redshank.sheet.toml", cwd=world, code=0)  # fmt: skip
    before = {path: data for path, (data, _) in tree(rig).items() if path.startswith(tuple(parts)) and data}
    assert len(before) == 11
    for number, data in enumerate(before.values()):  # the sources hold every content under a name that says nothing
        (world / f"drawer/{number}.x").write_bytes(data)
    (world / "gribble.toml").write_text(
        'sources = ["drawer"]\ncatalogues = ["mine"]\n[rig.new]\nat = "rigs/new"\n[rig.new.emulators]\nredshank = "2.4"\n'
    )
    gribble("place", "--yes", cwd=world, code=0)
    assert gribble("check", "--json", cwd=world, code=0).json["state"] == "ready"
    assert {path: data for path, (data, _) in tree(world / "rigs/new").items() if data} == before
    sheet = (world / "mine/redshank.sheet.toml").read_text()
    assert "level =" not in sheet.replace("# level =", "")
    assert "fill in" in gribble("catalogue", "lint", "mine", "--strict", cwd=world, code=1).out.replace(
        "filled", "fill"
    )


@pytest.mark.own_ground("other systems have no such names")
@pytest.mark.parametrize("name", [b"back\\slash.bin", b"tab\there.bin", b"\xff.bin", b"line\nbreak.bin"])
def test_a_file_that_no_sheet_can_name_is_told_and_the_others_are_taken(
    gribble: Gribble, tmp_path: Path, name: bytes
) -> None:
    files(tmp_path, {"rig/a.rom": A})
    odd = os.path.join(os.fsencode(tmp_path / "rig"), name)
    with open(odd, "wb") as stream:
        stream.write(B)
    words = ("--emulator", "plover", "--release", "1", "--out", "plover.sheet.toml")
    told = gribble("catalogue", "capture", "rig", *words, cwd=tmp_path, code=0)
    assert "no sheet can have such a name" in told.err
    sheet, _ = load_sheet(tmp_path / "plover.sheet.toml")
    assert sheet is not None
    assert [one.name for one in sheet.need] == ["a.rom"]
    refused = gribble("catalogue", "capture", "rig", os.fsdecode(odd), *words, "--replace", cwd=tmp_path, code=2)
    assert "Give the file a plain name first" in refused.err


def test_capture_into_a_sheet_adds_what_is_new_and_keeps_the_rest(gribble: Gribble, world: Path) -> None:
    sheet = world / "catalogue/knot.sheet.toml"
    before = sheet.read_text()
    rig = world / "rigs/stick"
    (rig / "KNOT/SYSTEM/GANNET.FW").write_bytes(content("gannet-tape-b"))
    (rig / "KNOT/SYSTEM/NEW.ROM").write_bytes(content("gannet-tape-a") + b"x")
    words = ("catalogue", "capture", str(rig), str(rig / "KNOT/SYSTEM"), "--emulator", "knot", "--release", "4")
    out = gribble(*words, "--into", str(sheet), cwd=world, code=0).out
    assert "1 new need and 2 new accepts from 3 files; 1 known already" in out.replace("\n", " ")
    assert (world / "catalogue/knot.sheet.toml.before-1").read_text() == before
    after = sheet.read_text()
    assert after.startswith(before[: before.index("[[need.accept]]")])
    assert "seen working with release 4" in after
    assert "0 new accepts" in gribble(*words, "--into", str(sheet), cwd=world, code=0).out.replace("\n", " ")
    assert sheet.read_text() == after
    assert "say where the sheet should go" in gribble(*words, cwd=world, code=2).err
    assert (
        "is the sheet of redshank" in gribble(*words, "--into", "catalogue/redshank.sheet.toml", cwd=world, code=2).err
    )
    assert "is not in" in gribble(*words, "drawer", "--out", "x.sheet.toml", cwd=world, code=2).err


def test_capture_into_a_sheet_with_contents_in_one_line(gribble: Gribble, world: Path) -> None:
    rig = world / "rigs/stick"
    (rig / "KNOT/SYSTEM/GANNET.FW").write_bytes(b"another")
    sheet = world / "knot.sheet.toml"
    sheet.write_text(
        'sheet = 1\nemulator = "knot"\n[folders]\ns = "KNOT/SYSTEM"\n[[need]]\nid = "fw"\nfolder = "s"\n'
        f'name = "GANNET.FW"\naccept = [{{ sha1 = "{"0" * 40}" }}] # known\n'
    )
    words = ("catalogue", "capture", str(rig), str(rig / "KNOT/SYSTEM/GANNET.FW"), "--emulator", "knot")
    gribble(*words, "--release", "4", "--into", str(sheet), cwd=world, code=0)
    needs = gribble("needs", "--catalogue", ".", "--json", cwd=world, code=0).json["emulators"][0]["needs"]
    assert [accept["size"] for accept in needs[0]["accepts"]] == [None, 7]
    assert "# known" in sheet.read_text()


REMARKS = {
    "an unknown key": ('why = "No tape loads without it."', 'wy = "x"', 2, ["need[2].wy", "did you mean 'why'?"]),
    "met by some release": ('id = "gannet-firmware"\n', 'id = "gannet-firmware"\nreleases = ">=4"\n', 0, []),
    "never met": ('id = "gannet-firmware"\n', 'id = "gannet-firmware"\nreleases = ">=4"\n%', 1, ["need[1].releases", "nothing can meet it"]),
    "weak proof": ("sha1", "#", 1, ["need[1].accept[0]", "only a CRC-32"]),
    "no proof": ("crc32", "md5 = 'x'\ncrc32", 2, ["should have 32 hex digits"]),
    "a name that the volume cannot hold": ('"GANNET.FW"', '"GANNET?.FW"', 1, ["need[1].name", "has ?, which exfat cannot hold"]),
    "a device's name": ('"GANNET.FW"', '"aux.fw"', 1, ["is a device's name on exfat"]),
    "two names that fold into one": ('"TAPE-A.ROM"', '"tape-b.rom"', 1, ["are the same name on a volume that does not tell upper from lower case"]),
    "two needs on one place": ('"TAPE-A.ROM"', '"TAPE-B.ROM"', 2, ['is the place of need "gannet-tape-a" too']),
    "no machine": ('id = "gannet-tape-a"', 'id = "gannet-tape-a"\nmachines = []', 1, ["no machine has this need"]),
}  # fmt: skip


@pytest.mark.parametrize("case", REMARKS)
def test_lint_tells_what_is_wrong_and_what_is_weak(gribble: Gribble, world: Path, case: str) -> None:
    old, new, code, words = REMARKS[case]
    path = world / "catalogue/knot.sheet.toml"
    text = path.read_text()
    assert old in text
    text = text.replace(old, new, 1)
    if "%" in text:
        text = text.replace("%", "", 1).replace("requires_keys", 'releases = "<3"\nrequires_keys', 1)
    path.write_text(text)
    ended = gribble("catalogue", "lint", str(path), "--strict", cwd=world, code=code, COLUMNS="200")
    assert all(word in ended.out for word in words), ended.out


def test_lint_looks_across_sheets_lists_and_rosters(gribble: Gribble, world: Path) -> None:
    catalogue = world / "catalogue"
    assert gribble("catalogue", "lint", cwd=world, code=0).out.endswith(
        "0 mistakes, 3 remarks; with --strict they count as mistakes\n"
    )
    knot = (catalogue / "knot.sheet.toml").read_text()
    crc = knot.split('crc32 = "')[1][:8]
    (catalogue / "ruff.sheet.toml").write_text(
        'sheet = 1\nemulator = "ruff"\n[folders]\nb = "KNOT/SYSTEM"\n[[need]]\nid = "a"\nkind = "bios"\nlevel = "must"\n'
        f'folder = "b"\nname = "GANNET.FW"\n[[need.accept]]\nsize = 20480\ncrc32 = "{crc}"\nsha1 = "{"0" * 40}"\n'
    )
    (catalogue / "stray.md5").write_text("")
    (catalogue / "t-1.roster.jsonl").write_text(
        '{"roster":1,"emulator":"t","release":"1"}\n{"set":"a","parent":"b"}\n{"set":"b","parent":"a"}\n'
        '{"set":"c","parent":"gone","files":[{"name":"x","crc32":"0"}]}\n{"set":"a"}\nnonsense\n'
    )
    answer = gribble("catalogue", "lint", "--json", cwd=world, code=2).json
    found = [(Path(one["file"]).name, one["where"], one["what"]) for one in answer["remarks"]]
    for file, where, words in (
        ("ruff.sheet.toml", "need[0].accept[0]", "but another sha1"),
        ("ruff.sheet.toml", "need[0].name", "knot's"),
        ("stray.md5", "", "is not used by any need"),
        ("t-1.roster.jsonl", 'set "a"', "in a circle"),
        ("t-1.roster.jsonl", "line 4", "crc32 should have 8 hex digits"),
        ("t-1.roster.jsonl", "line 5", "is there already"),
        ("t-1.roster.jsonl", "line 6", "is not a set"),
    ):
        assert any((name, at) == (file, where) and words in what for name, at, what in found), (file, where, words)
    assert "there is no file or folder called nowhere" in gribble("catalogue", "lint", "nowhere", cwd=world, code=2).err


def test_compare_says_what_a_new_sheet_means_for_the_rigs(gribble: Gribble, world: Path) -> None:
    gribble("place", "--yes", cwd=world, code=1)
    shutil.copytree(world / "catalogue", world / "new")
    for name, old, new in (
        ("dunlin", 'level = "better"', 'level = "extra"'),
        ("redshank", 'name = "petrel.slab"', 'name = "petrel.img"'),
        ("curlew", "[[setting]]", '[[need]]\nid = "clock"\nfolder = "boot"\nname = "c"\n[[need.accept]]\nsha1 = "'
         + "0" * 40 + '"\n[[setting]]'),
    ):  # fmt: skip
        path = world / f"new/{name}.sheet.toml"
        path.write_text(path.read_text().replace(old, new, 1))
    (world / "new/avocet.sheet.toml").unlink()
    ended = gribble("catalogue", "compare", "catalogue", "new", cwd=world, code=1, COLUMNS="200")
    for words in (
        "Dunlin on lighthouse stays ready.",
        "Redshank on lighthouse becomes limited; needs 1 file that you have (Petrel system disk).",
        "Curlew on lighthouse becomes blocked; needs 1 file that you do not have (clock).",
        "name: petrel.slab is now petrel.img",
        "level: better is now extra",
        "avocet  gone",
    ):
        assert words in ended.out, words
    answer = gribble("catalogue", "compare", "catalogue", "new", "--json", cwd=world, code=1).json
    assert {one["emulator"]: one["change"] for one in answer["emulators"]} == {
        "avocet": "gone", "curlew": "changed", "dunlin": "changed", "redshank": "changed",
    }  # fmt: skip
    assert "Nothing differs" in gribble("catalogue", "compare", "catalogue", "catalogue", cwd=world, code=0).out


def test_add_brings_what_is_new_and_keeps_each_former_file_beside(gribble: Gribble, world: Path) -> None:
    before = tree(world / "catalogue")
    friend = world / "friend"
    friend.mkdir()
    sheet = (world / "catalogue/knot.sheet.toml").read_text()
    (friend / "knot.sheet.toml").write_text(sheet.replace('title = "Knot"', 'title = "Knot II"'))
    (friend / "knot.sheet.toml.notes").write_text("no part of it")
    with zipfile.ZipFile(world / "friend.zip", "w") as archive:
        archive.write(friend / "knot.sheet.toml", "from-ada/knot.sheet.toml")
        archive.writestr("from-ada/ruff.sheet.toml", 'sheet = 1\nemulator = "ruff"\n[folders]\n')
    ended = gribble("catalogue", "add", "friend.zip", "--yes", cwd=world, code=0)
    assert "1 new file, 1 file replaced" in ended.out
    assert "Knot II" in (world / "catalogue/knot.sheet.toml").read_text()
    now = tree(world / "catalogue")
    assert now["knot.sheet.toml.before-1"] == before["knot.sheet.toml"]
    assert {name: one for name, one in now.items() if name in before and "knot" not in name}.items() <= before.items()
    assert now.keys() - before.keys() == {"knot.sheet.toml.before-1", "ruff.sheet.toml"}
    (friend / "knot.sheet.toml").write_text(sheet.replace("[folders]", "[folder]"))
    refused = gribble("catalogue", "add", "friend", cwd=world, code=2)
    assert "did you mean 'folders'?" in refused.err
    with zipfile.ZipFile(world / "evil.zip", "w") as archive:
        archive.writestr("../knot.sheet.toml", sheet)
    assert "climbs out" in gribble("catalogue", "add", "evil.zip", cwd=world, code=2).err
    assert "no sheet, roster or checksum list" in gribble("catalogue", "add", "drawer/photos", cwd=world, code=2).err
    assert tree(world / "catalogue") == now
    assert not (world / "catalogue/.gribble").exists()


def test_a_checksum_list_needs_no_map_and_a_wrong_list_writes_nothing(gribble: Gribble, world: Path) -> None:
    (world / "l.sha1").write_text(f"{'ab' * 20}  boot/a.rom\n{'cd' * 20} *b.rom\n")
    words = ("catalogue", "import", "l.sha1", "--to", "sheet", "--emulator", "ruff", "--folder", "ruff")
    assert "2 needs of ruff with 2 accepts" in gribble(*words, "--out", "ruff.sheet.toml", cwd=world, code=0).out
    text = (world / "ruff.sheet.toml").read_text()
    assert '"ruff/boot"' in text
    assert 'name = "b.rom"' in text
    assert "is there already" in gribble(*words, "--out", "ruff.sheet.toml", cwd=world, code=2).err
    assert "ends in .sheet.toml" in gribble(*words, "--out", "ruff.toml", cwd=world, code=2).err
    (world / "l.csv").write_text("n,c\na,zz\nb,1E5\n")
    (world / "m.toml").write_text('map = 1\n[sheet]\nemulator = "ruff"\n[fields]\nname = "n"\ncrc32 = "c"\n')
    made = ("catalogue", "import", "l.csv", "--map", "m.toml", "--to", "sheet")
    refused = gribble(*made, "--out", "x.sheet.toml", cwd=world, code=2)
    assert "record 1 (a), crc32" in refused.err
    assert "spreadsheet" in refused.err
    (world / "none.csv").write_text("n,c\n-,\n,n/a\n")
    refused = gribble("catalogue", "import", "none.csv", *made[3:], "--out", "x.sheet.toml", cwd=world, code=2)
    assert "has no record that fits the map" in refused.err
    assert not (world / "x.sheet.toml").exists()
    text = (world / "m.toml").read_text()
    (world / "m.toml").write_text(text.replace('name = "n"', 'name = "m"').partition("crc32")[0])
    refused = gribble("catalogue", "import", "l.csv", *made[3:], "--out", "x.sheet.toml", cwd=world, code=2)
    assert "has no table with the columns m" in refused.err
    (world / "l.json").write_text('[{"n": "a"}, {"n": "b"}]')
    refused = gribble("catalogue", "import", "l.json", *made[3:], "--out", "x.sheet.toml", cwd=world, code=2)
    assert "record 1: has no name; the map takes it from m" in refused.err
    (world / "m.toml").write_text('map = 1\n[roster]\nemulator = "t"\nrelease = "1"\n[fields]\nset = "n"\nname = "c"\n')
    made = ("catalogue", "import", "l.csv", "--map", "m.toml", "--to", "roster")
    shown = gribble(*made, "--preview", "1", cwd=world, code=0)
    assert shown.out.startswith("a\n")
    gribble(*made, "--out", "t.roster.jsonl", cwd=world, code=0)
    assert [json.loads(line).get("set") for line in (world / "t.roster.jsonl").read_text().splitlines()] == [
        None,
        "a",
        "b",
    ]
    (world / "empty.csv").write_text("n,c\n")
    refused = gribble("catalogue", "import", "empty.csv", *made[3:], "--out", "e.roster.jsonl", cwd=world, code=2)
    assert "has no record that fits the map" in refused.err
    assert not (world / "e.roster.jsonl").exists()


def test_schemas_say_what_the_loader_takes(gribble: Gribble, world: Path) -> None:
    schema = gribble("schema", "sheet", cwd=world, code=0).json
    need = schema["$defs"]["Need"]
    assert need["required"] == ["id", "folder"]
    assert need["additionalProperties"] is False
    assert set(need["properties"]["kind"]) >= {"default"}
    assert "did you mean 'sheet'?" in gribble("schema", "sheett", cwd=world, code=2).err
    known = gribble("catalogue", "list", "--json", cwd=world, code=0).json
    assert [(one["emulator"], one["needs"]) for one in known["sheets"]][:3] == [
        ("avocet", 14),
        ("curlew", 7),
        ("dotterel", 0),
    ]
    assert known["sheets"][3]["proofs"] == {"sha1": 4, "crc32": 1}


def test_the_list_and_the_map_of_the_documents_work(gribble: Gribble, tmp_path: Path) -> None:
    text = (Path(__file__).parents[2] / "docs/catalogues.md").read_text()
    (tmp_path / "cabinets.xml").write_text(text.split("```xml cabinets.xml\n")[1].split("```")[0])
    (tmp_path / "cabinets.map.toml").write_text(text.split("```toml cabinets.map.toml\n")[1].split("```")[0])
    commands = [line.split() for line in text.splitlines() if line.startswith("    gribble catalogue import cabinets")]
    assert len(commands) == 2
    for words in commands:
        gribble(*words[1:], cwd=tmp_path, code=0)
    (roster,) = (tmp_path / "mine").glob("*.jsonl")
    assert json.loads(roster.read_text().splitlines()[1])["files"][0]["size"] == 65536


def test_a_page_becomes_a_sheet_that_judges_with_one_command_and_one_answer(gribble: Gribble, world: Path) -> None:
    out = "mine/plover.sheet.toml"
    shown = gribble("catalogue", "import", "plover.html", "--out", out, cwd=world, code=1, stdin=b"n\n")
    assert not (world / out).exists()
    assert "File → name" in shown.out
    assert "Is this right?" in shown.out
    gribble("catalogue", "import", "plover.html", "--out", out, "--folder", "plover", cwd=world, code=0, stdin=b"y\n")
    gribble("catalogue", "lint", out, cwd=world, code=0)
    config = world / "gribble.toml"
    text = config.read_text().replace('catalogues = ["catalogue"]', 'catalogues = ["catalogue", "mine"]')
    config.write_text(text.replace("[rig.annex.emulators]\n", '[rig.annex.emulators]\nplover = "1.2"\n'))
    found = gribble("check", "plover", "--json", cwd=world, code=1).json["rigs"][0]["emulators"][0]["needs"]
    assert {one["need"]: (one["verdict"], one["remedy"], one["level"]) for one in found} == {
        "t8-rom": ("astray", "place", "must"),
        "t16font-rom": ("astray", "place", "must"),
        "lumen-rom": ("astray", "place", "extra"),
    }


def test_what_is_doubtful_is_left_out_or_asked_about_and_stands_in_the_drafted_map(
    gribble: Gribble, world: Path
) -> None:
    digests = ("0a1b2c3d4e5f60718293a4b5c6d7e8f9", "1b2c3d4e5f60718293a4b5c6d7e8f90a")
    rows = "".join(
        f"{n}.rom,{word},{md5}\n" for n, (word, md5) in enumerate(zip(("yes", "rarely"), digests, strict=True))
    )
    (world / "ruff.csv").write_text(f"File,Required,MD5\n{rows}")
    words = ("catalogue", "import", "ruff.csv")
    shown = gribble(*words, "--out", "a.sheet.toml", "--draft", "ruff.map.toml", "--yes", cwd=world, code=1)
    assert "Gribble is not sure about level from Required" in shown.out
    assert "level =" not in re.sub(r"(?m)^# .*$", "", (world / "a.sheet.toml").read_text())
    drafted = (world / "ruff.map.toml").read_text()
    assert '# level = { from = "Required", values = { "yes" = "must", "rarely" = "" } }' in drafted
    corrected = drafted.replace("# level =", "level =").replace('"rarely" = ""', '"rarely" = "extra"')
    (world / "ruff.map.toml").write_text(corrected)
    gribble(*words, "--map", "ruff.map.toml", "--out", "b.sheet.toml", cwd=world, code=0)
    assert (world / "b.sheet.toml").read_text().count('level = "extra"') == 1
    (world / "ruff.map.toml").write_text(corrected.replace(', "rarely" = "extra"', ""))
    refused = gribble(*words, "--map", "ruff.map.toml", "--out", "c.sheet.toml", cwd=world, code=2)
    assert '"rarely" is not one of the words that the map knows' in refused.err
    assert f"ruff.map.toml: line {1 + corrected[: corrected.index('level =')].count(chr(10))}" in refused.err
    gribble(*words, "--map", "ruff.map.toml", "--leave-out", "--out", "c.sheet.toml", cwd=world, code=1)
    assert (world / "c.sheet.toml").read_text().count("[[need]]") == 1


def test_a_list_adds_to_a_sheet_what_is_new_and_keeps_the_rest(gribble: Gribble, world: Path) -> None:
    sheet = world / "mine/plover.sheet.toml"
    gribble("catalogue", "import", "plover.html", "--out", str(sheet), "--yes", cwd=world, code=0)
    sheet.write_text("# by Ada\n" + sheet.read_text())
    before = sheet.read_text()
    digests = ("0a1b2c3d4e5f60718293a4b5c6d7e8f9", "1b2c3d4e5f60718293a4b5c6d7e8f90a")
    (world / "more.csv").write_text(f"File,MD5\nT8.ROM,{digests[0]}\nnew.rom,{digests[1]}\n")
    words = ("catalogue", "import", "more.csv", "--into", str(sheet), "--yes")
    assert "is the sheet of plover" in gribble(*words, "--emulator", "ruff", cwd=world, code=2).err
    assert "1 new need and 2 new accepts" in gribble(*words, "--emulator", "plover", cwd=world, code=0).out
    assert "2 known already" in gribble(*words, "--emulator", "plover", cwd=world, code=0).out
    after = sheet.read_text()
    assert after.startswith("# by Ada\n")
    assert (after.count("[[need]]"), after.count("[[need.accept]]")) == (4, 5)
    assert (sheet.parent / "plover.sheet.toml.before-1").read_text() == before
    gribble("catalogue", "lint", str(sheet), cwd=world, code=0)


def test_an_export_brings_its_sheet_and_a_list_says_what_plays(gribble: Gribble, world: Path) -> None:
    """The sheet is drafted where the emulator has none, here or in the catalogue."""
    out = "mine/ruff-6.roster.jsonl"
    gribble(
        "catalogue", "import", "dotterel-6.xml", "--out", "mine/dotterel-6.roster.jsonl", "--yes", cwd=world, code=0
    )
    assert not (world / "mine/dotterel.sheet.toml").exists()
    words = ("catalogue", "import", "dotterel-6.xml", "--emulator", "ruff", "--folder", "ruff/roms", "--out", out)
    gribble(*words, "--yes", cwd=world, code=0)
    gribble("catalogue", "lint", "mine", cwd=world, code=0)
    assert 'sets = "ruff/roms"' in (world / "mine/ruff.sheet.toml").read_text()
    assert json.loads((world / out).read_text().splitlines()[1])["variants"] == ["north", "south"]
    (world / "plays.csv").write_text("Game;Status;Remarks\nWHELK (j);imperfect;no sound\nwhelk;works;\nnemo;broken;\n")
    plays = ("catalogue", "import", "plays.csv", "--to", "plays")
    assert "3 records" in gribble(*plays, cwd=world, code=0).out
    assert "These match no set, or several: nemo." in gribble(*plays, "--into", out, "--yes", cwd=world, code=1).out
    sets = {one["set"]: one for one in map(json.loads, (world / out).read_text().splitlines()[1:])}
    assert (sets["whelkj"]["plays"], sets["whelkj"]["note"]) == ("flawed", "no sound")
    assert "plays" not in sets["whelk"]
    assert (world / f"{out}.before-1").is_file()
    for wrong, words_ in (("--out", "merged into a roster that is there"), ("--into", "a sheet's name ends in")):
        to = "plays" if wrong == "--out" else "sheet"
        refused = gribble("catalogue", "import", "plover.html", "--to", to, wrong, out, cwd=world, code=2)
        assert words_ in refused.err or "says what plays" in refused.err


@pytest.mark.parametrize("shape", SHAPES)
def test_one_command_and_one_answer_lead_from_a_list_to_a_verdict(gribble: Gribble, tmp_path: Path, shape: str) -> None:
    made = SHAPES[shape](grid_of(LANGUAGES["en"]))
    (tmp_path / shape).write_bytes(made if isinstance(made, bytes) else made.encode())
    (tmp_path / "gribble.toml").write_text(
        'sources = ["drawer"]\ncatalogues = ["mine"]\n[rig.den]\nat = "den"\n[rig.den.emulators]\nplover = {}\n'
    )
    here, held, *_ = ENTRIES
    for path, entry in (("den/system/" + here.name, here), ("drawer/whatever", held)):
        (tmp_path / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / path).write_bytes(entry.content)
    words = ("catalogue", "import", shape, "--folder", "system", "--out", "mine/plover.sheet.toml")
    assert "Is this right?" in gribble(*words, cwd=tmp_path, code=0, stdin=b"y\n").out
    gribble("catalogue", "lint", "mine", cwd=tmp_path, code=0)
    needs = gribble("check", "--json", cwd=tmp_path, code=1).json["rigs"][0]["emulators"][0]["needs"]
    assert [(one["verdict"], one["level"]) for one in needs] == [
        ("sound", "must"), ("astray", "must"), ("missing", "extra"), ("missing", "must"),
    ]  # fmt: skip


def test_at_a_terminal_what_is_doubtful_is_asked_about(gribble: Gribble, tmp_path: Path) -> None:
    digests = ("0a1b2c3d4e5f60718293a4b5c6d7e8f9", "1b2c3d4e5f60718293a4b5c6d7e8f90a")
    rows = "".join(f"old{n}.bin,new{n}.rom,{md5}\n" for n, md5 in enumerate(digests))
    (tmp_path / "ruff.csv").write_text(f"Original name,Rename to,MD5\n{rows}")
    words = ("catalogue", "import", "ruff.csv", "--out", "ruff.sheet.toml")
    assert "Gribble is not sure which column is the name" in gribble(*words, "--yes", cwd=tmp_path, code=2).err
    assert "is not sure" in gribble(*words, cwd=tmp_path, code=2, stdin=b"n\n", asks=True).err
    assert not (tmp_path / "ruff.sheet.toml").exists()
    said = gribble(*words, cwd=tmp_path, code=0, stdin=b"y\ny\n", asks=True).out
    assert said.index("Is Rename to the name?") < said.index("Is this right?")
    assert 'name = "new0.rom"' in (tmp_path / "ruff.sheet.toml").read_text()


def captured(gribble: Gribble, world: Path, release: str, *more: str, **asked: Any) -> Any:
    words = ("catalogue", "capture", "rig", "--emulator=knot", f"--release={release}", *more)
    return gribble(*words, "--into", "knot.sheet.toml", cwd=world, code=0, **asked)


@pytest.fixture
def firmware(tmp_path: Path) -> Path:
    """A setup of release 2, and the sheet that was written from one of release 1."""
    old = need("fw", A, "fw.bin") + need("other", C, "other.bin")
    head = 'sheet = 1\nemulator = "knot"\nrelease = "1"\n[folders]\nboot = "knot"\n'
    files(tmp_path, {"rig/knot/fw.bin": B, "rig/knot/new.bin": A + B, "rig/knot/other.bin": C})
    (tmp_path / "knot.sheet.toml").write_text(head + old)
    return tmp_path


@pytest.mark.parametrize(
    ("release", "new", "before"), [("2", ">=2", "<2"), ("0.9", "<=0.9", ">0.9"), ("1", None, None)]
)
def test_what_another_release_needs_is_not_mixed_with_what_the_first_one_does(
    gribble: Gribble, firmware: Path, release: str, new: str | None, before: str | None
) -> None:
    captured(gribble, firmware, release)
    sheet, _ = load_sheet(firmware / "knot.sheet.toml")
    assert sheet is not None
    by_id = {one.id: one for one in sheet.need}
    assert [accept.releases for accept in by_id["fw"].accept] == [before, new]
    assert by_id["new-bin"].releases == new
    assert by_id["other"].accept[0].releases is None, "it is the same in both"
    text = (firmware / "knot.sheet.toml").read_text()
    captured(gribble, firmware, release)
    assert (firmware / "knot.sheet.toml").read_text() == text, "what is known is not captured again"


def test_where_a_sheet_does_not_tell_which_release_is_older_it_is_asked(gribble: Gribble, firmware: Path) -> None:
    path = firmware / "knot.sheet.toml"
    text = path.read_text().replace('release = "1"\n', "")
    for answer, right in ((b"n\n", ["<2", ">=2"]), (b"y\n", [None, None]), (None, [None, ">=2"])):
        path.write_text(text)
        said = captured(gribble, firmware, "2", **({"asks": True, "stdin": answer} if answer else {}))
        sheet, _ = load_sheet(path)
        assert sheet is not None
        assert [accept.releases for accept in sheet.need[0].accept] == right
        assert "does not say for which" in said.words


def test_many_files_of_a_folder_are_one_need_with_a_list_and_those_of_an_update_another(
    gribble: Gribble, tmp_path: Path
) -> None:
    many = {f"rig/knot/fw/{number:02}.bin": bytes([number]) * 9 for number in range(MANY)}
    files(tmp_path, {**many, "rig/knot/boot.rom": A})
    words = ("catalogue", "capture", "rig", "--emulator=knot", "--out", "catalogue/knot.sheet.toml", "--release")
    (tmp_path / "catalogue").mkdir()
    gribble(*words, "1", cwd=tmp_path, code=0)
    sheet, mistakes = load_sheet(tmp_path / "catalogue/knot.sheet.toml")
    assert sheet is not None, mistakes
    assert sorted(len(one.file) for one in sheet.need) == [0, MANY]
    (tmp_path / "rig/knot/fw/00.bin").write_bytes(b"changed")
    more = ("catalogue", "capture", "rig", "--emulator=knot", "--into", "catalogue/knot.sheet.toml", "--release")
    assert "1 new need" in gribble(*more, "2", cwd=tmp_path, code=0).words
    sheet, mistakes = load_sheet(tmp_path / "catalogue/knot.sheet.toml")
    assert sheet is not None, mistakes
    assert [(len(one.file), one.releases) for one in sheet.need if one.file] == [(MANY, "<2"), (MANY, ">=2")]
    (tmp_path / "gribble.toml").write_text(
        'catalogues = ["catalogue"]\n[rig.rig]\nat = "rig"\n[rig.rig.emulators]\nknot = { release = "2", at = "knot" }\n'
    )
    assert gribble("check", "--json", cwd=tmp_path, code=0).json["state"] == "ready"
    assert gribble("check", "--as", "knot=1", cwd=tmp_path, code=1).out


def test_keys_of_single_titles_are_extras(gribble: Gribble, tmp_path: Path) -> None:
    text = f"seal_a = {'ab' * 16}\ntitle_0100abcd0000 = {'cd' * 16}\n"
    files(tmp_path, {"rig/knot.keys": text.encode()})
    words = ("catalogue", "capture", "rig", "--emulator=knot", "--release=1", "--out", "knot.sheet.toml")
    gribble(*words, cwd=tmp_path, code=0)
    sheet, _ = load_sheet(tmp_path / "knot.sheet.toml")
    assert sheet is not None
    assert {key.name: str(key.level) for key in sheet.need[0].key} == {"seal_a": "must", "title_0100abcd0000": "extra"}
