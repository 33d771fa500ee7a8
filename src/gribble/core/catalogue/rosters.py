"""Rosters: JSON Lines files with the sets that one release of an arcade emulator knows (DESIGN.md section 4).

The first line says whose roster it is; each further line is one set.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from pathlib import Path

import msgspec

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import Mistake, reason_of
from gribble.core.base.paths import name_fault, path_fault, plain_paths
from gribble.core.records.roster import ArcadeSet, Roster, RosterHead

ROSTER_ENDING = ".roster.jsonl"
ROSTER_VERSION = 1
MOST_MISTAKES = 50
"""How many mistakes of one roster are told."""


_HEAD = msgspec.json.Decoder(RosterHead)
_SET = msgspec.json.Decoder(ArcadeSet)
_SETS = _SET.decode_lines
_RIGHT = {name: re.compile(f"[0-9a-f]{{{length}}}").fullmatch for name, length in HEX_LENGTHS.items()}
_ENCODER = msgspec.json.Encoder()


def read_head(path: Path) -> RosterHead:
    """The first line of a roster. Raises OSError, or msgspec.MsgspecError where it is none."""
    with path.open("rb") as stream:
        return _HEAD.decode(stream.readline(1 << 16).removeprefix(b"\xef\xbb\xbf"))


def load_roster(path: Path, *, strict: bool = False) -> tuple[Roster | None, list[Mistake]]:
    """The roster in a file and its mistakes, each with its line; None where its head cannot be read.

    A set with a mistake is left out. Only `strict` looks at names and digests one by one, which takes several times as
    long as the loading; a wrong digest matches nothing, and whoever writes under a name checks it first.
    """
    mistakes: list[Mistake] = []
    sets: dict[str, ArcadeSet] = {}
    try:
        head = read_head(path)
        if head.roster != ROSTER_VERSION:
            return None, [
                Mistake(str(path), "line 1: roster", f"this Gribble reads version {ROSTER_VERSION}, not {head.roster}")
            ]
        if not strict and (quick := _all_at_once(path)) is not None:
            return Roster(head, quick, str(path)), mistakes
        with path.open("rb") as stream:
            stream.readline()
            for number, line in enumerate(stream, start=2):
                try:
                    one = _SET.decode(line)
                except (msgspec.MsgspecError, RecursionError, UnicodeDecodeError, OverflowError) as error:
                    if line.strip():
                        mistakes.append(Mistake(str(path), f"line {number}", f"is no set: {_say(error)}"))
                    continue
                if one.set in sets:
                    mistakes.append(Mistake(str(path), f"line {number}", f'the set "{one.set}" stands there already'))
                    continue
                faults = list(set_faults(one)) if strict else ()
                mistakes += [Mistake(str(path), f"line {number}", fault) for fault in faults]
                if not faults:
                    sets[one.set] = one
    except OSError as error:
        return None, [Mistake(str(path), "", f"cannot be read: {reason_of(error)}")]
    except (msgspec.MsgspecError, RecursionError, UnicodeDecodeError, OverflowError) as error:
        return None, [Mistake(str(path), "line 1", f"is no head of a roster: {_say(error)}")]
    return Roster(head, sets, str(path)), mistakes[:MOST_MISTAKES]


def _all_at_once(path: Path) -> dict[str, ArcadeSet] | None:
    """The sets of a roster without any mistake; None where there is one, which only line by line can be told.

    Raises OSError.
    """
    with path.open("rb") as stream:
        stream.readline()
        data = stream.read()
    try:
        found = _SETS(data)
    except (msgspec.MsgspecError, RecursionError, UnicodeDecodeError, OverflowError):
        return None
    sets = {one.set: one for one in found}
    return sets if len(sets) == len(found) else None


def set_faults(one: ArcadeSet, *, digests: bool = True) -> Iterator[str]:
    """What is wrong with one set by itself; its digests are looked at unless they are known to be well formed."""
    if fault := name_fault(one.set):
        yield f'the name "{one.set}" {fault}'
    if not plain_paths([file.name for file in one.files]):
        for file in one.files:
            if fault := path_fault(file.name):
                yield f'{one.set}: the file name "{file.name}" {fault}'
    for file in one.files if digests else ():
        for name, right in _RIGHT.items():
            digest = getattr(file, name)
            if digest is not None and not right(digest):
                yield f"{one.set}: {file.name}: {name} should have {HEX_LENGTHS[name]} hex digits in lower case"
    for disc in one.discs:
        if fault := name_fault(disc.name):
            yield f'{one.set}: the disc name "{disc.name}" {fault}'


def write_roster(head: RosterHead, sets: Iterable[ArcadeSet]) -> Iterator[bytes]:
    """The lines of a roster."""
    yield _ENCODER.encode(head) + b"\n"
    for one in sets:
        yield _ENCODER.encode(one) + b"\n"


def _say(error: Exception) -> str:
    return str(error).replace("`", "'").replace("$.", "")
