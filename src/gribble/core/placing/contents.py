"""What a step writes, and whether what is on a rig is what a step put there."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple, assert_never

from gribble.core.base.digests import Digests
from gribble.core.base.paths import outside
from gribble.core.files.settingsfile import SettingError, value_of, with_value
from gribble.core.placing.journal import Run
from gribble.core.placing.store import Elsewhere, Store
from gribble.core.placing.zipping import zipped
from gribble.core.records.recipes import mended
from gribble.core.records.steps import Brought, Copy, Displace, Extract, Mend, Pack, Point, Step, Write

SHA1_DIGITS = 40
"""A longer digest in a journal is a SHA-256."""


class StepError(Exception):
    """A step cannot be carried out; it has changed nothing."""


class Contents:
    """The contents that the steps of a rig's runs take and make."""

    def __init__(self, store: Store, elsewhere: Elsewhere, watch: Callable[[int], None] = lambda _bytes: None) -> None:
        """`watch` is asked at every block of what is got ready before anything of it is written; it may raise."""
        self._watch = watch
        self._store = store
        self._elsewhere = elsewhere

    # What a step writes

    def of(self, run: Run, number: int, step: Brought) -> Iterator[bytes]:
        """What a step writes, block by block. Raises StepError and StoreError, at once or in the middle."""
        match step:
            case Copy():
                return _at_most(self._open(run, number, step.from_, None), step)
            case Extract():
                return _at_most(self._open(run, number, step.from_, step.member), step)
            case Mend():
                return iter([self._mended(run, number, step)])
            case Point():
                return iter([self._pointed(step)])
            case Pack():
                places = {path: self._locate(run, number, path) for path in step.sources}
                return zipped(step.members, places.__getitem__, self._watch)
            case Write():
                return iter([step.text.encode("utf-8", "surrogateescape")])
            case _:
                assert_never(step)

    def _mended(self, run: Run, number: int, step: Mend) -> bytes:
        data = b"".join(self._open(run, number, step.from_, step.member))
        partner = b""
        if step.partner:
            partner = b"".join(self._open(run, number, step.partner, step.partner_member))
        return mended(data, step.recipe, partner)

    def _pointed(self, step: Point) -> bytes:
        """A settings file with its new values; it may have them already, where a run was cut short."""
        data = b"".join(self._store.read_setting(step.to))
        try:
            for point in step.points:
                if value_of(data, point.format, point.key) not in (point.was, point.value):
                    raise StepError(f"{point.key} in {step.to} has changed since; run gribble plan again")
                data = with_value(data, point.format, point.key, point.value)
        except SettingError as error:
            raise StepError(f"{step.to} {error}") from error
        return data

    def _open(self, run: Run, number: int, path: str, member: str | None) -> Iterator[bytes]:
        """A content that a step takes; what this run has displaced before is read from the attic."""
        if outside(path):
            return self._elsewhere.read(path, member)
        slot = self._displaced(run, number, path)
        return self._store.read_kept(slot, member) if slot else self._store.read(path, member)

    def _locate(self, run: Run, number: int, path: str) -> Path:
        """The same as a file on this machine. The step itself may have displaced it, where a run was cut short."""
        if outside(path):
            return self._elsewhere.local(path)
        slot = self._displaced(run, number + 1, path)
        return self._store.local_kept(slot) if slot else self._store.local(path)

    def _displaced(self, run: Run, number: int, path: str) -> str:
        """The slot of the attic into which the steps before a number have put a file; empty if none has."""
        for earlier in range(number):
            if earlier in run.begun and run.steps[earlier].displaces == path and self._store.kept(run.slot(earlier)):
                return run.slot(earlier)
        return ""

    # What is on the rig

    def ours(self, run: Run, number: int, step: Step, path: str) -> bool:
        """Whether what is at a path is what a step put there, or was about to."""
        proof = step.proof
        digest = run.done.get(number) or run.wrote.get(number) or proof.sha1 or proof.sha256
        if digest:
            return has_digest(self._store, path, digest)
        known = proof.known()
        return bool(known) and agrees(self._store.digests(path, known), proof)


def has_digest(store: Store, path: str, digest: str) -> bool:
    """Whether what is at a path has a digest, as a journal notes it."""
    algorithm = algorithm_of(digest)
    return store.digests(path, {algorithm}).get(algorithm) == digest


def agrees(digests: Digests, proof: Digests) -> bool:
    """Whether a content has every digest that is known of what it should be."""
    return all(digests.get(name) == digest for name, digest in proof.known().items())


def algorithm_of(digest: str) -> str:
    """What a digest in a journal was made by."""
    return "sha256" if len(digest) > SHA1_DIGITS else "sha1"


def _at_most(blocks: Iterator[bytes], step: Copy | Extract) -> Iterator[bytes]:
    """A step's content, which is left as soon as it is longer than the step says."""
    left = step.bytes
    for block in blocks:
        left -= len(block)
        if left < 0:
            raise StepError(f"{step.from_} is longer than the {step.bytes:,} bytes of the plan; make a new plan")
        yield block


class Text(NamedTuple):
    """A text and its place: a path on a rig, or without one a file of this machine.

    `former` is the path of what it takes the place of; empty if there is nothing.
    """

    rig: str
    path: str
    text: str
    former: str


def steps_of(one: Text) -> list[Step]:
    """What puts a text on its rig; a former file of another name goes to the attic."""
    replaces = one.path if one.former == one.path else None
    need = "track sheets and playlists"
    write = Write(
        rig=one.rig,
        to=one.path,
        bytes=len(encoded(one)),
        text=one.text,
        replaces=replaces,
        need=need,
    )
    if replaces or not one.former:
        return [write]
    return [write, Displace(rig=one.rig, from_=one.former, need=need)]


def encoded(one: Text) -> bytes:
    """Its bytes."""
    return one.text.encode("utf-8", "surrogateescape")
