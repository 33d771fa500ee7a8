"""What a list is, told by its content: format, encoding, delimiter."""

from __future__ import annotations

import codecs
import csv
import json
import re
from collections import Counter
from pathlib import Path

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import GribbleError
from gribble.core.base.regular import encoding_of, open_regular
from gribble.core.catalogue.importing.blocks import has_blocks
from gribble.core.catalogue.importing.values import DIGEST, is_file_name
from gribble.core.catalogue.sheets import is_checksum_line
from gribble.core.files.archives.common import ArchiveError
from gribble.core.files.archives.opening import listing
from gribble.core.records.imported import ListFormat, Looks

SAMPLE_BYTES = 1 << 18
"""So much of a list is looked at to tell what it is."""

_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
_ENCODINGS = ["cp1252", "cp932", "euc_jp", "iso2022_jp"]
_TAG = re.compile(r"<(!doctype\s+html|html|body|table|head|div|h[1-6]|p|ul|ol|dl|pre|center)\b", re.IGNORECASE)
_BEGINS_JSON = re.compile(r"""\{\s*("(?:[^"\\]|\\.)*"\s*:|}|$)|\[\s*([\[{"\d\]-]|true|false|null|$)""")
_FORUM = re.compile(
    r"\[/?(?:quote|code|b|i|u|s|list|spoiler|url|size|color|center|table|tr|td|th|img|\*)(?:[ =][^\]\n]*)?\]",
    re.IGNORECASE,
)
_OF_RULES = frozenset(" \t:|+=-")
"""What the line below a head of Markdown is drawn with."""
_SECTION = re.compile(r"^\[+[^\[\]{}\"]+\]+\s*$")
_KEY = re.compile(r"^\s*(?=\S)[\w.\-/ \[\]\"']{1,60}?\s*=(?![=>])")
_COLON_KEY = re.compile(r"^\s*:?[A-Za-z][\w.\- ]{0,40}:\s+\S")
_INSERTED = re.compile(r"^[ \t]*insert[ \t]+into[ \t]", re.IGNORECASE | re.MULTILINE)
_DRAWN = re.compile(r"^(?:\{\||\|={3,}[ \t\r]*$)", re.MULTILINE)
"""Where a table of a wiki or of AsciiDoc begins."""
_KEY_OF_TOML = r"""["']?[\w.-]+(?: [\w.-]+)*["']?"""
_TABLES_OF_TOML = re.compile(
    rf"""^[ \t]*(?:\[\[[\w."'-]+\]\]|{_KEY_OF_TOML}[ \t]*=[ \t]*\{{[^{{}}\n=]*=[^{{}}\n]*\}})[ \t]*(?:\#.*)?$""",
    re.MULTILINE,
)
"""A list of tables: records of one name, which sections of a settings file would be one; or a table in a line."""
_YAML_KEY = re.compile(r"""^\s*(?:- +)?["']?[\w.-][\w .-]*["']?:(?:\s|$)|^---$""")
_REMARK = re.compile(r"\S\s{2,}#\s")
_BULLET = re.compile(r"^\s*[-*+•]\s+\S")
_GAPS = re.compile(r"\S(?:\t+| {2,})\S")


_READABLE = "Gribble reads CSV, JSON, XML, HTML, Markdown, aligned text, key = value, workbooks and checksum lists."
_ENDINGS = {".csv": ListFormat.CSV, ".tsv": ListFormat.TSV, ".md": ListFormat.MARKDOWN, ".ini": ListFormat.KEYS}


def looks_like(path: Path, *, encoding: str = "", format_: ListFormat | None = None, delimiter: str = "") -> Looks:
    """What a list is, as far as it is not known already. Raises GribbleError and OSError."""
    with open_regular(path) as stream:
        data = stream.read(SAMPLE_BYTES)
    if data.startswith((b"PK\x03\x04", b"\xd0\xcf\x11\xe0")) and format_ in (None, ListFormat.WORKBOOK):
        if data.startswith(b"PK") and not _is_book(path):
            raise GribbleError(f"{path} is an archive, not a list", fix="Unpack it, and import the file that is in it.")
        return Looks(ListFormat.WORKBOOK)
    found, guessed = (encoding, False) if encoding else _encoding(path, data)
    text = _sample(path, data, found)
    kind = format_ or _format(text, path)
    if kind in (ListFormat.CSV, ListFormat.TSV) and not delimiter:
        delimiter = "\t" if kind is ListFormat.TSV else _delimiter(text) or ","
    return Looks(kind, found, delimiter, guessed)


def _is_book(path: Path) -> bool:
    try:
        names = {member.name for member in listing(path, "zip") or ()}
    except ArchiveError:
        return False
    return "xl/workbook.xml" in names or "xl/workbook.bin" in names or "content.xml" in names


def _encoding(path: Path, data: bytes) -> tuple[str, bool]:
    """The encoding, and whether it is only likely. Raises GribbleError if it is a mixture."""
    for mark, name in _MARKS:
        if data.startswith(mark):
            return name, False
    if declared := re.match(rb"\s*<\?xml[^>]*encoding=[\"\']([\w-]+)", data):
        return declared[1].decode("ascii"), False
    if (coded := encoding_of(data)[1]) != "utf-8":
        return coded, True
    try:
        codecs.getincrementaldecoder("utf-8")().decode(data)
    except UnicodeDecodeError as error:
        text = data.decode("utf-8", "surrogateescape")
        good = sum(ord(sign) > 0x7F and not 0xDC80 <= ord(sign) <= 0xDCFF for sign in text)
        bad = sum(0xDC80 <= ord(sign) <= 0xDCFF for sign in text)
        if good * 3 >= bad:
            line = data[: error.start].count(b"\n") + 1
            raise GribbleError(
                f"{path} is only partly UTF-8: line {line} is written in another encoding",
                fix="Save it again in one encoding, best in UTF-8.",
            ) from error
        if (said := re.search(rb"(?i)<meta[^>]+charset=[\"']?([\w-]+)", data[:4096])) and _decodes(data, said[1]):
            return said[1].decode("ascii").lower(), False
        from charset_normalizer import from_bytes

        best = from_bytes(data, cp_isolation=_ENCODINGS).best()
        if best is None and (b"\0" in data or any(data.count(sign) for sign in (0x81, 0x8D, 0x8F, 0x90, 0x9D))):
            raise GribbleError(
                f"{path} is not a text that Gribble can read, and not a workbook", fix=_READABLE
            ) from error
        return (best.encoding if best else "cp1252"), True
    return "utf-8", False


def _decodes(data: bytes, encoding: bytes) -> bool:
    try:
        codecs.getincrementaldecoder(encoding.decode("ascii"))().decode(data)
    except (LookupError, UnicodeDecodeError):
        return False
    return True


def _sample(path: Path, data: bytes, encoding: str) -> str:
    try:
        return codecs.getincrementaldecoder(encoding)().decode(data)
    except UnicodeDecodeError as error:
        raise GribbleError(
            f"{path} is not {encoding} text (byte {error.start:,})",
            fix='Write the right encoding in the map, for example encoding = "cp1252".',
        ) from error
    except LookupError as error:
        raise GribbleError(f'encoding = "{encoding}" is not known', fix='For example: "utf-8", "cp1252".') from error


def is_page(text: str) -> bool:
    """Whether a text is written in HTML."""
    return text.lstrip("\ufeff \t\r\n").startswith("<") and bool(_TAG.search(text[:4096]))


def without_forum_marks(text: str) -> str:
    """A text without the marks of a quotation and of a forum, such as > and [code]; a forum's tables have a bar behind
    each cell."""
    text = re.sub(r"^(?:>[ \t]?)+", "", text, flags=re.MULTILINE)
    if "[/td]" in text.lower():
        text = re.sub(r"\[/t[dh]\]", "|", re.sub(r"\[tr\]", "\n", text, flags=re.IGNORECASE), flags=re.IGNORECASE)
    return _FORUM.sub("", text) if re.search(r"\[/(?:quote|code|b|list|table|spoiler)\]", text, re.IGNORECASE) else text


def _by_beginning(shown: str, lines: list[str]) -> ListFormat | None:
    """The format of a text that begins with a tag, or with a bracket of JSON."""
    if shown.startswith("<"):
        return ListFormat.HTML if _TAG.search(shown[:4096]) and not shown.startswith("<?xml") else ListFormat.XML
    if _BEGINS_JSON.match(shown) and not _SECTION.match(lines[0]):
        return ListFormat.JSONL if _is_json(lines[0]) and len(lines) > 1 else ListFormat.JSON
    return None


def _format(text: str, path: Path) -> ListFormat:
    """The format that a text has. Raises GribbleError if it looks like none."""
    text = without_forum_marks(text)
    shown = text.lstrip("\ufeff \t\r\n")
    lines = [line for line in shown.splitlines() if line.strip()]
    whole = lines if len(text) < SAMPLE_BYTES else lines[:-1]  # the last may be cut off
    if format_ := _by_beginning(shown, lines):
        return format_
    if _TABLES_OF_TOML.search(text):
        return ListFormat.TOML
    if not whole:
        raise GribbleError(f"{path} is empty", fix="Check the path.")
    if has_blocks(whole):
        return ListFormat.BLOCKS
    if path.suffix.lower() in (".yaml", ".yml") or _is_yaml(whole):
        return ListFormat.YAML
    return _of_lines(text, path, lines, whole)


def _of_lines(text: str, path: Path, lines: list[str], whole: list[str]) -> ListFormat:
    """The format of a text that is no data, by its `lines`, of which `whole` are not cut off. Raises GribbleError."""
    said = [line for line in whole if not line.lstrip().startswith(("#", ";"))] or whole
    if not any(map(_REMARK.search, said)) and sum(map(_is_checksum, said)) >= 0.7 * len(said):
        return ListFormat.CHECKSUMS
    if _INSERTED.search(text):
        return ListFormat.LIST
    if any(map(_TAG.search, lines)) and "<tr" in text.lower():
        return ListFormat.HTML
    if known := _by_lines(text, whole, said) or _ENDINGS.get(path.suffix.lower()):
        return known
    if any(DIGEST.search(line) or is_file_name(line) for line in whole):
        return ListFormat.LIST
    raise GribbleError(f"{path} has no table, no records and no digests that Gribble can find", fix=_READABLE)


def _is_checksum(line: str) -> bool:
    """Whether a line is one of a checksum list, and of no table; if it ends in a CRC-32, there is the name of a file
    before it and nothing else."""
    first, *_, last = line.split() * 2
    begins = re.fullmatch(r"\\?([0-9A-Fa-f]+)", first)
    behind = len(last) == 8 and " = " not in line and not (begins and len(begins[1]) in HEX_LENGTHS.values())
    columns = len(_GAPS.findall(line.strip())) > 1 or _BULLET.match(line)
    return is_checksum_line(line) and not columns and (not behind or is_file_name(line.strip()[:-8]))


def _by_lines(text: str, whole: list[str], said: list[str]) -> ListFormat | None:
    """The format that most lines have; `said` are those that are no comments. None if they have none."""
    ruled = any({"|"} < set(line) <= _OF_RULES and "--" in line for line in whole) or any("│" in line for line in whole)
    if ruled or _DRAWN.search(text) or sum(line.count("|") >= 2 for line in said) > 0.6 * len(said):
        return ListFormat.MARKDOWN
    delimiter = _delimiter(text) if sum(map(bool, map(_BULLET.match, said))) < 0.6 * len(said) else ""
    keys = sum(bool(_KEY.match(line) or _SECTION.match(line)) for line in said)
    if keys >= 0.7 * len(said) or (not delimiter and _has_colon_keys(said)):
        return ListFormat.KEYS
    parted = [line for line in said if _GAPS.search(line.strip())]
    is_aligned = len(parted) >= _NEARLY * len(said) and delimiter not in parted[0]  # its commas are in cells
    if delimiter and not is_aligned:
        return ListFormat.TSV if delimiter == "\t" else ListFormat.CSV
    return ListFormat.TEXT if len(parted) >= max(2, 0.4 * len(said)) else None


_NEARLY = 0.7


def _is_yaml(lines: list[str]) -> bool:
    """Whether lines are keys of tables within one another, as no other format has them."""
    keys = [line for line in lines if _YAML_KEY.match(line)]
    opens = any(line.rstrip().endswith(":") for line in keys)
    return opens and any(line[0] in " -" for line in keys) and len(keys) >= 0.8 * len(lines)


def _is_json(line: str) -> bool:
    try:
        json.loads(line)
    except (ValueError, RecursionError):
        return False
    return True


def _has_colon_keys(lines: list[str]) -> bool:
    lines = [line for line in lines if any(map(str.isalnum, line))]
    return sum(bool(_COLON_KEY.match(line)) for line in lines) >= 0.8 * len(lines)


def _delimiter(text: str) -> str:
    """What stands between the columns of CSV: what parts most lines into equally many; empty if nothing does."""
    lines = text.splitlines()[:400]
    best = (0.0, 0, "")
    for sign in ("\t", ";", ",", "|"):
        try:
            next(csv.reader([next(filter(str.strip, lines), "")], delimiter=sign, strict=True), None)  # else it is code
            rows = [row for row in csv.reader(lines, delimiter=sign) if any(map(str.strip, row))]
        except csv.Error:
            continue
        widths = Counter(len(row) for row in rows)
        usual = max((width for width in widths if width > 1), key=lambda width: widths[width], default=0)
        if usual:
            near = sum(count for width, count in widths.items() if 2 <= width <= usual)
            best = max(best, (round(near / len(rows), 1), widths[usual] * usual, sign))
    return best[2] if best[0] >= 0.7 else ""
