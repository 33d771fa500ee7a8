"""How arcade sets are packed. By itself, so that the command line can name it without loading the records."""

from __future__ import annotations

from enum import StrEnum


class Style(StrEnum):
    """How arcade sets are packed: a full archive stands alone."""

    SPLIT = "split"
    MERGED = "merged"
    FULL = "full"
