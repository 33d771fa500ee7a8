"""`gribble init`: a first gribble.toml from what is on disk and what the user says."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Annotated

import typer
from msgspec import structs

from gribble.cli.command import Call, command
from gribble.cli.finding import CONFIG_NAME, taken_out_of
from gribble.cli.options import YesOption
from gribble.core.answers.next import first_step
from gribble.core.answers.setup import (
    Discovery,
    Entries,
    Said,
    added,
    config_text,
    discover,
    emulators_of,
    is_catalogue,
    news,
    rig_name,
    told,
)
from gribble.core.base.addresses import parse_address
from gribble.core.base.errors import ExitCode, GribbleError, no_such, reason_of
from gribble.core.base.filewriter import ThereError, changing, write_file
from gribble.core.base.regular import MOST_TEXT, read_regular, text_of
from gribble.core.catalogue.config import load_config, rig_name_fault, sheet_folders
from gribble.core.catalogue.sheets import load_catalogue
from gribble.core.records.config import Config
from gribble.core.survey.sources import TakenOut
from gribble.views.check import show_next
from gribble.views.init import show_written
from gribble.views.screen import styled
from gribble.views.shell import typed

CATALOGUE = "catalogue"
"""The folder for sheets, where there is none yet."""


@command("init")
def init(
    call: Call,
    source: Annotated[
        list[str] | None, typer.Option("--source", metavar="FOLDER", help="A folder with your files.")
    ] = None,
    rig: Annotated[
        list[str] | None, typer.Option("--rig", metavar="FOLDER", help="A folder with emulators, or NAME=ftp://….")
    ] = None,
    catalogue: Annotated[
        list[str] | None, typer.Option("--catalogue", metavar="FOLDER", help="A folder with sheets.")
    ] = None,
    again: Annotated[bool, typer.Option("--again", help="Add what is new to the gribble.toml there is.")] = False,
    yes: YesOption = False,
) -> int:
    """Write a gribble.toml from what is on disk.

    It looks at this folder, proposes where your files and your emulators are, and asks at a terminal. A comment
    explains each line.

    With --again it adds what is new, or only the folders that you name, to the gribble.toml that is here. Everything in
    it stays, comments too.

    Example: gribble init --again --source discs
    """
    folder = call.environment.cwd
    sources, catalogues = ([_typed(call, path) for path in paths or ()] for paths in (source, catalogue))
    said = Said(sources, dict(_named_rig(call, word) for word in rig or ()), catalogues)
    for path in (*said.sources, *said.rigs, *said.catalogues):
        if "://" not in path and not os.path.isdir(call.environment.path(path)):
            raise no_such(path, "folder", "Nothing was written. Check the name.")
    if again:
        return _again(call, folder, said)
    if os.path.lexists(folder / CONFIG_NAME):
        raise _here_already()
    found = _with(call, discover(folder, [call.environment.path(path) for path in said.catalogues]), said)
    list_ = ""
    asks = call.environment.is_terminal and not yes and not said
    if asks:
        found, list_ = _asked(call, found)
    if not found.catalogues:
        found = structs.replace(
            found, catalogues=(CATALOGUE,), sources=tuple(one for one in found.sources if one != CATALOGUE)
        )
    _write(folder, found)
    show_written(call.screen, CONFIG_NAME, found, doubted=not asks)
    _next(call, found, list_)
    return ExitCode.CLEAN


def _write(folder: Path, found: Discovery) -> None:
    """Write the configuration, and make the folder for sheets if there is none. Raises GribbleError."""
    try:
        if found.catalogues == (CATALOGUE,):
            (folder / CATALOGUE).mkdir(exist_ok=True)
        write_file(folder / CONFIG_NAME, [config_text(found).encode()])
    except ThereError:
        raise _here_already() from None
    except OSError as error:
        raise GribbleError(
            f"{CONFIG_NAME} cannot be written here: {reason_of(error)}",
            fix="Run gribble init in a folder that you may write to.",
        ) from error


def _here_already() -> GribbleError:
    return GribbleError(f"{CONFIG_NAME} is here already", fix="gribble init --again adds what is new.")


def _typed(call: Call, path: str) -> str:
    """A path as it was typed; ~ is the user's own folder, also where no shell has said so."""
    home = str(call.environment.home)
    return home + path[1:] if path == "~" or path.startswith(("~/", "~\\")) else path


def _named_rig(call: Call, word: str) -> tuple[str, str]:
    """A rig's place and name as they were typed: a folder, an address, or NAME= before either. Raises GribbleError."""
    name, equals, place = word.partition("=")
    if not equals or os.path.isdir(call.environment.path(word)) or "/" in name:
        name, place = "", word
    if name and (fault := rig_name_fault(name)):
        raise GribbleError(f'"{name}" {fault}', fix="Put a plain word before the equals sign.")
    if "://" not in place:
        return _typed(call, place), name
    try:
        address = parse_address(place)
    except ValueError as error:
        raise GribbleError(str(error), fix="For example: --rig handheld=ftp://ada@driftwood.local:2121/data") from None
    return str(address), name or address.host


def _with(call: Call, found: Discovery, said: Said, catalogues: Iterable[Path] = ()) -> Discovery:
    """What was found, and what was named: a folder that was named is what it was named as. Emulators are told by the
    sheets that were found or named, or are in `catalogues`."""
    places = [*map(call.environment.path, (*found.catalogues, *said.catalogues)), *catalogues]
    sheets = load_catalogue(list(dict.fromkeys(places))).sheets

    def place_of(path: str) -> str:
        return os.path.normpath(call.environment.path(path))

    named = set(map(place_of, (*said.sources, *said.rigs, *said.catalogues)))
    above = [Path(place_of(path)) for path in said.rigs if "://" not in path]

    def is_free(path: str) -> bool:
        return place_of(path) not in named and not any(Path(place_of(path)).is_relative_to(one) for one in above)

    rigs = {name: one for name, one in found.rigs.items() if is_free(one[0])}
    for path, name in said.rigs.items():
        if "://" in path:
            rigs[rig_name(name, rigs)] = (path, {})
            continue
        place = call.environment.path(path).resolve()
        rigs[rig_name(name or place.name, rigs)] = (path, emulators_of(place, sheets))
    return structs.replace(
        found,
        sources=(*filter(is_free, found.sources), *said.sources),
        rigs=rigs,
        catalogues=(*filter(is_free, found.catalogues), *said.catalogues),
    )


def _asked(call: Call, found: Discovery) -> tuple[Discovery, str]:
    """What was found, as the user wants it; and a list or a friend's catalogue that is to be taken over, or empty."""
    screen = call.screen
    screen.say("Press Enter for what is in brackets, or - for none. Put commas between several.")
    screen.out.print()
    rigs = [path for path, _ in found.rigs.values()]

    def is_folder(path: str) -> bool:
        return os.path.isdir(call.environment.path(path))

    said = Said(
        sources=_answers(call, "Which folders have your files?", found.sources, is_folder),
        rigs=dict.fromkeys(_answers(call, "Which folders have your emulators?", rigs, is_folder), ""),
    )
    words = "A list of what an emulator needs, or a friend's catalogue?"
    (list_,) = _answers(call, words, (), lambda path: os.path.exists(call.environment.path(path)), most=1) or [""]
    if list_ and is_catalogue(call.environment.path(list_)):
        said, list_ = said._replace(catalogues=[list_]), ""
    screen.out.print()
    looked = discover(call.environment.cwd, [call.environment.path(path) for path in said.catalogues])
    kept = {name: one for name, one in looked.rigs.items() if one[0] in said.rigs}
    new = said._replace(rigs={path: "" for path in said.rigs if path not in {at for at, _ in kept.values()}})
    return _with(call, structs.replace(looked, sources=(), rigs=kept), new), list_


def _answers(
    call: Call, question: str, proposed: Sequence[str], is_right: Callable[[str], bool], most: int = 0
) -> list[str]:
    """The paths that the user names, or what is proposed; asked again while one is not there."""
    while True:
        call.screen.say(styled(question, "bold"), f" [{', '.join(proposed) or 'none'}] ")
        call.screen.flush()
        answer = call.environment.answer().strip()
        if not answer:
            return list(proposed)
        paths = [_typed(call, path.strip()) for path in answer.split(",")] if answer != "-" else []
        wrong = [path for path in paths if not is_right(path)]
        if not wrong and (not most or len(paths) <= most):
            return paths
        call.screen.say(f"{', '.join(wrong)}: not there." if wrong else "Name only one.")


def _next(call: Call, found: Discovery, list_: str) -> None:
    """The command that leads on."""
    screen = call.screen
    rig = next((name for name, (_, emulators) in found.rigs.items() if not emulators), next(iter(found.rigs), ""))
    if list_ and (os.path.isdir(call.environment.path(list_)) or list_.endswith(".zip")):
        screen.next(f"gribble catalogue add {typed([list_])}", "adds the sheets; after that run gribble init --again")
    elif any(emulators for _, emulators in found.rigs.values()) and not list_:
        screen.next("gribble check", "what each emulator needs, and what of it is right")
    else:
        first = list_ or next(iter(found.lists), "")
        show_next(screen, first_step([rig] if rig else [], first))


def _again(call: Call, folder: Path, said: Said) -> int:
    """Add what is new to the gribble.toml of a folder. Raises GribbleError."""
    path = folder / CONFIG_NAME
    if not os.path.isfile(path):
        raise GribbleError(f"there is no {CONFIG_NAME} here yet", fix="gribble init writes one.")
    config, text = _read(call, path)
    places = sheet_folders(config)
    more = [call.environment.path(one) for one in said.catalogues]
    nothing = Discovery(catalogues=(), rigs={}, sources=(), signs={})
    looked = nothing if said else discover(folder, [*places, *more])  # who names folders means them alone
    found = _with(call, looked, said, [*places, *more])
    sheets = load_catalogue([*places, *more]).sheets
    taken_out = TakenOut(taken_out_of(call.environment, path))
    said = said._replace(taken_out=taken_out)
    new = news(found, config, sheets, folder, text, said)
    if new:
        with changing(path) as file:
            config, text = _read(call, path)  # another Gribble may have added the same while this one looked around
            new = news(found, config, sheets, folder, text, said)
            if new:
                file.write([added(text, new).encode()], keep=False)
    screen = call.screen
    if not new:
        screen.say(f"Nothing is new: {CONFIG_NAME} has everything that is here.")
    else:
        screen.say(f"Added to {CONFIG_NAME}, and changed nothing else in it:")
        screen.grid([(words,) for words in told(new)])
        taken_out.note(back=[str(call.environment.path(one)) for one in (*said.sources, *said.rigs)])
    rigs: dict[str, tuple[str, Entries]] = {
        name: (rig.at, {one: {} for one in rig.emulators}) for name, rig in config.rig.items()
    }
    rigs |= {name: (rigs[name][0], more_on) for name, more_on in new.emulators.items()}
    sources = (*config.source_folders, *new.sources)
    _next(call, structs.replace(found, rigs={**rigs, **new.rigs}, sources=tuple(map(str, sources))), "")
    return ExitCode.CLEAN


def _read(call: Call, path: Path) -> tuple[Config, str]:
    """What a gribble.toml says now, and its text. Raises MistakesError."""
    config = load_config(path, call.environment.home, call.environment.env)
    return config, text_of(read_regular(path, MOST_TEXT))
