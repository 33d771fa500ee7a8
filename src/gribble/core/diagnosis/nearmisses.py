"""Looking for near misses among what is held: only where a name or a size makes one likely."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Sequence
from functools import cached_property
from typing import NamedTuple

from msgspec import structs

from gribble.core.diagnosis.diagnose import Diagnosis, Known, Specimen, no_dump, prefix_of, sought
from gribble.core.diagnosis.likely import Likely, Wanted, stem_of
from gribble.core.files.archives.opening import HEAD_BYTES, archive_kind
from gribble.core.files.hashing import digest_blocks
from gribble.core.records.facts import BadArchive, Fact, PlainText
from gribble.core.records.holding import FileKey, Holding, Holdings, key_of, nearness
from gribble.core.records.recipes import Damage, Mending
from gribble.core.records.sheet import Accept, Need
from gribble.core.survey.attempts import Attempts

MOST_SPECIMENS = 4096
"""Of how many files it is remembered what can be made of them."""
Read = Callable[[Holding], bytes | None]
"""Gives a holding's whole content, or None if it cannot be read or is beyond the limit."""


class _Wished:
    """Needs that near misses are looked for, by what makes a file a likely one."""

    def __init__(self, wishes: Sequence[Wanted] = ()) -> None:
        self.wishes = wishes
        self.sought = sought(accept for wanted in wishes for accept in wanted.accepts)

    @cached_property
    def by_stem(self) -> dict[str, list[int]]:
        """The numbers of the wishes by the names that their files may have, up to the first dot."""
        found: dict[str, list[int]] = {}
        for number, wanted in enumerate(self.wishes):
            for name in wanted.need.names:
                found.setdefault(stem_of(name), []).append(number)
        return found

    @cached_property
    def by_size(self) -> dict[tuple[int | None, frozenset[int]], list[int]]:
        """The same by the size of a content, and by what falls away in front of it if it is locked."""
        found: dict[tuple[int | None, frozenset[int]], list[int]] = {}
        for number, wanted in enumerate(self.wishes):
            skips = frozenset(rule.skip for rule in wanted.unlock)
            for size in {accept.size for accept in wanted.accepts}:
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


class _Key(NamedTuple):
    """A key that is held, and how many bytes in front of what it opens fall away."""

    skip: int
    data: bytes
    holding: Holding


class Searcher:
    """Looks among holdings for near misses of needs."""

    def __init__(
        self,
        holdings: Iterable[Holdings],
        known: Callable[[Holding], bool],
        read: Read,
        attempts: Attempts | None = None,
    ) -> None:
        """`known` tells whether a holding is a known content already, and so a near miss of nothing. What came of
        earlier `attempts` is not made again."""
        self._likely = Likely(holdings, known)
        self._read = read
        self._attempts = attempts or Attempts()
        self._wished = _Wished()
        self._specimens: dict[FileKey, Specimen] = {}

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
            known = Known(holding.size, holding.digests.crc32, self._attempts.mark(holding))
            self._specimens[key] = Specimen(
                lambda: self._read(holding), self._wished.sought, known=known, attempts=self._attempts
            )
        return self._specimens[key]

    def search(self, wishes: Sequence[Wanted]) -> NearMisses:
        """The near misses of some needs."""
        found = NearMisses()
        self._look_for(wishes)
        self._likely.expect(wishes)
        for wanted in wishes:
            for holding in wanted.suspects:
                self._tell_no_dump(holding, found)
                self._tell_missized(holding, wanted.accepts, found)
            for holding in self._likely.namesakes(wanted) if wanted.by_name else ():
                self._tell_no_dump(holding, found)
            if not wanted.accepts:
                continue
            keys = self._keys(wanted)
            for holding in self._likely.candidates(wanted):
                if mend := self._examine(holding, wanted, keys):
                    found.add(wanted, mend)
        return found

    def examine(
        self, holding: Holding, wishes: Sequence[Wanted], *, thorough: bool = False
    ) -> tuple[Wanted, Mending] | None:
        """The first need that one holding is a near miss of, among those that its name or size makes likely.

        `thorough` tries every need.
        """
        wished = self._look_for(wishes)
        likely = set(wished.by_stem.get(stem_of(holding.member or holding.path), ()))
        for right, skips in wished.by_size:
            if self._likely.fits(holding, right, skips):
                likely.update(wished.by_size[right, skips])
        for number in range(len(wishes)) if thorough else sorted(likely):
            wanted = wishes[number]
            if wanted.accepts and (mend := self._examine(holding, wanted, self._keys(wanted))):
                return wanted, mend
        return None

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

    def _keys(self, wanted: Wanted) -> list[_Key]:
        """The keys held for a need's unlock rules."""
        keys: list[_Key] = []
        for rule in wanted.unlock:
            key_need = wanted.key_needs.get(rule.key_need)
            for accept in key_need.accept if key_need and rule.need == wanted.need.id else ():
                copy = self._likely.copy(accept, wanted.rig)
                if copy and (data := self._read(copy)):
                    keys.append(_Key(rule.skip, data, copy))
        return keys

    def _examine(self, holding: Holding, wanted: Wanted, keys: Sequence[_Key]) -> Mending | None:
        """What happened to a file if it is a near miss of a need."""
        if not holding.size:
            return None
        others = list(self._likely.halves(holding, wanted.accepts))
        specimen, *halves = map(self._specimen, (holding, *others))
        try:
            found = specimen.diagnose(
                sorted(wanted.accepts, key=lambda accept: accept.size is None),
                halves=halves,
                keys=tuple((key.skip, key.data) for key in keys),
            )
            if found is None:
                return self._opened_beside(holding, wanted) or self._cut(holding, wanted)
        finally:
            for each in (specimen, *halves):
                each.let_go()
        if found.partner is None:
            return _mend(holding, found, None)
        locked = found.recipe.damage is Damage.LOCKED
        return _mend(holding, found, keys[found.partner].holding if locked else others[found.partner])

    def _opened_beside(self, holding: Holding, wanted: Wanted) -> Mending | None:
        """A locked file that a small one beside it opens; that this is the key is proven by what it opens."""
        for skip, one in self._likely.keys_beside(holding, wanted):
            key = self._read(one)
            for accept in wanted.accepts if key else ():
                fits = accept.size in (None, holding.size - skip)
                if key and fits and (found := self._specimen(holding).unlocked(accept, ((skip, key),))):
                    return _mend(holding, found, one)
        return None

    def _cut(self, holding: Holding, wanted: Wanted) -> Mending | None:
        """A file cut short, where a right copy is held to prove it."""
        for accept in wanted.accepts:
            copy = self._likely.copy(accept, wanted.rig)
            if copy is None or holding.size >= copy.size:
                continue
            data, content = self._specimen(holding).content(), self._read(copy)
            whole = structs.replace(accept, size=len(content)) if content else accept
            if content is not None and (found := prefix_of(data, [content], whole)):
                return _mend(holding, found, None)
        return None


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


def _mend(holding: Holding, found: Diagnosis, partner: Holding | None) -> Mending:
    return Mending(
        holding=holding,
        accept=found.accept,
        recipe=found.recipe,
        mendable=found.mendable,
        partner=partner,
    )
