"""Writing zips: any members from anywhere, proven on the way, the same bytes every time, readable by others."""

from __future__ import annotations

import hashlib
import io
import tarfile
import zipfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.core.base.digests import Digests
from gribble.core.placing.store import StoreError
from gribble.core.placing.zipping import zipped
from gribble.core.records.steps import PackMember


def proof(data: bytes) -> Digests:
    return Digests(sha1=hashlib.sha1(data, usedforsecurity=False).hexdigest())


def written(folder: Path, members: list[PackMember]) -> bytes:
    return b"".join(zipped(members, lambda name: folder / name))


def a_source(folder: Path, name: str, data: bytes, kind: str) -> PackMember:
    """A member that comes from a loose file, or from an archive of some kind."""
    place = folder / f"{name.replace('/', '-')}-{kind}{'' if kind in ('bin', 'tar') else '.zip'}"
    if kind == "bin":
        place.write_bytes(data)
    elif kind == "tar":
        with tarfile.open(place, "w") as archive:
            info = tarfile.TarInfo("inside")
            info.size = len(data)
            archive.addfile(info, io.BytesIO(data))
    else:
        method = {"deflated": zipfile.ZIP_DEFLATED, "stored": zipfile.ZIP_STORED, "lzma": zipfile.ZIP_LZMA}[kind]
        with zipfile.ZipFile(place, "w", method) as archive:
            archive.writestr("another", b"x" * 50)
            archive.writestr("inside", data)
        place.write_bytes(b"what stands before a zip" * (len(data) % 2) + place.read_bytes())
    inside = None if kind == "bin" else "inside"
    return PackMember(name=name, from_=place.name, member=inside, size=len(data), digests=proof(data))


@given(
    contents=st.dictionaries(
        st.sampled_from(["a.1", "dir/b.2", "ünïcode", "z"]),
        st.tuples(st.binary(max_size=3000), st.sampled_from(["bin", "deflated", "stored", "lzma", "tar"])),
    )
)
def test_any_members_from_anywhere(
    tmp_path_factory: pytest.TempPathFactory, contents: dict[str, tuple[bytes, str]]
) -> None:
    folder = tmp_path_factory.mktemp("zip")
    members = [a_source(folder, name, data, kind) for name, (data, kind) in contents.items()]
    data = written(folder, members)
    assert data == written(folder, members)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.namelist() == list(contents)
        assert archive.testzip() is None
        assert [archive.read(name) for name in contents] == [what for what, _ in contents.values()]
        assert {info.date_time for info in archive.infolist()} <= {(1980, 1, 1, 0, 0, 0)}


def test_what_lies_deflated_is_taken_over_as_it_lies(tmp_path: Path) -> None:
    data = b"the same water " * 900
    with zipfile.ZipFile(tmp_path / "a.zip", "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        archive.writestr("one", data)
        packed = archive.getinfo("one").compress_size
    member = PackMember(name="two", from_="a.zip", member="one", digests=proof(data))
    again = written(tmp_path, [member])
    with zipfile.ZipFile(io.BytesIO(again)) as archive:
        assert archive.getinfo("two").compress_size == packed
    raw = (tmp_path / "a.zip").read_bytes()
    assert raw[33:][:packed] in again  # behind the local header and the name


@pytest.mark.parametrize("kind", ["bin", "deflated", "stored", "tar"])
def test_what_is_not_what_was_planned_is_not_written(tmp_path: Path, kind: str) -> None:
    data = bytes(range(256)) * 20
    member = a_source(tmp_path, "a", data, kind)
    place = tmp_path / member.from_
    raw = bytearray(place.read_bytes())
    raw[raw.index(b"inside") + 30 if kind == "deflated" else raw.index(data[100:140])] ^= 0x10
    place.write_bytes(raw)
    with pytest.raises(StoreError, match=r"a.*is damaged|digest is another"):
        written(tmp_path, [member])
    place.write_bytes(raw[: len(raw) // 3])
    with pytest.raises(StoreError):
        written(tmp_path, [member])
    place.unlink()
    with pytest.raises(StoreError, match="no such file"):
        written(tmp_path, [member])


def test_more_members_than_a_plain_zip_can_count(tmp_path: Path) -> None:
    (tmp_path / "x").write_bytes(b"x")
    members = [PackMember(name=f"{n}", from_="x", digests=proof(b"x")) for n in range(65_537)]
    with zipfile.ZipFile(io.BytesIO(written(tmp_path, members))) as archive:
        assert len(archive.infolist()) == 65_537
        assert archive.read("65536") == b"x"
