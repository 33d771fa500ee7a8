"""Game folders and pairs: what a plan for games does about them, and what is left to the person."""

from __future__ import annotations

import pytest
from msgspec import structs

from gribble.core.placing.plan import make_plan
from gribble.core.records.findings import GameFinding, RigAudit, Standing
from gribble.core.records.sheet import IdAt, Media, Packing, Pair, Refusal
from gribble.core.records.steps import Pack
from gribble.core.sayings.facts import say_all
from tests.auditing import examine
from tests.making import said
from tests.needs import held

OWN = Media(folder="disk", accepts=(".tdf", ".cue"), packing=Packing.LOOSE, own_folder=True, folder_name="Tern - *")
ZIPPED = Media(folder="disk", accepts=(".tdf", ".cue"), packing=Packing.ZIPPED)


def looked(files: dict[str, str], *media: Media, members: dict[str, tuple[str, ...]] | None = None) -> RigAudit:
    """Game folders; `members` are those of archives, by path."""
    inside = [held(path, f"in {one}", "den", one) for path, names in (members or {}).items() for one in names]
    archives = [held(path, "zip", "den") for path in members or {}]
    return examine([], files, games=True, media=media, more=[*archives, *inside])


def found(audit: RigAudit) -> list[GameFinding]:
    return list(audit.emulators[0].games or ())


def done(audit: RigAudit) -> list[tuple[object, ...]]:
    """The steps of a plan for games, shortly."""
    steps: list[tuple[object, ...]] = []
    for step in make_plan([audit]).steps:
        if isinstance(step, Pack):
            steps.append((step.kind, step.to, *(member.name for member in step.members)))
        else:
            steps.append((step.kind, *said(step, "from_", "member", "to")))
    return steps


def test_a_game_gets_a_folder_of_its_own_with_what_belongs_to_it() -> None:
    audit = looked({"disk/reef.tdf": "g", "disk/reef.txt": "n", "disk/other.txt": "o"}, OWN)
    assert done(audit) == [
        ("rename", "disk/reef.tdf", None, "disk/Tern - reef/reef.tdf"),
        ("rename", "disk/reef.txt", None, "disk/Tern - reef/reef.txt"),
    ]
    assert (found(audit)[0].verdict, found(audit)[0].remedy) == ("astray", "place")


def test_a_folder_is_called_as_it_must_be_and_everything_in_it_goes_along() -> None:
    files = {"disk/Reef/reef.tdf": "g", "disk/Reef/maps/1.pic": "m", "disk/Tern - Cay/cay.tdf": "c"}
    audit = looked(files, OWN)
    assert done(audit) == [
        ("rename", "disk/Reef/reef.tdf", None, "disk/Tern - Reef/reef.tdf"),
        ("rename", "disk/Reef/maps/1.pic", None, "disk/Tern - Reef/maps/1.pic"),
    ]


def test_an_archive_is_unpacked_where_its_game_belongs() -> None:
    audit = looked({}, OWN, members={"disk/reef.zip": ("reef.tdf", "art/box.pic")})
    assert done(audit) == [
        ("extract", "disk/reef.zip", "reef.tdf", "disk/Tern - reef/reef.tdf"),
        ("extract", "disk/reef.zip", "art/box.pic", "disk/Tern - reef/art/box.pic"),
        ("displace", "disk/reef.zip", None, None),
    ]


def test_a_loose_game_is_zipped() -> None:
    audit = looked({"disk/sub/reef.tdf": "g"}, ZIPPED)
    assert done(audit) == [("pack", "disk/sub/reef.zip", "reef.tdf"), ("displace", "disk/sub/reef.tdf", None, None)]


@pytest.mark.parametrize(
    ("files", "media", "members"),
    [
        ({"disk/reef.tdf": "g", "disk/Tern - reef/reef.tdf": "other"}, OWN, {}),
        ({"disk/reef.cue": "g"}, OWN, {}),
        ({"disk/reef.cue": "g"}, ZIPPED, {}),
        ({"disk/reef.tdf": "g", "disk/reef.zip": "z"}, ZIPPED, {}),
        ({}, OWN, {"disk/reef.zip": ("reef.tdf", "../../up.tdf")}),
        ({}, OWN, {"disk/reef.zip": ("reef.tdf", "more.zip/x.tdf")}),
        ({"disk/Tern - reef/reef.tdf": "old"}, OWN, {"disk/reef.zip": ("reef.tdf",)}),
        ({"disk/reef.tdf": "g"}, structs.replace(OWN, folder_name="Tern [0-9]*"), {}),
        ({"disk/Tern - a/a.tdf": "too large"}, structs.replace(OWN, max_bytes=3), {}),
        ({"disk/Tern - a/a.chd": "x"}, structs.replace(OWN, refuses=(Refusal(ending=".chd"),)), {}),
    ],
)
def test_what_could_go_wrong_is_left_to_the_person(
    files: dict[str, str], media: Media, members: dict[str, tuple[str, ...]]
) -> None:
    audit = looked(files, media, members=members)
    assert found(audit)
    assert done(audit) == []


def test_what_is_of_no_known_ending_is_told_once_and_harms_nobody() -> None:
    audit = looked({"disk/Tern - a/a.tdf": "g", **{f"disk/Tern - a/{n}.sav": "s" for n in range(9)}}, OWN)
    assert [(one.subject.file, Standing.REMARK in one.standing, say_all(one.facts)) for one in found(audit)] == [
        ("disk/Tern - a/0.sav", True, "9 files that end in .sav; the sheet says nothing about them")
    ]
    tracks = looked({"disk/Tern - a/a.cue": "c", "disk/Tern - a/a.bin": "b"}, OWN)
    assert found(tracks) == []


def test_a_folder_of_a_title_with_nothing_readable_is_told() -> None:
    audit = looked(
        {"disk/Tern - a/readme": "n", "disk/Tern - b/b.tdf": "g"}, OWN, members={"disk/Tern - c/c.zip": ("c.tdf",)}
    )
    assert [(one.subject.file, one.verdict) for one in found(audit) if one.verdict == "missing"] == [
        ("disk/Tern - a", "missing")
    ]


AT = IdAt(offset=4, length=8)
TAGGED = Pair(folder="disk", each="*.crate", wants="{stem}.tag", id_at=AT, wants_folder="boot", wants_id_at=AT)


def paired(files: dict[str, str], ids: dict[str, str], pair: Pair, drawer: dict[str, str] | None = None) -> RigAudit:
    sources = [
        held(path, what, member=f"x/{path}" if path.endswith("+") else None) for path, what in (drawer or {}).items()
    ]
    return examine([], files, sources, games=True, pair=(pair,), ids=ids)


def test_a_partner_is_known_by_the_id_inside_it_in_its_own_folder() -> None:
    files = {"disk/a.crate": "1", "disk/b.crate": "2", "boot/what ever.tag": "3", "boot/b.tag": "4"}
    ids = {"disk/a.crate": "A1", "disk/b.crate": "B2", "boot/what ever.tag": "A1", "boot/b.tag": "C3"}
    audit = paired(files, ids, TAGGED)
    told = {one.subject.file: (one.verdict, say_all(one.facts)) for one in found(audit)}
    assert told.keys() == {"disk/b.crate", "boot/b.tag"}
    assert told["disk/b.crate"][0] == "missing"
    assert "b.tag there is for C3" in told["disk/b.crate"][1]
    assert told["boot/b.tag"][0] == "unproven"  # nobody's


def test_a_partner_held_elsewhere_is_named_and_brought() -> None:
    audit = paired({"disk/a.crate": "1"}, {"disk/a.crate": "A1", "old.tag": "A1"}, TAGGED, {"old.tag": "tag"})
    (one,) = found(audit)
    assert (one.verdict, "you have it as old.tag" in say_all(one.facts)) == ("astray", True)
    assert done(audit) == [("copy", "/drawer/old.tag", None, "boot/a.tag")]
    plain = Pair(folder="disk", each="*.crate", wants="{stem}.tag", why="no licence, no game")
    packed = examine([], {"disk/a.crate": "1"}, [held("t.zip", "t", member="x/a.tag")], games=True, pair=(plain,))
    (one,) = found(packed)
    assert say_all(one.facts) == "needs a.tag beside it; you have it as x/a.tag in t.zip; no licence, no game"
    assert done(packed) == [("extract", "/drawer/t.zip", "x/a.tag", "disk/a.tag")]
    spelled = examine([], {"disk/a.crate": "1", "disk/A.TAG": "t"}, games=True, pair=(plain,))
    assert done(spelled) == [("rename", "disk/A.TAG", None, "disk/a.tag")]


def test_without_an_optional_partner_nobody_is_alarmed() -> None:
    for pair in (
        structs.replace(TAGGED, optional=True),
        Pair(folder="disk", each="*.crate", wants="{stem}.up", optional=True),
    ):
        assert found(paired({"disk/a.crate": "1"}, {"disk/a.crate": "A1"}, pair)) == []


def test_an_id_beyond_the_end_is_told() -> None:
    audit = paired({"disk/a.crate": "1", "boot/a.tag": "short"}, {"disk/a.crate": "A1"}, TAGGED)
    told = {one.subject.file: say_all(one.facts) for one in found(audit)}
    assert told["boot/a.tag"] == "has no id at byte 4, where it has 5 bytes"
    assert "disk/a.crate" in told


def test_spare_files_are_told_in_every_folder_but_those_of_games() -> None:
    pair = Pair(folder="tags", each="*.crate", wants="{stem}.tag")
    files = {"disk/x.sav": "1", "tags/a.tag": "2", "tags/odd": "3", "boot/y": "4", "deep/in/z": "5", "out": "6"}
    audit = examine([], files, media=(OWN,), pair=(pair,), folders={"tags": "tags", "deep": "deep", "inner": "disk/in"})
    assert set(audit.emulators[0].spare) == {"tags/odd", "boot/y", "deep/in/z"}
