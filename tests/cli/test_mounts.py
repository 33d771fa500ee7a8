"""Volumes that go: a stick pulled out, a mount that is dead, another card in the reader. Nothing faults, nothing is
taken for what it is not."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

import pytest

from gribble.core.base import changing
from gribble.core.survey import walking
from gribble.stores import files
from tests.conftest import Gribble, tree
from tests.ground.volume import folding_volume, killed
from tests.making import A, B, config, need, small_world

pytestmark = pytest.mark.own_ground("it has volumes of its own")


def state(answer: Any) -> str:
    return str(answer["rigs"][0]["state"])


def test_a_dead_mount_is_away_or_left_out_in_every_command(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A}, need("a", A))
    for what in ("rig", "drawer", "catalogue"):
        shutil.copytree(world, tmp_path / what)
        at = tmp_path / what / what
        at.rename(tmp_path / f"{what}-beneath")
        with folding_volume(tmp_path / f"{what}-beneath", at):
            gribble("check", cwd=tmp_path / what, code=1)
            killed(at)
            for words in ("check", "plan", "place --yes", "needs", "why plover", "identify drawer", "undo --yes", "history",
                          "doctor", "report", "status", "attic list", "attic empty --yes", "catalogue lint", "discs check",
                          "sets check", "init", "place --resume"):  # fmt: skip
                gribble(*words.split(), cwd=tmp_path / what)
            if what == "rig":
                assert "cannot be reached: transport endpoint is not connected" in " ".join(
                    gribble("check", cwd=tmp_path / what, code=3).out.split()
                )
            if what == "drawer":
                ended = gribble("check", "--json", cwd=tmp_path / what, code=1)
                assert "note: drawer is away since" in ended.err
                assert ended.json["rigs"][0]["emulators"][0]["needs"][0]["remedy"] == "connect"


@pytest.mark.parametrize("moment", ["looking", "writing", "flushing"])
def test_a_stick_pulled_out_at_any_moment_ends_in_words(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, moment: str
) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A, "drawer/y": B})
    beneath, stick = tmp_path / "beneath", world / "rig"
    shutil.rmtree(stick)
    (beneath / "boot").mkdir(parents=True)
    with folding_volume(beneath, stick):
        gribble("check", cwd=world, code=1)
        place, real = {
            "looking": ("gribble.core.survey.survey.walk", walking.walk),
            "writing": ("gribble.stores.local.move", files.move),
            "flushing": ("gribble.stores.local.flush_file", changing.flush_file),
        }[moment]

        def gone(*words: Any, **more: Any) -> Any:
            killed(stick)
            return real(*words, **more)  # type: ignore[operator]

        monkeypatch.setattr(place, gone)
        if moment == "looking":
            assert state(gribble("check", "--json", cwd=world).json) == "away"
            return
        said = gribble("place", "--yes", cwd=world, code=3)
        assert "transport endpoint is not connected" in said.out + said.err
    monkeypatch.undo()
    with folding_volume(beneath, stick):
        gribble("place", "--resume", "--yes", cwd=world)
        gribble("undo", "--yes", cwd=world)
        assert [path for path in tree(stick) if not path.endswith("/")] == []


def test_another_card_in_the_same_place_is_not_taken_for_the_rig(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A, "drawer/y": B})
    card, other = world / "rig", tmp_path / "other"
    gribble("place", "--yes", cwd=world, code=0)
    gribble("check", cwd=world, code=0)
    card.rename(tmp_path / "card")
    for there, word in (("", "no"), ("used", "another")):
        shutil.rmtree(card, ignore_errors=True)
        (card / "boot").mkdir(parents=True)
        (card / "boot/pictures").write_bytes(b"somebody's")
        if there:  # a card that another configuration has used
            second = small_world(other, {"drawer/x": A})
            config(second, rigs={"rig": str(card)})
            gribble("place", "--yes", cwd=second, code=1)
        before = tree(card)
        answer = gribble("check", "--json", cwd=world, code=3).json
        assert state(answer) == "away"
        said = gribble("check", cwd=world, code=3).out.replace("\n", " ")
        assert f"it has {word} id" in " ".join(said.split())
        for words in ("place --yes", "undo --yes", "attic empty --yes"):
            gribble(*words.split(), cwd=world)
        assert tree(card) == before
        assert f"it has {word} id" in " ".join(gribble("doctor", cwd=world, code=3).out.split())
    shutil.rmtree(card)
    (tmp_path / "card").rename(card)
    gribble("check", cwd=world, code=0)
    card.rename(tmp_path / "card")
    (card / "boot").mkdir(parents=True)
    gribble("doctor", "--accept", "rig", cwd=world)
    assert state(gribble("check", "--json", cwd=world, code=1).json) == "blocked"
    gribble("place", "--yes", cwd=world, code=0)
    shutil.rmtree(card)
    (tmp_path / "card").rename(card)
    assert state(gribble("check", "--json", cwd=world, code=3).json) == "away"
