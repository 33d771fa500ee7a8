"""What every command promises: help with an example, JSON alone on standard output, exit status, no tricks by names."""

from __future__ import annotations

import io
import re
import shlex
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.cells import cell_len
from rich.text import Text

from gribble.cli.app import COMMANDS as COMMAND_TABLE
from gribble.cli.app import GROUPS, MEANT
from gribble.core.audit.judging.case import KeysInPlay
from gribble.core.audit.judging.needs import NeedsAuditor
from gribble.core.base.amounts import count, size
from gribble.core.base.version import VERSION
from gribble.core.records.findings import NeedFinding, Verdict
from gribble.core.records.place import Fitted
from gribble.core.records.sheet import Need
from gribble.views.looks import VERDICTS
from gribble.views.plain import clean
from gribble.views.screen import LEAST_WIDTH, Screen, shrunk, wrapped
from gribble.views.why import numbers
from tests.conftest import Gribble
from tests.making import A, B, need, sheet, small_world

COMMANDS = ("check", "demo", "history", "identify", "init", "mend", "needs", "place", "plan", "undo")
ROOT = Path(__file__).parents[2]


@pytest.mark.parametrize("command", COMMANDS)
def test_every_command_has_help_with_an_example_and_a_line_in_the_readme(gribble: Gribble, command: str) -> None:
    assert "Example: " in gribble(command, "--help", code=0).out
    assert f"`gribble {command}" in (ROOT / "README.md").read_text() or command == "demo"
    assert command in gribble("--help", code=0).out


def test_version_and_the_bare_command(gribble: Gribble, world: Path, tmp_path: Path) -> None:
    assert gribble("--version", code=0).out == f"gribble {VERSION}\n"
    assert "gribble init" in gribble(cwd=tmp_path, code=0).out
    assert "Next: gribble check" in gribble(cwd=world, code=1).out


@pytest.mark.parametrize(
    ("words", "more"),
    [
        ("--version", {"rich", "msgspec"}),
        ("--help", {"rich", "msgspec"}),
        ("check --help", {"filelock"}),
        ("report --help", set()),
    ],
)
def test_nothing_heavy_is_loaded_before_a_command_needs_it(
    tmp_path: Path, clean_env: dict[str, str], words: str, more: set[str]
) -> None:
    line = [sys.executable, "-X", "importtime", "-m", "gribble", *words.split()]
    done = subprocess.run(line, cwd=tmp_path, env=clean_env, capture_output=True, check=False, timeout=60)
    loaded = {row.rpartition("|")[2].strip().partition(".")[0] for row in done.stderr.decode().splitlines()}
    assert "typer" in loaded
    heavy = {"highsbox", "jinja2", "paramiko", "pyftpdlib", "tomlkit", "yaml", "email", "psutil"}
    assert not loaded & (heavy | more)


@pytest.mark.parametrize(
    ("words", "told"),
    [
        ("chekc", "there is no command 'chekc'; did you mean 'check'?\n  gribble --help shows how it is used."),
        ("scan", "there is no command 'scan'; gribble check does that\n  gribble --help shows how it is used."),
        ("Dry-Run", "there is no command 'Dry-Run'; gribble plan does that"),
        ("help", "there is no command 'help'; gribble --help does that"),
        ("status", "there is no command 'status'; gribble does that"),
        ("sets scan", "there is no command 'scan'; known: check, compare"),
        ("identfy demo", "there is no command 'identfy'; did you mean 'identify'?"),
        ("--config demo chekc", "there is no command 'chekc'; did you mean 'check'?"),
        ("sets chek", "there is no command 'chek'; did you mean 'check'?\n  gribble sets --help shows how it is used."),
        ("check --shwo x", "there is no option --shwo; did you mean '--show'?\n  gribble check --help"),
        ("check --show mising", "'mising' is not a verdict; did you mean 'missing'?"),
        ("check --rig lighthous", "'lighthous' is not a known rig; did you mean 'lighthouse'?"),
        ("check lighthouse", "'lighthouse' is a rig, not an emulator\n  Name it so: --rig lighthouse"),
        ("check sandpipr", "'sandpipr' is not a known emulator on your rigs; did you mean 'sandpiper'?"),
        ("needs sandpipr", "did you mean 'sandpiper'?"),
        ("why saltpn", "'saltpn' is not an emulator and not a set in any roster; did you mean 'saltpan'?"),
        ("place --only lighthous", "no step of the plan matches 'lighthous'; did you mean 'lighthouse'?"),
        ("schema shee", "no format 'shee'; did you mean 'sheet'?"),
        (
            "sets match --emulator turnston",
            "turnston is not an arcade emulator on any rig that is here; did you mean 'turnstone'?",
        ),
        ("why", "name an emulator or a set"),
        ("undo abc", "invalid value for '[RUN]': 'abc' is not a valid integer"),
        ("mend 'a\x1b[2Jb' --into", "option '--into' requires an argument"),
        ("identify --\x1b[2Jx", "there is no option --\\x1b[2Jx"),
    ],
)
def test_a_wrong_word_on_the_command_line_gets_the_message_and_nothing_else(
    gribble: Gribble, world: Path, words: str, told: str
) -> None:
    answer = gribble(*shlex.split(words), cwd=world, code=2)
    assert answer.err.startswith("gribble: ")
    assert told in answer.err
    assert answer.out == ""
    assert len(answer.err.splitlines()) == 2
    if words.startswith(("why", "needs")):  # told before anything is looked at
        assert not (world / ".gribble/index.sqlite").exists()


@pytest.mark.parametrize(
    ("words", "kind", "code"),
    [
        (["check"], "check/1", 1),
        (["plan"], "plan/1", 1),
        (["needs"], "needs/1", 0),
        (["identify", "drawer"], "identify/1", 0),
        (["history"], "history/1", 0),
    ],
)
def test_json_is_one_object_and_nothing_else(
    gribble: Gribble, world: Path, words: list[str], kind: str, code: int
) -> None:
    answer = gribble(*words, "--json", cwd=world, code=code).json
    assert answer["gribble"] == kind


def test_a_configuration_may_be_named_before_or_after_the_command(gribble: Gribble, world: Path) -> None:
    path = str(world / "gribble.toml")
    answers = [
        gribble("--config", path, "check", "--json", code=1).out,
        gribble("check", "--json", "--config", path, code=1).out,
        gribble("check", "--json", GRIBBLE_CONFIG=path, code=1).out,
    ]
    assert answers[0] == answers[1] == answers[2]
    assert "there is no file called" in gribble("--config", "nowhere.toml", "check", cwd=world, code=2).err


def test_a_narrowed_check_speaks_of_nothing_else(gribble: Gribble, world: Path) -> None:
    rigs = gribble("check", "whimbrel", "--json", cwd=world, code=1).json["rigs"]
    assert [(rig["rig"], [one["emulator"] for one in rig["emulators"]]) for rig in rigs] == [("stick", ["whimbrel"])]


def test_only_what_a_question_is_about_is_judged(
    gribble: Gribble, world: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    judged: set[str] = set()
    find = NeedsAuditor.find

    def noting(self: NeedsAuditor, fitted: Fitted, need: Need, keys: KeysInPlay) -> NeedFinding:
        judged.add(fitted.emulator)
        return find(self, fitted, need, keys)

    monkeypatch.setattr(NeedsAuditor, "find", noting)
    for words in ("why saltpan", "sets check", "sets show saltpan", "needs saltpan", "sets pack"):
        gribble(*words.split(), cwd=world)
        assert not judged, words
    gribble("check", "--rig", "stick", cwd=world, code=1)
    assert judged == {"whimbrel", "redshank", "knot"}


def test_where_nothing_is_wanted_every_answer_says_so(gribble: Gribble, tmp_path: Path) -> None:
    (tmp_path / "gribble.toml").write_text("")
    for words in (["needs"], ["plan"], ["place"]):
        told = gribble(*words, cwd=tmp_path, code=0)
        assert "ready" not in told.out
        assert "no rig in gribble.toml has an emulator yet" in told.err
    for words in ([], ["check"], ["check", "--quiet"]):
        assert "no emulator is entered yet" in gribble(*words, cwd=tmp_path, code=1).out
    assert "gribble.toml names none" in gribble("doctor", cwd=tmp_path, code=2).out
    assert "there is no catalogue folder" in gribble("catalogue", "lint", cwd=tmp_path, code=2).err


def test_findings_are_sorted_by_name_or_worst_first(gribble: Gribble, world: Path) -> None:
    def emulators(*words: str) -> list[dict[str, Any]]:
        rigs = gribble("check", "--json", "--rig", "lighthouse", *words, cwd=world, code=1).json["rigs"]
        return [emulator for rig in rigs for emulator in rig["emulators"]]

    plain, named, worst = emulators(), emulators("--sort", "name"), emulators("--sort", "worst")
    assert [one["emulator"] for one in named] == ["avocet", "curlew", "dunlin", "redshank", "sandpiper"]
    assert [need["need"] for need in named[4]["needs"]] == [
        "tern-clock", "tern-drive", "tern-test", "tern16-boot", "tern16-font", "tern8-boot",
    ]  # fmt: skip
    sandpiper = next(one for one in worst if one["emulator"] == "sandpiper")
    assert [(need["need"], need["verdict"]) for need in sandpiper["needs"]] == [
        ("tern-drive", "imposter"), ("tern16-boot", "astray"), ("tern16-font", "astray"), ("tern-clock", "missing"),
        ("tern8-boot", "sound"), ("tern-test", "sound"),
    ]  # fmt: skip
    assert [one["emulator"] for one in plain] == ["sandpiper", "avocet", "redshank", "curlew", "dunlin"]
    sets = gribble("sets", "check", "--sort", "worst", "--json", cwd=world, code=1).json["rigs"][0]["emulators"][0][
        "sets"
    ]
    assert [one["state"] for one in sets] == ["blocked"] * 10 + ["limited"] * 3 + ["ready"] * 14


def test_the_next_command_narrows_as_this_one_did(gribble: Gribble, world: Path) -> None:
    words = ["sandpiper", "--rig", "lighthouse", "--only", "tern-drive", "--skip", "*/boot/*"]
    told = gribble("plan", *words, cwd=world, code=1, COLUMNS="200").out
    assert "Next: gribble place sandpiper --rig lighthouse --only tern-drive --skip '*/boot/*'   shows" in told
    told = gribble("check", "sandpiper", "--as", "3.2", cwd=world, code=1).out
    assert told.rstrip().endswith("Next: gribble check sandpiper   as it is installed now")


def test_what_cannot_be_looked_into_is_named_by_check_and_counted_elsewhere(gribble: Gribble, world: Path) -> None:
    for number in range(4):
        (world / "drawer" / f"half {number}.zip").write_bytes(b"PK\x03\x04" + bytes(99))
    assert gribble("why", "dunlin", cwd=world, code=1).err == "", "all it lacks is held"
    told = gribble("why", "whimbrel", cwd=world, code=1).err
    assert told == "\n8 files could not be read; gribble check -v shows which\n"
    told = gribble("check", "sandpiper", cwd=world, code=1).err
    assert told.count("passed over") == 5
    assert told.endswith("3 more could not be read; gribble check -v shows which\n")
    assert gribble("check", "-v", cwd=world, code=1).err.count("passed over") == 8


def test_a_plan_file_is_the_plan(gribble: Gribble, world: Path) -> None:
    shown = gribble("plan", "--json", "--out", "plan.json", cwd=world, code=1)
    assert (world / "plan.json").read_text() == shown.out
    step = shown.json["steps"][0]
    assert {"rig", "step", "from", "member", "to", "bytes", "sha1", "replaces", "need"} <= step.keys()
    assert gribble("plan", "--out", "plan.json", cwd=world, code=1).err.count("is not a plan") == 0, (
        "a former plan gives way"
    )
    (world / "notes").write_text("mine")
    assert (
        "notes is there already, and Gribble did not write it as a plan"
        in gribble("plan", "--out", "notes", cwd=world, code=2).err
    )
    assert "notes/plan.json cannot be written" in gribble("plan", "--out", "notes/plan.json", cwd=world).err
    assert "is in a source" in gribble("plan", "--out", "drawer/plan.json", cwd=world, code=2).err
    assert (world / "notes").read_text() == "mine"


def test_everything_in_order_ends_with_status_0(gribble: Gribble, world: Path) -> None:
    text = (world / "gribble.toml").read_text()
    (world / "gribble.toml").write_text(text[: text.index("[rig.stick]")])
    assert gribble("place", "--yes", cwd=world).code == 1, "an extra is still to obtain"
    assert gribble("check", cwd=world, code=0).out.startswith("◆ ready")
    assert gribble("place", cwd=world, code=1).out.startswith("Nothing to do.")


def test_verdicts_are_told_apart_without_colour(gribble: Gribble, world: Path) -> None:
    shown = gribble("check", "-v", cwd=world, code=1, FORCE_COLOR="").out
    for verdict in ("misnamed", "astray", "imposter", "missing", "unproven", "damaged", "sound"):
        assert f"{VERDICTS[verdict][0]} {verdict}" in shown
    glyphs = [glyph for word, (glyph, _) in VERDICTS.items() if word in ("sound", "unproven", "misnamed", "astray")]
    assert len(set(glyphs)) == len(glyphs)


@given(st.text())
def test_no_name_plays_tricks_on_a_terminal(text: str) -> None:
    shown = clean(text)
    assert not re.search("[\x00-\x1f\x7f-\x9f\ud800-\udfff\u202a-\u202e\u2066-\u2069]", shown)
    if text.isascii() and text.isprintable():
        assert shown == text


@pytest.mark.parametrize(
    ("bytes_", "shown"),
    [(0, "0 B"), (1023, "1023 B"), (1024, "1 KiB"), (1536, "1.5 KiB"), (5 << 30, "5 GiB"), (150 << 20, "150 MiB")],
)
def test_sizes_are_in_binary_units(bytes_: int, shown: str) -> None:
    assert size(bytes_) == shown
    assert (count(1, "file"), count(2000, "copy", "copies")) == ("1 file", "2,000 copies")


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
@pytest.mark.parametrize(
    ("words", "begun", "offered"),
    [
        ("check --rig", "l", {"lighthouse"}),
        ("check", "s", {"sandpiper"}),
        ("why", "salt", {"saltpan", "saltpanj", "saltpanu"}),
        ("sets show", "her", {"herring", "herringj", "herringu", "heronry"}),
        ("place --rig", "nobody", set()),
    ],
)
def test_a_shell_is_offered_the_names_of_the_world(
    gribble: Gribble, world: Path, shell: str, words: str, begun: str, offered: set[str]
) -> None:
    line = f"gribble {words} {begun}"
    env = {"COMP_WORDS": line, "COMP_CWORD": str(len(line.split()) - 1), "_TYPER_COMPLETE_ARGS": line}
    env |= {"_GRIBBLE_COMPLETE": f"complete_{shell}", "_TYPER_COMPLETE_FISH_ACTION": "get-args"}
    said = gribble(cwd=world, **env).out
    assert {name for name in re.findall(r"[a-z]{4,}", said) if name.startswith(begun)} == offered
    if words in ("why", "sets show"):
        gribble("why", "saltpan", cwd=world)  # which leaves stores of the rosters
        assert list((world / ".gribble/rosters").glob("*.sqlite"))
        assert gribble(cwd=world, **env).out == said
    (world / "gribble.toml").write_text("this is [no toml")
    assert "Traceback" not in gribble(cwd=world, **env).err


def test_only_some_verdicts_are_shown(gribble: Gribble, world: Path) -> None:
    shown = gribble("check", "--show", "missing", cwd=world, code=1, COLUMNS="160").out
    assert "tern-clock" in shown
    assert "release 1.8 calls this set cocklesh" in shown
    assert "paths.tern16_rom" in gribble("check", "--show", "wrong", cwd=world, code=1, COLUMNS="160").out
    assert not re.search(r"(●|≈|→|◐|▲) (sound|misnamed|astray|damaged|imposter)", shown)
    both = gribble("check", "knot", "--only", "sound", "--show", "wrong", cwd=world, code=1, COLUMNS="160").out
    assert set(re.findall(r"[●▲○] (\w+)", both)) == {"sound", "wrong"}
    assert "Nothing is damaged." in gribble("check", "knot", "--show", "damaged", cwd=world, code=1).out
    assert "did you mean 'missing'?" in gribble("check", "--show", "missin", cwd=world, code=2).err
    assert "Use one of them" in gribble("check", "--show", "missing", "--json", cwd=world, code=2).err
    quiet = gribble("check", "-q", cwd=world, code=1)
    assert (quiet.out, quiet.err) == ("■ blocked  11 emulators: 2 limited, 9 blocked\n", "")


def test_a_folder_is_told_what_is_plainly_no_dump_and_naming_one_looks_closer(gribble: Gribble, tmp_path: Path) -> None:
    page, zeros = b"<!DOCTYPE html><p>404", bytes(9_000)
    contents = {
        "drawer/empty": b"",
        "drawer/page.rom": page,
        "drawer/zeros": zeros,
        "drawer/other": zeros + b"\1",
        "drawer/own.zip": b"PK\3\4cut",
    }
    world = small_world(tmp_path, contents)
    answer = gribble("identify", "drawer", "--json", cwd=world, code=0).json
    told = {Path(file["path"]).name: (file["diagnosis"] or {}).get("words", "") for file in answer["files"]}
    assert told == {
        "empty": "it is empty",
        "page.rom": "it is a web page (a download that went wrong?)",
        "zeros": "it contains only the byte 00",
        "other": "",
        "own.zip": "",
    }
    shown = gribble("identify", "drawer", cwd=world, code=0).out
    assert "to look closer at one, name it: gribble identify drawer/other" in shown
    assert "looks closer" not in gribble("identify", "drawer/other", cwd=world, code=0).out


def test_a_rejected_match_says_why(gribble: Gribble, world: Path) -> None:
    answer = gribble("identify", "drawer/vesper NEW!!.bin", "--json", cwd=world, code=0).json
    (match,) = answer["files"][0]["matches"]
    assert (match["rejected"], match["why"]) == (True, "Wants a debugger on the other end.")


def test_two_contents_of_one_name_are_both_mended(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path, {"drawer/1": b"H" * 512 + A, "drawer/2": b"H" * 512 + B}, need("a", A, "x.rom"))
    sheet(world, need("b", B, "x.rom"), emulator="other")
    said = gribble("mend", "drawer/1", "drawer/2", "--into", "made", cwd=world, code=0).out
    assert {path.relative_to(world / "made").as_posix(): path.read_bytes() for path in (world / "made").rglob("*.rom")} == {
        "x.rom": A, "b/x.rom": B,
    }  # fmt: skip
    assert "made/b/x.rom" in said


def test_every_help_fits_80_columns_and_says_what_it_is_in_a_line(gribble: Gribble) -> None:
    assert all(len(line) <= 50 for _, line in COMMAND_TABLE.values())
    assert {name for names in GROUPS.values() for name in names} == {one.partition(" ")[0] for one in COMMAND_TABLE}
    for name in ("", *COMMAND_TABLE):
        said = gribble(*name.split(), "--help", code=0, COLUMNS="80").out
        assert all(len(line) <= 80 for line in said.splitlines()), name
        assert "..." not in said.replace("...\n", "", 1) or "[" in said, name
        if name and COMMAND_TABLE[name][0]:
            assert said.splitlines()[2].strip() == COMMAND_TABLE[name][1]
            assert (
                said.rstrip().splitlines()[-1].lstrip().startswith("Example: gribble")
                or "Example: gribble" in said[-400:]
            )
    whole = gribble("--help", code=0, COLUMNS="80").out
    assert all(f"{line}\n" in whole for name, (_, line) in COMMAND_TABLE.items() if " " not in name), "none is cut"


def test_what_people_type_leads_to_a_command_there_is(gribble: Gribble) -> None:
    for word, said in MEANT.items():
        words = said.removesuffix(" does that").split()[1:]
        assert word not in COMMAND_TABLE
        assert not words or words[0].startswith("--") or words[0] in COMMAND_TABLE, said
        if words and not words[0].startswith("--"):
            gribble(*words, "--help", code=0)


def test_the_words_are_told_in_a_screen(gribble: Gribble) -> None:
    said = gribble("words", code=0, COLUMNS="80").out
    assert len(said.splitlines()) <= 60
    for word in ("rig", "source", "sheet", "roster", "need", "spare", "attic", "choice", "field map", *Verdict):
        assert word in said
    answer = gribble("words", "--json", code=0).json
    assert {one["verdict"] for one in answer["verdicts"]} == set(Verdict)


@pytest.mark.parametrize(
    ("words", "most"),
    [
        ("check", 60), ("needs", 60), ("plan", 60), ("place --yes", 60), ("identify drawer", 60), ("words", 60),
        ("why dunlin", 40), ("why turnstone", 40), ("undo --yes", 40), ("doctor", 40), ("", 30),
    ],
)  # fmt: skip
def test_an_answer_about_the_whole_room_is_a_screen_long(gribble: Gribble, world: Path, words: str, most: int) -> None:
    if words.startswith("undo"):
        gribble("place", "--yes", cwd=world)
    said = gribble(*words.split(), cwd=world, COLUMNS="80").out.splitlines()
    assert len(said) <= most, "\n".join(said)
    assert all(len(line) <= 80 for line in said)


def test_a_short_check_names_every_finding_and_the_long_one_says_why(gribble: Gribble, world: Path) -> None:
    said = " ".join(gribble("check", cwd=world, code=1, COLUMNS="80").out.split())
    rigs = gribble("check", "--json", cwd=world, code=1).json["rigs"]
    for emulator in (one for rig in rigs for one in rig["emulators"]):
        for wanted in emulator["needs"]:
            quiet = wanted["spared"] or wanted["ignored"] or wanted["level"] == "extra"
            if not quiet and wanted["remedy"] != "none":
                assert wanted["need"] in said
            assert not (wanted["ignored"] and f"{wanted['need']}: " in said), "an accepted gap is no finding"
        for one in emulator["sets"]:
            assert one["state"] == "ready" or one["set"] in said
        assert emulator["state"] in said
    rich = gribble("check", "sandpiper", cwd=world, code=1, COLUMNS="80").out
    assert "it is the debug revision: Stops at a blank screen" in rich
    assert "The Tern 16 does not start without it." in rich


@pytest.mark.parametrize("words", [("check",), ("plan",), ("why", "redshank"), ("catalogue", "import", "plover.html")])
def test_sixteen_colours_are_those_that_can_be_read_on_white_and_on_black(
    gribble: Gribble, world: Path, words: tuple[str, ...]
) -> None:
    """In the usual palette: no white, yellow, green or cyan, and of the greys the middle one."""
    shown = gribble(*words, cwd=world, FORCE_COLOR="1", TERM="xterm", NO_COLOR="", COLORTERM="").out
    codes = {int(code) for codes in re.findall(r"\x1b\[([\d;]+)m", shown) for code in codes.split(";")}
    assert codes - {0, 1} <= {31, 35, 90, 91, 94, 95}
    assert len(codes) > 3


def test_the_next_command_is_the_last_line_below_the_notes(clean_env: dict[str, str], world: Path) -> None:
    line = [sys.executable, "-m", "gribble", "check"]
    done = subprocess.run(
        line, cwd=world, env=clean_env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, check=False, timeout=60
    )
    *_, last = done.stdout.decode().rstrip().split("\n\n")
    assert last.startswith("Next: gribble ")
    assert b"passed over" in done.stdout


@pytest.mark.parametrize("word", ["remove", "delete", "rm"])
def test_no_common_word_leads_to_the_command_that_deletes_for_good(gribble: Gribble, tmp_path: Path, word: str) -> None:
    assert "attic" not in gribble(word, cwd=tmp_path, code=2).err


def test_a_command_that_several_reasons_share_is_told_once(gribble: Gribble, world: Path) -> None:
    for name in ("sandpiper", "redshank", "whimbrel", "knot", "godwit"):
        said = gribble("why", name, cwd=world, code=1)
        nexts = {
            one["next"] for one in gribble("why", name, "--json", cwd=world, code=1).json["reasons"] if one["next"]
        }
        told = [line.strip().removeprefix("↳ ") for line in said.out.splitlines() if "↳ gribble" in line]
        assert {re.sub(r"   for .*", "", line) for line in told} == nexts
        assert len(told) == len(nexts)
    shared = gribble("why", "sandpiper", cwd=world, code=1).out
    assert "↳ gribble place sandpiper --rig lighthouse   for 1 to 5\n" in shared


@pytest.mark.parametrize(
    ("places", "words"),
    [([1], "1"), ([1, 2], "1 and 2"), ([1, 2, 3], "1 to 3"), ([1, 3, 4, 5, 9], "1, 3 to 5 and 9"), ([2, 4], "2 and 4")],
)
def test_numbers_are_said_in_runs(places: list[int], words: str) -> None:
    assert numbers(places) == words


def test_games_are_said_to_be_counted_apart(gribble: Gribble, world: Path) -> None:
    gribble("place", "redshank", "--rig", "lighthouse", "--yes", cwd=world)
    for words in (("check", "--games"), ("check", "redshank", "--games")):
        said = gribble(*words, "--rig", "lighthouse", cwd=world, code=1, COLUMNS="120").out
        assert re.search(r"Redshank 2\.4  ◆ ready .*games are counted apart", said)
    assert "apart" not in gribble("check", "redshank", "--rig", "lighthouse", cwd=world, code=0).out


WORDS = st.text(st.sampled_from("ab-_./ 水é"), max_size=70).map(str.strip)


@given(st.lists(st.tuples(WORDS, WORDS, WORDS), min_size=1, max_size=4), st.integers(60, 120))
def test_long_names_leave_half_of_the_width_to_the_text(rows: list[tuple[str, str, str]], width: int) -> None:
    out = io.StringIO()
    screen = Screen(out, io.StringIO(), {"COLUMNS": str(width)})
    screen.out.width = width
    screen.grid(rows, indent=2)
    screen.flush()
    said = out.getvalue()
    assert max(map(cell_len, said.splitlines())) <= width
    assert sorted("".join(said.split())) == sorted("".join("".join(cell for row in rows for cell in row).split()))
    needed = [max(cell_len(row[column]) for row in rows) for column in (0, 1)]
    room = width // 2 - 6
    now = shrunk(needed, room)
    assert now == needed or sum(now) <= room
    assert all(before >= after >= min(before, LEAST_WIDTH) for before, after in zip(needed, now, strict=True))


def test_a_long_name_breaks_at_its_separators() -> None:
    lines = wrapped(Screen(io.StringIO(), io.StringIO(), {}).out, Text("a sandpiper/boot/revision-c/tern16.rom b"), 16)
    assert [line.plain for line in lines] == ["a", "sandpiper/boot/", "revision-c/", "tern16.rom b"]
    uncut = wrapped(Screen(io.StringIO(), io.StringIO(), {}).out, Text("x" * 40), 16)
    assert [len(line.plain) for line in uncut] == [16, 16, 8]
