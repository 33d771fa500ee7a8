"""Lists of any shape by a field map: what is understood, what is converted, and what is told."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gribble.core.answers.lint import lineage_faults
from gribble.core.base.errors import GribbleError, MistakesError
from gribble.core.catalogue.importing import apart
from gribble.core.catalogue.importing.build import Reader, read_sets
from gribble.core.catalogue.importing.fieldmap import load_map
from gribble.core.catalogue.importing.lists import read_list
from gribble.core.catalogue.importing.needs import draft_of, read_rows
from gribble.core.catalogue.importing.nodes import Node
from gribble.core.catalogue.importing.values import ValueFault, digest, number, yes
from gribble.core.catalogue.rosters import LoadedSets, load_roster, write_roster
from gribble.core.catalogue.sheets import load_sheet
from gribble.core.catalogue.writing import write_sheet
from gribble.core.records.imported import Field, FieldMap, Rules, Tally
from gribble.core.records.roster import ArcadeSet, FileState, Roster, RosterHead

CRC, SHA = "0a1b2c3d", "ab" * 20
HEAD = '[roster]\nemulator = "turnstone"\nrelease = "1.8"\n'
XML_MAP = (
    'records = "cabinets/cabinet"\n'
    + """
[fields]
set = "@n"
title = "called"
year = "built"
parent = "@of"
devices = "uses/@n"
kind = { from = "@is", values = { system = "bios", "*" = "game" } }
plays = { from = "@runs", values = { badly = "flawed" }, default = "yes" }
[files]
records = "chips/chip"
name = "@n"
size = { from = "@k", unit = "KiB" }
crc32 = { from = "@sum", prefix = "0x" }
sha1 = "print"
state = { from = "@bad", values = { yes = "suspect" } }
optional = "@spare"
[discs]
records = "disc"
name = "@n"
sha1 = "@print"
"""
)
XML = f"""<?xml version="1.0"?>
<room><about/><cabinets>
 <cabinet n="quay" is="system"><called>Quay &amp; Co</called><built>1980</built></cabinet>
 <cabinet n="salt" of="quay" runs="badly"><uses n="tone"/><uses n="pad"/>
  <chips><chip n="a.1" k="64" sum="0x{CRC.upper()}" bad="yes" spare="1"><print>{SHA.upper()}</print></chip></chips>
  <disc n="salt" print="{SHA}"/></cabinet>
</cabinets></room>"""


def sets_of(tmp_path: Path, name: str, data: str | bytes, map_: str) -> tuple[list[ArcadeSet], Tally]:
    (tmp_path / name).write_bytes(data if isinstance(data, bytes) else data.encode())
    top, _, tables = map_.partition("\n[")
    (tmp_path / "map.toml").write_text(f"map = 1\n{top}\n{HEAD}\n[{tables}")
    made = load_map(tmp_path / "map.toml", "roster")
    tally = Tally()
    return list(read_sets(read_list(tmp_path / name, made), made, tally)), tally


def test_an_xml_list_becomes_sets(tmp_path: Path) -> None:
    sets, tally = sets_of(tmp_path, "list.xml", XML, XML_MAP)
    assert tally.mistakes == []
    quay, salt = sets
    assert (quay.title, quay.year, quay.kind, quay.plays) == ("Quay & Co", 1980, "bios", "yes")
    assert (salt.parent, salt.devices, salt.plays) == ("quay", ("tone", "pad"), "flawed")
    (file,) = salt.files
    assert (file.name, file.size, file.crc32, file.sha1) == ("a.1", 65536, CRC, SHA)
    assert (file.state, file.optional) == ("suspect", True)
    assert salt.discs[0].sha1 == SHA


FLAT_MAP = """
[fields]
set = "game"
name = "file"
size = "bytes"
crc32 = "sum"
parent = { from = "of", default = "" }
"""


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("a.csv", f'game,file,bytes,sum,of\nsalt,"a,1.bin",1 024,{CRC},\nsalt,b.2,2,{CRC.upper()},\n'),
        ("b.csv", f'game;file;bytes;sum\nsalt;"a,1.bin";1.024;{CRC}\nsalt;b.2;2;="{CRC}"\n'),
        ("c.tsv", f"game\tfile\tbytes\tsum\nsalt\ta,1.bin\t1024\t{CRC}\n\nsalt\tb.2\t2\t0x{CRC}\n"),
        ("d.json", f'{{"all":[{{"game":"salt","file":"a,1.bin","bytes":1024,"sum":"{CRC}"}},{{"game":"salt","file":"b.2","bytes":2,"sum":"{CRC}"}}]}}'),
        ("e.jsonl", f'{{"game":"salt","file":"a,1.bin","bytes":1024,"sum":"{CRC}"}}\n{{"game":"salt","file":"b.2","bytes":2,"sum":"{CRC}","more":1}}\n'),
        ("f.html", f"<table><tr><td>x</table><p><table><tr><th>file<th>game<th>bytes<th>sum<tr><td>a,1.bin<td>salt<td>1024<td> {CRC} <tr><td>b.2</td><td>salt</td><td>2</td><td>{CRC}</td></tr></table>"),
        ("g.xml", f"<l><r><game>salt</game><file>a,1.bin</file><bytes>1024</bytes><sum>{CRC}</sum></r><r><game>salt</game><file>b.2</file><bytes>2</bytes><sum>{CRC}</sum></r></l>"),
    ],
)  # fmt: skip
def test_every_format_is_read_alike(tmp_path: Path, name: str, text: str) -> None:
    where = {"d.json": 'records = "all"', "g.xml": 'records = "r"'}.get(name, "")
    sets, tally = sets_of(tmp_path, name, text, where + FLAT_MAP)
    assert tally.mistakes == []
    (salt,) = sets
    assert [(file.name, file.size, file.crc32) for file in salt.files] == [("a,1.bin", 1024, CRC), ("b.2", 2, CRC)]


VALUES: list[tuple[Any, str, Field, object]] = [
    (number, "1,234", Field(from_="x"), 1234),
    (number, "64 KiB", Field(from_="x"), 65536),
    (number, "64", Field(from_="x", unit="kB"), 64000),
    (number, "0x100", Field(from_="x"), 256),
    (number, "many", Field(from_="x"), '"many" is not a number'),
    (number, "1.5", Field(from_="x"), '"1.5" is not a whole number'),
    (number, "3 miles", Field(from_="x"), "has a unit that is none of"),
    (lambda v, f: digest(v, "crc32", f), "0A-1B-2C-3D", Field(from_="x"), CRC),
    (lambda v, f: digest(v, "crc32", f), "1b2c3d", Field(from_="x"), "pad = true adds them"),
    (lambda v, f: digest(v, "crc32", f), "1b2c3d", Field(from_="x", pad=True), "001b2c3d"),
    (lambda v, f: digest(v, "crc32", f), "1E5", Field(from_="x"), "turned into a number by a spreadsheet"),
    (lambda v, f: digest(v, "crc32", f), "1.234E+10", Field(from_="x", pad=True), "turned into a number"),
    (lambda v, f: digest(v, "crc32", f), "hello", Field(from_="x"), "not hex digits"),
    (lambda v, f: digest(v, "sha1", f), "ab" * 16, Field(from_="x"), "has 32 hex digits, not 40"),
    (lambda v, _: yes(v), "Yes", Field(from_="x"), True),
    (lambda v, _: yes(v), "perhaps", Field(from_="x"), "neither yes nor no"),
]


@pytest.mark.parametrize(("convert", "value", "field", "wanted"), VALUES)
def test_values_are_converted_or_told(convert: Any, value: str, field: Field, wanted: object) -> None:
    try:
        found: object = convert(value, field)
    except ValueFault as fault:
        found = str(fault)
    assert found == wanted or (isinstance(wanted, str) and isinstance(found, str) and wanted in found)


FAULTS = {
    "not this encoding": ("a.csv", b"game,file,bytes,sum\ns,\xff,1,0\n", "is not utf-8 text (byte 22)"),
    "too many columns": ("a.csv", b"game,file\na,b,c\n", "line 2: has 3 columns, but the head has 2"),
    "half a quote": ("a.csv", b'game,file\na,"b\n', "unexpected end of data"),
    "no JSON": ("a.json", b'[{"game":', "line 1"),
    "no JSON line": ("a.jsonl", b'{"game":"a"}\n{', "line 2: is not JSON"),
    "no XML": ("a.xml", b"<a><b>", "is not XML: no element found"),
    "no record": ("a.xml", b"<a><b/><c><d/></c></a>", "it has"),
    "entities": ("a.xml", b'<!DOCTYPE a [<!ENTITY x "y">]><a><r>&x;</r></a>', "declares entities"),
    "no table": ("a.html", b"<table><tr><th>x<th>y</table>", "table 1: x, y"),
    "no format": ("a.list", b"one\ntwo\n", "has no table, no records"),
    "nothing": ("a.list", b"", "is empty"),
    "two encodings": ("a.csv", "game;é\nü;x\n".encode() + b"\xff;z\n", "line 3 is written in another encoding"),
    "an archive": ("a.zip", b"PK\x03\x04", "is an archive, not a list"),
}  # fmt: skip


@pytest.mark.parametrize("case", FAULTS)
def test_a_list_that_cannot_be_read_is_told(tmp_path: Path, case: str) -> None:
    name, data, words = FAULTS[case]
    more = 'encoding = "utf-8"' if case == "not this encoding" else 'records = "r"' if name.endswith("xml") else ""
    with pytest.raises(GribbleError) as told:
        sets_of(tmp_path, name, data, more + FLAT_MAP)
    assert words in f"{told.value.what} {told.value.fix}"


def test_mistakes_point_at_record_and_field_and_twins_are_counted(tmp_path: Path) -> None:
    rows = [f"salt,a,1,{CRC}", f"salt,a,1,{CRC}", f"salt,a,2,{CRC}", f",b,1,{CRC}", "tide,c,x,zz", f"pier,../d,1,{CRC}"]
    _, tally = sets_of(tmp_path, "a.csv", "game,file,bytes,sum\n" + "\n".join(rows), FLAT_MAP)
    assert tally.duplicates == 1
    assert tally.mistakes == [
        'record 3: "a" of salt is there twice, differently',
        "record 4: has no set",
        'record 5 (tide, c), size: "x" is not a number',
        'record 5 (tide, c), crc32: "zz" has characters that are not hex digits',
        "pier: pier: the file name \"../d\" climbs out of its root with '..'",
    ]


def test_a_map_tells_every_mistake_at_once(tmp_path: Path) -> None:
    (tmp_path / "m.toml").write_text('map = 2\nfield = 1\n[fields]\nnam = "x"\nsize = { from = "", unit = "mile" }\n')
    with pytest.raises(MistakesError) as told:
        load_map(tmp_path / "m.toml", "roster")
    assert [one.where for one in told.value.mistakes] == ["field"]
    (tmp_path / "m.toml").write_text((tmp_path / "m.toml").read_text().replace("field = 1\n", ""))
    with pytest.raises(MistakesError) as told:
        load_map(tmp_path / "m.toml", "roster")
    assert {one.where for one in told.value.mistakes} == {
        "map", "fields.nam", "fields.size.unit", "fields.size.from", "fields.set", "roster.emulator", "roster.release",
    }  # fmt: skip


def test_rows_become_a_sheet_that_loads(tmp_path: Path) -> None:
    (tmp_path / "l.csv").write_text(
        f'n,v,s,where\na.rom,1,{SHA},boot\na.rom,2,{"cd" * 20},boot\na.rom,2,{"cd" * 20},boot\n"b ""x"".rom",,{"ef" * 20},\n'
    )
    made = FieldMap(
        map=1, sheet={"emulator": "knot", "kind": "bios", "folder": "disk"},
        fields={
            "name": (Field(from_="n"),), "version": (Field(from_="v"),), "sha1": (Field(from_="s"),),
            "folder": (Field(from_="where"),),
        },
    )  # fmt: skip
    tally = Tally()
    draft = draft_of(list(read_rows(read_list(tmp_path / "l.csv", made), made, tally)), made, tally)
    assert (tally.mistakes, tally.duplicates) == ([], 1)
    (tmp_path / "knot.sheet.toml").write_text(write_sheet(draft))
    sheet, mistakes = load_sheet(tmp_path / "knot.sheet.toml")
    assert mistakes == []
    assert sheet is not None
    assert [(need.name, sheet.folders[need.folder], len(need.accept)) for need in sheet.need] == [
        ("a.rom", "boot", 2), ('b "x".rom', "disk", 1),
    ]  # fmt: skip


NAME = st.from_regex(r"[a-z0-9]{1,6}", fullmatch=True)
FILE = st.builds(
    lambda n, s, d: {"name": n, "size": s, "sha1": d.hex()},
    NAME,
    st.integers(0, 2**40),
    st.binary(min_size=20, max_size=20),
)


@settings(max_examples=30)
@given(st.dictionaries(NAME, st.lists(FILE, max_size=4, unique_by=lambda f: f["name"]), min_size=1))
def test_a_roster_comes_back_as_it_was_written(tmp_path_factory: pytest.TempPathFactory, sets: dict[str, Any]) -> None:
    import msgspec

    made = [msgspec.convert({"set": name, "files": files}, ArcadeSet) for name, files in sets.items()]
    path = tmp_path_factory.getbasetemp() / "r.roster.jsonl"
    path.write_bytes(b"".join(write_roster(RosterHead(roster=1, emulator="t", release="1"), made)))
    roster, mistakes = load_roster(path)
    assert mistakes == []
    assert roster is not None
    assert list(roster.sets.values()) == made


def test_families_that_do_not_hold_together_are_told() -> None:
    import msgspec

    def roster(**sets: dict[str, Any]) -> list[tuple[str, str]]:
        made = {name: msgspec.convert({"set": name, **rest}, ArcadeSet) for name, rest in sets.items()}
        return list(lineage_faults(Roster(RosterHead(roster=1, emulator="t", release="1"), LoadedSets(made))))

    assert roster(a={}, b={"parent": "a", "files": [{"name": "x", "parent_name": "y"}]}) == [
        ("b", 'x is said to be "y" of its parent a, which has no such file')
    ]
    assert roster(a={"parent": "b"}, b={"parent": "a"}) == [
        ("a", "the parents of a run in a circle"), ("b", "the parents of b run in a circle"),
    ]  # fmt: skip
    assert roster(a={"parent": "no", "bios": "nil", "devices": ["no"]}) == [
        ("a", f"its {word} is not in the roster") for word in ('parent "no"', 'BIOS set "nil"', 'device "no"')
    ]
    assert roster(a={"parent": "no", "bios": "no"}) == [("a", 'its parent "no" is not in the roster')]
    assert roster(a={"bios": "a"}) == [("a", "names itself as its BIOS set")]
    game = {"files": [{"name": "x"}]}
    assert roster(a={"bios": "b"}, b=game) == [("a", 'its BIOS set "b" is of kind game, so its files are not needed')]
    sys = {
        "kind": "bios",
        "variants": ["eu", "us"],
        "files": [{"name": "x", "variant": "us"}, {"name": "y", "variant": "z"}],
    }
    assert roster(a=sys) == [
        ("a", 'its default variant "eu" has no file'), ("a", 'files have the variant "z", which is not listed'),
    ]  # fmt: skip
    assert roster(a={"bios": "no"}, b={"parent": "a"}, c={"parent": "b"}) == [
        ("a", 'its BIOS set "no" is not in the roster')
    ]
    assert roster(a={"files": [{"name": "x", "bios_name": "y"}]}) == [
        ("a", "x should be in its BIOS set, but it has none")
    ]


def test_the_short_way_of_long_lists_reads_what_the_long_way_reads(tmp_path: Path) -> None:
    """Records after the first hundred are read by rows; a value that needs a closer look, or is wrong, is met there, too."""
    chips = f'<chip n="a" k="5" sum="{CRC.upper()}"/><chip n=" b " k="0x10" sum="0x{CRC}"/><disc n="d"/>'
    text = "".join(
        f'<r n="g{n}"><t>Title</t>{chips if n % 2 else chips[: chips.index("/>") + 2]}</r>' for n in range(250)
    )
    map_ = 'records = "r"\n[fields]\nset = "@n"\ntitle = "t"\n[files]\nrecords = "chip"\nname = "@n"\nsize = "@k"\ncrc32 = "@sum"\nparent_name = "@o"\n[discs]\nrecords = "disc"\nname = "@n"\n'
    sets, tally = sets_of(tmp_path, "l.xml", f"<l>{text}</l>", map_)
    assert (tally.mistakes, len(sets)) == ([], 250)
    for place, one in enumerate(sets):
        assert one.title == "Title"
        assert [(file.name, file.size, file.crc32) for file in one.files] == [("a", 5, CRC), ("b", 16, CRC)][
            : 1 + place % 2
        ]
        assert [disc.name for disc in one.discs] == ["d"] * (place % 2)
    wrong = text.replace(f'sum="{CRC.upper()}"', 'sum="zz"')
    _, tally = sets_of(tmp_path, "l.xml", f"<l>{wrong}</l>", map_)
    assert tally.faulty == 250
    alike = ": record 2, chip 1 (g1, a), record 3, chip 1 (g2, a), record 4, chip 1 (g3, a) …"
    assert tally.mistakes == [
        f'record 1, chip 1 (g0, a), crc32: "zz" has characters that are not hex digits (and 249 more{alike})'
    ]


CHIPS = f'<chip n="a" k="5" sum="{CRC}"/><chip n="\u00e9" k="6" sum="{CRC}" more="x"/>'
LONG = "".join(f'<r n="g{n}" is="x">say &amp; <t>Title {n}</t>{CHIPS}<u><v w="1"/>text</u></r>' for n in range(300))
LONG_MAP = 'records = "rs/r"\n[fields]\nset = "@n"\ntitle = "t"\nyear = "^year"\n[files]\nrecords = "chip"\nname = "@n"\nsize = "@k"\ncrc32 = "@sum"\n'
FAKES = {
    "as it is": "",
    "none": "exit 1",
    "one that says nothing": "cat >/dev/null; exit 0",
    "one that says nonsense": "cat >/dev/null; printf '\\003\\000\\000\\000abc'",
    "one that is killed on the way": f'{sys.executable} "$@" | head -c 9000; exit 9',
}


@pytest.mark.own_ground("it runs a script")
@pytest.mark.parametrize("fake", FAKES)
@pytest.mark.parametrize("end", ["</rs></l>", "</rs>", "<!"])
def test_a_process_of_its_own_reads_a_long_list_or_fails_unseen(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, fake: str, end: str
) -> None:
    """Whatever the other process does, there are the same records, the same bytes told where it is whole, and the same
    words where the list is not."""
    (tmp_path / "l.xml").write_text(f'<l year="1990"><rs>{LONG}{end}', encoding="utf-8")
    (tmp_path / "map.toml").write_text(f"map = 1\n{LONG_MAP}{HEAD}")
    made = load_map(tmp_path / "map.toml", "roster")

    def read() -> tuple[list[object], str]:
        nodes: list[object] = []
        try:
            nodes.extend(msgspec.to_builtins(node) for node in read_list(tmp_path / "l.xml", made, told.append))
        except GribbleError as error:
            return nodes, error.what
        return nodes, ""

    told: list[int] = []
    here, whole = read(), sum(told)
    started: list[Any] = []
    real = subprocess.Popen
    told.clear()

    def start(words: list[str], **how: Any) -> Any:
        started.append(words)
        return real(words, **how)

    if FAKES[fake]:
        script = tmp_path / "python"
        script.write_text(f"#!/bin/sh\n{FAKES[fake]}\n")
        script.chmod(0o700)
        monkeypatch.setattr(sys, "executable", str(script))
    monkeypatch.setattr(apart, "LONG_BYTES", 0)
    monkeypatch.setattr(os, "cpu_count", lambda: 2)
    monkeypatch.setattr(subprocess, "Popen", start)
    assert read() == here
    assert len(started) == 1
    if fake == "as it is" and not here[1]:
        assert sum(told) == whole == (tmp_path / "l.xml").stat().st_size


@given(
    st.lists(
        st.fixed_dictionaries(
            {
                "name": st.sampled_from(["a.bin", " b.bin ", "c.bin"]),
                "crc": st.sampled_from(["0a1b2c3d", "0A1B2C3D", "12"]),
            },
            optional={
                "size": st.sampled_from(["16", "0x10", ""]),
                "status": st.sampled_from(["good", "baddump", "odd", "", " good"]),
                "maybe": st.sampled_from(["yes", "no", "", "perhaps"]),
            },
        ),
        min_size=1,
        max_size=4,
    )
)
def test_files_are_read_at_once_as_one_by_one(files: list[dict[str, str]]) -> None:
    """Columns that are clean are converted in one go; words that the map explains are, too."""
    rules: dict[str, Rules] = {
        "name": (Field(from_="@name"),),
        "size": (Field(from_="@size"),),
        "crc32": (Field(from_="@crc"),),
        "state": (Field(from_="@status", values={"good": "good", "baddump": "suspect"}),),
        "optional": (Field(from_="@maybe", values={"yes": "yes", "no": "no"}),),
    }
    at_once, alone = (Tally(), Tally())
    found = Reader(rules).read_all([Node("", one) for one in files], "record 1", at_once, "g1")
    reader = Reader(rules)
    each = [reader.read(Node("", one), f"record 1 {n}", alone, "g1") for n, one in enumerate(files, start=1)]
    unsaid = {"size": None, "state": FileState.GOOD, "optional": False}
    assert [unsaid | one for one in found] == [unsaid | one for one in each]
    assert at_once.mistakes == alone.mistakes
