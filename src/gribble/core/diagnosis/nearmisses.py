"""Looking for near misses among what is held: only where a name or a size makes one likely."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator

from msgspec import Struct

from gribble.core.base.paths import base, fold, parent
from gribble.core.diagnosis.diagnose import HEADERS, MAX_BYTES, Diagnosis, diagnose, no_dump, prefix_of
from gribble.core.files.archives.opening import HEAD_BYTES, archive_kind
from gribble.core.records.holding import FileKey, Holding, key_of, nearness
from gribble.core.records.recipes import Mending
from gribble.core.records.sheet import Accept, Need, Unlock
from gribble.core.survey.stock import Stock

MOST_CANDIDATES = 40
"""How many files are read for one need, likeliest first."""

MOST_HALVES = 16
"""How many files are tried as the other half of one, the likeliest names first."""
MOST_BESIDE = 64
"""Where more files of one size lie beside each other, they are a collection, and no halves."""

Read = Callable[[Holding], bytes | None]
"""Gives a holding's whole content, or None where it cannot be read or is beyond the limit."""


class Wanted(Struct, frozen=True, kw_only=True):
    """One need to look for near misses of. `suspects` lie at its places; `held` is a right copy, if there is one."""

    emulator: str
    need: Need
    unlock: tuple[Unlock, ...] = ()
    key_needs: dict[str, Need] = {}
    suspects: tuple[Holding, ...] = ()
    held: Holding | None = None
    rig: str = ""


class NearMisses:
    """The near misses found: by need, and what suspects plainly are if they are no dumps."""

    def __init__(self) -> None:
        self._mends: dict[tuple[str, str, str, str], dict[FileKey, Mending]] = {}
        self.no_dumps: dict[FileKey, str] = {}

    def add(self, wanted: Wanted, mend: Mending) -> None:
        """Keep what was found for a need."""
        place = (wanted.rig, wanted.emulator, wanted.need.id, wanted.need.name)
        self._mends.setdefault(place, {})[key_of(mend.holding)] = mend

    def of(self, rig: str, emulator: str, need: Need, holding: Holding) -> Mending | None:
        """What happened to a holding, as far as a need (of a manifest: one file of it) goes."""
        return self._mends.get((rig, emulator, need.id, need.name), {}).get(key_of(holding))

    def best(self, rig: str, emulator: str, need: Need) -> Mending | None:
        """The near miss from which a need is best mended: a whole file before halves, the nearest first."""
        mends = [mend for mend in self._mends.get((rig, emulator, need.id, need.name), {}).values() if mend.mendable]
        return min(mends, key=lambda mend: (mend.partner is not None, nearness(mend.holding, rig)), default=None)


class Searcher:
    """Looks among holdings for near misses of needs."""

    def __init__(self, holdings: Iterable[Holding], known: Callable[[Holding], bool], read: Read) -> None:
        """`known` tells whether a holding is a known content already, and so a near miss of nothing."""
        self._holdings = tuple(holding for holding in holdings if not holding.fixed)
        self._known = known
        self._read = read
        self._stock = Stock(self._holdings)
        self._by_size: dict[int, list[Holding]] = {}
        self._beside: dict[tuple[str, int], list[Holding]] = {}
        for holding in self._holdings:
            self._by_size.setdefault(holding.size, []).append(holding)
            self._beside.setdefault((_container(holding), holding.size), []).append(holding)
        self._sizes = sorted(self._by_size)
        self._sizes_of: dict[tuple[int, frozenset[int]], set[int]] = {}

    def search(self, wishes: Iterable[Wanted]) -> NearMisses:
        """The near misses of some needs."""
        found = NearMisses()
        for wanted in wishes:
            accepts = [accept for accept in wanted.need.accept if accept.size and accept.strongest()]
            for holding in wanted.suspects:
                self._tell_no_dump(holding, found)
            if not accepts:
                continue
            keys, key_holdings = self._keys(wanted)
            for holding in self._candidates(wanted, accepts, {skip for skip, _ in keys}):
                mend = self._examine(holding, wanted, accepts, keys, key_holdings)
                if mend:
                    found.add(wanted, mend)
        return found

    def examine(
        self, holding: Holding, wishes: Iterable[Wanted], *, thorough: bool = False
    ) -> tuple[Wanted, Mending] | None:
        """The first need that one holding is a near miss of, among those that its name or size makes likely.

        `thorough` tries every need.
        """
        for wanted in wishes:
            accepts = [accept for accept in wanted.need.accept if accept.size and accept.strongest()]
            likely = (
                thorough
                or _named(holding, wanted.need)
                or any(
                    self._likely(holding, accept, frozenset(rule.skip for rule in wanted.unlock)) for accept in accepts
                )
            )
            mend = self._examine(holding, wanted, accepts, *self._keys(wanted)) if likely and accepts else None
            if mend:
                return wanted, mend
        return None

    def _likely(self, holding: Holding, accept: Accept, skips: frozenset[int]) -> bool:
        """Whether a size is one that some damage makes of the right one."""
        sought = (accept.size or 0, skips)
        if sought not in self._sizes_of:
            self._sizes_of[sought] = set(self._likely_sizes(*sought))
        return holding.size in self._sizes_of[sought]

    def no_dump(self, holding: Holding) -> str:
        """What a holding plainly is, if it is no dump at all."""
        found = NearMisses()
        self._tell_no_dump(holding, found)
        return found.no_dumps.get(key_of(holding), "")

    def _tell_no_dump(self, holding: Holding, found: NearMisses) -> None:
        data = self._read(holding)
        kind = archive_kind(data[:HEAD_BYTES], "") if data else ""
        if data is not None and (words := no_dump(data, holding.size, kind)):
            found.no_dumps[key_of(holding)] = words

    def _keys(self, wanted: Wanted) -> tuple[tuple[tuple[int, bytes], ...], tuple[Holding, ...]]:
        """The keys held for a need's unlock rules."""
        keys: list[tuple[int, bytes]] = []
        holdings: list[Holding] = []
        for rule in wanted.unlock:
            key_need = wanted.key_needs.get(rule.key_need)
            for accept in key_need.accept if key_need and rule.need == wanted.need.id else ():
                for copy in self._stock.copies(accept, wanted.rig)[:1]:
                    data = self._read(copy)
                    if data:
                        keys.append((rule.skip, data))
                        holdings.append(copy)
        return tuple(keys), tuple(holdings)

    def _candidates(self, wanted: Wanted, accepts: list[Accept], skips: set[int]) -> list[Holding]:
        if wanted.held:
            return list(wanted.suspects)
        sizes = {size for accept in accepts for size in self._likely_sizes(accept.size or 0, skips)}
        pool = {key_of(holding): holding for size in sizes for holding in self._by_size[size]}
        for name in wanted.need.names:
            for holding in self._stock.stems(name):
                pool.setdefault(key_of(holding), holding)
        likely = [holding for holding in pool.values() if not self._known(holding)]
        likely.sort(key=lambda holding: (not _named(holding, wanted.need), nearness(holding, wanted.rig)))
        suspects = {key_of(holding): holding for holding in wanted.suspects}
        rest = [holding for holding in likely[:MOST_CANDIDATES] if key_of(holding) not in suspects]
        return [*suspects.values(), *rest]

    def _likely_sizes(self, right: int, skips: Iterable[int]) -> Iterator[int]:
        """The sizes held that some damage makes of the right one; all in bytes."""
        exact = {right, *(right + more for more in (*HEADERS, *skips)), 2 * right, 3 * right, 4 * right}
        exact.add(1 << (right - 1).bit_length())
        exact |= {right // 2} if right % 2 == 0 else set()
        yield from (size for size in exact if size in self._by_size and size <= MAX_BYTES)
        for low, high in _line_end_ranges(right):
            yield from self._sizes[bisect_left(self._sizes, low) : bisect_left(self._sizes, high)]

    def _examine(
        self,
        holding: Holding,
        wanted: Wanted,
        accepts: list[Accept],
        keys: tuple[tuple[int, bytes], ...],
        key_holdings: tuple[Holding, ...],
    ) -> Mending | None:
        data = self._read(holding)
        if not data:
            return None
        others = list(self._halves(holding, accepts))
        halves = [(other, content) for other in others if (content := self._read(other)) is not None]
        found = diagnose(data, accepts, halves=tuple(content for _, content in halves), keys=keys)
        if found is None:
            return self._cut(holding, data, wanted, accepts)
        partner = None
        if found.partner is not None:
            locked = found.recipe.damage == "locked"
            partner = key_holdings[found.partner] if locked else halves[found.partner][0]
        return _mend(holding, found, partner)

    def _halves(self, holding: Holding, accepts: list[Accept]) -> Iterator[Holding]:
        """Files that could be the other half: beside it, and together of the right size; those of like name first."""
        for accept in accepts:
            rest = (accept.size or 0) - holding.size
            if rest * 3 < holding.size or rest > holding.size * 3:
                continue
            beside = self._beside.get((_container(holding), rest), [])
            if len(beside) <= MOST_BESIDE:
                others = [other for other in beside if other is not holding]
                yield from sorted(others, key=lambda other: not _alike(holding, other))[:MOST_HALVES]

    def _cut(self, holding: Holding, data: bytes, wanted: Wanted, accepts: list[Accept]) -> Mending | None:
        """A file cut short, where a right copy is held to prove it."""
        for accept in accepts:
            for copy in self._stock.copies(accept, wanted.rig)[:1]:
                content = self._read(copy)
                if content is not None and (found := prefix_of(data, [content], accept)):
                    return _mend(holding, found, None)
        return None


def _mend(holding: Holding, found: Diagnosis, partner: Holding | None) -> Mending:
    return Mending(
        holding=holding,
        accept=found.accept,
        recipe=found.recipe,
        words=found.words,
        mendable=found.mendable,
        partner=partner,
    )


def _stem(name: str) -> str:
    return fold(base(name)).partition(".")[0]


def _named(holding: Holding, need: Need) -> bool:
    stem = _stem(holding.member or holding.path)
    return any(_stem(name) == stem for name in need.names)


def _line_end_ranges(right: int) -> tuple[tuple[int, int], tuple[int, int]]:
    """The sizes that noise of a right size takes on in a text-mode transfer, which meets a line feed in about 256 bytes
    to add to, or a carriage return before one in about 65,536 to drop."""
    return (right + right // 400, right + right // 150 + 1), (right - right // 30_000 - 1, right)


def _container(holding: Holding) -> str:
    """The folder or the archive that a holding lies in, whatever folder was surveyed."""
    path = f"{holding.root}/{holding.path}"
    return path if holding.member is not None else parent(path)


def _alike(one: Holding, other: Holding) -> bool:
    """Whether two names, endings aside, have more than half in common from the front and from the back."""
    a, b = (holding.name.rpartition(".")[0] for holding in (one, other))
    shorter = min(len(a), len(b))
    front = next((at for at in range(shorter) if a[at] != b[at]), shorter)
    back = next((at for at in range(shorter - front) if a[-1 - at] != b[-1 - at]), shorter - front)
    return 2 * (front + back) > max(len(a), len(b))
