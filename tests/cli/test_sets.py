"""`gribble sets` on the cabinet of the made-up world: packing in every style and back, and what it says."""

from __future__ import annotations

import io
import json
import re
import shutil
import warnings
import zipfile
import zlib
from pathlib import Path

import pytest

from tests.conftest import Gribble, tree
from tests.seeded import CURED, STATES


def states(gribble: Gribble, world: Path) -> dict[str, str]:
    rigs = gribble("sets", "check", "--json", cwd=world).json["rigs"]
    (rig,) = (rig for rig in rigs if any(one["sets"] for one in rig["emulators"]))
    return {one["set"]: one["state"] for one in rig["emulators"][0]["sets"]}


def archives(world: Path) -> dict[str, list[str]]:
    folder = world / "rigs/cabinet/turnstone/sets"
    return {path.name: zipfile.ZipFile(path).namelist() for path in folder.glob("*.zip") if path.name != "seawall.zip"}


def test_packing_in_every_style_and_back(gribble: Gribble, world: Path) -> None:
    before = tree(world / "rigs")
    start = archives(world)
    seen: dict[str, dict[str, list[str]]] = {}
    for style in ("split", "merged", "full", "split"):
        gribble("sets", "pack", "--style", style, "--yes", cwd=world, code=1)
        assert states(gribble, world) == STATES | CURED | {"groyne": "ready"}
        assert "Nothing to do" in gribble("sets", "pack", "--style", style, "--yes", cwd=world, code=1).out
        now = archives(world)
        assert seen.setdefault(style, now) == now
    assert seen["split"]["groynej.zip"] == ["groyne1j.1a"]
    merged = ["herring1.1a", "herring2.2b", "herring1j.1a", "herring1u.1a"]
    assert seen["merged"]["herring.zip"] == [*merged, "herringu/herring1u.1a"]  # of another content, which is told
    assert "herringj.zip" not in seen["merged"]
    assert seen["full"]["breakwat.zip"] == ["breakwat1.1a", "breakwat2.2b", "board-us.rom", "tone.1"]
    assert seen["split"]["sandbar.zip"] == start["sandbar.zip"]  # it lacks a file, and is not packed in part
    for _ in range(4):
        gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world / "rigs") == before


def test_a_rig_with_a_style_is_brought_into_it_by_place(gribble: Gribble, world: Path) -> None:
    config = world / "gribble.toml"
    text = config.read_text()
    assert 'turnstone = "1.8"' in text
    config.write_text(
        text.replace('turnstone = "1.8"', 'turnstone = { release = "1.8", style = "merged", stubs = true }')
    )
    assert "to write for the style merged" in gribble("sets", "check", cwd=world, code=1).out
    plan = gribble("plan", "turnstone", "--json", cwd=world, code=1).json
    packs = {step["need"]: step for step in plan["steps"] if step["step"] == "pack"}
    assert packs["saltpanj"]["members"] == []
    assert [(one["name"], one["member"]) for one in packs["groyne"]["members"]][:1] == [("groyne1.1a", "groyne1.1a")]
    assert {one["need"] for one in plan["refused"]} == {"sandbar", "tidepool"}  # of seawall nothing is held
    assert {one["set"] for one in plan["obtain"]} == {"sandbar", "tidepool", "seawall"}
    gribble("place", "turnstone", "--yes", cwd=world, code=1)
    assert archives(world)["saltpanj.zip"] == []
    assert "to write for the style" not in gribble("sets", "check", cwd=world, code=1).out
    again = gribble("plan", "turnstone", "--json", cwd=world, code=1).json
    assert again["steps"] == []


def test_an_archive_that_changes_while_it_is_packed(gribble: Gribble, world: Path) -> None:
    """What CRC-32 lets pass, the roster's SHA-1 does not: the step is refused, and nothing has changed."""
    rosters = world / "catalogue/turnstone-1.8.roster.jsonl"
    lines = rosters.read_text().splitlines()
    at = next(n for n, line in enumerate(lines) if '"jettytone"' in line and '"device"' in line)
    sha1 = lines[at].partition('"sha1": "')[2][:40]
    lines[at] = lines[at].replace(sha1, "0" * 40)
    rosters.write_text("\n".join(lines))
    before = tree(world / "rigs/cabinet")
    done = gribble("sets", "pack", "breakwat", "--yes", cwd=world, code=3)
    assert "tone.1: its digest is another one" in done.out
    assert tree(world / "rigs/cabinet") == before


def test_rereading_proves_sets_by_the_strongest_digest(gribble: Gribble, world: Path) -> None:
    """Two contents with one CRC-32: only reading tells them apart."""
    rosters = world / "catalogue/turnstone-1.8.roster.jsonl"
    text = rosters.read_text()
    at = text.index('"sha1": "', text.index('"pebble1.1a"')) + len('"sha1": "')
    rosters.write_text(text[:at] + "0" * 40 + text[at + 40 :])
    assert states(gribble, world)["pebble"] == "ready"
    again = gribble("sets", "check", "pebble", "--reread", "--json", cwd=world, code=1).json
    (cabinet,) = [rig for rig in again["rigs"] if rig["emulators"]]
    (problem,) = cabinet["emulators"][0]["sets"][0]["problems"]
    assert (problem["file"], problem["verdict"], problem["proof"]) == ("pebble1.1a", "imposter", "digest")
    assert "its CRC-32 is right, but its stronger digest is wrong" in problem["reason"]
    assert states(gribble, world)["pebble"] == "blocked"  # the index remembers what was read


@pytest.mark.parametrize(
    ("words", "code", "say"),
    [
        (("sets", "pack", "saltpam"), 2, "'saltpam' is not a set in any roster; did you mean"),
        (("sets", "pack", "--style", "solid"), 2, "'solid' is not one of"),
        (("sets", "check", "--rig", "nowhere"), 2, "'nowhere' is not a known rig"),
        (("sets", "compare", "1.6", "9"), 2, "no roster of turnstone 9"),
        (("sets", "compare", "1.6", "other.jsonl"), 2, "do not share any set"),
        (("sets", "check", "dotterel"), 2, "is an emulator, not a set\n  gribble check dotterel"),
        (("sets", "fit", "--room", "1MB", "--rig", "annex"), 2, "no set of dotterel on annex is wanted"),
        (("sets", "match", "--emulator", "plover"), 2, "plover is not an arcade emulator"),
        (("sets", "fit", "--room", "lots"), 2, "'lots' is not a size"),
        (
            ("sets", "fit", "--room", "1GB", "--wanted", "nowhere.txt"),
            2,
            "there is no file or folder called nowhere.txt",
        ),
        (("sets", "fit", "--room", "1GB", "--out", "drawer/card.txt"), 2, "Gribble never writes to a source"),
    ],
)
def test_bad_input(gribble: Gribble, world: Path, words: tuple[str, ...], code: int, say: str) -> None:
    head = '{"roster": 1, "emulator": "turnstone", "release": "7"}'
    (world / "other.jsonl").write_text(head + '\n{"set": "zebra", "files": []}\n')
    done = gribble(*words, cwd=world, code=code)
    assert say in done.err


def spoiled(whole: bytes, how: str) -> bytes:
    """A zip of groyne that is odd or broken."""
    with zipfile.ZipFile(io.BytesIO(whole)) as archive:
        contents = [(name, archive.read(name)) for name in archive.namelist()]
    if how == "what follows its end":
        return whole + b"and on it goes " * 10
    if how == "a wrong checksum":
        wrong = bytearray(whole)
        wrong[60 + whole.index(b"groyne1.1a")] ^= 1
        return bytes(wrong)
    more = [(f"{n}", b"") for n in range(65_536)] if how == "many members" else [("groyne1.1a", b"another")]
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive, warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of a name that is there twice
        for name, data in (*more, *contents):
            archive.writestr(name, data)
    return buffer.getvalue()


@pytest.mark.parametrize("how", ["a name twice", "what follows its end", "many members", "a wrong checksum"])
def test_an_odd_archive_in_the_drawer(gribble: Gribble, world: Path, how: str) -> None:
    drawer, sets = world / "drawer/arcade", world / "rigs/cabinet/turnstone/sets"
    odd = spoiled((drawer / "groyne.zip").read_bytes(), how)
    (drawer / "groyne.zip").write_bytes(odd)
    if how == "a wrong checksum":
        done = gribble("sets", "pack", "groyne", "--yes", cwd=world, code=1)
        assert "groyne1.1a cannot be unpacked: Bad CRC-32" in done.err
        assert "not packed in part" in done.out
        assert not (sets / "groyne.zip").exists()
    else:
        gribble("sets", "pack", "groyne", "--yes", cwd=world, code=0)
        with zipfile.ZipFile(sets / "groyne.zip") as archive:
            assert archive.namelist() == ["groyne1.1a", "groyne2.2b"]
            assert archive.testzip() is None
    assert (drawer / "groyne.zip").read_bytes() == odd


def test_the_release_that_fits_best(gribble: Gribble, world: Path) -> None:
    answer = gribble("sets", "match", "--emulator", "turnstone", "--json", cwd=world, code=1).json
    shares = {one["release"]: (one["complete"], one["sets"]) for one in answer["releases"]}
    assert shares == {"1.6": (25, 27), "1.8": (24, 27)}
    assert [one["release"] for one in answer["releases"]] == ["1.6", "1.8"]
    right = {one["set"]: one["releases"] for one in answer["wanted"]}
    assert right["saltpan"] == ["1.6", "1.8"]
    assert (right["tidepool"], right["cockle"], right["bollard"], right["sandbar"]) == (["1.6"], ["1.6"], ["1.8"], [])
    assert "fit turnstone 1.6 best" in gribble("sets", "match", cwd=world, code=1).out


def test_what_an_update_breaks(gribble: Gribble, world: Path) -> None:
    answer = gribble("sets", "compare", "1.6", "1.8", "--json", cwd=world, code=1).json
    classes = {one["set"]: one["class"] for one in answer["sets"]}
    assert {name: kind for name, kind in classes.items() if kind != "same"} == {
        "tidepool": "obtain", "winkle": "repack", "razor": "held", "cockle": "renamed", "oldpier": "gone",
        "bollard": "new",
    }  # fmt: skip
    assert sum(answer["totals"].values()) == len(classes)
    files = {one["set"]: one["files"] for one in answer["sets"]}
    assert [(one["file"], one["member"]) for one in files["winkle"]] == [("wk-1.ic1", "winkle1.1a")]
    assert files["razor"][0]["found"].endswith("drawer/arcade/razor1 better.bin")
    assert files["tidepool"] == [{"file": "quay.rom", "owner": "quaybios", "found": None, "member": None}]
    rows = gribble("sets", "compare", "1.6", "1.8", "--csv", cwd=world, code=1).out.splitlines()
    assert rows[0] == "set,class,to,title,file,found,member"
    assert "cockle,renamed,cocklesh,Cockle,cockle1.1a,turnstone/sets/cockle.zip,cockle1.1a" in rows
    changes = gribble("check", "turnstone", "--as", "1.6", "--json", cwd=world, code=1).json["changes"][0]["sets"]
    assert {one["set"]: (one["was"], one["is"]) for one in changes}["tidepool"] == ("blocked", "ready")
    # the way out: the renamed one is packed under its new name, by renaming its archive
    plan = gribble("sets", "pack", "cocklesh", "winkle", "--style", "split", "--yes", cwd=world, code=0).out
    assert "rename  turnstone/sets/cocklesh.zip" in plan
    assert archives(world)["winkle.zip"] == ["wk-1.ic1"]


def test_a_card_gets_what_fits(gribble: Gribble, world: Path) -> None:
    answer = gribble("sets", "fit", "--room", "40kB", "--cluster", "1KiB", "--json", cwd=world, code=1).json
    assert answer["optimal"]
    assert answer["bytes"] <= answer["budget"] == 40_000
    assert answer["reasons"] == {
        "sandbar": "cannot be completed: sandbar1.1a missing",
        "tidepool": "cannot be completed: quay.rom missing",
        "seawall": "cannot be completed: seawall1.1a, seawall2.2b missing",
        "estuary": "release 1.8 does not play it",
        "oldpier": "no set of release 1.8",
        "cockle": "no set of release 1.8; did you mean 'cocklesh'?",
    }
    (world / "wishes.txt").write_text("# mine\npebble\nheronry 9\nsaltpanj\nsaltpam\n")
    words = ("sets", "fit", "--wanted", "wishes.txt", "--cluster", "1024")
    small = gribble(*words, "--room", "4KiB", "--out", "card.txt", cwd=world, code=1).out
    assert "1 of 4 wanted sets fit into 4,096 bytes" in small
    assert "no set of release 1.8; did you mean 'saltpan" in small
    assert (world / "card.txt").read_text() == "heronry\n"
    gribble(*words, "--room", "4KiB", "--out", "card.txt", cwd=world, code=2)
    assert "Not even the smallest set fits" in gribble(*words, "--room", "1", cwd=world, code=1).out
    config = world / "gribble.toml"
    config.write_text(
        config.read_text().replace('turnstone = "1.8"', 'turnstone = { release = "1.8", wanted = "card.txt" }')
    )
    assert set(states(gribble, world)) == {"heronry"}
    (world / "wishes.txt").write_text("pebble\nheronry -1\n")
    bad = gribble(*words, "--room", "4KiB", cwd=world, code=2).err
    assert 'wishes.txt: line 2: "heronry -1" should be a set\'s name or title, then a weight' in bad
    (world / "wishes.txt").write_text("pebble\nheronry much\n")  # which may be a title
    assert "did you mean 'heronry'?" in gribble(*words, "--room", "4KiB", cwd=world, code=1).out


def test_what_no_set_needs_is_told_and_left_out_on_request(gribble: Gribble, world: Path) -> None:
    saltpan = world / "rigs/cabinet/turnstone/sets/saltpan.zip"
    with zipfile.ZipFile(saltpan, "a") as archive:
        archive.writestr("readme.txt", b"hello")
    words = ("sets", "pack", "saltpan", "saltpanj", "--style", "merged")
    told = gribble(*words, "--yes", cwd=world, code=0, COLUMNS="200").out
    assert "readme.txt stays, although no wanted set needs it (gribble sets pack --lean leaves it out)" in told
    assert "readme.txt" in archives(world)["saltpan.zip"]
    assert "looks at all wanted sets" in gribble(*words, "--lean", cwd=world, code=2).err
    lean = gribble("sets", "pack", "--style", "merged", "--lean", "--yes", cwd=world, code=1).out
    assert "readme.txt of the old archive is left out" in lean
    assert archives(world)["saltpan.zip"] == ["saltpan1.1a", "saltpan2.2b", "saltpan1j.1a"]


def test_a_set_that_the_release_does_not_know_is_said_and_leads_on(gribble: Gribble, world: Path) -> None:
    shown = gribble("sets", "show", "oldpier", cwd=world, code=0).out
    assert "release 1.8 does not have this set; release 1.6 does" in shown
    assert "Next: gribble check turnstone --rig cabinet --as turnstone=1.6" in " ".join(shown.split())
    answer = gribble(
        "check", "turnstone", "--rig", "cabinet", "--as", "turnstone=1.6", "--json", cwd=world, code=1
    ).json
    assert "oldpier" in {one["set"] for one in answer["changes"][0]["sets"]}
    assert "Next: gribble sets show cocklesh" in gribble("sets", "show", "cockle", cwd=world, code=0).out
    (family,) = gribble("sets", "show", "oldpier", "--json", cwd=world, code=0).json["families"]
    assert (family["set"], family["state"], family["relatives"]) == ("oldpier", "blocked", [])


def test_an_empty_cabinet_is_not_ready_and_says_what_could_be_wanted(gribble: Gribble, world: Path) -> None:
    folder = world / "rigs/cabinet/turnstone/sets"
    shutil.move(folder, world / "drawer/all sets")
    shown = gribble("check", "--rig", "cabinet", cwd=world, code=1).out
    words = " ".join(shown.split())
    found = re.search(r'no set is wanted; (\d+) are whole in drawer: wanted = "held" takes them', words)
    assert found
    assert "limited" in shown.splitlines()[0]
    (reason,) = gribble("why", "turnstone", "--json", cwd=world, code=1).json["reasons"]
    assert (reason["wanted"], reason["yours"]) == ("turnstone", True)
    config = world / "gribble.toml"
    config.write_text(
        config.read_text().replace('turnstone = "1.8"', 'turnstone = { release = "1.8", wanted = "held" }')
    )
    sets = gribble("sets", "check", "--rig", "cabinet", "--json", cwd=world, code=1).json["rigs"][0]["emulators"][0][
        "sets"
    ]
    assert len(sets) == int(found[1])
    gribble("place", "turnstone", "--yes", cwd=world)
    assert gribble("check", "turnstone", "--json", cwd=world).json["state"] in ("ready", "limited")
    left = gribble("sets", "check", "--rig", "cabinet", "--json", cwd=world).json["rigs"][0]["emulators"][0]["sets"]
    assert {one["set"] for one in left} >= {one["set"] for one in sets}
    assert not [one for one in left if one["state"] == "blocked"]


def test_an_archive_that_holds_a_whole_set_is_called_so(gribble: Gribble, world: Path) -> None:
    answer = gribble("identify", "drawer/arcade", "--json", cwd=world, code=0).json
    assert {(Path(one["path"]).name, one["set"], one["full"]) for one in answer["sets"]} == {
        ("groyne.zip", "groyne", True), ("sounds.zip", "jettytone", True),
        ("whelk.zip", "whelk", True), ("whelk from japan.zip", "whelkj", True),
    }  # fmt: skip
    assert "set groyne, whole" in gribble("identify", "drawer/arcade/groyne.zip", cwd=world, code=0).out


def test_why_names_every_file_and_the_family_is_judged_by_itself(gribble: Gribble, world: Path) -> None:
    (world / "rigs/cabinet/turnstone/sets/saltpan.zip").unlink()
    (reason,) = gribble("why", "saltpan", "--set", "--json", cwd=world, code=1).json["reasons"]
    assert reason["files"] == ["saltpan1.1a", "saltpan2.2b"]
    assert "none of its 2 files is here" in gribble("why", "saltpan", cwd=world, code=1).out
    assert "saltpan2.2b: not found" in gribble("why", "saltpan", "-v", cwd=world, code=1).out
    (family,) = gribble("sets", "show", "saltpanj", "--json", cwd=world, code=0).json["families"]
    shown = {(one["set"], file["name"]): file["verdict"] for one in family["relatives"] for file in one["files"]}
    assert shown["saltpan", "saltpan1.1a"] == "missing"


def shared_folder(world: Path, first: str, second: str, files: dict[str, bytes], style: str = "") -> Path:
    """Two arcade emulators, each with one set `game` (its files by first letters), in one folder of sets."""
    (world / "catalogue").mkdir(parents=True)
    text = 'sources = ["drawer"]\ncatalogues = ["catalogue"]\n[rig.r]\nat = "rig"\n[rig.r.emulators]\n'
    for name, letters in (("knot", first), ("ruff", second)):
        head = (
            f'sheet = 1\nemulator = "{name}"\n[folders]\nsets = "sets"\n[arcade]\nrosters = "{name}-*.roster.jsonl"\n'
        )
        (world / f"catalogue/{name}.sheet.toml").write_text(f'{head}folder = "sets"\n')
        listed = [
            {"name": f"{letter}.bin", "size": 100, "crc32": f"{zlib.crc32(letter.encode() * 100):08x}"}
            for letter in letters
        ]
        lines = [{"roster": 1, "emulator": name, "release": "1"}, {"set": "game", "files": listed}]
        (world / f"catalogue/{name}-1.roster.jsonl").write_text("".join(json.dumps(one) + "\n" for one in lines))
        text += f'{name} = {{ release = "1", wanted = ["game"]{style} }}\n'
    (world / "gribble.toml").write_text(text)
    for path, data in files.items():
        (world / path).parent.mkdir(parents=True, exist_ok=True)
        (world / path).write_bytes(data)
    return world


def packed_of(*letters: str) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        for letter in letters:
            archive.writestr(f"{letter}.bin", letter.encode() * 100)
    return buffer.getvalue()


@pytest.mark.parametrize("style", ["", ', style = "split"'])
@pytest.mark.parametrize("there", ["", "x", "xay", "ax"])
def test_two_emulators_with_one_folder_are_planned_together(
    gribble: Gribble, tmp_path: Path, style: str, there: str
) -> None:
    drawer = {f"drawer/{letter}": letter.encode() * 100 for letter in "axy"}
    if there:
        drawer["rig/sets/game.zip"] = packed_of(*there)
    world = shared_folder(tmp_path / "w", "ax", "ay", {**drawer, "rig/boot/z": b"z"}, style)
    gribble("place", "--yes", cwd=world, code=0)
    assert sorted(zipfile.ZipFile(world / "rig/sets/game.zip").namelist()) == ["a.bin", "x.bin", "y.bin"]
    assert gribble("check", "--json", cwd=world, code=0).json["state"] == "ready"
    assert gribble("plan", "--json", cwd=world, code=0).json["steps"] == []


def test_a_set_in_a_folder_of_its_own_stays_there_in_any_style(gribble: Gribble, world: Path) -> None:
    folder = world / "rigs/cabinet/turnstone/sets/lugworm"
    shutil.move(folder / "lugworm1.1a", world / "drawer/lug.bin")
    gribble("sets", "pack", "lugworm", "--style", "split", "--yes", cwd=world, code=0)
    assert {path.name for path in folder.iterdir()} == {"lugworm1.1a", "lugworm2.2b"}
    assert not (folder.parent / "lugworm.zip").exists()


def test_what_another_emulator_uses_is_neither_narrowed_nor_displaced(gribble: Gribble, tmp_path: Path) -> None:
    """For one of them the clone's archive holds too much; for the other it is a set of its own that needs all of it."""
    archives = {"rig/sets/mum.zip": packed_of("a"), "rig/sets/kid.zip": packed_of("k", "a")}
    world = shared_folder(tmp_path / "w", "a", "a", {**archives, "drawer/z": b"z"}, ', style = "split"')

    def listed(letter: str, **more: str) -> dict[str, object]:
        crc = f"{zlib.crc32(letter.encode() * 100):08x}"
        return {"name": f"{letter}.bin", "size": 100, "crc32": crc, **more}

    mum = {"set": "mum", "files": [listed("a")]}
    clone = {"set": "kid", "parent": "mum", "files": [listed("k"), listed("a", parent_name="a.bin")]}
    alone = {"set": "kid", "files": [listed("k"), listed("a")]}
    for name, sets in (("knot", [mum, clone]), ("ruff", [alone])):
        lines = [{"roster": 1, "emulator": name, "release": "1"}, *sets]
        (world / f"catalogue/{name}-1.roster.jsonl").write_text("".join(json.dumps(one) + "\n" for one in lines))
    config = world / "gribble.toml"
    config.write_text(config.read_text().replace('wanted = ["game"]', 'wanted = ["kid"]'))
    for style in ("split", "merged"):
        config.write_text(re.sub('style = "[a-z]+"', f'style = "{style}"', config.read_text(), count=1))
        before = {path: (world / path).read_bytes() for path in archives}
        plan = gribble("plan", "--json", cwd=world, code=1).json
        assert any("ruff uses" in one["reason"] for one in plan["refused"]) or style == "merged"
        gribble("place", "knot", "--yes", cwd=world)
        gribble("sets", "pack", "mum", "kid", "--yes", cwd=world)
        assert (world / "rig/sets/kid.zip").read_bytes() == before["rig/sets/kid.zip"]
        gribble("place", "--yes", cwd=world)
        assert gribble("check", "--json", cwd=world, code=0).json["state"] == "ready"
        assert (world / "rig/sets/kid.zip").read_bytes() == before["rig/sets/kid.zip"]
