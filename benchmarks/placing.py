"""Placing many files on a local rig, against `cp` and then `sha256sum -c` of the same files; medians.

python benchmarks/placing.py [FILES [MEGABYTES]]
"""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from survey import row

GRIBBLE = [sys.executable, "-m", "gribble"]
ROUNDS = 5


def build(folder: Path, files: int, megabytes: int) -> None:
    """A drawer of files, and a sheet that wants them all under other names."""
    for name in ("catalogue", "drawer", "rig"):
        (folder / name).mkdir()
    (folder / "gribble.toml").write_text(
        'sources = ["drawer"]\ncatalogues = ["catalogue"]\n[rig.den]\nat = "rig"\n[rig.den.emulators]\nplover = "1"\n'
    )
    size = (megabytes << 20) // files
    sums = []
    for number in range(files):
        data = os.urandom(size)
        (folder / f"drawer/{number}.bin").write_bytes(data)
        sums.append(f"{hashlib.sha256(data).hexdigest()}  {number // 100}/{number}.rom")
    (folder / "catalogue/all.sha256").write_text("\n".join(sums) + "\n")
    (folder / "copied.sha256").write_text("\n".join(line.replace(".rom", ".bin") for line in sums) + "\n")
    text = (folder / "copied.sha256").read_text().splitlines()
    flat = (f"{line.partition('  ')[0]}  copy/{line.rpartition('/')[2]}" for line in text)
    (folder / "copied.sha256").write_text("\n".join(flat) + "\n")
    (folder / "catalogue/plover.sheet.toml").write_text(
        'sheet = 1\nemulator = "plover"\n[folders]\nall = "all"\n[[need]]\nid = "all"\nfolder = "all"\n'
        'kind = "data"\nlevel = "must"\nmanifest = "all.sha256"\n'
    )


def timed(words: list[str], folder: Path) -> float:
    """Seconds that a command takes."""
    start = time.perf_counter()
    subprocess.run(words, cwd=folder, capture_output=True, check=True)
    return time.perf_counter() - start


def main() -> None:
    """Print a row."""
    files = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    megabytes = int(sys.argv[2]) if len(sys.argv) > 2 else 1024
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        build(folder, files, megabytes)
        subprocess.run([*GRIBBLE, "check"], cwd=folder, capture_output=True, check=False)
        placed, copied = [], []
        for _ in range(ROUNDS):
            placed.append(timed([*GRIBBLE, "place", "--yes"], folder))
            for words in (["undo", "--yes"], ["attic", "empty", "--yes"]):
                subprocess.run([*GRIBBLE, *words], cwd=folder, capture_output=True, check=True)
            shutil.rmtree(folder / "copy", ignore_errors=True)
            copied.append(timed(["sh", "-c", "cp -r drawer copy && sha256sum -c --quiet copied.sha256"], folder))
        what = f"placing {files:,} files, {megabytes} MiB, proven, flushed, against `cp` and `sha256sum -c`"
        row(what, "1.0", list(zip(placed, copied, strict=True)), times=True)


if __name__ == "__main__":
    main()
