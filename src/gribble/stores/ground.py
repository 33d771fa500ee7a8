"""A network rig under survey: listed folder by folder, and fetched from as little as decides."""

from __future__ import annotations

import errno
import struct
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

from msgspec import structs

from gribble.core.base.budget import RIG_DEPTH, RIG_FILES, RIG_FOLDERS
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.names import is_litter, is_trash
from gribble.core.base.paths import MEMORY_FOLDER, base, is_work_file, join, path_fault
from gribble.core.files.volumes import FOLDING
from gribble.core.placing.store import StoreError, StoreLost
from gribble.core.records.holding import Skipped, Why
from gribble.core.survey.walking import Entry, Folder
from gribble.stores.link import Listed, tame
from gribble.stores.remote import RemoteStore
from gribble.stores.rigs import RigHome

TAIL_BYTES = 64 << 10
"""How much of an archive's end is fetched at first, in bytes: the directory is there, nearly always whole."""
MOST_TAIL_BYTES = 16 << 20
"""A directory further away from the end is not fetched apart."""
HEAD_BYTES = 32
"""The start of a 7z, which says where its directory is."""
KEPT_BYTES = 8 << 20
"""A fetched file of at most this size in bytes stays until the command ends."""
REMEMBERED_BYTES = 4096
"""A stretch of at most this size in bytes is asked for once in a command."""


class RemoteGround:
    """What a survey asks of a rig behind a link (`gribble.core.survey.survey.Ground`)."""

    def __init__(self, rig: RigHome, store: RemoteStore, leave_out: Iterable[str] = ()) -> None:
        """`leave_out` are the addresses of other rigs, which are not entered."""
        self.root = rig.root
        self._left_out = {one[len(rig.root) + 1 :] for one in leave_out if one.startswith(f"{rig.root}/")}
        self.listed = 0
        self._rig = rig
        self._store = store
        self._wire = store.wire
        self._probe = ""
        self._parts: dict[tuple[str, int, int], bytes] = {}

    @property
    def received(self) -> int:
        """The bytes of files that were fetched so far."""
        return self._wire.received

    def away(self) -> str:
        """Why the rig cannot be reached now; empty if it can."""
        return self._rig.away()

    def walk(self) -> Iterator[Folder]:
        """Every file, folder by folder. Raises GribbleError if the connection is lost."""
        self._store.let_all_go()
        self._parts.clear()
        waiting, met = [""], 0
        while waiting:
            folder = Folder(waiting.pop(), [], [])
            met += 1
            entries = self._entries(folder)
            inner = self._sort_in(folder, entries, met + len(waiting))
            self._settle_sizes(folder)
            self.listed += len(folder.files)
            self._remember(folder, {one.name for one in entries})
            yield folder
            waiting = [] if inner is None else [*waiting, *reversed(inner)]

    def _entries(self, folder: Folder) -> list[Listed]:
        """What is in a folder, by name. Raises GribbleError if the connection is lost, or nothing can be listed."""
        try:
            return sorted(self._wire.entries(folder.path), key=lambda one: one.name)
        except StoreLost as error:
            raise GribbleError(
                str(error), fix="Nothing was changed. Run the command again when it is back.", code=ExitCode.FAILED
            ) from error
        except StoreError as error:
            if not folder.path:
                raise GribbleError(str(error), fix="Nothing was changed.", code=ExitCode.FAILED) from error
            folder.skipped.append(Skipped(folder.path, f"folder cannot be read: {error}", kind=Why.UNREAD))
            return []

    def _sort_in(self, folder: Folder, entries: list[Listed], folders: int) -> list[str] | None:
        """Note the files of a folder, and what is passed over; the folders in it that are to be entered, where so many
        are known already. None if the rig lists more than can be looked at."""
        inner: list[str] = []
        names: set[str] = set()
        for one in entries:
            path = f"{folder.path}/{one.name}" if folder.path else one.name
            if one.name in (".", "..", MEMORY_FOLDER) or is_work_file(one.name):
                continue
            if is_trash(one.name) if one.folder else is_litter(one.name):
                continue
            if why := _fault(one) or ("is listed twice" if one.name in names else ""):
                folder.skipped.append(Skipped(tame(path), why))
            elif self.listed + len(folder.files) >= RIG_FILES:
                why = f"lists more than {RIG_FILES:,} files; the rest is not looked at"
                folder.skipped.append(Skipped(folder.path or ".", why))
                return None
            elif not one.folder:
                folder.files.append(Entry(path, one.size, one.modified, 0, 0))
            elif path.count("/") > RIG_DEPTH or folders > RIG_FOLDERS:
                why = "is deeper than Gribble follows; perhaps the server lists in a circle"
                folder.skipped.append(Skipped(path, why))
            elif path not in self._left_out:
                inner.append(path)
            names.add(one.name)
        return inner

    def _settle_sizes(self, folder: Folder) -> None:
        """Ask for sizes that the listing does not give; a file without one is passed over."""
        for number, entry in enumerate(folder.files):
            if entry.size < 0:
                folder.files[number] = self.dated(entry)
        for entry in folder.files:
            if entry.size < 0:
                folder.skipped.append(Skipped(entry.path, "the server does not say its size"))
        folder.files[:] = [entry for entry in folder.files if entry.size >= 0]

    def _remember(self, folder: Folder, names: set[str]) -> None:
        """Keep one name by which it can be tried whether case counts here."""
        if not self._probe:
            for entry in folder.files:
                name = base(entry.path)
                if name.swapcase() != name and name.swapcase() not in names and name.isascii():
                    self._probe = join(folder.path, name.swapcase())
                    return

    def folds_case(self, volume: str) -> bool:
        """Whether the rig takes two spellings of a name for one: by its volume, else tried on a name it listed."""
        if volume in FOLDING:
            return FOLDING[volume]
        try:
            return bool(self._probe) and self._wire.look_up(self._probe) is not None
        except StoreError:
            return False

    def dated(self, entry: Entry) -> Entry:
        """An entry with its size and time, as far as the server tells them one by one."""
        try:
            found = self._wire.look_up(entry.path)
        except StoreError:
            return entry
        if found is None or found.folder:
            return entry
        size = entry.size if entry.size >= 0 else found.size
        return structs.replace(entry, size=size, modified=entry.modified or found.modified)

    def fetch(self, path: str, progress: Callable[[int], None] | None = None) -> Path:
        """A copy of a file on this machine. Raises OSError."""
        try:
            return self._store.local(path, progress)
        except StoreError as error:
            raise OSError(errno.EIO, str(error)) from error

    def let_go(self, path: str) -> None:
        """A large copy is removed, a small one stays."""
        self._store.let_go(path, KEPT_BYTES)

    def part(self, path: str, offset: int, length: int) -> bytes:
        """Some bytes of a file, fewer where it ends before. Raises OSError."""
        key = (path, offset, length)
        if key not in self._parts:
            try:
                data = b"".join(self._wire.read(path, offset, length))
            except StoreError as error:
                raise OSError(errno.EIO, str(error)) from error
            if length > REMEMBERED_BYTES:
                return data
            self._parts[key] = data  # headers and ids are asked for by every part of one command
        return self._parts[key]

    def directory(self, entry: Entry) -> Path | None:
        """A file as long as the archive, with its directory where it is and nothing elsewhere; None for a file that is
        small enough to be fetched, or has no directory at its end.

        Sources: the ZIP application note (4.3.16), and the 7z format's description (signature header).
        """
        name, size = entry.path.lower(), entry.size
        if size <= TAIL_BYTES or not name.endswith((".zip", ".7z")):
            return None
        start, head = size - TAIL_BYTES, b""
        if name.endswith(".7z"):
            head = self.part(entry.path, 0, HEAD_BYTES)
            offset, _ = struct.unpack("<QQ", head[12:28]) if len(head) == HEAD_BYTES else (0, 0)
            # The directory itself lies packed in front of what the head points at.
            start = max(HEAD_BYTES, min(start, HEAD_BYTES + offset - TAIL_BYTES))
        if size - start > MOST_TAIL_BYTES:
            return None
        tail = self.part(entry.path, start, size - start)
        if name.endswith(".zip"):
            begins = _zip_directory(tail, size)
            if begins is None or size - begins > MOST_TAIL_BYTES:
                return None
            if begins < start:
                tail = self.part(entry.path, begins, start - begins) + tail
                start = begins
        place = self._store.room() / "directory"
        with place.open("wb") as stream:
            stream.write(head)
            stream.seek(start)
            stream.write(tail)
            stream.truncate(size)
        return place


def _zip_directory(tail: bytes, size: int) -> int | None:
    """Where the directory of a zip begins, by the end of it; None for one that is large or odd."""
    at = tail.rfind(b"PK\x05\x06")
    if at < 0 or len(tail) - at < 22:
        return None
    length = int.from_bytes(tail[at + 12 : at + 16], "little")
    begins = size - len(tail) + at - length
    return begins if length != 0xFFFFFFFF and begins >= 0 else None


def _fault(one: Listed) -> str:
    """Why an entry cannot be used; empty if it can."""
    if "/" in one.name:
        return "is a name that leads elsewhere; passed over"
    fault = path_fault(one.name)
    return one.odd or (f"its name {fault}" if fault else "")
