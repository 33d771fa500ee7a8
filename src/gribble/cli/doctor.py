"""`gribble doctor`: configuration, catalogues, index, permissions, room and rigs looked over, each with the fix."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Annotated

import typer

from gribble.cli.command import Call, command
from gribble.cli.loaded import require_config
from gribble.cli.session import Session
from gribble.cli.surveying import accept_source, why_source_away
from gribble.core.answers.doctor import (
    Examined,
    Health,
    examine_catalogues,
    examine_emulators,
    examine_folder,
    examine_followed,
    examine_memory,
    examine_places,
    examine_runs,
    examine_sources,
)
from gribble.core.audit.looking import fitted_on
from gribble.core.base.amounts import count
from gribble.core.base.errors import ExitCode, GribbleError, MistakesError
from gribble.core.catalogue.config import check_against, without_sheets
from gribble.core.records.config import Scope
from gribble.views.init import doctor_json, show_doctor


@command("doctor", takes="json config", asks=True)
def doctor(
    call: Call,
    accept: Annotated[
        str | None,
        typer.Option("--accept", metavar="NAME", help="Accept what is in its folder now as this rig or source."),
    ] = None,
) -> int:
    """Check the set-up, each fault with its fix.

    It checks configuration, catalogues, index, permissions, room and rigs. Nothing is changed.

    Gribble knows a rig on a card or a stick by an id. If another one is in its place, the rig is away until you say
    with --accept that you mean it. The same is true for a source with another volume in its place, or one that is empty
    now. After --accept Gribble forgets what it remembered of it.

    Example: gribble doctor
    """
    require_config(call)
    screen = call.screen
    try:
        with Session(call, lenient=True) as session:
            if accept is not None and not accept_source(session, accept):
                session.rigs.accept(accept)
            found = list(_examined(session))
    except MistakesError as error:
        found = list(_mistakes(error))
    if call.json:
        screen.json(doctor_json(found))
    else:
        show_doctor(screen, found)
    wrong = {one.area for one in found if one.health is Health.WRONG}
    if wrong & {"configuration", "catalogue"}:
        return ExitCode.USAGE
    if any(one.health is not Health.RIGHT and one.area != "away" for one in found):
        return ExitCode.ATTENTION
    return ExitCode.FAILED if any(one.area == "away" for one in found) else ExitCode.CLEAN


def _mistakes(error: MistakesError) -> Iterator[Examined]:
    """A configuration that cannot be read: all that is wrong with it, since nothing else can be looked at."""
    for mistake in error.mistakes:
        words = ": ".join(part for part in (mistake.where, mistake.what) if part)
        yield Examined(
            area="configuration", what=mistake.file, health=Health.WRONG, words=words, fix="Correct it in that file."
        )


def _examined(session: Session) -> Iterator[Examined]:
    config = session.loaded.config
    yield Examined(
        area="configuration", what=str(session.loaded.path), health=Health.RIGHT, words=count(len(config.rig), "rig")
    )
    catalogue, file = session.loaded.catalogue, str(session.loaded.path)
    mistakes = [*check_against(config, catalogue, file), *without_sheets(config, catalogue, file)]
    yield from examine_catalogues(session.loaded.catalogue, mistakes, [one.at for one in config.catalogues])
    yield from examine_followed(config.catalogues, session.call.environment.clock().date())
    yield from examine_sources(config, lambda source: why_source_away(session, source))
    yield from examine_memory(session.loaded.memory)
    if not config.rig:
        yield Examined(
            area="rig", what="rigs", health=Health.LOOK, words="gribble.toml names none",
            fix='Name one: [rig.den], at = "FOLDER", and its emulators under [rig.den.emulators]',
        )  # fmt: skip
    here = {rig.name: rig for rig in session.rigs.in_scope(Scope())}
    for name, rig in config.rig.items():
        there = here.get(name)
        try:
            why = there.away() if there else session.rigs.why_away(name)
        except GribbleError as error:
            yield Examined(area="rig", what=name, health=Health.WRONG, words=error.what, fix=error.fix)
            continue
        if why or there is None:
            fix = "Plug it in, or wake it; gribble check --rig OTHER goes on without it."
            yield Examined(area="away", what=name, health=Health.LOOK, words=why, fix=fix)
            continue
        faults = list(examine_emulators(name, rig, session.loaded.catalogue))
        faults += list(examine_places(name, fitted_on(session.loaded.config, name, session.loaded.catalogue, Scope())))
        faults += [] if rig.far else examine_folder(name, Path(there.root), rig)
        try:
            faults += examine_runs(name, there.open_runs(), sum(size for _, size in there.store.slots()))
        except GribbleError as error:
            faults.append(Examined(area="rig", what=name, health=Health.WRONG, words=error.what, fix=error.fix))
        yield from faults
        if not faults:
            words = "can be reached" if rig.far else "is there, and can be written"
            yield Examined(area="rig", what=name, health=Health.RIGHT, words=words)
