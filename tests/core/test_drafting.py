"""Lists without a map: what is told of them, what is doubtful, and what is refused in words."""

from __future__ import annotations

import hashlib
import json
import subprocess
import sys
import zlib
from pathlib import Path
from typing import Any

import pytest

from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing import apart
from gribble.core.catalogue.importing.apart import rows_apart
from gribble.core.catalogue.importing.build import read_kinds, read_sets
from gribble.core.catalogue.importing.drafting import draft_map
from gribble.core.catalogue.importing.found import Asked
from gribble.core.catalogue.importing.lists import read_list
from gribble.core.catalogue.importing.needs import draft_of, read_rows
from gribble.core.catalogue.importing.tables import book_rows
from gribble.core.records.imported import ListFormat, Tally
from gribble.demo.lists import workbook
from tests.lists import ENTRIES, LANGUAGES, SHAPES, grid_of, taken
from tests.making import sha1


@pytest.mark.parametrize("language", LANGUAGES)
@pytest.mark.parametrize("shape", SHAPES)
def test_a_list_is_understood_in_every_shape_and_language(tmp_path: Path, shape: str, language: str) -> None:
    made = SHAPES[shape](grid_of(LANGUAGES[language]))
    path = tmp_path / shape
    path.write_bytes(made if isinstance(made, bytes) else made.encode())
    drafted = draft_map(path, Asked())
    assert (drafted.to, drafted.made.sheet["emulator"], drafted.doubtful) == ("sheet", "plover", ())
    tally = Tally()
    sheet = draft_of(read_rows(read_list(path, drafted.made), drafted.made, tally), drafted.made, tally)
    assert tally.mistakes == []
    found = [
        (one.name, one.title, one.level, one.accepts[0].size, one.accepts[0].md5, one.accepts[0].sha1)
        for one in sheet.needs
    ]
    assert found == [(*one, one.md5, one.sha1) for one in ENTRIES]


A, B, C = ("0a1b2c3d4e5f60718293a4b5c6d7e8f9", "1b2c3d4e5f60718293a4b5c6d7e8f90a", "2c3d4e5f60718293a4b5c6d7e8f90a1b")
PAGE = f"""<h1>Plover system files</h1>
<h2>Tern 8</h2>
<table><tr><th rowspan=2>File<th colspan=2>Content<th rowspan=2>Size</tr><tr><th>MD5<th>Revision</tr>
<tr><td rowspan=2>sub/a.rom<sup>1</sup><td>{A}<td>1.0<td>64 KB<tr><td>{B}<td>1.1<td>64 KB
<tr><td colspan=4>Not needed by all</tr>
<tr><td>b.rom*<br>b-old.rom [2]<td>{C}<br><span style="display: none">{A}</span><td>N/A<td>&mdash;
<tr hidden><td>gone.rom<td>{C}<td>x<td>1<tfoot><tr><td>c.rom<td>{C}<td>y<td>2</table>
<h2>Tern 16</h2>
<table><tr><th rowspan=2>File<th colspan=2>Content<th rowspan=2>Size</tr><tr><th>MD5<th>Revision</tr>
<tr><td>d.rom<table><tr><td>inner.rom<td>{A}</table><td>{A} (blue), {B} (green)<td>-<td>1.5 MB</table>"""


def test_a_page_is_laid_out_as_a_browser_does(tmp_path: Path) -> None:
    """Spans, line breaks, footnotes, feet, what is hidden, tables within; names with folders, and labels in brackets."""
    drafted, sheet, tally = taken(tmp_path, "files.html", PAGE)
    assert (tally.mistakes, drafted.made.sheet["emulator"]) == ([], "plover")
    assert {one.field: str(one.degree) for one in drafted.guesses if one.field == "size"} == {"size": "assumed"}
    said = [
        (one.folder, one.name, one.aliases, one.machines, [(each.md5, each.label, each.size) for each in one.accepts])
        for one in sheet.needs
    ]
    assert said == [
        ("sub", "a.rom", [], ["Tern 8"], [(A, "1.0", 65536), (B, "1.1", 65536)]),
        ("", "b.rom", ["b-old.rom"], [], [(C, "", None)]),
        ("", "d.rom", [], ["Tern 16"], [(A, "blue", 1572864), (B, "green", 1572864)]),
    ]


SIZES = [
    (["1.536", "65.536"], [1536, 65536]),
    (["1,536", "524,288"], [1536, 524288]),
    (["1.5 KB", "64 KB"], [1536, 65536]),
    (["0,5 MB", "2 MB"], [524288, 2097152]),
    (["4 Mbit", "512 Kbit"], [524288, 65536]),
    (["8192 bytes", "16 384 octets"], [8192, 16384]),
    (["0x2000", "16384"], [8192, 16384]),
]


@pytest.mark.parametrize(("texts", "sizes"), SIZES)
def test_sizes_are_told_by_the_column_as_a_whole(tmp_path: Path, texts: list[str], sizes: list[int]) -> None:
    rows = "".join(f"{n}.rom\t{text}\t{digest}\n" for n, (text, digest) in enumerate(zip(texts, (A, B), strict=True)))
    drafted, sheet, tally = taken(tmp_path, "plover.tsv", f"File\tSize\tMD5\n{rows}")
    assert tally.mistakes == []
    assert [one.accepts[0].size for one in sheet.needs] == sizes
    assumed = any(one.degree == "assumed" for one in drafted.guesses)
    assert assumed == any(unit in text for text in texts for unit in ("KB", "MB", "bit"))


DOUBTFUL = {
    "two digests": (f"File,Old MD5,New MD5\na.rom,{A},{B}\nb.rom,{B},{C}\n", {"md5"}),
    "a word nobody knows": (f"File,Required,MD5\na.rom,yes,{A}\nb.rom,hardly ever,{B}\n", {"level"}),
    "small numbers": (f"File,Size,MD5\na.rom,1,{A}\nb.rom,2,{B}\n", {"size"}),
    "points and commas": (f'File,Size,MD5\na.rom,1.5 KB,{A}\nb.rom,"1,25 KB",{B}\n', {"size"}),
    "two columns of files": (f"a.rom,x.rom,{A}\nb.rom,y.rom,{B}\n", {"name"}),
}


@pytest.mark.parametrize("case", DOUBTFUL)
def test_what_is_not_sure_is_doubtful_and_left_out(tmp_path: Path, case: str) -> None:
    text, fields = DOUBTFUL[case]
    path = tmp_path / "plover.csv"
    path.write_text(text)
    drafted = draft_map(path, Asked())
    assert {one.field for one in drafted.doubtful} == fields
    assert not fields & drafted.without(drafted.doubtful).made.fields.keys()
    assert all(one.reason for one in drafted.every)


REFUSED: dict[str, tuple[str, str | bytes, str]] = {
    "no table": ("plover.html", "<p>Nothing here</p><table></table>", "has no table"),
    "neither digests nor files": ("plover.csv", "Thing,Size\nbread,1024\nmilk,2048\n", "has no table with names of files and their digests"),
    "two good tables": (
        "plover.html",
        f"<table><tr><th>File<th>MD5<tr><td>a.rom<td>{A}</table><table><tr><th>Chip<th>Old MD5<th>New MD5<tr><td>b.rom<td>{B}<td>{A}</table>",
        "--table 1",
    ),
    "nobody's list": ("bios.csv", f"File,MD5\na.rom,{A}\n", "--emulator NAME"),
    "an entity": ("plover.xml", f'<!DOCTYPE a [<!ENTITY x "y">]><a><f n="a.bin" md="{A}"/></a>', "declares entities"),
    "a deep record": ("plover.xml", f'<l><f n="a.bin" md="{A}">' + "<x>" * 3000 + "</x>" * 3000 + "</f></l>", "nested too deeply"),
    "no records": ("plover.json", '{"a": [1, 2], "b": {"c": 3}}', "has no records with digests"),
    "keys of one thing": ("plover.ini", "a = 1\nb = 2\nc = 3\n", "neither sections nor numbered keys"),
    "a broken workbook": ("plover.xlsx", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(600), "not a workbook that Gribble can read"),
}  # fmt: skip


@pytest.mark.parametrize("case", REFUSED)
def test_what_is_no_list_is_refused_in_words(tmp_path: Path, case: str) -> None:
    name, text, words = REFUSED[case]
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    with pytest.raises(GribbleError) as told:
        draft_map(path, Asked())
    assert words in f"{told.value.what} {told.value.fix}"


@pytest.mark.parametrize("value", ["1.234E+31", "2024-05-01T00:00:00", "0a1b2c3d4e5f"])
def test_digests_that_a_spreadsheet_mangled_are_told(tmp_path: Path, value: str) -> None:
    rows = [["File", "MD5"], ["a.rom", A], ["b.rom", B], ["c.rom", value]]
    drafted, sheet, tally = taken(tmp_path, "plover.xlsx", workbook(rows))
    assert [one.field for one in drafted.guesses] == ["name", "md5"]
    assert len(tally.mistakes) == 1
    assert value in tally.mistakes[0]
    assert [one.accepts[0].md5 for one in sheet.needs[:2]] == [A, B]


@pytest.mark.parametrize(
    ("values", "crcs"),
    [
        (["0a1b2c3d", "42", "123456"], ["0a1b2c3d", "00000042", "00123456"]),
        (["0a1b2c3d", "0"], []),  # it was 00e00001, or anything like that
        (["0a1b2c3d", "abc"], []),
    ],
)
def test_leading_zeros_that_a_spreadsheet_dropped_are_put_back(
    tmp_path: Path, values: list[str], crcs: list[str]
) -> None:
    rows = [["File", "CRC"], *([f"{number}.rom", value] for number, value in enumerate(values))]
    drafted, sheet, tally = taken(tmp_path, "plover.xlsx", workbook(rows))
    assert len(tally.mistakes) == (not crcs)
    assert not crcs or [one.accepts[0].crc32 for one in sheet.needs] == crcs
    assert ("put back" in drafted.guesses[1].reason) == bool(crcs)


@pytest.mark.parametrize("spoiled", ["0", "1.2E+15", "2024-05-01T00:00:00", "123456"])
def test_a_digest_that_a_spreadsheet_spoiled_is_left_out_beside_a_better_one(tmp_path: Path, spoiled: str) -> None:
    rows = [["File", "Check", "SHA-1"], *([f"{n}.rom", crc(f"{n}"), sha1(b"%d" % n)] for n in range(4))]
    rows[2][1] = spoiled
    _, sheet, tally = taken(tmp_path, "plover.xlsx", workbook(rows))
    assert (tally.mistakes, tally.spoiled) == ([], 1)
    accepts = [one.accepts[0] for one in sheet.needs]
    assert [one.sha1 for one in accepts] == [row[2] for row in rows[1:]]
    assert [one.crc32 for one in accepts] == [crc("0"), None, crc("2"), crc("3")]
    rows[2][2] = ""
    _, _, tally = taken(tmp_path, "plover.xlsx", workbook(rows))
    assert len(tally.mistakes) == 1


@pytest.mark.parametrize(
    ("sentence", "name"),
    [
        ("You need {} in the boot folder.", "tern8.rom"),
        ("For the disks get {}.", "drive.rom"),
        ("The file {} has to be there.", "tern8.rom"),
        ("Du brauchst auch {}.", "tern8.rom"),
        ("Il faut le fichier {}.", "tern8.rom"),
        ("{}.", "The Tern.rom"),
        ("{}", "Get the Tern.rom"),
    ],
)
def test_the_words_of_a_sentence_are_none_of_a_name(tmp_path: Path, sentence: str, name: str) -> None:
    text = "".join(f"{sentence.format(f'{name} ({sha1(name.encode())})')}\n" for name in (name, "other.rom"))
    _, sheet, _ = taken(tmp_path, "plover.txt", text)
    assert [one.name for one in sheet.needs] == [name, "other.rom"]


def crc(name: str) -> str:
    return f"{zlib.crc32(name.encode()):08x}"


def part(name: str, more: str = "") -> str:
    sha1 = hashlib.sha1(name.encode(), usedforsecurity=False).hexdigest()
    return f'<part label="{name}" bytes="512" sum="{crc(name)}" print="{sha1}"{more}/>'


def export(**relatives: str) -> str:
    """An export in XML: a BIOS set with variants, two games, a clone, a device and a disc; relatives as they are given."""
    disc = hashlib.sha1(b"disc", usedforsecurity=False).hexdigest()
    bodies = {
        "sys": (
            ' system="yes"',
            '<version label="a"/><version label="b" usual="yes"/>'
            + part("a.rom", ' version="a"') + part("b.rom", ' version="b"'),
        ),
        "tone": (' board="yes"', part("tone.1")),
        "mum": (relatives["mum"], "<uses name='tone'/>" + part("mum.1") + part("mum.2") + f'<platter label="mum" print="{disc}"/>'),
        "kid": (relatives["kid"], part("kid.1") + part("mum.2", ' origin="mum.2"')),
        "solo": (relatives["solo"], part("solo.1")),
    }  # fmt: skip
    rows = "".join(
        f'<game id="{name}"{more}><called>The {name}</called><built>{year}</built>{body}</game>'
        for (name, (more, body)), year in zip(bodies.items(), ("1980", "1981", "198?", "1983", "1984"), strict=True)
    )
    subset = '<!DOCTYPE export [<!ATTLIST game system (yes|no) "no" board (yes|no) "no">]>'
    return f'<?xml version="1.0"?>{subset}<export emulator="Ruff" build="7">{rows}</export>'


FAMILIES = {
    "two attributes": {"mum": ' base="sys"', "kid": ' of="mum" base="mum"', "solo": ' base="sys"'},
    "one for both": {"mum": ' base="sys"', "kid": ' base="mum"', "solo": ' base="sys"'},
    "one each": {"mum": ' base="sys"', "kid": ' of="mum" base="sys"', "solo": ' base="sys"'},
}


@pytest.mark.parametrize("case", FAMILIES)
def test_an_export_becomes_a_roster_with_its_families(tmp_path: Path, case: str) -> None:
    path = tmp_path / "ruff.xml"
    path.write_text(export(**FAMILIES[case]))
    drafted = draft_map(path, Asked())
    assert (drafted.to, drafted.made.roster, drafted.doubtful) == ("roster", {"emulator": "ruff", "release": "7"}, ())
    made, tally = drafted.made, Tally()
    kinds = read_kinds(read_list(path, made), made) if made.asks_kinds else None
    sets = {one.set: one for one in read_sets(read_list(path, made), made, tally, kinds=kinds)}
    assert (tally.mistakes, tally.unsure) == ([], 1)
    assert {one.set: (one.kind, one.parent, one.title) for one in sets.values()} == {
        "sys": ("bios", None, "The sys"), "tone": ("device", None, "The tone"), "mum": ("game", None, "The mum"),
        "kid": ("game", "mum", "The kid"), "solo": ("game", None, "The solo"),
    }  # fmt: skip
    assert (sets["mum"].bios, sets["solo"].bios, sets["mum"].devices) == ("sys", "sys", ("tone",))
    assert sets["kid"].bios == ("sys" if case == "one each" else None)
    assert (sets["sys"].variants, [one.variant for one in sets["sys"].files]) == (("b", "a"), ["a", "b"])
    assert [(one.name, one.parent_name, one.size, one.crc32) for one in sets["kid"].files] == [
        ("kid.1", None, 512, crc("kid.1")), ("mum.2", "mum.2", 512, crc("mum.2")),
    ]  # fmt: skip
    assert [one.name for one in sets["mum"].discs] == ["mum"]


def digest_of(name: str) -> str:
    return hashlib.md5(name.encode(), usedforsecurity=False).hexdigest()


FILES = ("tern8.rom", "tern16.rom", "drive.bin")
UNDERSTOOD: dict[str, tuple[str, str, set[str]]] = {
    "digests in one cell": (
        "a.html",
        "<table><tr><th>Filename<th>Status<th>Checksums</tr>" + "".join(
            f"<tr><td>{one}<td>Required<td>CRC32: {crc(one).upper()}<br>MD5: {digest_of(one)}</tr>" for one in FILES) + "</table>",
        {"name", "level", "crc32", "md5"},
    ),
    "names as keys": (
        "a.json", json.dumps({"bios": {one: {"md5": digest_of(one), "optional": False} for one in FILES}}),
        {"name", "level", "md5"},
    ),
    "digests as keys": ("a.json", json.dumps({digest_of(one): {"name": one} for one in FILES}), {"name", "md5"}),
    "names of sections": ("a.ini", "".join(f"[{one}]\nmd5 = {digest_of(one)}\n\n" for one in FILES), {"name", "md5"}),
    "no head": ("a.txt", "\n".join(f"{one}  {n}. part  {digest_of(one)}" for n, one in enumerate(FILES)), {"name", "md5"}),
    "lists of values": (
        "a.json", json.dumps([{"file": one, "md5": [digest_of(one), digest_of(one + "2")], "aliases": [f"x-{one}"]} for one in FILES]),
        {"name", "aliases", "md5"},
    ),
    "files within systems": (
        "a.xml",
        "<list>" + "".join(f'<system name="Tern {n}"><rom file="{one}" md5="{digest_of(one)}"/></system>' for n, one in enumerate(FILES)) + "</list>",
        {"name", "machine", "md5"},
    ),
    "groups in a table": (
        "a.html",
        "<table><tr><th>File<th>MD5</tr>" + "".join(
            f"<tr><th colspan=2>Tern {n}</tr><tr><th>{one}<td>{digest_of(one)}</tr>" for n, one in enumerate(FILES)) + "</table>",
        {"name", "machine", "md5"},
    ),
    "a digest's name in another's": (
        "a.csv", "File,SHA-256\n" + "".join(f"{one},{hashlib.sha256(one.encode()).hexdigest()}\n" for one in FILES), {"name", "sha256"},
    ),
    "UTF-16": ("a.csv", "".join(f"{a};{b}\n" for a, b in [("Datei", "MD5"), *((one, digest_of(one)) for one in FILES)]), {"name", "md5"}),
    "ticks": (
        "a.md", "| File | Needed | MD5 |\n|---|---|---|\n" + "".join(
            f"| `{one}` | {'✔' if n else ''} | {digest_of(one)} |\n" for n, one in enumerate(FILES)),
        {"name", "level", "md5"},
    ),
}  # fmt: skip


@pytest.mark.parametrize("case", UNDERSTOOD)
def test_lists_as_people_make_them(tmp_path: Path, case: str) -> None:
    name, text, fields = UNDERSTOOD[case]
    path = tmp_path / name
    path.write_text(text, encoding="utf-16" if case == "UTF-16" else "utf-8")
    drafted = draft_map(path, Asked(emulator="ruff"))
    assert ({one.field for one in drafted.guesses}, drafted.doubtful) == (fields, ())
    tally = Tally()
    sheet = draft_of(read_rows(read_list(path, drafted.made), drafted.made, tally), drafted.made, tally)
    assert tally.mistakes == []
    known = [(one.name, one.accepts[0].md5 or one.accepts[0].sha256) for one in sheet.needs]
    algorithm = hashlib.sha256 if "sha256" in fields else hashlib.md5
    assert known == [(one, algorithm(one.encode()).hexdigest()) for one in FILES]
    if case == "groups in a table":
        assert [one.machines for one in sheet.needs] == [["Tern 0"], ["Tern 1"], ["Tern 2"]]
    if case == "ticks":
        assert [one.level for one in sheet.needs] == ["extra", "must", "must"]


def test_a_workbook_that_unpacks_without_end_is_refused(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "plover.xlsx"
    path.write_bytes(workbook([["File", "MD5"], ["a.rom", A]]))
    monkeypatch.setattr("gribble.core.catalogue.importing.tables.BOOK_BYTES", 1000)
    with pytest.raises(GribbleError, match="unpacks to more than"):
        list(book_rows(path))


def test_what_is_not_taken_of_a_list_is_said(tmp_path: Path) -> None:
    """Lists beside the list, sizes that are rounded, and lists by a key, which is what their files are of."""
    path = tmp_path / "ruff.json"
    parts = [{"file": one, "md5": digest_of(one)} for one in FILES]
    path.write_text(json.dumps({"emulator": "Ruff", "main": parts, "more": parts[:1]}))
    assert draft_map(path, Asked()).notes == ("the records at more (1) are left out",)
    path.write_text(json.dumps({"Tern 8": parts[:2], "Tern 16": parts[2:]}))
    made = draft_map(path, Asked()).made
    sheet = draft_of(read_rows(read_list(path, made), made, Tally()), made, Tally())
    assert [one.machines for one in sheet.needs] == [["Tern 8"], ["Tern 8"], ["Tern 16"]]
    rows = "".join(
        f"{one};{size};{digest_of(one)}\n" for one, size in zip(FILES, ("1,4 MB", "64 KB", "2 KB"), strict=True)
    )
    (tmp_path / "ruff.csv").write_text(f"Datei;Größe;MD5\n{rows}")
    (size,) = draft_map(tmp_path / "ruff.csv", Asked()).doubtful
    assert "some are rounded" in size.reason


def test_merged_cells_of_a_workbook_belong_to_every_row_below(tmp_path: Path) -> None:
    """Else a set would be written with its first file alone."""
    names = ("saltpan", "saltpan", "herring", "herring")
    rows = [[name if n % 2 == 0 else "", f"{name}{n}.ic{n}", "65536", crc(f"{n}")] for n, name in enumerate(names)]
    path = tmp_path / "ruff.xlsx"
    path.write_bytes(workbook([["Spiel", "Chip", "Größe", "CRC32"], *rows]))
    drafted = draft_map(path, Asked(release="1"))
    assert (drafted.guesses[0].field, str(drafted.guesses[0].degree)) == ("set", "assumed")
    tally = Tally()
    sets = read_sets(read_list(path, drafted.made), drafted.made, tally)
    assert {one.set: [file.name for file in one.files] for one in sets} == {
        "saltpan": ["saltpan0.ic0", "saltpan1.ic1"], "herring": ["herring2.ic2", "herring3.ic3"],
    }  # fmt: skip
    assert tally.mistakes == []


def test_a_file_of_which_nothing_is_known_has_no_accept(tmp_path: Path) -> None:
    _, sheet, tally = taken(tmp_path, "plover.csv", f"File,MD5\na.rom,{A}\nb.rom,N/A\nc.rom,{B}\n")
    assert ([len(one.accepts) for one in sheet.needs], tally.mistakes) == ([1, 0, 1], [])


def test_no_row_and_no_table_is_lost_unseen(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A row of words after a gap is no head in CSV; a table behind all that is looked at is said."""
    monkeypatch.setattr("gribble.core.catalogue.importing.drafting.SAMPLE_ROWS", 4)
    rows = "".join(f"{n}.rom,Part {n},{A}\n" for n in range(3))
    _, sheet, tally = taken(
        tmp_path, "plover.csv", f"File,Title,MD5\n{rows}\nlast,Part last,unread\n3.rom,Part 3,{A}\n"
    )
    assert [one.name for one in sheet.needs] == ["0.rom", "1.rom", "2.rom", "3.rom"]
    assert ["record 4 (last), md5" in one for one in tally.mistakes] == [True]
    lines = "".join(f"<tr><td>{n}.rom<td>{A}" for n in range(9))
    more = f"<table><tr><th>File<th>Size<th>MD5<tr><td>x.rom<td>64 KB<td>{B}</table>"
    drafted, sheet, _ = taken(tmp_path, "plover.html", f"<table><tr><th>File<th>MD5{lines}</table>{more}")
    assert [one.name for one in sheet.needs] == [*(f"{n}.rom" for n in range(9)), "x.rom"]
    assert drafted.notes == ()
    other = f"<table><tr><th>File<th>Old MD5<th>New MD5<tr><td>y.rom<td>{B}<td>{C}</table>"
    left = taken(tmp_path, "plover.html", f"<table><tr><th>File<th>MD5{lines}</table>{other}")[0]
    assert left.notes == ("table 2 (File, Old MD5, New MD5) is left out",)


def test_a_page_is_read_by_one_process_until_it_changes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    started: list[list[str]] = []
    real: Any = subprocess.Popen

    def start(words: list[str], **how: Any) -> Any:
        started.append(words)
        return real(words, **how)

    monkeypatch.setattr(subprocess, "Popen", start)
    path = tmp_path / "plover.html"
    for number, name in enumerate(("boot.rom", "warm.rom", "cold.rom"), start=1):
        path.write_text(f"<table><tr><th>File<th>MD5<tr><td>{name}<td>{'0a' * 16}</table>")
        drafted = draft_map(path, Asked())
        assert [node.attributes["File"] for node in read_list(path, drafted.made)] == [name]
        assert len(started) == number
    monkeypatch.setattr(apart, "FEW", 2)  # a head and a file are not fewer
    path.write_text(path.read_text() + " ")
    drafted = draft_map(path, Asked())
    assert len(list(read_list(path, drafted.made))) == 1
    assert len(started) > 4


@pytest.mark.own_ground("bounds the time of a process")
@pytest.mark.skipif(sys.platform == "win32", reason="no process can be given so much time and no more")
def test_a_page_that_takes_longer_than_it_is_given_is_left(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "long.html"
    path.write_text(f"<table><tr>{'<td rowspan=1000>x</td>' * 1900}</tr>{'<tr></tr>' * 999}</table>" * 2)
    assert len(list(rows_apart(path, ListFormat.HTML, "utf-8"))) == 2001
    monkeypatch.setattr(apart, "APART_SECONDS", 1)
    with pytest.raises(GribbleError, match="or 1 seconds"):
        list(rows_apart(path, ListFormat.HTML, "utf-8"))
