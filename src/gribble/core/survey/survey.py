"""The survey: folders read into holdings, with as little reading as can decide what each file is."""

from __future__ import annotations

import os
import stat
import time
from collections.abc import Callable, Container, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Protocol

import msgspec
from msgspec import Struct

from gribble.core.catalogue.records import Digests
from gribble.core.catalogue.rosters import SetFile
from gribble.core.errors import GribbleError, reason_of
from gribble.core.matching import KnownContents
from gribble.core.paths import path_fault, plain_names
from gribble.core.survey.archives.common import ArchiveError, Member
from gribble.core.survey.archives.opening import archive_kind, listing, may_nest, peek, scan
from gribble.core.survey.digests import THREADED_BYTES, digest_blocks, digest_file
from gribble.core.survey.index import Facts, Index, KnownMember, Memory
from gribble.core.survey.walking import Entry, Folder, Skipped, entry_of, walk

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


class _File(Struct, gc=False):
    """One file under survey: what is known of it, and why it was passed over, if it was."""

    entry: Entry
    facts: Facts
    everything: bool
    read_at: int = 0
    bytes_read: int = 0
    told: int = 0  # bytes of progress told so far
    fault: str = ""


_UNREAD = Facts()


class Surveyor:
    """Reads folders into holdings against the contents that matter, with the help of the index."""

    def __init__(
        self, known: KnownContents, index: Index, *, listener: Listener | None = None, reread: bool = False
    ) -> None:
        self._known = known
        self._index = index
        self._listener = listener
        self._reread = reread
        self._saved = time.monotonic()
        self.tally = Tally()

    def want_sets(self, files: Iterable[SetFile]) -> None:
        """Tell what could belong to sets by its CRC-32, too; when rereading, prove it by the strongest digest."""
        strongest: set[str] = set()
        if self._reread:
            files = list(files)
            strongest = {name for file in files if (name := file.strongest())}
        self._known.want_sets({file.size for file in files if file.size}, strongest)

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
            status = path.stat()
        except OSError as error:
            raise GribbleError(f"{path} cannot be read: {reason_of(error)}", fix="Check the path.") from error
        if not stat.S_ISREG(status.st_mode):
            raise GribbleError(f"{path} is no regular file (a pipe, socket or device)", fix="Name a file or a folder.")
        return self._survey(path.parent, [Folder("", [entry_of(path.name, status)], [])], "", everything)

    def _survey(self, root: Path, folders: Iterable[Folder], rig: str, everything: bool = False) -> Survey:
        memory = self._index.memory(root, blank=self._reread)
        files: list[_File] = []
        skipped: list[Skipped] = []
        for folder in folders:
            skipped += folder.skipped
            believed = memory.believe(folder.path, folder.files)
            for entry, facts in zip(folder.files, believed, strict=True):
                files.append(_File(entry, facts or _UNREAD, everything))
        self.tally.files += len(files)
        beyond = self._known.beyond_crc()
        self._read_all(root, [file for file in files if self._wants_reading(file, beyond)], memory)
        holdings: list[Holding] = []
        for file in files:
            holdings.append(_loose(str(root), rig, file))
            if file.facts.members:
                holdings += _members(str(root), rig, file)
            if file.fault or file.facts.fault or file.facts.members:
                skipped += _notes(file)
        return Survey(str(root), tuple(holdings), tuple(skipped))

    def _wanted(self, size: int | None, digests: Digests, crc32: str | None = None) -> frozenset[str]:
        """The digests still to be computed for a content of this size."""
        wanted = self._known.every_algorithm() if size is None else self._known.algorithms(size, crc32)
        return wanted - digests.known().keys() if wanted else wanted

    def _file_wanted(self, file: _File) -> frozenset[str]:
        more = {"crc32", "sha1"} - file.facts.digests.known().keys() if file.everything else ()
        return self._wanted(file.entry.size, file.facts.digests).union(more)

    def _member_wanted(self, member: KnownMember) -> frozenset[str]:
        """The digests to compute for a member: a CRC-32 that its archive carries is taken at its word."""
        if member.fault:
            return frozenset()
        carried = {"crc32"} if member.crc32 else set()
        return self._wanted(member.size, member.digests, member.crc32 or None) - carried

    def _wants_reading(self, file: _File, beyond_crc: Container[int | None]) -> bool:
        facts = file.facts
        if facts.kind == "" and not file.everything and not self._known.concerns(file.entry.size):
            return False  # what most files of a large collection are
        if facts.kind is None or self._file_wanted(file):
            return True
        if facts.kind and facts.members is None:
            return not facts.fault
        return any(
            self._member_wanted(member)
            for member in facts.members or ()
            if not member.crc32 or member.size in beyond_crc
        )

    def _read_all(self, root: Path, work: list[_File], memory: Memory) -> None:
        """Read files, several at a time where there are several, and remember what they told."""
        if self._listener:
            self._listener.expect(sum(file.entry.size for file in work))
        if len(work) < 2 or sum(file.entry.size for file in work) < THREADED_BYTES:
            for file in work:
                self._finish(self._read(root, file), memory)
        else:
            with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
                try:
                    for file in pool.map(lambda file: self._read(root, file), work):
                        self._finish(file, memory)
                except BaseException:
                    pool.shutdown(wait=False, cancel_futures=True)
                    raise
        memory.save()

    def _read(self, root: Path, file: _File) -> _File:
        """Open a file and find out what is wanted. Touches nothing that other threads use."""
        path, file.read_at = root / file.entry.path, time.time_ns()
        try:
            facts = self._read_facts(path, file)
            if entry_of(file.entry.path, path.stat(), link=file.entry.link) != file.entry:
                file.fault = "changed while it was read; run the command again"
                file.facts = Facts()
            else:
                file.facts = facts
        except OSError as error:
            file.fault = f"cannot be read: {reason_of(error)}"
        return file

    def _finish(self, file: _File, memory: Memory) -> None:
        self.tally.opened += 1
        self.tally.bytes_read += file.bytes_read
        if self._listener:
            self._listener.advance(file.entry.size - file.told)
        if not file.fault:
            memory.remember(file.entry, file.read_at, file.facts)
        if time.monotonic() - self._saved > SAVE_SECONDS:
            memory.save()
            self._saved = time.monotonic()

    def _read_facts(self, path: Path, file: _File) -> Facts:
        facts = file.facts
        if facts.kind is None:
            facts = msgspec.structs.replace(facts, kind=archive_kind(peek(path), path.name))
        if wanted := self._file_wanted(file):
            size, digests = digest_file(path, file.entry.size, wanted, self._progress(file))
            file.bytes_read += size
            facts = msgspec.structs.replace(facts, digests=merged(facts.digests, digests))
        if facts.kind and not facts.fault:
            facts = self._read_members(path, facts, file)
        return facts

    def _listed(self, path: Path, kind: str, choice: _MemberChoice) -> tuple[KnownMember, ...] | None:
        """The members of an archive whose directory alone decides them all, else None."""
        try:
            members = listing(os.fspath(path), kind)
        except ArchiveError:
            return None  # the whole look tells why
        if members is None or any(may_nest(member) or choice.wants(member.name, member) for member in members):
            return None
        return tuple(choice.known(member.name, member) for member in members)

    def _progress(self, file: _File) -> Callable[[int], None] | None:
        """Told of the bytes of a large file as they are read."""
        listener = self._listener
        if listener is None or file.entry.size < THREADED_BYTES:
            return None

        def advance(bytes_: int) -> None:
            file.told += bytes_
            listener.advance(bytes_)

        return advance

    def _read_members(self, path: Path, facts: Facts, file: _File) -> Facts:
        """Look into an archive; contents that neither size nor its own CRC-32 rules out are read in the same pass."""
        choice = _MemberChoice(self, facts.members)
        if facts.members is None and (listed := self._listed(path, facts.kind or "", choice)) is not None:
            return msgspec.structs.replace(facts, members=listed)
        members = {member.name: member for member in facts.members or ()}
        try:
            for found in scan(path, facts.kind or "", choice):
                member = choice.known(found.path, found.member)
                if found.blocks is not None:
                    try:
                        size, digests = digest_blocks(found.blocks, self._member_wanted(member))
                        file.bytes_read += size
                        member = msgspec.structs.replace(member, size=size, digests=merged(member.digests, digests))
                    except ArchiveError as error:
                        member = msgspec.structs.replace(member, fault=str(error))
                members[member.name] = member
        except ArchiveError as error:
            return msgspec.structs.replace(facts, fault=str(error), members=tuple(members.values()) or None)
        return msgspec.structs.replace(facts, members=tuple(members.values()))


class _MemberChoice:
    """Which members to read: those that no size, no checksum and no earlier reading decides."""

    def __init__(self, surveyor: Surveyor, members: tuple[KnownMember, ...] | None) -> None:
        self._surveyor = surveyor
        self._first = members is None
        self._known = {member.name: member for member in members or ()}
        self._wanted = [member.name for member in members or () if surveyor._member_wanted(member)]

    def known(self, path: str, member: Member) -> KnownMember:
        """What is known of a member, or what its archive claims of it."""
        name = path.encode(errors="surrogateescape")
        unread = KnownMember(name, member.size, member.crc32, member.fault, Digests())
        return unread if member.fault else self._known.get(name, unread)

    def wants(self, path: str, member: Member) -> bool:
        return bool(self._surveyor._member_wanted(self.known(path, member)))

    def enters(self, path: str) -> bool:
        prefix = f"{path}/".encode(errors="surrogateescape")
        return self._first or any(name.startswith(prefix) for name in self._wanted)


def _loose(root: str, rig: str, file: _File) -> Holding:
    entry = file.entry
    return Holding(
        rig=rig,
        root=root,
        path=entry.path,
        member=None,
        size=entry.size,
        digests=file.facts.digests,
        link=entry.link,
    )


def _members(root: str, rig: str, file: _File) -> Iterator[Holding]:
    path = file.entry.path
    for member in file.facts.members or ():
        size, crc32, digests = member.size, member.crc32, member.digests
        if member.fault or size is None:
            continue
        carried = bool(crc32) and not digests.crc32
        if carried:
            digests = Digests(crc32=crc32, md5=digests.md5, sha1=digests.sha1, sha256=digests.sha256)
        name = member.name.decode("utf-8", "surrogateescape")
        yield Holding(rig=rig, root=root, path=path, member=name, size=size, digests=digests, carried=carried)


def _notes(file: _File) -> Iterator[Skipped]:
    """What was passed over in one file, and why."""
    path, facts = file.entry.path, file.facts
    if file.fault or facts.fault:
        yield Skipped(path, file.fault or facts.fault)
    members = facts.members or ()
    plain = plain_names([member.name for member in members])
    for member in members:
        if member.fault or not plain:
            name = member.name.decode("utf-8", "surrogateescape")
            if why := member.fault or _name_note(name):
                yield Skipped(path, why, name)


def _name_note(name: str) -> str:
    fault = path_fault(name)
    return f"its name {fault}; the content is looked at, the name is never used to write" if fault else ""


def merged(one: Digests, other: Digests) -> Digests:
    """The digests that either knows."""
    return Digests(**{**one.known(), **other.known()})
