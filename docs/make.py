"""Writes the pages that are made from the program itself: commands.md, messages.md, words.md, and a table of safety.md.

Run by `make docs`."""

from __future__ import annotations

import ast
import contextlib
import io
import json
import re
import shlex
import shutil
import tempfile
import textwrap
import tomllib
from collections.abc import Iterator
from datetime import datetime
from enum import Enum
from functools import cache
from pathlib import Path
from types import UnionType
from typing import (
    Annotated,
    Any,
    Literal,
    NamedTuple,
    NotRequired,
    Required,
    Union,
    get_args,
    get_origin,
    get_type_hints,
    is_typeddict,
)

import typer

import gribble
from gribble.cli.app import SHOW, SHOWN, program, run
from gribble.cli.environment import Environment
from gribble.core.answers.following import MOST_BYTES, MOST_FILES, MOST_INDEX, MOST_PIECE, MOST_TITLE
from gribble.core.base import budget
from gribble.core.base.errors import ExitCode
from gribble.core.files.settingsfile import MOST_VALUE
from gribble.core.records import answers as json_answers
from gribble.core.records.answers import ANSWERS
from gribble.core.records.findings import Proof, Remedy, State, Verdict
from gribble.core.records.sheet import Level
from gribble.demo.world import build_world
from gribble.stores.link import PATIENCE
from gribble.views.looks import VERDICTS
from gribble.views.words import MEANT, WORDS

SOURCE = Path(gribble.__file__).parent
PAGES = Path(__file__).parent

ABOUT = {
    "cli/loaded": "Finding the configuration", "cli/finding": "Finding the configuration",
    "cli/session": "Finding the configuration",
    "cli/arranging": "Rigs and sources", "cli/entering": "Rigs and sources",
    "core/answers/entering": "Rigs and sources",
    "core/catalogue/configfile": "Rigs and sources",
    "cli/command": "Names and options", "cli/init": "Finding the configuration",
    "cli/app": "Names and options", "cli/doctor": "Finding the configuration", "core/catalogue": "The catalogue",
    "core/answers/adding": "The catalogue", "core/answers/setup": "Finding the configuration",
    "core/audit/asked": "Names and options", "core/answers/lint": "The catalogue",
    "cli/catalogue": "The catalogue", "core/audit/looking": "Rigs and sources",
    "stores": "Rigs and sources", "core/audit": "Reading files", "core/survey": "Reading files",
    "core/answers/needed": "Names and options", "cli/check": "Names and options",
    "cli/identify": "Names and options", "cli/import": "Taking over a list",
    "core/answers/wishes": "Names and options",
    "cli/publishing": "Catalogues that travel", "core/answers/following": "Catalogues that travel",
    "stores/signing": "Catalogues that travel", "core/catalogue/publishing": "Catalogues that travel",
    "cli/taking_over": "Taking over a list", "cli/refreshing": "Taking over a list",
    "stores/web": "Taking over a list", "core/answers/refreshing": "Taking over a list",
    "core/catalogue/importing": "Taking over a list", "cli/sets": "Arcade sets", "cli/set_releases": "Arcade sets",
    "cli/wanted": "Arcade sets",
    "core/answers/rosters": "Arcade sets", "core/arcade": "Arcade sets", "cli/keys": "Key files",
    "cli/disc": "Discs and playlists", "core/answers/capture": "Capturing a sheet",
    "cli/running": "Planning and placing",
    "cli/place": "Planning and placing", "core/placing": "Planning and placing",
    "cli/history": "Undoing", "stores/credentials": "Rigs and sources",
    "cli/attic": "Undoing", "cli/report": "Reports",
    "cli/demo": "The demo world", "demo": "The demo world", "core/base/filewriter": "Writing files",
    "core/base/amounts": "Names and options", "cli/watch": "Names and options",
    "core/base/errors": "Names and options",
}  # fmt: skip
"""The subject of a message by the module that raises it; the longest beginning counts."""


PASSED_ON = (
    "core/answers/adding", "core/answers/following", "core/answers/lint", "core/base/tables",
    "core/catalogue/importing/apart", "core/catalogue/publishing", "core/placing/planfile",
)  # fmt: skip
"""Modules that hand on what another one has said."""


class Group(NamedTuple):
    """Messages of one kind: where they end up, and the calls and functions that make them."""

    about: str
    calls: tuple[str, ...] = ()
    functions: tuple[str, ...] = ()


GROUPS = {
    "Mistakes in a file": Group(
        "Every mistake of `gribble.toml`, a sheet, a roster, a field map or a plan is told at once, each as "
        "`FILE: KEY OR LINE: what`, and the command ends with status 2. A mistake in the catalogue leaves its sheet "
        "out and lets `check` go on with the others; `plan` and `place` refuse to begin.",
        ("Mistake", "add", "ValueFault", "fault"),
        (
            "set_faults",
            "lineage_faults",
            "_faults",
            "_source_faults",
            "_digest_faults",
            "range_fault",
            "release_fault",
            "read_checksums",
            "_read_line",
            "read_keys",
            "parse_address",
        ),
    ),
    "What an archive or a folder can have against it": Group(
        "Told as `passed over PATH: …` below the result; the command goes on without that file, and its exit status "
        "is what the rest makes it.",
        ("ArchiveError", "Skipped"),
    ),
    "Why a plan refuses a step": Group(
        "Told with the plan, before anything is written. The other steps stay.",
        ("Refused:reason", "_wait"),
        ("trouble", "name_trouble"),
    ),
    "Why a step fails": Group(
        "The place keeps its old file, the steps that do not depend on the failed one go on, and the command ends "
        "with status 3.",
        ("StepError", "StoreError"),
    ),
    "What a server can have against it": Group(
        "A server that cannot be reached makes its rig *away* (status 3); what is lost in the middle is tried again "
        "first. A server that refuses ends the command with status 3 where the rig is asked for.",
        ("LinkLost", "Aborted", "Denied", "ServerRefused", "StoreLost"),
    ),
    "What a settings file can have against it": Group(
        "Told as the reason of a setting's finding. Gribble then does not change that file.",
        ("SettingError", "NoSuchKey"),
    ),
    "What a name or path can have against it": Group(
        "These follow the name in the messages above, where they say `FAULT`.",
        (),
        ("path_fault", "name_fault", "_link_fault"),
    ),
    "Notes beside the result": Group(
        "On standard error, after the result or before it; the exit status does not come from them.",
        ("aside", "tell"),
    ),
}


class Message(NamedTuple):
    """One message as it stands in the code, with capitals for what is filled in."""

    module: str
    text: str
    fix: str
    status: int


@cache
def parsed() -> list[tuple[str, list[ast.Call | ast.FunctionDef]]]:
    """The calls and functions of every module of the program, with its name."""
    return [
        (
            path.relative_to(SOURCE).with_suffix("").as_posix(),
            [node for node in ast.walk(ast.parse(path.read_text())) if isinstance(node, ast.Call | ast.FunctionDef)],
        )
        for path in sorted(SOURCE.rglob("*.py"))
    ]


def found(calls: tuple[str, ...], functions: tuple[str, ...] = ()) -> Iterator[Message]:
    """The messages that calls of some names make, and that some functions return or yield, in the order of the code.

    Raises ValueError for one whose text is not written where it is raised, so that no list could name it.
    """
    for module, nodes in parsed():
        for node in nodes:
            if isinstance(node, ast.Call) and (name := _name(node.func)) in calls and node.args:
                if name != "add" or _name(node.func.value) == "mistakes":  # type: ignore[attr-defined]
                    yield _message(module, name, node)
            elif isinstance(node, ast.Call) and f"{_name(node.func)}:reason" in calls and not node.args:
                yield Message(module, _text({word.arg: word.value for word in node.keywords}["reason"]), "", 0)
            elif isinstance(node, ast.FunctionDef) and node.name in functions and module != "core/audit/judging/games":
                yield from (Message(module, _text(value), "", 0) for value in _given(node))


def _message(module: str, name: str, node: ast.Call) -> Message:
    given = {word.arg: word.value for word in node.keywords}
    text = _text(node.args[{"Mistake": 2, "add": 1, "fault": 1, "Skipped": 1, "_wait": 1}.get(name, 0)])
    fix = _text(given["fix"]) if "fix" in given else ""
    if name == "ServerRefused" and node.args[1:]:
        fix = _text(node.args[1])
    if text == "WHAT" and name in ("Mistake", "add") and module not in PASSED_ON:
        raise ValueError(f"{module}, line {node.lineno}: write the text where it is told")
    code = given.get("code")
    status = ExitCode[_name(code)] if code is not None else ExitCode.USAGE
    if (
        name == "GribbleError"
        and text.isupper()
        and text.isalpha()
        and text not in ("REASON", "WHAT")
        and module not in PASSED_ON
    ):
        raise ValueError(f"{module}, line {node.lineno}: write the text where it is raised")
    return Message(module, text, fix, int(status))


def _given(function: ast.FunctionDef) -> Iterator[ast.expr]:
    """The texts that a function returns, yields or raises: alone, behind a key, in a list, or as a record's fault."""
    for node in ast.walk(function):
        value = node.exc if isinstance(node, ast.Raise) else getattr(node, "value", None)
        if not isinstance(node, ast.Return | ast.Yield | ast.Raise) or value is None:
            continue
        if isinstance(value, ast.Tuple | ast.List) and value.elts:
            value = value.elts[-1]
        if isinstance(value, ast.List) and value.elts:
            value = value.elts[-1]
        if isinstance(value, ast.Call):
            faults = [word.value for word in value.keywords if word.arg == "fault"]
            value = next(iter(faults if not isinstance(node, ast.Raise) else value.args), value)
        if isinstance(value, ast.Constant | ast.JoinedStr):
            yield value


def _name(node: ast.expr) -> str:
    return node.attr if isinstance(node, ast.Attribute) else getattr(node, "id", "")


def _text(node: ast.expr) -> str:
    """The text that an expression makes, as far as it can be told; capitals where it is filled in."""
    match node:
        case ast.Constant():
            return str(node.value or "")
        case ast.JoinedStr():
            return "".join(_text(part) for part in node.values)
        case ast.FormattedValue():
            return _text(node.value)
        case ast.IfExp():
            one, other = _text(node.body), _text(node.orelse)
            return " / ".join(filter(None, (one, other))) if other else ""
        case ast.BinOp(op=ast.Add()):
            return _text(node.left) + _text(node.right)
        case ast.BinOp():
            return "N"
        case ast.BoolOp():
            return _text(node.values[-1] if isinstance(node.op, ast.Or) and _says(node.values[-1]) else node.values[0])
        case ast.Call():
            return _call(node)
        case ast.Subscript():
            return _text(node.value)
        case ast.Attribute() | ast.Name():
            return _WORDS.get(_name(node).strip("_"), _name(node).strip("_").upper().replace("_", " "))
    return "…"


def _says(node: ast.expr) -> bool:
    return isinstance(node, ast.JoinedStr) or (isinstance(node, ast.Constant) and " " in str(node.value))


_WORDS = {
    "error": "REASON", "why": "REASON", "from": "FILE", "to": "FILE", "FIX": "gribble plan --out FILE writes one.",
    "CONFIG_NAME": "gribble.toml", "SHEET_ENDING": ".sheet.toml", "UNWRITTEN": "Nothing was changed there.",
    "word": "NAME", "fix": "", "next": "COMMAND", "HEX_LENGTHS": "crc32, md5, sha1, sha256", "MAX_MEMBERS": "N",
    "MOST_ID_BYTES": "N", "MOST_SECONDS": "N", "MAP_VERSION": "N", "SHEET_VERSION": "N", "map": "N", "MOST_BYTES": "N",
    "MOST_NAME": "N", "lineno": "N", "line_num": "N", "packed": "N", "unpacked": "N", "start": "N", "line": "LINE",
    "number": "N", "size": "N", "wanted": "WANTED", "free": "N", "returncode": "N", "bytes": "N",
}  # fmt: skip
"""What is shown for a variable, where its own name in capitals would not tell."""


def _call(node: ast.Call) -> str:
    name = _name(node.func)
    if name == "suggest":
        return "; did you mean 'NAME'?"
    if name == "count":
        return f"N {_text(node.args[1])}s" if len(node.args) > 1 else "N"
    if name in ("reason_of", "_say", "ErrorString"):
        return "REASON"
    if name in ("len", "variable_of"):
        return {"len": "N", "variable_of": "GRIBBLE_PASSWORD_RIG"}[name]
    if name == "join":
        return f"{_text(node.args[0])}, …".replace("256, …", "256")
    if name in ("shorten", "str", "tame", "sorted", "base", "clean", "called") and node.args:
        return _text(node.args[0])
    return "…"


def messages_page() -> str:
    """The list of messages."""
    lines = [
        "# Messages",
        "",
        "<!-- Made from the code by `make docs`; a test compares the two. -->", "",
        "What ends a command says what is wrong and where, and on the next line what to do, both on standard error:",
        "",
        "    $ gribble check --rig lighthous",
        "    gribble: 'lighthous' is not a known rig; did you mean 'lighthouse'?",
        "      gribble rigs shows the rigs and their emulators.",
        "",
        "Capitals stand for what is filled in. What is *found* (verdicts and their reasons) is no message: see",
        "[verdicts](verdicts.md) and [diagnosis](diagnosis.md).",
        "",
        "| exit status | when |", "|---|---|",
        "| 0 | all is well |",
        "| 1 | something needs attention, steps or gaps in a plan and what is left to obtain included |",
        "| 2 | bad usage, configuration or catalogue |",
        "| 3 | a step failed (what was done is told), or a rig is away |",
        "| 130 | interrupted |",
        "",
        "A command line that is not understood (no such option, a word too many) ends with status 2 and says which",
        "`--help` to look at. A fault of Gribble itself ends with status 3, names it, and asks for a report, with no",
        "traceback unless `GRIBBLE_TRACEBACK` is set. An answer that cannot be printed (its disk is",
        "full, say) ends with status 3 and says so; a plan that cannot be shown is not carried out.",
    ]  # fmt: skip
    subjects: dict[str, dict[Message, None]] = {}
    for one in found(("GribbleError", "NoRecordsError", "ThereError")):
        known = [beginning for beginning in ABOUT if one.module.startswith(beginning)]
        if not known:
            raise ValueError(f"{one.module} has messages: give it a subject in ABOUT")
        if one.fix or not one.text.endswith("WHAT"):  # else the same error again, with more words
            subjects.setdefault(ABOUT[max(known, key=len)], {})[one._replace(module="")] = None
    lines += ["", "## What ends a command"]
    for subject in sorted(subjects):
        lines += ["", f"### {subject}", "", "| message | what to do | status |", "|---|---|---|"]
        lines += [f"| {_cell(one.text)} | {_cell(one.fix)} | {one.status} |" for one in subjects[subject]]
    for title, group in GROUPS.items():
        texts = {f"{one.text}. {one.fix}" if one.fix else one.text for one in found(group.calls, group.functions)}
        lines += ["", f"## {title}", "", *textwrap.wrap(group.about, 118), ""]
        lines += [f"- {_cell(text)}" for text in sorted(texts) if re.search("[a-z]", text)]
    return "\n".join(lines) + "\n"


def _cell(text: str) -> str:
    return f"`{text.replace('`', chr(39))}`".replace("|", "\\|") if text else ""


def commands_page() -> str:
    """The reference of commands."""
    lines = [
        "# Commands", "",
        "<!-- Made from the program's own help by `make docs`; a test compares the two. -->", "",
        "What `gribble COMMAND --help` says, on one page. Every command takes `--help`; `-v` is `--verbose`.",
    ]  # fmt: skip
    for words, command in _leaves(typer.main.get_command(program(all_=True)), ()):
        about, example = command.help or "", (command.epilog or "").partition("Example:")[2]
        if words[-1:] == (SHOW,) and words[0] in SHOWN:
            words = words[:-1]
        lines += ["", f"## gribble {' '.join(words)}".rstrip(), "", _flat(about)]
        if example:
            lines += ["", f"    {example.strip()}"]
        rows = [row for parameter in command.params if (row := _row(parameter))]
        if rows:
            lines += ["", "| | |", "|---|---|", *rows]
    return "\n".join(lines) + "\n"


def _leaves(command: Any, words: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], Any]]:
    inner = getattr(command, "commands", {})
    if not inner or not words:
        yield words, command
    for name in sorted(inner):
        yield from _leaves(inner[name], (*words, name))


def _flat(text: str) -> str:
    return "\n\n".join(" ".join(part.split()) for part in text.strip().split("\n\n"))


def _row(parameter: Any) -> str:
    names = [name for name in (*parameter.opts, *parameter.secondary_opts) if name.startswith("-")]
    if set(names) & {"--install-completion", "--show-completion"} or getattr(parameter, "hidden", False):
        return ""
    metavar = parameter.make_metavar(None)
    shown = ", ".join(names) if names else metavar.replace("[", "").replace("]", "")
    if names and not parameter.is_flag:
        shown += f" {metavar}"
    return f"| {_cell(shown)} | {_flat(getattr(parameter, 'help', None) or '')} |"


def words_page() -> str:
    """The glossary, as `gribble words` has it."""
    lines = [
        "# Words", "",
        "<!-- Made from the program's own words by `make docs`; a test compares the two. -->", "",
        "What `gribble words` says.", "", "| word | what is meant | for example |", "|---|---|---|",
    ]  # fmt: skip
    lines += [f"| **{word}** | {what} | {example} |" for word, what, example in sorted(WORDS)]
    lines += ["", "A need is", "", "| | |", "|---|---|"]
    lines += [f"| {VERDICTS[word][0]} **{word}** | {what} |" for word, what in MEANT.items()]
    lines += ["", "and its emulator ready, limited (something optional is missing) or blocked."]
    lines += ["[Verdicts](verdicts.md) says what each is proven by."]
    return "\n".join(lines) + "\n"


BEGIN, END = "<!-- Made from the program by `make docs`. -->", "<!-- Here ends what is made. -->"


def safety_page() -> str:
    """The safety page, with its table of foreign inputs built from the limits in the program."""
    before, _, rest = (PAGES / "safety.md").read_text().partition(BEGIN)
    return f"{before}{BEGIN}\n\n{costs_table()}\n\n{END}{rest.partition(END)[2]}"


def costs_table() -> str:
    """What each kind of foreign input may name, and what reading it may cost, by the program's own limits."""
    size, archive, directory = budget.size_words, budget.ARCHIVE, budget.DIRECTORY
    settings, listing = budget.SETTINGS, budget.LISTING
    rows: dict[str, tuple[str, list[str]]] = {
        "sheets, field maps, gribble.toml": (
            "places on a rig: no path climbs, is absolute, carries a drive or leads into `.gribble`",
            [size(budget.TOML_BYTES), f"keys of at most {budget.TOML_PARTS} parts", "numbers of at most 63 bits"],
        ),
        "rosters": (
            "sets and files by name, by the same rules; a key that no roster has is a mistake",
            [size(budget.ROSTER_BYTES), f"{size(budget.ROSTER.bytes)} a line", f"{budget.ROSTER.items:,} sets"],
        ),
        "checksum lists": ("files by path, by the same rules", [size(budget.CHECKSUMS_BYTES)]),
        "settings files": (
            "a place on the rig, to which their value leads; nothing is written there",
            [
                f"ini {size(settings['ini'])}, json and xml {size(settings['xml'])}",
                f"toml and yaml {size(settings['toml'])}",
                f"a value of at most {MOST_VALUE:,} characters",
            ],
        ),
        "archives": (
            "what is in them; a name of a member is never used to write",
            [
                f"what comes out of one: {size(archive.bytes)}, or {archive.times} times its size where that is more",
                f"{archive.items:,} files",
                f"its directory {size(directory.bytes)} or {directory.items:,} entries",
                f"a tar {budget.TAR_ENTRIES:,} entries, with headers of {size(budget.TAR_HEADER_BYTES)}",
                f"names of {budget.MEMBER_NAME:,} characters",
                f"archives in it three deep, {size(budget.NESTED_BYTES)} each, "
                f"together {size(budget.NESTED.bytes)} or {budget.NESTED.times} times its size",
                f"{size(budget.DICTIONARY_BYTES)} of memory to unpack",
            ],
        ),
        "files": (
            "nothing",
            [
                f"for a sheet that gives no size: {size(budget.UNSIZED.bytes)}, and none beyond "
                f"{size(budget.HOLES.bytes)} that is {budget.HOLES.times} times what it takes on the disk "
                "(nearly all holes)",
            ],
        ),
        "lists to be imported": (
            "nothing: entities of XML are refused, no reference is followed",
            [
                f"from the web {size(budget.WEB_BYTES)} unpacked, {budget.WEB_REDIRECTS} times led on",
                f"texts and pages {size(budget.LIST_BYTES)}",
                f"JSON {size(budget.JSON_BYTES)} and {budget.JSON_VALUES:,} values",
                f"a workbook {size(budget.BOOK_BYTES)} unpacked",
                f"{budget.TABLES.items:,} cells; {budget.TABLE_COLUMNS:,} columns",
                f"a row of {budget.ROW_CHARACTERS:,} characters",
                f"XML {budget.XML_DEPTH} deep",
                f"pages and workbooks are read by a process of their own, with {size(budget.APART_BYTES)} of memory "
                f"and {budget.APART_SECONDS} seconds of work",
            ],
        ),
        "published catalogues": (
            "sheets, rosters, field maps and checksum lists, in their own folder; every file by its SHA-256",
            [
                f"the index {size(MOST_INDEX)}, {MOST_FILES:,} files, a title of {MOST_TITLE} characters",
                f"all of it {size(MOST_BYTES)} unpacked, a piece {size(MOST_PIECE)}; no byte beyond the index",
            ],
        ),
        "journals": (
            "those that this user has not signed: places on their own rig, and sources, once they are adopted",
            [f"those that this user has not signed: {size(budget.JOURNAL_OF_OTHERS)}"],
        ),
        "plan files": (
            "regular files in your sources, rigs and attics, by a digest",
            [size(budget.PLAN_BYTES), f"{budget.JSON_VALUES:,} values"],
        ),
        "key files": ("nothing", [size(budget.KEYS_BYTES)]),
        "track sheets, playlists": ("files beside them", [size(budget.TRACKS_BYTES)]),
        "what a server answers": (
            "names of files and folders below the rig's root",
            [
                f"{size(budget.ANSWER_BYTES)} to a command",
                f"a folder of {size(listing.bytes)} or {listing.items:,} entries",
                f"{budget.RIG_FOLDERS:,} folders {budget.RIG_DEPTH} deep, {budget.RIG_FILES:,} files",
                f"a file one byte beyond its size, one without a size {size(budget.UNSIZED_BYTES)}",
                f"an answer {PATIENCE} times `timeout`, a file at least a KiB a second",
            ],
        ),
    }
    lines = ["| what comes from outside | what it may name | what reading it may cost at most |", "|---|---|---|"]
    return "\n".join([*lines, *(f"| {kind} | {names} | {'; '.join(costs)} |" for kind, (names, costs) in rows.items())])


class Asked(NamedTuple):
    """A kind of answer: the command, asked in the demo world after those that come `first`, and a line of jq that takes
    something out of it."""

    command: str
    what: str
    jq: str
    first: tuple[str, ...] = ()


ASKED = {
    kind: Asked(**table) for kind, table in tomllib.loads((PAGES / "json.toml").read_text(encoding="utf-8")).items()
}
NO_TIME = "2026-12-01T10:00:00+00:00"


@cache
def answers() -> dict[str, Any]:
    """The answers of the demo world, by kind; times and the world's place are always the same."""
    with tempfile.TemporaryDirectory() as folder:
        world = Path(folder) / "world"
        build_world(world)
        shutil.copytree(world / "catalogue", world / "new-catalogue")
        sheet = world / "new-catalogue/knot.sheet.toml"
        sheet.write_text(
            sheet.read_text()
            + '\n[[need]]\nid = "gannet-font"\nkind = "bios"\nlevel = "extra"\nfolder = "system"\nname = "FONT.ROM"\n'
        )
        env = {"HOME": folder, "XDG_DATA_HOME": folder, "XDG_CONFIG_HOME": folder, "NO_COLOR": "1", "TZ": "UTC"}
        found = {}
        for kind, asked in ASKED.items():
            for command in (*asked.first, asked.command):
                out, err = io.StringIO(), io.StringIO()
                words = tuple(shlex.split(command)[1:])
                with contextlib.chdir(world):
                    run(
                        Environment(
                            words, env, world, io.StringIO(), out, err, lambda: datetime(2026, 12, 1, 10), False
                        )
                    )
            text = re.sub(r"20\d\d-\d\d-\d\dT[\d:]+[+-][\d:]+", NO_TIME, out.getvalue()).replace(str(world), "/games")
            found[kind] = json.loads(text.replace(folder, "/home"))
        return found


def _short(value: Any) -> Any:
    """An answer with the first thing of each list, for an example."""
    match value:
        case list():
            return [_short(one) for one in value[:1]]
        case dict():
            return {key: _short(one) for key, one in value.items()}
        case str() if len(value) > MOST_SHOWN:
            return f"{value[:MOST_SHOWN]}…"
    return value


MOST_SHOWN = 48


def _outline(kind: Any, indent: int = 0) -> str:
    """The keys of a record and what stands behind them; a ? is behind a key that may be absent."""
    if get_origin(kind) in (NotRequired, Required, Annotated):
        return _outline(get_args(kind)[0], indent)
    if get_origin(kind) in (UnionType, Union):
        return " or ".join(_outline(one, indent) for one in get_args(kind))
    if get_origin(kind) is list:
        return f"[{_outline(get_args(kind)[0], indent)}, …]"
    if get_origin(kind) is Literal:
        return "|".join(f'"{one}"' for one in get_args(kind))
    if get_origin(kind) is dict:
        return f'{{"…": {_outline(get_args(kind)[1], indent)}}}'
    if is_typeddict(kind):
        hints = get_type_hints(kind, include_extras=True)
        pad = "  " * (indent + 1)
        hints = dict(sorted(hints.items(), key=lambda pair: get_origin(pair[1]) is NotRequired))
        rows = [
            f'{pad}"{key}"{"?" if get_origin(hint) is NotRequired else ""}: {_outline(hint, indent + 1)}'
            for key, hint in hints.items()
        ]
        about = f"  // {_flat(kind.__doc__)}" if indent and kind.__doc__ and kind.__doc__ != dict.__doc__ else ""
        return f"{{{about}\n" + ",\n".join(rows) + f"\n{'  ' * indent}}}"
    if isinstance(kind, type) and issubclass(kind, Enum):
        return kind.__name__.lower()
    return {str: "text", int: "number", float: "number", bool: "true|false", type(None): "null", Any: "…"}[kind]


def json_page() -> str:
    """The page of the answers in JSON."""
    lines = [
        "# Use the answers in a program", "",
        "<!-- Made from the program's own records and the demo world by `make docs`; a test compares the two. -->", "",
        _flat(json_answers.__doc__ or ""), "",
        "A key with ? may be absent. The examples are of the demo world, with the first thing of each list.", "",
    ]  # fmt: skip
    for words in (Level, Proof, Remedy, State, Verdict):
        lines.append(f"- **{words.__name__.lower()}**: {', '.join(f'`{one}`' for one in words)}")
    for kind, record in sorted(ANSWERS.items()):
        lines += ["", f"## {kind}/1", "", _flat(record.__doc__ or ""), "", "```", _outline(record), "```"]
        if kind in ASKED:
            example = json.dumps(_short(answers()[kind]), indent=1, ensure_ascii=False)
            lines += ["", f"    {ASKED[kind].command}", "", "```json", example, "```", *_taken_out(ASKED[kind])]
    lines += ["", "## report/1", "", "`gribble report --json`: everything that the page has. Its schema has the keys."]
    return "\n".join([*lines, *_taken_out(ASKED["report"])]) + "\n"


def _taken_out(one: Asked) -> list[str]:
    return ["", f"For example, {one.what}:", "", f"    {one.command} | jq -r '{one.jq}'"]


MADE = {
    "json.md": json_page,
    "safety.md": safety_page,
    "messages.md": messages_page,
    "commands.md": commands_page,
    "words.md": words_page,
}

if __name__ == "__main__":
    for name, make in MADE.items():
        (PAGES / name).write_text(make())
