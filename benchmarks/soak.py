"""A collection at full scale: every command once cold and once warm, and a run of 20,000 steps that is killed half way.

    python benchmarks/soak.py [SHARE]

50,000 archives with 500,000 members, 1,000,000 files of sources, 200 GB of files that are sparse but for 5 GB, and
three rigs, one of them behind FTP; SHARE, such as 0.1, makes all of it less. Cold means without what Gribble remembers
of the rigs and sources; at full scale all this takes an hour and a half.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import NamedTuple

from gribble.demo.handheld import free_port
from gribble.demo.sheets import HANDHELD_PASSWORD, HANDHELD_USER
from network import SERVE
from sets import DEVICES, NEED, build, cost, directory, gribble, settle

CONFIG = """\
sources = ["pile", "images"]
catalogues = ["catalogue"]
[rig.cabinet]
at = "rig"
[rig.cabinet.emulators]
turnstone = {{ release = "1.8", wanted = "all", style = "split" }}
[rig.den]
at = "den"
[rig.den.emulators]
knot = {{}}
[rig.handheld]
at = "ftp://{user}@127.0.0.1:{port}/"
[rig.handheld.emulators]
plover = {{}}
"""
MEMBERS = 62
ABOUT_ONE = (
    "why g44", "sets check g44", "sets show g44", "needs g44", "identify rig/sets/g44.zip", "needs plover",
    "why plover", "check plover",
)  # fmt: skip
ABOUT_ALL = (
    "", "check", "check --json", "sets check", "sets match", "sets wanted", "identify images", "plan",
    "report --html page.html", "report --csv rows.csv", "report --obtain wishes.csv", "scrub --at-most 1GB",
    "catalogue list", "catalogue lint", "rigs", "sources", "history", "attic list", "doctor",
)  # fmt: skip


class Scale(NamedTuple):
    """How much of everything there is."""

    sets: int
    packs: int
    files: int
    needs: int
    images: int
    real: int
    image_bytes: int = 1_000_000_000


def made(share: float) -> Scale:
    """The full scale, or a share of it."""
    full = (45_000, 5_000, 1_000_000, 20_000, 200, 5)
    return Scale(*(max(1, int(each * share)) for each in full))


def sheet(name: str, contents: list[tuple[int, str]]) -> str:
    """A sheet that wants some contents, given by size and SHA-1."""
    needs = (NEED.format(number=number, size=size, sha1=sha1) for number, (size, sha1) in enumerate(contents))
    return f'sheet = 1\nemulator = "{name}"\n[folders]\nboot = "boot"\n{"".join(needs)}'


def fill(folder: Path, scale: Scale, port: int) -> None:
    """The whole world."""
    build(folder, scale.sets)
    for name in ("pile", "images", "den", "card"):
        (folder / name).mkdir()
    (folder / "gribble.toml").write_text(CONFIG.format(user=HANDHELD_USER, port=port))
    for number in range(scale.packs):
        place = folder / f"pile/packs {number // 500}"
        place.mkdir(exist_ok=True)
        inside = [
            {"name": f"in/{number}-{one}.rom", "crc32": f"{number * MEMBERS + one:08x}", "size": 1000 + one}
            for one in range(MEMBERS)
        ]
        (place / f"pack {number}.zip").write_bytes(directory(inside))
    wanted = []
    for number in range(scale.files):
        place = folder / f"pile/folder {number // 450}"
        place.mkdir(exist_ok=True)
        data = b"%d" % number * 40 if number < scale.needs else b"x" * (number % 40)
        (place / f"file {number}.bin").write_bytes(data)
        if number < scale.needs:
            wanted.append((len(data), hashlib.sha1(data).hexdigest()))
    (folder / "catalogue/knot.sheet.toml").write_text(sheet("knot", wanted))
    images = []
    for number in range(scale.images):
        path = folder / f"images/image {number}.bin"
        with path.open("wb") as stream:
            if number < scale.real:
                hasher = hashlib.sha1()
                for _ in range(scale.image_bytes // 1_000_000):
                    block = os.urandom(1_000_000)
                    hasher.update(block)
                    stream.write(block)
                images.append((scale.image_bytes, hasher.hexdigest()))
            else:
                stream.truncate(scale.image_bytes + number)
    (folder / "catalogue/plover.sheet.toml").write_text(sheet("plover", images))
    settle(folder)


def forget(folder: Path) -> None:
    """Take away what is remembered of rigs and sources."""
    for path in folder.glob(".gribble/index*"):
        path.unlink()


def told(words: str, folder: Path) -> None:
    """A row: a command's seconds and memory, cold and warm."""
    cells = []
    for cold in (True, False):
        if cold:
            forget(folder)
        taken = cost(gribble(*words.split()), folder, worst=3, GRIBBLE_PASSWORD_HANDHELD=HANDHELD_PASSWORD)
        cells.append(f"{taken.seconds:.1f} s | {taken.memory:.0f} MiB")
    print(f"| `{' '.join(['gribble', words]).strip()}` | {' | '.join(cells)} |", flush=True)


def killed_and_resumed(folder: Path, steps: int) -> None:
    """A run that is killed when half of its steps are done, resumed, and undone."""
    env = {**os.environ, "GRIBBLE_PASSWORD_HANDHELD": HANDHELD_PASSWORD}
    words = gribble("place", "--rig", "den", "--yes")
    process = subprocess.Popen(words, cwd=folder, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    place = folder / "den/boot"
    start = time.perf_counter()
    while process.poll() is None and (not place.is_dir() or len(os.listdir(place)) < steps // 2):
        time.sleep(0.2)
    process.send_signal(signal.SIGKILL)
    process.wait()
    there = len(os.listdir(place))
    print(f"Killed after {time.perf_counter() - start:.0f} s with {there:,} of {steps:,} files there.", flush=True)
    for what in ("place --resume --rig den --yes", "undo --rig den --yes"):
        taken = cost(gribble(*what.split()), folder, worst=3)
        there = len(os.listdir(place)) if place.is_dir() else 0
        print(f"`gribble {what}`: {taken.seconds:.0f} s, {taken.memory:.0f} MiB, {there:,} files there.", flush=True)


def main() -> None:
    """Build the world, and print a row for each command."""
    scale = made(float(sys.argv[1]) if len(sys.argv) > 1 else 1.0)
    with tempfile.TemporaryDirectory() as name:
        folder, port = Path(name), free_port()
        fill(folder, scale, port)
        archives, members = scale.sets + scale.packs + DEVICES, scale.sets * 17 // 4 + scale.packs * MEMBERS
        print(f"{archives:,} archives, some {members:,} members, {scale.files:,} files, {scale.images} images.\n")
        serve = [sys.executable, "-c", SERVE, str(folder / "card"), str(port), "0"]
        server = subprocess.Popen(serve, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        try:
            assert server.stdout is not None
            server.stdout.readline()
            print("| command | cold | | warm | |\n|---|---|---|---|---|")
            for words in (*ABOUT_ALL, *ABOUT_ONE):
                told(words, folder)
            killed_and_resumed(folder, scale.needs)
            shutil.rmtree(folder / "pile", ignore_errors=True)
        finally:
            server.terminate()
            server.wait()


if __name__ == "__main__":
    main()
