"""Lists as they occur in life, untidy: each is understood in one try, in every field."""

from __future__ import annotations

import hashlib
import zlib
from pathlib import Path
from typing import Any

import pytest

from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.build import read_kinds, read_sets
from gribble.core.catalogue.importing.drafting import Asked, draft_map
from gribble.core.catalogue.importing.fieldmap import load_map, write_map
from gribble.core.catalogue.importing.lists import read_list
from gribble.core.records.imported import Degree, Drafted, FieldMap, Tally
from tests.lists import taken

NAMES = ("boot8", "boot16", "font")
A, B, C, D = (hashlib.md5(name.encode(), usedforsecurity=False).hexdigest() for name in "abcd")
MD5S = dict(zip(NAMES, (A, B, C), strict=True))
H1 = "<h1>Plover 1.3 system files</h1>\n"


def table(*rows: list[str], head: str = "th") -> str:
    """A table of a page, its first row the head."""
    first, *others = rows
    lines = ["".join(f"<{head}>{cell}" for cell in first), *("".join(f"<td>{cell}" for cell in row) for row in others)]
    return f"<table>{''.join(f'<tr>{line}</tr>' for line in lines)}</table>"


def file(name: str, *md5: str, **more: Any) -> dict[str, Any]:
    return {"name": f"{name}.rom" if "." not in name else name, "md5": list(md5), **more}


PLAIN = [file("boot8", A), file("boot16", B), file("font", C)]
LEVELS = [file("boot8", A, level="must"), file("boot16", B, level="must"), file("font", C, level="extra")]
SIZED = [file("boot8", A, size=8192), file("boot16", B, size=16384), file("font", C, size=4096)]

LISTS: dict[str, tuple[str, str, list[dict[str, Any]]]] = {
    # Lists that are no tables
    "names alone": ("n.txt", "Plover 1.3 needs these files:\n\nboot8.rom\nboot16.rom\nfont.rom\n", [file(one) for one in NAMES]),
    "names and sizes": ("plover.csv", "File,Size\nboot8.rom,8192\nboot16.rom,16384\nfont.rom,4096\n",
                        [file("boot8", size=8192), file("boot16", size=16384), file("font", size=4096)]),
    "bullets": ("n.md", f"# Plover 1.3\n\n- `boot8.rom` (Tern 8 boot) - MD5 {A}\n* boot16.rom: {B}, 16 KB\n1. **font.rom** (optional) {C}\n",
                [file("boot8", A, title="Tern 8 boot", level="must"), file("boot16", B, size=16384, level="must"), file("font", C, level="extra")]),
    "bullets within bullets": ("n.md", f"# Plover 1.3\n- Tern 8\n  - boot8.rom: {A}\n- Tern 16\n    - boot16.rom\n      MD5: {B}\n    - font.rom\n      - MD5: {C}\n",
                               [file("boot8", A, machines=["Tern 8"]), file("boot16", B, machines=["Tern 16"]), file("font", C, machines=["Tern 16"])]),
    "a page's bullets": ("n.html", f"{H1}<h2>Tern 8</h2><ul><li>boot8.rom <code>{A}</code></ul><h2>Tern 16</h2><ul><li>boot16.rom <code>{B}</code><li>font.rom<br>{C}</ul>",
                         [file("boot8", A, machines=["Tern 8"]), file("boot16", B, machines=["Tern 16"]), file("font", C, machines=["Tern 16"])]),
    "definitions": ("n.html", f"{H1}<dl><dt>boot8.rom<dd>Tern 8 boot. MD5: {A}<dt>boot16.rom<dd>MD5: {B}<dt>font.rom<dd>Optional. {C}</dl>",
                    [file("boot8", A, title="Tern 8 boot", level="must"), file("boot16", B, level="must"), file("font", C, level="extra")]),
    "names with blanks in brackets": ("n.txt", "Files for Plover 1.3\n" + "".join(f"[{one} v1.rom] md5: {MD5S[one]}\n" for one in NAMES),
                                      [file(f"{one} v1.rom", MD5S[one]) for one in NAMES]),
    "a forum's marks": ("n.txt", f"[quote]Files for Plover 1.3[/quote]\n[code]\nboot8.rom   {A}\nboot16.rom  {B}\nfont.rom    {C}\n[/code]\n", PLAIN),
    "yaml": ("n.yaml", "emulator: Plover\nfiles:\n" + "".join(f"  - name: {one}.rom\n    md5: {MD5S[one]}\n" for one in NAMES), PLAIN),
    "yaml by machine": ("plover.yml", f"---\nTern 8:\n  - {{file: boot8.rom, md5: {A}}}\nTern 16:\n  - file: boot16.rom\n    md5: {B}\n  - file: font.rom\n    md5: {C}\n",
                        [file("boot8", A, machines=["Tern 8"]), file("boot16", B, machines=["Tern 16"]), file("font", C, machines=["Tern 16"])]),
    "yaml by level": ("plover.yml", f"required:\n  - file: boot8.rom\n    md5: {A}\n  - file: boot16.rom\n    md5: {B}\noptional:\n  - file: font.rom\n    md5: {C}\n", LEVELS),
    # Texts
    "a comment and an empty line in a block": ("n.txt", f"Plover 1.3\n\nFile         Size    MD5\nboot8.rom    8192    {A}\n; for Tern 16\nboot16.rom   16384   {B}\n\nfont.rom     4096    {C}\n", SIZED),
    "wrapped lines": ("n.txt", f"Plover 1.3\n\nFile        What             MD5\nboot8.rom   Boot of Tern 8   {A}\n            in Europe\nboot16.rom  Boot 16          {B}\nfont.rom    Font             {C}\n",
                      [file("boot8", A, title="Boot of Tern 8 in Europe"), file("boot16", B, title="Boot 16"), file("font", C, title="Font")]),
    "lines in words": ("n.txt", f"Plover 1.3\n\nboot8.rom: MD5 {A}, 8 KB\nboot16.rom: MD5 {B}, 16 KB\nfont.rom: MD5 {C}, 4 KB\n", SIZED),
    "the digest first": ("n.txt", f"Files for Plover 1.3\n{A} -> boot8.rom\n{B} -> boot16.rom\n{C} -> font.rom\n", PLAIN),
    "paragraphs of keys": ("plover.txt", "\n\n".join(f"Name: {one}.rom\nMD5: {MD5S[one]}\nRequired: {'no' if one == 'font' else 'yes'}" for one in NAMES), LEVELS),
    "sections that are files": ("n.ini", f"[Plover]\nversion=1.3\n[boot8.rom]\nmd5={A}\n[boot16.rom]\nmd5={B}\n[font.rom]\nmd5={C}\n", PLAIN),
    "json within the emulator's name": ("n.json", f'{{"plover": {{"version": "1.3", "files": [{{"file": "boot8.rom", "md5": "{A}"}}, {{"file": "boot16.rom", "md5": "{B}"}}, {{"file": "font.rom", "md5": "{C}"}}]}}}}', PLAIN),
    "a machine for the rows below": ("n.md", f"# Plover 1.3\n\n| System | File | MD5 |\n|---|---|---|\n| Tern 8 | boot8.rom | {A} |\n| | boot16.rom | {B} |\n| Tern 16 | font.rom | {C} |\n",
                                     [file("boot8", A, machines=["Tern 8"]), file("boot16", B, machines=["Tern 8"]), file("font", C, machines=["Tern 16"])]),
    # Heads and words that turn the meaning round
    "a dump that is bad": ("plover.csv", f"File;Dump;MD5\nboot8.rom;good;{A}\nboot8.rom;bad;{D}\nboot16.rom;verified;{B}\nfont.rom;good;{C}\n", PLAIN),
    "one that does not work": ("n.html", H1 + table(["File", "MD5", "Works?"], ["boot8.rom", D, "no"], ["boot8.rom", A, "yes"], ["boot16.rom", B, "yes"], ["font.rom", C, "yes"]), PLAIN),
    "the name beside the thing": ("n.html", H1 + table(["Need?", "ROM", "File name", "MD5"], ["yes", "Boot of Tern 8", "boot8.rom", A], ["yes", "Boot 16", "boot16.rom", B], ["no", "The font", "font.rom", C]),
                                  [file("boot8", A, title="Boot of Tern 8", level="must"), file("boot16", B, title="Boot 16", level="must"), file("font", C, title="The font", level="extra")]),
    "not required": ("n.html", H1 + table(["File", "Not required", "MD5"], ["boot8.rom", "No", A], ["boot16.rom", "No", B], ["font.rom", "Yes", C]), LEVELS),
    "nicht erforderlich": ("plover.csv", f"Datei;Nicht erforderlich;MD5\nboot8.rom;nein;{A}\nboot16.rom;nein;{B}\nfont.rom;ja;{C}\n", LEVELS),
    "levels above tables": ("n.html", f"{H1}<h2>Required</h2>{table(['File', 'MD5'], ['boot8.rom', A], ['boot16.rom', B])}<h2>Optional</h2>{table(['File', 'MD5'], ['font.rom', C])}"
                                      f"<h2>Known bad dumps</h2>{table(['File', 'MD5'], ['boot8.rom', D])}", LEVELS),
    "levels within a table": ("n.html", H1 + table(["File", "MD5"], ["boot8.rom", A], ["boot16.rom", B], ["Optional files"], ["font.rom", C]),
                              [file("boot8", A), file("boot16", B), file("font", C, level="extra")]),
    "bad digests beside": ("plover.csv", f"File,Bad MD5,MD5\nboot8.rom,{D},{A}\nboot16.rom,{D},{B}\nfont.rom,{D},{C}\n", PLAIN),
    "digests of the zip beside": ("plover.csv", f"File,MD5 (zip),MD5\nboot8.rom,{D},{A}\nboot16.rom,{D},{B}\nfont.rom,{D},{C}\n", PLAIN),
    "a version in words": ("n.html", H1 + table(["File", "Version", "MD5"], ["boot8.rom", "Boot 1.2", A], ["boot16.rom", "Boot 2.0", B], ["font.rom", "Font 1.0", C]), PLAIN),
    "where it goes": ("n.html", H1 + table(["File", "Where", "MD5"], ["boot8.rom", "system/boot", A], ["boot16.rom", "system/boot", B], ["font.rom", "system/fonts", C]),
                      [file("boot8", A, folder="system/boot"), file("boot16", B, folder="system/boot"), file("font", C, folder="system/fonts")]),
    "struck out, hidden, a total": ("n.html", H1 + table(["File", "MD5"], ["boot8.rom", f"<del>{D}</del> {A}"], ["boot16.rom", B], ["<s>old.rom", f"<s>{D}"], ["font.rom", C], ["Total", "3 files"]), PLAIN),
    "marks of a page": ("n.html", H1 + table(["Machine", "File", "MD5"], ["Skua 8[edit]", "boot8.rom*", A], ["Skua 16[edit]", "boot16.rom", B], ["Skua 16[edit]", "font.rom (optional)", C]),
                        [file("boot8", A, machines=["Skua 8"]), file("boot16", B, machines=["Skua 16"]), file("font", C, machines=["Skua 16"], level="extra")]),
    "several tables of one page": ("n.html", f"{H1}<h2>Tern 8</h2>{table(['File', 'MD5'], ['boot8.rom', A])}<h2>Tern 16</h2>"
                                   f"{table(['File name', 'MD5 sum', 'Size'], ['boot16.rom', B, '16 KB'], ['font.rom', C, '4 KB'])}",
                                   [file("boot8", A, machines=["Tern 8"]), file("boot16", B, size=16384, machines=["Tern 16"]), file("font", C, size=4096, machines=["Tern 16"])]),
    "three tables, each in another order": ("n.html", H1 + table(["File", "MD5"], ["boot8.rom", A]) + table(["MD5 sum", "File name"], [B, "boot16.rom"]) + table(["Checksum (MD5)", "Size", "ROM file"], [C, "4 KB", "font.rom"]),
                                           [file("boot8", A), file("boot16", B), file("font", C, size=4096)]),
    "a section without a digest": ("n.ini", f"[Plover]\nabout=all of it\n[a]\nname=boot8.rom\nmd5={A}\n[b]\nname=boot16.rom\nmd5={B}\n[c]\nname=noending\nmd5=\n",
                                   [file("boot8", A), file("boot16", B), {"name": "noending", "md5": []}]),
    "tables of TOML": ("plover.toml", "".join(f'[[file]]\nname = "{one}.rom"\nmd5 = "{MD5S[one]}"\n\n' for one in NAMES), PLAIN),
    "sections of one name": ("plover.ini", "".join(f"[file]\nname={one}.rom\nmd5={MD5S[one]}\n" for one in NAMES), PLAIN),
    "machines in brackets": ("n.txt", f"PLOVER 1.3 FILES\n\n[Tern 8]\nboot8.rom    8192  {A}\n\n[Tern 16]\nboot16.rom  16384  {B}\nfont.rom     4096  {C}\n",
                             [file("boot8", A, size=8192, machines=["Tern 8"]), file("boot16", B, size=16384, machines=["Tern 16"]),
                              file("font", C, size=4096, machines=["Tern 16"])]),
    "a tree of folders": ("plover.txt", f"system/\n  tern8/\n    boot8.rom  {A}\n  tern16/\n    boot16.rom  {B}\n  font.rom  {C}\n",
                          [file("boot8", A, folder="system/tern8"), file("boot16", B, folder="system/tern16"), file("font", C, folder="system")]),
    "systems with files": ("plover.xml", f"<plover version='1.3'><system id='t8' name='Tern 8'><rom name='boot8.rom' md5='{A}' optional='no'/></system>"
                           f"<system id='t16' name='Tern 16'><rom name='boot16.rom' md5='{B}' optional='no'/><rom name='font.rom' md5='{C}' optional='yes'/></system></plover>",
                           [file("boot8", A, level="must", machines=["Tern 8"]), file("boot16", B, level="must", machines=["Tern 16"]),
                            file("font", C, level="extra", machines=["Tern 16"])]),
    # Sizes
    "kilobits": ("plover.csv", f"File,Size (Kbit),MD5\nboot8.rom,64,{A}\nboot16.rom,128,{B}\nfont.rom,32,{C}\n", SIZED),
    "hexadecimal sizes": ("plover.csv", f"File,Size (hex),MD5\nboot8.rom,2000,{A}\nboot16.rom,0x4000,{B}\nfont.rom,1000h,{C}\n", SIZED),
    "a K that is a thousand": ("n.html", f"{H1}<p>1 K is 1,000 bytes.</p>{table(['File', 'Size', 'MD5'], ['boot8.rom', '8 K', A], ['boot16.rom', '16 K', B])}",
                               [file("boot8", A, size=8000), file("boot16", B, size=16000)]),
    # Cells
    "broken digests": ("n.html", H1 + table(["File", "MD5"], *([f"{one}.rom", f"{MD5S[one][:20]}<br>{MD5S[one][20:]}"] for one in NAMES)), PLAIN),
    "two files and two digests in a cell": ("n.html", H1 + table(["File", "MD5"], ["boot8.rom<br>boot16.rom", f"{A}<br>{B}"], ["font.rom", C]), PLAIN),
    "a name twice, for two machines": ("plover.csv", f"Machine,File,MD5\nTern 8,bios.rom,{A}\nTern 16,bios.rom,{B}\nTern 8,font.rom,{C}\nTern 16,font.rom,{C}\n",
                                       [file("bios", A, machines=["Tern 8"]), file("bios", B, machines=["Tern 16"]), file("font", C, machines=["Tern 8", "Tern 16"])]),
}  # fmt: skip


@pytest.mark.parametrize("case", LISTS)
def test_an_untidy_list_is_understood_in_one_try(tmp_path: Path, case: str) -> None:
    name, text, expected = LISTS[case]
    drafted, sheet, tally = taken(tmp_path, name, text)
    assert (tally.mistakes, drafted.doubtful, drafted.to) == ([], (), "sheet")
    assert drafted.made.sheet["emulator"] == "plover"
    found = [
        {
            "name": need.name,
            "md5": [one.md5 for one in need.accepts if one.md5],
            **({"title": need.title} if need.title else {}),
            **({"level": need.level} if need.level else {}),
            **({"machines": need.machines} if need.machines else {}),
            **({"folder": need.folder} if need.folder else {}),
            **({"size": need.accepts[0].size} if need.accepts and need.accepts[0].size else {}),
        }
        for need in sheet.needs
    ]
    assert found == expected
    kept = tmp_path / "kept.map.toml"
    kept.write_text(write_map(drafted, name))
    assert load_map(kept) == drafted.made, "what is kept of it reads the list alike"


def test_what_is_left_out_or_proves_nothing_is_said(tmp_path: Path) -> None:
    drafted, _, _ = taken(tmp_path, *LISTS["levels above tables"][:2])
    assert drafted.notes == ("what is below Known bad dumps is left out",)
    drafted, _, _ = taken(tmp_path, *LISTS["names alone"][:2])
    assert "which proves nothing" in drafted.notes[0]
    blank = taken(tmp_path, "plover.csv", f"File,Need,MD5\nboot8.rom,yes,{A}\nboot16.rom,no,{B}\nfont.rom,,{C}\n")[0]
    (level,) = [one for one in blank.guesses if one.field == "level"]
    assert (level.degree, "an empty cell says nothing" in level.words) == (Degree.ASSUMED, True)
    (size,) = taken(tmp_path, "plover.csv", f"File,Size,MD5\nboot8.rom,256,{A}\nboot16.rom,512,{B}\n")[0].doubtful
    assert (size.field, "kilobytes" in size.reason) == ("size", True)


def test_checksums_made_on_windows_are_read(tmp_path: Path) -> None:
    path = tmp_path / "plover.md5"
    path.write_bytes("".join(f"{MD5S[one]} *system\\{one}.rom\r\n" for one in NAMES).encode())
    nodes = [node.attributes for node in read_list(path, FieldMap(map=1))]
    assert nodes == [{"path": f"system/{one}.rom", "md5": MD5S[one]} for one in NAMES]


def test_sections_that_say_what_plays_are_records_though_they_name_no_file(tmp_path: Path) -> None:
    path = tmp_path / "plover.ini"
    path.write_text("[mill]\ntitle=Millrace\nstatus=good\n[kiln]\ntitle=Kiln\nstatus=broken\n")
    drafted = draft_map(path, Asked(to="plays"))
    assert len(list(read_list(path, drafted.made))) == 2


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("a: &x [1, 2]\nb:\n  - file: boot8.rom\n    md5: *x\n", "refers to another part of the file"),
        ("a:\n  - b: [1\nc: 2\n", "line 3"),
        ("a:\n  - b: 1\n  - b: 2\n", "has no records with digests"),
    ],
)
def test_yaml_that_cannot_be_taken_is_told(tmp_path: Path, text: str, says: str) -> None:
    path = tmp_path / "plover.yaml"
    path.write_text(text)
    with pytest.raises(GribbleError) as told:
        draft_map(path, Asked())
    assert says in told.value.what


# Exports of arcade emulators


def chip(name: str, more: str = "") -> str:
    data = name.encode() * 40
    sha1 = hashlib.sha1(data, usedforsecurity=False).hexdigest()
    return f'<chip name="{name}" size="{len(data)}" crc="{zlib.crc32(data):08x}" sha1="{sha1}"{more}/>'


SYSTEM = (
    '<machine name="sysb" isbios="yes"><description>System B</description><version_of name="eu" usual="yes"/>'
    f'<version_of name="jp"/>{chip("eu.rom", " bios=" + chr(34) + "eu" + chr(34))}'
    f"{chip('jp.rom', ' bios=' + chr(34) + 'jp' + chr(34))}</machine>"
)


def game(name: str, relatives: str, parts: str, driver: str = "good") -> str:
    facts = f"<description>Game {name}</description><year>1986</year><manufacturer>Shore</manufacturer>"
    part = f'<driver status="{driver}" emulation="good" colour="imperfect"/>'
    return f'<machine name="{name}"{relatives}>{facts}{parts}{part}</machine>'


G1 = game(
    "g1",
    "",
    chip("g1.bin") + chip("g1.pal", ' status="baddump"') + '<chip name="lost.bin" size="512" status="nodump"/>',
)
G2 = game(
    "g2",
    ' copyof="g1" romof="g1" sampleof="bang"',
    chip("g2.bin") + chip("g1.bin", ' shared="g1.bin"') + '<sample name="hit"/>',
    "preliminary",
)
G3 = game("g3", ' romof="sysb"', chip("g3.bin") + chip("eu.rom", ' shared="eu.rom" bios="eu"'))


def roster_of(tmp_path: Path, *sets: str) -> tuple[Drafted, dict[str, Any]]:
    path = tmp_path / "list.xml"
    path.write_text(f'<?xml version="1.0"?>\n<plover build="0.84 (unknown)">{"".join(sets)}</plover>')
    drafted = draft_map(path, Asked())
    tally = Tally()
    made = drafted.without(drafted.doubtful).made
    kinds = read_kinds(read_list(path, made), made) if made.asks_kinds else {}
    found = {one.set: one for one in read_sets(read_list(path, made), made, tally, kinds=kinds)}
    assert tally.mistakes == []
    return drafted, found


def test_an_export_with_three_attributes_that_name_sets(tmp_path: Path) -> None:
    drafted, sets = roster_of(tmp_path, SYSTEM, G1, G2, G3)
    assert drafted.made.roster == {"emulator": "plover", "release": "0.84"}
    assert not drafted.doubtful
    assert [one.degree for one in drafted.guesses if one.field == "plays"] == [Degree.SURE]
    assert [str(file.state) for file in sets["g1"].files] == ["good", "suspect", "undumped"]
    assert (sets["g2"].parent, sets["g2"].bios, str(sets["g2"].plays)) == ("g1", None, "no")
    assert [(file.parent_name, file.bios_name) for file in sets["g2"].files] == [(None, None), ("g1.bin", None)]
    assert (sets["g2"].samples.set, sets["g2"].samples.files) == ("bang", ("hit",))
    assert (sets["g3"].parent, sets["g3"].bios) == (None, "sysb")
    assert [(file.parent_name, file.bios_name) for file in sets["g3"].files] == [(None, None), (None, "eu.rom")]
    assert sets["sysb"].variants == ("eu", "jp")


@pytest.mark.parametrize(("sets", "names"), [((G1,), ["g1"]), ((SYSTEM, G3), ["sysb", "g3"])])
def test_a_tiny_export_is_read_as_a_large_one(tmp_path: Path, sets: tuple[str, ...], names: list[str]) -> None:
    drafted, found = roster_of(tmp_path, *sets)
    assert (drafted.to, list(found)) == ("roster", names)
