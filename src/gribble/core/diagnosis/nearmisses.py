"""Looking for near misses among what is held: only where a name or a size makes one likely."""

from __future__ import annotations

import hashlib
from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property
from heapq import nsmallest
from itertools import islice

from msgspec import Struct, structs

from gribble.core.base.paths import base, fold, parent
from gribble.core.diagnosis.diagnose import (
    HEADERS,
    Diagnosis,
    Specimen,
    is_usual,
    no_dump,
    prefix_of,
    sought,
)
from gribble.core.files.archives.opening import HEAD_BYTES, archive_kind
from gribble.core.files.hashing import digest_blocks
from gribble.core.records.facts import BadArchive, Fact, PlainText
from gribble.core.records.holding import Archived, FileKey, Holding, Holdings, key_of, nearness
from gribble.core.records.recipes import MOST_BYTES, Mending
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
MOST_SPECIMENS = 4096
"""Of how many files it is remembered what can be made of them."""
MOST_SKIPPED = 16
"""How many bytes in front of a locked dump may fall away where no sheet says how many."""
MOST_GUESSED = 4 << 20
"""The largest file, in bytes, that is tried for contents of unknown size though nothing in its name speaks for it."""

Read = Callable[[Holding], bytes | None]
"""Gives a holding's whole content, or None if it cannot be read or is beyond the limit."""


def key_needs_of(needs: Iterable[Need], unlock: tuple[Unlock, ...]) -> dict[str, Need]:
    """The needs of key files that some rules of unlocking name, by id."""
    named = {rule.key_need for rule in unlock}
    return {need.id: need for need in needs if need.id in named} if named else {}


class Wanted(Struct, frozen=True, kw_only=True):
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


class _Wished:
    """Needs that near misses are looked for, by what makes a file a likely one."""

    def __init__(self, wishes: Sequence[Wanted] = ()) -> None:
        self.wishes = wishes
        self.sought = sought(accept for wanted in wishes for accept in _provable(wanted.need))

    @cached_property
    def by_stem(self) -> dict[str, list[int]]:
        """The numbers of the wishes by the names that their files may have, up to the first dot."""
        found: dict[str, list[int]] = {}
        for number, wanted in enumerate(self.wishes):
            for name in wanted.need.names:
                found.setdefault(_stem(name), []).append(number)
        return found

    @cached_property
    def by_size(self) -> dict[tuple[int | None, frozenset[int]], list[int]]:
        """The same by the size of a content, and by what falls away in front of it if it is locked."""
        found: dict[tuple[int | None, frozenset[int]], list[int]] = {}
        for number, wanted in enumerate(self.wishes):
            skips = frozenset(rule.skip for rule in wanted.unlock)
            for size in {accept.size for accept in _provable(wanted.need)}:
                found.setdefault((size, skips), []).append(number)
        return found


class NearMisses:
    """The near misses found: by need; what suspects plainly are if they are no dumps; of files that only their name
    speaks for the SHA-1, by which several are told apart, or a word of its own for one that could not be read; and
    which suspects are a content by its digest, though a sheet says another size of it."""

    def __init__(self) -> None:
        self._mends: dict[tuple[str, str, str, str], dict[FileKey, Mending]] = {}
        self.no_dumps: dict[FileKey, Fact] = {}
        self.contents: dict[FileKey, str] = {}
        self.missized: dict[FileKey, Accept] = {}

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

    def __init__(self, holdings: Iterable[Holdings], known: Callable[[Holding], bool], read: Read) -> None:
        """`known` tells whether a holding is a known content already, and so a near miss of nothing."""
        self._holdings = tuple(holdings)
        self._known = known
        self._read = read
        self._stock = Stock(self._holdings)
        self._opened = [one for each in self._holdings for one in each.opened if not one.fixed]
        self._archives = [one for each in self._holdings for one in each.archives]
        self._unknown: dict[int, list[Holding]] = {}  # of sizes that were asked for
        self._sizes_of: dict[tuple[int, frozenset[int]], set[int]] = {}
        self._wished = _Wished()
        self._specimens: dict[FileKey, Specimen] = {}
        self._held: dict[tuple[int | None, str | None, str], list[Holding]] = {}
        self._keylike: dict[FileKey, list[Holding]] = {}
        self._others: dict[tuple[FileKey, int], list[Holding]] = {}
        self._likely_by_sizes: dict[tuple[frozenset[int], str, bool], list[Holding]] = {}
        self._expected: frozenset[int] = frozenset()
        self._sized = Column((), lambda one: one.sizes)

    def _look_for(self, wishes: Sequence[Wanted]) -> _Wished:
        """Be ready for these needs; what was found out of files for others is forgotten."""
        if wishes is not self._wished.wishes:
            self._wished = _Wished(wishes)
            self._specimens = {}
        return self._wished

    def _specimen(self, holding: Holding) -> Specimen:
        key = key_of(holding)
        if key not in self._specimens:
            if len(self._specimens) >= MOST_SPECIMENS:
                self._specimens = {}
            self._specimens[key] = Specimen(lambda: self._read(holding), self._wished.sought)
        return self._specimens[key]

    def search(self, wishes: Sequence[Wanted]) -> NearMisses:
        """The near misses of some needs."""
        found = NearMisses()
        self._look_for(wishes)
        self._stock.expect(name for wanted in wishes for name in wanted.need.names)
        unheld = [wanted for wanted in wishes if not wanted.held]
        self._expect(frozenset(size for one in unheld for size in self._sizes_for(one, _provable(one.need))))
        for wanted in wishes:
            accepts = _provable(wanted.need)
            for holding in wanted.suspects:
                self._tell_no_dump(holding, found)
                self._tell_missized(holding, accepts, found)
            for holding in self._stock.namesakes(wanted.need.names, wanted.rig) if wanted.by_name else ():
                self._tell_no_dump(holding, found)
            if not accepts:
                continue
            keys, key_holdings = self._keys(wanted)
            for holding in self._candidates(wanted, accepts):
                mend = self._examine(holding, wanted, accepts, keys, key_holdings)
                if mend:
                    found.add(wanted, mend)
        return found

    def examine(
        self, holding: Holding, wishes: Sequence[Wanted], *, thorough: bool = False
    ) -> tuple[Wanted, Mending] | None:
        """The first need that one holding is a near miss of, among those that its name or size makes likely.

        `thorough` tries every need.
        """
        wished = self._look_for(wishes)
        likely = set(wished.by_stem.get(_stem(holding.member or holding.path), ()))
        for sought_size, numbers in wished.by_size.items():
            if self._likely(holding, *sought_size):
                likely.update(numbers)
        for number in range(len(wishes)) if thorough else sorted(likely):
            wanted = wishes[number]
            accepts = _provable(wanted.need)
            mend = self._examine(holding, wanted, accepts, *self._keys(wanted)) if accepts else None
            if mend:
                return wanted, mend
        return None

    def _likely(self, holding: Holding, right: int | None, skips: frozenset[int]) -> bool:
        """Whether a size is one that some damage makes of the right one."""
        if right is None:
            return _is_guessable(holding)
        sought_size = right, skips
        if sought_size not in self._sizes_of:
            self._sizes_of[sought_size] = set(self._likely_sizes(*sought_size))
        return holding.size in self._sizes_of[sought_size]

    def no_dump(self, holding: Holding) -> Fact | None:
        """What a holding plainly is, if it is not a dump."""
        found = NearMisses()
        self._tell_no_dump(holding, found)
        return found.no_dumps.get(key_of(holding))

    def plainly(self, holding: Holding, head: Read) -> Fact | None:
        """The same as far as its beginning shows it; only what seems to be one byte over and over is read whole."""
        data = head(holding) if holding.size and holding.member is None else None
        if data is None:
            return None if holding.size else no_dump(b"", 0)
        whole = len(data) == holding.size
        if not whole and data.count(data[:1]) == len(data):
            return self.no_dump(holding)
        fact = no_dump(data, holding.size, _disguised(holding, data))
        return fact if whole or not isinstance(fact, PlainText) else None

    def _tell_no_dump(self, holding: Holding, found: NearMisses) -> None:
        data = self._read(holding)
        if data is not None and (
            fact := _cut_zip(holding, data) or no_dump(data, holding.size, _disguised(holding, data))
        ):
            found.no_dumps[key_of(holding)] = fact
        key = key_of(holding)  # what could not be read is like nothing else, as far as anybody knows
        found.contents[key] = str(key) if data is None else hashlib.sha1(data, usedforsecurity=False).hexdigest()

    def _tell_missized(self, holding: Holding, accepts: list[Accept], found: NearMisses) -> None:
        odd = [
            one for one in accepts if one.size not in (None, holding.size) and one.strongest() not in (None, "crc32")
        ]
        data = self._read(holding) if odd else None
        if data is None:
            return
        digests = digest_blocks([data], {name for one in odd for name in one.known()})[1]
        if accept := next((one for one in odd if one.agrees(digests)), None):
            found.missized[key_of(holding)] = accept

    def _keys(self, wanted: Wanted) -> tuple[tuple[tuple[int, bytes], ...], tuple[Holding, ...]]:
        """The keys held for a need's unlock rules."""
        keys: list[tuple[int, bytes]] = []
        holdings: list[Holding] = []
        for rule in wanted.unlock:
            key_need = wanted.key_needs.get(rule.key_need)
            for accept in key_need.accept if key_need and rule.need == wanted.need.id else ():
                for copy in self._copies(accept, wanted.rig):
                    data = self._read(copy)
                    if data:
                        keys.append((rule.skip, data))
                        holdings.append(copy)
        return tuple(keys), tuple(holdings)

    def _copies(self, accept: Accept, rig: str) -> list[Holding]:
        """The nearest right copy, if there is one; looked for once for all files that are examined."""
        place = accept.size, accept.get(accept.strongest() or ""), rig
        if place not in self._held:
            self._held[place] = self._stock.copies(accept, rig)[:1]
        return self._held[place]

    def _opened_beside(self, holding: Holding, wanted: Wanted, accepts: list[Accept]) -> Mending | None:
        """A locked file that a small one beside it opens; that this is the key is proven by what it opens."""
        for skip, one in self._keys_beside(holding, wanted, accepts):
            key = self._read(one)
            for accept in accepts if key else ():
                fits = accept.size in (None, holding.size - skip)
                if key and fits and (found := self._specimen(holding).unlocked(accept, ((skip, key),))):
                    return _mend(holding, found, one)
        return None

    def _keys_beside(self, holding: Holding, wanted: Wanted, accepts: list[Accept]) -> Iterator[tuple[int, Holding]]:
        """The files beside one that could be the key that locks it, whatever they are called, each with the bytes in
        front that fall away: as the sheet says or, where it knows of no lock, what the file has too many."""
        place = key_of(holding)
        if place not in self._keylike:
            container = _container(holding)
            inside = self._by_place.get(container)
            there = inside.members if inside is not None else self._small.get(container, [])
            small = [one for one in there if 1 < one.size <= KEY_BYTES and one.size < holding.size]
            self._keylike[place] = small[:MOST_HALVES] if len(small) <= MOST_BESIDE else []
        if not self._keylike[place]:
            return
        skips = {rule.skip for rule in wanted.unlock if rule.need == wanted.need.id}
        if not skips and _named(holding, wanted.need):
            skips = {holding.size - accept.size for accept in accepts if accept.size is not None}
            if any(accept.size is None for accept in accepts) and holding.size <= MOST_GUESSED:
                skips |= set(range(MOST_SKIPPED + 1))
            skips = {skip for skip in skips if 0 <= skip <= MOST_SKIPPED}
        yield from ((skip, one) for skip in sorted(skips) for one in self._keylike[place])

    @cached_property
    def _small(self) -> dict[str, list[Holding]]:
        """The files that are small enough for a key, by the folder in which they lie."""
        found: dict[str, list[Holding]] = {}
        for holding in self._opened:
            if holding.size <= KEY_BYTES:
                found.setdefault(_container(holding), []).append(holding)
        return found

    def _sizes_for(self, wanted: Wanted, accepts: list[Accept]) -> frozenset[int]:
        """The sizes that damage could make of what is wanted."""
        skips = {rule.skip for rule in wanted.unlock}
        sizes = frozenset(size for one in accepts if one.size for size in self._likely_sizes(one.size, skips))
        return sizes | _GUESSED_SIZES if any(one.size is None for one in accepts) else sizes

    def _candidates(self, wanted: Wanted, accepts: list[Accept]) -> list[Holding]:
        if wanted.held:
            return list(wanted.suspects)
        stems = (holding for name in wanted.need.names for holding in self._stock.stems(base(name)))
        named = {key_of(holding): holding for holding in stems if not self._known(holding)}
        sizes = self._sizes_for(wanted, [accept for accept in accepts if accept.size])
        near = self._likely_ones(sizes, wanted.rig, guessed=any(accept.size is None for accept in accepts))
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

    def _examine(
        self,
        holding: Holding,
        wanted: Wanted,
        accepts: list[Accept],
        keys: tuple[tuple[int, bytes], ...],
        key_holdings: tuple[Holding, ...],
    ) -> Mending | None:
        if not holding.size:
            return None
        others = list(self._halves(holding, accepts))
        specimen, *halves = map(self._specimen, (holding, *others))
        try:
            ordered = sorted(accepts, key=lambda accept: accept.size is None)
            found = specimen.diagnose(ordered, halves=halves, keys=keys)
            if found is None:
                return self._opened_beside(holding, wanted, accepts) or self._cut(holding, wanted, accepts)
        finally:
            for each in (specimen, *halves):
                each.let_go()
        if found.partner is None:
            return _mend(holding, found, None)
        locked = found.recipe.damage == "locked"
        return _mend(holding, found, key_holdings[found.partner] if locked else others[found.partner])

    def _halves(self, holding: Holding, accepts: list[Accept]) -> Iterator[Holding]:
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

    def _cut(self, holding: Holding, wanted: Wanted, accepts: list[Accept]) -> Mending | None:
        """A file cut short, where a right copy is held to prove it."""
        for accept in accepts:
            for copy in self._copies(accept, wanted.rig):
                if holding.size >= copy.size:
                    continue
                data, content = self._specimen(holding).content(), self._read(copy)
                whole = structs.replace(accept, size=len(content)) if content else accept
                if content is not None and (found := prefix_of(data, [content], whole)):
                    return _mend(holding, found, None)
        return None


def _provable(need: Need) -> list[Accept]:
    """The contents of a need that can be recognised in what was made of a file."""
    return [accept for accept in need.accept if accept.strongest() and accept.size != 0]


def _cut_zip(holding: Holding, data: bytes) -> Fact | None:
    """A zip without its end, which is not where it could be: before a comment of at most 64 KiB."""
    named = holding.name.lower().endswith(".zip")
    if not named or not data.startswith(b"PK\x03\x04") or b"PK\x05\x06" in data[-(22 + 0xFFFF) :]:
        return None
    return BadArchive(holding.name, "is a broken zip file: its end is missing (was the download cut short?)")


def _disguised(holding: Holding, data: bytes) -> str:
    """The kind of archive that a file is though its name does not say so; empty for any other."""
    kind = archive_kind(data[:HEAD_BYTES], "") if data else ""
    return "" if holding.name.lower().endswith(f".{kind}") else kind


_GUESSED_SIZES = frozenset(
    size
    for power in range(MOST_GUESSED.bit_length() + 1)
    for more in (0, *HEADERS)
    if (size := (1 << power) + more) <= MOST_GUESSED
)


def _is_guessable(holding: Holding) -> bool:
    return holding.size <= MOST_GUESSED and is_usual(holding.size)


def _mend(holding: Holding, found: Diagnosis, partner: Holding | None) -> Mending:
    return Mending(
        holding=holding,
        accept=found.accept,
        recipe=found.recipe,
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
