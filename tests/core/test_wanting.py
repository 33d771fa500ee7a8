"""What a set lacks is one answer: check, packing, match, compare and the card agree on random families."""

from __future__ import annotations

from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from gribble.core.answers.needed import Tree
from gribble.core.arcade.compare import compare_rosters
from gribble.core.arcade.match import Held, match_release
from gribble.core.arcade.packing import HowPacked, pack_sets
from gribble.core.arcade.sets import audit_set
from gribble.core.arcade.wanting import lacking, settle_variant
from gribble.core.base.kinds import Style
from gribble.core.catalogue.families import Family, Part, family_of, parts_of
from gribble.core.records.findings import EmulatorAudit, Remedy, State
from gribble.core.records.roster import FileState, SetFile
from gribble.core.sayings.facts import say_all
from gribble.core.survey.holdings import HeldHere
from tests.arcades import cabinet, crc, file, held, roster

STATES = st.sampled_from(["good", "good", "good", "undumped", "suspect"])
EMPTY = roster("1")
EMULATOR = EmulatorAudit(emulator="knot", title="Knot", release="2", note="", findings=())


@st.composite
def files_of(draw: Any, name: str) -> list[dict[str, Any]]:
    """The files of a set: some optional, undumped or suspect, some with a choice."""
    made = []
    for number in range(draw(st.integers(1, 4))):
        one = {**file(f"{name}{number}"), "state": draw(STATES), "optional": draw(st.integers(0, 3)) == 0}
        choice = draw(st.sampled_from([None, None, "a", "b"]))
        made.append({**one, "choice": choice} if choice else one)
    return made


@given(st.data())
def test_everybody_says_the_same_of_what_a_set_lacks(data: st.DataObject) -> None:
    variants = data.draw(st.sampled_from([(), ("eu", "us")]))
    system = [{**one, "variant": data.draw(st.sampled_from([None, *variants]))} for one in data.draw(files_of("s"))]
    sets: dict[str, dict[str, Any]] = {
        "sys": {"kind": "bios", "variants": variants, "files": system},
        "tone": {"kind": "device", "files": data.draw(files_of("t"))},
        "mum": {"bios": "sys", "devices": ["tone"], "files": data.draw(files_of("m"))},
        "kid": {"parent": "mum", "files": data.draw(files_of("k"))},
    }
    made = roster("2", **sets)
    every = [one["name"].removesuffix(".bin") for each in sets.values() for one in each["files"]]
    owned = data.draw(st.sets(st.sampled_from(every)))
    drawer = {f"d/{what}": what for what in owned}
    family = family_of(made, "kid")
    contents = {("crc32", len(what), crc(what)) for what in owned}

    def there_is(_owner: str, one: SetFile) -> bool:
        return one.content in contents

    def by_hand(parts: list[Part]) -> set[tuple[str, str]]:
        found = set()
        for part in parts:
            mates = [one.file for one in parts if (one.owner, one.file.choice) == (part.owner, part.file.choice)]
            would_do = [part.file] if part.file.choice is None else mates
            if not part.file.optional and not any(one.content in contents for one in would_do):
                found.add((part.owner, part.file.choice or part.file.name))
        return found

    settled = settle_variant(family, there_is, {})
    lacks = lacking(settled.family, there_is)
    files = parts_of(family)
    real = [name for name in variants if any(one.file.variant == name and not one.file.optional for one in files)]
    ways = [by_hand([one for one in files if one.file.variant in (None, name)]) for name in real] or [by_hand(files)]
    assert {(one.owner, one.files[0].choice or one.files[0].name) for one in lacks} == min(ways, key=len)
    family = settled.family
    there = cabinet({}, drawer)
    audited = audit_set(made, "kid", there)
    blamed = {(one.subject.owner, one.subject.file) for one in audited.problems if one.remedy is Remedy.OBTAIN}
    assert blamed == {(one.owner, one.files[0].name) for one in lacks}
    matched = match_release(made, Held([HeldHere(held(path, what, rig="") for path, what in drawer.items())]))
    asked = any(not part.file.optional for part in files)  # else nothing shows that the release is the one that is held
    assert ("kid" in matched.whole) == (asked and not lacks and bool(owned & set(_parts(family_of(made, "kid")))))
    waits = pack_sets(made, [audited], there, HowPacked(Style.FULL)).waiting
    assert [one.set for one in waits] == (["kid"] if lacks and owned & set(_parts(family)) else [])
    limited = bool(settled.variant != settled.wished and not lacks)
    whole = audit_set(made, "kid", cabinet({f"sets/kid.zip/{what}.bin": what for what in owned}))
    assert (whole.state == State.BLOCKED) == bool(lacks)
    assert any("runs with the" in say_all(one.facts) for one in whole.problems) == limited
    tree = Tree("den", EMULATOR, family_of(made, "kid"), audited, {one: audit_set(made, one, there) for one in sets})
    shown = {(one.set, each.name): each.verdict for _, one in tree.relatives() for each in tree.files(one)}
    assert not {key for key, verdict in shown.items() if verdict == "sound"}, "nothing is sound where nothing lies"
    (change,) = compare_rosters(EMPTY, made, ["kid"], there)
    wanting = {(one.owner, one.name) for one in change.files if one.held is None}
    assert wanting == {(one.owner, each.name) for one in lacks for each in one.files}


def _parts(family: Family) -> list[str]:
    return [part.file.name.removesuffix(".bin") for part in parts_of(family)]


def test_of_a_choice_that_nobody_has_dumped_nothing_lacks() -> None:
    undumped = {**file("x"), "state": FileState.UNDUMPED, "choice": "a"}
    made = roster("2", kid={"files": [undumped, {**file("y"), "optional": True, "choice": "b"}]})
    assert lacking(family_of(made, "kid"), lambda _owner, _file: False) == []
    assert match_release(made, Held([])).whole == set()  # of which nothing is here
