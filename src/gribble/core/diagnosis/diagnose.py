"""Diagnosis: from a file's bytes and the contents wanted to what happened, accepted only where a digest proves it.

A recipe counts when what it makes has the size and the strongest digest of a wanted content. Nothing is guessed: a
file that no recipe makes right is a near miss of nothing.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence, Set
from functools import cache, cached_property
from itertools import combinations
from math import comb

from msgspec import Struct, structs

from gribble.core.files.hashing import digest_blocks
from gribble.core.files.inflating import crc32
from gribble.core.records.facts import Disguised, Empty, Fact, OneByte, OtherKind, PlainText, WebPage
from gribble.core.records.recipes import SWAPS, Damage, Recipe, mended
from gribble.core.records.sheet import Accept
from gribble.core.survey.attempts import Attempts

HEADERS = (16, 32, 64, 128, 256, 512, 1024, 2048, 4096, 8192)
"""Lengths of surplus in front that are tried together with surplus at the end, in bytes."""

MAX_SURPLUS = 1 << 16
MOST_WORK = 1 << 29
"""How much is made of one file to find what it could be where no size is known, or where a carriage return went, in
bytes."""
MOST_JOINED = 1 << 25
"""The same of two halves."""
_PRINTABLE = bytes([9, 10, 13, *range(32, 127)])
_MARKUP = re.compile(rb"^\s*(<!doctype html|<html|<head|<\?xml|<body)", re.IGNORECASE)


class Diagnosis(Struct, frozen=True, kw_only=True):
    """What happened to a file: the recipe that makes it right, and the content that then is proven."""

    recipe: Recipe
    accept: Accept
    partner: int | None = None

    @property
    def mendable(self) -> bool:
        """Whether the right content can be made from what is held."""
        return self.recipe.damage is not Damage.CUT


Sought = Mapping[int | None, Mapping[str, Set[str]]]
"""The digests that are looked for: by the size of the content in bytes (None: unknown), then by algorithm."""


def sought(accepts: Iterable[Accept]) -> Sought:
    """What is looked for where any of some contents will do."""
    found: dict[int | None, dict[str, set[str]]] = {}
    for accept in accepts:
        if mark := _mark(accept):
            found.setdefault(accept.size, {}).setdefault(mark, set()).add(accept.get(mark) or "")
    return found


def _mark(accept: Accept) -> str:
    """The digest by which a content is looked for: its CRC-32 if it is known, which is quick, else the strongest."""
    return "crc32" if accept.crc32 else accept.strongest() or ""


Recipes = Mapping[str, list[Recipe]]
"""Recipes by a digest of what they make; the likeliest comes first."""


class Known(Struct, frozen=True):
    """What is known of a file before it is read: its size in bytes, its CRC-32, and the mark by which `Attempts` know
    it. Each of them may be unknown."""

    size: int | None = None
    crc32: str | None = None
    mark: str = ""


class Specimen:
    """A file that something may have happened to. Each recipe is carried out once, however many contents are looked
    for; of what it makes only the digests that are sought are kept."""

    def __init__(
        self,
        read: Callable[[], bytes | None],
        among: Sought,
        *,
        known: Known | None = None,
        attempts: Attempts | None = None,
    ) -> None:
        """`read` gives the content; None if it cannot be read. What is `diagnose`d must be `among` what is sought.
        What is `known` of the file need not be found out, and what came of earlier `attempts` not be made again."""
        self._read = read
        self._sought = among
        self._known = known or Known()
        self._attempts = attempts or Attempts()
        self._made: dict[int, Recipes] = {}
        self._joined: dict[tuple[Specimen, bool], Recipes] = {}
        self._content: bytes | None = None

    def content(self) -> bytes:
        """The file's content; empty if it cannot be read. It is kept until it is let go."""
        if self._content is None:
            self._content = self._read() or b""
        return self._content

    def let_go(self) -> None:
        """Keep the content no longer."""
        self._content = None

    @cached_property
    def _crc32(self) -> int:
        return int(self._known.crc32, 16) if self._known.crc32 else crc32(self.content())

    @cached_property
    def size(self) -> int:
        """How large it is, in bytes."""
        return len(self.content()) if self._known.size is None else self._known.size

    def diagnose(
        self, wanted: Iterable[Accept], *, halves: Sequence[Specimen] = (), keys: tuple[tuple[int, bytes], ...] = ()
    ) -> Diagnosis | None:
        """What happened to the file, or None. `halves` are files that could be its other half; `keys` are pairs of an
        unlock rule's `skip` and a key file's bytes. `partner` of the answer is the place in `halves` or `keys`."""
        for accept in wanted:
            if not _mark(accept) or not self.size:
                continue
            if accept.size is None:
                found = self._guess(accept, halves, keys)
            else:
                found = self._alone(accept) or self._flip(accept)
                found = found or self._locked(accept, keys) or self._half(accept, halves)
            if found:
                return found
        return None

    def _guess(
        self, accept: Accept, halves: Sequence[Specimen], keys: tuple[tuple[int, bytes], ...]
    ) -> Diagnosis | None:
        """The same where the sheet gives no size: the digest proves what usual damage could have made of it. These are
        headers of usual lengths and surplus up to a power of two, padding, copies, halves, swapped bytes, line ends."""
        for size, made in self._guessed.items():
            if found := self._proven(made, structs.replace(accept, size=size)):
                return found
        return (
            self._half(accept, halves)
            or self.unlocked(accept, keys)
            or self._flip(structs.replace(accept, size=self.size))
        )

    @cached_property
    def _guessed(self) -> Mapping[int, Recipes]:
        """What can be made of the file alone where the sheet gives no size, by size."""

        def recipes() -> Iterator[tuple[int, Recipe]]:
            for size in _guessed_sizes(self.content()):
                some = _recipes(self.content(), size)
                yield from ((size, recipe) for recipe in some if recipe.damage is not Damage.WRAPPED)

        return self._tried("alone", self._sought.get(None, {}), recipes, most=MOST_WORK)

    def _alone(self, accept: Accept) -> Diagnosis | None:
        """What can be made of the file without any other."""
        size = accept.size or 0
        if size not in self._made:
            made = self._tried(
                f"alone {size}",
                self._sought.get(size, {}),
                lambda: ((size, recipe) for recipe in _recipes(self.content(), size)),
            )
            self._made[size] = made.get(size, {})
        return self._proven(self._made[size], accept)

    def _tried(
        self,
        what: str,
        wanted: Mapping[str, Set[str]],
        recipes: Callable[[], Iterable[tuple[int, Recipe]]],
        other: Specimen | None = None,
        *,
        most: int | None = None,
    ) -> Mapping[int, Recipes]:
        """The recipes that make something with a digest that is wanted, by the size of what they make; each is tried
        with that size, and together they make at `most` so many bytes. None is, where what they make is known."""
        marks = tuple(sorted(one._known.mark for one in (self, other) if one))
        if self._attempts.in_vain(marks, what, wanted):
            return {}
        found: dict[int, dict[str, list[Recipe]]] = {}
        if not self.content() or (other and not other.content()):
            return found  # which is nothing to remember
        told: dict[str, set[str]] = {name: set() for name in wanted}
        work = 0
        for size, recipe in recipes():
            work += size
            if most is not None and work > most:
                break
            content = mended(self.content(), recipe, other.content() if other else b"")
            for name, digest in digest_blocks([content], wanted)[1].known().items() if len(content) == size else ():
                told[name].add(digest)
                if digest in wanted[name]:
                    found.setdefault(size, {}).setdefault(digest, []).append(recipe)
        self._attempts.note(marks, what, told)
        return found

    def _proven(
        self, made: Recipes, accept: Accept, other: Specimen | None = None, partner: int | None = None
    ) -> Diagnosis | None:
        """The first of some recipes that makes a content with its strongest digest."""
        for recipe in made.get(accept.get(_mark(accept)) or "", ()):
            if _proves(mended(self.content(), recipe, other.content() if other else b""), accept):
                return Diagnosis(recipe=recipe, accept=accept, partner=partner)
        return None

    def _flip(self, accept: Accept) -> Diagnosis | None:
        """One flipped bit, offered only where a digest beside the CRC-32 proves it."""
        if accept.crc32 is None or accept.strongest() == "crc32" or self.size != accept.size:
            return None
        bit = flipped_bit(self.size, self._crc32, int(accept.crc32, 16))
        if bit is None or len(self.content()) != self.size:  # it has changed since it was surveyed
            return None
        recipe = Recipe(damage=Damage.FLIPPED, start=bit, size=self.size)
        return Diagnosis(recipe=recipe, accept=accept) if _proves(mended(self.content(), recipe), accept) else None

    def _locked(self, accept: Accept, keys: tuple[tuple[int, bytes], ...]) -> Diagnosis | None:
        for place, (skip, key) in enumerate(keys):
            recipe = Recipe(damage=Damage.LOCKED, start=skip, size=accept.size or 0)
            fits = key and self.size - skip == accept.size
            if fits and _proves(mended(self.content(), recipe, key), accept):
                return Diagnosis(recipe=recipe, accept=accept, partner=place)
        return None

    def unlocked(self, accept: Accept, keys: tuple[tuple[int, bytes], ...]) -> Diagnosis | None:
        """Whether a key that is held opens the file to a content, of unknown size too."""
        for skip, _ in keys:
            size = self.size - skip if accept.size is None else accept.size
            if size > 0 and (found := self._locked(structs.replace(accept, size=size), keys)):
                return found
        return None

    def _half(self, accept: Accept, halves: Sequence[Specimen]) -> Diagnosis | None:
        """Another half, before or behind this one, or by turns."""
        for place, other in enumerate(halves):
            size = self.size + other.size
            if other.size and accept.size in (None, size):
                made = self._with(other, guessed=accept.size is None)
                if found := self._proven(made, structs.replace(accept, size=size), other, place):
                    return found
        return None

    def _with(self, other: Specimen, *, guessed: bool) -> Recipes:
        """What can be made of two halves, which each of them needs to work out only once."""
        if (seen := other._joined.get((self, guessed))) is not None:
            return {
                digest: [structs.replace(one, start=1 - one.start) for one in recipes]
                for digest, recipes in seen.items()
            }
        if (other, guessed) not in self._joined:
            size = self.size + other.size
            damages = [Damage.JOINED_HALF, *([Damage.WOVEN_HALF] if self.size == other.size else [])]
            recipes = [(size, Recipe(damage=damage, start=start, size=size)) for damage in damages for start in (0, 1)]
            wanted = self._sought.get(None if guessed else size, {})
            most = MOST_JOINED if guessed else None
            what = "halves, guessed" if guessed else "halves"  # of which a guess may make only some
            made = self._tried(what, wanted, lambda: recipes, other, most=most)
            self._joined[other, guessed] = made.get(size, {})
        return self._joined[other, guessed]


def _guessed_sizes(data: bytes) -> list[int]:
    """The sizes in bytes that a content of unknown size could have, to judge by a file of it."""
    length = len(data)
    sizes = [length, *(length - header for header in HEADERS)]
    power = 1 << max(length - 1, 1).bit_length()
    sizes += [power, power // 2, power // 4]
    sizes += [len(stripped) for fill in (b"\0", b"\xff") for stripped in (data.rstrip(fill), data.lstrip(fill))]
    sizes += [length // times for times in (2, 3, 4) if length % times == 0]
    sizes += [length - data.count(b"\r\n"), length + data.count(b"\n")]
    return [size for size in dict.fromkeys(sizes) if size > 0]


def is_usual(size: int) -> bool:
    """Whether a file of a size could be a dump that usual damage has been done to: a power of two, with or without a
    header."""
    return any((size - more) > 0 and (size - more) & (size - more - 1) == 0 for more in (0, *HEADERS))


def prefix_of(data: bytes, content: Iterable[bytes], accept: Accept) -> Diagnosis | None:
    """The diagnosis of a file cut short, where a held copy of the content begins with all of it."""
    at = 0
    for block in content:
        piece = data[at : at + len(block)]
        if block[: len(piece)] != piece:
            return None
        at += len(piece)
        if at >= len(data):
            break
    if at < len(data) or not data or accept.size is None or len(data) >= accept.size:
        return None
    recipe = Recipe(damage=Damage.CUT, size=accept.size)
    return Diagnosis(recipe=recipe, accept=accept)


_ANSWER = re.compile(
    rb"\s*(?:[45]\d\d[ :-]|(?:file )?not found\b|access denied\b|forbidden\b|\{\s*\"(?:errors?|message|detail)\"\s*:)",
    re.I,
)
_LONGEST_ANSWER = 4096
"""What a server says in place of a file has no more bytes."""
_OTHER_KINDS = {
    "picture": rb"\x89PNG\r\n\x1a\n|GIF8[79]a|\xff\xd8\xff[\xe0\xe1]..(?:JFIF|Exif)\0",
    "document": rb"%PDF-\d\.\d",
    "shortcut": rb"L\0\0\0\x01\x14\x02\0\0\0\0\0\xc0\0\0\0\0\0\0F|\[InternetShortcut\]|\[Desktop Entry\]",
    "pointer": rb"version https://git-lfs\.github\.com/spec/",
    "torrent": rb"d\d+:(?:announce|created by|creation date|comment)",
    "leftover": rb"\0\x05\x16[\0\x07]\0\x02\0\0|\0\0\0\x01Bud1",
}
"""What is no dump by how it begins. Sources: PNG (W3C), GIF89a, JFIF and Exif, ISO 32000, Microsoft's "Shell Link
Binary File Format", freedesktop.org's "Desktop Entry Specification", Git LFS's specification, BEP 3, and RFC 1740
(AppleDouble)."""
_BEGINS = re.compile(b"|".join(b"(?P<%s>%s)" % (kind.encode(), mark) for kind, mark in _OTHER_KINDS.items()), re.DOTALL)


def no_dump(head: bytes, size: int, kind: str = "") -> Fact | None:
    """What a file plainly is, if it is not a dump; `head` is its beginning, `kind` the kind of archive it is."""
    if size == 0:
        return Empty()
    if kind and kind != "part":
        return Disguised(kind)
    if _MARKUP.match(head):
        return WebPage()
    if (begins := _BEGINS.match(head)) and begins.lastgroup:
        return OtherKind(begins.lastgroup)
    if len(head) == size <= _LONGEST_ANSWER and _ANSWER.match(head) and not head.translate(None, _PRINTABLE):
        return OtherKind("answer")
    if len(head) < 16:
        return None
    if head.count(head[0]) == len(head):
        return OneByte(head[0]) if len(head) == size else None
    return None if head.translate(None, _PRINTABLE) else PlainText()


def _proves(content: bytes, accept: Accept) -> bool:
    strongest = accept.strongest() or ""
    if len(content) != accept.size:
        return False
    if strongest != "crc32" and accept.crc32 and f"{crc32(content):08x}" != accept.crc32:
        return False
    return digest_blocks([content], [strongest])[1].get(strongest) == accept.get(strongest)


def _recipes(data: bytes, size: int) -> Iterator[Recipe]:
    """Every recipe that could make a content of a size in bytes from a file alone."""
    length = len(data)
    if length == size:
        yield from _rearranged(data)
    elif length > size:
        yield from _surplus(data, size)
    elif size - length <= max(length, MAX_SURPLUS):
        for fill in (0x00, 0xFF):
            for front in (0, 1):
                yield Recipe(damage=Damage.STRIPPED, start=front, size=size, value=fill)
    if length != size:
        returns = data.count(b"\r\n")
        if returns and length - returns == size:
            yield Recipe(damage=Damage.TEXT_MODE, value=0)
        if length < size:
            yield from _without_returns(data, size - length)


def _without_returns(data: bytes, lost: int) -> Iterator[Recipe]:
    """Ways to put carriage returns back before line feeds: before every one or, where only some had them, before any
    that many of them, as far as that is little work."""
    feeds = [match.start() for match in re.finditer(b"\n", data)] if lost * lost < len(data) else []
    if lost == data.count(b"\n"):
        yield Recipe(damage=Damage.TEXT_MODE, value=1)
    elif 0 < lost < len(feeds) and comb(len(feeds), lost) * len(data) <= MOST_WORK:
        for places in combinations(feeds, lost):
            yield Recipe(damage=Damage.TEXT_MODE, value=2, at=places)


def _rearranged(data: bytes) -> Iterator[Recipe]:
    length = len(data)
    for way in SWAPS:
        if length % (4 if way == 8 else way) == 0:
            yield Recipe(damage=Damage.SWAPPED, value=way)
    if length % 2 == 0:
        yield Recipe(damage=Damage.HALVES)
        for start in (0, 1):
            yield Recipe(damage=Damage.WOVEN, start=start)
            yield Recipe(damage=Damage.UNWOVEN, start=start)


def _surplus(data: bytes, size: int) -> Iterator[Recipe]:
    length = len(data)
    surplus = length - size
    if length % size == 0 and all(data[at : at + size] == data[:size] for at in range(size, length, size)):
        yield Recipe(damage=Damage.REPEATED, size=size)
        return
    if surplus > max(MAX_SURPLUS, 15 * size):
        return
    for start, rest in ((0, data[size:]), (surplus, data[:surplus])):
        if rest[:1] in (b"\0", b"\xff") and rest.count(rest[0]) == surplus:
            yield Recipe(damage=Damage.PADDED, start=start, size=size, value=rest[0])
        else:
            yield Recipe(damage=Damage.HEADER if start else Damage.TRAILER, start=start, size=size)
    for header in HEADERS:
        if header < surplus:
            yield Recipe(damage=Damage.WRAPPED, start=header, size=size)


_POLYNOMIAL = 0xEDB88320  # bit 31 is the coefficient of 1, bit 0 that of x^31, as CRC-32 is usually computed
_ONE = 0x80000000
_X = 0x40000000
_ORDER = 2**32 - 1
_STRIDES = (1 << 15, 1 << 17)
"""So many bits are looked at in one go, in contents of less than LARGE bytes and of more."""
_LARGE = 1 << 20


def flipped_bit(length: int, had: int, wanted: int) -> int | None:
    """The one bit to flip so that a content with CRC-32 `had` gets CRC-32 `wanted`, or None if no single bit does.

    `length` is in bytes. Bits are numbered from the first byte's lowest one: bit n is bit n % 8 of byte n // 8.
    Contents of 512 MiB and more have several such bits; the last one is given.
    """
    # A flipped bit b of the byte that lies j bytes before the end makes a difference of x^(39 - b + 8j).
    stride = _STRIDES[length >= _LARGE]
    powers, (one, two, three, four) = _last_bits(stride)
    value = had ^ wanted
    for start in range(0, 8 * length, stride):
        if (within := powers.get(value)) is not None:
            from_end, bit = divmod(start + within, 8)
            return (length - 1 - from_end) * 8 + 7 - bit if from_end < length else None
        value = one[value & 255] ^ two[value >> 8 & 255] ^ three[value >> 16 & 255] ^ four[value >> 24]
    return None


@cache
def _last_bits(many: int) -> tuple[dict[int, int], _Table]:
    """The differences that the last bits make, numbered from the very last one; and what makes those of as many bits
    before them the same, which is dividing by a power of x."""
    powers: dict[int, int] = {}
    value = _power(_X, 32)
    for number in range(many):
        powers[value] = number
        value = value >> 1 ^ (_POLYNOMIAL if value & 1 else 0)
    back = _power(_X, _ORDER - many)
    return powers, _table(lambda value: _times(value, back))


def _times(a: int, b: int) -> int:
    """The product of two polynomials modulo P."""
    product = 0
    while b:
        if b & _ONE:
            product ^= a
        b = b << 1 & 0xFFFFFFFF
        a = a >> 1 ^ (_POLYNOMIAL if a & 1 else 0)
    return product


def _power(base: int, exponent: int) -> int:
    result = _ONE
    while exponent:
        if exponent & 1:
            result = _times(result, base)
        base = _times(base, base)
        exponent >>= 1
    return result


_Table = tuple[list[int], list[int], list[int], list[int]]


def _table(map_: Callable[[int], int]) -> _Table:
    """A linear map as four tables of its values, one for each byte of the argument."""
    tables: list[list[int]] = []
    for byte in range(4):
        values = [0]
        for bit in range(8):
            image = map_(1 << 8 * byte + bit)
            values += [value ^ image for value in values]
        tables.append(values)
    return tables[0], tables[1], tables[2], tables[3]
