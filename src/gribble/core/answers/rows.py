"""What is found, as rows of words: for tables and pages, and for the terminal where it says it in the same way; and in
another order: by name, or what is worst first.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from msgspec import Struct, structs

from gribble.core.base.amounts import day_words
from gribble.core.records.facts import Accepted
from gribble.core.records.findings import (
    EmulatorAudit,
    Finding,
    GameFinding,
    NeedFinding,
    Remedy,
    RigAudit,
    RootFinding,
    SetAudit,
    SettingFinding,
    State,
    Value,
    Verdict,
)
from gribble.core.records.holding import Holding
from gribble.core.records.sheet import Level
from gribble.core.sayings.facts import root_words, say_all
from gribble.core.sayings.remedies import Shown, game_words, need_words, setting_words


class Row(Struct, frozen=True, kw_only=True):
    """One thing that an emulator wants, and what is true of it: a need at one place, a setting, a demand of the rig's
    root, a game. `source` is one that is away and holds it, `proven` the day on which its file was last read whole.
    `do` is what puts it right, in words, with the file that would."""

    kind: str
    name: str
    title: str
    level: str
    verdict: str
    reason: str
    why: str = ""
    place: str = ""
    found: str = ""
    proof: str = ""
    remedy: str = ""
    source: str = ""
    away: bool = False
    proven: str = ""
    do: str = ""


def need_rows(rig: RigAudit, finding: NeedFinding, shown: Shown) -> Iterator[Row]:
    """A row for each place of a need, unless another need spares it."""
    if finding.spared:
        return
    for place in finding.places:
        accepted = (Accepted(),) if finding.ignored else ()
        yield Row(
            kind=finding.need.kind,
            name=finding.need.id,
            title=finding.need.title,
            level=finding.need.level,
            verdict=finding.verdict_at(place),
            reason=say_all((*place.facts, *accepted)),
            why=finding.need.why,
            place=place.told,
            found=_shown(rig.rig, place.found) if place.found else "",
            proof=place.proof,
            remedy=Remedy.NONE if finding.ignored else place.remedy,
            source=place.source,
            away=bool(place.source),
            proven=day_words(place.proven / 10**9) if place.proven else "",
            do="" if finding.ignored else need_words(rig, finding, place, shown),
        )


def setting_row(found: SettingFinding) -> Row:
    """A setting."""
    return Row(
        kind="setting",
        name=f"{found.subject.file}: {found.subject.setting.key}",
        title="",
        level=found.subject.level,
        verdict=found.verdict,
        reason=say_all(found.facts),
        place=found.subject.file,
        remedy=found.remedy,
        do=setting_words(found),
    )


def root_row(found: RootFinding) -> Row:
    """What an emulator demands of the rig's root."""
    return Row(
        kind="rig",
        name=found.subject.demand,
        title="",
        level=Level.MUST,
        verdict=found.verdict,
        reason=root_words(found),
        do="" if found.met else "for you to do",
    )


def game_row(found: GameFinding, shown: Shown) -> Row:
    """A file or a folder of a game."""
    return Row(
        kind=found.subject.rule,
        name=found.subject.file,
        title="",
        level="",
        verdict=found.verdict,
        reason=say_all(found.facts),
        place=found.subject.file,
        remedy=found.remedy,
        do=game_words(found, shown),
    )


def _shown(rig: str, holding: Holding) -> str:
    where = holding.path if holding.rig == rig else holding.where
    return f"{where}: {holding.member}" if holding.member else where


_LEVELS = tuple(Level)
_STATES = (State.BLOCKED, State.UNKNOWN, State.LIMITED, State.AWAY, State.READY)
_VERDICTS = tuple(reversed(Verdict))
Sortable = EmulatorAudit | NeedFinding | SettingFinding | SetAudit


def by_name(audits: tuple[RigAudit, ...]) -> tuple[RigAudit, ...]:
    """The same rigs, with what is on them sorted by name."""
    return _sorted(audits, _name)


def worst_first(audits: tuple[RigAudit, ...]) -> tuple[RigAudit, ...]:
    """The same rigs, with what is worst on them first: what is needed most, then by verdict or state.

    Among equals the former order stays.
    """
    return _sorted(audits, _worth)


def _name(one: Sortable) -> str:
    match one:
        case EmulatorAudit():
            return one.emulator
        case NeedFinding():
            return one.need.id
        case Finding(subject=Value()):
            return one.subject.setting.key
        case SetAudit():
            return one.set


def _worth(one: Sortable) -> tuple[bool, int, int]:
    """The less, the worse."""
    match one:
        case EmulatorAudit() | SetAudit():
            return False, 0, _STATES.index(one.state)
        case NeedFinding():
            return one.met, _LEVELS.index(one.need.level), _VERDICTS.index(one.chief.verdict)
        case Finding(subject=Value()):
            return one.met, _LEVELS.index(one.subject.level), _VERDICTS.index(one.verdict)


def _sorted(audits: tuple[RigAudit, ...], key: Callable[[Sortable], Any]) -> tuple[RigAudit, ...]:
    return tuple(
        structs.replace(
            rig,
            emulators=tuple(
                structs.replace(
                    one,
                    findings=tuple(sorted(one.findings, key=key)),
                    settings=tuple(sorted(one.settings, key=key)),
                    arcade=structs.replace(one.arcade, sets=tuple(sorted(one.sets, key=key))),
                )
                for one in sorted(rig.emulators, key=key)
            ),
        )
        for rig in audits
    )
