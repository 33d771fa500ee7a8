"""What would put something right, in words; and where a file is, as the user knows it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable
from typing import TypeAlias, assert_never

from gribble.core.base.paths import base, parent
from gribble.core.records.discs import MENDS
from gribble.core.records.findings import (
    FIXABLE,
    GameFinding,
    Home,
    NeedFinding,
    PlaceFinding,
    Remedy,
    RigAudit,
    SetAudit,
    SetProblem,
    SettingFinding,
    Standing,
    Verdict,
    Way,
)
from gribble.core.records.holding import Holding, in_words
from gribble.core.records.steps import Gap
from gribble.core.sayings.facts import fix_words, say

Shown: TypeAlias = Callable[[str], str]
"""A path of this machine as it is shown."""


def remedy_words(rig: RigAudit, place: PlaceFinding, shown: Shown) -> str:
    """What would put a place right, in words."""
    if place.refusal and not place.met:
        return f"for you to do: {fix_words(place.refusal)}"
    use = say_holding(place.use, rig.rig, shown) if place.use else ""
    match place.remedy:
        case Remedy.NONE:
            return ""
        case Remedy.RENAME:
            return f"rename {base(place.use.path) if place.use else ''} to {base(place.expected)}"
        case Remedy.PLACE | Remedy.REPLACE if place.by_name:
            verb = "take it from" if place.remedy is Remedy.PLACE else "replace it with"
            return f"{verb} {use}, by its name only (gribble place --by-name)"
        case Remedy.PLACE:
            return f"take it from {use}"
        case Remedy.REPLACE if place.right_beside:
            return f"put {', '.join(map(base, place.in_way))} in the attic"
        case Remedy.REPLACE:
            return f"replace it with {use}"
        case Remedy.MEND:
            return _mend_words(rig, place, shown)
        case Remedy.CONNECT:
            return f"connect {place.source} (switch it on, or plug it in): the file is there as {_there(place.use)}"
        case Remedy.OBTAIN:
            return "obtain it: no file of yours is right"
        case Remedy.POINT:
            return ""  # only settings are pointed
        case _:
            assert_never(place.remedy)


def archive_words(home: Home, files: Iterable[SetProblem | Gap], release: str | None) -> str:
    """Which archive of a set has to be got, and how much of it is not right."""
    what, files = archive_kind(home, release), tuple(files)
    name = home.name if home.of else " and ".join(dict.fromkeys(map(_name_of, files)))  # disc images are on their own
    state = archive_state(home, files)
    return f"obtain {name}{f' ({what})' if what else ''}{f': {state}' if state else ''}"


def archive_kind(home: Home, release: str | None) -> str:
    """What an archive is to the set, and of which release."""
    return ", ".join(filter(None, (home.role, f"release {release}" if release else "")))


def archive_state(home: Home, files: Iterable[SetProblem | Gap]) -> str:
    """How much of an archive is not right."""
    verdicts = Counter({_name_of(one): one.verdict for one in files}.values())
    absent, damaged = verdicts.pop(Verdict.MISSING, 0), verdicts.pop(Verdict.DAMAGED, 0)
    wrong = verdicts.total()
    if damaged:
        parts = ["yours is broken"]
    elif absent == home.of > 1:
        parts = [f"none of its {absent} files is here"]
    elif home.of == 1:
        parts = [f"its only file is {'missing' if absent else 'wrong'}"]
    else:
        told = ((absent, "missing"), (wrong, "wrong")) if home.of else ()
        parts = [f"{one} of its {home.of} files {'is' if one == 1 else 'are'} {word}" for one, word in told if one]
    return ", ".join(parts) + (f". Yours is release {home.old}'s" if home.old else "")


def _name_of(one: SetProblem | Gap) -> str:
    """What a file that lacks is called in the archive where it belongs."""
    if isinstance(one, Gap):
        return one.file
    wants = one.subject.wants
    return (wants.parent_name or wants.bios_name or wants.name) if wants else one.subject.file


def way_words(rig: RigAudit, way: Way, shown: Shown) -> str:
    """One way to make firmware, keys and release fit, with the file it takes."""
    held = f": {say_holding(way.held, rig.rig, shown)}" if way.held else ""
    return f"{way.change}: {say(way.fact)}{held}"


def need_words(rig: RigAudit, finding: NeedFinding, place: PlaceFinding, shown: Shown) -> str:
    """What would put a place of a need right, in words; of one that lacks others, each way to have them."""
    if finding.in_place and not finding.met:
        return "; or ".join(way_words(rig, way, shown) for way in finding.ways) or "obtain what is missing"
    return remedy_words(rig, place, shown)


def setting_words(found: SettingFinding) -> str:
    """What would put a setting right, in words."""
    return f"make it {found.subject.wanted}" if found.remedy is Remedy.POINT else ""


def game_words(found: GameFinding, shown: Shown) -> str:
    """What a plan for games does about a file or a folder of a game, in words."""
    if found.subject.fix is None:
        return f"{MENDS} puts it right" if Standing.MENDS in found.standing else ""
    for packed in found.subject.fix.packed:
        return f"zip it as {packed.to}"
    loose = found.subject.fix.loose[0]
    if found.subject.fix.displaced:
        return f"unpack it to {parent(loose.to)}/"
    if loose.movable:
        return f"make it {loose.to}"
    return f"take it from {in_words(shown(loose.holding.where), loose.holding.member)}"


def set_words(one: SetAudit, problem: SetProblem) -> str:
    """What would put right what is wrong with a set, in words; a set is put right whole or not at all."""
    if problem.source:
        return f"connect {problem.source} (switch it on, or plug it in)"
    if problem.remedy is Remedy.OBTAIN:
        return "obtain it: no file of yours is right"
    if problem.remedy not in FIXABLE:
        return ""
    return (
        "gribble place puts it right"
        if one.fixable
        else "you have it; it is put in place once the rest of the set is there"
    )


def _there(holding: Holding | None) -> str:
    """A file in a source that is away, by its path in it."""
    return in_words(holding.path, holding.member) if holding else ""


def _mend_words(rig: RigAudit, place: PlaceFinding, shown: Shown) -> str:
    if place.mend is None:
        return "mend it"
    partner = f" with {say_holding(place.mend.partner, rig.rig, shown)}" if place.mend.partner else ""
    return f"mend {say_holding(place.mend.holding, rig.rig, shown)}{partner}"


def say_holding(holding: Holding, rig: str | None, shown: Shown) -> str:
    """Where a holding lies, as the user knows it: on this rig by its path there, in the attic by the run that displaced
    it, else by its place on this machine."""
    if holding.attic:
        path = f"the attic of run {holding.attic} ({holding.path.split('/', 2)[-1]})"
    else:
        path = holding.path if holding.rig == rig else shown(holding.where)
    return in_words(path, holding.member)
