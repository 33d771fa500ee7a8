"""A list brought once more into the sheet that was made from it: what the user wrote, changed or deleted wins."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from gribble.core.answers.merging import Merged, merged, merged_sets
from gribble.core.catalogue.rosters import LoadedSets
from gribble.core.catalogue.sheets import load_sheet
from gribble.core.catalogue.writing import Draft, DraftSheet, write_sheet
from gribble.core.records.roster import ArcadeSet, Plays, Roster, RosterHead
from gribble.core.records.sheet import Accept, Sheet

HERE = Path("/catalogue/plover.sheet.toml")
NAMES = ("boot.rom", "clock.rom", "fonts.bin", "sound.rom")
"""What may be on the list, and what the list may say of each: a level, and contents by their label."""
LISTS = st.dictionaries(
    st.sampled_from(NAMES),
    st.tuples(
        st.sampled_from(["", "must", "extra"]),
        st.dictionaries(st.sampled_from(["", "1.0", "1.1"]), st.integers(0, 3), max_size=2),
    ),
)
Listed = dict[str, tuple[str, dict[str, int]]]


def md5(name: str, label: str, content: int) -> str:
    """The digest of a content: no two labels share one."""
    return f"{NAMES.index(name) + 1}{len(label)}{label[-1:] or 0}{content}".ljust(32, "a")


def draft(said: Listed) -> DraftSheet:
    """What a list becomes."""
    needs = []
    for name, (level, contents) in said.items():
        accepts = [Accept(label=label, md5=md5(name, label, one)) for label, one in contents.items()]
        needs.append(Draft(name=name, folder="boot", level=level, accepts=accepts))
    return DraftSheet(emulator="plover", needs=needs)


def loaded(text: str) -> Sheet:
    sheet, mistakes = load_sheet(HERE, text)
    assert sheet is not None, (mistakes, text)
    return sheet


def says(text: str) -> Listed:
    """What a sheet says of each file."""
    return {
        need["name"]: (need.get("level", ""), {one["md5"]: 0 for one in need.get("accept", ())})
        for need in tomllib.loads(text).get("need", ())
    }


def of_list(said: Listed) -> Listed:
    return {
        name: (level, {md5(name, label, one): 0 for label, one in contents.items()})
        for name, (level, contents) in said.items()
    }


@settings(max_examples=300)
@given(base=LISTS, now=LISTS, data=st.data())
def test_what_changed_on_the_list_is_taken_and_what_the_user_did_stays(base: Listed, now: Listed, data: Any) -> None:
    text = write_sheet(draft(base))
    edits = data.draw(st.dictionaries(st.sampled_from(NAMES), st.sampled_from(["gone", "level", "content"])))
    document: Any = __import__("tomlkit").parse(text)
    for need in list(document.get("need", ())):
        edit = edits.get(need["name"])
        if edit == "gone":
            document["need"].remove(need)
        elif edit == "level":
            need["level"] = "better"
        elif edit == "content" and need.get("accept"):
            need["accept"][0]["md5"] = "f" * 32
    if not document.get("need", True):
        del document["need"]
    edited = document.as_string()
    told = merged(edited, loaded(edited), draft(now), draft(base))
    loaded(told.text)
    before, after, new, old = says(edited), says(told.text), of_list(now), of_list(base)
    for name in NAMES:
        if name not in before:  # new on the list, or taken out by hand
            assert (name in after) == (name in now and name not in base)
            assert (name in told.yours) == (name in now and name in base)
            assert name not in after or after[name] == new[name]
            continue
        assert name in after, "nothing is ever taken out"
        assert (name in told.gone) == (name not in now)
        if name not in now:
            assert after[name] == before[name]
            continue
        level = before[name][0]
        untouched = level == old[name][0] and new[name][0]
        assert after[name][0] == (new[name][0] if untouched else level)
        fresh = set(new[name][1]) - set(old[name][1])
        by_hand = set(before[name][1]) - set(old[name][1])
        assert by_hand <= set(after[name][1]), "what somebody wrote stays"
        taken_out = set(old[name][1]) - set(before[name][1])
        assert not taken_out & set(after[name][1]) - fresh, "what somebody took out stays out"
        if edits.get(name) != "content":
            assert fresh <= set(after[name][1])
            replaced = {
                md5(name, label, one)
                for label, one in base[name][1].items()
                if now[name][1].get(label, one) != one and md5(name, label, one) not in new[name][1]
            }
            assert set(after[name][1]) == (set(before[name][1]) - replaced) | set(new[name][1])
    again = merged(told.text, loaded(told.text), draft(now), draft(now))
    assert (again.text, again.differs, again.gone) == (told.text, False, [])


def test_a_replaced_content_keeps_no_digest_and_no_size_of_the_former_one() -> None:
    """And what the user added to it makes it the user's."""
    was = DraftSheet(
        emulator="plover", needs=[Draft(name="boot.rom", folder="", accepts=[Accept(size=4, md5="a" * 32)])]
    )
    now = DraftSheet(emulator="plover", needs=[Draft(name="boot.rom", folder="", accepts=[Accept(crc32="0" * 8)])])
    text = write_sheet(was)
    told = merged(text, loaded(text), now, was)
    assert tomllib.loads(told.text)["need"][0]["accept"] == [{"crc32": "0" * 8}]
    mine = text.replace("md5 =", f'sha1 = "{"b" * 40}"\nmd5 =')
    told = merged(mine, loaded(mine), now, was)
    assert (told.text, told.yours) == (mine, [f"boot.rom (crc32 {'0' * 8})"])


def test_marks_fall_away_where_the_list_says_now_what_was_to_be_filled_in() -> None:
    was = DraftSheet(emulator="plover", needs=[Draft(name="boot.rom", folder="")])
    now = DraftSheet(emulator="plover", title="Plover", needs=[Draft(name="boot.rom", folder="", title="Boot ROM")])
    text = write_sheet(was)
    told = merged(text, loaded(text), now, was)
    assert (told.text.count("# title = "), text.count("# title = ")) == (0, 2)
    assert loaded(told.text).need[0].title == "Boot ROM"


def test_two_machines_files_of_one_place_are_brought_in_apart() -> None:
    def of(first: str, second: str) -> DraftSheet:
        needs = [
            Draft(name="bios.rom", folder="", machines=[machine], accepts=[Accept(md5=digit * 32)], id=machine.lower())
            for machine, digit in (("Skua", first), ("Tern", second))
        ]
        return DraftSheet(emulator="plover", machines=("Skua", "Tern"), needs=needs)

    text = write_sheet(of("1", "2"))
    told = merged(text, loaded(text), of("1", "3"), of("1", "2"))
    needs = {need.id: [one.md5 for one in need.accept] for need in loaded(told.text).need}
    assert needs == {"skua": ["1" * 32], "tern": ["3" * 32]}


SETS = st.dictionaries(
    st.sampled_from(["saltpan", "saltpanj", "whelk", "limpet"]),
    st.tuples(st.sampled_from(["", "Salt", "Pan"]), st.sampled_from([None, 1986, 1988])),
)


def sets(said: dict[str, tuple[str, int | None]]) -> list[ArcadeSet]:
    return [ArcadeSet(set=name, title=title, year=year) for name, (title, year) in said.items()]


@given(base=SETS, now=SETS, data=st.data())
def test_sets_of_a_roster_are_brought_in_in_the_same_way(base: Any, now: Any, data: Any) -> None:
    here = {one.set: one for one in sets(base)}
    edits = data.draw(st.dictionaries(st.sampled_from(["saltpan", "whelk", "limpet", "mine"]), st.booleans()))
    for name, plays in edits.items():
        if plays:
            was = here.get(name, ArcadeSet(set=name))
            here[name] = ArcadeSet(set=name, title=was.title, year=1999, plays=Plays.FLAWED)
        else:
            here.pop(name, None)
    head, there, told = RosterHead(roster=1, emulator="t", release="1"), LoadedSets(here), Merged()
    roster = Roster(head=head, sets=there)
    after = {one.set: one for one in merged_sets(roster, sets(now), sets(base), told)}
    assert set(here) <= set(after)
    assert set(told.gone) == (set(here) & set(base)) - set(now)
    for name, one in after.items():
        if name not in here:
            assert name in now
            assert name not in base
            assert (one.title, one.year) == now[name]
        elif name not in now or name not in base:
            assert one == here[name]
        else:
            title = now[name][0] if here[name].title == base[name][0] else here[name].title
            year = now[name][1] if here[name].year == base[name][1] else here[name].year
            assert (one.title, one.year, one.plays) == (title, year, here[name].plays)
