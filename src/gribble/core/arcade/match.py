"""Which release's roster do the files that are held fit best, wherever they lie? Pure."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from gribble.core.arcade.wanting import lacking, lacking_discs, lacking_files, settle_variant, variants_of
from gribble.core.base.digests import Digests
from gribble.core.catalogue.families import Family, family_of, owned_files
from gribble.core.records.holding import Holding
from gribble.core.records.roster import ArcadeSet, Plays, Roster, SetFile, SetKind


class ReleaseMatch(Struct, frozen=True, kw_only=True):
    """How well what is held fits one release: of the `sets` that something is held of, `complete` lack nothing.

    `whole` are the names of all sets, wanted or not, that lack nothing.
    """

    emulator: str
    release: str
    complete: int
    sets: int
    whole: frozenset[str] = frozenset()

    @property
    def share(self) -> float:
        """The complete ones among those that something is held of, between 0 and 1."""
        return self.complete / self.sets if self.sets else 0.0


class Held:
    """Everything held, by what rosters know contents by; `discs` are the SHA-1s that disc images give."""

    def __init__(self, holdings: Iterable[Holding], discs: Iterable[str] = ()) -> None:
        self._carried: set[tuple[str, int | None]] = set()
        self._read: dict[tuple[str, int | None], list[Digests]] = {}
        self._strong: set[str] = set()
        self._discs = frozenset(discs)
        for holding in holdings:
            mine = holding.digests
            if mine.sha1 is None and mine.md5 is None and mine.sha256 is None:
                if mine.crc32 is not None:
                    self._carried.add((mine.crc32, holding.size))
                continue
            self._strong.update(mine.known().values())
            if mine.crc32 is not None:
                self._read.setdefault((mine.crc32, holding.size), []).append(mine)
        self._crcs = frozenset(crc32 for crc32, _ in (*self._carried, *self._read))

    def has(self, file: SetFile) -> bool:
        """Whether a file of a set is held, by CRC-32 and size unless a stronger digest disproves it."""
        if file.crc32 is None:
            strongest = file.strongest()
            return strongest is not None and file.get(strongest) in self._strong
        if file.size is None:
            return file.crc32 in self._crcs
        key = (file.crc32, file.size)
        return key in self._carried or any(file.agrees(digests) for digests in self._read.get(key, ()))

    def has_disc(self, sha1: str | None) -> bool:
        """Whether an image with this SHA-1 in its header is held."""
        return sha1 in self._discs


def match_release(roster: Roster, held: Held) -> ReleaseMatch:
    """How well what is held fits a roster."""
    own: dict[str, bool] = {}
    touched = 0
    for one in roster.sets.values():
        whole, mine = _own(one, held)
        own[one.set] = whole
        touched += mine and one.kind is SetKind.GAME
    around: dict[str, tuple[str, ...]] = {}
    several = {one.set for one in roster.sets.values() if one.kind is SetKind.BIOS and variants_of(Family(one=one))}
    whole_sets = frozenset(name for name in roster.sets if _is_whole(roster, name, held, own, several, around))
    complete = sum(1 for name in whole_sets if roster.sets[name].kind is SetKind.GAME)
    return ReleaseMatch(
        emulator=roster.head.emulator,
        release=roster.head.release,
        complete=complete,
        sets=max(touched, complete),
        whole=whole_sets,
    )


def whole_games(roster: Roster, holdings: Iterable[Holding], discs: Iterable[str]) -> list[str]:
    """The games that lack nothing, wherever it lies, and that the release plays."""
    whole = match_release(roster, Held(holdings, discs)).whole
    games = (one for one in roster.sets.values() if one.kind is SetKind.GAME and one.plays is not Plays.NO)
    return [one.set for one in games if one.set in whole]


def _is_whole(
    roster: Roster,
    name: str,
    held: Held,
    own: dict[str, bool],
    several: set[str],
    around: dict[str, tuple[str, ...]],
) -> bool:
    """Whether a set lacks nothing; one whose BIOS set has `several` variants is asked with each."""
    relatives = _around(roster, name, around)
    if several.isdisjoint((name, *relatives)):
        return own[name] and all(own.get(other, False) for other in relatives)
    family = settle_variant(family_of(roster, name), lambda _, file: held.has(file), {}).family
    return not lacking(family, lambda _, file: held.has(file), lambda disc: held.has_disc(disc.sha1))


def _own(one: ArcadeSet, held: Held) -> tuple[bool, bool]:
    """Whether all that a set itself lists is held, and whether anything is that is its own."""
    mine = False

    def has(_owner: str, file: SetFile) -> bool:
        nonlocal mine
        there = held.has(file)
        mine = mine or (there and file.parent_name is None and file.bios_name is None)
        return there

    lacks = lacking_files(one.set, one.files, has)
    if not one.discs:
        return not lacks, mine
    lacks += lacking_discs(one, lambda disc: held.has_disc(disc.sha1))
    return not lacks, mine or any(held.has_disc(disc.sha1) for disc in one.discs)


def _around(roster: Roster, name: str, known: dict[str, tuple[str, ...]]) -> tuple[str, ...]:
    """The BIOS set and the devices that a set needs; most have none, or those of their parent."""
    if name not in known:
        one = roster.sets[name]
        if one.bios is None and not one.devices and one.parent is None:
            known[name] = ()
        elif one.bios is None and not one.devices and one.parent in roster.sets and one.parent in known:
            known[name] = known[one.parent]
        else:
            family = family_of(roster, name)
            known[name] = tuple(owner for owner, _ in owned_files(family))[1:]
    return known[name]


def ranked(matches: Iterable[ReleaseMatch], installed: str | None = None) -> list[ReleaseMatch]:
    """Best first: the most complete sets, then the greatest share of them; among equals the installed one."""
    return sorted(matches, key=lambda one: (-one.complete, -one.share, one.release != installed))
