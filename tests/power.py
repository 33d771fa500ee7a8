"""A disk that tells what is on it after a power cut: every act that changes it is noted, and what has been flushed."""

from __future__ import annotations

import os
import shutil
import stat
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

ACTS = ("fsync", "replace", "rename", "link", "mkdir", "unlink", "rmdir", "chmod", "utime")
Entries = dict[str, int]


class Disk(NamedTuple):
    """What lies where: the entries of each folder by name, the contents of files, both by inode."""

    folders: dict[int, Entries]
    contents: dict[int, tuple[bytes, int]]
    root: int


class Power:
    """Notes what is durable of a folder, at each act: a content once it was flushed, a name once its folder was.

    That is the least that POSIX promises ("fsync" and its rationale): what was not flushed may be gone, and a power cut
    leaves of a new file that was named, but not flushed, an empty one.
    """

    def __init__(self, root: Path) -> None:
        self._root = root
        now = self._look()
        self._folders = dict(now.folders)
        self._contents = dict(now.contents)
        self.cuts: list[tuple[str, Disk]] = []

    def _look(self) -> Disk:
        folders: dict[int, Entries] = {}
        contents: dict[int, tuple[bytes, int]] = {}
        waiting = [self._root]
        while waiting:
            folder = waiting.pop()
            entries: Entries = {}
            for child in os.scandir(folder):
                entries[child.name] = child.inode()
                if child.is_dir(follow_symlinks=False):
                    waiting.append(Path(child.path))
                elif child.is_file(follow_symlinks=False):
                    contents[child.inode()] = Path(child.path).read_bytes(), child.stat().st_mtime_ns
            folders[os.stat(folder).st_ino] = entries
        return Disk(folders, contents, os.stat(self._root).st_ino)

    def note(self, act: str, flushed: int | None) -> None:
        """An act was done; it may have `flushed` a file or a folder."""
        now = self._look()
        if flushed in now.folders:
            self._folders[flushed] = now.folders[flushed]
        elif flushed in now.contents:
            self._contents[flushed] = now.contents[flushed]
        names: dict[int, Entries] = {inode: {} for inode in now.folders}
        strict = Disk({**names, **self._folders}, dict(self._contents), now.root)
        self.cuts.append((f"{act}, names lost", strict))
        ordered = Disk(now.folders, dict(self._contents), now.root)  # as file systems with a journal keep names
        self.cuts.append((f"{act}, names kept", ordered))

    @contextmanager
    def watched(self) -> Iterator[None]:
        """Note every act of this process."""
        real = {name: getattr(os, name) for name in ACTS}

        def watching(name: str) -> Callable[..., Any]:
            def act(*args: Any, **named: Any) -> Any:
                flushed = os.fstat(args[0]).st_ino if name == "fsync" else None
                done = real[name](*args, **named)
                self.note(f"{name} {args[0] if name != 'fsync' else os.readlink(f'/proc/self/fd/{args[0]}')}", flushed)
                return done

            return act

        for name in ACTS:
            setattr(os, name, watching(name))
        try:
            yield
        finally:
            for name, one in real.items():
                setattr(os, name, one)

    def worlds(self, base: Path) -> Iterator[tuple[str, Path]]:
        """Each disk that a power cut could have left, once, as a folder; it is gone when the next one is asked for."""
        seen: set[str] = set()
        for act, disk in self.cuts:
            form = repr(sorted(_tree(disk, disk.root, "")))
            if form in seen:
                continue
            seen.add(form)
            world = base / f"cut {len(seen)}"
            _build(disk, disk.root, world)
            yield act, world
            shutil.rmtree(world)


def _tree(disk: Disk, folder: int, path: str) -> Iterator[tuple[str, object]]:
    for name, inode in disk.folders.get(folder, {}).items():
        if inode in disk.folders:
            yield f"{path}{name}/", None
            yield from _tree(disk, inode, f"{path}{name}/")
        else:
            yield f"{path}{name}", disk.contents.get(inode)


def _build(disk: Disk, folder: int, place: Path) -> None:
    place.mkdir()
    for name, inode in disk.folders.get(folder, {}).items():
        if inode in disk.folders:
            _build(disk, inode, place / name)
            continue
        data, modified = disk.contents.get(inode, (b"", 0))
        (place / name).write_bytes(data)
        os.chmod(place / name, stat.S_IRUSR | stat.S_IWUSR)
        os.utime(place / name, ns=(modified, modified))
