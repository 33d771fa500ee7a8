"""`gribble report`: the state of everything, to keep or to share."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.command import Call, command
from gribble.cli.session import Session
from gribble.cli.surveying import aged, survey
from gribble.core.answers.report import make_report, runs_since
from gribble.core.answers.rosters import arcade_places, match_releases
from gribble.core.base.errors import GribbleError
from gribble.stores.local import refuse_foreign, write_over
from gribble.views.looks import shorten
from gribble.views.report import answer_of, is_report, report_csv, report_html, report_json, report_markdown


@command("report", takes="rig from_ at json config")
def report(
    call: Call,
    html: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--html", metavar="FILE", help="A page that stands alone.", show_default=False),
    ] = None,
    csv: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--csv", metavar="FILE", help="A table, a row for each thing wanted.", show_default=False),
    ] = None,
    markdown: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--markdown", metavar="FILE", help="Markdown.", show_default=False),
    ] = None,
    since: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--since", metavar="RUN|DATE", help="Also what runs changed since then.", show_default=False),
    ] = None,
) -> int:
    """A page or a table on what runs, and what lacks.

    With why the rest does not run, and what is to be obtained.

    Example: gribble report --html report.html
    """
    forms = (("--html", html, report_html), ("--csv", csv, report_csv), ("--markdown", markdown, report_markdown))
    wanted = [(option, call.environment.path(name), write) for option, name, write in forms if name is not None]
    if not wanted and not call.json:
        raise GribbleError(
            "no form of report is named", fix="gribble report --html FILE, --csv FILE, --markdown FILE or --json"
        )
    if len({target for _, target, _ in wanted}) < len(wanted):
        raise GribbleError("two forms of report are to go into one file", fix="Name a file for each.")
    scope = call.scope
    with Session(call) as session:
        for option, target, _ in wanted:
            session.loaded.refuse_source(target, f"{option} FILE")
            refuse_foreign(target, is_report, "report")
        runs = [run for where in session.rigs.in_scope(scope) for run in where.runs()]
        try:
            chosen = runs_since(runs, since) if since else []
        except ValueError:
            raise GribbleError(
                f"--since {since} is no run and no day",
                fix="Give a run's number (gribble history lists them) or a day, such as 2026-11-23.",
            ) from None
        world = survey(session, scope)
        audits = aged(session, world.audit(scope))
        arcade = any(one.arcade for found in world.rigs if not found.away for one in found.emulators)
        matched = match_releases(world, arcade_places(world, (), ())) if arcade else []
        when = call.environment.clock().isoformat(sep=" ", timespec="minutes")
        made = make_report(world, audits, when, matched, since or "", chosen)
        for _, target, write in wanted:
            write_over(target, iter([write(made).encode("utf-8", "replace")]))
            session.screen.tell(f"written: {shorten(str(target))}")
        if call.json:
            session.screen.json(report_json(made))
        else:
            session.screen.say(answer_of(made))
        return session.ended_for(audits)
