"""`gribble catalogue list|lint|compare|schema|add`: what is known, whether it is right, and what is new."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Optional

import typer

from gribble.cli.app import command
from gribble.cli.options import ConfigOption, JsonOption, YesOption

if TYPE_CHECKING:
    from gribble.cli.session import Session
    from gribble.core.answers.changes import SheetChanges
    from gribble.core.catalogue.sheets import Catalogue
    from gribble.views.catalogue import Effect
    from gribble.views.screen import Screen

NAMES_TOLD = 4
"""How many files that would be replaced are named."""

ABOUT = "Sheets and rosters: made, checked, compared, taken over and shared."


@command("list", group="catalogue", about=ABOUT)
def list_(json: JsonOption = False, config: ConfigOption = None) -> int:
    """What the catalogues know: emulators, of which release, and how well their contents are proven.

    Example: gribble catalogue list
    """
    from pathlib import Path

    from gribble.cli.session import Session
    from gribble.core.answers.known import read_known
    from gribble.core.base.errors import ExitCode
    from gribble.views.catalogue import list_json, show_list

    with Session(config) as session:
        known = read_known(session.catalogue, [Path(folder) for folder in session.config.catalogues])
        if json:
            session.screen.json(list_json(known))
        else:
            show_list(session.screen, known)
        return ExitCode.CLEAN


@command("lint", group="catalogue", about=ABOUT)
def lint(
    paths: Annotated[
        Optional[list[str]],  # noqa: UP045
        typer.Argument(metavar="[PATH]...", help="Catalogue folders or files (default: yours).", show_default=False),
    ] = None,
    strict: Annotated[bool, typer.Option("--strict", help="For sharing: remarks count as mistakes.")] = False,
    json: JsonOption = False,
    config: ConfigOption = None,
) -> int:
    """Every mistake of a catalogue, and what is weak or doubtful in it, each with file and key.

    Example: gribble catalogue lint catalogue/knot.sheet.toml --strict
    """
    from pathlib import Path

    from gribble.cli.session import catalogue_folders
    from gribble.core.answers.lint import lint as look
    from gribble.core.base.errors import ExitCode, GribbleError
    from gribble.views.catalogue import lint_json, show_lint
    from gribble.views.screen import Screen

    screen = Screen()
    chosen = [Path(path) for path in paths] if paths else catalogue_folders(config)
    for path in chosen:
        if not path.exists():
            raise GribbleError(f"{path} is not there", fix="Name a catalogue folder, a sheet or a roster.")
    remarks = look(chosen)
    if json:
        screen.json(lint_json(remarks))
    else:
        show_lint(screen, remarks, strict=strict)
    if any(remark.mistake for remark in remarks):
        return ExitCode.USAGE
    return ExitCode.ATTENTION if remarks and strict else ExitCode.CLEAN


@command("compare", group="catalogue", about=ABOUT)
def compare(
    old: Annotated[str, typer.Argument(metavar="OLD", help="A sheet, or a catalogue folder.")],
    new: Annotated[str, typer.Argument(metavar="NEW", help="The other one.")],
    json: JsonOption = False,
    config: ConfigOption = None,
) -> int:
    """What another version of a sheet changes, and what that means for your rigs.

    Example: gribble catalogue compare catalogue new-catalogue
    """
    import shlex

    from gribble.cli.session import Session, find_config
    from gribble.core.answers.changes import compare_catalogues
    from gribble.core.base.errors import ExitCode
    from gribble.views.screen import Screen

    before, after = _load(old), _load(new)
    changes = compare_catalogues(before.sheets, after.sheets)
    if find_config(config) is None:
        _answer(Screen(), changes, [], json)
    else:
        with Session(config) as session:
            names = {one.emulator for one in changes}
            effects = _effects(session, before, after, names) if names else []
            _answer(session.screen, changes, effects, json)
            if changes and not json:
                session.screen.next(
                    f"gribble catalogue add {shlex.quote(new)}", "takes it over, and keeps the former one"
                )
    return ExitCode.ATTENTION if changes else ExitCode.CLEAN


def _answer(screen: Screen, changes: tuple[SheetChanges, ...], effects: list[Effect], json: bool) -> None:
    from gribble.views.catalogue import compare_json, show_compare

    if json:
        screen.json(compare_json(changes, effects))
    else:
        show_compare(screen, changes, effects)


def _load(path: str) -> Catalogue:
    """The sheets of a folder, or the one sheet of a file. Raises MistakesError where one has mistakes."""
    from pathlib import Path

    from gribble.core.base.errors import GribbleError, MistakesError
    from gribble.core.catalogue.sheets import Catalogue, load_catalogue, load_sheet

    place = Path(path)
    if not place.exists():
        raise GribbleError(f"{path} is not there", fix="Name a sheet or a catalogue folder.")
    if place.is_dir():
        catalogue = load_catalogue([place])
    else:
        sheet, mistakes = load_sheet(place)
        catalogue = Catalogue({sheet.emulator: sheet} if sheet else {}, tuple(mistakes))
    if catalogue.mistakes:
        raise MistakesError(list(catalogue.mistakes))
    return catalogue


def _effects(session: Session, before: Catalogue, after: Catalogue, changed: set[str]) -> list[Effect]:
    """Each emulator of the user's rigs whose sheet has changed: its state with the old one and with the new."""
    from gribble.core.audit.looking import refitted
    from gribble.core.audit.scope import Scope
    from gribble.core.catalogue.sheets import Catalogue
    from gribble.views.catalogue import Effect

    mine = session.catalogue.sheets
    names = before.sheets.keys() & after.sheets.keys() & changed
    old = Catalogue({**mine, **{name: before.sheets[name] for name in names}})
    new = Catalogue({**mine, **{name: after.sheets[name] for name in names}})
    world = session.look(Scope(), catalogue=new)
    later = {(rig.rig, one.emulator): one for rig in world.audit(Scope()) for one in rig.emulators}
    earlier = refitted(world, session.config, old, Scope()).audit(Scope())
    return [
        Effect(rig.rig, one, later[rig.rig, one.emulator])
        for rig in earlier
        for one in rig.emulators
        if one.emulator in names
    ]


@command("schema", group="catalogue", about=ABOUT)
def schema(
    name: Annotated[
        Optional[str],  # noqa: UP045
        typer.Argument(
            metavar="[FORMAT]", help="sheet, config, roster-head, roster-set, map or report.", show_default=False
        ),
    ] = None,
) -> int:
    """The JSON Schema of a format; without one, the formats there are.

    Example: gribble catalogue schema sheet > sheet.schema.json
    """
    from gribble.core.answers.schema import SCHEMAS
    from gribble.core.answers.schema import schema as make
    from gribble.core.base.errors import ExitCode, GribbleError
    from gribble.core.base.tables import suggest
    from gribble.views.screen import Screen

    screen = Screen()
    if name is None:
        screen.grid([(word, about) for word, (_, about) in SCHEMAS.items()], indent=0)
    elif name not in SCHEMAS:
        raise GribbleError(
            f"no format '{name}'{suggest(name, list(SCHEMAS))}", fix="gribble catalogue schema lists them."
        )
    else:
        screen.json(make(name))
    return ExitCode.CLEAN


@command("add", group="catalogue", about=ABOUT)
def add(
    source: Annotated[str, typer.Argument(metavar="SOURCE", help="A folder, a zip, a sheet or a roster.")],
    to: Annotated[
        Optional[str],  # noqa: UP045
        typer.Option("--to", metavar="FOLDER", help="The catalogue folder (default: your first).", show_default=False),
    ] = None,
    yes: YesOption = False,
    config: ConfigOption = None,
) -> int:
    """Add sheets and rosters to your catalogue: linted first, swapped in whole, the former version kept.

    Example: gribble catalogue add from-ada.zip
    """
    from pathlib import Path

    from gribble.cli.running import ask
    from gribble.cli.session import catalogue_folders
    from gribble.core.answers.adding import add as add_files
    from gribble.core.base.errors import ExitCode, GribbleError
    from gribble.views.catalogue import show_added
    from gribble.views.screen import Screen

    folders = [Path(to)] if to else catalogue_folders(config)
    if not Path(source).exists():
        raise GribbleError(f"{source} is not there", fix="Name a folder, a zip, a sheet or a roster.")
    screen = Screen()

    def may_replace(names: tuple[str, ...]) -> bool:
        told = ", ".join(names[:NAMES_TOLD]) + (f" and {len(names) - NAMES_TOLD} more" if names[NAMES_TOLD:] else "")
        screen.say(f"It would replace {told}; the catalogue as it is would be kept beside it.")
        return ask(screen, "Replace?", yes)

    added = add_files(Path(source), folders[0].absolute(), may_replace)
    if added is None:
        return ExitCode.ATTENTION
    show_added(screen, added, folders[0])
    return ExitCode.CLEAN
