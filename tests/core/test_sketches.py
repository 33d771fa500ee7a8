"""An archive that is known by a sketch answers every question as one of which each member is known."""

from __future__ import annotations

import zlib
from collections.abc import Callable

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gribble.core.arcade.cabinet import Cabinet, Shape
from gribble.core.arcade.match import Held
from gribble.core.arcade.sets import audit_set
from gribble.core.audit.judging.keys import key_candidates
from gribble.core.base.digests import Digests
from gribble.core.diagnosis import likely
from gribble.core.diagnosis.likely import Wanted
from gribble.core.diagnosis.nearmisses import Searcher
from gribble.core.records.holding import Holding, key_of
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import SetFile
from gribble.core.records.sheet import Accept, Key, Kind, Level, Need
from gribble.core.survey.facts import Facts, KnownMember, MetFile, Sketch, keep, kept, loose_holding, member_holdings
from gribble.core.survey.holdings import HeldHere, SketchedArchive, Stock
from gribble.core.survey.walking import Entry
from tests.arcades import file, roster

CONTENTS = [b"abcd" * 4, b"abcd" * 4 + bytes(16), b"wxyz" * 4, bytes(16) + b"abcd" * 4, b"k" * 64, b"ab", b""]
NAMES = ["a.bin", "A.BIN", "b.rom", "in/a.key", "in/b.zip", "noend", "é.bin", "e\u0301.bin", "c.keys"]
PATHS = ["sets/one.zip", "sets/two.zip", "sets/one/loose.bin", "d/three.zip", "d/a.bin", "b.rom"]


def crc(data: bytes) -> str:
    return f"{zlib.crc32(data):08x}"


@st.composite
def drawers(draw: Callable[..., object]) -> dict[str, dict[str, bytes] | bytes]:
    paths = draw(st.lists(st.sampled_from(PATHS), unique=True, max_size=6))
    assert isinstance(paths, list)
    some = st.dictionaries(st.sampled_from(NAMES), st.sampled_from(CONTENTS), min_size=1, max_size=5)
    made: dict[str, dict[str, bytes] | bytes] = {}
    for path in paths:
        made[path] = draw(some if path.endswith(".zip") else st.sampled_from(CONTENTS))  # type: ignore[assignment]
    return made


def both(drawer: dict[str, dict[str, bytes] | bytes], rig: str) -> tuple[HeldHere, HeldHere]:
    """The same files with archives sketched, as the index gives them back, and with all members there."""
    sketched, opened, archives, root = [], [], [], f"/{rig or 'drawer'}"
    for path, what in drawer.items():
        size = len(what) if isinstance(what, bytes) else 999
        facts = Facts(digests=Digests(crc32=crc(what)), kind="") if isinstance(what, bytes) else Facts(kind="zip")
        if isinstance(what, dict):
            members = tuple(
                KnownMember(name.encode(), len(data), crc(data), "", Digests()) for name, data in what.items()
            )
            facts = msgspec.structs.replace(facts, members=members)
        file = MetFile(Entry(path, size, 1, 1, 1), facts, False)
        holding = loose_holding(root, rig, file)
        sketched.append(holding)
        opened += [holding, *member_holdings(root, rig, file)]
        again = kept(*keep(facts.sketched()))
        assert again is not None
        if again.sketch:
            archives.append(SketchedArchive(holding, again.sketch))
        else:
            sketched += member_holdings(root, rig, file)
    return HeldHere(sketched, archives, root), HeldHere(opened, (), root)


def need(**more: object) -> Need:
    accept = Accept(size=16, crc32=crc(CONTENTS[0]), label="x")
    given = {"id": "a", "kind": Kind.BIOS, "level": Level.MUST, "folder": "boot", "name": "a.bin", "accept": (accept,)}
    return Need(**{**given, **more})  # type: ignore[arg-type]


def told(holdings: HeldHere, other: HeldHere, contents: dict[object, bytes]) -> object:
    everything = [holdings, other]
    stock, held = Stock(everything), Held(everything)
    rig = RigSeen(name="den", root="/den", emulators=(), holdings=holdings)
    cabinet = Cabinet(rig, Shape("sets", ("zip",)), [other])
    files = [SetFile(name="a.bin", size=len(data), crc32=crc(data)) for data in CONTENTS]
    files += [SetFile(name="a.bin", crc32=crc(CONTENTS[1])), SetFile(name="a.bin", crc32="nonsense", size=1)]
    read: list[object] = []

    def reading(holding: Holding) -> bytes:
        read.append(key_of(holding))
        return contents.get(key_of(holding), b"?")

    keys = need(kind=Kind.KEYS, name="c.keys", accept=(), key=(Key(name="k", bytes=8, level=Level.MUST),))
    unsized = need(accept=(Accept(crc32=crc(CONTENTS[2]), label="y"),))
    searcher = Searcher(everything, lambda one: one.digests.crc32 == crc(CONTENTS[5]), reading)
    found = searcher.search([Wanted(emulator="knot", need=each, rig="den") for each in (need(), unsized)])
    best = [found.best("den", "knot", each) for each in (need(), unsized)]
    containers = [cabinet.of(name) for name in ("one", "two", "three")]
    return (
        [list(one) for one in everything],
        [stock.copies(Accept(crc32=crc(data), label="x"), "den") for data in CONTENTS],
        [sorted(map(str, map(key_of, stock.stems(name)))) for name in NAMES],
        [stock.namesakes([name], "", here=True) for name in NAMES],
        sorted(map(str, map(key_of, stock.like("*.bin")))),
        [held.has(file) for file in files],
        [cabinet.held(file) for file in files],
        [(one.path, one.archives, one.members, [one.find(file) for file in files]) for one in containers if one],
        key_candidates([keys], everything, "den"),
        [mend and (mend.holding, mend.recipe) for mend in best],
        sorted(map(str, set(read))),
    )


@settings(max_examples=150, deadline=None)
@given(own=drawers(), other=drawers())
def test_sketched_archives_answer_as_those_that_are_all_known(
    own: dict[str, dict[str, bytes] | bytes], other: dict[str, dict[str, bytes] | bytes]
) -> None:
    contents: dict[object, bytes] = {}
    for root, drawer in (("/den", own), ("/drawer", other)):
        for path, what in drawer.items():
            for name, data in what.items() if isinstance(what, dict) else ((None, what),):
                contents[root, path, name] = data
    (sketched, opened), (far_sketched, far_opened) = both(own, "den"), both(other, "")
    assert told(sketched, far_sketched, contents) == told(opened, far_opened, contents)


def test_of_many_archives_only_the_nearest_are_looked_into() -> None:
    drawer: dict[str, dict[str, bytes] | bytes] = {}
    for number in range(500):
        drawer[f"{'far/' * (number % 7)}{number:03}.zip"] = {"x.bin": CONTENTS[1], "y.bin": CONTENTS[2]}
    read: list[Holding] = []
    holdings, _ = both(drawer, "")
    Searcher([holdings], lambda _: False, lambda one: read.append(one) or b"?").search(  # type: ignore[func-returns-value]
        [Wanted(emulator="knot", need=need(accept=(Accept(size=16, crc32="0000000a", label="x"),)), rig="den")]
    )
    assert len(read) == likely.MOST_CANDIDATES
    assert {one.path.count("/") for one in read} == {0}


def test_only_what_a_directory_says_is_sketched() -> None:
    plain = KnownMember(b"a.bin", 4, "0000000a", "", Digests())
    sketched = Facts(kind="zip", members=(plain,)).sketched()
    assert sketched.sketch is not None
    assert sketched.unpacked() == Facts(kind="zip", members=(plain,))
    for more in (
        {"size": None},
        {"size": 1 << 32},
        {"crc32": ""},
        {"fault": "is broken"},
        {"beyond": 9},
        {"digests": Digests(sha1="0" * 40)},
        {"name": b"../up"},
        {"name": b"a\nb"},
    ):
        facts = Facts(kind="zip", members=(plain, msgspec.structs.replace(plain, **more)))
        assert facts.sketched() is facts
    assert Facts(kind="zip", members=()).sketched().members == ()


@pytest.mark.parametrize("columns", [b"", b"123", bytes(15), bytes(16), bytes(64), "text", 7, None])
@pytest.mark.parametrize("packed", [b"", b"\xff", b"\x91\xc0", b"\x90", "text", 7, None])
@pytest.mark.parametrize("said", [b"", b"\xff", keep(Facts(kind="zip", members=()))[0], "text", 7])
def test_what_makes_no_sense_in_an_index_is_nothing(said: object, packed: object, columns: object) -> None:
    facts = kept(said, packed, columns)
    if facts and facts.sketch:
        assert isinstance(facts.sketch, Sketch)
        holding = Holding(rig="", root="/r", path="a.zip", member=None, size=1, digests=Digests())
        archive = SketchedArchive(holding, facts.sketch)
        assert list(archive.members) == []
        assert len(archive.checksums) == len(archive.stems)


KIN = roster(
    sys={"kind": "bios", "files": [file("boot"), file("spare", optional=True)]},
    tone={"kind": "device", "files": [file("tone")]},
    mum={"bios": "sys", "devices": ["tone"], "files": [file("mum1"), file("both")]},
    kid={
        "parent": "mum",
        "files": [file("kid1"), {**file("both"), "name": "own.bin", "parent_name": "both.bin"}],
    },
    odd={"files": [file("mum1"), file("undone", state="undumped"), file("odd", state="suspect")]},
    lone={"files": [file("kid1"), file("mum1")], "plays": "flawed"},
    lost={"parent": "nobody", "files": [file("kid1")]},
)
WHATS = ["boot", "spare", "tone", "mum1", "both", "kid1", "odd", "other"]


@settings(max_examples=250, deadline=None)
@given(
    st.dictionaries(
        st.sampled_from(list(KIN.sets)),
        st.dictionaries(
            st.sampled_from([*(f"{what}.bin" for what in WHATS), "own.bin"]), st.sampled_from(WHATS), min_size=1
        ),
    ),
    st.sampled_from(["zip", "7z", "rar"]),
    st.booleans(),
)
def test_sets_in_sketched_archives_are_judged_as_any(
    archives: dict[str, dict[str, str]], ending: str, right: bool
) -> None:
    if right:  # every archive has what its set lists, under its name: what most sets are
        archives = {
            name: {one.name: next(what for what in WHATS if crc(what.encode()) == one.crc32) for one in files}
            for name in archives
            if (files := [one for one in KIN.sets[name].files if one.state != "undumped"])
        }
    drawer: dict[str, dict[str, bytes] | bytes] = {
        f"sets/{name}.{ending}": {member: what.encode() for member, what in members.items()}
        for name, members in archives.items()
    }
    judged = []
    for holdings in both(drawer, "den"):
        rig = RigSeen(name="den", root="/den", emulators=(), holdings=holdings)
        cabinet = Cabinet(rig, Shape("sets", ("zip", "7z")), [])
        judged.append([audit_set(KIN, name, cabinet) for name in KIN.sets])
    assert judged[0] == judged[1]
