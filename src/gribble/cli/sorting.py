"""In which order findings are shown."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Optional

import typer

from gribble.core.answers.ordering import by_name, worst_first
from gribble.core.records.findings import RigAudit


class Sort(StrEnum):
    """What findings are sorted by; else they stand as in `gribble.toml`, sheet and roster."""

    NAME = "name"
    WORST = "worst"


SortOption = Annotated[
    Optional[Sort],  # noqa: UP045
    typer.Option("--sort", metavar="name|worst", help="By name, or what is worst first.", show_default=False),
]


def sorted_audits(audits: tuple[RigAudit, ...], sort: Sort | None) -> tuple[RigAudit, ...]:
    """The audits in the order that is asked for."""
    match sort:
        case None:
            return audits
        case Sort.NAME:
            return by_name(audits)
        case Sort.WORST:
            return worst_first(audits)
