"""One plan for many rigs: each source is read once, whatever each rig is given, and a rig that fails stops no other."""

from __future__ import annotations

import os
import zipfile
from collections import Counter
from pathlib import Path
from typing import Any

import pytest

from gribble.core.placing import twins
from gribble.demo.sheets import HANDHELD_PASSWORD
from gribble.stores import files as stores_files
from tests.conftest import Gribble, tree
from tests.making import A, B, config, need, small_world
from tests.servers import Weather, ftp_server

RIGS = [f"rig{number}" for number in range(8)]


def many(world: Path) -> Path:
    """Eight alike rigs, and two sources: a loose file and an archive."""
    small_world(world, {"drawer/x": A}, need("a", A), need("b", B))
    with zipfile.ZipFile(world / "drawer/pack.zip", "w") as archive:
        archive.writestr("deep/y", B)
    for rig in RIGS:
        (world / rig / "boot").mkdir(parents=True)
    config(world, rigs={rig: rig for rig in RIGS})
    return world


@pytest.fixture
def read(monkeypatch: pytest.MonkeyPatch) -> Counter[str]:
    """How many bytes are read for placing, by the file from which they come."""
    counted: Counter[str] = Counter()
    real = stores_files.read_blocks

    def counting(path: Path, member: str | None, *more: Any) -> Any:
        for block in real(path, member, *more):
            counted[path.name] += len(block)
            yield block

    for module in ("gribble.stores.files", "gribble.stores.rigs", "gribble.stores.local"):
        monkeypatch.setattr(f"{module}.read_blocks", counting, raising=False)
    return counted


def test_what_is_remembered_of_rigs_is_written_once_for_all_of_them(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    flushed: Counter[int] = Counter()
    rigs, real = 0, os.fsync
    monkeypatch.setattr(os, "fsync", lambda handle: flushed.update([rigs]) or real(handle))
    for rigs in (2, 8):
        world = many(tmp_path / str(rigs))
        config(world, rigs={rig: rig for rig in RIGS[:rigs]})
        gribble("check", cwd=world, code=1)
    assert 0 < flushed[8] == flushed[2] < 8


def test_one_plan_for_eight_rigs_reads_each_source_once(gribble: Gribble, tmp_path: Path, read: Counter[str]) -> None:
    world = many(tmp_path / "small")
    before = tree(world)
    plan = gribble("plan", "--json", cwd=world, code=1).json
    assert plan["bytes"] == 8 * (len(A) + len(B))
    told = gribble("place", "--yes", cwd=world, code=0).out
    assert (read["x"], read["pack.zip"]) == (len(A), len(B))
    assert [f"Done: 2 steps of 2 on {rig}, run 1." in told for rig in RIGS] == [True] * 8
    for rig in RIGS:
        assert (world / rig / "boot/a.rom").read_bytes() == A
        assert (world / rig / "boot/b.rom").read_bytes() == B
    gribble("undo", "--yes", cwd=world, code=0)
    after = {path: what for path, what in tree(world).items() if ".gribble" not in path}
    assert after == {path: what for path, what in before.items() if ".gribble" not in path}


def test_what_went_bad_on_one_rig_is_taken_from_the_source_for_the_others(
    gribble: Gribble, tmp_path: Path, read: Counter[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    world = many(tmp_path / "small")
    real = twins.Twins.note

    def spoiling(self: Any, root: str, step: Any, digest: str) -> None:
        real(self, root, step, digest)
        if root.endswith("rig0") and step.to == "boot/a.rom":
            (Path(root) / step.to).write_bytes(A[::-1])
        if root.endswith("rig0") and step.to == "boot/b.rom":
            (Path(root) / step.to).unlink()

    monkeypatch.setattr(twins.Twins, "note", spoiling)
    gribble("place", "--yes", cwd=world, code=0)
    for rig in RIGS[1:]:
        assert (world / rig / "boot/a.rom").read_bytes() == A
        assert (world / rig / "boot/b.rom").read_bytes() == B
    assert (read["x"], read["pack.zip"]) == (2 * len(A), 2 * len(B))


def test_a_rig_whose_place_is_taken_stops_no_other(gribble: Gribble, tmp_path: Path) -> None:
    world = many(tmp_path / "small")
    plan = world / "plan.json"
    gribble("plan", "--out", str(plan), cwd=world, code=1)
    (world / "rig3/boot/a.rom").write_bytes(b"mine")
    told = gribble("place", "--plan", str(plan), "--yes", cwd=world, code=3).out
    assert "not done: copy boot/a.rom" in told
    assert told.count("Done: 2 steps of 2") == 7
    assert (world / "rig3/boot/a.rom").read_bytes() == b"mine"
    assert (world / "rig3/boot/b.rom").read_bytes() == B


@pytest.mark.parametrize("far", [False, True])
def test_rigs_that_take_from_each_other_what_the_plan_moves_there_have_it_all_the_same(
    gribble: Gribble, tmp_path: Path, far: bool
) -> None:
    """Each holds what the other lacks, at a place at which it wants something else."""
    world = small_world(tmp_path / "small", {"one/boot/a.rom": B, "two/boot/b.rom": A}, need("a", A), need("b", B))
    with ftp_server(world / "two", Weather()) as server:
        config(world, rigs={"one": "one", "two": str(server) if far else "two"})
        secret = {"GRIBBLE_PASSWORD_TWO": HANDHELD_PASSWORD}
        before = {path: what for path, what in tree(world).items() if path.endswith(".rom")}
        gribble("place", "--yes", cwd=world, code=0, **secret)
        for rig in ("one", "two"):
            assert (world / rig / "boot/a.rom").read_bytes() == A
            assert (world / rig / "boot/b.rom").read_bytes() == B
        gribble("undo", "--yes", cwd=world, code=0, **secret)
        after = tree(world).items()
    assert {path: what for path, what in after if path.endswith(".rom") and ".gribble" not in path} == before
