"""Every advice leads on: what `why` says to do next is done, and the reason is gone, or is the person's own."""

from __future__ import annotations

import re
import shlex
from pathlib import Path
from typing import Any

import pytest

from gribble.demo.world import build_world
from tests.conftest import Gribble, tree
from tests.making import A, need, sheet
from tests.seeded import FIRST_REASONS

ASKING = ("gribble place", "gribble sets pack", "gribble discs mend")
"""What asks before it does anything."""


def identity(reason: dict[str, Any]) -> tuple[str, ...]:
    kind = next(
        kind for kind in ("need", "setting", "set", "media", "pair", "release", "sheet", "rig") if kind in reason
    )
    return kind, str(reason[kind]), reason["file"], reason["verdict"]


@pytest.mark.parametrize(("rig", "emulator"), [*FIRST_REASONS, ("cabinet", "turnstone")])
def test_what_is_next_is_done_and_the_reason_is_gone(gribble: Gribble, tmp_path: Path, rig: str, emulator: str) -> None:
    build_world(tmp_path / "start")
    ask = ("why", emulator, "--rig", rig, "--json")
    by_next: dict[str, set[tuple[str, ...]]] = {}
    for reason in gribble(*ask, cwd=tmp_path / "start").json["reasons"]:
        if reason.get("yours"):
            assert reason["next"] is None or reason["next"].split()[1] in ("needs", "sets", "catalogue"), reason
        else:
            by_next.setdefault(reason["next"], set()).add(identity(reason))
    for number, (command, told) in enumerate(by_next.items()):
        world = tmp_path / str(number)
        build_world(world)
        words = shlex.split(command.replace(str(tmp_path / "start"), str(world)))[1:]
        gribble(*words, *(["--yes"] if command.startswith(ASKING) else []), cwd=world)
        left = {identity(reason) for reason in gribble(*ask, cwd=world).json["reasons"]}
        assert not told & left, command


@pytest.mark.parametrize(("rig", "emulator"), [*FIRST_REASONS, ("cabinet", "turnstone")])
def test_whoever_follows_every_advice_arrives_and_can_go_all_the_way_back(
    gribble: Gribble, world: Path, rig: str, emulator: str
) -> None:
    before = tree(world)
    done: list[str] = []
    while True:
        reasons = gribble("why", emulator, "--rig", rig, "--json", cwd=world).json["reasons"]
        command = next((reason["next"] for reason in reasons if not reason.get("yours")), None)
        if command is None:
            break
        assert command not in done, f"{command} leads in a circle"
        done.append(command)
        gribble(*shlex.split(command)[1:], "--yes", cwd=world)
    for _ in done:
        gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world) == before


STARTS = (
    "", "check", "check sandpiper", "plan", "needs", "needs sandpiper", "why sandpiper", "why saltpan", "doctor", "scrub",
    "history", "attic list", "rigs", "rigs stick", "sources", "init --again", "report --brief",
    "identify drawer", "identify drawer/skerry/skb.1", "identify drawer/petrel", "identify 'drawer/big set.7z.001'",
    "mend drawer/skerry/SKERRY.COPIER --into mended", "keys check", "keys check drawer/petrel/half.keys",
    "keys merge drawer/petrel/half.keys 'drawer/petrel/keys from Ada.txt' --out merged.keys --emulator redshank",
    "discs check", "discs check rigs/annex/godwit/games", "discs playlist discs", "sets check", "sets show saltpan",
    "sets match", "sets compare 1.6 1.8", "sets fit --room 8GB --out card.txt", "catalogue list", "catalogue lint",
    "catalogue compare catalogue friend/catalogue", "catalogue add friend/catalogue --yes", "catalogue import plover.html",
    "catalogue import plover.html --rig lighthouse --yes", "catalogue import plover.html --out mine.sheet.toml --yes",
    "catalogue import dotterel-6.xml --rig annex --yes", "rigs enter knot --rig lighthouse --yes",
    "catalogue capture rigs/stick rigs/stick/KNOT --emulator knot --release 4 --out mine.sheet.toml",
    "rigs add den rigs/den --yes", "rigs leave knot --yes", "rigs move annex rigs/annex --yes",
    "rigs forget annex --yes", "sources add discs --yes", "sources forget drawer --yes", "place --yes", "place --only whimbrel --yes",
)  # fmt: skip
ADVICE = re.compile(r"(?:Next: |↳ |looks closer: )(gribble(?: [^\n]*?)?)(?=   |  |$)", re.MULTILINE)
"""How an answer tells what to type."""


@pytest.mark.parametrize("start", STARTS)
def test_every_command_that_an_answer_advises_can_be_typed(gribble: Gribble, world: Path, start: str) -> None:
    """Also those to which these lead; what is in capitals is for the person to fill in."""
    (world / "friend").mkdir()
    sheet(world / "friend", need("a", A), emulator="ruff", folder="ruff")
    waiting, done = [f"gribble {start}".strip()], set[str]()
    while waiting and len(done) < 12:
        command = waiting.pop(0)
        done.add(command)
        words = shlex.split(command)[1:]
        more = ["--yes"] if command.startswith((*ASKING, "gribble rigs enter")) and "--yes" not in words else []
        told = gribble(*words, *more, cwd=world, COLUMNS="400")
        assert told.code != 2, f"{command}\n{told.out}{told.err}"
        for advised in ADVICE.findall(told.out):
            if not re.search(r"\b[A-Z]{3,}\b|…", advised) and advised not in done:
                waiting.append(advised)
