"""`gribble discs check|mend|playlist`: track sheets, playlists and disc images."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import nullcontext
from pathlib import Path
from typing import Annotated, NamedTuple, Optional

import msgspec
import typer

from gribble.cli.command import Call, command
from gribble.cli.finding import find_config
from gribble.cli.options import VerboseOption, YesOption
from gribble.cli.running import write_texts
from gribble.cli.session import Session
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError, reason_of
from gribble.core.base.paths import base, join, name_fault, relative
from gribble.core.base.regular import MOST_TEXT, read_regular, read_text
from gribble.core.base.texts import NoTextError, text_of
from gribble.core.catalogue.config import fit_sheet
from gribble.core.discs.looking import PartReader, check_files, discs_below, mend_files, reader_below, sizes_below
from gribble.core.discs.playlists import group, lines_of
from gribble.core.discs.playlists import named as playlists_by_name
from gribble.core.placing.contents import Text
from gribble.core.records.config import Scope
from gribble.core.records.discs import Mended, Playlist
from gribble.core.records.holding import Skipped
from gribble.views.discs import discs_json, playlists_json, show_discs, show_mended, show_playlists
from gribble.views.looks import shorten
from gribble.views.shell import typed


class DiscPlace(NamedTuple):
    """Files in which discs are looked for: their paths and sizes below a root, and what reads them.

    `rig` and `inside` say on which rig they lie, and where there; `only` is the one that is meant.
    """

    root: str
    sizes: dict[str, int]
    reader: PartReader
    only: str = ""
    rig: str = ""
    inside: str = ""

    def shown(self, path: str) -> str:
        """A path below the root, as it is shown."""
        return shorten(f"{self.root}/{path}")

    def text(self, one: Mended) -> Text:
        """A mended sheet, to be written where it belongs."""

        def at(path: str) -> str:
            return join(self.inside, path) if self.rig else str(Path(self.root, path))

        return Text(self.rig, at(one.path), one.text, at(one.before) if one.before else "")


def places(call: Call, session: Session | None, paths: list[str] | None, skipped: list[Skipped]) -> list[DiscPlace]:
    """The files and folders that are meant, else the game folders of the rigs."""
    if not paths:
        assert session is not None
        return list(_on_rigs(session, call.scope, skipped))
    found = []
    for word in paths:
        path = call.environment.path(word)
        if not os.path.exists(path):
            raise GribbleError(f"{word} is not there", fix="Check the path.")
        whole = os.path.isdir(path)
        folder, only = (path, "") if whole else (path.parent, path.name)
        rig, inside = "", ""
        for home in session.rigs.in_scope(call.scope) if session else ():
            if not home.remote and folder.is_relative_to(home.root):
                rig, inside = home.name, folder.relative_to(home.root).as_posix()
        found.append(DiscPlace(str(folder), sizes_below(folder, skipped), reader_below(folder), only, rig, inside))
    return found


def _on_rigs(session: Session, scope: Scope, skipped: list[Skipped]) -> Iterator[DiscPlace]:
    """The game folders of the rigs; a rig that is away is told and left out."""
    grounds = session.rigs.grounds(scope)
    for rig in session.rigs.in_scope(scope):
        media = _media_folders(session, rig.name)
        if rig.name not in grounds:
            for folder in media:
                root = Path(rig.root, folder)
                if os.path.isdir(root):
                    sizes = sizes_below(root, skipped)
                    yield DiscPlace(str(root), sizes, reader_below(root), rig=rig.name, inside=folder)
            continue
        ground = grounds[rig.name]
        if why := ground.away():
            session.notes.aside(f"{rig.name} is left out: {why}")
            continue
        sizes = {}
        for listed in ground.walk():
            skipped += listed.skipped
            sizes.update((entry.path, entry.size) for entry in listed.files)
        inside = {path: size for path, size in sizes.items() if any(path.startswith(f"{one}/") for one in media)}
        yield DiscPlace(ground.root, inside, ground.part, rig=rig.name)


def _media_folders(session: Session, rig: str) -> list[str]:
    """The game folders of the emulators on a rig."""
    sheets = session.loaded.catalogue.sheets
    installed = session.loaded.config.rig[rig].emulators.items()
    fitted = [fit_sheet(sheets[name], one) for name, one in installed if name in sheets]
    return list(dict.fromkeys(one.folders[media.folder] for one in fitted for media in one.media))


PathsArgument = Annotated[
    Optional[list[str]],  # noqa: UP045
    typer.Argument(
        metavar="[FILE | FOLDER]...", help="Only these (default: game folders of your rigs).", show_default=False
    ),
]


@command("discs check", takes="rig at json config")
def check(
    call: Call,
    paths: PathsArgument = None,
    verbose: VerboseOption = False,
) -> int:
    """Whether track sheets and images hold together.

    Whether files that are named are there, and images as long as they say. Nothing is changed.

    Example: gribble discs check discs
    """
    skipped: list[Skipped] = []
    session = None if paths else Session(call)  # files that are named need no configuration
    chosen = places(call, session, paths, skipped)
    screen = session.screen if session else call.screen
    found = [
        msgspec.structs.replace(one, path=place.shown(one.path))
        for place in chosen
        for one in check_files(place.sizes, place.reader, place.only)
    ]
    if session:
        session.close()
    if call.json:
        screen.json(discs_json(found))
    else:
        words = [*(paths or ()), *(word for one in call.scope.rigs for word in ("--rig", one))]
        show_discs(screen, found, typed(words), verbose=verbose)
    for one in skipped:
        screen.tell(f"passed over {one.path}: {one.why}")
    return ExitCode.ATTENTION if any(one.findings for one in found) else ExitCode.CLEAN


@command("discs mend", takes="rig at config")
def mend(
    call: Call,
    paths: PathsArgument = None,
    yes: YesOption = False,
) -> int:
    """Put right track sheets that name renamed files.

    Playlists, too; where case, length and order leave no doubt.

    Example: gribble discs mend discs
    """
    skipped: list[Skipped] = []
    known = find_config(call.environment, call.config)
    session = Session(call) if known or not paths else None  # it knows rigs and sources
    screen = session.screen if session else call.screen
    try:
        chosen = places(call, session, paths, skipped)
        found = [(place, one) for place in chosen for one in mend_files(place.sizes, place.reader, place.only)]
        show_mended(screen, [(place.shown(one.path), one) for place, one in found])
        for one in skipped:
            screen.tell(f"passed over {one.path}: {one.why}")
        texts = [place.text(one) for place, one in found]
        return write_texts(call, texts, session, yes, "a copy of it elsewhere") if found else ExitCode.CLEAN
    finally:
        if session:
            session.close()


def _write_playlists(call: Call, found: list[Playlist], into: str, yes: bool) -> int:
    """Write the playlists of titles all of whose discs are there; the exit status."""
    known = find_config(call.environment, call.config)
    with Session(call) if known else nullcontext() as session:  # it knows rigs and sources
        lacking = [one for one in found if one.missing]
        for one in lacking:
            numbers = ", ".join(map(str, one.missing))
            which = f"disc {numbers} of {one.total} is" if len(one.missing) == 1 else f"discs {numbers} are"
            call.screen.say(f"{one.title} gets no playlist: {which} missing.")
        whole = [one for one in found if not one.missing]
        texts = list(_texts(whole, call.environment.path(into), session))
        left = ExitCode.ATTENTION if lacking else ExitCode.CLEAN
        if not texts:
            call.screen.say("Nothing to write: the playlists there say the same." if whole else "Nothing to write.")
            return left
        return write_texts(call, texts, session, yes, "--into FOLDER") or left


@command("discs playlist", takes="json config")
def playlist(
    call: Call,
    folders: Annotated[list[str], typer.Argument(metavar="FOLDER...", help="Where the discs lie.")],
    into: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option(metavar="FOLDER", help="Write the playlists there; never into a source.", show_default=False),
    ] = None,
    names: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option(
            metavar="FILE",
            help="Titles installed under an id: on each line the id, and the name its playlist shall have.",
            show_default=False,
        ),
    ] = None,
    yes: YesOption = False,
) -> int:
    """Playlists for titles of several discs.

    Grouped by name; listed, and written only with --into.

    Example: gribble discs playlist discs
    """
    if call.json and into:
        raise GribbleError("--json lists playlists, --into writes them", fix="Use one of the two.")
    screen, skipped = call.screen, list[Skipped]()
    found: list[Playlist] = []
    titles = _titles(Path(names)) if names else {}
    lacking = list(titles)
    for word in folders:
        root = call.environment.path(word)
        if not os.path.isdir(root):
            raise GribbleError(f"{word} is no folder", fix="Name the folder in which the discs lie.")
        paths = discs_below(root, skipped)
        installed, absent = playlists_by_name(paths, titles)
        lacking = [id_ for id_ in lacking if id_ in absent]
        for one in [*group(paths), *installed]:
            discs = tuple(str(root / disc) for disc in one.discs)
            found.append(msgspec.structs.replace(one, path=str(root / one.path), discs=discs))
    shown = [
        msgspec.structs.replace(one, path=shorten(one.path), discs=tuple(map(shorten, one.discs))) for one in found
    ]
    if call.json:
        screen.json(playlists_json(shown))
    else:
        show_playlists(screen, shown)
    for passed in skipped:
        screen.tell(f"passed over {passed.path}: {passed.why}")
    for id_ in lacking:
        screen.tell(f"{id_} ({titles[id_]}) is not there: no folder and no file of that name")
    if into and found:
        return _write_playlists(call, found, into, yes)
    if found and not call.json:
        words = typed([*folders, *(("--names", names) if names else ())])
        screen.next(f"gribble discs playlist {words} --into FOLDER", "writes them, and asks first")
    return ExitCode.ATTENTION if any(one.missing for one in found) else ExitCode.CLEAN


def _titles(path: Path) -> dict[str, str]:
    """A list of ids and the titles they stand for. Raises MistakesError with every line that is none."""
    try:
        lines = text_of(read_regular(path, MOST_TEXT)).splitlines()
    except OSError as error:
        raise GribbleError(f"{path} cannot be read: {reason_of(error)}", fix="Check the path.") from error
    except NoTextError as error:
        raise GribbleError(f"{path} {error}", fix="Save it as UTF-8.") from error
    titles: dict[str, str] = {}
    mistakes = []
    for number, line in enumerate(lines, start=1):
        id_, title = [*line.split(None, 1), "", ""][:2]
        if not id_ or id_.startswith("#"):
            continue
        fault = name_fault(title.strip()) if title.strip() else "is missing"
        if fault:
            mistakes.append(Mistake(str(path), f"line {number}", f"the name of {id_} {fault}"))
        titles.setdefault(id_, title.strip())
    if mistakes:
        raise MistakesError(mistakes)
    return titles


def _texts(found: list[Playlist], folder: Path, session: Session | None) -> Iterator[Text]:
    """The playlists as they are to be written into a folder, merged with those there; not those that say the same."""
    rigs = [rig for rig in session.rigs.in_scope(Scope()) if not rig.remote] if session else []
    rig = next((rig for rig in rigs if folder.is_relative_to(rig.root)), None)
    for one in found:
        target = folder / base(one.path)
        there = os.path.exists(target)
        try:
            former = read_text(target, MOST_TEXT, "utf-8-sig", errors="surrogateescape") if there else ""
        except OSError as error:
            raise GribbleError(
                f"{target} cannot be read: {reason_of(error)}", fix="Nothing was written. Check its permissions."
            ) from error
        entries = [relative(disc, folder) for disc in one.discs]
        text = "".join(f"{line}\n" for line in lines_of(entries, former.splitlines()))
        if text != former:
            path = target.relative_to(Path(rig.root)).as_posix() if rig else str(target)
            yield Text(rig.name if rig else "", path, text, path if there else "")
