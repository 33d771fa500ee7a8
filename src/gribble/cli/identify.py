"""`gribble identify`: what is this file, and where does it belong?"""

from __future__ import annotations

from typing import Annotated

import typer

from gribble.cli.app import command
from gribble.cli.options import ConfigOption, JsonOption, VerboseOption


@command("identify")
def identify(
    paths: Annotated[list[str], typer.Argument(metavar="PATH...", help="Files, archives or folders.")],
    only: Annotated[str, typer.Option(metavar="needed", help="Show only what some need waits for.")] = "",
    json: JsonOption = False,
    verbose: VerboseOption = False,
    config: ConfigOption = None,
) -> int:
    """What files are, whatever they are called, and where they belong; ends with the counts.

    Example: gribble identify drawer --only needed
    """
    from pathlib import Path

    from gribble.cli.session import Session
    from gribble.core.answers.identify import explain, identify_keys, identify_sets
    from gribble.core.answers.identify import identify as identify_holdings
    from gribble.core.audit.scope import Scope
    from gribble.core.base.errors import ExitCode, GribbleError
    from gribble.views.identify import identify_json, show_identify

    if only not in ("", "needed"):
        raise GribbleError(f"--only {only} is not known", fix="It takes one word: --only needed")
    with Session(config) as session:
        world, surveys = session.look_at(paths, verbose=verbose)
        found = [holding for survey in surveys for holding in survey.holdings]
        passed_over = sum(len(survey.skipped) for survey in surveys)
        sheets = session.catalogue.sheets
        audits = world.audit(Scope())
        files = identify_holdings(found, session.known, sheets, audits)
        files = identify_sets(files, world.rigs, audits)
        files = identify_keys(files, sheets, audits, world.read_whole)
        files = explain(files, world.searcher(found), sheets, frozenset(Path(path).absolute() for path in paths))
        if json:
            session.screen.json(identify_json(files, passed_over=passed_over, only_needed=only == "needed"))
        else:
            show_identify(session.screen, files, passed_over=passed_over, only_needed=only == "needed", verbose=verbose)
        return ExitCode.USAGE if session.catalogue.mistakes else ExitCode.CLEAN
