"""`gribble undo`: a run taken back."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.options import AtOption, ConfigOption, RigOption, YesOption


@command("undo")
def undo(
    run: Annotated[
        Optional[int],  # noqa: UP045
        typer.Argument(metavar="[RUN]", help="Number of the run (default: the newest).", show_default=False),
    ] = None,
    rig: RigOption = None,
    at: AtOption = None,
    yes: YesOption = False,
    leave_changed: Annotated[
        bool, typer.Option("--leave-changed", help="Leave files as they are that were changed since; undo the rest.")
    ] = False,
    config: ConfigOption = None,
) -> int:
    """Take a run back: the rig is as it was before, names, bytes and file times.

    Example: gribble undo 1
    """
    from gribble.cli.running import ask
    from gribble.cli.session import Session, scope_of
    from gribble.core.errors import ExitCode, GribbleError
    from gribble.views.looks import count
    from gribble.views.screen import styled

    with Session(config) as session:
        screen = session.screen
        scope = scope_of(rig, None, None, at)
        found = [(where, one) for where in session.rigs(scope) for one in where.runs() if one.state != "undone"]
        elsewhere = session.elsewhere()
        whole = [one.number for where, one in found if not where.runner(one, elsewhere).lost(one)]
        number = run if run is not None else max(whole, default=None)
        chosen = [(where, one) for where, one in found if one.number == number]
        if not chosen:
            what = "no run to take back" if run is None else f"no run {run} to take back"
            raise GribbleError(
                f"{what} on {', '.join(session.config.rig) or 'any rig'}", fix="gribble history lists them."
            )
        for where, one in chosen:
            if lost := where.runner(one, elsewhere).lost(one):
                raise GribbleError(
                    f"run {number} cannot be taken back on {where.name}: what it displaced is not in the attic "
                    f"any more ({', '.join(lost[:3])}{', …' if len(lost) > 3 else ''})",
                    fix="Nothing was changed. gribble history lists the other runs.",
                    code=ExitCode.FAILED,
                )
            if why := where.away():
                raise GribbleError(
                    f"run {number} cannot be taken back on {where.name} now: {why}",
                    fix=f"Nothing was changed. Reach it, then run gribble undo {number} again.",
                    code=ExitCode.FAILED,
                )
        changed = [
            (where, change) for where, one in chosen for change in where.runner(one, elsewhere).changed_since(one)
        ]
        for where, change in changed:
            screen.tell(f"{where.name}: {change.path} {change.why}")
        if changed and not leave_changed:
            raise GribbleError(
                f"run {number} is not taken back: {count(len(changed), 'file')} changed since",
                fix="Nothing was changed. Move what you want to keep away, or use gribble undo --leave-changed.",
                code=ExitCode.FAILED,
            )
        for where, one in chosen:
            screen.say(f"Run {one.number} on {where.name}: {count(len(one.begun), 'step')} to take back.")
        if not ask(screen, "Take it back?", yes):
            return ExitCode.ATTENTION
        for where, one in chosen:
            leave = frozenset(change.path for other, change in changed if other is where)
            with where.locked():
                where.runner(one, elsewhere).take_back(one, leave)
            screen.say(styled("Undone", "bold"), f": run {one.number} on {where.name}.")
            if where.remote and where.remote.untimed:
                files = count(where.remote.untimed, "file")
                screen.say(f"  The server cannot set times: {files} came back whole, but with the time of today.")
        return ExitCode.CLEAN
