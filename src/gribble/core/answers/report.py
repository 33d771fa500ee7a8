"""A report as plain values: the state of every rig, what is to be obtained, and what changed since a run or a day.

Names in it come from disks, archives and catalogues; who writes them somewhere has to make them harmless.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from msgspec import Struct

from gribble.core.answers.rosters import Matched
from gribble.core.audit.world import World
from gribble.core.base.digests import Digests
from gribble.core.placing.journal import Run
from gribble.core.records.findings import FIXABLE, EmulatorAudit, Finding, Remedy, RigAudit, State, worst
from gribble.core.records.holding import Holding
from gribble.core.records.sheet import Level


class Row(Struct, frozen=True, kw_only=True):
    """One thing that an emulator wants, and what is true of it: a need at one place, a setting, or a demand."""

    kind: str
    name: str
    title: str
    level: str
    verdict: str
    reason: str
    why: str = ""
    place: str = ""
    found: str = ""
    proof: str = ""
    remedy: str = ""


class SetCell(Struct, frozen=True):
    """One set in the table of families: its state, and what is first wrong with it."""

    set: str
    title: str
    state: State
    reason: str = ""


class EmulatorReport(Struct, frozen=True, kw_only=True):
    """One emulator on a rig. `families` are its wanted sets, parents with their clones; `todo` is what comes next."""

    emulator: str
    title: str
    release: str
    state: State
    todo: str
    rows: tuple[Row, ...]
    families: tuple[tuple[SetCell, ...], ...] = ()
    note: str = ""

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
    """A content that would do: what to compare a file with. `size` is in bytes, None where nobody says."""

    label: str
    size: int | None
    digests: Digests


class ToObtain(Struct, frozen=True, kw_only=True):
    """One thing that nobody here has: for which emulators it is, under which names, and what it is known by."""

    emulator: str
    rigs: tuple[str, ...]
    name: str
    title: str
    level: str
    names: tuple[str, ...]
    reason: str
    contents: tuple[Content, ...] = ()


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


class Report(Struct, frozen=True, kw_only=True):
    """The whole. `when` is an ISO date and time; `since` is what `changes` are counted from, empty without."""

    when: str
    state: State
    rigs: tuple[RigReport, ...]
    obtain: tuple[ToObtain, ...]
    releases: tuple[ReleaseShare, ...] = ()
    since: str = ""
    changes: tuple[RunChange, ...] = ()

    @property
    def emulators(self) -> list[tuple[RigReport, EmulatorReport]]:
        """Every emulator with its rig."""
        return [(rig, emulator) for rig in self.rigs for emulator in rig.emulators]


def make_report(
    world: World,
    audits: Iterable[RigAudit],
    when: str,
    matched: Iterable[Matched] = (),
    since: str = "",
    runs: Iterable[Run] = (),
) -> Report:
    """The report of some audits; `runs` are those since then."""
    audits = tuple(audits)
    sizes = {rig.name: sum(one.size for one in rig.holdings if one.member is None) for rig in world.rigs}
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
                emulators=tuple(_emulator(world, found, one) for one in found.emulators),
            )
            for found in audits
        ),
        obtain=tuple(_to_obtain(world, audits)),
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
        since=since,
        changes=tuple(_change(run) for run in runs),
    )


def runs_since(runs: Iterable[Run], since: str) -> list[Run]:
    """The runs after a run's number, or from a day on (YYYY-MM-DD); newest first. Raises ValueError for other words."""
    if since.isdecimal():
        chosen = [run for run in runs if run.number > int(since)]
    elif len(since) == 10 and since[4] == since[7] == "-" and since.replace("-", "").isdecimal():
        chosen = [run for run in runs if run.when[:10] >= since]
    else:
        raise ValueError(since)
    return sorted(chosen, key=lambda run: (run.when, run.number), reverse=True)


def _change(run: Run) -> RunChange:
    done = [run.steps[number] for number in sorted(run.done.keys() - run.back)]
    places = tuple(f"{step.kind} {step.place}" for step in done)
    return RunChange(run=run.number, rig=run.rig, when=run.when, state=run.state, places=places)


def _emulator(world: World, rig: RigAudit, emulator: EmulatorAudit) -> EmulatorReport:
    rows = [row for finding in emulator.findings for row in _need_rows(rig.rig, finding)]
    rows += [
        Row(
            kind="setting",
            name=f"{one.file}: {one.setting.key}",
            title="",
            level=one.level,
            verdict=one.verdict,
            reason=one.reason,
            place=one.file,
            remedy=one.remedy,
        )
        for one in emulator.settings
    ]
    rows += [
        Row(kind="rig", name=one.demand, title="", level=Level.MUST, verdict=one.verdict, reason=one.words)
        for one in emulator.root
    ]
    return EmulatorReport(
        emulator=emulator.emulator,
        title=emulator.title,
        release=emulator.release or "",
        state=emulator.state,
        todo=_todo(emulator),
        rows=tuple(rows),
        families=tuple(_families(world, rig.rig, emulator)),
        note=emulator.note or emulator.sets_note,
    )


def _need_rows(rig: str, finding: Finding) -> Iterable[Row]:
    if finding.spared:
        return
    for place in finding.places:
        reason = place.reason + ("; you accept this gap" if finding.ignored else "")
        yield Row(
            kind=finding.need.kind,
            name=finding.need.id,
            title=finding.need.title,
            level=finding.need.level,
            verdict=place.verdict,
            reason=reason,
            why=finding.need.why,
            place=place.expected,
            found=_shown(rig, place.found) if place.found else "",
            proof=place.proof,
            remedy=Remedy.NONE if finding.ignored else place.remedy,
        )


def _shown(rig: str, holding: Holding) -> str:
    where = holding.path if holding.rig == rig else holding.where
    return f"{where}: {holding.member}" if holding.member else where


def _todo(emulator: EmulatorAudit) -> str:
    """What comes next, in a few words."""
    findings = [one for one in emulator.findings if not (one.ignored or one.spared)]
    places = [place for finding in findings for place in finding.places]
    others = [setting.remedy for setting in emulator.settings]
    others += [problem.remedy for one in emulator.sets for problem in one.problems]
    fixable = sum(place.fixable for place in places) + sum(remedy in FIXABLE for remedy in others)
    obtain = sum(remedy is Remedy.OBTAIN for remedy in [*others, *(place.remedy for place in places)])
    yours = sum(place.remedy in FIXABLE and not (place.fixable or place.met) for place in places)
    parts = [f"{fixable:,} to put right with what is held"] if fixable else []
    parts += [f"{obtain:,} to obtain"] if obtain else []
    parts += [f"{yours:,} for you to decide"] if yours else []
    return ", ".join(parts) or "nothing to do"


def _families(world: World, rig: str, emulator: EmulatorAudit) -> Iterable[tuple[SetCell, ...]]:
    """The wanted sets by family, each led by its parent where that is wanted, too."""
    if not emulator.sets:
        return
    (roster,) = (one.arcade[emulator.emulator].roster for one in world.rigs if one.name == rig)
    known = roster.sets if roster else {}
    groups: dict[str, list[SetCell]] = {}
    for one in emulator.sets:
        parent = known[one.set].parent if one.set in known else None
        cell = SetCell(one.set, one.title, one.state, one.problems[0].reason if one.problems else "")
        group = groups.setdefault(parent or one.set, [])
        group.insert(0 if parent is None else len(group), cell)
    yield from (tuple(groups[name]) for name in sorted(groups))


def _to_obtain(world: World, audits: tuple[RigAudit, ...]) -> Iterable[ToObtain]:
    """What nobody here has, each once however many rigs want it; what must be there first."""
    wanted: dict[tuple[str, str], list[tuple[str, Finding]]] = {}
    for rig in audits:
        for emulator in rig.emulators:
            for finding in emulator.findings:
                gap = any(place.remedy is Remedy.OBTAIN for place in finding.places)
                if gap and not finding.ignored and not finding.spared:
                    wanted.setdefault((emulator.emulator, finding.need.id), []).append((rig.rig, finding))
    levels = list(Level)
    for (emulator_name, _), found in sorted(wanted.items(), key=lambda pair: levels.index(pair[1][0][1].need.level)):
        finding = found[0][1]
        need = finding.need
        names = (need.name, *need.aliases) if need.name else ()
        contents = [
            Content(label=accept.called or "the content", size=accept.size, digests=Digests(**accept.known()))
            for part in need.parts()
            for accept in part.accept
        ]
        yield ToObtain(
            emulator=emulator_name,
            rigs=tuple(rig for rig, _ in found),
            name=need.id,
            title=need.title,
            level=need.level,
            names=names,
            reason=finding.chief.reason,
            contents=tuple(contents),
        )
    yield from _set_files_to_obtain(world, audits)


def _set_files_to_obtain(world: World, audits: tuple[RigAudit, ...]) -> Iterable[ToObtain]:
    rosters = {(rig.name, name): one.roster for rig in world.rigs for name, one in rig.arcade.items()}
    for rig in audits:
        for emulator in rig.emulators:
            roster = rosters.get((rig.rig, emulator.emulator))
            for one in emulator.sets:
                lacking = [problem for problem in one.problems if problem.remedy is Remedy.OBTAIN]
                if not lacking or roster is None:
                    continue
                contents = []
                for problem in lacking:
                    owner = roster.sets.get(problem.owner or one.set)
                    for file in owner.files if owner else ():
                        if file.name == problem.file:
                            digests = Digests(**file.known())
                            contents.append(Content(label=file.name, size=file.size, digests=digests))
                yield ToObtain(
                    emulator=emulator.emulator,
                    rigs=(rig.rig,),
                    name=one.set,
                    title=one.title,
                    level="set",
                    names=tuple(dict.fromkeys(problem.file for problem in lacking if problem.file)),
                    reason=lacking[0].reason,
                    contents=tuple(contents),
                )
