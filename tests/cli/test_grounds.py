"""On every ground, the demo's place and undo end as they do here: other systems' rules, volumes, and their sum."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from gribble.core.files.volumes import volume_of
from gribble.demo.world import build_world
from tests.conftest import Gribble, demo_world, tree
from tests.ground.rules import GROUNDS, RULES
from tests.ground.volume import PROGRAMS, folding_volume, served_volume
from tests.making import A, B, C, need, small_world

USUAL: dict[str, bytes] = {}


def placed_and_back(gribble: Gribble, world: Path, rules: tuple[str, ...]) -> dict[str, bytes]:
    """Every file as it lies when everything is placed. Fails where undoing that leaves anything otherwise."""
    before = tree(world)
    gribble("place", "--yes", cwd=world, code=1, rules=rules)
    placed = tree(world)
    assert placed != before
    gribble("undo", "--yes", cwd=world, code=0, rules=rules)
    assert tree(world) == before
    return {name: data for name, (data, _) in placed.items() if not name.endswith("/")}


@pytest.fixture
def usual(gribble: Gribble, tmp_path: Path) -> dict[str, bytes]:
    """How everything lies when it was placed without any rule; found out once."""
    if not USUAL:
        USUAL.update(placed_and_back(gribble, demo_world(tmp_path / "usual"), ()))
    return USUAL


@pytest.mark.own_ground("it has grounds of its own")
@pytest.mark.parametrize("rule", RULES)
def test_under_each_rule_the_demo_is_placed_and_taken_back(
    gribble: Gribble, world: Path, usual: dict[str, bytes], rule: str
) -> None:
    assert placed_and_back(gribble, world, (rule,)) == usual


@pytest.mark.own_ground("it has grounds of its own")
@pytest.mark.parametrize("name", GROUNDS)
def test_on_each_ground_the_demo_is_placed_and_taken_back(gribble: Gribble, tmp_path: Path, name: str) -> None:
    ground = GROUNDS[name]
    assert ground.habits is not None
    with folding_volume(tmp_path / "beneath", tmp_path / "volume", *ground.habits) as volume:
        world = demo_world(volume)
        placed = placed_and_back(gribble, world, ground.rules)
        assert len(placed) > 100
        assert gribble("check", "--json", cwd=world, rules=ground.rules).json["rigs"]


@pytest.mark.own_ground("it has a volume of its own")
@pytest.mark.parametrize("habits", [(), ("decomposing",)])
def test_names_with_marks_are_one_whatever_form_they_come_back_in(
    gribble: Gribble, tmp_path: Path, habits: tuple[str, ...]
) -> None:
    with folding_volume(tmp_path / "beneath", tmp_path / "volume", *habits) as volume:
        world = small_world(
            volume / "small", {"rig/boot/BÖ.ROM": A, "drawer/c": B, "rig/boot/é.rom": C, "rig/boot/._bö.rom": A},
            need("a", A, "bö.rom"), need("b", B, "ü.rom"), need("c", C, "é.rom"),
        )  # fmt: skip

        def verdicts(code: int) -> list[str]:
            (rig,) = gribble("check", "--json", cwd=world, code=code).json["rigs"]
            return [one["verdict"] for one in rig["emulators"][0]["needs"]]

        before = tree(world / "rig")
        assert verdicts(1) == ["misnamed", "astray", "sound"]
        gribble("place", "--yes", cwd=world, code=0)
        assert verdicts(0) == ["sound", "sound", "sound"]
        assert len(list((world / "rig/boot").iterdir())) == 4
        assert "._b" not in gribble("check", "-v", cwd=world).out
        gribble("undo", "--yes", cwd=world, code=0)
        assert tree(world / "rig") == before


@pytest.mark.own_ground("it has volumes of its own")
@pytest.mark.parametrize("kind", PROGRAMS)
def test_on_a_real_volume_of_windows_kinds_too(gribble: Gribble, tmp_path: Path, kind: str) -> None:
    with served_volume(kind, tmp_path / "card") as plug_out_and_in:
        world = tmp_path / "card/world"
        build_world(world)
        for path in (world / "drawer").rglob("*"):
            os.utime(path, (10**9, 10**9))
        assert volume_of(world)[0] == kind
        assert len(placed_and_back(gribble, world, ())) > 100
        gribble("check", cwd=world, code=1)
        plug_out_and_in()
        said = gribble("check", "-v", cwd=world, code=1).err
        opened = int(said.partition(" opened")[0].rpartition(" ")[2])
        assert opened < 80, "what a card holds is not read anew since its files have other numbers"
