"""Lists as they occur in life, untidy: each is understood in one try, in every field."""

from __future__ import annotations

import hashlib
import subprocess
import sys
import zlib
from pathlib import Path
from typing import Any

import pytest

from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.build import read_kinds, read_sets
from gribble.core.catalogue.importing.drafting import draft_map
from gribble.core.catalogue.importing.fieldmap import load_map, write_map
from gribble.core.catalogue.importing.found import Asked
from gribble.core.catalogue.importing.guessing import Said
from gribble.core.catalogue.importing.lists import read_list, read_sheet
from gribble.core.records.imported import Degree, Drafted, FieldMap, Tally
from tests.lists import taken

if sys.platform != "win32":
    import resource

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
    "a label, and more behind it": ("n.md", f"# Plover 1.3\n\n- boot8.rom: Title: Boot, 8 KB, optional\n  MD5: {A}\n- boot16.rom: Title: Boot too, 16 KB, required\n  MD5: {B}\n",
                                    [file("boot8", A, title="Boot", level="extra", size=8192), file("boot16", B, title="Boot too", level="must", size=16384)]),
    "bullets with a checksum": ("n.md", "# Plover\n\n- boot8.rom 0cd1a2b3\n- boot16.rom 1cd1a2b3\n- font.rom 2cd1a2b3\n",
                               [file(one, crc32=crc) for one, crc in zip(NAMES, ("0cd1a2b3", "1cd1a2b3", "2cd1a2b3"), strict=True)]),
    "what is said above each table": ("n.md", f"# Plover 1.3\n\nPlatform: Windows\n\n## Boot\n\nSystem: Tern 8\n\n| File | MD5 |\n|---|---|\n| boot8.rom | {A} |\n\n"
                                      f"## More\n\nSystem: Tern 16\n\n| File | MD5 |\n|---|---|\n| boot16.rom | {B} |\n| font.rom | {C} |\n",
                                      [file("boot8", A, machines=["Tern 8"]), file("boot16", B, machines=["Tern 16"]), file("font", C, machines=["Tern 16"])]),
    "what is said once for all": ("n.md", f"# Plover 1.3\n\nPlatform: Windows\nVersion: 1.3\n\n| File | MD5 |\n|---|---|\n| boot8.rom | {A} |\n| boot16.rom | {B} |\n| font.rom | {C} |\n", PLAIN),
    "headings with of": ("n.md", f"# Plover 1.3\n\n## Files of Tern8\n\n| File | MD5 |\n|---|---|\n| boot8.rom | {A} |\n\n## Files of Tern16\n\n| File | MD5 |\n|---|---|\n| boot16.rom | {B} |\n| font.rom | {C} |\n",
                         [file("boot8", A, machines=["Files of Tern8"]), file("boot16", B, machines=["Files of Tern16"]), file("font", C, machines=["Files of Tern16"])]),
    "a line for each file in cells, two of a size": ("n.md", f"# Plover 1.3\n\n| Kind | Files | Size | MD5 |\n|---|---|---|---|\n| Boot | boot8.rom<br>boot16.rom<br>font.rom | 8192<br>8192<br>4096 | {A}<br>{B}<br>{C} |\n",
                                                     [file("boot8", A, size=8192), file("boot16", B, size=8192), file("font", C, size=4096)]),
    "two files in a row": ("n.md", f"# Plover 1.3\n\n| File | MD5 | File | MD5 |\n|---|---|---|---|\n| boot8.rom | {A} | boot16.rom | {B} |\n| font.rom | {C} | | |\n", PLAIN),
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
    # Tables of other writing programs
    "a wiki's table": ("n.wiki", "= Plover 1.3 =\n\n{| class=\"wikitable\"\n|+ System files\n! File !! Size !! MD5\n" + "".join(f"|-\n| '''{one}.rom''' || style=\"x\" | {size} || <code>{MD5S[one]}</code>\n" for one, size in zip(NAMES, ("8,192", "16,384", "4,096"), strict=True)) + "|}\n", SIZED),
    "a wiki's table, a cell a line": ("n.wiki", "= Plover 1.3 =\n{|\n! File\n! Needed\n! MD5\n" + "".join(f"|-\n| [[{one}|{one}.rom]]\n| {{{{{'no' if one == 'font' else 'yes'}}}}}\n| {MD5S[one]}\n" for one in NAMES) + "|}\n", LEVELS),
    "AsciiDoc": ("n.adoc", "= Plover 1.3\n\n[cols=\"1,1,2\",options=\"header\"]\n|===\n|File |Size |MD5\n\n" + "".join(f"|{one}.rom\n|{size}\n|`{MD5S[one]}`\n\n" for one, size in zip(NAMES, (8192, 16384, 4096), strict=True)) + "|===\n", SIZED),
    "AsciiDoc, a row a line": ("n.adoc", "= Plover 1.3\n\n|===\n|File |MD5\n\n" + "".join(f"|{one}.rom |{MD5S[one]}\n" for one in NAMES) + "|===\n", PLAIN),
    "strokes between bars": ("n.txt", "Plover 1.3\n\n|===========|====|\n| File      | MD5 |\n|===========|====|\n" + "".join(f"| {one}.rom | {MD5S[one]} |\n" for one in NAMES) + "|===========|====|\n", PLAIN),
    "archives above their files": ("n.txt", f"Files for Plover 1.3\n\nIn tern8.zip:\n  boot8.rom {A}\nIn tern16.zip:\n  boot16.rom {B}\n  font.rom {C}\n",
                                   [file("boot8", A, machines=["In tern8"]), file("boot16", B, machines=["In tern16"]), file("font", C, machines=["In tern16"])]),
    "fields of reStructuredText": ("n.rst", "Plover 1.3\n==========\n\n" + "\n".join(f":File: {one}.rom\n:MD5: {MD5S[one]}\n" for one in NAMES), PLAIN),
    "a forum's table": ("n.txt", "Plover 1.3\n[table][tr][th]File[/th][th]MD5[/th][/tr]\n" + "".join(f"[tr][td]{one}.rom[/td][td]{MD5S[one]}[/td][/tr]\n" for one in NAMES) + "[/table]\n", PLAIN),
    "TeX": ("n.tex", "\\section{Plover 1.3}\n\\begin{tabular}{ll}\n" + "".join(f"\\texttt{{plover\\_{one}.rom}} & {size} & \\texttt{{{MD5S[one]}}} \\\\\n" for one, size in zip(NAMES, (8192, 16384, 4096), strict=True)) + "\\end{tabular}\n",
            [file("plover_boot8", A, size=8192), file("plover_boot16", B, size=16384), file("plover_font", C, size=4096)]),
    # Code and data
    "an array of C": ("plover.h", "/* files of Plover 1.3 */\nstruct rom roms[] = {\n" + "".join(f'    {{ "{one}.rom", 0x{size:x}, "{MD5S[one]}" }},\n' for one, size in zip(NAMES, (8192, 16384, 4096), strict=True)) + "};\n", SIZED),
    "a table of Lua": ("plover.lua", "return {\n" + "".join(f'  ["{one}.rom"] = {{ size = {size}, md5 = "{MD5S[one]}" }},\n' for one, size in zip(NAMES, (8192, 16384, 4096), strict=True)) + "}\n", SIZED),
    "rows of SQL": ("plover.sql", "CREATE TABLE roms (id INTEGER, name TEXT, size INTEGER, md5 TEXT);\n" + "".join(f"INSERT INTO roms VALUES ({at}, '{one}.rom', {size}, '{MD5S[one]}');\n" for at, (one, size) in enumerate(zip(NAMES, (8192, 16384, 4096), strict=True))), SIZED),
    "JSON, names and digests": ("plover.json", f'{{"boot8.rom": "{A}", "boot16.rom": "{B}", "font.rom": "{C}"}}', PLAIN),
    "JSON, names and several digests": ("plover.json", f'{{"boot8.rom": ["{A}", "{D}"], "boot16.rom": ["{B}"], "font.rom": ["{C}"]}}', [file("boot8", A, D), *PLAIN[1:]]),
    "JSON, rows below names of columns": ("plover.json", f'{{"columns": ["name", "size", "md5"], "rows": [["boot8.rom", 8192, "{A}"], ["boot16.rom", 16384, "{B}"], ["font.rom", 4096, "{C}"]]}}', SIZED),
    "JSON, rows alone": ("plover.json", f'[["file", "bytes", "md5"], ["boot8.rom", 8192, "{A}"], ["boot16.rom", 16384, "{B}"], ["font.rom", 4096, "{C}"]]', SIZED),
    "JSON, by level": ("plover.json", f'{{"required": {{"boot8.rom": "{A}", "boot16.rom": "{B}"}}, "optional": {{"font.rom": "{C}"}}}}', LEVELS),
    "yaml, a line for each": ("plover.yaml", f"plover:\n  - boot8.rom {A}\n  - boot16.rom {B}\n  - font.rom {C}\n", PLAIN),
    "properties": ("plover.properties", "# Plover 1.3\n" + "".join(f"{one}.rom.md5={MD5S[one]}\n{one}.rom.size={size}\n" for one, size in zip(NAMES, (8192, 16384, 4096), strict=True)), SIZED),
    # Lines
    "numbers in brackets, and arrows": ("n.txt", "Files for Plover 1.3\n\n" + "".join(f"[{at}] {one}.rom => {MD5S[one]}\n" for at, one in enumerate(NAMES)), PLAIN),
    "a digest, a size and a name": ("plover.txt", f"{A} 8192 boot8.rom\n{B} 16384 boot16.rom\n{C} 4096 font.rom\n", SIZED),
    "fields between tabs": ("plover.txt", f"boot8.rom:\tmd5:{A}\tsize:8192\nboot16.rom:\tmd5:{B}\tsize:16384\nfont.rom:\tmd5:{C}\tsize:4096\n", SIZED),
    "sizes with commas": ("n.txt", "Files for Plover 1.3\n\n" + "\n".join(f"{one}.rom\n  MD5: {MD5S[one]}\n  Size: {size}\n" for one, size in zip(NAMES, ("8,192", "16,384", "4,096"), strict=True)), SIZED),
    "checksums with words around": ("n.md5", f"Files for Plover 1.3, MD5:\n\n{A} *boot8.rom\n{B} *boot16.rom\n{C} *font.rom\n", PLAIN),
    "checksums with remarks": ("plover.txt", f"{A}  boot8.rom   # required\n{B}  boot16.rom   # required\n{C}  font.rom   # optional\n", LEVELS),
    "a CRC-32 behind a size": ("plover.txt", "name          size     crc32\nboot8.rom     8192  0CD1A2B3\nboot16.rom   16384  1CD1A2B3\nfont.rom      4096  2CD1A2B3\n",
                               [file("boot8", size=8192, crc32="0cd1a2b3"), file("boot16", size=16384, crc32="1cd1a2b3"), file("font", size=4096, crc32="2cd1a2b3")]),
    "a CRC-32 behind words": ("n.txt", "Files for Plover 1.3\n\nboot8.rom (8,192 bytes) CRC 0cd1a2b3\nboot16.rom (16,384 bytes) CRC 1cd1a2b3\nfont.rom (4,096 bytes) CRC 2cd1a2b3\n",
                              [file("boot8", size=8192, crc32="0cd1a2b3"), file("boot16", size=16384, crc32="1cd1a2b3"), file("font", size=4096, crc32="2cd1a2b3")]),
    "digests in groups": ("plover.csv", "name,md5\n" + "".join(f"{one}.rom,{' '.join(MD5S[one][at : at + 8] for at in range(0, 32, 8)).upper()}\n" for one in NAMES), PLAIN),
    "commas in sizes, and between columns": ("plover.txt", f"boot8.rom,8,192 bytes,{A}\nboot16.rom,16,384 bytes,{B}\nfont.rom,512 bytes,{C}\n", [*SIZED[:2], file("font", C, size=512)]),
    "bullets with commas": ("n.md", f"# Plover 1.3\n\n- boot8.rom, required: yes, md5: {A}\n- boot16.rom, required: yes, md5: {B}\n- font.rom, required: no, md5: {C}\n", LEVELS),
    "sizes of eight hex digits": ("plover.h", "".join(f'{{ "{one}.rom", 0x{size:08x}, 0x{at}cd1a2b3 }},\n' for at, (one, size) in enumerate(zip(NAMES, (8192, 16384, 4096), strict=True))),
                                  [file("boot8", size=8192, crc32="0cd1a2b3"), file("boot16", size=16384, crc32="1cd1a2b3"), file("font", size=4096, crc32="2cd1a2b3")]),
    "yes and no with remarks": ("n.md", f"# Plover 1.3\n\n| File | Required | MD5 |\n|---|---|---|\n| boot8.rom | Yes | {A} |\n| boot16.rom | Yes (for disks) | {B} |\n| font.rom | No (only for text) | {C} |\n", LEVELS),
    "an emulator with files by name": ("plover.json", '[{"emulator": "plover", "files": {' + ", ".join(f'"{one}.rom": {{"hashes": {{"MD5": "{MD5S[one]}"}}}}' for one in NAMES) + "}}]",
                                       [{**one, "machines": ["plover"]} for one in PLAIN]),
    "tables of TOML by name": ("plover.toml", "[plover]\n[plover.files]\n" + "".join(f'"{one}.rom" = {{ md5 = "{MD5S[one]}" }}\n' for one in NAMES), PLAIN),
    "a tree that is drawn": ("plover.txt", f"system/\n├── tern8/\n│   └── boot8.rom  {A}\n├── tern16/\n│   └── boot16.rom  {B}\n└── font.rom  {C}\n",
                             [file("boot8", A, folder="system/tern8"), file("boot16", B, folder="system/tern16"), file("font", C, folder="system")]),
    "boxes to tick": ("n.md", "# Plover 1.3\n\n" + "".join(f"* [{'x' if one == 'font' else ' '}] {one}.rom ({MD5S[one]})\n" for one in NAMES), PLAIN),
    "a digest below the name in a cell": ("n.html", H1 + "<table>" + "".join(f"<tr><td>{one}.rom<br><small>MD5: {MD5S[one]}</small><td>{size} bytes" for one, size in zip(NAMES, (8192, 16384, 4096), strict=True)) + "</table>", SIZED),
    "a digest below a name with its size": ("n.txt", "Files for Plover 1.3\n\n" + "".join(f"{at}) The {one}\n   {one}.rom, {size}\n   {MD5S[one]}\n" for at, (one, size) in enumerate(zip(NAMES, ("8K", "16K", "4K"), strict=True))),
                                            [{**each, "machines": [f"The {one}"]} for each, one in zip(SIZED, NAMES, strict=True)]),
    "a page that begins with lines": ("plover.html", "<pre>\n" + "".join(f"{one + '.rom':<18} {MD5S[one]}\n" for one in NAMES) + "</pre>", PLAIN),
    # Files that are headings, columns, or told in passing
    "names as headings": ("n.md", "# Plover 1.3\n\n" + "".join(f"### {one}.rom\n\n- **Size**: {size} bytes\n- **MD5**: `{MD5S[one]}`\n- **Required**: {'No' if one == 'font' else 'Yes'}\n\n" for one, size in zip(NAMES, (8192, 16384, 4096), strict=True)),
                          [{**one, **other} for one, other in zip(SIZED, LEVELS, strict=True)]),
    "names as a page's headings": ("n.html", H1 + "".join(f"<h3>{one}.rom</h3><ul><li>MD5: {MD5S[one]}</ul>" for one in NAMES), PLAIN),
    "names underlined": ("plover.txt", "".join(f"{one}.rom\n========\nSize....: {size}\nMD5.....: {MD5S[one]}\n\n" for one, size in zip(NAMES, (8192, 16384, 4096), strict=True)), SIZED),
    "a table for each file": ("n.html", H1 + "".join(f"<h3>{one}.rom</h3><table><tr><th>File<td>{one}.rom<tr><th>Size<td>{size}<tr><th>MD5<td>{MD5S[one]}</table>" for one, size in zip(NAMES, (8192, 16384, 4096), strict=True)),
                              [{**one, "machines": [one["name"]]} for one in SIZED]),
    "a column for each file": ("plover.csv", f"File,boot8.rom,boot16.rom,font.rom\nSize,8192,16384,4096\nMD5,{A},{B},{C}\n", SIZED),
    "a column for each file, below nothing": ("n.md", f"# Plover 1.3\n\n| | boot8.rom | boot16.rom | font.rom |\n|---|---|---|---|\n| Size | 8192 | 16384 | 4096 |\n| MD5 | {A} | {B} | {C} |\n", SIZED),
    "several in a sentence": ("plover.txt", f"It needs boot8.rom ({A}) and boot16.rom ({B}). You can also add font.rom ({C}).\n", PLAIN),
    "a name above its digest": ("n.txt", "Files for Plover 1.3\n\n" + "".join(f"MD5 hash of {one}.rom:\n{MD5S[one]}\nThe command was successful.\n" for one in NAMES), PLAIN),
    "strokes below a head": ("n.txt", "Plover 1.3\n\n Length   Method   Cmpr    Date    Time   CRC-32   Name\n--------  ------  ---- ---------- ----- --------  ----\n" + "".join(f"{size:>8}  Defl:N   50% 2021-03-04 10:00 {at}cd1a2b3  {one}.rom\n" for at, (one, size) in enumerate(zip(NAMES, (8192, 16384, 4096), strict=True))) + "--------           ---                            -------\n   28672           50%                            3 files\n",
                             [file("boot8", size=8192, crc32="0cd1a2b3"), file("boot16", size=16384, crc32="1cd1a2b3"), file("font", size=4096, crc32="2cd1a2b3")]),
    "paths of a machine": ("plover.txt", "\n".join(f"Algorithm : MD5\nHash      : {MD5S[one].upper()}\nPath      : C:\\Games\\{one}.rom\n" for one in NAMES), PLAIN),
    "checksums with paths of a machine": ("plover.md5", f"{A}  /home/ann/system/boot8.rom\n{B}  /home/ann/system/boot16.rom\n{C}  /home/ann/system/fonts/font.rom\n", [*PLAIN[:2], file("font", C, folder="fonts")]),
    "a quotation": ("n.md", "# Plover 1.3\n\n> | File | MD5 |\n> |---|---|\n" + "".join(f"> | {one}.rom | {MD5S[one]} |\n" for one in NAMES), PLAIN),
    "digests in a record of their own": ("plover.json", '{"data": [' + ", ".join(f'{{"id": {at}, "attributes": {{"filename": "{one}.rom", "hash": {{"algo": "md5", "value": "{MD5S[one]}"}}}}}}' for at, one in enumerate(NAMES)) + "]}", PLAIN),
    "digests that say their kind": ("plover.xml", "<bios>" + "".join(f"<file><name>{one}.rom</name><hash algo='md5' value='{MD5S[one]}'/><hash algo='sha1' value='{'0' * 39}{at}'/></file>" for at, one in enumerate(NAMES)) + "</bios>", PLAIN),
    "a machine that needs none": ("plover.csv", f"System,BIOS,MD5\nTern 8,boot8.rom,{A}\nSkua,None,-\nGull,,\nTern 16,boot16.rom,{B}\nTern 16,font.rom,{C}\n",
                                  [file("boot8", A, machines=["Tern 8"]), file("boot16", B, machines=["Tern 16"]), file("font", C, machines=["Tern 16"])]),
    "digests cut short, whole in a title": ("n.html", f"{H1}<table><tr><th>File<th>MD5" + "".join(f"<tr><td>{one}.rom<td title='{MD5S[one]}'>{MD5S[one][:8]}…" for one in NAMES) + "</table>", PLAIN),
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
    "a size told twice": ("plover.csv", f'File,Size,MD5\nboot8.rom,"8 KB (8,192 bytes)",{A}\nboot16.rom,"16 KB (16,384 bytes)",{B}\nfont.rom,"0.5 KB (512 bytes)",{C}\n', [*SIZED[:2], file("font", C, size=512)]),
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
            **({"crc32": need.accepts[0].crc32} if need.accepts and need.accepts[0].crc32 else {}),
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


@pytest.mark.parametrize(
    "line",
    [
        "{name} {md5}", "{md5} *{name}", "{md5} 8192 {name}", "{at} {name} {md5}", "{name} md5sum {md5}",
        "- {name}: `{md5}`", "* The BIOS, `{name}`, with MD5 {md5}", "file {name} has md5 {md5}",
        '"{name}" => "{md5}",', "({at}, '{name}', '{md5}'),",
    ],
)  # fmt: skip
def test_names_with_blanks_and_brackets_are_whole(tmp_path: Path, line: str) -> None:
    names = ["Plover BIOS.rom", "Plover Kbd v1.2.rom", "Plover Font (Europe).rom", "Disk 2 [b].rom"]
    lines = (
        line.format(at=at, name=name, md5=md5) for at, (name, md5) in enumerate(zip(names, (A, B, C, D), strict=True))
    )
    above = "" if line.endswith(",") else "These are for\nall, with thanks.\n\n"
    _, sheet, tally = taken(tmp_path, "plover.txt", above + "\n".join(lines))
    assert ([need.name for need in sheet.needs], tally.mistakes) == (names, [])
    assert [need.accepts[0].md5 for need in sheet.needs] == [A, B, C, D]
    assert not any(need.title for need in sheet.needs)


SEVERAL = {
    "a column": ("n.csv", f"Emulator,File,MD5\nPlover 1.3,boot8.rom,{A}\n,boot16.rom,{B}\nCurlew,font.rom,{C}\n", "Emulator"),
    "headings": ("n.md", f"## Plover\n\n| File | MD5 |\n|---|---|\n| boot8.rom | {A} |\n| boot16.rom | {B} |\n\n## Curlew\n\n| File | MD5 |\n|---|---|\n| font.rom | {C} |\n", "heading"),
    "keys": ("n.json", f'{{"plover": [{{"file": "boot8.rom", "md5": "{A}"}}, {{"file": "boot16.rom", "md5": "{B}"}}], "curlew": [{{"file": "font.rom", "md5": "{C}"}}]}}', "@key"),
}  # fmt: skip


@pytest.mark.parametrize("case", SEVERAL)
def test_of_a_list_for_several_emulators_only_the_one_asked_for_is_taken(tmp_path: Path, case: str) -> None:
    name, text, column = SEVERAL[case]
    (tmp_path / name).write_text(text)

    def names(asked: Asked) -> list[str]:
        drafted = draft_map(tmp_path / name, asked)
        (tmp_path / "kept.map.toml").write_text(write_map(drafted, name))
        made = load_map(tmp_path / "kept.map.toml")
        assert made == drafted.made
        return [need.name for need in read_sheet(tmp_path / name, made, Tally()).needs]

    assert names(Asked(emulator="plover")) == ["boot8.rom", "boot16.rom"]
    assert draft_map(tmp_path / name, Asked(emulator="plover")).others in (("Curlew",), ("curlew",))
    assert names(Asked(emulator="ruff", fields=(Said(column, "machine"),))) == ["boot8.rom", "boot16.rom", "font.rom"]
    text = text.replace("Curlew", "Plover keyboards").replace("curlew", "plover keyboards")
    (tmp_path / name).write_text(text)
    assert names(Asked(emulator="plover")) == ["boot8.rom", "boot16.rom", "font.rom"], "it may be one of several parts"
    (tmp_path / name).write_text(SEVERAL[case][1])
    if case == "a column":
        for other in (Asked(), Asked(emulator="ruff")):
            with pytest.raises(GribbleError, match=r"a list of several emulators: Plover 1\.3, Curlew"):
                draft_map(tmp_path / name, other)


HOSTILE = """
from pathlib import Path
from gribble.core.base.errors import GribbleError
from gribble.core.base.tables import Mistakes, read_toml
from gribble.core.catalogue.importing.drafting import draft_map
from gribble.core.catalogue.importing.found import Asked
path, digest = Path("list.txt"), "a" * 32
for unit in (" ", "\\t", "| ", "-", "=", "#", "_", "a ", "1,", "(", "[", "<", "/", "│   ", "├", "a:", "(a", "[a", "{{", "'"):
    many = unit * (20_000 // len(unit))
    table = f"Kind: {many}\\n\\n| File | MD5 |\\n|---|---|\\n| boot.rom | {digest} |\\n\\n"
    of_sets = f"## a{many}b\\n\\n{table}## c\\n\\n{table}", f"set {{\\n name a{many}b\\n file {{ md5 {digest} {many} }}\\n}}\\nset {{\\n}}\\n"
    for text in (many + "x y", f"boot.rom {digest}\\n{many}x y", f"a = b{many}c\\nb = c\\n", f"# a{many}b\\n", *of_sets):
        path.write_text(text)
        try:
            draft_map(path, Asked("roster" if text in of_sets else "", "plover", "1"))
        except GribbleError:
            pass
path.write_text("a = b" + " " * 50_000 + "c\\n")
read_toml(path, Mistakes("a sheet with a mistake"))
"""


@pytest.mark.skipif(sys.platform == "win32", reason="only other systems say how long a process may work")
def test_a_sign_over_and_over_takes_no_longer_than_other_lists(tmp_path: Path) -> None:
    """Two seconds for all of them; where a pattern goes over blanks twice, one alone takes minutes."""

    def bounded() -> None:
        resource.setrlimit(resource.RLIMIT_CPU, (20, 20))

    done = subprocess.run([sys.executable, "-c", HOSTILE], cwd=tmp_path, preexec_fn=bounded, check=False)
    assert done.returncode == 0


def test_a_digest_that_is_cut_short_is_none(tmp_path: Path) -> None:
    for cut in ("…", "...", " …"):
        text = f"File,MD5\nboot8.rom,{A[:8]}{cut}\nboot16.rom,{B[:8]}{cut}\n"
        drafted, sheet, _ = taken(tmp_path, "plover.csv", text)
        assert not any(need.accepts for need in sheet.needs), cut
        assert drafted.notes or drafted.doubtful, "which is told"


def test_a_digest_without_a_name_is_none_of_the_file_above(tmp_path: Path) -> None:
    for line in (f"bootx: {B}", f"bootx {B}", f"or so: MD5 {B}"):
        _, sheet, tally = taken(tmp_path, "plover.txt", f"boot8.rom: {A}\n{line}\nfont.rom: {C}\n")
        assert [[one.md5 for one in need.accepts] for need in sheet.needs] == [[A], [C]]
        assert [str(one) for one in tally.mistakes] == [f"record 2 (md5 {B}): has no name"]
    for text in (f"bootx {B}\nboot8.rom {A}\nfont.rom {C}\n", f"Files:\nbootx {B}\nboot8.rom {A}\nfont.rom {C}\n"):
        _, _, tally = taken(tmp_path, "plover.txt", text)
        assert [str(one) for one in tally.mistakes] == [f"record 1 (md5 {B}): has no name"]
    for line in (f"  or {B}", "MD5: " + B):  # below it; or beside, where its own line says nothing of it
        text = f"boot8.rom{': ' + A if line[0] == ' ' else ''}\n{line}\nfont.rom: {C}\n"
        assert B in [one.md5 for one in taken(tmp_path, "plover.txt", text)[1].needs[0].accepts]
    sha1 = hashlib.sha1(b"a", usedforsecurity=False).hexdigest()
    _, sheet, _ = taken(tmp_path, "plover.txt", f"boot8.rom: {A}\nSHA-1: {sha1}\nfont.rom: {C}\n")
    assert (sheet.needs[0].accepts[0].md5, sheet.needs[0].accepts[0].sha1) == (A, sha1)


def test_a_checksum_that_is_too_short_is_told_amid_words(tmp_path: Path) -> None:
    path = tmp_path / "plover.md5"
    lines = [f"{MD5S[one]}  {one}.rom" for one in NAMES] + [f"{D}  {number}.rom" for number in range(4)]
    path.write_text("\n".join(["Files of Plover:", *lines, f"{D[1:]}  last.rom"]))
    with pytest.raises(GribbleError, match="line 9: a digest has 8, 32, 40, 64 hex digits, not 31"):
        draft_map(path, Asked())
    _, _, tally = taken(tmp_path, "plover.txt", f"boot8.rom: {A}\nboot16.rom: {B[1:]}\nfont.rom: {C}\n")
    (mistake,) = map(str, tally.mistakes)
    assert mistake.startswith(f'record 2 (boot16.rom), md5: "{B[1:]}" has 31 hex digits, not 32')


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


FILES = (("a.bin", 1024, "0cd1a2b3"), ("b.bin", 2048, "1cd1a2b3"))
SETS = {
    "names and titles above tables": ("n.md", "\n".join(
        f"## {one} - {title}\n\n| File | Size | CRC |\n|---|---|---|\n" + "".join(f"| {one}{name} | {size} | {crc} |\n" for name, size, crc in FILES)
        for one, title in (("mill", "Mill Race"), ("quay", "Quay")))),
    "names and titles above lines": ("n.txt", "\n".join(
        f"{one}: {title}\n" + "".join(f"    {one}{name:<9} {size:>6} {crc}\n" for name, size, crc in FILES)
        for one, title in (("mill", "Mill Race"), ("quay", "Quay")))),
    "files by their names": ("n.json", "{" + ", ".join(
        f'"{one}": {{"title": "{title}", "files": {{' + ", ".join(f'"{one}{name}": {{"size": {size}, "crc": "{crc}"}}' for name, size, crc in FILES) + "}}"
        for one, title in (("mill", "Mill Race"), ("quay", "Quay"))) + "}"),
    "archives": ("n.csv", "archive,title,member,bytes,CRC-32\n" + "".join(
        f"{one}.zip,{title},{one}{name},{size},{crc}\n" for one, title in (("mill", "Mill Race"), ("quay", "Quay")) for name, size, crc in FILES)),
}  # fmt: skip


@pytest.mark.parametrize("case", SETS)
def test_an_untidy_list_of_sets_is_understood_in_one_try(tmp_path: Path, case: str) -> None:
    name, text = SETS[case]
    (tmp_path / name).write_text(text)
    drafted = draft_map(tmp_path / name, Asked(to="roster", emulator="plover", release="3"))
    found = list(read_sets(read_list(tmp_path / name, drafted.made), drafted.made, Tally()))
    assert not drafted.doubtful
    assert [(one.set, one.title) for one in found] == [("mill", "Mill Race"), ("quay", "Quay")]
    for one in found:
        told = [(file.name, file.size, file.crc32) for file in one.files]
        assert told == [(f"{one.set}{name}", size, crc) for name, size, crc in FILES]


def test_files_without_names_are_no_digests_of_what_they_are_in(tmp_path: Path) -> None:
    """Else each of a game's files would pass for the game."""
    for inner in ("<rom><md5>{}</md5></rom>", "<rom md5='{}'/>"):
        games = "".join(f"<game name='{one}.rom'>{inner.format(A)}{inner.format(B)}</game>" for one in NAMES)
        (tmp_path / "plover.xml").write_text(f"<list>{games}</list>")
        with pytest.raises(GribbleError, match="cannot tell which field is the name"):
            draft_map(tmp_path / "plover.xml", Asked())


def test_a_file_that_is_called_like_the_emulator_is_no_emulator(tmp_path: Path) -> None:
    text = f"File,MD5\nplover.rom,{A}\nplover.rom,{B}\nfont.rom,{C}\n"
    (tmp_path / "n.csv").write_text(text)
    drafted = draft_map(tmp_path / "n.csv", Asked(emulator="plover"))
    needs = read_sheet(tmp_path / "n.csv", drafted.made, Tally()).needs
    assert [(need.name, len(need.accepts)) for need in needs] == [("plover.rom", 2), ("font.rom", 1)]
