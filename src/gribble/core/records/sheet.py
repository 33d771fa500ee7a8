"""The records of sheets and of gribble.toml, in the shape of the files (docs/formats.md)."""

from __future__ import annotations

import os
from enum import StrEnum

from msgspec import Struct, field, structs

from gribble.core.base.digests import Digests
from gribble.core.base.kinds import Format
from gribble.core.base.paths import join, parent


class Level(StrEnum):
    """How much an emulator wants a need."""

    MUST = "must"
    BETTER = "better"
    EXTRA = "extra"


class Kind(StrEnum):
    """What kind of file meets a need."""

    BIOS = "bios"
    FIRMWARE = "firmware"
    KEYS = "keys"
    IMAGE = "image"
    DATA = "data"


class Accept(Digests, frozen=True, kw_only=True, omit_defaults=True):
    """One content that meets a need. `size` is in bytes; `requires_keys` are names in the emulator's key file,
    `requires` needs beside which alone it works."""

    label: str = ""
    region: str | None = None
    version: str | None = None
    size: int | None = None
    releases: str | None = None
    requires_keys: tuple[str, ...] = ()
    requires: tuple[str, ...] = ()

    @property
    def called(self) -> str:
        """What people call it: its label, else its version."""
        return self.label or (f"version {self.version}" if self.version else "")

    @property
    def in_full(self) -> str:
        """The same with its region."""
        return ", ".join(word for word in (self.called, self.region) if word)


class Reject(Digests, frozen=True, kw_only=True, omit_defaults=True):
    """One content known not to work, and why."""

    label: str = ""
    size: int | None = None
    why: str = ""


class Also(Struct, frozen=True, kw_only=True):
    """A further place where the emulator wants a copy."""

    folder: str
    name: str


class Key(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One key that a key file should have: `bytes` is its length, `sha256` that of its raw bytes."""

    name: str
    level: Level = Level.MUST
    bytes: int | None = None
    sha256: str | None = None


class OtherRelease(Reject, frozen=True, kw_only=True, omit_defaults=True):
    """A content that works, but not with the release that is installed."""


class ManifestFile(Digests, frozen=True, kw_only=True, omit_defaults=True):
    """One of the many files of a manifest need; `name` is a path below the need's folder, `size` is in bytes."""

    name: str
    size: int | None = None


class Need(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One thing an emulator wants: which contents, under which names, where, and what for.

    `manifest` names a checksum list beside the sheet; loading the sheet reads it into `file`. Where the level is not
    said, the most cautious one holds. With `changes` the emulator writes to the file: the accepts are what a fresh one
    holds. With `nothing_else` other files in a manifest's folder are wrong there. With `by_setting` the emulator finds
    it through its setting alone: wherever that leads, it is in its place. `requires_keys` are names that the key file
    must have for the files of a manifest, as an accept has them for one content.
    """

    id: str
    folder: str
    kind: Kind = Kind.DATA
    level: Level = Level.MUST
    name: str = ""
    title: str = ""
    machines: tuple[str, ...] | None = None
    why: str = ""
    choice: str | None = None
    any_name: bool = False
    by_setting: bool = False
    changes: bool = False
    nothing_else: bool = False
    aliases: tuple[str, ...] = ()
    also: tuple[Also, ...] = ()
    releases: str | None = None
    accept: tuple[Accept, ...] = ()
    reject: tuple[Reject, ...] = ()
    key: tuple[Key, ...] = ()
    manifest: str | None = None
    requires_keys: tuple[str, ...] = ()
    file: tuple[ManifestFile, ...] = ()

    @property
    def names(self) -> tuple[str, ...]:
        """Every accepted name, the one that placing writes first."""
        return (self.name, *self.aliases)

    @property
    def called(self) -> str:
        """What people call it: its title, else its id."""
        return self.title or self.id

    @property
    def requires(self) -> frozenset[str]:
        """Every need that one of its contents requires."""
        return frozenset(id_ for accept in self.accept for id_ in accept.requires)

    def parts(self) -> tuple[Need, ...]:
        """The single files that it asks for: one need for each file of a manifest, else the need itself."""
        if not self.file:
            return (self,)
        keys = self.requires_keys
        accepts = (
            structs.replace(Accept(label=one.name, size=one.size, requires_keys=keys), **one.known())
            for one in self.file
        )
        return tuple(structs.replace(self, name=one.label, file=(), accept=(one,)) for one in accepts)


class Unlock(Struct, frozen=True, kw_only=True):
    """Dumps of a need may be locked: after `skip` bytes, XORed with the repeated content of a key need's file."""

    need: str
    key_need: str
    skip: int = 0


class Setting(Struct, frozen=True, kw_only=True):
    """A value in the emulator's own configuration that must lead to a need's file, or to one of the folders; with
    `relative_to` it is a path below that folder, a bare file name say."""

    file: str
    format: Format
    key: str
    need: str | None = None
    folder: str | None = None
    relative_to: str | None = None


class Packing(StrEnum):
    """How game files must lie."""

    LOOSE = "loose"
    ZIPPED = "zipped"
    EITHER = "either"


class Refusal(Struct, frozen=True, kw_only=True):
    """An ending that an emulator cannot read, and why."""

    ending: str
    why: str = ""


class Media(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What a folder of games may hold. `max_bytes` is the size of the largest file the emulator takes."""

    folder: str
    accepts: tuple[str, ...]
    refuses: tuple[Refusal, ...] = ()
    packing: Packing = Packing.EITHER
    own_folder: bool = False
    folder_name: str | None = None
    max_bytes: int | None = None
    releases: str | None = None


class IdAt(Struct, frozen=True, kw_only=True):
    """Where a file carries its own id: offset and length in bytes."""

    offset: int
    length: int


class Pair(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Files that only work together: for `each` file of a pattern a partner, named by its stem or by its id.

    With `version_at` they are updates, of which only the newest for an id counts. Partners are in the same folder
    unless `wants_folder` names another; with `wants_id_at` they are known by the id in them. An `optional` one alarms
    nobody.
    """

    folder: str
    each: str
    wants: str
    id_at: IdAt | None = None
    version_at: IdAt | None = None
    wants_folder: str | None = None
    wants_id_at: IdAt | None = None
    optional: bool = False
    why: str = ""


class Root(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What the emulator's device demands of a rig's root: kinds of volume, and the volume's label. With
    `exact_names` it compares names exactly, whatever the volume does."""

    volume: tuple[str, ...] = ()
    label: str | None = None
    exact_names: bool = False


class Arcade(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """How an arcade emulator wants its sets: where its rosters and archives lie, and which it can read.

    Disc images are in a folder named by `disc_folder` (`{set}` stands for the set), as `<disc name><disc_ending>`, and
    archives of sound samples in that of the key `samples`.
    """

    rosters: str
    folder: str
    archives: tuple[str, ...] = ("zip",)
    disc_folder: str = "{set}"
    disc_ending: str = ".chd"
    samples: str = ""


class Origin(Struct, frozen=True, kw_only=True, omit_defaults=True, rename={"list_": "list"}):
    """The list that a sheet or a roster was made from: its address or file, the day on which it was read, and its
    SHA-256. `map` is the file beside the sheet by which it is read, `etag` what its server calls this state of it."""

    list_: str
    date: str
    sha256: str
    map: str = ""
    etag: str = ""


class Sheet(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What one emulator needs. `folders` are relative to its own folder, or to a rig's root; where a key names several,
    the first is where placing writes, and the `more_folders` are looked in, too. `release` is the one it was written
    for."""

    sheet: int
    emulator: str
    folders: dict[str, str]
    more_folders: dict[str, tuple[str, ...]] = {}
    title: str = ""
    release: str = ""
    machines: tuple[str, ...] = ()
    order: tuple[str, ...] = ()
    need: tuple[Need, ...] = ()
    unlock: tuple[Unlock, ...] = ()
    setting: tuple[Setting, ...] = ()
    media: tuple[Media, ...] = ()
    pair: tuple[Pair, ...] = ()
    root: Root = Root()
    arcade: Arcade | None = None
    from_: Origin | None = field(name="from", default=None)

    @property
    def own_folder(self) -> str:
        """The folder, as the sheet has it, in which all lies that it names; empty if that is where it begins."""
        named = [join(folder) for folder in self.folders.values()] + [parent(one.file) for one in self.setting]
        return join(os.path.commonpath([f"/{one}" for one in named])) if named else ""


class Corrections(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What somebody corrects in another person's sheet of the emulator `extends`. A `need` is added or, where the
    sheet has its id, takes the place of that one; `without` are the ids of needs to leave out."""

    sheet: int
    extends: str
    folders: dict[str, str] = {}
    more_folders: dict[str, tuple[str, ...]] = {}
    without: tuple[str, ...] = ()
    need: tuple[Need, ...] = ()
