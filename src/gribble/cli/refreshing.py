"""`gribble catalogue refresh`: the lists that sheets and rosters were made from, looked at again."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, timedelta
from pathlib import Path
from typing import Annotated, NamedTuple

import typer
from msgspec import structs

from gribble.cli.catalogue import effects_between
from gribble.cli.command import Call, command
from gribble.cli.completing import emulators
from gribble.cli.loaded import catalogue_folders
from gribble.cli.options import YesOption
from gribble.cli.session import Session, ask
from gribble.core.answers.comparing import compare_catalogues
from gribble.core.answers.refreshing import Followed, Refreshed, Renewed, followed, renewed
from gribble.core.base.addresses import is_web, web_address
from gribble.core.base.errors import ExitCode, GribbleError, MistakesError, reason_of
from gribble.core.base.filewriter import changed, changing, stamp_of
from gribble.core.base.regular import open_regular
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.origins import digest_of, kept_of
from gribble.core.records.sheet import Sheet
from gribble.views.catalogue import refresh_json, show_refreshed
from gribble.views.looks import kept_words, shorten
from gribble.views.shell import quoted


class Listed(NamedTuple):
    """A list as it is now: the file to be read, how a sheet notes where it is, and what its server calls its state."""

    path: Path
    noted: str
    etag: str = ""


@contextmanager
def listed(call: Call, word: str, known: Followed | None = None) -> Iterator[Listed | None]:
    """The list of a path or an address; one from the web is fetched for as long as it is looked at. None if its
    server says that it is as it is `known`. Raises GribbleError."""
    if not is_web(word):
        path = Path(os.path.normpath(call.environment.path(_expanded(call, word) if known else word)))
        with _as_typed(path, word):
            yield Listed(path, _noted(call, path))
        return
    from gribble.stores.web import fetch

    try:
        address = web_address(word)
    except ValueError as error:
        raise GribbleError(f"{word} {error}", fix="Save the list to a file, and name that.") from None
    with tempfile.TemporaryDirectory(prefix="gribble-") as folder:
        etag, since = (known.origin.etag, _day_before(known.origin.date)) if known else ("", "")
        with call.screen.bar("Fetching") as bar:
            found = fetch(address, Path(folder), bar.advance, etag=etag, since=since)
        with _as_typed(found.path if found else Path(folder), word):
            yield Listed(found.path, address, found.etag) if found else None


@contextmanager
def _as_typed(source: Path, file: str) -> Iterator[None]:
    """Errors name a list as the user does."""
    try:
        yield
    except MistakesError:
        raise
    except GribbleError as error:
        error.what = error.what.replace(str(source), file)
        raise
    except (OSError, UnicodeDecodeError) as error:
        why = reason_of(error) if isinstance(error, OSError) else str(error)
        raise GribbleError(f"{file} cannot be read: {why}", fix="Check it, or say its encoding in a map.") from error


def _noted(call: Call, path: Path) -> str:
    """A path as a sheet notes it: without the name of the user's own folder."""
    home = call.environment.home
    return f"~/{path.relative_to(home).as_posix()}" if path.is_relative_to(home) else str(path)


def _expanded(call: Call, noted: str) -> str:
    return str(call.environment.home / noted[2:]) if noted.startswith("~/") else noted


def _day_before(day: str) -> str:
    """The day before one as servers read it: a list that did not change since is the one that was read, whatever the
    hour and the zone. Empty where the day is none."""
    try:
        before = date.fromisoformat(day) - timedelta(days=1)
    except (ValueError, OverflowError):
        return ""
    return before.strftime("%a, %d %b %Y 00:00:00 GMT")


@command("catalogue refresh", takes="json config")
def refresh(
    call: Call,
    emulator: Annotated[
        str | None, typer.Argument(metavar="[EMULATOR]", help="Only this emulator's.", autocompletion=emulators)
    ] = None,
    yes: YesOption = False,
) -> int:
    """Look again at the lists behind your sheets.

    It shows what has changed there and what that does to your rigs, and asks. What you wrote by hand stays.

    Example: gribble catalogue refresh plover
    """
    those = _those(catalogue_folders(call), emulator)
    with Session(call) as session, tempfile.TemporaryDirectory(prefix="gribble-") as folder:
        looked = []
        for number, one in enumerate(those):
            work = Path(folder) / str(number)
            work.mkdir()
            answer = _look(session, one, work, yes)
            looked.append(answer)
        if call.json:
            session.screen.json(refresh_json(looked))
        elif not looked:
            session.screen.say("No sheet and no roster of your catalogues says which list it was made from.")
            session.screen.next("gribble catalogue import LIST --into SHEET", "notes it, with what is new")
        else:
            _lead_on(session, looked)
    return max((one.code for one in looked), default=ExitCode.CLEAN)


def _those(folders: list[Path], emulator: str | None) -> list[Followed]:
    """What was made from a list, of an emulator if one is named. Raises GribbleError if there is none of it."""
    every = list(followed(folders))
    those = [one for one in every if emulator in (None, one.head.emulator)]
    if emulator is not None and not those:
        near = suggest(emulator, sorted({one.head.emulator for one in every}))
        raise GribbleError(
            f"no sheet of {emulator} says which list it was made from{near}",
            fix=f"gribble catalogue import LIST --emulator {emulator} --into SHEET adds it, and notes the list.",
        )
    return those


def _look(session: Session, one: Followed, work: Path, yes: bool) -> Refreshed:
    """Look at one list, show what it says now, and take it over if that is wished."""
    screen, quiet = session.screen, session.call.json
    try:
        with listed(session.call, one.origin.list_, one) as found:
            answer = _compared(session, one, found, work)
            if not quiet:
                show_refreshed(screen, answer)
            wished = answer.is_open and (yes or not quiet) and ask(session.call, "Take these changes?", yes)
            if wished and answer.renewed and found:
                answer = answer._replace(kept=_take(one, answer.renewed, found), done=True)
                if not quiet:
                    screen.say(f"{shorten(str(one.path))} now has what the list says{kept_words(answer.kept)}.")
    except GribbleError as error:
        answer = Refreshed(one, error=error)
        if not quiet:
            show_refreshed(screen, answer)
    return answer


def _compared(session: Session, one: Followed, found: Listed | None, work: Path) -> Refreshed:
    """What a list would change. Raises GribbleError."""
    if found is None:
        return Refreshed(one)
    if not found.path.is_file():
        where = "list in [from]" if isinstance(one.head, Sheet) else '"list" in "from", in the first line'
        raise GribbleError(
            f"{one.origin.list_} is not there",
            fix=f"Bring it back, or write its new place in {one.path.name}: {where}.",
            code=ExitCode.FAILED,
        )
    sha256 = digest_of(found.path)
    if sha256 == one.origin.sha256:
        return Refreshed(one)
    today = session.call.environment.clock().date().isoformat()
    origin = structs.replace(one.origin, date=today, sha256=sha256, etag=found.etag)
    made = renewed(one, found.path, origin, work)
    if not made.told.differs:
        return Refreshed(one, made)
    mine, sheet = session.loaded.catalogue, made.sheet
    if isinstance(one.head, Sheet) and sheet is not None:
        changes = compare_catalogues({sheet.emulator: one.head}, {sheet.emulator: sheet})
        is_used = mine.sheets.get(sheet.emulator) == one.head
        new = structs.replace(mine, sheets={**mine.sheets, sheet.emulator: sheet}) if is_used else mine
    else:
        changes, name = (), one.head.emulator
        paths = tuple(made.place if path == one.path else path for path in mine.rosters.get(name, ()))
        new = structs.replace(mine, rosters={**mine.rosters, name: paths})
    effects = effects_between(session, mine, new, {one.head.emulator}) if new != mine else []
    return Refreshed(one, made, changes, tuple(effects))


def _take(one: Followed, made: Renewed, found: Listed) -> Path | None:
    """Bring a renewed sheet or roster to its place; where the former one is kept. Raises GribbleError."""
    with changing(one.path) as file, open_regular(made.place) as stream:
        if stamp_of(one.path) != one.stamp:
            raise changed(one.path)
        for place, blocks in kept_of(one.path, found.path, made.origin.sha256, None):
            file.beside(place, blocks)
        return file.write(iter(lambda: stream.read(1 << 20), b""), keep=True)


def _lead_on(session: Session, looked: list[Refreshed]) -> None:
    """The command that goes on from what was taken over, or takes over what was not."""
    done = list(dict.fromkeys(one.followed.head.emulator for one in looked if one.done))
    left = list(dict.fromkeys(one.followed.head.emulator for one in looked if one.is_open))
    if left:
        only = f" {quoted(left[0])}" if len(left) == 1 else ""
        session.screen.next(f"gribble catalogue refresh{only} --yes", "takes the changes")
    elif done:
        session.screen.next(f"gribble check {' '.join(map(quoted, done))}", "what is right now, and what is not")
