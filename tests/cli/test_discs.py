"""`gribble discs check` on the shelf of the made-up world, and on what is not a disc."""

from __future__ import annotations

from contextlib import nullcontext
from pathlib import Path

import pytest

from tests.conftest import Gribble, tree
from tests.ground.volume import folding_volume
from tests.making import A, files, small_world
from tests.seeded import DISCS, MENDED


def test_every_seeded_disc_gets_its_verdict(gribble: Gribble, world: Path) -> None:
    before = tree(world)
    answer = gribble("discs", "check", "discs", "--json", cwd=world, code=1).json
    assert answer["gribble"] == "discs/1"
    found = {
        one["path"].removeprefix("discs/"): (one["verdict"], one["findings"][0]["fault"] if one["findings"] else "")
        for one in answer["files"]
    }
    assert found == DISCS
    shown = gribble("discs", "check", "discs", cwd=world, code=1, COLUMNS="200").out
    assert "25 track sheets and images: 8 sound, 2 unproven, 14 damaged, 1 imposter" in shown
    assert "gribble discs mend writes whelk.cue" in shown
    assert "Next: gribble discs mend discs" in shown
    assert "is too short: the disc needs 9 sectors, but the file has 4" in shown
    assert "its header needs at least 7,000" in shown
    assert "line 1: is called Salt Pan.bin, with other capitals" in shown
    assert "rename it to Old Pier.m3u" in shown
    assert "PONTOON_1 (TERN)" in gribble("discs", "check", "discs", "-v", cwd=world, code=1, COLUMNS="200").out
    assert tree(world) == before


def test_one_sheet_and_the_game_folders_of_the_rigs(gribble: Gribble, world: Path) -> None:
    one = gribble("discs", "check", "discs/Herring Run/Herring Run.cue", "--json", cwd=world, code=0).json
    assert [(each["path"], each["verdict"]) for each in one["files"]] == [
        ("discs/Herring Run/Herring Run.cue", "sound")
    ]
    assert gribble("discs", "check", "--json", cwd=world).json["gribble"] == "discs/1"


def test_check_with_games_tells_of_sheets_in_game_folders(gribble: Gribble, world: Path) -> None:
    (world / "rigs/stick/KNOT/REELS/wave.cue").write_text('FILE "wave.bin" BINARY\nTRACK 01 AUDIO\nINDEX 01 00:00:00\n')
    media = [
        one
        for rig in gribble("check", "--games", "--json", cwd=world, code=1).json["rigs"]
        for emulator in rig["emulators"]
        for one in emulator["media"]
    ]
    assert ("damaged", "wave.bin: line 1: is not there") in [
        (one["verdict"], one["reason"]) for one in media if one["file"].endswith("wave.cue")
    ]


@pytest.mark.parametrize(
    ("words", "say"),
    [
        (("discs", "check", "nowhere"), "called nowhere"),
        (("discs", "check", "--rig", "nowhere"), "is not a known rig"),
    ],
)
def test_bad_input(gribble: Gribble, world: Path, words: tuple[str, ...], say: str) -> None:
    assert say in gribble(*words, cwd=world, code=2).err


def test_playlists_are_listed_then_written_merged_and_undone(gribble: Gribble, world: Path) -> None:
    answer = gribble("discs", "playlist", "discs", "--json", cwd=world, code=0).json
    assert [(one["path"], one["missing"]) for one in answer["playlists"]] == [
        ("discs/Flood Tide.m3u", []), ("discs/Pontoon.m3u", []),
    ]  # fmt: skip
    assert not (world / "discs/Pontoon.m3u").exists()
    shown = gribble("discs", "playlist", "discs", "--into", "lists", cwd=world, code=1).out
    assert "Write 2 files to lists?" in shown
    gribble("discs", "playlist", "discs", "--into", "lists", "--yes", cwd=world, code=0)
    written = world / "lists/Pontoon.m3u"
    assert written.read_bytes() == b"../discs/Pontoon (Disc 1).iso\n../discs/Pontoon (Disc 2).iso\n"
    assert (
        "are right already" in gribble("discs", "playlist", "discs", "--into", "lists", "--yes", cwd=world, code=0).out
    )
    written.write_text("# mine\nother.iso\n")
    gribble("discs", "playlist", "discs", "--into", "lists", "--yes", cwd=world, code=0)
    assert written.read_text().splitlines()[0] == "# mine"
    assert (world / "lists/Pontoon.m3u.before-1").read_text() == "# mine\nother.iso\n"
    assert (
        "Gribble never writes to a source"
        in gribble("discs", "playlist", "discs", "--into", "drawer", cwd=world, code=2).err
    )
    before = tree(world / "rigs")
    gribble("discs", "playlist", "discs", "--into", "rigs/stick/lists", "--yes", cwd=world, code=0)
    assert (world / "rigs/stick/lists/Pontoon.m3u").read_text().startswith("../../../discs/Pontoon")
    gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world / "rigs") == before
    assert "there is no file or folder called nowhere" in gribble("discs", "playlist", "nowhere", cwd=world, code=2).err
    assert "Use one of the two" in gribble("discs", "playlist", "discs", "--into", "x", "--json", cwd=world, code=2).err


def test_what_is_beyond_doubt_is_mended_and_the_rest_is_left(gribble: Gribble, world: Path) -> None:
    before = tree(world)
    shown = gribble("discs", "mend", "discs", cwd=world, code=1, COLUMNS="200").out
    assert "9 track sheets can be corrected" in shown
    assert "line 1: winkle (1998 reissue).bin, the only image left whose length fits" in shown
    assert "line 4: razor-02.bin, by its track number, and its length fits" in shown
    assert "line 2: Pontoon (Disc 2).iso, the same title and number" in shown
    assert tree(world) == before, "nothing is written unasked"
    gribble("discs", "mend", "discs", "--yes", cwd=world, code=0)
    answer = gribble("discs", "check", "discs", "--json", cwd=world, code=1).json
    verdicts = {one["path"].removeprefix("discs/"): one["verdict"] for one in answer["files"]}
    for path, name in MENDED.items():
        assert name in (world / "discs" / path).read_text()
        assert verdicts[path] == "sound"
    assert (world / "discs/Winkle/Winkle.cue.before-1").read_bytes() == before["discs/Winkle/Winkle.cue"][0]
    left = {path: data for path, (data, _) in before.items() if path.startswith("discs/") and not path.endswith("/")}
    changed = {f"discs/{path}" for path in MENDED}
    assert (world / "discs/Old Pier.m3u.txt.before-1").read_bytes() == left.pop("discs/Old Pier.m3u.txt")
    assert {path: (world / path).read_bytes() for path in left if path not in changed} == {
        path: data for path, data in left.items() if path not in changed
    }
    assert "Nothing to mend" in gribble("discs", "mend", "discs", cwd=world, code=0).out


def test_a_further_ending_goes_and_the_former_file_is_kept_unless_a_playlist_names_it(
    gribble: Gribble, tmp_path: Path
) -> None:
    sheet = b'\xef\xbb\xbfFILE "a.bin" BINARY\n  TRACK 01 MODE1/2352\n    INDEX 01 00:00:00\n'
    files(tmp_path, {"discs/a.cue.txt": sheet, "discs/a.bin": bytes(2352), "discs/b.cue.txt": sheet})
    files(tmp_path, {"discs/lists/b.m3u": b"../b.cue.txt\n"})
    said = gribble("discs", "mend", "discs", "--yes", cwd=tmp_path, code=0).words
    assert "a.cue (the former file is kept as a.cue.txt.before-1)" in said
    there = {path.name: path.read_bytes() for path in (tmp_path / "discs").glob("*.c*")}
    right = sheet[3:]
    assert there == {"a.cue": right, "a.cue.txt.before-1": sheet, "b.cue.txt": right, "b.cue.txt.before-1": sheet}
    assert "Nothing to mend" in gribble("discs", "mend", "discs", cwd=tmp_path, code=0).out
    left = gribble("discs", "check", "discs", "--json", cwd=tmp_path, code=1).json["files"]
    assert [(one["path"], [f["fault"] for f in one["findings"]]) for one in left if one["findings"]] == [
        ("discs/b.cue.txt", ["ending"])
    ]


def test_mending_on_a_rig_is_a_run_and_never_in_a_source(gribble: Gribble, world: Path) -> None:
    reels = world / "rigs/stick/KNOT/REELS"
    (reels / "wave.cue").write_bytes(b'\xef\xbb\xbfFILE "wave.bin" BINARY\r\nTRACK 01 AUDIO\r\nINDEX 01 00:00:00\r\n')
    (reels / "Wave.bin").write_bytes(bytes(2352))
    (reels / "shore.m3u.txt").write_text("WAVE.CUE\n")
    before = tree(world / "rigs")
    gribble("discs", "mend", "--rig", "stick", "--yes", cwd=world, code=0)
    assert (reels / "wave.cue").read_bytes() == b'FILE "Wave.bin" BINARY\r\nTRACK 01 AUDIO\r\nINDEX 01 00:00:00\r\n'
    assert (reels / "shore.m3u").read_text() == "wave.cue\n"
    assert not (reels / "shore.m3u.txt").exists()
    gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world / "rigs") == before
    (world / "drawer/wave.cue").write_bytes((reels / "wave.cue").read_bytes())
    (world / "drawer/wave.bin").write_bytes(bytes(2352))
    refused = gribble("discs", "mend", "drawer", "--yes", cwd=world, code=2)
    assert "Gribble never writes to a source" in refused.err


def test_installed_titles_take_names_from_a_list(gribble: Gribble, world: Path) -> None:
    ended = gribble("discs", "playlist", "discs/installed", "--names", "discs/names.txt", "--json", cwd=world, code=0)
    assert [(one["path"], one["discs"]) for one in ended.json["playlists"]] == [
        ("discs/installed/Harbour Nights.m3u", ["discs/installed/PTR-00017"]),
        ("discs/installed/Tide Pool.m3u", ["discs/installed/PTR-00021.prg"]),
    ]
    assert "PTR-00033 (Fog Signal) is not there: no folder and no file of that name" in ended.err
    words = ("discs", "playlist", "discs/installed", "--names", "discs/names.txt", "--into", "lists", "--yes")
    gribble(*words, cwd=world, code=0)
    assert (world / "lists/Harbour Nights.m3u").read_text() == "../discs/installed/PTR-00017\n"
    gribble("discs", "check", "lists", cwd=world, code=0)
    within = {"discs/here.m3u": b"installed/PTR-00017\n", "discs/none.m3u": b"installed/PTR-00018\n"}
    files(world, {**within, "discs/folder.cue": b'FILE "installed" BINARY\nTRACK 01 AUDIO\nINDEX 01 00:00:00\n'})
    found = gribble("discs", "check", "discs", "--json", cwd=world, code=1).json["files"]
    verdicts = {one["path"]: one["verdict"] for one in found}
    assert [verdicts[f"discs/{name}"] for name in ("here.m3u", "none.m3u", "folder.cue")] == [
        "sound",
        "damaged",
        "damaged",
    ]
    (world / "bad.txt").write_text("PTR-1 ../up\nPTR-2\nPTR-3 fine\n")
    bad = gribble("discs", "playlist", "discs", "--names", "bad.txt", cwd=world, code=2).err
    assert "line 1: the name of PTR-1 climbs out" in bad
    assert "line 2: the name of PTR-2 is missing" in bad
    assert (
        "there is no file or folder called none"
        in gribble("discs", "playlist", "discs", "--names", "none", cwd=world, code=2).err
    )


@pytest.mark.parametrize(("folds", "exact"), [(True, False), (True, True), (False, False)])
def test_a_playlist_in_a_game_folder_names_what_is_elsewhere_on_the_rig(
    gribble: Gribble, tmp_path: Path, folds: bool, exact: bool
) -> None:
    there = {"rig/games/lists/a.m3u": b"../../other/a.iso\n../../OTHER/A.ISO\n../b.iso\n../../../drawer/x\n"}
    media = '[[media]]\nfolder = "games"\naccepts = [".m3u", ".iso"]\n'
    with folding_volume(tmp_path / "beneath", tmp_path / "at") if folds else nullcontext(tmp_path) as base:
        world = small_world(base, {**there, "rig/other/a.iso": A, "rig/games/b.iso": A, "drawer/x": A}, media)
        path = world / "catalogue/plover.sheet.toml"
        text = path.read_text().replace('boot = "boot"', 'boot = "boot"\ngames = "games"')
        path.write_text(text.replace("[[media]]", f"[root]\nexact_names = {str(exact).lower()}\n[[media]]"))
        found = gribble("check", "--games", "--json", cwd=world).json["rigs"][0]["emulators"][0]["media"]
    wrong = [one["reason"].partition(":")[0] for one in found if one["file"].endswith(".m3u") and one["reason"]]
    assert wrong == [*(["../../OTHER/A.ISO"] if exact or not folds else []), "../../../drawer/x"]


@pytest.mark.parametrize("into", ["discs", "lists", "discs/lists/deep"])
def test_a_playlist_is_sound_where_it_was_written(gribble: Gribble, tmp_path: Path, into: str) -> None:
    titles = ["Salt Pan", "#1 Racer", " Slack", "\ufeffEbb"]
    sheet = 'FILE "{}" BINARY\n  TRACK 01 MODE1/2352\n    INDEX 01 00:00:00\n'
    for stem in (f"{title} (Disc {number})" for title in (*titles, "a\nb", "c\\d") for number in (1, 2)):
        files(tmp_path, {f"discs/{stem}.cue": sheet.format(f"{stem}.bin").encode(), f"discs/{stem}.bin": bytes(2352)})
    said = gribble("discs", "playlist", "discs", "--into", into, "--yes", cwd=tmp_path, code=1).out
    assert said.count("signs in its name that no playlist can have") == 2
    lists = sorted((tmp_path / into).glob("*.m3u"))
    assert len(lists) == len(titles)
    found = gribble("discs", "check", into, "--json", cwd=tmp_path).json["files"]
    assert {one["verdict"] for one in found if one["path"].endswith(".m3u")} == {"sound"}
    (tmp_path / "discs/Salt Pan (Disc 2).cue").unlink()
    wrong = gribble("discs", "check", into, "--json", cwd=tmp_path, code=1).json["files"]
    assert [Path(one["path"]).name for one in wrong if one["path"].endswith(".m3u") and one["findings"]] == [
        "Salt Pan.m3u"
    ]


def test_a_drawer_of_sixty_discs_becomes_playlists_in_one_command(gribble: Gribble, tmp_path: Path) -> None:
    drawer = tmp_path / "discs"
    drawer.mkdir()
    titles = [
        f"Voyage {word}" for word in ("One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten")
    ]
    marks = ("(Disc {})", "Disk {} of 6", "CD{}", "[disc {}]", "- disk {}")
    for number, title in enumerate(titles):
        for disc in range(1, 7):
            (drawer / f"{title} {marks[number % 5].format(disc)}.iso").write_bytes(b"x")
    gribble("discs", "playlist", "discs", "--into", "lists", "--yes", cwd=tmp_path, code=0)
    lists = {path.stem: path.read_text().splitlines() for path in (tmp_path / "lists").iterdir()}
    assert sorted(lists) == sorted(titles)
    for number, title in enumerate(titles):
        assert lists[title] == [f"../discs/{title} {marks[number % 5].format(disc)}.iso" for disc in range(1, 7)]
