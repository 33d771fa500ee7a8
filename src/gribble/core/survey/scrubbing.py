"""Scrubbing: what was proven once is read again, oldest first, so that what changed without a new date is noticed.

Only a whole read counts, from the disk and not from memory where the system lets one choose. A new size or a new date
is a change that somebody made, and is proven again; another content under the old ones is a fault.
"""

from __future__ import annotations

import contextlib
import os
import time
from collections import deque
from collections.abc import Callable, Container, Iterable, Iterator
from concurrent.futures import Future
from pathlib import Path

from msgspec import Struct, structs

from gribble.core.base.changing import at_any_length
from gribble.core.base.digests import NO_DIGESTS, Digests
from gribble.core.base.errors import reason_of
from gribble.core.base.names import ANY_NAME
from gribble.core.base.paths import MEMORY_FOLDER, base, parent
from gribble.core.base.threads import side_by_side
from gribble.core.files.archives.common import ArchiveError, Member
from gribble.core.files.archives.opening import scan
from gribble.core.files.hashing import digest_blocks, digest_file
from gribble.core.files.volumes import keeps_inodes, unchanged
from gribble.core.records.scrubbed import Fault, Found, Limits, Scrubbed
from gribble.core.survey.arriving import Listener
from gribble.core.survey.facts import UNREADABLE, Facts
from gribble.core.survey.index import Index, Proof
from gribble.core.survey.walking import Entry, entry_of, together, told_of

SAVE_SECONDS = 5.0
"""How much work a kill can cost, in seconds."""
ATTIC = f"{MEMORY_FOLDER}/attic"


class _Candidate(Struct, frozen=True):
    """One file to be read: below which root, and by what the index knows it (`key`, a folder's path in bytes)."""

    root: Path
    key: bytes
    entry: Entry
    facts: Facts
    proof: Proof | None

    @property
    def path(self) -> str:
        return os.path.join(self.root, self.entry.path)

    @property
    def looked(self) -> int:
        return self.proof.looked if self.proof else 0


class _Read(Struct):
    """What reading a candidate has told: how it is now, its digests, and what is wrong with it."""

    entry: Entry | None = None
    digests: Digests = NO_DIGESTS
    bytes: int = 0
    fault: Fault | None = None
    reason: str = ""


class Scrubber:
    """Reads again what the index has proofs of, below some roots."""

    def __init__(
        self,
        index: Index,
        roots: Iterable[tuple[Path, str]],
        matters: Callable[[Facts], bool],
        *,
        about: Container[str] | None = None,
        listener: Listener | None = None,
    ) -> None:
        """`roots` are folders that are here, each with the path by which the index knows it. `matters` tells of an
        archive whether any member could be known; `about` are the files and folders that are meant, if not all."""
        self._index, self._matters, self._about, self._listener = index, matters, about, listener
        self._roots = list(roots)
        self._keeps: dict[Path, bool] = {}

    def scrub(self, limits: Limits, of: str) -> Scrubbed:
        """Read what there is to read, oldest first. `of` names the round, which the next call goes on with where this
        one leaves something."""
        now = time.time_ns()
        chosen = sorted(self._candidates(limits.everything), key=lambda one: (one.looked, one.path))
        begun = self._index.proofs.begun(of) if limits.before is None else 0
        begun = begun if 0 < begun <= now else now
        before = min(limits.before or begun, begun)
        due = [one for one in chosen if one.looked < before]
        work, left = _within(due, limits.bytes)
        done = Scrubbed(left=len(left), left_bytes=sum(one.entry.size for one in left))
        done.too_large = sum(limits.bytes is not None and one.entry.size > limits.bytes for one in left)
        self._index.note_round(of, begun if due and limits.before is None else 0)
        self._read_all(work, done)
        if not done.left and not done.stopped:
            self._index.note_round(of, 0)
        return done

    def proven(self) -> dict[tuple[str, str], list[str]]:
        """Every file that was read whole, by its digests."""
        found: dict[tuple[str, str], list[str]] = {}
        for root, key in self._roots:
            for path, proof in self._index.proofs.below(os.fsencode(key)):
                for pair in proof.digests.known().items():
                    found.setdefault(pair, []).append(os.path.join(root, path))
        return found

    # What is to be read

    def _candidates(self, everything: bool) -> Iterator[_Candidate]:
        told: set[str] = set()
        now = time.time_ns()
        for root, key in self._roots:
            proofs = {
                # of a clock that was wrong
                path: structs.replace(proof, read=0, looked=0) if max(proof.read, proof.looked) > now else proof
                for path, proof in self._index.proofs.below(os.fsencode(key))
            }
            for entry, facts in self._index.memory(key).everything():
                proof = proofs.pop(entry.path, None)
                if proof is None and facts and facts.digests.known():  # from before there were proofs
                    proof = Proof(entry, facts.digests, 0, 0)
                if proof is None and not (everything or (facts and facts.looked_into and self._matters(facts))):
                    continue
                yield from self._meant(_Candidate(root, os.fsencode(key), entry, facts or Facts(), proof), told)
            for proof in proofs.values():
                yield from self._meant(_Candidate(root, os.fsencode(key), proof.entry, Facts(), proof), told)

    def _meant(self, one: _Candidate, told: set[str]) -> Iterator[_Candidate]:
        """A candidate, if it is one that is meant and was not met before by another way."""
        path = one.path
        parts = path.replace(os.sep, "/")
        if f"/{MEMORY_FOLDER}/" in parts and f"/{ATTIC}/" not in parts:
            return
        if path not in told and (self._about is None or any(place in self._about for place in _above(path))):
            told.add(path)
            yield one

    # Reading

    def _read_all(self, work: list[_Candidate], done: Scrubbed) -> None:
        """Read several files at a time, and remember what they told every few seconds."""
        if self._listener:
            self._listener.expect(sum(one.entry.size for one in work))
        notes = _Notes(self._index)
        waiting = deque(together(work, lambda one: one.entry.size))
        running: deque[tuple[list[_Candidate], Future[list[_Read]]]] = deque()
        threads = os.cpu_count() or 1
        taken = 0
        try:
            with side_by_side(threads) as pool:
                while waiting or running:
                    while waiting and len(running) <= 2 * threads:
                        several = waiting.popleft()
                        running.append((several, pool.submit(self._read_several, several)))
                    several, future = running[0]
                    for one, told in zip(several, future.result(), strict=True):
                        taken += 1
                        self._take(one, told, done, notes)
                    running.popleft()
        except KeyboardInterrupt:
            done.stopped = True
            done.left += len(work) - taken
            done.left_bytes += sum(one.entry.size for one in work[taken:])
        finally:
            notes.save()

    def _take(self, one: _Candidate, told: _Read, done: Scrubbed, notes: _Notes) -> None:
        """What reading a file has told, into the answer and the index."""
        if self._listener:
            self._listener.advance(one.entry.size)
        done.bytes += told.bytes
        done.read += told.bytes > 0 or told.entry is not None
        if told.fault:
            since, digests = (one.proof.read, one.proof.digests) if one.proof else (0, NO_DIGESTS)
            done.findings.append(
                Found(
                    path=one.path, fault=told.fault, since=since, reason=told.reason, digests=digests,
                    size=one.entry.size,
                )
            )  # fmt: skip
        now = time.time_ns()
        if told.fault in (Fault.ROTTED, Fault.ALTERED):
            notes.forget(one)  # what a survey believes of it is not so
        if told.fault is Fault.GONE:
            notes.forget(one, proof=True)
        elif told.fault:
            notes.look(one, now)
        elif told.entry and told.digests.known():
            notes.prove(one, Proof(told.entry, told.digests, now, now))

    def _read_several(self, several: list[_Candidate]) -> list[_Read]:
        return [self._read(one) for one in several]

    def _read(self, one: _Candidate) -> _Read:
        """Read a file whole. Touches nothing that other threads use."""
        path = at_any_length(Path(one.path))
        try:
            before = entry_of(one.entry.path, path.stat())
            former = one.proof.entry if one.proof else one.entry
            known = one.proof.digests if one.proof else NO_DIGESTS
            dated = (before.size, before.modified) == (former.size, former.modified)
            members = self._members(path, one.facts) if one.proof is None and dated and one.facts.kind else ""
            size, digests = digest_file(path, before.size, _algorithms(known), fresh=True)
            if entry_of(one.entry.path, path.stat()) != before:
                return _Read(bytes=size)  # somebody writes it; it is for the next time
        except FileNotFoundError:
            return _Read(fault=Fault.GONE, reason="is no longer there")
        except OSError as error:
            return _Read(fault=Fault.UNREADABLE, reason=f"cannot be read: {reason_of(error)}")
        if dated and known.known() and not digests.agrees(known):
            same = unchanged(told_of(former), told_of(before), lambda: self._keeps_inodes(one.root))
            words = "its size, times and inode are the same" if same else "its size and date are the same"
            fault = Fault.ROTTED if same else Fault.ALTERED
            return _Read(before, digests, size, fault, f"another content than before, although {words}")
        if members:
            return _Read(before, NO_DIGESTS, size, Fault.UNREADABLE, members)
        return _Read(before, digests, size)

    def _keeps_inodes(self, root: Path) -> bool:
        if root not in self._keeps:
            self._keeps[root] = keeps_inodes(root)
        return self._keeps[root]

    def _members(self, path: Path, facts: Facts) -> str:
        """What is wrong with the members of an archive that was never read whole; empty if nothing is, or nothing
        can be known."""
        if facts.fault or not facts.looked_into:
            return ""
        try:
            known = {member.name: member for member in facts.unpacked().members or ()}
        except UNREADABLE:
            return ""
        try:
            for found in scan(path, facts.kind or "", _Everything()):
                name = found.path.encode("utf-8", ANY_NAME)
                if found.blocks is None or found.member.fault:
                    continue
                member = known.get(name)
                want = member.digests if member and member.digests.known() else NO_DIGESTS
                _, digests = digest_blocks(found.blocks, want.known() or ["crc32"])
                if want.known() and not digests.agrees(want):
                    return f"{found.path} in it has another content than before"
        except ArchiveError as error:
            return f"what is in it cannot be read: {error}"
        return ""


class _Everything:
    """Wants every member of an archive."""

    def wants(self, _path: str, _member: Member) -> bool:
        return True

    def enters(self, _path: str) -> bool:
        return False


class _Notes:
    """What is to be written into the index, in one go every few seconds."""

    def __init__(self, index: Index) -> None:
        self._index = index
        self._proofs: dict[bytes, list[Proof]] = {}
        self._gone: dict[bytes, list[bytes]] = {}
        self._dropped: dict[bytes, list[bytes]] = {}
        self._looked: dict[bytes, list[tuple[bytes, int]]] = {}
        self._saved = time.monotonic()

    def prove(self, one: _Candidate, proof: Proof) -> None:
        self._proofs.setdefault(_folder(one), []).append(proof)
        if time.monotonic() - self._saved > SAVE_SECONDS:
            self.save()

    def look(self, one: _Candidate, when: int) -> None:
        self._looked.setdefault(_folder(one), []).append((base(one.entry.path).encode("utf-8", ANY_NAME), when))

    def forget(self, one: _Candidate, *, proof: bool = False) -> None:
        name = base(one.entry.path).encode("utf-8", ANY_NAME)
        self._gone.setdefault(_folder(one), []).append(name)
        if proof:
            self._dropped.setdefault(_folder(one), []).append(name)

    def save(self) -> None:
        """Make it last."""
        if self._proofs or self._gone or self._looked:
            self._index.write({}, self._gone, self._proofs, self._dropped, self._looked)
            self._proofs, self._gone, self._dropped, self._looked = {}, {}, {}, {}
        self._saved = time.monotonic()


def _folder(one: _Candidate) -> bytes:
    """The folder of a file as the index knows it."""
    inner = parent(one.entry.path)
    return one.key + b"/" + os.fsencode(inner) if inner else one.key


def _algorithms(known: Digests) -> tuple[str, ...]:
    """What to compute: the strongest digest that is known; a CRC-32 is too weak to stay alone."""
    strongest = known.strongest()
    return (strongest,) if strongest and strongest != "crc32" else ("crc32", "sha1")


def _within(due: list[_Candidate], budget: int | None) -> tuple[list[_Candidate], list[_Candidate]]:
    """What fits a budget in bytes, and the rest."""
    if budget is None:
        return due, []
    work: list[_Candidate] = []
    left: list[_Candidate] = []
    rest, full = budget, False
    for one in due:
        if one.entry.size <= rest and not full:
            work.append(one)
            rest -= one.entry.size
        else:
            left.append(one)
            full = full or one.entry.size <= budget  # the next in turn comes first next time
    return work, left


def _above(path: str) -> Iterator[str]:
    """A path, and all folders above it."""
    yield path
    with contextlib.suppress(ValueError):
        yield from map(str, Path(path).parents)
