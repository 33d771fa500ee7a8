"""`gribble history`: the runs."""

from __future__ import annotations

from gribble.cli.app import command
from gribble.cli.options import AtOption, ConfigOption, JsonOption, RigOption


@command("history")
def history(rig: RigOption = None, at: AtOption = None, json: JsonOption = False, config: ConfigOption = None) -> int:
    """Every run on your rigs, newest first.

    Example: gribble history --rig lighthouse
    """
    from gribble.cli.session import Session, scope_of
    from gribble.core.errors import ExitCode
    from gribble.views.plan import history_json, show_history

    with Session(config) as session:
        runs = [run for where in session.rigs(scope_of(rig, None, None, at)) for run in where.runs()]
        runs.sort(key=lambda run: (run.when, run.number), reverse=True)
        if json:
            session.screen.json(history_json(runs))
        else:
            show_history(session.screen, runs)
        return ExitCode.CLEAN
