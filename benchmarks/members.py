"""2,000 deflated members told by their digests, against `unzip -p` of the same piped into `sha1sum`.

usage: python benchmarks/members.py [--runs N] [--small]

A whole process that surveys a folder of zips for a sheet that knows contents of the members' sizes, so that each is
unpacked and hashed once. Prints a row of a Markdown table: medians, and the median of the ratios with their spread.
"""

from __future__ import annotations

import argparse
import random
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path

from survey import START, row, seconds

PROGRAM = """
import sys
from pathlib import Path
from gribble.core.catalogue.sheets import load_catalogue
from gribble.core.survey.index import Index
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.survey import Surveyor
surveyor = Surveyor(KnownContents(load_catalogue([Path(sys.argv[2])]).sheets.values()), Index(None))
surveyor.survey(Path(sys.argv[1]))
assert surveyor.tally.bytes_read > int(sys.argv[3]), surveyor.tally
"""


def build(folder: Path, archives: int) -> int:
    """Zips of fifty members each, a third of it noise; a sheet that knows other contents of their sizes. How many bytes
    all the members have."""
    chance, sizes, total = random.Random(3), set(), 0
    (folder / "zips").mkdir()
    for number in range(archives):
        with zipfile.ZipFile(folder / f"zips/{number}.zip", "w", zipfile.ZIP_DEFLATED) as archive:
            for member in range(50):
                data = chance.randbytes(60_000) + bytes(40_000) + (b"tern8 rom %d " % member) * 4000
                archive.writestr(f"m{number}.{member}", data)
                sizes.add(len(data))
                total += len(data)
    needs = "".join(
        f'[[need]]\nid = "n{size}"\nfolder = "boot"\nname = "{size}"\n'
        f'[[need.accept]]\nsize = {size}\nsha1 = "{size:040x}"\n'
        for size in sizes
    )
    (folder / "catalogue").mkdir()
    head = 'sheet = 1\nemulator = "plover"\n[folders]\nboot = "boot"\n'
    (folder / "catalogue/plover.sheet.toml").write_text(head + needs)
    return total


def main() -> None:
    """Build, measure, print."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("--runs", type=int, default=5)
    parser.add_argument("--small", action="store_true")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        archives = 8 if options.small else 40
        total = build(folder, archives)
        program = [sys.executable, "-c", START + PROGRAM]
        ours = [*program, str(folder / "zips"), str(folder / "catalogue"), str(total * 9 // 10)]
        subprocess.run(ours, check=True)
        theirs = ["sh", "-c", f"for z in {folder}/zips/*.zip; do unzip -p $z; done | sha1sum"]
        pairs = [(seconds(ours), seconds(theirs)) for _ in range(options.runs)]
        what = f"{archives * 50:,} deflated members told by digest, against `unzip -p … \\| sha1sum`"
        row(what, "2.5", pairs)


if __name__ == "__main__":
    main()
