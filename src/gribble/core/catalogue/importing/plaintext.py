"""Lists in plain text: tables of Markdown with pipes, of wikis and of AsciiDoc, those aligned by blanks, and files of
`key = value`.

Markdown tables as GitHub Flavored Markdown defines them (section 4.10), those of wikis as MediaWiki does
("Help:Tables"), those of AsciiDoc as its documentation ("Build a Basic Table"); the others have no standard.
"""

from __future__ import annotations

import itertools
import re
import unicodedata
from collections import Counter
from collections.abc import Iterable, Iterator

from gribble.core.base.budget import TABLE_COLUMNS
from gribble.core.catalogue.importing.tables import NOTHING_ABOVE, Row, check_row
from gribble.core.catalogue.importing.values import DIGEST, is_datum, is_file_name, is_number, without_marks
from gribble.core.catalogue.importing.words import is_label

_RULE = re.compile(r"^[\s|+:=\-─═┌┬┐├┼┤└┴┘╔╦╗╠╬╣╚╩╝]+$")
_LINK = re.compile(r"!?\[([^\[\]]*)\]\([^)]{0,1000}\)")
_FOOTNOTE = re.compile(r"\[\^[^\[\]]+\]")
_PIPE = re.compile(r"(?<!\\)\|")
_HEADING = re.compile(r"^(?:#{1,6}|={1,6})\s+(\S.*)$")
TAGS = re.compile(r"</?(?:abbr|b|br|code|em|font|i|kbd|nowiki|pre|small|span|strong|sub|sup|tt|u)\b[^<>]*>", re.I)
"""Tags that only say how a text looks."""
_ESCAPED = re.compile(r"\\([_*`&#%$\[\]])")
_OF_TEX = re.compile(r"\\[a-z]+(?=\{)")
_OF_CODE = re.compile(r"^\s*(?:/\*+|//)|\*+/\s*$")
_WIKI_LINK = re.compile(r"\[\[(?:[^\[\]|]*\|)?([^\[\]|]*)\]\]")
_TEMPLATE = re.compile(r"\{\{([^{}|]*)(?:\|[^{}]*)?\}\}")
_QUOTES = re.compile(r"'{2,5}")
_OF_CELL = re.compile(r"^[^|=]*=[^|]*\|")
_EDGE = re.compile(r"\|={3,}\s*$")
"""What is above and below a table of AsciiDoc."""
_CELL = re.compile(r"(?:^|(?<=\s))[\d.+*<^>]*[adehlms]?(?<!\\)\|")
_COMMENTS = (";", "#", "//", "--")
_HALF = "\ue000"
_GAP = re.compile(r"\t+| {2,}")
_SECTION = re.compile(r"^\[+([^\[\]]+)\]+\s*$")
_KEY = re.compile(r"^\s*:?(?P<key>[^=:#;\s][^=:]*)[=:](?P<value>.*)$")
_ALGORITHM = re.compile(r"(?:crc[-_]?32|md[-_]?5|sha[-_]?(?:1|256))(?!\d)", re.IGNORECASE)
_NUMBERED = re.compile(r"^(?P<before>\D*?)(?P<number>\d+)(?P<after>\D.*)?$")


def heading_in(line: str) -> str:
    """The words of a heading of Markdown, a wiki or AsciiDoc; empty if a line is none."""
    match = _HEADING.match(line.strip())
    return match[1].rstrip().rstrip("#=").rstrip() if match else ""


def section_in(line: str) -> str:
    """The name of a section of `key = value`; empty if a line begins none."""
    match = _SECTION.match(line.strip())
    return match[1].strip() if match else ""


def pipe_rows(text: str) -> Iterator[Row]:
    """The rows of Markdown's tables, of wikis' and AsciiDoc's, and of those drawn with bars."""
    head, within, has_rows = NOTHING_ABOVE, False, False
    for line in _with_bars(text):
        shown = line.strip().replace("│", "|").replace("║", "|")
        if words := heading_in(shown):
            head, within, has_rows = head.below(_plain(words)), False, False
        elif not shown or "|" not in shown:
            if shown and not _RULE.match(shown) and not within and len(shown) < 100:
                head, has_rows = head.with_line(_plain(shown).strip("*_: -"), after_rows=has_rows), False
            within = within and bool(shown) and bool(_RULE.match(shown))
        elif not _RULE.match(shown) or not set(shown) & set("-=─═"):
            head = head._replace(number=head.number + (not within))
            within = has_rows = True
            shown = shown.removeprefix("|")
            if shown.count("|") > TABLE_COLUMNS:
                check_row(Row([""] * shown.count("|")))
            cells = _PIPE.split(shown.removesuffix("|") if not shown.endswith("\\|") else shown)
            yield Row([_plain(cell) for cell in cells], head.number, head.heading, said=head.said)


def _with_bars(text: str) -> Iterator[str]:
    """The lines of a text in which the tables of wikis and of AsciiDoc are written as Markdown's, a row a line."""
    lines, before = iter(text.splitlines()), ""
    for line in lines:
        if line.startswith("{|"):
            yield from _rows_of_wiki(lines)
        elif _EDGE.match(line):
            inside = list(itertools.takewhile(lambda one: not _EDGE.match(one), lines))
            yield from _rows_of_asciidoc(inside, before)
        elif not line.startswith("[") or "cols=" not in line:
            yield line
        before = line


def _rows_of_wiki(lines: Iterator[str]) -> Iterator[str]:
    """The rows of a wiki's table, of which the first line was read."""
    cells: list[str] = []
    for line in lines:
        shown = line.strip()
        if shown.startswith(("|-", "|}", "|+")):
            yield from _barred(cells)
            cells = []
            if shown[1] != "-":
                yield shown[2:].strip()
            if shown[1] == "}":
                return
        elif shown.startswith(("|", "!")):
            cells += re.split(r"\|\||!!" if shown[0] == "!" else r"\|\|", shown[1:])
        elif cells:
            cells[-1] += f" {shown}"
    yield from _barred(cells)


def _barred(cells: list[str]) -> Iterator[str]:
    """A row of a wiki as one of Markdown: cells without what is said of them, links, templates and quotes by what
    they show."""
    if cells:
        shown = [_QUOTES.sub("", _TEMPLATE.sub(r"\1", _WIKI_LINK.sub(r"\1", cell))) for cell in cells]
        yield _between_bars(_OF_CELL.sub("", cell) for cell in shown)


def _rows_of_asciidoc(lines: list[str], before: str) -> Iterator[str]:
    """The rows of a table of AsciiDoc: as many cells as the line before it says that there are columns, else as its
    first line has."""
    parted = [[cell.strip() for cell in _CELL.split(line)[1:]] for line in lines if _CELL.search(line)]
    told = re.search(r"cols=\"?([^\"\]]+)", before)
    times = re.match(r"\s*(\d+)\*", told[1]) if told else None
    width = int(times[1]) if times else told[1].count(",") + 1 if told else len(parted[0]) if parted else 1
    cells = [cell for row in parted for cell in row]
    yield from (_between_bars(cells[at : at + width]) for at in range(0, len(cells), max(1, min(width, TABLE_COLUMNS))))


_BAR = r"\|"


def _between_bars(cells: Iterable[str]) -> str:
    return f"| {' | '.join(cell.strip().replace('|', _BAR) for cell in cells)} |"


def _plain(cell: str) -> str:
    """A cell without marks of how it looks; `<br>` is a line break."""
    cell = _FOOTNOTE.sub("", _LINK.sub(r"\1", _WIKI_LINK.sub(r"\1", cell.strip())))
    cell = TAGS.sub("", re.sub(r"(?i)<br\s*/?>", "\n", cell))
    cell = re.sub(r"(\*\*|__|`)(.+?)\1", r"\2", re.sub(r"~~.+?~~", "", cell))
    cell = re.sub(r"^\*(.+)\*$|^_(.+)_$", lambda found: found[1] or found[2], cell)
    return re.sub(r"\\([|*_`\\\[\]])", r"\1", without_marks(cell)).strip()


_FOLDER = re.compile(r"^\s*(?:[\w.+-]+(?: [\w.+-]+)*/)+\s*$")
"""A line that is nothing but a folder."""


def aligned_rows(text: str) -> Iterator[Row]:
    """The rows of tables whose columns are aligned by blanks or tabs. A column begins where strokes below the head do,
    else where words begin below blanks in every line of a block."""
    head, has_rows = NOTHING_ABOVE, False
    for block in _blocks(text):
        for title in block.titles:
            head, has_rows = head.with_line(title, after_rows=has_rows), False
        if block.lines:
            head, has_rows = head._replace(number=head.number + 1), True
            rows = _cells_of(block.lines, _starts(block.ruler, block.lines))
            yield from (Row(cells, head.number, head.heading, said=head.said) for cells in _apart(rows))


def _cells_of(lines: list[str], starts: list[int]) -> list[list[str]]:
    """The cells of a block of lines whose columns begin where strokes do, if there are any."""
    parted = [_GAP.split(line.strip()) for line in lines]
    if not starts and len({len(cells) for cells in parted}) == 1:  # every cell says something
        return [[cell.replace(_HALF, "").strip() for cell in cells] for cells in parted]
    starts = starts or _columns(lines)
    rows: list[list[str]] = []
    for line in lines:
        parts = (line[at:end] for at, end in zip(starts, [*starts[1:], None], strict=True))
        cells = [cell.replace(_HALF, "").strip() for cell in parts]
        if rows and not cells[0] and not any(map(is_datum, cells)):  # goes on with the line above
            rows[-1] = [" ".join(filter(None, pair)) for pair in zip(rows[-1], cells, strict=True)]
        else:
            rows.append(cells)
    return rows


def _apart(rows: list[list[str]]) -> list[list[str]]:
    """Rows in which numbers and digests with a single blank between them are a column each."""
    for column in reversed(range(len(rows[0]))):
        words = [row[column].split() for row in rows]
        pairs = [one for one in words if any(map(DIGEST.fullmatch, one))]
        width = max(map(len, words))
        alike = all(
            len(one) == width and all(is_number(word) or DIGEST.fullmatch(word) for word in one) for one in pairs
        )
        if pairs and alike and width > 1:
            for row, one in zip(rows, words, strict=True):
                row[column : column + 1] = [*one, *[""] * width][:width]
    return rows


def _starts(ruler: str, lines: list[str]) -> list[int]:
    """Where columns begin by the strokes below a head; empty if a word of some line goes across one."""
    indent = len(ruler) - len(ruler.lstrip())
    starts = [0, *(match.end() for match in re.finditer(r"\s(?=\S)", ruler) if match.start() > indent)]
    fits = all(line[at - 1 : at].isspace() for line in lines for at in starts[1:] if len(line) > at)
    return starts if fits and len(starts) > 1 else []


_BRANCH = re.compile(r"^[│| \u00a0]*[├└|`+][─-]{2,}[ \u00a0]*(?=[^\s|:+─-])", re.MULTILINE)


def without_branches(text: str) -> str:
    """A text in which a tree of folders is drawn by blanks alone."""
    return _BRANCH.sub(lambda branch: " " * len(branch[0]), text)


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


class _Block:
    """A table in a text: the titles above it, its lines, and the strokes below its head. A comment within it, and an
    empty line before further lines of data as wide as those above, part nothing; strokes below several lines of data
    end it."""

    def __init__(self) -> None:
        self.titles: list[str] = []
        self.lines: list[str] = []
        self.ruler = ""

    def ends_at(self, line: str, *, gap: bool) -> bool:
        """Whether another block begins with a line, before which there may be a gap."""
        if _RULE.match(line):
            return bool(self.ruler and _RULER.match(line)) and len(self.lines) > _SEVERAL
        if not gap or not self.lines:
            return False
        cells = _GAP.split(line.strip())
        if len(cells) == 1:
            return not line.lstrip().startswith(_COMMENTS)
        widest = max(len(_GAP.split(one.strip())) for one in self.lines)
        return not any(map(is_datum, cells)) or len(cells) > widest

    def add(self, line: str) -> None:
        """Take a line that is not empty."""
        shown = _BULLET.sub(lambda bullet: " " * len(bullet[0]), _as_wide(line).expandtabs(8))
        if _RULE.match(line):
            if _RULER.match(line) and self.lines and not self.ruler:
                self.titles += [one.strip() for one in self.lines[:-1]]
                self.lines, self.ruler = self.lines[-1:], shown
        elif self.lines or _GAP.search(line.strip()):
            if _GAP.search(line.strip()) or not line.lstrip().startswith(_COMMENTS):
                self.lines.append(shown)  # a line of one cell names a group of the rows below it
        else:
            self.titles.append(re.sub(r"^\[(.+)\]$", r"\1", line.strip("# :=*-").strip()))


def _blocks(text: str) -> Iterator[_Block]:
    """What parts a text into tables."""
    block, gap = _Block(), False
    for line in text.splitlines():
        if not line.strip():
            gap = True
            continue
        if block.ends_at(line, gap=gap):
            yield block
            block = _Block()
        gap = gap and bool(_RULE.match(line))
        block.add(line)
    yield block


_BULLET = re.compile(r"^ *[-*+•] (?=\S)")
_RULER = re.compile(r"^\s*[-=]+(?:\s+[-=]+)+\s*$")
_SEVERAL = 2


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
        if line.startswith("# ") and (words := heading_in(line)):
            return _plain(words)
    first = without_looks(lines[0][:200]).strip("# :=*-/") if lines else ""
    first = re.sub(r"^\{([^{}]*)\}$", r"\1", first)
    is_code = set(first) & set('|{}"') or first.startswith("[") or _GAP.search(first) or is_file_name(first)
    return first if not is_code and len(first) < 100 else ""


def title_above(text: str) -> str:
    """The first line of a text of checksums, or of keys and values, where it is none of these, and no remark."""
    first = next((line.strip()[:200] for line in text.splitlines() if line.strip()), "")
    key = _KEY.match(first)
    is_title = not (
        first.startswith(_COMMENTS) or _SECTION.match(first) or (key and key["value"].strip()) or DIGEST.search(first)
    )
    return text_title(first) if is_title else ""


def without_looks(text: str) -> str:
    """A text without tags, commands of TeX, the marks of a remark in code, and the strokes before signs that are only
    signs."""
    return _ESCAPED.sub(r"\1", _OF_CODE.sub("", _OF_TEX.sub("", TAGS.sub(" ", text)))).strip()


def key_rows(text: str) -> Iterator[tuple[str, dict[str, str]]]:
    """The records of a file of `key = value`: its sections by name, or what numbered keys have in common; first, under
    an empty name, what belongs to none."""
    common: dict[str, str] = {}
    sections: dict[str, dict[str, str]] = {}
    by_number: dict[str, dict[str, str]] = {}
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
                key, value = match["key"].strip().strip("\"'"), _unquoted(match["value"].strip())
                if section:
                    sections[section][key] = value
                    continue
                file, _, word = key.rpartition(".")
                if is_file_name(file) and (file in sections or is_label(word)):
                    sections.setdefault(file, {})[word] = value
                    continue
                paragraphs[-1][key] = value
                number, word = numbered(key)
                (by_number.setdefault(number, {}) if number else common)[word] = value
    if not any(len(one) > 1 for one in by_number.values()):  # tern8 = … is no numbered key
        by_number = {}
    alike = _alike(paragraphs)
    if alike and not (sections or by_number):
        by_number = {f"paragraph {number}": one for number, one in enumerate(alike, start=1)}
        common = {key: value for one in paragraphs if one not in alike for key, value in one.items()}
    yield "", common
    yield from {**by_number, **sections}.items()


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


def numbered(key: str) -> tuple[str, str]:
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
