"""What a plan says: its steps, what cannot be planned, and what is to be obtained."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from gribble.core.base.digests import Digests
from gribble.core.records.facts import Facts
from gribble.core.records.findings import Home, Verdict
from gribble.core.records.holding import Holding
from gribble.core.records.sheet import Accept, Level
from gribble.core.records.steps import Step


class Refused(Struct, frozen=True, kw_only=True):
    """A remedy that cannot be planned, and why: `source` is one that is away and could bring it."""

    rig: str
    emulator: str
    need: str
    reason: str
    source: str = ""


class Bring(Struct, frozen=True, kw_only=True):
    """A file that a source which is away would bring. `kind` is "need" or "set", for which it is, `to` where it
    belongs: a path on the rig, or of a set the archive. `size` is in bytes.
    """

    rig: str
    emulator: str
    kind: str
    subject: str
    source: str
    facts: Facts
    to: str
    held: Holding
    size: int


class Gap(Struct, frozen=True, kw_only=True):
    """A file that only the user can get: nothing held has the content. `kind` is "need" or "set", for which it is; that
    of a set belongs into the archive `home`, as the `release` has it. `size` is in bytes; `others` are further contents
    that would do.
    """

    rig: str
    emulator: str
    kind: str
    subject: str
    title: str
    verdict: Verdict
    facts: Facts
    level: Level = Level.MUST
    home: Home = Home()
    release: str = ""
    file: str = ""
    size: int | None = None
    digests: Digests = Digests()
    others: tuple[Accept, ...] = ()

    @property
    def archive(self) -> str:
        """The archive's name; empty for a need's file."""
        return self.home.name


class Plan(Struct, frozen=True, kw_only=True):
    """The steps that would put things right, what cannot be planned, what is still to be obtained, and what sources
    that are `away` would bring.

    `stamps` are the files that the steps displace, by rig and path, as they were when the plan was written: size in
    bytes and time of modification in nanoseconds since 1970.
    """

    steps: tuple[Step, ...] = ()
    refused: tuple[Refused, ...] = ()
    obtain: tuple[Gap, ...] = ()
    away: tuple[Bring, ...] = ()
    stamps: Mapping[tuple[str, str], tuple[int, int]] = {}

    @property
    def bytes(self) -> int:
        """What all steps write, in bytes."""
        return sum(step.bytes for step in self.steps)

    def on(self, rig: str) -> tuple[Step, ...]:
        """The steps on one rig."""
        return tuple(step for step in self.steps if step.rig == rig)
