"""Every advice leads on: what `why` says to do next is done, and the reason is gone, or is the person's own."""

from __future__ import annotations

import shlex
from pathlib import Path
from typing import Any

import pytest

from gribble.demo.world import build_world
from tests.conftest import Gribble, tree
from tests.seeded import FIRST_REASONS

ASKING = ("gribble place", "gribble sets pack", "gribble discs mend")
"""What asks before it does anything."""


def identity(reason: dict[str, Any]) -> tuple[str, ...]:
    kind = next(
        kind for kind in ("need", "setting", "set", "media", "pair", "release", "sheet", "rig") if kind in reason
    )
    return kind, str(reason[kind]), reason["file"], reason["verdict"]


@pytest.mark.parametrize(("rig", "emulator"), [*FIRST_REASONS, ("cabinet", "turnstone")])
def test_what_is_next_is_done_and_the_reason_is_gone(gribble: Gribble, tmp_path: Path, rig: str, emulator: str) -> None:
    build_world(tmp_path / "start")
    ask = ("why", emulator, "--rig", rig, "--json")
    by_next: dict[str, set[tuple[str, ...]]] = {}
    for reason in gribble(*ask, cwd=tmp_path / "start").json["reasons"]:
        if reason.get("yours"):
            assert reason["next"] is None or reason["next"].split()[1] in ("needs", "sets", "catalogue"), reason
        else:
            by_next.setdefault(reason["next"], set()).add(identity(reason))
    for number, (command, told) in enumerate(by_next.items()):
        world = tmp_path / str(number)
        build_world(world)
        words = shlex.split(command.replace(str(tmp_path / "start"), str(world)))[1:]
        gribble(*words, *(["--yes"] if command.startswith(ASKING) else []), cwd=world)
        left = {identity(reason) for reason in gribble(*ask, cwd=world).json["reasons"]}
        assert not told & left, command


@pytest.mark.parametrize(("rig", "emulator"), [*FIRST_REASONS, ("cabinet", "turnstone")])
def test_whoever_follows_every_advice_arrives_and_can_go_all_the_way_back(
    gribble: Gribble, world: Path, rig: str, emulator: str
) -> None:
    before = tree(world)
    done: list[str] = []
    while True:
        reasons = gribble("why", emulator, "--rig", rig, "--json", cwd=world).json["reasons"]
        command = next((reason["next"] for reason in reasons if not reason.get("yours")), None)
        if command is None:
            break
        assert command not in done, f"{command} leads in a circle"
        done.append(command)
        gribble(*shlex.split(command)[1:], "--yes", cwd=world)
    for _ in done:
        gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world) == before
