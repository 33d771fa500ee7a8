"""The one adviser: which command leads on, from what is found on the rigs, and from one thing that is wrong."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from typing import NamedTuple

from msgspec import Struct

from gribble.core.answers.why import Answer, Reason, reason_of
from gribble.core.base.amounts import count
from gribble.core.placing.gaps import gaps_of, once_each
from gribble.core.records.discs import MENDS
from gribble.core.records.findings import (
    FIXABLE,
    EmulatorAudit,
    NeedFinding,
    PlaceFinding,
    Remedy,
    RigAudit,
    SetAudit,
    SetProblem,
)
from gribble.core.records.rig_seen import UnknownEmulator
from gribble.core.records.steps import Gap


class FilePath(str):
    """A path or an address among the words of a command; a path may be shown shorter."""

    __slots__ = ()


Words = tuple[str, ...]
"""A command, word by word."""


class Command(NamedTuple):
    """A command to type, word by word, and what it does."""

    words: Words
    why: str = ""


# What leads on from everything that is found


class Open(Struct, frozen=True, dict=True):
    """What is still open on some rigs."""

    audits: tuple[RigAudit, ...]

    @cached_property
    def emulators(self) -> list[EmulatorAudit]:
        """Every emulator."""
        return [emulator for found in self.audits for emulator in found.emulators]

    @cached_property
    def findings(self) -> list[NeedFinding]:
        """The needs, but those that the user lives without or that another one spares."""
        found = (finding for emulator in self.emulators for finding in emulator.findings)
        return [finding for finding in found if not (finding.ignored or finding.spared)]

    @cached_property
    def places(self) -> list[PlaceFinding]:
        """Their places."""
        return [place for finding in self.findings for place in finding.places]

    @cached_property
    def sets(self) -> list[SetAudit]:
        """The sets with something wrong."""
        return [one for emulator in self.emulators for one in emulator.sets if one.problems]

    @cached_property
    def whole(self) -> int:
        """How many of these sets can be put right with what is held: never in part."""
        return sum(one.fixable for one in self.sets)

    @cached_property
    def fixable(self) -> int:
        """How many places, settings and sets a plan puts right."""
        settings = (found.remedy for emulator in self.emulators for found in emulator.settings)
        return sum(place.fixable for place in self.places) + sum(one in FIXABLE for one in settings) + self.whole

    @cached_property
    def obtain(self) -> list[Gap]:
        """The files that are to be obtained, each once, as plans and reports list them."""
        return [gap for gap, _ in once_each(gap for found in self.audits for gap in gaps_of(found))]

    @cached_property
    def gaps(self) -> int:
        """How many of them are files of needs."""
        return sum(gap.kind == "need" for gap in self.obtain)

    @cached_property
    def sources(self) -> list[str]:
        """The sources that are away and hold something that is wanted."""
        problems: list[SetProblem] = [problem for one in self.sets for problem in one.problems]
        return list(dict.fromkeys(one.source for group in (self.places, problems) for one in group if one.source))

    @cached_property
    def moved(self) -> list[tuple[str, UnknownEmulator]]:
        """The emulators whose folder seems to be elsewhere now, each with its rig."""
        found = ((rig.rig, one.unknown) for rig in self.audits for one in rig.emulators)
        return [(rig, one) for rig, one in found if one and one.moved_to]

    @cached_property
    def unknown(self) -> list[UnknownEmulator]:
        """The emulators of which nothing can be said."""
        return [emulator.unknown for emulator in self.emulators if emulator.unknown]


def next_of(audits: tuple[RigAudit, ...], scope: Words = (), detail: Words = ()) -> Command | None:
    """The command that leads on, for the same `scope`; `detail` is one to read first, if there is anything to read.
    None if nothing is left to do."""
    left = Open(audits)
    if not left.emulators and not any(found.away for found in audits):
        return first_step([found.rig for found in audits])
    return next(_commands(left, scope, detail), None)


def _commands(left: Open, scope: Words, detail: Words) -> Iterator[Command]:
    """What could be typed next, the first thing first."""
    if any(one.faulty for one in left.unknown):
        why = "every mistake of the sheets; until you correct them, Gribble places nothing on rigs that use them"
        yield Command(("gribble", "catalogue", "lint"), why)
    for rig, one in left.moved:
        words = ("gribble", "rigs", "enter", one.emulator, "--rig", rig, "--in", one.moved_to)
        yield Command(words, "that is where it is now; Gribble places nothing from there until gribble.toml says so")
    if absent := [one for one in left.unknown if not one.moved_to]:
        names = ", ".join(one.emulator for one in absent)
        yield Command(("gribble", "catalogue", "list"), f"shows your sheets; gribble.toml needs one for {names}")
    if detail and (left.fixable or left.gaps):
        yield Command(detail, "shows what is wrong, and why")
    if left.fixable:
        more = f"; {len(left.obtain):,} to obtain" if left.obtain else ""
        kind = "set" if left.fixable == left.whole else "place"
        what = f"{left.fixable:,} places and sets" if left.whole and kind == "place" else count(left.fixable, kind)
        yield Command(("gribble", "plan", *scope), f"uses your files to put {what} right{more}")
    if left.sources and not left.gaps:
        why = f"shows what {' and '.join(left.sources)} has; connect it, then check again"
        yield Command(("gribble", "plan"), why)
    yield from _choices(left, scope)
    if left.gaps:
        yield Command(
            ("gribble", "needs", *_about(scope)), f"{count(left.gaps, 'file')} to obtain, with names, sizes and digests"
        )


def _about(scope: Words) -> Words:
    """Emulators and rigs of a scope, without where files are today, for a question that is not about that."""
    words = list(scope)
    while away := next((one for one in words if one in ("--from", "--at")), None):
        at = words.index(away)
        del words[at : at + 2]
    return tuple(words)


def _choices(left: Open, scope: Words) -> Iterator[Command]:
    """What Gribble does only where it is told to."""
    if surplus := [finding.need.id for finding in left.findings if any(place.surplus for place in finding.places)]:
        yield Command(
            ("gribble", "place", "--only", surplus[0]), "moves what does not belong there to the attic; you can undo it"
        )
    if by_name := sum(place.by_name for place in left.places):
        yield Command(
            ("gribble", "place", "--by-name"), f"takes {count(by_name, 'file')} of which only the name is right"
        )
    if any(one.subject.fix for emulator in left.emulators for one in emulator.games or ()):
        yield Command(("gribble", "place", *scope, "--games"), "puts games and their partners where they must be")
    if not left.gaps and left.whole < len(left.sets):
        if old := old_release(left.sets):
            yield Command(("gribble", "sets", "match"), old)
        number = len(left.sets) - left.whole
        lacks = f"what {count(number, 'set')} still {'needs' if number == 1 else 'need'}"
        yield Command(("gribble", "sets", "check"), f"{lacks}, file by file")


def first_step(rigs: Sequence[str], list_: str = "") -> Command:
    """How to come by a first emulator: on one of the rigs there are, from a list that is at hand, if one is."""
    if not rigs:
        return Command(("gribble", "rigs", "add", "NAME", "FOLDER"), "adds the folder with your emulators")
    why = "makes a sheet from a page, a table or an export of what an emulator needs"
    return Command(("gribble", "catalogue", "import", list_ or "LIST", "--rig", rigs[0]), why)


def old_release(sets: Iterable[SetAudit]) -> str:
    """Why the fit of other releases is worth a look: archives of another release keep several sets from running, or are
    several themselves; else empty."""
    told = [(one.set, home) for one in sets for home in one.to_get if home.old]
    if max(len({name for name, _ in told}), len({home for _, home in told})) <= 1:
        return ""
    releases = [home.old for _, home in told]
    return f"release {max(sorted(releases), key=releases.count)} may fit your files better"


def next_for_sets(audits: tuple[RigAudit, ...]) -> Command | None:
    """What puts sets right, else what one of them lacks; None if nothing is wrong with any."""
    fixable = [(rig, one) for rig in audits for one in rig.emulators if any(each.fixable for each in one.sets)]
    lacking = [(rig, each) for rig in audits for one in rig.emulators for each in one.sets if each.problems]
    if fixable:
        rig, emulator = fixable[0]
        number = sum(each.fixable for each in emulator.sets)
        words = ("gribble", "plan", emulator.emulator, "--rig", rig.rig)
        return Command(words, f"uses your files to put {count(number, 'set')} right")
    if old := old_release(each for _, each in lacking):
        return Command(("gribble", "sets", "match"), old)
    if lacking:
        rig, each = lacking[0]
        return Command(("gribble", "why", each.set, "--rig", rig.rig), "shows what is missing, first things first")
    return None


# What leads on from one thing that is wrong


class Turn(NamedTuple):
    """Whose turn it is: the command that leads on, None if there is none, and whether only the person can go on."""

    command: Words | None
    yours: bool = False


YOURS = Turn(None, yours=True)


def next_turn(answer: Answer, reason: Reason) -> Turn:
    """What leads on from a reason: the command that is its remedy, the list of what is to be got, or the person's own
    hands."""
    assert answer.emulator is not None
    name, on = answer.emulator.emulator, ("--rig", answer.rig.rig)
    match reason.kind:
        case "set":
            return _for_set(answer, reason, on)
        case "sheet":
            unknown = answer.emulator.unknown
            if unknown and unknown.moved_to:
                return Turn(("gribble", "rigs", "enter", name, *on, "--in", unknown.moved_to))
            return Turn(("gribble", "catalogue", "lint" if unknown and unknown.faulty else "list"), yours=True)
        case "media" | "pair":
            return _for_game(answer, reason, ("gribble", "place", name, *on, "--games"))
        case "need":
            return _for_need(reason, name, on)
        case "setting":
            if reason.remedy in FIXABLE:
                return Turn(("gribble", "place", name, *on))
            need = next((one for one in answer.emulator.findings if one.need.id == reason.about), None)
            return _for_need(reason_of(need), name, on) if need and not need.met else YOURS
        case _:  # the volume, its label, the release
            return YOURS


def _for_set(answer: Answer, reason: Reason, on: Words) -> Turn:
    """A set is not packed in part; one that the release knows by another name is packed under that."""
    if reason.about:
        return Turn(("gribble", "sets", "pack", reason.about, *on))
    alike = [each.remedy for each in answer.reasons if each.subject == reason.subject]
    whole = not {Remedy.OBTAIN, Remedy.CONNECT}.intersection(alike)
    if Remedy.CONNECT in alike and Remedy.OBTAIN not in alike:
        return YOURS
    if whole and reason.remedy in FIXABLE:
        return Turn(("gribble", "sets", "pack", reason.subject, *on))
    return Turn(("gribble", "sets", "show", reason.subject, *on), yours=True)


def _for_game(answer: Answer, reason: Reason, place: Words) -> Turn:
    if reason.remedy in FIXABLE:
        return Turn(place)
    if reason.mends and "://" not in answer.rig.root:
        return Turn((*MENDS.split(), FilePath(f"{answer.rig.root}/{reason.file}")))
    return YOURS


def _for_need(reason: Reason, name: str, on: Words) -> Turn:
    finding = reason.finding
    assert finding is not None
    place, put = finding.chief, ("gribble", "place", name, *on)
    if finding.merge:
        files = (FilePath(holding.where) for holding in finding.merge)
        return Turn(("gribble", "keys", "merge", *files, "--out", "merged.keys", "--emulator", name))
    if reason.remedy in FIXABLE:
        by_name = ("--by-name",) if place.by_name else ()
        return Turn((*put, *by_name, *(("--only", finding.need.id) if place.surplus else ())))
    if place.refusal:
        return YOURS
    if finding.lacks and any(way.held for way in finding.ways if way.change == "keys"):
        return Turn(put)
    if reason.remedy is Remedy.OBTAIN or finding.lacks:
        return Turn(("gribble", "needs", name, *on), yours=True)
    return YOURS
