"""Many sets that do not run, by what is at fault: a few lines for each cause, with the command that unfolds it."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import islice

from rich.text import Text

from gribble.core.answers.why import Cause
from gribble.core.base.amounts import count
from gribble.core.base.paths import base
from gribble.core.records.findings import (
    Verdict,
)
from gribble.core.records.holding import Holding
from gribble.core.sayings.remedies import archive_words
from gribble.views.looks import QUIET, shorten
from gribble.views.screen import remedy, state, styled

CAUSES_SHOWN = 10
NAMES_SHOWN = 8
FILES_SHOWN = 4
PLACES_SHOWN = 2

_ONE = {"need": "needs", "have": "has", "are": "is", "run": "runs"}
_OWN = {
    Verdict.ASTRAY: ("need", "files that you have in another place"),
    Verdict.MISSING: ("need", "files that you do not have"),
    Verdict.IMPOSTER: ("have", "files with a wrong content"),
    Verdict.DAMAGED: ("have", "archives that the emulator cannot read"),
    Verdict.UNPROVEN: ("have", "files that no digest proves"),
}
_OF_RELEASE = {
    Verdict.UNPLAYABLE: ("are", "not played by this release"),
    Verdict.MISSING: ("are", "not in this release"),
    Verdict.MISNAMED: ("are", "spelled in a way that the device does not find"),
    Verdict.UNPROVEN: ("run", "with flaws, or with gaps in the roster"),
}


def kind_words(verdict: Verdict, *, of_release: bool) -> str:
    """What sets with one kind of fault have in common: "need files that you do not have"."""
    return " ".join(_kind(verdict, of_release))


def _kind(verdict: Verdict, of_release: bool) -> tuple[str, str]:
    return (_OF_RELEASE if of_release else _OWN).get(verdict, ("are", str(verdict)))


def named(names: Iterable[str], most: int) -> str:
    """The first of some names, and that there are more."""
    names = iter(names)
    told = list(islice(names, most))
    return ", ".join(told) + (" …" if next(names, None) is not None else "")


def cause_words(one: Cause, release: str | None) -> str:
    """What is at fault, with where right files are held; of a relative's files that nobody has the archive to get."""
    if len(one.to_get) == 1:
        return archive_words(*next(iter(one.to_get.items())), release)
    if one.to_get:
        return f"obtain {len(one.to_get):,} archives: {named((home.name for home in one.to_get), NAMES_SHOWN)}"
    places = list(dict.fromkeys(map(_place, one.held)))
    where = " and ".join(places) if len(places) <= PLACES_SHOWN else f"{len(places):,} places, such as {places[0]}"
    held = f"; you have them in {where}" if places else ""
    if one.sources:
        held += f"; {'others' if held else 'they'} are in {' and '.join(one.sources)}, which is away"
    if one.owner:
        verb = "need" if one.verdict in (Verdict.MISSING, Verdict.ASTRAY) else "have"
        what = "" if verb == "need" else f"{one.verdict} "
        nowhere = "; you do not have them" if one.verdict is Verdict.MISSING else ""
        rest = f"{what}{one.owner}'s files {named(one.files, FILES_SHOWN)}{held}{nowhere}"
    else:
        verb, words = _kind(one.verdict, one.of_release)
        rest = f"{'files' if places and one.verdict is Verdict.ASTRAY else words}{held}"
    return f"{_ONE[verb] if len(one.sets) == 1 else verb} {rest}"


def cause_rows(causes: list[Cause], on: str, release: str | None, fix: str = "") -> list[tuple[str | Text, ...]]:
    """A row for each cause, those that block first; `on` are the words that name the rig in a command, `fix` is the
    command that puts right what is held."""
    rows: list[tuple[str | Text, ...]] = []
    for one in causes[:CAUSES_SHOWN]:
        alone = len(one.sets) == 1
        text = Text.assemble(styled(cause_words(one, release)))
        if not alone:
            text.append("\n").append_text(styled(named(one.sets, NAMES_SHOWN), QUIET))
        unfold = f"gribble sets show {one.owner or one.sets[0]}"
        if not (one.owner or alone):
            unfold = f"gribble sets check --show {one.verdict} -v"
        if fix and one.whole:
            text.append("\n").append_text(remedy(f"{fix}{on}"))
        text.append("\n").append_text(remedy(f"{unfold}{on}"))
        rows.append((state(one.state), one.sets[0] if alone else count(len(one.sets), "set"), text))
    if len(causes) > CAUSES_SHOWN:
        more = sum(len(one.sets) for one in causes[CAUSES_SHOWN:])
        rows.append(("", count(more, "set"), styled("for other reasons (gribble sets check -v shows them)", QUIET)))
    return rows


def _place(holding: Holding) -> str:
    """Where a right copy lies: its archive, or its folder."""
    path = shorten(holding.where)
    return path if holding.member is not None else path.removesuffix(base(path)).rstrip("/") or path
