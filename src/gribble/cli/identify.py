"""`gribble identify`: what is this file, and where does it belong?"""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

from gribble.cli.command import Call, command
from gribble.cli.options import VerboseOption
from gribble.cli.session import Session
from gribble.cli.surveying import identified, survey_for, survey_whole, survey_with
from gribble.core.answers.identify import Identified, Reading, explain
from gribble.core.answers.identify import identify as identify_holdings
from gribble.core.answers.scrub import Copies
from gribble.core.answers.scrub import copies as find_copies
from gribble.core.answers.wishes import as_sheet, granted, read_wishes
from gribble.core.base.errors import ExitCode, GribbleError, no_such, unreadable
from gribble.core.base.filewriter import write_file
from gribble.core.files.hashing import digest_blocks
from gribble.core.records.holding import Holding
from gribble.core.records.recipes import mended
from gribble.core.records.sheet import Accept
from gribble.core.sayings.facts import mend_words, say
from gribble.core.survey.matching import is_content
from gribble.views.identify import Shown, copies_json, identify_json, mended_json, show_copies, show_identify
from gribble.views.looks import shorten
from gribble.views.needs import show_wishes, wishes_json


@command("identify", takes="json config")
def identify(
    call: Call,
    paths: Annotated[list[str] | None, typer.Argument(metavar="PATH...", help="Files, archives or folders.")] = None,
    show: Annotated[str, typer.Option(metavar="needed", help="Show only files that you need.")] = "",
    copies: Annotated[
        bool, typer.Option("--copies", help="Show what you have more than once, where, and the space it takes.")
    ] = False,
    against: Annotated[
        str, typer.Option(metavar="FILE", help="Show which of the files that a friend lacks you have.")
    ] = "",
    verbose: VerboseOption = False,
) -> int:
    """What files are, and where they belong.

    The names do not matter. It also looks into archives, and ends with the counts.

    With --against it shows what you can give to a friend, whose gribble report --obtain FILE has written the table.

    With --copies and no PATH it looks at everything that you have. Nothing is deleted.

    Example: gribble identify drawer --show needed
    """
    if copies and show:
        raise GribbleError("--copies always shows everything that you have more than once", fix="Leave out --show.")
    if against and (copies or paths or show):
        raise GribbleError("--against looks at everything that you have", fix="Give only --against FILE.")
    if against:
        return _against(call, against, verbose)
    if copies:
        return _copies(call, paths or [], verbose)
    if not paths:
        raise GribbleError("name a file or a folder", fix="For example: gribble identify drawer")
    if show not in ("", "needed"):
        raise GribbleError(f"--show {show} is not known", fix="It takes one word: --show needed")
    with Session(call) as session:
        world, surveys = survey_with(session, paths, verbose=verbose)
        passed_over = sum(len(survey.skipped) for survey in surveys)
        away = {one.at: one.source for one in world.away}
        named = frozenset(call.environment.path(path) for path in paths)
        files, sets = identified(session, world, surveys, named)
        if call.json:
            needed = show == "needed"
            session.screen.json(identify_json(files, sets, away, passed_over=passed_over, only_needed=needed))
        else:
            shown = Shown(passed_over, show == "needed", verbose)
            show_identify(session.screen, files, sets, named, away, shown)
        return ExitCode.USAGE if session.loaded.catalogue.mistakes else ExitCode.CLEAN


def _copies(call: Call, paths: list[str], verbose: bool) -> int:
    with Session(call) as session:
        about = frozenset(str(call.environment.path(path)) for path in paths)
        found = find_copies(survey_whole(session, paths), about)
        known = session.loaded.known

        def called(one: Copies) -> str:
            titles = (match.need.called for match in known.matches(one.bytes, one.files[0].digests))
            return next(iter(dict.fromkeys(titles)), "")

        if call.json:
            session.screen.json(copies_json(found, called))
        else:
            show_copies(session.screen, found, called, verbose=verbose)
        return ExitCode.USAGE if session.loaded.catalogue.mistakes else ExitCode.CLEAN


def _against(call: Call, name: str, verbose: bool) -> int:
    path = call.environment.path(name)
    if not os.path.isfile(path):
        raise no_such(name, "file")
    try:
        wishes = read_wishes(path)
    except OSError as error:
        raise unreadable(name, error) from None
    with Session(call) as session:
        wishes = list(granted(wishes, survey_for(session, as_sheet(wishes))))
        if call.json:
            session.screen.json(wishes_json(wishes))
        else:
            show_wishes(session.screen, wishes, verbose=verbose)
        return ExitCode.CLEAN


@command("mend", takes="json config", short=True)
def mend(
    call: Call,
    files: Annotated[
        list[str], typer.Argument(metavar="FILE...", help="Damaged files, or the two halves of one file.")
    ],
    into: Annotated[str, typer.Option(metavar="FOLDER", help="Where to write the mended files.")] = ".",
) -> int:
    """Rebuild damaged files that can be proven right.

    It writes them under the name that the emulator wants. Originals stay as they are.

    Example: gribble mend drawer/skerry/SKERRY.COPIER --into mended
    """
    return call.done_as("mend/1", lambda call: _mend(call, files, into), files=[])


def _mend(call: Call, files: list[str], into: str) -> int:
    folder = call.environment.path(into)
    with Session(call) as session:
        session.loaded.refuse_source(folder, "--into")
        world, surveys = survey_with(session, files)
        found = [holding for survey in surveys for holding in survey.holdings]
        sheets = session.loaded.catalogue.sheets
        named = frozenset(call.environment.path(path) for path in files)
        known = identify_holdings(found, session.loaded.known, sheets, ())
        searcher = world.searcher(survey.holdings for survey in surveys)
        with session.screen.bar("Diagnosing") as bar:
            explained = explain(known, searcher, sheets, named, Reading(world.head_of), bar)
        code: int = ExitCode.CLEAN
        done: dict[Path, Accept] = {}
        for file in explained:
            name = file.holding.member or shorten(file.holding.where)
            written: Path | None = None
            if file.mend and file.near and file.mend.mendable:
                target, accept = folder / file.near.need.name, file.mend.accept
                if target in done and done[target] != accept:  # another need's file of the same name
                    target = folder / file.near.need.id / file.near.need.name
                reason = mend_words(file.mend)
                if done.get(target, accept) == accept:
                    written = target
                if target not in done:
                    _write(file, target, world.read_whole)
                    session.screen.say(f"{name} {reason}: mended as {shorten(str(target))}")
                elif done[target] != accept:
                    session.screen.say(f"{name} {reason}: left out, because {shorten(str(target))} is another file")
                    code = ExitCode.ATTENTION
                done.setdefault(target, accept)
            else:
                reason = _why_not(file)
                session.screen.say(f"{name}: {reason}")
                code = ExitCode.ATTENTION
            call.did("files", mended_json(file.holding, written, reason))
    return code


def _why_not(file: Identified) -> str:
    if file.mend:
        return f"{mend_words(file.mend)}; Gribble cannot rebuild what is lost"
    if file.matches:
        return "is a right file already; there is nothing to mend"
    return say(file.no_dump) if file.no_dump else "does not resemble anything in your sheets"


def _write(file: Identified, target: Path, read: Callable[[Holding], bytes | None]) -> None:
    """Write the mended content whole, beside its place first; a file that is there already is never touched."""
    assert file.mend is not None
    data = read(file.holding) or b""
    partner = read(file.mend.partner) if file.mend.partner else b""
    content = mended(data, file.mend.recipe, partner or b"")
    accept = file.mend.accept
    if not is_content(accept, *digest_blocks([content], accept.known())):
        raise GribbleError(f"{file.holding.path} has changed since Gribble looked at it", fix="Run the command again.")
    write_file(target, [content])
