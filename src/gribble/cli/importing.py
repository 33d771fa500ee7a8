"""`gribble catalogue import`: a list of any shape becomes a sheet or a roster, by a field map."""

from __future__ import annotations

import itertools
import shlex
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, NamedTuple, Optional

import typer

from gribble.cli.command import Call, command
from gribble.cli.loaded import refuse_any_source
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError
from gribble.core.base.paths import path_fault
from gribble.core.catalogue.checksums import read_checksums
from gribble.core.catalogue.importing.build import draft_of, draft_of_checksums, read_rows, read_sets
from gribble.core.catalogue.importing.fieldmap import FieldMap, load_map
from gribble.core.catalogue.importing.lists import read_list
from gribble.core.catalogue.rosters import ROSTER_ENDING, ROSTER_VERSION, write_roster
from gribble.core.catalogue.sheets import SHEET_ENDING
from gribble.core.catalogue.writing import DraftSheet, write_sheet
from gribble.core.records.imported import Tally
from gribble.core.records.roster import ArcadeSet, RosterHead
from gribble.stores.local import write_new, write_new_stream
from gribble.views.catalogue import show_preview_sets, show_tally
from gribble.views.looks import count
from gribble.views.progress import Bar
from gribble.views.screen import Screen


@command("catalogue import")
def import_(
    call: Call,
    file: Annotated[str, typer.Argument(metavar="FILE", help="CSV, TSV, JSON, JSON Lines, XML, HTML, or checksums.")],
    to: Annotated[str, typer.Option("--to", metavar="sheet|roster", help="What it becomes.")],
    map_: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--map", metavar="MAP", help="The field map; a checksum list needs none.", show_default=False),
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
        typer.Option("--emulator", metavar="NAME", help="Whose needs they are (checksum lists).", show_default=False),
    ] = None,
    folder: Annotated[
        str, typer.Option("--folder", metavar="PATH", help="Where they belong on a rig (checksum lists).")
    ] = "",
) -> int:
    """Take over a list that some other program or person made.

    Example: gribble catalogue import cabinets.xml --map cabinets.map.toml --to roster --preview 3
    """
    endings = {"sheet": SHEET_ENDING, "roster": ROSTER_ENDING}
    if to not in endings:
        raise GribbleError(f"--to {to} is not known", fix="It takes one word: --to sheet, or --to roster")
    source = Path(file)
    if not source.is_file():
        raise GribbleError(f"{file} is no file", fix="Check the path.")
    if out is None and not preview:
        raise GribbleError("say where it goes", fix="--out FILE writes it; --preview 3 only shows the first records.")
    if out is not None and not out.endswith(endings[to]):
        raise GribbleError(
            f"{out}: a {to}'s name ends in {endings[to]}", fix=f"Name it so: --out {Path(out).stem}{endings[to]}"
        )
    if out is not None:
        refuse_any_source(call, Path(out), "--out FILE")
    screen = call.screen
    if map_ is None:
        if to != "sheet" or not emulator:
            raise GribbleError(
                "a list without a map is taken for a checksum list, which becomes a sheet",
                fix="Give --to sheet --emulator NAME, or a map: --map MAP.",
            )
        return _import_checksums(
            _Wish(source, Path(out) if out is not None else None, preview, screen), emulator, folder
        )
    made = load_map(Path(map_), to)
    wish = _Wish(source, Path(out) if out is not None else None, preview, screen)
    code = _import_roster(wish, made) if to == "roster" else _import_sheet(wish, made)
    if preview and code == ExitCode.CLEAN:
        name = f"{made.roster['emulator']}-{made.roster['release']}" if to == "roster" else made.sheet["emulator"]
        words = [file, "--map", map_, "--to", to, "--out", f"{name}{endings[to]}"]
        screen.next(f"gribble catalogue import {shlex.join(map(str, words))}", "writes all of it")
    return code


class _Wish(NamedTuple):
    """A list that is to be taken over, and where to; `preview` is how many records are only shown."""

    source: Path
    out: Path | None
    preview: int
    screen: Screen

    def bar(self) -> Bar:
        """A progress bar for reading the list."""
        bar = Bar(self.screen.err, "Reading")
        bar.expect(self.source.stat().st_size)
        return bar


def _import_roster(wish: _Wish, made: FieldMap) -> int:
    """Stream the list into a roster beside its place; it takes its name only when every record was understood."""
    screen, out, tally, bar = wish.screen, wish.out, Tally(), wish.bar()
    sets = read_sets(read_list(wish.source, made, bar.advance), made, tally, preview=bool(wish.preview))
    if wish.preview:
        shown = list(itertools.islice(sets, wish.preview))
        show_preview_sets(screen, shown)
        show_tally(screen, tally)
        return ExitCode.USAGE if tally.faulty else ExitCode.CLEAN
    head = RosterHead(roster=ROSTER_VERSION, **{key: made.roster[key] for key in ("emulator", "release")},
                      title=str(made.roster.get("title", "")))  # fmt: skip
    count = 0

    def counted() -> Iterator[ArcadeSet]:
        nonlocal count
        for one in sets:
            count += 1
            yield one
        _refuse_faults(wish.source, tally)

    assert out is not None  # else only a preview was asked for
    with bar:
        write_new_stream(out, write_roster(head, counted()))
    show_tally(screen, tally)
    screen.say(f"{out}: {count:,} sets of {head.emulator} {head.release}.")
    screen.next(f"gribble catalogue lint {out}", "looks for loops and gaps in the families")
    return ExitCode.CLEAN


def _refuse_faults(source: Path, tally: Tally) -> None:
    if tally.faulty:
        more = tally.faulty - len(tally.mistakes)
        told = [*tally.mistakes, *([f"and {more:,} more; nothing was written"] if more else [])]
        raise MistakesError([Mistake(str(source), "", one) for one in told])
    if not tally.records:
        raise GribbleError(f"{source} has no record that the map matches", fix="--preview 3 shows what is understood.")


def _import_sheet(wish: _Wish, made: FieldMap) -> int:
    tally = Tally()
    with wish.bar() as bar:
        rows = list(read_rows(read_list(wish.source, made, bar.advance), made, tally))
    draft = draft_of(rows, made, tally)
    if not wish.preview:
        _refuse_faults(wish.source, tally)
    return _finish_sheet(wish, draft, tally)


def _import_checksums(wish: _Wish, emulator: str, folder: str) -> int:
    files, faults = read_checksums(wish.source)
    if folder and (fault := path_fault(folder)):
        faults.append(f'--folder "{folder}" {fault}')
    if faults:
        raise MistakesError([Mistake(str(wish.source), "", fault) for fault in faults])
    draft = draft_of_checksums(files, emulator, folder)
    return _finish_sheet(wish, draft, Tally(records=len(files)))


def _finish_sheet(wish: _Wish, draft: DraftSheet, tally: Tally) -> int:
    screen, out = wish.screen, wish.out
    if wish.preview:
        draft.needs = draft.needs[: wish.preview]
        for line in write_sheet(draft).splitlines():
            screen.say(line)
        show_tally(screen, tally)
        return ExitCode.USAGE if tally.faulty else ExitCode.CLEAN
    assert out is not None  # else only a preview was asked for
    write_new(out, write_sheet(draft).encode())
    show_tally(screen, tally)
    accepts = sum(len(need.accepts) for need in draft.needs)
    screen.say(f"{out}: {count(len(draft.needs), 'need')} of {draft.emulator} with {count(accepts, 'accept')}.")
    screen.next(f"gribble catalogue lint {out}", "lists what is still to be filled in")
    return ExitCode.CLEAN
