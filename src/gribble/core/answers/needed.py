"""What is needed before one starts: for an emulator, a machine or a rig, with what is held already."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

from msgspec import Struct, structs

from gribble.core.arcade.wanting import of_variant
from gribble.core.audit.layout import called
from gribble.core.audit.world import World
from gribble.core.base.errors import GribbleError
from gribble.core.base.paths import fold
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.config import fit_sheet
from gribble.core.catalogue.families import Family, parts_of
from gribble.core.placing.gaps import need_gaps
from gribble.core.records.config import Ask, Scope
from gribble.core.records.findings import EmulatorAudit, NeedFinding, Remedy, SetAudit, SetProblem, Verdict
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import ArcadeSet, FileState, SampleList
from gribble.core.records.sheet import Need, Sheet
from gribble.core.records.steps import Gap
from gribble.core.sayings.facts import say_all
from gribble.core.survey.holdings import HeldHere


class Needed(Struct, frozen=True):
    """What one emulator needs: its fitted sheet, the rig it is on (if any), and the findings by need (if looked at)."""

    fitted: Fitted
    rig: str = ""
    findings: dict[str, NeedFinding] = {}

    def held(self, need: Need) -> bool | None:
        """Whether something held meets a need; None if nothing was looked at."""
        finding = self.findings.get(need.id)
        return None if finding is None else _held(finding)

    def source(self, need: Need) -> str:
        """The source that is away and holds what a need wants; empty if what is here is enough."""
        finding = self.findings.get(need.id)
        return next((place.source for place in finding.places if place.source), "") if finding else ""

    @property
    def gaps(self) -> list[Gap]:
        """What is to be obtained, file by file; nothing if nothing was looked at."""
        wanted = {need.id for need in self.fitted.needs}
        findings = (one for id_, one in self.findings.items() if id_ in wanted)
        return [gap for one in findings for gap in need_gaps(self.rig, self.fitted.emulator, one)]

    @property
    def only_gaps(self) -> bool:
        """Whether everything that is missing has to be obtained, because no file of the user's puts anything right."""
        places = [place for finding in self.findings.values() for place in finding.places]
        return bool(self.gaps) and not any(place.fixable for place in places)

    def spared(self, need: Need) -> bool:
        """Whether another need of its choice is enough, so that nobody has to get this one."""
        finding = self.findings.get(need.id)
        return finding is not None and bool(finding.spared) and not _held(finding)


class Words(Struct, frozen=True):
    """What the user asked for: emulators, and machines whatever emulates them. Neither: everything."""

    emulators: tuple[str, ...] = ()
    machines: tuple[str, ...] = ()


def read_words(words: Iterable[str], sheets: dict[str, Sheet]) -> Words:
    """Words as names of emulators or machines, as they are printed, folded. Raises GribbleError for one that is
    neither."""
    machines = {fold(machine): machine for sheet in sheets.values() for machine in sheet.machines}
    emulators: list[str] = []
    asked: list[str] = []
    for word in words:
        if word not in sheets and fold(word) in machines:
            asked.append(machines[fold(word)])
        elif named := called(word, sheets.values()):
            emulators += [sheet.emulator for sheet in named]
        else:
            known = [*sheets, *sorted(machines.values())]
            raise GribbleError(
                f"'{word}' is not an emulator or a machine in any sheet{suggest(word, known)}",
                fix="gribble catalogue list shows the sheets.",
            )
    return Words(tuple(emulators), tuple(asked))


def needed_by_sheets(sheets: dict[str, Sheet], words: Words) -> list[Needed]:
    """What the sheets ask for, whatever is installed or held."""
    chosen = [sheet for _, sheet in sorted(sheets.items()) if _chosen(sheet, words)]
    return [_narrowed(Needed(fit_sheet(sheet)), words) for sheet in chosen]


def needed_in_world(world: World, sheets: dict[str, Sheet], words: Words, rigs: tuple[str, ...]) -> list[Needed]:
    """What is asked for on the rigs, with what is held; an emulator that is on none is looked at by its sheet."""
    known = {(rig.name, one.emulator): one for rig in world.rigs for one in rig.emulators}
    installed = {emulator for _, emulator in known}
    asked = [sheet for name, sheet in sheets.items() if name not in installed and _chosen(sheet, words)]
    absent = [] if rigs or words == Words() else asked
    nowhere = RigSeen(name="", root="", emulators=tuple(map(fit_sheet, absent)), holdings=HeldHere())
    audits = structs.replace(world, rigs=(*world.rigs, nowhere)).audit(
        Ask(scope=Scope(rigs=(*rigs, "") if rigs else ()))
    )
    found = []
    for audit in audits:
        for emulator in audit.emulators:
            if emulator.unknown or not _chosen(sheets[emulator.emulator], words):
                continue
            fitted = known.get((audit.rig, emulator.emulator)) or fit_sheet(sheets[emulator.emulator])
            by_need = {finding.need.id: finding for finding in emulator.findings}
            needs = tuple(by_need[need.id].need if need.id in by_need else need for need in fitted.needs)
            fitted = structs.replace(fitted, needs=needs)  # one that a content requires counts like a must
            found.append(_narrowed(Needed(fitted, audit.rig, by_need), words))
    return found


def _chosen(sheet: Sheet, words: Words) -> bool:
    return words == Words() or sheet.emulator in words.emulators or bool(set(sheet.machines) & set(words.machines))


def _narrowed(needed: Needed, words: Words) -> Needed:
    """Only what concerns the machines asked for, unless the emulator itself was."""
    if not words.machines or needed.fitted.emulator in words.emulators:
        return needed
    needs = tuple(n for n in needed.fitted.needs if n.machines is None or set(n.machines) & set(words.machines))
    return structs.replace(needed, fitted=structs.replace(needed.fitted, needs=needs))


def _held(finding: NeedFinding) -> bool:
    """Whether each place is right, or can be put right from what is held."""
    spared = bool(finding.spared)
    return all(
        place.met
        or place.fixable
        or place.by_name
        or place.surplus
        or place.remedy is Remedy.CONNECT
        or (spared and place.use is not None and place.verdict != Verdict.MISSING)
        for place in finding.places
    )


class FamilyFile(NamedTuple):
    """One file (or disc, or sound sample) of a family: its verdict word, or that it is undumped or spared, and what is
    to be said."""

    name: str
    size: int | None
    verdict: str
    reason: str
    kind: str = ""


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
        faults = {(problem.subject.owner, problem.subject.file): problem for one in audits for problem in one.problems}
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
            if problem := faults[relative.set, names[0]] if names else None:
                yield FamilyFile(problem.subject.file, None, problem.verdict, say_all(problem.facts), kind="disc")
            else:
                yield FamilyFile(disc.name, None, "sound", "", kind="disc")
        if relative is self.family.one and relative.samples:
            yield from _sounds(relative.samples, faults)


def _sounds(samples: SampleList, faults: Mapping[tuple[str, str], SetProblem]) -> Iterator[FamilyFile]:
    """The sound samples that a set plays."""
    words = f"sound sample, in {samples.set}.zip"
    for name in samples.files:
        problem = faults.get((samples.set, name)) or faults.get((samples.set, f"{samples.set}.zip"))
        yield FamilyFile(name, None, problem.verdict if problem else "unproven", words, kind="sound")


def _shared(parent: str | None, bios: str | None) -> str:
    return f"the parent's {parent}" if parent else f"the BIOS set's {bios}" if bios else ""
