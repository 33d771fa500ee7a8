"""No answer's work grows faster than what it is about: counted in lines that are carried out, which no clock disturbs."""

from __future__ import annotations

import hashlib
import shlex
import sys
import threading
from pathlib import Path
from types import FrameType
from typing import Any

import pytest

from gribble.core.audit.judging import settings
from gribble.core.base.kinds import Format
from gribble.core.files.settingsfile import value_of
from tests.cabinets import SHEET, arcade_world, file
from tests.conftest import Gribble
from tests.making import small_world

STEP = 48
"""So many more needs and sets each world has than the one before, and so many unknown files each."""
ROOM = 1.25
"""How much more than in line the work may grow: sorting, and what is only looked for where there is much."""
NEED = """
[[need]]
id = "n{number}"
kind = "bios"
level = "must"
folder = "boot"
name = "n{number}.rom"
accept = [{{ label = "only", size = 8, sha1 = "{sha1}" }}]
"""


def world_of(folder: Path, many: int) -> Path:
    """Needs of one size: missing, right, misnamed, in a drawer, in an archive, twice; unknown files; and families of sets
    in another style than is wished, of which some lack a file."""
    sets: list[dict[str, Any]] = [{"set": "sys", "kind": "bios", "files": [file("boot")]}]
    contents: dict[str, Any] = {"den/sets/sys.zip": {"boot.bin": "boot"}}
    for number in range(many):
        mum = f"g{number - number % 4:03}"
        kin = {"parent": mum} if number % 4 else {"bios": "sys"}
        shared = [file(f"{mum}-{n}", **({"parent_name": f"{mum}-{n}.bin"} if number % 4 else {})) for n in range(2)]
        sets.append(
            {"set": f"g{number:03}", "title": f"Game {number}", **kin, "files": [*shared, file(f"its own {number:03}")]}
        )
        inside = {f"{mum}-{n}.bin": f"{mum}-{n}" for n in range(2)}
        contents[f"den/sets/g{number:03}.zip"] = (
            inside if number % 5 == 0 else {**inside, f"its own {number:03}.bin": f"its own {number:03}"}
        )
    needs = ""
    for number in range(many):
        data = f"{number:08}"
        needs += NEED.format(number=number, sha1=hashlib.sha1(data.encode()).hexdigest())
        held: list[dict[str, Any]] = [
            {},
            {f"drawer/found {number}.bin": data},
            {f"den/boot/n{number}.rom": data},
            {f"den/boot/other {number}.rom": data},
            {f"drawer/pack {number}.zip": {f"n{number}.rom": data}},
            {f"drawer/{twice} {number}.bin": data for twice in ("first", "second")},
        ]
        contents |= held[number % len(held)]
    for number in range(STEP):  # files that nobody knows, of the right size and of half of it
        unknown = f"drawer/unknown {number % 2}/{number}"
        contents |= {f"{unknown}.bin": f"?{number:07}", f"{unknown}.half": f"?{number:03}"}
    sheet = SHEET.replace("[folders]", '[folders]\nboot = "boot"') + needs
    return arcade_world(folder, {"2": sets}, contents, '{ release = "2", wanted = "all", style = "merged" }', sheet)


class Steps:
    """Counts the lines that are carried out within a block (of a loop each time), in all threads that begin there."""

    def __init__(self) -> None:
        self.count = 0
        self._before = sys.gettrace()  # what measures which lines are reached

    def _follow(self, _frame: FrameType, event: str, _arg: object) -> Any:
        self.count += event == "line"
        return self._follow

    def __enter__(self) -> Steps:
        threading.settrace(self._follow)
        sys.settrace(self._follow)
        return self

    def __exit__(self, *_: object) -> None:
        sys.settrace(self._before)
        threading.settrace(self._before)


def games_of(folder: Path, many: int) -> Path:
    """Titles of two discs in one folder, of which every other one was renamed and its sheet was not."""
    contents: dict[str, bytes] = {}
    for number in range(many):
        for disc in (1, 2):
            name = f"Game {number} (Disc {disc})"
            told = f"Gmae {number} (Disc {disc})" if number % 2 else name
            contents[f"games/{name}.bin"] = b"%08d" % (2 * number + disc) * 294
            sheet = f'FILE "{told}.bin" BINARY\n  TRACK 01 MODE1/2352\n    INDEX 01 00:00:00\n'
            contents[f"games/{name}.cue"] = sheet.encode()
    return small_world(folder, contents)


def test_each_value_of_a_settings_file_is_looked_up_once_a_pass(
    gribble: Gribble, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """How the others are written tells how one is to be, which asked for each of them again."""
    many = 12
    of_each = '[[setting]]\nfile = "boot/plover.ini"\nformat = "ini"\nkey = "Paths.k{}"\nfolder = "boot"\n'
    world = small_world(tmp_path / "world", {}, *map(of_each.format, range(many)))
    (world / "rig/boot/plover.ini").write_text("[Paths]\n" + "".join(f"k{n} = /nowhere/{n}\n" for n in range(many)))
    asked: list[str] = []

    def look_up(data: bytes, format_: Format, key: str) -> str:
        asked.append(key)
        return value_of(data, format_, key)

    monkeypatch.setattr(settings, "value_of", look_up)
    assert gribble("check", cwd=world, code=1).out.count("k11") == 1
    assert many <= len(asked) <= 2 * many


MEASURED = {
    "check": world_of,
    "place --yes": world_of,
    "identify drawer": world_of,
    "catalogue lint": world_of,
    "sets pack --style split --yes": world_of,
    "needs": world_of,
    "discs check games": games_of,
    "discs mend games": games_of,
    "discs playlist games": games_of,
}


@pytest.mark.own_ground("it counts what no other ground changes")
@pytest.mark.parametrize("words", MEASURED)
def test_twice_as_much_is_twice_the_work(gribble: Gribble, tmp_path: Path, words: str) -> None:
    taken = []
    gribble(*shlex.split(words), "--help")  # what is made ready once is made ready here
    step = STEP // 3 if words.startswith("identify") else STEP  # it compares each unknown file with each need
    for many in (step, 2 * step, 3 * step):
        world = MEASURED[words](tmp_path / str(many), many)
        gribble("check", cwd=world, code=None)  # once, for what is remembered
        with Steps() as steps:
            answer = gribble(*shlex.split(words), cwd=world, code=None)
        assert answer.code in (0, 1), answer.err
        taken.append(steps.count)
    assert taken[2] - taken[1] <= ROOM * (taken[1] - taken[0]), taken
