"""Taking over a list whose map is known: shown, asked about, and written as a sheet, a roster, or what plays."""

from __future__ import annotations

import collections
import gc
import itertools
import os
import re
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

from gribble.cli.catalogue import check_sheet
from gribble.cli.command import Call
from gribble.cli.entering import Entry, change
from gribble.cli.finding import find_config
from gribble.cli.session import ask
from gribble.core.answers.entering import Said, entered, named_emulator
from gribble.core.answers.merging import begins_at, merged
from gribble.core.answers.refreshing import former_sheet
from gribble.core.base.amounts import count
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError
from gribble.core.base.filewriter import ThereError, changing, check_target, write_file
from gribble.core.base.paths import join
from gribble.core.base.texts import text_of
from gribble.core.catalogue.config import load_config, sheet_folders
from gribble.core.catalogue.importing.fieldmap import map_line
from gribble.core.catalogue.importing.lists import read_list
from gribble.core.catalogue.importing.needs import preview_of
from gribble.core.catalogue.importing.reading import SetsMet, read_roster, read_sheet
from gribble.core.catalogue.importing.relatives import read_plays, with_plays
from gribble.core.catalogue.origins import MAP_ENDING, beside, digest_of, kept_of
from gribble.core.catalogue.rosters import ROSTER_ENDING, ROSTER_VERSION, load_roster, write_roster
from gribble.core.catalogue.sheets import SHEET_ENDING, load_catalogue, load_sheet
from gribble.core.catalogue.writing import DraftSheet, write_arcade_sheet, write_sheet
from gribble.core.records.imported import FieldMap, Tally
from gribble.core.records.roster import ArcadeSet, RosterHead
from gribble.core.records.sheet import Origin, Sheet
from gribble.core.survey.whereabouts import Sought
from gribble.views.catalogue import show_merged, show_preview_sets, show_sets_met, show_tally
from gribble.views.init import show_plays, show_some_needs
from gribble.views.looks import kept_words, shorten
from gribble.views.screen import Bar

FIRST_SHOWN = 3
"""So many records are shown before anything is written."""

ENDINGS = {"sheet": SHEET_ENDING, "roster": ROSTER_ENDING, "plays": ROSTER_ENDING}


NOT_IMPORTED: dict[str, Any] = {
    "emulator": None, "release": None, "to": None, "written": None, "records": 0, "left_out": 0, "mistakes": [],
}  # fmt: skip
"""`import/1` where nothing was taken over."""


class Otherwise(Exception):
    """Somebody says that a column is something else than was guessed, in an `answer`."""

    def __init__(self, answer: str) -> None:
        super().__init__(answer)
        self.answer = answer


class Wish(NamedTuple):
    """A list that is to be taken over, and where to: `out` is a new file, `into` one that is there. `preview` is how
    many records are only shown; `drafted` says that it was shown already what nothing is taken from; `entry` is a rig
    for which the emulator is entered, `inside` the folder where it looks there, and `release` the one that was said.
    `said` are the options by which columns are said to be something, and `can_say` that one may do so now. `listed` is
    the list's address or file as a sheet notes it, `etag` what its server calls its state, and `map_text` the map by
    which it is read."""

    call: Call
    source: Path
    shown: str
    out: str | None
    into: str | None
    preview: int
    leave_out: bool
    yes: bool
    inside: str | None = None
    map_: str = ""
    drafted: bool = False
    entry: Entry | None = None
    release: str | None = None
    replace: bool = False
    said: tuple[str, ...] = ()
    can_say: bool = False
    listed: str = ""
    etag: str = ""
    map_text: str = ""

    @property
    def asks(self) -> bool:
        """Whether somebody can be asked what a column is."""
        return self.can_say and not (self.yes or self.only_shown) and self.call.environment.is_terminal

    def heard(self, answer: str) -> None:
        """Raise Otherwise where an answer says that a column is something else."""
        if self.asks and re.match(r"(?:to|--to)\s+\w+$|[^=]+=\s*\w+$", answer):
            raise Otherwise(answer)

    @property
    def only_shown(self) -> bool:
        """Whether nothing is to be written."""
        return bool(self.preview) or (self.out is None and self.into is None)

    def aimed(self, to: str, made: FieldMap) -> Wish:
        """The same for a map, which says the emulator and the release."""
        top = {} if to == "plays" else getattr(made, to)
        return self.aimed_at(to, top.get("emulator", ""), top.get("release", ""))

    def aimed_at(self, to: str, emulator: str, release: str = "") -> Wish:
        """With the file to write: in the catalogue of the rig's configuration, if nothing else was said. Raises
        GribbleError."""
        if self.entry is None or self.out or self.into or self.preview:
            return self
        if to == "plays":
            raise GribbleError("--to plays does not go together with --rig", fix="Name the roster: --into ROSTER.")
        name = f"{emulator}-{release}" if to == "roster" else emulator
        path = self.entry.catalogue / f"{name}{ENDINGS[to]}"
        if os.path.lexists(path) and to == "sheet":
            return self._replace(into=shorten(str(path)))
        return self._replace(out=shorten(str(path)))

    def bar(self) -> Bar:
        """A progress bar for reading the list."""
        return self.call.screen.bar("Reading", self.source.stat().st_size)

    def check_target(self, to: str) -> None:
        """Raise GribbleError where the file to be written is of the wrong kind, or not there."""
        named = self.out or self.into
        if named is None:
            return
        if not named.endswith(ENDINGS[to]):
            what = "roster" if to == "plays" else to
            option = "--out" if self.out else "--into"
            raise GribbleError(
                f"{named}: a {what}'s name ends in {ENDINGS[to]}",
                fix=f"Name it so: {option} {Path(named).stem}{ENDINGS[to]}",
            )
        if to == "plays" and self.out:
            raise GribbleError(
                "--to plays changes a roster that is there, so it does not take --out",
                fix="Name the roster: --into ROSTER.",
            )
        if to == "roster" and self.into:
            raise GribbleError("a roster is always written as a new file", fix=f"--out {Path(named).name}")
        if self.into and not os.path.isfile(self.target):
            raise GribbleError(f"there is no file called {self.into}", fix="--out FILE writes a new one.")
        if self.out and not self.preview:
            check_target(self.target, replace_other=self.replace)

    def origin(self) -> Origin:
        """Where the list is, for the sheet or the roster to be written."""
        day, map_ = self.call.environment.clock().date().isoformat(), beside(self.target, MAP_ENDING).name
        return Origin(list_=self.listed, date=day, sha256=digest_of(self.source), map=map_, etag=self.etag)

    def keep(self, origin: Origin, write: Callable[[Path, Iterable[bytes]], object]) -> None:
        """Write what is kept of the list beside the sheet or the roster."""
        for place, blocks in kept_of(self.target, self.source, origin.sha256, self.map_text):
            write(place, blocks)

    @property
    def target(self) -> Path:
        """The file to be written, or merged into."""
        return self.call.environment.path(self.out or self.into or "")


def take_over(wish: Wish, made: FieldMap, to: str) -> int:
    """Take over a list; the exit status. Raises GribbleError."""
    return {"sheet": _sheet, "roster": _roster, "plays": _plays}[to](wish, made)


def _sheet(wish: Wish, made: FieldMap) -> int:
    tally = Tally()
    with wish.bar() as bar:
        draft = read_sheet(wish.source, made, tally, bar.advance)
    return finish_sheet(wish, draft, tally)


def finish_sheet(wish: Wish, draft: DraftSheet, tally: Tally) -> int:
    """Show the needs of a list, ask, and write the sheet or what is new in it; the exit status. Raises GribbleError."""
    screen = wish.call.screen
    there = load_sheet(wish.target)[0] if wish.into else None
    begins = begins_at(there, draft) if there else ""
    if wish.only_shown or not wish.yes:
        show_some_needs(screen, preview_of(draft.needs, wish.preview or FIRST_SHOWN))
    if wish.only_shown:
        return _shown(wish, tally)
    refuse_faults(wish, tally)
    wanted = tuple(join(need.folder, need.name) for need in draft.needs)
    place = _place(wish, Sought((draft.emulator, draft.title), wanted))
    if not ask(wish.call, "Is this right?", wish.yes, wish.heard):
        return ExitCode.ATTENTION
    if wish.into:
        _merge(wish, draft)
    else:
        check_sheet(wish.target, write_sheet(draft))
        draft.origin = wish.origin()
        wish.keep(draft.origin, _written)
        text = write_sheet(draft)
        kept = write_file(wish.target, [text.encode()], replace_other=wish.replace)
        accepts = sum(len(need.accepts) for need in draft.needs)
        counts = f"{count(len(draft.needs), 'need')} of {draft.emulator} with {count(accepts, 'accept')}"
        screen.say(f"{wish.out}: {counts}{kept_words(kept)}.")
    _told(wish, tally, "sheet", draft.emulator, draft.release)
    if wish.entry:
        _enter(wish, draft.emulator, draft.release, place, begins)
    else:
        screen.next(f"gribble catalogue lint {wish.out or wish.into}", "lists what is still to be filled in")
    return ExitCode.ATTENTION if tally.faulty else ExitCode.CLEAN


def _place(wish: Wish, sought: Sought) -> str | None:
    """Where the emulator looks on the rig for which it is to be entered; None if that stays as it is."""
    entry, emulator = wish.entry, sought.names[0]
    if entry is None or (emulator in entry.rig.emulators and wish.inside is None):
        return None
    place = entry.folder(sought._replace(others=entry.others(emulator)), wish.inside, yes=wish.yes)
    if emulator not in entry.rig.emulators and not wish.yes:
        wish.call.screen.say(f"Gribble will enter {emulator} for {entry.name} in gribble.toml.")
    return place


def _enter(wish: Wish, emulator: str, release: str, place: str | None, begins: str) -> None:
    """Enter an emulator for a rig, or change what is said of it: its sheet's folder in which the list begins is at
    `place` there. Raises GribbleError if gribble.toml does not allow it."""
    entry, screen = wish.entry, wish.call.screen
    assert entry is not None
    there = emulator in entry.rig.emulators
    said = Said(folder=place, release=wish.release if there else release or None)
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
    if sheet.from_ is None or sheet.from_.list_ == wish.listed:
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
    show_merged(wish.call.screen, wish.into or "", found)


def _sheet_of(wish: Wish, draft: DraftSheet) -> Sheet:
    """The sheet into which a list is brought. Raises GribbleError if it has mistakes, or is another's."""
    sheet, mistakes = load_sheet(wish.target)
    if sheet is None:
        raise MistakesError(mistakes)
    if sheet.emulator != draft.emulator:
        raise GribbleError(
            f"{wish.into} is the sheet of {sheet.emulator}, but the list seems to be for {draft.emulator}",
            fix=f"Nothing was written. If the list is for {sheet.emulator}, add --emulator {sheet.emulator}.",
        )
    return sheet


def _roster(wish: Wish, made: FieldMap) -> int:
    """Stream the list into a roster beside its place; it takes its name only when every record was understood, and
    what they are was agreed to."""
    screen, tally, bar, met = wish.call.screen, Tally(), wish.bar(), SetsMet()
    sets = met.counted(read_roster(wish.source, made, tally, bar.advance, preview=wish.only_shown))
    first = list(itertools.islice(sets, wish.preview or FIRST_SHOWN))
    if wish.only_shown or not wish.yes:
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
        show_sets_met(screen, met.seen, [] if wish.yes else first)
        places.append(_place(wish, Sought((head.emulator,), None)))
        if not ask(wish.call, "Is this right?", wish.yes, wish.heard):
            raise _NotSo
        wish.keep(origin, _written)

    try:
        with bar, _no_cycles():
            kept = write_file(wish.target, write_roster(head, agreed()), replace_other=wish.replace)
    except _NotSo:
        return ExitCode.ATTENTION
    (place,) = places
    _told(wish, tally, "roster", head.emulator, head.release)
    screen.say(f"{wish.out}: {count(met.counts['set'], 'set')} of {head.emulator} {head.release}{kept_words(kept)}.")
    sheet = _add_sheet(wish, head.emulator)
    there = wish.entry is None or (head.emulator in wish.entry.rig.emulators and place is None and not wish.release)
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
        screen.next(f"gribble catalogue lint {wish.out}", "looks for loops and gaps in the set families")
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
        if now in (None, head.release) or (wish.entry and wish.entry.name == name and wish.release):
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
    wish.call.screen.say(f"{Path(wish.out or '').with_name(sheet.name)}: a sheet for this emulator.")
    return None


def _plays(wish: Wish, made: FieldMap) -> int:
    """Bring what runs and how well into a roster; the roster as it was is kept beside it."""
    screen, tally = wish.call.screen, Tally()
    said = list(read_plays(read_list(wish.source, made), made, tally))
    if wish.only_shown or not wish.yes:
        show_plays(screen, said[: wish.preview or FIRST_SHOWN], len(said))
    if wish.only_shown:
        return _shown(wish, tally)
    refuse_faults(wish, tally)
    if not ask(wish.call, "Is this right?", wish.yes, wish.heard):
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
    screen.say(f"{wish.into}: {count(found.changed, 'set')} changed, {found.known:,} known already.")
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


def refuse_faults(wish: Wish, tally: Tally) -> None:
    """Refuse a list with mistakes, unless records with mistakes are to be left out. Raises GribbleError."""
    if tally.faulty and not wish.leave_out:
        told = [Mistake(wish.shown, "", one) for one in tally.mistakes]
        told += _of_map(wish, (one.field for one in tally.kinds.values() if one.of_map))
        raise MistakesError(
            told, fix="Nothing was written. Correct them, or use --leave-out to write only the other records."
        )
    if not tally.records:
        raise GribbleError(
            f"{wish.shown} has no record that fits the map", fix="--preview 3 shows what Gribble understands."
        )


def _of_map(wish: Wish, fields: Iterable[str]) -> Iterator[Mistake]:
    """The lines of the map that are at fault."""
    for field in dict.fromkeys(fields):
        line = map_line(wish.call.environment.path(wish.map_), field) if wish.map_ else 0
        where = f"line {line}" if line else ""
        yield Mistake(wish.map_ or "the drafted map", where, f"{field}: the map is wrong here")
