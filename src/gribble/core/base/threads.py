"""Threads, and what becomes of the memory that they give back."""

from __future__ import annotations

import atexit
import contextlib
import gc
import sys
import threading
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from functools import cache
from typing import TypeVar

_TRIM_THRESHOLD, _MMAP_THRESHOLD = -1, -3
"""Numbers of glibc's parameters, as in its malloc.h."""
KEPT_BYTES = 32 << 20
"""How much of each thread's freed memory stays with the process."""
BLOCK_BYTES = 4 << 20
"""From this size on a block goes back to the system as soon as it is freed."""


@cache
def keep_freed() -> None:
    """Keep freed memory for what is needed next, from here on.

    Where contents come and go by the hundred kilobytes, glibc gives them back to the system each time, which has to
    clear every page again: that took a third of the time in which members of archives are unpacked and hashed. With
    other libraries nothing is done. Source: mallopt(3).
    """
    if sys.platform == "linux":
        import ctypes  # which a short command has no use for

        with contextlib.suppress(OSError, AttributeError):
            library = ctypes.CDLL(None)
            library.mallopt(_TRIM_THRESHOLD, KEPT_BYTES)
            library.mallopt(_MMAP_THRESHOLD, BLOCK_BYTES)


@cache
def collect_little() -> None:
    """Look for circles of objects that nobody needs hardly ever, from here on, and not once more at the end.

    There is next to none here: a search goes through everything and finds nothing, which took a fifth of the time of a
    short command. Source: the gc module (freeze, set_threshold).
    """
    gc.set_threshold(1_000_000, 50, 50)
    atexit.register(gc.freeze)  # what is frozen is not looked through when the process ends


_One = TypeVar("_One")
_Made = TypeVar("_Made")


class LeftError(Exception):
    """What a thread is at is not wanted any more."""


class _Here(threading.local):
    """What a thread knows of itself."""

    left = threading.Event()  # that of a thread which nobody leaves, as it is until it has one of its own


_HERE = _Here()


@contextmanager
def side_by_side(count: int) -> Iterator[ThreadPoolExecutor]:
    """Some threads, whose work is done at the end of the block. Where that is left by an exception (Ctrl-C, say),
    nothing more is begun, and what is under way ends where it next asks whether to `go_on`."""
    left = threading.Event()
    with ThreadPoolExecutor(count, initializer=_begin, initargs=(left,)) as pool:
        try:
            yield pool
        except BaseException:
            left.set()
            pool.shutdown(wait=False, cancel_futures=True)
            raise


def each(count: int, work: Callable[[_One], _Made], items: Iterable[_One]) -> Iterator[_Made]:
    """What some work makes of each item, in their order, by so many threads; by this one itself if that is one."""
    if count == 1:
        yield from map(work, items)
    else:
        with side_by_side(count) as pool:
            yield from pool.map(work, items)


def left_alone(work: Callable[[], _Made]) -> _Made:
    """What work makes that never asks whether to `go_on`, as a library's does: by a thread of its own, which Ctrl-C
    leaves to itself, and which ends with the program."""
    made = Future[_Made]()

    def do() -> None:
        try:
            made.set_result(work())
        except BaseException as error:
            made.set_exception(error)

    threading.Thread(target=do, daemon=True).start()
    return made.result()


def _begin(left: threading.Event) -> None:
    _HERE.left = left


def go_on() -> None:
    """Ask, at every block of what may be long, whether somebody still waits for it. Raises LeftError if nobody
    does."""
    if _HERE.left.is_set():
        raise LeftError
