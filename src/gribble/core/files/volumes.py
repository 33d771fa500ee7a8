"""What a volume is, and what it can hold: its kind, its label, whether it folds case."""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Callable, Collection
from pathlib import Path

from gribble.core.base.changing import WINDOWS
from gribble.core.base.names import FORBIDDEN, is_device
from gribble.core.base.paths import visible
from gribble.core.base.regular import open_regular

USUALLY_FOLDS = WINDOWS or sys.platform == "darwin"
"""Whether a volume of which nothing is known folds case, as a rule."""
FOLDING = {"fat32": True, "exfat": True, "ntfs": True, "apfs": True, "ext4": False}
"""Whether two spellings of a name are one file, by kind of volume as it is formatted by default."""


def folds_case(volume: str, root: Path) -> bool:
    """Whether a rig's volume takes two spellings of a name for one. Nothing is written.

    Where the kind of volume is "auto", a name within the root is looked up under another spelling (the root's own lies
    on another volume where this one is mounted); where nothing in it can be tried, the kind that is found decides.
    """
    if volume in FOLDING:
        return FOLDING[volume]
    tried = _tried(root)
    return FOLDING.get(volume_of(root)[0], USUALLY_FOLDS) if tried is None else tried


def _tried(root: Path) -> bool | None:
    """Whether a name in a folder is found under another spelling, or its own where its volume is not mounted at it;
    None where there is none that can be tried."""
    try:
        with os.scandir(root) as listing:
            children = {child.name: child.is_symlink() for child in listing}
        for name, is_link in children.items():  # a link could be the other spelling itself
            if not is_link and (answer := _found_otherwise(root, name, children)) is not None:
                return answer
        if root.name and root.stat().st_dev == root.parent.stat().st_dev:
            return _found_otherwise(root.parent, root.name, os.listdir(root.parent))
    except OSError:
        pass
    return None


def _found_otherwise(folder: Path, name: str, names: Collection[str]) -> bool | None:
    """Whether a name is found in another case; None where it has none, or that is a name of its own there."""
    other = name.swapcase()
    return os.path.lexists(folder / other) if other != name and name.isascii() and other not in names else None


CLUSTERS = {"fat32": 32 << 10, "exfat": 128 << 10}
"""The least room that a file takes, in bytes, on volumes of the usual size; elsewhere `CLUSTER`."""
CLUSTER = 4096


def whole_clusters(size: int, cluster: int) -> int:
    """What a file of a size takes on a volume with clusters of a size, all in bytes."""
    return -(-size // cluster) * cluster


def cluster_of(volume: str, root: Path) -> int:
    """The least room that a file takes on a volume, in bytes: as it says itself, else what is usual for its kind."""
    if volume in CLUSTERS:
        return CLUSTERS[volume]
    try:
        tell = getattr(os, "statvfs", None)  # not every system has it
        return (tell(root).f_frsize if tell else 0) or CLUSTER
    except OSError:
        return CLUSTER


_KINDS = {
    "vfat": "fat32", "msdos": "fat32", "fat32": "fat32", "fat": "fat32", "exfat": "exfat", "ntfs": "ntfs",
    "ntfs3": "ntfs", "ext2": "ext4", "ext3": "ext4", "ext4": "ext4", "apfs": "apfs",
}  # fmt: skip
"""Kinds of volume by the names that operating systems give them."""

_LABELS = Path("/dev/disk/by-label")


_SHARES = re.compile(r"fuse(?!blk)|macfuse|osxfuse|cifs|smb|nfs|afp|webdav|davfs|9p|vboxsf|vmhgfs|prl_fs|drvfs|sshfs")
"""Names of what is reached by a network, a program or another system: SQLite's files are not shared there."""
_NUMBERED_ANEW = re.compile(r"vfat|msdos|fat|exfat|fuse|macfuse|osxfuse|cifs|smb|webdav|davfs|9p|vboxsf|vmhgfs")
"""Names of volumes whose files get other inodes whenever they are mounted."""


def volume_of(root: Path) -> tuple[str, str]:
    """The kind of volume a folder lies on, and its label; empty where that cannot be told."""
    kind, device, mountpoint = _mounted_at(root)
    return _kind_of(kind, device), _label_of(device, mountpoint) if kind else ""


_SIGNATURES = {b"EXFAT   ": "exfat", b"NTFS    ": "ntfs"}


def _kind_of(name: str, device: str) -> str:
    """A kind of volume by the system's name for it; where that only says that a program serves it, by the signature of
    its device, if we may read that (the exFAT specification, 3.1; NTFS has its own at the same place)."""
    if not name.startswith("fuse") or not os.path.isabs(device):
        return _KINDS.get(name, "")
    try:
        with open_regular(device, devices=True) as stream:
            return _SIGNATURES.get(stream.read(11)[3:], "")
    except OSError:
        return ""


def is_share(folder: Path) -> bool:
    """Whether a folder lies on what several machines, or a program, may have at once."""
    return bool(_SHARES.match(_mounted_at(folder)[0]))


def keeps_inodes(folder: Path) -> bool:
    """Whether files keep their inodes on a folder's volume when it is unplugged and plugged in again."""
    name, device, _ = _mounted_at(folder)
    return _kind_of(name, device) == "ntfs" or not _NUMBERED_ANEW.match(name)


Told = tuple[int, int, int, int]
"""What a file is told by: size in bytes, times of modification and of change in nanoseconds since 1970, inode."""


def unchanged(former: Told, now: Told, keeps: Callable[[], bool]) -> bool:
    """Whether a file is as it was: another inode counts only where there was one both times, and the volume `keeps`
    them (which takes a while to find out)."""
    if former == now:
        return True
    return former[:3] == now[:3] and not (former[3] and now[3] and keeps())


def _mounted_at(root: Path) -> tuple[str, str, str]:
    """What a folder lies on: the system's name for its kind, in small letters, its device, and where it is mounted."""
    import psutil

    try:
        place = root.resolve()
        volumes = [part for part in psutil.disk_partitions(all=True) if place.is_relative_to(part.mountpoint)]
    except (OSError, RuntimeError, psutil.Error):
        return "", "", ""
    volume = max(volumes, key=lambda part: len(part.mountpoint), default=None)
    return (volume.fstype.lower(), volume.device, volume.mountpoint) if volume else ("", "", "")


def _label_of(device: str, mountpoint: str) -> str:
    """A volume's label as Linux lists it, or as macOS mounts it; empty elsewhere."""
    if mountpoint.startswith("/Volumes/"):
        return Path(mountpoint).name
    try:
        for link in _LABELS.iterdir():
            if link.samefile(device):
                return os.fsdecode(link.name.encode().decode("unicode_escape").encode("latin-1"))
    except OSError:
        pass
    return ""


_AS_WINDOWS = ("fat32", "exfat", "ntfs")
MOST_BYTES = {"fat32": (4 << 30) - 1}
"""The largest file, in bytes; elsewhere more than anyone has."""
WITHOUT_LINKS = ("fat32", "exfat")
"""Volumes on which a file cannot have a second name, so that the attic takes room of its own."""
MOST_NAME = 255
"""Longest name: in UTF-16 units on FAT32, exFAT and NTFS, in bytes elsewhere."""


def trouble(path: str, size: int, volume: str) -> str:
    """Why a volume cannot hold a file of this name and size, in bytes; empty if it can, or nothing is known of it."""
    if size > MOST_BYTES.get(volume, size):
        return f"has {size:,} bytes, and {volume} holds files of at most {MOST_BYTES[volume]:,}"
    return name_trouble(path, volume) if volume in FOLDING or WINDOWS else ""


def name_trouble(path: str, volume: str, *, windows: bool = WINDOWS) -> str:
    """Why a volume cannot hold a relative path, or cannot give it back as it is; empty if it can. By `windows` every
    volume is written by that system's rules.

    Sources: Microsoft's "Naming Files, Paths, and Namespaces", the exFAT specification, and the manual page of ext4.
    """
    by_windows = windows or volume in _AS_WINDOWS
    what = volume if volume in _AS_WINDOWS else "Windows"
    for name in path.split("/"):
        bad = sorted(char for char in set(name) if char in FORBIDDEN or char < " ") if by_windows else []
        if bad:
            return f"has {' '.join(visible(one, 'a control character') for one in bad)}, which {what} cannot hold"
        if by_windows and name != name.rstrip(". "):
            return f"has a part that ends in a dot or a blank, which {what} drops"
        if by_windows and is_device(name):
            return f"has the part {name}, which is a device's name on {what}"
        try:
            length = utf16_units(name) if by_windows else len(name.encode("utf-8", "surrogateescape"))
        except UnicodeEncodeError:
            return "has a part that is no text, which only Windows can hold"
        if length > MOST_NAME:
            return f"has a part of {length} characters, and {what if by_windows else volume} holds {MOST_NAME}"
    return ""


def utf16_units(name: str) -> int:
    """How long a name is as Windows counts it."""
    return len(name.encode("utf-16-le", "surrogatepass")) // 2
