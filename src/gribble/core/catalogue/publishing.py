"""From a catalogue folder to a published copy: what goes out, in which parts, and what must stay at home."""

from __future__ import annotations

import gzip
import hashlib
import io
import json
import os
import re
import tomllib
import zlib
from collections.abc import Collection, Iterable, Iterator
from pathlib import Path
from typing import Any

import tomlkit

from gribble.core.base.addresses import web_address
from gribble.core.base.errors import Mistake, MistakesError
from gribble.core.base.paths import name_fault
from gribble.core.base.regular import read_regular, text_of
from gribble.core.catalogue.origins import MAP_ENDING
from gribble.core.catalogue.rosters import ROSTER_ENDING
from gribble.core.catalogue.sheets import SHEET_ENDING, is_listed
from gribble.core.records.published import Block, Listed

LIST_ENDINGS = (".sha256", ".sha1", ".md5", ".sfv")
"""Endings of checksum lists."""
ENDINGS = (SHEET_ENDING, ROSTER_ENDING, MAP_ENDING, *LIST_ENDINGS)
"""Endings of the files that a published catalogue can have."""
MOST_FILE = 1 << 30
"""Bytes of a file that is published."""
LARGE = 1 << 16
"""Larger files are packed; larger rosters in blocks, so that few bytes travel where few sets have changed."""
BLOCK_BYTES = 1 << 20
"""A block of a file that is no roster, in bytes."""
LEAST, ONE_IN = 192, 64
"""A block of a roster has at least so many lines, and ends before about one in so many sets. Which, their names say: so
the blocks of two versions mostly end at the same sets. About 250 sets in a block cost least: fewer make the index
longer, more make the block longer that is fetched for one set."""
SET_NAME = re.compile(rb'^\{"set":\s*"((?:[^"\\]|\\.)*)"')
_HOME = re.compile(r"(?:/home/|/Users/|(?<![A-Za-z])[A-Za-z]:[\\/]Users[\\/])[^/\\\s\"']+")
_HEX = re.compile(r"[0-9A-Fa-f]{8,}")


def collect(folder: Path, home: str, only: Collection[str] = ()) -> dict[str, bytes]:
    """What is published of a catalogue folder, by name: sheets and field maps without comments, rosters, and the
    checksum lists that a sheet names; or `only` some of the files. Lists of one's own disk are not named as origins.

    Raises OSError, and MistakesError if something in it is private: a path of a home folder, or the value of a key.
    """
    names = sorted(one for one in os.listdir(folder) if is_listed(one, (SHEET_ENDING, ROSTER_ENDING, MAP_ENDING)))
    names = [one for one in names if not only or one in only]
    tables = {name: _table(folder / name) for name in names if not name.endswith(ROSTER_ENDING)}
    mistakes: list[Mistake] = []
    lists = {one for name, table in tables.items() for one in _lists_of(table, str(folder / name), mistakes)}
    found: dict[str, bytes] = {}
    private = _Private(home, dict(_fingerprints(tables.values())))
    for name in [*names, *sorted(lists)]:
        if name in tables:
            found[name] = tomlkit.dumps(tables[name]).encode()
            told = private.in_table(tables[name])
        else:
            data = read_regular(folder / name, MOST_FILE)
            found[name] = _without_origin(data) if name.endswith(ROSTER_ENDING) else _without_comments(data)
            told = private.in_text("", found[name].decode("utf-8", "replace"))
        mistakes += [Mistake(str(folder / name), where, what) for where, what in told]
    if mistakes:
        raise MistakesError(mistakes, fix="Nothing was published. Take this out of the catalogue.")
    return found


def _lists_of(table: dict[str, Any], file: str, mistakes: list[Mistake]) -> Iterator[str]:
    """The checksum lists that the sheet in a file names, which lie beside it."""
    for number, need in enumerate(_needs(table)):
        manifest = str(need.get("manifest", ""))
        if manifest and (name_fault(manifest) or not manifest.endswith(LIST_ENDINGS)):
            where, endings = f"need[{number}].manifest", " or ".join(LIST_ENDINGS)
            what = f'"{manifest}" cannot be published: it has to lie beside the sheet and end in {endings}'
            mistakes.append(Mistake(file, where, what))
        elif manifest:
            yield manifest


def _table(path: Path) -> dict[str, Any]:
    table = tomllib.loads(text_of(read_regular(path, MOST_FILE)))
    if not _travels(table.get("from")):
        table.pop("from", None)
    return table


def _travels(origin: Any) -> bool:
    """Whether others can read the list that a sheet was made from."""
    try:
        return bool(web_address(str(origin["list"])))
    except (ValueError, TypeError, KeyError):
        return False


def _without_origin(roster: bytes) -> bytes:
    head, end, rest = roster.partition(b"\n")
    told = json.loads(head)
    if isinstance(told, dict) and "from" in told and not _travels(told["from"]):
        del told["from"]
        head = json.dumps(told, ensure_ascii=False, separators=(",", ":")).encode()
    return head + end + rest


def _without_comments(checksums: bytes) -> bytes:
    return b"".join(line for line in checksums.splitlines(keepends=True) if not line.startswith((b"#", b";")))


def _needs(table: dict[str, Any]) -> list[dict[str, Any]]:
    needs = table.get("need", [])
    return [one for one in needs if isinstance(one, dict)] if isinstance(needs, list) else []


def _fingerprints(tables: Iterable[dict[str, Any]]) -> Iterator[tuple[str, str]]:
    """The keys that sheets know, by fingerprint."""
    for table in tables:
        for need in _needs(table):
            yield from ((one["sha256"].lower(), one["name"]) for one in need.get("key", ()) if "sha256" in one)


class _Private:
    """What must stay at home: paths below the `home` folder, and the values of keys, of which `proofs` are digests."""

    def __init__(self, home: str, proofs: dict[str, str]) -> None:
        self._homes = re.compile(rf"{_HOME.pattern}|{re.escape(home)}(?![\w.-])")
        self._proofs = proofs

    def in_table(self, value: Any, where: str = "") -> Iterator[tuple[str, str]]:
        """What is private in a table: where it is, and what."""
        match value:
            case dict():
                for key, one in value.items():
                    yield from self.in_table(one, f"{where}.{key}" if where else str(key))
            case list():
                for number, one in enumerate(value):
                    yield from self.in_table(one, f"{where}[{number}]")
            case str():
                yield from self.in_text(where, value)

    def in_text(self, where: str, text: str) -> Iterator[tuple[str, str]]:
        """The same for a text."""
        if found := self._homes.search(text):
            yield where, f"has a path of a home folder: {found[0]}"
        for word in _HEX.findall(text) if self._proofs else ():
            if len(word) % 2 == 0 and (name := self._proofs.get(hashlib.sha256(bytes.fromhex(word)).hexdigest())):
                yield where, f"has the value of the key {name}"


def listed(name: str, data: bytes) -> tuple[Listed, list[bytes]]:
    """A file as the index has it, and what is written for each of its pieces."""
    digest = hashlib.sha256(data).hexdigest()
    if len(data) <= LARGE:
        return Listed(name, len(data), digest), [data]
    blocks = list(blocks_of(name, data))
    packed = [gzip.compress(block, 9, mtime=0) for block in blocks]
    told = [
        Block(hashlib.sha256(one).hexdigest(), len(one), len(zip_)) for one, zip_ in zip(blocks, packed, strict=True)
    ]
    return Listed(name, len(data), digest, tuple(told)), packed


def blocks_of(name: str, data: bytes) -> Iterator[bytes]:
    """A file in the blocks that are packed by themselves: a roster by its sets, any other file by its bytes."""
    if not name.endswith(ROSTER_ENDING):
        yield from (data[at : at + BLOCK_BYTES] for at in range(0, len(data), BLOCK_BYTES))
        return
    begun = at = sets = 0
    for line in data.splitlines(keepends=True):
        named = SET_NAME.match(line)
        if named and sets >= LEAST and zlib.crc32(named[1]) % ONE_IN == 0:
            yield data[begun:at]
            begun, sets = at, 0
        at += len(line)
        sets += 1
    if at > begun:
        yield data[begun:at]


def unpacked(packed: bytes, size: int) -> bytes:
    """What is in a gzip file, as far as it may go: one byte more than it should have tells that it is wrong."""
    try:
        with gzip.GzipFile(fileobj=io.BytesIO(packed)) as stream:
            return stream.read(size + 1)
    except (OSError, EOFError, zlib.error):
        return b""
