"""Borrowed sticks, downloaded packs and catalogues: what they bring is harmless, and told by name."""

from __future__ import annotations

import bz2
import json
import os
import signal
import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from gribble.core.files.archives import opening
from gribble.core.survey import survey
from tests.making import A, B, C, files, forked, need, sha1, sheet, small_world, whole_tree

PRIVATE = b"what is nobody's business"


def journal_of(world: Path, number: int = 1) -> Path:
    return world / f"rig/.gribble/runs/{number:04d}.jsonl"


def foreign_run(world: Path, *steps: dict[str, Any], number: int = 1, **more: Any) -> None:
    """An open run on the rig that nobody here began."""
    path = journal_of(world, number)
    path.parent.mkdir(parents=True, exist_ok=True)
    head = {
        "gribble": "run/1",
        "run": number,
        "rig": "rig",
        "when": "2026-11-23 10:00:00",
        "steps": list(steps),
        **more,
    }
    path.write_text(json.dumps(head))


def copying(from_: Path, to: str, data: bytes, **more: Any) -> dict[str, Any]:
    return {"rig": "rig", "step": "copy", "from": str(from_), "to": to, "bytes": len(data), "digests": {}, **more}


@pytest.mark.parametrize(
    "words", [["place"], ["place", "--yes"], ["place", "--resume"], ["undo", "--yes"], ["undo", "1", "--yes"]]
)
def test_a_journal_that_comes_with_a_rig_is_not_obeyed(tmp_path: Path, words: list[str]) -> None:
    world = small_world(tmp_path, {"private": PRIVATE, "drawer/a": A, "rig/boot/a.rom": A}, need("a", A))
    foreign_run(
        world,
        copying(world / "private", "boot/stolen.bin", PRIVATE),
        copying(world / "private", "../written.bin", PRIVATE),
        {"rig": "rig", "step": "displace", "from": "../drawer/a"},
    )
    with journal_of(world).open("a") as stream:
        stream.write('\n{"begin": 2, "slot": "../../../drawer/a", "makes": ["../x"]}')
    before = whole_tree(world)
    said = forked(world, *words)
    assert whole_tree(world) == before
    assert said.code in (0, 2, 3)
    shown = forked(world, "history", code=0).words
    assert "a step that no plan has" in shown
    assert "cannot be adopted" in forked(world, "history", "--adopt", "1", "--yes", code=3).words
    assert whole_tree(world) == before


def test_a_run_is_adopted_when_its_steps_were_seen(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"private": PRIVATE, "drawer/a": A}, need("a", A))
    foreign_run(world, copying(world / "drawer/a", "boot/a.rom", A), copying(world / "private", "boot/p.bin", PRIVATE))
    assert "gribble history --adopt 1" in forked(world, "check", code=1).words
    asked = forked(world, "history", "--adopt", "1", code=1).words
    assert "boot/a.rom" in asked
    assert "boot/p.bin" in asked
    assert not (world / "rig/boot/a.rom").exists()
    forked(world, "history", "--adopt", "1", "--yes", code=0)
    assert "an adopted run reads only from sources" in forked(world, "place", "--resume", code=3).words
    assert (world / "rig/boot/a.rom").read_bytes() == A
    assert not (world / "rig/boot/p.bin").exists()
    forked(world, "undo", "--yes", code=0)
    assert not (world / "rig/boot/a.rom").exists()


def changed_line(text: str) -> str:
    return text.replace("boot/a.rom", "boot/z.rom")


def line_left_out(text: str) -> str:
    return "\n".join(line for line in text.split("\n") if '"begin"' not in line)


def line_put_in(text: str) -> str:
    return text + '\n{"turn": 0}'


def from_another_machine(text: str) -> str:
    os.environ["XDG_DATA_HOME"] += "-other"
    return text


@pytest.mark.parametrize("change", [changed_line, line_left_out, line_put_in, from_another_machine])
def test_a_journal_that_was_changed_is_only_shown(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, change: Callable[[str], str]
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", os.environ["XDG_DATA_HOME"])
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": C}, need("a", A))
    forked(world, "place", "--yes", code=0)
    journal_of(world).write_text(change(journal_of(world).read_text()))
    before = whole_tree(world)
    said = forked(world, "undo", "1", "--yes", code=3).words
    assert "its journal was changed" in said
    assert "gribble history --adopt 1" in forked(world, "undo", "--yes", code=3).words
    assert whole_tree(world) == before
    shown = forked(world, "history", "--json", code=0).json["runs"]
    assert [one["foreign"] for one in shown] == [True]


ODD_LINES = [
    b"[" * 5000, b'{"done":99,"sha1":""}', b'{"done":true,"sha1":""}', b'{"begin":0}', b'{"end":["x"]}', b"\xff\xfe", b"9" * 5000,
    b'{"turn":-1}', b'{"mac":7}', b'{"a":' * 3000,
]  # fmt: skip


@pytest.mark.parametrize("line", ODD_LINES)
@pytest.mark.parametrize("first", [True, False])
def test_a_journal_of_nonsense_stops_nothing(tmp_path: Path, line: bytes, first: bool) -> None:
    world = small_world(tmp_path, {"drawer/a": A}, need("a", A))
    if not first:
        foreign_run(world, copying(world / "drawer/a", "boot/b.rom", A))
    path = journal_of(world)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes((path.read_bytes() + b"\n" if path.exists() else b"") + line)
    foreign_run(world, number=3, **{"run": "3"})
    forked(world, "check", code=1)
    forked(world, "history", code=0)
    forked(world, "place", "--yes", code=0)
    forked(world, "undo", "--yes", code=0)
    assert not (world / "rig/boot/b.rom").exists()


def test_a_journal_that_is_none_stops_nothing(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A}, need("a", A))
    journal_of(world).parent.mkdir(parents=True)
    os.mkfifo(journal_of(world))
    journal_of(world, 2).mkdir()
    assert "run 1 on rig is open, but Gribble leaves it alone: the journal" in forked(world, "check", code=1).words
    assert "is not a regular file" in forked(world, "history", code=0).words
    forked(world, "place", "--yes", code=0)
    forked(world, "undo", "--yes", code=0)


def test_what_is_to_be_finished_is_shown_and_asked(tmp_path: Path) -> None:
    from tests.making import kill_at_move

    world = small_world(tmp_path, {"drawer/a": A}, need("a", A))
    assert forked(world, "place", "--yes", first=kill_at_move).code == -signal.SIGKILL
    said = forked(world, "place", code=1).words
    assert "copy boot/a.rom" in said
    assert "Finish it? [y/N]" in said
    assert not (world / "rig/boot/a.rom").exists()
    forked(world, "place", stdin=b"y\n", code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == A


OWN = [
    ".gribble/runs",
    ".GRIBBLE/runs",
    ".gribble./x",
    ".gribble /x",
    "./.gribble",
    "GRIBBL~1/x",
    ".grib\u200bble",
    "a//b",
    "a/./b",
    "．gribble",
]


@pytest.mark.parametrize("own", OWN)
@pytest.mark.parametrize("where", ["folder", "name", "also", "setting", "manifest", "override", "at"])
def test_no_path_of_a_sheet_or_a_configuration_leads_into_gribbles_own(tmp_path: Path, where: str, own: str) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": C})
    wanted = need("a", A)
    match where:
        case "folder":
            sheet(world, wanted, folder=own)
        case "name":
            sheet(world, need("a", A, own))
        case "also":
            sheet(
                world,
                need("a", A).replace(
                    "[[need.accept]]", f'also = [{{ folder = "boot", name = {json.dumps(own)} }}]\n[[need.accept]]'
                ),
            )
        case "setting":
            sheet(world, wanted, f'[[setting]]\nfile = {json.dumps(own)}\nformat = "ini"\nkey = "a.b"\nneed = "a"\n')
        case "manifest":
            sheet(world, '[[need]]\nid = "m"\nkind = "data"\nlevel = "must"\nfolder = "boot"\nmanifest = "m.sha1"\n')
            (world / "catalogue/m.sha1").write_text(f"{sha1(A)}  {own}\n")
        case "override" | "at":
            key = {"override": f"folders = {{ boot = {json.dumps(own)} }}", "at": f"at = {json.dumps(own)}"}[where]
            text = (world / "gribble.toml").read_text()
            (world / "gribble.toml").write_text(text.replace('plover = "1"', f'plover = {{ release = "1", {key} }}'))
    before = whole_tree(world)
    assert any(word in forked(world, "place", "--yes", code=2).words for word in ("Gribble's own", "part", "slash"))
    assert whole_tree(world) == before


@pytest.mark.parametrize("own", OWN)
@pytest.mark.parametrize("key", ["to", "replaces", "from"])
def test_no_path_of_a_plan_leads_into_gribbles_own(tmp_path: Path, key: str, own: str) -> None:
    world = small_world(tmp_path, {"drawer/a": A})
    step = copying(world / "drawer/a", "boot/a.rom", A) | ({"step": "rename"} if key == "from" else {}) | {key: own}
    (world / "plan.json").write_text(json.dumps({"gribble": "plan/1", "steps": [step]}))
    assert f"steps[0].{key}" in forked(world, "place", "--plan", "plan.json", "--yes", code=2).words


@pytest.mark.parametrize("what", ["", "/lock", "/lock.held", "/attic", "/runs", "/runs/0001.jsonl"])
def test_no_link_within_gribbles_own_is_followed(tmp_path: Path, what: str) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": C, "outside/x": PRIVATE}, need("a", A))
    link = world / f"rig/.gribble{what}"
    link.parent.mkdir(parents=True, exist_ok=True)
    folder = what in ("", "/attic", "/runs")
    link.symlink_to(world / ("outside" if folder else "outside/x"))
    before = whole_tree(world)
    said = forked(world, "place", "--yes")
    assert said.code in (0, 3)
    if said.code == 3:
        assert "link" in said.words
    assert {name: facts for name, facts in whole_tree(world).items() if name.startswith("outside")} == {
        name: facts for name, facts in before.items() if name.startswith("outside")
    }


def test_an_index_that_is_a_link_is_not_used(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "outside": PRIVATE}, need("a", A))
    (world / ".gribble").mkdir()
    (world / ".gribble/index.sqlite").symlink_to(world / "outside")
    assert "is a link" in forked(world, "check", code=1).words
    assert (world / "outside").read_bytes() == PRIVATE


def test_a_plan_reads_regular_files_only_and_no_more_than_it_says(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A, "drawer/long": A + B})
    os.mkfifo(world / "drawer/pipe")
    for source, why, code in (
        (Path("/dev/zero"), "is in no source and on no rig", 2),
        (world / "drawer/pipe", "is not a regular file", 2),
        (world / "drawer/long", "nothing proves it", 1),
    ):
        (world / "plan.json").write_text(json.dumps({"gribble": "plan/1", "steps": [copying(source, "boot/x", A)]}))
        said = forked(world, "place", "--plan", "plan.json", "--yes", code=code).words
        assert why in said
        assert str(source) in said or "boot/x" in said
        assert not (world / "rig/boot/x").exists()
    for plan in (world / "drawer/pipe", Path("/dev/zero")):
        assert "cannot be read" in forked(world, "place", "--plan", str(plan), "--yes", code=2).words
    (world / "plan.json").write_text('{"gribble":"plan/1","steps":' + "[" * 6000)
    assert "plan.json is not a plan" in forked(world, "place", "--plan", "plan.json", "--yes", code=2).words


def test_a_friends_catalogue_is_taken_without_links_and_asks_before_it_replaces(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A}, need("a", A))
    friend = tmp_path / "friend"
    sheet_text = (world / "catalogue/plover.sheet.toml").read_text()
    files(
        friend,
        {
            "knot.sheet.toml": sheet_text.replace("plover", "knot").encode(),
            "plover.sheet.toml": sheet_text.replace("must", "extra").encode(),
            ".gribble/own.sheet.toml": b"x",
        },
    )
    (friend / "ruff.sheet.toml").symlink_to(world / "gribble.toml")
    before = whole_tree(world / "catalogue")
    said = forked(world, "catalogue", "add", str(friend), code=1).words
    assert "This replaces plover.sheet.toml" in said
    assert whole_tree(world / "catalogue") == before
    forked(world, "catalogue", "add", str(friend), "--yes", code=0)
    names = {"knot.sheet.toml", "plover.sheet.toml", "plover.sheet.toml.before-1"}
    assert {path.name for path in (world / "catalogue").iterdir()} == names
    assert (world / "catalogue/plover.sheet.toml.before-1").read_text() == sheet_text


# One small file stops nothing but itself, and takes neither time nor memory


NONSENSE = {
    "sheet, lists": ("catalogue/odd.sheet.toml", b"a = " + b"[" * 5000, 2),
    "sheet, a key in parts": ("catalogue/odd.sheet.toml", b"a" + b".a" * 60_000 + b" = 1", 2),
    "sheet, a table in parts": ("catalogue/odd.sheet.toml", b"[a" + b".a" * 60_000 + b"]", 2),
    "sheet, a number": ("catalogue/odd.sheet.toml", b"sheet = " + b"9" * 5000, 2),
    "sheet, rosters elsewhere": ("catalogue/odd.sheet.toml", b'sheet = 1\nemulator = "odd"\n[folders]\nb = "b"\n[arcade]\nrosters = "/*"\nfolder = "b"\n', 2),
    "configuration": ("gribble.toml", b"a = " + b"[" * 5000, 2),
    "settings": ("rig/plover.json", b'{"a": ' + b"9" * 5000 + b"}", 1),
    "settings, lists": ("rig/plover.json", b"[" * 5000, 1),
    "index": (".gribble/index.sqlite", b"no database", 1),
    "seen rigs": (".gribble/seen.json", b"[" * 5000, 1),
}  # fmt: skip


@pytest.mark.parametrize("name", NONSENSE)
def test_nonsense_in_one_file_is_told_by_its_name(tmp_path: Path, name: str) -> None:
    setting = '[[setting]]\nfile = "plover.json"\nformat = "json"\nkey = "a"\nneed = "a"\n'
    world = small_world(tmp_path, {"drawer/a": A}, need("a", A), *([setting] if "settings" in name else []))
    file, data, code = NONSENSE[name]
    (world / file).parent.mkdir(exist_ok=True)
    (world / file).write_bytes(data)
    said = forked(world, "check", code=code).words
    if "seen" not in name:
        assert Path(file).name in said


def test_a_row_of_the_index_that_is_text_is_passed_over(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A}, need("a", A))
    forked(world, "check", code=1)
    with sqlite3.connect(world / ".gribble/index.sqlite") as database:
        database.execute("UPDATE file_2 SET said = 'text', members = 'text', sketch = 'text'")
    database.close()
    forked(world, "check", code=1)


def test_whatever_goes_wrong_with_one_file_passes_over_that_file(tmp_path: Path) -> None:
    def break_one() -> None:
        real = opening.archive_kind

        def kind(head: bytes, name: str) -> str:
            if name == "odd.bin":
                raise MemoryError("of any kind")
            return real(head, name)

        setattr(survey, "archive_kind", kind)  # noqa: B010  (mypy minds the assignment)

    world = small_world(tmp_path, {"drawer/a": A, "drawer/odd.bin": B}, need("a", A))
    said = forked(world, "check", first=break_one, code=1).words
    assert (
        "drawer/odd.bin: cannot be understood (MemoryError: of any kind)"
        in forked(world, "check", "-v", first=break_one).words
    )
    assert "astray" in said


def test_an_xml_value_with_markup_is_left_to_the_person(tmp_path: Path) -> None:
    setting = '[[setting]]\nfile = "p.xml"\nformat = "xml"\nkey = "boot"\nneed = "a"\n'
    text = b"<p><boot>old<!-- <boot>x</boot> -->.rom</boot></p>"
    world = small_world(tmp_path, {"rig/boot/a.rom": A, "rig/p.xml": text}, need("a", A), setting)
    assert "has markup within the value; change it by hand" in forked(world, "place", "--yes", code=3).words
    assert (world / "rig/p.xml").read_bytes() == text


def test_what_was_left_is_remembered_until_something_longer_is_wanted(tmp_path: Path) -> None:
    long = b"long" * 100_000
    world = small_world(tmp_path, {"drawer/x.bz2": bz2.compress(long)}, need("a", A))
    os.utime(world / "drawer/x.bz2", (1_000_000_000, 1_000_000_000))
    first = forked(world, "check", "-v", code=1).words
    assert "x.bz2: x: is longer than anything that is wanted; left after 3,600 bytes" in first.replace(
        f"{len(A):,}", "3,600"
    )
    assert ": 0 opened" in forked(world, "check", "-v", code=1).words
    sheet(world, need("a", A), need("l", long))
    found = forked(world, "check", "--json", code=1).json["rigs"][0]["emulators"][0]["needs"]
    assert [one["verdict"] for one in found] == ["missing", "astray"]


def test_what_is_gribbles_own_is_nobody_elses_business(tmp_path: Path) -> None:
    os.umask(0o022)
    world = small_world(tmp_path, {"drawer/a": A, "rig/boot/a.rom": C, "rig/boot/x": B}, need("a", A))
    os.chmod(world / "rig/boot/a.rom", 0o640)
    forked(world, "place", "--yes", code=0)
    for home in (world / ".gribble", world / "rig/.gribble"):
        for path in (home, *home.rglob("*")):
            mode = path.stat().st_mode & 0o777
            assert mode in ((0o700,) if path.is_dir() else (0o600, 0o640 if "attic" in path.parts else 0o600)), path


TRICKS = "\u061c\u2060\u202e\u2066\x9b\U000e0041\u200b\ufeff\u2028"


def test_nothing_invisible_reaches_a_terminal_a_page_or_a_spreadsheet(tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/a": A}, need("a", A, title=f"=1+1{TRICKS}"))
    out = forked(world, "check", code=1).out + forked(world, "why", "plover", code=1).out
    forked(world, "report", "--html", "r.html", "--csv", "r.csv", "--markdown", "r.md", code=1)
    for text in (out, *(((world / f"r.{kind}").read_text()) for kind in ("html", "csv", "md"))):
        assert "=1+1" in text
        assert not set(TRICKS) & set(text)
    assert "'=1+1" in (world / "r.csv").read_text()


def test_a_line_of_blanks_is_read_at_once(tmp_path: Path) -> None:
    setting = '[[setting]]\nfile = "p.ini"\nformat = "ini"\nkey = "rom"\nneed = "a"\n'
    blanks = b" " * 1_000_000
    text = b"rom = x" + blanks + b"y\nrom2 = " + b"x ;" * 300_000 + b"\n" + blanks + b"\nrom3" + blanks + b"\n"
    world = small_world(tmp_path, {"rig/boot/a.rom": A, "rig/p.ini": text}, need("a", A), setting)
    forked(world, "check", first=lambda: signal.alarm(20), code=1)
