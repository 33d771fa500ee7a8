"""What a survey met: files that are held, and what could not be looked into."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator, Sequence
from enum import StrEnum
from pathlib import Path

from msgspec import Struct

from gribble.core.base.digests import Digests
from gribble.core.base.paths import base, path_fault


class Holding(Struct, frozen=True, kw_only=True, gc=False):
    """One file that the user has: loose, or a member of an archive. `size` is in bytes.

    `path` is relative to `root`; `rig` names the rig it is on and is empty for a source. Digests that could not
    matter are absent; `carried` says that the CRC-32 is the archive's own claim, not computed from the content;
    `fixed` marks one on a rig that is reached by a link or is in a source: it proves a place, but is never copied or
    moved. `attic` is the run that displaced it, for one in a rig's attic; 0 elsewhere.
    """

    rig: str
    root: str
    path: str
    member: str | None
    size: int
    digests: Digests
    carried: bool = False
    fixed: bool = False
    attic: int = 0

    @property
    def place(self) -> Path:
        """The absolute path of the file, or of the archive it is in."""
        return Path(self.root, self.path)

    @property
    def name(self) -> str:
        """The file's own name, without folders and without the archive it is in."""
        return base(self.member or self.path)

    @property
    def where(self) -> str:
        """The file's path or, on another machine, its address, as it is shown."""
        return f"{self.root}/{self.path}" if "://" in self.root else str(self.place)


class Archived(ABC):
    """An archive of whose members nothing matters but what its directory says, unpacked when that is asked for.

    In their order it tells of each member the CRC-32, the size in bytes, and 32 bits for the stem and the ending of its
    folded name (see `word_of`): what these do not have, no member is.
    """

    holding: Holding
    """The archive itself."""

    checksums: Sequence[int]
    sizes: Sequence[int]
    stems: Sequence[int]
    endings: Sequence[int]

    @property
    @abstractmethod
    def members(self) -> Sequence[Holding]:
        """Its members as holdings."""

    def keys(self) -> list[int]:
        """Its members' contents as outlines of sets know them: CRC-32 times 2**32 plus size."""
        return [crc32 << 32 | size for crc32, size in zip(self.checksums, self.sizes, strict=True)]

    @abstractmethod
    def listed(self) -> frozenset[tuple[str, str | None, int | None]]:
        """Its members by name, CRC-32 and size, for a look that needs no more."""


class Holdings(ABC):
    """What is held in one folder: `opened` are loose files and members of archives that had to be looked into, and
    `archives` all others, which are among the loose files, too."""

    root: str
    opened: Sequence[Holding]
    archives: Sequence[Archived]

    @abstractmethod
    def __iter__(self) -> Iterator[Holding]:
        """Every holding, members of all archives included: each behind its archive."""

    @abstractmethod
    def with_digest(self, algorithm: str, digest: str) -> Iterable[Holding]:
        """Those with a digest, links aside, which are never copied or moved."""

    @abstractmethod
    def expect(self, stems: Iterable[str]) -> None:
        """Be ready for these stems to be asked for in archives; each other one costs a look at every sketch."""

    @abstractmethod
    def with_stem(self, stem: str) -> Iterable[Holding]:
        """Those whose folded name is this up to the first dot, links aside."""


def is_named_oddly(holding: Holding) -> bool:
    """Whether a file on a rig has a name that no step can say: it is neither moved nor copied from there."""
    return bool(holding.rig) and not holding.attic and path_fault(holding.path) is not None


def nearness(holding: Holding, rig: str) -> tuple[bool, bool, bool, bool, int, int, str, str]:
    """What steps can name first; what is in no attic; what has not to come over the network; loose before archived; on
    the rig, in a source, on another rig; the shortest name."""
    distance = 0 if holding.rig == rig else 1 if not holding.rig else 2
    member, archived = holding.member or "", holding.member is not None
    far = "://" in holding.root and distance > 0
    odd = is_named_oddly(holding)
    return (odd, bool(holding.attic), far, archived, distance, len(holding.path + member), holding.path, member)


class Why(StrEnum):
    """Why something was passed over: what follows from it is not the same."""

    CONTENT = "content"  # what is in the file cannot be made sense of
    UNREAD = "unread"  # the system does not let us read it
    NOWHERE = "nowhere"  # a link that leads nowhere
    OUT = "out"  # a link that leads out of the folder
    THING = "thing"  # neither a file nor a folder


class Skipped(Struct, frozen=True):
    """Something that was passed over: where (in an archive: which member), and why in words."""

    path: str
    why: str
    member: str = ""
    kind: Why = Why.CONTENT


FileKey = tuple[str, str, str | None]


def key_of(holding: Holding) -> FileKey:
    """What tells holdings apart: root, path, member."""
    return holding.root, holding.path, holding.member


def in_words(path: str, member: str | None = None) -> str:
    """A file as it is named: a member with the archive in which it lies."""
    return f"{member} in {path}" if member is not None else path


class Away(Struct, frozen=True, kw_only=True):
    """A source that is away: what it is called, where it is written to be, why, since when ("since 3 November", empty
    where nobody knows), and what it held; `files` is how many that were, members of archives aside. `emptied` says that
    its folder is there, with nothing in it."""

    source: str
    at: str
    why: str
    since: str
    holdings: Holdings
    files: int
    emptied: bool = False
