"""A volume that keeps the case of names and folds it, over a folder: `python -m tests.ground.volume FOLDER MOUNT ...`.

By FUSE. Names are found in any case and any Unicode form, as on exFAT, NTFS and APFS as they are usually formatted. It
can be given more habits: `decomposing` gives names back decomposed (HFS+), `coarse` has times of two whole seconds and
no second names (FAT), `renumbered` other inodes whenever it is mounted, `unmapped` has no shared memory (shares).
"""

from __future__ import annotations

import errno
import os
import shutil
import signal
import subprocess
import sys
import time
import unicodedata
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import Any, NoReturn


@cache
def folded(name: str) -> str:
    return unicodedata.normalize("NFC", name).casefold()


def serve(root: str, mount: str, *habits: str) -> None:
    """Be the volume until it is unmounted."""
    import mfusepy

    grain = 2_000_000_000 if "coarse" in habits else 1
    more = time.time_ns() % 2**40 if "renumbered" in habits else 0

    def formed(name: str) -> str:
        return unicodedata.normalize("NFD", name) if "decomposing" in habits else name

    def real(path: str) -> str:
        straight = root + formed(path)
        if path == "/" or os.path.lexists(straight):
            return straight
        above, _, part = path.rpartition("/")
        at, key = real(above or "/"), folded(part)
        names = os.listdir(at) if os.path.isdir(at) else []
        return os.path.join(at, next((name for name in names if folded(name) == key), formed(part)))

    def facts(status: os.stat_result) -> dict[str, Any]:
        told = {f"st_{key}": getattr(status, f"st_{key}") for key in ("mode", "nlink", "size", "uid", "gid")}
        times = {f"st_{one}time": getattr(status, f"st_{one}time_ns") // grain * grain for one in "am"}
        return {**told, **times, "st_ctime": status.st_ctime_ns, "st_ino": status.st_ino + more}

    class Folding(mfusepy.Operations):  # type: ignore[misc]
        use_ns = True

        def getattr(self, path: str, fh: int | None = None) -> dict[str, Any]:  # noqa: ARG002
            return facts(os.lstat(real(path)))

        def readdir(self, path: str, fh: int) -> list[Any]:  # noqa: ARG002
            entries = ((one.name, facts(one.stat(follow_symlinks=False)), 0) for one in os.scandir(real(path)))
            return [(".", None, 0), ("..", None, 0), *entries]

        def rename(self, old: str, new: str, flags: int = 0) -> None:  # noqa: ARG002
            source, target = real(old), real(new)
            spelled = os.path.join(os.path.dirname(target), formed(os.path.basename(new)))
            os.rename(source, target)
            os.rename(target, spelled)

        def statfs(self, path: str) -> dict[str, int]:
            status = os.statvfs(real(path))
            return {key: getattr(status, key) for key in dir(status) if key.startswith("f_") and key != "f_fsid"}

        def mkdir(self, path: str, mode: int) -> None:
            os.mkdir(real(path), mode)

        def rmdir(self, path: str) -> None:
            os.rmdir(real(path))

        def unlink(self, path: str) -> None:
            os.unlink(real(path))

        def link(self, target: str, source: str) -> None:
            if "coarse" in habits:
                raise mfusepy.FuseOSError(errno.EPERM)
            os.link(real(source), real(target))

        def open(self, path: str, flags: int) -> int:
            return os.open(real(path), flags & ~(os.O_CREAT | os.O_EXCL))

        def create(self, path: str, mode: int, fi: Any = None) -> int:  # noqa: ARG002
            return os.open(real(path), os.O_RDWR | os.O_CREAT | os.O_EXCL, mode)

        def read(self, path: str, size: int, offset: int, fh: int) -> bytes:  # noqa: ARG002
            return os.pread(fh, size, offset)

        def write(self, path: str, data: bytes, offset: int, fh: int) -> int:  # noqa: ARG002
            return os.pwrite(fh, data, offset)

        def truncate(self, path: str, length: int, fh: int | None = None) -> None:  # noqa: ARG002
            os.truncate(real(path), length)

        def release(self, path: str, fh: int) -> None:  # noqa: ARG002
            os.close(fh)

        def fsync(self, path: str, datasync: int, fh: int) -> None:  # noqa: ARG002
            os.fsync(fh)

        def chmod(self, path: str, mode: int) -> None:
            os.chmod(real(path), mode)

        def utimens(self, path: str, times: tuple[int, int]) -> None:
            os.utime(real(path), ns=times)

    mfusepy.FUSE(
        Folding(), mount, foreground=True, nothreads=True, use_ino=True, attr_timeout=0, entry_timeout=0,
        direct_io="unmapped" in habits, fsname="volume-of-the-tests",
    )  # fmt: skip


def killed(volume: Path) -> None:
    """End what serves a volume: from here on everything on it fails."""
    found = subprocess.run(
        ["pgrep", "-f", f"tests.ground.volume .* {volume}"], capture_output=True, text=True, check=False
    )
    for one in found.stdout.split():
        os.kill(int(one), signal.SIGKILL)
    while found.stdout and os.path.isdir(volume):
        time.sleep(0.01)


@contextmanager
def folding_volume(folder: Path, at: Path, *habits: str) -> Iterator[Path]:
    """The volume with some habits, mounted; the test is skipped, with the reason, where that cannot be."""
    folder.mkdir(exist_ok=True)
    at.mkdir(exist_ok=True)
    server = subprocess.Popen(
        [sys.executable, "-m", "tests.ground.volume", str(folder), str(at), *habits],
        cwd=Path(__file__).parents[2], stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
    )  # fmt: skip
    while not os.path.ismount(at):
        if server.poll() is not None:
            said = server.communicate()[0].decode().strip().splitlines()
            _skip(f"no folding volume can be mounted here: {said[-1] if said else 'FUSE does not run'}")
        time.sleep(0.02)
    try:
        yield at
    finally:
        alive = server.poll() is None  # a test may have ended it
        subprocess.run(["umount", "-l", str(at)], check=alive, capture_output=True)
        try:
            server.communicate(timeout=10)
        except subprocess.TimeoutExpired:  # a failed test has left a file open
            server.kill()


PROGRAMS = {"exfat": ("mkfs.exfat", "mount.exfat-fuse"), "ntfs": ("mkntfs", "ntfs-3g")}
MEBIBYTES = 64


@contextmanager
def served_volume(kind: str, at: Path) -> Iterator[Callable[[], None]]:
    """A real volume of a kind that a program serves here, mounted at a folder; gives what plugs it out and in again.
    The test is skipped, with the reason, where that cannot be."""
    make, mount = PROGRAMS[kind]
    if not (shutil.which(make) and shutil.which(mount)):
        _skip(f"{make} and {mount} are not installed here")
    image = at.with_name(f"{at.name}.{kind}")
    with image.open("wb") as stream:
        stream.truncate(MEBIBYTES << 20)
    at.mkdir(exist_ok=True)
    device = _said("losetup", "-f", "--show", str(image))
    try:
        _said(make, *(["-F", "-Q"] if kind == "ntfs" else []), device)

        def plug_in() -> None:
            _said(mount, device, str(at))

        def again() -> None:
            _said("umount", str(at))
            plug_in()

        plug_in()
        try:
            yield again
        finally:
            _said("umount", "-l", str(at))
    finally:
        _said("losetup", "-d", device)


def _said(*words: str) -> str:
    done = subprocess.run(words, capture_output=True, check=False, text=True)
    if done.returncode:
        _skip(f"{words[0]} does not work here: {(done.stderr or done.stdout).strip()}")
    return done.stdout.strip()


def _skip(reason: str) -> NoReturn:
    import pytest  # here, since every volume that is mounted starts this module

    pytest.skip(reason)


if __name__ == "__main__":
    serve(*sys.argv[1:])
