"""Families: whom a set needs, and which files it needs of them. A clone takes BIOS and devices from its parent."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from gribble.core.records.roster import ArcadeSet, FileState, Roster, SetFile


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
    gaps: list[str] = []
    parents = _chain(roster, one, gaps)
    bios_name = next((relative.bios for relative in (one, *parents) if relative.bios is not None), None)
    bios: tuple[ArcadeSet, ...] = ()
    if bios_name is not None and bios_name != name:
        if bios_name in roster.sets:
            bios = (roster.sets[bios_name], *_chain(roster, roster.sets[bios_name], gaps))
        else:
            gaps.append(f'its BIOS set "{bios_name}" is not in the roster')
    wanted = next((relative.devices for relative in (one, *parents) if relative.devices), ())
    devices = tuple(_devices(roster, wanted, gaps, {name}))
    return Family(one=one, parents=parents, bios=bios, devices=devices, gaps=tuple(gaps))


def _chain(roster: Roster, one: ArcadeSet, gaps: list[str]) -> tuple[ArcadeSet, ...]:
    """The parents of a set, nearest first; a circle is left where it closes."""
    found: list[ArcadeSet] = []
    seen = {one.set}
    parent = one.parent
    while parent is not None:
        if parent in seen:
            gaps.append(f"the parents of {one.set} run in a circle")
            break
        if parent not in roster.sets:
            gaps.append(f'its parent "{parent}" is not in the roster')
            break
        seen.add(parent)
        found.append(roster.sets[parent])
        parent = roster.sets[parent].parent
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
    """The files of a set (those of its parent included), of its BIOS set and its devices, each with whose they are."""
    yield family.one.set, family.one.files
    for relative in (*family.bios[:1], *family.devices):
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
        yield from ((one.set, gap) for gap in _file_gaps(roster, one))


def _file_gaps(roster: Roster, one: ArcadeSet) -> Iterator[str]:
    """Files that claim to be their parent's or BIOS set's, which has none of that name."""
    for word, relative, names in (
        ("parent", one.parent, [(file.name, file.parent_name) for file in one.files]),
        ("BIOS set", one.bios, [(file.name, file.bios_name) for file in one.files]),
    ):
        shared = [(name, theirs) for name, theirs in names if theirs is not None]
        if shared and relative is None:
            yield f"{shared[0][0]} is said to be its {word}'s, but it has none"
        elif relative in roster.sets:
            there = {file.name for file in roster.sets[relative].files}
            for name, theirs in shared:
                if theirs not in there:
                    yield f'{name} is said to be "{theirs}" of its {word} {relative}, which has no such file'
