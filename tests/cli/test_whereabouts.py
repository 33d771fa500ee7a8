"""Where everything is: seen and changed by commands, each with its opposite; what a sheet says is true of every rig."""

from __future__ import annotations

import re
import shutil
import tomllib
from pathlib import Path
from typing import Any

import pytest

from gribble.demo.sheets import HANDHELD_PASSWORD
from tests.conftest import Gribble
from tests.making import A, B, C, files, need, sha1, sheet
from tests.servers import Weather, ftp_server

LIST = "".join(
    f"{name},{folder},{len(content)},{sha1(content)}\n"
    for name, folder, content in (("a.rom", "system", A), ("b.rom", "system", B), ("c.key", "system/mere", C))
)
HEAD = "File,Folder,Size,SHA-1\n"


@pytest.fixture
def home(tmp_path: Path) -> Path:
    """A PC with programs in `emulators/NAME`, a stick with one folder for all, and a list of what plover needs."""
    world = tmp_path / "home"
    files(
        world,
        {
            "drawer/1.bin": A, "drawer/2.bin": B, "drawer/3.bin": C,
            "pc/emulators/Plover 1.2/Plover.exe": b"-", "pc/emulators/Plover 1.2/system/a.rom": A,
            "pc/emulators/redshank/redshank.exe": b"-", "pc/emulators/redshank/b.rom": B,
            "stick/BIOS/other.rom": C,
            "lists/plover-1.2.csv": (HEAD + LIST).encode(),
            "catalogue/-": b"",
        },
    )  # fmt: skip
    text = '# mine\nsources = ["drawer"]\ncatalogues = ["catalogue"]\n\n[rig.pc]\nat = "pc"      # the big one\n'
    (world / "gribble.toml").write_text(text)
    return world


def toml(world: Path) -> dict[str, Any]:
    return tomllib.loads((world / "gribble.toml").read_text())


def emulators(world: Path, rig: str) -> Any:
    return toml(world)["rig"][rig]["emulators"]


def states(gribble: Gribble, world: Path) -> dict[str, str]:
    return {one["rig"]: one["state"] for one in gribble("check", "--json", cwd=world).json["rigs"]}


IMPORT = ("catalogue", "import", "lists/plover-1.2.csv", "--rig")


def test_one_list_serves_three_rigs_with_three_layouts(gribble: Gribble, home: Path, tmp_path: Path) -> None:
    said = gribble(*IMPORT, "pc", "--yes", cwd=home)
    assert "On pc plover looks in emulators/Plover 1.2 (a.rom is there)" in said.words.replace("system/", "")
    assert emulators(home, "pc") == {"plover": {"release": "1.2", "at": "emulators/Plover 1.2"}}
    written = (home / "catalogue/plover.sheet.toml").read_bytes()
    folders = tomllib.loads(written.decode())["folders"]
    assert list(folders.values()) == [".", "system", "system/mere"], "true of every rig"
    gribble("rigs", "add", "stick", "stick", "--yes", cwd=home, code=0)
    gribble(*IMPORT, "stick", "--in", "BIOS/plover", "--yes", cwd=home)
    card = tmp_path / "card"
    files(card, {"apps/plover/plover.cfg": b"-"})
    with ftp_server(card, Weather()) as server:
        secret = {"GRIBBLE_PASSWORD_HANDHELD": HANDHELD_PASSWORD}
        added = gribble("rigs", "add", "handheld", str(server), "--yes", cwd=home, code=0, **secret)
        assert "answers" in added.out
        entered = gribble("rigs", "enter", "plover", "--rig", "handheld", "--yes", cwd=home, code=0, **secret)
        assert "looks in apps/plover (it is called like the emulator, and plover.cfg is there)" in entered.words
        assert (home / "catalogue/plover.sheet.toml").read_bytes() == written
        gribble("place", "--yes", cwd=home, code=0, **secret)
        assert (card / "apps/plover/system/mere/c.key").read_bytes() == C
    assert (home / "stick/BIOS/plover/system/b.rom").read_bytes() == B
    assert (home / "pc/emulators/Plover 1.2/system/b.rom").read_bytes() == B
    assert (home / "pc/emulators/redshank/b.rom").read_bytes() == B, "a program that nobody has entered may use it"


def test_importing_again_never_doubles_and_changes_what_it_says(gribble: Gribble, home: Path) -> None:
    gribble(*IMPORT, "pc", "--yes", cwd=home)
    before = (home / "catalogue/plover.sheet.toml").read_text()
    again = gribble(*IMPORT, "pc", "--in", "emulators/new", "--yes", cwd=home)
    assert "0 new needs and 0 new accepts" in again.words
    assert emulators(home, "pc")["plover"] == {"release": "1.2", "at": "emulators/new"}
    gribble(*IMPORT, "pc", "--folder", "emulators/newer", "--yes", cwd=home)
    assert emulators(home, "pc")["plover"]["at"] == "emulators/newer", "the word of before goes on working"
    gribble(*IMPORT, "pc", "--release", "1.3", "--yes", cwd=home)
    assert emulators(home, "pc")["plover"]["release"] == "1.3"
    flat = HEAD + LIST.replace(",system/mere,", ",,").replace(",system,", ",,")
    (home / "lists/plover-1.2.csv").write_text(flat)
    gribble(*IMPORT, "pc", "--yes", cwd=home)
    sheet = (home / "catalogue/plover.sheet.toml").read_text()
    assert re.sub(r'\nsha256 = ".*"\nmap', "\nmap", sheet) == re.sub(r'\nsha256 = ".*"\nmap', "\nmap", before)


def test_a_sheet_of_before_serves_a_second_rig_by_what_gribble_toml_says(gribble: Gribble, home: Path) -> None:
    sheet(home, need("a", A), need("b", B), emulator="plover", folder="plover/system")
    before = (home / "catalogue/plover.sheet.toml").read_bytes()
    shutil.rmtree(home / "pc/emulators/Plover 1.2")
    (home / "gribble.toml").write_text((home / "gribble.toml").read_text() + '\n[rig.pc.emulators]\nplover = "1"\n')
    gribble("rigs", "add", "stick", "stick", "--yes", cwd=home, code=0)
    gribble("rigs", "enter", "plover", "--rig", "stick", "--in", "BIOS", "--yes", cwd=home, code=0)
    assert emulators(home, "stick")["plover"] == {"moved": {"plover/system": "BIOS"}}
    gribble("place", "--yes", cwd=home, code=0)
    assert (home / "stick/BIOS/a.rom").read_bytes() == A
    assert (home / "pc/plover/system/a.rom").read_bytes() == A
    assert (home / "catalogue/plover.sheet.toml").read_bytes() == before
    gribble("rigs", "enter", "plover", "--rig", "stick", "--in", "other/plover/system", "--yes", cwd=home, code=0)
    assert emulators(home, "stick")["plover"] == {"at": "other"}


FOLDERS: dict[str, tuple[dict[str, bytes], str]] = {
    "its own, with a program": ({"plover/plover.exe": b"-", "old/a.rom": A}, "plover"),
    "its own, by its usual folder": ({"plover/p.ini": b"-", "plover/bios/x": b"-"}, "plover/bios"),
    "its own, by what its settings name": ({"plover/p.ini": b"rom_dir = /x/fw/\n", "plover/fw/x": b"-"}, "plover/fw"),
    "its own of another release": ({"Plover_1.3/p.exe": b"-"}, "Plover_1.3"),
    "its own, by its program": (
        {"Tern things/Plover-1.3-x64.AppImage": b"-", "Tern things/bios/x": b"-"},
        "Tern things/bios",
    ),
    "its own of a build": ({"plover-nightly-x64/p.exe": b"-"}, "plover-nightly-x64"),
    "that in which the files lie": ({"bios/a.rom": A, "bios/b.rom": B}, "bios"),
    "that in which most lie": ({"bios/a.rom": A, "bios/b.rom": B, "more/a.rom": A}, "bios"),
    "none, where another emulator has such files": ({"redshank/a.rom": A}, "plover"),
    "none at all": ({"x": b"-"}, "plover"),
    "that for all emulators": ({"BIOS/z.rom": C, "games/y": C}, "BIOS"),
}


@pytest.mark.parametrize("case", FOLDERS)
def test_the_folder_that_most_speaks_for_is_taken(gribble: Gribble, tmp_path: Path, case: str) -> None:
    there, right = FOLDERS[case]
    files(tmp_path, {**{f"rig/{path}": data for path, data in there.items()}, "drawer/-": b""})
    sheet(tmp_path, need("a", A), need("b", B), emulator="plover", folder=".")
    sheet(tmp_path, need("z", C), emulator="redshank", folder="redshank")
    text = 'sources = ["drawer"]\ncatalogues = ["catalogue"]\n[rig.rig]\nat = "rig"\n[rig.rig.emulators]\n'
    (tmp_path / "gribble.toml").write_text(text + 'redshank = "1"\n')
    gribble("rigs", "enter", "plover", "--yes", cwd=tmp_path, code=0)
    assert emulators(tmp_path, "rig")["plover"] == {"at": right}


@pytest.mark.parametrize(
    ("folder", "there", "entered"),
    [
        ("bios", "Plover 1.3/p.exe", {"at": "Plover 1.3"}),
        ("data/x", "Plover 1.3/firmware/p.exe", {"at": "Plover 1.3"}),
        ("bios", "Plover 1.3/bios/a.rom", {"at": "Plover 1.3"}),
        ("plover/bios", "Plover 1.3/p.exe", {"moved": {"plover/bios": "Plover 1.3/bios"}}),
        ("plover/bios", "emus/plover/p.exe", {"at": "emus"}),
        ("plover/bios", "plover/p.exe", {}),
        ("bios", "PloverEmu/Plover.exe", {"at": "PloverEmu"}),
        ("bios", "Redshank/p.exe", None),
    ],
)
def test_a_folder_of_the_sheet_is_sought_within_that_which_is_called_like_the_emulator(
    gribble: Gribble, tmp_path: Path, folder: str, there: str, entered: dict[str, Any] | None
) -> None:
    files(tmp_path, {f"pc/{there}": A, "drawer/-": b""})
    sheet(tmp_path, need("a", A), emulator="plover", folder=folder)
    (tmp_path / "gribble.toml").write_text('catalogues = ["catalogue"]\n[rig.pc]\nat = "pc"\n')
    gribble("rigs", "enter", "plover", "--yes", cwd=tmp_path, code=0)
    assert emulators(tmp_path, "pc")["plover"] == (entered if entered is not None else {"at": "plover"})
    (tmp_path / "gribble.toml").unlink()
    if entered and there.startswith("Plover 1.3"):
        elsewhere = tmp_path.with_name(f"{tmp_path.name}-elsewhere")
        shutil.move(tmp_path / "pc/Plover 1.3", elsewhere)
        (tmp_path / "pc/Plover 1.3").symlink_to(elsewhere)
    gribble("init", cwd=tmp_path, code=0)
    found = [one["emulators"] for one in toml(tmp_path)["rig"].values()]
    if "emus" not in there:  # where emulators are, a rig begins
        assert found == [{"plover": entered} if entered is not None else {}]


def test_two_folders_of_like_weight_are_asked_about_and_nothing_is_written_without_an_answer(
    gribble: Gribble, tmp_path: Path
) -> None:
    files(tmp_path, {"rig/plover/x": b"-", "rig/old/a.rom": A})
    sheet(tmp_path, need("a", A), emulator="plover", folder=".")
    text = 'catalogues = ["catalogue"]\n\n[rig.rig]\nat = "rig"\n'
    (tmp_path / "gribble.toml").write_text(text)
    for more, asks in (((), False), (("--yes",), True)):
        told = gribble("rigs", "enter", "plover", *more, cwd=tmp_path, code=2, asks=asks)
        assert "old (a.rom is there) or in plover (it is called like the emulator)" in told.words
        assert "--in old or --in plover" in told.words
    assert (tmp_path / "gribble.toml").read_text() == text
    gribble("rigs", "enter", "plover", cwd=tmp_path, code=0, asks=True, stdin=b"2\ny\n")
    assert emulators(tmp_path, "rig") == {"plover": {"at": "plover"}}
    assert "not there" in gribble("rigs", "enter", "plover", "--in", "plovr", "--yes", cwd=tmp_path, code=0).words


STYLES = {
    "tables": '# mine\n\n[rig.pc]\nat = "pc"   # here\n\n[rig.pc.emulators]\n# all of them\nknot = "4"\n\n# the end\n',
    "a table each": '[rig.pc]\nat = "pc"\n[rig.pc.emulators.knot]\nrelease = "4"\n\n[rig.pc.emulators.ruff]\nat = "x"\n',
    "without emulators": 'sources = [\n  "drawer",   # mine\n]\n[rig.pc]\nat = "pc"\n',
    "dotted": 'rig.pc.at = "pc"\nrig.pc.emulators.knot = "4"\n',
    "sources as tables": '[[sources]]\nat = "drawer"\nname = "mine"\n\n[[sources]]\nat = "far"\n[rig.pc]\nat = "pc"\n',
    "inline": 'rig = { pc = { at = "pc", emulators = { knot = "4" } } }\n',
    "windows": '# mine\r\n[rig.pc]\r\nat = "pc"\r\n\r\n[rig.pc.emulators]\r\nknot = "4"\r\n',
    "no line at the end": '[rig.pc]\nat = "pc"\n[rig.pc.emulators]\nknot = "4"\n',
}


@pytest.mark.parametrize("style", STYLES)
def test_every_change_is_undone_by_its_opposite_byte_for_byte(gribble: Gribble, tmp_path: Path, style: str) -> None:
    files(tmp_path, {"pc/x": b"-", "den/plover/a.rom": A, "drawer/-": b"", "new/-": b""})
    sheet(tmp_path, need("a", A), emulator="plover", folder=".")
    path = tmp_path / "gribble.toml"
    catalogues = 'catalogues = ["catalogue"]\r\n' if style == "windows" else 'catalogues = ["catalogue"]\n'
    before = (catalogues + STYLES[style]).encode()
    path.write_bytes(before)

    def there_and_back(change: tuple[str, ...], back: tuple[str, ...]) -> None:
        gribble(*change, "--yes", cwd=tmp_path, code=0)
        assert path.read_bytes() != before
        gribble(*back, "--yes", cwd=tmp_path, code=0)
        assert path.read_bytes() == before

    there_and_back(("rigs", "enter", "plover", "--rig", "pc", "--in", "plover"), ("rigs", "leave", "plover"))
    there_and_back(("rigs", "move", "pc", "den"), ("rigs", "move", "pc", "pc"))
    there_and_back(("rigs", "add", "other", "den"), ("rigs", "forget", "other"))
    if b"sources" in before:
        there_and_back(("sources", "add", "new"), ("sources", "forget", "new"))


def test_what_is_there_is_shown_and_changed_by_the_names_that_are_printed(gribble: Gribble, world: Path) -> None:
    shown = gribble("rigs", cwd=world, code=0)
    assert "sandpiper 3.1 in sandpiper" in shown.words
    one = gribble("rigs", "STICK", "--json", cwd=world, code=0).json
    assert [rig["rig"] for rig in one["rigs"]] == ["stick"]
    assert {"key": "games", "path": "redshank/games", "there": False} in one["rigs"][0]["emulators"][1]["folders"]
    gribble("rigs", "enter", "Sandpiper", "--rig", "stick", "--in", "Sandpiper", "--yes", cwd=world, code=0)
    assert toml(world)["rig"]["stick"]["emulators"]["sandpiper"] == {"moved": {"sandpiper": "Sandpiper"}}
    options = ("--release", "3.2", "--machine", "Tern 8", "--folder", "boot=rom", "--wanted", "all", "--style", "split")
    gribble("rigs", "enter", "sandpiper", "--rig", "stick", *options, "--yes", cwd=world, code=0)
    said = toml(world)["rig"]["stick"]["emulators"]["sandpiper"]
    assert said == {
        "moved": {"sandpiper": "Sandpiper"}, "release": "3.2", "machines": ["Tern 8"], "folders": {"boot": "rom"},
        "wanted": "all", "style": "split",
    }  # fmt: skip
    nothing = [word for option in options[::2] if option != "--style" for word in (option, "")]
    nothing[nothing.index("--folder") + 1] = "boot="
    gribble("rigs", "enter", "sandpiper", "--rig", "stick", *nothing, "--yes", cwd=world, code=0)
    said = toml(world)["rig"]["stick"]["emulators"]["sandpiper"]
    assert said == {"moved": {"sandpiper": "Sandpiper"}, "style": "split"}
    assert "says that already" in gribble("rigs", "move", "stick", "rigs/stick", "--yes", cwd=world, code=0).words
    assert "is read already" in gribble("sources", "add", "drawer", "--yes", cwd=world, code=0).words


WRONG = {
    "no rig": (("rigs", "lighthuose"), "did you mean 'lighthouse'?"),
    "no sheet": (("rigs", "enter", "sandpipr", "--rig", "stick"), "did you mean 'sandpiper'?"),
    "no folder": (("rigs", "add", "new", "rigs/stik"), "rigs/stik is not there; rigs/stick is"),
    "nor the one above": (("rigs", "add", "new", "far/away"), "and the folder above it"),
    "a rig twice": (("rigs", "add", "stick", "rigs"), "there is a rig stick already"),
    "one place twice": (("rigs", "add", "two", "rigs/stick"), "is the folder of rig stick already"),
    "no name": (("rigs", "add", "a b", "rigs"), "letters, digits, - and _"),
    "out of the rig": (("rigs", "enter", "sandpiper", "--rig", "stick", "--in", "../x"), "climbs out"),
    "no key": (("rigs", "enter", "sandpiper", "--rig", "stick", "--folder", "bot=x"), "did you mean 'boot'?"),
    "no machine": (("rigs", "enter", "sandpiper", "--rig", "stick", "--machine", "Turn 8"), "did you mean 'Tern 8'?"),
    "which rig": (("rigs", "enter", "sandpiper"), "--rig lighthouse or stick"),
    "not on it": (("rigs", "leave", "knot", "--rig", "lighthouse"), "It is on stick"),
    "no source": (("sources", "forget", "drawr"), "did you mean 'drawer'?"),
    "a source that is none": (("sources", "add", "drawr"), "called drawr; did you mean 'drawer'?"),
    "a rig as a source": (("sources", "add", "rigs/stick"), "is rig stick"),
}  # fmt: skip


@pytest.mark.parametrize("case", WRONG)
def test_a_slip_is_told_with_what_was_meant_and_nothing_is_written(gribble: Gribble, world: Path, case: str) -> None:
    words, told = WRONG[case]
    before = (world / "gribble.toml").read_bytes()
    more = () if words[:2] == ("rigs", "lighthuose") else ("--yes",)
    assert told in gribble(*words, *more, cwd=world, code=2).words
    assert (world / "gribble.toml").read_bytes() == before


def test_a_source_that_is_named_as_a_rig_becomes_one(gribble: Gribble, home: Path) -> None:
    files(home, {"drawer/plover/plover.exe": b"-"})
    sheet(home, need("a", A), emulator="plover", folder=".")
    gribble("rigs", "add", "den", "drawer", "--yes", cwd=home, code=0)
    assert toml(home)["sources"] == []
    assert emulators(home, "den") == {"plover": {"at": "plover"}}
    assert "# mine" in (home / "gribble.toml").read_text()


def test_a_rig_that_is_like_another_says_that_it_lacks_one_of_its_emulators(gribble: Gribble, home: Path) -> None:
    gribble(*IMPORT, "pc", "--yes", cwd=home)
    gribble("rigs", "add", "stick", "stick", "--like", "pc", "--yes", cwd=home, code=0)
    assert toml(home)["rig"]["stick"] == {"at": "stick", "like": "pc", "emulators": {}}
    gribble("rigs", "enter", "plover", "--rig", "stick", "--in", ".", "--yes", cwd=home, code=0)
    assert emulators(home, "stick") == {"plover": {"at": ""}}
    gribble("rigs", "leave", "plover", "--rig", "stick", "--yes", cwd=home, code=0)
    assert emulators(home, "stick") == {"plover": False}
    assert "has the emulators of pc" in gribble("rigs", "forget", "pc", "--yes", cwd=home, code=2).err


def renamed(world: Path) -> None:
    (world / "rig/Plover 1.2").rename(world / "rig/plover-1.3")


@pytest.fixture
def updated(tmp_path: Path) -> Path:
    """A rig on which an emulator was updated into a folder of another name."""
    sheet(tmp_path, need("a", A), need("b", B), emulator="plover", folder=".")
    files(tmp_path, {"rig/Plover 1.2/a.rom": A, "rig/Plover 1.2/p.exe": b"-", "drawer/b.bin": B})
    text = 'sources = ["drawer"]\ncatalogues = ["catalogue"]\n[rig.rig]\nat = "rig"\n[rig.rig.emulators]\n'
    (tmp_path / "gribble.toml").write_text(text + 'plover = { at = "Plover 1.2" }\n')
    renamed(tmp_path)
    return tmp_path


def test_an_emulator_in_a_renamed_folder_is_recognised_and_one_command_follows_it(
    gribble: Gribble, updated: Path
) -> None:
    follows = "gribble rigs enter plover --rig rig --in plover-1.3"
    for words in (("check",), ("why", "plover"), ("plan",), ("needs",), ("report", "--brief")):
        told = gribble(*words, cwd=updated)
        assert told.code not in (0, None) or words == ("needs",), words
        assert "it seems to have moved to plover-1.3" in told.words, words
    assert f"Next: {follows}" in gribble("check", cwd=updated, code=2).words
    gribble("place", "--yes", cwd=updated)
    assert not (updated / "rig/Plover 1.2").exists(), "nothing is placed where it was"
    gribble(*follows.split()[1:], "--yes", cwd=updated, code=0)
    gribble("place", "--yes", cwd=updated, code=0)
    assert (updated / "rig/plover-1.3/b.rom").read_bytes() == B
    assert states(gribble, updated) == {"rig": "ready"}


def test_what_was_not_moved_is_made_as_before(gribble: Gribble, updated: Path) -> None:
    """Two folders that could be it, one of another emulator, or files alone are no sign of a move."""
    (updated / "rig/plover-1.3").rename(updated / "rig/backup")
    gribble("place", "--yes", cwd=updated, code=0)
    assert (updated / "rig/Plover 1.2/b.rom").read_bytes() == B


def test_a_slip_in_a_rigs_place_is_told_by_every_command_and_nothing_is_made(gribble: Gribble, updated: Path) -> None:
    text = (
        (updated / "gribble.toml").read_text().replace('at = "rig"', 'at = "rigg"').replace("Plover 1.2", "plover-1.3")
    )
    (updated / "gribble.toml").write_text(text)
    for words in (("check",), ("plan",), ("place", "--yes"), ("needs",), ("why", "plover"), ("doctor",), ("rigs",)):
        told = gribble(*words, cwd=updated)
        assert "is not there, but rig is: correct rig.rig.at" in told.words, words
        assert told.code != 0 or words[0] in ("needs", "rigs"), words
    assert not (updated / "rigg").exists()
    gribble("rigs", "move", "rig", "rig", "--yes", cwd=updated, code=0)
    gribble("place", "--yes", cwd=updated, code=0)
    text = (updated / "gribble.toml").read_text().replace('at = "rig"', 'at = "card"')
    (updated / "gribble.toml").write_text(text)
    assert "NEW FOLDER" in gribble("plan", cwd=updated, code=1).out, "a new rig is made where nothing is near it"


def test_an_emulator_on_no_rig_is_told_with_the_command_that_enters_it(gribble: Gribble, world: Path) -> None:
    sheet(world, need("a", A), emulator="ruff", folder="ruff")
    for words in (("check", "ruff"), ("plan", "ruff"), ("why", "ruff")):
        told = gribble(*words, cwd=world, code=2).words
        assert "ruff has a sheet, but it is on no rig" in told
        assert "gribble rigs enter ruff --rig lighthouse" in told


def test_names_are_taken_as_they_are_printed(gribble: Gribble, world: Path) -> None:
    right = gribble("check", "dunlin", "--rig", "lighthouse", "--json", cwd=world).json
    for name in ("Dunlin", "dunlin 2.0", "LUMEN"):
        assert gribble("check", name, "--rig", "Lighthouse", "--json", cwd=world).json == right
    for words in (("Sandpiper",), ("TERN 8",), ("sandpiper 3.1",)):
        assert gribble("needs", *words, "--json", cwd=world).json["emulators"][0]["emulator"] == "sandpiper"
    by_id = gribble("plan", "--only", "vesper-boot", "--json", cwd=world).json["steps"]
    for word in ("Vesper boot ROM", "VESPER-BOOT"):
        assert gribble("plan", "--only", word, "--json", cwd=world).json["steps"] == by_id
    assert gribble("why", "Dunlin", "--json", cwd=world).json == gribble("why", "dunlin", "--json", cwd=world).json


def test_a_new_rig_is_made_by_placing(gribble: Gribble, updated: Path) -> None:
    text = (updated / "gribble.toml").read_text() + '[rig.card]\nat = "card"\n[rig.card.emulators]\nplover = {}\n'
    (updated / "gribble.toml").write_text(text)
    gribble("place", "--rig", "card", "--yes", cwd=updated, code=0)
    assert (updated / "card/b.rom").read_bytes() == B


def test_a_friends_folder_leads_to_its_emulators_on_ones_own_rigs(gribble: Gribble, home: Path, tmp_path: Path) -> None:
    """Added, entered, placed: three commands."""
    sheet(tmp_path, need("a", A), need("b", B), emulator="plover", folder="elsewhere/plover")
    sheet(tmp_path, need("c", C), emulator="ruff", folder=".")
    added = gribble("catalogue", "add", str(tmp_path / "catalogue"), "--yes", cwd=home, code=0)
    assert "On no rig yet: plover, ruff" in added.words
    assert "Next: gribble rigs enter plover --rig pc" in added.words
    gribble("rigs", "enter", "plover", "--rig", "pc", "--yes", cwd=home, code=0)
    assert emulators(home, "pc") == {"plover": {"moved": {"elsewhere/plover": "emulators/Plover 1.2/system"}}}
    gribble("place", "--yes", cwd=home, code=0)
    assert (home / "pc/emulators/Plover 1.2/system/b.rom").read_bytes() == B
    assert states(gribble, home) == {"pc": "ready"}


def test_another_sheet_of_an_emulator_is_told_by_lint(gribble: Gribble, home: Path) -> None:
    sheet(home, need("a", A), emulator="plover", folder=".")
    sheet(home / "lists", need("a", B), emulator="plover", folder=".")
    told = gribble("catalogue", "lint", "catalogue", "lists/catalogue", cwd=home, code=0).words
    assert '"plover" has another sheet already, and Gribble uses that one' in told


def test_what_is_captured_is_true_of_every_rig(gribble: Gribble, home: Path) -> None:
    files(home, {"pc/emulators/Plover 1.2/system/mere/c.key": C})
    place = "pc/emulators/Plover 1.2/system"
    words = ("catalogue", "capture", "pc", place, "--emulator=plover", "--release=1.2", "--out")
    said = gribble(*words, "catalogue/plover.sheet.toml", cwd=home, code=0)
    assert 'gribble rigs enter plover --in "emulators/Plover 1.2/system"' in said.words.replace("'", '"')
    before = (home / "catalogue/plover.sheet.toml").read_bytes()
    assert list(tomllib.loads(before.decode())["folders"].values()) == [".", "mere"]
    files(home, {"stick/BIOS/a.rom": A, "stick/BIOS/mere/c.key": C, "stick/other/x": B})
    more = ("catalogue", "capture", "stick", "--emulator=plover", "--release=1.2", "--into")
    said = gribble(*more, "catalogue/plover.sheet.toml", cwd=home, code=0)
    assert "0 new needs and 0 new accepts" in said.words
    assert "1 outside BIOS" in said.err
    assert (home / "catalogue/plover.sheet.toml").read_bytes() == before


def test_a_key_may_name_several_folders_and_the_first_is_where_placing_writes(gribble: Gribble, tmp_path: Path) -> None:
    files(tmp_path, {"rig/two/b.rom": B, "rig/two/a.rom": b"wrong", "drawer/a": A, "drawer/c": C})
    wanted = need("a", A), need("b", B), need("c", C, any_name=True)
    sheet(tmp_path, *wanted, emulator="plover", folder=".")
    path = tmp_path / "catalogue/plover.sheet.toml"
    path.write_text(path.read_text().replace('boot = "."', 'boot = ["one", "two"]'))
    text = 'sources = ["drawer"]\ncatalogues = ["catalogue"]\n[rig.rig]\nat = "rig"\n[rig.rig.emulators]\nplover = {}\n'
    (tmp_path / "gribble.toml").write_text(text)
    gribble("place", "--yes", cwd=tmp_path, code=0)
    there = {str(path.relative_to(tmp_path / "rig")) for path in (tmp_path / "rig").rglob("*.rom")}
    assert there == {"one/a.rom", "one/c.rom", "two/a.rom", "two/b.rom"}, "nothing is moved between them"
    assert states(gribble, tmp_path) == {"rig": "ready"}
    (tmp_path / "gribble.toml").write_text(text.replace("{}", '{ at = "x", folders = { boot = ["three", "../two"] } }'))
    assert "climbs out" in gribble("check", cwd=tmp_path, code=2).words
    (tmp_path / "gribble.toml").write_text(text.replace("{}", '{ folders = { boot = ["three", "one", "two"] } }'))
    assert states(gribble, tmp_path) == {"rig": "ready"}
    path.write_text(path.read_text().replace('["one", "two"]', '["one", 2]'))
    assert "folders.boot" in gribble("catalogue", "lint", cwd=tmp_path, code=2).words
    path.write_text(path.read_text().replace('["one", 2]', '"one"\n[more_folders]\nboot = ["two"]'))
    assert "unknown key" in gribble("catalogue", "lint", cwd=tmp_path, code=2).words


def test_sets_may_lie_in_several_folders(gribble: Gribble, world: Path) -> None:
    before = gribble("check", "turnstone", "--json", cwd=world).json["rigs"][0]["emulators"][0]
    rig = world / "rigs/cabinet/turnstone"
    (rig / "bios").mkdir()
    (rig / "sets/quaybios.zip").rename(rig / "bios/quaybios.zip")
    path = world / "catalogue/turnstone.sheet.toml"
    path.write_text(path.read_text().replace('= "turnstone/sets"', '= ["turnstone/sets", "turnstone/bios"]'))
    after = gribble("check", "turnstone", "--json", cwd=world).json["rigs"][0]["emulators"][0]
    assert [(one["set"], one["state"]) for one in after["sets"]] == [
        (one["set"], one["state"]) for one in before["sets"]
    ]
    assert "turnstone/bios" in gribble("rigs", "cabinet", cwd=world, code=0).words


def test_an_emulator_in_a_rig_within_a_rig_is_told_by_every_command(gribble: Gribble, tmp_path: Path) -> None:
    files(tmp_path, {"rigs/stick/plover/x": b"-", "rigs/plover/x": b"-", "drawer/a": A})
    sheet(tmp_path, need("a", A), emulator="plover", folder=".")
    text = 'sources = ["drawer"]\ncatalogues = ["catalogue"]\n[rig.all]\nat = "rigs"\n[rig.all.emulators]\n'
    text += 'plover = { at = "stick/plover" }\n[rig.stick]\nat = "rigs/stick"\n'
    (tmp_path / "gribble.toml").write_text(text)
    for words in (("check",), ("plan",), ("needs",), ("why", "plover")):
        told = gribble(*words, cwd=tmp_path, code=2).words
        assert "its folder is in rig stick" in told
        assert "gribble rigs enter plover --rig stick" in told
    gribble("rigs", "enter", "plover", "--rig", "stick", "--yes", cwd=tmp_path, code=0)
    gribble("rigs", "leave", "plover", "--rig", "all", "--yes", cwd=tmp_path, code=0)
    gribble("place", "--yes", cwd=tmp_path, code=0)
    assert (tmp_path / "rigs/stick/plover/a.rom").read_bytes() == A


def test_a_setting_may_begin_at_the_emulators_own_folder(gribble: Gribble, tmp_path: Path) -> None:
    told = b"[paths]\nboot = boot/a.rom\n"
    files(tmp_path, {"rig/emu/plover/boot/a.rom": A, "rig/emu/plover/cfg/plover.ini": told, "drawer/-": b""})
    setting = '[[setting]]\nfile = "cfg/plover.ini"\nformat = "ini"\nkey = "paths.boot"\nneed = "a"\n'
    sheet(tmp_path, need("a", A), setting)
    text = 'sources = ["drawer"]\ncatalogues = ["catalogue"]\n[rig.rig]\nat = "rig"\n[rig.rig.emulators]\n'
    (tmp_path / "gribble.toml").write_text(text + 'plover = { at = "emu/plover" }\n')
    said = gribble("check", "-v", cwd=tmp_path, code=0).words
    assert "the setting is boot/a.rom, which leads to emu/plover/boot/a.rom, the right file" in said
    path = tmp_path / "rig/emu/plover/cfg/plover.ini"
    for written, becomes in ((b"boot/old.rom", b"boot/a.rom"), (b"emu/plover/boot/old", b"emu/plover/boot/a.rom")):
        path.write_bytes(told.replace(b"boot/a.rom", written))
        gribble("place", "--yes", cwd=tmp_path, code=0)
        assert path.read_bytes() == told.replace(b"boot/a.rom", becomes)
        gribble("undo", "--yes", cwd=tmp_path, code=0)
        assert path.read_bytes() == told.replace(b"boot/a.rom", written)
