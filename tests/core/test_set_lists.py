"""The same sets in lists of many forms, as programs and people write them: each is understood in one try."""

from __future__ import annotations

import hashlib
import json
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import pytest

from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.blocks import read_blocks
from gribble.core.catalogue.importing.drafting import draft_map
from gribble.core.catalogue.importing.found import Asked
from gribble.core.catalogue.importing.lists import read_list, read_roster
from gribble.core.catalogue.importing.relatives import read_plays, with_plays
from gribble.core.catalogue.rosters import LoadedSets
from gribble.core.records.imported import Tally
from gribble.core.records.roster import ArcadeSet, Roster, RosterHead


class Chip(NamedTuple):
    name: str
    size: int
    crc32: str
    sha1: str


def chip(name: str, size: int) -> Chip:
    data = (name.encode() * size)[:size]
    return Chip(name, size, f"{zlib.crc32(data):08x}", hashlib.sha1(data, usedforsecurity=False).hexdigest())


class Told(NamedTuple):
    """A set, as a list tells of it."""

    set: str
    title: str
    kind: str
    parent: str
    bios: str
    devices: tuple[str, ...]
    files: tuple[Chip, ...]


SHARED = chip("sp2.4f", 8192)
SETS = (
    Told("quay", "Quay BIOS", "bios", "", "", (), (chip("qb.rom", 4096),)),
    Told("jetty", "Jetty Tone", "device", "", "", (), (chip("jt.bin", 2048),)),
    Told("saltpan", "Salt Pan", "game", "", "quay", ("jetty",), (chip("sp1.4e", 8192), SHARED)),
    Told("saltpanj", "Salt Pan (Japan)", "game", "saltpan", "quay", ("jetty",), (chip("sp1j.4e", 8192), SHARED)),
    Told("mill", "Mill Race", "game", "", "", (), (chip("a.bin", 1024), chip("b.bin", 1024), chip("c.bin", 512))),
)


def each(line: Callable[[Told], str]) -> str:
    return "".join(map(line, SETS))


def files(one: Told, line: str) -> str:
    """A line for each file of a set, from a pattern."""
    return "".join(line.format(*file) for file in one.files)


def facts(one: Told, line: str, between: str = ", ") -> str:
    """A line for each thing that is said of a set beside its name and title, from a pattern."""
    said = {"Kind": one.kind, "Parent": one.parent, "BIOS": one.bios, "Devices": between.join(one.devices)}
    return "".join(line.format(name, value) for name, value in said.items() if value)


def pairs(one: Told) -> dict[str, object]:
    said = {"title": one.title, "kind": one.kind, "parent": one.parent, "bios": one.bios, "devices": list(one.devices)}
    return {name: value for name, value in said.items() if value}


HEAD = "<th>File<th>Size<th>CRC32<th>SHA-1"
CELLS = "<tr><td>{0}<td>{1}<td>{2}<td>{3}"
BARS = "| File | Size | CRC32 | SHA-1 |\n|---|---|---|---|\n"
ROW = "| {0} | {1} | {2} | {3} |\n"
RULE = "======== ======= ======== " + "=" * 40 + "\n"

WHOLE = {
    "blocks": ("n.txt", "list (\n\tname \"Turnstone\"\n\tauthor \"Ada (Lighthouse)\"\n)\n\n" + each(
        lambda one: f'game (\n\tname {one.set}\n\tdescription "{one.title}"\n' + facts(one._replace(devices=()), "\t{0} {1}\n").lower()
        + "".join(f"\tdevice {name}\n" for name in one.devices) + files(one, '\trom ( name "{0}" size {1} crc {2} sha1 {3} )\n') + ")\n\n")),
    "blocks with names": ("n.txt", each(
        lambda one: f'set "{one.set}" {{\n  title = "{one.title}"\n' + facts(one, '  {0} = "{1}"\n').lower()
        + files(one, '  file "{0}" {{\n    size = {1}\n    crc32 = "{2}"\n    sha1 = "{3}"\n  }}\n') + "}\n")),
    "what is said below headings": ("n.md", "# Sets\n\n" + each(
        lambda one: f"## {one.set} – {one.title}\n\n" + facts(one, "{0}: {1}\n\n") + BARS + files(one, ROW) + "\n")),
    "bold, in bullets, linked": ("n.md", "# Sets\n\n" + each(
        lambda one: f"### {one.set}\n\n**{one.title}**\n\n" + facts(one, "- **{0}:** [{1}](#a)\n") + "\n" + BARS + files(one, ROW) + "\n")),
    "a wiki": ("n.txt", "= Sets =\n" + each(
        lambda one: f"== {one.set} ({one.title}) ==\n" + facts(one, "* {0}: [[{1}]]\n")
        + '{| class="wikitable"\n! File !! Size !! CRC32 !! SHA-1\n' + files(one, "|-\n| {0} || {1} || {2} || {3}\n") + "|}\n")),
    "sections with fields": ("n.rst", "Sets\n====\n\n" + each(
        lambda one: f"{one.set}\n{'-' * len(one.set)}\n\n:Title: {one.title}\n" + facts(one, ":{0}: {1}\n") + f"\n{RULE}File     Size    CRC32    SHA-1\n{RULE}"
        + files(one, "{0:8} {1:>7} {2} {3}\n") + f"{RULE}\n")),
    "sections of keys": ("n.ini", each(
        lambda one: f"[{one.set}]\ntitle = {one.title}\n" + facts(one, "{0} = {1}\n")
        + "".join(f"file{at} = {', '.join(map(str, file))}\n" for at, file in enumerate(one.files)) + "\n")),
    "paragraphs": ("n.txt", each(
        lambda one: f"Set: {one.set}\nTitle: {one.title}\n" + facts(one, "{0}: {1}\n") + "Files:\n" + files(one, "  {0:10} {1:>6}  {2}  {3}\n") + "\n")),
    "a page, folded": ("n.html", "<html><body><h1>Sets</h1>" + each(
        lambda one: f"<details><summary>{one.set}: {one.title}</summary><p>" + facts(one, "{0}: <a>{1}</a><br>") + f"</p><table><tr>{HEAD}" + files(one, CELLS) + "</table></details>")),
    "a page, a table of facts before each": ("n.html", "<html><body><h1>Sets</h1>" + each(
        lambda one: f"<h3>{one.title} <small>({one.set})</small></h3><table>" + facts(one, "<tr><th>{0}<td>{1}") + "<tr><th>Year<td>-</table>"
        + f"<table><tr>{HEAD}" + files(one, CELLS) + "</table>")),
    "a page, definitions and bullets": ("n.html", "<html><body>" + each(
        lambda one: f"<h2>{one.set}</h2><p>{one.title}</p><dl>" + facts(one, "<dt>{0}</dt><dd>{1}</dd>") + "</dl><ul>"
        + files(one, "<li><code>{0}</code> ({1} bytes), CRC {2}, SHA-1 {3}</li>") + "</ul>")),
    "XML without attributes": ("n.xml", "<sets>" + each(
        lambda one: f"<set><id>{one.set}</id><description>{one.title}</description>" + facts(one, "<{0}>{1}</{0}>").lower() + "<files>"
        + files(one, "<file><name>{0}</name><size>{1}</size><crc32>{2}</crc32><sha1>{3}</sha1></file>") + "</files></set>") + "</sets>"),
    "JSON, files as rows": ("n.json", json.dumps([{"name": one.set, **pairs(one), "roms": [list(file) for file in one.files]} for one in SETS])),
    "JSON, relations apart": ("n.json", json.dumps([
        {"id": one.set, "name": one.title, "type": one.kind, "roms": [file._asdict() for file in one.files],
         "relations": {"cloneOf": one.parent or None, "bios": one.bios or None, "uses": list(one.devices)}} for one in SETS])),
    "YAML, a line for each file": ("n.yaml", "sets:\n" + each(
        lambda one: f"  {one.set}:\n" + "".join(f"    {name}: {json.dumps(value)}\n" for name, value in pairs(one).items()) + "    files:\n" + files(one, "      - {0} {1} {2} {3}\n"))),
    "a cell with an entry for each file": ("n.csv", "name,title,type,parent,bios,devices,files\n" + each(
        lambda one: f"{one.set},{one.title},{one.kind},{one.parent},{one.bios},{' '.join(one.devices)}," + "; ".join(" ".join(map(str, file)) for file in one.files) + "\n")),
    "cells with a line for each file": ("n.md", "| Set | Title | Kind | Parent | BIOS | Devices | Files | Size | CRC32 | SHA-1 |\n" + "|---" * 10 + "|\n" + each(
        lambda one: f"| {one.set} | {one.title} | {one.kind} | {one.parent} | {one.bios} | {' '.join(one.devices)} | "
        + " | ".join("<br>".join(map(str, column)) for column in zip(*one.files, strict=True)) + " |\n")),
    "numbered columns": ("n.csv", "name,title,kind,parent,bios,devices," + ",".join(f"rom{at},size{at},crc{at},sha1_{at}" for at in (1, 2, 3)) + "\n" + each(
        lambda one: f"{one.set},{one.title},{one.kind},{one.parent},{one.bios},{' '.join(one.devices)}," + ",".join(",".join(map(str, file)) for file in one.files) + "\n")),
}  # fmt: skip
"""Lists that say everything of each set."""

PARTLY = {
    "nested bullets": ("n.md", "# Sets\n\n" + each(
        lambda one: f"* **{one.set}** – {one.title}" + (f" (clone of {one.parent})" if one.parent else "") + (f", BIOS: {one.bios}" if one.bios else "") + "\n"
        + files(one, "  * `{0}` {1} bytes, CRC32 {2}, SHA-1 {3}\n")), "title parent bios"),
    "lines with bullets below names and titles": ("n.txt", each(
        lambda one: f'{one.set} "{one.title}" [1986]\n' + (f"  clone of: {one.parent}\n" if one.parent else "") + files(one, "  - {0}  {1}  {2} {3}\n") + "\n"), "title parent"),
    "archives": ("n.csv", "archive,game,parent archive,bios archive,rom,bytes,crc,sha1\n" + each(
        lambda one: files(one, f"{one.set}.zip,{one.title},{one.parent + '.zip' if one.parent else ''},{one.bios + '.zip' if one.bios else ''},{{0}},{{1}},{{2}},{{3}}\n")), "title parent bios"),
    "paths of members": ("n.txt", each(lambda one: files(one, f"{one.set}.zip/{{0}}\t{{1}}\t{{2}}\t{{3}}\n")), ""),
    "checksums in folders": ("n.sha1", each(lambda one: files(one, f"{{3}}  /home/ada/sets/{one.set}/{{0}}\n")), ""),
    "checksums in folders of a folder": ("n.sha1", each(lambda one: files(one, f"{{3}} *./sets/{one.set}/{{0}}\n")), ""),
    "checksums of members, elsewhere": ("n.sha1", each(lambda one: files(one, f"{{3}}  D:\\sets\\{one.set}.7z\\{{0}}\n")), ""),
    "listings of archives": ("n.txt", each(lambda one: f"Archive: {one.set}.zip\n" + files(one, "{1:>9}  {2}  {0}\n") + "\n"), ""),
    "words that all headings share": ("n.txt", each(lambda one: f"The set {one.set} needs:\n" + files(one, "   {0:12} {1:>8}  {2} {3}\n")), ""),
}  # fmt: skip
"""Lists that only say some of it."""


def sets_of(tmp_path: Path, name: str, text: str) -> dict[str, ArcadeSet]:
    """The sets of a list without a word to help, or doubt."""
    path = tmp_path / name
    path.write_text(text)
    drafted, tally = draft_map(path, Asked(to="roster", emulator="turnstone", release="1")), Tally()
    assert not drafted.doubtful
    found = {one.set: one for one in read_roster(path, drafted.made, tally)}
    assert tally.mistakes == []
    return found


def told_of(one: ArcadeSet) -> Told:
    chips = [Chip(file.name, file.size or 0, file.crc32 or "", file.sha1 or "") for file in one.files]
    return Told(one.set, one.title, str(one.kind), one.parent or "", one.bios or "", one.devices, tuple(chips))


@pytest.mark.parametrize("case", WHOLE)
def test_a_list_of_sets_is_understood_in_whatever_form(tmp_path: Path, case: str) -> None:
    found = sets_of(tmp_path, *WHOLE[case])
    assert [told_of(one) for one in found.values()] == list(SETS)


@pytest.mark.parametrize("case", PARTLY)
def test_what_a_list_of_sets_says_is_taken_and_no_more(tmp_path: Path, case: str) -> None:
    name, text, says = PARTLY[case]
    found = sets_of(tmp_path, name, text)
    assert sorted(found) == sorted(one.set for one in SETS)
    for one in map(told_of, found.values()):
        full = next(each for each in SETS if each.set == one.set)
        assert [getattr(one, word) for word in says.split()] == [getattr(full, word) for word in says.split()]
        for mine, wanted in zip(one.files, full.files, strict=True):
            assert mine.name == wanted.name
            assert all(a in ("", 0, b) for a, b in zip(mine, wanted, strict=True))
            assert mine.crc32 or mine.sha1
        assert (one.parent, one.bios) in {(full.parent, full.bios), (full.parent, ""), ("", "")}


def test_a_set_that_others_have_as_bios_or_device_is_one(tmp_path: Path) -> None:
    """Where the list has no word for it."""
    head = "set,bios,devices,rom,size,crc,sha1\n"
    text = head + each(
        lambda one: files(one, f"{one.set},{one.bios},{' '.join(one.devices)},{{0}},{{1}},{{2}},{{3}}\n")
    )
    found = sets_of(tmp_path, "n.csv", text)
    assert {name: str(one.kind) for name, one in found.items()} == {one.set: one.kind for one in SETS}


def test_eight_figures_are_a_checksum_among_others(tmp_path: Path) -> None:
    """One CRC-32 in forty has no letter; alone it could be a size or a date."""
    lines = ("x.bin 512 82561842 {}", "y.bin 512 b9c6c229 {}", "z.bin 16777216 3ff9ae1f {}")
    sha1s = [chip(line, 1).sha1 for line in lines]
    text = "## quay\n- q.rom 1d2e3f40\n\n## mill\n" + "".join(
        f"- {line.format(sha1)}\n" for line, sha1 in zip(lines, sha1s, strict=True)
    )
    found = sets_of(tmp_path, "n.md", text)
    told = [(file.crc32, file.size) for file in found["mill"].files]
    assert told == [("82561842", 512), ("b9c6c229", 512), ("3ff9ae1f", 16777216)]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("## Games\n\n" + BARS + files(SETS[4], ROW) + "\n## BIOS sets\n\n" + BARS + files(SETS[0], ROW), "which column is the set"),
        ("set {\n  name mill\n  file { name a.bin crc 0cd1a2b3 }\n}\nset {\n  name quay\n", "has no end"),
    ],
)  # fmt: skip
def test_what_names_no_sets_is_told(tmp_path: Path, text: str, says: str) -> None:
    with pytest.raises(GribbleError, match=says):
        sets_of(tmp_path, "n.txt" if text.startswith("set") else "n.md", text)


def test_what_is_wrong_with_a_block_is_told_where_it_is(tmp_path: Path) -> None:
    """Far behind what is looked at to tell what a list is."""
    for wrong, says in (("}\n", "line 3: ends a block"), ("set {\n  name\n}\n", "line 4: is no word with a value")):
        (tmp_path / "n.txt").write_text(f"set {{\n}}\n{wrong}")
        with pytest.raises(GribbleError, match=says):
            list(read_blocks(tmp_path / "n.txt", "utf-8", ["set"], lambda _bytes: None))


@pytest.mark.parametrize("case", ["what is said below headings", "a page, a table of facts before each", "a wiki"])
def test_a_map_takes_sets_that_are_new_in_headings(tmp_path: Path, case: str) -> None:
    """A list that is looked at again has more sets than when its map was drafted."""
    name, text = WHOLE[case]
    (tmp_path / "first").mkdir()
    whole = tmp_path / name
    whole.write_text(text)
    part = tmp_path / "first" / name
    part.write_text(text[: text.rindex("mill")].rpartition("<h3>" if "<h3>" in text else "\n")[0])
    drafted = draft_map(part, Asked(to="roster", emulator="turnstone", release="1"))
    assert [told_of(one) for one in read_roster(whole, drafted.made, Tally())] == list(SETS)


def test_sets_that_are_in_others_are_told(tmp_path: Path) -> None:
    """Clones within their parents are not taken: their parent would not be known."""
    rows = [{"name": one.set, **pairs(one), "files": [file._asdict() for file in one.files]} for one in SETS]
    rows[2]["clones"] = [rows.pop(3)]
    (tmp_path / "n.json").write_text(json.dumps(rows))
    drafted = draft_map(tmp_path / "n.json", Asked(to="roster", emulator="turnstone", release="1"))
    assert "the records at clones/files (2) are left out" in drafted.notes


STATES = (
    ("saltpan", "Perfect", ""),
    ("saltpanj", "Playable with glitches", "No sound"),
    ("mill", "Does not boot", "Dark"),
)
GAMES = tuple((name, next(one.title for one in SETS if one.set == name), how, note) for name, how, note in STATES)
PLAYS = {
    "a table": ("n.csv", "Game,Title,Status,Notes\n" + "".join(f"{','.join(one)}\n" for one in GAMES)),
    "titles and signs": ("n.md", "| Title | Works? | Remarks |\n|---|---|---|\n" + "".join(
        f"| {title} | {sign} | {note} |\n" for (_, title, _, note), sign in zip(GAMES, ("✅", "⚠️", "❌"), strict=True))),
    "below headings": ("n.md", "# Turnstone\n\n" + "".join(f"## {how}\n- {title}: {note}\n\n" for _, title, how, note in GAMES)),
    "columns without heads": ("n.txt", "".join(f"{name:10} {how:24} {note}\n" for name, _, how, note in GAMES)),
    "titles with names": ("n.html", "<table><tr><th>Name<th>Compatibility<th>Comments" + "".join(
        f"<tr><td>{title} ({name})<td>{how}<td>{note}" for name, title, how, note in GAMES) + "</table>"),
    "JSON": ("n.json", json.dumps([{"rom": name, "title": title, "state": how, "note": note} for name, title, how, note in GAMES])),
    "JSON by names": ("n.json", json.dumps({name: {"status": how.lower(), "comment": note} for name, _, how, note in GAMES})),
    "YAML": ("n.yaml", "games:\n" + "".join(f"  {name}: {how} - {note}\n" for name, _, how, note in GAMES)),
    "sections": ("n.ini", "".join(f"[{name}]\nplayable={how}\nnote={note}\n" for name, _, how, note in GAMES)),
    "XML": ("n.xml", "<games>" + "".join(f'<game name="{name}"><state>{how}</state><note>{note}</note></game>' for name, _, how, note in GAMES) + "</games>"),
    "blocks": ("n.txt", "".join(f'game {{\n  name {name}\n  plays "{how}"\n  note "{note or "-"}"\n}}\n' for name, _, how, note in GAMES)),
}  # fmt: skip


@pytest.mark.parametrize("case", PLAYS)
def test_a_list_of_what_plays_is_understood_in_whatever_form(tmp_path: Path, case: str) -> None:
    name, text = PLAYS[case]
    (tmp_path / name).write_text(text)
    drafted, tally = draft_map(tmp_path / name, Asked(to="plays")), Tally()
    assert not drafted.doubtful
    said = list(read_plays(read_list(tmp_path / name, drafted.made), drafted.made, tally))
    roster = Roster(
        RosterHead(roster=1, emulator="turnstone", release="1"),
        LoadedSets({one.set: ArcadeSet(set=one.set, title=one.title) for one in SETS}),
    )
    found = with_plays(roster, said)
    assert (tally.mistakes, found.unmatched) == ([], [])
    told = {one.set: (str(one.plays), one.note) for one in found.sets if one.set in {name for name, *_ in STATES}}
    assert told == {"saltpan": ("yes", ""), "saltpanj": ("flawed", "No sound"), "mill": ("no", "Dark")}


ODD = {
    "titles of one word before names": (
        "n.md", "".join(f"## {title} ({name})\n\n- {name}.bin 0cd1a2b{at}\n\n" for at, (name, title) in enumerate([("gull", "Gull!"), ("moor", "Moor")])),
        {"gull": ("Gull!", None, ()), "moor": ("Moor", None, ())}),
    "a column of sets beside one of games": (
        "n.csv", "Set,Game,BIOS,File,CRC\ngull,Gull!,moor,g.bin,0cd1a2b3\ngull,Gull!,moor,h.bin,1cd1a2b3\nmoor,Moor,,m.bin,2cd1a2b3\n",
        {"gull": ("Gull!", "moor", ()), "moor": ("Moor", None, ())}),
    "devices by name, and no titles": (
        "n.xml", '<l><set name="gull" bios="moor"><device name="rope"/><file name="g.bin" crc="0cd1a2b3"/></set>'
        '<set name="moor"><file name="m.bin" crc="1cd1a2b3"/></set><set name="rope"><file name="r.bin" crc="2cd1a2b3"/></set></l>',
        {"gull": ("", "moor", ("rope",)), "moor": ("", None, ()), "rope": ("", None, ())}),
    "two files in a cell, and two devices": (
        "n.csv", 'set,title,devices,files,crc\ngull,"Gull, the","rope, moor","g.bin, h.bin","0cd1a2b3, 1cd1a2b3"\nmoor,Moor,,m.bin,2cd1a2b3\nrope,Rope,,r.bin,3cd1a2b3\n',
        {"gull": ("Gull, the", None, ("rope", "moor")), "moor": ("Moor", None, ()), "rope": ("Rope", None, ())}),
    "keys, files with an ending of a figure, a checksum of figures": (
        "n.ini", "[gull]\nbios set=moor\nrom0=g.1,4096,0cd1a2b3\nrom1=h.2,4096,82550933\n\n[moor]\nrom0=m.1,4096,1cd1a2b3\n",
        {"gull": ("", "moor", ()), "moor": ("", None, ())}),
}  # fmt: skip


@pytest.mark.parametrize("case", ODD)
def test_what_random_lists_of_sets_showed(tmp_path: Path, case: str) -> None:
    name, text, wanted = ODD[case]
    found = sets_of(tmp_path, name, text)
    assert {one.set: (one.title, one.bios, one.devices) for one in found.values()} == wanted
    assert all(file.crc32 for one in found.values() for file in one.files)
