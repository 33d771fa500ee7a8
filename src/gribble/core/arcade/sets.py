"""The audit of sets: does each wanted set run, and if not, which files are at fault. Pure."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from gribble.core.arcade.cabinet import Cabinet, Container, is_file, member_name
from gribble.core.arcade.discs import Discs
from gribble.core.arcade.families import Family, Part, family_of, parts_of
from gribble.core.audit.findings import Proof, Remedy, SetAudit, SetProblem, State, Verdict
from gribble.core.catalogue.rosters import ArcadeSet, FileState, Plays, Roster, SetKind
from gribble.core.paths import base
from gribble.core.survey.survey import Holding


def wanted_sets(
    wanted: tuple[str, ...] | None, roster: Roster, cabinet: Cabinet, others: Iterable[Roster] = ()
) -> list[str]:
    """The sets to be audited: those asked for, every game ("all"), or the games that lie on the rig.

    What lies there and only another release knows is among them, since it will not run; what nobody knows is not.
    """
    if wanted == ("all",):
        return [one.set for one in roster.sets.values() if one.kind is SetKind.GAME]
    if wanted is not None:
        return list(wanted)
    known = [name for name in roster.sets if cabinet.of(name)]
    clones: dict[str, list[ArcadeSet]] = {}
    for one in roster.sets.values():
        if one.parent is not None:
            clones.setdefault(one.parent, []).append(one)
    games = [
        one.set
        for one in roster.sets.values()
        if one.kind is SetKind.GAME
        and (_lies_there(one, clones.get(one.set, []), cabinet) or _lies_with_parent(one, cabinet))
    ]
    strange = set(cabinet.names) - {cabinet.key(name) for name in known}
    old = {name for other in others for name in other.sets if cabinet.key(name) in strange} if strange else set()
    return games + sorted(old)


def _lies_there(one: ArcadeSet, clones: list[ArcadeSet], cabinet: Cabinet) -> bool:
    """Whether a set's archive is there for the set itself: not if it only holds what clones that lie there share."""
    container = cabinet.of(one.set)
    if container is None:
        return False
    if not clones or container.faults:
        return True
    held = {file.name for file in one.files if container.find(file)}
    if not held or len(held) == len(one.files):
        return True
    present = [clone for clone in clones if cabinet.of(clone.set) or _lies_with_parent(clone, cabinet)]
    return not held <= {file.parent_name for clone in present for file in clone.files}


def _lies_with_parent(one: ArcadeSet, cabinet: Cabinet) -> bool:
    """Whether the files that tell a clone from its parent lie in the parent's archive, which is merged then."""
    container = cabinet.of(one.parent) if one.parent is not None else None
    own = [file for file in one.files if file.parent_name is None]
    return container is not None and bool(own) and all(map(container.find, own))


def audit_set(
    roster: Roster, name: str, cabinet: Cabinet, others: Iterable[Roster] = (), discs: Discs | None = None
) -> SetAudit:
    """One set. `others` are rosters of other releases, by which old files are told."""
    if name not in roster.sets:
        what = f"release {roster.head.release} knows no such set"
        known = [other.head.release for other in others if name in other.sets]
        if known:
            what += f"; release {', '.join(known)} does"
        problem = SetProblem(file="", owner=name, verdict=Verdict.MISSING, reason=what)
        return SetAudit(set=name, title="", problems=(problem,))
    family = family_of(roster, name)
    problems = [*_of_release(family), *_of_files(roster, family, cabinet, others)]
    problems += discs.problems(family) if discs else ()
    problems.sort(key=lambda problem: (problem.state is not State.BLOCKED, problem.verdict is not Verdict.MISSING))
    blamed = {(problem.owner, problem.file) for problem in problems}
    absent = _perhaps_spared(family, cabinet)
    return SetAudit(
        set=name,
        title=family.one.title,
        problems=tuple(problems),
        packing=tuple(_packing(family, cabinet)),
        spared=frozenset(absent - blamed),
    )


def _perhaps_spared(family: Family, cabinet: Cabinet) -> set[tuple[str, str]]:
    """Files that are absent where a set can do without some."""
    parts = parts_of(family)
    if not any(part.file.optional or part.file.choice is not None for part in parts):
        return set()
    containers = _containers(family, cabinet)
    return {(part.owner, part.file.name) for part in parts if not _lies(part, containers)}


def _containers(family: Family, cabinet: Cabinet) -> list[Container]:
    return [container for name in family.path if (container := cabinet.of(name))]


def _of_release(family: Family) -> Iterator[SetProblem]:
    """What the release itself cannot do, and gaps of the roster."""
    one = family.one
    note = f": {one.note}" if one.note else ""
    if one.plays is Plays.NO:
        reason = f"this release does not play it{note}"
        yield SetProblem(file="", owner=one.set, verdict=Verdict.IMPOSTER, reason=reason)
    elif one.plays is Plays.FLAWED:
        reason = f"this release does not play it well{note}"
        yield SetProblem(file="", owner=one.set, verdict=Verdict.UNPROVEN, reason=reason, state=State.LIMITED)
    for gap in family.gaps:
        yield SetProblem(file="", owner=one.set, verdict=Verdict.UNPROVEN, reason=gap, state=State.LIMITED)


def _of_files(roster: Roster, family: Family, cabinet: Cabinet, others: Iterable[Roster]) -> Iterator[SetProblem]:
    containers = _containers(family, cabinet)
    parts = parts_of(family)
    met: set[tuple[str, str]] = set()  # choices that one file has satisfied
    absent: list[Part] = []
    for part in parts:
        if _lies(part, containers):
            if part.file.choice is not None:
                met.add((part.owner, part.file.choice))
            if part.file.state is FileState.SUSPECT:
                yield SetProblem(
                    file=part.file.name,
                    owner=part.owner,
                    verdict=Verdict.UNPROVEN,
                    reason="the only dump known is a poor one",
                    state=State.LIMITED,
                )
        elif not part.file.optional:
            absent.append(part)
    told: set[tuple[str, str]] = set()
    old = _old_releases(roster, family, cabinet, absent, others)
    for part in absent:
        key = (part.owner, part.file.choice or "")
        if part.file.choice is not None and (key in met or key in told):
            continue
        told.add(key)
        yield _absence(part, family, cabinet, old)


def _lies(part: Part, containers: list[Container]) -> Holding | None:
    """The file where the emulator looks for it, under whatever name."""
    for container in containers:
        if (found := container.find(part.file)) is not None:
            return found
    return None


def _absence(part: Part, family: Family, cabinet: Cabinet, old: dict[str, str]) -> SetProblem:
    """What is at fault where a file is not found along the path."""
    file, role = part.file, family.role(part.owner)
    whose = f"its {role} {part.owner}: " if role else ""
    held = cabinet.held(file)

    def problem(verdict: Verdict, reason: str, found: Holding | None = held) -> SetProblem:
        where = f"; a right one is held: {_place(held)}" if held and found is not held else ""
        return SetProblem(
            file=file.name,
            owner=part.owner,
            verdict=verdict,
            remedy=(Remedy.REPLACE if where else Remedy.PLACE) if held else Remedy.OBTAIN,
            proof=_proof(found),
            reason=f"{whose}{reason}{where}",
            found=found,
        )

    container = cabinet.of(part.owner)
    if container and container.faults:
        path, why = next(iter(container.faults.items()))
        return problem(Verdict.DAMAGED, f"{base(path)} {why}", None)
    if (unreadable := cabinet.unreadable(part.owner)) and not container:
        return problem(Verdict.IMPOSTER, f"{base(unreadable)} is an archive that this emulator cannot read", None)
    for name in (part.owner, *family.path):
        there = cabinet.of(name)
        wrong = there.named(file.name) if there else None
        if wrong is not None:
            bad = "its content is another one"
            if file.size is not None and wrong.size != file.size:
                bad = f"it has {wrong.size:,} bytes where {file.size:,} are right"
            elif file.crc32 is not None and wrong.digests.crc32 == file.crc32:
                bad = "its CRC-32 is the right one, but its stronger digest is not"
            if part.owner in old:
                bad = f"it is the one of release {old[part.owner]}"
            return problem(Verdict.IMPOSTER, bad if name == part.owner else f"in {name}'s archive: {bad}", wrong)
    if held:
        return problem(Verdict.ASTRAY, f"not where the emulator looks, but held: {_place(held)}")
    return problem(Verdict.MISSING, "nowhere here")


def _proof(found: Holding | None) -> Proof:
    if found is None:
        return Proof.NONE
    return Proof.ARCHIVE if found.carried and found.digests.strongest() == "crc32" else Proof.DIGEST


def _place(holding: Holding) -> str:
    return f"{holding.member} in {base(holding.path)}" if holding.member is not None else holding.path


def _old_releases(
    roster: Roster, family: Family, cabinet: Cabinet, absent: list[Part], others: Iterable[Roster]
) -> dict[str, str]:
    """The relatives that lie there as another release knows them (an old BIOS set, say), and that release."""
    found: dict[str, str] = {}
    for name in dict.fromkeys(part.owner for part in absent):
        container = cabinet.of(name)
        if container is None or not family.role(name):
            continue
        for other in others:
            one = other.sets.get(name)
            if other.head.release == roster.head.release or one is None or not one.files:
                continue
            if all(container.find(file) for file in one.files if file.state is not FileState.UNDUMPED):
                found.setdefault(name, other.head.release)
    return found


def _packing(family: Family, cabinet: Cabinet) -> Iterator[str]:
    """What lies under another name than the roster's. It runs all the same."""
    container = cabinet.of(family.one.set)
    if container is None:
        return
    for file in family.one.files:
        named = container.named(file.name)
        if named is not None and is_file(file, named):
            continue
        there = container.find(file)
        if there is not None and base(member_name(there)) not in (file.name, file.parent_name, file.bios_name):
            yield f"{member_name(there)} should be called {file.name}"
