"""Inflate by the fast library and by zlib: the same of every sound stream, and an end of every other one."""

from __future__ import annotations

import contextlib
import itertools
import sys
import zlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.core.files import inflating
from gribble.core.files.inflating import INFLATE_ERRORS, crc32, inflated

CONTENTS = st.one_of(
    st.binary(max_size=3000),
    st.builds(lambda piece, times: piece * times, st.binary(min_size=1, max_size=40), st.integers(1, 400)),
)


def deflated(content: bytes, level: int) -> bytes:
    packer = zlib.compressobj(level, wbits=-zlib.MAX_WBITS)
    return packer.compress(content) + packer.flush()


def cut(data: bytes, size: int) -> list[bytes]:
    return [data[at : at + size] for at in range(0, len(data), size)]


@given(CONTENTS, st.integers(0, 9), st.integers(1, 500), st.integers(1, 5000), st.binary(max_size=20))
def test_a_sound_stream_is_inflated_however_it_is_cut(
    content: bytes, level: int, size: int, most: int, behind: bytes
) -> None:
    blocks = list(inflated(cut(deflated(content, level) + behind, size), most))
    assert b"".join(blocks) == content, "what lies behind the stream is none of it"
    assert all(0 < len(block) <= most for block in blocks[:-1])
    assert crc32(content) == zlib.crc32(content)


@given(CONTENTS, st.integers(0, 9), st.integers(1, 500), st.integers(0, 40_000), st.booleans())
def test_a_damaged_stream_ends(content: bytes, level: int, size: int, at: int, cut_short: bool) -> None:
    whole = deflated(content, level)
    at %= len(whole)
    damaged = whole[:at] if cut_short else whole[:at] + bytes([whole[at] ^ 0x10]) + whole[at + 1 :]
    with contextlib.suppress(*INFLATE_ERRORS):
        blocks = sum(1 for _ in itertools.islice(inflated(cut(damaged, size), 1000), 100_000))
        assert blocks <= len(damaged) * 1032 // 1000 + len(damaged) // size + 2, "no block is empty, or for ever"


def test_without_the_fast_library_zlib_does_it(monkeypatch: pytest.MonkeyPatch) -> None:
    import importlib

    monkeypatch.setitem(sys.modules, "isal", None)
    try:
        assert importlib.reload(inflating).crc32 is zlib.crc32
        assert b"".join(inflating.inflated([deflated(b"tide" * 99, 6)], 50)) == b"tide" * 99
    finally:
        monkeypatch.undo()
        importlib.reload(inflating)
