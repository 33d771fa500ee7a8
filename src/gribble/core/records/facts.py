"""Facts: what a finding has to say, as values. `core/sayings` turns them into sentences, and nobody reads those."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from gribble.core.records.keyfile import KeysJudgement
from gribble.core.records.recipes import Recipe


class Fact(Struct, frozen=True, tag=True):
    """One thing that is true of a file, a place, a setting or a set."""


Facts = tuple[Fact, ...]


# A need at its place


class InPlace(Fact, frozen=True):
    """The content is right, and so is the name; without a digest to prove it only the name is."""

    proven: bool


class InUse(Fact, frozen=True):
    """The emulator has written to the file since it was fresh."""


class WrongName(Fact, frozen=True):
    """The right content has a name that the emulator does not accept."""


class OtherCase(Fact, frozen=True):
    """The name differs in case only; `minds` says that the device cares though the volume does not."""

    minds: bool


class Elsewhere(Fact, frozen=True):
    """The right content is somewhere else: in the attic of a run, or (0) anywhere."""

    attic: int = 0


class Nowhere(Fact, frozen=True):
    """Nothing held will do; `by_name` says that only a name could have told."""

    by_name: bool = False


class NoneWorks(Fact, frozen=True):
    """The sheet knows no content that works with the release."""


class OnlyItsName(Fact, frozen=True):
    """A file has the right name, and no digest could prove its content."""

    name: str


class Namesakes(Fact, frozen=True):
    """Several files have the right name and differ, and no digest could prove any of them."""

    paths: tuple[str, ...]


class WrongNamesake(Fact, frozen=True):
    """A file held has the right name, but `why` speaks against its content. An `archive` may hold the same, packed
    again."""

    path: str
    why: Fact
    archive: bool


class Damaged(Fact, frozen=True):
    """What happened to a file of a `size` in bytes; `name` is empty for the file at the place itself."""

    recipe: Recipe
    size: int
    name: str = ""


class Beside(Fact, frozen=True):
    """The right file is next to the wrong one."""

    name: str


class NoFile(Fact, frozen=True):
    """Something is at the place that is no file, or a file that could not be looked into; `what` follows its name."""

    name: str
    what: str


class LooseEnd(Fact, frozen=True):
    """A link at the place leads nowhere."""

    name: str


class Unexamined(Fact, frozen=True):
    """Nothing is known of a file that the system does not let us read; `why` names it."""

    why: str


class Surplus(Fact, frozen=True):
    """A file is in a folder that may hold nothing but the files of a manifest; what it is, if that is known."""

    really: Really | None = None


class OneOfMany(Fact, frozen=True):
    """How many files of a manifest are right, and which are not, by verdict."""

    right: int
    wanted: int
    wrong: tuple[tuple[str, tuple[str, ...]], ...] = ()
    surplus: tuple[str, ...] = ()


# What a file really is


class Really(Fact, frozen=True):
    """A sheet knows the file as something else."""

    emulator: str
    need: str
    label: str = ""


class Rejected(Fact, frozen=True):
    """The sheet says that this content does not work; `name` is set for a file that is not at the place itself."""

    label: str
    why: str
    name: str = ""


class Empty(Fact, frozen=True):
    """The file has no bytes."""


class OtherSize(Fact, frozen=True):
    """The file has another size than any content that would do; all in bytes."""

    size: int
    right: tuple[int, ...]


class SizeMistaken(Fact, frozen=True):
    """The content is right by its digest, and so the size that the sheet says is a mistake; in bytes."""

    size: int
    said: int


class Unknown(Fact, frozen=True):
    """No sheet knows the content."""


class KeysAlready(Fact, frozen=True):
    """The file is a key file, and nothing speaks against it."""


class KeysUnread(Fact, frozen=True):
    """A key file could not be read, or is too large for one."""

    too_large: bool


class Keys(Fact, frozen=True):
    """What a key file was found to be."""

    judged: KeysJudgement


class Disguised(Fact, frozen=True):
    """The file is an archive under another name."""

    kind: str


class WebPage(Fact, frozen=True):
    """The file is a page, as servers send it in place of a file."""


class OtherKind(Fact, frozen=True):
    """The file begins as no dump does: it is a picture, a document, a shortcut, a pointer, a torrent, a leftover, or
    what a server answers in place of a file."""

    kind: str


class OneByte(Fact, frozen=True):
    """The file holds one byte over and over."""

    value: int


class PlainText(Fact, frozen=True):
    """The file holds nothing but printable characters."""


class LikeKeys(Fact, frozen=True):
    """The file is a key file like the one that a need asks for, and something speaks against it."""

    emulator: str
    need: str
    judged: KeysJudgement


class TooLarge(Fact, frozen=True):
    """The file is too large to be looked into."""


class NotLookedAt(Fact, frozen=True):
    """The content could not be looked at."""

    why: str


# Why more than one thing has to change


class LacksKeys(Fact, frozen=True):
    """The key file has no such keys, which the firmware requires."""

    names: tuple[str, ...]


class Requires(Fact, frozen=True):
    """The firmware requires keys that no key file in place has."""

    names: tuple[str, ...]


class RequiredBy(Fact, frozen=True):
    """A content of another need works only beside this one."""

    need: str


class Accepted(Fact, frozen=True):
    """The user lives with the gap."""


class Spared(Fact, frozen=True):
    """Another need of the same choice is enough: one whose gap is accepted, that is there, that will be there, or that
    would do as well."""

    by: str
    how: Literal["accepted", "there", "chosen", "as well"]
    of: int = 0


# Ways to make firmware, keys and release fit


class WorksHere(Fact, frozen=True):
    """A content that is held works with the release, and requires keys."""

    name: str
    keys: tuple[str, ...] = ()


class WouldFit(Fact, frozen=True):
    """Contents that would work with the release, and are not held."""

    names: tuple[str, ...]


class HasKeys(Fact, frozen=True):
    """Whether a key file that is held has the keys."""

    names: tuple[str, ...]
    held: bool


class WorksWith(Fact, frozen=True):
    """A content works with other releases of the emulator."""

    name: str
    releases: str
    emulator: str


# What keeps a place from being written


class Contended(Fact, frozen=True):
    """Other needs want the same place for another content."""

    by: tuple[str, ...]
    place: str


class FolderSpelled(Fact, frozen=True):
    """A device that compares names exactly does not find the folder as it is spelled."""

    there: str
    wanted: str
    right: bool = False


class NamedOddly(Fact, frozen=True):
    """A file on a rig has a name that no step can say; where it should be, if a person can move it there."""

    path: str
    to: str = ""


class IsFolder(Fact, frozen=True):
    """There is a folder where a file should be written."""

    path: str


class IsThing(Fact, frozen=True):
    """There is something that is neither a file nor a folder."""

    path: str
    what: str


class FileAbove(Fact, frozen=True):
    """There is a file where a folder is needed."""

    path: str


class LinkOut(Fact, frozen=True):
    """A link on the way leads out of the rig."""

    path: str
    to: str


class InSource(Fact, frozen=True):
    """A folder on the way is a source."""

    path: str
    where: str


# Sources that are away


class HeldAway(Fact, frozen=True):
    """A source that is away has it: proven to be `right`, or `by_name` alone; `file` is named for a set."""

    source: str
    since: str
    right: bool = False
    by_name: bool = False
    file: str = ""


# Settings


class SettingsUnread(Fact, frozen=True):
    """A settings file could not be read; `start` is the emulator that writes one when it is started."""

    file: str
    why: str
    start: str = ""


class NoValue(Fact, frozen=True):
    """A settings file has no value at the key that could be read; `set_in` is the emulator that would write it."""

    file: str
    why: str
    aim: str
    set_in: str = ""
    should: str | None = None


class NotToldHere(Fact, frozen=True):
    """What a value leads to cannot be known from here."""

    value: str
    why: str


class SaysNothing(Fact, frozen=True):
    """A setting is empty."""


class LeadsOut(Fact, frozen=True):
    """A value leads to no place on the rig; `why` follows it."""

    value: str
    why: str


class LeadsTo(Fact, frozen=True):
    """Where a value leads, and what is there: the right file, the place where it belongs, nothing, another spelling,
    another folder, or a wrong file with what speaks against it."""

    value: str
    path: str
    there: Literal["folder", "file", "place", "nothing", "spelled", "other folder", "wrong"]
    name: str = ""
    fault: Fact | None = None


class IsFor(Fact, frozen=True):
    """What a setting is for."""

    what: str


class NoWayThere(Fact, frozen=True):
    """No path in the form of the value leads to its target."""

    target: str
    emulator: str


# A rig's root


class Demanded(Fact, frozen=True):
    """What a device demands of a rig's volume or its label, and what is `there` (empty if that cannot be seen), with
    the verdict on that."""

    demand: Literal["volume", "label"]
    wanted: str
    there: str
    rig: str
    verdict: str


class RootSpelled(Fact, frozen=True):
    """A folder or file on the rig is spelled in another way than the device calls it."""

    there: str
    wanted: str


# Games


class GamesSpelled(Fact, frozen=True):
    """A folder of games is spelled in another way than the device calls it."""

    wanted: str


class DiscWrong(Fact, frozen=True):
    """A track sheet or an image does not hold; `file` is one that it names."""

    file: str
    why: str


class CannotRead(Fact, frozen=True):
    """The emulator refuses files with this ending."""

    why: str
    reads: tuple[str, ...]


class MustBeZipped(Fact, frozen=True):
    """A game is loose where games must be zipped."""


class MustBeLoose(Fact, frozen=True):
    """A game is in an archive where games must be loose."""

    member: str


class HoldsRefused(Fact, frozen=True):
    """An archive holds nothing but what the emulator refuses."""

    ending: str
    why: str
    reads: tuple[str, ...]


class TooLargeToRead(Fact, frozen=True):
    """The emulator reads no files of this size; both in bytes."""

    size: int
    most: int


class WantsFolder(Fact, frozen=True):
    """A game should be in a folder of its own, with a name of this form."""

    named: str


class FolderNamed(Fact, frozen=True):
    """The folder of a game should have another name."""

    there: str
    named: str


class NothingReadable(Fact, frozen=True):
    """A folder of a game holds nothing that the emulator reads."""

    reads: tuple[str, ...]


class NotListed(Fact, frozen=True):
    """Files with an ending of which the sheet says nothing."""

    count: int
    ending: str


# Files that only work together


class NoId(Fact, frozen=True):
    """A file has no id where it should have one: to know its `partner` by, or to be known by. `size` is in bytes, for a
    file that ends before that."""

    offset: int
    partner: bool = False
    size: int | None = None


class PartnerNamed(Fact, frozen=True):
    """The id of a file makes a name that no file may have."""

    name: str
    fault: str


class WantsPartner(Fact, frozen=True):
    """A file needs another one, by its name or (`by_id`) by the id in it."""

    name: str
    id: str = ""
    by_id: bool = False
    namesake: tuple[str, str] | None = None
    where: str = ""
    held: str = ""
    spelled: str = ""


class PartnerWhy(Fact, frozen=True):
    """Why a pair is needed, in the sheet's words."""

    why: str


class Orphan(Fact, frozen=True):
    """No file of a pair wants this one."""

    each: tuple[str, ...]


class OldUpdate(Fact, frozen=True):
    """A newer update is there as well."""

    version: str
    newer: str


class NoVersion(Fact, frozen=True):
    """An update says no version."""

    offset: int


# Sets


class UnknownSet(Fact, frozen=True):
    """The release does not have this set, or knows it by another name; `others` are releases that know it."""

    release: str
    known_as: str = ""
    others: tuple[str, ...] = ()


class OtherVariant(Fact, frozen=True):
    """A set runs with another variant of its BIOS set than it should."""

    variant: str
    owner: str
    wished: str


class ArchiveSpelled(Fact, frozen=True):
    """A device that compares names exactly does not find an archive."""

    there: str
    wanted: str


class Plays(Fact, frozen=True):
    """What the release makes of a set: it does not play it, or not well."""

    well: bool
    note: str


class RosterGap(Fact, frozen=True):
    """A relative that the roster does not have, or parents in a circle."""

    role: Literal["parent", "BIOS set", "device", "circle"]
    name: str


class PoorDump(Fact, frozen=True):
    """No better dump is known."""

    what: Literal["dump", "image"] = "dump"


class NotRead(Fact, frozen=True):
    """The content of a file has not been read."""


class Whose(Fact, frozen=True):
    """The file belongs to a relative of the set."""

    role: str
    name: str


class BadArchive(Fact, frozen=True):
    """An archive cannot be read; `why` follows its name. Empty: the emulator cannot read its kind."""

    name: str
    why: str = ""


class OtherContent(Fact, frozen=True):
    """A file of a set has another content: by its size, by its strong digest alone, or that of another `release`.
    `archive` is the relative in whose archive it is, empty for its own."""

    archive: str = ""
    size: int | None = None
    right: int | None = None
    weak: bool = False
    release: str = ""


class NotInRelease(Fact, frozen=True):
    """A file of a set is nowhere, and the archive where it belongs is another release's."""

    archive: str
    release: str


class HeldAt(Fact, frozen=True):
    """A right file is held; `only` says that no other is where it should be."""

    place: str
    only: bool = False


class SeveralArchives(Fact, frozen=True):
    """A set has more than one archive."""

    names: tuple[str, ...]


class ShouldBeCalled(Fact, frozen=True):
    """A file in the archive of a set has another name than the roster gives it; the set runs all the same."""

    name: str
    right: str


class DiscBelongs(Fact, frozen=True):
    """A disc image is not where the emulator looks for it."""

    place: str


class SamplesByName(Fact, frozen=True):
    """All sound samples of a set are there, but only their names were checked."""

    files: int


class DiscSays(Fact, frozen=True):
    """What the header of a disc image says against it; without a fault, it is another image."""

    name: str = ""
    fault: str = ""
