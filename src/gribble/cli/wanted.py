"""`gribble sets wanted`: the list of wanted sets, seen and changed."""

from __future__ import annotations

import os
import re
import tomllib
from collections.abc import Callable
from typing import Annotated, NamedTuple

import typer
from msgspec import structs

from gribble.cli.command import Call, command
from gribble.cli.completing import sets as set_names
from gribble.cli.entering import change
from gribble.cli.options import YesOption
from gribble.cli.session import Session, ask
from gribble.cli.set_releases import EmulatorOption
from gribble.cli.surveying import survey
from gribble.core.answers.entering import Said, entered
from gribble.core.answers.rosters import ArcadePlace, one_place, roster_of, wanted_now
from gribble.core.answers.wishing import How, Look, Pick, Picked, changed_list, changed_text, pick
from gribble.core.arcade.match import whole_games
from gribble.core.base.errors import ExitCode, GribbleError, unreadable
from gribble.core.base.filewriter import changing, write_file
from gribble.core.base.regular import MOST_TEXT, read_regular
from gribble.core.base.texts import Typed, text_of
from gribble.core.catalogue.calling import SPECIAL
from gribble.core.catalogue.config import read_wanted
from gribble.core.records.roster import Roster
from gribble.views.looks import kept_words, shorten
from gribble.views.screen import styled
from gribble.views.wanted import show_list, show_picked, wanted_json

_YEARS = re.compile(r"^(\d{4})(?:\s*(?:-|\.\.|–)\s*(\d{4}))?$")


class WantedOptions(NamedTuple):
    """What `gribble sets wanted` is asked."""

    words: Annotated[
        list[str] | None,
        typer.Argument(metavar="[SET | WORD]...", help="Sets, titles, or words in titles.", autocompletion=set_names),
    ] = None
    emulator: EmulatorOption = None
    list_: Annotated[
        str | None, typer.Option("--list", metavar="FILE", help="The titles or names in a text, one on each line.")
    ] = None
    year: Annotated[
        str | None, typer.Option(metavar="YEAR", help="Only from this year, or these years: 1984-1989.")
    ] = None
    maker: Annotated[str | None, typer.Option(metavar="NAME", help="Only by this maker.")] = None
    held: Annotated[bool, typer.Option("--held", help="Only sets that you have whole.")] = False
    family: Annotated[bool, typer.Option("--family", help="With their parents and clones.")] = False
    instead: Annotated[bool, typer.Option("--instead", help="Only these: replace the list.")] = False
    without: Annotated[bool, typer.Option("--without", help="Take them out of the list.")] = False
    yes: YesOption = False


@command("sets wanted", takes="rig from_ json config", asks=True)
def wanted(call: Call, options: WantedOptions) -> int:
    """The list of sets that you want: show, change.

    It shows the sets that it would add, and asks. Without a word it shows the list.

    Example: gribble sets wanted "Salt Pan" --family
    """
    how = _how(options)
    years, lines = _years(options.year), _lines(call, options.list_)
    with Session(call, arcade=True) as session:
        scope = call.scope
        world = survey(session, scope)
        place = one_place(world, scope.rigs, (options.emulator,) if options.emulator else (), options.words or ())
        roster = roster_of(place)
        whole = frozenset(whole_games(roster, place.cabinet.everything, place.discs.digests))
        words = tuple(options.words or ())
        asked = Pick(words, lines, years, options.maker or "", whole if options.held else None, options.family)
        shows = asked == Pick()
        picked = Picked(sets={}) if shows else pick(roster, asked)
        if call.environment.is_terminal and not (options.yes or call.json):
            picked = _cleared(call, picked, roster)
        now, kept = wanted_now(place), session.loaded.config.rig[place.rig.name].emulators[place.fitted.emulator].wanted
        by_name = kept if kept not in [(one,) for one in SPECIAL] else None
        listed = by_name or now
        entries = changed_list(listed, picked.sets, how, roster.sets) if picked.sets else now
        look = Look(place.rig.name, place.fitted.emulator, roster.sets, now, entries, picked, whole)
        if call.json:
            session.screen.json(wanted_json(look))
        elif shows:
            show_list(session.screen, look)
        else:
            show_picked(session.screen, look)
            if picked.sets and not (by_name and look.is_same):
                if not ask(call, "Write it?", options.yes):
                    return ExitCode.ATTENTION
                _write(call, session, place, lambda text: changed_text(text, listed, picked.sets, how, roster.sets))
                session.screen.next(f"gribble check {look.emulator} --rig {look.rig}", "which of them run")
        return ExitCode.ATTENTION if picked.unclear or picked.unknown else session.ended(())


def _how(options: WantedOptions) -> How:
    """What becomes of the list. Raises GribbleError if two things are asked."""
    if options.instead and options.without:
        raise GribbleError("--instead and --without mean opposite things", fix="Use one of them.")
    return How.INSTEAD if options.instead else How.WITHOUT if options.without else How.ADD


def _years(text: str | None) -> tuple[int, int] | None:
    if text is None:
        return None
    if not (found := _YEARS.match(text.strip())):
        raise GribbleError(f"--year {text} is not a year", fix="Write --year 1986, or --year 1984-1989.")
    first, last = int(found[1]), int(found[2] or found[1])
    if last < first:
        raise GribbleError(f"--year {text} ends before it begins", fix=f"Write --year {last}-{first}.")
    return first, last


def _lines(call: Call, path: str | None) -> tuple[str, ...]:
    if path is None:
        return ()
    try:
        return tuple(read_wanted(call.environment.path(path)))
    except OSError as error:
        raise unreadable(path, error) from error


def _cleared(call: Call, picked: Picked, roster: Roster) -> Picked:
    """What was picked, with the lines that could mean several sets asked about."""
    chosen, left = dict(picked.sets), []
    for wish in picked.unclear:
        call.screen.say(styled(f"Which one is {wish.words}?", "bold"))
        call.screen.grid([(str(number), roster.sets[name].described) for number, name in enumerate(wish.sets, 1)])
        call.screen.say("Type a number, or press Enter for none of them. ")
        call.screen.flush()
        answer = call.environment.answer().strip()
        if answer.isdigit() and 0 < int(answer) <= len(wish.sets):
            chosen[wish.sets[int(answer) - 1]] = wish.weight
        else:
            left.append(wish)
    return structs.replace(picked, sets=chosen, unclear=tuple(left))


def _write(call: Call, session: Session, place: ArcadePlace, make: Callable[[str | None], str]) -> None:
    """Write the list into its file, which gribble.toml names from then on. `make` makes its text from what the file
    says at that moment, so that nothing that somebody added meanwhile is lost."""
    config = session.loaded.path
    assert config is not None
    name, emulator = place.rig.name, place.fitted.emulator
    there = tomllib.loads(text_of(read_regular(config, MOST_TEXT))).get("rig", {}).get(name, {}).get("emulators", {})
    said = there.get(emulator, {}).get("wanted") if isinstance(there.get(emulator), dict) else None
    named = said[0] if isinstance(said, list) and len(said) == 1 else said
    file = named if isinstance(named, str) and os.path.isfile(config.parent / named) else f"{emulator}-on-{name}.txt"
    in_use = file == named
    target = config.parent / file
    if in_use:
        with changing(target) as now:
            typed = Typed.of(now.data)
            kept = now.write([typed.written(make(typed.text))], keep=True)
    else:
        kept = write_file(target, [make(None).encode()], replace_other=True)
    call.screen.say(f"{shorten(str(target))} is written{kept_words(kept)}.")
    if not in_use:
        sheet = session.loaded.catalogue.sheets[emulator]
        inherited = not isinstance(there.get(emulator), str | dict)
        change(
            call,
            config,
            lambda text: entered(text, name, sheet, Said(wanted=file), inherited=inherited),
            yes=True,
        )
