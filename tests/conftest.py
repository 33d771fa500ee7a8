"""The small worlds that tests run in, and the one way in which they run the program."""

from __future__ import annotations

import contextlib
import io
import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any
from unittest import mock

import pytest
from hypothesis import settings

from gribble.cli.app import run
from gribble.cli.environment import Environment
from gribble.demo.world import build_world

SOAK = bool(os.environ.get("GRIBBLE_SOAK"))
settings.register_profile(
    "gribble", derandomize=not SOAK, deadline=None
)  # the same examples every time, unless soaking
settings.load_profile("gribble")


FONTS = os.path.join(tempfile.gettempdir(), "gribble-tests-fonts")
"""Where what was found out about fonts is kept between tests: looking them up takes seconds."""


class Ended:
    """What a run of the program left: exit status, standard output, standard error."""

    def __init__(self, code: int, out: bytes, err: bytes) -> None:
        self.code, self.out, self.err = code, out.decode(), err.decode()

    @classmethod
    def of(cls, done: subprocess.CompletedProcess[bytes]) -> Ended:
        """What a process has left."""
        return cls(done.returncode, done.stdout, done.stderr)

    @property
    def json(self) -> Any:
        return json.loads(self.out)


Gribble = Callable[..., Ended]


@pytest.fixture(scope="session", autouse=True)
def _secret_of_the_tests(tmp_path_factory: pytest.TempPathFactory) -> None:
    """Journals are signed with a secret of the tests', never with the developer's own."""
    os.environ["XDG_DATA_HOME"] = str(tmp_path_factory.mktemp("data"))


@pytest.fixture
def clean_env(tmp_path: Path) -> dict[str, str]:
    """An environment in which no configuration of the developer's own can be found."""
    dropped = ("GRIBBLE", "PYTHONDONTWRITEBYTECODE")  # without compiled files every start takes twice as long
    kept = {name: value for name, value in os.environ.items() if not name.startswith(dropped)}
    home = tmp_path / "home"
    home.mkdir()
    return {
        **kept,
        "HOME": str(home),
        "XDG_CONFIG_HOME": str(home),
        "NO_COLOR": "1",
        "COLUMNS": "100",
        "MPLCONFIGDIR": FONTS,
    }


@pytest.fixture
def gribble(tmp_path: Path, clean_env: dict[str, str]) -> Gribble:
    """Run the program: gribble("check", "--json", cwd=…, code=…). Fails on another exit status.

    It runs in this process, unless a `process` of its own is asked for, or its variables concern the interpreter.
    """

    def go(
        *words: str | bytes,
        cwd: Path | None = None,
        code: int | None = None,
        stdin: bytes = b"",
        process: bool = False,
        **env: str,
    ) -> Ended:
        apart = process or any(name.startswith(("PYTHON", "LANG", "LC_")) for name in env)
        ended = (apart_run if apart else run_here)(words, cwd or tmp_path, {**clean_env, **env}, stdin)
        assert code is None or ended.code == code, f"exit status {ended.code}\n{ended.out}\n{ended.err}"
        assert "Traceback" not in ended.err
        assert "a fault of its own" not in ended.err, ended.err
        return ended

    return go


Words = tuple[str | bytes, ...]


def apart_run(words: Words, cwd: Path, env: dict[str, str], stdin: bytes) -> Ended:
    """The installed program, in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-m", "gribble", *words],
        cwd=cwd,
        env=env,
        input=stdin,
        capture_output=True,
        check=False,
        timeout=120,
    )
    return Ended.of(done)


def run_here(words: Words, cwd: Path, env: dict[str, str], stdin: bytes) -> Ended:
    """The program in this process, with variables, folder and streams of its own."""
    out, err = io.BytesIO(), io.BytesIO()
    streams = io.TextIOWrapper(out, "utf-8"), io.TextIOWrapper(err, "utf-8", "backslashreplace")
    surroundings = Environment(
        tuple(map(os.fsdecode, words)), env, cwd, io.TextIOWrapper(io.BytesIO(stdin)), *streams, datetime.now, False
    )
    with mock.patch.dict(os.environ, env, clear=True), contextlib.chdir(cwd):
        code = run(surroundings)
    for stream in streams:
        stream.flush()
    return Ended(code, out.getvalue(), err.getvalue())


@pytest.fixture
def world(tmp_path: Path) -> Path:
    """The Lighthouse Games Room, freshly built."""
    return demo_world(tmp_path)


def demo_world(base: Path) -> Path:
    """The same, in a folder."""
    folder = base / "world"
    build_world(folder)
    return folder


def tree(folder: Path) -> dict[str, tuple[bytes, int]]:
    """Every file below a folder with bytes and modification time, and every folder; Gribble's own left out."""
    found: dict[str, tuple[bytes, int]] = {}
    for path in sorted(folder.rglob("*")):
        relative = path.relative_to(folder)
        if ".gribble" in relative.parts:
            continue
        if path.is_dir():
            found[f"{relative}/"] = (b"", 0)
        elif path.is_file() and path.stat().st_size < 100_000_000:
            found[str(relative)] = (path.read_bytes(), path.stat().st_mtime_ns)
        else:  # a pipe, a dead link, or more than a test can take in
            found[str(relative)] = (b"", path.lstat().st_mtime_ns)
    return found
