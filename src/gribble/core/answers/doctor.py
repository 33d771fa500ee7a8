"""Looking over what a command starts from: sources, catalogues, the index, rigs. Nothing is written."""

from __future__ import annotations

import os
import shutil
import sqlite3
from collections.abc import Callable, Iterable, Iterator
from datetime import date
from enum import StrEnum
from itertools import chain
from pathlib import Path

from msgspec import Struct

from gribble.core.audit.judging.serving import claims_of, meetings
from gribble.core.base.amounts import count
from gribble.core.base.errors import Mistake, reason_of
from gribble.core.catalogue.followed import current
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.files.volumes import volume_of
from gribble.core.placing.journal import Run
from gribble.core.records.config import CatalogueAt, Config, Rig, Source
from gribble.core.records.place import Fitted

LOOK_AFTER = 90
"""A followed catalogue for which nobody has looked in so many days is worth a word."""
LITTLE_BYTES = 200 << 20
"""Less room than this is worth a word, in bytes."""
SHEETS_NAMED = 6
"""How many sheets are named where a rig has no emulator."""
LARGE_ATTIC_BYTES = 1 << 30
"""An attic of this size is worth a word, in bytes."""


class Health(StrEnum):
    """How something is: as it should be, worth a look, or in the way."""

    RIGHT = "right"
    LOOK = "look"
    WRONG = "wrong"


class Examined(Struct, frozen=True, kw_only=True):
    """One thing that was looked at: which, how it is, what was found, and what to do if anything."""

    area: str
    what: str
    health: Health
    words: str
    fix: str = ""


def examine_catalogues(catalogue: Catalogue, mistakes: Iterable[Mistake], folders: Iterable[str]) -> Iterator[Examined]:
    """The catalogues as they were loaded, with the mistakes in them and in what the configuration says of them."""
    found = [*catalogue.mistakes, *mistakes]
    for mistake in found:
        yield Examined(
            area="catalogue", what=mistake.file, health=Health.WRONG,
            words=": ".join(part for part in (mistake.where, mistake.what) if part), fix="Correct it in that file.",
        )  # fmt: skip
    names = ", ".join(folders)
    if not names:
        yield Examined(
            area="catalogue", what="catalogues", health=Health.WRONG, words="gribble.toml names none",
            fix='Give it a folder for sheets: catalogues = ["catalogue"]',
        )  # fmt: skip
    elif not found:
        sheets, rosters = len(catalogue.sheets), sum(map(len, catalogue.rosters.values()))
        words = f"{sheets:,} sheet{'s' * (sheets != 1)}, {rosters:,} roster{'s' * (rosters != 1)}"
        fix = "" if sheets else "You have a page, a table or a list: gribble catalogue import LIST --rig NAME."
        health = Health.RIGHT if sheets else Health.LOOK
        yield Examined(area="catalogue", what=names, health=health, words=words, fix=fix)


def examine_followed(catalogues: Iterable[CatalogueAt], today: date) -> Iterator[Examined]:
    """The catalogues that are followed: the version of each, and when somebody last looked for another."""
    for one in catalogues:
        name = Path(one.at).name
        update = f"gribble catalogue update {name}"
        if not one.from_:
            continue
        if (now := current(Path(one.at))) is None:
            yield Examined(
                area="catalogue", what=name, health=Health.WRONG, words=f"no version of it is in {one.at}",
                fix=f"{update} fetches it.",
            )  # fmt: skip
            continue
        days = (today - now.looked).days
        when = f"{count(days, 'day')} ago" if days > 0 else "today"
        words = f"number {now.number} of {now.date}; you looked for a newer one {when}"
        old = days > LOOK_AFTER
        yield Examined(
            area="catalogue", what=name, health=Health.LOOK if old else Health.RIGHT, words=words,
            fix=f"{update} looks for a newer one." if old else "",
        )  # fmt: skip


def examine_sources(config: Config, why_away: Callable[[Source], str]) -> Iterator[Examined]:
    """Whether the sources are there and can be read, and whether one is in another."""
    if not config.sources:
        fix = 'Name the folders where you keep files: sources = ["~/Downloads"]'
        yield Examined(
            area="source", what="sources", health=Health.LOOK, words="gribble.toml names none", fix=fix,
        )  # fmt: skip
    for source in config.sources:
        path = Path(source.at)
        outer = [one.at for one in config.sources if one != source and path.is_relative_to(one.at)]
        name = source.at if source.called == source.at else f"{source.called} ({source.at})"
        if why := why_away(source):
            fix = "Switch it on or plug it in, or correct the path"
            fix += f"; if this is what you want: gribble doctor --accept {source.called}."
            yield Examined(area="away", what=name, health=Health.LOOK, words=why, fix=fix)
            continue
        if not os.path.exists(path):
            health, words, fix = Health.WRONG, "is not there", "Correct the path, or plug it in."
        elif not os.access(path, os.R_OK | (os.X_OK if os.path.isdir(path) else 0)):
            health, words, fix = Health.WRONG, "cannot be read", "Give yourself permission to read it."
        elif outer:
            health, words, fix = Health.LOOK, f"is in {outer[0]}, which is a source already", "Name one of the two."
        else:
            health, words, fix = Health.RIGHT, "is there; Gribble only reads it", ""
        yield Examined(area="source", what=name, health=health, words=words, fix=fix)


def examine_memory(folder: Path | None) -> Iterator[Examined]:
    """The folder of the index: whether it can be written, and the index read. It need not be there yet."""
    if folder is None:
        return
    place = folder if os.path.exists(folder) else folder.parent
    if not os.access(place, os.W_OK):
        yield Examined(
            area="index", what=str(folder), health=Health.LOOK,
            words="cannot be written, so Gribble cannot remember anything",
            fix="Give write permission, or name another folder in $GRIBBLE_HOME.",
        )  # fmt: skip
        return
    index = folder / "index.sqlite"
    if not os.path.exists(index):
        yield Examined(area="index", what=str(index), health=Health.RIGHT, words="will be made by the first check")
        return
    try:
        with sqlite3.connect(f"{index.absolute().as_uri()}?mode=ro", uri=True) as database:
            (said,) = database.execute("PRAGMA quick_check(1)").fetchone()
    except sqlite3.DatabaseError as error:
        said = str(error)
    if said == "ok":
        yield Examined(
            area="index", what=str(index), health=Health.RIGHT, words=f"is sound, {index.stat().st_size:,} bytes"
        )
    else:
        yield Examined(
            area="index", what=str(index), health=Health.LOOK, words=f"is damaged ({said})",
            fix="Nothing is lost: the next gribble check builds it again.",
        )  # fmt: skip


def examine_folder(name: str, root: Path, rig: Rig) -> Iterator[Examined]:
    """A rig in a folder that is there: permission, kind of volume, room."""
    if not os.access(root, os.W_OK | os.X_OK):
        yield Examined(
            area="rig", what=name, health=Health.WRONG, words=f"{root} cannot be written",
            fix="Give write permission, or remove the write protection.",
        )  # fmt: skip
    if rig.volume == "auto" and not volume_of(root)[0]:
        yield Examined(
            area="rig", what=name, health=Health.LOOK,
            words="its kind of volume is unknown, so Gribble cannot check names and sizes before it writes",
            fix=f'Under rig.{name} in gribble.toml: volume = "fat32" (or exfat, ntfs, ext4, apfs)',
        )  # fmt: skip
    try:
        room = shutil.disk_usage(root)
    except OSError as error:
        yield Examined(area="rig", what=name, health=Health.WRONG, words=f"{root}: {reason_of(error)}")
        return
    free = room.free
    if room.total and free < LITTLE_BYTES:  # of none at all, nothing is known
        yield Examined(
            area="rig", what=name, health=Health.LOOK, words=f"{free:,} bytes are free",
            fix="Make room. gribble attic empty deletes the files in the attic; it asks first.",
        )  # fmt: skip


def examine_emulators(name: str, rig: Rig, catalogue: Catalogue) -> Iterator[Examined]:
    """A rig on which nothing is wanted."""
    if rig.emulators:
        return
    known = sorted(catalogue.sheets)
    fix = f"gribble catalogue import LIST --rig {name} makes a sheet from a list, and enters the emulator."
    if known:
        told = ", ".join(known[:SHEETS_NAMED]) + (" …" if known[SHEETS_NAMED:] else "")
        fix = f'There are sheets of {told}: under [rig.{name}.emulators] in gribble.toml: {known[0]} = "RELEASE".'
    yield Examined(area="rig", what=name, health=Health.LOOK, words="has no emulator entered", fix=fix)


def examine_places(name: str, group: Iterable[Fitted]) -> Iterator[Examined]:
    """Places that two needs of a rig want for contents that have nothing in common."""
    places = chain.from_iterable(there for fitted in group for there in fitted.places.values())
    for one, other in meetings(claims_of(place for place in places if not place.ignored)):
        yield Examined(
            area="rig", what=name, health=Health.LOOK,
            words=f"{one.path} is {one.words} and {other.words}, with different contents",
            fix="Give one of the emulators a folder of its own in gribble.toml, or ignore one of the needs there.",
        )  # fmt: skip


def examine_runs(name: str, open_runs: Iterable[Run], attic_bytes: int) -> Iterator[Examined]:
    """Runs that were cut short, and how much the attic has come to hold."""
    for run in open_runs:
        what = "an undo" if run.undoing else "a run"
        fix = "gribble place --resume finishes it, gribble undo undoes it."
        if run.foreign:
            fix = f"gribble history --adopt {run.number} shows what it would do, and asks whether you trust it."
        words = f"{what} was cut short: run {run.number}" + (f" ({run.foreign})" if run.foreign else "")
        yield Examined(area="rig", what=name, health=Health.WRONG, words=words, fix=fix)
    if attic_bytes > LARGE_ATTIC_BYTES:
        yield Examined(
            area="rig", what=name, health=Health.LOOK, words=f"its attic has {attic_bytes:,} bytes",
            fix="gribble attic list shows the files. gribble attic empty deletes them for good; it asks first.",
        )  # fmt: skip
