"""Lists as the volunteers find them: a web page, a workbook and an export in XML, to be imported."""

from __future__ import annotations

import hashlib
import io
import zipfile
import zlib
from xml.sax.saxutils import escape

from gribble.demo.arcade import chip
from gribble.demo.sheets import content

_WHEN = (1998, 3, 1, 12, 0, 0)
_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_PACKAGE = "http://schemas.openxmlformats.org/package/2006"
_KIND = "application/vnd.openxmlformats-officedocument.spreadsheetml"
_RELS = "application/vnd.openxmlformats-package.relationships+xml"
_PARTS = (("workbook.xml", "sheet.main"), ("worksheets/sheet1.xml", "worksheet"))

_PLOVER = [
    ("t8.rom", "Tern 8 boot ROM", "Yes", "tern8-b", ""),
    ("t16font.rom", "Tern 16 font ROM", "Yes", "tern16-font", "Letters of the menu"),
    ("lumen.rom<br>lumen-eu.rom", "Lumen boot ROM", "No", "lumen-eu", "European machines only"),
]
_PHALAROPE = [
    ("fulmar.rom", "Startrom (Europa)", "ja", "fulmar-eu"),
    ("stimme.rom", "Sprachausgabe", "nein", "fulmar-voice-eu"),
]


def list_files() -> dict[str, bytes]:
    """The three lists by the names of their files."""
    return {"plover.html": _page().encode(), "phalarope.xlsx": _book(), "dotterel-6.xml": _export().encode()}


def _page() -> str:
    rows = "".join(
        f"<tr><td>{name}</td><td>{title}</td><td>{needed}</td><td>{len(content(what)) / 1024:g} KB</td>"
        f"<td><code>{hashlib.md5(content(what), usedforsecurity=False).hexdigest()}</code></td><td>{note}</td></tr>\n"
        for name, title, needed, what, note in _PLOVER
    )
    head = "<tr><th>File<th>What it is<th>Required?<th>Size<th>MD5<th>Notes</tr>\n"
    nav = "<table><tr><td>Home<td>News<td>Help</table>\n"
    top = f"<!doctype html><title>Plover help</title>\n{nav}<h1>Plover 1.2: system files</h1>\n"
    return f"{top}<table>{head}{rows}</table>\n"


def _book() -> bytes:
    rows = [
        [name, title, needed, str(len(content(what))), hashlib.sha1(content(what), usedforsecurity=False).hexdigest()]
        for name, title, needed, what in _PHALAROPE
    ]
    return workbook([["Dateiname", "Bezeichnung", "Erforderlich", "Größe in Bytes", "SHA-1"], *rows])


def _export() -> str:
    """A newer release of the tabletop machine's sets, of which the BIOS set has variants."""
    shell = [part("shell-s.rom", ' version="south"'), part("shell-n.rom", ' version="north"')]
    versions = '<version label="south"/><version label="north" usual="yes"/>'
    games = [
        ("shellsys", ' system="yes"', f"<called>Shell system</called>{versions}", shell),
        ("whelk", ' base="shellsys"', _facts("Whelk", "1988"), [part("whelk1.1a"), part("whelk2.2b")]),
        ("whelkj", ' of="whelk" base="whelk"', _facts("Whelk (j)", "198?"), [part("whelk1j.1a")]),
        ("cuttle", ' base="shellsys"', _facts("Cuttle", "1989"), [part("cuttle1.1a")]),
    ]
    lines = [f'<game id="{name}"{more}>{facts}{"".join(parts)}</game>' for name, more, facts, parts in games]
    subset = '<!DOCTYPE export [\n<!ATTLIST game system (yes|no) "no">\n]>'
    return "\n".join(
        ['<?xml version="1.0"?>', subset, '<export emulator="Dotterel" build="6">', *lines, "</export>", ""]
    )


def _facts(called: str, built: str) -> str:
    return f"<called>{called}</called><built>{built}</built><by>Shore Works</by>"


def part(name: str, more: str = "", *, of: str = "") -> str:
    """A made-up chip in an export: what it is called there, and `of` which chip the digests are, if of another."""
    data = chip(of or name)
    sha1 = hashlib.sha1(data, usedforsecurity=False).hexdigest()
    return f'<part label="{name}" bytes="{len(data)}" crc="{zlib.crc32(data):08x}" sha="{sha1}"{more}/>'


def workbook(grid: list[list[str]]) -> bytes:
    """A workbook with one sheet, numbers as numbers. Source: Office Open XML (ECMA-376)."""

    def cell(text: str, at: str) -> str:
        if text.isdecimal() and len(text) < 8:
            return f'<c r="{at}"><v>{text}</v></c>'
        return f'<c r="{at}" t="inlineStr"><is><t xml:space="preserve">{escape(text)}</t></is></c>'

    rows = "".join(
        f'<row r="{n}">' + "".join(cell(text, f"{chr(65 + at)}{n}") for at, text in enumerate(row)) + "</row>"
        for n, row in enumerate(grid, start=1)
    )
    links = f'<Relationships xmlns="{_PACKAGE}/relationships"><Relationship Id="r1" Type="{_OFFICE}/'
    sheets = '<sheets><sheet name="Table" sheetId="1" r:id="r1"/></sheets>'
    types = "".join(f'<Override PartName="/xl/{name}" ContentType="{_KIND}.{kind}+xml"/>' for name, kind in _PARTS)
    rels = f'<Default Extension="rels" ContentType="{_RELS}"/>'
    parts = {
        "[Content_Types].xml": f'<Types xmlns="{_PACKAGE}/content-types">{rels}{types}</Types>',
        "_rels/.rels": f'{links}officeDocument" Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'<workbook xmlns="{_MAIN}" xmlns:r="{_OFFICE}">{sheets}</workbook>',
        "xl/_rels/workbook.xml.rels": f'{links}worksheet" Target="worksheets/sheet1.xml"/></Relationships>',
        "xl/worksheets/sheet1.xml": f'<worksheet xmlns="{_MAIN}"><sheetData>{rows}</sheetData></worksheet>',
    }
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, text in parts.items():
            packed.writestr(zipfile.ZipInfo(name, _WHEN), f'<?xml version="1.0" encoding="UTF-8"?>\n{text}')
    return buffer.getvalue()
