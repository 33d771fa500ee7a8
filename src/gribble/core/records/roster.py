"""The sets of one release of an arcade emulator, in the shape of a roster (DESIGN.md section 4)."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path

from msgspec import Struct

from gribble.core.base.digests import Digests
from gribble.core.base.errors import Mistake


class SetKind(StrEnum):
    """What a set is for."""

    GAME = "game"
    BIOS = "bios"
    DEVICE = "device"


class Plays(StrEnum):
    """How a release copes with a set."""

    YES = "yes"
    FLAWED = "flawed"
    NO = "no"


class FileState(StrEnum):
    """Whether a file is known for good: nobody has an undumped one, and a suspect one may be a poor dump."""

    GOOD = "good"
    UNDUMPED = "undumped"
    SUSPECT = "suspect"


class SetFile(Digests, frozen=True, kw_only=True, omit_defaults=True, gc=False):
    """One file of a set; `size` is in bytes. `parent_name` and `bios_name` say which file of theirs it is, `variant` to
    which version of a BIOS set it belongs."""

    name: str
    size: int | None = None
    parent_name: str | None = None
    bios_name: str | None = None
    state: FileState = FileState.GOOD
    optional: bool = False
    choice: str | None = None
    variant: str | None = None


class Disc(Struct, frozen=True, kw_only=True, omit_defaults=True, gc=False):
    """One disc image of a set, known by the SHA-1 that the image's header gives."""

    name: str
    sha1: str | None = None
    state: FileState = FileState.GOOD
    optional: bool = False


class ArcadeSet(Struct, frozen=True, kw_only=True, omit_defaults=True, gc=False):
    """One set: what it is, whom it needs, and every file it needs, those of its parent included. `variants` are the
    versions of a BIOS set, the default first: one whole one is enough."""

    set: str
    title: str = ""
    year: int | None = None
    maker: str = ""
    parent: str | None = None
    bios: str | None = None
    devices: tuple[str, ...] = ()
    kind: SetKind = SetKind.GAME
    plays: Plays = Plays.YES
    note: str = ""
    variants: tuple[str, ...] = ()
    files: tuple[SetFile, ...] = ()
    discs: tuple[Disc, ...] = ()


class RosterHead(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """The first line of a roster."""

    roster: int
    emulator: str
    release: str
    title: str = ""


class Roster(Struct, frozen=True):
    """A roster as loaded: sets by name, in the order of the file."""

    head: RosterHead
    sets: dict[str, ArcadeSet]
    path: str = ""


class ArcadeWorld(Struct, frozen=True, kw_only=True):
    """The roster of an arcade emulator on a rig, what is to be said of the choice, and its mistakes.

    `others` are the rosters of other releases that were read, `unread` the files of those that were not needed yet.
    """

    roster: Roster | None
    others: tuple[Roster, ...] = ()
    unread: tuple[Path, ...] = ()
    note: str = ""
    mistakes: tuple[Mistake, ...] = ()
