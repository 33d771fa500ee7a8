"""`gribble check`: the audit."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.completing import verdicts
from gribble.cli.options import (
    AsOption,
    AtOption,
    ConfigOption,
    EmulatorsArgument,
    FromOption,
    JsonOption,
    QuietOption,
    RereadOption,
    RigOption,
    SortOption,
    VerboseOption,
    sorted_audits,
)


@command("check")
def check(
    emulators: EmulatorsArgument = None,
    rig: RigOption = None,
    from_: FromOption = None,
    at: AtOption = None,
    as_: AsOption = None,
    games: Annotated[bool, typer.Option("--games", help="Look into the game folders, too.")] = False,
    reread: RereadOption = False,
    only: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Option(
            metavar="VERDICT",
            help="Show only what is missing, say, or damaged (may be repeated).",
            show_default=False,
            autocompletion=verdicts,
        ),
    ] = None,
    json: JsonOption = False,
    sort: SortOption = None,
    quiet: QuietOption = False,
    verbose: VerboseOption = False,
    config: ConfigOption = None,
) -> int:
    """What is right, misnamed, astray, wrong or missing on your rigs, and what would put it right.

    Example: gribble check sandpiper --only missing --from discs
    """
    from gribble.cli.session import MOST_PASSED_OVER, Session, scope_of
    from gribble.core.base.errors import ExitCode, GribbleError
    from gribble.core.base.tables import suggest
    from gribble.core.records.findings import Verdict
    from gribble.views.changes import changes_json, show_changes
    from gribble.views.check import answer_of, check_json, show_check, show_next, show_only

    for word in only or ():
        if word not in list(Verdict):
            raise GribbleError(
                f"'{word}' is no verdict{suggest(word, list(Verdict))}", fix=f"One of {', '.join(Verdict)}."
            )
    if json + bool(only) + quiet > 1:
        raise GribbleError("--json tells everything, --only a part, --quiet one line", fix="Use one of them.")
    scope = scope_of(rig, emulators, from_, at, as_)
    with Session(config) as session:
        world = session.look(scope, reread=reread, verbose=verbose, told=MOST_PASSED_OVER)
        audits = sorted_audits(world.audit(scope, games=games), sort)
        before = session.as_installed(world, scope).audit(scope) if scope.releases else ()
        if json:
            session.screen.json({**check_json(audits), **(changes_json(before, audits) if before else {})})
        else:
            if before:
                show_changes(session.screen, before, audits)
            if quiet:
                session.screen.say(answer_of(audits))
                session.hush()
            elif only:
                show_only(session.screen, audits, frozenset(only), scope.words)
            else:
                show_check(session.screen, audits, verbose=verbose)
                if before:
                    session.screen.next(f"gribble check{scope.words}", "as it is installed now")
                else:
                    show_next(session.screen, audits, scope=scope.words)
        code = session.ended(found.state for found in audits)
        faulty = any(emulator.games for found in audits for emulator in found.emulators)
        return ExitCode.ATTENTION if faulty and code == ExitCode.CLEAN else code
