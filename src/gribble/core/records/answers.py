"""The answers in JSON: what `--json` gives, kind by kind. `gribble schema KIND` makes a JSON Schema of each.

Paths on a rig are relative to its root, others are absolute. `member` is the path within an archive. Sizes are bytes,
digests lower-case hex, times ISO 8601 with their zone. Later releases may add keys.
"""

from __future__ import annotations

from typing import Any, Literal, NotRequired, TypedDict

from gribble.core.records.findings import Proof, Remedy, State, Verdict
from gribble.core.records.sheet import Level

# Parts of several answers


class Away(TypedDict):
    """A source that is away and has the file."""

    away: NotRequired[bool]
    source: NotRequired[str]


class Use(TypedDict):
    """A file that would put something right."""

    path: str
    member: str | None


class Digests(TypedDict):
    """The digests that are known."""

    crc32: str | None
    md5: str | None
    sha1: str | None
    sha256: str | None


class Problem(Away):
    """One thing that keeps a set from running as it should. `owner` is the set whose file it is."""

    file: str
    owner: str
    verdict: Verdict
    remedy: Remedy
    proof: Proof
    reason: str
    found: str | None
    member: str | None


class CheckedSet(TypedDict):
    """A set, with what is wrong; `packing` are remarks on how it is packed."""

    set: str
    title: str
    state: State
    problems: list[Problem]
    packing: list[str]


class OtherContent(TypedDict):
    """Another content that would do in place of a file to obtain."""

    label: str
    size: int | None
    digests: dict[str, str | None]


class Obtain(TypedDict):
    """A file that is to be obtained, for a `need` or a `set`. `archive` is where it belongs, None for no archive."""

    rig: str
    emulator: str
    need: NotRequired[str]
    set: NotRequired[str]
    title: str
    level: str
    archive: str | None
    file: str
    size: int | None
    crc32: str | None
    md5: str | None
    sha1: str | None
    sha256: str | None
    others: list[OtherContent]
    reason: str


class AwayRig(TypedDict):
    """A rig that is away, and why."""

    rig: str
    reason: str


# check, state


class CheckedPlace(Away):
    """One place of a need. `expected` is where a file belongs, `found` what is meant, `use` what would put it right."""

    verdict: Verdict
    remedy: Remedy
    accept: str | None
    expected: str
    found: str | None
    member: str | None
    proof: Proof
    reason: str
    use: Use | None
    proven: NotRequired[str | None]
    by_name: NotRequired[bool]


class Way(TypedDict):
    """A way to make firmware, keys and release fit one another."""

    change: str
    words: str
    held: str | None


class Redundant(TypedDict):
    """A further file beside a right one, and what it is."""

    path: str
    accept: str | None


class CheckedNeed(CheckedPlace):
    """A need: the worst of its places. `ignored` and `spared` ones do not count; `lacks` are keys that are missing."""

    need: str
    level: Level
    kind: str
    ignored: bool
    spared: str | None
    lacks: list[str]
    ways: list[Way]
    places: NotRequired[list[CheckedPlace]]
    required_by: NotRequired[str]
    redundant: NotRequired[list[Redundant]]


class CheckedSetting(TypedDict):
    """A setting of the emulator, and what it should be."""

    file: str
    key: str
    need: str | None
    folder: str | None
    verdict: Verdict
    remedy: Remedy
    value: str | None
    wanted: str | None
    reason: str


class CheckedRoot(TypedDict):
    """A demand on the rig's root: its volume, its label, or how names are spelled."""

    demand: str
    verdict: Verdict
    reason: str


class CheckedGame(TypedDict):
    """A game that would not run, by a rule of the sheet."""

    rule: str
    file: str
    verdict: Verdict
    remedy: Remedy
    reason: str
    use: Use | None


class CheckedEmulator(TypedDict):
    """One emulator on a rig. `media` is filled with --games; `spare` are files that no sheet of the rig knows."""

    emulator: str
    release: str | None
    state: State
    note: str
    needs: list[CheckedNeed]
    sets: list[CheckedSet]
    settings: list[CheckedSetting]
    root: list[CheckedRoot]
    media: list[CheckedGame]
    spare: list[str]


class CheckedRig(TypedDict):
    """One rig; `away` says why it could not be looked at."""

    rig: str
    state: State
    away: NotRequired[str]
    emulators: list[CheckedEmulator]


class AwaySource(TypedDict):
    """A source that is away; what is known of its files counts as held."""

    source: str
    at: str
    since: str | None
    files: int
    reason: str


class PassedOver(TypedDict):
    """A file that could not be read."""

    path: str
    member: str | None
    reason: str


Effect = TypedDict("Effect", {"set": NotRequired[str], "need": NotRequired[str], "was": str, "is": str, "reason": str})


class ReleaseChange(TypedDict):
    """What another release changes for an emulator: with --as. `release` and `state` are before and after."""

    rig: str
    emulator: str
    release: list[str | None]
    state: list[State]
    needs: list[Effect]
    sets: list[Effect]


Difference = TypedDict(
    "Difference",
    {
        "rig": str, "emulator": str, "need": NotRequired[str], "setting": NotRequired[str], "root": NotRequired[str],
        "set": NotRequired[str], "was": str, "is": str,
    },
)  # fmt: skip


class Since(TypedDict):
    """What changed since an earlier check: the verdict before and now, `right` where nothing is wrong."""

    when: str | None
    changes: list[Difference]


class Check(TypedDict):
    """`gribble check`: everything that is right or wrong. `changes` is there with --as, `since` with --since."""

    gribble: Literal["check/1"]
    state: State
    rigs: list[CheckedRig]
    away: NotRequired[list[AwaySource]]
    passed_over: NotRequired[list[PassedOver]]
    changes: NotRequired[list[ReleaseChange]]
    since: NotRequired[Since]


class EmulatorState(TypedDict):
    """One emulator."""

    emulator: str
    release: str | None
    state: State


class RigState(TypedDict):
    """One rig; `away` says why it is not here."""

    rig: str
    root: str
    state: State
    away: str | None
    emulators: list[EmulatorState]


class Status(TypedDict):
    """Bare `gribble`: the state of everything in short, what has changed since the last look, and the next command."""

    gribble: Literal["state/1"]
    state: State
    rigs: list[RigState]
    since: Since
    next: str | None


class Reason(Away):
    """Why something does not run, and the command that leads on; with `yours` only a person can go on.

    One key says what it is about: `need`, `set`, `setting`, `media`, `pair`, `root`, `sheet` or `wanted`.
    """

    rig: str
    file: str
    verdict: str
    reason: str
    next: str | None
    yours: NotRequired[bool]
    files: NotRequired[list[str]]
    archive: NotRequired[str]
    details: NotRequired[list[str]]
    need: NotRequired[str]
    set: NotRequired[str]
    setting: NotRequired[str]
    media: NotRequired[str]
    pair: NotRequired[str]
    root: NotRequired[str]
    release: NotRequired[str]
    sheet: NotRequired[str]
    wanted: NotRequired[str]


class Why(TypedDict):
    """`gribble why`: the reasons, the first one to put right first."""

    gribble: Literal["why/1"]
    subject: str
    state: State
    reasons: list[Reason]


# plan, place, undo, history, attic, mend

Step = TypedDict(
    "Step",
    {
        "rig": str, "step": str, "from": str | None, "member": str | None, "to": str, "bytes": int,
        "digests": Digests, "replaces": str | None, "recipe": dict[str, Any] | None, "partner": str | None,
        "partner_member": str | None, "points": list[dict[str, Any]], "link": bool, "dated": bool, "private": bool,
        "text": str, "members": list[dict[str, Any]], "surplus": list[str], "left_out": list[str], "emulator": str,
        "need": str, "sha1": str | None, "displaces": NotRequired[dict[str, int]],
    },
)  # fmt: skip


class Refusal(Away):
    """A step that Gribble does not take, and why."""

    rig: str
    emulator: str
    need: str
    reason: str


class Bring(TypedDict):
    """A file on a source that is away, which would put a place right."""

    source: str
    rig: str
    emulator: str
    need: NotRequired[str]
    set: NotRequired[str]
    to: str
    held: str
    member: str | None
    size: int
    reason: str


class _Planned(TypedDict):
    steps: list[Step]
    bytes: int
    refused: list[Refusal]
    obtain: list[Obtain]
    away: NotRequired[list[Bring]]


class Plan(_Planned):
    """`gribble plan`: the steps, what is refused, and what is to be obtained. `place --plan` carries it out."""

    gribble: Literal["plan/1"]


class FailedStep(TypedDict):
    """A step that was not carried out, and why."""

    step: str
    to: str
    reason: str


class PlacedRun(TypedDict):
    """A run on one rig: how many of the planned steps are done."""

    run: int
    rig: str
    when: str
    steps: int
    planned: int
    bytes: int
    state: Literal["done", "open", "undone"]
    failed: list[FailedStep]


class LeftFile(TypedDict):
    """A file that an undo leaves as it is, and why."""

    path: str
    reason: str


class UndoneRun(TypedDict):
    """A run that was undone on one rig: how many steps, and what stays."""

    run: int
    rig: str
    steps: int
    state: Literal["done", "open", "undone"]
    left: list[LeftFile]


class Place(_Planned):
    """`gribble place --yes`: the plan, and the runs that carried it out. `status` is the exit status."""

    gribble: Literal["place/1"]
    status: int
    runs: list[PlacedRun]
    undone: NotRequired[list[UndoneRun]]


class Undo(TypedDict):
    """`gribble undo --yes`: what was undone, rig by rig. `status` is the exit status."""

    gribble: Literal["undo/1"]
    status: int
    undone: list[UndoneRun]


class HistoryRun(TypedDict):
    """A run; a `foreign` one came with the rig, and Gribble only shows it."""

    run: int
    rig: str
    when: str
    steps: int
    bytes: int
    state: Literal["done", "open", "undone"]
    foreign: bool


class History(TypedDict):
    """`gribble history`: every run, newest first."""

    gribble: Literal["history/1"]
    runs: list[HistoryRun]
    away: NotRequired[list[AwayRig]]


class AtticFile(TypedDict):
    """A file in the attic; a `needed` one brings its run back, an `undone` one was put there by an undo."""

    rig: str
    run: int
    path: str
    size: int
    undone: bool
    needed: bool


class Attic(TypedDict):
    """`gribble attic list`: the files that runs replaced."""

    gribble: Literal["attic/1"]
    files: list[AtticFile]
    bytes: int


class MendedFile(TypedDict):
    """A damaged file, what is wrong with it, and where the mended one is; None if it cannot be mended."""

    path: str
    member: str | None
    written: str | None
    reason: str


class Mend(TypedDict):
    """`gribble mend`: what was mended. `status` is the exit status."""

    gribble: Literal["mend/1"]
    status: int
    files: list[MendedFile]


# needs, identify, watch, scrub


class NeededContent(TypedDict):
    """A content that will do, with the digests that are known (`sha1` and so on)."""

    label: str | None
    region: str | None
    version: str | None
    size: int | None
    requires_keys: list[str]
    requires: list[str]
    crc32: NotRequired[str]
    md5: NotRequired[str]
    sha1: NotRequired[str]
    sha256: NotRequired[str]


class NeededKey(TypedDict):
    """A key of a key file: its length, and the fingerprint of its value."""

    name: str
    bytes: int
    level: Level
    sha256: str | None


class NeededFile(TypedDict):
    """One of the files of a need that is a list of files."""

    name: str
    size: int | None
    crc32: NotRequired[str]
    md5: NotRequired[str]
    sha1: NotRequired[str]
    sha256: NotRequired[str]


class NeededNeed(Away):
    """A need; `held` is None if no configuration says what is held."""

    need: str
    title: str
    choice: str | None
    level: Level
    kind: str
    names: list[str]
    any_name: bool
    by_setting: bool
    changes: bool
    nothing_else: bool
    folder: str
    also: list[str]
    why: str
    accepts: list[NeededContent]
    keys: list[NeededKey]
    files: list[NeededFile]
    held: bool | None
    spared: NotRequired[bool]


class NeededEmulator(TypedDict):
    """What one emulator needs, on a rig; None for a catalogue alone."""

    emulator: str
    release: str | None
    rig: str | None
    needs: list[NeededNeed]


class Needs(TypedDict):
    """`gribble needs`: what is needed, and what of it is to be obtained."""

    gribble: Literal["needs/1"]
    emulators: list[NeededEmulator]
    obtain: list[Obtain]


class Match(TypedDict):
    """What a file is good for: a need or a set of an emulator on a rig, and where it belongs."""

    emulator: str
    need: NotRequired[str]
    set: NotRequired[str]
    file: NotRequired[str]
    release: NotRequired[str]
    accept: NotRequired[str | None]
    rig: str | None
    to: str
    needed: bool
    rejected: bool
    why: NotRequired[str]


class Diagnosis(TypedDict):
    """What happened to a file, and which need it nearly is."""

    damage: str | None
    words: str
    mendable: bool
    proof: NotRequired[str]
    emulator: NotRequired[str]
    need: NotRequired[str]
    accept: NotRequired[str | None]
    partner: NotRequired[str | None]


class IdentifiedFile(Away):
    """A file, or a member of an archive."""

    path: str
    member: str | None
    size: int
    crc32: str | None
    md5: str | None
    sha1: str | None
    sha256: str | None
    verdict: Literal["known", "rejected", "damaged", "unknown"]
    matches: list[Match]
    diagnosis: Diagnosis | None


class IdentifiedSet(TypedDict):
    """An archive that is a set of a release; `full` where it has its parent's files, too."""

    path: str
    emulator: str
    release: str
    set: str
    title: str
    full: bool


class PartSet(TypedDict):
    """An archive that is a set of a release, but lacks some files."""

    path: str
    emulator: str
    release: str
    set: str
    title: str
    lacks: list[str]


class IdentifyCounts(TypedDict):
    """How many files are what."""

    needed: int
    held: int
    elsewhere: int
    rejected: int
    damaged: int
    unknown: int
    passed_over: int


class Identify(TypedDict):
    """`gribble identify`: what files are, and where they belong."""

    gribble: Literal["identify/1"]
    files: list[IdentifiedFile]
    sets: list[IdentifiedSet]
    part_sets: list[PartSet]
    counts: IdentifyCounts


class Copy(TypedDict):
    """One of several files with the same content."""

    path: str
    rig: str | None


class Copied(TypedDict):
    """A content that is there more than once; `room` are the bytes that the further copies take."""

    sha1: str | None
    size: int
    room: int
    known_as: str | None
    files: list[Copy]


class Wished(TypedDict):
    """A file that a friend lacks, and the places where you have it, if you do."""

    emulator: str
    what: str
    file: str
    have: list[str]


class Against(TypedDict):
    """`gribble identify --against FILE`: which of the files that a friend lacks you have."""

    gribble: Literal["against/1"]
    files: list[Wished]


class Copies(TypedDict):
    """`gribble identify --copies`: what is there more than once."""

    gribble: Literal["copies/1"]
    copies: list[Copied]
    room: int


class Watch(TypedDict):
    """`gribble watch`: one object in a line: a file that has come, a rig that was plugged in, or what was placed."""

    gribble: Literal["watch/1"]
    path: NotRequired[str]
    member: NotRequired[str | None]
    verdict: NotRequired[str]
    matches: NotRequired[list[Match]]
    words: NotRequired[str]
    next: NotRequired[str | None]
    rig: NotRequired[str]
    state: NotRequired[State]
    away: NotRequired[str]
    placed: NotRequired[list[str]]
    status: NotRequired[int]


class Scrubbed(Away):
    """A file that is not as it was when it was last read right, `since`; `copy` is a good one that is held."""

    path: str
    fault: Literal["rotted", "altered", "unreadable", "gone"]
    since: str | None
    reason: str
    size: int
    copy: str | None
    member: str | None


class Scrub(TypedDict):
    """`gribble scrub`: how many files and bytes were read, what is damaged, and what is left for the next time."""

    gribble: Literal["scrub/1"]
    read: int
    bytes: int
    findings: list[Scrubbed]
    left: int
    left_bytes: int
    stopped: bool


# sets


class Stray(TypedDict):
    """An archive that belongs to no set, and the set whose files it has."""

    path: str
    set: str | None


class Aside(TypedDict):
    """What else is in the folders of the sets."""

    strays: list[Stray]
    unwanted: list[str]
    others: list[str]


class ArcadeEmulator(TypedDict):
    """The wanted sets of one arcade emulator."""

    emulator: str
    release: str | None
    note: str
    sets: list[CheckedSet]
    aside: Aside


class ArcadeRig(TypedDict):
    """One rig with arcade emulators."""

    rig: str
    emulators: list[ArcadeEmulator]


class Sets(TypedDict):
    """`gribble sets check`: which sets run, and what is wrong in the others."""

    gribble: Literal["sets/1"]
    rigs: list[ArcadeRig]


class FamilyFile(TypedDict):
    """A file of a set."""

    name: str
    size: int | None
    verdict: str
    reason: str


class Relative(TypedDict):
    """A set of the family, by its role."""

    set: str
    role: Literal["itself", "parent", "BIOS set", "device"]
    title: str
    files: list[FamilyFile]


class Family(TypedDict):
    """A set with those that it needs. One that the release does not know has no `relatives`."""

    rig: str
    emulator: str
    release: str | None
    set: str
    title: str
    state: State
    problems: list[Problem]
    packing: list[str]
    relatives: list[Relative]


class Families(TypedDict):
    """`gribble sets show`: a set and its family, file by file."""

    gribble: Literal["family/1"]
    families: list[Family]


class ReleaseMatch(TypedDict):
    """How many sets of a release are complete; `share` is between 0 and 1."""

    emulator: str
    release: str
    complete: int
    sets: int
    share: float
    installed: bool


class WantedReleases(TypedDict):
    """For which releases the archive of a wanted set is right."""

    emulator: str
    set: str
    releases: list[str]


class MatchReleases(TypedDict):
    """`gribble sets match`: which release the files fit best, best first."""

    gribble: Literal["match/1"]
    releases: list[ReleaseMatch]
    wanted: list[WantedReleases]


class ComparedFile(Away):
    """A file that a set needs in the new release, and where it is."""

    file: str
    owner: str
    found: str | None
    member: str | None


ComparedSet = TypedDict(
    "ComparedSet",
    {
        "set": str, "title": str, "class": Literal["same", "renamed", "repack", "held", "obtain", "gone", "new"],
        "to": str | None, "files": list[ComparedFile],
    },
)  # fmt: skip


class Compare(TypedDict):
    """`gribble sets compare`: what becomes of the wanted sets; `totals` counts them by class."""

    gribble: Literal["compare/1"]
    emulator: str
    old: str
    new: str
    sets: list[ComparedSet]
    totals: dict[str, int]
    archives: list[str]


class Fit(TypedDict):
    """`gribble sets fit`: the selection for a card; `gap` is how much better another one could be at most, 0 to 1."""

    gribble: Literal["fit/1"]
    chosen: list[str]
    left_out: list[str]
    reasons: dict[str, str]
    bytes: int
    budget: int
    cluster: int
    optimal: bool
    gap: float


class WantedSet(TypedDict):
    """A wanted set, and whether it is held whole."""

    set: str
    title: str
    whole: bool


class Unclear(TypedDict):
    """A line that could mean several sets."""

    line: str
    sets: list[str]


class Wanted(TypedDict):
    """`gribble sets wanted`: the list, and what was added to it and taken out."""

    gribble: Literal["wanted/1"]
    rig: str
    emulator: str
    wanted: list[WantedSet]
    added: list[str]
    removed: list[str]
    unclear: list[Unclear]
    unknown: list[str]


# keys, discs


class Key(TypedDict):
    """A key; its value is never told."""

    name: str
    verdict: str
    level: Level
    reason: str


class KeyFile(TypedDict):
    """A key file; `odd_lines` are the numbers of lines that are no keys, `unknown` counts keys that no sheet knows."""

    path: str
    emulator: str | None
    verdict: Verdict
    reason: str
    odd_lines: list[int]
    unknown: int
    keys: list[Key]


class Keys(TypedDict):
    """`gribble keys check`: which keys are right."""

    gribble: Literal["keys/1"]
    files: list[KeyFile]


class DiscFinding(TypedDict):
    """One fault of a track sheet, a playlist or an image."""

    fault: str
    file: str | None
    reason: str
    remedy: str | None


class DiscFile(TypedDict):
    """A track sheet, a playlist or an image; `label` is what it calls itself."""

    path: str
    verdict: Verdict
    label: str | None
    findings: list[DiscFinding]


class Discs(TypedDict):
    """`gribble discs check`: whether track sheets, playlists and images are right."""

    gribble: Literal["discs/1"]
    files: list[DiscFile]


class DiscPlaylist(TypedDict):
    """A playlist for a title of several discs."""

    path: str
    title: str
    discs: list[str]
    missing: list[int]


class Playlists(TypedDict):
    """`gribble discs playlist`: the titles of several discs."""

    gribble: Literal["playlists/1"]
    playlists: list[DiscPlaylist]


# rigs, sources, catalogue, doctor, words


class RigFolder(TypedDict):
    """A folder of an emulator's sheet on the rig, and whether it is there."""

    key: str
    path: str
    there: bool


EnteredEmulator = TypedDict(
    "EnteredEmulator",
    {"emulator": str, "release": str | None, "in": str, "there": bool, "folders": list[RigFolder]},
)


class EnteredRig(TypedDict):
    """A rig of gribble.toml; `like` is the one that it is like, `away` why it is not here."""

    rig: str
    at: str
    like: str | None
    away: str | None
    emulators: list[EnteredEmulator]


class Rigs(TypedDict):
    """`gribble rigs`: where the rigs are, and where emulators look."""

    gribble: Literal["rigs/1"]
    rigs: list[EnteredRig]


class EnteredSource(TypedDict):
    """A source, and whether it is there."""

    at: str
    name: str | None
    there: bool


class Sources(TypedDict):
    """`gribble sources`: the folders that are only read."""

    gribble: Literal["sources/1"]
    sources: list[EnteredSource]


class ListedSheet(TypedDict):
    """A sheet; `proofs` counts its contents by their best digest."""

    emulator: str
    title: str
    release: str | None
    machines: list[str]
    needs: int
    proofs: dict[str, int]


class ListedRoster(TypedDict):
    """A roster."""

    emulator: str
    release: str
    sets: int | None
    path: str


class Listed(TypedDict):
    """`gribble catalogue list`: what the catalogues know."""

    gribble: Literal["catalogues/1"]
    sheets: list[ListedSheet]
    rosters: list[ListedRoster]
    mistakes: list[Any]


class LintRemark(TypedDict):
    """A mistake or a remark."""

    file: str
    where: str
    what: str
    mistake: bool


class Lint(TypedDict):
    """`gribble catalogue lint`: every mistake of a catalogue, and what is weak in it."""

    gribble: Literal["lint/1"]
    remarks: list[LintRemark]


class NeedChange(TypedDict):
    """A need that is new, gone or changed."""

    need: str
    change: Literal["added", "gone", "changed"]
    words: list[str]


class PartChange(TypedDict):
    """What differs in a sheet beside its needs."""

    part: Literal["sheet", "folder", "setting", "games", "pair", "unlock", "root", "arcade"]
    name: str
    change: Literal["added", "gone", "changed"]
    words: list[str]


class SheetChange(TypedDict):
    """A sheet that is new, gone or changed."""

    emulator: str
    change: Literal["added", "gone", "changed"]
    needs: list[NeedChange]
    parts: list[PartChange]


RigEffect = TypedDict(
    "RigEffect",
    {"rig": str, "emulator": str, "was": State, "is": State, "held": list[str], "obtain": list[str]},
)


class Sheets(TypedDict):
    """`gribble catalogue compare`: what another version of a sheet changes, and what that does on the rigs."""

    gribble: Literal["sheets/1"]
    emulators: list[SheetChange]
    rigs: list[RigEffect]


class RefreshedList(TypedDict):
    emulator: str
    file: str
    list: str
    date: str
    state: str
    changes: Sheets
    new: int
    changed: int
    gone: list[str]
    yours: list[str]
    done: bool
    error: NotRequired[str]
    fix: NotRequired[str]  # fmt: skip


class Refresh(TypedDict):
    """`gribble catalogue refresh`: what has changed on the lists behind the sheets."""

    gribble: Literal["refresh/1"]
    lists: list[RefreshedList]


class RosterChange(TypedDict):
    """How many sets of a roster are new, gone and changed."""

    name: str
    emulator: str
    new: int
    gone: int
    changed: int


class UpdateChanges(TypedDict):
    """What a new version changes: sheets, rosters, checksum lists. `unused` are emulators for which another sheet comes
    first."""

    emulators: list[SheetChange]
    rosters: list[RosterChange]
    lists: list[str]
    unused: list[str]


UpdateEffect = TypedDict(
    "UpdateEffect", {"rig": str, "emulator": str, "was": State, "is": State, "lacks": list[str]}
)  # fmt: skip
UpdateEffect.__doc__ = (
    """What a new version means for an emulator on a rig. `lacks` has the files that are not in place."""
)

UpdatedCatalogue = TypedDict(
    "UpdatedCatalogue",
    {
        "name": str, "from": int, "to": int, "fetched": int, "changes": UpdateChanges, "effects": list[UpdateEffect],
        "done": bool, "error": NotRequired[str], "fix": NotRequired[str],
    },
)  # fmt: skip
UpdatedCatalogue.__doc__ = """A followed catalogue: its number `from`, the number `to` that is offered, and the bytes
that were `fetched`. Where that cannot be had, why, and what to do."""


class Update(TypedDict):
    """`gribble catalogue update`: what is new in the followed catalogues, and what that does on the rigs."""

    gribble: Literal["update/1"]
    catalogues: list[UpdatedCatalogue]


class Import(TypedDict):
    """`gribble catalogue import --yes`: what was written, and how many records were read and left out."""

    gribble: Literal["import/1"]
    status: int
    emulator: str | None
    release: str | None
    to: Literal["sheet", "roster", "plays"] | None
    written: str | None
    records: int
    left_out: int
    mistakes: list[str]


class Examined(TypedDict):
    """One thing that was checked, and what to do about it."""

    area: str
    what: str
    health: str
    words: str
    fix: str | None


class Doctor(TypedDict):
    """`gribble doctor`: the set-up, checked."""

    gribble: Literal["doctor/1"]
    checks: list[Examined]


class Word(TypedDict):
    """A word of Gribble."""

    word: str
    means: str
    example: str


class VerdictWord(TypedDict):
    """A verdict."""

    verdict: Verdict
    means: str


class Words(TypedDict):
    """`gribble words`: the words of Gribble."""

    gribble: Literal["words/1"]
    words: list[Word]
    verdicts: list[VerdictWord]


ANSWERS: dict[str, Any] = {
    "against": Against, "attic": Attic, "catalogues": Listed, "check": Check, "compare": Compare, "copies": Copies,
    "discs": Discs, "doctor": Doctor, "family": Families, "fit": Fit, "history": History, "identify": Identify,
    "import": Import, "keys": Keys, "lint": Lint, "match": MatchReleases, "mend": Mend, "needs": Needs, "place": Place,
    "plan": Plan, "playlists": Playlists, "refresh": Refresh, "rigs": Rigs, "scrub": Scrub, "sets": Sets,
    "sheets": Sheets, "sources": Sources, "state": Status, "undo": Undo, "update": Update, "wanted": Wanted,
    "watch": Watch, "why": Why, "words": Words,
}  # fmt: skip
"""Every kind of answer; `report/1` has a record of its own."""
