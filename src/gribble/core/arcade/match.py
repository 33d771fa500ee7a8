"""Which release's roster do the files that are held fit best, wherever they lie? Pure."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import suppress
from functools import cached_property

from msgspec import Struct

from gribble.core.arcade.wanting import lacking, lacking_discs, lacking_files, settle_variant, variants_of
from gribble.core.base.digests import Digests
from gribble.core.catalogue.families import Family, family_of, owned_files
from gribble.core.records.holding import Holdings
from gribble.core.records.roster import ArcadeSet, Disc, FileState, Outline, Plays, Roster, SetFile, SetKind


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
    """Everything held, by what rosters know contents by; `discs` are the SHA-1s that disc images give.

    `certain` are the contents that nothing disproves, as outlines know them, `doubtful` those with a stronger digest,
    which a roster may contradict.
    """

    def __init__(self, holdings: Iterable[Holdings], discs: Iterable[str] = ()) -> None:
        holdings = tuple(holdings)
        self._read: dict[tuple[str, int], list[Digests]] = {}
        self._strong: set[str] = set()
        self._discs = frozenset(discs)
        carried: set[tuple[str, int]] = set()
        for holding in (one for each in holdings for one in each.opened):
            mine = holding.digests
            if mine.sha1 is None and mine.md5 is None and mine.sha256 is None:
                if mine.crc32 is not None:
                    carried.add((mine.crc32, holding.size))
                continue
            self._strong.update(mine.known().values())
            if mine.crc32 is not None:
                self._read.setdefault((mine.crc32, holding.size), []).append(mine)
        certain = set(_keys(carried))
        for archive in (archive for each in holdings for archive in each.archives):
            certain.update(archive.keys())
        self.certain = frozenset(certain)
        self.doubtful = frozenset(_keys(self._read)) - self.certain

    def has(self, file: SetFile) -> bool:
        """Whether a file of a set is held, by CRC-32 and size unless a stronger digest disproves it."""
        if file.crc32 is None:
            strongest = file.strongest()
            return strongest is not None and file.get(strongest) in self._strong
        try:
            crc32 = int(file.crc32, 16)
        except ValueError:
            return False
        if file.size is None:
            return crc32 in self._checksums
        if f"{crc32:08x}" != file.crc32:
            return False
        read = self._read.get((file.crc32, file.size), ())
        return crc32 << 32 | file.size in self.certain or any(file.agrees(digests) for digests in read)

    @cached_property
    def _checksums(self) -> frozenset[int]:
        return frozenset(key >> 32 for key in (*self.certain, *self.doubtful))

    def has_disc(self, sha1: str | None) -> bool:
        """Whether an image with this SHA-1 in its header is held."""
        return sha1 in self._discs


def _keys(contents: Iterable[tuple[str, int]]) -> Iterator[int]:
    """Contents by CRC-32 and size, as outlines know them."""
    for crc32, size in contents:
        with suppress(ValueError):  # what is remembered of an archive may be anything
            yield int(crc32, 16) << 32 | size


def match_release(roster: Roster, held: Held) -> ReleaseMatch:
    """How well what is held fits a roster. Sets are looked at in outline; file by file only where that does not do."""
    outlines = {one.set: one for one in roster.sets.outlines()}
    own: set[str] = set()
    touched = 0
    for one in outlines.values():
        whole, mine = _seen_of(roster, one, held)
        own.update((one.set,) if whole else ())
        touched += mine and one.kind is SetKind.GAME
    several = {one.set for one in outlines.values() if _has_variants(roster, one)}
    around = _Around(roster, outlines)
    likely = outlines if several else own
    whole_sets = frozenset(name for name in likely if _is_whole(roster, name, held, own, several, around))
    complete = sum(1 for name in whole_sets if outlines[name].kind is SetKind.GAME)
    return ReleaseMatch(
        emulator=roster.head.emulator,
        release=roster.head.release,
        complete=complete,
        sets=max(touched, complete),
        whole=whole_sets,
    )


def _has_variants(roster: Roster, one: Outline) -> bool:
    """Whether a set is a BIOS set of which any variant will do."""
    return one.kind is SetKind.BIOS and one.own is None and bool(variants_of(Family(one=roster.sets[one.set])))


def _seen_of(roster: Roster, one: Outline, held: Held) -> tuple[bool, bool]:
    """Whether all files that a set lists are held, and whether one is that only it has."""
    if one.own is not None and held.certain.issuperset(one.own) and held.certain.issuperset(one.shared or ()):
        return True, bool(one.own)
    return _in_outline(one, held) or _own(roster.sets[one.set], held)


def whole_games(roster: Roster, holdings: Iterable[Holdings], discs: Iterable[str]) -> list[str]:
    """The games that lack nothing, wherever it lies, and that the release plays."""
    whole = match_release(roster, Held(holdings, discs)).whole
    games = (one for one in roster.sets.outlines() if one.kind is SetKind.GAME and one.plays is not Plays.NO)
    return [one.set for one in games if one.set in whole]


def _is_whole(roster: Roster, name: str, held: Held, own: set[str], several: set[str], around: _Around) -> bool:
    """Whether a set lacks nothing; one whose BIOS set has `several` variants is asked with each."""
    relatives = around.of(name)
    if not around.ask_for_something(name):
        return False
    if several.isdisjoint((name, *relatives)):
        return name in own and own.issuperset(relatives)
    family = settle_variant(family_of(roster, name), lambda _, file: held.has(file), {}).family
    return not lacking(family, lambda _, file: held.has(file), lambda disc: held.has_disc(disc.sha1))


def _in_outline(one: Outline, held: Held) -> tuple[bool, bool] | None:
    """Whether all that a set itself lists is held, and whether anything is that is its own, of one that is not certain
    to be; None if its outline does not tell."""
    if one.own is None or one.shared is None or not held.doubtful.isdisjoint((*one.own, *one.shared)):
        return None
    return False, not held.certain.isdisjoint(one.own)


def _own(one: ArcadeSet, held: Held) -> tuple[bool, bool]:
    """The same, told file by file."""
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


class _Around:
    """The BIOS set and the devices that sets need; most have none, or the same as others of their family."""

    def __init__(self, roster: Roster, outlines: dict[str, Outline]) -> None:
        self._roster, self._outlines = roster, outlines
        self._known: dict[tuple[str | None, tuple[str, ...]], tuple[str, ...]] = {(None, ()): ()}

    def of(self, name: str) -> tuple[str, ...]:
        """The relatives of a set that have files which it needs."""
        one = self._outlines[name]
        above = self._outlines.get(one.parent) if one.parent is not None else None
        if above is not None and above.parent is None and one.bios in (None, one.parent, one.set) and not one.devices:
            one = above  # a clone has its parent's
        kin = (one.bios, one.devices)
        if one.parent is not None or name in kin[1] or (found := self._known.get(kin)) is None or name in found:
            found = tuple(owner for owner, _ in owned_files(family_of(self._roster, name)))[1:]
            if one.parent is None and one.kind == SetKind.GAME and one.bios != one.set:
                self._known[kin] = found
        return found

    def ask_for_something(self, name: str) -> bool:
        """Whether a set or a relative needs any file or disc at all: else nothing shows that it is held."""
        return self._asks(name) or any(map(self._asks, self.of(name)))

    def _asks(self, name: str) -> bool:
        one = self._outlines[name]
        if one.own is not None:
            return bool(one.own or one.shared)
        listed = self._roster.sets[name]
        things: list[SetFile | Disc] = [*listed.files, *listed.discs]
        return any(not thing.optional and thing.state is not FileState.UNDUMPED for thing in things)


def ranked(matches: Iterable[ReleaseMatch], installed: str | None = None) -> list[ReleaseMatch]:
    """Best first: the most complete sets, then the greatest share of them; among equals the installed one."""
    return sorted(matches, key=lambda one: (-one.complete, -one.share, one.release != installed))
