"""Track sheets and playlists written: on a rig as a run that can be undone, elsewhere with the former ones kept."""

from __future__ import annotations

from pathlib import Path

from gribble.cli.asking import ask
from gribble.cli.command import Call
from gribble.cli.running import place_plan
from gribble.cli.session import Session
from gribble.core.base.errors import ExitCode
from gribble.core.base.filewriter import changed, stamp_at, write_file
from gribble.core.placing.texts import Text, encoded, steps_of
from gribble.core.records.plan import Plan
from gribble.views.looks import count, kept_words, shorten


def write_texts(call: Call, texts: list[Text], session: Session | None, yes: bool, option: str) -> int:
    """Show, ask and write; the exit status. `option` is what to name instead of a place in a source.

    Raises GribbleError for a place in a source, before anything is written.
    """
    here = [(Path(one.path), one) for one in texts if not one.rig]
    for target, _ in here:
        if session:
            session.loaded.refuse_source(target, option)
    code: int = ExitCode.CLEAN
    if steps := [step for one in texts if one.rig for step in steps_of(one)]:
        assert session is not None  # what is on a rig is known from a configuration
        code = place_plan(session, call.scope, (), Plan(steps=tuple(steps)), yes)
    if not here:
        return code
    folders = {target.parent for target, _ in here}
    before = {target: stamp_at(target) for target, _ in here}
    where = f" to {shorten(str(folders.pop()))}" if len(folders) == 1 else ""
    if not ask(call, f"Write {count(len(here), 'file')}{where}? What is there already is kept beside it.", yes):
        return ExitCode.ATTENTION
    for target, one in here:
        if stamp_at(target) != before[target]:
            raise changed(target)
        kept = write_file(target, [encoded(one)], replace_other=True)
        call.screen.say(f"written: {shorten(str(target))}{kept_words(kept)}")
    return code
