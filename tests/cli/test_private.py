"""Private bytes stay where they are: plan files and borrowed sticks name what they may, and links are not read through."""

from __future__ import annotations

import json
import os
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Gribble, tree
from tests.making import A, C, config, files, forked, need, sha1, small_world

SECRET = b"the password of another rig" * 40


def a_world(base: Path) -> Path:
    world = small_world(base / "world", {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    files(base, {"private/secret": SECRET, "private/secret.zip": b""})
    with zipfile.ZipFile(base / "private/secret.zip", "w") as archive:
        archive.writestr("m", SECRET)
    os.chmod(base / "private/secret", 0o600)
    return world


def planned(gribble: Gribble, world: Path, change: Callable[[dict[str, Any]], object]) -> None:
    """A plan's file, with its one step changed."""
    gribble("plan", "--out", "plan.json", "--replace", cwd=world, code=1)
    plan = json.loads((world / "plan.json").read_text())
    change(plan["steps"][0])
    (world / "plan.json").write_text(json.dumps(plan))


def of_secret(data: bytes = SECRET) -> dict[str, Any]:
    return {"digests": {"sha1": sha1(data)}, "bytes": len(data)}


NOWHERE = "is in no source and on no rig"
TAKEN: dict[str, tuple[dict[str, Any], str]] = {
    "a device's file": ({"from": "/proc/self/environ", "digests": {}, "bytes": 3}, NOWHERE),
    "outside every source": ({"from": "{base}/private/secret", **of_secret()}, NOWHERE),
    "by climbing": ({"from": "{base}/world/drawer/../../private/secret", **of_secret()}, "climbs"),
    "by a link in a source": ({"from": "{base}/world/drawer/link", **of_secret()}, NOWHERE),
    "below a link in a source": ({"from": "{base}/world/drawer/folder/secret", **of_secret()}, NOWHERE),
    "a member": ({"step": "extract", "from": "{base}/private/secret.zip", "member": "m", **of_secret()}, NOWHERE),
    "of a journal": ({"from": "{base}/world/rig/.gribble/runs/0001.jsonl", **of_secret()}, "Gribble's own"),
    "a folder": ({"from": "{base}/world/drawer", **of_secret()}, "is not a regular file"),
    "of a pack": (
        {
            "step": "pack",
            "members": [{"name": "m", "from_": "{base}/private/secret", "size": 1, "digests": {"sha1": sha1(SECRET)}}],
        },
        NOWHERE,
    ),
    "a text": ({"step": "write", "to": "boot/run.sh", "text": "x", "replaces": None}, "no track sheet"),
}


@pytest.mark.parametrize("case", TAKEN)
def test_a_plan_file_takes_only_from_sources_rigs_and_attics(gribble: Gribble, tmp_path: Path, case: str) -> None:
    world = a_world(tmp_path)
    (world / "drawer/link").symlink_to(tmp_path / "private/secret")
    (world / "drawer/folder").symlink_to(tmp_path / "private")
    gribble("place", "--yes", cwd=world, code=0)
    gribble("undo", "--yes", cwd=world, code=0)
    changed, why = TAKEN[case]
    text = json.dumps(changed).replace("{base}", str(tmp_path))
    planned(gribble, world, lambda step: step.update(json.loads(text)))
    before = tree(world / "rig")
    said = gribble("place", "--plan", "plan.json", "--yes", cwd=world, code=2).err
    assert "plan.json: steps[0]" in said
    assert why in said
    assert tree(world / "rig") == before


def test_a_step_of_a_plan_file_that_nothing_proves_is_refused(gribble: Gribble, tmp_path: Path) -> None:
    world = a_world(tmp_path)
    planned(gribble, world, lambda step: step.update({"digests": {}, "sha1": None}))
    said = gribble("place", "--plan", "plan.json", "--yes", cwd=world, code=1).words
    assert "nothing proves it" in said
    assert (world / "rig/boot/a.rom").read_bytes() == C


def test_a_plan_file_shows_the_size_that_the_file_has(gribble: Gribble, tmp_path: Path) -> None:
    world = a_world(tmp_path)
    planned(gribble, world, lambda step: step.update({"bytes": 1}))
    assert "3.5 KiB to write" in gribble("place", "--plan", "plan.json", "--yes", cwd=world, code=0).words
    assert (world / "rig/boot/a.rom").read_bytes() == A
    restored = world / "rig/.gribble/attic/0001/0/boot/a.rom"
    planned_from = {"from": str(restored), "digests": {"sha1": sha1(C)}, "bytes": len(C)}
    (world / "rig/boot/a.rom").write_bytes(b"wrong")
    planned(gribble, world, lambda step: step.update(planned_from))
    gribble("place", "--plan", "plan.json", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == C, "the attic may be taken from"


# Links on a borrowed stick


@pytest.mark.parametrize("words", [("--into", "got"), ("--yes",)])
def test_a_slot_that_is_a_link_is_not_read_through(gribble: Gribble, tmp_path: Path, words: tuple[str, ...]) -> None:
    world = a_world(tmp_path)
    gribble("place", "--yes", cwd=world, code=0)
    slot = world / "rig/.gribble/attic/0001/0/boot/a.rom"
    slot.unlink()
    slot.symlink_to(tmp_path / "private/secret")
    said = gribble("attic", "restore", "boot/a.rom", *words, cwd=world, code=3).err
    assert "is a link" in said
    assert SECRET not in [path.read_bytes() for path in world.rglob("*") if path.is_file() and not path.is_symlink()]


@pytest.mark.parametrize("place", ["{base}/private/secret", "{world}/gribble.toml", "{rig}/.gribble/id"])
def test_a_plan_file_reads_through_no_link_on_a_rig_that_leads_out(
    gribble: Gribble, tmp_path: Path, place: str
) -> None:
    world = a_world(tmp_path)
    gribble("place", "--yes", cwd=world, code=0)
    gribble("undo", "--yes", cwd=world, code=0)
    target = Path(place.format(base=tmp_path, world=world, rig=world / "rig"))
    (world / "rig/boot/link").symlink_to(target)
    data = target.read_bytes()
    planned(gribble, world, lambda step: step.update({"from": "boot/link", **of_secret(data)}))
    said = gribble("place", "--plan", "plan.json", "--yes", cwd=world, code=3).words
    assert "boot/link is a link that leads out of the rig" in said
    assert (world / "rig/boot/a.rom").read_bytes() == C
    (world / "rig/boot/link").unlink()
    (world / "rig/real").write_bytes(data)
    (world / "rig/boot/link").symlink_to("../real")
    planned(gribble, world, lambda step: step.update({"from": "boot/link", **of_secret(data)}))
    gribble("place", "--plan", "plan.json", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == data, "within the rig a link may lead"


def test_an_adopted_run_reads_through_no_link(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A stick comes with an open run whose source is a link on it."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "theirs"))
    world = a_world(tmp_path)
    forked(world, "place", "--yes", code=0)
    journal = world / "rig/.gribble/runs/0001.jsonl"
    head = json.loads(journal.read_text().splitlines()[0])
    head["steps"][0] |= {"from": "boot/link", "to": "boot/out", "replaces": None, **of_secret()}
    journal.write_text(json.dumps(head) + "\n")
    (world / "rig/boot/link").symlink_to(tmp_path / "private/secret")
    env = {"XDG_DATA_HOME": str(tmp_path / "ours")}
    gribble("history", "--adopt", "1", "--yes", cwd=world, code=0, **env)
    said = gribble("place", "--resume", cwd=world, code=3, **env).words
    assert "is a link that leads out of the rig" in said
    assert not (world / "rig/boot/out").exists()


def test_a_link_within_a_source_is_still_taken(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/deep/a": A}, need("a", A))
    (world / "linked").symlink_to("drawer")
    config(world, sources=("linked",))
    gribble("place", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == A
    (world / "rig/boot/a.rom").unlink()
    gribble("plan", "--out", "plan.json", cwd=world, code=1)
    gribble("place", "--plan", "plan.json", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == A


# What a sheet may name


def wanting(base: Path, name: str, *, folder: str = ".", there: bytes | None = None) -> Path:
    """A world whose rig is the folder of gribble.toml itself, and a sheet that wants a content at a place there."""
    world = small_world(base / "world", {"drawer/a": A}, need("a", A, name))
    sheet = world / "catalogue/plover.sheet.toml"
    sheet.write_text(sheet.read_text().replace('boot = "boot"', f'boot = "{folder}"'))
    config(world, rigs={"rig": "."})
    if there is not None:
        files(world, {f"{folder}/{name}": there})
    return world


OWN = (
    "gribble.toml",
    "catalogue/ruff.sheet.toml",
    "catalogue/r-1.roster.jsonl",
    "catalogue/desk.sha256",
    "catalogue/m.toml",
)


@pytest.mark.parametrize("place", OWN)
@pytest.mark.parametrize("words", [("--yes",), ("--yes", "--hidden")])
def test_no_step_writes_gribbles_own_files(
    gribble: Gribble, tmp_path: Path, place: str, words: tuple[str, ...]
) -> None:
    folder, _, name = place.rpartition("/")
    world = wanting(tmp_path, name, folder=folder or ".")
    before = tree(world)
    said = gribble("place", *words, cwd=world, code=1).words
    assert f"{name} is a file of Gribble's own, and no step writes it" in said
    assert tree(world) == before
    step: dict[str, Any] = {"rig": "rig", "step": "copy", "from": str(world / "drawer/a"), "to": place, "bytes": len(A)}
    step |= {"digests": {"sha1": sha1(A)}, "replaces": place if place == "gribble.toml" else None}
    plan = {"gribble": "plan/1", "steps": [step]}
    (world / "p.json").write_text(json.dumps(plan))
    assert "a file of Gribble's own" in gribble("place", "--plan", "p.json", *words, cwd=world, code=1).words


@pytest.mark.parametrize(
    ("folder", "name", "there", "asks"),
    [
        (".ssh", "authorized_keys", b"mine", True),
        (".config/sparrow", "start.ini", b"mine", True),
        (".hidden", "x.rom", None, True),
        ("boot", ".x.rom", None, True),
        (".hidden", "x.rom", b"old", False),
        ("boot", ".x.rom", b"old", False),
        ("boot", "x.rom", None, False),
    ],
)
def test_hidden_places_need_a_word_of_the_user(
    gribble: Gribble, tmp_path: Path, folder: str, name: str, there: bytes | None, asks: bool
) -> None:
    world = wanting(tmp_path, name, folder=folder, there=there)
    if asks:
        before = tree(world)
        said = gribble("plan", cwd=world, code=1).words
        assert "gribble place --hidden" in said
        said = gribble("place", "--yes", cwd=world, code=1).words
        assert "gribble place --hidden" in said
        assert tree(world) == before
        assert "is hidden" in gribble("catalogue", "lint", cwd=world, code=0).words
        assert "gribble place --hidden" in gribble("plan", "--hidden", cwd=world, code=1).words
    gribble("place", "--yes", *(["--hidden"] if asks else []), cwd=world, code=0)
    assert (world / folder / name).read_bytes() == A
    gribble("undo", "--yes", cwd=world, code=0)
    assert (world / folder / name).exists() is (there is not None)
