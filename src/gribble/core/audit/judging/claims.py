"""Which places needs want for themselves, and where two want one."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from msgspec import Struct

from gribble.core.base.paths import base, fold, join, parent
from gribble.core.records.fitted import Fitted
from gribble.core.records.sheet import Need


def places_of(folders: Mapping[str, str], need: Need) -> list[tuple[Need, str, tuple[str, ...]]]:
    """Each place of a need: what is wanted there, its folder on the rig, and the names accepted in it, first the one
    that is written. `folders` are the sheet's, as they lie there."""
    places: list[tuple[Need, str, tuple[str, ...]]] = []
    if need.file:
        for part in need.parts():
            path = join(folders[need.folder], part.name)
            places.append((part, parent(path), (base(path),)))
        return places
    places.append((need, folders[need.folder], need.names))
    for copy in need.also:
        path = join(folders[copy.folder], copy.name)
        places.append((need, parent(path), (base(path),)))
    return places


def outlook(group: Iterable[Fitted]) -> tuple[frozenset[str], frozenset[str]]:
    """The places where some emulators look, with the folders above them; and the folders in which they look at every
    file, whatever its name."""
    places: set[str] = set()
    folders: set[str] = set()
    for fitted in group:
        places.update(fitted.folders.values(), (setting.file for setting in fitted.setting))
        for need in fitted.needs:
            for _, folder, names in places_of(fitted.folders, need):
                places.update(join(folder, name) for name in names)
                folders.update([folder] if need.any_name else [])
        if fitted.arcade:
            folders.add(fitted.folders[fitted.arcade.folder])
    for path in list(places):
        while path := parent(path):
            places.add(path)
    return frozenset(places), frozenset(folders)


def is_same(one: tuple[Fitted, Need], other: tuple[Fitted, Need]) -> bool:
    """Whether two needs are one, or parts of one."""
    return (one[0].emulator, one[1].id) == (other[0].emulator, other[1].id)


def chosen_between(fitted: Fitted, need: Need, other: Fitted, theirs: Need) -> bool:
    """Whether one of the two is enough."""
    return fitted.emulator == other.emulator and need.choice is not None and need.choice == theirs.choice


def are_apart(one: Need, other: Need) -> bool:
    """Whether two needs are known to have no content in common."""
    if one.key or other.key or not one.accept or not other.accept:
        return False
    known = all(accept.strongest() for accept in (*one.accept, *other.accept))
    return known and not any(mine.agrees(theirs) for mine in one.accept for theirs in other.accept)


class Claim(Struct, frozen=True):
    """One name under which a need wants its file; an `alias` is one that it also takes."""

    emulator: str
    need: Need
    path: str
    alias: bool

    @property
    def words(self) -> str:
        """Whose it is: "an alias of sandpiper's Tern 8 boot ROM"."""
        return f"{'an alias' if self.alias else 'the name'} of {self.emulator}'s {self.need.called}"


def claims_of(emulator: str, folders: Mapping[str, str], needs: Iterable[Need]) -> Iterator[Claim]:
    """The places that some needs of an emulator want for themselves, `folders` being where its folders lie."""
    for need in needs:
        for part, folder, names in places_of(folders, need) if not need.any_name else ():
            for number, name in enumerate(names):
                yield Claim(emulator, part, join(folder, name), number > 0)


def meetings(claims: Iterable[Claim], *, folds_case: bool = False) -> Iterator[tuple[Claim, Claim]]:
    """The needs that want one place and have no content in common. Two aliases harm nobody; nor do needs of one choice,
    or of different releases."""
    met: dict[str, list[Claim]] = {}
    for claim in claims:
        group = met.setdefault(fold(claim.path) if folds_case else claim.path, [])
        for other in group:
            one, two = claim.need, other.need
            alike = claim.emulator == other.emulator and (
                one.id == two.id
                or (one.choice is not None and one.choice == two.choice)
                or one.releases != two.releases
            )
            if not alike and not (claim.alias and other.alias) and are_apart(one, two):
                yield other, claim
        group.append(claim)


def called(fitted: Fitted, need: Need) -> str:
    """A need as it is named beside those of other emulators."""
    return f"{fitted.emulator}'s {need.called}"
