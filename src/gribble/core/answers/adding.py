"""Adding sheets and rosters to the user's catalogue: linted first, swapped in whole, the former version kept."""

from __future__ import annotations

import os
import shutil
import zipfile
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path

from msgspec import Struct

from gribble.core.answers.lint import LIST_ENDINGS, Remark, lint
from gribble.core.base.changing import replace
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError, reason_of
from gribble.core.base.paths import join, path_fault
from gribble.core.base.regular import open_regular
from gribble.core.catalogue.rosters import ROSTER_ENDING
from gribble.core.catalogue.sheets import SHEET_ENDING
from gribble.core.survey.walking import walk

MOST_BYTES = 2 << 30
"""What all files of a source may come to."""

NOTHING = "Nothing was added. Take what you trust out of it yourself, and name that."

ENDINGS = (SHEET_ENDING, ROSTER_ENDING, *LIST_ENDINGS)


class Added(Struct, frozen=True):
    """What was added: names of new files, of files that replace another, where the former version is, remarks."""

    new: tuple[str, ...]
    replaced: tuple[str, ...]
    kept: Path | None
    remarks: tuple[Remark, ...]


def add(
    source: Path, target: Path, may_replace: Callable[[tuple[str, ...]], bool] = lambda _names: True
) -> Added | None:
    """Add the sheets, rosters and checksum lists of a folder or zip to a catalogue folder.

    The whole new catalogue is built beside the folder and linted; then the folder is put aside and the new one takes
    its name. Raises GribbleError, or MistakesError where the result would have mistakes; nothing is changed then. Nor
    is it where `may_replace` says no to the names of files that would replace others: then there is no answer.
    """
    work = target.with_name(f".gribble-new-{target.name}")
    try:
        shutil.rmtree(work, ignore_errors=True)  # what a kill left of an earlier try
        if os.path.isdir(target):
            shutil.copytree(target, work)
        else:
            work.mkdir(parents=True)
        new: list[str] = []
        replaced: list[str] = []
        met = False
        for name, copy in _files(source):
            met = True
            place = work / name
            place.parent.mkdir(parents=True, exist_ok=True)
            before = place.read_bytes() if os.path.exists(place) else None
            copy(place)
            if before is None:
                new.append(name)
            elif before != place.read_bytes():
                replaced.append(name)
        if not met:
            raise GribbleError(
                f"{source} has no sheet, roster or checksum list", fix=f"They end in {', '.join(ENDINGS)}."
            )
        if not new and not replaced:
            return Added((), (), None, ())
        found = lint([work])
        mistakes = [_moved(remark, work, source) for remark in found if remark.mistake]
        if mistakes:  # they are told as the source's, since the catalogue stays as it is
            raise MistakesError([Mistake(one.file, one.where, one.what) for one in mistakes])
        if replaced and not may_replace(tuple(replaced)):
            return None
        remarks = [_moved(remark, work, target) for remark in found]
        kept = None
        if os.path.isdir(target):
            kept = _free_name(target)
            replace(target, kept)
        replace(work, target)
    except OSError as error:
        raise GribbleError(
            f"{error.filename or target} cannot be written: {reason_of(error)}",
            fix="The catalogue is as it was.",
            code=ExitCode.FAILED,
        ) from error
    finally:
        shutil.rmtree(work, ignore_errors=True)
    return Added(tuple(new), tuple(replaced), kept, tuple(remarks))


def _moved(remark: Remark, work: Path, target: Path) -> Remark:
    return Remark(remark.file.replace(str(work), str(target)), remark.where, remark.what, remark.mistake)


def _free_name(target: Path) -> Path:
    number = 1
    while os.path.exists(place := target.with_name(f"{target.name}.before-{number}")):
        number += 1
    return place


class _Copy(Struct, frozen=True):
    """One file of a source, to be copied."""

    source: Path
    member: str = ""

    def __call__(self, place: Path) -> None:
        if not self.member:
            with open_regular(self.source) as stream, place.open("wb") as out:
                shutil.copyfileobj(stream, out)
            return
        try:
            with zipfile.ZipFile(self.source) as archive, archive.open(self.member) as member, place.open("wb") as out:
                shutil.copyfileobj(member, out)
        except (zipfile.BadZipFile, zlib.error, RuntimeError, NotImplementedError, EOFError) as error:
            raise GribbleError(f"{self.source}: {self.member} cannot be unpacked: {error}", fix=NOTHING) from error


def _files(source: Path) -> Iterator[tuple[str, _Copy]]:
    """The files of a source that belong into a catalogue, by the names they get there."""
    if os.path.isdir(source):
        paths = [Path(source, one.path) for folder in walk(source) for one in folder.files]  # links are not followed
        paths = [path for path in sorted(paths) if path.name.endswith(ENDINGS)]
        if sum(path.lstat().st_size for path in paths) > MOST_BYTES:
            raise GribbleError(f"the lists in {source} have more than {MOST_BYTES >> 30} GiB", fix=NOTHING)
        for path in paths:
            yield path.relative_to(source).as_posix(), _Copy(path)
        return
    if source.name.endswith(ENDINGS) and os.path.isfile(source):
        yield source.name, _Copy(source)
        return
    try:
        with zipfile.ZipFile(source) as archive:
            members = [one for one in archive.infolist() if one.filename.endswith(ENDINGS)]
    except (zipfile.BadZipFile, OSError) as error:
        raise GribbleError(f"{source} is no folder, sheet, roster or zip", fix="Name one of these.") from error
    if sum(one.file_size for one in members) > MOST_BYTES:
        raise GribbleError(
            f"{source} would unpack to more than {MOST_BYTES >> 30} GiB",
            fix="Unpack it yourself, and name the folder in it that has the sheets.",
        )
    top = {one.filename.partition("/")[0] for one in members if "/" in one.filename}
    lead = f"{top.pop()}/" if len(top) == 1 and all("/" in one.filename for one in members) else ""
    for one in members:
        if fault := path_fault(one.filename):
            raise GribbleError(f'{source}: "{one.filename}" {fault}', fix=NOTHING)
        yield join(one.filename.removeprefix(lead)), _Copy(source, one.filename)
