"""The files that are held, by what makes one of them a likely near miss: its name, its size, or what it lies beside."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator
from functools import cached_property
from heapq import nsmallest
from itertools import islice

from msgspec import Struct

from gribble.core.base.paths import base, fold, parent
from gribble.core.diagnosis.diagnose import HEADERS, is_usual
from gribble.core.records.holding import Archived, FileKey, Holding, Holdings, key_of, nearness
from gribble.core.records.recipes import MOST_BYTES
from gribble.core.records.sheet import Accept, Need, Unlock
from gribble.core.survey.holdings import Column, Stock

MOST_CANDIDATES = 40
"""How many files are read for one need, likeliest first."""
MOST_HALVES = 16
"""How many files are tried as the other half of one, the likeliest names first."""
MOST_BESIDE = 64
"""Where more files of one size are beside each other, they are a collection, and no halves."""
KEY_BYTES = 4096
"""The largest file, in bytes, that is tried as the key of a locked one beside it."""
MOST_SKIPPED = 16
"""How many bytes in front of a locked dump may fall away where no sheet says how many."""
MOST_GUESSED = 4 << 20
"""The largest file, in bytes, that is tried for contents of unknown size though nothing in its name speaks for it."""
_GUESSED_SIZES = frozenset(
    size
    for power in range(MOST_GUESSED.bit_length() + 1)
    for more in (0, *HEADERS)
    if (size := (1 << power) + more) <= MOST_GUESSED
)


def key_needs_of(needs: Iterable[Need], unlock: tuple[Unlock, ...]) -> dict[str, Need]:
    """The needs of key files that some rules of unlocking name, by id."""
    named = {rule.key_need for rule in unlock}
    return {need.id: need for need in needs if need.id in named} if named else {}


class Wanted(Struct, frozen=True, kw_only=True, dict=True):
    """One need to look for near misses of. `suspects` are at its places; `held` is a right copy, if there is one. With
    `by_name` the files that have its name are looked into, too."""

    emulator: str
    need: Need
    unlock: tuple[Unlock, ...] = ()
    key_needs: dict[str, Need] = {}
    suspects: tuple[Holding, ...] = ()
    held: Holding | None = None
    rig: str = ""
    by_name: bool = False

    @cached_property
    def accepts(self) -> list[Accept]:
        """The contents of the need that can be recognised in what was made of a file."""
        return [accept for accept in self.need.accept if accept.strongest() and accept.size != 0]


class Likely:
    """Which of the files that are held are worth a look for a need; each way of asking is worked out once."""

    def __init__(self, holdings: Iterable[Holdings], known: Callable[[Holding], bool]) -> None:
        """`known` tells whether a holding is a known content already, and so a near miss of nothing."""
        holdings = tuple(holdings)
        self._known = known
        self._stock = Stock(holdings)
        self._opened = [one for each in holdings for one in each.opened if not one.fixed]
        self._archives = [one for each in holdings for one in each.archives]
        self._unknown: dict[int, list[Holding]] = {}  # of sizes that were asked for
        self._sizes_of: dict[tuple[int, frozenset[int]], set[int]] = {}
        self._copies: dict[tuple[int | None, str | None, str], Holding | None] = {}
        self._keylike: dict[FileKey, list[Holding]] = {}
        self._others: dict[tuple[FileKey, int], list[Holding]] = {}
        self._likely_by_sizes: dict[tuple[frozenset[int], str, bool], list[Holding]] = {}
        self._expected: frozenset[int] = frozenset()
        self._sized = Column((), lambda one: one.sizes)

    def expect(self, wishes: Iterable[Wanted]) -> None:
        """Be ready for these needs to be asked for: their names and sizes are looked up at once."""
        self._stock.expect(name for wanted in wishes for name in wanted.need.names)
        self._expect(frozenset(size for wanted in wishes if not wanted.held for size in self._sizes_for(wanted)))

    def namesakes(self, wanted: Wanted) -> Iterable[Holding]:
        """The files that have a name of the need's."""
        return self._stock.namesakes(wanted.need.names, wanted.rig)

    def candidates(self, wanted: Wanted) -> list[Holding]:
        """The files that are worth a look for a need: its suspects, those with its name, then those of a likely size,
        the nearest first. Where a right copy is held, only the suspects are."""
        if wanted.held:
            return list(wanted.suspects)
        stems = (holding for name in wanted.need.names for holding in self._stock.stems(base(name)))
        named = {key_of(holding): holding for holding in stems if not self._known(holding)}
        guessed = any(accept.size is None for accept in wanted.accepts)
        near = self._likely_ones(self._exact_sizes_for(wanted), wanted.rig, guessed=guessed)
        likely = sorted(named.values(), key=lambda holding: nearness(holding, wanted.rig))
        others = (holding for holding in near if key_of(holding) not in named)
        likely += islice(others, max(0, MOST_CANDIDATES - len(likely)))
        suspects = {key_of(holding): holding for holding in wanted.suspects}
        rest = [holding for holding in likely[:MOST_CANDIDATES] if key_of(holding) not in suspects]
        return [*suspects.values(), *rest]

    def _likely_ones(self, sizes: frozenset[int], rig: str, *, guessed: bool) -> list[Holding]:
        """The nearest files that have one of some sizes and are no known content."""
        place = sizes, rig, guessed
        if place not in self._likely_by_sizes:
            pool = {key_of(holding): holding for size in sizes for holding in self._unknown_of(size)}
            pool |= {key_of(holding): holding for holding in self._nearest(sizes, rig)}
            if guessed:
                pool |= {key_of(holding): holding for holding in self._guessable}
            most = 2 * MOST_CANDIDATES  # those with the need's name, which come first, may be among them
            near = nsmallest(most, pool.values(), key=lambda holding: nearness(holding, rig))
            self._likely_by_sizes[place] = near
        return self._likely_by_sizes[place]

    @cached_property
    def _guessable(self) -> list[Holding]:
        """The files that are tried for every content of unknown size, whatever they are called."""
        likely = [one for one in self._opened if _is_guessable(one) and not self._known(one)]
        if sum(one.member is None for one in likely) < MOST_CANDIDATES:
            likely += self._nearest(_GUESSED_SIZES, "")
        return sorted(likely, key=lambda holding: nearness(holding, ""))[:MOST_CANDIDATES]

    def _nearest(self, sizes: frozenset[int], rig: str) -> list[Holding]:
        """The members of sketched archives that have one of some sizes and are no known content, of as many of the
        nearest archives as have what is read for one need."""
        self._expect(sizes)
        there = {id(archive): archive for size in sizes for archive in self._sized.of(size)}
        found: list[Holding] = []
        for archive in sorted(there.values(), key=lambda one: nearness(one.holding, rig)):
            if len(found) >= MOST_CANDIDATES:
                break
            found += [one for one in archive.members if one.size in sizes and not self._known(one)]
        return found

    def _expect(self, sizes: frozenset[int]) -> None:
        """Be ready for these sizes to be asked for; others cost a look at every archive's sketch."""
        if not self._expected.issuperset(sizes):
            self._expected |= sizes
            self._sized = Column(self._archives, lambda one: one.sizes, self._expected)

    def _unknown_of(self, size: int) -> list[Holding]:
        """The files of a size that are no known content; looked at once for all who want that size."""
        if size not in self._unknown:
            self._unknown[size] = [one for one in self._by_size.get(size, ()) if not self._known(one)]
        return self._unknown[size]

    @cached_property
    def _by_size(self) -> dict[int, list[Holding]]:
        found: dict[int, list[Holding]] = {}
        for holding in self._opened:
            found.setdefault(holding.size, []).append(holding)
        return found

    @cached_property
    def _sizes(self) -> list[int]:
        """Every size that is held, in order."""
        return sorted(set(self._by_size).union(*(archive.sizes for archive in self._archives)))

    def _likely_sizes(self, right: int, skips: Iterable[int]) -> Iterator[int]:
        """The sizes held that some damage makes of the right one; all in bytes."""
        exact = {right, *(right + more for more in (*HEADERS, *skips)), 2 * right, 3 * right, 4 * right}
        exact.add(1 << (right - 1).bit_length())
        exact |= {right // 2} if right % 2 == 0 else set()
        yield from (size for size in exact if size <= MOST_BYTES)
        for low, high in _line_end_ranges(right):
            yield from self._sizes[bisect_left(self._sizes, low) : bisect_left(self._sizes, high)]

    def _exact_sizes_for(self, wanted: Wanted) -> frozenset[int]:
        """The sizes that damage could make of the contents wanted whose size is known."""
        skips = {rule.skip for rule in wanted.unlock}
        return frozenset(size for one in wanted.accepts if one.size for size in self._likely_sizes(one.size, skips))

    def _sizes_for(self, wanted: Wanted) -> frozenset[int]:
        """The sizes that damage could make of what is wanted."""
        sizes = self._exact_sizes_for(wanted)
        return sizes | _GUESSED_SIZES if any(one.size is None for one in wanted.accepts) else sizes

    def fits(self, holding: Holding, right: int | None, skips: frozenset[int]) -> bool:
        """Whether a file has a size that some damage makes of the right one (None: unknown)."""
        if right is None:
            return _is_guessable(holding)
        if (right, skips) not in self._sizes_of:
            self._sizes_of[right, skips] = set(self._likely_sizes(right, skips))
        return holding.size in self._sizes_of[right, skips]

    def copy(self, accept: Accept, rig: str) -> Holding | None:
        """The nearest right copy, if there is one; looked for once for all files that are examined."""
        place = accept.size, accept.get(accept.strongest() or ""), rig
        if place not in self._copies:
            self._copies[place] = next(iter(self._stock.copies(accept, rig)), None)
        return self._copies[place]

    def keys_beside(self, holding: Holding, wanted: Wanted) -> Iterator[tuple[int, Holding]]:
        """The files beside one that could be the key that locks it, whatever they are called, each with the bytes in
        front that fall away: as the sheet says or, where it knows of no lock, what the file has too many."""
        place = key_of(holding)
        if place not in self._keylike:
            small = [one for one in self._small_beside(holding) if 1 < one.size < holding.size]
            self._keylike[place] = small[:MOST_HALVES] if len(small) <= MOST_BESIDE else []
        if keylike := self._keylike[place]:
            yield from ((skip, one) for skip in sorted(_skips(holding, wanted)) for one in keylike)

    def _small_beside(self, holding: Holding) -> Iterator[Holding]:
        """The files beside one that are small enough for a key."""
        container = _container(holding)
        inside = self._by_place.get(container)
        there = inside.members if inside is not None else self._small.get(container, [])
        return (one for one in there if one.size <= KEY_BYTES)

    @cached_property
    def _small(self) -> dict[str, list[Holding]]:
        """The files that are small enough for a key, by the folder in which they lie."""
        found: dict[str, list[Holding]] = {}
        for holding in self._opened:
            if holding.size <= KEY_BYTES:
                found.setdefault(_container(holding), []).append(holding)
        return found

    def halves(self, holding: Holding, accepts: list[Accept]) -> Iterator[Holding]:
        """Files that could be the other half: beside it, and together of the right size; those of like name first."""
        for accept in accepts:
            rest = holding.size if accept.size is None else accept.size - holding.size
            if rest * 3 < holding.size or rest > holding.size * 3:
                continue
            place = key_of(holding), rest
            if place not in self._others:
                beside = self._beside(_container(holding), rest)
                others = [other for other in beside if other is not holding] if len(beside) <= MOST_BESIDE else []
                self._others[place] = sorted(others, key=lambda other: not _alike(holding, other))[:MOST_HALVES]
            yield from self._others[place]

    def _beside(self, container: str, size: int) -> list[Holding]:
        """The files of a size that are in one folder or archive."""
        inside = self._by_place.get(container)
        if inside is not None:
            return [one for one in inside.members if one.size == size]
        return self._by_container.get((container, size), [])

    @cached_property
    def _by_container(self) -> dict[tuple[str, int], list[Holding]]:
        found: dict[tuple[str, int], list[Holding]] = {}
        for holding in self._opened:
            found.setdefault((_container(holding), holding.size), []).append(holding)
        return found

    @cached_property
    def _by_place(self) -> dict[str, Archived]:
        return {f"{one.holding.root}/{one.holding.path}": one for one in self._archives}


def _is_guessable(holding: Holding) -> bool:
    return holding.size <= MOST_GUESSED and is_usual(holding.size)


def stem_of(name: str) -> str:
    """A file's own name up to the first dot, folded."""
    return fold(base(name)).partition(".")[0]


def _skips(holding: Holding, wanted: Wanted) -> set[int]:
    """How many bytes may fall away in front of a locked file."""
    if told := {rule.skip for rule in wanted.unlock if rule.need == wanted.need.id}:
        return told
    if not _named(holding, wanted.need):
        return set()
    skips = {holding.size - accept.size for accept in wanted.accepts if accept.size is not None}
    if any(accept.size is None for accept in wanted.accepts) and holding.size <= MOST_GUESSED:
        skips |= set(range(MOST_SKIPPED + 1))
    return {skip for skip in skips if 0 <= skip <= MOST_SKIPPED}


def _named(holding: Holding, need: Need) -> bool:
    stem = stem_of(holding.member or holding.path)
    return any(stem_of(name) == stem for name in need.names)


def _line_end_ranges(right: int) -> tuple[tuple[int, int], tuple[int, int]]:
    """The sizes that noise of a right size takes on in a text-mode transfer, which meets a line feed in about 256 bytes
    to add to, or a carriage return before one in about 65,536 to drop."""
    return (right + right // 400, right + right // 150 + 1), (right - right // 30_000 - 1, right)


def _container(holding: Holding) -> str:
    """The folder or the archive that a holding is in, whatever folder was surveyed."""
    path = f"{holding.root}/{holding.path}"
    return path if holding.member is not None else parent(path)


def _alike(one: Holding, other: Holding) -> bool:
    """Whether two names, endings aside, have more than half in common from the front and from the back."""
    a, b = (holding.name.rpartition(".")[0] for holding in (one, other))
    shorter = min(len(a), len(b))
    front = next((at for at in range(shorter) if a[at] != b[at]), shorter)
    back = next((at for at in range(shorter - front) if a[-1 - at] != b[-1 - at]), shorter - front)
    return 2 * (front + back) > max(len(a), len(b))
