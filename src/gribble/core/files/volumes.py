"""What a volume is, and what it can hold: its kind, its label, whether it folds case."""

from __future__ import annotations

import os
import re
from pathlib import Path

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
    return FOLDING.get(volume_of(root)[0], False) if tried is None else tried


def _tried(root: Path) -> bool | None:
    """Whether a name in a folder is found under another spelling; None where there is none that can be tried."""
    try:
        with os.scandir(root) as listing:
            children = {child.name: child for child in listing}
        for name, child in children.items():
            other = name.swapcase()
            if other == name or not name.isascii() or other in children or child.is_symlink():
                continue  # a link could be the other spelling itself
            return os.path.lexists(root / other)
    except OSError:
        pass
    return None


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
        return os.statvfs(root).f_frsize or CLUSTER
    except (OSError, AttributeError):  # not there, or a system that does not tell
        return CLUSTER


_KINDS = {
    "vfat": "fat32", "msdos": "fat32", "fat32": "fat32", "fat": "fat32", "exfat": "exfat", "ntfs": "ntfs",
    "ntfs3": "ntfs", "fuseblk": "ntfs", "ext2": "ext4", "ext3": "ext4", "ext4": "ext4", "apfs": "apfs",
}  # fmt: skip
"""Kinds of volume by the names that operating systems give them."""

_LABELS = Path("/dev/disk/by-label")


_SHARES = re.compile(r"fuse(?!blk)|macfuse|osxfuse|cifs|smb|nfs|afp|webdav|davfs|9p|vboxsf|vmhgfs|prl_fs|drvfs|sshfs")
"""Names of what is reached by a network, a program or another system: SQLite's files are not shared there."""
_NUMBERED_ANEW = re.compile(r"vfat|msdos|fat|exfat|fuse(?!blk)|macfuse|osxfuse|cifs|smb|webdav|davfs|9p|vboxsf|vmhgfs")
"""Names of volumes whose files get other inodes whenever they are mounted."""


def volume_of(root: Path) -> tuple[str, str]:
    """The kind of volume a folder lies on, and its label; empty where that cannot be told."""
    kind, device, mountpoint = _mounted_at(root)
    return _KINDS.get(kind, ""), _label_of(device, mountpoint) if kind else ""


def is_share(folder: Path) -> bool:
    """Whether a folder lies on what several machines, or a program, may have at once."""
    return bool(_SHARES.match(_mounted_at(folder)[0]))


def keeps_inodes(folder: Path) -> bool:
    """Whether files keep their inodes on a folder's volume when it is unplugged and plugged in again."""
    return not _NUMBERED_ANEW.match(_mounted_at(folder)[0])


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


_RESERVED = frozenset(
    {"con", "prn", "aux", "nul", *(f"{name}{number}" for name in ("com", "lpt") for number in range(1, 10))}
)
_FORBIDDEN = {kind: '<>:"|?*\\' if kind in ("fat32", "exfat", "ntfs") else "" for kind in FOLDING}
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
    return name_trouble(path, volume) if volume in FOLDING else ""


def name_trouble(path: str, volume: str) -> str:
    """Why a volume cannot hold a relative path, or cannot give it back as it is; empty if it can.

    Sources: Microsoft's "Naming Files, Paths, and Namespaces", the exFAT specification, and the manual page of ext4.
    """
    for name in path.split("/"):
        bad = sorted(set(name) & set(_FORBIDDEN.get(volume, "")))
        if bad:
            return f"has {' '.join(bad)}, which {volume} cannot hold"
        windows = volume in ("fat32", "exfat", "ntfs")
        if windows and name != name.rstrip(". "):
            return f"has a part that ends in a dot or a blank, which {volume} drops"
        if windows and name.partition(".")[0].lower() in _RESERVED:
            return f"has the part {name}, which is a device's name on {volume}"
        length = len(name.encode("utf-16-le", "surrogatepass")) // 2 if windows else len(name.encode(errors="replace"))
        if length > MOST_NAME:
            return f"has a part of {length} characters, and {volume} holds {MOST_NAME}"
    return ""
