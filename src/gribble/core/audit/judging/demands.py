"""What an emulator's device demands of the rig's root: the kind of volume, and its label."""

from __future__ import annotations

from collections.abc import Iterator

from gribble.core.records.findings import RootFinding, Verdict
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.sheet import Root


def check_root(root: Root, rig: RigSeen) -> tuple[RootFinding, ...]:
    """What is true of each demand; what cannot be seen from here is unproven and said."""
    return tuple(_demands(root, rig))


def _demands(root: Root, rig: RigSeen) -> Iterator[RootFinding]:
    if root.volume:
        wanted = " or ".join(root.volume)
        if not rig.volume:
            yield RootFinding(
                demand="volume",
                verdict=Verdict.UNPROVEN,
                reason=f"must be {wanted}; what it is cannot be seen from here (rig.{rig.name}.volume may say it)",
            )
        elif rig.volume in root.volume:
            yield RootFinding(demand="volume", verdict=Verdict.SOUND, reason=f"is {rig.volume}, as it must be")
        else:
            reason = f"is {rig.volume}, but must be {wanted}: it has to be formatted anew, which Gribble never does"
            yield RootFinding(demand="volume", verdict=Verdict.IMPOSTER, reason=reason)
    if root.label is not None:
        if not rig.label:
            yield RootFinding(
                demand="label",
                verdict=Verdict.UNPROVEN,
                reason=f'must be "{root.label}"; what it is cannot be seen from here (rig.{rig.name}.label may say it)',
            )
        elif rig.label.casefold() == root.label.casefold():
            yield RootFinding(demand="label", verdict=Verdict.SOUND, reason=f'is "{rig.label}", as it must be')
        else:
            yield RootFinding(
                demand="label",
                verdict=Verdict.IMPOSTER,
                reason=f'is "{rig.label}", but must be "{root.label}": rename it',
            )
