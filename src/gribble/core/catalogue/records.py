"""The records of sheets and of gribble.toml, in the shape of the files (DESIGN.md section 4)."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct

ALGORITHMS = ("crc32", "md5", "sha1", "sha256")
"""Digest algorithms, weakest first."""

HEX_LENGTHS = {"crc32": 8, "md5": 32, "sha1": 40, "sha256": 64}
"""Length of each algorithm's digest in hexadecimal digits."""


class Level(StrEnum):
    """How much an emulator wants a need."""

    MUST = "must"
    BETTER = "better"
    EXTRA = "extra"


class Kind(StrEnum):
    """What kind of file meets a need."""

    BIOS = "bios"
    FIRMWARE = "firmware"
    IMAGE = "image"
    DATA = "data"


class Digests(Struct, frozen=True, kw_only=True):
    """Digests of one content in lower-case hexadecimal; absent ones are None."""

    crc32: str | None = None
    md5: str | None = None
    sha1: str | None = None
    sha256: str | None = None

    def get(self, algorithm: str) -> str | None:
        """The digest of this algorithm, if known."""
        digest: str | None = getattr(self, algorithm)
        return digest

    def strongest(self) -> str | None:
        """The strongest algorithm that has a digest here."""
        return next((name for name in reversed(ALGORITHMS) if self.get(name)), None)

    def known(self) -> dict[str, str]:
        """The digests that are known, by algorithm, weakest first."""
        return {name: digest for name in ALGORITHMS if (digest := self.get(name))}


class Accept(Digests, frozen=True, kw_only=True, omit_defaults=True):
    """One content that meets a need. `size` is in bytes."""

    label: str = ""
    region: str | None = None
    version: str | None = None
    size: int | None = None
    releases: str | None = None


class Reject(Digests, frozen=True, kw_only=True, omit_defaults=True):
    """One content known not to work, and why."""

    label: str = ""
    size: int | None = None
    why: str = ""


class Also(Struct, frozen=True, kw_only=True):
    """A further place where the emulator wants a copy."""

    folder: str
    name: str


class Need(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One thing an emulator wants: which contents, under which names, where, and what for."""

    id: str
    kind: Kind
    level: Level
    folder: str
    name: str
    title: str = ""
    machines: tuple[str, ...] | None = None
    why: str = ""
    any_name: bool = False
    aliases: tuple[str, ...] = ()
    also: tuple[Also, ...] = ()
    releases: str | None = None
    accept: tuple[Accept, ...] = ()
    reject: tuple[Reject, ...] = ()

    @property
    def names(self) -> tuple[str, ...]:
        """Every accepted name, the one that placing writes first."""
        return (self.name, *self.aliases)


class Unlock(Struct, frozen=True, kw_only=True):
    """Dumps of a need may be locked: after `skip` bytes, XORed with the repeated content of a key need's file."""

    need: str
    key_need: str
    skip: int = 0


class Sheet(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What one emulator needs. `folders` are relative to a rig's root."""

    sheet: int
    emulator: str
    folders: dict[str, str]
    title: str = ""
    machines: tuple[str, ...] = ()
    order: tuple[str, ...] = ()
    need: tuple[Need, ...] = ()
    unlock: tuple[Unlock, ...] = ()


class Installed(Struct, frozen=True, kw_only=True):
    """One emulator on a rig: its release, and how the sheet's layout fits this rig."""

    release: str | None = None
    at: str = ""
    folders: dict[str, str] = {}
    machines: tuple[str, ...] | None = None
    ignore: tuple[str, ...] = ()


class Rig(Struct, frozen=True, kw_only=True):
    """One playing setup as the user wrote it; `at` is made absolute on loading."""

    at: str
    volume: str = "auto"
    emulators: dict[str, Installed] = {}


class Config(Struct, frozen=True, kw_only=True):
    """gribble.toml; folders are made absolute on loading."""

    sources: tuple[str, ...] = ()
    catalogues: tuple[str, ...] = ()
    regions: tuple[str, ...] = ()
    rig: dict[str, Rig] = {}
