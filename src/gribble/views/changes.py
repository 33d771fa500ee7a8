"""What another release of an emulator would change: needs and sets whose answer differs."""

from __future__ import annotations

from typing import Any

from gribble.core.answers.effects import release_effects
from gribble.core.records.findings import RigAudit
from gribble.views.looks import QUIET
from gribble.views.screen import Screen, state, styled

SETS_SHOWN = 40
"""How many sets are shown before the rest is folded."""


def show_changes(screen: Screen, before: tuple[RigAudit, ...], after: tuple[RigAudit, ...]) -> None:
    """What would change with another release, before the audit as of that release."""
    for change in release_effects(before, after):
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
            for change in release_effects(before, after)
        ]
    }
