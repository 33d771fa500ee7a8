"""No false "ready", no false "obtain": what no digest can prove is looked at, and files that differ are told apart."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import shlex
import struct
import zipfile
import zlib
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Gribble
from tests.making import A, B, C, files, need, sha1, small_world

NOISE = bytes(range(256)) * 4
PAGE = b"<!DOCTYPE html><title>Not here</title>" * 9
PICTURE = b"\x89PNG\r\n\x1a\n" + NOISE
POINTER = b"version https://git-lfs.github.com/spec/v1\noid sha256:0\nsize 9\n"
TEXT = b"the tide comes in\n" * 30


def packed_as(name: str) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr(name, NOISE)
    return buffer.getvalue()


def checked(gribble: Gribble, world: Path) -> Any:
    return json.loads(gribble("check", "--json", cwd=world).out)


def finding(answer: Any, id_: str = "free") -> Any:
    (emulator,) = answer["rigs"][0]["emulators"]
    return next(one for one in emulator["needs"] if one["need"] == id_)


@pytest.mark.parametrize(
    ("name", "content", "verdict", "words"),
    [
        ("free.rom", b"", "imposter", "it is empty"),
        ("free.rom", bytes(900), "imposter", "only the byte 00"),
        ("free.rom", b"\xff" * 900, "imposter", "only the byte FF"),
        ("free.rom", PAGE, "imposter", "it is a web page"),
        ("free.zip", packed_as("a.bin")[:-30], "imposter", "its end is missing"),
        ("free.rom", NOISE, "unproven", "no digest"),
        ("free.rom", bytes(899) + b"\1", "unproven", "no digest"),
        ("free.txt", TEXT, "unproven", "no digest"),
        ("free.rom", TEXT, "unproven", "no digest"),
        ("free.rom", b"404: Not Found", "imposter", "what a server says in place of a file"),
        ("free.txt", b"404: Not Found", "unproven", "no digest"),
        ("free.rom", PICTURE, "imposter", "it is a picture"),
        ("free.png", PICTURE, "unproven", "no digest"),
        ("free.rom", POINTER, "imposter", "it is only a pointer"),
        ("free.html", PAGE, "unproven", "no digest"),
        ("free.zip", packed_as("a.bin"), "unproven", "no digest"),
    ],
)
def test_what_is_plainly_no_dump_is_never_ready(
    gribble: Gribble, tmp_path: Path, name: str, content: bytes, verdict: str, words: str
) -> None:
    world = small_world(tmp_path / "world", {f"rig/boot/{name}": content}, need("free", None, name))
    answer = checked(gribble, world)
    found = finding(answer)
    assert (found["verdict"], words in found["reason"]) == (verdict, True), found["reason"]
    assert answer["state"] == ("blocked" if verdict == "imposter" else "ready")


def test_one_of_a_choice_that_is_no_dump_spares_no_other(gribble: Gribble, tmp_path: Path) -> None:
    needs = (need("free", None, choice="one"), need("other", NOISE, choice="one"))
    world = small_world(tmp_path / "world", {"rig/boot/free.rom": bytes(900)}, *needs)
    assert checked(gribble, world)["state"] == "blocked"
    files(world, {"drawer/x": NOISE})
    assert gribble("place", "--yes", cwd=world).code == 0
    assert (world / "rig/boot/other.rom").read_bytes() == NOISE


def test_of_several_namesakes_that_differ_none_is_taken(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(
        tmp_path / "world", {"drawer/one/free.rom": NOISE, "drawer/two/free.rom": NOISE}, need("free", None)
    )
    found = finding(checked(gribble, world))
    assert found["by_name"], "two copies of one content are one file"
    files(world, {"drawer/two/free.rom": NOISE[::-1], "drawer/three/free.rom": bytes(1024)})
    found = finding(checked(gribble, world))
    assert found["remedy"] == "obtain"
    assert "2 files have this name, and nothing shows" in found["reason"], "the third is plainly no dump"
    assert "one/free.rom" in found["reason"]
    assert "three" not in found["reason"]
    gribble("place", "--by-name", "--yes", cwd=world)
    assert not (world / "rig/boot/free.rom").exists()


ZIPPED = """
[[media]]
folder = "games"
accepts = [".zip", ".tdf"]
packing = "zipped"
"""


def test_a_zip_is_zipped_whatever_the_sheet_says_it_reads(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(
        tmp_path / "world", {"rig/games/reef.zip": packed_as("a.bin"), "rig/games/loose.tdf": NOISE}, ZIPPED
    )
    path = world / "catalogue/plover.sheet.toml"
    path.write_text(path.read_text().replace("[folders]\n", '[folders]\ngames = "games"\n'))
    answer = json.loads(gribble("check", "--games", "--json", cwd=world).out)
    media = answer["rigs"][0]["emulators"][0]["media"]
    assert [(one["file"], one["verdict"]) for one in media] == [("games/loose.tdf", "imposter")]


KEYS = """
[[need]]
id = "keys"
kind = "keys"
folder = "boot"
name = "plover.keys"
key = [{ name = "one", bytes = 2 }, { name = "two", bytes = 2 }]
"""


def test_a_key_file_of_an_emulator_on_no_rig_is_told_and_where_it_would_belong(
    gribble: Gribble, tmp_path: Path
) -> None:
    world = small_world(tmp_path / "world", {"drawer/old.keys": b"one = aabb\ntwo = ccdd\n"}, KEYS)
    path = world / "gribble.toml"
    path.write_text(path.read_text().partition("[rig.")[0])
    for words in (("identify", "drawer"), ("identify", "drawer/old.keys"), ("identify", "drawer", "--json")):
        said = gribble(*words, cwd=world)
        assert "plover" in said.out
        assert said.code == 0


def test_a_broken_sheet_stops_only_the_rigs_that_have_its_emulator(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/x": NOISE}, need("a", NOISE))
    (world / "catalogue/ruff.sheet.toml").write_text("sheet = [")
    for words in (("plan",), ("sets", "pack", "--yes")):
        said = gribble(*words, cwd=world)
        assert said.code in (0, 1), said.err
        assert "ruff.sheet.toml" in said.err
    with (world / "gribble.toml").open("a") as config:
        config.write('\n[rig.other]\nat = "other"\n\n[rig.other.emulators]\nruff = "1"\n')
    (world / "other").mkdir()
    refused = gribble("place", "--yes", cwd=world, code=2)
    assert "ruff.sheet.toml" in refused.err
    gribble("place", "--rig", "rig", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/a.rom").read_bytes() == NOISE


def test_nothing_to_do_is_never_said_of_what_is_blocked(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"rig/boot/a.rom": NOISE}, need("a", NOISE), '[root]\nlabel = "GAMES"\n')
    path = world / "gribble.toml"
    path.write_text(path.read_text().replace("[rig.rig]\n", '[rig.rig]\nlabel = "OTHER"\n'))
    said = gribble("plan", cwd=world, code=1).out
    assert "Nothing to do" not in said
    assert "blocked" in said
    assert "gribble why plover --rig rig" in said
    report = gribble("report", "--json", cwd=world).json
    assert "only you" in report["rigs"][0]["emulators"][0]["todo"]
    path.write_text(path.read_text().replace("OTHER", "GAMES"))
    assert "Nothing to do" in gribble("plan", cwd=world, code=0).out


MANY = """
[[need]]
id = "fw"
kind = "firmware"
folder = "boot"
file = [{ name = "one.bin", md5 = "%s" }, { name = "in/two.bin", md5 = "%s" }]
"""


def test_each_missing_file_of_many_is_told_with_its_own_digests(gribble: Gribble, tmp_path: Path) -> None:
    digests = ["11" * 16, "22" * 16]
    world = small_world(tmp_path / "world", {}, MANY % tuple(digests))
    gribble("report", "--csv", "all.csv", cwd=world, code=1)
    rows = list(csv.DictReader(io.StringIO((world / "all.csv").read_text())))
    assert [(row["file"], row["md5"]) for row in rows] == [("one.bin", digests[0]), ("in/two.bin", digests[1])]
    said = gribble("needs", "plover", cwd=world).out
    assert all(one in said for one in (*digests, "one.bin", "in/two.bin")), said


def test_a_title_that_lacks_a_disc_gets_no_playlist(gribble: Gribble, tmp_path: Path) -> None:
    files(
        tmp_path,
        {f"discs/{name}.iso": b"x" for name in ("Reef (Disc 1)", "Reef (Disc 3)", "Kelp (Disc 1)", "Kelp (Disc 2)")},
    )
    said = gribble("discs", "playlist", "discs", "--into", "lists", "--yes", cwd=tmp_path, code=1).out
    assert "Reef gets no playlist, because disc 2 of 3 is missing." in said
    assert [path.name for path in (tmp_path / "lists").iterdir()] == ["Kelp.m3u"]


def arcade_world(world: Path, rigs: tuple[str, ...], files_: dict[str, bytes]) -> Path:
    """Rigs that want every set of a release that knows one set of one file."""
    game = {"name": "r.1", "size": len(NOISE), "crc32": f"{zlib.crc32(NOISE):08x}"}
    lines = [{"roster": 1, "emulator": "turn", "release": "1"}, {"set": "reef", "title": "Reef", "files": [game]}]
    emulators = "".join(
        f'[rig.{name}]\nat = "{name}"\n[rig.{name}.emulators.turn]\nrelease = "1"\nwanted = "all"\n' for name in rigs
    )
    start = {
        "gribble.toml": f'sources = ["drawer"]\ncatalogues = ["catalogue"]\n{emulators}'.encode(),
        "catalogue/turn.sheet.toml": b'sheet = 1\nemulator = "turn"\n[folders]\nsets = "sets"\n[arcade]\n'
        b'rosters = "turn-*.roster.jsonl"\nfolder = "sets"\n',
        "catalogue/turn-1.roster.jsonl": "".join(json.dumps(line) + "\n" for line in lines).encode(),
        "drawer/readme": b"x",
        "one/readme": b"x",
    }
    files(world, {**start, **files_})
    return world


def test_of_two_rigs_only_the_one_that_lacks_a_file_needs_it(gribble: Gribble, tmp_path: Path) -> None:
    pack = packed_as("r.1")
    world = arcade_world(tmp_path, ("one", "two"), {"two/sets/reef.zip": pack, "drawer/pack.zip": pack})
    (file,) = json.loads(gribble("identify", "drawer/pack.zip", "--json", cwd=world).out)["files"]
    assert {match["rig"]: match["needed"] for match in file["matches"]} == {"one": True, "two": False}


def test_a_set_to_obtain_leads_to_what_it_lacks_with_sizes_and_digests(gribble: Gribble, tmp_path: Path) -> None:
    world = arcade_world(tmp_path, ("one",), {})
    assert "gribble sets show reef --rig one" in gribble("why", "reef", cwd=world).out
    said = " ".join(gribble("sets", "show", "reef", "--rig", "one", "-v", cwd=world).out.split())
    assert f"r.1, 1,024 bytes, CRC-32 {zlib.crc32(NOISE):08x}" in said
    assert "Next: gribble report --obtain wanted.csv" in said
    files(world, {"drawer/pack.zip": packed_as("r.1")})
    said = gribble("sets", "show", "reef", cwd=world).out
    assert "to get" not in said
    assert "Next: gribble sets pack reef --rig one" in said


@pytest.mark.parametrize("wrong", [b"plain words\n" * 40, bytes(900), b"\1\2\3\4" * 99])
@pytest.mark.parametrize(("at_fault", "right"), [("a.rom", "b.rom"), ("b.rom", "a.rom")])
def test_of_two_names_the_one_at_fault_is_told_and_put_away(
    gribble: Gribble, tmp_path: Path, wrong: bytes, at_fault: str, right: str
) -> None:
    there = {f"rig/boot/{at_fault}": wrong, f"rig/boot/{right}": NOISE}
    world = small_world(tmp_path / "world", there, need("a", NOISE, aliases=["b.rom"]))
    gribble("report", "--csv", "all.csv", cwd=world)
    answers = (gribble("check", cwd=world).out, gribble("why", "plover", cwd=world).out)
    for said in (*answers, (world / "all.csv").read_text()):
        told = " ".join(said.split())
        assert f"boot/{at_fault}" in told
        assert f"boot/{right}" not in told
        assert "redundant" not in told
        assert f"the right file is next to it, as {right}" in told
    gribble("place", "--yes", cwd=world, code=0)
    assert sorted(path.name for path in (world / "rig/boot").iterdir()) == [right]
    assert "ready" in gribble("check", cwd=world, code=0).out


def test_a_file_of_the_name_with_another_content_is_named(gribble: Gribble, tmp_path: Path) -> None:
    right = packed_as("a.bin")
    needs = (need("set", right, "set.zip"), need("a", TEXT), need("b", NOISE[::-1]))
    held = {"drawer/set.zip": packed_as("other.bin") + b"!", "drawer/in/a.rom": b"other", "drawer/c.rom": b"c"}
    world = small_world(tmp_path / "world", held, *needs)
    answer = checked(gribble, world)
    reasons = {id_: finding(answer, id_)["reason"] for id_ in ("set", "a", "b")}
    drawer = world / "drawer"
    assert reasons["a"] == f"not found; {drawer}/in/a.rom has this name, but it is 5 bytes long, not 540"
    assert f"{drawer}/set.zip has this name" in reasons["set"]
    assert "packed again" in reasons["set"]
    assert reasons["b"] == "not found"


@pytest.mark.parametrize("listed", [True, False])
def test_a_wanted_set_is_found_under_its_archives_name_and_an_unknown_one_is_explained(
    gribble: Gribble, tmp_path: Path, listed: bool
) -> None:
    world = arcade_world(
        tmp_path, ("one",), {"drawer/pack.zip": packed_as("r.1"), "list.txt": b"reef.ZIP\nshoal.7z 2\n"}
    )
    path = world / "gribble.toml"
    path.write_text(path.read_text().replace('"all"', '"list.txt"' if listed else '["reef.ZIP", "shoal.7z"]'))
    answer = json.loads(gribble("sets", "check", "--json", cwd=world).out)
    assert [one["set"] for one in answer["rigs"][0]["emulators"][0]["sets"]] == ["reef", "shoal"]
    for words in (("why", "shoal"), ("why", "shoal", "--rig", "one"), ("sets", "show", "shoal")):
        assert "release 1 does not have this set" in gribble(*words, cwd=world).words
    assert "not a set in any roster" in gribble("why", "shoa", cwd=world, code=2).words.replace("emulator and no ", "")
    gribble("place", "--yes", cwd=world)
    assert "what 1 set still needs" in gribble("check", cwd=world).words


def test_naming_an_unknown_file_says_more_of_it(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/x.bin": NOISE}, need("a", TEXT))
    assert (
        "to look closer at one, name it: gribble identify drawer/x.bin"
        in gribble("identify", "drawer", cwd=world).words
    )
    said = gribble("identify", "drawer/x.bin", cwd=world).words
    assert "read to its end; no sheet and no roster knows it" in said
    assert sha1(NOISE) in said


def test_the_command_after_a_comparison_takes_the_sheet_over(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {}, need("a", NOISE))
    mine = world / "catalogue/plover.sheet.toml"
    changed = mine.read_bytes().replace(b"a.rom", b"b.rom")
    for name in ("plover.sheet.toml", "plover of Ada.sheet.toml"):
        files(world, {f"theirs/{name}": changed})
        said = gribble("catalogue", "compare", "catalogue", f"theirs/{name}", cwd=world, code=1).out
        words = shlex.split(" ".join(said.split()).partition("Next: ")[2].partition("adds it")[0])
        former = mine.read_bytes()
        gribble(*words[1:], "--yes", cwd=world, code=0)
        assert mine.read_bytes() == changed if name == mine.name else not mine.exists()
        (mine.with_name(name)).unlink()
        mine.write_bytes(former)
    files(world, {"old/plover.sheet.toml": changed, "theirs/plover.toml": changed})
    for old, new in (("old", "catalogue"), ("catalogue", "theirs/plover.toml")):
        assert "catalogue add" not in gribble("catalogue", "compare", old, new, cwd=world, code=1).words


def test_of_key_files_that_will_do_the_one_with_most_keys_is_taken(gribble: Gribble, tmp_path: Path) -> None:
    values = {"one": ("aabb", "must"), "two": ("ccdd", "must"), "three": ("eeff", "extra")}
    keys = ", ".join(
        f'{{ name = "{name}", bytes = 2, level = "{level}", sha256 = "{hashlib.sha256(bytes.fromhex(value)).hexdigest()}" }}'
        for name, (value, level) in values.items()
    )
    held = {"drawer/k.keys": b"one = aabb\ntwo = ccdd\n", "drawer/part.keys": b"three = eeff\ntwo = ccdd\n"}
    need_ = f"{KEYS.partition('key = ')[0]}key = [{keys}]\n"
    world = small_world(tmp_path / "world", {**held, "rig/readme": b"x"}, need_)
    gribble("keys", "merge", *held, "--out", "merged.keys", "--emulator", "plover", cwd=world, code=0)
    gribble("place", "plover", "--from", "merged.keys", "--yes", cwd=world)
    assert (world / "rig/boot/plover.keys").read_bytes() == (world / "merged.keys").read_bytes()


def test_an_emulator_that_is_not_on_the_rig_named_is_no_silence(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"other/readme": b"x"}, need("a", NOISE))
    with (world / "gribble.toml").open("a") as config:
        config.write('\n[rig.other]\nat = "other"\n')
    for words in (("check",), ("why",), ("plan",), ("needs",), ("place", "--yes")):
        said = gribble(words[0], "plover", "--rig", "other", *words[1:], cwd=world, code=2).err
        assert "plover is not on other" in said
        assert "It is on rig." in said


def test_a_release_without_a_roster_is_not_said_to_change_nothing(gribble: Gribble, tmp_path: Path) -> None:
    world = arcade_world(tmp_path, ("one",), {"one/sets/reef.zip": packed_as("r.1")})
    said = gribble("check", "turn", "--as", "turn=2", cwd=world).words
    assert "Nothing changes" not in said
    assert said.index("no roster of release 2; that of 1 is taken") < said.index("1 emulator")


FIRMWARE = (
    '[[need]]\nid = "fw"\ntitle = "Firmware"\nfolder = "boot"\nname = "fw.bin"\n'
    f'[[need.accept]]\nlabel = "new"\nversion = "2"\nsha1 = "{sha1(B)}"\nsize = {len(B)}\n'
    f'[[need.accept]]\nlabel = "old"\nversion = "1"\nsha1 = "{sha1(A)}"\nsize = {len(A)}\n'
    f'[[need.accept]]\nlabel = "oldest"\nsha1 = "{sha1(C)}"\nsize = {len(C)}\n'
)


@pytest.mark.parametrize(
    ("word", "right"), [("fw", B), ("Firmware", B), ("fw=new", B), ("fw=2", B), ("fw=Oldest", C), ("fw=old", None)]
)
def test_what_is_right_gives_way_to_what_is_preferred_where_that_is_asked(
    gribble: Gribble, tmp_path: Path, word: str, right: bytes | None
) -> None:
    contents = {"drawer/2.bin": B, "drawer/0.bin": C, "rig/boot/fw.bin": A}
    world = small_world(tmp_path / "w", contents, FIRMWARE)
    assert "Nothing to do" in gribble("place", "--yes", cwd=world, code=0).out
    told = gribble("place", "--prefer", word, "--yes", cwd=world, code=0)
    if right is None:
        assert "There is no other file for fw" in told.words
        return
    assert (world / "rig/boot/fw.bin").read_bytes() == right
    assert gribble("check", "--json", cwd=world, code=0).json["state"] == "ready"
    gribble("undo", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/fw.bin").read_bytes() == A


def test_of_a_choice_the_need_that_is_preferred_is_placed(gribble: Gribble, tmp_path: Path) -> None:
    needs = (need("old", A, choice="any"), need("new", B, choice="any"))
    world = small_world(tmp_path / "w", {"drawer/2.bin": B, "rig/boot/old.rom": A}, *needs)
    assert "Nothing to do" in gribble("plan", cwd=world, code=0).out
    gribble("place", "--prefer", "new", "--yes", cwd=world, code=0)
    assert (world / "rig/boot/new.rom").read_bytes() == B
    gribble("undo", "--yes", cwd=world, code=0)
    assert not (world / "rig/boot/new.rom").exists()
    assert "did you mean 'new'?" in gribble("place", "--prefer", "nwe", cwd=world, code=2).words


def test_a_label_that_is_none_is_told_with_those_there_are(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "w", {"rig/boot/fw.bin": A}, FIRMWARE)
    assert "did you mean 'oldest'?" in gribble("place", "--prefer", "fw=oldst", cwd=world, code=2).words
    assert "--plan carries out" in gribble("place", "--prefer", "fw", "--plan", "x.json", cwd=world, code=2).words


def second_release(world: Path, **sets: Any) -> None:
    """A roster of a release that is not installed, with sets of its own."""
    lines = [{"roster": 1, "emulator": "turn", "release": "2"}, *({"set": name, **more} for name, more in sets.items())]
    text = "".join(json.dumps(line) + "\n" for line in lines)
    (world / "catalogue/turn-2.roster.jsonl").write_text(text)


@pytest.mark.parametrize("entered", [True, False])
def test_what_only_a_release_knows_that_is_not_installed_is_told_so(
    gribble: Gribble, tmp_path: Path, entered: bool
) -> None:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("n.1", NOISE[:512])
    world = arcade_world(tmp_path, ("one",) if entered else (), {"drawer/new.zip": buffer.getvalue()})
    game = {"name": "n.1", "size": 512, "crc32": f"{zlib.crc32(NOISE[:512]):08x}"}
    second_release(world, shoal={"title": "Shoal", "files": [game]})
    told = gribble("identify", "drawer/new.zip", "--json", cwd=world).json
    assert told["files"][0]["verdict"] == "known"
    assert [(one["set"], one["release"], one["needed"]) for one in told["files"][0]["matches"]] == [
        ("shoal", "2", False)
    ]
    assert [(one["set"], one["release"]) for one in told["sets"]] == [("shoal", "2")]
    assert (told["counts"]["held"], told["counts"]["elsewhere"]) == (0, 1)
    said = gribble("identify", "drawer/new.zip", "-v", cwd=world).words
    assert "known to turn 2, which is not installed" in said
    assert "1 known but not needed" in said


def image(sha1_: str) -> bytes:
    """A disc image of version 5, by its header alone."""
    return (
        struct.pack(">8sII", bytes.fromhex("4d436f6d70724844"), 124, 5) + bytes(68) + bytes.fromhex(sha1_) + bytes(60)
    )


def test_a_disc_image_is_told_by_its_header(gribble: Gribble, tmp_path: Path) -> None:
    world = arcade_world(tmp_path, ("one",), {"drawer/x.chd": image("ab" * 20), "drawer/y.chd": image("cd" * 20)})
    path = world / "catalogue/turn-1.roster.jsonl"
    disc = {"set": "tide", "title": "Tide", "files": [], "discs": [{"name": "tide", "sha1": "ab" * 20}]}
    path.write_text(path.read_text() + json.dumps(disc) + "\n")
    second_release(world, ebb={"files": [], "discs": [{"name": "ebb", "sha1": "cd" * 20}]})
    files_ = gribble("identify", "drawer", "--json", cwd=world).json["files"]
    found = {Path(one["path"]).name: [(m["set"], m["to"], m["needed"]) for m in one["matches"]] for one in files_}
    assert found["x.chd"] == [("tide", "sets/tide/tide.chd", True)]
    assert found["y.chd"] == [("ebb", "ebb/ebb.chd", False)]


LOCK = b"tidal lock\x07"


def locked(content: bytes, skip: int) -> bytes:
    stream = LOCK * (len(content) // len(LOCK) + 1)
    return b"L" * skip + bytes(one ^ other for one, other in zip(content, stream, strict=False))


@pytest.mark.parametrize("rule", ["", '[[unlock]]\nneed = "a"\nkey_need = "lock"\nskip = 6\n'])
@pytest.mark.parametrize("packed", [False, True])
def test_a_locked_dump_is_opened_by_the_key_file_that_lies_beside_it(
    gribble: Gribble, tmp_path: Path, rule: str, packed: bool
) -> None:
    """Whatever the two are called; that it was the key is proven by what it opens."""
    pair = {"dump.bin" if rule else "a.rom": locked(NOISE, 6), "readme.key": LOCK, "notes.txt": TEXT}
    contents = {f"drawer/x/{name}": data for name, data in pair.items()}
    if packed:
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as archive:
            for name, data in pair.items():
                archive.writestr(name, data)
        contents = {"drawer/x.zip": buffer.getvalue()}
    lock = need("lock", None, "a.key", level="extra")
    world = small_world(tmp_path / "w", contents, need("a", NOISE), lock, rule)
    assert finding(checked(gribble, world), "a")["verdict"] == "damaged"
    gribble("place", "--yes", cwd=world)
    assert (world / "rig/boot/a.rom").read_bytes() == NOISE


def test_no_file_beside_a_wrong_one_makes_a_right_one_of_it(gribble: Gribble, tmp_path: Path) -> None:
    contents = {"drawer/a.rom": bytes(reversed(NOISE)), "drawer/readme.key": LOCK}
    world = small_world(tmp_path / "w", contents, need("a", NOISE))
    assert finding(checked(gribble, world), "a")["verdict"] == "missing"


def test_a_disc_that_lies_beside_its_folder_is_moved_there(gribble: Gribble, tmp_path: Path) -> None:
    """Not copied from a source, with the stray left where it is."""
    disc = image("ab" * 20)
    world = arcade_world(tmp_path, ("one",), {"drawer/t.chd": disc, "one/sets/tide.chd": disc})
    path = world / "catalogue/turn-1.roster.jsonl"
    entry = {"set": "tide", "title": "Tide", "files": [], "discs": [{"name": "tide", "sha1": "ab" * 20}]}
    path.write_text(path.read_text() + json.dumps(entry) + "\n")
    gribble("place", "--yes", cwd=world)
    assert (world / "one/sets/tide/tide.chd").read_bytes() == disc
    assert not (world / "one/sets/tide.chd").exists()
    assert (world / "drawer/t.chd").exists()
    gribble("undo", "--yes", cwd=world, code=0)
    assert (world / "one/sets/tide.chd").read_bytes() == disc


@pytest.mark.parametrize("held", [True, False])
def test_a_firmware_of_many_files_may_require_keys(gribble: Gribble, tmp_path: Path, held: bool) -> None:
    keys = '[[need]]\nid = "keys"\nkind = "keys"\nfolder = "boot"\nname = "k.keys"\nlevel = "must"\n'
    for name, value in (("one", b"\x11" * 16), ("two", b"\x22" * 16)):
        level = "must" if name == "one" else "extra"
        keys += f'[[need.key]]\nname = "{name}"\nlevel = "{level}"\nsha256 = "{hashlib.sha256(value).hexdigest()}"\n'
    many = '[[need]]\nid = "fw"\nkind = "firmware"\nlevel = "must"\nfolder = "boot"\nrequires_keys = ["two"]\n'
    many += "".join(
        f'[[need.file]]\nname = "fw/{name}"\nsha1 = "{sha1(data)}"\n' for name, data in (("x", A), ("y", B))
    )
    full = f"one = {'11' * 16}\ntwo = {'22' * 16}\n".encode()
    contents = {"rig/boot/fw/x": A, "rig/boot/fw/y": B, "rig/boot/k.keys": f"one = {'11' * 16}\n".encode()}
    world = small_world(tmp_path / "w", {**contents, **({"drawer/all.keys": full} if held else {})}, keys, many)
    answer = checked(gribble, world)
    assert answer["state"] == "blocked"
    assert finding(answer, "fw")["verdict"] == "unfit"
    assert "they require two in the key file" in gribble("needs", "plover", cwd=world).words
    gribble("place", "--yes", cwd=world)
    assert checked(gribble, world)["state"] == ("ready" if held else "blocked")
    path = world / "catalogue/plover.sheet.toml"
    path.write_text(path.read_text().replace('["two"]', '["tow"]'))
    assert "did you mean 'two'?" in gribble("catalogue", "lint", cwd=world, code=2).words


def test_of_a_machine_for_which_nothing_is_held_it_is_said_how_it_is_left_out(gribble: Gribble, tmp_path: Path) -> None:
    machines = 'machines = ["Tern 8", "Tern 16"]\n'
    needs = (need("a", A, machines=["Tern 8"]), need("b", B, machines=["Tern 16"]))
    world = small_world(tmp_path / "w", {"drawer/a": A}, *needs)
    path = world / "catalogue/plover.sheet.toml"
    path.write_text(path.read_text().replace("[folders]", machines + "[folders]"))
    said = gribble("check", cwd=world, code=1).words
    command = "gribble rigs enter plover --rig rig --machine 'Tern 8'"
    assert f"You have nothing for Tern 16. If you do not play it: {command}" in said
    gribble(*shlex.split(command)[1:], "--yes", cwd=world, code=0)
    gribble("place", "--yes", cwd=world, code=0)
    assert "Nothing for" not in gribble("check", cwd=world, code=0).out
