"""The store of a roster answers as the roster itself does, and nothing that befalls it makes an answer wrong."""

from __future__ import annotations

import errno
import os
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gribble.core.catalogue import rosterstore, storedsets
from gribble.core.catalogue.rosters import LoadedSets, load_roster, write_roster
from gribble.core.catalogue.rosterstore import RosterStore
from gribble.core.catalogue.storedsets import StoredSets
from gribble.core.records.roster import ArcadeSet, Content, Roster, RosterHead, Sets
from tests.ground.volume import folding_volume

HEAD = RosterHead(roster=1, emulator="knot", release="2")
CRC = st.sampled_from(["0000000a", "00000b0b", "ffffffff", "FFFFFFFF", "0xabcdef", "", "12345678901", "7"])
SHA1 = st.sampled_from(["0" * 40, "b" * 40, "0000000a" + "c" * 32])


def parts(draw: Any) -> dict[str, Any]:
    more = draw(
        st.fixed_dictionaries(
            {},
            optional={
                "size": st.sampled_from([0, 1, 16, 16, 4096, 1 << 32, (1 << 63) - 1]),
                "crc32": CRC,
                "sha1": SHA1,
                "sha256": st.just("d" * 64),
                "parent_name": st.just("p"),
                "bios_name": st.just("b"),
                "optional": st.booleans(),
                "choice": st.sampled_from(["", "one"]),
                "variant": st.just("eu"),
                "state": st.sampled_from(["good", "undumped", "suspect"]),
            },
        )
    )
    return {"name": draw(st.sampled_from(["a", "b", "c"])), **more}


@st.composite
def sets(draw: Any, most: int = 12) -> list[ArcadeSet]:
    names = draw(st.lists(st.sampled_from("abcdefghijkl\u00e9"), max_size=most, unique=True))
    made = []
    for name in names:
        one: dict[str, Any] = {"set": name, "files": [parts(draw) for _ in range(draw(st.integers(0, 4)))]}
        for key in ("parent", "bios"):
            if draw(st.booleans()):
                one[key] = draw(st.sampled_from("abcdefgh"))
        one["devices"] = draw(st.lists(st.sampled_from("abc\n"), max_size=2))
        one["kind"] = draw(st.sampled_from(["game", "bios", "device"]))
        one["discs"] = [{"name": "disc", "sha1": draw(SHA1)}] if draw(st.booleans()) else []
        made.append(msgspec.convert(one, ArcadeSet))
    return made


def answers(there: Sets, asked: list[Content]) -> object:
    return (
        list(there),
        list(there.values()),
        [one in there for one in "az"],
        len(there),
        list(there.outlines()),
        {name: there.clones(name) for name in "abcz"},
        list(there.having(asked)),
        sorted(map(str, there.sizes())),
    )


def stored(folder: Path, path: Path) -> tuple[Roster, RosterStore]:
    store = RosterStore(folder)
    roster, mistakes = store.load(path)
    assert roster is not None
    assert mistakes == []
    return roster, store


def written(folder: Path, made: list[ArcadeSet], name: str = "knot-2.roster.jsonl") -> Path:
    path = folder / name
    path.write_bytes(b"".join(write_roster(HEAD, made)))
    return path


def some(*names: str) -> list[ArcadeSet]:
    files = [{"name": "a", "size": 4096, "crc32": "0000000a", "sha1": "0" * 40}]
    return [msgspec.convert({"set": name, "files": files}, ArcadeSet) for name in names]


@settings(max_examples=120, deadline=None)
@given(made=sets(), asked=st.lists(st.sampled_from(["a", "b"]), max_size=1), many=st.booleans())
def test_a_store_answers_as_the_roster_does(
    tmp_path_factory: pytest.TempPathFactory, made: list[ArcadeSet], asked: list[str], many: bool
) -> None:
    folder = tmp_path_factory.mktemp("store")
    path = written(folder, made)
    contents = [content for one in made for content in one.contents if asked or one.set < "d"]
    with pytest.MonkeyPatch.context() as patch:
        if many:  # asked for so many that all are read at once, from pieces and chunks of a few lines
            patch.setattr("gribble.core.catalogue.storedsets._MANY", 2)
            patch.setattr("gribble.core.catalogue.storedsets._SOME", 1)
            patch.setattr("gribble.core.catalogue.rosters.CHUNK_BYTES", 300)
            patch.setattr(storedsets, "_PIECE_SETS", 2)
        roster, _ = stored(folder / "own", path)
        assert isinstance(roster.sets, StoredSets)
        assert answers(roster.sets, contents) == answers(LoadedSets({one.set: one for one in made}), contents)
        with pytest.raises(KeyError):
            roster.sets["nobody"]


def test_what_is_wrong_with_a_roster_is_told_each_time(tmp_path: Path) -> None:
    path = written(tmp_path, some("a", "b", "a"))
    path.write_bytes(path.read_bytes() + b"{broken\n\n" + path.read_bytes().splitlines()[2])
    plain = load_roster(path)
    for _ in range(2):
        roster, mistakes = RosterStore(tmp_path / "own").load(path)
        assert roster is not None
        assert isinstance(roster.sets, StoredSets)
        assert mistakes == plain[1]
        assert [mistake.where for mistake in mistakes] == ["line 4", "line 5", "line 7"]
        assert list(roster.sets) == ["a", "b"]
    for text in (b"", b"\n", b'{"roster":9,"emulator":"knot","release":"2"}\n', b"\xff\xfe"):
        path.write_bytes(text)
        assert RosterStore(tmp_path / "own").load(path) == load_roster(path)
    path.write_bytes(b'\xef\xbb\xbf{"roster":1,"emulator":"knot","release":"2"}')
    roster, mistakes = RosterStore(tmp_path / "own").load(path)
    assert roster is not None
    assert (list(roster.sets), mistakes) == ([], [])


def test_a_store_is_made_once_for_a_content_and_goes_with_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    own, path = tmp_path / "own", written(tmp_path, some("a", "b"))
    os.utime(path, (1_000_000_000, 1_000_000_000))
    made: list[Path] = []
    make = storedsets.make_store

    def making(folder: Path, *rest: Any) -> Any:
        made.append(folder)
        return make(folder, *rest)

    monkeypatch.setattr(rosterstore, "make_store", making)
    stored(own, path)
    stored(own, path)
    path.touch()  # another time, the same content
    stored(own, path)
    other = written(tmp_path, some("a", "b"), "copy.roster.jsonl")
    stored(own, other)
    assert len(made) == 1
    assert len(list(own.glob("*.sqlite"))) == 1
    monkeypatch.setattr(storedsets, "FORM", storedsets.FORM + 1)  # made by another version
    roster, _ = stored(own, path)
    assert len(made) == 2
    assert list(roster.sets) == ["a", "b"]
    other.unlink()
    for names in ("cd", "ef"):  # replaced at once, with the same number of bytes
        written(tmp_path, some(*names))
        roster, _ = stored(own, path)
        assert list(roster.sets) == list(names)
    assert len(list(own.glob("*.sqlite"))) == 1


def test_on_a_card_a_store_is_made_once_however_its_files_are_numbered(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for made in (True, False):
        with folding_volume(tmp_path / "beneath", tmp_path / "card", "renumbered", "unmapped") as card:
            if made:
                path = written(card, some("a", "b"))
                os.utime(path, (10**9, 10**9))
            else:
                monkeypatch.setattr(rosterstore, "make_store", None)
                monkeypatch.setattr(rosterstore, "digest_of", None)
            roster, store = stored(card / "stores", path)
            assert list(roster.sets) == ["a", "b"]
            assert not store.note
            store.close()


def test_a_roster_that_is_replaced_while_a_command_runs_is_still_the_old_one(tmp_path: Path) -> None:
    path = written(tmp_path, some("a", "b"))
    roster, store = stored(tmp_path / "own", path)
    replaced = written(tmp_path, some("c"), "new")
    replaced.replace(path)
    stored(tmp_path / "own", path)
    assert [one.set for one in roster.sets.values()] == ["a", "b"]
    assert store.load(path)[0] is roster


@pytest.mark.parametrize("keep_times", [False, True])
@pytest.mark.parametrize("damage", ["gone", "empty", "cut", "zeros", "noise", "text"])
def test_a_damaged_store_changes_no_answer(tmp_path: Path, damage: str, keep_times: bool) -> None:
    names = [f"set{number}" for number in range(600)]
    path = written(tmp_path, some(*names))
    os.utime(path, (1_000_000_000, 1_000_000_000))
    right = answers(stored(tmp_path / "own", path)[0].sets, [("crc32", 4096, "0000000a")])
    (store,) = (tmp_path / "own").glob("*.sqlite")
    data, status = store.read_bytes(), store.stat()
    middle = len(data) // 2
    new = {
        "gone": None,
        "empty": b"",
        "cut": data[:middle],
        "zeros": data[:middle] + bytes(len(data) - middle),
        "noise": data[:4096] + b"\xa5" * 8192 + data[12288:],
        "text": b"no database at all, " * 4000,
    }[damage]
    if new is None:
        store.unlink()
    else:
        with store.open("r+b") as stream:
            stream.write(new)
            stream.truncate(len(new))
    if keep_times and new is not None:  # as a disk that rots would: nothing but the content says so
        os.utime(store, ns=(status.st_atime_ns, status.st_mtime_ns))
        notes = msgspec.json.decode((tmp_path / "own/known.json").read_bytes())
        now = store.stat()
        notes["stores"][store.name] = [now.st_size, now.st_mtime_ns, now.st_ctime_ns, now.st_ino]
        (tmp_path / "own/known.json").write_bytes(msgspec.json.encode(notes))
    roster, _ = stored(tmp_path / "own", path)
    assert answers(roster.sets, [("crc32", 4096, "0000000a")]) == right


@pytest.mark.parametrize("what", ["no folder", "a link", "full"])
def test_where_no_store_can_be_kept_the_roster_is_read_and_that_is_said(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, what: str
) -> None:
    own, path = tmp_path / "own", written(tmp_path, some("a"))
    if what == "no folder":
        own.write_text("in the way")
    elif what == "a link":
        (tmp_path / "elsewhere").mkdir()
        own.symlink_to(tmp_path / "elsewhere")
    else:

        def full(*_: Any) -> Any:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

        monkeypatch.setattr(os, "fsync", full)
    roster, store = stored(own, path)
    assert list(roster.sets) == ["a"]
    assert str(own) in store.note
    assert "read whole each time" in store.note
    if what != "no folder":
        assert list((tmp_path / "elsewhere" if what == "a link" else own).iterdir()) == []


def test_kills_and_several_at_once_leave_a_store_or_none(tmp_path: Path) -> None:
    files = [{"name": "a", "size": 4096, "crc32": "0000000a"}] * 8
    made = [msgspec.convert({"set": f"set{number}", "files": files}, ArcadeSet) for number in range(20_000)]
    own, path = tmp_path / "own", written(tmp_path, made)
    code = f"""
from pathlib import Path
from gribble.core.catalogue.rosterstore import RosterStore
roster, _ = RosterStore(Path({str(own)!r})).load(Path({str(path)!r}))
print(roster.sets["set19999"].set, len(roster.sets))
"""

    def start() -> subprocess.Popen[bytes]:
        return subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, stderr=subprocess.PIPE)

    for wait in (0.15, 0.3, 0.5):
        process = start()
        time.sleep(wait)
        process.send_signal(signal.SIGKILL)
        process.communicate()
    ended = [process.communicate(timeout=60) for process in [start(), start(), start()]]
    assert [out for out, _ in ended] == [b"set19999 20000\n"] * 3, ended
    for part in own.glob("*.part"):
        os.utime(part, (1_000_000_000, 1_000_000_000))
    written(tmp_path, some("a"))
    stored(own, path)
    assert [place.suffix for place in own.iterdir() if place.name != "known.json"] == [".sqlite"]


def test_a_store_of_a_strangers_making_is_not_asked(tmp_path: Path) -> None:
    """A view could keep whoever asks it busy for ever."""
    own, path = tmp_path / "own", written(tmp_path, some("a", "b"))
    os.utime(path, (1_000_000_000, 1_000_000_000))
    stored(own, path)
    (store,) = own.glob("*.sqlite")
    with sqlite3.connect(store) as database:
        database.execute("ALTER TABLE name RENAME TO other")
        endless = (
            "WITH RECURSIVE n (x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n) SELECT x AS number, 'a' AS name FROM n"
        )
        database.execute(f"CREATE VIEW name AS {endless}")
    database.close()
    notes, now = msgspec.json.decode((own / "known.json").read_bytes()), store.stat()
    notes["stores"][store.name] = [now.st_size, now.st_mtime_ns, now.st_ctime_ns, now.st_ino]
    (own / "known.json").write_bytes(msgspec.json.encode(notes))
    roster, _ = stored(own, path)
    assert list(roster.sets) == ["a", "b"]


def test_a_copy_of_a_roster_tells_its_mistakes_under_its_own_name(tmp_path: Path) -> None:
    path = written(tmp_path, some("a", "a"))
    copy = written(tmp_path, some("a", "a"), "copy.roster.jsonl")
    for one in (path, copy, path):
        (mistake,) = RosterStore(tmp_path / "own").load(one)[1]
        assert mistake.file == str(one)
