"""XML lists, streamed: no more than one record is held. Entities are refused, nothing outside the file is ever read.
Format: XML 1.0."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import NoReturn
from xml.parsers import expat

from gribble.core.base.budget import XML_DEPTH
from gribble.core.base.errors import GribbleError
from gribble.core.base.regular import open_regular
from gribble.core.catalogue.importing.fieldmap import row_keys
from gribble.core.catalogue.importing.nodes import Advance, Node
from gribble.core.records.imported import FieldMap

WHOLE_RECORDS = 100
"""So many records are read whole, whatever of them is wanted, so that what is left over can be told."""

SAMPLE_BYTES = 2 << 20
"""So much of a list is looked at to tell where its records are."""

_CHUNK_BYTES = 1 << 16


class _XmlRecords:
    """Collects the elements at a path below the root as they end."""

    def __init__(
        self, way: list[str], row_tag: str = "", row_keys: tuple[str, ...] = (), *, says_above: bool = False
    ) -> None:
        """With `says_above` a record has the attributes of what it is in, too, under `^`."""
        self._way = way
        self._above: list[dict[str, str]] | None = [] if says_above else None
        self._row_tag = row_tag if row_keys else None
        self._row_keys = row_keys
        self._row = Node("", {})  # stands for every row that is open; what text it has is not wanted
        self._whole = WHOLE_RECORDS
        self._names: list[str] = []
        self._open: list[Node] = []
        self.ready: list[Node] = []
        self.met: dict[str, int] = {}
        self.parser = expat.ParserCreate()
        self.parser.buffer_text = True
        self.parser.StartElementHandler = self._start
        self.parser.EndElementHandler = self._end
        self.parser.EntityDeclHandler = self._refuse

    @property
    def outermost(self) -> Node | None:
        """The record that is open."""
        return self._open[0] if self._open else None

    def _refuse(self, *_: object) -> NoReturn:
        raise GribbleError(
            "it declares entities, and Gribble never reads those", fix="Take the declaration out of the file."
        )

    def _start(self, name: str, attributes: dict[str, str]) -> None:
        if self._open:
            if name == self._row_tag and len(self._open) == 1 and not self._whole:
                self._open[0].rows.append(tuple(map(attributes.get, self._row_keys)))
                self._open.append(self._row)
                return
            if len(self._open) > XML_DEPTH:
                raise GribbleError("a record is nested too deeply", fix="Is this file a list? Check it.")
            node = Node(name, attributes)
            self._open[-1].children.append(node)
            self._open.append(node)
            return
        self._names.append(name)
        if self._above is not None:
            if self._names[1:] == self._way:
                said = {f"^{key}": value for one in self._above for key, value in one.items()}
                attributes = {**said, **attributes}
            self._above.append(attributes)
        if self._names[1:] == self._way:
            self._open.append(Node(name, attributes))
            self.parser.CharacterDataHandler = self._text
        elif len(self.met) < 40:
            path = "/".join(self._names[1:])
            self.met[path] = self.met.get(path, 0) + 1

    def _text(self, text: str) -> None:
        if self._open[-1] is not self._row:
            self._open[-1].text += text

    def _left(self) -> None:
        self._names.pop()
        if self._above is not None:
            self._above.pop()

    def _end(self, _name: str) -> None:
        if not self._open:
            self._left()
            return
        node = self._open.pop()
        if not self._open:
            self._left()
            self.parser.CharacterDataHandler = None
            self.ready.append(node)
            self._whole = max(0, self._whole - 1)


@contextmanager
def _telling(path: Path) -> Iterator[None]:
    """What is wrong with a list, said with its name."""
    try:
        yield
    except expat.ExpatError as error:
        raise GribbleError(
            f"{path}, line {error.lineno}: is not XML: {expat.ErrorString(error.code)}", fix="Correct the file."
        ) from error
    except GribbleError as error:
        raise GribbleError(f"{path}: {error.what}", fix=error.fix) from error


def read_xml(path: Path, made: FieldMap, advance: Advance) -> Iterator[Node]:
    row_tag = made.files.records if made.files else ""
    records = _XmlRecords(
        made.records.split("/") if made.records else [], row_tag, row_keys(made), says_above=made.says_above
    )
    found = False
    with _telling(path), open_regular(path) as stream:
        while chunk := stream.read(_CHUNK_BYTES):
            records.parser.Parse(chunk, False)
            advance(len(chunk))
            if records.ready:
                found = True
                yield from records.ready
                records.ready.clear()
        records.parser.Parse(b"", True)
    yield from records.ready
    if not found and not records.ready:
        paths = ", ".join(path for path in records.met if path) or "nothing below its root"
        raise GribbleError(
            f'{path} has no record at "{made.records}"', fix=f"The path begins below the root; it has: {paths}."
        )


def sample_xml(path: Path) -> Node:
    """The root with what is in it, as far as the first megabytes go. Raises GribbleError and OSError."""
    records = _XmlRecords([])
    root: Node | None = None
    with _telling(path), open_regular(path) as stream:
        left = SAMPLE_BYTES
        while left > 0 and (chunk := stream.read(min(_CHUNK_BYTES, left))):
            records.parser.Parse(chunk, False)
            left -= len(chunk)
            root = root or records.outermost
        if left > 0:
            records.parser.Parse(b"", True)
    found = root or records.outermost or next(iter(records.ready), None)
    if found is None:
        raise GribbleError(f"{path} has nothing in it", fix="Check the path.")
    return found


def words_of(path: Path, attributes: Collection[tuple[str, str]]) -> dict[tuple[str, str], list[str]]:
    """Every value that some attributes have, by tag and name, in all of a list. Raises GribbleError and OSError."""
    found: dict[tuple[str, str], dict[str, None]] = {one: {} for one in attributes}
    tags: dict[str, list[str]] = {}
    for tag, name in attributes:
        tags.setdefault(tag, []).append(name)

    def start(tag: str, said: dict[str, str]) -> None:
        for name in tags.get(tag, ()):
            if (value := said.get(name)) is not None:
                found[tag, name][value] = None

    parser = expat.ParserCreate()
    parser.StartElementHandler = start
    with _telling(path), open_regular(path) as stream:
        parser.ParseFile(stream)
    return {one: list(words) for one, words in found.items()}
