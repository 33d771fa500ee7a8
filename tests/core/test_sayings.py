"""What a finding has to say is a fact, each kind of fact has its sentence, and nobody reads a sentence again."""

from __future__ import annotations

import ast
import inspect
from pathlib import Path

import pytest

import gribble
from gribble.core.records import facts
from gribble.core.records.recipes import Damage
from gribble.core.sayings.facts import _DAMAGE, _FIXES, _SAYINGS

SOURCE = Path(gribble.__file__).parent
KINDS = {one for _, one in inspect.getmembers(facts, inspect.isclass) if issubclass(one, facts.Fact)} - {facts.Fact}
TAKEN_APART = ("split", "rsplit", "partition", "rpartition", "startswith", "endswith", "removeprefix", "removesuffix")
SENTENCES = ("say", "say_all", "mend_words", "keys_words", "refusal_words", "fix_words", "root_words", "cause_words")


def test_each_kind_of_fact_and_of_damage_has_its_sentence() -> None:
    assert set(_SAYINGS) == KINDS
    assert set(_FIXES) < KINDS
    assert set(_DAMAGE) == set(Damage)


def habits(source: str) -> list[int]:
    """The lines of a module that read a sentence: a method that takes a text apart, called on a reason, on words, on a
    call that makes a sentence or on a cell made of one; or a text looked for in one of these."""
    found = []
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in TAKEN_APART:
            found += [node.lineno] * is_sentence(node.func.value)
        if isinstance(node, ast.Compare) and isinstance(node.ops[0], ast.In | ast.NotIn):
            text = isinstance(node.left, ast.Constant) and isinstance(node.left.value, str)
            found += [node.lineno] * (text and is_sentence(node.comparators[0]))
    return found


def is_sentence(node: ast.expr) -> bool:
    """Whether an expression is a sentence, as far as its name says."""
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
        return node.func.id in SENTENCES or (node.func.id == "str" and isinstance(node.args[0], ast.Subscript))
    name = node.attr if isinstance(node, ast.Attribute) else node.id if isinstance(node, ast.Name) else ""
    return name in ("reason", "words", "why", "fault", "remedy")


@pytest.mark.parametrize(
    "room",
    [
        "core/audit",
        "core/arcade",
        "core/answers",
        "core/placing",
        "core/survey",
        "core/diagnosis",
        "core/discs",
        "views",
        "cli",
    ],
)
def test_nobody_reads_a_sentence(room: str) -> None:
    found = {path.name: habits(path.read_text()) for path in (SOURCE / room).rglob("*.py")}
    assert {name: lines for name, lines in found.items() if lines} == {}


@pytest.mark.parametrize(
    "line",
    ["row = str(cells[0]).split()[-1]", "one.reason.startswith('x')", "'is empty' in why", "say(fact).partition(';')"],
)
def test_the_rule_would_notice(line: str) -> None:
    assert habits(line) == [1]
