"""Every reader against damaged input: its own error or an answer, within bounds of time and memory, and nothing escapes."""

from __future__ import annotations

import bz2
import contextlib
import gzip
import io
import json
import lzma
import os
import re
import resource
import signal
import socket
import struct
import sys
import tarfile
import threading
import traceback
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import py7zr
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gribble.core.base.addresses import Address
from gribble.core.base.errors import GribbleError
from gribble.core.base.kinds import Format
from gribble.core.catalogue.importing.build import read_sets
from gribble.core.catalogue.importing.drafting import draft_map
from gribble.core.catalogue.importing.fieldmap import load_map
from gribble.core.catalogue.importing.found import Asked
from gribble.core.catalogue.importing.lists import read_list
from gribble.core.catalogue.importing.needs import draft_of, read_rows
from gribble.core.catalogue.rosters import load_roster
from gribble.core.catalogue.sheets import load_sheet
from gribble.core.catalogue.writing import write_sheet
from gribble.core.discs.sheets import read_sheet
from gribble.core.files.archives.common import ArchiveError
from gribble.core.files.archives.opening import archive_kind, peek, scan
from gribble.core.files.settingsfile import SettingError, value_of, with_value
from gribble.core.placing.journal import Seal, read_run
from gribble.core.placing.planfile import judged, read_plan
from gribble.core.records.imported import Tally
from gribble.demo.sheets import HANDHELD_PASSWORD, HANDHELD_USER
from gribble.demo.world import build_world
from gribble.stores.ftp import FtpLink, _by_facts, _by_list
from gribble.stores.link import Denied, LinkLost, ServerRefused
from gribble.stores.sftp import SftpLink
from tests.conftest import SOAK
from tests.lists import LANGUAGES, SHAPES, grid_of
from tests.servers import HOST_KEY, Weather, sftp_server

EXAMPLES = 20_000 if SOAK else 100
MOST_BYTES = 200 << 20
SECONDS = 1800 if SOAK else 60

Read = Callable[[Path], object]


class Everything:
    """Every member is read, and every archive in an archive entered."""

    def wants(self, _path: str, _member: object) -> bool:
        return True

    def enters(self, _path: str) -> bool:
        return True


def unpack(path: Path) -> None:
    before = {one.name for one in path.parent.iterdir()}
    with contextlib.suppress(ArchiveError):
        for found in scan(path, archive_kind(peek(path), path.name), Everything()):
            with contextlib.suppress(ArchiveError):
                for _ in found.blocks or ():
                    pass
    assert {one.name for one in path.parent.iterdir()} == before, "nothing is unpacked to the disk"


def packed(kind: str) -> bytes:
    stream, files = io.BytesIO(), {"a.bin": b"abc" * 300, "deep/b.bin": bytes(2000), "c.txt": b"line\n"}
    match kind:
        case "zip":
            with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
                for name, data in files.items():
                    archive.writestr(name, data)
        case "7z":
            with py7zr.SevenZipFile(stream, "w") as seven:
                for name, data in files.items():
                    seven.writestr(data, name)
        case "tar":
            with tarfile.open(fileobj=stream, mode="w", format=tarfile.PAX_FORMAT) as tar:
                for name, data in {**files, "long" * 60: b"x"}.items():
                    info = tarfile.TarInfo(name)
                    info.size = len(data)
                    tar.addfile(info, io.BytesIO(data))
        case "gz":
            return gzip.compress(packed("tar"))
        case "bz2":
            return bz2.compress(b"abc" * 999)
        case "xz":
            return lzma.compress(b"abc" * 999)
    return stream.getvalue()


def setting(format_: Format, key: str) -> Read:
    def read(path: Path) -> None:
        with contextlib.suppress(SettingError):
            data = path.read_bytes()
            value_of(data, format_, key)
            with_value(data, format_, key, "new/place.rom")

    return read


def told(reader: Callable[[Path], object], *own: type[BaseException]) -> Read:
    def read(path: Path) -> None:
        with contextlib.suppress(*own):
            reader(path)

    return read


def listing(line: Callable[[bytes], object]) -> Read:
    def read(path: Path) -> None:
        for one in path.read_bytes().split(b"\n"):
            with contextlib.suppress(ValueError):
                line(one)

    return read


def journal(path: Path) -> object:
    place = path.with_name("0001.jsonl")
    path.rename(place)
    run = read_run(place, Seal(lambda: b"x"))
    assert run is None or run.foreign
    return run


def disc_sheet(kind: str) -> Read:
    return lambda path: read_sheet(kind, path.read_bytes())


def take_over(path: Path) -> None:
    """Draft the map of a list, and read the list by it."""
    drafted = draft_map(path, Asked(emulator="knot", release="1"))
    made, tally = drafted.without(drafted.doubtful).made, Tally()
    if drafted.to == "sheet" and "name" in made.fields:
        write_sheet(draft_of(read_rows(read_list(path, made), made, tally), made, tally))
    elif "set" in made.fields:
        list(read_sets(read_list(path, made), made, tally))


def a_list(shape: str) -> bytes:
    made = SHAPES[shape](grid_of(LANGUAGES["de"]))
    return made if isinstance(made, bytes) else made.encode()


def plan_file(path: Path) -> None:
    """A plan's file as `place --plan` takes it: read, and held against what its steps may take."""
    judged(read_plan(path, {"den"}), path, [path.parent])


def a_step() -> dict[str, Any]:
    return {"rig": "den", "step": "copy", "from": "/x", "to": "boot/a.rom", "bytes": 3, "digests": {"sha1": "0" * 40}}


ROSTER = '{"roster":1,"emulator":"t","release":"1"}\n{"set":"a","files":[{"name":"x","size":3,"crc32":"00000000"}]}\n'
MAP = 'format = "csv"\nemulator = "knot"\n[fields]\nname = "file"\nsha1 = { from = "sha1", prefix = "x" }\n'
CASES: dict[str, tuple[str, bytes, Read]] = {
    **{kind: (f"mutant.{kind}", packed(kind), unpack) for kind in ("zip", "7z", "tar", "gz", "bz2", "xz")},
    "sheet": ("a.sheet.toml", b"", load_sheet),
    "roster": ("t-1.roster.jsonl", ROSTER.encode(), lambda path: load_roster(path, strict=True)),
    "field map": ("map.toml", MAP.encode(), told(lambda path: load_map(path, "sheet"), GribbleError)),
    "plan": ("plan.json", json.dumps({"gribble": "plan/1", "steps": [a_step()] * 2}).encode(), told(plan_file, GribbleError)),
    "journal": ("journal", (json.dumps({"gribble": "run/1", "run": 1, "rig": "den", "when": "x", "steps": [a_step()]}) + '\n{"begin":0,"makes":["boot"]}\n{"done":0,"sha1":"x"}\n{"end":"done"}').encode(), journal),
    "ini": ("a.ini", b"[paths]\nboot = 'old.rom' ; remark\n", setting(Format.INI, "paths.boot")),
    "toml": ("a.toml", b'[paths]\nboot = "old.rom" # remark\n', setting(Format.TOML, "paths.boot")),
    "json": ("a.json", b'{"paths": {"boot": "old.rom", "n": 1e9}}', setting(Format.JSON, "paths.boot")),
    "xml": ("a.xml", b'<a><paths><boot x="1">old.rom</boot></paths></a>', setting(Format.XML, "paths.boot")),
    "yaml": ("a.yaml", b"paths:\n  boot: old.rom  # remark\n  list: [a, b]\n", setting(Format.YAML, "paths.boot")),
    **{kind: (f"a.{kind}", text, disc_sheet(kind)) for kind, text in {
        "cue": b'FILE "a.bin" BINARY\n  TRACK 01 MODE1/2352\n    INDEX 01 00:00:00\n',
        "gdi": b'2\n1 0 4 2352 "a.bin" 0\n2 450 0 2352 b.raw 0\n',
        "ccd": b"[CloneCD]\nVersion=3\n[Disc]\nTocEntries=2\n[Entry 0]\nPoint=0x01\nControl=0x04\nPLBA=0\n",
        "m3u": b"#EXTM3U\na.cue\nb.cue\n",
    }.items()},
    **{f"list {shape}": (shape, a_list(shape), told(take_over, GribbleError, OSError, UnicodeDecodeError)) for shape in SHAPES},
    "MLSD": ("facts", b"type=file;size=5;modify=19980301000000; good.rom\ntype=dir; deep", listing(_by_facts)),
    "LIST": ("list", b"-rw-r--r-- 1 a b 5 Mar 01 1998 good.rom\n03-01-98 10:00AM <DIR> deep", listing(_by_list)),
}  # fmt: skip
BY_A_PROCESS = (".html", ".xlsx", ".ods", ".xls")
"""Lists that are read by a process of their own, which takes a while to begin."""
DAMAGE = st.lists(
    st.tuples(
        st.integers(0, 1 << 20), st.sampled_from(["put", "cut", "twice", "flip"]), st.binary(min_size=1, max_size=6)
    ),
    max_size=5,
)
PIECES = (b"[" * 200, b"{" * 200, b"9" * 5000, b"\0", b"../", b"\xff\xfe", b"\n", b'"', b"a." * 99, b" " * 3000)


def damaged(data: bytes, damage: list[tuple[int, str, bytes]], piece: int) -> bytes:
    made = bytearray(data)
    for place, how, patch in damage:
        at = place % (len(made) + 1)
        match how:
            case "put":
                made[at : at + len(patch)] = patch
            case "cut":
                del made[at : at + patch[0]]
            case "twice":
                made[at:at] = made[at : at + 40 * len(patch)]
            case "flip" if at < len(made):
                made[at] ^= 1 << patch[0] % 8
    if piece < len(PIECES):
        made[len(made) // 2 : len(made) // 2] = PIECES[piece]
    return bytes(made)


def a_real_sheet(folder: Path) -> bytes:
    build_world(folder)
    return (folder / "catalogue/avocet.sheet.toml").read_bytes()


def in_bounds(act: Callable[[], None]) -> str:
    """Do something in a process of its own that can take neither more memory nor more time; what it said if it failed."""
    read, write = os.pipe()
    child = os.fork()
    if not child:
        try:
            size = int(re.findall(r"VmSize:\s+(\d+)", Path("/proc/self/status").read_text(encoding="utf-8"))[0]) << 10
            resource.setrlimit(resource.RLIMIT_AS, (size + MOST_BYTES, size + MOST_BYTES))
            signal.alarm(SECONDS)
            act()
        except BaseException:
            os.write(write, traceback.format_exc()[-3000:].encode(errors="replace"))
            os._exit(1)
        os._exit(0)
    os.close(write)
    with os.fdopen(read, "rb") as stream:
        said = stream.read().decode()
    code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    return said or ("" if not code else f"ended by {code}")


@pytest.mark.skipif(sys.platform != "linux", reason="only Linux bounds the memory of a process like this")
@pytest.mark.parametrize("name", CASES)
def test_no_input_gets_out_of_a_reader(tmp_path: Path, name: str) -> None:
    file, sound, reader = CASES[name]
    sound = sound or a_real_sheet(tmp_path / "world")
    place = tmp_path / "place"
    place.mkdir()

    @settings(max_examples=EXAMPLES // 10 if file.endswith(BY_A_PROCESS) else EXAMPLES, database=None)
    @given(DAMAGE, st.integers(0, 4 * len(PIECES)))
    def try_it(damage: list[tuple[int, str, bytes]], piece: int) -> None:
        path = place / file
        path.write_bytes(damaged(sound, damage, piece))
        reader(path)

    said = in_bounds(try_it)
    assert not said, said


REPLY = st.one_of(
    st.builds(
        lambda code, sign, text: f"{code}{sign}".encode() + text,
        st.sampled_from(
            [
                "150",
                "200",
                "211",
                "213",
                "220",
                "226",
                "227",
                "229",
                "230",
                "250",
                "257",
                "331",
                "350",
                "421",
                "425",
                "426",
                "450",
                "500",
                "530",
                "550",
                "999",
                "abc",
            ]
        ),
        st.sampled_from([" ", "-", ""]),
        st.one_of(
            st.binary(max_size=40),
            st.sampled_from(
                [b"(127,0,0,1,0,1)", b"(|||1|)", b"type=file;size=9; x", b"20200101000000", b"9" * 400, b"MLST"]
            ),
        ),
    ),
    st.binary(max_size=60),
)


def talk(connection: socket.socket, replies: list[bytes]) -> None:
    """Say one thing after another, one for each line that comes, then hang up."""
    with contextlib.suppress(OSError), connection, connection.makefile("rb") as lines:
        for reply in replies:
            connection.sendall(reply.replace(b"\n", b"") + b"\r\n")
            if not lines.readline():
                return


@settings(max_examples=300 if SOAK else 40, database=None)
@given(st.lists(REPLY, max_size=12), st.booleans())
def test_whatever_an_ftp_server_says_is_a_link_that_is_lost_or_a_no(replies: list[bytes], lets_in: bool) -> None:
    begin = [b"220 hello", b"331 who", b"230 in", b"211-has\r\n MLST\r\n MLSD\r\n211 end", b"200 binary"]
    with socket.create_server(("127.0.0.1", 0)) as listener:
        said = begin[: 5 if lets_in else 1] + replies

        def serve() -> None:
            with contextlib.suppress(OSError):
                talk(listener.accept()[0], said)

        threading.Thread(target=serve, daemon=True).start()
        address = Address(kind="ftp", host="127.0.0.1", port=listener.getsockname()[1], user="keeper")
        with contextlib.suppress(LinkLost, Denied, ServerRefused):
            link = FtpLink(address, "keeper", "secret", 0.3)
            asks: list[Callable[[], object]] = [
                lambda: link.entries(""), lambda: link.look_up("a"), lambda: list(link.read("a", 0, 9)),
                lambda: link.rename("a", "b"), lambda: link.delete("a"), lambda: link.make_folder("a"),
                lambda: link.set_time("a", 10**18), lambda: link.write("a", [b"x"]),
            ]  # fmt: skip
            for ask in asks:
                with contextlib.suppress(LinkLost, Denied):
                    ask()
            link.close()


def test_whatever_an_sftp_server_says_is_a_link_that_is_lost_or_a_no(tmp_path: Path) -> None:
    (tmp_path / "a").write_bytes(b"x")
    with sftp_server(tmp_path, Weather(log=[])) as address:
        link = SftpLink(address, HANDHELD_USER, HANDHELD_PASSWORD, 2.0, HOST_KEY.fingerprint)
        client: Any = link._sftp

        @settings(max_examples=600 if SOAK else 150, database=None)
        @given(
            st.lists(
                st.tuples(st.sampled_from([101, 102, 103, 104, 105, 2, 0, 255]), st.binary(max_size=80)), max_size=6
            )
        )
        def try_it(packets: list[tuple[int, bytes]]) -> None:
            left = iter(packets)

            def packet() -> tuple[int, bytes]:
                kind, data = next(left, (101, struct.pack(">I", 1)))  # at the end: no more
                return kind, struct.pack(">I", client.request_number - 1) + data

            client._read_packet = packet
            asks: list[Callable[[], object]] = [
                lambda: link.entries(""), lambda: link.look_up("a"), lambda: link.rename("a", "b"),
                lambda: link.delete("a"), lambda: link.make_folder("a"), lambda: link.set_time("a", 10**18),
            ]  # fmt: skip
            for ask in asks:
                with contextlib.suppress(LinkLost, Denied):
                    ask()

        try_it()
        link.deadline.close()
