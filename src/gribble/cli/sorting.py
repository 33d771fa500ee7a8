"""Which findings are shown, and in which order."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Optional

import typer
from msgspec import structs

from gribble.cli.completing import verdicts
from gribble.core.answers.ordering import by_name, worst_first
from gribble.core.base.errors import GribbleError
from gribble.core.base.suggest import suggest
from gribble.core.records.findings import RigAudit, Verdict


class Sort(StrEnum):
    """What findings are sorted by; else they stand as in `gribble.toml`, sheet and roster."""

    NAME = "name"
    WORST = "worst"


SortOption = Annotated[
    Optional[Sort],  # noqa: UP045
    typer.Option("--sort", metavar="name|worst", help="By name, or what is worst first.", show_default=False),
]


VerdictsOption = Annotated[
    Optional[list[str]],  # noqa: UP045
    typer.Option(
        "--only",
        metavar="VERDICT",
        help="Show only what is missing, say, or damaged (may be repeated).",
        show_default=False,
        autocompletion=verdicts,
    ),
]


def chosen_verdicts(words: list[str] | None) -> frozenset[str]:
    """The verdicts that `--only` names. Raises GribbleError for a word that is none."""
    for word in words or ():
        if word not in list(Verdict):
            raise GribbleError(
                f"'{word}' is no verdict{suggest(word, list(Verdict))}", fix=f"One of {', '.join(Verdict)}."
            )
    return frozenset(words or ())


def with_verdicts(audits: tuple[RigAudit, ...], chosen: frozenset[str]) -> tuple[RigAudit, ...]:
    """The audits with only those sets of which something has one of some verdicts; all where none is chosen."""
    if not chosen:
        return audits
    narrowed = []
    for found in audits:
        group = [
            structs.replace(one, sets=tuple(each for each in one.sets if not chosen.isdisjoint(each.verdicts)))
            for one in found.emulators
        ]
        narrowed.append(structs.replace(found, emulators=tuple(group)))
    return tuple(narrowed)


def sorted_audits(audits: tuple[RigAudit, ...], sort: Sort | None) -> tuple[RigAudit, ...]:
    """The audits in the order that is asked for."""
    match sort:
        case None:
            return audits
        case Sort.NAME:
            return by_name(audits)
        case Sort.WORST:
            return worst_first(audits)
