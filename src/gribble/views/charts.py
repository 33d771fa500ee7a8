"""The charts of a report: bars that are HTML and CSS, each with its figures as text."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from typing import NamedTuple

from gribble.core.answers.report import Report
from gribble.core.base.amounts import size
from gribble.views.looks import STATES, VERDICTS


class Bar(NamedTuple):
    """One bar: what it is of, its length in percent of the longest, its pieces by word, and the same in words."""

    label: str
    percent: float
    pieces: tuple[tuple[str, int], ...]
    words: str


class Chart(NamedTuple):
    """A chart for the page: its title and its bars."""

    title: str
    bars: tuple[Bar, ...]


def whole_of(report: Report) -> Bar | None:
    """The one bar of everything: all needs by verdict; None if nothing is needed."""
    tally = sum((Counter(one.verdicts) for _, one in report.emulators), Counter[str]())
    return _bars([("All needs", tally)])[0] if tally else None


def charts_of(report: Report) -> list[Chart]:
    """The charts that have something to show."""
    kinds: dict[str, Counter[str]] = {}
    for _, one in report.emulators:
        for row in one.rows:
            kinds.setdefault(row.kind, Counter())[row.verdict] += 1
    needs = [(f"{one.title} on {rig.rig}", one.verdicts) for rig, one in report.emulators if one.rows]
    sets = [(f"{one.title} on {rig.rig}", one.sets) for rig, one in report.emulators if one.sets]
    found = [
        Chart("The needs of each emulator", _bars(needs)),
        Chart("The needs of each kind", _bars(sorted(kinds.items())) if len(kinds) > 1 else ()),
        Chart("Arcade sets", _bars(sets)),
        Chart("How well your files fit each release", tuple(_shares(report))),
        Chart("How much is on each rig", tuple(_room(report))),
    ]
    return [chart for chart in found if chart.bars]


def _bars(rows: Iterable[tuple[str, Mapping[str, int]]]) -> tuple[Bar, ...]:
    """A bar for each row, with a piece for each verdict or state that occurs."""
    order = [*map(str, VERDICTS), *map(str, STATES)]
    told = [(label, tuple((word, tally[word]) for word in order if tally.get(word))) for label, tally in rows]
    most = max((sum(number for _, number in pieces) for _, pieces in told), default=0) or 1
    return tuple(
        Bar(
            label,
            100 * sum(number for _, number in pieces) / most,
            pieces,
            ", ".join(f"{number:,} {word}" for word, number in pieces),
        )
        for label, pieces in told
        if pieces
    )


def _shares(report: Report) -> Iterable[Bar]:
    for one in report.releases:
        percent = round(100 * one.share)
        label = f"{one.emulator} {one.release}{' (installed)' if one.installed else ''}"
        yield Bar(label, percent, (("sound", 1),), f"{percent} %")


def _room(report: Report) -> Iterable[Bar]:
    most = max((rig.bytes for rig in report.rigs), default=0)
    for rig in report.rigs:
        if rig.bytes:
            yield Bar(rig.rig, 100 * rig.bytes / most, (("sound", 1),), size(rig.bytes))
