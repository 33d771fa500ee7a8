"""Builders of small worlds, volumes and processes that the tests share."""

from __future__ import annotations

import codecs
import contextlib
import ctypes
import hashlib
import importlib
import io
import json
import os
import pkgutil
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import traceback
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any
from unittest import mock

import msgspec
import pytest

import gribble
from gribble.cli.app import run
from gribble.cli.environment import Environment
from gribble.cli.main import main
from gribble.core.answers.schema import SCHEMAS
from gribble.core.records.answers import ANSWERS
from gribble.core.records.steps import Step
from gribble.stores import local
from tests.ground.rules import laid

for _module in pkgutil.walk_packages(gribble.__path__, "gribble."):
    if not _module.name.endswith("__main__"):
        importlib.import_module(_module.name)  # here, so that no fork has to

importlib.import_module("resource")
for _name in ("utf-8-sig", "utf-16", "utf-32", "latin-1", "cp1252"):
    codecs.lookup(_name)

A, B, C = b"content A" * 400, b"content B" * 300, b"any other content" * 200


def as_documented(answer: Any) -> Any:
    """The same answer, which has the keys and values that its schema has, and no others."""
    kind = answer.get("gribble", "").partition("/")[0] if isinstance(answer, dict) else ""
    assert not kind or kind in SCHEMAS, f"{kind} has no schema"
    if kind in ANSWERS:
        known = msgspec.convert(answer, ANSWERS[kind])
        assert answer == known, [key for key in answer if answer[key] != known.get(key)]
    return answer


class Said:
    """What a run of the program left: exit status, standard output, standard error."""

    def __init__(self, code: int, out: str, err: str) -> None:
        self.code, self.out, self.err = code, out, err

    @property
    def json(self) -> Any:
        return as_documented(json.loads(self.out))

    @property
    def words(self) -> str:
        """All that was said, as one line."""
        return " ".join(f"{self.out} {self.err}".split())


class Ended(Said):
    """The same, of a run whose output was bytes of some encoding."""

    def __init__(self, code: int, out: bytes, err: bytes, encoding: str = "utf-8") -> None:
        super().__init__(code, out.decode(encoding, "replace"), err.decode())
        self.raw = out

    @classmethod
    def of(cls, done: subprocess.CompletedProcess[bytes]) -> Ended:
        """What a process has left."""
        return cls(done.returncode, done.stdout, done.stderr)


Words = tuple[str | bytes, ...]


def apart_run(words: Words, cwd: Path, env: dict[str, str], stdin: bytes, rules: tuple[str, ...] = ()) -> Ended:
    """The installed program, in a process of its own; under some rules of other systems."""
    laid = {"PYTHONPATH": str(Path(__file__).parent / "ground/laid"), "GROUND_RULES": ",".join(rules)} if rules else {}
    done = subprocess.run(
        [sys.executable, "-m", "gribble", *words],
        cwd=cwd,
        env={**env, **laid},
        input=stdin,
        capture_output=True,
        check=False,
        timeout=120,
    )
    return Ended.of(done)


def run_here(
    words: Words,
    cwd: Path,
    env: dict[str, str],
    stdin: bytes,
    *,
    as_one: bool = False,
    asks: bool = False,
    rules: tuple[str, ...] = (),
    encoding: str = "utf-8",
) -> Ended:
    """The program in this process, with variables, folder and streams of its own, and under some rules of other
    systems; both outputs in one, if that is wished. `asks` says that somebody sits at a terminal."""
    out, err = io.BytesIO(), io.BytesIO()
    stdout = io.TextIOWrapper(out, encoding, write_through=True)
    streams = stdout, stdout if as_one else io.TextIOWrapper(err, "utf-8", "backslashreplace", write_through=True)
    surroundings = Environment(
        tuple(map(os.fsdecode, words)),
        env,
        cwd,
        io.TextIOWrapper(io.BytesIO(stdin), encoding="utf-8"),
        *streams,
        datetime.now,
        asks,
    )
    with mock.patch.dict(os.environ, env, clear=True), contextlib.chdir(cwd), laid(*rules):
        code = run(surroundings)
    return Ended(code, out.getvalue(), err.getvalue(), encoding)


class Forked:
    """The program in a fork of the tests, which have it loaded: under way until it is waited for."""

    def __init__(self, cwd: Path, words: tuple[str, ...], first: Callable[[], object] | None) -> None:
        self._said = Path(tempfile.mkdtemp(dir=_said(cwd)))
        os.chmod(self._said, 0o777)
        for name in ("out", "err"):
            (self._said / name).touch(0o666)
        read, self._stdin = os.pipe()
        self.pid = os.fork()
        if not self.pid:
            os.close(self._stdin)
            self._run(cwd, words, first, read)
        os.close(read)

    def _run(self, cwd: Path, words: tuple[str, ...], first: Callable[[], object] | None, stdin: int) -> None:
        status = 70
        try:
            for number, handle in ((0, stdin), (1, self._open("out")), (2, self._open("err"))):
                os.dup2(handle, number)
            sys.stdin, sys.stdout, sys.stderr = (open(n, "w" if n else "r") for n in range(3))  # noqa: SIM115
            os.chdir(cwd)
            os.environ.update(NO_COLOR="1", COLUMNS="200", HOME=str(_said(cwd)), XDG_CONFIG_HOME=str(_said(cwd)))
            os.environ.pop("GRIBBLE_CONFIG", None)
            if first:
                first()
            sys.argv = ["gribble", *words]
            main()
            status = 0
        except SystemExit as ended:
            status = int(ended.code or 0)
        except BaseException:
            traceback.print_exc()
        finally:
            sys.stdout.flush()
            sys.stderr.flush()
            os._exit(status)

    def _open(self, name: str) -> int:
        return os.open(self._said / name, os.O_WRONLY | os.O_CREAT, 0o666)

    def wait_for_question(self) -> None:
        """Wait until something is asked."""
        out = self._said / "out"
        while "[y/N]" not in out.read_text():
            time.sleep(0.01)

    def answer(self, text: bytes) -> None:
        """Type something, and nothing more after it."""
        with contextlib.suppress(BrokenPipeError):
            os.write(self._stdin, text)
        os.close(self._stdin)

    def ended(self) -> Said:
        """Wait for the end. Fails on a traceback and on a fault of its own."""
        code = os.waitstatus_to_exitcode(os.waitpid(self.pid, 0)[1])
        said = Said(code, (self._said / "out").read_text(), (self._said / "err").read_text())
        shutil.rmtree(self._said)
        assert "Traceback" not in said.err, said.err
        assert "a fault of its own" not in said.err, said.err
        return said


def _said(cwd: Path) -> Path:
    place = cwd / ".said"
    place.mkdir(exist_ok=True)
    return place


def forked(
    cwd: Path, *words: str, stdin: bytes = b"", first: Callable[[], object] | None = None, code: int | None = None
) -> Said:
    """Run the program in a fork; `first` is done in there before. Fails on another exit status, if one is given."""
    child = Forked(cwd, words, first)
    child.answer(stdin)
    said = child.ended()
    assert code is None or said.code == code, f"exit status {said.code}\n{said.out}\n{said.err}"
    return said


# A small world: a drawer, a rig, and a sheet with as many needs as wanted


def need(id_: str, content: bytes | None, name: str = "", **more: object) -> str:
    """A need of a sheet, by default named after its id; without a content nothing proves it."""
    lines = {"id": id_, "kind": "bios", "level": "must", "folder": "boot", "name": name or f"{id_}.rom", **more}
    text = "".join(f"{key} = {json.dumps(value, ensure_ascii=False)}\n" for key, value in lines.items())
    if content is not None:
        text += f'[[need.accept]]\nsize = {len(content)}\nsha1 = "{sha1(content)}"\n'
    return f"[[need]]\n{text}"


def sha1(content: bytes) -> str:
    return hashlib.sha1(content, usedforsecurity=False).hexdigest()


def sheet(world: Path, *parts: str, emulator: str = "plover", folder: str = "boot") -> None:
    (world / "catalogue").mkdir(exist_ok=True)
    head = f'sheet = 1\nemulator = "{emulator}"\n[folders]\nboot = "{folder}"\n'
    (world / f"catalogue/{emulator}.sheet.toml").write_text(head + "".join(parts))


def config(
    world: Path, *, sources: tuple[str, ...] = ("drawer",), rigs: Mapping[str, str] | None = None, more: str = ""
) -> None:
    text = f'sources = {json.dumps(sources)}\ncatalogues = ["catalogue"]\n'
    for name, at in (rigs or {"rig": "rig"}).items():
        text += f'[rig.{name}]\nat = {json.dumps(at)}\n{more}[rig.{name}.emulators]\nplover = "1"\n'
    (world / "gribble.toml").write_text(text)


def files(world: Path, contents: Mapping[str, bytes]) -> None:
    """Files with times of their own, long ago, so that the index may believe them."""
    for number, (name, data) in enumerate(contents.items()):
        path = world / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        os.utime(path, ns=(0, (1_000_000_000 + number) * 10**9))


def small_world(world: Path, contents: Mapping[str, bytes], *needs: str) -> Path:
    """The world of most trials: needs `a` and `b` of plover, unless others are given."""
    world.mkdir(exist_ok=True)
    (world / "drawer").mkdir(exist_ok=True)
    (world / "rig/boot").mkdir(parents=True, exist_ok=True)
    sheet(world, *(needs or (need("a", A), need("b", B))))
    config(world)
    files(world, contents)
    return world


def whole_tree(folder: Path) -> dict[str, tuple[object, ...]]:
    """Everything below a folder but Gribble's own: names, bytes, links, times, modes and owners."""
    found: dict[str, tuple[object, ...]] = {}
    for path in sorted(folder.rglob("*")):
        relative = path.relative_to(folder)
        if ".gribble" in relative.parts or ".said" in relative.parts:
            continue
        status = path.lstat()
        facts = (oct(status.st_mode), status.st_uid, status.st_gid)
        if path.is_symlink():
            found[str(relative)] = ("link", os.readlink(path), status.st_mtime_ns, *facts)
        elif path.is_file():
            found[str(relative)] = (path.read_bytes(), status.st_mtime_ns, *facts)
        else:
            found[str(relative)] = ("no file", *facts)
    return found


def attic_contents(rig: Path) -> set[bytes]:
    return {path.read_bytes() for path in (rig / ".gribble/attic").rglob("*") if path.is_file()}


# Volumes

MEBIBYTES = {"ext4": 32, "xfs": 320, "btrfs": 128}
MAKE = {
    "ext4": ["mkfs.ext4", "-q", "-N", "128", "-m", "0"],
    "xfs": ["mkfs.xfs", "-q"],
    "btrfs": ["mkfs.btrfs", "-q"],
}
VOLUMES = ("ext4", "xfs", "btrfs", "tmpfs")


@contextmanager
def mounted(kind: str, at: Path, image: Path | None = None) -> Iterator[Path]:
    """A small volume of some kind, in an `image` that may be there already; the test is skipped, with the reason, where
    it cannot be made or mounted."""
    at.mkdir(exist_ok=True)
    if kind == "tmpfs":
        command = ["mount", "-t", "tmpfs", "-o", "size=16m,nr_inodes=200", "tmpfs", str(at)]
    else:
        image = image or at.with_name(f"{at.name}.{kind}")
        if shutil.which(MAKE[kind][0]) is None:
            pytest.skip(f"{MAKE[kind][0]} is not installed here")
        if not image.exists():
            with image.open("wb") as stream:
                stream.truncate(MEBIBYTES[kind] << 20)
            subprocess.run([*MAKE[kind], str(image)], check=True, capture_output=True)
        command = ["mount", "-o", "loop", str(image), str(at)]
    made = subprocess.run(command, capture_output=True, check=False, text=True)
    if made.returncode:
        pytest.skip(f"a {kind} volume cannot be mounted here: {made.stderr.strip()}")
    try:
        yield at
    finally:
        subprocess.run(["umount", "-l", str(at)], check=True)


def fill(volume: Path, kind: str) -> None:
    """Leave no byte free on a volume and, where files are counted, no file's name. (btrfs counts none: what files are
    called takes room there like what is in them, and once that is gone, too, it renames nothing any more.)"""
    size = 1 << 20
    with (volume / "filler").open("wb", buffering=0) as stream:
        while size:
            try:
                stream.write(os.urandom(size))
                os.fsync(stream.fileno())
            except OSError:
                size //= 8
    for number in range(0 if kind == "btrfs" else 100_000):
        try:
            (volume / f"filler-{number}").touch()
        except OSError:
            break
    os.sync()


def said(step: Step, *names: str) -> list[Any]:
    """What a step says under some names; None if its kind has no such thing."""
    return [getattr(step, name, None) for name in names]


def as_plain_user(world: Path, env: dict[str, str], *words: str) -> Ended:
    """Run the program without the power to write where permissions forbid it (tests often run as root)."""

    def drop_powers() -> None:
        for capability in (1, 2):  # CAP_DAC_OVERRIDE, CAP_DAC_READ_SEARCH
            ctypes.CDLL(None).prctl(24, capability, 0, 0, 0)  # PR_CAPBSET_DROP; in vain, and needless, for others

    done = subprocess.run(
        [sys.executable, "-m", "gribble", *words],
        cwd=world, env=env, capture_output=True, preexec_fn=drop_powers, check=False, timeout=60,
    )  # fmt: skip
    return Ended.of(done)


def kill() -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def kill_at_move() -> None:
    """Just before the first file comes to its place."""
    setattr(local, "move", lambda *_paths: kill())  # noqa: B010  (mypy minds the assignment)
