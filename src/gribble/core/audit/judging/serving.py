"""Which files of a rig serve a need where they lie, so that they are never moved, and who wants which place; and which
files no sheet knows, which are left alone.
"""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator
from functools import cached_property
from itertools import chain

from msgspec import Struct

from gribble.core.audit.judging.case import RigCase
from gribble.core.audit.judging.judge import best_liked
from gribble.core.audit.judging.pairs import paired_names
from gribble.core.base.names import is_like
from gribble.core.base.paths import base, fold, lies_below, parent
from gribble.core.records.findings import NeedFinding, Proof
from gribble.core.records.holding import Holding
from gribble.core.records.place import Fitted, Place
from gribble.core.records.rig_seen import RigSeen
from gribble.core.survey.whereabouts import PROGRAMS, SETTINGS


def outlook(group: Iterable[Fitted]) -> tuple[frozenset[str], frozenset[str]]:
    """The places where some emulators look, with the folders above them; and the folders in which they look at every
    file, whatever its name."""
    places: set[str] = set()
    folders: set[str] = set()
    for fitted in group:
        places.update(fitted.folders.values(), (setting.file for setting in fitted.setting))
        for place in chain.from_iterable(fitted.places.values()):
            places.update(place.paths)
            folders.update((place.folder, *place.too) if place.any_name else ())
        if fitted.arcade:
            key = fitted.arcade.folder
            folders.update((fitted.folders[key], *fitted.more_folders.get(key, ())))
    for path in list(places):
        while path := parent(path):
            places.add(path)
    return frozenset(places), frozenset(folders)


class Claim(Struct, frozen=True):
    """One path at which a need wants its file; an `alias` is one that it also takes."""

    place: Place
    path: str
    alias: bool

    @property
    def words(self) -> str:
        """Whose it is: "an alias of sandpiper's Tern 8 boot ROM"."""
        return f"{'an alias' if self.alias else 'the name'} of {self.place.words}"


def claims_of(places: Iterable[Place]) -> Iterator[Claim]:
    """What some places claim for themselves."""
    for place in places:
        for number, path in enumerate(place.paths if not place.any_name else ()):
            yield Claim(place, path, number > 0)


def meetings(claims: Iterable[Claim], *, folds_case: bool = False) -> Iterator[tuple[Claim, Claim]]:
    """The needs that want one place and have no content in common. Two aliases harm nobody; nor do needs of one choice,
    or of different releases."""
    met: dict[str, list[Claim]] = {}
    for claim in claims:
        group = met.setdefault(fold(claim.path) if folds_case else claim.path, [])
        for other in group:
            one, two = claim.place, other.place
            releases = one.emulator == two.emulator and one.need.releases != two.need.releases
            alike = one.is_same(two) or one.is_instead(two) or releases
            if not alike and not (claim.alias and other.alias) and one.is_apart(two):
                yield other, claim
        group.append(claim)


class Serving:
    """What the needs of one rig's emulators have and want; it is made before any of them is audited."""

    def __init__(self, case: RigCase) -> None:
        self._rig, self._shelf, self._judge = case.rig, case.shelf, case.judge
        self._paths: set[str] = set()
        self._sound: dict[str, list[Place]] = {}
        self._right: dict[str, list[Place]] = {}  # of any name: one of them serves, any would
        self._claims: dict[str, list[Place]] = {}
        self._accepted_places: dict[str, list[Place]] = {}
        """The places, as the shelf compares them, at which needs look, with those."""
        self._folders = {path for fitted in case.rig.emulators for path in fitted.folders.values()}
        self._files = {self._shelf.key(one.file) for fitted in case.rig.emulators for one in fitted.setting}
        for fitted in case.rig.emulators:
            for place in chain.from_iterable(fitted.places.values()):
                self._note(place)
            for id_, places in fitted.places.items():
                for holding in case.led.get((fitted.emulator, id_), ()):
                    self._paths.add(holding.path)
                    owners = self._sound.setdefault(holding.path, [])
                    owners += [] if places[0] in owners else places[:1]

    def _note(self, place: Place) -> None:
        for path in place.paths:
            self._accepted_places.setdefault(self._shelf.key(path), []).append(place)
        if not place.any_name and not place.ignored:
            self._claims.setdefault(self._shelf.key(place.path), []).append(place)
        judged = ((holding, self._judge.judge(place, holding)) for holding in self._shelf.serving(place))
        right = [pair for pair in judged if pair[1].accepted]
        if place.any_name:
            for holding, _ in right:
                self._right.setdefault(holding.path, []).append(place)
            if right and not place.need.requires:  # else only the audit can tell which is used
                right = [best_liked(place.need.accept, right)]
        for holding, judgement in right:
            self._paths.add(holding.path)
            if judgement.proof is not Proof.NONE or place.need.changes:
                self._sound.setdefault(holding.path, []).append(place)

    @property
    def owners(self) -> dict[str, tuple[str, ...]]:
        """The files that are sound for a need where they lie, with the needs in words."""
        return {path: tuple(one.words for one in owners) for path, owners in self._sound.items()}

    def movable(self, holding: Holding) -> bool:
        """Whether a holding may be moved to where it is wanted: loose on this rig, and serving nobody, not even a
        link."""
        if holding.rig != self._rig.name or holding.member is not None or holding.fixed:
            return False
        return (
            holding.path not in self._paths and not self._shelf.leans(holding.path) and not self._strange(holding.path)
        )

    def _strange(self, path: str) -> bool:
        """Whether a file is in the folder of a program of which gribble.toml says nothing: it may be in use there."""
        folder = parent(path)
        while folder and folder not in self._programs:
            folder = parent(folder)
        return bool(folder)

    @cached_property
    def _programs(self) -> frozenset[str]:
        """The folders with a program or settings in them in which, and above which, no emulator looks."""
        signs = {parent(path) for path in self._shelf.loose if path.lower().endswith((*PROGRAMS, *SETTINGS))}
        ours = {*self._folders, *(parent(path) for path in self._files)}
        return frozenset(
            one for one in signs if one and not any(lies_below(one, our) or lies_below(our, one) for our in ours)
        )

    def another(self, holding: Holding, place: Place) -> bool:
        """Whether a file is sound for another need where it lies, be it as one of several."""
        owners = (*self._sound.get(holding.path, ()), *self._right.get(holding.path, ()))
        return any(not one.is_same(place) for one in owners)

    def looks_at(self, path: str) -> bool:
        """Whether a need or a setting looks at a place."""
        key = self._shelf.key(path)
        return key in self._accepted_places or key in self._files

    def concerns(self, holding: Holding, place: Place) -> bool:
        """Whether a file in the folder of a place is another's business: it serves one that is no alternative, lies
        where one looks, or in another of the emulators' folders, or is a settings file."""
        key = self._shelf.key(holding.path)
        others = [*self._sound.get(holding.path, ()), *self._accepted_places.get(key, ())]
        if any(not one.is_same(place) and not one.is_instead(place) for one in others):
            return True
        inner = (self._shelf.key(one) for one in self._folders if len(one) > len(place.folder))
        return key in self._files or any(key.startswith(f"{one}/") for one in inner)

    def contested(self, place: str) -> bool:
        """Whether several needs want a place."""
        return len(self._claims.get(self._shelf.key(place), ())) > 1

    def rivals(self, place: Place, path: str, use: Holding | None) -> tuple[str, ...]:
        """The other needs that want a path, or have what they want there, and that `use` would not serve; without one,
        those with which a need has no content in common."""
        claims = [*self._claims.get(self._shelf.key(path), ()), *self._sound.get(path, ())]
        found: dict[str, None] = {}
        for other in claims:
            if other.is_same(place) or other.is_instead(place):
                continue
            serves = self._judge.judge(other, use).accepted if use else not place.is_apart(other)
            if not serves:
                found[other.words] = None
        return tuple(found)


def spare_files(case: RigCase, serving: Serving, findings: Iterable[NeedFinding]) -> dict[str, list[str]]:
    """The files that no sheet of the rig knows, in every folder of an emulator but those for games and sets."""
    places = [place for finding in findings for place in finding.places]
    named = {place.found.path for place in places if place.found}
    named |= {path for place in places for path in place.in_way}
    owners = {path: one for one in reversed(case.rig.emulators) for path in one.folders.values()}
    aside = {path for one in case.rig.emulators for path in _game_folders(one)}
    spare: dict[str, list[str]] = {}
    for path, holding in case.shelf.loose.items():
        folder = _owned(path, owners)
        if folder is None or folder in aside or path in named or serving.looks_at(path):
            continue
        if not _is_partner(case.rig, folder, path) and not case.given.known.matches(holding.size, holding.digests):
            spare.setdefault(owners[folder].emulator, []).append(path)
    return spare


def _game_folders(one: Fitted) -> Iterator[str]:
    """The folders of an emulator for games and sets."""
    yield from (one.folders[media.folder] for media in one.media)
    if one.arcade:
        yield from (one.folders[one.arcade.folder], *one.more_folders.get(one.arcade.folder, ()))


def _is_partner(rig: RigSeen, folder: str, path: str) -> bool:
    """Whether a file in a folder is called as a pair says."""
    pairs = (name for one in rig.emulators for pair in one.sheet.pair for name in paired_names(one, pair))
    name, folds = base(path), rig.volume.folds_case
    return any(folder == one and is_like(name, pattern, folds=folds) for one, pattern in pairs)


def _owned(path: str, owners: Container[str]) -> str | None:
    """The innermost folder above a path that is among some; None if none is."""
    folder = parent(path)
    while folder and folder not in owners:
        folder = parent(folder)
    return folder if folder in owners else None
