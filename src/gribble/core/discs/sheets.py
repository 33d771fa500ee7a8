"""Track sheets and playlists read into records: cue, gdi, ccd, m3u. What is wrong in the text is told with the line.

A cue sheet names image files and, for each, its tracks with the places of their indexes in minutes, seconds and frames
(75 frames a second, a frame being a sector). A gdi sheet has a line for each track: number, first sector, type, sector
size, file, offset. A ccd sheet, in the form of an ini file, has an entry for each track and for the end of the disc;
its image and its file of subchannels bear its own name. An m3u playlist has a file on each line; # begins a comment.
None of them has a standard; they are read as programs commonly write them, sectors after ECMA-130 (2,352 bytes, of
which 2,048 are data).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

from msgspec import Struct

from gribble.core.base.budget import TRACKS_BYTES
from gribble.core.records.discs import DiscFault

MAX_TRACKS = 99
FRAMES = 75
"""Sectors in a second of sound."""
SECTOR_BYTES = {
    "AUDIO": 2352, "CDG": 2448, "MODE1/2048": 2048, "MODE1/2352": 2352, "MODE2/2048": 2048, "MODE2/2324": 2324,
    "MODE2/2336": 2336, "MODE2/2352": 2352, "CDI/2336": 2336, "CDI/2352": 2352,
}  # fmt: skip
"""The bytes that one sector of a track takes in its image, by the track's mode."""
_QUOTED = re.compile(r'^(\S+)\s+"([^"]*)"?\s*(\S*)\s*$')
_NUMBER = re.compile(r"^(0x[0-9a-f]{1,8}|-?(?:0|[1-9]\d{0,8}))$", re.IGNORECASE)
RAW_BYTES = 2352
SUBCHANNEL_BYTES = 96
"""What a sector takes in an image with everything in it, and beside it in a file of the subchannels."""
LEAD_OUT = 0xA2
"""The entry of a table of contents that says where the disc ends (ECMA-130, section 22.3.4)."""
_TIME = re.compile(r"^(\d{1,3}):(\d{2}):(\d{2})$")


class Track(Struct, frozen=True, kw_only=True):
    """One track: `start` is its first sector, counted in its file (cue) or on the disc (gdi)."""

    number: int
    mode: str
    sector_bytes: int
    start: int
    line: int


class SheetFile(Struct, frozen=True, kw_only=True):
    """One file that a sheet names, with the tracks in it; `line` is where it is named.

    `sectors` is how long the sheet says it is, 0 if it does not.
    """

    name: str
    line: int
    tracks: tuple[Track, ...] = ()
    sectors: int = 0


class DiscSheet(Struct, frozen=True, kw_only=True):
    """What a sheet says: its kind (cue, gdi, ccd, m3u), its files in order, and what is wrong in the text itself."""

    kind: str
    files: tuple[SheetFile, ...]
    faults: tuple[DiscFault, ...] = ()


def read_sheet(kind: str, data: bytes, name: str = "") -> DiscSheet:
    """A track sheet or playlist from its bytes. Raises nothing: whatever is in it becomes a fault or a file.

    `name` is its own, by which a ccd sheet's files are called.
    """
    if len(data) > TRACKS_BYTES:
        reason = f"has {len(data):,} bytes, but a track sheet is never that long"
        return DiscSheet(kind=kind, files=(), faults=(DiscFault(fault="no-sheet", reason=reason),))
    faults: list[DiscFault] = []
    faults += _coding_faults(data)
    text = decoded(data)
    lines = [(number, line.strip()) for number, line in enumerate(text.splitlines(), start=1) if line.strip()]
    if any("\0" in line for _, line in lines):
        return DiscSheet(kind=kind, files=(), faults=(DiscFault(fault="no-sheet", reason="is not a text file"),))
    readers: dict[str, Callable[[list[tuple[int, str]], list[DiscFault]], Iterator[SheetFile]]] = {
        "cue": _read_cue,
        "gdi": _read_gdi,
        "ccd": lambda lines, faults: _read_ccd(lines, faults, name.rpartition(".")[0] or name),
        "m3u": _read_m3u,
    }
    files = tuple(readers[kind](lines, faults))
    if not files and not any(fault.fault == "no-sheet" for fault in faults):
        faults.append(DiscFault(fault="no-sheet", reason="names no file"))
    return DiscSheet(kind=kind, files=files, faults=tuple(faults))


def decoded(data: bytes) -> str:
    """The text of a sheet, without a byte-order mark; what is not UTF-8 is taken for an older encoding."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", errors="replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.removeprefix(b"\xef\xbb\xbf").decode("cp1252", errors="replace")


def _coding_faults(data: bytes) -> Iterator[DiscFault]:
    """A byte-order mark is a fault, and so is an encoding that most emulators do not take."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        yield DiscFault(fault="encoding", reason="is written in UTF-16, which most emulators cannot read")
        return
    if data.startswith(b"\xef\xbb\xbf"):
        yield DiscFault(
            fault="byte-order-mark", reason="begins with a byte-order mark, which many emulators cannot read"
        )
    try:
        data.decode()
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        reason = f"line {line} is not UTF-8 (an older encoding?); names in it may not be found"
        yield DiscFault(fault="encoding", reason=reason)


# cue


def _read_cue(lines: list[tuple[int, str]], faults: list[DiscFault]) -> Iterator[SheetFile]:
    name, at = "", 0
    tracks: list[Track] = []
    last = 0
    current: tuple[int, str, int] | None = None  # number, mode and line of a track whose first index is to come
    for number, line in lines:
        word = line.split(None, 1)[0].upper()
        if word == "FILE":
            _close(current, faults)
            if name:
                yield SheetFile(name=name, line=at, tracks=tuple(tracks))
            name, at, tracks, current = _file_name(line, number, faults), number, [], None
        elif word == "TRACK":
            _close(current, faults)
            parts = line.split()
            current = _track(parts, number, last, faults)
            if not name:
                faults.append(_at(number, "order", "a track comes before the first file"))
            if current:
                last = current[0]
        elif word == "INDEX":
            start = _index(line.split(), number, faults)
            if current is None and not tracks:
                faults.append(_at(number, "order", "an index comes before the first track"))
            elif current is not None and start is not None and start[0] == 1:
                track_number, mode, track_line = current
                tracks.append(
                    Track(
                        number=track_number,
                        mode=mode,
                        sector_bytes=SECTOR_BYTES.get(mode, 2352),
                        start=start[1],
                        line=track_line,
                    )
                )
                current = None
    _close(current, faults)
    if name:
        yield SheetFile(name=name, line=at, tracks=tuple(tracks))


def _close(current: tuple[int, str, int] | None, faults: list[DiscFault]) -> None:
    if current is not None:
        faults.append(_at(current[2], "order", f"track {current[0]} has no INDEX 01"))


def _file_name(line: str, number: int, faults: list[DiscFault]) -> str:
    """The name in a FILE line, quoted or not."""
    if match := _QUOTED.match(line):
        if line.count('"') % 2:
            faults.append(_at(number, "quotes", "a quotation mark is missing"))
        return match[2]
    words = line.split()
    rest = words[1:-1] if len(words) > 2 else words[1:]
    if len(rest) > 1:
        faults.append(_at(number, "quotes", "the name has blanks and no quotation marks"))
    return " ".join(rest).strip('"')


def _track(parts: list[str], number: int, last: int, faults: list[DiscFault]) -> tuple[int, str, int] | None:
    if len(parts) < 3 or not parts[1].isdecimal() or len(parts[1]) > 4:
        faults.append(_at(number, "syntax", "should be TRACK, a number and a mode"))
        return None
    track, mode = int(parts[1]), parts[2].upper()
    if not 1 <= track <= MAX_TRACKS:
        faults.append(_at(number, "track-count", f"track {track}: a disc has tracks 1 to {MAX_TRACKS}"))
    elif track != last + 1 and last:
        faults.append(_at(number, "order", f"track {track} follows track {last}"))
    if mode not in SECTOR_BYTES:
        faults.append(_at(number, "syntax", f"the mode {mode} is not known"))
    return track, mode, number


def _index(parts: list[str], number: int, faults: list[DiscFault]) -> tuple[int, int] | None:
    match = _TIME.match(parts[2]) if len(parts) > 2 else None
    if match is None or not parts[1].isdecimal() or len(parts[1]) > 2:
        faults.append(_at(number, "syntax", "should be INDEX, a number and a time like 00:02:00"))
        return None
    minutes, seconds, frames = map(int, match.groups())
    if seconds > 59 or frames >= FRAMES:
        faults.append(
            _at(number, "syntax", f"{parts[2]} is not a time: it has at most 59 seconds and {FRAMES - 1} frames")
        )
        return None
    return int(parts[1]), (minutes * 60 + seconds) * FRAMES + frames


# gdi, ccd and m3u


def _read_gdi(lines: list[tuple[int, str]], faults: list[DiscFault]) -> Iterator[SheetFile]:
    if not lines or not lines[0][1].isdecimal() or len(lines[0][1]) > 4:
        faults.append(DiscFault(fault="no-sheet", reason="does not begin with the number of tracks"))
        return
    count = int(lines[0][1])
    if count != len(lines) - 1:
        faults.append(_at(lines[0][0], "track-count", f"says {count} tracks, and lists {len(lines) - 1}"))
    before = 0
    for number, line in lines[1 : MAX_TRACKS + 1]:
        match = re.match(r'^(\d{1,4})\s+(-?\d{1,9})\s+(\d)\s+(\d{1,5})\s+("[^"]*"|\S+)\s+(-?\d{1,18})$', line)
        if match is None:
            faults.append(_at(number, "syntax", "should be: track, first sector, type, sector size, file, offset"))
            continue
        track, start, type_, sector, name, offset = match.groups()
        if int(track) != before + 1:
            faults.append(_at(number, "order", f"track {track} follows track {before}"))
        if int(start) < 0 or int(offset) < 0:
            faults.append(_at(number, "syntax", "an offset is negative"))
        before = int(track)
        mode = "AUDIO" if type_ == "0" else f"MODE1/{sector}"
        one = Track(number=before, mode=mode, sector_bytes=int(sector), start=max(int(start), 0), line=number)
        yield SheetFile(name=name.strip('"'), line=number, tracks=(one,))


def _read_ccd(lines: list[tuple[int, str]], faults: list[DiscFault], stem: str) -> Iterator[SheetFile]:
    said, entries = _ccd_entries(lines, faults)
    if not entries:
        faults.append(DiscFault(fault="no-sheet", reason="has no table of contents"))
        return
    if said.get("tocentries", len(entries)) != len(entries):
        reason = f"says {said['tocentries']} entries, and lists {len(entries)}"
        faults.append(_at(lines[0][0], "track-count", reason))
    ends = [entry["plba"] for _, entry in entries if entry.get("point") == LEAD_OUT and "plba" in entry]
    tracks: list[Track] = []
    for number, entry in entries:
        point = entry.get("point", 0)
        if not 1 <= point <= MAX_TRACKS:
            continue
        start, before = entry.get("plba", -1), tracks[-1] if tracks else None
        mode = "MODE1/2352" if entry.get("control", 0) & 4 else "AUDIO"
        if start < 0:
            faults.append(_at(number, "syntax", f"track {point} has no place on the disc"))
        elif before is not None and point != before.number + 1:
            faults.append(_at(number, "order", f"track {point} follows track {before.number}"))
        elif before is not None and start <= before.start:
            faults.append(_at(number, "overlap", f"track {point} begins before track {before.number} does"))
        tracks.append(Track(number=point, mode=mode, sector_bytes=RAW_BYTES, start=max(start, 0), line=number))
    yield SheetFile(name=f"{stem}.img", line=lines[0][0], tracks=tuple(tracks), sectors=max(ends, default=0))


def _ccd_entries(
    lines: list[tuple[int, str]], faults: list[DiscFault]
) -> tuple[dict[str, int], list[tuple[int, dict[str, int]]]]:
    """What a sheet says of the whole disc, and the line and values of each entry of its table of contents."""
    entries: list[tuple[int, dict[str, int]]] = []
    said: dict[str, int] = {}
    values: dict[str, int] | None = None
    for number, line in lines:
        if line.startswith("["):
            section = line.strip("[]").strip().lower()
            values = said if section == "disc" else {} if section.startswith("entry") else None
            if section.startswith("entry") and values is not None:
                entries.append((number, values))
        elif values is not None:
            key, _, value = line.partition("=")
            if match := _NUMBER.match(value.strip()):
                values[key.strip().lower()] = int(match[0], 0)
            else:
                faults.append(_at(number, "syntax", "should be a key, =, and a number"))
    return said, entries


def _read_m3u(lines: list[tuple[int, str]], _faults: list[DiscFault]) -> Iterator[SheetFile]:
    for number, line in lines:
        if not line.startswith("#"):
            yield SheetFile(name=line, line=number)


def _at(line: int, fault: str, reason: str) -> DiscFault:
    return DiscFault(fault=fault, reason=f"line {line}: {reason}")
