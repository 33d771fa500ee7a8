"""A report as plain values: the state of every rig, what is to be obtained, and what changed since a run or a day.

Names in it come from disks, archives and catalogues; who writes them somewhere has to make them harmless.
"""

from __future__ import annotations

import shlex
from collections import Counter
from collections.abc import Iterable
from enum import StrEnum
from operator import is_not
from typing import Any, NamedTuple

from msgspec import Struct, structs

from gribble.core.answers.next import next_of
from gribble.core.answers.rosters import Matched
from gribble.core.answers.rows import Row, need_rows, root_row, setting_row
from gribble.core.audit.world import World
from gribble.core.base.amounts import day_words
from gribble.core.base.digests import Digests
from gribble.core.base.paths import whole_number, without_home
from gribble.core.placing.gaps import brought_by_away, gaps_of, once_each
from gribble.core.placing.journal import Run
from gribble.core.records.findings import (
    FIXABLE,
    EmulatorAudit,
    RigAudit,
    SetAudit,
    SetProblem,
    State,
    worst,
)
from gribble.core.sayings.facts import say_all
from gribble.core.sayings.remedies import Shown, set_words


class SetFault(Struct, frozen=True, kw_only=True):
    """One thing that keeps a set from running as it should: which file, whose it is, where it belongs, what helps
    (`do` in words)."""

    set: str
    title: str
    state: State
    verdict: str
    remedy: str
    reason: str
    archive: str = ""
    file: str = ""
    size: int | None = None
    crc32: str | None = None
    sha1: str | None = None
    owner: str = ""
    source: str = ""
    away: bool = False
    do: str = ""


class SetCell(Struct, frozen=True):
    """One set in the table of families: its state, and what is first wrong with it."""

    set: str
    title: str
    state: State
    reason: str = ""


class EmulatorReport(Struct, frozen=True, kw_only=True):
    """One emulator on a rig. `families` are its wanted sets, parents with their clones; `todo` is what comes next, in
    words, and `next` the command to type, empty if there is none."""

    emulator: str
    title: str
    release: str
    state: State
    todo: str
    rows: tuple[Row, ...]
    families: tuple[tuple[SetCell, ...], ...] = ()
    faults: tuple[SetFault, ...] = ()
    note: str = ""
    next: str = ""

    @property
    def verdicts(self) -> dict[str, int]:
        """How many needs have each verdict; those that another one of a choice spares are left out."""
        return dict(Counter(row.verdict for row in self.rows))

    @property
    def sets(self) -> dict[str, int]:
        """How many sets are in each state."""
        return dict(Counter(str(cell.state) for family in self.families for cell in family))


class RigReport(Struct, frozen=True, kw_only=True):
    """One rig; `bytes` is what its files take."""

    rig: str
    root: str
    state: State
    emulators: tuple[EmulatorReport, ...]
    away: str = ""
    bytes: int = 0


class Content(Struct, frozen=True, kw_only=True):
    """Another content that would do. `size` is in bytes, None if nobody says."""

    label: str
    size: int | None
    digests: Digests


class ToObtain(Struct, frozen=True, kw_only=True):
    """One file that nobody here has: for which need or set it is, where it belongs, and what it is known by."""

    emulator: str
    rigs: tuple[str, ...]
    need: str | None
    set: str | None
    title: str
    level: str
    archive: str | None
    file: str
    size: int | None
    crc32: str | None
    md5: str | None
    sha1: str | None
    sha256: str | None
    reason: str
    others: tuple[Content, ...] = ()

    def known(self) -> dict[str, str]:
        """The digests that are given, by name."""
        names = ("crc32", "md5", "sha1", "sha256")
        return {name: digest for name in names if (digest := getattr(self, name)) is not None}


class RunChange(Struct, frozen=True, kw_only=True):
    """One run since then: what it did, in places."""

    run: int
    rig: str
    when: str
    state: str
    places: tuple[str, ...]


class ReleaseShare(Struct, frozen=True, kw_only=True):
    """How well what is held fits a release: the share of the sets something is held of that lack nothing."""

    emulator: str
    release: str
    share: float
    installed: bool


class SourceAway(Struct, frozen=True, kw_only=True):
    """A source that is away: since when, and how many files the index knows of it."""

    source: str
    at: str
    since: str
    files: int


class Report(Struct, frozen=True, kw_only=True):
    """The whole. `when` is an ISO date and time; `since` is what `changes` are counted from, empty without; `oldest` is
    the day of the oldest proof."""

    when: str
    state: State
    rigs: tuple[RigReport, ...]
    obtain: tuple[ToObtain, ...]
    releases: tuple[ReleaseShare, ...] = ()
    since: str = ""
    changes: tuple[RunChange, ...] = ()
    away: tuple[SourceAway, ...] = ()
    oldest: str = ""

    @property
    def emulators(self) -> list[tuple[RigReport, EmulatorReport]]:
        """Every emulator with its rig."""
        return [(rig, emulator) for rig in self.rigs for emulator in rig.emulators]


class Since(NamedTuple):
    """Since when changes are told, as it was typed, and the runs since then."""

    when: str = ""
    runs: tuple[Run, ...] = ()


def make_report(
    world: World,
    audits: Iterable[RigAudit],
    when: str,
    shown: Shown,
    matched: Iterable[Matched] = (),
    since: Since = Since(),  # noqa: B008  (frozen)
) -> Report:
    """The report of some audits, with paths of this machine as they are `shown`."""
    audits = tuple(audits)
    sizes = {rig.name: sum(one.size for one in rig.holdings.opened if one.member is None) for rig in world.rigs}
    return Report(
        when=when,
        state=worst(found.state for found in audits),
        rigs=tuple(
            RigReport(
                rig=found.rig,
                root=found.root,
                state=found.state,
                away=found.away,
                bytes=sizes.get(found.rig, 0),
                emulators=tuple(_emulator(world, found, one, shown) for one in found.emulators),
            )
            for found in audits
        ),
        obtain=tuple(_to_obtain(audits)),
        releases=tuple(
            ReleaseShare(
                emulator=one.emulator,
                release=release.release,
                share=release.share,
                installed=release.release == one.installed,
            )
            for one in matched
            for release in one.releases
        ),
        since=since.when,
        changes=tuple(_change(run) for run in since.runs),
        oldest=_oldest(audits),
        away=tuple(SourceAway(source=one.source, at=one.at, since=one.since, files=one.files) for one in world.away),
    )


def for_others(report: Report, folder: str, home: str) -> Report:
    """The same report as others may read it: `without_home` in any text. What has no such text, as nearly all of a
    large report, stays the same record."""
    shortened = without_home(folder, home)

    def told(value: Any) -> Any:
        match value:
            case StrEnum():
                return value
            case str():
                return shortened(value)
            case tuple():
                new = tuple(map(told, value))
                return new if any(map(is_not, new, value)) else value
            case Struct():
                fields = structs.asdict(value).items()
                changed = {name: new for name, one in fields if (new := told(one)) is not one}
                return structs.replace(value, **changed) if changed else value
            case None | int() | float():
                return value
        raise TypeError(f"{type(value).__name__} may hold text that is not for others")

    shared: Report = told(report)
    return shared


def _oldest(audits: tuple[RigAudit, ...]) -> str:
    """The day on which the file was read that nobody has read for longest."""
    findings = (finding for rig in audits for one in rig.emulators for finding in one.findings)
    times = [place.proven for finding in findings for place in finding.places if place.proven and place.met]
    return day_words(min(times) / 10**9) if times else ""


def runs_since(runs: Iterable[Run], since: str) -> list[Run]:
    """The runs after a run's number, or from a day on (YYYY-MM-DD); newest first. Raises ValueError for other words."""
    if (after := whole_number(since)) is not None:
        chosen = [run for run in runs if run.number > after]
    elif len(since) == 10 and since[4] == since[7] == "-" and since.replace("-", "").isdecimal():
        chosen = [run for run in runs if run.when[:10] >= since]
    else:
        raise ValueError(since)
    return sorted(chosen, key=lambda run: (run.when, run.number), reverse=True)


def _change(run: Run) -> RunChange:
    done = [run.steps[number] for number in sorted(run.done.keys() - run.back)]
    places = tuple(f"{step.kind} {step.place}" for step in done)
    return RunChange(run=run.number, rig=run.rig, when=run.when, state=run.state, places=places)


def _emulator(world: World, rig: RigAudit, emulator: EmulatorAudit, shown: Shown) -> EmulatorReport:
    rows = [row for finding in emulator.findings for row in need_rows(rig, finding, shown)]
    rows += [*map(setting_row, emulator.settings), *map(root_row, emulator.root)]
    return EmulatorReport(
        emulator=emulator.emulator,
        title=emulator.title,
        release=emulator.release or "",
        state=emulator.state,
        todo=emulator.unknown.why if emulator.unknown else _todo(emulator),
        rows=tuple(rows),
        families=tuple(_families(world, rig.rig, emulator)),
        faults=tuple(_fault(one, problem) for one in emulator.sets for problem in one.problems),
        note=emulator.note or emulator.arcade.note,
        next=_next(rig, emulator),
    )


def _next(rig: RigAudit, emulator: EmulatorAudit) -> str:
    """The command that leads on for one emulator, as it is typed in a POSIX shell; empty if none does."""
    command = next_of((structs.replace(rig, emulators=(emulator,)),), (emulator.emulator, "--rig", rig.rig))
    return shlex.join(command.words) if command else ""


def _fault(one: SetAudit, problem: SetProblem) -> SetFault:
    wants = problem.subject.wants
    return SetFault(
        set=one.set,
        title=one.title,
        state=one.state,
        verdict=problem.verdict,
        remedy=problem.remedy,
        reason=say_all(problem.facts),
        archive=problem.subject.home.name,
        file=problem.subject.file,
        size=wants.size if wants else None,
        crc32=wants.crc32 if wants else None,
        sha1=wants.sha1 if wants else None,
        owner=problem.subject.owner,
        source=problem.source,
        away=bool(problem.source),
        do=set_words(one, problem),
    )


def _todo(emulator: EmulatorAudit) -> str:
    """What comes next, in a few words."""
    alone = RigAudit(rig="", root="", emulators=(emulator,))
    findings = [one for one in emulator.findings if not (one.ignored or one.spared)]
    places = [place for finding in findings for place in finding.places]
    fixable = sum(place.fixable for place in places)
    fixable += sum(setting.remedy in FIXABLE for setting in emulator.settings)
    fixable += sum(one.fixable for one in emulator.sets if one.problems)  # never in part
    obtain = len({(gap.subject if gap.kind == "need" else gap.archive, gap.file) for gap in gaps_of(alone)})
    yours = sum(place.remedy in FIXABLE and not (place.fixable or place.met) for place in places)
    brought = Counter(one.source for one in brought_by_away(alone))
    counted = [
        (fixable, "to put right with files that you have"),
        (obtain, "to obtain"),
        *((number, f"in {source}, which is away") for source, number in brought.items()),
        (yours, "for you to decide"),
    ]
    if parts := [f"{number:,} {words}" for number, words in counted if number]:
        return ", ".join(parts)
    if emulator.state is not State.READY:
        return f"only you can change it; gribble why {emulator.emulator} tells you what"
    return "nothing to do"


def _families(world: World, rig: str, emulator: EmulatorAudit) -> Iterable[tuple[SetCell, ...]]:
    """The wanted sets by family, each led by its parent where that is wanted, too."""
    if not emulator.sets:
        return
    (roster,) = (one.arcade[emulator.emulator].roster for one in world.rigs if one.name == rig)
    parents = {one.set: one.parent for one in roster.sets.outlines()} if roster else {}
    groups: dict[str, list[SetCell]] = {}
    for one in emulator.sets:
        parent = parents.get(one.set)
        cell = SetCell(one.set, one.title, one.state, say_all(one.problems[0].facts) if one.problems else "")
        group = groups.setdefault(parent or one.set, [])
        group.insert(0 if parent is None else len(group), cell)
    yield from (tuple(groups[name]) for name in sorted(groups))


def _to_obtain(audits: tuple[RigAudit, ...]) -> Iterable[ToObtain]:
    """What nobody here has, each file once however many rigs want it; what must be there first."""
    for gap, rigs in once_each(gap for rig in audits for gap in gaps_of(rig)):
        is_set = gap.kind == "set"
        yield ToObtain(
            emulator=gap.emulator,
            rigs=rigs,
            need=None if is_set else gap.subject,
            set=gap.subject if is_set else None,
            title=gap.title,
            level="set" if is_set else gap.level,
            archive=gap.archive or None,
            file=gap.file,
            size=gap.size,
            crc32=gap.digests.crc32,
            md5=gap.digests.md5,
            sha1=gap.digests.sha1,
            sha256=gap.digests.sha256,
            reason=say_all(gap.facts),
            others=tuple(
                Content(label=one.called or "another content", size=one.size, digests=Digests(**one.known()))
                for one in gap.others
            ),
        )
