"""`gribble scrub`: what changed without a new date is found, told once for what it is, and nothing is read for nothing."""

from __future__ import annotations

import hashlib
import os
import sqlite3
import time
from pathlib import Path
from typing import Any

import pytest

from gribble.core.files import hashing
from gribble.core.survey import scrubbing
from tests.conftest import Gribble, tree
from tests.making import A, B, files, mounted, need, small_world

C = hashlib.shake_128(b"C").digest(3000)
FAULTS = dict[str, tuple[str, str | None]]


def faults(answer: Any) -> FAULTS:
    """Each fault by the file's name, with the name of the good copy's file."""
    return {
        Path(one["path"]).name: (one["fault"], Path(one["copy"]).name if one["copy"] else None)
        for one in answer["findings"]
    }


def flip(path: Path, *, dated: bool = True) -> None:
    """Change a byte; the date of the file stays, if it was `dated` before."""
    status, data = path.stat(), bytearray(path.read_bytes())
    data[len(data) // 2] ^= 1
    with path.open("r+b") as stream:
        stream.write(data)
    if dated:
        os.utime(path, ns=(status.st_atime_ns, status.st_mtime_ns))


def test_a_byte_changed_without_a_new_date_is_altered_and_a_new_date_is_a_change(
    gribble: Gribble, tmp_path: Path
) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A, "drawer/y": B, "rig/boot/a.rom": A, "rig/boot/b.rom": B})
    gribble("check", cwd=world, code=0)
    assert faults(gribble("scrub", "--json", cwd=world, code=0).json) == {}
    flip(world / "rig/boot/a.rom")
    flip(world / "drawer/y", dated=False)
    gribble("check", cwd=world, code=1)  # which reads it again, and hides nothing
    before = tree(world)
    answer = gribble("scrub", "--json", cwd=world, code=1).json
    assert faults(answer) == {"a.rom": ("altered", "x")}
    assert answer["findings"][0]["since"][:4].isdecimal()
    said = " ".join(gribble("scrub", cwd=world, code=1).out.split())
    assert said.startswith("1 altered 4 files read whole")
    assert "a good copy is held: drawer/x" in said
    assert "it was a" in said
    assert tree(world) == before
    needs = gribble("check", "--json", cwd=world, code=1).json["rigs"][0]["emulators"][0]["needs"]
    assert (needs[0]["need"], needs[0]["verdict"], needs[0]["remedy"]) == ("a", "imposter", "replace")
    gribble("place", "--yes", cwd=world, code=0)
    assert faults(gribble("scrub", "--json", cwd=world, code=0).json) == {}


@pytest.mark.own_ground("it writes beneath a volume of its own")
def test_a_byte_written_beneath_the_file_system_is_rot(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {"drawer/y": C}, need("a", A), need("c", C))
    image = tmp_path / "rotting.image"
    with mounted("ext4", world / "rig", image):
        files(world, {"rig/boot/c.rom": C, "rig/boot/a.rom": A})
        os.sync()
        gribble("check", cwd=world, code=0)
        place = image.read_bytes().index(C[:2048]) + 1024
        with image.open("r+b") as stream:
            stream.seek(place)
            stream.write(bytes([C[1024] ^ 1]))
        gribble("check", cwd=world, code=0)  # which believes what it knows
        answer = gribble("scrub", "--json", cwd=world, code=1).json
        assert faults(answer) == {"c.rom": ("rotted", "y")}
        (need_c,) = (
            one
            for one in gribble("check", "--json", cwd=world, code=1).json["rigs"][0]["emulators"][0]["needs"]
            if one["need"] == "c"
        )
        assert (need_c["verdict"], need_c["remedy"]) == ("imposter", "replace")
        assert faults(gribble("scrub", "--json", cwd=world, code=1).json) == {"c.rom": ("rotted", "y")}


def test_what_is_gone_is_told_once_and_what_was_moved_not_at_all(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A, "drawer/y": B, "drawer/note": b"-"})
    gribble("check", cwd=world, code=1)
    (world / "drawer/x").unlink()
    (world / "drawer/y").rename(world / "drawer/z")
    gribble("check", cwd=world, code=1)
    assert faults(gribble("scrub", "--json", cwd=world, code=1).json) == {"x": ("gone", None)}
    assert faults(gribble("scrub", "--json", cwd=world, code=0).json) == {}


@pytest.mark.skipif(os.geteuid() == 0, reason="root reads everything")
def test_what_the_system_does_not_let_us_read_is_told(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A})
    gribble("check", cwd=world, code=1)
    (world / "drawer/x").chmod(0)
    assert faults(gribble("scrub", "--json", cwd=world, code=1).json) == {"x": ("unreadable", None)}


def test_what_cannot_be_read_is_told_and_goes_on(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A, "drawer/y": B})
    gribble("check", cwd=world, code=1)
    real = hashing.digest_file

    def failing(path: Path, *words: Any, **more: Any) -> Any:
        if path.name == "x":
            raise OSError(5, "Input/output error")
        return real(path, *words, **more)

    monkeypatch.setattr(scrubbing, "digest_file", failing)
    answer = gribble("scrub", "--json", cwd=world, code=1).json
    assert (faults(answer), answer["read"]) == ({"x": ("unreadable", None)}, 1)
    assert "input/output error" in answer["findings"][0]["reason"].lower()


def test_a_budget_is_kept_oldest_first_until_the_round_is_done(gribble: Gribble, tmp_path: Path) -> None:
    contents = {f"drawer/{name}": bytes([number]) * 1000 for number, name in enumerate("abcde")}
    contents["drawer/large"] = b"l" * 9000
    wanted = [need(Path(name).name, data) for name, data in contents.items()]
    world = small_world(tmp_path / "small", contents, *wanted)
    gribble("check", cwd=world, code=1)
    told = []
    for _ in range(3):
        answer = gribble("scrub", "--at-most", "2kB", "--json", cwd=world, code=0).json
        told.append((answer["read"], answer["bytes"], answer["left"]))
    assert told == [(2, 2000, 4), (2, 2000, 2), (1, 1000, 1)]
    said = gribble("scrub", "--at-most", "2kB", cwd=world, code=0).out
    assert "1 file is larger than --at-most allows" in said
    answer = gribble("scrub", "--json", cwd=world, code=0).json
    assert (answer["read"], answer["left"]) == (1, 0), "it goes on with what is left of the round"
    assert gribble("scrub", "--json", cwd=world, code=0).json["read"] == 6, "then a new one begins"


def test_what_is_found_faulty_keeps_nothing_else_from_its_turn(gribble: Gribble, tmp_path: Path) -> None:
    contents = {f"drawer/{name}": bytes([number]) * 1000 for number, name in enumerate("abcd")}
    world = small_world(tmp_path / "small", contents, *(need(name[-1], data) for name, data in contents.items()))
    gribble("check", cwd=world, code=1)
    for name in "ab":
        flip(world / "drawer" / name)
    first = gribble("scrub", "--at-most", "2kB", "--json", cwd=world, code=1).json
    assert (set(faults(first)), first["left"]) == ({"a", "b"}, 2)
    second = gribble("scrub", "--at-most", "2kB", "--json", cwd=world, code=0).json
    assert (second["read"], second["left"]) == (2, 0)
    assert set(faults(gribble("scrub", "--json", cwd=world, code=1).json)) == {"a", "b"}, "and is told again"


def test_only_what_was_read_long_ago_or_is_named_is_read(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A, "drawer/deep/y": B, "drawer/photo": C})
    gribble("check", cwd=world, code=1)
    assert gribble("scrub", "--older-than", "90d", "--json", cwd=world, code=0).json["read"] == 0
    assert "Nothing to read" in gribble("scrub", "--older-than", "2w", cwd=world, code=0).out
    assert gribble("scrub", "drawer/deep", "--json", cwd=world, code=0).json["read"] == 1
    assert gribble("scrub", "drawer/x", "--json", cwd=world, code=0).json["read"] == 1
    assert gribble("scrub", "--json", cwd=world, code=0).json["read"] == 2
    assert gribble("scrub", "--all", "--json", cwd=world, code=0).json["read"] == 3
    flip(world / "drawer/photo")
    assert faults(gribble("scrub", "--json", cwd=world, code=1).json) == {"photo": ("altered", None)}
    with sqlite3.connect(world / ".gribble/index.sqlite") as database:  # a clock that was wrong, and one long ago
        database.execute("UPDATE proof_2 SET looked = ? WHERE name = ?", (time.time_ns() + 10**18, b"x"))
        database.execute("UPDATE proof_2 SET looked = ? WHERE name = ?", (10**18, b"y"))
    assert gribble("scrub", "--older-than", "90d", "--json", cwd=world, code=0).json["read"] == 2


def test_archives_are_looked_into_once_and_then_read_as_they_are(gribble: Gribble, world: Path) -> None:
    gribble("check", cwd=world)
    pack = world / "drawer/tern pack (complete).zip"
    status, data = pack.stat(), pack.read_bytes()
    assert faults(gribble("scrub", "drawer", "--json", cwd=world, code=0).json) == {}
    flip(pack)
    assert faults(gribble("scrub", "drawer", "--json", cwd=world, code=1).json)[pack.name][0] == "altered"
    pack.write_bytes(data)
    os.utime(pack, ns=(status.st_atime_ns, status.st_mtime_ns))
    assert faults(gribble("scrub", "drawer", "--json", cwd=world, code=0).json) == {}


def test_a_stopped_scrub_keeps_what_it_has_done(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    contents = {f"drawer/{number:03}": bytes([number]) * (1000 + number) for number in range(40)}
    world = small_world(
        tmp_path / "small", contents, *(need(f"n{Path(name).name}", data) for name, data in contents.items())
    )
    gribble("check", cwd=world, code=1)
    real, taken = scrubbing.Scrubber._take, []

    def stopping(self: Any, *words: Any) -> None:
        taken.append(words)
        real(self, *words)
        if len(taken) == 10:
            raise KeyboardInterrupt

    monkeypatch.setattr(scrubbing.Scrubber, "_take", stopping)
    ended = gribble("scrub", cwd=world, code=130)
    assert "Stopped: " in ended.out
    assert "gribble scrub goes on with them" in ended.out
    monkeypatch.setattr(scrubbing.Scrubber, "_take", real)
    answer = gribble("scrub", "--json", cwd=world, code=0).json
    assert (answer["read"], answer["left"]) == (30, 0)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--at-most", "much"], "'much' is not a size"),
        (["--older-than", "long"], "'long' is not a number of days"),
        (["nowhere"], "nowhere"),
    ],
)
def test_bad_words_are_told(gribble: Gribble, tmp_path: Path, words: list[str], said: str) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A})
    assert said in gribble("scrub", *words, cwd=world, code=2).err


def test_a_file_that_was_moved_is_no_fault(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A, "rig/boot/a.rom": A, "rig/boot/b.rom": B})
    gribble("check", cwd=world, code=0)
    gribble("scrub", cwd=world, code=0)
    (world / "drawer/x").rename(world / "drawer/elsewhere")
    assert faults(gribble("scrub", "--json", cwd=world, code=0).json) == {}
