"""`gribble why`: the reasons why an emulator will not run."""

from __future__ import annotations

from typing import Annotated

import typer
from msgspec import structs

from gribble.cli.command import Call, command
from gribble.cli.completing import subjects
from gribble.cli.session import Session
from gribble.cli.surveying import survey
from gribble.core.answers.why import answers, set_answers
from gribble.core.records.findings import Remedy
from gribble.views.why import show_why, why_json


@command("why", takes="rig from_ at json config")
def why(
    call: Call,
    name: Annotated[str, typer.Argument(metavar="EMULATOR | SET", help="What will not run.", autocompletion=subjects)],
    as_emulator: Annotated[bool, typer.Option("--emulator", help="The name is an emulator's.")] = False,
    as_set: Annotated[bool, typer.Option("--set", help="The name is a set's.")] = False,
) -> int:
    """Why an emulator or a set will not run, in order.

    First things first, each with the next step.

    Example: gribble why sandpiper
    """
    with Session(call) as session:
        emulators = {emulator for one in session.loaded.config.rig.values() for emulator in one.emulators}
        is_set = as_set or (name not in emulators and not as_emulator and bool(session.loaded.catalogue.rosters))
        scope = call.scope if is_set else structs.replace(call.scope, emulators=(name,))
        if is_set:
            found = set_answers(survey(session, scope, sets=[name], also=emulators).audit(scope), name)
        else:
            found = answers(survey(session, scope).audit(scope, games=True))
            found = [one for one in found if one.emulator or name in session.loaded.config.rig[one.rig.rig].emulators]
        if all(reason.remedy is not Remedy.OBTAIN for answer in found for reason in answer.reasons):
            session.notes.nothing_lacks()
        if call.json:
            session.screen.json(why_json(name, found))
        else:
            show_why(session.screen, found, verbose=call.verbose)
        return session.ended(answer.state for answer in found)
