"""Random files in random lists: whatever is not understood is told, and nothing is taken for something else."""

from __future__ import annotations

import hashlib
import json
import random
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple
from xml.sax.saxutils import quoteattr

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.drafting import draft_map
from gribble.core.catalogue.importing.found import Asked
from gribble.core.catalogue.importing.lists import read_sheet
from gribble.core.records.imported import Tally

STEMS = (
    "boot8",
    "boot16",
    "font(EU)",
    "KERN",
    "sys-1",
    "char_gen",
    "disk.a",
    "io",
    "k1",
    "mon2.1",
    "a4",
    "tern 8 v2",
    "Tern (Europe)",
)
ENDINGS = ("rom", "bin", "ROM", "img", "u7", "dat", "1", "key", "4e")
MACHINES = ("Tern 8", "Tern 16", "Lumen", "Quay 2")
TITLES = (
    "Boot ROM",
    "Character set",
    "Disk controller, late",
    "System firmware (US)",
    "BASIC 1.0",
    "Monitor",
    "Sound chip",
)
NOTES = ("dumped by hand", "same as in the book", "see page 3")
KINDS = ("crc32", "md5", "sha1", "sha256")
HEADS = {
    "name": ("File", "Filename", "ROM", "File name", "Datei"), "title": ("Description", "What it is", "Title", "Bezeichnung"),
    "level": ("Required", "Needed?", "Required?", "Erforderlich"), "machine": ("System", "Machine", "Console", "For"),
    "size": ("Size", "Bytes", "Length", "Größe"), "note": ("Notes", "Remarks", "Comment"), "crc32": ("CRC32", "CRC", "CRC-32"),
    "md5": ("MD5", "md5sum", "MD5 hash"), "sha1": ("SHA1", "SHA-1", "SHA-1 checksum"), "sha256": ("SHA256", "SHA-256"),
}  # fmt: skip
LEVELS = (
    ("yes", "no"),
    ("Yes", "No"),
    ("required", "optional"),
    ("ja", "nein"),
    ("true", "false"),
    ("must have", "optional"),
)


class World(NamedTuple):
    """Some files, as a list says them, in cells by column; what each says in truth; and on which machine each is."""

    rng: random.Random
    columns: list[str]
    cells: list[dict[str, str]]
    files: list[dict[str, Any]]

    def head(self, column: str) -> str:
        return self.rng.choice(HEADS[column])


def world(rng: random.Random) -> World:
    kinds = sorted(rng.sample(KINDS, rng.randint(1, 3)))
    kinds = ["md5"] if kinds == ["crc32"] else kinds
    others = [one for one in ("title", "level", "machine", "size", "note") if rng.random() < 0.45]
    must, extra = rng.choice(LEVELS)
    sized = rng.choice(["{0}", "{0:,}", "{0} bytes", "{0:#x}", "{1} KiB"])
    shown = rng.choice([str.lower, str.upper])
    files: list[dict[str, Any]] = []
    for at, stem in enumerate(rng.sample(STEMS, rng.randint(2, 7))):
        size = rng.choice([2048, 4096, 8192, 16384, 65536, 131072])
        name = f"{stem}.{rng.choice(ENDINGS)}"
        data = (name.encode() * size)[:size]
        digests = {one: hashlib.new(one, data).hexdigest() for one in KINDS[1:]} | {"crc32": f"{zlib.crc32(data):08x}"}
        level = "must" if at == 0 else "extra" if at == 1 else rng.choice(["must", "extra"])
        said = {
            "title": f"{rng.choice(TITLES)} {at}",
            "level": level,
            "machine": MACHINES[at * 3 // 7],
            "size": size,
            "note": rng.choice(NOTES),
        }
        files.append({"name": name, **{one: said[one] for one in others}, **{one: digests[one] for one in kinds}})
    cells = [
        {**{key: str(value) for key, value in one.items()}, **{kind: shown(one[kind]) for kind in kinds}}
        | ({"level": must if one["level"] == "must" else extra} if "level" in one else {})
        | ({"size": sized.format(one["size"], one["size"] // 1024)} if "size" in one else {})
        for one in files
    ]  # fmt: skip
    return World(rng, ["name", *others, *kinds], cells, files)


def table_of(found: World) -> tuple[list[str], list[list[str]]]:
    columns = found.rng.sample(found.columns, len(found.columns)) if found.rng.random() < 0.5 else found.columns
    return [found.head(one) for one in columns], [[cells[one] for one in columns] for cells in found.cells]


def markdown(found: World) -> tuple[str, str]:
    head, rows = table_of(found)
    return "n.md", "# Plover 1.3\n\n" + "\n".join(
        f"| {' | '.join(row)} |" for row in (head, ["---"] * len(head), *rows)
    )


def separated(found: World) -> tuple[str, str]:
    head, rows = table_of(found)
    sign = found.rng.choice(",;\t")
    return "n.csv", "\n".join(sign.join(f'"{cell}"' if sign in cell else cell for cell in row) for row in (head, *rows))


def aligned(found: World) -> tuple[str, str]:
    head, rows = table_of(found)
    widths = [max(map(len, column)) + 2 for column in zip(head, *rows, strict=True)]
    strokes = [["-" * (width - 2) for width in widths]] if found.rng.random() < 0.5 else []
    lines = [
        "".join(cell.ljust(width) for cell, width in zip(row, widths, strict=True)).rstrip()
        for row in (head, *strokes, *rows)
    ]
    return "n.txt", "Plover 1.3\n\n" + "\n".join(lines)


def bullets(found: World) -> tuple[str, str]:
    labelled = found.rng.random() < 0.5
    mark = found.rng.choice(["`{}`", "**{}**", "{}"])
    for cells, one in zip(found.cells, found.files, strict=True):
        cells.update(
            size=f"{one.get('size')} bytes",
            level={"must": "required", "extra": "optional"}.get(one.get("level", ""), ""),
        )
    lines = [
        f"- {mark.format(cells['name'])}" + (f" - {cells['title']}" if "title" in cells else "") + (f" ({cells['level']})" if cells["level"] else "")
        + (f", {cells['size']}" if "size" in found.columns else "")
        + "".join(f", {found.head(kind) + ': ' if labelled else ''}{cells[kind]}" for kind in KINDS if kind in cells)
        for cells in found.cells
    ]  # fmt: skip
    return "n.md", "# Plover 1.3\n\n" + "\n".join(lines)


def sections(found: World) -> tuple[str, str]:
    form = found.rng.choice(["- {}: {}\n", "* **{}**: {}\n", "{}: {}\n\n"])
    heads = {one: found.head(one) for one in found.columns}
    said = (
        f"## {cells['name']}\n\n" + "".join(form.format(heads[one], cells[one]) for one in found.columns[1:])
        for cells in found.cells
    )
    return "n.md", "# Plover 1.3\n\n" + "\n".join(said)


def keys(found: World) -> tuple[str, str]:
    form, heads = found.rng.choice(["{} = {}\n", "{}: {}\n"]), {one: found.head(one) for one in found.columns}
    if form[2] == ":":
        return "n.txt", "\n".join(
            "".join(form.format(heads[one], cells[one]) for one in found.columns) for cells in found.cells
        )
    return "n.ini", "\n".join(
        f"[{cells['name']}]\n" + "".join(form.format(heads[one].lower(), cells[one]) for one in found.columns[1:])
        for cells in found.cells
    )


def data(found: World) -> tuple[str, str]:
    names = {"level": "required", "machine": "system", "note": "notes"}
    rows = [
        {names.get(one, one): file[one] if one in ("size", *KINDS) else cells[one] for one in found.columns}
        for cells, file in zip(found.cells, found.files, strict=True)
    ]
    match found.rng.choice(["json", "xml", "blocks", "yaml"]):
        case "json":
            return "n.json", json.dumps(found.rng.choice([rows, {"emulator": "plover", "files": rows}]))
        case "xml":
            return "n.xml", "<plover>" + "".join(
                f"<file {' '.join(f'{key}={quoteattr(str(value))}' for key, value in row.items())}/>" for row in rows
            ) + "</plover>"
        case "blocks":
            return "n.txt", "".join(
                "file {\n" + "".join(f'  {key} "{value}"\n' for key, value in row.items()) + "}\n" for row in rows
            )
    return "n.yaml", "files:\n" + "".join(
        "  - " + "\n    ".join(f"{key}: {json.dumps(value)}" for key, value in row.items()) + "\n" for row in rows
    )


FORMS: tuple[Callable[[World], tuple[str, str]], ...] = (markdown, separated, aligned, bullets, sections, keys, data)


@pytest.mark.parametrize("form", FORMS)
@given(seed=st.integers(0, 10**9))
@settings(max_examples=30, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_random_list_is_understood_or_what_is_not_is_told(
    tmp_path: Path, form: Callable[[World], tuple[str, str]], seed: int
) -> None:
    found = world(random.Random(seed))
    name, text = form(found)
    (tmp_path / name).write_text(text)
    tally = Tally()
    try:
        drafted = draft_map(tmp_path / name, Asked(to="sheet", emulator="plover"))
        needs = {
            need.name: need for need in read_sheet(tmp_path / name, drafted.without(drafted.doubtful).made, tally).needs
        }
    except GribbleError:
        return
    if drafted.doubtful or drafted.others or tally.mistakes:
        return
    assert sorted(needs) == sorted(one["name"] for one in found.files), text
    for one in found.files:
        need = needs[one["name"]]
        (accept,) = need.accepts
        for kind in KINDS:
            assert getattr(accept, kind) in (one.get(kind), None if one.get(kind, "a").isdigit() else one.get(kind)), (
                text
            )
        assert accept.size in (one.get("size"), None), text
        if form is not bullets:
            assert need.machines == ([one["machine"]] if "machine" in one else []), text
        assert need.level == one.get("level", ""), text
        assert need.title == one.get("title", ""), text
