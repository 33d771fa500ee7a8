"""The survey: as little reading as decides, nothing twice, nothing believed that could be stale."""

from __future__ import annotations

import hashlib
import os
import shutil
import sqlite3
import time
import zipfile
import zlib
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec import structs

from gribble.core.base import paths
from gribble.core.base.digests import ALGORITHMS, Digests
from gribble.core.base.paths import lies_in, same_place
from gribble.core.files import hashing
from gribble.core.files.hashing import digest_blocks, digest_file
from gribble.core.records.sheet import Accept, Need, Sheet
from gribble.core.survey import survey as survey_module
from gribble.core.survey import walking
from gribble.core.survey.facts import Survey
from gribble.core.survey.index import SETTLED_NS, Index
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.survey import Surveyor
from tests.ground.rules import laid
from tests.ground.volume import folding_volume

GOOD = b"good content"


def known(*contents: bytes, weak: bool = False) -> KnownContents:
    """Known contents with size and CRC-32, and with SHA-1 unless `weak`."""
    accepts = tuple(
        Accept(
            size=len(data),
            crc32=f"{zlib.crc32(data):08x}",
            sha1=None if weak else hashlib.sha1(data, usedforsecurity=False).hexdigest(),
        )
        for data in contents
    )
    need = Need(id="n", kind="bios", level="must", folder="f", name="n", accept=accepts)  # type: ignore[arg-type]
    return KnownContents([Sheet(sheet=1, emulator="knot", folders={"f": "f"}, need=(need,))])


def examine(
    root: Path, contents: KnownContents, index: Path | None = None, reread: bool = False
) -> tuple[Survey, int, int]:
    """The survey of a folder, and how many files were opened and bytes read for it."""
    kept = Index(index)
    surveyor = Surveyor(contents, kept, reread=reread)
    found = surveyor.survey(root)
    kept.close()
    return found, surveyor.tally.opened, surveyor.tally.bytes_read


def age(folder: Path) -> None:
    """Make every file old enough to be remembered for certain."""
    for path in folder.rglob("*"):
        os.utime(path, (1_000_000_000, 1_000_000_000), follow_symlinks=False)


def zip_of(path: Path, members: dict[str, bytes]) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return path


@given(st.binary(max_size=5000), st.integers(1, 700), st.sets(st.sampled_from(ALGORITHMS)))
def test_digests_of_any_content_in_any_blocks(data: bytes, block: int, wanted: set[str]) -> None:
    size, digests = digest_blocks((data[at : at + block] for at in range(0, len(data), block)), wanted)
    expected = {name: hashlib.new(name, data, usedforsecurity=False).hexdigest() for name in wanted - {"crc32"}}
    if "crc32" in wanted:
        expected["crc32"] = f"{zlib.crc32(data):08x}"
    assert (size, digests) == (len(data), Digests(**expected))


def test_only_files_of_a_wanted_size_are_read(tmp_path: Path) -> None:
    (tmp_path / "right").write_bytes(GOOD)
    (tmp_path / "same size").write_bytes(GOOD[::-1])
    (tmp_path / "other size").write_bytes(GOOD * 2)
    found, opened, read = examine(tmp_path, known(GOOD))
    assert (opened, read) == (3, 2 * len(GOOD)), "every file's first bytes are looked at, once, for archives"
    assert [bool(holding.digests.sha1) for holding in found.holdings] == [False, True, True]


def test_a_zips_own_checksum_rules_members_out_before_any_reading(tmp_path: Path) -> None:
    zip_of(tmp_path / "a.zip", {"right": GOOD, "same size": GOOD[::-1], "other": b"x"})
    found, _, read = examine(tmp_path, known(GOOD))
    assert read == len(GOOD)
    member = next(holding for holding in found.holdings if holding.member == "right")
    assert member.digests.sha1 == hashlib.sha1(GOOD, usedforsecurity=False).hexdigest()


def test_where_only_a_crc32_is_known_the_archives_own_is_the_proof(tmp_path: Path) -> None:
    zip_of(tmp_path / "a.zip", {"right": GOOD})
    found, _, read = examine(tmp_path, known(GOOD, weak=True))
    assert read == 0
    assert list(found.holdings)[1].carried


def test_a_second_survey_opens_nothing_that_is_unchanged(tmp_path: Path) -> None:
    root, index = tmp_path / "root", tmp_path / "memory/index"
    root.mkdir()
    (root / "loose").write_bytes(GOOD)
    zip_of(root / "a.zip", {"right": GOOD, "other": b"x"})
    (root / "broken.zip").write_bytes(b"PK\3\4 no zip")
    age(root)
    first, opened, _ = examine(root, known(GOOD), index)
    assert opened == 3
    assert examine(root, known(GOOD), index) == (first, 0, 0)
    assert examine(root, known(GOOD), index, reread=True)[1] == 3
    assert examine(root, known(GOOD, b"y" * 12), index)[1] == 0
    (root / "loose").write_bytes(GOOD[::-1])
    os.utime(root / "loose", (1_000_000_000, 1_000_000_000))
    assert examine(root, known(GOOD), index)[1] == 1, "same size and time, but the change time tells"


@pytest.mark.own_ground("it has volumes of its own")
def test_an_inode_counts_only_where_it_means_something(tmp_path: Path) -> None:
    beneath, index = tmp_path / "beneath", tmp_path / "index"
    beneath.mkdir()
    (beneath / "loose").write_bytes(GOOD)
    zip_of(beneath / "a.zip", {"right": GOOD})
    age(beneath)
    for opened in (2, 0):  # a volume that numbers its files again at each plugging in
        with folding_volume(beneath, tmp_path / "card", "renumbered") as card:
            assert examine(card, known(GOOD), index)[1] == opened
    for rule, again in (("listing", 2), ("listing", 0)):
        with laid(rule):  # the listing of Windows has none
            assert examine(beneath, known(GOOD), index)[1] == again
    assert examine(beneath, known(GOOD), index)[1] == 0
    with laid("birth"):  # a time of change that does not change
        examine(beneath, known(GOOD), index)
        other = tmp_path / "other"
        other.write_bytes(GOOD[::-1])
        os.utime(other, ns=(0, (beneath / "loose").stat().st_mtime_ns))
        other.replace(beneath / "loose")
        assert examine(beneath, known(GOOD), index)[1] == 1, "another inode is another file"


def test_the_index_lies_where_nothing_is_shared_and_moves_there(tmp_path: Path) -> None:
    root = tmp_path / "root"
    root.mkdir()
    (root / "loose").write_bytes(GOOD)
    age(root)
    with folding_volume(tmp_path / "beneath", tmp_path / "share", "unmapped") as share:
        for opened in (1, 0):
            kept = Index(share / "index")
            assert not kept.note
            kept.close()
            assert examine(root, known(GOOD), share / "index")[1] == opened
        examine(root, known(GOOD), tmp_path / "made here")
        shutil.copy(tmp_path / "made here", share / "moved")
        kept = Index(share / "moved")
        assert not kept.note
        kept.close()
        assert examine(root, known(GOOD), share / "moved")[1] == 0


def test_a_file_modified_just_before_it_was_read_is_read_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    root = tmp_path / "root"
    root.mkdir()
    (root / "loose").write_bytes(GOOD)
    modified = (root / "loose").stat().st_mtime_ns
    for after, opened in ((0, 1), (SETTLED_NS - 1, 1), (SETTLED_NS, 0), (-1_000_000 * SETTLED_NS, 1)):
        index = tmp_path / f"index {after}"
        with monkeypatch.context() as clock:  # not the real one: a busy machine takes seconds from one line to the next
            clock.setattr(time, "time_ns", lambda after=after: modified + after)
            examine(root, known(GOOD), index)
        assert examine(root, known(GOOD), index)[1] == opened, after


def test_the_index_is_written_row_by_row(tmp_path: Path) -> None:
    root, index = tmp_path / "root", tmp_path / "index"
    for name in ("a", "b", "c", "in/d"):
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_bytes(GOOD)
    age(root)

    def asked(question: str) -> list[bytes]:
        with sqlite3.connect(index) as database:
            found = [row[0] for row in database.execute(question)]
        database.close()
        return found

    examine(root, known(GOOD), index)
    assert asked("SELECT name FROM file_2 ORDER BY name") == [b"a", b"b", b"c", b"d"]
    asked("CREATE TABLE written (name BLOB)")
    asked("CREATE TRIGGER noted AFTER INSERT ON file_2 BEGIN INSERT INTO written VALUES (new.name); END")
    (root / "b").write_bytes(GOOD[::-1])
    os.utime(root / "b", (1_000_000_000, 1_000_000_000))
    (root / "a").unlink()
    kept = Index(index)
    Surveyor(known(GOOD), kept).survey_file(root / "c")
    kept.close()
    assert len(asked("SELECT name FROM file_2")) == 4, "one file says nothing of those beside it"
    assert examine(root, known(GOOD), index)[1] == 1
    assert asked("SELECT name FROM file_2 ORDER BY name") == [b"b", b"c", b"d"]
    assert asked("SELECT name FROM written") == [b"b"]


def test_a_damaged_index_is_begun_anew(tmp_path: Path) -> None:
    root, index = tmp_path / "root", tmp_path / "index"
    root.mkdir()
    (root / "loose").write_bytes(GOOD)
    age(root)
    index.write_bytes(b"this is no database, " * 100)
    kept = Index(index)
    assert "made a new one" in kept.note
    kept.close()
    examine(root, known(GOOD), index)
    assert examine(root, known(GOOD), index)[1] == 0
    database = sqlite3.connect(index)
    database.execute("UPDATE file_2 SET said = x'ff00'")
    database.commit()
    database.close()
    assert examine(root, known(GOOD), index)[1] == 1, "facts that cannot be read are not believed"


def test_a_file_that_changes_while_it_is_read_is_left_out(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "loose").write_bytes(GOOD)
    real = digest_file

    def changing(path: Path, *rest: Any) -> Any:
        found = real(path, *rest)
        path.write_bytes(GOOD + b"more")
        return found

    monkeypatch.setattr(survey_module, "digest_file", changing)
    found, _, _ = examine(tmp_path, known(GOOD))
    assert next(iter(found.holdings)).digests == Digests()
    assert [(skipped.path, skipped.why) for skipped in found.skipped] == [
        ("loose", "changed while it was read; run the command again")
    ]


def test_a_file_that_changed_since_it_was_listed_is_read_as_it_is(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    root, listed = tmp_path / "root", walking.walk
    root.mkdir()
    (root / "loose").write_bytes(b"x" * len(GOOD))

    def late(*words: Any) -> Any:
        folders = list(listed(*words))
        (root / "loose").write_bytes(GOOD)
        return folders

    monkeypatch.setattr(survey_module, "walk", late)
    found, _, _ = examine(root, known(GOOD))
    assert [holding.digests.sha1 for holding in found.holdings] == [hashlib.sha1(GOOD).hexdigest()]
    assert not found.skipped


@pytest.mark.own_ground("it makes links and pipes")
def test_what_is_no_regular_file_or_leads_out_is_told_and_never_followed(tmp_path: Path) -> None:
    root, outside = tmp_path / "root", tmp_path / "outside"
    (root / "inner").mkdir(parents=True)
    outside.mkdir()
    (outside / "secret").write_bytes(GOOD)
    (root / "inner/file").write_bytes(GOOD)
    (root / "out").symlink_to(outside)
    (root / "loop").symlink_to(root)
    (root / "nowhere").symlink_to(root / "gone")
    (root / "inside").symlink_to(root / "inner/file")
    os.mkfifo(root / "pipe")
    found, _, _ = examine(root, known(GOOD))
    assert [holding.path for holding in found.holdings] == ["inner/file"]
    assert {skipped.path: skipped.why.split(";")[0] for skipped in found.skipped} == {
        "out": "is a link that leads out of the folder",
        "nowhere": "is a link that leads nowhere",
        "pipe": "is not a regular file (but a pipe, a socket or a device)",
    }


@pytest.mark.own_ground("it makes links")
def test_places_are_told_apart_where_nothing_numbers_them(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("Drawer", "other side", "other"):
        (tmp_path / name / "inner").mkdir(parents=True)
    (tmp_path / "link").symlink_to("Drawer")
    assert same_place(tmp_path / "link", tmp_path / "Drawer")
    assert not same_place(tmp_path / "drawer", tmp_path / "Drawer"), "the system numbers them, and one is not there"
    monkeypatch.setattr(paths, "identity", lambda _path: None)
    (tmp_path / "drawer").mkdir()
    for one, other, same in (
        ("drawer", "Drawer", True),
        ("link", "drawer", True),
        ("Drawer/./inner/..", "Drawer", True),
        ("Drawer", "other", False),
        ("Drawer", "Drawer/inner", False),
    ):
        assert same_place(tmp_path / one, tmp_path / other) is same, (one, other)
    assert lies_in(tmp_path / "link/inner/new.rom", [tmp_path / "other", tmp_path / "drawer"]) == tmp_path / "drawer"
    assert lies_in(tmp_path / "other/new.rom", [tmp_path / "drawer"]) is None


@given(
    data=st.binary(max_size=200), algorithms=st.sets(st.sampled_from(("crc32", "md5", "sha1", "sha256")), min_size=2)
)
def test_digests_at_their_own_pace_are_those_of_the_file(
    tmp_path_factory: pytest.TempPathFactory, data: bytes, algorithms: set[str]
) -> None:
    """A ring of buffers of seven bytes, gone round several times."""
    path = tmp_path_factory.mktemp("ring") / "x"
    path.write_bytes(data)
    told: list[int] = []
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(hashing, "THREADED_BYTES", 0)
        patched.setattr(hashing, "RING_BYTES", 7)
        size, digests = digest_file(path, len(data), algorithms, told.append)
        digester = hashing.Digester(algorithms)
        with hashing.beside(digester, len(data)) as take:
            for start in range(0, len(data), 7):
                take(data[start : start + 7])
    assert (digester.size, digester.digests()) == (size, digests)
    assert (size, sum(told)) == (len(data), len(data))
    expected = {name: hashlib.new(name, data, usedforsecurity=False).hexdigest() for name in algorithms - {"crc32"}}
    if "crc32" in algorithms:
        expected["crc32"] = f"{zlib.crc32(data):08x}"
    assert digests.known() == expected


CONTENTS = [b"a", b"tide" * 3, b"salt", b"x" * 40]


def of_list(picks: list[tuple[int, str, bool]]) -> KnownContents:
    """What a list of some contents makes known: each by one digest, with its size or without."""

    def accept(number: int, algorithm: str, sized: bool) -> Accept:
        data = CONTENTS[number]
        digest = f"{zlib.crc32(data):08x}" if algorithm == "crc32" else hashlib.new(algorithm, data).hexdigest()
        return structs.replace(Accept(size=len(data) if sized else None), **{algorithm: digest})

    accepts = tuple(accept(*pick) for pick in picks)
    return KnownContents(
        [Sheet(sheet=1, emulator="knot", folders={"f": "f"}, need=(Need(id="n", folder="f", accept=accepts),))]
    )


PICKS = st.lists(
    st.tuples(st.integers(0, 3), st.sampled_from(["crc32", "md5", "sha1"]), st.booleans()), min_size=0, max_size=3
)


def recognised(root: Path, contents: KnownContents, index: Path | None) -> set[tuple[str, str | None]]:
    """The files and members that a survey tells to be known contents."""
    found, _, _ = examine(root, contents, index)
    return {(one.path, one.member) for one in found.holdings if contents.matches(one.size, one.digests)}


@given(
    lists=st.lists(PICKS, min_size=1, max_size=4),
    loose=st.sets(st.integers(0, 3)),
    packed=st.lists(st.sets(st.integers(0, 3), min_size=1), max_size=2),
)
def test_an_answer_never_depends_on_what_was_asked_before(
    tmp_path_factory: pytest.TempPathFactory,
    lists: list[list[tuple[int, str, bool]]],
    loose: set[int],
    packed: list[set[int]],
) -> None:
    root = tmp_path_factory.mktemp("lists")
    (root / "drawer").mkdir()
    for number in loose:
        (root / "drawer" / f"{number}.bin").write_bytes(CONTENTS[number])
    for turn, group in enumerate(packed):
        with zipfile.ZipFile(root / "drawer" / f"pack{turn}.zip", "w") as archive:
            for number in group:
                archive.writestr(f"{number}.bin", CONTENTS[number])
    for path in (root / "drawer").iterdir():
        os.utime(path, (1_000_000_000, 1_000_000_000))  # old enough to be believed
    for picks in lists:
        contents = of_list(picks)
        assert recognised(root / "drawer", contents, root / "index") == recognised(root / "drawer", contents, None)
