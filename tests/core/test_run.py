"""Runs against a real folder: whatever fails on the way, every place holds the old or the new file, and undo is exact."""

from __future__ import annotations

import os
import time
import zipfile
from collections.abc import Iterator
from contextlib import nullcontext
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec import structs

from gribble.core.base.errors import GribbleError
from gribble.core.base.paths import fold
from gribble.core.files.volumes import whole_clusters
from gribble.core.placing.displaced import Changed
from gribble.core.placing.journal import BALLAST_BYTES, read_run, runs_in
from gribble.core.placing.room import JOURNAL_BYTES, JOURNAL_OF_STEP, check_room
from gribble.core.placing.run import new_run_number
from gribble.core.placing.store import Free, StoreError
from gribble.core.records.steps import Copy, Displace, Pack, PackMember, Rename, Step
from gribble.core.survey.index import SETTLED_NS
from gribble.stores import local
from gribble.stores.files import read_blocks
from gribble.stores.local import LocalStore
from gribble.stores.rigs import AnyPlace, RigHome
from tests.conftest import tree
from tests.ground.memory import FoldingStore
from tests.runs import SEAL, carried, files_of, rig_with, step, taken_back

NAMES = ("a.rom", "b.rom", "deep/c.rom", "deep/er/d.rom")


@given(
    present=st.dictionaries(st.sampled_from(NAMES), st.binary(min_size=1, max_size=9)),
    wanted=st.dictionaries(st.sampled_from(NAMES), st.binary(min_size=1, max_size=9), min_size=1),
)
def test_any_files_are_placed_over_any_others_and_taken_back(
    tmp_path_factory: pytest.TempPathFactory, present: dict[str, bytes], wanted: dict[str, bytes]
) -> None:
    base = tmp_path_factory.mktemp("run")
    rig = rig_with(base / "rig", present)
    drawer = base / "drawer"
    drawer.mkdir()
    before = tree(Path(rig.root))
    steps = []
    for number, (name, data) in enumerate(wanted.items()):
        (drawer / str(number)).write_bytes(data)
        steps.append(step(Copy, drawer / str(number), name, data, name if name in present else None))
    assert carried(rig, tuple(steps)) == {}
    assert {name: (Path(rig.root) / name).read_bytes() for name in {**present, **wanted}} == {**present, **wanted}
    taken_back(rig)
    assert tree(Path(rig.root)) == before


def a_world(base: Path) -> tuple[RigHome, tuple[Step, ...], dict[str, bytes]]:
    """A rig and a plan with a step of every kind, and the files that should be there after it."""
    rig = rig_with(
        base / "rig", {"old.rom": b"old", "swap-a": b"B", "swap-b": b"A", "x/astray": b"astray", "bad": b"bad"}
    )
    (base / "new").write_bytes(b"new")
    steps = (
        step(Copy, base / "new", "old.rom", b"new", "old.rom"),
        step(Copy, base / "new", "fresh/er/new.rom", b"new"),
        step(Copy, "swap-b", "swap-a", b"A", "swap-a"),
        step(Copy, "swap-a", "swap-b", b"B", "swap-b"),
        step(Rename, "x/astray", "y/right.rom", b"astray"),
        Displace(rig="den", from_="bad"),
    )
    after = {"old.rom": b"new", "fresh/er/new.rom": b"new", "swap-a": b"A", "swap-b": b"B", "y/right.rom": b"astray"}
    return rig, steps, after


def test_a_step_of_every_kind_is_done_and_undone(tmp_path: Path) -> None:
    rig, steps, after = a_world(tmp_path)
    before = tree(Path(rig.root))
    assert carried(rig, steps) == {}
    assert files_of(Path(rig.root)) == after
    taken_back(rig)
    assert tree(Path(rig.root)) == before
    attic = {path.read_bytes() for path in (Path(rig.root) / ".gribble/attic").rglob("*") if path.is_file()}
    assert {b"new", b"A", b"B"} <= attic, "what an undo takes away is kept"


CALLS = ("write", "rename", "keep", "displace", "make_folder", "read")


@pytest.mark.parametrize("call", CALLS)
def test_a_disk_that_fails_at_any_call_loses_nothing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, call: str
) -> None:
    """The n-th call fails for every n; the step is refused with the reason, the others go on, undo is exact."""
    real = getattr(LocalStore, call)
    for number in range(1, 99):
        rig, steps, after = a_world(tmp_path / str(number))
        before = tree(Path(rig.root))
        count = 0

        def failing(self: LocalStore, *args: Any, _fails_at: int = number, **named: Any) -> Any:
            nonlocal count
            count += 1
            if count == _fails_at:
                raise StoreError("no space left on device")
            return real(self, *args, **named)

        with monkeypatch.context() as patched:
            patched.setattr(LocalStore, call, failing)
            failed = carried(rig, steps)
        if count < number:
            assert number > 1, f"{call} was never called"
            return
        assert all("no space left" in reason or "changed" in reason or "gone" in reason for reason in failed.values())
        now, old = files_of(Path(rig.root)), {name: data for name, (data, _) in before.items()}
        for name, data in now.items():
            assert data in (old.get(name), after.get(name)), f"{name} after {call} {number}"
        for name in old.keys() & after.keys():
            assert name.endswith("/") or name in now
        assert not [name for name in now if ".gribble-" in name]
        taken_back(rig)
        assert tree(Path(rig.root)) == before
    raise AssertionError("the failures never ended")


FOLDED_CALLS = ("write", "rename", "keep", "displace", "make_folder", "read")
SPELLINGS = ("a.rom", "A.ROM", "deep/b.rom", "DEEP/B.ROM", "deep/\u00e9.rom", "deep/e\u0301.rom")


@given(
    present=st.dictionaries(st.sampled_from(SPELLINGS), st.binary(min_size=1, max_size=9)),
    wanted=st.dictionaries(st.sampled_from(SPELLINGS), st.binary(min_size=1, max_size=9), min_size=1),
    call=st.sampled_from(FOLDED_CALLS),
    fails_at=st.integers(0, 12),
)
def test_on_a_volume_that_folds_case_a_failing_disk_loses_nothing(
    tmp_path_factory: pytest.TempPathFactory,
    present: dict[str, bytes],
    wanted: dict[str, bytes],
    call: str,
    fails_at: int,
) -> None:
    base = tmp_path_factory.mktemp("folded")
    (base / "rig/.gribble").mkdir(parents=True)
    store = FoldingStore(base / "rig")
    for number, (name, data) in enumerate(present.items()):
        if fold(name) not in store.files:
            store.put(name, data, number + 1)
    before, contents = store.tree(), {held.data for held in store.files.values()}
    rig = RigHome("den", str(base / "rig"), base / "rig/.gribble", store, SEAL)
    steps: dict[str, Step] = {}
    for number, (name, data) in enumerate(wanted.items()):
        there = store.files.get(fold(name))
        (base / f"new-{number}").write_bytes(data)
        steps.setdefault(fold(name), step(Copy, base / f"new-{number}", name, data, there.name if there else None))
    count = 0

    def failing(name: str) -> bool:
        nonlocal count
        count += name == call
        return name == call and count == fails_at

    store.failing = failing
    failed = carried(rig, tuple(steps.values()))
    store.failing = lambda _call: False
    for number, one in enumerate(steps.values()):
        held = store.files.get(fold(one.place))
        if number not in failed:
            assert held is not None
            assert held.name.rpartition("/")[2] == one.place.rpartition("/")[2]
    everything = {held.data for held in (*store.files.values(), *store.attic.values())}
    assert contents <= everything
    assert not [name for name in store.files if ".gribble-" in name]
    taken_back(rig)
    assert store.tree() == before


def test_steps_whose_world_has_changed_are_refused_one_by_one(tmp_path: Path) -> None:
    rig, steps, _ = a_world(tmp_path)
    (Path(rig.root) / "old.rom").unlink()
    (Path(rig.root) / "fresh/er").mkdir(parents=True)
    (Path(rig.root) / "fresh/er/new.rom").write_bytes(b"mine")
    (Path(rig.root) / "x/astray").write_bytes(b"other!")
    failed = carried(rig, steps)
    assert {number: reason.split(";")[0] for number, reason in failed.items()} == {
        0: "old.rom is gone since the plan was made",
        1: "fresh/er/new.rom is there now, but was not when the plan was made",
        4: "x/astray has changed since Gribble looked at it",
    }
    assert (Path(rig.root) / "fresh/er/new.rom").read_bytes() == b"mine"
    assert (Path(rig.root) / "swap-a").read_bytes() == b"A"


@pytest.mark.parametrize("path", ["boot/a\n.rom", "boot\\a.rom", "C:a.rom"])
def test_a_run_of_before_that_began_with_a_step_that_no_store_takes_is_undone(tmp_path: Path, path: str) -> None:
    rig = rig_with(tmp_path / "rig", {path: b"A", "other": b"B"})
    before = files_of(Path(rig.root))
    failed = carried(rig, (step(Rename, path, "boot/a.rom", b"A"), step(Rename, "other", "boot/b.rom", b"B")))
    assert failed.keys() == {0}
    assert files_of(Path(rig.root)).keys() == {path, "boot/b.rom"}
    taken_back(rig)
    assert files_of(Path(rig.root)) == before


def test_a_content_that_is_not_the_plans_is_never_put_in_place(tmp_path: Path) -> None:
    rig = rig_with(tmp_path / "rig", {"a.rom": b"old"})
    (tmp_path / "new").write_bytes(b"bonest")
    failed = carried(rig, (step(Copy, tmp_path / "new", "a.rom", b"honest", "a.rom"),))
    assert "has changed since Gribble looked at it" in failed[0]
    assert files_of(Path(rig.root)) == {"a.rom": b"old"}


@pytest.mark.own_ground("it makes a link")
@pytest.mark.parametrize("path", ["../x", "/etc/x", "a/../../x", "C:/x", "a\\x", "out/x", ""])
def test_no_path_leaves_the_rig(tmp_path: Path, path: str) -> None:
    (tmp_path / "rig").mkdir()
    (tmp_path / "outside").mkdir()
    (tmp_path / "rig/out").symlink_to(tmp_path / "outside")
    store = LocalStore(tmp_path / "rig")
    with pytest.raises(StoreError):
        store.write(path, lambda: iter([b"x"]))
    assert list((tmp_path / "outside").iterdir()) == []


def test_a_file_system_without_links_gets_copies_with_their_times(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def no_links(*_args: object, **_more: object) -> None:
        raise OSError(95, "Operation not supported")

    monkeypatch.setattr(os, "link", no_links)
    rig, steps, after = a_world(tmp_path)
    before = tree(Path(rig.root))
    assert carried(rig, steps) == {}
    assert files_of(Path(rig.root)) == after
    taken_back(rig)
    assert tree(Path(rig.root)) == before


@pytest.mark.own_ground("its store does not fold case")
def test_a_rename_in_case_alone_goes_by_a_third_name(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rig = rig_with(tmp_path / "rig", {"TERN.ROM": b"x"})
    seen: list[tuple[str, str]] = []
    real = LocalStore.rename

    def watched(self: LocalStore, old: str, new: str) -> None:
        seen.append((old, new))
        real(self, old, new)

    monkeypatch.setattr(LocalStore, "rename", watched)
    assert carried(rig, (step(Rename, "TERN.ROM", "tern.rom", b"x"),)) == {}
    assert [new for _, new in seen] == [".gribble-1-0.third", "tern.rom"]
    taken_back(rig)
    assert files_of(Path(rig.root)) == {"TERN.ROM": b"x"}


def test_a_journal_cut_anywhere_is_read_as_far_as_it_goes(tmp_path: Path) -> None:
    rig, steps, _ = a_world(tmp_path)
    carried(rig, steps)
    path = rig.journals / "0001.jsonl"
    data = path.read_bytes()
    first = data.index(b"\n")
    for length in range(0, len(data), 7):
        path.write_bytes(data[:length])
        run = read_run(path, SEAL)
        assert (run is None) is (length < first)
        if run:
            assert set(run.done) <= set(run.begun)
    path.write_bytes(data[: first + 40] + b"\nnot json\n" + data[first:])
    run = read_run(path, SEAL)
    assert run is not None
    assert (len(run.done), run.state) == (6, "done")
    assert new_run_number([rig.journals, tmp_path / "absent"]) == 2
    assert runs_in(tmp_path / "absent", SEAL) == []


def test_a_journal_that_cannot_be_written_stops_before_the_act(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rig, steps, _ = a_world(tmp_path)
    before = tree(Path(rig.root))

    def full(_handle: int) -> None:
        raise OSError(28, "No space left on device")

    with rig.locked() as held:
        run = held.start(1, "today", steps)
        monkeypatch.setattr(os, "fsync", full)
        with pytest.raises(GribbleError, match=r"journal .* cannot be written: no space left"):
            held.runner(run, AnyPlace()).carry_out(run)
    assert tree(Path(rig.root)) == before


def test_room_for_an_archive_is_counted_as_its_members_lie(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rig = rig_with(tmp_path / "rig", {})
    with zipfile.ZipFile(tmp_path / "a.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("x", bytes(1 << 20))
    member = PackMember(name="x", from_=str(tmp_path / "a.zip"), member="x", size=1 << 20)
    pack = Pack(rig="den", to="b.zip", bytes=1 << 20, members=(member,))
    small = Free(1, 60_000)
    monkeypatch.setattr(LocalStore, "free", lambda _self, _path: small)
    monkeypatch.setattr(LocalStore, "free_attic", lambda _self: small)
    check_room(rig.store, "den", (pack,), AnyPlace(), cluster=4096)
    unpacked = structs.replace(pack, members=(structs.replace(member, from_=str(tmp_path / "a.7z")),))
    with pytest.raises(GribbleError, match="not have enough room"):
        check_room(rig.store, "den", (unpacked,), AnyPlace())
    own = whole_clusters(BALLAST_BYTES + JOURNAL_BYTES + JOURNAL_OF_STEP, 4096)
    for clusters, fits in ((2, True), (1, False)):  # one for the archive, one for a folder that its undo would fill
        small = Free(1, own + clusters * 4096)
        with nullcontext() if fits else pytest.raises(GribbleError, match="not have enough room"):
            check_room(rig.store, "den", (pack,), AnyPlace(), cluster=4096)
    assert carried(rig, (pack,)) == {}
    assert (Path(rig.root) / "b.zip").stat().st_size < 50_000
    taken_back(rig)
    assert files_of(Path(rig.root)) == {}


@pytest.mark.parametrize(("later", "reads"), [(SETTLED_NS, 1), (-SETTLED_NS, 3)])
def test_what_is_taken_back_is_read_once_unless_it_may_have_been_written_meanwhile(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, later: int, reads: int
) -> None:
    rig, put = rig_with(tmp_path / "rig", {"old": b"former"}), [b"new", b"new, too"]
    (tmp_path / "one").write_bytes(put[0])
    (tmp_path / "two").write_bytes(put[1])
    carried(rig, (step(Copy, tmp_path / "one", "one", put[0]), step(Copy, tmp_path / "two", "old", put[1], "old")))
    read: list[bytes] = []

    def reading(path: Path, member: str | None = None) -> Iterator[bytes]:
        for block in read_blocks(path, member):
            read.append(block)
            yield block

    monkeypatch.setattr(local, "read_blocks", reading)
    clock = max((tmp_path / "rig" / name).stat().st_ctime_ns for name in ("one", "old")) + later
    monkeypatch.setattr(time, "time_ns", lambda: clock)
    with rig.locked() as held:  # and while the user is asked, it is let go
        (run,) = held.runs()
        assert held.runner(run, AnyPlace()).changed_since(run) == []
    taken_back(rig)
    assert sorted(read) == sorted(put * reads)
    assert files_of(tmp_path / "rig") == {"old": b"former"}


def test_what_was_changed_while_the_user_was_asked_is_seen(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rig = rig_with(tmp_path / "rig", {})
    (tmp_path / "one").write_bytes(b"new")
    carried(rig, (step(Copy, tmp_path / "one", "one", b"new"),))
    clock = (tmp_path / "rig/one").stat().st_ctime_ns + SETTLED_NS
    monkeypatch.setattr(time, "time_ns", lambda: clock)
    for changed in ([], [Changed("one", "is not the file that the run put there")]):
        with rig.locked() as held:
            (run,) = held.runs()
            assert held.runner(run, AnyPlace()).changed_since(run) == changed
        (tmp_path / "rig/one").write_bytes(b"own")
        os.utime(tmp_path / "rig/one", ns=(clock, clock))
