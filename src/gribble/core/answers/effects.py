"""What another release, or another sheet, would change on the rigs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from msgspec import Struct

from gribble.core.records.findings import EmulatorAudit, Finding, Remedy, RigAudit
from gribble.core.sayings.facts import say_all


class Difference(NamedTuple):
    """One need or set: what it is now, what it would be, and why."""

    subject: str
    was: str
    now: str
    reason: str


class ReleaseEffect(NamedTuple):
    """One emulator on a rig, as it is and as it would be."""

    rig: str
    was: EmulatorAudit
    now: EmulatorAudit
    needs: list[Difference]
    sets: list[Difference]


def release_effects(before: tuple[RigAudit, ...], after: tuple[RigAudit, ...]) -> Iterator[ReleaseEffect]:
    """The emulators whose release differs between two audits, each with what differs with it."""
    old = {(rig.rig, one.emulator): one for rig in before for one in rig.emulators}
    for rig in after:
        for one in rig.emulators:
            was = old[rig.rig, one.emulator]
            if was.release != one.release:
                yield ReleaseEffect(rig.rig, was, one, list(_needs(was, one)), list(_sets(was, one)))


def _needs(was: EmulatorAudit, now: EmulatorAudit) -> Iterator[Difference]:
    needs = {finding.need.id: finding for finding in was.findings}
    for finding in now.findings:
        earlier = needs.pop(finding.need.id, None)
        word = _word(earlier) if earlier else "not needed"
        if word != _word(finding):
            yield Difference(finding.need.id, word, _word(finding), say_all(finding.facts))
    for name, finding in needs.items():
        yield Difference(name, _word(finding), "not needed", "")


def _sets(was: EmulatorAudit, now: EmulatorAudit) -> Iterator[Difference]:
    """Sets whose state differs; one that is not wanted with one of the rosters is told as that."""
    sets = {one.set: one for one in was.sets}
    for one in now.sets:
        earlier = sets.pop(one.set, None)
        word = str(earlier.state) if earlier else "not told"
        if word != one.state:
            yield Difference(one.set, word, str(one.state), say_all(one.problems[0].facts) if one.problems else "")
    for name, audited in sets.items():
        yield Difference(name, str(audited.state), "not told", "")


def _word(finding: Finding) -> str:
    if finding.spared:
        return "spared"
    accept = finding.chief.accept
    called = f" ({accept.called})" if accept and accept.called else ""
    return f"{finding.chief.verdict}{called}{', keys lacking' if finding.lacks else ''}"


class SheetEffect(Struct, frozen=True):
    """One emulator on a rig, audited with the old sheet and with the new one."""

    rig: str
    old: EmulatorAudit
    new: EmulatorAudit

    @property
    def wanted(self) -> tuple[list[str], list[str]]:
        """Titles of the needs that the new sheet leaves open and the old one did not: held, and to obtain."""
        open_before = {finding.need.id for finding in self.old.findings if not finding.met}
        held: list[str] = []
        obtain: list[str] = []
        for finding in self.new.findings:
            if not finding.met and finding.need.id not in open_before:
                gap = any(place.remedy is Remedy.OBTAIN for place in finding.places)
                (obtain if gap else held).append(finding.need.called)
        return held, obtain
