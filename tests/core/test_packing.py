"""Packing: what is planned makes sets run, brings them into a style, loses nothing, and is then left alone."""

from __future__ import annotations

import zlib
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec import structs

from gribble.core.arcade.cabinet import Cabinet, Shape
from gribble.core.arcade.sets import audit_set
from gribble.core.arcade.styled import InStyle
from gribble.core.base.kinds import Style
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import Roster
from tests.arcades import (
    BIOS,
    FAMILY,
    KID,
    MUM,
    Files,
    arranged,
    carried_out,
    file,
    held,
    listed_whole,
    remedies,
    roster,
)


def packed(made: Roster, wanted: list[str], files: Files, style: Style | None, **options: Any) -> Files:
    """The rig's files after packing, by place; packing once more must change nothing, and nothing may be lost."""
    now, attic = carried_out(files, remedies(made, wanted, files, style, **options))
    again = remedies(made, wanted, now, style, **options)
    assert (again.packed, again.loose, again.displaced) == ((), (), ())
    assert set(files.values()) <= {*now.values(), *attic.values()}
    return {place: what for place, what in now.items() if not place.startswith("drawer/")}


LOOSE = {f"drawer/{what}": what for what in ("boot", "tone", "mum1", "both", "kid1")}
SPLIT = {**BIOS, **MUM, **KID}
MERGED = {**BIOS, **MUM, "sets/mum.zip/kid1.bin": "kid1"}
FULL = {f"sets/{name}.zip/{what}.bin": what for name in ("mum", "kid") for what in (f"{name}1", "both", "boot", "tone")}


@pytest.mark.parametrize(("style", "expected"), [(Style.SPLIT, SPLIT), (Style.MERGED, MERGED), (Style.FULL, FULL)])
@pytest.mark.parametrize("start", [LOOSE, SPLIT, MERGED, FULL], ids=["loose", "split", "merged", "full"])
def test_every_style_from_every_other(start: Files, style: Style, expected: Files) -> None:
    now = packed(FAMILY, ["mum", "kid"], start, style)
    extra = {place for place in start if place in BIOS} if style is Style.FULL else set()  # left alone
    assert {place: what for place, what in now.items() if place not in extra} == expected


CASES: dict[str, tuple[Files, Files]] = {
    # without a style: what is on the rig and in the drawer, and what is then new on the rig
    "a parent that is not there": ({**BIOS, **KID, "drawer/m.zip/b": "both"}, {"sets/mum.zip/both.bin": "both"}),
    "a parent that is there": (
        {**BIOS, **KID, "sets/mum.zip/mum1.bin": "mum1", "drawer/b": "both"}, {"sets/mum.zip/both.bin": "both"},
    ),
    "a device": ({"sets/sys.zip/boot.bin": "boot", **MUM, **KID, "drawer/t": "tone"}, {"sets/tone.zip/tone.bin": "tone"}),
    "a wrong file": (
        {**BIOS, **MUM, "sets/kid.zip/kid1.bin": "junk", "drawer/k": "kid1"}, {"sets/kid.zip/kid1.bin": "kid1"},
    ),
    "a folder": ({**BIOS, **MUM, "sets/kid/other": "x", "drawer/z.zip/k": "kid1"}, {"sets/kid/kid1.bin": "kid1"}),
    "another archive": (
        {**BIOS, **MUM, "sets/kid.7z/other": "x", "drawer/k": "kid1"},
        {"sets/kid.zip/kid1.bin": "kid1", "sets/kid.zip/other": "x"},
    ),
    "an archive under another name": ({**BIOS, **MUM, "sets/kid (1).zip/kid1.bin": "kid1"}, {"sets/kid.zip/kid1.bin": "kid1"}),
    "nothing that helps": ({**BIOS, **KID}, {}),
    "a part only": ({**KID, "drawer/t": "tone"}, {}),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_without_a_style_only_what_is_lacking_is_brought(case: str) -> None:
    files, new = CASES[case]
    now = packed(FAMILY, ["kid"], files, None)
    assert {place: what for place, what in now.items() if files.get(place) != what} == new
    waiting = remedies(FAMILY, ["kid"], files, None).waiting
    assert [one.reason for one in waiting] == (
        ["not packed in part: both.bin, boot.bin are not found"] if case == "a part only" else []
    )


def test_what_nobody_wants_stays_unless_it_is_asked_to_go() -> None:
    files = {**SPLIT, "sets/kid.zip/readme.txt": "hello"}
    assert packed(FAMILY, ["mum", "kid"], files, Style.MERGED) == {**MERGED, "sets/mum.zip/readme.txt": "hello"}
    assert packed(FAMILY, ["mum", "kid"], files, Style.MERGED, lean=True) == MERGED
    assert packed(FAMILY, ["mum", "kid"], files, Style.SPLIT) == files  # right, and so left alone


def test_a_hostile_name_is_not_handed_on() -> None:
    files = {**SPLIT, "sets/kid.zip/../../evil": "boo"}
    assert packed(FAMILY, ["mum", "kid"], files, Style.MERGED) == MERGED


def test_stubs_stand_for_merged_clones() -> None:
    done = remedies(FAMILY, ["mum", "kid"], SPLIT, Style.MERGED, stubs=True)
    assert [(one.to, one.members, one.replaces) for one in done.packed[1:]] == [("sets/kid.zip", (), "sets/kid.zip")]
    assert done.displaced == ()


def test_names_that_clash_and_names_that_climb() -> None:
    made = roster(
        mum={"files": [file("mum1"), {**file("mum2"), "name": "prog"}]},
        kid={"parent": "mum", "files": [{**file("kid1"), "name": "prog"}]},
        evil={"files": [{**file("evil"), "name": "../evil"}]},
    )
    files = {f"drawer/{what}": what for what in ("mum1", "mum2", "kid1", "evil")}
    assert packed(made, ["mum", "kid"], files, Style.MERGED) == {
        "sets/mum.zip/mum1.bin": "mum1", "sets/mum.zip/prog": "mum2", "sets/mum.zip/kid/prog": "kid1",
    }  # fmt: skip
    done = remedies(made, ["evil"], files, None)
    assert done.packed == ()
    assert "climbs out" in done.waiting[0].reason


@settings(max_examples=150)
@given(st.data())
def test_random_families_keep_everything_in_every_style(data: st.DataObject) -> None:
    """From a shuffled pile through several styles: every set runs, packing is a fixed point, nothing is lost."""
    clones = [f"kid{n}" for n in range(data.draw(st.integers(0, 3)))]
    own = {name: [f"{name}-{n}" for n in range(data.draw(st.integers(0, 3)))] for name in ["mum", *clones]}
    shared = [f"shared-{n}" for n in range(data.draw(st.integers(0, 3)))]
    clash = data.draw(st.booleans())

    def listed(what: str) -> dict[str, Any]:
        return {**file(what), "name": "prog"} if clash and what.endswith("-0") and "shared" not in what else file(what)

    kids: dict[str, Any] = {
        name: {"parent": "mum", "files": [*map(listed, contents), *(file(w, parent_name=f"{w}.bin") for w in shared)]}
        for name, contents in own.items()
        if name != "mum"
    }
    made = roster(
        "2", **kids,
        sys={"kind": "bios", "files": [file("boot")]}, tone={"kind": "device", "files": [file("tone")]},
        mum={"bios": "sys", "devices": ["tone"], "files": [*map(listed, own["mum"]), *map(file, shared)]},
    )  # fmt: skip
    contents = [*shared, "boot", "tone", *(what for group in own.values() for what in group)]
    folders = ("drawer", "drawer/a.zip", "sets/mum.zip", "sets/kid0.zip", "sets/kid1", "sets/mum.7z", "sets/odd.zip")
    files = {f"{data.draw(st.sampled_from(folders))}/{zlib.crc32(what.encode()):x}": what for what in contents}
    files["sets/mum.zip/notes"] = "what nobody wants"
    wanted = data.draw(st.lists(st.sampled_from(list(own)), unique=True, min_size=1))
    styles = data.draw(st.lists(st.sampled_from([None, *Style]), min_size=1, max_size=4))
    drawer = {place: what for place, what in files.items() if place.startswith("drawer/")}
    for style in styles:
        now = packed(made, wanted, {**drawer, **files}, style, stubs=data.draw(st.booleans()))
        there = arranged(now)
        assert {audit_set(made, name, there).state for name in wanted} == {"ready"}
        assert "what nobody wants" in now.values()
        assert {what for place, what in files.items() if place.startswith("sets/")} <= {"", *now.values()}
        for name in wanted if style is not None else ():
            alone = [*own[name], *shared, "boot", "tone"] if style is Style.FULL else own[name]
            home = "sets/mum.zip/" if style is Style.MERGED else f"sets/{name}.zip/"
            if any(place.startswith(f"sets/{name}/") for place in files):
                home = f"sets/{name}/"  # what is kept in a folder stays there
                assert not any(place.startswith(f"sets/{name}.zip") for place in now)
            assert set(alone) <= {what for place, what in now.items() if place.startswith(home)}
            if style is Style.SPLIT and name != "mum" and home.endswith(".zip/"):
                assert not {what for place, what in now.items() if place.startswith(home)} & {*shared, "boot", "tone"}
        files = now


def test_what_a_clones_archive_has_besides_is_not_dropped_for_its_name() -> None:
    """Parent and clone each have a note of their own under one name, and neither is in the roster."""
    files = {**SPLIT, "sets/mum.zip/notes.txt": "of the parent", "sets/kid.zip/notes.txt": "of the clone"}
    now = packed(FAMILY, ["mum", "kid"], files, Style.MERGED)
    assert {now["sets/mum.zip/notes.txt"], now["sets/mum.zip/kid/notes.txt"]} == {"of the parent", "of the clone"}


@pytest.mark.parametrize(
    ("style", "files", "new"),
    [
        (Style.SPLIT, {**SPLIT, "sets/twin.zip/both.bin": "both"}, SPLIT),
        (Style.SPLIT, {**SPLIT, "sets/twin.zip/notes": "of the twin"}, {**SPLIT, "sets/twin.zip/notes": "of the twin"}),
        (Style.MERGED, {**MERGED, "sets/kid.zip/notes": "of the kid"}, {**MERGED, "sets/mum.zip/notes": "of the kid"}),
        (Style.FULL, {**FULL, "sets/sys.zip/boot.bin": "boot"}, {**FULL, "sets/sys.zip/boot.bin": "boot"}),
    ],
)
def test_what_lies_beside_archives_that_are_right_is_seen(style: Style, files: Files, new: Files) -> None:
    family: dict[str, Any] = {name: structs.asdict(FAMILY.sets[name]) for name in FAMILY.sets}
    made = roster(
        **family,
        twin={"parent": "mum", "files": [file("both", parent_name="both.bin")]},
    )
    wanted = ["mum", "kid", *(["twin"] if style is not Style.FULL else [])]
    assert packed(made, wanted, files, style) == new


def test_an_archive_with_one_name_twice_is_not_right_at_a_glance() -> None:
    made = roster(
        mum={"files": [{**file("mum1"), "name": "prog"}]},
        kid={"parent": "mum", "files": [{**file("kid1"), "name": "prog"}]},
    )
    here = listed_whole([held("sets/mum.zip", what, "prog") for what in ("mum1", "kid1")])
    rig = RigSeen(name="den", root="/den", emulators=(), holdings=here)
    there = Cabinet(rig, Shape("sets", ("zip",)), [])
    assert InStyle(made, ["mum", "kid"], there, Style.MERGED).sets == frozenset()
