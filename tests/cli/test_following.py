"""Catalogues that travel: published, followed and updated, whoever is in the way."""

from __future__ import annotations

import base64
import csv
import errno
import hashlib
import json
import os
import random
import shutil
import stat
import tempfile
import zlib
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gribble.core.answers import following
from gribble.core.answers.following import read_index
from gribble.core.base.errors import MistakesError
from gribble.core.catalogue.followed import current, version_of
from gribble.core.catalogue.publishing import blocks_of
from gribble.core.records.published import INDEX, SIGNATURE
from gribble.stores.signing import WORDS
from tests.cabinets import arcade_world, zipped
from tests.conftest import Gribble
from tests.faults import run_in_child
from tests.making import files, need, sha1, sheet
from tests.servers import Page, web_server

A, B, C = b"alpha" * 100, b"bravo" * 100, b"charlie" * 100


@pytest.fixture
def homes(tmp_path: Path) -> tuple[Path, Path]:
    """Ada, who writes sheets, and Bo, who has a rig with plover and no sheet."""
    ada, bo = tmp_path / "ada", tmp_path / "bo"
    for one in (ada, bo):
        one.mkdir()
    sheet(ada, need("a", A), need("b", B))
    files(bo, {"drawer/b.bin": B, "rig/boot/a.rom": A})
    (bo / "gribble.toml").write_text(
        '# Bo keeps this\nsources = ["drawer"]\ncatalogues = ["own"]  # mine first\n'
        '[rig.rig]\nat = "rig"\n[rig.rig.emulators]\nplover = "1"\n'
    )
    (bo / "own").mkdir()
    return ada, bo


def publish(gribble: Gribble, ada: Path, *more: str, **env: str) -> str:
    return gribble("catalogue", "publish", "catalogue", "--out", "public", *more, cwd=ada, code=0, **env).words


def follow(gribble: Gribble, bo: Path, address: str = "../ada/public") -> Path:
    gribble("catalogue", "follow", address, "--name", "ada", "--yes", cwd=bo, code=0)
    return bo / "followed/ada"


def update(gribble: Gribble, bo: Path, *more: str, code: int = 0) -> Any:
    return gribble("catalogue", "update", "--yes", "--json", *more, cwd=bo, code=code).json["catalogues"][0]


def files_of(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in folder.iterdir() if path.is_file()}


def states(gribble: Gribble, bo: Path) -> dict[tuple[str, str], str]:
    found = gribble("check", "--json", cwd=bo).json
    return {(rig["rig"], one["emulator"]): one["state"] for rig in found["rigs"] for one in rig["emulators"]}


# Publishing


def test_only_what_others_need_is_published(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, _ = homes
    listed = f"{sha1(C)}  c.rom\n"
    path = ada / "catalogue/plover.sheet.toml"
    manifest = '[[need]]\nid = "m"\nkind = "bios"\nlevel = "extra"\nfolder = "boot"\nmanifest = "rest.sha1"\n'
    path.write_text("# I have this from Cy, do not tell\n" + path.read_text() + manifest)
    files(ada, {"catalogue/rest.sha1": listed.encode(), "catalogue/other.sha1": b"", "catalogue/diary.txt": b"dear"})
    publish(gribble, ada, "--title", "Ada's sheets")
    assert set(files_of(ada / "public")) == {INDEX, "plover.sheet.toml", "rest.sha1"}
    assert "Cy" not in (ada / "public/plover.sheet.toml").read_text()
    index = json.loads((ada / "public" / INDEX).read_text())
    assert (index["gribble"], index["title"], index["number"]) == ("catalogue/1", "Ada's sheets", 1)


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ('why = "see {home}/notes.txt"', "has a path of a home folder"),
        ('why = "see C:\\\\Users\\\\ada\\\\notes.txt"', "has a path of a home folder: C:\\Users\\ada"),
        ('why = "see /home/ada/notes"', "has a path of a home folder: /home/ada"),
        ('why = "the key is 00112233445566778899aabbccddeeff"', "has the value of the key ring"),
    ],
)
def test_what_is_private_stays_at_home(gribble: Gribble, homes: tuple[Path, Path], line: str, said: str) -> None:
    ada, _ = homes
    key = hashlib.sha256(bytes.fromhex("00112233445566778899aabbccddeeff")).hexdigest()
    keys = '[[need]]\nid = "keys"\nkind = "keys"\nlevel = "must"\nfolder = "boot"\nname = "keys.txt"\n' + (
        f'[[need.key]]\nname = "ring"\nsha256 = "{key}"\n'
    )
    text = line.format(home=str(ada.parent / "home"))
    sheet(ada, need("a", A).replace("[[need]]\n", f"[[need]]\n{text}\n", 1), keys)
    ended = gribble("catalogue", "publish", "catalogue", "--out", "public", cwd=ada, code=2)
    assert said in ended.words
    assert "need[0].why" in ended.words
    assert not (ada / "public").exists()


def test_what_is_private_is_found_in_lists_too(gribble: Gribble, homes: tuple[Path, Path], tmp_path: Path) -> None:
    ada, _ = homes
    path = ada / "catalogue/plover.sheet.toml"
    secret = "00112233445566778899AABBCCDDEEFF"
    proof = hashlib.sha256(bytes.fromhex(secret)).hexdigest().upper()
    keys = '[[need]]\nid = "keys"\nkind = "keys"\nlevel = "must"\nfolder = "boot"\nname = "keys.txt"\n'
    keys += f'[[need.key]]\nname = "ring"\nsha256 = "{proof}"\n'
    manifest = '[[need]]\nid = "m"\nkind = "bios"\nlevel = "extra"\nfolder = "boot"\nmanifest = "rest.sha1"\n'
    path.write_text(path.read_text() + manifest + keys)
    for name, said in (
        (f"{secret}.rom", "the value of the key ring"),
        (f"x{tmp_path / 'home'}/c.rom", "a home folder"),
    ):
        (ada / "catalogue/rest.sha1").write_text(f"{sha1(C)}  {name}\n")
        assert said in gribble("catalogue", "publish", "catalogue", "--out", "public", cwd=ada, code=2).words
    (ada / "catalogue/rest.sha1").write_text(f"# made in {tmp_path / 'home'}\n{sha1(C)}  c.rom\n")
    publish(gribble, ada)
    assert (ada / "public/rest.sha1").read_text() == f"{sha1(C)}  c.rom\n"


def test_nothing_is_published_that_nobody_could_follow(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, _ = homes
    refused = gribble("catalogue", "publish", "catalogue", "--out", "public", "--title", "x" * 121, cwd=ada, code=2)
    assert "title has 121 characters" in refused.words
    path = ada / "catalogue/plover.sheet.toml"
    text = path.read_text()
    for name in ("lists/rest.sha1", "rest.txt"):
        files(ada, {f"catalogue/{name}": f"{sha1(C)}  c.rom\n".encode()})
        need_ = f'[[need]]\nid = "m"\nkind = "bios"\nlevel = "extra"\nfolder = "boot"\nmanifest = "{name}"\n'
        path.write_text(text + need_)
        ended = gribble("catalogue", "publish", "catalogue", "--out", "public", cwd=ada, code=2)
        assert "need[2].manifest" in ended.words
        assert "beside the sheet" in ended.words
    assert not (ada / "public").exists()


def test_publishing_mends_its_copy_and_writes_over_nothing_else(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, _ = homes
    with_rosters(ada, 900)
    publish(gribble, ada)
    before = files_of(ada / "public")
    (ada / "public/plover.sheet.toml").unlink()
    block = next((ada / "public/gannet-1.0.roster.jsonl.parts").iterdir())
    block.unlink()
    assert "2 files written" in publish(gribble, ada)
    assert files_of(ada / "public") == before
    assert block.exists()
    (ada / "public/plover.sheet.toml").write_text("# Bo wrote this here\n")
    gribble("catalogue", "publish", "catalogue", "--out", "public", cwd=ada, code=2)
    assert (ada / "public/plover.sheet.toml").read_text() == "# Bo wrote this here\n"
    own = files_of(ada / "catalogue")
    gribble("catalogue", "publish", "catalogue", "--out", "catalogue", cwd=ada, code=2)
    assert files_of(ada / "catalogue") == own


def test_mistakes_refuse_and_remarks_are_shown(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, _ = homes
    sheet(ada, need("a", None))
    assert "has no content" in publish(gribble, ada)
    sheet(ada, need("a", A).replace('kind = "bios"', 'kind = "biosphere"'))
    before = files_of(ada / "public")
    gribble("catalogue", "publish", "catalogue", "--out", "public", cwd=ada, code=2)
    assert files_of(ada / "public") == before


def test_publishing_again_writes_what_changed_and_nothing_else(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, _ = homes
    sheet(ada, emulator="knot")
    publish(gribble, ada)
    times = {path.name: path.stat().st_mtime_ns for path in (ada / "public").iterdir()}
    assert "Nothing has changed" in publish(gribble, ada)
    sheet(ada, need("a", A), need("b", C))
    assert "1 file written" in publish(gribble, ada)
    changed = {path.name for path in (ada / "public").iterdir() if path.stat().st_mtime_ns != times[path.name]}
    assert changed == {INDEX, "plover.sheet.toml"}
    (ada / "elsewhere").mkdir()
    (ada / f"elsewhere/{INDEX}").write_text("{}")
    gribble("catalogue", "publish", "catalogue", "--out", "elsewhere", cwd=ada, code=2)
    assert (ada / f"elsewhere/{INDEX}").read_text() == "{}"


def test_a_signature_is_by_a_key_of_the_users_own(gribble: Gribble, homes: tuple[Path, Path], tmp_path: Path) -> None:
    ada, bo = homes
    said = publish(gribble, ada, "--sign", XDG_DATA_HOME=str(tmp_path / "data"))
    secret = tmp_path / "data/gribble/publishing.secret"
    assert stat.S_IMODE(secret.stat().st_mode) == 0o600
    words = [word for word in said.split() if word in WORDS]
    assert len(words) >= 8
    ended = gribble("catalogue", "follow", "../ada/public", "--yes", cwd=bo, code=0)
    assert " ".join(words[-8:]) in ended.words
    for path in (ada / "public").iterdir():
        assert secret.read_bytes()[:32] not in path.read_bytes()


# Following and updating


def test_a_catalogue_is_followed_and_updated(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada, "--sign")
    at = follow(gribble, bo)
    text = (bo / "gribble.toml").read_text()
    assert text.startswith('# Bo keeps this\nsources = ["drawer"]\n')
    assert "# mine first" in text
    assert f'from = "{ada}/public"' in text
    assert 'key = "ed25519:' in text
    assert states(gribble, bo) == {("rig", "plover"): "blocked"}
    gribble("place", "--yes", cwd=bo, code=0)
    sheet(ada, need("a", A), need("b", B), need("c", C))
    publish(gribble, ada)
    ended = gribble("catalogue", "update", cwd=bo, code=1)
    assert "Nothing was changed" not in ended.out  # nobody was asked
    assert states(gribble, bo) == {("rig", "plover"): "ready"}
    looked = gribble("catalogue", "update", "--json", cwd=bo, code=1).json["catalogues"][0]
    effect = {"rig": "rig", "emulator": "plover", "was": "ready", "is": "blocked", "lacks": ["c"]}
    assert (looked["from"], looked["to"], looked["effects"], looked["done"]) == (1, 2, [effect], False)
    assert update(gribble, bo)["done"]
    assert states(gribble, bo) == {("rig", "plover"): "blocked"}
    gribble("catalogue", "update", "--undo", cwd=bo, code=0)
    assert states(gribble, bo) == {("rig", "plover"): "ready"}
    gribble("catalogue", "update", "--undo", cwd=bo, code=2)  # not forward again
    assert (update(gribble, bo)["fetched"], current(at).number) == (0, 2)  # type: ignore[union-attr]
    assert "nothing new" in gribble("catalogue", "update", cwd=bo, code=0).words


def test_a_sheet_that_is_gone_or_says_another_thing_than_a_need_is_told(
    gribble: Gribble, homes: tuple[Path, Path]
) -> None:
    ada, bo = homes
    publish(gribble, ada)
    follow(gribble, bo)
    path = ada / "catalogue/plover.sheet.toml"
    text = path.read_text()
    path.write_text(text.replace("[folders]", 'title = "Plover II"\n[folders]'))
    publish(gribble, ada)
    (changed,) = update(gribble, bo)["changes"]["emulators"]
    assert changed["parts"] == [
        {"part": "sheet", "name": "plover", "change": "changed", "words": ["title: nothing is now Plover II"]}
    ]
    path.rename(ada / "plover.sheet.toml")
    (ada / "catalogue/ruff.sheet.toml").write_text('sheet = 1\nemulator = "ruff"\n[folders]\n')
    publish(gribble, ada)
    effect = {"rig": "rig", "emulator": "plover", "was": "blocked", "is": "unknown", "lacks": []}
    assert update(gribble, bo)["effects"] == [effect]
    (ada / "plover.sheet.toml").rename(path)
    publish(gribble, ada)
    (back,) = update(gribble, bo)["effects"]
    assert (back["was"], back["is"]) == ("unknown", "blocked")


def test_ones_own_sheet_comes_first(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    shutil.copy(ada / "catalogue/plover.sheet.toml", bo / "own")
    ended = gribble("catalogue", "follow", "../ada/public", "--yes", cwd=bo, code=0)
    assert "your own sheets come first" in ended.words
    assert "It is not signed" in ended.words
    sheet(ada, need("a", A), need("b", B), need("c", C))
    publish(gribble, ada)
    assert update(gribble, bo)["effects"] == []


def test_only_updates_change_a_followed_catalogue(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    at = follow(gribble, bo)
    sheet(ada, need("c", C), emulator="knot")
    before = files_of(version_of(at))
    new, inside = "../ada/catalogue/knot.sheet.toml", f"followed/ada/{version_of(at).name}"
    for words in (
        ("catalogue", "add", new, "--into", inside, "--yes"),
        ("catalogue", "add", "../ada/catalogue", "--into", "followed/ada", "--yes"),
        ("catalogue", "capture", "rig", "--emulator", "knot", "--release", "1", "--out", f"{inside}/x.sheet.toml"),
        ("catalogue", "import", new, "--to", "sheet", "--out", f"{inside}/x.sheet.toml", "--yes"),
        ("catalogue", "publish", "../ada/catalogue", "--out", inside),
    ):
        assert "which only updates change" in gribble(*words, cwd=bo, code=2).words, words
    gribble("catalogue", "add", new, "--yes", cwd=bo, code=0)  # into the first that is one's own
    assert files_of(version_of(at)) == before
    assert (bo / "own/knot.sheet.toml").exists()
    gribble("catalogue", "refresh", cwd=bo, code=0)
    (at / "current.json").write_text("{")
    assert "no version of it" in gribble("doctor", cwd=bo).words
    assert update(gribble, bo)["done"]


def test_doctor_says_how_old_a_followed_catalogue_is(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    pointer = follow(gribble, bo) / "current.json"
    record = json.loads(pointer.read_text())
    for days, said in ((0, "newer one today"), (1, "1 day ago"), (90, "90 days ago"), (91, "catalogue update ada")):
        looked = datetime.now().date() - timedelta(days=days)
        pointer.write_text(json.dumps({**record, "looked": looked.isoformat()}))
        told = gribble("doctor", cwd=bo).words
        assert said in told
        assert ("catalogue update ada" in told) == (days > 90)
    (ada / "public" / INDEX).unlink()
    shutil.rmtree(ada / "public")
    assert "there is no published catalogue in" in update(gribble, bo, code=3)["error"]


def test_init_does_not_take_a_followed_catalogue_for_ones_own(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    follow(gribble, bo)
    before = (bo / "gribble.toml").read_bytes()
    gribble("init", "--again", "--yes", cwd=bo)
    assert b"00000" not in (bo / "gribble.toml").read_bytes()
    assert (bo / "gribble.toml").read_bytes().count(b"followed") == before.count(b"followed")


def test_ones_own_corrections_survive_updates(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    follow(gribble, bo)
    own = bo / "own/mine.sheet.toml"
    head = 'sheet = 1\nextends = "plover"\n'
    own.write_text(head + 'without = ["b"]\n' + need("c", C))

    def verdicts() -> dict[str, str]:
        found = gribble("check", "--json", cwd=bo).json["rigs"][0]["emulators"][0]["needs"]
        return {one["need"]: one["verdict"] for one in found}

    assert verdicts() == {"a": "sound", "c": "missing"}
    gribble("catalogue", "lint", cwd=bo, code=0)
    sheet(ada, need("a", C), need("b", B), need("d", A))
    publish(gribble, ada)
    assert update(gribble, bo)["done"]
    assert verdicts() == {"a": "imposter", "c": "missing", "d": "misnamed"}
    own.write_text(head + need("a", A))  # in place of Ada's
    assert verdicts() == {"a": "sound", "b": "astray", "d": "astray"}
    own.write_text(head + 'without = ["z"]\n')
    gribble("catalogue", "publish", "own", "--out", "back", "--only", "mine.sheet.toml", cwd=bo, code=0)
    assert set(files_of(bo / "back")) == {INDEX, "mine.sheet.toml"}
    gribble("catalogue", "publish", "own", "--out", "back", "--only", "nix.sheet.toml", cwd=bo, code=2)
    assert '"z" is no need of plover' in gribble("catalogue", "lint", "--strict", cwd=bo, code=1).words


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('extends = "plovver"\n', 'extends: there is no sheet for "plovver"; did you mean'),
        ('extends = "plover"\n' + need("a", A) + need("c", C, folder="roms"), "need[1].folder"),
        ('extends = "plover"\nemulator = "x"\n', "emulator: unknown key"),
        ("extends = 3\n", "extends: put the value in quotes"),
    ],
)
def test_wrong_corrections_are_told_and_left_out(
    gribble: Gribble, homes: tuple[Path, Path], text: str, said: str
) -> None:
    ada, bo = homes
    publish(gribble, ada)
    follow(gribble, bo)
    (bo / "own/mine.sheet.toml").write_text("sheet = 1\n" + text)
    ended = gribble("check", cwd=bo, code=2)
    assert said in ended.words
    assert "mine.sheet.toml" in ended.words


def test_saying_no_leaves_nothing(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    before = (bo / "gribble.toml").read_bytes()
    files(bo, {"followed/catalogue/mine.txt": b"mine"})
    (bo / "followed/catalogue-2/000001-0123456789").mkdir(parents=True)  # a follow that was broken off
    gribble("catalogue", "follow", "../ada/public", cwd=bo, code=1, stdin=b"n\n")
    assert (bo / "followed/catalogue/mine.txt").read_bytes() == b"mine"
    shutil.rmtree(bo / "followed/catalogue")
    assert (bo / "gribble.toml").read_bytes() == before
    assert not list((bo / "followed").iterdir())


def test_another_key_or_none_is_refused_with_both(gribble: Gribble, homes: tuple[Path, Path], tmp_path: Path) -> None:
    ada, bo = homes
    publish(gribble, ada, "--sign")
    at = follow(gribble, bo)
    before = files_of(version_of(at))
    sheet(ada, need("a", A), need("b", C))
    publish(gribble, ada, "--sign", XDG_DATA_HOME=str(tmp_path / "thief"))
    error = update(gribble, bo, code=2)["error"]
    assert len([word for word in error.replace("(", " ").split() if word in WORDS]) == 16
    index = json.loads((ada / "public" / INDEX).read_text())
    del index["signer"]
    (ada / "public" / INDEX).write_text(json.dumps(index))
    assert "it is not signed now" in update(gribble, bo, code=2)["error"]
    assert files_of(version_of(at)) == before


def test_a_first_key_is_shown_before_it_is_trusted(gribble: Gribble, homes: tuple[Path, Path], tmp_path: Path) -> None:
    ada, bo = homes
    publish(gribble, ada)
    follow(gribble, bo)
    text = (bo / "gribble.toml").read_text().replace('at = "followed/ada"', 'at = "./followed/../followed/ada"')
    (bo / "gribble.toml").write_text(text)
    sheet(ada, need("a", A))
    publish(gribble, ada, "--sign")
    told = gribble("catalogue", "update", cwd=bo, code=1).words
    assert "It is signed now, by" in told
    assert len([word for word in told.split() if word in WORDS]) >= 8
    assert update(gribble, bo)["done"]
    assert 'key = "ed25519:' in (bo / "gribble.toml").read_text()
    sheet(ada, need("b", B))
    publish(gribble, ada, "--sign", XDG_DATA_HOME=str(tmp_path / "thief"))
    assert "was signed by" in update(gribble, bo, code=2)["error"]


def test_a_current_version_that_is_damaged_is_mended(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    at = follow(gribble, bo)
    path = version_of(at) / "plover.sheet.toml"
    whole = path.read_bytes()
    path.write_bytes(whole[:-9])
    shutil.move(ada / "public/plover.sheet.toml", ada / "aside")
    assert update(gribble, bo, "--older", code=3)["error"]
    assert path.read_bytes() == whole[:-9], "nothing is taken away before the other is there"
    shutil.move(ada / "aside", ada / "public/plover.sheet.toml")
    assert update(gribble, bo, "--older")["done"]
    assert (version_of(at) / "plover.sheet.toml").read_bytes() == whole


def test_a_signature_over_other_bytes_is_refused(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada, "--sign")
    index = (ada / "public" / INDEX).read_text()
    (ada / "public" / INDEX).write_text(index.replace('"number":1', '"number":2'))
    gribble("catalogue", "follow", "../ada/public", "--yes", cwd=bo, code=3)
    (ada / "public" / INDEX).write_text(index)
    for wrong in (b"", b"?", base64.b64encode(bytes(64))):
        (ada / "public" / SIGNATURE).write_bytes(wrong)
        gribble("catalogue", "follow", "../ada/public", "--yes", cwd=bo, code=3)
    assert not list(bo.glob("followed/*"))


def test_a_lower_number_is_refused_unless_it_is_wished(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    shutil.copytree(ada / "public", ada / "old")
    sheet(ada, need("a", A), need("b", C))
    publish(gribble, ada)
    at = follow(gribble, bo)
    shutil.rmtree(ada / "public")
    shutil.move(ada / "old", ada / "public")
    refused = update(gribble, bo, code=2)
    assert "has number 1 now, but number 2" in refused["error"]
    assert (update(gribble, bo, "--older")["done"], current(at).number) == (True, 1)  # type: ignore[union-attr]
    assert "nothing new" in gribble("catalogue", "update", cwd=bo, code=0).words


# Whoever is in the way


def pages_of(folder: Path) -> dict[str, Page]:
    return {f"/x/{path.relative_to(folder)}": Page(path.read_bytes()) for path in folder.rglob("*") if path.is_file()}


def with_rosters(ada: Path, sets: int, changed: int | None = None) -> None:
    """An arcade sheet and a roster of so many sets, one of which may be another."""
    text = 'sheet = 1\nemulator = "gannet"\n[folders]\nsets = "sets"\n[arcade]\nfolder = "sets"\nrosters = "gannet-*.roster.jsonl"\n'
    (ada / "catalogue/gannet.sheet.toml").write_text(text)
    rng = random.Random(5)
    lines = ['{"roster":1,"emulator":"gannet","release":"1.0"}']
    for number in range(sets):
        digest, crc32 = rng.randbytes(20).hex(), rng.randbytes(4).hex()
        digest = "0" * 40 if number == changed else digest
        one = {"name": f"p{number}.bin", "size": 1024, "crc32": crc32, "sha1": digest}
        line = {"set": f"game{number}", "title": f"Game {number}", "files": [one]}
        lines.append(json.dumps(line, separators=(",", ":")))
    (ada / "catalogue/gannet-1.0.roster.jsonl").write_text("\n".join(lines) + "\n")


@pytest.mark.parametrize("sets", [3_000])
def test_little_travels_where_little_changed(gribble: Gribble, homes: tuple[Path, Path], sets: int) -> None:
    ada, bo = homes
    with_rosters(ada, sets)
    publish(gribble, ada)
    with web_server(pages_of(ada / "public")) as site:
        follow(gribble, bo, f"{site.address}/x")
        with_rosters(ada, sets, changed=sets // 2)
        publish(gribble, ada)
        site.pages.update(pages_of(ada / "public"))
        site.asked.clear()
        done = update(gribble, bo)
        assert len(site.asked) == 2, site.asked  # the index and one block
        index = site.pages[f"/x/{INDEX}"]
        index.etag = '"two"'
        gribble("catalogue", "update", "--undo", cwd=bo, code=0)
        assert update(gribble, bo)["done"], "what the server calls the newer version says nothing of the older"
        site.asked.clear()
        assert not update(gribble, bo)["done"]
        assert [(path, status) for path, _, status in site.asked] == [(f"/x/{INDEX}", 304)]
    assert done["changes"]["rosters"] == [
        {"name": "gannet-1.0.roster.jsonl", "emulator": "gannet", "new": 0, "gone": 0, "changed": 1}
    ]
    roster = (ada / "catalogue/gannet-1.0.roster.jsonl").read_bytes()
    assert (version_of(bo / "followed/ada") / "gannet-1.0.roster.jsonl").read_bytes() == roster
    assert b"".join(blocks_of("gannet-1.0.roster.jsonl", roster)) == roster


def test_a_block_of_an_earlier_version_comes_back(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    with_rosters(ada, 900)
    publish(gribble, ada)
    at = follow(gribble, bo)
    first = files_of(version_of(at))
    for changed in (450, None):
        with_rosters(ada, 900, changed=changed)
        publish(gribble, ada)
        assert update(gribble, bo)["done"]
    assert files_of(version_of(at)) == first


def test_a_version_that_was_damaged_on_its_way_in_is_fetched_anew(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    at = follow(gribble, bo)
    sheet(ada, need("a", A), need("b", C))
    publish(gribble, ada)
    gribble("catalogue", "update", cwd=bo, code=1)  # fetched, and not taken
    (waiting,) = (path for path in at.iterdir() if path.name.startswith("000002"))
    gribble("catalogue", "update", cwd=bo, code=1)
    assert waiting.exists(), "what has come is not fetched at each look"
    (waiting / "plover.sheet.toml").write_bytes(b"")
    assert update(gribble, bo)["done"]
    assert files_of(version_of(at))["plover.sheet.toml"] == (ada / "public/plover.sheet.toml").read_bytes()


def test_the_mistakes_of_what_somebody_publishes_are_told(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    at = follow(gribble, bo)
    before = files_of(version_of(at))
    text = (ada / "public/plover.sheet.toml").read_bytes().replace(b'kind = "bios"', b'kind = "bias"', 1)
    (ada / "public/plover.sheet.toml").write_bytes(text)
    index = json.loads((ada / "public" / INDEX).read_text())
    index["number"], index["files"][0]["size"] = 2, len(text)
    index["files"][0]["sha256"] = hashlib.sha256(text).hexdigest()
    (ada / "public" / INDEX).write_text(json.dumps(index))
    assert "need[0].kind" in gribble("catalogue", "update", "--yes", cwd=bo, code=2).words
    assert files_of(version_of(at)) == before


def cut(page: Page) -> None:
    page.cut = len(page.body) // 2


def longer(page: Page) -> None:
    page.body += b"#"


def other(page: Page) -> None:
    page.body = bytes(len(page.body))


def gone(page: Page) -> None:
    page.status = 404


def elsewhere(page: Page) -> None:
    page.status, page.headers = 302, {"Location": "http://127.0.0.1:1/secret"}


def to_a_file(page: Page) -> None:
    page.status, page.headers = 302, {"Location": "file:///etc/passwd"}


@pytest.mark.parametrize("ill", [cut, longer, other, gone, elsewhere, to_a_file])
def test_a_bad_part_leaves_the_former_version(
    gribble: Gribble, homes: tuple[Path, Path], ill: Callable[[Page], None]
) -> None:
    ada, bo = homes
    with_rosters(ada, 600)
    publish(gribble, ada)
    with web_server(pages_of(ada / "public")) as site:
        at = follow(gribble, bo, f"{site.address}/x/{INDEX}")
        before = files_of(version_of(at))
        with_rosters(ada, 900)
        publish(gribble, ada)
        new = {path: page for path, page in pages_of(ada / "public").items() if site.pages.get(path) != page}
        site.pages |= new
        index = json.loads(new[f"/x/{INDEX}"].body)
        order = [INDEX]
        for file in index["files"]:
            order += [f"{file['path']}.parts/{block[0][:20]}.gz" for block in file.get("blocks", ())] or [file["path"]]
        for path in (path for one in order if (path := f"/x/{one}") in new):
            page = Page(new[path].body)
            ill(page)
            site.pages[path] = page
            refused = update(gribble, bo, code=2 if path.endswith(INDEX) and ill in (longer, other) else 3)
            assert refused["error"]
            assert refused["fix"]
            assert not refused["done"]
            assert files_of(version_of(at)) == before, path
            site.pages[path] = new[path]
        site.asked.clear()
        assert update(gribble, bo)["done"]
        assert len(site.asked) < len(new)  # what had come before the last fault is not fetched again
    assert "gannet-1.0.roster.jsonl" in files_of(version_of(at))


def test_a_download_cut_at_any_tenth_leaves_the_former_version(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada, "--sign")
    with web_server(pages_of(ada / "public")) as site:
        at = follow(gribble, bo, f"{site.address}/x")
        before = files_of(version_of(at))
        sheet(ada, need("a", A), need("b", C))
        publish(gribble, ada)
        site.pages.update(pages_of(ada / "public"))
        for name in (INDEX, SIGNATURE, "plover.sheet.toml"):
            page = site.pages[f"/x/{name}"]
            for tenth in range(10):
                page.cut = len(page.body) * tenth // 10
                assert update(gribble, bo, code=3)["error"]
                assert files_of(version_of(at)) == before, (name, tenth)
            page.cut = None
        assert update(gribble, bo)["done"]


@pytest.mark.parametrize(
    "change",
    [
        {"path": "../out.sheet.toml"},
        {"path": "/etc/x.sheet.toml"},
        {"path": "a/b.sheet.toml"},
        {"path": ".gribble/x.sheet.toml"},
        {"path": "current.json"},
        {"path": "x.py"},
        {"path": INDEX},
        {"size": -1},
        {"size": 1 << 40},
        {"sha256": "zz"},
        {"sha256": "A" * 64},
        {"blocks": [["0" * 64, 4, 9]]},
        {"blocks": [["0" * 64, 3, 1 << 40]]},
        {"blocks": [["../../x", 3, 9]]},
    ],
)
def test_an_index_names_files_of_a_catalogue_and_no_others(change: dict[str, object]) -> None:
    part = {"path": "plover.sheet.toml", "size": 3, "sha256": "0" * 64}
    index = {
        "gribble": "catalogue/1", "title": "x", "number": 1, "date": "2026-11-30", "needs_gribble": ">=0.2",
        "files": [part],
    }  # fmt: skip
    assert read_index("x", json.dumps(index).encode()).bytes == 3
    with pytest.raises(Exception, match=INDEX):
        read_index("x", json.dumps({**index, "files": [{**part, **change}]}).encode())
    for wrong in ({"number": 0}, {"date": "soon"}, {"title": ""}, {"gribble": "catalogue/2"}, {"files": [part, part]}):
        with pytest.raises(Exception, match=INDEX):
            read_index("x", json.dumps({**index, **wrong}).encode())
    with pytest.raises(Exception, match="needs Gribble >=9"):
        read_index("x", json.dumps({**index, "needs_gribble": ">=9"}).encode())


def test_an_index_has_bounds_to_the_byte() -> None:
    def index(title: str = "x", files: int = 1, size: int = 3, pieces: int = 0) -> bytes:
        blocks = {"blocks": [[f"{number:064x}", size // pieces, 9] for number in range(pieces)]} if pieces else {}
        parts = [{"path": f"{n}.sheet.toml", "size": size, "sha256": f"{n:064x}", **blocks} for n in range(files)]
        head = {"gribble": "catalogue/1", "title": title, "number": 1, "date": "2026-11-30", "needs_gribble": ">=0.2"}
        return json.dumps({**head, "files": parts}).encode()

    for right, wrong in (
        (index(title="x" * 120), index(title="x" * 121)),
        (index(files=20_000), index(files=20_001)),
        (index(size=64 << 20), index(size=(64 << 20) + 1)),
        (index(size=1 << 30, pieces=16), index(size=(1 << 30) + 16, pieces=16)),
        (index(size=1 << 29, files=2, pieces=8), index(size=1 << 29, files=3, pieces=8)),
    ):
        assert read_index("x", right).files
        with pytest.raises(MistakesError):
            read_index("x", wrong)


def test_an_index_of_more_than_16_mib_is_not_read(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    _, bo = homes
    (bo / "huge").mkdir()
    with (bo / "huge" / INDEX).open("wb") as stream:
        stream.truncate((16 << 20) + 1)
    assert INDEX in gribble("catalogue", "follow", "huge", "--yes", cwd=bo, code=3).words


def test_a_full_disk_leaves_the_former_version(
    gribble: Gribble, homes: tuple[Path, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    ada, bo = homes
    publish(gribble, ada)
    at = follow(gribble, bo)
    before = files_of(version_of(at))
    sheet(ada, need("a", A), need("b", C))
    publish(gribble, ada)

    def full(_handle: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(following, "flush_file", full)
    assert "cannot be written" in update(gribble, bo, code=3)["error"]
    assert files_of(version_of(at)) == before
    monkeypatch.undo()
    assert update(gribble, bo)["done"]


def test_a_kill_at_any_act_leaves_one_version_or_the_other(
    gribble: Gribble, homes: tuple[Path, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    ada, bo = homes
    monkeypatch.setenv("HOME", str(bo))
    with_rosters(ada, 500)
    publish(gribble, ada)
    at = follow(gribble, bo)
    before = files_of(version_of(at))
    sheet(ada, need("a", A), need("b", C))
    publish(gribble, ada)
    after = {**before, "plover.sheet.toml": (ada / "public/plover.sheet.toml").read_bytes()}
    shutil.copytree(bo, bo.parent / "bo as it was")
    act, status = 0, 1
    while status:
        act += 1
        shutil.rmtree(bo)
        shutil.copytree(bo.parent / "bo as it was", bo)
        status = run_in_child(bo, "catalogue", "update", "--yes", kill_before=act)
        assert files_of(version_of(at)) in (before, after), act
        if status:
            update(gribble, bo)
        assert files_of(version_of(at)) == after, act
        assert sum(path.is_dir() for path in at.iterdir()) <= 3  # what a kill left goes with the next update
    assert act > 5
    assert os.WIFEXITED(status)


# What is announced, and what friends have


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_what_an_update_announces_is_what_check_then_finds(
    gribble: Gribble, tmp_path: Path, data: st.DataObject
) -> None:
    """Over random sheets of two emulators, random files on two rigs and in a source."""
    names = ("plover", "knot")
    contents = {word: word.encode() * 60 for word in "abcd"}

    def needs() -> list[str]:
        chosen = data.draw(st.lists(st.sampled_from("abcd"), unique=True))
        levels = [data.draw(st.sampled_from(["must", "better", "extra"])) for _ in chosen]
        swapped = [data.draw(st.sampled_from("abcd")) for _ in chosen]
        return [need(one, contents[two], level=level) for one, two, level in zip(chosen, swapped, levels, strict=True)]

    home = Path(tempfile.mkdtemp(dir=tmp_path))
    ada, bo = home / "ada", home / "bo"
    for name in names:
        ada.mkdir(exist_ok=True)
        sheet(ada, *needs(), emulator=name, folder=name)
    places = ["drawer/{}.bin", *(f"{rig}/{name}/{{}}.rom" for rig in ("one", "two") for name in names)]
    for number, place in enumerate(data.draw(st.lists(st.sampled_from(places), max_size=8))):
        word = data.draw(st.sampled_from("abcd"))
        files(bo, {place.format(word): contents["abcd"[(number + "abcd".index(word)) % 4]]})
    for folder in ("one", "two", "drawer"):
        (bo / folder).mkdir(parents=True, exist_ok=True)
    rigs = "".join(
        f'[rig.{rig}]\nat = "{rig}"\n[rig.{rig}.emulators]\nplover = "1"\nknot = "1"\n' for rig in ("one", "two")
    )
    (bo / "gribble.toml").write_text(f'sources = ["drawer"]\ncatalogues = []\n{rigs}')
    publish(gribble, ada)
    follow(gribble, bo)
    before = states(gribble, bo)
    for name in names:
        sheet(ada, *needs(), emulator=name, folder=name)
    publish(gribble, ada)
    found = gribble("catalogue", "update", "--json", cwd=bo).json["catalogues"][0]
    told = {(one["rig"], one["emulator"]): (one["was"], one["is"]) for one in found["effects"]}
    assert states(gribble, bo) == before
    update(gribble, bo)
    after = states(gribble, bo)
    assert {key: (before[key], state) for key, state in after.items() if state != before[key]} == {
        key: pair for key, pair in told.items() if pair[0] != pair[1]
    }
    assert all((before[key], after[key]) == pair for key, pair in told.items())


def test_what_one_lacks_another_gives_by_digest(gribble: Gribble, homes: tuple[Path, Path]) -> None:
    ada, bo = homes
    publish(gribble, ada)
    follow(gribble, bo)
    (bo / "drawer/b.bin").unlink()
    gribble("report", "--obtain", "wanted.csv", cwd=bo)
    assert "rig" not in (bo / "wanted.csv").read_text()
    assert str(bo) not in (bo / "wanted.csv").read_text()
    (ada / "gribble.toml").write_text('sources = ["mine"]\ncatalogues = []\n')
    files(ada, {"mine/another name.dat": B, "mine/b.rom": C})
    found = gribble("identify", "--against", "../bo/wanted.csv", "--json", cwd=ada, code=0).json["files"]
    assert [(one["file"], one["have"]) for one in found] == [("b.rom", [f"{ada}/mine/another name.dat"])]
    assert "You can give 1 of 1 file" in gribble("identify", "--against", "../bo/wanted.csv", cwd=ada, code=0).words


@pytest.mark.parametrize("saved_by", ["", "a spreadsheet, ;", "a spreadsheet, \t"])
def test_what_one_lacks_is_found_in_archives_and_told_by_tables_as_spreadsheets_save_them(
    gribble: Gribble, homes: tuple[Path, Path], saved_by: str
) -> None:
    ada, bo = homes
    quay, mill = "quay 47", "mill"  # the checksum of the first is 05233960
    crcs = [f"{zlib.crc32(one.encode()):08x}" for one in (quay, mill)]
    sets = [{"set": one.split()[0], "files": [{"name": "-x.bin", "size": len(one), "crc32": crc}]}
            for one, crc in zip((quay, mill), crcs, strict=True)]  # fmt: skip
    arcade_world(bo / "arcade", {"2": sets}, {}, installed='{ release = "2", wanted = ["quay", "mill"] }')
    gribble("report", "--obtain", str(ada / "wanted.csv"), cwd=bo / "arcade")
    if saved_by:
        rows = csv.reader((ada / "wanted.csv").read_text().splitlines())
        cells = [[str(int(cell)) if cell.isdigit() else cell for cell in row] for row in rows]
        with (ada / "wanted.csv").open("w", newline="") as stream:
            csv.writer(stream, delimiter=saved_by[-1]).writerows(cells)
    (ada / "gribble.toml").write_text('sources = ["mine"]\ncatalogues = []\n')
    files(ada, {"mine/old.zip": zipped({"a": quay, "b": mill, "c": "any other"})})
    found = gribble("identify", "--against", "wanted.csv", "--json", cwd=ada, code=0).json["files"]
    have = {one["what"]: (one["file"], one["have"]) for one in found}
    assert have == {
        "quay": ("-x.bin", [f"{ada}/mine/old.zip: a"]),
        "mill": ("-x.bin", [f"{ada}/mine/old.zip: b"]),
    }


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "has no column emulator"),
        ("emulator,for,file,size,crc32,md5,sha1,sha256\nx,,a.rom,1,zz,,,\n", "line 2: zz is no crc32"),
        (
            f"emulator;for;file;size;crc32;md5;sha1;sha256\nx;;a.rom;1;1.2E+15;;{'0' * 40};\n",
            "You can give 0 of 1 file",
        ),
        (
            "emulator;for;file;size;crc32;md5;sha1;sha256\nx;;a.rom;1;1.2E+15;;;\n",
            "line 2: 1.2e+15 is no crc32",
        ),
        ("emulator,for,file,size,crc32,md5,sha1,sha256\nx,,a.rom,-1,,,,\n", "line 2: -1 is no size"),
        ("emulator,for,file,size,crc32,md5,sha1,sha256\nx\n", "You can give 0 of 1 file"),
    ],
)
def test_a_table_that_is_none_is_told(gribble: Gribble, homes: tuple[Path, Path], text: str, said: str) -> None:
    _, bo = homes
    (bo / "wanted.csv").write_text(text)
    assert said in gribble("identify", "--against", "wanted.csv", cwd=bo).words
