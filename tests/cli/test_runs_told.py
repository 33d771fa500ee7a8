"""Runs that are away, somebody else's, half lost or met by a save: what is told of them is true, and leads on."""

from __future__ import annotations

import json
import os
import shutil
import stat
from collections.abc import Callable
from pathlib import Path

import pytest

from gribble.core.placing.back import Back
from gribble.core.placing.forward import Forward
from gribble.demo.sheets import HANDHELD_PASSWORD
from gribble.stores import local
from tests.conftest import Gribble
from tests.making import A, B, C, config, files, forked, kill, need, small_world, whole_tree
from tests.servers import Weather, ftp_server

MINE = b"saved by the user just now"


def placed(base: Path, *, replaces: bool = True) -> Path:
    """A world after one run, which has replaced a file."""
    world = small_world(base / "world", {"drawer/a": A, **({"rig/boot/a.rom": C} if replaces else {})}, need("a", A))
    forked(world, "place", "--yes", code=0)
    return world


def open_run(base: Path) -> Path:
    """A world with a run that was cut short."""
    world = small_world(base / "world", {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    assert forked(world, "place", "--yes", first=lambda: setattr(local, "move", lambda *_: kill())).code < 0
    return world


# A rig that is away


def test_the_runs_of_a_rig_that_is_away_are_not_denied(gribble: Gribble, tmp_path: Path) -> None:
    world = open_run(tmp_path)
    (world / "rig").rename(world / "out")
    for words, code in (
        (("history",), 3),
        (("place", "--resume"), 3),
        (("undo", "1", "--yes"), 3),
        (("undo", "--yes"), 3),
        (("history", "--adopt", "1", "--yes"), 3),
    ):
        said = gribble(*words, cwd=world, code=code).words
        assert "rig is away" in said, words
        assert "runs is on it" in said or "runs are on it" in said, words
        assert "no runs yet" not in said.lower()
    away = gribble("history", "--json", cwd=world, code=3).json["away"]
    assert [one["rig"] for one in away] == ["rig"]
    (world / "out").rename(world / "rig")
    gribble("place", "--resume", cwd=world, code=0)
    (world / "rig2").mkdir()
    config(world, rigs={"rig": "rig", "other": "rig2", "third": "never made"})
    (world / "rig").rename(world / "out")
    assert "rig is away" in gribble("place", "--resume", cwd=world, code=3).words
    (world / "out").rename(world / "rig")
    assert "nothing to finish" in gribble("place", "--resume", cwd=world, code=0).words, (
        "a rig that is still to be made has no runs"
    )


# Somebody else's


@pytest.mark.parametrize("state", ["open", "done"])
def test_a_run_that_another_machine_began_leads_to_adopting_it(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, state: str
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "theirs"))
    world = open_run(tmp_path) if state == "open" else placed(tmp_path)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "ours"))
    env = {"XDG_DATA_HOME": str(tmp_path / "ours")}
    leads = "gribble history --adopt 1"
    for words in (("undo", "--yes"), ("undo", "1", "--yes"), ("history",)):
        assert leads in gribble(*words, cwd=world, **env).words, words
    if state == "open":
        assert leads in gribble("place", "--resume", cwd=world, code=3, **env).words
        assert leads in gribble("check", cwd=world, **env).words
        doctor = gribble("doctor", cwd=world, **env).words
        assert leads in doctor
        assert "place --resume" not in doctor
    gribble("history", "--adopt", "1", "--yes", cwd=world, code=0, **env)
    if state == "open":
        gribble("place", "--resume", cwd=world, code=0, **env)
    gribble("undo", "--yes", cwd=world, code=0, **env)
    assert (world / "rig/boot/a.rom").read_bytes() == C


# What the user saves meanwhile


def at_call(owner: type, name: str, act: Callable[[], object]) -> Callable[[], None]:
    """What does something once, just before a method is called."""

    def first() -> None:
        real = getattr(owner, name)

        def call(*args: object, **named: object) -> object:
            setattr(owner, name, real)
            act()
            return real(*args, **named)

        setattr(owner, name, call)

    return first


def save(place: Path, *, anew: bool) -> None:
    """As programs save: into the file itself, or beside it and then over it."""
    if anew:
        place.with_name("save.tmp").write_bytes(MINE)
        place.with_name("save.tmp").replace(place)
    else:
        place.write_bytes(MINE)


@pytest.mark.parametrize("anew", [True, False])
@pytest.mark.parametrize("moment", ["_write", "_keep_former", "_exchange"])
@pytest.mark.parametrize("together", [True, False])
def test_what_is_saved_while_a_step_writes_is_not_displaced(
    tmp_path: Path, moment: str, anew: bool, together: bool
) -> None:
    names = ["a", "b"] if together else ["a"]
    needs = {"a": need("a", A), "b": need("b", B)}
    held = {"drawer/a": A, "drawer/b": B, "rig/boot/a.rom": C, "rig/boot/b.rom": C}
    world = small_world(tmp_path / "world", held, *(needs[name] for name in names))
    place = world / "rig/boot/a.rom"
    said = forked(world, "place", "--yes", first=at_call(Forward, moment, lambda: save(place, anew=anew)), code=3)
    assert "boot/a.rom was changed while this step was under way" in said.words
    assert place.read_bytes() == MINE
    assert (world / "rig/boot/b.rom").read_bytes() == (B if together else C)
    said = forked(world, "undo", "--yes")
    assert place.read_bytes() == MINE


def test_what_is_saved_while_undo_is_at_work_stays_and_is_told(tmp_path: Path) -> None:
    world = placed(tmp_path)
    place = world / "rig/boot/a.rom"
    said = forked(world, "undo", "--yes", first=at_call(Back, "undo", lambda: save(place, anew=True)), code=3)
    assert "left as it is: another program has changed boot/a.rom" in said.words
    assert place.read_bytes() == MINE
    assert "gribble undo 1" in said.words
    place.rename(world / "mine")
    forked(world, "undo", "1", "--yes", code=0)
    assert place.read_bytes() == C
    assert "no run 1 to undo" in forked(world, "undo", "1", "--yes", code=2).words


def test_a_plan_file_holds_what_it_displaces(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    gribble("plan", "--out", "plan.json", cwd=world, code=1)
    step = json.loads((world / "plan.json").read_text())["steps"][0]
    assert step["displaces"]["size"] == len(C)
    (world / "rig/boot/a.rom").write_bytes(MINE)
    said = gribble("place", "--plan", "plan.json", "--yes", cwd=world, code=3).words
    assert "boot/a.rom was changed after the plan was shown" in said
    assert (world / "rig/boot/a.rom").read_bytes() == MINE
    gribble("plan", "--out", "plan.json", cwd=world, code=1)
    gribble("place", "--plan", "plan.json", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == A
    text = (world / "plan.json").read_text()
    (world / "plan.json").write_text(text.replace('"modified": ', '"modified": "x", "was": '))
    assert "steps[0].displaces" in gribble("place", "--plan", "plan.json", "--yes", cwd=world, code=2).err


# Half lost


def two_runs(base: Path) -> Path:
    """One file replaced by two runs."""
    world = placed(base)
    files(world, {"drawer/b": B})
    text = (world / "catalogue/plover.sheet.toml").read_text()
    (world / "catalogue/plover.sheet.toml").write_text(text.split("[[need]]")[0] + need("a", B))
    forked(world, "place", "--yes", code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == B
    return world


def test_undo_says_that_it_is_not_the_newest_run(tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "rig/boot/b.rom": C}, need("a", A))
    forked(world, "place", "--yes", code=0)
    (world / "catalogue/plover.sheet.toml").write_text(
        (world / "catalogue/plover.sheet.toml").read_text() + need("b", B)
    )
    files(world, {"drawer/b": B})
    forked(world, "place", "--yes", code=0)
    forked(world, "attic", "empty", "--run", "2", "--yes", code=0)
    said = forked(world, "undo", "--yes", code=3).words
    assert "run 2 cannot be undone: the files that it replaced are no longer in the attic" in said
    assert "gribble undo 1" in said
    said = forked(world, "undo", stdin=b"y\n", code=0).words
    assert "Run 2 cannot be undone" in said
    assert "This is run 1" in said
    assert not (world / "rig/boot/a.rom").exists()
    assert "gribble history" in forked(world, "undo", "--yes", code=3).words, "none is left that can be"


def test_what_an_undo_has_left_can_be_taken_back_later(gribble: Gribble, tmp_path: Path) -> None:
    world = two_runs(tmp_path)
    said = gribble("undo", "1", "--yes", "--leave-changed", cwd=world, code=0).words
    assert "but for 1 step left as it is" in said
    assert (world / "rig/boot/a.rom").read_bytes() == B
    assert "cannot be undone: 1, 2" in gribble("attic", "empty", cwd=world, code=1).words
    gribble("undo", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == A
    gribble("undo", "1", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == C
    assert [one["state"] for one in gribble("history", "--json", cwd=world).json["runs"]] == ["undone", "undone"]


def test_a_displaced_file_may_be_called_part(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "rig/boot/x.part": C}, need("a", A, "x.part"))
    before = whole_tree(world / "rig")
    gribble("place", "--yes", cwd=world, code=0)
    listed = gribble("attic", "list", "--json", cwd=world, code=0).json["files"]
    assert [one["path"] for one in listed] == ["boot/x.part"]
    gribble("attic", "restore", "x.part", "--into", "got", cwd=world, code=0)
    assert (world / "got/x.part").read_bytes() == C
    gribble("undo", "--yes", cwd=world, code=0)
    assert whole_tree(world / "rig") == before
    assert "Deleted" in gribble("attic", "empty", "--yes", cwd=world, code=0).out


@pytest.mark.parametrize("content", [b"", b"\0" * 5])
def test_an_empty_secret_is_made_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, content: bytes) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    place = tmp_path / "data/gribble/journals.secret"
    place.parent.mkdir(parents=True)
    place.write_bytes(content)
    world = small_world(tmp_path / "world", {"drawer/a": A}, need("a", A))
    said = forked(world, "place", "--yes")
    if content:
        assert said.code == 3
        assert "journals.secret, is cut short" in said.words
        return
    assert said.code == 0
    assert (len(place.read_bytes()), stat.S_IMODE(place.stat().st_mode)) == (32, 0o600)
    forked(world, "undo", "--yes", code=0)


def test_runs_are_numbered_over_journals_and_attics(tmp_path: Path) -> None:
    world = placed(tmp_path)
    shutil.rmtree(world / "rig/.gribble/runs")
    (world / "rig/boot/a.rom").write_bytes(B)
    said = forked(world, "place", "--yes", code=0)
    assert "run 2" in said.words
    forked(world, "undo", "--yes", code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == B


# What is kept on this machine


def test_what_cannot_be_made_again_lies_apart_and_says_so(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "server/boot/a.rom": C}, need("a", A))
    with ftp_server(world / "server", Weather(log=[])) as address:
        config(world, rigs={"far": f"ftp://{address.user}@127.0.0.1:{address.port}"})
        env = {"GRIBBLE_PASSWORD_FAR": HANDHELD_PASSWORD}
        gribble("place", "--yes", cwd=world, code=0, **env)
        kept = world / ".gribble/kept"
        assert "Do not delete this folder" in (kept / "README.txt").read_text()
        assert (kept / "far/runs/0001.jsonl").exists()
        for path in (world / ".gribble").iterdir():  # what the documents say costs time alone
            if path.name != "kept":
                shutil.rmtree(path) if path.is_dir() else path.unlink()
        (world / ".gribble/rigs").mkdir()
        (kept / "far").rename(world / ".gribble/rigs/far")  # where an earlier version kept it
        assert "run 1" in gribble("undo", "--yes", cwd=world, code=0, **env).words
        assert (world / "server/boot/a.rom").read_bytes() == C
        assert (kept / "far/attic").exists()


# A rig in a source


@pytest.mark.parametrize("way", ["inside", "by a link", "the folder of all", "from"])
def test_a_source_ends_where_a_rig_begins(gribble: Gribble, tmp_path: Path, way: str) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "drawer/stick/boot/a.rom": C}, need("a", A))
    shutil.rmtree(world / "rig")
    config(world, sources=("drawer",), rigs={"stick": "drawer/stick"})
    more: tuple[str, ...] = ()
    if way == "by a link":
        (world / "linked").symlink_to("drawer")
        config(world, sources=("linked",), rigs={"stick": "drawer/stick"})
    elif way == "the folder of all":
        config(world, sources=(".",), rigs={"stick": "drawer/stick"})
    elif way == "from":
        config(world, sources=(), rigs={"stick": "drawer/stick"})
        more = ("--from", "drawer")
    before = whole_tree(world / "drawer")
    gribble("place", "--yes", *more, cwd=world, code=0)
    assert (world / "drawer/stick/boot/a.rom").read_bytes() == A
    gribble("undo", "--yes", cwd=world, code=0)
    assert whole_tree(world / "drawer") == before


# Links where Gribble's own should be


@pytest.mark.parametrize("link", ["attic/0001", "runs/0002.jsonl", "attic", "runs"])
def test_a_link_among_gribbles_own_is_named(gribble: Gribble, tmp_path: Path, link: str) -> None:
    world = placed(tmp_path)
    place = world / "rig/.gribble" / link
    if place.exists():
        place.rename(world / "elsewhere")
    place.symlink_to(world / "elsewhere")
    for words in (("undo", "--yes"), ("place", "--yes"), ("place", "--resume"), ("history",)):
        said = gribble(*words, cwd=world, code=3).err
        assert f"{link} is a link" in said
        assert "Remove the link" in said
    for words in (("check",), ("doctor",)):
        said = gribble(*words, cwd=world).words
        assert f"{link} is a link" in said, "it stops no answer"
        assert "plover" in said or "catalogue" in said


def test_a_memory_that_is_a_link_is_neither_read_nor_written(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "theirs/seen.json": b'{"/x": "y"}'}, need("a", A))
    (world / ".gribble").symlink_to("theirs")
    said = gribble("check", cwd=world, code=3).err
    assert ".gribble is a link" in said
    assert "GRIBBLE_HOME" in said
    assert [path.name for path in (world / "theirs").iterdir()] == ["seen.json"]
    gribble("check", cwd=world, code=1, GRIBBLE_HOME=str(world / "theirs"))


# A read-only mark


@pytest.mark.parametrize("ending", ["resume", "undo"])
@pytest.mark.parametrize("kill_at", [1, 2, 3])
def test_a_read_only_mark_outlasts_a_kill(gribble: Gribble, tmp_path: Path, ending: str, kill_at: int) -> None:
    """Where a read-only file cannot be replaced, its mark is taken off first; a kill comes right after that."""
    world = small_world(tmp_path / "world", {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    place = world / "rig/boot/a.rom"
    os.chmod(place, 0o444)
    before = whole_tree(world / "rig")

    def first() -> None:
        real_replace, real_chmod, count = os.replace, os.chmod, 0

        def replace(source: str, target: str) -> None:
            nonlocal count
            if str(target).endswith("boot/a.rom"):
                if not os.stat(target).st_mode & 0o200:
                    raise PermissionError(13, "read-only", str(target))
                count += 1
                if count == kill_at or kill_at == 1:
                    kill()
            real_replace(source, target)
            if kill_at == 2 and str(target).endswith("boot/a.rom"):
                kill()

        def chmod(path: str, mode: int, **named: bool) -> None:
            real_chmod(path, mode, **named)
            if kill_at == 3 and "attic" in str(path):
                kill()

        setattr(os, "replace", replace)  # noqa: B010
        setattr(os, "chmod", chmod)  # noqa: B010

    assert forked(world, "place", "--yes", first=first).code < 0
    if ending == "resume":
        gribble("place", "--resume", cwd=world, code=0)
        assert (place.read_bytes(), stat.S_IMODE(place.stat().st_mode)) == (A, 0o444)
    gribble("undo", "--yes", cwd=world, code=0)
    assert whole_tree(world / "rig") == before
