"""`gribble mend`: damaged files rebuilt, where the result can be proven."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

from gribble.cli.command import Call, command
from gribble.cli.session import Session
from gribble.cli.surveying import survey_with
from gribble.core.answers.identify import Identified, explain, identify
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.filewriter import write_file
from gribble.core.files.hashing import digest_blocks
from gribble.core.records.holding import Holding
from gribble.core.records.recipes import mended
from gribble.core.records.sheet import Accept
from gribble.core.sayings.facts import mend_words, say
from gribble.core.survey.matching import is_content
from gribble.views.looks import shorten


@command("mend", takes="config")
def mend(
    call: Call,
    files: Annotated[list[str], typer.Argument(metavar="FILE...", help="Damaged files; both halves of one in two.")],
    into: Annotated[str, typer.Option(metavar="FOLDER", help="Where to write what is mended.")] = ".",
) -> int:
    """Rebuild damaged files that can be proven right.

    Under the name the emulator wants. Originals stay as they are.

    Example: gribble mend drawer/skerry/SKERRY.COPIER --into mended
    """
    folder = call.environment.path(into)
    with Session(call) as session:
        session.loaded.refuse_source(folder, "--into")
        world, surveys = survey_with(session, files)
        found = [holding for survey in surveys for holding in survey.holdings]
        sheets = session.loaded.catalogue.sheets
        named = frozenset(call.environment.path(path) for path in files)
        known = identify(found, session.loaded.known, sheets, ())
        searcher = world.searcher(survey.holdings for survey in surveys)
        with session.screen.bar("Diagnosing") as bar:
            explained = explain(known, searcher, sheets, named, world.head_of, bar)
        code: int = ExitCode.CLEAN
        done: dict[Path, Accept] = {}
        for file in explained:
            name = file.holding.member or shorten(file.holding.where)
            if file.mend and file.near and file.mend.mendable:
                target, accept = folder / file.near.need.name, file.mend.accept
                if target in done and done[target] != accept:  # another need's file of the same name
                    target = folder / file.near.need.id / file.near.need.name
                if target not in done:
                    _write(file, target, world.read_whole)
                    session.screen.say(f"{name} {mend_words(file.mend)}: mended as {shorten(str(target))}")
                elif done[target] != accept:
                    session.screen.say(
                        f"{name} {mend_words(file.mend)}: left, since {shorten(str(target))} is another's"
                    )
                    code = ExitCode.ATTENTION
                done.setdefault(target, accept)
            else:
                session.screen.say(f"{name}: {_why_not(file)}")
                code = ExitCode.ATTENTION
    return code


def _why_not(file: Identified) -> str:
    if file.mend:
        return f"{mend_words(file.mend)}; what is lost cannot be made up"
    if file.matches:
        return "is a known content already; there is nothing to mend"
    return (
        say(file.no_dump) if file.no_dump else "is a near miss of nothing that any sheet knows; nothing can be proven"
    )


def _write(file: Identified, target: Path, read: Callable[[Holding], bytes | None]) -> None:
    """Write the mended content whole, beside its place first; a file that is there already is never touched."""
    assert file.mend is not None
    data = read(file.holding) or b""
    partner = read(file.mend.partner) if file.mend.partner else b""
    content = mended(data, file.mend.recipe, partner or b"")
    accept = file.mend.accept
    if not is_content(accept, *digest_blocks([content], accept.known())):
        raise GribbleError(f"{file.holding.path} has changed since it was looked at", fix="Run the command again.")
    write_file(target, [content])
