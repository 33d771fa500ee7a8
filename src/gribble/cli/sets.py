"""`gribble sets check|show`: arcade sets, and whether they run."""

from __future__ import annotations

from typing import Annotated

import typer

from gribble.cli.check import SortOption, VerdictsOption, chosen_verdicts, sorted_audits, with_verdicts
from gribble.cli.command import Call, command
from gribble.cli.completing import sets as set_names
from gribble.cli.needs import show_families
from gribble.cli.options import OnlyOption, RereadOption, SkipOption, VerboseOption, YesOption
from gribble.cli.running import finish_open_runs, place_plan, planned
from gribble.cli.session import Session
from gribble.cli.surveying import MOST_PASSED_OVER, sets_named, survey
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.kinds import Style
from gribble.core.records.config import Ask
from gribble.views.sets import sets_json, show_checked

SetsArgument = Annotated[
    list[str] | None,
    typer.Argument(metavar="[SET]...", help="Only these (default: those wanted).", autocompletion=set_names),
]


@command("sets check", takes="rig from_ at json config")
def check(
    call: Call,
    names: SetsArgument = None,
    reread: RereadOption = False,
    show: VerdictsOption = None,
    sort: SortOption = None,
    verbose: VerboseOption = False,
) -> int:
    """Which sets run, and what is wrong in the others.

    For sets that do not run it shows each wrong file, and where you have a right one.

    Example: gribble sets check --sort worst
    """
    chosen = chosen_verdicts(show)
    with Session(call) as session:
        scope, asked = call.scope, sets_named(session, call.scope, names or ())
        world = survey(session, scope, reread=reread)
        with_sets = {found.name for found in world.rigs if any(one.arcade for one in found.emulators)}
        audits = tuple(
            found for found in world.audit(Ask(scope=scope, sets_only=True, sets=asked)) if found.rig in with_sets
        )
        audits = sorted_audits(with_verdicts(audits, chosen), sort)
        if call.json:
            session.screen.json(sets_json(audits))
        else:
            show_checked(session.screen, audits, verbose=verbose or bool(names), only=chosen)
        states = [one.state for found in audits for emulator in found.emulators for one in emulator.sets]
        code = session.ended(states)
        return ExitCode.FAILED if code == ExitCode.CLEAN and any(found.away for found in audits) else code


@command("sets pack", takes="rig from_ at config")
def pack(
    call: Call,
    names: SetsArgument = None,
    style: Annotated[
        Style | None, typer.Option(metavar="STYLE", help="split, merged or full (default: the rig's own).")
    ] = None,
    stubs: Annotated[bool, typer.Option("--stubs", help="Leave an empty archive for each merged clone.")] = False,
    lean: Annotated[bool, typer.Option("--lean", help="Leave out files that no wanted set needs.")] = False,
    only: OnlyOption = None,
    skip: SkipOption = None,
    yes: YesOption = False,
) -> int:
    """Build and repack archives from your files.

    It also renames and repacks archives. Without a style it only brings the files that sets need.

    Example: gribble sets pack --style merged
    """
    if lean and names:
        raise GribbleError(
            "--lean looks at all wanted sets at once",
            fix="Leave out the names of sets.",
        )
    with Session(call, strict=True) as session:
        scope = call.scope
        finished = finish_open_runs(session, scope, yes)
        if finished in (ExitCode.INTERRUPTED, ExitCode.ATTENTION):
            return finished
        asked = sets_named(session, scope, names or ())
        world = survey(session, scope, told=MOST_PASSED_OVER)
        ask = Ask(scope=scope, sets_only=True, sets=asked, packing=True, style=style, stubs=stubs, lean=lean)
        audits = world.audit(ask)
        code = place_plan(session, scope, audits, planned(session, audits, only, skip), yes, narrowed=True)
        return finished or code


@command("sets show", takes="rig json config")
def show(
    call: Call,
    name: Annotated[str, typer.Argument(metavar="SET", help="The set.", autocompletion=set_names)],
) -> int:
    """A set and its family, file by file.

    It shows its own files, its parent's, its BIOS set's and its devices', and says which of them you have.

    Example: gribble sets show saltpan
    """
    with Session(call) as session:
        return show_families(session, call.scope, [name], call.json)
