"""The sets of one release of an arcade emulator, in the shape of a roster (docs/formats.md)."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Collection, Iterable, Iterator, Mapping
from enum import StrEnum
from functools import cached_property
from pathlib import Path
from typing import Annotated, NamedTuple

from msgspec import Meta, Struct, field

from gribble.core.base.digests import Digests
from gribble.core.base.errors import Mistake
from gribble.core.base.kinds import Size
from gribble.core.base.names import SAID_OF, title_key
from gribble.core.records.sheet import Origin

Content = tuple[str, int | None, str]
"""What tells contents apart: algorithm, size in bytes where it counts, digest."""


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


class SetFile(Digests, frozen=True, kw_only=True, omit_defaults=True, forbid_unknown_fields=True, gc=False):
    """One file of a set; `size` is in bytes. `parent_name` and `bios_name` say which file of theirs it is, `variant` to
    which version of a BIOS set it belongs."""

    name: str
    size: Size | None = None
    parent_name: str | None = None
    bios_name: str | None = None
    state: FileState = FileState.GOOD
    optional: bool = False
    choice: str | None = None
    variant: str | None = None

    @property
    def content(self) -> Content | None:
        """By CRC-32 and size as archives claim them, else by the strongest digest; None if none is known."""
        if self.crc32 is not None:
            return ("crc32", self.size, self.crc32)
        strongest = self.strongest()
        return (strongest, None, self.get(strongest) or "") if strongest else None


class Disc(Struct, frozen=True, kw_only=True, omit_defaults=True, forbid_unknown_fields=True, gc=False):
    """One disc image of a set, known by the SHA-1 that the image's header gives."""

    name: str
    sha1: str | None = None
    state: FileState = FileState.GOOD
    optional: bool = False


class SampleList(Struct, frozen=True, forbid_unknown_fields=True, gc=False):
    """The sound samples that a set plays by their names, and the set in whose archive of samples they lie."""

    set: str
    files: tuple[str, ...] = ()


class ArcadeSet(Struct, frozen=True, kw_only=True, omit_defaults=True, forbid_unknown_fields=True, gc=False):
    """One set: what it is, whom it needs, and every file it needs, those of its parent included. `variants` are the
    versions of a BIOS set, the default first: one whole one is enough."""

    set: str
    title: str = ""
    year: Annotated[int, Meta(ge=0, le=9999)] | None = None
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
    samples: SampleList | None = None

    @property
    def described(self) -> str:
        """A set so that it is told from others of its title: name, title, year and maker."""
        facts = ", ".join(filter(None, (str(self.year or ""), self.maker)))
        return f"{self.set} ({self.title}{f'; {facts}' if facts else ''})" if self.title else self.set

    @property
    def contents(self) -> frozenset[Content]:
        """The contents that it lists, whatever they are called; discs by their SHA-1."""
        discs: list[Content] = [("disc", None, disc.sha1) for disc in self.discs if disc.sha1]
        return frozenset(discs).union([key for file in self.files if (key := file.content)])


class RosterHead(Struct, frozen=True, kw_only=True, omit_defaults=True, forbid_unknown_fields=True):
    """The first line of a roster."""

    roster: int
    emulator: str
    release: str
    title: str = ""
    from_: Origin | None = field(name="from", default=None)


class Outline(Struct, frozen=True, array_like=True, gc=False):
    """What can be told of a set without its files: what it is and whom it needs.

    `own` and `shared` are the contents without which it does not run, CRC-32 times 2**32 plus size in bytes: those of
    its own and those that its parent or BIOS set has, too. Both are None if that has to be told file by file
    (choices, variants, discs, optional or undumped files, files without CRC-32 or size).
    """

    set: str
    kind: SetKind
    plays: Plays
    parent: str | None = None
    bios: str | None = None
    devices: tuple[str, ...] = ()
    own: tuple[int, ...] | None = None
    shared: tuple[int, ...] | None = None


class FileSize(NamedTuple):
    """A size in bytes that files of a roster have: whether these have a CRC-32, and their strongest digest's name."""

    size: int
    crc32: bool
    strongest: str | None


class Sets(Mapping[str, ArcadeSet]):
    """The sets of a roster by name, in the order of its file, asked of memory or of a store."""

    @abstractmethod
    def outlines(self) -> Iterable[Outline]:
        """Every set in outline."""

    @cached_property
    def _clones(self) -> dict[str, list[str]]:
        found: dict[str, list[str]] = {}
        for one in self.outlines():
            if one.parent is not None:
                found.setdefault(one.parent, []).append(one.set)
        return found

    def clones(self, name: str) -> list[str]:
        """The sets whose parent is this one, in order."""
        return self._clones.get(name, [])

    @abstractmethod
    def with_key(self, key: str, *, begins: bool = False) -> list[str]:
        """The sets whose title has a key (see `title_key`), or one that begins so, in order."""

    def titled(self, word: str, *, like: bool = False) -> list[str]:
        """The sets that are called so, capitals, accents and signs aside; where none is, or in any case with `like`,
        those of whose title only what is in brackets differs."""
        if not (key := title_key(word)):
            return []
        found = self.with_key(key)
        return found if found and not like else found + self.with_key(key + SAID_OF, begins=True)

    @abstractmethod
    def having(self, contents: Collection[Content]) -> Iterator[ArcadeSet]:
        """The sets that list one of some contents, in order."""

    @abstractmethod
    def sizes(self) -> Collection[FileSize]:
        """The sizes of files that a survey has to look out for."""


class Roster(Struct, frozen=True):
    """The roster of a release."""

    head: RosterHead
    sets: Sets
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
