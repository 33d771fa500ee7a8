"""Servers that mean harm, or have lost their mind: each stops its own rig only, in little time and room."""

from __future__ import annotations

import socket
import struct
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, ClassVar

import paramiko
import pytest
from paramiko.sftp import CMD_HANDLE, CMD_NAME, CMD_OPENDIR, CMD_READDIR, CMD_STATUS, CMD_VERSION

from gribble.core.base.addresses import Address
from gribble.core.base.budget import Limits
from gribble.demo.sheets import HANDHELD_PASSWORD, HANDHELD_USER
from gribble.stores.link import SteadyLink
from tests.conftest import Gribble
from tests.making import A, B, C, config, need, small_world
from tests.servers import HOST_KEY, FaultyFtp, Weather, ftp_server, sftp_server

PASSWORD = {"GRIBBLE_PASSWORD_FAR": HANDHELD_PASSWORD}
ENDLESS = 3 << 30


@pytest.fixture(autouse=True)
def _at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """A link that breaks is made again without a pause."""
    monkeypatch.setattr(SteadyLink.__init__, "__defaults__", ((0.0, 0.0, 0.0),))


def world_with(base: Path, address: Address, *, timeout: float = 2.0) -> Path:
    """A rig here and one far away, both of which lack a file."""
    world = small_world(base / "world", {"drawer/a": A}, need("a", A))
    at = f"{address.kind}://{HANDHELD_USER}@127.0.0.1:{address.port}/card"
    config(world, rigs={"rig": "rig", "far": at}, more=f"timeout = {timeout}\n")
    if address.kind == "sftp":
        told = (world / "gribble.toml").read_text()
        far = f'[rig.far]\nat = "{at}"\nhost_key = "{HOST_KEY.fingerprint}"\n'
        (world / "gribble.toml").write_text(told.replace(f'[rig.far]\nat = "{at}"\n', far))
    return world


def card_of(base: Path, content: bytes = C) -> Path:
    root = base / "server"
    (root / "card/boot").mkdir(parents=True)
    (root / "card/boot/a.rom").write_bytes(content)
    return root


def others_go_on(gribble: Gribble, world: Path, *, code: int = 3) -> str:
    """What is said of the far rig, while the one here is put right."""
    checked = gribble("check", cwd=world, **PASSWORD)
    assert "take it from drawer/a" in checked.out
    placed = gribble("place", "--yes", cwd=world, code=code, **PASSWORD)
    assert (world / "rig/boot/a.rom").read_bytes() == A
    gribble("undo", "--yes", cwd=world, code=0, **PASSWORD)
    return f"{checked.words} {placed.words}"


# SFTP, packet by packet


class Garbage(paramiko.SubsystemHandler):
    """A shell that prints a line before anything else."""

    first: ClassVar[bytes] = b"Welcome to the den, keeper!\n" * 9

    def start_subsystem(self, _name: str, _transport: paramiko.Transport, channel: paramiko.Channel) -> None:
        channel.sendall(self.first)
        with suppress(Exception):
            while channel.recv(1 << 15):
                pass


class ShortLength(Garbage):
    first = struct.pack(">I", 3) + b"\x02\0\0"


class Packets(paramiko.SubsystemHandler):
    """Answers each packet with what `answer` makes of it."""

    def start_subsystem(self, _name: str, _transport: paramiko.Transport, channel: paramiko.Channel) -> None:
        with suppress(Exception):
            self._take(channel)
            self._put(channel, bytes([CMD_VERSION]) + struct.pack(">I", 3))
            while True:
                packet = self._take(channel)
                for one in self.answer(packet[0], packet[1:5]):
                    self._put(channel, one)

    def _take(self, channel: paramiko.Channel) -> bytes:
        (length,) = struct.unpack(">I", self._exactly(channel, 4))
        return self._exactly(channel, length)

    def _exactly(self, channel: paramiko.Channel, length: int) -> bytes:
        data = b""
        while len(data) < length:
            block = channel.recv(length - len(data))
            if not block:
                raise EOFError
            data += block
        return data

    def _put(self, channel: paramiko.Channel, data: bytes) -> None:
        channel.sendall(struct.pack(">I", len(data)) + data)

    def answer(self, kind: int, number: bytes) -> Iterator[bytes]:
        if kind == CMD_OPENDIR:
            yield bytes([CMD_HANDLE]) + number + text(b"h")
        elif kind == CMD_READDIR:
            yield bytes([CMD_NAME]) + number + self.names()
        else:  # any file is a folder
            yield bytes([105]) + number + struct.pack(">II", 4, 0o40755)

    def names(self) -> bytes:
        return b""


def text(data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + data


class EndlessNames(Packets):
    count = 0

    def names(self) -> bytes:
        names = b"".join(text(b"%d" % (self.count + n)) + text(b"") + struct.pack(">I", 0) for n in range(900))
        EndlessNames.count += 900
        return struct.pack(">I", 900) + names


class ManyNames(Packets):
    """Says that four billion names follow, and sends one."""

    def names(self) -> bytes:
        return struct.pack(">I", 0xFFFFFFFF) + text(b"one") + text(b"") + struct.pack(">I", 0)


class NoAnswer(Packets):
    """Says no to everything, and gives the password back with it."""

    def answer(self, _kind: int, number: bytes) -> Iterator[bytes]:
        words = f"no {HANDHELD_PASSWORD.upper()} {HANDHELD_PASSWORD[::-1]} {HANDHELD_PASSWORD[:4]}".encode()
        yield bytes([CMD_STATUS]) + number + struct.pack(">I", 4) + text(words) + text(b"")


@pytest.mark.parametrize("handler", [Garbage, ShortLength, EndlessNames, ManyNames, NoAnswer])
def test_an_sftp_server_of_no_sense_stops_its_own_rig_alone(
    gribble: Gribble, tmp_path: Path, handler: type[paramiko.SubsystemHandler]
) -> None:
    with sftp_server(card_of(tmp_path), Weather(log=[]), handler) as address:
        world = world_with(tmp_path, address)
        said = others_go_on(gribble, world)
        if handler is EndlessNames:
            assert "100,000 entries" in said
        elif handler is not NoAnswer:
            assert "makes no sense" in said
        assert "Welcome" not in said


# FTP


class Lying(FaultyFtp):
    """Lists a file as small, says no size where it is asked for that file alone, and sends it without end."""

    sent: ClassVar[list[int]] = []

    def ftp_RETR(self, file: str) -> Any:
        if not file.endswith("a.rom"):
            return super().ftp_RETR(file)
        self.push_dtp_data(Zeros(self.sent), isproducer=True, cmd="RETR")
        return file

    def ftp_MLST(self, path: str) -> Any:
        if not path.endswith("a.rom"):
            return super().ftp_MLST(path)
        self.push("250-listing\r\n type=file;modify=20200101000000; a.rom\r\n")
        return self.respond("250 end.")


class Zeros:
    def __init__(self, sent: list[int]) -> None:
        self._sent = sent

    def more(self) -> bytes:
        self._sent.append(1 << 16)
        return bytes(1 << 16) if sum(self._sent) < ENDLESS else b""


def test_what_goes_on_beyond_its_size_does_not_fill_the_disk(gribble: Gribble, tmp_path: Path) -> None:
    Lying.sent.clear()
    with ftp_server(card_of(tmp_path, b"abc"), Weather(log=[]), Lying) as address:
        world = world_with(tmp_path, address)
        said = gribble("place", "--yes", cwd=world, code=3, **PASSWORD)
        assert "beyond the 3 bytes that were listed" in said.words
        assert (world / "rig/boot/a.rom").read_bytes() == A
    kept = [path.stat().st_size for path in (world / ".gribble").rglob("*") if path.is_file()]
    assert max(kept) < 1 << 20
    assert sum(Lying.sent) < 64 << 20


class Unsized(Lying):
    """The same, and its listing tells no sizes either."""

    def ftp_MLSD(self, path: str) -> Any:
        line = "type=dir; boot\r\n" if path.endswith("card") else "type=file;modify=20200101000000; a.rom\r\n"
        self.push_dtp_data(line.encode(), isproducer=False, cmd="MLSD")


def test_a_file_without_a_size_is_read_so_far_and_no_further(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gribble.stores.link.UNSIZED_BYTES", 1 << 20)
    Lying.sent.clear()
    with ftp_server(card_of(tmp_path, b"abc"), Weather(log=[]), Unsized) as address:
        world = world_with(tmp_path, address)
        said = gribble("check", "-v", cwd=world, **PASSWORD).err
        gribble("place", "--yes", cwd=world, code=3, **PASSWORD)
        assert (world / "rig/boot/a.rom").read_bytes() == A
        assert "does not say its size" in said
    assert sum(Lying.sent) < 64 << 20


class EndlessList(FaultyFtp):
    def ftp_MLSD(self, _path: str) -> Any:
        self.push_dtp_data(Lines(), isproducer=True, cmd="MLSD")


class Lines:
    def __init__(self) -> None:
        self._number = 0

    def more(self) -> bytes:
        self._number += 1000
        return b"".join(b"type=file;size=1; %d\r\n" % (self._number + n) for n in range(1000))


class Nested(FaultyFtp):
    """Every folder has a folder in it."""

    def ftp_MLSD(self, _path: str) -> Any:
        self.push_dtp_data(b"type=dir; inner\r\n", isproducer=False, cmd="MLSD")

    def ftp_CWD(self, _path: str) -> Any:
        self.respond("250 so be it.")

    def ftp_MLST(self, path: str) -> Any:
        self.push(f"250-listing\r\n type=dir; {path}\r\n")
        self.respond("250 end.")


@pytest.mark.parametrize(("kind", "words"), [(EndlessList, "100,000 entries"), (Nested, "deeper than Gribble follows")])
def test_listings_without_end_are_left(gribble: Gribble, tmp_path: Path, kind: type[FaultyFtp], words: str) -> None:
    with ftp_server(card_of(tmp_path), Weather(log=[]), kind) as address:
        world = world_with(tmp_path, address)
        said = gribble("check", "-v", cwd=world, **PASSWORD)
        assert words in said.words
        assert "take it from drawer/a" in said.out


class Absurd(FaultyFtp):
    """A file of more bytes than there are."""

    size: ClassVar[str] = "9" * 400

    def ftp_MLSD(self, path: str) -> Any:
        line = "type=dir; boot\r\n" if path.endswith("card") else f"type=file;size={self.size}; a.rom\r\n"
        self.push_dtp_data(line.encode(), isproducer=False, cmd="MLSD")

    def ftp_MLST(self, path: str) -> Any:
        kind = f"type=file;size={self.size}" if path.endswith(".rom") else "type=dir"
        self.push(f"250-listing\r\n {kind}; {path}\r\n")
        self.respond("250 end.")


class Huge(Absurd):
    size = str(1 << 62)


class TooHuge(Absurd):
    size = str((1 << 64) - 1)


@pytest.mark.parametrize("kind", [Absurd, Huge, TooHuge])
def test_a_size_beyond_all_measure_stops_its_own_rig_alone(
    gribble: Gribble, tmp_path: Path, kind: type[FaultyFtp]
) -> None:
    with ftp_server(card_of(tmp_path), Weather(log=[]), kind) as address:
        others_go_on(gribble, world_with(tmp_path, address))


def test_a_root_that_is_a_file_stops_its_own_rig_alone(gribble: Gribble, tmp_path: Path) -> None:
    root = tmp_path / "server"
    root.mkdir()
    (root / "card").write_bytes(A)
    with ftp_server(root, Weather(log=[])) as address:
        said = others_go_on(gribble, world_with(tmp_path, address))
    assert "is a file, not a folder" in said


def test_so_does_a_root_here_that_is_a_file(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A, "other": B}, need("a", A))
    config(world, rigs={"rig": "rig", "far": "other"})
    assert "is a file, not a folder" in others_go_on(gribble, world)


@contextmanager
def dripping(root: Path, calm: int) -> Iterator[Address]:
    """A server that, after some `calm` transfers, sends a byte now and then, for ever, whatever it is asked for."""
    listener, stop = socket.create_server(("127.0.0.1", 0)), threading.Event()

    def drip() -> None:
        with suppress(OSError):
            while True:
                connection, _ = listener.accept()
                threading.Thread(target=send, args=(connection,), daemon=True).start()

    def send(connection: socket.socket) -> None:
        with suppress(OSError), connection:
            while not stop.wait(0.05):
                connection.sendall(b"x")

    data = listener.getsockname()[1]

    class Slow(FaultyFtp):
        def ftp_PASV(self, line: str) -> None:
            nonlocal calm
            calm -= 1
            if calm >= 0:
                super().ftp_PASV(line)
                return
            self.respond(f"227 Entering (127,0,0,1,{data >> 8},{data & 255}).")

        def ftp_RETR(self, file: str) -> Any:
            self.respond("150 here it comes.")
            return file

        def ftp_MLSD(self, path: str) -> Any:
            if calm >= 0:
                return super().ftp_MLSD(path)
            self.respond("150 here it comes.")
            return path

    threading.Thread(target=drip, daemon=True).start()
    try:
        with ftp_server(root, Weather(log=[]), Slow) as address:
            yield address
    finally:
        stop.set()
        listener.close()


@pytest.mark.parametrize(("calm", "words"), [(0, "does not come to an end"), (2, "sends next to nothing")])
def test_a_server_that_drips_is_given_up(gribble: Gribble, tmp_path: Path, calm: int, words: str) -> None:
    with dripping(card_of(tmp_path, bytes(len(A))), calm) as address:
        said = gribble("check", cwd=world_with(tmp_path, address, timeout=0.2), code=1, **PASSWORD)
        assert "take it from drawer/a" in said.out
        assert words in said.words


# What a server gives back


def altered(words: str) -> list[str]:
    return [words.upper(), words.capitalize(), words[::-1], words[: len(words) // 2 + 1], " ".join(words)]


class Echoing(FaultyFtp):
    """Every reply has the password in it, in another form, once it is known."""

    number: ClassVar[int] = 0

    def respond(self, resp: str, logfun: Any = None) -> None:
        known = altered(HANDHELD_PASSWORD)[self.number]
        number, _, rest = resp.partition(" ")
        super().respond(f"{number} {known} {rest}", *([logfun] if logfun else []))

    def ftp_MLSD(self, _path: str) -> Any:
        self.respond("550 no.")

    def ftp_MLST(self, path: str) -> Any:
        self.respond("451 no.") if path.endswith("boot") else super().ftp_MLST(path)


class NotIn(Echoing):
    def ftp_PASS(self, _line: str) -> None:
        self.respond("421 no.")


class NotInEither(Echoing):
    def ftp_PASS(self, _line: str) -> None:
        self.respond("550 no.")


@pytest.mark.parametrize("kind", [Echoing, NotIn, NotInEither])
@pytest.mark.parametrize("number", range(5))
def test_no_words_of_a_server_are_told(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, kind: type[Echoing], number: int
) -> None:
    monkeypatch.setattr(Echoing, "number", number)
    with ftp_server(card_of(tmp_path), Weather(log=[]), kind) as address:
        world = world_with(tmp_path, address)
        for words in (["check", "-v"], ["plan"], ["doctor"], ["place", "--yes"]):
            said = gribble(*words, cwd=world, **PASSWORD)
            told = (said.out + said.err).lower()
            for one in altered(HANDHELD_PASSWORD):
                assert one.lower() not in told, words
            assert "its reply was" in told or words[0] != "check"


class Branching(Nested):
    """Every folder has two folders and two files in it."""

    def ftp_MLSD(self, _path: str) -> Any:
        lines = b"type=dir; a\r\ntype=dir; b\r\ntype=file;size=1; x\r\ntype=file;size=1; y\r\n"
        self.push_dtp_data(lines, isproducer=False, cmd="MLSD")


@pytest.mark.parametrize(("bound", "most"), [("RIG_FOLDERS", 20), ("RIG_FILES", 20)])
def test_a_server_that_lists_more_than_a_rig_has_is_left(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, bound: str, most: int
) -> None:
    monkeypatch.setattr(f"gribble.stores.ground.{bound}", most)
    weather = Weather(log=[])
    with ftp_server(card_of(tmp_path), weather, Branching) as address:
        said = gribble("check", "-v", cwd=world_with(tmp_path, address), **PASSWORD)
    assert ("Gribble follows" if bound == "RIG_FOLDERS" else "more than 20 files") in said.words
    assert sum(line.startswith("MLSD") for line in weather.log) <= most + 2
    assert "take it from drawer/a" in said.out


def test_a_listing_of_long_names_is_left(gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gribble.stores.ftp.LISTING", Limits(bytes=1000, items=100_000, of="entries"))
    root = card_of(tmp_path)
    for number in range(10):
        (root / f"card/{'long' * 50}{number}").touch()
    with ftp_server(root, Weather(log=[])) as address:
        assert "it lists more than" in others_go_on(gribble, world_with(tmp_path, address))
