"""What scrubbing found, with where a good copy is held."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence

from msgspec import Struct, structs

from gribble.core.audit.world import World
from gribble.core.base.digests import Digests
from gribble.core.base.paths import identity
from gribble.core.records.findings import NeedFinding, PlaceFinding, RigAudit
from gribble.core.records.holding import Holding
from gribble.core.records.scrubbed import Fault, Found, Scrubbed


class Copies(Struct, frozen=True, kw_only=True):
    """One content that several files have, proven by SHA-1: its size in bytes, the files nearest first, and the room in
    bytes that all of them but one take. Second names of one file take none."""

    sha1: str
    bytes: int
    files: tuple[Holding, ...]
    room: int


def doubtful_sizes(holdings: Iterable[Holding]) -> frozenset[int]:
    """The sizes, in bytes, that several of the files have: only these can have copies."""
    tally = Counter(one.size for one in _files(holdings))
    return frozenset(size for size, count in tally.items() if count > 1)


def copies(holdings: Iterable[Holding], about: frozenset[str] = frozenset()) -> list[Copies]:
    """Every content that several files have, those that take most room first; where places are named, only what is at
    or below one of them as well."""
    by_content: dict[tuple[int, str], dict[str, Holding]] = {}
    for one in _files(holdings):
        if one.digests.sha1:
            by_content.setdefault((one.size, one.digests.sha1), {}).setdefault(one.where, one)
    found = []
    places = frozenset(map(os.path.realpath, about))
    for (size, sha1), several in by_content.items():
        if len(several) < 2:
            continue
        files = {os.path.realpath(where): one for where, one in several.items()}  # a folder can be met by two ways
        if len(files) < 2 or (places and not any(_lies_at(where, places) for where in files)):
            continue
        apart = {identity(where) or where for where in files}
        ordered = tuple(sorted(files.values(), key=lambda one: (one.rig, one.root, one.path)))
        found.append(Copies(sha1=sha1, bytes=size, files=ordered, room=size * (len(apart) - 1)))
    return sorted(found, key=lambda one: (-one.room, one.files[0].where))


def _files(holdings: Iterable[Holding]) -> Iterable[Holding]:
    """Whole files that have a content, those aside that are read through a link, and what runs have displaced."""
    return (one for one in holdings if one.member is None and one.size and not one.fixed and not one.attic)


def _lies_at(where: str, places: frozenset[str]) -> bool:
    return any(where == place or where.startswith(f"{place}/") for place in places)


class Copy(Struct, frozen=True):
    """Where a good copy is held: a path and, in an archive, a member; in a source that is away, if it has a name."""

    path: str
    member: str | None = None
    source: str = ""


class ScrubFinding(Struct, frozen=True):
    """A fault, and a good copy, if one is held."""

    found: Found
    copy: Copy | None


class Scrub(Struct, frozen=True):
    """The whole: what was done, and the faults."""

    done: Scrubbed
    findings: tuple[ScrubFinding, ...]


def with_copies(
    findings: Iterable[Found], world: World, proven: Mapping[tuple[str, str], Sequence[str]]
) -> tuple[ScrubFinding, ...]:
    """Faults with where a good copy is held: by the survey here, by what was `proven`, then in sources that are away. A
    file that is gone and has a copy here was moved, and is none."""
    findings = list(findings)
    bad = frozenset(one.path for one in findings)
    told = []
    for one in findings:
        copy = _copy(one.digests, bad, world, proven)
        if one.fault is Fault.GONE and copy and not copy.source:
            continue
        told.append(ScrubFinding(one, copy))
    return tuple(told)


def _copy(
    digests: Digests, bad: frozenset[str], world: World, proven: Mapping[tuple[str, str], Sequence[str]]
) -> Copy | None:
    strongest = digests.strongest()
    if strongest is None or strongest == "crc32":
        return None
    pair = (strongest, digests.get(strongest) or "")
    for held in world.everything:
        for one in held.with_digest(*pair):
            if one.where not in bad:
                return _of(one)
    for path in proven.get(pair, ()):
        if path not in bad:
            return Copy(path)
    for away in world.away:
        for one in away.holdings.with_digest(*pair):
            return Copy(one.where, one.member, away.source)
    return None


def _of(holding: Holding) -> Copy:
    return Copy(holding.where, holding.member)


When = Callable[[str, str], int]
"""When a file below a root was last read whole, in nanoseconds since 1970; 0 if nobody knows."""


def with_ages(audits: Iterable[RigAudit], when: When) -> tuple[RigAudit, ...]:
    """Audits that say of each file in its place when it was proven last."""

    def dated(place: PlaceFinding, rig: str) -> PlaceFinding:
        there = place.lying(rig)
        proven = when(there.root, there.path) if there and there.member is None and place.met else 0
        return structs.replace(place, proven=proven) if proven else place

    def of_finding(finding: NeedFinding, rig: str) -> NeedFinding:
        return structs.replace(finding, places=tuple(dated(place, rig) for place in finding.places))

    return tuple(
        structs.replace(
            rig,
            emulators=tuple(
                structs.replace(one, findings=tuple(of_finding(finding, rig.rig) for finding in one.findings))
                for one in rig.emulators
            ),
        )
        for rig in audits
    )
