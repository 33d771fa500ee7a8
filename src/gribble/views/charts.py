"""The charts of a report, as SVG to be put into a page: readable in light and dark, each with its figures in words."""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from html import escape
from typing import Any, NamedTuple

from gribble.core.answers.report import Report
from gribble.core.base.amounts import size
from gribble.core.base.paths import visible
from gribble.views.looks import STATES, VERDICTS

_INK = "#123457"
"""Stands for the colour of the page's text until the chart is in it."""
_ORDER = ("sound", "unproven", "misnamed", "astray", "damaged", "imposter", "missing")
_HATCHES = {
    "unproven": "||", "misnamed": "//", "astray": "\\\\", "damaged": "xx", "imposter": "++", "missing": "--",
    "limited": "//", "blocked": "++",
}  # fmt: skip
"""Beside the colour a pattern for each verdict and state, so that no colour is needed to tell them apart."""


class Chart(NamedTuple):
    """A chart for the page: its title, the picture, and the same in words, a line for each bar."""

    title: str
    svg: str
    lines: tuple[str, ...]


def charts_of(report: Report) -> list[Chart]:
    """The charts that have something to show."""
    found = []
    needs = [(f"{one.title} on {rig.rig}", one.verdicts) for rig, one in report.emulators if one.rows]
    if needs:
        found.append(_bars("needs", "What each emulator wants, by verdict", needs, _ORDER))
    kinds: dict[str, dict[str, int]] = {}
    for _, one in report.emulators:
        for row in one.rows:
            tally = kinds.setdefault(row.kind, {})
            tally[row.verdict] = tally.get(row.verdict, 0) + 1
    if len(kinds) > 1:
        found.append(_bars("kinds", "The same by kind", sorted(kinds.items()), _ORDER))
    sets = [(f"{one.title} on {rig.rig}", one.sets) for rig, one in report.emulators if one.sets]
    if sets:
        found.append(_bars("sets", "Arcade sets by state", sets, tuple(map(str, STATES))))
    if report.releases:
        rows = [
            (
                f"{one.emulator} {one.release}{' (installed)' if one.installed else ''}",
                {"sound": round(100 * one.share)},
            )
            for one in report.releases
        ]
        found.append(_bars("releases", "How well held files fit each release, in percent", rows, ("sound",)))
    space = [(rig.rig, {"sound": rig.bytes}) for rig in report.rigs if rig.bytes]
    if space:
        found.append(_bars("space", "What is on each rig", space, ("sound",), bytes_=True))
    return found


def _bars(
    name: str, title: str, rows: Sequence[tuple[str, dict[str, int]]], order: Sequence[str], *, bytes_: bool = False
) -> Chart:
    """A bar for each row, of a piece for each word."""
    import matplotlib as mpl
    from matplotlib.backends.backend_svg import FigureCanvasSVG
    from matplotlib.figure import Figure

    colours = {word: colour for word, (_, colour) in {**VERDICTS, **STATES}.items()}
    settings: Any = {
        "svg.fonttype": "none", "svg.hashsalt": name, "font.family": "sans-serif", "font.size": 10,
        "text.color": _INK, "axes.edgecolor": _INK, "xtick.color": _INK, "ytick.color": _INK, "hatch.linewidth": 0.5,
    }  # fmt: skip
    with mpl.rc_context(settings):
        figure = Figure(figsize=(7.2, 0.34 * len(rows) + (0.75 if len(order) > 1 else 0.3)), layout="constrained")
        FigureCanvasSVG(figure)
        axes = figure.add_subplot()
        starts = [0] * len(rows)
        for word in order:
            widths = [tally.get(word, 0) for _, tally in rows]
            if any(widths):
                pieces = axes.barh(
                    range(len(rows)), widths, left=starts, height=0.62, color=colours[word], label=word,
                    hatch=_HATCHES.get(word, ""), edgecolor="white", linewidth=0.6,
                )  # fmt: skip
                labels = [size(width) if bytes_ else f"{width:,}" if width else "" for width in widths]
                if len(order) == 1:
                    axes.bar_label(pieces, labels, padding=3)
                starts = [start + width for start, width in zip(starts, widths, strict=True)]
        axes.set_yticks(range(len(rows)), [_plain(label) for label, _ in rows])
        axes.set_ylim(len(rows) - 0.4, -0.6)
        axes.margins(x=0.12 if len(order) == 1 else 0.02)
        axes.spines[["top", "right", "bottom"]].set_visible(False)
        axes.xaxis.set_visible(False)
        if len(order) > 1:
            figure.legend(loc="outside lower left", ncols=4, frameon=False, fontsize=9)
        stream = io.StringIO()
        figure.savefig(stream, format="svg", transparent=True, metadata={"Date": None, "Creator": None})
    lines = _in_words(rows, order, bytes_)
    return Chart(title, _for_page(stream.getvalue(), name, "; ".join(lines)), lines)


def _plain(label: str) -> str:
    """A label that Matplotlib takes for text alone: it reads formulas between dollar signs."""
    return _printable(label).replace("$", r"\$")


def _printable(text: str) -> str:
    return visible(text, "?")


def _in_words(rows: Sequence[tuple[str, dict[str, int]]], order: Sequence[str], bytes_: bool) -> tuple[str, ...]:
    def piece(word: str, value: int) -> str:
        return size(value) if bytes_ else f"{value:,} {word}" if len(order) > 1 else f"{value:,}"

    return tuple(
        _printable(f"{label}: {', '.join(piece(word, tally[word]) for word in order if tally.get(word))}")
        for label, tally in rows
    )


def _for_page(svg: str, name: str, words: str) -> str:
    """An SVG as a part of a page: names of its own, the page's colour of text, and what it shows in words."""
    svg = svg[svg.index("<svg") :]
    svg = re.sub(r"<metadata>.*?</metadata>\s*", "", svg, flags=re.DOTALL)
    svg = re.sub(r'(id="|url\(#|href="#)', rf"\g<1>{name}-", svg).replace(_INK, "currentColor")
    start = re.search(r'viewBox="([\d. ]*)"', svg)
    assert start is not None
    svg = f'<svg viewBox="{start[1]}" role="img" aria-label="{escape(words)}">{svg[svg.index(">") + 1 :]}'
    return svg.replace("xlink:href", "href")
