"""Work that several threads do side by side."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager


@contextmanager
def side_by_side(count: int) -> Iterator[ThreadPoolExecutor]:
    """Some threads, whose work is done at the end of the block. Where that is left by an exception (Ctrl-C, say),
    nothing more is begun."""
    with ThreadPoolExecutor(count) as pool:
        try:
            yield pool
        except BaseException:
            pool.shutdown(wait=False, cancel_futures=True)
            raise
