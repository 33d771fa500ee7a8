"""Lists that are read by a process of their own while this one goes on with what it tells.

A long XML list is, because both are work of the interpreter, which does only one thing at a time: where there can be no
such process, or it does not come to the end of the list, the records are read here, and so is what is wrong with them.
A page or a workbook is, because what reads it is no code of ours: the process has only so much memory and time, and if
it comes to grief, that is a message.
"""

from __future__ import annotations

import contextlib
import itertools
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

import msgspec
import psutil
from msgspec import Struct, structs

from gribble.core.base.budget import APART_BYTES, APART_SECONDS, LIST_BYTES, size_words
from gribble.core.base.errors import GribbleError
from gribble.core.base.regular import read_text
from gribble.core.base.threads import collect_little
from gribble.core.catalogue.importing.entries import entry_rows
from gribble.core.catalogue.importing.nodes import Advance, Node
from gribble.core.catalogue.importing.streams import read_xml
from gribble.core.catalogue.importing.tables import Row, book_rows, page_lines, page_rows
from gribble.core.records.imported import FieldMap, ListFormat

if sys.platform != "win32":
    import resource

LONG_BYTES = 8 << 20
"""From this size on an XML list is worth a process, in bytes: a start takes as long as reading two megabytes."""

FEW = 2_000
"""A list of fewer rows is kept."""

_AT_ONCE, _AT_ONCE_CHARACTERS = 64, 1 << 20
_LENGTH_BYTES = 4


class _Asked(Struct):
    """What the other process is to read, and what that may take: bytes of memory, and seconds of work (0: no limit)."""

    path: bytes
    format: ListFormat
    encoding: str = ""
    made: FieldMap | None = None
    memory: int = 0
    seconds: int = 0


class _Told(Struct):
    """Some records or rows, and how many bytes were read for them; at the end none, or what is wrong and what to do."""

    bytes: int = 0
    nodes: list[Node] = []
    rows: list[Row] = []
    fault: tuple[str, str] | None = None


def read_apart(path: Path, made: FieldMap, advance: Advance) -> Iterator[Node]:
    """The records of an XML list. Raises GribbleError and OSError."""
    if path.stat().st_size < LONG_BYTES or (os.cpu_count() or 1) < 2 or not sys.executable:
        yield from read_xml(path, made, advance)
        return
    taken = 0
    try:
        asked = _Asked(os.fsencode(path), ListFormat.XML, made=structs.replace(made, sheet={}, roster={}))
        for told in _told(asked):
            advance(told.bytes)
            taken += len(told.nodes)
            yield from told.nodes
    except (OSError, msgspec.DecodeError, EOFError):
        yield from itertools.islice(read_xml(path, made, lambda _bytes: None), taken, None)


_last: tuple[tuple[object, ...], list[Row]] = (), []
"""What is known of the file of the last list that had few rows, and those: an import reads its list two or three times,
and a process takes longer to start than to read so little."""


def rows_apart(path: Path, format_: ListFormat, encoding: str = "") -> Iterator[Row]:
    """The rows of a page, with its title as the heading of an empty one before them, or of a workbook. Raises
    GribbleError."""
    global _last
    there = path.stat()
    known = path, there.st_ino, there.st_size, there.st_mtime_ns, there.st_ctime_ns, format_, encoding
    if known == _last[0]:
        yield from _last[1]
        return
    few: list[Row] = []
    try:
        for told in _told(_Asked(os.fsencode(path), format_, encoding, None, APART_BYTES, APART_SECONDS)):
            if told.fault:
                raise GribbleError(told.fault[0], fix=told.fault[1])
            few += told.rows[: FEW - len(few)]
            yield from told.rows
        if len(few) < FEW:
            _last = known, few
    except (OSError, msgspec.DecodeError, EOFError) as error:
        most = f"{size_words(APART_BYTES)} of memory or {APART_SECONDS} seconds"
        raise GribbleError(
            f"{path} cannot be read, or takes more than {most}; a list never does", fix="Save it as CSV."
        ) from error


def _told(asked: _Asked) -> Iterator[_Told]:
    """What the other process tells. Raises EOFError if it does not come to the end."""
    decode = msgspec.msgpack.Decoder(_Told).decode
    # -P: nothing is imported from the folder that we happen to be in
    words = [sys.executable, "-P", "-m", __name__]
    ours, theirs = os.pipe()
    with open(ours, "rb") as stream:
        try:
            process = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=theirs, stderr=subprocess.DEVNULL)
        finally:
            os.close(theirs)
        with process:
            try:
                assert process.stdin is not None
                with process.stdin as asking:
                    asking.write(msgspec.msgpack.encode(asked))
                while length := int.from_bytes(stream.read(_LENGTH_BYTES), "little"):
                    told = decode(stream.read(length))
                    yield told
                    if not (told.nodes or told.rows):
                        return
                raise EOFError
            finally:
                process.kill()


def _tell_nodes(asked: _Asked) -> Iterator[_Told]:
    read = 0

    def advance(bytes_: int) -> None:
        nonlocal read
        read += bytes_

    assert asked.made is not None
    nodes = read_xml(Path(os.fsdecode(asked.path)), asked.made, advance)
    while several := list(itertools.islice(nodes, _AT_ONCE)):
        yield _Told(read, nodes=several)
        read = 0
    yield _Told(read)


def _tell_rows(asked: _Asked) -> Iterator[_Told]:
    path = Path(os.fsdecode(asked.path))
    try:
        if asked.format is ListFormat.LIST:
            rows = entry_rows(page_lines(read_text(path, LIST_BYTES, asked.encoding)))
        elif asked.format is ListFormat.HTML:
            rows = page_rows(read_text(path, LIST_BYTES, asked.encoding), path)
        else:
            rows = book_rows(path)
        several: list[Row] = []
        characters = 0
        for row in rows:
            several.append(row)
            characters += sum(map(len, row.cells))
            if len(several) == _AT_ONCE or characters > _AT_ONCE_CHARACTERS:
                yield _Told(rows=several)
                several, characters = [], 0
        if several:
            yield _Told(rows=several)
        yield _Told()
    except GribbleError as error:
        yield _Told(fault=(error.what, error.fix))


def _bound(asked: _Asked) -> None:
    """Give this process no more memory beyond what it has than it may take, and time; where the system can do that."""
    if sys.platform != "win32":
        with contextlib.suppress(OSError, ValueError):
            most = psutil.Process().memory_info().vms + asked.memory
            resource.setrlimit(resource.RLIMIT_AS, (most, most))
            resource.setrlimit(resource.RLIMIT_CPU, (asked.seconds, asked.seconds))
            resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _serve(asked: _Asked, stream: BinaryIO) -> None:
    encoder = msgspec.msgpack.Encoder()
    if asked.memory:
        _bound(asked)
    for told in _tell_nodes(asked) if asked.format is ListFormat.XML else _tell_rows(asked):
        data = encoder.encode(told)
        stream.write(len(data).to_bytes(_LENGTH_BYTES, "little") + data)


if __name__ == "__main__":
    collect_little()
    with open(0, "rb") as asking, open(1, "wb") as telling:
        _serve(msgspec.msgpack.decode(asking.read(), type=_Asked), telling)
