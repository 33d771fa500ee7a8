"""One bad file, sheet, roster, rig or server stops nothing but itself, and is told by its name."""

from __future__ import annotations

import io
import json
import lzma
import os
import re
import sqlite3
import stat
import struct
import tarfile
import zipfile
import zlib
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pytest

import gribble as gribble_package
from gribble.cli import loaded
from tests.conftest import Gribble
from tests.making import A, B, C, config, files, need, sheet, small_world

ROSTER = '{"roster": 1, "emulator": "plover", "release": "1"}\n'


def placed(gribble: Gribble, base: Path) -> Path:
    """A world on whose rig a run was carried out, with a file in the attic."""
    world = small_world(base / "world", {"drawer/a": A, "drawer/b": B, "rig/boot/a.rom": C})
    gribble("place", "--yes", cwd=world, code=0)
    return world


def own_commands(gribble: Gribble, world: Path) -> None:
    """What is needed to get one's files back works, whatever is wrong elsewhere."""
    assert "1" in gribble("history", cwd=world, code=0).out
    assert "boot/a.rom" in gribble("attic", "list", cwd=world, code=0).out
    gribble("attic", "restore", "a.rom", "--into", "out", cwd=world, code=0)
    assert (world / "out/a.rom").read_bytes() == C
    gribble("undo", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == C


CATALOGUES: dict[str, Callable[[Path], object]] = {
    "a pattern": lambda folder: (folder / "bad.sheet.toml").write_text(
        'sheet = 1\nemulator = "bad"\n[folders]\nsets = "sets"\n[arcade]\nfolder = "sets"\nrosters = "**.roster.jsonl"\n'
    ),
    "another pattern": lambda folder: (folder / "bad.sheet.toml").write_text(
        'sheet = 1\nemulator = "bad"\n[folders]\nsets = "s"\n[arcade]\nfolder = "sets"\nrosters = "[\\u0000.roster.jsonl"\n'
    ),
    "a pipe": lambda folder: os.mkfifo(folder / "bad.sheet.toml"),
    "nonsense": lambda folder: (folder / "bad.sheet.toml").write_bytes(os.urandom(999)),
    "a folder that a sheet does not know": lambda folder: (folder.parent / "gribble.toml").write_text(
        (folder.parent / "gribble.toml").read_text().replace('"1"', '{ folders = { nothing = "x" } }')
    ),
    "no folder": lambda folder: folder.rename(folder.with_name("gone")),
}


@pytest.mark.parametrize("case", CATALOGUES)
def test_what_gets_files_back_needs_no_catalogue(gribble: Gribble, tmp_path: Path, case: str) -> None:
    world = placed(gribble, tmp_path)
    CATALOGUES[case](world / "catalogue")
    assert gribble("check", cwd=world).code in (0, 2)
    own_commands(gribble, world)


def test_what_gets_files_back_reads_no_catalogue(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    world, read = placed(gribble, tmp_path), list[object]()
    monkeypatch.setattr(loaded, "load_catalogue", read.append)
    own_commands(gribble, world)
    assert read == []


@pytest.mark.parametrize(
    "rosters", ["**.roster.jsonl", "**/../x.roster.jsonl", "x/y.roster.jsonl", "/x.roster.jsonl", "[.roster.jsonl"]
)
def test_a_pattern_of_rosters_stops_nothing(gribble: Gribble, tmp_path: Path, rosters: str) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "rig/boot/a.rom": A}, need("a", A))
    (world / "catalogue/tern.sheet.toml").write_text(
        f'sheet = 1\nemulator = "tern"\n[folders]\nsets = "sets"\n[arcade]\nfolder = "sets"\nrosters = "{rosters}"\n'
    )
    said = gribble("check", cwd=world)
    assert said.code == (2 if "/" in rosters else 0)
    assert ("tern.sheet.toml" in said.err) == ("/" in rosters)
    assert "plover" in said.out


# What a set that is wrong says of itself

KNOWN = {"crc32": "0" * 8, "size": 3}
SETS: dict[str, tuple[object, str]] = {
    "a key of a set": ({"set": "pier", "file": [{"name": "a.bin", **KNOWN}]}, "file"),
    "a key of a file": ({"set": "pier", "files": [{"name": "a.bin", **KNOWN, "crc": "1" * 8}]}, "crc"),
    "a key of a disc": ({"set": "pier", "discs": [{"name": "a", "sha": "1" * 40}]}, "sha"),
}


@pytest.mark.parametrize("case", SETS)
def test_a_key_that_no_roster_has_is_told(gribble: Gribble, tmp_path: Path, case: str) -> None:
    world = small_world(tmp_path / "world", {"rig/sets/pier.zip": b""})
    one, key = SETS[case]
    (world / "catalogue/plover.sheet.toml").write_text(
        'sheet = 1\nemulator = "plover"\n[folders]\nsets = "sets"\n'
        '[arcade]\nfolder = "sets"\nrosters = "*.roster.jsonl"\n'
    )
    roster = world / "catalogue/plover-1.roster.jsonl"
    roster.write_text(ROSTER + json.dumps(one) + "\n")
    said = gribble("catalogue", "lint", "--strict", cwd=world, code=2)
    assert roster.name in said.out
    assert f"unknown key '{key}'" in said.out
    assert "line 2" in gribble("check", cwd=world).err
    shown = gribble("sets", "check", "--json", cwd=world)
    assert '"ready"' not in shown.out


# What a file claims of itself


def tar_of(size: bytes) -> bytes:
    """A tar of one member whose size is written as it is given, in twelve bytes."""
    stream = io.BytesIO()
    with tarfile.open(fileobj=stream, mode="w", format=tarfile.GNU_FORMAT) as tar:
        tar.addfile(tarfile.TarInfo("big.rom"))
    head = bytearray(stream.getvalue())
    head[124:136] = size
    head[148:156] = b" " * 8
    head[148:156] = b"%06o\0 " % sum(head[:512])
    return bytes(head)


def longer(number: int) -> bytes:
    return b"\x80" + number.to_bytes(11, "big")


@pytest.mark.parametrize(
    "size", [longer(1 << 70), longer(1 << 64), longer((1 << 63) - 1), longer(1 << 62), b"\xff" * 12]
)
@pytest.mark.parametrize("command", ["check", "plan", "place"])
def test_a_tar_that_claims_more_than_there_is_stops_nothing(
    gribble: Gribble, tmp_path: Path, size: bytes, command: str
) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "drawer/bad.tar": tar_of(size)}, need("a", A))
    said = gribble(
        command, *(["--yes"] if command == "place" else []), *(["-v"] if command == "check" else []), cwd=world
    )
    assert said.code in (0, 1)
    if command == "check":
        assert "bad.tar" in said.err
        assert "drawer/a" in said.out


# What Gribble keeps beside a rig, as somebody else has written it


def held_by(world: Path, words: str) -> None:
    """A run that was cut short, and who is said to be at work there."""
    (world / "rig/.gribble/lock.held").write_text(words)
    journal = world / "rig/.gribble/runs/0001.jsonl"
    journal.write_bytes(journal.read_bytes().rpartition(b"\n")[0])


def spoiled_index(world: Path, change: str) -> None:
    with sqlite3.connect(world / ".gribble/index.sqlite") as database:
        database.execute(change)


RIGS: dict[str, Callable[[Path], object]] = {
    "a process that cannot be": lambda world: held_by(world, f"process {'9' * 26} x"),
    "a process of many digits": lambda world: held_by(world, f"process {'9' * 70}"),
    "a journal of a number": lambda world: (world / f"rig/.gribble/runs/{'9' * 240}.jsonl").write_text("{}"),
    "a journal of no number": lambda world: (world / "rig/.gribble/runs/²³.jsonl").write_text("{}"),
    "a slot of a number": lambda world: (world / f"rig/.gribble/attic/{'9' * 249}").mkdir(),
    "a slot of no number": lambda world: (world / "rig/.gribble/attic/²³").mkdir(),
    "seen": lambda world: (world / ".gribble/seen.json").write_text('{"rig": [1], "x": {"id": 3}}'),
    "sources": lambda world: (world / ".gribble/sources.json").write_text('[["drawer"], 3]'),
    "an id": lambda world: (world / "rig/.gribble/id").write_bytes(b"\xff" * 4096),
}


@pytest.mark.parametrize("case", RIGS)
def test_what_lies_in_gribbles_own_folder_stops_nothing(gribble: Gribble, tmp_path: Path, case: str) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "drawer/b": B, "rig/boot/a.rom": C})
    other = world / "other"
    (other / "boot").mkdir(parents=True)
    (other / "boot/b.rom").write_bytes(C)
    config(world, rigs={"rig": "rig", "other": "other"})
    gribble("place", "--yes", cwd=world, code=0)
    RIGS[case](world)
    for words in (["check"], ["plan"], ["doctor"], ["history"], ["attic", "list"], ["scrub"], ["place", "--resume"]):
        said = gribble(*words, cwd=world)
        assert said.code in (0, 1, 3), said.err
    (other / "boot/a.rom").unlink(missing_ok=True)
    gribble("place", "--yes", "--rig", "other", cwd=world)
    assert (other / "boot/a.rom").read_bytes() == A


COLUMNS = [
    (table, column)
    for table, columns in {
        "folder_2": ["path", "id"],
        "file_2": ["folder", "name", "state", "said", "members", "sketch"],
        "proof_2": ["folder", "name", "state", "digests", "read", "looked"],
        "round_1": ["begun"],
    }.items()
    for column in columns
]


@pytest.mark.parametrize(("table", "column"), COLUMNS)
def test_an_index_with_rows_of_another_type_stops_nothing(
    gribble: Gribble, tmp_path: Path, table: str, column: str
) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "drawer/b": B, "rig/boot/a.rom": A})
    with zipfile.ZipFile(world / "drawer/more.zip", "w") as packed:
        packed.writestr("inner.rom", C)
    gribble("check", cwd=world, code=1)
    gribble("scrub", "--at-most", "1", cwd=world)
    for value in ("'text'", "x'00ff'", "3.5", "9223372036854775807", "-1", "NULL", "'\u0661'"):
        one = f"rowid = (SELECT min(rowid) FROM {table})" if table == "folder_2" else "1"
        with suppress(sqlite3.IntegrityError):
            spoiled_index(world, f"UPDATE OR IGNORE {table} SET {column} = {value} WHERE {one}")
        for words in (["check", "--json"], ["scrub"], ["identify", "drawer"]):
            said = gribble(*words, cwd=world)
            assert said.code in (0, 1), said.err
        assert '"verdict": "sound"' in gribble("check", "--json", cwd=world).out


def test_a_link_in_the_attic_stops_its_own_rig_alone(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    (world / "other/boot").mkdir(parents=True)
    config(world, rigs={"rig": "rig", "other": "other"})
    gribble("place", "--yes", "--rig", "rig", cwd=world, code=0)
    files(world, {"drawer/b": B})
    sheet(world, need("a", A), need("b", B))
    for place in ("rig/.gribble/attic/0007", "rig/.gribble/runs/0007.jsonl"):
        (world / place).symlink_to(tmp_path)
        for words in (["check"], ["plan"], ["doctor"], ["history"], ["attic", "list"]):
            said = gribble(*words, cwd=world)
            assert (said.out + said.err).count("is a link") == 1, words
        said = gribble("place", "--yes", cwd=world, code=3)
        assert f"{place} is a link" in said.err
        assert "nothing was changed on rig" in said.err.lower()
        assert (world / "other/boot/a.rom").read_bytes() == A
        assert (world / "other/boot/b.rom").read_bytes() == B
        assert not (world / "rig/boot/b.rom").exists()
        gribble("undo", "--yes", cwd=world, code=0)
        assert not (world / "other/boot/a.rom").exists()
        (world / place).unlink()


# Pipes, where a file is expected


def pipes() -> dict[str, tuple[str, ...]]:
    """Where a pipe is put, with the command that would open it."""
    return {
        "rig/.gribble/lock": ("place", "--yes"),
        "catalogue/plover-1.roster.jsonl": ("catalogue", "lint"),
        "catalogue/new.sheet.toml": ("check",),
        "catalogue/.gribble-lock": ("catalogue", "add", "arriving"),
        ".gribble-lock": ("report", "--html", "page.html"),
        "page.html": ("report", "--html", "page.html"),
        "plan.json": ("plan", "--out", "plan.json"),
        "taken.json": ("place", "--plan", "taken.json", "--yes"),
        "rig/boot/settings.ini": ("check",),
        "rig/boot/b.rom": ("place", "--yes"),
        "drawer/pipe.zip": ("check",),
        "list.csv": ("catalogue", "import", "list.csv"),
        "map.toml": ("catalogue", "import", "list.csv", "--map", "map.toml"),
        "arriving/pipe.sheet.toml": ("catalogue", "add", "arriving"),
        "names.txt": ("discs", "playlist", "drawer", "--names", "names.txt"),
        ".gribble/index.sqlite": ("check",),
        ".gribble/seen.json": ("check",),
        "rig/.gribble/id": ("place", "--yes"),
        "rig/.gribble/runs/0001.jsonl": ("history",),
        "gribble.toml": ("check",),
    }


@pytest.mark.own_ground("makes pipes, which other systems have not")
@pytest.mark.parametrize("place", pipes())
def test_a_pipe_is_never_waited_for(gribble: Gribble, tmp_path: Path, place: str) -> None:
    setting = '[[setting]]\nfile = "boot/settings.ini"\nformat = "ini"\nkey = "a.b"\nneed = "a"\n'
    world = small_world(tmp_path / "world", {"drawer/a": A, "drawer/b": B, "arriving/x.sheet.toml": b""})
    sheet(world, need("a", A), need("b", B), setting)
    (world / "arriving/x.sheet.toml").write_text('sheet = 1\nemulator = "tern"\n[folders]\nboot = "boot"\n')
    (world / "list.csv").write_text("name,sha1\na.rom," + "0" * 40 + "\n")
    (world / place).unlink(missing_ok=True)
    (world / place).parent.mkdir(parents=True, exist_ok=True)
    os.mkfifo(world / place)
    said = gribble(*pipes()[place], cwd=world, process=True)
    assert said.code in (0, 1, 2, 3)
    assert stat.S_ISFIFO((world / place).lstat().st_mode) or place == "rig/boot/b.rom"
    named = Path(place).name
    assert named in "".join(said.words.split()) or named in (
        "index.sqlite",
        "seen.json",
        "id",
        ".gribble-lock",
        "b.rom",
    )


def test_nothing_is_opened_in_any_other_way() -> None:
    """What may be anything is opened by one module alone, which waits for nothing."""
    source = Path(gribble_package.__file__).parent
    found = [
        f"{path.relative_to(source)}: {line.strip()}"
        for path in source.rglob("*.py")
        if "demo" not in path.parts and path.name not in ("regular.py", "environment.py")
        for line in path.read_text().splitlines()
        if re.search(r'\.read_bytes\(|\.read_text\(|(\.|\b)open\([^)]*"rb"|\.open\(encoding', line)
        and "os.fdopen" not in line
    ]
    allowed = {
        "the pipe to a process of our own": "open(ours",
        "its end": "open(0, ",
        "of a server": "self._files.open",
    }
    assert [one for one in found if not any(words in one for words in allowed.values())] == []


# Signatures


def test_a_journal_of_one_rig_says_nothing_on_another(gribble: Gribble, tmp_path: Path) -> None:
    """The beginning of a run of one rig, put on another: it would be cut short there, and be carried out."""
    world = small_world(tmp_path / "world", {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    (world / "other/boot").mkdir(parents=True)
    (world / "other/boot/a.rom").write_bytes(B)
    config(world, rigs={"rig": "rig", "other": "other"})
    gribble("place", "--yes", "--rig", "rig", cwd=world, code=0)
    gribble("undo", "--yes", cwd=world, code=0)
    gribble("place", "--yes", "--rig", "other", cwd=world, code=0)
    gribble("undo", "--yes", cwd=world, code=0)
    for name in ("rig", "other"):
        one, other = world / name, world / ("other" if name == "rig" else "rig")
        journal = next((one / ".gribble/runs").glob("*.jsonl"))
        foreign = other / ".gribble/runs" / journal.name
        foreign.write_text(journal.read_text().split("\n")[0])
        said = gribble("place", "--resume", cwd=world, code=3)
        assert f"gribble history --adopt {int(journal.stem)}" in said.err
        assert "begun on another rig" in said.err
        assert (world / "rig/boot/a.rom").read_bytes() == C
        assert (world / "other/boot/a.rom").read_bytes() == B
        foreign.unlink()


def test_a_rig_whose_id_is_made_again_keeps_its_runs(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    gribble("place", "--yes", cwd=world, code=0)
    known = (world / "rig/.gribble/id").read_bytes()
    (world / "rig/.gribble/id").unlink()
    gribble("doctor", "--accept", "rig", cwd=world)
    said = gribble("undo", "--yes", cwd=world)
    if said.code:
        assert "gribble history --adopt 1" in said.words
        gribble("history", "--adopt", "1", "--yes", cwd=world, code=0)
        gribble("undo", "--yes", cwd=world, code=0)
    else:
        assert (world / "rig/.gribble/id").read_bytes() == known
    assert (world / "rig/boot/a.rom").read_bytes() == C


# Permissions


@pytest.mark.own_ground("is about permissions, which other systems have not")
@pytest.mark.parametrize("bits", [0o4755, 0o2755, 0o1755, 0o7777])
def test_no_content_brings_the_right_to_run_as_its_owner(gribble: Gribble, tmp_path: Path, bits: int) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "drawer/b": B, "rig/boot/b.rom": C})
    for name in ("drawer/a", "drawer/b", "rig/boot/b.rom"):
        os.chmod(world / name, bits)
    gribble("place", "--yes", cwd=world, code=0)
    for name in ("a.rom", "b.rom"):
        assert stat.S_IMODE((world / "rig/boot" / name).stat().st_mode) == bits & 0o777
    gribble("undo", "--yes", cwd=world, code=0)
    assert stat.S_IMODE((world / "rig/boot/b.rom").stat().st_mode) == bits
    assert (world / "rig/boot/b.rom").read_bytes() == C


# Values


@pytest.mark.parametrize("length", [1024, 1025, 2_000_000])
def test_a_value_that_is_no_path_is_not_printed(gribble: Gribble, tmp_path: Path, length: int) -> None:
    setting = '[[setting]]\nfile = "boot/s.ini"\nformat = "ini"\nkey = "a.b"\nneed = "a"\n'
    value = b"x/" * (length // 2) + b"y" * (length % 2)
    world = small_world(tmp_path / "world", {"rig/boot/a.rom": A, "rig/boot/s.ini": b"[a]\nb = " + value + b"\n"})
    sheet(world, need("a", A), setting)
    for words in (["check"], ["check", "--json"], ["plan"], ["why", "plover"], ["report"]):
        said = gribble(*words, cwd=world)
        assert (f"{length:,} characters" in said.words) == (length > 1024) or words[0] in ("plan", "report")
        assert len(said.out) < 20_000


# What was passed over


def short_index(blocks: int, size: int) -> bytes:
    """An xz whose index, its checksums being right, tells of other blocks than there are."""
    data = lzma.compress(B)
    length = (struct.unpack_from("<L", data, len(data) - 8)[0] + 1) * 4
    at = len(data) - 12 - length
    index = bytes([0, blocks, data[at + 2], size]) if blocks else bytes(2)
    index += bytes(-len(index) % 4)
    foot = struct.pack("<L", len(index) // 4) + data[-4:-2]
    checked = index + struct.pack("<L", zlib.crc32(index)) + struct.pack("<L", zlib.crc32(foot)) + foot
    return data[:at] + checked + b"YZ"


def zip_of(members: dict[str, bytes]) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, data in members.items():
            packed.writestr(name, data)
    return stream.getvalue()


PASSED: dict[str, Callable[[], bytes]] = {
    "claims.xz": lambda: short_index(1, 3),
    "fewer.xz": lambda: short_index(0, 0),
    "more.xz": lambda: short_index(2, 3),
    "nested.zip": lambda: zip_of({"in.zip": b"PK\x03\x04" + bytes(70 << 20)}),
    "many.zip": lambda: (
        struct.pack("<4sQ2H2L4Q", b"PK\x06\x06", 44, 45, 45, 0, 0, 1_400_000, 1_400_000, 46, 0)
        + struct.pack("<4sLQL", b"PK\x06\x07", 0, 0, 1)
        + struct.pack("<4s4H2LH", b"PK\x05\x06", 0, 0, 0xFFFF, 0xFFFF, 0xFFFFFFFF, 0xFFFFFFFF, 0)
    ),
}


@pytest.mark.parametrize("name", PASSED)
def test_what_is_passed_over_is_named_in_json(gribble: Gribble, tmp_path: Path, name: str) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, f"drawer/{name}": PASSED[name]()}, need("a", A))
    said = gribble("check", "--json", cwd=world, code=1).json
    assert [Path(one["path"]).name for one in said["passed_over"]] == [name]
    assert all(one["reason"] for one in said["passed_over"])


@pytest.mark.parametrize("length", [1024, 1025, 6000])
def test_a_path_without_end_is_a_mistake_and_not_printed_whole(gribble: Gribble, tmp_path: Path, length: int) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A}, need("a", A))
    path = "a/" * (length // 2 - 1) + "b" * (2 + length % 2)
    sheet(world, need("a", A), folder=path)
    said = gribble("check", cwd=world, code=1 if length <= 1024 else 2)
    assert ("has more than 1,024 characters" in said.err) == (length > 1024)
    assert len(said.err) < 1000
