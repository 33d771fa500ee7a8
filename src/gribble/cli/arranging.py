"""`gribble rigs` and `gribble sources`: where everything is, seen and changed; gribble.toml needs no editor."""

from __future__ import annotations

import os
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any, NamedTuple

import typer
from msgspec import structs

from gribble.cli.command import Call, command
from gribble.cli.completing import emulators, machines, rigs
from gribble.cli.entering import Entry, change
from gribble.cli.finding import taken_out_of
from gribble.cli.loaded import Loaded, load, require_config
from gribble.cli.options import YesOption
from gribble.cli.rigs import Rigs
from gribble.core.answers.entering import (
    Said,
    emulators_on,
    entered,
    files_there,
    left,
    named_emulator,
    named_rig,
)
from gribble.core.answers.next import Command, first_step
from gribble.core.answers.setup import emulators_of
from gribble.core.audit.layout import sought_for
from gribble.core.base.addresses import parse_address
from gribble.core.base.amounts import count
from gribble.core.base.errors import ExitCode, GribbleError, no_such
from gribble.core.base.kinds import Style
from gribble.core.base.paths import fold, lies_in, path_fault, relative, same_place
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.config import load_config, rig_name_fault
from gribble.core.catalogue.configfile import REMOVED, Keys
from gribble.core.records.config import Config, Rig
from gribble.core.survey.sources import TakenOut
from gribble.core.survey.whereabouts import near_folder
from gribble.views.check import show_next
from gribble.views.looks import shorten
from gribble.views.rigs import rigs_json, show_rigs, show_sources, sources_json
from gribble.views.shell import typed

RigArgument = Annotated[str, typer.Argument(metavar="RIG", help="The rig's name.", autocompletion=rigs)]
OneRigOption = Annotated[str | None, typer.Option("--rig", metavar="RIG", help="On which rig.", autocompletion=rigs)]


@command("rigs show", takes="json config")
def show_rigs_(
    call: Call,
    name: Annotated[
        str | None, typer.Argument(metavar="[RIG]", help="One rig, folder by folder.", autocompletion=rigs)
    ] = None,
) -> int:
    """Where the rigs are, and where emulators look.

    With a rig's name it also shows each folder of its emulators, and what gribble.toml says about them.

    Example: gribble rigs lighthouse
    """
    loaded = load(call)
    names = [named_rig(name, loaded.config.rig)] if name else list(loaded.config.rig)
    away = {one: why for one in names if (why := _away(call, loaded, one))}
    found = {one: emulators_on(loaded.config.rig[one], loaded.catalogue, away=one in away) for one in names}
    written = {one: rig for one, rig in loaded.config.rig.items() if one in names}
    if call.json:
        call.screen.json(rigs_json(written, found, away))
    else:
        show_rigs(call.screen, written, found, away, in_full=name is not None or call.verbose)
        show_next(call.screen, _next_for(loaded, names))
    return ExitCode.CLEAN


def _away(call: Call, loaded: Loaded, name: str) -> str:
    """Why a rig's folder is not there; one on another machine is not connected to for that."""
    return "" if loaded.config.rig[name].far else Rigs(call, loaded).why_away(name)


def _next_for(loaded: Loaded, names: list[str]) -> Command:
    config, sheets = loaded.config, loaded.catalogue.sheets
    if not names:
        return Command(("gribble", "rigs", "add", "NAME", "FOLDER"), "enters the folder with your emulators")
    if len(config.rig) > 1 and len(names) > 1:
        return Command(("gribble", "rigs", names[0]), "one rig, folder by folder")
    return _after(config, names[0], sheets)


def _after(config: Config, name: str, sheets: Mapping[str, Any]) -> Command:
    """What leads on from a rig."""
    if config.rig[name].emulators:
        return Command(("gribble", "check", "--rig", name), "what is right there, and how to put the rest right")
    if sheets:
        return Command(("gribble", "rigs", "enter", "EMULATOR", "--rig", name), f"one of {', '.join(sorted(sheets))}")
    return first_step([name])


@command("rigs add", takes="config", short=True, asks=True)
def add_rig(
    call: Call,
    name: Annotated[str, typer.Argument(metavar="NAME", help="What you call it.")],
    place: Annotated[str, typer.Argument(metavar="PLACE", help="Its folder, or an ftp:// or sftp:// address.")],
    like: Annotated[
        str | None, typer.Option("--like", metavar="RIG", help="It has the emulators of this one.", autocompletion=rigs)
    ] = None,
    yes: YesOption = False,
) -> int:
    """Add a rig: a folder, or an address.

    It also enters the emulators whose folders it finds there. A folder that was a source becomes a rig, and is no
    longer a source.

    Example: gribble rigs add den rigs/den --like lighthouse
    """
    loaded = load(call, lenient=True)
    config, path = loaded.config, _path_of(loaded)
    if fault := rig_name_fault(name):
        raise GribbleError(f'"{name}" {fault}', fix="Give a plain word: stick, or living-room.")
    if name in config.rig:
        raise GribbleError(
            f"there is a rig {name} already: {config.rig[name].at}", fix=f"gribble rigs move {name} PLACE"
        )
    value: dict[str, Any] = {"at": _written(call, path, place)}
    if like is not None:
        value["like"] = named_rig(like, config.rig)
    elif "://" not in place:
        value["emulators"] = emulators_of(call.environment.path(place), loaded.catalogue.sheets)

    def make(text: str) -> dict[Keys, Any]:
        return {**_without_source(config, text, call.environment.path(place)), ("rig", name): value}

    if "://" in place:
        _try(call, loaded, name, Rig(at=str(parse_address(place))))
    if not change(call, path, make, yes=yes):
        return ExitCode.ATTENTION
    now = load_config(path, call.environment.home, call.environment.env)
    _taken_out(call, path).note(back=[now.rig[name].at])
    _say_there(call, now.rig[name], loaded)
    show_next(call.screen, _after(now, name, loaded.catalogue.sheets))
    return ExitCode.CLEAN


def _taken_out(call: Call, path: Path) -> TakenOut:
    return TakenOut(taken_out_of(call.environment, path))


def _path_of(loaded: Loaded) -> Path:
    assert loaded.path is not None, "no catalogue was named, so there is a configuration"
    return loaded.path


def _written(call: Call, path: Path, place: str) -> str:
    """A rig's or source's place as it is written into a gribble.toml. Raises GribbleError if it cannot be one."""
    if "://" in place:
        try:
            return str(parse_address(place))
        except ValueError as error:
            raise GribbleError(str(error), fix="For example: ftp://ada@driftwood.local:2121/data") from None
    folder = call.environment.path(place)
    if os.path.exists(folder) and not os.path.isdir(folder):
        raise GribbleError(f"{place} is a file", fix="Name the folder that it is in.")
    if not os.path.isdir(folder):
        near = near_folder(folder)
        if near is not None:
            raise GribbleError(f"{place} is not there; {shorten(str(near))} is", fix="Name that one if you mean it.")
        if not os.path.isdir(folder.parent):
            raise GribbleError(
                f"{place} is not there, and the folder above it is not there either",
                fix="Plug it in, or make the folder.",
            )
        call.screen.say(f"{place} is not there yet. Placing a file there makes the folder.")
    if place.startswith("~") or os.path.isabs(place):
        return place.replace("\\", "/")
    return relative(folder, path.parent) if folder.is_relative_to(path.parent) else folder.as_posix()


def _without_source(config: Config, text: str, folder: Path) -> dict[Keys, Any]:
    """The sources without one that is not a source; nothing if it is none."""
    gone = {number for number, one in enumerate(config.sources) if same_place(one.known_at, folder)}
    if not gone:
        return {}
    listed = tomllib.loads(text).get("sources", [])
    return {("sources",): [one for number, one in enumerate(listed) if number not in gone]}


def _try(call: Call, loaded: Loaded, name: str, rig: Rig) -> None:
    """Reach for a rig on another machine once, and say whether it answers."""
    config = Config(rig={name: rig})
    reached = Rigs(call, structs.replace(loaded, config=config))
    try:
        why = reached.why_away(name)
    except GribbleError as error:
        why = f"{error.what}. {error.fix}"
    finally:
        reached.close()
    call.screen.say(f"{rig.at} cannot be reached now: {why}" if why else f"{rig.at} answers.")


def _say_there(call: Call, rig: Rig, loaded: Loaded) -> None:
    """Which of a rig's emulators are there, and which are not."""
    if rig.far or not rig.emulators:
        return
    found = emulators_on(rig, loaded.catalogue)
    there = [one.emulator for one in found if one.there]
    absent = [one.emulator for one in found if one.there is False]
    if there:
        call.screen.say(f"The folders of {', '.join(there)} are there.")
    if absent:
        call.screen.say(f"Not there: the folder{'' if len(absent) == 1 else 's'} of {', '.join(absent)}.")


class EnterOptions(NamedTuple):
    """The emulator and the options of `gribble rigs enter`."""

    emulator: Annotated[str, typer.Argument(metavar="EMULATOR", help="One that has a sheet.", autocompletion=emulators)]
    rig: OneRigOption = None
    in_: Annotated[
        str | None, typer.Option("--in", metavar="FOLDER", help="The folder on the rig where the emulator looks.")
    ] = None
    release: Annotated[str | None, typer.Option("--release", metavar="R", help="Its release there.")] = None
    folder: Annotated[
        list[str] | None,
        typer.Option("--folder", metavar="KEY=PATH", help="Where one folder of its sheet is, below where it looks."),
    ] = None
    machine: Annotated[
        list[str] | None,
        typer.Option("--machine", metavar="M", help="You play only this machine there.", autocompletion=machines),
    ] = None
    wanted: Annotated[
        list[str] | None, typer.Option("--wanted", metavar="SET|all|held|FILE", help="The sets that you want.")
    ] = None
    style: Annotated[Style | None, typer.Option("--style", metavar="STYLE", help="How to pack its archives.")] = None
    yes: YesOption = False


@command("rigs enter", takes="config", short=True, asks=True)
def enter(call: Call, options: EnterOptions) -> int:
    """Enter an emulator for a rig, or change its entry.

    Gribble finds the folder where the emulator looks, and asks if that is not clear. --in names it. An empty value
    takes an entry out again: --release "" for instance.

    Example: gribble rigs enter sandpiper --rig lighthouse --release 3.2
    """
    loaded = load(call, lenient=True)
    sheet = named_emulator(options.emulator, loaded.catalogue.sheets)
    entry = Entry.of(call, options.rig or _only_rig(loaded.config))
    there = entry.rig.emulators.get(sheet.emulator)
    for machine in options.machine or ():
        if machine and machine not in sheet.machines:
            raise GribbleError(
                f"{sheet.emulator} has no machine '{machine}'{suggest(machine, list(sheet.machines))}",
                fix="Write it as the sheet does.",
            )
    sought = sought_for(sheet, entry.rig, loaded.catalogue.sheets)
    folder = entry.folder(sought, options.in_, yes=options.yes) if options.in_ or there is None else None
    said = Said(
        folder=folder,
        release=options.release,
        folders=_folders(options.folder or (), list(sheet.folders)),
        machines=_listed(options.machine),
        wanted=_listed(options.wanted),
        style=options.style,
    )

    def make(text: str) -> dict[Keys, Any]:
        return entered(text, entry.name, sheet, said, inherited=there is not None)

    if not change(call, entry.path, make, yes=options.yes):
        return ExitCode.ATTENTION
    _taken_out(call, entry.path).note(back=[f"{entry.name}: {sheet.emulator}"])
    now = load_config(entry.path, call.environment.home, call.environment.env).rig[entry.name]
    if sought.wanted and not now.far:
        files, wanted = files_there(Path(now.at), sheet, now.emulators[sheet.emulator])
        call.screen.say(
            f"{files:,} of {count(wanted, 'file')} that it looks for {'are' if files != 1 else 'is'} there."
        )
    words = ("gribble", "check", sheet.emulator, "--rig", entry.name)
    show_next(call.screen, Command(words, "what of it is right, and how to put the rest right"))
    return ExitCode.CLEAN


def _only_rig(config: Config) -> str:
    if len(config.rig) != 1:
        raise GribbleError("say which rig you mean", fix=f"--rig {' or '.join(config.rig) or 'NAME'}")
    return next(iter(config.rig))


def _listed(words: list[str] | None) -> tuple[str, ...] | None:
    return None if words is None else tuple(filter(None, words))


def _folders(words: list[str] | tuple[()], keys: list[str]) -> dict[str, str]:
    found = {}
    for word in words:
        key, equals, folder = word.partition("=")
        if not equals or key not in keys:
            raise GribbleError(
                f"--folder {word} is not KEY=PATH{suggest(key, keys)}",
                fix="The keys are in the sheet, under [folders].",
            )
        if folder and (fault := path_fault(folder)):
            raise GribbleError(
                f'--folder {key}="{folder}" {fault}', fix="Give a path in the folder where the emulator looks."
            )
        found[key] = folder
    return found


@command("rigs leave", takes="config", short=True)
def leave(
    call: Call,
    emulator: Annotated[str, typer.Argument(metavar="EMULATOR", help="Which one.", autocompletion=emulators)],
    rig: OneRigOption = None,
    yes: YesOption = False,
) -> int:
    """Take an emulator out of a rig in gribble.toml.

    Nothing on the rig changes.

    Example: gribble rigs leave knot --rig stick
    """
    loaded = load(call, lenient=True)
    config = loaded.config
    known = {name for one in config.rig.values() for name in one.emulators}
    name = emulator if emulator in known else named_emulator(emulator, loaded.catalogue.sheets).emulator
    on = [key for key, one in config.rig.items() if name in one.emulators]
    if not on:
        raise GribbleError(f"{name} is on no rig in gribble.toml", fix="gribble rigs lists the emulators of each rig.")
    if rig is None and len(on) > 1:
        raise GribbleError(f"{name} is on {' and '.join(on)}", fix=f"Say which rig you mean: --rig {on[0]}")
    chosen = named_rig(rig, config.rig) if rig else on[0]
    if chosen not in on:
        raise GribbleError(f"{name} is not on {chosen}", fix=f"It is on {' and '.join(on)}.")
    if not change(call, _path_of(loaded), lambda text: left(config, text, chosen, name), yes=yes):
        return ExitCode.ATTENTION
    _taken_out(call, _path_of(loaded)).note(out=[f"{chosen}: {name}"])
    call.screen.say(f"Nothing on {chosen} was touched.")
    call.screen.next(f"gribble rigs {typed([chosen])}", "what is left there")
    return ExitCode.CLEAN


@command("rigs move", takes="config", short=True)
def move(
    call: Call,
    rig: RigArgument,
    place: Annotated[str, typer.Argument(metavar="PLACE", help="The folder or address where it is now.")],
    yes: YesOption = False,
) -> int:
    """Say where a rig is now.

    Nothing is copied, because the rig's files are there already. The other entries for the rig stay.

    Example: gribble rigs move cabinet rigs/cabinet
    """
    loaded = load(call, lenient=True)
    name, path = named_rig(rig, loaded.config.rig), _path_of(loaded)
    value = _written(call, path, place)
    if "://" in place:
        _try(call, loaded, name, structs.replace(loaded.config.rig[name], at=value))
    if not change(call, path, lambda _text: {("rig", name, "at"): value}, yes=yes):
        return ExitCode.ATTENTION
    now = load_config(path, call.environment.home, call.environment.env)
    _say_there(call, now.rig[name], loaded)
    show_next(call.screen, _after(now, name, loaded.catalogue.sheets))
    return ExitCode.CLEAN


@command("rigs forget", takes="config", short=True)
def forget_rig(call: Call, rig: RigArgument, yes: YesOption = False) -> int:
    """Take a rig out of gribble.toml.

    Nothing on the rig changes. If you add the rig again, you can undo its runs.

    Example: gribble rigs forget den
    """
    loaded = load(call, lenient=True)
    config, path = loaded.config, _path_of(loaded)
    name = named_rig(rig, config.rig)
    if alike := [key for key, one in config.rig.items() if one.like == name]:
        raise GribbleError(
            f"{' and '.join(alike)} has the emulators of {name} (like = {name})",
            fix=f"Forget {alike[0]} first: gribble rigs forget {alike[0]}",
        )
    if not change(call, path, lambda _text: {("rig", name): REMOVED}, yes=yes):
        return ExitCode.ATTENTION
    _taken_out(call, path).note(out=[config.rig[name].at])
    call.screen.say(f"Nothing on {name} was touched.")
    call.screen.next("gribble rigs", "what is left")
    return ExitCode.CLEAN


@command("sources show", takes="json config", short=True)
def show_sources_(call: Call) -> int:
    """The folders that are only read.

    Example: gribble sources
    """
    loaded = load(call, lenient=True)
    if call.json:
        call.screen.json(sources_json(loaded.config.sources))
    else:
        show_sources(call.screen, loaded.config.sources)
        call.screen.next("gribble sources add FOLDER", "adds one more folder with your files")
    return ExitCode.CLEAN


@command("sources add", takes="config", short=True)
def add_source(
    call: Call,
    folder: Annotated[str, typer.Argument(metavar="FOLDER", help="A folder with your files.")],
    yes: YesOption = False,
) -> int:
    """Add a folder with your files.

    Gribble only reads it.

    Example: gribble sources add discs
    """
    path = require_config(call)
    config = load_config(path, call.environment.home, call.environment.env)
    place = call.environment.path(folder)
    if not os.path.isdir(place):
        raise no_such(folder, "folder")
    rigs = {name: Path(one.at) for name, one in config.rig.items() if not one.far}
    for name, root in rigs.items():
        if same_place(root, place):
            raise GribbleError(
                f"{folder} is rig {name}, and Gribble finds its files anyway", fix="You do not need to do anything."
            )
    if inside := lies_in(place, map(Path, config.source_folders), ends=rigs.values()):
        call.screen.say(f"{folder} is read already: {shorten(str(inside))} is a source.")
        return ExitCode.CLEAN
    written = _written(call, path, folder)

    def make(text: str) -> dict[Keys, Any]:
        return {("sources",): [*tomllib.loads(text).get("sources", []), written]}

    if not change(call, path, make, yes=yes):
        return ExitCode.ATTENTION
    _taken_out(call, path).note(back=[str(place)])
    call.screen.next("gribble check", "what your rigs need of it")
    return ExitCode.CLEAN


@command("sources forget", takes="config", short=True)
def forget_source(
    call: Call,
    folder: Annotated[str, typer.Argument(metavar="FOLDER", help="Its path or its name.")],
    yes: YesOption = False,
) -> int:
    """Take a folder out of the sources.

    Nothing in it changes.

    Example: gribble sources forget discs
    """
    path = require_config(call)
    config = load_config(path, call.environment.home, call.environment.env)
    place = call.environment.path(folder)
    meant = next((one for one in config.sources if fold(one.name) == fold(folder) or same_place(one.at, place)), None)
    if meant is None:
        known = [one.name or shorten(one.at) for one in config.sources]
        raise GribbleError(f"'{folder}' is not a source{suggest(folder, known)}", fix="gribble sources lists them.")
    if not change(call, path, lambda text: _without_source(config, text, Path(meant.at)), yes=yes):
        return ExitCode.ATTENTION
    _taken_out(call, path).note(out=[meant.at])
    call.screen.say("Nothing in it was touched.")
    call.screen.next("gribble sources", "what is left")
    return ExitCode.CLEAN
