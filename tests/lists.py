"""Lists as people make them: one collection in twelve shapes and eight languages."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple
from xml.sax.saxutils import escape

from gribble.core.catalogue.importing.drafting import draft_map
from gribble.core.catalogue.importing.found import Asked
from gribble.core.catalogue.importing.lists import read_list
from gribble.core.catalogue.importing.needs import draft_of, read_rows
from gribble.core.catalogue.writing import DraftSheet
from gribble.core.records.imported import Drafted, Tally
from gribble.demo.lists import workbook


class Entry(NamedTuple):
    """One file of the made-up machine, as a list should say it."""

    name: str
    title: str
    level: str
    size: int

    @property
    def content(self) -> bytes:
        return (self.name.encode() * self.size)[: self.size]

    @property
    def md5(self) -> str:
        return hashlib.md5(self.content, usedforsecurity=False).hexdigest()

    @property
    def sha1(self) -> str:
        return hashlib.sha1(self.content, usedforsecurity=False).hexdigest()


ENTRIES = (
    Entry("tern8.rom", "Tern 8", "must", 8192),
    Entry("tern16 b.rom", "Tern 16, B", "must", 65536),
    Entry("drive.bin", "Drive", "extra", 1024),
    Entry("font.rom", "Font", "must", 4096),
)
"""What every list says."""


class Language(NamedTuple):
    """How people head their columns (file, what it is, needed, size, notes), and say yes and no."""

    file: str
    title: str
    level: str
    size: str
    notes: str
    yes: str
    no: str
    note: str


LANGUAGES = {
    "en": Language("File name", "Description", "Required?", "Size (bytes)", "Remarks", "Yes", "No", "see the box"),
    "de": Language(
        "Dateiname", "Bezeichnung", "Erforderlich", "Größe in Bytes", "Bemerkung", "ja", "nein", "für Ältere"
    ),
    "fr": Language(
        "Nom du fichier", "Désignation", "Obligatoire", "Taille (octets)", "Remarques", "oui", "non", "à vérifier"
    ),
    "es": Language("Archivo", "Descripción", "Necesario", "Tamaño", "Observaciones", "sí", "no", "también la otra"),
    "it": Language(
        "Nome file", "Descrizione", "Obbligatorio", "Dimensione", "Osservazioni", "sì", "no", "è la più vecchia"
    ),
    "pt": Language("Ficheiro", "Descrição", "Obrigatório", "Tamanho", "Observações", "sim", "não", "não testado"),
    "nl": Language("Bestandsnaam", "Omschrijving", "Verplicht", "Grootte", "Opmerkingen", "ja", "nee", "zie de doos"),
    "ja": Language("ファイル名", "説明", "必須", "サイズ", "備考", "はい", "いいえ", "箱を参照"),
}


def grid_of(lang: Language) -> list[list[str]]:
    """The list as a table with a head."""
    head = [lang.file, lang.title, lang.level, lang.size, "MD5", "SHA-1", lang.notes]
    notes = [lang.note, "", "-", ""]
    rows = [
        [one.name, one.title, lang.yes if one.level == "must" else lang.no, str(one.size), one.md5, one.sha1, note]
        for one, note in zip(ENTRIES, notes, strict=True)
    ]
    return [head, *rows]


def _separated(sign: str, grid: list[list[str]]) -> str:
    return "".join(sign.join(f'"{cell}"' if sign in cell else cell for cell in row) + "\n" for row in grid)


def _semicolons(grid: list[list[str]]) -> bytes:
    shown = [grid[0], *([*row[:3], f"{int(row[3]):,}".replace(",", "."), *row[4:]] for row in grid[1:])]
    text = _separated(";", shown)
    try:
        return text.encode("cp1252")
    except UnicodeEncodeError:
        return text.encode("cp932")


def _page(grid: list[list[str]]) -> str:
    def line(cells: list[str], tag: str) -> str:
        return "<tr>" + "".join(f"<{tag}>{escape(cell)}</{tag}>" for cell in cells) + "</tr>"

    rows = "".join(line(row, "td") for row in grid[1:])
    nav = "<table><tr><td>Home</td><td>Wiki</td></tr></table>"
    foot = '<tfoot><tr><td colspan="7">4</td></tr></tfoot>'
    script = "<script>document.write('<table>')</script>"
    table = f"<table><thead>{line(grid[0], 'th')}</thead><tbody>{rows}</tbody>{foot}</table>"
    return f"<!doctype html><meta charset=utf-8><title>Plover</title>{nav}{script}<h1>Plover</h1>{table}"


def _bars(grid: list[list[str]]) -> str:
    lines = [f"| {' | '.join(row)} |" for row in grid]
    return "\n".join(["# Plover", "", lines[0], "|" + "---|" * len(grid[0]), *lines[1:]]) + "\n"


def _aligned(grid: list[list[str]]) -> str:
    import unicodedata

    def width(text: str) -> int:
        return sum(2 if unicodedata.east_asian_width(sign) in "WF" else 1 for sign in text)

    widths = [max(width(row[at]) for row in grid) + 2 for at in range(len(grid[0]))]
    lines = [
        "".join(cell + " " * (most - width(cell)) for cell, most in zip(row, widths, strict=True)).rstrip()
        for row in grid
    ]
    return "\n".join(["Plover", "", lines[0], "".join("-" * (most - 2) + "  " for most in widths), *lines[1:]]) + "\n"


def _numbered(grid: list[list[str]]) -> str:
    lines = ["emulator = Plover"]
    for number, row in enumerate(grid[1:], start=1):
        lines += [f'part{number}.{head} = "{cell}"' for head, cell in zip(grid[0], row, strict=True)]
    return "\n".join(lines) + "\n"


def _sections(grid: list[list[str]]) -> str:
    lines = ["; Plover", "emulator = Plover"]
    for number, row in enumerate(grid[1:], start=1):
        lines += ["", f"[part {number}]", *(f"{head} = {cell}" for head, cell in zip(grid[0], row, strict=True))]
    return "\n".join(lines) + "\n"


def _records(grid: list[list[str]]) -> list[dict[str, str]]:
    return [dict(zip(grid[0], row, strict=True)) for row in grid[1:]]


def _xml(grid: list[list[str]]) -> str:
    def tag(head: str) -> str:
        return "".join(sign if sign.isalnum() else "_" for sign in head).strip("_")

    rows = (
        "<part>" + "".join(f"<{tag(head)}>{escape(cell)}</{tag(head)}>" for head, cell in record.items()) + "</part>"
        for record in _records(grid)
    )
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<list emulator="Plover"><parts>{"".join(rows)}</parts></list>'


def open_document(grid: list[list[str]]) -> bytes:
    """A spreadsheet in the OpenDocument format (ISO/IEC 26300)."""
    cells = "".join(
        "<table:table-row>"
        + "".join(
            f'<table:table-cell office:value-type="string"><text:p>{escape(cell)}</text:p></table:table-cell>'
            for cell in row
        )
        + "</table:table-row>"
        for row in grid
    )
    urn = "urn:oasis:names:tc:opendocument:xmlns"
    names = f'xmlns:office="{urn}:office:1.0" xmlns:table="{urn}:table:1.0" xmlns:text="{urn}:text:1.0"'
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    manifest = f'<manifest:manifest xmlns:manifest="{urn}:manifest:1.0"><manifest:file-entry manifest:full-path="/" manifest:media-type="{kind}"/></manifest:manifest>'
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as packed:
        packed.writestr("mimetype", kind)
        packed.writestr("META-INF/manifest.xml", manifest)
        body = f'<office:body><office:spreadsheet><table:table table:name="Plover">{cells}</table:table></office:spreadsheet></office:body>'
        packed.writestr(
            "content.xml",
            f'<?xml version="1.0" encoding="UTF-8"?><office:document-content {names}>{body}</office:document-content>',
        )
    return buffer.getvalue()


SHAPES: dict[str, Callable[[list[list[str]]], str | bytes]] = {
    "plover.csv": lambda grid: _separated(",", grid),
    "plover liste.csv": _semicolons,
    "plover.tsv": lambda grid: _separated("\t", grid),
    "plover.json": lambda grid: json.dumps({"emulator": "Plover", "files": _records(grid)}, ensure_ascii=False),
    "plover.jsonl": lambda grid: "".join(json.dumps(one, ensure_ascii=False) + "\n" for one in _records(grid)),
    "plover.xml": _xml,
    "plover.html": _page,
    "plover.md": _bars,
    "plover.txt": _aligned,
    "plover keys.txt": _numbered,
    "plover.ini": _sections,
    "plover.xlsx": workbook,
    "plover.ods": open_document,
}
"""Every shape by the name of its file."""


def taken(tmp_path: Path, name: str, text: str | bytes) -> tuple[Drafted, DraftSheet, Tally]:
    """A list, its drafted map, and the sheet that is made by it."""
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    drafted = draft_map(path, Asked())
    tally = Tally()
    made = drafted.without(drafted.doubtful).made
    return drafted, draft_of(read_rows(read_list(path, made), made, tally), made, tally), tally
