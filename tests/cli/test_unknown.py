"""An emulator whose sheet is broken or absent is unknown, never ready, and stops nothing else."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Gribble
from tests.making import A, B, config, need, sheet, small_world


@pytest.fixture(params=["broken", "absent", "one mistake in a need"])
def half_known(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    """plover is right; of tern nothing is known."""
    world = small_world(tmp_path / "world", {"drawer/a": A, "rig/boot/a.rom": A}, need("a", A))
    config(world)
    (world / "gribble.toml").write_text((world / "gribble.toml").read_text() + 'tern = "2"\n')
    if request.param == "broken":
        (world / "catalogue/tern.sheet.toml").write_text("sheet = [")
    elif request.param != "absent":
        sheet(world, need("b", B, kind="nonsense"), emulator="tern")
        (world / "catalogue/tern.sheet.toml").rename(world / "catalogue/another name.sheet.toml")
    return world


def test_nothing_calls_it_ready(gribble: Gribble, half_known: Path) -> None:
    found = gribble("check", "--json", cwd=half_known, code=2).json
    states = {one["emulator"]: one["state"] for one in found["rigs"][0]["emulators"]}
    assert states == {"plover": "ready", "tern": "unknown"}
    assert found["state"] == found["rigs"][0]["state"] == "unknown"
    assert "△ unknown" in gribble("check", cwd=half_known, code=2).out
    assert "1 ready, 1 unknown" in gribble("check", "--quiet", cwd=half_known, code=2).out
    assert "tern 2" in gribble(cwd=half_known, code=2).out
    broken = any((half_known / "catalogue").glob("[!p]*"))
    assert "◆ ready  1 emulator" in gribble("check", "plover", cwd=half_known, code=2 if broken else 0).out
    assert "△ unknown" in gribble("check", "tern", cwd=half_known, code=2).out
    report = gribble("report", "--json", cwd=half_known, code=2).json
    assert [one["state"] for one in report["rigs"][0]["emulators"]] == ["ready", "unknown"]
    assert "unknown" in gribble("report", "--markdown", "r.md", cwd=half_known, code=2).out
    for form in ("--html", "--csv"):
        gribble("report", form, "r", cwd=half_known, code=2)


def test_why_says_which_sheet_and_leads_on(gribble: Gribble, half_known: Path) -> None:
    (reason,) = gribble("why", "tern", "--json", cwd=half_known, code=2).json["reasons"]
    assert reason["sheet"] == "tern"
    assert "sheet" in reason["reason"]
    gribble(*reason["next"].split()[1:], cwd=half_known)
    said = gribble("check", cwd=half_known, code=2)
    assert reason["next"].partition(" --")[0] in said.out + said.err


def test_the_rest_goes_on(gribble: Gribble, half_known: Path) -> None:
    broken = any((half_known / "catalogue").glob("[!p]*"))
    assert "plover" in gribble("identify", "drawer", cwd=half_known, code=2 if broken else 0).out
    assert "plover" in gribble("catalogue", "list", cwd=half_known).out
    assert "tern" in gribble("doctor", cwd=half_known, code=2).out
    refused = gribble("place", "--yes", cwd=half_known, code=2)
    assert any(name in refused.err for name in ("emulators.tern", "tern.sheet.toml", "another name.sheet.toml"))
    (half_known / "rig/boot/a.rom").unlink()
    assert gribble("check", "--json", cwd=half_known, code=2).json["state"] == "blocked"


def test_a_wrong_name_is_told_with_the_nearest(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A}, need("a", A))
    text = (world / "gribble.toml").read_text()
    (world / "gribble.toml").write_text(text.replace('plover = "1"', 'plovr = "1"'))
    said = gribble("check", cwd=world, code=2)
    assert "no sheet for it in the catalogues; did you mean 'plover'?" in said.out
    assert "ready" not in said.out


def test_no_question_fails_on_it(gribble: Gribble, half_known: Path) -> None:
    for words in (
        "needs", "needs plover", "sets check", "check --games", "check tern --as 3", "check --sort worst", "plan --json",
        "check --show missing", "keys check", "history", "why plover", "identify rig", "catalogue compare catalogue catalogue",
    ):  # fmt: skip
        said = gribble(*words.split(), cwd=half_known)  # which fails on a fault of its own
        assert said.code in (0, 1, 2)
    assert "plover" in gribble("needs", cwd=half_known).out
