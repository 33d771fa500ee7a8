"""Arcade sets: on made-up families every state is right by construction, whatever the packing."""

from __future__ import annotations

import struct
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gribble.core.arcade.sets import audit_set, wanted_sets
from gribble.core.catalogue.rosters import choose_roster, write_roster
from gribble.core.files.discheaders import read_header
from gribble.core.records.findings import SetAudit
from gribble.core.records.roster import RosterHead
from gribble.core.sayings.facts import say_all
from tests.arcades import BIOS, FAMILY, KID, MUM, cabinet, crc, file, roster

CASES: dict[str, tuple[dict[str, str], dict[str, str], str, list[tuple[str, str, str]]]] = {
    # name: files on the rig, in the drawer, state of kid, problems: file, verdict, words
    "split": ({**BIOS, **MUM, **KID}, {}, "ready", []),
    "merged": ({**BIOS, **MUM, "sets/mum.zip/kid/kid1.bin": "kid1"}, {}, "ready", []),
    "merged at top level": ({**BIOS, **MUM, "sets/mum.zip/kid1.bin": "kid1"}, {}, "ready", []),
    "full": ({f"sets/kid.7z/{what}.bin": what for what in ("kid1", "both", "boot", "tone")}, {}, "ready", []),
    "in a folder": ({**BIOS, "sets/kid/kid1.bin": "kid1", "sets/kid/both.bin": "both"}, {}, "ready", []),
    "under another name": ({**BIOS, **MUM, "sets/kid.zip/KID.ONE": "kid1"}, {}, "ready", []),
    "without parent": ({**BIOS, **KID}, {}, "blocked", [("both.bin", "missing", "not found")]),
    "parent in the drawer": ({**BIOS, **KID}, {"m.zip/b": "both"}, "blocked", [("both.bin", "astray", "looks: b in m.zip")]),
    "loose in the drawer": ({**BIOS, **KID}, {"b": "both"}, "blocked", [("both.bin", "astray", "looks: b")]),
    "without BIOS": ({"sets/tone.zip/t": "tone", **MUM, **KID}, {}, "blocked", [("boot.bin", "missing", "its BIOS set sys: not found")]),
    "wrong BIOS": ({**BIOS, **MUM, **KID, "sets/sys.zip/boot.bin": "toob"}, {}, "blocked", [("boot.bin", "imposter", "its BIOS set sys: its content is a different one")]),
    "BIOS of another length": ({**BIOS, **MUM, **KID, "sets/sys.zip/boot.bin": "boots"}, {}, "blocked", [("boot.bin", "imposter", "it is 5 bytes long, not 4")]),
    "BIOS of another release": ({**BIOS, **MUM, **KID, "sets/sys.zip/boot.bin": "old!"}, {}, "blocked", [("boot.bin", "imposter", "its BIOS set sys: it is from release 1")]),
    "device elsewhere": ({"sets/sys.zip/b": "boot", **MUM, **KID}, {"x.zip/tone.bin": "tone"}, "blocked", [("tone.bin", "astray", "its device tone: you have it")]),
    "an archive that cannot be read": ({**BIOS, **MUM, "sets/kid.rar/kid1.bin": "kid1"}, {}, "blocked", [("kid1.bin", "imposter", "kid.rar is an archive that this emulator cannot read")]),
    "a broken archive": ({**BIOS, **MUM}, {}, "blocked", [("kid1.bin", "damaged", "kid.zip is broken")]),
    "in another set's archive": ({**BIOS, **MUM, "sets/zebra.zip/k": "kid1"}, {}, "blocked", [("kid1.bin", "astray", "k in zebra.zip")]),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_a_set_gets_its_state_and_its_faults(case: str) -> None:
    files, drawer, state, problems = CASES[case]
    hidden = {"sets/kid.zip": "is broken"} if case == "a broken archive" else {}
    old = roster("1", sys={"files": [{"name": "boot.bin", "size": 4, "crc32": crc("old!")}]})
    found = audit_set(FAMILY, "kid", cabinet(files, drawer, hidden), [old])
    assert found.state == state
    assert [(one.subject.file, one.verdict) for one in found.problems] == [
        (name, verdict) for name, verdict, _ in problems
    ]
    assert all(words in say_all(one.facts) for one, (_, _, words) in zip(found.problems, problems, strict=True))
    assert say_all(found.packing) == ("KID.ONE should be called kid1.bin" if case == "under another name" else "")


def test_two_archives_of_one_set_are_told() -> None:
    found = audit_set(FAMILY, "kid", cabinet({**BIOS, **MUM, **KID, "sets/kid.7z/more": "m"}))
    assert (found.state, say_all(found.packing)) == ("ready", "there are several archives of this set: kid.zip, kid.7z")


def test_the_case_of_archives_counts_where_the_device_minds_it() -> None:
    files = {**BIOS, **{path.replace("mum", "MUM"): what for path, what in MUM.items()}, **KID}
    for exact, state in ((False, "ready"), (True, "blocked")):
        found = audit_set(FAMILY, "kid", cabinet(files, folds_case=True, exact=exact))
        assert found.state == state
        assert [one.verdict for one in found.problems] == (["misnamed"] if exact else [])
    assert audit_set(FAMILY, "kid", cabinet({**BIOS, **MUM, **KID}, folds_case=True, exact=True)).state == "ready"


def test_what_a_release_cannot_do_and_what_nobody_has() -> None:
    made = roster(
        bad={"plays": "no", "note": "Not understood.", "files": [file("bad")]},
        poor={"plays": "flawed", "files": [file("poor", state="suspect")]},
        half={"files": [file("half"), {"name": "key", "state": "undumped"}, file("opt", optional=True)]},
        pick={"files": [file("eu", choice="r"), file("us", choice="r")]},
        lost={"parent": "gone", "devices": ["nil"], "files": [file("lost")]},
        ring={"parent": "gnir", "files": [file("ring")]}, gnir={"parent": "ring"},
    )  # fmt: skip
    there = cabinet(
        {f"sets/{name}.zip/{name}.bin": name for name in ("bad", "poor", "half", "lost", "ring")}
        | {"sets/pick.zip/x": "us"}
    )

    def audited(name: str) -> SetAudit:
        return audit_set(made, name, there, [roster("1", old={})])

    assert {name: audited(name).state for name in made.sets if name != "gnir"} == {
        "bad": "blocked", "poor": "limited", "half": "ready", "pick": "ready", "lost": "limited", "ring": "limited",
    }  # fmt: skip
    assert say_all(audited("bad").problems[0].facts) == "this release does not play it: Not understood."
    assert len(audited("poor").problems) == 2
    assert audited("half").spared == {("half", "opt.bin")}
    assert audited("pick").spared == {("pick", "eu.bin")}
    assert [say_all(one.facts) for one in audited("lost").problems] == [
        'its parent "gone" is not in the roster', 'its device "nil" is not in the roster',
    ]  # fmt: skip
    assert "circle" in say_all(audited("ring").problems[0].facts)
    assert say_all(audited("old").problems[0].facts) == "release 2 does not have this set; release 1 does"
    assert wanted_sets(None, made, there) == ["bad", "poor", "half", "pick", "lost", "ring"]
    assert wanted_sets(("all",), FAMILY, there) == ["mum", "kid"]


PACKING = st.sampled_from(["split", "merged", "merged folders", "full", "folder"])


@settings(max_examples=120)
@given(st.data())
def test_random_families_are_right_by_construction(data: st.DataObject) -> None:
    """A parent with clones, BIOS and device in any packing; some contents are taken away everywhere."""
    clones = data.draw(st.integers(0, 3))
    own = {
        name: [f"{name}-{n}" for n in range(data.draw(st.integers(1, 3)))]
        for name in ["mum", *(f"kid{n}" for n in range(clones))]
    }
    shared = [f"shared-{n}" for n in range(data.draw(st.integers(0, 3)))]
    bios, device = data.draw(st.booleans()), data.draw(st.booleans())
    head: dict[str, Any] = {"bios": "sys"} if bios else {}
    kids: dict[str, dict[str, Any]] = {
        name: {
            "parent": "mum",
            "files": [*map(file, contents), *(file(what, parent_name=f"{what}.bin") for what in shared)],
        }
        for name, contents in own.items()
        if name != "mum"
    }
    made = roster(
        "2", **kids, sys={"kind": "bios", "files": [file("boot")]}, tone={"kind": "device", "files": [file("tone")]},
        mum={**head, "devices": ["tone"] if device else [], "files": [file(what) for what in own["mum"] + shared]},
    )  # fmt: skip
    around = (["boot"] if bios else []) + (["tone"] if device else [])
    style = data.draw(PACKING)
    files: dict[str, str] = {
        f"sets/{owner}.zip/{what}.bin": what for owner, what in (("sys", "boot"), ("tone", "tone"))
    }
    for name, contents in own.items():
        whole = contents + (shared if name == "mum" or style == "full" else [])
        if style == "merged folders" and name != "mum":
            places = [f"sets/mum.zip/{name}/{what}.bin" for what in whole]
        elif style.startswith("merged"):
            places = [f"sets/mum.zip/{what}.bin" for what in whole]
        elif style == "full":
            whole = whole + around
            places = [f"sets/{name}.zip/{what}.bin" for what in whole]
        else:
            places = [f"sets/{name}{'' if style == 'folder' else '.zip'}/{what}.bin" for what in whole]
        files |= dict(zip(places, whole, strict=True))
    everything = sorted({*shared, *around, *(what for contents in own.values() for what in contents)})
    gone = set(data.draw(st.lists(st.sampled_from(everything), unique=True, max_size=3)))
    kept = {place: what for place, what in files.items() if what not in gone}
    drawer = {f"{what}.x": what for what in gone if data.draw(st.booleans())}
    there = cabinet(kept, drawer)
    for name, contents in own.items():
        needed = {*contents, *shared, *around}
        found = audit_set(made, name, there)
        assert {one.subject.file: one.verdict for one in found.problems} == {
            f"{what}.bin": "astray" if f"{what}.x" in drawer else "missing" for what in needed & gone
        }
        assert found.state == ("blocked" if needed & gone else "ready")


def header(version: int, length: int, sha1: bytes, at: int) -> bytes:
    start = bytes.fromhex("4d436f6d70724844") + struct.pack(">II", length, version)
    return start.ljust(at, b"\0") + sha1 + bytes(200)


@pytest.mark.parametrize(
    ("data", "sha1", "fault"),
    [
        (header(3, 120, b"\1" * 20, 80), "01" * 20, ""),
        (header(4, 108, b"\2" * 20, 48), "02" * 20, ""),
        (header(5, 124, b"\3" * 20, 84), "03" * 20, ""),
        (header(5, 120, b"\3" * 20, 84), "", "has a header of 120 bytes where version 5 has 124"),
        (header(5, 124, b"\3" * 20, 84)[:100], "", "has a header of 124 bytes"),
        (header(6, 124, b"\3" * 20, 84), "", "version 6, which is not known"),
        (header(2, 80, b"\3" * 20, 44), "", "version 2, which gives no SHA-1"),
        (b"hello", "", "is no compressed disc image"),
        (b"", "", "is no compressed disc image"),
    ],
)
def test_the_header_of_a_disc_image(data: bytes, sha1: str, fault: str) -> None:
    found = read_header(data)
    assert found.sha1 == sha1
    assert fault in found.fault


def test_the_roster_of_the_release_or_the_nearest_older_one(tmp_path: Path) -> None:
    paths = []
    for release in ("1.10", "1.9", "2.0"):
        path = tmp_path / f"knot-{release}.roster.jsonl"
        path.write_bytes(b"".join(write_roster(RosterHead(roster=1, emulator="knot", release=release), [])))
        paths.append(path)

    def chosen(release: str | None) -> tuple[str, str]:
        found = choose_roster(tuple(paths), release, ())
        assert found.roster is not None
        return found.roster.head.release, found.note

    assert chosen("1.10") == ("1.10", "")
    assert chosen(None) == ("2.0", "")
    assert chosen("1.11") == ("1.10", "no roster of release 1.11; that of 1.10 is taken")
    assert chosen("1.0") == ("1.9", "no roster of release 1.0; that of 1.9 is taken")
    (tmp_path / "knot-3.roster.jsonl").write_bytes(b'{"roster":')
    found = choose_roster((tmp_path / "knot-3.roster.jsonl",), "3", ())
    assert found.roster is None
    assert found.mistakes
    with paths[0].open("ab") as stream:
        stream.write(b'{"set":"a"}\n{"set":"b","fil')
    found = choose_roster(tuple(paths), "1.10", ())
    assert found.roster is not None
    assert list(found.roster.sets) == ["a"]
    assert [one.where for one in found.mistakes] == ["line 3"]
