"""The kinds of volumes and of settings files whose rules are known."""

from __future__ import annotations

from enum import StrEnum

VOLUMES = ("fat32", "exfat", "ntfs", "ext4", "apfs")
"""Kinds of volume whose rules are known."""


class Format(StrEnum):
    """The formats of settings files."""

    INI = "ini"
    TOML = "toml"
    JSON = "json"
    XML = "xml"
    YAML = "yaml"
