"""Records of a long XML list, read by a process of their own while this one goes on with them.

Both are work of the interpreter, which does only one thing at a time. Where there can be no such process, or it does
not come to the end of the list, the records are read here, and so is what is wrong with them.
"""

from __future__ import annotations

import itertools
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

import msgspec
from msgspec import Struct, structs

from gribble.core.base.memory import collect_little
from gribble.core.catalogue.importing.nodes import Advance, Node
from gribble.core.catalogue.importing.xmlrecords import read_xml
from gribble.core.records.fieldmap import FieldMap

APART_BYTES = 8 << 20
"""From this size on a list is worth a process, in bytes: a start takes as long as reading two megabytes."""

_AT_ONCE = 64
_LENGTH_BYTES = 4


class _Asked(Struct):
    """What the other process is to read."""

    path: bytes
    made: FieldMap


class _Told(Struct):
    """Some records, none at the end, and how many bytes were read for them."""

    bytes: int
    nodes: list[Node]


def read_apart(path: Path, made: FieldMap, advance: Advance) -> Iterator[Node]:
    """The records of an XML list. Raises GribbleError and OSError."""
    if path.stat().st_size < APART_BYTES or (os.cpu_count() or 1) < 2 or not sys.executable:
        yield from read_xml(path, made, advance)
        return
    taken = 0
    try:
        for told in _told(path, made):
            advance(told.bytes)
            taken += len(told.nodes)
            yield from told.nodes
    except (OSError, msgspec.DecodeError, EOFError):
        yield from itertools.islice(read_xml(path, made, lambda _bytes: None), taken, None)


def _told(path: Path, made: FieldMap) -> Iterator[_Told]:
    """What the other process tells. Raises EOFError where it does not come to the end."""
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
                asked = _Asked(os.fsencode(path), structs.replace(made, sheet={}, roster={}))
                with process.stdin as asking:
                    asking.write(msgspec.msgpack.encode(asked))
                while length := int.from_bytes(stream.read(_LENGTH_BYTES), "little"):
                    told = decode(stream.read(length))
                    yield told
                    if not told.nodes:
                        return
                raise EOFError
            finally:
                process.kill()


def _tell(asked: _Asked, stream: BinaryIO) -> None:
    encoder = msgspec.msgpack.Encoder()
    read = 0

    def advance(bytes_: int) -> None:
        nonlocal read
        read += bytes_

    nodes = read_xml(Path(os.fsdecode(asked.path)), asked.made, advance)
    while True:
        several = list(itertools.islice(nodes, _AT_ONCE))
        data = encoder.encode(_Told(read, several))
        read = 0
        stream.write(len(data).to_bytes(_LENGTH_BYTES, "little") + data)
        if not several:
            return


if __name__ == "__main__":
    collect_little()
    with open(0, "rb") as asking, open(1, "wb") as telling:
        _tell(msgspec.msgpack.decode(asking.read(), type=_Asked), telling)
