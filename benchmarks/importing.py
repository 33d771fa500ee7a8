"""How long an XML list of 45,000 made-up sets takes to become a roster, against merely parsing it; medians of one run.

python benchmarks/importing.py [SETS]
"""

from __future__ import annotations

import hashlib
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

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
    yield "<games-room><cabinets>\n"
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


def timed(call: Callable[[], object]) -> float:
    """Seconds that a call takes."""
    start = time.perf_counter()
    call()
    return time.perf_counter() - start


def main() -> None:
    """Parse and import by turns, each in a process of its own, and print the medians and their ratio."""
    with tempfile.TemporaryDirectory() as folder:
        path, map_, out = Path(folder, "sets.xml"), Path(folder, "map.toml"), Path(folder, "t.roster.jsonl")
        path.write_text("".join(xml(int(sys.argv[1]) if len(sys.argv) > 1 else 45_000)))
        map_.write_text(MAP)
        loop = f"from xml.etree.ElementTree import iterparse\nfor _, one in iterparse({str(path)!r}): one.clear()"
        words = ["catalogue", "import", str(path), "--map", str(map_), "--to", "roster", "--out", str(out)]
        parse, made = [], []
        for _ in range(ROUNDS):
            out.unlink(missing_ok=True)
            parse.append(timed(lambda: subprocess.run([sys.executable, "-c", loop], check=True)))
            run = [sys.executable, "-m", "gribble", *words]
            made.append(timed(lambda run=run: subprocess.run(run, check=True, capture_output=True)))  # type: ignore[misc]
        ratio = [one / other for one, other in zip(parse, made, strict=True)]
        print(f"{path.stat().st_size / 1e6:.0f} MB of XML")
        print(f"parse  {statistics.median(parse):.2f} s")
        print(f"import {statistics.median(made):.2f} s")
        print(f"speed of parsing: {statistics.median(ratio):.2f} ({min(ratio):.2f} to {max(ratio):.2f})")


if __name__ == "__main__":
    main()
