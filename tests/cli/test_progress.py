"""Whatever takes a while says what it does, how fast, and how long it will take; at a terminal, and only there."""

from __future__ import annotations

import io
import os
import re
import sys
from pathlib import Path

import pytest
from rich.console import Console

from gribble.demo.handheld import free_port, handheld
from gribble.demo.porch import build_visitor
from gribble.demo.sheets import HANDHELD_PASSWORD
from gribble.demo.world import build_world
from gribble.views.screen import Activity
from tests.conftest import Gribble

pty = pytest.importorskip("pty", reason="there is no pty on Windows")

BEGIN = """
import sys
from gribble.views import screen

begin = screen.Activity.begin

def at_once(activity, what, expected=0):
    begin(activity, what, expected)
    activity.show()

screen.Activity.begin = at_once
from gribble.cli.main import main
main()
"""


def shown(world: Path, env: dict[str, str], *words: str) -> str:
    """All that a terminal is sent by a command, where nothing is too short to be shown."""
    child, terminal = pty.fork()
    if child == 0:
        os.chdir(world)
        os.execve(sys.executable, [sys.executable, "-c", BEGIN, *words], {**env, "TERM": "xterm", "COLUMNS": "120"})
    told = b""
    while True:
        try:
            block = os.read(terminal, 1 << 16)
        except OSError:  # by which Linux says that the other end is closed
            break
        if not block:
            break
        told += block
    os.close(terminal)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) in (0, 1)
    return told.decode(errors="replace")


RATE = re.compile(r"[\d.]+/[\d.]+ (KiB|bytes) +([\d.]+ \S+/s|\?)")
LEFT = re.compile(r"-:--:--|\d:\d\d:\d\d")


@pytest.mark.own_ground("it runs as a process of its own")
@pytest.mark.parametrize(
    ("words", "parts"),
    [
        ("check", ["Surveying", "Judging"]),
        ("identify drawer/skerry/SKERRY.COPIER", ["Surveying", "Diagnosing"]),
        ("mend drawer/skerry/SKERRY.COPIER --into mended", ["Surveying", "Diagnosing"]),
        ("place --yes", ["Surveying", "Judging", "Placing"]),
        ("sets pack --style full --yes", ["Surveying", "Placing"]),
        ("scrub", ["Scrubbing"]),
        ("discs check discs", ["Working"]),
    ],
)
def test_each_part_of_the_work_is_named_and_vanishes_with_the_answer(
    tmp_path: Path, clean_env: dict[str, str], words: str, parts: list[str]
) -> None:
    world = tmp_path / "world"
    build_world(world)
    told = shown(world, clean_env, *words.split())
    at = 0
    for part in parts:
        at = told.index(part, at)
    assert "\x1b[?25l" in told
    assert told.rindex("\x1b[?25h") > told.rindex("\x1b[?25l"), "the cursor is given back"
    last = told[told.rindex("\x1b[?25h") :]
    assert not any(part in last for part in ("Surveying", "Judging", "Placing", "Working")), "nothing of it stays"


@pytest.mark.own_ground("it runs as a process of its own")
def test_sending_and_taking_back_tell_bytes_rate_and_time_left(tmp_path: Path, clean_env: dict[str, str]) -> None:
    world, port = tmp_path / "world", free_port()
    build_world(world, port)
    env = {**clean_env, "GRIBBLE_PASSWORD_HANDHELD": HANDHELD_PASSWORD}
    with handheld(world / "handheld", port):
        sent = shown(world, env, "place", "--rig", "handheld", "--yes")
        back = shown(world, env, "undo", "--yes")
    for part, told in (("Placing", sent), ("Undoing", back)):
        lines = [line for line in re.split(r"[\r\n]", told) if part in line]
        assert any(RATE.search(line) and LEFT.search(line) for line in lines), lines


@pytest.mark.own_ground("it runs as a process of its own")
def test_importing_tells_how_far_it_is(tmp_path: Path, clean_env: dict[str, str]) -> None:
    own = build_visitor(tmp_path)
    assert "Reading" in shown(own, clean_env, "catalogue", "import", "lists/dotterel-6.xml", "--out",
                              "dotterel-6.roster.jsonl", "--yes")  # fmt: skip


def test_nothing_of_it_reaches_a_pipe(gribble: Gribble, world: Path) -> None:
    for words in (["check"], ["place", "--rig", "stick", "--yes"]):
        told = gribble(*words, cwd=world, process=True)
        assert "\x1b" not in told.out + told.err
        assert "Surveying" not in told.err


def test_what_is_short_is_not_shown_and_what_ends_meanwhile_stays_hidden() -> None:
    activity = Activity(Console(force_terminal=True, file=io.StringIO()))
    activity.begin("Surveying", 10)
    activity.advance(4)
    assert not activity.is_shown
    activity.rest()
    activity.show()  # as its timer would, a moment too late
    assert not activity.is_shown
    activity.begin("Placing", 10)
    activity.show()
    assert activity.is_shown
    activity.expect(5)
    activity.advance(15)
    activity.rest()
    assert not activity.is_shown
