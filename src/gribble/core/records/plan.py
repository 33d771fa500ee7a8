"""Steps, what cannot be planned and what is to be obtained."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct, field

from gribble.core.base.digests import Digests
from gribble.core.base.kinds import Format
from gribble.core.records.findings import (
    Verdict,
)
from gribble.core.records.recipes import Recipe
from gribble.core.records.sheet import Level


class PackMember(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One member of an archive to be written: its name there, the file (and member) it is taken from, its size.

    `size` is in bytes; `from_` is relative to the rig's root, or absolute; `digests` prove the content.
    """

    name: str
    from_: str
    member: str | None = None
    size: int = 0
    digests: Digests = Digests()


class StepKind(StrEnum):
    """What a step does."""

    COPY = "copy"
    EXTRACT = "extract"
    RENAME = "rename"
    DISPLACE = "displace"
    MEND = "mend"
    POINT = "point"
    PACK = "pack"
    WRITE = "write"


class Point(Struct, frozen=True, kw_only=True):
    """One value of a settings file to be changed: its format and key, what it says now, what it shall say."""

    format: Format
    key: str
    was: str
    value: str


class Step(Struct, frozen=True, kw_only=True):
    """One change to a rig. `bytes` is what it writes.

    Paths on the rig are relative to its root, others absolute. `replaces` is the file now at `to`, spelled as it
    is on disk; it goes to the attic. What an earlier step of the run displaced is read from the attic. A `mend` step
    makes its content by a recipe, from the file and its partner (other half or key) if it has one. A `point` step
    changes values (`points`) of the settings file that is at `from`, `to` and `replaces` alike. A `pack` step writes an
    archive of `members`, each with a `from` of its own; its own `from` is empty; `surplus` are those that no
    wanted set needs, `left_out` contents of the old archive that no archive has afterwards. `need` is a need's id or a
    set's name. A `write` step writes its `text`. With `link` a copy is a second name of its source, where the file
    system allows that; `dated` gives it the time of its source, and `private` keeps it from other people's eyes.
    """

    rig: str
    step: StepKind
    from_: str = field(name="from")
    member: str | None = None
    to: str | None = None
    bytes: int = 0
    digests: Digests = Digests()
    replaces: str | None = None
    recipe: Recipe | None = None
    partner: str | None = None
    partner_member: str | None = None
    points: tuple[Point, ...] = ()
    link: bool = False
    dated: bool = False
    private: bool = False
    text: str = ""
    members: tuple[PackMember, ...] = ()
    surplus: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()
    emulator: str = ""
    need: str = ""


class Refused(Struct, frozen=True, kw_only=True):
    """A remedy that cannot be planned, and why."""

    rig: str
    emulator: str
    need: str
    reason: str


class Gap(Struct, frozen=True, kw_only=True):
    """A need or a set that only the user can complete: nothing held has the content. `kind` is "need" or "set"."""

    rig: str
    emulator: str
    kind: str
    subject: str
    title: str
    verdict: Verdict
    reason: str
    level: Level = Level.MUST


class Plan(Struct, frozen=True, kw_only=True):
    """The steps that would put things right, what cannot be planned, and what is still to be obtained."""

    steps: tuple[Step, ...] = ()
    refused: tuple[Refused, ...] = ()
    obtain: tuple[Gap, ...] = ()

    @property
    def bytes(self) -> int:
        """What all steps write, in bytes."""
        return sum(step.bytes for step in self.steps)

    def on(self, rig: str) -> tuple[Step, ...]:
        """The steps on one rig."""
        return tuple(step for step in self.steps if step.rig == rig)
