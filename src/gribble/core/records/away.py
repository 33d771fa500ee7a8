"""A source that cannot be reached now, and what the index knows of it."""

from __future__ import annotations

from msgspec import Struct

from gribble.core.records.holding import Holdings


class Away(Struct, frozen=True, kw_only=True):
    """A source that is away: what it is called, where it is written to be, why, since when ("since 3 November", empty
    where nobody knows), and what it held; `files` is how many that were, members of archives aside. `emptied` says that
    its folder is there, with nothing in it."""

    source: str
    at: str
    why: str
    since: str
    holdings: Holdings
    files: int
    emptied: bool = False
