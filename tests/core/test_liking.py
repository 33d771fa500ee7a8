"""Which of several right contents is taken, told and pointed to: regions, then versions, then the sheet."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec import structs
from packaging.version import Version

from gribble.core.base.kinds import Format
from gribble.core.catalogue.ranges import by_liking
from gribble.core.records.config import Liking
from gribble.core.records.sheet import Accept, Setting
from tests.auditing import examine, steps, verdicts
from tests.needs import accept, held, need

OLD, NEW, OTHER = (
    accept("old", version="1.9", region="EU"),
    accept("new", version="1.10", region="EU", label="late"),
    accept("other", version="2.0", region="US"),
)
ROM = need(accept=(OLD, NEW, OTHER))
DRAWER = [held("1", "old"), held("2", "new"), held("3", "other")]


@pytest.mark.parametrize(
    ("regions", "newest", "taken"),
    [((), False, "1"), ((), True, "3"), (("EU",), True, "2"), (("EU",), False, "1"), (("US", "EU"), True, "3")],
)
def test_the_best_liked_is_placed(regions: tuple[str, ...], newest: bool, taken: str) -> None:
    found = examine([ROM], {}, DRAWER, regions=regions, newest=newest)
    assert steps(found) == [("copy", f"/drawer/{taken}", "boot/a.rom")]
    beside = examine([ROM], {"boot/x1": "old", "boot/x2": "new", "boot/x3": "other"}, regions=regions, newest=newest)
    assert steps(beside) == [("rename", f"boot/x{taken}", "boot/a.rom")]


def test_a_sound_one_stays_and_the_others_are_told_and_left() -> None:
    for files in ({"boot/a.rom": "old", "boot/x": "new"}, {"boot/a.rom": "old", "boot/y": "old"}):
        found = examine([ROM], files, DRAWER, newest=True)
        finding = found.emulators[0].findings[0]
        assert (steps(found), [one.path for one, _ in finding.redundant]) == ([], sorted(files)[1:])
    twin = need("twin", "x", accept=(NEW,))
    found = examine([ROM, twin], {"boot/a.rom": "old", "boot/x": "new"}, newest=True)
    assert found.emulators[0].findings[0].redundant == ()  # it serves another


def test_settings_lead_to_the_best_liked_of_several() -> None:
    rule = Setting(file="k.ini", format=Format.INI, key="rom", need="rom")
    files = {"boot/p": "old", "boot/q": "new", "boot/r": "other"}
    for any_name, newest, wanted in ((True, False, "boot/p"), (True, True, "boot/q"), (False, True, "boot/q")):
        one = structs.replace(ROM, any_name=any_name, name="p", aliases=() if any_name else ("q", "r"))
        data: dict[tuple[str, str], bytes] = {("den", "k.ini"): b"rom = gone"}
        found = examine([one], files, settings={**data}, setting=(rule,), regions=("EU",), newest=newest)
        assert (found.emulators[0].settings[0].subject.wanted, found.emulators[0].findings[0].chief.accept) == (
            wanted, NEW if newest else OLD,
        )  # fmt: skip
        led = examine([one], files, settings={("den", "k.ini"): b"rom = boot/r"}, setting=(rule,), newest=newest)
        assert led.emulators[0].settings[0].verdict == "sound"


def test_of_a_choice_the_newest_is_taken() -> None:
    old, new = (need(id_, f"{id_}.rom", accept=(one,), choice="any") for id_, one in (("old", OLD), ("new", NEW)))
    drawer = DRAWER[:2]
    assert steps(examine([old, new], {}, drawer, newest=True)) == [("copy", "/drawer/2", "boot/new.rom")]
    assert steps(examine([old, new], {}, drawer)) == [("copy", "/drawer/1", "boot/old.rom")]
    assert verdicts(examine([old, new], {"boot/old.rom": "old"}, drawer, newest=True))["new"] == ("astray", "none")
    rule = Setting(file="k.ini", format=Format.INI, key="rom", need="old")
    both = {"boot/old.rom": "old", "boot/new.rom": "new"}
    found = examine([old, new], both, settings={("den", "k.ini"): b"rom = x"}, setting=(rule,), newest=True)
    assert found.emulators[0].settings[0].subject.wanted == "boot/new.rom"


def order(*versions: str | None, regions: tuple[str, ...] = ()) -> list[str | None]:
    accepts = [Accept(label=str(place), version=version) for place, version in enumerate(versions)]
    return [one.version for one in by_liking(accepts, Liking(regions, newest=True))]


def test_versions_that_are_no_numbers_compare_by_numbers_and_words_in_turn() -> None:
    assert order("Rev A", "Rev C", None, "Rev B2", "Rev B10") == ["Rev C", "Rev B10", "Rev B2", "Rev A", None]
    assert order("1.0rc1", "1.0", "1.0.post1") == ["1.0.post1", "1.0", "1.0rc1"]


@given(st.lists(st.from_regex(r"[0-9]{1,3}(\.[0-9]{1,3}){0,3}((a|b|rc)[0-9])?", fullmatch=True), max_size=8))
def test_versions_compare_as_releases_do(versions: list[str]) -> None:
    found = [Version(one or "") for one in order(*versions)]
    assert found == sorted(map(Version, versions), reverse=True)
