"""Placing files on a network rig by FTP, against a plain upload and download of the same bytes by ftplib; medians.

python benchmarks/network.py [FILES [MEGABYTES [SPEED]]]

SPEED is what the server sends and takes in MB a second; without it, it is as fast as the machine goes.
"""

from __future__ import annotations

import ftplib
import hashlib
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from gribble.demo.handheld import free_port
from gribble.demo.sheets import HANDHELD_PASSWORD, HANDHELD_USER
from survey import row

ROUNDS = 5
SERVE = """
import sys, pathlib
from gribble.demo.handheld import FTPHandler, handheld
from pyftpdlib.handlers import ThrottledDTPHandler
speed = int(float(sys.argv[3]) * 1e6)
slow = type("Slow", (ThrottledDTPHandler,), {"read_limit": speed, "write_limit": speed})
kind = type("Kind", (FTPHandler,), {"dtp_handler": slow}) if speed else FTPHandler
with handheld(pathlib.Path(sys.argv[1]), int(sys.argv[2]), kind):
    print("up", flush=True)
    sys.stdin.read()
"""


def build(folder: Path, port: int, files: int, megabytes: int) -> None:
    """A drawer of files, and a sheet that wants them all on the handheld."""
    for name in ("catalogue", "drawer"):
        (folder / name).mkdir()
    address = f"ftp://{HANDHELD_USER}@127.0.0.1:{port}/"
    (folder / "gribble.toml").write_text(
        'sources = ["drawer"]\ncatalogues = ["catalogue"]\n'
        f'[rig.handheld]\nat = "{address}"\n[rig.handheld.emulators]\nplover = "1"\n'
    )
    sums = []
    for number in range(files):
        hasher, left = hashlib.sha1(), (megabytes << 20) // files
        with (folder / f"drawer/{number}.bin").open("wb") as stream:
            while left:
                block = os.urandom(min(left, 1 << 20))
                stream.write(block)
                hasher.update(block)
                left -= len(block)
        sums.append(f"{hasher.hexdigest()}  {number}.rom")
    (folder / "catalogue/all.sha1").write_text("\n".join(sums) + "\n")
    (folder / "catalogue/plover.sheet.toml").write_text(
        'sheet = 1\nemulator = "plover"\n[folders]\nall = "all"\n[[need]]\nid = "all"\nfolder = "all"\n'
        'kind = "data"\nlevel = "must"\nmanifest = "all.sha1"\n'
    )


def plain(folder: Path, port: int) -> float:
    """Seconds that ftplib takes to send every file and to fetch it again."""
    start = time.perf_counter()
    with ftplib.FTP() as ftp:
        ftp.connect("127.0.0.1", port)
        ftp.login(HANDHELD_USER, HANDHELD_PASSWORD)
        ftp.mkd("plain")
        for path in (folder / "drawer").iterdir():
            with path.open("rb") as stream:
                ftp.storbinary(f"STOR plain/{path.name}", stream)
            ftp.retrbinary(f"RETR plain/{path.name}", lambda _block: None)
    took = time.perf_counter() - start
    subprocess.run(["rm", "-r", str(folder / "card/plain")], check=True)
    return took


def placed(folder: Path) -> float:
    """Seconds that placing takes; it is taken back, and what the undo keeps is removed."""
    env = {**os.environ, "GRIBBLE_PASSWORD_HANDHELD": HANDHELD_PASSWORD}
    command = [sys.executable, "-m", "gribble"]
    start = time.perf_counter()
    subprocess.run([*command, "place", "--yes"], cwd=folder, env=env, capture_output=True, check=True)
    took = time.perf_counter() - start
    subprocess.run(["rm", "-r", str(folder / "card/all"), str(folder / ".gribble/kept")], check=True)
    return took


def main() -> None:
    """Print a row."""
    files = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    megabytes = int(sys.argv[2]) if len(sys.argv) > 2 else 300
    speed = sys.argv[3] if len(sys.argv) > 3 else ""
    # The handheld's card is another disk than this machine's, which the journal waits for: it is held in memory.
    memory_disk = "/dev/shm" if Path("/dev/shm").is_dir() else None
    with tempfile.TemporaryDirectory() as name, tempfile.TemporaryDirectory(dir=memory_disk) as card:
        folder, port = Path(name), free_port()
        (folder / "card").symlink_to(card)
        build(folder, port, files, megabytes)
        command = [sys.executable, "-c", SERVE, str(folder / "card"), str(port), speed or "0"]
        with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as server:
            assert server.stdout is not None
            server.stdout.readline()
            placed(folder)
            rounds = [(placed(folder), plain(folder, port)) for _ in range(ROUNDS)]
            server.communicate()
    what = f"FTP, {files} files, {megabytes} MiB, a server of {speed or 'any'} MB/s, against `ftplib` up and down"
    row(what, "1.8", rounds, times=True)


if __name__ == "__main__":
    main()
