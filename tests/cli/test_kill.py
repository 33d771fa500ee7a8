"""Kill -9 before every act of a run and of an undo: old or whole new file everywhere, then finish, then undo."""

from __future__ import annotations

import itertools
import os
import random
import re
import shutil
import signal
from collections.abc import Iterator
from pathlib import Path

import pytest

from gribble.demo.world import build_world
from tests.conftest import tree
from tests.faults import FAULTS, run_in_child

STRIDE = 1 if os.environ.get("GRIBBLE_SOAK") else 29
"""Every act is tried in a soak; otherwise every 29th, which meets every kind of step and every kind of act."""

Tree = dict[str, tuple[bytes, int]]


def same_files(one: Tree, other: Tree) -> bool:
    """Whether two trees have the same names and bytes, whatever their times."""
    return {path: data for path, (data, _) in one.items()} == {path: data for path, (data, _) in other.items()}


@pytest.fixture(scope="module")
def worlds(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path, Tree, Tree]:
    """A world before and one after placing, with their trees."""
    base = tmp_path_factory.mktemp("kill")
    os.environ.pop("GRIBBLE_CONFIG", None)
    before, after = base / "before", base / "after"
    build_world(before)
    config = before / "gribble.toml"  # four emulators will do: they have steps of every kind
    config.write_text(re.sub(r"^(redshank|curlew|knot) = .*\n", "", config.read_text(), flags=re.MULTILINE))
    sheet = before / "catalogue/avocet.sheet.toml"
    head, *needs = sheet.read_text().split("[[need]]")
    few = [
        need for need in needs if re.search('id = "skerry-(clock|bank)"', need)
    ]  # a mend in place, and one of halves
    sheet.write_text("[[need]]".join([head[: head.index("[[unlock]]")], *few]))
    shutil.copytree(before, after)
    assert os.waitstatus_to_exitcode(run_in_child(after, "place", "--yes")) == 1
    return before, after, tree(before), tree(after)


def whole(now: Tree, before: Tree, after: Tree) -> bool:
    """Whether every place holds the old or the whole new file; work files and names in passing aside."""
    for path in before.keys() | after.keys():
        allowed = {data.get(path, (None,))[0] for data in (before, after)}
        if now.get(path, (None,))[0] not in allowed:
            return False
        # A place that had a file and will have one is never empty (a rename in case alone has two names).
        if path in before and path in after and path not in now:
            return False
    return all(path in before or path in after or ".gribble-" in path for path in now)


def killed_worlds(base: Path, start: Path, *words: str) -> Iterator[Path]:
    """A copy of a world for each act of a command, killed just before it, until the command ends by itself."""
    for number in itertools.count(1, STRIDE):
        world = base / str(number)
        shutil.copytree(start, world)
        status = run_in_child(world, *words, kill_before=number)
        if not os.WIFSIGNALED(status):
            assert number > 10, "hardly an act was counted: the test would prove nothing"
            return
        assert os.WTERMSIG(status) == signal.SIGKILL
        yield world
        shutil.rmtree(world)


def test_a_killed_run_is_finished_and_undone(tmp_path: Path, worlds: tuple[Path, Path, Tree, Tree]) -> None:
    start, _, before, after = worlds
    for world in killed_worlds(tmp_path, start, "place", "--yes"):
        assert whole(tree(world), before, after)
        run_in_child(world, "place", "--resume")
        assert not [path for path in world.rglob("runs/*.jsonl") if '"failed"' in path.read_text()]
        if not same_files(tree(world), after):
            run_in_child(world, "place", "--yes")  # killed before the journal was begun
        assert same_files(tree(world), after), world
        run_in_child(world, "undo", "--yes")
        if tree(world) != before:
            run_in_child(world, "undo", "--yes")  # one run for each rig where it was killed between them
        assert tree(world) == before, world


def test_a_killed_run_is_undone(tmp_path: Path, worlds: tuple[Path, Path, Tree, Tree]) -> None:
    start, _, before, _ = worlds
    for world in killed_worlds(tmp_path, start, "place", "--yes"):
        run_in_child(world, "undo", "--yes")
        assert tree(world) == before, world


def test_a_killed_undo_is_finished(tmp_path: Path, worlds: tuple[Path, Path, Tree, Tree]) -> None:
    _, placed, before, after = worlds
    for world in killed_worlds(tmp_path, placed, "undo", "--yes"):
        assert whole(tree(world), before, after)
        run_in_child(world, "undo", "--yes")
        assert tree(world) == before, world


SEEDS = 500 if os.environ.get("GRIBBLE_SOAK") else 6


@pytest.mark.parametrize("seed", range(SEEDS))
def test_any_fault_at_any_moment_loses_nothing(
    tmp_path: Path, worlds: tuple[Path, Path, Tree, Tree], seed: int
) -> None:
    """A kill, a Ctrl-C or a rig pulled out, at a random act of a run or an undo: then finished, then taken back."""
    chance = random.Random(seed)
    fault, undoing = list(FAULTS)[seed % len(FAULTS)], chance.random() < 0.4
    start, placed, before, after = worlds
    world = tmp_path / "world"
    shutil.copytree(placed if undoing else start, world)
    words = ("undo", "--yes") if undoing else ("place", "--yes")
    run_in_child(world, *words, kill_before=chance.randint(1, 260), fault=fault)
    if (world / "pulled out").exists():
        assert not (world / "rigs/lighthouse").exists(), "nothing is made in the stead of a rig that was pulled out"
        (world / "pulled out").rename(world / "rigs/lighthouse")
    assert whole(tree(world), before, after)
    if undoing:
        for _ in range(2):
            run_in_child(world, "undo", "--yes")
    else:
        run_in_child(world, "place", "--yes")  # finishes what was cut short, then does what is left
        run_in_child(world, "place", "--yes")
        assert same_files(tree(world), after)
        for _ in range(4):
            if tree(world) != before:
                run_in_child(world, "undo", "--yes")
    assert tree(world) == before
