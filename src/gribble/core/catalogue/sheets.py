"""Loading sheets: shape first, then sense, with every mistake of a file told at once."""

from __future__ import annotations

import contextlib
import fnmatch
import re
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TypeVar

from msgspec import Struct, structs

from gribble.core.base.budget import CHECKSUMS_BYTES
from gribble.core.base.digests import HEX_LENGTHS, Digests
from gribble.core.base.errors import Mistake, reason_of
from gribble.core.base.paths import fold, folder_of_all, join, path_fault
from gribble.core.base.regular import NoTextError, open_text, read_regular, text_of
from gribble.core.base.suggest import suggest
from gribble.core.base.tables import Mistakes, first_and_more, read_table, read_toml
from gribble.core.catalogue.checks import check_sheet
from gribble.core.records.sheet import Corrections, ManifestFile, Need, Sheet

_ALGORITHMS = {length: name for name, length in HEX_LENGTHS.items()}
_PLAIN = re.compile(r"^(?P<escaped>\\)?(?P<digest>[0-9A-Fa-f]+) [ *](?P<path>.+)$")
_TAGGED = re.compile(r"^(?P<escaped>\\)?(?P<tag>[A-Za-z0-9-]+) \((?P<path>.+)\) = (?P<digest>[0-9A-Fa-f]+)$")
_SFV = re.compile(r"^(?P<path>\S(?:.*\S)?)[ \t]+(?P<digest>[0-9A-Fa-f]{8})[ \t]*$")
_HEX = re.compile(r"[0-9A-Fa-f]{6}")
_TAGS = {"CRC32": "crc32", "MD5": "md5", "SHA1": "sha1", "SHA256": "sha256"}


def read_checksums(path: Path, *, amid_words: bool = False) -> tuple[tuple[ManifestFile, ...], list[str]]:
    """The files of a checksum list, and its mistakes in words, each with its line. It may be `amid_words`: a line
    without any hex digits in a row is none of it."""
    try:
        text = text_of(read_regular(path, CHECKSUMS_BYTES))
    except OSError as error:
        return (), [f"cannot be read: {reason_of(error)}"]
    except NoTextError as error:
        return (), [str(error)]
    files: dict[str, ManifestFile] = {}
    faults = []
    above = _folder_of_all(text) if amid_words else ""
    for number, line in enumerate(text.split("\n"), start=1):
        line = line.rstrip("\r")
        if not line.strip() or line.startswith(("#", ";")):
            continue
        if amid_words and not _HEX.search(line):
            continue
        read = _read_line(line.replace(above, "", 1))
        if isinstance(read, str):
            faults.append(f"line {number}: {read}")
        elif (twin := files.setdefault(fold(read.name), read)) is not read and twin.known() != read.known():
            faults.append(f'line {number}: "{read.name}" is there twice, with two digests')
    if not files and not faults:
        faults.append("lists no file")
    return tuple(files.values()), faults


def _folder_of_all(text: str) -> str:
    """The folder of somebody's machine that all files of a list are in; empty if their paths are not absolute."""
    matches = (_TAGGED.match(line) or _PLAIN.match(line) for line in text.splitlines())
    return folder_of_all(match["path"] for match in matches if match)


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
    else:
        path = path.replace("\\", "/")  # made on Windows: elsewhere such a name is marked as escaped
    algorithm = _ALGORITHMS.get(len(digest))
    if "tag" in groups and _TAGS.get(match["tag"].upper().replace("-", "")) != algorithm:
        return f"{match['tag']} is an algorithm that Gribble does not read, or the digest has the wrong length"
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


SHEET_ENDING = ".sheet.toml"
_NAMED = re.compile(r"""^[ \t]*emulator[ \t]*=[ \t]*["']([^"'\n]*)["']""", re.MULTILINE)
_NAMED_WITHIN = 1 << 16
"""How many characters of a sheet that cannot be used are looked at for whose it is."""


def is_listed(name: str, endings: str | tuple[str, ...]) -> bool:
    """Whether a file of a catalogue folder is one of those with some endings; hidden ones are other programs' own."""
    return name.endswith(endings) and not name.startswith(".")


class Catalogue(Struct, frozen=True):
    """The sheets of all catalogues by emulator, the rosters beside them, and the mistakes of what could not be used;
    `faulty` are the sheets among that, by the emulator that they seem to be for."""

    sheets: dict[str, Sheet]
    mistakes: tuple[Mistake, ...] = ()
    rosters: dict[str, tuple[Path, ...]] = {}
    faulty: dict[str, Path] = {}

    def why_unknown(self, emulator: str) -> str:
        """Why there is no sheet for an emulator; empty if there is one."""
        if emulator in self.sheets:
            return ""
        if emulator in self.faulty:
            return f"its sheet {self.faulty[emulator].name} has mistakes"
        return f"no sheet for it in the catalogues{suggest(emulator, list(self.sheets))}"


def load_catalogue(folders: list[Path]) -> Catalogue:
    """Every sheet of the folders, with what corrects it. Where two folders know one emulator, the folder named first
    wins."""
    sheets: dict[str, Sheet] = {}
    mistakes: list[Mistake] = []
    rosters: dict[str, tuple[Path, ...]] = {}
    faulty: dict[str, Path] = {}
    corrections: list[tuple[Path, Corrections]] = []
    for folder in folders:
        seen: dict[str, Path] = {}
        try:
            listed = sorted(folder.iterdir())
        except OSError as error:
            mistakes.append(Mistake(str(folder), "", f"Gribble cannot read this catalogue folder: {reason_of(error)}"))
            continue
        for path in (one for one in listed if is_listed(one.name, SHEET_ENDING)):
            sheet, found = load_any(path)
            mistakes += found
            if isinstance(sheet, Corrections):
                corrections.append((path, sheet))
            elif sheet is None:
                faulty.setdefault(emulator_of(path), path)
            elif sheet.emulator in seen:
                twin = seen[sheet.emulator].name
                mistakes.append(Mistake(str(path), "emulator", f'"{sheet.emulator}" has a sheet already: {twin}'))
            else:
                seen[sheet.emulator] = path
                if sheet.emulator not in sheets and sheet.arcade is not None:
                    rosters[sheet.emulator] = _rosters_among(listed, sheet.arcade.rosters)
                sheets.setdefault(sheet.emulator, sheet)
    for path, one in corrections:
        corrected, found = correct(path, one, sheets)
        mistakes += found
        if corrected is not None:
            sheets[one.extends] = corrected
    return Catalogue(sheets, tuple(mistakes), rosters, faulty)


def _rosters_among(paths: Iterable[Path], pattern: str) -> tuple[Path, ...]:
    """The files whose names are as a sheet says of its rosters."""
    return tuple(path for path in paths if fnmatch.fnmatchcase(path.name, pattern) and is_listed(path.name, ""))


def emulator_of(path: Path) -> str:
    """Whose sheet a file is that cannot be used, as far as it can be told: by what it says, else by its name."""
    with contextlib.suppress(OSError), open_text(path, "utf-8-sig", errors="replace") as stream:
        if named := _NAMED.search(stream.read(_NAMED_WITHIN)):
            return named[1]
    return path.name.removesuffix(SHEET_ENDING)


def load_sheet(path: Path, text: str | None = None) -> tuple[Sheet | None, list[Mistake]]:
    """The sheet in a file, digests in lower case; None, with the mistakes, if it has any. With a `text`, the sheet that
    the file is going to be."""
    sheet, mistakes = load_any(path, text)
    if isinstance(sheet, Corrections):
        return None, [Mistake(str(path), "extends", f"is no sheet by itself: it corrects that of {sheet.extends}")]
    return sheet, mistakes


def load_any(path: Path, text: str | None = None) -> tuple[Sheet | Corrections | None, list[Mistake]]:
    """The same, or what a file corrects in a sheet."""
    try:
        return _load_any(path, text)
    except Exception as error:  # whatever a file holds, it stops nothing but itself
        return None, [Mistake(str(path), "", f"cannot be understood ({type(error).__name__}: {error})")]


def _load_any(path: Path, text: str | None) -> tuple[Sheet | Corrections | None, list[Mistake]]:
    mistakes = Mistakes(str(path))
    tables = read_toml(path, mistakes, text)
    kind: type[Sheet | Corrections] = Corrections if tables is not None and "extends" in tables else Sheet
    sheet = read_table(kind, first_and_more(tables), "", mistakes) if tables is not None else None
    if sheet is not None:
        needs = tuple(_complete(need, f"need[{n}]", path.parent, mistakes) for n, need in enumerate(sheet.need))
        sheet = structs.replace(sheet, need=needs)
        if isinstance(sheet, Sheet):
            check_sheet(sheet, mistakes)
    return (None if mistakes.found else sheet), mistakes.found


def correct(path: Path, ours: Corrections, sheets: Mapping[str, Sheet]) -> tuple[Sheet | None, list[Mistake]]:
    """A sheet among others, corrected; None, with the mistakes, if it cannot be."""
    mistakes = Mistakes(str(path))
    if (base := sheets.get(ours.extends)) is None:
        mistakes.add("extends", f'there is no sheet for "{ours.extends}"{suggest(ours.extends, list(sheets))}')
        return None, mistakes.found
    own = {need.id: need for need in ours.need}
    needs = [own.pop(need.id, need) for need in base.need if need.id not in ours.without]
    needs += own.values()
    corrected = structs.replace(
        base,
        folders={**base.folders, **ours.folders},
        more_folders={**base.more_folders, **ours.more_folders},
        need=tuple(needs),
    )
    check_sheet(corrected, mistakes)
    place = {f"need[{needs.index(need)}]": f"need[{number}]" for number, need in enumerate(ours.need) if need in needs}

    def here(mistake: Mistake) -> Mistake:
        head = mistake.where.partition(".")[0]
        return structs.replace(mistake, where=place.get(head, head) + mistake.where[len(head) :])

    return (None if mistakes.found else corrected), list(map(here, mistakes.found))


T = TypeVar("T", bound=Digests)


def _complete(need: Need, where: str, folder: Path, mistakes: Mistakes) -> Need:
    """A need with its digests in lower case, and with the files of its manifest."""
    files = need.file
    if need.manifest is not None:
        files = _read_manifest(need, f"{where}.manifest", folder, mistakes)
    keys = (structs.replace(key, sha256=key.sha256.lower()) if key.sha256 else key for key in need.key)
    return structs.replace(
        need,
        accept=tuple(map(_lower, need.accept)),
        reject=tuple(map(_lower, need.reject)),
        file=tuple(map(_lower, files)),
        key=tuple(keys),
    )


def _lower(content: T) -> T:
    return structs.replace(content, **{name: digest.lower() for name, digest in content.known().items()})


def _read_manifest(need: Need, where: str, folder: Path, mistakes: Mistakes) -> tuple[ManifestFile, ...]:
    """The files of a need's checksum list, which is beside the sheet."""
    assert need.manifest is not None
    if need.file:
        mistakes.add(where, "cannot be used together with files listed in the sheet")
        return need.file
    if fault := path_fault(need.manifest):
        mistakes.add(where, f'"{need.manifest}" {fault}')
        return ()
    files, faults = read_checksums(folder / need.manifest)
    for fault in faults:
        mistakes.add(where, f"{need.manifest} {fault}" if fault[:4] != "line" else f"{need.manifest}, {fault}")
    return files
