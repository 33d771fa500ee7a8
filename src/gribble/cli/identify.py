"""`gribble identify`: what is this file, and where does it belong?"""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.command import Call, command
from gribble.cli.options import VerboseOption
from gribble.cli.session import Session
from gribble.cli.surveying import identified, survey_whole, survey_with
from gribble.core.answers.copies import Copies
from gribble.core.answers.copies import copies as find_copies
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.views.copies import copies_json, show_copies
from gribble.views.identify import identify_json, show_identify


@command("identify", takes="json config")
def identify(
    call: Call,
    paths: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Argument(metavar="PATH...", help="Files, archives or folders.", show_default=False),
    ] = None,
    only: Annotated[str, typer.Option(metavar="needed", help="Show only what some need waits for.")] = "",
    copies: Annotated[
        bool, typer.Option("--copies", help="Show what is held more than once, where, and the room it takes.")
    ] = False,
    verbose: VerboseOption = False,
) -> int:
    """What files are, and where they belong.

    Whatever they are called, in archives too; it ends with the counts.

    With --copies and no PATH: of everything that is held. Nothing is deleted.

    Example: gribble identify drawer --only needed
    """
    if copies and only:
        raise GribbleError("--copies tells all that is held more than once", fix="Leave --only out.")
    if copies:
        return _copies(call, paths or [], verbose)
    if not paths:
        raise GribbleError("no file or folder is named", fix="Name some, for example: gribble identify drawer")
    if only not in ("", "needed"):
        raise GribbleError(f"--only {only} is not known", fix="It takes one word: --only needed")
    with Session(call) as session:
        world, surveys = survey_with(session, paths, verbose=verbose)
        passed_over = sum(len(survey.skipped) for survey in surveys)
        away = {one.at: one.source for one in world.away}
        named = frozenset(call.environment.path(path) for path in paths)
        files, sets = identified(session, world, surveys, named)
        if call.json:
            needed = only == "needed"
            session.screen.json(identify_json(files, sets, away, passed_over=passed_over, only_needed=needed))
        else:
            narrow = only == "needed"
            show_identify(
                session.screen, files, sets, named, away, passed_over=passed_over, only_needed=narrow, verbose=verbose
            )
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
