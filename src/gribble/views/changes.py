"""What another release of an emulator would change: needs and sets whose answer differs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from gribble.core.records.findings import EmulatorAudit, Finding, RigAudit
from gribble.views.looks import QUIET
from gribble.views.screen import Screen, state, styled

SETS_SHOWN = 40
"""How many sets are shown before the rest is folded."""


class Row(NamedTuple):
    """One need or set: what it is now, what it would be, and why."""

    subject: str
    was: str
    now: str
    reason: str


class Change(NamedTuple):
    """One emulator on a rig, as it is and as it would be."""

    rig: str
    was: EmulatorAudit
    now: EmulatorAudit
    needs: list[Row]
    sets: list[Row]


def _changes(before: tuple[RigAudit, ...], after: tuple[RigAudit, ...]) -> Iterator[Change]:
    old = {(rig.rig, one.emulator): one for rig in before for one in rig.emulators}
    for rig in after:
        for one in rig.emulators:
            was = old[rig.rig, one.emulator]
            if was.release != one.release:
                yield Change(rig.rig, was, one, list(_needs(was, one)), list(_sets(was, one)))


def _needs(was: EmulatorAudit, now: EmulatorAudit) -> Iterator[Row]:
    needs = {finding.need.id: finding for finding in was.findings}
    for finding in now.findings:
        earlier = needs.pop(finding.need.id, None)
        word = _word(earlier) if earlier else "not needed"
        if word != _word(finding):
            yield Row(finding.need.id, word, _word(finding), finding.reason)
    for name, finding in needs.items():
        yield Row(name, _word(finding), "not needed", "")


def _sets(was: EmulatorAudit, now: EmulatorAudit) -> Iterator[Row]:
    """Sets whose state differs; one that is not wanted with one of the rosters is told as that."""
    sets = {one.set: one for one in was.sets}
    for one in now.sets:
        earlier = sets.pop(one.set, None)
        word = str(earlier.state) if earlier else "not told"
        if word != one.state:
            yield Row(one.set, word, str(one.state), one.problems[0].reason if one.problems else "")
    for name, audited in sets.items():
        yield Row(name, str(audited.state), "not told", "")


def _word(finding: Finding) -> str:
    if finding.spared:
        return "spared"
    accept = finding.chief.accept
    called = f" ({accept.called})" if accept and accept.called else ""
    return f"{finding.chief.verdict}{called}{', keys lacking' if finding.lacks else ''}"


def show_changes(screen: Screen, before: tuple[RigAudit, ...], after: tuple[RigAudit, ...]) -> None:
    """What would change with another release, before the audit as of that release."""
    for change in _changes(before, after):
        title = f"{change.now.title} {change.was.release} on {change.rig}, if it were {change.now.release}"
        screen.say(styled(title, "bold"), "  ", state(change.was.state), " to ", state(change.now.state))
        if not change.needs and not change.sets:
            what = "every need gets the same verdict" + (", every set the same state" if change.now.sets else "")
            screen.say(f"  Nothing changes: {what}.")
        rows = [*change.needs, *change.sets[:SETS_SHOWN]]
        screen.grid([(row.subject, f"{row.was} to {row.now}", row.reason) for row in rows])
        if len(change.sets) > SETS_SHOWN:
            more = f"  and {len(change.sets) - SETS_SHOWN:,} more sets (gribble sets compare tells file by file)"
            screen.say(styled(more, QUIET))
        screen.out.print()


def changes_json(before: tuple[RigAudit, ...], after: tuple[RigAudit, ...]) -> dict[str, Any]:
    """What would change with another release, as a key of `check/1`."""
    return {
        "changes": [
            {
                "rig": change.rig,
                "emulator": change.now.emulator,
                "release": [change.was.release, change.now.release],
                "state": [change.was.state, change.now.state],
                "needs": [
                    {"need": row.subject, "was": row.was, "is": row.now, "reason": row.reason} for row in change.needs
                ],
                "sets": [
                    {"set": row.subject, "was": row.was, "is": row.now, "reason": row.reason} for row in change.sets
                ],
            }
            for change in _changes(before, after)
        ]
    }
