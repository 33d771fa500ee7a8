"""Taking over a list whose map is known: shown, asked about, and written as a sheet, a roster, or what plays."""

from __future__ import annotations

import gc
import itertools
import os
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import NamedTuple

from gribble.cli.catalogue import check_sheet
from gribble.cli.command import Call
from gribble.cli.entering import Entry, change
from gribble.cli.finding import find_config
from gribble.cli.session import ask
from gribble.core.answers.capture import begins_at, merged
from gribble.core.answers.entering import Said, entered, named_emulator
from gribble.core.base.amounts import count
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError
from gribble.core.base.filewriter import Changing, ThereError, changing, check_target, write_file
from gribble.core.base.paths import join
from gribble.core.base.texts import text_of
from gribble.core.catalogue.config import load_config
from gribble.core.catalogue.importing.build import read_kinds, read_sets
from gribble.core.catalogue.importing.fieldmap import map_line
from gribble.core.catalogue.importing.lists import read_list
from gribble.core.catalogue.importing.needs import draft_of, preview_of, read_rows
from gribble.core.catalogue.importing.relatives import read_plays, with_plays
from gribble.core.catalogue.rosters import ROSTER_ENDING, ROSTER_VERSION, load_roster, write_roster
from gribble.core.catalogue.sheets import SHEET_ENDING, load_catalogue, load_sheet
from gribble.core.catalogue.writing import DraftSheet, write_arcade_sheet, write_sheet
from gribble.core.records.imported import FieldMap, Tally
from gribble.core.records.roster import ArcadeSet, FileState, RosterHead, SetKind
from gribble.core.records.sheet import Sheet
from gribble.core.survey.whereabouts import Sought
from gribble.views.catalogue import show_preview_sets, show_tally
from gribble.views.init import show_plays, show_some_needs
from gribble.views.looks import kept_words, shorten
from gribble.views.screen import Bar

FIRST_SHOWN = 3
"""So many records are shown before anything is written."""

ENDINGS = {"sheet": SHEET_ENDING, "roster": ROSTER_ENDING, "plays": ROSTER_ENDING}


class Otherwise(Exception):
    """Somebody says that a column is something else than was guessed, in an `answer`."""

    def __init__(self, answer: str) -> None:
        super().__init__(answer)
        self.answer = answer


class Wish(NamedTuple):
    """A list that is to be taken over, and where to: `out` is a new file, `into` one that is there. `preview` is how
    many records are only shown; `drafted` says that it was shown already what nothing is taken from; `entry` is a rig
    for which the emulator is entered, `inside` the folder where it looks there, and `release` the one that was said.
    `said` are the options by which columns are said to be something, and `can_say` that one may do so now."""

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
            raise GribbleError("what plays says nothing of a rig", fix="--into ROSTER brings it into a roster.")
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
            raise GribbleError("what plays is merged into a roster that is there", fix="--into ROSTER")
        if to == "roster" and self.into:
            raise GribbleError("a roster is written anew", fix=f"--out {Path(named).name}")
        if self.into and not os.path.isfile(self.target):
            raise GribbleError(f"{self.into} is no file", fix="--out FILE writes a new one.")
        if self.out and not self.preview:
            check_target(self.target, replace_other=self.replace)

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
        draft = draft_of(read_rows(read_list(wish.source, made, bar.advance), made, tally), made, tally)
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
    if not ask(wish.call, "Is that right?", wish.yes, wish.heard):
        return ExitCode.ATTENTION
    if wish.into:
        _merge(wish, draft)
    else:
        text = write_sheet(draft)
        check_sheet(wish.target, text)
        kept = write_file(wish.target, [text.encode()], replace_other=wish.replace)
        accepts = sum(len(need.accepts) for need in draft.needs)
        counts = f"{count(len(draft.needs), 'need')} of {draft.emulator} with {count(accepts, 'accept')}"
        screen.say(f"{wish.out}: {counts}{kept_words(kept)}.")
    _told(wish, tally)
    if wish.entry:
        _enter(wish, draft.emulator, draft.release, place, begins)
    else:
        screen.next(f"gribble catalogue lint {wish.out or wish.into}", "lists what is still to be filled in")
    return ExitCode.ATTENTION if tally.faulty else ExitCode.CLEAN


def _place(wish: Wish, sought: Sought) -> str | None:
    """Where the emulator looks on the rig for which it is to be entered; None where that stays as it is."""
    entry, emulator = wish.entry, sought.names[0]
    if entry is None or (emulator in entry.rig.emulators and wish.inside is None):
        return None
    place = entry.folder(sought._replace(others=entry.others(emulator)), wish.inside, yes=wish.yes)
    if emulator not in entry.rig.emulators and not wish.yes:
        wish.call.screen.say(f"{emulator} will be entered for {entry.name} in gribble.toml.")
    return place


def _enter(wish: Wish, emulator: str, release: str, place: str | None, begins: str) -> None:
    """Enter an emulator for a rig, or change what is said of it: its sheet's folder in which the list begins lies at
    `place` there. Raises GribbleError where gribble.toml does not allow it."""
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
    screen.next(f"gribble check {emulator} --rig {entry.name}", "which of it is right, and what puts the rest right")


def _merge(wish: Wish, draft: DraftSheet) -> None:
    """Add to a sheet what a list says and it did not know; the sheet as it was is kept beside it."""
    with changing(wish.target) as file:
        _merge_into(wish, draft, file)


def _merge_into(wish: Wish, draft: DraftSheet, file: Changing) -> None:
    screen, target = wish.call.screen, wish.target
    sheet, mistakes = load_sheet(target)
    if sheet is None:
        raise MistakesError(mistakes)
    if sheet.emulator != draft.emulator:
        raise GribbleError(
            f"{wish.into} is the sheet of {sheet.emulator}, and the list is taken for {draft.emulator}'s",
            fix=f"Nothing was written. --emulator {sheet.emulator} says that it is the same.",
        )
    found = merged(text_of(file.data), sheet, draft)
    if found.needs or found.accepts:
        check_sheet(target, found.text)
        kept = file.write([found.text.encode()], keep=True)
        assert kept is not None, "the sheet was there"
        screen.say(f"The sheet as it was is kept as {kept.name}.")
    screen.say(
        f"{wish.into}: {count(found.needs, 'new need')} and {count(found.accepts, 'new accept')}; "
        f"{found.known} known already."
    )


_KINDS = ("clone", "BIOS set", "device", "undumped file", "poor dump", "disc", "list of sound samples")
_SEVERAL = {"list of sound samples": "lists of sound samples"}
MANY_SETS = 50
"""Of so many sets of an export some are clones."""


def _kinds_of(one: ArcadeSet) -> Iterator[str]:
    """What a set is counted among."""
    yield "set"
    if one.parent is not None:
        yield "clone"
    if one.kind is not SetKind.GAME:
        yield "BIOS set" if one.kind is SetKind.BIOS else "device"
    if one.samples:
        yield "list of sound samples"
    yield from ("disc" for _ in one.discs)
    for file in one.files:
        if file.state is not FileState.GOOD:
            yield "undumped file" if file.state is FileState.UNDUMPED else "poor dump"


def _roster(wish: Wish, made: FieldMap) -> int:
    """Stream the list into a roster beside its place; it takes its name only when every record was understood."""
    screen, tally, bar = wish.call.screen, Tally(), wish.bar()
    kinds = read_kinds(read_list(wish.source, made), made) if made.asks_kinds else None
    nodes = read_list(wish.source, made, bar.advance)
    sets = read_sets(nodes, made, tally, preview=wish.only_shown, kinds=kinds)
    first = list(itertools.islice(sets, wish.preview or FIRST_SHOWN))
    if wish.only_shown or not wish.yes:
        show_preview_sets(screen, first)
    if wish.only_shown:
        return _shown(wish, tally)
    top = made.roster
    place = _place(wish, Sought((top["emulator"],), None))
    if not ask(wish.call, "Is that right?", wish.yes, wish.heard):
        return ExitCode.ATTENTION
    head = RosterHead(
        roster=ROSTER_VERSION, emulator=top["emulator"], release=top["release"], title=str(top.get("title", ""))
    )
    met: Counter[str] = Counter()

    def counted() -> Iterator[ArcadeSet]:
        for one in itertools.chain(first, sets):
            met.update(_kinds_of(one))
            yield one
        refuse_faults(wish, tally)

    with bar, _no_cycles():
        kept = write_file(wish.target, write_roster(head, counted()), replace_other=wish.replace)
    _told(wish, tally)
    told = ", ".join(count(met[what], what, _SEVERAL.get(what, "")) for what in _KINDS if met[what])
    screen.say(f"{wish.out}: {count(met['set'], 'set')} of {head.emulator} {head.release}{kept_words(kept)}.")
    screen.say(f"Among them: {told}." if told else "None is a clone, a BIOS set or a device.")
    if met["set"] >= MANY_SETS and not met["clone"]:
        screen.tell(
            f"note: of {met['set']:,} sets none has a parent: is there a column that says it, and is not taken?"
        )
    sheet = _add_sheet(wish, head.emulator)
    there = wish.entry is None or (head.emulator in wish.entry.rig.emulators and place is None and not wish.release)
    if (update := _tell_installed(wish, head)) and there:
        screen.next(update, "what that release would change")
    elif wish.entry:
        screen.say("Wanted are the sets that lie there; --wanted held of gribble rigs enter takes all that you hold.")
        begins = sheet.folders[sheet.arcade.folder] if sheet and sheet.arcade else ""
        _enter(wish, head.emulator, head.release, place, join(begins))
    else:
        screen.next(f"gribble catalogue lint {wish.out}", "looks for loops and gaps in the families")
    return ExitCode.ATTENTION if tally.faulty else ExitCode.CLEAN


def _tell_installed(wish: Wish, head: RosterHead) -> str:
    """Say on which rigs another release of a roster's emulator is installed, and how to change that; the command that
    tells what the update would change, empty where nothing is to be updated."""
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
    named = load_config(config, wish.call.environment.home, wish.call.environment.env).catalogues if config else ()
    folders = {wish.target.parent, *map(Path, named)}
    sheets = load_catalogue(sorted(folder for folder in folders if os.path.isdir(folder))).sheets
    if emulator in sheets:
        return sheets[emulator]
    sheet = wish.target.with_name(f"{emulator}{SHEET_ENDING}")
    folder = "." if wish.entry or not wish.inside else wish.inside
    try:
        write_file(sheet, [write_arcade_sheet(emulator, wish.target.name, folder).encode()])
    except ThereError:
        return None
    wish.call.screen.say(f"{Path(wish.out or '').with_name(sheet.name)}: a sheet for it.")
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
    if not ask(wish.call, "Is that right?", wish.yes, wish.heard):
        return ExitCode.ATTENTION
    with changing(wish.target) as file:
        roster, mistakes = load_roster(wish.target)
        if roster is None or mistakes:
            raise MistakesError(mistakes)
        found = with_plays(roster, said)
        if found.changed:
            kept = file.write(write_roster(roster.head, found.sets), keep=True)
            assert kept is not None, "the roster was there"
            screen.say(f"The roster as it was is kept as {kept.name}.")
    _told(wish, tally)
    screen.say(f"{wish.into}: {count(found.changed, 'set')} changed, {found.known:,} known already.")
    if found.unmatched:
        more = "" if len(found.unmatched) <= 8 else f" and {len(found.unmatched) - 8:,} more"
        screen.say(f"Matched no set, or several: {', '.join(found.unmatched[:8])}{more}.")
    return ExitCode.ATTENTION if tally.faulty or found.unmatched else ExitCode.CLEAN


def _shown(wish: Wish, tally: Tally) -> int:
    _told(wish, tally)
    return ExitCode.USAGE if tally.faulty else ExitCode.CLEAN


def _told(wish: Wish, tally: Tally) -> None:
    if wish.drafted:
        tally.left_over.clear()
    show_tally(wish.call.screen, tally)


def refuse_faults(wish: Wish, tally: Tally) -> None:
    """Refuse a list with mistakes, unless records with mistakes are to be left out. Raises GribbleError."""
    if tally.faulty and not wish.leave_out:
        told = [Mistake(wish.shown, "", one) for one in tally.mistakes]
        told += _of_map(wish, (one.field for one in tally.kinds.values() if one.of_map))
        raise MistakesError(told, fix="Nothing was written. Correct them, or let --leave-out write the other records.")
    if not tally.records:
        raise GribbleError(
            f"{wish.shown} has no record that the map matches", fix="--preview 3 shows what is understood."
        )


def _of_map(wish: Wish, fields: Iterable[str]) -> Iterator[Mistake]:
    """The lines of the map that are at fault."""
    for field in dict.fromkeys(fields):
        line = map_line(wish.call.environment.path(wish.map_), field) if wish.map_ else 0
        where = f"line {line}" if line else ""
        yield Mistake(wish.map_ or "the drafted map", where, f"{field}: it is the map that is at fault")
