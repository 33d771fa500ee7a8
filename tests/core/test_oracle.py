"""Random worlds judged a second time by an oracle that knows nothing of the program: its rules are read off the documents."""

from __future__ import annotations

import os
import random

import pytest
from msgspec import structs

from gribble.core.audit.judging.audit import audit
from gribble.core.audit.judging.case import Given
from gribble.core.catalogue.config import fit_sheet
from gribble.core.placing.plan import make_plan
from gribble.core.records.config import Installed, Liking
from gribble.core.records.findings import RigAudit
from gribble.core.records.holding import Holding
from gribble.core.records.rig_seen import RigSeen, RigVolume
from gribble.core.records.sheet import Level, Need, Reject, Root, Sheet
from gribble.core.records.steps import Copy, Displace, Extract, Rename
from gribble.core.sayings.facts import say_all
from gribble.core.survey.holdings import HeldHere
from gribble.core.survey.matching import KnownContents
from tests.needs import accept, digest, held

WORLDS = 20_000 if os.environ.get("GRIBBLE_SOAK") else 400
REGIONS = ("EU", "US", None)
NAMES = ("a.rom", "A.ROM", "b.rom", "c.rom", "spare")


class World:
    """One random rig with one emulator: needs, what is there, what a drawer holds."""

    def __init__(self, seed: int) -> None:
        dice = self.dice = random.Random(seed)
        self.folds = dice.random() < 0.3
        self.exact = dice.random() < 0.3
        self.regions = tuple(dice.sample(["EU", "US"], dice.randint(0, 2)))
        self.newest = dice.random() < 0.5
        self.needs = [self._need(number) for number in range(dice.randint(1, 4))]
        if len(self.needs) > 1 and dice.random() < 0.4:
            level = self.needs[0].level
            free = [tuple(structs.replace(one, requires=()) for one in need.accept) for need in self.needs[:2]]
            self.needs[:2] = [
                structs.replace(need, choice="either", level=level, accept=accepts)
                for need, accepts in zip(self.needs[:2], free, strict=True)
            ]
        known = [one.label for need in self.needs for one in need.accept] + ["junk one", "junk two", "bad"]
        self.files: dict[str, str] = {}
        for need in self.needs:
            for name in (need.name, *need.aliases, dice.choice(NAMES), need.name.upper()):
                path = f"{need.folder}/{name}"
                taken = {one.casefold() for one in self.files} if self.folds else set(self.files)
                if dice.random() < 0.4 and (path.casefold() if self.folds else path) not in taken:
                    own = [one.label for one in need.accept]
                    self.files[path] = dice.choice(own if own and dice.random() < 0.5 else known)
        self.drawer = [one for one in known if dice.random() < 0.25]

    def _need(self, number: int) -> Need:
        dice, id_ = self.dice, f"n{number}"
        accepts = [
            accept(
                f"content {number}.{place}",
                label=f"content {number}.{place}",
                region=dice.choice(REGIONS),
                version=dice.choice([None, "1.2", "1.10", "2.0"]),
                requires=(f"n{number - 1}",) if number and dice.random() < 0.2 else (),
            )
            for place in range(dice.randint(1, 3))
        ]
        any_name = dice.random() < 0.2
        return Need(
            id=id_,
            name=f"{id_}.rom",
            kind="image",  # type: ignore[arg-type]
            folder=dice.choice(["boot", "disk"]),
            level=dice.choice(list(Level)),
            accept=tuple(accepts),
            any_name=any_name,
            aliases=(f"{id_}.bin",) if not any_name and dice.random() < 0.4 else (),
            changes=dice.random() < 0.2 and not any_name,
            reject=(Reject(label="bad", sha1=digest("bad"), why="Stops."),) if dice.random() < 0.5 else (),
        )

    def audited(self, files: dict[str, str]) -> RigAudit:
        folders = {"boot": "boot", "disk": "disk"}
        root = Root(exact_names=self.exact)
        sheet = Sheet(sheet=1, emulator="knot", folders=folders, need=tuple(self.needs), root=root)
        rig = RigSeen(
            name="den",
            root="/den",
            emulators=(fit_sheet(sheet, Installed(release="1"), Liking(self.regions, self.newest)),),
            holdings=HeldHere(held(path, what, "den") for path, what in files.items()),
            folders=frozenset({"", "boot", "disk"}),
            volume=RigVolume(folds_case=self.folds),
        )
        return audit([rig], [HeldHere(self.held())], Given(known=KnownContents([sheet])))[0]

    def held(self) -> list[Holding]:
        return [held(f"{number}", what) for number, what in enumerate(self.drawer)]


class Oracle:
    """What is true of a world, found the slow way."""

    def __init__(self, world: World, files: dict[str, str]) -> None:
        self.world, self.files = world, files
        self.labels = {one.label: one for need in world.needs for one in need.accept}

    def seen(self, folder: str, name: str) -> tuple[str, str] | None:
        """The file that the volume finds under a name: its path and content."""
        for path, what in self.files.items():
            wanted = f"{folder}/{name}"
            if path == wanted or (self.world.folds and path.casefold() == wanted.casefold()):
                return path, what
        return None

    def is_right(self, need: Need, what: str) -> bool:
        return what in {one.label for one in need.accept}

    def in_use(self, need: Need, what: str) -> bool:
        """Whether a content could be one that was changed by being used."""
        rejected = what == "bad" and any(one.reject for one in self.world.needs)
        return need.changes and what not in self.labels and not rejected

    def verdict(self, need: Need) -> str:
        folder, names = need.folder, (need.name, *need.aliases)
        if need.any_name:
            if any(path.startswith(f"{folder}/") and self.is_right(need, what) for path, what in self.files.items()):
                return "sound"
            found = [self.seen(folder, need.name)]
        else:
            found = [self.seen(folder, name) for name in names]
        there = dict(filter(None, found))
        spelled = [path for path in there if path in {f"{folder}/{name}" for name in names}]
        right = [path for path, what in there.items() if self.is_right(need, what) or self.in_use(need, what)]
        wrong = [path for path in there if path not in right and not self.serves_another(need, path)]
        own = self.seen(folder, need.name)
        if not right and own and own[0] not in wrong and not need.any_name:
            wrong.append(own[0])
        if need.any_name:
            return "imposter" if own else self.elsewhere(need)
        if wrong:
            return "imposter"
        if good := [path for path in right if path in spelled]:
            return "sound" if any(self.is_right(need, there[path]) for path in good) else "unproven"
        if right:
            return "misnamed"
        return self.elsewhere(need)

    def elsewhere(self, need: Need) -> str:
        """Misnamed where a right file is in the folder and serves nobody; else astray, or missing."""
        here = [path for path, what in self.files.items() if self.is_right(need, what)]
        if any(path.startswith(f"{need.folder}/") and not self.serves_another(need, path) for path in here):
            return "misnamed"
        return "astray" if here or any(self.is_right(need, what) for what in self.world.drawer) else "missing"

    def met(self, need: Need) -> bool:
        """Whether the emulator gets what it wants."""
        verdict = self.verdict(need)
        forgiven = verdict == "misnamed" and self.world.folds and not self.world.exact and not need.any_name
        at_name = any(
            (there := self.seen(need.folder, name)) and (self.is_right(need, there[1]) or self.in_use(need, there[1]))
            for name in (need.name, *need.aliases)
        )
        return verdict in ("sound", "unproven") or (forgiven and bool(at_name))

    def states(self) -> set[str]:
        """The states that the emulator may be in."""
        met = {need.id for need in self.world.needs if self.met(need)}
        chosen = {need.choice for need in self.world.needs if need.choice and need.id in met}
        open_ = {need.id: need.level for need in self.world.needs if need.id not in met and need.choice not in chosen}
        if None in chosen or set(open_.values()) & {Level.MUST}:
            return {"blocked"}
        needy = False
        for need in self.world.needs:
            if need.level is Level.EXTRA or (need.id not in met and need.id not in open_):
                continue
            wants = [set(one.requires) for one in need.accept if need.id not in met or self.lies_there(need, one.label)]
            if need.id in met and not need.choice and wants and not any(one <= met for one in wants):
                return {"blocked"}
            needy = needy or any(one - met for one in wants)
        state = "limited" if set(open_.values()) & {Level.BETTER} else "ready"
        return {state, "blocked"} if needy else {state}

    def lies_there(self, need: Need, what: str) -> bool:
        """Whether a content is at a place where the emulator looks for the need."""
        if need.any_name:
            return any(path.startswith(f"{need.folder}/") and held == what for path, held in self.files.items())
        return any((there := self.seen(need.folder, name)) and there[1] == what for name in (need.name, *need.aliases))

    def serves_another(self, need: Need, path: str) -> bool:
        """Whether a file is right for another need where it lies."""
        for other in self.world.needs:
            names = (other.name, *other.aliases)
            at = any(
                f"{other.folder}/{name}" == path
                or (self.world.folds and f"{other.folder}/{name}".casefold() == path.casefold())
                for name in names
            )
            at = at or (other.any_name and path.startswith(f"{other.folder}/"))
            what = self.files[path]
            if other.id != need.id and at and (self.is_right(other, what) or self.in_use(other, what)):
                return True
        return False


@pytest.mark.parametrize("part", range(4))
def test_verdicts_are_what_the_documents_say(part: int) -> None:
    for seed in range(part * WORLDS, (part + 1) * WORLDS):
        world = World(seed)
        found = world.audited(world.files)
        oracle = Oracle(world, world.files)
        for need, finding in zip(world.needs, found.emulators[0].findings, strict=True):
            said = finding.chief.verdict
            assert said == oracle.verdict(need), f"world {seed}, {need.id}: {say_all(finding.facts)}"
        assert found.emulators[0].state in oracle.states(), f"world {seed}"


@pytest.mark.parametrize("part", range(4))
def test_what_is_planned_puts_it_right_and_displaces_nothing_sound(part: int) -> None:
    for seed in range(part * WORLDS, (part + 1) * WORLDS):
        world = World(seed)
        before = world.audited(world.files)
        files, attic = dict(world.files), dict[str, str]()
        for step in make_plan([before]).steps:
            assert isinstance(step, Copy | Rename | Displace | Extract)
            taken = step.displaces
            if taken and taken in files:
                attic[taken] = files[taken]
            if isinstance(step, Displace):
                files.pop(step.from_)
                continue
            here = {**files, **attic}  # what was displaced is read from the attic
            what = here[step.from_] if step.from_ in here else world.drawer[int(step.from_.rpartition("/")[2])]
            if taken and taken != step.from_:
                files.pop(taken, None)
            if isinstance(step, Rename):
                files.pop(step.from_)
            assert step.to not in files, f"world {seed}: {step.to} is written over"
            files[step.to] = what
        after = world.audited(files)
        for old, new in zip(before.emulators[0].findings, after.emulators[0].findings, strict=True):
            if not old.met and not old.spared and old.fixable and not _contended(before, old.need):
                assert new.in_place, f"world {seed}, {old.need.id}: {say_all(old.facts)}; then {say_all(new.facts)}"
            assert not old.met or new.met, f"world {seed}, {old.need.id}: was met; {say_all(new.facts)}"


def _contended(found: RigAudit, need: Need) -> bool:
    return any(one.need.id == need.id and one.chief.refusal for one in found.emulators[0].findings)
