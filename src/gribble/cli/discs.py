"""`gribble discs check`: track sheets, playlists and disc images."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.options import AtOption, ConfigOption, JsonOption, RigOption, VerboseOption, YesOption

if TYPE_CHECKING:
    from pathlib import Path

    from gribble.cli.session import Session
    from gribble.core.discs.check import Checked
    from gribble.core.discs.playlists import Playlist
    from gribble.core.survey.walking import Skipped
    from gribble.stores.ground import RemoteGround

ABOUT = "Discs: track sheets, playlists and images, and whether they hold together."


@command("check", group="discs", about=ABOUT)
def check(
    paths: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Argument(
            metavar="[FILE | FOLDER]...", help="Only these (default: game folders of your rigs).", show_default=False
        ),
    ] = None,
    rig: RigOption = None,
    at: AtOption = None,
    json: JsonOption = False,
    verbose: VerboseOption = False,
    config: ConfigOption = None,
) -> int:
    """Whether track sheets name files that are there, and images are as long as they say. Nothing is changed.

    Example: gribble discs check ~/discs
    """
    from pathlib import Path

    import msgspec

    from gribble.cli.session import Session, scope_of
    from gribble.core.discs.looking import check_folder
    from gribble.core.errors import ExitCode, GribbleError
    from gribble.views.check import shorten
    from gribble.views.discs import discs_json, show_discs
    from gribble.views.screen import Screen

    folders: list[tuple[Path, str]] = []
    session: Session | None = None
    skipped: list[Skipped] = []
    far: list[Checked] = []
    if paths:
        for word in paths:
            path = Path(word).absolute()
            if not path.exists():
                raise GribbleError(f"there is no {word}", fix="Check the path.")
            folders.append((path, "") if path.is_dir() else (path.parent, path.name))
    else:
        session = Session(config)
        scope = scope_of(rig, None, None, at)
        grounds = session.grounds(scope)
        for found_rig in session.rigs(scope):
            media = _media_folders(session, found_rig.name)
            if found_rig.name in grounds:
                far += _check_far(session, grounds[found_rig.name], media, skipped)
            else:
                folders += [(Path(found_rig.root, folder), "") for folder in media]
        session.close()
        folders = [(folder, only) for folder, only in dict.fromkeys(folders) if folder.is_dir()]
    screen = session.screen if session else Screen()
    found = far + [
        msgspec.structs.replace(one, path=shorten(str(folder / one.path)))
        for folder, only in folders
        for one in check_folder(folder, skipped, only)
    ]
    if json:
        screen.json(discs_json(found))
    else:
        show_discs(screen, found, verbose=verbose)
    for one in skipped:
        screen.tell(f"passed over {one.path}: {one.why}")
    return ExitCode.ATTENTION if any(one.findings for one in found) else ExitCode.CLEAN


def _media_folders(session: Session, rig: str) -> list[str]:
    """The game folders of the emulators on a rig."""
    from gribble.core.catalogue.config import fit_sheet

    sheets = session.catalogue.sheets
    installed = session.config.rig[rig].emulators.items()
    fitted = [fit_sheet(sheets[name], one) for name, one in installed if name in sheets]
    return list(dict.fromkeys(one.folders[media.folder] for one in fitted for media in one.media))


def _check_far(session: Session, ground: RemoteGround, media: list[str], skipped: list[Skipped]) -> list[Checked]:
    """What lies in the game folders of a rig on another machine; one that is away is told and left out."""
    import msgspec

    from gribble.core.discs.looking import check_files

    if why := ground.away():
        session.aside(f"{ground.root} is left out: {why}")
        return []
    sizes: dict[str, int] = {}
    for folder in ground.walk():
        skipped += folder.skipped
        sizes.update((entry.path, entry.size) for entry in folder.files)
    inside = {path: size for path, size in sizes.items() if any(path.startswith(f"{one}/") for one in media)}
    return [msgspec.structs.replace(one, path=f"{ground.root}/{one.path}") for one in check_files(inside, ground.part)]


@command("playlist", group="discs", about=ABOUT)
def playlist(
    folders: Annotated[list[str], typer.Argument(metavar="FOLDER...", help="Where the discs lie.")],
    into: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option(metavar="FOLDER", help="Write the playlists there; never into a source.", show_default=False),
    ] = None,
    yes: YesOption = False,
    json: JsonOption = False,
    config: ConfigOption = None,
) -> int:
    """Playlists for titles of several discs, grouped by name; listed, and written only with --into.

    Example: gribble discs playlist ~/discs
    """
    from pathlib import Path

    import msgspec

    from gribble.core.discs.looking import discs_below
    from gribble.core.discs.playlists import group
    from gribble.core.errors import ExitCode, GribbleError
    from gribble.core.survey.walking import Skipped
    from gribble.views.check import shorten
    from gribble.views.discs import playlists_json, show_playlists
    from gribble.views.screen import Screen

    if json and into:
        raise GribbleError("--json lists playlists, --into writes them", fix="Use one of the two.")
    screen, skipped = Screen(), list[Skipped]()
    found: list[Playlist] = []
    for word in folders:
        root = Path(word).absolute()
        if not root.is_dir():
            raise GribbleError(f"{word} is no folder", fix="Name the folder in which the discs lie.")
        for one in group(discs_below(root, skipped)):
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
    if into and found:
        return _write(found, Path(into).absolute(), yes, config)
    if found and not json:
        screen.next(f"gribble discs playlist {' '.join(folders)} --into FOLDER", "writes them, and asks first")
    return ExitCode.ATTENTION if any(one.missing for one in found) else ExitCode.CLEAN


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
    from gribble.views.check import shorten
    from gribble.views.screen import Screen

    texts: dict[str, str] = {}
    for one in found:
        target = folder / base(one.path)
        try:
            former = target.read_text(encoding="utf-8-sig", errors="surrogateescape") if target.exists() else ""
        except OSError as error:
            raise GribbleError(f"{target} cannot be read: {reason_of(error)}") from error
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
