"""A rig behind a link: every file is sent beside its place, read back, and renamed; the attic is on this machine."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
import zlib
from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path

from gribble.core.base.changing import flush_file, flush_folder, remove, replace
from gribble.core.base.digests import Digests
from gribble.core.base.names import ANY_NAME, escaped
from gribble.core.base.paths import base, fold, join, parent
from gribble.core.files.hashing import digest_blocks
from gribble.core.placing.store import Content, Free, Stamp, StoreError, StoreLost
from gribble.core.survey.walking import store_fault
from gribble.stores.files import AtticFolder, make_folders, part_beside, read_blocks, told
from gribble.stores.link import SteadyLink

COPY_BYTES = 1 << 20
SPOOL_BYTES = 8 << 20
"""A file that is read is kept in memory up to this size in bytes, then in a temporary file."""
OTHERS = 0o077
"""The permissions of everybody but the user."""
OLD_SECONDS = 24 * 3600
FETCHED = "fetched-"
"""How folders for fetched files begin; each is gone when its command ends."""


class RemoteStore(AtticFolder):
    """Files below a rig's root on a server.

    What is sent is read back and compared by digest; with `trust_size` only sizes are compared.
    """

    at_once = 1  # there is one connection

    def __init__(self, link: SteadyLink, home: Path, *, trust_size: bool = False) -> None:
        """`home` is the folder on this machine for the attic and for what is fetched."""
        super().__init__(home / "attic", escapes=True)
        self.wire = link
        self.trust_size = trust_size
        self._home = home
        self._fetched: tempfile.TemporaryDirectory[str] | None = None
        self._near: dict[str, Path] = {}
        self._number = 0
        self.untimed = 0
        """Files that came back with another time, since the server tells or sets none."""
        self._names: dict[str, dict[str, set[str]]] = {}  # by folder, then by folded name

    def close(self) -> None:
        """Say good-bye to the server, and remove what was fetched for reading."""
        self.wire.close()
        self._near.clear()
        if self._fetched is not None:
            self._fetched.cleanup()
            self._fetched = None

    # What is there

    def exists(self, path: str) -> bool:
        """Whether a file is there under exactly this spelling, as far as the server tells spellings apart."""
        there = self.wire.look_up(_checked(path))
        if there is None or there.folder:
            return False
        spellings = self._spellings(path)
        # A name in no listing is hidden, or another spelling of one that is listed.
        return base(path) in spellings or not spellings

    def _spellings(self, path: str) -> set[str]:
        """The names in a path's folder that are its own or differ in case only; what this store itself changes is kept
        up without asking again."""
        folder = parent(path)
        if folder not in self._names:
            entries = self.wire.entries(folder)
            self._names[folder] = {}
            for one in entries:
                self._note(there=join(folder, one.name))
        return self._names[folder].get(fold(base(path)), set())

    def _note(self, *, gone: str = "", there: str = "") -> None:
        if gone and parent(gone) in self._names:
            self._names[parent(gone)].get(fold(base(gone)), set()).discard(base(gone))
        if there and parent(there) in self._names:
            self._names[parent(there)].setdefault(fold(base(there)), set()).add(base(there))

    def size(self, path: str) -> int:
        """The size of a file in bytes; 0 if there is none."""
        there = self.wire.look_up(_checked(path))
        return max(0, there.size) if there else 0

    def stamp(self, path: str) -> Stamp | None:
        """What a glance tells of a file; None if nothing is."""
        there = self.wire.look_up(_checked(path))
        return (there.size, there.modified) if there else None

    def free(self, _path: str) -> Free | None:
        """Servers do not say what room is left."""
        return None

    # Reading

    def read(self, path: str, member: str | None = None) -> Iterator[bytes]:
        """The content of a file, or of a member of an archive; fetched whole first, since what reads it may well ask
        something else of the link meanwhile."""
        if member is not None:
            yield from read_blocks(self.local(path), member)
            return
        with tempfile.SpooledTemporaryFile(SPOOL_BYTES, dir=str(self.room())) as spool:
            for block in self.wire.read(_checked(path)):
                spool.write(block)
            spool.seek(0)
            while block := spool.read(COPY_BYTES):
                yield block

    def read_setting(self, path: str) -> Iterator[bytes]:
        """The content of a settings file, as the server gives it."""
        return self.read(path)

    def digests(self, path: str, algorithms: Iterable[str]) -> Digests:
        """The digests of a file, read again each time: what a server tells of a file is no proof."""
        return digest_blocks(self.wire.read(_checked(path)), algorithms)[1]

    @told
    def local(self, path: str, progress: Callable[[int], None] | None = None) -> Path:
        """A copy of a file on this machine, fetched once; it is gone when something is written, or at the end."""
        if path not in self._near:
            place = self.room() / str(self._number) / escaped(base(_checked(path)))
            place.parent.mkdir(exist_ok=True)
            self._number += 1
            with place.open("wb") as stream:
                for block in self.wire.read(path):
                    stream.write(block)
                    if progress:
                        progress(len(block))
            self._near[path] = place
        return self._near[path]

    @told
    def let_go(self, path: str, kept_bytes: int = 0) -> None:
        """Remove the copy of a file that is larger than some bytes."""
        place = self._near.get(path)
        if place is not None and place.stat().st_size > kept_bytes:
            remove(place)
            del self._near[path]

    def let_all_go(self) -> None:
        """Remove every copy: the files may be others by now."""
        for path in list(self._near):
            self.let_go(path, -1)

    @told
    def room(self) -> Path:
        """A folder on this machine for what is fetched; it is gone when the command ends."""
        if self._fetched is None:
            self._home.mkdir(parents=True, exist_ok=True)
            for left in self._home.glob(f"{FETCHED}*"):  # of a command that was killed
                if time.time() - left.stat().st_mtime > OLD_SECONDS:
                    shutil.rmtree(left, ignore_errors=True)
            self._fetched = tempfile.TemporaryDirectory(prefix=FETCHED, dir=self._home)
        return Path(self._fetched.name)

    # Writing

    @property
    def reads_back(self) -> bool:
        """What was sent is read back, unless sizes are trusted."""
        return not self.trust_size

    def write(self, path: str, content: Content, like: str | None = None) -> None:
        """Send a new file. Where sizes are trusted, raises StoreError for another size than was sent."""
        size = self.wire.write(_checked(path), content, resume=not self.trust_size)
        self._note(there=path)
        if self.trust_size:
            there = self.wire.look_up(path)
            if there is None or there.size != size:
                said = "is not there" if there is None else f"has {there.size:,} bytes there"
                raise StoreError(f"did not arrive whole: {size:,} bytes were sent, it {said}")
        if like is not None:
            self.wire.take_mode(path, like)
        self.let_all_go()

    def dress(self, path: str, slot: str = "", mode: int | None = None) -> None:  # noqa: ARG002
        """Keep a private file from other people's eyes, where the server knows permissions; those of the former file it
        got when it was written, and others of this machine mean nothing there."""
        if mode is not None and not mode & OTHERS:
            self.wire.set_mode(_checked(path), mode)

    def mode(self, _path: str) -> int | None:
        """None: what is on the server gets what is usual there."""
        return None

    def set_time(self, path: str, modified: int) -> None:
        """Give a file its time of modification, in nanoseconds since 1970, where the server can."""
        self.wire.set_time(_checked(path), modified)

    def read_back(self, path: str) -> Iterator[bytes]:
        """What is at a path now, block by block, straight from the server."""
        return self.wire.read(_checked(path))

    def rename(self, old: str, new: str) -> None:
        """Rename a file over whatever is at the new name. Where the server does not do that, the one in the way is
        moved aside first; it is in the attic by then."""
        self._check_spelling(old, new)
        aside = _aside(new)
        try:
            self.wire.rename(_checked(old), _checked(new))
        except StoreLost:
            raise
        except StoreError:
            if fold(old) == fold(new) or not (self.wire.look_up(new) and self.wire.look_up(old)):
                raise
            self.tidy(new)
            self.wire.rename(new, aside)
            try:
                self.wire.rename(old, new)
            except StoreError:
                self.wire.rename(aside, new)
                raise
            self.wire.delete(aside)
        self._note(gone=old, there=new)

    def flushing_once(self) -> AbstractContextManager[None]:
        """Nothing: no server is asked to flush."""
        return nullcontext()

    def tidy(self, path: str) -> None:
        """Remove what was moved aside for a file that was to come here, where that was cut off in the middle."""
        if self.wire.look_up(_aside(_checked(path))) is not None:
            self.wire.delete(_aside(path))

    def _check_spelling(self, old: str, new: str) -> None:
        """Refuse a new name that the server takes for another spelling of one that is there."""
        spellings = self._spellings(new)
        others = sorted(one for one in spellings if join(parent(new), one) != old)
        if others and base(new) not in spellings and self.wire.look_up(new) is not None:
            raise StoreError(
                f"{others[0]} is there, which is one name with {base(new)} on this rig; "
                'say volume = "fat32" (or what it is) of the rig in gribble.toml'
            )

    def discard(self, path: str) -> None:
        """Remove a work file of Gribble's own, if it is there."""
        if self.wire.look_up(_checked(path)) is not None:
            self.wire.delete(path)
            self._note(gone=path)

    def missing_folders(self, path: str) -> list[str]:
        """The folders above a path that are still to be made, outermost first."""
        missing = []
        folder = parent(_checked(path))
        while folder and folder not in self._names:
            there = self.wire.look_up(folder)
            if there is not None and there.folder:
                break
            if there is not None:
                raise StoreError(f"{folder} is a file, not a folder")
            missing.append(folder)
            folder = parent(folder)
        return missing[::-1]

    def make_folder(self, path: str) -> None:
        """Make one folder, if it is not there."""
        self.wire.make_folder(_checked(path))
        self._note(there=path)

    def remove_folder(self, path: str) -> None:
        """Remove a folder if it is empty."""
        self.wire.remove_folder(_checked(path))
        self._names.pop(path, None)
        self._note(gone=path)

    def link(self, _source: Path, _path: str) -> bool:
        """False: a file of this machine has no second name on another."""
        return False

    # The attic

    @told
    def keep(self, path: str, slot: str) -> None:
        """Fetch a file into the attic, leaving it in place; a slot that is filled stays as it is."""
        target = self._slot(slot)
        if not os.path.exists(target):
            self._fetch(path, target)

    def _fetch(self, path: str, target: Path) -> None:
        """Fetch a file with its time. Where it changed on the way, or its size is not what the server says, nothing is
        kept; where the server says no size, it is read twice."""
        before = self.wire.look_up(_checked(path))
        if before is None or before.folder:
            raise StoreError(f"{path} is no longer there")
        make_folders(target.parent)
        part = part_beside(target)
        with part.open("wb") as stream:
            for block in self.wire.read(path):
                stream.write(block)
            stream.flush()
            flush_file(stream.fileno())
            size = stream.tell()
        if (before.size >= 0 and size != before.size) or self.wire.look_up(path) != before:
            raise StoreError(f"{path} arrived with {size:,} of {before.size:,} bytes, or somebody is changing it")
        once = digest_blocks(read_blocks(part), ["sha1"]) if before.size < 0 and self.reads_back else None
        if once is not None and digest_blocks(self.read_back(path), ["sha1"]) != once:
            raise StoreError(f"{path} did not come twice as the same")
        os.utime(part, ns=(before.modified, before.modified))
        replace(part, target)
        flush_folder(target.parent)

    def protect_kept(self, slot: str, mode: int) -> None:
        """Nothing: what is on the server has no permissions that are known here."""

    def protect(self, path: str, mode: int) -> None:
        """The same."""

    def same(self, path: str, slot: str) -> bool:
        """Whether what is at a path is what is in a slot."""
        return digest_blocks(self.read_kept(slot), ["sha1"]) == digest_blocks(self.read_back(path), ["sha1"])

    @told
    def make_slot(self, slot: str) -> None:
        """Make the folder of a slot."""
        self._slot(slot).parent.mkdir(parents=True, exist_ok=True)

    @told
    def displace(self, path: str, slot: str) -> None:
        """Move a file into the attic: fetched first, removed from the rig then."""
        target = self._slot(slot)
        if not os.path.exists(target):
            self._fetch(path, target)
        elif not self.half_kept(path, slot):
            raise StoreError(f"{path} is not the file that Gribble fetched from there before")
        self.wire.delete(path)
        self._note(gone=path)

    def half_kept(self, path: str, slot: str) -> bool:
        """Whether a file is in a slot and, with the same content, still in its place."""
        return self.kept(slot) and self.exists(path) and self.same(path, slot)

    @told
    def bring_back(self, slot: str, path: str) -> None:
        """Send a file from the attic over whatever is at a path, with its time; then it leaves the attic."""
        source = self._slot(slot)
        run, number = slot.partition("-")[0].split("/")[0], slot.split("/")[1]
        work = join(parent(_checked(path)), f".gribble-{int(run)}-{int(number)}.part")
        self.write(work, lambda: read_blocks(source), like=path if self.exists(path) else None)
        sent = digest_blocks(read_blocks(source), ["sha1"])
        if self.reads_back and digest_blocks(self.read_back(work), ["sha1"]) != sent:
            raise StoreError(f"{path} did not arrive as it was sent. Is the server's storage full or failing?")
        modified = source.stat().st_mtime_ns
        if not modified or not any(self.wire.set_time(work, modified) for _ in range(2)):
            self.untimed += 1
        self.rename(work, path)
        remove(source)


def _aside(path: str) -> str:
    return join(parent(path), f".gribble-0-{zlib.crc32(base(path).encode('utf-8', ANY_NAME))}.aside")


def _checked(path: str) -> str:
    if fault := store_fault(path):
        raise StoreError(f'"{path}" {fault}')
    return path
