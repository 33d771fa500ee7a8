"""What an update of the emulator means for the wanted sets: which stay, which are renamed, and what they then want."""

from __future__ import annotations

from collections.abc import Iterable

from gribble.core.arcade.cabinet import Cabinet, Homes, is_file
from gribble.core.arcade.discs import Discs
from gribble.core.arcade.sets import new_name
from gribble.core.arcade.wanting import lacking, settle_variant
from gribble.core.catalogue.families import Family, family_of, parts_of
from gribble.core.records.findings import Remedy
from gribble.core.records.holding import Holding
from gribble.core.records.roster import Roster, SetFile
from gribble.core.records.set_remedies import Change, FileChange, SetChange


def compare_rosters(
    old: Roster, new: Roster, wanted: Iterable[str], cabinet: Cabinet, discs: Discs | None = None
) -> list[SetChange]:
    """Each wanted set, in order; a set that neither roster knows is left out."""
    found = []
    for name in dict.fromkeys(wanted):
        if name in old.sets:
            found.append(_of_old(old, new, name, cabinet, discs))
        elif name in new.sets:
            found.append(_of_new(new, name, name, Change.NEW, cabinet, discs))
    return found


def _of_old(
    old: Roster,
    new: Roster,
    name: str,
    cabinet: Cabinet,
    discs: Discs | None,
) -> SetChange:
    title = old.sets[name].title
    if name not in new.sets:
        to = new_name(old, new, name)
        if not to:
            return SetChange(set=name, title=title, change=Change.GONE)
        return _of_new(new, name, to, Change.RENAMED, cabinet, discs)
    if _listing(old, name) == _listing(new, name):
        return SetChange(set=name, title=title, change=Change.SAME, to=name)
    return _of_new(new, name, name, None, cabinet, discs)


def _of_new(new: Roster, name: str, to: str, change: Change | None, cabinet: Cabinet, discs: Discs | None) -> SetChange:
    """What the new release wants of a set that is not there as it will want it."""
    family = family_of(new, to)
    along = _Sought(family, cabinet)
    family = settle_variant(family, along.is_held, cabinet.variants).family
    homes, lacks = Homes(new), lacking(family, along.has)
    wanting = [
        FileChange(file.name, lack.owner, archive=f"{homes.owner(lack.owner, file)[0]}.zip")
        for lack in lacks
        for file in lack.files
    ]
    for problem in discs.problems(family) if discs else ():
        if problem.remedy is Remedy.OBTAIN:
            wanting.append(FileChange(problem.subject.file, problem.subject.owner, archive=problem.subject.file))
        elif problem.remedy is not Remedy.NONE:
            along.brought.append(FileChange(problem.subject.file, problem.subject.owner, problem.found))
    everything = [*along.moved, *along.brought, *wanting]
    if change is None and not everything:
        return SetChange(set=name, title=new.sets[to].title, change=Change.SAME, to=to)
    if change is None:
        change = Change.OBTAIN if wanting else Change.HELD if along.brought else Change.REPACK
    files = wanting if change is Change.OBTAIN else along.brought if change is Change.HELD else everything
    return SetChange(set=name, title=new.sets[to].title, change=change, to=to, files=tuple(files))


class _Sought:
    """Looks for the files of a set. `moved` are those in archives that would be packed again, and `brought` those that
    are in another place."""

    def __init__(self, family: Family, cabinet: Cabinet) -> None:
        self._cabinet = cabinet
        self._containers = [one for relative in family.path if (one := cabinet.of(relative))]
        self.moved: list[FileChange] = []
        self.brought: list[FileChange] = []

    def has(self, owner: str, file: SetFile) -> bool:
        """Whether a file is held, noting it unless it is where the set wants it."""
        if any((there := one.named(file.name)) and is_file(file, there) for one in self._containers):
            return True
        holding = next((there for one in self._containers if (there := one.find(file))), None)
        if holding := holding or self._cabinet.held(file):
            change = FileChange(file.name, owner, holding)
            (self.moved if _in_archives(holding, self._cabinet) else self.brought).append(change)
            return True
        if away := self._cabinet.away(file):
            self.brought.append(FileChange(file.name, owner, *away))
        return away is not None

    def is_held(self, _owner: str, file: SetFile) -> bool:
        """Whether a file is held, or was by a source that is away."""
        here = any(one.find(file) is not None for one in self._containers) or self._cabinet.held(file) is not None
        return here or self._cabinet.away(file) is not None


def _in_archives(holding: Holding, cabinet: Cabinet) -> bool:
    """Whether a holding is in the folder of the sets already."""
    prefix = f"{cabinet.folder}/" if cabinet.folder else ""
    return holding.rig == cabinet.rig and holding.path.startswith(prefix)


def _listing(roster: Roster, name: str) -> object:
    """Everything about a set that decides which files are wanted where."""
    family = family_of(roster, name)
    parts = frozenset(
        (part.owner, part.file.name, _identity(part.file), part.file.optional, part.file.variant)
        for part in parts_of(family)
    )
    discs = frozenset((disc.name, disc.sha1) for disc in family.one.discs)
    return parts, discs, family.path


def _identity(file: SetFile) -> object:
    return file.content or file.size
