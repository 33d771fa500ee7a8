"""What an audit finds: verdicts, remedies, states, and the records that carry them (docs/verdicts.md)."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from typing import Generic, TypeAlias, TypeVar

from msgspec import Struct

from gribble.core.base.kinds import Style
from gribble.core.base.paths import base
from gribble.core.records.facts import Fact, Facts, OneOfMany, RequiredBy, Requires, Spared
from gribble.core.records.holding import Holding
from gribble.core.records.place import Place
from gribble.core.records.recipes import Mending
from gribble.core.records.rig_seen import Obstacles, UnknownEmulator
from gribble.core.records.roster import SetFile
from gribble.core.records.set_remedies import SetRemedies
from gribble.core.records.sheet import Accept, Level, Need, Setting


class Verdict(StrEnum):
    """What is true of one subject: of files, best first, then what is said of settings, rigs and sets alone."""

    SOUND = "sound"
    UNPROVEN = "unproven"
    MISNAMED = "misnamed"
    ASTRAY = "astray"
    DAMAGED = "damaged"
    UNFIT = "unfit"
    IMPOSTER = "imposter"
    MISSING = "missing"
    UNSET = "unset"
    WRONG = "wrong"
    UNPLAYABLE = "unplayable"


class Remedy(StrEnum):
    """What would put a need right."""

    NONE = "none"
    RENAME = "rename"
    PLACE = "place"
    REPLACE = "replace"
    MEND = "mend"
    POINT = "point"
    CONNECT = "connect"
    OBTAIN = "obtain"


FIXABLE = (Remedy.RENAME, Remedy.PLACE, Remedy.REPLACE, Remedy.MEND, Remedy.POINT)
"""The remedies that need nothing from the user."""


class Proof(StrEnum):
    """What a verdict rests on."""

    DIGEST = "digest"
    ARCHIVE = "archive"
    HEADER = "header"
    NONE = "none"


class State(StrEnum):
    """Whether something will run, best first."""

    READY = "ready"
    LIMITED = "limited"
    BLOCKED = "blocked"
    AWAY = "away"
    UNKNOWN = "unknown"


def worst(states: Iterable[State]) -> State:
    """The worst of some states; ready where there are none. Away says nothing, so any other state is worse; what is
    unknown could be anything, and what is blocked is known to be."""
    order = (State.READY, State.AWAY, State.LIMITED, State.UNKNOWN, State.BLOCKED)
    return max(states, key=order.index, default=State.READY)


class Standing(StrEnum):
    """What else is true of a finding: the volume does not feel the fault (harmless); it could not be looked at, so that
    nothing is known (unexamined); only its name speaks for the file that the remedy takes, so that it is taken only
    where the user says so (by name); the file there belongs nowhere, and is displaced only where the user names the
    need (surplus); the file that the remedy takes serves nobody where it is (movable); it harms nobody (remark); a
    command for discs puts it right (mends)."""

    HARMLESS = "harmless"
    UNEXAMINED = "unexamined"
    BY_NAME = "by name"
    SURPLUS = "surplus"
    MOVABLE = "movable"
    REMARK = "remark"
    MENDS = "mends"


def standing(**said: bool) -> frozenset[Standing]:
    """What else is true, by the names of it."""
    return frozenset(Standing[name.upper()] for name, true in said.items() if true)


S = TypeVar("S")


class Finding(Struct, Generic[S], frozen=True, kw_only=True):
    """What is true of one subject: a place where an emulator wants a file, a value in its settings, a demand on the
    rig's root, a file of a game, or a file of a set.

    `accept` is the content that the remedy takes or that is there; `found` is what is there, or where the right
    content is, `use` what the remedy takes, `mend` how it is made from a damaged file. `expected` and `occupied` are
    relative to the rig's root: where the file belongs, and the path (spelled as it is on disk) of what is there now;
    `in_way` are wrong files under other accepted names. `refusal` says why no plan carries out the remedy, which only
    the person can. `source` is the one that is away and holds what is taken, `proven` when the file there was last read
    whole (nanoseconds since 1970, 0 if nobody asked or knows).
    """

    subject: S
    verdict: Verdict
    remedy: Remedy = Remedy.NONE
    facts: Facts = ()
    proof: Proof = Proof.NONE
    accept: Accept | None = None
    found: Holding | None = None
    use: Holding | None = None
    mend: Mending | None = None
    expected: str = ""
    occupied: str | None = None
    in_way: tuple[str, ...] = ()
    refusal: Fact | None = None
    source: str = ""
    proven: int = 0
    standing: frozenset[Standing] = frozenset()

    def lying(self, rig: str) -> Holding | None:
        """The file that was found at the place itself; none if it was found elsewhere, be it under the same path."""
        at = self.occupied or self.expected
        return self.found if self.found and (self.found.rig, self.found.path) == (rig, at) else None

    def tells(self, fact: type[Fact]) -> bool:
        """Whether it has something of a kind to say."""
        return any(isinstance(one, fact) for one in self.facts)

    @property
    def met(self) -> bool:
        """Whether nothing speaks against it, or nobody feels what does."""
        right = self.verdict in (Verdict.SOUND, Verdict.UNPROVEN) and Standing.UNEXAMINED not in self.standing
        return right or Standing.HARMLESS in self.standing

    @property
    def fixable(self) -> bool:
        """Whether a plan puts it right without anything from the user."""
        return self.remedy in FIXABLE and not (self.refusal or self.by_name or self.surplus)

    @property
    def by_name(self) -> bool:
        """Whether only its name speaks for the file that the remedy takes."""
        return Standing.BY_NAME in self.standing

    @property
    def surplus(self) -> bool:
        """Whether the file there belongs nowhere."""
        return Standing.SURPLUS in self.standing

    @property
    def right_beside(self) -> bool:
        """Whether the right file is there already, under another of its names than what is at fault."""
        here = self.found.rig if self.found else ""
        return self.remedy is Remedy.REPLACE and self.takes(here, self.expected)

    def takes(self, rig: str, path: str | None) -> bool:
        """Whether what the remedy takes is at a path of a rig; on another rig one may have the same path."""
        return self.use is not None and self.use.member is None and (self.use.rig, self.use.path) == (rig, path)

    @property
    def told(self) -> str:
        """The path by which a person is told of it: where the file is expected, or the one at fault beside it."""
        return self.in_way[0] if self.right_beside and self.in_way else self.expected

    @property
    def movable(self) -> bool:
        """Whether the file that the remedy takes may be moved."""
        return Standing.MOVABLE in self.standing


class Value(Struct, frozen=True, kw_only=True):
    """A value in a settings file: what it says, what it should say, and the need or folder (`aim`) to which it should
    lead; `size` is the file's, in bytes."""

    setting: Setting
    level: Level
    aim: str
    value: str = ""
    wanted: str = ""
    size: int = 0

    @property
    def file(self) -> str:
        """The settings file, relative to the rig's root."""
        return self.setting.file


class Demand(Struct, frozen=True):
    """A demand on a rig's root: its kind of volume, its label, or how names are spelled."""

    demand: str


class Game(Struct, frozen=True, kw_only=True):
    """A file in a folder of games, relative to the rig's root: `rule` is "media" or "pair", `fix` what a plan for games
    does about it."""

    rule: str
    folder: str
    file: str
    fix: SetRemedies | None = None


class Home(Struct, frozen=True):
    """The archive where a file of a set belongs: what the set whose archive it is (`owner`) is to the one that is asked
    about (empty for itself), how many files it has (`of`; 0: nobody counts them), whether anything of it is there, and
    the other release whose archive that is, if it is one's."""

    name: str = ""
    owner: str = ""
    role: str = ""
    of: int = 0
    there: bool = False
    old: str = ""


class SetPart(Struct, frozen=True, kw_only=True):
    """What of a set is at fault: a file of it or of a relative (`owner`), or all of it (no `file`).

    `state` is what that makes of the set. `wants` is the file as the roster lists it, and `home` the archive where it
    belongs. `renamed` is what the release calls a set that it does not know by its name, `releases` are others that
    know it.
    """

    file: str
    owner: str
    state: State = State.BLOCKED
    wants: SetFile | None = None
    home: Home = Home()
    renamed: str = ""
    releases: tuple[str, ...] = ()


PlaceFinding: TypeAlias = Finding[Place]
SettingFinding: TypeAlias = Finding[Value]
RootFinding: TypeAlias = Finding[Demand]
GameFinding: TypeAlias = Finding[Game]
SetProblem: TypeAlias = Finding[SetPart]


class Way(Struct, frozen=True, kw_only=True):
    """One way to make firmware, keys and release fit: which of the three to change, and why that helps.

    `held` is the file that this way takes, if there is one.
    """

    change: str  # firmware (of another kind: file), keys or release
    fact: Fact
    held: Holding | None = None


class NeedFinding(Struct, frozen=True, kw_only=True):
    """What is true of one need: the worst of its places.

    An `ignored` one is a gap that the user accepts. `spared` says which other need of its choice is enough; `instead`
    are the titles of those that would do as well. `lacks` are keys that the firmware in place requires and the key file
    lacks, `ways` the ways to make them fit, `merge` key files that have together what a keys need asks for.
    `required_by` is the need whose content requires this one, so that it counts like a `must`, in words.
    `redundant` are further files beside a right one that would do as well, each with what it is.
    """

    need: Need
    places: tuple[PlaceFinding, ...]
    ignored: bool = False
    spared: Spared | None = None
    instead: tuple[str, ...] = ()
    lacks: tuple[str, ...] = ()
    ways: tuple[Way, ...] = ()
    merge: tuple[Holding, ...] = ()
    redundant: tuple[tuple[Holding, Accept], ...] = ()
    required_by: str = ""

    @property
    def chief(self) -> PlaceFinding:
        """The place whose verdict is the need's."""
        order = list(Verdict)
        return max(self.places, key=lambda place: (not place.met, order.index(place.verdict)))

    @property
    def in_place(self) -> bool:
        """Whether every place is met, whatever its keys or its choice."""
        return all(place.met for place in self.places)

    def verdict_at(self, place: PlaceFinding) -> Verdict:
        """The verdict at a place as part of the whole need: a right file that lacks keys, or does not have those that
        others require, is unfit."""
        lacks = (place.met and place.remedy is Remedy.REPLACE) or (self.in_place and not self.met)
        return Verdict.UNFIT if lacks else place.verdict

    @property
    def fixable(self) -> bool:
        """Whether a plan brings every place that is not met."""
        return all(place.met or place.fixable for place in self.places)

    @property
    def connectable(self) -> bool:
        """Whether every place that is not met is put right by a plan once sources that are away are here."""
        return all(place.met or place.fixable or place.remedy is Remedy.CONNECT for place in self.places)

    @property
    def content(self) -> Accept | None:
        """The content in place or, where there is none, the one that a plan would bring."""
        place = self.chief
        if place.met or not place.fixable:
            return place.accept if place.met else None
        return place.mend.accept if place.mend else place.accept

    @property
    def met(self) -> bool:
        """Whether nothing is to be done: every place met with the keys it requires, or the gap spared or accepted."""
        return self.ignored or bool(self.spared) or (self.in_place and not self.lacks)

    @property
    def facts(self) -> Facts:
        """Why the verdict is what it is; for many files with counts."""
        if not self.need.file:
            requires = (Requires(self.lacks),) if self.lacks else ()
            required = (RequiredBy(self.required_by),) if self.required_by and not self.met else ()
            return (*self.chief.facts, *requires, *required)
        wanted = self.wanted
        by_verdict = {
            verdict: tuple(base(place.expected) for place in wanted if place.verdict is verdict and not place.met)
            for verdict in Verdict
        }
        return (
            OneOfMany(
                right=sum(place.met for place in wanted),
                wanted=len(wanted),
                wrong=tuple((str(verdict), names) for verdict, names in by_verdict.items() if names),
                surplus=tuple(base(place.expected) for place in self.places if place.surplus),
            ),
        )

    @property
    def wanted(self) -> tuple[PlaceFinding, ...]:
        """Its places but those of files that belong nowhere."""
        return tuple(place for place in self.places if not place.surplus)


class SetAudit(Struct, frozen=True, kw_only=True):
    """One wanted set: its problems, first things first, and notes on how it is packed and proven that keep nothing from
    running.

    `spared` are files, each with the set whose it is, that are absent and not missed: optional, or another of a choice.
    `variant` is the version of its BIOS set by which it is judged, if that has several.
    """

    set: str
    title: str
    problems: tuple[SetProblem, ...] = ()
    packing: Facts = ()
    spared: frozenset[tuple[str, str]] = frozenset()
    variant: str = ""

    @property
    def verdicts(self) -> frozenset[Verdict]:
        """The verdicts of its problems."""
        return frozenset(problem.verdict for problem in self.problems)

    @property
    def to_get(self) -> dict[Home, list[SetProblem]]:
        """The archives that have to be got, each with the files of it that nobody here has."""
        found: dict[Home, list[SetProblem]] = {}
        for problem in self.problems:
            if problem.remedy is Remedy.OBTAIN and problem.subject.home.name:
                found.setdefault(problem.subject.home, []).append(problem)
        return found

    @property
    def fixable(self) -> bool:
        """Whether all that is wrong with it can be put right with what is held."""
        return bool(self.problems) and all(problem.remedy in FIXABLE for problem in self.problems)

    @property
    def state(self) -> State:
        """The worst that its problems make of it."""
        if not self.problems:
            return State.READY
        return worst(problem.subject.state for problem in self.problems)


class Aside(Struct, frozen=True, kw_only=True):
    """What else is in the folders of the sets: archives that belong to no set, each with the set whose files it has
    (empty: none), sets that nobody wants, and other files; paths are relative to the rig's root."""

    strays: tuple[tuple[str, str], ...] = ()
    unwanted: tuple[str, ...] = ()
    others: tuple[str, ...] = ()


class ArcadeAudit(Struct, frozen=True, kw_only=True):
    """The wanted sets of an arcade emulator, and what is to be said of their roster; nothing of any other emulator.

    `remedies` are what would put them right or into their `style`, where that was asked for, `uses` the archives and
    files that they have. `asks_others` says that the rosters of other releases, not read yet, could say more, `idle`
    that no set is wanted; `aside` is what else lies where the sets do.
    """

    sets: tuple[SetAudit, ...] = ()
    note: str = ""
    style: Style | None = None
    remedies: SetRemedies = SetRemedies()
    uses: frozenset[str] = frozenset()
    asks_others: bool = False
    idle: bool = False
    aside: Aside = Aside()


class EmulatorAudit(Struct, frozen=True, kw_only=True):
    """One emulator on a rig: its findings in the sheet's order, and the files of its folders nobody knows.

    `games` is None if game folders were not looked at; `unknown` is there where no sheet can be used.
    """

    emulator: str
    title: str
    release: str | None
    note: str
    findings: tuple[NeedFinding, ...]
    settings: tuple[SettingFinding, ...] = ()
    root: tuple[RootFinding, ...] = ()
    games: tuple[GameFinding, ...] | None = None
    arcade: ArcadeAudit = ArcadeAudit()
    unknown: UnknownEmulator | None = None
    spare: tuple[str, ...] = ()

    @property
    def sets(self) -> tuple[SetAudit, ...]:
        """The wanted sets."""
        return self.arcade.sets

    @property
    def state(self) -> State:
        """Blocked by an unmet `must`, a wrong root, or no set that runs; limited by an unmet `better` or some sets.

        Extras and games change nothing.
        """
        if self.unknown:
            return State.UNKNOWN
        unmet = {finding.need.level for finding in self.findings if not finding.met}
        unmet |= {setting.subject.level for setting in self.settings if not setting.met}
        if Level.MUST in unmet or not all(demand.met for demand in self.root):
            return State.BLOCKED
        states = {one.state for one in self.sets}
        if states == {State.BLOCKED}:
            return State.BLOCKED
        limited = Level.BETTER in unmet or states - {State.READY} or self.arcade.idle
        return State.LIMITED if limited else State.READY

    @property
    def machines_lacking(self) -> tuple[list[str], list[str]]:
        """The machines of which nothing that they need is here or held, where something is of others; and those."""
        needs = [one for one in self.findings if one.need.machines and one.need.level is not Level.EXTRA]
        all_ = list(dict.fromkeys(machine for one in needs for machine in one.need.machines or ()))
        some = {
            machine for one in needs if one.chief.remedy is not Remedy.OBTAIN for machine in one.need.machines or ()
        }
        lacking = [machine for machine in all_ if machine not in some]
        return (lacking, [machine for machine in all_ if machine in some]) if some else ([], all_)


class RigAudit(Struct, frozen=True, kw_only=True):
    """One rig: its emulators, or why it is away, or that it is still to be made; and what a plan must not run into."""

    rig: str
    root: str
    emulators: tuple[EmulatorAudit, ...] = ()
    away: str = ""
    new: bool = False
    folds_case: bool = False
    obstacles: Obstacles = Obstacles()

    @property
    def state(self) -> State:
        """The worst of its emulators."""
        return State.AWAY if self.away else worst(emulator.state for emulator in self.emulators)

    @property
    def unready(self) -> tuple[EmulatorAudit, ...]:
        """The emulators that do not run as they should: where no step is left, what only the person can change."""
        return tuple(one for one in self.emulators if one.state is not State.READY)

    @property
    def states(self) -> tuple[State, ...]:
        """Its own state, and that of each emulator: what is blocked hides what is unknown, but not here."""
        return (self.state, *(emulator.state for emulator in self.emulators))
