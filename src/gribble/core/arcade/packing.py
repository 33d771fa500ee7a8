"""Packing: which archives, with which members, would make the wanted sets run or bring them into a style. Pure.

Every file of a set has a home: an archive and a name there (docs/arcade.md). Without a style only what
a set lacks is brought home, and archives are otherwise left as they are. With one, every file goes home, and what is
at home already is left alone. A set that would still lack a file is not packed in part.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property
from typing import NamedTuple

from msgspec import Struct, structs

from gribble.core.arcade.cabinet import Cabinet, Container, Homes, contents_of, is_file, member_name
from gribble.core.arcade.discs import Discs, Samples
from gribble.core.arcade.styled import InStyle
from gribble.core.arcade.wanting import lacking, settle_variant
from gribble.core.base.digests import Digests
from gribble.core.base.kinds import Style
from gribble.core.base.paths import base, climb_fault, join, name_fault, path_fault
from gribble.core.catalogue.families import Family, Part, family_of, parts_of
from gribble.core.records.findings import FIXABLE, Remedy, SetAudit, SetProblem, State
from gribble.core.records.holding import Holding
from gribble.core.records.roster import Content, Roster, SetFile
from gribble.core.records.set_remedies import Loose, Member, Packed, SetRemedies, Waiting

NAMES_TOLD = 3
"""How many missing files of a set are told by name."""


class HowPacked(NamedTuple):
    """How archives are to be: in a style, or without one only with what they lack. `stubs` leaves an empty archive for
    each clone that is merged; `lean` leaves out what no wanted set needs."""

    style: Style | None = None
    stubs: bool = False
    lean: bool = False


def pack_sets(
    roster: Roster,
    audits: Iterable[SetAudit],
    cabinet: Cabinet,
    how: HowPacked | None = None,
    discs: Discs | None = None,
    samples: Samples | None = None,
) -> SetRemedies:
    """What would put the audited sets right."""
    audits = [one for one in audits if one.set in roster.sets]
    how = how or HowPacked()
    right = InStyle(roster, (one.set for one in audits), cabinet, how.style) if how.style and not how.stubs else None
    packer = _Packer(roster, cabinet, how, right)
    concerned = (one.set for one in audits if _concerns(one, how.style) and not (right and one.set in right.sets))
    accepted = [family for name in concerned if packer.accept(family := family_of(roster, name), discs)]
    if how.style in (Style.SPLIT, Style.MERGED):
        packer.complete_relatives(accepted)
    packer.build(accepted)
    if discs:
        audited = [family_of(roster, one.set) for one in audits if roster.sets[one.set].discs]
        packer.bring_discs(discs, accepted, {path for family in audited for path in discs.in_use(family)})
    if samples:
        packer.packed += samples.archives(family.one for family in accepted)
    return SetRemedies(
        packed=tuple(packer.packed),
        loose=tuple(packer.loose),
        displaced=tuple((owner, path) for path, owner in packer.displaced.items()),
        waiting=tuple(packer.waiting),
    )


def in_use(roster: Roster, sets: Iterable[str], cabinet: Cabinet) -> frozenset[str]:
    """The archives and files along the paths of some sets."""
    there = (cabinet.of(name) for one in sets if one in roster.sets for name in family_of(roster, one).path)
    paths = ([*one.archives, *(member.path for member in one.members)] for one in there if one)
    return frozenset(path for each in paths for path in each)


def _concerns(one: SetAudit, style: Style | None) -> bool:
    """Whether anything could be done for a set: with a style for each, else where one of its files is at fault."""
    faulty = (
        problem.subject.file or problem.remedy in FIXABLE
        for problem in one.problems
        if problem.subject.state is not State.READY
    )
    return style is not None or any(faulty)


class _Slot(Struct, frozen=True):
    """One file at home in an archive: `rank` orders the members, `owner` is the set in whose roster line it stands."""

    rank: tuple[int, int, int]
    owner: str
    file: SetFile
    holding: Holding


class _Layout:
    """The contents that are at home in some archive; those of sets that are `right` are read when others do not do."""

    def __init__(self, at_home: set[Content], right: InStyle | None) -> None:
        self._at_home, self._right = at_home, right

    def __contains__(self, content: Content) -> bool:
        return content in self._at_home or content in self._elsewhere

    @cached_property
    def _elsewhere(self) -> frozenset[Content]:
        parts = self._right.parts() if self._right else ()
        return frozenset(content for part in parts if (content := part.file.content))


class _Packer:
    """Collects what is at home in which archive, then builds the archives that are not as they should be."""

    def __init__(self, roster: Roster, cabinet: Cabinet, how: HowPacked, right: InStyle | None) -> None:
        self._roster = roster
        self._cabinet = cabinet
        self._right = right
        self._style, self._stubs, self._lean = how
        self._variants = cabinet.variants
        self._order = {name: number for number, name in enumerate(roster.sets)}
        self._homes = Homes(roster)
        self._slots: dict[str, dict[tuple[str, str], _Slot]] = {}
        self.packed: list[Packed] = []
        self.loose: list[Loose] = []
        self.displaced: dict[str, str] = {}  # path: set
        self.waiting: list[Waiting] = []

    # Which files are at home where

    def accept(self, family: Family, discs: Discs | None) -> bool:
        """Find homes for the files of a wanted set; a set that would still lack some is noted as waiting instead."""
        name = family.one.set
        found = {_key(part): self._find(part, family) for part in parts_of(family)}

        def has(owner: str, file: SetFile) -> bool:
            return found.get((owner, file.name)) is not None

        family = settle_variant(family, has, self._variants).family
        lacks = [lack.words for lack in lacking(family, has)]
        lacks += _unheld_discs(discs.problems(family)) if discs else []
        held = [(part, holding) for part in parts_of(family) if (holding := found[_key(part)])]
        if self._style is None:
            absent = {_key(part) for part in self._absent(family, [part for part, _ in held])}
            held = [(part, holding) for part, holding in held if _key(part) in absent]
        if lacks and held:
            told = ", ".join(lacks[:NAMES_TOLD]) + (", …" if len(lacks) > NAMES_TOLD else "")
            self._wait(name, f"not packed in part: {told} {'is' if len(lacks) == 1 else 'are'} not found")
        if lacks:
            return False
        if why := self._unwritable(family, [part for part, _ in held]):
            self._wait(name, why)
            return False
        for part, holding in held:
            self._settle(family, part, holding)
        return True

    def _unwritable(self, family: Family, parts: list[Part]) -> str:
        """Why some files of a set cannot be written into archives; empty if they can."""
        faults = [fault for part in parts if (fault := path_fault(part.file.name))]
        faults += [fault for archive in family.path if (fault := name_fault(archive))]
        if faults:
            return f"a name in the roster {faults[0]}"
        if parts and "zip" not in self._cabinet.endings:
            return f"this emulator reads {', '.join(self._cabinet.endings)} only, and Gribble writes zip"
        return ""

    def complete_relatives(self, accepted: list[Family]) -> None:
        """What else is held of the relatives in whose archives a wanted set has files, so that these are whole."""
        wanted = {family.one.set for family in accepted}
        others = {slot.owner for slots in self._slots.values() for slot in slots.values()} - wanted
        relatives = {name: None for family in accepted for name in family.path if name in others}
        for name in relatives:
            family = family_of(self._roster, name)
            for part in parts_of(family):
                if part.owner == name and not path_fault(part.file.name) and (holding := self._find(part, family)):
                    self._settle(family, part, holding)

    def bring_discs(self, discs: Discs, accepted: list[Family], in_use: set[str]) -> None:
        """The images that are held elsewhere; none over one that another set has there, no two to one place."""
        coming: dict[str, Loose] = {}
        for move in (move for family in accepted for move in discs.moves(family)):
            first = coming.setdefault(move.to, move)
            if owner := discs.serves(self._roster, move.replaces or "") or (first is not move and first.owner):
                words = f"{base(move.to)} would be in the place of a disc image of {owner}"
                if first is move or first.holding != move.holding:
                    self._wait(move.owner, words)
            else:
                movable = move.holding.rig == self._cabinet.rig and move.holding.path not in in_use
                self.loose.append(structs.replace(move, movable=movable))

    def _wait(self, name: str, reason: str) -> None:
        self.waiting.append(Waiting(set=name, reason=reason))

    def _find(self, part: Part, family: Family) -> Holding | None:
        """The file along the path, else wherever it is nearest."""
        for name in dict.fromkeys((part.owner, *family.path)):
            container = self._cabinet.of(name)
            if container and (found := container.find(part.file)):
                return found
        return self._cabinet.held(part.file)

    def _absent(self, family: Family, held: list[Part]) -> list[Part]:
        """Of the files that are held, those that the emulator lacks where it looks now; one of each choice."""
        containers = [one for name in family.path if (one := self._cabinet.of(name))]
        lacks = lacking(family, lambda _owner, file: any(one.find(file) is not None for one in containers))
        by_key = {_key(part): part for part in held}
        found = ([by_key.get((lack.owner, file.name)) for file in lack.files] for lack in lacks)
        return [part for options in found if (part := next(filter(None, options), None))]

    def _settle(self, family: Family, part: Part, holding: Holding) -> None:
        """Note where a file is at home, and who owns it there."""
        owner, file = part.owner, part.file
        if self._style is Style.FULL:
            archive, rank = family.one.set, family.path.index(owner)
        else:
            owner, file = self._homes.owner(owner, file)
            archive = self._root(owner) if self._style is Style.MERGED and not self._cabinet.kept(owner) else owner
            rank = 0 if archive == owner else 1
        place = next((n for n, one in enumerate(self._roster.sets[owner].files) if one.name == file.name), 0)
        slot = _Slot((rank, self._order[owner], place), owner, file, holding)
        self._slots.setdefault(archive, {}).setdefault((owner, file.name), slot)

    def _root(self, name: str) -> str:
        """The set whose archive holds a family; BIOS sets and devices have families of their own."""
        parents = family_of(self._roster, name).parents
        return parents[-1].set if parents else name

    # The archives

    def build(self, accepted: list[Family]) -> None:
        """Every archive that is not as it should be, and what is not needed beside it."""
        at_home = {id_ for slots in self._slots.values() for slot in slots.values() if (id_ := slot.file.content)}
        layout = _Layout(at_home, self._right)
        wanted = {family.one.set for family in accepted}
        clones = self._clones(wanted) if self._style is Style.MERGED else {}
        merged = {name for group in clones.values() for name in group}
        if self._style is not None:  # an archive in which nothing is at home any more is looked at, too
            for name in sorted((wanted | clones.keys()) - merged, key=self._order.__getitem__):
                if self._cabinet.of(name):
                    self._slots.setdefault(name, {})
        for archive in self._slots:
            self._build(archive, clones.get(archive, []), layout)
        if self._stubs:
            for name in sorted(merged, key=self._order.__getitem__):
                self._stub(name)

    def _clones(self, wanted: Iterable[str]) -> dict[str, list[str]]:
        """The wanted sets that are merged into another one's archive, by that one."""
        clones: dict[str, list[str]] = {}
        for name in wanted:
            if (root := self._root(name)) != name and not self._cabinet.kept(name):
                clones.setdefault(root, []).append(name)
        return clones

    def _build(self, archive: str, clones: list[str], layout: _Layout) -> None:
        container = self._cabinet.of(archive)
        if container and self._cabinet.kept(archive):
            self._fill_folder(archive, container)
            return
        slots = _named(self._slots[archive].values())
        to = join(self._cabinet.folder, f"{archive}.zip")
        there = self._archive_of(container, archive)
        old = [one for name in (archive, *clones) if (one := self._cabinet.of(name))]
        taken = [path for one in old for path in one.archives]
        if self._style is None and there is not None:
            taken = [there]  # what else is beside it is left alone
        present = [holding for one in old for holding in one.members if holding.path in taken]
        kept, left_out = self._sift(present, slots, layout)
        extras = _extras(kept)
        members = [self._at_home(slot, name, there, container) for name, slot in slots.items()]
        members = self._in_order(archive, [*members, *(_same(name, holding) for name, holding in extras.items())])
        if there is not None and not members:
            self.displaced.setdefault(there, archive)
        elif not self._is_right(container, there, members, left_out) and not self._renamed(archive, to, there, members):
            packed = Packed(owner=archive, to=there or to, members=tuple(members), replaces=there)
            self.packed.append(self._with_rest(packed, extras, left_out, layout))
        self._displace(archive, taken, {there, *self._stub_places(clones)})
        if self._style is not None:
            self._empty_folders(archive, old, slots)

    def _stub_places(self, clones: list[str]) -> list[str]:
        """Where the empty archives of merged clones are, if there are any."""
        return [join(self._cabinet.folder, f"{name}.zip") for name in clones if self._stubs]

    def _displace(self, archive: str, paths: list[str], stays: set[str | None]) -> None:
        for path in paths:
            if path not in stays:
                self.displaced.setdefault(path, archive)

    def _with_rest(self, packed: Packed, extras: Iterable[str], left_out: list[Holding], layout: _Layout) -> Packed:
        """An archive to be written, with what it keeps beside the wanted files and what it does not have any more."""
        return structs.replace(
            packed,
            kept=tuple(extras) if self._style is not None else (),
            left_out=tuple(member_name(one) for one in left_out if not _known(one, layout)),
            dropped=tuple(member_name(one) for one in left_out if one.path == packed.replaces),
        )

    def _in_order(self, archive: str, members: list[Member]) -> list[Member]:
        """The members as they are to be written; without a style what the archive had is not in the slots, and the
        roster says its order."""
        if self._style is not None:
            return members
        order = {file.name: number for number, file in enumerate(self._roster.sets[archive].files)}
        return sorted(members, key=lambda member: order.get(member.name, len(order)))

    def _is_right(
        self, container: Container | None, there: str | None, members: list[Member], left_out: list[Holding]
    ) -> bool:
        """Whether an archive that is there has its members as they should be, and nothing that is left out."""
        sound = there is None or (container is not None and there not in container.faults)
        return sound and all(self._stays(member, there) for member in members) and not _from(left_out, there)

    def _at_home(self, slot: _Slot, name: str, there: str | None, container: Container | None) -> Member:
        """A member from where it is at home already, else from wherever it is held."""
        for holding in container.members if container and there else ():
            if holding.path == there and member_name(holding) == name and is_file(slot.file, holding):
                return _member(name, slot.file, holding)
        return _member(name, slot.file, slot.holding)

    def _stays(self, member: Member, there: str | None) -> bool:
        holding = member.holding
        return (holding.rig, holding.path, holding.member) == (self._cabinet.rig, there, member.name)

    def _archive_of(self, container: Container | None, name: str) -> str | None:
        """The archive of a set that is there in the form that is written, in the first folder that has one."""
        key = self._cabinet.key
        archives = container.archives if container else ()
        return next((path for path in archives if key(base(path)) == key(f"{name}.zip")), None)

    def _sift(
        self, present: list[Holding], slots: dict[str, _Slot], layout: _Layout
    ) -> tuple[list[Holding], list[Holding]]:
        """Of what is in the old archives beside the files at home there: what stays, and what does not.

        What another archive is going to hold, or what has the name of another content, does not stay.
        """
        kept, left_out = [], []
        for holding in present:
            name = member_name(holding)
            if name in slots:
                if not is_file(slots[name].file, holding):
                    left_out.append(holding)
            elif climb_fault(name):
                left_out.append(holding)  # a name that climbs is not handed on
            elif self._style is not None and (self._lean or _known(holding, layout)):
                left_out.append(holding)
            else:
                kept.append(holding)
        return kept, left_out

    def _renamed(self, archive: str, to: str, there: str | None, members: list[Member]) -> bool:
        """Whether an archive under a name that is no set's holds just this, so that it only lacks its name."""
        if there is not None or not members:
            return False
        first = members[0].holding
        stray = self._stray(first.path)
        elsewhere = any((one.holding.rig, one.holding.path) != (self._cabinet.rig, first.path) for one in members)
        if (
            stray is None
            or elsewhere
            or {member_name(holding) for holding in stray.members} != {one.name for one in members}
            or any(one.name != one.holding.member for one in members)
        ):
            return False
        whole = Holding(rig=self._cabinet.rig, root=first.root, path=first.path, member=None, size=0, digests=Digests())
        self.loose.append(Loose(owner=archive, to=to, holding=whole, movable=True))
        return True

    def _stray(self, path: str) -> Container | None:
        """The zip at a path of the sets' folder if it is whole, and nobody's."""
        folder = self._cabinet.folder
        stem, _, ending = path.removeprefix(f"{folder}/" if folder else "").rpartition(".")
        if ending.lower() != "zip" or stem in self._roster.sets or path in self.displaced:
            return None
        stray = self._cabinet.of(stem)
        return stray if stray and stray.archives == [path] and not stray.faults else None

    def _fill_folder(self, archive: str, container: Container) -> None:
        """A set that is in a plain folder stays in it: its missing files are put beside the others."""
        for name, slot in _named(self._slots[archive].values()).items():
            own = self._cabinet.of(slot.owner) if self._style is not Style.FULL else None
            if container.find(slot.file) or (own and own.find(slot.file)):
                continue
            wrong = container.named(name)
            self.loose.append(
                Loose(
                    owner=archive,
                    to=join(container.path, name),
                    holding=slot.holding,
                    digests=_proof(slot.file, slot.holding),
                    replaces=wrong.path if wrong and wrong.member is None else None,
                )
            )

    def _empty_folders(self, archive: str, old: list[Container], slots: dict[str, _Slot]) -> None:
        """Loose files whose content is in the archive from now on are not needed beside it."""
        for container in old:
            for holding in container.members:
                if holding.member is None and any(is_file(slot.file, holding) for slot in slots.values()):
                    self.displaced.setdefault(holding.path, archive)

    def _stub(self, clone: str) -> None:
        """An empty archive in the place of a clone whose files are in its parent's."""
        container = self._cabinet.of(clone)
        to = join(self._cabinet.folder, f"{clone}.zip")
        there = self._archive_of(container, clone)
        if there is None or (container and any(one.path == there for one in container.members)):
            self.packed.append(Packed(owner=clone, to=there or to, replaces=there))


def _key(part: Part) -> tuple[str, str]:
    return part.owner, part.file.name


def _unheld_discs(problems: Iterable[SetProblem]) -> list[str]:
    """The discs without which a set does not run, and that nobody here has."""
    return [one.subject.file for one in problems if one.subject.state is State.BLOCKED and one.remedy is Remedy.OBTAIN]


def _named(slots: Iterable[_Slot]) -> dict[str, _Slot]:
    """The members of an archive by name; where names clash, a relative's file goes into a folder named for it."""
    named: dict[str, _Slot] = {}
    for slot in sorted(slots, key=lambda slot: slot.rank):
        name = slot.file.name
        there = named.get(name)
        if there is not None and there.file.content != slot.file.content:
            name = f"{slot.owner}/{name}"
        named.setdefault(name, slot)
    return named


def _extras(kept: list[Holding]) -> dict[str, Holding]:
    """What stays beside the files at home in an archive, by name: of one name and another content than an earlier one
    has, below the name of the archive it comes from, so that nothing is dropped in silence."""
    extras: dict[str, Holding] = {}
    for holding in kept:
        name = member_name(holding)
        there = extras.get(name)
        if there is not None and not _alike(there, holding):
            name = f"{base(holding.path).rpartition('.')[0]}/{name}"
        extras.setdefault(name, holding)
    return extras


def _alike(one: Holding, other: Holding) -> bool:
    """Whether two are known to be the same content."""
    return one.digests.crc32 is not None and (one.size, one.digests.crc32) == (other.size, other.digests.crc32)


def _known(holding: Holding, layout: _Layout) -> bool:
    return any(content in layout for content in contents_of(holding))


def _proof(file: SetFile, holding: Holding) -> Digests:
    """What a roster's file is proven by when it is written; where the roster gives nothing, what the holding is."""
    known = Digests(**file.known())
    return known if known.strongest() else holding.digests


def _member(name: str, file: SetFile, holding: Holding) -> Member:
    return Member(name=name, digests=_proof(file, holding), holding=holding)


def _same(name: str, holding: Holding) -> Member:
    """A member that stays as it is."""
    return Member(name=name, digests=Digests(crc32=holding.digests.crc32), holding=holding)


def _from(holdings: list[Holding], there: str | None) -> bool:
    return any(holding.path == there for holding in holdings)
