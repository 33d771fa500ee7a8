"""The house holds: which room may import which, no two folders import each other, and nothing loose lies about."""

from __future__ import annotations

import ast
import inspect
import re
from collections.abc import Iterable, Iterator
from functools import cache
from pathlib import Path

import gribble
from gribble.cli.app import COMMANDS, program
from gribble.cli.options import MADE
from tests.mutants import MUTANTS

SOURCE = Path(gribble.__file__).parent

CORE = {
    "base": "",
    "files": "base",
    "records": "base",
    "sayings": "base records",
    "catalogue": "base files records",
    "survey": "base files records",
    "diagnosis": "base files records survey",
    "discs": "base files records survey",
    "arcade": "base files records catalogue",
    "audit": "base files records catalogue survey diagnosis discs arcade",
    "placing": "base files records sayings",
    "answers": "base files records catalogue survey diagnosis discs arcade audit placing sayings",
}
MAY_IMPORT = {
    **{room: set(others.split()) for room, others in CORE.items()},
    "stores": {"base", "files", "records", "survey", "placing"},
    "demo": {"base", "records", "catalogue"},
    "views": {"base", "records", "sayings", "placing", "answers"},
    "cli": {*CORE, "stores", "demo", "views"},
}
"""What each room may import beside itself, as CONTRIBUTING.md has it."""


def room_of(module: str) -> str:
    """The room in which a module lies; one that is in none is a room of its own."""
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


def faults(pairs: Iterable[tuple[str, str]]) -> set[tuple[str, str]]:
    """The arrows between rooms that the table does not have."""
    arrows = {(room_of(one), room_of(other)) for one, other in pairs}
    return {(one, other) for one, other in arrows if one != other and other not in MAY_IMPORT.get(one, set())}


def test_no_room_imports_what_it_may_not() -> None:
    assert faults(imports()) - {("__main__", "cli")} == set()
    assert faults([("gribble.core.survey.walking", "gribble.core.audit.world")]) == {("survey", "audit")}


def test_no_two_folders_import_each_other() -> None:
    arrows = set(folders())
    assert {(one, other) for one, other in arrows if (other, one) in arrows} == set()
    assert len(arrows) > 40


def test_every_folder_says_its_promise_as_the_table_does() -> None:
    table = (Path(__file__).parents[1] / "CONTRIBUTING.md").read_text()
    for path in SOURCE.rglob("__init__.py"):
        folder = path.parent.relative_to(SOURCE.parents[1]).as_posix()
        if folder not in ("src/gribble", "src/gribble/core"):
            promise = ast.get_docstring(ast.parse(path.read_text()))
            assert f"| `{folder}` | {promise} |" in table
    assert {path.name for path in (SOURCE / "core").glob("*.py")} == {"__init__.py"}


PURE = [
    *(SOURCE / "core/audit/judging").rglob("*.py"),
    *(SOURCE / "core/arcade").rglob("*.py"),
    SOURCE / "core/placing/plan.py",
]
IMPURE_MODULES = {
    "os",
    "pathlib",
    "shutil",
    "io",
    "tempfile",
    "socket",
    "subprocess",
    "time",
    "datetime",
    "glob",
    "random",
}
IMPURE_NAMES = {"open", "stat", "lstat", "fstat", "Path", "place", "exists", "is_dir", "read_bytes", "read_text",
                "iterdir", "unlink", "load_roster", "read_regular", "open_regular"}  # fmt: skip


def impure(source: str) -> list[str]:
    """What in a module touches a disk, or asks the time."""
    found = []
    for node in ast.walk(ast.parse(source)):
        match node:
            case ast.Import():
                found += [one.name for one in node.names if one.name.partition(".")[0] in IMPURE_MODULES]
            case ast.ImportFrom() if (node.module or "").partition(".")[0] in IMPURE_MODULES:
                found.append(str(node.module))
            case ast.Call(func=ast.Name(id=name) | ast.Attribute(attr=name)) if name in IMPURE_NAMES:
                found.append(name)
    return found


def test_judging_sets_and_planning_touch_no_disk_and_no_clock() -> None:
    assert {path.name: found for path in PURE if (found := impure(path.read_text()))} == {}
    assert len(PURE) > 20
    assert impure("import time\nfrom os import path\nholding.place.stat()\nopen(1)") == ["time", "os", "stat", "open"]


def circles(pairs: Iterable[tuple[str, str]]) -> set[str]:
    """The modules that import themselves by way of others."""
    after: dict[str, set[str]] = {}
    for one, other in pairs:
        after.setdefault(one, set()).add(other)
    found = set()
    for start in after:
        seen: set[str] = set()
        ways = list(after[start])
        while ways:
            module = ways.pop()
            if module not in seen:
                seen.add(module)
                ways += after.get(module, ())
        if start in seen:
            found.add(start)
    return found


def test_no_module_imports_itself_by_way_of_others() -> None:
    assert circles(imports()) == set()
    assert circles([("a", "b"), ("b", "c"), ("c", "a"), ("c", "d")]) == {"a", "b", "c"}


def test_imports_stand_at_the_top_but_for_what_is_heavy() -> None:
    within = [
        (path.name, ast.unparse(node))
        for path in SOURCE.rglob("*.py")
        for function in ast.walk(ast.parse(path.read_text()))
        if isinstance(function, ast.FunctionDef)
        for node in ast.walk(function)
        if isinstance(node, ast.Import | ast.ImportFrom)
    ]
    assert len(within) < 40, within


def test_every_command_has_its_line_in_the_table_and_no_test_imports_another() -> None:
    program(all_=True)
    commands = {name: line for name, (module, line) in COMMANDS.items() if module}
    helps = {name: (inspect.getdoc(MADE[name]) or "").partition("\n\n")[0].replace("\n", " ") for name in commands}
    assert commands == helps
    assert commands.keys() == MADE.keys()
    tests = Path(__file__).parent
    texts = [path.read_text() for path in tests.rglob("test_*.py")]
    assert not [text for text in texts if re.search(r"^ *from tests\.\S*test_", text, re.MULTILINE)]


def overlong(source: str) -> list[str]:
    """The functions of a command module that take too much: a command more than eight options, another more than six
    arguments."""
    found = []
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.FunctionDef):
            names = [one.arg for one in (*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs)]
            named = [one for one in node.decorator_list if ast.unparse(one).startswith("command(")]
            given = [name for name in names if name not in ("self", "cls", *(["call"] if named else []))]
            found += [node.name] if len(given) > (8 if named else 6) else []
    return found


def test_a_command_of_many_options_takes_them_as_one_record() -> None:
    assert {path.name: found for path in (SOURCE / "cli").glob("*.py") if (found := overlong(path.read_text()))} == {}
    many = ", ".join("abcdefgh")
    command = f"@command('x')\ndef x(call, {many}): ..."
    assert overlong(f"{command}\ndef y({many}): ...") == ["y"]
    assert overlong(command.replace("h)", "h, i)")) == ["x"]


def test_every_change_that_make_mutants_tries_is_one_of_the_source_as_it_is() -> None:
    """Each stands in its module once: else nothing is tried, and nobody sees it."""
    assert [one.wrong for one in MUTANTS if (SOURCE / one.module).read_text().count(one.old) != 1] == []
