"""Following a published catalogue: its index is checked, what changed is taken in, and the new version takes the place
of the former one in one instant.

A followed folder has a folder for each version and a small file, `current.json`, that says which of them counts.
"""

from __future__ import annotations

import datetime
import hashlib
import json
import os
import re
import shutil
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO, NamedTuple, Protocol

import msgspec
from msgspec import structs
from packaging.specifiers import InvalidSpecifier, SpecifierSet

from gribble.core.answers.changes import SheetEffect
from gribble.core.answers.comparing import SheetChanges
from gribble.core.base.changing import flush_file, flush_folder
from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError, reason_of, record_fault
from gribble.core.base.filewriter import locked, put_own
from gribble.core.base.paths import FOLDER_LOCK, fold, name_fault
from gribble.core.base.regular import open_regular, read_regular
from gribble.core.base.version import VERSION
from gribble.core.catalogue.followed import POINTER, Current, current
from gribble.core.catalogue.publishing import ENDINGS, LIST_ENDINGS, MOST_FILE, SET_NAME, blocks_of, unpacked
from gribble.core.catalogue.rosters import ROSTER_ENDING
from gribble.core.records.published import FORMAT, INDEX, Index, Listed, Piece

MOST_TITLE, MOST_NUMBER = 120, 1 << 31
MOST_INDEX, MOST_PIECE, MOST_FILES = 16 << 20, 64 << 20, 20_000
MOST_BYTES = 1 << 30
"""What all files of a catalogue may come to, unpacked."""
_PARTS = "parts"
"""The folder for pieces that have arrived, until the version is whole: a fetch that was cut short goes on from them."""
_LEFT = re.compile(rf"\d{{6,10}}-[0-9a-f]{{10}}(-\d+)?(\.new)?|{_PARTS}|{re.escape(FOLDER_LOCK)}")


class Place(Protocol):
    """Where a published catalogue is: a folder, or an address on the web."""

    @property
    def shown(self) -> str:
        """What it is called."""

    def index(self, most: int, etag: str) -> tuple[bytes, str] | None:
        """The index of at most so many bytes, and what the server calls this state of it; None if it is still in the
        state `etag`. Raises GribbleError."""

    def read(self, path: str, most: int) -> bytes:
        """A published file of at most so many bytes. Raises GribbleError."""


@dataclass(frozen=True)
class Offer:
    """What a place offers now: its index, the bytes of that, whose signature they have, and what the server calls this
    state of it."""

    index: Index
    raw: bytes
    key: str | None
    etag: str


class RosterChange(NamedTuple):
    """How many sets of a roster are new, gone and changed."""

    name: str
    emulator: str
    new: int
    gone: int
    changed: int


class Update(NamedTuple):
    """What an update of a followed catalogue would do, or why it cannot be had. Without a `version` there is nothing to
    take; `signed_by` tells the key of one that was not signed before; `unused` are emulators for which another sheet
    comes first."""

    name: str
    at: Path
    number: int
    offer: Offer | None = None
    version: Path | None = None
    fetched: int = 0
    signed_by: str = ""
    changes: tuple[SheetChanges, ...] = ()
    rosters: tuple[RosterChange, ...] = ()
    lists: tuple[str, ...] = ()
    unused: tuple[str, ...] = ()
    effects: tuple[SheetEffect, ...] = ()
    error: GribbleError | None = None
    done: bool = False


def read_index(shown: str, raw: bytes) -> Index:
    """The index in some bytes. Raises MistakesError for what cannot be, GribbleError if it needs another Gribble."""
    try:
        index = msgspec.json.decode(raw, type=Index)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise _broken(shown, [record_fault(error)]) from None
    if index.gribble != FORMAT:
        raise _broken(shown, [f"this Gribble reads {FORMAT}, not {index.gribble[:40]}"])
    try:
        if not SpecifierSet(index.needs_gribble).contains(VERSION, prereleases=True):
            raise GribbleError(
                f"the catalogue at {shown} needs Gribble {index.needs_gribble}, and this is {VERSION}",
                fix="Nothing was changed. Install a newer Gribble.",
            )
    except InvalidSpecifier:
        raise _broken(shown, [f"needs_gribble cannot be {index.needs_gribble[:40]}"]) from None
    if faults := list(faults_in(index)):
        raise _broken(shown, faults)
    return index


def _broken(shown: str, faults: Iterable[str]) -> MistakesError:
    fix = "Nothing was changed. Ask whoever publishes this catalogue to publish it again."
    return MistakesError([Mistake(f"{shown}: {INDEX}", "", one) for one in list(faults)[:20]], fix=fix)


def faults_in(index: Index) -> Iterator[str]:
    """What in an index cannot be, so that nothing of it is taken."""
    if not 1 <= index.number < MOST_NUMBER:
        yield f"number is {index.number}"
    if not 1 <= len(index.title) <= MOST_TITLE:
        yield f"title has {len(index.title)} characters, not 1 to {MOST_TITLE}"
    if len(index.files) > MOST_FILES:
        yield f"has more than {MOST_FILES:,} files"
        return
    if sum(one.size for one in index.files) > MOST_BYTES:
        yield f"has more than {MOST_BYTES:,} bytes"
    names = set[str]()
    for one in index.files:
        name, sizes = one.path, [size for piece in one.pieces for size in (piece.size, piece.packed)]
        if fault := name_fault(name):
            yield f"{name[:80]} {fault}"
        elif name.startswith(".") or not name.endswith(ENDINGS):
            yield f"{name[:80]} is not a file of a catalogue"
        elif fold(name) in names:
            yield f"{name[:80]} is there twice"
        elif not all(0 <= size <= MOST_PIECE for size in sizes) or sum(piece.size for piece in one.pieces) != one.size:
            yield f"{name[:80]} has an impossible size"
        elif not all(_is_digest(piece.sha256) for piece in one.pieces) or not _is_digest(one.sha256):
            yield f"{name[:80]} has no SHA-256"
        names.add(fold(name))


def _is_digest(text: str) -> bool:
    return re.fullmatch(f"[0-9a-f]{{{HEX_LENGTHS['sha256']}}}", text) is not None


def take_in(
    at: Path, index: Index, raw: bytes, place: Place, former: Path | None, advance: Callable[[int], None]
) -> tuple[Path, int]:
    """Lay a version of a catalogue out in a folder of its own below `at`: that folder, and the bytes that were fetched.

    Pieces that the `former` version has are taken from there. Each piece is compared with its SHA-256 before it gets a
    name. Raises GribbleError; the version that counts stays as it was.
    """
    name = f"{index.number:06d}-{hashlib.sha256(raw).hexdigest()[:10]}"
    whole, work, again = at / name, at / f"{name}.new", 1
    try:
        at.mkdir(parents=True, exist_ok=True)
        with locked(at):
            while os.path.lexists(whole):
                if _is_whole(whole, index):
                    return whole, 0
                again += 1  # a damaged one may be the one that counts: it goes when another does
                whole = at / f"{name}-{again}"
            shutil.rmtree(work, ignore_errors=True)
            work.mkdir()
            pieces = _Pieces(at / _PARTS, place, _known(former), advance)
            for file in index.files:
                with (work / file.path).open("xb") as out:
                    pieces.write(file, out)
                    out.flush()
                    flush_file(out.fileno())
            flush_folder(work)
            os.rename(work, whole)
            flush_folder(at)
            shutil.rmtree(at / _PARTS, ignore_errors=True)
            return whole, pieces.fetched
    except OSError as error:
        raise GribbleError(
            f"{error.filename or at} cannot be written: {reason_of(error)}",
            fix="The catalogue is as it was. Make room, then run the command again.",
            code=ExitCode.FAILED,
        ) from error


def is_left_over(at: Path) -> bool:
    """Whether a folder has nothing but what a follow that was broken off has left."""
    try:
        return os.path.isdir(at) and all(_LEFT.fullmatch(name) for name in os.listdir(at))
    except OSError:
        return False


def _is_whole(version: Path, index: Index) -> bool:
    """Whether a version lies there as its index says."""
    try:
        return all(
            hashlib.sha256(read_regular(version / one.path, MOST_FILE)).hexdigest() == one.sha256 for one in index.files
        )
    except OSError:
        return False


def _known(former: Path | None) -> dict[str, tuple[Path, int, int]]:
    """The blocks that a version has, by SHA-256: the file, where in it, and how long."""
    found: dict[str, tuple[Path, int, int]] = {}
    for path in sorted(former.iterdir()) if former and os.path.isdir(former) else ():
        if not os.path.isfile(path):
            continue
        data, at = read_regular(path, MOST_FILE), 0
        found[hashlib.sha256(data).hexdigest()] = path, 0, len(data)
        for block in blocks_of(path.name, data):
            found[hashlib.sha256(block).hexdigest()] = path, at, len(block)
            at += len(block)
    return found


class _Pieces:
    """The contents of pieces: from the former version, from an earlier try, or fetched."""

    def __init__(
        self, folder: Path, place: Place, known: dict[str, tuple[Path, int, int]], advance: Callable[[int], None]
    ) -> None:
        self._folder, self._place, self._known, self._advance = folder, place, known, advance
        self.fetched = 0

    def write(self, file: Listed, out: IO[bytes]) -> None:
        """Write a file, piece by piece. Raises GribbleError for what is not as the index says."""
        whole = hashlib.sha256()
        for piece in file.pieces:
            content = self._former(piece) or self._arrived(piece) or self._fetch(piece)
            whole.update(content)
            out.write(content)
        if whole.hexdigest() != file.sha256:
            raise self._wrong(file.path)

    def _former(self, piece: Piece) -> bytes:
        """A piece that the former version has."""
        if piece.sha256 not in self._known:
            return b""
        path, at, length = self._known[piece.sha256]
        with open_regular(path) as stream:
            stream.seek(at)
            return stream.read(length)

    def _arrived(self, piece: Piece) -> bytes:
        """A piece that came in an earlier try, which was cut short."""
        try:
            data = read_regular(self._folder / piece.sha256, MOST_PIECE)
        except OSError:
            return b""
        return data if hashlib.sha256(data).hexdigest() == piece.sha256 else b""

    def _fetch(self, piece: Piece) -> bytes:
        data = self._place.read(piece.path, piece.packed)
        self.fetched += len(data)
        self._advance(len(data))
        content = unpacked(data, piece.size) if piece.is_packed else data
        if hashlib.sha256(content).hexdigest() != piece.sha256:
            raise self._wrong(piece.path)
        self._folder.mkdir(exist_ok=True)
        (self._folder / piece.sha256).write_bytes(content)
        return content

    def _wrong(self, path: str) -> GribbleError:
        return GribbleError(
            f"{path} at {self._place.shown} is not the file that the index names",
            fix="Nothing was changed. Whoever publishes it may be doing that now: try again later.",
            code=ExitCode.FAILED,
        )


def swap(at: Path, index: Index, version: Path, looked: datetime.date, etag: str) -> None:
    """Let another version count; the one that counted is kept until the next swap. Raises GribbleError."""
    before = current(at)
    now = Current(
        folder=version.name,
        number=index.number,
        title=index.title,
        date=index.date,
        looked=looked,
        etag=etag,
        former=before.folder if before and before.folder != version.name else "",
        former_number=before.number if before else 0,
        former_date=before.date if before else None,
    )
    _point(at, now, clean=True)


def go_back(at: Path) -> Current:
    """Let the version before count again. The one that counted stays until the next swap, but is no former one: going
    back again does not go forward. Raises GribbleError."""
    now = current(at)
    if now is None or not now.former or not os.path.isdir(at / now.former):
        raise GribbleError(
            f"there is no earlier version of {at.name}", fix="Nothing was changed. An update keeps one version."
        )
    before = structs.replace(
        now,
        folder=now.former,
        number=now.former_number,
        date=now.former_date or now.date,
        etag="",
        former="",
    )
    _point(at, before)
    return before


def looked_at(at: Path, looked: datetime.date) -> None:
    """Note that somebody looked for another version of a catalogue."""
    if now := current(at):
        _point(at, structs.replace(now, looked=looked))


def _point(at: Path, now: Current, *, clean: bool = False) -> None:
    """Write down which version counts; `clean` removes those that are neither that one nor the former."""
    try:
        with locked(at):
            put_own(at / POINTER, msgspec.json.encode(now))
            for old in at.iterdir() if clean else ():
                if old.is_dir() and old.name not in (now.folder, now.former, _PARTS):
                    shutil.rmtree(old, ignore_errors=True)
    except OSError as error:
        raise GribbleError(
            f"{at / POINTER} cannot be written: {reason_of(error)}",
            fix="The catalogue is as it was.",
            code=ExitCode.FAILED,
        ) from error


def changed_rosters(old: Path | None, new: Path) -> list[RosterChange]:
    """The rosters that differ between two versions."""
    found = []
    names = {path.name for folder in (old, new) if folder for path in folder.glob(f"*{ROSTER_ENDING}")}
    for name in sorted(names):
        before, after = (_sets(folder / name) if folder else {} for folder in (old, new))
        if before != after:
            both = before.keys() & after.keys() - {b""}
            change = sum(before[one] != after[one] for one in both)
            new_ones, gone = len(after.keys() - before.keys()), len(before.keys() - after.keys())
            emulator = _emulator_of(new / name) or (_emulator_of(old / name) if old else "")
            found.append(RosterChange(name, emulator, new_ones, gone, change))
    return found


def changed_lists(old: Path | None, new: Path) -> list[str]:
    """The checksum lists that differ between two versions."""
    names = {path.name for folder in (old, new) if folder for path in folder.iterdir() if path.suffix in LIST_ENDINGS}
    return [name for name in sorted(names) if _bytes_of(new / name) != (_bytes_of(old / name) if old else b"")]


def _bytes_of(path: Path) -> bytes:
    return read_regular(path, MOST_FILE) if os.path.isfile(path) else b""


def _emulator_of(roster: Path) -> str:
    """The emulator in the first line of a roster; none where there is no roster."""
    if not os.path.isfile(roster):
        return ""
    with open_regular(roster) as stream:
        return str(json.loads(stream.readline()).get("emulator", ""))


def _sets(roster: Path) -> dict[bytes, bytes]:
    """The lines of a roster by set, digested; the first line under an empty name."""
    if not os.path.isfile(roster):
        return {}
    lines = read_regular(roster, MOST_FILE).splitlines()
    named = ((match[1] if (match := SET_NAME.match(line)) else b"", line) for line in lines)
    return {name: hashlib.sha256(line).digest() for name, line in named}
