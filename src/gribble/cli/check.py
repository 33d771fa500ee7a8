"""`gribble check`: the audit."""

from __future__ import annotations

from typing import Annotated

import typer

from gribble.cli.app import command
from gribble.cli.options import (
    AsOption,
    AtOption,
    ConfigOption,
    EmulatorsArgument,
    FromOption,
    JsonOption,
    RereadOption,
    RigOption,
    VerboseOption,
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
    json: JsonOption = False,
    verbose: VerboseOption = False,
    config: ConfigOption = None,
) -> int:
    """What is right, misnamed, astray, wrong or missing on your rigs, and what would put it right.

    Example: gribble check sandpiper --rig lighthouse --from ~/Downloads
    """
    from gribble.cli.session import Session, scope_of
    from gribble.core.errors import ExitCode
    from gribble.views.changes import changes_json, show_changes
    from gribble.views.check import check_json, show_check

    scope = scope_of(rig, emulators, from_, at, as_)
    with Session(config) as session:
        world = session.look(scope, reread=reread, verbose=verbose)
        audits = world.audit(scope, games=games)
        before = session.as_installed(world, scope).audit(scope) if scope.releases else ()
        if json:
            session.screen.json({**check_json(audits), **(changes_json(before, audits) if before else {})})
        else:
            if before:
                show_changes(session.screen, before, audits)
            show_check(session.screen, audits, verbose=verbose, scope="" if before else scope.words)
        code = session.ended(found.state for found in audits)
        faulty = any(emulator.games for found in audits for emulator in found.emulators)
        return ExitCode.ATTENTION if faulty and code == ExitCode.CLEAN else code
