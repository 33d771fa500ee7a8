"""What a content requires is needed only while that content is used, and then like a `must`."""

from __future__ import annotations

from pathlib import Path

import pytest
from msgspec import structs

from gribble.core.catalogue.sheets import load_sheet
from gribble.core.records.sheet import Level
from gribble.core.sayings.facts import say_all
from tests.auditing import examine, steps, verdicts
from tests.needs import accept, held, need

LOCK = need("lock", "a.lock", accept=(accept("key"),), level="extra")
LOCKED, OPEN = accept("locked", label="locked", requires=("lock",)), accept("open")
ROM = need(accept=(LOCKED, OPEN))
TRIALS = {
    # files on the rig, in the drawer: the lock's level, and the state
    "open in place, no key": ({"boot/a.rom": "open"}, (), "extra", "ready"),
    "locked in place, no key": ({"boot/a.rom": "locked"}, (), "must", "blocked"),
    "locked in place, key in place": ({"boot/a.rom": "locked", "boot/a.lock": "key"}, (), "must", "ready"),
    "locked in place, key held": ({"boot/a.rom": "locked"}, ("key",), "must", "blocked"),
    "both held, no key": ({}, ("locked", "open"), "extra", "blocked"),
    "both held, with key": ({}, ("locked", "open", "key"), "must", "blocked"),
    "locked alone held": ({}, ("locked",), "must", "blocked"),
    "neither": ({}, ("key",), "extra", "blocked"),
}


@pytest.mark.parametrize("trial", TRIALS)
def test_a_key_is_needed_while_the_locked_one_is_used(trial: str) -> None:
    files, drawer, level, state = TRIALS[trial]
    found = examine([ROM, LOCK], files, [held(what, what) for what in drawer])
    lock = found.emulators[0].findings[1]
    assert (lock.need.level, found.state) == (level, state)
    assert ("rom (locked) needs it" in say_all(lock.facts)) == (level == "must" and not lock.met)
    if trial.startswith("both"):
        taken = "locked" if "key" in drawer else "open"
        assert steps(found)[0] == ("copy", f"/drawer/{taken}", "boot/a.rom")


def test_of_several_in_place_the_one_that_works_counts() -> None:
    for files in ({"boot/a.rom": "locked", "boot/b.rom": "open"}, {"boot/a.rom": "open", "boot/b.rom": "locked"}):
        for more in ({"aliases": ("b.rom",)}, {"any_name": True}):
            rom = structs.replace(ROM, **more)
            found = examine([rom, LOCK], files)
            assert (found.state, found.emulators[0].findings[0].chief.accept) == ("ready", OPEN)
    eu, us = (need(id_, f"{id_}.rom", accept=(one,), choice="any") for id_, one in (("eu", LOCKED), ("us", OPEN)))
    assert examine([eu, us, LOCK], {"boot/eu.rom": "locked", "boot/us.rom": "open"}).state == "ready"
    found = examine([eu, us, LOCK], {"boot/eu.rom": "locked"}, [held("1", "open")])
    assert steps(found) == [("copy", "/drawer/1", "boot/us.rom")]


def test_extras_and_accepted_gaps_require_nothing_and_what_is_required_is_no_choice() -> None:
    extra = structs.replace(ROM, level=Level.EXTRA)
    assert examine([extra, LOCK], {"boot/a.rom": "locked"}).state == "ready"
    assert examine([ROM, LOCK], {"boot/a.rom": "locked"}, ignore=("lock",)).state == "ready"
    lock, other = (structs.replace(LOCK, id=id_, name=f"{id_}.lock", choice="locks") for id_ in ("lock", "other"))
    found = examine(
        [ROM, lock, structs.replace(other, accept=(accept("2"),))], {"boot/a.rom": "locked", "boot/other.lock": "2"}
    )
    assert (found.state, verdicts(found)["lock"]) == ("blocked", ("missing", "obtain"))


@pytest.mark.parametrize(
    ("requires", "words"),
    [
        ({"a": ["a"]}, 'need[0].accept[0].requires[0]: "a" is this need itself'),
        ({"a": ["bb"]}, "need[0].accept[0].requires[0]: \"bb\" is not a need of this sheet; did you mean 'b'?"),
        ({"a": ["b"], "b": ["c"], "c": ["a"]}, "goes in a circle: a needs b, which needs c, which needs a"),
    ],
)
def test_what_cannot_be_is_told_with_its_key(tmp_path: Path, requires: dict[str, list[str]], words: str) -> None:
    text = 'sheet = 1\nemulator = "knot"\n[folders]\nboot = "boot"\n'
    for id_ in "abc":
        text += f'[[need]]\nid = "{id_}"\nkind = "bios"\nlevel = "must"\nfolder = "boot"\nname = "{id_}"\n'
        text += f'[[need.accept]]\nsha1 = "{"0" * 39}{id_}"\nrequires = {requires.get(id_, [])}\n'
    (tmp_path / "knot.sheet.toml").write_text(text.replace("'", '"'))
    sheet, mistakes = load_sheet(tmp_path / "knot.sheet.toml")
    assert sheet is None
    assert any(words in str(one) for one in mistakes), [str(one) for one in mistakes]
