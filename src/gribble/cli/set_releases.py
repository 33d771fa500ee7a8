"""`gribble sets match|compare|fit`: which release, what an update breaks, and what goes on a card."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer

from gribble.cli.command import Call, command
from gribble.cli.completing import emulators
from gribble.cli.options import RARE, ReplaceOption, VerboseOption
from gribble.cli.session import Session
from gribble.cli.surveying import survey
from gribble.core.answers.rosters import (
    arcade_places,
    compare_releases,
    find_roster,
    fit_card,
    match_releases,
    one_place,
    wishes_of,
)
from gribble.core.base.amounts import read_bytes
from gribble.core.base.errors import ExitCode, unreadable
from gribble.core.base.filewriter import check_target, write_file
from gribble.core.base.paths import without_home
from gribble.core.catalogue.config import read_wanted
from gribble.core.records.set_remedies import Change
from gribble.views.looks import kept_words, shorten
from gribble.views.set_releases import (
    CHANGES,
    compare_csv,
    compare_json,
    fit_json,
    match_json,
    show_compared,
    show_fit,
    show_match,
)

EmulatorOption = Annotated[
    str | None,
    typer.Option("--emulator", metavar="EMULATOR", help="Only this arcade emulator.", autocompletion=emulators),
]


@command("sets match", takes="rig from_ json config", asks=True)
def match(
    call: Call,
    emulator: EmulatorOption = None,
    verbose: VerboseOption = False,
) -> int:
    """Which release your files fit best.

    It looks at everything that you have, and says for which release each wanted set is right.

    Example: gribble sets match
    """
    with Session(call, arcade=True) as session:
        scope = call.scope
        world = survey(session, scope)
        found = match_releases(world, arcade_places(world, scope.rigs, (emulator,) if emulator else ()))
        if call.json:
            session.screen.json(match_json(found))
        else:
            show_match(session.screen, found, verbose=verbose)
        fits = all(one.installed in releases for one in found for releases in one.wanted.values())
        return ExitCode.USAGE if session.loaded.catalogue.mistakes else ExitCode.CLEAN if fits else ExitCode.ATTENTION


@command("sets compare", takes="rig from_ json config", asks=True)
def compare(
    call: Call,
    old: Annotated[str, typer.Argument(metavar="OLD", help="A release, or a roster's file.")],
    new: Annotated[str, typer.Argument(metavar="NEW", help="Another.")],
    emulator: EmulatorOption = None,
    csv: Annotated[
        str | None, typer.Option(metavar="FILE", help="A table with a row for each set; - is standard output.")
    ] = None,
    replace: ReplaceOption = False,
    verbose: VerboseOption = False,
) -> int:
    """What an update of the emulator means for sets.

    It shows what becomes of the wanted sets from one release to another.

    Example: gribble sets compare 1.6 1.8
    """
    table = call.environment.path(csv) if csv and csv != "-" else None
    with Session(call, arcade=True) as session:
        scope = call.scope
        if table:
            session.loaded.refuse_source(table, "--csv FILE")
            check_target(table, CHANGES, replace_other=replace)
        world = survey(session, scope)
        place = one_place(world, scope.rigs, (emulator,) if emulator else ())
        paths = session.loaded.catalogue.rosters.get(place.fitted.emulator, ())
        rosters = find_roster(place, paths, old), find_roster(place, paths, new)
        changes = compare_releases(place, *rosters)
        shared = without_home(session.folder, str(call.environment.home))
        if table:
            kept = write_file(table, [shared(compare_csv(changes)).encode()], own=CHANGES, replace_other=replace)
            session.screen.tell(f"written: {shorten(str(table))}{kept_words(kept)}")
        if call.json:
            session.screen.json(compare_json(*rosters, changes))
        elif csv == "-":
            session.screen.raw(shared(compare_csv(changes)))
        else:
            show_compared(session.screen, *rosters, changes, verbose=verbose)
            installed = place.fitted.release == rosters[1].head.release
            if any(one.change in (Change.REPACK, Change.HELD) for one in changes) and installed:
                session.screen.next(
                    f"gribble place {place.fitted.emulator}", "packs and copies the files that you have"
                )
        if session.loaded.catalogue.mistakes:
            return ExitCode.USAGE
        return ExitCode.CLEAN if all(one.change is Change.SAME for one in changes) else ExitCode.ATTENTION


@command("sets fit", takes="rig from_ json config", asks=True)
def fit(
    call: Call,
    room: Annotated[str, typer.Option(metavar="SIZE", help="The room on the card: 8GB is decimal, 8GiB binary.")],
    wanted: Annotated[
        str | None,
        typer.Option(metavar="FILE", help="A file of sets, one on each line, with an optional weight after the name."),
    ] = None,
    emulator: EmulatorOption = None,
    cluster: Annotated[
        str | None,
        typer.Option(metavar="SIZE", help="The least room a file takes (default: the rig's).", rich_help_panel=RARE),
    ] = None,
    seconds: Annotated[
        float, typer.Option(metavar="SECONDS", min=0.1, help="How long to search at most.", rich_help_panel=RARE)
    ] = 10.0,
    out: Annotated[str | None, typer.Option(metavar="FILE", help="Write the chosen sets to a file.")] = None,
    replace: ReplaceOption = False,
    verbose: VerboseOption = False,
) -> int:
    """The best selection of wanted sets for a card.

    What the sets share is counted once.

    Example: gribble sets fit --room 8GB --out card.txt
    """
    budget, least = read_bytes(room), read_bytes(cluster) if cluster else None
    with Session(call, arcade=True) as session:
        scope = call.scope
        try:
            wishes = read_wanted(Path(wanted)) if wanted else []
        except OSError as error:
            raise unreadable(wanted, error) from error
        if out:
            session.loaded.refuse_source(call.environment.path(out), "--out")
            check_target(call.environment.path(out), replace_other=replace)
        world = survey(session, scope)
        place = one_place(world, scope.rigs, (emulator,) if emulator else (), wishes)
        with _silence():
            found = fit_card(place, wishes_of(place, wishes), budget, least, seconds)
        if out:
            chosen = "".join(f"{name}\n" for name in found.selection.chosen).encode()
            kept = write_file(call.environment.path(out), [chosen], replace_other=replace)
            session.screen.tell(f"written: {out}{kept_words(kept)}")
        if call.json:
            session.screen.json(fit_json(found))
        else:
            show_fit(session.screen, found, verbose=verbose)
            if out:
                words = f'with wanted = "{out}" for {place.fitted.emulator} in gribble.toml: brings them to the rig'
                session.screen.next("gribble place", words)
        if session.loaded.catalogue.mistakes:
            return ExitCode.USAGE
        return ExitCode.ATTENTION if found.selection.left_out else ExitCode.CLEAN


@contextmanager
def _silence() -> Iterator[None]:
    """The solver now and then writes a line to the process's standard output, where only an answer belongs."""
    kept, nowhere = os.dup(1), os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    try:
        yield
    finally:
        os.dup2(kept, 1)
        os.close(kept)
        os.close(nowhere)
