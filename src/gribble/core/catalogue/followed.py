"""Which version of a followed catalogue counts."""

from __future__ import annotations

import datetime
from pathlib import Path

import msgspec
from msgspec import Struct

from gribble.core.base.filewriter import read_record
from gribble.core.base.paths import name_fault

POINTER = "current.json"
"""The file in a followed folder that says which of its versions counts."""


class Current(Struct, frozen=True, omit_defaults=True):
    """The version that counts: its folder and number, what its index says of it, when it was looked for last, what
    the server calls this state of the index, and the version before."""

    folder: str
    number: int
    title: str
    date: datetime.date
    looked: datetime.date
    etag: str = ""
    former: str = ""
    former_number: int = 0
    former_date: datetime.date | None = None


def current(at: Path) -> Current | None:
    """The version of a followed catalogue that counts; None if there is none."""
    try:
        found = msgspec.convert(read_record(at / POINTER), Current)
    except msgspec.ValidationError:
        return None
    return None if name_fault(found.folder) or (found.former and name_fault(found.former)) else found


def version_of(at: Path) -> Path:
    """Where the sheets of a catalogue are: in the version that counts, or in the folder itself."""
    now = current(at)
    return at / now.folder if now else at
