"""Answers about many sets and many needs: a screen or two, by cause, with the command that shows the rest."""

from __future__ import annotations

import io
import json
import pydoc
import re
import shlex
import subprocess
import sys
import zipfile
import zlib
from pathlib import Path

import pytest

from gribble.views.screen import MOST_LINES, NEXT_LINES, Folding
from tests.conftest import Gribble

SETS = 400
NEEDS = 70
SHEET = """\
sheet = 1
emulator = "knot"
[folders]
boot = "boot"
sets = "sets"
[arcade]
rosters = "knot-*.roster.jsonl"
folder = "sets"
"""
CONFIG = """\
catalogues = ["catalogue"]
sources = ["drawer"]
[rig.den]
at = "rig"
[rig.den.emulators]
knot = { release = "2", wanted = "all" }
"""


def content(what: str) -> bytes:
    return what.encode() * 9


def listed(*whats: str) -> list[dict[str, object]]:
    return [
        {"name": f"{what}.bin", "size": len(content(what)), "crc32": f"{zlib.crc32(content(what)):08x}"}
        for what in whats
    ]


def archive(path: Path, *whats: str) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    with zipfile.ZipFile(path, "w") as made:
        for what in whats:
            made.writestr(f"{what}.bin", content(what))


@pytest.fixture(scope="module")
def many(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Games of which each third has a BIOS set that is elsewhere, each seventh lacks a file, each eleventh one that
    is in another archive; and needs that nobody meets."""
    folder = tmp_path_factory.mktemp("many")
    needs = "".join(
        f'[[need]]\nid = "n{number}"\nkind = "bios"\nlevel = "must"\nfolder = "boot"\nname = "n{number}.rom"\n'
        f'why = "It does not start without."\naccept = [{{ label = "only", size = 9, sha1 = "{number:040x}" }}]\n'
        for number in range(NEEDS)
    )
    (folder / "catalogue").mkdir()
    (folder / "catalogue/knot.sheet.toml").write_text(SHEET + needs)
    (folder / "gribble.toml").write_text(CONFIG)
    lines: list[dict[str, object]] = [{"roster": 1, "emulator": "knot", "release": "2"}]
    lines.append({"set": "sysb", "kind": "bios", "files": listed("eu", "jp")})
    for number in range(SETS):
        own = [f"g{number}a", f"g{number}b"]
        bios = {"bios": "sysb"} if number % 3 == 0 else {}
        lines.append({"set": f"g{number}", "title": f"Game {number}", **bios, "files": listed(*own)})
        there = own[: 1 if number % 7 == 0 or number % 11 == 0 else 2]
        archive(folder / f"rig/sets/g{number}.zip", *there)
        if number % 11 == 0 and number % 7:
            archive(folder / f"drawer/spare {number}.zip", own[1])
    archive(folder / "drawer/bios pack.zip", "eu", "jp")
    text = "".join(json.dumps(line) + "\n" for line in lines)
    (folder / "catalogue/knot-2.roster.jsonl").write_text(text)
    return folder


@pytest.mark.parametrize(
    "words",
    [
        "", "check", "plan", "needs", "why knot", "sets check", "sets check --sort worst", "sets match", "identify rig",
        "identify rig/sets/g1.zip", "identify drawer", "check --show missing", "doctor", "catalogue list", "place",
        "sets fit --room 1MB", "sets pack --style merged", "needs g3", "sets show sysb", "catalogue lint",
    ],
)  # fmt: skip
def test_an_answer_is_a_screen_or_two_and_verbose_has_it_all(gribble: Gribble, many: Path, words: str) -> None:
    answer = gribble(*shlex.split(words), cwd=many, code=None)
    assert answer.code in (0, 1, 130), answer.err
    assert 0 < len(answer.out.splitlines()) <= MOST_LINES
    if words:
        assert "lines more: -v shows" not in gribble(*shlex.split(words), "--pager", cwd=many, code=None).out
    wide = gribble(*shlex.split(words), cwd=many, code=None, COLUMNS="200").out
    unfolding = re.findall(r"(gribble (?:sets|check|plan)[^(),\n]*? -v[^(),\n]*?)(?: shows|,|\)|\n)", wide)
    for command in unfolding[:3]:
        told = gribble(*shlex.split(command)[1:], cwd=many, code=None)
        assert told.code in (0, 1), (command, told.err)
        assert len(told.out.splitlines()) > 5


def test_sets_are_told_by_what_is_at_fault(gribble: Gribble, many: Path) -> None:
    for words in (["check"], ["sets", "check"], ["why", "knot"]):
        told = re.sub(r"\s+", " ", gribble(*words, cwd=many, code=1, COLUMNS="200").out)
        assert "134 sets need sysb's files eu.bin, jp.bin; you have them in drawer/bios pack.zip" in told
        assert "58 sets obtain 58 archives: g0.zip, g7.zip, g14.zip," in told
        assert "31 sets need files; you have them in 31 places, such as drawer/spare 11.zip" in told
        assert "↳ gribble sets show sysb --rig den" in told
    only = gribble("sets", "check", "--show", "missing", "-v", cwd=many, code=1).out
    assert len(re.findall(r"■ blocked  g\d+", only)) == 58
    assert gribble("sets", "check", "--show", "damaged", cwd=many, code=0).out == "No set has a file that is damaged.\n"
    every = gribble("sets", "check", "--json", cwd=many, code=1).json
    (emulator,) = every["rigs"][0]["emulators"]
    assert len(emulator["sets"]) == SETS


def test_identify_says_which_sets_archives_hold(gribble: Gribble, many: Path) -> None:
    whole = gribble("identify", "rig/sets/g1.zip", cwd=many, code=0, COLUMNS="120").out
    assert "● whole  set g1 (Game 1), whole  rig/sets/g1.zip  knot 2" in whole
    assert "g1a.bin" not in whole
    assert "g1a.bin" in gribble("identify", "-v", "rig/sets/g1.zip", cwd=many, code=0).out
    part = gribble("identify", "rig/sets/g7.zip", cwd=many, code=0, COLUMNS="120").out
    assert "set g7 (Game 7), in part  rig/sets/g7.zip" in part
    assert "lacks g7b.bin; knot 2" in part
    spare = gribble("identify", "drawer/spare 11.zip", cwd=many, code=0, COLUMNS="120").out
    assert "set g11 (Game 11), in part" in spare
    assert "1 file that your rigs need" in spare
    bios = gribble("identify", "drawer/bios pack.zip", cwd=many, code=0, COLUMNS="120").out
    assert "set sysb" in bios
    assert "2 files that your rigs need" in bios
    answer = gribble("identify", "rig/sets", "--json", cwd=many, code=0).json
    assert len(answer["files"]) == 2 * SETS - 89
    assert len(answer["sets"]) == SETS - 89
    assert {tuple(one["lacks"]) for one in answer["part_sets"] if one["set"] == "g14"} == {("g14b.bin",)}


def test_the_page_of_many_sets_is_small_and_has_every_name(gribble: Gribble, many: Path, tmp_path: Path) -> None:
    gribble("report", "--html", str(tmp_path / "r.html"), cwd=many, code=1)
    page = (tmp_path / "r.html").read_text()
    first, second = re.findall(r'<script type="application/json">(.*?)</script>', page)
    folds = dict(re.findall(r'data-key="(\d+)"><summary>(.*?)</summary>', page))
    words = {key: re.sub(r"<.*?>", "", text).split(maxsplit=1)[1] for key, text in folds.items()}
    by_words = {words[key]: entries for key, entries in json.loads(first).items()}
    ready = sum(bool(number % 3 and number % 7 and number % 11) for number in range(SETS))
    assert len(by_words[f"ready {ready} sets"]) == ready
    assert sum(map(len, by_words.values())) == SETS
    assert any("need files of sysb: its BIOS set sysb: you have it, but not where" in text for text in words.values())
    assert sum(map(len, json.loads(second).values())) == 58
    assert "g7.zip: 1 file" in page


def test_nothing_heavy_is_loaded_for_a_common_answer(world: Path, clean_env: dict[str, str]) -> None:
    code = "import sys\nfrom gribble.cli.main import main\ntry:\n    main()\nfinally:\n    print(*sys.modules, file=sys.stderr)"
    for words in ("", "check", "plan", "why sandpiper", "identify drawer", "sets check"):
        command = [sys.executable, "-c", code, *words.split()]
        told = subprocess.run(command, cwd=world, env=clean_env, capture_output=True, check=False).stderr.split()
        assert b"gribble.core.audit.world" in told
        heavy = {b"highsbox", b"jinja2", b"lxml", b"pydoc", b"gribble.core.catalogue.importing.words"}
        assert not heavy & set(told)


class Terminal(io.StringIO):
    def isatty(self) -> bool:
        return True


def test_a_long_answer_keeps_its_beginning_and_its_end(monkeypatch: pytest.MonkeyPatch) -> None:
    text = [f"line {number}\n" for number in range(1000)]
    for count, paged, whole in ((MOST_LINES - NEXT_LINES, False, False), (1000, False, True), (1000, True, False)):
        out = io.StringIO()
        folding = Folding(out, paged=paged, whole=whole)
        folding.write("".join(text[:count]))
        folding.done()
        assert out.getvalue() == "".join(text[:count])
    out = io.StringIO()
    folding = Folding(out)
    for line in text:
        folding.write(line[:3])
        folding.write(line[3:])
    folding.done()
    lines = out.getvalue().splitlines(keepends=True)
    assert len(lines) == MOST_LINES - NEXT_LINES
    assert (lines[:114], lines[-12:]) == (text[:114], text[-12:])
    assert "874 lines more: -v shows them all, --pager page by page" in lines[114]
    folding.write("asked anew\n")
    folding.done()
    assert out.getvalue().endswith("asked anew\n")
    shown: list[str] = []
    monkeypatch.setattr(pydoc, "pager", shown.append)
    terminal = Terminal()
    folding = Folding(terminal, paged=True)
    folding.write("".join(text))
    folding.done()
    assert (shown, terminal.getvalue()) == (["".join(text)], "")
