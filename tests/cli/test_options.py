"""Options mean the same everywhere: the names of now, those of the release before, and what a shell offers."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gribble.cli.app import program
from gribble.cli.former import BARE, COMMANDS, OPTIONS, current_command, current_options
from gribble.cli.options import RARE
from tests.conftest import Gribble

FORMER = [
    ("check --only missing", "check --show missing", "--only is now called --show"),
    ("sets check --only=damaged", "sets check --show=damaged", "--only is now called --show"),
    ("identify drawer --only needed", "identify drawer --show needed", "--only is now called --show"),
    ("sets fit --rig cabinet --bytes 1MB", "sets fit --rig cabinet --room 1MB", "--bytes is now called --room"),
    ("sets compare 1.6 1.8 --rig cabinet --csv", "sets compare 1.6 1.8 --rig cabinet --csv -", ""),
    ("why sandpiper --emulator", "why --emulator sandpiper", ""),
    ("why groyne --set", "why --set groyne", ""),
    ("catalogue schema map", "schema map", "gribble catalogue schema is now called gribble schema"),
    ("sources show -v", "sources show", ""),
]


@pytest.mark.parametrize(("former", "now", "told"), FORMER)
def test_what_was_typed_before_means_the_same(gribble: Gribble, world: Path, former: str, now: str, told: str) -> None:
    before, after = gribble(*former.split(), cwd=world), gribble(*now.split(), cwd=world)
    assert after.out
    assert "is now called" not in after.err
    assert (before.code, before.out) == (after.code, after.out)
    assert told in before.err


@given(st.lists(st.sampled_from(["--only", "--show", "--only=x", "--", "--csv", "--set", "x", "-v", "--bytes"])))
def test_only_the_renamed_options_of_a_command_change(words: list[str]) -> None:
    for command in ("check", "sets compare", "why", "plan"):
        renamed, told = current_options(command, words)
        end = words.index("--") if "--" in words else len(words)
        assert renamed[len(renamed) - len(words) + end :] == words[end:]
        assert len(renamed) == len(words)
        changed = [(a, b) for a, b in zip(words, renamed, strict=True) if a != b]
        assert all(a.partition("=")[0] in OPTIONS.get(command, {}) or a in BARE.get(command, {}) for a, b in changed)
        assert bool(told) == any(a.startswith("--only") for a, _ in changed)
        assert current_options(command, renamed)[0] == renamed


def test_the_former_names_are_free_and_the_present_ones_exist() -> None:
    everything = program(all_=True)
    from typer.main import get_command

    whole = get_command(everything)
    for command, names in OPTIONS.items():
        one = whole
        for word in command.split():
            one = one.commands[word]  # type: ignore[attr-defined]
        known = {name for option in one.params for name in option.opts}
        assert not known.intersection(names), command
        assert known.issuperset(names.values()), command
    assert all(current_command(now) == (list(now), []) for now in COMMANDS.values())


def test_helps_show_long_answers_only_where_there_are_any_and_rare_options_last(gribble: Gribble) -> None:
    for command, has in (("check", True), ("rigs move", False), ("keys merge", False), ("schema", False)):
        said = gribble(*command.split(), "--help", code=0).out
        assert ("--pager" in said, "--verbose" in said) == (has, has)
    for command, rare in (
        ("sets fit", ("--cluster", "--seconds")), ("place", ("--trust-size",)),
        ("watch", ("--look",)), ("discs playlist", ("--names",)),
    ):  # fmt: skip
        usual, _, rest = gribble(*command.split(), "--help", code=0).out.partition(f"\n{RARE}:\n")
        assert set(re.findall(r"^ +(--[a-z-]+)", rest, re.MULTILINE)) == set(rare)
        assert "--help" in usual


@pytest.mark.parametrize(
    ("words", "faulty"),
    [
        ("why", "name an emulator or a set"),
        ("why sandpiper --set groyne", "one question at a time, but 2 names were given"),
        ("report --csv - --json", "two forms of the report cannot go to standard output"),
        ("report --csv - --markdown -", "two forms of the report cannot go to standard output"),
        ("sets compare 1.6 1.8 --rig cabinet --csv drawer/x.csv", "Gribble never writes to a source"),
        ("report sandpipe --csv -", "did you mean 'sandpiper'?"),
    ],
)
def test_options_that_contradict_each_other_are_refused(gribble: Gribble, world: Path, words: str, faulty: str) -> None:
    assert faulty in gribble(*words.split(), cwd=world, code=2).err


def test_nothing_that_people_read_has_a_former_name() -> None:
    root = Path(__file__).parents[2]
    texts = [root / "README.md", *(root / "docs").glob("*.md"), *(root / "src").rglob("*.py")]
    former = [rf"gribble {' '.join(words)}\b" for words in COMMANDS]
    former += [rf"gribble {name}\b[^`\n]*? {option}\b" for name, options in OPTIONS.items() for option in options]
    assert [
        (path.name, found[0]) for path in texts for one in former if (found := re.search(one, path.read_text("utf-8")))
    ] == []


def test_tables_go_to_a_file_or_to_standard_output(gribble: Gribble, world: Path) -> None:
    words = ("sets", "compare", "1.6", "1.8", "--rig", "cabinet", "--csv")
    shown = gribble(*words, "-", cwd=world, code=1).out
    gribble(*words, "changes.csv", cwd=world, code=1)
    assert (world / "changes.csv").read_text() == shown
    gribble(*words, "changes.csv", cwd=world, code=1)  # which is Gribble's own
    (world / "changes.csv").write_text("mine")
    assert "--replace" in gribble(*words, "changes.csv", cwd=world, code=2).err
    assert (world / "changes.csv").read_text() == "mine"
    gribble("report", "--csv", "all.csv", cwd=world, code=1)
    assert gribble("report", "--csv", "-", cwd=world, code=1).out == (world / "all.csv").read_text()


def test_a_report_can_be_of_one_emulator(gribble: Gribble, world: Path) -> None:
    rows = gribble("report", "knot", "--csv", "-", cwd=world, code=1).out.splitlines()[1:]
    assert {row.split(",")[1] for row in rows} == {"knot"}
    told = gribble("report", "knot", "--json", cwd=world, code=1).json
    assert {one["emulator"] for rig in told["rigs"] for one in rig["emulators"]} == {"knot"}
    assert {one["emulator"] for one in told["obtain"]} == {"knot"}


VALUES = [
    ("check --rig=l", {"lighthouse"}),
    ("check --rig=", {"annex", "cabinet", "lighthouse", "stick"}),
    ("needs Tern", {"Tern 16", "Tern 8"}),
    ("catalogue import x.csv --to ro", {"roster"}),
    ("place --only re", {"rename", "redshank"}),
    ("place --skip sea", set()),
    ("schema ro", {"roster-head", "roster-set"}),
    ("undo ", {"1", "2"}),
    ("attic list --run=", {"1", "2"}),
    ("keys check --emulator god", {"godwit"}),
]
"""What is typed up to Tab, and what is offered."""


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_a_shell_is_offered_values(gribble: Gribble, placed: Path, shell: str) -> None:
    for words, offered in VALUES:
        line = f"gribble {words}"
        parts = re.findall(r"[^ =]+|=|(?<= )$", line)
        env = {"COMP_WORDS": "\n".join(parts), "COMP_CWORD": str(len(parts) - 1), "_TYPER_COMPLETE_ARGS": line}
        env |= {"_GRIBBLE_COMPLETE": f"complete_{shell}", "_TYPER_COMPLETE_FISH_ACTION": "get-args"}
        if shell != "bash":
            del env["COMP_WORDS"], env["COMP_CWORD"]
        said = gribble(cwd=placed, **env).out
        before = "" if shell == "bash" or "=" not in words else words.split()[-1].partition("=")[0] + "="
        told = set(re.findall(r'"([^"]+)"', said) if shell == "zsh" else said.splitlines())
        assert told - {""} == {before + word for word in offered}, words


@pytest.fixture
def placed(gribble: Gribble, world: Path) -> Path:
    """The room after two runs."""
    gribble("place", "sandpiper", "--rig", "lighthouse", "--yes", cwd=world)
    gribble("place", "whimbrel", "--yes", cwd=world)
    return world
