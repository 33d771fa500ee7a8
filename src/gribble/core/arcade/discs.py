"""Disc images of sets: known by the digest that the image's own header gives (`proof: header`)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from gribble.core.base.digests import DiscHeader
from gribble.core.base.paths import base, join, parent
from gribble.core.catalogue.families import Family, family_of
from gribble.core.records.facts import DiscBelongs, DiscSays, Fact, HeldAt, PoorDump
from gribble.core.records.findings import Finding, Home, Proof, Remedy, SetPart, SetProblem, State, Verdict
from gribble.core.records.holding import Holding, nearness
from gribble.core.records.roster import ArcadeSet, Disc, FileState, Roster, SetFile
from gribble.core.records.set_remedies import Loose
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
