"""What has changed since a check that somebody looked at: told by `check` and bare `gribble`, listed by `--since`."""

from __future__ import annotations

import json
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.core.answers.looked import Changed, Since, since_when
from tests.conftest import Gribble
from tests.making import A, B, need, small_world

AT_A_TERMINAL = {"FORCE_COLOR": "1", "NO_COLOR": "", "TERM": "dumb"}


@pytest.fixture
def pair(tmp_path: Path) -> Path:
    """A world of two needs, of which one file is there and one is in the drawer."""
    return small_world(tmp_path / "world", {"rig/boot/one.rom": A, "drawer/two.rom": B}, need("one", A), need("two", B))


def test_a_check_tells_what_changed_since_the_last_one_that_was_looked_at(gribble: Gribble, pair: Path) -> None:
    assert "no earlier check" in gribble("check", "--since", cwd=pair).out
    gribble("check", cwd=pair)  # by a script, which nobody looks at
    assert "no earlier check" in gribble("check", "--since", cwd=pair).out
    assert "Since" not in gribble("check", cwd=pair, **AT_A_TERMINAL).out
    assert "Nothing has changed since" in gribble("check", "--since", cwd=pair).out
    gribble("place", "--yes", cwd=pair, code=0)
    for words in ((), ("check",)):
        told = gribble(*words, cwd=pair).out
        assert "1 more is right  (check --since lists it)" in told.splitlines()[1]
    (pair / "rig/boot/one.rom").write_bytes(b"spoilt")
    both = gribble("check", cwd=pair, **AT_A_TERMINAL).out
    assert "1 more is right; 1 went wrong: one on rig" in both
    assert "Since" not in gribble("check", cwd=pair, **AT_A_TERMINAL).out
    for _ in range(2):  # it lists what was told last, as often as one asks
        listed = gribble("check", "--since", cwd=pair).out
        assert "one: was right" in listed
        assert "two: was astray" in listed
        assert listed.index("one: was") < listed.index("two: was")
    answer = gribble("check", "--since", "--json", cwd=pair).json
    assert {(one["need"], one["was"], one["is"]) for one in answer["since"]["changes"]} == {
        ("one", "right", "imposter"), ("two", "astray", "right"),
    }  # fmt: skip
    assert datetime.fromisoformat(answer["since"]["when"]).tzinfo


def test_other_questions_are_not_taken_for_a_look(gribble: Gribble, pair: Path) -> None:
    gribble("check", cwd=pair, **AT_A_TERMINAL)
    before = (pair / ".gribble/looked.json").read_bytes()
    gribble("place", "--yes", cwd=pair, code=0)
    for words in (
        ("check", "-q"), ("check", "--json"), ("check", "--show", "missing"), ("check", "--from", "."),
        ("check", "--as", "plover=9"), ("check", "--since"), ("why", "plover"), (),
    ):  # fmt: skip
        gribble(*words, cwd=pair, **AT_A_TERMINAL)
        assert (pair / ".gribble/looked.json").read_bytes() == before, words
    for option in (("--show", "missing"), ("-q",), ("--as", "plover=9")):
        assert "do" in gribble("check", "--since", *option, cwd=pair, code=2).err


@pytest.mark.parametrize(
    "spoilt", [b"", b"[]", b'{"last": 3}', b'{"last": {"rig": {"plover": {"when": "x"}}}}', b"\xff"]
)
def test_a_spoilt_memory_is_none(gribble: Gribble, pair: Path, spoilt: bytes) -> None:
    gribble("check", cwd=pair, **AT_A_TERMINAL)
    (pair / ".gribble/looked.json").write_bytes(spoilt)
    assert "no earlier check" in gribble("check", "--since", cwd=pair).out
    gribble("check", cwd=pair, **AT_A_TERMINAL)
    assert json.loads((pair / ".gribble/looked.json").read_bytes())["last"]["rig"]["plover"]["right"] == ["need one"]


def test_what_a_check_left_out_stays_remembered(gribble: Gribble, world: Path) -> None:
    gribble("check", cwd=world, **AT_A_TERMINAL)
    gribble("place", "--yes", cwd=world)
    gribble("check", "avocet", cwd=world, **AT_A_TERMINAL)
    assert "Since" not in gribble("check", "avocet", cwd=world).out
    listed = gribble("check", "--since", "--json", cwd=world).json["since"]["changes"]  # each since its own look
    better = [one["emulator"] for one in listed if one["is"] == "right"]
    assert "avocet" in better
    told = gribble("check", cwd=world, COLUMNS="200").out.splitlines()[1]
    assert f"{len(better) - better.count('avocet')} more are right" in told


NOW = datetime(2026, 12, 2, 15, 30)  # a Wednesday


@pytest.mark.parametrize(
    ("ago", "said"),
    [
        (timedelta(minutes=1), "since 15:29"),
        (timedelta(hours=15, minutes=30), "since 00:00"),
        (timedelta(hours=15, minutes=31), "since yesterday"),
        (timedelta(days=2), "since Monday"),
        (timedelta(days=6), "since Thursday"),
        (timedelta(days=7), "since 25 November"),
        (timedelta(days=-1), "since the last check"),
    ],
)
def test_a_time_is_said_as_people_say_it(ago: timedelta, said: str) -> None:
    assert since_when((NOW - ago).timestamp(), NOW.timestamp()) == said


@given(st.lists(st.sampled_from([("right", "missing"), ("missing", "right"), ("missing", "astray")]), max_size=6))
def test_every_change_is_counted_once(pairs: list[tuple[str, str]]) -> None:
    changes = [
        Changed(rig="rig", emulator="plover", kind="need", name=f"n{number}", was=was, now=now)
        for number, (was, now) in enumerate(pairs)
    ]
    words = Since(when=1.0, changes=tuple(changes)).words(NOW.timestamp())
    said = {word: pairs.count(pair) for word, pair in (
        ("more ", ("missing", "right")), (" went wrong", ("right", "missing")), (" verdict", ("missing", "astray")),
    )}  # fmt: skip
    assert bool(words) == bool(pairs)
    assert {word: number for word, number in said.items() if f"{number}" in words and word in words} == {
        word: number for word, number in said.items() if number
    }
