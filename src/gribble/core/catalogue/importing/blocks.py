"""Lists in blocks: a word, and in brackets behind it what it says, as further words with a value or a block each.

```
set {
  name saltpan
  file ( name sp1.4e size 65536 crc32 1f3c9a20 )
}
```

Many programs write such text, and no standard describes it. A block may have a name before its bracket, signs such as
`=` and `,` say nothing, and a value is what is in quotes, else the rest of its line, or one word within a line.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterable, Iterator
from pathlib import Path

from gribble.core.base.budget import XML_DEPTH
from gribble.core.base.errors import GribbleError
from gribble.core.base.regular import open_text
from gribble.core.catalogue.importing.nodes import Advance, Node

_OPENS, _CLOSES = r"(?:\{|\((?=\s|$))", r"(?:\}|(?<!\S)\))"
"""Round brackets are also in names and titles, where no blank is behind them."""
_BLOCK = re.compile(
    r"\s*(?P<key>[A-Za-z][\w.-]*)(?:[ \t]+(?P<name>\"[^\"\n]*\"|[^\s\"(){}=:]+))?"
    rf"(?:[ \t]*[=:])?[ \t]*{_OPENS}[ \t]*(?P<inside>.*)$"
)
_END = re.compile(rf"\s*{_CLOSES}[\s,;]*")
_PAIR = re.compile(r"\s*(?P<key>[A-Za-z][\w.-]*)\s*(?:[=:]\s*|\s+)(?P<value>\S.*)$")
_TOKEN = re.compile(rf"\"[^\"]*\"|{_OPENS}|{_CLOSES}|(?:(?!{_OPENS}|{_CLOSES})[^\s\"=,;])+")
_FEWEST = 2


def has_blocks(lines: Iterable[str]) -> bool:
    """Whether lines are a list in blocks: several begin, as many end, and all others are words with their values. The
    last lines may be cut off."""
    blocks = depth = 0
    for line in map(_bare, lines):
        while end := _END.match(line):
            depth, line = depth - 1, line[end.end() :]
        if not line:
            continue
        if block := _BLOCK.match(line):
            blocks += 1
            depth += _closed(block["inside"]) is None
        elif not (depth and _PAIR.match(line)):
            return False
    return blocks >= _FEWEST and 0 <= depth <= XML_DEPTH


def sample_blocks(path: Path, encoding: str, most: int) -> Node:
    """The beginning of a list in blocks: a root with so many of the outermost. Raises GribbleError, OSError and
    UnicodeDecodeError."""
    return Node("", {}, list(itertools.islice(_outermost(path, encoding, lambda _bytes: None), most)))


def read_blocks(path: Path, encoding: str, way: list[str], advance: Advance) -> Iterator[Node]:
    """The records at a path of a list in blocks. Raises GribbleError."""
    for node in _outermost(path, encoding, advance):
        if node.tag == way[0]:
            yield from node.inner("/".join(way[1:]))


def _outermost(path: Path, encoding: str, advance: Advance) -> Iterator[Node]:
    """The outermost blocks as they end: a node for each word, with its value as text; a block's name is `@name`."""
    open_: list[Node] = []
    with open_text(path, encoding) as stream:
        for number, line in enumerate(stream, start=1):
            advance(len(line))
            line = _bare(line)
            while end := _END.match(line):
                if not open_:
                    raise GribbleError(
                        f"{path}, line {number}: ends a block that is not begun", fix="Correct the line."
                    )
                node, line = open_.pop(), line[end.end() :]
                if not open_:
                    yield node
            if not line:
                continue
            root = open_[-1] if open_ else Node("", {})
            if not (_BLOCK.match(line) or _PAIR.match(line)):
                raise GribbleError(f"{path}, line {number}: is no word with a value", fix="Correct the line.")
            if begun := _take(line, root):
                open_.append(begun)
            elif not open_:
                yield from root.children
            if len(open_) > XML_DEPTH:
                raise GribbleError(f"{path} is nested too deeply", fix="Turn it into JSON Lines, one record a line.")
    if open_:
        raise GribbleError(f"{path}: its last block has no end", fix="Is the file cut short? Get it again.")


def _bare(line: str) -> str:
    """A line without what says nothing at its ends; empty if it is a remark."""
    line = line.strip().rstrip(" \t,;")
    return "" if line.startswith(("#", "//")) else line


def _closed(inside: str) -> str | None:
    """What is in a block that ends in the line in which it begins; None if it does not."""
    end = inside.endswith("}") or (inside.endswith(")") and inside[-2:-1] in ("", " ", "\t"))
    return inside[:-1] if end else None


def _take(line: str, into: Node) -> Node | None:
    """Take what a line says, and return the block that it begins and does not end."""
    if (block := _BLOCK.match(line)) and not (block["name"] and _ends_a_title(block["inside"])):
        node = Node(block["key"], {"name": block["name"].strip('"')} if block["name"] else {})
        into.children.append(node)
        closed = _closed(block["inside"])
        _fill(node, iter(_TOKEN.findall(block["inside"] if closed is None else closed)))
        return node if closed is None else None
    if pair := _PAIR.match(line):
        into.children.append(Node(pair["key"], {}, text=pair["value"].strip('"')))
    return None


def _ends_a_title(inside: str) -> bool:
    """Whether brackets behind a word and its value are a part of that, such as of a title: no pairs with a number."""
    closed = _closed(inside)
    return closed is not None and bool(len(_TOKEN.findall(closed)) % 2 or not any(map(str.isdigit, closed)))


def _fill(node: Node, tokens: Iterator[str], depth: int = 0) -> None:
    """Take words with their values, of one line, until a block ends."""
    for key in tokens:
        if key in (")", "}"):
            return
        value = next(tokens, "")
        opens = value in ("(", "{") and depth < XML_DEPTH
        inner = Node(key.strip('"'), {}, text="" if opens else value.strip('"'))
        node.children.append(inner)
        if opens:
            _fill(inner, tokens, depth + 1)
