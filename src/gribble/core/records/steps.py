"""Plans: the steps of one, what cannot be planned, and what is to be obtained. A step is a change that a plan makes to
a rig, one record for each kind with its own fields.

Paths on the rig are relative to its root, others are absolute. What an earlier step of the run displaced is read from
the attic.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

from gribble.core.base.digests import Digests
from gribble.core.base.kinds import Format, Size
from gribble.core.records.facts import Facts
from gribble.core.records.findings import Home, Verdict
from gribble.core.records.holding import Holding
from gribble.core.records.recipes import Recipe
from gribble.core.records.sheet import Accept, Level


class PackMember(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One member of an archive to be written: its name there, the file (and member) it is taken from, its size.

    `size` is in bytes; `from_` is relative to the rig's root, or absolute; `digests` prove the content.
    """

    name: str
    from_: str
    member: str | None = None
    size: Size = 0
    digests: Digests = Digests()


class NewValue(Struct, frozen=True, kw_only=True):
    """One value of a settings file to be changed: its format and key, what it says now, what it shall say."""

    format: Format
    key: str
    was: str
    value: str


class OnRig(Struct, frozen=True, kw_only=True, tag_field="step"):
    """What every step says: the rig it changes, the emulator it is for, and the need's id or the set's name."""

    rig: str
    emulator: str = ""
    need: str = ""

    @property
    def kind(self) -> str:
        """What it does, in a word."""
        return str(self.__struct_config__.tag)

    @property
    def proof(self) -> Digests:
        """The digests that what it puts somewhere must have, where they are known beforehand."""
        return Digests()


class Displace(OnRig, frozen=True, kw_only=True, tag="displace"):
    """A file goes to the attic."""

    from_: str = field(name="from")

    @property
    def displaces(self) -> str | None:
        """The path of the file that goes to the attic."""
        return self.from_

    @property
    def place(self) -> str:
        """The path on the rig where something changes."""
        return self.from_

    @property
    def bytes(self) -> int:
        """What it writes, in bytes."""
        return 0


class Writing(OnRig, frozen=True, kw_only=True):
    """A file comes to a place: `bytes` is what is written, `replaces` the file that is there now, spelled as it is on
    disk, which goes to the attic."""

    to: str
    bytes: Size = 0
    replaces: str | None = None

    @property
    def displaces(self) -> str | None:
        """The path of the file that goes to the attic, if there is one."""
        return self.replaces

    @property
    def place(self) -> str:
        """The path on the rig where something changes."""
        return self.to


class Taking(Writing, frozen=True, kw_only=True):
    """A file comes to a place from another one, and is proven by its digests."""

    from_: str = field(name="from")
    digests: Digests = Digests()

    @property
    def proof(self) -> Digests:
        """The digests that the file must have."""
        return self.digests

    @property
    def sources(self) -> tuple[str, ...]:
        """The paths of what it takes something from."""
        return (self.from_,)


class Copy(Taking, frozen=True, kw_only=True, tag="copy"):
    """A file as it is. With `link` it is a second name of its source, where the file system allows that; `dated` gives
    it the time of its source, and `private` keeps it from other people's eyes."""

    link: bool = False
    dated: bool = False
    private: bool = False


class Extract(Taking, frozen=True, kw_only=True, tag="extract"):
    """A member of an archive; `private` keeps it from other people's eyes."""

    member: str
    private: bool = False


class Rename(Taking, frozen=True, kw_only=True, tag="rename"):
    """A file of the rig goes to another place on it."""


class Mend(Taking, frozen=True, kw_only=True, tag="mend"):
    """A recipe makes the content, from a file and its partner (other half or key), if it has one."""

    recipe: Recipe
    member: str | None = None
    partner: str | None = None
    partner_member: str | None = None

    @property
    def sources(self) -> tuple[str, ...]:
        """The paths of what it takes something from."""
        return (self.from_, self.partner) if self.partner else (self.from_,)


class Point(Writing, frozen=True, kw_only=True, tag="point"):
    """Values of a settings file are changed; it takes its own place."""

    points: tuple[NewValue, ...]


class Pack(Writing, frozen=True, kw_only=True, tag="pack"):
    """An archive of `members`, each with a `from` of its own. `surplus` are those that no wanted set needs, `left_out`
    contents of the old archive that no archive has afterwards."""

    members: tuple[PackMember, ...] = ()
    surplus: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()

    @property
    def sources(self) -> tuple[str, ...]:
        """The paths of what it takes something from."""
        return tuple(dict.fromkeys(member.from_ for member in self.members))


class Write(Writing, frozen=True, kw_only=True, tag="write"):
    """A text."""

    text: str = ""


Brought = Copy | Extract | Mend | Point | Pack | Write
"""The steps that write a new content beside its place; a renaming writes none."""
Step = Displace | Rename | Brought
"""One change to a rig."""


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
