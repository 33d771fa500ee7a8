"""Each kind of reason, what leads on from it, and whose turn it is."""

from __future__ import annotations

from typing import Any

import pytest
from msgspec import structs

from gribble.core.answers.next import next_turn
from gribble.core.answers.why import answers
from gribble.core.base.kinds import Format
from gribble.core.placing.plan import make_plan
from gribble.core.records.discs import Checked, DiscFault
from gribble.core.records.findings import EmulatorAudit
from gribble.core.records.holding import Skipped, Why
from gribble.core.records.rig_seen import RigLinks, RigVolume, UnknownEmulator
from gribble.core.records.sheet import Accept, Media, Need, Packing, Pair, Root, Setting
from tests.auditing import examine
from tests.needs import accept, held, key, manifest, need

ROM = need()
PLACE = "gribble place knot --rig den"
OBTAIN = ("gribble needs knot --rig den", True)
POINTS = Setting(file="k.ini", format=Format.INI, key="rom", need="rom")
LOCKED = need(accept=(accept("locked", requires=("lock",)),))
LOCK = need("lock", "a.lock", accept=(accept("key"),), level="extra")
KEYS = need("keys", "a.keys", kind="keys", accept=(), key=(key("one", "aabb"), key("two", "ccdd")))
TDF = Media(folder="disk", accepts=(".tdf",))
PAIR = Pair(folder="disk", each="*.crate", wants="{stem}.tag")
UNREAD = {"boot/a.rom": Skipped("boot/a.rom", "cannot be read: permission denied", kind=Why.UNREAD)}
FOLDS = RigVolume(folds_case=True)
LINKED = {"links": RigLinks(outward={"boot": "/elsewhere"})}

Case = tuple[list[Need], dict[str, str], list[str], dict[str, Any], str | None, bool]
CASES: dict[str, Case] = {
    # name: needs, files on the rig, contents in the drawer, more; the command, and whether it is the person's turn
    "misnamed": ([ROM], {"boot/x": "good"}, [], {}, PLACE, False),
    "astray": ([ROM], {}, ["good"], {}, PLACE, False),
    "imposter, the right one held": ([ROM], {"boot/a.rom": "evil"}, ["good"], {}, PLACE, False),
    "imposter, none held": ([ROM], {"boot/a.rom": "evil"}, [], {}, *OBTAIN),
    "missing": ([ROM], {}, [], {}, *OBTAIN),
    "a namesake": ([need(accept=(Accept(size=5),))], {}, ["a.rom"], {}, f"{PLACE} --by-name", False),
    "cannot be read": ([ROM], {"boot/a.rom": "?"}, [], {"rig": {"odd": UNREAD}}, None, True),
    "behind a link that leads out": ([ROM], {}, ["good"], {"rig": LINKED}, None, True),
    "too many in a folder": (
        [manifest("fw", "1", nothing_else=True)], {"boot/1": "1", "boot/2": "2"}, [], {}, f"{PLACE} --only fw", False,
    ),
    "a lock's key, held": ([LOCKED, LOCK], {"boot/a.rom": "locked"}, ["key"], {}, PLACE, False),
    "a lock's key, nowhere": ([LOCKED, LOCK], {"boot/a.rom": "locked"}, [], {}, *OBTAIN),
    "two key files that have all together": (
        [KEYS], {}, [], {"keys": {"boot/a.keys": "one=aabb", "drawer/b.keys": "two=ccdd"}},
        "gribble keys merge /den/boot/a.keys /drawer/b.keys --out merged.keys --emulator knot", False,
    ),
    "a place that two want": ([need("one"), need("two", accept=(accept("2"),))], {}, ["good"], {}, None, True),
    "a folder spelled otherwise": (
        [ROM], {"Boot/a.rom": "good"}, [],
        {"root": Root(exact_names=True), "rig": {"volume": FOLDS, "folders": frozenset({"", "Boot"})}}, None, True,
    ),
    "a release that nobody can compare": ([ROM], {}, [], {"release": "the blue one"}, None, True),
    "a setting": (
        [ROM], {"boot/a.rom": "good"}, [], {"setting": (POINTS,), "settings": {("den", "k.ini"): b"rom = x"}}, PLACE, False,
    ),
    "a settings file that is not there": ([ROM], {"boot/a.rom": "good"}, [], {"setting": (POINTS,)}, None, True),
    "the volume": ([], {}, [], {"rig": {"volume": RigVolume(kind="ntfs")}, "root": Root(volume=("fat32",))}, None, True),
    "a loose game": (
        [], {"disk/a.tdf": "g"}, [], {"media": (structs.replace(TDF, packing=Packing.ZIPPED),)}, f"{PLACE} --games", False,
    ),
    "a game too large": ([], {"disk/a.tdf": "g" * 9}, [], {"media": (structs.replace(TDF, max_bytes=8),)}, None, True),
    "a track sheet that mending puts right": (
        [], {"disk/a.cue": "c"}, [], {"media": (TDF,), "discs": "mends"}, "gribble discs mend /den/disk/a.cue", False,
    ),
    "a track sheet that nobody can": ([], {"disk/a.cue": "c"}, [], {"media": (TDF,), "discs": "not"}, None, True),
    "a partner that is held": ([], {"disk/a.crate": "c"}, ["a.tag"], {"pair": (PAIR,)}, f"{PLACE} --games", False),
    "a partner that is nowhere": ([], {"disk/a.crate": "c"}, [], {"pair": (PAIR,)}, None, True),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_what_leads_on_and_that_it_changes_something(case: str) -> None:
    needs, files, drawer, more, command, yours = CASES[case]
    if discs := more.pop("discs", ""):
        fault = DiscFault(fault="missing", reason="is not there", mends=discs == "mends")
        checked = (Checked(path="a.cue", verdict="damaged", findings=(fault,)),)
        more = {**more, "sheets": {("den", "disk"): checked}}
    found = examine(needs, files, [held(what, what) for what in drawer], games=True, **more)
    (answer,) = answers((found,))
    turns = [next_turn(answer, reason) for reason in answer.reasons]
    words = " ".join(turns[0].command) if turns[0].command else None
    assert (words, turns[0].yours) == (command, yours), answer.reasons[0].words
    only = [turns[0].command[-1]] if turns[0].command and "--only" in turns[0].command else []
    steps = make_plan([found], by_name=True, only=only).steps
    assert bool(steps) == bool(command and command.startswith("gribble place")), "what place is for, a plan does"


def test_an_emulator_without_a_sheet_is_the_persons_to_give_one() -> None:
    found = examine([], {})
    for faulty, command in ((True, "gribble catalogue lint"), (False, "gribble catalogue list")):
        unknown = UnknownEmulator("ruff", "1", "no sheet for it", faulty=faulty)
        one = EmulatorAudit(emulator="ruff", title="ruff", release="1", note="no sheet", findings=(), unknown=unknown)
        (answer,) = answers((structs.replace(found, emulators=(one,)),))
        assert next_turn(answer, answer.reasons[0]) == (tuple(command.split()), True)
