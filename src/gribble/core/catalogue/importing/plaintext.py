"""Lists in plain text: tables of Markdown with pipes, those aligned by blanks, and files of `key = value`.

Markdown tables as GitHub Flavored Markdown defines them (section 4.10); the others have no standard.
"""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Iterator

from gribble.core.base.budget import TABLE_COLUMNS
from gribble.core.catalogue.importing.tables import Row, check_row
from gribble.core.catalogue.importing.values import is_datum, without_marks

_RULE = re.compile(r"^[\s|+:=\-─═┌┬┐├┼┤└┴┘╔╦╗╠╬╣╚╩╝]+$")
_LINK = re.compile(r"!?\[([^\]]*)\]\([^)]*\)")
_FOOTNOTE = re.compile(r"\[\^[^\]]+\]")
_PIPE = re.compile(r"(?<!\\)\|")
HEADING_LINE = re.compile(r"^#{1,6}\s+(.*?)\s*#*$")
_COMMENTS = (";", "#", "//", "--")
_HALF = "\ue000"
_GAP = re.compile(r"\t+| {2,}")
_SECTION = re.compile(r"^\[+([^\[\]]+)\]+\s*$")
_KEY = re.compile(r"^\s*(?P<key>[^=:#;\s][^=:]*?)\s*[=:]\s*(?P<value>.*?)\s*$")
_ALGORITHM = re.compile(r"(crc|md|sha)([-_]?)(32|5|1|256)(?!\d)", re.IGNORECASE)
_NUMBERED = re.compile(r"^(?P<before>\D*?)(?P<number>\d+)(?P<after>\D.*)?$")


def pipe_rows(text: str) -> Iterator[Row]:
    """The rows of Markdown's tables, and of those drawn with bars."""
    heading, grid, within = "", 0, False
    for line in text.splitlines():
        shown = line.strip().replace("│", "|").replace("║", "|")
        if match := HEADING_LINE.match(shown):
            heading, within = _plain(match[1]), False
        elif not shown or "|" not in shown:
            if shown and not _RULE.match(shown) and not within and len(shown) < 100:
                heading = _plain(shown.strip("*_: "))
            within = within and bool(shown) and bool(_RULE.match(shown))
        elif not _RULE.match(shown) or not set(shown) & set("-=─═"):
            grid += not within
            within = True
            shown = shown.removeprefix("|")
            if shown.count("|") > TABLE_COLUMNS:
                check_row(Row([""] * shown.count("|")))
            cells = _PIPE.split(shown.removesuffix("|") if not shown.endswith("\\|") else shown)
            yield Row([_plain(cell) for cell in cells], grid, heading)


def _plain(cell: str) -> str:
    """A cell without Markdown's marks; `<br>` is a line break."""
    cell = _FOOTNOTE.sub("", _LINK.sub(r"\1", cell.strip()))
    cell = re.sub(r"(?i)<br\s*/?>", "\n", cell)
    cell = re.sub(r"(\*\*|__|`)(.+?)\1", r"\2", re.sub(r"~~.+?~~", "", cell))
    cell = re.sub(r"^\*(.+)\*$|^_(.+)_$", lambda found: found[1] or found[2], cell)
    return re.sub(r"\\([|*_`\\\[\]])", r"\1", without_marks(cell)).strip()


_FOLDER = re.compile(r"^\s*(?:[\w.+-]+(?: [\w.+-]+)*/)+\s*$")
"""A line that is nothing but a folder."""


def aligned_rows(text: str) -> Iterator[Row]:
    """The rows of tables whose columns are aligned by blanks or tabs. A column begins where words begin below blanks in
    every line of a block."""
    heading, grid = "", 0
    for titles, lines in _blocks(text):
        if titles:
            heading = titles[-1]
        if lines:
            grid += 1
            parted = [_GAP.split(line.strip()) for line in lines]
            if len({len(cells) for cells in parted}) == 1:  # every cell says something
                yield from (Row([cell.replace(_HALF, "").strip() for cell in row], grid, heading) for row in parted)
                continue
            starts = _columns(lines)
            rows: list[list[str]] = []
            for line in lines:
                ends = [*starts[1:], None]
                parts = (line[at:end] for at, end in zip(starts, ends, strict=True))
                cells = [cell.replace(_HALF, "").strip() for cell in parts]
                if rows and not cells[0] and not any(map(is_datum, cells)):  # goes on with the line above
                    rows[-1] = [" ".join(filter(None, pair)) for pair in zip(rows[-1], cells, strict=True)]
                else:
                    rows.append(cells)
            yield from (Row(cells, grid, heading) for cells in rows)


def with_whole_folders(text: str) -> str:
    """A text in which a folder above indented lines is told with the folders that it is in."""
    lines, above = [], list[tuple[int, str]]()
    for line in text.splitlines():
        indent = len(line) - len(line.lstrip())
        inner = [one for one in above if one[0] < indent] if line.strip() else above
        left, above = inner != above, inner
        if _FOLDER.match(line):
            above = [*above, (indent, line.strip())]
            line = " " * indent + "".join(name for _, name in above)
        elif left:  # what follows is in a folder of before again
            lines.append("".join(name for _, name in above) or "./")
        lines.append(line)
    return "\n".join(lines)


def _blocks(text: str) -> Iterator[tuple[list[str], list[str]]]:
    """What parts a text into tables: the titles above each, and its lines. A comment within one, and an empty line
    before further lines of data as wide as those above, part nothing."""
    titles: list[str] = []
    lines: list[str] = []
    gap = False
    for line in text.splitlines():
        shown = _as_wide(line).expandtabs(8)
        if not line.strip() or _RULE.match(line):
            gap = gap or not line.strip()
        elif not _GAP.search(line.strip()):
            if lines and line.lstrip().startswith(_COMMENTS):
                continue
            if lines and not gap:
                lines.append(shown)  # names a group of the rows below it
                continue
            if lines:
                yield titles, lines
                titles, lines = [], []
            titles.append(re.sub(r"^\[(.+)\]$", r"\1", line.strip("# :=*-").strip()))
            gap = False
        else:
            cells = _GAP.split(line.strip())
            goes_on = any(map(is_datum, cells)) and len(cells) <= max(
                len(_GAP.split(one.strip())) for one in lines or [""]
            )
            if gap and lines and not goes_on:
                yield titles, lines
                titles, lines = [], []
            lines.append(shown)
            gap = False
    if lines or titles:
        yield titles, lines


def _as_wide(line: str) -> str:
    """A line with a mark behind each sign that is two columns wide, as terminals show it (Unicode, UAX 11)."""
    if line.isascii():
        return line
    return "".join(sign + _HALF * (unicodedata.east_asian_width(sign) in "WF") for sign in line)


def _columns(lines: list[str]) -> list[int]:
    """Where columns begin: behind two blanks or more that all lines have there."""
    width = max(map(len, lines))
    full = [any(len(line) > at and line[at] != " " for line in lines) for at in range(width)]
    return [at for at in range(width) if full[at] and not any(full[max(0, at - 2) : at])] or [0]


def text_title(text: str) -> str:
    """What is above everything in a text: its first heading, else its first line where that is none of a table."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    for line in lines:
        if match := re.match(r"^#\s+(.*?)\s*#*$", line):
            return _plain(match[1])
    first = lines[0].strip("# :=*-") if lines else ""
    return first if first and "|" not in first and not _GAP.search(first) and len(first) < 100 else ""


def key_rows(text: str) -> Iterator[tuple[str, dict[str, str]]]:
    """The records of a file of `key = value`: its sections by name, or what numbered keys have in common; first, under
    an empty name, what belongs to none."""
    common: dict[str, str] = {}
    sections: dict[str, dict[str, str]] = {}
    numbered: dict[str, dict[str, str]] = {}
    paragraphs: list[dict[str, str]] = [{}]
    times = Counter[str]()
    section = ""
    for paragraph in _paragraphs(text):
        if paragraphs[-1]:
            paragraphs.append({})
        for line in paragraph:
            if match := _SECTION.match(line.strip()):
                times[match[1]] += 1  # a name that comes again is another record
                section = f"{match[1].strip()}{f' {times[match[1]]}' if times[match[1]] > 1 else ''}"
                sections[section] = {}
            elif match := _KEY.match(line):
                key, value = match["key"].strip().strip("\"'"), _unquoted(match["value"])
                if section:
                    sections[section][key] = value
                    continue
                paragraphs[-1][key] = value
                number, word = _numbered(key)
                (numbered.setdefault(number, {}) if number else common)[word] = value
    if not any(len(one) > 1 for one in numbered.values()):  # tern8 = … is no numbered key
        numbered = {}
    alike = _alike(paragraphs)
    if alike and not (sections or numbered):
        numbered = {f"paragraph {number}": one for number, one in enumerate(alike, start=1)}
        common = {key: value for one in paragraphs if one not in alike for key, value in one.items()}
    yield "", common
    yield from {**numbered, **sections}.items()


def _paragraphs(text: str) -> Iterator[list[str]]:
    """The lines of a text, comments aside, by what is between empty ones."""
    lines: list[str] = []
    for line in (*text.splitlines(), ""):
        if line.strip():
            lines += [] if line.lstrip().startswith(("#", ";", "//")) else [line]
        elif lines:
            yield lines
            lines = []


def _alike(paragraphs: list[dict[str, str]]) -> list[dict[str, str]]:
    """The paragraphs that say the same of one thing each: of two keys or more, in most of them."""
    keys = Counter(key for one in paragraphs for key in one)
    usual = {key for key, times in keys.items() if times > 1 and times >= 0.5 * (len(paragraphs) - 1)}
    return [one for one in paragraphs if len(usual & one.keys()) > 1]


def _numbered(key: str) -> tuple[str, str]:
    """The number in a key, and the key without it; the figures in names of digests are none."""
    marks = str.maketrans("0123456789", "".join(chr(0xE000 + n) for n in range(10)))
    match = _NUMBERED.match(_ALGORITHM.sub(lambda found: found[0].translate(marks), key))
    if match is None or not (match["before"] or match["after"]):
        return "", key
    word = re.sub(r"[_.\- ]{2,}", "_", f"{match['before']}{match['after'] or ''}").strip("_-. ")
    return match["number"], word.translate({0xE000 + n: str(n) for n in range(10)}) or "value"


def _unquoted(value: str) -> str:
    value = value.rstrip(";").strip()
    return value[1:-1] if len(value) > 1 and value[0] == value[-1] and value[0] in "\"'" else value
