"""`gribble doctor`: configuration, catalogues, index, permissions, room and rigs looked over, each with the fix."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gribble.cli.app import command
from gribble.cli.options import ConfigOption, JsonOption

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gribble.cli.session import Session
    from gribble.core.answers.doctor import Examined
    from gribble.core.base.errors import MistakesError


@command("doctor")
def doctor(json: JsonOption = False, config: ConfigOption = None) -> int:
    """Look over what Gribble starts from, and say how to put right what stands in its way. Nothing is changed.

    Example: gribble doctor
    """
    from gribble.cli.session import Session, require_config
    from gribble.core.answers.doctor import Health
    from gribble.core.base.errors import ExitCode, MistakesError
    from gribble.views.doctor import doctor_json, show_doctor
    from gribble.views.screen import Screen

    require_config(config)
    screen = Screen()
    try:
        with Session(config, lenient=True) as session:
            found = list(_examined(session))
    except MistakesError as error:
        found = list(_mistakes(error))
    if json:
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
    from gribble.core.answers.doctor import Examined, Health

    for mistake in error.mistakes:
        words = ": ".join(part for part in (mistake.where, mistake.what) if part)
        yield Examined(
            area="configuration", what=mistake.file, health=Health.WRONG, words=words, fix="Correct it in that file."
        )


def _examined(session: Session) -> Iterator[Examined]:
    from pathlib import Path

    from gribble.core.answers.doctor import (
        Examined,
        Health,
        examine_catalogues,
        examine_folder,
        examine_memory,
        examine_places,
        examine_runs,
        examine_sources,
    )
    from gribble.core.audit.looking import fitted_on
    from gribble.core.audit.scope import Scope
    from gribble.core.base.errors import GribbleError
    from gribble.core.catalogue.config import check_against
    from gribble.views.looks import count

    config = session.config
    yield Examined(
        area="configuration", what=str(session.path), health=Health.RIGHT, words=count(len(config.rig), "rig")
    )
    mistakes = check_against(config, session.catalogue, str(session.path))
    yield from examine_catalogues(session.catalogue, mistakes, config.catalogues)
    yield from examine_sources(config)
    yield from examine_memory(session.memory)
    if not config.rig:
        yield Examined(
            area="rig", what="rigs", health=Health.MIND, words="gribble.toml names none",
            fix='Name one: [rig.den], at = "FOLDER", and its emulators under [rig.den.emulators]',
        )  # fmt: skip
    here = {rig.name: rig for rig in session.rigs(Scope())}
    for name, rig in config.rig.items():
        there = here.get(name)
        try:
            why = there.away() if there else f"{rig.at} is not there now"
        except GribbleError as error:
            yield Examined(area="rig", what=name, health=Health.WRONG, words=error.what, fix=error.fix)
            continue
        if why or there is None:
            fix = "Plug it in, or wake it; gribble check --rig OTHER goes on without it."
            yield Examined(area="away", what=name, health=Health.MIND, words=why, fix=fix)
            continue
        faults = list(examine_places(name, fitted_on(rig, session.catalogue, Scope())))
        faults += [] if rig.far else examine_folder(name, Path(there.root), rig)
        faults += examine_runs(name, there.runs(), sum(size for _, size in there.store.slots()))
        yield from faults
        if not faults:
            words = "can be reached" if rig.far else "is there, and can be written"
            yield Examined(area="rig", what=name, health=Health.RIGHT, words=words)
