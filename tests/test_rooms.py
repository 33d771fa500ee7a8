"""The house holds: which room may import which, no two folders import each other, and nothing loose lies about."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import gribble

SOURCE = Path(gribble.__file__).parent

CORE = {
    "base": "",
    "files": "base",
    "records": "base",
    "catalogue": "base files records",
    "survey": "base files records",
    "diagnosis": "base files records survey",
    "discs": "base files records survey",
    "arcade": "base files records catalogue",
    "audit": "base files records catalogue survey diagnosis discs arcade",
    "placing": "base files records",
    "answers": "base files records catalogue survey diagnosis discs arcade audit placing",
}
MAY_IMPORT = {
    **{room: set(others.split()) for room, others in CORE.items()},
    "stores": {"base", "files", "records", "survey", "placing"},
    "demo": {"base", "records", "catalogue"},
    "views": {"base", "records", "placing", "answers"},
    "cli": {*CORE, "stores", "demo", "views"},
}
"""What each room may import beside itself, as CONTRIBUTING.md has it."""

YET: set[tuple[str, str]] = {
    ("catalogue", "audit"),
    ("catalogue", "report"),
    ("catalogue", "survey"),
    ("cli", "doctor"),
    ("cli", "identify"),
    ("cli", "looking"),
    ("cli", "needed"),
    ("cli", "releases"),
    ("cli", "report"),
    ("cli", "scope"),
    ("cli", "world"),
    ("doctor", "audit"),
    ("doctor", "base"),
    ("doctor", "catalogue"),
    ("doctor", "files"),
    ("doctor", "placing"),
    ("doctor", "records"),
    ("identify", "arcade"),
    ("identify", "audit"),
    ("identify", "base"),
    ("identify", "diagnosis"),
    ("identify", "records"),
    ("identify", "survey"),
    ("looking", "audit"),
    ("looking", "base"),
    ("looking", "catalogue"),
    ("looking", "files"),
    ("looking", "placing"),
    ("looking", "records"),
    ("looking", "scope"),
    ("looking", "survey"),
    ("looking", "world"),
    ("needed", "base"),
    ("needed", "catalogue"),
    ("needed", "records"),
    ("needed", "scope"),
    ("needed", "world"),
    ("releases", "arcade"),
    ("releases", "base"),
    ("releases", "catalogue"),
    ("releases", "files"),
    ("releases", "records"),
    ("releases", "survey"),
    ("releases", "world"),
    ("report", "base"),
    ("report", "placing"),
    ("report", "records"),
    ("report", "releases"),
    ("report", "world"),
    ("scope", "base"),
    ("scope", "catalogue"),
    ("scope", "records"),
    ("views", "audit"),
    ("views", "catalogue"),
    ("views", "discs"),
    ("views", "doctor"),
    ("views", "identify"),
    ("views", "needed"),
    ("views", "releases"),
    ("views", "report"),
    ("world", "audit"),
    ("world", "base"),
    ("world", "catalogue"),
    ("world", "diagnosis"),
    ("world", "discs"),
    ("world", "files"),
    ("world", "records"),
    ("world", "scope"),
    ("world", "survey"),
}
"""Arrows that are there and should not be; the list only ever gets shorter."""


def room_of(module: str) -> str:
    """The room in which a module lies; one that lies in none is a room of its own."""
    parts = module.removeprefix("gribble.").removeprefix("core.").split(".")
    return parts[0]


@cache
def imports() -> frozenset[tuple[str, str]]:
    """Every import of one module of the program by another, at the top or within a function."""
    paths = {_module(path): path for path in SOURCE.rglob("*.py")}
    found = set()
    for module, path in paths.items():
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("gribble."):
                for alias in node.names:
                    whole = f"{node.module}.{alias.name}"
                    found.add((module, whole if whole in paths else str(node.module)))
    return frozenset(found)


def _module(path: Path) -> str:
    name = ".".join(("gribble", *path.relative_to(SOURCE).with_suffix("").parts))
    return name.removesuffix(".__init__")


def folders() -> Iterator[tuple[str, str]]:
    """The same between folders."""
    for one, other in imports():
        pair = one.rpartition(".")[0], other.rpartition(".")[0]
        if pair[0] != pair[1]:
            yield pair


def test_no_room_imports_what_it_may_not() -> None:
    arrows = {(room_of(one), room_of(other)) for one, other in imports()}
    forbidden = {(one, other) for one, other in arrows if one != other and other not in MAY_IMPORT.get(one, set())}
    assert forbidden - {("__main__", "cli")} == YET
