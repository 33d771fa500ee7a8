"""Walking a folder: its regular files in a fixed order, and what was passed over and why."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from pathlib import Path

from msgspec import Struct

from gribble.core.errors import reason_of
from gribble.core.paths import leads_out

MEMORY_FOLDER = ".gribble"
"""Folder of Gribble's own (attic, journal, index); never walked into."""

_WORK_FILE = re.compile(r"^\.gribble-\d+-\d+\.(part|third)$")


class Entry(Struct, frozen=True):
    """One regular file: path relative to the walked root with forward slashes, and what the system says of it.

    Size is in bytes, times are in nanoseconds since 1970. `link` marks a link to a file below the same root.
    """

    path: str
    size: int
    modified: int
    changed: int
    inode: int
    link: bool = False


class Skipped(Struct, frozen=True):
    """Something that was passed over: where (in an archive: which member), and why in words."""

    path: str
    why: str
    member: str = ""


def walk(
    root: Path, leave_out: frozenset[Path] = frozenset(), *, with_links: bool = False
) -> Iterator[Entry | Skipped]:
    """Every regular file below the root, folder by folder in name order; links out of the root are never followed.

    `leave_out` are absolute folders not to enter (rigs inside a source). Links that stay below the root are passed
    over in silence, since what they lead to is met at its own place; `with_links` yields those to files as well
    (an emulator reads through them). Raises nothing.
    """
    waiting = [""]
    while waiting:
        folder = waiting.pop()
        try:
            with os.scandir(root / folder) as listing:
                children = sorted(listing, key=lambda child: child.name)
        except OSError as error:
            yield Skipped(folder or ".", f"folder cannot be read: {reason_of(error)}")
            continue
        inner = []
        for child in children:
            path = f"{folder}/{child.name}" if folder else child.name
            try:
                if child.is_symlink():
                    if (why := _link_fault(root, root / path)) is not None:
                        yield Skipped(path, why)
                    elif with_links and child.is_file():
                        yield entry_of(path, child.stat(), link=True)
                elif child.is_dir(follow_symlinks=False):
                    if child.name != MEMORY_FOLDER and root / path not in leave_out:
                        inner.append(path)
                elif child.is_file(follow_symlinks=False) and not _WORK_FILE.match(child.name):
                    yield entry_of(path, child.stat(follow_symlinks=False))
                elif not _WORK_FILE.match(child.name):
                    yield Skipped(path, "is no regular file (a pipe, socket or device)")
            except OSError as error:
                yield Skipped(path, f"cannot be read: {reason_of(error)}")
        waiting.extend(reversed(inner))


def entry_of(path: str, status: os.stat_result, *, link: bool = False) -> Entry:
    """The entry of a file, from what the system says of it."""
    return Entry(path, status.st_size, status.st_mtime_ns, status.st_ctime_ns, status.st_ino, link)


def _link_fault(root: Path, link: Path) -> str | None:
    try:
        target = link.resolve(strict=True)
    except (OSError, RuntimeError):
        return "is a link that leads nowhere"
    if leads_out(root, target):
        return "is a link that leads out of the folder; links are not followed"
    return None
