"""Lists without a table: bullets and definitions, also within one another, and lines with a file in each."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Iterable, Iterator
from functools import partial
from typing import Any

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.catalogue.importing.plaintext import heading_in, numbered, section_in, without_looks
from gribble.core.catalogue.importing.tables import NOTHING_ABOVE, Head, Line, Row, label_of, said_in
from gribble.core.catalogue.importing.values import NOT_CUT, is_datum, is_file_name
from gribble.core.catalogue.importing.words import EXACT, SENTENCE, head_points, is_label, level_said, meaning, plain

COLUMNS = (
    "File", "Description", "Machine", "Folder", "Region", "Version", "Required", "Notes", "Size", "CRC32", "MD5",
    "SHA1", "SHA256",
)  # fmt: skip
"""What is told of each file, as the head of a table."""
_BULLET = re.compile(r"^(?P<before>\s*)(?:[-*+•·‣▪]|\d{1,3}[.)]|\[\d{1,3}\])\s+(?:\[[ xX✓✔]\]\s+)?(?P<text>.+)$")
_EMPHASIS = re.compile(r"(\*\*|__|`)([^*_`]+)\1")
_MARKED = re.compile(r"`([^`]+)`|\[([^\[\]]+)\]|\"([^\"]+)\"|\*\*([^*]+)\*\*")
_BEFORE = re.compile(r"\s+[-–—|=]+>?\s+|:\s|\s+\(|\t|,\s|\s{2,}")
_IN_BRACKETS = r"\([^()|]{1,40}\)|\[[^\[\]|]{1,40}\]"
_OF_CHIP = r"(?![vV]?\d)[A-Za-z][\w+!~-]*\.\d{1,2}[A-Za-z]\w{0,2}"
"""A name whose ending is the place of a chip, such as .4e."""
_TOKEN = re.compile(
    rf"(?<![\w/.@])(?:(?:[A-Za-z0-9][\w.+!~-]*(?:\([\w .+-]{{1,20}}\)[\w.+!~-]*)?|{_IN_BRACKETS})"
    rf"\.(?:[A-Za-z]\w{{0,4}}|(?<=[)\]]\.)\d{{1,2}}[A-Za-z]\w{{0,2}})"
    rf"|{_OF_CHIP})(?![\w/])"
)
_ROUND = r"0[xX]00[0-9A-Fa-f]{4}00"
"""A number of eight hex digits that is a size: of 65,536 digests one looks like it."""
_DIGEST = re.compile(
    rf"(?<![0-9A-Za-z])(?!{_ROUND}(?![0-9A-Za-z]))(?:0[xX])?([0-9A-Fa-f]{{8}}|[0-9A-Fa-f]{{24,72}}){NOT_CUT}"
)
_CHECKSUM = re.compile(r"crc\S{0,4}\s*[:=]?\s*$", re.IGNORECASE)
_SIZE = re.compile(r"(?<![\w.])(\d[\d.,']*)\s*(KiB|MiB|GiB|[KMG]B|[KMG]|bytes?|B)\b", re.IGNORECASE)
_GROUPED = re.compile(r"(?<![\w.,'])\d{1,3}([,'])\d{3}(?:\1\d{3})*(?![\w'])")
_FIGURES = re.compile(r"(0[xX][0-9A-Fa-f]{1,8})|\d{1,12}")
_EIGHT = re.compile(r"(?<![\w.])\d{8}(?![\w.])")
_SEPARATORS = re.compile(r"\s+[-–—]+\s+|[,;:|&()=\[\]{}<>\t]|\.(?:\s+|$)|\s{2,}|->|\\\\")
_INSERTED = re.compile(r"^\s*insert\s+into\s.*?\bvalues\s*", re.IGNORECASE)
_NEXT_INSERTED = re.compile(r"(?<=\))\s*,\s*(?=\()")
LONG = 60
"""A shorter line can be the name of a group, or a remark about a file."""
_FEW = 3
"""A line of so few words that has a digest is none of the words above a list."""
MOST_LINE = 2000
"""A longer line is prose."""
_COLUMN_OF = {length: name.replace("crc32", "CRC32").upper() for name, length in HEX_LENGTHS.items()}


def lines_of(text: str) -> Iterator[Line]:
    """The lines of a plain text, of Markdown, or of code that has a file in each, without what only says how they
    look."""
    for line in text.splitlines():
        if match := _INSERTED.match(line):
            yield from (Line(0, row, entry=True) for row in _NEXT_INSERTED.split(line[match.end() :]))
            continue
        shown = line.expandtabs(4)
        if len(line) > 2 * MOST_LINE or not any(map(str.isalnum, line)):
            continue
        if words := heading_in(line) or section_in(line):
            yield Line(0, words, heading=True)
        elif match := _BULLET.match(shown):
            yield Line(len(match["before"]), without_looks(match["text"]), entry=True)
        else:
            yield Line(len(shown) - len(shown.lstrip()), without_looks(shown))


def lines_of_data(data: Any, depth: int = 0) -> Iterator[Line]:
    """The lines of what JSON says: an entry for each name of a file with all that is said of it, for each row of plain
    values and for each value, if there is a digest or the name of a file in it; what is said of all below; and a
    heading for each other key."""
    if isinstance(data, dict):
        yield from _lines_of_object(data, depth)
    elif isinstance(data, list) and any(isinstance(one, (dict, list)) for one in data):
        for one in data:
            yield from lines_of_data(one, depth) if _has_inner(one) else _row(one, depth)
    else:
        for one in data if isinstance(data, list) else [data]:
            yield from _row(one, depth)


def _lines_of_object(data: dict[str, Any], depth: int) -> Iterator[Line]:
    said = [f"{key}: {', '.join(_said_in(one))}" for key, one in data.items() if not _has_inner(one)]
    said = [words for words in said if len(words) < LONG and said_in(words)]
    yield from (Line(depth, words) for words in said)
    for key, one in data.items():
        if is_file_name(key):
            yield Line(depth, " | ".join([key, *_said_in(one)]), entry=True)
        elif inner := list(lines_of_data(one, depth + 1)):
            rows = isinstance(one, list) and (isinstance(one[0], list) or (said and not level_said(key)))
            if not rows:  # such a key names no group
                yield Line(depth, str(key), heading=True)
            yield from inner


def _has_inner(one: Any) -> bool:
    return isinstance(one, dict) or (isinstance(one, list) and any(isinstance(value, (dict, list)) for value in one))


def _row(one: Any, depth: int) -> Iterator[Line]:
    text = " | ".join(_said_in(one))
    if any(_digests_in(text)) or any(map(is_file_name, text.split())):
        yield Line(depth, text, entry=True)


def _said_in(data: Any) -> list[str]:
    """The plain values in what JSON says, each with its key."""
    if isinstance(data, dict):
        return [f"{key}: {word}" for key, one in data.items() for word in _said_in(one)]
    return [word for one in data for word in _said_in(one)] if isinstance(data, list) else [str(data)]


def _digests_in(text: str) -> Iterator[tuple[str, re.Match[str]]]:
    """The digests in a text, each with its column. Eight figures are one only behind its name; what has nearly as many
    digits as one is taken for it, so that it is told."""
    for match in _DIGEST.finditer(text):
        length = len(match[1])
        if length > 8 or not match[1].isdigit() or _CHECKSUM.search(text[: match.start()]):
            yield _COLUMN_OF[min(_COLUMN_OF, key=lambda one: abs(one - length))], match


class _File:
    """A file, and what the lines of its entry say of it; one without a name is a line whose name was not understood."""

    def __init__(self, line: Line, names: list[str], rest: str) -> None:
        self.depth = line.depth
        self.cells = {"File": " / ".join(names)}
        self.text: list[str] = []
        self._said_at_once = any(_digests_in(rest))
        self.add(rest)

    def takes(self, line: Line) -> bool:
        """Whether a line without a name says more of this file: if it is below it, or begins with what it says, or has
        digests, while the file's own line has none; or if it has nothing but digests of other kinds."""
        kinds = {column for column, _ in _digests_in(line.text)}
        if line.depth > self.depth:
            return bool(kinds) or line.entry or len(line.text) < LONG
        if "Size" not in self.cells and _SIZE.fullmatch(line.text):
            return True
        pieces = list(filter(None, map(_bare, _SEPARATORS.split(_DIGEST.sub("|", line.text)))))
        if self._said_at_once:
            labels = all(is_label(word) for piece in pieces for word in piece.split())
            return bool(kinds) and labels and not kinds & self.cells.keys()
        labelled = len(pieces) > 1 and (is_label(pieces[0]) or _heads_level(pieces[0]))
        return bool(kinds) or labelled or _labelled(line.text) is not None

    def add(self, text: str) -> None:
        """Take what a text says: digests, a size, how much it is needed, and the rest in words."""
        if told := _labelled(text):
            self.cells.setdefault(*told)
            return
        if (titled := label_of(text)) and head_points(titled[0], "title") == EXACT:
            text = titled[1]
        for column, match in list(_digests_in(text)):
            self.cells[column] = f"{self.cells[column]}\n{match[1]}" if column in self.cells else match[1]
            text = text.replace(match[0], "|")
        text = _ASIDE.sub(_kept_aside, text)
        text = _GROUPED.sub(lambda grouped: grouped[0].replace(grouped[1], ""), text)
        if "Size" not in self.cells and (size := _SIZE.search(text)):
            self.cells["Size"], text = size[0], text.replace(size[0], "|")
        pieces = list(filter(None, map(_bare, _SEPARATORS.split(text))))
        for label, piece, after in zip(["", *pieces], pieces, [*pieces[1:], ""], strict=False):
            if not (_heads_level(piece) and (meaning(after, "yes or no") or level_said(after))):
                self._add_piece(label, piece)
        sizes = [piece for piece in pieces if _could_be_size(piece)]
        if len(sizes) == 1:
            self.cells.setdefault("Size", sizes[0])

    def _add_piece(self, label: str, piece: str) -> None:
        """Take a few words or a number behind a label, which may be what was before it."""
        if _FIGURES.fullmatch(piece):
            if head_points(label, "size") == EXACT:
                self.cells.setdefault("Size", piece)
        elif level := _level_of(label, piece):
            self.cells.setdefault("Required", level)
        elif head_points(numbered(piece)[1], "name") == EXACT:  # such as rom0 = …
            return
        elif not all(map(is_label, piece.split())) and any(map(str.isalpha, piece)):
            self.text.append(piece.translate(_BRACKETS))

    @property
    def row(self) -> list[str]:
        """Its cells."""
        cells = {"Description": ", ".join(self.text)[:200], **self.cells}
        return [cells.get(name, "") for name in COLUMNS]


_LABELS = {
    "title": "Description", "machine": "Machine", "folder": "Folder", "region": "Region", "version": "Version",
    "note": "Notes", "why": "Notes",
}  # fmt: skip
"""What a line says behind a label, and the column of that."""


def _labelled(text: str) -> tuple[str, str] | None:
    """The column and the value of a line that is a label with a value; None if it is none."""
    found = label_of(text)
    if found is None or any(_digests_in(found[1])) or _SIZE.search(found[1]):
        return None  # it says more than one thing
    label, value = found
    if _heads_level(label) and (level := _level_of(label, value)):
        return "Required", level
    return next(((column, value) for field, column in _LABELS.items() if head_points(label, field) == EXACT), None)


_ASIDE = re.compile(r"(?<=\w) \(([^()|:;,=]{1,30})\)")
_BRACKETS = str.maketrans("\ue001\ue002", "()")


def _kept_aside(match: re.Match[str]) -> str:
    """Words in brackets within others, which belong to these if they say nothing of their own."""
    own = (
        level_said(match[1]) or meaning(match[1], "yes or no") or any(map(str.isdigit, match[1])) or is_label(match[1])
    )
    return match[0] if own else f" \ue001{match[1]}\ue002"


def _heads_level(piece: str) -> bool:
    return any(head_points(piece, field) == EXACT for field in ("level", "unneeded"))


def _level_of(label: str, piece: str) -> str:
    """How much a file is needed as a piece of text says it, perhaps with yes or no behind a label; empty if it does
    not."""
    answer = meaning(piece, "yes or no")
    if answer and _heads_level(label):
        return piece if head_points(label, "unneeded") < EXACT else {"yes": "no", "no": "yes"}[answer]
    return piece if level_said(piece) else ""


def _could_be_size(piece: str) -> bool:
    """Whether a number of which nothing is said could be a size: it is round as those of files are, and no year."""
    match = _FIGURES.fullmatch(piece)
    number = int(piece, 16 if match[1] else 10) if match else 0
    return number >= _ROUNDED and number % _ROUNDED == 0 and not 1900 <= number < 2048


_ROUNDED = 64


def _bare(piece: str) -> str:
    return piece.strip(" \t.*_`\"'-–—:=")


def entry_rows(lines: Iterable[Line]) -> Iterator[Row]:
    """The files of a list as the rows of a table, the groups in which they stand as lines that name one; none if
    nothing is plainly an entry."""
    entries = _Entries()
    for line in _with_figures([line for line in lines if len(line.text) <= MOST_LINE]):
        for part in _parted(line):
            entries.take(part)
    entries.settle(None)
    if entries.rows:
        yield Row(list(COLUMNS), 1, is_head=True)
        yield from _without_refrain(entries.rows)


def _with_figures(lines: list[Line]) -> list[Line]:
    """Lines in which eight figures are called a CRC-32 where more other lines have one; one in 43 has no letter. Such
    figures that are a multiple of 65,536 may be a size."""
    proven = [any(column == "CRC32" for column, _ in _digests_in(line.text)) for line in lines]
    bare = [not proof and bool(_EIGHT.search(line.text)) for line, proof in zip(lines, proven, strict=True)]
    if sum(proven) <= sum(bare):
        return lines
    return [
        line._replace(text=_EIGHT.sub(_called, line.text)) if one else line
        for line, one in zip(lines, bare, strict=True)
    ]


def _called(figures: re.Match[str]) -> str:
    return f" | CRC: {figures[0]}" if int(figures[0]) % (1 << 16) else figures[0]


def _without_refrain(rows: list[Row]) -> list[Row]:
    """Rows of which several are not all described by the same words: these say nothing of a file."""
    at = COLUMNS.index("Description")
    files = [row.cells for row in rows if len(row.cells) > 1]
    if len(files) > 1 and len({cells[at] for cells in files}) == 1:
        for cells in files:
            cells[at] = ""
    return rows


def plays_rows(lines: Iterable[Line]) -> Iterator[Row]:
    """The rows of a list that says what plays: in each line a set or its title, how it plays, and a note; or entries
    below a heading that says how. None if nothing says it."""
    rows, group = [], ""
    for line in lines:
        if line.heading:
            group = line.text if meaning(line.text, "plays") else ""
            continue
        name, *others = list(filter(None, map(_bare, _PARTS.split(line.text)))) or [""]
        own = "" if group else next((piece for piece in others if meaning(piece, "plays")), "")
        if name and (own or (group and line.entry)):
            rows.append(Row([name, own or group, ", ".join(piece for piece in others if piece != own)], 1))
    if rows:
        yield Row(["Game", "Plays", "Note"], 1, is_head=True)
        yield from rows


_PARTS = re.compile(r"\s+[-–—=]+>?\s+|:\s+|\s*[=|\t]\s*|\s{2,}")


def unfolded(rows: Iterable[tuple[Head, list[str]]]) -> Iterator[tuple[Head, list[str]]]:
    """The rows of tables, of which a row of several files becomes a row for each: where a cell has an entry for each
    file, and where columns are numbered (`file 1`, `md5 1`, `file 2`, …)."""
    ways: dict[int, _Way | None] = {}
    begun: list[tuple[Head, list[str]]] = []
    for head, cells in rows:
        if not cells:
            yield from begun
            begun = [(head, cells)]
            continue
        if head.number not in ways:
            ways[head.number] = _way_of(head.names, cells)
        way = ways[head.number]
        files = way(dict(zip(head.names, cells, strict=True))) if way else [(head.names, cells)]
        for names, file in files:
            yield from ((one._replace(names=names), []) for one, _ in begun)
            begun = []
            yield head._replace(names=names), file
    yield from begun


_Way = Callable[[dict[str, str]], Iterator[tuple[tuple[str, ...], list[str]]]]
"""Makes of a row the columns and cells of each file."""


def _way_of(names: tuple[str, ...], cells: list[str]) -> _Way | None:
    """How the first row of a table, and so all, becomes a row for each file; None if it is one."""
    groups: dict[str, dict[str, str]] = {}
    for name in names:
        number, word = numbered(name)
        if number:
            groups.setdefault(number, {})[word] = name
    words = next(iter(groups.values()), {})
    if words.keys() <= set(names):  # the first columns of a kind have no number
        groups = {"": dict(zip(words, words, strict=True)), **groups}
    if len(groups) > 1 and len(words) > 1 and all(one.keys() == words.keys() for one in groups.values()):
        return partial(_by_number, groups=list(groups.values()))
    for name, cell in zip(names, cells, strict=True):
        if head_points(name, "name") == EXACT and _has_entries(cell):
            return partial(_by_entry, column=name)
    return None


def _by_number(own: dict[str, str], groups: list[dict[str, str]]) -> Iterator[tuple[tuple[str, ...], list[str]]]:
    of_files = {name for one in groups for name in one.values()}
    others = [name for name in own if name not in of_files]
    for group in groups:
        if any(own[name].strip() for name in group.values()):
            yield (*others, *group), [own[name] for name in (*others, *group.values())]


def _by_entry(own: dict[str, str], column: str) -> Iterator[tuple[tuple[str, ...], list[str]]]:
    others = [name for name in own if name != column and name not in COLUMNS]
    for entry in _entries_in(own[column]) or [[""] * len(COLUMNS)]:  # such as a machine that needs none
        cells = [one or own.get(name, "") for name, one in zip(COLUMNS, entry, strict=True)]
        yield (*others, *COLUMNS), [*map(own.__getitem__, others), *cells]


def _has_entries(cell: str) -> bool:
    """Whether a cell has the names of files and their digests."""
    return any(_digests_in(cell)) and all(entry[0] and any(entry[-len(HEX_LENGTHS) :]) for entry in _entries_in(cell))


def _entries_in(cell: str) -> list[list[str]]:
    lines = re.split(r"[\n;|]", re.sub(r"(?<=\w)[:=](?=\w)", " : ", cell))
    rows = entry_rows(Line(0, line.strip(), entry=True) for line in lines if line.strip())
    return [row.cells for row in rows if len(row.cells) > 1 and not row.is_head]


class _Entries:
    """Takes line after line, and has the rows of the files that these tell of."""

    def __init__(self) -> None:
        self.rows: list[Row] = []
        self._group = self._told = NOTHING_ABOVE
        self._file: _File | None = None

    def take(self, line: Line) -> None:
        """Begin a file with a line, add the line to what is said of the last one, or begin a group with it."""
        if line.heading:
            self._begin(line)
            return
        names, rest = _names_in(line)
        if names:
            self.settle(_File(line, names, rest))
        elif self._file and self._file.takes(line):
            self._file.add(line.text)
        elif (said := said_in(line.text)) and (self._file is None or head_points(said[0], "set") == EXACT):
            after_rows = self._file is not None or self._group == self._told
            self.settle(None)
            self._group = self._group.with_line(line.text, after_rows=after_rows)
        elif any(_digests_in(line.text)) and self._is_told_of(line):
            self.settle(_File(line, [], line.text))
        elif not _is_head(line.text) and (line.entry or line.text.endswith(":") or _could_be_group(line.text)):
            self._begin(line)

    def _begin(self, line: Line) -> None:
        """Begin a group of files with a line."""
        self.settle(None)
        group = _bare(_EMPHASIS.sub(r"\2", line.text))  # an archive there is no file of the list
        group = group.rpartition(".")[0] if is_file_name(group) else group
        after_rows = self._group == self._told
        self._group = self._group.below(group) if line.heading else self._group.with_line(group, after_rows=after_rows)

    def _is_told_of(self, line: Line) -> bool:
        """Whether a line with digests and without a name is one of the list, and none of the words above it."""
        return line.entry or bool(self.rows) or self._file is not None or _says_little(line.text)

    def settle(self, file: _File | None) -> None:
        """End what is said of a file, with another one or none."""
        if self._file is not None:
            if self._group != self._told:
                said = self._group.said
                self.rows.append(Row([self._group.heading or (said[0][1] if said else "")], 1, said=said))
                self._told = self._group
            self.rows.append(Row(self._file.row, 1))
        self._file = file


def _says_little(text: str) -> bool:
    return len(_DIGEST.sub(" ", text).split()) <= _FEW


def _is_head(text: str) -> bool:
    """Whether a line only says what is in the columns below it."""
    names = text.split()
    return len(names) > 1 and any(map(is_label, names)) and all(_heads(name) for name in names)


def _heads(word: str) -> bool:
    return is_label(word) or any(head_points(word, field) == EXACT for field in ("name", "title", "level", "region"))


def _could_be_group(text: str) -> bool:
    """Whether a line that nothing marks could name a group of files: it is no sentence and no code."""
    return len(text) < LONG and "{" not in text and not text.endswith((".", "!", "?")) and not is_datum(text)


def _parted(line: Line) -> list[Line]:
    """A line, in parts where it tells of several files: each has a name and behind it its digests. A heading that is
    nothing but the name of a file is the line above all that is said of it."""
    if line.heading:
        return [line._replace(depth=-1, heading=False) if is_file_name(_bare(line.text)) else line]
    names = [match.start() for match in _TOKEN.finditer(line.text)]
    digests = [match.end() for _, match in _digests_in(line.text)]
    each = [[end for end in digests if at < end < after] for at, after in itertools.pairwise([*names, MOST_LINE + 1])]
    if len(names) < 2 or not all(each):
        return [line]
    return [Line(line.depth, line.text[at : ends[-1]], entry=True) for at, ends in zip(names, each, strict=True)]


def _names_in(line: Line) -> tuple[list[str], str]:
    """The names of files with which an entry begins, and the rest of its text; none if it is no entry: a line that
    is none of a list has to have a digest, or be a name and nothing else, or say of which file the digest below is."""
    text = line.text
    if text.endswith(":") and len(tokens := _TOKEN.findall(text)) == 1 and any(map(is_label, text.split())):
        return tokens, ""
    tells = line.entry or any(_digests_in(text))
    names = _marked(text) or _in_front(text)
    if not names and tells:
        match = _TOKEN.search(text)
        names = [_whole_name(text, match)] if match else [one for one in _PIECES.split(text) if is_file_name(one)][:1]
    rest = text
    for name in names:
        rest = re.sub(rf"[`\[\"*]*{re.escape(name)}[`\]\"*]*", "|", rest, count=1)
    before, parted, behind = rest.partition("|")
    if parted and _IN_SENTENCES.issuperset(map(plain, before.split())):
        rest = parted + behind
    alone = not _SIZE.sub("", re.sub(r"\([^()]*\)", "", rest)).strip("| \t/*.,;:-")
    return (names, rest) if names and (tells or alone) else ([], text)


_IN_SENTENCES = SENTENCE["acts"] | SENTENCE["others"]
_PIECES = re.compile(r"\s*[=,;|\t]\s*|\s{2,}")


def _whole_name(text: str, match: re.Match[str]) -> str:
    """The name of a file that ends with a word, with the words before it that nothing parts from it: it may have
    blanks. A word that says that it is a file, and a number, are none of it."""
    words = re.split(r"[^\w .+!~()\[\]-]|\s{2,}", text[: match.start()])[-1].split()
    while words and (head_points(words[0], "name") == EXACT or not any(map(str.isalpha, words[0]))):
        del words[0]
    whole = " ".join([*words, match[0]])
    if whole in text and is_file_name(whole) and not any(_digests_in(whole)):
        return _in_sentence(whole, text)
    return match[0]


def _in_sentence(name: str, text: str) -> str:
    """The name of a file without the words with which a sentence comes to it: "You need", "The file"."""
    *before, last = name.split() or [""]
    told = [plain(word) for word in before]
    if not told or not text.rstrip().endswith((".", "!")) or not is_file_name(last) or told[0] not in _IN_SENTENCES:
        return name
    acts = not SENTENCE["acts"].isdisjoint(told)
    return last if acts or head_points(before[-1], "name") == EXACT else name


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
    """The names that stand before anything that parts them from the rest, or behind a digest and a size."""
    first = next((match for _, match in _digests_in(text)), None)
    if first and not _bare(text[: first.start()]):
        text = re.sub(r"^\d+\s+(?=\D)", "", text[first.end() :].lstrip(" \t*=>:|-"))
    if is_file_name(text) and not any(_digests_in(text)):
        return [text.strip()]
    word = text.partition(" ")[0]
    if is_file_name(word) and first and not _bare(text[len(word) : first.start()]):
        return [word]
    front = _BEFORE.split(text, maxsplit=1)[0]
    names = [name.strip() for name in re.split(r"\s+(?:/|or|oder|ou|o|of)\s+", front)]
    names = [_in_sentence(name, text) for name in names]
    return names if all(is_file_name(name) and not any(_digests_in(name)) for name in names) else []
