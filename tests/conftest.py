"""The small worlds that tests run in, and the one way in which they run the program."""

from __future__ import annotations

import os
import shutil
import signal
import tempfile
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path

import pytest
from hypothesis import settings

from gribble.core.base.threads import collect_little
from gribble.demo.world import build_world
from tests.ground.rules import GROUNDS, Ground
from tests.ground.volume import folding_volume
from tests.making import Ended, apart_run, run_here

SOAK = bool(os.environ.get("GRIBBLE_SOAK"))
settings.register_profile(
    "gribble", derandomize=not SOAK, deadline=None
)  # the same examples every time, unless soaking
settings.register_profile("ground", settings.get_profile("gribble"), max_examples=15)  # a volume by FUSE is slow
settings.load_profile("gribble")


Gribble = Callable[..., Ended]


def pytest_addoption(parser: pytest.Parser) -> None:
    """`--ground windows`: as if on that system, as far as it can be laid over this one."""
    parser.addoption("--ground", choices=sorted(GROUNDS), help="lay the rules and the volume of another system")


def pytest_configure(config: pytest.Config) -> None:
    collect_little()  # as the program does in its own process
    signal.signal(signal.SIGINT, signal.default_int_handler)  # which a shell has its background jobs ignore
    if config.getoption("ground"):
        settings.load_profile("ground")
    config.addinivalue_line("markers", "own_ground(reason): is about what other grounds have not")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    ground = config.getoption("ground")
    for item in items if ground else ():
        for mark in item.iter_markers("own_ground"):
            item.add_marker(pytest.mark.skip(f"not on the ground {ground}: {mark.args[0]}"))


@pytest.fixture
def ground(request: pytest.FixtureRequest) -> Ground:
    """What is laid under a test, by `--ground`."""
    name = request.config.getoption("ground")
    return GROUNDS[name] if name else Ground()


@pytest.fixture
def tmp_path(tmp_path: Path, ground: Ground) -> Iterator[Path]:
    """A folder of the test's own, on the ground's volume."""
    if ground.habits is None:
        yield tmp_path
        return
    with folding_volume(tmp_path / "beneath", tmp_path / "volume", *ground.habits) as volume:
        yield volume


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
    }


@pytest.fixture
def gribble(tmp_path: Path, clean_env: dict[str, str], ground: Ground) -> Gribble:
    """Run the program: gribble("check", "--json", cwd=…, code=…). Fails on another exit status.

    It runs in this process, unless a `process` of its own is asked for, or its variables concern the interpreter;
    under the `rules` of another system, where some are given or the tests run on a ground.
    """

    def go(
        *words: str | bytes,
        cwd: Path | None = None,
        code: int | None = None,
        stdin: bytes = b"",
        process: bool = False,
        asks: bool = False,
        rules: tuple[str, ...] = ground.rules,
        encoding: str = "utf-8",
        **env: str,
    ) -> Ended:
        apart = process or any(name.startswith(("PYTHON", "LANG", "LC_")) for name in env)
        place, env = cwd or tmp_path, {**clean_env, **env}
        if apart:
            ended = apart_run(words, place, env, stdin, rules)
        else:
            ended = run_here(words, place, env, stdin, asks=asks, rules=rules, encoding=encoding)
        assert code is None or ended.code == code, f"exit status {ended.code}\n{ended.out}\n{ended.err}"
        assert "Traceback" not in ended.err
        assert "a fault of its own" not in ended.err, ended.err
        return ended

    return go


@pytest.fixture
def world(tmp_path: Path, ground: Ground) -> Path:
    """The Lighthouse Games Room, freshly built."""
    beneath = ground.habits is not None and "decomposing" not in ground.habits  # where names are as they are on top
    demo_world(tmp_path.with_name("beneath") if beneath else tmp_path)
    return tmp_path / "world"


def demo_world(base: Path) -> Path:
    """The same, in a folder."""
    folder = base / "world"
    shutil.copytree(Path(_pattern().name) / "world", folder, symlinks=True)
    return folder


@cache
def _pattern() -> tempfile.TemporaryDirectory[str]:
    """Where a world stands that others are copies of, which takes a third of the time of building them."""
    folder = tempfile.TemporaryDirectory()
    build_world(Path(folder.name) / "world")
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
