"""Archives of every kind: the right contents, each fault in words, and no input that does harm."""

from __future__ import annotations

import bz2
import contextlib
import gzip
import io
import itertools
import lzma
import os
import random
import struct
import tarfile
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import py7zr
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gribble.core.base.budget import Limits
from gribble.core.files.archives import common
from gribble.core.files.archives.common import ArchiveError, Member, Span
from gribble.core.files.archives.opening import archive_kind, member_blocks, peek, scan

FILES = {
    "one.rom": random.Random(1).randbytes(50_000),
    "dir/two.rom": b"two" * 100_000,
    "code.exe": b"\xe8\x00\x10\x00\x00\x90\x90\xe9\x12\x34\x00\x00" * 3_000 + b"end",
    "empty": b"",
}
COUNTER = itertools.count()


def zipped(files: dict[str, bytes], method: int = zipfile.ZIP_DEFLATED, comment: bytes = b"") -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", method) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
        archive.comment = comment
    return buffer.getvalue()


def sevened(files: dict[str, bytes], filters: list[dict[str, int]] | None = None, **more: Any) -> bytes:
    buffer = io.BytesIO()
    with py7zr.SevenZipFile(buffer, "w", filters=filters, **more) as archive:
        for name, data in files.items():
            archive.writestr(data, name)
    return buffer.getvalue()


def tarred(files: dict[str, bytes], kind: str = "") -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode=f"w:{kind}") as archive:  # type: ignore[call-overload]
        for name, data in files.items():
            info = tarfile.TarInfo(name)
            info.size = len(data)
            archive.addfile(info, io.BytesIO(data))
        link = tarfile.TarInfo("link")
        link.type, link.linkname = tarfile.SYMTYPE, "/etc/passwd"
        archive.addfile(link)
    return buffer.getvalue()


LZMA1 = {"id": py7zr.FILTER_LZMA}
LZMA2 = {"id": py7zr.FILTER_LZMA2, "preset": 1}
SOUND: dict[str, Callable[[], bytes]] = {
    "zip": lambda: zipped(FILES),
    "zip, stored": lambda: zipped(FILES, zipfile.ZIP_STORED),
    "zip, bzip2": lambda: zipped(FILES, zipfile.ZIP_BZIP2),
    "zip, lzma": lambda: zipped(FILES, zipfile.ZIP_LZMA),
    "zip, comment": lambda: zipped(FILES, comment=b"a long comment " * 900),
    "zip behind a program": lambda: b"#!/bin/sh\n" * 99 + zipped(FILES),
    "7z": lambda: sevened(FILES),
    "7z, lzma": lambda: sevened(FILES, [LZMA1]),
    "7z, x86 and lzma": lambda: sevened(FILES, [{"id": py7zr.FILTER_X86}, LZMA1]),
    "7z, x86 and lzma2": lambda: sevened(FILES, [{"id": py7zr.FILTER_X86}, LZMA2]),
    "7z, arm and lzma2": lambda: sevened(FILES, [{"id": py7zr.FILTER_ARM}, LZMA2]),
    "7z, delta and lzma2": lambda: sevened(FILES, [{"id": py7zr.FILTER_DELTA}, LZMA2]),
    "7z, bzip2": lambda: sevened(FILES, [{"id": py7zr.FILTER_BZIP2}]),
    "7z, deflate": lambda: sevened(FILES, [{"id": py7zr.FILTER_DEFLATE}]),
    "7z, copied": lambda: sevened(FILES, [{"id": py7zr.FILTER_COPY}]),
    "tar": lambda: tarred(FILES),
    "tar.gz": lambda: tarred(FILES, "gz"),
    "tar.bz2": lambda: tarred(FILES, "bz2"),
    "tar.xz": lambda: tarred(FILES, "xz"),
}


class Everything:
    """The choice of every member, and of every archive within."""

    def wants(self, _path: str, _member: Member) -> bool:
        return True

    def enters(self, _path: str) -> bool:
        return True


def write(folder: Path, data: bytes, name: str = "pack.bin") -> Path:
    path = folder / f"{next(COUNTER)}" / name
    path.parent.mkdir()
    path.write_bytes(data)
    return path


def contents(path: Path, *, sound: bool = True) -> tuple[dict[str, bytes], dict[str, str]]:
    """Every content in an archive by its path inside, and every fault."""
    found, faults = {}, {}
    for one in scan(path, archive_kind(peek(path), path.name), Everything()):
        try:
            if one.blocks is not None:
                found[one.path] = b"".join(one.blocks)
                if sound:
                    assert one.member.size in (None, len(found[one.path]))
                    assert one.member.crc32 in ("", f"{zlib.crc32(found[one.path]):08x}")
            elif not one.member.size and not one.member.fault:
                found[one.path] = b""
        except ArchiveError as error:
            faults[one.path] = str(error)
        if one.member.fault:
            faults[one.path] = one.member.fault
    return found, faults


def refusal(path: Path) -> str:
    with pytest.raises(ArchiveError) as caught:
        contents(path)
    return str(caught.value)


@pytest.mark.parametrize("kind", SOUND)
def test_every_kind_gives_its_contents_whatever_its_ending(tmp_path: Path, kind: str) -> None:
    name = "a.zip" if "program" in kind else "a.rom"
    path = write(tmp_path, SOUND[kind](), name)
    assert contents(path) == (FILES, {})
    assert b"".join(member_blocks(path, "dir/two.rom")) == FILES["dir/two.rom"]
    with pytest.raises(ArchiveError, match="no longer in it"):
        list(member_blocks(path, "three.rom"))


@pytest.mark.parametrize(("kind", "pack"), [("gz", gzip.compress), ("bz2", bz2.compress), ("xz", lzma.compress)])
def test_a_file_packed_by_itself_is_named_after_it(tmp_path: Path, kind: str, pack: Callable[[bytes], bytes]) -> None:
    data = FILES["one.rom"]
    assert contents(write(tmp_path, pack(data), f"one.rom.{kind}")) == ({"one.rom": data}, {})
    path = write(tmp_path, pack(data), f"one.rom.{kind}")
    member = next(scan(path, kind, Everything())).member
    assert member.size == {"gz": len(data), "bz2": None, "xz": len(data)}[kind]
    joined = write(tmp_path, pack(b"a" * 9000 + data) + pack(b"b"), f"j.{kind}")
    assert contents(joined) == ({"j": b"a" * 9000 + data + b"b"}, {}), "several parts joined claim no size"


def test_archives_in_archives_are_looked_into(tmp_path: Path) -> None:
    inner = sevened({"deep.rom": b"deep", "x/y.rom": b"y"})
    path = write(tmp_path, zipped({"in/pack.7z": inner, "note.txt": b"n"}), "a.zip")
    found, faults = contents(path)
    assert found == {"in/pack.7z": inner, "in/pack.7z/deep.rom": b"deep", "in/pack.7z/x/y.rom": b"y", "note.txt": b"n"}
    assert faults == {}
    assert b"".join(member_blocks(path, "in/pack.7z/x/y.rom")) == b"y"
    data = zipped({"end.rom": b"e"})
    for depth in range(3):
        data = zipped({f"{depth}.zip": data})
    found, faults = contents(write(tmp_path, data, "deep.zip"))
    assert "end.rom" not in " ".join(found)
    assert list(faults.values()) == ["is too deep in other archives; unpack the outer one yourself"]


def test_solid_blocks_are_decoded_once_and_only_as_far_as_wanted(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    files = {f"{number:02}": random.Random(number).randbytes(200_000) for number in range(20)}
    path = write(tmp_path, sevened(files), "a.7z")
    read = 0
    real = Span.read

    def counted(self: Span, offset: int, length: int) -> bytes:
        nonlocal read
        data = real(self, offset, length)
        read += len(data)
        return data

    monkeypatch.setattr(Span, "read", counted)

    class Chosen(Everything):
        def __init__(self, *names: str) -> None:
            self.names = names

        def wants(self, path: str, _member: Member) -> bool:
            return path in self.names

    def cost(*names: str) -> int:
        nonlocal read
        read = 0
        found = {one.path: b"".join(one.blocks) for one in scan(path, "7z", Chosen(*names)) if one.blocks is not None}
        assert found == {name: files[name] for name in names}
        return read

    listing = cost()
    assert listing < 5_000
    assert cost("00") < 1_000_000
    assert cost(*files) < path.stat().st_size + listing + 300_000


def encrypted_zip() -> bytes:
    data = bytearray(zipped({"secret.rom": b"s"}))
    for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        data[data.index(mark) + at] |= 1
    return bytes(data)


def flipped(data: bytes, at: int) -> bytes:
    return data[:at] + bytes([data[at] ^ 0x55]) + data[at + 1 :]


REFUSED: dict[str, tuple[Callable[[], bytes], str, str]] = {
    "cut zip": (lambda: zipped(FILES)[:-30], "a.zip", "its end is missing"),
    "no zip at all": (lambda: b"hello", "a.zip", "is a broken zip file"),
    "cut 7z": (lambda: sevened(FILES)[:-30], "a.7z", "its end is missing"),
    "cut 7z start": (lambda: sevened(FILES)[:20], "a.7z", "cut short"),
    "7z with a damaged start": (lambda: flipped(sevened(FILES), 14), "a.7z", "its start is damaged"),
    "7z with a damaged directory": (lambda: flipped(sevened(FILES), -3), "a.7z", "its directory is damaged"),
    "7z, encrypted with its names": (
        lambda: sevened(FILES, password="x", header_encryption=True), "a.7z", "is encrypted, names included",
    ),
    "cut gz": (lambda: gzip.compress(b"x")[:5], "a.gz", "is a broken gz file"),
    "part of a 7z": (lambda: b"7z", "a.7z.001", "one part of several"),
    "part of a zip": (lambda: b"PK", "a.z01", "one part of several"),
    "a zip over several disks": (
        lambda: zipped({"a": b"a"})[:-18] + b"\1\0\1\0" + zipped({"a": b"a"})[-14:], "a.zip", "one part of several",
    ),
    "a kind that cannot be unpacked": (lambda: b"Rar!\x1a\x07\x01\x00", "a", "cannot unpack"),
}  # fmt: skip


@pytest.mark.parametrize("case", REFUSED)
def test_an_archive_that_cannot_be_read_says_why(tmp_path: Path, case: str) -> None:
    make, name, says = REFUSED[case]
    assert says in refusal(write(tmp_path, make(), name))


def test_members_that_cannot_be_read_say_why_and_the_rest_goes_on(tmp_path: Path) -> None:
    damaged = zipped({"a": b"a" * 99, "b": b"b"}, zipfile.ZIP_STORED)
    found, faults = contents(write(tmp_path, flipped(damaged, damaged.index(b"aaaa")), "a.zip"))
    assert (found["b"], list(faults)) == (b"b", ["a"])
    assert contents(write(tmp_path, encrypted_zip(), "a.zip"))[1] == {"secret.rom": "is encrypted"}
    assert contents(write(tmp_path, sevened(FILES, password="x"), "a.7z"))[1]["one.rom"] == "is encrypted"
    strange = sevened(FILES, [{"id": py7zr.FILTER_PPMD, "order": 6, "mem": 20}])
    assert "cannot unpack (PPMd)" in contents(write(tmp_path, strange, "a.7z"))[1]["one.rom"]
    huge = sevened({"a": b"a" * 9}, [{"id": py7zr.FILTER_LZMA2, "dict_size": 512 << 20}])
    assert "needs 512 MiB of memory" in contents(write(tmp_path, huge, "a.7z"))[1]["a"]


def test_hostile_names_are_only_names(tmp_path: Path) -> None:
    names = ["../../x", "/etc/x", "C:\\x", "a\\b", "n" * 300]
    files = {name: name.encode() for name in names}
    assert contents(write(tmp_path, zipped(files), "a.zip")) == (files, {})
    assert contents(write(tmp_path, tarred({**files, "odd\udcff": b"o"}), "a.tar"))[0]["odd\udcff"] == b"o"
    data = zipped({"x1": b"1", "x2": b"2", "y": b"y"}).replace(b"x2", b"x1")
    path = write(tmp_path, data, "a.zip")
    assert contents(path) == ({"x1": b"1", "x1 [2]": b"2", "y": b"y"}, {})
    assert b"".join(member_blocks(path, "x1 [2]")) == b"2"


def test_zip64_is_read(tmp_path: Path) -> None:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        for number in range(65_600):
            archive.writestr(zipfile.ZipInfo(f"{number}"), b"")
        with archive.open(zipfile.ZipInfo("big"), "w", force_zip64=True) as stream:
            stream.write(b"big")
    found, _ = contents(write(tmp_path, buffer.getvalue(), "a.zip"))
    assert (len(found), found["big"]) == (65_601, b"big")


def test_bombs_are_told_and_skipped(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    data = bytearray(zipped({"bomb": b"x" * 1000}))
    struct.pack_into("<L", data, data.index(b"PK\x01\x02") + 24, 0xFFFFFFF0)
    assert "skipped as a bomb" in refusal(write(tmp_path, bytes(data), "a.zip"))
    monkeypatch.setattr(common, "ARCHIVE", Limits(bytes=100_000, items=3, of="files"))
    assert "has more than 3 files" in refusal(write(tmp_path, zipped({str(n): b"" for n in range(4)}), "a.zip"))
    inner = zipped({"a": bytes(90_000)})
    faults = contents(write(tmp_path, zipped({"1.zip": inner, "2.zip": inner}), "a.zip"))[1]
    assert any("stops there" in fault for fault in faults.values())
    monkeypatch.setattr(common, "FREE_BYTES", 1000)
    monkeypatch.setattr(common, "ARCHIVE", Limits(bytes=1000, times=100, items=3, of="files"))
    assert "left there" in str(contents(write(tmp_path, gzip.compress(bytes(90_000)), "a.gz"))[1])
    packed = gzip.compress(tarred({"zeros": bytes(90_000)}))
    assert "left there" in refusal(write(tmp_path, packed, "a.tgz"))


SOAK = 50 if os.environ.get("GRIBBLE_SOAK") else 1
MUTABLE = [
    data() for kind, data in SOUND.items() if kind in ("zip", "7z", "7z, x86 and lzma", "tar", "tar.gz", "tar.xz")
]


@settings(max_examples=120 * SOAK)
@given(
    st.integers(0, len(MUTABLE) - 1),
    st.lists(st.tuples(st.integers(0, 1 << 30), st.binary(max_size=4)), max_size=4),
    st.integers(0, 1 << 30),
)
def test_no_damage_ends_in_anything_but_words(
    tmp_path_factory: pytest.TempPathFactory, kind: int, damage: list[tuple[int, bytes]], cut: int
) -> None:
    data = bytearray(MUTABLE[kind])
    for place, patch in damage:
        # most of the damage goes where the directories are
        at = place % len(data) if place % 2 else len(data) - 1 - place % min(600, len(data))
        data[at : at + len(patch)] = patch
    path = tmp_path_factory.getbasetemp() / "mutant.bin"
    path.write_bytes(data[: len(data) - cut % 50] if cut % 3 == 0 else data)
    with contextlib.suppress(ArchiveError):
        contents(path, sound=False)


def test_a_folder_in_a_7z_is_no_file_and_an_empty_file_is_one(tmp_path: Path) -> None:
    (tmp_path / "game/art").mkdir(parents=True)
    (tmp_path / "game/art/box.pic").write_bytes(b"box")
    (tmp_path / "game/nothing").mkdir()
    (tmp_path / "game/empty.sav").touch()
    with py7zr.SevenZipFile(tmp_path / "a.7z", "w") as archive:
        archive.writeall(tmp_path / "game", "game")
    found = {one.path: one.member.size for one in scan(tmp_path / "a.7z", "7z", Everything())}
    assert found == {"game/art/box.pic": 3, "game/empty.sav": 0}
