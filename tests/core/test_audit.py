"""The audit as a pure function: verdict, remedy and reason of every kind of place."""

from __future__ import annotations

import pytest
from msgspec import structs

from gribble.core.audit.judging.audit import audit
from gribble.core.audit.judging.case import Given
from gribble.core.audit.looking import as_spelled
from gribble.core.catalogue.config import fit_sheet
from gribble.core.placing.plan import make_plan
from gribble.core.records.config import Installed, Liking
from gribble.core.records.findings import NeedFinding, State
from gribble.core.records.holding import Holding, Skipped, Why
from gribble.core.records.rig_seen import RigSeen, RigVolume
from gribble.core.records.sheet import Accept, Also, Need, Reject, Sheet
from gribble.core.records.steps import Plan
from gribble.core.sayings.facts import say_all
from gribble.core.survey.holdings import HeldHere
from gribble.core.survey.matching import KnownContents
from tests.making import said
from tests.needs import accept, digest, held, need


def examine(
    needs: list[Need],
    files: dict[str, str],
    drawer: list[Holding] | None = None,
    *,
    folds_case: bool = False,
    regions: tuple[str, ...] = (),
    newest: bool = False,
    ignore: tuple[str, ...] = (),
    odd: dict[str, Skipped] | None = None,
) -> tuple[list[NeedFinding], Plan, State, tuple[str, ...]]:
    """Findings, plan, state and spare files of one rig with one emulator."""
    sheet = Sheet(sheet=1, emulator="knot", folders={"boot": "boot", "disk": "disk"}, need=tuple(needs))
    rig = RigSeen(
        name="den",
        root="/den",
        emulators=(fit_sheet(sheet, Installed(release="1", ignore=ignore), Liking(regions, newest)),),
        holdings=HeldHere(held(path, what, "den") for path, what in files.items()),
        volume=RigVolume(folds_case=folds_case),
        odd=odd or {},
    )
    audits = audit([rig], [HeldHere(drawer or [])], Given(known=KnownContents([sheet])))
    emulator = audits[0].emulators[0]
    return list(emulator.findings), make_plan(audits), emulator.state, emulator.spare


GOOD = need()
CASES: dict[str, tuple[Need, dict[str, str], list[Holding], bool, str, str, str]] = {
    # name: need, files on the rig, drawer, volume folds case, verdict, remedy, state
    "in its place": (GOOD, {"boot/a.rom": "good"}, [], False, "sound", "none", "ready"),
    "under an alias": (need(aliases=("b.rom",)), {"boot/b.rom": "good"}, [], False, "sound", "none", "ready"),
    "no digest": (need(accept=()), {"boot/a.rom": "any"}, [], False, "unproven", "none", "ready"),
    "only a size, right": (
        need(accept=(Accept(size=3),)), {"boot/a.rom": "any"}, [], False, "unproven", "none", "ready",
    ),
    "only a size, wrong": (
        need(accept=(Accept(size=4),)), {"boot/a.rom": "any"}, [], False, "imposter", "obtain", "blocked",
    ),
    "no digest, rejected": (
        need(accept=(), reject=(Reject(sha1=digest("bad")),)), {"boot/a.rom": "bad"}, [], False,
        "imposter", "obtain", "blocked",
    ),
    "other name": (GOOD, {"boot/x": "good"}, [], False, "misnamed", "rename", "blocked"),
    "other case": (GOOD, {"boot/A.ROM": "good"}, [], False, "misnamed", "rename", "blocked"),
    "other case, forgiven": (GOOD, {"boot/A.ROM": "good"}, [], True, "misnamed", "rename", "ready"),
    "wrong in other case, forgiven": (GOOD, {"boot/A.ROM": "evil"}, [], True, "imposter", "obtain", "blocked"),
    "other folder": (GOOD, {"x/a.rom": "good"}, [], False, "astray", "place", "blocked"),
    "in the drawer": (GOOD, {}, [held("z", "good")], False, "astray", "place", "blocked"),
    "in an archive": (GOOD, {}, [held("z.zip", "good", member="m")], False, "astray", "place", "blocked"),
    "wrong": (GOOD, {"boot/a.rom": "evil"}, [], False, "imposter", "obtain", "blocked"),
    "wrong, right one held": (
        GOOD, {"boot/a.rom": "evil"}, [held("z", "good")], False, "imposter", "replace", "blocked",
    ),
    "wrong alias beside right": (
        need(aliases=("b.rom",)), {"boot/a.rom": "good", "boot/b.rom": "evil"}, [], False,
        "imposter", "replace", "blocked",
    ),
    "any name": (need(any_name=True), {"boot/x": "good", "boot/y": "evil"}, [], False, "sound", "none", "ready"),
    "any name, none right": (need(any_name=True), {"boot/y": "evil"}, [], False, "missing", "obtain", "blocked"),
    "nowhere": (GOOD, {}, [], False, "missing", "obtain", "blocked"),
    "nowhere, better": (need(level="better"), {}, [], False, "missing", "obtain", "limited"),
    "nowhere, extra": (need(level="extra"), {}, [], False, "missing", "obtain", "ready"),
    "for another release": (
        need(accept=(accept("good", releases=">=2"),)), {"boot/a.rom": "good"}, [], False,
        "unfit", "obtain", "blocked",
    ),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_a_place_gets_its_verdict(case: str) -> None:
    wanted, files, drawer, folds_case, verdict, remedy, state = CASES[case]
    findings, _, found_state, _ = examine([wanted], files, drawer, folds_case=folds_case)
    place = findings[0].chief
    assert (place.verdict, place.remedy, found_state) == (verdict, remedy, state)
    assert say_all(place.facts)


def test_imposters_are_called_by_their_true_name() -> None:
    wanted = need(reject=(Reject(label="debug revision", sha1=digest("evil"), why="Stops."),))
    other = need("disk", "d.rom", accept=(accept("disk"),), title="Disk ROM")
    reasons = [
        say_all(examine([wanted, other], {"boot/a.rom": what})[0][0].chief.facts)
        for what in ("evil", "disk", "dust", "longer")
    ]
    assert reasons == [
        "it is the debug revision: Stops",
        "it is really knot's Disk ROM",
        "no sheet knows this content",
        "it is 6 bytes long, not 4",
    ]


def test_regions_then_the_sheets_order_choose_the_content_but_never_displace_a_sound_one() -> None:
    wanted = need(accept=(accept("us", region="US"), accept("eu", region="EU")))
    drawer = [held("1", "us"), held("2", "eu")]
    assert said(examine([wanted], {}, drawer)[1].steps[0], "from_") == ["/drawer/1"]
    assert said(examine([wanted], {}, drawer, regions=("EU",))[1].steps[0], "from_") == ["/drawer/2"]
    assert examine([wanted], {"boot/a.rom": "us"}, drawer, regions=("EU",))[1].steps == ()


def test_the_nearest_and_safest_copy_is_used() -> None:
    copies = [
        held("1.zip", "good", member="m"),
        held("long name", "good"),
        held("2", "good"),
        held("0", "good", rig="other"),
    ]
    assert said(examine([GOOD], {}, copies)[1].steps[0], "from_") == ["/drawer/2"]
    assert said(examine([GOOD], {}, copies[:2])[1].steps[0], "from_") == ["/drawer/long name"]
    assert said(examine([GOOD], {"far/x": "good"}, copies)[1].steps[0], "from_") == ["far/x"]


def steps(plan: Plan) -> list[tuple[str, str, str | None, str | None]]:
    return [(step.kind, *said(step, "from_", "to", "replaces")) for step in plan.steps]


def test_a_file_that_serves_where_it_lies_is_copied_never_moved() -> None:
    twin = need("twin", "b.rom")
    findings, plan, _, _ = examine([GOOD, twin], {"boot/b.rom": "good"})
    assert findings[0].chief.verdict == "astray"
    assert steps(plan) == [("copy", "boot/b.rom", "boot/a.rom", None)]


def test_a_file_wanted_twice_is_copied_before_it_is_renamed() -> None:
    wanted = need(also=(Also(folder="disk", name="s/a.rom"),))
    findings, plan, _, _ = examine([wanted], {"boot/A.ROM": "good"})
    assert findings[0].chief.verdict == "astray"
    assert steps(plan) == [
        ("copy", "boot/A.ROM", "disk/s/a.rom", None),
        ("rename", "boot/A.ROM", "boot/a.rom", None),
    ]


def test_swapped_files_are_copied_over_one_another() -> None:
    two = need("two", "b.rom", accept=(accept("other"),))
    _, plan, _, _ = examine([GOOD, two], {"boot/a.rom": "other", "boot/b.rom": "good"})
    assert steps(plan) == [
        ("copy", "boot/b.rom", "boot/a.rom", "boot/a.rom"),
        ("copy", "boot/a.rom", "boot/b.rom", "boot/b.rom"),
    ]


def test_a_wrong_alias_goes_to_the_attic_and_the_right_file_stays() -> None:
    wanted = need(aliases=("b.rom",))
    _, plan, _, _ = examine([wanted], {"boot/a.rom": "good", "boot/b.rom": "evil"})
    assert steps(plan) == [("displace", "boot/b.rom", None, None)]
    _, plan, _, _ = examine([wanted], {"boot/b.rom": "evil"}, [held("z", "good")])
    assert steps(plan) == [("copy", "/drawer/z", "boot/a.rom", None), ("displace", "boot/b.rom", None, None)]


def test_on_a_folding_volume_the_file_in_other_case_is_the_one_replaced() -> None:
    _, plan, _, _ = examine([GOOD], {"boot/A.ROM": "evil"}, [held("z", "good")], folds_case=True)
    assert steps(plan) == [("copy", "/drawer/z", "boot/a.rom", "boot/A.ROM")]


def test_one_place_wanted_with_two_contents_is_refused_with_a_reason() -> None:
    other = need("two", also=(Also(folder="boot", name="a.rom"),), name="c.rom", accept=(accept("other"),))
    _, plan, _, _ = examine([GOOD, other], {}, [held("1", "good"), held("2", "other")])
    assert [(one.need, one.reason.partition(";")[0]) for one in plan.refused] == [
        ("rom", "knot's two needs a different file at boot/a.rom"),
        ("two", "knot's rom needs a different file at boot/a.rom"),
    ]
    assert steps(plan) == [("copy", "/drawer/2", "boot/c.rom", None)]


def test_a_content_that_all_who_want_a_place_accept_is_taken() -> None:
    """Two emulators' needs share a name; only one of the contents that either prefers suits both."""
    one = need("one", accept=(accept("mine"), accept("ours")))
    two = need("two", accept=(accept("yours"), accept("ours")))
    copies = [held(what, what) for what in ("mine", "yours", "ours")]
    _, plan, _, _ = examine([one, two], {}, copies)
    assert steps(plan) == [("copy", "/drawer/ours", "boot/a.rom", None)]
    _, plan, _, _ = examine([one, two], {"boot/a.rom": "mine"}, copies)
    assert steps(plan) == [("copy", "/drawer/ours", "boot/a.rom", "boot/a.rom")], "it suits one, the new one both"
    _, plan, _, _ = examine([one, two], {"boot/a.rom": "mine"}, copies[:2])
    assert (steps(plan), len(plan.refused)) == ([], 1)


def test_an_ignored_gap_alarms_nobody_and_is_not_planned() -> None:
    findings, plan, state, _ = examine([GOOD], {}, [held("z", "good")], ignore=("rom",))
    assert (findings[0].ignored, state, plan.steps, plan.obtain) == (True, State.READY, (), ())


def test_what_could_not_be_examined_is_unproven_and_says_why() -> None:
    for path in ("boot/a.rom", "boot"):
        odd = {path: Skipped(path, "cannot be read", kind=Why.UNREAD)}
        findings, _, state, _ = examine([GOOD], {}, [held("z", "good")], odd=odd)
        place = findings[0].chief
        assert (place.verdict, place.remedy, state) == ("unproven", "none", State.BLOCKED)
        assert "could not be examined" in say_all(place.facts)


def test_a_namesake_without_digest_is_mentioned_and_taken_only_by_name() -> None:
    wanted = need(accept=())
    findings, plan, state, _ = examine([wanted], {}, [held("A.rom", "any")])
    place = findings[0].chief
    assert (place.verdict, place.remedy, place.by_name, plan.steps, plan.obtain) == ("missing", "place", True, (), ())
    assert "--by-name" in say_all(place.facts)
    assert "--by-name" in plan.refused[0].reason
    assert (place.fixable, state) == (False, State.BLOCKED)


@pytest.mark.parametrize(
    ("lying", "drawer", "verdict", "remedy"),
    [
        ({}, "good", "missing", "place"),
        ({}, "too long", "missing", "obtain"),
        ({"boot/a.rom": "wrong size"}, "good", "imposter", "replace"),
        ({"boot/a.rom": "wrong size"}, "too long", "imposter", "obtain"),
        ({"boot/a.rom": "evil"}, "good", "unproven", "none"),
    ],
)
def test_a_namesake_must_have_the_size_that_is_known(
    lying: dict[str, str], drawer: str, verdict: str, remedy: str
) -> None:
    findings, plan, _, _ = examine([need(accept=(Accept(size=4),))], lying, [held("x/A.ROM", drawer)])
    place = findings[0].chief
    assert (place.verdict, place.remedy, plan.steps) == (verdict, remedy, ())
    assert place.by_name == (remedy in ("place", "replace"))


def test_spare_files_are_those_that_no_sheet_knows() -> None:
    files = {"boot/a.rom": "good", "boot/deep/note.txt": "hello", "elsewhere/x": "x", "boot/copy": "good"}
    assert examine([GOOD], files)[3] == ("boot/deep/note.txt",)


USED = need(
    "drive", "d.img", accept=(accept("fresh"),), changes=True, reject=(Reject(sha1=digest("bad"), why="Stops."),)
)


@pytest.mark.parametrize(
    ("files", "drawer", "verdict", "remedy", "steps"),
    [
        ({"boot/d.img": "fresh"}, [], "sound", "none", 0),
        ({"boot/d.img": "fresh, and played"}, [held("x", "fresh")], "unproven", "none", 0),
        ({"boot/d.img": "frESH"}, [held("x", "fresh")], "unproven", "none", 0),
        ({}, [held("x", "fresh")], "astray", "place", 1),
        ({}, [held("d.img", "used elsewhere")], "missing", "obtain", 0),
        ({"boot/d.img": ""}, [held("x", "fresh")], "imposter", "replace", 1),
        ({"boot/d.img": "bad"}, [held("x", "fresh")], "imposter", "replace", 1),
        ({"boot/d.img": "good"}, [held("x", "fresh")], "imposter", "replace", 1),
        ({"boot/D.IMG": "played"}, [held("x", "fresh")], "astray", "place", 1),
    ],
)
def test_a_file_that_changes_by_being_used_is_never_displaced(
    files: dict[str, str], drawer: list[Holding], verdict: str, remedy: str, steps: int
) -> None:
    findings, plan, _, _ = examine([USED, GOOD], {"boot/a.rom": "good", **files}, drawer)
    place = findings[0].chief
    assert (place.verdict, place.remedy, len(plan.steps)) == (verdict, remedy, steps)
    assert ("the emulator has written to it since it was new" in say_all(place.facts)) == (verdict == "unproven")


def test_a_file_in_use_stays_where_another_need_takes_its_name_as_an_alias() -> None:
    other = need("other", "o.rom", aliases=("d.img",), accept=(accept("other"),))
    found, plan, _, _ = examine([USED, other], {"boot/d.img": "played"}, [held("x", "other"), held("y", "fresh")])
    assert found[0].chief.verdict == "unproven"
    assert not [step for step in plan.steps if said(step, "from_", "replaces") != ["/drawer/x", None]]


def test_any_name_is_no_licence_to_displace_what_is_in_use() -> None:
    wanted = structs.replace(USED, any_name=True)
    findings, plan, _, _ = examine([wanted], {"boot/d.img": "played"}, [held("x", "fresh")])
    assert (findings[0].chief.verdict, plan.steps) == ("unproven", ())


def test_what_is_rejected_is_told_where_any_name_will_do() -> None:
    wanted = need(any_name=True, reject=(Reject(label="debug revision", sha1=digest("bad"), why="Stops."),))
    for drawer, verdict in (([], "missing"), ([held("x", "good")], "astray")):
        place = examine([wanted], {"boot/some.rom": "bad", "boot/other": "unknown"}, drawer)[0][0].chief
        assert place.verdict == verdict
        assert "some.rom there: it is the debug revision: Stops" in say_all(place.facts)
        assert "other.rom" not in say_all(place.facts)
    assert "there" not in say_all(examine([wanted], {"boot/some.rom": "bad", "boot/x": "good"})[0][0].chief.facts)


def test_folders_are_spelled_as_those_that_are_there() -> None:
    """The sheet's own spelling where it is there, too; of what is not there only the folders above."""
    folders = {"a": "roms/boot", "b": "roms/new/deep", "c": "other", "d": "Both", "e": ""}
    fitted = fit_sheet(Sheet(sheet=1, emulator="knot", folders=folders), Installed())
    for there in (["ROMS", "ROMS/Boot", "BOTH", "Both", "both"], ["both", "Both", "BOTH", "ROMS/Boot", "ROMS"]):
        (one,) = as_spelled((fitted,), there)
        assert one.folders == {"a": "ROMS/Boot", "b": "ROMS/new/deep", "c": "other", "d": "Both", "e": ""}
