"""`gribble identify`: what is this file, and where does it belong?"""

from __future__ import annotations

from typing import Annotated

import typer

from gribble.cli.command import Call, command
from gribble.cli.options import VerboseOption
from gribble.cli.session import Session
from gribble.cli.surveying import survey_with
from gribble.core.answers.identify import explain, held_sets, identify_keys, identify_sets
from gribble.core.answers.identify import identify as identify_holdings
from gribble.core.audit.asked import concerning
from gribble.core.audit.scope import Scope
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.views.identify import identify_json, show_identify


@command("identify", takes="json config")
def identify(
    call: Call,
    paths: Annotated[list[str], typer.Argument(metavar="PATH...", help="Files, archives or folders.")],
    only: Annotated[str, typer.Option(metavar="needed", help="Show only what some need waits for.")] = "",
    verbose: VerboseOption = False,
) -> int:
    """What files are, whatever they are called, and where they belong; ends with the counts.

    Example: gribble identify drawer --only needed
    """
    if only not in ("", "needed"):
        raise GribbleError(f"--only {only} is not known", fix="It takes one word: --only needed")
    with Session(call) as session:
        world, surveys = survey_with(session, paths, verbose=verbose)
        found = [holding for survey in surveys for holding in survey.holdings]
        passed_over = sum(len(survey.skipped) for survey in surveys)
        sheets = session.loaded.catalogue.sheets
        audits = concerning(world, found).audit(Scope())
        files = identify_holdings(found, session.loaded.known, sheets, audits)
        files = identify_sets(files, world.rigs, audits)
        files = identify_keys(files, sheets, audits, world.read_whole)
        sets = held_sets(files, world.rigs)
        named = frozenset(call.environment.path(path) for path in paths)
        files = explain(files, world.searcher(survey.holdings for survey in surveys), sheets, named, world.head_of)
        if call.json:
            session.screen.json(identify_json(files, sets, passed_over=passed_over, only_needed=only == "needed"))
        else:
            narrow = only == "needed"
            show_identify(
                session.screen, files, sets, named, passed_over=passed_over, only_needed=narrow, verbose=verbose
            )
        return ExitCode.USAGE if session.loaded.catalogue.mistakes else ExitCode.CLEAN
