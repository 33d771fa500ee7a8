"""A plan as `plan/1`: written to be carried out later, and read with suspicion, since it may have been edited."""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Callable, Container, Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec
from msgspec import structs

from gribble.core.base.budget import JSON_VALUES, PLAN_BYTES
from gribble.core.base.digests import HEX_LENGTHS, Digests
from gribble.core.base.errors import GribbleError, Mistake, MistakesError, json_fault, record_fault, unreadable
from gribble.core.base.filewriter import Own
from gribble.core.base.paths import MEMORY_FOLDER, fold, hidden_part, join, lies_in, link_among_own, outside, path_fault
from gribble.core.base.regular import read_regular
from gribble.core.placing.gaps import bring_record, gap_record
from gribble.core.placing.plan import without
from gribble.core.records.steps import Copy, Displace, Mend, Pack, Plan, Point, Refused, Rename, Step, Taking, Write

FORMAT = "plan/1"
WRITTEN = (".cue", ".m3u")
"""Endings of the texts that Gribble writes on a rig."""
PLAN = Own(b'{\n "gribble": "plan/', "plan")
_FIX = "gribble plan --out FILE writes one."
_HEX = frozenset("0123456789abcdef")


_EVERY_STEP: dict[str, Any] = {
    "rig": "", "step": "", "from": "", "member": None, "to": None, "bytes": 0,
    "digests": msgspec.to_builtins(Digests()), "replaces": None, "recipe": None, "partner": None,
    "partner_member": None, "points": [], "link": False, "dated": False, "private": False, "text": "", "members": [],
    "surplus": [], "left_out": [], "emulator": "", "need": "", "sha1": None,
}  # fmt: skip
"""What a step says where its kind has no such thing: every step of a plan's file has every key."""


def plan_record(plan: Plan) -> dict[str, Any]:
    """A plan as `plan/1`, with all that carrying it out takes."""
    return {
        "gribble": FORMAT,
        "steps": [_step_record(step, plan) for step in plan.steps],
        "bytes": plan.bytes,
        "refused": [
            {
                "rig": one.rig,
                "emulator": one.emulator,
                "need": one.need,
                "reason": one.reason,
                **({"away": True, "source": one.source} if one.source else {}),
            }
            for one in plan.refused
        ],
        "obtain": [gap_record(gap) for gap in plan.obtain],
        **({"away": [bring_record(one) for one in plan.away]} if plan.away else {}),
    }


def _step_record(step: Step, plan: Plan) -> dict[str, Any]:
    stamp = plan.stamps.get((step.rig, step.displaces or ""))
    record = {**_EVERY_STEP, **msgspec.to_builtins(step), "sha1": step.proof.sha1}
    if stamp:
        record["displaces"] = {"size": stamp[0], "modified": stamp[1]}
    if isinstance(step, Point):
        record["from"] = step.to
    for member in record["members"]:
        member["from"] = member.pop("from_")
    return record


def plan_bytes(plan: Plan) -> bytes:
    """The content of a plan's file."""
    return (json.dumps(plan_record(plan), indent=1) + "\n").encode()


def _as_kept(record: Any) -> Any:
    """A step of a plan's file as journals have it, where a member's source goes by another key."""
    if not isinstance(record, dict) or not isinstance(record.get("members"), list):
        return record
    members = [
        {("from_" if key == "from" else key): value for key, value in one.items()} if isinstance(one, dict) else one
        for one in record["members"]
    ]
    return {**record, "members": members}


def read_plan(path: Path, rigs: Container[str]) -> Plan:
    """The steps in a plan's file, for some rigs. Raises MistakesError with everything that is wrong with it."""
    try:
        data = read_regular(path, PLAN_BYTES)
        if sum(map(data.count, (b",", b"[", b"{"))) > JSON_VALUES:
            raise ValueError(f"it has more than {JSON_VALUES:,} values")
        answer = json.loads(data)
    except OSError as error:
        raise unreadable(path, error, _FIX) from error
    except json.JSONDecodeError as error:
        raise GribbleError(f"{path}, line {error.lineno}: is not JSON: {json_fault(error)}", fix=_FIX) from error
    except (ValueError, RecursionError) as error:
        raise GribbleError(f"{path} is not a plan: {error}", fix=_FIX) from error
    if not isinstance(answer, dict) or answer.get("gribble") != FORMAT or not isinstance(answer.get("steps"), list):
        raise GribbleError(f"{path} is not a plan that this Gribble can read ({FORMAT})", fix=_FIX)
    steps = []
    stamps: dict[tuple[str, str], tuple[int, int]] = {}
    mistakes = []
    for number, record in enumerate(answer["steps"]):
        try:
            step = msgspec.convert(_as_kept(record), Step)
        except (msgspec.ValidationError, RecursionError, OverflowError) as error:
            mistakes.append(Mistake(str(path), f"steps[{number}]", record_fault(error)))
            continue
        faults = list(step_faults(step, rigs))
        mistakes += [Mistake(str(path), f"steps[{number}].{key}", what) for key, what in faults]
        steps.append(step)
        there = record.get("displaces")
        if step.displaces and isinstance(there, dict):
            size, modified = there.get("size"), there.get("modified")
            if type(size) is not int or type(modified) is not int:
                where = f"steps[{number}].displaces"
                mistakes.append(Mistake(str(path), where, "needs a size and a time in whole numbers"))
                continue
            stamps[step.rig, step.displaces] = size, modified
    if mistakes:
        raise MistakesError(mistakes)
    return Plan(steps=tuple(steps), stamps=stamps)


def judged(plan: Plan, path: Path, readable: Sequence[Path]) -> Plan:
    """A plan from a file, held against the disk: what its steps take is in `readable` folders, and is a file.

    Raises MistakesError for a step that takes anything else, or writes a text of a form that Gribble does not write. A
    step whose content nothing proves is refused by itself. What a copy writes is as long as the file is.
    """
    mistakes, steps, refused = [], list[Step](), list(plan.refused)
    for number, step in enumerate(plan.steps):
        faults = [(key, fault) for key, taken in _taken(step) if (fault := taken_fault(taken, readable))]
        if isinstance(step, Write) and not step.to.lower().endswith(WRITTEN):
            faults.append(("to", f'"{step.to}" is no track sheet and no playlist, and Gribble writes no other text'))
        mistakes += [Mistake(str(path), f"steps[{number}].{key}", what) for key, what in faults]
        if not _is_proven(step):
            reason = "the plan file has no digest for it, so nothing proves it; gribble place --by-name uses it"
            what = step.need or step.place
            refused.append(Refused(rig=step.rig, emulator=step.emulator, need=what, reason=reason))
            continue
        if isinstance(step, Copy) and not faults and outside(step.from_) and "://" not in step.from_:
            with contextlib.suppress(OSError):
                step = structs.replace(step, bytes=os.stat(step.from_).st_size)
        steps.append(step)
    if mistakes:
        raise MistakesError(mistakes)
    return structs.replace(plan, steps=tuple(steps), refused=tuple(refused))


def taken_fault(path: str, readable: Sequence[Path]) -> str:
    """Why a step from a plan file must not take a file of this machine; empty if it may, or it is on a rig."""
    if not outside(path) or "://" in path:
        return ""
    place = Path(path)
    parts = place.parts
    if ".." in parts:
        return f'"{path}" climbs with ".."'
    if MEMORY_FOLDER in parts and not any(place.is_relative_to(one) for one in readable if one.name == "attic"):
        return f'"{path}" leads to what is Gribble\'s own'
    if link_among_own(place) or lies_in(place, readable) is None:
        return f'"{path}" is in no source and on no rig'
    if os.path.lexists(place) and not os.path.isfile(place):
        return f'"{path}" is not a regular file'
    return ""


def _taken(step: Step) -> Iterator[tuple[str, str]]:
    if isinstance(step, Taking):
        yield "from", step.from_
    if isinstance(step, Mend) and step.partner is not None:
        yield "partner", step.partner
    if isinstance(step, Pack):
        yield from ((f"members[{number}].from", member.from_) for number, member in enumerate(step.members))


def _is_proven(step: Step) -> bool:
    """Whether a step says by a digest what it brings, if it takes it from elsewhere; a renaming brings nothing."""
    if isinstance(step, Pack):
        return all(member.digests.known() for member in step.members)
    return not isinstance(step, Taking) or isinstance(step, Rename) or bool(step.digests.known())


def step_faults(step: Step, rigs: Container[str]) -> Iterator[tuple[str, str]]:
    """What is wrong with a step that was read from a file: each key, and why. A step that was just planned has none."""
    if step.rig not in rigs:
        yield "rig", f'"{step.rig}" is no rig of gribble.toml'
    if isinstance(step, Displace):
        yield from _source_faults("from", step.from_, inside=True)
        return
    for key, path in (("to", step.to), ("replaces", step.replaces)):
        if path is not None and (fault := path_fault(path)):
            yield key, f'"{path}" {fault}'
    if step.bytes < 0:
        yield "bytes", "is less than nothing"
    if isinstance(step, Taking):
        yield from _source_faults("from", step.from_, inside=isinstance(step, Rename))
        yield from _digest_faults("digests", step.digests)
    if isinstance(step, Mend) and step.partner is not None:
        yield from _source_faults("partner", step.partner)
    if isinstance(step, Point) and (not step.points or step.replaces != step.to):
        yield "points", "change a settings file in its own place, and at least one value of it"
    if isinstance(step, Pack):
        yield from _pack_faults(step)


def _pack_faults(step: Pack) -> Iterator[tuple[str, str]]:
    for number, member in enumerate(step.members):
        if fault := path_fault(member.name):
            yield f"members[{number}].name", f'"{member.name}" {fault}'
        yield from _source_faults(f"members[{number}].from", member.from_)
        yield from _digest_faults(f"members[{number}].digests", member.digests)
    if len({member.name for member in step.members}) < len(step.members):
        yield "members", "have one name twice"


def _source_faults(key: str, path: str, *, inside: bool = False) -> Iterable[tuple[str, str]]:
    """A file on the rig by a relative path or, where that is allowed, any by an absolute one."""
    if outside(path) and not inside:
        if "\0" in path:
            yield key, "contains a control character"
    elif fault := path_fault(path):
        yield key, f'"{path}" {fault}'


def _digest_faults(key: str, digests: Digests) -> Iterator[tuple[str, str]]:
    for name, digest in digests.known().items():
        if len(digest) != HEX_LENGTHS[name] or not _HEX.issuperset(digest):
            yield f"{key}.{name}", f"should have {HEX_LENGTHS[name]} hex digits in lower case"


TRUSTED = frozenset({".ssh", ".gnupg", ".config", ".local", ".mozilla", ".profile", ".bashrc", ".zshrc", ".netrc"})
"""Hidden folders and files of a person's home that programs trust."""
OWN_NAMES = ("gribble.toml", ".sheet.toml", ".roster.jsonl")
"""How the names of Gribble's own files end."""


def guarded(
    plan: Plan, is_there: Callable[[str, str], bool], is_own: Callable[[str, str], bool], *, hidden: bool
) -> Plan:
    """A plan without the steps that may not be, or that a journal could not be read back with: those are refused, each
    with the reason.

    `is_there` tells of a rig and a path whether something is there, `is_own` whether it is a file of the set-up. With
    `hidden` the user has said that hidden places may be written.
    """
    refused, out = list(plan.refused), set[int]()

    def objections(step: Step) -> Iterator[str]:
        yield from (f"{key} {what}" for key, what in step_faults(step, (step.rig,)))
        for path in _paths(step):
            if path.endswith(OWN_NAMES) or is_own(step.rig, path):
                yield f"{path} is a file of Gribble's own, and no step writes it"
            elif not hidden and (why := hidden_reason(path, lambda place: is_there(step.rig, place))):
                yield why

    for step in plan.steps:
        if why := next(objections(step), ""):
            out.add(id(step))
            what = step.need or step.place
            refused.append(Refused(rig=step.rig, emulator=step.emulator, need=what, reason=why))
    return structs.replace(plan, steps=tuple(without(plan.steps, out)), refused=tuple(refused)) if out else plan


def hidden_reason(path: str, is_there: Callable[[str], bool]) -> str:
    """Why a path needs a word of the user; empty if it does not."""
    part, above = hidden_part(path)
    if not part:
        return ""
    if any(fold(one) in TRUSTED for one in path.split("/")):
        return f"{path} is where programs keep what they trust; gribble place --hidden writes there"
    if not is_there(join(above, part)):
        return f"{join(above, part)} is hidden, and was not there before; gribble place --hidden writes it"
    return ""


def _paths(step: Step) -> list[str]:
    paths = [step.place, step.displaces, step.from_ if isinstance(step, Rename) else None]
    return [path for path in dict.fromkeys(paths) if path]
