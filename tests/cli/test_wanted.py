"""The list of wanted sets, made and changed by commands."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.cabinets import LYING, SETS, arcade_world
from tests.conftest import Gribble
from tests.making import Forked

LIST = "knot-on-den.txt"


@pytest.fixture
def den(tmp_path: Path) -> Path:
    return arcade_world(tmp_path / "world", {"2": SETS}, LYING, '{ release = "2", wanted = "held" }')


def listed(den: Path, name: str = LIST) -> list[str]:
    lines = (den / name).read_text().splitlines()
    return [line.split("  #")[0] for line in lines if line and not line.startswith("#")]


@pytest.mark.parametrize(
    ("words", "wanted"),
    [
        (("kiln",), ["kiln"]),
        (("Weir",), ["weir"]),
        (("runner", "millrace"), ["weir", "weirb", "mill"]),
        (("--year", "1988"), ["kiln2"]),
        (("--year", "1988-1990"), ["kiln2", "weir"]),
        (("--year", "1987"), []),
        (("--maker", "SLUICE"), ["weir"]),
        (("--maker", "sluice", "--year", "1988..1989"), []),
        (("--held",), ["kiln2"]),
        (("millrace (japan)", "--family"), ["millj", "mill"]),
        (("--year", "1990", "weir"), ["weir"]),
    ],
)
def test_sets_are_picked_by_words_years_makers_families_and_what_is_held(
    gribble: Gribble, den: Path, words: tuple[str, ...], wanted: list[str]
) -> None:
    looked = gribble("sets", "wanted", *words, "--instead", "--json", cwd=den).json
    assert [one["set"] for one in looked["wanted"]] == (
        wanted or ["mill", "kiln2"]
    )  # where none is picked, those of now
    assert not (den / LIST).exists()  # a look
    gribble("sets", "wanted", *words, "--instead", "--yes", cwd=den)
    assert (listed(den) if wanted else (den / LIST).exists()) == (wanted or False)


def test_of_several_arcade_emulators_the_one_is_meant_that_has_wanted_sets(gribble: Gribble, world: Path) -> None:
    said = gribble("sets", "wanted", "nothing-like-it", cwd=world, code=1).words
    assert "27 sets wanted of turnstone on cabinet" in said
    assert "The list does not change" in said
    config = world / "gribble.toml"
    config.write_text(config.read_text().replace('dotterel = "5"', 'dotterel = { release = "5", wanted = "all" }'))
    told = gribble("sets", "wanted", "nothing-like-it", cwd=world, code=2).err
    assert "several arcade emulators could be meant: turnstone on cabinet, dotterel on annex" in told
    assert "for example --emulator turnstone --rig cabinet." in told


def test_the_list_is_added_to_taken_from_and_replaced(gribble: Gribble, den: Path) -> None:
    before = (den / "gribble.toml").read_text()
    said = gribble("sets", "wanted", "runner", "kiln", "--yes", cwd=den, code=0).words
    assert "5 sets wanted of knot on den; you have 1 of them whole" in said
    assert f"+ 3 weir (Wéir Runner!), weirb (Weir Runner), kiln {LIST} is written" in said
    assert listed(den) == ["mill", "kiln2", "weir", "weirb", "kiln"]
    assert (den / "gribble.toml").read_text() == before.replace('"held"', f'"{LIST}"')
    assert (den / "gribble.toml.before-1").read_text() == before
    path = den / LIST
    path.write_text("# mine\r\nKiln 2 2.5  # the best\r\n\r\n" + path.read_text().replace("kiln2  # Kiln 2\n", ""))
    first = path.read_bytes()
    gribble("sets", "wanted", "kiln2", "millrace (japan)", "--yes", cwd=den, code=0)
    assert path.read_bytes() == first + b"millj  # Millrace (Japan)\n"
    assert (
        "is written (the former file is kept as"
        in gribble("sets", "wanted", "runner", "--without", "--yes", cwd=den, code=0).words
    )
    assert path.read_text().startswith("# mine\n")
    assert listed(den) == ["Kiln 2 2.5", "mill", "kiln", "millj"]
    assert (den / f"{LIST}.before-2").read_bytes() == first + b"millj  # Millrace (Japan)\n"
    assert "The list does not change" in gribble("sets", "wanted", "weir", "--without", "--yes", cwd=den).words
    gribble("sets", "wanted", "kiln", "--instead", "--yes", cwd=den, code=0)
    assert path.read_text() == "kiln\n"
    assert (den / "gribble.toml").read_text() == before.replace('"held"', f'"{LIST}"')


def test_a_text_of_titles_is_enough_and_what_is_unclear_is_asked(gribble: Gribble, den: Path) -> None:
    (den / "titles.txt").write_text("Kiln 2\n\nmillrace\nWEIR RUNNER 3\nKiln  # first of all\nTidemark\n")
    words = ("sets", "wanted", "--list", "titles.txt", "--instead")
    said = gribble(*words, "--yes", cwd=den, code=1).words
    assert "3 sets wanted" in said
    assert "1 line could mean several sets" in said
    assert "weir (Wéir Runner!; 1990, Sluice); weirb (Weir Runner; 1991, Copyists)" in said
    assert "No set has such a name or title: Tidemark" in said
    assert listed(den) == ["kiln2", "mill", "kiln"]
    asked = gribble(*words, stdin=b"2\ny\n", asks=True, cwd=den, code=1).words
    assert "Which one is WEIR RUNNER 3?" in asked
    assert listed(den) == ["kiln2", "mill", "kiln", "weirb 3"]
    kept = (den / LIST).read_bytes()
    gribble(*words, stdin=b"\nn\n", asks=True, cwd=den, code=1)
    assert (den / LIST).read_bytes() == kept


@pytest.mark.parametrize(
    "text",
    [
        "My favourites:\n\n1. Millrace (1985)\n2. Kiln 2 (1988)\n3) Wéir Runner! (1990)\n",
        "- [ ] MILLRACE\n- [x] kiln 2\n* \"Weir Runner\" - 1990, great!\n",
        "Title,Year,Maker\nMillrace,1985,x\n\"Kiln 2\",1988,y\nWeir Runner,1990,Sluice\n",
        "| Nr | Game | Year |\n|---|---|---|\n| 1 | Millrace | 1985 |\n| 2 | Kiln 2 | 1988 |\n| 3 | **weir** | 1990 |\n",
        "mill\tMillrace\nkiln2\tKiln 2\nweir\tWeir\n",
        "#EXTM3U\n/games/mill.zip\nC:\\sets\\kiln2.ZIP\nsets/weir.7z 12345\n",
        "millrace, kiln 2, weir\n",
        "Millrace: a classic\nKiln 2 – good\nweir (best!)\n",
    ],
)  # fmt: skip
def test_a_text_may_be_a_list_as_people_write_it(gribble: Gribble, den: Path, text: str) -> None:
    (den / "titles.txt").write_text(text)
    said = gribble("sets", "wanted", "--list", "titles.txt", "--instead", "--yes", cwd=den).words
    assert listed(den) == ["mill", "kiln2", "weir"]
    assert ("No set has such a name" in said) == (text[:2] in ("My", "Ti", "| ")), said


def test_what_a_line_says_beside_a_name_means_no_set(gribble: Gribble, den: Path) -> None:
    (den / "titles.txt").write_text("Unheard of,kiln,mill\nMaker;Weir\n1990\nKiln 3\n")
    said = gribble("sets", "wanted", "--list", "titles.txt", "--instead", "--yes", cwd=den, code=1).words
    assert "No set has such a name or title: Unheard of,kiln,mill, Maker;Weir, 1990" in said
    assert listed(den) == ["kiln 3"], "so much is it worth"


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("--list", "nowhere.txt"), "nowhere.txt"),
        (("--year", "nineteen"), "--year nineteen is not a year"),
        (("--year", "1990-1985"), "--year 1990-1985"),
        (("kiln", "--instead", "--without"), "opposite"),
    ],
)
def test_what_cannot_be_meant_is_told(gribble: Gribble, den: Path, words: tuple[str, ...], says: str) -> None:
    assert says in gribble("sets", "wanted", *words, cwd=den, code=2).err
    assert not (den / LIST).exists()


def test_a_word_that_no_set_has_writes_nothing(gribble: Gribble, den: Path) -> None:
    said = gribble("sets", "wanted", "tidemark", "--yes", cwd=den, code=1).words
    assert "No set has such a name or title: tidemark" in said
    assert not (den / LIST).exists()
    assert "2 sets wanted of knot on den" in gribble("sets", "wanted", cwd=den, code=0).words


def in_use(den: Path, data: bytes) -> Path:
    """A file that is the list of wanted sets already."""
    (den / LIST).write_bytes(data)
    config = den / "gribble.toml"
    config.write_text(config.read_text().replace('"held"', f'"{LIST}"'))
    return den / LIST


@pytest.mark.parametrize(
    ("data", "after"),
    [
        ("# für Ada\nWéir Runner!\nmill\n".encode("cp1252"), "# für Ada\nWéir Runner!\nmill\nkiln\n".encode("cp1252")),
        ("# für Ada\nmill\n".encode("utf-8-sig"), "# für Ada\nmill\nkiln\n".encode("utf-8-sig")),
        ("# für Ada\nmill\n".encode("utf-16"), "# für Ada\nmill\nkiln\n".encode("utf-16")),
        (b"# \x81\x8d\r\nmill\r\n", b"# \x81\x8d\r\nmill\r\nkiln\n"),
        (b"# mine\nmill", b"# mine\nmill\nkiln\n"),
    ],
)
def test_what_somebody_typed_stays_as_it_is_in_every_encoding(
    gribble: Gribble, den: Path, data: bytes, after: bytes
) -> None:
    path = in_use(den, data)
    gribble("sets", "wanted", "kiln", "--yes", cwd=den, code=0)
    assert path.read_bytes() == after
    assert (den / f"{LIST}.before-1").read_bytes() == data


def test_titles_in_the_letters_of_windows_are_understood(gribble: Gribble, den: Path) -> None:
    (den / "titles.txt").write_bytes("Wéir  Runner!\r\nKiln 2\r\n".encode("cp1252"))
    said = gribble("sets", "wanted", "--list", "titles.txt", "--instead", "--yes", cwd=den).words
    assert "No set has such a name or title" not in said


@pytest.mark.parametrize(("words", "after"), [(("kiln",), "mill\nweir\nkiln\n"), (("mill", "--without"), "weir\n")])
def test_what_is_added_while_the_question_stands_is_not_lost(den: Path, words: tuple[str, ...], after: str) -> None:
    path = in_use(den, b"mill\n")
    child = Forked(den, ("sets", "wanted", *words), None)
    child.wait_for_question()
    path.write_text("mill\nweir\n")
    child.answer(b"y\n")
    assert child.ended().code == 0
    assert path.read_text() == after
    assert (den / f"{LIST}.before-1").read_text() == "mill\nweir\n"
