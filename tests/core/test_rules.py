"""The rules beyond single files: choices, many files at once, firmware with keys, game folders, demands on the root."""

from __future__ import annotations

import pytest
from msgspec import structs

from gribble.core.answers.next import next_turn
from gribble.core.answers.why import answers, reasons
from gribble.core.base.kinds import Format
from gribble.core.placing.plan import make_plan
from gribble.core.records.facts import Spared
from gribble.core.records.findings import EmulatorAudit, RigAudit, Standing
from gribble.core.records.rig_seen import RigVolume, Unread
from gribble.core.records.sheet import (
    IdAt,
    Key,
    ManifestFile,
    Media,
    Need,
    Packing,
    Pair,
    Refusal,
    Root,
    Setting,
)
from gribble.core.records.steps import Point
from gribble.core.sayings.facts import say_all
from tests.auditing import examine, steps, verdicts
from tests.needs import accept, digest, held, key, need

EU = need("eu", "eu.rom", accept=(accept("eu", region="EU"),), choice="any")
US = need("us", "us.rom", accept=(accept("us", region="US"),), choice="any")


def test_one_sound_member_satisfies_a_choice_and_is_never_displaced() -> None:
    found = examine([EU, US], {"boot/us.rom": "us"}, [held("1", "eu")], regions=("EU",))
    assert verdicts(found) == {"eu": ("astray", "none"), "us": ("sound", "none")}
    assert found.state == "ready"
    assert steps(found) == []


@pytest.mark.parametrize(
    ("regions", "drawer", "placed", "state"),
    [
        ((), ["eu", "us"], ["eu"], "blocked"),
        (("US", "EU"), ["eu", "us"], ["us"], "blocked"),
        (("EU",), ["us"], ["us"], "blocked"),
        (("US",), [], [], "blocked"),
    ],
)
def test_regions_then_the_sheet_choose_among_what_is_held(
    regions: tuple[str, ...], drawer: list[str], placed: list[str], state: str
) -> None:
    found = examine([EU, US], {}, [held(what, what) for what in drawer], regions=regions)
    assert [to for _, _, to in steps(found)] == [f"boot/{what}.rom" for what in placed]
    assert found.state == state
    gaps = make_plan([found]).obtain
    assert [(gap.subject, gap.title) for gap in gaps] == ([] if placed else [("us", "us, or eu")])
    assert len(reasons(found, found.emulators[0])) == 1


def test_a_wrong_file_of_a_spared_member_is_left_alone() -> None:
    found = examine([EU, US], {"boot/eu.rom": "junk", "boot/us.rom": "us"}, [held("1", "eu")])
    assert verdicts(found)["eu"] == ("imposter", "none")
    assert (found.state, steps(found)) == ("ready", [])


def test_many_files_are_found_one_by_one_and_told_with_counts() -> None:
    names = ("a.dat", "sub/b.dat", "c.dat", "d.dat")
    desk = Need(
        id="desk", kind="data", level="must", folder="disk",  # type: ignore[arg-type]
        file=tuple(ManifestFile(name=name, sha1=digest(name)) for name in names),
    )  # fmt: skip
    found = examine([desk], {"disk/a.dat": "a.dat", "disk/C.DAT": "c.dat", "disk/d.dat": "x"}, [held("z", "sub/b.dat")])
    finding = found.emulators[0].findings[0]
    assert finding.chief.verdict == "imposter"
    assert say_all(finding.facts) == "1 of 4 files are right; 1 misnamed (c.dat); 1 astray (b.dat); 1 imposter (d.dat)"
    assert steps(found) == [("copy", "/drawer/z", "disk/sub/b.dat"), ("rename", "disk/C.DAT", "disk/c.dat")]
    whole = examine([desk], {f"disk/{name}": name for name in names})
    assert (whole.state, whole.emulators[0].findings[0].chief.verdict) == ("ready", "sound")


def test_a_gap_accepted_for_one_of_a_choice_is_accepted_for_all() -> None:
    found = examine([EU, US], {}, ignore=("us",))
    assert found.state == "ready"
    assert make_plan([found]).obtain == ()
    assert found.emulators[0].findings[0].spared == Spared("us", "accepted")
    assert examine([EU, US], {"boot/eu.rom": "junk"}, ignore=("us",)).state == "ready"


ROM = need()
AT = "[paths]\nrom = {}\n"
LEADS: dict[str, tuple[str | None, dict[str, str], str, str, str, str]] = {
    # name: the value (None: no file), files on the rig, verdict, remedy, what it should say, words
    "leads to it": ("boot/a.rom", {"boot/a.rom": "good"}, "sound", "none", "", "leads to boot/a.rom"),
    "to a copy elsewhere": ("x/b", {"boot/a.rom": "good", "x/b": "good"}, "sound", "none", "", "the right file"),
    "from the file's folder": ("../boot/a.rom", {"boot/a.rom": "good"}, "sound", "none", "", "leads to boot/a.rom"),
    "as the device calls it": ("/card/boot/a.rom", {"boot/a.rom": "good"}, "sound", "none", "", "right file"),
    "as this machine calls it": ("/den/boot/a.rom", {"boot/a.rom": "good"}, "wrong", "point", "/card/boot/a.rom", "this machine"),
    "out of the rig": ("/usr/a.rom", {"boot/a.rom": "good"}, "wrong", "point", "/card/boot/a.rom", "out of the rig"),
    "nowhere": ("old/a.rom", {"boot/a.rom": "good"}, "wrong", "point", "boot/a.rom", "and there is nothing"),
    "nowhere, by the file's folder": ("./a.rom", {"boot/a.rom": "good"}, "wrong", "point", "../boot/a.rom", "cfg/a.rom"),
    "to a wrong content": ("x/b", {"boot/a.rom": "good", "x/b": "evil"}, "wrong", "point", "boot/a.rom", "no sheet knows"),
    "in another case": ("BOOT/A.ROM", {"boot/a.rom": "good"}, "wrong", "point", "boot/a.rom", "spelled a.rom"),
    "says nothing": ("", {"boot/a.rom": "good"}, "unset", "point", "/card/boot/a.rom", "the setting is empty"),
    "to where it will be": ("boot/a.rom", {"z": "good"}, "sound", "none", "", "where rom belongs"),
    "elsewhere, and the file will be placed": ("old/a.rom", {"z": "good"}, "wrong", "point", "boot/a.rom", "there is nothing"),
    "elsewhere, and there is no file": ("old/a.rom", {}, "wrong", "none", "", "there is nothing"),
    "no settings file": (None, {"boot/a.rom": "good"}, "unset", "none", "", "start knot once"),
}  # fmt: skip


@pytest.mark.parametrize("value", [b"null", b"7", b"[]", b"{}", b"true"])
def test_a_value_that_is_no_text_is_damaged_and_says_what_should_stand_there(value: bytes) -> None:
    rule = Setting(file="k.json", format=Format.JSON, key="rom", need="rom")
    data: dict[tuple[str, str], bytes | Unread] = {("den", "k.json"): b'{"rom": ' + value + b"}"}
    found = examine([ROM], {"boot/a.rom": "good"}, settings=data, setting=(rule,))
    (one,) = found.emulators[0].settings
    assert (one.verdict, one.remedy, found.state) == ("damaged", "none", "blocked")
    assert f"the setting is for {ROM.called} and should say /den/boot/a.rom" in say_all(one.facts)


@pytest.mark.parametrize("case", LEADS)
def test_a_setting_leads_to_the_file_or_is_pointed_there(case: str) -> None:
    value, files, verdict, remedy, wanted, words = LEADS[case]
    rule = Setting(file="cfg/k.ini", format=Format.INI, key="paths.rom", need="rom")
    data: dict[tuple[str, str], bytes | Unread] = (
        {} if value is None else {("den", "cfg/k.ini"): AT.format(value).encode()}
    )
    found = examine([ROM], files, settings=data, rig={"seen_as": "/card"}, setting=(rule,))
    (one,) = found.emulators[0].settings
    assert (one.verdict, one.remedy, one.subject.wanted) == (verdict, remedy, wanted)
    assert words in say_all(one.facts)
    points = [point.value for step in make_plan([found]).steps if isinstance(step, Point) for point in step.points]
    assert points == ([wanted] if remedy == "point" else [])
    assert (found.state == "ready") == (verdict == "sound" and "boot/a.rom" in files)


def test_a_setting_may_lead_to_any_sound_one_of_a_choice_or_to_a_folder() -> None:
    rule = Setting(file="k.ini", format=Format.INI, key="rom", need="eu")
    found = examine([EU, US], {"boot/us.rom": "us"}, settings={("den", "k.ini"): b"rom=boot/us.rom"}, setting=(rule,))
    assert found.emulators[0].settings[0].verdict == "sound"
    found = examine([EU, US], {"boot/us.rom": "us"}, settings={("den", "k.ini"): b"rom=boot/eu.rom"}, setting=(rule,))
    assert found.emulators[0].settings[0].verdict == "sound"  # it is where that one belongs
    found = examine([EU, US], {"boot/us.rom": "us"}, settings={("den", "k.ini"): b"rom=old"}, setting=(rule,))
    assert found.emulators[0].settings[0].subject.wanted == "boot/us.rom"
    folder = Setting(file="k.ini", format=Format.INI, key="rom", folder="disk")
    found = examine([], {}, settings={("den", "k.ini"): b"rom = ./old/"}, setting=(folder,))
    assert found.emulators[0].settings[0].subject.wanted == "./disk/"
    both = (rule, structs.replace(rule, key="more"))
    found = examine([EU, US], {"boot/us.rom": "us"}, settings={("den", "k.ini"): b"rom=x\nmore=y"}, setting=both)
    (step,) = make_plan([found]).steps
    assert isinstance(step, Point)
    assert [(point.key, point.value) for point in step.points] == [("rom", "boot/us.rom"), ("more", "boot/us.rom")]


KEYS = Need(
    id="keys", kind="keys", level="must", folder="boot", name="a.keys",  # type: ignore[arg-type]
    key=(key("one", "aabb"), key("seal", "ccdd", level="extra")),
)  # fmt: skip
FIRMWARE = need(
    "fw", "a.fw", kind="firmware",
    accept=(accept("new", version="2", releases=">=1", requires_keys=("seal",)), accept("old", version="1"),
            accept("newest", version="3", releases=">=5")),
)  # fmt: skip
FEW, ALL = "one=aabb", "one=aabb\nseal=ccdd"

FITS = {
    # name: firmware in place, key file in place, key files held, firmware held, release; steps, state, lacking keys
    "all fits": ("new", ALL, [], [], "1", [], "ready", ()),
    "older firmware needs less": ("old", FEW, [], [], "1", [], "ready", ()),
    "a held key file has the key": ("new", FEW, [ALL], [], "1", ["boot/a.keys"], "blocked", ("seal",)),
    "keys before firmware": ("new", FEW, [ALL], ["old"], "1", ["boot/a.keys"], "blocked", ("seal",)),
    "no keys, but older firmware": ("new", FEW, [], ["old"], "1", ["boot/a.fw"], "blocked", ("seal",)),
    "neither": ("new", FEW, [], [], "1", [], "blocked", ("seal",)),
    "a key file that would lose a key": ("new", FEW + "\nx=00", [ALL], [], "1", [], "blocked", ("seal",)),
    "too new for the release": ("newest", ALL, [], ["old"], "1", ["boot/a.fw"], "blocked", ()),
    "none in place, takes what the keys allow": ("", FEW, [], ["new", "old"], "1", ["boot/a.fw"], "blocked", ()),
}  # fmt: skip


@pytest.mark.parametrize("case", FITS)
def test_firmware_keys_and_release_must_fit(case: str) -> None:
    there, in_place, key_files, firmware, release, placed, state, lacks = FITS[case]
    keys = {"boot/a.keys": in_place, **{f"drawer/{n}.keys": text for n, text in enumerate(key_files)}}
    files = {"boot/a.fw": there} if there else {}
    found = examine([KEYS, FIRMWARE], files, [held(what, what) for what in firmware], keys=keys, release=release)
    assert [to for _, _, to in steps(found)] == placed
    assert found.state == state
    fw = found.emulators[0].findings[1]
    assert fw.lacks == lacks
    if case == "none in place, takes what the keys allow":
        assert steps(found)[0][1] == "/drawer/old"
    if state == "blocked" and there:
        assert {way.change for way in fw.ways} >= ({"keys", "firmware"} if lacks else {"firmware", "release"})


def test_two_key_files_that_have_everything_together_are_named() -> None:
    both = {"boot/a.keys": "seal=ccdd", "drawer/b.keys": "one=aabb", "drawer/c.keys": "x=00"}
    two = structs.replace(KEYS, key=(key("one", "aabb"), key("seal", "ccdd")))
    found = examine([two], {}, keys=both)
    finding = found.emulators[0].findings[0]
    assert (finding.chief.verdict, finding.chief.remedy) == ("damaged", "obtain")
    assert [holding.path for holding in finding.merge] == ["boot/a.keys", "b.keys"]
    (answer,) = answers((found,))
    command = next_turn(answer, answer.reasons[0]).command
    assert command is not None
    words = "gribble keys merge /den/boot/a.keys /drawer/b.keys --out merged.keys --emulator knot"
    assert " ".join(command) == words


def test_keys_that_lie_in_the_drawer_under_the_same_path_are_not_in_place() -> None:
    found = examine([KEYS, FIRMWARE], {"boot/a.fw": "new"}, keys={"drawer/boot/a.keys": ALL})
    assert found.emulators[0].findings[0].chief.verdict == "astray"
    assert found.emulators[0].findings[1].lacks == ("seal",)
    assert [to for _, _, to in steps(found)] == ["boot/a.keys"]


def test_a_key_file_is_found_elsewhere_whatever_it_is_called() -> None:
    found = examine([KEYS], {}, keys={"drawer/notes.txt": ALL})
    assert verdicts(found) == {"keys": ("astray", "place")}
    found = examine([KEYS], {}, keys={"boot/old.keys": ALL})
    assert verdicts(found) == {"keys": ("misnamed", "rename")}
    unproven = structs.replace(KEYS, key=(Key(name="one"),))
    found = examine([unproven], {}, keys={"drawer/a.keys": ALL})
    assert verdicts(found) == {"keys": ("missing", "place")}
    assert "by-name" in say_all(found.emulators[0].findings[0].chief.facts)


def games(found: RigAudit) -> dict[str, str]:
    (emulator,) = found.emulators
    assert isinstance(emulator, EmulatorAudit)
    return {game.subject.file: game.verdict for game in emulator.games or () if Standing.REMARK not in game.standing}


def test_game_folders_by_the_rules_of_the_sheet() -> None:
    media = Media(
        folder="disk", accepts=(".tdf",), refuses=(Refusal(ending=".CHD", why="No."),), packing=Packing.LOOSE,
        own_folder=True, folder_name="Tern - *", max_bytes=5,
    )  # fmt: skip
    files = {
        "disk/Tern - A/a.TDF": "right", "disk/Tern - A/notes.txt": "much too long, but no game",
        "disk/Tern - A/a.chd": "x", "disk/Tern - B/b.tdf": "too long", "disk/c.tdf": "x", "disk/Other/d.tdf": "x",
    }  # fmt: skip
    found = examine([], files, games=True, media=(media,))
    assert games(found) == {
        "disk/Tern - A/a.chd": "imposter", "disk/Tern - B/b.tdf": "imposter",
        "disk/c.tdf": "astray", "disk/Other/d.tdf": "misnamed",
    }  # fmt: skip
    assert found.state == "ready"
    zipped = examine(
        [],
        {"disk/a.tdf": "x", "disk/b.txt": "x"},
        games=True,
        media=(Media(folder="disk", accepts=(".tdf",), packing=Packing.ZIPPED),),
    )
    assert games(zipped) == {"disk/a.tdf": "imposter"}
    later = structs.replace(media, releases=">=2")
    assert games(examine([], files, games=True, media=(later,))) == {}


def test_partners_by_stem_and_by_id() -> None:
    stem = Pair(folder="disk", each="*.crate", wants="tags/{stem}.tag")
    files = {
        "disk/a.crate": "1",
        "disk/tags/a.tag": "2",
        "disk/b.crate": "3",
        "disk/c.crate": "4",
        "disk/tags/C.tag": "5",
    }
    found = examine([], files, [held("b.tag", "6")], games=True, pair=(stem,))
    assert games(found) == {"disk/b.crate": "astray", "disk/c.crate": "misnamed"}
    by_id = Pair(folder="disk", each="*.crate", wants="{id}.tag", id_at=IdAt(offset=4, length=8))
    files = {"disk/a.crate": "1", "disk/b.crate": "2", "disk/c.crate": "3", "disk/d.crate": "4", "disk/X1.tag": "5"}
    ids = {"disk/a.crate": "X1", "disk/b.crate": "X2", "disk/c.crate": "../../x", "disk/d.crate": ""}
    found = examine([], files, games=True, pair=(by_id,), ids=ids)
    assert games(found) == {"disk/b.crate": "missing", "disk/c.crate": "damaged", "disk/d.crate": "damaged"}


@pytest.mark.parametrize(
    ("volume", "verdict", "state"),
    [
        (RigVolume(kind="fat32", label="box"), {"volume": "sound", "label": "sound"}, "ready"),
        (RigVolume(kind="ext4", label="BOX"), {"volume": "wrong", "label": "sound"}, "blocked"),
        (RigVolume(kind="exfat", label="OLD"), {"volume": "sound", "label": "wrong"}, "blocked"),
        (RigVolume(), {"volume": "unproven", "label": "unproven"}, "ready"),
    ],
)
def test_what_the_device_demands_of_the_root(volume: RigVolume, verdict: dict[str, str], state: str) -> None:
    found = examine([], {}, rig={"volume": volume}, root=Root(volume=("fat32", "exfat"), label="BOX"))
    assert {demand.subject.demand: demand.verdict for demand in found.emulators[0].root} == verdict
    assert found.state == state
    assert [one.kind for one in reasons(found, found.emulators[0])] == (["rig"] if state == "blocked" else [])
