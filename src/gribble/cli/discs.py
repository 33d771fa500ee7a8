"""`gribble discs check`: track sheets, playlists and disc images."""

from __future__ import annotations

from typing import Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.options import AtOption, ConfigOption, JsonOption, RigOption, VerboseOption

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
    from gribble.core.catalogue.config import fit_sheet
    from gribble.core.discs.looking import check_folder
    from gribble.core.errors import ExitCode, GribbleError
    from gribble.core.survey.walking import Skipped
    from gribble.views.check import shorten
    from gribble.views.discs import discs_json, show_discs
    from gribble.views.screen import Screen

    folders: list[tuple[Path, str]] = []
    session: Session | None = None
    if paths:
        for word in paths:
            path = Path(word).absolute()
            if not path.exists():
                raise GribbleError(f"there is no {word}", fix="Check the path.")
            folders.append((path, "") if path.is_dir() else (path.parent, path.name))
    else:
        session = Session(config)
        for found_rig in session.local_rigs(scope_of(rig, None, None, at)):
            for name, installed in session.config.rig[found_rig.name].emulators.items():
                sheet = session.catalogue.sheets.get(name)
                fitted = fit_sheet(sheet, installed) if sheet else None
                folders += (
                    [(found_rig.root / fitted.folders[media.folder], "") for media in fitted.media] if fitted else []
                )
        folders = [(folder, only) for folder, only in dict.fromkeys(folders) if folder.is_dir()]
    screen = session.screen if session else Screen()
    skipped: list[Skipped] = []
    found = [
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
