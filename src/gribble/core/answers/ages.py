"""How old the proofs are: when the files that meet needs were last read whole."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from msgspec import structs

from gribble.core.records.findings import Finding, PlaceFinding, RigAudit

When = Callable[[str, str], int]
"""When a file below a root was last read whole, in nanoseconds since 1970; 0 where nobody knows."""


def with_ages(audits: Iterable[RigAudit], when: When) -> tuple[RigAudit, ...]:
    """Audits that say of each file in its place when it was proven last."""

    def dated(place: PlaceFinding, rig: str) -> PlaceFinding:
        there = place.lying(rig)
        proven = when(there.root, there.path) if there and there.member is None and place.met else 0
        return structs.replace(place, proven=proven) if proven else place

    def of_finding(finding: Finding, rig: str) -> Finding:
        return structs.replace(finding, places=tuple(dated(place, rig) for place in finding.places))

    return tuple(
        structs.replace(
            rig,
            emulators=tuple(
                structs.replace(one, findings=tuple(of_finding(finding, rig.rig) for finding in one.findings))
                for one in rig.emulators
            ),
        )
        for rig in audits
    )
