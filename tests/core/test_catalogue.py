"""Sheets and configurations: every mistake of a file at once, with its key path; releases compared."""

from __future__ import annotations

from pathlib import Path

import pytest

from gribble.core.base.errors import MistakesError
from gribble.core.catalogue.config import fit_sheet, load_config
from gribble.core.catalogue.ranges import concerns
from gribble.core.catalogue.sheets import load_catalogue, load_sheet
from gribble.core.records.config import Installed
from gribble.core.records.sheet import Accept, Need, Sheet

GOOD = """
sheet = 1
emulator = "knot"
machines = ["Tern 8"]
[folders]
boot = "knot/boot"
[[need]]
id = "one"
kind = "bios"
level = "must"
folder = "boot"
name = "one.rom"
[[need.accept]]
size = 3
SHA1 = "x"
"""

SHEET_MISTAKES = [
    ("sheet = 1", "sheet = 2", "sheet", "reads version 1, not 2"),
    ('"knot/boot"', '"../boot"', "folders.boot", "climbs out of its root"),
    ('"knot/boot"', '"/boot"', "folders.boot", "is absolute"),
    ('"knot/boot"', '"C:/boot"', "folders.boot", "drive letter"),
    ('"knot/boot"', "'knot\\boot'", "folders.boot", "backslash"),
    ('level = "must"', 'level = "maybe"', "need[0].level", 'should be one of "must", "better", "extra"'),
    ('folder = "boot"', "", "need[0].folder", "is missing"),
    ('name = "one.rom"', "name = 7", "need[0].name", 'put the value in quotes: name = "7"'),
    ('name = "one.rom"', 'name = "a/b"', "need[0].name", "contains a slash"),
    ('name = "one.rom"', 'name = "one.rom"\naliass = ["x"]', "need[0].aliass", "did you mean 'aliases'?"),
    ('folder = "boot"', 'folder = "boots"', "need[0].folder", "did you mean 'boot'?"),
    ("size = 3", 'size = "3"', "need[0].accept[0].size", "should be a whole number"),
    ("size = 3", 'size = 3\nsha1 = "abc"', "need[0].accept[0].sha1", "should have 40 hex digits, but has 3"),
    ("size = 3", f'size = 3\nmd5 = "{"z" * 32}"', "need[0].accept[0].md5", "not hex digits"),
    ("size = 3", 'size = 3\nreleases = "new"', "need[0].accept[0].releases", "not a range of releases"),
    ("[[need.accept]]", "[[need.accept]]\n[[need.reject]]\nlabel = 'bad'", "need[0].reject[0]", "has no digest"),
    ("[[need.accept]]", "any_name = true\n[[need.accept]]", "need[0].any_name", "needs an accept with a digest"),
    ('kind = "bios"', 'kind = "bios"\nmachines = ["Tern"]', "need[0].machines[0]", "did you mean 'Tern 8'?"),
    ('name = "one.rom"', "", "need[0].name", "is missing"),
    ('name = "one.rom"', 'name = "one.rom"\nchoice = "any"', "need[0].choice", '"any" has only this one need'),
    ("size = 3", 'size = 3\nrequires_keys = ["x"]', "need[0].accept[0].requires_keys[0]", "is not a key of this sheet"),
    ("[[need.accept]]", "[[need.key]]\nname = 'a'\n[[need.accept]]", "need[0].key", 'only needs of kind "keys"'),
    ('kind = "bios"', 'kind = "keys"\nkey = [{ name = "a", bytes = 0 }]', "need[0].key[0].bytes", "below one"),
    ('kind = "bios"', 'kind = "keys"\nkey = [{ name = "a=", bytes = 1 }]', "need[0].key[0].name", "equals sign"),
    ('kind = "bios"', 'kind = "keys"\nkey = [{ name = "a", sha256 = "b" }]', "need[0].key[0].sha256", "64 hex digits"),
    ('name = "one.rom"', 'manifest = "../list"', "need[0].manifest", "climbs out"),
    ('name = "one.rom"', 'manifest = "none"', "need[0].manifest", "none cannot be read: no such file"),
    ('name = "one.rom"', 'manifest = "bad.md5"', "need[0].manifest", 'bad.md5, line 2: "../x" climbs out'),
    ('name = "one.rom"', 'file = [{ name = "/a", md5 = "MD5" }]', "need[0].file[0].name", "is absolute"),
    ('name = "one.rom"', 'file = [{ name = "a" }]', "need[0].file[0]", "has no digest"),
    ("[[need]]", '[root]\nvolume = ["fat"]\n[[need]]', "root.volume[0]", "should be one of fat32"),
    ("[[need]]", "[[setting]]\nfile='a'\nformat='ini'\nkey='k'\n[[need]]", "setting[0]", "either a need or a folder"),
    ("[[need]]", "[[setting]]\nfile='a'\nformat='ini'\nkey='k'\nneed='on'\n[[need]]", "setting[0].need", "'one'?"),
    ("[[need]]", "[[setting]]\nfile='../a'\nformat='ini'\nkey='k'\nneed='one'\n[[need]]", "setting[0].file", "climbs"),
    ("[[need]]", "[[setting]]\nfile='a'\nformat='cfg'\nkey='k'\nneed='one'\n[[need]]", "setting[0].format", '"ini"'),
    ("[[need]]", "[[setting]]\nfile='a'\nformat='ini'\nkey='k.'\nneed='one'\n[[need]]", "setting[0].key", "dots"),
    ("[[need]]", "[[media]]\nfolder='boot'\naccepts=['tdf']\n[[need]]", "media[0].accepts[0]", "with its dot"),
    ("[[need]]", "[[media]]\nfolder='boot'\naccepts=[]\n[[need]]", "media[0].accepts", "is empty"),
    ("[[need]]", "[[media]]\nfolder='boot'\naccepts=['.a']\nmax_bytes=0\n[[need]]", "media[0].max_bytes", "below one"),
    (
        "[[need]]",
        "[[media]]\nfolder='boot'\naccepts=['.a']\nfolder_name='x'\n[[need]]",
        "media[0].folder_name",
        "own_folder",
    ),
    (
        "[[need]]",
        "[[media]]\nfolder='boot'\naccepts=['.a']\nrefuses=[{ending='.A'}]\n[[need]]",
        "media[0].refuses[0].ending",
        "is there twice",
    ),
    ("[[need]]", "[[pair]]\nfolder='boot'\neach='*.a'\nwants='b.tag'\n[[need]]", "pair[0].wants", "{stem} or {id}"),
    ("[[need]]", "[[pair]]\nfolder='boot'\neach='*.a'\nwants='../{stem}'\n[[need]]", "pair[0].wants", "climbs out"),
    ("[[need]]", "[[pair]]\nfolder='boot'\neach='*.a'\nwants='{id}.t'\n[[need]]", "pair[0].id_at", "needs {id}"),
]


@pytest.mark.parametrize(("old", "new", "where", "what"), SHEET_MISTAKES, ids=lambda text: text[:30])
def test_a_mistake_in_a_sheet_is_told_with_its_key_path(
    tmp_path: Path, old: str, new: str, where: str, what: str
) -> None:
    path = tmp_path / "knot.sheet.toml"
    (tmp_path / "bad.md5").write_text(f"# list\n{'0' * 32}  ../x\n")
    text = GOOD.replace('SHA1 = "x"\n', "").replace(old, new.replace("MD5", "0" * 32), 1)
    if any(word in new for word in ("file = [", "manifest", "key = [")):
        text = text[: text.index("[[need.accept]]")]
    path.write_text(text)
    sheet, mistakes = load_sheet(path)
    assert sheet is None
    assert [mistake.where for mistake in mistakes] == [where]
    assert what in mistakes[0].what


def test_every_mistake_of_a_sheet_is_told_at_once(tmp_path: Path) -> None:
    path = tmp_path / "knot.sheet.toml"
    path.write_text(GOOD.replace('id = "one"', "id = 1").replace("[folders]", "[folders]\nx = 3"))
    found = {mistake.where for mistake in load_sheet(path)[1]}
    assert found == {"folders.x", "need[0].id", "need[0].accept[0].SHA1"}


def test_two_needs_with_one_id_or_one_place_are_told(tmp_path: Path) -> None:
    text = GOOD.replace('SHA1 = "x"\n', "")
    need = text[text.index("[[need]]") :]
    path = tmp_path / "knot.sheet.toml"
    path.write_text(text + need + need.replace('id = "one"', 'id = "two"'))
    found = [str(mistake) for mistake in load_sheet(path)[1]]
    assert found == [
        f'{path}: need[1].id: "one" is the id of need[0] too',
        f'{path}: need[2].name: "one.rom" is the place of need "one" too',
    ]


@pytest.mark.parametrize(
    ("data", "what"),
    [(b"sheet = ", "is not TOML"), (b"\xff!", "is not UTF-8 text"), (b"", "is missing")],
)
def test_a_file_that_is_no_sheet_is_told(tmp_path: Path, data: bytes, what: str) -> None:
    (tmp_path / "x.sheet.toml").write_bytes(data)
    catalogue = load_catalogue([tmp_path, tmp_path / "absent"])
    assert what in catalogue.mistakes[0].what
    assert "cannot read" in catalogue.mistakes[-1].what


def test_a_configuration_is_read_relative_to_its_file(tmp_path: Path) -> None:
    path = tmp_path / "gribble.toml"
    path.write_text('sources = ["a", "~/b"]\n[rig.den]\nat = "r"\n[rig.den.emulators]\nknot = "3.1"\n')
    config = load_config(path, tmp_path / "home")
    assert [one.at for one in config.sources] == [str(tmp_path / "a"), str(tmp_path / "home/b")]
    assert config.rig["den"].at == str(tmp_path / "r")
    assert config.rig["den"].emulators["knot"].release == "3.1"


def test_every_mistake_of_a_configuration_is_told_at_once(tmp_path: Path) -> None:
    path = tmp_path / "gribble.toml"
    path.write_text(
        'source = []\n[rig."a b"]\nat = ""\nvolume = "fat"\n'
        '[rig.c.emulators]\nknot = { at = "../x", folders = { b = "/" } }\n'
    )
    with pytest.raises(MistakesError) as caught:
        load_config(path, tmp_path)
    assert [mistake.where for mistake in caught.value.mistakes] == ["source", "rig.c.at"]
    path.write_text(path.read_text().replace("source", "sources").replace("[rig.c.em", "[rig.c]\nat='c'\n[rig.c.em"))
    with pytest.raises(MistakesError) as caught:
        load_config(path, tmp_path)
    assert {mistake.where for mistake in caught.value.mistakes} == {
        "rig.a b",
        "rig.a b.at",
        "rig.a b.volume",
        "rig.c.emulators.knot.at",
        "rig.c.emulators.knot.folders.b",
    }


@pytest.mark.parametrize(
    ("releases", "release", "order", "holds"),
    [
        (None, "1", (), True),
        (">=3.0", "3.0", (), True),
        (">=3.0", "2.9", (), False),
        (">=3.0", "3.1b2", (), True),
        (">=3.0,<4", "4.0", (), False),
        ("<4", None, (), False),
        (">=3.0", "nightly", (), True),
        (">=r9", "r10", ("r8", "r9", "r10"), True),
        (">=r9", "r8", ("r8", "r9", "r10"), False),
        ("<r10", "unheard of", ("r8", "r9", "r10"), False),
    ],
)
def test_releases_are_compared(releases: str | None, release: str | None, order: tuple[str, ...], holds: bool) -> None:
    assert concerns(releases, release, order) is holds


def test_a_sheet_is_fitted_to_release_machines_and_layout() -> None:
    def need(id_: str, **more: object) -> Need:
        return Need(id=id_, kind="bios", level="must", folder="boot", name=id_, **more)  # type: ignore[arg-type]

    sheet = Sheet(
        sheet=1,
        emulator="knot",
        folders={"boot": "knot/boot", "disk": "knot/disk"},
        machines=("Tern 8", "Tern 16"),
        need=(
            need("every"),
            need("new", releases=">=4"),
            need("big", machines=("Tern 16",)),
            need("late", accept=(Accept(sha1="a" * 40, releases=">=4", label="v4"),)),
        ),
    )
    fitted = fit_sheet(sheet, Installed(release="3", at="apps", folders={"boot": "B"}, machines=("Tern 8",)))
    assert [need.id for need in fitted.needs] == ["every", "late"]
    assert fitted.folders == {"boot": "apps/B", "disk": "apps/knot/disk"}
    assert fitted.unmeetable == {"late"}
    assert fitted.needs[1].reject[0].why == "Works only with release >=4."
