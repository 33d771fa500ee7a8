"""What a volume can hold: whether it folds case."""

from __future__ import annotations

from pathlib import Path

FOLDING = {"fat32": True, "exfat": True, "ntfs": True, "apfs": True, "ext4": False}
"""Whether two spellings of a name are one file, by kind of volume as it is formatted by default."""


def folds_case(volume: str, root: Path) -> bool:
    """Whether a rig's volume takes two spellings of a name for one.

    Where the kind of volume is "auto", the root itself is looked up under another spelling; nothing is written.
    """
    if volume in FOLDING:
        return FOLDING[volume]
    other = root.with_name(root.name.swapcase())
    try:
        return other.name != root.name and other.samefile(root)
    except OSError:
        return False
