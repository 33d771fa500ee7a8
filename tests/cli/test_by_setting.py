"""Files that an emulator finds through its settings: in their place wherever those lead, and never moved from there."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Gribble
from tests.making import A, B, files, need, sheet

SETTING = '[[setting]]\nfile = "p.ini"\nformat = "ini"\nkey = "paths.rom"\nneed = "a"\n'


def made(world: Path, ini: str, contents: dict[str, bytes], *more: str, by_setting: bool = True) -> Path:
    files(world, {"rig/p.ini": ini.encode(), "drawer/-": b"", **contents})
    sheet(world, need("a", A, by_setting=by_setting), *more, SETTING)
    text = 'sources = ["drawer"]\ncatalogues = ["catalogue"]\n[rig.rig]\nat = "rig"\nMORE[rig.rig.emulators]\nplover = {}\n'
    (world / "gribble.toml").write_text(text.replace("MORE", ""))
    return world


def ini(world: Path) -> str:
    return (world / "rig/p.ini").read_text()


def test_a_file_is_in_its_place_wherever_its_setting_leads(gribble: Gribble, tmp_path: Path) -> None:
    world = made(tmp_path, "[paths]\nrom = stuff/any.bin\n", {"rig/stuff/any.bin": A})
    found = gribble("check", "--json", cwd=world, code=0).json["rigs"][0]["emulators"][0]
    assert [(one["verdict"], one["found"]) for one in found["needs"]] == [("sound", "stuff/any.bin")]
    assert "Nothing to do" in gribble("plan", cwd=world, code=0).out
    assert "or wherever its setting leads" in gribble("needs", "plover", cwd=world, code=0).words


@pytest.mark.parametrize("value", ["", "gone/x.bin", "stuff/wrong.bin"])
def test_the_file_is_placed_and_pointed_to_in_one_run(gribble: Gribble, tmp_path: Path, value: str) -> None:
    world = made(tmp_path, f"[paths]\nrom = {value}\n", {"drawer/a": A, "rig/stuff/wrong.bin": B})
    planned = gribble("plan", cwd=world, code=1).words
    assert "boot/a.rom" in planned
    assert "paths.rom" in planned
    gribble("place", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == A
    said = f"{world}/rig/boot/a.rom" if not value else "boot/a.rom"
    assert f"rom = {said}\n" in ini(world)
    assert gribble("check", "--json", cwd=world, code=0).json["state"] == "ready"
    gribble("undo", "--yes", cwd=world, code=0)
    assert ini(world) == f"[paths]\nrom = {value}\n"


def test_what_a_setting_leads_to_is_never_moved_away(gribble: Gribble, tmp_path: Path) -> None:
    """Without by_setting it is wanted at its place, too: a copy is put there, and the setting goes on leading to it."""
    world = made(tmp_path, "[paths]\nrom = stuff/any.bin\n", {"rig/stuff/any.bin": A}, by_setting=False)
    gribble("place", "--yes", cwd=world, code=0)
    assert (world / "rig/stuff/any.bin").read_bytes() == A
    assert (world / "rig/boot/a.rom").read_bytes() == A
    assert gribble("check", "--json", cwd=world, code=0).json["state"] == "ready"


def test_an_empty_value_is_written_as_its_neighbours_are(gribble: Gribble, tmp_path: Path) -> None:
    more = SETTING.replace("paths.rom", "paths.disk").replace('"a"', '"b"')
    world = made(
        tmp_path, "[paths]\nrom =\ndisk = boot/b.rom\n", {"drawer/a": A, "rig/boot/b.rom": B}, need("b", B), more
    )
    gribble("place", "--yes", cwd=world, code=0)
    assert "rom = boot/a.rom\n" in ini(world) or "rom =boot/a.rom\n" in ini(world)


@pytest.mark.parametrize(
    ("root", "right"), [(":\\", ":\\boot\\a.rom"), ("card:/", "card:/boot/a.rom"), ("/mnt", "/mnt/boot/a.rom")]
)
def test_the_devices_own_root_has_any_form(gribble: Gribble, tmp_path: Path, root: str, right: str) -> None:
    world = made(tmp_path, "[paths]\nrom = \n", {"drawer/a": A})
    text = (world / "gribble.toml").read_text().replace('at = "rig"\n', f"at = \"rig\"\nseen_as = '{root}'\n")
    (world / "gribble.toml").write_text(text)
    gribble("place", "--yes", cwd=world, code=0)
    assert right in ini(world)
    assert gribble("check", "--json", cwd=world, code=0).json["state"] == "ready"


def test_a_bare_name_may_be_relative_to_a_folder_of_the_sheet(gribble: Gribble, tmp_path: Path) -> None:
    world = made(tmp_path, "[paths]\nrom = old.rom\n", {"drawer/a": A})
    path = world / "catalogue/plover.sheet.toml"
    path.write_text(path.read_text() + 'relative_to = "boot"\n')
    gribble("place", "--yes", cwd=world, code=0)
    assert "rom = a.rom\n" in ini(world)
    assert gribble("check", "--json", cwd=world, code=0).json["state"] == "ready"
    path.write_text(path.read_text().replace('relative_to = "boot"', 'relative_to = "bot"'))
    assert "did you mean 'boot'?" in gribble("catalogue", "lint", cwd=world, code=2).words


def test_by_setting_wants_a_setting(gribble: Gribble, tmp_path: Path) -> None:
    world = made(tmp_path, "", {})
    path = world / "catalogue/plover.sheet.toml"
    path.write_text(path.read_text().replace(SETTING, ""))
    assert "needs a setting that leads to the file" in gribble("catalogue", "lint", cwd=world, code=2).words
