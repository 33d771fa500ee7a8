"""What a set lacks: one rule for every question that is asked of sets. Pure."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec import Struct

from gribble.core.catalogue.families import Family, owned_files
from gribble.core.records.roster import ArcadeSet, Disc, FileState, SetFile


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


def lacking(
    family: Family, has: Callable[[str, SetFile], bool], has_disc: Callable[[Disc], bool] | None = None
) -> list[Lack]:
    """What a set lacks, by whoever `has` its files: asked once of each, with the set whose file it is.

    A file that nobody has dumped is not asked of, and an optional one never lacks; of a choice one is enough. Without
    `has_disc` nothing is said of discs.
    """
    found = [lack for owner, files in owned_files(family) for lack in lacking_files(owner, files, has)]
    return found + lacking_discs(family.one, has_disc) if has_disc else found


def lacking_files(owner: str, files: tuple[SetFile, ...], has: Callable[[str, SetFile], bool]) -> list[Lack]:
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
    settled: set[str | None] = set()
    if any(file.choice is not None for file in required):
        missed = {id(file) for file in absent}
        dumped = (file for file in files if file.state is not FileState.UNDUMPED)
        settled = {file.choice for file in dumped if id(file) not in missed}
    for file in required:
        if file.choice is None:
            yield Lack(owner, (file,))
        elif file.choice not in settled:
            settled.add(file.choice)
            yield Lack(owner, tuple(other for other in absent if other.choice == file.choice))
