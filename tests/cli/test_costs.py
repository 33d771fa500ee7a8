"""What a foreign file may cost: each kind has its bounds, one row of the table in docs/safety.md, and one input here that
is over each of them. Told within seconds, in little memory, by its name."""

from __future__ import annotations

import gzip
import io
import lzma
import os
import re
import struct
import subprocess
import sys
import tarfile
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import pytest

from tests.making import A, B, C, need, sha1, sheet, small_world

MIB, GIB = 1 << 20, 1 << 30
MOST_MIB, MOST_SECONDS = 300, 10
HERE = 3
"""How many times longer it may take here, where other tests run beside it."""

WATCHED = """
import sys
from gribble.cli.main import main
try:
    main()
finally:
    import resource
    own, helpers = (resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
    most = int(open("/proc/self/status").read().partition("VmHWM:")[2].split()[0])  # its own, since it is this program
    seconds = sum(one.ru_utime + one.ru_stime for one in (own, helpers))
    sys.stdout.flush()
    sys.stderr.write(f"USED {max(most, helpers.ru_maxrss)} {seconds}")
"""
"""The program, which tells at its end how much memory it and its helpers have taken, and of the processor's time."""


class Bomb(NamedTuple):
    """A small file that claims or becomes much: where it lies, what is in it, the command that meets it, and what is
    said of it."""

    place: str
    made: Callable[[], bytes]
    says: str
    words: tuple[str, ...] = ("check", "-v")
    code: int = 1


# Archives


def zipped(members: dict[str, bytes], method: int = zipfile.ZIP_DEFLATED) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", method) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return stream.getvalue()


def claiming(data: bytes, size: int) -> bytes:
    """A zip of one member that claims another size."""
    changed = bytearray(data)
    at = changed.index(b"PK\x01\x02")
    changed[at + 24 : at + 28] = changed[22:26] = struct.pack("<L", size)
    return bytes(changed)


def tar_entry(name: bytes, kind: bytes, size: int, data: bytes = b"") -> bytes:
    """One entry of a tar as its header says, whatever follows."""
    head = bytearray(512)
    head[: len(name[:100])] = name[:100]
    head[100:108], head[124:136], head[136:148] = b"0000644\0", b"%011o\0" % size, b"%011o\0" % 0
    head[156:157], head[257:265] = kind, b"ustar  \0"
    head[148:156] = b"%06o\0 " % (sum(head[:148]) + 8 * 32 + sum(head[156:]))
    return bytes(head) + data + bytes(-len(data) % 512)


def with_holes(number: int) -> bytes:
    """A member that is one hole of eight GiB."""
    head = bytearray(tar_entry(b"hole %d" % number, b"S", 0))
    head[386:398], head[398:410], head[483:495] = b"%011o\0" % 0, b"%011o\0" % 0, b"%011o\0" % ((8 << 30) - 1)
    head[148:156] = b" " * 8
    head[148:156] = b"%06o\0 " % sum(head)
    return bytes(head)


def overlapping() -> bytes:
    """Sixty thousand entries for one and the same member."""
    data = zipped({"a.rom": bytes(range(256)) * 40}, zipfile.ZIP_STORED)
    at, end = data.index(b"PK\x01\x02"), data.index(b"PK\x05\x06")
    entry, count = data[at:end], 60_000
    tail = struct.pack("<4s4H2LH", b"PK\x05\x06", 0, 0, count, count, len(entry) * count, at, 0)
    return data[:at] + entry * count + tail


def many_entries(count: int) -> bytes:
    entry = struct.pack("<4s6H3L5H2L", b"PK\x01\x02", 0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0) + b"x"
    end = struct.pack("<4sQ2H2L4Q", b"PK\x06\x06", 44, 45, 45, 0, 0, count, count, len(entry) * count, 0)
    place = struct.pack("<4sLQL", b"PK\x06\x07", 0, len(entry) * count, 1)
    return (
        entry * count
        + end
        + place
        + struct.pack("<4s4H2LH", b"PK\x05\x06", 0, 0, 0xFFFF, 0xFFFF, 0xFFFFFFFF, 0xFFFFFFFF, 0)
    )


def nested(depth: int) -> bytes:
    data = zipped({"a.rom": B}, zipfile.ZIP_STORED)
    for number in range(depth):
        data = zipped({f"{number}.zip": data}, zipfile.ZIP_STORED)
    return data


def zeros_in_zips() -> bytes:
    inner = zipped({"zeros.zip": b"PK\x03\x04" + bytes(60 * MIB)})
    return zipped({f"{number}.zip": inner for number in range(60)}, zipfile.ZIP_STORED)


def nested_zeros() -> bytes:
    """Four archives of ten members, 50 MiB of zeros each."""
    inner = zipped({f"z{number}": bytes(50 * MIB) for number in range(10)})
    return zipped({f"n{number}.zip": inner for number in range(4)}, zipfile.ZIP_STORED)


def tar_of_many() -> bytes:
    stream = io.BytesIO()
    with tarfile.open(fileobj=stream, mode="w:gz") as archive:
        for number in range(400):
            info = tarfile.TarInfo(f"{number}.bin")
            info.size = 200_000
            archive.addfile(info, io.BytesIO(number.to_bytes(2, "big") * 100_000))
    return stream.getvalue()


def seven_of_folders(count: int = 20_000) -> bytes:
    """A 7z in which each file is packed by itself; the directory alone counts."""

    def number(value: int) -> bytes:
        return bytes([0xC0 | value >> 16]) + (value & 0xFFFF).to_bytes(2, "little") if value > 127 else bytes([value])

    folder = bytes([1, 1, 0])  # one coder: copy
    names = "".join(f"{n}\0" for n in range(count)).encode("utf-16-le")
    header = bytes([1, 4])
    header += bytes([6, 0]) + number(count) + bytes([9]) + bytes([1]) * count + bytes([0])
    header += bytes([7, 11]) + number(count) + bytes([0]) + folder * count
    header += bytes([12]) + bytes([1]) * count + bytes([0, 0])
    header += bytes([5]) + number(count) + bytes([17])
    size = len(names) + 1
    header += bytes([0xE0 | size >> 24]) + (size & 0xFFFFFF).to_bytes(3, "little") + b"\0" + names + bytes([0, 0])
    import zlib

    start = struct.pack("<QQL", count, len(header), zlib.crc32(header))
    return b"7z\xbc\xaf\x27\x1c\0\x04" + struct.pack("<L", zlib.crc32(start)) + start + bytes(count) + header


def xz_of_dictionary() -> bytes:
    return lzma.compress(
        bytes(64 * MIB),
        filters=[{"id": lzma.FILTER_LZMA2, "dict_size": 768 * MIB, "mode": lzma.MODE_FAST, "mf": lzma.MF_HC3}],
    )


# Lists


def book(cells: str, shared: str = "") -> bytes:
    """A workbook of one sheet (ECMA-376)."""
    space = "http://schemas.openxmlformats.org"
    main, office = f"{space}/spreadsheetml/2006/main", f"{space}/officeDocument/2006/relationships"
    package = f"{space}/package/2006"
    types = "application/vnd.openxmlformats-officedocument.spreadsheetml"
    parts = {
        "[Content_Types].xml": f'<Types xmlns="{package}/content-types"><Default Extension="xml" ContentType="application/xml"/>'
        f'<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        f'<Override PartName="/xl/workbook.xml" ContentType="{types}.sheet.main+xml"/></Types>',
        "_rels/.rels": f'<Relationships xmlns="{package}/relationships"><Relationship Id="a" '
        f'Type="{office}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'<workbook xmlns="{main}" xmlns:r="{office}"><sheets><sheet name="S" sheetId="1" r:id="a"/></sheets></workbook>',
        "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{package}/relationships">'
        f'<Relationship Id="a" Type="{office}/worksheet" Target="worksheets/sheet1.xml"/>'
        f'<Relationship Id="b" Type="{office}/sharedStrings" Target="sharedStrings.xml"/></Relationships>',
        "xl/worksheets/sheet1.xml": f'<worksheet xmlns="{main}"><sheetData>{cells}</sheetData></worksheet>',
        "xl/sharedStrings.xml": f'<sst xmlns="{main}">{shared}</sst>',
    }
    return zipped({name: f'<?xml version="1.0"?>{text}'.encode() for name, text in parts.items()})


def far_cell(column: str) -> bytes:
    return book(f'<row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="{column}1048576"><v>1</v></c></row>')


def repeated_text() -> bytes:
    rows = "".join(f'<row r="{n}"><c r="A{n}" t="s"><v>0</v></c></row>' for n in range(1, 401))
    return book(rows, f"<si><t>{'x' * (8 * MIB)}</t></si>")


def repeated_cells() -> bytes:
    space = "urn:oasis:names:tc:opendocument:xmlns"
    content = (
        f'<?xml version="1.0"?><office:document-content xmlns:office="{space}:office:1.0" '
        f'xmlns:table="{space}:table:1.0" xmlns:text="{space}:text:1.0"><office:body><office:spreadsheet>'
        '<table:table table:name="S"><table:table-row table:number-rows-repeated="9000"><table:table-cell '
        'table:number-columns-repeated="10000" office:value-type="string"><text:p>x</text:p></table:table-cell>'
        "</table:table-row></table:table></office:spreadsheet></office:body></office:document-content>"
    )
    manifest = f'<?xml version="1.0"?><m:manifest xmlns:m="{space}:manifest:1.0"/>'
    kind = b"application/vnd.oasis.opendocument.spreadsheet"
    return zipped({"mimetype": kind, "content.xml": content.encode(), "META-INF/manifest.xml": manifest.encode()})


def rows_of(name: str) -> bytes:
    lines = (f"{name},f{n}.bin,{n},{n:08x}\n" for n in range(8000))
    return ("set,name,size,crc\n" + "".join(lines)).encode()


ZEROS = gzip.compress(bytes(64 * MIB), 9)
IMPORT = ("catalogue", "import", "{}", "--out", "new.sheet.toml", "--yes")
ROSTER = ("catalogue", "import", "{}", "--out", "new.roster.jsonl", "--release", "1", "--emulator", "plover", "--yes")
IDENTIFY = ("identify", "{}")
SHEET = 'sheet = 1\nemulator = "odd"\n'
HEAD = b'{"roster": 1, "emulator": "plover", "release": "1"}\n'

BOMBS: dict[str, dict[str, Bomb]] = {
    "sheets, field maps, gribble.toml": {
        "4 MiB": Bomb("catalogue/odd.sheet.toml", lambda: b"a = 1\n" + b"# " * (2 * MIB), "is larger than 4 MiB", code=2),
        "64 parts": Bomb("catalogue/odd.sheet.toml", lambda: b"a" + b".a" * 60_000 + b" = 1", "more than 64 parts", code=2),
        "63 bits": Bomb("catalogue/odd.sheet.toml", lambda: (SHEET + "[[need]]\n[[need.accept]]\nsize = " + "9" * 400).encode(), "larger than any number", code=2),
    },
    "rosters": {
        "1 GiB": Bomb("catalogue/plover-1.roster.jsonl", lambda: b"", "is larger than 1 GiB", code=2, words=("catalogue", "lint")),
        "16 MiB": Bomb("catalogue/plover-1.roster.jsonl", lambda: HEAD + b'{"set": "a", "title": "' + b"x" * (60 * MIB), "more than 16 MiB", code=2, words=("catalogue", "lint")),
        "500,000 sets": Bomb("catalogue/plover-1.roster.jsonl", lambda: HEAD + b"".join(b'{"set":"%d"}\n' % n for n in range(500_001)), "more than 500,000 sets", words=("check", "-v"), code=1),
    },
    "checksum lists": {
        "64 MiB": Bomb("catalogue/odd.sha1", lambda: b"", "is larger than 64 MiB", code=2),
    },
    "settings files": {
        "4 MiB": Bomb("rig/s.ini", lambda: b"a = 1\n" * MIB, "is larger than 4 MiB"),
        "1 MiB": Bomb("rig/s.xml", lambda: b"<a>" + b"<b></b>" * 200_000 + b"</a>", "is larger than 1 MiB"),
        "256 KiB": Bomb("rig/s.yaml", lambda: b"a: 1\n" * 60_000, "is larger than 256 KiB"),
        "1,024 characters": Bomb("rig/s.ini", lambda: b"a = " + b"x" * (2 * MIB), "2,097,152 characters"),
        "deep": Bomb("rig/s.xml", lambda: b"<a>" * 70_000 + b"</a>" * 70_000, "has more than one value at a"),
        "many": Bomb("rig/s.json", lambda: b'{"b":[' + b"1," * 500_000 + b"1]}", "has no a"),
    },
    "archives": {
        "zeros without end": Bomb("drawer/card.gz", lambda: ZEROS * 320 + gzip.compress(b""), "is longer than anything"),
        "1 GiB": Bomb("drawer/card.tgz", lambda: gzip.compress(tar_entry(b"z", b"0", 20 << 30)) + ZEROS * 300, "comes to more than 1 GiB"),
        "200,000 files": Bomb("drawer/many.zip", lambda: many_entries(200_001), "has more than 200,000 files"),
        "500,000 entries": Bomb("drawer/many.zip", lambda: many_entries(1_400_000), "has 1,400,000 entries"),
        "64 MiB": Bomb("drawer/long.zip", lambda: bytes(65 * MIB) + struct.pack("<4s4H2LH", b"PK\x05\x06", 0, 0, 1, 1, 64 * MIB + 1, 0, 0), "a directory of more than 64 MiB"),
        "100,000 entries": Bomb("drawer/many.tar.gz", lambda: gzip.compress(tar_entry(b"d/", b"5", 0) * 150_000, 1), "more than 100,000 entries"),
        "1 MiB": Bomb("drawer/n.tar.gz", lambda: gzip.compress(tar_entry(b"L", b"L", 1 << 29) + b"x" * (1 << 24), 9), "skipped as a bomb"),
        "1 MiB, for all": Bomb("drawer/g.tar.gz", lambda: gzip.compress(tar_entry(b"g", b"g", 1 << 29) + b"x" * (1 << 24), 9), "skipped as a bomb"),
        "4,096 characters": Bomb("drawer/name.zip", lambda: zipped({"x" * 5000: B}), "a name of 5,000 characters"),
        "three deep": Bomb("drawer/deep.zip", lambda: nested(4), "is too deep"),
        "64 MiB each": Bomb("drawer/large.zip", lambda: zipped({"in.zip": b"PK\x03\x04" + bytes(70 * MIB)}), "is too large"),
        "256 MiB together": Bomb("drawer/zeros.zip", zeros_in_zips, "comes to more than 256 MiB"),
        "128 MiB of memory": Bomb("drawer/dictionary.xz", xz_of_dictionary, "dictionary.xz"),
        "holes": Bomb("drawer/holes.tar", lambda: b"".join(map(with_holes, range(1000))) + bytes(1024), "stored with holes"),
        "equal names": Bomb("drawer/same.tar", lambda: tar_entry(b"a", b"0", 0) * 20_000 + bytes(1024), ""),
        "an empty index": Bomb("drawer/e.xz", lambda: lzma.compress(b"")[:12] + b"\0" * 8 + struct.pack("<LLH2s", 0, 1, 4, b"YZ") + bytes(60), ""),
        "an index without end": Bomb("drawer/i.xz", lambda: bytes.fromhex("fd377a585a000004e6d6b446") + b"\0" + b"\xff" * 400_000 + struct.pack("<LLH2s", 0, 100_000, 4, b"YZ"), ""),
        "bzip2 that claims little": Bomb("drawer/b.zip", lambda: claiming(zipped({"a.rom": bytes(GIB // 3)}, zipfile.ZIP_BZIP2), len(A)), "Bad CRC-32"),
        "LZMA that claims little": Bomb("drawer/l.zip", lambda: claiming(zipped({"a.rom": bytes(64 * MIB)}, zipfile.ZIP_LZMA), len(A)), "Bad CRC-32"),
        "a catalogue that claims little": Bomb("friend.zip", lambda: claiming(zipped({"tern.sheet.toml": bytes(GIB // 3)}), 100), "friend.zip: tern.sheet.toml cannot be unpacked", ("catalogue", "add", "friend.zip", "--yes"), 2),
        "members in one place": Bomb("drawer/over.zip", overlapping, "overlap"),
        "members in one place, looked at": Bomb("drawer/over.zip", overlapping, "overlap", IDENTIFY, 0),
        "a 7z of folders": Bomb("drawer/folders.7z", seven_of_folders, ""),
        "a tar of many, looked at": Bomb("drawer/many.tgz", tar_of_many, "400 unknown", IDENTIFY, 0),
        "zips of zeros, looked at": Bomb("drawer/nested.zip", nested_zeros, "its content was not read: comes to more than 1 GiB", (*IDENTIFY, "-v"), 0),
    },
    "files": {
        "64 GiB": Bomb("drawer/sparse.img", lambda: b"", "has more than 64 GiB"),
        "1 GiB": Bomb("drawer/holes.img", lambda: b"", "is nearly all holes"),
    },
    "lists to be imported": {
        "64 MiB": Bomb("large.md", lambda: b"", "is larger than 64 MiB", IMPORT, 2),
        "4,000,000 cells": Bomb("rows.html", lambda: b"<table><tr>" + b"<td>1</td>" * 1900 + b"</tr>" + b"<tr>" + b"<td rowspan=1000>x</td>" * 1900 + b"</tr>" + b"<tr></tr>" * 999 + b"<tr>" + b"<td rowspan=1000>x</td>" * 1900 + b"</tr>" + b"<tr></tr>" * 999 + b"<tr>" + b"<td rowspan=1000>x</td>" * 1900 + b"</tr>" + b"<tr></tr>" * 999 + b"</table>", "has more than 4,000,000 cells", IMPORT, 2),
        "2,000 columns": Bomb("span.html", lambda: b"<table><tr>" + b"<td colspan=1000>x</td>" * 20_000 + b"</tr></table>", "span.html", IMPORT, 2),
        "2,000 columns, of text": Bomb("pipes.md", lambda: b"| name | sha1 |\n|---|---|\n" + b"|" * 3_000_000 + b"\n", "more than 2,000 columns", IMPORT, 2),
        "1,048,576 characters": Bomb("row.tsv", lambda: b"name\tsha1\n" + b"\t".join([b"x" * 120_000] * 10) + b"\n", "more than 1,048,576 characters", IMPORT, 2),
        "128 MiB": Bomb("unpacks.xlsx", lambda: claiming(book(""), 130 * MIB), "unpacks to more than 128 MiB", IMPORT, 2),
        "224 MiB of memory": Bomb("far.xlsx", lambda: far_cell("XFD"), "takes more than 224 MiB of memory", IMPORT, 2),
        "224 MiB of memory, by columns": Bomb("far.xlsx", lambda: far_cell("CV"), "takes more than", IMPORT, 2),
        "224 MiB of memory, by text": Bomb("shared.xlsx", repeated_text, "shared.xlsx", IMPORT, 2),
        "224 MiB of memory, by cells": Bomb("repeated.ods", repeated_cells, "repeated.ods", IMPORT, 2),
        "256 MiB": Bomb("large.json", lambda: b'[{"a": 1},\n' + b" " * (256 * MIB), "is larger than 256 MiB", IMPORT, 2),
        "5,000,000 values": Bomb("many.json", lambda: b"[" + b"[]," * 5_000_001 + b"[]]", "more than 5,000,000 values", IMPORT, 2),
        "200 deep": Bomb("deep.xml", lambda: b"<l><r><n>" + b"<a>" * 1000 + b"</a>" * 1000 + b"</n></r></l>", "nested too deeply", IMPORT, 2),
        "footnotes": Bomb("notes.html", lambda: b"<table><tr><td>a.rom" + b"<sup>1</sup> x" * 20_000 + b"</td></tr></table>", "notes.html", IMPORT, 2),
        "records of one name": Bomb("same.csv", lambda: rows_of("pier"), "1 set of plover", ROSTER, 0),
        "records of one need": Bomb("one.csv", lambda: ("name,size,sha1\n" + "".join(f"a.rom,{n},{n:040x}\n" for n in range(8000))).encode(), "", (*IMPORT, "--emulator", "odd"), 0),
    },
    "journals": {
        "8 MiB": Bomb("rig/.gribble/runs/0001.jsonl", lambda: b'{"gribble": "run/1", "steps": [' + b"[]," * 6_000_000, "is none of this user's", ("history",), 0),
    },
    "plan files": {
        "256 MiB": Bomb("plan.json", lambda: b"", "is larger than 256 MiB", ("place", "--plan", "plan.json"), 2),
        "5,000,000 values": Bomb("plan.json", lambda: b"[" + b"[]," * 5_000_001 + b"[]]", "more than 5,000,000 values", ("place", "--plan", "plan.json"), 2),
    },
    "key files": {
        "1 MiB": Bomb("rig/boot/keys.txt", lambda: b"a = 00\n" * 200_000, "larger than 1 MiB"),
    },
    "track sheets, playlists": {
        "1 MiB": Bomb("drawer/long.cue", lambda: b'FILE "a.bin" BINARY\n' * 60_000, "never that long", ("discs", "check", "drawer")),
    },
}  # fmt: skip
LARGE = {  # files of one hole, of so many bytes
    ("rosters", "1 GiB"): GIB + 1, ("checksum lists", "64 MiB"): 64 * MIB + 1,
    ("files", "64 GiB"): 900 * GIB, ("files", "1 GiB"): 40 * GIB, ("lists to be imported", "64 MiB"): 64 * MIB + 1,
    ("plan files", "256 MiB"): 256 * MIB + 1,
}  # fmt: skip
UNTRIED = {
    "10 seconds": "tests/core/test_drafting.py has a page that takes longer than it is given",
    "128 MiB": "what a 7z's dictionary asks for is refused by the same rule as that of an xz",
}
"""Limits that are tried by another one's input."""
ELSEWHERE = {
    "what a server answers": "tests/cli/test_servers.py",
    "published catalogues": "tests/cli/test_following.py",
}
"""Kinds that are tried by other tests."""


def world_of(base: Path, kind: str, bomb: Bomb) -> Path:
    """A world in which everything has a place to be met at."""
    world = small_world(base / "world", {"drawer/a": A})
    parts = [need("a", A)]
    if kind == "settings files":
        ending = bomb.place.rpartition(".")[2]
        parts.append(f'[[setting]]\nfile = "{Path(bomb.place).name}"\nformat = "{ending}"\nkey = "a"\nneed = "a"\n')
    if kind == "rosters":
        parts.append('[arcade]\nfolder = "boot"\nrosters = "*.roster.jsonl"\n')
    if kind == "checksum lists":
        parts.append(
            '[[need]]\nid = "m"\nkind = "data"\nlevel = "must"\nfolder = "boot"\nname = "m"\nmanifest = "odd.sha1"\n'
        )
    if kind == "files":
        parts.append(
            f'[[need]]\nid = "u"\nkind = "bios"\nlevel = "must"\nfolder = "boot"\nname = "u"\n[[need.accept]]\nsha1 = "{sha1(C)}"\n'
        )
    if kind == "key files":
        parts.append(
            '[[need]]\nid = "k"\nkind = "keys"\nlevel = "must"\nfolder = "boot"\nname = "keys.txt"\n[[need.key]]\nname = "a"\nbytes = 16\n'
        )
    sheet(world, *parts)
    return world


@pytest.mark.own_ground("measures processes of this system")
@pytest.mark.skipif(sys.platform != "linux", reason="only here it is known how much memory a process has taken")
@pytest.mark.parametrize(("kind", "bound"), [(kind, bound) for kind, bombs in BOMBS.items() for bound in bombs])
def test_what_is_over_a_bound_is_told_in_little_time_and_memory(
    tmp_path: Path, clean_env: dict[str, str], kind: str, bound: str
) -> None:
    bomb = BOMBS[kind][bound]
    world = world_of(tmp_path, kind, bomb)
    place = world / bomb.place
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(bomb.made())
    if size := LARGE.get((kind, bound)):
        os.truncate(place, size)
    words = [word.replace("{}", bomb.place) for word in bomb.words]
    done = subprocess.run(
        [sys.executable, "-c", WATCHED, *words], cwd=world, env=clean_env, capture_output=True, text=True, timeout=120, check=False
    )  # fmt: skip
    told, _, used = done.stderr.rpartition("USED ")
    said = " ".join(f"{done.stdout} {told}".split())
    assert done.returncode == bomb.code, said
    assert "a fault of its own" not in said
    assert bomb.says in said
    kilobytes, seconds = used.split()
    assert int(kilobytes) >> 10 < MOST_MIB
    assert float(seconds) < MOST_SECONDS * HERE


def rows() -> dict[str, str]:
    """What each kind of foreign input may cost, by docs/safety.md."""
    text = (Path(__file__).parents[2] / "docs/safety.md").read_text()
    table = text.partition("| what reading it may cost at most |")[2].partition("<!--")[0]
    cells = [line.strip("|").split(" | ") for line in table.splitlines() if line.startswith("| ")]
    return {kind.strip(): costs.strip() for kind, _, costs in cells}


def test_each_kind_in_the_document_is_tried() -> None:
    assert rows().keys() == BOMBS.keys() | ELSEWHERE.keys()


@pytest.mark.parametrize("kind", BOMBS)
def test_each_limit_in_the_document_is_tried_and_no_other(kind: str) -> None:
    amounts = set(re.findall(r"\d[\d,]* (?!times)\w+|three deep", rows()[kind]))
    tried = {found[0] if (found := re.match(r"[\d,]+ \w+", bound)) else bound for bound in BOMBS[kind]}
    missing = {one for one in amounts - tried if one not in UNTRIED}
    assert not missing
    assert {one for one in tried if one[:1].isdigit()} <= amounts
