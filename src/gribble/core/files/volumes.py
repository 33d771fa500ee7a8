"""What a volume is, and what it can hold: its kind, its label, whether it folds case."""

from __future__ import annotations

import contextlib
import os
import re
import sys
from collections.abc import Callable, Collection, Iterator
from pathlib import Path

from gribble.core.base.changing import WINDOWS
from gribble.core.base.names import FORBIDDEN, is_device
from gribble.core.base.paths import visible
from gribble.core.base.regular import open_raw

if sys.platform == "win32":
    import ctypes

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
    None if there is none that can be tried."""
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
    """Whether a name is found in another case; None if it has none, or that is a name of its own there."""
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
    """The kind of volume a folder is on, and its label; empty if that cannot be told."""
    kind, device, mountpoint = _mounted_at(root)
    return _kind_of(kind, device), _label_of(device, mountpoint) if kind else ""


_SIGNATURES = {b"EXFAT   ": "exfat", b"NTFS    ": "ntfs"}


def _kind_of(name: str, device: str) -> str:
    """A kind of volume by the system's name for it; where that only says that a program serves it, by the signature of
    its device, if we may read that (the exFAT specification, 3.1; NTFS has its own at the same place)."""
    if not name.startswith("fuse") or not os.path.isabs(device):
        return _KINDS.get(name, "")
    try:
        with open_raw(device, devices=True) as stream:
            return _SIGNATURES.get(stream.read(11)[3:], "")
    except OSError:
        return ""


def is_share(folder: Path) -> bool:
    """Whether a folder is on what several machines, or a program, may have at once."""
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


_IDS = Path("/dev/disk/by-uuid")
_ID, _NUMBER = "id ", "number "


def mark_of(folder: Path) -> str:
    """What the volume of a folder is known by wherever it is plugged in: its id and its label, or the number that its
    file system makes of its id. Empty where it has neither.

    Sources: udev's links on Linux, `GetVolumeInformation` on Windows; statvfs(3) gives a file system's number, which
    some make of the device's instead.
    """
    if sys.platform == "win32":
        return _mark_on_windows(folder)
    try:
        device = os.stat(folder).st_dev
        if volume := _name_among(_IDS, device):
            return f"{_ID}{volume} {_name_among(_LABELS, device)}".rstrip()
        tell = getattr(os, "statvfs", None)  # not every system has it
        number = tell(folder).f_fsid if tell else 0
    except OSError:
        return ""
    return f"{_NUMBER}{number:x}" if number > MOST_DEVICE and sys.platform == "linux" else ""


MOST_DEVICE = 0xFFFFFFFF
"""A device's number has 32 bits on Linux, the number made of an id 64."""


def are_others(mark: str, other: str) -> bool:
    """Whether two marks are certain to be of two volumes; a number alone may be another at each mounting."""
    return mark != other and mark.startswith(_ID) and other.startswith(_ID)


def _name_among(links: Path, device: int) -> str:
    """The name of the link to a device among some."""
    try:
        names = [link for link in os.listdir(links) if _leads_to(links / link, device)]
        return os.fsdecode(names[0].encode().decode("unicode_escape").encode("latin-1")) if names else ""
    except (OSError, ValueError):
        return ""


def _leads_to(link: Path, device: int) -> bool:
    with contextlib.suppress(OSError):
        return bool(getattr(link.stat(), "st_rdev", None) == device)  # Windows has none
    return False


if sys.platform == "win32":

    def _mark_on_windows(folder: Path) -> str:
        windows = ctypes.windll.kernel32
        label, number = ctypes.create_unicode_buffer(261), ctypes.c_uint32()
        root = ctypes.create_unicode_buffer(261)
        known = windows.GetVolumePathNameW(str(folder), root, 261) and windows.GetVolumeInformationW(
            root, label, 261, ctypes.byref(number), None, None, None, 0
        )
        return f"{_ID}{number.value:08x} {label.value}".rstrip() if known else ""


def mounted_with(mark: str) -> Iterator[Path]:
    """Where the volume with a mark is mounted now."""
    places = dict.fromkeys(Path(mountpoint) for _, _, mountpoint in _mounted())
    yield from (place for place in places if mark_of(place) == mark)


def mount_point(folder: Path) -> Path:
    """Where the volume of a folder is mounted."""
    place = Path(os.path.realpath(folder))
    while not os.path.ismount(place) and place != place.parent:
        place = place.parent
    return place


def _mounted() -> list[tuple[str, str, str]]:
    """What is mounted: the system's name for its kind, in small letters, its device, and where."""
    import psutil

    try:
        return [(part.fstype.lower(), part.device, part.mountpoint) for part in psutil.disk_partitions(all=True)]
    except (OSError, RuntimeError, psutil.Error):
        return []


def _mounted_at(root: Path) -> tuple[str, str, str]:
    """What a folder is on, in the same way; empty if that cannot be told."""
    try:
        place = root.resolve()
    except (OSError, RuntimeError):
        return "", "", ""
    volumes = [volume for volume in _mounted() if place.is_relative_to(volume[2])]
    return max(volumes, key=lambda volume: len(volume[2]), default=("", "", ""))


def _label_of(device: str, mountpoint: str) -> str:
    """A volume's label as Linux lists it, or as macOS mounts it; empty elsewhere."""
    if mountpoint.startswith("/Volumes/"):
        return Path(mountpoint).name
    try:
        return _name_among(_LABELS, getattr(os.stat(device), "st_rdev", -1))
    except OSError:
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
            return "has a part that is not valid text; only Windows can store it"
        if length > MOST_NAME:
            return f"has a part of {length} characters, and {what if by_windows else volume} holds {MOST_NAME}"
    return ""


def utf16_units(name: str) -> int:
    """How long a name is as Windows counts it."""
    return len(name.encode("utf-16-le", "surrogatepass")) // 2
