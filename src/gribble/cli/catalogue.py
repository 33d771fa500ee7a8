"""`gribble catalogue list|lint|compare|schema|add`: what is known, whether it is right, and what is new."""

from __future__ import annotations

import os
from collections.abc import Collection, Sequence
from pathlib import Path
from typing import Annotated

import typer
from msgspec import structs

from gribble.cli.command import Call, command
from gribble.cli.completing import schemas
from gribble.cli.finding import find_config
from gribble.cli.loaded import catalogue_folders, finish_adding, refuse_any_source
from gribble.cli.options import ReplaceOption, YesOption
from gribble.cli.session import Session, ask
from gribble.cli.surveying import survey
from gribble.core.answers.adding import Arriving, displacing
from gribble.core.answers.adding import add as add_files
from gribble.core.answers.capture import Captured, Ranges, extended, new_sheet, ranges_of, read_known
from gribble.core.answers.changes import SheetEffect
from gribble.core.answers.comparing import SheetChanges, compare_catalogues
from gribble.core.answers.lint import lint as look
from gribble.core.answers.schema import SCHEMAS
from gribble.core.answers.schema import schema as make
from gribble.core.answers.setup import emulators_of, read_setup
from gribble.core.audit.looking import refitted
from gribble.core.base.amounts import count
from gribble.core.base.errors import ExitCode, GribbleError, Mistake, MistakesError, no_such
from gribble.core.base.filewriter import changing, check_target, write_file
from gribble.core.base.paths import is_text, name_fault, same_place
from gribble.core.base.regular import MOST_TEXT, read_regular, text_of
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.config import load_config, sheet_folders
from gribble.core.catalogue.ranges import release_fault
from gribble.core.catalogue.sheets import SHEET_ENDING, Catalogue, load_catalogue, load_sheet
from gribble.core.records.config import Ask, Config, Scope
from gribble.core.records.sheet import Sheet
from gribble.views.catalogue import compare_json, lint_json, list_json, show_added, show_compare, show_lint, show_list
from gribble.views.looks import kept_words, shorten
from gribble.views.screen import Screen
from gribble.views.shell import quoted

NAMES_TOLD = 4
"""How many files that would be replaced are named."""


@command("catalogue list", takes="json config")
def list_(call: Call) -> int:
    """What the catalogues know, and how well.

    It shows each emulator with its release, and the digests that prove its contents.

    Example: gribble catalogue list
    """
    with Session(call) as session:
        known = read_known(session.loaded.catalogue, sheet_folders(session.loaded.config))
        if call.json:
            session.screen.json(list_json(known))
        else:
            show_list(session.screen, known)
        return ExitCode.CLEAN


@command("catalogue lint", takes="json config")
def lint(
    call: Call,
    paths: Annotated[
        list[str] | None, typer.Argument(metavar="[PATH]...", help="Catalogue folders or files (default: yours).")
    ] = None,
    strict: Annotated[bool, typer.Option("--strict", help="For sharing: count remarks as mistakes.")] = False,
) -> int:
    """Every mistake of a catalogue, with file and key.

    It also shows what is weak or doubtful.

    Example: gribble catalogue lint catalogue/knot.sheet.toml --strict
    """
    screen = call.screen
    chosen = [Path(path) for path in paths] if paths else catalogue_folders(call)
    for path in chosen:
        if not os.path.exists(path):
            raise no_such(path, fix="Name a catalogue folder, a sheet or a roster.")
    remarks = look(chosen, _beside(call))
    if call.json:
        screen.json(lint_json(remarks))
    else:
        show_lint(screen, remarks, strict=strict)
    if any(remark.mistake for remark in remarks):
        return ExitCode.USAGE
    return ExitCode.ATTENTION if remarks and strict else ExitCode.CLEAN


def _beside(call: Call) -> list[Path]:
    """The catalogue folders of the configuration, whose sheets one may correct; none if there is no configuration."""
    path = find_config(call.environment, call.config)
    return sheet_folders(load_config(path, call.environment.home, call.environment.env)) if path else []


@command("catalogue compare", takes="json config")
def compare(
    call: Call,
    old: Annotated[str, typer.Argument(metavar="OLD", help="A sheet, or a catalogue folder.")],
    new: Annotated[str, typer.Argument(metavar="NEW", help="The other one.")],
) -> int:
    """What another version of a sheet changes.

    It also says what that means for your rigs.

    Example: gribble catalogue compare catalogue new-catalogue
    """
    before, after = _load(old), _load(new)
    changes = compare_catalogues(before.sheets, after.sheets)
    if find_config(call.environment, call.config) is None:
        _answer(call, changes, [])
    else:
        with Session(call) as session:
            names = {one.emulator for one in changes}
            mine = session.loaded.catalogue
            names &= before.sheets.keys() & after.sheets.keys()
            with_each = [
                structs.replace(mine, sheets={**mine.sheets, **{name: one.sheets[name] for name in names}})
                for one in (before, after)
            ]
            effects = effects_between(session, with_each[0], with_each[1], names)
            _answer(call, changes, effects)
            if changes and not call.json:
                _lead_on(session, new)
    return ExitCode.ATTENTION if changes else ExitCode.CLEAN


def _lead_on(session: Session, new: str) -> None:
    """The command that takes a compared sheet over, where one does."""
    environment = session.call.environment
    folders = [one.at for one in session.loaded.config.catalogues if not one.from_]
    gone = displacing(environment.path(new), environment.path(folders[0])) if folders else None
    if gone is not None:
        words = "".join(f" --replace {quoted(name)}" for name in gone)
        session.screen.next(f"gribble catalogue add {quoted(new)}{words}", "adds it, and keeps the old one")


def _answer(call: Call, changes: tuple[SheetChanges, ...], effects: list[SheetEffect]) -> None:
    if call.json:
        call.screen.json(compare_json(changes, effects))
    else:
        show_compare(call.screen, changes, effects)


def _load(path: str) -> Catalogue:
    """The sheets of a folder, or the one sheet of a file. Raises MistakesError if one has mistakes."""
    place = Path(path)
    if not os.path.exists(place):
        raise no_such(path, fix="Name a sheet or a catalogue folder.")
    if os.path.isdir(place):
        catalogue = load_catalogue([place])
    else:
        sheet, mistakes = load_sheet(place)
        catalogue = Catalogue({sheet.emulator: sheet} if sheet else {}, tuple(mistakes))
    if catalogue.mistakes:
        raise MistakesError(list(catalogue.mistakes))
    return catalogue


def effects_between(session: Session, old: Catalogue, new: Catalogue, names: Collection[str]) -> list[SheetEffect]:
    """Some emulators of the user's rigs: the state of each with one catalogue and with another."""
    if not any(name in rig.emulators for rig in session.loaded.config.rig.values() for name in names):
        return []
    world = survey(session, Scope(), catalogue=new)
    later = {(rig.rig, one.emulator): one for rig in world.audit(Ask()) for one in rig.emulators}
    earlier = refitted(world, session.loaded.config, old, Scope()).audit(Ask())
    return [
        SheetEffect(rig.rig, one, later[rig.rig, one.emulator])
        for rig in earlier
        for one in rig.emulators
        if one.emulator in names and (rig.rig, one.emulator) in later
    ]


@command("schema", short=True)
def schema(
    call: Call,
    name: Annotated[
        str | None, typer.Argument(metavar="[KIND]", help="Which one; without, all are listed.", autocompletion=schemas)
    ] = None,
) -> int:
    """The JSON Schema of a file or an answer.

    Without KIND, it lists the kinds that there are.

    Example: gribble schema sheet > sheet.schema.json
    """
    screen = call.screen
    if name is None:
        screen.grid([(word, about) for word, (_, about) in SCHEMAS.items()], indent=0)
    elif name not in SCHEMAS:
        raise GribbleError(
            f"there is no format '{name}'{suggest(name, list(SCHEMAS))}", fix="gribble schema lists them."
        )
    else:
        screen.json(make(name))
    return ExitCode.CLEAN


@command("catalogue add", takes="config")
def add(
    call: Call,
    source: Annotated[str, typer.Argument(metavar="SOURCE", help="A folder, a zip, a sheet or a roster.")],
    into: Annotated[
        str | None, typer.Option("--into", metavar="FOLDER", help="The catalogue folder (default: your first).")
    ] = None,
    replace: Annotated[
        list[str] | None,
        typer.Option(
            "--replace",
            metavar="EMULATOR",
            help="Replace your own sheet of this emulator, which has another file name.",
        ),
    ] = None,
    yes: YesOption = False,
) -> int:
    """Add sheets and rosters to your catalogue.

    Gribble checks them first. It keeps each file that it replaces beside the new one, and changes nothing else in the
    folder.

    Example: gribble catalogue add from-ada.zip
    """
    folders = [Path(into)] if into else catalogue_folders(call)
    if not os.path.exists(call.environment.path(source)):
        raise no_such(source, fix="Name a folder, a zip, a sheet or a roster.")
    target = call.environment.path(str(folders[0]))
    if into:
        refuse_any_source(call, target, "--into FOLDER")
    finish_adding(call, [target], strict=True)

    def agreed(arriving: Arriving) -> bool:
        return _may_displace(call, source, arriving, replace or ()) and _may_replace(call, arriving.replaced, yes)

    added = add_files(call.environment.path(source), target, agreed)
    if added is None:
        return ExitCode.ATTENTION
    path = find_config(call.environment, call.config)
    config = load_config(path, call.environment.home, call.environment.env) if path else Config()
    mine = any(same_place(one.at, target) for one in config.catalogues)
    on_rigs = {name for rig in config.rig.values() for name in rig.emulators}
    new = {name: one for name, one in load_catalogue([target]).sheets.items() if mine and name not in on_rigs}
    show_added(call.screen, added, target, leads_on=not new)
    if new:
        _show_new(call.screen, config, new)
    return ExitCode.CLEAN


def _show_new(screen: Screen, config: Config, new: dict[str, Sheet]) -> None:
    """Say which emulators of a catalogue are on no rig, and how one is entered whose folder is seen on one."""
    roots = {name: Path(rig.at) for name, rig in config.rig.items() if not rig.far and os.path.isdir(rig.at)}
    seen = [(emulator, rig) for rig, root in roots.items() for emulator in emulators_of(root, new)]
    screen.say(f"On no rig yet: {', '.join(new)}.")
    if seen:
        screen.say(f"Seen: {', '.join(f'{emulator} on {rig}' for emulator, rig in seen)}.")
    emulator, rig = seen[0] if seen else (next(iter(new)), next(iter(config.rig), "RIG"))
    screen.next(f"gribble rigs enter {quoted(emulator)} --rig {quoted(rig)}", "enters it in gribble.toml")


def _may_replace(call: Call, names: tuple[str, ...], yes: bool) -> bool:
    if not names:
        return True
    call.screen.say(f"This replaces {_some(names)}. Each old file is kept next to the new one.")
    return ask(call, "Replace?", yes)


def _may_displace(call: Call, source: str, arriving: Arriving, replace: Collection[str]) -> bool:
    """Whether local sheets may go since the same emulators' sheets arrive under other names; `--yes` is no answer."""
    for name, emulator in arriving.displaced.items():
        if emulator in replace:
            continue
        call.screen.say(f"{emulator} has a sheet here already: {name}. The new sheet for it has another name.")
        if not call.environment.is_terminal:
            call.screen.say("Nothing was changed.")
            words = quoted(source)
            call.screen.next(f"gribble catalogue add {words} --replace {quoted(emulator)}", f"keeps {name} next to it")
            return False
        if not ask(call, f"Take {name} away and keep it as {name}.before-1?", yes=False):
            return False
    return True


@command("catalogue capture")
def capture(
    call: Call,
    folder: Annotated[str, typer.Argument(metavar="FOLDER", help="The root of a rig that works.")],
    emulator: Annotated[str, typer.Option("--emulator", metavar="NAME", help="Whose needs they are.")],
    release: Annotated[str, typer.Option("--release", metavar="R", help="The release that works with them.")],
    paths: Annotated[
        list[str] | None, typer.Argument(metavar="[PATH]...", help="Only these files and folders in it.")
    ] = None,
    out: Annotated[str | None, typer.Option("--out", metavar="SHEET", help="Write a new sheet.")] = None,
    replace: ReplaceOption = False,
    into: Annotated[str | None, typer.Option("--into", metavar="SHEET", help="Add what is new to this sheet.")] = None,
) -> int:
    """Write a sheet from a setup that works.

    With --into it adds to a sheet. It marks what only a person can know.

    Example: gribble catalogue capture rigs/stick rigs/stick/KNOT --emulator knot --release 4 --out mine/knot.sheet.toml
    """
    if (out is None) == (into is None):
        raise GribbleError(
            "say where the sheet should go", fix="--out SHEET writes a new one, --into SHEET adds to one."
        )
    named, target = out or into or "", call.environment.path(out or into or "")
    if not target.name.endswith(SHEET_ENDING):
        raise GribbleError(
            f"{named}: a sheet's name ends in {SHEET_ENDING}", fix=f"Name it so: --out {emulator}{SHEET_ENDING}"
        )
    if fault := name_fault(emulator):
        raise GribbleError(
            f'--emulator "{emulator}" {fault}', fix="Nothing was written. Give a plain name, such as sandpiper."
        )
    if not is_text(release):
        raise GribbleError(f'--release "{release}" is not UTF-8', fix="Nothing was written. Give a plain word.")
    refuse_any_source(call, target, "--out SHEET")
    if out:
        check_target(target, replace_other=replace)
    screen = call.screen
    with screen.bar("Reading") as bar:
        setup = read_setup(call.environment.path(folder), [call.environment.path(path) for path in paths or ()], bar)
    files, kept = setup.files, None
    for why, names in setup.left_out.items():
        screen.tell(f"left out: {_some(names)}: {why} (name a file to take it)")
    if setup.no_names:
        screen.tell(f"left out: {_some(setup.no_names)}: no sheet can have such a name")
    if out:
        captured = new_sheet(files, emulator, release)
        _write_lists(call, target, captured, replace=replace)
        check_sheet(target, captured.text)
        kept = write_file(target, [captured.text.encode()], replace_other=replace)
    else:
        sheet = _sheet_to_extend(target, named, emulator)
        ranges = _ranges(call, sheet, release)
        text = text_of(read_regular(target, MOST_TEXT))
        _write_lists(call, target, extended(text, sheet, files, release, ranges), replace=replace)
        with changing(target) as file:
            sheet = _sheet_to_extend(target, named, emulator)
            captured = extended(text_of(file.data), sheet, files, release, ranges)
            if captured.needs or captured.accepts:
                check_sheet(target, captured.text)
                kept = file.write([captured.text.encode()], keep=True)
    if kept:
        screen.say(f"The old sheet is kept as {kept.name}.")
    screen.say(
        f"{named}: {count(captured.needs, 'new need')} and {count(captured.accepts, 'new accept')} "
        f"from {count(len(files), 'file')}; {captured.known} known already."
    )
    _say_where(screen, captured, emulator, new=out is not None)
    screen.next(f"gribble catalogue lint {named}", "lists what is still to be filled in")
    return ExitCode.CLEAN


def _sheet_to_extend(path: Path, named: str, emulator: str) -> Sheet:
    """The sheet of an emulator that is to be extended. Raises GribbleError if it is another's, or has mistakes."""
    sheet, mistakes = load_sheet(path)
    if sheet is None:
        raise MistakesError(mistakes)
    if sheet.emulator != emulator:
        raise GribbleError(
            f"{named} is the sheet of {sheet.emulator}, not of {emulator}",
            fix="Nothing was written. --out SHEET makes a new one.",
        )
    return sheet


def _ranges(call: Call, sheet: Sheet, release: str) -> Ranges:
    """Which releases new and former contents of a sheet concern: as it tells, else as the user says; where nobody can
    be asked, what is new is for the captured release and later ones, and the rest stays as it is."""
    told = ranges_of(sheet, release)
    if told is not None:
        return told
    written = f"It was written for {sheet.release}" if sheet.release else "It does not say for which it was written"
    call.screen.say(f"{written}, and what is captured works with {release}.")
    if not call.environment.is_terminal:
        if release_fault(release, sheet.order):
            call.screen.say(
                "So Gribble does not know which contents are for which release. Write releases in the sheet."
            )
            return Ranges()
        call.screen.say(
            f"So what is new is entered for {release} and later. To change that, write releases in the sheet."
        )
        return Ranges(f">={release}")
    return Ranges() if ask(call, f"Do its older contents also work with {release}?", yes=False) else Ranges(
        f">={release}", f"<{release}"
    )  # fmt: skip


def _write_lists(call: Call, target: Path, captured: Captured, *, replace: bool) -> None:
    """Write the checksum lists that go beside a captured sheet, before the sheet that names them."""
    for name, text in captured.lists.items():
        kept = write_file(target.with_name(name), [text.encode()], replace_other=replace)
        files = count(text.count("\n"), "file")
        call.screen.say(f"{shorten(str(target.with_name(name)))}: {files} in one list{kept_words(kept)}.")


def _some(names: Sequence[str]) -> str:
    return ", ".join(names[:NAMES_TOLD]) + (f" and {len(names) - NAMES_TOLD} more" if names[NAMES_TOLD:] else "")


def _say_where(screen: Screen, captured: Captured, emulator: str, *, new: bool) -> None:
    """Say of a captured sheet where it begins."""
    if captured.outside:
        screen.tell(f"left out: {len(captured.outside):,} outside {captured.own}, where {emulator} looks")
    if new and captured.own:
        words = f"gribble rigs enter {emulator} --in {quoted(captured.own)}"
        screen.say(f"Its folders are relative to {captured.own}: {words} enters it for a rig.")


def check_sheet(target: Path, text: str) -> None:
    """Raise MistakesError where the sheet to be written would have mistakes; nothing is changed then."""
    sheet, mistakes = load_sheet(target, text)
    if sheet is None:
        raise MistakesError([Mistake(str(target), one.where, f"as it would be: {one.what}") for one in mistakes])
