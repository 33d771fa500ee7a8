"""The kinds of volumes and of settings files whose rules are known, and what sizes there are."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from msgspec import Meta


class Style(StrEnum):
    """How arcade sets are packed: a full archive stands alone."""

    SPLIT = "split"
    MERGED = "merged"
    FULL = "full"


MOST_NUMBER = (1 << 63) - 1
"""No number in a file is larger: none can be said of a file, and databases hold no other."""
Size = Annotated[int, Meta(ge=0, le=MOST_NUMBER)]
"""A size in bytes that a file can have."""
VOLUMES = ("fat32", "exfat", "ntfs", "ext4", "apfs")
"""Kinds of volume whose rules are known."""


class Format(StrEnum):
    """The formats of settings files."""

    INI = "ini"
    TOML = "toml"
    JSON = "json"
    XML = "xml"
    YAML = "yaml"
