"""What is held more than once: proven, counted once under several names, and nothing read twice or taken away."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from gribble.core.answers.scrub import copies, doubtful_sizes
from gribble.core.base.digests import Digests
from gribble.core.records.holding import Holding
from tests.conftest import Gribble, tree
from tests.making import A, B, files, need, small_world

PHOTO, OTHER = b"a photograph" * 900, b"not the same" * 900


def told(answer: Any) -> list[tuple[int, int, list[str]]]:
    return [(one["size"], one["room"], [Path(file["path"]).name for file in one["files"]]) for one in answer["copies"]]


def test_copies_are_proven_wherever_they_lie_and_whatever_they_are(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {
        "drawer/one.jpg": PHOTO, "drawer/deep/two.jpg": PHOTO, "drawer/like.jpg": OTHER, "drawer/empty": b"", "drawer/void": b"",
        "drawer/a.rom": A, "rig/boot/a.rom": A, "rig/boot/spare": B, "elsewhere/three.jpg": PHOTO,
    }, need("a", A), need("b", B))  # fmt: skip
    os.link(world / "drawer/like.jpg", world / "drawer/linked.jpg")
    os.utime(world / "drawer/like.jpg", (10**9, 10**9))
    before = tree(world)
    answer = gribble("identify", "--copies", "--json", cwd=world, code=0).json
    assert answer["gribble"] == "copies/1"
    assert told(answer) == [
        (len(PHOTO), len(PHOTO), ["two.jpg", "one.jpg"]),
        (len(A), len(A), ["a.rom", "a.rom"]),
        (len(OTHER), 0, ["like.jpg", "linked.jpg"]),
    ]
    assert [one["known_as"] for one in answer["copies"]] == [None, "a", None]
    assert answer["room"] == len(PHOTO) + len(A)
    said = gribble("identify", "--copies", cwd=world, code=0).out
    assert said.startswith("3 contents that you have more than once: 6 files; all but one of each take 14.1 KiB.")
    assert "one file under several names" in said
    assert "on rig" in said
    about = gribble("identify", "--copies", "./drawer/../elsewhere/", "--json", cwd=world, code=0).json
    assert told(about) == [(len(PHOTO), 2 * len(PHOTO), ["two.jpg", "one.jpg", "three.jpg"])]
    assert told(gribble("identify", "--copies", "drawer/void", "--json", cwd=world, code=0).json) == []
    assert "You have no file twice" in gribble("identify", "--copies", "drawer/void", cwd=world).out
    assert tree(world) == before
    assert "0 opened" in gribble("check", "-v", cwd=world).err, "what was read is remembered"


def test_what_runs_have_displaced_is_no_copy(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(
        tmp_path / "small", {"drawer/x": A, "rig/boot/a.rom": PHOTO, "drawer/photo": PHOTO}, need("a", A)
    )
    gribble("place", "--yes", cwd=world, code=0)
    assert [names for _, _, names in told(gribble("identify", "--copies", "--json", cwd=world, code=0).json)] == [
        ["x", "a.rom"]
    ]


def test_long_answers_are_cut_and_told_whole(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {}, need("a", A))
    files(world, {f"drawer/{n}-{m}": bytes([n]) * (2000 + n) for n in range(30) for m in range(9)})
    said = gribble("identify", "--copies", cwd=world, code=0).out
    assert "… 3 files more: -v" in said
    assert "… 10 contents more, " in said
    assert len(said.splitlines()) < 200
    assert gribble("identify", "--copies", "-v", cwd=world, code=0).out.count("drawer/") == 270


def test_naming_nothing_is_told(gribble: Gribble, world: Path) -> None:
    assert "name a file or a folder" in gribble("identify", cwd=world, code=2).err
    assert "Leave out --show" in gribble("identify", "--copies", "--show", "needed", cwd=world, code=2).err
    assert "there is no file or folder called" in gribble("identify", "--copies", "nowhere", cwd=world, code=2).err


held = st.builds(
    lambda path, size, sha1: Holding(rig="", root="/nowhere", path=path, member=None, size=size, digests=Digests(sha1=sha1)),
    st.sampled_from("abcdefgh"), st.integers(0, 2), st.sampled_from(["0" * 40, "1" * 40, None]),
)  # fmt: skip


@given(st.lists(held, unique_by=lambda one: one.path))
def test_every_content_of_several_files_is_found_and_nothing_else(holdings: list[Holding]) -> None:
    found = copies(holdings)
    expected: dict[tuple[int, str | None], set[str]] = {}
    for one in holdings:
        if one.size and one.digests.sha1:
            expected.setdefault((one.size, one.digests.sha1), set()).add(one.path)
    several = {key: paths for key, paths in expected.items() if len(paths) > 1}
    assert {(one.bytes, one.sha1): {file.path for file in one.files} for one in found} == several
    assert all(one.room == one.bytes * (len(one.files) - 1) for one in found)
    assert {size for size, _ in several} <= doubtful_sizes(holdings)
    assert [one.room for one in found] == sorted((one.room for one in found), reverse=True)
