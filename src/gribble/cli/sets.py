"""`gribble sets`: whether arcade sets run, which of them are wanted, and which release fits them. It also tells what an
update breaks and what goes on a card.
"""

from __future__ import annotations

import os
import re
import tomllib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, NamedTuple

import typer
from msgspec import structs

from gribble.cli.check import SortOption, VerdictsOption, chosen_verdicts, sorted_audits, with_verdicts
from gribble.cli.command import Call, command
from gribble.cli.completing import emulators
from gribble.cli.completing import sets as set_names
from gribble.cli.entering import change
from gribble.cli.needs import show_families
from gribble.cli.options import RARE, OnlyOption, ReplaceOption, RereadOption, SkipOption, VerboseOption, YesOption
from gribble.cli.running import finish_open_runs, place_plan, planned
from gribble.cli.session import Session, ask
from gribble.cli.surveying import MOST_PASSED_OVER, sets_named, survey
from gribble.core.answers.entering import Said, entered
from gribble.core.answers.rosters import (
    ArcadePlace,
    arcade_places,
    compare_releases,
    find_roster,
    fit_card,
    match_releases,
    one_place,
    roster_of,
    wanted_now,
    wishes_of,
)
from gribble.core.answers.wishing import How, Look, Pick, Picked, changed_list, changed_text, pick
from gribble.core.arcade.match import whole_games
from gribble.core.base.amounts import read_bytes
from gribble.core.base.errors import ExitCode, GribbleError, unreadable
from gribble.core.base.filewriter import changing, check_target, write_file
from gribble.core.base.kinds import Style
from gribble.core.base.paths import without_home
from gribble.core.base.regular import MOST_TEXT, Typed, read_regular, text_of
from gribble.core.catalogue.config import read_wanted
from gribble.core.catalogue.families import SPECIAL
from gribble.core.records.config import Ask
from gribble.core.records.roster import Roster
from gribble.core.records.set_remedies import Change
from gribble.views.looks import kept_words, shorten
from gribble.views.screen import styled
from gribble.views.set_releases import (
    CHANGES,
    compare_csv,
    compare_json,
    fit_json,
    match_json,
    show_compared,
    show_fit,
    show_match,
)
from gribble.views.sets import sets_json, show_checked, show_list, show_picked, wanted_json

EmulatorOption = Annotated[
    str | None,
    typer.Option("--emulator", metavar="EMULATOR", help="Only this arcade emulator.", autocompletion=emulators),
]


@command("sets match", takes="rig from_ json config", asks=True)
def match(
    call: Call,
    emulator: EmulatorOption = None,
    verbose: VerboseOption = False,
) -> int:
    """Which release your files fit best.

    It looks at everything that you have, and says for which release each wanted set is right.

    Example: gribble sets match
    """
    with Session(call, arcade=True) as session:
        scope = call.scope
        world = survey(session, scope)
        found = match_releases(world, arcade_places(world, scope.rigs, (emulator,) if emulator else ()))
        if call.json:
            session.screen.json(match_json(found))
        else:
            show_match(session.screen, found, verbose=verbose)
        fits = all(one.installed in releases for one in found for releases in one.wanted.values())
        return ExitCode.USAGE if session.loaded.catalogue.mistakes else ExitCode.CLEAN if fits else ExitCode.ATTENTION


@command("sets compare", takes="rig from_ json config", asks=True)
def compare(
    call: Call,
    old: Annotated[str, typer.Argument(metavar="OLD", help="A release, or a roster's file.")],
    new: Annotated[str, typer.Argument(metavar="NEW", help="Another.")],
    emulator: EmulatorOption = None,
    csv: Annotated[
        str | None, typer.Option(metavar="FILE", help="A table with a row for each set; - is standard output.")
    ] = None,
    replace: ReplaceOption = False,
    verbose: VerboseOption = False,
) -> int:
    """What an update of the emulator means for sets.

    It shows what becomes of the wanted sets from one release to another.

    Example: gribble sets compare 1.6 1.8
    """
    table = call.environment.path(csv) if csv and csv != "-" else None
    with Session(call, arcade=True) as session:
        scope = call.scope
        if table:
            session.loaded.refuse_source(table, "--csv FILE")
            check_target(table, CHANGES, replace_other=replace)
        world = survey(session, scope)
        place = one_place(world, scope.rigs, (emulator,) if emulator else ())
        paths = session.loaded.catalogue.rosters.get(place.fitted.emulator, ())
        rosters = find_roster(place, paths, old), find_roster(place, paths, new)
        changes = compare_releases(place, *rosters)
        shared = without_home(session.folder, str(call.environment.home))
        if table:
            kept = write_file(table, [shared(compare_csv(changes)).encode()], own=CHANGES, replace_other=replace)
            session.screen.tell(f"written: {shorten(str(table))}{kept_words(kept)}")
        if call.json:
            session.screen.json(compare_json(*rosters, changes))
        elif csv == "-":
            session.screen.raw(shared(compare_csv(changes)))
        else:
            show_compared(session.screen, *rosters, changes, verbose=verbose)
            installed = place.fitted.release == rosters[1].head.release
            if any(one.change in (Change.REPACK, Change.HELD) for one in changes) and installed:
                session.screen.next(
                    f"gribble place {place.fitted.emulator}", "packs and copies the files that you have"
                )
        if session.loaded.catalogue.mistakes:
            return ExitCode.USAGE
        return ExitCode.CLEAN if all(one.change is Change.SAME for one in changes) else ExitCode.ATTENTION


@command("sets fit", takes="rig from_ json config", asks=True)
def fit(
    call: Call,
    room: Annotated[str, typer.Option(metavar="SIZE", help="The room on the card: 8GB is decimal, 8GiB binary.")],
    wanted: Annotated[
        str | None,
        typer.Option(metavar="FILE", help="A file of sets, one on each line, with an optional weight after the name."),
    ] = None,
    emulator: EmulatorOption = None,
    cluster: Annotated[
        str | None,
        typer.Option(metavar="SIZE", help="The least room a file takes (default: the rig's).", rich_help_panel=RARE),
    ] = None,
    seconds: Annotated[
        float, typer.Option(metavar="SECONDS", min=0.1, help="How long to search at most.", rich_help_panel=RARE)
    ] = 10.0,
    out: Annotated[str | None, typer.Option(metavar="FILE", help="Write the chosen sets to a file.")] = None,
    replace: ReplaceOption = False,
    verbose: VerboseOption = False,
) -> int:
    """The best selection of wanted sets for a card.

    What the sets share is counted once.

    Example: gribble sets fit --room 8GB --out card.txt
    """
    budget, least = read_bytes(room), read_bytes(cluster) if cluster else None
    with Session(call, arcade=True) as session:
        scope = call.scope
        try:
            wishes = read_wanted(Path(wanted)) if wanted else []
        except OSError as error:
            raise unreadable(wanted, error) from error
        if out:
            session.loaded.refuse_source(call.environment.path(out), "--out")
            check_target(call.environment.path(out), replace_other=replace)
        world = survey(session, scope)
        place = one_place(world, scope.rigs, (emulator,) if emulator else (), wishes)
        with _silence():
            found = fit_card(place, wishes_of(place, wishes), budget, least, seconds)
        if out:
            chosen = "".join(f"{name}\n" for name in found.selection.chosen).encode()
            kept = write_file(call.environment.path(out), [chosen], replace_other=replace)
            session.screen.tell(f"written: {out}{kept_words(kept)}")
        if call.json:
            session.screen.json(fit_json(found))
        else:
            show_fit(session.screen, found, verbose=verbose)
            if out:
                words = f'with wanted = "{out}" for {place.fitted.emulator} in gribble.toml: brings them to the rig'
                session.screen.next("gribble place", words)
        if session.loaded.catalogue.mistakes:
            return ExitCode.USAGE
        return ExitCode.ATTENTION if found.selection.left_out else ExitCode.CLEAN


@contextmanager
def _silence() -> Iterator[None]:
    """The solver now and then writes a line to the process's standard output, where only an answer belongs."""
    kept, nowhere = os.dup(1), os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    try:
        yield
    finally:
        os.dup2(kept, 1)
        os.close(kept)
        os.close(nowhere)


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
