"""What a column of a list is, said by whoever sees that a guess is wrong: by an option, or at the terminal."""

from __future__ import annotations

import contextlib
import hashlib
import os
import pty
import sys
import tomllib
import zlib
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Gribble
from tests.making import files

A, B, C, D = (hashlib.md5(name.encode(), usedforsecurity=False).hexdigest() for name in "abcd")
LIST = f"File,Old MD5,New MD5,Notes,Kind of\na.rom,{A},{B},Boot of Tern,bios\nb.rom,{C},{D},Boot of Skua,bios\n"
WORDS = ("catalogue", "import", "plover.csv", "--out", "plover.sheet.toml")


@pytest.fixture
def place(tmp_path: Path) -> Path:
    (tmp_path / "plover.csv").write_text(LIST)
    return tmp_path


def needs(place: Path) -> list[tuple[Any, ...]]:
    sheet = tomllib.loads((place / "plover.sheet.toml").read_text())
    return [(one["name"], one.get("title"), one["accept"][0]["md5"]) for one in sheet["need"] if one.get("accept")]


def test_a_column_is_what_an_option_says(gribble: Gribble, place: Path) -> None:
    said = gribble("catalogue", "import", "plover.csv", cwd=place).words
    assert "--field 'Old MD5=md5' or --field 'New MD5=md5'" in said
    fields = ("--field", "new md5=md5", "--field", "Notes=title", "--field", "Kind of=nothing")
    shown = gribble("catalogue", "import", "plover.csv", *fields, cwd=place, code=0)
    assert "Next: gribble catalogue import plover.csv --field 'new md5=md5' --field Notes=title" in shown.words
    assert "as you say" in shown.words
    gribble(*WORDS, *fields, "--yes", cwd=place, code=0)
    assert needs(place) == [("a.rom", "Boot of Tern", B), ("b.rom", "Boot of Skua", D)]


@pytest.mark.parametrize(
    ("field", "says"),
    [
        ("Nots=title", "has no column Nots; did you mean 'Notes'?"),
        ("Notes=titel", "there is no field titel here; did you mean 'title'?"),
        ("Notes", "is not COLUMN=FIELD"),
        ("File=nothing", "Gribble cannot tell which column is the name"),
    ],
)
def test_what_cannot_be_said_is_told(gribble: Gribble, place: Path, field: str, says: str) -> None:
    assert says in gribble(*WORDS, "--field", field, "--yes", cwd=place, code=2).err
    assert not (place / "plover.sheet.toml").exists()


@pytest.mark.parametrize(
    ("answers", "found"),
    [
        ("y\n5 = title\ny\n", [("a.rom", "Boot of Tern", A), ("b.rom", "Boot of Skua", C)]),  # of the columns not taken
        ("New MD5 = md5\ny\n", [("a.rom", None, B), ("b.rom", None, D)]),  # the doubtful one is another
        (
            "4 = md5\nNotes = title\nkind of = nothing\ny\n",
            [("a.rom", "Boot of Tern", B), ("b.rom", "Boot of Skua", D)],
        ),
        (
            "y\nnotes = titel\n77 = title\ny\n",
            [("a.rom", None, A), ("b.rom", None, C)],
        ),  # what makes no sense is told
    ],
)
def test_a_guess_is_changed_by_its_number_or_column(
    gribble: Gribble, place: Path, answers: str, found: list[tuple[Any, ...]]
) -> None:
    asked = gribble(*WORDS, stdin=answers.encode(), asks=True, cwd=place)
    assert "To change one, answer with its number" in asked.words
    assert needs(place) == found, asked.out + asked.err


def test_a_list_becomes_something_else_at_the_terminal(gribble: Gribble, tmp_path: Path) -> None:
    rows = "".join(
        f"<r n='g{n}' t='Game {n}'><f n='{n}.bin' b='{n * 512}' c='{n * 0x1234567:08x}'/></r>" for n in range(1, 5)
    )
    (tmp_path / "plover.xml").write_text(f"<plover build='2'>{rows}</plover>")
    words = ("catalogue", "import", "plover.xml", "--out", "plover-2.roster.jsonl", "--to", "roster")
    asked = gribble(*words, stdin=b"f/n = nothing\nf/c = crc32\n@t = note\ny\n", asks=True, cwd=tmp_path)
    assert "cannot tell which field is the name" in asked.words, "what cannot be is told, and nothing is lost"
    assert '"note":"Game 1"' in (tmp_path / "plover-2.roster.jsonl").read_text()


def test_the_last_and_the_oddest_are_shown_with_the_first(gribble: Gribble, tmp_path: Path) -> None:
    rows = [f"f{n}.rom,{8192},{A[:30]}{n:02},{'yes' if n < 7 else 'no'}" for n in range(1, 10)]
    rows[4] = "f5.rom,8192,,yes"
    (tmp_path / "plover.csv").write_text("\n".join(["File,Size,MD5,Required", *rows]))
    said = gribble("catalogue", "import", "plover.csv", cwd=tmp_path, code=0).words
    assert "9 needs (6 must, 3 extra, 1 without a digest), the first: f1.rom" in said
    assert "f4.rom" not in said
    assert "the last: f9.rom extra" in said
    assert "the one least like the others: f5.rom must no digest" in said


def test_an_empty_cell_among_others_is_asked_about(gribble: Gribble, tmp_path: Path) -> None:
    """And what was answered is in the map that is kept."""
    (tmp_path / "plover.csv").write_text(f"File,Required,MD5\na.rom,yes,{A}\nb.rom,no,{B}\nc.rom,,{C}\n")
    for answer, level in ((b"better\n", "better"), (b"nothing\n", None), (b"what?\n", None)):
        gribble(*WORDS, "--replace", stdin=answer + b"y\n", asks=True, cwd=tmp_path, code=0)
        sheet = tomllib.loads((tmp_path / "plover.sheet.toml").read_text())
        assert [one.get("level") for one in sheet["need"]] == ["must", "extra", level]
        again = ("catalogue", "import", "plover.csv", "--map", "plover.map.toml", "--out", "b.sheet.toml", "--replace")
        gribble(*again, cwd=tmp_path, code=0)
        assert tomllib.loads((tmp_path / "b.sheet.toml").read_text())["need"] == sheet["need"]


def test_every_guess_is_a_line_and_what_is_not_taken_is_told_by_its_weight(gribble: Gribble, tmp_path: Path) -> None:
    long = "The name of the file as it lies in the folder of the emulator"
    rows = "".join(f"{n}.rom,{A[:30]}{n:02},Words about it {n},{B[:30]}{n:02},{n + 1}.rom\n" for n in range(10, 20))
    (tmp_path / "plover.csv").write_text(f"{long},MD5,Remarks of Ada,Old MD5,Goes with\n{rows}")
    shown = gribble("catalogue", "import", "plover.csv", "--field", "Goes with=nothing", cwd=tmp_path)
    guesses = [line for line in shown.out.splitlines() if " → " in line]
    assert len(guesses) == 2
    assert all(len(line) <= 80 for line in guesses)
    told = "Nothing is taken from Goes with (which names other records), Old MD5 (which has digests), Remarks of Ada."
    assert told in shown.words


def test_a_roster_shows_its_last_its_oddest_and_what_there_is_before_it_is_written(
    gribble: Gribble, tmp_path: Path
) -> None:
    sets = "".join(
        f"<g n='g{n}' t='Game {n}'><f n='{n}.bin' b='64' c='{n * 0x1A2B3C4:08x}'/></g>" for n in range(1, 10)
    )
    sets = sets.replace(f"c='{5 * 0x1A2B3C4:08x}'", "s='nodump'").replace("<g n='g7'", "<g n='g7' of='g6'")
    (tmp_path / "plover.xml").write_text(f"<plover build='2'>{sets}</plover>")
    words = ("catalogue", "import", "plover.xml", "--to", "roster")
    seen = gribble(*words, cwd=tmp_path).words
    for said in ("the last: g9", "the one least like the others: g5", "9 sets, among them 1 clone, 1 undumped file."):
        assert said in seen
    asked = gribble(*words, "--out", "plover-2.roster.jsonl", stdin=b"n\n", asks=True, cwd=tmp_path, code=1).words
    assert asked.index("9 sets, among them") < asked.index("Is this right?")
    left = {one.name for one in tmp_path.iterdir()} - {"home"}
    assert left == {"plover.xml"}, "nothing is left of what was not agreed to"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (f"Hello\n\nsome words {A} and more\n", "the nearest is line 3: some words"),
        ("Hello\nput boot.rom somewhere\n", "the nearest is line 2: put boot.rom somewhere"),
        ("<p>Hello</p>\n<p>there</p>\n", "there are none"),
    ],
)
def test_a_list_in_which_nothing_is_found_is_told_what_was_looked_for(
    gribble: Gribble, tmp_path: Path, text: str, says: str
) -> None:
    (tmp_path / "plover.html").write_text(f"<html><body><p>{text}")
    (tmp_path / "plover.md").write_text(text)
    for name in ("plover.html", "plover.md"):
        said = gribble("catalogue", "import", name, cwd=tmp_path, code=2).err
        assert "names of files, such as boot.rom" in said, name
        assert says.partition(" line ")[0] in said


@pytest.mark.parametrize(("number", "warned"), [(49, False), (50, True)])
def test_an_export_without_a_single_parent_is_odd(gribble: Gribble, tmp_path: Path, number: int, warned: bool) -> None:
    rows = "".join(
        f"<r n='g{n}'><f n='{n}.bin' b='{n * 512}' c='{n * 0x123457:08x}'/></r>" for n in range(1, number + 1)
    )
    words = ("catalogue", "import", "plover.xml", "--out", "plover-2.roster.jsonl", "--yes")
    (tmp_path / "plover.xml").write_text(f"<plover build='2'>{rows}</plover>")
    said = gribble(*words, cwd=tmp_path, code=0)
    assert f"{number} sets of plover 2" in said.words
    assert "of which none is a clone" in said.words
    assert ("none has a parent" in said.err) == warned


def test_the_dialogue_on_a_real_terminal(place: Path, clean_env: dict[str, str]) -> None:
    child, terminal = pty.fork()
    if not child:
        os.chdir(place)
        os.execve(sys.executable, [sys.executable, "-m", "gribble", *WORDS], {**clean_env, "COLUMNS": "100"})
    said, answers = b"", [b"4 = md5\n", b"5 = title\n", b"y\n"]
    with contextlib.suppress(OSError):  # the terminal ends with the program
        while block := os.read(terminal, 4096):
            said += block
            if answers and said.rstrip().endswith((b"[y/N]", b"[y/N]\x1b[0m")):
                os.write(terminal, answers.pop(0))
                said = b""
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) in (0, 1)
    assert needs(place) == [("a.rom", "Boot of Tern", B), ("b.rom", "Boot of Skua", D)]


@pytest.mark.parametrize("kind", ["md5", "crc32"])
def test_a_size_that_a_digest_contradicts_is_the_mistake_of_the_list(
    gribble: Gribble, tmp_path: Path, kind: str
) -> None:
    """But a CRC-32 alone is no such proof."""
    content = bytes(range(200)) * 2
    digest = {"md5": hashlib.md5(content, usedforsecurity=False).hexdigest(), "crc32": f"{zlib.crc32(content):08x}"}
    files(tmp_path, {"stick/plover/boot.rom": content})
    (tmp_path / "catalogue").mkdir()
    (tmp_path / "gribble.toml").write_text('catalogues = ["catalogue"]\n[rig.stick]\nat = "stick"\n')
    (tmp_path / "plover.csv").write_text(f"File,Size,{kind.upper()}\nboot.rom,500 bytes,{digest[kind]}\n")
    gribble("catalogue", "import", "plover.csv", "--rig", "stick", "--in", "plover", "--yes", cwd=tmp_path, code=0)
    said = gribble("check", cwd=tmp_path, code=0 if kind == "md5" else 1).words
    mistaken = "the sheet says 500 bytes, but it has 400: there the sheet is wrong"
    assert (mistaken in said) == (kind == "md5")
    assert ("it is 400 bytes long, not 500" in said) == (kind == "crc32")
