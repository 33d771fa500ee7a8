"""What belongs to the family of a set, and what is true of each file of it where it lies."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import NamedTuple

from gribble.core.arcade.wanting import of_variant
from gribble.core.catalogue.families import Family, parts_of
from gribble.core.records.findings import EmulatorAudit, SetAudit
from gribble.core.records.roster import ArcadeSet, FileState
from gribble.core.sayings.facts import say_all


class FamilyFile(NamedTuple):
    """One file (or disc) of a family: its verdict word, or that it is undumped or spared, and what is to be said."""

    name: str
    size: int | None
    verdict: str
    reason: str
    disc: bool = False


class Tree(NamedTuple):
    """The family of a set on a rig, with what is true of it and of each relative by itself."""

    rig: str
    emulator: EmulatorAudit
    family: Family
    found: SetAudit
    around: Mapping[str, SetAudit]

    @property
    def needed(self) -> int:
        """How many files the set needs, those of its relatives among them."""
        return len(parts_of(of_variant(self.family, self.found.variant) if self.found.variant else self.family))

    def relatives(self) -> Iterator[tuple[str, ArcadeSet]]:
        """The set, then its relatives, each with what it is to the set; empty for itself."""
        family = self.family
        yield "", family.one
        yield from (("parent", one) for one in family.parents)
        yield from (("BIOS set", one) for one in family.bios)
        yield from (("device", one) for one in family.devices)

    def files(self, relative: ArcadeSet) -> Iterator[FamilyFile]:
        """The files of a relative, then its discs: what the set lacks of them, else what the relative itself does."""
        audits = (self.around.get(relative.set, self.found), self.found)
        faults = {(problem.owner, problem.file): problem for one in audits for problem in one.problems}
        spared = audits[0].spared | self.found.spared
        for file in relative.files:
            key, shared = (relative.set, file.name), _shared(file.parent_name, file.bios_name)
            if problem := faults.get(key):
                yield FamilyFile(file.name, file.size, problem.verdict, say_all(problem.facts))
            elif file.state is FileState.UNDUMPED:
                yield FamilyFile(file.name, file.size, "undumped", shared)
            elif file.variant not in (None, self.found.variant or file.variant):
                yield FamilyFile(file.name, file.size, "spared", f"of variant {file.variant}")
            else:
                yield FamilyFile(file.name, file.size, "spared" if key in spared else "sound", shared)
        for disc in relative.discs:
            names = [name for owner, name in faults if owner == relative.set and name.startswith(f"{disc.name}.")]
            problem = faults[relative.set, names[0]] if names else None
            if problem:
                yield FamilyFile(problem.file, None, problem.verdict, say_all(problem.facts), disc=True)
            else:
                yield FamilyFile(disc.name, None, "sound", "", disc=True)


def _shared(parent: str | None, bios: str | None) -> str:
    return f"the parent's {parent}" if parent else f"the BIOS set's {bios}" if bios else ""
