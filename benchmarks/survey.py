"""Measure the survey against general tools, side by side in one run: digests, archive listings, a second survey.

usage: python benchmarks/survey.py [--runs N] [--folder DIR] [--small]

Needs sha1sum, rhash, unzip, 7z, find and rsync for the comparisons; one that is absent is left out. Builds its world in
a temporary folder (about 1.6 GB; --small: a tenth) and prints a Markdown table of medians and ratios. Whole processes
are timed, start-up included, in turn (ours, theirs, ours, …), after one run of each that does not count.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
import zipfile
from pathlib import Path

START = """
from gribble.core.base.threads import collect_little
collect_little()
"""
"""What the program itself does first."""
PROGRAMS = {
    "digest": """
import sys
from pathlib import Path
from gribble.core.files.hashing import digest_file
path = Path(sys.argv[1])
print(digest_file(path, path.stat().st_size, sys.argv[2:]))
""",
    "list": """
import os, sys
from pathlib import Path
from gribble.core.files.archives.opening import listing, scan
class Nothing:
    def wants(self, path, member): return False
    def enters(self, path): return False
nothing = Nothing()
kind = sys.argv[2]
paths = [entry.path for entry in os.scandir(sys.argv[1])]
print(sum(len(listing(path, kind) or list(scan(Path(path), kind, nothing))) for path in paths))
""",
    "survey": """
import sys
from pathlib import Path
from gribble.core.catalogue.sheets import load_catalogue
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.index import Index
from gribble.core.survey.survey import Surveyor
index = Index(Path(sys.argv[2]))
surveyor = Surveyor(KnownContents(load_catalogue([Path(sys.argv[3])]).sheets.values()), index)
print(len(surveyor.survey(Path(sys.argv[1])).holdings), surveyor.tally)
index.close()
""",
}
ZIPFILE = """
import sys, zipfile
from pathlib import Path
count = 0
for path in Path(sys.argv[1]).iterdir():
    with zipfile.ZipFile(path) as archive:
        count += len([(info.filename, info.file_size, info.CRC) for info in archive.infolist()])
print(count)
"""


def ours(program: str, *words: str | Path) -> list[str]:
    """The command line of one of our programs."""
    return [sys.executable, "-c", START + PROGRAMS[program], *map(str, words)]


def seconds(command: list[str]) -> float:
    """How long one run of a command takes, in seconds."""
    start = time.perf_counter()
    subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=False)
    return time.perf_counter() - start


def compare(what: str, goal: str, mine: list[str], theirs: list[str], runs: int, *, times: bool = False) -> None:
    """Print the row of two commands, after a run of each that does not count."""
    if not shutil.which(theirs[0]):
        print(f"| {what} | {goal} | {theirs[0]} is not installed | | |")
        return
    row(what, goal, [(seconds(mine), seconds(theirs)) for _ in range(runs + 1)][1:], times=times)


def row(what: str, goal: str, pairs: list[tuple[float, float]], *, times: bool = False) -> None:
    """Print a row from the seconds of ours and theirs in each round: medians of both, and the median of the ratios
    theirs / ours with their spread (above 1: ours is faster), or how many times theirs ours takes."""
    ratios = sorted(own / other if times else other / own for own, other in pairs)
    mine, theirs = (statistics.median(taken) for taken in zip(*pairs, strict=True))
    spread = f"{statistics.median(ratios):.2f} ({ratios[0]:.2f} to {ratios[-1]:.2f})"
    print(f"| {what}{', times' if times else ''} | {goal} | {mine:.2f} s | {theirs:.2f} s | {spread} |", flush=True)


def build(folder: Path, part: int) -> None:
    """The synthetic world, or one part of so many."""
    noise = random.Random(7)
    with (folder / "large.bin").open("wb") as stream:
        for _ in range(1024 // part):
            stream.write(noise.randbytes(1 << 20))
    (folder / "zips").mkdir()
    for number in range(20_000 // part):
        with zipfile.ZipFile(folder / f"zips/{number}.zip", "w", zipfile.ZIP_DEFLATED) as archive:
            for member in range(number % 8 + 1):
                archive.writestr(f"set{number}.{member}", b"%d %d" % (number, member))
    (folder / "sevens").mkdir()
    (folder / "a.rom").write_bytes(noise.randbytes(20_000))
    for number in range(200):
        seven = ["7z", "a", "-bso0", "-bsp0", str(folder / f"sevens/{number}.7z"), str(folder / "a.rom"), __file__]
        if shutil.which("7z"):
            subprocess.run(seven, check=True)
    for number in range(100_000 // part):
        path = folder / f"many/{number % 500:03}/{number}.bin"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"%d" % number)
        os.utime(path, (1_000_000_000, 1_000_000_000))
    (folder / "catalogue").mkdir()


def main() -> None:
    """Build, measure, print."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("--runs", type=int, default=5)
    parser.add_argument("--folder", type=Path, default=None, help="where to build (default: the temporary folder)")
    parser.add_argument("--small", action="store_true")
    parser.add_argument("--only", default="")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(dir=options.folder) as name:
        folder, part = Path(name), 10 if options.small else 1
        build(folder, part)
        large, zips, sevens, many = (folder / part for part in ("large.bin", "zips", "sevens", "many"))
        index, catalogue = folder / "index.sqlite", folder / "catalogue"
        seconds(ours("survey", many, index, catalogue))
        every = ["rhash", "--crc32", "--md5", "--sha1", "--sha256", str(large)]
        loop = ["sh", "-c", f"for f in {sevens}/*.7z; do 7z l $f; done"]
        cases: list[tuple[str, str, list[str], list[str]]] = [
            (f"CRC-32 and SHA-1 of a lone file of {1024 // part:,} MB, against `sha1sum`", "1.5",
             ours("digest", large, "crc32", "sha1"), ["sha1sum", str(large)]),
            ("all four digests of it, against `rhash`", "1.6",
             ours("digest", large, "crc32", "md5", "sha1", "sha256"), every),
            (f"{20_000 // part:,} zips listed, against Python's `zipfile`", "3.0",
             ours("list", zips, "zip"), [sys.executable, "-c", ZIPFILE, str(zips)]),
            ("the same, against one `unzip -v`", "1.0",
             ours("list", zips, "zip"), ["unzip", "-v", f"{zips}/*.zip"]),
            ("200 7z listed, against a loop over `7z l`", "4.0", ours("list", sevens, "7z"), loop),
            (f"second survey of {100_000 // part:,} files, against `find -printf`", "2.5",
             ours("survey", many, index, catalogue), ["find", str(many), "-printf", "%p %s %T@ %C@ %i\\n"]),
            ("the same, against `rsync -an` to an equal tree", "1.2",
             ours("survey", many, index, catalogue), ["rsync", "-an", f"{many}/", f"{folder}/copy/"]),
        ]  # fmt: skip
        shutil.copytree(many, folder / "copy", copy_function=shutil.copy2)
        print("| what | goal | ours | theirs | theirs / ours (spread) |\n|---|---|---|---|---|")
        for what, goal, mine, theirs in cases:
            if options.only in what:
                compare(what, goal, mine, theirs, options.runs, times=theirs[0] in ("find", "rsync"))


if __name__ == "__main__":
    main()
