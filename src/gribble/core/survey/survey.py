"""The survey: folders read into holdings, with as little reading as can decide what each file is."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Protocol

import msgspec
from msgspec import Struct

from gribble.core.catalogue.records import Digests
from gribble.core.errors import GribbleError, reason_of
from gribble.core.matching import KnownContents
from gribble.core.paths import path_fault
from gribble.core.survey.archives import ArchiveError, Member, is_archive, list_members, member_blocks
from gribble.core.survey.digests import BLOCK_BYTES, digest_blocks
from gribble.core.survey.index import Facts, Index, KnownMember
from gribble.core.survey.walking import Entry, Skipped, entry_of, walk

SAVE_SECONDS = 5.0
"""How much work a kill during a survey can cost, in seconds."""


class Holding(Struct, frozen=True, kw_only=True, gc=False):
    """One file that the user has: loose, or a member of an archive. `size` is in bytes.

    `path` is relative to `root`; `rig` names the rig it lies on and is empty for a source. Digests that could not
    matter are absent; `carried` says that the CRC-32 is the archive's own claim, not computed from the content;
    `link` marks a link on a rig, which proves a place but is never copied or moved.
    """

    rig: str
    root: str
    path: str
    member: str | None
    size: int
    digests: Digests
    carried: bool = False
    link: bool = False

    @property
    def place(self) -> Path:
        """The absolute path of the file, or of the archive it is in."""
        return Path(self.root, self.path)


class Survey(Struct, frozen=True):
    """What one folder holds, and what was passed over and why."""

    root: str
    holdings: tuple[Holding, ...]
    skipped: tuple[Skipped, ...]


class Tally(Struct):
    """What a survey has cost: files met, files opened, bytes read."""

    files: int = 0
    opened: int = 0
    bytes_read: int = 0


class Listener(Protocol):
    """Who is told of a survey's progress."""

    def expect(self, bytes_: int) -> None:
        """So many more bytes are going to be read."""

    def advance(self, bytes_: int) -> None:
        """So many bytes have been read."""


class _File:
    """One file under survey: what is known of it, and which digests are still wanted."""

    def __init__(self, entry: Entry, facts: Facts | None) -> None:
        self.entry = entry
        self.facts = facts or Facts()
        self.remembered = facts is not None


class Surveyor:
    """Reads folders into holdings against the contents that matter, with the help of the index."""

    def __init__(
        self,
        known: KnownContents,
        index: Index,
        *,
        listener: Listener | None = None,
        reread: bool = False,
    ) -> None:
        self._known = known
        self._index = index
        self._listener = listener
        self._reread = reread
        self._everything = False
        self._saved = time.monotonic()
        self.tally = Tally()

    def survey(self, root: Path, *, rig: str = "", leave_out: frozenset[Path] = frozenset()) -> Survey:
        """What a folder holds. Raises GribbleError where the folder itself cannot be read."""
        try:
            next(root.iterdir(), None)
        except OSError as error:
            raise GribbleError(
                f"{root} cannot be read: {reason_of(error)}", fix="Check the path and its permissions."
            ) from error
        return self._survey(root, walk(root, leave_out, with_links=bool(rig)), rig)

    def survey_file(self, path: Path, *, everything: bool = False) -> Survey:
        """What one file is or holds; `everything` computes its digests even where they cannot matter.

        Raises GribbleError where it cannot be read.
        """
        try:
            entry = entry_of(path.name, path.stat())
        except OSError as error:
            raise GribbleError(f"{path} cannot be read: {reason_of(error)}", fix="Check the path.") from error
        self._everything = everything
        try:
            return self._survey(path.parent, [entry], "")
        finally:
            self._everything = False

    def _survey(self, root: Path, entries: Iterable[Entry | Skipped], rig: str) -> Survey:
        remembered = {} if self._reread else self._index.below(root)
        files: list[_File] = []
        skipped: list[Skipped] = []
        prefix = f"{root}/".encode(errors="surrogateescape")
        for entry in entries:
            if isinstance(entry, Skipped):
                skipped.append(entry)
                continue
            row = remembered.get(prefix + entry.path.encode(errors="surrogateescape"))
            files.append(_File(entry, self._index.believe(row, entry)))
        self.tally.files += len(files)
        work = [file for file in files if self._wants_reading(file)]
        if self._listener:
            self._listener.expect(sum(file.entry.size for file in work))
        for file in work:
            self._read(root, file, skipped)
        self._index.save()
        holdings = tuple(holding for file in files for holding in self._holdings(root, rig, file, skipped))
        return Survey(str(root), holdings, tuple(skipped))

    def _wanted(self, size: int, digests: Digests, crc32: str | None = None) -> frozenset[str]:
        """The digests still to be computed for a content of this size."""
        wanted = self._known.algorithms(size, crc32)
        if self._everything:
            wanted |= {"crc32", "sha1"}
        return wanted - digests.known().keys()

    def _wants_reading(self, file: _File) -> bool:
        facts = file.facts
        if self._wanted(file.entry.size, facts.digests):
            return True
        if not is_archive(file.entry.path):
            return False
        if facts.members is None:
            return not facts.fault
        return any(self._member_wanted(member) for member in facts.members)

    def _member_wanted(self, member: KnownMember) -> frozenset[str]:
        """The digests to compute for a member: its archive's own CRC-32 is taken at its word."""
        return frozenset() if member.fault else self._wanted(member.size, member.digests, member.crc32) - {"crc32"}

    def _read(self, root: Path, file: _File, skipped: list[Skipped]) -> None:
        """Open a file, compute what is wanted, and remember it."""
        path, read_at = root / file.entry.path, time.time_ns()
        self.tally.opened += 1
        try:
            facts = self._read_facts(path, file)
            if entry_of(file.entry.path, path.stat(), link=file.entry.link) != file.entry:
                skipped.append(Skipped(file.entry.path, "changed while it was read; run the command again"))
                file.facts = Facts()
                return
        except OSError as error:
            skipped.append(Skipped(file.entry.path, f"cannot be read: {reason_of(error)}"))
            return
        file.facts = facts
        self._index.remember(path, file.entry, read_at, facts)
        if time.monotonic() - self._saved > SAVE_SECONDS:
            self._index.save()
            self._saved = time.monotonic()

    def _read_facts(self, path: Path, file: _File) -> Facts:
        facts = file.facts
        if wanted := self._wanted(file.entry.size, facts.digests):
            digests = self._digest(_file_blocks(path), wanted)
            facts = msgspec.structs.replace(facts, digests=_merged(facts.digests, digests))
        if is_archive(file.entry.path) and not facts.fault:
            facts = self._read_members(path, facts)
        return facts

    def _read_members(self, path: Path, facts: Facts) -> Facts:
        try:
            members = facts.members if facts.members is not None else tuple(map(_unread, list_members(path)))
        except ArchiveError as error:
            return msgspec.structs.replace(facts, fault=str(error))
        read = []
        for member in members:
            wanted = self._member_wanted(member)
            if wanted:
                try:
                    digests = self._digest(member_blocks(path, member.name.decode(errors="surrogateescape")), wanted)
                    member = msgspec.structs.replace(member, digests=_merged(member.digests, digests))
                except ArchiveError as error:
                    member = msgspec.structs.replace(member, fault=str(error))
            read.append(member)
        return msgspec.structs.replace(facts, members=tuple(read))

    def _digest(self, blocks: Iterator[bytes], algorithms: frozenset[str]) -> Digests:
        size, digests = digest_blocks(blocks, algorithms, self._listener.advance if self._listener else None)
        self.tally.bytes_read += size
        return digests

    def _holdings(self, root: Path, rig: str, file: _File, skipped: list[Skipped]) -> Iterator[Holding]:
        path, facts = file.entry.path, file.facts
        entry = file.entry
        yield Holding(
            rig=rig, root=str(root), path=path, member=None, size=entry.size, digests=facts.digests, link=entry.link
        )
        if facts.fault:
            skipped.append(Skipped(path, facts.fault))
        for member in facts.members or ():
            name = member.name.decode(errors="surrogateescape")
            if why := member.fault or _name_note(name):
                skipped.append(Skipped(path, why, name))
            if member.fault:
                continue
            carried = not member.digests.crc32
            digests = msgspec.structs.replace(member.digests, crc32=member.crc32) if carried else member.digests
            yield Holding(
                rig=rig, root=str(root), path=path, member=name, size=member.size, digests=digests, carried=carried
            )


def _name_note(name: str) -> str:
    fault = path_fault(name)
    return f"its name {fault}; the content is looked at, the name is never used to write" if fault else ""


def _unread(member: Member) -> KnownMember:
    return KnownMember(member.name.encode(errors="surrogateescape"), member.size, member.crc32, member.fault, Digests())


def _merged(one: Digests, other: Digests) -> Digests:
    return Digests(**{**one.known(), **other.known()})


def _file_blocks(path: Path) -> Iterator[bytes]:
    with path.open("rb") as stream:
        while block := stream.read(BLOCK_BYTES):
            yield block
