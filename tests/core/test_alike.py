"""Rigs that are alike, and places of a sheet that are elsewhere with all that is in them."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.core.base.errors import MistakesError
from gribble.core.catalogue.config import load_config
from gribble.core.records.config import Installed
from tests.conftest import Gribble
from tests.making import A, B, files, need, sheet, small_world


def loaded(folder: Path, text: str) -> dict[str, dict[str, Installed]]:
    (folder / "gribble.toml").write_text(text, "utf-8")
    return {name: rig.emulators for name, rig in load_config(folder / "gribble.toml", folder).rig.items()}


ONE = """
[rig.one]
at = "one"
label = "ONE"
[rig.one.emulators]
plover = { release = "1", folders = { boot = "b", pics = "p" }, machines = ["Tern"], ignore = ["x"] }
knot = "2"
"""


def test_a_rig_has_what_it_is_like_and_its_own_keys(tmp_path: Path) -> None:
    found = loaded(
        tmp_path,
        '[rig.three]\nat = "three"\nlike = "two"\n'
        '[rig.two]\nat = "two"\nlike = "one"\n[rig.two.emulators]\nknot = "3"\nruff = "1"\n'
        '[rig.two.emulators.plover]\nfolders = { pics = "q" }\nignore = []\n' + ONE,
    )
    assert found["one"]["plover"].ignore == ("x",)
    assert found["two"] == found["three"]
    plover = found["two"]["plover"]
    assert (plover.release, plover.folders, plover.ignore) == ("1", {"boot": "b", "pics": "q"}, ())
    assert plover.machines == ("Tern",)
    assert (found["two"]["knot"].release, found["two"]["ruff"].release) == ("3", "1")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('[rig.a]\nat = "a"\nlike = "a"\n', ["rig.a.like: goes in a circle: a, a"]),
        (
            '[rig.a]\nat = "a"\nlike = "b"\n[rig.b]\nat = "b"\nlike = "c"\n[rig.c]\nat = "c"\nlike = "a"\n',
            ["rig.a.like: goes in a circle: a, b, c, a", "rig.b.like: goes in", "rig.c.like: goes in"],
        ),
        ('[rig.a]\nat = "a"\nlike = "on"\n' + ONE, ['rig.a.like: there is no rig "on"; did you mean \'one\'?']),
        ('[rig.a]\nat = "a"\nlike = 3\n' + ONE, ['rig.a.like: put the value in quotes: like = "3"']),
        ('[rig.a]\nat = "a"\nlike = "one"\nemulators = 3\n' + ONE, ["rig.a.emulators: should be"]),
        ('[rig.a]\nat = "a"\nlike = "b"\n[rig.b]\nat = "b"\nlike = "c"\n', ['rig.b.like: there is no rig "c"']),
        (
            '[rig.a]\nat = "a"\n[rig.a.emulators]\nplover = { moved = { "../x" = "y", "sys" = "F:/sys" } }\n',
            ["moved.sys: \"F:/sys\" starts with a drive letter", "moved.../x: \"../x\" climbs out"],
        ),
    ],
)  # fmt: skip
def test_what_is_wrong_with_it_is_told(tmp_path: Path, text: str, says: list[str]) -> None:
    with pytest.raises(MistakesError) as told:
        loaded(tmp_path, text)
    lines = [str(mistake) for mistake in told.value.mistakes]
    assert len(lines) == len(says), lines
    for one in says:
        assert any(one in line for line in lines), (one, lines)


PART = st.sampled_from(["sys", "boot", "system", "a"])
PATH = st.lists(PART, min_size=1, max_size=4).map("/".join)


@given(PATH, st.dictionaries(PATH, PATH, max_size=4), st.sampled_from(["", "apps"]))
def test_the_longest_place_that_holds_a_path_moves_it(path: str, moved: dict[str, str], at: str) -> None:
    place = Installed(at=at, moved=moved).place(path)
    parts, start = path.split("/"), f"{at}/" if at else ""
    for count in range(len(parts), 0, -1):
        whole = "/".join(parts[:count])
        if whole in moved:
            assert place == start + "/".join([moved[whole], *parts[count:]])
            return
    assert place == start + path


def test_a_sheet_is_placed_where_it_was_moved_with_its_settings_file(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A, "drawer/y": B})
    setting = '[[setting]]\nfile = "emu/conf/plover.ini"\nformat = "ini"\nkey = "bios"\nneed = "a"\n'
    sheet(world, need("a", A), need("b", B, folder="deep"), setting, folder="emu/boot")
    path = world / "catalogue/plover.sheet.toml"
    path.write_text(path.read_text("utf-8").replace("[folders]\n", '[folders]\ndeep = "emu/boot/deep"\n'), "utf-8")
    files(
        world, {"rig/programs/conf/plover.ini": b"bios = old.rom\n", "other/emu/conf/plover.ini": b"bios = old.rom\n"}
    )
    text = (
        'sources = ["drawer"]\ncatalogues = ["catalogue"]\n[rig.rig]\nat = "rig"\nlike = "other"\n[rig.rig.emulators]\n'
        'plover = { moved = { "emu/" = "programs", "emu/boot/deep" = "far" } }\n'
        '[rig.other]\nat = "other"\n[rig.other.emulators]\nplover = "1"\n'
    )
    (world / "gribble.toml").write_text(text, "utf-8")
    gribble("place", "--yes", cwd=world, code=0)
    assert (world / "rig/programs/boot/a.rom").read_bytes() == (world / "other/emu/boot/a.rom").read_bytes() == A
    assert (world / "rig/far/b.rom").read_bytes() == (world / "other/emu/boot/deep/b.rom").read_bytes() == B
    assert (world / "rig/programs/conf/plover.ini").read_text("utf-8") == "bios = programs/boot/a.rom\n"
    (world / "gribble.toml").write_text(text.replace('"emu/" =', '"emo" ='), "utf-8")
    assert 'moved: the sheet knows no "emo"; did you mean' in gribble("check", cwd=world, code=2).err
