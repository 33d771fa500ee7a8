"""Packing archives whose members need no change against `cp`, and `sets fit` over many wishes; medians.

python benchmarks/packing.py [MEGABYTES [WISHES]]
"""

from __future__ import annotations

import json
import random
import shutil
import subprocess
import sys
import tempfile
import time
import zipfile
import zlib
from pathlib import Path

from gribble.core.arcade.fit import Wish, cost, fit_sets
from sets import SHEET
from survey import row

ROUNDS = 5
CONFIG = """\
sources = ["drawer"]
catalogues = ["catalogue"]
[rig.cabinet]
at = "rig"
[rig.cabinet.emulators]
turnstone = { release = "1.8", wanted = "all" }
"""


def build(folder: Path, megabytes: int) -> None:
    """Sets of four members of a MiB each, half of it noise, all in the drawer under other archives' names."""
    for name in ("catalogue", "drawer", "rig"):
        (folder / name).mkdir()
    (folder / "gribble.toml").write_text(CONFIG)
    (folder / "catalogue/turnstone.sheet.toml").write_text(SHEET)
    chance = random.Random(7)
    with (folder / "catalogue/turnstone-1.8.roster.jsonl").open("w") as roster:
        roster.write('{"roster":1,"emulator":"turnstone","release":"1.8"}\n')
        for number in range(megabytes // 4):
            files = []
            with zipfile.ZipFile(folder / f"drawer/pack {number}.zip", "w", zipfile.ZIP_DEFLATED) as archive:
                for file in range(4):
                    data = chance.randbytes(1 << 19) + bytes(1 << 19)
                    name = f"{number}.{file}c"
                    archive.writestr(name, data)
                    files.append({"name": name, "size": len(data), "crc32": f"{zlib.crc32(data):08x}"})
            roster.write(json.dumps({"set": f"g{number}", "files": files}) + "\n")


def timed(words: list[str], folder: Path) -> float:
    """Seconds that a command takes."""
    start = time.perf_counter()
    subprocess.run(words, cwd=folder, capture_output=True, check=True)
    return time.perf_counter() - start


def pack(megabytes: int) -> None:
    """Packing against copying the same archives and writing them out."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        build(folder, megabytes)
        gribble = [sys.executable, "-m", "gribble", "sets"]
        subprocess.run([*gribble, "check"], cwd=folder, capture_output=True, check=False)  # warms the index
        packed, copied = [], []
        for _ in range(ROUNDS):
            packed.append(timed([*gribble, "pack", "--yes"], folder))
            for words in (["undo", "--yes"], ["attic", "empty", "--yes"]):
                subprocess.run([*gribble[:-1], *words], cwd=folder, capture_output=True, check=True)
            shutil.rmtree(folder / "copy", ignore_errors=True)
            copied.append(timed(["sh", "-c", "cp -r drawer copy && sync -f copy"], folder))
        what = f"packing {megabytes} MB of unchanged members, proven, against `cp`"
        row(what, "4", list(zip(packed, copied, strict=True)), times=True)


def fit(many: int) -> None:
    """Families of four with a parent and one of twenty BIOS sets, on cards of several sizes."""
    chance = random.Random(1)
    sizes = {f"parent {n}": chance.randint(10, 2000) << 15 for n in range(-(-many // 4))}
    sizes |= {f"bios {n}": chance.randint(10, 100) << 15 for n in range(20)}
    sizes |= {f"own {n}": chance.randint(1, 400) << 15 for n in range(many)}
    wishes = [Wish(set=f"s{n}", needs=(f"own {n}", f"parent {n // 4}", f"bios {n // 4 % 20}")) for n in range(many)]
    whole = cost(wishes, sizes)
    for share in (0.1, 0.3, 0.6, 0.9):
        start = time.perf_counter()
        found = fit_sets(wishes, sizes, int(whole * share))
        took = time.perf_counter() - start
        print(f"fit of {many:,} into {share:.0%}: {len(found.chosen):,} chosen, gap {found.gap:.4%}, {took:.1f} s")


def main() -> None:
    """Print both."""
    pack(int(sys.argv[1]) if len(sys.argv) > 1 else 400)
    fit(int(sys.argv[2]) if len(sys.argv) > 2 else 3000)


if __name__ == "__main__":
    main()
