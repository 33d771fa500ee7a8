"""Plans that are saved, narrowed and carried out later; full disks; Ctrl-C; links; and the attic."""

from __future__ import annotations

import json
import os
import random
import re
import resource
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from gribble.core.placing.back import Back
from gribble.core.placing.journal import Run
from gribble.core.records.steps import Step
from gribble.core.survey.survey import Surveyor
from gribble.stores.files import AtticFolder
from tests.conftest import Gribble, tree
from tests.making import A, B, config, need, small_world, whole_tree

DRIVE = "sandpiper/drive/drive.rom"


def test_a_plan_is_saved_narrowed_and_carried_out_later(gribble: Gribble, world: Path) -> None:
    before = tree(world)
    shown = gribble("plan", "--out", "plan.json", cwd=world, code=1).out
    assert "gribble place --plan plan.json" in shown
    saved = json.loads((world / "plan.json").read_text())
    (world / "plan.json").rename(world / ".." / "plan.json")
    assert saved == gribble("plan", "--json", cwd=world, code=1).json
    (world / "drawer/old backup/drv_rev2.bin").write_bytes(b"something else")
    changed = tree(world)
    one = gribble("place", "--plan", "../plan.json", "--only", "groyne", "--yes", cwd=world, code=0).out
    assert "1 step," in one
    done = gribble(
        "place", "--plan", "../plan.json", "--skip", "stick", "--skip", "pack", "--yes", cwd=world, code=3
    ).out
    assert "has changed since Gribble looked at it" in done  # that step alone
    assert "27 steps of 28 on lighthouse" in done
    gribble("undo", "--yes", cwd=world, code=0)
    gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world) == changed
    (world / "rigs/stick").rename(world / "elsewhere")
    away = gribble("place", "--plan", "../plan.json", "--only", "stick", "--yes", cwd=world, code=1).out
    assert "stick is not there now" in away
    assert not (world / "rigs/stick").exists()
    assert before.keys() - tree(world).keys()


def spoiled(plan: Any, what: str) -> str:
    step = plan["steps"][0]
    match what:
        case "climbs":
            step["to"] = "../../etc/passwd"
        case "links":
            step["replaces"] = "C:/windows"
        case "own":
            step["to"] = ".gribble/runs/0001.jsonl"
        case "rig":
            step["rig"] = "zebra"
        case "kind":
            step["step"] = "delete"
        case "digest":
            step["digests"] = {"sha1": "zz"}
        case "member":
            pack = next(one for one in plan["steps"] if one["step"] == "pack")
            pack["members"][0]["name"] = "../x"
        case "moved":
            rename = next(one for one in plan["steps"] if one["step"] == "rename")
            rename["from"] = "/etc/passwd"
        case "list":
            return "[]"
        case "cut":
            return json.dumps(plan)[:-20]
    return json.dumps(plan)


@pytest.mark.own_ground("nothing is placed")
@pytest.mark.parametrize(
    ("what", "say"),
    [
        ("climbs", 'steps[0].to: "../../etc/passwd" climbs out'),
        ("links", 'steps[0].replaces: "C:/windows" starts with a drive letter'),
        ("own", "is Gribble's own"),
        ("rig", '"zebra" is no rig of gribble.toml'),
        ("kind", "steps[0]: step: cannot be 'delete'"),
        ("digest", "digests.sha1: should have 40 hex digits"),
        ("member", 'members[0].name: "../x" climbs out'),
        ("moved", 'from: "/etc/passwd" is absolute'),
        ("list", "is not a plan that this Gribble can read"),
        ("cut", "is not JSON: the closing quote is missing"),
    ],
)
def test_a_plan_edited_into_nonsense_does_nothing(gribble: Gribble, world: Path, what: str, say: str) -> None:
    plan = gribble("plan", "--json", cwd=world, code=1).json
    before = tree(world)
    (world.parent / "plan.json").write_text(spoiled(plan, what))
    assert say in gribble("place", "--plan", "../plan.json", "--yes", cwd=world, code=2).err
    assert tree(world) == before


@pytest.mark.own_ground("nothing is placed")
def test_words_that_no_step_answers_to(gribble: Gribble, world: Path) -> None:
    assert "did you mean 'lighthouse'" in gribble("plan", "--only", "lighthous", cwd=world, code=2).err
    only = gribble("plan", "--only", "*/boot/*", "--json", cwd=world, code=1).json["steps"]
    assert only
    assert all("/boot/" in f"{step['to']} {step['from']}" for step in only)


@pytest.mark.own_ground("a card has no second names")
def test_a_link_is_the_source_under_a_second_name(gribble: Gribble, world: Path) -> None:
    before = tree(world)
    assert "your source changes" in gribble("place", "--link", "hard", "--yes", cwd=world, code=1).out.replace(
        "\n", " "
    )
    linked = [path for path in (world / "rigs").rglob("*") if path.is_file() and path.stat().st_nlink > 1]
    sources = {path.stat().st_ino for path in (world / "drawer").rglob("*") if path.is_file()}
    assert [path for path in linked if path.stat().st_ino in sources]
    assert "sandpiper" in gribble("check", cwd=world, code=1).out
    gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world) == before


def test_the_attic_is_listed_restored_and_emptied(gribble: Gribble, world: Path) -> None:
    old = (world / "rigs/lighthouse" / DRIVE).read_bytes()
    gribble("place", "--yes", cwd=world, code=1)
    new = (world / "rigs/lighthouse" / DRIVE).read_bytes()
    files = gribble("attic", "list", "--json", cwd=world, code=0).json["files"]
    assert {one["path"] for one in files if one["rig"] == "lighthouse"} >= {DRIVE}
    assert all(one["needed"] and not one["undone"] for one in files)
    told = gribble("attic", "list", cwd=world, code=0).out
    assert "run 1  lighthouse  displaced: " in told
    assert "  … and " in told
    assert len(gribble("attic", "list", "--run", "1", cwd=world, code=0).out.splitlines()) > len(told.splitlines())
    gribble("attic", "restore", "drive.rom", "--into", "../back", cwd=world, code=0)
    assert (world / "../back/drive.rom").read_bytes() == old
    gribble("attic", "restore", DRIVE, "--yes", cwd=world, code=0)
    assert (world / "rigs/lighthouse" / DRIVE).read_bytes() == old
    gribble("undo", "--yes", cwd=world, code=0)
    assert (world / "rigs/lighthouse" / DRIVE).read_bytes() == new
    asked = gribble("attic", "empty", "--run", "1", cwd=world, code=1).out
    assert "After that these runs cannot be undone: 1." in asked
    assert "Nothing was changed" in asked
    gribble("attic", "empty", "--run", "1", "--yes", cwd=world, code=0)
    assert {one["run"] for one in gribble("attic", "list", "--json", cwd=world, code=0).json["files"]} == {2}
    refused = gribble("undo", "1", "--yes", cwd=world, code=3).err
    assert "the files that it replaced are no longer in the attic" in refused
    near = gribble("attic", "restore", "drive.ron", cwd=world, code=2).err
    assert "no drive.ron in the attic; did you mean 'drive.rom'?" in near
    assert "no nowhere.rom in the attic" in gribble("attic", "restore", "nowhere.rom", cwd=world, code=2).err


def test_emptying_the_attic_walks_what_is_left_of_a_run_once(
    gribble: Gribble, world: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    gribble("place", "--rig", "lighthouse", "--yes", cwd=world, code=1)
    gribble("undo", "--yes", cwd=world, code=0)
    walked: list[int] = []
    real = AtticFolder.prune

    def counted(store: AtticFolder, run: int) -> None:
        walked.append(run)
        real(store, run)

    monkeypatch.setattr(AtticFolder, "prune", counted)
    gribble("attic", "empty", "--yes", cwd=world, code=0)
    assert walked == [1], "not once for each file"
    assert "attic is empty" in gribble("attic", "empty", cwd=world, code=0).out


def big_world(world: Path, megabytes: int) -> bytes:
    """A need of some size whose file is in the drawer."""
    data = os.urandom(1 << 20) * megabytes
    import hashlib

    (world / "drawer/great.bin").write_bytes(data)
    sheet = world / "catalogue/plover.sheet.toml"
    sha1 = hashlib.sha1(data, usedforsecurity=False).hexdigest()
    sheet.write_text(
        f'sheet = 1\nemulator = "plover"\n[folders]\nboot = "plover"\n[[need]]\nid = "great"\nfolder = "boot"\n'
        f'name = "great.rom"\nkind = "bios"\nlevel = "must"\n[[need.accept]]\nsize = {len(data)}\nsha1 = "{sha1}"\n'
    )
    config = world / "gribble.toml"
    config.write_text(config.read_text() + '\n[rig.small]\nat = "rigs/small"\n[rig.small.emulators]\nplover = "1"\n')
    (world / "rigs/small").mkdir(exist_ok=True)
    return data


def test_ctrl_c_takes_the_file_under_way_back(world: Path, clean_env: dict[str, str], gribble: Gribble) -> None:
    data = big_world(world, 150)
    gribble("check", "plover", cwd=world, code=1)  # so that the index knows the file
    before = tree(world / "rigs/small")
    child = subprocess.Popen(
        [sys.executable, "-m", "gribble", "place", "plover", "--yes"],
        cwd=world, env=clean_env, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    while child.poll() is None and not list((world / "rigs/small").glob("plover/.gribble*")):
        time.sleep(0.002)
    child.send_signal(signal.SIGINT)
    out, err = child.communicate(timeout=60)
    assert child.returncode == 130, (out, err)
    assert "The step that was under way was put back" in out
    assert "gribble place --resume" in out
    assert tree(world / "rigs/small") == before
    gribble("place", "--resume", cwd=world, code=0)
    assert (world / "rigs/small/plover/great.rom").read_bytes() == data
    gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world / "rigs/small") == before


def test_ctrl_c_has_a_word_and_an_undo_that_it_stops_goes_on(
    gribble: Gribble, world: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = tree(world / "rigs")
    gribble("place", "--yes", cwd=world)
    real, undone = Back.undo, []

    def interrupted(self: Back, run: Run, number: int, step: Step) -> None:
        undone.append(number)
        if len(undone) == 3:
            os.kill(os.getpid(), signal.SIGINT)
        real(self, run, number, step)

    monkeypatch.setattr(Back, "undo", interrupted)
    out = gribble("undo", "--yes", cwd=world, code=130).out
    assert "Stopped: 3 of 28 steps undone on lighthouse, run 1." in out
    assert "gribble undo 1 " in out
    monkeypatch.undo()
    gribble("undo", "1", "--yes", cwd=world, code=0)
    assert tree(world / "rigs") == before

    def ctrl_c(*_words: object, **_more: object) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr(Surveyor, "survey", ctrl_c)
    for words in (["check"], []):
        assert gribble(*words, cwd=world, code=130).err.strip() == "Interrupted."


@pytest.fixture
def small_volume(world: Path) -> Iterator[Path]:
    """A rig on a volume of four MiB and forty files; skipped where nothing can be mounted."""
    big_world(world, 3)
    place = world / "rigs/small"
    made = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=4m,nr_inodes=40", "tmpfs", str(place)], capture_output=True, check=False
    )
    if made.returncode:
        pytest.skip("nothing can be mounted here")
    yield place
    subprocess.run(["umount", "-l", str(place)], check=True)


@pytest.mark.parametrize("what", ["bytes", "files"])
def test_a_full_disk(gribble: Gribble, world: Path, small_volume: Path, what: str) -> None:
    """Too little room is known beforehand; too few files left are met on the way. Nothing is lost either way."""
    if what == "bytes":
        (small_volume / "filler").write_bytes(bytes(2 << 20))
    else:
        for number in range(36):
            (small_volume / f"{number}").touch()
    before = tree(small_volume)
    done = gribble("place", "plover", "--yes", cwd=world, code=3)
    assert ("does not have enough room" in done.err) or ("no space left" in done.out + done.err)
    assert tree(small_volume) == before
    for path in small_volume.iterdir():
        if path.is_file():
            path.unlink()
    gribble("place", "plover", "--yes", cwd=world)
    assert (small_volume / "plover/great.rom").stat().st_size == 3 << 20


def test_a_file_that_must_not_grow(world: Path, clean_env: dict[str, str], gribble: Gribble) -> None:
    """A limit on file sizes stands for a disk that fills up in the middle of a file."""
    big_world(world, 3)
    before = tree(world / "rigs/small")

    def limited() -> None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (2 << 20, 2 << 20))

    done = subprocess.run(
        [sys.executable, "-m", "gribble", "place", "plover", "--yes"],
        cwd=world, env=clean_env, preexec_fn=limited, capture_output=True, text=True, check=False, timeout=60,
    )  # fmt: skip
    assert done.returncode == 3
    assert "not done: copy plover/great.rom: " in done.stdout
    assert "file too large" in done.stdout
    assert tree(world / "rigs/small") == before
    gribble("place", "plover", "--yes", cwd=world, code=0)


def test_what_a_volume_cannot_hold_refuses_its_step_alone(gribble: Gribble, world: Path) -> None:
    big_world(world, 1)
    config = world / "gribble.toml"
    config.write_text(config.read_text().replace('at = "rigs/small"', 'at = "rigs/small"\nvolume = "fat32"'))
    sheet = world / "catalogue/plover.sheet.toml"
    text = sheet.read_text()
    need = text[text.index("[[need]]") :]
    odd = need.replace('id = "great"', 'id = "odd"').replace("great.rom", "what?.rom")
    sheet.write_text(text + odd)
    plan = gribble("plan", "plover", "--json", cwd=world, code=1).json
    assert [step["need"] for step in plan["steps"]] == ["great"]
    assert [(one["need"], one["reason"]) for one in plan["refused"]] == [
        ("odd", "plover/what?.rom has ?, which fat32 cannot hold")
    ]


def test_a_run_number_means_one_run_whatever_rig_it_was_for(gribble: Gribble, world: Path) -> None:
    gribble("place", "--rig", "stick", "--yes", cwd=world, code=1)
    placed = tree(world / "rigs/stick")
    gribble("place", "--rig", "lighthouse", "--yes", cwd=world, code=1)
    undone = gribble("undo", "--yes", cwd=world, code=0).out
    assert "Undone: run 2 on lighthouse." in undone
    assert tree(world / "rigs/stick") == placed, "the run before that stays"


@pytest.mark.parametrize("lies", [b"", b"of another size"])
def test_what_only_its_name_speaks_for_is_taken_where_the_user_says_so(
    gribble: Gribble, tmp_path: Path, lies: bytes
) -> None:
    """Every answer says that it is held, and leads to the command that takes it; none that it is to be obtained."""
    contents = {"drawer/pack/a.rom": A, **({"rig/boot/a.rom": lies} if lies else {})}
    sized = need("a", None) + (f"[[need.accept]]\nsize = {len(A)}\n" if lies else "")
    world = small_world(tmp_path / "small", contents, sized)
    before = whole_tree(world / "rig")
    found = gribble("check", "--json", cwd=world, code=1).json["rigs"][0]["emulators"][0]["needs"][0]
    assert (found["remedy"], found["by_name"]) == ("replace" if lies else "place", True)
    for words in (("check",), ("plan",), ("report", "--markdown", "r.md"), ("needs",)):
        said = gribble(*words, cwd=world)
        assert not re.search(r"nothing held will do|[1-9]\d* to (get|obtain)|Still to obtain", said.out), said.out
    assert "gribble place --by-name" in gribble("check", cwd=world).out
    (reason,) = gribble("why", "plover", "--json", cwd=world, code=1).json["reasons"]
    gribble("place", "--yes", cwd=world, code=1)
    assert whole_tree(world / "rig") == before
    gribble(*reason["next"].split()[1:], "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == A
    assert gribble("check", "--json", cwd=world, code=0).json["state"] == "ready"
    gribble("undo", "--yes", cwd=world, code=0)
    assert whole_tree(world / "rig") == before


def test_what_is_no_disk_image_at_all_is_not_in_use(gribble: Gribble, tmp_path: Path) -> None:
    """An image that a person has played on stays; a web page under its name does not pass for one."""
    played = random.Random(1).randbytes(2700)
    contents = {"drawer/fresh": A, "rig/boot/a.rom": played}
    world = small_world(tmp_path / "small", contents, need("a", A, changes=True))
    assert "the emulator has written to it since it was new" in gribble("check", "-v", cwd=world, code=0).out
    gribble("place", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == played
    (world / "rig/boot/a.rom").write_bytes(b"<!DOCTYPE html><html><title>404</title></html>" * 40)
    assert gribble("check", "--json", cwd=world, code=1).json["state"] == "blocked"
    gribble("place", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == A
    assert "changes = true" not in gribble("catalogue", "lint", cwd=world, code=0).out
    (world / "rig/boot/disk.img").write_bytes(played)
    words = ("rig", "--emulator", "tern", "--release", "1", "--out", "tern.sheet.toml")
    gribble("catalogue", "capture", *words, cwd=world, code=0)
    text = (world / "tern.sheet.toml").read_text()
    assert "# changes = true" in text[text.index('name = "disk.img"') - 400 :]
    assert "# changes = true" not in text[: text.index('name = "a.rom"')]


@pytest.mark.own_ground("it makes folders that differ in case")
def test_folders_compare_as_the_volume_does(gribble: Gribble, tmp_path: Path) -> None:
    """On a volume that folds case a folder is the sheet's, however it is spelled: for files of any name, places,
    further places, game folders and pairs; and nothing is put into a second one."""
    wanted = (
        need("a", A, any_name=True), need("b", B).replace("name =", 'also = [{ folder = "deep", name = "b.rom" }]\nname =', 1),
        '[[media]]\nfolder = "games"\naccepts = [".tap"]\nrefuses = [{ ending = ".exe" }]\n[[pair]]\nfolder = "games"\neach = "*.tap"\nwants = "{stem}.tag"\n',
    )  # fmt: skip
    contents = {
        "rig/BOOT/whatever": A, "drawer/b": B, "rig/Boot/x/y": b"", "rig/GAMES/one.tap": A + B, "rig/GAMES/two.exe": B + A,
    }  # fmt: skip
    contents = {name.replace("rig/Boot", "rig/BOOT"): data for name, data in contents.items()}
    world = small_world(tmp_path / "small", contents, *wanted)
    path = world / "catalogue/plover.sheet.toml"
    path.write_text(path.read_text().replace('boot = "boot"\n', 'boot = "boot"\ndeep = "boot/X"\ngames = "Games"\n'))
    (world / "rig/boot").rmdir()
    config(world, more='volume = "fat32"\n')
    found = gribble("check", "--games", "--json", cwd=world, code=1).json["rigs"][0]["emulators"][0]
    assert [one["verdict"] for one in found["needs"]] == ["sound", "astray"]
    assert {(one["rule"], one["file"]) for one in found["media"]} == {
        ("media", "GAMES/two.exe"), ("pair", "GAMES/one.tap"),
    }  # fmt: skip
    gribble("place", "--yes", cwd=world, code=0)
    assert (world / "rig/BOOT/b.rom").read_bytes() == (world / "rig/BOOT/x/b.rom").read_bytes() == B
    assert {path.name for path in (world / "rig").iterdir()} - {".gribble"} == {"BOOT", "GAMES"}


def test_needs_counts_of_a_choice_only_what_somebody_has_to_get(gribble: Gribble, tmp_path: Path) -> None:
    wanted = (need("a", A, choice="one"), need("b", B, choice="one"), need("c", B + A))
    world = small_world(tmp_path / "small", {"drawer/a": A, "drawer/note": b""}, *wanted)
    assert "3 needs: 1 held, 1 to obtain, 1 spared" in gribble("needs", cwd=world, code=0).out
    found = {one["need"]: one for one in gribble("needs", "--json", cwd=world, code=0).json["emulators"][0]["needs"]}
    assert (found["a"]["held"], found["b"]["held"], found["b"]["spared"]) == (True, False, True)
    (world / "drawer/a").unlink()
    assert "3 needs: 0 held, 2 to obtain, 1 spared" in gribble("needs", cwd=world, code=0).out
