"""Matching and comparing releases: each class of change by construction, and shares that can be counted by hand."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.core.arcade.compare import compare_rosters
from gribble.core.arcade.match import Held, match_release, ranked
from gribble.core.base.digests import Digests
from gribble.core.records.holding import Holding
from gribble.core.records.roster import Roster
from gribble.core.survey.holdings import HeldHere
from tests.arcades import cabinet, crc, file, roster

OLD = {
    "sys": {"kind": "bios", "files": [file("boot")]},
    "mum": {"bios": "sys", "files": [file("mum1"), file("both")]},
    "kid": {"parent": "mum", "files": [file("kid1"), file("both", parent_name="both.bin")]},
}
LYING = {"sets/sys.zip/boot.bin": "boot", "sets/mum.zip/mum1.bin": "mum1", "sets/mum.zip/both.bin": "both",
         "sets/kid.zip/kid1.bin": "kid1"}  # fmt: skip

Sets = dict[str, dict[str, Any]]

CASES: dict[str, tuple[Sets, dict[str, str], str, str, list[str]]] = {
    # name: the new roster's changes, the drawer, the set, what becomes of it, its files
    "nothing": ({}, {}, "kid", "same", []),
    "another note": ({"kid": {**OLD["kid"], "note": "Plays better."}}, {}, "kid", "same", []),
    "one file less": ({"mum": {"bios": "sys", "files": [file("mum1")]}}, {}, "mum", "same", []),
    "a new member name": (
        {"kid": {"parent": "mum", "files": [{**file("kid1"), "name": "k-1"}, file("both")]}}, {}, "kid", "repack", ["k-1"],
    ),
    "a file that is in another archive": (
        {"kid": {**OLD["kid"], "parent": None}}, {}, "kid", "repack", ["both.bin"],
    ),
    "a file from the drawer": (
        {"kid": {"parent": "mum", "files": [file("better")]}}, {"b": "better"}, "kid", "held", ["better.bin"],
    ),
    "a file nobody has": (
        {"kid": {"parent": "mum", "files": [file("better"), file("kid1")]}}, {}, "kid", "obtain", ["better.bin"],
    ),
    "a new BIOS set": ({"sys": {"kind": "bios", "files": [file("boot 2")]}}, {}, "kid", "obtain", ["boot 2.bin"]),
    "one of a choice is enough": (
        {"kid": {"parent": "mum", "files": [file("eu", choice="r"), file("kid1", choice="r")]}}, {}, "kid", "same", [],
    ),
    "an optional file": ({"kid": {**OLD["kid"], "files": [*OLD["kid"]["files"], file("opt", optional=True)]}}, {}, "kid", "same", []),
    "a new device": (
        {"mum": {**OLD["mum"], "devices": ["tone"]}, "tone": {"kind": "device", "files": [file("tone")]}},
        {"t.zip/x": "tone"}, "kid", "held", ["tone.bin"],
    ),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_what_becomes_of_a_set(case: str) -> None:
    changes, drawer, name, kind, files = CASES[case]
    old, new = roster("1", **OLD), roster("2", **{**OLD, **changes})
    (found,) = compare_rosters(old, new, [name], cabinet(LYING, drawer))
    assert (found.change, [one.name for one in found.files]) == (kind, files)


def test_sets_that_only_one_release_knows() -> None:
    old = roster("1", **OLD, cod={"files": [file("cod")]}, eel={"files": [file("eel")]})
    new = roster("2", **OLD, codfish={"files": [{**file("cod"), "name": "c1"}]}, fry={"files": [file("fry")]})
    found = compare_rosters(old, new, ["cod", "eel", "fry", "nobody's"], cabinet({"sets/cod.zip/cod.bin": "cod"}))
    assert [(one.set, one.change, one.to) for one in found] == [
        ("cod", "renamed", "codfish"), ("eel", "gone", ""), ("fry", "new", "fry"),
    ]  # fmt: skip


def holding(what: str, **more: str) -> Holding:
    return Holding(rig="", root="/", path=what, member=None, size=len(what), digests=Digests(crc32=crc(what), **more))


@given(st.data())
def test_a_set_is_complete_where_all_around_it_is_held(data: st.DataObject) -> None:
    names = [f"g{n}" for n in range(data.draw(st.integers(1, 5)))]
    own = {name: [f"{name}-{n}" for n in range(data.draw(st.integers(1, 3)))] for name in names}
    bios = {name: data.draw(st.booleans()) for name in names}
    made: Roster = roster(
        "2",
        sys={"kind": "bios", "files": [file("boot")]},
        **{name: {"files": [*map(file, own[name])], **({"bios": "sys"} if bios[name] else {})} for name in names},
    )
    contents = [*(what for group in own.values() for what in group), "boot"]
    held = set(data.draw(st.lists(st.sampled_from(contents), unique=True)))
    found = match_release(made, Held([HeldHere(map(holding, held))]))
    complete = {name for name in names if {*own[name], *(["boot"] if bios[name] else [])} <= held}
    assert found.whole - {"sys"} == complete
    assert (found.complete, found.sets) == (len(complete), sum(1 for name in names if held & set(own[name])))


def test_strong_digests_disprove_and_releases_are_ranked() -> None:
    made = roster("1", a={"files": [{**file("a"), "sha1": "1" * 40}]})
    assert match_release(made, Held([HeldHere([holding("a")])])).complete == 1
    assert match_release(made, Held([HeldHere([holding("a", sha1="1" * 40)])])).complete == 1
    assert match_release(made, Held([HeldHere([holding("a", sha1="2" * 40)])])).complete == 0
    disc = roster("2", a={"discs": [{"name": "a", "sha1": "3" * 40}]})
    assert [match_release(disc, Held([], discs)).share for discs in ([], ["3" * 40])] == [0.0, 1.0]
    both = [match_release(one, Held([HeldHere([holding("a")])])) for one in (disc, made)]
    assert [one.release for one in ranked(both)] == ["1", "2"]
