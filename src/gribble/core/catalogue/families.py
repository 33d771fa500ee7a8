"""Families: whom a set needs, and which files it needs of them. A clone takes BIOS and devices from its parent."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from gribble.core.records.roster import ArcadeSet, FileState, Roster, SetFile, SetKind


class Family(Struct, frozen=True, kw_only=True):
    """A set with its relatives, nearest first; `gaps` are relatives that the roster lacks, or that run in a circle."""

    one: ArcadeSet
    parents: tuple[ArcadeSet, ...] = ()
    bios: tuple[ArcadeSet, ...] = ()
    devices: tuple[ArcadeSet, ...] = ()
    gaps: tuple[str, ...] = ()

    @property
    def path(self) -> tuple[str, ...]:
        """The sets in whose archives the emulator looks for the files, in its order."""
        found = (self.one, *self.parents, *self.bios, *self.devices)
        return tuple(dict.fromkeys(one.set for one in found))

    def role(self, name: str) -> str:
        """What a set of the path is to this one, in words."""
        if name == self.one.set:
            return ""
        for word, group in (("parent", self.parents), ("BIOS set", self.bios), ("device", self.devices)):
            if any(one.set == name for one in group):
                return word
        return "relative"


class Part(Struct, frozen=True, gc=False):
    """One file that a set needs, and the set whose file it is."""

    file: SetFile
    owner: str


def family_of(roster: Roster, name: str) -> Family:
    """The family of a set. Raises KeyError for a set that the roster does not know."""
    one = roster.sets[name]
    if one.parent is None and one.bios is None and not one.devices:
        return Family(one=one)
    gaps: list[str] = []
    parents = _chain(roster, one, gaps)
    bios_name = next((named for relative in (one, *parents) if (named := _bios_of(relative))), None)
    bios: tuple[ArcadeSet, ...] = ()
    if bios_name is not None and bios_name != name:
        if bios_name in roster.sets:
            bios = (roster.sets[bios_name], *_chain(roster, roster.sets[bios_name], gaps))
        else:
            gaps.append(f'its BIOS set "{bios_name}" is not in the roster')
    wanted = next((relative.devices for relative in (one, *parents) if relative.devices), ())
    devices = tuple(_devices(roster, wanted, gaps, {name}))
    return Family(one=one, parents=parents, bios=bios, devices=devices, gaps=tuple(gaps))


def _bios_of(one: ArcadeSet) -> str | None:
    """A set's BIOS set; lists in which one attribute means the parent of a clone name that, which says nothing."""
    return one.bios if one.bios not in (one.parent, one.set) else None


def _chain(roster: Roster, one: ArcadeSet, gaps: list[str]) -> tuple[ArcadeSet, ...]:
    """The parents of a set, nearest first; a circle is left where it closes."""
    found: list[ArcadeSet] = []
    seen = {one.set}
    parent = one.parent
    while parent is not None:
        if parent in seen:
            gaps.append(f"the parents of {one.set} run in a circle")
            break
        if (above := roster.sets.get(parent)) is None:
            gaps.append(f'its parent "{parent}" is not in the roster')
            break
        seen.add(parent)
        found.append(above)
        parent = above.parent
    return tuple(found)


def _devices(roster: Roster, names: tuple[str, ...], gaps: list[str], seen: set[str]) -> Iterator[ArcadeSet]:
    """Devices, and the devices that these need."""
    for name in names:
        if name in seen:
            continue
        seen.add(name)
        if name not in roster.sets:
            gaps.append(f'its device "{name}" is not in the roster')
            continue
        device = roster.sets[name]
        yield device
        yield from _chain(roster, device, gaps)
        yield from _devices(roster, device.devices, gaps, seen)


def owned_files(family: Family) -> Iterator[tuple[str, tuple[SetFile, ...]]]:
    """The files of a set (those of its parent included), of its BIOS set and its devices, each with whose they are.

    What is named as a BIOS set, but is none, is looked into and not asked for.
    """
    yield family.one.set, family.one.files
    bios = (relative for relative in family.bios[:1] if relative.kind is SetKind.BIOS)
    for relative in (*bios, *family.devices):
        yield relative.set, relative.files


def parts_of(family: Family) -> list[Part]:
    """Every file that a set needs to run: its own (those of its parent included), its BIOS set's and its devices'.

    Files that nobody has dumped count for nothing.
    """
    parts: list[Part] = []
    for name, files in owned_files(family):
        parts += [Part(file, name) for file in files if file.state is not FileState.UNDUMPED]
    return parts


def lineage_faults(roster: Roster) -> Iterator[tuple[str, str]]:
    """Sets whose family does not hold together, each with what is wrong; what it has from its parent is told there."""
    gaps = {name: family_of(roster, name).gaps for name in roster.sets}
    for one in roster.sets.values():
        inherited = gaps.get(one.parent, ()) if one.parent is not None else ()
        yield from ((one.set, gap) for gap in gaps[one.set] if gap not in inherited)
        yield from ((one.set, gap) for gap in (*_file_gaps(roster, one), *_bios_gaps(roster, one), *_variant_gaps(one)))


def _bios_gaps(roster: Roster, one: ArcadeSet) -> Iterator[str]:
    """What is named as a BIOS set and is none."""
    if one.bios == one.set:
        yield "is said to be its own BIOS set"
    elif (
        _bios_of(one)
        and one.bios is not None
        and one.bios in roster.sets
        and roster.sets[one.bios].kind is not SetKind.BIOS
    ):
        yield f'its BIOS set "{one.bios}" is of kind {roster.sets[one.bios].kind}; its files are not asked for'


def _variant_gaps(one: ArcadeSet) -> Iterator[str]:
    """Variants that are listed and have no file, and those that files have and are not listed."""
    there = dict.fromkeys(file.variant for file in one.files if file.variant is not None)
    if one.kind is not SetKind.BIOS:
        return  # a game lists those of its BIOS set
    for number, name in enumerate(one.variants):
        if name not in there:
            yield f'its {"default " if not number else ""}variant "{name}" has no file'
    for name in there:
        if name not in one.variants:
            yield f'files have the variant "{name}", which is not listed'


def _file_gaps(roster: Roster, one: ArcadeSet) -> Iterator[str]:
    """Files that claim to be their parent's or BIOS set's, which has none of that name."""
    for word, relative, names in (
        ("parent", one.parent, [(file.name, file.parent_name) for file in one.files]),
        ("BIOS set", one.bios, [(file.name, file.bios_name) for file in one.files]),
    ):
        shared = [(name, theirs) for name, theirs in names if theirs is not None]
        if shared and relative is None:
            yield f"{shared[0][0]} is said to be its {word}'s, but it has none"
        elif relative is not None and relative in roster.sets:
            there = {file.name for file in roster.sets[relative].files}
            for name, theirs in shared:
                if theirs not in there:
                    yield f'{name} is said to be "{theirs}" of its {word} {relative}, which has no such file'
