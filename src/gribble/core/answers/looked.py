"""What has changed on the rigs since a check that somebody has looked at."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import datetime
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct, structs

from gribble.core.base.amounts import LATEST, count, since_words
from gribble.core.base.filewriter import note_record, read_record
from gribble.core.records.findings import EmulatorAudit, RigAudit, State

RIGHT = "right"
WRONG_NAMED = 3
"""So many things that went wrong are named in the line."""


class Looked(Struct, frozen=True, kw_only=True):
    """What one emulator's check said: when, in seconds since 1970; what was right; and the verdict on the rest.

    Needs, settings, demands on the root and sets are in it as "need tern8-boot", "set groyne".
    """

    when: float
    right: tuple[str, ...] = ()
    wrong: dict[str, str] = {}


class Memory(Struct, frozen=True, kw_only=True):
    """The last check that was looked at, by rig and emulator, and the one before which something was different."""

    last: dict[str, dict[str, Looked]] = {}
    before: dict[str, dict[str, Looked]] = {}


class Changed(Struct, frozen=True, kw_only=True):
    """A thing of which another verdict is true now: its kind, its name, what it was and what it is."""

    rig: str
    emulator: str
    kind: str
    name: str
    was: str
    now: str


class Since(Struct, frozen=True, kw_only=True):
    """What changed since some time, in seconds since 1970; 0 if nothing is remembered."""

    when: float = 0.0
    changes: tuple[Changed, ...] = ()

    def words(self, now: float) -> str:
        """The changes in a line, such as "Since Friday: 2 more are right; 1 went wrong: tern8-boot on stick"."""
        better = sum(one.now == RIGHT for one in self.changes)
        worse = [f"{one.name} on {one.rig}" for one in self.changes if one.was == RIGHT]
        other = len(self.changes) - better - len(worse)
        parts = [f"{better:,} more {'is' if better == 1 else 'are'} right"] if better else []
        if worse:
            more = f" and {len(worse) - WRONG_NAMED:,} more" if len(worse) > WRONG_NAMED else ""
            parts.append(f"{len(worse):,} went wrong: {', '.join(worse[:WRONG_NAMED])}{more}")
        if other:
            parts.append(f"{count(other, 'verdict')} changed")
        return f"{since_when(self.when, now).replace('s', 'S', 1)}: {'; '.join(parts)}" if parts else ""


def since_when(when: float, now: float) -> str:
    """A time as in "since 14:05", "since yesterday", "since Friday" or "since 3 November"."""
    if not 0 < when < LATEST or when > now + 60:
        return "since the last check"
    then = datetime.fromtimestamp(when)
    days = (datetime.fromtimestamp(now).date() - then.date()).days
    if days == 0:
        return f"since {then:%H:%M}"
    if days == 1:
        return "since yesterday"
    return f"since {then:%A}" if 1 < days < 7 else since_words(when, now)


def remembered(path: Path | None) -> Memory:
    """What is remembered of earlier checks, in a small file of Gribble's own."""
    return _memory_of(read_record(path)) if path else Memory()


def _memory_of(record: Any) -> Memory:
    try:
        return msgspec.convert(record, Memory)
    except msgspec.ValidationError:
        return Memory()


def changes(memory: dict[str, dict[str, Looked]], audits: Iterable[RigAudit]) -> Since:
    """What some emulators' checks say otherwise than earlier ones did. What is new, or no longer asked for, is no
    change."""
    found = list[Changed]()
    since, known = [], []
    for rig in audits:
        for one in rig.emulators:
            if before := memory.get(rig.rig, {}).get(one.emulator):
                differing = list(_between(rig.rig, one, before))
                found += differing
                known.append(before.when)
                since += [before.when] * bool(differing)
    return Since(when=min(since or known, default=0.0), changes=tuple(found))


def _between(rig: str, one: EmulatorAudit, before: Looked) -> Iterator[Changed]:
    was = {**dict.fromkeys(before.right, RIGHT), **before.wrong}
    for key, now in _verdicts(one):
        if was.get(key, now) != now:
            kind, _, name = key.partition(" ")
            yield Changed(rig=rig, emulator=one.emulator, kind=kind, name=name, was=was[key], now=now)


def look(path: Path, audits: Iterable[RigAudit], when: float) -> None:
    """Remember what a check says that somebody looks at. Where that differs from the last one, the last one is kept,
    too. What the check did not look at is remembered as it was."""
    audits = list(audits)

    def made(record: Any) -> Any:
        memory = _memory_of(record)
        last = {rig: dict(one) for rig, one in memory.last.items()}
        before = {rig: dict(one) for rig, one in memory.before.items()}
        for rig in audits:
            for one in rig.emulators:
                known = last.get(rig.rig, {}).get(one.emulator)
                now = _looked(one, when)
                if known is None or structs.replace(known, when=when) != now:
                    before.setdefault(rig.rig, {})[one.emulator] = known or now
                last.setdefault(rig.rig, {})[one.emulator] = now
        return msgspec.to_builtins(Memory(last=last, before=before))

    note_record(path, made)


def _looked(one: EmulatorAudit, when: float) -> Looked:
    verdicts = dict(_verdicts(one))
    right = tuple(key for key, verdict in verdicts.items() if verdict == RIGHT)
    return Looked(when=when, right=right, wrong={key: word for key, word in verdicts.items() if word != RIGHT})


def _verdicts(one: EmulatorAudit) -> Iterator[tuple[str, str]]:
    """What a check says of each thing of an emulator: `RIGHT`, or the verdict."""
    for need in one.findings:
        yield f"need {need.need.id}", RIGHT if need.met else str(need.verdict_at(need.chief))
    for setting in one.settings:
        yield f"setting {setting.subject.setting.key}", RIGHT if setting.met else str(setting.verdict)
    for demand in one.root:
        yield f"root {demand.subject.demand}", RIGHT if demand.met else str(demand.verdict)
    for each in one.sets:
        yield f"set {each.set}", RIGHT if each.state is State.READY else str(each.state)
