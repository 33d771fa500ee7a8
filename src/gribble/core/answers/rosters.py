"""Which release fits what is held, what another one changes, and what goes on a card: asked of the world as it is."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from pathlib import Path

import msgspec
from msgspec import Struct, structs

from gribble.core.arcade.cabinet import Cabinet, Homes, cabinet_of
from gribble.core.arcade.compare import compare_rosters
from gribble.core.arcade.discs import Discs
from gribble.core.arcade.fit import Selection, Wish, cost, fit_sets
from gribble.core.arcade.match import Held, ReleaseMatch, match_release, ranked
from gribble.core.arcade.sets import wanted_sets
from gribble.core.arcade.wanting import lacking, settle_variant
from gribble.core.audit.world import World
from gribble.core.base.errors import GribbleError, MistakesError
from gribble.core.base.kinds import Style
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.families import Family, family_of, parts_of, read_wishes
from gribble.core.catalogue.rosters import Load, read_head, with_others
from gribble.core.files.volumes import cluster_of, whole_clusters
from gribble.core.records.holding import Holding
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import Plays, Roster, SetFile, Sets
from gribble.core.records.set_remedies import SetChange
from gribble.core.survey.holdings import Shelf

SUGGESTED = 20
"""For how many unknown names the nearest known one is looked for, which takes a while among 45,000."""


class ArcadePlace(Struct, frozen=True):
    """One arcade emulator on one rig, with what is held for it."""

    rig: RigSeen
    fitted: Fitted
    cabinet: Cabinet
    discs: Discs
    load: Load


class Matched(Struct, frozen=True, kw_only=True):
    """The releases of one emulator, best first, and for each wanted set those in which what is held is right; `titles`
    are those of sets that the installed release does not find so."""

    emulator: str
    installed: str | None
    releases: tuple[ReleaseMatch, ...]
    wanted: dict[str, tuple[str, ...]]
    titles: dict[str, str] = {}


def arcade_places(world: World, rigs: tuple[str, ...], emulators: tuple[str, ...]) -> list[ArcadePlace]:
    """Every arcade emulator on the rigs in scope that are there. Raises GribbleError if there is none."""
    readings = world.readings()
    found = []
    for rig in world.rigs:
        if rig.away or (rigs and rig.name not in rigs):
            continue
        elsewhere = [
            *world.elsewhere,
            *(other.holdings for other in world.rigs if other is not rig),
        ]
        for fitted in rig.emulators:
            if fitted.arcade is None or (emulators and fitted.emulator not in emulators):
                continue
            cabinet = cabinet_of(rig, fitted, elsewhere, world.remembered)
            discs = Discs(fitted.arcade, cabinet.folder, Shelf(rig).loose, list(readings.discs))
            found.append(ArcadePlace(rig, fitted, cabinet, discs, world.load))
    if not found:
        names, where = ", ".join(emulators), ", ".join(rigs) or "any rig that is here"
        arcade = [one.emulator for rig in world.rigs if not rig.away for one in rig.emulators if one.arcade is not None]
        near = suggest(emulators[0], arcade) if emulators else ""
        raise GribbleError(
            f"{names} is not an arcade emulator on {where}{near}"
            if names
            else f"there is not an arcade emulator on {where}",
            fix="gribble check shows the emulators of every rig; a sheet with [arcade] makes one an arcade emulator.",
        )
    return found


def one_place(
    world: World, rigs: tuple[str, ...], emulators: tuple[str, ...], wishes: Iterable[str] = ()
) -> ArcadePlace:
    """The only arcade emulator in scope of which a set is wanted, or that knows one of some wishes. Raises GribbleError
    where there are several."""
    places = arcade_places(world, rigs, emulators)
    if len(places) > 1:
        wishes = tuple(wishes)
        knowing = [place for place in places if _knows(place, wishes)]
        places = knowing or [place for place in places if _knows(place, wanted_now(place))] or places
    if len(places) > 1:
        names = ", ".join(f"{place.fitted.emulator} on {place.rig.name}" for place in places)
        one = f"--emulator {places[0].fitted.emulator} --rig {places[0].rig.name}"
        raise GribbleError(f"several arcade emulators could be meant: {names}", fix=f"Name one, for example {one}.")
    return places[0]


def roster_of(place: ArcadePlace) -> Roster:
    """The roster of an arcade emulator's release. Raises GribbleError without one."""
    roster = place.rig.arcade[place.fitted.emulator].roster
    if roster is None:
        raise GribbleError(
            f"there is no roster for {place.fitted.emulator}",
            fix="gribble catalogue import LIST --to roster makes one from a list.",
        )
    return roster


# Which release


def match_releases(world: World, places: Iterable[ArcadePlace]) -> list[Matched]:
    """How well everything held, on rigs and in sources, fits each roster; rosters are loaded one by one."""
    headers = (header.sha1 for _, header in world.readings().discs)
    held = Held([*world.everything, *world.remembered.values()], headers)
    found = []
    by_emulator: dict[str, list[ArcadePlace]] = {}
    for place in places:
        by_emulator.setdefault(place.fitted.emulator, []).append(place)
    for emulator, group in by_emulator.items():
        arcade = group[0].rig.arcade[emulator]
        matches = []
        if arcade.roster:
            matches.append(match_release(arcade.roster, held))
        for path in arcade.unread:
            roster, _ = world.load(path)
            if roster:
                matches.append(match_release(roster, held))
        names = dict.fromkeys(name for place in group for name in wanted_now(place))
        installed = group[0].fitted.release
        best = tuple(ranked(matches, installed))
        wanted = {name: tuple(one.release for one in best if name in one.whole) for name in names}
        sets: Sets | None = arcade.roster.sets if arcade.roster else None
        odd = (name for name, releases in wanted.items() if installed not in releases and sets and name in sets)
        titles = {name: sets[name].title for name in odd} if sets else {}
        found.append(Matched(emulator=emulator, installed=installed, releases=best, wanted=wanted, titles=titles))
    return found


def _knows(place: ArcadePlace, names: Iterable[str]) -> bool:
    roster = place.rig.arcade[place.fitted.emulator].roster
    return roster is not None and any(name in roster.sets for name in read_wishes(names, roster.sets))


def wanted_now(place: ArcadePlace) -> list[str]:
    """The sets that are wanted on a rig now; none without a roster."""
    arcade = place.rig.arcade[place.fitted.emulator]
    if arcade.roster is None:
        return []
    others = () if place.fitted.installed.wanted is not None else with_others(arcade, place.load).others
    return wanted_sets(place.fitted.installed.wanted, arcade.roster, place.cabinet, others, place.discs.digests)


# What changes


def find_roster(place: ArcadePlace, paths: Iterable[Path], word: str) -> Roster:
    """The roster of a release, or in a file. Raises GribbleError if there is none, with those there are."""
    releases = {}
    for path in paths:
        try:
            releases[read_head(path).release] = path
        except (OSError, msgspec.MsgspecError):
            continue
    chosen = releases.get(word) or (Path(word) if os.path.isfile(Path(word)) else None)
    if chosen is None:
        raise GribbleError(
            f"there is no roster of {place.fitted.emulator} {word}",
            fix=f"There are: {', '.join(sorted(releases)) or 'none'}. A roster's file may be named, too.",
        )
    roster, mistakes = place.load(chosen)
    if roster is None:
        raise MistakesError(list(mistakes))
    return roster


def compare_releases(place: ArcadePlace, old: Roster, new: Roster) -> list[SetChange]:
    """What becomes of the wanted sets. Raises GribbleError if the two do not share any set."""
    if old.sets.keys().isdisjoint(new.sets):
        raise GribbleError(
            f"the rosters of {old.head.emulator} {old.head.release} and {new.head.emulator} {new.head.release} "
            "do not share any set",
            fix="Name two releases of one emulator.",
        )
    wanted = wanted_sets(place.fitted.installed.wanted, old, place.cabinet, (new,), place.discs.digests)
    if place.fitted.installed.wanted == ("all",):
        wanted += [name for name in wanted_sets(("all",), new, place.cabinet) if name not in old.sets]
    return compare_rosters(old, new, wanted, place.cabinet, place.discs)


# What goes on a card


class CardFit(Struct, frozen=True, kw_only=True):
    """What was chosen for a card; `reasons` say of sets that were never in the choice why, `estimated` how many
    archives are counted by the sizes of their contents, which is more than they will take; `smallest` is the wish that
    takes least, with its bytes.
    """

    selection: Selection
    titles: dict[str, str]
    reasons: dict[str, str]
    budget: int
    cluster: int
    estimated: int
    smallest: tuple[str, int] | None = None


def wishes_of(place: ArcadePlace, entries: Iterable[str] = ()) -> dict[str, float]:
    """The sets that the entries of a list name, without any the wanted sets of an emulator, each with its worth. Raises
    GribbleError where none is wanted."""
    roster = place.rig.arcade[place.fitted.emulator].roster
    if wishes := read_wishes(entries, roster.sets if roster else None):
        return wishes
    if not (wanted := wanted_now(place)):
        raise GribbleError(
            f"no set of {place.fitted.emulator} on {place.rig.name} is wanted",
            fix="--wanted FILE names some, one on each line; gribble check shows which you have.",
        )
    return {name: place.fitted.installed.weights.get(name, 1.0) for name in wanted}


def fit_card(
    place: ArcadePlace, wishes: Mapping[str, float], budget: int, cluster: int | None, seconds: float
) -> CardFit:
    """The best selection of the wishes (names with their worth) for a budget, with whole clusters, all in bytes.

    Without a `cluster` that of the rig's volume is taken.
    """
    cluster = cluster or cluster_of(place.rig.volume.kind, Path(place.rig.root))
    roster = roster_of(place)
    sizer, known = _Sizer(place, roster, cluster), sorted(roster.sets)
    found: list[Wish] = []
    reasons: dict[str, str] = {}
    for name, weight in wishes.items():
        if name not in roster.sets:
            near = suggest(name, known) if len(reasons) < SUGGESTED else ""
            reasons[name] = f"no set of release {roster.head.release}{near}"
            continue
        family = sizer.settled(family_of(roster, name))
        if family.one.plays is Plays.NO:
            reasons[name] = f"release {roster.head.release} does not play it"
            continue
        if lacking := sizer.lacking(family):
            reasons[name] = f"cannot be completed: {', '.join(lacking[:3])}{', …' if len(lacking) > 3 else ''} missing"
            continue
        found.append(Wish(set=name, needs=sizer.things(family), weight=weight))
    selection = fit_sets(found, sizer.sizes, budget, seconds)
    return CardFit(
        selection=structs.replace(selection, left_out=(*selection.left_out, *reasons)),
        titles={name: roster.sets[name].title for name in wishes if name in roster.sets},
        reasons=reasons,
        budget=budget,
        cluster=cluster,
        estimated=sizer.estimated,
        smallest=min(((one.set, cost([one], sizer.sizes)) for one in found), key=lambda pair: pair[1], default=None),
    )


class _Sizer:
    """The things that sets need on a card: archives (without a style the files that they lack) and disc images, each
    with its size: never less than what placing writes."""

    def __init__(self, place: ArcadePlace, roster: Roster, cluster: int) -> None:
        self._place = place
        self._cluster = cluster
        self._style = place.fitted.installed.style
        self._homes = Homes(roster)
        self._roster = roster
        self._held: dict[tuple[str, str], Holding | None] = {}
        self.sizes: dict[str, int] = {}
        self.estimated = 0

    def settled(self, family: Family) -> Family:
        """A family with the variant of its BIOS set that is brought."""
        return settle_variant(family, self._has, self._place.cabinet.variants).family

    def lacking(self, family: Family) -> list[str]:
        """The files without which a set would not run, and that nobody has here."""
        lacks = lacking(family, self._has, lambda disc: self._place.discs.image(disc) is not None)
        return [lack.words for lack in lacks]

    def things(self, family: Family) -> tuple[str, ...]:
        """What a set needs on the card, with what it shares with others."""
        things = self._files(family) if self._style is None else self._archives(family)
        for disc in family.one.discs:
            if image := self._place.discs.image(disc):
                things.append(f"disc {disc.sha1}")
                self.sizes[things[-1]] = self._whole_clusters(image.size)
        if self._style is Style.MERGED and self._place.fitted.installed.stubs and family.parents:
            things.append(f"stub {family.one.set}")
            self.sizes[things[-1]] = self._whole_clusters(END_BYTES)
        return tuple(things)

    def _archives(self, family: Family) -> list[str]:
        """In a style: the archive of each set at which a file is at home, whole with what else is held of it."""
        chunks: dict[str, list[tuple[str, SetFile]]] = {}
        for part in parts_of(family):
            if self._has(part.owner, part.file):
                full = self._style is Style.FULL
                owner, file = (part.owner, part.file) if full else self._homes.owner(part.owner, part.file)
                chunks.setdefault(family.one.set if full else owner, []).append((owner, file))
        things = []
        for archive, files in chunks.items():
            if self._style is not Style.FULL:
                files = [(archive, one) for one in self._roster.sets[archive].files if self._mine(archive, one)]
            things.append(f"archive {archive}")
            if things[-1] not in self.sizes:
                kept = self._place.cabinet.kept(archive)
                self.sizes[things[-1]] = self._folder_bytes(files) if kept else self._archive_bytes(files)
        return things

    def _folder_bytes(self, files: list[tuple[str, SetFile]]) -> int:
        """The size of a set that is kept in a folder of its own."""
        holdings = (self._find(owner, file) for owner, file in files)
        return sum(self._whole_clusters(one.size) for one in holdings if one)

    def _files(self, family: Family) -> list[str]:
        """Without a style: the archives that are there, and each file that is brought into one, or into a new one."""
        there = [one for name in family.path if (one := self._place.cabinet.of(name))]
        things = []
        contents: dict[str, int] = {}
        for lies in (lies for one in there for lies in one.members):
            contents[lies.path] = contents.get(lies.path, 0) + member_bytes(lies.size, lies.name)
        for path, unpacked in contents.items():
            things.append(f"lying {path}")
            lying = _size_of(self._place.rig.root, path)
            self.sizes[things[-1]] = self._whole_clusters(unpacked + END_BYTES if lying is None else lying)
        for lack in lacking(family, lambda _, file: any(one.find(file) is not None for one in there)):
            file = next(one for one in lack.files if self._has(lack.owner, one))
            owner, entry = self._homes.owner(lack.owner, file)
            things += [f"archive {owner}", f"file {owner}/{entry.name}"]
            holding = self._find(lack.owner, file)
            size = holding.size if holding else 0
            kept = self._place.cabinet.kept(owner)
            self.sizes[things[-2]] = self._cluster + END_BYTES  # what a last cluster may leave empty
            self.sizes[things[-1]] = self._whole_clusters(size) if kept else member_bytes(size, entry.name)
            self.estimated += 1
        return list(dict.fromkeys(things))

    def _has(self, owner: str, file: SetFile) -> bool:
        return self._find(owner, file) is not None

    def _mine(self, archive: str, file: SetFile) -> bool:
        """Whether a file is at home in its own set's archive, and held."""
        return self._homes.owner(archive, file)[0] == archive and self._has(archive, file)

    def _find(self, owner: str, file: SetFile) -> Holding | None:
        key = (owner, file.name)
        if key not in self._held:
            container = self._place.cabinet.of(owner)
            self._held[key] = (container.find(file) if container else None) or self._place.cabinet.held(file)
        return self._held[key]

    def _archive_bytes(self, files: list[tuple[str, SetFile]]) -> int:
        """The size of an archive of these files: that of a zip which is there with all of them, if it is smaller."""
        pairs = [(one, f"{owner}/{file.name}") for owner, file in files if (one := self._find(owner, file))]
        contents = END_BYTES + sum(member_bytes(one.size, name) for one, name in pairs)
        archives = {(one.root, one.path) for one, _ in pairs if one.member is not None}
        if len(archives) == 1 and all(one.member is not None for one, _ in pairs) and pairs[0][0].path.endswith(".zip"):
            root, path = archives.pop()
            lying = _size_of(root, path)
            names = sum(2 * len(name.encode()) for _, name in pairs)
            if lying is not None and lying + names <= contents:
                return self._whole_clusters(lying + names)
        self.estimated += 1
        return self._whole_clusters(contents)

    def _whole_clusters(self, size: int) -> int:
        return whole_clusters(size, self._cluster)


END_BYTES = 98
"""What a zip takes beside its members: the end of its directory, with its Zip64 forms."""


def member_bytes(size: int, name: str) -> int:
    """The most that a member of a zip takes, in bytes: two headers, two names, and a content that cannot be packed, for
    which deflate notes 5 bytes in each 16 KB (RFC 1951)."""
    return size + 5 * (size // 16_000 + 1) + 30 + 46 + 40 + 2 * len(name.encode("utf-8", "surrogateescape"))


def _size_of(root: str, path: str) -> int | None:
    """The size of a file in bytes; None if it cannot be asked, as on another machine."""
    try:
        return Path(root, path).stat().st_size
    except OSError:
        return None
