"""Path rules: which relative paths stay below their root, and what names fold into one."""

from __future__ import annotations

import itertools
import os
import re
import stat
import unicodedata
from collections.abc import Callable, Iterable
from pathlib import Path

_DOUBTFUL = re.compile(r"[^A-Za-z0-9 _.()\[\]&'!,+\n-]|\.\.|(?:^|\n)(?:[ .]|\n|$)")
_DOUBTFUL_BYTES = re.compile(_DOUBTFUL.pattern.encode())
_INVISIBLE = frozenset({"Cc", "Cf", "Cs", "Zl", "Zp"})
_SHORT_NAME = re.compile(r"^gribbl~\d+$")
_MOUNT_POINT = 0xA0000003
"""IO_REPARSE_TAG_MOUNT_POINT (Microsoft's "Reparse Point Tags")."""
_DRIVE = re.compile(r"^[A-Za-z]:")


MOST_PATH = 1024
"""No path within a rig has more characters; a longer one would be folders in folders without end."""


def is_text(name: str) -> bool:
    """Whether a name or a path can stand in a text: what a disk has need not be UTF-8."""
    if name.isascii():
        return True
    try:
        name.encode()
    except UnicodeEncodeError:
        return False
    return True


def path_fault(path: str) -> str | None:
    """Why a relative path from a sheet, a configuration or an archive must not be used, or None.

    Paths use forward slashes; one that could leave its root on any system is refused on every system.
    """
    if len(path) > MOST_PATH:
        return f"has more than {MOST_PATH:,} characters"
    return climb_fault(path) or own_fault(path)


def climb_fault(path: str) -> str | None:
    """The same for a path that is only looked at, and not written to: why it leads elsewhere."""
    if "\n" not in path and not _DOUBTFUL.search(path):
        return None
    if not path:
        return "is empty"
    if any(ord(char) < 32 or ord(char) == 127 for char in path):
        return "contains a control character"
    if "\\" in path:
        return "contains a backslash; use forward slashes"
    if path.startswith(("/", "~")):
        return "is absolute; it must be relative"
    if _DRIVE.match(path):
        return "starts with a drive letter; it must be relative"
    if ".." in path.split("/"):
        return "climbs out of its root with '..'"
    return None


def own_fault(path: str) -> str | None:
    """Why a path could lead to what is Gribble's own on some system, or None.

    Systems drop dots and blanks at the end of a name, some ignore invisible characters, fold case, or keep a short
    second name for a long one; a colon begins the name of a stream (Microsoft's "Naming Files, Paths, and Namespaces").
    """
    parts = path.removesuffix("/").split("/")
    if len(parts) > 1 and ("" in parts or "." in parts):
        return "has an empty part" if "" in parts else "has the part '.'"
    if path.isascii() and "gribbl" not in path.lower():
        return None
    for part in parts:
        visible = "".join(char for char in part if unicodedata.category(char) != "Cf")
        name = fold(unicodedata.normalize("NFKC", visible)).partition(":")[0].strip()
        if name.startswith(".gribble") or _SHORT_NAME.match(name.rstrip(". ")):
            return "leads to what is Gribble's own"
    return None


def plain_paths(paths: list[str]) -> bool:
    """Whether there can be no doubt about any of many paths; looked over in one go, since rosters have thousands."""
    joined = "\n".join(paths)
    return joined.count("\n") == len(paths) - 1 and not _DOUBTFUL.search(joined)


def plain_names(names: list[bytes]) -> bool:
    """The same for names as archives give them."""
    joined = b"\n".join(names)
    return joined.count(b"\n") == len(names) - 1 and not _DOUBTFUL_BYTES.search(joined)


def name_fault(name: str) -> str | None:
    """Why a file name from a sheet must not be used, or None. A name is one part of a path."""
    if "/" in name:
        return path_fault(name) or "contains a slash; give the folder apart"
    return path_fault(name) or (None if is_text(name) else "is not UTF-8")


def join(*parts: str) -> str:
    """Parts of a relative path joined by forward slashes, with empty and '.' parts left out."""
    return "/".join(part for whole in parts for part in whole.split("/") if part not in ("", "."))


def lies_below(path: str, folder: str) -> bool:
    """Whether a relative path is a folder's or is below it."""
    return path == folder or path.startswith(f"{folder}/")


def parent(path: str) -> str:
    """The folder of a relative path; empty for the root itself."""
    return path.rpartition("/")[0]


def folders_above(paths: Iterable[str]) -> set[str]:
    """The folders in which relative paths are, at any depth, without the root."""
    found: set[str] = set()
    for path in paths:
        folder = parent(path)
        while folder and folder not in found:
            found.add(folder)
            folder = parent(folder)
    return found


def folder_of_all(paths: Iterable[str]) -> str:
    """The folder of somebody's machine that all paths are in, with what parts it from the rest; empty if they are not
    all absolute."""
    ordered = sorted(path.strip() for path in paths) or [""]
    alike = itertools.takewhile(lambda pair: pair[0] == pair[1], zip(ordered[0], ordered[-1], strict=False))
    shared = "".join(sign for sign, _ in alike)
    return shared[: max(shared.rfind("/"), shared.rfind("\\")) + 1] if _ABSOLUTE.match(shared) else ""


_ABSOLUTE = re.compile(r"^(?:[A-Za-z]:[\\/]|/)")


def base(path: str) -> str:
    """The last part of a relative path."""
    return path.rpartition("/")[2]


def hidden_part(path: str) -> tuple[str, str]:
    """The first part of a relative path that is hidden by its name, and what is above it; both empty without one."""
    parts = path.split("/")
    for number, part in enumerate(parts):
        if part.startswith(".") and part not in (".", ".."):
            return part, "/".join(parts[:number])
    return "", ""


def visible(text: str, instead: str | Callable[[str], str]) -> str:
    """Text from elsewhere with everything in it replaced that is not seen but works: control characters (C0, C1), marks
    that turn the writing direction, joiners and other invisible ones, tags, lone surrogates, line separators.

    `instead` is what stands for such a character, or makes it from the character. By Unicode's general categories.
    """
    if text.isprintable():
        return text
    put = instead if callable(instead) else lambda _char: instead
    return "".join(put(char) if unicodedata.category(char) in _INVISIBLE else char for char in text)


def fold(name: str) -> str:
    """The form in which names that differ only in case (or Unicode composition) are equal."""
    return name.lower() if name.isascii() else unicodedata.normalize("NFC", name).casefold()


def relative(path: str | Path, start: str | Path) -> str:
    """A path as seen from a folder, with forward slashes; as it is where no way leads there (another drive)."""
    try:
        return os.path.relpath(path, start).replace(os.sep, "/")
    except ValueError:
        return str(path).replace(os.sep, "/")


def outside(path: str) -> bool:
    """Whether a step's path is none on its rig: an absolute one of this machine, or an address."""
    return "://" in path or Path(path).is_absolute()


def is_junction(status: os.stat_result) -> bool:
    """Whether a folder, by its own status, is a junction of Windows: a link that is none to Python's `is_symlink`."""
    return getattr(status, "st_reparse_tag", 0) == _MOUNT_POINT


def is_link(path: str | Path) -> bool:
    """Whether a path is a link of any kind; what is not there is none."""
    try:
        status = os.lstat(path)
    except (OSError, ValueError):
        return False
    return stat.S_ISLNK(status.st_mode) or is_junction(status)


def leads_out(root: Path, target: Path) -> bool:
    """Whether a path, links followed, ends outside the root."""
    return not target.resolve().is_relative_to(root.resolve())


def identity(path: str | Path) -> tuple[int, int] | None:
    """What tells a file or folder apart whatever it is called: device and inode. None if it is not there, or the
    system gives none (an inode of 0 says nothing)."""
    try:
        status = os.stat(path)
    except OSError:
        return None
    return (status.st_dev, status.st_ino) if status.st_ino else None


def spelling(path: str | Path) -> str:
    """A path with links resolved, normalised and folded: equal for one place under several names, where the system
    does not tell places apart itself."""
    return fold(os.path.realpath(path))


def same_place(one: str | Path, other: str | Path) -> bool:
    """Whether two paths lead to one file or folder, be it by a link, in another case or in another Unicode form."""
    first, second = identity(one), identity(other)
    if first and second:
        return first == second
    if os.path.lexists(one) and os.path.lexists(other):
        return spelling(one) == spelling(other)
    return os.path.realpath(one) == os.path.realpath(other)


def lies_in(target: Path, folders: Iterable[Path], ends: Iterable[Path] = ()) -> Path | None:
    """The nearest of some folders that a path is, or is in, whatever name leads there; None if there is none.

    Each ends where one of `ends` begins in it: what is in that one does not are in the folder.
    """
    place = Path(os.path.realpath(target))
    known = [(folder, identity(folder), True) for folder in folders]
    known += [(folder, identity(folder), False) for folder in ends]
    for one in (place, *place.parents):
        here = identity(one)
        for folder, there, counts in known:
            if here == there if here and there else same_place(one, folder):
                return folder if counts else None
    return None


MEMORY_FOLDER = ".gribble"
"""Folder of Gribble's own (attic, journal, index); never walked into."""


FOLDER_LOCK = ".gribble-lock"
"""The file by which writers keep each other out of a folder, for as long as one is at work."""
_NEW_FILE = re.compile(r"^\.gribble-new-[0-9a-f]{16}\.part$")


def link_among_own(path: Path) -> Path | None:
    """The first link on the way to a path from a folder of Gribble's own on, that folder included; None if there is
    none, or no such folder."""
    parts = path.parts
    if MEMORY_FOLDER not in parts:
        return None
    first = parts.index(MEMORY_FOLDER) + 1
    ways = (Path(*parts[:count]) for count in range(first, len(parts) + 1))
    return next((way for way in ways if is_link(way)), None)


_WORK_FILE = re.compile(r"^\.gribble-\d+-\d+\.(part|third|aside)$")


def is_new_file(name: str) -> bool:
    """Whether a name is that of a work file in which something is written that is beside rigs."""
    return name.startswith(".gribble-") and _NEW_FILE.match(name) is not None


def is_work_file(name: str) -> bool:
    """Whether a name is one of Gribble's own for what it is about to put in place, or for the lock of a folder."""
    return name.startswith(".gribble-") and (
        name == FOLDER_LOCK or _WORK_FILE.match(name) is not None or is_new_file(name)
    )


UNDONE = "-undone"
"""Behind a run's number: what its undoing has taken away again."""


MOST_DIGITS = 9
"""No number of a run, a step or a process has more digits: a name of hundreds of them is none of ours."""


def whole_number(word: str) -> int | None:
    """The number that a word is, if it is one of a run, a step or a process."""
    return int(word) if word.isascii() and word.isdigit() and len(word) <= MOST_DIGITS else None


def run_number(word: str) -> int:
    """The number of a run in a word; 0 if it is none."""
    return whole_number(word) or 0


def run_of(slot: str) -> int:
    """The run that filled a slot of the attic; 0 for a file that no run has put there."""
    return run_number(slot.partition("/")[0].removesuffix(UNDONE))


def without_home(folder: str, home: str) -> Callable[[str], str]:
    """Return what shortens the paths in a text that others may read: those below a `folder` begin there, and those
    below the `home` folder begin with a tilde."""
    roots = [
        (root.rstrip("/"), re.compile(rf"(?<![\w/.~-]){re.escape(root.rstrip('/'))}(?:[/\\]|(?![\w.-]))"), short)
        for root, short in ((folder, ""), (home, "~/"))
        if root
    ]

    def shortened(text: str) -> str:
        for root, pattern, short in roots:
            if root in text:  # which hardly any has
                text = pattern.sub(short, text)
        return text

    return shortened
