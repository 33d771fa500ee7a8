"""`gribble catalogue import`: a list of any shape becomes a sheet or a roster, by a map or a drafted one."""

from __future__ import annotations

import itertools
import shlex
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, NamedTuple, Optional

import typer

from gribble.cli.asking import ask
from gribble.cli.command import Call, command
from gribble.cli.loaded import refuse_any_source
from gribble.cli.options import YesOption
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError, reason_of
from gribble.core.base.paths import name_fault, path_fault
from gribble.core.catalogue.checksums import read_checksums
from gribble.core.catalogue.importing.build import (
    draft_of,
    draft_of_checksums,
    read_kinds,
    read_rows,
    read_sets,
    understood,
)
from gribble.core.catalogue.importing.drafting import Asked, draft_map
from gribble.core.catalogue.importing.fieldmap import load_map, map_line
from gribble.core.catalogue.importing.lists import read_list
from gribble.core.catalogue.importing.mapwriting import write_map
from gribble.core.catalogue.importing.naming import emulator_of
from gribble.core.catalogue.importing.sniffing import looks_like
from gribble.core.catalogue.rosters import ROSTER_ENDING, ROSTER_VERSION, write_roster
from gribble.core.catalogue.sheets import SHEET_ENDING
from gribble.core.catalogue.writing import DraftSheet, write_sheet
from gribble.core.records.fieldmap import FieldMap, ListFormat
from gribble.core.records.imported import Drafted, Guess, Tally
from gribble.core.records.roster import ArcadeSet, RosterHead
from gribble.stores.local import write_new, write_new_stream
from gribble.views.catalogue import show_preview_sets, show_tally
from gribble.views.importing import show_drafted, show_first_needs
from gribble.views.looks import count
from gribble.views.progress import Bar
from gribble.views.screen import styled

FIRST_SHOWN = 3
"""So many records are shown before anything is written."""

ENDINGS = {"sheet": SHEET_ENDING, "roster": ROSTER_ENDING}


@command("catalogue import")
def import_(
    call: Call,
    file: Annotated[str, typer.Argument(metavar="LIST", help="A table, a page, a workbook, an export, checksums.")],
    to: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option(
            "--to", metavar="sheet|roster", help="What it becomes (default: as it looks).", show_default=False
        ),
    ] = None,
    map_: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--map", metavar="MAP", help="A field map (default: drafted).", show_default=False),
    ] = None,
    draft: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--draft", metavar="MAP", help="Write the drafted map, to be corrected.", show_default=False),
    ] = None,
    out: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--out", metavar="FILE", help="The file to write; must not be there yet.", show_default=False),
    ] = None,
    preview: Annotated[
        int, typer.Option("--preview", metavar="N", help="Only show the first N records as understood.")
    ] = 0,
    emulator: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--emulator", metavar="NAME", help="Whose list it is.", show_default=False),
    ] = None,
    release: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--release", metavar="R", help="Of which release.", show_default=False),
    ] = None,
    folder: Annotated[str, typer.Option("--folder", metavar="PATH", help="Where the files belong on a rig.")] = "",
    table: Annotated[
        Optional[int],  # noqa: UP045
        typer.Option("--table", metavar="N", help="Which table of the list, from 1.", show_default=False),
    ] = None,
    leave_out: Annotated[
        bool, typer.Option("--leave-out", help="Write what is sound, and leave out records with mistakes.")
    ] = False,
    yes: YesOption = False,
) -> int:
    """Take over a list that some other program or person made.

    Without a map it drafts one, shows what it understood, and asks before it writes. What is doubtful is asked about
    at a terminal, and left out elsewhere.

    Example: gribble catalogue import plover.html --out mine/plover.sheet.toml
    """
    source = call.environment.path(file)
    if to is not None and to not in ENDINGS:
        raise GribbleError(f"--to {to} is not known", fix="It takes one word: --to sheet, or --to roster")
    if not source.is_file():
        raise GribbleError(f"{file} is no file", fix="Check the path.")
    if folder and (fault := path_fault(folder)):
        raise GribbleError(f'--folder "{folder}" {fault}', fix="Give a path on the rig, such as system/bios.")
    for option, value in (("--emulator", emulator), ("--release", release)):
        if value and (fault := name_fault(value)):
            raise GribbleError(f'{option} "{value}" {fault}', fix="Give a plain word.")
    for option, path in (("--out FILE", out), ("--draft MAP", draft)):
        if path is not None:
            refuse_any_source(call, Path(path), option)
    wish = _Wish(call, source, file, out, preview, leave_out, yes)
    if map_ is not None:  # the user has said it all
        return _by_map(wish._replace(yes=True, map_=map_), call.environment.path(map_), map_, to)
    try:
        if looks_like(source).format is ListFormat.CHECKSUMS and to != "roster":
            return _import_checksums(wish, emulator, folder)
        asked = Asked(to or "", emulator or "", release or "", folder, table)
        drafted = draft_map(source, asked)
    except GribbleError as error:
        raise GribbleError(error.what.replace(str(source), file), fix=error.fix) from error
    except (OSError, UnicodeDecodeError) as error:
        why = reason_of(error) if isinstance(error, OSError) else str(error)
        raise GribbleError(
            f"{file} cannot be read: {why}", fix="Check the path, or say the encoding in a map."
        ) from error
    return _by_draft(wish, drafted, draft)


class _Wish(NamedTuple):
    """A list that is to be taken over, and where to; `preview` is how many records are only shown."""

    call: Call
    source: Path
    shown: str
    out: str | None
    preview: int
    leave_out: bool
    yes: bool
    map_: str = ""
    drafted: bool = False
    """Whether it was shown already what nothing is taken from."""

    def bar(self) -> Bar:
        """A progress bar for reading the list."""
        bar = Bar(self.call.screen.err, "Reading")
        bar.expect(self.source.stat().st_size)
        return bar

    def target(self, to: str) -> Path:
        """The file to write. Raises GribbleError."""
        assert self.out is not None
        if not self.out.endswith(ENDINGS[to]):
            raise GribbleError(
                f"{self.out}: a {to}'s name ends in {ENDINGS[to]}",
                fix=f"Name it so: --out {Path(self.out).stem}{ENDINGS[to]}",
            )
        return self.call.environment.path(self.out)


def _by_map(wish: _Wish, path: Path, shown: str, to: str | None) -> int:
    """Take a list over by a map that the user gives."""
    made = load_map(path, to)
    to = to or made.target
    if wish.out is None and not wish.preview:
        raise GribbleError("say where it goes", fix="--out FILE writes it; --preview 3 only shows the first records.")
    if wish.out is not None:
        wish.target(to)
    code = _taken_over(wish, made, to)
    if wish.preview and code == ExitCode.CLEAN:
        _say_next(wish, made, to, ["--map", shown])
    return code


def _by_draft(wish: _Wish, drafted: Drafted, draft: str | None) -> int:
    """Show what was understood of a list, ask about what is doubtful, and take the list over."""
    screen = wish.call.screen
    if wish.out is not None:
        wish.target(drafted.to)
    show_drafted(screen, drafted, wish.shown)
    left_out = bool(drafted.notes)
    if draft is not None:
        write_new(wish.call.environment.path(draft), write_map(drafted, wish.shown).encode())
        screen.out.print()
        screen.say(f"{draft}: the map, to be corrected.")
    refused: list[Guess] = []
    for one in drafted.doubtful:
        if not wish.yes and wish.call.environment.is_terminal and wish.out is not None:
            screen.say(styled(f"Is {one.column} the {one.field}? [y/N] ", "bold"))
            if wish.call.environment.answer().strip().lower() in ("y", "yes"):
                continue
        refused.append(one)
    if needed := [one for one in refused if one.field in ("name", "set")]:
        raise GribbleError(
            f"which column is the {needed[0].field} is doubtful: {needed[0].column}? ({needed[0].reason})",
            fix="--draft MAP writes a map in which you can say it; then --map MAP takes it.",
        )
    if refused:
        left_out = True
        names = ", ".join(f"{one.field} from {one.column}" for one in refused)
        screen.out.print()
        screen.say(f"Left out, since doubtful: {names}. --draft MAP writes a map in which you can say it.")
    made = drafted.without(refused).made
    wish = wish._replace(drafted=True)
    screen.out.print()
    code = _taken_over(wish, made, drafted.to)
    if code == ExitCode.CLEAN and wish.out is None:
        more = ["--map", draft] if draft else []
        _say_next(wish, made, drafted.to, more)
    return ExitCode.ATTENTION if code == ExitCode.CLEAN and left_out else code


def _say_next(wish: _Wish, made: FieldMap, to: str, more: list[str]) -> None:
    top = getattr(made, to)
    name = f"{top['emulator']}-{top['release']}" if to == "roster" else top["emulator"]
    words = [wish.shown, *more, *(["--to", to] if more else []), "--out", f"{name}{ENDINGS[to]}"]
    wish.call.screen.next(f"gribble catalogue import {shlex.join(map(str, words))}", "writes all of it")


def _taken_over(wish: _Wish, made: FieldMap, to: str) -> int:
    return _import_roster(wish, made) if to == "roster" else _import_sheet(wish, made)


def _import_roster(wish: _Wish, made: FieldMap) -> int:
    """Stream the list into a roster beside its place; it takes its name only when every record was understood."""
    screen, tally, bar = wish.call.screen, Tally(), wish.bar()
    most = wish.preview or FIRST_SHOWN
    kinds = read_kinds(read_list(wish.source, made), made) if made.asks_kinds else None
    nodes = read_list(wish.source, made, bar.advance)
    sets = read_sets(nodes, made, tally, preview=wish.out is None, kinds=kinds)
    first = list(itertools.islice(sets, most))
    if wish.preview or wish.out is None or not wish.yes:
        show_preview_sets(screen, first)
    if wish.drafted:
        tally.left_over.clear()
    if wish.preview or wish.out is None:
        show_tally(screen, tally)
        return ExitCode.USAGE if tally.faulty else ExitCode.CLEAN
    if not ask(wish.call, "Is that right?", wish.yes):
        return ExitCode.ATTENTION
    head = RosterHead(roster=ROSTER_VERSION, **{key: made.roster[key] for key in ("emulator", "release")},
                      title=str(made.roster.get("title", "")))  # fmt: skip
    written = 0

    def counted() -> Iterator[ArcadeSet]:
        nonlocal written
        for one in itertools.chain(first, sets):
            written += 1
            yield one
        _refuse_faults(wish, tally)

    with bar:
        write_new_stream(wish.target("roster"), write_roster(head, counted()))
    show_tally(screen, tally)
    screen.say(f"{wish.out}: {written:,} sets of {head.emulator} {head.release}.")
    screen.next(f"gribble catalogue lint {wish.out}", "looks for loops and gaps in the families")
    return ExitCode.ATTENTION if tally.faulty else ExitCode.CLEAN


def _refuse_faults(wish: _Wish, tally: Tally) -> None:
    """Refuse a list with mistakes, unless records with mistakes are to be left out. Raises GribbleError."""
    if tally.faulty and not wish.leave_out:
        told = [Mistake(wish.shown, "", one) for one in tally.mistakes]
        of_map = [one for one in tally.kinds.values() if one.of_map]
        for field in dict.fromkeys(one.field for one in of_map):
            line = map_line(wish.call.environment.path(wish.map_), field) if wish.map_ else 0
            where = f"line {line}" if line else ""
            told.append(Mistake(wish.map_ or "the drafted map", where, f"{field}: it is the map that is at fault"))
        raise MistakesError(told, fix="Nothing was written. Correct them, or let --leave-out write the other records.")
    if not tally.records:
        raise GribbleError(
            f"{wish.shown} has no record that the map matches", fix="--preview 3 shows what is understood."
        )


def _import_sheet(wish: _Wish, made: FieldMap) -> int:
    tally = Tally()
    with wish.bar() as bar:
        rows = list(read_rows(read_list(wish.source, made, bar.advance), made, tally))
    return _finish_sheet(wish, draft_of(rows, made, tally), tally)


def _import_checksums(wish: _Wish, emulator: str | None, folder: str) -> int:
    files, faults = read_checksums(wish.source)
    if faults:
        raise MistakesError([Mistake(wish.shown, "", fault) for fault in faults])
    named = emulator or next((one.name for one in [emulator_of({}, "", wish.source)] if one), None)
    if named is None:
        raise GribbleError(f"whose list {wish.shown} is cannot be told", fix="Say so: --emulator NAME")
    if not emulator:
        wish.call.screen.say(f"A sheet of {named}, from the file's name; --emulator NAME says another.")
    wish = wish._replace(yes=wish.yes or emulator is not None)
    return _finish_sheet(wish, draft_of_checksums(files, named, folder), Tally(records=len(files)))


def _finish_sheet(wish: _Wish, draft: DraftSheet, tally: Tally) -> int:
    screen = wish.call.screen
    if wish.out is None or not wish.yes:
        first = [understood(one) for one in draft.needs[: wish.preview or FIRST_SHOWN]]
        show_first_needs(screen, first, len(draft.needs))
    if wish.drafted:
        tally.left_over.clear()
    if wish.preview or wish.out is None:
        show_tally(screen, tally)
        return ExitCode.USAGE if tally.faulty else ExitCode.CLEAN
    _refuse_faults(wish, tally)
    if not ask(wish.call, "Is that right?", wish.yes):
        return ExitCode.ATTENTION
    write_new(wish.target("sheet"), write_sheet(draft).encode())
    show_tally(screen, tally)
    accepts = sum(len(need.accepts) for need in draft.needs)
    screen.say(f"{wish.out}: {count(len(draft.needs), 'need')} of {draft.emulator} with {count(accepts, 'accept')}.")
    screen.next(f"gribble catalogue lint {wish.out}", "lists what is still to be filled in")
    return ExitCode.ATTENTION if tally.faulty else ExitCode.CLEAN
