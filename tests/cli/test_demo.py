"""The made-up world: every seeded fault gets its verdict, the tour tells the whole story, undo is exact."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest

from gribble.demo.loft import build_loft
from gribble.demo.sheets import KEYS, content, noise
from gribble.demo.tour import CHAPTERS
from gribble.demo.world import build_world
from tests.conftest import Gribble, tree
from tests.seeded import CURED, FAULTS, FIRST_REASONS, FIRST_SET_REASONS, GAMES, SETTINGS, STATES

DAMAGED = {
    "SKERRY.COPIER": "header",
    "skf.bin": "padded",
    "skm x2.bin": "repeated",
    "sks.swp": "swapped",
    "skv.bin": "woven",
    "skb.1": "half",
    "skb.2": "half",
    "skt.even": "woven-half",
    "skt.odd": "woven-half",
    "skerry-tape.txt": "text-mode",
    "sksec.locked": "locked",
}
"""What happened to each damaged file of the drawer."""


def needs_of(answer: Any) -> dict[tuple[str, str, str], dict[str, Any]]:
    return {
        (rig["rig"], emulator["emulator"], need["need"]): need
        for rig in answer["rigs"]
        for emulator in rig["emulators"]
        for need in emulator["needs"]
    }


def test_every_seeded_fault_gets_its_verdict_and_remedy(gribble: Gribble, world: Path) -> None:
    found = needs_of(gribble("check", "--json", cwd=world, code=1).json)
    expected = {(fault.rig, fault.emulator, fault.need): (fault.verdict, fault.remedy) for fault in FAULTS}
    assert {key: (need["verdict"], need["remedy"]) for key, need in found.items()} == expected


def emulators_of(answer: Any) -> dict[tuple[str, str], dict[str, Any]]:
    return {(rig["rig"], one["emulator"]): one for rig in answer["rigs"] for one in rig["emulators"]}


def test_every_seeded_setting_and_game_gets_its_verdict(gribble: Gribble, world: Path) -> None:
    found = emulators_of(gribble("check", "--games", "--json", cwd=world, code=1).json)
    settings = {
        (*place, one["key"]): (one["verdict"], one["remedy"]) for place, e in found.items() for one in e["settings"]
    }
    assert settings == {(fault.rig, fault.emulator, fault.need): (fault.verdict, fault.remedy) for fault in SETTINGS}
    games = {(*place, one["file"]): (one["verdict"], one["remedy"]) for place, e in found.items() for one in e["media"]}
    assert games == {(fault.rig, fault.emulator, fault.need): (fault.verdict, fault.remedy) for fault in GAMES}
    assert all(one["reason"] for e in found.values() for kind in ("settings", "media", "root") for one in e[kind])
    root = {(place, one["demand"]): one["verdict"] for place, e in found.items() for one in e["root"]}
    assert root == {
        (("stick", "whimbrel"), "volume"): "sound",
        (("stick", "whimbrel"), "label"): "sound",
        (("stick", "knot"), "volume"): "wrong",
        (("stick", "knot"), "label"): "wrong",
    }


def test_why_names_first_what_must_be_fixed_first(gribble: Gribble, world: Path) -> None:
    for (rig, emulator), first in FIRST_REASONS.items():
        answer = gribble("why", emulator, "--rig", rig, "--json", cwd=world, code=1).json
        (subject,) = [
            value for key, value in answer["reasons"][0].items() if key in ("need", "setting", "rig", "release")
        ][:1]
        assert subject == first, emulator
        assert all(reason.get("yours") or reason["next"].startswith("gribble ") for reason in answer["reasons"])
    gribble("place", "--yes", cwd=world, code=1)
    assert "It is ready" in gribble("why", "sandpiper", cwd=world, code=0).out


def test_every_seeded_set_gets_its_state_and_why_names_the_cause_first(gribble: Gribble, world: Path) -> None:
    answer = gribble("sets", "check", "--json", cwd=world, code=1).json
    (emulator,) = [one for rig in answer["rigs"] for one in rig["emulators"] if one["sets"]]
    sets = {one["set"]: one for one in emulator["sets"]}
    assert {name: one["state"] for name, one in sets.items()} == STATES
    assert sets["shingle"]["packing"] == ["SHINGLE.ONE should be called shingle1.1a"]
    assert sets.keys() - FIRST_SET_REASONS.keys() == {name for name, state in STATES.items() if state == "ready"}
    for name, (file, verdict, words) in FIRST_SET_REASONS.items():
        answer = gribble("why", name, "--json", cwd=world, code=1).json
        first = answer["reasons"][0]
        assert (first["file"], first["verdict"]) == (file, verdict)
        assert words in " ".join([first["reason"], *first.get("details", ())])
        verb, what = ("pack" if name in CURED else "show"), name
        if name == "cockle":  # the release knows it by another name
            verb, what = "pack", "cocklesh"
        assert first["next"] == f"gribble sets {verb} {what} --rig cabinet"
    assert "It is ready" in gribble("why", "saltpan", cwd=world, code=0).out
    found = emulators_of(gribble("check", "turnstone", "--json", cwd=world, code=1).json)
    assert found["cabinet", "turnstone"]["state"] == "limited"
    assert len(found["cabinet", "turnstone"]["sets"]) == len(STATES)
    idle = emulators_of(gribble("check", "dotterel", "--json", cwd=world, code=1).json)["annex", "dotterel"]
    assert (idle["state"], idle["sets"]) == ("limited", [])
    assert 'no set is wanted; 2 are whole in drawer: wanted = "held"' in gribble("check", "dotterel", cwd=world).out
    fits = gribble("sets", "fit", "--room", "1MB", "--rig", "cabinet", "--json", cwd=world, code=1).json
    assert set(fits["left_out"]) == {name for name, one in (STATES | CURED).items() if one == "blocked"}


def test_a_set_is_shown_with_its_family_and_another_release_with_other_sets(gribble: Gribble, world: Path) -> None:
    shown = gribble("sets", "show", "breakwat", cwd=world, code=0, COLUMNS="200").out
    for words in (
        "BIOS set boardrom",
        "device jettytone",
        "· spared",
        "TONE in sounds.zip",
        "4 files needed, 1 of them wrong",
    ):
        assert words in shown
    assert gribble("needs", "breakwat", "--tree", cwd=world, code=0, COLUMNS="200").out == shown
    assert "did you mean 'saltpan'?" in gribble("sets", "show", "saltpam", cwd=world, code=2).err
    found = emulators_of(gribble("check", "turnstone", "--as", "1.6", "--json", cwd=world, code=1).json)
    states = {one["set"]: one["state"] for one in found["cabinet", "turnstone"]["sets"]}
    assert (states["oldpier"], states["tidepool"]) == ("ready", "ready")
    (world / "wanted.txt").write_text("# for the opening\ntidepool 3\nsaltpan\n")
    config = world / "gribble.toml"
    config.write_text(
        config.read_text().replace('turnstone = "1.8"', 'turnstone = { release = "1.7", wanted = "wanted.txt" }')
    )
    answer = gribble("sets", "check", "--json", cwd=world, code=0).json
    (emulator,) = [one for rig in answer["rigs"] for one in rig["emulators"] if one["sets"]]
    assert emulator["note"] == "no roster of release 1.7; that of 1.6 is taken"
    assert [one["set"] for one in emulator["sets"]] == ["tidepool", "saltpan"]


def test_the_bare_command_counts_what_each_emulator_has(gribble: Gribble, world: Path) -> None:
    out = gribble(cwd=world, code=1, COLUMNS="120").out
    rows = {
        " ".join(line.split()[2:4]): " ".join(line.split()[4:]) for line in out.splitlines() if line.startswith("  ")
    }
    assert rows["Turnstone 1.8"] == "14 of 27 sets ready, 3 limited"
    assert rows["Redshank 2.4"] == "2 of 3 needs right, 1 setting wrong"
    assert rows["Curlew 0.9"] == "2 of 5 needs right, 1 setting wrong"
    assert rows["Knot 4"] == "2 of 3 needs right, wrong volume or label"
    checked = gribble("check", cwd=world, code=1, COLUMNS="120").out
    for name, row in rows.items():
        told = next(line for line in checked.splitlines() if name in line)
        _, _, counts = re.split(r"([■◇]) \w+(?:  )?", told)
        assert row.startswith(counts), "check counts alike"
    assert "27 sets: 14 ready, 3 limited" in gribble("sets", "check", cwd=world, code=1).out
    gribble("report", "--obtain", "wanted.csv", cwd=world, code=1)
    rows_to_obtain = len((world / "wanted.csv").read_text().splitlines()) - 1
    assert f"; {rows_to_obtain} to obtain" in checked


def test_firmware_keys_and_release_are_told_apart(gribble: Gribble, world: Path) -> None:
    found = needs_of(gribble("check", "redshank", "--json", cwd=world, code=1).json)
    lacking = found["lighthouse", "redshank", "petrel-firmware"]
    assert lacking["lacks"] == ["seal_c"]
    held = [(way["change"], Path(way["held"]).name) for way in lacking["ways"]]
    assert held == [("firmware", "update 4.1.bin"), ("keys", "keys from Ada.txt")]
    too_new = found["stick", "redshank", "petrel-firmware"]["ways"]
    assert [way["change"] for way in too_new] == ["firmware", "release"]
    assert ">=2.0" in too_new[1]["words"]


def test_no_key_value_is_ever_shown_or_kept(gribble: Gribble, world: Path) -> None:
    values = [noise(f"key {name}", size) for name, size in KEYS.items()] + [noise("wrong", 16)]
    needles = [form for raw in values for form in (raw.hex().encode(), raw.hex().upper().encode(), raw)]
    shown = b""
    for words in (
        ["check", "-v"], ["check", "--json"], ["plan", "--json"], ["needs"], ["why", "redshank"],
        ["identify", "drawer", "--json"], ["keys", "check"], ["keys", "check", "--json"], ["place", "--yes"],
        ["keys", "check", "drawer/petrel/half.keys", "drawer/petrel/keys from Ada.txt", "-v"],
        ["keys", "merge", "drawer/petrel/half.keys", "rigs/stick/redshank/system/petrel.keys", "--out", "m.keys"],
        ["history", "--json"], ["undo", "--yes"],
    ):  # fmt: skip
        ended = gribble(*words, cwd=world)
        shown += ended.out.encode() + ended.err.encode()
    kept = b"".join(
        path.read_bytes() for path in world.rglob(".gribble/**/*") if path.is_file() and "attic" not in path.parts
    )
    assert b"seal_c" in shown
    assert b"petrel.keys" in kept
    assert not [needle for needle in needles if needle in shown or needle in kept]


def test_keys_are_merged_and_conflicts_settled_by_fingerprint(gribble: Gribble, world: Path) -> None:
    good, wrong = "rigs/lighthouse/redshank/system/petrel.keys", "rigs/stick/redshank/system/petrel.keys"
    ended = gribble("keys", "merge", wrong, good, "--out", "m.keys", cwd=world, code=0)
    assert "it is sound: 2 of 2 keys proven" in ended.out
    values = dict(line.split(" = ") for line in (world / "m.keys").read_text().splitlines())
    assert values == {name: noise(f"key {name}", KEYS[name]).hex() for name in ("seal_a", "seal_b", "tide")}
    (world / "a.keys").write_text("tide = 0011223344556677\n")
    refused = gribble("keys", "merge", "a.keys", good, "--out", "n.keys", cwd=world, code=1)
    assert "different values for tide" in refused.err
    assert not (world / "n.keys").exists()
    ended = gribble("keys", "merge", good, "drawer/petrel/half.keys", "--out", "h.keys", cwd=world, code=0)
    assert "Left out, since no file has a well-formed value: seal_c." in ended.out
    assert "is there already" in gribble("keys", "merge", good, wrong, "--out", "m.keys", cwd=world, code=2).err
    assert (
        "Gribble never writes to a source"
        in gribble("keys", "merge", good, wrong, "--out", "drawer/n", cwd=world, code=2).err
    )


def test_as_another_release_says_what_would_change(gribble: Gribble, world: Path) -> None:
    gribble("place", "--yes", cwd=world, code=1)
    answer = gribble("check", "redshank", "--rig", "lighthouse", "--as", "1.9", "--json", cwd=world, code=1).json
    (change,) = answer["changes"]
    assert change["state"] == ["ready", "blocked"]
    assert [(need["need"], need["was"], need["is"]) for need in change["needs"]] == [
        ("petrel-firmware", "sound (version 5.0)", "unfit (version 4.1)")
    ]
    ended = gribble("check", "redshank", "--rig", "lighthouse", "--as", "2.9", cwd=world, code=0)
    assert "Nothing changes" in ended.out


def test_needs_for_a_machine_wherever_it_is_emulated(gribble: Gribble, world: Path) -> None:
    answer = gribble("needs", "Tern 8", "--json", cwd=world, code=0).json
    assert [(one["emulator"], [need["need"] for need in one["needs"]]) for one in answer["emulators"]] == [
        ("sandpiper", ["tern8-boot", "tern-drive", "tern-clock", "tern-test"])
    ]
    (world / "gribble.toml").write_text('sources = ["drawer"]\ncatalogues = ["catalogue"]\n')
    answer = gribble("needs", "Petrel", "--json", cwd=world, code=0).json
    (redshank,) = answer["emulators"]
    assert redshank["rig"] is None
    assert {need["need"]: need["held"] for need in redshank["needs"]} == {
        "petrel-keys": True, "petrel-firmware": True, "petrel-disk": False,
    }  # fmt: skip
    assert "did you mean 'Petrel'" in gribble("needs", "petrell", cwd=world, code=2).err


def test_place_puts_right_what_is_held_and_undo_takes_it_all_back(gribble: Gribble, world: Path) -> None:
    before = tree(world)
    gribble("place", "--yes", cwd=world, code=1)
    after = gribble("check", "--json", cwd=world, code=1).json
    left = {key: need["verdict"] for key, need in needs_of(after).items() if need["verdict"] != "sound"}
    assert left == {
        ("lighthouse", "sandpiper", "tern-clock"): "missing",
        ("lighthouse", "dunlin", "lumen-us"): "missing",
        ("lighthouse", "dunlin", "lumen-charset"): "unproven",
        ("lighthouse", "avocet", "skerry-modem"): "imposter",
        ("lighthouse", "curlew", "fulmar-eu"): "astray",
        ("lighthouse", "curlew", "fulmar-voice-us"): "astray",
        ("stick", "whimbrel", "vesper-sound"): "missing",
        ("stick", "knot", "gannet-tape-a"): "missing",
        ("stick", "knot", "gannet-tape-b"): "missing",
        ("annex", "godwit", "sander-lock"): "missing",
        ("annex", "godwit", "sander-disk"): "unproven",
        ("annex", "godwit", "sander-firmware"): "imposter",
    }
    blocked = {place for place, one in emulators_of(after).items() if one["state"] != "ready"}
    blocked -= {("cabinet", "turnstone")}  # limited: some of its sets want files that nobody here has
    assert {one["set"]: one["state"] for one in emulators_of(after)["cabinet", "turnstone"]["sets"]} == STATES | CURED
    blocked -= {("annex", "dotterel")}  # limited: no set of it is wanted
    blocked -= {("annex", "godwit")}  # what does not belong there goes only where it is named
    assert blocked == {("stick", "whimbrel"), ("stick", "knot")}  # all that wants a file nobody here has
    assert all(one["verdict"] == "sound" for e in emulators_of(after).values() for one in e["settings"])
    assert gribble("plan", "--json", cwd=world, code=1).json["steps"] == []
    assert {path: data for path, data in tree(world).items() if path.startswith(("drawer", "catalogue"))} == {
        path: data for path, data in before.items() if path.startswith(("drawer", "catalogue"))
    }
    gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world) == before
    states = [run["state"] for run in gribble("history", "--json", cwd=world, code=0).json["runs"]]
    assert states == ["undone"] * 4


def test_looking_writes_nothing_to_a_rig(gribble: Gribble, world: Path) -> None:
    before = {path: path.stat().st_mtime_ns for path in (world / "rigs").rglob("*")}
    for words in (["check"], ["plan"], ["needs"], ["identify", "drawer"], ["history"], []):
        gribble(*words, cwd=world)
    assert {path: path.stat().st_mtime_ns for path in (world / "rigs").rglob("*")} == before


def built(world: Path) -> dict[str, bytes]:
    """What a walk left of a world, but for the small worlds in it and the port of the handheld."""
    told = {
        name: data
        for name, (data, _time) in tree(world).items()
        if not name.startswith(("porch", "visitor", "loft", "kiosk"))
    }
    return {**told, "gribble.toml": re.sub(rb":\d+/card", b":47123/card", told["gribble.toml"])}


def in_order(text: str, *words: str) -> None:
    text, at = " ".join(text.split()), 0
    for one in words:
        at = text.index(" ".join(one.split()), at)


def test_the_demo_shows_the_job_in_five_commands_and_leaves_the_world_as_it_was_built(
    gribble: Gribble, tmp_path: Path
) -> None:
    walk = gribble("demo", cwd=tmp_path, code=0, COLUMNS="80")
    lines = walk.out.splitlines() + walk.err.splitlines()
    assert len(lines) <= 85
    assert max(map(len, lines)) <= 80
    in_order(walk.out, "$ gribble\n", "$ gribble why dunlin\n", "■ blocked", "$ gribble place dunlin --yes\n",
             "Done: 3 steps of 3", "$ gribble why dunlin\n", "◆ ready", "$ gribble undo --yes\n", "Undone: run 1",
             "Three things to try", "cd lighthouse-games-room && gribble check", "gribble demo --all", "gribble init")  # fmt: skip
    build_world(tmp_path / "two", 47_123)
    assert built(tmp_path / "lighthouse-games-room") == built(tmp_path / "two"), "every step was taken back"
    gribble("demo", cwd=tmp_path, code=0)
    assert (tmp_path / "lighthouse-games-room-2").is_dir(), "a second walk finds a folder of its own"
    assert "is not empty" in gribble("demo", "two", cwd=tmp_path, code=2).err


def test_the_whole_tour_tells_the_whole_story_and_leaves_the_rigs_as_they_were_built(
    gribble: Gribble, tmp_path: Path
) -> None:
    tour = gribble("demo", "one", "--all", cwd=tmp_path, code=0).out
    build_world(tmp_path / "two", 47_123)
    assert built(tmp_path / "one") == built(tmp_path / "two"), "every step was taken back"
    in_order(tour, *(f"Chapter {name}: {one.look}" for name, one in CHAPTERS.items()))
    in_order(tour, "$ gribble needs sandpiper\n", "$ gribble identify drawer\n", "$ gribble check\n", "$ gribble plan\n",
             "$ gribble place --yes\n", "Done: 6 steps of 6 on handheld, run 1.", "$ gribble undo --yes\n",
             "Sandpiper on kiosk becomes blocked; needs 1 file that you have (Clock cartridge ROM)", "is back at number 1",
             "On the porch", "take it from nas/roms", "is switched off", "in nas, which is away since", "connect nas",
             "nas is away and would bring 2 files", "Done: 2 steps of 2", "◆ ready", "1 altered",
             "a good copy is held: nas/roms/Tern/T8.ROM", "Done: 1 step of 1", "read whole on")  # fmt: skip


@pytest.mark.parametrize("name", CHAPTERS)
def test_each_chapter_stands_by_itself(gribble: Gribble, tmp_path: Path, name: str) -> None:
    shown = gribble("demo", "one", "--chapter", name, cwd=tmp_path, code=0).out
    in_order(shown, *(f"$ gribble {stop.words}".rstrip() for stop in CHAPTERS[name].stops), "Three things to try")


def test_the_evening_in_the_loft_takes_eight_commands_and_no_editor(gribble: Gribble, tmp_path: Path) -> None:
    """A merged pack of 30 families with faults, an export, 40 favourites by title, and a newer release."""
    loft, stops = build_loft(tmp_path), CHAPTERS["evening"].stops
    assert len(stops) <= 8
    assert len(list((loft / "downloads/pack").iterdir())) == 31
    said = [gribble(*stop.words.split(), cwd=loft) for stop in stops]
    assert "40 sets wanted of whimbrel on emulators; you have 38 of them whole" in said[2].words
    placed = said[3].words
    in_order(placed, "galley.zip release 2.0: 1 of its 2 files is missing", "keelson.zip release 2.0: none of its 2 files",
             "Done: 39 steps of 39")  # fmt: skip
    assert "gribble rigs enter whimbrel --rig emulators --release 2.1" in said[4].words
    in_order(said[5].words, "24 do not change", "yawl is now yawl2", "14 need 1 archive that you do not have: loftsys.zip",
             "1 is gone: windlass")  # fmt: skip
    in_order(said[7].words, "22 ready, 18 blocked", "14 sets obtain loftsys.zip (BIOS set, release 2.1)",
             "obtain 2 archives: galley.zip, keelson.zip", "Next: gribble sets match")  # fmt: skip
    gribble("rigs", "enter", "whimbrel", "--rig", "emulators", "--release", "2.0", "--yes", cwd=loft, code=0)
    assert "40 sets: 38 ready, 2 blocked" in gribble("sets", "check", cwd=loft, code=1).words
    gribble("undo", "--yes", cwd=loft, code=0)
    assert not any((loft / "emulators/whimbrel/sets").iterdir())


def test_a_walk_that_is_none_is_told(gribble: Gribble, tmp_path: Path) -> None:
    assert "There are set-up, know, look" in gribble("demo", "--chapter", "soup", cwd=tmp_path, code=2).err
    assert "Use one of them" in gribble("demo", "--chapter", "know", "--all", cwd=tmp_path, code=2).err
    assert not (tmp_path / "lighthouse-games-room").exists()


def test_identify_says_what_files_are_and_ends_with_the_counts(gribble: Gribble, world: Path) -> None:
    answer = gribble("identify", "drawer", "--json", cwd=world, code=0).json
    found = {(Path(file["path"]).name, file["member"]): file["verdict"] for file in answer["files"]}
    expected: dict[tuple[str, str | None], str] = {
        **{(name, None): "damaged" for name in DAMAGED},
        ("skl.key", None): "known",
        ("whole disk.bin", None): "known",
        ("drv_rev2.bin", None): "known",
        ("drv_rev2 (copy).bin", None): "known",
        ("T8.ROM", None): "known",
        ("Tern 16 rev D.bin", None): "rejected",
        ("vesper NEW!!.bin", None): "rejected",
        ("tern pack (complete).zip", "FONTS/T16FNT.BIN"): "known",
        ("tern pack (complete).zip", "ROMS/TERN8.BIN"): "known",
        ("tern pack (complete).zip", "readme.txt"): "unknown",
        ("LUMEN_BIOS_EU.ZIP", "LUMEN1.ROM"): "known",
        ("broken download.zip", None): "unknown",
        ("misnamed archive.rom", "inside.bin"): "known",
        ("pack of packs.zip", "drivers.txt"): "unknown",
        ("pack of packs.zip", "font/t16.tar.xz/t16 font.bin"): "known",
        ("T8.ROM.gz", "T8.ROM"): "known",
        ("big set.7z.001", None): "unknown",
        ("locked.zip", None): "unknown",
        ("update 4.1.bin", None): "known",
        ("keys from Ada.txt", None): "known",
        ("half.keys", None): "unknown",
        ("f_eu.bin", None): "known",
        ("voice_us.bin", None): "known",
        ("voices.zip", "VOICE.EU"): "known",
        ("gull.pic", None): "known",
        ("groyne.zip", "groyne1.1a"): "known",
        ("whelk.zip", "whelk1.1a"): "known",
        ("whelk.zip", "whelk2.2b"): "known",
        ("whelk from japan.zip", "whelk1j.1a"): "known",
        ("groyne.zip", "groyne2.2b"): "known",
        ("sounds.zip", "TONE"): "known",
        ("driftnet (good).chd", None): "known",
        ("razor1 better.bin", None): "known",
        ("desk sounds.zip", "bell.snd"): "known",
        **{(name, None): "known" for name in ("sound lock.bin", "voice 1.9.bin", "voice 1.10.bin", "card fresh.img")},
        ("ketch, old.tag", None): "unknown",
        **{(f"beach {number}.jpg", None): "unknown" for number in range(1, 6)},
    }
    assert found == expected
    assert answer["counts"] == {
        "needed": 18, "held": 7, "elsewhere": 0, "rejected": 2, "damaged": 11, "unknown": 12, "passed_over": 3,
    }  # fmt: skip
    assert gribble("identify", "drawer", cwd=world).out.endswith(
        "18 needed, 7 held already, 11 damaged, 2 known not to work, 12 unknown; 3 passed over\n"
    )
    only = gribble("identify", "drawer", "--show", "needed", "--json", cwd=world, code=0).json
    assert {match["to"] for file in only["files"] for match in file["matches"]} == {
        "apps/dunlin/System/lumen.bin",
        "avocet/rom/skerry-disk.rom",
        "avocet/rom/skerry-lock.rom",
        "curlew/bios/voice-eu.rom",
        "curlew/desk/icons/gull.pic",
        "curlew/desk/sounds/bell.snd",
        "godwit/system/card.img",
        "godwit/system/sound.lock",
        "godwit/system/voice.rom",
        "turnstone/sets/driftnet/driftnet.chd",
        "redshank/system/petrel.fw",
        "redshank/system/petrel.keys",
        "sandpiper/boot/tern16.fnt",
        "sandpiper/drive/drive.rom",
        "turnstone/sets/groyne.zip",
        "turnstone/sets/jettytone.zip",
        "turnstone/sets/razor.zip",
    }


def test_each_damaged_file_is_explained_and_mended(gribble: Gribble, world: Path) -> None:
    before = tree(world)
    answer = gribble("identify", "drawer/skerry", "rigs/lighthouse/avocet", "--json", cwd=world, code=0).json
    told = {Path(file["path"]).name: file["diagnosis"] for file in answer["files"] if file["diagnosis"]}
    assert told["skerry-modem.rom"]["words"] == "it is a web page (a download that went wrong?)"
    found = {name: diagnosis for name, diagnosis in told.items() if diagnosis["damage"]}
    on_rig = {"skerry-logic.rom": "stripped", "skerry-clock.rom": "flipped", "skerry-disk.rom": "cut"}
    assert {name: diagnosis["damage"] for name, diagnosis in found.items()} == {**DAMAGED, **on_rig}
    alone = gribble("identify", "drawer/skerry/skt.even", "--json", cwd=world, code=0).json
    assert alone["files"][0]["diagnosis"]["partner"] == str(world / "drawer/skerry/skt.odd")
    page = gribble("identify", "rigs/lighthouse/avocet/rom/skerry-modem.rom", "--json", cwd=world, code=0).json
    assert "web page" in page["files"][0]["diagnosis"]["words"]
    gribble("mend", *(f"drawer/skerry/{name}" for name in DAMAGED), "--into", "mended", cwd=world, code=0)
    made = {path.stem: path.read_bytes() for path in (world / "mended").iterdir()}
    assert made == {name: content(name) for name in {found[name]["need"] for name in DAMAGED}}
    assert {path: data for path, data in tree(world).items() if not path.startswith("mended")} == before


def test_mend_refuses_what_it_cannot_prove_or_must_not_touch(gribble: Gribble, world: Path) -> None:
    rom = "rigs/lighthouse/avocet/rom"
    assert "cannot rebuild" in gribble("mend", f"{rom}/skerry-disk.rom", cwd=world, code=1).out
    assert "web page" in gribble("mend", f"{rom}/skerry-modem.rom", cwd=world, code=1).out
    assert "does not resemble anything" in gribble("mend", "drawer/photos/beach 1.jpg", cwd=world, code=1).out
    assert "nothing to mend" in gribble("mend", "drawer/old backup/T8.ROM", cwd=world, code=1).out
    assert (
        "Gribble never writes to a source"
        in gribble("mend", f"{rom}/skerry-clock.rom", "--into", "drawer/x", cwd=world, code=2).err
    )
    (world / "skerry-clock.rom").write_bytes(b"mine")
    assert "is there already" in gribble("mend", f"{rom}/skerry-clock.rom", cwd=world, code=2).err
    assert (world / "skerry-clock.rom").read_bytes() == b"mine"


def test_needs_without_a_configuration_reads_a_catalogue(gribble: Gribble, world: Path, tmp_path: Path) -> None:
    answer = gribble("needs", "whimbrel", "--catalogue", str(world / "catalogue"), "--json", cwd=tmp_path, code=0).json
    assert [need["need"] for need in answer["emulators"][0]["needs"]] == [
        "vesper-boot", "vesper-sound", "vesper-bank-a", "vesper-bank-b",
    ]  # fmt: skip
    assert answer["emulators"][0]["needs"][0]["held"] is None
    on_rigs = gribble("needs", "whimbrel", "--json", cwd=world, code=0).json
    assert [need["held"] for need in on_rigs["emulators"][0]["needs"]] == [True, False, True, True]


def test_another_release_another_source_another_place(gribble: Gribble, world: Path, tmp_path: Path) -> None:
    found = needs_of(gribble("check", "sandpiper", "--as", "sandpiper=4.0", "--json", cwd=world, code=1).json)
    assert found["lighthouse", "sandpiper", "tern16-boot"]["accept"] == "revision D"
    extra = tmp_path / "clock"
    extra.mkdir()

    (extra / "x").write_bytes(content("vesper-sound"))
    found = needs_of(gribble("check", "--from", str(extra), "--json", cwd=world, code=1).json)
    assert found["stick", "whimbrel", "vesper-sound"]["found"] == str(extra / "x")
    (world / "rigs/stick").rename(tmp_path / "elsewhere")
    away = gribble("check", "--rig", "stick", "--json", cwd=world)
    assert away.json["rigs"][0]["state"] in ("away", "blocked")
    found = needs_of(
        gribble("check", "--rig", "stick", "--at", str(tmp_path / "elsewhere"), "--json", cwd=world, code=1).json
    )
    assert found["stick", "whimbrel", "vesper-boot"]["verdict"] == "misnamed"


def test_init_writes_a_configuration_that_works(gribble: Gribble, world: Path) -> None:
    (world / "gribble.toml").unlink()
    gribble("init", cwd=world, code=0)
    config = (world / "gribble.toml").read_text()
    assert 'sources = ["discs", "drawer"]' in config
    assert 'catalogues = ["catalogue"]' in config
    answer = gribble("check", "--json", cwd=world, code=1).json
    assert {rig["rig"]: [one["emulator"] for one in rig["emulators"]] for rig in answer["rigs"]} == {
        "lighthouse": ["avocet", "curlew", "redshank", "sandpiper"],
        "annex": ["godwit"],
        "cabinet": ["turnstone"],
        "stick": ["knot", "redshank", "whimbrel"],
    }
    again = gribble("init", cwd=world, code=2)
    assert "is here already" in again.err
    assert (world / "gribble.toml").read_text() == config


def test_a_second_check_opens_none_of_5000_files(gribble: Gribble, world: Path) -> None:
    import os

    for number in range(5000):
        path = world / f"drawer/many/{number % 50}/{number}.bin"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content("clock")[1:] + bytes([number % 256]) if number % 2 else b"x")
        os.utime(path, (1_000_000_000, 1_000_000_000))
    first = gribble("check", "-v", cwd=world, code=1)
    assert "surveyed 5,157 files: 5,1" in first.err
    assert "surveyed 5,157 files: 0 opened, 0 B read" in gribble("check", "-v", cwd=world, code=1).err


@pytest.mark.parametrize("columns", ["40", "80"])
def test_views_keep_to_the_width_and_leave_no_trailing_space(gribble: Gribble, world: Path, columns: str) -> None:
    for words in (
        ["check", "--games"], ["plan"], ["needs"], ["identify", "drawer"], [], ["why", "redshank"], ["sets", "check"],
        ["sets", "show", "breakwat"], ["keys", "check"], ["catalogue", "list"], ["catalogue", "lint"],
    ):  # fmt: skip
        lines = gribble(*words, cwd=world, COLUMNS=columns).out.splitlines()
        assert not [line for line in lines if line != line.rstrip()]
        if columns == "80":
            assert max(map(len, lines)) <= 80
