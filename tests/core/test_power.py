"""Power cuts: of a run, an undo, a first id and the files beside rigs, every disk that one could leave is set up, finished
and taken back."""

from __future__ import annotations

import os
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest

from gribble.core.base.filewriter import Own, changing, write_file
from gribble.core.placing.journal import Run
from gribble.core.records.steps import Copy, Displace, Extract, Pack, PackMember, Rename, Step, Write
from gribble.core.survey.sources import give_id, id_at
from gribble.stores.opening import SECRET_BYTES, secret_in
from gribble.stores.rigs import AnyPlace, RigHome, local_rig
from tests.conftest import tree
from tests.power import Power
from tests.runs import SEAL, carried, rig_with, step

OLD = {
    "old.rom": b"old",
    "swap-a": b"B",
    "x/astray": b"astray",
    "bad": b"bad",
    "deep/set.zip": b"no zip",
    "y/there": b"t",
}


def steps_in(base: Path) -> dict[str, Step]:
    """A step of each kind; what they take is outside the rig."""
    (base / "new").write_bytes(b"new")
    with zipfile.ZipFile(base / "new.zip", "w") as archive:
        archive.writestr("m", b"member")
    member = PackMember(name="m", from_=str(base / "new.zip"), member="m", size=6)
    extract = Extract(rig="den", from_=str(base / "new.zip"), member="m", to="got/m", bytes=6)
    return {
        "copy": step(Copy, base / "new", "fresh/er/new.rom", b"new"),
        "copy over": step(Copy, base / "new", "old.rom", b"new", "old.rom"),
        "extract": extract,
        "rename": step(Rename, "x/astray", "z/right.rom", b"astray"),
        "rename over": step(Rename, "x/astray", "y/there", b"astray", "y/there"),
        "displace": Displace(rig="den", from_="bad"),
        "pack": Pack(rig="den", to="sets/new.zip", bytes=6, members=(member,)),
        "pack over": Pack(rig="den", to="deep/set.zip", bytes=6, members=(member,), replaces="deep/set.zip"),
        "write": Write(rig="den", to="list", bytes=4, text="text"),
        "write over": Write(rig="den", to="old.rom", bytes=4, text="text", replaces="old.rom"),
    }


def files_of(world: Path) -> dict[str, bytes]:
    found = {name: data for name, (data, _) in tree(world).items() if not name.endswith("/")}
    return {name: data for name, data in found.items() if ".gribble-" not in name}


def home(root: Path) -> RigHome:
    return local_rig("den", root, "ext4", SEAL)


def taken_back(rig: RigHome) -> None:
    """Undo whatever run there is, finished or not; work files that no journal knows of are nobody's harm."""
    with rig.locked() as held:
        for run in held.runs():
            if run.state != "undone":
                assert not run.foreign, run.foreign
                assert held.runner(run, AnyPlace()).changed_since(run) == []
                assert held.take_back(run, AnyPlace()) == []


def finished(rig: RigHome) -> list[Run]:
    with rig.locked() as held:
        for run in held.open_runs():
            if not run.undoing:
                held.runner(run, AnyPlace()).carry_out(run)
                assert run.failed == {}
        return held.runs()


KINDS = [
    "copy",
    "copy over",
    "extract",
    "rename",
    "rename over",
    "displace",
    "pack",
    "pack over",
    "write",
    "write over",
]
RUNS = [*([kind] for kind in KINDS), ["copy", "copy over", "pack", "pack over"], ["copy over", "displace", "rename"]]


@pytest.mark.parametrize("kinds", RUNS, ids=" + ".join)
def test_a_power_cut_in_a_run_loses_nothing(tmp_path: Path, kinds: list[str]) -> None:
    rig = rig_with(tmp_path / "rig", OLD)
    before = files_of(Path(rig.root))
    power = Power(Path(rig.root))
    made = steps_in(tmp_path)
    with power.watched():
        assert carried(rig, tuple(made[kind] for kind in kinds)) == {}
    after = files_of(Path(rig.root))
    cuts = 0
    for act, world in power.worlds(tmp_path):
        cuts += 1
        now = files_of(world)
        for name in before.keys() | after.keys():
            assert now.get(name) in (before.get(name), after.get(name)), (act, name)
        if cuts % 2:
            runs = finished(home(world))
            assert files_of(world) == (after if runs else before), act
        taken_back(home(world))
        assert files_of(world) == before, act
    assert cuts > 10, "hardly a cut was tried"


@pytest.mark.parametrize("kinds", RUNS, ids=" + ".join)
def test_a_power_cut_in_an_undo_loses_nothing(tmp_path: Path, kinds: list[str]) -> None:
    rig = rig_with(tmp_path / "rig", OLD)
    before = files_of(Path(rig.root))
    made = steps_in(tmp_path)
    assert carried(rig, tuple(made[kind] for kind in kinds)) == {}
    after = files_of(Path(rig.root))
    power = Power(Path(rig.root))
    with power.watched():
        taken_back(rig)
    assert files_of(Path(rig.root)) == before
    for act, world in power.worlds(tmp_path):
        now = files_of(world)
        for name in before.keys() | after.keys():
            assert now.get(name) in (before.get(name), after.get(name)), (act, name)
        taken_back(home(world))
        assert files_of(world) == before, act


def test_a_power_cut_at_the_first_run_leaves_the_rig_the_rig(tmp_path: Path) -> None:
    rig = tmp_path / "rig"
    (rig / ".gribble").mkdir(parents=True)
    power = Power(rig)
    with power.watched():
        give_id(rig)
    known = id_at(rig)
    assert known
    for _, world in power.worlds(tmp_path):
        assert id_at(world) in ("", None, known)
        (world / ".gribble").mkdir(exist_ok=True)
        give_id(world, known)
        assert id_at(world) == known
    (rig / ".gribble/id").write_bytes(b"")
    assert id_at(rig) is None, "a file that a power cut has emptied tells nothing"
    give_id(rig, known)
    assert id_at(rig) == known
    (rig / ".gribble/id").write_text("another")
    assert id_at(rig) == ""


def test_a_power_cut_leaves_a_whole_secret_or_none(tmp_path: Path) -> None:
    folder = tmp_path / "data"
    folder.mkdir()
    power = Power(folder)
    with power.watched():
        secret = secret_in(folder)
    for _, world in power.worlds(tmp_path):
        assert len(secret_in(world)) == SECRET_BYTES
    assert secret_in(folder) == secret


WRITERS: dict[str, Callable[[Path], object]] = {
    "new": lambda place: write_file(place.with_name("new"), [b"after"]),
    "own": lambda place: write_file(place, [b"after"], own=Own(b"before", "form")),
    "kept": lambda place: write_file(place, [b"after"], replace_other=True),
    "changed": lambda place: _change(place),
}


def _change(place: Path) -> None:
    with changing(place) as file:
        assert file.data == b"before"
        file.write([b"after"], keep=True)


@pytest.mark.parametrize("links", [True, False])
@pytest.mark.parametrize("writer", WRITERS)
def test_a_power_cut_leaves_the_old_or_the_new_file_beside_rigs(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, writer: str, links: bool
) -> None:
    folder = tmp_path / "folder"
    folder.mkdir()
    (folder / "file").write_bytes(b"before")
    power = Power(folder)
    if not links:
        monkeypatch.setattr(os, "link", _no_links)
    with power.watched():
        WRITERS[writer](folder / "file")
    new = "new" if writer == "new" else "file"
    assert (folder / new).read_bytes() == b"after"
    for act, world in power.worlds(tmp_path):
        now = files_of(world)
        kept = now.pop("file.before-1", None)
        if writer == "new":
            assert now in ({"file": b"before"}, {"file": b"before", "new": b"after"}), act
        else:
            assert now in ({"file": b"before"}, {"file": b"after"}), act
        assert kept in (None, b"before"), act
        if writer in ("kept", "changed") and now == {"file": b"after"}:
            assert kept == b"before", "what is replaced is safe before"


def _no_links(*_args: object, **_named: object) -> None:
    raise OSError(95, "Operation not supported")
