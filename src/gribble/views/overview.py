"""`gribble check` of many emulators: a line for each kind of finding, with what to do about it; reasons are one command
further on."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from rich.text import Text

from gribble.core.answers.why import causes_of
from gribble.core.base.amounts import count
from gribble.core.records.findings import (
    EmulatorAudit,
    NeedFinding,
    PlaceFinding,
    Remedy,
    SetAudit,
    SettingFinding,
    Standing,
    State,
    Verdict,
    worst,
)
from gribble.core.records.sheet import Level
from gribble.core.sayings.facts import say_all
from gribble.views.causes import cause_words, named
from gribble.views.looks import QUIET
from gribble.views.screen import Screen, state, styled, verdict

NAMES_SHOWN = 12
CAUSES_SHOWN = 3

_DO = {
    Remedy.RENAME: "rename",
    Remedy.PLACE: "use a file that you have",
    Remedy.REPLACE: "replace with a file that you have",
    Remedy.MEND: "mend",
    Remedy.POINT: "point to what is there",
    Remedy.OBTAIN: "obtain",
    Remedy.NONE: "for you to do",
}


class _Line(NamedTuple):
    """What several findings have in common: a word with its glyph, and what to do."""

    verdict: Verdict
    do: str


def show_overview(screen: Screen, emulator: EmulatorAudit) -> None:
    """An emulator in a few lines: its state, how much is right, then a line for each kind of finding."""
    release = f" {emulator.release}" if emulator.release else ""
    parts = [*needs_words(emulator), *sets_words(emulator), *games_words(emulator)]
    quiet = styled(f"  {', '.join(parts)}" if parts else "", QUIET)
    screen.say("  ", styled(emulator.title + release, "bold"), "  ", state(emulator.state), quiet)
    for note in filter(None, (emulator.note, emulator.arcade.note)):
        screen.say(f"    {note}")
    screen.grid([*_rows(emulator), *_set_rows(list(emulator.sets), emulator.release)], indent=4)


def needs_words(emulator: EmulatorAudit) -> list[str]:
    """How many of its needs are right, and how many extras it lacks; nothing if it has none."""
    wanted = [one for one in emulator.findings if not (one.spared or one.ignored)]
    right = sum(one.met for one in wanted)
    extras = sum(not one.met and one.need.level is Level.EXTRA for one in wanted)
    parts = [f"{right:,} of {count(len(wanted), 'need')} right"] if wanted else []
    return [*parts, f"{count(extras, 'extra')} missing"] if extras else parts


def sets_words(emulator: EmulatorAudit) -> list[str]:
    """How many of its sets are ready, and how many run with something amiss; nothing if it has none."""
    states = Counter(one.state for one in emulator.sets)
    parts = [f"{states[State.READY]:,} of {count(len(emulator.sets), 'set')} ready"] if emulator.sets else []
    return [*parts, f"{states[State.LIMITED]:,} limited"] if states[State.LIMITED] else parts


def games_words(emulator: EmulatorAudit) -> list[str]:
    """That games do not count, where an emulator is ready and something is told about its games."""
    apart = emulator.state is State.READY and emulator.games
    return ["games are counted apart"] if apart else []


def _rows(emulator: EmulatorAudit) -> Iterator[tuple[str | Text, ...]]:
    """A row for each kind of finding, worst first as the sheet has them."""
    groups: dict[_Line, list[str]] = {}
    for demand in emulator.root:
        if not demand.met:
            groups.setdefault(_Line(demand.verdict, "for you to do"), []).append(f"the {demand.subject.demand}")
    for finding in emulator.findings:
        if not _is_settled(finding) and finding.need.level is not Level.EXTRA:
            for line in dict.fromkeys(_line(finding, place) for place in _open(finding)):
                groups.setdefault(line, []).append(finding.need.id)
    settings = [one for one in emulator.settings if not one.met and one.subject.level is not Level.EXTRA]
    for do in dict.fromkeys(map(_to_point, settings)):
        alike = [one for one in settings if _to_point(one) == do]
        gravest = max((one.verdict for one in alike), key=list(Verdict).index)
        groups.setdefault(_Line(gravest, do), []).extend(one.subject.setting.key for one in alike)
    for line, names in groups.items():
        names = list(dict.fromkeys(names))
        yield verdict(line.verdict), Text.assemble(styled(named(names, NAMES_SHOWN), "bold"), styled(f": {line.do}"))
    games = [one for one in emulator.games or () if Standing.REMARK not in one.standing]
    if games:
        words = f"{count(len(games), 'game')} would not run (gribble check {emulator.emulator} --games shows which)"
        yield verdict(games[0].verdict), words


def _to_point(one: SettingFinding) -> str:
    """What to do about a setting; where Gribble can do nothing, why."""
    return _DO[one.remedy] if one.remedy is Remedy.POINT else say_all(one.facts)


def _open(finding: NeedFinding) -> list[PlaceFinding]:
    """The places of a need that are not met, or could be better; the first where it is keys that lack."""
    return [place for place in finding.places if not place.met or place.remedy is Remedy.RENAME] or [finding.places[0]]


def _is_settled(finding: NeedFinding) -> bool:
    """Whether nothing is to be said of a need: a name that only this volume forgives is told."""
    accepted = finding.ignored or finding.spared is not None
    return finding.met and (accepted or all(place.remedy is Remedy.NONE for place in finding.places))


def _line(finding: NeedFinding, place: PlaceFinding) -> _Line:
    """What a place has in common with others."""
    if place.met and place.remedy is not Remedy.RENAME:
        keys = "the key" if len(finding.lacks) == 1 else "the keys"
        lacks = f"needs {keys} {', '.join(finding.lacks)}" if finding.lacks else "replace with a file that you have"
        return _Line(finding.verdict_at(place), lacks)
    if place.refusal or place.remedy is Remedy.NONE:
        return _Line(place.verdict, say_all(place.facts))
    if place.by_name:
        return _Line(place.verdict, "only its name is right (gribble place --by-name)")
    if place.remedy is Remedy.CONNECT:
        return _Line(place.verdict, f"connect {place.source}")
    return _Line(place.verdict, _DO[place.remedy])


def _set_rows(sets: list[SetAudit], release: str | None) -> Iterator[tuple[str | Text, ...]]:
    """The sets that do not run, by what is at fault."""
    causes = causes_of(one for one in sets if one.state is not State.READY)
    for one in causes[:CAUSES_SHOWN]:
        words = cause_words(one, release)
        yield state(one.state), Text.assemble(styled(named(one.sets, NAMES_SHOWN), "bold"), styled(f": {words}"))
    if rest := causes[CAUSES_SHOWN:]:
        names = list(dict.fromkeys(name for one in rest for name in one.sets))
        yield state(worst(one.state for one in rest)), f"{named(names, NAMES_SHOWN)}: other causes"
