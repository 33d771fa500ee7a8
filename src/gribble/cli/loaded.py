"""What every command starts from: the configuration it finds, and the catalogue."""

from __future__ import annotations

import os
from collections.abc import Iterable
from functools import cached_property
from pathlib import Path

from msgspec import Struct, structs

from gribble.cli.command import Call
from gribble.cli.finding import find_config, memory_folder
from gribble.core.audit.asked import meant
from gribble.core.base.amounts import count
from gribble.core.base.errors import GribbleError, MistakesError, no_such
from gribble.core.base.paths import lies_in
from gribble.core.catalogue.config import check_against, load_config, sheet_folders, without_sheets
from gribble.core.catalogue.decided import finish_added
from gribble.core.catalogue.sheets import Catalogue, load_catalogue
from gribble.core.records.config import Config
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.sources import SeenSources
from gribble.views.looks import shorten


class Loaded(Struct, frozen=True, dict=True):
    """A configuration with its catalogue, which is read when somebody asks for it, from its `folders`. `path` is that
    of gribble.toml, `memory` the folder where the index lives; either is None if there is no configuration. `sources`
    are those that were seen before; in `config` each stands where its volume is today."""

    config: Config
    path: Path | None
    folders: tuple[Path, ...]
    memory: Path | None
    sources: SeenSources

    @cached_property
    def catalogue(self) -> Catalogue:
        """The sheets and rosters."""
        return load_catalogue(list(self.folders))

    @cached_property
    def known(self) -> KnownContents:
        """The contents that they know."""
        return KnownContents(self.catalogue.sheets.values())

    def refuse_source(self, target: Path, option: str) -> None:
        """Raise GribbleError where something is to be written into a source, or into a catalogue that is followed."""
        _refuse_source(self.config, target, option)


def load(call: Call, *, strict: bool = False, lenient: bool = False, catalogue: Iterable[str] = ()) -> Loaded:
    """Configuration and catalogue of a call; mistakes in sheets are told, and those sheets left out.

    `strict` raises MistakesError if they concern an emulator on a rig in scope, `lenient` goes on whatever there is
    and does not look at it; `catalogue` folders need no configuration. Raises GribbleError if there is none.
    """
    environment, named = call.environment, list(catalogue)
    path = None if named and not call.config else require_config(call)
    config = load_config(path, environment.home, environment.env) if path else Config()
    for folder in named:
        if not os.path.lexists(environment.path(folder)):
            raise no_such(folder, "folder")
    folders = [environment.path(folder) for folder in named] or sheet_folders(config)
    finish_adding(call, folders)
    memory = memory_folder(environment, path)
    seen = SeenSources(memory / "sources.json" if memory else None)
    today = structs.replace(config, sources=tuple(map(seen.today, config.sources)))
    loaded = Loaded(today, path, tuple(folders), memory, seen)
    by_title = call.scope.emulators or call.scope.releases
    call.scope = meant(config, loaded.catalogue.sheets if by_title else {}, call.scope)
    if not lenient:
        sheets = loaded.catalogue
        mistakes = check_against(config, sheets, str(path))
        unknown = without_sheets(config, sheets, str(path), call.scope.rigs) if strict else []
        if mistakes or unknown:
            absent = [one for one in unknown if one.file == str(path)]  # what is wrong with a sheet is told already
            raise MistakesError([*sheets.mistakes, *mistakes, *absent])
        for mistake in sheets.mistakes:
            call.screen.tell(str(mistake))
        if sheets.mistakes:
            call.screen.tell(
                f"gribble: {count(len(sheets.mistakes), 'mistake')} in the catalogue; those sheets are left out"
            )
    return loaded


def finish_adding(call: Call, folders: Iterable[Path], *, strict: bool = False) -> None:
    """Finish what a `catalogue add` that was killed has left to do in some catalogue folders, and tell it. Where that
    cannot be, it is told, too, or with `strict` raised."""
    for folder in folders:
        try:
            kept = finish_added(folder)
        except GribbleError as error:
            if strict:
                raise
            call.screen.tell(f"note: {error.what}. {error.fix}")
            continue
        if kept is not None:
            more = f"; the former files are kept as {', '.join(kept.values())}" if kept else ""
            call.screen.tell(f"note: a catalogue add to {shorten(str(folder))} was cut short. It is finished now{more}")


def require_config(call: Call, fix: str = "") -> Path:
    """The same, or GribbleError with what to do."""
    path = find_config(call.environment, call.config)
    if path is None:
        raise GribbleError(
            "no gribble.toml here or in any folder above",
            fix=fix
            or "gribble init writes one from what is on your disk; gribble demo shows everything on made-up files.",
        )
    if not os.path.lexists(path):
        raise no_such(path, "file", "gribble init writes a gribble.toml.")
    return path


def catalogue_folders(call: Call) -> list[Path]:
    """The catalogue folders of the configuration, whatever is in them. Raises GribbleError without one."""
    path = require_config(call, "Name the catalogue's folder or files.")
    config = load_config(path, call.environment.home, call.environment.env)
    folders = [Path(one.at) for one in config.catalogues if not one.from_]
    if not folders:
        raise GribbleError(
            "there is no catalogue folder of your own in gribble.toml", fix='Give it one: catalogues = ["catalogue"].'
        )
    return folders


def refuse_any_source(call: Call, target: Path, option: str) -> None:
    """Raise GribbleError where a command that needs no configuration is to write into a source of the one there is, or
    into a catalogue that is followed."""
    path = find_config(call.environment)
    if path is not None:
        _refuse_source(load_config(path, call.environment.home, call.environment.env), target, option)


def _refuse_source(config: Config, target: Path, option: str) -> None:
    rigs = [Path(rig.at) for rig in config.rig.values() if not rig.far]
    if lies_in(target, map(Path, config.source_folders), ends=rigs):
        raise GribbleError(
            f"{shorten(str(target))} is in a source, and Gribble never writes to a source",
            fix=f"Name another: {option}.",
        )
    if lies_in(target, [Path(one.at) for one in config.catalogues if one.from_]):
        raise GribbleError(
            f"{shorten(str(target))} is in a catalogue that you follow, which only updates change",
            fix=f"Name another: {option}.",
        )
