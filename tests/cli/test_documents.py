"""Every command in the documents, carried out on the demo world; what a document shows of the answer must be in it."""

from __future__ import annotations

import os
import re
import shlex
import shutil
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import nullcontext
from pathlib import Path
from typing import NamedTuple

import pytest

from gribble.demo.handheld import free_port, handheld
from gribble.demo.porch import build_visitor
from gribble.demo.sheets import HANDHELD_PASSWORD
from gribble.demo.world import build_world
from tests.making import run_here

ROOT = Path(__file__).parents[2]
PAGES = [
    page
    for page in (ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md")))
    if page.name not in ("commands.md", "json.md")  # whose examples have tests of their own
]
SKIPPED = ("make ", "pip ", "cd ~")
"""Lines for a shell that are about setting Gribble up; the clean clone that the tests run in has done that."""


SHELL_ONLY = re.compile(r"[|<>;&$*~`]")
"""What only a shell makes sense of; any other line of ours runs in this process."""


class Line(NamedTuple):
    """A command in a document, and the lines of its answer that are shown there."""

    words: str
    shown: list[str]


def blocks(page: Path) -> list[Line]:
    """The commands of a document's blocks in order: lines after `$`, with their answers, and plain lines of ours."""
    found: list[Line] = []
    inside = False
    for line in page.read_text(encoding="utf-8").splitlines():
        if line.startswith("    ") or (inside and not line):
            text = line[4:]
            if text.startswith("$ ") or (not inside and text.startswith("gribble")) or text.startswith("gribble "):
                found.append(Line(re.sub(r"\s+# .*$", "", text.removeprefix("$ ")), []))
                inside = text.startswith("$ ")
            elif inside:
                found[-1].shown.append(text)
        else:
            inside = False
    return [one for one in found if not one.words.startswith(SKIPPED)]


def inline() -> Iterator[str]:
    """The commands within sentences that can be carried out as they stand: no word in them is in capitals.

    Those that some block has, too, are left out.
    """
    done = {line.words for page in PAGES for line in blocks(page)}
    for page in PAGES:
        if page.name in ("messages.md", "json.md"):
            continue  # sentences of the program, and no commands
        for words in re.findall(r"`(gribble(?: [^`…|]+)?)`", page.read_text()):
            if words not in done and not re.search(r"\b[A-Z]+\b|^gribble (demo|init)|~|completion", words):
                yield words


def props(page: Path, world: Path) -> None:
    """What a document talks of and the demo world has not: files in fenced blocks that bear a name, and gifts."""
    for name, text in re.findall(
        r"^```\w+ (\S+)\n(.*?)^```", page.read_text(encoding="utf-8"), re.MULTILINE | re.DOTALL
    ):
        (world / name).write_text(text)
    shutil.copytree(world / "catalogue", world / "new-catalogue")
    gift = world / "gift"
    gift.mkdir()
    shutil.copy(world / "catalogue" / "knot.sheet.toml", gift)
    shutil.make_archive(str(world / "from-ada"), "zip", gift)
    shutil.rmtree(gift)


class Shell:
    """Runs lines as a user would, one after the other; a question is answered with yes."""

    def __init__(self, folder: Path, env: dict[str, str]) -> None:
        self.folder = folder
        path = f"{Path(sys.executable).parent}{os.pathsep}{env['PATH']}"
        self._env = {**env, "PATH": path, "COLUMNS": "80", "GRIBBLE_PASSWORD_HANDHELD": HANDHELD_PASSWORD}

    def run(self, line: str) -> str:
        """What a line answers. Fails on an exit status that tells of bad usage or of a failure."""
        if line.startswith("cd "):
            self.folder = self.folder / line[3:]
            return ""
        words = shlex.split(line)
        if words[:2] == ["gribble", "watch"]:
            return self._watch(line)
        if words[0] == "gribble" and not SHELL_ONLY.search(line):
            ended = run_here(tuple(words[1:]), self.folder, self._env, b"y\n", as_one=True)
            return self._told(line, ended.code, ended.out)
        done = subprocess.run(
            ["bash", "-c", line],
            cwd=self.folder,
            env=self._env,
            input=b"y\n",
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            check=False,
            timeout=300,
        )
        return self._told(line, done.returncode, done.stdout.decode())

    def _watch(self, line: str) -> str:
        """What a command tells that ends when it is stopped: here, once it has said that it has begun."""
        with subprocess.Popen(
            ["bash", "-c", f"exec {line}"], cwd=self.folder, env=self._env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
        ) as process:  # fmt: skip
            assert process.stdout is not None
            first = process.stdout.readline().decode()
            process.send_signal(signal.SIGINT)
            told = first + process.stdout.read().decode()
            return self._told(line, process.wait(), told)

    def _told(self, line: str, code: int, told: str) -> str:
        assert "gribble: " in told or code in (0, 1), f"$ {line}\nended with {code}\n{told}"
        assert "Traceback" not in told
        return told


def lacking(shown: list[str], told: str) -> str:
    """The first shown line that the answer has not in its place; `…` stands for any lines. Empty where all are."""
    lines = [line.rstrip() for line in told.splitlines()]
    at, skipping = 0, True
    for line in shown:
        if not line.strip():
            continue
        if line.strip() == "…":
            skipping = True
            continue
        end = len(lines) if skipping else next((n for n in range(at, len(lines)) if lines[n]), at) + 1
        match = next((n for n in range(at, end) if n < len(lines) and lines[n] == line.rstrip()), None)
        if match is None:
            return line
        at, skipping = match + 1, False
    return ""


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_the_commands_of_a_document_do_what_it_shows(page: Path, tmp_path: Path, clean_env: dict[str, str]) -> None:
    lines = blocks(page)
    if not lines:
        return
    port = free_port()
    shell = Shell(tmp_path, clean_env)
    own = any(line.words.startswith("gribble demo") for line in lines)  # it builds a world, with a handheld asleep
    if not own:
        shell.folder = tmp_path / "world"
        build_world(shell.folder, port)
        props(page, shell.folder)
        if page.name == "README.md":  # it begins where there is no gribble.toml, and goes on in general
            shell.folder = build_visitor(shell.folder)
    with nullcontext() if own else handheld(tmp_path / "world/handheld", port):
        for line in lines:
            told = shell.run(line.words)
            refused = any(shown.startswith("gribble: ") for shown in line.shown)
            assert refused or not re.search("^gribble: ", told, re.MULTILINE), f"$ {line.words}\n{told}"
            absent = lacking(line.shown, told)
            assert not absent, f"$ {line.words}\nhas no line {absent!r} (there) in\n{told}"


def test_the_example_of_every_command_can_be_carried_out(tmp_path: Path, clean_env: dict[str, str]) -> None:
    """On one world: what others build on first, what clears away last. A demo is made apart."""
    page = ROOT / "docs" / "commands.md"
    text = page.read_text()
    examples = {line.words for line in blocks(page)}
    without = [words for words in re.findall(r"^## (gribble .*)$", text, re.M) if not _has_example(words, examples)]
    assert not without
    port = free_port()
    world = tmp_path / "world"
    build_world(world, port)
    props(ROOT / "docs" / "catalogues.md", world)
    (world / "old.keys").write_bytes((world / "drawer/petrel/keys from Ada.txt").read_bytes())
    shell = Shell(world, clean_env)
    publish = next(line for line in examples if line.startswith("gribble catalogue publish"))
    first = ["gribble place --rig lighthouse", "gribble undo 1", publish]
    last = ["gribble attic restore sandpiper/drive/drive.rom", "gribble attic empty --run 1"]
    examples -= {*first, *last, "gribble demo --chapter know"}
    with handheld(world / "handheld", port):
        for line in (*first, *sorted(examples), *last):
            told = shell.run(line)
            assert not re.search("^gribble: ", told, re.MULTILINE), f"$ {line}\n{told}"


def _has_example(words: str, examples: set[str]) -> bool:
    return any(f"{one} ".startswith(f"{words} ") for one in examples)


def test_commands_within_sentences_can_be_carried_out(tmp_path: Path, clean_env: dict[str, str]) -> None:
    port = free_port()
    world = tmp_path / "world"
    build_world(world, port)
    props(ROOT / "docs" / "arcade.md", world)
    shell = Shell(world, clean_env)
    lines = list(dict.fromkeys(inline()))
    assert lines
    with handheld(world / "handheld", port):
        for line in lines:
            told = shell.run(line)
            assert not re.search("^gribble: ", told, re.MULTILINE), f"$ {line}\n{told}"
