"""`gribble catalogue capture`: a sheet written from a setup that works."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.command import Call, command
from gribble.cli.loaded import refuse_any_source
from gribble.cli.options import ReplaceOption
from gribble.cli.trial import check_sheet
from gribble.core.answers.capture import extended, new_sheet
from gribble.core.answers.setup import read_setup
from gribble.core.base.errors import ExitCode, GribbleError, MistakesError
from gribble.core.base.filewriter import changing, check_target, write_file
from gribble.core.base.paths import name_fault
from gribble.core.base.texts import text_of
from gribble.core.catalogue.sheets import SHEET_ENDING, load_sheet
from gribble.views.looks import count


@command("catalogue capture")
def capture(
    call: Call,
    folder: Annotated[str, typer.Argument(metavar="FOLDER", help="The root of a rig that works.")],
    emulator: Annotated[str, typer.Option("--emulator", metavar="NAME", help="Whose needs they are.")],
    release: Annotated[str, typer.Option("--release", metavar="R", help="The release that works with them.")],
    paths: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Argument(metavar="[PATH]...", help="Only these files and folders in it.", show_default=False),
    ] = None,
    out: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--out", metavar="SHEET", help="Write a new sheet.", show_default=False),
    ] = None,
    replace: ReplaceOption = False,
    into: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--into", metavar="SHEET", help="Add what is new to this sheet.", show_default=False),
    ] = None,
) -> int:
    """Write a sheet from a setup that works.

    Or add its contents to one. What only a person knows is marked.

    Example: gribble catalogue capture rigs/stick rigs/stick/KNOT --emulator knot --release 4 --out mine/knot.sheet.toml
    """
    if (out is None) == (into is None):
        raise GribbleError("say where the sheet goes", fix="--out SHEET writes a new one, --into SHEET adds to one.")
    named, target = out or into or "", call.environment.path(out or into or "")
    if not target.name.endswith(SHEET_ENDING):
        raise GribbleError(
            f"{named}: a sheet's name ends in {SHEET_ENDING}", fix=f"Name it so: --out {emulator}{SHEET_ENDING}"
        )
    if fault := name_fault(emulator):
        raise GribbleError(
            f'--emulator "{emulator}" {fault}', fix="Nothing was written. Give a plain name, such as sandpiper."
        )
    refuse_any_source(call, target, "--out SHEET")
    if out:
        check_target(target, replace_other=replace)
    screen = call.screen
    with screen.bar("Reading") as bar:
        setup = read_setup(call.environment.path(folder), [call.environment.path(path) for path in paths or ()], bar)
    files, kept = setup.files, None
    for why, names in setup.left_out.items():
        screen.tell(f"left out: {', '.join(names[:4])}{' …' if len(names) > 4 else ''}: {why} (name a file to take it)")
    if out:
        captured = new_sheet(files, emulator, release)
        check_sheet(target, captured.text)
        kept = write_file(target, [captured.text.encode()], replace_other=replace)
    else:
        with changing(target) as file:
            sheet, mistakes = load_sheet(target)
            if sheet is None:
                raise MistakesError(mistakes)
            if sheet.emulator != emulator:
                raise GribbleError(
                    f"{named} is the sheet of {sheet.emulator}, not of {emulator}",
                    fix="Nothing was written. --out SHEET makes a new one.",
                )
            captured = extended(text_of(file.data), sheet, files, release)
            if captured.needs or captured.accepts:
                check_sheet(target, captured.text)
                kept = file.write([captured.text.encode()], keep=True)
    if kept:
        screen.say(f"The sheet as it was is kept as {kept.name}.")
    screen.say(
        f"{named}: {count(captured.needs, 'new need')} and {count(captured.accepts, 'new accept')} "
        f"from {count(len(files), 'file')}; {captured.known} known already."
    )
    screen.next(f"gribble catalogue lint {named}", "lists what is still to be filled in")
    return ExitCode.CLEAN
