"""Plans and journals are read as the versions before wrote them (the files in `before` were made by those)."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from msgspec import structs

from gribble.core.base.digests import Digests
from gribble.core.base.errors import MistakesError
from gribble.core.base.kinds import Format
from gribble.core.placing.journal import Seal, read_run
from gribble.core.placing.planfile import guarded, plan_bytes, read_plan
from gribble.core.records.recipes import Damage, Recipe
from gribble.core.records.steps import (
    Copy,
    Displace,
    Extract,
    Mend,
    NewValue,
    Pack,
    PackMember,
    Plan,
    Point,
    Rename,
    Step,
    Write,
)

BEFORE = Path(__file__).parent / "before"
SHA1 = "0b" * 20
D = Digests(sha1=SHA1)
STEPS: tuple[Step, ...] = (
    Copy(rig="den", emulator="tern", need="boot", from_="/drawer/a", to="sys/a.rom", bytes=4, digests=D, link=True, dated=True, private=True),
    Extract(rig="den", emulator="tern", need="boot", from_="/drawer/b.zip", member="b", to="sys/b.rom", bytes=4, digests=D, replaces="sys/B.ROM"),
    Rename(rig="den", emulator="tern", need="boot", from_="x/c", to="sys/c.rom", digests=D),
    Displace(rig="den", emulator="tern", need="boot", from_="sys/bad"),
    Mend(rig="den", emulator="tern", need="boot", from_="/drawer/d", to="sys/d.rom", bytes=8, digests=D, recipe=Recipe(damage=Damage.HALVES), partner="/drawer/p.zip", partner_member="p"),
    Point(rig="den", emulator="tern", need="boot", to="cfg.ini", replaces="cfg.ini", bytes=9, points=(NewValue(format=Format.INI, key="boot/rom", was="x", value="y"),)),
    Pack(rig="den", emulator="tern", need="boot", to="sets/e.zip", bytes=4, members=(PackMember(name="e1", from_="sets/old.zip", member="m", size=4, digests=D),), surplus=("s",), left_out=("l",)),
    Write(rig="den", emulator="tern", need="boot", to="games/f.m3u", bytes=6, text="f.cue\n"),
)  # fmt: skip


def test_a_plan_of_before_is_read_and_written_alike() -> None:
    plan = read_plan(BEFORE / "plan.json", ("den",))
    assert plan.steps == STEPS
    before = json.loads((BEFORE / "plan.json").read_text().replace('"from_"', '"from"'))  # as it is called now
    assert json.loads(plan_bytes(plan)) == before


@pytest.mark.parametrize(
    "step", [one for one in STEPS if isinstance(one, (Rename, Displace, Pack))], ids=lambda one: one.kind
)
def test_no_run_is_begun_with_a_step_that_its_journal_could_not_be_read_with(step: Step) -> None:
    def kept(step: Step) -> tuple[Step, ...]:
        plan = guarded(Plan(steps=(step,)), lambda *_: True, lambda *_: False, hidden=False)
        assert len(plan.refused) + len(plan.steps) == 1
        return plan.steps

    assert kept(step)
    for name in ("boot/a\n.rom", "boot\\a.rom", "../a.rom"):
        if isinstance(step, Pack):
            assert not kept(structs.replace(step, members=(structs.replace(step.members[0], from_=name),)))
        else:
            assert not kept(structs.replace(step, from_=name))


def test_a_journal_of_before_is_read() -> None:
    run = read_run(BEFORE / "3.jsonl", Seal(lambda: b"secret"))
    assert run is not None
    assert run.steps == STEPS
    assert (run.foreign, run.done, run.failed, run.back) == ("", {0: SHA1, 3: ""}, {1: "why"}, {3})
    assert (run.begun[0].makes, run.undoing, run.state) == (("sys",), True, "open")
    assert run.slot(1) == "0003/1/sys/B.ROM"


@pytest.mark.parametrize("number", range(len(STEPS)))
def test_a_step_that_lacks_its_own_part_is_told(number: int, tmp_path: Path) -> None:
    record = json.loads(plan_bytes(Plan(steps=(STEPS[number],))))
    own = {"copy": "to", "extract": "member", "rename": "to", "displace": "from", "mend": "recipe", "point": "points", "pack": "to", "write": "to"}[STEPS[number].kind]  # fmt: skip
    del record["steps"][0][own]
    (tmp_path / "plan.json").write_text(json.dumps(record))
    with pytest.raises(MistakesError) as told:
        read_plan(tmp_path / "plan.json", ("den",))
    assert f"the key {own} is missing" in str(told.value.mistakes[0])


def test_a_journal_with_a_step_of_another_kind_is_shown_and_not_followed(tmp_path: Path) -> None:
    text = (BEFORE / "3.jsonl").read_text().replace('"step": "displace"', '"step": "delete"')
    (tmp_path / "3.jsonl").write_text(text)
    run = read_run(tmp_path / "3.jsonl", Seal(lambda: b"secret"))
    assert run is not None
    assert (run.steps, run.done) == ((), {})
    assert "its journal has a step that no plan has" in run.foreign
