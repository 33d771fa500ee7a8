"""Key files as they were read, and what is true of them; never a value."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct

from gribble.core.base.digests import Digests
from gribble.core.records.sheet import Key, Level


class KeyVerdict(StrEnum):
    """What is true of one key in a file."""

    SOUND = "sound"
    UNPROVEN = "unproven"
    MISSING = "missing"
    MALFORMED = "malformed"
    CONFLICTING = "conflicting"
    IMPOSTER = "imposter"


class Entry(Struct, frozen=True, kw_only=True):
    """One name in a key file: the lines it is on, length in bytes and SHA-256 of its value, or what is wrong."""

    lines: tuple[int, ...]
    bytes: int = 0
    sha256: str = ""
    fault: str = ""
    conflicting: bool = False


class KeyFile(Struct, frozen=True, kw_only=True):
    """A key file as read: its entries by name, how many lines are no entries, the digests of the whole file.

    `fault` says why it is no key file at all.
    """

    entries: dict[str, Entry] = {}
    odd_lines: tuple[int, ...] = ()
    digests: Digests = Digests()
    fault: str = ""


class KeyFinding(Struct, frozen=True, kw_only=True):
    """What is true of one key that a need asks for, and what the file has under its name."""

    key: Key
    verdict: KeyVerdict
    entry: Entry | None = None

    @property
    def usable(self) -> bool:
        """Whether nothing speaks against it."""
        return self.verdict in (KeyVerdict.SOUND, KeyVerdict.UNPROVEN)


class KeysJudgement(Struct, frozen=True, kw_only=True):
    """A key file measured against a need: `verdict` is sound, unproven, damaged or imposter. `unknown` is how many of
    its names the sheet does not know; `fault` says why it is no key file at all."""

    verdict: str
    keys: tuple[KeyFinding, ...] = ()
    unknown: int = 0
    fault: str = ""

    @property
    def wanted(self) -> tuple[KeyFinding, ...]:
        """The keys that decide: those that must be there, else all."""
        return tuple(one for one in self.keys if one.key.level is Level.MUST) or self.keys

    @property
    def usable(self) -> frozenset[str]:
        """The names of the keys that nothing speaks against."""
        return frozenset(found.key.name for found in self.keys if found.usable)
