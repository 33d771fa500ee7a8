"""Track sheets, playlists and images: each fault by construction, and no text whatever breaks a parser."""

from __future__ import annotations

import os
import struct
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec import structs

from gribble.core.base.budget import TRACKS_BYTES
from gribble.core.discs.check import check_sheet, folded_paths, kind_of
from gribble.core.discs.images import Volume, check_compressed, image_faults, read_volume
from gribble.core.discs.looking import check_files, reader_below, sizes_below
from gribble.core.discs.mending import Around, mend_sheet, sheet_for
from gribble.core.discs.playlists import group, lines_of
from gribble.core.discs.sheets import FRAMES, read_sheet
from gribble.core.records.discs import Mended

CUE = 'FILE "disc.bin" BINARY\n  TRACK 01 MODE1/2352\n    INDEX 01 00:00:00\n  TRACK 02 AUDIO\n    INDEX 00 00:04:00\n    INDEX 01 00:06:00\n'
GDI = "3\n1 0 4 2352 track01.bin 0\n2 600 0 2352 track02.raw 0\n3 45000 4 2352 track03.bin 0\n"
CCD = "[Disc]\nTocEntries=3\n" + "".join(
    f"[Entry {n}]\nPoint={point}\nControl=0x04\nPLBA={place}\n"
    for n, (point, place) in enumerate((("0x01", 0), ("0x02", 450), ("0xa2", 900)))
)
SIZES = {
    "disc.img": 2352 * 900,
    "disc.sub": 96 * 900,
    "disc.bin": 2352 * 900,
    "track01.bin": 2352,
    "track02.raw": 2352,
    "track03.bin": 2352,
    "a.iso": 2048,
    "Б.iso": 9,
}

CASES: dict[str, tuple[str, bytes | str, list[tuple[str, str]], str]] = {
    # name: the sheet's path, its text, its faults with words of the reason, its verdict
    "a right cue": ("disc.cue", CUE, [], "sound"),
    "CR LF alone": ("disc.cue", CUE.replace("\n", "\r\n"), [], "sound"),
    "a right gdi": ("disc.gdi", GDI, [], "sound"),
    "a right playlist": ("disc.m3u", "# mine\na.iso\ndisc.bin\n", [], "sound"),
    "a name without quotes": ("disc.cue", CUE.replace('"', ""), [], "sound"),
    "blanks without quotes": ("disc.cue", CUE.replace('"disc.bin"', "my disc.bin"), [("quotes", "no quotation marks"), ("missing", "is not there")], "damaged"),
    "a quote missing": ("disc.cue", CUE.replace('bin"', "bin"), [("quotes", "is missing"), ("missing", "")], "damaged"),
    "another case": ("disc.cue", CUE.replace("disc", "Disc"), [("other-case", "line 1: is called disc.bin")], "damaged"),
    "a missing file": ("disc.cue", CUE.replace("disc", "disk"), [("missing", "line 1: is not there")], "damaged"),
    "a byte-order mark": ("disc.cue", b"\xef\xbb\xbf" + CUE.encode(), [("byte-order-mark", "cannot read")], "damaged"),
    "UTF-16": ("disc.cue", CUE.encode("utf-16"), [("encoding", "UTF-16")], "damaged"),
    "an older encoding": ("disc.cue", ("REM \u00e9\n" + CUE).encode("latin-1"), [("encoding", "line 1 is not UTF-8")], "damaged"),
    "a path that climbs": ("disc.cue", CUE.replace("disc.bin", "../disc.bin"), [("leaves-folder", "climbs out")], "damaged"),
    "an absolute path": ("disc.m3u", "/etc/passwd\n", [("absolute", "other machines do not have")], "damaged"),
    "an absolute path in a cue": ("disc.cue", CUE.replace("disc.bin", "C:\\\\discs\\\\disc.bin"), [("absolute", "an absolute path")], "damaged"),
    "track order": ("disc.cue", CUE.replace("TRACK 02", "TRACK 03"), [("order", "line 4: track 3 follows track 1")], "damaged"),
    "no index": ("disc.cue", CUE.replace("INDEX 01 00:06:00", "INDEX 02 00:06:00"), [("order", "track 2 has no INDEX 01")], "damaged"),
    "tracks that overlap": ("disc.cue", CUE.replace("00:06:00", "00:00:00"), [("overlap", "track 2 begins before")], "damaged"),
    "a track behind the end": ("disc.cue", CUE.replace("00:06:00", "10:06:00"), [("length", "track 2 begins after the end")], "damaged"),
    "a time that is none": ("disc.cue", CUE.replace("00:06:00", "00:06:75"), [("syntax", "is not a time"), ("order", "no INDEX 01")], "damaged"),
    "track 100": ("disc.cue", CUE.replace("TRACK 02", "TRACK 100"), [("track-count", "tracks 1 to 99"), ], "damaged"),
    "a track count that is wrong": ("disc.gdi", GDI.replace("3\n", "4\n", 1), [("track-count", "says 4 tracks, and lists 3")], "damaged"),
    "a negative offset": ("disc.gdi", GDI.replace("track03.bin 0", "track03.bin -4"), [("syntax", "is negative")], "damaged"),
    "a playlist that lists itself": ("disc.m3u", "disc.m3u\na.iso\n", [("lists-itself", "")], "damaged"),
    "a playlist in a folder of its own": ("lists/disc.m3u", "../a.iso\n..\\disc.bin\n", [], "sound"),
    "a playlist of what is nowhere": ("lists/disc.m3u", "../b.iso\n../../a.iso\n", [("missing", "is not there")] * 2, "damaged"),
    "a playlist saved as text": ("disc.m3u.txt", "a.iso\n", [("ending", "extra ending .txt")], "damaged"),
    "a cue of nothing": ("disc.cue", "", [("no-sheet", "names no file")], "imposter"),
    "no text at all": ("disc.cue", b"\x00\x01\x02" * 9, [("no-sheet", "is not a text")], "imposter"),
    "a cue of a hundred megabytes": ("disc.cue", b"x" * (TRACKS_BYTES + 1), [("no-sheet", "never that long")], "imposter"),
    "a right ccd": ("disc.ccd", CCD, [], "sound"),
    "a ccd of a longer disc": ("disc.ccd", CCD.replace("PLBA=900", "PLBA=901"), [("length", "disc needs 901 sectors, but the file has 900")], "damaged"),
    "a ccd with an entry less": ("disc.ccd", CCD.replace("Entries=3", "Entries=4"), [("track-count", "says 4 entries, and lists 3")], "damaged"),
    "a ccd whose tracks overlap": ("disc.ccd", CCD.replace("PLBA=450", "PLBA=0"), [("overlap", "track 2 begins before")], "damaged"),
    "a ccd out of order": ("disc.ccd", CCD.replace("0x02", "0x03"), [("order", "track 3 follows track 1")], "damaged"),
    "a ccd without its image": ("disk.ccd", CCD, [("missing", "line 1: is not there")], "damaged"),
    "a ccd of nothing": ("disc.ccd", "[Disc]\nTocEntries=0\n", [("no-sheet", "no table of contents")], "imposter"),
    "a gdi that is prose": ("disc.gdi", "hello\n", [("no-sheet", "number of tracks")], "imposter"),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_a_sheet_gets_its_faults(case: str) -> None:
    path, text, faults, verdict = CASES[case]
    data = text if isinstance(text, bytes) else text.encode()
    found = check_sheet(path, read_sheet(kind_of(path), data, path), {**SIZES, path: 1}, folded_paths(SIZES))
    assert [one.fault for one in found.findings] == [fault for fault, _ in faults]
    assert all(words in one.reason for one, (_, words) in zip(found.findings, faults, strict=True))
    assert found.verdict == verdict


def test_on_a_volume_that_folds_case_a_sheet_may_spell_its_files_so() -> None:
    sheet = read_sheet("cue", CUE.replace("disc", "Disc").encode(), "disc.cue")
    exact, folds = (
        check_sheet("disc.cue", sheet, SIZES, folded_paths(SIZES), folds_case=folds) for folds in (False, True)
    )
    assert (exact.verdict, folds.verdict) == ("damaged", "sound")
    short = {**SIZES, "disc.bin": 5}
    cut = check_sheet("disc.cue", sheet, short, folded_paths(short), folds_case=True)
    assert {one.fault for one in cut.findings} == {"length"}


def test_sectors_that_do_not_divide_a_file() -> None:
    sheet = read_sheet("cue", CUE.encode())
    found = check_sheet("disc.cue", sheet, {"disc.bin": 2352 * 900 - 1}, {})
    assert [one.fault for one in found.findings] == ["length"]
    assert [(track.number, track.start) for track in sheet.files[0].tracks] == [(1, 0), (2, 6 * FRAMES)]


def image(sectors: int, form: int = 2048, skip: int = 0, system: bytes = b"TERN") -> bytes:
    """The beginning of an image: a volume descriptor in its place."""
    content = b"\x01CD001\x01\0" + system.ljust(32) + b"HERRING".ljust(32) + bytes(8)
    content += struct.pack("<I", sectors) + struct.pack(">I", sectors)
    return bytes(16 * form + skip) + content.ljust(2048, b"\0")


@pytest.mark.parametrize(("form", "skip"), [(2048, 0), (2352, 16), (2352, 24), (2336, 8)])
def test_a_volume_is_read_in_every_form(form: int, skip: int) -> None:
    data = image(40, form, skip)
    volume = read_volume(lambda at, length: data[at : at + length])
    assert volume is not None
    assert (volume.system, volume.label, volume.sectors, volume.sector_bytes) == ("TERN", "HERRING", 40, form)
    assert list(image_faults("a.iso", 40 * form, volume)) == []
    assert ["too short" in one.reason for one in image_faults("a.iso", 39 * form, volume)] == [True]
    assert [one.fault for one in image_faults("a.iso", 41 * form + 1, volume)] == ["length"]
    assert [one.fault for one in image_faults("a.iso", 0, None)] == ["empty"]


def test_a_folder_of_discs(tmp_path: Path) -> None:
    (tmp_path / "right").mkdir()
    (tmp_path / "right/disc.cue").write_text(CUE)
    (tmp_path / "right/disc.bin").write_bytes(bytes(2352 * 900))
    (tmp_path / "lone.bin").write_bytes(bytes(2352))
    (tmp_path / "short.iso").write_bytes(image(400)[:-1].ljust(20 * 2048, b"\0"))
    (tmp_path / "whole.iso").write_bytes(image(20).ljust(20 * 2048, b"\0"))
    (tmp_path / "unknown.iso").write_bytes(b"x" * 2048)
    sizes, reader = sizes_below(tmp_path, []), reader_below(tmp_path)
    found = {one.path: one for one in check_files(sizes, reader)}
    assert {path: one.verdict for path, one in found.items()} == {
        "right/disc.cue": "sound", "lone.bin": "unproven", "short.iso": "damaged", "whole.iso": "sound",
        "unknown.iso": "unproven",
    }  # fmt: skip
    assert found["whole.iso"].label == "HERRING (TERN)"
    assert "no track sheet names this image" in found["lone.bin"].findings[0].reason
    assert [one.path for one in check_files(sizes, reader, "right/disc.cue")] == ["right/disc.cue"]


WORDS = st.sampled_from(['FILE "a.bin" BINARY', "TRACK 01 MODE1/2352", "TRACK 99 AUDIO", "INDEX 01 00:00:00", "INDEX", "TRACK",
                         "FILE", '"', "3", "1 0 4 2352 t.bin 0", "1 -9 4 0 t.bin -1", "#EXT", "..", "a\\b", "\0", "é", "INDEX 01 99:59:74", "[Entry 0]", "[Disc]", "TocEntries=9", "Point=0x01", "Point=0xa2", "PLBA=-1", "PLBA=99999", "="])  # fmt: skip


@settings(max_examples=50_000 if os.environ.get("GRIBBLE_SOAK") else 400)
@given(
    data=st.one_of(st.binary(max_size=300), st.lists(WORDS, max_size=30).map(lambda words: "\n".join(words).encode())),
    kind=st.sampled_from(["cue", "gdi", "ccd", "m3u"]),
    size=st.integers(0, 1 << 40),
)
def test_no_text_breaks_a_parser(data: bytes, kind: str, size: int) -> None:
    sheet = read_sheet(kind, data)
    found = check_sheet(f"x.{kind}", sheet, {"a.bin": size, "t.bin": size}, {})
    assert found.verdict in ("sound", "damaged", "imposter")
    assert all(one.reason for one in found.findings)
    volume = read_volume(lambda at, length: data[at % 7 :][:length])
    assert volume is None or volume.sector_bytes
    sizes = {"a.bin": size, "t.BIN": size, "b.bin": 2352}
    mended = mend_sheet(f"x.{kind}", sheet, data, Around(sizes, folded_paths(sizes), {"a.bin", "t.BIN"}))
    assert mended is None or (mended.changes and mended.path == f"x.{kind}")
    assert check_compressed("x.chd", size, data[:124]).verdict in ("sound", "unproven", "damaged", "imposter")


def cue_of(names: list[str]) -> bytes:
    lines = (f'FILE "{name}" BINARY\n  TRACK {n:02} AUDIO\n    INDEX 01 00:00:00\n' for n, name in enumerate(names, 1))
    return "".join(lines).encode()


def mended(names: list[str], sizes: dict[str, int]) -> Mended | None:
    """What mending makes of a cue sheet of one track in each file, where these files are there."""
    data = cue_of(names)
    return mend_sheet("d.cue", read_sheet("cue", data), data, Around(sizes, folded_paths(sizes), set(names)))


@given(
    st.integers(2, 20), st.sampled_from(["s-{:02}.bin", "T{}.BIN", "Title (Track {}).img", "{} of it.raw"]), st.data()
)
def test_renamed_tracks_are_found_again_by_their_numbers(count: int, pattern: str, data: st.DataObject) -> None:
    names = [f"old {n}.wrong" for n in range(count)]
    sizes = {pattern.format(n): 2352 * data.draw(st.integers(1, 9)) for n in range(1, count + 1)}
    one = mended(names, sizes)
    assert one is not None
    sheet = read_sheet("cue", one.text.encode())
    assert [file.name for file in sheet.files] == [pattern.format(n) for n in range(1, count + 1)]
    assert check_sheet("d.cue", sheet, sizes, {}).verdict == "sound"
    spoiled = data.draw(st.sampled_from(sorted(sizes)))
    assert mended(names, {**sizes, spoiled: sizes[spoiled] + 1}) is None, "a length that does not fit proves nothing"
    assert mended(names, {**sizes, f"copy {spoiled}": sizes[spoiled]}) is None, "of two that fit neither is taken"


def test_one_image_is_found_by_its_length_alone_or_not_at_all() -> None:
    assert mended(["disc.bin"], {"x.bin": 2352, "note.txt": 2352}) is not None
    assert mended(["disc.bin"], {"x.bin": 2352, "y.bin": 2352}) is None
    assert mended(["disc.bin"], {"x.bin": 2352, "y.bin": 999}) is not None
    assert mended(["disc.bin"], {"x.bin": 0}) is None
    assert mended(["Tide (Disc 1).bin"], {"Tide (Disc 2).bin": 2352}) is None, "another disc of the same title"
    assert mended(["Tide (Disc 1).bin"], {"tide disk 1.bin": 2352}) is not None
    assert mended(["a.bin", "b.bin"], {"Tide (Disc 1).bin": 2352, "Tide (Disc 2).bin": 2352}) is None
    gdi = b"2\n1 0 4 2352 a.bin 0\n2 600 0 2352 b.raw 0\n"
    sizes = {"b.raw": 2352, "x.bin": 2352 * 601}
    assert mend_sheet("d.gdi", read_sheet("gdi", gdi), gdi, Around(sizes, {}, {"a.bin", "b.raw"})) is None, (
        "longer than its place"
    )
    sizes["x.bin"] = 2352 * 600
    one = mend_sheet("d.gdi", read_sheet("gdi", gdi), gdi, Around(sizes, {}, {"a.bin", "b.raw"}))
    assert one is not None
    assert one.text == gdi.decode().replace("a.bin", "x.bin")


def test_an_older_encoding_is_only_rewritten_where_its_names_are_found() -> None:
    data = cue_of(["caf\u00e9.bin"]).decode().encode("cp1252")
    sheet = read_sheet("cue", data)
    one = mend_sheet("d.cue", sheet, data, Around({"caf\u00e9.bin": 2352}, {}, set()))
    assert one is not None
    assert one.text.encode() == cue_of(["caf\u00e9.bin"])
    assert mend_sheet("d.cue", sheet, data, Around({"caf?.bin": 2352}, {}, {"caf?.bin"})) is None


def test_a_sheet_is_made_only_for_an_image_that_its_volume_fills() -> None:
    raw = Volume(system="", label="", sectors=100, sector_bytes=2352, skip=24)
    made = sheet_for("a/d.bin", 2352 * 100, raw, [])
    assert made is not None
    assert made.path == "a/d.cue"
    assert 'FILE "d.bin" BINARY\n  TRACK 01 MODE2/2352\n' in made.text
    assert sheet_for("d.bin", 2352 * 99, raw, []) is None
    assert sheet_for("d.bin", 2352 * 251, raw, []) is None, "more tracks may lie behind it"
    assert sheet_for("d.bin", 2352 * 100, raw, ["d.cue"]) is None
    assert sheet_for("d.bin", 2048 * 100, structs.replace(raw, sector_bytes=2048, skip=0), []) is None


GROUPS: dict[str, tuple[list[str], list[tuple[str, list[str], list[int]]]]] = {
    # name: the files; the playlists, each with its discs and the numbers that lack
    "sheets before images": (
        ["A/Tide (Disc 1).bin", "A/Tide (Disc 1).cue", "A/Tide (disc 2).cue"],
        [("A/Tide.m3u", ["A/Tide (Disc 1).cue", "A/Tide (disc 2).cue"], [])],
    ),
    "numbers as numbers": (["Sand CD10.iso", "Sand CD2.iso", "Sand CD1.iso"], [
        ("Sand.m3u", ["Sand CD1.iso", "Sand CD2.iso", "Sand CD10.iso"], [3, 4, 5, 6, 7, 8, 9]),
    ]),
    "one of four": (["Quay [Disk 3 of 4].tdf"], [("Quay.m3u", ["Quay [Disk 3 of 4].tdf"], [1, 2, 4])]),
    "sides": (["Quay - Side B.d", "Quay - Side A.d"], [("Quay.m3u", ["Quay - Side A.d", "Quay - Side B.d"], [])]),
    "disks with sides": (
        ["Salt Disk 2 Side A.d", "Salt Disk 1 Side B.d", "Salt Disk 1 Side A.d"],
        [("Salt.m3u", ["Salt Disk 1 Side A.d", "Salt Disk 1 Side B.d", "Salt Disk 2 Side A.d"], [])],
    ),
    "named by their folder": (["Herring/CD1.iso", "Herring/CD2.iso"], [("Herring/Herring.m3u", ["Herring/CD1.iso", "Herring/CD2.iso"], [])]),
    "regions stay apart": (
        ["Tide (EU) (Disc 1).iso", "Tide (US) (Disc 2).iso"], [("Tide (US).m3u", ["Tide (US) (Disc 2).iso"], [1])],
    ),
    "labels of their own": (
        ["Herring (Disc 1) (Ebb Disc).cue", "Herring (Disc 2) (Flood Disc).cue"],
        [("Herring.m3u", ["Herring (Disc 1) (Ebb Disc).cue", "Herring (Disc 2) (Flood Disc).cue"], [])],
    ),
    "labels and regions": (
        [f"Tide (Disc {n}) ({where}) ({label}).iso" for where in ("EU", "US") for n, label in ((1, "Ebb"), (2, "Flood"))],
        [(f"Tide ({where}).m3u", [f"Tide (Disc 1) ({where}) (Ebb).iso", f"Tide (Disc 2) ({where}) (Flood).iso"], [])
         for where in ("EU", "US")],
    ),
    "regions behind the number stay apart": (
        ["Tide (Disc 1) (EU).iso", "Tide (Disc 2) (US).iso"], [("Tide (US).m3u", ["Tide (Disc 2) (US).iso"], [1])],
    ),
    "behind a line": (
        ["gull_disc1.d", "gull_disc2.d", "tern_Side_A.d", "tern_Side_B.d"],
        [("gull.m3u", ["gull_disc1.d", "gull_disc2.d"], []), ("tern.m3u", ["tern_Side_A.d", "tern_Side_B.d"], [])],
    ),
    "Roman figures and words": (
        ["Crab Disc I.d", "Crab Disc II.d", "Crab Disc III.d", "Eel (Disc Two).d", "Eel (Disc One).d"],
        [("Crab.m3u", ["Crab Disc I.d", "Crab Disc II.d", "Crab Disc III.d"], []), ("Eel.m3u", ["Eel (Disc One).d", "Eel (Disc Two).d"], [])],
    ),
    "parts of a title": (
        ["Kelp Part II (Disc 1).d", "Kelp Part II (Disc 2).d", "Kelp Part III (Disc 1).d", "Reef Part II.d"],
        [("Kelp Part II.m3u", ["Kelp Part II (Disc 1).d", "Kelp Part II (Disc 2).d"], [])],
    ),
    "folders stay apart": (
        ["A/Tide (Disc 1).iso", "B/Tide (Disc 2).iso"], [("B/Tide.m3u", ["B/Tide (Disc 2).iso"], [1])],
    ),
    "no discs": (["Discovery 2.iso", "Sidecar B.iso", "Tide (Disc 1).txt", "Tide (Disc 2).jpg", "Part.iso"], []),
}  # fmt: skip


@pytest.mark.parametrize("case", GROUPS)
def test_discs_are_grouped_by_title(case: str) -> None:
    paths, expected = GROUPS[case]
    found = group(paths)
    assert [(one.path, list(one.discs), list(one.missing)) for one in found] == expected


@given(
    st.integers(1, 60),
    st.randoms(use_true_random=False),
    st.sampled_from(["(Disc {})", "CD{}", "- Disk {} of 60", "[disc {}]"]),
)
def test_many_discs_in_any_order_make_one_playlist(count: int, chance: Any, habit: str) -> None:
    paths = [f"x/Shore {habit.format(number)}.iso" for number in range(1, count + 1)]
    shuffled = list(paths)
    chance.shuffle(shuffled)
    found = group(shuffled)
    if count > 1 or "of" in habit:
        assert [list(one.discs) for one in found] == [paths]
        assert len(found[0].missing) == (60 - count if "of" in habit else 0)


def test_a_playlist_is_merged_with_what_it_had() -> None:
    had = ["# mine", "b.iso", "", "extra.iso", "extra.iso"]
    assert lines_of(["a.iso", "b.iso"], had) == ["# mine", "a.iso", "b.iso", "extra.iso"]
    assert lines_of(["a.iso"], lines_of(["a.iso"], [])) == ["a.iso"]


def test_a_playlist_in_another_order_is_told_and_put_in_order() -> None:
    sizes = {"Tide (Disc 1).cue": 1, "Tide (Disc 2).cue": 1, "Tide.m3u": 1}
    wrong, right = (f"# mine\nTide (Disc {a}).cue\nTide (Disc {b}).cue\n" for a, b in ((2, 1), (1, 2)))
    found = check_sheet("Tide.m3u", read_sheet("m3u", wrong.encode()), sizes, folded_paths(sizes))
    assert (found.verdict, [one.fault for one in found.findings]) == ("damaged", ["order"])
    assert check_sheet("Tide.m3u", read_sheet("m3u", right.encode()), sizes, folded_paths(sizes)).verdict == "sound"
    made = mend_sheet(
        "Tide.m3u", read_sheet("m3u", wrong.encode()), wrong.encode(), Around(sizes, folded_paths(sizes), set())
    )
    assert made is not None
    assert made.text == right


def test_a_file_of_an_absolute_path_that_lies_beside_is_written_so() -> None:
    for name in ("/home/ada/discs/disc.bin", "C:\\discs\\disc.bin"):
        text = CUE.replace("disc.bin", name)
        sheet = read_sheet("cue", text.encode())
        (fault,) = check_sheet("disc.cue", sheet, SIZES, folded_paths(SIZES)).findings
        assert (fault.fault, fault.remedy) == ("absolute", "write disc.bin instead")
        made = mend_sheet("disc.cue", sheet, text.encode(), Around(SIZES, folded_paths(SIZES), set()))
        assert made is not None
        assert made.text == CUE
