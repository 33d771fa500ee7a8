"""`gribble plan`: the steps, and what they would change."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.options import (
    AtOption,
    ConfigOption,
    EmulatorsArgument,
    FromOption,
    JsonOption,
    OnlyOption,
    RigOption,
    SkipOption,
)


@command("plan")
def plan(
    emulators: EmulatorsArgument = None,
    rig: RigOption = None,
    from_: FromOption = None,
    at: AtOption = None,
    only: OnlyOption = None,
    skip: SkipOption = None,
    by_name: Annotated[
        bool, typer.Option("--by-name", help="Also take files that no digest can prove, by their name.")
    ] = False,
    out: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option(metavar="FILE", help="Write the plan to a file, as JSON.", show_default=False),
    ] = None,
    json: JsonOption = False,
    config: ConfigOption = None,
) -> int:
    """The steps that would put things right; nothing is written to a rig.

    Example: gribble plan --rig lighthouse
    """
    import shlex
    from pathlib import Path

    from gribble.cli.running import narrowing, planned
    from gribble.cli.session import MOST_PASSED_OVER, Session, scope_of
    from gribble.core.base.errors import ExitCode
    from gribble.core.placing.planfile import is_plan, plan_bytes, plan_record
    from gribble.core.records.findings import State
    from gribble.stores.local import refuse_foreign, write_over
    from gribble.views.plan import show_plan

    scope = scope_of(rig, emulators, from_, at)
    with Session(config, strict=True) as session:
        if out:
            session.refuse_source(Path(out), "--out FILE")
            refuse_foreign(Path(out), is_plan, "plan")
        audits = session.look(scope, told=MOST_PASSED_OVER).audit(scope, packing=True)
        made = planned(session, audits, only, skip, by_name=by_name)
        if out:
            write_over(Path(out), iter([plan_bytes(made)]))
        if json:
            session.screen.json(plan_record(made))
        else:
            show_plan(session.screen, made, audits)
            if made.steps:
                words = f" --plan {shlex.quote(out)}" if out else scope.words + narrowing(only, skip, by_name=by_name)
                session.screen.next(f"gribble place{words}", "shows this plan, asks, and carries it out")
        if made.steps or made.obtain or made.refused:
            return ExitCode.ATTENTION
        return ExitCode.FAILED if State.AWAY in {found.state for found in audits} else ExitCode.CLEAN
