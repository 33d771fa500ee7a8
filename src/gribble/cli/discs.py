"""`gribble discs check|mend|playlist`: track sheets, playlists and disc images."""

from __future__ import annotations

import errno
import os
import posixpath
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path
from typing import Annotated, NamedTuple

import msgspec
import typer

from gribble.cli.command import Call, command
from gribble.cli.finding import find_config
from gribble.cli.options import RARE, VerboseOption, YesOption
from gribble.cli.running import write_texts
from gribble.cli.session import Session
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError, no_such, reason_of, unreadable
from gribble.core.base.paths import base, folders_above, join, name_fault, path_fault, relative
from gribble.core.base.regular import MOST_TEXT, NoTextError, read_regular, text_of
from gribble.core.catalogue.config import fit_sheet
from gribble.core.discs.looking import (
    PartReader,
    check_files,
    could_be_discs,
    mend_files,
    no_such_part,
    reader_below,
    sizes_below,
)
from gribble.core.discs.playlists import as_entry, can_be_listed, group, lines_of
from gribble.core.discs.playlists import named as playlists_by_name
from gribble.core.placing.contents import Text
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
    sizes: Mapping[str, int]
    reader: PartReader
    only: str = ""
    rig: str = ""
    inside: str = ""

    @property
    def far(self) -> bool:
        """Whether they are on a rig that is reached over the network."""
        return "://" in self.root

    def shown(self, path: str) -> str:
        """A path below the root, as it is shown."""
        return shorten(f"{self.root}/{path}")

    def text(self, one: Mended) -> Text:
        """A mended sheet, to be written where it belongs."""

        def at(path: str) -> str:
            return join(self.inside, path) if self.rig else str(Path(self.root, path))

        return Text(self.rig, at(one.path), one.text, at(one.before) if one.before else "")


class Places:
    """Finds the files and folders that words mean: paths of this machine, or `RIG:FOLDER`. Rigs over the network are
    listed once."""

    def __init__(self, call: Call, session: Session | None, skipped: list[Skipped]) -> None:
        self._call = call
        self._session = session
        self._skipped = skipped
        self._grounds = session.rigs.grounds(call.scope) if session else {}
        self._listed: dict[str, dict[str, int]] = {}
        self._folders: dict[str, set[str]] = {}
        homes = session.rigs.in_scope(call.scope) if session else ()
        self._local = {home.name: home.root for home in homes if not home.remote}

    def of(self, words: Iterable[str] | None) -> list[DiscPlace]:
        """The places that words mean; without any the game folders of the rigs."""
        return [self.place(word) for word in words] if words else list(self._of_rigs())

    def place(self, word: str, *, new: bool = False) -> DiscPlace:
        """The place that a word means. Raises GribbleError for what is not there, unless it may be `new`."""
        rig, folder = self._on_rig(word)
        if rig in self._grounds:
            if why := self._grounds[rig].away():
                raise GribbleError(f"{rig} is not here: {why}", fix="Run the command again when it is back.")
            place = self._on_ground(rig, folder)
            if not place.sizes and not new:
                raise GribbleError(f"{word} is not there", fix=f"gribble rigs {rig} shows its folders.")
            return place
        path = Path(self._local[rig], folder) if rig else self._call.environment.path(word)
        if not (new or os.path.exists(path)):
            raise no_such(word)
        whole = new or os.path.isdir(path)
        start, only = (path, "") if whole else (path.parent, path.name)
        home = next((name for name, root in self._local.items() if start.is_relative_to(root)), "")
        inside = start.relative_to(self._local[home]).as_posix() if home else ""
        sizes = {} if new else sizes_below(start, self._skipped)
        return DiscPlace(str(start), sizes, reader_below(start), only, home, inside)

    def _on_rig(self, word: str) -> tuple[str, str]:
        """The rig and the folder there that a word means: `RIG:FOLDER`, or a folder that only the rig of `--rig` has;
        two empty texts for a path of this machine. Raises GribbleError for a folder that leads out of the rig."""
        rig, colon, folder = word.partition(":")
        known = {*self._grounds, *self._local}
        if not (colon and rig in known):
            asked = self._call.scope.rigs
            rig, folder = (asked[0], word) if len(asked) == 1 and asked[0] in known else ("", "")
            if rig and os.path.exists(self._call.environment.path(word)):
                return "", ""
        folder = folder.strip("/")
        if rig and folder and (fault := path_fault(folder)):
            raise GribbleError(f'"{word}" {fault}', fix="Name a folder of the rig, such as RIG:games.")
        return rig, folder

    def _of_rigs(self) -> Iterator[DiscPlace]:
        """The game folders of the rigs; a rig that is away is told and left out."""
        assert self._session is not None
        for rig in self._session.rigs.in_scope(self._call.scope):
            for folder in _media_folders(self._session, rig.name):
                root = Path(rig.root, folder)
                if rig.name not in self._grounds:
                    if os.path.isdir(root):
                        sizes = sizes_below(root, self._skipped)
                        yield DiscPlace(str(root), sizes, reader_below(root), rig=rig.name, inside=folder)
                elif why := self._grounds[rig.name].away():
                    self._session.notes.aside(f"{rig.name} is left out: {why}")
                    break
                else:
                    yield self._on_ground(rig.name, folder)

    def _on_ground(self, rig: str, folder: str) -> DiscPlace:
        """A folder of a rig that is reached over the network."""
        ground, prefix = self._grounds[rig], f"{folder}/" if folder else ""
        if rig not in self._listed:
            self._listed[rig] = {}
            for listed in ground.walk():
                self._skipped += listed.skipped
                self._listed[rig].update((entry.path, entry.size) for entry in listed.files)
            self._folders[rig] = folders_above(self._listed[rig])
        sizes = {path[len(prefix) :]: size for path, size in self._listed[rig].items() if path.startswith(prefix)}

        def part(path: str, offset: int, length: int) -> bytes:
            at = posixpath.normpath(prefix + path)
            if at not in self._listed[rig]:
                raise no_such_part(path, is_folder=at in self._folders[rig])
            return ground.part(at, offset, length)

        return DiscPlace(f"{ground.root}/{folder}".rstrip("/"), sizes, part, rig=rig, inside=folder)


def _media_folders(session: Session, rig: str) -> list[str]:
    """The game folders of the emulators on a rig."""
    sheets = session.loaded.catalogue.sheets
    installed = session.loaded.config.rig[rig].emulators.items()
    fitted = [fit_sheet(sheets[name], one) for name, one in installed if name in sheets]
    return list(dict.fromkeys(one.folders[media.folder] for one in fitted for media in one.media))


PathsArgument = Annotated[
    list[str] | None,
    typer.Argument(metavar="[[RIG:]FILE | [RIG:]FOLDER]...", help="Only these (default: game folders of your rigs)."),
]


@command("discs check", takes="rig at json config")
def check(
    call: Call,
    paths: PathsArgument = None,
    verbose: VerboseOption = False,
) -> int:
    """Whether track sheets and images are right.

    It checks whether the named files are there, and whether images are as long as they say. Nothing is changed.

    Example: gribble discs check discs
    """
    skipped: list[Skipped] = []
    with _session_for(call, paths or ()) as session:
        screen = session.screen if session else call.screen
        found = [
            msgspec.structs.replace(one, path=place.shown(one.path))
            for place in Places(call, session, skipped).of(paths)
            for one in check_files(place.sizes, place.reader, place.only)
        ]
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
    """Correct track sheets that name renamed files.

    It also corrects playlists. It changes only what case, length and order leave no doubt about.

    Example: gribble discs mend discs
    """
    skipped: list[Skipped] = []
    known = find_config(call.environment, call.config)
    session = Session(call) if known or not paths else None  # it knows rigs and sources
    screen = session.screen if session else call.screen
    try:
        chosen = Places(call, session, skipped).of(paths)
        found = [(place, one) for place in chosen for one in mend_files(place.sizes, place.reader, place.only)]
        show_mended(screen, [(place.shown(one.path), one) for place, one in found])
        for one in skipped:
            screen.tell(f"passed over {one.path}: {one.why}")
        texts = [place.text(one) for place, one in found]
        return write_texts(call, texts, session, yes, "a copy of it in another place") if found else ExitCode.CLEAN
    finally:
        if session:
            session.close()


@command("discs playlist", takes="rig at json config")
def playlist(
    call: Call,
    folders: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[[RIG:]FOLDER]...", help="Where the discs are (default: the game folders of your rigs)."
        ),
    ] = None,
    into: Annotated[
        str | None, typer.Option(metavar="[RIG:]FOLDER", help="Write the playlists there; never into a source.")
    ] = None,
    names: Annotated[
        str | None,
        typer.Option(
            metavar="FILE",
            help="A file of ids: on each line an id, and the name for its playlist.",
            rich_help_panel=RARE,
        ),
    ] = None,
    yes: YesOption = False,
) -> int:
    """Playlists for titles of several discs.

    It groups discs by their names and lists them. It writes playlists only with --into.

    Example: gribble discs playlist discs
    """
    if call.json and into:
        raise GribbleError(
            "--json and --into do not go together: one lists playlists, the other writes them",
            fix="Use one of the two.",
        )
    skipped = list[Skipped]()
    titles = _titles(Path(names)) if names else {}
    with _session_for(call, [*(folders or ()), *filter(None, [into])], writes=bool(into)) as session:
        places, screen = Places(call, session, skipped), session.screen if session else call.screen
        found, lacking = _grouped(places.of(folders), titles)
        shown = [
            msgspec.structs.replace(one, path=place.shown(one.path), discs=tuple(map(place.shown, one.discs)))
            for place, one in found
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
            return _write_playlists(call, session, found, places.place(into, new=True), yes)
        if found and not call.json:
            on = [word for one in call.scope.rigs for word in ("--rig", one)]
            asked = ("--names", names) if names else ()
            words = typed(["gribble", "discs", "playlist", *(folders or ()), *on, *asked])
            screen.next(f"{words} --into FOLDER", "writes them, and asks first")
    return ExitCode.ATTENTION if any(one.missing for _, one in found) else ExitCode.CLEAN


def _grouped(places: Iterable[DiscPlace], titles: dict[str, str]) -> tuple[list[tuple[DiscPlace, Playlist]], list[str]]:
    """The playlists of some folders, and the ids of `titles` that none of these has. Raises GribbleError for a file."""
    found: list[tuple[DiscPlace, Playlist]] = []
    lacking = list(titles)
    for place in places:
        if place.only:
            raise GribbleError(f"{place.shown(place.only)} is not a folder", fix="Name the folder where the discs are.")
        paths = could_be_discs(place.sizes, place.reader)
        installed, absent = playlists_by_name(paths, titles)
        lacking = [id_ for id_ in lacking if id_ in absent]
        found += [(place, one) for one in (*group(paths), *installed)]
    return found, lacking


def _session_for(call: Call, words: Sequence[str], *, writes: bool = False) -> AbstractContextManager[Session | None]:
    """A session where a configuration is needed: without words, for those that could name a rig, and, where there is
    one, to write."""
    on_rig = bool(call.scope.rigs) or any(
        ":" in word and not os.path.exists(call.environment.path(word)) for word in words
    )
    known = (writes or on_rig) and find_config(call.environment, call.config)
    return Session(call) if known or not words else nullcontext()


def _write_playlists(
    call: Call, session: Session | None, found: list[tuple[DiscPlace, Playlist]], into: DiscPlace, yes: bool
) -> int:
    """Write the playlists of titles all of whose discs are there; the exit status."""
    lacking = [one for _, one in found if one.missing]
    for one in lacking:
        numbers = ", ".join(map(str, one.missing))
        which = f"disc {numbers} of {one.total} is" if len(one.missing) == 1 else f"discs {numbers} are"
        call.screen.say(f"{one.title} gets no playlist, because {which} missing.")
    unlisted = [one for _, one in found if not (one.missing or all(map(can_be_listed, one.discs)))]
    for one in unlisted:
        call.screen.say(
            f"{one.title} gets no playlist, because a disc has signs in its name that no playlist can have."
        )
    whole = [(place, one) for place, one in found if not (one.missing or one in unlisted)]
    texts = list(_texts(whole, into))
    left = ExitCode.ATTENTION if lacking or unlisted else ExitCode.CLEAN
    if not texts:
        call.screen.say("Nothing to write: the playlists are right already." if whole else "Nothing to write.")
        return left
    return write_texts(call, texts, session, yes, "--into FOLDER") or left


def _titles(path: Path) -> dict[str, str]:
    """A list of ids and the titles they stand for. Raises MistakesError with every line that is none."""
    try:
        lines = text_of(read_regular(path, MOST_TEXT)).splitlines()
    except OSError as error:
        raise unreadable(path, error) from error
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


def _texts(found: list[tuple[DiscPlace, Playlist]], into: DiscPlace) -> Iterator[Text]:
    """The playlists as they are to be written into a folder, merged with those there; not those that say the same.

    Raises GribbleError if the folder is on another device than the discs.
    """
    for place, one in found:
        if place.far != into.far or (into.far and place.rig != into.rig):
            raise GribbleError(
                f"{into.root} is not on the device with the discs of {one.title}, so a playlist cannot find them",
                fix=f"--into {place.rig}:FOLDER" if place.far else "--into FOLDER, with a folder beside the discs",
            )
        name = base(one.path)
        there = name in into.sizes if into.far else os.path.exists(Path(into.root, name))
        try:
            former = into.reader(name, 0, MOST_TEXT + 1).decode("utf-8-sig", errors="surrogateescape") if there else ""
            if len(former) > MOST_TEXT:
                raise OSError(errno.EFBIG, "it is too large for a playlist")
        except OSError as error:
            raise GribbleError(
                f"{into.root}/{name} cannot be read: {reason_of(error)}",
                fix="Nothing was written. Check its permissions.",
            ) from error
        entries = [as_entry(relative(f"{place.root}/{disc}", into.root)) for disc in one.discs]
        text = "".join(f"{line}\n" for line in lines_of(entries, former.splitlines()))
        if text != former:
            path = join(into.inside, name) if into.rig else str(Path(into.root, name))
            yield Text(into.rig, path, text, path if there else "")
