"""Adding sheets and rosters to the user's catalogue: linted first, then file by file, each former file kept beside.

What arrives is laid out in a folder of Gribble's own within the catalogue. Once the user has agreed, that folder gets
the name `adding`: from then on the files in it take their places one by one. An adding that was cut short before that
moment has changed nothing. One that was cut short after it is finished by the next command that reads the catalogue.
"""

from __future__ import annotations

import contextlib
import os
import secrets
import shutil
import tomllib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO, NamedTuple

import msgspec
from msgspec import Struct

from gribble.core.answers.lint import LIST_ENDINGS, Remark, lint, mistakes_in
from gribble.core.base.changing import flush_file, flush_folder
from gribble.core.base.errors import ExitCode, GribbleError, MistakesError, reason_of
from gribble.core.base.filewriter import Stamp, claimed, locked, stamp_of, write_file
from gribble.core.base.paths import MEMORY_FOLDER, base, is_link, join, path_fault
from gribble.core.base.regular import MOST_TEXT, open_regular, read_text
from gribble.core.catalogue.decided import FILES, PLAN, STAGE, AddingPlan, carry_out, decided_in
from gribble.core.catalogue.origins import MAP_ENDING
from gribble.core.catalogue.rosters import ROSTER_ENDING
from gribble.core.catalogue.sheets import SHEET_ENDING, emulator_of, is_listed
from gribble.core.files.archives.common import ArchiveError
from gribble.core.files.archives.opening import listing, member_blocks
from gribble.core.records.holding import Why
from gribble.core.survey.walking import walk

MOST_BYTES = 2 << 30
"""What all files of a source may come to."""

NOTHING = "Nothing was added. Copy the files that you trust to a folder, and name that folder."

ENDINGS = (SHEET_ENDING, ROSTER_ENDING, *LIST_ENDINGS, MAP_ENDING)

_ALIVE = "alive"
"""A file that is locked for as long as whoever lays out an adding lives."""


class Arriving(Struct, frozen=True):
    """What an adding would change: names of new files, of files that replace another of that name, and the local sheets
    that would go since another file brings the sheet of their emulator, by name."""

    new: tuple[str, ...]
    replaced: tuple[str, ...]
    displaced: dict[str, str]


class Added(Struct, frozen=True):
    """What was added: names of new files, of files that replace another or were displaced, where each former file is
    kept, and what a lint says of the catalogue now."""

    new: tuple[str, ...]
    replaced: tuple[str, ...]
    kept: dict[str, str]
    remarks: tuple[Remark, ...]


class _Stage(NamedTuple):
    """A folder in which an adding is laid out, and the open file that is locked for as long as we live."""

    folder: Path
    alive: IO[bytes]

    @property
    def files(self) -> Path:
        """The files that arrive, by the names that they get."""
        return self.folder / FILES


def add(source: Path, target: Path, agreed: Callable[[Arriving], bool] = lambda _arriving: True) -> Added | None:
    """Add the sheets, rosters and checksum lists of a folder or zip to a catalogue folder.

    They are linted together with what is there. Raises GribbleError, or MistakesError if what arrives has mistakes;
    nothing is changed then. Nor is it if `agreed` says no: then there is no answer. It is asked only where files
    would be replaced or displaced.
    """
    target = Path(os.path.realpath(target))
    made = not os.path.lexists(target)
    try:
        target.mkdir(parents=True, exist_ok=True)
        with _staged(target) as stage:
            names = _laid_out(source, stage.files)
            seen = {name: stamp_of(target / name) for name in names}
            names = [name for name in names if not _alike(stage.files / name, target / name, seen[name])]
            if not names:
                return Added((), (), {}, ())
            displaced = _displaced(stage.files, target, names)
            found = _linted(source, stage.files, target, {*names, *displaced})
            replaced = tuple(name for name in names if seen[name])
            new = tuple(name for name in names if not seen[name])
            away = {name: stamp for name in displaced if (stamp := stamp_of(target / name))}
            if (replaced or displaced) and not agreed(Arriving(new, replaced, displaced)):
                return None
            kept = _carried_out(target, stage, AddingPlan({name: seen[name] for name in names}, away))
        return Added(new, (*replaced, *displaced), kept, tuple(found))
    except OSError as error:
        raise GribbleError(
            f"{error.filename or target} cannot be written: {reason_of(error)}",
            fix="The catalogue is as it was.",
            code=ExitCode.FAILED,
        ) from error
    finally:
        with contextlib.suppress(OSError):
            os.rmdir(target / MEMORY_FOLDER)
        if made:
            with contextlib.suppress(OSError):
                os.rmdir(target)


def displacing(source: Path, target: Path) -> list[str] | None:
    """The emulators whose local sheets would go for those of a sheet or a folder to be added, since these have other
    file names; None if they cannot be added as they are."""
    folder = source if source.is_dir() else source.parent
    if os.path.realpath(folder) == os.path.realpath(target):
        return None
    try:
        names = [name for name, _ in _files(source)]
        return sorted(set(_displaced(folder, target, names).values())) if names and target.is_dir() else None
    except (GribbleError, OSError):
        return None


@contextlib.contextmanager
def _staged(target: Path) -> Iterator[_Stage]:
    """A folder of one's own in the catalogue, on the same volume; it is gone at the end. Raises OSError."""
    above = target / MEMORY_FOLDER
    if is_link(above):
        raise GribbleError(
            f"{above} is a link, and Gribble does not follow links to its own files", fix="Remove the link."
        )
    stage = above / f"{STAGE}-{secrets.token_hex(8)}"
    with locked(target):
        above.mkdir(exist_ok=True, mode=0o700)
        for left in above.glob(f"{STAGE}-*"):
            if _is_dead(left):
                shutil.rmtree(left, ignore_errors=True)
        (stage / FILES).mkdir(parents=True, mode=0o700)
        alive = (stage / _ALIVE).open("xb")
        claimed(alive.fileno())  # before another one may look who is dead
    with alive:
        try:
            yield _Stage(stage, alive)
        finally:
            alive.close()
            shutil.rmtree(stage, ignore_errors=True)


def _is_dead(stage: Path) -> bool:
    """Whether nobody is at work any more on what is laid out in a folder."""
    try:
        with (stage / _ALIVE).open("rb+") as alive:
            return claimed(alive.fileno()) is True
    except OSError:
        return not os.path.lexists(stage / _ALIVE)


def _laid_out(source: Path, folder: Path) -> list[str]:
    """Copy the files of a source that belong into a catalogue into a folder, flushed; their names. Raises
    GribbleError where there is none, or one cannot be read."""
    names = []
    for name, copy in _files(source):
        place = folder / name
        place.parent.mkdir(parents=True, exist_ok=True)
        copy(place)
        names.append(name)
    if not names:
        raise GribbleError(
            f"{source} has no sheet, roster or checksum list", fix=f"Their names end in {', '.join(ENDINGS)}."
        )
    return names


def _alike(one: Path, other: Path, stamp: Stamp | None) -> bool:
    """Whether what arrives is there already."""
    if stamp is None or stamp.size != one.stat().st_size:
        return False
    with open_regular(one) as left, open_regular(other) as right:
        return all(block == right.read(1 << 20) for block in iter(lambda: left.read(1 << 20), b""))


def _displaced(arriving: Path, target: Path, names: list[str]) -> dict[str, str]:
    """The local sheets of emulators whose sheets arrive under another name: emulator by name. Raises GribbleError if
    two sheets of one emulator arrive."""
    theirs: dict[str, str] = {}
    for name in names:
        if name.endswith(SHEET_ENDING) and "/" not in name:
            emulator = emulator_of(arriving / name)
            if emulator in theirs:
                raise GribbleError(
                    f"{theirs[emulator]} and {name} are both sheets of {emulator}",
                    fix="Nothing was added. Delete one of the two, or name the one that you want.",
                )
            theirs[emulator] = name
    local = [path for path in target.iterdir() if is_listed(path.name, SHEET_ENDING) and path.name not in names]
    return {path.name: emulator for path in local if (emulator := emulator_of(path)) in theirs}


def _linted(source: Path, arriving: Path, target: Path, gone: set[str]) -> list[Remark]:
    """Lint the files that arrive together with those that stay, and return the remarks.

    Raises MistakesError for mistakes in files that arrive. They are told as the source's: the catalogue stays as it is.
    """
    borrowed = [arriving / name for name in _manifests(arriving) if not os.path.lexists(arriving / name)]
    for path in borrowed:  # the checksum list of a sheet that arrives may be there already
        with contextlib.suppress(OSError):
            path.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(target / path.relative_to(arriving), path)
    stays = [one for one in target.iterdir() if is_listed(one.name, (SHEET_ENDING, ROSTER_ENDING))]
    found = lint([arriving, *sorted(path for path in stays if path.name not in gone)])
    for path in borrowed:
        path.unlink(missing_ok=True)
    mistakes = [one for one in found if one.mistake and Path(one.file).is_relative_to(arriving)]
    if mistakes:
        told = [_moved(one, arriving, source) for one in mistakes]
        raise MistakesError(mistakes_in(told))
    return [_moved(one, arriving, target) for one in found]


def _manifests(folder: Path) -> Iterator[str]:
    """The checksum lists that the sheets of a folder name."""
    for sheet in folder.iterdir():
        if is_listed(sheet.name, SHEET_ENDING):
            with contextlib.suppress(OSError, ValueError, RecursionError):
                needs = tomllib.loads(read_text(sheet, MOST_TEXT, "utf-8")).get("need", ())
                named = [need.get("manifest") for need in needs if isinstance(need, dict)]
                yield from (name for name in named if isinstance(name, str) and not path_fault(name))


def _moved(remark: Remark, work: Path, target: Path) -> Remark:
    return Remark(remark.file.replace(str(work), str(target)), remark.where, remark.what, remark.mistake)


def _carried_out(target: Path, stage: _Stage, plan: AddingPlan) -> dict[str, str]:
    """Decide an adding, and carry it out; where former files are kept. Raises GribbleError if something was changed
    since it was looked at."""
    decided = decided_in(target)
    with locked(target):
        if os.path.isdir(decided):
            carry_out(target, decided)
        files = {}
        for name, stamp in plan.files.items():
            now = stamp_of(target / name)
            if now == stamp:
                files[name] = stamp
            elif not _alike(stage.files / name, target / name, now):
                raise _changed(target / name)
        for name, stamp in plan.away.items():
            if stamp_of(target / name) != stamp:
                raise _changed(target / name)
        write_file(stage.folder / PLAN, [msgspec.json.encode(AddingPlan(files, plan.away))])
        for folder, _, _ in os.walk(stage.folder):
            flush_folder(Path(folder))
        stage.alive.close()  # else some systems refuse to rename its folder
        os.rename(stage.folder, decided)
        flush_folder(decided.parent)
        return carry_out(target, decided)


def _changed(path: Path) -> GribbleError:
    return GribbleError(
        f"another program changed {path} while Gribble was waiting for your answer",
        fix="Gribble changed nothing. Run the command again.",
        code=ExitCode.FAILED,
    )


class _Copy(Struct, frozen=True):
    """One file of a source, to be copied."""

    source: Path
    member: str = ""

    def __call__(self, place: Path) -> None:
        with place.open("xb") as out:
            if self.member:
                self._unpack(out)
            else:
                with open_regular(self.source) as stream:
                    shutil.copyfileobj(stream, out)
            out.flush()
            flush_file(out.fileno())

    def _unpack(self, out: IO[bytes]) -> None:
        try:
            out.writelines(member_blocks(self.source, self.member))
        except ArchiveError as error:
            raise GribbleError(f"{self.source}: {self.member} cannot be unpacked: {error}", fix=NOTHING) from error


def _files(source: Path) -> Iterator[tuple[str, _Copy]]:
    """The files of a source that belong into a catalogue, by the names they get there."""
    if os.path.isdir(source):
        yield from _folder_files(source)
    elif source.name.endswith(ENDINGS) and os.path.isfile(source):
        yield source.name, _Copy(source)
    else:
        yield from _zip_files(source)


def _folder_files(source: Path) -> Iterator[tuple[str, _Copy]]:
    folders = list(walk(source))  # links are not followed
    things = [one for folder in folders for one in folder.skipped if one.kind is Why.THING]
    if odd := next((one for one in things if is_listed(base(one.path), ENDINGS)), None):
        raise GribbleError(f"{source / odd.path} {odd.why}", fix=NOTHING)
    paths = [Path(source, one.path) for folder in folders for one in folder.files]
    paths = [path for path in sorted(paths) if is_listed(path.name, ENDINGS)]
    if sum(path.lstat().st_size for path in paths) > MOST_BYTES:
        raise GribbleError(f"the lists in {source} have more than {MOST_BYTES >> 30} GiB", fix=NOTHING)
    for path in paths:
        yield path.relative_to(source).as_posix(), _Copy(path)


def _zip_files(source: Path) -> Iterator[tuple[str, _Copy]]:
    try:
        members = [one for one in listing(source, "zip") or () if is_listed(base(one.name), ENDINGS)]
    except ArchiveError as error:
        raise GribbleError(f"{source} is not a folder, a sheet, a roster or a zip", fix="Name one of these.") from error
    if sum(one.size or 0 for one in members) > MOST_BYTES:
        raise GribbleError(
            f"{source} would unpack to more than {MOST_BYTES >> 30} GiB",
            fix="Unpack it yourself, and name the folder in it that has the sheets.",
        )
    top = {one.name.partition("/")[0] for one in members if "/" in one.name}
    lead = f"{top.pop()}/" if len(top) == 1 and all("/" in one.name for one in members) else ""
    for one in members:
        if fault := path_fault(one.name):
            raise GribbleError(f'{source}: "{one.name}" {fault}', fix=NOTHING)
        yield join(one.name.removeprefix(lead)), _Copy(source, one.name)
