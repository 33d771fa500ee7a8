"""The index between runs: it survives a kill, a moved source, and several Gribbles at once."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

from tests.conftest import Gribble


def many_files(folder: Path, count: int) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(count):
        (folder / f"{number}.bin").write_bytes(bytes([number % 251]) * 4096)
        os.utime(folder / f"{number}.bin", (1_000_000_000, 1_000_000_000))


def start(world: Path, env: dict[str, str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", "gribble", "check"], cwd=world, env=env, stdout=subprocess.PIPE, stderr=subprocess.PIPE
    )


def test_several_at_once_and_one_killed_leave_an_index_that_works(
    gribble: Gribble, world: Path, clean_env: dict[str, str]
) -> None:
    many_files(world / "drawer/many", 1500)
    running = [start(world, clean_env) for _ in range(3)]
    time.sleep(0.5)
    running[0].send_signal(signal.SIGKILL)
    ended = [process.communicate(timeout=100) for process in running]
    assert [process.returncode for process in running[1:]] == [1, 1]
    assert ended[1][0] == ended[2][0]
    assert b"Traceback" not in ended[1][1] + ended[2][1]
    assert ": 0 opened" in gribble("check", "-v", cwd=world, code=1).err


def test_a_moved_source_is_read_anew_and_gives_the_same_answer(gribble: Gribble, world: Path) -> None:
    first = gribble("check", "--json", cwd=world, code=1).out
    (world / "drawer").rename(world / "chest")
    (world / "gribble.toml").write_text((world / "gribble.toml").read_text().replace('"drawer"', '"chest"'))
    moved = gribble("check", "-v", "--json", cwd=world, code=1)
    assert moved.out.replace("/chest/", "/drawer/") == first
    assert ": 0 opened" not in moved.err
    (world / ".gribble/index.sqlite").write_bytes(b"not a database at all, " * 99)
    assert "made a new one" in gribble("check", cwd=world, code=1).err
    assert "made a new one" not in gribble("check", cwd=world, code=1).err
