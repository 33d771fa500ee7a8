"""Looking again at the lists that sheets and rosters were made from: what they say now, brought in as it would be."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple

from msgspec import MsgspecError, Struct, structs

from gribble.core.answers.changes import SheetEffect
from gribble.core.answers.comparing import SheetChanges
from gribble.core.answers.merging import Merged, merged, merged_sets
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError
from gribble.core.base.filewriter import Stamp, stamp_of
from gribble.core.base.paths import name_fault
from gribble.core.base.regular import MOST_TEXT, read_regular, text_of
from gribble.core.catalogue.importing.drafting import draft_map
from gribble.core.catalogue.importing.fieldmap import load_map
from gribble.core.catalogue.importing.found import Asked
from gribble.core.catalogue.importing.lists import read_roster, read_sheet
from gribble.core.catalogue.importing.naming import FILE_NAME
from gribble.core.catalogue.origins import kept_copy
from gribble.core.catalogue.rosters import ROSTER_ENDING, load_roster, read_head, write_roster
from gribble.core.catalogue.sheets import SHEET_ENDING, is_listed, load_sheet
from gribble.core.catalogue.writing import DraftSheet
from gribble.core.records.imported import Drafted, FieldMap, Rules, Tally
from gribble.core.records.roster import RosterHead
from gribble.core.records.sheet import Origin, Sheet

NO_LIST = "Nothing was changed. Is it still the list? gribble catalogue import LIST shows what is understood of it."


class Followed(Struct, frozen=True):
    """A sheet or a roster that says which list it was made from; `stamp` tells whether the file changes meanwhile."""

    path: Path
    head: Sheet | RosterHead
    origin: Origin
    stamp: Stamp | None

    @property
    def called(self) -> str:
        """Its emulator, of a roster with the release."""
        return self.head.emulator if isinstance(self.head, Sheet) else f"{self.head.emulator} {self.head.release}"


class Renewed(Struct, frozen=True):
    """What a sheet or a roster would be with what its list says now: a file in the folder that was given, and the sheet
    in it. Without a `base` what the list said before is not kept any more, and what it says now is only added."""

    place: Path
    told: Merged
    base: bool
    origin: Origin
    sheet: Sheet | None = None


class Refreshed(NamedTuple):
    """What came of looking again at one list: what it would be now, unless it is as it was, or why nothing came of it;
    whether that was `done`, and where the former file is kept then."""

    followed: Followed
    renewed: Renewed | None = None
    changes: tuple[SheetChanges, ...] = ()
    effects: tuple[SheetEffect, ...] = ()
    error: GribbleError | None = None
    done: bool = False
    kept: Path | None = None

    @property
    def is_open(self) -> bool:
        """Whether there is something that was not taken."""
        return self.renewed is not None and self.renewed.told.differs and not self.done

    @property
    def code(self) -> ExitCode:
        """The exit status for it."""
        if self.error:
            return self.error.code
        return ExitCode.ATTENTION if self.is_open else ExitCode.CLEAN

    @property
    def word(self) -> str:
        """What is to be said of the list, in a word."""
        if self.error:
            return "away" if self.error.code == ExitCode.FAILED else "refused"
        if self.renewed is None:
            return "unchanged"
        return "changed" if self.renewed.told.differs else "nothing new"


def followed(folders: Iterable[Path]) -> Iterator[Followed]:
    """What some catalogue folders have that was made from a list; what cannot be read is left to `lint`."""
    for folder in folders:
        for path in sorted(folder.iterdir()) if os.path.isdir(folder) else ():
            stamp, head = stamp_of(path), _head(path)
            if head is not None and head.from_ is not None:
                yield Followed(path, head, head.from_, stamp)


def _head(path: Path) -> Sheet | RosterHead | None:
    if is_listed(path.name, SHEET_ENDING):
        return load_sheet(path)[0]
    if is_listed(path.name, ROSTER_ENDING):
        with suppress(OSError, MsgspecError):
            return read_head(path)
    return None


def renewed(one: Followed, source: Path, origin: Origin, folder: Path) -> Renewed:
    """What a sheet or a roster is with its list as it is now in `source`; written into `folder`. Raises GribbleError
    where the list is none any more, has mistakes, or is of another release than the roster."""
    made = _map_of(one)
    try:
        former = kept_copy(one.path, one.origin, folder)
        drafted = _drafted(source, made, one)
        made = _with_new_words(made, drafted)
        release, before = _release(drafted), _release(_drafted(former, made, one)) if former else ""
        if isinstance(one.head, RosterHead):
            if release and release != (before or one.head.release):
                raise GribbleError(
                    f"{one.origin.list_} is for release {release} now, but {one.path.name} is for {one.head.release}",
                    fix=f"gribble catalogue import {one.origin.list_} --release {release} writes a new roster.",
                )
            return _renewed_roster(one, made, source, former, origin, folder)
        newer = {"release": release} if before and release else {}
        now = structs.replace(made, sheet={**made.sheet, **newer})
        return _renewed_sheet(one, (made, now), source, former, origin, folder)
    except (OSError, UnicodeDecodeError) as error:
        raise GribbleError(f"{one.origin.list_} cannot be read any more: {error}", fix=NO_LIST) from error


def former_sheet(path: Path, sheet: Sheet) -> DraftSheet | None:
    """What the list of a sheet said when the sheet was made from it; None if that is not known any more."""
    if sheet.from_ is None:
        return None
    with tempfile.TemporaryDirectory() as folder, suppress(GribbleError, OSError, UnicodeDecodeError):
        one = Followed(path, sheet, sheet.from_, None)
        former = kept_copy(path, sheet.from_, Path(folder))
        return read_sheet(former, _map_of(one), Tally()) if former else None
    return None


def _map_of(one: Followed) -> FieldMap:
    """The map of a list, with what the sheet or roster itself says. Raises GribbleError if it is gone."""
    name, to = one.origin.map, "sheet" if isinstance(one.head, Sheet) else "roster"
    if name_fault(name) or not (place := one.path.with_name(name)).is_file():
        raise GribbleError(
            f"{one.path.name}: the map for reading {one.origin.list_} is not there",
            fix=f"gribble catalogue import {one.origin.list_} --into {one.path.name} makes a new one.",
        )
    made = load_map(place, to)
    return structs.replace(made, **{to: {**getattr(made, to), "emulator": one.head.emulator}})


def _drafted(source: Path, made: FieldMap, one: Followed) -> Drafted | None:
    """What is understood of a list without its map; None if that is nothing."""
    to = "sheet" if isinstance(one.head, Sheet) else "roster"
    with suppress(GribbleError, OSError, UnicodeDecodeError):
        return draft_map(source, Asked(to=to, emulator=one.head.emulator, table=made.table))
    return None


def _release(drafted: Drafted | None) -> str:
    """The release that a list itself says, and not only its name; empty if it does not."""
    named = drafted.named.get("release") if drafted else None
    return named.name if named and named.source != FILE_NAME else ""


def _with_new_words(made: FieldMap, drafted: Drafted | None) -> FieldMap:
    """A map that knows the words which were not on the list when it was made, as far as they are understood."""

    def more(fields: dict[str, Rules], now: dict[str, Rules]) -> dict[str, Rules]:
        fresh = {(name, rule.from_): rule.values for name, rules in now.items() for rule in rules}
        return {
            name: tuple(
                structs.replace(rule, values={**fresh.get((name, rule.from_), {}), **rule.values})
                if rule.values and "*" not in rule.values
                else rule
                for rule in rules
            )
            for name, rules in fields.items()
        }

    if drafted is None:
        return made
    files, now = made.files, drafted.made.files
    within = structs.replace(files, fields=more(files.fields, now.fields)) if files and now else files
    return structs.replace(made, fields=more(made.fields, drafted.made.fields), files=within)


def _renewed_sheet(
    one: Followed, made: tuple[FieldMap, FieldMap], source: Path, former: Path | None, origin: Origin, folder: Path
) -> Renewed:
    assert isinstance(one.head, Sheet)
    tally = Tally()
    now = read_sheet(source, made[1], tally)
    _check(one, tally, len(now.needs))
    base = read_sheet(former, made[0], Tally()) if former else None
    told = merged(text_of(read_regular(one.path, MOST_TEXT)), one.head, now, base, origin)
    sheet, mistakes = load_sheet(one.path, told.text)
    if sheet is None:
        raise MistakesError([Mistake(str(one.path), each.where, f"as it would be: {each.what}") for each in mistakes])
    place = folder / one.path.name
    place.write_text(told.text, encoding="utf-8", newline="")
    return Renewed(place, told, former is not None, origin, sheet)


def _renewed_roster(
    one: Followed, made: FieldMap, source: Path, former: Path | None, origin: Origin, folder: Path
) -> Renewed:
    assert isinstance(one.head, RosterHead)
    there, mistakes = load_roster(one.path)
    if there is None or mistakes:
        raise MistakesError(mistakes)
    tally, told = Tally(), Merged()
    base = read_roster(former, made, Tally()) if former else ()
    place = folder / one.path.name
    with place.open("wb") as out:
        sets = merged_sets(there, read_roster(source, made, tally), base, told)
        out.writelines(write_roster(structs.replace(one.head, from_=origin), sets))
    _check(one, tally, tally.records)
    return Renewed(place, told, former is not None, origin)


def _check(one: Followed, tally: Tally, found: int) -> None:
    """Raise GribbleError where a list has mistakes now, or nothing that the map finds."""
    if tally.faulty:
        raise MistakesError([Mistake(one.origin.list_, "", words) for words in tally.mistakes], fix=NO_LIST)
    if not found:
        raise GribbleError(f"{one.origin.list_} has no record any more that fits its map", fix=NO_LIST)
