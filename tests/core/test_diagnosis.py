"""Near misses: damage anything, diagnose it, mend it, and get it back; random data is a near miss of nothing."""

from __future__ import annotations

import hashlib
import os
import random
import zlib
from collections.abc import Callable
from functools import partial

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gribble.core.diagnosis.diagnose import Diagnosis, Known, Specimen, flipped_bit, no_dump, prefix_of, sought
from gribble.core.records.recipes import Damage, mended
from gribble.core.records.sheet import Accept
from gribble.core.sayings.facts import damage_words, say

EXAMPLES = 6_000 if os.environ.get("GRIBBLE_SOAK") else 25
contents = st.integers(1, 1 << 30).flatmap(
    lambda seed: st.integers(16, 600).map(lambda words: random.Random(seed).randbytes(words * 4))
)


def accept(data: bytes, *, weak: bool = False) -> Accept:
    sha1 = None if weak else hashlib.sha1(data, usedforsecurity=False).hexdigest()
    return Accept(size=len(data), crc32=f"{zlib.crc32(data):08x}", sha1=sha1, label="right")


def diagnose(
    data: bytes, wanted: list[Accept], *, halves: tuple[bytes, ...] = (), keys: tuple[tuple[int, bytes], ...] = ()
) -> Diagnosis | None:
    one, *others = (Specimen(partial(bytes, each), sought(wanted)) for each in (data, *halves))
    return one.diagnose(wanted, halves=others, keys=keys)


def test_a_file_that_was_cut_since_it_was_surveyed_is_like_nothing() -> None:
    right = random.Random(8).randbytes(600)
    had, wanted = flip(right, -1), accept(right)
    known = Known(len(had), f"{zlib.crc32(had):08x}")
    for left, found in ((600, True), (599, False), (0, False)):
        assert bool(Specimen(lambda: had[:left], sought([wanted]), known=known).diagnose([wanted])) is found  # noqa: B023


def swap(data: bytes, width: int) -> bytes:
    return b"".join(data[at : at + width][::-1] for at in range(0, len(data), width))


def words_swapped(data: bytes) -> bytes:
    return b"".join(data[at + 2 : at + 4] + data[at : at + 2] for at in range(0, len(data), 4))


def flip(data: bytes, bit: int) -> bytes:
    bit %= len(data) * 8
    return data[: bit // 8] + bytes([data[bit // 8] ^ 1 << bit % 8]) + data[bit // 8 + 1 :]


Break = Callable[[bytes, int], tuple[bytes, bytes]]
"""From the right content and a number to the original and the broken file."""

BREAKS: dict[str, tuple[Damage, Break]] = {
    "header": (Damage.HEADER, lambda d, n: (d, random.Random(f"more {n}").randbytes(n % 600 + 1) + d)),
    "trailer": (Damage.TRAILER, lambda d, n: (d, d + b"\1" + random.Random(f"more {n}").randbytes(n % 600))),
    "both": (Damage.WRAPPED, lambda d, n: (d, b"\1" * (16 << n % 8) + d + b"\2" * (n % 90 + 1))),
    "padding behind": (Damage.PADDED, lambda d, n: (d, d + bytes([n % 2 * 255]) * (n % 900 + 1))),
    "padding in front": (Damage.PADDED, lambda d, n: (d, bytes([n % 2 * 255]) * (n % 900 + 1) + d)),
    "padding lost": (Damage.STRIPPED, lambda d, n: (d + b"\xff" * (n % 900 + 1), d)),
    "padding in front lost": (Damage.STRIPPED, lambda d, n: (b"\0" * (n % 900 + 1) + d, d)),
    "repeated": (Damage.REPEATED, lambda d, n: (d, d * (n % 4 + 2))),
    "pairs swapped": (Damage.SWAPPED, lambda d, _: (d, swap(d, 2))),
    "fours swapped": (Damage.SWAPPED, lambda d, _: (d, swap(d, 4))),
    "words swapped": (Damage.SWAPPED, lambda d, _: (d, words_swapped(d))),
    "halves swapped": (Damage.HALVES, lambda d, _: (d, d[len(d) // 2 :] + d[: len(d) // 2])),
    "unwoven": (Damage.WOVEN, lambda d, n: (d, d[n % 2 :: 2] + d[1 - n % 2 :: 2])),
    "carriage returns added": (Damage.TEXT_MODE, lambda d, _: (d + b"\n", (d + b"\n").replace(b"\n", b"\r\n"))),
    "carriage returns lost": (
        Damage.TEXT_MODE,
        lambda d, _: (d.replace(b"\n", b"") + b"\r\n.", d.replace(b"\n", b"") + b"\n."),
    ),
    "one bit": (Damage.FLIPPED, lambda d, n: (d, flip(d, n))),
}


@pytest.mark.parametrize("kind", BREAKS)
@settings(max_examples=EXAMPLES)
@given(data=contents, number=st.integers(0, 1 << 40))
def test_what_was_broken_is_named_and_mended(kind: str, data: bytes, number: int) -> None:
    damage, breaks = BREAKS[kind]
    original, broken = breaks(data, number)
    decoys = [accept(random.Random(f"decoy {turn} {number}").randbytes(len(original))) for turn in range(2)]
    found = diagnose(broken, [*decoys, accept(original)])
    assert found is not None
    assert found.recipe.damage is damage or kind in ("padding behind", "padding in front", "both")
    assert mended(broken, found.recipe) == original
    assert damage_words(found.recipe, len(broken))
    assert found.accept.label == "right"
    assert found.mendable


@settings(max_examples=EXAMPLES)
@given(data=contents, woven=st.booleans(), order=st.booleans())
def test_two_halves_in_two_files_are_brought_together(data: bytes, woven: bool, order: bool) -> None:
    pair = (data[0::2], data[1::2]) if woven else (data[: len(data) // 2], data[len(data) // 2 :])
    one, other = pair if order else pair[::-1]
    found = diagnose(one, [accept(data)], halves=(b"no half", other))
    assert found is not None
    assert found.partner == 1
    assert mended(one, found.recipe, other) == data


@settings(max_examples=EXAMPLES)
@given(data=contents, key=st.binary(min_size=1, max_size=40), skip=st.integers(0, 40))
def test_a_locked_dump_is_unlocked_by_its_key(data: bytes, key: bytes, skip: int) -> None:
    locked = b"L" * skip + bytes(byte ^ key[at % len(key)] for at, byte in enumerate(data))
    found = diagnose(locked, [accept(data)], keys=((skip + 1, key), (skip, key)))
    assert found is not None
    if any(key):
        assert (found.recipe.damage, found.partner) == (Damage.LOCKED, 1)
        assert mended(locked, found.recipe, key) == data


@settings(max_examples=EXAMPLES)
@given(data=contents, cut=st.integers(1, 1 << 20))
def test_a_file_cut_short_is_told_only_by_a_held_copy(data: bytes, cut: int) -> None:
    short = data[: 1 + cut % (len(data) - 1)]
    copy = [data[at : at + 100] for at in range(0, len(data), 100)]
    found = prefix_of(short, copy, accept(data))
    assert found is not None
    assert (found.recipe.damage, found.mendable) == (Damage.CUT, False)
    assert prefix_of(flip(short, cut), copy, accept(data)) is None
    assert prefix_of(data, copy, accept(data)) is None


@settings(max_examples=100_000 if os.environ.get("GRIBBLE_SOAK") else 75)
@given(st.binary(max_size=3000), st.lists(contents, max_size=4))
def test_random_data_is_a_near_miss_of_nothing(data: bytes, wanted: list[bytes]) -> None:
    assert diagnose(data, [accept(other) for other in wanted if other not in data]) is None


@settings(max_examples=EXAMPLES * 3)
@given(st.integers(1, 1 << 28), st.integers(0, 1 << 40))
def test_the_bit_search_finds_any_bit_of_any_length(length: int, number: int) -> None:
    """CRC-32s of long contents are made from their last bytes alone: leading zeros change a difference by nothing."""
    bit = number % (length * 8)
    tail = bytearray(min(length, 4096))
    if length - bit // 8 > len(tail):
        bit = (length - 1) * 8 + bit % 8
    tail[len(tail) - (length - bit // 8)] ^= 1 << bit % 8
    assert flipped_bit(length, zlib.crc32(bytes(len(tail))), zlib.crc32(bytes(tail))) == bit


def test_two_flipped_bits_are_no_near_miss_and_a_crc_alone_proves_no_bit() -> None:
    data = random.Random(3).randbytes(4096)
    assert diagnose(flip(flip(data, 7), 12_345), [accept(data)]) is None
    assert diagnose(flip(data, 7), [accept(data, weak=True)]) is None
    assert isinstance(diagnose(data + b"x", [accept(data, weak=True)]), Diagnosis)


@pytest.mark.parametrize(
    ("head", "size", "kind", "says"),
    [
        (b"", 0, "", "empty"),
        (b"\n<!DOCTYPE html><title>404", 900, "", "web page"),
        (b"\x89PNG\r\n\x1a\n", 900, "", "a picture"),
        (b"\xff\xd8\xff\xe0\0\x10JFIF\0", 900, "", "a picture"),
        (b"\xff\xd8\xff\xe0\0\x10JFI\0\0", 900, "", ""),
        (b"%PDF-1.7\n", 900, "", "a document"),
        (b"L\0\0\0\1\x14\2\0\0\0\0\0\xc0\0\0\0\0\0\0F", 900, "", "a shortcut"),
        (b"L\0\0\0\1\x14\2\0\0\0\0\0\xc0\0\0\0\0\0\0G", 900, "", ""),
        (b"[InternetShortcut]\r\nURL=x", 900, "", "a shortcut"),
        (b"version https://git-lfs.github.com/spec/v1\n", 900, "", "only a pointer"),
        (b"d8:announce9:http://x/", 900, "", "a torrent"),
        (b"\0\5\x16\7\0\2\0\0Mac OS X", 900, "", "a leftover"),
        (b"\xff" * 512, 512, "", "only the byte FF"),
        (b"\xff" * 512, 9000, "", ""),
        (b"Dear reader, this is no ROM.\r\n", 30, "", "plain text"),
        (b"404: Not Found", 14, "", "what a server says"),
        (b"404: Not Found\0", 15, "", ""),
        (b'{"error": "gone"}', 17, "", "what a server says"),
        (b"404: Not Found".ljust(4096), 4096, "", "what a server says"),
        (b"404: Not Found".ljust(4097), 4097, "", "plain text"),
        (b"PK\3\4", 4, "zip", "a zip archive under another name"),
        (random.Random(1).randbytes(512), 512, "", ""),
    ],
)
def test_what_is_plainly_no_dump_is_told(head: bytes, size: int, kind: str, says: str) -> None:
    told = no_dump(head, size, kind)
    assert told is None if not says else told is not None and says in say(told)


@pytest.mark.parametrize("length", [1, 2, 3, 5, 7])
def test_tiny_and_odd_files_do_no_harm(length: int) -> None:
    for size in range(1, 12):
        diagnose(b"\r\n\r\n\r\n\r"[:length], [accept(b"z" * size)], halves=(b"q",), keys=((9, b"k"), (0, b"")))


UNSIZED: dict[str, Callable[[bytes], tuple[bytes, bytes]]] = {
    # from noise of a size that is a power of two: the original, and what became of it
    "nothing": lambda d: (d, d),
    "a header": lambda d: (d, b"H" * 512 + d),
    "a long header": lambda d: (d, b"H" * 300 + d),
    "a trailer": lambda d: (d, d + b"T" * 77),
    "padded to a power of two": lambda d: (d[:-100] + b"\1", d[:-100] + b"\1" + b"\xff" * 99),
    "padded in front": lambda d: (b"\1" + d[100:], b"\0" * 99 + b"\1" + d[100:]),
    "padding lost": lambda d: (d[:-99] + b"\xff" * 99, d[:-99]),
    "padding in front lost": lambda d: (b"\0" * 99 + d[99:], d[99:]),
    "twice over": lambda d: (d, d * 2),
    "three times over": lambda d: (d, d * 3),
    "pairs swapped": lambda d: (d, swap(d, 2)),
    "fours swapped": lambda d: (d, swap(d, 4)),
    "halves swapped": lambda d: (d, d[len(d) // 2 :] + d[: len(d) // 2]),
    "unwoven": lambda d: (d, d[0::2] + d[1::2]),
    "carriage returns added": lambda d: (d + b"\n", (d + b"\n").replace(b"\n", b"\r\n")),
}


@pytest.mark.parametrize("how", UNSIZED)
@settings(max_examples=EXAMPLES, deadline=None)
@given(st.integers(1, 1 << 30), st.sampled_from([512, 2048, 8192]))
def test_where_no_size_is_given_the_digest_proves_all_the_same(how: str, seed: int, size: int) -> None:
    original, broken = UNSIZED[how](random.Random(seed).randbytes(size))
    guess = diagnose(broken, [Accept(md5=hashlib.md5(original, usedforsecurity=False).hexdigest())])
    if how == "nothing":  # it is no near miss of itself
        assert guess is None
        return
    assert guess is not None
    assert (mended(broken, guess.recipe), guess.accept.size) == (original, len(original))


def test_a_half_of_unknown_size_is_joined_to_its_other_half() -> None:
    data = random.Random(9).randbytes(4096)
    for one, other in ((data[:2048], data[2048:]), (data[1::2], data[0::2])):
        guess = diagnose(one, [Accept(sha1=accept(data).sha1)], halves=(b"no half", other))
        assert guess is not None
        assert (guess.partner, mended(one, guess.recipe, other)) == (1, data)


def test_carriage_returns_that_were_lost_are_put_back_where_they_were() -> None:
    for seed in range(40):
        data = random.Random(seed).randbytes(20_000).replace(b"\r\n", b"..")
        original = data[:7_000] + b"\r\n" + data[7_000:15_000] + b"\r\n" * (seed % 2) + data[15_000:]
        stripped = original.replace(b"\r\n", b"\n")
        found = diagnose(stripped, [accept(original)])
        assert found is not None
        assert mended(stripped, found.recipe) == original
        assert found.recipe.damage is Damage.TEXT_MODE
