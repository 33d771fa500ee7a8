"""What the commands that change something answer as JSON; that each answer is as its schema says is checked wherever
the tests read one."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

import pytest

from tests.conftest import Gribble, tree


def test_placing_and_undoing_answer_as_json(gribble: Gribble, world: Path) -> None:
    before = tree(world / "rigs")
    planned = gribble("plan", "sandpiper", "--rig", "lighthouse", "--json", cwd=world, code=1).json
    placed = gribble("place", "sandpiper", "--rig", "lighthouse", "--yes", "--json", cwd=world, code=1)
    answer = placed.json
    assert {key: answer[key] for key in ("bytes", "refused", "obtain")} == {
        key: planned[key] for key in ("bytes", "refused", "obtain")
    }
    assert [(one["step"], one["to"]) for one in answer["steps"]] == [
        (one["step"], one["to"]) for one in planned["steps"]
    ]
    (run,) = answer["runs"]
    assert (answer["status"], run["state"], run["steps"], run["planned"]) == (1, "done", 5, 5)
    assert datetime.fromisoformat(run["when"]).tzinfo
    assert "5 steps of 5" in placed.err
    (told,) = gribble("history", "--json", cwd=world, code=0).json["runs"]
    assert {key: run[key] for key in told if key != "foreign"} == {key: told[key] for key in told if key != "foreign"}
    (world / "rigs/lighthouse/sandpiper/drive/drive.rom").write_bytes(b"mine")
    gribble("undo", "--yes", "--json", cwd=world, code=3)
    left = gribble("undo", "--yes", "--leave-changed", "--json", cwd=world, code=0).json
    assert [one["path"] for one in left["undone"][0]["left"]] == ["sandpiper/drive/drive.rom"]
    assert (left["status"], left["undone"][0]["state"]) == (0, "undone")
    after = tree(world / "rigs")
    changed = {path for path in before.keys() | after.keys() if before.get(path) != after.get(path)}
    assert {path for path in changed if ".gribble" not in path} <= {"lighthouse/sandpiper/drive/drive.rom"}


@pytest.mark.parametrize("words", ["place", "undo 1", "catalogue import plover.html --rig lighthouse"])
def test_json_asks_nobody(gribble: Gribble, world: Path, words: str) -> None:
    gribble("place", "knot", "whimbrel", "--yes", cwd=world)
    before = tree(world)
    said = gribble(*words.split(), "--json", cwd=world, code=2, asks=True, stdin=b"y\ny\ny\n")
    assert "--json asks nothing" in said.err
    assert "Add --yes" in said.err
    assert not said.out
    kept = {path: one for path, one in tree(world).items() if ".gribble" not in path}
    assert kept == {path: one for path, one in before.items() if ".gribble" not in path}


def test_nothing_to_do_is_an_answer_too(gribble: Gribble, world: Path) -> None:
    gribble("place", "dunlin", "--yes", cwd=world, code=0)
    answer = gribble("place", "dunlin", "--yes", "--json", cwd=world, code=0).json
    assert (answer["steps"], answer["runs"], answer["status"]) == ([], [], 0)
    answer = gribble("place", "--resume", "--json", cwd=world, code=0).json
    assert (answer["steps"], answer["runs"], answer["bytes"]) == ([], [], 0)


def test_mending_answers_as_json(gribble: Gribble, world: Path) -> None:
    words = ("drawer/skerry/SKERRY.COPIER", "drawer/misnamed archive.rom", "--into", "mended")
    mended, not_mended = gribble("mend", *words, "--json", cwd=world, code=1).json["files"][:2]
    assert Path(mended["written"]).read_bytes()
    assert "512 extra bytes" in mended["reason"]
    assert not_mended["written"] is None
    assert not_mended["reason"]


def test_an_import_answers_as_json(gribble: Gribble, world: Path) -> None:
    looked = gribble("catalogue", "import", "plover.html", "--preview", "1", "--json", cwd=world, code=0).json
    assert (looked["written"], looked["records"]) == (None, 3)
    done = gribble(
        "catalogue", "import", "plover.html", "--rig", "lighthouse", "--yes", "--json", cwd=world, code=0
    ).json
    assert (done["emulator"], done["release"], done["to"], done["left_out"]) == ("plover", "1.2", "sheet", 0)
    assert Path(done["written"]) == world / "catalogue/plover.sheet.toml"
    (world / "bad.csv").write_text("file,size,crc32\na.rom,10,12345678\nb.rom,x,zz\n")
    words = ("catalogue", "import", "bad.csv", "--emulator", "ruff", "--out", "ruff.sheet.toml", "--yes", "--json")
    gribble(*words, cwd=world, code=2)
    partly = gribble(*words, "--leave-out", cwd=world, code=1).json
    assert (partly["records"], partly["left_out"], len(partly["mistakes"])) == (2, 1, 1)


def test_the_bare_command_answers_as_json(gribble: Gribble, world: Path, tmp_path: Path) -> None:
    answer = gribble("--json", cwd=world, code=1).json
    assert answer["gribble"] == "state/1"
    checked = gribble("check", "--json", cwd=world, code=1).json
    assert [(one["rig"], one["state"]) for one in answer["rigs"]] == [
        (one["rig"], one["state"]) for one in checked["rigs"]
    ]
    assert answer["next"].startswith("gribble ")
    assert gribble("--json", cwd=tmp_path, code=0).json["rigs"] == []
    assert "--json comes after the command" in gribble("--json", "check", cwd=world, code=2).err
