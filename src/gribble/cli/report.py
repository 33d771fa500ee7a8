"""`gribble report`: the state of everything, to keep or to share."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Annotated, NamedTuple

import typer

from gribble.cli.command import Call, command
from gribble.cli.options import ReplaceOption
from gribble.cli.session import Session
from gribble.cli.surveying import aged, survey
from gribble.core.answers.report import Report, Since, for_others, make_report, runs_since
from gribble.core.answers.rosters import arcade_places, match_releases
from gribble.core.base.errors import GribbleError
from gribble.core.base.filewriter import Own, check_target, write_file
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


class _File(NamedTuple):
    """A form of the report that goes into a file: its option, and what tells an earlier report of its kind."""

    option: str
    target: Path
    own: Own
    text: Callable[[Report], str]


class _Forms(NamedTuple):
    """The forms of the report that go into files, and the one that goes to standard output."""

    files: tuple[_File, ...]
    shown: Callable[[Report], str] | None

    @classmethod
    def of(cls, call: Call, named: tuple[str | None, ...], brief: bool, title: str) -> _Forms:
        """What the options ask for, with their files as they are `named`. Raises GribbleError if it makes no sense."""
        forms: tuple[tuple[str, Own, Callable[[Report], str]], ...] = (
            ("--html", HTML, partial(report_html, title=title)),
            ("--csv", CSV, report_csv),
            ("--markdown", MARKDOWN, brief_markdown if brief else report_markdown),
            ("--obtain", OBTAIN, obtain_csv),
        )
        asked = [(*form, name) for form, name in zip(forms, named, strict=True) if name is not None]
        files = tuple(
            _File(option, call.environment.path(name), own, text) for option, own, text, name in asked if name != "-"
        )
        shown = [text for _, _, text, name in asked if name == "-"]
        if brief and all(option != "--markdown" for option, *_ in asked):
            shown.append(report_brief)
        if not files and not shown and not call.json:
            raise GribbleError(
                "say which form the report should have",
                fix="gribble report --html FILE, --csv FILE, --markdown FILE, --obtain FILE, --brief or --json",
            )
        if len(shown) + call.json > 1:
            raise GribbleError(
                "two forms of the report cannot go to standard output", fix="Name a file for one of them."
            )
        if len({one.target for one in files}) < len(files):
            raise GribbleError("two forms of the report cannot go into one file", fix="Name a file for each.")
        return cls(files, shown[0] if shown else None)


def _since(session: Session, since: str | None) -> Since:
    """The runs since a run or a day. Raises GribbleError for anything else."""
    runs = [run for where in session.rigs_with_runs(session.call.scope) for run in where.runs()]
    try:
        return Since(since or "", tuple(runs_since(runs, since)) if since else ())
    except ValueError:
        raise GribbleError(
            f"--since {since} is not a run and not a day",
            fix="Give a run's number (gribble history lists them) or a day, such as 2026-11-23.",
        ) from None


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
    forms = _Forms.of(call, (html, csv, markdown, obtain), brief, title or "")
    with Session(call) as session:
        scope = call.scope
        for one in forms.files:
            session.loaded.refuse_source(one.target, f"{one.option} FILE")
            check_target(one.target, one.own, replace_other=replace)
        changed = _since(session, since)
        world = survey(session, scope)
        audits = aged(session, world.audit(Ask(scope=scope)))
        arcade = any(one.arcade for found in world.rigs if not found.away for one in found.emulators)
        matched = match_releases(world, arcade_places(world, (), ())) if arcade else []
        when = call.environment.clock().isoformat(sep=" ", timespec="minutes")
        made = make_report(world, audits, when, shorten if call.json else str, matched, changed)
        shared = for_others(made, session.folder, str(call.environment.home)) if forms.files or forms.shown else made
        for one in forms.files:
            text = one.text(shared).encode("utf-8", "replace")
            kept = write_file(one.target, [text], own=one.own, replace_other=replace)
            session.screen.tell(f"written: {shorten(str(one.target))}{kept_words(kept)}")
        if call.json:
            session.screen.json(report_json(made))
        elif forms.shown:
            session.screen.raw(forms.shown(shared))
        else:
            session.screen.say(answer_of(made))
        return session.ended_for(audits)
