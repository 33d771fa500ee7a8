"""How long an XML list of 45,000 made-up sets takes to become a roster, by a map and without one, against merely going
through it; medians of one run, with the most memory that each took.

python benchmarks/importing.py [SETS]
"""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from survey import row

ROUNDS = 5
MAP = """\
map = 1
records = "cabinets/cabinet"

[roster]
emulator = "turnstone"
release = "1.8"

[fields]
set = "@n"
title = "called"
year = "built"
maker = "by"
parent = "@of"

[files]
records = "chip"
name = "@n"
size = "@bytes"
crc32 = "@sum"
sha1 = "@print"
parent_name = "@origin"
"""


def xml(sets: int) -> Iterator[str]:
    """A made-up list in families of four, eight files a set."""
    yield '<games-room emulator="turnstone" build="1.8"><cabinets>\n'
    for number in range(sets):
        first = number - number % 4
        of = f' of="g{first}"' if number != first else ""
        yield f'<cabinet n="g{number}"{of}><called>Game &amp; No {number}</called><built>{1980 + number % 20}</built>'
        yield "<by>Shore Works</by>\n"
        for file in range(8):
            shared = of and file < 5
            digest = hashlib.sha1(f"{first if file < 5 else number}-{file}".encode(), usedforsecurity=False).hexdigest()
            origin = f' origin="{first}.{file}c"' if shared else ""
            yield f' <chip n="{number}.{file}c" bytes="65536" sum="{digest[:8].upper()}" print="{digest}"{origin}/>\n'
        yield "</cabinet>\n"
    yield "</cabinets></games-room>\n"


def timed(words: list[str]) -> tuple[float, float]:
    """Seconds and most MB that a process takes."""
    start = time.perf_counter()
    process = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    process.returncode = os.waitstatus_to_exitcode(status)
    assert process.returncode == 0, words
    return time.perf_counter() - start, usage.ru_maxrss / 1024


def main() -> None:
    """Parse and import by turns, each in a process of its own, and print the medians and their ratio."""
    with tempfile.TemporaryDirectory() as folder:
        path, map_, out = Path(folder, "sets.xml"), Path(folder, "map.toml"), Path(folder, "t.roster.jsonl")
        with path.open("w", encoding="utf-8") as stream:
            stream.writelines(xml(int(sys.argv[1]) if len(sys.argv) > 1 else 45_000))
        map_.write_text(MAP, encoding="utf-8")
        loop = f"from xml.etree.ElementTree import iterparse\nfor _, one in iterparse({str(path)!r}): one.clear()"
        start = [sys.executable, "-m", "gribble", "catalogue", "import", str(path), "--out", str(out)]
        ways = {
            "going through it": [sys.executable, "-c", loop],
            "by a map": [*start, "--map", str(map_)],
            "drafted": [*start, "--yes"],
        }
        taken: dict[str, list[tuple[float, float]]] = {name: [] for name in ways}
        for _ in range(ROUNDS):
            for name, words in ways.items():
                out.unlink(missing_ok=True)
                taken[name].append(timed(words))
        base = taken.pop("going through it")
        for name, rounds in taken.items():
            size, most = path.stat().st_size / 1e6, max(memory for _, memory in rounds)
            what = f"importing {size:.0f} MB of XML {name} (memory {most:.0f} MB), against going through it"
            pairs = [(own, other) for (own, _), (other, _) in zip(rounds, base, strict=True)]
            row(what, "2.5" if name == "by a map" else "–", pairs, times=True)


if __name__ == "__main__":
    main()
