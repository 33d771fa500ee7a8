"""What scrubbing is asked, and what it finds."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct

from gribble.core.base.digests import Digests


class Fault(StrEnum):
    """What scrubbing finds: another content under the same size, times and inode; under the same size and date only; a
    file that cannot be read; one that is no more."""

    ROTTED = "rotted"
    ALTERED = "altered"
    UNREADABLE = "unreadable"
    GONE = "gone"


class Found(Struct, frozen=True, kw_only=True):
    """One fault: the file by its whole path, when it was last read whole and right (nanoseconds since 1970, 0 if
    nobody knows), why, and the digests that it had."""

    path: str
    fault: Fault
    since: int
    reason: str
    digests: Digests
    size: int


class Scrubbed(Struct, kw_only=True):
    """What scrubbing came to: files read and their bytes, the faults, how many files and bytes are left for the next
    time, how many of these alone are more than the budget, and whether somebody stopped it."""

    read: int = 0
    bytes: int = 0
    findings: list[Found] = []
    left: int = 0
    left_bytes: int = 0
    too_large: int = 0
    stopped: bool = False


class Limits(Struct, frozen=True, kw_only=True):
    """How far to go: at most so many `bytes`; only what was last read `before` a time (nanoseconds since 1970); and
    `everything`, be it known to a sheet or not."""

    bytes: int | None = None
    before: int | None = None
    everything: bool = False
