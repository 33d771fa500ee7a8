"""`gribble catalogue import`: a list of any shape becomes a sheet or a roster, by a field map."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.catalogue import ABOUT

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from gribble.core.catalogue.importing.fieldmap import FieldMap
    from gribble.core.catalogue.writing import DraftSheet
    from gribble.core.records.imported import Tally
    from gribble.core.records.roster import ArcadeSet
    from gribble.views.progress import Bar
    from gribble.views.screen import Screen


@command("import", group="catalogue", about=ABOUT)
def import_(
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
    import shlex
    from pathlib import Path

    from gribble.cli.session import refuse_any_source
    from gribble.core.base.errors import ExitCode, GribbleError
    from gribble.core.catalogue.importing.fieldmap import load_map
    from gribble.core.catalogue.rosters import ROSTER_ENDING
    from gribble.core.catalogue.sheets import SHEET_ENDING
    from gribble.core.records.imported import Tally
    from gribble.views.progress import Bar
    from gribble.views.screen import Screen

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
        refuse_any_source(Path(out), "--out FILE")
    screen, tally = Screen(), Tally()
    if map_ is None:
        if to != "sheet" or not emulator:
            raise GribbleError(
                "a list without a map is taken for a checksum list, which becomes a sheet",
                fix="Give --to sheet --emulator NAME, or a map: --map MAP.",
            )
        return _import_checksums(source, emulator, folder, out, preview, screen)
    made = load_map(Path(map_), to)
    bar = Bar(screen.err, "Reading")
    bar.expect(source.stat().st_size)
    into = _import_roster if to == "roster" else _import_sheet
    code = into(source, made, out, preview, screen, tally, bar)
    if preview and code == ExitCode.CLEAN:
        name = f"{made.roster['emulator']}-{made.roster['release']}" if to == "roster" else made.sheet["emulator"]
        words = [file, "--map", map_, "--to", to, "--out", f"{name}{endings[to]}"]
        screen.next(f"gribble catalogue import {shlex.join(map(str, words))}", "writes all of it")
    return code


def _import_roster(
    source: Path, made: FieldMap, out: str | None, preview: int, screen: Screen, tally: Tally, bar: Bar
) -> int:
    """Stream the list into a roster beside its place; it takes its name only when every record was understood."""
    import itertools
    from pathlib import Path

    from gribble.core.base.errors import ExitCode
    from gribble.core.catalogue.importing.build import read_sets
    from gribble.core.catalogue.importing.lists import read_list
    from gribble.core.catalogue.rosters import ROSTER_VERSION, write_roster
    from gribble.core.records.roster import RosterHead
    from gribble.stores.local import write_new_stream
    from gribble.views.catalogue import show_preview_sets, show_tally

    sets = read_sets(read_list(source, made, bar.advance), made, tally, preview=bool(preview))
    if preview:
        shown = list(itertools.islice(sets, preview))
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
        _refuse_faults(source, tally)

    with bar:
        write_new_stream(Path(out or ""), write_roster(head, counted()))
    show_tally(screen, tally)
    screen.say(f"{out}: {count:,} sets of {head.emulator} {head.release}.")
    screen.next(f"gribble catalogue lint {out}", "looks for loops and gaps in the families")
    return ExitCode.CLEAN


def _refuse_faults(source: Path, tally: Tally) -> None:
    from gribble.core.base.errors import GribbleError, Mistake, MistakesError

    if tally.faulty:
        more = tally.faulty - len(tally.mistakes)
        told = [*tally.mistakes, *([f"and {more:,} more; nothing was written"] if more else [])]
        raise MistakesError([Mistake(str(source), "", one) for one in told])
    if not tally.records:
        raise GribbleError(f"{source} has no record that the map matches", fix="--preview 3 shows what is understood.")


def _import_sheet(
    source: Path, made: FieldMap, out: str | None, preview: int, screen: Screen, tally: Tally, bar: Bar
) -> int:
    from gribble.core.catalogue.importing.build import draft_of, read_rows
    from gribble.core.catalogue.importing.lists import read_list

    with bar:
        rows = list(read_rows(read_list(source, made, bar.advance), made, tally))
    draft = draft_of(rows, made, tally)
    if not preview:
        _refuse_faults(source, tally)
    return _finish_sheet(draft, out, preview, screen, tally)


def _import_checksums(source: Path, emulator: str, folder: str, out: str | None, preview: int, screen: Screen) -> int:
    from gribble.core.base.errors import Mistake, MistakesError
    from gribble.core.base.paths import path_fault
    from gribble.core.catalogue.checksums import read_checksums
    from gribble.core.catalogue.importing.build import draft_of_checksums
    from gribble.core.records.imported import Tally

    files, faults = read_checksums(source)
    if folder and (fault := path_fault(folder)):
        faults.append(f'--folder "{folder}" {fault}')
    if faults:
        raise MistakesError([Mistake(str(source), "", fault) for fault in faults])
    draft = draft_of_checksums(files, emulator, folder)
    return _finish_sheet(draft, out, preview, screen, Tally(records=len(files)))


def _finish_sheet(draft: DraftSheet, out: str | None, preview: int, screen: Screen, tally: Tally) -> int:
    from pathlib import Path

    from gribble.core.base.errors import ExitCode
    from gribble.core.catalogue.writing import write_sheet
    from gribble.stores.local import write_new
    from gribble.views.catalogue import show_tally
    from gribble.views.looks import count

    if preview:
        draft.needs = draft.needs[:preview]
        for line in write_sheet(draft).splitlines():
            screen.say(line)
        show_tally(screen, tally)
        return ExitCode.USAGE if tally.faulty else ExitCode.CLEAN
    write_new(Path(out or ""), write_sheet(draft).encode())
    show_tally(screen, tally)
    accepts = sum(len(need.accepts) for need in draft.needs)
    screen.say(f"{out}: {count(len(draft.needs), 'need')} of {draft.emulator} with {count(accepts, 'accept')}.")
    screen.next(f"gribble catalogue lint {out}", "lists what is still to be filled in")
    return ExitCode.CLEAN
