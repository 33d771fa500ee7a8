"""Which sets somebody means who writes a list of games: what the lines have beside titles, and how titles differ."""

from __future__ import annotations

import random
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.core.answers.wishing import Pick, Picked, pick
from gribble.core.base.names import title_key
from gribble.core.catalogue.rosters import LoadedSets
from gribble.core.records.roster import ArcadeSet, Roster, RosterHead

SETS = [
    ArcadeSet(set="mill", title="Mill Race", year=1985, maker="Sluice"),
    ArcadeSet(set="millj", title="Mill Race (Japan)", year=1986, maker="Sluice", parent="mill"),
    ArcadeSet(set="millb", title="Mill Race (World, rev B)", year=1986, maker="Copyists", parent="mill"),
    ArcadeSet(set="kiln", title="Kiln II: Ember & Ash", year=1988, maker="North Quay Co."),
    ArcadeSet(set="pilot", title="Heron Pilot, The", year=1990, maker="Tarn"),
    ArcadeSet(set="razor", title="Razor Shell", year=1991, maker="Tarn"),
    ArcadeSet(set="heron", title="Razor", year=1992, maker="Tarn"),
    ArcadeSet(set="gull", title="Gull"),
    ArcadeSet(set="gullj", title="Gull (Japan)", parent="gull"),
    ArcadeSet(set="y1942", title="1942 Patrol", year=1984, maker="Tarn"),
]


def roster_of(*sets: ArcadeSet) -> Roster:
    return Roster(RosterHead(roster=1, emulator="knot", release="2"), LoadedSets({one.set: one for one in sets}))


def meant(*lines: str) -> Picked:
    return pick(roster_of(*SETS), Pick(lines=lines))


@pytest.mark.parametrize(
    ("line", "sets"),
    [
        ("Mill Race", ["mill"]),
        ("Mill Race (1986, Copyists)", ["millb"]),
        ("Mill Race;1986;Copyists", ["millb"]),
        ("Mill Race (World, rev B) 7/10", ["millb"]),
        ('3,1986,"Mill Race (World, rev B)",5', ["millb"]),
        ("Mill Race (Japan) [played] 1999", ["millj"]),
        ("Mill Race by Copyists", ["millb"]),
        ("millj,Mill Race", ["millj"]),
        ("razor, kiln", ["razor", "kiln"]),
        ("gullj,Gull", ["gullj"]),
        ("gullj, gull", ["gullj", "gull"]),
        ('"Mill Race",millj', ["millj"]),
        ("Mill Race | 1986 | millj.zip | millj", ["millj"]),
        ("kiln 2 - ember and ash ★★★", ["kiln"]),
        ("The Heron Pilot 80 %", ["pilot"]),
        ("<li><a href='x'>Heron Pilot, The</a></li>", ["pilot"]),
        ("- [Razor Shell](https://example.org/razor) great", ["razor"]),
        ("1991 Razor Shell", ["razor"]),
        ("1984 1942 Patrol", ["y1942"]),
        ("1942 Patrol", ["y1942"]),
        ("Razor Shell (World, Razor (rev", ["razor"]),
        ("Razor Shell, Mill Race (Japan), kiln", ["razor", "millj", "kiln"]),
    ],
)
def test_a_line_means_the_set_that_it_tells(line: str, sets: list[str]) -> None:
    found = meant(line)
    assert list(found.sets) == sets, found
    assert set(found.sets.values()) == {1.0}


@pytest.mark.parametrize("line", ["1950 Mill Race", "Mill Racer", "Razor Shells", "Tarn;Razor", "Sluice: Mill Race"])
def test_a_line_that_tells_no_set_is_told(line: str) -> None:
    found = meant(line)
    assert (found.sets, found.unknown) == ({}, (line,))


def test_a_number_behind_a_title_is_its_worth_unless_it_is_its_year() -> None:
    assert meant("Razor Shell 1991", "Mill Race 1984").sets == {"razor": 1.0, "mill": 1984.0}


def test_a_name_in_other_letters_that_is_another_sets_title_could_mean_both() -> None:
    of_both = ArcadeSet(set="other", title="Heron", year=1992)
    found = pick(roster_of(*SETS, of_both), Pick(lines=("Heron", "heron")))
    assert [wish.sets for wish in found.unclear] == [("heron", "other")]
    assert list(found.sets) == ["heron"]


def test_a_long_line_takes_no_longer_than_it_is() -> None:
    for sign in ("(", ", ", "\t", '"', "[a](", "<", " - ", "1:"):
        assert not meant(sign * 40_000 + "x").sets


FIRST = ["Salt", "Mill", "Kiln", "Heron", "Weir", "Razor", "Tide", "Cockle", "Lantern", "Gull", "Brine"]
SECOND = ["Runner", "Race", "Quest", "Patrol", "Command", "Pool", "Wars", "Raid"]
BEHIND = ["", "", " II", " 2000", ": The Ember War", " - Part Two", "!"]
REGIONS = ["Japan", "World", "Europe", "US", "World, rev B", "Japan, set 2"]
FORMS = [
    "{nr}. {title} ({one.maker}, {one.year})",
    "* {title} - {one.year}, {one.maker}",
    '{nr},{one.year},"{title}",5',
    '{one.set};"{title}";{one.year}',
    "| {title} | {one.year} | {one.maker} |",
    "<li>{title}</li>",
    "- [x] **{title}** {nr}/10",
    "{title} by {one.maker}",
]


def a_roster(chance: random.Random) -> list[ArcadeSet]:
    sets: dict[str, ArcadeSet] = {}
    for _ in range(chance.randint(4, 20)):
        title = " ".join(filter(None, (chance.choice(FIRST), chance.choice(["", *SECOND])))) + chance.choice(BEHIND)
        name = title_key(title)[:8]
        year, maker = chance.randint(1980, 1999), chance.choice(["Sluice", "Tarn Ltd", "North Quay Co."])
        for clone in range(chance.randint(1, 3)) if name not in sets else ():
            parent = name if clone else None
            of = f"{title} ({REGIONS[clone * 2 + chance.randint(0, 1)]})" if clone or chance.random() < 0.5 else title
            one = ArcadeSet(set=name + " jb"[clone].strip(), title=of, year=year, maker=maker, parent=parent)
            sets[one.set] = one
    return list(sets.values())


@given(st.integers(0, 1 << 32))
def test_a_random_list_of_titles_is_understood_or_what_is_not_is_told(seed: int) -> None:
    chance = random.Random(seed)
    sets = a_roster(chance)
    asked = chance.sample(sets, min(len(sets), 6))
    form = chance.choice(FORMS)
    letters: Callable[[str], str] = chance.choice([str.title, str.upper, str.lower])
    lines = tuple(form.format(title=letters(one.title), one=one, nr=nr) for nr, one in enumerate(asked))
    found = pick(roster_of(*sets), Pick(lines=lines))
    unclear = {name for wish in found.unclear for name in wish.sets}
    assert set(found.sets) <= {one.set for one in asked}, "no other set is meant"
    assert {one.set for one in asked} <= {*found.sets, *unclear}, "each is found"
    assert not found.unknown
