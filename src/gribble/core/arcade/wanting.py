"""What a set lacks: one rule for every question that is asked of sets. Pure."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec import Struct

from gribble.core.catalogue.families import Family, owned_files
from gribble.core.records.roster import Disc, FileState, SetFile


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
    found: list[Lack] = []
    for owner, files in owned_files(family):
        absent = [file for file in files if file.state is not FileState.UNDUMPED and not has(owner, file)]
        if absent:
            found += _of_absent(owner, files, absent)
    for disc in family.one.discs if has_disc else ():
        if not disc.optional and disc.state is not FileState.UNDUMPED and has_disc and not has_disc(disc):
            found.append(Lack(family.one.set, disc=disc))
    return found


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
