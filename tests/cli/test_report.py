"""`gribble report`: one page that stands alone whatever it names, the same in a table, in Markdown and as JSON."""

from __future__ import annotations

import csv
import html
import io
import re
import shlex
from pathlib import Path
from typing import Any

import html5lib
import msgspec
import pytest

from gribble.core.answers.report import EmulatorReport, Report, RigReport, SetCell, SetFault, ToObtain
from gribble.core.base.paths import without_home
from gribble.core.records.findings import State
from gribble.views import report
from tests.conftest import Gribble, demo_world, tree

SCRIPT = Path(report.__file__).parent / "templates" / "report.js"


def page_of(text: str) -> Any:
    """The page, read strictly, without its script; its ids are unique, and nothing in it comes from elsewhere.

    The one script is the program's own, word for word, and knows nothing of what is reported.
    """
    page = html5lib.HTMLParser(strict=True, namespaceHTMLElements=False).parse(text)
    ids = [one.get("id") for one in page.iter() if one.get("id")]
    assert len(ids) == len(set(ids))
    (script,) = [one for one in page.iter() if one.tag == "script"]
    assert (script.text or "").strip() == SCRIPT.read_text().strip()
    assert not script.attrib
    script.text = ""
    for one in page.iter():
        for name, value in one.attrib.items():
            assert not str(name).startswith("on")
            if str(name) in ("src", "href") or "href" in str(name):
                assert value.startswith("#"), value
                assert value[1:] in ids
    assert "http" not in re.sub(r'xmlns(:xlink)?="[^"]*"', "", text)
    return page


def words_of(page: Any) -> str:
    return " ".join(" ".join(page.itertext()).split())


def test_the_page_tells_everything_and_stands_alone(gribble: Gribble, world: Path) -> None:
    before = tree(world / "rigs")
    ended = gribble("report", "--html", "r.html", cwd=world, code=1)
    assert ended.out == "11 emulators: 2 limited, 9 blocked\n"
    text = (world / "r.html").read_text()
    assert "SOUND.<wbr>BIN" in text, "names break behind their separators"
    page = page_of(text.replace("<wbr>", ""))
    words = words_of(page)
    for said in (
        "11 emulators: 2 limited, 9 blocked",
        "Sandpiper 3.1 on lighthouse: ■ blocked",
        "6 to put right with files that you have, 1 to obtain",
        "it is the debug revision: Stops at a blank screen",
        "◆ ready 14 ◇ limited 3 ■ blocked 10",
        "SOUND.BIN Vesper sound ROM, must, for whimbrel on stick",
        "replace it with LUMEN1.ROM in drawer/LUMEN_BIOS_EU.ZIP",
        "make it System/lumen.bin",
        "sandbar1.1a: it is 900 bytes long, not 964; obtain it: no file of yours is right",
        "For turnstone",
        "SHA-1",
    ):
        assert said in words
    assert not [one for one in page.iter() if one.tag.endswith(("svg", "img"))]
    assert "turnstone 1.6 93 % turnstone 1.8 (installed) 89 % dotterel 5 (installed) 100 %" in words
    anchors = {one.get("id") for one in page.iter() if one.get("id")}
    assert {str(one.get("href")) for one in page.iter() if one.tag.endswith("}a")} <= {f"#{one}" for one in anchors}
    assert tree(world / "rigs") == before
    gribble("report", "--html", "t.html", "--title", "Ada & <b>co", cwd=world, code=1)
    assert "<h1>Ada &amp; &lt;b&gt;co</h1>" in (world / "t.html").read_text()
    gribble("report", "--html", "r.html", cwd=world, code=1)  # a report may take the place of a former one
    (world / "mine.html").write_text("<p>mine</p>")
    assert "Gribble did not write it as a report" in gribble("report", "--html", "mine.html", cwd=world, code=2).err
    assert (world / "mine.html").read_text() == "<p>mine</p>"
    refused = gribble("report", "--csv", "drawer/r.csv", cwd=world, code=2).err
    assert "Gribble never writes to a source\n  Name another: --csv FILE." in refused
    assert "into one file" in gribble("report", "--csv", "r", "--html", "r", cwd=world, code=2).err
    assert "say which form the report should have" in gribble("report", cwd=world, code=2).err
    assert "cannot be written" in gribble("report", "--csv", "gribble.toml/r.csv", cwd=world, code=3).err


def test_hostile_names_do_nothing_anywhere(gribble: Gribble, world: Path) -> None:
    sheet = world / "catalogue/sandpiper.sheet.toml"
    text = sheet.read_text().replace(
        'title = "Tern 8 boot ROM"', "title = '=cmd()<script>alert(1)</script>$x^{2}$ [a](b)'"
    )
    sheet.write_text(text.replace('title = "Sandpiper"', 'title = "<b>&\\"$\\\\alpha$"'))
    place = world / "rigs/lighthouse/sandpiper/boot"
    (place / "tern8.rom").rename(place / "<img src=x onerror=alert(1)>.rom")
    gribble("report", "--html", "r.html", "--csv", "r.csv", "--markdown", "r.md", cwd=world, code=1)
    text = (world / "r.html").read_text()
    page = page_of(text)
    assert not [one for one in page.iter() if one.tag in ("img", "b")]
    assert "=cmd()<script>alert(1)</script>" in words_of(page)
    rows = list(csv.DictReader(io.StringIO((world / "r.csv").read_text())))
    assert not [cell for row in rows for cell in row.values() if cell.startswith(("=", "+", "-", "@"))]
    assert "'=cmd()" in (world / "r.csv").read_text()
    markdown = (world / "r.md").read_text()
    assert "<script>" not in markdown
    assert r"\[a\](b)" in markdown


def test_table_markdown_and_json_say_the_same(gribble: Gribble, world: Path) -> None:
    answer = gribble("report", "--csv", "r.csv", "--markdown", "r.md", "--json", cwd=world, code=1).json
    assert answer.pop("gribble") == "report/1"
    report = msgspec.convert(answer, Report)
    rows = list(csv.DictReader(io.StringIO((world / "r.csv").read_text())))
    wanted = sum(len(one.rows) for _, one in report.emulators)
    sets = sum(sum(one.sets.values()) for _, one in report.emulators)
    assert len({row["name"] for row in rows if row["kind"] == "set"}) == sets
    assert len([row for row in rows if row["kind"] != "set"]) == wanted
    assert {row["verdict"] for row in rows if row["name"] == "tern8-boot"} == {"sound"}
    markdown = (world / "r.md").read_text()
    assert "| stick | Knot 4 | blocked | 1 to obtain |" in markdown
    told = {(one.archive, one.file, one.size, one.crc32, one.sha1) for one in report.obtain}
    assert len(told) == len(report.obtain)
    for one in report.obtain:
        assert all(digest in markdown for digest in one.known().values())
    in_table = {
        (row["archive"] or None, row["file"], int(row["size"]) if row["size"] else None, row["crc32"] or None,
         row["sha1"] or None)
        for row in rows if row["remedy"] == "obtain"
    }  # fmt: skip
    assert in_table == told
    plan = gribble("plan", "--json", cwd=world, code=1).json["obtain"]
    needs = gribble("needs", "--json", cwd=world, code=0).json["obtain"]
    of_sets = {(one["archive"], one["file"], one["size"], one["crc32"], one["sha1"]) for one in plan if "set" in one}
    assert of_sets == {row for row in told if row[0]}
    assert {(one["need"], one["file"], one["sha1"]) for one in plan if "need" in one} == {
        (one["need"], one["file"], one["sha1"]) for one in needs
    }
    sandbar = next(one for one in report.obtain if one.set == "sandbar")
    assert (sandbar.archive, sandbar.file, sandbar.size is not None) == ("sandbar.zip", "sandbar1.1a", True)
    shown = gribble("plan", "-v", cwd=world, code=1, COLUMNS="200").out
    assert all(one["file"] in shown and (one["sha1"] or "") in shown for one in plan)
    schema = gribble("schema", "report", cwd=world, code=0).json
    assert {"when", "state", "rigs", "obtain"} <= set(schema["$defs"]["Report"]["required"])


def test_every_row_that_is_not_right_says_what_to_do(gribble: Gribble, world: Path) -> None:
    report = gribble("report", "--json", "--csv", "r.csv", cwd=world, code=1).json
    rows = [(one["emulator"], row) for rig in report["rigs"] for one in rig["emulators"] for row in one["rows"]]
    accepted = ("chose to do without it", "the sheet has no digest")
    silent = [(emulator, row["name"], row["reason"]) for emulator, row in rows
              if row["verdict"] not in ("sound", "unproven") and not row["do"]]  # fmt: skip
    assert [one for one in silent if not any(words in one[2] for words in accepted)] == []
    boot = next(row for emulator, row in rows if (emulator, row["name"]) == ("dunlin", "lumen-boot"))
    assert boot["do"] == "replace it with LUMEN1.ROM in drawer/LUMEN_BIOS_EU.ZIP"
    by_name = {row["name"]: row["do"] for row in csv.DictReader(io.StringIO((world / "r.csv").read_text()))}
    assert by_name["lumen-boot"] == boot["do"]
    faults = [fault for rig in report["rigs"] for one in rig["emulators"] for fault in one["faults"]]
    assert {fault["set"]: fault["do"] for fault in faults if fault["set"] in ("groynej", "sandbar")} == {
        "groynej": "gribble place puts it right",
        "sandbar": "obtain it: no file of yours is right",
    }


def test_what_to_obtain_is_a_table_with_a_row_for_each_file(gribble: Gribble, world: Path) -> None:
    report = gribble("report", "--json", "--obtain", "o.csv", cwd=world, code=1).json
    rows = list(csv.DictReader(io.StringIO((world / "o.csv").read_text())))
    first = [row for row in rows if not row["content"]]
    assert {(row["emulator"], row["archive"], row["file"], row["sha1"], row["md5"]) for row in first} == {
        (one["emulator"], one["archive"] or "", one["file"], one["sha1"] or "", one["md5"] or "")
        for one in report["obtain"]
    }
    assert len(rows) - len(first) == sum(len(one["others"]) for one in report["obtain"])
    gribble("report", "--obtain", "o.csv", cwd=world, code=1)  # a report may take the place of a former one


def test_a_summary_fits_a_message(gribble: Gribble, world: Path) -> None:
    said = gribble("report", "--markdown", "--brief", cwd=world, code=1).out
    assert said == gribble("report", "--brief", cwd=world, code=1).out
    assert not (world / "--brief").exists()
    lines = said.splitlines()
    assert lines[0].startswith("**11 emulators: 2 limited, 9 blocked** (")
    assert "- Knot 4 on stick: blocked; 1 to obtain" in lines
    assert len(lines) <= 20
    assert "To obtain: " in said
    gribble("report", "--markdown", "m.md", "--brief", cwd=world, code=1)
    assert (world / "m.md").read_text().endswith(said)
    gribble("report", "--markdown", "m.md", cwd=world, code=1)


def test_since_a_run_or_a_day_says_what_changed(gribble: Gribble, world: Path) -> None:
    gribble("place", "--rig", "stick", "--yes", cwd=world, code=1)
    gribble("place", "--rig", "lighthouse", "--yes", cwd=world, code=1)
    changes = gribble("report", "--since", "1", "--json", cwd=world, code=1).json["changes"]
    assert [(one["run"], one["rig"], len(one["places"])) for one in changes] == [(2, "lighthouse", 28)]
    gribble("report", "--since", "2020-01-01", "--html", "r.html", cwd=world, code=1)
    assert "Run 1 on stick" in words_of(page_of((world / "r.html").read_text()))
    assert gribble("report", "--since", "2999-01-01", "--json", cwd=world, code=1).json["changes"] == []
    assert "is not a run and not a day" in gribble("report", "--since", "soon", "--json", cwd=world, code=2).err


@pytest.mark.parametrize("config", ['sources = ["drawer"]\ncatalogues = ["catalogue"]\n'])
def test_a_world_without_rigs_has_a_report_too(gribble: Gribble, world: Path, config: str) -> None:
    (world / "gribble.toml").write_text(config)
    gribble("report", "--html", "r.html", "--markdown", "r.md", "--csv", "r.csv", cwd=world, code=1)
    assert "0 emulators: none" in words_of(page_of((world / "r.html").read_text()))


def test_what_is_shared_has_no_home_in_it(gribble: Gribble, tmp_path: Path, clean_env: dict[str, str]) -> None:
    home = Path(clean_env["HOME"])
    world = demo_world(home)
    (world / "drawer").rename(home / "Downloads")
    config = world / "gribble.toml"
    config.write_text(config.read_text().replace('["drawer"]', '["~/Downloads"]'))
    desk = tmp_path / "desk"
    desk.mkdir()
    forms = {"--csv": "a.csv", "--html": "a.html", "--markdown": "a.md", "--obtain": "o.csv"}
    words = ("report", "--config", str(world))
    gribble(*words, *(word for pair in forms.items() for word in pair), cwd=desk, code=1)
    texts = [(desk / name).read_text() for name in forms.values()]
    texts += [gribble(*words, option, "-", cwd=desk, code=1).out for option in forms]
    texts.append(gribble(*words, "--brief", cwd=desk, code=1).out)
    texts.append(
        gribble("sets", "compare", "1.6", "1.8", "--rig", "cabinet", "--csv", "-", "--config", str(world), cwd=desk).out
    )
    for text in texts:
        assert str(tmp_path) not in text
        assert "../Downloads" not in text
    assert "~/Downloads/skerry/SKERRY.COPIER" in texts[0]
    assert "~/<wbr>Downloads" in texts[1] or "~/Downloads" in texts[1]
    found = [one["found"] for rig in gribble(*words, "--json", cwd=desk, code=1).json["rigs"] for emulator in rig["emulators"]
             for one in emulator["rows"] if one["found"].startswith("/")]  # fmt: skip
    assert found, "a program gets the whole path"


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("/home/ada/drawer/x.zip: a.rom", "~/drawer/x.zip: a.rom"),
        ("take it from a.rom in /home/ada/games/drawer/x.zip", "take it from a.rom in drawer/x.zip"),
        ("'/home/ada/x', /home/ada", "'~/x', ~/"),
        ("/home/adam/x /mnt/home/ada/x /home/ada.old/x", "/home/adam/x /mnt/home/ada/x /home/ada.old/x"),
        ("ftp://ada@driftwood/home/ada", "ftp://ada@driftwood/home/ada"),
    ],
)
def test_only_the_home_itself_is_shortened(text: str, told: str) -> None:
    assert without_home("/home/ada/games", "/home/ada")(text) == told
    assert without_home("", "")(text) == text


def test_thirty_thousand_sets_are_folded_into_some_hundred_lines() -> None:
    names = [f"set{number}" for number in range(30_000)]
    cells = tuple((SetCell(set=name, title=name, state=State.BLOCKED),) for name in names)
    faults = tuple(
        SetFault(set=name, title=name, state=State.BLOCKED, verdict="missing", remedy="obtain", reason="not found",
                 file="a.bin", owner=f"set{number // 2 * 2}")
        for number, name in enumerate(names)
    )  # fmt: skip
    obtain = tuple(
        ToObtain(emulator="turnstone", rigs=("cabinet",), need=None, set=name, title=name, level="", archive=f"{name}.zip",
                 file="a.bin", size=4, crc32="12345678", md5=None, sha1=None, sha256=None, reason="")
        for name in names
    )  # fmt: skip
    one = EmulatorReport(emulator="turnstone", title="Turnstone", release="1.8", state=State.BLOCKED, todo="", rows=(),
                         families=cells, faults=faults)  # fmt: skip
    rig = RigReport(rig="cabinet", root="cabinet", state=State.BLOCKED, emulators=(one,))
    page = report.report_html(Report(when="2026-12-01", state=State.BLOCKED, rigs=(rig,), obtain=obtain))
    drawn = re.sub(r'<script type="application/json">.*?</script>', "", page, flags=re.DOTALL)
    assert drawn.count("<details") <= report.MOST_LINES + 8
    assert "set29999" not in drawn
    assert page.count("set29999") >= 2
    assert "30,000 files" in drawn
    few = msgspec.structs.replace(one, families=cells[: report.MOST_CELLS], faults=faults[: report.MOST_CELLS])
    assert report.folded_sets(few) is None
    assert report.folded_sets(one)


def test_the_page_has_the_command_for_each_emulator(gribble: Gribble, world: Path) -> None:
    page = gribble("report", "--html", "-", cwd=world, code=1).out
    commands = [html.unescape(one) for one in re.findall(r'<code class="command">(.*?)</code>', page)]
    told = gribble("report", "--json", cwd=world, code=1).json
    nexts = [one["next"] for rig in told["rigs"] for one in rig["emulators"] if one["next"]]
    assert commands == nexts
    assert "gribble plan sandpiper --rig lighthouse" in commands
    for command in commands:
        assert gribble(*shlex.split(command)[1:], cwd=world).code in (0, 1), command
