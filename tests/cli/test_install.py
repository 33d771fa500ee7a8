"""What an installation brings, and that the program works from what it installs alone."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
MOST = 150_000_000
"""Bytes that an installation may bring."""


def taken(folder: Path) -> int:
    """What the files below a folder take, in bytes."""
    return sum(os.lstat(Path(at, name)).st_size for at, _, names in os.walk(folder) for name in names)


def test_an_installation_is_small_and_whole(tmp_path: Path, clean_env: dict[str, str]) -> None:
    source, venv = tmp_path / "source", tmp_path / "venv"
    shutil.copytree(ROOT / "src", source / "src", ignore=shutil.ignore_patterns("*.egg-info", "__pycache__"))
    for name in ("pyproject.toml", "README.md", "LICENSE", "MANIFEST.in"):
        shutil.copy(ROOT / name, source)
    subprocess.run([sys.executable, "-m", "venv", "--without-pip", venv], check=True)
    (packages,) = venv.glob("lib/python*/site-packages")
    before = taken(packages)
    pip = [sys.executable, "-m", "pip", "--python", str(venv / "bin/python"), "install", "--quiet", str(source)]
    done = subprocess.run(pip, capture_output=True, text=True, check=False)
    if "Failed to establish a new connection" in done.stderr:
        pytest.skip("packages are fetched, and there is no network")
    assert done.returncode == 0, done.stderr
    brought = taken(packages) - before
    said = re.search(r"(\d+) MB of packages", (ROOT / "README.md").read_text())
    assert said is not None
    assert brought <= MOST
    assert abs(brought / 1e6 - int(said[1])) < 10, f"README says {said[1]} MB"

    def gribble(*words: str, cwd: Path) -> subprocess.CompletedProcess[str]:
        run = [str(venv / "bin/gribble"), *words]
        return subprocess.run(run, cwd=cwd, env=clean_env, capture_output=True, text=True, check=False)

    assert gribble("demo", "room", cwd=tmp_path).returncode == 0
    world = tmp_path / "room"
    assert gribble("check", cwd=world).returncode == 1
    for words in ("report --html page.html", "catalogue import plover.html --preview 3", "sets fit --room 100kB"):
        done = gribble(*words.split(), cwd=world)
        assert done.returncode in (0, 1), done.stderr


def test_the_oldest_versions_are_those_that_are_promised() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    promised = {re.match(r"([\w-]+)>=([\d.]+)", one) for one in project["dependencies"]}
    assert None not in promised
    lines = (ROOT / "tests/oldest.txt").read_text().splitlines()
    oldest = dict(line.split("==") for line in lines if "==" in line)
    for one in filter(None, promised):
        assert f"{oldest[one[1]]}.0.0".startswith(one[2]), one[1]
