"""Bad input of every kind: one clear line or a verdict with a reason, the rest goes on, nothing is lost."""

from __future__ import annotations

import os
import subprocess
import sys
import zipfile
from collections.abc import Callable
from contextlib import nullcontext
from pathlib import Path

import pytest

from gribble.demo.sheets import content
from tests.conftest import Gribble, tree
from tests.making import Ended, as_plain_user


def config(old: str, new: str) -> Callable[[Path], None]:
    return edit("gribble.toml", old, new)


def sheet(old: str, new: str) -> Callable[[Path], None]:
    return edit("catalogue/sandpiper.sheet.toml", old, new)


def edit(name: str, old: str, new: str) -> Callable[[Path], None]:
    def change(world: Path) -> None:
        text = (world / name).read_text()
        assert old in text
        (world / name).write_text(text.replace(old, new, 1))

    return change


def write(name: str, data: bytes) -> Callable[[Path], None]:
    def change(world: Path) -> None:
        path = os.path.join(os.fsencode(world), os.fsencode(name))
        os.makedirs(os.path.dirname(path), exist_ok=True)
        with open(path, "wb") as stream:
            stream.write(data)

    return change


def climbing_zip(world: Path) -> None:
    with zipfile.ZipFile(world / "drawer/odd.zip", "w") as archive:
        archive.writestr("../../x", content("vesper-sound"))


def link_out(world: Path) -> None:
    (world / "rigs/lighthouse/sandpiper/boot/tern8.rom").rename(world / "outside.rom")
    (world / "rigs/lighthouse/sandpiper/boot/tern8.rom").symlink_to(world / "outside.rom")


def remove(name: str) -> Callable[[Path], None]:
    return lambda world: os.rename(world / name, world / "put aside")


def huge_file(world: Path) -> None:
    with (world / "drawer/huge.bin").open("wb") as stream:
        stream.truncate(300 << 20)


def large_file(world: Path) -> None:
    with (world / "drawer/large.bin").open("wb") as stream:
        stream.truncate((64 << 20) + 1)


def truncate(name: str, to: int = 100) -> Callable[[Path], None]:
    return lambda world: os.truncate(world / name, to)


def nothing(_world: Path) -> None:
    """Nothing is broken but the command."""


# what is broken: how, command, exit status, what it must say (on either stream)
CASES: dict[str, tuple[Callable[[Path], None], str, int, list[str]]] = {
    "a missing source": (remove("drawer"), "check", 1, ["drawer is away since", "50 files", "counts as yours"]),
    "an empty configuration": (write("gribble.toml", b""), "check", 1, ["no emulator is entered"]),
    "a configuration that is no TOML": (write("gribble.toml", b"rig = ="), "check", 2, ["gribble.toml", "not TOML", "line 1"]),
    "a configuration in another encoding": (write("gribble.toml", b"\xfch"), "check", 2, ["not UTF-8"]),
    "an unknown key": (config("sources", "source"), "check", 2, ["source", "did you mean 'sources'?"]),
    "a wrong type": (config('["EU", "US"]', '"EU"'), "check", 2, ["regions", "should be a list"]),
    "an emulator without a sheet": (config("sandpiper =", "sandpipr ="), "check", 2, ["did you mean 'sandpiper'?"]),
    "a gap that the sheet does not know": (config('"lumen-us"', '"lumen-uk"'), "check", 2, ["did you mean 'lumen-us'?"]),
    "a folder that climbs out": (sheet('"sandpiper/boot"', '"../boot"'), "check", 2, ["folders.boot", "climbs out"]),
    "an absolute folder": (sheet('"sandpiper/boot"', '"/boot"'), "check", 2, ["folders.boot", "is absolute"]),
    "a folder with a drive": (sheet('"sandpiper/boot"', '"C:/boot"'), "check", 2, ["folders.boot", "drive letter"]),
    "a broken sheet, checking": (sheet("[folders]", "[folder]"), "check", 2, ["did you mean 'folders'?", "Dunlin 2.0"]),
    "a broken sheet, placing": (sheet("[folders]", "[folder]"), "place --yes", 2, ["did you mean 'folders'?"]),
    "two needs with one id": (sheet('"tern-clock"', '"tern-test"'), "check", 2, ["is the id of need[4] too"]),
    "a choice with one member": (edit("catalogue/knot.sheet.toml", 'choice = "gannet-tape"\n', ""), "check", 2, ["need[3].choice", "has only this one need"]),
    "a manifest that climbs out": (write("catalogue/fulmar-help.md5", b"0" * 32 + b"  ../x"), "check", 2, ["fulmar-help.md5, line 1", "climbs out"]),
    "a manifest that is gone": (remove("catalogue/fulmar-help.md5"), "check", 2, ["need[6].manifest", "no such file"]),
    "a device root that is no path": (config('"/media/stick"', '"card"'), "check", 2, ["seen_as", "should be absolute"]),
    "a binary settings file": (write("rigs/lighthouse/sandpiper/sandpiper.ini", b"[\0"), "check", 1, ["sandpiper.ini is not a text file"]),
    "a half-written settings file": (truncate("rigs/lighthouse/redshank/redshank.json", 20), "why redshank", 1, ["is not JSON"]),
    "a settings file with the key twice": (write("rigs/lighthouse/curlew/curlew.yaml", b"desk: 1\ndesk: 2"), "check curlew", 1, ["has desk.folder twice"]),
    "no settings file": (remove("rigs/lighthouse/curlew/voice.xml"), "why curlew", 1, ["is not there; start Curlew once"]),
    "a key file of 50 MB": (write("rigs/stick/redshank/system/petrel.keys", b"a" * 50_000_000), "check redshank", 1, ["larger than 1 MiB"]),
    "a folder of key files": (nothing, "keys check drawer", 2, ["drawer is a folder", "gribble identify"]),
    "a merge of what is no key file": (nothing, "keys merge gribble.toml gribble.toml --out x", 2, ["has no key"]),
    "a corrupt zip": (truncate("drawer/LUMEN_BIOS_EU.ZIP"), "check", 1, ["LUMEN_BIOS_EU.ZIP: is a broken zip file: its end"]),
    "a zip member that climbs out": (climbing_zip, "check", 1, ["odd.zip: ../../x", "never used to write"]),
    "a pipe": (lambda world: os.mkfifo(world / "drawer/pipe"), "identify drawer", 0, ["drawer/pipe: is not a regular file"]),
    "a pipe by name": (lambda world: os.mkfifo(world / "drawer/pipe"), "identify drawer/pipe", 2, ["is not a regular file"]),
    "a circular link": (lambda world: os.symlink("loop", world / "drawer/loop"), "check", 1, ["loop: is a link that leads nowhere"]),
    "an empty file": (write("drawer/nothing.zip", b""), "identify drawer/nothing.zip", 0, ["is a broken zip file", "1 unknown"]),
    "300 MiB of nothing": (
        huge_file,
        "check", 1, ["blocked"],
    ),
    "a file too large for Gribble to find out what is wrong": (
        large_file, "identify drawer/large.bin", 0, ["too large for Gribble to find out what is wrong", "1 unknown"],
    ),
    "an unlock rule for no need": (
        edit("catalogue/avocet.sheet.toml", 'key_need = "skerry-lock"', 'key_need = "skerry-lok"'),
        "check", 2, ["unlock[0].key_need", "did you mean 'skerry-lock'?"],
    ),
    "a name that is not UTF-8": (write("drawer/\udcffodd", content("vesper-sound")), "check -v", 1, ["\\xffodd"]),
    "a name with escape codes": (write("drawer/\x1b[31mred\n", content("vesper-sound")), "plan whimbrel", 1, ["\\x1b[31mred\\x0a"]),
    "a name with markup": (write("drawer/[bold]x[/y]", content("vesper-sound")), "plan whimbrel", 1, ["[bold]x[/y]"]),
    "a rig that was there and is gone": (remove("rigs/stick"), "check --rig stick", 3, ["away", "is not there now"]),
    "a rig that is a file": (config('"rigs/stick"', '"gribble.toml"'), "check", 1, ["stick", "is a file, not a folder"]),
    "a rig that is a source": (config('"rigs/stick"', '"drawer"'), "check", 2, ["both a source and rig stick"]),
    "a rig under a folder that is not there": (
        config('"rigs/stick"', '"mnt/usb/stick"'), "place --rig stick --yes", 3, ["mnt/usb is not there: plug it in"],
    ),
    "a link in the rig that leads out": (link_out, "check sandpiper -v", 1, ["tern8.rom is a link, read through: ", "outside.rom"]),
    "an unknown emulator": (lambda _: None, "check sandpipper", 2, ["did you mean 'sandpiper'?"]),
    "an unknown rig": (lambda _: None, "check --rig stik", 2, ["did you mean 'stick'?"]),
    "a release without emulator": (lambda _: None, "check --as 3.2", 2, ["is not EMULATOR=RELEASE"]),
    "a release that is not a version": (config('"3.1"', '"nightly"'), "check", 1, ['"nightly" is not a version', "the newest one"]),
    "a place for several rigs": (lambda _: None, "check --at rigs/stick", 2, ["Name the rig too"]),
    "nothing to identify": (lambda _: None, "identify nowhere", 2, ["there is no file or folder called"]),
    "nothing to undo": (lambda _: None, "undo --yes", 2, ["no run to undo", "gribble history"]),
    "no answer": (lambda _: None, "place", 1, ["Nothing was changed"]),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_bad_input_ends_in_clear_words(gribble: Gribble, world: Path, case: str) -> None:
    breaks, words, code, says = CASES[case]
    gribble("check", cwd=world)
    breaks(world)
    before = tree(world)
    ended = gribble(*words.split(), cwd=world, code=code, COLUMNS="400")
    told = ended.out + ended.err
    for text in says:
        assert text in told
    assert "\x1b" not in told
    assert tree(world) == before


def test_hostile_names_are_placed_safely_and_taken_back(gribble: Gribble, world: Path) -> None:
    climbing_zip(world)
    os.symlink(world / "drawer", world / "rigs/lighthouse/out")
    before = tree(world)
    gribble("place", "--yes", cwd=world, code=1)
    assert (world / "rigs/stick/WHIMBREL/SYSTEM/SOUND.BIN").read_bytes() == content("vesper-sound")
    assert tree(world / "drawer") == {
        path.removeprefix("drawer/"): data
        for path, data in before.items()
        if path.startswith("drawer/")
        if path != "drawer/"
    }
    gribble("undo", "--yes", cwd=world, code=0)
    assert tree(world) == before


def test_a_rig_that_does_not_exist_yet_is_made(gribble: Gribble, world: Path) -> None:
    (world / "rigs/stick").rename(world / "drawer/old stick")
    checked = gribble("check", "--rig", "stick", cwd=world, code=1)
    assert "will be made" in checked.out
    assert not (world / "rigs/stick").exists()
    gribble("place", "--rig", "stick", "--yes", cwd=world, code=1)
    assert (world / "rigs/stick/WHIMBREL/SYSTEM/BANK-A.BIN").read_bytes() == content("vesper-bank-a")


def test_a_file_that_changed_between_look_and_act_refuses_its_step_alone(gribble: Gribble, world: Path) -> None:
    """The index is made to believe in the old content; only reading at the act itself can tell."""
    source = world / "drawer/old backup/drv_rev2.bin"
    (world / "drawer/old backup/drv_rev2 (copy).bin").unlink()
    gribble("check", cwd=world)
    from gribble.core.survey.index import Index
    from gribble.core.survey.walking import entry_of

    index = Index(world / ".gribble/index.sqlite")
    memory = index.memory(world / "drawer")
    before = entry_of("old backup/drv_rev2.bin", source.stat())
    (facts,) = memory.believe("old backup", [before])
    assert facts is not None
    source.write_bytes(bytes(len(content("drive-2"))))
    now = entry_of("old backup/drv_rev2.bin", source.stat())
    memory.remember(now, now.modified * 2, facts)
    memory.save()
    index.close()
    old = (world / "rigs/lighthouse/sandpiper/drive/drive.rom").read_bytes()
    ended = gribble("place", "--yes", cwd=world, code=3)
    assert "has changed since Gribble looked at it" in ended.out
    assert "Done: 27 steps of 28 on lighthouse" in ended.out
    assert (world / "rigs/lighthouse/sandpiper/drive/drive.rom").read_bytes() == old


def test_undo_refuses_where_the_user_has_changed_files_since(gribble: Gribble, world: Path) -> None:
    gribble("place", "--yes", cwd=world, code=1)
    (world / "rigs/lighthouse/sandpiper/drive/drive.rom").write_bytes(b"mine")
    (world / "rigs/lighthouse/apps/dunlin/disk/controller.bin").unlink()
    before = tree(world)
    ended = gribble("undo", "--yes", cwd=world, code=3)
    assert "sandpiper/drive/drive.rom is not the file that the run put there" in ended.err
    assert "apps/dunlin/disk/controller.bin is gone" in ended.err
    assert tree(world) == before
    gribble("undo", "--yes", "--leave-changed", cwd=world, code=0)
    assert (world / "rigs/lighthouse/sandpiper/drive/drive.rom").read_bytes() == b"mine"
    assert (world / "rigs/lighthouse/sandpiper/boot/TERN16.ROM").exists()


def test_two_gribbles_do_not_work_on_one_rig(gribble: Gribble, world: Path) -> None:
    import filelock

    folder = world / "rigs/lighthouse/.gribble"
    folder.mkdir()
    with filelock.FileLock(folder / "lock"):
        (folder / "lock.held").write_text("process 42 since 2026-11-23 10:00:00")
        ended = gribble("place", "--yes", cwd=world, code=3)
    assert "another Gribble is at work on lighthouse: process 42 since 2026-11-23 10:00:00" in ended.err


def test_too_little_room_refuses_the_plan_whole(world: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from gribble.core.base.errors import GribbleError
    from gribble.core.placing.room import check_room
    from gribble.core.placing.store import Free
    from gribble.core.records.steps import Copy
    from gribble.stores.local import LocalStore
    from gribble.stores.rigs import AnyPlace

    store, step = (
        LocalStore(world / "rigs/stick"),
        Copy(rig="stick", from_="/x", to="y", bytes=60_000),
    )
    for free, why in (
        (Free(1, 100_000, 14), ""),
        (Free(1, 100_000, None), ""),
        (Free(1, 80_000, 14), r"8\d,\d{3} bytes are to be written, 80,000 are free"),
        (Free(1, 100_000, 9), "10 files and folders are to be made, and there is room for 9"),
    ):
        monkeypatch.setattr(LocalStore, "free", lambda _self, _path, free=free: free)
        monkeypatch.setattr(LocalStore, "free_attic", lambda _self, free=free: free)
        with pytest.raises(GribbleError, match=why) if why else nullcontext():
            check_room(store, "stick", (step,), AnyPlace())


@pytest.mark.skipif(sys.platform != "linux", reason="permissions are dropped by a Linux call")
def test_without_permission_nothing_is_lost_and_the_reason_is_told(world: Path, clean_env: dict[str, str]) -> None:
    before = tree(world)
    stick = world / "rigs/stick"
    (world / "drawer/old backup").chmod(0)
    checked = as_plain_user(world, clean_env, "check")
    (world / "drawer/old backup").chmod(0o755)
    assert "drawer/old backup: folder cannot be read: permission denied" in checked.err
    assert checked.code == 1
    stick.chmod(0o555)
    placed = as_plain_user(world, clean_env, "place", "--rig", "stick", "--yes")
    stick.chmod(0o755)
    assert placed.code == 3
    assert "rig stick cannot be written" in placed.err
    assert tree(world) == before
    system = stick / "WHIMBREL/SYSTEM"
    system.chmod(0o555)
    (stick / "WHIMBREL").chmod(0o555)
    placed = as_plain_user(world, clean_env, "place", "whimbrel", "--rig", "stick", "--yes")
    (stick / "WHIMBREL").chmod(0o755)
    system.chmod(0o755)
    assert placed.code == 3
    assert "permission denied" in placed.out
    assert tree(world) == before


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="there is no device that is always full")
@pytest.mark.parametrize(
    ("line", "code", "told"),
    [
        ("check > /dev/full", 3, "gribble: the answer cannot be written: no space left on device"),
        ("--version > /dev/full", 3, "gribble: the answer cannot be written"),
        ("place --yes > /dev/full", 3, "gribble: the answer cannot be written"),
        ("check --rig nowhere 2> /dev/full", 2, ""),
        ("check --quiet >&-", 1, ""),
        ("check 2>&- | head -1", 0, ""),
    ],
)
def test_an_answer_that_cannot_be_written_ends_in_clear_words(
    world: Path, clean_env: dict[str, str], line: str, code: int, told: str
) -> None:
    before = tree(world / "rigs")
    shell = ["bash", "-c", f"{sys.executable} -m gribble {line}"]
    done = subprocess.run(shell, cwd=world, env=clean_env, capture_output=True, check=False, timeout=60)
    ended = Ended.of(done)
    assert ended.code == code
    assert told in ended.err
    assert "Traceback" not in ended.err
    assert "a fault of its own" not in ended.err
    assert tree(world / "rigs") == before


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ("check --from nofile", "there is no file or folder called nofile"),
        ("plan --from drawr", "called drawr; did you mean 'drawer'?"),
        ("why sandpiper --from nofile", "there is no file or folder called nofile"),
        ("identify nofile", "there is no file or folder called"),
        ("mend nofile", "there is no file or folder called"),
        ("scrub nofile", "there is no file or folder called"),
        ("watch nofile", "there is no folder called"),
        ("keys check nofile", "there is no file called nofile"),
        ("catalogue import nofile", "there is no file called nofile"),
        ("catalogue lint nofile", "there is no file or folder called nofile"),
        ("catalogue add nofile", "there is no file or folder called nofile"),
        ("catalogue compare nofile catalogue", "there is no file or folder called nofile"),
        ("catalogue capture nofile --emulator a --release 1 --out a.sheet.toml", "there is no folder called"),
        ("needs --catalogue nofile", "there is no folder called nofile"),
        ("place --plan nofile", "there is no file or folder called"),
        ("sets fit --room 1GB --wanted nofile", "there is no file or folder called nofile"),
        ("sets wanted --list nofile", "there is no file or folder called nofile"),
        ("sources add drawr", "called drawr; did you mean 'drawer'?"),
        ("identify drawer --config nofile", "there is no file called"),
    ],
)
def test_what_is_not_there_is_said_to_be_absent(gribble: Gribble, world: Path, words: str, said: str) -> None:
    told = gribble(*words.split(), cwd=world, code=2)
    assert said in told.err
    assert not told.out


def test_a_source_of_this_time_that_is_known_counts_while_it_is_away(gribble: Gribble, world: Path) -> None:
    (world / "drawer").rename(world / "box")
    here = gribble("check", "--from", "box", "--json", cwd=world).json
    (world / "box").rename(world / "elsewhere")
    away = gribble("check", "--from", "box", "--json", cwd=world)
    assert away.json["state"] == here["state"]
    assert "box is away" in away.err


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("sandpiper = 3.10", 'put the value in quotes: sandpiper = "3.10"'),
        ("sandpiper = 3", 'put the value in quotes: sandpiper = "3"'),
        ("sandpiper = 3.1.2", 'line 10: `sandpiper = 3.1.2` is not TOML: put the value in quotes: sandpiper = "3.1.2"'),
        ("sandpiper = { release = 3.10 }", 'put the value in quotes: release = "3.10"'),
        ('sandpiper = "3.1', 'line 10: `sandpiper = "3.1` is not TOML: the closing quote is missing'),
        ('sandpiper = "3.1"\nsandpiper = "3.2"', "line 11: `sandpiper = \"3.2\"` is not TOML: what this line sets is there twice"),
    ],
)  # fmt: skip
def test_a_release_without_quotes_is_told_how_to_write_it(gribble: Gribble, world: Path, line: str, said: str) -> None:
    config = world / "gribble.toml"
    config.write_text(config.read_text().replace('sandpiper = "3.1"', line, 1))
    assert said in gribble("check", cwd=world, code=2).err
