"""What is printed and read where text is not UTF-8: no answer fails, JSON is always JSON, odd names travel."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path
from unittest import mock

import py7zr
import pytest

from gribble.demo.tour import CHAPTERS
from tests.conftest import Gribble
from tests.making import A, files, need, sheet

ENCODINGS = ("utf-8", "cp1252", "cp437", "cp932", "ascii")
ODD = ("tide \u2603 rom.bin", "g\u00fcll \u65e5\u672c.bin", os.fsdecode(b"no \xff text.bin"))
MORE = ("check --json", "identify drawer --json", "plan --json", "needs --json", "why redshank --rig lighthouse --json",
        "report --markdown", "report --csv", "history", "attic list", "doctor", "sets check -v", "sets compare 5 6 --csv",
        "catalogue lint", "keys check drawer/petrel", "--help", "check --help", "nonsense")  # fmt: skip


@pytest.mark.parametrize("encoding", ENCODINGS)
def test_every_command_of_the_tour_answers_in_every_encoding(gribble: Gribble, world: Path, encoding: str) -> None:
    for name in ODD:
        (world / "drawer" / name).write_bytes(b"x" * 700)
    for words in [stop.words for one in CHAPTERS.values() if not one.place for stop in one.stops] + list(MORE):
        ended = gribble(*words.split(), cwd=world, encoding=encoding)
        assert ended.code in (0, 1, 2, 3)
        assert ended.raw or ended.err, words
        if "--json" in words:
            assert json.loads(ended.raw.decode("utf-8" if encoding == "utf-8" else "ascii")), words
    said = gribble("identify", "drawer", cwd=world, encoding=encoding, COLUMNS="200").out
    for name, escaped in zip(ODD, ("tide \\u2603 rom", "g\\xfcll \\u65e5\\u672c", "no \\xff text"), strict=True):
        assert name in said or escaped in said or encoding in ("cp1252", "cp437", "cp932")


def test_a_process_of_its_own_answers_in_ascii(gribble: Gribble, world: Path) -> None:
    said = gribble("check", cwd=world, code=1, PYTHONIOENCODING="ascii").out
    assert "# blocked" in said
    assert "> " in said
    json.loads(gribble("check", "--json", cwd=world, code=1, PYTHONIOENCODING="cp437").out)


NO_TEXT = os.fsdecode(b"od\xffd")
"""A name that a disk may have, and no text."""
NAMED = ("why {}", "sets wanted {} --yes", "sets show {}", "sets pack {}", "needs {}", "check {}", "identify {}", "scrub {}",
         "check --from {}", "sources add {} --yes", "rigs add more {} --yes", "rigs move stick {} --yes", "mend {} --into m",
         "rigs enter knot --rig lighthouse --in {} --yes", "rigs enter knot --rig lighthouse --release {} --yes",
         "catalogue capture drawer --emulator {} --release 1 --out z.sheet.toml", "catalogue publish {} --yes",
         "catalogue capture drawer --emulator z --release {} --out z.sheet.toml", "catalogue add {} --yes",
         "catalogue import {}/list.csv --emulator z --out z.sheet.toml --yes", "catalogue import {}/list.csv --emulator z",
         "catalogue import plover.html --release {} --emulator {} --out z.sheet.toml --yes", "check --rig {}", "{}",
         "plan --out {}.json", "report --html {}.html", "sets fit --room 1MB --out {}.txt", "report --title {} --html r.html",
         "discs playlist discs --into {}", "keys merge {}/k.keys --out both.keys", "catalogue follow {} --yes")  # fmt: skip


@pytest.mark.own_ground("names on other systems are text")
@pytest.mark.parametrize("words", NAMED)
def test_what_is_no_text_is_told_wherever_it_is_named(gribble: Gribble, world: Path, words: str) -> None:
    files(world, {f"{NO_TEXT}/list.csv": b"name,sha1\na.rom," + b"a" * 40, f"{NO_TEXT}/k.keys": b"a = 00\n"})
    before = (world / "gribble.toml").read_bytes()
    ended = gribble(*(word.replace("{}", NO_TEXT) for word in words.split()), cwd=world, code=None)
    assert ended.raw or ended.err
    assert "a fault of its own" not in ended.err
    assert (world / "gribble.toml").read_bytes() == before


@pytest.mark.own_ground("names on other systems are text")
def test_a_folder_that_gribble_toml_cannot_name_is_left_out_and_told(gribble: Gribble, tmp_path: Path) -> None:
    own = tmp_path / "own"
    files(own, {f"{NO_TEXT}/a.rom": A, "drawer/a.rom": A, "rig/plover/plover.exe": b"-", f"rig/{NO_TEXT}/x": A})
    sheet(own, need("a", A), folder=".")
    said = gribble("init", cwd=own, code=0).words
    assert "Left out, since their names are not UTF-8: od\\xffd." in said
    assert 'sources = ["drawer"]' in (own / "gribble.toml").read_text()
    within = own / NO_TEXT / "home"
    files(within, {"drawer/a.rom": A, "rig/plover/plover.exe": b"-", "list.csv": b"name,sha1\na.rom," + b"a" * 40})
    sheet(within, need("a", A), folder=".")
    gribble("init", cwd=within, code=0)
    assert "1 step of 1" in gribble("place", "--yes", cwd=within, code=0).words
    refused = gribble("catalogue", "import", "list.csv", "--rig", "rig", "--yes", cwd=within, code=2).err
    assert "Give the list, or its folder, a plain name first" in refused


WAYS = {"a mark": "utf-8-sig", "UTF-16 little": "utf-16-le", "UTF-16 big": "utf-16-be", "UTF-16 with a mark": "utf-16"}


@pytest.mark.parametrize("encoding", WAYS.values(), ids=WAYS)
def test_what_people_write_is_read_in_the_encodings_of_their_editors(
    gribble: Gribble, world: Path, encoding: str
) -> None:
    def anew(path: Path) -> None:
        path.write_bytes(path.read_text("utf-8").encode(encoding))

    (world / "wanted.txt").write_bytes("# für die Hütte\nsaltpan\nshingle 2.5\n".encode(encoding))
    config = world / "gribble.toml"
    text = config.read_text("utf-8")
    before = gribble("check", "--json", cwd=world, code=1).json
    for path in (config, world / "catalogue/sandpiper.sheet.toml", *(world / "catalogue").glob("*.sha256")):
        anew(path)
    assert gribble("check", "--json", cwd=world, code=1).json == before
    config.write_bytes(
        text.replace('turnstone = "1.8"', 'turnstone = { release = "1.8", wanted = "wanted.txt" }').encode(encoding)
    )
    found = gribble("sets", "check", "--rig", "cabinet", "--json", cwd=world).json
    assert [one["set"] for one in found["rigs"][0]["emulators"][0]["sets"]] == ["saltpan", "shingle"]
    (world / "list.csv").write_bytes(
        "emulator,file,sha1\nplover,a.rom,".encode(encoding) + f"{'0' * 40}\n".encode(encoding)
    )
    assert "a.rom" in gribble("catalogue", "import", "list.csv", "--emulator", "plover", cwd=world).out
    roster = next((world / "catalogue").glob("*.roster.jsonl"))
    if encoding != "utf-8-sig":
        anew(roster)
        assert "UTF-16" in gribble("catalogue", "lint", cwd=world, code=2).out


def test_a_name_that_is_no_text_travels_through_index_answers_and_report(gribble: Gribble, world: Path) -> None:
    right = (world / "drawer/old backup/drv_rev2.bin").read_bytes()
    odd = "half \ud800 pair \udcff.bin"
    name = mock.patch(
        "py7zr.archiveinfo.write_utf16", lambda file, _name: file.write(f"{odd}\0".encode("utf-16-le", "surrogatepass"))
    )
    with name, py7zr.SevenZipFile(world / "drawer/odd.7z", "w") as archive:
        archive.writestr(right, "x" * len(odd))
    os.utime(world / "drawer/odd.7z", (10**9, 10**9))
    shutil.rmtree(world / "drawer/old backup")
    for _ in range(2):  # the second time from the index
        answer = gribble("identify", "drawer/odd.7z", "--json", cwd=world).json
        assert odd in [one["member"] for one in answer["files"]]
        assert "half \\ud800 pair \\xff.bin" in gribble("check", "sandpiper", cwd=world, COLUMNS="200").out
    gribble("report", "--html", "page.html", cwd=world)
    (world / "page.html").read_bytes().decode()
    gribble("place", "sandpiper", "--yes", cwd=world)
    assert (world / "rigs/lighthouse/sandpiper/drive/drive.rom").read_bytes() == right
    gribble("undo", "--yes", cwd=world, code=0)
