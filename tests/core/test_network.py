"""Network rigs against servers that misbehave: old or whole new file at every place, finished later, undone exactly."""

from __future__ import annotations

import contextlib
import os
import random
import socket
import threading
import time
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path
from typing import Any

import paramiko
import py7zr
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.core.base.addresses import Address, parse_address
from gribble.core.base.digests import Digests
from gribble.core.base.errors import GribbleError
from gribble.core.files.hashing import digest_blocks
from gribble.core.placing.journal import Seal
from gribble.core.placing.store import StoreError, StoreLost
from gribble.core.records.sheet import Accept, Kind, Level, Need, Sheet
from gribble.core.records.steps import Copy, Displace, Pack, PackMember, Rename, Step
from gribble.core.survey.index import Index
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.survey import Surveyor
from gribble.demo.sheets import HANDHELD_PASSWORD, HANDHELD_USER
from gribble.stores.ftp import FtpLink, _by_facts, _by_list
from gribble.stores.ground import TAIL_BYTES, RemoteGround
from gribble.stores.link import Link, Listed, Resumable, SteadyLink
from gribble.stores.remote import RemoteStore
from gribble.stores.rigs import AnyPlace, HeldRig, RigHome
from gribble.stores.sftp import SftpLink
from tests.conftest import SOAK, tree
from tests.servers import HOST_KEY, FaultyData, FaultyFtp, OldFtp, Weather, ftp_server, sftp_server

WAIT = 0.4
"""How long a server that hangs is waited for, in seconds."""


def old_ftp(root: Path, weather: Weather) -> AbstractContextManager[Address]:
    return ftp_server(root, weather, OldFtp)


SERVERS: dict[str, Callable[[Path, Weather], AbstractContextManager[Address]]] = {
    "ftp": ftp_server,
    "old ftp": old_ftp,
    "sftp": sftp_server,
}


class KilledError(BaseException):
    """Stands for the end of the process: nobody catches it, and nothing is tidied."""


def connected(address: Address, weather: Weather) -> Link:
    if weather.killed:
        raise KilledError
    if address.kind == "sftp":
        return SftpLink(address, HANDHELD_USER, HANDHELD_PASSWORD, WAIT * 5, HOST_KEY.fingerprint)
    return FtpLink(address, HANDHELD_USER, HANDHELD_PASSWORD, WAIT)


@contextmanager
def rig_at(
    address: Address, home: Path, weather: Weather | None = None, *, trust_size: bool = False
) -> Iterator[tuple[HeldRig, RemoteStore]]:
    """The rig as one command has it."""
    link = SteadyLink(lambda: connected(address, weather or Weather()), "handheld", pauses=(0.0, 0.0))
    store = RemoteStore(link, home, trust_size=trust_size)
    try:
        with RigHome("handheld", str(address), home, store, Seal(lambda: b"x")).locked() as held:
            yield held, store
    finally:
        store.close()


def digests(data: bytes) -> Digests:
    return digest_blocks([data], ["sha1"])[1]


def step(kind: type[Copy | Rename], from_: Path | str, to: str, data: bytes = b"", replaces: str | None = None) -> Step:
    return kind(rig="handheld", from_=str(from_), to=to, bytes=len(data), digests=digests(data), replaces=replaces)


BIG = random.Random(1).randbytes(150_000)
OLD = random.Random(2).randbytes(90_000)


def a_rig(base: Path) -> tuple[Path, tuple[Step, ...], dict[str, bytes]]:
    """A card, a plan for it with steps of every kind that touch a store differently, and the files there after it."""
    card = base / "card"
    before = {"old.rom": OLD, "swap-a": b"B", "swap-b": b"A", "x/ä stray": b"astray", "bad": b"bad", "CASE.rom": b"c"}
    for name, data in before.items():
        (card / name).parent.mkdir(parents=True, exist_ok=True)
        (card / name).write_bytes(data)
    with zipfile.ZipFile(card / "set.zip", "w") as archive:
        archive.writestr(zipfile.ZipInfo("one"), b"1" * 5_000)
    for number, place in enumerate(sorted(card.rglob("*"))):
        os.utime(place, (1_000_000_000 + number, 1_000_000_000 + number))
    (base / "new").write_bytes(BIG)
    members = (
        PackMember(name="one", from_="set.zip", member="one", size=5_000, digests=digests(b"1" * 5_000)),
        PackMember(name="new", from_=str(base / "new"), size=len(BIG), digests=digests(BIG)),
    )
    steps = (
        Pack(rig="handheld", to="set.zip", replaces="set.zip", members=members),
        step(Copy, base / "new", "old.rom", BIG, "old.rom"),
        step(Copy, base / "new", "fresh/er/new.rom", BIG),
        step(Copy, "swap-b", "swap-a", b"A", "swap-a"),
        step(Copy, "swap-a", "swap-b", b"B", "swap-b"),
        step(Rename, "x/ä stray", "y/right.rom", b"astray"),
        step(Rename, "CASE.rom", "case.rom", b"c"),
        Displace(rig="handheld", from_="bad"),
    )
    after = {
        "old.rom": BIG, "fresh/er/new.rom": BIG, "swap-a": b"A", "swap-b": b"B", "y/right.rom": b"astray", "case.rom": b"c",
    }  # fmt: skip
    return card, steps, after


def files_of(card: Path) -> dict[str, bytes]:
    return {name: data for name, (data, _) in tree(card).items() if not name.endswith("/")}


def differing(card: Path, before: dict[str, tuple[bytes, int]], *, times: bool = True) -> dict[str, object]:
    """What is not as it was before: content and time by name."""
    now = tree(card)
    return {
        name: (now.get(name), before.get(name))
        for name in now.keys() | before.keys()
        if now.get(name, ())[: 1 + times] != before.get(name, ())[: 1 + times]
    }


@pytest.mark.parametrize("kind", SERVERS)
def test_a_run_is_carried_out_and_taken_back_exactly(tmp_path: Path, kind: str) -> None:
    card, steps, after = a_rig(tmp_path)
    before, weather = tree(card), Weather()
    with SERVERS[kind](card, weather) as address:
        with rig_at(address, tmp_path / "home") as (rig, _):
            run = rig.start(1, "today", steps)
            rig.runner(run, AnyPlace()).carry_out(run)
        assert run.failed == {}
        assert {name: data for name, data in files_of(card).items() if name != "set.zip"} == after
        with zipfile.ZipFile(card / "set.zip") as archive:
            assert archive.read("new") == BIG
        kept = {path.read_bytes() for path in (tmp_path / "home/attic").rglob("*") if path.is_file()}
        assert {OLD, b"bad", b"A", b"B"} <= kept, "the attic is on this machine"
        with rig_at(address, tmp_path / "home") as (rig, store):
            (run,) = rig.runs()
            assert rig.runner(run, AnyPlace()).changed_since(run) == []
            rig.runner(run, AnyPlace()).take_back(run)
            assert store.untimed == (5 if kind == "old ftp" else 0), "what the server cannot do is told"
    assert differing(card, before, times=kind != "old ftp") == {}
    assert weather.connections == 2, "one connection for each command"
    assert not list((tmp_path / "home").glob("fetched-*"))


FAULTS = ("before", "after", "gone", "gone after", "kill", "kill after", "hang", "nonsense", "cut", "full")
SEEDS = 200 if SOAK else 20


def fate(kind: str) -> tuple[str, ...]:
    return FAULTS[:6] if kind == "sftp" else FAULTS


@pytest.mark.parametrize("kind", SERVERS)
@pytest.mark.parametrize("seed", range(SEEDS))
def test_any_fault_at_any_command_loses_nothing(tmp_path: Path, kind: str, seed: int) -> None:
    """The connection breaks before or after a command, or within a transfer; the server hangs, answers nonsense, fills
    up, or is gone. Then: old or whole new everywhere, the next run completes, undo restores the exact tree."""
    chance = random.Random(seed)
    card, steps, after = a_rig(tmp_path)
    before, home = tree(card), tmp_path / "home"
    weather = Weather(fault=fate(kind)[seed % len(fate(kind))], bytes=chance.randrange(0, 160_000))
    with SERVERS[kind](card, weather) as address:
        undoing = chance.random() < 0.4
        with rig_at(address, home, weather) as (rig, _):
            run = rig.start(1, "today", steps)
            if undoing:
                rig.runner(run, AnyPlace()).carry_out(run)
            weather.commands, weather.at = 0, chance.randint(1, 70)
            try:
                if undoing:
                    rig.runner(run, AnyPlace()).take_back(run)
                else:
                    rig.runner(run, AnyPlace()).carry_out(run)
            except (GribbleError, KilledError):
                assert run.state == "open"
        now = files_of(card)
        for name, data in now.items():
            held = {before[name][0]} if name in before else set()
            assert (
                data in held | ({after[name]} if name in after else set()) or ".gribble-" in name or name == "set.zip"
            )
        for name in before.keys() & after.keys() - {"case.rom", "CASE.rom"}:
            assert name in now or kind == "old ftp", f"{name} has no file at all"
        weather.down = weather.full = weather.cutting = weather.killed = False
        weather.at = 0
        with rig_at(address, home) as (rig, _):
            (run,) = rig.runs()
            if run.state == "open" and not run.undoing:
                rig.runner(run, AnyPlace()).carry_out(run)
            if not undoing and not run.failed:
                assert {name: data for name, data in files_of(card).items() if name != "set.zip"} == after
            if run.state != "undone":
                assert rig.runner(run, AnyPlace()).changed_since(run) == []
                rig.runner(run, AnyPlace()).take_back(run)
    assert differing(card, before, times=kind != "old ftp") == {}


@pytest.mark.parametrize("kind", SERVERS)
def test_bytes_are_read_from_any_place_and_files_listed_as_they_are(tmp_path: Path, kind: str) -> None:
    card = tmp_path / "card"
    (card / "an inner folder").mkdir(parents=True)
    (card / "big").write_bytes(BIG)
    (card / "an inner folder/ö.rom").write_bytes(b"12345")
    (card / "empty").write_bytes(b"")
    weather = Weather()
    with SERVERS[kind](card, weather) as address, rig_at(address, tmp_path / "home") as (_, store):
        assert {(one.name, one.folder) for one in store.wire.entries("")} == {
            ("big", False), ("an inner folder", True), ("empty", False),
        }  # fmt: skip
        assert [(one.name, one.size) for one in store.wire.entries("an inner folder")] == [("ö.rom", 5)]
        for offset, length in ((0, 10), (7, 100_000), (149_990, 99), (150_000, 5), (0, None), (149_999, None)):
            end = None if length is None else offset + length
            assert b"".join(store.wire.read("big", offset, length)) == BIG[offset:end]
        assert list(store.wire.read("empty")) == []
        stream = store.wire.read("big")
        next(stream)
        del stream  # and what comes next is not mixed up with the rest of it
        assert [store.size(name) for name in ("big", "an inner folder/ö.rom", "nothing")] == [150_000, 5, 0]
        assert store.exists("big")
        assert not store.exists("an inner folder")
        assert not store.exists("BIG")
        for path in ("../outside", "/etc/passwd", "a\nb"):
            with pytest.raises(StoreError):
                store.exists(path)
        with pytest.raises(StoreError, match="nothing"):
            list(store.read("nothing"))


def test_a_cut_download_goes_on_where_it_broke(tmp_path: Path) -> None:
    card = tmp_path / "card"
    card.mkdir()
    big = random.Random(3).randbytes(3_000_000)
    (card / "big").write_bytes(big)
    weather = Weather(fault="cut", at=1, bytes=2_000_000, log=[])
    with ftp_server(card, weather) as address, rig_at(address, tmp_path / "home") as (_, store):
        assert b"".join(store.wire.read("big")) == big
    assert weather.connections == 2
    (rest,) = [line for line in weather.log if line.startswith("REST")]
    assert 1_000_000 < int(rest.split()[1]) <= 2_000_000
    weather = Weather(fault="cut", at=1, bytes=2_000_000, log=[])
    with ftp_server(card, weather) as address, rig_at(address, tmp_path / "home") as (_, store):
        store.write("new", lambda: iter([big[:2_500_000], big[2_500_000:]]))
    assert (card / "new").read_bytes() == big
    assert [line for line in weather.log if line.startswith("REST")], "an upload goes on, too"


class TextMode(FaultyData):
    """What comes in is taken for text."""

    def enable_receiving(self, type: str, cmd: str) -> None:
        super().enable_receiving(type, cmd)
        if self._weather().fault == "text":
            self._data_wrapper = lambda chunk: chunk.replace(b"\n", b"\r\n")


class Liar(FaultyFtp):
    """A server that keeps other bytes than it was sent, or says another size than there is."""

    dtp_handler = TextMode

    def ftp_MLST(self, path: str) -> Any:
        if self.weather.fault == "size" and path.endswith("old.rom"):
            self.respond("250-Listing:\r\n type=file;size=7;modify=19980301000000; /old.rom\r\n250 End.")
            return None
        return super().ftp_MLST(path)


def test_what_arrives_otherwise_is_refused(tmp_path: Path) -> None:
    card, steps, _ = a_rig(tmp_path)
    before = tree(card)
    (tmp_path / "text").write_bytes(b"line\n" * 100)
    text = step(Copy, tmp_path / "text", "old.rom", b"line\n" * 100, "old.rom")
    with ftp_server(card, Weather(fault="text"), Liar) as address, rig_at(address, tmp_path / "a") as (rig, _):
        run = rig.start(1, "today", (text,))
        rig.runner(run, AnyPlace()).carry_out(run)
    assert "goes on beyond the 500 bytes" in run.failed[0]
    server = ftp_server(card, Weather(fault="text"), Liar)
    with server as address, rig_at(address, tmp_path / "b", trust_size=True) as (rig, _):
        run = rig.start(1, "today", (text,))
        rig.runner(run, AnyPlace()).carry_out(run)
    assert "did not arrive whole: 500 bytes were sent, it has 600 bytes there" in run.failed[0]
    with ftp_server(card, Weather(fault="size"), Liar) as address, rig_at(address, tmp_path / "c") as (rig, _):
        run = rig.start(1, "today", steps[1:2])
        rig.runner(run, AnyPlace()).carry_out(run)
    assert "did not arrive as a whole" in run.failed[0], "what cannot be kept is not replaced"
    assert tree(card) == before


def test_a_server_that_hangs_is_given_up(tmp_path: Path) -> None:
    (tmp_path / "card").mkdir()
    weather = Weather(fault="hang", at=1)
    with ftp_server(tmp_path / "card", weather) as address, rig_at(address, tmp_path / "home") as (rig, store):
        assert store.wire.look_up("x") is None, "a second connection helps"
        weather.down = True
        with pytest.raises(StoreLost, match="the connection to handheld is lost"):
            store.wire.look_up("x")
        assert rig.home.away()


class Climber(FaultyFtp):
    """A server whose listing leads astray."""

    def ftp_MLSD(self, path: str) -> Any:
        lines = [
            "type=file;size=5;modify=19980301000000; ../outside",
            "type=dir; ..",
            "type=dir; .",
            "type=pdir; whatever",
            "type=file;size=5; /etc/passwd",
            "type=file;size=5; sandpiper\\x",
            "type=file;size=5; bell\x07",
            "type=file;size=3;modify=19980301000000; good.rom",
            "type=file;size=4;modify=19980301000000; good.rom",
            "type=OS.unix=slink:/etc; link",
            "type=dir; deeper",
            "type=file; no size",
        ]
        text = "".join(f"{line}\r\n" for line in lines) if path.count("deeper") < 99 else ""
        self.push_dtp_data(text.encode(), isproducer=False, cmd="MLSD")


def test_a_listing_that_leads_astray_is_told_and_not_followed(tmp_path: Path) -> None:
    (tmp_path / "card").mkdir()
    weather = Weather()
    with ftp_server(tmp_path / "card", weather, Climber) as address, rig_at(address, tmp_path / "home") as (rig, store):
        folders = list(RemoteGround(rig.home, store).walk())
    top = folders[0]
    assert [(one.path, one.size) for one in top.files] == [("good.rom", 3)]
    assert {one.path.rpartition("/")[2]: one.why for one in top.skipped} == {
        "outside": "is a name that leads elsewhere; passed over",
        "passwd": "is a name that leads elsewhere; passed over",
        "sandpiper\\x": "its name contains a backslash; use forward slashes",
        "bell": "its name contains a control character",
        "good.rom": "is listed twice",
        "link": "is not a regular file (a link or a device)",
        "no size": "the server does not say its size",
    }
    assert len(folders) < 99, "a server that lists in a circle is not followed for ever"


@pytest.mark.parametrize("kind", SERVERS)
def test_a_survey_fetches_only_what_sizes_and_directories_do_not_decide(tmp_path: Path, kind: str) -> None:
    card = tmp_path / "card"
    card.mkdir()
    right, other = BIG[:5_000], BIG[5_000:10_000]
    (card / "right").write_bytes(right)
    (card / "same size").write_bytes(other)
    (card / "huge").write_bytes(bytes(900_000))
    with zipfile.ZipFile(card / "with it.zip", "w") as archive:
        archive.writestr("in.rom", right)
        archive.writestr("ballast", BIG)
    with zipfile.ZipFile(card / "without.zip", "w") as archive:
        archive.writestr("ballast", BIG)
    with py7zr.SevenZipFile(card / "without.7z", "w") as seven:
        seven.writestr(BIG, "ballast")
    for file in card.iterdir():
        os.utime(file, (1e9, 1e9))
    accept = Accept(size=5_000, crc32=f"{zlib.crc32(right):08x}", sha1=digests(right).sha1)
    need = Need(id="n", title="", kind=Kind.BIOS, level=Level.MUST, folder="x", name="n", accept=(accept,))
    known = KnownContents([Sheet(sheet=1, emulator="e", folders={"x": ""}, need=(need,))])
    index, weather = Index(tmp_path / "index"), Weather()
    with SERVERS[kind](card, weather) as address, rig_at(address, tmp_path / "home") as (rig, store):
        ground = RemoteGround(rig.home, store)
        survey = Surveyor(known, index).survey_far(ground, "handheld")
        held = {(one.path, one.member): one.digests.sha1 for one in survey.holdings}
        assert held["right", None] == held["with it.zip", "in.rom"] == digests(right).sha1
        assert held["without.zip", "ballast"] is None
        assert held["without.7z", "ballast"] is None
        whole = 5_000 + 5_000 + (card / "with it.zip").stat().st_size
        ends = 3 * (TAIL_BYTES + 32) + TAIL_BYTES
        assert whole < ground.received <= whole + ends
        before = ground.received
        assert Surveyor(known, index).survey_far(ground, "handheld").holdings == survey.holdings
        assert ground.received == before, "a second look reads nothing"
        os.utime(card / "right", (1e9 + 2, 1e9 + 2))
        Surveyor(known, index).survey_far(ground, "handheld")
        assert ground.received == before + 5_000
        assert ground.folds_case("auto") is False
        assert ground.folds_case("fat32") is True
    index.close()


def test_another_spelling_on_a_card_that_folds_case_is_not_written_over(tmp_path: Path) -> None:
    card = tmp_path / "card"
    card.mkdir()
    (card / "TERN.ROM").write_bytes(b"precious")

    class Folding(FaultyFtp):
        def ftp_MLST(self, path: str) -> Any:
            there = Path(path).parent / Path(path).name.upper()
            return super().ftp_MLST(str(there) if there.exists() else path)

    with ftp_server(card, Weather(), Folding) as address, rig_at(address, tmp_path / "home") as (rig, store):
        ground = RemoteGround(rig.home, store)
        assert [one.path for folder in ground.walk() for one in folder.files] == ["TERN.ROM"]
        assert ground.folds_case("auto") is True
        assert not store.exists("tern.rom")
        store.write(".gribble-1-1.part", lambda: iter([b"new"]))
        with pytest.raises(StoreError, match=r"TERN.ROM is there, which is one name with tern.rom on this rig"):
            store.rename(".gribble-1-1.part", "tern.rom")
    assert (card / "TERN.ROM").read_bytes() == b"precious"


LINES = {
    b"-rw-r--r--   1 keeper  keeper     65536 Mar  1  1998 tern 16.rom": Listed("tern 16.rom", size=65_536),
    b"drwxr-xr-x   2 0 0 4096 Nov 23 17:22 boot": Listed("boot", folder=True),
    b"lrwxrwxrwx 1 a b 7 Nov 23 17:22 here -> there": Listed("here", size=7, odd="is not a regular file (a link or a device)"),
    b"11-23-26  05:22PM       <DIR>          my games": Listed("my games", folder=True),
    b"11-23-26  05:22PM                 1234 a.rom": Listed("a.rom", size=1_234),
    b"total 12": None,
    b"drwxr-xr-x   2 0 0 4096 Nov 23 17:22 ..": None,
}  # fmt: skip


@pytest.mark.parametrize("line", LINES)
def test_lists_of_old_servers_are_understood(line: bytes) -> None:
    assert _by_list(line) == LINES[line]


@given(st.binary(max_size=120))
def test_no_line_of_a_listing_is_unexpected(line: bytes) -> None:
    for read in (_by_list, _by_facts):
        try:
            found = read(line)
        except ValueError:
            continue  # told as an answer that makes no sense
        assert found is None or found.size >= -1


@given(st.lists(st.binary(max_size=50)), st.data())
def test_a_content_can_be_sent_again_from_any_place(blocks: list[bytes], data: st.DataObject) -> None:
    whole = b"".join(blocks)
    resumable = Resumable(lambda: iter(blocks))
    for _ in range(3):
        offset = data.draw(st.integers(0, len(whole)))
        assert b"".join(resumable.since(offset)) == whole[offset:]


def test_addresses_are_read_and_written_alike() -> None:
    for text in (
        "ftp://ada@driftwood.local:2121/data", "sftp://driftwood.local/games/my%20card", "ftps://[::1]:990", "ftp://h",
    ):  # fmt: skip
        assert str(parse_address(text)) == text
    assert parse_address("ftp://a%40b@h/x/").user == "a@b"
    assert (parse_address("sftp://h").port, parse_address("sftp://h/").root) == (22, "")


@pytest.mark.parametrize("kind", ["old ftp", "sftp"])
def test_names_that_are_no_utf_8_keep_their_bytes_in_a_listing(tmp_path: Path, kind: str) -> None:
    card = tmp_path / "card"
    card.mkdir()
    for name in (b"caf\xe9.rom", "caf\u00e9.rom".encode()):
        with open(os.path.join(os.fsencode(card), name), "wb") as stream:
            stream.write(b"x")
    with SERVERS[kind](card, Weather()) as address, rig_at(address, tmp_path / "home") as (_, store):
        assert {os.fsencode(one.name) for one in store.wire.entries("")} == set(os.listdir(os.fsencode(card)))


def fill_line(connection: socket.socket, text: bytes) -> None:
    with contextlib.suppress(OSError):
        connection.sendall(text)


@contextlib.contextmanager
def odd_server(greet: Callable[[socket.socket], None], retrieve: bytes = b"") -> Iterator[Address]:
    """A server of just enough FTP; RETR sends its text for ever."""
    listener = socket.create_server(("127.0.0.1", 0))
    open_: list[socket.socket] = [listener]
    answers = {b"USER": b"331 x", b"PASS": b"230 x", b"TYPE": b"200 x", b"FEAT": b"211-x\r\n MLST size*;\r\n211 x"}
    answers[b"MLST"] = b"250-x\r\n type=file;size=1000; /x\r\n250 x"

    def talk(connection: socket.socket) -> None:
        greet(connection)
        with contextlib.suppress(OSError), connection.makefile("rb") as wire:
            for line in wire:
                word = line.split()[0].upper()
                answer = answers.get(word, b"500 no")
                if word == b"PASV":
                    open_.append(socket.create_server(("127.0.0.1", 0)))
                    answer = b"227 (10,9,8,7,%d,%d)" % divmod(open_[-1].getsockname()[1], 256)
                if word == b"RETR":
                    answer = b"150 x"
                connection.sendall(answer + b"\r\n")
                if word == b"RETR":
                    send_for_ever(open_[-1].accept()[0])

    def send_for_ever(stream: socket.socket) -> None:
        with contextlib.suppress(OSError), stream:
            while retrieve:
                stream.sendall(retrieve)
                time.sleep(0.05 if len(retrieve) == 1 else 0)

    def serve() -> None:
        with contextlib.suppress(OSError):
            while True:
                open_.append(listener.accept()[0])
                threads.append(threading.Thread(target=talk, args=(open_[-1],), daemon=True))
                threads[-1].start()

    threads = [threading.Thread(target=serve, daemon=True)]
    threads[0].start()
    try:
        yield Address(kind="ftp", host="127.0.0.1", port=listener.getsockname()[1], user="x", root="")
    finally:
        for one in open_:
            with contextlib.suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)
            one.close()
        for thread in threads:
            thread.join(5)


def greeted(connection: socket.socket) -> None:
    fill_line(connection, b"220 x\r\n")


def endless_lines(connection: socket.socket) -> None:
    with contextlib.suppress(OSError):
        while True:
            connection.sendall(b"220-and so on\r\n" * 100)


def byte_by_byte(connection: socket.socket) -> None:
    with contextlib.suppress(OSError):
        while True:
            connection.sendall(b"2")
            time.sleep(0.05)


@contextlib.contextmanager
def steady(address: Address, timeout: float) -> Iterator[SteadyLink]:
    link = SteadyLink(lambda: FtpLink(address, "x", "x", timeout), "handheld", pauses=(0.0,))
    try:
        yield link
    finally:
        link.close()


@pytest.mark.parametrize("greeting", [endless_lines, byte_by_byte])
def test_an_answer_without_end_is_cut_off(greeting: Callable[[socket.socket], None]) -> None:
    lost = pytest.raises(StoreLost, match="handheld is lost")
    with odd_server(greeting) as address, steady(address, 0.1) as link, lost:
        link.look_up("x")


def test_a_file_that_goes_on_beyond_its_size_is_left() -> None:
    """The answer to PASV points at another machine, too, where nobody is asked anything."""
    with odd_server(greeted, b"x" * 700) as address, steady(address, 0.5) as link:
        with pytest.raises(StoreError, match="goes on beyond the 1,000 bytes that were listed"):
            list(link.read("x"))
        assert link.received <= 1001


def test_a_transfer_that_brings_next_to_nothing_is_broken_off() -> None:
    lost = pytest.raises(StoreLost, match="next to nothing")
    with odd_server(greeted, b"x") as address, steady(address, 0.1) as link, lost:
        list(link.read("x"))


def test_a_size_beyond_all_measure_is_asked_for_in_windows(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "card").mkdir()
    (tmp_path / "card/x").write_bytes(BIG)
    asked: list[int] = []

    def huge(_self: Any) -> Any:
        status = paramiko.SFTPAttributes()
        status.st_size = 1 << 50
        return status

    def prefetch(_self: Any, size: int, _most: int | None = None) -> None:
        asked.append(size)

    monkeypatch.setattr(paramiko.SFTPFile, "stat", huge)
    monkeypatch.setattr(paramiko.SFTPFile, "prefetch", prefetch)
    with sftp_server(tmp_path / "card", Weather()) as address:
        link = connected(address, Weather())
        assert b"".join(link.read("x")) == BIG
        link.close()
    assert asked
    assert max(asked) <= 32 << 20
