"""`gribble place`: the plan carried out."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, NamedTuple

import typer

from gribble.cli.command import Call, command
from gribble.cli.options import (
    ByNameOption,
    GamesOption,
    HiddenOption,
    LinkOption,
    OnlyOption,
    ReplaceOption,
    SkipOption,
    TrustOption,
    YesOption,
)
from gribble.cli.running import finish_open_runs, narrow, narrowing, place_plan, planned, refuse_to_resume, stamped
from gribble.cli.session import Session
from gribble.cli.surveying import MOST_PASSED_OVER, survey
from gribble.core.audit.asked import read_preferred
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.filewriter import check_target, write_file
from gribble.core.placing.plan import linked, preferable
from gribble.core.placing.planfile import PLAN, judged, plan_bytes, plan_record, read_plan
from gribble.core.records.config import Ask
from gribble.core.records.steps import Plan
from gribble.views.looks import kept_words, shorten
from gribble.views.plan import show_plan
from gribble.views.shell import behind, quoted


@command("plan", takes="emulators rig from_ at json config")
def plan(
    call: Call,
    only: OnlyOption = None,
    skip: SkipOption = None,
    by_name: ByNameOption = False,
    games: GamesOption = False,
    out: Annotated[str | None, typer.Option(metavar="FILE", help="Write the plan to a file, as JSON.")] = None,
    replace: ReplaceOption = False,
    hidden: HiddenOption = False,
) -> int:
    """The steps that would put things right.

    Nothing is written to a rig.

    Example: gribble plan --rig lighthouse
    """
    with Session(call, strict=True) as session:
        scope = call.scope
        if out:
            session.loaded.refuse_source(call.environment.path(out), "--out FILE")
            check_target(call.environment.path(out), PLAN, replace_other=replace)
        session.rigs.hidden = hidden
        session.tell_idle()
        audits = survey(session, scope, told=MOST_PASSED_OVER).audit(Ask(scope=scope, games=games, packing=True))
        made = session.rigs.guard(planned(session, audits, only, skip, by_name=by_name), scope)
        if not made.obtain:
            session.notes.nothing_lacks()
        if out or call.json:
            made = stamped(session, scope, made)
        if out:
            path = call.environment.path(out)
            if kept := write_file(path, [plan_bytes(made)], own=PLAN, replace_other=replace):
                session.notes.aside(f"note: {shorten(str(path))} is written{kept_words(kept)}")
        if call.json:
            session.screen.json(plan_record(made))
        else:
            show_plan(session.screen, made, audits, verbose=call.verbose, narrowed=bool(only or skip))
            if made.steps:
                narrowed = behind(scope.words) + narrowing(only, skip, by_name=by_name, games=games, hidden=hidden)
                words = f" --plan {quoted(out)}{' --hidden' * hidden}" if out else narrowed
                session.screen.next(f"gribble place{words}", "shows this plan, asks, and carries it out")
        stays = any(found.unready for found in audits) and not (only or skip)
        if made.steps or made.obtain or made.refused or made.away or stays:
            return ExitCode.ATTENTION
        return ExitCode.FAILED if any(found.away for found in audits) else ExitCode.CLEAN


class PlaceOptions(NamedTuple):
    """The options of `gribble place`."""

    only: OnlyOption = None
    skip: SkipOption = None
    plan: Annotated[str | None, typer.Option(metavar="FILE", help="Carry out a plan that was written before.")] = None
    link: LinkOption = None
    trust_size: TrustOption = False
    yes: YesOption = False
    resume: Annotated[bool, typer.Option("--resume", help="Only finish a run that was cut short.")] = False
    by_name: ByNameOption = False
    games: GamesOption = False
    hidden: HiddenOption = False
    prefer: Annotated[
        list[str] | None,
        typer.Option(
            "--prefer",
            metavar="NEED[=LABEL]",
            help="Use the content that you like best, even where another one is right; or the one with this label.",
        ),
    ] = None


@command("place", takes="emulators rig from_ at json config")
def place(call: Call, options: PlaceOptions) -> int:
    """Put things right: show the plan, ask, do it.

    Nothing is deleted. Files that are replaced go to the attic, and `gribble undo` undoes the run.

    Example: gribble place --rig lighthouse
    """
    nothing = {**plan_record(Plan(steps=())), "runs": []}
    del nothing["gribble"]
    return call.done_as("place/1", lambda call: _place(call, options), **nothing)


def _place(call: Call, options: PlaceOptions) -> int:
    asked = call.scope.emulators, call.scope.sources, options.by_name, options.games, options.prefer
    if options.plan and any(asked):
        raise GribbleError(
            "--plan carries out the whole plan as it was written", fix="To do less, use --rig, --only or --skip."
        )
    with Session(call, strict=not options.resume, lenient=options.resume) as session:
        session.rigs.trust_size = options.trust_size
        session.rigs.hidden = options.hidden
        finished = finish_open_runs(session, call.scope, options.yes or options.resume)
        if options.resume or finished in (ExitCode.INTERRUPTED, ExitCode.ATTENTION):
            if finished is None:
                refuse_to_resume(session, call.scope)
                session.screen.say("No run was cut short, so there is nothing to finish.")
            return finished or ExitCode.CLEAN
        code = _place_written(session, options.plan, options) if options.plan else _place_planned(session, options)
        return finished or code or (ExitCode.FAILED if session.closed else ExitCode.CLEAN)


def _place_written(session: Session, plan: str, options: PlaceOptions) -> int:
    """A plan that was written to a file, carried out; the exit status."""
    call = session.call
    read = judged(
        read_plan(call.environment.path(plan), session.loaded.config.rig), Path(plan), session.rigs.readable()
    )
    made = session.rigs.reachable(narrow(read, options.only, options.skip), call.scope)
    return place_plan(session, call.scope, (), linked(made) if options.link else made, options.yes)


def _place_planned(session: Session, options: PlaceOptions) -> int:
    """A plan made now, and carried out; the exit status."""
    scope = session.call.scope
    session.tell_idle()
    prefer = read_preferred(options.prefer or (), session.loaded.config, session.loaded.catalogue.sheets)
    ask = Ask(scope=scope, games=options.games, packing=True, prefer=prefer)
    audits = survey(session, scope, told=MOST_PASSED_OVER).audit(ask)
    if prefer and not preferable(audits, prefer):
        words = f"There is no other file for {', '.join(prefer)}"
        session.screen.say(f"{words}: the one in place is already the one that you like best.")
        return ExitCode.CLEAN
    only = [*(options.only or ()), *prefer]
    made = planned(session, audits, only, options.skip, by_name=options.by_name)
    if not made.obtain:
        session.notes.nothing_lacks()
    made, narrowed = linked(made) if options.link else made, bool(only or options.skip)
    return place_plan(session, scope, audits, made, options.yes, narrowed=narrowed)
