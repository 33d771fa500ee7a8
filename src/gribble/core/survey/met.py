"""A file as a survey met it, and the holdings and notes that it makes."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from gribble.core.base.digests import NO_DIGESTS, Digests
from gribble.core.base.names import ANY_NAME
from gribble.core.base.paths import climb_fault, plain_names
from gribble.core.records.holding import Holding, Holdings, Skipped, Why
from gribble.core.survey.facts import Facts
from gribble.core.survey.walking import Entry


class Survey(Struct, frozen=True):
    """What one folder holds, and what was passed over and why; its folders, and where the links in it lead."""

    root: str
    holdings: Holdings
    skipped: tuple[Skipped, ...]
    folders: frozenset[str] = frozenset()
    links: dict[str, str] = {}


class MetFile(Struct, gc=False):
    """One file under survey: what is known of it, and why it was passed over, if it was."""

    entry: Entry
    facts: Facts
    everything: bool
    any_size: bool = False
    read_at: int = 0
    bytes_read: int = 0
    told: int = 0  # bytes of progress told so far
    fault: str = ""
    whole: bool = False  # all of it has been read now


def unread_holding(rig: str, root: str, entry: Entry) -> Holding:
    """A file of which nobody has to know more than that it is there."""
    path, size = entry.path, entry.size
    return Holding(rig=rig, root=root, path=path, member=None, size=size, digests=NO_DIGESTS, fixed=entry.fixed)


def loose_holding(root: str, rig: str, file: MetFile) -> Holding:
    """The file itself as a holding."""
    entry = file.entry
    return Holding(
        rig=rig,
        root=root,
        path=entry.path,
        member=None,
        size=entry.size,
        digests=file.facts.digests,
        fixed=entry.fixed,
    )


def member_holdings(root: str, rig: str, file: MetFile) -> Iterator[Holding]:
    """The members of an archive as holdings."""
    path = file.entry.path
    for member in file.facts.members or ():
        size, crc32, digests = member.size, member.crc32, member.digests
        if member.fault or size is None:
            continue
        carried = bool(crc32) and not digests.crc32
        if carried:
            digests = Digests(crc32=crc32, md5=digests.md5, sha1=digests.sha1, sha256=digests.sha256)
        name = member.name.decode("utf-8", ANY_NAME)
        yield Holding(rig=rig, root=root, path=path, member=name, size=size, digests=digests, carried=carried)


def notes_of(file: MetFile) -> Iterator[Skipped]:
    """What was passed over in one file, and why."""
    path, facts = file.entry.path, file.facts
    if file.fault or facts.fault:
        yield Skipped(path, file.fault or facts.fault, kind=Why.UNREAD if file.fault else Why.CONTENT)
    members = facts.members or ()
    plain = plain_names([member.name for member in members])
    for member in members:
        if member.beyond:
            why = f"is longer than anything that is wanted; left after {member.beyond:,} bytes"
            yield Skipped(path, why, member.name.decode("utf-8", ANY_NAME))
        if member.fault or not plain:
            name = member.name.decode("utf-8", ANY_NAME)
            if why := member.fault or _name_note(name):
                yield Skipped(path, why, name)


def _name_note(name: str) -> str:
    fault = climb_fault(name)
    return f"its name {fault}; the content is looked at, the name is never used to write" if fault else ""
