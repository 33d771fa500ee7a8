"""Checksum lists: many files with a digest each, in the forms that `sha256sum` and its kin write.

Read are `<digest>  <path>` (a `*` before the path marks binary mode), the tagged form of the BSD tools,
`SHA256 (<path>) = <digest>`, `<path> <CRC-32>` as SFV files have it, and comments after `#` or `;`. Source: the manual
pages of GNU coreutils' `sha256sum` (which also gives the leading backslash that marks an escaped path) and of FreeBSD's
`sha256`; SFV has no standard.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import Path

from msgspec import structs

from gribble.core.base.budget import CHECKSUMS_BYTES
from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import reason_of
from gribble.core.base.paths import fold, join, path_fault
from gribble.core.base.regular import read_regular
from gribble.core.base.texts import NoTextError, text_of
from gribble.core.records.sheet import ManifestFile

_ALGORITHMS = {length: name for name, length in HEX_LENGTHS.items()}
_PLAIN = re.compile(r"^(?P<escaped>\\)?(?P<digest>[0-9A-Fa-f]+) [ *](?P<path>.+)$")
_TAGGED = re.compile(r"^(?P<escaped>\\)?(?P<tag>[A-Za-z0-9-]+) \((?P<path>.+)\) = (?P<digest>[0-9A-Fa-f]+)$")
_SFV = re.compile(r"^(?P<path>\S.*?)[ \t]+(?P<digest>[0-9A-Fa-f]{8})[ \t]*$")
_TAGS = {"CRC32": "crc32", "MD5": "md5", "SHA1": "sha1", "SHA256": "sha256"}


def read_checksums(path: Path) -> tuple[tuple[ManifestFile, ...], list[str]]:
    """The files of a checksum list, and its mistakes in words, each with its line."""
    try:
        text = text_of(read_regular(path, CHECKSUMS_BYTES))
    except OSError as error:
        return (), [f"cannot be read: {reason_of(error)}"]
    except NoTextError as error:
        return (), [str(error)]
    files: dict[str, ManifestFile] = {}
    faults = []
    for number, line in enumerate(text.split("\n"), start=1):
        line = line.rstrip("\r")
        if not line.strip() or line.startswith(("#", ";")):
            continue
        read = _read_line(line)
        if isinstance(read, str):
            faults.append(f"line {number}: {read}")
        elif (twin := files.setdefault(fold(read.name), read)) is not read and twin.known() != read.known():
            faults.append(f'line {number}: "{read.name}" stands there twice, with two digests')
    if not files and not faults:
        faults.append("lists no file")
    return tuple(files.values()), faults


def is_checksum_line(line: str) -> bool:
    """Whether a line is one of a checksum list."""
    match = _TAGGED.match(line) or _PLAIN.match(line) or _SFV.match(line)
    return match is not None and len(match["digest"]) in _ALGORITHMS


def _read_line(line: str) -> ManifestFile | str:
    """The file of one line, or what is wrong with it."""
    match = _TAGGED.match(line) or _PLAIN.match(line) or _SFV.match(line)
    if match is None:
        return "is not `<digest>  <path>`"
    path, digest = match["path"], match["digest"].lower()
    groups = match.groupdict()
    if groups.get("escaped"):
        path = re.sub(r"\\(.)", lambda found: {"n": "\n", "r": "\r"}.get(found[1], found[1]), path)
    algorithm = _ALGORITHMS.get(len(digest))
    if "tag" in groups and _TAGS.get(match["tag"].upper().replace("-", "")) != algorithm:
        return f"{match['tag']} is not read, or its digest has the wrong length"
    if algorithm is None:
        return f"a digest has {', '.join(map(str, _ALGORITHMS))} hex digits, not {len(digest)}"
    plain = re.sub(r"^(?:\./+)+", "", path)  # as such lists are often made: sha256sum ./*
    if fault := path_fault(plain) or ("names no file" if not join(plain) else None):
        return f'"{path}" {fault}'
    return structs.replace(ManifestFile(name=join(path)), **{algorithm: digest})


def write_checksums(files: Iterable[ManifestFile]) -> str:
    """A checksum list in the form of `sha256sum -c`. Every file must have a SHA-256."""
    lines = []
    for file in files:
        assert file.sha256 is not None
        lines.append(f"{file.sha256}  {file.name}\n")
    return "".join(lines)
