"""`gribble check`: the audit."""

from __future__ import annotations

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
    reread: RereadOption = False,
    json: JsonOption = False,
    verbose: VerboseOption = False,
    config: ConfigOption = None,
) -> int:
    """What is right, misnamed, astray, wrong or missing on your rigs, and what would put it right.

    Example: gribble check sandpiper --rig lighthouse --from ~/Downloads
    """
    from gribble.cli.session import Session, scope_of
    from gribble.views.check import check_json, show_check

    scope = scope_of(rig, emulators, from_, at, as_)
    with Session(config) as session:
        audits = session.look(scope, reread=reread, verbose=verbose).audit(scope)
        if json:
            session.screen.json(check_json(audits))
        else:
            show_check(session.screen, audits, verbose=verbose)
        return session.ended(found.state for found in audits)
