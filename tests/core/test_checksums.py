"""Checksum lists: every form that is read, the one that is written, and what is said of bad lines."""

from __future__ import annotations

from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from gribble.core.catalogue.sheets import read_checksums, write_checksums
from gribble.core.records.sheet import ManifestFile

SHA = "ab" * 32


def test_every_form_is_read(tmp_path: Path) -> None:
    (tmp_path / "list").write_bytes(
        b"\xef\xbb\xbf; a comment\r\n\r\n"
        + f"{SHA}  plain one.rom\r\n".encode()
        + f"{SHA.upper()} *./binary/b.rom\n# more\n".encode()
        + b"\\" + f"{SHA}  back\\\\slash\n".encode().replace(b"\\\\", b"/")
        + f"MD5 (tagged (1).rom) = {'0c' * 16}\n".encode()
        + f"{'1d' * 20}  sha1.rom\n{'2e' * 4}  crc.rom\nin an sfv.rom  3F3F3F3F \n".encode()
    )  # fmt: skip
    files, faults = read_checksums(tmp_path / "list")
    assert faults == []
    assert files == (
        ManifestFile(name="plain one.rom", sha256=SHA),
        ManifestFile(name="binary/b.rom", sha256=SHA),
        ManifestFile(name="back/slash", sha256=SHA),
        ManifestFile(name="tagged (1).rom", md5="0c" * 16),
        ManifestFile(name="sha1.rom", sha1="1d" * 20),
        ManifestFile(name="crc.rom", crc32="2e" * 4),
        ManifestFile(name="in an sfv.rom", crc32="3f" * 4),
    )


def test_bad_lines_are_told_with_their_number(tmp_path: Path) -> None:
    lines = {
        f"{SHA}  ../x": 'line 1: "../x" climbs out of its root',
        f"{SHA}  /etc/x": 'line 2: "/etc/x" is absolute',
        f"{SHA[:-1]}  x": "line 3: a digest has 8, 32, 40, 64 hex digits, not 63",
        "hello": "line 4: is not `<digest>  <path>`",
        f"SHA512 (x) = {SHA}": "line 5: SHA512 is an algorithm that Gribble does not read",
        f"{SHA}  a": "",
        f"{'cd' * 32}  A": 'line 7: "A" is there twice, with two digests',
        f"\\{SHA}  a\\nb": 'line 8: "a\nb" contains a control character',
        f"{SHA}  .": 'line 9: "." names no file',
    }
    (tmp_path / "list").write_text("\n".join(lines))
    files, faults = read_checksums(tmp_path / "list")
    wanted = [words for words in lines.values() if words]
    assert [fault[: len(words)] for fault, words in zip(faults, wanted, strict=True)] == wanted
    assert [file.name for file in files] == ["a"]
    (tmp_path / "list").write_text("# nothing\n")
    assert read_checksums(tmp_path / "list")[1] == ["lists no file"]
    assert read_checksums(tmp_path / "none")[1] == ["cannot be read: no such file or directory"]


@given(st.dictionaries(st.from_regex(r"[a-z0-9() =*]{1,5}[a-z]", fullmatch=True), st.binary(min_size=32, max_size=32)))
def test_what_is_written_is_read_back(tmp_path_factory: object, files: dict[str, bytes]) -> None:
    listed = tuple(ManifestFile(name=name, sha256=digest.hex()) for name, digest in files.items())
    path = Path(tmp_path_factory.getbasetemp()) / "list"  # type: ignore[attr-defined]
    path.write_text(write_checksums(listed))
    assert read_checksums(path)[0] == listed
