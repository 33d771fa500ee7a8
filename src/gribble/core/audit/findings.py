"""What an audit finds: verdicts, remedies, states, and the records that carry them (DESIGN.md section 5)."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum

from msgspec import Struct

from gribble.core.catalogue.records import Accept, Level, Need
from gribble.core.diagnosis.nearmisses import Mend
from gribble.core.survey.survey import Holding


class Verdict(StrEnum):
    """What is true of one need at its place, best first."""

    SOUND = "sound"
    UNPROVEN = "unproven"
    MISNAMED = "misnamed"
    ASTRAY = "astray"
    DAMAGED = "damaged"
    IMPOSTER = "imposter"
    MISSING = "missing"


class Remedy(StrEnum):
    """What would put a need right."""

    NONE = "none"
    RENAME = "rename"
    PLACE = "place"
    REPLACE = "replace"
    MEND = "mend"
    OBTAIN = "obtain"


class Proof(StrEnum):
    """What a verdict rests on."""

    DIGEST = "digest"
    ARCHIVE = "archive"
    NONE = "none"


class State(StrEnum):
    """Whether something will run, best first."""

    READY = "ready"
    LIMITED = "limited"
    BLOCKED = "blocked"
    AWAY = "away"


def worst(states: Iterable[State]) -> State:
    """The worst of some states; ready where there are none. Away says nothing, so any other state is worse."""
    order = (State.READY, State.AWAY, State.LIMITED, State.BLOCKED)
    return max(states, key=order.index, default=State.READY)


class PlaceFinding(Struct, frozen=True, kw_only=True):
    """What is true of one place where an emulator wants a content.

    `expected` and `occupied` are relative to the rig's root: where the file belongs, and the path (spelled as it is
    on disk) of what lies there now. `use` is the holding that the remedy takes, `accept` the content it is.
    `movable` says that it lies loose on the rig and serves nobody there. `in_way` are wrong files under other
    accepted names. `mend` is how the content can
    be made from a damaged file. `harmless` marks a fault that the volume does not feel.
    """

    expected: str
    verdict: Verdict
    remedy: Remedy
    reason: str
    proof: Proof = Proof.NONE
    accept: Accept | None = None
    found: Holding | None = None
    use: Holding | None = None
    movable: bool = False
    mend: Mend | None = None
    occupied: str | None = None
    in_way: tuple[str, ...] = ()
    harmless: bool = False

    @property
    def met(self) -> bool:
        """Whether the emulator gets what it wants here."""
        return self.verdict in (Verdict.SOUND, Verdict.UNPROVEN) or self.harmless


class Finding(Struct, frozen=True, kw_only=True):
    """What is true of one need: the worst of its places. An ignored one is a gap that the user accepts."""

    need: Need
    places: tuple[PlaceFinding, ...]
    ignored: bool = False

    @property
    def chief(self) -> PlaceFinding:
        """The place whose verdict is the need's."""
        order = list(Verdict)
        return max(self.places, key=lambda place: (not place.met, order.index(place.verdict)))

    @property
    def met(self) -> bool:
        """Whether every place is met, or the gap accepted."""
        return self.ignored or all(place.met for place in self.places)


class EmulatorAudit(Struct, frozen=True, kw_only=True):
    """One emulator on a rig: its findings in the sheet's order, and the files of its folders nobody knows."""

    emulator: str
    title: str
    release: str | None
    note: str
    findings: tuple[Finding, ...]
    spare: tuple[str, ...] = ()

    @property
    def state(self) -> State:
        """Blocked by an unmet `must`, limited by an unmet `better`; extras change nothing."""
        unmet = {finding.need.level for finding in self.findings if not finding.met}
        if Level.MUST in unmet:
            return State.BLOCKED
        return State.LIMITED if Level.BETTER in unmet else State.READY


class RigAudit(Struct, frozen=True, kw_only=True):
    """One rig: its emulators, or why it is away, or that it is still to be made."""

    rig: str
    root: str
    emulators: tuple[EmulatorAudit, ...] = ()
    away: str = ""
    new: bool = False
    folds_case: bool = False

    @property
    def state(self) -> State:
        """The worst of its emulators."""
        return State.AWAY if self.away else worst(emulator.state for emulator in self.emulators)
