"""Two Gribbles on one rig: whatever each does, and whenever it is answered, journals and trees stay explained."""

from __future__ import annotations

import json
import os
import random
import signal
import time
from pathlib import Path
from typing import Any

import pytest

from gribble.cli import running
from gribble.views.plan import show_plan
from tests.conftest import SOAK
from tests.making import A, B, C, Forked, files, forked, need, small_world, whole_tree

ROUNDS = 200 if SOAK else 10
COMMANDS = (
    ("place",),
    ("place",),
    ("place", "--only", "a"),
    ("undo",),
    ("undo",),
    ("undo", "1"),
    ("place", "--resume"),
)


def lines_of(journal: Path) -> list[dict[str, Any]]:
    return [json.loads(line) for line in journal.read_text(encoding="utf-8").splitlines()[1:] if line]


def check_journals(rig: Path) -> None:
    """Each step is begun once, and then done or refused, never both; an end comes once, an undo after it."""
    for journal in (rig / ".gribble/runs").glob("*.jsonl"):
        lines = lines_of(journal)
        for word in ("begin", "done", "failed", "back"):
            told = [line[word] for line in lines if word in line]
            assert len(told) == len(set(told)), f"{word} twice in {journal.read_text()}"
        done = {line["done"] for line in lines if "done" in line}
        assert done <= {line["begin"] for line in lines if "begin" in line}
        assert not done & {line["failed"] for line in lines if "failed" in line}
        ends = [line["end"] for line in lines if "end" in line]
        assert ends in ([], ["done"], ["undone"], ["done", "undone"]), journal.read_text()


@pytest.mark.parametrize("seed", range(ROUNDS))
def test_two_at_once(tmp_path: Path, seed: int) -> None:
    chance = random.Random(seed)
    contents = {"drawer/a": A, "drawer/b": B, "drawer/c": C, "rig/boot/a.rom": C, "rig/boot/x.bin": B}
    world = small_world(tmp_path, contents, need("a", A), need("b", B), need("c", C))
    before = whole_tree(world / "rig")
    if chance.random() < 0.6:
        forked(world, "place", "--yes", code=0)
        if chance.random() < 0.3:
            forked(world, "undo", "--yes", code=0)
    for _ in range(3):
        pair = [Forked(world, chance.choice(COMMANDS), None) for _ in range(2)]
        chance.shuffle(pair)
        for child in pair:
            time.sleep(chance.choice((0, 0.01, 0.05, 0.15)))
            if chance.random() < 0.1:
                os.kill(child.pid, signal.SIGKILL)
            child.answer(chance.choice((b"y\n", b"y\n", b"y\n", b"n\n")))
        for child in pair:
            said = child.ended()
            assert said.code in (0, 1, 2, 3, -signal.SIGKILL), said.words
            if "Undone" in said.out:
                assert "not done" not in said.out
        check_journals(world / "rig")
        for name, old, new in (("a", C, A), ("b", None, B), ("c", None, C)):
            path = world / f"rig/boot/{name}.rom"
            assert (path.read_bytes() if path.exists() else None) in (old, new)
    forked(world, "place", "--resume", code=0)
    check_journals(world / "rig")
    for _ in range(9):
        if whole_tree(world / "rig") == before:
            return
        forked(world, "undo", "--yes", code=0)
    assert whole_tree(world / "rig") == before


@pytest.mark.parametrize("command", ["place", "undo"])
def test_what_is_saved_while_the_question_stands_is_not_taken_away(tmp_path: Path, command: str) -> None:
    mine = b"saved while the question stood"
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    if command == "undo":
        forked(world, "place", "--yes", code=0)
    child = Forked(world, (command,), None)
    child.wait_for_question()
    files(world, {"rig/boot/a.rom": mine})
    child.answer(b"y\n")
    said = child.ended()
    assert said.code == 3, said.words
    assert "changed" in said.words
    assert (world / "rig/boot/a.rom").read_bytes() == mine


def test_what_another_did_while_the_rig_was_looked_at_ends_the_command(tmp_path: Path) -> None:
    """On a rig without a former run, too, between the look and the plan."""
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))

    def meanwhile() -> None:
        real = show_plan

        def show(*given: Any, **more: Any) -> None:
            forked(world, "place", "--yes", first=lambda: setattr(running, "show_plan", real), code=0)
            real(*given, **more)

        setattr(running, "show_plan", show)  # noqa: B010  (mypy minds the assignment)

    said = forked(world, "place", "--yes", first=meanwhile, code=3).words
    assert "another Gribble changed rig after this plan was made" in said


def test_a_plan_that_another_has_carried_out_is_not_carried_out_again(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    child = Forked(world, ("place",), None)
    child.wait_for_question()
    forked(world, "place", "--yes", code=0)
    child.answer(b"y\n")
    said = child.ended()
    assert said.code == 3
    assert "another Gribble changed rig after this plan was made" in said.words
    assert len(list((world / "rig/.gribble/runs").glob("*.jsonl"))) == 1
