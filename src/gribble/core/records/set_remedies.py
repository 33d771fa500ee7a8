"""What would put sets right: archives to be written again, loose files to be brought, and sets that must wait."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum

from msgspec import Struct

from gribble.core.base.digests import Digests
from gribble.core.records.holding import Holding


class Member(Struct, frozen=True, kw_only=True):
    """One member of an archive to be written: its name there, what proves it, and the holding it is taken from."""

    name: str
    digests: Digests
    holding: Holding


class Packed(Struct, frozen=True, kw_only=True):
    """One archive to be written. `to` and `replaces` are relative to the rig's root.

    `kept` are members that no wanted set needs and that stay; `left_out` contents of the old archive that none has
    afterwards, `dropped` all that it had and this one has not.
    """

    owner: str
    to: str
    members: tuple[Member, ...] = ()
    replaces: str | None = None
    kept: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()
    dropped: tuple[str, ...] = ()


class Loose(Struct, frozen=True, kw_only=True):
    """One file to be brought as it is: a disc image, a file of a set's folder, or an archive that lacks its name.

    `movable` says that it is on the rig and is wanted nowhere else there.
    """

    owner: str
    to: str
    holding: Holding
    digests: Digests = Digests()
    replaces: str | None = None
    movable: bool = False


class Waiting(Struct, frozen=True, kw_only=True):
    """A set that is not put right, though some of its files could be, and why."""

    set: str
    reason: str


class SetRemedies(Struct, frozen=True, kw_only=True):
    """What would put an emulator's sets right; `displaced` are archives and files that are not needed afterwards."""

    packed: tuple[Packed, ...] = ()
    loose: tuple[Loose, ...] = ()
    displaced: tuple[tuple[str, str], ...] = ()  # set, path
    waiting: tuple[Waiting, ...] = ()


class Change(StrEnum):
    """What becomes of a set, in the order in which it is told."""

    SAME = "same"
    RENAMED = "renamed"
    REPACK = "repack"
    HELD = "held"
    OBTAIN = "obtain"
    GONE = "gone"
    NEW = "new"


class FileChange(Struct, frozen=True):
    """One file that the new release wants otherwise, and where it is held, if it is; a `source` has it that is away.
    A file that has to be got belongs into an `archive`."""

    name: str
    owner: str
    held: Holding | None = None
    source: str = ""
    archive: str = ""


class Cost(Struct, frozen=True, kw_only=True):
    """What another release would cost, by the sets that somebody wants: how many stay as they are, those that would run
    only then, those that are called otherwise or repacked from what is held, those that lack something and the
    archives that have to be got for them, those that are gone, new, or run no more for another reason; `titles` are
    theirs."""

    same: int = 0
    better: tuple[str, ...] = ()
    renamed: tuple[str, ...] = ()
    repacked: tuple[str, ...] = ()
    lacking: tuple[str, ...] = ()
    archives: tuple[str, ...] = ()
    gone: tuple[str, ...] = ()
    new: tuple[str, ...] = ()
    worse: tuple[str, ...] = ()
    titles: Mapping[str, str] = {}


class SetChange(Struct, frozen=True, kw_only=True):
    """What becomes of one set; `to` is its name in the new roster, `files` what is to be moved, brought or obtained."""

    set: str
    title: str
    change: Change
    to: str = ""
    files: tuple[FileChange, ...] = ()


def cost_of(changes: Iterable[SetChange]) -> Cost:
    """What the changes of some sets come to."""
    changes = tuple(changes)

    def of(*kinds: Change) -> tuple[str, ...]:
        return tuple(one.set for one in changes if one.change in kinds)

    lacking = [one for one in changes if any(file.archive for file in one.files)]
    return Cost(
        same=len(of(Change.SAME)),
        renamed=tuple(f"{one.set} is now {one.to}" for one in changes if one.change is Change.RENAMED),
        repacked=of(Change.REPACK, Change.HELD),
        lacking=tuple(one.set for one in lacking),
        archives=tuple(sorted({file.archive for one in lacking for file in one.files if file.archive})),
        gone=of(Change.GONE),
        new=of(Change.NEW),
        titles={one.set: one.title for one in changes if one.change is not Change.SAME},
    )
