"""A roster of full size asked and answered, against the time in which Python's `json` merely parses it; medians.

    python benchmarks/sets.py [SETS]

Families of four share files, every tenth one has a device, and archives are in the style `split`, as gribble.toml asks.
They hold directories only: sizes and checksums as the roster has them, no content. Nothing here reads more.
Each line is a whole process, start-up included, taken by turns with the parser in one run, with its peak memory.
"""

from __future__ import annotations

import json
import os
import shutil
import statistics
import struct
import subprocess
import sys
import tempfile
import time
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

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
turnstone = {{ release = "1.8", wanted = "{wanted}", style = "split" }}
"""
WANTED = 2_000
DEVICES = 40
NEED = """\
[[need]]
id = "n{number}"
kind = "bios"
level = "must"
folder = "boot"
name = "boot{number}.rom"
accept = [{{ label = "only", size = {size}, sha1 = "{sha1}" }}]
"""


class Cost(NamedTuple):
    """What one process takes: seconds, and at most so many MiB of memory."""

    seconds: float
    memory: float


def made_set(number: int) -> dict[str, Any]:
    """A set of eight files; of four sets one is the parent, which shares five with each clone."""
    first = number - number % 4
    files = []
    for file in range(8):
        owner = first if file < 5 else number
        digest = f"{zlib.crc32(f'{owner}-{file}'.encode()):08x}"
        shared = {"parent_name": f"{first}.{file}c"} if file < 5 and number != first else {}
        files.append({"name": f"{number}.{file}c", "size": 65536, "crc32": digest, "sha1": digest * 5, **shared})
    kin: dict[str, Any] = {"parent": f"g{first}"} if number != first else {}
    if number == first and number % 40 == 0:
        kin = {"devices": [f"device{number // 40 % DEVICES}"]}
    return {"set": f"g{number}", "title": f"Game {number}", "year": 1980 + number % 20, **kin, "files": files}


def made_device(number: int) -> dict[str, Any]:
    """A device of one file, which many sets have."""
    digest = f"{zlib.crc32(b'device %d' % number):08x}"
    file = {"name": f"device{number}.bin", "size": 4096, "crc32": digest, "sha1": digest * 5}
    return {"set": f"device{number}", "kind": "device", "files": [file]}


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


def build(folder: Path, sets: int, held: range | None = None, wanted: str = "all") -> Path:
    """Roster, sheet, configuration and the archives of the sets that are held with their parents; every tenth one of
    those that are held lacks a file."""
    for name in ("catalogue", "rig/sets"):
        (folder / name).mkdir(parents=True)
    (folder / "gribble.toml").write_text(CONFIG.format(wanted=wanted))
    (folder / "catalogue/turnstone.sheet.toml").write_text(SHEET)
    kept = {parent for number in held or () for parent in (number, number - number % 4)}
    roster = folder / "catalogue/turnstone-1.8.roster.jsonl"
    with roster.open("w") as stream:
        stream.write('{"roster":1,"emulator":"turnstone","release":"1.8"}\n')
        for number in range(sets):
            one = made_set(number)
            stream.write(json.dumps(one) + "\n")
            if held is None or number in kept:
                own = [file for file in one["files"] if "parent_name" not in file]
                lacking = number % 10 == 0 and (held is None or number in held)
                (folder / f"rig/sets/{one['set']}.zip").write_bytes(directory(own[1:] if lacking else own))
        for number in range(DEVICES):
            one = made_device(number)
            stream.write(json.dumps(one) + "\n")
            if held is None or held:
                (folder / f"rig/sets/{one['set']}.zip").write_bytes(directory(one["files"]))
    settle(folder)
    return roster


def build_wide(folder: Path, files: int, archives: int, members: int) -> None:
    """A pile of loose files and archives, and a sheet with needs of which a part is held nowhere."""
    for name in ("catalogue", "rig/boot", "pile"):
        (folder / name).mkdir(parents=True)
    needs = "".join(NEED.format(number=number, size=20_000 + number, sha1=f"{number:040x}") for number in range(60))
    (folder / "catalogue/knot.sheet.toml").write_text(
        f'sheet = 1\nemulator = "knot"\n[folders]\nboot = "boot"\n{needs}'
    )
    config = 'catalogues = ["catalogue"]\nsources = ["pile"]\n[rig.den]\nat = "rig"\n[rig.den.emulators]\nknot = {}\n'
    (folder / "gribble.toml").write_text(config)
    for number in range(files):
        place = folder / f"pile/folder {number // 450}"
        place.mkdir(exist_ok=True)
        (place / f"file {number}.bin").write_bytes(b"x" * (number % 40))
    for number in range(archives):
        place = folder / f"pile/packs {number // 1000}"
        place.mkdir(exist_ok=True)
        inside = [
            {"name": f"in/{number}-{one}.rom", "crc32": f"{number * members + one:08x}", "size": 1000 + one * 7}
            for one in range(members)
        ]
        (place / f"pack {number}.zip").write_bytes(directory(inside))
    settle(folder)


def settle(folder: Path) -> None:
    """Make everything old enough to be remembered for certain."""
    for place, _, files in os.walk(folder):
        for name in files:
            os.utime(os.path.join(place, name), (1_500_000_000, 1_500_000_000))


def cost(words: list[str], cwd: Path, worst: int = 1, **env: str) -> Cost:
    """What a process takes, which must not end with a status beyond the `worst`."""
    start = time.perf_counter()
    process = subprocess.Popen(
        words, cwd=cwd, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env={**os.environ, **env}
    )
    _, status, used = os.wait4(process.pid, 0)
    process.returncode = os.waitstatus_to_exitcode(status)
    if not 0 <= process.returncode <= worst:
        raise SystemExit(f"{words} ended with status {process.returncode}")
    return Cost(time.perf_counter() - start, used.ru_maxrss / 1024)


def gribble(*words: str) -> list[str]:
    """A command line."""
    return [sys.executable, "-m", "gribble", *words]


def parse(roster: Path) -> float:
    """Seconds in which Python's own parser goes through the roster."""
    start = time.perf_counter()
    with roster.open("rb") as stream:
        for line in stream:
            json.loads(line)
    return time.perf_counter() - start


def against(what: str, goal: str, base: Callable[[], float], run: Callable[[], Cost], rounds: int = ROUNDS) -> None:
    """A row: the median of the ratios to what is measured by turns with it, their spread, seconds, and memory."""
    ratios, seconds, memory = [], [], []
    for _ in range(rounds):
        least = base()
        taken = run()
        ratios.append(taken.seconds / least)
        seconds.append(taken.seconds)
        memory.append(taken.memory)
    spread = f"{min(ratios):.2f} to {max(ratios):.2f}"
    print(
        f"| {what} | {goal} | {statistics.median(ratios):.2f} ({spread}) | {statistics.median(seconds):.2f} s | "
        f"{max(memory):.0f} MiB |",
        flush=True,
    )


def main() -> None:
    """Print a row for each figure."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else 45_000
    print("| what | goal | of the time of json (spread) | time | memory |\n|---|---|---|---|---|")
    with tempfile.TemporaryDirectory() as name:
        small, full = Path(name, "small"), Path(name, "full")
        step = max(sets // WANTED, 1)
        roster = build(small, sets, range(0, sets, step), "want.txt")
        (small / "want.txt").write_text("".join(f"g{number}\n" for number in range(0, sets, step)))

        def parsed() -> float:
            return parse(roster)

        def made() -> Cost:
            shutil.rmtree(small / ".gribble/rosters", ignore_errors=True)
            return cost(gribble("why", "g44"), small)

        cost(gribble("check"), small)
        against("`why g44`, making the store first", "2.5, once", parsed, made)
        for words in ("why g44", "sets check g44", "sets show g44", "needs g44", "identify rig/sets/g44.zip"):
            against(f"`{words}`", "0.5, 90 MB", parsed, lambda words=words: cost(gribble(*words.split()), small))  # type: ignore[misc]
        typed = {"COMP_WORDS": "gribble why g44", "COMP_CWORD": "2", "_GRIBBLE_COMPLETE": "complete_bash"}
        program = str(Path(sys.executable).with_name("gribble"))
        against("Tab behind `why g44`", "0.5, 90 MB", parsed, lambda: cost([program], small, **typed))
        for words in ("", "check", "plan"):
            what = f"`gribble {words}`".replace(" `", "`") + f", {WANTED:,} wanted"
            against(what, "1.2", parsed, lambda words=words: cost(gribble(*words.split()), small))  # type: ignore[misc]
        build(full, sets)
        cost(gribble("sets", "check", "--json"), full)
        what = f"`sets check --json`, {sets:,} wanted"
        against(what, "4, 450 MB", parsed, lambda: cost(gribble("sets", "check", "--json"), full))
        for words in ("sets check", "check", "why g44"):
            what = f"`{words}` there"
            against(what, "", parsed, lambda words=words: cost(gribble(*words.split()), full))  # type: ignore[misc]
        page = full / "page.html"
        against("`report --html` there", "", parsed, lambda: cost(gribble("report", "--html", str(page)), full), 1)
        print(f"The page has {page.stat().st_size / 1e6:.1f} MB (goal: 8).")
        (full / "gribble.toml").write_text(CONFIG.format(wanted="held"))
        against(
            '`sets check --json`, wanted = "held"', "", parsed, lambda: cost(gribble("sets", "check", "--json"), full)
        )
        (full / "gribble.toml").write_text(CONFIG.format(wanted="all"))
        for release in ("1.4", "1.5", "1.6", "1.7"):
            (full / f"catalogue/turnstone-{release}.roster.jsonl").write_text(
                roster.read_text().replace('"release":"1.8"', f'"release":"{release}"', 1)
            )
        settle(full / "catalogue")
        cost(gribble("sets", "match", "--json"), full)
        against("`sets match` over five rosters", "6", parsed, lambda: cost(gribble("sets", "match", "--json"), full))
    with tempfile.TemporaryDirectory() as name:
        wide = Path(name)
        build_wide(wide, 180_000, 20_000, 50)
        first = cost(gribble("check"), wide)
        print(f"200,000 files with 1,000,000 members: first check {first.seconds:.0f} s, {first.memory:.0f} MiB.")
        look = ["find", "pile", "-printf", "%p %s %T@ %C@ %i\\n"]
        print("| what | goal | of the time of find (spread) | time | memory |\n|---|---|---|---|---|")
        against(
            "a second check there",
            "3 and the answer, 500 MB",
            lambda: cost(look, wide).seconds,
            lambda: cost(gribble("check"), wide),
        )


if __name__ == "__main__":
    main()
