"""The documents that could drift from the code."""

from __future__ import annotations

import json
import re
import runpy
import shlex
import shutil
import subprocess
from functools import cache
from pathlib import Path
from typing import Any

import msgspec
import pytest
import typer

from gribble.cli.app import SHOW, SHOWN, program
from gribble.core.answers.schema import FILES, SCHEMAS
from gribble.core.answers.schema import schema as make_schema
from gribble.core.base.tables import MORE
from gribble.core.records.answers import ANSWERS
from gribble.core.records.config import CatalogueAt, Config, Installed, Rig, Source
from gribble.core.records.imported import Field, FieldMap
from gribble.core.records.published import Index, Listed
from gribble.core.records.roster import ArcadeSet, Disc, RosterHead, SetFile
from gribble.core.records.sheet import (  # fmt: skip
    Accept,
    Also,
    Arcade,
    Corrections,
    IdAt,
    Key,
    ManifestFile,
    Media,
    Need,
    Origin,
    Pair,
    Refusal,
    Reject,
    Root,
    Setting,
    Sheet,
    Unlock,
)
from tests.making import as_documented

DOCS = Path(__file__).parents[1] / "docs"
MAKE = runpy.run_path(str(DOCS / "make.py"))
MADE = MAKE["MADE"]
RECORDS: dict[str, type[msgspec.Struct]] = {
    "gribble.toml": Config, "A source": Source, "A catalogue": CatalogueAt, "A rig": Rig, "An emulator on a rig": Installed, "A sheet": Sheet, "Corrections of a sheet": Corrections, "The list that it was made from": Origin, "A need": Need,
    "A further copy": Also, "An accepted content": Accept, "A rejected content": Reject, "A key": Key,
    "One of many files": ManifestFile, "A lock": Unlock, "A setting": Setting, "A game folder": Media,
    "A refused ending": Refusal, "A pair": Pair, "An id in a file": IdAt, "The root": Root, "Arcade sets": Arcade,
    "First line of a roster": RosterHead, "A set": ArcadeSet, "A set's file": SetFile, "A set's disc": Disc,
    "A field map": FieldMap, "A field": Field, "A published catalogue": Index, "A published file": Listed,
}  # fmt: skip


def sections() -> dict[str, list[tuple[str, bool]]]:
    """The keys that docs/formats.md tells of, by section, and whether it says that they must be there."""
    found: dict[str, list[tuple[str, bool]]] = {}
    for text in (DOCS / "formats.md").read_text().split("\n## ")[1:]:
        title = re.sub(r" \(`.*", "", text.splitlines()[0])
        found[title] = [(key, bool(bold)) for bold, key in re.findall(r"^\| (\*\*)?`(\w+)`", text, re.MULTILINE)]
    return found


@pytest.mark.parametrize("section", RECORDS)
def test_every_key_of_a_format_is_documented_and_no_other(section: str) -> None:
    fields = msgspec.structs.fields(RECORDS[section])
    required = [
        (field.encode_name, field.default is msgspec.NODEFAULT and field.default_factory is msgspec.NODEFAULT)
        for field in fields
        if field.encode_name != MORE  # which lists in `folders` are read into
    ]
    assert sections()[section] == required


def test_every_section_of_the_formats_is_tested() -> None:
    assert sections().keys() == RECORDS.keys()


@pytest.mark.parametrize("page", sorted(MADE))
def test_a_page_made_from_the_program_is_as_the_program_is(page: str) -> None:
    assert (DOCS / page).read_text() == MADE[page](), "make docs writes it anew"


def commands() -> list[tuple[str, str]]:
    """Every line of the documents that is a command of ours, without its comment."""
    found = []
    for path in (DOCS.parent / "README.md", *sorted(DOCS.glob("*.md"))):
        for line in path.read_text().splitlines():
            if re.match(r"^ {4}(\$ )?gribble( |$)", line):
                found.append((path.name, re.sub(r"\s+[#|] .*$", "", line.strip().removeprefix("$ "))))
            inline = re.findall(r"`(gribble [a-z-][^`…]*)`", line)  # not "gribble COMMAND"
            found += [(path.name, words) for words in inline if "|" not in words]
    return found


@cache
def whole() -> Any:
    """The program with all its commands."""
    return typer.main.get_command(program(all_=True))


@pytest.mark.parametrize(("document", "line"), commands())
def test_every_command_in_the_documents_is_one(document: str, line: str) -> None:
    """Its name, its options and how many words it takes are known to the program (nothing is carried out)."""
    command, words = whole(), shlex.split(line)[1:]
    while hasattr(command, "commands") and words and not words[0].startswith("-"):
        if words[0] not in command.commands and command.name in SHOWN:
            words = [SHOW, *words]
        assert words[0] in command.commands, f"{document}: {line}: there is no {words[0]}"
        command, words = command.commands[words[0]], words[1:]
    if command.name in SHOWN and "--json" in words:
        command = command.commands[SHOW]
    known = {option for parameter in command.params for option in (*parameter.opts, *parameter.secondary_opts)}
    known |= {"--help", "-h", "--install-completion", "--show-completion"}
    asked = {word.partition("=")[0] for word in words if word.startswith("-")}
    assert asked <= known, f"{document}: {line}: there is no {', '.join(sorted(asked - known))}"


def test_there_are_commands_in_the_documents() -> None:
    assert len(commands()) > 80


def test_every_message_that_names_a_command_names_one_there_is() -> None:
    named = re.findall(r"\bgribble ([a-z][^|`;.]*)", (DOCS / "messages.md").read_text())
    assert len(named) > 50
    for text in named:
        command, words = whole(), text.split()
        while hasattr(command, "commands") and words and words[0] in command.commands:
            command, words = command.commands[words[0]], words[1:]
        assert command is not whole(), f"there is no gribble {text}"
        options = {word.partition("=")[0].rstrip(",:)") for word in words if word.startswith("--") and word != "--"}
        if not hasattr(command, "commands"):
            assert options <= {option for one in command.params for option in one.opts}, f"gribble {text}"


@pytest.mark.parametrize("kind", sorted({*MAKE["ASKED"], *ANSWERS} - {"watch"}))
def test_an_answer_in_json_is_shown_as_it_is_and_taken_apart_by_jq(kind: str) -> None:
    asked, answer = MAKE["ASKED"][kind], MAKE["answers"]()[kind]
    assert answer["gribble"] == f"{kind}/1"
    as_documented(answer)
    if jq := shutil.which("jq"):
        ended = subprocess.run(
            [jq, "-r", asked.jq], input=json.dumps(answer), capture_output=True, text=True, check=False
        )
        assert (ended.returncode, ended.stderr) == (0, "")
        assert ended.stdout.strip(), "a line that takes nothing out shows nobody anything"


@pytest.mark.parametrize("kind", sorted(SCHEMAS))
def test_every_kind_has_a_schema(kind: str) -> None:
    made = make_schema(kind)
    top = made["$defs"][made["$ref"].rpartition("/")[2]]
    if kind in ANSWERS:
        assert top["properties"]["gribble"] == {"enum": [f"{kind}/1"]}
    assert ("additionalProperties" in top) == (kind in FILES)
    assert set(top["required"]) <= set(top["properties"])
