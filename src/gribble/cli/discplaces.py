"""Where `gribble discs` looks: files and folders that are named, else the game folders of the rigs."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from gribble.cli.command import Call
from gribble.cli.session import Session
from gribble.core.audit.scope import Scope
from gribble.core.base.errors import GribbleError
from gribble.core.base.paths import join
from gribble.core.catalogue.config import fit_sheet
from gribble.core.discs.looking import PartReader, reader_below, sizes_below
from gribble.core.placing.texts import Text
from gribble.core.records.discs import Mended
from gribble.core.records.holding import Skipped
from gribble.views.looks import shorten


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
