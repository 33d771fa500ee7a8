"""Paths as Windows writes them, words as its shells take them, and a pipe that it closes its own way."""

from __future__ import annotations

import errno
import io
import shlex
from datetime import datetime
from pathlib import Path
from unittest import mock

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.cli.app import run
from gribble.cli.environment import Environment
from gribble.core.files.leads import Frame, read_path, written
from gribble.views.shell import Shell, quoted, shell_of, then, typed, with_variable
from tests.conftest import Gribble
from tests.making import A, config, need, small_world

SYSTEM_MODULES = "C:\\Program Files\\WindowsPowerShell\\Modules;C:\\Windows\\system32\\WindowsPowerShell\\v1.0\\Modules"


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ('sources = ["C:\\roms"]', "sources[0]: contains a control character (in double quotes, \\r is one); write C:/roms or 'C:\\roms'"),
        ('sources = ["D:\\Users\\ada"]', "is not TOML: in double quotes a backslash begins an escape: write C:/roms or 'C:\\roms'"),
        ('sources = ["D:\\games"]', "in double quotes a backslash begins an escape: write C:/roms or 'C:\\roms'"),
        ('[rig.a]\nat = "E:\\tern"', "rig.a.at: contains a control character (in double quotes, \\t is one); write C:/roms"),
        ('[rig.a]\nat = "rig"\nseen_as = "\\\\NAS\\roms"', "rig.a.seen_as: contains a control character (in double quotes, \\r is one)"),
        ('[rig.a]\nat = "rig"\n[rig.a.emulators]\nplover = { folders = { boot = "sys\\boot" } }', 'folders.boot: "sys?oot" contains a control character (in double quotes, \\b is one)'),
        ("sources = ['C:\\roms']", 'sources[0]: "C:\\roms" is a Windows path, but this system has no drives'),
        ("sources = ['\\\\NAS\\roms']", 'sources[0]: "\\\\NAS\\roms" is a Windows path'),
        ('[rig.a]\nat = "E:/"', 'rig.a.at: "E:/" is a Windows path'),
    ],
)  # fmt: skip
def test_a_path_that_cannot_be_meant_is_refused_in_words(
    gribble: Gribble, tmp_path: Path, line: str, says: str
) -> None:
    (tmp_path / "gribble.toml").write_text(line + "\n", "utf-8")
    assert says in gribble("check", cwd=tmp_path, code=2).err


def test_folders_are_named_by_variables_and_the_home_folder(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "small", {"drawer/x": A}, need("a", A))
    (world / "drawer").rename(tmp_path / "home/drawer")
    for way in ("%rooms%/home/drawer", "~/drawer", "~\\drawer"):
        config(world, sources=(way,))
        found = gribble("check", "--json", cwd=world, code=1, ROOMS=str(tmp_path)).json
        assert found["rigs"][0]["emulators"][0]["needs"][0]["verdict"] == "astray", way


def test_a_settings_file_says_places_as_its_device_spells_them(gribble: Gribble, tmp_path: Path) -> None:
    anchor = "\\\\NAS\\roms"
    frame = Frame(anchor=anchor, root="/mnt/nas", file="plover.ini", folders=frozenset({"boot"}), seen_as=True)
    (lead,) = read_path("\\\\NAS\\roms\\boot\\a.rom", frame).leads
    assert lead.path == "boot/a.rom"
    assert written("boot/b.rom", "\\\\NAS\\roms\\boot\\a.rom", frame) == "\\\\NAS\\roms\\boot\\b.rom"
    world = small_world(
        tmp_path / "small",
        {"rig/boot/a.rom": A, "rig/plover.ini": b"bios = \\\\NAS\\roms\\boot\\old.rom\n"},
        need("a", A, "a.rom"),
    )
    path = world / "catalogue/plover.sheet.toml"
    path.write_text(
        path.read_text("utf-8") + '[[setting]]\nfile = "plover.ini"\nformat = "ini"\nkey = "bios"\nneed = "a"\n',
        "utf-8",
    )
    config(world, more="seen_as = '\\\\NAS\\roms'\n")
    gribble("place", "--yes", cwd=world, code=0)
    assert (world / "rig/plover.ini").read_bytes() == b"bios = \\\\NAS\\roms\\boot\\a.rom\n"


def test_patterns_reach_a_command_as_they_are(gribble: Gribble, world: Path) -> None:
    said = gribble("plan", "--only", "*.rom", "--json", cwd=world, code=1).json
    assert {step["to"].rpartition(".")[2] for step in said["steps"]} == {"rom"}


WORD = st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=12)


@given(st.lists(WORD, min_size=1, max_size=4))
def test_words_are_quoted_for_the_shell_that_reads_them(words: list[str]) -> None:
    assert shlex.split(typed(words, Shell.POSIX)) == words
    for word in words:
        power = quoted(word, Shell.POWERSHELL)
        assert power == word or power[1:-1].replace("''", "'") == word
        if not set(word) & set('"%\\'):
            cmd = quoted(word, Shell.CMD)
            assert cmd in (word, f'"{word}"')
            assert cmd != word or not set(word) & set(" &|<>^()';,")


def test_a_line_of_two_commands_is_one_of_its_shell() -> None:
    assert then("cd 'a b'", "gribble check", Shell.POSIX) == "cd 'a b' && gribble check"
    assert then("cd a", "gribble check", Shell.POWERSHELL) == "cd a; gribble check"
    assert with_variable("X", "a b", "gribble", Shell.POSIX) == "X='a b' gribble"
    assert with_variable("X", "a b", "gribble", Shell.POWERSHELL) == "$env:X='a b'; gribble"
    assert with_variable("X", "a b", "gribble", Shell.CMD) == 'set "X=a b" && gribble'
    assert shell_of({"SHELL": "/bin/zsh"}, windows=False) is Shell.POSIX
    assert shell_of({"PSModulePath": SYSTEM_MODULES}, windows=True) is Shell.CMD
    assert (
        shell_of({"PSModulePath": "C:\\Users\\ada\\Documents\\PowerShell\\Modules;" + SYSTEM_MODULES}, windows=True)
        is Shell.POWERSHELL
    )
    assert shell_of({"MSYSTEM": "MINGW64", "PSModulePath": SYSTEM_MODULES}, windows=True) is Shell.POSIX


class ClosedPipe(io.StringIO):
    """What Windows says of a pipe whose reader has gone."""

    def write(self, text: str) -> int:
        if text:
            raise OSError(errno.EINVAL, "Invalid argument")
        return 0

    def flush(self) -> None:
        raise OSError(errno.EINVAL, "Invalid argument")


def test_a_pipe_that_is_closed_is_silent(world: Path) -> None:
    err = io.StringIO()
    with mock.patch("gribble.cli.app._silence"):
        code = run(Environment(("check", "--json"), {}, world, io.StringIO(), ClosedPipe(), err, datetime.now, False))
    assert code == 3
    assert "fault" not in err.getvalue()
    assert "written" not in err.getvalue()
