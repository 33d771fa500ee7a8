"""Versions of a BIOS set: one whole one is enough, the chosen or the default one for a set to be ready."""

from __future__ import annotations

from typing import Any

import pytest

from gribble.core.arcade.compare import compare_rosters
from gribble.core.arcade.discs import Discs
from gribble.core.arcade.match import Held, match_release, whole_games
from gribble.core.arcade.packing import HowPacked, pack_sets
from gribble.core.arcade.sets import audit_set, nothing_wanted, wanted_sets
from gribble.core.arcade.wanting import variant_faults
from gribble.core.base.kinds import Style
from gribble.core.records.sheet import Arcade
from gribble.core.sayings.facts import say_all
from gribble.core.survey.holdings import HeldHere
from tests.arcades import cabinet, file, held, roster

BIOS: dict[str, Any] = {
    "kind": "bios",
    "variants": ["europe", "japan"],
    "files": [
        file("common"), file("eu1", variant="europe"), file("eu2", variant="europe"),
        file("jp1", variant="japan"), file("jp2", variant="japan"), file("eu3", variant="europe", optional=True),
    ],
}  # fmt: skip
MADE = roster("2", sys=BIOS, game={"bios": "sys", "files": [file("g")]})
GAME = {"sets/game.zip/g.bin": "g", "sets/sys.zip/common.bin": "common"}
EU = {"sets/sys.zip/eu1.bin": "eu1", "sets/sys.zip/eu2.bin": "eu2"}
JP = {"sets/sys.zip/jp1.bin": "jp1", "sets/sys.zip/jp2.bin": "jp2"}
CASES: dict[str, tuple[dict[str, str], dict[str, str], str, str, list[str]]] = {
    # name: files, variants chosen, state, variant, files told
    "the default": ({**GAME, **EU}, {}, "ready", "europe", []),
    "both": ({**GAME, **EU, **JP}, {}, "ready", "europe", []),
    "the chosen one": ({**GAME, **JP}, {"sys": "japan"}, "ready", "japan", []),
    "another one": ({**GAME, **JP}, {}, "limited", "japan", [""]),
    "another than the chosen": ({**GAME, **EU}, {"sys": "japan"}, "limited", "europe", [""]),
    "half of each": ({**GAME, "sets/sys.zip/eu2.bin": "eu2", "sets/sys.zip/jp1.bin": "jp1"}, {}, "blocked", "europe", ["eu1.bin"]),
    "half of one": ({**GAME, "sets/sys.zip/jp1.bin": "jp1"}, {}, "blocked", "japan", ["jp2.bin"]),
    "none": (GAME, {}, "blocked", "europe", ["eu1.bin", "eu2.bin"]),
    "all but what is common": ({"sets/game.zip/g.bin": "g", **EU}, {}, "blocked", "europe", ["common.bin"]),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_one_whole_variant_is_enough(case: str) -> None:
    files, chosen, state, variant, told = CASES[case]
    there = cabinet(files, variants=chosen)
    for name in ("game", "sys"):
        found = audit_set(MADE, name, there)
        assert (found.state, found.variant, [one.subject.file for one in found.problems]) == (state, variant, told)
    if state == "limited":
        assert f"runs with the {variant} version of sys, not" in say_all(found.problems[0].facts)
    (change,) = compare_rosters(roster("1"), MADE, ["game"], there)
    assert [one.name for one in change.files if one.held is None] == told[: len(told) if state == "blocked" else 0]
    everything = [held(path, what) for path, what in files.items()]
    assert ("game" in match_release(MADE, Held([HeldHere(everything)])).whole) == (state != "blocked")


def test_the_chosen_variant_is_brought_and_the_default_else() -> None:
    drawer = {f"d/{what}": what for what in ("eu1", "eu2", "jp1", "jp2")}
    for chosen, brought in (({}, {"eu1.bin", "eu2.bin"}), ({"sys": "japan"}, {"jp1.bin", "jp2.bin"})):
        there = cabinet(GAME, drawer, variants=chosen)
        done = pack_sets(MADE, [audit_set(MADE, "game", there)], there)
        assert {member.name for one in done.packed for member in one.members} >= brought
        limited = cabinet({**GAME, **(EU if chosen else JP)}, drawer, variants=chosen)
        done = pack_sets(MADE, [audit_set(MADE, "game", limited)], limited)
        assert {member.name for one in done.packed for member in one.members} >= brought, (
            "what runs otherwise is put right"
        )
    for style in (None, *Style):
        right = cabinet({**GAME, **JP}, variants={"sys": "japan"})
        done = pack_sets(MADE, [audit_set(MADE, "game", right)], right, HowPacked(style))
        assert done.waiting == ()
    half = cabinet({**GAME, "sets/sys.zip/jp1.bin": "jp1"})
    (waiting,) = pack_sets(MADE, [audit_set(MADE, "game", half)], half, HowPacked(Style.SPLIT)).waiting
    assert waiting.reason == "not packed in part: jp2.bin is not found"


def test_a_choice_that_is_none_is_told() -> None:
    assert list(variant_faults(MADE, {"sys": "japan"})) == []
    assert list(variant_faults(MADE, {"sys": "asia", "game": "x"})) == [
        'sys has no variant "asia", which gribble.toml chooses; it has europe, japan',
        'game has no variant "x", which gribble.toml chooses',
    ]
    assert audit_set(MADE, "game", cabinet({**GAME, **EU}, variants={"sys": "asia"})).state == "ready"


def test_what_is_held_elsewhere_is_nearer_than_what_is_nowhere() -> None:
    drawer = {f"d/{what}": what for what in ("jp1", "jp2")}
    there = cabinet({**GAME, "sets/sys.zip/eu1.bin": "eu1"}, drawer)
    found = audit_set(MADE, "game", there)
    assert (found.variant, {one.remedy for one in found.problems}) == ("japan", {"place"})
    assert pack_sets(MADE, [found], there).waiting == ()


def test_a_variant_that_no_file_has_is_none() -> None:
    made = roster("2", sys={**BIOS, "variants": ["asia", "japan"], "files": BIOS["files"][:1] + BIOS["files"][3:5]})
    assert audit_set(made, "sys", cabinet({"sets/sys.zip/common.bin": "common"})).state == "blocked"
    assert audit_set(made, "sys", cabinet({**JP, "sets/sys.zip/common.bin": "common"})).state == "ready"
    undumped = [file("common"), file("x", variant="asia", state="undumped"), file("jp1", variant="japan")]
    made = roster("2", sys={**BIOS, "variants": ["asia", "japan"], "files": undumped})
    assert audit_set(made, "sys", cabinet({"sets/sys.zip/common.bin": "common"})).state == "blocked"


def test_lists_in_which_one_attribute_means_parent_and_bios() -> None:
    made = roster(
        "2",
        sys={"kind": "bios", "files": [file("boot")]},
        mum={"bios": "sys", "files": [file("m"), file("boot", bios_name="boot.bin")]},
        kid={"parent": "mum", "bios": "mum", "files": [file("k"), file("boot", bios_name="boot.bin")]},
        odd={"bios": "mum", "files": [file("o")]},
    )
    files = {
        "sets/sys.zip/boot.bin": "boot",
        "sets/mum.zip/m.bin": "m",
        "sets/kid.zip/k.bin": "k",
        "sets/odd.zip/o.bin": "o",
    }
    there = cabinet(files)
    for name in ("mum", "kid", "odd"):
        found = audit_set(made, name, there)
        assert (found.state, found.problems) == ("ready", ())
        assert pack_sets(made, [found], there).packed == ()


def test_where_nothing_is_wanted_what_is_whole_is_told_and_taken() -> None:
    discs = Discs(Arcade(rosters="*", folder="sets"), "sets", {}, [])
    empty = cabinet({}, {"d/g.zip/g.bin": "g", **{f"d/{what}": what for what in ("common", "jp1", "jp2")}})
    assert nothing_wanted(MADE, empty, discs) == 'no set is wanted; 1 is whole in drawer: wanted = "held" takes it'
    assert wanted_sets(None, MADE, empty) == []
    assert wanted_sets(("held",), MADE, empty) == ["game"]
    half = cabinet({"sets/other.zip/x": "x"}, {"d/g.zip/g.bin": "g"})
    assert nothing_wanted(MADE, half, discs) == "no set is wanted, and none is whole in what you hold"
    assert whole_games(roster("2", no={"plays": "no", "files": [file("n")]}), [HeldHere([held("n", "n")])], []) == []


def test_what_was_not_read_is_never_called_another_content() -> None:
    made = roster("2", game={"files": [{"name": "g.bin", "size": 1, "sha1": "0" * 40}]})
    (problem,) = audit_set(made, "game", cabinet({"sets/game.zip/g.bin": "g"})).problems
    assert (problem.verdict, problem.subject.state) == ("unproven", "limited")
    assert "was not read" in say_all(problem.facts)
