"""The search for near misses: it looks where a name or a size makes one likely, and nowhere else."""

from __future__ import annotations

import contextlib
import hashlib
import os
import random
import sqlite3
import tempfile
import time
import zlib
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec import structs

from gribble.core.base.digests import Digests
from gribble.core.diagnosis import diagnose
from gribble.core.diagnosis.likely import Wanted
from gribble.core.diagnosis.nearmisses import Searcher
from gribble.core.records.holding import Holding
from gribble.core.records.recipes import Mending, Recipe, mended
from gribble.core.records.sheet import Accept, Kind, Level, Need, Unlock
from gribble.core.sayings.facts import mend_words, say
from gribble.core.survey import attempts
from gribble.core.survey.attempts import Attempts
from gribble.core.survey.holdings import HeldHere
from gribble.core.survey.index import Index

RIGHT = random.Random(1).randbytes(4096)
KEY = b"key file"


def digest(data: bytes) -> str:
    return hashlib.sha1(data, usedforsecurity=False).hexdigest()


def need(id_: str, data: bytes) -> Need:
    accept = Accept(size=len(data), sha1=digest(data), label="only")
    return Need(id=id_, kind=Kind.BIOS, level=Level.MUST, folder="boot", name=f"{id_}.rom", accept=(accept,))


class Drawer:
    """Files held, and which of them have been read."""

    def __init__(self, files: dict[str, bytes]) -> None:
        self.files = files
        self.read: list[str] = []
        self.holdings = {
            path: Holding(
                rig="", root="/drawer", path=path, member=None, size=len(data), digests=Digests(sha1=digest(data))
            )
            for path, data in files.items()
        }

    def searcher(self, memory: Attempts | None = None) -> Searcher:
        def read(holding: Holding) -> bytes:
            self.read.append(holding.path)
            return self.files[holding.path]

        known = {digest(RIGHT), digest(KEY)}
        return Searcher([HeldHere(self.holdings.values())], lambda one: one.digests.sha1 in known, read, memory)


def test_unlikely_files_are_not_even_read() -> None:
    drawer = Drawer({f"{number}.bin": bytes(5000 + 7 * number) for number in range(100)})
    drawer.searcher().search([Wanted(emulator="knot", need=need("boot", RIGHT))])
    assert drawer.read == []


@pytest.mark.parametrize("unsized", [False, True])
@pytest.mark.parametrize("size", [4096, 2048])
def test_what_a_file_could_be_is_made_once_for_all_needs(
    monkeypatch: pytest.MonkeyPatch, size: int, unsized: bool
) -> None:
    """Of files of the wanted size, and of files of half of it, any two could belong together."""
    drawer = Drawer({f"{number}.bin": random.Random(number + 2).randbytes(size) for number in range(6)})
    halves = drawer.files["1.bin"] + drawer.files["0.bin"]
    made: list[bytes] = []
    joined: list[bytes] = []

    def make(data: bytes, recipe: Recipe, partner: bytes = b"") -> bytes:
        content = mended(data, recipe, partner)
        (joined if partner else made).append(content)
        return content

    monkeypatch.setattr(diagnose, "mended", make)

    def work(count: int) -> tuple[int, int, int]:
        for each in (made, joined, drawer.read):
            each.clear()
        wanted = [need(f"n{number}", random.Random(f"n{number}").randbytes(4096)) for number in range(count)]
        wanted.append(need("joined", halves))
        if unsized:
            wanted = [structs.replace(one, accept=(structs.replace(one.accept[0], size=None),)) for one in wanted]
        found = drawer.searcher().search([Wanted(emulator="knot", need=one) for one in wanted])
        assert all(found.best("", "knot", one) is None for one in wanted[:-1])
        assert found.best("", "knot", wanted[-1]) is not None
        return len(made), len(joined), len(drawer.read)

    few = work(1)
    assert few[0] > 0
    assert work(30) == few
    assert len(joined) - len(set(joined)) <= 2, "two files are put together once, and again for the proof"


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("any.bin", b"H" * 512 + RIGHT),
        ("any.bin", RIGHT.ljust(8192, b"\xff") if len(RIGHT) > 4096 else RIGHT * 2),
        ("boot.bak", b"odd" + RIGHT),
        ("BOOT", RIGHT + b"tail"),
        ("any.bin", RIGHT[1::2] + RIGHT[0::2]),
    ],
)
def test_a_likely_size_or_a_like_name_is_enough(name: str, data: bytes) -> None:
    drawer = Drawer({name: data, "other": bytes(77)})
    found = drawer.searcher().search([Wanted(emulator="knot", need=need("boot", RIGHT), rig="den")])
    mend = found.best("den", "knot", need("boot", RIGHT))
    assert mend is not None
    assert mend.holding.path == name
    assert drawer.read == [name]


def test_a_whole_file_is_mended_before_halves_and_the_best_is_never_one_cut_short() -> None:
    files = {"x/half.1": RIGHT[:2048], "x/half.2": RIGHT[2048:], "y/boot.bin": b"H" * 64 + RIGHT}
    drawer = Drawer(files)
    found = drawer.searcher().search([Wanted(emulator="knot", need=need("boot", RIGHT))])
    best = found.best("", "knot", need("boot", RIGHT))
    assert best is not None
    assert best.holding.path == "y/boot.bin"
    halves = Drawer({path: data for path, data in files.items() if path.startswith("x")})
    joined = (
        halves.searcher()
        .search([Wanted(emulator="knot", need=need("boot", RIGHT))])
        .best("", "knot", need("boot", RIGHT))
    )
    assert joined is not None
    assert joined.partner is not None
    assert {joined.holding.path, joined.partner.path} == {"x/half.1", "x/half.2"}
    suspect = Drawer({"boot.rom": RIGHT[:3000], "copy": RIGHT})
    wanted = Wanted(
        emulator="knot",
        need=need("boot", RIGHT),
        suspects=(suspect.holdings["boot.rom"],),
        held=suspect.holdings["copy"],
    )
    cut = suspect.searcher().search([wanted])
    assert cut.best("", "knot", need("boot", RIGHT)) is None
    told = cut.of("", "knot", need("boot", RIGHT), suspect.holdings["boot.rom"])
    assert told is not None
    assert mend_words(told) == "is cut short: it is the first 3,000 of 4,096 bytes"


@pytest.mark.parametrize(
    "names", ["boot.even boot.odd", "hi.bin lo.bin", "a b", "1.rom 2.rom", "u12 u13", "top.x rest"]
)
@pytest.mark.parametrize("more", [0, 6])
@pytest.mark.parametrize("woven", [False, True])
def test_two_halves_are_found_whatever_they_are_called(names: str, more: int, woven: bool) -> None:
    first, second = names.split()
    one, two = (RIGHT[0::2], RIGHT[1::2]) if woven else (RIGHT[:2048], RIGHT[2048:])
    others = {f"z{number}other": random.Random(1000 + number).randbytes(2048) for number in range(more)}
    found = (
        Drawer({first: one, second: two, **others}).searcher().search([Wanted(emulator="knot", need=need("x", RIGHT))])
    )
    best = found.best("", "knot", need("x", RIGHT))
    assert best is not None
    assert best.partner is not None
    assert {best.holding.path, best.partner.path} == {first, second}


def test_halves_are_told_from_a_collection_of_files_of_one_size() -> None:
    crowd = {f"x/tile{number}.bin": random.Random(number).randbytes(2048) for number in range(80)}
    drawer = Drawer({**crowd, "x/tile900.bin": RIGHT[:2048], "x/tile901.bin": RIGHT[2048:]})
    found = drawer.searcher().search([Wanted(emulator="knot", need=need("boot", RIGHT))])
    assert found.best("", "knot", need("boot", RIGHT)) is None
    assert len(drawer.read) <= 40


def test_a_lock_opens_only_with_the_key_that_is_held() -> None:
    locked = b"HEAD" + bytes(byte ^ KEY[at % len(KEY)] for at, byte in enumerate(RIGHT))
    wanted = Wanted(
        emulator="knot",
        need=need("boot", RIGHT),
        unlock=(Unlock(need="boot", key_need="lock", skip=4),),
        key_needs={"lock": need("lock", KEY)},
    )
    drawer = Drawer({"sealed.bin": locked, "k": KEY})
    mend = drawer.searcher().search([wanted]).best("", "knot", need("boot", RIGHT))
    assert mend is not None
    assert mend.partner is not None
    assert (mend_words(mend), mend.partner.path) == ("is locked by a key file that is held", "k")
    assert Drawer({"sealed.bin": locked}).searcher().search([wanted]).best("", "knot", need("boot", RIGHT)) is None


def test_a_page_a_key_and_noise_are_told_apart() -> None:
    drawer = Drawer({"a": b"<html>gone</html>", "b": b"", "c": bytes(600), "d": RIGHT, "e": b"PK\3\4" + RIGHT})
    searcher = drawer.searcher()
    facts = {path: searcher.no_dump(holding) for path, holding in drawer.holdings.items()}
    told = {path: say(fact) if fact else "" for path, fact in facts.items()}
    assert told == {
        "a": "it is a web page (a download that went wrong?)",
        "b": "it is empty",
        "c": "it contains only the byte 00",
        "d": "",
        "e": "it is a zip archive under another name",
    }


def test_contents_of_unknown_size_are_found_by_name_and_by_usual_sizes() -> None:
    data = random.Random(4).randbytes(4096)
    unsized = Need(
        id="boot", kind=Kind.BIOS, level=Level.MUST, folder="boot", name="boot.rom",
        accept=(Accept(md5=hashlib.md5(data, usedforsecurity=False).hexdigest()),),
    )  # fmt: skip
    others = {f"{number}.bin": random.Random(number).randbytes(5000 + number) for number in range(30)}
    halves = {"x.hi": data[1::2], "x.lo": data[0::2]}
    trials: tuple[tuple[dict[str, bytes], str], ...] = (
        ({"z.bin": b"H" * 512 + data}, "z.bin"), ({"z.bin": data * 2}, "z.bin"), ({"boot.old": b"odd" + b"H" * 16 + data}, "boot.old"),
        ({"boot.old": data + b"\1" * 900}, "boot.old"), (halves, "x.lo"),
    )  # fmt: skip
    for files, found_in in trials:
        drawer = Drawer({**others, **files})
        found = drawer.searcher().search([Wanted(emulator="knot", need=unsized, rig="den")])
        mend = found.best("den", "knot", unsized)
        assert (mend.holding.path if mend else "") in (found_in, "x.hi" if found_in == "x.lo" else found_in)
        assert set(drawer.read) <= set(files), "what is not of a usual size is not even read"
        assert mend is None or mend.accept.size == 4096


def test_a_key_opens_what_is_of_unknown_size() -> None:
    data = random.Random(4).randbytes(3000)
    locked = b"LOCKED" + bytes(byte ^ KEY[at % len(KEY)] for at, byte in enumerate(data))
    unsized = Need(
        id="boot", kind=Kind.BIOS, level=Level.MUST, folder="boot", name="boot.rom", accept=(Accept(sha1=digest(data)),)
    )
    wish = Wanted(
        emulator="knot", need=unsized, unlock=(Unlock(need="boot", key_need="key", skip=6),),
        key_needs={"key": need("key", KEY)}, rig="den",
    )  # fmt: skip
    mend = Drawer({"boot.x": locked, "k": KEY}).searcher().search([wish]).best("den", "knot", unsized)
    assert mend is not None
    assert mend.recipe.damage == "locked"


def test_what_cannot_be_read_is_like_nothing_else() -> None:
    boot = need("boot", RIGHT)
    drawer = Drawer(dict.fromkeys((f"{folder}/{boot.name}" for folder in ("one", "two", "three")), RIGHT))

    def read(holding: Holding) -> bytes | None:
        return drawer.files[holding.path] if holding.path.startswith("three") else None

    searcher = Searcher([HeldHere(drawer.holdings.values())], lambda _: True, read)
    found = searcher.search([Wanted(emulator="knot", need=boot, rig="den", by_name=True)])
    assert len(set(found.contents.values())) == len(drawer.files)


class Shelf(Drawer):
    """A drawer on the disk, of files that have been there for a while; what was made of them is remembered."""

    def __init__(self, folder: Path, files: dict[str, bytes]) -> None:
        super().__init__(files)
        self.folder = folder
        self.holdings = {path: structs.replace(one, root=str(folder)) for path, one in self.holdings.items()}
        for number, (path, data) in enumerate(files.items()):
            self.put(path, data, 1_000_000 + number)

    def put(self, path: str, data: bytes, when: int) -> None:
        self.files[path] = data
        digests = Digests(sha1=digest(data), crc32=f"{zlib.crc32(data):08x}")
        self.holdings[path] = structs.replace(self.holdings[path], size=len(data), digests=digests)
        place = self.folder / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data)
        os.utime(place, (when, when))

    def found(self, needs: list[Need], *, remembers: bool = True, blank: bool = False) -> list[Mending | None]:
        """The best near miss of each need."""
        self.read.clear()
        index = (lambda: Index(self.folder / "index.sqlite")) if remembers else None
        memory = Attempts(index, blank=blank)
        found = self.searcher(memory).search([Wanted(emulator="knot", need=one) for one in needs])
        memory.close()
        return [found.best("", "knot", one) for one in needs]


NOISE = [random.Random(f"noise {number}").randbytes(4096) for number in range(9)]
SHAPES: list[Callable[[bytes], bytes]] = [
    lambda data: data, lambda data: b"H" * 512 + data, lambda data: data[1::2] + data[0::2], lambda data: data[:2048],
    lambda data: data[2048:], lambda data: data * 2, lambda data: data.ljust(8192, b"\xff"),
]  # fmt: skip


def unsized(one: Need) -> Need:
    return structs.replace(one, accept=tuple(structs.replace(each, size=None) for each in one.accept))


def test_what_a_file_could_not_be_is_not_tried_again(tmp_path: Path) -> None:
    shelf = Shelf(tmp_path, {f"{number}.bin": shape(NOISE[number]) for number, shape in enumerate(SHAPES)})
    needs = [need("one", NOISE[8]), unsized(need("two", RIGHT))]
    first = shelf.found(needs)
    assert len(set(shelf.read)) == len(shelf.files)
    assert shelf.found(needs) == first == [None, None]
    assert shelf.read == []
    shelf.found([*needs, need("three", RIGHT[::-1])])
    assert shelf.read == [], "what was made is known, whatever it is compared with"
    assert shelf.found(needs, blank=True) == first
    assert len(set(shelf.read)) == len(shelf.files), "read again when everything is to be"
    shelf.put("0.bin", NOISE[8][1::2] + NOISE[8][0::2], 2_000_000)
    made, _ = shelf.found(needs)
    assert (made.holding.path if made else "") == "0.bin"
    assert set(shelf.read) == {"0.bin", "2.bin"}, "only what has changed is read, and what could be its other half"
    shelf.put("1.bin", NOISE[1], time.time_ns() // 1_000_000_000 + 60)
    for _ in range(2):
        shelf.found(needs)
        assert "1.bin" in shelf.read, "a file that is changing is never taken for what it was"


def with_crc32(one: Need) -> Need:
    return structs.replace(one, accept=tuple(structs.replace(each, crc32="00000007") for each in one.accept))


def test_what_is_told_by_several_algorithms_is_remembered_of_each(tmp_path: Path) -> None:
    """Two checks by turns, which go by one algorithm each, and one that goes by both."""
    shelf = Shelf(tmp_path, {f"x/{number}.bin": NOISE[number] for number in range(3)})
    one, other = unsized(need("one", RIGHT)), unsized(with_crc32(need("two", NOISE[8])))
    for number in range(2):
        for needs in ([one], [other], [one, other]):
            shelf.found(needs)
            assert bool(shelf.read) is (number == 0 and len(needs) == 1)


def test_what_a_guess_left_out_is_tried_where_the_size_is_known(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    shelf = Shelf(tmp_path, {"x/one": NOISE[8][:2048], "x/two": NOISE[8][2048:]})
    wanted = need("boot", NOISE[8])
    monkeypatch.setattr(diagnose, "MOST_JOINED", 4096)
    assert shelf.found([unsized(wanted)]) != [None], "at the limit"
    monkeypatch.setattr(diagnose, "MOST_JOINED", 4095)
    (tmp_path / "index.sqlite").unlink()
    assert shelf.found([unsized(wanted)]) == [None]
    assert shelf.found([wanted]) != [None]


@pytest.mark.parametrize("keeps", [True, False])
def test_an_inode_counts_only_where_files_keep_theirs(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, keeps: bool
) -> None:
    """On a stick all files have other inodes each time that it is put in."""
    shelf = Shelf(tmp_path, {"0.bin": NOISE[0]})

    def mark(inode: int) -> str:
        there = SimpleNamespace(st_size=4096, st_mtime_ns=1, st_ctime_ns=1, st_ino=inode)
        monkeypatch.setattr(attempts, "os", SimpleNamespace(stat=lambda _: there, fspath=os.fspath))
        return Attempts(lambda: Index(None)).mark(shelf.holdings["0.bin"])

    monkeypatch.setattr(attempts, "keeps_inodes", lambda _: keeps)
    assert (mark(1) == mark(2)) is not keeps


@pytest.mark.parametrize("junk", [b"\x81\xa4sha1\xc4\x01", b"\x81\xa3odd\xc4\x00", b"", "text", 7, None])
def test_rows_that_make_no_sense_are_no_memory(tmp_path: Path, junk: object) -> None:
    shelf = Shelf(tmp_path, {"0.bin": NOISE[8][1::2] + NOISE[8][0::2]})
    wanted = [need("one", NOISE[8])]
    assert shelf.found([need("other", RIGHT)]) == [None]
    with contextlib.closing(sqlite3.connect(tmp_path / "index.sqlite")) as database, database:
        assert database.execute("UPDATE made_1 SET digests = ?", (junk,)).rowcount == 1
    assert shelf.found(wanted) == shelf.found(wanted, remembers=False) != [None]


@given(
    files=st.lists(st.tuples(st.sampled_from(NOISE), st.sampled_from(SHAPES)), max_size=6),
    asked=st.lists(st.lists(st.tuples(st.sampled_from(NOISE), st.booleans()), max_size=4), min_size=2, max_size=4),
)
@settings(deadline=None, max_examples=20)
def test_what_is_remembered_changes_no_answer(
    files: list[tuple[bytes, Callable[[bytes], bytes]]], asked: list[list[tuple[bytes, bool]]]
) -> None:
    """One question after the other, about other contents each time, with a memory and without."""
    with tempfile.TemporaryDirectory() as folder:
        shelf = Shelf(Path(folder), {f"x/{number}": shape(data) for number, (data, shape) in enumerate(files)})
        for question in asked:
            sized = [need(f"n{number}", data) for number, (data, _) in enumerate(question)]
            needs = [unsized(one) if odd else one for one, (_, odd) in zip(sized, question, strict=True)]
            assert shelf.found(needs) == shelf.found(needs, remembers=False)
