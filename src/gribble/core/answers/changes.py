"""What another sheet, or another release, changes on the rigs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from msgspec import Struct

from gribble.core.records.findings import EmulatorAudit, NeedFinding, Remedy, RigAudit, SetAudit, State, Verdict
from gribble.core.records.set_remedies import Cost
from gribble.core.records.sheet import Level
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


def cost_of_release(was: EmulatorAudit, now: EmulatorAudit) -> Cost:
    """What the release would cost by which `now` is judged."""
    before = {one.set: one.state for one in was.sets}
    groups: dict[str, list[SetAudit]] = {}
    for one in now.sets:
        groups.setdefault(_fate(one, before.get(one.set)), []).append(one)

    def of(word: str) -> tuple[str, ...]:
        return tuple(one.set for one in groups.get(word, ()))

    return Cost(
        same=len(of("same")),
        better=of("better"),
        repacked=of("repacked"),
        lacking=of("lacking"),
        archives=tuple(sorted({home.name for one in groups.get("lacking", ()) for home in one.to_get})),
        gone=of("gone"),
        new=of("new"),
        worse=of("worse"),
        titles={one.set: one.title for word, group in groups.items() if word != "same" for one in group},
    )


def _fate(one: SetAudit, was: State | None) -> str:
    """What becomes of a set that was in some state; None if it was not wanted."""
    if one.state == was:
        return "same"
    if any(problem.verdict is Verdict.MISSING and not problem.subject.file for problem in one.problems):
        return "gone"
    if one.state is State.READY:
        return "better" if was else "new"
    return "repacked" if one.fixable else "lacking" if one.to_get else "worse"


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
        word = str(earlier.state) if earlier else "not wanted"
        if word != one.state:
            yield Difference(one.set, word, str(one.state), say_all(one.problems[0].facts) if one.problems else "")
    for name, audited in sets.items():
        yield Difference(name, str(audited.state), "not wanted", "")


def _word(finding: NeedFinding) -> str:
    if finding.spared:
        return "spared"
    accept = finding.chief.accept
    called = f" ({accept.called})" if accept and accept.called else ""
    return f"{finding.chief.verdict}{called}{', without its keys' if finding.lacks else ''}"


class SheetEffect(Struct, frozen=True):
    """One emulator on a rig, audited with the old sheet and with the new one."""

    rig: str
    old: EmulatorAudit
    new: EmulatorAudit

    @property
    def wanted(self) -> tuple[list[str], list[str]]:
        """Titles of the needs that the new sheet leaves open and the old one did not, or did not call a must: held, and
        to obtain."""
        open_before = {one.need.id: one.need.level for one in self.old.findings if not one.met}
        held: list[str] = []
        obtain: list[str] = []
        for finding in self.new.findings:
            risen = finding.need.level is Level.MUST and open_before.get(finding.need.id) is not Level.MUST
            if not finding.met and (risen or finding.need.id not in open_before):
                gap = any(place.remedy is Remedy.OBTAIN for place in finding.places)
                (obtain if gap else held).append(finding.need.called)
        return held, obtain

    @property
    def sets(self) -> Iterator[Difference]:
        """The sets that are in another state then."""
        return _sets(self.old, self.new)
