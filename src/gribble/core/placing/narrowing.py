"""A part of a plan: only some steps, all but some, or copies as second names."""

from __future__ import annotations

from collections.abc import Iterable
from fnmatch import fnmatchcase

from msgspec import structs

from gribble.core.base.paths import outside
from gribble.core.records.plan import Plan
from gribble.core.records.steps import Copy, Displace, Step, Taking


def without(steps: Iterable[Step], left_out: set[int]) -> list[Step]:
    """Steps but for some (by identity), and for the displacements that only make sense with those."""
    steps = list(steps)
    lost = {(step.rig, step.emulator, step.need) for step in steps if id(step) in left_out}
    return [
        step
        for step in steps
        if id(step) not in left_out
        and not (isinstance(step, Displace) and (step.rig, step.emulator, step.need) in lost)
    ]


def narrowed(plan: Plan, only: Iterable[str], skip: Iterable[str]) -> Plan:
    """A plan with `only` some steps, or without those to `skip`.

    A word is a rig, an emulator, a need, a set, a kind of step, or a pattern for the place (`*/boot/*`). Raises
    ValueError with a word that no step answers to.
    """
    only, skip = tuple(only), tuple(skip)
    for word in (*only, *skip):
        if not any(_answers(step, word) for step in plan.steps):
            raise ValueError(word)
    out = {
        id(step)
        for step in plan.steps
        if any(_answers(step, word) for word in skip) or (only and not any(_answers(step, word) for word in only))
    }
    return structs.replace(plan, steps=tuple(without(plan.steps, out)))


def linked(plan: Plan) -> Plan:
    """A plan whose copies from this machine are second names of their sources, where the file system allows that."""
    steps = (
        structs.replace(step, link=True) if isinstance(step, Copy) and outside(step.from_) else step
        for step in plan.steps
    )
    return structs.replace(plan, steps=tuple(steps))


def _answers(step: Step, word: str) -> bool:
    if word in (step.rig, step.emulator, step.need, step.kind):
        return True
    paths = (step.place, step.from_) if isinstance(step, Taking) else (step.place,)
    return any(fnmatchcase(path, word) for path in paths)
