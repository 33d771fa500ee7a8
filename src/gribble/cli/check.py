"""`gribble check`: the audit."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer
from msgspec import structs

from gribble.cli.command import Call, command
from gribble.cli.completing import emulators, sets, subjects, verdicts
from gribble.cli.environment import Environment
from gribble.cli.finding import find_config
from gribble.cli.options import GamesOption, QuietOption, RereadOption, VerboseOption
from gribble.cli.session import Session
from gribble.cli.surveying import MOST_PASSED_OVER, aged, as_installed, sets_named, survey
from gribble.core.answers.looked import Since, changes, look, remembered
from gribble.core.answers.next import next_of
from gribble.core.answers.rows import by_name, worst_first
from gribble.core.answers.why import Answer, answers, set_answers
from gribble.core.audit.asked import meant
from gribble.core.base.amounts import count
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.suggest import suggest
from gribble.core.records.config import Ask, Scope
from gribble.core.records.findings import Remedy, RigAudit, Standing, Verdict
from gribble.views.check import answer_of, show_check, show_next, show_only, show_since, show_start, show_state
from gribble.views.check_json import check_json, since_json, state_json
from gribble.views.set_releases import changes_json, show_changes
from gribble.views.shell import behind
from gribble.views.why import show_why, why_json


class Sort(StrEnum):
    """What findings are sorted by; else they stand as in `gribble.toml`, sheet and roster."""

    NAME = "name"
    WORST = "worst"


SortOption = Annotated[
    Sort | None, typer.Option("--sort", metavar="name|worst", help="By name, or what is worst first.")
]


VerdictsOption = Annotated[
    list[str] | None,
    typer.Option(
        "--show",
        metavar="VERDICT",
        help="Show only what is missing, say, or damaged (may be repeated).",
        autocompletion=verdicts,
    ),
]


def chosen_verdicts(words: list[str] | None) -> frozenset[str]:
    """The verdicts that `--show` names. Raises GribbleError for a word that is none."""
    for word in words or ():
        if word not in list(Verdict):
            raise GribbleError(
                f"'{word}' is not a verdict{suggest(word, list(Verdict))}", fix=f"One of {', '.join(Verdict)}."
            )
    return frozenset(words or ())


def with_verdicts(audits: tuple[RigAudit, ...], chosen: frozenset[str]) -> tuple[RigAudit, ...]:
    """The audits with only those sets of which something has one of some verdicts; all where none is chosen."""
    if not chosen:
        return audits
    narrowed = []
    for found in audits:
        group = [
            structs.replace(
                one,
                arcade=structs.replace(
                    one.arcade, sets=tuple(each for each in one.sets if not chosen.isdisjoint(each.verdicts))
                ),
            )
            for one in found.emulators
        ]
        narrowed.append(structs.replace(found, emulators=tuple(group)))
    return tuple(narrowed)


def sorted_audits(audits: tuple[RigAudit, ...], sort: Sort | None) -> tuple[RigAudit, ...]:
    """The audits in the order that is asked for."""
    match sort:
        case None:
            return audits
        case Sort.NAME:
            return by_name(audits)
        case Sort.WORST:
            return worst_first(audits)


@command("check", takes="emulators rig from_ at as_ json config")
def check(
    call: Call,
    games: GamesOption = False,
    reread: RereadOption = False,
    show: VerdictsOption = None,
    sort: SortOption = None,
    since: Annotated[
        bool, typer.Option("--since", help="Show only what changed since a check that you looked at.")
    ] = False,
    quiet: QuietOption = False,
    verbose: VerboseOption = False,
) -> int:
    """What is right or wrong on your rigs, and the cure.

    It shows what is misnamed, astray, wrong or missing, and what would put it right.

    Example: gribble check sandpiper --show missing --from discs
    """
    chosen = chosen_verdicts(show)
    if call.json + bool(show) + quiet > 1:
        raise GribbleError("--json, --show and --quiet do not go together", fix="Use one of them.")
    if since and (show or quiet or call.scope.releases):
        raise GribbleError("--since does not go together with --show, --quiet or --as", fix="Use one of them.")
    with Session(call) as session:
        scope = call.scope
        world = survey(session, scope, reread=reread, told=MOST_PASSED_OVER)
        audits = sorted_audits(world.audit(Ask(scope=scope, games=games)), sort)
        if verbose or call.json:
            audits = aged(session, audits)
        before = as_installed(session, world, scope).audit(Ask(scope=scope)) if scope.releases else ()
        if call.json:
            answer = check_json(audits, world.away, world.passed_over)
            more = changes_json(before, audits) if before else {}
            more |= since_json(changed_since(session, audits, last=False)) if since else {}
            session.screen.json({**answer, **more})
        elif since:
            show_since(session.screen, audits, changed_since(session, audits, last=False), _now(call))
        else:
            _show(session, audits, before, chosen, quiet=quiet, verbose=verbose)
        code = session.ended_for(audits)
        games_found = (one for found in audits for emulator in found.emulators for one in emulator.games or ())
        faulty = any(Standing.REMARK not in one.standing for one in games_found)
        return ExitCode.ATTENTION if faulty and code == ExitCode.CLEAN else code


def _show(
    session: Session,
    audits: tuple[RigAudit, ...],
    before: tuple[RigAudit, ...],
    chosen: frozenset[str],
    *,
    quiet: bool,
    verbose: bool,
) -> None:
    """The audits for a terminal, what other releases change `before` them, and what to do next."""
    words = session.call.scope.words
    if before:
        show_changes(session.screen, before, audits)
    if quiet:
        session.screen.say(answer_of(audits))
        session.notes.hush()
        return
    if chosen:
        show_only(session.screen, audits, chosen, behind(words))
        return
    if before and not verbose and any(one.sets for found in audits for one in found.emulators):
        session.screen.say(answer_of(audits), "  (-v shows everything)")  # the costs are answer enough
    elif before:
        show_check(session.screen, audits, verbose=verbose)
    else:
        since = changed_since(session, audits).words(_now(session.call))
        show_check(session.screen, audits, verbose=verbose, since=since)
        if session.screen.out.is_terminal and not session.call.scope.sources:
            looked_at(session, audits)
    if before:
        session.screen.next(f"gribble check{behind(words)}", "as it is installed now")
    else:
        show_next(session.screen, next_of(audits, words))


def _now(call: Call) -> float:
    return call.environment.clock().timestamp()


def _memory(session: Session) -> Path | None:
    """Where it is remembered what earlier checks said."""
    return session.loaded.memory / "looked.json" if session.loaded.memory else None


def changed_since(session: Session, audits: tuple[RigAudit, ...], *, last: bool = True) -> Since:
    """What has changed since the last check that somebody looked at, or since the last one that was different."""
    memory = remembered(_memory(session))
    return changes(memory.last if last else memory.before, audits)


def looked_at(session: Session, audits: tuple[RigAudit, ...]) -> None:
    """Somebody looks at a check: remember what it says."""
    if memory := _memory(session):
        look(memory, audits, _now(session.call))


@command("why", takes="rig from_ at json config")
def why(
    call: Call,
    name: Annotated[
        str | None, typer.Argument(metavar="EMULATOR | SET", help="What will not run.", autocompletion=subjects)
    ] = None,
    emulator: Annotated[
        str | None,
        typer.Option(metavar="NAME", help="An emulator, if a set has the same name.", autocompletion=emulators),
    ] = None,
    set_: Annotated[
        str | None,
        typer.Option("--set", metavar="NAME", help="A set, if an emulator has the same name.", autocompletion=sets),
    ] = None,
) -> int:
    """Why an emulator or a set will not run, in order.

    It shows the reasons in the order in which you put them right, with the next step.

    Example: gribble why sandpiper
    """
    named = [one for one in (name, emulator, set_) if one]
    if len(named) != 1:
        raise GribbleError(
            f"gribble why answers one question at a time, but {count(len(named), 'name')} were given"
            if named
            else "name an emulator or a set",
            fix="For example: gribble why sandpiper",
        )
    with Session(call) as session:
        subject, found = _answers_about(session, named[0], as_emulator=emulator is not None, as_set=set_ is not None)
        if all(reason.remedy is not Remedy.OBTAIN for answer in found for reason in answer.reasons):
            session.notes.nothing_lacks()
        if call.json:
            session.screen.json(why_json(subject, found))
        else:
            show_why(session.screen, found, verbose=call.verbose)
        return session.ended(answer.state for answer in found)


def _answers_about(session: Session, name: str, *, as_emulator: bool, as_set: bool) -> tuple[str, list[Answer]]:
    """What a name stands for, an emulator or a set, and why it will not run on each rig. Raises GribbleError."""
    config, sheets, scope = session.loaded.config, session.loaded.catalogue.sheets, session.call.scope
    entered = {emulator for one in config.rig.values() for emulator in one.emulators}
    name = name if as_set else meant(config, sheets, Scope(emulators=(name,))).emulators[0]
    is_emulator = as_emulator or name in {*entered, *sheets} or not session.loaded.catalogue.rosters
    if as_set or not is_emulator:
        asked = sets_named(session, scope, (name,), entered)
        return name, set_answers(survey(session, scope).audit(Ask(scope=scope, sets_only=True, sets=asked)))
    scope = structs.replace(scope, emulators=(name,))
    found = answers(survey(session, scope).audit(Ask(scope=scope, games=True)))
    return name, [one for one in found if one.emulator or name in config.rig[one.rig.rig].emulators]


def show_status(environment: Environment, config: str | None, *, json: bool = False) -> int:
    """Each rig and emulator in a line; without a configuration, how to begin."""
    call = Call(environment, {"config": config, "json": json})
    call.screen.activity.begin("Working")
    try:
        return _status(call)
    finally:
        call.end()


def _status(call: Call) -> int:
    if find_config(call.environment, call.config) is None:
        if call.json:
            call.screen.json(state_json((), None, Since()))
        else:
            show_start(call.screen)
        return ExitCode.CLEAN
    with Session(call) as session:
        audits = survey(session, Scope()).audit(Ask())
        session.notes.nothing_lacks()  # what lacks is told by the commands that this one leads to
        since = changed_since(session, audits)
        if call.json:
            session.screen.json(state_json(audits, next_of(audits), since))
        else:
            show_state(session.screen, audits, since.words(_now(call)))
        return session.ended_for(audits)
