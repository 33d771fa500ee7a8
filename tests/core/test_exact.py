"""Devices that compare names exactly on a volume that does not, labels, and folders in which nothing else may lie."""

from __future__ import annotations

import pytest
from msgspec import structs

from gribble.core.answers.next import next_turn
from gribble.core.answers.why import answers
from gribble.core.base.kinds import Format
from gribble.core.placing.plan import make_plan
from gribble.core.records.findings import RigAudit
from gribble.core.records.rig_seen import RigVolume
from gribble.core.records.sheet import Media, Need, Pair, Root, Setting
from gribble.core.sayings.facts import fix_words, say_all
from tests.auditing import examine, steps, verdicts
from tests.making import said
from tests.needs import held, manifest, need

EXACT = Root(exact_names=True)
FOLDS = RigVolume(folds_case=True)
FOLDING = {"volume": FOLDS, "folders": frozenset({"", "Boot", "disk"})}


def test_case_blocks_where_the_device_compares_exactly() -> None:
    forgiven = examine([need()], {"boot/A.ROM": "good"}, rig={"volume": FOLDS})
    assert (forgiven.state, verdicts(forgiven)["rom"]) == ("ready", ("misnamed", "rename"))
    found = examine([need()], {"boot/A.ROM": "good"}, rig={"volume": FOLDS}, root=EXACT)
    assert (found.state, verdicts(found)["rom"]) == ("blocked", ("misnamed", "rename"))
    assert steps(found) == [("rename", "boot/A.ROM", "boot/a.rom")]
    right = examine([need()], {"boot/a.rom": "good"}, rig={"volume": FOLDS}, root=EXACT)
    assert (right.state, verdicts(right)["rom"]) == ("ready", ("sound", "none"))
    wrong = examine([need()], {"boot/A.ROM": "evil"}, [held("1", "good")], rig={"volume": FOLDS}, root=EXACT)
    assert said(make_plan([wrong]).steps[0], "to", "replaces") == ["boot/a.rom", "boot/A.ROM"]


@pytest.mark.parametrize("any_name", [False, True])
@pytest.mark.parametrize("there", [True, False])
def test_folders_count_and_are_the_persons_to_rename(any_name: bool, there: bool) -> None:
    files = {"Boot/a.rom": "good"} if there else {"Boot/other": "x"}
    drawer = [held("1", "good")]
    found = examine([need(any_name=any_name)], files, drawer, rig=FOLDING, root=EXACT)
    assert (found.state, steps(found)) == ("blocked", [])
    place = found.emulators[0].findings[0].chief
    assert place.verdict == ("misnamed" if there else "astray")
    assert place.refusal
    assert "spelled Boot" in say_all(place.facts)
    assert fix_words(place.refusal) == "rename it to boot"
    forgiven = examine([need(any_name=any_name)], files, drawer, rig=FOLDING)
    assert forgiven.state == ("ready" if there else "blocked")


def test_settings_and_their_folders_are_read_exactly() -> None:
    rule = Setting(file="Disk/k.ini", format=Format.INI, key="rom", need="rom")
    data: dict[tuple[str, str], bytes] = {("den", "Disk/k.ini"): b"rom = BOOT/a.rom"}
    files = {"boot/a.rom": "good", "disk/k.ini": "x"}
    rig = {"volume": FOLDS, "folders": frozenset({"", "boot", "disk"})}
    found = examine([need()], files, settings={**data}, setting=(rule,), rig=rig, root=EXACT).emulators[0]
    assert (found.settings[0].verdict, found.settings[0].subject.wanted) == ("wrong", "boot/a.rom")
    assert [(one.subject.demand, one.verdict) for one in found.root] == [("names", "wrong")]
    found = examine([need()], files, settings={**data}, setting=(rule,), rig=rig).emulators[0]
    assert (found.settings[0].verdict, found.root, found.state) == ("sound", (), "ready")


def test_game_folders_and_partners_are_read_exactly() -> None:
    media = Media(folder="disk", accepts=(".tdf",))
    pair = Pair(folder="disk", each="*.slip", wants="{stem}.tag")
    files = {"Disk/a.slip": "s", "Disk/A.tag": "t"}
    rig = {"volume": FOLDS, "folders": frozenset({"", "Disk"})}
    found = examine([], files, games=True, media=(media,), pair=(pair,), rig=rig, root=EXACT).emulators[0]
    assert {(one.subject.rule, one.verdict) for one in found.games or ()} == {
        ("media", "misnamed"),
        ("pair", "misnamed"),
    }
    assert examine([], files, games=True, media=(media,), pair=(pair,), rig=rig).emulators[0].games == ()


@pytest.mark.parametrize(
    ("volume", "label", "exact", "verdict"),
    [
        ("fat32", "TERNBOX", False, "sound"), ("fat32", "TERNBOX", True, "wrong"), ("exfat", "TERNBOX", False, "wrong"),
        ("exfat", "TernBox", True, "sound"), ("", "TERNBOX", False, "unproven"), ("", "OTHER", False, "wrong"),
    ],
)  # fmt: skip
def test_labels_compare_as_the_volume_writes_them(volume: str, label: str, exact: bool, verdict: str) -> None:
    root = Root(label="TernBox", exact_names=exact)
    found = examine([], {}, rig={"volume": RigVolume(kind=volume, label=label)}, root=root)
    assert [one.verdict for one in found.emulators[0].root] == [verdict]


FIRMWARE = manifest("fw", "1.bin", "sub/2.bin", nothing_else=True)
RIGHT = {"boot/1.bin": "1.bin", "boot/sub/2.bin": "sub/2.bin"}


def test_nothing_else_may_lie_in_the_folder() -> None:
    found = examine([FIRMWARE], {**RIGHT, "boot/old.bin": "old", "boot/sub/3": "3"})
    finding = found.emulators[0].findings[0]
    assert (found.state, finding.chief.verdict, finding.chief.remedy) == ("blocked", "imposter", "replace")
    assert say_all(finding.facts) == "2 of 2 files are right; 2 that do not belong there (old.bin, 3)"
    plan = make_plan([found])
    assert (plan.steps, plan.obtain) == ((), ())
    assert [one.reason for one in plan.refused] == [
        "2 files that do not belong there stay; gribble place --only fw displaces them"
    ]
    (answer,) = answers((found,))
    assert next_turn(answer, answer.reasons[0]).command == ("gribble", "place", "knot", "--rig", "den", "--only", "fw")
    taken = make_plan([found], only=["fw"])
    assert [(step.kind, *said(step, "from_")) for step in taken.steps] == [
        ("displace", "boot/old.bin"), ("displace", "boot/sub/3"),
    ]  # fmt: skip
    assert examine([FIRMWARE], RIGHT).state == "ready"
    lax = structs.replace(FIRMWARE, nothing_else=False)
    assert examine([lax], {**RIGHT, "boot/old.bin": "old"}).state == "ready"


def state(*needs: Need, files: dict[str, str], **more: object) -> RigAudit:
    return examine(list(needs), {**RIGHT, **files}, **more)  # type: ignore[arg-type]


def test_what_is_anothers_business_may_lie_there() -> None:
    rom = need(level="extra")
    assert state(FIRMWARE, rom, files={"boot/a.rom": "anything"}).state == "ready"
    assert state(FIRMWARE, need(any_name=True), files={"boot/x": "good"}).state == "ready"
    rule = Setting(file="boot/k.ini", format=Format.INI, key="x", folder="disk")
    data = {("den", "boot/k.ini"): b"x = disk"}
    assert state(FIRMWARE, files={"boot/k.ini": "x"}, setting=(rule,), settings=data).state == "ready"
    assert state(FIRMWARE, files={"boot/k.ini": "x"}).state == "blocked"


def test_two_versions_of_which_one_is_enough_are_in_each_others_way() -> None:
    one = structs.replace(FIRMWARE, choice="fw")
    two = structs.replace(manifest("fw2", "9.bin", nothing_else=True), choice="fw")
    assert state(one, two, files={}).state == "ready"
    both = state(one, two, files={"boot/9.bin": "9.bin"})
    assert both.state == "blocked"
    assert "9.bin" in say_all(both.emulators[0].findings[0].facts)
