"""No byte is lost, no source written, no rig left stuck: what placing and undoing meet in real life."""

from __future__ import annotations

import json
import os
import signal
import stat
import subprocess
import sys
import unicodedata
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from gribble.core.files.volumes import folds_case
from gribble.core.placing.journal import Journal, Run
from tests.conftest import demo_world
from tests.ground.volume import folding_volume
from tests.making import (
    VOLUMES,
    A,
    B,
    C,
    attic_contents,
    config,
    files,
    fill,
    forked,
    kill,
    kill_at_move,
    mounted,
    need,
    sheet,
    small_world,
    whole_tree,
)

MINE = b"a file that the user saved meanwhile"


def at_call(name: str, number: int, act: Callable[[], object]) -> Callable[[], None]:
    """Do something just before the n-th call of a function of `os`."""

    def patch() -> None:
        real, count = getattr(os, name), 0

        def counted(*args: Any, **more: Any) -> Any:
            nonlocal count
            count += 1
            if count == number:
                act()
            return real(*args, **more)

        setattr(os, name, counted)

    return patch


def save(path: Path) -> None:
    """What a careful editor does: another file takes the place."""
    path.unlink(missing_ok=True)
    path.write_bytes(MINE)


def everywhere(rig: Path) -> set[bytes]:
    """Every content on a rig, its attic included."""
    return {path.read_bytes() for path in rig.rglob("*") if path.is_file()}


# A. Nothing is lost, and nothing is written where it must not be

CUT_SHORT: dict[str, tuple[dict[str, bytes], str]] = {
    "replacing": ({"drawer/a": A, "rig/boot/a.rom": C}, "boot/a.rom"),
    "a new place": ({"drawer/a": A}, "boot/a.rom"),
    "renaming over": ({"rig/boot/x": A, "rig/boot/a.rom": C}, "boot/a.rom"),
    "renaming": ({"rig/boot/x": A}, "boot/a.rom"),
}


@pytest.mark.parametrize("then", ["place", "undo"])
@pytest.mark.parametrize("what", CUT_SHORT)
def test_a_file_saved_while_a_run_is_cut_short_stays(tmp_path: Path, what: str, then: str) -> None:
    contents, place = CUT_SHORT[what]
    world = small_world(tmp_path, contents, need("a", A))
    assert forked(world, "place", "--yes", first=kill_at_move).code == -signal.SIGKILL
    save(world / "rig" / place)
    said = forked(world, *(["undo", "--yes"] if then == "undo" else ["place", "--resume"]))
    assert (world / "rig" / place).read_bytes() == MINE
    assert {data for name, data in contents.items() if name.startswith("rig")} <= everywhere(world / "rig")
    if said.code == 3:
        assert place in said.words
    forked(world, "undo", "--leave-changed", "--yes")
    assert MINE in everywhere(world / "rig")
    assert not list((world / "rig").rglob("boot/.gribble*"))


@pytest.mark.parametrize("again", ["undo", "place"])
def test_a_file_saved_while_an_undo_is_cut_short_stays(tmp_path: Path, again: str) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    forked(world, "place", "--yes", code=0)
    assert forked(world, "undo", "--yes", first=kill_at_move).code == -signal.SIGKILL
    save(world / "rig/boot/a.rom")
    said = forked(world, again, "--yes")
    assert "boot/a.rom" in said.words
    if again == "undo":
        assert said.code == 3
        forked(world, "undo", "--leave-changed", "--yes", code=0)
    assert {MINE, A, C} <= everywhere(world / "rig")


@pytest.mark.parametrize("then", ["place", "undo"])
@pytest.mark.parametrize(
    ("act", "number"), [("fsync", 4), ("fsync", 9), ("fsync", 23), ("replace", 1), ("replace", 7), ("unlink", 12)]
)
def test_a_run_killed_with_many_files_under_way_is_finished_or_undone(
    tmp_path: Path, act: str, number: int, then: str
) -> None:
    contents = {f"drawer/{n}": b"content %d" % n for n in range(20)}
    old = {f"rig/boot/{n}.rom": C for n in range(0, 20, 4)}
    needs = [need(f"n{n}", b"content %d" % n, f"{n}.rom") for n in range(20)]
    world = small_world(tmp_path, contents | old, *needs)
    before = whole_tree(world / "rig")
    killed = forked(world, "place", "--yes", first=at_call(act, number, kill))
    assert killed.code == -signal.SIGKILL
    for n in range(20):
        place = world / f"rig/boot/{n}.rom"
        assert (place.read_bytes() if place.exists() else None) in (old.get(f"rig/boot/{n}.rom"), b"content %d" % n)
    if then == "place":
        forked(world, "place", "--yes", code=0)
        assert [(world / f"rig/boot/{n}.rom").read_bytes() for n in range(20)] == list(contents.values())
    while forked(world, "undo", "--yes").code == 0:
        pass
    assert whole_tree(world / "rig") == before


def test_a_file_that_comes_while_another_is_written_stays(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A}, need("a", A))

    def save_then() -> None:
        real = Journal.wrote

        def wrote(self: Journal, run: Run, wrote: dict[int, str]) -> None:
            save(world / "rig/boot/a.rom")
            real(self, run, wrote)

        Journal.wrote = wrote  # type: ignore[method-assign, assignment]

    assert "boot/a.rom is there now" in forked(world, "place", "--yes", first=save_then, code=3).words
    assert (world / "rig/boot/a.rom").read_bytes() == MINE


def a_link(world: Path) -> tuple[str, str]:
    """A source that is a link to a folder of the rig."""
    (world / "dl").symlink_to("rig/dl")
    return "dl", "rig"


def links_on_both_sides(world: Path) -> tuple[str, str]:
    """A rig and a source, both by links."""
    (world / "dl").symlink_to(world / "rig/dl")
    (world / "console").symlink_to(world / "rig")
    return "dl", "console"


def as_it_is(_world: Path) -> tuple[str, str]:
    return "rig/dl", "rig"


@pytest.mark.parametrize("spelled", [a_link, links_on_both_sides, as_it_is])
def test_a_source_within_a_rig_is_never_written_under_any_name(
    tmp_path: Path, spelled: Callable[[Path], tuple[str, str]]
) -> None:
    world = small_world(tmp_path, {"rig/dl/a.bin": A, "rig/dl/b.rom": C}, need("a", A), need("b", B, folder="dl"))
    text = (world / "catalogue/plover.sheet.toml").read_text()
    (world / "catalogue/plover.sheet.toml").write_text(text.replace('boot = "boot"', 'boot = "boot"\ndl = "dl"'))
    source, rig = spelled(world)
    config(world, sources=(source, "drawer"), rigs={"rig": rig})
    files(world, {"drawer/b": B})
    before = whole_tree(world / "rig/dl")
    plan = forked(world, "plan", code=1).words
    assert "Gribble never writes to a source" in plan
    forked(world, "place", "--yes", code=1)
    assert (world / "rig/boot/a.rom").read_bytes() == A
    for target in (f"{source}/report.html", "rig/dl/report.html", "rig/dl/deep/report.html"):
        assert "Gribble never writes to a source" in forked(world, "report", "--html", target, code=2).words
    sheet_ = f"{source}/new.sheet.toml"
    captured = forked(
        world, "catalogue", "capture", "rig", "--emulator", "knot", "--release", "1", "--out", sheet_, code=2
    ).words
    assert "Gribble never writes to a source" in captured
    assert whole_tree(world / "rig/dl") == before
    (world / "plan.json").write_text(
        json.dumps(
            {
                "gribble": "plan/1",
                "steps": [{"rig": "rig", "step": "rename", "from": "dl/b.rom", "to": "boot/b.rom", "digests": {}}],
            }
        )
    )
    assert "Gribble never writes to a source" in forked(world, "place", "--plan", "plan.json", "--yes", code=3).words
    assert whole_tree(world / "rig/dl") == before


def test_a_sound_file_in_a_source_within_the_rig_is_sound(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"rig/boot/a.rom": A}, need("a", A))
    config(world, sources=("rig/boot",))
    assert forked(world, "check", "--json", code=0).json["state"] == "ready"


@pytest.mark.parametrize("source", ["rig", "other", "rig/../rig/", "./rig/."])
def test_one_folder_is_no_rig_and_source_at_once(tmp_path: Path, source: str) -> None:
    world = small_world(tmp_path, {"rig/x": A})
    (world / "other").symlink_to("rig")
    config(world, sources=(source,))
    assert "is both a source and rig rig" in forked(world, "check", code=2).words


def no_inodes() -> None:
    """A file system that numbers no files."""

    def zeroed(real: Callable[..., os.stat_result]) -> Callable[..., os.stat_result]:
        def zero(*args: Any, **more: Any) -> os.stat_result:
            status = real(*args, **more)
            times = {key: getattr(status, key) for key in dir(status) if key.startswith("st_") and key[-4:] != "_ino"}
            return os.stat_result((status[0], 0, *status[2:10]), times)

        return zero

    os.stat, os.lstat, os.fstat = zeroed(os.stat), zeroed(os.lstat), zeroed(os.fstat)


def test_undo_is_exact_where_files_have_no_numbers(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "drawer/b": B, "rig/boot/a.rom": C, "rig/boot/x.rom": B})
    before = whole_tree(world / "rig")
    forked(world, "place", "--yes", first=no_inodes, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == A
    forked(world, "undo", "--yes", first=no_inodes, code=0)
    assert whole_tree(world / "rig") == before


def test_an_alias_that_is_another_needs_name_displaces_nothing(tmp_path: Path) -> None:
    needs = need("a", A, aliases=["b.rom"]), need("b", B)
    world = small_world(tmp_path, {"rig/boot/a.rom": A, "rig/boot/b.rom": B, "drawer/a": A, "drawer/b": B}, *needs)
    answer = forked(world, "check", "--json", code=0).json
    found = {one["need"]: one["verdict"] for one in answer["rigs"][0]["emulators"][0]["needs"]}
    assert found == {"a": "sound", "b": "sound"}
    assert forked(world, "plan", "--json", code=0).json["steps"] == []
    linted = forked(world, "catalogue", "lint").words
    assert "boot/b.rom" in linted
    assert "an alias of plover's a" in linted or "is the name of plover's b" in linted
    assert "boot/b.rom is" in forked(world, "doctor").words
    (world / "rig/boot/a.rom").unlink()
    files(world, {"rig/boot/b.rom": A})  # a is served under its alias, in the place of b
    before = whole_tree(world / "rig")
    refused = forked(world, "place", "--yes", code=1).words
    assert "plover's a needs a different file at boot/b.rom" in refused
    assert whole_tree(world / "rig") == before


def test_a_place_that_two_emulators_want_is_settled_by_the_person(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "drawer/b": B}, need("a", A, "bios.rom"))
    sheet(world, need("b", B, "bios.rom"), emulator="knot")
    (world / "gribble.toml").write_text((world / "gribble.toml").read_text() + 'knot = "1"\n')
    for there, state in ((None, {"astray"}), (A, {"sound", "imposter"}), (B, {"sound", "imposter"})):
        if there:
            files(world, {"rig/boot/bios.rom": there})
        answer = forked(world, "check", "--json", code=1).json
        needs = [one for emulator in answer["rigs"][0]["emulators"] for one in emulator["needs"]]
        assert {one["verdict"] for one in needs} == state
        assert "knot's b needs a different file at boot/bios.rom" in needs[0]["reason"]
        assert "plover's a needs a different file at boot/bios.rom" in needs[1]["reason"]
        plan = forked(world, "plan", "--json", code=1).json
        assert plan["steps"] == []
        assert plan["refused"]
    text = (world / "gribble.toml").read_text()
    (world / "gribble.toml").write_text(
        text.replace('knot = "1"', 'knot = { release = "1", folders = { boot = "k" } }')
    )
    forked(world, "place", "--yes", code=0)
    assert [(world / f"rig/{name}/bios.rom").read_bytes() for name in ("boot", "k")] in ([A, B], [B, B])
    forked(world, "place", "--yes", code=0)
    assert forked(world, "check", code=0)


def test_a_rig_below_another_keeps_its_files(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"rig/inner/boot/a.rom": A, "rig/inner/spare.bin": B})
    config(world, rigs={"rig": "rig", "inner": "rig/inner"})
    before = whole_tree(world / "rig/inner")
    steps = forked(world, "plan", "--rig", "rig", "--json", code=1).json["steps"]
    assert {step["step"] for step in steps} == {"copy"}
    forked(world, "place", "--rig", "rig", "--yes", code=0)
    assert whole_tree(world / "rig/inner") == before


@pytest.mark.parametrize(
    "command", [["check"], ["place", "--yes"], ["undo"], ["history"], ["doctor"], ["needs"], ["attic", "list"]]
)
def test_two_rigs_in_one_folder_are_refused_by_every_command(tmp_path: Path, command: list[str]) -> None:
    world = small_world(tmp_path, {})
    (world / "other").symlink_to("rig")
    config(world, rigs={"rig": "rig", "two": "other"})
    said = forked(world, *command, code=2).words
    assert "rig.two.at" in said
    assert "is the folder of rig rig already" in said


def test_what_a_narrowed_run_displaced_is_held(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": B})
    before = whole_tree(world / "rig")
    forked(world, "place", "--only", "a", "--yes", code=0)
    assert B in attic_contents(world / "rig")
    (found,) = [
        one
        for one in forked(world, "check", "--json", code=1).json["rigs"][0]["emulators"][0]["needs"]
        if one["need"] == "b"
    ]
    assert (found["verdict"], found["remedy"]) == ("astray", "place")
    assert "in the attic of run 1" in found["reason"]
    forked(world, "place", "--yes", code=0)
    placed = world / "rig/boot/b.rom"
    assert (placed.read_bytes(), placed.stat().st_mtime) == (B, 1_000_000_001), "with the time that it had"
    forked(world, "undo", "--yes", code=0)
    forked(world, "undo", "--yes", code=0)
    assert whole_tree(world / "rig") == before


# B. No run is left that nothing can end


def test_a_file_where_a_folder_is_wanted_refuses_its_step_alone(tmp_path: Path) -> None:
    needs = need("a", A), need("b", B, folder="deep")
    world = small_world(tmp_path, {"drawer/a": A, "drawer/b": B, "rig/wader": C}, *needs)
    text = (world / "catalogue/plover.sheet.toml").read_text()
    (world / "catalogue/plover.sheet.toml").write_text(
        text.replace('boot = "boot"', 'boot = "boot"\ndeep = "wader/boot"')
    )
    before = whole_tree(world / "rig")
    forked(world, "plan", "--out", "plan.json")
    said = forked(world, "place", "--yes", code=1).words
    assert "wader is a file, but a folder is needed there; move it away" in said
    assert (world / "rig/boot/a.rom").read_bytes() == A
    assert "cut short" not in forked(world, "check", code=1).words
    forked(world, "undo", "--yes", code=0)
    assert whole_tree(world / "rig") == before
    (world / "rig/wader").unlink()
    forked(world, "plan", "--out", "plan.json", code=1)
    files(world, {"rig/wader": C})  # it comes there only after the plan was made
    assert "wader is a file, not a folder" in forked(world, "place", "--plan", "plan.json", "--yes", code=3).words
    forked(world, "undo", "--yes", code=0)
    assert whole_tree(world / "rig").keys() == before.keys()


@pytest.mark.parametrize("name", ["a\n.rom", "boot\\a.rom", "\x1b[31m", "\x7f"])
@pytest.mark.parametrize("besides", ["", "drawer/z/a long name.bin"])
def test_a_file_with_a_name_that_no_step_can_say_is_left_to_the_person(tmp_path: Path, name: str, besides: str) -> None:
    there = {f"rig/boot/{name}": A, "drawer/b": B, **({besides: A} if besides else {})}
    world = small_world(tmp_path, there, need("a", A), need("b", B))
    before = whole_tree(world / "rig")
    said = forked(world, "place", "--yes", code=0 if besides else 1).words
    assert "not done" not in said
    assert ("move it to boot/a.rom" in said) == (not besides)
    assert (world / "rig/boot/a.rom").exists() == bool(besides)
    assert (world / "rig/boot/b.rom").read_bytes() == B
    forked(world, "undo", "--yes", code=0)
    assert whole_tree(world / "rig") == before


@pytest.mark.parametrize("lead", ["../real/w", "../../outside", "nowhere"])
def test_a_link_at_a_place_comes_back_as_the_link_it_was(tmp_path: Path, lead: str) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "rig/real/w": C, "outside": C}, need("a", A))
    (world / "rig/boot/a.rom").symlink_to(lead)
    before, outside = whole_tree(world / "rig"), (world / "outside").read_bytes()
    verdict = "missing" if lead == "nowhere" else "imposter"
    assert forked(world, "check", "--json", code=1).json["rigs"][0]["emulators"][0]["needs"][0]["verdict"] == verdict
    forked(world, "place", "--yes", code=0)
    assert not (world / "rig/boot/a.rom").is_symlink()
    assert (world / "rig/boot/a.rom").read_bytes() == A
    forked(world, "undo", "--yes", code=0)
    assert whole_tree(world / "rig") == before
    assert (world / "outside").read_bytes() == outside


@pytest.mark.parametrize("inside", [True, False])
def test_a_settings_file_that_is_a_link(tmp_path: Path, inside: bool) -> None:
    setting = '[[setting]]\nfile = "plover.ini"\nformat = "ini"\nkey = "paths.boot"\nneed = "a"\n'
    real = "rig/cfg/real.ini" if inside else "shared.ini"
    world = small_world(tmp_path, {"rig/boot/a.rom": A, real: b"[paths]\nboot = old.rom\n"}, need("a", A), setting)
    (world / "rig/plover.ini").symlink_to(os.path.relpath(world / real, world / "rig"))
    before = whole_tree(world)
    forked(world, "place", "--yes", code=0)
    assert "boot = boot/a.rom" in (world / "rig/plover.ini").read_text()
    assert (world / "rig/plover.ini").is_symlink() is inside
    assert (world / real).read_bytes() == (world / "rig/plover.ini").read_bytes() or not inside
    assert inside or b"old.rom" in (world / real).read_bytes(), "nothing is written through a link that leads out"
    forked(world, "undo", "--yes", code=0)
    assert whole_tree(world) == {**before, **{k: v for k, v in whole_tree(world).items() if k not in before}}


def test_a_volume_within_the_rig(tmp_path: Path) -> None:
    """Renaming, displacing and taking back lead from one volume to another, and are cut short between the two."""
    needs = need("a", A), need("b", B), need("c", C)
    for number in range(1, 60):
        world = small_world(tmp_path / str(number), {"drawer/a": A, "rig/x/b.bin": B, "drawer/c": C}, *needs)
        with mounted("tmpfs", world / "rig/boot"):
            files(world, {"rig/boot/a.rom": C, "rig/boot/c.rom": A + B})
            os.chmod(world / "rig/boot/a.rom", 0o640)
            before = whole_tree(world / "rig")
            ended = forked(world, "place", "--yes", first=at_call(CALLS[number % 3], 1 + number // 3, kill))
            if number % 2:
                forked(world, "place", "--yes", code=0)
                assert [(world / f"rig/boot/{name}.rom").read_bytes() for name in "abc"] == [A, B, C]
                assert not (world / "rig/x/b.bin").exists()
                assert stat.S_IMODE((world / "rig/boot/a.rom").stat().st_mode) == 0o640
            while whole_tree(world / "rig") != before:
                assert "no run to undo" not in forked(world, "undo", "--yes").words
            assert not list((world / "rig").rglob("boot/.gribble*"))
        if ended.code == 0 and number > 9:
            return
    raise AssertionError("the calls never ended")


CALLS = ("replace", "unlink", "fsync")


def immutable(path: Path) -> Callable[[], object]:
    if subprocess.run(["chattr", "+i", str(path)], capture_output=True, check=False).returncode:
        pytest.skip("no file can be made immutable here")
    return lambda: subprocess.run(["chattr", "-i", str(path)], check=True)


def test_a_file_that_cannot_be_replaced_fails_alone(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "drawer/b": B, "rig/boot/a.rom": C, "rig/boot/b.rom": C})
    before = whole_tree(world / "rig")
    free = immutable(world / "rig/boot/a.rom")
    try:
        said = forked(world, "place", "--yes", code=3).words
        assert "not done: copy boot/a.rom: " in said
        assert "1 step of 2" in said
        assert (world / "rig/boot/b.rom").read_bytes() == B
        assert "cut short" not in forked(world, "check", code=1).words
        forked(world, "undo", "--yes", code=0)
        assert whole_tree(world / "rig") == before
    finally:
        free()
    forked(world, "place", "--yes", code=0)


def read_only_rules() -> None:
    """A system on which a file that is marked read-only can be neither replaced nor removed."""

    def guarded(real: Callable[..., Any], which: int) -> Callable[..., Any]:
        def act(*args: Any, **more: Any) -> Any:
            path = args[which]
            if os.path.isfile(path) and not os.path.islink(path) and not os.lstat(path).st_mode & stat.S_IWRITE:
                raise PermissionError(13, "Permission denied", os.fspath(path))
            return real(*args, **more)

        return act

    os.replace, os.unlink = guarded(os.replace, 1), guarded(os.unlink, 0)


def test_read_only_files_where_the_system_minds(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "drawer/b": B, "rig/boot/a.rom": C, "rig/boot/x.rom": B})
    for name in ("drawer/a", "rig/boot/a.rom", "rig/boot/x.rom"):
        os.chmod(world / name, 0o444)
    before = whole_tree(world / "rig")
    forked(world, "place", "--yes", first=read_only_rules, code=0)
    assert stat.S_IMODE((world / "rig/boot/a.rom").stat().st_mode) == 0o444
    forked(world, "undo", "--yes", first=read_only_rules, code=0)
    assert {name: facts[:2] for name, facts in whole_tree(world / "rig").items()} == {
        name: facts[:2] for name, facts in before.items()
    }


def test_permissions_come_from_what_was_there_or_from_the_source(tmp_path: Path) -> None:
    keys = b"seal_c = 00112233445566778899aabbccddeeff\n"
    digest = (
        'sha256 = "' + __import__("hashlib").sha256(bytes.fromhex("00112233445566778899aabbccddeeff")).hexdigest() + '"'
    )
    of_keys = (
        '[[need]]\nid = "k"\nkind = "keys"\nlevel = "must"\nfolder = "boot"\nname = "k.keys"\n'
        f'[[need.key]]\nname = "seal_c"\nbytes = 16\n{digest}\n'
    )
    contents = {"drawer/a": A, "drawer/b": B, "drawer/k.keys": keys, "rig/boot/a.rom": C}
    world = small_world(tmp_path, contents, need("a", A), need("b", B), of_keys)
    for name, mode in {"drawer/a": 0o600, "drawer/b": 0o400, "drawer/k.keys": 0o644, "rig/boot/a.rom": 0o664}.items():
        os.chmod(world / name, mode)
    before, drawer = whole_tree(world / "rig"), whole_tree(world / "drawer")
    forked(world, "place", "--yes", code=0)
    modes = {name: stat.S_IMODE((world / f"rig/boot/{name}").stat().st_mode) for name in ("a.rom", "b.rom", "k.keys")}
    assert modes == {"a.rom": 0o664, "b.rom": 0o400, "k.keys": 0o600}
    forked(world, "undo", "--yes", code=0)
    assert whole_tree(world / "rig") == before
    forked(world, "place", "--yes", "--link", "hard", code=0)
    assert whole_tree(world / "drawer") == drawer, "a linked source keeps its own"


@pytest.mark.parametrize("kind", VOLUMES)
def test_an_undo_needs_no_room(tmp_path: Path, kind: str) -> None:
    """Every byte and every name is taken when the run is taken back."""
    names = [f"n{number:02}" for number in range(24)]
    needs = [need(name, name.encode() * 3000) for name in names]
    world = small_world(tmp_path, {f"drawer/{name}": name.encode() * 3000 for name in names}, *needs)
    with mounted(kind, world / "rig"):
        files(world, {f"rig/boot/{name}.rom": b"old" * 5000 for name in names[:12]})
        before = whole_tree(world / "rig")
        forked(world, "place", "--yes", code=0)
        fill(world / "rig", kind)
        said = forked(world, "undo", "--yes", code=0)
        assert "Undone" in said.out
        now = {name: facts for name, facts in whole_tree(world / "rig").items() if not name.startswith("filler")}
        assert {name: facts for name, facts in now.items() if name != "lost+found"} == {
            name: facts for name, facts in before.items() if name != "lost+found"
        }


@pytest.mark.parametrize("kind", ["ext4", "tmpfs"])
def test_too_few_names_left_refuse_a_plan_whole(tmp_path: Path, kind: str) -> None:
    names = [f"n{number:02}" for number in range(40)]
    world = small_world(
        tmp_path, {f"drawer/{name}": name.encode() for name in names}, *(need(n, n.encode()) for n in names)
    )
    with mounted(kind, world / "rig") as rig:
        (rig / "boot").mkdir()
        while os.statvfs(rig).f_favail > 60:
            (rig / f"boot/filler-{os.statvfs(rig).f_favail}").touch()
        before = whole_tree(rig)
        assert (
            "files and folders are to be made, and there is room for" in forked(world, "place", "--yes", code=3).words
        )
        assert whole_tree(rig) == before


def a_folder(path: Path) -> None:
    path.unlink()
    path.mkdir()


def a_pipe(path: Path) -> None:
    path.unlink()
    os.mkfifo(path)


def a_dead_link(path: Path) -> None:
    path.unlink()
    path.symlink_to("gone")


@pytest.mark.parametrize("change", [a_folder, a_pipe, a_dead_link])
def test_a_placed_file_that_is_something_else_by_now(tmp_path: Path, change: Callable[[Path], None]) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "drawer/b": B, "rig/boot/b.rom": C})
    forked(world, "place", "--yes", code=0)
    change(world / "rig/boot/a.rom")
    said = forked(world, "undo", "--yes", code=3).words
    assert "boot/a.rom" in said
    forked(world, "undo", "--leave-changed", "--yes", code=0)
    assert (world / "rig/boot/b.rom").read_bytes() == C
    assert os.path.lexists(world / "rig/boot/a.rom")


# D. No false words


@pytest.mark.parametrize("change", [a_folder, a_pipe])
def test_what_is_no_file_is_an_imposter_and_stays(tmp_path: Path, change: Callable[[Path], None]) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    change(world / "rig/boot/a.rom")
    found = forked(world, "check", "--json", code=1).json["rigs"][0]["emulators"][0]
    assert (found["state"], found["needs"][0]["verdict"]) == ("blocked", "imposter")
    said = forked(world, "place", "--yes", code=1).words
    assert "boot/a.rom is" in said
    assert "move it away" in said


def as_nobody(world: Path) -> Callable[[], None]:
    """Without the power to read what permissions forbid (tests often run as root)."""

    def drop() -> None:
        if os.geteuid() == 0:
            os.setgroups([])
            os.setresgid(65534, 65534, 65534)
            os.setresuid(65534, 65534, 65534)

    for path in (world, *world.rglob("*")):
        os.chown(path, 65534, 65534, follow_symlinks=False)
    for path in world.parents:
        if path.stat().st_mode & 0o005 != 0o005:
            os.chmod(path, path.stat().st_mode | 0o055)
    return drop


@pytest.mark.skipif(sys.platform != "linux", reason="permissions are dropped by a Linux call")
@pytest.mark.parametrize("what", ["file", "folder", "unproven", "settings"])
def test_what_cannot_be_read_is_never_ready_and_never_replaced(tmp_path: Path, what: str) -> None:
    setting = '[[setting]]\nfile = "cfg/plover.ini"\nformat = "ini"\nkey = "paths.boot"\nneed = "a"\n'
    parts = [need("a", None if what == "unproven" else A), *([setting] if what == "settings" else [])]
    contents = {"drawer/a": A, "rig/boot/a.rom": A, "rig/cfg/plover.ini": b"[paths]\nboot = boot/a.rom\n"}
    world = small_world(tmp_path, contents, *parts)
    (world / ".said").mkdir()
    closed = world / {"folder": "rig/boot", "settings": "rig/cfg/plover.ini"}.get(what, "rig/boot/a.rom")
    drop = as_nobody(world)
    os.chmod(closed, 0)
    found = forked(world, "check", "--json", first=drop, code=1).json["rigs"][0]["emulators"][0]
    finding = (found["settings"] if what == "settings" else found["needs"])[0]
    assert (found["state"], finding["verdict"]) == ("blocked", "unproven")
    assert "permission denied" in finding["reason"]
    assert forked(world, "plan", "--json", first=drop).json["steps"] == []
    os.chmod(closed, 0o700)
    assert forked(world, "check", "--json", first=drop, code=0).json["state"] == "ready"


def test_folders_that_are_links_are_read_through_and_never_written(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"shared/a.rom": A, "drawer/b": B, "shared/loop/x": C})
    (world / "rig/boot").rmdir()
    (world / "rig/boot").symlink_to("../shared")
    (world / "shared/loop/again").symlink_to("../..")
    before = whole_tree(world)
    found = forked(world, "check", "--json", code=1).json["rigs"][0]["emulators"][0]["needs"]
    assert [one["verdict"] for one in found] == ["sound", "astray"]
    assert "rig: boot is a link, read through: " in forked(world, "check", "-v", code=1).words
    assert "boot is a link that leads out of the rig" in forked(world, "place", "--yes", code=1).words
    assert whole_tree(world) == before


def test_a_file_that_a_link_needs_is_not_renamed_away(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"rig/real/w.bin": A}, need("a", A), need("b", A))
    (world / "rig/boot/a.rom").symlink_to("../real/w.bin")
    forked(world, "place", "--yes", code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == (world / "rig/boot/b.rom").read_bytes() == A


def test_undos_out_of_order_leave_no_empty_folders(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "drawer/b": B})
    (world / "rig/boot").rmdir()
    forked(world, "place", "--only", "a", "--yes")
    forked(world, "place", "--yes", code=0)
    forked(world, "undo", "1", "--yes", code=0)
    assert (world / "rig/boot/b.rom").read_bytes() == B
    forked(world, "undo", "2", "--yes", code=0)
    assert whole_tree(world / "rig") == {}
    assert [
        path for path in (world / "rig/.gribble/attic").rglob("*") if path.is_dir() and not list(path.iterdir())
    ] == []


def test_the_attic_keeps_times(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    then = (world / "rig/boot/a.rom").stat().st_mtime_ns
    forked(world, "place", "--yes", code=0)
    forked(world, "attic", "restore", "a.rom", "--into", "back", code=0)
    forked(world, "attic", "restore", "a.rom", "--yes", code=0)
    assert (world / "back/a.rom").stat().st_mtime_ns == (world / "rig/boot/a.rom").stat().st_mtime_ns == then


def test_a_link_that_cannot_be_is_told(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A}, need("a", A))
    with mounted("tmpfs", world / "rig"):
        (world / "rig/boot").mkdir()
        said = forked(world, "place", "--link", "hard", "--yes", code=0).words
    assert "1 file could not be linked" in said


def test_the_demo_is_taken_back_exactly(tmp_path: Path) -> None:
    world = demo_world(tmp_path)
    for number, path in enumerate(sorted((world / "rigs").rglob("*"))):
        if path.is_file():
            os.chmod(path, (0o600, 0o644, 0o664)[number % 3])
            if os.geteuid() == 0:
                os.chown(path, 1000 + number % 2, 1000)
    before = whole_tree(world)
    forked(world, "place", "--yes", code=1)
    placed = whole_tree(world)
    assert placed != before
    forked(world, "undo", "--yes", code=0)
    after = {name: facts for name, facts in whole_tree(world).items() if name in before or not name.startswith(".said")}
    assert after == before


@pytest.mark.parametrize(("source", "said"), [("Card/DL", ""), ("CARD/dl", ""), ("card", "is both"), ("CÄRD/x", "")])
def test_a_source_on_a_volume_that_folds_case(tmp_path: Path, source: str, said: str) -> None:
    """The rig is `Card`, and the source is spelled in another case, or another Unicode form."""
    world = small_world(tmp_path / "world", {"drawer/b": B})
    with folding_volume(tmp_path / "back", world / "volume") as volume:
        rig = "Cärd" if "Ä" in source else "Card"
        files(volume, {f"{rig}/{source.partition('/')[2] or 'y'}/a.bin": A, f"{rig}/boot/B.ROM": B})
        config(world, sources=(f"volume/{unicodedata.normalize('NFD', source)}",), rigs={"rig": f"volume/{rig}"})
        if said:
            assert said in forked(world, "check", code=2).words
            return
        before = whole_tree(volume)
        forked(world, "place", "--yes", code=0)
        assert (volume / rig / "boot/a.rom").read_bytes() == A
        assert "b.rom" in os.listdir(volume / rig / "boot")
        assert whole_tree(volume / source) == whole_tree(volume / rig / source.partition("/")[2])
        inner = f"{rig}/{source.partition('/')[2]}"
        assert [name for name in before if name.startswith(inner)] == [
            name for name in whole_tree(volume) if name.startswith(inner)
        ]
        forked(world, "undo", "--yes", code=0)
        assert whole_tree(volume) == before


def test_whether_a_volume_folds_case_is_tried_within_it(tmp_path: Path) -> None:
    root = tmp_path / "Card"
    root.mkdir()
    (tmp_path / "cARD").symlink_to("Card")
    (root / "Tern").symlink_to("tERN")
    (root / "tERN").touch()
    assert not folds_case("auto", root)
    with folding_volume(tmp_path / "back", tmp_path / "mounted") as volume:
        (volume / "link").mkdir()
        assert folds_case("auto", volume)
