"""The answers of `gribble sets`, for the terminal and as `sets/1`; and a set's family as a tree."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any

from rich.text import Text

from gribble.core.arcade.families import Family, parts_of
from gribble.core.audit.findings import EmulatorAudit, RigAudit, SetAudit, State
from gribble.core.catalogue.rosters import ArcadeSet, FileState
from gribble.views.check import set_json, show_sets
from gribble.views.looks import QUIET, count, size
from gribble.views.screen import Screen, state, styled, verdict


def show_checked(screen: Screen, audits: tuple[RigAudit, ...], *, verbose: bool) -> None:
    """The answer first, then each arcade emulator with the sets that do not run."""
    sets = [one for rig in audits for emulator in rig.emulators for one in emulator.sets]
    tally = Counter(one.state for one in sets)
    parts = [f"{tally[kind]:,} {kind}" for kind in (State.READY, State.LIMITED, State.BLOCKED) if tally[kind]]
    screen.say(styled(count(len(sets), "set"), "bold"), f": {', '.join(parts) or 'none wanted, and none there'}")
    for rig in audits:
        for emulator in rig.emulators:
            if emulator.sets or emulator.sets_note:
                screen.out.print()
                release = f" {emulator.release}" if emulator.release else ""
                screen.say(styled(emulator.title + release, "bold"), styled(f"  on {rig.rig}", QUIET))
                show_sets(screen, emulator, verbose=verbose)


def sets_json(audits: tuple[RigAudit, ...]) -> dict[str, Any]:
    """`sets/1` (DESIGN.md section 12)."""
    return {
        "gribble": "sets/1",
        "rigs": [
            {
                "rig": rig.rig,
                "emulators": [
                    {
                        "emulator": one.emulator,
                        "release": one.release,
                        "note": one.sets_note,
                        "sets": [set_json(rig.rig, each) for each in one.sets],
                    }
                    for one in rig.emulators
                    if one.sets or one.sets_note
                ],
            }
            for rig in audits
        ],
    }


def show_family(screen: Screen, rig: str, emulator: EmulatorAudit, family: Family, found: SetAudit) -> None:
    """A set with its parent, BIOS set and devices, each file held or missing."""
    one = family.one
    facts = ", ".join(fact for fact in (str(one.year or ""), one.maker) if fact)
    screen.say(styled(f"{one.set}  {one.title}", "bold"), styled(f"  {facts}", QUIET), "  ", state(found.state))
    release = f" {emulator.release}" if emulator.release else ""
    screen.say(styled(f"for {emulator.title}{release} on {rig}", QUIET))
    if one.note:
        screen.say(one.note)
    faults = {(problem.owner, problem.file): problem for problem in found.problems}
    for role, relative in _relatives(family):
        screen.say(
            f"{'  ' if role else ''}{role}{' ' if role else ''}", styled(relative.set, "bold"), f"  {relative.title}"
        )
        rows: list[tuple[str | Text, ...]] = []
        for file in relative.files:
            problem = faults.get((relative.set, file.name))
            mark = verdict(problem.verdict) if problem else verdict("sound")
            if file.state is FileState.UNDUMPED:
                mark = styled("· undumped", QUIET)
            elif (relative.set, file.name) in found.spared:
                mark = styled("· spared", QUIET)
            size_ = size(file.size) if file.size is not None else ""
            rows.append(
                (mark, file.name, size_, problem.reason if problem else _shared(file.parent_name, file.bios_name))
            )
        rows += [
            (verdict(faults[relative.set, name].verdict) if (relative.set, name) in faults else verdict("sound"),
             name, "disc", faults[relative.set, name].reason if (relative.set, name) in faults else "")
            for disc in relative.discs
            for name in [next((p.file for p in found.problems if p.file.startswith(f"{disc.name}.")), disc.name)]
        ]  # fmt: skip
        screen.grid(rows, indent=4)
    for problem in found.problems:
        if not problem.file:
            screen.say(verdict(problem.verdict), f"  {problem.reason}")
    for note in found.packing:
        screen.say(styled(f"packing: {note}", QUIET))
    screen.say(f"{count(len(parts_of(family)), 'file')} needed, {len(faults)} at fault.")


def _relatives(family: Family) -> Iterator[tuple[str, ArcadeSet]]:
    yield "", family.one
    yield from (("parent", one) for one in family.parents)
    yield from (("BIOS set", one) for one in family.bios)
    yield from (("device", one) for one in family.devices)


def _shared(parent: str | None, bios: str | None) -> str:
    return f"the parent's {parent}" if parent else f"the BIOS set's {bios}" if bios else ""
