"""What fits a card is really placed, and fits: fit and place count the same in every style and without one."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import pytest

from gribble.core.base.kinds import Style
from tests.cards import CLUSTER, Card
from tests.conftest import Gribble

CARDS = 500 if os.environ.get("GRIBBLE_SOAK") else 4


@pytest.mark.parametrize("style", ["", *Style])
def test_every_selection_is_placed_and_fits(gribble: Gribble, tmp_path: Path, style: str) -> None:
    for seed in range(CARDS):
        card = Card(tmp_path / str(seed), seed, style)
        budget = card.dice.choice([20_000, 60_000, 120_000, 400_000])
        words = ("sets", "fit", "--room", str(budget), "--cluster", str(CLUSTER), "--json", "--out", "card.txt")
        answer = gribble(*words, cwd=card.folder).json
        assert answer["bytes"] <= budget
        card.config(style, answer["chosen"])
        if not answer["chosen"]:
            continue
        gribble("place", "--yes", cwd=card.folder, code=0)
        assert card.taken <= answer["bytes"], f"card {seed}: {answer['bytes']:,} said, {card.taken:,} written"
        found = gribble("sets", "check", "--json", cwd=card.folder, code=0).json
        assert [one["state"] for one in found["rigs"][0]["emulators"][0]["sets"]] == ["ready"] * len(answer["chosen"])


@pytest.mark.parametrize("style", ["", *Style])
def test_every_command_says_the_same_of_a_set(gribble: Gribble, tmp_path: Path, style: str) -> None:
    for seed in range(1000, 1000 + CARDS):
        card = Card(tmp_path / str(seed), seed, style, untidy=True)

        def ask(*words: str, card: Card = card) -> Any:
            return gribble(*words, "--json", cwd=card.folder).json

        checked = {one["set"]: one for one in ask("sets", "check")["rigs"][0]["emulators"][0]["sets"]}
        assert list(checked) == card.games
        states = {name: one["state"] for name, one in checked.items()}
        assert {one["set"]: one["state"] for one in ask("check")["rigs"][0]["emulators"][0]["sets"]} == states
        shown = {name: one["state"] for name in card.games for one in ask("sets", "show", name)["families"]}
        assert shown == states
        report = ask("report")
        (emulator,) = report["rigs"][0]["emulators"]
        assert {cell["set"]: cell["state"] for family in emulator["families"] for cell in family} == states
        lacks = {
            name: {problem["file"] for problem in one["problems"] if problem["remedy"] == "obtain"}
            for name, one in checked.items()
        }
        for name in card.games:
            answer = ask("why", name, "--set")
            told = {file for reason in answer["reasons"] for file in (reason.get("files") or [reason["file"]])}
            assert answer["state"] == states[name]
            assert lacks[name] <= told
        fitting = {one["set"] for one in ask("sets", "match")["wanted"] if "1" in one["releases"]}
        assert fitting == {name for name, files in lacks.items() if not files}, f"card {seed}"
        assert set(ask("sets", "fit", "--room", "1GB")["chosen"]) == fitting
        plan = ask("plan")["obtain"]
        assert {one["file"] for one in plan} == set().union(*lacks.values())
        assert [(one["archive"], one["file"]) for one in plan] == [
            (one["archive"], one["file"]) for one in report["obtain"]
        ]
        gribble("place", "--yes", cwd=card.folder)
        after = {one["set"]: one["state"] for one in ask("sets", "check")["rigs"][0]["emulators"][0]["sets"]}
        assert {name for name, state in after.items() if state != "blocked"} == fitting
