"""Lists without a table: bullets and definitions, also within one another, and lines with a file in each."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.catalogue.importing.plaintext import HEADING_LINE
from gribble.core.catalogue.importing.tables import Line, Row
from gribble.core.catalogue.importing.values import digests_in, is_file_name
from gribble.core.catalogue.importing.words import is_label, level_said

COLUMNS = ("File", "Description", "Required", "Size", "CRC32", "MD5", "SHA1", "SHA256")
"""What is told of each file, as the head of a table."""
_BULLET = re.compile(r"^(?P<before>\s*)(?:[-*+•·‣▪]|\d{1,3}[.)])\s+(?P<text>.+)$")
_MARKED = re.compile(r"`([^`]+)`|\[([^\[\]]+)\]|\"([^\"]+)\"|\*\*([^*]+)\*\*")
_BEFORE = re.compile(r"\s+[-–—|=]+>?\s+|:\s|\s*[(\t]|,\s|\s{2,}")
_TOKEN = re.compile(r"(?<![\w/.@])[A-Za-z0-9][\w.+!~-]*\.[A-Za-z]\w{0,4}(?![\w/])")
_LENGTHS = "|".join(f"[0-9A-Fa-f]{{{length}}}" for length in sorted(HEX_LENGTHS.values(), reverse=True))
_DIGEST = re.compile(rf"(?<![0-9A-Za-z])(?:0[xX])?({_LENGTHS})(?![0-9A-Za-z])")
_CHECKSUM = re.compile(r"crc\S{0,4}\s*[:=]?\s*$", re.IGNORECASE)
_SIZE = re.compile(r"(?<![\w.])(\d[\d.,']*)\s*(KiB|MiB|GiB|[KMG]B|[KMG]|bytes?|B)\b", re.IGNORECASE)
_SEPARATORS = re.compile(r"\s+[-–—]+\s+|[,;:|()=\[\]\t]|\.(?:\s+|$)|\s{2,}|->")
MOST_LINE = 2000
"""A longer line is prose."""
_NAMES_OF = {length: name.replace("crc32", "CRC32").upper() for name, length in HEX_LENGTHS.items()}


def lines_of(text: str) -> Iterator[Line]:
    """The lines of a plain text or of Markdown."""
    for line in text.splitlines():
        if not line.strip():
            continue
        if match := HEADING_LINE.match(line.strip()):
            yield Line(0, match[1], heading=True)
        elif match := _BULLET.match(line.expandtabs(4)):
            yield Line(len(match["before"]), match["text"].strip(), entry=True)
        else:
            shown = line.expandtabs(4)
            yield Line(len(shown) - len(shown.lstrip()), shown.strip())


class _File:
    """A file, and what the lines of its entry say of it."""

    def __init__(self, line: Line, names: list[str], rest: str) -> None:
        self.depth = line.depth
        self.cells = {"File": " / ".join(names)}
        self.text: list[str] = []
        self.add(rest)

    def add(self, text: str) -> None:
        """Take what a text says: digests, a size, how much it is needed, and the rest in words."""
        for match in list(_DIGEST.finditer(text)):
            column = _NAMES_OF[len(match[1])]
            figures = column == "CRC32" and match[1].isdigit() and not _CHECKSUM.search(text[: match.start()])
            if not figures:
                self.cells[column] = f"{self.cells[column]}\n{match[1]}" if column in self.cells else match[1]
                text = text.replace(match[0], "|")
        if "Size" not in self.cells and (size := _SIZE.search(text)):
            self.cells["Size"], text = size[0], text.replace(size[0], "|")
        for piece in map(_bare, _SEPARATORS.split(text)):
            if piece and not is_label(piece):
                if level_said(piece) and "Required" not in self.cells:
                    self.cells["Required"] = piece
                else:
                    self.text.append(piece)

    @property
    def row(self) -> list[str]:
        """Its cells."""
        cells = {**self.cells, "Description": ", ".join(self.text)[:200]}
        return [cells.get(name, "") for name in COLUMNS]


def _bare(piece: str) -> str:
    return piece.strip(" \t.*_`\"'-–—:=")


def entry_rows(lines: Iterable[Line]) -> Iterator[Row]:
    """The files of a list as the rows of a table, the groups in which they stand as lines that name one; none if
    nothing is plainly an entry."""
    rows: list[Row] = []
    group, told = "", ""
    file: _File | None = None

    def settle() -> Iterator[Row]:
        nonlocal told
        if file is not None:
            if group != told:
                yield Row([group], 1)
                told = group
            yield Row(file.row, 1)

    for line in (one for one in lines if len(one.text) <= MOST_LINE):
        names, rest = ([], line.text) if line.heading else _names_in(line)
        if names:
            rows += settle()
            file = _File(line, names, rest)
        elif file is not None and not line.heading and (digests_in(line.text) or line.depth > file.depth):
            file.add(line.text)
        elif line.heading or line.entry or line.text.endswith(":") or len(line.text) < 60:
            rows += settle()
            file, group = None, _bare(line.text)
    rows += settle()
    if rows:
        yield Row(list(COLUMNS), 1, is_head=True)
        yield from rows


def _names_in(line: Line) -> tuple[list[str], str]:
    """The names of files with which an entry begins, and the rest of its text; none if it is no entry: a line that
    is none of a list has to have a digest, or be a name and nothing else."""
    text = line.text
    names = _marked(text) or _in_front(text)
    if not names and (line.entry or digests_in(text)) and (match := _TOKEN.search(text)):
        names = [match[0]]
    rest = text
    for name in names:
        rest = re.sub(rf"[`\[\"*]*{re.escape(name)}[`\]\"*]*", "|", rest, count=1)
    alone = not re.sub(r"\([^()]*\)", "", rest).strip("| \t/*.,;")
    return (names, rest) if names and (line.entry or digests_in(text) or alone) else ([], text)


def _marked(text: str) -> list[str]:
    """The names that a text marks as such, at its beginning."""
    found = []
    for match in _MARKED.finditer(text):
        name = next(filter(None, match.groups()))
        if not is_file_name(name):
            break
        found.append(name)
    return found


def _in_front(text: str) -> list[str]:
    """The names that stand before anything that parts them from the rest."""
    front = _BEFORE.split(text, maxsplit=1)[0]
    names = [name.strip() for name in re.split(r"\s+(?:/|or|oder|ou|o|of)\s+", front)]
    return names if all(map(is_file_name, names)) else []
