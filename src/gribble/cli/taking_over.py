"""Taking over a list whose map is known: shown, asked about, and written as a sheet, a roster, or what plays."""

from __future__ import annotations

import collections
import gc
import itertools
import os
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from gribble.cli.catalogue import check_sheet
from gribble.cli.entering import change
from gribble.cli.finding import find_config
from gribble.cli.import_wish import Wish
from gribble.cli.session import ask
from gribble.core.answers.entering import Said, entered, named_emulator
from gribble.core.answers.merging import begins_at, merged
from gribble.core.answers.refreshing import former_sheet
from gribble.core.base.amounts import count
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError
from gribble.core.base.filewriter import ThereError, changing, write_file
from gribble.core.base.paths import join
from gribble.core.base.regular import text_of
from gribble.core.catalogue.config import load_config, sheet_folders
from gribble.core.catalogue.importing.fieldmap import map_line
from gribble.core.catalogue.importing.lists import SetsMet, read_list, read_roster, read_sheet
from gribble.core.catalogue.importing.needs import preview_of
from gribble.core.catalogue.importing.relatives import read_plays, with_plays
from gribble.core.catalogue.rosters import ROSTER_VERSION, load_roster, write_roster
from gribble.core.catalogue.sheets import SHEET_ENDING, load_catalogue, load_sheet
from gribble.core.catalogue.writing import DraftSheet, write_arcade_sheet, write_sheet
from gribble.core.records.imported import FieldMap, Tally
from gribble.core.records.roster import ArcadeSet, RosterHead
from gribble.core.records.sheet import Sheet
from gribble.core.survey.whereabouts import Sought
from gribble.views.catalogue import show_merged, show_preview_sets, show_sets_met, show_tally
from gribble.views.init import show_plays, show_some_needs
from gribble.views.looks import kept_words

FIRST_SHOWN = 3
"""So many records are shown before anything is written."""


def take_over(wish: Wish, made: FieldMap, to: str) -> int:
    """Take over a list; the exit status. Raises GribbleError."""
    return {"sheet": _sheet, "roster": _roster, "plays": _plays}[to](wish, made)


def _sheet(wish: Wish, made: FieldMap) -> int:
    tally = Tally()
    with wish.bar() as bar:
        draft = read_sheet(wish.found.path, made, tally, bar.advance)
    return finish_sheet(wish, draft, tally)


def finish_sheet(wish: Wish, draft: DraftSheet, tally: Tally) -> int:
    """Show the needs of a list, ask, and write the sheet or what is new in it; the exit status. Raises GribbleError."""
    screen = wish.call.screen
    there = load_sheet(wish.target)[0] if wish.options.into else None
    begins = begins_at(there, draft) if there else ""
    if wish.only_shown or not wish.options.yes:
        show_some_needs(screen, preview_of(draft.needs, wish.options.preview or FIRST_SHOWN))
    if wish.only_shown:
        return _shown(wish, tally)
    refuse_faults(wish, tally, draft.needs)
    wanted = tuple(join(need.folder, need.name) for need in draft.needs)
    place = _place(wish, Sought((draft.emulator, draft.title), wanted))
    if not ask(wish.call, "Is this right?", wish.options.yes, wish.heard):
        return ExitCode.ATTENTION
    if wish.options.into:
        _merge(wish, draft)
    else:
        check_sheet(wish.target, write_sheet(draft))
        draft.origin = wish.origin()
        wish.keep(draft.origin, _written)
        text = write_sheet(draft)
        kept = write_file(wish.target, [text.encode()], replace_other=wish.options.replace)
        accepts = sum(len(need.accepts) for need in draft.needs)
        counts = f"{count(len(draft.needs), 'need')} of {draft.emulator} with {count(accepts, 'accept')}"
        screen.say(f"{wish.named}: {counts}{kept_words(kept)}.")
    _told(wish, tally, "sheet", draft.emulator, draft.release)
    if wish.entry:
        _enter(wish, draft.emulator, draft.release, place, begins)
    else:
        screen.next(f"gribble catalogue lint {wish.named}", "lists what is still to be filled in")
    return ExitCode.ATTENTION if tally.faulty else ExitCode.CLEAN


def _place(wish: Wish, sought: Sought) -> str | None:
    """Where the emulator looks on the rig for which it is to be entered; None if that stays as it is."""
    entry, emulator = wish.entry, sought.names[0]
    if entry is None or (emulator in entry.rig.emulators and wish.inside is None):
        return None
    place = entry.folder(sought._replace(others=entry.others(emulator)), wish.inside, yes=wish.options.yes)
    if emulator not in entry.rig.emulators and not wish.options.yes:
        wish.call.screen.say(f"Gribble will enter {emulator} for {entry.name} in gribble.toml.")
    return place


def _enter(wish: Wish, emulator: str, release: str, place: str | None, begins: str) -> None:
    """Enter an emulator for a rig, or change what is said of it: its sheet's folder in which the list begins is at
    `place` there. Raises GribbleError if gribble.toml does not allow it."""
    entry, screen = wish.entry, wish.call.screen
    assert entry is not None
    there = emulator in entry.rig.emulators
    said = Said(folder=place, release=wish.options.release if there else release or None)
    if not there or said != Said():
        sheet = named_emulator(emulator, entry.sheets())
        change(
            wish.call,
            entry.path,
            lambda text: entered(text, entry.name, sheet, said, begins=begins, inherited=there),
            yes=True,
            keep=there,
        )
    screen.next(f"gribble check {emulator} --rig {entry.name}", "what of it is right, and how to put the rest right")


def _written(place: Path, blocks: Iterable[bytes]) -> None:
    write_file(place, blocks, replace_other=True)


def _merge(wish: Wish, draft: DraftSheet) -> None:
    """Add to a sheet what a list says and it did not know; the sheet as it was is kept beside it."""
    sheet = _sheet_of(wish, draft)
    base, origin = None, None
    if sheet.from_ is None or sheet.from_.list_ == wish.found.noted:
        base = former_sheet(wish.target, sheet)
        origin = wish.origin()
    else:
        wish.call.screen.tell(f"note: gribble catalogue refresh still looks at {sheet.from_.list_}")
    with changing(wish.target) as file:
        found = merged(text_of(file.data), _sheet_of(wish, draft), draft, base, origin)
        if found.differs or origin:
            check_sheet(wish.target, found.text)
            if origin:
                wish.keep(origin, file.beside)
            kept = file.write([found.text.encode()], keep=found.differs)
            if kept:
                wish.call.screen.say(f"The old sheet is kept as {kept.name}.")
    show_merged(wish.call.screen, wish.named, found)


def _sheet_of(wish: Wish, draft: DraftSheet) -> Sheet:
    """The sheet into which a list is brought. Raises GribbleError if it has mistakes, or is another's."""
    sheet, mistakes = load_sheet(wish.target)
    if sheet is None:
        raise MistakesError(mistakes)
    if sheet.emulator != draft.emulator:
        raise GribbleError(
            f"{wish.named} is the sheet of {sheet.emulator}, but the list seems to be for {draft.emulator}",
            fix=f"Nothing was written. If the list is for {sheet.emulator}, add --emulator {sheet.emulator}.",
        )
    return sheet


def _roster(wish: Wish, made: FieldMap) -> int:
    """Stream the list into a roster beside its place; it takes its name only when every record was understood, and
    what they are was agreed to."""
    screen, tally, bar, met = wish.call.screen, Tally(), wish.bar(), SetsMet()
    sets = met.counted(read_roster(wish.found.path, made, tally, bar.advance, preview=wish.only_shown))
    first = list(itertools.islice(sets, wish.options.preview or FIRST_SHOWN))
    if wish.only_shown or not wish.options.yes:
        show_preview_sets(screen, first)
    if wish.only_shown:
        with bar, _no_cycles():
            collections.deque(sets, maxlen=0)
        show_sets_met(screen, met.seen, first)
        return _shown(wish, tally)
    top, places, origin = made.roster, list[str | None](), wish.origin()
    head = RosterHead(
        roster=ROSTER_VERSION,
        emulator=top["emulator"],
        release=top["release"],
        title=str(top.get("title", "")),
        from_=origin,
    )

    def agreed() -> Iterator[ArcadeSet]:
        yield from itertools.chain(first, sets)
        refuse_faults(wish, tally)
        show_sets_met(screen, met.seen, [] if wish.options.yes else first)
        places.append(_place(wish, Sought((head.emulator,), None)))
        if not ask(wish.call, "Is this right?", wish.options.yes, wish.heard):
            raise _NotSo
        wish.keep(origin, _written)

    try:
        with bar, _no_cycles():
            kept = write_file(wish.target, write_roster(head, agreed()), replace_other=wish.options.replace)
    except _NotSo:
        return ExitCode.ATTENTION
    (place,) = places
    _told(wish, tally, "roster", head.emulator, head.release)
    screen.say(f"{wish.named}: {count(met.counts['set'], 'set')} of {head.emulator} {head.release}{kept_words(kept)}.")
    sheet = _add_sheet(wish, head.emulator)
    there = wish.entry is None or (
        head.emulator in wish.entry.rig.emulators and place is None and not wish.options.release
    )
    if (update := _tell_installed(wish, head)) and there:
        screen.next(update, "what that release would change")
    elif wish.entry:
        screen.say(
            "The sets in that folder are wanted. To want every set that you have: "
            f"gribble rigs enter {head.emulator} --wanted held"
        )
        begins = sheet.folders[sheet.arcade.folder] if sheet and sheet.arcade else ""
        _enter(wish, head.emulator, head.release, place, join(begins))
    else:
        screen.next(f"gribble catalogue lint {wish.named}", "looks for loops and gaps in the set families")
    return ExitCode.ATTENTION if tally.faulty else ExitCode.CLEAN


class _NotSo(Exception):
    """Somebody says that it is not right."""


def _tell_installed(wish: Wish, head: RosterHead) -> str:
    """Say on which rigs another release of a roster's emulator is installed, and how to change that; the command that
    tells what the update would change, empty if nothing is to be updated."""
    config = find_config(wish.call.environment)
    rigs = load_config(config, wish.call.environment.home, wish.call.environment.env).rig if config else {}
    command = ""
    for name, rig in rigs.items():
        now = rig.emulators[head.emulator].release if head.emulator in rig.emulators else None
        if now in (None, head.release) or (wish.entry and wish.entry.name == name and wish.options.release):
            continue
        words = f"gribble rigs enter {head.emulator} --rig {name} --release {head.release}"
        wish.call.screen.say(f"{head.emulator} {now} is installed on {name}. When you have updated it: {words}")
        command = command or f"gribble sets compare {now} {head.release} --rig {name} --emulator {head.emulator}"
    return command


@contextmanager
def _no_cycles() -> Iterator[None]:
    """Looking for cycles among millions of values that have none takes a tenth of the time."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def _add_sheet(wish: Wish, emulator: str) -> Sheet | None:
    """The sheet of a roster's emulator; if it has none, one is written beside it, so that its sets are asked for."""
    config = find_config(wish.call.environment)
    named = sheet_folders(load_config(config, wish.call.environment.home, wish.call.environment.env)) if config else []
    folders = {wish.target.parent, *named}
    sheets = load_catalogue(sorted(folder for folder in folders if os.path.isdir(folder))).sheets
    if emulator in sheets:
        return sheets[emulator]
    sheet = wish.target.with_name(f"{emulator}{SHEET_ENDING}")
    folder = "." if wish.entry or not wish.inside else wish.inside
    try:
        write_file(sheet, [write_arcade_sheet(emulator, wish.target.name, folder).encode()])
    except ThereError:
        return None
    wish.call.screen.say(f"{Path(wish.named).with_name(sheet.name)}: a sheet for this emulator.")
    return None


def _plays(wish: Wish, made: FieldMap) -> int:
    """Bring what runs and how well into a roster; the roster as it was is kept beside it."""
    screen, tally = wish.call.screen, Tally()
    said = list(read_plays(read_list(wish.found.path, made), made, tally))
    if wish.only_shown or not wish.options.yes:
        show_plays(screen, said[: wish.options.preview or FIRST_SHOWN], len(said))
    if wish.only_shown:
        return _shown(wish, tally)
    refuse_faults(wish, tally)
    if not ask(wish.call, "Is this right?", wish.options.yes, wish.heard):
        return ExitCode.ATTENTION
    with changing(wish.target) as file:
        roster, mistakes = load_roster(wish.target)
        if roster is None or mistakes:
            raise MistakesError(mistakes)
        found = with_plays(roster, said)
        if found.changed:
            kept = file.write(write_roster(roster.head, found.sets), keep=True)
            assert kept is not None, "the roster was there"
            screen.say(f"The old roster is kept as {kept.name}.")
    _told(wish, tally, "plays", roster.head.emulator, roster.head.release)
    screen.say(f"{wish.named}: {count(found.changed, 'set')} changed, {found.known:,} known already.")
    if found.unmatched:
        more = "" if len(found.unmatched) <= 8 else f" and {len(found.unmatched) - 8:,} more"
        screen.say(f"These match no set, or several: {', '.join(found.unmatched[:8])}{more}.")
    return ExitCode.ATTENTION if tally.faulty or found.unmatched else ExitCode.CLEAN


def _shown(wish: Wish, tally: Tally) -> int:
    _told(wish, tally)
    return ExitCode.USAGE if tally.faulty else ExitCode.CLEAN


def _told(wish: Wish, tally: Tally, to: str = "", emulator: str = "", release: str | None = None) -> None:
    """Say what the list had in it and, where something was written, what and where to."""
    if wish.call.facts is not None:
        wish.call.facts |= {
            "emulator": emulator or None,
            "release": release or None,
            "to": to or None,
            "written": str(wish.target) if to else None,
            "records": tally.records,
            "left_out": tally.faulty,
            "mistakes": tally.mistakes,
        }
    if wish.drafted:
        tally.left_over.clear()
    show_tally(wish.call.screen, tally)


def refuse_faults(wish: Wish, tally: Tally, found: object = True) -> None:
    """Refuse a list with mistakes, unless records with mistakes are to be left out, and one in which nothing was
    `found`. Raises GribbleError."""
    if tally.faulty and not wish.options.leave_out:
        told = [Mistake(wish.options.file, "", one) for one in tally.mistakes]
        told += _of_map(wish, (one.field for one in tally.kinds.values() if one.of_map))
        raise MistakesError(
            told, fix="Nothing was written. Correct them, or use --leave-out to write only the other records."
        )
    if not (tally.records and found):
        raise GribbleError(
            f"{wish.options.file} has no record that fits the map", fix="--preview 3 shows what Gribble understands."
        )


def _of_map(wish: Wish, fields: Iterable[str]) -> Iterator[Mistake]:
    """The lines of the map that are at fault."""
    for field in dict.fromkeys(fields):
        line = map_line(wish.call.environment.path(wish.options.map_), field) if wish.options.map_ else 0
        where = f"line {line}" if line else ""
        yield Mistake(wish.options.map_ or "the drafted map", where, f"{field}: the map is wrong here")
