"""Sound samples of sets: archives in a folder of their own, told by the names in them, since no list has digests."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property

from gribble.core.arcade.cabinet import Cabinet, Shape, member_name
from gribble.core.base.paths import base, fold, join
from gribble.core.records import facts as f
from gribble.core.records.facts import Fact
from gribble.core.records.findings import Finding, Home, Remedy, SetPart, SetProblem, State, Verdict
from gribble.core.records.holding import Holding, Holdings, nearness
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import ArcadeSet, SampleList, SetFile
from gribble.core.records.set_remedies import Member, Packed

ROLE = "sound samples"


class Samples:
    """The archives of sound samples of one arcade emulator: those on the rig, and all that are held."""

    def __init__(self, cabinet: Cabinet) -> None:
        self._cabinet = cabinet

    def problems(self, one: ArcadeSet) -> Iterator[SetProblem]:
        """What is wrong with the samples of a set, which runs without them."""
        if (wanted := one.samples) is None or not (lacks := self._lacks(wanted)):
            return
        there = self._cabinet.of(wanted.set)
        home = Home(_archive(wanted), wanted.set, ROLE, len(wanted.files), there is not None)

        def problem(
            verdict: Verdict, remedy: Remedy, fact: Fact, file: str = home.name, found: Holding | None = None
        ) -> SetProblem:
            part = SetPart(file=file, owner=wanted.set, state=State.LIMITED, wants=SetFile(name=file), home=home)
            return Finding(subject=part, verdict=verdict, remedy=remedy, facts=(fact,), found=found)

        if held := self._held(wanted):
            yield problem(Verdict.ASTRAY, Remedy.PLACE, f.HeldAt(held[0].path, only=True), found=held[0])
        elif there and there.faults:
            path, why = next(iter(there.faults.items()))
            yield problem(Verdict.DAMAGED, Remedy.OBTAIN, f.BadArchive(base(path), why))
        else:
            yield from (problem(Verdict.MISSING, Remedy.OBTAIN, f.Nowhere(), name) for name in lacks)

    def notes(self, one: ArcadeSet) -> Iterator[Fact]:
        """That the samples of a set are there, as far as their names tell."""
        if one.samples and one.samples.files and not self._lacks(one.samples):
            yield f.SamplesByName(len(one.samples.files))

    def archives(self, sets: Iterable[ArcadeSet]) -> list[Packed]:
        """The archives of samples to be written for some sets: each with all that the held one has, and what only the
        one in its place has."""
        found: dict[str, Packed] = {}
        for wanted in (one.samples for one in sets if one.samples):
            held = self._held(wanted) if self._lacks(wanted) else []
            if not held:
                continue
            there = self._cabinet.of(wanted.set)
            own = there if there and there.archives else None
            members = {member_name(one): one for one in (*(own.members if own else ()), *held)}
            found[wanted.set] = Packed(
                owner=wanted.set,
                to=join(self._cabinet.folder, _archive(wanted)),
                members=tuple(Member(name=name, digests=one.digests, holding=one) for name, one in members.items()),
                replaces=own.archives[0] if own else None,
            )
        return list(found.values())

    def _lacks(self, wanted: SampleList) -> list[str]:
        there = self._cabinet.of(wanted.set)
        return _lacking(wanted, there.members if there else ())

    def _held(self, wanted: SampleList) -> list[Holding]:
        """The members of the nearest archive of that name which has every sample; none if no archive has."""
        whole = [members for members in self._elsewhere.get(fold(wanted.set), ()) if not _lacking(wanted, members)]
        return min(whole, key=lambda members: nearness(members[0], self._cabinet.rig), default=[])

    @cached_property
    def _elsewhere(self) -> Mapping[str, list[list[Holding]]]:
        """The members of all archives that are held, by the names of the archives."""
        found: dict[str, list[list[Holding]]] = {}
        for each in self._cabinet.everything:
            for (_, path), members in _archives_in(each).items():
                found.setdefault(fold(base(path).rpartition(".")[0]), []).append(members)
        return found


def samples_of(rig: RigSeen, fitted: Fitted, elsewhere: Iterable[Holdings]) -> Samples | None:
    """The sound samples of an arcade emulator; None if its sheet has no folder for them."""
    if fitted.arcade is None or not fitted.arcade.samples:
        return None
    key = fitted.arcade.samples
    shape = Shape(
        fitted.folders[key],
        fitted.arcade.archives,
        fitted.root.exact_names,
        disc_ending=fitted.arcade.disc_ending,
        too=fitted.more_folders.get(key, ()),
    )
    return Samples(Cabinet(rig, shape, elsewhere))


def _archive(wanted: SampleList) -> str:
    return f"{wanted.set}.zip"


def _archives_in(held: Holdings) -> dict[tuple[str, str], list[Holding]]:
    found: dict[tuple[str, str], list[Holding]] = {}
    for one in held.opened:
        if one.member is not None:
            found.setdefault((one.root, one.path), []).append(one)
    for archive in held.archives:
        found[archive.holding.root, archive.holding.path] = list(archive.members)
    return found


def _lacking(wanted: SampleList, members: Sequence[Holding]) -> list[str]:
    """The samples that no file is, by its name in any case, which a list may give without ending."""
    names = {fold(base(member_name(one))) for one in members}
    names |= {name.rpartition(".")[0] for name in names}
    return [name for name in wanted.files if fold(name) not in names]
