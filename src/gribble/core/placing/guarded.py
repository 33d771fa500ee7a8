"""What no step of a plan may write without a word of the user: hidden places, and Gribble's own files."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import structs

from gribble.core.base.paths import fold, hidden_part, join
from gribble.core.placing.narrowing import without
from gribble.core.records.plan import Plan, Refused
from gribble.core.records.steps import Rename, Step

TRUSTED = frozenset({".ssh", ".gnupg", ".config", ".local", ".mozilla", ".profile", ".bashrc", ".zshrc", ".netrc"})
"""Hidden folders and files of a person's home that programs trust."""
OWN_NAMES = ("gribble.toml", ".sheet.toml", ".roster.jsonl")
"""How the names of Gribble's own files end."""


def guarded(
    plan: Plan, is_there: Callable[[str, str], bool], is_own: Callable[[str, str], bool], *, hidden: bool
) -> Plan:
    """A plan without the steps that may not be: those are refused, each with the reason.

    `is_there` tells of a rig and a path whether something is there, `is_own` whether it is a file of the set-up. With
    `hidden` the user has said that hidden places may be written.
    """
    refused, out = list(plan.refused), set[int]()
    for step in plan.steps:
        for path in _paths(step):
            why = ""
            if path.endswith(OWN_NAMES) or is_own(step.rig, path):
                why = f"{path} is a file of Gribble's own, and no step writes it"
            elif not hidden:
                why = hidden_reason(path, lambda place, rig=step.rig: is_there(rig, place))  # type: ignore[misc]
            if why:
                out.add(id(step))
                what = step.need or step.place
                refused.append(Refused(rig=step.rig, emulator=step.emulator, need=what, reason=why))
                break
    return structs.replace(plan, steps=tuple(without(plan.steps, out)), refused=tuple(refused)) if out else plan


def hidden_reason(path: str, is_there: Callable[[str], bool]) -> str:
    """Why a path needs a word of the user; empty where it does not."""
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
