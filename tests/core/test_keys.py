"""Key files: parsed, judged and merged; a value never survives its line."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.core.audit.judging.keys import MergeError, judge_keys, merge_keys, read_keys
from gribble.core.base.budget import KEYS_BYTES
from gribble.core.records.sheet import Kind, Level, Need
from gribble.core.sayings.facts import keys_words
from tests.needs import key

NEED = Need(
    id="k", kind=Kind.KEYS, level=Level.MUST, folder="f", name="a.keys",
    key=(key("one", "aabb"), key("two", "ccdd"), key("three", "eeff", level=Level.EXTRA)),
)  # fmt: skip
FREE = Need(id="k", kind=Kind.KEYS, level=Level.MUST, folder="f", name="a.keys", key=(key("one"),))

CASES = {
    # name: need, text, verdict of the file, verdicts of the keys that are not sound, words
    "sound": (NEED, b"one=aabb\ntwo = CCDD\nthree=eeff", "sound", {}, "2 of 2 keys proven"),
    "comments, CR LF, byte-order mark": (
        NEED, b"\xef\xbb\xbf# x\r\n; y\r\n\r\none = aabb ; first\r\ntwo = ccdd # second\r\n", "sound",
        {"three": "missing"}, "2 of 2",
    ),
    "the same twice": (NEED, b"one=aabb\ntwo=ccdd\none=AABB", "sound", {"three": "missing"}, ""),
    "no fingerprint": (FREE, b"one=1234", "unproven", {"one": "unproven"}, "no fingerprint"),
    "missing": (NEED, b"one=aabb", "damaged", {"two": "missing", "three": "missing"}, "two is missing"),
    "wrong length": (
        NEED, b"one=aabbcc\ntwo=ccdd", "damaged", {"one": "malformed", "three": "missing"},
        "one is 3 bytes long, not 2 (line 1)",
    ),
    "odd digits": (NEED, b"one=aab\ntwo=ccdd", "damaged", {"one": "malformed", "three": "missing"}, "odd number"),
    "no hex": (NEED, b"one=xyzw\ntwo=ccdd", "damaged", {"one": "malformed", "three": "missing"}, "not hex"),
    "spaces": (NEED, b"one=aa bb\ntwo=ccdd", "damaged", {"one": "malformed", "three": "missing"}, "not hex"),
    "no value": (NEED, b"one=\ntwo=ccdd", "damaged", {"one": "malformed", "three": "missing"}, "has no value"),
    "twice with different values": (
        NEED, b"one=aabb\ntwo=ccdd\none=0000", "damaged", {"one": "conflicting", "three": "missing"}, "(line 1, 3)",
    ),
    "wrong": (NEED, b"one=0000\ntwo=ccdd", "imposter", {"one": "imposter", "three": "missing"}, "one is not the right one"),
    "an extra one wrong": (NEED, b"one=aabb\ntwo=ccdd\nthree=0000", "sound", {"three": "imposter"}, ""),
    "unknown names": (NEED, b"one=aabb\ntwo=ccdd\nx=00\ny=00", "sound", {"three": "missing"}, "2 names that the sheet"),
    "binary": (NEED, b"one=aabb\0", "imposter", {}, "is not a text file"),
    "UTF-16": (NEED, "one=aabb".encode("utf-16"), "imposter", {}, "UTF-16"),
    "plain text": (NEED, b"Dear Ada,\nthe keys are lost.\n", "imposter", {}, "has no line"),
    "too large": (NEED, b"one=aabb\n" * (KEYS_BYTES // 9 + 1), "imposter", {}, "larger than 1 MiB"),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_a_key_file_gets_its_verdict(case: str) -> None:
    need, data, verdict, faulty, words = CASES[case]
    judged = judge_keys(need, read_keys(data))
    assert judged.verdict == verdict
    assert {one.key.name: one.verdict for one in judged.keys if one.verdict != "sound"} == faulty
    assert words in keys_words(judged)


def test_a_merge_takes_every_name_and_settles_by_fingerprint() -> None:
    files = [b"# a\none=0000\nx=12", b"two=ccdd\none=aabb\nbad=zz\n"]
    assert merge_keys(files, NEED.key) == b"one = aabb\nx = 12\ntwo = ccdd\n"
    with pytest.raises(MergeError, match=r"^one$") as told:
        merge_keys(files, ())
    assert "aabb" not in str(told.value)


@given(st.dictionaries(st.from_regex(r"[a-z]{1,4}", fullmatch=True), st.binary(min_size=8, max_size=16), min_size=1))
def test_no_value_survives_reading(keys: dict[str, bytes]) -> None:
    file = read_keys("".join(f"{name} = {value.hex()}\n" for name, value in keys.items()).encode())
    assert {name: entry.bytes for name, entry in file.entries.items()} == {n: len(v) for n, v in keys.items()}
    assert not [value for value in keys.values() if value.hex() in repr(file) or repr(value) in repr(file)]
