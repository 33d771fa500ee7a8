"""Steps done side by side: each place is old or whole, what fails fails alone, and the order of a plan is kept."""

from __future__ import annotations

import os
import threading
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec import structs

from gribble.core.base.paths import fold, outside
from gribble.core.placing import journal
from gribble.core.placing.journal import Begin, Run, Seal, end_of, read_run
from gribble.core.placing.room import MOST_BYTES, MOST_STEPS, batches
from gribble.core.placing.run import Listener, Stopped
from gribble.core.placing.store import Content, StoreError, StoreFull
from gribble.core.records.steps import Copy, Displace, Rename, Step
from gribble.stores.local import LocalStore
from gribble.stores.rigs import AnyPlace, RigHome
from tests.conftest import tree
from tests.runs import SEAL, carried, files_of, rig_with, step, taken_back

PLACES = ("a.rom", "A.ROM", "b.rom", "deep/c.rom")


def a_step(kind: int, from_: str, to: str, size: int) -> Step:
    match kind:
        case 0:
            return Displace(rig="den", from_=to)
        case 1:
            return Rename(rig="den", from_=from_.strip("/"), to=to, bytes=size)
        case _:
            return Copy(rig="den", from_=from_, to=to, bytes=size, replaces=to if kind == 2 else None)


STEPS = st.builds(
    a_step,
    st.integers(0, 6),
    st.sampled_from(("/drawer/x", "/drawer/y", "b.rom", "ftp://server/x")),
    st.sampled_from(PLACES),
    st.sampled_from((1, MOST_BYTES // 3, 2 * MOST_BYTES)),
)


@given(
    steps=st.lists(STEPS, max_size=3 * MOST_STEPS), done=st.sets(st.integers(0, 9)), begun=st.sets(st.integers(0, 9))
)
def test_a_batch_holds_only_what_does_not_touch_another(steps: list[Step], done: set[int], begun: set[int]) -> None:
    run = Run(path=Path("1.jsonl"), number=1, rig="den", when="", steps=tuple(steps))
    run.done, run.begun = dict.fromkeys(done, ""), {number: Begin() for number in begun}
    found = list(batches(run, 4))
    assert [number for batch in found for number in batch] == [n for n in range(len(steps)) if n not in done]
    for batch in found:
        several = [steps[number] for number in batch]
        if len(batch) > 1:
            assert all(isinstance(one, Copy) and outside(one.from_) and "://" not in one.from_ for one in several)
            assert len({fold(one.place) for one in several}) == len(batch) <= MOST_STEPS
            assert sum(one.bytes for one in several) <= MOST_BYTES
            assert not begun.intersection(batch)
    assert all(len(batch) == 1 for batch in batches(run, 1))


def many(base: Path, count: int) -> tuple[RigHome, tuple[Step, ...], dict[str, bytes]]:
    """A rig, and steps that bring so many files to it, every third over an old one; what is there afterwards."""
    after = {f"{f'new{n % 2}/er' if n % 3 else 'old'}/{n}.rom": b"new %d" % n for n in range(count)}
    rig = rig_with(base / "rig", {name: b"old" for name in after if name.startswith("old")})
    steps = []
    for n, (name, data) in enumerate(after.items()):
        (base / str(n)).write_bytes(data)
        steps.append(step(Copy, base / str(n), name, data, name if name.startswith("old") else None))
    return rig, tuple(steps), after


def test_many_files_need_few_flushes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rig, steps, after = many(tmp_path, 3 * MOST_STEPS)
    before, real = tree(Path(rig.root)), os.fsync
    flushed: list[str] = []

    def counted(handle: int) -> None:
        flushed.append(os.readlink(f"/proc/self/fd/{handle}") if os.path.exists("/proc/self/fd") else "")
        real(handle)

    with monkeypatch.context() as patched:
        patched.setattr(os, "fsync", counted)
        assert carried(rig, steps) == {}
    assert files_of(Path(rig.root)) == after
    kept = sum(1 for one in steps if one.displaces)  # each slot and its folder are flushed before a file is replaced
    assert len(flushed) < len(steps) + 2 * kept + 50, "one for each content, few for the journal and the folders"
    if any(flushed):
        assert sum(one.endswith(".part") and ".gribble/" not in one for one in flushed) == len(steps), (
            "no content is left to chance"
        )
    taken_back(rig)
    assert tree(Path(rig.root)) == before


@given(after=st.integers(0, 160))
@settings(max_examples=30)  # each a run of forty files and its undo
def test_a_run_stopped_among_many_goes_on_where_it_was(tmp_path_factory: pytest.TempPathFactory, after: int) -> None:
    base = tmp_path_factory.mktemp("stopped")
    rig, steps, wanted = many(base, 40)
    before = tree(Path(rig.root))
    told = 0

    def watch(_bytes: int) -> None:
        nonlocal told
        told += 1
        if told > after:
            raise Stopped

    with rig.locked() as held:
        run = held.start(1, "today", steps)
        try:
            held.runner(run, AnyPlace(), listener=Listener(watch)).carry_out(run)
        except Stopped:
            assert not end_of(run.path)
        now, old = files_of(Path(rig.root)), {name: data for name, (data, _) in before.items()}
        for number, one in enumerate(steps):
            assert now.get(one.place) == (wanted if number in run.done else old).get(one.place)
        assert not [name for name in now if ".gribble-" in name]
        (again,) = held.runs()
        if again.state == "open":
            held.runner(again, AnyPlace()).carry_out(again)
    assert files_of(Path(rig.root)) == wanted
    taken_back(rig)
    assert tree(Path(rig.root)) == before


def test_what_finds_no_room_beside_others_finds_it_when_they_are_through(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Four contents at a time; the volume has room for one work file at a time, and for all that came to its place."""
    rig, steps, after = many(tmp_path, 4)
    real, begun, refused = LocalStore.write, threading.Barrier(4, timeout=20), threading.Lock()
    first = True

    def write(self: LocalStore, path: str, content: Content, like: str | None = None) -> None:
        nonlocal first
        beside = threading.current_thread() is not threading.main_thread()
        if beside:
            begun.wait()
        with refused:
            mine, first = first, False
        real(self, path, content, like)
        if beside and not mine:
            raise StoreFull("no space left on device")

    monkeypatch.setattr(LocalStore, "write", write)
    assert carried(rig, steps) == {}
    assert files_of(Path(rig.root)) == after


@pytest.mark.parametrize("call", ["write", "make_slot", "make_folder", "missing_folders", "keep", "rename", "dress"])
def test_one_that_fails_fails_alone(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, call: str) -> None:
    rig, steps, after = many(tmp_path, 12)
    before, real, count = tree(Path(rig.root)), getattr(LocalStore, call), 0
    lock = threading.Lock()

    def failing(self: LocalStore, *args: Any, **named: Any) -> Any:
        nonlocal count
        with lock:
            count += 1
            now = count
        if now == 3:
            raise StoreError("read-only file system")
        return real(self, *args, **named)

    with monkeypatch.context() as patched:
        patched.setattr(LocalStore, call, failing)
        failed = carried(rig, steps)
    assert count > 3
    assert list(failed.values()) == ["read-only file system"]
    now, old = files_of(Path(rig.root)), {name: data for name, (data, _) in before.items()}
    for number, one in enumerate(steps):
        assert now.get(one.place) == (old if number in failed else after).get(one.place)
    taken_back(rig)
    assert tree(Path(rig.root)) == before


def test_a_content_that_changes_meanwhile_is_refused_alone(tmp_path: Path) -> None:
    rig, steps, _ = many(tmp_path, 8)
    (tmp_path / "5").write_bytes(b"NEW 5")
    failed = carried(rig, steps)
    assert list(failed) == [5]
    assert "has changed since Gribble looked at it" in failed[5]


@pytest.mark.own_ground("it makes a link")
def test_a_folder_that_becomes_a_link_leads_nowhere(tmp_path: Path) -> None:
    (tmp_path / "outside").mkdir()
    (tmp_path / "rig/boot").mkdir(parents=True)
    store = LocalStore(tmp_path / "rig")
    with store.flushing_once():
        store.write("boot/x", lambda: iter([b"x"]))
    (tmp_path / "rig/boot").rename(tmp_path / "rig/aside")
    (tmp_path / "rig/boot").symlink_to(tmp_path / "outside")
    with pytest.raises(StoreError, match="leads out of the rig"):
        store.write("boot/y", lambda: iter([b"y"]))
    assert list((tmp_path / "outside").iterdir()) == []
    (tmp_path / "rig/boot").unlink()
    (tmp_path / "rig/aside").rename(tmp_path / "outside/boot")
    (tmp_path / "rig/boot").symlink_to(tmp_path / "outside/boot")
    with pytest.raises(StoreError, match="leads out of the rig"):
        store.write("boot/y", lambda: iter([b"y"]))


def test_the_end_of_a_journal_says_whether_its_run_has_ended(tmp_path: Path) -> None:
    rig, steps, _ = many(tmp_path, 3)
    carried(rig, steps)
    path = rig.journals / "0001.jsonl"
    assert end_of(path) == "done"
    taken_back(rig)
    data = path.read_bytes()
    ends = set()
    lines = [at for at, byte in enumerate(data) if byte == ord("\n")]
    for length in (*range(0, len(data), 7), *lines, len(data)):
        path.write_bytes(data[:length])
        run, end = read_run(path, SEAL), end_of(path)
        assert not end or (run is not None and run.state == end), f"cut at {length}"
        ends.add(end)
    assert ends == {"", "done", "undone"}
    assert rig.open_runs() == []
    path.write_bytes(data + b'\n{"turn": 0, "end": "done"}')
    assert not end_of(path), "what no version of ours wrote is read whole"


def test_no_journal_is_read_that_a_question_does_not_need(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rig, steps, _ = many(tmp_path, 3)
    for number in (1, 2, 3):
        carried(rig, steps, number)
        if number != 2:
            taken_back(rig, number)
            continue
        steps = tuple(structs.replace(one, to=f"more/{one.place}", replaces=None) for one in steps)
    read: list[str] = []

    def counted(path: Path, seal: Seal) -> Run | None:
        read.append(path.stem)
        return read_run(path, seal)

    monkeypatch.setattr(journal, "read_run", counted)
    assert rig.open_runs() == []
    assert read == []
    assert [run.number for run in rig.to_take_back()] == [2]
    assert read == ["0002"]
    assert list(rig.to_take_back(3)) == []
    assert [run.number for run in rig.runs()] == [1, 2, 3]
