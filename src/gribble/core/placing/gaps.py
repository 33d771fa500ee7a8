"""What nobody here has, file by file: one list for plans, for what is needed, and for reports."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from gribble.core.base.digests import Digests
from gribble.core.records.findings import EmulatorAudit, NeedFinding, Remedy, RigAudit, SetAudit
from gribble.core.records.sheet import Level
from gribble.core.records.steps import Bring, Gap
from gribble.core.sayings.facts import say_all


def gaps_of(rig: RigAudit) -> Iterator[Gap]:
    """What is to be obtained for a rig: needs first, then the files of sets, each once under the archive where it
    belongs."""
    for emulator in rig.emulators:
        for finding in emulator.findings:
            yield from need_gaps(rig.rig, emulator.emulator, finding)
        yield from set_gaps(rig.rig, emulator, emulator.sets)


def need_gaps(rig: str, emulator: str, finding: NeedFinding) -> Iterator[Gap]:
    """The files of a need that are to be obtained; of several contents the best liked, the others beside it."""
    if finding.ignored or finding.spared:
        return
    need = finding.need
    told: set[str] = set()
    for place in finding.wanted:
        part = place.subject.need
        if place.remedy is not Remedy.OBTAIN or part.name in told:
            continue
        told.add(part.name)
        first, *others = part.accept or (None,)
        yield Gap(
            rig=rig,
            emulator=emulator,
            kind="need",
            subject=need.id,
            title=", or ".join((need.called, *finding.instead)),
            verdict=place.verdict,
            facts=place.facts if need.file else finding.facts,
            level=need.level,
            file=part.name,
            size=first.size if first else None,
            digests=Digests(**first.known()) if first else Digests(),
            others=tuple(others),
        )


def set_gaps(rig: str, emulator: EmulatorAudit, sets: Iterable[SetAudit]) -> Iterator[Gap]:
    """The files of sets of an emulator that are to be obtained, each once under the archive where it belongs."""
    told: set[tuple[str, str]] = set()
    for one in sets:
        for problem in one.problems:
            if problem.remedy is not Remedy.OBTAIN:
                continue
            wants = problem.subject.wants
            file = wants.name if wants else problem.subject.file
            home = problem.subject.home
            if (home.name, file) in told:
                continue
            told.add((home.name, file))
            yield Gap(
                rig=rig,
                emulator=emulator.emulator,
                kind="set",
                subject=one.set,
                title=one.title or one.set,
                verdict=problem.verdict,
                facts=problem.facts,
                home=home,
                release=emulator.release or "",
                file=file,
                size=wants.size if wants else None,
                digests=Digests(**wants.known()) if wants else Digests(),
            )


def brought_by_away(rig: RigAudit) -> Iterator[Bring]:
    """What sources that are away would bring to a rig: for needs first, then for sets, each file once."""
    for emulator in rig.emulators:
        for finding in emulator.findings:
            for place in finding.places if not (finding.ignored or finding.spared) else ():
                if place.remedy is Remedy.CONNECT and place.use:
                    yield Bring(
                        rig=rig.rig,
                        emulator=emulator.emulator,
                        kind="need",
                        subject=finding.need.id,
                        source=place.source,
                        facts=place.facts,
                        to=place.expected,
                        held=place.use,
                        size=place.use.size,
                    )
        told: set[tuple[str, str]] = set()
        for one in emulator.sets:
            for problem in one.problems:
                held = problem.use or problem.found
                if (
                    problem.remedy is Remedy.CONNECT
                    and held
                    and (problem.subject.home.name, problem.subject.file) not in told
                ):
                    told.add((problem.subject.home.name, problem.subject.file))
                    yield Bring(
                        rig=rig.rig,
                        emulator=emulator.emulator,
                        kind="set",
                        subject=one.set,
                        source=problem.source,
                        facts=problem.facts,
                        to=f"{problem.subject.home.name}/{problem.subject.file}",
                        held=held,
                        size=held.size,
                    )


def bring_record(one: Bring) -> dict[str, Any]:
    """What a source that is away would bring, in JSON."""
    return {
        "source": one.source,
        "rig": one.rig,
        "emulator": one.emulator,
        one.kind: one.subject,
        "to": one.to,
        "held": one.held.where,
        "member": one.held.member,
        "size": one.size,
        "reason": say_all(one.facts),
    }


def once_each(gaps: Iterable[Gap]) -> list[tuple[Gap, tuple[str, ...]]]:
    """Gaps of several rigs, each file once, with the rigs that want it; what must be there first."""
    found: dict[tuple[str, ...], tuple[Gap, list[str]]] = {}
    for gap in gaps:
        subject = gap.subject if gap.kind == "need" else ""
        found.setdefault((gap.emulator, subject, gap.archive, gap.file), (gap, []))[1].append(gap.rig)
    levels = list(Level)
    order = sorted(found.values(), key=lambda pair: (pair[0].kind == "set", levels.index(pair[0].level)))
    return [(gap, tuple(dict.fromkeys(rigs))) for gap, rigs in order]


def gap_record(gap: Gap) -> dict[str, Any]:
    """A gap in JSON."""
    return {
        "rig": gap.rig,
        "emulator": gap.emulator,
        gap.kind: gap.subject,
        "title": gap.title,
        "level": gap.level,
        "archive": gap.archive or None,
        "file": gap.file,
        "size": gap.size,
        **{name: gap.digests.get(name) for name in ("crc32", "md5", "sha1", "sha256")},
        "others": [{"label": one.called or None, "size": one.size, **one.known()} for one in gap.others],
        "reason": say_all(gap.facts),
    }
