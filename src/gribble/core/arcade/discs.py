"""What sets need beside their archives: disc images, known by the digest that the image's own header gives (`proof:
header`); and sound samples, archives in a folder of their own, told by the names in them, since no list has digests.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property

from gribble.core.arcade.cabinet import Cabinet, Shape, member_name
from gribble.core.base.digests import DiscHeader
from gribble.core.base.paths import base, fold, join, parent
from gribble.core.catalogue.families import Family, family_of
from gribble.core.records import facts as f
from gribble.core.records.facts import DiscBelongs, DiscSays, Fact, HeldAt, PoorDump
from gribble.core.records.findings import Finding, Home, Proof, Remedy, SetPart, SetProblem, State, Verdict
from gribble.core.records.holding import Holding, Holdings, nearness
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import ArcadeSet, Disc, FileState, Roster, SampleList, SetFile
from gribble.core.records.set_remedies import Loose, Member, Packed
from gribble.core.records.sheet import Arcade


class Discs:
    """The disc images of one arcade emulator: those on the rig by path, and all that are held."""

    def __init__(
        self,
        arcade: Arcade,
        folder: str,
        on_rig: Mapping[str, Holding],
        headers: list[tuple[Holding, DiscHeader]],
        rig: str = "",
    ) -> None:
        self._arcade = arcade
        self._folder = folder
        self._on_rig = on_rig
        self._headers = {(one.root, one.path): header for one, header in headers}
        near = sorted(headers, key=lambda pair: nearness(pair[0], rig), reverse=True)  # what is on the rig is moved
        self._held = {header.sha1: one for one, header in near if header.sha1 and not one.fixed}

    @property
    def digests(self) -> Iterable[str]:
        """The SHA-1s of the images that are held."""
        return self._held.keys()

    def problems(self, family: Family) -> Iterator[SetProblem]:
        """What is wrong with the discs of a set."""
        for disc in family.one.discs:
            if disc.state is not FileState.UNDUMPED and (problem := self._problem(family, disc)):
                yield problem

    def moves(self, family: Family) -> Iterator[Loose]:
        """The images that are held elsewhere, each to be brought to where the emulator looks for it."""
        for disc in family.one.discs:
            problem = self._problem(family, disc) if disc.state is not FileState.UNDUMPED else None
            if problem and problem.remedy in (Remedy.PLACE, Remedy.REPLACE):
                there = self._there(family, disc)
                to = there.path if there else self._places(family, disc)[0]
                held = self._held[disc.sha1 or ""]
                yield Loose(owner=family.one.set, to=to, holding=held, replaces=there.path if there else None)

    def image(self, disc: Disc) -> Holding | None:
        """An image that is held, by the SHA-1 in its header."""
        return self._held.get(disc.sha1 or "")

    def in_use(self, family: Family) -> Iterator[str]:
        """Where right images of a set lie, relative to the rig's root."""
        for disc in family.one.discs:
            there = self._there(family, disc)
            if there and self._is(disc, there):
                yield there.path

    def _places(self, family: Family, disc: Disc) -> list[str]:
        """Where the emulator looks for a disc: in the set's folder, then in its parents'."""
        return [
            join(self._folder, self._arcade.disc_folder.replace("{set}", one.set), disc.name + self._arcade.disc_ending)
            for one in (family.one, *family.parents)
        ]

    def _there(self, family: Family, disc: Disc) -> Holding | None:
        """The image that lies where a disc is looked for; one of a parent that has the parent's own image of that name
        is none."""
        for one, place in zip((family.one, *family.parents), self._places(family, disc), strict=True):
            there = self._on_rig.get(place)
            if there and not (one is not family.one and self._is_of(one, disc, there)):
                return there
        return None

    def _is_of(self, other: ArcadeSet, disc: Disc, there: Holding) -> bool:
        """Whether an image is the one that another set has under a disc's name."""
        return any(its.name == disc.name and its.sha1 != disc.sha1 and self._is(its, there) for its in other.discs)

    def serves(self, roster: Roster, path: str) -> str:
        """The set whose right image is at a path; empty if none does."""
        there = self._on_rig.get(path)
        header = self._headers.get((there.root, there.path)) if there else None
        known = roster.sets.having([("disc", None, header.sha1)]) if header and header.sha1 else ()
        return next((one.set for one in known if path in self.in_use(family_of(roster, one.set))), "")

    def _folder_of(self, family: Family, disc: Disc) -> str:
        """The folder where a disc belongs, relative to that of the sets."""
        return parent(self._places(family, disc)[0])[len(self._folder) + bool(self._folder) :]

    def _is(self, disc: Disc, there: Holding | None) -> bool:
        header = self._headers.get((there.root, there.path)) if there else None
        return header is not None and bool(header.sha1) and header.sha1 == disc.sha1

    def _problem(self, family: Family, disc: Disc) -> SetProblem | None:
        held, there = self._held.get(disc.sha1 or ""), self._there(family, disc)

        def problem(verdict: Verdict, fact: Fact, state: State, found: Holding | None) -> SetProblem:
            right = held if state is State.BLOCKED else None
            remedy = Remedy.OBTAIN if state is State.BLOCKED else Remedy.NONE
            if right:
                remedy = Remedy.PLACE if found is right else Remedy.REPLACE
            return Finding(
                subject=SetPart(
                    file=disc.name + self._arcade.disc_ending,
                    owner=family.one.set,
                    state=state,
                    wants=SetFile(name=disc.name + self._arcade.disc_ending, sha1=disc.sha1),
                    home=Home(self._folder_of(family, disc), family.one.set),
                ),
                verdict=verdict,
                remedy=remedy,
                proof=Proof.HEADER if found else Proof.NONE,
                facts=(fact, HeldAt(right.path)) if right and found is not right else (fact,),
                found=found,
            )

        if there is None:
            if disc.optional:
                return None
            verdict = Verdict.ASTRAY if held else Verdict.MISSING
            return problem(verdict, DiscBelongs(self._places(family, disc)[0]), State.BLOCKED, held)
        if self._is(disc, there):
            suspect = disc.state is FileState.SUSPECT
            return problem(Verdict.UNPROVEN, PoorDump("image"), State.LIMITED, there) if suspect else None
        header = self._headers.get((there.root, there.path), DiscHeader(fault="could not be read"))
        if header.unknown or disc.sha1 is None:
            fault = header.fault or "cannot be proven: the roster gives no digest"
            return problem(Verdict.UNPROVEN, DiscSays(base(there.path), fault), State.READY, there)
        if header.fault:
            return problem(Verdict.IMPOSTER, DiscSays(base(there.path), header.fault), State.BLOCKED, there)
        return problem(Verdict.IMPOSTER, DiscSays(), State.BLOCKED, there)


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
