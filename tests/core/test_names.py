"""Names as other systems take them: by Windows' rules, in either Unicode form, in any case; and whose they are."""

from __future__ import annotations

import contextlib
import os
import unicodedata
from pathlib import Path
from types import SimpleNamespace

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from gribble.core.base import changing
from gribble.core.base.changing import usual, verbatim
from gribble.core.base.names import ANY_NAME, escaped, is_like, is_litter, is_trash, unescaped
from gribble.core.base.paths import is_junction
from gribble.core.files.volumes import folds_case, name_trouble, utf16_units
from gribble.core.placing.store import StoreError
from gribble.core.survey import walking
from gribble.core.survey.walking import Walk, walk
from gribble.stores import local
from gribble.stores.files import AtticFolder
from gribble.stores.local import LocalStore
from tests.ground.rules import is_no_name
from tests.ground.volume import folding_volume

odd = st.lists(st.sampled_from([*"a:?*<>|\\\"%. \x01\x7fé\u0301", "\udc80", "\ud800", "con", "COM\u00b9", "nul", "lpt0", "CONIN$"]), min_size=1, max_size=6).map("".join)  # fmt: skip
name_of_any_kind = st.one_of(odd, st.text(min_size=1, max_size=20)).filter(
    lambda name: "/" not in name and "\0" not in name
)


@given(name_of_any_kind)
@example("CON .rom")
@example("com1")
@example("x" * 256)
@example("\U0001f600" * 127)
@example("\U0001f600" * 128)
def test_windows_rules_are_told_whatever_the_volume(name: str) -> None:
    forbidden = is_no_name(name) or utf16_units(name) > 255
    assert bool(name_trouble(name, "", windows=True)) == forbidden
    assert bool(name_trouble(f"folder/{name}/rest", "ext4", windows=True)) == forbidden
    for kind in ("fat32", "exfat", "ntfs"):
        assert bool(name_trouble(name, kind, windows=False)) == forbidden
    try:
        assert bool(name_trouble(name, "ext4", windows=False)) == (len(os.fsencode(name)) > 255)
    except UnicodeEncodeError:
        assert name_trouble(name, "ext4", windows=False)


@given(st.lists(name_of_any_kind, min_size=1, max_size=3).map("/".join))
@example("100%25 done.rom")
def test_an_escaped_name_is_held_anywhere_and_is_the_same_name_again(path: str) -> None:
    form = escaped(path)
    assert unescaped(form) == path
    assert not any(is_no_name(part) for part in form.split("/"))
    form.encode()


@given(st.lists(st.one_of(odd, st.text(), st.text(alphabet=st.characters(categories=["Cs"])))).map("".join))
@example("\udcff\udced\udca0\udc80")
@example("\udcff\udcff\ud800")
def test_every_name_is_bytes_and_the_same_name_again(name: str) -> None:
    assert name.encode("utf-8", ANY_NAME).decode("utf-8", ANY_NAME) == name
    with contextlib.suppress(UnicodeEncodeError):
        assert "\udcff" in name or name.encode("utf-8", ANY_NAME) == name.encode("utf-8", "surrogateescape")


def test_an_attic_of_another_machine_holds_every_name_and_those_of_before(tmp_path: Path) -> None:
    attic = AtticFolder(tmp_path / "attic", escapes=True)
    odd, former = "0001/2/saves/who: me?.", "0001/3/50%25.sav"
    (tmp_path / "attic/0001/3").mkdir(parents=True)
    (tmp_path / "attic" / former).write_bytes(b"before")
    place = attic.local_kept(odd)
    place.parent.mkdir(parents=True)
    place.write_bytes(b"x")
    assert place.name == "who%3A me%3F%2E"
    assert b"".join(attic.read_kept(odd)) == b"x"
    assert b"".join(attic.read_kept(former)) == b"before"
    assert (odd, 1) in list(attic.slots())


def test_nothing_of_the_systems_is_met_unless_an_emulator_looks_there(tmp_path: Path) -> None:
    for name in (
        "kept.rom", "desk/desktop.ini.rom", ".hidden.rom", "trash/mine",
        ".Trashes/501/x", ".Trash-1000/files/x", "$RECYCLE.BIN/S-1/x", "System Volume Information/x", "desk/._kept.rom",
        ".DS_Store", "desk/Thumbs.db", "desk/DESKTOP.INI", ".Spotlight-V100/x", "lost+found/x", "@eaDir/x", "found.000/x",
    ):  # fmt: skip
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).touch()
    mine = {".hidden.rom", "desk/desktop.ini.rom", "kept.rom", "trash/mine"}
    assert {file.path for folder in walk(tmp_path) for file in folder.files} == mine
    way = Walk(through=frozenset({"desk/DESKTOP.INI"}))
    assert {file.path for folder in walk(tmp_path, way) for file in folder.files} == mine | {"desk/DESKTOP.INI"}
    assert is_trash("RECYCLER")
    assert not is_litter("._"[:1])


def test_a_volume_that_gives_names_back_decomposed_is_asked_composed(tmp_path: Path) -> None:
    composed = "dünlin/b\u00f6.rom"
    with folding_volume(tmp_path / "beneath", tmp_path / "mac", "decomposing") as volume:
        (volume / composed).parent.mkdir()
        (volume / composed).write_bytes(b"x")
        assert os.listdir(volume) == [unicodedata.normalize("NFD", "dünlin")]
        assert [file.path for folder in walk(volume) for file in folder.files] == [composed]
        assert LocalStore(volume, folds_case=True).exists(composed)
    both = tmp_path / "both"
    for name in (composed, unicodedata.normalize("NFD", composed)):
        (both / name).parent.mkdir(parents=True, exist_ok=True)
        (both / name).touch()
    assert len({file.path for folder in walk(both) for file in folder.files}) == 2, "two names are two files here"


def test_folding_is_tried_in_an_empty_folder_and_at_the_root_of_a_volume(tmp_path: Path) -> None:
    (tmp_path / "Empty").mkdir()
    assert not folds_case("auto", tmp_path / "Empty")
    with folding_volume(tmp_path / "beneath", tmp_path / "Card") as volume:
        (volume / "Empty").mkdir()
        assert folds_case("auto", volume / "Empty")
        assert folds_case("auto", volume)


def test_a_junction_is_a_link(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    status = SimpleNamespace(st_reparse_tag=0xA0000003)
    assert is_junction(status)  # type: ignore[arg-type]
    assert not is_junction(os.lstat(tmp_path))
    (tmp_path / "joined").mkdir()
    (tmp_path / "joined/x.rom").touch()
    monkeypatch.setattr(walking, "_is_junction", lambda child: child.name == "joined")
    (folder,) = walk(tmp_path)
    assert folder.links == {"joined": str(tmp_path / "joined")}


def test_patterns_follow_the_rig() -> None:
    assert is_like("ONE.TAP", "*.tap", folds=True)
    assert not is_like("ONE.TAP", "*.tap", folds=False)
    assert is_like("b\u00f6.tap", unicodedata.normalize("NFD", "b\u00f6.tap"), folds=False)


def test_long_paths_of_windows_take_their_long_form() -> None:
    deep = "C:/roms/" + "/".join(["a folder of some length"] * 12) + "/../x.rom"
    long = verbatim(deep)
    assert long.startswith("\\\\?\\C:\\roms\\")
    assert ".." not in long
    assert verbatim(long) == long
    assert usual(long) == long[4:]
    share = "\\\\nas\\roms\\" + "\\".join(["a folder of some length"] * 12)
    assert verbatim(share) == "\\\\?\\UNC\\" + share[2:]
    assert usual(verbatim(share)) == share
    assert verbatim("C:/short") == "C:/short"


def test_no_stream_is_written_on_windows(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    LocalStore(tmp_path).write("ab:c", lambda: iter([b"x"]))
    monkeypatch.setattr(local, "WINDOWS", True)
    with pytest.raises(StoreError, match="stream"):
        LocalStore(tmp_path).write("ab:c", lambda: iter([b"x"]))


@pytest.mark.parametrize("refusals", [1, 3])
def test_what_something_holds_on_to_is_waited_for(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, refusals: int
) -> None:
    path, left = tmp_path / "x", refusals
    path.touch()
    path.chmod(0o444)

    def held() -> None:
        nonlocal left
        left -= 1
        if left >= 0 or not path.stat().st_mode & 0o200:
            raise PermissionError(13, "Permission denied", str(path))

    changing.insist(held, path)
    assert left < 0
    path.chmod(0o444)
    left = 10**6
    monkeypatch.setattr(changing, "PATIENCE_SECONDS", 0.05)
    with pytest.raises(PermissionError):
        changing.insist(held, path)
    assert path.stat().st_mode & 0o777 == 0o444, "the mark is back where nothing helped"


def test_a_slow_try_leaves_patience_for_more(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    now, tries = 0.0, 0

    def slow() -> None:
        nonlocal now, tries
        now, tries = now + 60, tries + 1
        if tries < 3:
            raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(changing, "time", SimpleNamespace(monotonic=lambda: now, sleep=lambda _seconds: None))
    changing.insist(slow, tmp_path / "x")
    assert tries == 3
