"""Limits, each at its last value that is taken and one beyond; and what decides between two that could both be taken."""

from __future__ import annotations

import io
import struct
import zipfile
from collections.abc import Callable

import pytest

from gribble.core.base.budget import (
    ARCHIVE,
    DIRECTORY,
    MEMBER_NAME,
    ROW_CHARACTERS,
    SETTINGS,
    TABLE_COLUMNS,
    TOML_PARTS,
    Budget,
    Limits,
)
from gribble.core.base.digests import Digests
from gribble.core.base.kinds import MOST_NUMBER, Format
from gribble.core.base.paths import MOST_PATH, path_fault, run_number
from gribble.core.base.tables import deep_key
from gribble.core.catalogue.importing.columns import Column
from gribble.core.catalogue.importing.guessing import guess_fields
from gribble.core.catalogue.importing.tables import Row, check_row
from gribble.core.catalogue.importing.values import ValueFault, number
from gribble.core.files.archives.common import ArchiveError, Member, Span, budget_of
from gribble.core.files.archives.zips import list_zip
from gribble.core.files.settingsfile import MOST_VALUE, value_of
from gribble.core.files.volumes import name_trouble, trouble
from gribble.core.records.holding import Holding, nearness
from gribble.core.records.imported import Degree, Field
from gribble.core.records.sheet import Accept
from gribble.core.survey.matching import is_content


def refused(act: Callable[[], object]) -> bool:
    """Whether something is refused: by an error, or by words."""
    try:
        return bool(act())
    except Exception:
        return True


def zip_directory(count: int, size: int) -> bytes:
    """A zip of nothing but the end of its directory, which claims so many entries in so many bytes."""
    end = struct.pack("<4sQ2H2L4Q", b"PK\x06\x06", 44, 45, 45, 0, 0, count, count, size, 0)
    place = struct.pack("<4sLQL", b"PK\x06\x07", 0, 0, 1)
    return end + place + struct.pack("<4s4H2LH", b"PK\x05\x06", 0, 0, 0xFFFF, 0xFFFF, 0xFFFFFFFF, 0xFFFFFFFF, 0)


def says(data: bytes) -> str:
    with pytest.raises(ArchiveError) as error:
        list_zip(Span(data), budget_of(Span(data)))
    return str(error.value)


def taken_from(limits: Limits, size: int, take: int) -> bool:
    return refused(lambda: Budget(limits, ArchiveError, size).take(take))


FAT32 = (4 << 30) - 1
TABLE: dict[str, tuple[Callable[[int], bool], int]] = {
    "a file on FAT32": (lambda n: refused(lambda: trouble("a", n, "fat32")), FAT32),
    "a name on exFAT": (lambda n: refused(lambda: name_trouble("a" * n, "exfat")), 255),
    "a name on ext4, in bytes": (lambda n: refused(lambda: name_trouble("\u00e9" * 127 + "a" * (n - 254), "ext4", windows=False)), 255),
    "a path": (lambda n: refused(lambda: path_fault("a" * n)), MOST_PATH),
    "a run's number": (lambda n: not run_number("9" * n), 9),
    "what comes out of an archive": (lambda n: taken_from(ARCHIVE, 0, n), ARCHIVE.bytes),
    "what comes out of a large one": (lambda n: taken_from(ARCHIVE, 1 << 30, n), ARCHIVE.times << 30),
    "files in an archive": (lambda n: refused(lambda: Budget(ARCHIVE, ArchiveError).count(n)), ARCHIVE.items),
    "entries of a zip": (lambda n: "says that it has" in says(zip_directory(n, 0)), DIRECTORY.items),
    "the directory of a zip": (lambda n: "has a directory" in says(zip_directory(0, n)), DIRECTORY.bytes),
    "a member's name": (lambda n: bool(Member("a" * n, 0).as_it_can_be.fault), MEMBER_NAME),
    "a member's size": (lambda n: bool(Member("a", n).as_it_can_be.fault), MOST_NUMBER),
    "parts of a key": (lambda n: bool(deep_key(".".join("a" * n) + " = 1")), TOML_PARTS),
    "a settings value": (lambda n: refused(lambda: not value_of(b"a=" + b"x" * n, Format.INI, "a")), MOST_VALUE),
    "a settings file": (lambda n: refused(lambda: not value_of(b"a=x".ljust(n), Format.INI, "a")), SETTINGS["ini"]),
    "columns": (lambda n: refused(lambda: check_row(Row(["x"] * n))), TABLE_COLUMNS),
    "a row": (lambda n: refused(lambda: check_row(Row(["x" * n]))), ROW_CHARACTERS),
    "a size in a list": (lambda n: refused(lambda: not number(str(n), Field(from_="x"))), MOST_NUMBER),
}  # fmt: skip


@pytest.mark.parametrize("what", TABLE)
def test_a_limit_is_where_it_is_said_to_be(what: str) -> None:
    beyond, last = TABLE[what]
    assert not beyond(last)
    assert beyond(last + 1)


def test_a_number_of_thousands_of_figures_is_none() -> None:
    with pytest.raises(ValueFault, match="is not a number"):
        number("9" * 5000, Field(from_="x"))


# What a guess of a list's columns counts for

FILES = [f"f{n}.rom" for n in range(10)]
MIXED = [f"f{n}.rom" if n % 2 else f"thing {n}" for n in range(10)]
WORDS, OTHERS = [f"word number {n}" for n in range(10)], [f"other thing {n}" for n in range(10)]
ROUND, ODD = [str(4096 * (n + 1)) for n in range(10)], [str(17 * (n + 1)) for n in range(10)]


@pytest.mark.parametrize(
    ("field", "head", "values", "degree"),
    [
        ("name", "name", FILES, Degree.SURE),  # 6 points
        ("size", "size", ROUND, Degree.SURE),  # 5: one beyond
        ("name", "name", MIXED, Degree.LIKELY),  # 4: at the limit
        ("title", "title", WORDS, Degree.LIKELY),  # 3
        ("size", "size", ODD, Degree.LIKELY),
    ],
)
def test_five_points_make_a_guess_sure_and_four_do_not(
    field: str, head: str, values: list[str], degree: Degree
) -> None:
    (guess,) = guess_fields([Column("x", values, head=head)], [field])
    assert guess.degree is degree


@pytest.mark.parametrize(
    ("field", "one", "other"),
    [
        ("title", ("title", WORDS), ("title", OTHERS)),
        ("title", ("title", WORDS), ("description", OTHERS)),
        ("size", ("p", ROUND), ("q", list(reversed(ROUND)))),
    ],
)
def test_a_guess_that_has_a_rival_is_doubtful(
    field: str, one: tuple[str, list[str]], other: tuple[str, list[str]]
) -> None:
    columns = [Column(name, values, head=head) for name, (head, values) in (("x", one), ("y", other))]
    (guess,) = guess_fields(columns, [field])
    assert guess.degree is Degree.DOUBTFUL
    assert f"{other[0]} would also fit" in guess.reason
    (alone,) = guess_fields(columns[:1], [field])
    assert alone.degree is not Degree.DOUBTFUL


def test_members_of_a_zip_may_fill_it_and_no_more() -> None:
    """One member that takes all of the file but its headers is right; one entry more for the same bytes is not."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as archive:
        archive.writestr("a", bytes(1000))
    data = stream.getvalue()
    assert len(list_zip(Span(data), budget_of(Span(data)))) == 1
    at, end = data.index(b"PK\x01\x02"), data.index(b"PK\x05\x06")
    entry = data[at:end]
    tail = struct.pack("<4s4H2LH", b"PK\x05\x06", 0, 0, 2, 2, 2 * len(entry), at, 0)
    assert "overlap" in says(data[:at] + entry * 2 + tail)


def test_a_content_is_told_by_its_size_and_its_strongest_digest() -> None:
    known = Accept(size=3, crc32="0" * 8, sha1="a" * 40, sha256="b" * 64)
    assert is_content(known, 3, Digests(sha256="b" * 64))
    assert not is_content(known, 4, Digests(sha256="b" * 64))
    assert not is_content(known, 3, Digests(crc32="0" * 8, sha1="a" * 40, sha256="e" * 64))
    assert not is_content(known, 3, Digests(crc32="0" * 8, sha1="a" * 40)), "the strongest is still to be computed"
    assert is_content(Accept(crc32="0" * 8), 4, Digests(crc32="0" * 8))
    assert not is_content(Accept(size=3), 3, Digests(crc32="0" * 8)), "nothing proves it"


def test_what_is_here_is_nearer_than_what_comes_over_the_network() -> None:
    def at(root: str, rig: str, member: str | None = None) -> Holding:
        return Holding(rig=rig, root=root, path="a.rom", member=member, size=1, digests=Digests())

    far, packed, own = at("ftp://h/card", "card"), at("/drawer", "", "a.rom"), at("ftp://h/card", "card")
    assert min((far, packed), key=lambda one: nearness(one, "den")) is packed
    assert min((own, packed), key=lambda one: nearness(one, "card")) is own, "what is on the rig itself has not to come"
