"""The same audit in another order: emulators, needs, settings and sets by name, or what is worst first."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec import structs

from gribble.core.records.findings import (
    EmulatorAudit,
    Finding,
    NeedFinding,
    RigAudit,
    SetAudit,
    SettingFinding,
    State,
    Value,
    Verdict,
)
from gribble.core.records.sheet import Level

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
