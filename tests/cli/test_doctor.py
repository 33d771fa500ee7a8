"""`gribble doctor`: each thing that can are in the way is named, with the fix; nothing is changed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from gribble.demo.handheld import free_port
from gribble.demo.world import build_world
from tests.conftest import Gribble, tree
from tests.making import as_plain_user


def edited(world: Path, old: str, new: str) -> None:
    config = world / "gribble.toml"
    assert old in config.read_text()
    config.write_text(config.read_text().replace(old, new, 1))


def cut_short(world: Path) -> None:
    runs = world / "rigs/stick/.gribble/runs"
    runs.mkdir(parents=True)
    (runs / "0001.jsonl").write_text(
        '{"gribble":"run/1","run":1,"rig":"stick","when":"2026-11-23 10:00:00","steps":[]}'
    )


def damaged_index(world: Path) -> None:
    (world / ".gribble").mkdir()
    (world / ".gribble/index.sqlite").write_bytes(b"this is no database at all, by no means " * 50)


TROUBLE: dict[str, tuple[Callable[[Path], object], int, str, str, str]] = {
    # what is done to the world; exit status; area, what is said, the fix
    "a source that is gone": (lambda w: edited(w, '["drawer"]', '["drawer", "gone"]'), 1, "source", "is not there", "Correct the path"),
    "a source in another": (lambda w: edited(w, '["drawer"]', '["drawer", "drawer/skerry"]'), 1, "source", "which is a source already", "Name one"),
    "no sources": (lambda w: edited(w, '["drawer"]', "[]"), 1, "source", "names none", "Name the folders"),
    "a mistake in gribble.toml": (lambda w: edited(w, "[rig.stick]", "[rig.stick]\nvolum = 1"), 2, "configuration", "volum", "Correct it"),
    "a mistake in a sheet": (lambda w: (w / "catalogue/knot.sheet.toml").write_text("sheet = 2"), 2, "catalogue", "", "Correct it"),
    "an unknown emulator": (lambda w: edited(w, 'avocet = "1.4"', 'avoceta = "1.4"'), 2, "catalogue", "did you mean 'avocet'", "Correct it"),
    "no catalogue": (lambda w: edited(w, '["catalogue"]', "[]"), 2, "catalogue", "names none", "Give it a folder for sheets"),
    "an index that is damaged": (damaged_index, 1, "index", "is damaged", "Nothing is lost"),
    "a run that was cut short": (cut_short, 1, "rig", "a run was cut short: run 1", "gribble history --adopt 1"),
    "a rig that is away": (lambda w: (w / "rigs/stick").rename(w / "elsewhere"), 3, "away", "is not there now", "Plug it in"),
    "a volume of unknown kind": (lambda w: edited(w, 'volume = "fat32"', 'volume = "auto"'), -1, "rig", "", ""),
}  # fmt: skip


@pytest.mark.parametrize("case", TROUBLE)
def test_trouble_is_named_with_its_fix(gribble: Gribble, world: Path, case: str) -> None:
    do, code, area, words, fix = TROUBLE[case]
    edited(world, 'at = "rigs/lighthouse"', 'at = "rigs/lighthouse"\nvolume = "ext4"')
    edited(world, 'at = "rigs/cabinet"', 'at = "rigs/cabinet"\nvolume = "ext4"')
    fine = gribble("doctor", "--json", cwd=world, code=0).json
    assert {one["health"] for one in fine["checks"]} == {"right"}
    assert {one["area"] for one in fine["checks"]} == {"configuration", "catalogue", "source", "index", "rig"}
    do(world)
    before = tree(world)
    ended = gribble("doctor", "--json", cwd=world, code=None if code < 0 else code)
    assert ended.json["gribble"] == "doctor/1"
    if code > 0:
        minded = [one for one in ended.json["checks"] if one["health"] != "right"]
        assert {one["area"] for one in minded} == {area}
        found = next(one for one in minded if words in one["words"])
        assert found["fix"].startswith(fix)
        shown = gribble("doctor", cwd=world, code=code, COLUMNS="200").out
        assert found["fix"] in shown
    assert tree(world) == before


def test_a_network_rig_and_its_password_are_looked_at(gribble: Gribble, tmp_path: Path) -> None:
    world = tmp_path / "world"
    build_world(world, free_port())
    said = gribble("doctor", cwd=world, COLUMNS="200", GRIBBLE_PASSWORD_HANDHELD="x").out
    assert "handheld  connection refused" in said
    said = gribble("doctor", cwd=world, COLUMNS="200").out
    assert "handheld  connection refused" in said, "a password is asked for only where somebody is awake"
    assert "no gribble.toml" in gribble("doctor", cwd=tmp_path, code=2).err


def test_missing_permissions_are_told(world: Path, clean_env: dict[str, str]) -> None:
    (world / "rigs/stick").chmod(0o555)
    world.chmod(0o555)
    said = as_plain_user(world, {**clean_env, "COLUMNS": "200"}, "doctor").out
    world.chmod(0o755)
    (world / "rigs/stick").chmod(0o755)
    assert "cannot be written, so Gribble cannot remember anything" in said
    assert "rigs/stick cannot be written" in said
