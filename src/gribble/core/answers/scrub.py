"""What scrubbing found, with where a good copy is held."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from msgspec import Struct

from gribble.core.audit.world import World
from gribble.core.base.digests import Digests
from gribble.core.records.holding import Holding
from gribble.core.records.scrubbed import Fault, Found, Scrubbed


class Copy(Struct, frozen=True):
    """Where a good copy is held: a path and, in an archive, a member; in a source that is away, if it has a name."""

    path: str
    member: str | None = None
    source: str = ""


class Finding(Struct, frozen=True):
    """A fault, and a good copy, if one is held."""

    found: Found
    copy: Copy | None


class Scrub(Struct, frozen=True):
    """The whole: what was done, and the faults."""

    done: Scrubbed
    findings: tuple[Finding, ...]


def with_copies(
    findings: Iterable[Found], world: World, proven: Mapping[tuple[str, str], Sequence[str]]
) -> tuple[Finding, ...]:
    """Faults with where a good copy is held: by the survey here, by what was `proven`, then in sources that are away. A
    file that is gone and has a copy here was moved, and is none."""
    findings = list(findings)
    bad = frozenset(one.path for one in findings)
    told = []
    for one in findings:
        copy = _copy(one.digests, bad, world, proven)
        if one.fault is Fault.GONE and copy and not copy.source:
            continue
        told.append(Finding(one, copy))
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
