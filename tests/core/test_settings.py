"""Settings files: one value found and changed, all else as it was; where paths lead; what is said of bad files."""

from __future__ import annotations

import json
import tomllib
from xml.etree import ElementTree

import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec import structs

from gribble.core.base.budget import MOST_SETTINGS
from gribble.core.base.kinds import Format
from gribble.core.files.leads import Form, Frame, read_path, written
from gribble.core.files.settingsfile import SettingError, value_of, with_value

KEPT = {
    # name: format, key, file before the value, the value as it stands, file behind it
    "ini, remark and CR LF": (Format.INI, "paths.rom", "; x\r\n[paths]\r\nrom = ", "old.rom", " ; why\r\nb=1\r\n"),
    "ini, quoted": (Format.INI, "paths.rom", "[paths]\nROM: '", "a # c", "' # why\n"),
    "ini, no section, not UTF-8": (Format.INI, "rom", "# B\udcf6e\nrom=", "old", "\n[x]\nrom=2"),
    "ini, section with dots": (Format.INI, "a.b.rom", "[a]\nrom=1\n[a.b]\nrom=", "2", ""),
    "toml": (Format.TOML, "paths.rom", "# x\n[paths]\na=[1,\n2]\nrom = '", "old", "'  # why\n\n[z]\nrom = 1\n"),
    "toml, inline": (Format.TOML, "paths.rom", 'paths = { a = 1, rom = "', "old", '" }\r\n'),
    "json": (Format.JSON, "a.1.rom", '{"x":{"rom":1},\n\t"a" : [0,{"rom" :', '"old"', "} ]}\r\n"),
    "json, byte-order mark": (Format.JSON, "rom", '\ufeff{"rom": ', '"old"', "}"),
    "yaml": (Format.YAML, "paths.rom", "# x\npaths:\n  a: [1, 2]\n  rom: ", "old", "   # why\nz: |\n  rom: 1\n"),
    "yaml, flow": (Format.YAML, "paths.0", 'paths: ["', "old", '", x]\n'),
    "xml": (
        Format.XML,
        "paths.rom",
        "<c>\n<!-- <rom> --><paths a='1'>\n<rom>\n  ",
        "a &amp; b",
        "\n</rom></paths></c>",
    ),
    "xml, attribute": (Format.XML, "dev.@rom", "<c><dev a='>' rom=", "'x'", " b='2'/><other rom='y'/></c>"),
}


@pytest.mark.parametrize("case", KEPT)
def test_only_the_value_changes(case: str) -> None:
    format_, key, head, _, tail = KEPT[case]
    before = "".join(KEPT[case][2:]).encode(errors="surrogateescape")
    after = with_value(before, format_, key, "sub/new 1.rom")
    assert after.startswith(head.encode(errors="surrogateescape"))
    assert after.endswith(tail.encode(errors="surrogateescape"))
    assert value_of(after, format_, key) == "sub/new 1.rom"
    assert len(after) < len(before) + 20


FAULTS = {
    "binary": (Format.INI, b"a=\0\1", "a", "is not a text file"),
    "UTF-16": (Format.INI, "a=1".encode("utf-16"), "a", "is UTF-16"),
    "too large": (Format.JSON, b" " * (MOST_SETTINGS + 1), "a", "is larger than 1 MiB"),
    "not UTF-8": (Format.TOML, b"a = '\xff'", "a", "is not UTF-8 text (byte 5)"),
    "half-written toml": (Format.TOML, b"[paths\n", "paths.a", "is not TOML"),
    "half-written json": (Format.JSON, b'{"a": "x', "a", "is not JSON: the closing quote is missing (line 1)"),
    "half-written yaml": (Format.YAML, b"a: [1,\n", "a", "is not YAML"),
    "half-written xml": (Format.XML, b"<c><a>x", "a", "is not XML: no element found (line 1)"),
    "ini, twice": (Format.INI, b"[p]\na=1\n[q]\n[p]\na=2\n", "p.a", "has p.a twice"),
    "toml, twice": (Format.TOML, b"a=1\na=2\n", "a", "is there twice. Delete one of the two (line 2)"),
    "json, twice": (Format.JSON, b'{"b": 1, "b": 2, "a": {"c": "1", "c": "2"}}', "a.c", "has a.c twice"),
    "yaml, twice": (Format.YAML, b"a: 1\na: 2\n", "a", "has a twice"),
    "xml, twice": (Format.XML, b"<c><a>1</a><a>2</a></c>", "a", "has a twice"),
    "ini, absent": (Format.INI, b"[p]\nb=1\n", "p.a", "has no p.a"),
    "json, absent": (Format.JSON, b"[1]", "3", "has no 3"),
    "yaml, anchor": (Format.YAML, b"a: &x old\nb: *x\n", "b", "shares the value of b"),
    "a list": (Format.JSON, b'{"a": []}', "a", "has more than one value at a"),
    "a number": (Format.TOML, b"a = 1", "a", "has no text at a"),
    "null": (Format.JSON, b'{"a": {"b": null}}', "a.b", "has no text at a.b, but null"),
    "a number in JSON": (Format.JSON, b'{"a": 1.5}', "a", "has no text at a, but 1.5"),
    "yes or no": (Format.JSON, b'{"a": true}', "a", "has no text at a, but true"),
    "xml, entities": (Format.XML, b"<!DOCTYPE c [<!ENTITY e 'x'>]><c><a>&e;</a></c>", "a", "declares entities"),
    "xml, elements": (Format.XML, b"<c><a>x<b/></a></c>", "a", "has more than one value at a"),
    "xml, encoding": (Format.XML, b"<?xml version='1.0' encoding='latin-1'?><c/>", "a", "is in the encoding latin-1"),
    "json, deep": (Format.JSON, b"[" * 100_000, "a", "is nested too deeply"),
    "yaml, deep": (Format.YAML, b"[" * 100_000, "a", "is nested too deeply"),
}


@pytest.mark.parametrize("case", FAULTS)
def test_bad_files_are_told_in_words(case: str) -> None:
    format_, data, key, words = FAULTS[case]
    with pytest.raises(SettingError) as told:
        value_of(data, format_, key)
    assert words in str(told.value)


TEXT = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cn", "Cs", "Zl", "Zp")), max_size=20)
NAME = st.from_regex(r"[a-z_]{1,6}", fullmatch=True)


@settings(max_examples=30)
@given(NAME, NAME, TEXT, TEXT, TEXT)
def test_any_text_comes_back_as_any_parser_reads_it(section: str, name: str, other: str, old: str, new: str) -> None:
    """Values with quotes, hashes and brackets; written by the formats' own libraries, read back by them."""
    tree = {section: {"zz9": other, name: old}}
    key = f"{section}.{name}"
    wanted = {section: {"zz9": other, name: new}}
    after = with_value(json.dumps(tree).encode(), Format.JSON, key, new)
    assert json.loads(after) == wanted
    after = with_value(yaml.safe_dump(tree, allow_unicode=True).encode(), Format.YAML, key, new)
    assert yaml.safe_load(after) == wanted
    toml = f"[{section}]\nzz9 = {json.dumps(other, ensure_ascii=False)}\n{name} = {json.dumps(old, ensure_ascii=False)}\n".encode()
    assert tomllib.loads(with_value(toml, Format.TOML, key, new).decode()) == wanted
    root = ElementTree.Element("r")
    for label, text in tree[section].items():
        ElementTree.SubElement(root.find(section) or ElementTree.SubElement(root, section), label).text = text
    if new == new.strip():
        after = with_value(ElementTree.tostring(root), Format.XML, key, new)
        assert (ElementTree.fromstring(after).findtext(f"{section}/{name}") or "").strip() == new


FRAME = Frame(
    anchor="/media/stick", root="/home/ada/stick", file="emu/cfg/emu.ini",
    folders=frozenset({"", "emu", "emu/cfg", "emu/cfg/roms", "roms"}),
)  # fmt: skip


def test_where_a_path_leads() -> None:
    def first(value: str, frame: Frame = FRAME) -> object:
        found = read_path(value, frame)
        return (found.leads[0].form, found.leads[0].path) if found.leads else found.fault or found.unknown

    assert first("roms/a.rom") == (Form.ROOT, "roms/a.rom")
    assert first("./roms/a.rom") == (Form.FILE, "emu/cfg/roms/a.rom")
    assert first("../x/a.rom") == (Form.FILE, "emu/x/a.rom")
    assert first("cfg/a.rom", Frame(anchor="/", root="/r", file="emu/emu.ini", folders=frozenset({"emu/cfg"}))) == (
        Form.FILE, "emu/cfg/a.rom",
    )  # fmt: skip
    home = structs.replace(FRAME, home="emu", folders=FRAME.folders | {"emu/roms"})
    assert first("roms/a.rom", home) == (Form.HOME, "emu/roms/a.rom")
    assert first("emu/roms/a.rom", home) == (Form.ROOT, "emu/roms/a.rom")
    assert first("./roms/a.rom", home) == (Form.FILE, "emu/cfg/roms/a.rom")
    assert first("a.rom", structs.replace(home, folders=frozenset({""}))) == (Form.ROOT, "a.rom"), (
        "that folder is there"
    )
    assert written("emu/roms/b.rom", "old/a.rom", home) == "roms/b.rom"
    assert written("roms/b.rom", "old/a.rom", home) == "../roms/b.rom"
    assert written("emu/roms/b.rom", "emu/old/a.rom", home) == "emu/roms/b.rom"
    assert first("/media/stick/x.rom") == (Form.ABSOLUTE, "x.rom")
    assert first("/home/ada/stick/x.rom") == "is a path of this machine; the device calls the rig's root /media/stick"
    assert first("/media/sticks/x.rom") == "leads out of the rig, whose root is /media/stick"
    assert first("../../../../x") == "leads out of the rig"
    assert first("  ") == "is empty"
    windows = Frame(anchor="E:\\", root="/r", file="emu.ini", folders=frozenset({""}))
    assert first("E:\\roms\\x.rom", windows) == (Form.ABSOLUTE, "roms/x.rom")
    assert written("a/b.rom", "E:\\old\\x.rom", windows) == "E:\\a\\b.rom"
    assert written("a/b.rom", "old\\x.rom", windows) == "a\\b.rom"


HERE = Frame(
    anchor="/home/ada/stick", root="/home/ada/stick", file="emu/emu.ini", folders=frozenset({"", "roms"}),
    variables={"HOME": "/home/ada", "Games": "/home/ada/stick", "AppData": "D:\\x"},
)  # fmt: skip
BY_VARIABLE = {
    # the value: where it leads, or what is said of it, and what becomes of it to lead to roms/b.rom
    "~/stick/roms/a.rom": ("roms/a.rom", "~/stick/roms/b.rom"),
    "$HOME/stick/old/a.rom": ("old/a.rom", "$HOME/stick/roms/b.rom"),
    "${Games}\\roms\\a.rom": ("roms/a.rom", "${Games}\\roms\\b.rom"),
    "%GAMES%/a.rom": ("a.rom", "%GAMES%/roms/b.rom"),
    "~/elsewhere/a.rom": ("leads out of the rig, whose root is /home/ada/stick", "~/stick/roms/b.rom"),
    "~/stick/$NONE/a.rom": ("holds $NONE, which is not set here", None),
    "~ada/stick/a.rom": ("~ada/stick/a.rom", "roms/b.rom"),
    "D:\\stick\\a.rom": (
        "is as the device calls it, and gribble.toml does not say how that calls the rig's root: seen_as", None,
    ),
}  # fmt: skip


@pytest.mark.parametrize("value", BY_VARIABLE)
def test_variables_are_put_in_and_kept(value: str) -> None:
    leads, becomes = BY_VARIABLE[value]
    found = read_path(value, HERE)
    assert (found.leads[0].path if found.leads else found.fault or found.unknown) == leads
    assert found.unknown or written("roms/b.rom", value, HERE) == becomes
    if "~/" in value or "$" in value:  # on another machine its variables are not known, and nobody else's are taken
        there = structs.replace(HERE, variables=None)
        assert read_path(value, there).unknown.endswith("which only the device knows")
        assert written("roms/b.rom", value, there) is None


def test_slashes_are_those_of_the_device() -> None:
    card = Frame(anchor="/mnt/card", root="/r", file="e.ini", folders=frozenset({""}), seen_as=True)
    assert written("a/b.rom", "E:\\old\\x.rom", card) == "/mnt/card/a/b.rom"
    drive = structs.replace(card, anchor="E:\\")
    assert written("a/b.rom", "/mnt/card/x.rom", drive) == "E:\\a\\b.rom"
    assert written("a/b.rom", "F:/x.rom", drive) == "E:/a/b.rom"
    assert "seen_as" in read_path("/mnt/x.rom", structs.replace(drive, seen_as=False)).unknown


PART = st.from_regex(r"[a-zA-Z0-9]{1,5}", fullmatch=True)
PATH = st.lists(PART, min_size=1, max_size=4).map("/".join)


@given(PATH, PATH, st.sampled_from(["", "./", "../", "/media/stick/", "/elsewhere/"]))
def test_what_is_written_leads_to_the_target_in_the_same_form(target: str, old: str, lead: str) -> None:
    new = written(target, lead + old, FRAME)
    assert new is not None
    assert target in [way.path for way in read_path(new, FRAME).leads]
    assert new.startswith("/") == lead.startswith("/")
