"""The records of a list that is to be drafted, as they are found, and what somebody asks of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from msgspec import Struct

from gribble.core.catalogue.importing.columns import Column
from gribble.core.catalogue.importing.guessing import Said
from gribble.core.catalogue.importing.nodes import HEADING
from gribble.core.catalogue.importing.setnames import OUTER_HEADING

SAMPLE_ROWS = 10_000
"""So many records of a table are looked at."""


class Asked(NamedTuple):
    """What the user said of a list that is to be drafted."""

    to: str = ""
    emulator: str = ""
    release: str = ""
    folder: str = ""
    table: int | None = None
    fields: tuple[Said, ...] = ()


class Found(Struct, frozen=True):
    """Records that are one file each, and what is said beside them."""

    rows: list[dict[str, Any]]
    records: str = ""
    common: dict[str, str] = {}
    title: str = ""
    headings: tuple[str, ...] = ()
    table: int | None = None
    notes: tuple[str, ...] = ()
    above: str = ""
    """Where the name of what the files are in is."""
    text: str = ""
    """All of a page or text."""
    root: str = ""
    also: dict[str, dict[str, None]] = {}
    """What columns are called in other tables that are read together with the first."""
    said: frozenset[str] = frozenset()
    """The columns of which only lines above the tables tell."""


def columns_of(rows: Sequence[dict[str, Any]]) -> list[Column]:
    """What records say, column by column, but for what stands above them."""
    names = dict.fromkeys(name for row in rows for name in row)
    return [
        Column(name, [str(row.get(name, "")) for row in rows], head=head_of(name))
        for name in names
        if name not in (HEADING, OUTER_HEADING)
    ]


def head_of(name: str) -> str:
    """What a path is called: its last part."""
    return name.rpartition("/")[2].lstrip("@^")
