"""What becomes of a set in another release."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct

from gribble.core.records.holding import Holding


class Change(StrEnum):
    """What becomes of a set, in the order in which it is told."""

    SAME = "same"
    RENAMED = "renamed"
    REPACK = "repack"
    HELD = "held"
    OBTAIN = "obtain"
    GONE = "gone"
    NEW = "new"


class FileChange(Struct, frozen=True):
    """One file that the new release wants otherwise, and where it is held, if it is; a `source` has it that is away."""

    name: str
    owner: str
    held: Holding | None = None
    source: str = ""


class SetChange(Struct, frozen=True, kw_only=True):
    """What becomes of one set; `to` is its name in the new roster, `files` what is to be moved, brought or obtained."""

    set: str
    title: str
    change: Change
    to: str = ""
    files: tuple[FileChange, ...] = ()
