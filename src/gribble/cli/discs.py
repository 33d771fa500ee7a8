"""`gribble discs check`: track sheets, playlists and disc images."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.options import AtOption, ConfigOption, JsonOption, RigOption, VerboseOption, YesOption

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from gribble.cli.session import Session
    from gribble.core.discs.looking import Reader
    from gribble.core.discs.mending import Mended
    from gribble.core.discs.playlists import Playlist
    from gribble.core.survey.walking import Skipped
    from gribble.core.world import Scope
    from gribble.views.screen import Screen

PathsArgument = Annotated[
    Optional[list[str]],  # noqa: UP045
    typer.Argument(
        metavar="[FILE | FOLDER]...", help="Only these (default: game folders of your rigs).", show_default=False
    ),
]
ABOUT = "Discs: track sheets, playlists and images, and whether they hold together."


@command("check", group="discs", about=ABOUT)
def check(
    paths: PathsArgument = None,
    rig: RigOption = None,
    at: AtOption = None,
    json: JsonOption = False,
    verbose: VerboseOption = False,
    config: ConfigOption = None,
) -> int:
    """Whether track sheets name files that are there, and images are as long as they say. Nothing is changed.

    Example: gribble discs check ~/discs
    """
    import shlex

    import msgspec

    from gribble.cli.session import Session, scope_of
    from gribble.core.discs.looking import check_files
    from gribble.core.errors import ExitCode
    from gribble.views.discs import discs_json, show_discs
    from gribble.views.screen import Screen

    skipped: list[Skipped] = []
    session = None if paths else Session(config)  # files that are named need no configuration
    places = _places(session, paths, scope_of(rig, None, None, at), skipped)
    screen = session.screen if session else Screen()
    found = [
        msgspec.structs.replace(one, path=place.shown(one.path))
        for place in places
        for one in check_files(place.sizes, place.reader, place.only)
    ]
    if session:
        session.close()
    if json:
        screen.json(discs_json(found))
    else:
        words = [*(paths or ()), *(word for one in rig or () for word in ("--rig", one))]
        show_discs(screen, found, shlex.join(words), verbose=verbose)
    for one in skipped:
        screen.tell(f"passed over {one.path}: {one.why}")
    return ExitCode.ATTENTION if any(one.findings for one in found) else ExitCode.CLEAN


@command("mend", group="discs", about=ABOUT)
def mend(
    paths: PathsArgument = None,
    rig: RigOption = None,
    at: AtOption = None,
    yes: YesOption = False,
    config: ConfigOption = None,
) -> int:
    """Put track sheets and playlists right that name renamed files, where case, length and order leave no doubt.

    Example: gribble discs mend ~/discs
    """
    from gribble.cli.session import Session, find_config, scope_of
    from gribble.core.discs.looking import mend_files
    from gribble.core.errors import ExitCode
    from gribble.views.discs import show_mended
    from gribble.views.screen import Screen

    skipped: list[Skipped] = []
    scope = scope_of(rig, None, None, at)
    session = Session(config) if not paths or find_config(config) else None  # it knows rigs and sources
    screen = session.screen if session else Screen()
    try:
        places = _places(session, paths, scope, skipped)
        found = [(place, one) for place in places for one in mend_files(place.sizes, place.reader, place.only)]
        show_mended(screen, [(place.shown(one.path), one) for place, one in found])
        for one in skipped:
            screen.tell(f"passed over {one.path}: {one.why}")
        return _write_mended(found, session, scope, screen, yes) if found else ExitCode.CLEAN
    finally:
        if session:
            session.close()


def _write_mended(
    found: list[tuple[_Place, Mended]], session: Session | None, scope: Scope, screen: Screen, yes: bool
) -> int:
    """Write mended sheets: on a rig as a run that can be undone, elsewhere with the former ones kept beside them."""
    from pathlib import Path

    from gribble.cli.running import ask, place_plan
    from gribble.core.errors import ExitCode
    from gribble.core.paths import join
    from gribble.core.placing.plan import Plan, Step, StepKind
    from gribble.stores.local import replace_file, write_new
    from gribble.views.looks import shorten

    steps = []
    here = [(Path(place.root) / one.path, one) for place, one in found if not place.rig]
    for target, _ in here:
        if session:
            session.refuse_source(target, "a copy of it elsewhere")
    for place, one in found:
        if not place.rig:
            continue
        to, before = (join(place.inside, path) if path else "" for path in (one.path, one.before))
        need = "track sheets"
        steps.append(
            Step(
                rig=place.rig,
                step=StepKind.WRITE,
                from_="",
                to=to,
                bytes=len(one.text.encode("utf-8", "surrogateescape")),
                text=one.text,
                replaces=to if before == to else None,
                need=need,
            )
        )
        if before and before != to:
            steps.append(Step(rig=place.rig, step=StepKind.DISPLACE, from_=before, need=need))
    code: int = ExitCode.CLEAN
    if steps and session:
        code = place_plan(session, scope, (), Plan(steps=tuple(steps)), yes)
    if not here:
        return code
    if not ask(screen, f"Write {len(here)}? The former ones are kept beside them.", yes):
        return ExitCode.ATTENTION
    for target, one in here:
        data, kept = one.text.encode("utf-8", "surrogateescape"), ""
        if target.exists():
            kept = f" (the former one is {replace_file(target, data).name})"
        else:
            write_new(target, data)
        screen.say(f"written: {shorten(str(target))}{kept}")
    return code


class _Place:
    """Files in which discs are looked for: their paths and sizes below a root, and what reads them.

    `rig` and `inside` say on which rig they lie, and where there; `only` is the one that is meant.
    """

    def __init__(self, root: str, sizes: dict[str, int], reader: Reader, only: str = "") -> None:
        self.root = root
        self.sizes = sizes
        self.reader = reader
        self.only = only
        self.rig = ""
        self.inside = ""

    def shown(self, path: str) -> str:
        """A path below the root, as it is shown."""
        from gribble.views.looks import shorten

        return shorten(f"{self.root}/{path}")


def _places(session: Session | None, paths: list[str] | None, scope: Scope, skipped: list[Skipped]) -> list[_Place]:
    """The files and folders that are meant, else the game folders of the rigs."""
    from pathlib import Path

    from gribble.core.discs.looking import reader_below, sizes_below
    from gribble.core.errors import GribbleError

    if not paths:
        assert session is not None
        return list(_on_rigs(session, scope, skipped))
    places = []
    for word in paths:
        path = Path(word).absolute()
        if not path.exists():
            raise GribbleError(f"{word} is not there", fix="Check the path.")
        folder = path if path.is_dir() else path.parent
        only = "" if path.is_dir() else path.name
        place = _Place(str(folder), sizes_below(folder, skipped), reader_below(folder), only)
        for rig in session.rigs(scope) if session else ():
            if "://" not in rig.root and folder.is_relative_to(rig.root):
                place.rig, place.inside = rig.name, folder.relative_to(rig.root).as_posix()
        places.append(place)
    return places


def _on_rigs(session: Session, scope: Scope, skipped: list[Skipped]) -> Iterator[_Place]:
    """The game folders of the rigs; a rig that is away is told and left out."""
    from pathlib import Path

    from gribble.core.discs.looking import reader_below, sizes_below

    grounds = session.grounds(scope)
    for rig in session.rigs(scope):
        media = _media_folders(session, rig.name)
        if rig.name not in grounds:
            for folder in media:
                root = Path(rig.root, folder)
                if root.is_dir():
                    place = _Place(str(root), sizes_below(root, skipped), reader_below(root))
                    place.rig, place.inside = rig.name, folder
                    yield place
            continue
        ground = grounds[rig.name]
        if why := ground.away():
            session.aside(f"{rig.name} is left out: {why}")
            continue
        sizes: dict[str, int] = {}
        for listed in ground.walk():
            skipped += listed.skipped
            sizes.update((entry.path, entry.size) for entry in listed.files)
        inside = {path: size for path, size in sizes.items() if any(path.startswith(f"{one}/") for one in media)}
        place = _Place(ground.root, inside, ground.part)
        place.rig = rig.name
        yield place


def _media_folders(session: Session, rig: str) -> list[str]:
    """The game folders of the emulators on a rig."""
    from gribble.core.catalogue.config import fit_sheet

    sheets = session.catalogue.sheets
    installed = session.config.rig[rig].emulators.items()
    fitted = [fit_sheet(sheets[name], one) for name, one in installed if name in sheets]
    return list(dict.fromkeys(one.folders[media.folder] for one in fitted for media in one.media))


@command("playlist", group="discs", about=ABOUT)
def playlist(
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
    json: JsonOption = False,
    config: ConfigOption = None,
) -> int:
    """Playlists for titles of several discs, grouped by name; listed, and written only with --into.

    Example: gribble discs playlist ~/discs
    """
    import shlex
    from pathlib import Path

    import msgspec

    from gribble.core.discs.looking import discs_below
    from gribble.core.discs.playlists import group
    from gribble.core.discs.playlists import named as playlists_by_name
    from gribble.core.errors import ExitCode, GribbleError
    from gribble.core.survey.walking import Skipped
    from gribble.views.discs import playlists_json, show_playlists
    from gribble.views.looks import shorten
    from gribble.views.screen import Screen

    if json and into:
        raise GribbleError("--json lists playlists, --into writes them", fix="Use one of the two.")
    screen, skipped = Screen(), list[Skipped]()
    found: list[Playlist] = []
    titles = _titles(Path(names)) if names else {}
    lacking = list(titles)
    for word in folders:
        root = Path(word).absolute()
        if not root.is_dir():
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
    if json:
        screen.json(playlists_json(shown))
    else:
        show_playlists(screen, shown)
    for passed in skipped:
        screen.tell(f"passed over {passed.path}: {passed.why}")
    for id_ in lacking:
        screen.tell(f"{id_} ({titles[id_]}) is not there: no folder and no file of that name")
    if into and found:
        return _write(found, Path(into).absolute(), yes, config)
    if found and not json:
        words = shlex.join([*folders, *(("--names", names) if names else ())])
        screen.next(f"gribble discs playlist {words} --into FOLDER", "writes them, and asks first")
    return ExitCode.ATTENTION if any(one.missing for one in found) else ExitCode.CLEAN


def _titles(path: Path) -> dict[str, str]:
    """A list of ids and the titles they stand for. Raises MistakesError with every line that is none."""
    from gribble.core.errors import GribbleError, Mistake, MistakesError, reason_of
    from gribble.core.paths import name_fault

    try:
        lines = path.read_text(encoding="utf-8-sig").splitlines()
    except OSError as error:
        raise GribbleError(f"{path} cannot be read: {reason_of(error)}", fix="Check the path.") from error
    except UnicodeDecodeError as error:
        raise GribbleError(f"{path} is not UTF-8 at byte {error.start}", fix="Save it as UTF-8.") from error
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


def _write(found: list[Playlist], folder: Path, yes: bool, config: str | None) -> int:
    """Write playlists: on a rig as a run that can be undone, elsewhere as files, of which former ones are kept."""
    import os

    from gribble.cli.running import ask, place_plan
    from gribble.cli.session import Session, find_config
    from gribble.core.discs.playlists import lines_of
    from gribble.core.errors import ExitCode, GribbleError, reason_of
    from gribble.core.paths import base
    from gribble.core.placing.plan import Plan, Step, StepKind
    from gribble.core.world import Scope
    from gribble.stores.local import replace_file, write_new
    from gribble.views.looks import shorten
    from gribble.views.screen import Screen

    texts: dict[str, str] = {}
    for one in found:
        target = folder / base(one.path)
        try:
            former = target.read_text(encoding="utf-8-sig", errors="surrogateescape") if target.exists() else ""
        except OSError as error:
            raise GribbleError(
                f"{target} cannot be read: {reason_of(error)}", fix="Nothing was written. Check its permissions."
            ) from error
        entries = [os.path.relpath(disc, folder).replace(os.sep, "/") for disc in one.discs]
        text = "".join(f"{line}\n" for line in lines_of(entries, former.splitlines()))
        if text != former:
            texts[target.name] = text
    screen = Screen()
    if not texts:
        screen.say("Nothing to write: the playlists there say the same.")
        return ExitCode.CLEAN
    if config or find_config(None):
        with Session(config) as session:
            session.refuse_source(folder / "x", "--into")
            for rig in session.rigs(Scope()):
                if "://" not in rig.root and folder.is_relative_to(rig.root):
                    inside = folder.relative_to(rig.root)
                    paths = {name: (inside / name).as_posix() for name in texts}
                    steps = tuple(
                        Step(
                            rig=rig.name,
                            step=StepKind.WRITE,
                            from_="",
                            to=paths[name],
                            bytes=len(text),
                            text=text,
                            replaces=paths[name] if rig.store.exists(paths[name]) else None,
                            need="playlists",
                        )
                        for name, text in texts.items()
                    )
                    return place_plan(session, Scope(), (), Plan(steps=steps), yes)
    if not ask(screen, f"Write {len(texts)} to {shorten(str(folder))}?", yes):
        return ExitCode.ATTENTION
    for name, text in texts.items():
        data, target = text.encode("utf-8", "surrogateescape"), folder / name
        former_one = ""
        if target.exists():
            former_one = f" (the former one is {replace_file(target, data).name})"
        else:
            write_new(target, data)
        screen.say(f"written: {shorten(str(target))}{former_one}")
    return ExitCode.CLEAN
