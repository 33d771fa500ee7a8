"""Walking a folder: its regular files in a fixed order, and what was passed over and why."""

from __future__ import annotations

import operator
import os
import re
from collections.abc import Iterator
from pathlib import Path

from msgspec import Struct

from gribble.core.errors import reason_of
from gribble.core.paths import leads_out

MEMORY_FOLDER = ".gribble"
"""Folder of Gribble's own (attic, journal, index); never walked into."""

_NAME = operator.attrgetter("name")
_WORK_FILE = re.compile(r"^\.gribble-\d+-\d+\.(part|third|aside)$")


class Entry(Struct, frozen=True, gc=False):
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


class Folder(Struct, gc=False):
    """One folder's files, its path relative to the walked root, and what was passed over in it."""

    path: str
    files: list[Entry]
    skipped: list[Skipped]


def walk(root: Path, leave_out: frozenset[Path] = frozenset(), *, with_links: bool = False) -> Iterator[Folder]:
    """Every regular file below the root, folder by folder in name order; links out of the root are never followed.

    `leave_out` are absolute folders not to enter (rigs inside a source). Links that stay below the root are passed
    over in silence, since what they lead to is met at its own place; `with_links` yields those to files as well
    (an emulator reads through them). Raises nothing.
    """
    waiting = [""]
    while waiting:
        folder = Folder(waiting.pop(), [], [])
        try:
            with os.scandir(root / folder.path) as listing:
                children = sorted(listing, key=_NAME)
        except OSError as error:
            folder.skipped.append(Skipped(folder.path or ".", f"folder cannot be read: {reason_of(error)}"))
            yield folder
            continue
        prefix = f"{folder.path}/" if folder.path else ""
        inner = []
        for child in children:
            try:
                if child.is_file(follow_symlinks=False):
                    if not is_work_file(child.name):
                        folder.files.append(entry_of(prefix + child.name, child.stat(follow_symlinks=False)))
                elif child.is_dir(follow_symlinks=False):
                    if child.name != MEMORY_FOLDER and root / prefix / child.name not in leave_out:
                        inner.append(prefix + child.name)
                else:
                    _meet_other(root, prefix + child.name, child, folder, with_links)
            except OSError as error:
                folder.skipped.append(Skipped(prefix + child.name, f"cannot be read: {reason_of(error)}"))
        yield folder
        waiting.extend(reversed(inner))


def _meet_other(root: Path, path: str, child: os.DirEntry[str], folder: Folder, with_links: bool) -> None:
    """What is neither a file nor a folder: a link, or nothing to be read."""
    if not child.is_symlink():
        folder.skipped.append(Skipped(path, "is no regular file (a pipe, socket or device)"))
    elif (why := _link_fault(root, root / path)) is not None:
        folder.skipped.append(Skipped(path, why))
    elif with_links and child.is_file():
        folder.files.append(entry_of(path, child.stat(), link=True))


def is_work_file(name: str) -> bool:
    """Whether a name is one of Gribble's own for what it is about to put in place."""
    return name.startswith(".gribble-") and _WORK_FILE.match(name) is not None


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
