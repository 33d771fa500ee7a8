"""`gribble report`: the state of everything, to keep or to share."""

from __future__ import annotations

from functools import partial
from typing import Annotated

import typer

from gribble.cli.command import Call, command
from gribble.cli.options import ReplaceOption
from gribble.cli.session import Session
from gribble.cli.surveying import aged, survey
from gribble.core.answers.report import Since, for_others, make_report, runs_since
from gribble.core.answers.rosters import arcade_places, match_releases
from gribble.core.base.errors import GribbleError
from gribble.core.base.filewriter import check_target, write_file
from gribble.core.records.config import Ask
from gribble.views.looks import kept_words, shorten
from gribble.views.report import (
    CSV,
    HTML,
    MARKDOWN,
    OBTAIN,
    answer_of,
    brief_markdown,
    obtain_csv,
    report_brief,
    report_csv,
    report_html,
    report_json,
    report_markdown,
)


@command("report", takes="emulators rig from_ at json config")
def report(
    call: Call,
    html: Annotated[str | None, typer.Option("--html", metavar="FILE", help="A page in one file.")] = None,
    csv: Annotated[str | None, typer.Option("--csv", metavar="FILE", help="A table with a row for each need.")] = None,
    markdown: Annotated[str | None, typer.Option("--markdown", metavar="FILE", help="Markdown.")] = None,
    obtain: Annotated[
        str | None,
        typer.Option("--obtain", metavar="FILE", help="A table of what to obtain, with a row for each file."),
    ] = None,
    brief: Annotated[
        bool, typer.Option("--brief", help="A summary in Markdown, for a message; also: --markdown --brief.")
    ] = False,
    replace: ReplaceOption = False,
    title: Annotated[str | None, typer.Option(metavar="TEXT", help="The title of the page.")] = None,
    since: Annotated[
        str | None, typer.Option("--since", metavar="RUN|DATE", help="Also show what runs have changed since then.")
    ] = None,
) -> int:
    """What runs and what is missing: a page, a table.

    It also says why the rest does not run, and what you have to obtain.

    A dash in place of FILE is standard output.

    Example: gribble report --html report.html
    """
    if markdown == "--brief":  # which the parser takes for the name of the file
        markdown, brief = None, True
    forms = (
        ("--html", html, HTML, partial(report_html, title=title or "")),
        ("--csv", csv, CSV, report_csv),
        ("--markdown", markdown, MARKDOWN, brief_markdown if brief else report_markdown),
        ("--obtain", obtain, OBTAIN, obtain_csv),
    )
    wanted = [
        (option, call.environment.path(name), own, text) for option, name, own, text in forms if name not in (None, "-")
    ]
    shown = [text for _, name, _, text in forms if name == "-"] + [report_brief] * (brief and markdown is None)
    if not wanted and not shown and not call.json:
        raise GribbleError(
            "say which form the report should have",
            fix="gribble report --html FILE, --csv FILE, --markdown FILE, --obtain FILE, --brief or --json",
        )
    if len(shown) + call.json > 1:
        raise GribbleError("two forms of the report cannot go to standard output", fix="Name a file for one of them.")
    if len({target for _, target, _, _ in wanted}) < len(wanted):
        raise GribbleError("two forms of the report cannot go into one file", fix="Name a file for each.")
    with Session(call) as session:
        scope = call.scope
        for option, target, own, _ in wanted:
            session.loaded.refuse_source(target, f"{option} FILE")
            check_target(target, own, replace_other=replace)
        runs = [run for where in session.rigs_with_runs(scope) for run in where.runs()]
        try:
            chosen = runs_since(runs, since) if since else []
        except ValueError:
            raise GribbleError(
                f"--since {since} is not a run and not a day",
                fix="Give a run's number (gribble history lists them) or a day, such as 2026-11-23.",
            ) from None
        world = survey(session, scope)
        audits = aged(session, world.audit(Ask(scope=scope)))
        arcade = any(one.arcade for found in world.rigs if not found.away for one in found.emulators)
        matched = match_releases(world, arcade_places(world, (), ())) if arcade else []
        when = call.environment.clock().isoformat(sep=" ", timespec="minutes")
        changed = Since(since or "", tuple(chosen))
        made = make_report(world, audits, when, shorten if call.json else str, matched, changed)
        shared = for_others(made, session.folder, str(call.environment.home)) if wanted or shown else made
        for _, target, own, text in wanted:
            kept = write_file(target, [text(shared).encode("utf-8", "replace")], own=own, replace_other=replace)
            session.screen.tell(f"written: {shorten(str(target))}{kept_words(kept)}")
        if call.json:
            session.screen.json(report_json(made))
        elif shown:
            session.screen.raw(shown[0](shared))
        else:
            session.screen.say(answer_of(made))
        return session.ended_for(audits)
