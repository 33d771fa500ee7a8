"""`gribble catalogue import`: a list of any shape becomes a sheet or a roster, by a map or a drafted one."""

from __future__ import annotations

import re

from msgspec import structs

from gribble.cli.command import Call, command
from gribble.cli.entering import Entry
from gribble.cli.import_wish import ENDINGS, NOT_IMPORTED, ImportOptions, Otherwise, Wish, check_options
from gribble.cli.refreshing import listed
from gribble.cli.taking_over import take_over
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.filewriter import check_target, write_file
from gribble.core.base.paths import is_text, name_fault
from gribble.core.base.regular import MOST_TEXT, read_regular, text_of
from gribble.core.catalogue.importing.drafting import draft_map
from gribble.core.catalogue.importing.fieldmap import load_map, with_said, write_map
from gribble.core.catalogue.importing.found import Asked
from gribble.core.catalogue.importing.guessing import NOTHING, Said, read_said
from gribble.core.records.imported import Degree, Drafted, FieldMap, Guess, ListFormat, Named
from gribble.core.records.sheet import Level
from gribble.views.init import show_drafted
from gribble.views.looks import kept_words
from gribble.views.screen import Screen, styled
from gribble.views.shell import typed


@command("catalogue import", takes="json")
def import_(call: Call, options: ImportOptions) -> int:
    """Take over a list that some program or person made.

    Without a map Gribble drafts one, shows what it understood, and asks before it writes. It asks about what is
    doubtful at a terminal, and leaves it out elsewhere.

    With --rig the sheet goes into your catalogue, and Gribble enters the emulator for that rig. Then check says what is
    missing.

    Example: gribble catalogue import plover.html --rig lighthouse
    """
    return call.done_as("import/1", lambda call: _listed(call, options), **NOT_IMPORTED)


def _listed(call: Call, options: ImportOptions) -> int:
    with listed(call, options.file) as found:
        assert found is not None, "nothing was asked for that could be unchanged"
        return _import(call, Wish(call, options, found))


def _import(call: Call, wish: Wish) -> int:
    options = wish.options
    check_options(call, wish.found.path, options)
    if not is_text(wish.found.noted):
        raise GribbleError(
            f"{wish.found.noted} is not UTF-8, and the sheet has to say where the list is",
            fix="Give the list, or its folder, a plain name first.",
        )
    entry = Entry.of(call, options.rig) if options.rig else None
    wish = wish._replace(entry=entry)
    folder = "" if entry else options.folder
    said = {"emulator": options.emulator, "release": options.release, "folder": folder}
    if options.draft is not None:
        check_target(call.environment.path(options.draft), replace_other=options.replace)
    if options.map_ is not None:  # the user has said it all
        wish = wish.with_options(yes=True)
        return _by_map(wish, options.map_, {key: word for key, word in said.items() if word})
    fields = tuple(map(read_said, options.field or ()))
    to = options.to or next((one for one in ("sheet", "roster") if (options.out or "").endswith(ENDINGS[one])), "")
    asked = Asked(to, options.emulator or "", options.release or "", folder, options.table, fields)
    return _by_draft(wish, asked, options.draft)


_NEEDED = {"sheet": ("name",), "roster": ("name", "set"), "plays": ("plays",)}
"""Fields without which a list cannot be taken over."""


def _by_map(wish: Wish, map_: str, said: dict[str, str]) -> int:
    """Take a list over by a map that the user gives; what the command says of emulator, release and folder wins."""
    path = wish.call.environment.path(map_)
    made = load_map(path, wish.options.to)
    to = wish.options.to or made.target
    if to != "plays":
        made = structs.replace(made, **{to: {**getattr(made, to), **said}})
        wish = wish._replace(map_text=with_said(text_of(read_regular(path, MOST_TEXT)), to, said))
    wish = wish.aimed(to, made)
    if wish.only_shown and not wish.options.preview:
        raise GribbleError(
            "say where the result goes", fix="--out FILE writes it; --preview 3 only shows the first records."
        )
    wish.check_target(to)
    code = take_over(wish, made, to)
    if wish.options.preview and code == ExitCode.CLEAN:
        _say_next(wish, made, to, ["--map", map_])
    return code


def _by_draft(wish: Wish, asked: Asked, draft: str | None) -> int:
    """Show what was understood of a list, ask about what is doubtful, and take the list over; once more where somebody
    says that something is otherwise."""
    while True:
        drafted, sure = draft_map(wish.found.path, asked), list[Said]()
        try:
            asks = not (drafted.looks.format is ListFormat.CHECKSUMS and asked.emulator)  # else nothing is guessed
            now = wish._replace(said=_said_of(asked), can_say=True).with_options(yes=wish.options.yes or not asks)
            return _as_drafted(now, drafted, draft, sure)
        except Otherwise as said:
            asked = _changed(wish, asked._replace(fields=(*asked.fields, *sure)), drafted, said.answer)


def _numbered(drafted: Drafted) -> list[str]:
    """The columns of a list in the order in which they are shown: those of the guesses, then those not taken."""
    return [*(_path_of(drafted, one) for one in drafted.every), *drafted.left]


def _path_of(drafted: Drafted, guess: Guess) -> str:
    inner = drafted.made.files if guess in drafted.inner else drafted.made.discs if guess in drafted.discs else None
    return f"{inner.records}/{guess.column.lstrip('@')}" if inner else guess.column


def _said_of(asked: Asked) -> tuple[str, ...]:
    """The options by which what was said so far is said at once."""
    words = [word for one in asked.fields for word in ("--field", f"{one.column}={one.field}")]
    named = (("--to", asked.to), ("--emulator", asked.emulator), ("--release", asked.release))
    words += [word for option, value in named if value for word in (option, value)]
    return (*words, *(("--table", str(asked.table)) if asked.table is not None else ()))


def _changed(wish: Wish, asked: Asked, drafted: Drafted, answer: str) -> Asked:
    """What is asked after an answer such as "3 = title" or "to roster"; what it makes no sense of is told."""
    if match := re.fullmatch(r"(?:to|--to)\s+(sheet|roster|plays)", answer):
        return asked._replace(to=match[1])
    number, _, field = (part.strip() for part in answer.partition("="))
    columns = _numbered(drafted)
    column = columns[int(number) - 1] if number.isdigit() and 0 < int(number) <= len(columns) else number
    changed = asked._replace(fields=(*(one for one in asked.fields if not one.means(column)), Said(column, field)))
    try:
        draft_map(wish.found.path, changed)
    except GribbleError as error:
        wish.call.screen.say(f"{error.what[:1].upper()}{error.what[1:]}. {error.fix}")
        return asked
    return changed


def _as_drafted(wish: Wish, drafted: Drafted, draft: str | None, sure: list[Said]) -> int:
    """Take a list over as it is drafted; what was doubtful and is not is `sure`. Raises Otherwise if somebody says
    that a column is something else."""
    screen = wish.call.screen
    if drafted.to == "roster" and "release" not in drafted.made.roster:
        drafted = _with_release(wish, drafted)
    wish = wish.aimed(drafted.to, drafted.made)
    wish.check_target(drafted.to)
    show_drafted(screen, drafted, wish.options.file, numbered=wish.asks)
    if draft is not None:
        map_ = write_map(drafted, wish.options.file).encode()
        kept = write_file(wish.call.environment.path(draft), [map_], replace_other=wish.options.replace)
        screen.out.print()
        screen.say(f"{draft}: the map, to be corrected{kept_words(kept)}.")
    refused: list[Guess] = []
    for one in drafted.doubtful:
        if wish.asks and _is_agreed(wish, one):
            sure.append(Said(_path_of(drafted, one), one.field))  # now, since the next answer may start it again
        else:
            refused.append(one)
    agreed = [one for one in drafted.doubtful if one not in refused]
    _tell_refused(screen, drafted, refused)
    left_out = bool(drafted.notes or refused)
    drafted = _with_empty_cells(wish, drafted)
    made = drafted.without(refused).made
    wish = wish._replace(drafted=True, map_text=write_map(drafted.settled(agreed), wish.options.file))
    screen.out.print()
    code = take_over(wish, made, drafted.to)
    if code == ExitCode.CLEAN and wish.only_shown:
        more = ["--map", draft] if draft else []
        _say_next(wish, made, drafted.to, more)
    return ExitCode.ATTENTION if code == ExitCode.CLEAN and left_out else code


def _is_agreed(wish: Wish, guess: Guess) -> bool:
    """Whether somebody says that a guess is right. Raises Otherwise if they say what it is instead."""
    wish.call.screen.say(styled(f"Is {guess.column} the {guess.field}? [y/N] ", "bold"))
    wish.call.screen.flush()
    answer = wish.call.environment.answer().strip()
    wish.heard(answer)
    return answer.lower() in ("y", "yes")


def _tell_refused(screen: Screen, drafted: Drafted, refused: list[Guess]) -> None:
    """What is left out since it is only guessed, and how to say it. Raises GribbleError if nothing goes without it."""
    if needed := [one for one in refused if one.field in _NEEDED[drafted.to]]:
        raise GribbleError(
            f"Gribble is not sure which column is the {needed[0].field}. "
            f"It could be {needed[0].column} ({needed[0].reason})",
            fix=f"Say which: {' or '.join(_readings(drafted, needed[0]))}",
        )
    if refused:
        names = ", ".join(f"{one.field} from {one.column}" for one in refused)
        screen.out.print()
        screen.say(f"Gribble is not sure about {names}, so it is left out. To say it:")
        screen.grid([(styled(" or ".join(_readings(drafted, one)), "bold"), one.reason) for one in refused])


def _with_empty_cells(wish: Wish, drafted: Drafted) -> Drafted:
    """The same where somebody was asked what an empty cell says among others that say how much a file is needed."""
    for one in drafted.guesses:
        if wish.asks and one.field == "level" and one.degree is Degree.ASSUMED:
            words = ", ".join(Level)
            wish.call.screen.say(styled(f"What does an empty cell of {one.column} say: {words}, or nothing? ", "bold"))
            wish.call.screen.flush()
            answer = wish.call.environment.answer().strip()
            wish.heard(answer)
            if answer in (*Level, NOTHING):
                drafted = drafted.with_empty(one, "" if answer == NOTHING else answer)
    return drafted


def _readings(drafted: Drafted, one: Guess) -> list[str]:
    """The options that say what a doubtful column is: as it was guessed, and the other way."""
    column = _path_of(drafted, one)
    other = one.other or f"{column}={NOTHING}"
    return [typed(["--field", reading]) for reading in (f"{column}={one.field}", other)]


def _with_release(wish: Wish, drafted: Drafted) -> Drafted:
    """The map of a roster whose list does not say of which release it is: asked about. Raises GribbleError if nobody
    can be asked, or nothing usable is said."""
    emulator = drafted.made.roster["emulator"]
    answer = ""
    if wish.call.environment.is_terminal and not wish.options.yes:
        wish.call.screen.say(
            styled(f"{wish.options.file} does not say for which release of {emulator} it is. Which is it? ", "bold")
        )
        wish.call.screen.flush()
        answer = wish.call.environment.answer().strip()
    if not answer or name_fault(answer):
        raise GribbleError(
            f"{wish.options.file} does not say for which release of {emulator} it is", fix="Say it: --release RELEASE"
        )
    made = structs.replace(drafted.made, roster={**drafted.made.roster, "release": answer})
    return structs.replace(drafted, made=made, named={**drafted.named, "release": Named(answer, "your answer")})


def _say_next(wish: Wish, made: FieldMap, to: str, more: list[str]) -> None:
    if to == "plays":
        words = [wish.options.file, *more, "--to", to, "--into", "ROSTER"]
        wish.call.screen.next(f"gribble catalogue import {typed(map(str, words))}", "adds it to a roster")
        return
    top = getattr(made, to)
    name = f"{top['emulator']}-{top['release']}" if to == "roster" else top["emulator"]
    words = [wish.options.file, *more, *wish.said, *(["--to", to] if more else []), "--out", f"{name}{ENDINGS[to]}"]
    wish.call.screen.next(f"gribble catalogue import {typed(map(str, words))}", "writes all of it")
