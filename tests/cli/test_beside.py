"""What Gribble writes beside rigs: whoever else writes there, and whenever it is killed, nothing is overwritten, swapped
or lost."""

from __future__ import annotations

import itertools
import json
import os
import random
import re
import shutil
import stat
import tomllib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from gribble.core.base import filewriter
from gribble.core.base.errors import GribbleError
from gribble.core.base.paths import FOLDER_LOCK
from tests.conftest import Gribble
from tests.making import A, B, Forked, files, forked, kill, need, sha1, sheet, small_world

SOAK = bool(os.environ.get("GRIBBLE_SOAK"))
KEYS = 'id = "k"\nkind = "keys"\nlevel = "extra"\nfolder = "boot"\nname = "p.keys"\n[[need.key]]\nname = "seal_{}"\n'
TIMES = range(8)


def content(number: int) -> bytes:
    return b"content of number %d." % number * 200


@pytest.fixture
def beside(tmp_path: Path) -> Path:
    """A world in which gribble.toml, the catalogue and all that commands write are in one folder."""
    world = small_world(tmp_path / "world", {})
    shutil.rmtree(world / "catalogue")
    needs = [need(f"m{n}", content(n)) for n in TIMES]
    keys = "[[need]]\n" + KEYS.format(0) + "".join(f'[[need.key]]\nname = "seal_{n}"\n' for n in TIMES[1:])
    sheet(world, *needs, keys)
    os.rename(world / "catalogue/plover.sheet.toml", world / "plover.sheet.toml")
    (world / "catalogue").rmdir()
    (world / "gribble.toml").write_text((world / "gribble.toml").read_text().replace('["catalogue"]', '["."]'))
    for n in TIMES:
        files(world, {f"drawer/bad-{n}": content(n) + bytes(96), f"drawer/{n}.keys": b"seal_%d = %02x\n" % (n, n)})
        files(world, {f"rig/.gribble/attic/0001/{n}/d{n}.rom": b"d%d" % n})
        files(world, {f"discs{n}/t{n} (Disc {side}).cue": b"" for side in (1, 2)})
        files(world, {f"rig/boot/c{n}.rom": b"c%d" % n, f"../s{n}/x": b"x"})
        (world / f"l{n}.csv").write_text(f"name,size,sha1\nl{n}.rom,3,{sha1(b'l%d.' % n)}\n")
        (world / f"f{n}").mkdir()
        (world / f"f{n}/f{n}.sheet.toml").write_text(f'sheet = 1\nemulator = "f{n}"\n[folders]\nx = "x"\n')
    return world


class Command(NamedTuple):
    """A command that writes beside rigs, as often as there are numbers, and what tells that it has."""

    words: str
    file: str
    right: Callable[[bytes, int], bool]

    def of(self, number: int) -> list[str]:
        return self.words.format(n=number).split()

    def done(self, world: Path, number: int) -> bool:
        place = world / self.file.format(n=number)
        return place.exists() and self.right(place.read_bytes(), number)


def says(*parts: str) -> Callable[[bytes, int], bool]:
    return lambda data, n: all(part.format(n=n).encode() in data for part in parts)


def is_plan(data: bytes, _number: int) -> bool:
    return len(json.loads(data)["steps"]) > 0


COMMANDS = {
    "mend": Command("mend drawer/bad-{n} --into .", "m{n}.rom", lambda data, n: data == content(n)),
    "report": Command("report --csv r{n}.csv", "r{n}.csv", says("rig,emulator,release,state,kind", "m7")),
    "page": Command("report --html r{n}.html", "r{n}.html", says("<!DOCTYPE html>", "</html>")),
    "plan": Command("plan --out p{n}.json", "p{n}.json", is_plan),
    "keys": Command("keys merge drawer/{n}.keys --out k{n}", "k{n}", lambda d, n: d == b"seal_%d = %02x\n" % (n, n)),
    "capture": Command(
        "catalogue capture rig rig/boot/c{n}.rom --emulator c{n} --release 1 --out c{n}.sheet.toml",
        "c{n}.sheet.toml",
        says('emulator = "c{n}"', "c{n}.rom"),
    ),
    "capture into": Command(
        "catalogue capture rig rig/boot/c{n}.rom --emulator plover --release 1 --into plover.sheet.toml",
        "plover.sheet.toml",
        says('id = "m7"', '"c{n}.rom"'),
    ),
    "import": Command(
        "catalogue import l{n}.csv --emulator i{n} --yes --out i{n}.sheet.toml",
        "i{n}.sheet.toml",
        says('emulator = "i{n}"', "l{n}.rom"),
    ),
    "import into": Command(
        "catalogue import l{n}.csv --emulator plover --yes --into plover.sheet.toml",
        "plover.sheet.toml",
        says('id = "m7"', '"l{n}.rom"'),
    ),
    "restore": Command("attic restore d{n}.rom --into .", "d{n}.rom", lambda data, n: data == b"d%d" % n),
    "playlist": Command("discs playlist discs{n} --into . --yes", "t{n}.m3u", says("t{n} (Disc 1).cue", "(Disc 2)")),
    "again": Command("init --again --source ../s{n}", "gribble.toml", says('"../s{n}"', '"drawer"')),
    "add": Command("catalogue add f{n}", "f{n}.sheet.toml", says('emulator = "f{n}"')),
}
WELL = {"report": {1}, "page": {1}, "plan": {1}, "keys": {0, 1}, "import": {0, 1}, "import into": {0, 1}}


def left(world: Path) -> list[str]:
    """The work files that lie about; the memory's own are cleared when it is written again."""
    return [path.name for path in world.rglob(".gribble-*") if ".gribble" not in path.parts]


ROUNDS, STRIDE = (200, 1) if SOAK else (20, 4)


@pytest.mark.parametrize("part", range(4))
def test_commands_that_write_into_one_folder_side_by_side_do_not_meet(beside: Path, part: int) -> None:
    """Six and eight at once, of every pair in turn: each ends well, and what it wrote is there and right."""
    chance = random.Random(part)
    pairs = list(itertools.combinations_with_replacement(COMMANDS, 2))
    chance.shuffle(pairs)
    for round_ in range(part, ROUNDS, 4):
        world = beside.parent / f"round {round_}"
        shutil.copytree(beside, world)
        kinds = [pairs[round_ % len(pairs)][turn % 2] for turn in range(6 + 2 * (round_ % 2))]
        going = [(kind, n, Forked(world, tuple(COMMANDS[kind].of(n)), None)) for n, kind in enumerate(kinds)]
        for kind, n, child in going:
            child.answer(b"")
            said = child.ended()
            assert said.code in WELL.get(kind, {0}), (kind, n, said.words)
            assert ".gribble-" not in said.words
            assert "no such file" not in said.words
        for kind, n, _ in going:
            assert COMMANDS[kind].done(world, n), (kind, n)
        if "keys" in kinds:
            assert {stat.S_IMODE(path.stat().st_mode) for path in world.glob("k[0-9]")} == {0o600}
        assert left(world) == []
        shutil.rmtree(world)


def own_memory(where: object) -> bool:
    """Whether a path or a handle is of what Gribble remembers, and no part of the set-up."""
    path = os.readlink(f"/proc/self/fd/{where}") if isinstance(where, int) else str(where)
    return "/.gribble/" in f"{path}/" and "/.gribble/adding" not in path


def amid(act: Callable[[], object]) -> Callable[[], None]:
    """What makes a process do something once, just before it flushes the first file that is not its own memory."""

    def first() -> None:
        real = os.fsync

        def fsync(handle: Any) -> None:
            if not own_memory(handle):
                setattr(os, "fsync", real)  # noqa: B010
                act()
            real(handle)

        setattr(os, "fsync", fsync)  # noqa: B010

    return first


@pytest.mark.parametrize("other", sorted(COMMANDS))
@pytest.mark.parametrize("one", ["mend", "keys"])
def test_one_that_comes_while_another_writes_does_not_meet_it(beside: Path, one: str, other: str) -> None:
    """The schedule is certain: the one has written its work file when the other runs from end to end."""
    said = forked(
        beside, *COMMANDS[one].of(0), first=amid(lambda: forked(beside, *COMMANDS[other].of(1), stdin=b"y\n"))
    )
    assert said.code in WELL.get(one, {0}), said.words
    assert COMMANDS[one].done(beside, 0)
    assert COMMANDS[other].done(beside, 1)


# Killed


def visible(world: Path) -> dict[str, bytes]:
    """What a person sees of the set-up; former files that are kept beside aside, and what is kept of a list, which says
    nothing until the sheet is there that names it."""
    paths = [path for path in world.rglob("*") if path.is_file()]
    parts = {path: path.relative_to(world).parts for path in paths}
    return {
        "/".join(parts[path]): path.read_bytes().replace(os.fsencode(world), b"WORLD")
        for path in paths
        if not any(part.startswith((".gribble", ".said")) for part in parts[path]) and ".before-" not in path.name
        if not path.name.endswith((".map.toml", ".list.gz"))
    }


ACTS = ("fsync", "replace", "link", "mkdir", "unlink", "rmdir", "rename", "chmod", "chown")


def kill_before(number: int) -> Callable[[], None]:
    """What kills a process before its n-th act that changes a disk."""

    def first() -> None:
        counted = itertools.count(1)

        def watched(real: Callable[..., Any]) -> Callable[..., Any]:
            def act(*args: Any, **named: Any) -> Any:
                if not own_memory(args[0]) and next(counted) == number:
                    kill()
                return real(*args, **named)

            return act

        for name in ACTS:
            setattr(os, name, watched(getattr(os, name)))

    return first


KILLED = {
    **{name: one for name, one in COMMANDS.items() if name != "page"},
    "replace": Command("catalogue add g --yes", "plover.sheet.toml", says("Newer")),
    "displace": Command("catalogue add h --replace plover", "other.sheet.toml", says("Newer")),
    "report again": Command("report --csv mine.csv --replace", "mine.csv", says("rig,emulator")),
}


@pytest.mark.parametrize("kind", sorted(KILLED))
def test_whenever_a_writer_is_killed_the_set_up_is_as_before_or_as_after(beside: Path, kind: str) -> None:
    command = KILLED[kind]
    newer = (beside / "plover.sheet.toml").read_text().replace("[folders]", 'title = "Newer"\n[folders]')
    files(beside, {"g/plover.sheet.toml": newer.encode(), "h/other.sheet.toml": newer.encode(), "mine.csv": b"mine"})
    before = visible(beside)
    golden = beside.parent / "golden"
    shutil.copytree(beside, golden)
    forked(golden, *command.of(0))
    assert command.done(golden, 0)
    after = visible(golden)
    for number in itertools.count(1, STRIDE):
        world = beside.parent / str(number)
        shutil.copytree(beside, world)
        code = forked(world, *command.of(0), first=kill_before(number)).code
        if code >= 0:
            assert number > 3, "hardly an act was counted: the test would prove nothing"
            return
        assert visible(world) in (before, after) or kind == "displace"
        assert forked(world, "catalogue", "list").code == 0
        now = visible(world)
        assert now in (before, after), "what was decided is finished by the next command that reads the catalogue"
        if now == before:
            forked(world, *command.of(0))
        assert visible(world) == after
        for one in golden.rglob("*.list.gz"):
            assert (world / one.relative_to(golden)).read_bytes() == one.read_bytes()
        files(world, {"mine.csv": b"mine"})
        forked(world, "report", "--csv", "last.csv", code=1)
        assert left(world) == [], "the next writer clears what a killed one left"
        kept = {path.read_bytes() for path in world.rglob("*.before-*")}
        assert kept <= set(before.values()), "only former files are kept"
        if now == after and kind in ("replace", "displace", "import into", "capture into"):
            assert before["plover.sheet.toml"] in kept
        shutil.rmtree(world)


def test_a_hidden_file_is_no_sheet(gribble: Gribble, tmp_path: Path) -> None:
    world = small_world(tmp_path / "world", {"drawer/a": A}, need("a", A))
    text = (world / "catalogue/plover.sheet.toml").read_text()
    for name in (".trial-of-plover.sheet.toml", "._plover.sheet.toml"):
        (world / "catalogue" / name).write_text(text.replace('"a.rom"', '"wrong.rom"'))
    assert "wrong.rom" not in gribble("check", "--json", cwd=world, code=1).out
    assert "a.rom" in gribble("check", "--json", cwd=world, code=1).out


# Updates


def test_of_two_that_change_one_file_the_second_waits_then_says_so(
    beside: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The first one has read the file and not written it yet; the second would write over what the first one adds."""
    monkeypatch.setattr(filewriter, "LOCK_SECONDS", 0.2)
    for kind in ("import into", "capture into", "again"):
        second: list[int] = []
        record = beside / f"{kind}.said"

        def other(kind: str = kind, record: Path = record) -> None:
            said = forked(beside, *COMMANDS[kind].of(1))
            record.write_text(f"{said.code} {said.words}", encoding="utf-8")

        forked(beside, *COMMANDS[kind].of(0), first=amid(other))
        second = [int(record.read_text().split()[0])]
        assert second == [3]
        assert "another Gribble is writing in" in record.read_text()
        forked(beside, *COMMANDS[kind].of(1))
        assert COMMANDS[kind].done(beside, 0)
        assert COMMANDS[kind].done(beside, 1)


def test_what_another_program_saves_meanwhile_is_not_written_over(beside: Path) -> None:
    place = beside / "gribble.toml"
    before = place.read_text()
    save = amid(lambda: place.write_text(f"# mine\n{before}"))
    said = forked(beside, *COMMANDS["again"].of(0), first=save, code=3)
    assert "another program changed gribble.toml after Gribble had read it" in said.words
    assert place.read_text() == f"# mine\n{before}"
    assert left(beside) == []


# What is there already

FOREIGN = {
    "notes.md": b"# My notes\nwritten after a gribble report\n<!-- gribble report -->\n",
    "page.html": b'<!DOCTYPE html>\n<html lang="en">\n<head><title>mine</title>\n<meta name="generator" content="gribble report">',
    "table.csv": b"rig,emulator,release,state,mine\n",
    "wanted.csv": b"emulator,for,level,archive,mine\n",
    "plan.json": b'{"mine": {"gribble": "plan/1"}}',
    "empty line.json": b'\n{\n "gribble": "plan/1"}',
}
WRITERS = (
    "report --markdown",
    "report --html",
    "report --csv",
    "report --obtain",
    "plan --out",
    "keys merge drawer/1.keys --out",
)


@pytest.mark.parametrize("writer", WRITERS)
def test_what_a_command_did_not_write_is_refused_or_kept_beside(gribble: Gribble, beside: Path, writer: str) -> None:
    files(beside, FOREIGN)
    for name, data in FOREIGN.items():
        said = gribble(*writer.split(), name, cwd=beside, code=2)
        assert f"{name} is there already" in said.words
        assert "--replace" in said.words
        assert (beside / name).read_bytes() == data
        said = gribble(*writer.split(), name, "--replace", cwd=beside)
        assert said.code in (0, 1)
        assert f"{name}.before-1" in said.words, "it says where the former file is"
        assert (beside / name).read_bytes() != data
        assert (beside / f"{name}.before-1").read_bytes() == data
    again = gribble(*writer.split(), "notes.md", cwd=beside)
    assert again.code == (2 if writer.startswith("keys") else 1), "what it wrote itself gives way, but for keys"


def test_a_form_gives_way_to_its_own_command_alone(gribble: Gribble, beside: Path) -> None:
    gribble("report", "--csv", "r.csv", cwd=beside, code=1)
    text = (beside / "r.csv").read_text()
    for words in ("report --obtain r.csv", "report --html r.csv", "plan --out r.csv"):
        assert "is there already" in gribble(*words.split(), cwd=beside, code=2).err
    assert (beside / "r.csv").read_text() == text
    gribble("report", "--csv", "r.csv", cwd=beside, code=1)
    assert not list(beside.glob("*.before-*"))


def test_links_stay_links_and_what_is_no_file_is_refused(gribble: Gribble, beside: Path) -> None:
    (beside / "synced").mkdir()
    os.rename(beside / "gribble.toml", beside / "synced/gribble.toml")
    (beside / "gribble.toml").symlink_to("synced/gribble.toml")
    gribble("init", "--again", "--source", "../s1", cwd=beside, code=0)
    assert (beside / "gribble.toml").is_symlink()
    assert "s1" in (beside / "synced/gribble.toml").read_text()
    os.mkfifo(beside / "pipe")
    (beside / "nowhere").symlink_to("gone/page.html")
    for name, why in (
        ("pipe", "is not a regular file"),
        ("drawer", ""),
        ("rig", "is a folder"),
        ("nowhere", "is a link"),
    ):
        said = gribble("report", "--html", name, "--replace", cwd=beside)
        assert said.code in (2, 3)
        assert why in said.err
    assert stat.S_ISFIFO((beside / "pipe").stat().st_mode)


def test_a_mode_and_a_kept_file_are_as_they_were(gribble: Gribble, beside: Path) -> None:
    os.chmod(beside / "plover.sheet.toml", 0o640)
    os.utime(beside / "plover.sheet.toml", ns=(0, 10**18))
    gribble(*COMMANDS["import into"].of(1), cwd=beside)
    kept = (beside / "plover.sheet.toml.before-1").stat()
    assert (stat.S_IMODE(kept.st_mode), kept.st_mtime_ns) == (0o640, 10**18)
    assert stat.S_IMODE((beside / "plover.sheet.toml").stat().st_mode) == 0o640


# A friend's catalogue


def games_folder(base: Path) -> Path:
    world = small_world(base / "games", {"drawer/a": A, "rig/boot/b.rom": B})
    (world / "linked").symlink_to("drawer")
    files(world, {"friend/knot.sheet.toml": b'sheet = 1\nemulator = "knot"\n[folders]\nx = "x"\n'})
    return world


def inodes(world: Path) -> dict[str, tuple[int, int]]:
    """Which file each name is: a copy in its place would be another."""
    found = ((path, path.lstat()) for path in [world, *world.rglob("*")] if ".said" not in path.parts)
    return {str(path): (stat.S_IFMT(one.st_mode), one.st_ino) for path, one in found}


def test_adding_touches_nothing_else_in_the_folder(gribble: Gribble, tmp_path: Path) -> None:
    world = games_folder(tmp_path)
    before = inodes(world)
    gribble("catalogue", "add", "friend", "--into", ".", cwd=world, code=0)
    now = inodes(world)
    assert {path: one for path, one in now.items() if path in before} == before
    assert now.keys() - before.keys() == {str(world / "knot.sheet.toml")}
    assert not list(tmp_path.glob("games.before-*"))


def test_a_catalogue_that_is_a_link_stays_one(gribble: Gribble, tmp_path: Path) -> None:
    world = games_folder(tmp_path)
    os.rename(world / "catalogue", tmp_path / "synced")
    (world / "catalogue").symlink_to(tmp_path / "synced")
    gribble("catalogue", "add", "friend", cwd=world, code=0)
    assert (world / "catalogue").is_symlink()
    assert (tmp_path / "synced/knot.sheet.toml").exists()


def asked(world: Path, *words: str, meanwhile: Callable[[], object], answer: bytes = b"y\n") -> Any:
    """A command that asks; something is done while its question stands."""
    child = Forked(world, words, None)
    child.wait_for_question()
    meanwhile()
    child.answer(answer)
    return child.ended()


def test_a_sheet_that_is_edited_while_the_question_stands_is_not_replaced(tmp_path: Path) -> None:
    world = games_folder(tmp_path)
    mine = world / "catalogue/plover.sheet.toml"
    text = mine.read_text()
    files(world, {"friend/plover.sheet.toml": text.replace('"must"', '"extra"').encode()})
    said = asked(world, "catalogue", "add", "friend", meanwhile=lambda: mine.write_text(f"# edited\n{text}"))
    assert said.code == 3
    assert "plover.sheet.toml while Gribble was waiting for your answer" in said.words
    assert mine.read_text() == f"# edited\n{text}"
    assert not (world / "catalogue/knot.sheet.toml").exists()
    (world / "catalogue/mine.sheet.toml").write_text('sheet = 1\nemulator = "mine"\n[folders]\n')
    new = world / "catalogue/late.sheet.toml"
    said = asked(
        world,
        "catalogue",
        "add",
        "friend",
        meanwhile=lambda: new.write_text('sheet = 1\nemulator = "late"\n[folders]\n'),
    )
    assert said.code == 0, "a file that is not about to be replaced may come"
    assert new.exists()
    assert (world / "catalogue/plover.sheet.toml.before-1").read_text() == f"# edited\n{text}"


def test_a_local_sheet_under_another_name_goes_only_where_it_is_named(gribble: Gribble, tmp_path: Path) -> None:
    world = games_folder(tmp_path)
    mine = world / "catalogue/plover.sheet.toml"
    text = mine.read_text()
    files(world, {"friend/plover-ada.sheet.toml": text.replace('"must"', '"extra"').encode()})
    before = inodes(world / "catalogue")
    said = gribble("catalogue", "add", "friend", "--yes", cwd=world, code=1)
    assert "plover has a sheet here already: plover.sheet.toml" in said.words
    assert "--replace plover" in said.words
    assert inodes(world / "catalogue") == before
    said = gribble("catalogue", "add", "friend", "--replace", "plover", cwd=world, code=0)
    assert not mine.exists()
    assert (world / "catalogue/plover.sheet.toml.before-1").read_text() == text
    assert "plover.sheet.toml.before-1" in said.words
    gribble("check", cwd=world)
    assert "Nothing was changed" in gribble("catalogue", "add", "friend", cwd=world, code=0).words.replace(
        "nothing was changed", "Nothing was changed"
    )


def test_a_checksum_list_that_is_there_counts_for_a_sheet_that_arrives(gribble: Gribble, tmp_path: Path) -> None:
    world = games_folder(tmp_path)
    files(world, {"catalogue/desk.sha1": f"{sha1(A)}  a.rom\n".encode()})
    desk = 'sheet = 1\nemulator = "ruff"\n[folders]\nboot = "boot"\n[[need]]\nid = "desk"\nkind = "data"\n'
    desk += 'level = "extra"\nfolder = "boot"\nmanifest = "desk.sha1"\n'
    files(world, {"friend/ruff.sheet.toml": desk.encode()})
    gribble("catalogue", "add", "friend", cwd=world, code=0)
    (world / "catalogue/plover.sheet.toml").write_text("no sheet")
    files(world, {"friend/dunlin.sheet.toml": b'sheet = 1\nemulator = "dunlin"\n[folders]\nx = "x"\n'})
    said = gribble("catalogue", "add", "friend", cwd=world, code=0)
    assert "1 mistake" in said.words, "a local sheet with a mistake is told, and keeps nothing from arriving"
    files(world, {"friend/stint.sheet.toml": b'sheet = 1\nemulator = "ruff"\n[folders]\nx = "x"\n'})
    said = gribble("catalogue", "add", "friend", cwd=world)
    assert (said.code, "ruff" in said.words) == (1, True)


def test_a_read_only_catalogue_with_an_adding_cut_short_is_told_and_goes_on(gribble: Gribble, tmp_path: Path) -> None:
    world = games_folder(tmp_path)
    stage = world / "catalogue/.gribble/adding"
    files(world, {"catalogue/.gribble/adding/files/knot.sheet.toml": b"x"})
    (stage / "plan.json").write_text("no plan")
    assert "cannot be finished" in gribble("check", cwd=world).err
    assert "cannot be finished" in gribble("catalogue", "add", "friend", cwd=world, code=3).err
    (stage / "plan.json").write_text(
        json.dumps({"files": {"../up.sheet.toml": None}, "away": {"../gribble.toml": [0, 0, 0]}})
    )
    gribble("check", cwd=world)
    assert (world / "gribble.toml").exists()
    assert not (world / "up.sheet.toml").exists()


def leftovers(world: Path) -> Iterator[Path]:
    return world.glob(".gribble-new-*")


def test_only_the_work_files_of_the_dead_are_cleared(beside: Path) -> None:
    """A writer that lives keeps its work file, whoever else writes there."""
    forked(beside, *COMMANDS["report"].of(0), first=kill_before(2))
    assert len(list(leftovers(beside))) == 1
    record = beside / "seen"
    forked(
        beside,
        *COMMANDS["mend"].of(0),
        first=amid(
            lambda: (forked(beside, *COMMANDS["report"].of(1)), record.write_text(f"{len(list(leftovers(beside)))}"))
        ),
        code=0,
    )
    assert record.read_text() == "1"
    assert left(beside) == []
    assert re.search(r's1"', (beside / "gribble.toml").read_text()) is None
    assert tomllib.loads((beside / "gribble.toml").read_text())["catalogues"] == ["."]


def test_a_playlist_that_is_edited_while_the_question_stands_stays(tmp_path: Path) -> None:
    world = games_folder(tmp_path)
    files(world, {f"discs/Tern (Disc {n}).cue": b"" for n in (1, 2)})
    (world / "lists").mkdir()
    mine = world / "lists/Tern.m3u"
    mine.write_text("mine\n")
    words = ("discs", "playlist", "discs", "--into", "lists")
    said = asked(world, *words, meanwhile=lambda: mine.write_text("mine, edited\n"))
    assert said.code == 3, said.words
    assert mine.read_text() == "mine, edited\n"
    said = asked(world, *words, meanwhile=lambda: None)
    assert said.code in (0, 1)
    assert (world / "lists/Tern.m3u.before-1").read_text() == "mine, edited\n"


def test_an_adding_that_a_full_disk_cuts_short_is_finished_later(tmp_path: Path) -> None:
    world = games_folder(tmp_path)
    text = (world / "catalogue/plover.sheet.toml").read_text()
    files(world, {"friend/plover.sheet.toml": text.replace('"must"', '"extra"').encode()})

    def full(_source: str, target: str, **_named: object) -> None:
        raise OSError(28, "No space left on device", str(target))

    said = forked(world, "catalogue", "add", "friend", "--yes", first=lambda: setattr(os, "replace", full), code=3)
    assert "cannot be finished: no space left on device" in said.words
    assert (world / "catalogue/knot.sheet.toml").exists(), "what was done stays done"
    assert (world / "catalogue/plover.sheet.toml").read_text() == text
    assert "It is finished now" in forked(world, "check").words
    assert '"extra"' in (world / "catalogue/plover.sheet.toml").read_text()
    assert (world / "catalogue/plover.sheet.toml.before-1").read_text() == text
    assert not (world / "catalogue/.gribble/adding").exists()


def test_a_lock_that_was_removed_while_it_was_waited_for_is_none(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Some volumes only hide a file that is removed while it is open: its lock could be had, and keeps nobody off."""
    real, hidden = filewriter.claimed, tmp_path / ".hidden"

    def claimed(handle: int) -> bool | None:
        if not hidden.exists():
            (tmp_path / FOLDER_LOCK).rename(hidden)
        return real(handle)

    monkeypatch.setattr(filewriter, "claimed", claimed)
    with filewriter.locked(tmp_path):
        assert (tmp_path / FOLDER_LOCK).exists()
        monkeypatch.setattr(filewriter, "LOCK_SECONDS", 0.05)
        with pytest.raises(GribbleError, match="another Gribble is writing"), filewriter.locked(tmp_path):
            pass
    assert not (tmp_path / FOLDER_LOCK).exists()
