"""The survey: folders read into holdings, with as little reading as can decide what each file is."""

from __future__ import annotations

import os
import stat
import time
from collections.abc import Callable, Container, Iterable, Iterator
from pathlib import Path
from typing import NamedTuple

import msgspec

from gribble.core.base.budget import HOLES, UNSIZED, size_words
from gribble.core.base.changing import WINDOWS, remove, verbatim
from gribble.core.base.digests import Digests
from gribble.core.base.errors import GribbleError, reason_of, unreadable
from gribble.core.base.names import ANY_NAME
from gribble.core.base.paths import base, parent
from gribble.core.base.threads import keep_freed, side_by_side
from gribble.core.files.archives.common import ArchiveError, Member
from gribble.core.files.archives.opening import (
    archive_kind,
    listing,
    may_be_archive,
    may_be_listed,
    may_nest,
    peek,
    scan,
)
from gribble.core.files.hashing import THREADED_BYTES, digest_blocks, digest_file
from gribble.core.records.holding import Holding, Skipped
from gribble.core.records.roster import FileSize
from gribble.core.survey.arriving import Ground, Listener, Tally
from gribble.core.survey.facts import (
    PLAIN,
    UNREADABLE,
    Facts,
    KnownMember,
    MetFile,
    Survey,
    loose_holding,
    member_holdings,
    notes_of,
    unread_holding,
)
from gribble.core.survey.holdings import HeldHere, SketchedArchive
from gribble.core.survey.index import Index, Memory
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.walking import (
    Entry,
    Folder,
    TooLong,
    Walk,
    at_most,
    entry_of,
    is_as_met,
    merged,
    together,
    walk,
)

SAVE_SECONDS = 5.0
"""How much work a kill during a survey can cost, in seconds."""


BLOCK_OF_STAT = 512
"""In what bytes are counted that a file takes on the disk (POSIX, stat)."""
READ_AHEAD = 2_000
"""How many files at most wait to be read by several threads."""
_UNREAD = Facts()
MAX_FETCHED_BYTES = 64 << 20
"""A packed file without a directory is fetched to be looked into up to this size in bytes."""


class _How(NamedTuple):
    """How folders are surveyed: for a rig, on another machine's `ground`, with the digests of `everything`, the `whole`
    folder or one file of it, known to the index by the place at which it was `kept`."""

    rig: str = ""
    everything: bool = False
    ground: Ground | None = None
    whole: bool = True
    kept: str = ""


class Surveyor:
    """Reads folders into holdings against the contents that matter, with the help of the index."""

    def __init__(
        self, known: KnownContents, index: Index, *, listener: Listener | None = None, reread: bool = False
    ) -> None:
        self._known = known
        self._all = known
        self._folders: frozenset[str] = frozenset()  # with files of any size that could matter
        self._whole: frozenset[int] = frozenset()
        self._index = index
        self._listener = listener
        self.rereads = reread
        self._saved = time.monotonic()
        self.tally = Tally()

    def want_sets(self, sizes: Iterable[FileSize]) -> None:
        """Tell what could belong to sets by its CRC-32, too; when rereading, prove it by the strongest digest, as
        where a roster gives no CRC-32."""
        plain: set[int] = set()
        proven: dict[str, set[int]] = {}
        for one in sizes:
            strongest = one.strongest if self.rereads or not one.crc32 else None
            (proven.setdefault(strongest, set()) if strongest else plain).add(one.size)
        self._known.want_sets(plain)
        for algorithm, those in proven.items():
            self._known.want_sets(those, [algorithm])

    def want_whole(self, sizes: frozenset[int]) -> None:
        """Tell that the SHA-1 of every file of one of these sizes in bytes is wanted, whatever it is; but of none that
        would have to be fetched."""
        self._whole = sizes

    def survey(
        self,
        root: Path,
        *,
        rig: str = "",
        way: Walk = Walk(),  # noqa: B008  (frozen)
        kept: str = "",
    ) -> Survey:
        """What a folder holds, walked in some way; the index knows it by the place `kept`, if it was elsewhere before.
        Raises GribbleError if the folder itself cannot be read."""
        try:
            next(root.iterdir(), None)
        except OSError as error:
            raise unreadable(root, error) from error
        return self._survey(root, walk(root, way), _How(rig, kept="" if kept == str(root) else kept))

    def remembered(self, root: str, leaves_out: Callable[[str], bool]) -> Survey:
        """What a folder held when it was last surveyed, as far as the index knows; without folders that are left out.
        Nothing is looked at."""
        concerned = self._known.concerned()
        met: list[Holding | MetFile] = []
        left_out: dict[str, bool] = {}
        for entry, facts in self._index.memory(root).everything():
            folder = parent(entry.path)
            if folder not in left_out:
                left_out[folder] = leaves_out(folder)
            if left_out[folder]:
                continue
            plain = facts is PLAIN and entry.size not in concerned
            met.append(unread_holding("", root, entry) if plain else MetFile(entry, facts or _UNREAD, False))
        self.tally.files += len(met)
        return _as_survey(root, "", met)

    def knows(self, root: str) -> bool:
        """Whether the index remembers files of a folder."""
        return self._index.knows(root)

    def survey_far(self, ground: Ground, rig: str, folders: frozenset[str] = frozenset()) -> Survey:
        """What a rig on another machine holds: listed first; fetched is only what sizes and archives' directories do
        not decide, and what is an archive is told by its name.

        Contents of unknown size are looked for in some `folders` only. Raises GribbleError if the connection is
        lost.
        """
        sized = Surveyor(self._known.sized(), self._index, listener=self._listener, reread=self.rereads)
        sized.tally, sized._all, sized._folders = self.tally, self._known, folders
        return sized._survey(ground.root, ground.walk(), _How(rig, ground=ground))

    def survey_file(self, path: Path, *, everything: bool = False) -> Survey:
        """What one file is or holds; `everything` computes its digests even where they cannot matter.

        Raises GribbleError if it cannot be read.
        """
        try:
            status = path.stat()
        except OSError as error:
            raise unreadable(path, error) from error
        if not stat.S_ISREG(status.st_mode):
            raise GribbleError(
                f"{path} is not a regular file (but a pipe, a socket or a device)", fix="Name a file or a folder."
            )
        folder = Folder("", [entry_of(path.name, status)], [])
        return self._survey(path.parent, [folder], _How(everything=everything, whole=False))

    def _survey(self, root: Path | str, folders: Iterable[Folder], how: _How) -> Survey:
        rig, ground = how.rig, how.ground
        memory = self._index.memory(how.kept or root, blank=self.rereads, at=Path(root) if how.kept else None)
        concerned = self._known.concerned()
        met: list[Holding | MetFile] = []
        skipped: list[Skipped] = []
        there: set[str] = set()
        links: dict[str, str] = {}
        for folder in folders:
            skipped += folder.skipped
            there.add(folder.path)
            links |= folder.links
            if ground:
                folder.files = self._far_entries(ground, folder, f"Listing {rig}: {len(met):,} files")
            met += self._met(str(root), folder, memory, how, concerned)
        self.tally.files += len(met)
        beyond = self._known.beyond_crc()
        files = [file for file in met if isinstance(file, MetFile)]
        work = [file for file in files if self._wants_reading(file, concerned, beyond)]
        if ground:
            if self._listener:
                self._listener.say("Surveying")
            self._read_all(lambda file: self._read_far(ground, file), work, memory, threads=False)
        else:
            self._read_all(lambda file: self._read(Path(root), file), work, memory)
        if how.whole and not ground:
            memory.keep_only(there, lambda path: _exists(Path(root, path)))
        return _as_survey(str(root), rig, met, skipped, frozenset(there), links)

    def _met(
        self, place: str, folder: Folder, memory: Memory, how: _How, concerned: Container[int | None]
    ) -> Iterator[Holding | MetFile]:
        """The files of a folder with what is remembered of each; those that matter to nobody are holdings at once."""
        believed = memory.believe(folder.path, folder.files, whole=how.whole)
        any_size = folder.path in self._folders
        closer = how.everything or any_size
        wholly = self._whole if not how.ground else frozenset[int]()
        for entry, facts in zip(folder.files, believed, strict=True):
            entirely = how.everything or entry.size in wholly
            if facts is PLAIN and entry.size not in concerned and not closer and not entirely:  # as most are
                yield unread_holding(how.rig, place, entry)
                continue
            if how.ground and not (facts and entry.modified):
                facts = _UNREAD if may_be_archive(entry.path) else PLAIN
            yield MetFile(entry, facts or _UNREAD, entirely, any_size)

    def _far_entries(self, ground: Ground, folder: Folder, words: str) -> list[Entry]:
        """The files of a folder on another machine, which takes its time."""
        if self._listener:
            self._listener.say(words)
        return [self._dated(ground, entry) for entry in folder.files]

    def _dated(self, ground: Ground, entry: Entry) -> Entry:
        """An entry with its time, if it is one that may be read."""
        if entry.modified or not (may_be_archive(entry.path) or self._known.concerns(entry.size)):
            return entry
        return ground.dated(entry)

    def _wanted(
        self, size: int | None, digests: Digests, crc32: str | None = None, *, any_size: bool = False
    ) -> frozenset[str]:
        """The digests still to be computed for a content of this size."""
        if any_size and size is not None:
            return self._all.algorithms(size, crc32) - digests.known().keys()
        wanted = self._known.every_algorithm() if size is None else self._known.algorithms(size, crc32)
        return wanted - digests.known().keys() if wanted else wanted

    def _file_wanted(self, file: MetFile) -> frozenset[str]:
        more = {"crc32", "sha1"} - file.facts.digests.known().keys() if file.everything else ()
        return self._wanted(file.entry.size, file.facts.digests, any_size=file.any_size).union(more)

    def _member_wanted(self, member: KnownMember) -> frozenset[str]:
        """The digests to compute for a member: a CRC-32 that its archive carries is taken at its word."""
        if member.fault or (member.beyond and member.beyond >= self._known.largest()):
            return frozenset()
        carried = {"crc32"} if member.crc32 else set()
        return self._wanted(member.size, member.digests, member.crc32 or None) - carried

    def _wants_reading(
        self, file: MetFile, concerned: Container[int | None], beyond_crc: Container[int | None]
    ) -> bool:
        facts = file.facts
        if facts.kind is None:
            return True
        if (file.entry.size in concerned or file.everything or file.any_size) and self._file_wanted(file):
            return True
        if facts.kind and not facts.looked_into:
            return not facts.fault
        if facts.sketch:
            if not _any_of(facts.sketch.sizes, beyond_crc):
                return False
            facts = self._unpacked(facts)
            if facts.kind is None or any(map(self._member_wanted, facts.members or ())):
                file.facts = facts
                return True
            return False
        return any(
            self._member_wanted(member)
            for member in facts.members or ()
            if not member.crc32 or member.size in beyond_crc
        )

    @staticmethod
    def _unpacked(facts: Facts) -> Facts:
        """Facts with all members; none at all where what was remembered makes no sense."""
        try:
            return facts.unpacked()
        except UNREADABLE:
            return _UNREAD

    def _read_all(
        self, read: Callable[[MetFile], MetFile], work: list[MetFile], memory: Memory, *, threads: bool = True
    ) -> None:
        """Read files, several at a time where there are several, and remember what they told."""
        if self._listener:
            self._listener.expect(sum(file.entry.size for file in work))
        if not threads or len(work) < 2 or sum(file.entry.size for file in work) < THREADED_BYTES:
            for file in work:
                self._finish(read(file), memory)
        else:
            keep_freed()
            with side_by_side(os.cpu_count() or 1) as pool:
                for first in range(0, len(work), READ_AHEAD):  # each that waits takes a KiB
                    handed = together(work[first : first + READ_AHEAD], lambda file: file.entry.size)
                    for several in pool.map(lambda files: list(map(read, files)), handed):
                        for file in several:
                            self._finish(file, memory)
        memory.save()

    def _read(self, root: Path, file: MetFile) -> MetFile:
        """Open a file and find out what is wanted. Touches nothing that other threads use."""
        place, file.read_at = os.path.join(root, file.entry.path), time.time_ns()  # as text: there are many
        path = verbatim(place) if WINDOWS else place
        try:
            before = os.stat(path)
            if not is_as_met(file.entry, before):  # changed since it was listed, or the list was late (NTFS)
                file.entry = entry_of(file.entry.path, before, fixed=file.entry.fixed)
                file.facts = Facts()
            file.fault = self._not_to_be_read(file, before)
            if file.fault:
                return file
            facts = self._read_facts(path, file)
            if not is_as_met(entry_of(file.entry.path, before), os.stat(path)):
                file.fault = "changed while it was read; run the command again"
                file.facts = Facts()
            else:
                file.facts = facts
        except OSError as error:
            file.fault = f"cannot be read: {reason_of(error)}"
        except Exception as error:  # whatever a file holds, it stops nothing but the looking at itself
            file.fault = f"cannot be understood ({type(error).__name__}: {error})"
            file.facts = Facts()
        return file

    def _not_to_be_read(self, file: MetFile, status: os.stat_result) -> str:
        """Why a file is not read that only a sheet without sizes could mean; empty for any other."""
        size = file.entry.size
        if file.everything or size <= HOLES.bytes or self._known.gives(size) or not self._file_wanted(file):
            return ""
        if size > UNSIZED.bytes:
            return f"has more than {size_words(UNSIZED.bytes)}, and is not read for a sheet that gives no size"
        stored = getattr(status, "st_blocks", size) * BLOCK_OF_STAT
        if size > HOLES.times * stored:
            return "is nearly all holes, and is not read for a sheet that gives no size"
        return ""

    def _read_far(self, ground: Ground, file: MetFile) -> MetFile:
        """Find out what is wanted of a file on another machine, by an archive's directory alone where that decides."""
        entry, file.read_at = file.entry, time.time_ns()
        try:
            if not self._file_wanted(file) and file.facts.members is None and (near := ground.directory(entry)):
                listed = self._by_directory(near, file)
                remove(near)
                if listed is not None:
                    file.facts = listed
                    return file
            if not self._file_wanted(file) and entry.size > MAX_FETCHED_BYTES and not may_be_listed(entry.path):
                file.fault = f"is not looked into over the network: it has more than {MAX_FETCHED_BYTES >> 20} MiB"
                return file
            path = ground.fetch(entry.path, self._progress(file))
            if path.stat().st_size != entry.size:
                file.fault = "came in another size than it was listed with; run the command again"
            else:
                file.facts = self._read_facts(str(path), file)
            ground.let_go(entry.path)
        except OSError as error:
            file.fault = f"cannot be read: {reason_of(error)}"
        return file

    def _by_directory(self, path: Path, file: MetFile) -> Facts | None:
        """What an archive's directory tells of its members; None if some of them are to be read."""
        kind = archive_kind(peek(path), base(file.entry.path))
        choice = _Glance(_MemberChoice(self, None))
        try:
            members = tuple(choice.known(found.path, found.member) for found in scan(path, kind, choice))
        except ArchiveError:
            return None  # the whole look tells why
        return None if choice.undecided else Facts(kind=kind, members=members)

    def _finish(self, file: MetFile, memory: Memory) -> None:
        self.tally.opened += 1
        self.tally.bytes_read += file.bytes_read
        if self._listener:
            self._listener.advance(file.entry.size - file.told)
        file.facts = file.facts.sketched()
        if not file.fault:
            memory.remember(file.entry, file.read_at, file.facts, whole=file.whole)
        if time.monotonic() - self._saved > SAVE_SECONDS:
            memory.save()
            self._saved = time.monotonic()

    def _read_facts(self, path: str, file: MetFile) -> Facts:
        facts = self._unpacked(file.facts)  # a sketch that stays beside new members would be believed
        if facts.kind is None:
            facts = msgspec.structs.replace(facts, kind=archive_kind(peek(path), base(file.entry.path)))
        if wanted := self._file_wanted(file):
            size, digests = digest_file(Path(path), file.entry.size, wanted, self._progress(file))
            file.bytes_read += size
            file.whole = True
            facts = msgspec.structs.replace(facts, digests=merged(facts.digests, digests))
        if facts.kind and not facts.fault:
            facts = self._read_members(Path(path), facts, file)
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

    def _progress(self, file: MetFile) -> Callable[[int], None] | None:
        """Told of the bytes of a large file as they are read."""
        listener = self._listener
        if listener is None or file.entry.size < THREADED_BYTES:
            return None

        def advance(bytes_: int) -> None:
            file.told += bytes_
            listener.advance(bytes_)

        return advance

    def _read_members(self, path: Path, facts: Facts, file: MetFile) -> Facts:
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
                        limit = self._known.largest()
                        blocks = found.blocks if member.size is not None else at_most(found.blocks, limit)
                        size, digests = digest_blocks(blocks, self._member_wanted(member))
                        file.bytes_read += size
                        member = msgspec.structs.replace(member, size=size, digests=merged(member.digests, digests))
                    except TooLong:
                        # Remembered with the limit: when something longer is wanted, it is read again.
                        member = msgspec.structs.replace(member, beyond=limit)
                    except ArchiveError as error:
                        member = msgspec.structs.replace(member, fault=str(error))
                members[member.name] = member
        except ArchiveError as error:
            return msgspec.structs.replace(facts, fault=str(error), members=tuple(members.values()) or None)
        return msgspec.structs.replace(facts, members=tuple(members.values()))


def _as_survey(
    root: str,
    rig: str,
    met: Iterable[Holding | MetFile],
    skipped: list[Skipped] | None = None,
    there: frozenset[str] = frozenset(),
    links: dict[str, str] | None = None,
) -> Survey:
    """What was met, as holdings and notes."""
    opened: list[Holding] = []
    archives: list[SketchedArchive] = []
    notes = skipped or []
    for file in met:
        if isinstance(file, Holding):
            opened.append(file)
            continue
        holding = loose_holding(root, rig, file)
        opened.append(holding)
        if file.facts.sketch:
            archives.append(SketchedArchive(holding, file.facts.sketch))
        elif file.facts.members:
            opened += member_holdings(root, rig, file)
        if file.fault or file.facts.fault or file.facts.members:
            notes += notes_of(file)
    return Survey(root, HeldHere(opened, archives, root), tuple(notes), there, links or {})


def _exists(path: Path) -> bool:
    """Whether something may be at a place: only what the system is sure of is gone."""
    try:
        path.lstat()
    except (FileNotFoundError, NotADirectoryError):
        return False
    except OSError:
        return True
    return True


def _any_of(sizes: Iterable[int], wanted: Container[int | None]) -> bool:
    """Whether some sizes are among those wanted."""
    return not wanted.isdisjoint(sizes) if isinstance(wanted, frozenset) else any(size in wanted for size in sizes)


class _MemberChoice:
    """Which members to read: those that no size, no checksum and no earlier reading decides."""

    def __init__(self, surveyor: Surveyor, members: tuple[KnownMember, ...] | None) -> None:
        self._surveyor = surveyor
        self._first = members is None
        self._known = {member.name: member for member in members or ()}
        self._wanted = [member.name for member in members or () if surveyor._member_wanted(member)]

    def known(self, path: str, member: Member) -> KnownMember:
        """What is known of a member, or what its archive claims of it."""
        name = path.encode("utf-8", ANY_NAME)
        unread = KnownMember(name, member.size, member.crc32, member.fault, Digests())
        return unread if member.fault else self._known.get(name, unread)

    def wants(self, path: str, member: Member) -> bool:
        return bool(self._surveyor._member_wanted(self.known(path, member)))

    def enters(self, path: str) -> bool:
        prefix = f"{path}/".encode("utf-8", ANY_NAME)
        return self._first or any(name.startswith(prefix) for name in self._wanted)


class _Glance:
    """Wants nothing, but notes whether anything would have been wanted."""

    def __init__(self, choice: _MemberChoice) -> None:
        self._choice = choice
        self.known = choice.known
        self.undecided = False

    def wants(self, path: str, member: Member) -> bool:
        self.undecided = self.undecided or may_nest(member) or self._choice.wants(path, member)
        return False

    def enters(self, _path: str) -> bool:
        return False
