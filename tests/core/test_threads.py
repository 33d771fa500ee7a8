"""Work side by side: in order, and at an end as soon as nobody wants it any more."""

from __future__ import annotations

import itertools
import os
import signal
import tarfile
import threading
import time
import zipfile
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from gribble.core.base.threads import LeftError, each, left_alone, side_by_side
from gribble.core.files import hashing
from gribble.core.files.archives.common import Member
from gribble.core.files.archives.opening import scan
from gribble.core.files.hashing import digest_blocks, digest_file
from gribble.core.survey.index import Index
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.survey import Surveyor
from gribble.core.survey.walking import AT_ONCE_BYTES

LONG = 32 << 20


class Everything:
    def wants(self, _path: str, _member: Member) -> bool:
        return True

    def enters(self, _path: str) -> bool:
        return False


def content(_folder: Path, told: Callable[[int], None]) -> None:
    def blocks() -> Iterable[bytes]:
        for _ in range(99):
            told(1)
            yield b"block"

    digest_blocks(blocks(), ["crc32"])


def file(folder: Path, told: Callable[[int], None]) -> None:
    os.truncate(folder / "file", LONG)
    digest_file(folder / "file", LONG, ["sha1"], told)


def file_by_several(folder: Path, told: Callable[[int], None]) -> None:
    os.truncate(folder / "file", LONG)
    digest_file(folder / "file", LONG, ["crc32", "sha1"], told)


def archive(folder: Path, told: Callable[[int], None], kind: str) -> None:
    name = folder / f"pack.{kind}"
    os.truncate(folder / "file", LONG)
    if kind == "zip":
        with zipfile.ZipFile(name, "w") as pack:
            pack.write(folder / "file")
    else:
        with tarfile.open(name, "w:gz", compresslevel=1) as pack:
            pack.add(folder / "file", "file")
    for found in scan(name, "gz" if kind == "tar.gz" else kind, Everything()):
        for _ in found.blocks or ():
            told(1)


WAYS = {
    "a content": content,
    "a file": file,
    "a file by several digests": file_by_several,
    "a zip": lambda folder, told: archive(folder, told, "zip"),
    "a tar.gz": lambda folder, told: archive(folder, told, "tar.gz"),
}


@pytest.mark.parametrize("way", WAYS)
def test_what_is_under_way_ends_when_nobody_waits_for_it(tmp_path: Path, way: str) -> None:
    (tmp_path / "file").touch()
    begun, told = threading.Event(), itertools.count(1)

    def until_left(pool: ThreadPoolExecutor) -> None:
        begun.set()
        for _ in range(1000):
            try:
                pool.submit(int)
            except RuntimeError:  # it takes nothing more
                return
            time.sleep(0.01)

    with pytest.raises(KeyboardInterrupt), side_by_side(2) as pool:  # noqa: PT012
        working = pool.submit(WAYS[way], tmp_path, lambda _bytes: until_left(pool) if next(told) == 1 else None)
        assert begun.wait(10) or working.result()
        raise KeyboardInterrupt
    assert isinstance(working.exception(), LeftError)
    assert next(told) < 9, "a few blocks may be on their way"


def test_items_keep_their_order_and_one_thread_is_this_one() -> None:
    def slow_at_first(number: int) -> int:
        time.sleep((9 - number) / 100)
        return number

    assert list(each(4, slow_at_first, range(9))) == list(range(9))
    assert set(each(1, lambda _: threading.current_thread(), range(3))) == {threading.current_thread()}


def test_what_never_asks_is_left_alone() -> None:
    at_work: list[threading.Thread] = []
    end = threading.Event()

    def work() -> None:
        at_work.append(threading.current_thread())
        time.sleep(0.3)  # until the other waits
        os.kill(os.getpid(), signal.SIGINT)
        end.wait(20)

    with pytest.raises(KeyboardInterrupt):
        left_alone(work)
    assert at_work[0].daemon, "the end of the program does not wait for it"
    assert at_work[0].is_alive()
    end.set()
    assert left_alone(lambda: 7) == 7
    with pytest.raises(ZeroDivisionError):
        left_alone(lambda: 1 / 0)


def test_ctrl_c_waits_for_no_large_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(hashing, "RING_BYTES", 4096)
    read: list[int] = []

    class Listener:
        def expect(self, bytes_: int) -> None: ...

        def say(self, words: str) -> None: ...

        def advance(self, bytes_: int) -> None:
            read.append(bytes_)
            if len(read) == 200:  # this thread waits by then: a signal just before it does is not seen until it ends
                os.kill(os.getpid(), signal.SIGINT)
            time.sleep(0.001)

    for name in ("one", "two"):
        (tmp_path / name).touch()
        os.truncate(tmp_path / name, LONG)
    assert LONG > AT_ONCE_BYTES, "each has a thread of its own"
    surveyor = Surveyor(KnownContents([]), Index(None), listener=Listener())
    surveyor.want_whole(frozenset({LONG}))
    with pytest.raises(KeyboardInterrupt):
        surveyor.survey(tmp_path)
    assert sum(read) < LONG
