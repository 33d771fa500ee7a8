"""Sources that are away: what the index knows of them is held there, and neither missing nor to be obtained."""

from __future__ import annotations

import io
import shutil
import zipfile
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path
from typing import Any

import pytest

from gribble.core.base.amounts import since_words
from tests.conftest import Gribble
from tests.ground.volume import folding_volume, killed
from tests.making import A, B, files, mounted, need, small_world

NAS = 'sources = [{ at = "nas/roms", name = "nas" }, "drawer"]\n'


def finding(answer: Any, need: str) -> Any:
    needs = [one for rig in answer["rigs"] for emulator in rig["emulators"] for one in emulator["needs"]]
    return next(one for one in needs if one["need"] == need)


def zipped(contents: dict[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        for name, data in contents.items():
            archive.writestr(name, data)
    return buffer.getvalue()


def with_nas(world: Path) -> Path:
    """A world whose first source is called nas; whether it is there is another thing."""
    path = world / "gribble.toml"
    path.write_text(path.read_text().replace('sources = ["drawer"]\n', NAS))
    assert NAS in path.read_text()
    return world


@contextmanager
def absent(nas: Path) -> Iterator[None]:
    off = nas.with_name("nas.off")
    nas.rename(off)
    yield
    off.rename(nas)


@contextmanager
def unmounted(nas: Path) -> Iterator[None]:
    with absent(nas):
        (nas / "roms").mkdir(parents=True)
        yield
        shutil.rmtree(nas)


WAYS: dict[str, Callable[[Path], AbstractContextManager[None]]] = {"absent": absent, "an empty folder": unmounted}


@pytest.mark.parametrize("way", WAYS)
def test_what_a_source_that_is_away_holds_is_held_there(gribble: Gribble, tmp_path: Path, way: str) -> None:
    world = with_nas(small_world(tmp_path / "small", {
        "nas/roms/x.bin": A, "nas/roms/pack.zip": zipped({"deep/y": B}), "drawer/note": b"",
        "rig/boot/b.rom": b"\7wrong",
    }, need("a", A), need("b", B), need("c", A + B)))  # fmt: skip
    here = gribble("check", "--json", cwd=world, code=1).json
    assert "away" not in here
    with WAYS[way](world / "nas"):
        ended = gribble("check", "--json", cwd=world, code=1)
        found = {one: finding(ended.json, one) for one in "abc"}
        assert [found[one]["verdict"] for one in "abc"] == ["astray", "imposter", "missing"]
        assert [found[one]["remedy"] for one in "abc"] == ["connect", "connect", "obtain"]
        assert [found[one].get("source") for one in "abc"] == ["nas", "nas", None]
        assert [found[one].get("away") for one in "abc"] == [True, True, None]
        assert found["a"]["found"] == str(world / "nas/roms/x.bin")
        assert (found["b"]["use"]["path"], found["b"]["use"]["member"]) == (str(world / "nas/roms/pack.zip"), "deep/y")
        assert "in nas, which is away since " in found["a"]["reason"]
        assert [(one["source"], one["files"]) for one in ended.json["away"]] == [("nas", 2)]
        assert "note: nas (nas/roms) is away since" in ended.err
        said = " ".join(gribble("check", cwd=world, code=1).out.split())
        assert "connect nas (switch it on, or plug it in): the file is there as x.bin" in said
        assert "1 still to obtain" in said or "1 file to obtain" in said
        plan = gribble("plan", "--json", cwd=world, code=1).json
        assert plan["steps"] == []
        assert [one["need"] for one in plan["obtain"]] == ["c"]
        assert [(one["source"], one["need"], one["size"]) for one in plan["away"]] == [
            ("nas", "a", len(A)), ("nas", "b", len(B)),
        ]  # fmt: skip
        assert [(one["need"], one["away"], one["source"]) for one in plan["refused"]] == [
            ("a", True, "nas"), ("b", True, "nas"),
        ]  # fmt: skip
        assert "nas is away and would bring 2 files" in gribble("plan", cwd=world, code=1).out
        gribble("place", "--yes", cwd=world, code=1)
        needs = gribble("needs", "--json", cwd=world, code=0).json
        by_need = {one["need"]: one for one in needs["emulators"][0]["needs"]}
        assert [by_need[one]["held"] for one in "abc"] == [True, True, False]
        assert (by_need["a"]["away"], by_need["a"]["source"]) == (True, "nas")
        assert [one["need"] for one in needs["obtain"]] == ["c"]
        reasons = {one["need"]: one for one in gribble("why", "plover", "--json", cwd=world, code=1).json["reasons"]}
        assert (reasons["a"]["next"], reasons["a"]["yours"], reasons["a"]["source"]) == (None, True, "nas")
        assert "connect nas" in gribble("why", "plover", cwd=world, code=1).out
        told = gribble("identify", "nas/roms", "--json", cwd=world, code=0).json["files"]
        assert {(Path(one["path"]).name, one["verdict"], one["away"]) for one in told} == {
            ("x.bin", "known", True), ("pack.zip", "known", True),
        }  # fmt: skip
        report = gribble("report", "--json", cwd=world, code=1).json
        assert [one["need"] for one in report["obtain"]] == ["c"]
        assert report["away"][0]["source"] == "nas"
        rows = {one["name"]: one for one in report["rigs"][0]["emulators"][0]["rows"] if one["kind"] == "bios"}
        assert [(rows[one]["away"], rows[one]["source"]) for one in "abc"] == [
            (True, "nas"),
            (True, "nas"),
            (False, ""),
        ]
        assert "nas" in gribble("doctor", cwd=world).out
    assert finding(gribble("check", "--json", cwd=world, code=1).json, "a")["remedy"] == "place"
    gribble("place", "--yes", cwd=world, code=1)
    assert (world / "rig/boot/a.rom").read_bytes() == A
    assert (world / "rig/boot/b.rom").read_bytes() == B


def test_a_dead_mount_is_away_and_the_one_that_is_here_is_used(gribble: Gribble, tmp_path: Path) -> None:
    world = with_nas(
        small_world(tmp_path / "small", {"beneath/roms/a": A, "beneath/roms/b": B, "drawer/some/where": A})
    )
    (world / "nas").mkdir()
    with folding_volume(world / "beneath", world / "nas"):
        gribble("check", cwd=world, code=1)
        killed(world / "nas")
        answer = gribble("check", "--json", cwd=world, code=1).json
        assert (finding(answer, "a")["remedy"], finding(answer, "a")["use"]["path"]) == (
            "place", str(world / "drawer/some/where"),
        )  # fmt: skip
        assert finding(answer, "b")["remedy"] == "connect"
        gribble("place", "--yes", cwd=world, code=1)
        assert (world / "rig/boot/a.rom").read_bytes() == A
        assert [one["need"] for one in gribble("plan", "--json", cwd=world, code=1).json["away"]] == ["b"]


def test_sets_that_a_source_which_is_away_completes_are_not_to_be_obtained(gribble: Gribble, world: Path) -> None:
    gribble("check", cwd=world)
    here = gribble("plan", "turnstone", "--json", cwd=world, code=1).json
    with absent(world / "drawer"):
        (audit,) = gribble("sets", "check", "--json", cwd=world, code=1).json["rigs"][0]["emulators"]
        problems = {one["set"]: one["problems"] for one in audit["sets"]}
        for name, verdict in (("groynej", "astray"), ("breakwat", "astray"), ("razor", "imposter")):
            (problem,) = problems[name]
            assert (problem["verdict"], problem["remedy"], problem["away"]) == (verdict, "connect", True)
        plan = gribble("plan", "turnstone", "--json", cwd=world, code=1).json
        assert {one["set"] for one in plan["away"]} == {"groynej", "breakwat", "razor"}
        assert {one["set"] for one in plan["obtain"]} == {one["set"] for one in here["obtain"]} | {"driftnet"}
        assert "in drawer" in gribble("why", "turnstone", cwd=world, code=1).out
        changes = gribble("sets", "compare", "1.6", "1.8", "--emulator", "turnstone", "--json", cwd=world).json["sets"]
        razor = next(one for one in changes if one["set"] == "razor")
        assert (razor["class"], razor["files"][0]["away"]) == ("held", True)


def test_what_is_gone_from_a_source_that_is_here_is_forgotten(gribble: Gribble, tmp_path: Path) -> None:
    contents = {"nas/roms/old/a": A, "nas/roms/b": B, "drawer/note": b""}
    world = with_nas(small_world(tmp_path / "small", contents))
    gribble("check", cwd=world, code=1)
    shutil.rmtree(world / "nas/roms/old")
    gribble("check", cwd=world, code=1)
    with absent(world / "nas"):
        answer = gribble("check", "--json", cwd=world, code=1).json
    assert (finding(answer, "a")["remedy"], finding(answer, "b")["remedy"]) == ("obtain", "connect")


def test_nobody_says_what_nobody_knows(gribble: Gribble, tmp_path: Path) -> None:
    contents = {"nas/roms/a": A, "nas/roms/b.rom": b"of another kind", "nas/roms/c.rom": B, "drawer/note": b""}
    world = with_nas(small_world(tmp_path / "small", contents, need("a", A)))
    gribble("check", cwd=world, code=1)
    with absent(world / "nas"):
        # A sheet that is new: of what its digests are, the index knows nothing; only name and size speak.
        (world / "catalogue/plover.sheet.toml").unlink()
        small_world(world, {}, need("b", A + A), need("c", B), need("a", A))
        with_nas(world)
        answer = gribble("check", "--json", cwd=world, code=1).json
        assert finding(answer, "a")["remedy"] == "connect"
        assert finding(answer, "b")["remedy"] == "obtain"
        assert (finding(answer, "c")["remedy"], finding(answer, "c")["verdict"]) == ("connect", "missing")
        assert "only its name is known" in finding(answer, "c")["reason"]
        shutil.rmtree(world / ".gribble")
        ended = gribble("check", "--json", cwd=world, code=1)
        assert finding(ended.json, "a")["remedy"] == "obtain"
        assert "Gribble does not know what is on it" in ended.err
        assert "nas" in gribble("doctor", cwd=world).out


def test_a_folder_that_was_emptied_is_accepted_as_it_is(gribble: Gribble, tmp_path: Path) -> None:
    world = with_nas(small_world(tmp_path / "small", {"nas/roms/a": A, "drawer/note": b""}))
    gribble("check", cwd=world, code=1)
    (world / "nas/roms/a").unlink()
    ended = gribble("check", "--json", cwd=world, code=1)
    assert finding(ended.json, "a")["remedy"] == "connect"
    assert "gribble doctor --accept nas" in ended.err
    assert "away" not in gribble("doctor", "--accept", "nas", cwd=world, code=0).out
    ended = gribble("check", "--json", cwd=world, code=1)
    assert finding(ended.json, "a")["remedy"] == "obtain"
    assert "away" not in ended.err


def test_rigs_and_attics_within_a_source_are_none_of_what_it_holds(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {"drawer/note": b"", "drawer/x": B})
    text = (world / "gribble.toml").read_text()
    (world / "gribble.toml").write_text(text.replace('at = "rig"', 'at = "drawer/rig"'))
    files(world, {"drawer/rig/boot/spare": A})
    gribble("check", cwd=world, code=1)
    (world / "drawer").rename(world / "off")
    assert gribble("check", "--json", cwd=world, code=3).json["away"][0]["files"] == 2


@pytest.mark.parametrize(
    ("sources", "words"),
    [
        (
            '[{ at = "a", name = "nas" }, { at = "b", name = "nas" }]',
            'sources[1].name: "nas" is already the name of sources[0]',
        ),
        ('[{ name = "nas" }]', "sources[0].at: is missing"),
        ('[{ at = "", name = "nas" }]', "is empty"),
        ('[{ at = "a", label = "x" }]', "sources[0].label: unknown key"),
        ("[3]", "sources[0]"),
    ],
)
def test_mistakes_in_sources_are_told(gribble: Gribble, tmp_path: Path, sources: str, words: str) -> None:
    world = small_world(tmp_path / "small", {})
    text = (world / "gribble.toml").read_text()
    (world / "gribble.toml").write_text(text.replace('["drawer"]', sources))
    assert words in " ".join(gribble("check", cwd=world, code=2).err.split())


def test_since_is_said_as_a_day_and_never_of_a_time_to_come() -> None:
    noon = 1_762_171_200.0  # 3 November 2025, noon in Greenwich
    assert since_words(noon, noon + 86_400 * 20) == "since 3 November"
    assert since_words(noon, noon + 86_400 * 400) == "since 3 November 2025"
    for wrong in (0.0, -5.0, noon + 86_400 * 30, float("inf"), float("nan")):
        assert since_words(wrong, noon) == ""


def test_a_stick_is_the_same_stick_wherever_it_is_plugged_in(gribble: Gribble, tmp_path: Path) -> None:
    world = with_nas(small_world(tmp_path / "small", {"drawer/note": b""}, need("a", A)))
    image, elsewhere = tmp_path / "stick.image", tmp_path / "elsewhere"
    with mounted("ext4", world / "nas", image):
        files(world, {"nas/roms/x": A})
        gribble("check", cwd=world, code=1)
    answer = gribble("check", "--json", cwd=world, code=1).json
    assert finding(answer, "a")["remedy"] == "connect"
    with mounted("ext4", elsewhere, image):
        ended = gribble("check", "-v", "--json", cwd=world, code=1)
        assert finding(ended.json, "a")["use"]["path"] == str(elsewhere / "roms/x")
        assert f"nas is at {elsewhere}/roms today" in ended.err
        assert "0 opened" in ended.err
        gribble("place", "--yes", cwd=world, code=0)


@pytest.mark.own_ground("a volume's id is told by links that only Linux makes")
def test_another_volume_at_a_source_s_place_is_not_the_source(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    world = with_nas(small_world(tmp_path / "small", {"nas/roms/a": A, "drawer/note": b""}, need("a", A)))
    mark = "1111-2222 MUSEUM"

    def tell(folder: Path) -> str:
        return f"id {mark}" if folder.is_relative_to(world / "nas") and folder.exists() else ""

    monkeypatch.setattr("gribble.core.survey.sources.mark_of", tell)
    gribble("check", cwd=world, code=1)
    mark = "3333-4444 OTHER"
    (world / "nas/roms/b").write_bytes(B)
    ended = gribble("check", "--json", cwd=world, code=1)
    assert finding(ended.json, "a")["remedy"] == "connect"
    assert "another volume" in gribble("doctor", cwd=world).out
    assert "nas" in ended.err
    gribble("doctor", "--accept", "nas", cwd=world)
    assert finding(gribble("check", "--json", cwd=world, code=1).json, "a")["remedy"] == "place"


def test_a_choice_takes_what_is_here_before_what_is_liked_and_away(gribble: Gribble, tmp_path: Path) -> None:
    """Of a choice the one counts that held files put right now, though a source that is away has the first."""
    one = {"choice": "boot"}
    world = with_nas(
        small_world(tmp_path, {"nas/roms/x.bin": A, "drawer/y.bin": B}, need("a", A, **one), need("b", B, **one))
    )
    gribble("check", cwd=world, code=1)
    with absent(world / "nas"):
        answer = gribble("check", "--json", cwd=world).json
        assert finding(answer, "b")["remedy"] == "place"
        assert finding(answer, "a")["remedy"] == "none"
        gribble("place", "--yes", cwd=world)
        assert (world / "rig/boot/b.rom").read_bytes() == B
