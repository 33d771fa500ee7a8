"""`gribble check`: the audit."""

from __future__ import annotations

from gribble.cli.command import Call, command
from gribble.cli.options import GamesOption, QuietOption, RereadOption, VerboseOption
from gribble.cli.session import Session
from gribble.cli.sorting import SortOption, VerdictsOption, chosen_verdicts, sorted_audits
from gribble.cli.surveying import MOST_PASSED_OVER, aged, as_installed, survey
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.views.changes import changes_json, show_changes
from gribble.views.check import answer_of, show_check, show_next, show_only
from gribble.views.check_json import check_json
from gribble.views.shell import behind


@command("check", takes="emulators rig from_ at as_ json config")
def check(
    call: Call,
    games: GamesOption = False,
    reread: RereadOption = False,
    only: VerdictsOption = None,
    sort: SortOption = None,
    quiet: QuietOption = False,
    verbose: VerboseOption = False,
) -> int:
    """What is right or wrong on your rigs, and the cure.

    What is misnamed, astray, wrong or missing, and what would put it right.

    Example: gribble check sandpiper --only missing --from discs
    """
    chosen = chosen_verdicts(only)
    if call.json + bool(only) + quiet > 1:
        raise GribbleError("--json tells everything, --only a part, --quiet one line", fix="Use one of them.")
    scope = call.scope
    with Session(call) as session:
        world = survey(session, scope, reread=reread, verbose=verbose, told=MOST_PASSED_OVER)
        audits = sorted_audits(world.audit(scope, games=games), sort)
        if verbose or call.json:
            audits = aged(session, audits)
        before = as_installed(session, world, scope).audit(scope) if scope.releases else ()
        if call.json:
            answer = check_json(audits, world.away, world.passed_over)
            session.screen.json({**answer, **(changes_json(before, audits) if before else {})})
        else:
            if before:
                show_changes(session.screen, before, audits)
            if quiet:
                session.screen.say(answer_of(audits))
                session.notes.hush()
            elif only:
                show_only(session.screen, audits, chosen, behind(scope.words))
            else:
                show_check(session.screen, audits, verbose=verbose)
                if before:
                    session.screen.next(f"gribble check{behind(scope.words)}", "as it is installed now")
                else:
                    show_next(session.screen, audits, scope=behind(scope.words))
        code = session.ended_for(audits)
        games_found = (one for found in audits for emulator in found.emulators for one in emulator.games or ())
        faulty = any(not one.remark for one in games_found)
        return ExitCode.ATTENTION if faulty and code == ExitCode.CLEAN else code
