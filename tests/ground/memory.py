"""A rig's storage in memory, on a volume that keeps the case of names and folds it: every name is found in any case and
any Unicode form. Any call can be made to fail."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path
from typing import NamedTuple

from gribble.core.base.digests import Digests
from gribble.core.base.paths import fold, parent
from gribble.core.files.hashing import digest_blocks
from gribble.core.placing.store import Content, Free, Stamp, StoreError


class Held(NamedTuple):
    """One file: its name as it is spelled, content, time of modification and permissions."""

    name: str
    data: bytes
    modified: int = 0
    permissions: int = 0o644


class FoldingStore:
    """Files by folded path, folders by folded path with their spelling; the attic by slot."""

    at_once = 1
    reads_back = True

    def __init__(self, beside: Path) -> None:
        """`beside` is a folder for what has to be a file of this machine."""
        self._beside = beside
        self.files: dict[str, Held] = {}
        self.folders: dict[str, str] = {}
        self.attic: dict[str, Held] = {}
        self.failing: Callable[[str], bool] = lambda _call: False

    def put(self, path: str, data: bytes, modified: int) -> None:
        """What was there before anything is done."""
        folder = parent(path)
        while folder:
            self.folders.setdefault(fold(folder), folder)
            folder = parent(folder)
        self.files[fold(path)] = Held(path, data, modified)

    def tree(self) -> dict[str, tuple[bytes, int]]:
        """Everything as it is spelled."""
        files = {one.name: (one.data, one.modified) for one in self.files.values()}
        return files | {f"{name}/": (b"", 0) for name in self.folders.values()}

    def _call(self, name: str) -> None:
        if self.failing(name):
            raise StoreError("no space left on device")

    def _there(self, path: str) -> Held:
        if fold(path) not in self.files:
            raise StoreError(f"{path}: no such file or directory")
        return self.files[fold(path)]

    def _into(self, path: str, held: Held) -> None:
        if parent(path) and fold(parent(path)) not in self.folders:
            raise StoreError(f"{path}: no such file or directory")
        self.files[fold(path)] = held._replace(name=path)

    def exists(self, path: str) -> bool:
        there = self.files.get(fold(path))
        return there is not None and there.name.rpartition("/")[2] == path.rpartition("/")[2]

    def stamp(self, path: str) -> Stamp | None:
        there = self.files.get(fold(path))
        return (len(there.data), there.modified) if there else None

    def read(self, path: str, member: str | None = None) -> Iterator[bytes]:
        self._call("read")
        assert member is None
        yield self._there(path).data

    def read_setting(self, path: str) -> Iterator[bytes]:
        return self.read(path)

    def digests(self, path: str, algorithms: Iterable[str]) -> Digests:
        return digest_blocks(self.read(path), algorithms)[1]

    def read_back(self, path: str) -> Iterator[bytes]:
        return self.read(path)

    def write(self, path: str, content: Content, like: str | None = None) -> None:  # noqa: ARG002
        self._call("write")
        self._into(path, Held(path, b"".join(content())))

    def dress(self, path: str, slot: str = "", mode: int | None = None) -> None:  # noqa: ARG002
        self.files[fold(path)] = self._there(path)._replace(permissions=mode or 0o644)

    def set_time(self, path: str, modified: int) -> None:
        self.files[fold(path)] = self._there(path)._replace(modified=modified)

    def mode(self, path: str) -> int | None:
        return self._there(path).permissions

    def flushing_once(self) -> AbstractContextManager[None]:
        return nullcontext()

    def rename(self, old: str, new: str) -> None:
        self._call("rename")
        held = self._there(old)
        if fold(old) != fold(new):
            del self.files[fold(old)]
        self._into(new, held)

    def tidy(self, path: str) -> None:
        pass

    def discard(self, path: str) -> None:
        self.files.pop(fold(path), None)

    def missing_folders(self, path: str) -> list[str]:
        missing = []
        folder = parent(path)
        while folder and fold(folder) not in self.folders:
            missing.append(folder)
            folder = parent(folder)
        return missing[::-1]

    def make_folder(self, path: str) -> None:
        self._call("make_folder")
        self.folders.setdefault(fold(path), path)

    def remove_folder(self, path: str) -> None:
        inside = f"{fold(path)}/"
        if not any(one.startswith(inside) for one in (*self.files, *self.folders)):
            self.folders.pop(fold(path), None)

    def keep(self, path: str, slot: str) -> None:
        self._call("keep")
        self.attic.setdefault(slot, self._there(path))

    def same(self, path: str, slot: str) -> bool:
        return self._there(path).data == self.attic[slot].data

    def make_slot(self, slot: str) -> None:
        pass

    def protect_kept(self, slot: str, mode: int) -> None:
        pass

    def protect(self, path: str, mode: int) -> None:
        pass

    def displace(self, path: str, slot: str) -> None:
        self._call("displace")
        self.attic[slot] = self.files.pop(fold(self._there(path).name))

    def half_kept(self, path: str, slot: str) -> bool:
        return self.kept(slot) and self.exists(path) and self.same(path, slot)

    def bring_back(self, slot: str, path: str) -> None:
        self._call("bring_back")
        self._into(path, self.attic[slot])
        del self.attic[slot]

    def kept(self, slot: str) -> bool:
        return slot in self.attic

    def read_kept(self, slot: str, member: str | None = None) -> Iterator[bytes]:
        assert member is None
        yield self.attic[slot].data

    def slots(self) -> Iterator[tuple[str, int]]:
        return ((slot, len(held.data)) for slot, held in self.attic.items())

    def forget(self, slot: str) -> None:
        self.attic.pop(slot, None)

    def prune(self, run: int) -> None:
        pass

    def size(self, path: str) -> int:
        there = self.files.get(fold(path))
        return len(there.data) if there else 0

    def link(self, _source: Path, _path: str) -> bool:
        return False

    def local(self, path: str) -> Path:
        return self._near(self._there(path).data)

    def local_kept(self, slot: str) -> Path:
        return self._near(self.attic[slot].data)

    def _near(self, data: bytes) -> Path:
        place = self._beside / f"near-{len(list(self._beside.iterdir()))}"
        place.write_bytes(data)
        return place

    def free(self, _path: str) -> Free | None:
        return None

    def free_attic(self) -> Free | None:
        return None
