"""What parsers say is told in plain words, with the line and what to write."""

from __future__ import annotations

import json
import tomllib
from typing import Annotated

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.core.base.errors import json_fault, record_fault, toml_fault

FOREIGN = (
    "Expected",
    "Cannot",
    "Invalid",
    "Illegal",
    "namespace",
    "Unterminated",
    "Unclosed",
    "delimiter",
    "statement",
)
TOML = [
    ("a = 3.1.2", 1, 'put the value in quotes: a = "3.1.2"'),
    ("\nat = rigs/stick  # here", 2, 'put the value in quotes: at = "rigs/stick"'),
    ('a = "3.1\nb = 2', 1, "closing quote is missing"),
    ("a = 'x", 1, "closing quote is missing"),
    ('a = """x\n\n', 1, "closing quote is missing"),
    ("a = 1\na = 2", 2, "twice. Delete one"),
    ("a = {b = 1, b = 2}", 1, "b is there twice"),
    ("[rig.den]\n[rig.den]", 2, "[rig.den] is there twice"),
    ("a = [1]\n[[a]]", 2, "a is there twice"),
    ("[a\nb = 1", 1, "a heading ends with ]"),
    ("[[a\nb = 1", 1, "a heading ends with ]]"),
    ('sources: ["x"]', 1, "after a key come ="),
    ('a = ["x" "y"]', 1, "a list has commas"),
    ('a = ["x",\nb = ["y"]', 2, "the list above it has no ]"),
    ("a = {b = 1\n}", 1, "ends with } in the same line"),
    ("= 3", 1, "a line begins with a key"),
    ('a = "C:\\users"', 1, "a backslash begins an escape"),
    ('a = "x\x01"', 1, "not allowed here"),
    ('a = "x" y', 1, "after the value there is more"),
    ("a = ", 1, "this is not a value"),
    ("a = 2026-02-30", 1, "there is no such date"),
]


@pytest.mark.parametrize(("text", "line", "words"), TOML)
def test_a_mistake_in_toml_is_told_with_its_line_and_the_cure(text: str, line: int, words: str) -> None:
    with pytest.raises(tomllib.TOMLDecodeError) as caught:
        tomllib.loads(text)
    fault = toml_fault(caught.value, text)
    assert fault.line == line
    assert words in fault.words
    assert fault.shown in text
    assert not [word for word in FOREIGN if word in str(fault)]


PIECES = st.sampled_from(
    [
        "a",
        "b.c",
        "=",
        " ",
        "\n",
        '"',
        "'",
        "[",
        "]",
        "[[",
        "{",
        "}",
        ",",
        "1",
        "3.1",
        "x y",
        "\\",
        "#",
        '"""',
        "\x01",
        "é",
    ]
)


@given(st.lists(PIECES, max_size=20).map("".join))
def test_no_text_gets_a_parser_s_own_words(text: str) -> None:
    said = []
    try:
        tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        fault = toml_fault(error, text)
        said += [fault.words or "Invalid", "" if 1 <= fault.line <= max(1, len(text.splitlines())) else "Invalid line"]
    try:
        json.loads(text)
    except json.JSONDecodeError as error:
        said.append(json_fault(error))
    assert not [word for word in FOREIGN for words in said if word in words]


class _Record(msgspec.Struct, forbid_unknown_fields=True):
    set: str
    files: tuple[str, ...] = ()
    year: Annotated[int, msgspec.Meta(ge=0)] = 0
    note: str | None = None


@pytest.mark.parametrize(
    ("line", "said"),
    [
        (b"{}", "the key set is missing"),
        (b'{"set": 3}', "set: should be text in quotes, but is a whole number"),
        (b'{"set": "a", "files": [true]}', "files[0]: should be text in quotes, but is true or false"),
        (b'{"set": "a", "note": 3}', "note: should be text in quotes, but is a whole number"),
        (b'{"set": "a", "year": -1}', "year: should be a whole number >= 0"),
        (b'{"set": "a", "titel": "x"}', "unknown key 'titel'"),
        (b"[]", "should be an object in braces, but is a list"),
        (b'{"set"', "the line ends too early"),
        (b'{"set": "a",}', "it is not JSON: trailing comma in object"),
        (b'{"set": "\xff"}', "it is not UTF-8 text"),
    ],
)
def test_a_mistake_in_a_record_is_told_with_its_key(line: bytes, said: str) -> None:
    with pytest.raises(msgspec.DecodeError) as caught:
        msgspec.json.decode(line, type=_Record)
    assert record_fault(caught.value) == said
