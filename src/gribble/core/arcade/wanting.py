"""What a set lacks: one rule for every question that is asked of sets. Pure."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import NamedTuple

from msgspec import Struct, structs

from gribble.core.catalogue.families import Family, family_of, owned_files
from gribble.core.records.roster import ArcadeSet, Disc, FileState, Roster, SetFile, SetKind

Has = Callable[[str, SetFile], bool]
"""Whether a file is there, asked with the set whose file it is."""


class Lack(Struct, frozen=True):
    """One thing without which a set does not run: a file of the set or of a relative, or any one of several `files`
    that have a choice; or a disc."""

    owner: str
    files: tuple[SetFile, ...] = ()
    disc: Disc | None = None

    @property
    def words(self) -> str:
        """What lacks, by name."""
        return self.disc.name if self.disc else " or ".join(file.name for file in self.files)


def lacking(family: Family, has: Has, has_disc: Callable[[Disc], bool] | None = None) -> list[Lack]:
    """What a set lacks, by whoever `has` its files: asked once of each, with the set whose file it is.

    A file that nobody has dumped is not asked of, and an optional one never lacks; of a choice one is enough. Without
    `has_disc` nothing is said of discs.
    """
    found = [lack for owner, files in owned_files(family) for lack in lacking_files(owner, files, has)]
    return found + lacking_discs(family.one, has_disc) if has_disc else found


class Settled(NamedTuple):
    """A family with one variant of its BIOS set; which that is, and the one that was wished. Empty without variants."""

    family: Family
    variant: str = ""
    wished: str = ""


def settle_variant(
    family: Family, has: Has, variants: Mapping[str, str], held: Callable[[SetFile], bool] = lambda _file: False
) -> Settled:
    """The family with the variant of its BIOS set by which it is judged: the one that is chosen (by BIOS set), else
    the default; where that is not whole another one that is, and where none is, the nearest to whole, of equals the
    first. What is `held` elsewhere is nearer than what is nowhere. A set without variants is judged as it is."""
    names = variants_of(family)
    if not names:
        return Settled(family)
    owner = family.bios[0] if family.bios else family.one
    chosen = variants.get(owner.set)
    if chosen in names:
        names = [chosen, *(name for name in names if name != chosen)]
    found = [Settled(of_variant(family, name), name, names[0]) for name in names]

    def distance(one: Settled) -> tuple[bool, int, int]:
        lacks = lacking(one.family, has)
        return bool(lacks), sum(not any(map(held, lack.files)) for lack in lacks), len(lacks)

    return min(found, key=distance)


def variants_of(family: Family) -> list[str]:
    """The variants of a family's BIOS set (or of a BIOS set itself) that anything could be, the default first."""
    owner = family.bios[0] if family.bios else family.one
    if owner.kind is not SetKind.BIOS or not (owner.variants or any(file.variant for file in owner.files)):
        return []
    dumped = [file for _, files in owned_files(family) for file in files if file.state is not FileState.UNDUMPED]
    there = dict.fromkeys(file.variant for file in dumped if file.variant and not file.optional)
    listed = [name for name in owner.variants if name in there]
    return [*listed, *(name for name in there if name not in listed)]


def variant_faults(roster: Roster, variants: Mapping[str, str]) -> Iterator[str]:
    """What is wrong with the variants that are chosen, by BIOS set."""
    for name, chosen in variants.items():
        one = roster.sets.get(name)
        there = variants_of(family_of(roster, name)) if one and one.kind is SetKind.BIOS else []
        if chosen not in there:
            known = f"; it has {', '.join(there)}" if there else ""
            yield f'{name} has no variant "{chosen}", which gribble.toml chooses{known}'


def of_variant(family: Family, variant: str) -> Family:
    """A family without the files of other variants."""

    def narrowed(one: ArcadeSet) -> ArcadeSet:
        if all(file.variant in (None, variant) for file in one.files):
            return one
        return structs.replace(one, files=tuple(file for file in one.files if file.variant in (None, variant)))

    return structs.replace(family, one=narrowed(family.one), bios=tuple(map(narrowed, family.bios)))


def lacking_files(owner: str, files: tuple[SetFile, ...], has: Has) -> list[Lack]:
    """The same for the files of one set alone."""
    absent = [file for file in files if file.state is not FileState.UNDUMPED and not has(owner, file)]
    return list(_of_absent(owner, files, absent)) if absent else []


def lacking_discs(one: ArcadeSet, has_disc: Callable[[Disc], bool]) -> list[Lack]:
    """The same for the discs of a set."""
    discs = (disc for disc in one.discs if not disc.optional and disc.state is not FileState.UNDUMPED)
    return [Lack(one.set, disc=disc) for disc in discs if not has_disc(disc)]


def _of_absent(owner: str, files: tuple[SetFile, ...], absent: list[SetFile]) -> Iterator[Lack]:
    """What lacks of the files of one set, in their order; a choice where the first file stands that it requires."""
    required = [file for file in absent if not file.optional]
    choices = any(file.choice is not None for file in required)
    settled = _settled_choices(files, absent) if choices else set()
    for file in required:
        if file.choice is None:
            yield Lack(owner, (file,))
        elif file.choice not in settled:
            settled.add(file.choice)
            yield Lack(owner, tuple(other for other in absent if other.choice == file.choice))


def _settled_choices(files: Iterable[SetFile], absent: Iterable[SetFile]) -> set[str | None]:
    """The choices of which a file is there."""
    missed = {id(file) for file in absent}
    dumped = (file for file in files if file.state is not FileState.UNDUMPED)
    return {file.choice for file in dumped if id(file) not in missed}
