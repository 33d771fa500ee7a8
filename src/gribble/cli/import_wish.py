"""What `gribble catalogue import` is asked: its options, and what is known of them once the list is found."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Annotated, Any, NamedTuple

import typer

from gribble.cli.command import Call
from gribble.cli.completing import emulators, one_of
from gribble.cli.entering import Entry
from gribble.cli.loaded import refuse_any_source
from gribble.cli.options import ReplaceOption, YesOption
from gribble.cli.refreshing import Listed
from gribble.core.base.errors import GribbleError, no_such
from gribble.core.base.filewriter import check_target
from gribble.core.base.paths import name_fault, path_fault
from gribble.core.catalogue.origins import MAP_ENDING, beside, digest_of, kept_of
from gribble.core.catalogue.rosters import ROSTER_ENDING
from gribble.core.catalogue.sheets import SHEET_ENDING
from gribble.core.records.imported import FieldMap
from gribble.core.records.sheet import Origin
from gribble.views.looks import shorten
from gribble.views.screen import Bar


class ImportOptions(NamedTuple):
    """The list and the options of `gribble catalogue import`."""

    file: Annotated[str, typer.Argument(metavar="LIST", help="A table, a page, a workbook, an export, checksums.")]
    to: Annotated[
        str | None,
        typer.Option(
            "--to",
            metavar="sheet|roster|plays",
            help="What to make of it (default: Gribble decides).",
            autocompletion=one_of("sheet", "roster", "plays"),
        ),
    ] = None
    map_: Annotated[str | None, typer.Option("--map", metavar="MAP", help="A field map (default: drafted).")] = None
    draft: Annotated[
        str | None, typer.Option("--draft", metavar="MAP", help="Write the drafted map, so that you can correct it.")
    ] = None
    out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="The file to write.")] = None
    into: Annotated[
        str | None, typer.Option("--into", metavar="FILE", help="Add what is new to this sheet or roster.")
    ] = None
    preview: Annotated[
        int, typer.Option("--preview", metavar="N", help="Only show the first N records as understood.")
    ] = 0
    emulator: Annotated[
        str | None,
        typer.Option(
            "--emulator", metavar="NAME", help="Whose list it is, or whose files to take.", autocompletion=emulators
        ),
    ] = None
    release: Annotated[str | None, typer.Option("--release", metavar="R", help="Of which release.")] = None
    in_: Annotated[
        str | None,
        typer.Option("--in", metavar="FOLDER", help="With --rig: the folder where the emulator looks there."),
    ] = None
    folder: Annotated[str, typer.Option("--folder", hidden=True)] = ""
    rig: Annotated[
        str | None, typer.Option("--rig", metavar="NAME", help="Enter the emulator for this rig in gribble.toml, too.")
    ] = None
    table: Annotated[int | None, typer.Option("--table", metavar="N", help="Which table of the list, from 1.")] = None
    field: Annotated[
        list[str] | None,
        typer.Option(metavar="COLUMN=FIELD", help="What a column is; nothing: it is not taken. As often as you like."),
    ] = None
    leave_out: Annotated[
        bool, typer.Option("--leave-out", help="Write the good records, and leave out those with mistakes.")
    ] = False
    replace: ReplaceOption = False
    yes: YesOption = False


ENDINGS = {"sheet": SHEET_ENDING, "roster": ROSTER_ENDING, "plays": ROSTER_ENDING}


NOT_IMPORTED: dict[str, Any] = {
    "emulator": None, "release": None, "to": None, "written": None, "records": 0, "left_out": 0, "mistakes": [],
}  # fmt: skip
"""`import/1` where nothing was taken over."""


class Otherwise(Exception):
    """Somebody says that a column is something else than was guessed, in an `answer`."""

    def __init__(self, answer: str) -> None:
        super().__init__(answer)
        self.answer = answer


def check_options(call: Call, source: Path, options: ImportOptions) -> None:
    """Raise GribbleError where the options do not make sense."""
    if options.to is not None and options.to not in ENDINGS:
        raise GribbleError(f"--to {options.to} is not known", fix="Write --to sheet, --to roster or --to plays.")
    if not os.path.exists(source):
        raise no_such(options.file, "file")
    if not os.path.isfile(source):
        raise GribbleError(f"{options.file} is not a file", fix="Name the list itself.")
    if options.folder and not options.rig and (fault := path_fault(options.folder)):
        raise GribbleError(f'--folder "{options.folder}" {fault}', fix="Give a path, such as system/bios.")
    if options.in_ is not None and not options.rig:
        raise GribbleError("--in needs the rig on which the emulator looks there", fix="Name the rig too: --rig NAME.")
    for option, value in (("--emulator", options.emulator), ("--release", options.release)):
        if value and (fault := name_fault(value)):
            raise GribbleError(f'{option} "{value}" {fault}', fix="Give a plain word.")
    if options.out is not None and options.into is not None:
        raise GribbleError(
            "--out and --into do not go together: one writes a new file, the other adds to a file",
            fix="Give one of them.",
        )
    for option, path in (("--out FILE", options.out), ("--into FILE", options.into), ("--draft MAP", options.draft)):
        if path is not None:
            refuse_any_source(call, call.environment.path(path), option)


class Wish(NamedTuple):
    """A list that was found and is to be taken over, as the options say. `entry` is a rig for which the emulator is
    entered; `drafted` says that it was shown already what nothing is taken from; `said` are the options by which
    columns are said to be something, and `can_say` that one may do so now. `map_text` is the map by which it is
    read."""

    call: Call
    options: ImportOptions
    found: Listed
    entry: Entry | None = None
    drafted: bool = False
    said: tuple[str, ...] = ()
    can_say: bool = False
    map_text: str = ""

    def with_options(self, **changes: Any) -> Wish:
        """The same with other options."""
        return self._replace(options=self.options._replace(**changes))

    @property
    def inside(self) -> str | None:
        """The folder where the emulator looks on the rig, if it was said."""
        return self.options.in_ or self.options.folder or None

    @property
    def asks(self) -> bool:
        """Whether somebody can be asked what a column is."""
        return self.can_say and not (self.options.yes or self.only_shown) and self.call.environment.is_terminal

    def heard(self, answer: str) -> None:
        """Raise Otherwise where an answer says that a column is something else."""
        if self.asks and re.match(r"(?:to|--to)\s+\w+$|[^=]+=\s*\w+$", answer):
            raise Otherwise(answer)

    @property
    def only_shown(self) -> bool:
        """Whether nothing is to be written."""
        return bool(self.options.preview) or (self.options.out is None and self.options.into is None)

    def aimed(self, to: str, made: FieldMap) -> Wish:
        """The same for a map, which says the emulator and the release."""
        top = {} if to == "plays" else getattr(made, to)
        return self.aimed_at(to, top.get("emulator", ""), top.get("release", ""))

    def aimed_at(self, to: str, emulator: str, release: str = "") -> Wish:
        """With the file to write: in the catalogue of the rig's configuration, if nothing else was said. Raises
        GribbleError."""
        if self.entry is None or self.options.out or self.options.into or self.options.preview:
            return self
        if to == "plays":
            raise GribbleError("--to plays does not go together with --rig", fix="Name the roster: --into ROSTER.")
        name = f"{emulator}-{release}" if to == "roster" else emulator
        path = self.entry.catalogue / f"{name}{ENDINGS[to]}"
        if os.path.lexists(path) and to == "sheet":
            return self.with_options(into=shorten(str(path)))
        return self.with_options(out=shorten(str(path)))

    def bar(self) -> Bar:
        """A progress bar for reading the list."""
        return self.call.screen.bar("Reading", self.found.path.stat().st_size)

    def check_target(self, to: str) -> None:
        """Raise GribbleError where the file to be written is of the wrong kind, or not there."""
        named = self.named
        if not named:
            return
        if not named.endswith(ENDINGS[to]):
            what = "roster" if to == "plays" else to
            option = "--out" if self.options.out else "--into"
            raise GribbleError(
                f"{named}: a {what}'s name ends in {ENDINGS[to]}",
                fix=f"Name it so: {option} {Path(named).stem}{ENDINGS[to]}",
            )
        if to == "plays" and self.options.out:
            raise GribbleError(
                "--to plays changes a roster that is there, so it does not take --out",
                fix="Name the roster: --into ROSTER.",
            )
        if to == "roster" and self.options.into:
            raise GribbleError("a roster is always written as a new file", fix=f"--out {Path(named).name}")
        if self.options.into and not os.path.isfile(self.target):
            raise GribbleError(f"there is no file called {self.options.into}", fix="--out FILE writes a new one.")
        if self.options.out and not self.options.preview:
            check_target(self.target, replace_other=self.options.replace)

    def origin(self) -> Origin:
        """Where the list is, for the sheet or the roster to be written."""
        day, map_ = self.call.environment.clock().date().isoformat(), beside(self.target, MAP_ENDING).name
        return Origin(
            list_=self.found.noted, date=day, sha256=digest_of(self.found.path), map=map_, etag=self.found.etag
        )

    def keep(self, origin: Origin, write: Callable[[Path, Iterable[bytes]], object]) -> None:
        """Write what is kept of the list beside the sheet or the roster."""
        for place, blocks in kept_of(self.target, self.found.path, origin.sha256, self.map_text):
            write(place, blocks)

    @property
    def named(self) -> str:
        """The file to be written, or merged into, as it is called."""
        return self.options.out or self.options.into or ""

    @property
    def target(self) -> Path:
        """Where that is."""
        return self.call.environment.path(self.named)
