"""The core is told everything: it imports no interface, prints nothing, never exits, and reads no environment."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

import gribble.core

FILES = sorted(Path(gribble.core.__file__).parent.rglob("*.py"))
INTERFACES = {"typer", "rich", "jinja2", "matplotlib", "click"}
OUTER = ("gribble.cli", "gribble.views", "gribble.demo", "gribble.stores")


def faults(source: str) -> list[str]:
    """Every line of a module that breaks the rule."""
    found = []
    for node in ast.walk(ast.parse(source)):
        modules = []
        if isinstance(node, ast.Import):
            modules = [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom):
            modules = [node.module or ""]
        found += [name for name in modules if name.split(".")[0] in INTERFACES or name.startswith(OUTER)]
        if (
            isinstance(node, ast.Call)
            and isinstance(node.func, ast.Name)
            and node.func.id in ("print", "input", "exit")
        ):
            found.append(node.func.id)
        if isinstance(node, ast.Attribute) and node.attr in (
            "environ",
            "getenv",
            "exit",
            "_exit",
            "expanduser",
            "stdout",
        ):
            found.append(node.attr)
    return found


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.name)
def test_core_knows_nothing_of_interfaces(path: Path) -> None:
    assert faults(path.read_text(encoding="utf-8")) == []


def test_the_rule_would_notice() -> None:
    broken = "import rich.table\nfrom gribble.views import x\nprint(1)\nimport os\nos.environ\nimport sys\nsys.exit(1)"
    assert faults(broken) == ["rich.table", "gribble.views", "print", "environ", "exit"]
    assert len(FILES) > 15
