"""Loading a roster of full size, and `sets check` over a collection of full size, against Python's `json`; medians.

    python benchmarks/sets.py [SETS]

The archives hold directories only: sizes and checksums as the roster has them, no content. `check` and `match` read no
more. `match` is measured over five rosters of that size.
"""

from __future__ import annotations

import json
import resource
import statistics
import struct
import subprocess
import sys
import tempfile
import time
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

from gribble.core.catalogue.rosters import load_roster

ROUNDS = 5
SHEET = """\
sheet = 1
emulator = "turnstone"
[folders]
sets = "sets"
[arcade]
rosters = "turnstone-*.roster.jsonl"
folder = "sets"
"""
CONFIG = """\
catalogues = ["catalogue"]
[rig.cabinet]
at = "rig"
[rig.cabinet.emulators]
turnstone = { release = "1.8", wanted = "all" }
"""


def made_set(number: int) -> dict[str, Any]:
    """A set of eight files; of four sets one is the parent, which shares five with each clone."""
    first = number - number % 4
    files = []
    for file in range(8):
        owner = first if file < 5 else number
        digest = f"{zlib.crc32(f'{owner}-{file}'.encode()):08x}"
        shared = {"parent_name": f"{first}.{file}c"} if file < 5 and number != first else {}
        files.append({"name": f"{number}.{file}c", "size": 65536, "crc32": digest, "sha1": digest * 5, **shared})
    parent = {"parent": f"g{first}"} if number != first else {}
    return {"set": f"g{number}", "title": f"Game {number}", "year": 1980 + number % 20, **parent, "files": files}


def directory(files: list[dict[str, Any]]) -> bytes:
    """A zip that is nothing but its directory: members with names, sizes and checksums, and no content."""
    entries = b""
    for file in files:
        name = file["name"].encode()
        crc = int(file["crc32"], 16)
        entries += struct.pack(
            "<4s6H3I5H2I", b"PK\1\2", 20, 20, 0, 8, 0, 33, crc, 0, file["size"], len(name), 0, 0, 0, 0, 0, 0
        )
        entries += name
    return entries + struct.pack("<4s4H2IH", b"PK\5\6", 0, 0, len(files), len(files), len(entries), 0, 0)


def build(folder: Path, sets: int) -> Path:
    """Roster, sheet, configuration and collection; every tenth archive lacks a file."""
    for name in ("catalogue", "rig/sets"):
        (folder / name).mkdir(parents=True)
    (folder / "gribble.toml").write_text(CONFIG)
    (folder / "catalogue/turnstone.sheet.toml").write_text(SHEET)
    roster = folder / "catalogue/turnstone-1.8.roster.jsonl"
    with roster.open("w") as stream:
        stream.write('{"roster":1,"emulator":"turnstone","release":"1.8"}\n')
        for number in range(sets):
            one = made_set(number)
            stream.write(json.dumps(one) + "\n")
            held = one["files"][1:] if number % 10 == 0 else one["files"]
            (folder / f"rig/sets/{one['set']}.zip").write_bytes(directory(held))
    return roster


def timed(call: Callable[[], object]) -> float:
    """Seconds that a call takes."""
    start = time.perf_counter()
    call()
    return time.perf_counter() - start


def parse(roster: Path) -> None:
    """What Python's own parser makes of the roster."""
    with roster.open("rb") as stream:
        for line in stream:
            json.loads(line)


def main() -> None:
    """Print the medians and the ratios."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        roster = build(folder, int(sys.argv[1]) if len(sys.argv) > 1 else 45_000)
        run = [sys.executable, "-m", "gribble", "sets", "check", "--json"]
        print(f"{roster.stat().st_size / 1e6:.0f} MB of roster")
        print(f"first check {timed(lambda: subprocess.run(run, cwd=folder, capture_output=True, check=False)):.1f} s")
        parsed, loaded, checked = [], [], []
        for _ in range(ROUNDS):
            parsed.append(timed(lambda: parse(roster)))
            loaded.append(timed(lambda: load_roster(roster)))
            checked.append(timed(lambda: subprocess.run(run, cwd=folder, capture_output=True, check=False)))
        peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
        for release in ("1.4", "1.5", "1.6", "1.7"):
            (folder / f"catalogue/turnstone-{release}.roster.jsonl").write_text(
                roster.read_text().replace('"release":"1.8"', f'"release":"{release}"', 1)
            )
        match = [*run[:3], "sets", "match", "--json"]
        matched, checked_again = [], []
        for _ in range(ROUNDS):
            matched.append(timed(lambda: subprocess.run(match, cwd=folder, capture_output=True, check=False)))
            checked_again.append(timed(lambda: subprocess.run(run, cwd=folder, capture_output=True, check=False)))
        base = statistics.median(parsed)
        print(f"json {base:.2f} s")
        print(f"load_roster {statistics.median(loaded):.2f} s, {statistics.median(loaded) / base:.2f} of json")
        print(f"second check {statistics.median(checked):.2f} s, {statistics.median(checked) / base:.1f} of json")
        ratio = statistics.median(matched) / statistics.median(checked_again)
        print(f"match over five rosters {statistics.median(matched):.2f} s, {ratio:.2f} of check on one")
        print(f"peak memory {peak:.0f} MiB")


if __name__ == "__main__":
    main()
