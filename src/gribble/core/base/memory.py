"""What becomes of memory that is given back, and who looks for it."""

from __future__ import annotations

import atexit
import contextlib
import gc
import sys
from functools import cache

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
    clear every page anew: that took a third of the time in which members of archives are unpacked and hashed. With
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
