"""Key files: text files of `name = hex` lines, parsed and judged without ever keeping a key's value.

A value lives only while its line is read; what stays is its length and its SHA-256, which the sheet may know.
Comments (`#`, `;`), blank lines, CR LF and a byte-order mark are fine.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from string import hexdigits

from msgspec import structs

from gribble.core.base.budget import KEYS_BYTES, size_words
from gribble.core.base.digests import Digests
from gribble.core.base.paths import fold
from gribble.core.base.regular import encoding_of
from gribble.core.records.holding import Holding, Holdings, nearness
from gribble.core.records.keyfile import Entry, KeyFile, KeyFinding, KeysJudgement, KeyVerdict
from gribble.core.records.sheet import Key, Kind, Level, Need
from gribble.core.survey.facts import word_of

MOST_CANDIDATES = 200
"""How many files are read in search of key files, nearest first."""

_TEXT_ENDINGS = ("keys", "key", "txt", "ini", "cfg", "conf")


def read_keys(data: bytes) -> KeyFile:
    """The key file in some bytes. Never fails: what it is not, `fault` says."""
    digests = Digests(sha1=hashlib.sha1(data, usedforsecurity=False).hexdigest())
    if len(data) > KEYS_BYTES:
        return KeyFile(
            fault=f"is larger than {size_words(KEYS_BYTES)}; a key file is never that large", digests=digests
        )
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return KeyFile(fault="is UTF-16 text; save it as UTF-8", digests=digests)
    if b"\0" in data:
        return KeyFile(fault="is not a text file", digests=digests)
    entries: dict[str, Entry] = {}
    odd = []
    for number, name, value in _lines(data):
        if name:
            entries[name] = _joined(entries.get(name), _entry(number, value))
        else:
            odd.append(number)
    if not entries and encoding_of(data)[1] != "utf-8":
        return KeyFile(fault="is written in UTF-16; save it as UTF-8", odd_lines=tuple(odd), digests=digests)
    if not entries:
        return KeyFile(fault="has no line `name = hex`", odd_lines=tuple(odd), digests=digests)
    return KeyFile(entries=entries, odd_lines=tuple(odd), digests=digests)


def _lines(data: bytes) -> Iterator[tuple[int, str, str]]:
    """The lines that are no comments: number, name and value; an empty name where a line has none."""
    text = data.decode("utf-8", "surrogateescape").removeprefix("\ufeff")
    for number, line in enumerate(text.split("\n"), start=1):
        line = line.strip()
        if not line or line.startswith(("#", ";")):
            continue
        name, equals, value = line.partition("=")
        yield number, name.strip() if equals else "", value.partition(";")[0].partition("#")[0].strip()


class MergeError(Exception):
    """Key files contradict each other where no fingerprint can settle it; the text names the keys, never a value."""


def merge_keys(files: Iterable[bytes], keys: Iterable[Key]) -> bytes:
    """One key file with every name of several, in the order in which they are first met.

    Where values differ, the one that a fingerprint of `keys` proves is taken. Raises MergeError if none does.
    """
    proofs = {key.name: key.sha256 for key in keys if key.sha256}
    values: dict[str, dict[str, str]] = {}
    for data in files:
        for number, name, value in _lines(data):
            entry = _entry(number, value)
            if name and not entry.fault:
                values.setdefault(name, {}).setdefault(entry.sha256, value)
    conflicts = [name for name, found in values.items() if len(found) > 1 and proofs.get(name) not in found]
    if conflicts:
        raise MergeError(", ".join(conflicts))
    chosen = {name: found.get(proofs.get(name, ""), next(iter(found.values()))) for name, found in values.items()}
    return "".join(f"{name} = {value}\n" for name, value in chosen.items()).encode("utf-8", "surrogateescape")


def likeliest_need(file: KeyFile, needs: Iterable[tuple[str, Need]]) -> tuple[str, Need] | None:
    """The emulator and its need that know most of a key file's names; None if none knows any."""
    best, most = None, 0
    for emulator, need in needs:
        known = len(file.entries.keys() & {key.name for key in need.key})
        if known > most:
            best, most = (emulator, need), known
    return best


def _entry(line: int, value: str) -> Entry:
    if not value:
        return Entry(lines=(line,), fault="has no value")
    if not set(value) <= set(hexdigits):
        return Entry(lines=(line,), fault="has a value that is not hex digits")
    if len(value) % 2:
        return Entry(lines=(line,), fault="has an odd number of hex digits")
    raw = bytes.fromhex(value)
    return Entry(lines=(line,), bytes=len(raw), sha256=hashlib.sha256(raw).hexdigest())


def _joined(first: Entry | None, second: Entry) -> Entry:
    """A name that is there again: harmless with the same value."""
    if first is None:
        return second
    differs = first.conflicting or (first.sha256, first.fault) != (second.sha256, second.fault)
    lines = (*first.lines, *second.lines)
    return Entry(
        lines=lines, bytes=first.bytes, sha256=first.sha256, fault=first.fault or second.fault, conflicting=differs
    )


def judge_keys(need: Need, file: KeyFile) -> KeysJudgement:
    """A key file measured against what a need asks for."""
    if file.fault:
        return KeysJudgement(verdict="imposter", fault=file.fault)
    found = tuple(_find(key, file.entries.get(key.name)) for key in need.key)
    unknown = len(file.entries.keys() - {key.name for key in need.key})
    judged = KeysJudgement(verdict="sound", keys=found, unknown=unknown)
    verdicts = {one.verdict for one in judged.wanted}
    if KeyVerdict.IMPOSTER in verdicts:
        verdict = "imposter"
    elif any(one.key.level is Level.MUST and not one.usable for one in judged.wanted):
        verdict = "damaged"
    else:
        verdict = "sound" if verdicts == {KeyVerdict.SOUND} else "unproven"
    return structs.replace(judged, verdict=verdict)


def _find(key: Key, entry: Entry | None) -> KeyFinding:
    if entry is None:
        verdict = KeyVerdict.MISSING
    elif entry.conflicting:
        verdict = KeyVerdict.CONFLICTING
    elif entry.fault or (key.bytes is not None and entry.bytes != key.bytes):
        verdict = KeyVerdict.MALFORMED
    elif key.sha256 is None:
        verdict = KeyVerdict.UNPROVEN
    else:
        verdict = KeyVerdict.SOUND if entry.sha256 == key.sha256 else KeyVerdict.IMPOSTER
    return KeyFinding(key=key, verdict=verdict, entry=entry)


def key_candidates(needs: Iterable[Need], holdings: Iterable[Holdings], rig: str) -> list[Holding]:
    """The holdings that could be key files for some needs, by ending or stem and by size; nearest first.

    A text file too small to hold the keys that must be there is ruled out.
    """
    wanted = [need for need in needs if need.kind is Kind.KEYS and need.key]
    if not wanted:
        return []
    least = min(map(_least_bytes, wanted))
    names = {fold(name) for need in wanted for name in need.names}
    stems = {name.partition(".")[0] for name in names}
    endings = {*_TEXT_ENDINGS, *(name.rpartition(".")[2] for name in names)}

    def likely(holding: Holding) -> bool:
        name = fold(holding.name)
        if name in names:
            return holding.size <= KEYS_BYTES
        fits = least <= holding.size <= KEYS_BYTES
        return fits and (name.rpartition(".")[2] in endings or name.partition(".")[0] in stems)

    chosen = [holding for holding in _pool(holdings, stems, endings) if likely(holding)]
    return sorted(chosen, key=lambda holding: nearness(holding, rig))[:MOST_CANDIDATES]


def _pool(holdings: Iterable[Holdings], stems: Iterable[str], endings: Iterable[str]) -> Iterator[Holding]:
    """All loose files, and the members of archives whose sketches have one of some stems or endings."""
    words, ends = frozenset(map(word_of, stems)), frozenset(map(word_of, endings))
    holdings = tuple(holdings)
    yield from (one for each in holdings for one in each.opened if not one.fixed)
    for archive in (archive for each in holdings for archive in each.archives):
        if not (words.isdisjoint(archive.stems) and ends.isdisjoint(archive.endings)):
            yield from archive.members


def _least_bytes(need: Need) -> int:
    return sum(len(key.name) + 1 + 2 * (key.bytes or 1) for key in need.key if key.level is Level.MUST)
