"""`gribble watch`: files are told when they have come to rest and not before, by the system's events and by looking."""

from __future__ import annotations

import io
import json
import os
import shutil
import signal
import subprocess
import sys
import threading
import time
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec import structs

from gribble.core.answers.identify import Identified, Match, arrived
from gribble.core.survey.arriving import BUSY, REST_SECONDS, Arrivals, glance, is_of_interest
from tests.conftest import Gribble
from tests.making import A, B, files, need, small_world
from tests.needs import held

PATIENCE = 60


class Watched:
    """A watch under way, as a process of its own, and what it has said so far."""

    def __init__(self, process: subprocess.Popen[str]) -> None:
        self.process = process
        self.lines: list[tuple[float, str]] = []
        self.thread = threading.Thread(target=self._read, daemon=True)
        self.thread.start()

    def _read(self) -> None:
        assert self.process.stdout is not None
        for line in self.process.stdout:
            self.lines.append((time.monotonic(), line.rstrip("\n")))

    def said(self, words: Callable[[str], bool], since: int = 0) -> str:
        """The first line of some kind, waited for."""
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end:
            for _, line in self.lines[since:]:
                if words(line):
                    return line
            time.sleep(0.02)
        raise AssertionError(f"not said: {self.lines}")

    def told(self, name: str) -> dict[str, Any]:
        """What was told of a file, as JSON."""
        found: dict[str, Any] = json.loads(self.said(lambda line: f'/{name}"' in line))
        return found

    def ended(self) -> int:
        self.process.send_signal(signal.SIGINT)
        code = self.process.wait(PATIENCE)
        self.thread.join(PATIENCE)
        return code


@contextmanager
def watching(world: Path, env: dict[str, str], *words: str) -> Iterator[Watched]:
    heard = "import signal; signal.signal(signal.SIGINT, signal.default_int_handler)"  # also where the tests run aside
    command = [sys.executable, "-c", f"{heard}; from gribble.cli.main import main; main()", "watch", *words]
    process = subprocess.Popen(
        command, cwd=world, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, encoding="utf-8"
    )
    watched = Watched(process)
    try:
        watched.said(lambda line: line.startswith("Watching "))
        time.sleep(1.2)  # until the system, or the first look, knows what is there
        yield watched
    finally:
        if process.poll() is None:
            process.kill()
        process.wait(PATIENCE)
        watched.thread.join(PATIENCE)
        assert process.stdout is not None
        process.stdout.close()


def zipped(name: str, data: bytes) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr(name, data)
    return buffer.getvalue()


@pytest.mark.own_ground("it runs as a process of its own")
@pytest.mark.parametrize("how", [[], ["--look"]], ids=["events", "looking"])
def test_files_are_told_as_they_come_to_rest(tmp_path: Path, clean_env: dict[str, str], how: list[str]) -> None:
    world = small_world(tmp_path / "small", {"drawer/old": b"-"}, need("a", A), need("b", B))
    with watching(world, clean_env, "--json", *how) as watch:
        (world / "drawer/new").mkdir()
        (world / "drawer/new/pack.zip").write_bytes(zipped("deep/x", A))
        found = watch.told("pack.zip")
        assert (found["gribble"], found["verdict"], found["member"]) == ("watch/1", "known", "deep/x")
        assert found["next"] == "gribble place plover"
        assert [(one["emulator"], one["need"], one["rig"], one["needed"]) for one in found["matches"]] == [
            ("plover", "a", "rig", True)
        ]
        (world / "drawer/photo").write_bytes(b"a photograph")
        assert watch.told("photo")["verdict"] == "unknown"
        growing = world / "drawer/growing.bin"
        for part in range(6):
            with growing.open("ab") as stream:
                stream.write(B[part * len(B) // 6 : (part + 1) * len(B) // 6])
            time.sleep(0.7)
        wrote = time.monotonic()
        assert watch.told("growing.bin")["matches"][0]["need"] == "b"
        (at,) = (at for at, line in watch.lines if '/growing.bin"' in line)
        assert at - wrote >= REST_SECONDS - 0.8, "told before it had stood still"
        assert sum('/growing.bin"' in line for _, line in watch.lines) == 1
        (world / "drawer/later.part").write_bytes(A)
        (world / "drawer/.DS_Store").write_bytes(A)
        time.sleep(3)
        assert not any("later" in line for _, line in watch.lines)
        (world / "drawer/later.part").rename(world / "drawer/later")
        assert watch.told("later")["matches"][0]["need"] == "a"
        assert watch.ended() == 0
    assert watch.lines[-1][1] == "4 files arrived: 3 needed, 1 unknown."


@pytest.mark.own_ground("it runs as a process of its own")
def test_what_lacks_is_placed_and_who_comes_is_greeted(
    gribble: Gribble, tmp_path: Path, clean_env: dict[str, str]
) -> None:
    world = small_world(tmp_path / "small", {"drawer/old": b"-"}, need("a", A), need("b", B))
    off = world / "off"
    gribble("check", cwd=world, code=1)
    with watching(world, clean_env, "--place", "--yes") as watch:
        (world / "drawer/x").write_bytes(A)
        (world / "drawer/noise 1").write_bytes(b"1")
        line = watch.said(lambda line: "drawer/x: " in line)
        assert line == "● drawer/x: a; plover on rig needs it; gribble place plover"
        watch.said(lambda line: "1 file that is in no sheet" in line)
        watch.said(lambda line: line.startswith("Done: 1 step of 1 on rig"))
        assert (world / "rig/boot/a.rom").read_bytes() == A
        (world / "rig").rename(off)
        watch.said(lambda line: line == "rig is away.")
        off.rename(world / "rig")
        watch.said(lambda line: line.startswith("rig ■ blocked is here: ") and line.endswith("gribble check --rig rig"))
        (world / "drawer").rename(off)
        watch.said(lambda line: line.startswith("drawer is no longer there"))
        off.rename(world / "drawer")
        watch.said(lambda line: line.startswith("drawer is back"))
        time.sleep(1)
        (world / "drawer/y").write_bytes(B)
        watch.said(lambda line: "drawer/y: b; plover on rig needs it" in line)
        watch.said(lambda line: line.startswith("Done: 1 step of 1 on rig, run 2"))
        watch.process.terminate()
        assert watch.process.wait(PATIENCE) == 0
    assert (world / "rig/boot/b.rom").read_bytes() == B


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["nowhere"], "there is no folder called"),
        (["drawer/old"], "drawer/old is a file"),
        (["--place"], "this is not a terminal"),
        (["--yes"], "--yes is only for --place"),
    ],
)
def test_what_cannot_be_watched_is_told(gribble: Gribble, tmp_path: Path, words: list[str], said: str) -> None:
    world = small_world(tmp_path / "small", {"drawer/old": b"-"})
    assert said in gribble("watch", *words, cwd=world, code=2).err


def test_without_sources_there_is_nothing_to_watch(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {})
    text = (world / "gribble.toml").read_text()
    (world / "gribble.toml").write_text(text.replace('["drawer"]', "[]"))
    assert "there is nothing to watch" in gribble("watch", cwd=world, code=2).err


@given(st.lists(st.tuples(st.floats(0.05, 5.0), st.sampled_from(["grow", "touch", "gone", "busy"])), max_size=30))
def test_a_file_is_told_once_as_it_is_and_only_when_it_stood_still(steps: list[tuple[float, str]]) -> None:
    state: list[tuple[int, int] | None] = [(1, 1)]
    now = changed = 100.0
    told: list[object] = []
    arrivals = Arrivals(lambda _path: state[0])
    arrivals.touch("x", now)

    def look() -> None:
        for _ in arrivals.at_rest(now):
            assert now - changed >= REST_SECONDS
            assert state[0] not in (None, BUSY)
            assert told[-1:] != [state[0]], "told twice"
            told.append(state[0])

    for size, (pause, what) in enumerate(steps, start=2):
        now += pause
        look()
        state[0] = {"grow": (size, 1), "touch": state[0], "gone": None, "busy": BUSY}[what]
        changed = changed if what == "touch" else now
        arrivals.touch("x", now)
    for _ in range(4):
        now += REST_SECONDS
        look()
    if state[0] not in (None, BUSY):
        assert told[-1] == state[0], "a file that stands still is told"


@pytest.mark.parametrize(
    ("path", "expected"),
    [
        ("a.zip", True), ("deep/b.bin", True), ("a.zip.part", False), ("x.crdownload", False), (".DS_Store", False),
        (".gribble/attic/x", False), (".Trash-1000/files/x", False), ("._x", False), ("partial.zip", True),
    ],
)  # fmt: skip
def test_what_is_of_interest(path: str, expected: bool) -> None:
    assert is_of_interest(path) is expected


def test_a_file_beside_which_a_part_lies_is_waited_for(tmp_path: Path) -> None:
    files(tmp_path, {"x": A, "y": A, "y.part": b""})
    assert glance(str(tmp_path / "x")) is not None
    assert glance(str(tmp_path / "y")) == BUSY
    assert glance(str(tmp_path)) is None
    shutil.rmtree(tmp_path)
    assert glance(str(tmp_path / "x")) is None
    os.makedirs(tmp_path)


def test_of_two_rigs_only_the_one_that_lacks_a_file_is_said_to_lack_it() -> None:
    match = Match(
        emulator="plover", need="a", title="A", accept="", rig="one", to="boot/a.rom", needed=True, rejected=False
    )
    matches = (match, structs.replace(match, rig="two", needed=False, there=True))
    file = Identified(holding=held("x.bin", "a"), verdict="known", matches=matches)
    (told,) = arrived([str(file.holding.place)], [file], ())
    assert [line.words for line in told.lines] == ["A; plover on one needs it"]
